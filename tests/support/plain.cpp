// SPDX-License-Identifier: GPL-3.0-or-later
#include "support/plain.h"

namespace wyc::test {

PlainPosition plainLocate(const Sampling& sampling, double t) {
    const std::size_t count = sampling.count();
    if (count < 2)
        return {};
    std::size_t above = 0;
    while (above < count && sampling.time(above) < t + 1e-7)
        ++above;
    if (above == 0)
        return {0, 0, 0.0};
    if (above == count)
        return {count - 1, count - 1, 0.0};
    const double gap = sampling.time(above) - sampling.time(above - 1);
    const double weight = std::max(0.0, (t - sampling.time(above - 1)) / gap);
    return {above - 1, above, weight < 1e-6 ? 0.0 : weight};
}

double mixed(double a, double b, double w) {
    return w == 0.0 ? a : a + (b - a) * w;
}

Mat4 plainMatrix(const Scene& scene, std::size_t node, double t) {
    Mat4 world;
    bool inheriting = true;
    for (int at = static_cast<int>(node); at >= 0 && inheriting;
         at = scene.nodes[static_cast<std::size_t>(at)].parent) {
        const TransformPtr& transform = scene.nodes[static_cast<std::size_t>(at)].transform;
        if (!transform || transform->sampling().count() == 0)
            continue;
        const auto p = plainLocate(transform->sampling(), t);
        std::vector<double> values = transform->channels(p.below).value();
        const std::vector<double> later = transform->channels(p.above).value();
        for (std::size_t i = 0; i < values.size(); ++i)
            values[i] = mixed(values[i], later[i], p.weight);
        world = world * matrixOf(transform->ops(), values);
        inheriting = transform->inherits(p.below).value();
    }
    return world;
}

bool plainVisible(const Scene& scene, std::size_t node, double t) {
    Visibility own = Visibility::AsParent; // of what stands below the next instancer
    for (int at = static_cast<int>(node); at >= 0; at = scene.nodes[static_cast<std::size_t>(at)].parent) {
        const Node& here = scene.nodes[static_cast<std::size_t>(at)];
        if (here.kind == NodeKind::Instancer) {
            if (own == Visibility::Hidden)
                return false;
            own = Visibility::AsParent;
        }
        if (own == Visibility::AsParent && here.visibility && !here.visibility->values.empty())
            own = here.visibility->values.at(plainLocate(here.visibility->sampling, t).below);
    }
    return own != Visibility::Hidden;
}

std::map<std::uint64_t, Vec3d> plainPoints(const Scene& scene, std::size_t node, double t) {
    const Geometry& shape = *scene.nodes[node].geometry;
    if (isDeformed(scene.nodes[node])) {
        const PlainDeformed deformed(std::shared_ptr<const Scene>(std::shared_ptr<void>(), &scene), node);
        std::vector<Vec3f> now(shape.pointCount(0).value());
        EXPECT_TRUE(deformed.readAt(t, 0, now));
        std::map<std::uint64_t, Vec3d> result;
        for (std::size_t i = 0; i < now.size(); ++i)
            result[i] = transformedPoint(Vec3d(now[i]), plainMatrix(scene, node, t));
        return result;
    }
    const auto p = plainLocate(shape.sampling(), t);
    const Mat4 world = plainMatrix(scene, node, t);
    const std::vector<Vec3f> points = pointsOf(shape, p.below);
    const std::vector<Vec3f> later = pointsOf(shape, p.above);
    const IdsPtr ids = shape.ids(p.below).value();
    const IdsPtr laterIds = shape.ids(p.above).value();
    std::map<std::uint64_t, std::size_t> places;
    for (std::size_t i = 0; i < later.size(); ++i)
        places[laterIds ? laterIds->at(i) : i] = i;
    const bool match = (ids && laterIds) || points.size() == later.size();
    std::map<std::uint64_t, Vec3d> result;
    for (std::size_t i = 0; i < points.size(); ++i) {
        const std::uint64_t key = ids ? ids->at(i) : i;
        Vec3d here(points[i]);
        if (const auto found = places.find(key); match && found != places.end() && p.weight > 0.0) {
            const Vec3d there(later[found->second]);
            here = here + (there - here) * p.weight;
        }
        result[key] = transformedPoint(here, world);
    }
    return result;
}

std::vector<double> plainNumbers(const Channel& channel, double t) {
    const auto p = plainLocate(channel.values->sampling(), t);
    std::vector<double> values = numbersOf(*channel.values, p.below).value();
    if (p.weight == 0.0 || channel.blend == Blend::Held)
        return values;
    const std::vector<double> later = numbersOf(*channel.values, p.above).value();
    if (later.size() != values.size())
        return values;
    if (channel.numbers) { // other values of the same list: nothing lies between
        const auto numbering = [&](std::size_t sample) {
            const auto at = plainLocate(channel.numbers->sampling(), channel.values->sampling().time(sample));
            return numbersOf(*channel.numbers, at.below).value();
        };
        if (numbering(p.below) != numbering(p.above))
            return values;
    }
    for (std::size_t i = 0; i < values.size(); ++i)
        if (channel.blend == Blend::Linear)
            values[i] = mixed(values[i], later[i], p.weight);
    for (std::size_t i = 0; channel.blend == Blend::UnitLength && i + 3 <= values.size(); i += 3) {
        const auto size = [&](const std::vector<double>& v) { return std::hypot(v[i], v[i + 1], v[i + 2]); };
        const double wanted = mixed(size(values), size(later), p.weight);
        for (std::size_t k = i; k < i + 3; ++k)
            values[k] = mixed(values[k], later[k], p.weight);
        const double now = std::max(1e-12, size(values));
        for (std::size_t k = i; k < i + 3; ++k)
            values[k] *= wanted / now;
    }
    return values;
}

} // namespace wyc::test
