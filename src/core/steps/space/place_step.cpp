// SPDX-License-Identifier: GPL-3.0-or-later
// Any move and turn of the whole world: what stands at the top of a scene takes it, all below goes along.
#include <algorithm>
#include <cmath>
#include <numbers>

#include <fmt/format.h>

#include "base/text.h"
#include "scene/channels.h"
#include "steps/space/space.h"
#include "steps/steps.h"

namespace wyc {
namespace {

using nlohmann::json;

Mat4 linearPart(const Mat4& m) {
    Mat4 linear = m;
    linear.m[12] = linear.m[13] = linear.m[14] = 0.0;
    return linear;
}

class PlacedTransform final : public Transform {
  public:
    /// `onlyFree`: placed just while the transforms above do not apply; else those take it along.
    PlacedTransform(TransformPtr inner, const Mat4& place, bool onlyFree)
        : inner_(std::move(inner)), place_(place), onlyFree_(onlyFree), ops_{{TransformOp::Kind::Matrix, 0}} {
        if (!inner_)
            return;
        ops_.insert(ops_.end(), inner_->ops().begin(), inner_->ops().end());
        sampling_ = inner_->sampling();
        if (onlyFree_)
            changeAtOnce();
    }
    [[nodiscard]] const Sampling& sampling() const override { return sampling_; }
    [[nodiscard]] const std::vector<TransformOp>& ops() const override { return ops_; }
    [[nodiscard]] Result<std::vector<double>> channels(std::size_t s) const override {
        if (!inner_)
            return with(std::vector<double>(), true);
        return added_ ? channelsAt(sampling_.time(s)) : with(inner_->channels(s), inherits(s));
    }
    [[nodiscard]] Result<std::vector<double>> channelsAt(double t) const override {
        return inner_ ? with(inner_->channelsAt(t), inheritsAt(t)) : with(std::vector<double>(), true);
    }
    [[nodiscard]] Result<bool> inherits(std::size_t s) const override {
        if (!inner_)
            return true;
        return added_ ? inner_->inheritsAt(sampling_.time(s)) : inner_->inherits(s);
    }
    [[nodiscard]] Result<bool> inheritsAt(double t) const override {
        return inner_ ? inner_->inheritsAt(t) : Result<bool>(true);
    }
    [[nodiscard]] bool straightBetween() const override { return !inner_ || inner_->straightBetween(); }
    [[nodiscard]] bool sameAlways() const override { return !inner_ || inner_->sameAlways(); }
    [[nodiscard]] bool constant() const override { return !inner_ || inner_->constant(); }

  private:
    // Up to the sample that lets go, or takes hold, the place is what it was.
    void changeAtOnce() {
        std::vector<double> times;
        for (std::size_t i = 0; i < sampling_.count(); ++i) {
            if (i > 0) {
                const auto before = inner_->inherits(i - 1);
                const auto now = inner_->inherits(i);
                if (before && now && *before != *now)
                    times.push_back(sampling_.time(i) - 2.0 * kSameMoment);
            }
            times.push_back(sampling_.time(i));
        }
        added_ = times.size() > sampling_.count();
        if (added_)
            sampling_ = samplingFromTimes(std::move(times));
    }
    [[nodiscard]] Result<std::vector<double>> with(Result<std::vector<double>> own, Result<bool> inherits) const {
        if (!own)
            return own;
        if (!inherits)
            return fail(std::move(inherits.error()));
        const Mat4 place = onlyFree_ && *inherits ? Mat4() : place_;
        std::vector<double> values(place.m.begin(), place.m.end());
        values.insert(values.end(), own->begin(), own->end());
        return values;
    }
    TransformPtr inner_;
    Mat4 place_;
    bool onlyFree_;
    std::vector<TransformOp> ops_;
    Sampling sampling_ = Sampling::still();
    bool added_ = false; // samples beside those of `inner`
};

template<class V> void placeAll(std::span<V> values, const Mat4& m) {
    for (V& v : values)
        v = transformedPoint(v, m);
}

// Normals keep their length; of a turn, the inverse transpose is the turn.
template<class V> void turnNormals(std::span<V> values, const Mat4& linear) {
    for (V& v : values) {
        const Vec3d before(v.x, v.y, v.z);
        Vec3d turned = transformedPoint(before, linear);
        const double size = length(turned);
        if (size > 0.0)
            turned = turned * (length(before) / size);
        using Number = decltype(v.x);
        v = {static_cast<Number>(turned.x), static_cast<Number>(turned.y), static_cast<Number>(turned.z)};
    }
}

class PlacedGeometry final : public MomentWrapper {
  public:
    PlacedGeometry(GeometryPtr inner, const Mat4& place) : MomentWrapper(std::move(inner)), place_(place) {}
    [[nodiscard]] Status readRange(std::size_t s, std::size_t first, std::span<Vec3f> into) const override {
        WYC_CHECK(inner().readRange(s, first, into));
        placeAll(into, place_);
        return {};
    }
    [[nodiscard]] Status readAt(double t, std::size_t first, std::span<Vec3f> into) const override {
        WYC_CHECK(inner().readAt(t, first, into));
        placeAll(into, place_);
        return {};
    }

  private:
    Mat4 place_;
};

class PlacedValues final : public ValuesWrapper {
  public:
    PlacedValues(ValuesPtr inner, SpaceRole role, const Mat4& place)
        : ValuesWrapper(std::move(inner)), role_(role), place_(place) {}
    [[nodiscard]] Result<PropertyValue> read(std::size_t s) const override {
        WYC_TRY(value, inner().read(s));
        change(value);
        return value;
    }
    [[nodiscard]] Result<PropertyValue> readAt(double t, const ValueMix& how) const override {
        WYC_TRY(value, inner().readAt(t, how));
        change(value);
        return value;
    }
    [[nodiscard]] std::optional<std::uint64_t> token(std::size_t) const override { return std::nullopt; }
    [[nodiscard]] std::optional<std::uint64_t> tokenAt(double) const override { return std::nullopt; }

  private:
    void change(PropertyValue& value) const {
        changeNumbers(type(), value, [&]<class T>(std::span<T> numbers) {
            if (role_ == SpaceRole::Length) {
                const double size = length(Vec3d{place_.m[0], place_.m[1], place_.m[2]});
                for (T& number : numbers)
                    number = static_cast<T>(static_cast<double>(number) * size);
                return;
            }
            using Triple = std::conditional_t<std::is_same_v<T, float>, Vec3f, Vec3d>;
            const std::span triples(reinterpret_cast<Triple*>(numbers.data()), numbers.size() / 3);
            if (role_ == SpaceRole::Normal)
                turnNormals(triples, linearPart(place_));
            else
                placeAll(triples, role_ == SpaceRole::Position ? place_ : linearPart(place_));
        });
    }
    SpaceRole role_;
    Mat4 place_;
};

Result<std::vector<double>> numbersIn(const std::string& text, std::size_t count, std::string_view what) {
    std::vector<double> numbers;
    for (const std::string& part : splitText(text, ','))
        if (const auto number = parseNumber(std::string(trimmed(part))); number && std::isfinite(*number))
            numbers.push_back(*number);
    if (numbers.size() != count)
        return fail(makeError(ErrorKind::BadInput, fmt::format("'{}' is no {}", text, what))
                        .withAdvice(fmt::format("Write {} numbers with commas", count)));
    return numbers;
}

Result<SpaceChange> placeMeans(const json& options) {
    SpaceChange change;
    Mat4 place;
    if (const std::string text = options["matrix"]; !text.empty()) {
        WYC_TRY(numbers, numbersIn(text, 12, "matrix"));
        for (std::size_t r = 0; r < 4; ++r)
            for (std::size_t c = 0; c < 3; ++c)
                place.at(r, c) = numbers[r * 3 + c];
        const Vec3d x{place.m[0], place.m[1], place.m[2]};
        const Vec3d y{place.m[4], place.m[5], place.m[6]};
        const Vec3d z{place.m[8], place.m[9], place.m[10]};
        if (!(std::abs(dot(cross(x, y), z)) > 1e-12))
            return fail(makeError(ErrorKind::BadInput, "this matrix makes all flat"));
        const double size = length(x);
        const double slack = 1e-6 * size * size;
        if (std::abs(dot(x, y)) > slack || std::abs(dot(y, z)) > slack || std::abs(dot(x, z)) > slack ||
            std::abs(dot(y, y) - size * size) > slack || std::abs(dot(z, z) - size * size) > slack)
            return fail(makeError(ErrorKind::BadInput, "this matrix is no move, turn and size: it bends")
                            .withAdvice("Give three rows of one length at right angles, and a move"));
    } else {
        WYC_TRY(turns, numbersIn(options["turn"].get<std::string>(), 3, "turn"));
        WYC_TRY(move, numbersIn(options["move"].get<std::string>(), 3, "move"));
        const double radians = std::numbers::pi / 180.0;
        place = Mat4::rotation({1, 0, 0}, turns[0] * radians) * Mat4::rotation({0, 1, 0}, turns[1] * radians) *
                Mat4::rotation({0, 0, 1}, turns[2] * radians) * Mat4::translation({move[0], move[1], move[2]});
    }
    if (!place.isIdentity())
        change.place = place;
    return change;
}

} // namespace

Scene placedInSpace(const Scene& scene, const Mat4& place) {
    Scene result = scene;
    for (Node& node : result.nodes) {
        if (node.parent >= 0) {
            if (standsFree(node))
                node.transform = std::make_shared<PlacedTransform>(node.transform, place, true);
            continue;
        }
        const bool bare = node.geometry && !node.transform && !node.is().ownSpace;
        if (bare) {
            node.geometry = std::make_shared<PlacedGeometry>(node.geometry, place);
            node.properties = changedChannels(node.properties, [place](const Channel& channel) -> ValuesPtr {
                switch (channel.space) {
                case SpaceRole::Length:
                case SpaceRole::Position:
                case SpaceRole::Vector:
                case SpaceRole::Normal: return std::make_shared<PlacedValues>(channel.values, channel.space, place);
                case SpaceRole::Box: return nullptr; // of another space; a writer makes it anew
                case SpaceRole::Turn:
                case SpaceRole::Axes:
                case SpaceRole::Placement: // of what takes a transform instead
                case SpaceRole::None: break;
                }
                return channel.values;
            });
        } else if (node.transform || node.is().place || node.is().ownSpace) {
            node.transform = std::make_shared<PlacedTransform>(node.transform, place, false);
        }
    }
    return result;
}

StepType placeStep() {
    return {"place",
            "Place",
            "Turns and moves all of it, as one",
            {{"turn", OptionKind::Text, "degrees", "turns about X, then Y, then Z: 0, 45, 0", "0, 0, 0", {}},
             {"move", OptionKind::Text, "", "then a move: 1.5, 0, 0", "0, 0, 0", {}},
             {"matrix",
              OptionKind::Text,
              "",
              "instead of both: twelve numbers, three rows of a turn (with a size, or a mirror) and a move",
              "",
              {}}},
            nullptr,
            &placeMeans,
            nullptr,
            [](const json& o) {
                return o["matrix"].get<std::string>().empty()
                           ? fmt::format("turned {}, moved {}", o["turn"].get<std::string>(),
                                         o["move"].get<std::string>())
                           : std::string("by a matrix");
            }};
}

} // namespace wyc
