// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Playback: real time at the shot's rate (drops drawing, not time, and says so) or every frame; loop; held
// pose; view.
#include <QElapsedTimer>
#include <QTimer>
#include <QWidget>

#include "view/viewport.h"

class QHBoxLayout;
class QLabel;
class QLineEdit;
class QToolButton;

namespace wyc::app {

class Transport : public QWidget {
    Q_OBJECT
  public:
    Transport(Workspace& workspace, Viewport& viewport, QWidget* parent = nullptr);
    [[nodiscard]] bool playing() const { return timer_.isActive(); }

  public slots:
    void togglePlay();
    void stepBy(int frames);
    void toStart();
    void toEnd();
    void toggleHold();

  protected:
    void resizeEvent(QResizeEvent* event) override;

  private:
    void makeToggles(QHBoxLayout* layout);
    void connectAll();
    void start();
    void stop();
    void tick();
    void showFrame();
    void fillEyes();
    void showEye();
    void showRate();
    void showSeam();
    [[nodiscard]] std::vector<double> seamFrames() const;
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
    QLabel* word_;
    QLabel* seconds_;
    QToolButton* eye_ = nullptr;
    QToolButton* mode_;
    QToolButton* loop_;
    QToolButton* hold_;
    QToolButton* seam_; // only the frames around the active item's seam
    bool everyFrame_ = false;
};

} // namespace wyc::app
