// SPDX-License-Identifier: GPL-3.0-or-later
#include "view/viewport.h"

#include <algorithm>
#include <cmath>

#include <QMouseEvent>
#include <QPainter>
#include <QWheelEvent>

#include "theme/theme.h"
#include "view/viewport_parts.h"

namespace wyc::app {
namespace {

constexpr float kFieldOfViewDegrees = 26.0F;

} // namespace

Viewport::Viewport(Workspace& workspace, QWidget* parent) : QWidget(parent), workspace_(workspace) {
    setObjectName(QStringLiteral("viewport"));
    setMinimumSize(360, 220);
    setFocusPolicy(Qt::ClickFocus);
    setMouseTracking(true);
    setAttribute(Qt::WA_OpaquePaintEvent);
    connect(&maker_, &PictureMaker::made, this, &Viewport::takePicture);
    rest_.setSingleShot(true);
    rest_.setInterval(300);
    connect(&rest_, &QTimer::timeout, this, &Viewport::redraw);
    askTimer_.setSingleShot(true);
    askTimer_.setInterval(120);
    connect(&askTimer_, &QTimer::timeout, this, &Viewport::sendQuestion);
    connect(&asker_, &PointAsker::answered, this, [this](const std::shared_ptr<const PointWay>& way) {
        if (!asked_ || way->question != question_.number)
            return;
        way_ = way;
        update();
    });
    connect(&loader_, &FrameLoader::loaded, this, &Viewport::takeFrame);
    connect(&workspace_, &Workspace::frameChanged, this, &Viewport::requestFrame);
    connect(&workspace_, &Workspace::itemsChanged, this, [this] {
        came_.clear();
        requestFrame();
    });
    connect(&workspace_, &Workspace::measuresChanged, this, [this] {
        if (style_ == ViewStyle::SpeedHeat)
            requestFrame();
    });
    connect(&workspace_, &Workspace::activeChanged, this, &Viewport::requestFrame);
    connect(&workspace_, &Workspace::ghostChanged, this, &Viewport::requestFrame);
    connect(&workspace_, &Workspace::jobChanged, this, &Viewport::requestFrame);
}

void Viewport::setStyle(ViewStyle style) {
    style_ = style;
    requestFrame();
}

void Viewport::setScope(ViewScope scope) {
    scope_ = scope;
    requestFrame();
}

void Viewport::setHeldFrame(std::optional<double> frame) {
    heldFrame_ = frame;
    requestFrame();
}

void Viewport::setSkinStep(double frames) {
    skinStep_ = frames;
    requestFrame();
}

void Viewport::setPreview(std::map<ItemKey, Preview> preview, const QString& words) {
    if (preview.empty() && preview_.empty())
        return;
    preview_ = std::move(preview);
    previewWords_ = words;
    requestFrame();
}

void Viewport::setAsItCame(bool on) {
    if (on == asItCame_)
        return;
    asItCame_ = on;
    came_.clear();
    requestFrame();
}

// The item under its steps, or as it is to be seen instead.
SeenItem Viewport::shownOf(const ItemView& item) const {
    if (const auto found = preview_.find(item.key); found != preview_.end())
        return asItCame_ ? found->second.came : found->second.made;
    if (!asItCame_ || item.steps.empty())
        return {item.scene, item.node};
    auto found = came_.find(item.key);
    if (found == came_.end()) {
        const auto came = seenBefore(item, 0);
        found = came_.emplace(item.key, came ? *came : SeenItem{item.scene, item.node}).first;
    }
    return found->second;
}

void Viewport::setComparison(std::optional<ViewComparison> comparison) {
    if (!comparison && !comparison_)
        return;
    const auto shows = [](const std::optional<ViewComparison>& c) {
        return c ? std::tuple(c->b, c->arrangement, c->undone != nullptr)
                 : std::tuple(ItemKey(), Arrangement::BAlone, false);
    };
    arrangedAnew_ = arrangedAnew_ || shows(comparison_) != shows(comparison);
    comparison_ = std::move(comparison);
    requestFrame();
}

const DrawItem* Viewport::activeDrawn() const {
    if (!drawn_)
        return nullptr;
    const auto found =
        std::find_if(drawn_->items.begin(), drawn_->items.end(), [](const DrawItem& i) { return i.active; });
    return found == drawn_->items.end() ? nullptr : &*found;
}

double Viewport::activeSizeMetres() const {
    const DrawItem* item = activeDrawn();
    return item ? item->bounds.diagonal() : 0.0;
}

void Viewport::requestFrame() {
    DrawRequest request;
    const auto metresOf = [this](const Scene& scene) {
        return scene.unitMetres.value_or(workspace_.job().shot.unitMetres.value_or(1.0));
    };
    request.number = ++requestNumber_;
    request.frame = workspace_.frame();
    request.rate = workspace_.rate();
    request.style = style_;
    request.heldFrame = heldFrame_;
    request.skinStep = skinStep_;
    request.comparison = comparison_;
    for (const ItemView& item : workspace_.items()) {
        const bool active = item.key == workspace_.active();
        const bool shown =
            active || (camera_ && !item.leftOut && item.key.source == camera_->source) ||
            (!item.leftOut && (scope_ == ViewScope::All ||
                               (scope_ == ViewScope::Source && item.key.source == workspace_.active().source)));
        if (item.scene && shown && (!item.error || active))
            if (const SeenItem seen = shownOf(item); seen.scene)
                request.items.push_back({item.key, seen.scene, seen.node, metresOf(*seen.scene), active,
                                         seen.scene == item.scene ? item.profile : nullptr});
    }
    if (const ItemView* ghost = workspace_.ghost(); ghost && !asItCame_)
        request.ghost =
            DrawRequest::Item{ghost->key, ghost->scene, ghost->node, metresOf(*ghost->scene), false, nullptr};
    if (camera_) {
        if (const ItemView* camera = workspace_.item(*camera_); camera && camera->scene)
            request.camera = DrawRequest::Item{camera->key, camera->scene, camera->node, workspace_.unitMetres(*camera),
                                               false,       nullptr};
        else
            camera_.reset();
    }
    waiting_ = true;
    loader_.request(std::move(request));
}

void Viewport::takeFrame(const std::shared_ptr<const DrawFrame>& frame) {
    drawn_ = frame;
    waiting_ = frame->request != requestNumber_;
    if (!waiting_)
        askAnew();
    // Another item, or the same at another size: the eye goes there. A frame step never moves it.
    const double size = activeSizeMetres();
    const ItemView* active = workspace_.activeItem();
    const DrawItem* shown = activeDrawn();
    if (size > 0.0 && (framedFor_ != workspace_.active() || size > framedSize_ * 4.0 || size < framedSize_ / 4.0)) {
        const bool sameSource = framedFor_.source == workspace_.active().source && framedSize_ > 0.0 &&
                                scope_ != ViewScope::Item && framedFor_ != workspace_.active();
        framedFor_ = workspace_.active();
        if (!sameSource) {
            framedSize_ = size;
            frameActive();
        }
    } else if (size > 0.0 && framed_ && !waiting_ && active && framedScene_.lock() != active->scene) {
        // A step gave it another size or place, and it was framed: it stays so.
        const Vec3d way = shown->bounds.centre() - framedCentre_;
        if (size > framedSize_ * 1.2 || size < framedSize_ / 1.2 || length(way) > 0.25 * size)
            frameActive();
        framedScene_ = active->scene;
    }
    if (arrangedAnew_ && !waiting_) {
        arrangedAnew_ = false;
        if (framed_)
            frameActive();
    }
    redraw();
}

void Viewport::setCamera(std::optional<ItemKey> camera) {
    if (camera_ == camera)
        return;
    camera_ = std::move(camera);
    requestFrame();
    emit cameraChanged();
}

// The free eye begins where the camera stands, with its view.
void Viewport::leaveCamera() {
    if (!camera_)
        return;
    if (drawn_ && drawn_->camera) {
        const auto& m = drawn_->camera->world.m; // rows: its axes and place; it looks along its −Z
        const QVector3D place = toQt({m[12], m[13], m[14]});
        const QVector3D away = toQt({m[8], m[9], m[10]}).normalized();
        pitch_ = std::clamp(std::asin(std::clamp(static_cast<double>(away.y()), -1.0, 1.0)), -1.5, 1.5);
        yaw_ = std::atan2(static_cast<double>(away.x()), static_cast<double>(away.z()));
        const double scale = std::abs(drawn_->camera->view.pictureMatrix()[4]) * gateRect().height() / height();
        fieldOfView_ = std::clamp(360.0 / M_PI * std::atan(1.0 / std::max(1e-3, scale)), 1.0, 150.0);
        // It turns about what it looks at: what is active, as far away as that is.
        if (const DrawItem* item = activeDrawn(); item && !item->bounds.isEmpty())
            if (const double far = QVector3D::dotProduct(place - toQt(item->bounds.centre()), away); far > 1e-3)
                distance_ = far;
        target_ = place - away * static_cast<float>(distance_);
        framed_ = false;
    }
    setCamera(std::nullopt);
}

QRectF Viewport::gateRect() const {
    if (!camera_ || !drawn_ || !drawn_->camera)
        return {};
    const double aspect = std::clamp(drawn_->camera->view.aspect(), 0.05, 20.0);
    const QRectF room = QRectF(0, 0, paneWidth(), height()).adjusted(34, 34, -34, -34);
    const double w = std::min(room.width(), room.height() * aspect);
    return QRectF(room.center().x() - w / 2, room.center().y() - w / aspect / 2, w, w / aspect);
}

void Viewport::frameActive() {
    if (!drawn_)
        return;
    Bounds bounds;
    for (const DrawItem& item : drawn_->items)
        if (item.active || item.role == DrawRole::Other || (scope_ == ViewScope::Source && !drawn_->compared))
            bounds.add(item.bounds);
    framedSize_ = activeSizeMetres();
    frameBounds(bounds);
    if (const DrawItem* item = activeDrawn())
        framedCentre_ = item->bounds.centre();
    if (const ItemView* active = workspace_.activeItem())
        framedScene_ = active->scene;
    framed_ = true;
}

void Viewport::frameAll() {
    if (!drawn_)
        return;
    Bounds bounds;
    for (const DrawItem& item : drawn_->items)
        bounds.add(item.bounds);
    frameBounds(bounds);
}

void Viewport::frameBounds(const Bounds& bounds) {
    if (bounds.isEmpty())
        return;
    target_ = toQt(bounds.centre());
    fieldOfView_ = kFieldOfViewDegrees;
    const double half = std::max(1e-4, bounds.diagonal() * 0.5);
    const double narrow = std::min(1.0, paneWidth() / std::max(1, height()));
    distance_ = half / std::sin(kFieldOfViewDegrees * M_PI / 360.0) / narrow * 1.02;
    redraw();
}

Arrangement Viewport::arrangement() const {
    const DrawComparison* compared = comparedDrawn();
    return compared ? compared->arrangement : Arrangement::BAlone;
}

double Viewport::paneWidth() const {
    return arrangement() == Arrangement::Beside ? width() / 2.0 : width();
}

std::optional<double> Viewport::partAt() const {
    return arrangement() == Arrangement::Parted ? std::optional(partAt_) : std::nullopt;
}

std::vector<Pane> Viewport::panes() const {
    const QMatrix4x4 matrix = viewProjection();
    const QRectF all(rect());
    if (const auto part = partAt()) {
        const double x = std::round(*part * width());
        return {{QRectF(0, 0, x, height()), matrix, Pane::Shows::A},
                {QRectF(x, 0, width() - x, height()), matrix, Pane::Shows::Rest}};
    }
    if (arrangement() != Arrangement::Beside)
        return {{all, matrix, Pane::Shows::All}};
    std::vector<Pane> both;
    for (const bool right : {false, true}) {
        QMatrix4x4 shift; // the same picture, its middle in the middle of a half
        shift.translate(right ? 0.5F : -0.5F, 0.0F);
        const double half = std::floor(width() / 2.0);
        both.push_back({right ? QRectF(half, 0, width() - half, height()) : QRectF(0, 0, half, height()),
                        shift * matrix, right ? Pane::Shows::Rest : Pane::Shows::A});
    }
    return both;
}

QVector3D Viewport::shownEye() const {
    if (camera_ && drawn_ && drawn_->camera) {
        const auto& m = drawn_->camera->world.m;
        return toQt({m[12], m[13], m[14]});
    }
    return eye();
}

QVector3D Viewport::eye() const {
    const QVector3D away(static_cast<float>(std::cos(pitch_) * std::sin(yaw_)), static_cast<float>(std::sin(pitch_)),
                         static_cast<float>(std::cos(pitch_) * std::cos(yaw_)));
    return target_ + away * static_cast<float>(distance_);
}

QMatrix4x4 Viewport::viewProjection() const {
    if (camera_ && drawn_ && drawn_->camera)
        return cameraProjection();
    QMatrix4x4 matrix;
    const auto d = static_cast<float>(distance_);
    matrix.perspective(static_cast<float>(fieldOfView_),
                       static_cast<float>(width()) / static_cast<float>(std::max(1, height())), d * 0.01F, d * 60.0F);
    matrix.lookAt(eye(), target_, QVector3D(0, 1, 0));
    return matrix;
}

// The camera's own picture, laid into its gate on the widget.
QMatrix4x4 Viewport::cameraProjection() const {
    const auto m = drawn_->camera->view.pictureMatrix();
    const QRectF gate = gateRect();
    const double sx = gate.width() / width();
    const double sy = gate.height() / height();
    QMatrix4x4 picture; // columns here, rows there
    picture(3, 3) = 0.0F;
    for (std::size_t c = 0; c < 3; ++c) {
        const int column = static_cast<int>(c);
        picture(0, column) = static_cast<float>(sx * m[c * 3]);
        picture(1, column) = static_cast<float>(sy * m[c * 3 + 1]);
        picture(3, column) = static_cast<float>(m[c * 3 + 2]);
    }
    constexpr float kNear = 0.02F;
    constexpr float kFar = 5000.0F;
    picture(2, 0) = picture(2, 1) = 0.0F;
    picture(2, 2) = -(kFar + kNear) / (kFar - kNear);
    picture(2, 3) = -2.0F * kFar * kNear / (kFar - kNear);
    QMatrix4x4 world;
    for (int r = 0; r < 4; ++r)
        for (int c = 0; c < 4; ++c)
            world(c, r) =
                static_cast<float>(drawn_->camera->world.at(static_cast<std::size_t>(r), static_cast<std::size_t>(c)));
    return picture * world.inverted();
}

std::optional<QPointF> Viewport::project(const QMatrix4x4& matrix, const QVector3D& point) const {
    const QVector4D clip = matrix * QVector4D(point, 1.0F);
    if (clip.w() <= 1e-6F)
        return std::nullopt;
    return QPointF((clip.x() / clip.w() * 0.5 + 0.5) * width(), (0.5 - clip.y() / clip.w() * 0.5) * height());
}

double Viewport::metresPerPixel() const {
    return 2.0 * distance_ * std::tan(fieldOfView_ * M_PI / 360.0) / std::max(1, height());
}

// The picture of what was loaded, as it is looked at now; it comes when it is drawn.
void Viewport::redraw() {
    if (!drawn_ || width() < 1 || height() < 1)
        return;
    PictureOrder order;
    order.number = ++orderNumber_;
    order.frame = drawn_;
    order.size = size();
    order.ratio = devicePixelRatioF();
    order.panes = panes();
    order.eye = shownEye();
    order.target = target_;
    order.distance = distance_;
    order.metresPerPixel = metresPerPixel();
    constexpr int kAtOnce = 250; // milliseconds
    order.moving = lastOrder_.isValid() && lastOrder_.elapsed() < kAtOnce;
    lastOrder_.start();
    maker_.order(std::move(order));
}

void Viewport::takePicture(const std::shared_ptr<const ViewPicture>& picture) {
    shown_ = picture;
    if (picture->draft)
        rest_.start(); // a finer one, once nothing moves
    update();
}

void Viewport::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.fillRect(rect(), QColor(14, 22, 25));
    if (shown_ && !shown_->image.isNull()) {
        if (paintedFrame_.lock() != shown_->of.frame) {
            paintedFrame_ = shown_->of.frame;
            ++paintedFrames_;
        }
        if (shown_->of.size == size())
            painter.drawImage(QPointF(0, 0), shown_->image);
        else
            painter.drawImage(QRectF(rect()), shown_->image); // until one of this size comes
    }
    painter.setRenderHint(QPainter::Antialiasing);
    drawOverlay(painter, shown_ ? shown_->of.panes : panes());
}

void Viewport::resizeEvent(QResizeEvent*) {
    redraw();
}

void Viewport::mousePressEvent(QMouseEvent* event) {
    lastMouse_ = event->position().toPoint();
    pressedAt_ = event->button() == Qt::LeftButton ? std::optional(event->position()) : std::nullopt;
    const auto part = partAt();
    parting_ = part && event->button() == Qt::LeftButton && std::abs(event->position().x() - *part * width()) < 9.0;
}

void Viewport::mouseReleaseEvent(QMouseEvent*) {
    if (pressedAt_ && !parting_)
        askUnder(*pressedAt_);
    pressedAt_.reset();
    parting_ = false;
}

void Viewport::mouseMoveEvent(QMouseEvent* event) {
    const QPoint now = event->position().toPoint();
    if (pressedAt_ && (now - pressedAt_->toPoint()).manhattanLength() < 4)
        return; // a click, as far as one knows
    pressedAt_.reset();
    const QPoint moved = now - lastMouse_;
    lastMouse_ = now;
    const auto part = partAt();
    const bool atLine = part && (parting_ || std::abs(now.x() - *part * width()) < 9.0);
    setCursor(atLine ? Qt::SplitHCursor : Qt::ArrowCursor);
    if (event->buttons() == Qt::NoButton)
        return;
    if (parting_) {
        partAt_ = std::clamp(static_cast<double>(now.x()) / std::max(1, width()), 0.02, 0.98);
        redraw();
        return;
    }
    leaveCamera(); // who turns the view looks with a free eye again
    if (event->buttons() & Qt::LeftButton) {
        yaw_ -= moved.x() * 0.008;
        pitch_ = std::clamp(pitch_ + moved.y() * 0.008, -1.5, 1.5);
    } else if (event->buttons() & (Qt::RightButton | Qt::MiddleButton)) {
        const QVector3D forward = (target_ - eye()).normalized();
        const QVector3D right = QVector3D::crossProduct(forward, QVector3D(0, 1, 0)).normalized();
        const QVector3D up = QVector3D::crossProduct(right, forward);
        framed_ = false;
        const auto scale = static_cast<float>(metresPerPixel());
        target_ += (right * static_cast<float>(-moved.x()) + up * static_cast<float>(moved.y())) * scale;
    }
    redraw();
}

void Viewport::mouseDoubleClickEvent(QMouseEvent*) {
    frameActive();
}

void Viewport::wheelEvent(QWheelEvent* event) {
    leaveCamera();
    framed_ = false;
    distance_ = std::clamp(distance_ * std::pow(0.88, event->angleDelta().y() / 120.0), 1e-4, 1e7);
    redraw();
    event->accept();
}

} // namespace wyc::app
