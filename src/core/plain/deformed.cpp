// SPDX-License-Identifier: GPL-3.0-or-later
#include "plain/deformed.h"

#include <algorithm>
#include <map>

#include "scene/deform/deformers.h"

namespace wyc {
namespace {

using Numbers = std::vector<double>;

// All numbers of a node's channels at a time, by meaning; of a morph by its place in the list.
Result<std::map<Meaning, Numbers>> numbersOf(const Node& node, double seconds) {
    std::map<Meaning, Numbers> result;
    for (const Channel& channel : channelsOf(node.properties)) {
        if (channel.values->type() == ValueType::String)
            continue;
        WYC_TRY(read, plainNumbers(channel, seconds));
        result.emplace(channel.meaning, std::move(read.numbers));
    }
    return result;
}

// Rows of a turn about a quaternion x, y, z, w of any length.
Mat4 placeOf(const double* place, const double* q, const double* size) {
    const double n = q[0] * q[0] + q[1] * q[1] + q[2] * q[2] + q[3] * q[3];
    const double s = n > 0.0 ? 2.0 / n : 0.0;
    const double rows[3][3] = {
        {1 - s * (q[1] * q[1] + q[2] * q[2]), s * (q[0] * q[1] + q[2] * q[3]), s * (q[0] * q[2] - q[1] * q[3])},
        {s * (q[0] * q[1] - q[2] * q[3]), 1 - s * (q[0] * q[0] + q[2] * q[2]), s * (q[1] * q[2] + q[0] * q[3])},
        {s * (q[0] * q[2] + q[1] * q[3]), s * (q[1] * q[2] - q[0] * q[3]), 1 - s * (q[0] * q[0] + q[1] * q[1])}};
    Mat4 m;
    for (std::size_t r = 0; r < 3; ++r)
        for (std::size_t c = 0; c < 3; ++c)
            m.at(r, c) = rows[r][c] * size[r];
    for (std::size_t c = 0; c < 3; ++c)
        m.at(3, c) = place[c];
    return m;
}

// Solves x · matrix = p for an affine matrix, by Cramer's rule.
Vec3d unplaced(const Vec3d& point, const double* matrix) {
    const Vec3d x{matrix[0], matrix[1], matrix[2]};
    const Vec3d y{matrix[4], matrix[5], matrix[6]};
    const Vec3d z{matrix[8], matrix[9], matrix[10]};
    const Vec3d p = point - Vec3d{matrix[12], matrix[13], matrix[14]};
    const double whole = dot(x, cross(y, z));
    return {dot(p, cross(y, z)) / whole, dot(x, cross(p, z)) / whole, dot(x, cross(y, p)) / whole};
}

Mat4 matrixFrom(const double* numbers) {
    Mat4 m;
    std::copy_n(numbers, 16, m.m.begin());
    return m;
}

Result<Numbers> numbersAt(const PropertyNode& property, double seconds, Blend blend) {
    Channel channel;
    channel.values = property.values;
    channel.blend = blend;
    WYC_TRY(read, plainNumbers(channel, seconds));
    return std::move(read.numbers);
}
Result<Numbers> firstOf(const PropertyNode& property) {
    return numbersAt(property, 0.0, Blend::Held);
}

// A morph target's share of the way: 1 at a shape's own weight, 0 at its neighbours', nothing being one at 0.
double shareOf(std::vector<double> wholes, std::size_t shape, double weight) {
    const double own = wholes[shape];
    wholes.push_back(0.0);
    std::sort(wholes.begin(), wholes.end());
    const bool beyond = weight < wholes.front() || weight > wholes.back();
    if (beyond && wholes.size() > 1) { // along the line between the last two
        const double last = weight < wholes.front() ? wholes[0] : wholes[wholes.size() - 1];
        const double before = weight < wholes.front() ? wholes[1] : wholes[wholes.size() - 2];
        const double way = (weight - before) / (last - before);
        return own == last ? way : own == before ? 1.0 - way : 0.0;
    }
    double low = -1e300;
    double high = 1e300;
    for (const double at : wholes) {
        if (at < own)
            low = std::max(low, at);
        if (at > own)
            high = std::min(high, at);
    }
    if (weight == own)
        return 1.0;
    if (weight < own)
        return weight > low ? (weight - low) / (own - low) : 0.0;
    return weight < high ? (high - weight) / (high - own) : 0.0;
}

Status morphAll(const Node& node, double seconds, std::vector<Vec3d>& points) {
    for (const PropertyNode& target : node.properties->all()) {
        if (target.meaning != Meaning::Morph)
            continue;
        double weight = 0.0;
        std::vector<double> wholes;
        for (const PropertyNode& part : target.children) {
            if (part.meaning == Meaning::MorphWeight) {
                WYC_TRY(now, numbersAt(part, seconds, Blend::Linear));
                weight = now.at(0);
            }
            for (const PropertyNode& said : part.children)
                if (said.meaning == Meaning::MorphAt) {
                    WYC_TRY(at, firstOf(said));
                    wholes.push_back(at.at(0));
                }
        }
        std::size_t shape = 0;
        for (const PropertyNode& part : target.children) {
            Numbers which;
            Numbers far;
            for (const PropertyNode& said : part.children) {
                if (said.meaning != Meaning::MorphPoints && said.meaning != Meaning::MorphOffsets)
                    continue;
                WYC_TRY(numbers, firstOf(said));
                (said.meaning == Meaning::MorphPoints ? which : far) = std::move(numbers);
            }
            if (part.values)
                continue;
            const double share = shareOf(wholes, shape++, weight);
            for (std::size_t i = 0; i < which.size(); ++i) {
                Vec3d& p = points.at(static_cast<std::size_t>(which[i]));
                p = p + Vec3d{far.at(i * 3), far.at(i * 3 + 1), far.at(i * 3 + 2)} * share;
            }
        }
    }
    return {};
}

Status skinAll(const Node& node, const Node& skeleton, double seconds, std::vector<Vec3d>& points) {
    WYC_TRY(own, numbersOf(node, seconds));
    WYC_TRY(bones, numbersOf(skeleton, seconds));
    const Numbers& parents = bones[Meaning::JointParents];
    std::vector<Mat4> now;
    for (std::size_t j = 0; j < parents.size(); ++j) {
        const Mat4 local =
            placeOf(bones[Meaning::JointPlaces].data() + j * 3, bones[Meaning::JointTurns].data() + j * 4,
                    bones[Meaning::JointSizes].data() + j * 3);
        now.push_back(parents[j] < 0.0 ? local : local * now.at(static_cast<std::size_t>(parents[j])));
    }
    const Numbers& joints = own[Meaning::SkinJoints];
    const Numbers& weights = own[Meaning::SkinWeights];
    const Numbers& placing = own[Meaning::SkinBind];
    const std::size_t each = joints.size() / std::max<std::size_t>(1, points.size());
    for (std::size_t i = 0; i < points.size(); ++i) {
        const Vec3d bound = placing.size() == 16 ? transformedPoint(points[i], matrixFrom(placing.data())) : points[i];
        Vec3d sum;
        double all = 0.0;
        for (std::size_t k = i * each; k < (i + 1) * each; ++k) {
            const auto joint = static_cast<std::size_t>(joints[k]);
            sum =
                sum + transformedPoint(unplaced(bound, bones[Meaning::JointBinds].data() + joint * 16), now.at(joint)) *
                          weights.at(k);
            all += std::abs(weights[k]);
        }
        if (all > 0.0)
            points[i] = sum;
    }
    return {};
}

} // namespace

PlainDeformed::PlainDeformed(std::shared_ptr<const Scene> scene, std::size_t node)
    : scene_(std::move(scene)), node_(node) {}

Status PlainDeformed::readAt(double seconds, std::size_t first, std::span<Vec3f> into) const {
    const Node& node = scene_->nodes[node_];
    std::vector<Vec3d> points;
    WYC_TRY(numbers, numbersOf(node, seconds));
    const Numbers& rest = numbers[Meaning::RestPoints];
    for (std::size_t i = 0; i + 3 <= rest.size(); i += 3)
        points.emplace_back(rest[i], rest[i + 1], rest[i + 2]);
    WYC_CHECK(morphAll(node, seconds, points));
    if (node.deformation->skeleton) {
        const auto skeleton = scene_->find(*node.deformation->skeleton);
        if (!skeleton)
            return fail(makeError(ErrorKind::BadInput, "its skeleton is gone").forItem(node.path));
        WYC_CHECK(skinAll(node, scene_->nodes[*skeleton], seconds, points));
    }
    std::vector<Vec3f> all;
    for (const Vec3d& p : points)
        all.push_back({static_cast<float>(p.x), static_cast<float>(p.y), static_cast<float>(p.z)});
    return copyRange(all, first, into);
}

std::shared_ptr<const Scene> plainlyDeformed(std::shared_ptr<const Scene> scene) {
    if (!hasDeformers(*scene))
        return scene;
    auto result = std::make_shared<Scene>(*scene);
    for (std::size_t i = 0; i < result->nodes.size(); ++i)
        if (isDeformed(scene->nodes[i]))
            result->nodes[i].geometry = std::make_shared<PlainDeformed>(scene, i);
    return result;
}

} // namespace wyc
