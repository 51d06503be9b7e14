// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/schema/shapes.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <mutex>
#include <numbers>

#include <fmt/format.h>

#include "scene/winding.h"

namespace wyc::usd {
namespace {

// What an attribute holds at a time code, and a number that is equal for values known to be equal.
struct Found {
    Value value;
    std::optional<std::uint64_t> token;
};
Result<Found> foundAt(const Attribute& attribute, double code) {
    Found found;
    if (!attribute.isThere())
        return found;
    WYC_TRY(value, attribute.at(code));
    found.value = std::move(value);
    const Data* data = found.value.data();
    if (data && data->source)
        found.token = data->source->token();
    else if (data && data->bytes)
        found.token = reinterpret_cast<std::uintptr_t>(data->bytes.get());
    return found;
}

Result<std::vector<std::int32_t>> wholeNumbers(const Value& value) {
    std::vector<std::int32_t> result;
    const Data* data = value.data();
    if (!data || data->texts)
        return result;
    WYC_TRY(bytes, bytesOf(*data));
    if (data->type.base == Base::Int && data->type.count == 1) {
        result.resize(bytes->size() / 4);
        if (!result.empty())
            std::memcpy(result.data(), bytes->data(), bytes->size());
        return result;
    }
    WYC_TRY(wholes, wholesOf(value));
    for (const std::int64_t number : wholes)
        result.push_back(static_cast<std::int32_t>(std::clamp<std::int64_t>(number, INT32_MIN, INT32_MAX)));
    return result;
}

Result<std::vector<Vec3f>> triples(const Data& data) {
    WYC_TRY(bytes, bytesOf(data));
    std::vector<Vec3f> result;
    if (data.type.base == Base::Float && data.type.count == 3) {
        result.resize(bytes->size() / sizeof(Vec3f));
        if (!result.empty())
            std::memcpy(result.data(), bytes->data(), result.size() * sizeof(Vec3f));
        return result;
    }
    const std::vector<double> numbers = numbersOf(data.type, *bytes);
    for (std::size_t i = 0; data.type.count == 3 && i + 2 < numbers.size(); i += 3)
        result.push_back(
            {static_cast<float>(numbers[i]), static_cast<float>(numbers[i + 1]), static_cast<float>(numbers[i + 2])});
    return result;
}

class PrimShape final : public Geometry {
  public:
    PrimShape(ShapeParts parts, const Clock& clock) : parts_(std::move(parts)), clock_(clock) {
        codes_ = codesOf({&parts_.points, &parts_.counts, &parts_.corners});
        sampling_ = codes_.size() < 2 ? Sampling::still() : clock_.sampling(codes_);
        facesVary_ = parts_.counts.isAnimated() || parts_.corners.isAnimated();
    }
    [[nodiscard]] const Sampling& sampling() const override { return sampling_; }
    [[nodiscard]] Result<std::size_t> pointCount(std::size_t sample) const override {
        WYC_TRY(found, foundAt(parts_.points, codeOf(sample)));
        const Data* data = found.value.data();
        if (!data)
            return std::size_t{0};
        WYC_TRY(count, countOf(*data));
        return static_cast<std::size_t>(count);
    }
    [[nodiscard]] Status readRange(std::size_t sample, std::size_t first, std::span<Vec3f> into) const override {
        WYC_TRY(found, foundAt(parts_.points, codeOf(sample)));
        const Data* data = found.value.data();
        if (!data)
            return into.empty() ? Status{}
                                : Status(fail(ErrorKind::Internal, "points are asked for where there are none"));
        // As they lie in the file.
        if (data->source && data->source->byteInFile() && data->type.base == Base::Float && data->type.count == 3)
            return data->source->readRange(first, std::as_writable_bytes(into));
        const std::lock_guard lock(mutex_);
        if (!keptToken_ || !found.token || *keptToken_ != *found.token) {
            WYC_TRY(points, triples(*data));
            kept_ = std::move(points);
            keptToken_ = found.token;
            keptValue_ = found.value; // so that its token stays its own
        }
        return copyRange(kept_, first, into);
    }
    [[nodiscard]] Result<TopologyPtr> topology(std::size_t sample) const override {
        if (!parts_.counts.isThere())
            return emptyTopology();
        WYC_TRY(counts, foundAt(parts_.counts, codeOf(sample)));
        WYC_TRY(corners, foundAt(parts_.corners, codeOf(sample)));
        const std::lock_guard lock(mutex_);
        const std::pair key{counts.token, corners.token};
        if (topology_ && key.first && key.second && topologyKey_ == key)
            return topology_;
        WYC_TRY(sizes, wholeNumbers(counts.value));
        WYC_TRY(points, wholeNumbers(corners.value));
        auto made = Topology::make(std::move(sizes), std::move(points));
        if (made && parts_.turned)
            made = turned(**made);
        if (!made)
            return fail(std::move(made.error()).forItem(parts_.item));
        topology_ = *made;
        topologyKey_ = key;
        topologyValues_ = {counts.value, corners.value};
        return topology_;
    }
    [[nodiscard]] Result<FaceSetsPtr> faceSets(std::size_t sample) const override {
        if (parts_.subsets.empty())
            return noFaceSets();
        std::vector<FaceSet> sets;
        for (const SubsetOfFaces& subset : parts_.subsets) {
            WYC_TRY(found, foundAt(subset.indices, codeOf(sample)));
            WYC_TRY(faces, wholeNumbers(found.value));
            std::sort(faces.begin(), faces.end());
            sets.push_back({subset.kind, subset.name, std::move(faces), subset.material});
        }
        return std::make_shared<const std::vector<FaceSet>>(std::move(sets));
    }
    [[nodiscard]] bool topologyVaries() const override {
        if (facesVary_)
            return true;
        const std::lock_guard lock(mutex_);
        if (varies_ < 0) {
            varies_ = 0;
            std::optional<std::uint64_t> first;
            for (const double code : codes_) {
                const auto found = foundAt(parts_.points, code);
                const Data* data = found ? found->value.data() : nullptr;
                const auto count = data ? countOf(*data) : Result<std::uint64_t>(0);
                if (count && first && *first != *count)
                    varies_ = 1;
                if (count && !first)
                    first = *count;
            }
        }
        return varies_ > 0;
    }
    [[nodiscard]] bool faceSetsVary() const override {
        return topologyVaries() || std::any_of(parts_.subsets.begin(), parts_.subsets.end(),
                                               [](const auto& s) { return s.indices.isAnimated(); });
    }
    [[nodiscard]] Result<IdsPtr> ids(std::size_t sample) const override {
        if (!parts_.ids.isThere())
            return IdsPtr();
        WYC_TRY(found, foundAt(parts_.ids, codeOf(sample)));
        const Data* data = found.value.data();
        if (!data || sizeOf(data->type) != 8)
            return IdsPtr();
        WYC_TRY(bytes, bytesOf(*data));
        WYC_TRY(count, pointCount(sample));
        auto result = std::make_shared<std::vector<std::uint64_t>>(bytes->size() / 8);
        if (result->size() != count) // of no use: they say nothing of these points
            return IdsPtr();
        if (!result->empty())
            std::memcpy(result->data(), bytes->data(), bytes->size());
        return IdsPtr(result);
    }
    [[nodiscard]] std::optional<std::uint64_t> pointsToken(std::size_t sample) const override {
        const auto found = foundAt(parts_.points, codeOf(sample));
        const Data* data = found ? found->value.data() : nullptr;
        return data && data->source ? std::optional(data->source->token()) : std::nullopt;
    }
    [[nodiscard]] std::optional<std::uint64_t> byteOfPoints(std::size_t sample) const override {
        const auto found = foundAt(parts_.points, codeOf(sample));
        const Data* data = found ? found->value.data() : nullptr;
        return data && data->source && data->type.base == Base::Float ? data->source->byteInFile() : std::nullopt;
    }

  private:
    [[nodiscard]] double codeOf(std::size_t sample) const { return codes_.empty() ? 0.0 : codes_[sample]; }

    ShapeParts parts_;
    Clock clock_;
    std::vector<double> codes_;
    Sampling sampling_;
    bool facesVary_ = false;
    mutable std::mutex mutex_;
    mutable std::vector<Vec3f> kept_;
    mutable std::optional<std::uint64_t> keptToken_;
    mutable Value keptValue_;
    mutable TopologyPtr topology_;
    mutable std::pair<std::optional<std::uint64_t>, std::optional<std::uint64_t>> topologyKey_;
    mutable std::pair<Value, Value> topologyValues_;
    mutable int varies_ = -1;
};

// ---- Shapes that are given by numbers.

constexpr int kAround = 24;
constexpr int kRings = 12;

struct Profile {
    std::vector<std::pair<double, double>> rings; // distance from the axis, place along it; the first and last may be 0
};

struct Solid {
    std::vector<Vec3d> points; // along Z
    std::vector<std::int32_t> sizes;
    std::vector<std::int32_t> corners;
};

// Rings turned about the axis, from low to high; closed where a ring has no width.
Solid lathe(const std::vector<std::pair<double, double>>& rings, bool points) {
    Solid solid;
    std::vector<std::int32_t> first;
    for (std::size_t r = 0; r < rings.size(); ++r) {
        first.push_back(static_cast<std::int32_t>(solid.points.size()));
        const bool tip = points && (r == 0 || r + 1 == rings.size());
        for (int i = 0; i < (tip ? 1 : kAround); ++i) {
            const double angle = 2.0 * std::numbers::pi * i / kAround;
            solid.points.push_back(
                {rings[r].first * std::cos(angle), rings[r].first * std::sin(angle), rings[r].second});
        }
    }
    for (std::size_t r = 0; r + 1 < rings.size(); ++r)
        for (int i = 0; i < kAround; ++i) {
            const int next = (i + 1) % kAround;
            const bool low = points && r == 0;
            const bool high = points && r + 2 == rings.size();
            if (low && high)
                continue;
            const auto at = [&](std::size_t ring, int k) { return first[ring] + k; };
            if (low) {
                solid.sizes.push_back(3);
                solid.corners.insert(solid.corners.end(), {at(r, 0), at(r + 1, next), at(r + 1, i)});
            } else if (high) {
                solid.sizes.push_back(3);
                solid.corners.insert(solid.corners.end(), {at(r, i), at(r, next), at(r + 1, 0)});
            } else {
                solid.sizes.push_back(4);
                solid.corners.insert(solid.corners.end(), {at(r, i), at(r, next), at(r + 1, next), at(r + 1, i)});
            }
        }
    return solid;
}

struct SolidSize {
    double size = 2.0;
    double radius = 1.0;
    double height = 2.0;
    double width = 2.0;
    double length = 2.0;
};

Solid solidOf(const std::string& type, const SolidSize& f) {
    Solid solid;
    if (type == "Cube") {
        const double h = 0.5 * f.size;
        for (int i = 0; i < 8; ++i)
            solid.points.push_back({(i & 4) ? h : -h, (i & 2) ? h : -h, (i & 1) ? h : -h});
        solid.sizes.assign(6, 4);
        solid.corners = {0, 1, 3, 2, 4, 6, 7, 5, 0, 4, 5, 1, 2, 3, 7, 6, 0, 2, 6, 4, 1, 5, 7, 3};
        return solid;
    }
    if (type == "Plane") {
        const double w = 0.5 * f.width;
        const double l = 0.5 * f.length;
        solid.points = {{-w, -l, 0}, {w, -l, 0}, {w, l, 0}, {-w, l, 0}};
        solid.sizes = {4};
        solid.corners = {0, 1, 2, 3};
        return solid;
    }
    const double h = 0.5 * f.height;
    std::vector<std::pair<double, double>> rings;
    if (type == "Sphere") {
        for (int r = 0; r <= kRings; ++r) {
            const double angle = std::numbers::pi * (static_cast<double>(r) / kRings - 0.5);
            rings.emplace_back(f.radius * std::cos(angle), f.radius * std::sin(angle));
        }
        rings.front() = {0.0, -f.radius};
        rings.back() = {0.0, f.radius};
    } else if (type == "Capsule") {
        for (int r = 0; r <= kRings / 2; ++r) {
            const double angle = std::numbers::pi * (static_cast<double>(r) / kRings - 0.5);
            rings.emplace_back(f.radius * std::cos(angle), -h + f.radius * std::sin(angle));
        }
        for (int r = kRings / 2; r <= kRings; ++r) {
            const double angle = std::numbers::pi * (static_cast<double>(r) / kRings - 0.5);
            rings.emplace_back(f.radius * std::cos(angle), h + f.radius * std::sin(angle));
        }
        rings.front().first = rings.back().first = 0.0;
    } else if (type == "Cone") {
        rings = {{0.0, -h}, {f.radius, -h}, {0.0, h}};
    } else { // Cylinder
        rings = {{0.0, -h}, {f.radius, -h}, {f.radius, h}, {0.0, h}};
    }
    return lathe(rings, true);
}

class ImplicitShape final : public Geometry {
  public:
    ImplicitShape(std::string type, std::string axis, std::array<Attribute, 5> figures, bool turnedOver,
                  const Clock& clock)
        : type_(std::move(type)), axis_(std::move(axis)), figures_(std::move(figures)), clock_(clock) {
        codes_ = codesOf({&figures_[0], &figures_[1], &figures_[2], &figures_[3], &figures_[4]});
        sampling_ = codes_.size() < 2 ? Sampling::still() : clock_.sampling(codes_);
        const Solid solid = solidOf(type_, {});
        if (auto made = Topology::make(solid.sizes, solid.corners)) {
            auto wound = turnedOver ? turned(**made) : made;
            faces_ = wound ? *wound : emptyTopology();
        }
        count_ = solid.points.size();
    }
    [[nodiscard]] const Sampling& sampling() const override { return sampling_; }
    [[nodiscard]] Result<std::size_t> pointCount(std::size_t) const override { return count_; }
    [[nodiscard]] Status readRange(std::size_t sample, std::size_t first, std::span<Vec3f> into) const override {
        const double code = codes_.empty() ? 0.0 : codes_[sample];
        SolidSize figures;
        for (const auto& [which, figure] : {std::pair{0, &SolidSize::size},
                                            {1, &SolidSize::radius},
                                            {2, &SolidSize::height},
                                            {3, &SolidSize::width},
                                            {4, &SolidSize::length}}) {
            WYC_TRY(numbers, numbersAtCode(figures_[static_cast<std::size_t>(which)], code));
            if (numbers.size() == 1)
                figures.*figure = numbers.front();
            else if (!figures_[static_cast<std::size_t>(which)].isThere() && type_ == "Capsule") {
                if (which == 1)
                    figures.radius = 0.5;
                if (which == 2)
                    figures.height = 1.0;
            }
        }
        std::vector<Vec3f> points;
        for (const Vec3d& p : solidOf(type_, figures).points) {
            // Made along Z; a plane faces along its axis.
            const Vec3d way = type_ == "Cube" || axis_ == "Z" ? p
                              : axis_ == "X"                  ? Vec3d{p.z, p.x, p.y}
                                                              : Vec3d{p.y, p.z, p.x};
            points.push_back({static_cast<float>(way.x), static_cast<float>(way.y), static_cast<float>(way.z)});
        }
        return copyRange(points, first, into);
    }
    [[nodiscard]] Result<TopologyPtr> topology(std::size_t) const override { return faces_; }
    [[nodiscard]] bool topologyVaries() const override { return false; }

  private:
    std::string type_;
    std::string axis_;
    std::array<Attribute, 5> figures_;
    Clock clock_;
    std::vector<double> codes_;
    Sampling sampling_;
    TopologyPtr faces_;
    std::size_t count_ = 0;
};

} // namespace

GeometryPtr shapeOf(ShapeParts parts, const Clock& clock) {
    return std::make_shared<PrimShape>(std::move(parts), clock);
}

bool isImplicitShape(std::string_view type) {
    return type == "Cube" || type == "Sphere" || type == "Cylinder" || type == "Cone" || type == "Capsule" ||
           type == "Plane";
}

GeometryPtr implicitShape(const ComposedScene& scene, const Prim& prim, const Clock& clock) {
    if (!isImplicitShape(prim.typeName))
        return nullptr;
    std::array<Attribute, 5> figures;
    std::size_t i = 0;
    for (const char* name : {"size", "radius", "height", "width", "length"})
        figures[i++] = scene.attribute(prim, name);
    const bool over = textAtCode(scene.attribute(prim, "orientation"), 0.0) == "leftHanded";
    return std::make_shared<ImplicitShape>(prim.typeName, textAtCode(scene.attribute(prim, "axis"), 0.0, "Z"),
                                           std::move(figures), over, clock);
}

} // namespace wyc::usd
