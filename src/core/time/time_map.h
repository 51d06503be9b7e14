// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// What a time step means: for every output time the poses that are shown then.
#include <array>
#include <limits>
#include <memory>
#include <optional>
#include <utility>
#include <vector>

namespace wyc {

/// Seconds that no motion reaches: the ends of a map's first and last piece.
inline constexpr double kForever = std::numeric_limits<double>::infinity();

struct TimeSpan {
    double first = 0.0;
    double last = 0.0;
    bool operator==(const TimeSpan&) const = default;
};

/// A move through the world: what travels goes on from cycle to cycle, or has its travel taken out.
using Carry = std::array<double, 3>;

/// How the weight of a fade grows from 0 to 1 along its way: 3u² − 2u³, 6u⁵ − 15u⁴ + 10u³, or drawn.
struct Ease {
    enum class Kind { Linear, Smooth, Smoother, Drawn };
    Kind kind = Kind::Linear;
    /// Of a drawn one: way and weight, rising, straight lines between; the ends are 0, 0 and 1, 1.
    std::vector<std::pair<double, double>> keys = {};
    [[nodiscard]] double at(double way) const;
    /// Change of the weight per whole way.
    [[nodiscard]] double slopeAt(double way) const;
    bool operator==(const Ease&) const = default;
};

/// A stretch of output time and what is shown in it.
struct TimePiece {
    enum class Kind {
        Run,    // input time runs from `inFrom` on at `speed`; speed 0 holds one pose
        Mix,    // the pose at `inFrom` fades into the pose at `inTo`, in straight lines
        Fade,   // a run from `inFrom` fades into a run from `inTo`, by `ease`
        Bridge, // from the pose at `inFrom` to that at `inTo`, leaving and arriving as the motion does there (cubic
                // Hermite; velocities from the pose one `grid` before and after)
        Cubic // a run; between `knots`, a curve through the poses at four of them (Catmull–Rom), not a straight line
    };
    Kind kind = Kind::Run;
    double from = -kForever; // output seconds
    double to = kForever;    // the next piece begins there
    double anchor = 0.0;     // output time at which the input time is `inFrom`
    double inFrom = 0.0;
    double speed = 1.0;      // of a run: input seconds a second
    double inTo = 0.0;       // of a mix, a fade, a bridge
    double speedTo = 1.0;    // of a fade: of the run it goes into
    double grid = 0.0;       // seconds: of a bridge
    bool fromRest = false;   // a fade begins with the rest pose, not with a pose of the motion
    bool keepsShape = false; // a fade turns connected pieces as wholes, where straight lines would shrink them
    std::shared_ptr<const Ease> ease = {}; // of a fade; null = linear
    /// Of a cubic run: input times of poses, rising, one at least; it ends at the first and the last.
    std::shared_ptr<const std::vector<double>> knots = {};
    Carry carry = {};      // by how much the world is moved for what is shown from `inFrom` on …
    Carry carryTo = {};    // … and from `inTo` on
    Carry carrySpeed = {}; // of a run: and by so much more every second behind its anchor
};

/// A pose that has a part in a moment.
struct TimedPose {
    double seconds = 0.0;
    double weight = 1.0;     // all of a moment add up to 1
    double speed = 1.0;      // input seconds a second of output; 0 in a hold, that of the whole way in a mix
    double rate = 1.0;       // change of `seconds` a second of output: 0 where the pose stands and weights alone change
    double weightRate = 0.0; // change of `weight` a second of output
    bool rest = false;       // the rest pose; `seconds` is where other tracks look
    bool keepsShape = false; // with the pose before it
    Carry carry = {};        // by how much its world is moved
    Carry carrySpeed = {};   // and how fast, a second of output
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
    /// The poses of a moment, those of the largest share first; usually one, two where a stage mixes, four in a curve.
    /// Weights of curves may lie below 0 or above 1.
    [[nodiscard]] std::vector<TimedPose> at(double seconds) const;
    /// The one pose that counts where nothing can be mixed (a topology, a text): the earlier one of a mix.
    [[nodiscard]] double heldAt(double seconds) const;

    /// Output times at which one of these input times is shown by a run of speed other than 0, and all times at which
    /// a piece begins or ends; rising, each once, infinite ones left out.
    [[nodiscard]] std::vector<double> outputTimesOf(std::vector<double> inputTimes) const;
    /// Stretches of output time that show one held pose or a mix.
    [[nodiscard]] std::vector<TimeSpan> holds() const;
    /// Stretches that are no straight line between their ends: fades, bridges, cubic runs.
    [[nodiscard]] std::vector<TimeSpan> bends() const;
    /// Moments that are far apart in the input follow one another, or are mixed.
    [[nodiscard]] bool joinsApart() const;
    /// Output span of an input span, as far as runs show it; nothing when they do not.
    [[nodiscard]] std::optional<TimeSpan> outputSpanOf(const TimeSpan& input) const;
    /// Somewhere the world is moved.
    [[nodiscard]] bool carries() const;
    /// By how much, at a moment; in straight lines between whole frames wherever weights are.
    [[nodiscard]] Carry carryAt(double seconds) const;
    /// Where the world behind this map is turned and scaled: entries of a 3 × 3 matrix for row vectors, row by row.
    [[nodiscard]] TimeMap turned(const std::array<double, 9>& linear) const;
    /// The map is one run from one end of time to the other.
    [[nodiscard]] std::optional<TimePiece> asOneRun() const;

  private:
    using Stage = std::shared_ptr<const std::vector<TimePiece>>;
    std::vector<Stage> stages_; // the one nearest to the output first
};

} // namespace wyc
