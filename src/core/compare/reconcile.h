// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Why one cache is not like another: every cause with its figure, its evidence and the steps that undo it.
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "base/progress.h"
#include "scene/scene.h"
#include "steps/step.h"

namespace wyc {

/// Said of B as seen from A.
struct Cause {
    std::string id; // docs/cli.md lists them
    double figure = 0.0;
    std::string unit;
    double confidence = 0.0; // under 0.5 a guess
    std::string text;        // "100 × larger"
    std::string evidence;
    std::vector<Step> undo = {}; // for B, after those of the causes before it; empty: nothing undoes it
    /// What explains as much instead of it: each some causes, with steps of their own.
    std::vector<std::vector<Cause>> instead = {};
    [[nodiscard]] bool isGuess() const { return confidence < 0.5; }
};

/// Distances of points that belong together, over all moments that both have, in A's unit or in pixels of a picture.
struct Drift {
    double rms = 0.0;
    double p99 = 0.0;
    double largest = 0.0;
    double worstFrame = 0.0;
    std::uint32_t worstPoint = 0; // of B
    std::size_t moments = 0;
    std::size_t broken = 0; // places that are no numbers in one of the two alone; not among the figures
    double brokenFrame = 0.0;
    std::uint32_t brokenPoint = 0;
    std::vector<double> frames; // of B, each …
    std::vector<double> rmsAt;  // … with its figures
    std::vector<double> largestAt;
    std::vector<double> edges; // of the histogram, rising; one more than it has counts
    std::vector<std::size_t> counts;
};

struct OrderFacts {
    bool same = true;
    std::string by = "none"; // hash, position, connectivity, motion, none
    std::size_t certain = 0;
    std::size_t ambiguous = 0;
    std::vector<std::uint32_t> unmatchedA;
    std::vector<std::uint32_t> unmatchedB;
    std::vector<std::uint32_t> unsure;                      // of B
    std::shared_ptr<const std::vector<std::uint32_t>> aOfB; // for each point of B; 0xFFFFFFFF: none
    std::shared_ptr<const std::vector<std::uint32_t>> bOfA; // for each point of A
    std::size_t split = 0;                                  // points of B more, for points of A that became several
    std::size_t welded = 0;                                 // points of A more
};

struct Reconciled {
    std::string a; // paths of the items
    std::string b;
    OrderFacts order;
    std::vector<Cause> causes; // in the order in which they are undone
    std::optional<Drift> drift;
    std::optional<Drift> undone;  // with all causes undone that can be, and are more than a guess
    bool withinTolerance = false; // as it came: same order, no drift beyond it
    double metres = 1.0;          // of a unit of A
    std::string text;             // "B is A in centimetres, one frame late; …"
    /// All that undoes B, in order.
    [[nodiscard]] std::vector<Step> undo() const;
};

struct ReconcileSettings {
    double toleranceMetres = 0.0001;
    std::optional<double> unitMetres; // of scenes that state none
};
/// The item with this node in each scene, with the transforms above it. An error where one has no points, or where they
/// change in number.
[[nodiscard]] Result<Reconciled> reconcile(const std::shared_ptr<const Scene>& a, std::size_t nodeA,
                                           const std::shared_ptr<const Scene>& b, std::size_t nodeB,
                                           const ReconcileSettings& settings, const Progress& progress);
/// B after some of the steps that undo it.
struct Undone {
    std::vector<Step> steps;
    std::shared_ptr<const Scene> scene;
    std::size_t node = 0;
    std::vector<std::uint32_t> aOfB; // for each of its points the point of A; 0xFFFFFFFF: none
    TimeMap time;                    // its time → that of B as it came
};
/// The causes alone that are chosen are undone.
[[nodiscard]] Result<Undone> undoneOf(const Reconciled& found, const std::vector<char>& chosen,
                                      const std::shared_ptr<const Scene>& b, std::size_t nodeB);

/// A picture that drift is measured in: what a camera sees, so many pixels wide.
struct Picture {
    std::shared_ptr<const Scene> scene;
    std::size_t camera = 0; // its node
    double widthPixels = 1920.0;
};

/// For each point of B as it is after some of the steps that undo it: the point of A; 0xFFFFFFFF: none.
[[nodiscard]] std::vector<std::uint32_t> pointsAfter(const Reconciled& found, const std::vector<Step>& steps,
                                                     std::size_t pointsA, std::size_t pointsB);

/// The causes alone that are chosen are undone: what is left then.
[[nodiscard]] Result<std::optional<Drift>> driftAfter(const Reconciled& found, const std::vector<char>& chosen,
                                                      const std::shared_ptr<const Scene>& a, std::size_t nodeA,
                                                      const std::shared_ptr<const Scene>& b, std::size_t nodeB,
                                                      const Progress& progress, const Picture* picture = nullptr);

/// Drift in pixels, as B came and with what is chosen undone. Nothing where no point that both have is in the picture.
struct PicturedDrift {
    std::optional<Drift> drift;
    std::optional<Drift> undone;
};
[[nodiscard]] Result<PicturedDrift> picturedDrift(const Reconciled& found, const std::shared_ptr<const Scene>& a,
                                                  std::size_t nodeA, const std::shared_ptr<const Scene>& b,
                                                  std::size_t nodeB, const std::vector<char>& chosen,
                                                  const Picture& picture, const Progress& progress);

/// Shapes of two scenes that belong together: by path, by name, by names alike, by faces, by counts; one left on either
/// side with one on the other. Among those with the same faces what they show decides where names lie.
struct ItemPairs {
    std::vector<std::pair<std::size_t, std::size_t>> pairs; // nodes of A and B
    /// Several that became one, or one that became several: all nodes of both sides.
    struct Joined {
        std::vector<std::size_t> a;
        std::vector<std::size_t> b;
    };
    std::vector<Joined> joined;
    std::vector<std::size_t> byContent; // nodes of A that show what another name says
    std::vector<std::size_t> onlyA;
    std::vector<std::size_t> onlyB;
};
/// `given`: names or paths of items that belong together, A's and B's; they come before everything else.
[[nodiscard]] ItemPairs pairedItems(const Scene& a, const Scene& b,
                                    const std::vector<std::pair<std::string, std::string>>& given = {});

} // namespace wyc
