// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/seam_map.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <optional>

#include <Eigen/Core>
#include <fmt/format.h>

#include "base/middle.h"
#include "base/parallel.h"
#include "base/text.h"
#include "maths/rigid_fit.h"
#include "measure/motion_frames.h"

namespace wyc {
namespace {

constexpr Eigen::Index kTile = 64;
constexpr std::size_t kMostFrames = 4000; // 128 MB of products

// A rigid move for every frame that brings it onto the first.
struct Travel {
    std::vector<Eigen::Vector3d> middle;
    std::vector<Eigen::Matrix3d> turn;
};

Result<Travel> travelOf(const MotionFrames& frames, const std::vector<PointStretch>& stretches, std::size_t count,
                        const Progress& progress) {
    Travel travel;
    travel.middle.assign(count, Eigen::Vector3d::Zero());
    std::vector<Eigen::Matrix3d> products(count, Eigen::Matrix3d::Zero());
    double points = 0.0;
    for (const PointStretch& stretch : stretches) {
        WYC_TRY(block, frames.read(stretch, progress));
        points += static_cast<double>(stretch.count);
        const Eigen::Map<const Eigen::Matrix3Xf> first(block.col(0).data(), 3,
                                                       static_cast<Eigen::Index>(stretch.count));
        const Eigen::Matrix3Xd base = first.cast<double>();
        WYC_CHECK(parallelFor(count, progress, [&](std::size_t f) -> Status {
            const Eigen::Map<const Eigen::Matrix3Xf> here(block.col(static_cast<Eigen::Index>(f)).data(), 3,
                                                          static_cast<Eigen::Index>(stretch.count));
            const Eigen::Matrix3Xd there = here.cast<double>();
            travel.middle[f] += there.rowwise().sum();
            products[f] += there * base.transpose();
            return {};
        }));
    }
    for (Eigen::Vector3d& middle : travel.middle)
        middle /= points;
    for (std::size_t f = 0; f < count; ++f) {
        const Eigen::Matrix3d covariance = products[f] - points * travel.middle[f] * travel.middle[0].transpose();
        travel.turn.push_back(bestTurn(covariance));
    }
    return travel;
}

void takeOut(const Travel& travel, FrameBlock& block) {
    for (Eigen::Index f = 0; f < block.cols(); ++f) {
        Eigen::Map<Eigen::Matrix3Xf> points(block.col(f).data(), 3, block.rows() / 3);
        const auto at = static_cast<std::size_t>(f);
        const Eigen::Matrix3Xd turned = travel.turn[at] * (points.cast<double>().colwise() - travel.middle[at]);
        points = turned.cast<float>();
    }
}

// Adds the products of all pairs of columns, tile by tile.
Status addProducts(const FrameBlock& block, const Progress& progress, Eigen::MatrixXd& sums) {
    const Eigen::Index frames = block.cols();
    std::vector<std::pair<Eigen::Index, Eigen::Index>> tiles;
    for (Eigen::Index i = 0; i < frames; i += kTile)
        for (Eigen::Index j = i; j < frames; j += kTile)
            tiles.emplace_back(i, j);
    return parallelFor(tiles.size(), progress, [&](std::size_t t) -> Status {
        const auto [i, j] = tiles[t];
        const Eigen::Index rows = std::min(kTile, frames - i);
        const Eigen::Index columns = std::min(kTile, frames - j);
        const Eigen::MatrixXf product = block.middleCols(i, rows).transpose() * block.middleCols(j, columns);
        sums.block(i, j, rows, columns) += product.cast<double>();
        return {};
    });
}

} // namespace

double SeamMap::distance(std::size_t i, std::size_t j) const {
    const std::size_t n = count();
    return std::sqrt(std::max(0.0, products_[i * n + i] + products_[j * n + j] - 2.0 * products_[i * n + j]));
}

double SeamMap::velocityGap(std::size_t i, std::size_t j) const {
    // |(X_a − X_b) / p − (X_c − X_d) / q|² in products of frames.
    const std::size_t n = count();
    const auto ends = [&](std::size_t k) {
        const std::size_t before = k == 0 ? 0 : k - 1;
        const std::size_t after = std::min(n - 1, k + 1);
        return std::pair{before, after};
    };
    const auto [b, a] = ends(i);
    const auto [d, c] = ends(j);
    const double p = static_cast<double>(a - b) * frameSeconds_;
    const double q = static_cast<double>(c - d) * frameSeconds_;
    const std::array<std::pair<std::size_t, double>, 4> parts{
        {{a, 1.0 / p}, {b, -1.0 / p}, {c, -1.0 / q}, {d, 1.0 / q}}};
    double sum = 0.0;
    for (const auto& [x, u] : parts)
        for (const auto& [y, v] : parts)
            sum += u * v * products_[x * n + y];
    return std::sqrt(std::max(0.0, sum));
}

Result<SeamMap> seamMapOf(const std::vector<MovingItem>& items, const SeamMapSettings& settings,
                          const Progress& progress) {
    if (items.empty())
        return fail(makeError(ErrorKind::BadInput, "no item is chosen"));
    WYC_TRY(times, commonTimes(items));
    if (times.size() > kMostFrames)
        return fail(makeError(ErrorKind::BadInput, fmt::format("{} frames: all pairs of more than {} are not compared",
                                                               groupedDigits(times.size()), groupedDigits(kMostFrames)))
                        .withAdvice("Choose a shorter range"));
    SeamMap map;
    const FrameRate rate = items.front().scene->view.rate;
    for (const double t : times)
        map.frames_.push_back(snappedFrame(rate.frameAt(t)));
    map.frameSeconds_ = rate.secondsAt(1.0);
    const std::size_t n = times.size();
    map.products_.assign(n * n, 0.0);
    map.inSteps_ = items.size() > 1;
    const auto stepOf = [n](const Eigen::MatrixXd& products) {
        std::vector<double> steps;
        for (std::size_t f = 1; f < n; ++f) {
            const auto i = static_cast<Eigen::Index>(f);
            steps.push_back(
                std::sqrt(std::max(0.0, products(i, i) + products(i - 1, i - 1) - 2.0 * products(i - 1, i))));
        }
        return middleOf(std::move(steps));
    };
    for (std::size_t k = 0; k < items.size(); ++k) {
        const double share = 1.0 / static_cast<double>(items.size());
        const Progress part = progress.part(static_cast<double>(k) * share, static_cast<double>(k + 1) * share);
        WYC_TRY(frames, MotionFrames::of(items[k], times, part));
        const auto stretches = frames.stretches(settings.sketchPoints);
        map.ofAllPoints_ = map.ofAllPoints_ && (settings.sketchPoints == 0 || settings.sketchPoints >= frames.points());
        std::optional<Travel> travel;
        if (settings.inPlace) {
            WYC_TRY(found, travelOf(frames, stretches, n, part.part(0.0, 0.4)));
            travel = std::move(found);
        }
        Eigen::MatrixXd sums = Eigen::MatrixXd::Zero(static_cast<Eigen::Index>(n), static_cast<Eigen::Index>(n));
        double points = 0.0;
        for (std::size_t s = 0; s < stretches.size(); ++s) {
            part.part(travel ? 0.4 : 0.0, 1.0)
                .report(static_cast<double>(s) / static_cast<double>(stretches.size()), "comparing frames", "");
            WYC_TRY(block, frames.read(stretches[s], part));
            if (travel)
                takeOut(*travel, block);
            // Differences of frames do not change, and small numbers lose less.
            const Eigen::VectorXf middle = block.rowwise().mean();
            block.colwise() -= middle;
            WYC_CHECK(addProducts(block, part, sums));
            points += static_cast<double>(stretches[s].count);
        }
        sums /= std::max(1.0, points);
        const double step = stepOf(sums);
        if (!(step > 0.0) && items.size() > 1)
            return fail(makeError(ErrorKind::BadInput, "it rests in most frames")
                            .forItem(items[k].scene->nodes[items[k].node].path)
                            .withAdvice("Leave it out of the search"));
        const double weight = items.size() > 1 ? share / (step * step) : 1.0;
        for (std::size_t i = 0; i < n; ++i)
            for (std::size_t j = i; j < n; ++j) {
                const double value = weight * sums(static_cast<Eigen::Index>(i), static_cast<Eigen::Index>(j));
                map.products_[i * n + j] += value;
                if (i != j)
                    map.products_[j * n + i] += value;
            }
    }
    std::vector<double> steps;
    for (std::size_t f = 1; f < n; ++f)
        steps.push_back(map.distance(f - 1, f));
    map.usualStep_ = middleOf(std::move(steps));
    for (std::size_t i = 0; i < n; ++i)
        for (std::size_t j = i + 1; j < n; ++j)
            map.largest_ = std::max(map.largest_, map.distance(i, j));
    if (!(map.largest_ > 0.0))
        return fail(doesNotMove(items.front()));
    return map;
}

} // namespace wyc
