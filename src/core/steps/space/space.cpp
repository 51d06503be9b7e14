// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <array>

#include "scene/channels.h"
#include "scene/deform/deformers.h"
#include "steps/space/space.h"
#include "steps/steps.h"

namespace wyc {
namespace {

// Axis by axis: ±1 moves a coordinate exactly, and a product in double rounds once.
template<class V> void turnAndScale(const SpaceChange& change, std::span<V> values, double by) {
    const auto source = [&](std::size_t column) {
        for (std::size_t row = 0; row < 3; ++row)
            if (change.turn.m[row * 4 + column] != 0.0)
                return std::pair{row, change.turn.m[row * 4 + column]};
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

// C⁻¹·M·C, where C turns and scales.
Mat4 changedMatrix(const SpaceChange& change, Mat4 matrix) {
    Mat4 back; // the inverse of a turn is its transpose
    for (std::size_t r = 0; r < 3; ++r)
        for (std::size_t c = 0; c < 3; ++c)
            back.at(r, c) = change.turn.at(c, r);
    if (!change.turn.isIdentity())
        matrix = back * matrix * change.turn;
    for (std::size_t i = 12; i < 15; ++i)
        matrix.m[i] *= change.scale;
    return matrix;
}

class ChangedValues final : public ValuesWrapper {
  public:
    ChangedValues(ValuesPtr inner, SpaceRole role, SpaceChange change)
        : ValuesWrapper(std::move(inner)), role_(role), change_(change) {}
    [[nodiscard]] Result<PropertyValue> read(std::size_t sample) const override {
        WYC_TRY(value, inner().read(sample));
        changeNumbers(type(), value, [&](auto numbers) { change(numbers); });
        return value;
    }
    [[nodiscard]] Result<PropertyValue> readAt(double t, const ValueMix& how) const override {
        WYC_TRY(value, inner().readAt(t, how));
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
        case SpaceRole::Vector: turnAndScale(change_, triples, change_.scale); break;
        case SpaceRole::Normal: turnAndScale(change_, triples, 1.0); break;
        case SpaceRole::Turn: // a turn is none of the axes' lengths: the vector part alone is turned
            for (std::size_t i = 0; i + 4 <= numbers.size(); i += 4)
                turnAndScale(change_, std::span(reinterpret_cast<Triple*>(numbers.data() + i), 1), 1.0);
            break;
        case SpaceRole::Axes:
            for (std::size_t i = 0; i + 3 <= numbers.size(); i += 3) {
                const std::array<T, 3> from{numbers[i], numbers[i + 1], numbers[i + 2]};
                for (std::size_t row = 0; row < 3; ++row)
                    numbers[i + change_.column(row).first] = from[row];
            }
            break;
        case SpaceRole::Placement:
            for (std::size_t i = 0; i + 16 <= numbers.size(); i += 16) {
                Mat4 matrix;
                std::copy_n(numbers.begin() + static_cast<std::ptrdiff_t>(i), 16, matrix.m.begin());
                matrix = changedMatrix(change_, matrix);
                for (std::size_t k = 0; k < 16; ++k)
                    numbers[i + k] = static_cast<T>(matrix.m[k]);
            }
            break;
        case SpaceRole::Box:
            if (numbers.size() < 6 || numbers[0] > numbers[3]) // empty: inside out
                break;
            turnAndScale(change_, triples, change_.scale);
            for (std::size_t box = 0; box + 6 <= numbers.size(); box += 6)
                for (std::size_t i = box; i < box + 3; ++i)
                    if (numbers[i] > numbers[i + 3])
                        std::swap(numbers[i], numbers[i + 3]);
            break;
        }
    }
    SpaceRole role_;
    SpaceChange change_;
};

PropertiesPtr changedProperties(const PropertiesPtr& properties, const SpaceChange& change) {
    return changedChannels(properties, [change](const Channel& channel) -> ValuesPtr {
        return channel.space == SpaceRole::None
                   ? channel.values
                   : std::make_shared<ChangedValues>(channel.values, channel.space, change);
    });
}

class ChangedGeometry final : public MomentWrapper {
  public:
    ChangedGeometry(GeometryPtr inner, SpaceChange change) : MomentWrapper(std::move(inner)), change_(change) {}
    [[nodiscard]] Status readRange(std::size_t sample, std::size_t first, std::span<Vec3f> into) const override {
        WYC_CHECK(inner().readRange(sample, first, into));
        turnAndScale(change_, into, change_.scale);
        return {};
    }
    [[nodiscard]] Status readAt(double t, std::size_t first, std::span<Vec3f> into) const override {
        WYC_CHECK(inner().readAt(t, first, into));
        turnAndScale(change_, into, change_.scale);
        return {};
    }

  private:
    SpaceChange change_;
};

// C⁻¹·M·C, operation by operation: a stack stays a stack, so what is keyed here and there stays keyed so, and between
// its keys it is what it was.
class ChangedTransform final : public Transform {
  public:
    /// `carriesEye`: what stands in this space looks along axes of its own, which do not turn with the points.
    ChangedTransform(TransformPtr inner, SpaceChange change, bool carriesEye)
        : inner_(std::move(inner)), change_(change), carriesEye_(carriesEye) {
        for (const TransformOp& op : inner_->ops()) {
            ops_.push_back(op);
            if (const auto axis = axisOf(op.kind))
                ops_.back().kind = kAxes[change_.column(*axis).first];
        }
        if (carriesEye_)
            ops_.push_back({TransformOp::Kind::Matrix, 0});
    }
    [[nodiscard]] const Sampling& sampling() const override { return inner_->sampling(); }
    [[nodiscard]] const std::vector<TransformOp>& ops() const override { return ops_; }
    [[nodiscard]] Result<bool> inherits(std::size_t sample) const override { return inner_->inherits(sample); }
    [[nodiscard]] Result<bool> inheritsAt(double t) const override { return inner_->inheritsAt(t); }
    [[nodiscard]] bool constant() const override { return inner_->constant(); }
    [[nodiscard]] bool straightBetween() const override { return inner_->straightBetween(); }
    [[nodiscard]] bool sameAlways() const override { return inner_->sameAlways(); }
    [[nodiscard]] Result<std::vector<double>> channels(std::size_t sample) const override {
        WYC_TRY(values, inner_->channels(sample));
        return changed(std::move(values));
    }
    [[nodiscard]] Result<std::vector<double>> channelsAt(double t) const override {
        WYC_TRY(values, inner_->channelsAt(t));
        return changed(std::move(values));
    }

  private:
    static constexpr std::array<TransformOp::Kind, 3> kAxes{TransformOp::Kind::RotateX, TransformOp::Kind::RotateY,
                                                            TransformOp::Kind::RotateZ};
    static std::optional<std::size_t> axisOf(TransformOp::Kind kind) {
        const auto found = std::find(kAxes.begin(), kAxes.end(), kind);
        return found == kAxes.end() ? std::nullopt : std::optional<std::size_t>(found - kAxes.begin());
    }
    [[nodiscard]] std::vector<double> changed(std::vector<double> values) const {
        std::size_t at = 0;
        for (const TransformOp& op : inner_->ops()) {
            const std::size_t count = channelCount(op.kind);
            if (at + count > values.size())
                break;
            double* v = values.data() + at;
            at += count;
            switch (op.kind) {
            case TransformOp::Kind::Translate: turn(v, change_.scale); break;
            case TransformOp::Kind::Rotate: turn(v, 1.0); break;
            case TransformOp::Kind::Scale: {
                const std::array<double, 3> from{v[0], v[1], v[2]};
                for (std::size_t row = 0; row < 3; ++row)
                    v[change_.column(row).first] = from[row];
                break;
            }
            case TransformOp::Kind::Matrix: {
                Mat4 matrix;
                std::copy_n(v, 16, matrix.m.begin());
                std::copy_n(changedMatrix(change_, matrix).m.begin(), 16, v);
                break;
            }
            default: v[0] *= change_.column(*axisOf(op.kind)).second; break;
            }
        }
        if (carriesEye_) {
            values.resize(at);
            values.insert(values.end(), change_.turn.m.begin(), change_.turn.m.end());
        }
        return values;
    }
    void turn(double* v, double scale) const {
        Vec3d triple{v[0], v[1], v[2]};
        turnAndScale(change_, std::span(&triple, 1), scale);
        v[0] = triple.x;
        v[1] = triple.y;
        v[2] = triple.z;
    }

    TransformPtr inner_;
    SpaceChange change_;
    bool carriesEye_;
    std::vector<TransformOp> ops_;
};

} // namespace

std::pair<std::size_t, double> SpaceChange::column(std::size_t row) const {
    for (std::size_t c = 0; c < 3; ++c)
        if (turn.at(row, c) != 0.0)
            return {c, turn.at(row, c)};
    return {row, 1.0};
}

Scene changedInSpace(const Scene& scene, const SpaceChange& change) {
    Scene result = scene;
    if (change.unitMetres)
        result.unitMetres = change.unitMetres;
    if (change.upAxis)
        result.upAxis = change.upAxis;
    if (change.place)
        return placedInSpace(result, *change.place); // no step has both
    if (change.scale == 1.0 && change.turn.isIdentity())
        return result;
    result.properties = changedProperties(result.properties, change);
    for (Material& material : result.materials)
        material.graph = changedProperties(material.graph, change);
    // Cameras and lights look along their own axes. Those must not turn as points do: the last transform above, where
    // it is there for one of them alone, or one of its own turns them back.
    std::vector<std::size_t> childCount(result.nodes.size(), 0);
    for (const Node& node : result.nodes)
        if (node.parent >= 0)
            ++childCount[static_cast<std::size_t>(node.parent)];
    std::vector<bool> carriesEye(result.nodes.size(), false);
    for (std::size_t i = 0; i < result.nodes.size() && !change.turn.isIdentity(); ++i) {
        const Node& node = result.nodes[i];
        if (!node.is().aimed)
            continue;
        const auto above = static_cast<std::size_t>(std::max(0, node.parent));
        const bool alone = node.parent >= 0 && childCount[above] == 1 && !node.transform &&
                           result.nodes[above].is().place && !result.nodes[above].geometry;
        carriesEye[alone ? above : i] = true;
    }
    for (std::size_t i = 0; i < result.nodes.size(); ++i) {
        Node& node = result.nodes[i];
        node.properties = changedProperties(node.properties, change);
        if (node.geometry)
            node.geometry = std::make_shared<ChangedGeometry>(node.geometry, change);
        if (!node.transform && carriesEye[i])
            node.transform = MemoryTransform::fixed(Mat4());
        if (node.transform)
            node.transform = std::make_shared<ChangedTransform>(node.transform, change, carriesEye[i]);
        stillDeformed(node, scene.nodes[i]);
    }
    return result;
}

} // namespace wyc
