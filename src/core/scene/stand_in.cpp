// SPDX-License-Identifier: GPL-3.0-or-later
#include "scene/stand_in.h"

#include "scene/components/camera.h"
#include "scene/components/instancer.h"
#include "scene/components/skeleton.h"

namespace wyc {
namespace {

constexpr double kSizeMetres = 0.32;

// The eye, the four corners of the gate and a tip that says which way is up.
class CameraBody final : public Geometry {
  public:
    CameraBody(std::shared_ptr<const Scene> scene, std::size_t node, double size)
        : scene_(std::move(scene)), node_(node), size_(size), sampling_(cameraSampling(scene_->nodes[node])) {}
    [[nodiscard]] const Sampling& sampling() const override { return sampling_; }
    [[nodiscard]] Result<std::size_t> pointCount(std::size_t) const override { return kPoints; }
    [[nodiscard]] Status readRange(std::size_t sample, std::size_t first, std::span<Vec3f> into) const override {
        return readAt(sampling_.time(sample), first, into);
    }
    [[nodiscard]] Status readAt(double seconds, std::size_t first, std::span<Vec3f> into) const override {
        WYC_TRY(view, cameraAt(*scene_, node_, seconds));
        // As long as a normal lens's view is wide: a longer lens looks longer.
        const double distance = size_ * view.figures.focalLength / 35.0;
        const auto gate = view.gateAt(distance);
        std::array<Vec3f, kPoints> all;
        const auto put = [&](std::size_t i, const Vec3d& p) {
            all[i] = {static_cast<float>(p.x), static_cast<float>(p.y), static_cast<float>(p.z)};
        };
        put(0, {});
        for (std::size_t k = 0; k < 4; ++k)
            put(k + 1, gate[k]);
        put(5, (gate[2] + gate[3]) * 0.5 + Vec3d{0, size_ * 0.25, 0});
        return copyRange(all, first, into);
    }
    [[nodiscard]] Result<TopologyPtr> topology(std::size_t) const override { return emptyTopology(); }
    [[nodiscard]] bool topologyVaries() const override { return false; }

  private:
    static constexpr std::size_t kPoints = 6;
    std::shared_ptr<const Scene> scene_;
    std::size_t node_;
    double size_;
    Sampling sampling_;
};

// A point at each joint.
class SkeletonBody final : public Geometry {
  public:
    SkeletonBody(std::shared_ptr<const Scene> scene, std::size_t node, std::vector<Joint> joints)
        : scene_(std::move(scene)), node_(node), joints_(std::move(joints)) {
        sampling_ = skeletonSampling(scene_->nodes[node_]);
    }
    [[nodiscard]] const Sampling& sampling() const override { return sampling_; }
    [[nodiscard]] Result<std::size_t> pointCount(std::size_t) const override { return joints_.size(); }
    [[nodiscard]] Status readRange(std::size_t sample, std::size_t first, std::span<Vec3f> into) const override {
        return readAt(sampling_.time(sample), first, into);
    }
    [[nodiscard]] Status readAt(double seconds, std::size_t first, std::span<Vec3f> into) const override {
        WYC_TRY(matrices, jointMatricesAt(scene_->nodes[node_], joints_, seconds));
        std::vector<Vec3f> all;
        for (const Mat4& matrix : matrices)
            all.push_back(transformedPoint(Vec3f{}, matrix));
        return copyRange(all, first, into);
    }
    [[nodiscard]] Result<std::size_t> pointCountAt(double) const override { return joints_.size(); }
    [[nodiscard]] Result<TopologyPtr> topology(std::size_t) const override { return emptyTopology(); }
    [[nodiscard]] bool topologyVaries() const override { return false; }
    [[nodiscard]] bool straightBetween() const override { return false; }

  private:
    std::shared_ptr<const Scene> scene_;
    std::size_t node_;
    std::vector<Joint> joints_;
    Sampling sampling_;
};

GeometryPtr cross(double size) {
    const auto s = static_cast<float>(size * 0.5);
    return std::make_shared<MemoryGeometry>(
        Sampling::still(), emptyTopology(),
        std::vector<std::vector<Vec3f>>{{{-s, 0, 0}, {s, 0, 0}, {0, -s, 0}, {0, s, 0}, {0, 0, -s}, {0, 0, s}}});
}

} // namespace

std::vector<bool> itemMask(const Scene& scene) {
    std::vector<bool> mask(scene.nodes.size(), false);
    std::vector<bool> hasChild(scene.nodes.size(), false);
    for (const Node& node : scene.nodes)
        if (node.parent >= 0)
            hasChild[static_cast<std::size_t>(node.parent)] = true;
    const std::vector<bool> below = belowInstancers(scene);
    for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
        if (below[i])
            continue;
        const Node& node = scene.nodes[i];
        const bool camera = node.kind == NodeKind::Camera && hasLens(node);
        mask[i] = node.geometry || camera || node.kind == NodeKind::Light || node.kind == NodeKind::Skeleton ||
                  (node.is().place && !hasChild[i] && node.transform);
    }
    return mask;
}

Scene withStandIns(const Scene& scene) {
    const std::vector<bool> mask = itemMask(scene);
    Scene result = scene;
    std::shared_ptr<const Scene> kept;
    const double size = kSizeMetres / scene.unitMetres.value_or(1.0);
    for (std::size_t i = 0; i < result.nodes.size(); ++i) {
        Node& node = result.nodes[i];
        if (!mask[i] || node.geometry)
            continue;
        if (!kept)
            kept = std::make_shared<const Scene>(scene);
        if (node.kind == NodeKind::Camera)
            node.geometry = std::make_shared<CameraBody>(kept, i, size);
        else if (auto joints = node.kind == NodeKind::Skeleton ? jointsOf(node) : Result<std::vector<Joint>>();
                 joints && !joints->empty())
            node.geometry = std::make_shared<SkeletonBody>(kept, i, std::move(*joints));
        else
            node.geometry = cross(size);
    }
    return result;
}

std::vector<std::uint32_t> standInEdges(const Node& node) {
    static const std::vector<std::uint32_t> kCamera{0, 1, 0, 2, 0, 3, 0, 4, 1, 2, 2, 3, 3, 4, 4, 1, 3, 5, 4, 5};
    static const std::vector<std::uint32_t> kCross{0, 1, 2, 3, 4, 5};
    const auto joints = node.kind == NodeKind::Skeleton ? jointsOf(node) : Result<std::vector<Joint>>();
    if (!joints || joints->empty())
        return node.kind == NodeKind::Camera ? kCamera : kCross;
    std::vector<std::uint32_t> bones;
    for (std::size_t i = 0; i < joints->size(); ++i)
        if ((*joints)[i].parent >= 0)
            bones.insert(bones.end(), {static_cast<std::uint32_t>((*joints)[i].parent), static_cast<std::uint32_t>(i)});
    return bones;
}

} // namespace wyc
