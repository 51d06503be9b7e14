// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Checks: questions asked of a measured scene. Adding a check = one file and one line in the catalogue
// (check.cpp).
#include <memory>
#include <vector>

#include "checks/finding.h"
#include "measure/motion.h"
#include "scene/shot.h"

namespace wyc {

/// One item to check: a node of a scene with its profile.
struct MeasuredItem {
    const Scene* scene = nullptr;
    std::size_t node = 0;
    std::string label;           // how findings name it
    std::string source;          // its name, for people: two folders may each have one of it
    std::string sourcePath = {}; // which one it is
    bool movesBySource = false;  // the source has several samples of it
    std::shared_ptr<const MotionProfile> profile;
    std::optional<double> unitMetres; // the source's, else the shot's; filled in by runChecks
    /// Of its rest mesh, if it has one: as it came, and after the item's own steps where they change it. An item that
    /// is in order fits one of them.
    std::vector<std::shared_ptr<const std::vector<Vec3f>>> restPoses = {};
    TopologyPtr restTopology = {};
    std::vector<TimeSpan> heldBySteps =
        {}; // where the item's own steps hold poses or lead from one to another: meant so
    /// Where it is a cycle: the step that goes on with it. What it is to fill is left open.
    std::optional<Step> goesOn = {};
    [[nodiscard]] const Node& at() const { return scene->nodes[node]; }
    [[nodiscard]] double frameAt(std::size_t sample) const {
        return snappedFrame(scene->view.rate.frameAt(profile->times[sample]));
    }
    [[nodiscard]] double metresPerUnit() const { return unitMetres.value_or(1.0); }
};

struct CheckInput {
    Shot shot;
    std::vector<MeasuredItem> items; // of all sources: some checks compare items with one another
};

using Check = void (*)(const CheckInput&, std::vector<Finding>&);
struct CheckEntry {
    std::string_view id;
    std::string_view question;
    Check run;
};
[[nodiscard]] const std::vector<CheckEntry>& checkCatalogue();

/// Runs all checks. What hits many frames of an item alike is one finding with their number.
[[nodiscard]] std::vector<Finding> runChecks(const CheckInput& input);
/// What a reader remarked, as findings.
[[nodiscard]] Finding readerFinding(const ReaderRemark& remark);
[[nodiscard]] std::vector<Finding> readerFindings(const Scene& scene);

// The families.
void checkRange(const CheckInput& input, std::vector<Finding>& findings);
void checkRate(const CheckInput& input, std::vector<Finding>& findings);
void checkFrames(const CheckInput& input, std::vector<Finding>& findings);
void checkMotion(const CheckInput& input, std::vector<Finding>& findings);
void checkMesh(const CheckInput& input, std::vector<Finding>& findings);
void checkRestOrder(const CheckInput& input, std::vector<Finding>& findings);
void checkSize(const CheckInput& input, std::vector<Finding>& findings);
void checkNamesakes(const CheckInput& input, std::vector<Finding>& findings);
void checkStatements(const CheckInput& input, std::vector<Finding>& findings);

/// Whether the first sample holds the last pose, or the rest pose, and the motion begins behind it.
[[nodiscard]] bool firstSampleIsStale(const MeasuredItem& item, bool* isRest = nullptr);
/// Whether the shot needs the frame of a stale first sample: without it the item begins too late.
[[nodiscard]] bool shotNeedsStaleFirst(const MeasuredItem& item, const Shot& shot);

} // namespace wyc
