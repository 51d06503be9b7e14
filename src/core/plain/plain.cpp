// SPDX-License-Identifier: GPL-3.0-or-later
#include "plain/plain.h"

#include <algorithm>
#include <cmath>
#include <unordered_map>

#include "plain/deformed.h"

namespace wyc {
namespace {

constexpr double kRounding = 1e-7; // seconds: far below a ten-thousandth of a frame

} // namespace

Result<PlainPose> plainPose(const Geometry& shape, double seconds, std::size_t first, std::size_t count,
                            Between between) {
    PlainPose pose;
    const auto at = plainPosition(shape.sampling(), seconds);
    const bool told = between == Between::AsTold && !shape.straightBetween() && at.weight > 0.0;
    if (told || dynamic_cast<const PlainDeformed*>(&shape)) {
        WYC_TRY(all, shape.pointCountAt(seconds));
        first = std::min(first, all);
        pose.below.resize(std::min(count, all - first));
        WYC_CHECK(shape.readAt(seconds, first, pose.below));
        return pose;
    }
    pose.weight = at.weight;
    WYC_TRY(there, shape.pointCount(at.below));
    first = std::min(first, there);
    pose.below.resize(std::min(count, there - first));
    WYC_CHECK(shape.readRange(at.below, first, pose.below));
    if (at.weight == 0.0)
        return pose;
    WYC_TRY(ids, shape.ids(at.below));
    WYC_TRY(laterIds, shape.ids(at.above));
    WYC_TRY(later, shape.pointCount(at.above));
    if (ids && laterIds && *ids != *laterIds) {
        std::unordered_map<std::uint64_t, std::size_t> places;
        for (std::size_t i = 0; i < laterIds->size(); ++i)
            places.emplace((*laterIds)[i], i);
        std::vector<Vec3f> all(later);
        WYC_CHECK(shape.readRange(at.above, 0, all));
        for (std::size_t i = 0; i < pose.below.size(); ++i) {
            const auto found = places.find((*ids)[first + i]);
            pose.follows.push_back(found != places.end());
            pose.above.push_back(found == places.end() ? pose.below[i] : all[found->second]);
        }
        return pose;
    }
    WYC_TRY(faces, shape.topology(at.below));
    WYC_TRY(laterFaces, shape.topology(at.above));
    if (later != there || faces->hash() != laterFaces->hash())
        return pose;
    pose.above.resize(pose.below.size());
    WYC_CHECK(shape.readRange(at.above, first, pose.above));
    return pose;
}

PlainPosition plainPosition(const Sampling& sampling, double seconds) {
    const std::size_t count = sampling.count();
    if (count < 2)
        return {};
    std::size_t low = 0;
    std::size_t high = count;
    while (low < high) { // the first sample after the time
        const std::size_t middle = (low + high) / 2;
        if (sampling.time(middle) <= seconds + kRounding)
            low = middle + 1;
        else
            high = middle;
    }
    if (low == 0)
        return {};
    if (low == count)
        return {count - 1, count - 1, 0.0};
    const double gap = sampling.time(low) - sampling.time(low - 1);
    const double past = seconds - sampling.time(low - 1);
    return past <= std::max(kRounding, 4e-6) && past <= gap * 1e-3 ? PlainPosition{low - 1, low - 1, 0.0}
                                                                   : PlainPosition{low - 1, low, past / gap};
}

Result<Mat4> plainWorld(const Scene& scene, std::size_t node, double seconds, Between between) {
    Mat4 world;
    bool inheriting = true;
    for (int i = static_cast<int>(node); i >= 0 && inheriting; i = scene.nodes[static_cast<std::size_t>(i)].parent) {
        const TransformPtr& transform = scene.nodes[static_cast<std::size_t>(i)].transform;
        if (!transform || transform->sampling().count() == 0)
            continue;
        const auto at = plainPosition(transform->sampling(), seconds);
        WYC_TRY(values, transform->channels(at.below));
        WYC_TRY(inherits, transform->inherits(at.below));
        if (at.weight > 0.0 && between == Between::AsTold && !transform->straightBetween()) {
            WYC_TRY(told, transform->channelsAt(seconds));
            values = std::move(told);
        } else if (at.weight > 0.0) {
            WYC_TRY(later, transform->channels(at.above));
            for (std::size_t k = 0; k < values.size() && k < later.size(); ++k)
                values[k] += (later[k] - values[k]) * at.weight;
        }
        world = world * matrixOf(transform->ops(), values);
        inheriting = inherits;
    }
    return world;
}

bool plainVisible(const Scene& scene, std::size_t node, double seconds) {
    bool said = false;
    for (int i = static_cast<int>(node); i >= 0; i = scene.nodes[static_cast<std::size_t>(i)].parent) {
        const Node& here = scene.nodes[static_cast<std::size_t>(i)];
        // Through an instancer nothing is seen that is hidden below it, or with it.
        if (here.kind == NodeKind::Instancer)
            said = false;
        if (said || !here.visibility || here.visibility->values.empty())
            continue;
        const VisibilityTrack& track = *here.visibility;
        const std::size_t sample = plainPosition(track.sampling, seconds).below;
        const Visibility value = track.values[std::min(sample, track.values.size() - 1)];
        if (value == Visibility::Hidden)
            return false;
        said = value == Visibility::Visible;
    }
    return true;
}

Result<bool> haveOneNumbering(const Channel& channel, double earlier, double later) {
    if (!channel.numbers || channel.numbers->sampling().count() < 2)
        return true;
    const Sampling& times = channel.numbers->sampling();
    WYC_TRY(a, channel.numbers->read(plainPosition(times, earlier).below));
    WYC_TRY(b, channel.numbers->read(plainPosition(times, later).below));
    return a.bytes == b.bytes;
}

namespace {

// Along the shorter arc between two quaternions, by angles.
void turnTowards(double* own, const double* other, double weight) {
    const auto lengthOf = [](const double* q) {
        return std::sqrt(q[0] * q[0] + q[1] * q[1] + q[2] * q[2] + q[3] * q[3]);
    };
    const double a = lengthOf(own);
    const double b = lengthOf(other);
    if (!(a > 0.0) || !(b > 0.0))
        return;
    double cosine = 0.0;
    for (std::size_t k = 0; k < 4; ++k)
        cosine += own[k] / a * other[k] / b;
    const double side = cosine < 0.0 ? -1.0 : 1.0;
    const double angle = std::acos(std::min(1.0, std::abs(cosine)));
    const bool near = angle < 1e-6;
    const double of = near ? 1.0 - weight : std::sin((1.0 - weight) * angle) / std::sin(angle);
    const double to = near ? weight : std::sin(weight * angle) / std::sin(angle);
    for (std::size_t k = 0; k < 4; ++k)
        own[k] = own[k] / a * of + side * other[k] / b * to;
}

} // namespace

Result<PlainNumbers> plainNumbers(const Channel& channel, double seconds, Between between) {
    const SampledValues& values = *channel.values;
    PlainNumbers result;
    if (values.sampling().count() == 0)
        return result;
    const auto at = plainPosition(values.sampling(), seconds);
    WYC_TRY(below, numbersOf(values, at.below));
    result.numbers = std::move(below);
    result.atSample = at.weight == 0.0;
    if (at.weight == 0.0 || channel.blend == Blend::Held)
        return result;
    if (between == Between::AsTold && !values.straightBetween()) {
        WYC_TRY(told, numbersAt(values, seconds, {}));
        result.numbers = std::move(told);
        return result;
    }
    WYC_TRY(one, haveOneNumbering(channel, values.sampling().time(at.below), values.sampling().time(at.above)));
    if (!one)
        return result;
    WYC_TRY(above, numbersOf(values, at.above));
    std::vector<double>& own = result.numbers;
    if (above.size() != own.size())
        return result;
    const auto mixed = [&](std::size_t i) { return own[i] + (above[i] - own[i]) * at.weight; };
    if (channel.blend == Blend::Linear) {
        for (std::size_t i = 0; i < own.size(); ++i)
            own[i] = mixed(i);
        return result;
    }
    if (channel.blend == Blend::Sphere) {
        for (std::size_t i = 0; i + 4 <= own.size(); i += 4)
            turnTowards(own.data() + i, above.data() + i, at.weight);
        return result;
    }
    for (std::size_t i = 0; i + 3 <= own.size(); i += 3) {
        const Vec3d a{own[i], own[i + 1], own[i + 2]};
        const Vec3d b{above[i], above[i + 1], above[i + 2]};
        const Vec3d straight{mixed(i), mixed(i + 1), mixed(i + 2)};
        const double wanted = length(a) + (length(b) - length(a)) * at.weight;
        const double now = length(straight);
        const Vec3d direction = now > wanted * 1e-9 ? straight * (wanted / now) : a;
        own[i] = direction.x;
        own[i + 1] = direction.y;
        own[i + 2] = direction.z;
    }
    return result;
}

} // namespace wyc
