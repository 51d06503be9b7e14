// SPDX-License-Identifier: GPL-3.0-or-later
#include "delivery/write/reserved.h"

#include <algorithm>
#include <chrono>
#include <set>
#include <thread>

#include <fmt/format.h>
#include <unistd.h>

#include "base/hash.h"
#include "base/text.h"
#include "delivery/write/placing.h"

namespace wyc {
namespace {

constexpr int kMostPlans = 60;
constexpr auto kPause = std::chrono::milliseconds(25);
constexpr std::size_t kLongName = 180; // bytes; a name has 255 at most
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
        if (!isTemporaryName(path.filename().string()) || at->is_symlink(own) || FileLock::isHeld(path))
            continue;
        if (path == heldBy(path)) { // an empty file that says who writes: nobody does
            (void)FileLock::ofItsOwn(path);
            continue;
        }
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

fs::path heldBy(const fs::path& place) {
    constexpr std::string_view ending = ".wyc-part-run";
    std::string name = place.filename().string();
    if (name.starts_with(".") && name.ends_with(ending))
        return place;
    if (name.size() > kLongName)
        name = name.substr(0, kLongName) + hashText(hash64(std::as_bytes(std::span(name.data(), name.size()))));
    return place.parent_path() / fmt::format(".{}{}", name, ending);
}

bool isBeingWritten(const fs::path& place) {
    return FileLock::isHeld(heldBy(place));
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
    // In one order for all runs, so that of two one gets all.
    std::set<fs::path> places;
    for (const PlannedOutput& output : outputs)
        for (const fs::path& place : placesOf(output))
            places.insert(place);
    std::unique_ptr<ReservedNames> names(new ReservedNames());
    for (const fs::path& place : places) {
        std::error_code code;
        for (int again = 0;; ++again) { // another run may take away a folder that it made
            std::vector<fs::path> missing;
            for (fs::path folder = folderOf(place); !folder.empty() && !fs::exists(folder, code);
                 folder = folder.parent_path())
                missing.push_back(folder);
            fs::create_directories(folderOf(place), code);
            names->madeFolders_.insert(names->madeFolders_.begin(), missing.begin(), missing.end());
            auto lock = FileLock::ofItsOwn(heldBy(place));
            if (!lock && again < kMostPlans && !fs::exists(folderOf(place), code) && !missing.empty())
                continue;
            if (!lock)
                return fail(std::move(lock.error()).inFile(place.string()));
            if (!*lock)
                return std::unique_ptr<ReservedNames>();
            names->locks_.push_back(std::move(*lock));
            break;
        }
    }
    // Put in place after it was planned, and before it was held.
    for (const PlannedOutput& output : outputs)
        for (const fs::path& place : placesOf(output))
            if (!output.replace && place != output.target.parent_path() / recordName(output.target) &&
                standsThere(place))
                return std::unique_ptr<ReservedNames>();
    return names;
}

ReservedNames::~ReservedNames() {
    locks_.clear();
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
