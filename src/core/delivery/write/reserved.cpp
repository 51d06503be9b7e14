// SPDX-License-Identifier: GPL-3.0-or-later
#include "delivery/write/reserved.h"

#include <algorithm>
#include <chrono>
#include <fstream>
#include <thread>

#include <fmt/format.h>
#include <unistd.h>

#include "base/text.h"
#include "delivery/write/placing.h"

namespace wyc {
namespace {

constexpr const char* kClaimed = "claimed"; // ".claimed.wyc-part-PROCESS-NUMBER"
constexpr const char* kClaim = ".claimed.wyc-part-";
constexpr const char* kTurn = ".turn.wyc-part-run";
constexpr std::uint64_t kMostClaimed = 1 << 28;
constexpr int kMostPlans = 60;
constexpr int kMostTurns = 4000;
constexpr auto kPause = std::chrono::milliseconds(25);
// On file systems whose locks do not reach other machines a run that goes on may look dead.
constexpr auto kOld = std::chrono::hours(24);

// Newest change and size of a file or of all in a folder.
std::pair<fs::file_time_type, std::uint64_t> ageAndSize(const fs::path& path) {
    std::error_code code;
    auto newest = fs::last_write_time(path, code);
    std::uint64_t bytes = 0;
    const auto add = [&](const fs::path& file) {
        if (const auto when = fs::last_write_time(file, code); !code)
            newest = std::max(newest, when);
        if (const auto size = fs::file_size(file, code); !code)
            bytes += size;
    };
    if (!fs::is_directory(path, code))
        add(path);
    else
        for (fs::recursive_directory_iterator at(path, code), end; !code && at != end; at.increment(code))
            if (std::error_code own; at->is_regular_file(own))
                add(at->path());
    return {newest, bytes};
}

// Looks at what killed runs left in the folder; removes what is old and nobody's.
void sweep(const fs::path& folder, std::vector<Leftover>& found) {
    std::error_code code;
    for (fs::directory_iterator at(folder, code), end; !code && at != end; at.increment(code)) {
        const fs::path& path = at->path();
        std::error_code own;
        if (!isTemporaryName(path.filename().string()) || at->is_symlink(own) || isClaim(path) ||
            path.filename() == kTurn || FileLock::isHeld(path))
            continue;
        Leftover left{path};
        const auto [newest, bytes] = ageAndSize(path);
        left.bytes = bytes;
        left.holdsEarlier = standsThere(path / kReplacing);
        if (!left.holdsEarlier && fs::file_time_type::clock::now() - newest > kOld) {
            fs::remove_all(path, own);
            left.removed = !own;
        }
        found.push_back(std::move(left));
    }
}

// What living runs will write in the folder. Claims of dead ones go where that is asked.
std::set<std::string> namesClaimed(const fs::path& folder, bool removeDead) {
    std::set<std::string> names;
    std::error_code code;
    for (fs::directory_iterator at(folder, code), end; !code && at != end; at.increment(code)) {
        if (!isClaim(at->path()))
            continue;
        if (!FileLock::isHeld(at->path())) {
            if (removeDead)
                ::unlink(at->path().c_str());
            continue;
        }
        const auto bytes = readWholeFile(at->path(), kMostClaimed);
        std::string name;
        for (const char c : bytes ? *bytes : std::vector<char>()) {
            if (c != '\0') {
                name += c;
                continue;
            }
            names.insert(std::move(name));
            name.clear();
        }
    }
    return names;
}

} // namespace

bool standsThere(const fs::path& path) {
    std::error_code code;
    return fs::exists(fs::symlink_status(path, code));
}

std::vector<fs::path> placesOf(const fs::path& target, const std::optional<fs::path>& rest, bool ownFolder) {
    if (ownFolder)
        return {folderOf(target)};
    std::vector<fs::path> places{target, target.parent_path() / recordName(target)};
    if (rest)
        places.push_back(*rest);
    return places;
}

std::vector<fs::path> placesOf(const PlannedOutput& output) {
    return placesOf(output.target, output.restTarget, output.ownFolder);
}

bool isClaim(const fs::path& file) {
    return isTemporaryName(file.filename().string()) && file.filename().string().starts_with(kClaim);
}

bool HeldPlaces::contains(const fs::path& place) {
    const auto [at, added] = names_.try_emplace(folderOf(place));
    if (added)
        at->second = namesClaimed(at->first, false);
    return at->second.contains(place.filename().string());
}

std::string Leftover::words() const {
    const std::string what =
        fmt::format("a run that was ended before its time left '{}' ({})", path.string(), sizeText(bytes));
    if (removed)
        return what + ": it was more than a day old and is removed";
    if (holdsEarlier)
        return what + " with files of the delivery that it was replacing: look at them, then remove it";
    return what + ": remove it, or the first run here does when it is a day old";
}

Result<std::unique_ptr<ReservedNames>> ReservedNames::of(const std::vector<PlannedOutput>& outputs) {
    std::map<fs::path, std::set<std::string>> wanted; // in one order for all runs, so that of two one gets all
    std::error_code code;
    for (const PlannedOutput& output : outputs)
        for (const fs::path& place : placesOf(output))
            wanted[fs::absolute(folderOf(place), code).lexically_normal()].insert(place.filename().string());
    std::unique_ptr<ReservedNames> reserved(new ReservedNames());
    for (const auto& [folder, names] : wanted) {
        WYC_TRY(turn, reserved->turnIn(folder));
        const std::set<std::string> others = namesClaimed(folder, true);
        if (std::any_of(names.begin(), names.end(), [&](const std::string& name) { return others.contains(name); }))
            return std::unique_ptr<ReservedNames>();
        std::unique_ptr<FileLock> claim;
        fs::path file;
        while (!claim) {
            file = temporarySibling(folder / kClaimed);
            WYC_TRY(lock, FileLock::ofItsOwn(file));
            claim = std::move(lock);
        }
        std::ofstream list(file, std::ios::binary | std::ios::trunc);
        for (const std::string& name : names)
            list << name << '\0';
        list.close();
        if (!list)
            return fail(makeError(ErrorKind::NoSpace, "cannot write in this folder")
                            .inFile(folder.string())
                            .withAdvice("Free some space or choose another folder; nothing was left behind"));
        reserved->claims_.push_back(std::move(claim));
    }
    // Put in place after it was planned, and before it was held.
    for (const PlannedOutput& output : outputs)
        for (const fs::path& place : placesOf(output))
            if (!output.replace && place != output.target.parent_path() / recordName(output.target) &&
                standsThere(place))
                return std::unique_ptr<ReservedNames>();
    return reserved;
}

// Runs look at claims and add their own one after another.
Result<std::unique_ptr<FileLock>> ReservedNames::turnIn(const fs::path& folder) {
    for (int again = 0; again < kMostTurns; ++again) {
        std::error_code code;
        std::vector<fs::path> missing;
        for (fs::path at = folder; !at.empty() && !fs::exists(at, code) && at != at.parent_path();
             at = at.parent_path())
            missing.push_back(at);
        fs::create_directories(folder, code);
        madeFolders_.insert(madeFolders_.begin(), missing.begin(), missing.end());
        auto turn = FileLock::ofItsOwn(folder / kTurn);
        // Another run may take away a folder that it made.
        const bool gone = !turn && !missing.empty() && !fs::exists(folder, code);
        if (!turn && !gone) {
            turn.error().file = folder.string();
            return turn;
        }
        if (turn && *turn)
            return turn;
        std::this_thread::sleep_for(kPause / 10);
    }
    return fail(makeError(ErrorKind::NotWritable, "another run looks for free names here and does not end")
                    .inFile(folder.string())
                    .withAdvice("Wait until it has ended, or end it"));
}

ReservedNames::~ReservedNames() {
    claims_.clear();
    for (const fs::path& folder : madeFolders_)
        ::rmdir(folder.c_str());
}

Result<ReservedRun> reservedRun(const std::function<Result<std::vector<PlannedOutput>>()>& plan) {
    ReservedRun run;
    for (int turn = 0; turn < kMostPlans; ++turn) {
        WYC_TRY(outputs, plan());
        for (const PlannedOutput& output : outputs) {
            WYC_CHECK(mayTakeItsPlace(output));
            // Its record names what stands beside it.
            const std::string name = output.target.filename().string();
            if ((output.format->sequence || output.restTarget) && validUtf8(name) != name)
                return fail(makeError(ErrorKind::BadInput, "its name is not UTF-8, and its record could not hold it")
                                .inFile(output.target.string())
                                .withAdvice("Choose another name"));
        }
        WYC_TRY(names, ReservedNames::of(outputs));
        run.outputs = std::move(outputs);
        if (!names) {
            std::this_thread::sleep_for(kPause);
            continue;
        }
        run.names = std::move(names);
        std::error_code code;
        std::set<fs::path> folders;
        for (const PlannedOutput& output : run.outputs)
            for (const fs::path& place : placesOf(output)) {
                folders.insert(folderOf(place));
                if (output.format->sequence && !output.ownFolder) // staged beside its folder
                    folders.insert(folderOf(fs::absolute(folderOf(place), code)));
            }
        for (const fs::path& folder : folders)
            sweep(folder, run.leftovers);
        return run;
    }
    return fail(makeError(ErrorKind::Exists, "another run is writing it now")
                    .inFile(run.outputs.empty() ? std::string() : run.outputs.front().target.string())
                    .withAdvice("Wait until that has ended, or choose another name"));
}

} // namespace wyc
