// SPDX-License-Identifier: GPL-3.0-or-later
#include "view/frame_loader.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "scene/curves.h"
#include "scene/stand_in.h"
#include "theme/theme.h"

namespace wyc::app {
namespace {

constexpr std::size_t kKeptTopologies = 600;

Vec3f toColour(const QColor& c) {
    return {c.redF(), c.greenF(), c.blueF()};
}

// Repeating bands over the point numbers: same bands = same order.
std::vector<Vec3f> bandColours(std::size_t count) {
    std::vector<Vec3f> result(count);
    const double band = std::max<double>(1.0, static_cast<double>(count) / 24.0);
    static const std::array<QColor, 3> kBands{QColor(0x3F, 0x6E, 0x7C), QColor(0xC9, 0xB8, 0x86),
                                              QColor(0x8C, 0x7A, 0xB4)};
    for (std::size_t i = 0; i < count; ++i)
        result[i] = toColour(kBands[static_cast<std::size_t>(static_cast<double>(i) / band) % kBands.size()]);
    return result;
}

std::vector<Vec3f> smoothNormals(const std::vector<Vec3f>& points, const DrawIndices& indices) {
    std::vector<Vec3f> normals(points.size());
    for (std::size_t t = 0; t + 2 < indices.triangles.size(); t += 3) {
        const Vec3f& a = points[indices.triangles[t]];
        const Vec3f& b = points[indices.triangles[t + 1]];
        const Vec3f& c = points[indices.triangles[t + 2]];
        const Vec3f u{b.x - a.x, b.y - a.y, b.z - a.z};
        const Vec3f v{c.x - a.x, c.y - a.y, c.z - a.z};
        const Vec3f n{u.y * v.z - u.z * v.y, u.z * v.x - u.x * v.z, u.x * v.y - u.y * v.x};
        for (std::size_t k = 0; k < 3; ++k) {
            Vec3f& into = normals[indices.triangles[t + k]];
            into = {into.x + n.x, into.y + n.y, into.z + n.z};
        }
    }
    return normals; // the shader makes them unit length
}

} // namespace

FrameLoader::FrameLoader(QObject* parent) : QObject(parent) {
    qRegisterMetaType<std::shared_ptr<const DrawFrame>>();
    thread_ = std::thread([this] { loop(); });
}

FrameLoader::~FrameLoader() {
    {
        const std::lock_guard lock(mutex_);
        ending_ = true;
    }
    wake_.notify_all();
    thread_.join();
}

void FrameLoader::request(DrawRequest request) {
    {
        const std::lock_guard lock(mutex_);
        pending_ = std::move(request);
    }
    wake_.notify_one();
}

void FrameLoader::loop() {
    for (;;) {
        DrawRequest request;
        {
            std::unique_lock lock(mutex_);
            wake_.wait(lock, [&] { return ending_ || pending_.has_value(); });
            if (ending_)
                return;
            request = std::move(*pending_);
            pending_.reset();
        }
        auto frame = load(request);
        QMetaObject::invokeMethod(
            this, [this, frame] { emit loaded(frame); }, Qt::QueuedConnection);
    }
}

std::shared_ptr<const DrawIndices> FrameLoader::indicesOf(const Topology& topology, std::size_t pointCount) {
    const auto found = indices_.find(topology.hash());
    if (found != indices_.end() && topology.fits(pointCount))
        return found->second;
    auto made = std::make_shared<DrawIndices>();
    if (topology.fits(pointCount)) {
        std::size_t start = 0;
        std::vector<std::pair<std::uint32_t, std::uint32_t>> edges;
        for (const std::int32_t size : topology.faceSizes()) {
            const auto n = static_cast<std::size_t>(size);
            const auto corner = [&](std::size_t k) {
                return static_cast<std::uint32_t>(topology.corners()[start + k]);
            };
            for (std::size_t k = 2; k < n; ++k)
                made->triangles.insert(made->triangles.end(), {corner(0), corner(k - 1), corner(k)});
            for (std::size_t k = 0; k < n; ++k)
                edges.push_back(std::minmax(corner(k), corner((k + 1) % n)));
            start += n;
        }
        std::sort(edges.begin(), edges.end());
        edges.erase(std::unique(edges.begin(), edges.end()), edges.end());
        for (const auto& [a, b] : edges)
            made->edges.insert(made->edges.end(), {a, b});
    }
    if (indices_.size() > kKeptTopologies)
        indices_.clear();
    indices_[topology.hash()] = made;
    return made;
}

Result<DrawItem> FrameLoader::loadItem(const DrawRequest::Item& item, double frame, ViewStyle style, float& speedMax) {
    DrawItem result;
    result.key = item.key;
    result.active = item.active;
    const Scene& scene = *item.scene;
    const Geometry& geometry = *scene.nodes[item.node].geometry;
    if (geometry.sampling().count() == 0)
        return result;
    const double seconds = scene.workingRate.secondsAt(frame);
    WYC_TRY(placement, placementAt(scene, item.node, seconds));
    result.visible = placement.visible;
    const auto toWorld = [&](std::vector<Vec3f>& points) {
        const auto scale = static_cast<float>(item.metresPerUnit);
        const bool identity = placement.matrix.isIdentity();
        for (Vec3f& p : points) {
            if (!identity)
                p = transformedPoint(p, placement.matrix);
            p = {p.x * scale, p.y * scale, p.z * scale};
        }
    };
    const auto at = geometry.sampling().locate(seconds);
    WYC_CHECK(readPointsAt(geometry, seconds, result.points));
    std::vector<Vec3f> from;
    std::vector<Vec3f> other;
    const std::size_t neighbour = at.weight > 0.0 ? at.above
                                  : at.below > 0  ? at.below - 1
                                                  : std::min(geometry.sampling().count() - 1, at.below + 1);
    if (style == ViewStyle::SpeedHeat) {
        WYC_CHECK(readPoints(geometry, at.below, from));
        WYC_CHECK(readPoints(geometry, neighbour, other));
    }
    if (style == ViewStyle::SpeedHeat && neighbour != at.below && other.size() == from.size() &&
        other.size() == result.points.size()) {
        const double gap = std::abs(geometry.sampling().time(neighbour) - geometry.sampling().time(at.below));
        std::vector<float> speeds(other.size());
        for (std::size_t i = 0; i < other.size(); ++i)
            speeds[i] =
                static_cast<float>(length(Vec3d(other[i]) - Vec3d(from[i])) * item.metresPerUnit / std::max(1e-9, gap));
        // One scale for the whole item, so that colours mean the same at every frame.
        float top = 0.0F;
        if (item.profile)
            for (std::size_t i = 1; i < item.profile->count(); ++i)
                if (std::isfinite(item.profile->speedAt(i)))
                    top = std::max(top, item.profile->speedAt(i) * static_cast<float>(item.metresPerUnit) * 2.0F);
        if (top <= 0.0F)
            top = *std::max_element(speeds.begin(), speeds.end());
        if (item.active)
            speedMax = top;
        result.colours.resize(speeds.size());
        for (std::size_t i = 0; i < speeds.size(); ++i)
            result.colours[i] = toColour(heatColour(top > 0.0F ? static_cast<double>(speeds[i] / top) : 0.0));
    } else if (style == ViewStyle::SpeedHeat) {
        result.colours.assign(result.points.size(), toColour(heatColour(0.0)));
    } else if (style == ViewStyle::OrderBands) {
        result.colours = bandColours(result.points.size());
    }
    const Node& node = scene.nodes[item.node];
    if (node.kind == NodeKind::Points)
        result.widths = widthsOf(node, at.below, result.points.size(), item.metresPerUnit);
    if (node.kind == NodeKind::Curves) {
        // Drawn as lines that follow the curves; colours go along.
        WYC_TRY(layout, curveLayout(node, at.below));
        const std::size_t count = result.points.size();
        Polylines lines = drawnCurves(result.points, layout);
        auto made = std::make_shared<DrawIndices>();
        made->edges = std::move(lines.edges);
        result.points = std::move(lines.points);
        if (!result.colours.empty()) {
            std::vector<Vec3f> colours;
            for (const std::uint32_t source : lines.source)
                colours.push_back(result.colours[source]);
            result.colours = std::move(colours);
        }
        const auto widths = widthsOf(node, at.below, count, item.metresPerUnit);
        for (const std::uint32_t source : lines.source)
            if (!widths.empty())
                result.widths.push_back(widths[source]);
        result.lines = true;
        result.indices = made;
    } else if (!hasGeometry(node.kind)) { // a stand-in
        auto made = std::make_shared<DrawIndices>();
        made->edges = standInEdges(node.kind);
        result.lines = true;
        result.indices = made;
    }
    toWorld(result.points);
    result.bounds = boundsOf(result.points);
    if (!result.lines) {
        WYC_TRY(topology, geometry.topology(at.below));
        result.indices = indicesOf(*topology, result.points.size());
        if (!result.indices->triangles.empty())
            result.normals = smoothNormals(result.points, *result.indices);
    }
    // A graphics driver may do anything with what is not finite.
    for (Vec3f& p : result.points)
        if (!isFinite(p))
            p = {};
    return result;
}

// A at the moment that B is drawn at.
std::optional<DrawItem> FrameLoader::otherOf(const ViewComparison& comparison, const DrawRequest::Item& b,
                                             double frame) {
    const double seconds = b.scene->workingRate.secondsAt(frame);
    const DrawRequest::Item a{comparison.b, comparison.a, comparison.nodeA, comparison.metresA, false, nullptr};
    float ignored = 0.0F;
    auto loaded = loadItem(a, comparison.a->workingRate.frameAt(seconds), ViewStyle::Clay, ignored);
    return loaded ? std::optional(std::move(*loaded)) : std::nullopt;
}

void FrameLoader::colourByDrift(const ViewComparison& comparison, const DrawItem& a, DrawItem& b) {
    if (!comparison.aOfB || comparison.aOfB->size() != b.points.size())
        return;
    const double top = std::max(comparison.topMetres, 1e-12);
    b.colours.resize(b.points.size());
    for (std::size_t i = 0; i < b.points.size(); ++i) {
        const std::uint32_t other = (*comparison.aOfB)[i];
        // What has no partner stands out: neither near nor far.
        b.colours[i] = other < a.points.size()
                           ? toColour(heatColour(length(Vec3d(b.points[i]) - Vec3d(a.points[other])) / top))
                           : toColour(QColor(0xE0, 0x70, 0x5A));
    }
}

std::shared_ptr<const DrawFrame> FrameLoader::load(const DrawRequest& request) {
    auto frame = std::make_shared<DrawFrame>();
    frame->request = request.number;
    frame->frame = request.frame;
    frame->style = request.style;
    if (request.camera) {
        const Scene& scene = *request.camera->scene;
        const double seconds = scene.workingRate.secondsAt(request.frame);
        const auto view = cameraAt(scene, request.camera->node, seconds);
        const auto placement = placementAt(scene, request.camera->node, seconds);
        if (view && placement) {
            DrawCamera camera{scene.nodes[request.camera->node].name, *view, placement->matrix};
            for (const std::size_t i : {12U, 13U, 14U})
                camera.world.m[i] *= request.camera->metresPerUnit;
            frame->camera = std::move(camera);
        } else {
            frame->error = QString::fromStdString(view ? placement.error().text() : view.error().text());
        }
    }
    for (const DrawRequest::Item& item : request.items) {
        if (request.camera && item.key == request.camera->key)
            continue; // one does not see the camera one looks through
        const bool compared = request.comparison && request.comparison->b == item.key;
        const bool heat = compared && request.comparison->heat;
        auto loaded = loadItem(item, request.frame, heat ? ViewStyle::Clay : request.style, frame->speedMax);
        if (!loaded) {
            if (item.active)
                frame->error = QString::fromStdString(loaded.error().text());
            continue;
        }
        if (compared)
            if (auto other = otherOf(*request.comparison, item, request.frame)) {
                if (heat) {
                    colourByDrift(*request.comparison, *other, *loaded);
                    frame->driftMax = static_cast<float>(request.comparison->topMetres);
                }
                if (request.comparison->over) {
                    other->held = true;
                    frame->items.push_back(std::move(*other));
                }
            }
        if (loaded->visible)
            frame->items.push_back(std::move(*loaded));
        if (item.active && request.heldFrame) {
            float ignored = 0.0F;
            if (auto held = loadItem(item, *request.heldFrame, ViewStyle::Clay, ignored)) {
                held->held = true;
                held->active = false;
                frame->items.push_back(std::move(*held));
            }
        }
    }
    return frame;
}

} // namespace wyc::app
