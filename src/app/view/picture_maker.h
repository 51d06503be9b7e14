// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Draws frames on a thread of its own, with a graphics context of its own: however long a picture takes, the window
// never waits for it. Only the newest order counts. Where a driver serves one thread alone, the window's draws.
#include <memory>
#include <vector>

#include <QImage>
#include <QMatrix4x4>
#include <QObject>
#include <QVector3D>

#include "view/frame_loader.h"
#include "view/newest.h"

class QOffscreenSurface;
class QThread;

namespace wyc::app {

/// A part of the picture with what is drawn in it: all, A of a comparison, or all but A.
struct Pane {
    enum class Shows { All, A, Rest };
    QRectF box;
    QMatrix4x4 matrix;
    Shows shows = Shows::All;
};

/// What a picture is made of.
struct PictureOrder {
    int number = 0;
    std::shared_ptr<const DrawFrame> frame; // never null
    QSize size;                             // in the window's units
    double ratio = 1.0;                     // of the screen's pixels to those
    std::vector<Pane> panes;
    QVector3D eye;    // metres
    QVector3D target; // that it looks at
    double distance = 1.0;
    double metresPerPixel = 1.0;
    bool moving = false; // another follows at once: it may be coarser, where that is quicker
};

struct ViewPicture {
    PictureOrder of;
    QImage image;
    bool draft = false; // coarser than at rest
    QString error;      // why there is no image
};

class PictureMaker : public QObject {
    Q_OBJECT
  public:
    enum class Where { Beside, Here }; // a thread of its own, or the window's
    /// Beside the window, where the graphics driver can do that.
    explicit PictureMaker(QObject* parent = nullptr);
    explicit PictureMaker(Where where, QObject* parent = nullptr);
    ~PictureMaker() override;
    /// Replaces an order that has not begun.
    void order(PictureOrder order);

  signals:
    void made(const std::shared_ptr<const wyc::app::ViewPicture>& picture);

  private:
    class Drawing;
    std::unique_ptr<QOffscreenSurface> surface_; // made and taken down by the window's thread
    Newest<PictureOrder> next_;
    std::unique_ptr<QThread> thread_;
    std::unique_ptr<Drawing> here_;
};

} // namespace wyc::app
Q_DECLARE_METATYPE(std::shared_ptr<const wyc::app::ViewPicture>)
