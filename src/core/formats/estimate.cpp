// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/estimate.h"

#include <algorithm>

namespace wyc {
namespace {

struct Sizes {
    std::uint64_t points = 1;
    std::uint64_t corners = 1;
    std::uint64_t faces = 1;
};

// By what each is of: nothing is read for an estimate.
std::uint64_t bytesOf(const PropertyNode& property, const Sizes& sizes) {
    std::uint64_t total = 60;
    for (PropertyNode child : property.children) {
        // Of values and numbers into them: a number for each element, and about as many values as points.
        if (const PropertyNode* numbers = isAttribute(property.meaning) ? numberingOf(property) : nullptr)
            child.scope = child.name == numbers->name ? property.scope : Scope::Point;
        total += bytesOf(child, sizes);
    }
    const SampledValues* values = property.values.get();
    if (!values || property.meaning == Meaning::Itself)
        return total;
    const bool ofPoints = property.meaning == Meaning::Velocities || property.meaning == Meaning::Widths ||
                          property.meaning == Meaning::PointIds || property.scope == Scope::Point;
    const std::uint64_t count = !values->isArray()                ? 1
                                : ofPoints                        ? sizes.points
                                : property.scope == Scope::Corner ? sizes.corners
                                : property.scope == Scope::Face   ? sizes.faces
                                                                  : 1;
    const std::uint64_t samples = values->constant() ? 1 : values->sampling().count();
    return total + samples * (count * values->extent() * std::max<std::size_t>(elementSize(values->type()), 1) +
                              (values->isArray() ? 24 : 0));
}

// Heads, names and indices cost about as much as this, an object and a sample.
constexpr std::uint64_t kObjectBytes = 1200;
constexpr std::uint64_t kSampleBytes = 80;

} // namespace

std::uint64_t estimatedBytes(const Scene& scene) {
    std::uint64_t total = 0;
    for (const Node& node : scene.nodes) {
        total += kObjectBytes / (node.geometry ? 1 : 3);
        if (node.transform && !node.transform->constant())
            total += node.transform->sampling().count() * 16 * sizeof(double);
        Sizes sizes;
        if (node.geometry && node.geometry->sampling().count() > 0) {
            const std::size_t middle = node.geometry->sampling().count() / 2;
            sizes.points = node.geometry->pointCount(middle).value_or(1);
            if (const auto topology = node.geometry->topology(middle))
                sizes = {sizes.points, (*topology)->cornerCount(), (*topology)->faceCount()};
        }
        if (node.properties)
            for (const PropertyNode& property : node.properties->all())
                total += bytesOf(property, sizes);
        if (!node.geometry || node.geometry->sampling().count() == 0)
            continue;
        const Geometry& shape = *node.geometry;
        const std::uint64_t samples = shape.pointsConstant() ? 1 : shape.sampling().count();
        const auto sets = shape.faceSets(0);
        if (!sets)
            continue;
        total += samples * (sizes.points * sizeof(Vec3f) + kSampleBytes);
        std::uint64_t once = 4 * (sizes.faces + sizes.corners);
        for (const FaceSet& set : **sets)
            once += set.faces.size() * sizeof(std::int32_t) + kObjectBytes / 2;
        total += once * (shape.topologyVaries() ? samples : 1);
    }
    return total;
}

} // namespace wyc
