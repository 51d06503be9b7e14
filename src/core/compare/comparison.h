// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Two scenes against one another, item by item; as JSON, and as a page to be sent on.
#include <nlohmann/json.hpp>

#include "base/file.h"
#include "compare/other_pairs.h"
#include "compare/reconcile.h"
#include "steps/shape/point_order.h"

namespace wyc {

/// One pair of items, with what it takes to look at it again.
struct ComparedPair {
    Reconciled found;
    std::shared_ptr<const Scene> a; // the item with what stands above it
    std::size_t nodeA = 0;
    std::shared_ptr<const Scene> b;
    std::size_t nodeB = 0;
    std::optional<Error> error; // it cannot be compared
    bool joined = false;        // one of the two is several items
    std::optional<PicturedDrift> pictured;
    std::vector<std::string> stepsA; // that were put on before it was compared, in words
    std::vector<std::string> stepsB;
};

/// Of which B, and of which points, its drift before anything is undone is: "as it came", "after its steps"; where
/// points have other numbers, ", by number" while both have as many, else ", points matched".
[[nodiscard]] std::string measuredAs(const ComparedPair& pair);

struct Comparison {
    std::string a; // names of the sources
    std::string b;
    double toleranceMetres = 0.0001;
    std::vector<ComparedPair> pairs;
    std::string camera; // path, where drift was measured in its picture too
    double pictureWidth = 0.0;
    std::vector<OtherPair> others;
    std::vector<std::string> onlyA; // paths
    std::vector<std::string> onlyB;
    [[nodiscard]] bool withinTolerance() const;
    /// All in one sentence or two.
    [[nodiscard]] std::string text() const;
};

/// Items with points paired as `pairedItems` says, others by path and name; several that became one, or one that became
/// several, as one mesh. Compared are points, faces,
/// places, whether something is seen, sets and materials where both name some, and the figures of cameras; not UVs,
/// normals, colours, and values that a format carries besides. An error where there is no pair at all; what cannot be
/// compared in a pair stands with it.
[[nodiscard]] Result<Comparison> compare(const Scene& a, const Scene& b, const ReconcileSettings& settings,
                                         const Progress& progress,
                                         const std::vector<std::pair<std::string, std::string>>& pairs = {});

/// Every pair in a camera's picture too, with all that is more than a guess undone.
[[nodiscard]] Status measureInPicture(Comparison& comparison, const Picture& picture, const Progress& progress);

/// The steps that undo B as a whole: those that all pairs have in common, and each one's order. Nothing where pairs
/// need different ones: each its own (`Reconciled::undo`).
[[nodiscard]] std::optional<std::vector<Step>> undoOfAll(const Comparison& comparison);

/// The order that gives B's points A's numbers.
[[nodiscard]] Result<PointOrder> pointOrderOf(const ComparedPair& pair);

/// The order that gives A's points B's numbers, for the step "take"; nothing where they have them. An error where a
/// point of B has none in A.
[[nodiscard]] Result<std::optional<PointOrder>> takingOrderOf(const ComparedPair& pair);

/// As docs/cli.md promises it.
[[nodiscard]] nlohmann::json toJson(const Comparison& comparison);

/// Where the points of B are at a frame, undone or as they came, and how far each is off; for pictures.
struct PointDrift {
    std::vector<Vec3f> places; // of B's points that have one of A, in A's unit once undone
    std::vector<float> off;    // metres
};
[[nodiscard]] Result<PointDrift> pointDrift(const ComparedPair& pair, double frame, bool undone);

/// One page, with nothing outside of it: sentences, figures, plots, a picture of the worst frame; light and dark.
[[nodiscard]] Result<std::string> htmlReport(const Comparison& comparison);
/// Written as a whole or not at all.
[[nodiscard]] Status writeHtmlReport(const Comparison& comparison, const fs::path& file);

} // namespace wyc
