// SPDX-License-Identifier: GPL-3.0-or-later
#include "view/frame_loader.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>

#include "match/mesh_graph.h"
#include "scene/components/curves.h"
#include "scene/stand_in.h"
#include "theme/theme.h"

namespace wyc::app {
namespace {

constexpr std::size_t kKeptTopologies = 600;

Vec3f toColour(const QColor& c) {
    return {c.redF(), c.greenF(), c.blueF()};
}

// Repeating bands over the point numbers: same bands = same order. `whole`: points that the bands are parts of.
std::vector<Vec3f> bandColours(std::size_t count, std::size_t whole) {
    std::vector<Vec3f> result(count);
    const double band = std::max<double>(1.0, static_cast<double>(whole) / 24.0);
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
    next_.end();
    thread_.join();
}

void FrameLoader::request(DrawRequest request) {
    next_.put(std::move(request));
}

void FrameLoader::loop() {
    while (const auto request = next_.take()) {
        auto frame = load(*request);
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

Result<DrawItem> FrameLoader::loadItem(const DrawRequest::Item& item, double seconds, ViewStyle style,
                                       float& speedMax) {
    DrawItem result;
    result.key = item.key;
    result.active = item.active;
    const Scene& scene = *item.scene;
    const Geometry& geometry = *scene.nodes[item.node].geometry;
    if (geometry.sampling().count() == 0)
        return result;
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
        result.colours = bandColours(result.points.size(), result.points.size());
    }
    const Node& node = scene.nodes[item.node];
    if (node.is().cloud)
        result.widths = widthsOf(node, at.below, result.points.size(), item.metresPerUnit);
    if (node.is().strands) {
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
        result.numbers = std::move(lines.source);
        result.lines = true;
        result.indices = made;
    } else if (!node.is().points) { // a stand-in
        auto made = std::make_shared<DrawIndices>();
        made->edges = standInEdges(node);
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

namespace {

constexpr std::size_t kMostLines = 120;
constexpr std::size_t kMostMarks = 1500;

// Metres from each point of B to its own of A; infinite where it has none.
std::vector<double> distances(const std::vector<std::uint32_t>& aOfB, const DrawItem& a, const DrawItem& b) {
    std::vector<double> off(b.points.size(), std::numeric_limits<double>::infinity());
    for (std::size_t i = 0; i < off.size() && i < aOfB.size(); ++i)
        if (aOfB[i] < a.points.size())
            off[i] = length(Vec3d(b.points[i]) - Vec3d(a.points[aOfB[i]]));
    return off;
}

void colourByDrift(const std::vector<double>& off, double top, DrawItem& b) {
    b.colours.resize(b.points.size());
    for (std::size_t i = 0; i < off.size(); ++i) // what has no partner stands out: neither near nor far
        b.colours[i] = toColour(std::isfinite(off[i]) ? heatColour(off[i] / std::max(top, 1e-12)) : colour::kRust);
}

// The faces and edges that have a point that is off.
std::shared_ptr<const DrawIndices> differing(const DrawIndices& all, const std::vector<double>& off, double tolerance) {
    auto made = std::make_shared<DrawIndices>();
    const auto keep = [&](const std::vector<std::uint32_t>& from, std::size_t corners, std::vector<std::uint32_t>& to) {
        for (std::size_t i = 0; i + corners <= from.size(); i += corners)
            if (std::any_of(from.begin() + static_cast<std::ptrdiff_t>(i),
                            from.begin() + static_cast<std::ptrdiff_t>(i + corners),
                            [&](std::uint32_t p) { return p < off.size() && !(off[p] <= tolerance); }))
                to.insert(to.end(), from.begin() + static_cast<std::ptrdiff_t>(i),
                          from.begin() + static_cast<std::ptrdiff_t>(i + corners));
    };
    keep(all.triangles, 3, made->triangles);
    keep(all.edges, 2, made->edges);
    return made;
}

// Where numbers are in A and in B, where points have none in the other.
void showOrder(const std::vector<std::uint32_t>& aOfB, const DrawItem& a, const DrawItem& b, DrawComparison& into) {
    const std::size_t shared = std::min({a.points.size(), b.points.size(), aOfB.size()});
    std::vector<std::uint32_t> elsewhere;
    for (std::uint32_t i = 0; i < shared; ++i)
        if (aOfB[i] != i && aOfB[i] != kNone)
            elsewhere.push_back(i);
    into.elsewhereCount = elsewhere.size();
    const std::size_t step = std::max<std::size_t>(1, (elsewhere.size() + kMostLines - 1) / kMostLines);
    for (std::size_t k = 0; k < elsewhere.size(); k += step)
        into.elsewhere.emplace_back(a.points[elsewhere[k]], b.points[elsewhere[k]]);
    std::vector<char> found(a.points.size(), 0);
    for (std::size_t i = 0; i < b.points.size() && i < aOfB.size(); ++i)
        if (aOfB[i] < found.size())
            found[aOfB[i]] = 1;
        else if (into.unmatchedB.size() < kMostMarks)
            into.unmatchedB.push_back(b.points[i]);
    for (std::size_t i = 0; i < found.size() && into.unmatchedA.size() < kMostMarks; ++i)
        if (!found[i])
            into.unmatchedA.push_back(a.points[i]);
}

} // namespace

Status FrameLoader::loadCompared(const ViewComparison& comparison, const DrawRequest::Item& given,
                                 const DrawRequest& request, DrawFrame& frame) {
    DrawRequest::Item b = given;
    if (comparison.undone) {
        b.scene = comparison.undone->scene;
        b.node = comparison.undone->node;
        b.metresPerUnit = comparison.metresA;
        b.profile = nullptr;
    }
    const ViewStyle plain = comparison.heat || comparison.order ? ViewStyle::Clay : request.style;
    const double seconds = request.rate.secondsAt(request.frame);
    WYC_TRY(bodyB, loadItem(b, seconds, plain, frame.speedMax));
    const DrawRequest::Item a{comparison.b, comparison.a, comparison.nodeA, comparison.metresA, false, nullptr};
    float ignored = 0.0F;
    const ViewStyle styleA = plain == ViewStyle::SpeedHeat ? ViewStyle::Clay : plain;
    WYC_TRY(bodyA, loadItem(a, seconds, styleA, ignored));
    bodyA.role = DrawRole::Other;
    DrawComparison& compared = frame.compared.emplace();
    if (comparison.undone) {
        const auto own = comparison.undone->time.at(seconds);
        if (own.size() == 1 && !own.front().rest)
            if (const FrameRate& rate = given.scene->view.rate;
                !sameFrame(rate.frameAt(own.front().seconds), rate.frameAt(seconds)))
                compared.ownFrameOfB = snappedFrame(rate.frameAt(own.front().seconds));
    }
    const Arrangement arrangement = comparison.arrangement;
    compared.arrangement = arrangement;
    compared.nameA = comparison.a->nodes[comparison.nodeA].name;
    compared.boundsA = bodyA.bounds;
    const bool whole = comparison.aOfB && comparison.aOfB->size() == bodyB.points.size() && !bodyB.lines;
    std::vector<double> off;
    if (whole) {
        off = distances(*comparison.aOfB, bodyA, bodyB);
        compared.points = off.size();
        compared.apart = static_cast<std::size_t>(
            std::count_if(off.begin(), off.end(), [&](double d) { return !(d <= comparison.toleranceMetres); }));
        showOrder(*comparison.aOfB, bodyA, bodyB, compared);
    }
    if (comparison.order) {
        bodyA.colours = bandColours(bodyA.points.size(), bodyA.points.size());
        bodyB.colours = bandColours(bodyB.points.size(), bodyA.points.size());
    } else if (whole && (comparison.heat || arrangement == Arrangement::Differs)) {
        colourByDrift(off, comparison.topMetres, bodyB);
        frame.driftMax = static_cast<float>(comparison.topMetres);
    }
    if (!comparison.order)
        compared.elsewhere.clear();
    if (comparison.worst && sameFrame(comparison.worst->frame, b.scene->view.rate.frameAt(seconds)) &&
        comparison.worst->point < bodyB.points.size() && !bodyB.lines)
        compared.worst = bodyB.points[comparison.worst->point];
    if (arrangement == Arrangement::Differs && whole && bodyB.indices && !bodyB.indices->triangles.empty()) {
        DrawItem ghost = bodyB;
        ghost.role = DrawRole::Ghost;
        ghost.active = false;
        ghost.colours.clear();
        bodyB.indices = differing(*bodyB.indices, off, comparison.toleranceMetres);
        frame.items.push_back(std::move(ghost));
    } else if (compared.showsA() && bodyA.visible) {
        frame.items.push_back(std::move(bodyA));
    }
    if (bodyB.visible)
        frame.items.push_back(std::move(bodyB));
    return {};
}

std::shared_ptr<const DrawFrame> FrameLoader::load(const DrawRequest& request) {
    auto frame = std::make_shared<DrawFrame>();
    frame->request = request.number;
    frame->frame = request.frame;
    frame->style = request.style;
    const double seconds = request.rate.secondsAt(request.frame);
    if (request.camera) {
        const Scene& scene = *request.camera->scene;
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
        if (request.comparison && request.comparison->b == item.key) {
            if (const auto loaded = loadCompared(*request.comparison, item, request, *frame); !loaded && item.active)
                frame->error = QString::fromStdString(loaded.error().text());
            continue;
        }
        auto loaded = loadItem(item, seconds, request.style, frame->speedMax);
        if (!loaded) {
            if (item.active)
                frame->error = QString::fromStdString(loaded.error().text());
            continue;
        }
        if (loaded->visible)
            frame->items.push_back(std::move(*loaded));
        for (const int steps : item.active&& request.skinStep > 0.0 ? std::vector{-2, -1, 1, 2} : std::vector<int>()) {
            const double at = seconds + request.rate.secondsAt(steps * request.skinStep);
            const Sampling& sampling = item.scene->nodes[item.node].geometry->sampling();
            const auto span = movingSpan(*item.scene, item.node);
            if (sampling.count() == 0 || !span || at < span->first - 1e-6 || at > span->last + 1e-6)
                continue; // there is no such pose: a held one would lie over the end
            float ignored = 0.0F;
            if (auto skin = loadItem(item, at, ViewStyle::Clay, ignored); skin && skin->visible) {
                skin->role = DrawRole::Skin;
                skin->copy = steps;
                skin->active = false;
                frame->items.push_back(std::move(*skin));
            }
        }
        if (item.active && request.heldFrame) {
            float ignored = 0.0F;
            if (auto held = loadItem(item, request.rate.secondsAt(*request.heldFrame), ViewStyle::Clay, ignored)) {
                held->role = DrawRole::Held;
                held->active = false;
                frame->items.push_back(std::move(*held));
            }
        }
    }
    if (request.ghost) {
        float ignored = 0.0F;
        if (auto ghost = loadItem(*request.ghost, seconds, ViewStyle::Clay, ignored); ghost && ghost->visible) {
            ghost->role = DrawRole::Held;
            ghost->copy = 1; // beside a pose that is held
            ghost->active = false;
            frame->items.push_back(std::move(*ghost));
        }
    }
    return frame;
}

} // namespace wyc::app
