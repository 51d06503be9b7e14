// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Figures from one pass over an item's samples: extents, motion, what repeats, what is not finite.
#include <optional>
#include <vector>

#include "base/progress.h"
#include "scene/scene.h"

namespace wyc {

/// A coordinate that is no finite number.
struct NonFinite {
    std::size_t sample = 0;
    std::size_t point = 0;
    char axis = 'x';
    std::size_t countInSample = 0;
    std::optional<std::uint64_t> byte;
};

struct UnreadableSample {
    std::size_t sample = 0;
    Error error;
};

/// Distances are in the source's own unit; points in world space (transforms above applied at the sample's
/// time).
struct MotionProfile {
    std::vector<double> times; // seconds
    std::vector<float> step; // RMS over points of |X_i − X_{i−1}|, by id where points have one; NaN at 0 and where
                             // counts change
    std::vector<float> farthest;              // largest |X_i − X_{i−1}| of a point; NaN where `step` is
    std::vector<std::uint32_t> farthestPoint; // its number in sample i
    std::vector<bool> sameAsPrevious;         // bit for bit
    std::vector<std::size_t> pointCounts;
    std::vector<std::uint64_t> topologies; // hashes
    std::vector<Bounds> bounds;            // per sample
    Bounds extent;                         // of all samples
    std::vector<NonFinite> nonFinite;      // the first of every sample that has any
    std::vector<UnreadableSample> unreadable;
    float firstToLast = 0.0F; // RMS distances; NaN where counts differ
    [[nodiscard]] std::size_t count() const { return times.size(); }
    /// Metres a second when the unit is known, else units a second. NaN for the first sample.
    [[nodiscard]] float speedAt(std::size_t sample) const;
    /// True when some sample differs from the first.
    [[nodiscard]] bool moves() const;
};

/// An item's samples in world space, one by one: its points' samples, or those of a transform above where only that
/// moves. The samples of its profile are these.
class SampleReader {
  public:
    SampleReader(const Scene& scene, std::size_t node);
    [[nodiscard]] const std::vector<double>& times() const { return times_; }
    /// Sample of the points behind a sample.
    [[nodiscard]] std::size_t pointSample(std::size_t sample) const { return pointsMove_ ? sample : 0; }
    [[nodiscard]] Status points(std::size_t sample, std::vector<Vec3f>& into) const;
    /// Puts points of their own space where they stand at a sample.
    [[nodiscard]] Status place(std::size_t sample, std::span<Vec3f> points) const;

  private:
    const Scene* scene_;
    std::size_t node_;
    std::vector<double> times_;
    bool pointsMove_ = false;
};

/// Reads every sample of an item once (and those at block borders twice). Samples that cannot be read are
/// listed, the rest is measured all the same.
[[nodiscard]] Result<MotionProfile> motionProfile(const Scene& scene, std::size_t node, const Progress& progress);

/// Samples with frames missing before them, as the usual distance of all has it; rising. Within a shutter samples stand
/// close together: there only more than a whole frame between two is a gap.
[[nodiscard]] std::vector<std::size_t> framesMissingBefore(const std::vector<double>& frames);

/// RMS over points of the distance of matching points; NaN when the counts differ. Non-finite points are
/// passed over.
[[nodiscard]] float rmsDistance(std::span<const Vec3f> a, std::span<const Vec3f> b);

/// How much of the way from one pose to another no rigid move explains: RMS left over / RMS way, 0 (all rigid) to 1.
/// The best rigid fit is Umeyama's (1991) without scale, over up to 2,000 points.
[[nodiscard]] double bendShare(std::span<const Vec3f> a, std::span<const Vec3f> b);

struct DriftFigure {
    double rms = 0.0;
    double largest = 0.0;
    std::size_t point = 0; // where it is largest
};
/// Drift of b against a, points matched by number. A pair with a non-finite coordinate counts as 0 when the
/// two are bit for bit equal, else as infinite.
[[nodiscard]] DriftFigure driftOf(std::span<const Vec3f> a, std::span<const Vec3f> b);

} // namespace wyc
