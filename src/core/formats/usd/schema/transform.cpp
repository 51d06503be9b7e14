// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/schema/transform.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace wyc::usd {
namespace {

using Kind = TransformOp::Kind;
constexpr std::string_view kReset = "!resetXformStack!";
constexpr std::string_view kInvert = "!invert!";
constexpr std::string_view kPrefix = "xformOp:";

struct Op {
    enum class Of { Translate, Scale, Rotate, Orient, Matrix } of = Of::Translate;
    std::string axes = {}; // of a turn, in the order in which they act; of others the one axis that is meant
    bool inverse = false;
    Attribute attribute = {};
    [[nodiscard]] std::vector<TransformOp> ops() const {
        switch (of) {
        case Of::Translate: return {{Kind::Translate}};
        case Of::Scale: return {{Kind::Scale}};
        case Of::Orient: return {{Kind::Rotate}};
        case Of::Matrix: return {{Kind::Matrix}};
        case Of::Rotate: break;
        }
        std::vector<TransformOp> result;
        // The operation listed last acts first; backwards where it is undone.
        for (std::size_t i = 0; i < axes.size(); ++i) {
            const char axis = inverse ? axes[i] : axes[axes.size() - 1 - i];
            result.push_back({axis == 'X' ? Kind::RotateX : axis == 'Y' ? Kind::RotateY : Kind::RotateZ});
        }
        return result;
    }
};

std::size_t axisOf(char axis) {
    return axis == 'X' ? 0 : axis == 'Y' ? 1 : 2;
}

// Numbers of ours for those of the file; of nothing where the attribute has no value: the operation does nothing.
void appendChannels(const Op& op, const std::vector<double>& given, std::vector<double>& to) {
    const double sign = op.inverse ? -1.0 : 1.0;
    switch (op.of) {
    case Op::Of::Translate: {
        std::array<double, 3> way{};
        if (!op.axes.empty() && given.size() == 1)
            way[axisOf(op.axes[0])] = given[0];
        else if (given.size() == 3)
            std::copy_n(given.begin(), 3, way.begin());
        for (const double number : way)
            to.push_back(sign * number);
        return;
    }
    case Op::Of::Scale: {
        std::array<double, 3> factors{1.0, 1.0, 1.0};
        if (!op.axes.empty() && given.size() == 1)
            factors[axisOf(op.axes[0])] = given[0];
        else if (given.size() == 3)
            std::copy_n(given.begin(), 3, factors.begin());
        for (const double number : factors)
            to.push_back(op.inverse ? 1.0 / number : number);
        return;
    }
    case Op::Of::Rotate:
        for (std::size_t i = 0; i < op.axes.size(); ++i) {
            const char axis = op.inverse ? op.axes[i] : op.axes[op.axes.size() - 1 - i];
            const double angle = given.size() == 1 ? given[0] : given.size() == 3 ? given[axisOf(axis)] : 0.0;
            to.push_back(sign * angle);
        }
        return;
    case Op::Of::Orient: {
        std::array<double, 4> turn{0.0, 0.0, 1.0, 0.0};
        if (given.size() == 4)
            turn = turnOfQuaternion({given[0], given[1], given[2], given[3]});
        turn[3] *= sign;
        to.insert(to.end(), turn.begin(), turn.end());
        return;
    }
    case Op::Of::Matrix: {
        Mat4 matrix;
        if (given.size() == 16)
            std::copy_n(given.begin(), 16, matrix.m.begin());
        if (op.inverse) {
            if (const auto inverse = inverseOf(matrix))
                matrix = *inverse;
        }
        to.insert(to.end(), matrix.m.begin(), matrix.m.end());
        return;
    }
    }
}

class PrimTransform final : public Transform, public WithQuaternions {
  public:
    PrimTransform(std::vector<Op> ops, bool inherits, const Clock& clock)
        : own_(std::move(ops)), inherits_(inherits), clock_(clock) {
        std::vector<const Attribute*> attributes;
        for (const Op& op : own_) {
            for (const TransformOp& one : op.ops())
                ops_.push_back(one);
            attributes.push_back(&op.attribute);
        }
        codes_ = codesOf(attributes);
        sampling_ = codes_.size() < 2 ? Sampling::still() : clock_.sampling(codes_);
        for (const Op& op : own_) {
            const bool moves = op.attribute.isAnimated();
            // Turns go along the sphere; what is undone is no straight line where the thing itself is one.
            straight_ = straight_ && !(moves && (op.of == Op::Of::Orient ||
                                                 (op.inverse && (op.of == Op::Of::Scale || op.of == Op::Of::Matrix)) ||
                                                 op.attribute.source.from == ValueSource::From::Spline));
            // A block ends what was there at once.
            for (std::size_t i = 0;
                 moves && straight_ && op.attribute.source.samples && i < op.attribute.times().size(); ++i)
                if (const auto value = op.attribute.sample(i); value && value->isNothing())
                    straight_ = false;
        }
    }
    [[nodiscard]] const Sampling& sampling() const override { return sampling_; }
    [[nodiscard]] const std::vector<TransformOp>& ops() const override { return ops_; }
    [[nodiscard]] Result<std::vector<double>> channels(std::size_t sample) const override {
        return atCode(codes_.empty() ? 0.0 : codes_[sample]);
    }
    [[nodiscard]] Result<bool> inherits(std::size_t) const override { return inherits_; }
    [[nodiscard]] Result<std::vector<double>> channelsAt(double seconds) const override {
        if (straight_)
            return Transform::channelsAt(seconds);
        const auto at = sampling_.locate(seconds);
        return at.weight == 0.0 ? channels(at.below) : atCode(clock_.code(seconds));
    }
    [[nodiscard]] bool straightBetween() const override { return straight_; }
    [[nodiscard]] bool readsSo() const override {
        return std::none_of(own_.begin(), own_.end(),
                            [](const Op& op) { return op.of == Op::Of::Orient && op.inverse; });
    }
    [[nodiscard]] Result<std::array<double, 4>> quaternion(std::size_t op, std::size_t sample) const override {
        for (const Op& own : own_) {
            const std::size_t count = own.ops().size();
            if (op >= count) {
                op -= count;
                continue;
            }
            WYC_TRY(numbers, numbersAtCode(own.attribute, codes_.empty() ? 0.0 : codes_[sample]));
            if (numbers.size() != 4)
                return std::array<double, 4>{0.0, 0.0, 0.0, 1.0};
            return std::array<double, 4>{numbers[0], numbers[1], numbers[2], numbers[3]};
        }
        return fail(ErrorKind::Internal, "an operation that is not there");
    }

  private:
    [[nodiscard]] Result<std::vector<double>> atCode(double code) const {
        std::vector<double> result;
        for (const Op& op : own_) {
            WYC_TRY(numbers, numbersAtCode(op.attribute, code));
            appendChannels(op, numbers, result);
        }
        return result;
    }

    std::vector<Op> own_;
    bool inherits_;
    Clock clock_;
    std::vector<TransformOp> ops_;
    std::vector<double> codes_;
    Sampling sampling_;
    bool straight_ = true;
};

std::optional<Op> opNamed(const ComposedScene& scene, const Prim& prim, std::string_view name) {
    Op op;
    if (name.starts_with(kInvert)) {
        op.inverse = true;
        name.remove_prefix(kInvert.size());
    }
    if (!name.starts_with(kPrefix))
        return std::nullopt;
    const std::string_view rest = name.substr(kPrefix.size());
    const std::string_view type = rest.substr(0, rest.find(':'));
    const auto axisBehind = [&](std::string_view word) {
        return type.size() == word.size() + 1 && type.starts_with(word) &&
               std::string_view("XYZ").find(type.back()) != std::string_view::npos;
    };
    if (type == "translate" || axisBehind("translate")) {
        op.of = Op::Of::Translate;
        op.axes = type == "translate" ? "" : std::string(1, type.back());
    } else if (type == "scale" || axisBehind("scale")) {
        op.of = Op::Of::Scale;
        op.axes = type == "scale" ? "" : std::string(1, type.back());
    } else if (type.starts_with("rotate") && (type.size() == 7 || type.size() == 9)) {
        op.of = Op::Of::Rotate;
        op.axes = std::string(type.substr(6));
        if (op.axes.find_first_not_of("XYZ") != std::string::npos)
            return std::nullopt;
    } else if (type == "orient") {
        op.of = Op::Of::Orient;
    } else if (type == "transform") {
        op.of = Op::Of::Matrix;
    } else {
        return std::nullopt;
    }
    op.attribute = scene.attribute(prim, std::string(name));
    if (!op.attribute.isThere())
        return std::nullopt;
    return op;
}

} // namespace

std::array<double, 4> turnOfQuaternion(const std::array<double, 4>& q) {
    const double length = std::sqrt(q[0] * q[0] + q[1] * q[1] + q[2] * q[2]);
    if (!(length > 1e-300))
        return {0.0, 0.0, 1.0, 0.0};
    return {q[0] / length, q[1] / length, q[2] / length,
            2.0 * std::acos(std::clamp(q[3], -1.0, 1.0)) * 180.0 / std::numbers::pi};
}

std::array<double, 4> quaternionOfTurn(const std::array<double, 4>& turn) {
    const double length = std::sqrt(turn[0] * turn[0] + turn[1] * turn[1] + turn[2] * turn[2]);
    if (!(length > 0.0))
        return {0.0, 0.0, 0.0, 1.0};
    const double half = 0.5 * turn[3] * std::numbers::pi / 180.0;
    const double share = std::sin(half) / length;
    return {turn[0] * share, turn[1] * share, turn[2] * share, std::cos(half)};
}

TransformPtr transformOf(const ComposedScene& scene, const Prim& prim, const Clock& clock) {
    const Attribute order = scene.attribute(prim, "xformOpOrder");
    if (!order.isThere())
        return nullptr;
    const auto names = order.at(0.0);
    if (!names)
        return nullptr;
    std::vector<Op> ops;
    bool inherits = true;
    for (const std::string& name : textsOf(*names)) {
        if (name == kReset) { // what was listed before it goes
            ops.clear();
            inherits = false;
        } else if (auto op = opNamed(scene, prim, name)) {
            ops.push_back(std::move(*op));
        }
    }
    if (ops.empty() && inherits)
        return nullptr;
    return std::make_shared<PrimTransform>(std::move(ops), inherits, clock);
}

} // namespace wyc::usd
