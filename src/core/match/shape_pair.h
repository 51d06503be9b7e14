// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Two shapes whose points are to be paired, and what has been read of them.
#include <limits>
#include <vector>

#include "match/alignment.h"
#include "match/shape_motion.h"

namespace wyc {

/// 0, 1, 2 …
[[nodiscard]] std::vector<std::uint32_t> inTurn(std::size_t count);
/// So many of a list, evenly but not in a grid's own step.
[[nodiscard]] std::vector<std::uint32_t> spreadOver(const std::vector<std::uint32_t>& all, std::size_t most);

struct PointPair {
    std::uint32_t a, b;
};

class ShapePair {
  public:
    static Result<ShapePair> of(const ShapeMotion& a, const ShapeMotion& b, const Progress& progress) {
        ShapePair reader(a, b, progress);
        WYC_TRY(extentA, a.extent(progress));
        WYC_TRY(extentB, b.extent(progress));
        // What rests beside what moves has one pose, however often it is stored.
        reader.timesA_ = timesOf(a);
        reader.timesB_ = timesOf(b);
        if (restsBeside(extentB, extentA))
            reader.timesB_.resize(1);
        return reader;
    }
    [[nodiscard]] const ShapeMotion& a() const { return a_; }
    [[nodiscard]] const ShapeMotion& b() const { return b_; }
    [[nodiscard]] const Progress& progress() const { return progress_; }
    [[nodiscard]] const std::vector<double>& timesA() const { return timesA_; }
    [[nodiscard]] const std::vector<double>& timesB() const { return timesB_; }
    /// How a part of the pairs lies over one another.
    [[nodiscard]] Result<Alignment> align(const std::vector<PointPair>& pairs) const {
        WYC_TRY(sample, sampleOf(pairs));
        return alignmentOf(sample.a, sample.b);
    }
    /// Those that a fit is made by.
    [[nodiscard]] Result<SampledPairs> sampleOf(const std::vector<PointPair>& pairs) const {
        SampledPairs sample;
        for (const std::uint32_t i : spreadOver(inTurn(pairs.size()), kSample)) {
            sample.ofA.push_back(pairs[i].a);
            sample.ofB.push_back(pairs[i].b);
        }
        WYC_TRY(trackA, a_.read(&sample.ofA, timesA_, progress_));
        WYC_TRY(trackB, b_.read(&sample.ofB, timesB_, progress_));
        // What is no number somewhere says nothing of the others.
        std::vector<std::uint32_t> finite;
        for (std::uint32_t i = 0; i < sample.ofA.size(); ++i)
            if (trackA.xyz.col(i).allFinite() && trackB.xyz.col(i).allFinite())
                finite.push_back(i);
        if (finite.size() == sample.ofA.size()) {
            sample.a = std::move(trackA);
            sample.b = std::move(trackB);
            return sample;
        }
        sample.a = trackA.columns(finite);
        sample.b = trackB.columns(finite);
        for (std::vector<std::uint32_t>* list : {&sample.ofA, &sample.ofB}) {
            std::vector<std::uint32_t> kept;
            for (const std::uint32_t i : finite)
                kept.push_back((*list)[i]);
            *list = std::move(kept);
        }
        return sample;
    }
    /// How well they may lie over one another, by few points and moments: the score of a plain fit.
    [[nodiscard]] Result<double> roughly(const std::vector<PointPair>& pairs) const {
        constexpr std::size_t kFewPoints = 64;
        constexpr std::size_t kFewMoments = 24;
        std::vector<std::uint32_t> ofA;
        std::vector<std::uint32_t> ofB;
        for (const std::uint32_t i : spreadOver(inTurn(pairs.size()), kFewPoints)) {
            ofA.push_back(pairs[i].a);
            ofB.push_back(pairs[i].b);
        }
        WYC_TRY(trackA, a_.read(&ofA, someOf(timesA_, kFewMoments), progress_));
        WYC_TRY(trackB, b_.read(&ofB, someOf(timesB_, kFewMoments), progress_));
        return roughScoreOf(trackA, trackB);
    }
    [[nodiscard]] std::vector<PointPair> pairsInTurn() const {
        std::vector<PointPair> pairs;
        for (const std::uint32_t p : inTurn(std::min(a_.points(), b_.points())))
            pairs.push_back({p, p});
        return pairs;
    }
    [[nodiscard]] Result<Alignment> alignInTurn() const { return align(pairsInTurn()); }

  private:
    static constexpr std::size_t kSample = 256;  // points by which fits are judged
    static constexpr std::size_t kMoments = 600; // moments at most
    static constexpr std::size_t kPointReads = 200'000'000;
    ShapePair(const ShapeMotion& a, const ShapeMotion& b, const Progress& progress)
        : a_(a), b_(b), progress_(progress) {}
    static std::vector<double> timesOf(const ShapeMotion& motion) {
        const std::size_t most =
            std::clamp<std::size_t>(kPointReads / std::max<std::size_t>(1, motion.points()), 24, kMoments);
        return someOf(motion.times(), most);
    }
    const ShapeMotion& a_;
    const ShapeMotion& b_;
    const Progress& progress_;
    std::vector<double> timesA_;
    std::vector<double> timesB_;
};

/// All points of both at a few moments that belong together, A's moved to where B's are.
class Laid {
  public:
    static Result<Laid> of(const ShapePair& reader, const Alignment& how) {
        Laid laid;
        std::vector<double> timesB;
        for (std::size_t t = 0; t < how.off.size(); ++t)
            if (!std::isnan(how.off[t]) && how.counts[t])
                timesB.push_back(reader.timesB()[t]);
        timesB = someOf(timesB, 4);
        std::vector<double> timesA;
        for (const double t : timesB)
            timesA.push_back(how.timeOfA(t));
        WYC_TRY(a, reader.a().read(nullptr, timesA, reader.progress()));
        WYC_TRY(b, reader.b().read(nullptr, timesB, reader.progress()));
        laid.b_ = std::move(b);
        laid.a_ = std::move(a);
        for (Eigen::Index row = 0; row < laid.a_.xyz.rows(); row += 3)
            laid.a_.xyz.middleRows<3>(row) = how.space.of(laid.a_.xyz.middleRows<3>(row));
        return laid;
    }
    [[nodiscard]] std::size_t moments() const { return b_.moments(); }
    /// Mean square way off over the moments; without any, nothing is near anything.
    [[nodiscard]] double square(std::uint32_t a, std::uint32_t b) const {
        if (moments() == 0)
            return std::numeric_limits<double>::infinity();
        return (a_.xyz.col(static_cast<Eigen::Index>(a)) - b_.xyz.col(static_cast<Eigen::Index>(b))).squaredNorm() /
               static_cast<double>(moments());
    }
    [[nodiscard]] Eigen::Matrix3Xd firstOfA() const {
        return moments() > 0 ? Eigen::Matrix3Xd(a_.xyz.topRows<3>()) : Eigen::Matrix3Xd::Zero(3, a_.xyz.cols());
    }
    [[nodiscard]] Eigen::Vector3d firstOfB(std::uint32_t b) const {
        if (moments() == 0)
            return Eigen::Vector3d::Zero();
        return b_.xyz.col(static_cast<Eigen::Index>(b)).head<3>();
    }

  private:
    Track a_;
    Track b_;
};

} // namespace wyc
