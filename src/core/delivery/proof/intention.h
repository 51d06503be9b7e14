// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// What a chain of steps means for a scene as it came, and what it promises: the proof holds a result against it.
#include <map>
#include <memory>
#include <string>
#include <unordered_map>
#include <vector>

#include "plain/asked.h"
#include "scene/scene.h"
#include "steps/step.h"

namespace wyc {

/// What a chain of steps means for a scene as it came.
struct Intention {
    std::shared_ptr<const Scene> source;
    TimeMap time;           // time of the result → times of the source
    TimeMap points;         // the same for points and what is said on their nodes: a mend may change them alone
    TimeMap places;         // and for the ways of points into the world, which go with them once they went into them
    bool baked = false;     // they did
    bool repointed = false; // files that are named are not those of the source
    /// The map of the way of a node of the result into the world: that of points, where no transform is left above
    /// them.
    [[nodiscard]] const TimeMap& placesOf(const Scene& meant, std::size_t node) const;
    Mat4 space; // world of the source → world of the result
    double scale = 1.0;
    Mat4 axes;      // what a change of unit and up axis alone does to axes and lengths of a node's own
    FrameRate rate; // of the result
    View wanted;    // where moments are set, only they are promised
    std::shared_ptr<const Asked> asks;       // apart from the steps; null for points that come from another file
    std::vector<std::string> otherThanAsked; // where steps mean or promise something else, in words
    std::vector<std::string> shortfalls;     // what was asked for and the source does not have: "16 frames at the end"
    std::shared_ptr<const std::unordered_map<std::uint64_t, std::size_t>> nodes; // of the source, by id
    /// Nodes whose points the steps gave other numbers, by id: of which points they are made.
    std::map<std::uint64_t, std::shared_ptr<const std::vector<MadeOf>>> madeOf;
    /// What a result promises, held against what is asked. `wholeFrames`: it has nothing between them, as is told.
    void promise(const View& view, bool wholeFrames);
    /// Says what it is for: its source with its nodes by id. What steps mean stays.
    void setSource(std::shared_ptr<const Scene> from);
    /// World of the source → world of the result, at a time of the result: what is carried along is moved.
    [[nodiscard]] Mat4 spaceAt(double seconds) const;
};
/// The one moment that a map shows at another; nothing where it mixes several, or shows the rest pose.
[[nodiscard]] std::optional<double> onlyTime(const TimeMap& map, double seconds);
[[nodiscard]] Result<Intention> intentionOf(std::shared_ptr<const Scene> source, const std::vector<Step>& steps);
/// The same, and behind it one for every other file that a step takes points from.
[[nodiscard]] Result<std::vector<Intention>> intentionsOf(std::shared_ptr<const Scene> source,
                                                          const std::vector<Step>& steps);

} // namespace wyc
