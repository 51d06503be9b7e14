// SPDX-License-Identifier: GPL-3.0-or-later
#include "scene/scene.h"

#include <algorithm>
#include <array>
#include <atomic>
#include <numbers>
#include <utility>

#include <Eigen/Geometry>
#include <Eigen/SVD>

#include "scene/channels.h"
#include "scene/mix.h"

namespace wyc {

const KindTraits& traitsOf(NodeKind kind) {
    static constexpr KindTraits kTransform{.name = "transform", .place = true};
    static constexpr KindTraits kMesh{.name = "mesh", .points = true, .faces = true};
    static constexpr KindTraits kSubdivision{.name = "subdivision", .points = true, .faces = true};
    static constexpr KindTraits kPoints{.name = "points", .points = true, .cloud = true};
    static constexpr KindTraits kCurves{.name = "curves", .points = true, .strands = true};
    static constexpr KindTraits kCamera{.name = "camera", .aimed = true, .ownSpace = true};
    static constexpr KindTraits kLight{.name = "light", .aimed = true, .ownSpace = true};
    static constexpr KindTraits kFaceSet{.name = "faceset", .part = true};
    static constexpr KindTraits kInstances{.name = "instances"};
    static constexpr KindTraits kInstancer{.name = "instancer", .points = true, .cloud = true, .ownSpace = true};
    static constexpr KindTraits kSkeleton{.name = "skeleton", .ownSpace = true};
    static constexpr KindTraits kOther{.name = "other"};
    switch (kind) {
    case NodeKind::Transform: return kTransform;
    case NodeKind::Mesh: return kMesh;
    case NodeKind::Subdivision: return kSubdivision;
    case NodeKind::Points: return kPoints;
    case NodeKind::Curves: return kCurves;
    case NodeKind::Camera: return kCamera;
    case NodeKind::Light: return kLight;
    case NodeKind::FaceSet: return kFaceSet;
    case NodeKind::Instances: return kInstances;
    case NodeKind::Instancer: return kInstancer;
    case NodeKind::Skeleton: return kSkeleton;
    case NodeKind::Other: return kOther;
    }
    return kOther;
}

std::size_t channelCount(TransformOp::Kind kind) {
    switch (kind) {
    case TransformOp::Kind::Scale:
    case TransformOp::Kind::Translate: return 3;
    case TransformOp::Kind::Rotate: return 4;
    case TransformOp::Kind::Matrix: return 16;
    default: return 1;
    }
}

TransformPtr MemoryTransform::fixed(const Mat4& matrix) {
    return std::make_shared<MemoryTransform>(
        Sampling::still(), std::vector<TransformOp>{{TransformOp::Kind::Matrix, 0}},
        std::vector<std::vector<double>>{std::vector<double>(matrix.m.begin(), matrix.m.end())});
}

Mat4 matrixOf(const std::vector<TransformOp>& ops, std::span<const double> channels) {
    constexpr double kRadians = std::numbers::pi / 180.0;
    Mat4 result;
    std::size_t at = 0;
    for (const TransformOp& op : ops) {
        const std::size_t count = channelCount(op.kind);
        if (at + count > channels.size())
            break;
        const double* v = channels.data() + at;
        Mat4 m;
        switch (op.kind) {
        case TransformOp::Kind::Scale: m = Mat4::scaling({v[0], v[1], v[2]}); break;
        case TransformOp::Kind::Translate: m = Mat4::translation({v[0], v[1], v[2]}); break;
        case TransformOp::Kind::Rotate: m = Mat4::rotation({v[0], v[1], v[2]}, v[3] * kRadians); break;
        case TransformOp::Kind::Matrix: std::copy_n(v, 16, m.m.begin()); break;
        case TransformOp::Kind::RotateX: m = Mat4::rotation({1, 0, 0}, v[0] * kRadians); break;
        case TransformOp::Kind::RotateY: m = Mat4::rotation({0, 1, 0}, v[0] * kRadians); break;
        case TransformOp::Kind::RotateZ: m = Mat4::rotation({0, 0, 1}, v[0] * kRadians); break;
        }
        result = m * result;
        at += count;
    }
    return result;
}

Result<std::vector<double>> Transform::channelsAt(double seconds) const {
    const auto at = sampling().locate(seconds);
    WYC_TRY(values, channels(at.below));
    if (at.weight > 0.0) {
        WYC_TRY(above, channels(at.above));
        for (std::size_t i = 0; i < values.size() && i < above.size(); ++i)
            values[i] = between(values[i], above[i], at.weight);
    }
    return values;
}

Result<bool> Transform::inheritsAt(double seconds) const {
    return inherits(sampling().locate(seconds).below);
}

Visibility VisibilityTrack::at(double seconds) const {
    if (exact)
        return (*exact)(seconds);
    if (values.empty())
        return Visibility::AsParent;
    return values[std::min(sampling.locate(seconds).below, values.size() - 1)];
}

namespace {

using Linear = Eigen::Matrix3d;

// Rotation and stretch of a linear part (row vectors: v' = v · stretch · rotation); a mirror stays in the stretch.
std::pair<Eigen::Quaterniond, Linear> parted(const Linear& m) {
    const Eigen::JacobiSVD<Linear> svd(m, Eigen::ComputeFullU | Eigen::ComputeFullV);
    Linear u = svd.matrixU();
    Eigen::Vector3d sizes = svd.singularValues();
    if ((u * svd.matrixV().transpose()).determinant() < 0.0) {
        u.col(2) *= -1.0;
        sizes(2) *= -1.0;
    }
    const Linear rotation = u * svd.matrixV().transpose();
    return {Eigen::Quaterniond(rotation), m * rotation.transpose()};
}

std::array<double, 16> mixedMatrix(const double* a, const double* b, double weight) {
    std::array<double, 16> result{};
    Linear la;
    Linear lb;
    for (Eigen::Index r = 0; r < 3; ++r)
        for (Eigen::Index c = 0; c < 3; ++c) {
            la(r, c) = a[r * 4 + c];
            lb(r, c) = b[r * 4 + c];
        }
    const auto [qa, sa] = parted(la);
    const auto [qb, sb] = parted(lb);
    const Linear mixed = (sa * (1.0 - weight) + sb * weight) * qa.slerp(weight, qb).toRotationMatrix();
    for (std::size_t i = 0; i < 16; ++i)
        result[i] = between(a[i], b[i], weight);
    for (Eigen::Index r = 0; r < 3; ++r)
        for (Eigen::Index c = 0; c < 3; ++c)
            result[static_cast<std::size_t>(r * 4 + c)] = mixed(r, c);
    return result;
}

// Axis and angle in degrees.
std::array<double, 4> mixedTurn(const double* a, const double* b, double weight) {
    constexpr double kRadians = std::numbers::pi / 180.0;
    const Eigen::Vector3d axisA(a[0], a[1], a[2]);
    const Eigen::Vector3d axisB(b[0], b[1], b[2]);
    if (axisA == axisB || axisA.norm() == 0.0 || axisB.norm() == 0.0)
        return {a[0], a[1], a[2], between(a[3], b[3], weight)};
    const Eigen::Quaterniond qa(Eigen::AngleAxisd(a[3] * kRadians, axisA.normalized()));
    const Eigen::Quaterniond qb(Eigen::AngleAxisd(b[3] * kRadians, axisB.normalized()));
    const Eigen::AngleAxisd mixed(qa.slerp(weight, qb));
    return {mixed.axis()(0), mixed.axis()(1), mixed.axis()(2), mixed.angle() / kRadians};
}

} // namespace

std::vector<double> mixedChannels(const std::vector<TransformOp>& ops, std::span<const double> a,
                                  std::span<const double> b, double weight) {
    std::vector<double> result(a.begin(), a.end());
    if (weight == 0.0 || b.size() != a.size())
        return result;
    if (weight == 1.0)
        return {b.begin(), b.end()};
    std::size_t at = 0;
    for (const TransformOp& op : ops) {
        const std::size_t count = channelCount(op.kind);
        if (at + count > result.size())
            break;
        const auto here = result.begin() + static_cast<std::ptrdiff_t>(at);
        if (op.kind == TransformOp::Kind::Matrix) {
            const auto mixed = mixedMatrix(a.data() + at, b.data() + at, weight);
            std::copy(mixed.begin(), mixed.end(), here);
        } else if (op.kind == TransformOp::Kind::Rotate) {
            const auto mixed = mixedTurn(a.data() + at, b.data() + at, weight);
            std::copy(mixed.begin(), mixed.end(), here);
        } else {
            for (std::size_t i = at; i < at + count; ++i)
                result[i] = between(a[i], b[i], weight);
        }
        at += count;
    }
    return result;
}

std::optional<std::size_t> Scene::find(std::string_view path) const {
    for (std::size_t i = 0; i < nodes.size(); ++i)
        if (nodes[i].path == path)
            return i;
    return std::nullopt;
}

std::optional<std::size_t> Scene::find(NodeId id) const {
    for (std::size_t i = 0; i < nodes.size(); ++i)
        if (nodes[i].id == id)
            return i;
    return std::nullopt;
}

NodeId NodeId::fresh() {
    static std::atomic<std::uint64_t> last{0};
    return {++last};
}

Scene Scene::withoutNodes() const {
    Scene result;
    result.rest = rest;
    result.restOf = restOf;
    result.rate = rate;
    result.unitMetres = unitMetres;
    result.upAxis = upAxis;
    result.materials = materials;
    result.properties = properties;
    result.view = view;
    result.report.files = report.files;
    result.container = container;
    return result;
}

std::vector<std::size_t> Scene::childrenOf(int parent) const {
    std::vector<std::size_t> result;
    for (std::size_t i = 0; i < nodes.size(); ++i)
        if (nodes[i].parent == parent)
            result.push_back(i);
    return result;
}

namespace {

struct LocalPlacement {
    Mat4 matrix;
    bool inherits = true;
};

Result<LocalPlacement> localPlacement(const Scene& scene, std::size_t node, double seconds) {
    LocalPlacement result;
    const TransformPtr& transform = scene.nodes[node].transform;
    if (!transform || transform->sampling().count() == 0)
        return result;
    WYC_TRY(channels, transform->channelsAt(seconds));
    WYC_TRY(inherits, transform->inheritsAt(seconds));
    result.inherits = inherits;
    result.matrix = matrixOf(transform->ops(), channels);
    return result;
}

} // namespace

bool standsFree(const Node& node) {
    if (!node.transform)
        return false;
    for (std::size_t i = 0; i < std::max<std::size_t>(1, node.transform->sampling().count()); ++i)
        if (const auto inherits = node.transform->inherits(i); inherits && !*inherits)
            return true;
    return false;
}

Result<Mat4> localMatrix(const Scene& scene, std::size_t node, double seconds) {
    WYC_TRY(local, localPlacement(scene, node, seconds));
    return local.matrix;
}

bool isPlaced(const Scene& scene, std::size_t node) {
    for (int at = static_cast<int>(node); at >= 0; at = scene.nodes[static_cast<std::size_t>(at)].parent) {
        const TransformPtr& transform = scene.nodes[static_cast<std::size_t>(at)].transform;
        if (!transform)
            continue;
        if (!transform->constant())
            return true;
        const auto channels = transform->channels(0);
        if (channels && !matrixOf(transform->ops(), *channels).isIdentity())
            return true;
    }
    return false;
}

namespace {

// Who says whether a node is seen: it and all above it, the nearest first. What stands below an instancer is seen
// through it, so those below say it, and those above.
class SeenBy {
  public:
    SeenBy(const Scene& scene, std::size_t node) : parts_(1) {
        for (int at = static_cast<int>(node); at >= 0; at = scene.nodes[static_cast<std::size_t>(at)].parent) {
            const Node& here = scene.nodes[static_cast<std::size_t>(at)];
            if (here.kind == NodeKind::Instancer && static_cast<std::size_t>(at) != node)
                parts_.emplace_back();
            if (here.visibility && !here.visibility->values.empty())
                parts_.back().push_back(&*here.visibility);
        }
    }
    [[nodiscard]] bool at(double seconds) const {
        return std::all_of(parts_.begin(), parts_.end(), [&](const auto& part) {
            for (const VisibilityTrack* track : part)
                if (const Visibility value = track->at(seconds); value != Visibility::AsParent)
                    return value == Visibility::Visible;
            return true;
        });
    }
    template<class Visit> void forEach(const Visit& visit) const {
        for (const auto& part : parts_)
            for (const VisibilityTrack* track : part)
                visit(*track);
    }

  private:
    std::vector<std::vector<const VisibilityTrack*>> parts_;
};

} // namespace

Result<WorldPlacement> placementAt(const Scene& scene, std::size_t node, double seconds) {
    WorldPlacement result;
    bool inheriting = true;
    for (int at = static_cast<int>(node); at >= 0 && inheriting; at = scene.nodes[static_cast<std::size_t>(at)].parent)
        if (scene.nodes[static_cast<std::size_t>(at)].transform) {
            WYC_TRY(local, localPlacement(scene, static_cast<std::size_t>(at), seconds));
            result.matrix = result.matrix * local.matrix;
            inheriting = local.inherits;
        }
    result.visible = SeenBy(scene, node).at(seconds);
    return result;
}

bool neverSeen(const Scene& scene, std::size_t node) {
    std::vector<double> times{0.0};
    for (int at = static_cast<int>(node); at >= 0; at = scene.nodes[static_cast<std::size_t>(at)].parent)
        if (const auto& track = scene.nodes[static_cast<std::size_t>(at)].visibility)
            for (std::size_t i = 0; i < track->sampling.count(); ++i)
                times.push_back(track->sampling.time(i));
    return std::all_of(times.begin(), times.end(), [&](double time) {
        const auto placement = placementAt(scene, node, time);
        return placement && !placement->visible;
    });
}

namespace {

void widen(std::optional<TimeSpan>& span, const TimeSpan& by) {
    span = span ? TimeSpan{std::min(span->first, by.first), std::max(span->last, by.last)} : by;
}

void widen(std::optional<TimeSpan>& span, const Sampling& sampling) {
    if (!sampling.isStill())
        widen(span, {sampling.firstTime(), sampling.lastTime()});
}

// Sample times at which a node is seen or hidden from then on, as it and all above it say.
std::vector<double> flipsOf(const Scene& scene, std::size_t node) {
    const SeenBy seenBy(scene, node);
    std::vector<double> times;
    bool changes = false;
    seenBy.forEach([&](const VisibilityTrack& track) {
        changes = changes || std::adjacent_find(track.values.begin(), track.values.end(), std::not_equal_to<>()) !=
                                 track.values.end();
        for (std::size_t i = 1; i < track.sampling.count(); ++i)
            times.push_back(track.sampling.time(i));
    });
    if (!changes)
        return {};
    sortMoments(times);
    bool seen = seenBy.at(-kForever);
    std::erase_if(times, [&](double t) {
        const bool before = std::exchange(seen, seenBy.at(t));
        return before == seen;
    });
    return times;
}

} // namespace

std::optional<TimeSpan> movingSpan(const Scene& scene, std::size_t node) {
    std::optional<TimeSpan> span;
    const auto widenBy = [&](const Node& it) {
        if (it.geometry && !it.geometry->pointsConstant())
            widen(span, it.geometry->sampling());
        for (const Channel& channel : channelsOf(it.properties))
            if (channel.meaning != Meaning::Unknown && !channel.values->constant())
                widen(span, channel.values->sampling());
    };
    widenBy(scene.nodes[node]);
    if (scene.nodes[node].kind == NodeKind::Instancer) { // what it shows may move where it stands
        std::vector<bool> below(scene.nodes.size(), false);
        for (std::size_t i = node + 1; i < scene.nodes.size(); ++i) {
            const Node& it = scene.nodes[i];
            below[i] = it.parent >= 0 &&
                       (static_cast<std::size_t>(it.parent) == node || below[static_cast<std::size_t>(it.parent)]);
            if (!below[i])
                continue;
            widenBy(it);
            if (it.transform && !it.transform->constant())
                widen(span, it.transform->sampling());
        }
    }
    for (int at = static_cast<int>(node); at >= 0; at = scene.nodes[static_cast<std::size_t>(at)].parent) {
        const Node& it = scene.nodes[static_cast<std::size_t>(at)];
        if (it.transform && !it.transform->constant())
            widen(span, it.transform->sampling());
    }
    // What is shown or hidden changes where it flips, and nowhere else.
    if (!scene.nodes[node].is().place)
        for (const double flip : flipsOf(scene, node))
            widen(span, {flip, flip});
    return span;
}

std::optional<FrameRange> movingFrames(const Scene& scene, std::size_t node) {
    const auto span = movingSpan(scene, node);
    if (!span)
        return std::nullopt;
    return FrameRange{snappedFrame(scene.view.rate.frameAt(span->first)),
                      snappedFrame(scene.view.rate.frameAt(span->last))};
}

std::optional<TimeSpan> movingSpan(const Scene& scene) {
    std::optional<TimeSpan> span;
    for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
        if (const auto own = movingSpan(scene, i))
            widen(span, *own);
    }
    return span;
}

} // namespace wyc
