// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// What the window shows: the document, its opened sources, and what the workbench makes of them, kept up to date by
// workers.
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <set>
#include <vector>

#include <QFileSystemWatcher>
#include <QObject>
#include <QString>
#include <QStringList>
#include <QTimer>

#include "job/document.h"
#include "shell/job_runner.h"
#include "time/time_words.h"
#include "workbench/workbench.h"

namespace wyc::app {

struct SourceView {
    SourceId id;
    SourceSpec spec;
    SourcePtr source; // null while opening or when it failed
    bool opening = false;
    std::optional<Error> error;
    std::uint64_t stamp = 0; // of its files when it was read
    bool changedOnDisk = false;
    bool gone = false; // none of its files is there any more
};

/// Whether what was found holds for what is shown.
enum class Checked {
    Yes,
    Underway,
    Stopped,  // on request, before it was done
    Outdated, // files are others than those that were read, or gone
};

class Workspace : public QObject {
    Q_OBJECT
  public:
    explicit Workspace(QObject* parent = nullptr);

    [[nodiscard]] const Document& document() const { return document_; }
    [[nodiscard]] Document& document() { return document_; }
    [[nodiscard]] const Job& job() const { return document_.job(); }
    [[nodiscard]] JobRunner& runner() { return runner_; }
    [[nodiscard]] JobRunner& deliveryRunner() { return deliveryRunner_; }
    /// Measures and checks: beside what a person waits for.
    [[nodiscard]] JobRunner& measureRunner() { return measureRunner_; }
    [[nodiscard]] bool busy() const { return runner_.busy() || deliveryRunner_.busy() || measureRunner_.busy(); }
    void stopAll();

    [[nodiscard]] const std::vector<SourceView>& sources() const { return sources_; }
    [[nodiscard]] const std::vector<ItemView>& items() const { return items_; }
    [[nodiscard]] const ItemView* item(const ItemKey& key) const;
    [[nodiscard]] const ItemView* activeItem() const { return item(active_); }
    [[nodiscard]] const ItemKey& active() const { return active_; }
    /// Items that an act is meant for, in the order of the list: those chosen together, else the active one.
    [[nodiscard]] std::vector<ItemKey> chosen() const;
    [[nodiscard]] bool isChosen(const ItemKey& key) const { return key == active_ || chosen_.contains(key); }
    [[nodiscard]] const std::vector<ItemFinding>& findings() const { return findings_; }
    [[nodiscard]] Checked checked() const;
    [[nodiscard]] bool checking() const { return checked() == Checked::Underway; }
    void checkAgain();
    [[nodiscard]] double frame() const { return frame_; }
    /// Of the board's frames: the shot's, else what most items state, else the default.
    [[nodiscard]] FrameRate rate() const { return rate_; }
    /// Range to play and to show: the shot with handles, else that of all items.
    [[nodiscard]] FrameRange playRange() const;
    /// An item counts frames at its own rate, the board at the shot's; both count the same seconds.
    [[nodiscard]] double boardFrame(const ItemView& item, double own) const;
    [[nodiscard]] double ownFrame(const ItemView& item, double board) const;
    [[nodiscard]] bool atBoardRate(const ItemView& item) const;
    /// Where an item moves, in frames of the board; nothing where it does not.
    [[nodiscard]] std::optional<FrameRange> boardRange(const ItemView& item) const;
    /// Goes to a frame of an item.
    void setOwnFrame(const ItemKey& key, double own);
    /// Goes where something was found, and to the item.
    void goTo(const ItemFinding& found);

    /// What more steps would make of an item, drawn beside it as it is; not measured. Null: none is shown.
    [[nodiscard]] const ItemView* ghost() const { return ghost_ ? &*ghost_ : nullptr; }
    void showGhost(const ItemKey& key, const std::vector<Step>& more);
    void hideGhost();

    /// How moments are read, all over the window.
    [[nodiscard]] TimeReading timeReading() const { return reading_; }
    void setTimeReading(TimeReading reading);
    [[nodiscard]] QString timeWords(double frame) const;
    [[nodiscard]] double timeOrigin() const;
    [[nodiscard]] double unitMetres(const ItemView& item) const;

    /// Makes one item the active one, and lets go of what was chosen beside it.
    void setActive(const ItemKey& key);
    /// Chooses several; the active one is among them.
    void setChosen(const std::set<ItemKey>& keys, const ItemKey& active);
    void setFrame(double frame);

    /// Adds what the paths mean as sources; one undoable edit. An error is told through `problem`.
    void addPaths(const QStringList& paths);
    void removeSource(SourceId id);
    void reloadSources(const std::vector<SourceId>& ids);
    /// Asks soon whether files of sources have changed on disk; `sourcesChangedOnDisk` tells.
    void lookAtFiles() { lookAgain_.start(); }
    /// How a source is opened: an option of its format. What its format refuses is told, and nothing changes.
    void setOpenOption(SourceId id, const std::string& name, const nlohmann::json& value);
    void setRest(SourceId id, const QString& path, const QString& object = {});
    /// One undoable edit of as many items.
    void addSteps(const std::vector<ItemKey>& keys, const std::vector<Step>& steps, const QString& label);
    void addSteps(const ItemKey& key, const std::vector<Step>& steps, const QString& label) {
        addSteps(std::vector{key}, steps, label);
    }
    /// Tries the mends of all that was found on these items and keeps those that help; one undoable edit.
    void mendAll(const std::set<ItemKey>& keys);
    void setSteps(const ItemKey& key, const std::vector<Step>& steps, const QString& label,
                  const QString& mergeKey = {});
    void setLeftOut(const std::vector<ItemKey>& keys, bool leftOut);
    /// Items that are meant to be played again and again are checked for it.
    void setLoops(const std::vector<ItemKey>& keys, bool loops);
    /// Moves items in time by frames of the board, each by whole frames of its own; one undoable edit.
    void offsetBy(const std::vector<ItemKey>& keys, double frames, const QString& label);
    /// Items that do not fit are left out, those that fit taken in: one undoable edit.
    void choose(const std::function<bool(const ItemView&)>& fits, const QString& label);
    void openJob(const QString& path);
    bool saveJob(const QString& path);
    void newJob();
    /// Makes the demo in a new folder below `parent` and opens its job.
    void openDemo(const QString& parentFolder);

    /// What a delivery comes to, as the job is now; may be asked by a worker. An error when a chosen item cannot be
    /// had.
    using Plan = std::function<Result<std::vector<PlannedOutput>>()>;
    /// What is proven already of a run that did not get through: it is not planned again.
    struct Proven {
        std::set<std::string> labels;
        int version = 1; // all of one run have one
    };
    [[nodiscard]] Plan planOf(const DeliverySpec& spec, const Proven& proven) const;
    [[nodiscard]] std::string labelOf(const ItemKey& key) const;

  signals:
    void jobChanged();
    void itemsChanged();    // the list of items or their scenes
    void measuresChanged(); // profiles
    void findingsChanged();
    void checkedChanged(); // whether they hold
    void activeChanged();
    void frameChanged();
    void timeReadingChanged();
    void ghostChanged();
    void sourcesChangedOnDisk();
    void problem(const QString& text);
    void pageWritten(const QString& path); // to be read and sent on

  public:
    /// Tells what went wrong; that something was stopped on request is nothing wrong.
    void tell(const Error& error);

  private:
    void sync();
    [[nodiscard]] std::vector<OpenedSource> openedSources() const;
    void rebuildItems();
    void settleRate();
    void openPending();
    void measure();
    void measureRaw();
    void check();
    void noteStop(const Error& error);
    void compareStamps();

    Document document_;
    JobRunner runner_;
    JobRunner deliveryRunner_;
    JobRunner measureRunner_;
    std::vector<SourceView> sources_;
    std::vector<ItemView> items_;
    std::map<ItemKey, std::size_t> places_; // of them in that list
    std::vector<ItemFinding> findings_;
    ItemKey active_;
    std::set<ItemKey> chosen_; // empty, or several with the active one
    double frame_ = 1.0;
    FrameRate rate_;
    std::optional<ItemView> ghost_;
    TimeReading reading_ = TimeReading::Frames;
    bool frameChosen_ = false;
    bool measuring_ = false;
    bool measuringRaw_ = false;
    int generation_ = 0;
    int checkedGeneration_ = -1; // what the findings are of
    bool stopped_ = false;
    std::optional<SourceId> added_; // whose first item becomes the active one
    QTimer recheck_;
    QTimer autosave_;
    QFileSystemWatcher files_;
    QTimer lookAgain_;
};

} // namespace wyc::app
