// SPDX-License-Identifier: GPL-3.0-or-later
#include "steps/retimed.h"

#include <algorithm>

#include <fmt/format.h>

namespace wyc {
namespace {

class RetimedGeometry final : public GeometryWrapper {
  public:
    RetimedGeometry(GeometryPtr inner, Retiming retiming)
        : GeometryWrapper(std::move(inner)), retiming_(std::move(retiming)) {}

    [[nodiscard]] const Sampling& sampling() const override { return retiming_.sampling; }
    [[nodiscard]] Result<std::size_t> pointCount(std::size_t sample) const override {
        return inner().pointCount(retiming_.at(sample).below);
    }
    [[nodiscard]] Status readRange(std::size_t sample, std::size_t first, std::span<Vec3f> into) const override {
        const Pick p = retiming_.at(sample);
        WYC_CHECK(inner().readRange(p.below, first, into));
        if (p.weight == 0.0F)
            return {};
        WYC_TRY(countBelow, inner().pointCount(p.below));
        WYC_TRY(count, inner().pointCount(p.above));
        WYC_TRY(faces, inner().topology(p.below));
        WYC_TRY(nextFaces, inner().topology(p.above));
        if (count != countBelow || faces->hash() != nextFaces->hash())
            return fail(
                makeError(ErrorKind::BadInput, fmt::format("between samples {} and {} the points or faces change; "
                                                           "nothing can be interpolated there",
                                                           p.below, p.above))
                    .withAdvice("Use nearest instead of linear"));
        std::vector<Vec3f> above(into.size());
        WYC_CHECK(inner().readRange(p.above, first, above));
        for (std::size_t i = 0; i < into.size(); ++i) {
            into[i].x += (above[i].x - into[i].x) * p.weight;
            into[i].y += (above[i].y - into[i].y) * p.weight;
            into[i].z += (above[i].z - into[i].z) * p.weight;
        }
        return {};
    }
    [[nodiscard]] Result<TopologyPtr> topology(std::size_t sample) const override {
        return inner().topology(retiming_.at(sample).below);
    }
    [[nodiscard]] Result<ExtrasPtr> extras(std::size_t sample) const override {
        return inner().extras(retiming_.at(sample).below);
    }
    [[nodiscard]] std::optional<std::uint64_t> pointsToken(std::size_t sample) const override {
        return retiming_.at(sample).weight == 0.0F ? inner().pointsToken(retiming_.at(sample).below) : std::nullopt;
    }
    [[nodiscard]] std::optional<std::uint64_t> byteOfPoints(std::size_t sample) const override {
        return retiming_.at(sample).weight == 0.0F ? inner().byteOfPoints(retiming_.at(sample).below) : std::nullopt;
    }

  private:
    Retiming retiming_;
};

class RetimedTransform final : public Transform {
  public:
    RetimedTransform(TransformPtr inner, Retiming retiming)
        : inner_(std::move(inner)), retiming_(std::move(retiming)) {}
    [[nodiscard]] const Sampling& sampling() const override { return retiming_.sampling; }
    [[nodiscard]] const std::vector<TransformOp>& ops() const override { return inner_->ops(); }
    [[nodiscard]] Result<std::vector<double>> channels(std::size_t sample) const override {
        const Pick p = retiming_.at(sample);
        WYC_TRY(values, inner_->channels(p.below));
        if (p.weight > 0.0F) {
            WYC_TRY(above, inner_->channels(p.above));
            for (std::size_t i = 0; i < values.size() && i < above.size(); ++i)
                values[i] += (above[i] - values[i]) * static_cast<double>(p.weight);
        }
        return values;
    }
    [[nodiscard]] Result<bool> inherits(std::size_t sample) const override {
        return inner_->inherits(retiming_.at(sample).below);
    }
    [[nodiscard]] bool constant() const override { return inner_->constant() || sampling().isStill(); }

  private:
    TransformPtr inner_;
    Retiming retiming_;
};

class RetimedValues final : public ValuesWrapper {
  public:
    RetimedValues(ValuesPtr inner, Retiming retiming)
        : ValuesWrapper(std::move(inner)), retiming_(std::move(retiming)) {}
    [[nodiscard]] const Sampling& sampling() const override { return retiming_.sampling; }
    [[nodiscard]] Result<PropertyValue> read(std::size_t sample) const override {
        const Pick p = retiming_.at(sample);
        WYC_TRY(value, inner().read(p.below));
        const bool blends = p.weight > 0.0F && (type() == ValueType::Float || type() == ValueType::Double);
        if (!blends) // numbers that count or name, texts: those of the sample before
            return value;
        WYC_TRY(above, inner().read(p.above));
        if (above.bytes.size() != value.bytes.size())
            return value;
        if (type() == ValueType::Float)
            blend<float>(value, above, p.weight);
        else
            blend<double>(value, above, static_cast<double>(p.weight));
        return value;
    }
    [[nodiscard]] std::optional<std::uint64_t> token(std::size_t sample) const override {
        return retiming_.at(sample).weight == 0.0F ? inner().token(retiming_.at(sample).below) : std::nullopt;
    }

  private:
    template<class T> static void blend(PropertyValue& value, const PropertyValue& above, T weight) {
        for (std::size_t at = 0; at + sizeof(T) <= value.bytes.size(); at += sizeof(T)) {
            T a;
            T b;
            std::memcpy(&a, value.bytes.data() + at, sizeof(T));
            std::memcpy(&b, above.bytes.data() + at, sizeof(T));
            a += (b - a) * weight;
            std::memcpy(value.bytes.data() + at, &a, sizeof(T));
        }
    }
    Retiming retiming_;
};

// Some numbers sit on the identity sampling (one a second from zero) though they change: film-back numbers, the faces
// of a set. They go sample by sample with what they belong to.
bool isIdentity(const Sampling& sampling) {
    return sampling.kind() == Sampling::Kind::Uniform && sampling.storedTimes()[0] == 0.0 &&
           sampling.cycleSeconds() == 1.0;
}

Sampling leadingSampling(const PropertyNode& property, const std::vector<PropertyNode>& siblings,
                         const std::optional<Sampling>& lead) {
    const Sampling& own = property.values->sampling();
    if (!isIdentity(own))
        return own;
    if (lead && lead->count() == own.count())
        return *lead;
    for (const PropertyNode& other : siblings)
        if (other.name == ".core" && other.values && other.values->sampling().count() == own.count())
            return other.values->sampling();
    return own;
}

PropertiesPtr retimedProperties(const PropertiesPtr& properties, const RetimingRule& rule,
                                const std::optional<Sampling>& lead) {
    return changedProperties(properties,
                             [rule, lead](const PropertyNode& property, const std::string&,
                                          const std::vector<PropertyNode>& siblings) -> ValuesPtr {
                                 const Sampling sampling = leadingSampling(property, siblings, lead);
                                 if (sampling.isStill())
                                     return property.values;
                                 auto retiming = rule(sampling);
                                 if (!retiming || retiming->picks.empty()) // outside its samples a value holds
                                     retiming = Retiming{Sampling::still(), {Pick{}}};
                                 return retimedValues(property.values, std::move(*retiming));
                             });
}

} // namespace

GeometryPtr retimedGeometry(GeometryPtr inner, Retiming retiming) {
    return std::make_shared<RetimedGeometry>(std::move(inner), std::move(retiming));
}

ValuesPtr retimedValues(ValuesPtr inner, Retiming retiming) {
    return std::make_shared<RetimedValues>(std::move(inner), std::move(retiming));
}

Retiming retimingOnto(const Sampling& from, const Sampling& onto, const FrameRate& rate) {
    Retiming result;
    result.sampling = onto;
    for (std::size_t i = 0; i < std::max<std::size_t>(1, onto.count()); ++i) {
        if (from.isStill()) {
            result.picks.push_back({});
            continue;
        }
        const auto at = from.locate(onto.time(i), rate);
        result.picks.push_back({static_cast<std::uint32_t>(at.below),
                                static_cast<std::uint32_t>(at.weight > 0.0 ? at.above : at.below),
                                static_cast<float>(at.weight)});
    }
    return result;
}

Sampling commonSampling(const std::vector<Sampling>& samplings, const FrameRate& rate) {
    std::vector<Sampling> moving;
    for (const Sampling& sampling : samplings)
        if (!sampling.isStill() && std::find(moving.begin(), moving.end(), sampling) == moving.end())
            moving.push_back(sampling);
    if (moving.empty())
        return Sampling::still();
    if (moving.size() == 1)
        return moving.front();
    std::vector<double> times;
    for (const Sampling& sampling : moving) {
        const auto own = sampling.times();
        times.insert(times.end(), own.begin(), own.end());
    }
    std::sort(times.begin(), times.end());
    const double near = rate.secondsAt(kFrameTolerance);
    times.erase(std::unique(times.begin(), times.end(), [&](double a, double b) { return b - a <= near; }),
                times.end());
    return samplingFromTimes(times);
}

Retiming keptSamples(const Sampling& sampling, const std::function<bool(std::size_t)>& keep) {
    Retiming result;
    std::vector<double> times;
    for (std::size_t i = 0; i < sampling.count(); ++i) {
        if (!keep(i))
            continue;
        times.push_back(sampling.time(i));
        result.picks.push_back({static_cast<std::uint32_t>(i), static_cast<std::uint32_t>(i), 0.0F});
    }
    const bool contiguous =
        !result.picks.empty() && result.picks.back().below - result.picks.front().below + 1 == result.picks.size();
    if (times.size() == sampling.count())
        result.sampling = sampling;
    else if (contiguous && sampling.kind() == Sampling::Kind::Uniform)
        result.sampling = Sampling::uniform(times.front(), sampling.cycleSeconds(), times.size());
    else
        result.sampling = samplingFromTimes(times);
    return result;
}

Result<Scene> retimed(const Scene& scene, const RetimingRule& rule) {
    Scene result = scene;
    result.samplings.clear();
    result.properties = retimedProperties(result.properties, rule, {});
    const auto leadOf = [&scene](const Node& node) -> std::optional<Sampling> {
        const Node* owner = &node;
        if (node.kind == NodeKind::FaceSet && node.parent >= 0)
            owner = &scene.nodes[static_cast<std::size_t>(node.parent)];
        return owner->geometry ? std::optional(owner->geometry->sampling()) : std::nullopt;
    };
    for (Node& node : result.nodes) {
        node.properties = retimedProperties(node.properties, rule, leadOf(node));
        if (node.geometry && !node.geometry->sampling().isStill()) {
            WYC_TRY(retiming, rule(node.geometry->sampling()));
            if (retiming.picks.empty())
                return fail(makeError(ErrorKind::BadInput, "no sample of this item is left")
                                .forItem(node.path)
                                .withAdvice("Choose a range that its samples lie in, or leave the item out"));
            node.geometry = retimedGeometry(node.geometry, std::move(retiming));
        }
        if (node.transform && !node.transform->sampling().isStill()) {
            WYC_TRY(retiming, rule(node.transform->sampling()));
            if (retiming.picks.empty()) // outside its samples a transform holds
                retiming = {Sampling::still(), {Pick{}}};
            node.transform = std::make_shared<RetimedTransform>(node.transform, std::move(retiming));
        }
        if (node.visibility && !node.visibility->sampling.isStill()) {
            WYC_TRY(retiming, rule(node.visibility->sampling));
            VisibilityTrack track;
            if (retiming.picks.empty())
                retiming = {Sampling::still(), {Pick{}}};
            track.sampling = retiming.sampling;
            for (const Pick& pick : retiming.picks)
                track.values.push_back(
                    node.visibility->values[std::min<std::size_t>(pick.below, node.visibility->values.size() - 1)]);
            node.visibility = std::move(track);
        }
    }
    return result;
}

} // namespace wyc
