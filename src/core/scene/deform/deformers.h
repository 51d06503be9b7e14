// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Deformers: what makes a mesh's points move, where a source says it as morphs and a skin instead of points. All that
// they are made of are channels (rest points, weights, joints, offsets); the node's geometry is what they show, worked
// out for any moment. Morphs act on the rest points first, then the skin.
//
// A skinned mesh and its skeleton stand in one space: no transform lies between them.
#include "scene/scene.h"

namespace wyc {

/// One shape of a morph target.
struct MorphShape {
    std::string name;
    float whole = 1.0F;               // weight of the target at which it is whole; others are in-betweens
    std::vector<std::int32_t> points; // that it moves, rising
    std::vector<Vec3f> offsets;       // how far each
};
struct MorphTarget {
    std::string name;
    Sampling sampling;
    std::vector<float> weights; // one a sample
    std::vector<MorphShape> shapes;
};
/// A place of a skinned point p is the sum over its joints of weight · p · placing · bind⁻¹ · joint (N.
/// Magnenat-Thalmann, R. Laperrière, D. Thalmann, Joint-dependent local deformations, 1988). Weights count as they are;
/// a point without any stays where it is.
struct Skin {
    NodeId skeleton;
    Mat4 placing;               // from the mesh's space into that in which it was bound
    std::uint32_t perPoint = 4; // joints of each point
    std::vector<std::int32_t> joints;
    std::vector<float> weights;
};

/// Writes them into the node's properties. `restPoints`: before morphs and skin.
void setDeformers(Node& node, const std::vector<Vec3f>& restPoints, const std::vector<MorphTarget>& morphs,
                  const std::optional<Skin>& skin);
/// Gives a node the shape that its channels make, with these faces. Its samples are all keys of weights and joints and,
/// where it goes in no straight lines between them, whole frames of `rate`. `skeleton`: of its skin, null without one.
/// An error where the channels do not fit together.
[[nodiscard]] Status deform(Node& node, const Node* skeleton, const TopologyPtr& faces, const FaceSetsPtr& sets,
                            const FrameRate& rate);

/// What is said of a node whose deformers went.
inline constexpr std::string_view kDeformersGone = "its skin and morphs: it becomes points";
/// True when the node's points are what its skin and morphs make.
[[nodiscard]] bool isDeformed(const Node& node);
[[nodiscard]] std::vector<std::string> morphNames(const Node& node);
[[nodiscard]] bool hasDeformers(const Scene& scene);
/// Of a node that a step changed together with all channels that its points are made by: they still are.
void stillDeformed(Node& after, const Node& before);
/// Leaves the points that they make; whether there were any.
bool dropDeformers(Node& node);
/// What was deformed and is points now, since a step changed them, loses the channels of its deformers; which is said
/// in `notCarried`. Likewise where the skeleton is gone, or a transform lies between. To be asked after every step.
[[nodiscard]] Scene settledDeformers(Scene scene);
/// The scene as a file with deformers has it: its points are what the samples of the channels make.
[[nodiscard]] Result<Scene> deformedByStored(Scene scene);
/// The scene for formats that have no deformers: the points that they make. Of skeletons their
/// places are left.
[[nodiscard]] Scene deformersAsPoints(Scene scene);

} // namespace wyc
