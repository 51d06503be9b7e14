// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/document.h"

#include <csignal>

#include <unistd.h>

#include <fmt/format.h>

#include "base/text.h"

namespace wyc {
namespace {
constexpr std::size_t kMostUndo = 500;
}

void Document::edit(const std::string& label, const std::function<void(Job&)>& change, const std::string& mergeKey) {
    Job next = job_;
    change(next);
    if (next == job_)
        return;
    const bool merges = !mergeKey.empty() && mergeKey == mergeKey_ && !undo_.empty();
    if (!merges) {
        undo_.push_back({job_, label});
        if (undo_.size() > kMostUndo)
            undo_.erase(undo_.begin());
    }
    mergeKey_ = mergeKey;
    redo_.clear();
    job_ = std::move(next);
    changed();
}

void Document::undo() {
    if (undo_.empty())
        return;
    Entry entry = std::move(undo_.back());
    undo_.pop_back();
    redo_.push_back({std::move(job_), entry.label});
    job_ = std::move(entry.job);
    mergeKey_.clear();
    changed();
}

void Document::redo() {
    if (redo_.empty())
        return;
    Entry entry = std::move(redo_.back());
    redo_.pop_back();
    undo_.push_back({std::move(job_), entry.label});
    job_ = std::move(entry.job);
    mergeKey_.clear();
    changed();
}

void Document::reset() {
    job_ = {};
    saved_ = {};
    path_.clear();
    undo_.clear();
    redo_.clear();
    mergeKey_.clear();
    changed();
}

Status Document::load(const fs::path& path) {
    WYC_TRY(job, loadJob(path));
    reset();
    job_ = std::move(job);
    saved_ = job_;
    path_ = fs::absolute(path); // the folder of the process may change, and recovery is of another process
    changed();
    return {};
}

Status Document::save(const fs::path& path) {
    const bool same = fs::absolute(path) == path_;
    WYC_CHECK(saveJob(job_, path, same ? &saved_ : nullptr));
    saved_ = job_;
    path_ = fs::absolute(path);
    discardAutosave();
    changed();
    return {};
}

fs::path Document::autosavePath() const {
    return autosaveFolder_.empty() ? fs::path() : autosaveFolder_ / fmt::format("{}.recovery.json", ::getpid());
}

Status Document::autosave() {
    const fs::path path = autosavePath();
    if (path.empty())
        return {};
    if (!modified()) {
        discardAutosave();
        return {};
    }
    std::error_code code;
    fs::create_directories(autosaveFolder_, code);
    nlohmann::json state{{"process", ::getpid()}, {"job_path", path_.string()}, {"job", toJson(job_, "/")}};
    WYC_CHECK(isUtf8(state));
    return writeTextFile(path, state.dump(1), AtomicFile::Replace::Yes);
}

void Document::discardAutosave() {
    std::error_code code;
    if (const fs::path path = autosavePath(); !path.empty())
        fs::remove(path, code);
}

std::vector<Document::Recoverable> Document::recoverable(const fs::path& folder) {
    std::vector<Recoverable> result;
    std::error_code code;
    for (fs::directory_iterator it(folder, code), end; !code && it != end; it.increment(code)) {
        const std::string name = it->path().filename().string();
        if (!name.ends_with(".recovery.json"))
            continue;
        const auto process = parseInteger(name.substr(0, name.find('.')));
        if (!process || *process == ::getpid() || ::kill(static_cast<pid_t>(*process), 0) == 0)
            continue; // ours, or of a run that still lives
        const auto bytes = readWholeFile(it->path(), 64 << 20);
        if (!bytes)
            continue;
        const auto state = nlohmann::json::parse(bytes->begin(), bytes->end(), nullptr, false);
        if (!state.is_object() || !state.contains("job"))
            continue;
        auto job = jobFromJson(state["job"], "/");
        if (job)
            result.push_back({it->path(), state.value("job_path", std::string()), std::move(*job)});
    }
    return result;
}

void Document::recover(const Recoverable& state) {
    reset();
    job_ = state.job;
    path_ = state.jobPath;
    if (!path_.empty())
        if (auto saved = loadJob(path_))
            saved_ = std::move(*saved);
    // Ours takes its place first: a second end a moment later loses nothing.
    if (autosaveFolder_.empty() || autosave()) {
        std::error_code code;
        fs::remove(state.file, code);
    }
    changed();
}

} // namespace wyc
