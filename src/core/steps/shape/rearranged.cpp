// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <unordered_map>

#include <fmt/format.h>

#include "scene/components/face_sets.h"
#include "scene/mix.h"
#include "steps/shape/pieces.h"
#include "steps/shape/rearranged.h"
#include "steps/steps.h"

namespace wyc {
namespace {

class RearrangedGeometry final : public MomentWrapper {
  public:
    /// `sets`: those of the mesh, wherever they were kept.
    RearrangedGeometry(GeometryPtr inner, PlacesPtr places, std::vector<FaceSet> sets)
        : MomentWrapper(std::move(inner)), places_(std::move(places)) {
        std::unordered_map<std::int32_t, std::int32_t> now;
        for (std::size_t f = 0; f < places_->faces.size(); ++f)
            now.emplace(static_cast<std::int32_t>(places_->faces[f]), static_cast<std::int32_t>(f));
        std::vector<FaceSet> renumbered;
        for (FaceSet& set : sets) {
            std::vector<std::int32_t> faces;
            for (const std::int32_t f : set.faces)
                if (const auto found = now.find(f); found != now.end())
                    faces.push_back(found->second);
            std::sort(faces.begin(), faces.end());
            renumbered.push_back({set.kind, set.name, std::move(faces)});
        }
        sets_ = std::make_shared<const std::vector<FaceSet>>(std::move(renumbered));
    }
    [[nodiscard]] Result<std::size_t> pointCount(std::size_t) const override { return places_->points.size(); }
    [[nodiscard]] Result<std::size_t> pointCountAt(double) const override { return places_->points.size(); }
    [[nodiscard]] Status readRange(std::size_t s, std::size_t first, std::span<Vec3f> into) const override {
        return read(Pose::ofSample(inner(), s), first, into);
    }
    [[nodiscard]] Status readAt(double t, std::size_t first, std::span<Vec3f> into) const override {
        return read(Pose::atTime(inner(), t), first, into);
    }
    [[nodiscard]] Result<TopologyPtr> topology(std::size_t) const override { return places_->topology; }
    [[nodiscard]] Result<TopologyPtr> topologyAt(double) const override { return places_->topology; }
    [[nodiscard]] Result<FaceSetsPtr> faceSets(std::size_t) const override { return sets_; }
    [[nodiscard]] Result<FaceSetsPtr> faceSetsAt(double) const override { return sets_; }
    [[nodiscard]] Result<IdsPtr> ids(std::size_t) const override { return IdsPtr(); }
    [[nodiscard]] Result<IdsPtr> idsAt(double) const override { return IdsPtr(); }
    [[nodiscard]] bool topologyVaries() const override { return false; }
    [[nodiscard]] bool faceSetsVary() const override { return false; }
    [[nodiscard]] std::optional<std::uint64_t> byteOfPoints(std::size_t) const override { return std::nullopt; }

  private:
    [[nodiscard]] Status read(const Pose& before, std::size_t first, std::span<Vec3f> into) const {
        const std::vector<std::uint32_t>& points = places_->points;
        if (first > points.size() || into.size() > points.size() - first)
            return fail(ErrorKind::Internal, "the buffer reaches beyond the points");
        WYC_TRY(count, before.pointCount());
        std::vector<Vec3f> all(count);
        WYC_CHECK(before.read(0, all));
        for (std::size_t i = 0; i < into.size(); ++i) {
            const std::uint32_t from = points[first + i];
            if (from >= all.size())
                return fail(ErrorKind::BadInput, "the mesh has fewer points in this sample than in its first");
            into[i] = all[from];
        }
        return {};
    }
    PlacesPtr places_;
    FaceSetsPtr sets_;
};

// Values of points, corners or faces in their new order.
class RearrangedValues final : public ValuesWrapper {
  public:
    /// `each`: values for each element.
    RearrangedValues(ValuesPtr inner, PlacesPtr places, Scope scope, std::size_t each)
        : ValuesWrapper(std::move(inner)), places_(std::move(places)), scope_(scope), each_(each) {}
    [[nodiscard]] Result<PropertyValue> read(std::size_t s) const override {
        WYC_TRY(value, inner().read(s));
        return placed(std::move(value));
    }
    [[nodiscard]] Result<PropertyValue> readAt(double t, const ValueMix& how) const override {
        WYC_TRY(value, inner().readAt(t, how));
        return placed(std::move(value));
    }
    [[nodiscard]] std::optional<std::uint64_t> token(std::size_t) const override { return std::nullopt; }
    [[nodiscard]] std::optional<std::uint64_t> tokenAt(double) const override { return std::nullopt; }

  private:
    [[nodiscard]] Result<PropertyValue> placed(PropertyValue value) const {
        if (value.bytes.empty()) // nothing is said then
            return value;
        const std::vector<std::uint32_t>& places = *places_->of(scope_);
        const std::size_t size = elementSize(type()) * extent() * each_;
        PropertyValue result = value;
        result.bytes.clear();
        result.bytes.reserve(places.size() * size);
        for (const std::uint32_t place : places) {
            if ((place + std::size_t{1}) * size > value.bytes.size())
                return fail(ErrorKind::BadInput, "there are fewer values than points or faces");
            const auto from = value.bytes.begin() + static_cast<std::ptrdiff_t>(place * size);
            result.bytes.insert(result.bytes.end(), from, from + static_cast<std::ptrdiff_t>(size));
        }
        // Split points have values more than their list said.
        if (result.bytes.size() != value.bytes.size())
            result.dimensions.clear();
        return result;
    }
    PlacesPtr places_;
    Scope scope_;
    std::size_t each_;
};

// Which elements a property has a value for each of; nothing for what is of the whole.
std::optional<Scope> scopeOf(const PropertyNode& property) {
    if (isAttribute(property.meaning))
        return property.scope;
    switch (property.meaning) {
    case Meaning::Velocities:
    case Meaning::PointIds:
    case Meaning::Widths: return Scope::Point;
    default: return std::nullopt;
    }
}

// Creases, holes, ways back from a split and what only a format knows may name points and faces by their numbers.
bool mayNameNumbers(const PropertyNode& property) {
    return property.values->isArray() &&
           (property.meaning == Meaning::SurfaceSetting || property.meaning == Meaning::Unknown ||
            property.meaning == Meaning::UserValue);
}

// The first sample that holds anything: a layer may begin later than its mesh.
Result<PropertyValue> firstThere(const SampledValues& values) {
    for (std::size_t i = 0; i < values.sampling().count(); ++i) {
        WYC_TRY(value, values.read(i));
        if (!value.bytes.empty())
            return value;
    }
    return PropertyValue{};
}

// The node with its elements at other places. `renumbers`: points or faces have other numbers than before.
Status rearrange(Scene& scene, std::size_t index, PlacesPtr places, bool renumbers) {
    WYC_TRY(sets, faceSetsOf(scene, index));
    Node& node = scene.nodes[index];
    WYC_TRY(points, node.geometry->pointCount(0));
    WYC_TRY(before, node.geometry->topology(0));
    const auto countOf = [&, before = before](Scope scope) {
        return scope == Scope::Point ? points : scope == Scope::Corner ? before->cornerCount() : before->faceCount();
    };
    // How many values there are for each element; 0: they do not go with elements.
    const auto valuesEach = [&](const SampledValues& values, Scope scope) -> std::size_t {
        const std::size_t size = countOf(scope) * elementSize(values.type()) * values.extent();
        if (!values.isArray() || size == 0)
            return 0;
        const auto value = firstThere(values);
        return value && value->bytes.size() % size == 0 ? value->bytes.size() / size : 0;
    };
    // None, or one for all: that has no order.
    const auto hasNoOrder = [](const SampledValues& values) {
        if (!values.isArray() || values.sampling().count() == 0)
            return true;
        const auto value = firstThere(values);
        return value && elementSize(values.type()) > 0 &&
               value->bytes.size() <= elementSize(values.type()) * values.extent();
    };
    // What is kept for single elements goes with them; what cannot be said to is told.
    const auto keep = [&](const PropertyNode& property, const PropertyNode* group) -> ValuesPtr {
        const bool part = group && isAttribute(group->meaning); // values, and numbers into them
        const auto scope = part ? std::optional(group->scope) : scopeOf(property);
        const bool single = scope && *scope != Scope::Constant;
        if (const PropertyNode* numbers = part && single ? numberingOf(*group) : nullptr;
            numbers && numbers->name != property.name && valuesEach(*numbers->values, *scope) == 1)
            return property.values; // the numbers are put in order
        if (!single)
            return renumbers && !part && mayNameNumbers(property) ? nullptr : property.values;
        if (const std::size_t each = valuesEach(*property.values, *scope); each > 0)
            return std::make_shared<RearrangedValues>(property.values, places, *scope, each);
        // Faces that are walked back keep their numbers, and so do points.
        return hasNoOrder(*property.values) || (!renumbers && *scope != Scope::Corner) ? property.values : nullptr;
    };
    KeptProperties kept = keptProperties(node.properties, keep);
    for (const std::string& name : kept.gone)
        scene.report.notCarried.push_back(
            {node.path, fmt::format("'{}': points and faces have other numbers now", name)});
    node.properties = std::move(kept.kept);
    if (renumbers)
        node.madeOf = std::make_shared<const std::vector<MadeOf>>(pieceMadeOf(node, places->points));
    node.geometry = std::make_shared<RearrangedGeometry>(node.geometry, std::move(places), std::move(sets));
    return {};
}

// Sets that were nodes below a mesh are with the mesh now.
Scene withoutSetsOf(const Scene& scene, const std::vector<char>& rearranged) {
    Scene result = scene;
    result.nodes.clear();
    std::vector<int> place(scene.nodes.size(), -1);
    for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
        Node node = scene.nodes[i];
        const int parent = node.parent;
        if (parent >= 0 && (place[static_cast<std::size_t>(parent)] < 0 ||
                            (node.is().part && rearranged[static_cast<std::size_t>(parent)])))
            continue;
        node.parent = parent < 0 ? -1 : place[static_cast<std::size_t>(parent)];
        place[i] = static_cast<int>(result.nodes.size());
        result.nodes.push_back(std::move(node));
    }
    return result;
}

} // namespace

Result<Scene> rearrangedScene(const Scene& scene, bool renumbers, const PlacesOf& placesOf) {
    Scene result = scene;
    std::vector<char> done(scene.nodes.size(), 0);
    for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
        const Node& node = scene.nodes[i];
        if (!node.geometry || node.is().strands)
            continue;
        WYC_TRY(changes, node.geometry->topologyChanges());
        if (changes)
            return fail(makeError(ErrorKind::BadInput, "its faces change in time: they have no order to be changed")
                            .forItem(node.path));
        WYC_TRY(points, node.geometry->pointCount(0));
        WYC_TRY(topology, node.geometry->topology(0));
        auto places = placesOf(*topology, points);
        if (!places)
            return fail(std::move(places.error()).forItem(node.path));
        if (!*places)
            continue;
        WYC_CHECK(rearrange(result, i, std::move(*places), renumbers));
        done[i] = 1;
    }
    if (std::none_of(done.begin(), done.end(), [](char one) { return one; }))
        return fail(makeError(ErrorKind::BadInput, "no mesh is there that this fits"));
    return withoutSetsOf(result, done);
}

// Where the corners of a mesh begin, face by face, and the end.
std::vector<std::uint32_t> startsOf(const Topology& topology) {
    std::vector<std::uint32_t> starts{0};
    for (const std::int32_t size : topology.faceSizes())
        starts.push_back(starts.back() + static_cast<std::uint32_t>(size));
    return starts;
}

} // namespace wyc
