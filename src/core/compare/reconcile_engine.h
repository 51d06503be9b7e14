// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// How a comparison of two shapes goes about it: what is read and fitted once, and what each family of causes makes of
// it. For reconcile.cpp and the files beside it only.
#include <numeric>
#include <utility>

#include <fmt/format.h>

#include "base/middle.h"
#include "base/text.h"
#include "compare/causes/smoothing.h"
#include "compare/reconcile.h"
#include "match/order_map.h"
#include "match/reorder.h"

namespace wyc {

/// Of the spread: what passes through single precision and decimal texts.
inline constexpr double kPassedOn = 3e-6;

/// Of the spread: what is left where single frames can be told apart from the rest.
inline constexpr double kFitsWell = 0.01;

/// Of a cause beside which another explains as much.
inline constexpr double kOneOfSeveral = 0.5;

/// How sure a figure is: by how far off all would be without it, against what is left with it. What is known (whole
/// frames, units, quarter turns) is likelier than any figure.
[[nodiscard]] double sureOf(double without, double left, bool known);
/// Which causes are more than a guess.
[[nodiscard]] std::vector<char> sureOnes(const Reconciled& found);
/// "2 frames late".
[[nodiscard]] std::string offsetText(double frames);
/// "3 frames", "1 frame".
[[nodiscard]] std::string counted(std::size_t n, const char* what);

class ReconcileEngine {
  public:
    ReconcileEngine(const ShapeMotion& a, const ShapeMotion& b, const ReconcileSettings& settings,
                    const Progress& progress)
        : a_(a), b_(b), settings_(settings), progress_(progress) {}
    Result<Reconciled> run();

  private:
    [[nodiscard]] std::vector<std::pair<std::uint32_t, std::uint32_t>> pairs() const;
    // Point for point and frame for frame the same: there is nothing to be found out.
    Result<bool> isEqual();
    Status readSample();
    // All together once more, by the points that are known now; of what stands still one moment.
    Status alignAgain();
    // RMS of a moment of B from A at a time, as it lies; NaN where A has none.
    [[nodiscard]] double offAt(std::size_t t, double timeOfA) const;
    [[nodiscard]] double fits() const { return std::max(4.0 * how_.residual, 4e-5 * how_.spread); }
    // By how many samples of A a moment of B is further on than its time says: the nearest to what was so before that
    // fits.
    [[nodiscard]] std::optional<int> slipOf(std::size_t t, int before) const;
    // Stretches that show A a few samples earlier or later than all the others: a frame stands twice before them, or is
    // gone. Counted from the first stretch on.
    void findSlips();
    // Of the slips that were seen somewhere, those of all moments together that claim least.
    [[nodiscard]] std::vector<std::optional<int>> likeliestSlips(const std::vector<std::optional<int>>& rough) const;
    // By the first moment of each pose where every pose stands for several.
    void alignByFirstOfEach();
    // Where B's own poses stand twice, hardly told apart from noise otherwise.
    void slipsByRepeats();
    // All of it late or early, where that shows what the one slip shows.
    [[nodiscard]] std::optional<Cause> shownByShift() const;
    void weighRestAtStart();
    // All moments together, each where its slip says.
    void alignWithSlips();
    [[nodiscard]] Alignment aligned(double speed, double shift) const;
    [[nodiscard]] double frameOfB(std::size_t t) const { return snappedFrame(b_.rate().frameAt(trackB_.times[t])); }
    [[nodiscard]] bool sameAsBefore(std::size_t t) const;
    void add(std::string id, double figure, std::string unit, double confidence, std::string text, std::string evidence,
             std::vector<Step> undo = {});
    void tellOrder();
    // Single frames: stale, held, standing twice, gone.
    void tellFrames();
    // So many moments for which every pose stands where A goes on; 1: none.
    [[nodiscard]] std::size_t onEach() const;
    // Moments that show no pose of A where theirs should be: others, and foreign ones.
    void tellOtherFrames(const std::vector<std::size_t>& which);
    // Their frames, rising: "1012,1040".
    [[nodiscard]] std::string framesOf(std::vector<std::size_t> moments) const;
    // The first moment that a stale first frame leaves.
    [[nodiscard]] std::size_t firstKept() const;
    // Takes moments out and fills them from their neighbours; the last one is left out.
    [[nodiscard]] std::vector<Step> leftOut(std::vector<std::size_t> moments) const;
    [[nodiscard]] bool samplesAreFrames() const;
    [[nodiscard]] std::vector<Step> swappedBack(const std::vector<std::size_t>& swapped) const;
    // The later moment of B that shows the same pose as one; nothing where none does.
    [[nodiscard]] std::optional<std::size_t> poseLike(std::size_t moment) const;
    [[nodiscard]] std::vector<double> stepsOfB() const;
    // When and where all of it is; and what would explain as much instead.
    Status tellPlaceInTimeAndSpace();
    void tellTime();
    // Of what stands still: samples that are more, less, or at other times.
    void tellStill();
    void tellRate(double speed, double sure, std::string evidence);
    // How far off all is at another time, against its size, without a move instead.
    [[nodiscard]] double relativeAt(double speed, double shift) const;
    // More or fewer samples over the same time.
    void tellSampling(double stepB, double step);
    // The shift at which the middles of both lie over one another, at another speed.
    [[nodiscard]] double middleShift(double speed) const;
    void tellRange(double step, double sure);
    Status tellSpace();
    static Step placeStep(const Eigen::Matrix3d& turn, const Eigen::Vector3d& move);
    std::string sizeWords(double factor) const;
    // A quarter turn that makes another axis point up: from which to which.
    std::optional<std::pair<std::string, std::string>> otherUp(const Eigen::Matrix3d& turn) const;
    static double signedDegrees(const Eigen::Matrix3d& turn);
    static std::string axisName(const Eigen::Matrix3d& turn);
    // A transform above it, that is not nothing.
    static bool hasPlace(const ShapeMotion& motion);
    static bool placeIsStill(const ShapeMotion& motion);
    static bool isPlain(const Alignment& how);
    // A's transforms are not in B: its points are A's own ones. Or they are, and went into the points.
    Status tellTransform();
    // Points and faces: their order, their number, their sides.
    Status tellShape();
    // With every face walked the other way round first, its corners stand elsewhere.
    PointOrder flippedOrder(PointOrder order) const;
    // Points of B that are elsewhere than their number says, splits and what is missing left out of account.
    [[nodiscard]] bool numbersDiffer() const;
    [[nodiscard]] std::size_t elsewhere() const;
    static std::size_t piecesAmong(const std::vector<std::uint32_t>& points, const ShapeMotion& of);
    static std::string rangesText(const std::vector<std::uint32_t>& points);
    void tellFaces(const Topology& ofA, const Topology& ofB, bool faces);
    void tellNothingPaired();
    // What is left: the steps themselves are applied, and the result is measured.
    Status tellDrift();
    Status tellRest(double tolerance);
    // How far straight lines between samples may be off, where steps had to take poses between them.
    [[nodiscard]] double straightLines() const;
    // What is left apart from frames that had to be made up.
    struct Rest {
        double rms = 0.0;
        double largest = 0.0;
    };
    [[nodiscard]] Rest restOf(const Drift& drift) const;
    // Points drawn towards their neighbours.
    Result<bool> tellSmoothed(double rms);
    [[nodiscard]] Result<std::optional<Smoothing>> smoothingAfter(const Reconciled& told, double rms) const;
    // Numbers that were rounded to a step of their own.
    Result<bool> tellPrecision(double rms, double largest);
    const ShapeMotion& a_;
    const ShapeMotion& b_;
    const ReconcileSettings& settings_;
    const Progress& progress_;
    Reconciled found_;
    OrderMap map_;
    Reordering reordering_;
    Track trackA_;
    Track trackB_;
    Track localA_;
    Alignment how_;
    std::vector<int> slips_;     // samples of A by which each moment of B is further on
    std::vector<double> stepsB_; // RMS way from each moment of B to the next
    double usualStepB_ = 0.0;
    double stepA_ = 0.0; // of A's samples, usually
    bool movesA_ = false;
    bool movesB_ = false;
    bool dense_ = false; // all samples were read
    bool transformTold_ = false;
    bool withoutPlace_ = false; // A is looked at without what stands above it
    std::size_t each_ = 1;      // moments for which every pose of B stands
};

} // namespace wyc
