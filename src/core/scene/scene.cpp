// SPDX-License-Identifier: GPL-3.0-or-later
#include "scene/scene.h"

#include <algorithm>
#include <numbers>

#include "scene/camera.h"

namespace wyc {

const char* nodeKindName(NodeKind kind) {
    switch (kind) {
    case NodeKind::Transform: return "transform";
    case NodeKind::Mesh: return "mesh";
    case NodeKind::Subdivision: return "subdivision";
    case NodeKind::Points: return "points";
    case NodeKind::Curves: return "curves";
    case NodeKind::Camera: return "camera";
    case NodeKind::Light: return "light";
    case NodeKind::FaceSet: return "faceset";
    case NodeKind::Instances: return "instances";
    case NodeKind::Other: return "other";
    }
    return "other";
}

bool hasGeometry(NodeKind kind) {
    return kind == NodeKind::Mesh || kind == NodeKind::Subdivision || kind == NodeKind::Points ||
           kind == NodeKind::Curves;
}

bool isMadeAnew(std::string_view group, std::string_view name, NodeKind kind) {
    const auto among = [&](std::initializer_list<std::string_view> names) {
        return std::find(names.begin(), names.end(), name) != names.end();
    };
    if (group.empty())
        return among({"visible", ".instanceSource"});
    if (group == ".xform")
        return among({".inherits", ".ops", ".vals", "isNotConstantIdentity", ".animChans"});
    if (group != ".geom" || !hasGeometry(kind))
        return false;
    const bool mesh = kind == NodeKind::Mesh || kind == NodeKind::Subdivision;
    return among({".selfBnds", "P"}) || (mesh && among({".faceIndices", ".faceCounts", "uv", "N"}));
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

std::optional<std::size_t> Scene::find(std::string_view path) const {
    for (std::size_t i = 0; i < nodes.size(); ++i)
        if (nodes[i].path == path)
            return i;
    return std::nullopt;
}

Scene Scene::withoutNodes() const {
    Scene result;
    result.rate = rate;
    result.workingRate = workingRate;
    result.unitMetres = unitMetres;
    result.upAxis = upAxis;
    result.materials = materials;
    result.materialFiles = materialFiles;
    result.metadata = metadata;
    result.samplings = samplings;
    result.properties = properties;
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
    const auto at = transform->sampling().locate(seconds, scene.workingRate);
    WYC_TRY(below, transform->channels(at.below));
    WYC_TRY(inherits, transform->inherits(at.below));
    result.inherits = inherits;
    if (at.weight > 0.0) {
        WYC_TRY(above, transform->channels(at.above));
        for (std::size_t i = 0; i < below.size() && i < above.size(); ++i)
            below[i] += (above[i] - below[i]) * at.weight;
    }
    result.matrix = matrixOf(transform->ops(), below);
    return result;
}

} // namespace

Result<Mat4> localMatrix(const Scene& scene, std::size_t node, double seconds) {
    WYC_TRY(local, localPlacement(scene, node, seconds));
    return local.matrix;
}

Result<WorldPlacement> placementAt(const Scene& scene, std::size_t node, double seconds) {
    WorldPlacement result;
    bool inheriting = true;
    bool visibilityKnown = false;
    for (int at = static_cast<int>(node); at >= 0; at = scene.nodes[static_cast<std::size_t>(at)].parent) {
        const Node& here = scene.nodes[static_cast<std::size_t>(at)];
        if (inheriting && here.transform) {
            WYC_TRY(local, localPlacement(scene, static_cast<std::size_t>(at), seconds));
            result.matrix = result.matrix * local.matrix;
            inheriting = local.inherits;
        }
        if (!visibilityKnown && here.visibility && !here.visibility->values.empty()) {
            const auto position = here.visibility->sampling.locate(seconds, scene.workingRate);
            const std::size_t sample = std::min(position.below, here.visibility->values.size() - 1);
            const Visibility value = here.visibility->values[sample];
            if (value != Visibility::AsParent) {
                result.visible = value == Visibility::Visible;
                visibilityKnown = true;
            }
        }
    }
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

void widen(std::optional<TimeSpan>& span, const Sampling& sampling) {
    if (sampling.isStill())
        return;
    if (!span)
        span = TimeSpan{sampling.firstTime(), sampling.lastTime()};
    span->first = std::min(span->first, sampling.firstTime());
    span->last = std::max(span->last, sampling.lastTime());
}

} // namespace

std::optional<TimeSpan> movingSpan(const Scene& scene, std::size_t node) {
    std::optional<TimeSpan> span;
    if (scene.nodes[node].geometry && !scene.nodes[node].geometry->pointsConstant())
        widen(span, scene.nodes[node].geometry->sampling());
    if (scene.nodes[node].kind == NodeKind::Camera)
        widen(span, cameraSampling(scene.nodes[node]));
    for (int at = static_cast<int>(node); at >= 0; at = scene.nodes[static_cast<std::size_t>(at)].parent)
        if (const auto& transform = scene.nodes[static_cast<std::size_t>(at)].transform;
            transform && !transform->constant())
            widen(span, transform->sampling());
    return span;
}

std::optional<TimeSpan> movingSpan(const Scene& scene) {
    std::optional<TimeSpan> span;
    for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
        if (const auto own = movingSpan(scene, i)) {
            if (!span)
                span = own;
            span->first = std::min(span->first, own->first);
            span->last = std::max(span->last, own->last);
        }
    }
    return span;
}

} // namespace wyc
