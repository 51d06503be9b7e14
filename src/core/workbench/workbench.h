// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// What a job comes to: its sources' items after their steps, their measures, and what is found. Window and command line
// ask the same functions.
#include <memory>
#include <optional>
#include <vector>

#include "checks/check.h"
#include "job/job.h"
#include "measure/loop.h"
#include "workbench/stretches.h"

namespace wyc {

struct ItemKey {
    SourceId source;
    std::string path;
    auto operator<=>(const ItemKey&) const = default;
    [[nodiscard]] bool isEmpty() const { return path.empty(); }
};

/// A source of a job that is open.
struct OpenedSource {
    SourceId id;
    SourcePtr source;      // null: not opened (yet)
    std::string name = {}; // where it could not be
    std::optional<Error> error = {};
};

/// One item of a source. Values only: workers get copies.
struct ItemView {
    ItemKey key;
    std::string name;
    std::string kind;
    NodeKind nodeKind = NodeKind::Other;
    [[nodiscard]] const KindTraits& is() const { return traitsOf(nodeKind); }
    bool hidden = false; // never seen
    SourcePtr source;
    /// This item alone with the transforms above it, after its steps; what has no points with a body to be seen by.
    std::shared_ptr<const Scene> scene;
    std::size_t node = 0;    // of it in that scene
    std::vector<Step> steps; // that `scene` was made with
    /// Where a step fails: its number; the scene is as the steps before it make it.
    std::optional<std::size_t> failedStep;
    TimeMap time;                       // what the steps mean: their time → the source's
    TimeMap timeOfPoints;               // likewise of points, where that is another
    std::vector<TimeSpan> heldBySteps;  // where they hold poses or lead from one to another
    std::vector<TimeStretch> stretches; // lead-ins, rests and cycles that they made
    bool leftOut = false;
    bool loops = false;     // meant to be played again and again
    std::size_t pieces = 1; // that a split made of it; the scene shows them together
    std::size_t points = 0;
    std::size_t faces = 0;
    std::uint64_t topology = 0;
    std::shared_ptr<const MotionProfile> profile;    // after steps; null until measured
    std::shared_ptr<const MotionProfile> rawProfile; // as it came
    std::optional<Error> error;                      // of its steps or its first sample
    std::shared_ptr<const Result<LoopCheck>> cycle;  // where it is meant to loop; null until looked at
    [[nodiscard]] double frameAt(std::size_t sample) const;
    std::optional<FrameRange> range; // in which it moves
    /// Most points of a sample.
    [[nodiscard]] std::size_t mostPoints() const;
};

/// The same item under other steps, not measured yet.
[[nodiscard]] ItemView viewWith(const ItemView& item, std::vector<Step> steps);
/// Items of all sources in the job's order. Those of `before` that are the same still are taken over with their
/// measures; `changed` says whether any is not.
[[nodiscard]] std::vector<ItemView> itemsOf(const Job& job, const std::vector<OpenedSource>& sources,
                                            const std::vector<ItemView>& before, bool& changed);
/// All sources of a job, in its order; what cannot be opened has its error.
[[nodiscard]] std::vector<OpenedSource> openedSources(const Job& job);
/// The same; an error when one cannot be opened.
[[nodiscard]] Result<std::vector<OpenedSource>> openSources(const Job& job);
/// Items that take part, with their measures. A step that fails is a finding, not an error.
[[nodiscard]] Result<std::vector<ItemView>> measuredItemsOf(const Job& job, const std::vector<OpenedSource>& sources,
                                                            const Progress& progress);
/// Not all that is asked of the item is measured yet.
[[nodiscard]] bool needsMeasuring(const ItemView& item);
/// Measures every item that is not measured yet.
[[nodiscard]] Status measureItems(std::vector<ItemView>& items, const Progress& progress);

/// An item's scene as it is before one of its steps, and the item's node in it.
struct SeenItem {
    std::shared_ptr<const Scene> scene;
    std::size_t node = 0;
};
[[nodiscard]] Result<SeenItem> seenBefore(const ItemView& item, std::size_t step);
/// Measures the item as it came, where its steps hide that.
[[nodiscard]] Status measureAsItCame(ItemView& item, const Progress& progress);
/// Frames that the item covers before one of its steps.
[[nodiscard]] std::optional<FrameRange> rangeBefore(const ItemView& item, std::size_t step);

struct ItemFinding {
    ItemKey key; // empty path = the source as a whole
    Finding finding;
};
/// All findings of the items that take part, worst first: of sources that cannot be read, of the job's own entries, of
/// steps that fail, of the readers, of the checks.
/// Items that are not measured are not checked.
[[nodiscard]] std::vector<ItemFinding> findingsOf(const Job& job, const std::vector<OpenedSource>& sources,
                                                  const std::vector<ItemView>& items);

/// One thing that was found, with the items of one source that it was found on in the same words.
struct FindingGroup {
    ItemFinding first;
    std::vector<ItemKey> keys;
};
[[nodiscard]] std::vector<FindingGroup> groupedFindings(const std::vector<ItemFinding>& findings);

} // namespace wyc
