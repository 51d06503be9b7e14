// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// What a time step means: for every output time the poses that are shown then.
#include <limits>
#include <memory>
#include <optional>
#include <vector>

namespace wyc {

struct TimeSpan {
    double first = 0.0;
    double last = 0.0;
    bool operator==(const TimeSpan&) const = default;
};

/// A stretch of output time and what is shown in it.
struct TimePiece {
    enum class Kind {
        Run, // input time runs from `inFrom` on at `speed`; speed 0 holds one pose
        Mix  // the pose at `inFrom` fades into the pose at `inTo`, in straight lines
    };
    Kind kind = Kind::Run;
    double from = -std::numeric_limits<double>::infinity(); // output seconds
    double to = std::numeric_limits<double>::infinity();    // the next piece begins there
    double anchor = 0.0;                                    // output time at which the input time is `inFrom`
    double inFrom = 0.0;
    double speed = 1.0; // of a run: input seconds a second
    double inTo = 0.0;  // of a mix
};

/// A pose that has a part in a moment.
struct TimedPose {
    double seconds = 0.0;
    double weight = 1.0; // all of a moment add up to 1
    double speed = 1.0; // input seconds a second of output, for velocities; 0 in a hold, that of the whole way in a mix
};

/// Output time → poses. Stages follow one another: a chain of steps is one map. Immutable; copies share.
/// Beyond its first and last piece a map shows what it shows at that end.
class TimeMap {
  public:
    /// Every time shows itself.
    TimeMap() = default;
    /// Pieces in order, each beginning where the one before ends.
    explicit TimeMap(std::vector<TimePiece> pieces);
    /// input = (output − outAnchor) · speed + inAnchor, everywhere.
    [[nodiscard]] static TimeMap run(double outAnchor, double inAnchor, double speed = 1.0);
    /// Outside of the span the pose of its nearer end holds.
    [[nodiscard]] static TimeMap heldOutside(const TimeSpan& span);

    [[nodiscard]] bool isIdentity() const { return stages_.empty(); }
    /// This map of what the other shows: result(t) = other(this(t)).
    [[nodiscard]] TimeMap of(const TimeMap& other) const;
    /// At most 2ⁿ poses for n stages that mix; usually one.
    [[nodiscard]] std::vector<TimedPose> at(double seconds) const;
    /// The one pose that counts where nothing can be mixed (a topology, a text): the earlier one of a mix.
    [[nodiscard]] double heldAt(double seconds) const;

    /// Output times at which one of these input times is shown by a run of speed other than 0, and all times at which
    /// a piece begins or ends; rising, each once, infinite ones left out.
    [[nodiscard]] std::vector<double> outputTimesOf(std::vector<double> inputTimes) const;
    /// Stretches of output time that show one held pose or a mix.
    [[nodiscard]] std::vector<TimeSpan> holds() const;
    /// Output span of an input span, as far as runs show it; nothing when they do not.
    [[nodiscard]] std::optional<TimeSpan> outputSpanOf(const TimeSpan& input) const;
    /// The map is one run from one end of time to the other.
    [[nodiscard]] std::optional<TimePiece> asOneRun() const;

  private:
    using Stage = std::shared_ptr<const std::vector<TimePiece>>;
    std::vector<Stage> stages_; // the one nearest to the output first
};

} // namespace wyc
