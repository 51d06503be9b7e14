// SPDX-License-Identifier: GPL-3.0-or-later
#include "delivery/write/placing.h"

#include <algorithm>
#include <set>

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/stat.h>
#include <unistd.h>

#include "base/hash.h"
#include "base/text.h"
#include "delivery/write/reserved.h"
#include "gather/sequence.h"

namespace wyc {
namespace {

bool exchange(const fs::path& a, const fs::path& b) {
    return ::renameat2(AT_FDCWD, a.c_str(), AT_FDCWD, b.c_str(), RENAME_EXCHANGE) == 0;
}

// Group and mode of a folder for the one that takes its place; the group as far as the system lets us.
bool takeModeOf(const fs::path& from, const fs::path& to) {
    struct stat was {};
    if (::stat(from.c_str(), &was) != 0)
        return false;
    (void)!::chown(to.c_str(), static_cast<uid_t>(-1), was.st_gid);
    return ::chmod(to.c_str(), was.st_mode & 07777) == 0;
}

// Frames that stand under the pattern now.
std::vector<std::string> framesThere(const PlannedOutput& output) {
    std::vector<std::string> names;
    if (!output.format->sequence)
        return names;
    if (const auto sequence = sequenceOfPattern(output.target))
        for (const SequenceFile& file : sequence->files)
            names.push_back(file.path.filename().string());
    return names;
}

Error isSource(const fs::path& path) {
    return makeError(ErrorKind::Exists, "this is a source: it would be written over")
        .inFile(path.string())
        .withAdvice("Choose another folder or name");
}

Status refuseWhatIsNoFile(const fs::path& path) {
    std::error_code code;
    const auto status = fs::symlink_status(path, code);
    if (!fs::exists(status) || fs::is_regular_file(status))
        return {};
    return fail(makeError(ErrorKind::Exists, "what stands there is no plain file, and is not replaced")
                    .inFile(path.string())
                    .withAdvice("Choose another name"));
}

// Moves that can be taken back.
class Moves {
  public:
    ~Moves() {
        if (kept_)
            return;
        for (auto it = done_.rbegin(); it != done_.rend(); ++it)
            if (!it->exchanged || !exchange(it->from, it->to))
                (void)::rename(it->to.c_str(), it->from.c_str());
    }
    // To a name that is free, or against what stands there.
    Status place(const fs::path& from, const fs::path& to, bool replace) {
        const bool there = standsThere(to);
        if (there && replace && exchange(from, to)) {
            done_.push_back({from, to, true});
            return {};
        }
        if (there && replace) { // a file system that cannot exchange: the old one goes aside
            const fs::path aside = from.string() + ".before";
            WYC_CHECK(moveIntoPlace(to, aside, AtomicFile::Replace::No));
            done_.push_back({to, aside, false});
        }
        WYC_CHECK(moveIntoPlace(from, to, AtomicFile::Replace::No));
        done_.push_back({from, to, false});
        return {};
    }
    void keep() { kept_ = true; }

  private:
    struct Done {
        fs::path from;
        fs::path to;
        bool exchanged = false;
    };
    std::vector<Done> done_;
    bool kept_ = false;
};

} // namespace

Status placeAll(const fs::path& staging, const PlannedOutput& output, const std::vector<std::string>& names) {
    const fs::path folder = folderOf(output.target);
    std::error_code code;
    for (const std::string& name : names) {
        const fs::path to = folder / name;
        WYC_CHECK(refuseWhatIsNoFile(to));
        if (output.reads && output.reads->contains(to))
            return fail(isSource(to));
        if (!output.replace && standsThere(to))
            return fail(makeError(ErrorKind::Exists, "the target is there already")
                            .inFile(to.string())
                            .withAdvice("Choose another name, or say that it may be replaced"));
    }
    WYC_CHECK(mayTakeItsPlace(output, names));
    std::vector<std::string> stale = output.replace ? framesThere(output) : std::vector<std::string>();
    std::erase_if(stale, [&](const std::string& n) { return std::find(names.begin(), names.end(), n) != names.end(); });
    // A record of what was there before would speak of what is there no longer.
    if (const std::string record = recordName(output.target);
        output.replace && std::find(names.begin(), names.end(), record) == names.end() && standsThere(folder / record))
        stale.push_back(record);
    for (const std::string& name : stale) {
        WYC_CHECK(refuseWhatIsNoFile(folder / name));
        if (output.reads && output.reads->contains(folder / name))
            return fail(isSource(folder / name));
    }
    if (output.format->sequence && output.replace) {
        std::set<std::string> ours(names.begin(), names.end());
        ours.insert(stale.begin(), stale.end());
        ours.insert(recordName(output.target));
        bool onlyOurs = fs::is_directory(folder, code) && !fs::is_symlink(fs::symlink_status(folder, code));
        for (fs::directory_iterator it(folder, code), end; onlyOurs && !code && it != end; it.increment(code))
            onlyOurs = ours.contains(it->path().filename().string()) || it->path() == staging || isClaim(it->path());
        // Not from under the feet of whoever called us in it, and not with the staging folder inside.
        if (onlyOurs && !code && !fs::equivalent(folder, fs::current_path(code), code) &&
            !fs::equivalent(folderOf(staging), folder, code) && takeModeOf(folder, staging) &&
            exchange(staging, folder)) {
            // What runs hold here they go on holding.
            for (fs::directory_iterator it(staging, code), end; !code && it != end; it.increment(code))
                if (isClaim(it->path()))
                    (void)::rename(it->path().c_str(), (folder / it->path().filename()).c_str());
            flushFolder(folderOf(folder));
            return {};
        }
    }
    if (output.replace)
        WYC_CHECK(writeTextFile(staging / kReplacing, {}, AtomicFile::Replace::Yes));
    Moves moves;
    for (const std::string& name : stale)
        WYC_CHECK(moves.place(folder / name, staging / (name + ".before"), false));
    for (const std::string& name : names)
        WYC_CHECK(moves.place(staging / name, folder / name, output.replace));
    moves.keep();
    flushFolder(folder);
    return {};
}

namespace {

// One name for a file however it is written; of a pattern "sheet.####.obj" and "sheet.#.obj" are the same frames.
std::string nameOf(const fs::path& path) {
    std::error_code code;
    if (fs::exists(path, code))
        return fs::canonical(path, code).string();
    std::string name;
    for (const char c : path.filename().string())
        if (c != '#' || name.empty() || name.back() != '#')
            name += c;
    return (fs::weakly_canonical(fs::absolute(folderOf(path), code), code) / name).string();
}

} // namespace

ReadFiles::ReadFiles(const std::vector<DeliveryInput>& inputs) {
    std::set<const std::vector<fs::path>*> lists; // inputs of one job share theirs
    for (const DeliveryInput& input : inputs)
        if (input.reads && lists.insert(input.reads.get()).second)
            for (const fs::path& path : *input.reads) {
                names_.insert(nameOf(path));
                const Format* format = formatOfName(path);
                if (format && format->sequence)
                    if (const auto sequence = sequenceOfPattern(path))
                        for (const SequenceFile& file : sequence->files)
                            names_.insert(nameOf(file.path));
            }
}

bool ReadFiles::contains(const fs::path& path) const {
    return names_.contains(nameOf(path));
}

Status ReadFiles::mayBeWritten(const PlannedOutput& output) const {
    if (contains(output.target))
        return fail(isSource(output.target));
    if (output.restTarget && contains(*output.restTarget))
        return fail(isSource(*output.restTarget));
    for (const std::string& frame : framesThere(output))
        if (contains(folderOf(output.target) / frame))
            return fail(isSource(folderOf(output.target) / frame));
    return {};
}

std::set<std::pair<std::string, std::string>> originsOf(const nlohmann::json& madeFrom) {
    std::set<std::pair<std::string, std::string>> result;
    const auto text = [](const nlohmann::json& entry, const char* key) { // a record may hold anything
        const auto found = entry.find(key);
        return found != entry.end() && found->is_string() ? found->get<std::string>() : std::string();
    };
    if (madeFrom.is_array())
        for (const auto& entry : madeFrom)
            if (entry.is_object())
                result.emplace(text(entry, "source"), text(entry, "item"));
    return result;
}

namespace {

// The record beside a target; nothing where there is none, or what is called so is none of ours.
std::optional<nlohmann::json> recordBeside(const PlannedOutput& output) {
    const auto bytes = readWholeFile(output.target.parent_path() / recordName(output.target), 1ULL << 30);
    auto record = bytes ? nlohmann::json::parse(bytes->begin(), bytes->end(), nullptr, false) : nlohmann::json();
    return record.is_object() && record.contains("made_from") ? std::optional(std::move(record)) : std::nullopt;
}

std::set<std::string> filesIn(const nlohmann::json& record) {
    std::set<std::string> names;
    const auto files = record.find("files");
    if (files != record.end() && files->is_array())
        for (const auto& file : *files)
            if (file.is_object() && file.value("name", nlohmann::json()).is_string())
                names.insert(file["name"].get<std::string>());
    return names;
}

bool saysItIsBeside(const fs::path& file, const std::string& mainName) {
    const std::string line = besideLine(mainName);
    std::string begin(line.size(), '\0');
    const auto open = RandomAccessFile::open(file);
    return open && (*open)->size() >= line.size() &&
           (*open)->readAt(0, std::as_writable_bytes(std::span(begin.data(), begin.size()))) && begin == line;
}

Error notReplaced(std::string why, const fs::path& path) {
    return makeError(ErrorKind::Exists, std::move(why))
        .inFile(path.string())
        .withAdvice("Move it away by hand, or choose another name");
}

} // namespace

Status mayTakeItsPlace(const PlannedOutput& output, const std::vector<std::string>& names) {
    if (!output.replace)
        return {};
    const fs::path folder = output.target.parent_path();
    const std::string mainName = output.target.filename().string();
    const std::string recordFile = recordName(output.target);
    const auto there = [&](const std::string& name) { return standsThere(folder / name); };
    const auto record = recordBeside(output);
    if (!record && there(recordFile))
        return fail(
            notReplaced("what stands there is no record of a delivery, and is not replaced", folder / recordFile));
    const std::set<std::string> listed = record ? filesIn(*record) : std::set<std::string>();
    const std::vector<std::string> frames = framesThere(output);
    std::set<std::string> beside(names.begin(), names.end());
    if (output.restTarget)
        beside.insert(output.restTarget->filename().string());
    for (const std::string& name : beside) {
        if (name == mainName || name == recordFile || !there(name) || listed.contains(validUtf8(name)) ||
            std::find(frames.begin(), frames.end(), name) != frames.end())
            continue;
        // With a record of its own it is a delivery by itself.
        if (there(recordName(name)) || !saysItIsBeside(folder / name, mainName))
            return fail(
                notReplaced(fmt::format("nothing says that it was written beside '{}': it is not replaced", mainName),
                            folder / name));
    }
    return {};
}

Status isDeliveryOf(const PlannedOutput& output) {
    const auto record = recordBeside(output);
    if (!record)
        return fail(
            notReplaced("what stands there has no record of a delivery beside it, and is not replaced", output.target));
    if (originsOf((*record)["made_from"]) != originsOf(output.provenance))
        return fail(
            notReplaced("the delivery that stands there is of another item, and is not replaced", output.target));
    std::vector<std::string> taken = framesThere(output);
    if (!output.format->sequence && standsThere(output.target))
        taken.push_back(output.target.filename().string());
    const std::set<std::string> listed = filesIn(*record);
    for (const std::string& name : taken)
        if (!listed.contains(validUtf8(name)))
            return fail(notReplaced("the record of the delivery that stands there does not name it: it is not replaced",
                                    output.target.parent_path() / name));
    return mayTakeItsPlace(output);
}

Status isUnedited(const PlannedOutput& output) {
    if (!output.replace || !output.format->assembles || !output.format->assembles(output.format->chosen) ||
        !standsThere(output.target))
        return {};
    const auto record = recordBeside(output);
    if (!record)
        return {}; // nobody knows what it was
    const auto bytes = readWholeFile(output.target, 1ULL << 30);
    if (!bytes)
        return fail(bytes.error());
    const std::string now = hashText(hash64(std::as_bytes(std::span(*bytes))));
    const std::string name = validUtf8(output.target.filename().string());
    for (const auto& file : record->value("files", nlohmann::json::array()))
        if (file.is_object() && file.value("name", nlohmann::json()) == name &&
            file.value("xxh64", nlohmann::json()) != now)
            return fail(makeError(ErrorKind::Exists,
                                  "the assembly that stands there was changed since it was delivered: "
                                  "it is not replaced")
                            .inFile(output.target.string())
                            .withAdvice("Move it away, or deliver under another name; what was changed can go into a "
                                        "layer that takes the new assembly in"));
    return {};
}

} // namespace wyc
