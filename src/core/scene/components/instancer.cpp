// SPDX-License-Identifier: GPL-3.0-or-later
#include "scene/components/instancer.h"

#include <algorithm>

#include <Eigen/Geometry>
#include <fmt/format.h>

#include "scene/channels.h"

namespace wyc {
namespace {

bool isOfInstances(Meaning meaning) {
    return meaning == Meaning::Turns || meaning == Meaning::Sizes || meaning == Meaning::PrototypeNumbers;
}

void asParameters(std::vector<PropertyNode>& list) {
    for (PropertyNode& property : list) {
        if (isOfInstances(property.meaning))
            property.meaning = Meaning::Parameter;
        asParameters(property.children);
    }
}

} // namespace

Mat4 InstanceFigures::matrix() const {
    // Eigen's matrix acts on columns: its transpose on rows.
    const Eigen::Matrix3d columns = Eigen::Quaterniond(turn[3], turn[0], turn[1], turn[2]).normalized().matrix();
    const std::array<double, 3> sizes{size.x, size.y, size.z};
    Mat4 result = Mat4::translation(place);
    for (std::size_t r = 0; r < 3; ++r)
        for (std::size_t c = 0; c < 3; ++c)
            result.at(r, c) = sizes[r] * columns(static_cast<Eigen::Index>(c), static_cast<Eigen::Index>(r));
    return result;
}

Result<std::vector<InstanceFigures>> instancesAt(const Node& node, double seconds) {
    std::vector<InstanceFigures> result;
    if (!node.geometry || node.geometry->sampling().count() == 0)
        return result;
    std::vector<Vec3f> places;
    WYC_CHECK(readPointsAt(*node.geometry, seconds, places));
    WYC_TRY(ids, node.geometry->idsAt(seconds));
    for (std::size_t i = 0; i < places.size(); ++i) {
        InstanceFigures one;
        one.id = ids && i < ids->size() ? (*ids)[i] : i;
        one.place = Vec3d(places[i]);
        result.push_back(one);
    }
    for (const Channel& channel : channelsOf(node.properties)) {
        if (!isOfInstances(channel.meaning) || channel.values->sampling().count() == 0)
            continue;
        WYC_TRY(numbers, numbersAt(*channel.values, seconds, {channel.space, node.geometry.get()}));
        const std::size_t extent = channel.values->extent();
        if (numbers.size() != places.size() * extent)
            return fail(makeError(ErrorKind::BadInput,
                                  fmt::format("{}: {} values for {} places", channel.name,
                                              numbers.size() / std::max<std::size_t>(1, extent), places.size()))
                            .forItem(node.path));
        for (std::size_t i = 0; i < places.size(); ++i) {
            const double* own = numbers.data() + i * extent;
            if (channel.meaning == Meaning::Turns && extent == 4)
                std::copy_n(own, 4, result[i].turn.begin());
            else if (channel.meaning == Meaning::Sizes && extent == 3)
                result[i].size = {own[0], own[1], own[2]};
            else if (channel.meaning == Meaning::PrototypeNumbers && extent == 1)
                result[i].prototype = static_cast<std::int32_t>(own[0]);
        }
    }
    return result;
}

void setInstancer(Node& node, Sampling sampling, const std::vector<std::vector<InstanceFigures>>& samples,
                  std::vector<NodeId> prototypes) {
    std::vector<std::vector<Vec3f>> places;
    std::vector<std::vector<std::uint64_t>> ids;
    std::vector<std::vector<float>> turns;
    std::vector<std::vector<float>> sizes;
    std::vector<std::vector<std::int32_t>> numbers;
    for (const std::vector<InstanceFigures>& sample : samples) {
        places.emplace_back();
        ids.emplace_back();
        turns.emplace_back();
        sizes.emplace_back();
        numbers.emplace_back();
        for (const InstanceFigures& one : sample) {
            places.back().push_back(
                {static_cast<float>(one.place.x), static_cast<float>(one.place.y), static_cast<float>(one.place.z)});
            ids.back().push_back(one.id);
            for (const double number : one.turn)
                turns.back().push_back(static_cast<float>(number));
            for (const double number : {one.size.x, one.size.y, one.size.z})
                sizes.back().push_back(static_cast<float>(number));
            numbers.back().push_back(one.prototype);
        }
    }
    node.kind = NodeKind::Instancer;
    node.geometry = std::make_shared<VaryingPoints>(sampling, std::move(places), std::move(ids));
    node.prototypes = std::make_shared<const std::vector<NodeId>>(std::move(prototypes));
    std::vector<PropertyNode> list = node.properties ? node.properties->all() : std::vector<PropertyNode>();
    list.push_back(plainProperty(Meaning::Turns, "turns", memoryValues(ValueType::Float, 4, true, sampling, turns),
                                 SpaceRole::Turn));
    list.push_back(plainProperty(Meaning::Sizes, "sizes", memoryValues(ValueType::Float, 3, true, sampling, sizes),
                                 SpaceRole::Axes));
    list.push_back(plainProperty(Meaning::PrototypeNumbers, "prototypes",
                                 memoryValues(ValueType::Int32, 1, true, sampling, numbers)));
    for (PropertyNode& property : list)
        if (isOfInstances(property.meaning))
            property.scope = Scope::Point;
    node.properties = plainProperties(std::move(list));
}

std::vector<std::string> prototypeNames(const Scene& scene, const Node& node) {
    std::vector<std::string> names;
    if (node.prototypes)
        for (const NodeId id : *node.prototypes) {
            const auto found = scene.find(id);
            names.push_back(found ? scene.nodes[*found].name : "?");
        }
    return names;
}

bool hasInstancers(const Scene& scene) {
    return std::any_of(scene.nodes.begin(), scene.nodes.end(),
                       [](const Node& node) { return node.kind == NodeKind::Instancer; });
}

std::vector<bool> belowInstancers(const Scene& scene) {
    std::vector<bool> below(scene.nodes.size(), false);
    for (std::size_t i = 0; i < scene.nodes.size(); ++i)
        if (const int parent = scene.nodes[i].parent; parent >= 0) {
            const auto above = static_cast<std::size_t>(parent);
            below[i] = below[above] || scene.nodes[above].kind == NodeKind::Instancer;
        }
    return below;
}

Scene instancersAsPoints(const Scene& scene) {
    if (!hasInstancers(scene))
        return scene;
    const std::vector<bool> below = belowInstancers(scene);
    Scene result = scene;
    result.nodes.clear();
    std::vector<int> newIndex(scene.nodes.size(), -1);
    for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
        if (below[i])
            continue;
        Node node = scene.nodes[i];
        node.parent = node.parent < 0 ? -1 : newIndex[static_cast<std::size_t>(node.parent)];
        if (node.kind == NodeKind::Instancer) {
            node.kind = NodeKind::Points;
            node.prototypes = nullptr;
            std::vector<PropertyNode> list = node.properties ? node.properties->all() : std::vector<PropertyNode>();
            asParameters(list);
            node.properties = plainProperties(std::move(list));
            result.report.notCarried.push_back({node.path, "what stands at its places: it becomes points"});
        }
        newIndex[i] = static_cast<int>(result.nodes.size());
        result.nodes.push_back(std::move(node));
    }
    return result;
}

} // namespace wyc
