// SPDX-License-Identifier: GPL-3.0-or-later
#include "scene/deform/deformers.h"

#include <algorithm>

#include <fmt/format.h>

#include "scene/channels.h"
#include "scene/components/skeleton.h"

namespace wyc {
namespace {

Error misfit(std::string what) {
    return makeError(ErrorKind::BadInput, "skin and morphs do not fit together: " + what);
}

const PropertyNode* withMeaning(const std::vector<PropertyNode>& list, Meaning meaning) {
    const auto found =
        std::find_if(list.begin(), list.end(), [&](const PropertyNode& p) { return p.meaning == meaning; });
    return found == list.end() || !found->values || found->values->sampling().count() == 0 ? nullptr : &*found;
}

struct Shape {
    double whole = 1.0;
    std::vector<std::int32_t> points;
    std::vector<Vec3f> offsets;
};
struct Target {
    ValuesPtr weight;
    std::vector<Shape> shapes; // by `whole`, rising
};

// All that does not change in time, read when it is first needed.
struct Fixed {
    std::vector<Vec3f> rest;
    std::vector<Target> targets;
    Mat4 placing;
    std::size_t perPoint = 0;
    std::vector<std::int32_t> joints;
    std::vector<float> weights;
    std::vector<Joint> skeleton;
    std::vector<Mat4> unbound; // of each joint: the inverse of its bind
};

Result<std::vector<Vec3f>> triplesOf(const SampledValues& values) {
    WYC_TRY(numbers, valuesOf<float>(values, 0));
    std::vector<Vec3f> result(numbers.size() / 3);
    for (std::size_t i = 0; i < result.size(); ++i)
        result[i] = {numbers[i * 3], numbers[i * 3 + 1], numbers[i * 3 + 2]};
    return result;
}

Result<Shape> shapeOf(const PropertyNode& group, std::size_t points) {
    const PropertyNode* numbers = withMeaning(group.children, Meaning::MorphPoints);
    const PropertyNode* offsets = withMeaning(group.children, Meaning::MorphOffsets);
    if (!numbers || !offsets)
        return fail(misfit(fmt::format("shape '{}' has no points or no offsets", group.name)));
    Shape shape;
    if (const PropertyNode* whole = withMeaning(group.children, Meaning::MorphAt)) {
        WYC_TRY(at, valuesOf<float>(*whole->values, 0));
        shape.whole = at.empty() ? 1.0 : static_cast<double>(at.front());
    }
    WYC_TRY(which, valuesOf<std::int32_t>(*numbers->values, 0));
    WYC_TRY(far, triplesOf(*offsets->values));
    shape.points = std::move(which);
    shape.offsets = std::move(far);
    if (shape.points.size() != shape.offsets.size())
        return fail(misfit(fmt::format("shape '{}' has {} points and {} offsets", group.name, shape.points.size(),
                                       shape.offsets.size())));
    for (std::size_t i = 0; i < shape.points.size(); ++i)
        if (shape.points[i] < (i == 0 ? 0 : shape.points[i - 1] + 1) ||
            static_cast<std::size_t>(shape.points[i]) >= points)
            return fail(misfit(fmt::format("shape '{}' moves point {} behind point {}, of {}", group.name,
                                           shape.points[i], i == 0 ? -1 : shape.points[i - 1], points)));
    return shape;
}

Result<Target> targetOf(const PropertyNode& group, std::size_t points) {
    const PropertyNode* weight = withMeaning(group.children, Meaning::MorphWeight);
    if (!weight)
        return fail(misfit(fmt::format("morph '{}' has no weight", group.name)));
    Target target{weight->values, {}};
    for (const PropertyNode& child : group.children)
        if (!child.values) {
            WYC_TRY(shape, shapeOf(child, points));
            if (shape.whole == 0.0)
                return fail(misfit(fmt::format("shape '{}' is whole at a weight of 0", child.name)));
            target.shapes.push_back(std::move(shape));
        }
    std::stable_sort(target.shapes.begin(), target.shapes.end(),
                     [](const Shape& a, const Shape& b) { return a.whole < b.whole; });
    return target;
}

// How much of each shape a weight shows: in straight lines from nothing at 0 to each shape where it is whole, and
// further on in the last of these lines.
std::vector<double> sharesOf(const Target& target, double weight) {
    std::vector<double> shares(target.shapes.size(), 0.0);
    struct Key {
        double at;
        std::optional<std::size_t> shape;
    };
    std::vector<Key> keys;
    for (std::size_t i = 0; i < target.shapes.size(); ++i) {
        if (target.shapes[i].whole > 0.0 && (keys.empty() || keys.back().at < 0.0))
            keys.push_back({0.0, {}});
        keys.push_back({target.shapes[i].whole, i});
    }
    if (keys.empty())
        return shares;
    if (keys.back().at < 0.0)
        keys.push_back({0.0, {}});
    std::size_t k = 1;
    while (k + 1 < keys.size() && weight > keys[k].at)
        ++k;
    const double gap = keys[k].at - keys[k - 1].at;
    const double way = gap > 0.0 ? (weight - keys[k - 1].at) / gap : 1.0;
    if (keys[k - 1].shape)
        shares[*keys[k - 1].shape] += 1.0 - way;
    if (keys[k].shape)
        shares[*keys[k].shape] += way;
    return shares;
}

Result<Fixed> fixedOf(const Node& node, const Node* skeleton) {
    const std::vector<PropertyNode> list = node.properties ? node.properties->all() : std::vector<PropertyNode>();
    Fixed fixed;
    const PropertyNode* rest = withMeaning(list, Meaning::RestPoints);
    if (!rest)
        return fail(misfit("there are no points at rest"));
    WYC_TRY(points, triplesOf(*rest->values));
    fixed.rest = std::move(points);
    for (const PropertyNode& property : list)
        if (property.meaning == Meaning::Morph) {
            WYC_TRY(target, targetOf(property, fixed.rest.size()));
            fixed.targets.push_back(std::move(target));
        }
    if (!skeleton)
        return fixed;
    const PropertyNode* joints = withMeaning(list, Meaning::SkinJoints);
    const PropertyNode* weights = withMeaning(list, Meaning::SkinWeights);
    if (!joints || !weights)
        return fail(misfit("a skin without joints or weights"));
    if (const PropertyNode* placing = withMeaning(list, Meaning::SkinBind)) {
        WYC_TRY(numbers, numbersOf(*placing->values, 0));
        if (numbers.size() == 16)
            std::copy_n(numbers.begin(), 16, fixed.placing.m.begin());
    }
    fixed.perPoint = joints->values->extent();
    WYC_TRY(which, valuesOf<std::int32_t>(*joints->values, 0));
    WYC_TRY(shares, valuesOf<float>(*weights->values, 0));
    WYC_TRY(bones, jointsOf(*skeleton));
    fixed.joints = std::move(which);
    fixed.weights = std::move(shares);
    fixed.skeleton = std::move(bones);
    const std::size_t wanted = fixed.rest.size() * fixed.perPoint;
    if (fixed.joints.size() != wanted || fixed.weights.size() != wanted)
        return fail(misfit(fmt::format("{} joints and {} weights for {} points of {}", fixed.joints.size(),
                                       fixed.weights.size(), fixed.rest.size(), fixed.perPoint)));
    for (const std::int32_t joint : fixed.joints)
        if (joint < 0 || static_cast<std::size_t>(joint) >= fixed.skeleton.size())
            return fail(misfit(fmt::format("a point follows joint {} of {}", joint, fixed.skeleton.size())));
    for (const Joint& joint : fixed.skeleton) {
        const auto inverse = inverseOf(joint.bind);
        if (!inverse)
            return fail(misfit(fmt::format("joint '{}' was bound flat", joint.name)));
        fixed.unbound.push_back(*inverse);
    }
    return fixed;
}

class DeformedGeometry final : public Geometry {
  public:
    DeformedGeometry(std::shared_ptr<const Node> skeleton, TopologyPtr faces, FaceSetsPtr sets,
                     std::shared_ptr<const Fixed> fixed, const FrameRate& rate)
        : skeleton_(std::move(skeleton)), faces_(std::move(faces)), sets_(std::move(sets)), fixed_(std::move(fixed)) {
        std::vector<Sampling> keys;
        for (const Target& target : fixed_->targets) {
            if (target.weight->constant())
                continue;
            keys.push_back(target.weight->sampling());
            straight_ = straight_ && target.shapes.size() < 2; // it bends at an in-between
        }
        if (skeleton_ && !skeletonSampling(*skeleton_).isStill()) {
            keys.push_back(skeletonSampling(*skeleton_));
            straight_ = false;
        }
        sampling_ = commonSampling(keys);
        if (straight_ || sampling_.isStill())
            return;
        std::vector<double> times = sampling_.times();
        const auto frames = wholeFrames(times.front(), times.back(), rate);
        times.insert(times.end(), frames.begin(), frames.end());
        sortMoments(times);
        sampling_ = samplingFromTimes(times);
    }

    [[nodiscard]] const Sampling& sampling() const override { return sampling_; }
    [[nodiscard]] Result<std::size_t> pointCount(std::size_t) const override { return fixed_->rest.size(); }
    [[nodiscard]] Status readRange(std::size_t sample, std::size_t first, std::span<Vec3f> into) const override {
        return readAt(sampling_.time(sample), first, into);
    }
    [[nodiscard]] Result<TopologyPtr> topology(std::size_t) const override { return faces_; }
    [[nodiscard]] Result<FaceSetsPtr> faceSets(std::size_t) const override { return sets_; }
    [[nodiscard]] bool topologyVaries() const override { return false; }
    [[nodiscard]] Result<std::size_t> pointCountAt(double) const override { return fixed_->rest.size(); }
    [[nodiscard]] Result<TopologyPtr> topologyAt(double) const override { return faces_; }
    [[nodiscard]] Result<FaceSetsPtr> faceSetsAt(double) const override { return sets_; }
    [[nodiscard]] bool straightBetween() const override { return straight_; }

    [[nodiscard]] Status readAt(double seconds, std::size_t first, std::span<Vec3f> into) const override {
        const std::size_t count = fixed_->rest.size();
        if (first > count || into.size() > count - first)
            return fail(ErrorKind::Internal, "points beyond the last one");
        std::vector<Vec3d> points;
        points.reserve(into.size());
        for (std::size_t i = 0; i < into.size(); ++i)
            points.emplace_back(fixed_->rest[first + i]);
        WYC_CHECK(morph(seconds, first, points));
        if (skeleton_)
            WYC_CHECK(skin(seconds, first, points));
        for (std::size_t i = 0; i < into.size(); ++i)
            into[i] = {static_cast<float>(points[i].x), static_cast<float>(points[i].y),
                       static_cast<float>(points[i].z)};
        return {};
    }

  private:
    [[nodiscard]] Status morph(double seconds, std::size_t first, std::span<Vec3d> points) const {
        for (const Target& target : fixed_->targets) {
            WYC_TRY(weight, numbersAt(*target.weight, seconds));
            if (weight.empty())
                continue;
            const std::vector<double> shares = sharesOf(target, weight.front());
            for (std::size_t s = 0; s < shares.size(); ++s) {
                if (shares[s] == 0.0)
                    continue;
                const Shape& shape = target.shapes[s];
                auto at = std::lower_bound(shape.points.begin(), shape.points.end(), static_cast<std::int32_t>(first));
                for (; at != shape.points.end() && static_cast<std::size_t>(*at) < first + points.size(); ++at) {
                    Vec3d& point = points[static_cast<std::size_t>(*at) - first];
                    point =
                        point + Vec3d(shape.offsets[static_cast<std::size_t>(at - shape.points.begin())]) * shares[s];
                }
            }
        }
        return {};
    }
    [[nodiscard]] Status skin(double seconds, std::size_t first, std::span<Vec3d> points) const {
        WYC_TRY(joints, jointMatricesAt(*skeleton_, fixed_->skeleton, seconds));
        for (std::size_t j = 0; j < joints.size(); ++j)
            joints[j] = fixed_->placing * fixed_->unbound[j] * joints[j];
        for (std::size_t i = 0; i < points.size(); ++i) {
            Vec3d sum;
            bool any = false;
            for (std::size_t k = 0; k < fixed_->perPoint; ++k) {
                const std::size_t at = (first + i) * fixed_->perPoint + k;
                if (fixed_->weights[at] == 0.0F)
                    continue;
                any = true;
                sum = sum + transformedPoint(points[i], joints[static_cast<std::size_t>(fixed_->joints[at])]) *
                                static_cast<double>(fixed_->weights[at]);
            }
            if (any)
                points[i] = sum;
        }
        return {};
    }

    std::shared_ptr<const Node> skeleton_;
    TopologyPtr faces_;
    FaceSetsPtr sets_;
    std::shared_ptr<const Fixed> fixed_;
    Sampling sampling_;
    bool straight_ = true;
};

std::vector<float> flat(const std::vector<Vec3f>& points) {
    std::vector<float> numbers;
    numbers.reserve(points.size() * 3);
    for (const Vec3f& p : points)
        numbers.insert(numbers.end(), {p.x, p.y, p.z});
    return numbers;
}

// Transforms between a node and the top, from below; one that stands free ends them.
std::vector<const Transform*> above(const Scene& scene, std::size_t node) {
    std::vector<const Transform*> all;
    for (int i = static_cast<int>(node); i >= 0; i = scene.nodes[static_cast<std::size_t>(i)].parent)
        if (const TransformPtr& transform = scene.nodes[static_cast<std::size_t>(i)].transform)
            all.push_back(transform.get());
    return all;
}

} // namespace

bool dropDeformers(Node& node) {
    node.deformation.reset();
    if (!node.properties)
        return false;
    KeptProperties kept =
        keptProperties(node.properties, [](const PropertyNode& property, const PropertyNode*) -> ValuesPtr {
            return traitsOf(property.meaning).of == Owner::Deformers ? nullptr : property.values;
        });
    if (kept.gone.empty())
        return false;
    node.properties = std::move(kept.kept);
    return true;
}

void setDeformers(Node& node, const std::vector<Vec3f>& restPoints, const std::vector<MorphTarget>& morphs,
                  const std::optional<Skin>& skin) {
    std::vector<PropertyNode> list = node.properties ? node.properties->all() : std::vector<PropertyNode>();
    list.push_back(plainProperty(Meaning::RestPoints, "rest", stillValues(ValueType::Float, 3, true, flat(restPoints)),
                                 SpaceRole::Position));
    for (const MorphTarget& morph : morphs) {
        PropertyNode group = plainProperty(Meaning::Morph, morph.name, nullptr);
        std::vector<std::vector<float>> weights;
        for (const float weight : morph.weights)
            weights.push_back({weight});
        group.children.push_back(plainProperty(Meaning::MorphWeight, "weight",
                                               memoryValues(ValueType::Float, 1, false, morph.sampling, weights)));
        for (const MorphShape& shape : morph.shapes) {
            PropertyNode own = plainProperty(Meaning::Unknown, shape.name, nullptr);
            own.children.push_back(plainProperty(
                Meaning::MorphAt, "whole", stillValues(ValueType::Float, 1, false, std::vector<float>{shape.whole})));
            own.children.push_back(
                plainProperty(Meaning::MorphPoints, "points", stillValues(ValueType::Int32, 1, true, shape.points)));
            own.children.push_back(plainProperty(Meaning::MorphOffsets, "offsets",
                                                 stillValues(ValueType::Float, 3, true, flat(shape.offsets)),
                                                 SpaceRole::Vector));
            group.children.push_back(std::move(own));
        }
        list.push_back(std::move(group));
    }
    if (skin) {
        list.push_back(plainProperty(Meaning::SkinBind, "placing",
                                     stillValues(ValueType::Double, 16, false,
                                                 std::vector<double>(skin->placing.m.begin(), skin->placing.m.end())),
                                     SpaceRole::Placement));
        list.push_back(plainProperty(Meaning::SkinJoints, "joints",
                                     stillValues(ValueType::Int32, skin->perPoint, true, skin->joints)));
        list.push_back(plainProperty(Meaning::SkinWeights, "weights",
                                     stillValues(ValueType::Float, skin->perPoint, true, skin->weights)));
    }
    node.properties = plainProperties(std::move(list));
}

Status deform(Node& node, const Node* skeleton, const TopologyPtr& faces, const FaceSetsPtr& sets,
              const FrameRate& rate) {
    auto fixed = fixedOf(node, skeleton);
    if (!fixed)
        return fail(std::move(fixed.error()).forItem(node.path));
    node.geometry =
        std::make_shared<DeformedGeometry>(skeleton ? std::make_shared<const Node>(*skeleton) : nullptr, faces, sets,
                                           std::make_shared<const Fixed>(std::move(*fixed)), rate);
    node.deformation = Deformation{node.geometry, skeleton ? std::optional(skeleton->id) : std::nullopt};
    return {};
}

std::vector<std::string> morphNames(const Node& node) {
    std::vector<std::string> names;
    for (const PropertyNode& property : node.properties ? node.properties->all() : std::vector<PropertyNode>())
        if (property.meaning == Meaning::Morph)
            names.push_back(property.name);
    return names;
}

bool isDeformed(const Node& node) {
    return node.deformation && node.geometry && node.deformation->makes == node.geometry;
}

bool hasDeformers(const Scene& scene) {
    return std::any_of(scene.nodes.begin(), scene.nodes.end(), [](const Node& node) { return isDeformed(node); });
}

void stillDeformed(Node& after, const Node& before) {
    if (isDeformed(before) && after.deformation)
        after.deformation->makes = after.geometry;
}

Scene settledDeformers(Scene scene) {
    for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
        Node& node = scene.nodes[i];
        if (!node.deformation)
            continue;
        bool fits = isDeformed(node);
        if (fits && node.deformation->skeleton) {
            const auto skeleton = scene.find(*node.deformation->skeleton);
            fits = skeleton && above(scene, i) == above(scene, *skeleton);
        }
        if (!fits && dropDeformers(node))
            scene.report.notCarried.push_back({node.path, std::string(kDeformersGone)});
    }
    return scene;
}

Result<Scene> deformedByStored(Scene scene) {
    const auto stored = [](const PropertiesPtr& properties) {
        return changedChannels(properties, [](const Channel& channel) { return storedValues(channel.values); });
    };
    for (Node& node : scene.nodes) {
        if (!isDeformed(node))
            continue;
        std::optional<Node> skeleton;
        if (node.deformation->skeleton)
            if (const auto found = scene.find(*node.deformation->skeleton)) {
                skeleton = scene.nodes[*found];
                skeleton->properties = stored(skeleton->properties);
            }
        Node made = node;
        made.properties = stored(node.properties);
        WYC_TRY(faces, node.geometry->topology(0));
        WYC_TRY(sets, node.geometry->faceSets(0));
        WYC_CHECK(deform(made, skeleton ? &*skeleton : nullptr, faces, sets, scene.view.rate));
        node.geometry = made.geometry;
        node.deformation = made.deformation;
    }
    return scene;
}

Scene deformersAsPoints(Scene scene) {
    for (Node& node : scene.nodes)
        if (node.kind == NodeKind::Skeleton) {
            node.kind = NodeKind::Transform;
            node.properties = nullptr;
            scene.report.notCarried.push_back({node.path, "its joints: a place is left"});
        } else if (node.deformation && dropDeformers(node))
            scene.report.notCarried.push_back({node.path, std::string(kDeformersGone)});
    return scene;
}

} // namespace wyc
