// SPDX-License-Identifier: GPL-3.0-or-later
#include "checks/measured.h"

namespace wyc {

std::shared_ptr<const std::vector<Vec3f>> restPointsOf(const Source& source) {
    if (!source.rest)
        return nullptr;
    auto points = std::make_shared<std::vector<Vec3f>>();
    if (!readPoints(*source.rest, 0, *points))
        return nullptr;
    return points;
}

Result<std::vector<MeasuredItem>> measuredItems(const Source& source, const Scene& scene, bool labelBySource,
                                                const Progress& progress) {
    std::vector<MeasuredItem> items;
    const auto rest = restPointsOf(source);
    for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
        const Node& node = scene.nodes[i];
        if (!node.geometry)
            continue;
        MeasuredItem item;
        item.scene = &scene;
        item.node = i;
        item.label = labelBySource ? source.name + node.path : node.path;
        item.source = source.name;
        const double share = 1.0 / static_cast<double>(scene.nodes.size());
        WYC_TRY(
            profile,
            motionProfile(scene, i, progress.part(static_cast<double>(i) * share, static_cast<double>(i + 1) * share)));
        item.movesBySource = profile.count() > 1 && movingSpan(scene, i).has_value();
        item.profile = std::make_shared<const MotionProfile>(std::move(profile));
        item.restPoints = rest;
        items.push_back(std::move(item));
    }
    return items;
}

} // namespace wyc
