// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/schema/skin.h"

#include <algorithm>
#include <cmath>

#include <Eigen/Geometry>
#include <fmt/format.h>

#include "formats/usd/layer/path.h"
#include "scene/components/skeleton.h"

namespace wyc::usd {
namespace {

// A relationship of the prim or of what is above it, up to an untyped prim.
std::string inheritedTarget(const ComposedScene& scene, const Prim& prim, const std::string& name) {
    for (const Prim* at = &prim; at; at = scene.parentOf(*at)) {
        if (const auto targets = scene.targets(*at, name); !targets.empty())
            return targets.front();
        if (at != &prim && at->typeName.empty())
            break;
    }
    return {};
}

bool isUnderSkelRoot(const ComposedScene& scene, const Prim& prim) {
    for (const Prim* at = &prim; at; at = scene.parentOf(*at))
        if (at->typeName == "SkelRoot")
            return true;
    return false;
}

std::vector<std::string> textList(const ComposedScene& scene, const Prim& prim, const std::string& name) {
    const Attribute attribute = scene.attribute(prim, name);
    const auto value = attribute.isThere() ? attribute.at(0.0) : Result<Value>(Value());
    return value ? textsOf(*value) : std::vector<std::string>{};
}

Result<std::vector<Mat4>> matrixList(const ComposedScene& scene, const Prim& prim, const std::string& name) {
    WYC_TRY(numbers, numbersAtCode(scene.attribute(prim, name), 0.0));
    std::vector<Mat4> result(numbers.size() / 16);
    for (std::size_t i = 0; i < result.size(); ++i)
        std::copy_n(numbers.begin() + static_cast<std::ptrdiff_t>(16 * i), 16, result[i].m.begin());
    return result;
}

// Place, turn and size of a matrix without shear.
JointPose poseOf(const Mat4& m) {
    JointPose pose;
    pose.place = {m.m[12], m.m[13], m.m[14]};
    Eigen::Matrix3d rows;
    std::array<double, 3> sizes{};
    for (Eigen::Index r = 0; r < 3; ++r) {
        for (Eigen::Index c = 0; c < 3; ++c)
            rows(r, c) = m.at(static_cast<std::size_t>(r), static_cast<std::size_t>(c));
        sizes[static_cast<std::size_t>(r)] = rows.row(r).norm();
        if (sizes[static_cast<std::size_t>(r)] > 0.0)
            rows.row(r) /= sizes[static_cast<std::size_t>(r)];
    }
    if (rows.determinant() < 0.0) {
        rows.row(0) *= -1.0;
        sizes[0] *= -1.0;
    }
    const Eigen::Quaterniond turn(Eigen::Matrix3d(rows.transpose()));
    pose.turn = {turn.x(), turn.y(), turn.z(), turn.w()};
    pose.size = {sizes[0], sizes[1], sizes[2]};
    return pose;
}

// Parts of the animation of a skeleton.
struct Animation {
    const Prim* prim = nullptr;
    std::vector<std::string> joints;
    Attribute places, turns, sizes, weights;
    std::vector<std::string> shapes;
};
Animation animationOf(const ComposedScene& scene, const Prim& skeleton) {
    Animation result;
    const std::string path = inheritedTarget(scene, skeleton, "skel:animationSource");
    result.prim = path.empty() ? nullptr : scene.prim(path);
    if (!result.prim || !result.prim->active || result.prim->typeName != "SkelAnimation") {
        result.prim = nullptr;
        return result;
    }
    result.joints = textList(scene, *result.prim, "joints");
    result.places = scene.attribute(*result.prim, "translations");
    result.turns = scene.attribute(*result.prim, "rotations");
    result.sizes = scene.attribute(*result.prim, "scales");
    result.shapes = textList(scene, *result.prim, "blendShapes");
    result.weights = scene.attribute(*result.prim, "blendShapeWeights");
    return result;
}

// Points of another shape brought from one place into another.
class MovedInto final : public MomentWrapper {
  public:
    MovedInto(GeometryPtr inner, std::vector<TransformPtr> from, std::vector<TransformPtr> into, const FrameRate& rate)
        : MomentWrapper(std::move(inner)), from_(std::move(from)), into_(std::move(into)) {
        // What is above both moves neither against the other.
        while (!from_.empty() && !into_.empty() && from_.back() == into_.back()) {
            from_.pop_back();
            into_.pop_back();
        }
        std::vector<Sampling> all{this->inner().sampling()};
        for (const auto* chain : {&from_, &into_})
            for (const TransformPtr& transform : *chain)
                if (!transform->constant()) {
                    all.push_back(transform->sampling());
                    moves_ = true;
                }
        sampling_ = moves_ ? commonSampling(all) : this->inner().sampling();
        if (moves_ && !sampling_.isStill()) {
            std::vector<double> times = sampling_.times();
            const auto frames = wholeFrames(times.front(), times.back(), rate);
            times.insert(times.end(), frames.begin(), frames.end());
            sortMoments(times);
            sampling_ = samplingFromTimes(times);
        }
    }
    [[nodiscard]] const Sampling& sampling() const override { return sampling_; }
    [[nodiscard]] Result<std::size_t> pointCount(std::size_t) const override { return inner().pointCount(0); }
    [[nodiscard]] Result<TopologyPtr> topology(std::size_t) const override { return inner().topology(0); }
    [[nodiscard]] Result<FaceSetsPtr> faceSets(std::size_t) const override { return inner().faceSets(0); }
    [[nodiscard]] Status readRange(std::size_t sample, std::size_t first, std::span<Vec3f> into) const override {
        return readAt(sampling_.isStill() ? inner().sampling().firstTime() : sampling_.time(sample), first, into);
    }
    [[nodiscard]] Status readAt(double seconds, std::size_t first, std::span<Vec3f> into) const override {
        WYC_CHECK(inner().readAt(seconds, first, into));
        WYC_TRY(from, chainAt(from_, seconds));
        WYC_TRY(to, chainAt(into_, seconds));
        const auto back = inverseOf(to);
        if (!back) // what is flat shows nothing
            return {};
        const Mat4 move = from * *back;
        for (Vec3f& point : into)
            point = transformedPoint(point, move);
        return {};
    }
    [[nodiscard]] bool straightBetween() const override { return !moves_ && inner().straightBetween(); }
    [[nodiscard]] bool pointsConstant() const override { return !moves_ && inner().pointsConstant(); }
    [[nodiscard]] std::optional<std::uint64_t> pointsToken(std::size_t) const override { return std::nullopt; }
    [[nodiscard]] std::optional<std::uint64_t> byteOfPoints(std::size_t) const override { return std::nullopt; }

  private:
    static Result<Mat4> chainAt(const std::vector<TransformPtr>& chain, double seconds) {
        Mat4 result;
        for (const TransformPtr& transform : chain) {
            WYC_TRY(channels, transform->channelsAt(seconds));
            result = result * matrixOf(transform->ops(), channels);
        }
        return result;
    }
    std::vector<TransformPtr> from_;
    std::vector<TransformPtr> into_;
    Sampling sampling_;
    bool moves_ = false;
};

// Morphs that act on what the skin has made, along the mesh's own axes.
class MorphedBehind final : public MomentWrapper {
  public:
    MorphedBehind(GeometryPtr skinned, GeometryPtr morphed, std::vector<Vec3f> rest)
        : MomentWrapper(std::move(skinned)),
          morphed_(std::move(morphed)),
          rest_(std::move(rest)),
          sampling_(commonSampling({inner().sampling(), morphed_->sampling()})) {}
    [[nodiscard]] const Sampling& sampling() const override { return sampling_; }
    [[nodiscard]] Result<std::size_t> pointCount(std::size_t) const override { return inner().pointCount(0); }
    [[nodiscard]] Result<TopologyPtr> topology(std::size_t) const override { return inner().topology(0); }
    [[nodiscard]] Result<FaceSetsPtr> faceSets(std::size_t) const override { return inner().faceSets(0); }
    [[nodiscard]] Status readRange(std::size_t sample, std::size_t first, std::span<Vec3f> into) const override {
        return readAt(sampling_.isStill() ? sampling_.firstTime() : sampling_.time(sample), first, into);
    }
    [[nodiscard]] Status readAt(double seconds, std::size_t first, std::span<Vec3f> into) const override {
        WYC_CHECK(inner().readAt(seconds, first, into));
        std::vector<Vec3f> morphed(into.size());
        WYC_CHECK(morphed_->readAt(seconds, first, morphed));
        for (std::size_t i = 0; i < into.size(); ++i)
            into[i] = {into[i].x + (morphed[i].x - rest_[first + i].x), into[i].y + (morphed[i].y - rest_[first + i].y),
                       into[i].z + (morphed[i].z - rest_[first + i].z)};
        return {};
    }
    [[nodiscard]] bool straightBetween() const override {
        return inner().straightBetween() && morphed_->straightBetween();
    }
    [[nodiscard]] bool pointsConstant() const override {
        return inner().pointsConstant() && morphed_->pointsConstant();
    }
    [[nodiscard]] std::optional<std::uint64_t> pointsToken(std::size_t) const override { return std::nullopt; }
    [[nodiscard]] std::optional<std::uint64_t> byteOfPoints(std::size_t) const override { return std::nullopt; }

  private:
    GeometryPtr morphed_;
    std::vector<Vec3f> rest_;
    Sampling sampling_;
};

// Of the transforms above something those that count for it: none beyond one that starts anew.
Result<std::vector<TransformPtr>> countingOf(const std::vector<TransformPtr>& chain) {
    std::vector<TransformPtr> result;
    for (const TransformPtr& transform : chain) {
        if (!transform)
            continue;
        result.push_back(transform);
        WYC_TRY(inherits, transform->inherits(0));
        if (!inherits)
            break;
    }
    return result;
}

Result<std::vector<MorphTarget>> morphsOf(const ComposedScene& scene, const Prim& prim, const Animation& animation,
                                          const Clock& clock, std::size_t points, std::vector<std::string>& remarks) {
    std::vector<MorphTarget> morphs;
    const std::vector<std::string> names = textList(scene, prim, "skel:blendShapes");
    const std::vector<std::string> targets = scene.targets(prim, "skel:blendShapeTargets");
    const std::vector<double> codes = codesOf(animation.weights);
    for (std::size_t i = 0; i < names.size() && i < targets.size(); ++i) {
        const Prim* shape = scene.prim(targets[i]);
        if (!shape || shape->typeName != "BlendShape") {
            remarks.push_back(fmt::format("its blend shape '{}' leads to {}, which is none", names[i], targets[i]));
            continue;
        }
        MorphTarget morph;
        morph.name = names[i];
        const auto at = std::find(animation.shapes.begin(), animation.shapes.end(), names[i]);
        const auto number = static_cast<std::size_t>(at - animation.shapes.begin());
        const auto weightAt = [&](double code) -> Result<float> {
            if (at == animation.shapes.end())
                return 0.0F;
            WYC_TRY(all, numbersAtCode(animation.weights, code));
            return number < all.size() ? static_cast<float>(all[number]) : 0.0F;
        };
        morph.sampling = codes.size() < 2 ? Sampling::still() : clock.sampling(codes);
        for (std::size_t k = 0; k < std::max<std::size_t>(1, codes.size()); ++k) {
            WYC_TRY(weight, weightAt(codes.empty() ? 0.0 : codes[k]));
            morph.weights.push_back(weight);
        }
        WYC_TRY(which, wholesAtCode(scene.attribute(*shape, "pointIndices"), 0.0));
        const auto add = [&](const std::string& name, float whole, const std::vector<double>& offsets) {
            MorphShape made{name, whole, {}, {}};
            const std::size_t count =
                which.empty() ? std::min(points, offsets.size() / 3) : std::min(which.size(), offsets.size() / 3);
            std::vector<std::pair<std::int32_t, Vec3f>> moved;
            for (std::size_t k = 0; k < count; ++k) {
                const std::int64_t point = which.empty() ? static_cast<std::int64_t>(k) : which[k];
                if (point >= 0 && static_cast<std::size_t>(point) < points)
                    moved.emplace_back(static_cast<std::int32_t>(point),
                                       Vec3f{static_cast<float>(offsets[3 * k]), static_cast<float>(offsets[3 * k + 1]),
                                             static_cast<float>(offsets[3 * k + 2])});
            }
            std::stable_sort(moved.begin(), moved.end(),
                             [](const auto& a, const auto& b) { return a.first < b.first; });
            for (const auto& [point, offset] : moved) {
                if (!made.points.empty() && made.points.back() == point) {
                    Vec3f& sum = made.offsets.back();
                    sum = {sum.x + offset.x, sum.y + offset.y, sum.z + offset.z};
                    continue;
                }
                made.points.push_back(point);
                made.offsets.push_back(offset);
            }
            morph.shapes.push_back(std::move(made));
        };
        WYC_TRY(offsets, numbersAtCode(scene.attribute(*shape, "offsets"), 0.0));
        add("whole", 1.0F, offsets);
        for (const std::string& name : scene.propertyNames(*shape)) {
            if (!name.starts_with("inbetweens:") || name.ends_with(":normalOffsets"))
                continue;
            const Value weight = scene.metadata(*shape, name, "weight");
            const double whole = weight.number().value_or(0.0);
            if (whole == 0.0 || whole == 1.0) {
                remarks.push_back(fmt::format("the in-between '{}' of its blend shape '{}' has no usable weight",
                                              name.substr(11), names[i]));
                continue;
            }
            WYC_TRY(between, numbersAtCode(scene.attribute(*shape, name), 0.0));
            add(name.substr(11), static_cast<float>(whole), between);
        }
        morphs.push_back(std::move(morph));
    }
    return morphs;
}

} // namespace

std::string skeletonOf(const ComposedScene& scene, const Prim& mesh) {
    if (!isUnderSkelRoot(scene, mesh))
        return {};
    const bool weights = scene.attribute(mesh, "primvars:skel:jointIndices").hasValue() &&
                         scene.attribute(mesh, "primvars:skel:jointWeights").hasValue();
    const bool shapes = !scene.targets(mesh, "skel:blendShapeTargets").empty();
    return weights || shapes ? inheritedTarget(scene, mesh, "skel:skeleton") : std::string();
}

Status addSkeleton(Node& node, const ComposedScene& scene, const Prim& prim, const Clock& clock) {
    const std::vector<std::string> names = textList(scene, prim, "joints");
    WYC_TRY(binds, matrixList(scene, prim, "bindTransforms"));
    WYC_TRY(rests, matrixList(scene, prim, "restTransforms"));
    std::vector<Joint> joints;
    for (std::size_t i = 0; i < names.size(); ++i) {
        Joint joint{names[i], -1, i < binds.size() ? binds[i] : Mat4{}, i < rests.size() ? rests[i] : Mat4{}};
        // The nearest joint above it by its path.
        for (std::string above = names[i]; joint.parent < 0 && above.find('/') != std::string::npos;) {
            above.resize(above.rfind('/'));
            const auto found = std::find(names.begin(), names.end(), above);
            if (found != names.end())
                joint.parent = static_cast<std::int32_t>(found - names.begin());
        }
        if (joint.parent >= static_cast<std::int32_t>(i))
            return fail(
                makeError(ErrorKind::BadFormat, fmt::format("joint '{}' stands before the one above it", names[i]))
                    .forItem(prim.path));
        joints.push_back(std::move(joint));
    }
    const Animation animation = animationOf(scene, prim);
    const std::vector<double> codes = codesOf({&animation.places, &animation.turns, &animation.sizes});
    std::vector<std::vector<JointPose>> samples;
    for (std::size_t k = 0; k < std::max<std::size_t>(1, codes.size()); ++k) {
        const double code = codes.empty() ? 0.0 : codes[k];
        std::vector<JointPose> poses;
        for (const Joint& joint : joints)
            poses.push_back(poseOf(joint.rest));
        if (animation.prim) {
            WYC_TRY(places, numbersAtCode(animation.places, code));
            WYC_TRY(turns, numbersAtCode(animation.turns, code));
            WYC_TRY(sizes, numbersAtCode(animation.sizes, code));
            const std::size_t count = animation.joints.size();
            if (places.size() == 3 * count && turns.size() == 4 * count && sizes.size() == 3 * count)
                for (std::size_t i = 0; i < count; ++i) {
                    const auto found = std::find(names.begin(), names.end(), animation.joints[i]);
                    if (found == names.end())
                        continue;
                    JointPose& pose = poses[static_cast<std::size_t>(found - names.begin())];
                    pose.place = {places[3 * i], places[3 * i + 1], places[3 * i + 2]};
                    std::copy_n(turns.begin() + static_cast<std::ptrdiff_t>(4 * i), 4, pose.turn.begin());
                    pose.size = {sizes[3 * i], sizes[3 * i + 1], sizes[3 * i + 2]};
                }
        }
        samples.push_back(std::move(poses));
    }
    setSkeleton(node, joints, codes.size() < 2 ? Sampling::still() : clock.sampling(codes), samples);
    return {};
}

Result<bool> addSkin(Node& node, const ComposedScene& scene, const Prim& prim, const Clock& clock,
                     const SkinPlace& place, std::vector<std::string>& remarks) {
    const Prim* skeletonPrim = scene.prim(place.skeletonPath);
    if (!place.skeleton || !skeletonPrim || !node.geometry || node.geometry->topologyVaries())
        return false;
    WYC_TRY(count, node.geometry->pointCount(0));
    std::vector<Vec3f> rest(count);
    WYC_CHECK(node.geometry->readPoints(0, rest));
    const Animation animation = animationOf(scene, *skeletonPrim);
    WYC_TRY(morphs, morphsOf(scene, prim, animation, clock, count, remarks));
    std::optional<Skin> skin;
    const Attribute indices = scene.attribute(prim, "primvars:skel:jointIndices");
    const Attribute weights = scene.attribute(prim, "primvars:skel:jointWeights");
    if (indices.hasValue() && weights.hasValue()) {
        WYC_TRY(which, wholesAtCode(indices, 0.0));
        WYC_TRY(shares, numbersAtCode(weights, 0.0));
        const bool constant = indices.interpolation.empty() || indices.interpolation == "constant";
        const auto perPoint = static_cast<std::size_t>(constant ? std::max<std::size_t>(which.size(), 1)
                                                                : static_cast<std::size_t>(indices.elementSize));
        const std::size_t wanted = constant ? perPoint : perPoint * count;
        if (which.size() != shares.size() || which.size() != wanted) {
            remarks.push_back(
                fmt::format("its skin has {} joints and {} weights for {} points: it stays as it is at rest",
                            which.size(), shares.size(), count));
            return false;
        }
        const std::vector<std::string> all = textList(scene, *skeletonPrim, "joints");
        const std::vector<std::string> own = textList(scene, prim, "skel:joints");
        skin.emplace();
        skin->skeleton = place.skeleton->id;
        skin->perPoint = static_cast<std::uint32_t>(perPoint);
        WYC_TRY(bind, numbersAtCode(scene.attribute(prim, "primvars:skel:geomBindTransform"), 0.0));
        if (bind.size() == 16)
            std::copy_n(bind.begin(), 16, skin->placing.m.begin());
        for (std::size_t i = 0; i < perPoint * count; ++i) {
            const std::size_t from = constant ? i % perPoint : i;
            std::int64_t joint = which[from];
            if (!own.empty()) {
                const auto found = joint >= 0 && static_cast<std::size_t>(joint) < own.size()
                                       ? std::find(all.begin(), all.end(), own[static_cast<std::size_t>(joint)])
                                       : all.end();
                joint = found == all.end() ? -1 : found - all.begin();
            }
            const bool known = joint >= 0 && static_cast<std::size_t>(joint) < all.size();
            if (!known && shares[from] != 0.0) {
                remarks.push_back("its skin follows joints that its skeleton does not have: it stays as it is at rest");
                return false;
            }
            skin->joints.push_back(known ? static_cast<std::int32_t>(joint) : 0);
            skin->weights.push_back(known ? static_cast<float>(shares[from]) : 0.0F);
        }
    }
    if (textAtCode(scene.attribute(prim, "primvars:skel:skinningMethod"), 0.0, "classicLinear") != "classicLinear")
        remarks.push_back("its skin asks for dual quaternions: it is blended in straight lines");
    WYC_TRY(faces, node.geometry->topology(0));
    WYC_TRY(sets, node.geometry->faceSets(0));
    const bool behind = skin && !morphs.empty() && scene.choices().morphsBehindSkin;
    Node made = node;
    setDeformers(made, rest, behind ? std::vector<MorphTarget>() : morphs, skin);
    WYC_CHECK(deform(made, skin ? place.skeleton : nullptr, faces, sets, clock.rate));
    WYC_TRY(ofMesh, countingOf(place.aboveMesh));
    WYC_TRY(ofSkeleton, countingOf(place.aboveSkeleton));
    const bool together = !skin || ofMesh == ofSkeleton;
    if (together && !behind) { // they stay what they are
        node = std::move(made);
        return true;
    }
    node.geometry =
        together ? made.geometry : std::make_shared<MovedInto>(made.geometry, ofSkeleton, ofMesh, clock.rate);
    if (behind) {
        Node morphed = node;
        setDeformers(morphed, rest, morphs, std::nullopt);
        WYC_CHECK(deform(morphed, nullptr, faces, sets, clock.rate));
        node.geometry = std::make_shared<MorphedBehind>(node.geometry, morphed.geometry, std::move(rest));
    }
    return true;
}

} // namespace wyc::usd
