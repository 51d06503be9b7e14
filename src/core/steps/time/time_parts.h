// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Shared by the steps on time.
#include <functional>
#include <optional>
#include <set>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "steps/step.h"

namespace wyc {

/// The shape that the scene is about: the moving one with the most samples; null where none moves.
[[nodiscard]] const Node* leadShape(const Scene& scene);
/// As far as the scene goes: what is wanted of it, else what moves in it.
[[nodiscard]] std::optional<TimeSpan> spanOf(const Scene& scene);
/// The samples that a person counts: those wanted, else those of the points and whole frames where only others move.
[[nodiscard]] std::vector<double> countedMoments(const Scene& scene);
/// Those of them that points have; all where no points move.
[[nodiscard]] std::vector<double> momentsOfPoints(const Scene& scene);
/// What a person counts, whatever is wanted of it.
[[nodiscard]] std::shared_ptr<const CountedMoments> countedIn(const Scene& scene);
/// What is counted behind a step that is no plain move: `all`, and of them those that come from points' own.
[[nodiscard]] std::shared_ptr<const CountedMoments> countedAfter(std::vector<double> all, std::vector<double> ofPoints);
/// With frames more in front and behind, as far as points reach that end.
[[nodiscard]] std::shared_ptr<const CountedMoments> countedWith(const Scene& scene, const std::vector<double>& front,
                                                                const std::vector<double>& back);
/// Usual distance of those samples, in seconds; a frame where there are fewer than two.
[[nodiscard]] double usualStep(const Scene& scene);
/// A change that changes nothing.
[[nodiscard]] TimeChange asItIs(const Scene& scene);
/// All of the scene later by so many frames.
[[nodiscard]] TimeChange moved(const Scene& scene, double frames);
/// What is wanted, after a map by whose way `out` moments go at `speed`.
[[nodiscard]] View shifted(const View& view, const std::function<double(double)>& out, double speed);
/// Nothing outside of the span; an error where nothing is left.
[[nodiscard]] Result<TimeChange> cutTo(const Scene& scene, const TimeSpan& span);
[[nodiscard]] bool insideSpan(const TimeSpan& span, double seconds);
[[nodiscard]] bool holdsFrame(const std::set<double>& frames, double frame);
/// Samples that belong to frames by number: what lies within a frame goes with it, unless they are meant `exactly`.
class SamplesOfFrames {
  public:
    SamplesOfFrames(std::set<double> frames, const std::vector<double>& moments, const FrameRate& rate,
                    bool exactly = false);
    [[nodiscard]] bool holds(double seconds) const;

  private:
    std::set<double> frames_;
    FrameRate rate_;
    bool exactly_;
    double parts_ = 1.0; // share of a frame at which the next one's samples begin
};

/// Mean of the finite points; nothing where there is none.
[[nodiscard]] std::optional<Vec3d> meanOf(std::span<const Vec3f> points);

/// A stretch of output time that runs through the input from `inFrom` on.
[[nodiscard]] TimePiece runPiece(double from, double to, double inFrom, double speed);
/// One that goes from one pose to another.
[[nodiscard]] TimePiece mixPiece(double from, double to, double inFrom, double inTo);

[[nodiscard]] Ease easeOf(const std::string& name);
/// "1009 – 1128"
[[nodiscard]] std::string rangeWords(const TimeSpan& span, const FrameRate& rate);
/// When it moves; an error that says `what` needs a motion.
[[nodiscard]] Result<TimeSpan> movingOrRefused(const Scene& scene, std::string_view what);
[[nodiscard]] Error badInput(std::string what, std::string_view advice = {});
[[nodiscard]] Error nothingLeft(const Scene& scene);

} // namespace wyc
