// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <ctime>
#include <utility>

#include <fmt/format.h>
#include <sys/stat.h>

#include "base/text.h"
#include "base/version.h"
#include "delivery/delivery.h"
#include "delivery/write/placing.h"
#include "delivery/write/reserved.h"

namespace wyc {
namespace {

// Temporary folder beside the targets; goes with everything in it unless it was moved into place.
class StagingFolder {
  public:
    static Result<StagingFolder> create(const fs::path& beside) {
        std::error_code code;
        fs::create_directories(folderOf(beside), code);
        StagingFolder folder;
        bool made = false;
        while (!code && !made) { // a killed run of the same number may have left its own there
            folder.path_ = temporarySibling(beside);
            made = fs::create_directory(folder.path_, code);
        }
        if (made) // tells it from what a killed run left
            folder.alive_ = std::make_unique<FileLock>(folder.path_);
        if (!made) {
            folder.path_.clear();
            const bool full = code == std::errc::no_space_on_device;
            return fail(makeError(full ? ErrorKind::NoSpace : ErrorKind::NotWritable,
                                  fmt::format("cannot write in this folder: {}", code.message()))
                            .inFile(beside.string())
                            .withAdvice("Choose a folder you may write to"));
        }
        return folder;
    }
    StagingFolder(StagingFolder&& other) noexcept
        : path_(std::exchange(other.path_, {})), alive_(std::move(other.alive_)) {}
    StagingFolder& operator=(StagingFolder&&) = delete;
    ~StagingFolder() {
        std::error_code code;
        if (!path_.empty())
            fs::remove_all(path_, code);
    }
    [[nodiscard]] const fs::path& path() const { return path_; }
    void release() { path_.clear(); }

  private:
    StagingFolder() = default;
    fs::path path_;
    std::unique_ptr<FileLock> alive_;
};

// Something can be put beside the folder and moved onto it: not beside the root of a disk.
bool hasFolderAround(const fs::path& folder) {
    struct stat own {};
    struct stat around {};
    return folder.has_filename() && (::stat(folder.c_str(), &own) != 0 ||
                                     (::stat(folderOf(folder).c_str(), &around) == 0 && own.st_dev == around.st_dev));
}

// The rest mesh beside a point cache: the pose it was opened with, or the first sample.
Scene restScene(const PlannedOutput& output) {
    Scene scene;
    scene.view.rate = output.rate;
    scene.materials = output.scene.materials;
    for (const Node& node : output.scene.nodes) {
        if (!node.geometry)
            continue;
        Node rest = node;
        rest.parent = -1;
        rest.path = "/" + node.name;
        rest.transform = nullptr;
        const auto count = node.geometry->pointCount(0);
        const auto restCount = output.rest ? output.rest->geometry->pointCount(0) : Result<std::size_t>(0);
        if (output.rest && count && restCount && *count == *restCount) {
            rest.geometry = output.rest->geometry;
            rest.properties = output.rest->properties;
        }
        scene.nodes.push_back(std::move(rest));
        break;
    }
    return materialsAsSets(std::move(scene));
}

// "Thu Jan  1 00:00:00 2026", as archives have it: the newest source's time, so that the same scene gives the
// same bytes.
std::string archiveDate(const nlohmann::json& provenance) {
    std::int64_t newest = 0;
    for (const auto& entry : provenance)
        newest = std::max(newest, entry.value("modified_ns", std::int64_t{0}));
    if (newest == 0)
        return {};
    const std::time_t seconds = newest / 1'000'000'000;
    std::tm parts{};
    gmtime_r(&seconds, &parts);
    char text[32];
    std::strftime(text, sizeof text, "%a %b %e %H:%M:%S %Y", &parts);
    return text;
}

constexpr int kMostNamings = 4;

// Layers and pictures beside a target get the first names that are free as they are written; another run may have put
// its own there meanwhile.
bool besideTaken(const Error& error, const PlannedOutput& output) {
    const std::vector<fs::path> places = placesOf(output);
    return error.kind == ErrorKind::Exists && !error.file.empty() && !output.replace && !output.format->sequence &&
           std::find(places.begin(), places.end(), fs::path(error.file)) == places.end();
}

Result<OutputResult> writtenAndPlaced(const PlannedOutput& output, const RunOptions& run, const Progress& progress) {
    WYC_CHECK(isUnedited(output));
    std::error_code code;
    const fs::path finalFolder = output.target.parent_path();
    const bool wholeFolder = output.format->sequence && !finalFolder.empty() && !standsThere(finalFolder);
    // Beside the folder, where the folder may be exchanged as a whole.
    auto beside = StagingFolder::create(
        output.format->sequence && !finalFolder.empty() && hasFolderAround(finalFolder) ? finalFolder : output.target);
    auto staging =
        !beside && !wholeFolder && output.format->sequence ? StagingFolder::create(output.target) : std::move(beside);
    if (!staging)
        return fail(std::move(staging.error()));

    WriteOptions options;
    options.rate = output.rate;
    options.application = std::string("Wychronos ") + version();
    options.dateText = archiveDate(output.provenance);
    options.description = output.item;
    options.options = output.format->chosen;
    options.standsIn = folderOf(output.target);
    const fs::path staged = staging->path() / output.target.filename();
    std::vector<fs::path> files;
    if (output.restTarget) {
        const Scene rest = restScene(output);
        const fs::path restPath = staging->path() / output.restTarget->filename();
        WYC_TRY(restFormat, chosenAs(*formatOfName(restPath)));
        WriteOptions restOptions = options;
        restOptions.options = restFormat->chosen;
        restOptions.beside = output.target.filename().string();
        WYC_TRY(written, restFormat->write(rest, restPath, restOptions, Progress()));
        files = std::move(written);
    }
    WYC_TRY(main, output.format->write(output.scene, staged, options, progress.part(0.0, run.prove ? 0.6 : 1.0)));
    files.insert(files.end(), main.begin(), main.end());

    Proof proof;
    if (run.prove) {
        WYC_TRY(proven, proveAgainst(output.scene, output, staged, progress.part(0.6, 1.0)));
        if (!proven.passed) {
            const bool source = std::any_of(proven.items.begin(), proven.items.end(),
                                            [](const ProvenItem& i) { return !i.shown.disagreements.empty(); });
            const bool asked = std::any_of(output.intentions.begin(), output.intentions.end(),
                                           [](const Intention& i) { return !i.otherThanAsked.empty(); });
            return fail(makeError(ErrorKind::Internal, fmt::format("what was {}: {}",
                                                                   source  ? "meant is not what the source shows"
                                                                   : asked ? "meant is not what was asked"
                                                                           : "written is not what was meant",
                                                                   proven.words()))
                            .inFile(output.target.string())
                            .withAdvice("Nothing was put in place; please keep the job, this is a fault of ours"));
        }
        proof = std::move(proven);
    }
    WYC_CHECK(progress.poll());

    OutputResult result;
    result.target = output.target;
    for (const fs::path& file : files)
        result.sizeBytes += fs::file_size(file, code);
    std::vector<std::string> order; // the main file last: where it stands, all else does
    if (run.prove && run.record) {
        const std::string name = recordName(output.target);
        WYC_TRY(record, recordOf(output, files, proof));
        WYC_CHECK(writeTextFile(staging->path() / name, record.dump(1), AtomicFile::Replace::Yes));
        order.push_back(name);
        result.record = finalFolder / name;
    }
    std::vector<std::string> kept; // of an earlier delivery: it stands there already, just so
    for (const fs::path& file : files) {
        const std::string name = file.filename().string();
        const bool there = fs::equivalent(file, folderOf(output.target) / name, code) && !code;
        auto& list = there ? kept : order;
        if (std::find(list.begin(), list.end(), name) == list.end())
            list.push_back(name);
    }
    if (wholeFolder) {
        WYC_CHECK(moveIntoPlace(staging->path(), finalFolder, AtomicFile::Replace::No));
        staging->release();
    } else {
        WYC_CHECK(placeAll(staging->path(), output, order));
    }
    order.insert(order.begin(), kept.begin(), kept.end());
    for (const std::string& name : order)
        result.files.push_back(finalFolder / name);
    result.proof = std::move(proof);
    progress.report(1.0, "done", output.target.filename().string());
    return result;
}

} // namespace

Result<OutputResult> runOutput(const PlannedOutput& output, const RunOptions& run, const Progress& progress) {
    for (int turn = 1;; ++turn) {
        auto result = writtenAndPlaced(output, run, progress);
        if (result || turn == kMostNamings || !besideTaken(result.error(), output))
            return result;
    }
}

} // namespace wyc
