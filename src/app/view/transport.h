// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Playback: real time at the shot's rate (drops drawing, not time, and says so) or every frame; loop; held
// pose; view.
#include <map>
#include <optional>

#include <QElapsedTimer>
#include <QTimer>
#include <QWidget>

#include "view/viewport.h"

class QHBoxLayout;
class QLineEdit;
class QMenu;
class QToolButton;

namespace wyc::app {

/// A cycle of items, to be looked at around its seam: as it would be closed, and only cut out of what there is.
struct CyclePreview {
    FrameRate rate; // of its frames
    double start = 0.0;
    double closedCount = 0.0; // frames of it once, without a closing copy
    double cutCount = 0.0;
    std::map<ItemKey, Viewport::Preview> items;
};

class Transport : public QWidget {
    Q_OBJECT
  public:
    Transport(Workspace& workspace, Viewport& viewport, QWidget* parent = nullptr);
    [[nodiscard]] bool playing() const { return timer_.isActive(); }

    /// Plays a cycle with its seam in the middle, again and again, until something else is asked for. One that is
    /// played already is changed under the eye.
    void playCycle(CyclePreview cycle);
    void endCycle();
    [[nodiscard]] bool playsCycle() const { return cycle_.has_value(); }
    /// Shows what there is instead of what would be, as long as it is held.
    void holdAsItCame(bool on);
    /// The ways to read moments, as a menu.
    [[nodiscard]] QMenu* readings();

  public slots:
    void togglePlay();
    void stepBy(int frames);
    void toStart();
    void toEnd();
    void toggleHold();

  signals:
    void cycleEnded();

  protected:
    void resizeEvent(QResizeEvent* event) override;

  private:
    void makeToggles(QHBoxLayout* layout);
    void connectAll();
    void start();
    void stop();
    void stopTimer();
    void tick();
    void showFrame();
    void showReading();
    void fillEyes();
    void showEye();
    void showRate();
    void showSeam();
    /// Frames of the board that are played around a seam, and how many of them a second.
    struct Around {
        std::vector<double> frames;
        double rate = 24.0;
    };
    [[nodiscard]] std::optional<Around> around() const;
    Workspace& workspace_;
    Viewport& viewport_;
    QTimer timer_;
    QElapsedTimer clock_;
    double startFrame_ = 0.0;
    int drawnBefore_ = 0; // frames that the view had drawn when counting began
    int asked_ = 0;
    QElapsedTimer measured_;
    QToolButton* play_;
    QLineEdit* frame_;
    QToolButton* reading_; // the same moment otherwise; how moments are read
    std::optional<CyclePreview> cycle_;
    QToolButton* eye_ = nullptr;
    QToolButton* mode_;
    QToolButton* loop_;
    QToolButton* hold_;
    QToolButton* seam_; // only the frames around the active item's seam
    bool everyFrame_ = false;
};

} // namespace wyc::app
