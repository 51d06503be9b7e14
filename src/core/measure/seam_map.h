// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// How far apart any two frames of a motion are.
#include <vector>

#include "base/progress.h"
#include "scene/scene.h"

namespace wyc {

/// What is looked at: a node with a shape, and how long a unit is, in metres.
struct MovingItem {
    const Scene* scene = nullptr;
    std::size_t node = 0;
    double metres = 1.0;
};

struct SeamMapSettings {
    /// Looks at so many points only, in even stretches; 0 = all of them.
    std::size_t sketchPoints = 0;
    /// Rigid travel (the best fit of each frame onto the first, W. Kabsch 1976) is taken out.
    bool inPlace = false;
};

/// All pairs of the whole frames of an item. D(i,j) = RMS over points of |X_i − X_j|; of velocities likewise, V being
/// central differences. Of several items: the root of the mean of the squares, each in its own usual steps.
class SeamMap {
  public:
    [[nodiscard]] std::size_t count() const { return frames_.size(); }
    [[nodiscard]] const std::vector<double>& frames() const { return frames_; }
    /// Metres; usual steps where there are several items.
    [[nodiscard]] double distance(std::size_t i, std::size_t j) const;
    /// Metres (steps) a second.
    [[nodiscard]] double velocityGap(std::size_t i, std::size_t j) const;
    /// Distance of neighbours, in the middle of all.
    [[nodiscard]] double usualStep() const { return usualStep_; }
    [[nodiscard]] double largest() const { return largest_; }
    [[nodiscard]] double frameSeconds() const { return frameSeconds_; }
    [[nodiscard]] bool ofAllPoints() const { return ofAllPoints_; }
    [[nodiscard]] bool inSteps() const { return inSteps_; }

  private:
    friend Result<SeamMap> seamMapOf(const std::vector<MovingItem>&, const SeamMapSettings&, const Progress&);
    std::vector<double> frames_;
    std::vector<double> products_; // means over points of X_i · X_j, per coordinate sums; row by row
    double usualStep_ = 0.0;
    double largest_ = 0.0;
    double frameSeconds_ = 1.0;
    bool ofAllPoints_ = true;
    bool inSteps_ = false;
};

/// One pass over the points by blocks of them, so that memory stays within some hundred MB; single-precision products
/// of centred points, summed in double. An error where there are fewer than four frames, where nothing moves, where
/// points change in number and have no ids, or where coordinates are no numbers.
[[nodiscard]] Result<SeamMap> seamMapOf(const std::vector<MovingItem>& items, const SeamMapSettings& settings,
                                        const Progress& progress);

} // namespace wyc
