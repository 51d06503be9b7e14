// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// The second question of a proof: is what is meant what the source shows? Both sides are worked out from their samples
// by a plain evaluator: nothing here is shared with the steps' own evaluation and choice of samples.
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "base/progress.h"
#include "delivery/proof/intention.h"
#include "formats/format.h"
#include "plain/plain.h"
#include "scene/scene.h"

namespace wyc {

/// Words about one item; more would hide the first.
inline constexpr std::size_t kMostWords = 4;

/// What was compared with the source, and how far off it was, in the result's unit.
struct Shown {
    struct Moments {
        std::vector<double> seconds; // in any order
        void add(double at) { seconds.push_back(at); }
        void add(const Moments& other);
        [[nodiscard]] std::size_t count() const { return seconds.size(); }
        /// From which frame to which, as far as they follow each other: "1071 – 1077, 1119 – 1125".
        [[nodiscard]] std::string frames(const FrameRate& rate) const;
        /// "136 moments, frames 1001 – 1136"
        [[nodiscard]] std::string words(const FrameRate& rate) const;
    };
    Moments moments;         // at samples and whole frames
    Moments mixed;           // at which poses or places are mixed that do not add up: not compared
    std::size_t between = 0; // further ones between them, on a part of the points
    double worst = 0.0;
    double worstSeconds = 0.0;
    double worstBetween = 0.0; // of straight lines between samples; no more than straight lines between whole frames
    std::vector<std::string> disagreements;
    std::vector<std::string> notCompared;
};

/// One node of a result and the nodes of the source that it was made of.
class ShownNode {
  public:
    /// Nothing when the source has no such node: what that means is for the caller to say.
    [[nodiscard]] static std::optional<ShownNode> find(const Scene& meant, std::size_t node,
                                                       const std::vector<Intention>& intentions);
    /// Where a sample of the result is, bit for bit, a sample of the source in the same place: that sample.
    [[nodiscard]] Result<std::optional<std::size_t>> exactSample(double seconds) const;
    /// A transform that nothing stands below, in the source and now: its place is what is seen of it.
    [[nodiscard]] bool isPlace() const { return bare_ && source().is().place; }
    [[nodiscard]] const Geometry& sourceShape() const { return *source().geometry; }
    /// Compares a sample's points with the source's. `points` are those of the result at `seconds`.
    [[nodiscard]] Status compareSample(double seconds, std::span<const Vec3f> points, Shown& shown) const;
    /// All else: whole frames without a sample, moments between, visibility, every channel that the format keeps.
    [[nodiscard]] Status compareMoments(const Format& format, const Progress& progress, Shown& shown) const;

  private:
    struct Part {
        std::size_t node;
        std::shared_ptr<const std::vector<std::uint32_t>> from; // points of the source; null = all in turn
        std::shared_ptr<const std::vector<std::uint32_t>> to;   // their numbers in the result
    };
    ShownNode(const Scene& meant, std::size_t node, const Intention& intention);
    /// Its points are those that the steps say.
    [[nodiscard]] bool madeAsMeant() const;
    [[nodiscard]] const Node& source() const { return scene_->nodes[parts_.front().node]; }
    /// The source's time, where just one of its moments is shown.
    [[nodiscard]] std::optional<double> sourceTime(double seconds) const;
    /// The same for points.
    [[nodiscard]] std::optional<double> poseTime(double seconds) const;
    /// Its poses that add up to what is shown; none where they cannot be added.
    [[nodiscard]] std::vector<TimedPose> sourcePoses(double seconds) const;
    [[nodiscard]] Result<double> gapAt(double seconds, std::span<const Vec3f> points, std::size_t first,
                                       std::size_t total, bool between, double& size) const;
    [[nodiscard]] Result<double> sourceBend(double seconds, std::size_t first, std::size_t count) const;
    [[nodiscard]] std::optional<TimeSpan> spanOf(const std::vector<double>& times) const;
    [[nodiscard]] std::vector<double> momentsToCompare(const std::vector<Channel>& channels) const;
    [[nodiscard]] Status compareBetween(const std::vector<double>& times, const Progress& progress, Shown& shown) const;
    [[nodiscard]] Status compareLook(double seconds, bool placeToo, Shown& shown) const;
    void note(double seconds, double gap, double size, Shown& shown) const;

    const Scene* meant_;
    std::size_t node_;
    const Intention* intention_;
    bool bare_ = false;                  // a transform that nothing stands below
    std::shared_ptr<const Scene> scene_; // the source, or the source with a copy for every instance
    std::vector<Part> parts_;
};

} // namespace wyc
