// SPDX-License-Identifier: GPL-3.0-or-later
#include "evaluate/mapped_values.h"

#include <array>
#include <cmath>
#include <limits>

#include "scene/layers.h"
#include "scene/mix.h"

namespace wyc {
namespace {

double speedOf(const std::vector<TimedPose>& poses) {
    double speed = 0.0;
    for (const TimedPose& pose : poses)
        speed += pose.weight * pose.speed;
    return poses.size() == 1 ? poses.front().speed : speed;
}

// How fast points go that are shown, three numbers a point: from a little before to a little behind, as far as there is
// something. Without a number where nobody knows what becomes of a point.
Result<std::vector<double>> shownSpeeds(const Geometry& shape, double seconds, double before, double behind) {
    const Pose here = Pose::atTime(shape, seconds);
    WYC_TRY(count, here.pointCount());
    struct Side {
        double seconds;
        PointMatch match;
        std::vector<Vec3f> points;
    };
    std::array<Side, 2> sides{Side{before, {}, {}}, Side{behind, {}, {}}};
    for (Side& side : sides) {
        const Pose there = Pose::atTime(shape, side.seconds);
        WYC_TRY(match, matchOf(here, there));
        side.match = std::move(match);
        WYC_CHECK(readPointsAt(shape, side.seconds, side.points));
    }
    std::vector<Vec3f> points;
    WYC_CHECK(readPointsAt(shape, seconds, points));
    std::vector<double> speeds(count * 3, std::numeric_limits<double>::quiet_NaN());
    for (std::size_t i = 0; i < count; ++i) {
        std::array<std::pair<double, Vec3d>, 2> known{std::pair{seconds, Vec3d(points[i])},
                                                      {seconds, Vec3d(points[i])}};
        for (std::size_t k = 0; k < 2; ++k) {
            const Side& side = sides[k];
            const std::int64_t number = side.match.by == PointMatch::By::Number ? static_cast<std::int64_t>(i)
                                        : side.match.by == PointMatch::By::Id   ? side.match.later[i]
                                                                                : -1;
            if (number >= 0)
                known[k] = {side.seconds, Vec3d(side.points[static_cast<std::size_t>(number)])};
        }
        if (!(known[1].first > known[0].first))
            continue;
        const Vec3d speed = (known[1].second - known[0].second) * (1.0 / (known[1].first - known[0].first));
        speeds[i * 3] = speed.x;
        speeds[i * 3 + 1] = speed.y;
        speeds[i * 3 + 2] = speed.z;
    }
    return speeds;
}

class MappedValues final : public ValuesWrapper {
  public:
    /// `carrier`: the shape before the map, `shown`: after it. `carried`: it stands at the top, and goes where the map
    /// carries it. `frame`: seconds.
    MappedValues(const Channel& channel, TimeMap map, Sampling sampling, GeometryPtr carrier, GeometryPtr shown,
                 bool carried, double frame)
        : ValuesWrapper(channel.values),
          map_(std::move(map)),
          sampling_(std::move(sampling)),
          space_(channel.space),
          time_(channel.time),
          carrier_(std::move(carrier)),
          shown_(std::move(shown)),
          numbers_(channel.numbers),
          ofPoints_(isSpeedOfPoints(channel)),
          carried_(carried && ofPoints_),
          frame_(frame) {}
    [[nodiscard]] const Sampling& sampling() const override { return sampling_; }
    [[nodiscard]] const Sampling& statedSampling() const override { return sampling_; }
    [[nodiscard]] bool constant() const override { return sampling_.isStill() || inner().sameAlways(); }
    [[nodiscard]] bool straightBetween() const override { return inner().straightBetween() && map_.bends().empty(); }
    [[nodiscard]] Result<PropertyValue> read(std::size_t s) const override { return readAt(sampling_.time(s), {}); }
    [[nodiscard]] Result<PropertyValue> readAt(double t, const ValueMix&) const override {
        std::vector<TimedPose> poses = map_.at(t);
        if (carrier_ && isArray()) {
            WYC_TRY(shown, posesShown(*carrier_, map_, t));
            poses = std::move(shown);
        }
        if (ofPoints_ && shown_ && isMixed(t, poses)) {
            const auto run = runBeside(t);
            if (!run)
                return speedsOfMix(t, poses.front());
            poses = {*run};
        }
        const ValueMix how{space_, carrier_.get()};
        WYC_TRY(value, inner().readAt(poses.front().seconds, how));
        WYC_CHECK(mixInTurn(poses, [&](const TimedPose& pose, double weight) -> Status {
            WYC_TRY(other, inner().readAt(pose.seconds, how));
            WYC_TRY(same, haveSameNumbers(poses.front(), pose));
            if (!same)
                return {};
            WYC_TRY(match, matchTo(poses.front(), pose));
            value = mixedValues(type(), std::move(value), other, weight, space_, match);
            return {};
        }));
        followSpeed(value, speedOf(poses));
        followCarry(value, poses);
        return value;
    }
    [[nodiscard]] std::optional<std::uint64_t> token(std::size_t s) const override {
        return tokenAt(sampling_.time(s));
    }
    [[nodiscard]] std::optional<std::uint64_t> tokenAt(double t) const override {
        const auto poses = map_.at(t);
        const TimedPose& pose = poses.front();
        const bool asItIs = poses.size() == 1 && !(ofPoints_ && pose.rest) &&
                            (pose.speed == 1.0 || time_ == TimeRole::Plain) &&
                            (!carried_ || pose.carrySpeed == Carry{});
        return asItIs ? inner().tokenAt(pose.seconds) : std::nullopt;
    }

  private:
    [[nodiscard]] Result<PointMatch> matchTo(const TimedPose& base, const TimedPose& pose) const {
        if (carrier_ && isArray())
            return matchOf(Pose::atTime(*carrier_, base.seconds), Pose::atTime(*carrier_, pose.seconds));
        PointMatch match;
        match.by = PointMatch::By::Number;
        return match;
    }
    // Values that elements have by number are mixed where all have the same.
    [[nodiscard]] Result<bool> haveSameNumbers(const TimedPose& base, const TimedPose& pose) const {
        if (!numbers_ || numbers_->sameAlways())
            return true;
        WYC_TRY(here, numbers_->readAt(base.seconds, {}));
        WYC_TRY(there, numbers_->readAt(pose.seconds, {}));
        return here.bytes == there.bytes;
    }
    // Poses are mixed, or one that stands is where a mix of them begins or ends.
    [[nodiscard]] bool isMixed(double t, const std::vector<TimedPose>& poses) const {
        const auto mixed = [](const std::vector<TimedPose>& p) { return p.size() > 1 || p.front().rest; };
        return mixed(poses) ||
               (poses.front().rate == 0.0 && (mixed(map_.at(t - beside())) || mixed(map_.at(t + beside()))));
    }
    // Where a run ends and a mix begins, or the other way round, the run says how fast it goes.
    [[nodiscard]] std::optional<TimedPose> runBeside(double t) const {
        const auto runAt = [&](double seconds) -> std::optional<TimedPose> {
            const auto poses = map_.at(seconds);
            if (poses.size() > 1 || poses.front().rest || poses.front().rate == 0.0)
                return std::nullopt;
            TimedPose pose = poses.front();
            pose.seconds += (t - seconds) * pose.rate;
            return pose;
        };
        const auto before = runAt(t - beside());
        return before ? before : runAt(t + beside());
    }
    [[nodiscard]] double beside() const { return 1e-3 * frame_; }
    // The speed of a mix of poses is that of the points that are shown: from the sample before to the one behind, where
    // these are within a frame.
    [[nodiscard]] Result<PropertyValue> speedsOfMix(double t, const TimedPose& pose) const {
        double before = t - frame_;
        double behind = t + frame_;
        if (const Sampling& times = shown_->sampling(); times.count() > 1) {
            const auto at = times.locate(t);
            const std::size_t earlier = at.weight > 0.0 || at.below == 0 ? at.below : at.below - 1;
            const std::size_t later = std::min(at.below + 1, times.count() - 1);
            before = std::max(before, std::min(t, times.time(earlier)));
            behind = std::min(behind, std::max(t, times.time(later)));
        }
        WYC_TRY(value, inner().readAt(pose.seconds, {space_, carrier_.get()}));
        WYC_TRY(speeds, shownSpeeds(*shown_, t, before, behind));
        changeNumbers(type(), value, [&]<class T>(std::span<T> numbers) {
            for (std::size_t i = 0; i < numbers.size(); ++i)
                numbers[i] = static_cast<T>(i < speeds.size() && !std::isnan(speeds[i])
                                                ? speeds[i]
                                                : pose.rate * static_cast<double>(numbers[i]));
        });
        return value;
    }
    // What is told per second, or in seconds, of a motion that goes faster or slower. A shutter of a rest stays as long
    // as it was, and one of a motion that runs backwards opens before it closes all the same.
    void followSpeed(PropertyValue& value, double speed) const {
        const bool rate = time_ == TimeRole::Rate;
        if (speed == 1.0 || time_ == TimeRole::Plain || (!rate && speed == 0.0))
            return;
        changeNumbers(type(), value, [&]<class T>(std::span<T> numbers) {
            for (T& number : numbers)
                number = static_cast<T>(static_cast<double>(number) * (rate ? speed : 1.0 / std::abs(speed)));
        });
    }
    void followCarry(PropertyValue& value, const std::vector<TimedPose>& poses) const {
        if (!carried_)
            return;
        Carry speed{};
        for (const TimedPose& pose : poses)
            for (std::size_t i = 0; i < 3; ++i)
                speed[i] += pose.weight * pose.carrySpeed[i];
        if (speed != Carry{})
            changeNumbers(type(), value, [&]<class T>(std::span<T> numbers) {
                for (std::size_t i = 0; i < numbers.size(); ++i)
                    numbers[i] = static_cast<T>(static_cast<double>(numbers[i]) + speed[i % 3]);
            });
    }
    TimeMap map_;
    Sampling sampling_;
    SpaceRole space_;
    TimeRole time_;
    GeometryPtr carrier_;
    GeometryPtr shown_;
    ValuesPtr numbers_; // may be null
    bool ofPoints_;
    bool carried_;
    double frame_;
};

} // namespace

Result<std::vector<TimedPose>> posesShown(const Geometry& shape, const TimeMap& map, double seconds) {
    std::vector<TimedPose> poses = map.at(seconds);
    if (poses.size() < 2 || poses.front().rest || !shape.topologyVaries())
        return poses;
    const double held = map.heldAt(seconds);
    if (held == poses.front().seconds)
        return poses;
    WYC_TRY(match, matchOf(Pose::atTime(shape, poses.front().seconds), Pose::atTime(shape, held)));
    if (match.by == PointMatch::By::Number)
        return poses;
    TimedPose only = poses.front();
    only.seconds = held;
    only.weight = 1.0;
    only.weightRate = 0.0;
    only.rate = only.speed;
    return std::vector<TimedPose>{only};
}

// Later, earlier, slower or faster: every sample stays one, and between them all is as it was.
bool movedAsAWhole(const TimeMap& map, const View& view) {
    const auto run = map.asOneRun();
    return run && run->speed > 0.0 && !view.range && !view.moments;
}

PropertiesPtr mappedProperties(const PropertiesPtr& properties, const TimeMap& map, const View& view,
                               const GeometryPtr& carrier, const GeometryPtr& shown, bool carried) {
    const bool turning = carrier && normalsTurn(properties, *carrier);
    const double frame = view.rate.secondsAt(1.0);
    return changedChannels(
        properties, [map, view, carrier, shown, carried, turning, frame](const Channel& channel) -> ValuesPtr {
            const ValuesPtr& values = channel.values;
            if (values->sampling().isStill() && values->sameAlways()) {
                // One value for all times follows a speed that is one for all times.
                const auto run = map.asOneRun();
                if (channel.time == TimeRole::Plain || !run || run->speed == 1.0 || values->sampling().count() == 0)
                    return values;
                return std::make_shared<MappedValues>(channel, map, values->sampling(), carrier, shown, false, frame);
            }
            TrackNature nature;
            nature.held = channel.blend == Blend::Held;
            nature.straight =
                values->straightBetween() && (channel.blend != Blend::UnitLength || movedAsAWhole(map, view));
            nature.sameAlways = values->sameAlways();
            // Values of points are sampled as the points are: readers pair them by number.
            const bool withPoints = carrier && values->isArray() && values->sampling() == carrier->sampling();
            if (withPoints)
                nature = {carrier->straightBetween() && values->straightBetween() &&
                              (movedAsAWhole(map, view) || !turning),
                          false, carrier->sameAlways() && values->sameAlways(), true};
            // Where points are carried along they have their own moments, and their values the same.
            const Sampling sampling = withPoints && shown && map.carries()
                                          ? shown->sampling()
                                          : chosenTimes(values->sampling(), nature, map, view);
            return std::make_shared<MappedValues>(channel, map, sampling, carrier, shown, carried, frame);
        });
}

} // namespace wyc
