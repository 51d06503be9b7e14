// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// The open job with its history. Edits replace the whole value, which is small; undo takes an older one back.
#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "job/job.h"

namespace wyc {

class Document {
  public:
    [[nodiscard]] const Job& job() const { return job_; }
    [[nodiscard]] const fs::path& path() const { return path_; }
    [[nodiscard]] bool modified() const { return job_ != saved_; }

    /// One undoable edit. Edits of the same non-empty `mergeKey` that follow one another become one (a drag).
    /// An edit that changes nothing leaves no trace.
    void edit(const std::string& label, const std::function<void(Job&)>& change, const std::string& mergeKey = {});
    /// Ends merging: the next edit stands by itself.
    void endMerge() { mergeKey_.clear(); }
    [[nodiscard]] bool canUndo() const { return !undo_.empty(); }
    [[nodiscard]] bool canRedo() const { return !redo_.empty(); }
    [[nodiscard]] std::string undoLabel() const { return undo_.empty() ? std::string() : undo_.back().label; }
    [[nodiscard]] std::string redoLabel() const { return redo_.empty() ? std::string() : redo_.back().label; }
    void undo();
    void redo();

    void reset(); // an empty job
    [[nodiscard]] Status load(const fs::path& path);
    [[nodiscard]] Status save(const fs::path& path);

    /// Where an unsaved state is kept for recovery; empty folder = nowhere.
    void setAutosaveFolder(const fs::path& folder) { autosaveFolder_ = folder; }
    /// Writes the present state for recovery if it differs from what is saved, else removes what was kept.
    [[nodiscard]] Status autosave();
    /// Removes this process's recovery file (a clean end).
    void discardAutosave();
    struct Recoverable {
        fs::path file;    // the recovery file
        fs::path jobPath; // the job it belongs to; empty = never saved
        Job job;
    };
    /// Recovery files of runs that are no longer alive.
    [[nodiscard]] static std::vector<Recoverable> recoverable(const fs::path& folder);
    /// Takes a recovered state over, as modified.
    void recover(const Recoverable& state);

    /// Called after every change of the job or its path.
    std::function<void()> onChange;

  private:
    struct Entry {
        Job job;
        std::string label;
    };
    [[nodiscard]] fs::path autosavePath() const;
    void changed() const {
        if (onChange)
            onChange();
    }
    Job job_;
    Job saved_;
    fs::path path_;
    std::vector<Entry> undo_;
    std::vector<Entry> redo_;
    std::string mergeKey_;
    fs::path autosaveFolder_;
};

} // namespace wyc
