// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// What the window shows: the document, its opened sources, and what the workbench makes of them, kept up to date by
// workers.
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <vector>

#include <QObject>
#include <QString>
#include <QStringList>
#include <QTimer>

#include "job/document.h"
#include "shell/job_runner.h"
#include "workbench/workbench.h"

namespace wyc::app {

struct SourceView {
    SourceId id;
    SourceSpec spec;
    SourcePtr source; // null while opening or when it failed
    bool opening = false;
    std::optional<Error> error;
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

    [[nodiscard]] const std::vector<SourceView>& sources() const { return sources_; }
    [[nodiscard]] const std::vector<ItemView>& items() const { return items_; }
    [[nodiscard]] const ItemView* item(const ItemKey& key) const;
    [[nodiscard]] const ItemView* activeItem() const { return item(active_); }
    [[nodiscard]] const ItemKey& active() const { return active_; }
    [[nodiscard]] const std::vector<ItemFinding>& findings() const { return findings_; }
    [[nodiscard]] bool checking() const { return measuring_ || recheck_.isActive(); }
    [[nodiscard]] double frame() const { return frame_; }
    [[nodiscard]] FrameRate rate() const { return job().shot.rateOrDefault(); }
    /// Range to play and to show: the shot with handles, else that of all items.
    [[nodiscard]] FrameRange playRange() const;
    [[nodiscard]] double unitMetres(const ItemView& item) const;

    void setActive(const ItemKey& key);
    void setFrame(double frame);

    /// Adds what the paths mean as sources; one undoable edit. An error is told through `problem`.
    void addPaths(const QStringList& paths);
    void removeSource(SourceId id);
    void reloadSource(SourceId id);
    void setRest(SourceId id, const QString& path, const QString& object = {});
    /// One undoable edit of as many items.
    void addSteps(const std::vector<ItemKey>& keys, const std::vector<Step>& steps, const QString& label);
    void addSteps(const ItemKey& key, const std::vector<Step>& steps, const QString& label) {
        addSteps(std::vector{key}, steps, label);
    }
    void setSteps(const ItemKey& key, const std::vector<Step>& steps, const QString& label,
                  const QString& mergeKey = {});
    void setLeftOut(const ItemKey& key, bool leftOut);
    /// Items that do not fit are left out, those that fit taken in: one undoable edit.
    void choose(const std::function<bool(const ItemView&)>& fits, const QString& label);
    void openJob(const QString& path);
    bool saveJob(const QString& path);
    void newJob();
    /// Makes the demo in a new folder below `parent` and opens its job.
    void openDemo(const QString& parentFolder);

    /// Inputs of a delivery as values for a worker; an error when a chosen item cannot be had.
    [[nodiscard]] Result<std::vector<DeliveryInput>> inputsOf(const DeliverySpec& spec) const;
    [[nodiscard]] std::string labelOf(const ItemKey& key) const;

  signals:
    void jobChanged();
    void itemsChanged();    // the list of items or their scenes
    void measuresChanged(); // profiles
    void findingsChanged();
    void activeChanged();
    void frameChanged();
    void problem(const QString& text);

  private:
    void sync();
    [[nodiscard]] std::vector<OpenedSource> openedSources() const;
    void rebuildItems();
    void openPending();
    void measure();
    void check();

    Document document_;
    JobRunner runner_;
    JobRunner deliveryRunner_;
    std::vector<SourceView> sources_;
    std::vector<ItemView> items_;
    std::vector<ItemFinding> findings_;
    ItemKey active_;
    double frame_ = 1.0;
    bool frameChosen_ = false;
    bool measuring_ = false;
    int generation_ = 0;
    QTimer recheck_;
    QTimer autosave_;
};

} // namespace wyc::app
