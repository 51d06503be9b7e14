// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// The viewport: items at the present frame on a metre grid, with a scale bar and a 1.8 m staff.
#include <map>
#include <memory>

#include <QElapsedTimer>
#include <QMatrix4x4>
#include <QTimer>
#include <QWidget>

#include "view/asked_point.h"
#include "view/frame_loader.h"
#include "view/picture_maker.h"

namespace wyc::app {

enum class ViewScope { Item, Source, All };

class Viewport : public QWidget {
    Q_OBJECT
  public:
    explicit Viewport(Workspace& workspace, QWidget* parent = nullptr);

    void setStyle(ViewStyle style);
    [[nodiscard]] ViewStyle style() const { return style_; }
    void setScope(ViewScope scope);
    [[nodiscard]] ViewScope scope() const { return scope_; }
    /// Holds the active item's pose of a frame as a translucent second body; nothing = none.
    void setHeldFrame(std::optional<double> frame);
    [[nodiscard]] std::optional<double> heldFrame() const { return heldFrame_; }
    /// Shows poses of the active item so many frames apart, two before and two after the one that is shown; 0: none.
    void setSkinStep(double frames);
    [[nodiscard]] double skinStep() const { return skinStep_; }
    /// An item as it would be, and as it is now.
    struct Preview {
        SeenItem made;
        SeenItem came;
    };
    /// Shows items as they would be, with words that say so; none: as they are.
    void setPreview(std::map<ItemKey, Preview> preview, const QString& words);
    /// Shows all items as their sources have them, what is previewed as it is now.
    void setAsItCame(bool on);
    [[nodiscard]] bool asItCame() const { return asItCame_; }
    /// Shows how far an item is from another, while it is the active one; nothing = no comparison.
    void setComparison(std::optional<ViewComparison> comparison);
    [[nodiscard]] const std::optional<ViewComparison>& comparison() const { return comparison_; }
    /// Looks through a camera item, with its film gate and safe borders; nothing = with a free eye.
    void setCamera(std::optional<ItemKey> camera);
    [[nodiscard]] const std::optional<ItemKey>& camera() const { return camera_; }
    /// Lays the active item against another without drawing it: points that are asked know their own in A.
    void setPair(std::optional<ViewComparison> pair);
    [[nodiscard]] const std::optional<ViewComparison>& pair() const { return pair_; }
    /// Where the film gate of the camera looked through lies in the widget; empty with a free eye.
    [[nodiscard]] QRectF gateRect() const;
    /// Asks a point of the active item by its number, as it is shown: its way, what is beside it, its partner in a
    /// comparison; nothing: none.
    void askPoint(std::optional<std::uint32_t> number);
    [[nodiscard]] std::optional<std::uint32_t> askedPoint() const { return asked_; }
    /// The largest number a point of the active item has, as it is drawn.
    [[nodiscard]] std::uint32_t lastPoint() const;
    /// What came of it; null until it is known. While frames go by it stays that of the frame it was asked at.
    [[nodiscard]] std::shared_ptr<const PointWay> way() const { return way_; }
    /// What the view says of it.
    [[nodiscard]] QStringList askedWords() const;
    void frameActive();
    void frameAll();
    /// The frame that is drawn now (loading may be behind the workspace's frame).
    [[nodiscard]] double drawnFrame() const { return drawn_ ? drawn_->frame : 0.0; }
    /// Size in metres of the active item as drawn; 0 without one.
    [[nodiscard]] double activeSizeMetres() const;
    [[nodiscard]] double distance() const { return distance_; }
    /// Where the picture is seen from, in metres.
    [[nodiscard]] QVector3D shownEye() const;
    /// How many frames were put on the screen; the same frame once more does not count.
    [[nodiscard]] int paintedFrames() const { return paintedFrames_; }
    /// What is on the screen is as fine as it gets.
    [[nodiscard]] bool settled() const { return !loading() && !rest_.isActive(); }
    /// The newest frame, or its picture, is still to come.
    [[nodiscard]] bool loading() const { return waiting_ || (shown_ ? shown_->of.number : 0) != orderNumber_; }

    /// Where the line between A and B stands, as a share of the width; only where they are parted by one.
    [[nodiscard]] std::optional<double> partAt() const;
    /// What the view says of the active item: that its pose is held, or why it is not seen.
    [[nodiscard]] QStringList stateWords() const;
    /// What it says of the two bodies of a comparison.
    [[nodiscard]] QStringList comparisonWords() const;
    /// What is drawn of a comparison; nothing without one.
    [[nodiscard]] const DrawComparison* comparedDrawn() const {
        return drawn_ && drawn_->compared ? &*drawn_->compared : nullptr;
    }

  signals:
    void cameraChanged();

  protected:
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;

  private:
    [[nodiscard]] std::vector<Pane> panes() const;
    [[nodiscard]] double paneWidth() const;
    [[nodiscard]] Arrangement arrangement() const;
    void requestFrame();
    [[nodiscard]] SeenItem shownOf(const ItemView& item) const;
    void takeFrame(const std::shared_ptr<const DrawFrame>& frame);
    void redraw();
    void takePicture(const std::shared_ptr<const ViewPicture>& picture);
    void drawOverlay(QPainter& painter, const std::vector<Pane>& panes);
    void drawComparison(QPainter& painter, const std::vector<Pane>& panes);
    void drawAsked(QPainter& painter, const std::vector<Pane>& panes);
    void drawAskedCard(QPainter& painter, const QColor& own);
    void askAnew();
    void sendQuestion();
    void askUnder(const QPointF& at);
    [[nodiscard]] std::optional<std::uint32_t> partnerOf(std::uint32_t number) const;
    [[nodiscard]] std::optional<std::uint32_t> ownOf(std::uint32_t partner) const; // a point of B, by A's
    [[nodiscard]] std::optional<Vec3f> placeOf(std::uint32_t number) const;
    [[nodiscard]] std::vector<std::uint32_t> besides(std::uint32_t number) const;
    void nameBodies(QPainter& painter, const std::vector<Pane>& panes);
    void drawStaff(QPainter& painter, const QMatrix4x4& matrix);
    void drawScaleBar(QPainter& painter);
    void drawBrackets(QPainter& painter, const QMatrix4x4& matrix);
    void drawLegend(QPainter& painter, const QString& what, const QString& most);
    void drawGate(QPainter& painter, const QRectF& gate, const QRectF& pane);
    [[nodiscard]] QMatrix4x4 cameraProjection() const;
    void frameBounds(const Bounds& bounds);
    [[nodiscard]] QMatrix4x4 viewProjection() const;
    [[nodiscard]] QVector3D eye() const;
    void leaveCamera();
    [[nodiscard]] std::optional<QPointF> project(const QMatrix4x4& matrix, const QVector3D& point) const;
    [[nodiscard]] const DrawItem* activeDrawn() const;
    [[nodiscard]] double metresPerPixel() const;

    Workspace& workspace_;
    FrameLoader loader_;
    std::shared_ptr<const DrawFrame> drawn_;
    PictureMaker maker_;
    std::shared_ptr<const ViewPicture> shown_;
    int orderNumber_ = 0;
    QElapsedTimer lastOrder_;
    QTimer rest_;
    std::weak_ptr<const DrawFrame> paintedFrame_; // that was on the screen last
    int paintedFrames_ = 0;
    ViewStyle style_ = ViewStyle::ClayWires;
    ViewScope scope_ = ViewScope::Source;
    std::optional<double> heldFrame_;
    double skinStep_ = 0.0;
    std::map<ItemKey, Preview> preview_;
    QString previewWords_;
    bool asItCame_ = false;
    mutable std::map<ItemKey, SeenItem> came_; // without their steps, while that is shown
    std::optional<ViewComparison> comparison_;
    std::optional<ViewComparison> pair_;
    std::optional<ItemKey> camera_;
    PointAsker asker_;
    std::optional<std::uint32_t> asked_; // as its item is shown
    ItemKey askedOf_;
    PointQuestion question_; // the newest
    QTimer askTimer_;        // once frames come no more
    std::shared_ptr<const PointWay> way_;
    int requestNumber_ = 0;
    bool waiting_ = false;
    ItemKey framedFor_;
    double framedSize_ = 0.0;
    Vec3d framedCentre_;
    std::weak_ptr<const Scene> framedScene_; // of the active item, when it was framed
    bool framed_ = false;                    // since then neither moved nor zoomed by hand
    QVector3D target_{0, 1, 0};
    double distance_ = 6.0;
    double fieldOfView_ = 26.0; // degrees, up and down
    double yaw_ = 0.65;
    double pitch_ = 0.28;
    QPoint lastMouse_;
    std::optional<QPointF> pressedAt_; // until it is dragged
    double partAt_ = 0.5;
    bool parting_ = false;      // the line is dragged
    bool arrangedAnew_ = false; // other bodies are shown than before: they are framed once
};

} // namespace wyc::app
