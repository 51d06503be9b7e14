// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// The Loop desk: where a motion comes back, how the cycle is closed, what it looks like across the seam.
#include <memory>
#include <optional>
#include <vector>

#include <QTimer>
#include <QWidget>

#include "desks/desk.h"
#include "desks/loop/pinned_loops.h"
#include "shell/workspace.h"
#include "view/transport.h"
#include "workbench/loops.h"

class QCheckBox;
class QComboBox;
class QCustomPlot;
class QLabel;
class QLineEdit;
class QPushButton;
class QToolButton;
class QTreeWidget;

namespace wyc::app {

class CurvePlot;
class SeamView;
class Viewport;

class LoopDesk : public Desk {
    Q_OBJECT
  public:
    LoopDesk(Workspace& workspace, Viewport& viewport, QWidget* parent = nullptr);
    /// The cycle that is chosen; nothing while there is none.
    [[nodiscard]] const std::optional<LoopCandidate>& chosen() const { return chosen_; }
    [[nodiscard]] const std::vector<LoopCandidate>& candidates() const { return candidates_; }
    /// A look at the motion or at the seam is under way.
    [[nodiscard]] bool looking() const { return looking_ > 0 || judge_.isActive(); }
    /// All pairs of frames were looked at with all points.
    [[nodiscard]] bool exact() const { return map_ && map_->ofAllPoints(); }

  public slots:
    void closeLoop();
    void noteCycleEnded() { plays_ = false; }

  signals:
    /// The chosen cycle is to be looked at, as it would be closed; it may come again, closed otherwise.
    void cycleAsked(const wyc::app::CyclePreview& cycle);
    void cycleLeft();

  protected:
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;

  private:
    QLayout* makeSearch(QWidget* content);
    QLayout* makeClosing(QWidget* content);
    QLayout* makeChecks(QWidget* content);
    QLayout* makePlots(QWidget* content);
    void connectSearch();
    void connectClosing();
    /// What is searched: the items as they are before a loop step that they may have already.
    struct Subject {
        struct Part {
            ItemKey key;
            SourcePtr source;
            std::vector<Step> steps; // before the loop
            bool operator==(const Part&) const = default;
        };
        std::vector<Part> parts;
        bool inPlace = false;
        std::vector<std::shared_ptr<const Scene>> scenes;
        std::vector<MovingItem> items;
    };
    void study();
    void look(std::size_t sketchPoints);
    void search();
    void takeCandidates(const Result<std::vector<LoopCandidate>>& found);
    void choose(double start, double length);
    void showClosing();
    void showAct();
    void showDrawn();
    void pinOrUnpin();
    void showPinned();
    [[nodiscard]] std::optional<std::size_t> pinnedAt() const;
    bool takeCount(QLineEdit* field, double least);
    void judge();
    void playChosen();
    void showFigures();
    void takeBounds();
    [[nodiscard]] LoopClosing closing() const;
    [[nodiscard]] std::optional<Step> step() const;
    void say(const QString& words);

    Workspace& workspace_;
    Viewport& viewport_;
    QLabel* title_;
    QLabel* note_;
    SeamView* seam_;
    QTreeWidget* list_;
    QLineEdit* starts_;
    QLineEdit* lengths_;
    std::vector<QToolButton*> ways_;
    QLineEdit* fade_;
    QComboBox* weight_;
    QLineEdit* weights_; // keys of a drawn weight
    QCheckBox* keepShape_;
    QCheckBox* copy_;
    QLineEdit* cycles_;
    QComboBox* travel_;
    QToolButton* pin_;
    QToolButton* compare_;
    PinnedLoops* pins_;
    QTimer pinsTimer_; // the table is made anew, and buttons with it: not while one is speaking
    std::vector<PinnedLoop> pinned_;
    CurvePlot* drawn_; // the same as a curve
    QCustomPlot* plot_;
    QLabel* figures_;
    QLabel* counts_;
    QPushButton* add_;

    std::shared_ptr<const Subject> subject_;
    std::shared_ptr<const SeamMap> map_;
    std::vector<LoopCandidate> candidates_;
    std::optional<LoopCandidate> chosen_;
    LoopBounds bounds_;
    std::string way_ = "overlap";
    bool byHand_ = false; // way or fade: kept from one candidate to the next
    struct Judged {
        ClosedLoop closed;
        std::vector<double> before; // speeds across the seam as it came, then closed; metres a second
        std::vector<double> after;
        std::vector<SeenItem> made; // one cycle of each part
    };
    std::optional<Judged> judged_;
    bool plays_ = false; // the chosen cycle is being looked at
    std::optional<Step> judgedFor_;
    std::optional<Error> refused_;
    QTimer judge_;
    int generation_ = 0;
    int looking_ = 0;
    bool stale_ = true;
};

} // namespace wyc::app
