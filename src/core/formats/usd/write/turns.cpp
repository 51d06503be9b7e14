// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/write/turns.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

#include "formats/usd/compose/stage.h"

namespace wyc::usd {
namespace {

using Kind = TransformOp::Kind;

// What becomes of one operation.
struct Part {
    enum class As { Same, AboutAxis, Aligned, Quaternion } as = As::Same;
    TransformOp op;
    std::size_t first = 0;         // of its numbers in the source
    double sign = 1.0;             // of an angle
    std::array<double, 4> there{}; // axis and angle that bring Z onto the axis
    [[nodiscard]] std::vector<TransformOp> ops() const {
        switch (as) {
        case As::Same:
        case As::Quaternion: return {op};
        case As::AboutAxis: return {{op.kind}};
        case As::Aligned: return {{Kind::Rotate}, {Kind::RotateZ}, {Kind::Rotate}};
        }
        return {};
    }
};

class StoredTransform final : public Transform, public WithQuaternions {
  public:
    StoredTransform(TransformPtr inner, std::vector<Part> parts, Sampling sampling)
        : inner_(std::move(inner)), parts_(std::move(parts)), sampling_(std::move(sampling)) {
        for (const Part& part : parts_) {
            for (const TransformOp& op : part.ops())
                ops_.push_back(op);
            straight_ = straight_ && part.as != Part::As::Quaternion;
        }
        straight_ = (straight_ || sampling_.isStill()) && inner_->straightBetween();
    }
    [[nodiscard]] const Sampling& sampling() const override { return sampling_; }
    [[nodiscard]] const std::vector<TransformOp>& ops() const override { return ops_; }
    [[nodiscard]] Result<std::vector<double>> channels(std::size_t sample) const override {
        WYC_TRY(given, given(sample));
        std::vector<double> result;
        for (const Part& part : parts_)
            append(part, given, given, 0.0, result);
        return result;
    }
    [[nodiscard]] Result<bool> inherits(std::size_t) const override { return inner_->inherits(0); }
    [[nodiscard]] Result<std::vector<double>> channelsAt(double seconds) const override {
        const auto at = sampling_.locate(seconds);
        if (at.weight == 0.0)
            return channels(at.below);
        WYC_TRY(earlier, given(at.below));
        WYC_TRY(later, given(at.above));
        std::vector<double> result;
        for (const Part& part : parts_)
            append(part, earlier, later, at.weight, result);
        return result;
    }
    [[nodiscard]] bool readsSo() const override { return true; }
    [[nodiscard]] Result<std::array<double, 4>> quaternion(std::size_t op, std::size_t sample) const override {
        WYC_TRY(numbers, given(sample));
        for (const Part& part : parts_) {
            const std::size_t count = part.ops().size();
            if (op >= count) {
                op -= count;
                continue;
            }
            if (part.as == Part::As::Aligned) {
                auto turn = part.there;
                turn[3] = op == 0 ? turn[3] : -turn[3];
                return quaternionOfTurn(turn);
            }
            return quaternionOfTurn(
                {numbers[part.first], numbers[part.first + 1], numbers[part.first + 2], numbers[part.first + 3]});
        }
        return fail(ErrorKind::Internal, "an operation that is not there");
    }
    [[nodiscard]] bool straightBetween() const override { return straight_; }
    [[nodiscard]] bool constant() const override { return inner_->constant(); }
    [[nodiscard]] bool sameAlways() const override { return inner_->sameAlways(); }

  private:
    // Numbers of the source at a sample, which may be a moment between its own.
    [[nodiscard]] Result<std::vector<double>> given(std::size_t sample) const {
        std::size_t numbers = 0;
        for (const TransformOp& op : inner_->ops())
            numbers += channelCount(op.kind);
        WYC_TRY(all, sampling_.isStill() ? inner_->channels(0) : inner_->channelsAt(sampling_.time(sample)));
        all.resize(numbers, 0.0);
        return all;
    }

    static void append(const Part& part, const std::vector<double>& earlier, const std::vector<double>& later,
                       double weight, std::vector<double>& to) {
        const auto mixed = [&](std::size_t i) {
            const double a = earlier[part.first + i];
            return weight == 0.0 ? a : (1.0 - weight) * a + weight * later[part.first + i];
        };
        switch (part.as) {
        case Part::As::Same:
            for (std::size_t i = 0; i < channelCount(part.op.kind); ++i)
                to.push_back(mixed(i));
            return;
        case Part::As::AboutAxis: to.push_back(part.sign * mixed(3)); return;
        case Part::As::Aligned: {
            const auto there = turnOfQuaternion(quaternionOfTurn(part.there));
            auto back = part.there;
            back[3] = -back[3];
            back = turnOfQuaternion(quaternionOfTurn(back));
            to.insert(to.end(), there.begin(), there.end());
            to.push_back(mixed(3));
            to.insert(to.end(), back.begin(), back.end());
            return;
        }
        case Part::As::Quaternion: {
            const auto turn = [&](const std::vector<double>& from) {
                return quaternionOfTurn(
                    {from[part.first], from[part.first + 1], from[part.first + 2], from[part.first + 3]});
            };
            auto quaternion = turn(earlier);
            if (weight != 0.0) {
                constexpr Type kTurn{Base::Double, 4, true};
                const auto value = [&](const std::array<double, 4>& q) {
                    return Value::ofBytes(kTurn, bytesFrom(kTurn, q));
                };
                const auto between = mixedValue(kTurn, value(quaternion), value(turn(later)), weight);
                const auto numbers = between ? usd::numbersOf(*between) : std::vector<double>{};
                if (numbers && numbers->size() == 4)
                    std::copy_n(numbers->begin(), 4, quaternion.begin());
            }
            const auto back = turnOfQuaternion(quaternion);
            to.insert(to.end(), back.begin(), back.end());
            return;
        }
        }
    }

    TransformPtr inner_;
    std::vector<Part> parts_;
    Sampling sampling_;
    std::vector<TransformOp> ops_;
    bool straight_ = true;
};

// The axis of a turn at all samples, of length one; nothing where it moves.
std::optional<std::array<double, 3>> steadyAxis(const Transform& transform, std::size_t first) {
    std::optional<std::array<double, 3>> axis;
    for (std::size_t i = 0; i < std::max<std::size_t>(1, transform.sampling().count()); ++i) {
        const auto numbers = transform.channels(i);
        if (!numbers || numbers->size() < first + 4)
            return std::nullopt;
        const std::array<double, 3> now{(*numbers)[first], (*numbers)[first + 1], (*numbers)[first + 2]};
        if (axis && *axis != now)
            return std::nullopt;
        axis = now;
    }
    const double length = std::sqrt((*axis)[0] * (*axis)[0] + (*axis)[1] * (*axis)[1] + (*axis)[2] * (*axis)[2]);
    if (!(length > 1e-300))
        return std::nullopt;
    for (double& number : *axis)
        number /= length;
    return axis;
}

Part partFor(const Transform& transform, const TransformOp& op, std::size_t first) {
    Part part{Part::As::Same, op, first, 1.0, {}};
    if (op.kind != Kind::Rotate)
        return part;
    part.as = Part::As::Quaternion;
    const auto axis = transform.straightBetween() ? steadyAxis(transform, first) : std::nullopt;
    if (!axis)
        return part;
    for (std::size_t i = 0; i < 3; ++i)
        if (std::abs((*axis)[i]) == 1.0) {
            part.as = Part::As::AboutAxis;
            part.sign = (*axis)[i];
            part.op.kind = i == 0 ? Kind::RotateX : i == 1 ? Kind::RotateY : Kind::RotateZ;
            return part;
        }
    if (transform.sampling().isStill())
        return part;
    part.as = Part::As::Aligned;
    // Z × axis, and the angle between them.
    const double across = std::sqrt((*axis)[0] * (*axis)[0] + (*axis)[1] * (*axis)[1]);
    part.there = {-(*axis)[1] / across, (*axis)[0] / across, 0.0,
                  std::atan2(across, (*axis)[2]) * 180.0 / std::numbers::pi};
    return part;
}

} // namespace

namespace {

// All samples are the same: one is written.
class StillTransform final : public Transform {
  public:
    explicit StillTransform(TransformPtr inner) : inner_(std::move(inner)) {}
    [[nodiscard]] const Sampling& sampling() const override { return sampling_; }
    [[nodiscard]] const std::vector<TransformOp>& ops() const override { return inner_->ops(); }
    [[nodiscard]] Result<std::vector<double>> channels(std::size_t) const override { return inner_->channels(0); }
    [[nodiscard]] Result<bool> inherits(std::size_t) const override { return inner_->inherits(0); }

  private:
    TransformPtr inner_;
    Sampling sampling_;
};

bool isStill(const Transform& transform) {
    const auto first = transform.channels(0);
    for (std::size_t i = 1; first && i < transform.sampling().count(); ++i)
        if (const auto now = transform.channels(i); !now || *now != *first)
            return false;
    return first && transform.straightBetween();
}

} // namespace

TransformPtr storedTransform(const TransformPtr& given, const FrameRate& rate) {
    const bool still = !given->sampling().isStill() && isStill(*given);
    const TransformPtr transform = still ? std::make_shared<StillTransform>(given) : given;
    const auto& ops = transform->ops();
    if (const auto* known = dynamic_cast<const WithQuaternions*>(transform.get()); known && known->readsSo())
        return transform; // as a layer had it
    if (std::none_of(ops.begin(), ops.end(), [](const TransformOp& op) { return op.kind == Kind::Rotate; }))
        return transform;
    std::vector<Part> parts;
    std::size_t first = 0;
    bool free = false;
    for (const TransformOp& op : ops) {
        parts.push_back(partFor(*transform, op, first));
        free = free || parts.back().as == Part::As::Quaternion;
        first += channelCount(op.kind);
    }
    Sampling sampling = transform->sampling();
    if (free && !sampling.isStill() && !transform->sameAlways()) {
        std::vector<double> times = sampling.times();
        const auto frames = wholeFrames(sampling.firstTime(), sampling.lastTime(), rate);
        times.insert(times.end(), frames.begin(), frames.end());
        sortMoments(times);
        sampling = samplingFromTimes(times);
    }
    return std::make_shared<StoredTransform>(transform, std::move(parts), std::move(sampling));
}

Result<std::array<double, 4>> quaternionAt(const Transform& transform, std::size_t op, std::size_t first,
                                           std::size_t sample) {
    if (const auto* stored = dynamic_cast<const WithQuaternions*>(&transform))
        return stored->quaternion(op, sample);
    WYC_TRY(numbers, transform.channels(sample));
    numbers.resize(std::max(numbers.size(), first + 4), 0.0);
    return quaternionOfTurn({numbers[first], numbers[first + 1], numbers[first + 2], numbers[first + 3]});
}

} // namespace wyc::usd
