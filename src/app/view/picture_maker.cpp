// SPDX-License-Identifier: GPL-3.0-or-later
#include "view/picture_maker.h"

#include <algorithm>
#include <cmath>
#include <map>

#include <QOffscreenSurface>
#include <QOpenGLBuffer>
#include <QOpenGLContext>
#include <QOpenGLFramebufferObject>
#include <QOpenGLFunctions_3_3_Core>
#include <QOpenGLShaderProgram>
#include <QOpenGLVertexArrayObject>
#include <QThread>

#include "view/picture_shaders.h"
#include "view/viewport_parts.h"

namespace wyc::app {
namespace {

QSurfaceFormat glFormat() {
    QSurfaceFormat format;
    format.setVersion(3, 3);
    format.setProfile(QSurfaceFormat::CoreProfile);
    return format;
}

} // namespace

// Draws with a context of its own; lives on one thread, whichever that is.
class PictureMaker::Drawing : protected QOpenGLFunctions_3_3_Core {
  public:
    explicit Drawing(QSurface* surface) : surface_(surface), why_(begin()) {}
    ~Drawing();
    [[nodiscard]] std::shared_ptr<const ViewPicture> of(const PictureOrder& order) {
        auto picture = std::make_shared<ViewPicture>();
        picture->of = order;
        picture->error = why_;
        if (why_.isEmpty())
            paint(order, *picture);
        return picture;
    }

  private:
    /// Why there is no picture; empty when all is well.
    QString begin();
    void paint(const PictureOrder& order, ViewPicture& into);
    struct GpuItem {
        QOpenGLVertexArrayObject vao;
        QOpenGLBuffer points{QOpenGLBuffer::VertexBuffer};
        QOpenGLBuffer normals{QOpenGLBuffer::VertexBuffer};
        QOpenGLBuffer colours{QOpenGLBuffer::VertexBuffer};
        QOpenGLBuffer widths{QOpenGLBuffer::VertexBuffer};
        QOpenGLBuffer triangles{QOpenGLBuffer::IndexBuffer};
        QOpenGLBuffer edges{QOpenGLBuffer::IndexBuffer};
        std::shared_ptr<const DrawIndices> indices;
        std::size_t pointCount = 0;
        bool hasColours = false;
        bool hasWidths = false;
    };
    void upload(const DrawFrame& frame);
    void drawGround(const PictureOrder& order, const QMatrix4x4& matrix);
    void drawItems(const PictureOrder& order, const Pane& pane, const QMatrix4x4& matrix, bool draft);
    QOpenGLFramebufferObject& target(const QSize& size, int samples);

    QSurface* surface_;
    std::unique_ptr<QOpenGLContext> context_;
    bool software_ = false;
    std::unique_ptr<QOpenGLFramebufferObject> plain_;
    std::unique_ptr<QOpenGLFramebufferObject> smooth_; // several samples a pixel
    std::shared_ptr<const DrawFrame> uploaded_;
    std::map<std::tuple<ItemKey, DrawRole, int>, std::unique_ptr<GpuItem>> gpu_;
    std::unique_ptr<QOpenGLShaderProgram> meshProgram_;
    std::unique_ptr<QOpenGLShaderProgram> lineProgram_;
    std::unique_ptr<QOpenGLShaderProgram> bandProgram_; // curves and bodies
    std::unique_ptr<QOpenGLVertexArrayObject> lineVao_;
    QOpenGLBuffer lineBuffer_{QOpenGLBuffer::VertexBuffer};
    QString why_; // the last to be made: it needs all others
};

QString PictureMaker::Drawing::begin() {
    context_ = std::make_unique<QOpenGLContext>();
    context_->setFormat(glFormat());
    if (!context_->create() || !context_->makeCurrent(surface_) || !initializeOpenGLFunctions())
        return PictureMaker::tr("no picture: OpenGL 3.3 is not there");
    const QByteArray renderer(reinterpret_cast<const char*>(glGetString(GL_RENDERER)));
    software_ = renderer.contains("llvmpipe") || renderer.contains("softpipe") || renderer.contains("swrast");
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
    for (const auto* program : {&meshProgram_, &lineProgram_, &bandProgram_})
        if (!(*program)->isLinked())
            return PictureMaker::tr("no picture: the graphics driver refuses the shaders");
    lineVao_ = std::make_unique<QOpenGLVertexArrayObject>();
    lineVao_->create();
    lineBuffer_.create();
    lineBuffer_.setUsagePattern(QOpenGLBuffer::DynamicDraw);
    return {};
}

PictureMaker::Drawing::~Drawing() {
    if (context_)
        context_->makeCurrent(surface_);
    gpu_.clear();
    plain_.reset();
    smooth_.reset();
    meshProgram_.reset();
    lineProgram_.reset();
    bandProgram_.reset();
    lineVao_.reset();
    lineBuffer_.destroy();
    if (context_)
        context_->doneCurrent();
    context_.reset();
}

QOpenGLFramebufferObject& PictureMaker::Drawing::target(const QSize& size, int samples) {
    std::unique_ptr<QOpenGLFramebufferObject>& one = samples > 0 ? smooth_ : plain_;
    if (!one || one->size() != size) {
        QOpenGLFramebufferObjectFormat format;
        format.setAttachment(QOpenGLFramebufferObject::Depth);
        format.setSamples(samples);
        one = std::make_unique<QOpenGLFramebufferObject>(size, format);
    }
    return *one;
}

// Rows come from top to bottom: the picture is drawn upside down, as its rows are read from the bottom on.
void PictureMaker::Drawing::paint(const PictureOrder& order, ViewPicture& into) {
    const QSize size(std::max(1, static_cast<int>(std::lround(order.size.width() * order.ratio))),
                     std::max(1, static_cast<int>(std::lround(order.size.height() * order.ratio))));
    // By a processor smooth edges take three times as long, and wires as long as all else.
    into.draft = software_ && order.moving;
    context_->makeCurrent(surface_); // on the window's thread others have theirs between
    QOpenGLFramebufferObject& drawn = target(size, into.draft ? 0 : 4);
    if (uploaded_ != order.frame) {
        upload(*order.frame);
        uploaded_ = order.frame;
    }
    drawn.bind();
    glViewport(0, 0, size.width(), size.height());
    glClearColor(0.055F, 0.086F, 0.098F, 1.0F);
    glClear(GL_COLOR_BUFFER_BIT | GL_DEPTH_BUFFER_BIT);
    glEnable(GL_DEPTH_TEST);
    glEnable(GL_BLEND);
    glBlendFunc(GL_SRC_ALPHA, GL_ONE_MINUS_SRC_ALPHA);
    glEnable(GL_PROGRAM_POINT_SIZE);
    QMatrix4x4 upsideDown;
    upsideDown.scale(1.0F, -1.0F, 1.0F);
    for (const Pane& pane : order.panes) {
        if (order.panes.size() > 1) {
            glEnable(GL_SCISSOR_TEST);
            glScissor(static_cast<GLint>(std::lround(pane.box.left() * order.ratio)), 0,
                      static_cast<GLsizei>(std::lround(pane.box.width() * order.ratio)), size.height());
        }
        const QMatrix4x4 matrix = upsideDown * pane.matrix;
        drawGround(order, matrix);
        drawItems(order, pane, matrix, into.draft);
    }
    glDisable(GL_SCISSOR_TEST);
    glDisable(GL_DEPTH_TEST);
    QOpenGLFramebufferObject* read = &drawn;
    if (!into.draft) {
        read = &target(size, 0);
        QOpenGLFramebufferObject::blitFramebuffer(read, &drawn);
        read->bind();
    }
    into.image = QImage(size, QImage::Format_RGB32);
    glPixelStorei(GL_PACK_ALIGNMENT, 4);
    glReadPixels(0, 0, size.width(), size.height(), GL_BGRA, GL_UNSIGNED_INT_8_8_8_8_REV, into.image.bits());
    read->release();
    into.image.setDevicePixelRatio(order.ratio);
}

void PictureMaker::Drawing::upload(const DrawFrame& frame) {
    std::map<std::tuple<ItemKey, DrawRole, int>, std::unique_ptr<GpuItem>> kept;
    for (const DrawItem& item : frame.items) {
        const std::tuple key{item.key, item.role, item.copy};
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

void PictureMaker::Drawing::drawGround(const PictureOrder& order, const QMatrix4x4& matrix) {
    // Lines a round number of metres apart, so many that the view is filled.
    const double step = roundLength(std::max(1e-4, order.distance * 0.22));
    constexpr int kLines = 24;
    const double cx = std::round(static_cast<double>(order.target.x()) / step) * step;
    const double cz = std::round(static_cast<double>(order.target.z()) / step) * step;
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
    lineProgram_->setUniformValue("centre", QVector3D(order.target.x(), 0.0F, order.target.z()));
    lineProgram_->setUniformValue("reach", static_cast<float>(std::max(order.distance * 2.4, step * 6)));
    QOpenGLVertexArrayObject::Binder bind(lineVao_.get());
    lineBuffer_.bind();
    lineBuffer_.allocate(vertices.data(), static_cast<int>(vertices.size() * sizeof(float)));
    glEnableVertexAttribArray(0);
    glVertexAttribPointer(0, 4, GL_FLOAT, GL_FALSE, 16, nullptr);
    glDepthMask(GL_FALSE);
    glDrawArrays(GL_LINES, 0, static_cast<GLsizei>(vertices.size() / 4));
    glDepthMask(GL_TRUE);
    lineProgram_->release();
}

void PictureMaker::Drawing::drawItems(const PictureOrder& order, const Pane& pane, const QMatrix4x4& matrix,
                                      bool draft) {
    const DrawFrame& frame = *order.frame;
    const bool apart = frame.compared && frame.compared->showsA();
    const bool over = frame.compared && frame.compared->arrangement == Arrangement::Over;
    // What lies over something else lets it be seen.
    const auto alphaOf = [&](const DrawItem& item) {
        return item.role == DrawRole::Ghost           ? 0.10F
               : item.role == DrawRole::Held          ? 0.42F
               : item.role == DrawRole::Skin          ? (std::abs(item.copy) == 1 ? 0.20F : 0.11F)
               : item.role == DrawRole::Other && over ? 0.45F
                                                      : 1.0F;
    };
    meshProgram_->bind();
    meshProgram_->setUniformValue("matrix", matrix);
    meshProgram_->setUniformValue("eye", order.eye);
    // A metre one metre in front, in pixels: the length of the matrix's second row.
    const QVector3D row = matrix.row(1).toVector3D();
    const float pixelsAtOne = static_cast<float>(0.5 * order.size.height() * order.ratio) * row.length();
    meshProgram_->setUniformValue("pixelsAtOne", pixelsAtOne);
    const auto draw = [&](const DrawItem& item) {
        const auto found = gpu_.find({item.key, item.role, item.copy});
        if (found == gpu_.end())
            return;
        GpuItem& gpu = *found->second;
        QOpenGLVertexArrayObject::Binder bind(&gpu.vao);
        // Held pose translucent heather; the active item full clay, its company darker; A and B each in its own tint.
        const bool isB = item.active && apart;
        const QVector3D base = item.role == DrawRole::Held                    ? QVector3D(0.72F, 0.61F, 0.92F)
                               : item.role == DrawRole::Skin && item.copy < 0 ? QVector3D(0.72F, 0.61F, 0.92F)
                               : item.role == DrawRole::Skin                  ? QVector3D(0.44F, 0.81F, 0.70F)
                               : item.role == DrawRole::Other                 ? QVector3D(0.58F, 0.86F, 0.77F)
                               : isB                                          ? QVector3D(0.80F, 0.73F, 0.92F)
                               : item.active || item.role == DrawRole::Ghost  ? QVector3D(0.86F, 0.89F, 0.86F)
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
            bandProgram_->setUniformValue("size",
                                          QVector2D(static_cast<float>(order.size.width() * order.ratio * 0.5),
                                                    static_cast<float>(order.size.height() * order.ratio * 0.5)));
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
        if (frame.style == ViewStyle::ClayWires && !clear && (item.active || !draft)) {
            meshProgram_->setUniformValue("lit", false);
            meshProgram_->setUniformValue("coloured", false);
            meshProgram_->setUniformValue("flatColour", QVector3D(0.10F, 0.17F, 0.18F));
            // Dense meshes keep their shape readable: wires fade as faces get small.
            const double area = static_cast<double>(gpu.indices->edges.size() / 2);
            const double pixels = item.bounds.diagonal() / order.metresPerPixel;
            meshProgram_->setUniformValue(
                "alpha", static_cast<float>(std::clamp(pixels / std::sqrt(std::max(1.0, area)) / 9.0, 0.10, 0.75)));
            gpu.edges.bind();
            glDrawElements(GL_LINES, static_cast<GLsizei>(gpu.indices->edges.size()), GL_UNSIGNED_INT, nullptr);
        }
    };
    for (const bool clear : {false, true})
        for (const DrawItem& item : frame.items) {
            const bool other = item.role == DrawRole::Other;
            const bool here = pane.shows == Pane::Shows::All || other == (pane.shows == Pane::Shows::A);
            if (here && (alphaOf(item) < 1.0F) == clear)
                draw(item);
        }
    meshProgram_->release();
}

PictureMaker::PictureMaker(QObject* parent)
    : PictureMaker(QOpenGLContext::supportsThreadedOpenGL() ? Where::Beside : Where::Here, parent) {}

PictureMaker::PictureMaker(Where where, QObject* parent)
    : QObject(parent), surface_(std::make_unique<QOffscreenSurface>()) {
    qRegisterMetaType<std::shared_ptr<const ViewPicture>>();
    surface_->setFormat(glFormat());
    surface_->create();
    if (where == Where::Here)
        return;
    thread_.reset(QThread::create([this] {
        Drawing drawing(surface_.get());
        while (const auto order = next_.take())
            QMetaObject::invokeMethod(
                this, [this, picture = drawing.of(*order)] { emit made(picture); }, Qt::QueuedConnection);
    }));
    thread_->start();
}

PictureMaker::~PictureMaker() {
    next_.end();
    if (thread_)
        thread_->wait();
}

void PictureMaker::order(PictureOrder order) {
    if (thread_) {
        next_.put(std::move(order));
        return;
    }
    if (!here_)
        here_ = std::make_unique<Drawing>(surface_.get());
    QMetaObject::invokeMethod(
        this, [this, picture = here_->of(order)] { emit made(picture); }, Qt::QueuedConnection);
}

} // namespace wyc::app
