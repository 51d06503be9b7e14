// SPDX-License-Identifier: GPL-3.0-or-later
// Steps on space: unit, scale, up-axis turn. The change C acts on the world: points become p·C; a transform M
// becomes C⁻¹·M·C, so that world points come out as (p·M)·C whatever stands above them.
#include <cmath>

#include <fmt/format.h>

#include "base/text.h"
#include "scene/camera.h"
#include "steps/steps.h"

namespace wyc {
namespace {

using nlohmann::json;

struct SpaceChange {
    double scale = 1.0;
    Mat4 turn; // entries exactly 0 and ±1

    // Axis by axis: ±1 moves a coordinate exactly, and a product in double rounds once.
    template<class V> void turnAndScale(std::span<V> values, double by) const {
        const auto source = [this](std::size_t column) {
            for (std::size_t row = 0; row < 3; ++row)
                if (turn.m[row * 4 + column] != 0.0)
                    return std::pair{row, turn.m[row * 4 + column]};
            return std::pair{column, 1.0};
        };
        const auto [xr, xs] = source(0);
        const auto [yr, ys] = source(1);
        const auto [zr, zs] = source(2);
        for (V& v : values) {
            using Number = decltype(v.x);
            const Number from[3] = {v.x, v.y, v.z};
            v.x = static_cast<Number>(static_cast<double>(from[xr]) * xs * by);
            v.y = static_cast<Number>(static_cast<double>(from[yr]) * ys * by);
            v.z = static_cast<Number>(static_cast<double>(from[zr]) * zs * by);
        }
    }
};

class ChangedValues final : public ValuesWrapper {
  public:
    ChangedValues(ValuesPtr inner, SpaceRole role, SpaceChange change)
        : ValuesWrapper(std::move(inner)), role_(role), change_(change) {}
    [[nodiscard]] Result<PropertyValue> read(std::size_t sample) const override {
        WYC_TRY(value, inner().read(sample));
        changeNumbers(type(), value, [&](auto numbers) { change(numbers); });
        return value;
    }

  private:
    template<class T> void change(std::span<T> numbers) const {
        using Triple = std::conditional_t<std::is_same_v<T, float>, Vec3f, Vec3d>;
        const std::span triples(reinterpret_cast<Triple*>(numbers.data()), numbers.size() / 3);
        const auto scale = [&](std::size_t i) {
            numbers[i] = static_cast<T>(static_cast<double>(numbers[i]) * change_.scale);
        };
        switch (role_) {
        case SpaceRole::None: break;
        case SpaceRole::Length:
            for (std::size_t i = 0; i < numbers.size(); ++i)
                scale(i);
            break;
        case SpaceRole::Position:
        case SpaceRole::Vector:
        case SpaceRole::Velocity: change_.turnAndScale(triples, change_.scale); break;
        case SpaceRole::Normal: change_.turnAndScale(triples, 1.0); break;
        case SpaceRole::Box:
            if (numbers.size() < 6 || numbers[0] > numbers[3]) // empty: inside out
                break;
            change_.turnAndScale(triples, change_.scale);
            for (std::size_t box = 0; box + 6 <= numbers.size(); box += 6)
                for (std::size_t i = box; i < box + 3; ++i)
                    if (numbers[i] > numbers[i + 3])
                        std::swap(numbers[i], numbers[i + 3]);
            break;
        case SpaceRole::CameraCore:
            for (const std::size_t i : {kCameraFocus, kCameraNear, kCameraFar})
                if (i < numbers.size())
                    scale(i);
            break;
        }
    }
    SpaceRole role_;
    SpaceChange change_;
};

PropertiesPtr changedInSpace(const PropertiesPtr& properties, const SpaceChange& change) {
    return changedProperties(
        properties,
        [change](const PropertyNode& property, const std::string&, const std::vector<PropertyNode>&) -> ValuesPtr {
            return property.role == SpaceRole::None
                       ? property.values
                       : std::make_shared<ChangedValues>(property.values, property.role, change);
        });
}

class ChangedGeometry final : public GeometryWrapper {
  public:
    ChangedGeometry(GeometryPtr inner, SpaceChange change) : GeometryWrapper(std::move(inner)), change_(change) {}
    [[nodiscard]] Status readRange(std::size_t sample, std::size_t first, std::span<Vec3f> into) const override {
        WYC_CHECK(inner().readRange(sample, first, into));
        change_.turnAndScale(into, change_.scale);
        return {};
    }
    [[nodiscard]] Result<ExtrasPtr> extras(std::size_t sample) const override {
        WYC_TRY(extras, inner().extras(sample));
        if (extras->normals.isEmpty() || change_.turn.isIdentity())
            return extras;
        MeshExtras changed = *extras;
        auto* normals = reinterpret_cast<Vec3f*>(changed.normals.values.data());
        change_.turnAndScale(std::span(normals, changed.normals.valueCount()), 1.0);
        return std::make_shared<const MeshExtras>(std::move(changed));
    }

  private:
    SpaceChange change_;
};

// A transform as one matrix a sample, changed. Operation stacks do not survive a turn; their product does. A
// pure scale keeps the stack: it only touches translations.
class ChangedTransform final : public Transform {
  public:
    ChangedTransform(TransformPtr inner, SpaceChange change) : inner_(std::move(inner)), change_(change) {
        if (change_.turn.isIdentity())
            ops_ = inner_->ops();
        else
            ops_ = {{TransformOp::Kind::Matrix, 0}};
    }
    [[nodiscard]] const Sampling& sampling() const override { return inner_->sampling(); }
    [[nodiscard]] const std::vector<TransformOp>& ops() const override { return ops_; }
    [[nodiscard]] Result<bool> inherits(std::size_t sample) const override { return inner_->inherits(sample); }
    [[nodiscard]] bool constant() const override { return inner_->constant(); }
    [[nodiscard]] Result<std::vector<double>> channels(std::size_t sample) const override {
        WYC_TRY(values, inner_->channels(sample));
        if (change_.turn.isIdentity()) {
            std::size_t at = 0;
            for (const TransformOp& op : ops_) {
                const std::size_t first = op.kind == TransformOp::Kind::Matrix ? at + 12 : at;
                if (op.kind == TransformOp::Kind::Translate || op.kind == TransformOp::Kind::Matrix)
                    for (std::size_t i = first; i < first + 3 && i < values.size(); ++i)
                        values[i] *= change_.scale;
                at += channelCount(op.kind);
            }
            return values;
        }
        Mat4 back; // the inverse of a turn is its transpose
        for (std::size_t r = 0; r < 3; ++r)
            for (std::size_t c = 0; c < 3; ++c)
                back.at(r, c) = change_.turn.at(c, r);
        Mat4 matrix = back * matrixOf(inner_->ops(), values) * change_.turn;
        for (std::size_t i = 12; i < 15; ++i)
            matrix.m[i] *= change_.scale;
        return std::vector<double>(matrix.m.begin(), matrix.m.end());
    }

  private:
    TransformPtr inner_;
    SpaceChange change_;
    std::vector<TransformOp> ops_;
};

Scene changed(const Scene& scene, const SpaceChange& change) {
    Scene result = scene;
    if (change.scale == 1.0 && change.turn.isIdentity())
        return result;
    result.properties = changedInSpace(result.properties, change);
    for (Node& node : result.nodes) {
        node.properties = changedInSpace(node.properties, change);
        if (node.geometry)
            node.geometry = std::make_shared<ChangedGeometry>(node.geometry, change);
        if (node.transform)
            node.transform = std::make_shared<ChangedTransform>(node.transform, change);
    }
    return result;
}

// cm → m is 1/100 exactly as the quotient of the decimal units, not 0.01/1 rounded twice.
double unitRatio(double from, double to) {
    const double ratio = from / to;
    const double inverse = std::round(to / from);
    return inverse > 1.0 && std::abs(to / from / inverse - 1.0) < 1e-12 ? 1.0 / inverse
           : std::abs(ratio / std::round(ratio) - 1.0) < 1e-12          ? std::round(ratio)
                                                                        : ratio;
}

Result<Scene> applyUnit(const Scene& scene, const json& options) {
    WYC_TRY(from, parseUnit(options["from"].get<std::string>()));
    WYC_TRY(to, parseUnit(options["to"].get<std::string>()));
    Scene result = changed(scene, {unitRatio(from, to), {}});
    result.unitMetres = to;
    return result;
}

Result<Scene> applyScale(const Scene& scene, const json& options) {
    return changed(scene, {options["factor"].get<double>(), {}});
}

Result<Scene> applyTurn(const Scene& scene, const json& options) {
    WYC_TRY(from, parseUpAxis(options["from"].get<std::string>()));
    WYC_TRY(to, parseUpAxis(options["to"].get<std::string>()));
    Scene result = changed(scene, {1.0, upAxisTurn(from, to)});
    result.upAxis = to;
    return result;
}

} // namespace

StepType unitStep() {
    return {"unit",
            "Unit",
            "Reads the numbers in one unit and gives them in another",
            {{"from", OptionKind::Unit, "", "the unit the numbers are in", "cm", {}},
             {"to", OptionKind::Unit, "", "the unit they become", "m", {}}},
            &applyUnit,
            [](const json& o) {
                const auto from = parseUnit(o["from"].get<std::string>());
                const auto to = parseUnit(o["to"].get<std::string>());
                return fmt::format("{} → {}, × {}", o["from"].get<std::string>(), o["to"].get<std::string>(),
                                   from && to ? shortestNumber(unitRatio(*from, *to)) : "?");
            }};
}

StepType scaleStep() {
    return {"scale",
            "Scale",
            "Multiplies all sizes and distances",
            {{"factor", OptionKind::Number, "×", "the factor", 1.0, {}, 1e-9, 1e9}},
            &applyScale,
            [](const json& o) { return "× " + shortestNumber(o["factor"]); }};
}

StepType turnStep() {
    return {"turn",
            "Turn",
            "Turns one up axis onto another; handedness is kept",
            {{"from", OptionKind::Axis, "", "the axis that points up now", "Z", {}},
             {"to", OptionKind::Axis, "", "the axis that shall point up", "Y", {}}},
            &applyTurn,
            [](const json& o) {
                return fmt::format("{} up → {} up", o["from"].get<std::string>(), o["to"].get<std::string>());
            }};
}

} // namespace wyc
