// SPDX-License-Identifier: GPL-3.0-or-later
#include "view/viewport.h"

#include <algorithm>
#include <cmath>

#include <QMouseEvent>
#include <QWheelEvent>

#include "theme/theme.h"
#include "view/viewport_parts.h"
#include "view/viewport_shaders.h"

namespace wyc::app {
namespace {

constexpr float kFieldOfViewDegrees = 26.0F;

} // namespace

Viewport::Viewport(Workspace& workspace, QWidget* parent) : QOpenGLWidget(parent), workspace_(workspace) {
    setObjectName(QStringLiteral("viewport"));
    setMinimumSize(360, 220);
    setFocusPolicy(Qt::ClickFocus);
    setMouseTracking(true);
    QSurfaceFormat format;
    format.setVersion(3, 3);
    format.setProfile(QSurfaceFormat::CoreProfile);
    format.setDepthBufferSize(24);
    format.setSamples(4);
    setFormat(format);
    connect(&loader_, &FrameLoader::loaded, this, &Viewport::takeFrame);
    connect(&workspace_, &Workspace::frameChanged, this, &Viewport::requestFrame);
    connect(&workspace_, &Workspace::itemsChanged, this, &Viewport::requestFrame);
    connect(&workspace_, &Workspace::measuresChanged, this, [this] {
        if (style_ == ViewStyle::SpeedHeat)
            requestFrame();
    });
    connect(&workspace_, &Workspace::activeChanged, this, &Viewport::requestFrame);
    connect(&workspace_, &Workspace::jobChanged, this, &Viewport::requestFrame);
}

Viewport::~Viewport() {
    makeCurrent();
    gpu_.clear();
    meshProgram_.reset();
    lineProgram_.reset();
    bandProgram_.reset();
    lineBuffer_.destroy();
    lineVao_.destroy();
    doneCurrent();
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
    request.number = ++requestNumber_;
    request.frame = workspace_.frame();
    request.style = style_;
    request.heldFrame = heldFrame_;
    request.comparison = comparison_;
    for (const ItemView& item : workspace_.items()) {
        const bool active = item.key == workspace_.active();
        const bool shown =
            active || (camera_ && !item.leftOut && item.key.source == camera_->source) ||
            (!item.leftOut && (scope_ == ViewScope::All ||
                               (scope_ == ViewScope::Source && item.key.source == workspace_.active().source)));
        if (item.scene && shown && (!item.error || active))
            request.items.push_back(
                {item.key, item.scene, item.node, workspace_.unitMetres(item), active, item.profile});
    }
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
    uploaded_ = false;
    waiting_ = frame->request != requestNumber_;
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
    update();
    emit frameDrawn();
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
    update();
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

std::vector<Viewport::Pane> Viewport::panes() const {
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

void Viewport::initializeGL() {
    initializeOpenGLFunctions();
    const auto build = [](const char* vertex, const char* fragment, const char* geometry = nullptr) {
        auto program = std::make_unique<QOpenGLShaderProgram>();
        program->addShaderFromSourceCode(QOpenGLShader::Vertex, vertex);
        program->addShaderFromSourceCode(QOpenGLShader::Fragment, fragment);
        if (geometry)
            program->addShaderFromSourceCode(QOpenGLShader::Geometry, geometry);
        program->link();
        return program;
    };
    meshProgram_ = build(kMeshVertex, kMeshFragment);
    lineProgram_ = build(kLineVertex, kLineFragment);
    bandProgram_ = build(kBandVertex, kBandFragment, kBandGeometry);
    lineVao_.create();
    lineBuffer_.create();
    lineBuffer_.setUsagePattern(QOpenGLBuffer::DynamicDraw);
    uploaded_ = false;
    gpu_.clear();
}

void Viewport::upload() {
    if (uploaded_ || !drawn_)
        return;
    uploaded_ = true;
    std::map<std::pair<ItemKey, DrawRole>, std::unique_ptr<GpuItem>> kept;
    for (const DrawItem& item : drawn_->items) {
        const std::pair key{item.key, item.role};
        std::unique_ptr<GpuItem> gpu;
        if (const auto found = gpu_.find(key); found != gpu_.end())
            gpu = std::move(found->second);
        else
            gpu = std::make_unique<GpuItem>();
        if (!gpu->vao.isCreated()) {
            gpu->vao.create();
            for (QOpenGLBuffer* buffer : {&gpu->points, &gpu->normals, &gpu->colours, &gpu->widths}) {
                buffer->create();
                buffer->setUsagePattern(QOpenGLBuffer::StreamDraw);
            }
            gpu->triangles.create();
            gpu->edges.create();
        }
        QOpenGLVertexArrayObject::Binder bind(&gpu->vao);
        const auto fill = [&](QOpenGLBuffer& buffer, const std::vector<Vec3f>& values, GLuint location) {
            if (values.empty()) {
                glDisableVertexAttribArray(location);
                return;
            }
            buffer.bind();
            buffer.allocate(values.data(), static_cast<int>(values.size() * sizeof(Vec3f)));
            glEnableVertexAttribArray(location);
            glVertexAttribPointer(location, 3, GL_FLOAT, GL_FALSE, sizeof(Vec3f), nullptr);
        };
        fill(gpu->points, item.points, 0);
        fill(gpu->normals, item.normals, 1);
        fill(gpu->colours, item.colours, 2);
        gpu->hasWidths = !item.widths.empty();
        if (gpu->hasWidths) {
            gpu->widths.bind();
            gpu->widths.allocate(item.widths.data(), static_cast<int>(item.widths.size() * sizeof(float)));
            glEnableVertexAttribArray(3);
            glVertexAttribPointer(3, 1, GL_FLOAT, GL_FALSE, sizeof(float), nullptr);
        } else {
            glDisableVertexAttribArray(3);
        }
        gpu->pointCount = item.points.size();
        gpu->hasNormals = !item.normals.empty();
        gpu->hasColours = !item.colours.empty();
        if (gpu->indices != item.indices && item.indices) {
            gpu->indices = item.indices;
            gpu->triangles.bind();
            gpu->triangles.allocate(item.indices->triangles.data(),
                                    static_cast<int>(item.indices->triangles.size() * 4));
            gpu->edges.bind();
            gpu->edges.allocate(item.indices->edges.data(), static_cast<int>(item.indices->edges.size() * 4));
        }
        kept[key] = std::move(gpu);
    }
    gpu_ = std::move(kept);
}

void Viewport::paintGL() {
    upload();
    glClearColor(0.055F, 0.086F, 0.098F, 1.0F);
    glClear(GL_COLOR_BUFFER_BIT | GL_DEPTH_BUFFER_BIT);
    glEnable(GL_DEPTH_TEST);
    glEnable(GL_BLEND);
    glBlendFunc(GL_SRC_ALPHA, GL_ONE_MINUS_SRC_ALPHA);
    glEnable(GL_PROGRAM_POINT_SIZE);
    const std::vector<Pane> parts = panes();
    const double ratio = devicePixelRatioF();
    for (const Pane& pane : parts) {
        if (parts.size() > 1) {
            glEnable(GL_SCISSOR_TEST);
            glScissor(static_cast<GLint>(std::lround(pane.box.left() * ratio)), 0,
                      static_cast<GLsizei>(std::lround(pane.box.width() * ratio)),
                      static_cast<GLsizei>(std::lround(height() * ratio)));
        }
        drawGround(pane.matrix);
        drawItems(pane);
    }
    glDisable(GL_SCISSOR_TEST);
    glDisable(GL_DEPTH_TEST);
    drawOverlay(parts);
}

void Viewport::drawGround(const QMatrix4x4& matrix) {
    // Lines a round number of metres apart, so many that the view is filled.
    const double step = roundLength(std::max(1e-4, distance_ * 0.22));
    constexpr int kLines = 24;
    const double cx = std::round(static_cast<double>(target_.x()) / step) * step;
    const double cz = std::round(static_cast<double>(target_.z()) / step) * step;
    std::vector<float> vertices;
    const auto add = [&](double x0, double z0, double x1, double z1, double strength) {
        // Cut into pieces, so that the fade by distance follows the line.
        constexpr int kPieces = 12;
        for (int i = 0; i < kPieces; ++i)
            for (const int end : {i, i + 1}) {
                const double t = static_cast<double>(end) / kPieces;
                vertices.insert(vertices.end(), {static_cast<float>(x0 + (x1 - x0) * t), 0.0F,
                                                 static_cast<float>(z0 + (z1 - z0) * t), static_cast<float>(strength)});
            }
    };
    for (int i = -kLines; i <= kLines; ++i) {
        const double x = cx + i * step;
        const double z = cz + i * step;
        const double reach = kLines * step;
        add(x, cz - reach, x, cz + reach, std::abs(x) < step * 0.1 ? 0.85 : 0.40);
        add(cx - reach, z, cx + reach, z, std::abs(z) < step * 0.1 ? 0.85 : 0.40);
    }
    lineProgram_->bind();
    lineProgram_->setUniformValue("matrix", matrix);
    lineProgram_->setUniformValue("flatColour", QVector3D(0.30F, 0.42F, 0.44F));
    lineProgram_->setUniformValue("centre", QVector3D(target_.x(), 0.0F, target_.z()));
    lineProgram_->setUniformValue("reach", static_cast<float>(std::max(distance_ * 2.4, step * 6)));
    QOpenGLVertexArrayObject::Binder bind(&lineVao_);
    lineBuffer_.bind();
    lineBuffer_.allocate(vertices.data(), static_cast<int>(vertices.size() * sizeof(float)));
    glEnableVertexAttribArray(0);
    glVertexAttribPointer(0, 4, GL_FLOAT, GL_FALSE, 16, nullptr);
    glDepthMask(GL_FALSE);
    glDrawArrays(GL_LINES, 0, static_cast<GLsizei>(vertices.size() / 4));
    glDepthMask(GL_TRUE);
    lineProgram_->release();
}

void Viewport::drawItems(const Pane& pane) {
    if (!drawn_)
        return;
    const QMatrix4x4& matrix = pane.matrix;
    const bool apart = comparedDrawn() && comparedDrawn()->showsA();
    // What lies over something else lets it be seen.
    const auto alphaOf = [&](const DrawItem& item) {
        return item.role == DrawRole::Ghost                                         ? 0.10F
               : item.role == DrawRole::Held                                        ? 0.42F
               : item.role == DrawRole::Other && arrangement() == Arrangement::Over ? 0.45F
                                                                                    : 1.0F;
    };
    meshProgram_->bind();
    meshProgram_->setUniformValue("matrix", matrix);
    meshProgram_->setUniformValue("eye", shownEye());
    // A metre one metre in front, in pixels: the length of the matrix's second row.
    const QVector3D row = matrix.row(1).toVector3D();
    const float pixelsAtOne = static_cast<float>(0.5 * height() * devicePixelRatioF()) * row.length();
    meshProgram_->setUniformValue("pixelsAtOne", pixelsAtOne);
    const auto draw = [&](const DrawItem& item) {
        const auto found = gpu_.find({item.key, item.role});
        if (found == gpu_.end())
            return;
        GpuItem& gpu = *found->second;
        QOpenGLVertexArrayObject::Binder bind(&gpu.vao);
        // Held pose translucent heather; the active item full clay, its company darker; A and B each in its own tint.
        const bool isB = item.active && apart;
        const QVector3D base = item.role == DrawRole::Held                   ? QVector3D(0.72F, 0.61F, 0.92F)
                               : item.role == DrawRole::Other                ? QVector3D(0.58F, 0.86F, 0.77F)
                               : isB                                         ? QVector3D(0.80F, 0.73F, 0.92F)
                               : item.active || item.role == DrawRole::Ghost ? QVector3D(0.86F, 0.89F, 0.86F)
                                                                             : QVector3D(0.55F, 0.60F, 0.60F);
        const float alpha = alphaOf(item);
        const bool clear = alpha < 1.0F;
        meshProgram_->setUniformValue("flatColour", base);
        meshProgram_->setUniformValue("alpha", alpha);
        meshProgram_->setUniformValue("coloured", gpu.hasColours);
        meshProgram_->setUniformValue("pointSize", 3.0F);
        meshProgram_->setUniformValue("discs", false);
        meshProgram_->setUniformValue("widths", gpu.hasWidths);
        if (item.lines && gpu.indices) {
            bandProgram_->bind();
            bandProgram_->setUniformValue("matrix", matrix);
            bandProgram_->setUniformValue("pixelsAtOne", 0.5F * pixelsAtOne); // half the width to each side
            bandProgram_->setUniformValue("leastPixels", 0.7F);
            bandProgram_->setUniformValue("widths", gpu.hasWidths);
            bandProgram_->setUniformValue("size", QVector2D(static_cast<float>(width() * devicePixelRatioF() * 0.5),
                                                            static_cast<float>(height() * devicePixelRatioF() * 0.5)));
            bandProgram_->setUniformValue("flatColour", base);
            bandProgram_->setUniformValue("alpha", alpha);
            bandProgram_->setUniformValue("coloured", gpu.hasColours);
            gpu.edges.bind();
            glDrawElements(GL_LINES, static_cast<GLsizei>(gpu.indices->edges.size()), GL_UNSIGNED_INT, nullptr);
            meshProgram_->bind();
            return;
        }
        const bool faces = gpu.indices && !gpu.indices->triangles.empty();
        if (!faces && !item.normals.empty())
            return; // a mesh of which nothing differs
        if (!faces) {
            meshProgram_->setUniformValue("lit", false);
            meshProgram_->setUniformValue("discs", gpu.hasWidths);
            glDrawArrays(GL_POINTS, 0, static_cast<GLsizei>(gpu.pointCount));
            return;
        }
        meshProgram_->setUniformValue("lit", true);
        glEnable(GL_POLYGON_OFFSET_FILL);
        glPolygonOffset(1.0F, 1.0F);
        if (clear)
            glDepthMask(GL_FALSE);
        gpu.triangles.bind();
        glDrawElements(GL_TRIANGLES, static_cast<GLsizei>(gpu.indices->triangles.size()), GL_UNSIGNED_INT, nullptr);
        glDepthMask(GL_TRUE);
        glDisable(GL_POLYGON_OFFSET_FILL);
        if (style_ == ViewStyle::ClayWires && !clear) {
            meshProgram_->setUniformValue("lit", false);
            meshProgram_->setUniformValue("coloured", false);
            meshProgram_->setUniformValue("flatColour", QVector3D(0.10F, 0.17F, 0.18F));
            // Dense meshes keep their shape readable: wires fade as faces get small.
            const double area = static_cast<double>(gpu.indices->edges.size() / 2);
            const double pixels = item.bounds.diagonal() / metresPerPixel();
            meshProgram_->setUniformValue(
                "alpha", static_cast<float>(std::clamp(pixels / std::sqrt(std::max(1.0, area)) / 9.0, 0.10, 0.75)));
            gpu.edges.bind();
            glDrawElements(GL_LINES, static_cast<GLsizei>(gpu.indices->edges.size()), GL_UNSIGNED_INT, nullptr);
        }
    };
    for (const bool clear : {false, true})
        for (const DrawItem& item : drawn_->items) {
            const bool other = item.role == DrawRole::Other;
            const bool here = pane.shows == Pane::Shows::All || other == (pane.shows == Pane::Shows::A);
            if (here && (alphaOf(item) < 1.0F) == clear)
                draw(item);
        }
    meshProgram_->release();
}

void Viewport::mousePressEvent(QMouseEvent* event) {
    lastMouse_ = event->position().toPoint();
    const auto part = partAt();
    parting_ = part && event->button() == Qt::LeftButton && std::abs(event->position().x() - *part * width()) < 9.0;
}

void Viewport::mouseReleaseEvent(QMouseEvent*) {
    parting_ = false;
}

void Viewport::mouseMoveEvent(QMouseEvent* event) {
    const QPoint now = event->position().toPoint();
    const QPoint moved = now - lastMouse_;
    lastMouse_ = now;
    const auto part = partAt();
    const bool atLine = part && (parting_ || std::abs(now.x() - *part * width()) < 9.0);
    setCursor(atLine ? Qt::SplitHCursor : Qt::ArrowCursor);
    if (event->buttons() == Qt::NoButton)
        return;
    if (parting_) {
        partAt_ = std::clamp(static_cast<double>(now.x()) / std::max(1, width()), 0.02, 0.98);
        update();
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
    update();
}

void Viewport::mouseDoubleClickEvent(QMouseEvent*) {
    frameActive();
}

void Viewport::wheelEvent(QWheelEvent* event) {
    leaveCamera();
    framed_ = false;
    distance_ = std::clamp(distance_ * std::pow(0.88, event->angleDelta().y() / 120.0), 1e-4, 1e7);
    update();
    event->accept();
}

} // namespace wyc::app
