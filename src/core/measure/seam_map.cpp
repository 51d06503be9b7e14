// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/seam_map.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <optional>
#include <unordered_map>

#include <Eigen/Core>
#include <fmt/format.h>

#include "base/parallel.h"
#include "base/text.h"
#include "scene/rigid_fit.h"

namespace wyc {
namespace {

constexpr std::size_t kBlockBytes = 96ULL << 20; // of points of all frames at a time
constexpr Eigen::Index kTile = 64;
constexpr std::size_t kSketchRun = 64; // points in a row, of a sketch

using Block = Eigen::MatrixXf; // a column a frame: x, y, z of point after point

// Stretches of points to look at.
struct Stretch {
    std::size_t first = 0;
    std::size_t count = 0;
};

std::vector<Stretch> stretchesOf(std::size_t points, std::size_t frames, std::size_t sketch) {
    std::vector<Stretch> result;
    if (sketch > 0 && sketch < points) {
        const std::size_t runs = std::max<std::size_t>(1, sketch / kSketchRun);
        for (std::size_t k = 0; k < runs; ++k) {
            const std::size_t first = k * (points - kSketchRun) / std::max<std::size_t>(1, runs - 1);
            result.push_back({std::min(first, points - std::min(points, kSketchRun)), std::min(kSketchRun, points)});
        }
        return result;
    }
    const std::size_t most = std::max<std::size_t>(256, kBlockBytes / (frames * sizeof(Vec3f)));
    for (std::size_t first = 0; first < points; first += most)
        result.push_back({first, std::min(most, points - first)});
    return result;
}

// The points of an item at its frames, in world space and metres.
class Frames {
  public:
    static Result<Frames> of(const MovingItem& item, const std::vector<double>& times, const Progress& progress) {
        Frames frames(item, times);
        const Geometry& shape = frames.shape();
        for (const double t : times) {
            WYC_TRY(placement, placementAt(*item.scene, item.node, t));
            frames.places_.push_back(placement.matrix);
        }
        WYC_TRY(count, shape.pointCountAt(times.front()));
        frames.count_ = count;
        bool varies = false;
        std::unordered_map<std::uint64_t, std::size_t> held; // in how many frames an id is there
        if (shape.topologyVaries()) {
            for (const double t : times) {
                WYC_CHECK(progress.poll());
                WYC_TRY(here, shape.pointCountAt(t));
                varies = varies || here != count;
                WYC_TRY(ids, shape.idsAt(t));
                if (ids)
                    for (const std::uint64_t id : *ids)
                        ++held[id];
            }
        }
        std::erase_if(held, [&](const auto& entry) { return entry.second < times.size(); });
        if (!held.empty()) { // points that are there all the time
            for (const auto& [id, n] : held)
                frames.ids_.push_back(id);
            std::sort(frames.ids_.begin(), frames.ids_.end());
            frames.count_ = frames.ids_.size();
        } else if (varies) {
            return fail(makeError(ErrorKind::BadInput, "its points change in number, and none is there all the time")
                            .forItem(frames.node().path)
                            .withAdvice("Choose a shorter range, or items whose points stay"));
        }
        return frames;
    }
    [[nodiscard]] std::size_t points() const { return count_; }
    [[nodiscard]] Status read(std::size_t frame, const Stretch& stretch, float* into) const {
        const Geometry& shape = this->shape();
        std::vector<Vec3f> points(stretch.count);
        if (ids_.empty()) {
            WYC_CHECK(shape.readAt(times_[frame], stretch.first, points));
        } else {
            WYC_TRY(ids, shape.idsAt(times_[frame]));
            std::vector<Vec3f> all(ids->size());
            WYC_CHECK(shape.readAt(times_[frame], 0, all));
            std::unordered_map<std::uint64_t, std::size_t> places;
            for (std::size_t i = 0; i < ids->size(); ++i)
                places.emplace((*ids)[i], i);
            for (std::size_t i = 0; i < stretch.count; ++i)
                points[i] = all[places.at(ids_[stretch.first + i])];
        }
        const Mat4& place = places_[frame];
        const bool placed = !place.isIdentity();
        const auto metres = static_cast<float>(item_.metres);
        for (std::size_t i = 0; i < stretch.count; ++i) {
            Vec3f p = points[i];
            if (placed) {
                const Vec3d world = transformedPoint(Vec3d(p), place);
                p = {static_cast<float>(world.x), static_cast<float>(world.y), static_cast<float>(world.z)};
            }
            if (!isFinite(p))
                return fail(
                    makeError(ErrorKind::BadInput,
                              fmt::format("point {} is no number at frame {}", stretch.first + i,
                                          frameText(snappedFrame(item_.scene->workingRate.frameAt(times_[frame])))))
                        .forItem(node().path)
                        .withAdvice("Drop that frame, or mend the points first"));
            into[3 * i] = p.x * metres;
            into[3 * i + 1] = p.y * metres;
            into[3 * i + 2] = p.z * metres;
        }
        return {};
    }

  private:
    Frames(const MovingItem& item, const std::vector<double>& times) : item_(item), times_(times) {}
    [[nodiscard]] const Node& node() const { return item_.scene->nodes[item_.node]; }
    [[nodiscard]] const Geometry& shape() const { return *node().geometry; }
    MovingItem item_;
    std::vector<double> times_;
    std::vector<Mat4> places_;
    std::size_t count_ = 0;
    std::vector<std::uint64_t> ids_; // of the points that count, where they go by ids
};

// A rigid move for every frame that brings it onto the first.
struct Travel {
    std::vector<Eigen::Vector3d> middle;
    std::vector<Eigen::Matrix3d> turn;
};

Status readBlock(const Frames& frames, const Stretch& stretch, const Progress& progress, Block& block) {
    return parallelFor(static_cast<std::size_t>(block.cols()), progress, [&](std::size_t f) {
        return frames.read(f, stretch, block.col(static_cast<Eigen::Index>(f)).data());
    });
}

Result<Travel> travelOf(const Frames& frames, const std::vector<Stretch>& stretches, std::size_t count,
                        const Progress& progress) {
    Travel travel;
    travel.middle.assign(count, Eigen::Vector3d::Zero());
    std::vector<Eigen::Matrix3d> products(count, Eigen::Matrix3d::Zero());
    double points = 0.0;
    for (const Stretch& stretch : stretches) {
        Block block(static_cast<Eigen::Index>(3 * stretch.count), static_cast<Eigen::Index>(count));
        WYC_CHECK(readBlock(frames, stretch, progress, block));
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

void takeOut(const Travel& travel, Block& block) {
    for (Eigen::Index f = 0; f < block.cols(); ++f) {
        Eigen::Map<Eigen::Matrix3Xf> points(block.col(f).data(), 3, block.rows() / 3);
        const auto at = static_cast<std::size_t>(f);
        const Eigen::Matrix3Xd turned = travel.turn[at] * (points.cast<double>().colwise() - travel.middle[at]);
        points = turned.cast<float>();
    }
}

// Adds the products of all pairs of columns, tile by tile.
Status addProducts(const Block& block, const Progress& progress, Eigen::MatrixXd& sums) {
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

// Whole frames that all items have.
Result<std::vector<double>> commonTimes(const std::vector<MovingItem>& items) {
    std::optional<TimeSpan> span;
    for (const MovingItem& item : items) {
        const Node& node = item.scene->nodes[item.node];
        if (!node.geometry)
            return fail(makeError(ErrorKind::BadInput, "it has no points to look at").forItem(node.path));
        if (item.scene->workingRate != items.front().scene->workingRate)
            return fail(
                makeError(ErrorKind::BadInput, fmt::format("items of {} and {} frames a second do not go together",
                                                           items.front().scene->workingRate.shortText(),
                                                           item.scene->workingRate.shortText()))
                    .forItem(node.path)
                    .withAdvice("Resample one of them first"));
        const auto own = movingSpan(*item.scene, item.node);
        if (!own)
            return fail(makeError(ErrorKind::BadInput, "it does not move")
                            .forItem(node.path)
                            .withAdvice("Choose an item that moves"));
        span = span ? TimeSpan{std::max(span->first, own->first), std::min(span->last, own->last)} : *own;
    }
    const FrameRate rate = items.front().scene->workingRate;
    std::vector<double> times =
        span->last >= span->first ? wholeFrames(span->first, span->last, rate) : std::vector<double>();
    if (times.size() < 4)
        return fail(makeError(ErrorKind::BadInput, fmt::format("{} frame{} to look at: it takes four or more",
                                                               times.size(), times.size() == 1 ? "" : "s"))
                        .withAdvice("Choose a longer range"));
    return times;
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
    SeamMap map;
    const FrameRate rate = items.front().scene->workingRate;
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
        std::nth_element(steps.begin(), steps.begin() + static_cast<std::ptrdiff_t>(steps.size() / 2), steps.end());
        return steps[steps.size() / 2];
    };
    for (std::size_t k = 0; k < items.size(); ++k) {
        const double share = 1.0 / static_cast<double>(items.size());
        const Progress part = progress.part(static_cast<double>(k) * share, static_cast<double>(k + 1) * share);
        WYC_TRY(frames, Frames::of(items[k], times, part));
        const auto stretches = stretchesOf(frames.points(), n, settings.sketchPoints);
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
            Block block(static_cast<Eigen::Index>(3 * stretches[s].count), static_cast<Eigen::Index>(n));
            WYC_CHECK(readBlock(frames, stretches[s], part, block));
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
    std::nth_element(steps.begin(), steps.begin() + static_cast<std::ptrdiff_t>(steps.size() / 2), steps.end());
    map.usualStep_ = steps[steps.size() / 2];
    for (std::size_t i = 0; i < n; ++i)
        for (std::size_t j = i + 1; j < n; ++j)
            map.largest_ = std::max(map.largest_, map.distance(i, j));
    return map;
}

} // namespace wyc
