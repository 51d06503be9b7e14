// SPDX-License-Identifier: GPL-3.0-or-later
#include "viewport.h"

#include <algorithm>
#include <cmath>

#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QWheelEvent>

#include "base/text.h"
#include "theme.h"

namespace wyc::app {
namespace {

constexpr float kFieldOfViewDegrees = 26.0F;
constexpr double kStaffMetres = 1.8;

const char* const kMeshVertex = R"(#version 330 core
layout(location = 0) in vec3 position;
layout(location = 1) in vec3 normal;
layout(location = 2) in vec3 colour;
layout(location = 3) in float width;
uniform mat4 matrix;
uniform float pointSize;
uniform float pixelsAtOne; // of one metre at a distance of one
uniform bool widths;
out vec3 vNormal;
out vec3 vColour;
out vec3 vPosition;
void main() {
    gl_Position = matrix * vec4(position, 1.0);
    gl_PointSize = widths && width > 0.0 ? clamp(width * pixelsAtOne / max(gl_Position.w, 1e-6), 1.5, 200.0) : pointSize;
    vNormal = normal;
    vColour = colour;
    vPosition = position;
})";

// Clay under one key from over the shoulder, a cool fill from below and a soft edge, both sides lit alike.
const char* const kMeshFragment = R"(#version 330 core
in vec3 vNormal;
in vec3 vColour;
in vec3 vPosition;
uniform vec3 eye;
uniform vec3 flatColour;
uniform float alpha;
uniform bool lit;
uniform bool coloured;
uniform bool discs;
out vec4 result;
void main() {
    vec3 base = coloured ? vColour : flatColour;
    if (discs) { // a point with a width is a small ball
        vec2 at = gl_PointCoord * 2.0 - 1.0;
        float r = dot(at, at);
        if (r > 1.0) discard;
        result = vec4(base * (0.55 + 0.45 * sqrt(1.0 - r)), alpha);
        return;
    }
    if (!lit) { result = vec4(base, alpha); return; }
    vec3 n = normalize(dot(vNormal, vNormal) > 0.0 ? vNormal : cross(dFdx(vPosition), dFdy(vPosition)));
    vec3 toEye = normalize(eye - vPosition);
    if (dot(n, toEye) < 0.0) n = -n;
    vec3 key = normalize(toEye + vec3(0.55, 0.75, 0.1));
    float light = 0.30 + 0.62 * max(dot(n, key), 0.0) + 0.14 * (0.5 - 0.5 * n.y);
    float edge = pow(1.0 - max(dot(n, toEye), 0.0), 3.0);
    vec3 shaded = base * light + vec3(0.10, 0.16, 0.16) * edge;
    result = vec4(shaded, alpha);
})";

// Curves as bands as wide as they are, at least a little more than a pixel, turned to the eye.
const char* const kBandVertex = R"(#version 330 core
layout(location = 0) in vec3 position;
layout(location = 2) in vec3 colour;
layout(location = 3) in float width;
uniform mat4 matrix;
uniform float pixelsAtOne;
uniform float leastPixels;
uniform bool widths;
out vec3 gColour;
out float gPixels;
void main() {
    gl_Position = matrix * vec4(position, 1.0);
    gColour = colour;
    gPixels = max(leastPixels, widths ? width * pixelsAtOne / max(gl_Position.w, 1e-6) : 0.0);
})";
const char* const kBandGeometry = R"(#version 330 core
layout(lines) in;
layout(triangle_strip, max_vertices = 4) out;
in vec3 gColour[];
in float gPixels[];
uniform vec2 size;
out vec3 vColour;
out float vAcross;
void main() {
    if (gl_in[0].gl_Position.w <= 0.0 || gl_in[1].gl_Position.w <= 0.0) return;
    vec2 a = gl_in[0].gl_Position.xy / gl_in[0].gl_Position.w * size;
    vec2 b = gl_in[1].gl_Position.xy / gl_in[1].gl_Position.w * size;
    vec2 along = length(b - a) > 1e-4 ? normalize(b - a) : vec2(1.0, 0.0);
    vec2 side = vec2(-along.y, along.x) / size;
    for (int i = 0; i < 2; ++i)
        for (int s = -1; s <= 1; s += 2) {
            vec4 p = gl_in[i].gl_Position;
            p.xy += side * gPixels[i] * float(s) * p.w;
            gl_Position = p;
            vColour = gColour[i];
            vAcross = float(s);
            EmitVertex();
        }
    EndPrimitive();
})";
const char* const kBandFragment = R"(#version 330 core
in vec3 vColour;
in float vAcross;
uniform vec3 flatColour;
uniform float alpha;
uniform bool coloured;
out vec4 result;
void main() {
    vec3 base = coloured ? vColour : flatColour;
    result = vec4(base * (0.62 + 0.38 * sqrt(max(0.0, 1.0 - vAcross * vAcross))), alpha);
})";

const char* const kLineVertex = R"(#version 330 core
layout(location = 0) in vec4 position; // w: brightness
uniform mat4 matrix;
out float vFade;
out vec3 vPosition;
void main() {
    gl_Position = matrix * vec4(position.xyz, 1.0);
    vFade = position.w;
    vPosition = position.xyz;
})";
const char* const kLineFragment = R"(#version 330 core
in float vFade;
in vec3 vPosition;
uniform vec3 flatColour;
uniform vec3 centre;
uniform float reach;
out vec4 result;
void main() {
    float far = clamp(1.0 - length(vPosition - centre) / reach, 0.0, 1.0);
    result = vec4(flatColour, vFade * far);
})";

// 1, 2 or 5 times a power of ten, at most `size`.
double roundLength(double size) {
    const double power = std::pow(10.0, std::floor(std::log10(size)));
    for (const double step : {5.0, 2.0, 1.0})
        if (step * power <= size)
            return step * power;
    return power;
}

QVector3D toQt(const Vec3d& v) {
    return {static_cast<float>(v.x), static_cast<float>(v.y), static_cast<float>(v.z)};
}

} // namespace

Viewport::Viewport(Workspace& workspace, QWidget* parent) : QOpenGLWidget(parent), workspace_(workspace) {
    setObjectName(QStringLiteral("viewport"));
    setMinimumSize(360, 220);
    setFocusPolicy(Qt::ClickFocus);
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
    if (size > 0.0 && (framedFor_ != workspace_.active() || size > framedSize_ * 4.0 || size < framedSize_ / 4.0)) {
        const bool sameSource = framedFor_.source == workspace_.active().source && framedSize_ > 0.0 &&
                                scope_ != ViewScope::Item && framedFor_ != workspace_.active();
        framedFor_ = workspace_.active();
        if (!sameSource) {
            framedSize_ = size;
            frameActive();
        }
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

QRectF Viewport::gateRect() const {
    if (!camera_ || !drawn_ || !drawn_->camera)
        return {};
    const double aspect = std::clamp(drawn_->camera->view.aspect(), 0.05, 20.0);
    const QRectF room = QRectF(rect()).adjusted(34, 34, -34, -34);
    const double w = std::min(room.width(), room.height() * aspect);
    return QRectF(room.center().x() - w / 2, room.center().y() - w / aspect / 2, w, w / aspect);
}

void Viewport::frameActive() {
    if (!drawn_)
        return;
    Bounds bounds;
    for (const DrawItem& item : drawn_->items)
        if (item.active || scope_ == ViewScope::Source)
            bounds.add(item.bounds);
    framedSize_ = activeSizeMetres();
    frameBounds(bounds);
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
    const double half = std::max(1e-4, bounds.diagonal() * 0.5);
    const double narrow = std::min(1.0, static_cast<double>(width()) / std::max(1, height()));
    distance_ = half / std::sin(kFieldOfViewDegrees * M_PI / 360.0) / narrow * 1.02;
    update();
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
    matrix.perspective(kFieldOfViewDegrees, static_cast<float>(width()) / static_cast<float>(std::max(1, height())),
                       d * 0.01F, d * 60.0F);
    matrix.lookAt(eye(), target_, QVector3D(0, 1, 0));
    return matrix;
}

// The camera's own picture, laid into its gate on the widget.
QMatrix4x4 Viewport::cameraProjection() const {
    const CameraView& view = drawn_->camera->view;
    const CameraFigures& f = view.figures;
    const QRectF gate = gateRect();
    // Rows give picture coordinates times w; w is the distance in front.
    const double fu = 2.0 * f.focalLength / 10.0 / f.squeeze / f.horizontalAperture;
    const double fv = 2.0 * f.focalLength / 10.0 / f.verticalAperture;
    const double u[4] = {fu, 0, 2.0 * f.horizontalOffset / f.horizontalAperture, 0};
    const double v[4] = {0, fv, 2.0 * f.verticalOffset / f.verticalAperture, 0};
    const double w[4] = {0, 0, -1, 0};
    const auto& b = view.filmBack;
    const double sx = gate.width() / width();
    const double sy = gate.height() / height();
    QMatrix4x4 picture;
    for (int c = 0; c < 4; ++c) {
        picture(0, c) = static_cast<float>(sx * (u[c] * b[0] + v[c] * b[3] + w[c] * b[6]));
        picture(1, c) = static_cast<float>(sy * (u[c] * b[1] + v[c] * b[4] + w[c] * b[7]));
        picture(3, c) = static_cast<float>(u[c] * b[2] + v[c] * b[5] + w[c] * b[8]);
    }
    constexpr float kNear = 0.02F;
    constexpr float kFar = 5000.0F;
    picture(2, 0) = picture(2, 1) = 0.0F;
    picture(2, 2) = -(kFar + kNear) / (kFar - kNear);
    picture(2, 3) = -2.0F * kFar * kNear / (kFar - kNear);
    QMatrix4x4 world; // columns here, rows there
    for (int r = 0; r < 4; ++r)
        for (int c = 0; c < 4; ++c)
            world(c, r) =
                static_cast<float>(drawn_->camera->world.at(static_cast<std::size_t>(r), static_cast<std::size_t>(c)));
    return picture * world.inverted();
}

void Viewport::drawGate(QPainter& painter) {
    const QRectF gate = gateRect();
    if (gate.isEmpty())
        return;
    QPainterPath outside;
    outside.addRect(QRectF(rect()));
    outside.addRect(gate);
    painter.fillPath(outside, QColor(8, 12, 14, 170)); // odd-even: the gate stays clear
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(colour::kChalk, 1.2));
    painter.drawRect(gate);
    // Borders within which action (93 %) and titles (90 %) are sure to be seen.
    for (const double share : {0.93, 0.90}) {
        const double dx = gate.width() * (1.0 - share) / 2.0;
        const double dy = gate.height() * (1.0 - share) / 2.0;
        painter.setPen(
            QPen(QColor(0x93, 0xA8, 0xA6, share > 0.91 ? 170 : 110), 1, share > 0.91 ? Qt::SolidLine : Qt::DotLine));
        painter.drawRect(gate.adjusted(dx, dy, -dx, -dy));
    }
    painter.setFont(textFont(8.5));
    painter.setPen(colour::kChalk2);
    painter.drawText(QPointF(gate.left(), gate.bottom() + 16), tr("film gate; inner borders 93 % and 90 %"));
    const CameraFigures& f = drawn_->camera->view.figures;
    const QString name = QString::fromStdString(drawn_->camera->name);
    painter.setFont(textFont(9.5, QFont::DemiBold));
    painter.setPen(colour::kChalk);
    painter.drawText(QPointF(gate.left(), gate.top() - 9), name);
    const double nameWidth = painter.fontMetrics().horizontalAdvance(name) + 14;
    painter.setFont(textFont(9));
    painter.setPen(colour::kChalk2);
    painter.drawText(QPointF(gate.left() + nameWidth, gate.top() - 9), QStringLiteral("%1 mm · %2 × %3 mm")
                                                                           .arg(f.focalLength, 0, 'f', 1)
                                                                           .arg(f.horizontalAperture * 10.0, 0, 'f', 1)
                                                                           .arg(f.verticalAperture * 10.0, 0, 'f', 1));
}

std::optional<QPointF> Viewport::project(const QMatrix4x4& matrix, const QVector3D& point) const {
    const QVector4D clip = matrix * QVector4D(point, 1.0F);
    if (clip.w() <= 1e-6F)
        return std::nullopt;
    return QPointF((clip.x() / clip.w() * 0.5 + 0.5) * width(), (0.5 - clip.y() / clip.w() * 0.5) * height());
}

double Viewport::metresPerPixel() const {
    return 2.0 * distance_ * std::tan(kFieldOfViewDegrees * M_PI / 360.0) / std::max(1, height());
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
    std::map<std::pair<ItemKey, bool>, std::unique_ptr<GpuItem>> kept;
    for (const DrawItem& item : drawn_->items) {
        const std::pair key{item.key, item.held};
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
    const QMatrix4x4 matrix = viewProjection();
    drawGround(matrix);
    drawItems(matrix);
    glDisable(GL_DEPTH_TEST);
    drawOverlay(matrix);
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

void Viewport::drawItems(const QMatrix4x4& matrix) {
    if (!drawn_)
        return;
    meshProgram_->bind();
    meshProgram_->setUniformValue("matrix", matrix);
    meshProgram_->setUniformValue("eye", shownEye());
    // A metre one metre in front, in pixels: the length of the matrix's second row.
    const QVector3D row = matrix.row(1).toVector3D();
    const float pixelsAtOne = static_cast<float>(0.5 * height() * devicePixelRatioF()) * row.length();
    meshProgram_->setUniformValue("pixelsAtOne", pixelsAtOne);
    const auto draw = [&](const DrawItem& item) {
        const auto found = gpu_.find({item.key, item.held});
        if (found == gpu_.end())
            return;
        GpuItem& gpu = *found->second;
        QOpenGLVertexArrayObject::Binder bind(&gpu.vao);
        // Held pose translucent heather; the active item full clay, its company darker.
        const QVector3D base = item.held     ? QVector3D(0.72F, 0.61F, 0.92F)
                               : item.active ? QVector3D(0.86F, 0.89F, 0.86F)
                                             : QVector3D(0.55F, 0.60F, 0.60F);
        meshProgram_->setUniformValue("flatColour", base);
        meshProgram_->setUniformValue("alpha", item.held ? 0.42F : 1.0F);
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
            bandProgram_->setUniformValue("alpha", item.held ? 0.42F : 1.0F);
            bandProgram_->setUniformValue("coloured", gpu.hasColours);
            gpu.edges.bind();
            glDrawElements(GL_LINES, static_cast<GLsizei>(gpu.indices->edges.size()), GL_UNSIGNED_INT, nullptr);
            meshProgram_->bind();
            return;
        }
        const bool faces = gpu.indices && !gpu.indices->triangles.empty();
        if (!faces) {
            meshProgram_->setUniformValue("lit", false);
            meshProgram_->setUniformValue("discs", gpu.hasWidths);
            glDrawArrays(GL_POINTS, 0, static_cast<GLsizei>(gpu.pointCount));
            return;
        }
        meshProgram_->setUniformValue("lit", true);
        glEnable(GL_POLYGON_OFFSET_FILL);
        glPolygonOffset(1.0F, 1.0F);
        if (item.held)
            glDepthMask(GL_FALSE);
        gpu.triangles.bind();
        glDrawElements(GL_TRIANGLES, static_cast<GLsizei>(gpu.indices->triangles.size()), GL_UNSIGNED_INT, nullptr);
        glDepthMask(GL_TRUE);
        glDisable(GL_POLYGON_OFFSET_FILL);
        if (style_ == ViewStyle::ClayWires && !item.held) {
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
    for (const DrawItem& item : drawn_->items)
        if (!item.held)
            draw(item);
    for (const DrawItem& item : drawn_->items)
        if (item.held)
            draw(item);
    meshProgram_->release();
}

void Viewport::drawOverlay(const QMatrix4x4& matrix) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    if (workspace_.items().empty()) {
        painter.setPen(colour::kChalk2);
        painter.setFont(textFont(10));
        painter.drawText(rect(), Qt::AlignCenter,
                         workspace_.sources().empty() ? tr("Nothing to show yet") : tr("Opening …"));
        return;
    }
    if (camera_ && drawn_ && drawn_->camera) {
        drawGate(painter);
    } else {
        drawStaff(painter, matrix);
        drawScaleBar(painter);
        drawBrackets(painter, matrix);
    }
    if (style_ == ViewStyle::SpeedHeat && drawn_ && drawn_->speedMax > 0.0F)
        drawLegend(painter);
    if (drawn_ && !drawn_->error.isEmpty()) {
        painter.setFont(textFont(9.5));
        const QRectF box(16, 16, width() - 32, 44);
        painter.fillRect(box, QColor(0x3A, 0x1E, 0x1A, 235));
        painter.setPen(colour::kChalk);
        painter.drawText(box.adjusted(10, 4, -10, -4), Qt::AlignVCenter | Qt::TextWordWrap,
                         QStringLiteral("✕ ") + drawn_->error);
    }
    if (heldFrame_) {
        painter.setFont(textFont(9));
        painter.setPen(colour::kHeather);
        painter.drawText(QPointF(16, 20), tr("held pose of %1").arg(QString::fromStdString(frameText(*heldFrame_))));
    }
}

void Viewport::drawStaff(QPainter& painter, const QMatrix4x4& matrix) {
    const DrawItem* item = activeDrawn();
    if (!item || item->bounds.isEmpty())
        return;
    // Beside the item on the right of the view, standing on the ground.
    const QVector3D right(static_cast<float>(std::cos(yaw_)), 0.0F, static_cast<float>(-std::sin(yaw_)));
    const Vec3d c = item->bounds.centre();
    const double reach = 0.5 * std::hypot(item->bounds.size().x, item->bounds.size().z) +
                         0.35 * std::max(kStaffMetres * 0.2, item->bounds.diagonal() * 0.15);
    const QVector3D foot =
        QVector3D(static_cast<float>(c.x), 0.0F, static_cast<float>(c.z)) + right * static_cast<float>(reach);
    constexpr int kBands = 6;
    std::optional<QPointF> top;
    for (int i = 0; i < kBands; ++i) {
        const auto a = project(matrix, foot + QVector3D(0, static_cast<float>(kStaffMetres * i / kBands), 0));
        const auto b = project(matrix, foot + QVector3D(0, static_cast<float>(kStaffMetres * (i + 1) / kBands), 0));
        if (!a || !b)
            return;
        painter.setPen(QPen(i % 2 ? colour::kChalk : QColor(0x5C, 0x74, 0x76), 4, Qt::SolidLine, Qt::FlatCap));
        painter.drawLine(*a, *b);
        top = b;
    }
    painter.setFont(textFont(8.5));
    painter.setPen(colour::kChalk);
    const auto low = project(matrix, foot);
    // Against something very large the staff is a speck: a ring says where it is.
    if (low && std::abs(top->y() - low->y()) < 12.0) {
        painter.setPen(QPen(colour::kChalk, 1));
        painter.setBrush(Qt::NoBrush);
        painter.drawEllipse(*low, 9, 9);
        painter.drawText(*low + QPointF(13, 4), tr("staff, 1.8 m"));
        return;
    }
    painter.drawText(*top + QPointF(6, 5), tr("1.8 m"));
}

void Viewport::drawScaleBar(QPainter& painter) {
    const double perPixel = metresPerPixel();
    const double size = roundLength(120.0 * perPixel);
    const double pixels = size / perPixel;
    const QPointF right(width() - 22, height() - 22);
    const QPointF left = right - QPointF(pixels, 0);
    painter.setPen(QPen(colour::kChalk2, 1.2));
    painter.drawLine(left, right);
    for (const QPointF& end : {left, right})
        painter.drawLine(end - QPointF(0, 4), end + QPointF(0, 4));
    painter.setFont(textFont(8.5));
    painter.drawText(QRectF(left.x() - 30, left.y() - 20, pixels + 60, 14), Qt::AlignCenter,
                     QString::fromStdString(size >= 1.0 && size < 1000.0 ? frameText(size) + " m" : lengthText(size)));
}

void Viewport::drawBrackets(QPainter& painter, const QMatrix4x4& matrix) {
    const DrawItem* item = activeDrawn();
    const ItemView* view = workspace_.activeItem();
    if (!item || !view || item->bounds.isEmpty())
        return;
    QRectF box;
    for (int corner = 0; corner < 8; ++corner) {
        const Vec3d& l = item->bounds.low;
        const Vec3d& h = item->bounds.high;
        const auto p =
            project(matrix, toQt({(corner & 1) ? h.x : l.x, (corner & 2) ? h.y : l.y, (corner & 4) ? h.z : l.z}));
        if (!p)
            return;
        box = corner == 0 ? QRectF(*p, QSizeF(0.1, 0.1)) : box.united(QRectF(*p, QSizeF(0.1, 0.1)));
    }
    box = box.adjusted(-8, -8, 8, 8) & QRectF(10, 26, width() - 20, height() - 36);
    if (box.width() < 8 || box.height() < 8)
        return;
    const double arm = std::min({16.0, box.width() / 3, box.height() / 3});
    painter.setPen(QPen(colour::kGlass, 1.6));
    for (const bool left : {true, false})
        for (const bool top : {true, false}) {
            const QPointF corner(left ? box.left() : box.right(), top ? box.top() : box.bottom());
            painter.drawLine(corner, corner + QPointF(left ? arm : -arm, 0));
            painter.drawLine(corner, corner + QPointF(0, top ? arm : -arm));
        }
    painter.setFont(textFont(9.5, QFont::DemiBold));
    painter.setPen(colour::kGlass);
    painter.drawText(QPointF(box.left() + 2, box.top() - 6), QString::fromStdString(view->name));
    // Its size in real units: what a ×100 mistake shows first.
    const Vec3d size = item->bounds.size();
    const QString words =
        QStringLiteral("%1 × %2 × %3")
            .arg(QString::fromStdString(lengthText(size.x)), QString::fromStdString(lengthText(size.y)),
                 QString::fromStdString(lengthText(size.z)));
    const double nameWidth = painter.fontMetrics().horizontalAdvance(QString::fromStdString(view->name)) + 12;
    painter.setFont(textFont(8.5));
    painter.setPen(colour::kChalk2);
    painter.drawText(QPointF(box.left() + nameWidth, box.top() - 6), words);
}

void Viewport::drawLegend(QPainter& painter) {
    const QRectF bar(18, height() - 52, 150, 9);
    for (int i = 0; i < 150; ++i)
        painter.fillRect(QRectF(bar.left() + i, bar.top(), 1.5, bar.height()), heatColour(i / 149.0));
    painter.setFont(textFont(8.5));
    painter.setPen(colour::kChalk2);
    painter.drawText(QPointF(bar.left(), bar.bottom() + 14), QStringLiteral("0"));
    const QString top = QStringLiteral("%1 m/s").arg(static_cast<double>(drawn_->speedMax), 0, 'g', 3);
    painter.drawText(QRectF(bar.right() - 80, bar.bottom() + 2, 80, 16), Qt::AlignRight | Qt::AlignVCenter, top);
    painter.drawText(QPointF(bar.left(), bar.top() - 6), tr("speed of each point"));
}

void Viewport::mousePressEvent(QMouseEvent* event) {
    lastMouse_ = event->position().toPoint();
}

void Viewport::mouseMoveEvent(QMouseEvent* event) {
    const QPoint now = event->position().toPoint();
    const QPoint moved = now - lastMouse_;
    lastMouse_ = now;
    if (event->buttons() != Qt::NoButton)
        setCamera(std::nullopt); // who turns the view looks with a free eye again
    if (event->buttons() & Qt::LeftButton) {
        yaw_ -= moved.x() * 0.008;
        pitch_ = std::clamp(pitch_ + moved.y() * 0.008, -1.5, 1.5);
    } else if (event->buttons() & (Qt::RightButton | Qt::MiddleButton)) {
        const QVector3D forward = (target_ - eye()).normalized();
        const QVector3D right = QVector3D::crossProduct(forward, QVector3D(0, 1, 0)).normalized();
        const QVector3D up = QVector3D::crossProduct(right, forward);
        const auto scale = static_cast<float>(metresPerPixel());
        target_ += (right * static_cast<float>(-moved.x()) + up * static_cast<float>(moved.y())) * scale;
    }
    update();
}

void Viewport::mouseDoubleClickEvent(QMouseEvent*) {
    frameActive();
}

void Viewport::wheelEvent(QWheelEvent* event) {
    setCamera(std::nullopt);
    distance_ = std::clamp(distance_ * std::pow(0.88, event->angleDelta().y() / 120.0), 1e-4, 1e7);
    update();
    event->accept();
}

} // namespace wyc::app
