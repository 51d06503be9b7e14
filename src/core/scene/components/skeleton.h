// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Skeletons: joints, each in the space of the joint above it, that skins follow (deform/deformers.h). A skeleton's own
// space is that of its node; what is done to the world goes into the node's transform.
#include <array>

#include "scene/scene.h"

namespace wyc {

struct Joint {
    std::string name;
    std::int32_t parent = -1; // number of a joint before it; −1 at a root
    Mat4 bind;                // where it stood when skins were bound, in the skeleton's space
    Mat4 rest;                // its local matrix at rest
    bool operator==(const Joint&) const = default;
};
/// Of a joint in the space of the one above: size along its axes, then turn, then place.
struct JointPose {
    Vec3d place;
    std::array<double, 4> turn{0, 0, 0, 1}; // quaternion: x, y, z, w
    Vec3d size{1, 1, 1};
    [[nodiscard]] Mat4 matrix() const;
};

/// Makes a node a skeleton, one pose a joint and sample. Joints come after those above them.
void setSkeleton(Node& node, const std::vector<Joint>& joints, const Sampling& sampling,
                 const std::vector<std::vector<JointPose>>& samples);
/// An error where its channels do not fit together: other counts, a joint before the one above it.
[[nodiscard]] Result<std::vector<Joint>> jointsOf(const Node& node);
/// Local poses at a moment. An error where there are others than joints.
[[nodiscard]] Result<std::vector<JointPose>> jointPosesAt(const Node& node, double seconds);
/// Each joint's matrix into the skeleton's space at a moment.
[[nodiscard]] Result<std::vector<Mat4>> jointMatricesAt(const Node& node, const std::vector<Joint>& joints,
                                                        double seconds);
/// Times of all its keys; still where it does not move.
[[nodiscard]] Sampling skeletonSampling(const Node& node);

} // namespace wyc
