// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Shared by the checks on motion and on frames.
#include <deque>
#include <memory>

#include "checks/check.h"

namespace wyc {

[[nodiscard]] float medianOf(std::vector<float> values);
/// Median of the steps that are neither unknown nor zero.
[[nodiscard]] float movingMedian(const MotionProfile& profile);
/// These samples by their exact frames, for an option of a step: "1009,1010".
[[nodiscard]] std::string exactFrames(const MeasuredItem& item, std::size_t first, std::size_t last);
/// These samples, as a finding names them.
[[nodiscard]] std::vector<double> momentsOf(const MeasuredItem& item, std::size_t first, std::size_t last);
/// A step that takes these samples out, and no others however often it is taken.
[[nodiscard]] Step withoutSamples(const MeasuredItem& item, std::size_t first, std::size_t last, bool close = false);
/// Steps that take these samples out and put something in their place, so that nothing is missing afterwards: between
/// their neighbours straight lines, at an end the pose beside them. None where that cannot be done.
[[nodiscard]] std::vector<Step> filledFromNeighbours(const MeasuredItem& item, std::size_t first, std::size_t last);
/// The run of samples in a row, all among these, that a sample is part of: first and last. What is filled is filled as
/// a whole, since a bad neighbour is none to fill from.
[[nodiscard]] std::pair<std::size_t, std::size_t> runAround(const std::vector<std::size_t>& samples,
                                                            std::size_t sample);
/// A way shorter than this is rounding, not motion: a ten-thousandth of the item's extent.
[[nodiscard]] float leastWay(const MeasuredItem& item);
/// "frame 1009", "frames 1009 – 1011"
[[nodiscard]] std::string framesText(const MeasuredItem& item, std::size_t first, std::size_t last);
/// A length of the item's, in words; without a unit as a number.
[[nodiscard]] std::string lengthOf(const MeasuredItem& item, double value);
/// The figure and unit of a finding, from a length of the item's.
void setLength(Finding& finding, const MeasuredItem& item, double value);

/// Reads a few samples of an item again, to look closer at what a profile makes suspect.
class Closer {
  public:
    explicit Closer(const MeasuredItem& item) : reader_(*item.scene, item.node) {}
    /// RMS way between two samples; NaN where they do not fit.
    [[nodiscard]] float gap(std::size_t a, std::size_t b);
    /// Share of the way between two samples that is no rigid move (see bendShare); 0 where they do not fit.
    [[nodiscard]] double bend(std::size_t a, std::size_t b);
    /// Null where the sample cannot be read. Good until eight other samples were asked for.
    [[nodiscard]] const std::vector<Vec3f>* points(std::size_t sample);

  private:
    SampleReader reader_;
    std::deque<std::pair<std::size_t, std::unique_ptr<std::vector<Vec3f>>>> kept_;
};

} // namespace wyc
