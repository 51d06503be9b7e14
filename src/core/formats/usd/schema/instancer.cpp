// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/schema/instancer.h"

#include <algorithm>
#include <cmath>
#include <mutex>
#include <set>

#include "formats/usd/schema/shapes.h"

namespace wyc::usd {
namespace {

using Turn = std::array<double, 4>; // x, y, z, w

// First a, then b.
Turn turned(const Turn& a, const Turn& b) {
    return {
        b[3] * a[0] + b[0] * a[3] + b[1] * a[2] - b[2] * a[1], b[3] * a[1] - b[0] * a[2] + b[1] * a[3] + b[2] * a[0],
        b[3] * a[2] + b[0] * a[1] - b[1] * a[0] + b[2] * a[3], b[3] * a[3] - b[0] * a[0] - b[1] * a[1] - b[2] * a[2]};
}

// Of the sample at or before a time code, or the first.
std::optional<std::size_t> sampleBefore(const Attribute& attribute, double code) {
    const auto& times = attribute.times();
    if (times.empty())
        return std::nullopt;
    const auto above = std::upper_bound(times.begin(), times.end(), code);
    return above == times.begin() ? 0 : static_cast<std::size_t>(above - times.begin()) - 1;
}

/// Its moments worked out whole, the last one kept.
class Kept {
  public:
    explicit Kept(std::shared_ptr<const InstancerTracks> tracks) : tracks_(std::move(tracks)) {}
    [[nodiscard]] const InstancerTracks& tracks() const { return *tracks_; }
    // Those that are shown.
    [[nodiscard]] Result<std::shared_ptr<const std::vector<InstanceFigures>>> at(double code) const {
        const std::lock_guard lock(mutex_);
        if (kept_ && code_ == code)
            return kept_;
        WYC_TRY(found, tracks_->at(code));
        auto shown = std::make_shared<std::vector<InstanceFigures>>();
        for (std::size_t i = 0; i < found.all.size(); ++i)
            if (!found.hidden[i])
                shown->push_back(found.all[i]);
        code_ = code;
        kept_ = shown;
        return kept_;
    }
    [[nodiscard]] double codeOf(std::size_t sample) const {
        return tracks_->codes().empty() ? 0.0 : tracks_->codes()[sample];
    }
    [[nodiscard]] double codeAt(double seconds) const {
        const auto at = tracks_->sampling().locate(seconds);
        return at.weight == 0.0 ? codeOf(at.below) : tracks_->clock().code(seconds);
    }

  private:
    std::shared_ptr<const InstancerTracks> tracks_;
    mutable std::mutex mutex_;
    mutable double code_ = 0.0;
    mutable std::shared_ptr<const std::vector<InstanceFigures>> kept_;
};

class Places final : public Geometry {
  public:
    explicit Places(std::shared_ptr<const Kept> kept) : kept_(std::move(kept)) {}
    [[nodiscard]] const Sampling& sampling() const override { return kept_->tracks().sampling(); }
    [[nodiscard]] Result<std::size_t> pointCount(std::size_t sample) const override {
        WYC_TRY(all, kept_->at(kept_->codeOf(sample)));
        return all->size();
    }
    [[nodiscard]] Status readRange(std::size_t sample, std::size_t first, std::span<Vec3f> into) const override {
        return read(kept_->codeOf(sample), first, into);
    }
    [[nodiscard]] Result<TopologyPtr> topology(std::size_t) const override { return emptyTopology(); }
    [[nodiscard]] bool topologyVaries() const override { return true; }
    [[nodiscard]] Result<IdsPtr> ids(std::size_t sample) const override { return idsOf(kept_->codeOf(sample)); }
    [[nodiscard]] Result<std::size_t> pointCountAt(double seconds) const override {
        if (!goesOn())
            return Geometry::pointCountAt(seconds);
        WYC_TRY(all, kept_->at(kept_->codeAt(seconds)));
        return all->size();
    }
    [[nodiscard]] Status readAt(double seconds, std::size_t first, std::span<Vec3f> into) const override {
        return goesOn() ? read(kept_->codeAt(seconds), first, into) : Geometry::readAt(seconds, first, into);
    }
    [[nodiscard]] Result<IdsPtr> idsAt(double seconds) const override {
        return goesOn() ? idsOf(kept_->codeAt(seconds)) : Geometry::idsAt(seconds);
    }
    [[nodiscard]] bool straightBetween() const override { return !goesOn(); }

  private:
    [[nodiscard]] bool goesOn() const { return kept_->tracks().goesOn(); }
    [[nodiscard]] Status read(double code, std::size_t first, std::span<Vec3f> into) const {
        WYC_TRY(all, kept_->at(code));
        std::vector<Vec3f> points;
        for (const InstanceFigures& one : *all)
            points.push_back(
                {static_cast<float>(one.place.x), static_cast<float>(one.place.y), static_cast<float>(one.place.z)});
        return copyRange(points, first, into);
    }
    [[nodiscard]] Result<IdsPtr> idsOf(double code) const {
        WYC_TRY(all, kept_->at(code));
        auto ids = std::make_shared<std::vector<std::uint64_t>>();
        for (const InstanceFigures& one : *all)
            ids->push_back(one.id);
        return IdsPtr(ids);
    }
    std::shared_ptr<const Kept> kept_;
};

class Figures final : public SampledValues {
  public:
    Figures(std::shared_ptr<const Kept> kept, Meaning meaning) : kept_(std::move(kept)), meaning_(meaning) {}
    [[nodiscard]] ValueType type() const override {
        return meaning_ == Meaning::PrototypeNumbers ? ValueType::Int32 : ValueType::Float;
    }
    [[nodiscard]] std::uint32_t extent() const override {
        return meaning_ == Meaning::Turns ? 4 : meaning_ == Meaning::Sizes ? 3 : 1;
    }
    [[nodiscard]] bool isArray() const override { return true; }
    [[nodiscard]] const Sampling& sampling() const override { return kept_->tracks().sampling(); }
    [[nodiscard]] Result<PropertyValue> read(std::size_t sample) const override { return at(kept_->codeOf(sample)); }
    [[nodiscard]] Result<PropertyValue> readAt(double seconds, const ValueMix& how) const override {
        return kept_->tracks().goesOn() ? at(kept_->codeAt(seconds)) : SampledValues::readAt(seconds, how);
    }
    [[nodiscard]] bool straightBetween() const override { return !kept_->tracks().goesOn(); }

  private:
    [[nodiscard]] Result<PropertyValue> at(double code) const {
        WYC_TRY(all, kept_->at(code));
        PropertyValue value;
        const auto put = [&](auto number) {
            const auto raw = std::as_bytes(std::span(&number, 1));
            value.bytes.insert(value.bytes.end(), raw.begin(), raw.end());
        };
        for (const InstanceFigures& one : *all) {
            if (meaning_ == Meaning::PrototypeNumbers)
                put(one.prototype);
            else if (meaning_ == Meaning::Turns)
                for (const double number : one.turn)
                    put(static_cast<float>(number));
            else
                for (const double number : {one.size.x, one.size.y, one.size.z})
                    put(static_cast<float>(number));
        }
        return value;
    }
    std::shared_ptr<const Kept> kept_;
    Meaning meaning_;
};

} // namespace

InstancerTracks::InstancerTracks(const ComposedScene& scene, const Prim& prim, const Clock& clock)
    : clock_(clock),
      positions_(scene.attribute(prim, "positions")),
      numbers_(scene.attribute(prim, "protoIndices")),
      turns_(scene.attribute(prim, "orientationsf")),
      sizes_(scene.attribute(prim, "scales")),
      ids_(scene.attribute(prim, "ids")),
      invisible_(scene.attribute(prim, "invisibleIds")),
      velocities_(scene.attribute(prim, "velocities")),
      spins_(scene.attribute(prim, "angularVelocities")) {
    if (!turns_.hasValue())
        turns_ = scene.attribute(prim, "orientations");
    for (const ListItem& item : scene.listOf(prim, "inactiveIds"))
        inactive_.push_back(item.number);
    codes_ = codesOf({&positions_, &numbers_, &turns_, &sizes_, &ids_, &invisible_, &velocities_, &spins_});
    sampling_ = codes_.size() < 2 ? Sampling::still() : clock_.sampling(codes_);
}

Result<InstancesAtCode> InstancerTracks::at(double code) const {
    InstancesAtCode result;
    // With velocities, all is that of the sample before, and goes on from there.
    const auto base = sampleBefore(positions_, code);
    const auto sameMoment = [&](const Attribute& attribute) {
        const auto own = sampleBefore(attribute, code);
        return attribute.hasValue() && own && base && attribute.times()[*own] == positions_.times()[*base];
    };
    const bool moves = base && sameMoment(velocities_);
    const auto turnBase = sampleBefore(turns_, code);
    const auto spinBase = sampleBefore(spins_, code);
    const bool spins = turnBase && spinBase && turns_.times()[*turnBase] == spins_.times()[*spinBase];
    const double from = moves ? positions_.times()[*base] : code;
    const double turnFrom = spins ? turns_.times()[*turnBase] : code;
    WYC_TRY(places, numbersAtCode(positions_, from));
    WYC_TRY(which, wholesAtCode(numbers_, code));
    WYC_TRY(quaternions, numbersAtCode(turns_, turnFrom));
    WYC_TRY(factors, numbersAtCode(sizes_, moves ? from : code));
    WYC_TRY(ids, wholesAtCode(ids_, code));
    WYC_TRY(hidden, wholesAtCode(invisible_, code));
    std::size_t count = places.size() / 3;
    const auto shorten = [&](std::size_t own, bool there) {
        if (!there || own == count)
            return;
        result.uneven = true;
        count = std::min(count, own);
    };
    shorten(which.size(), numbers_.hasValue());
    shorten(quaternions.size() / 4, turns_.hasValue() && !quaternions.empty());
    shorten(factors.size() / 3, sizes_.hasValue() && !factors.empty());
    std::vector<double> speeds;
    if (moves) {
        WYC_TRY(own, numbersAtCode(velocities_, from));
        if (own.size() == places.size())
            speeds = std::move(own);
    }
    std::vector<double> turning;
    if (spins) {
        WYC_TRY(own, numbersAtCode(spins_, turnFrom));
        if (own.size() / 3 == quaternions.size() / 4)
            turning = std::move(own);
    }
    std::set<std::int64_t> gone(inactive_.begin(), inactive_.end());
    gone.insert(hidden.begin(), hidden.end());
    const double passed = (code - from) / clock_.codesPerSecond;
    const double turnPassed = (code - turnFrom) / clock_.codesPerSecond;
    const bool hasIds = ids.size() == places.size() / 3 && ids_.hasValue();
    for (std::size_t i = 0; i < count; ++i) {
        InstanceFigures one;
        one.id = hasIds ? static_cast<std::uint64_t>(ids[i]) : i;
        one.place = {places[3 * i], places[3 * i + 1], places[3 * i + 2]};
        if (!speeds.empty())
            one.place = one.place + Vec3d{speeds[3 * i], speeds[3 * i + 1], speeds[3 * i + 2]} * passed;
        if (4 * i + 3 < quaternions.size())
            std::copy_n(quaternions.begin() + static_cast<std::ptrdiff_t>(4 * i), 4, one.turn.begin());
        if (3 * i + 2 < turning.size()) {
            const Vec3d axis{turning[3 * i], turning[3 * i + 1], turning[3 * i + 2]}; // degrees a second
            const double angle = length(axis) * turnPassed * std::numbers::pi / 180.0;
            if (angle != 0.0) {
                const Vec3d unit = axis * (1.0 / length(axis));
                const double s = std::sin(0.5 * angle);
                one.turn = turned(one.turn, {unit.x * s, unit.y * s, unit.z * s, std::cos(0.5 * angle)});
            }
        }
        if (3 * i + 2 < factors.size())
            one.size = {factors[3 * i], factors[3 * i + 1], factors[3 * i + 2]};
        one.prototype =
            i < which.size() ? static_cast<std::int32_t>(std::clamp<std::int64_t>(which[i], INT32_MIN, INT32_MAX)) : 0;
        result.all.push_back(one);
        result.hidden.push_back(
            !gone.empty() && gone.contains(hasIds ? static_cast<std::int64_t>(one.id) : static_cast<std::int64_t>(i)));
    }
    return result;
}

bool InstancerTracks::isPlain() const {
    if (!inactive_.empty() || invisible_.hasValue() || goesOn())
        return false;
    // Lists of other lengths are told by their counts, which are read without the lists.
    const auto counts = [&](const Attribute& attribute, double code) -> std::optional<std::uint64_t> {
        if (!attribute.hasValue())
            return std::nullopt;
        const auto value = attribute.at(code, true);
        const Data* data = value ? value->data() : nullptr;
        const auto count = data ? countOf(*data) : Result<std::uint64_t>(0);
        return count ? std::optional(*count) : std::nullopt;
    };
    for (const double code : codes_.empty() ? std::vector<double>{0.0} : codes_) {
        const auto places = counts(positions_, code);
        for (const Attribute* other : {&numbers_, &turns_, &sizes_})
            if (const auto own = counts(*other, code); own && own != places)
                return false;
    }
    return true;
}

Status setInstancer(Node& node, std::shared_ptr<const InstancerTracks> tracks, std::vector<NodeId> prototypes) {
    node.kind = NodeKind::Instancer;
    node.prototypes = std::make_shared<const std::vector<NodeId>>(std::move(prototypes));
    std::vector<PropertyNode> list = node.properties ? node.properties->all() : std::vector<PropertyNode>();
    const auto add = [&](Meaning meaning, const char* name, ValuesPtr values, SpaceRole role) {
        if (!values)
            return;
        list.push_back(plainProperty(meaning, name, std::move(values), role));
        list.back().scope = Scope::Point;
    };
    if (tracks->isPlain()) {
        ShapeParts parts;
        parts.item = node.path;
        parts.points = tracks->positions();
        parts.ids = tracks->ids();
        node.geometry = shapeOf(std::move(parts), tracks->clock());
        const Clock& clock = tracks->clock();
        add(Meaning::Turns, "turns", valuesOf(tracks->turns(), clock, {.type = ValueType::Float}), SpaceRole::Turn);
        add(Meaning::Sizes, "sizes", valuesOf(tracks->sizes(), clock, {.type = ValueType::Float}), SpaceRole::Axes);
        add(Meaning::PrototypeNumbers, "prototypes", valuesOf(tracks->numbers(), clock, {.type = ValueType::Int32}),
            SpaceRole::None);
    } else {
        const auto kept = std::make_shared<const Kept>(std::move(tracks));
        node.geometry = std::make_shared<Places>(kept);
        add(Meaning::Turns, "turns", std::make_shared<Figures>(kept, Meaning::Turns), SpaceRole::Turn);
        add(Meaning::Sizes, "sizes", std::make_shared<Figures>(kept, Meaning::Sizes), SpaceRole::Axes);
        add(Meaning::PrototypeNumbers, "prototypes", std::make_shared<Figures>(kept, Meaning::PrototypeNumbers),
            SpaceRole::None);
    }
    node.properties = plainProperties(std::move(list));
    return {};
}

} // namespace wyc::usd
