// SPDX-License-Identifier: GPL-3.0-or-later
#include "scene/components/skeleton.h"

#include <algorithm>

#include <fmt/format.h>

#include "scene/channels.h"
#include "scene/components/instancer.h"

namespace wyc {
namespace {

Error misfit(const Node& node, std::string what) {
    return makeError(ErrorKind::BadInput, "the skeleton does not fit together: " + what).forItem(node.path);
}

bool isPose(Meaning meaning) {
    return meaning == Meaning::JointPlaces || meaning == Meaning::JointTurns || meaning == Meaning::JointSizes;
}

Result<std::vector<Mat4>> matricesOf(const SampledValues& values) {
    WYC_TRY(numbers, numbersOf(values, 0));
    std::vector<Mat4> result(numbers.size() / 16);
    for (std::size_t i = 0; i < result.size(); ++i)
        std::copy_n(numbers.begin() + static_cast<std::ptrdiff_t>(i * 16), 16, result[i].m.begin());
    return result;
}

} // namespace

Mat4 JointPose::matrix() const {
    return InstanceFigures{0, place, turn, size, 0}.matrix();
}

void setSkeleton(Node& node, const std::vector<Joint>& joints, const Sampling& sampling,
                 const std::vector<std::vector<JointPose>>& samples) {
    std::vector<std::int32_t> parents;
    std::vector<double> binds;
    std::vector<double> rests;
    PropertyValue names;
    for (const Joint& joint : joints) {
        parents.push_back(joint.parent);
        binds.insert(binds.end(), joint.bind.m.begin(), joint.bind.m.end());
        rests.insert(rests.end(), joint.rest.m.begin(), joint.rest.m.end());
        const auto text = std::as_bytes(std::span(joint.name.c_str(), joint.name.size() + 1));
        names.bytes.insert(names.bytes.end(), text.begin(), text.end());
    }
    std::vector<std::vector<float>> places;
    std::vector<std::vector<float>> turns;
    std::vector<std::vector<float>> sizes;
    for (const std::vector<JointPose>& sample : samples) {
        places.emplace_back();
        turns.emplace_back();
        sizes.emplace_back();
        for (const JointPose& pose : sample) {
            for (const double number : {pose.place.x, pose.place.y, pose.place.z})
                places.back().push_back(static_cast<float>(number));
            for (const double number : pose.turn)
                turns.back().push_back(static_cast<float>(number));
            for (const double number : {pose.size.x, pose.size.y, pose.size.z})
                sizes.back().push_back(static_cast<float>(number));
        }
    }
    const auto track = [&](std::uint32_t extent, const std::vector<std::vector<float>>& values) {
        return memoryValues(ValueType::Float, extent, true, sampling, values);
    };
    node.kind = NodeKind::Skeleton;
    std::vector<PropertyNode> list = node.properties ? node.properties->all() : std::vector<PropertyNode>();
    const auto add = [&](Meaning meaning, const char* name, ValuesPtr values, SpaceRole role = SpaceRole::None) {
        list.push_back(plainProperty(meaning, name, std::move(values), role));
    };
    add(Meaning::JointNames, "joints",
        std::make_shared<MemoryValues>(ValueType::String, 1, true, Sampling::still(),
                                       std::vector<PropertyValue>{std::move(names)}));
    add(Meaning::JointParents, "parents", stillValues(ValueType::Int32, 1, true, parents));
    add(Meaning::JointBinds, "binds", stillValues(ValueType::Double, 16, true, binds), SpaceRole::Placement);
    add(Meaning::JointRests, "rests", stillValues(ValueType::Double, 16, true, rests), SpaceRole::Placement);
    add(Meaning::JointPlaces, "places", track(3, places), SpaceRole::Vector);
    add(Meaning::JointTurns, "turns", track(4, turns), SpaceRole::Turn);
    add(Meaning::JointSizes, "sizes", track(3, sizes), SpaceRole::Axes);
    node.properties = plainProperties(std::move(list));
}

Result<std::vector<Joint>> jointsOf(const Node& node) {
    std::vector<std::string> names;
    std::vector<double> parents;
    std::vector<Mat4> binds;
    std::vector<Mat4> rests;
    for (const Channel& channel : channelsOf(node.properties)) {
        const SampledValues& values = *channel.values;
        if (values.sampling().count() == 0)
            continue;
        if (channel.meaning == Meaning::JointNames) {
            WYC_TRY(texts, stringsOf(values, 0));
            names = std::move(texts);
        } else if (channel.meaning == Meaning::JointParents) {
            WYC_TRY(numbers, numbersOf(values, 0));
            parents = std::move(numbers);
        } else if (channel.meaning == Meaning::JointBinds) {
            WYC_TRY(matrices, matricesOf(values));
            binds = std::move(matrices);
        } else if (channel.meaning == Meaning::JointRests) {
            WYC_TRY(matrices, matricesOf(values));
            rests = std::move(matrices);
        }
    }
    const std::size_t count = names.size();
    if (parents.size() != count || binds.size() != count || (!rests.empty() && rests.size() != count))
        return fail(misfit(node, fmt::format("{} joints, {} joints above them, {} bound, {} at rest", count,
                                             parents.size(), binds.size(), rests.size())));
    std::vector<Joint> joints(count);
    for (std::size_t i = 0; i < count; ++i) {
        if (!(parents[i] >= -1.0 && parents[i] < static_cast<double>(i)))
            return fail(misfit(
                node, fmt::format("joint '{}' stands before the one above it, or below none that is there", names[i])));
        joints[i] = {names[i], static_cast<std::int32_t>(parents[i]), binds[i], rests.empty() ? Mat4() : rests[i]};
    }
    return joints;
}

Result<std::vector<JointPose>> jointPosesAt(const Node& node, double seconds) {
    std::vector<JointPose> poses;
    bool first = true;
    for (const Channel& channel : channelsOf(node.properties)) {
        if (!isPose(channel.meaning) || channel.values->sampling().count() == 0)
            continue;
        WYC_TRY(numbers, numbersAt(*channel.values, seconds, {channel.space, nullptr}));
        const std::size_t extent = channel.meaning == Meaning::JointTurns ? 4 : 3;
        const std::size_t count = numbers.size() / extent;
        if (first)
            poses.resize(count);
        first = false;
        if (channel.values->extent() != extent || count != poses.size())
            return fail(misfit(node, fmt::format("{} {} for {} joints", count, channel.name, poses.size())));
        for (std::size_t i = 0; i < count; ++i) {
            const double* own = numbers.data() + i * extent;
            if (extent == 4)
                std::copy_n(own, 4, poses[i].turn.begin());
            else
                (channel.meaning == Meaning::JointPlaces ? poses[i].place : poses[i].size) = {own[0], own[1], own[2]};
        }
    }
    return poses;
}

Result<std::vector<Mat4>> jointMatricesAt(const Node& node, const std::vector<Joint>& joints, double seconds) {
    WYC_TRY(poses, jointPosesAt(node, seconds));
    if (poses.size() != joints.size())
        return fail(misfit(node, fmt::format("{} poses for {} joints", poses.size(), joints.size())));
    std::vector<Mat4> result(joints.size());
    for (std::size_t i = 0; i < joints.size(); ++i) {
        const Mat4 own = poses[i].matrix();
        result[i] = joints[i].parent < 0 ? own : own * result[static_cast<std::size_t>(joints[i].parent)];
    }
    return result;
}

Sampling skeletonSampling(const Node& node) {
    std::vector<Sampling> all;
    for (const Channel& channel : channelsOf(node.properties))
        if (isPose(channel.meaning) && !channel.values->constant())
            all.push_back(channel.values->sampling());
    return commonSampling(all);
}

} // namespace wyc
