// SPDX-License-Identifier: GPL-3.0-or-later
#include "checks/measured.h"

namespace wyc {

void addRest(const Source& source, const std::vector<Step>& steps, MeasuredItem& item) {
    if (!source.rest)
        return;
    const auto add = [&](const NodePtr& mesh) {
        auto points = std::make_shared<std::vector<Vec3f>>();
        if (mesh && readPoints(*mesh->geometry, 0, *points))
            item.restPoses.push_back(std::move(points));
    };
    add(source.rest);
    if (!steps.empty())
        add(stillAfter(source.rest, steps));
    if (const auto topology = source.rest->geometry->topology(0))
        item.restTopology = *topology;
}

Result<std::vector<MeasuredItem>> measuredItems(const Source& source, const Scene& scene, bool labelBySource,
                                                const Progress& progress) {
    std::vector<MeasuredItem> items;
    MeasuredItem rest;
    addRest(source, {}, rest);
    for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
        const Node& node = scene.nodes[i];
        if (!node.geometry)
            continue;
        MeasuredItem item;
        item.scene = &scene;
        item.node = i;
        item.label = labelBySource ? source.name + node.path : node.path;
        item.source = source.name;
        item.sourcePath = source.spec.path.string();
        const double share = 1.0 / static_cast<double>(scene.nodes.size());
        WYC_TRY(
            profile,
            motionProfile(scene, i, progress.part(static_cast<double>(i) * share, static_cast<double>(i + 1) * share)));
        item.movesBySource = profile.count() > 1 && movingSpan(scene, i).has_value();
        item.profile = std::make_shared<const MotionProfile>(std::move(profile));
        item.restPoses = rest.restPoses;
        item.restTopology = rest.restTopology;
        items.push_back(std::move(item));
    }
    return items;
}

} // namespace wyc
