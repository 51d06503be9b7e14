// SPDX-License-Identifier: GPL-3.0-or-later
#include "compare/drift.h"

#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <memory>
#include <mutex>
#include <numeric>

#include <Eigen/LU>

#include "base/parallel.h"
#include "base/reused.h"
#include "match/order_map.h"
#include "scene/components/camera.h"
#include "time/sampling.h"

namespace wyc {
namespace {

// Distances by size. Bins are the leading bits of the squares as float32: 32 to each doubling of a distance, without
// a logarithm, which of millions would take longer than all else.
class Sizes {
  public:
    void addSquare(double square) { ++bins_[std::bit_cast<std::uint32_t>(static_cast<float>(square)) >> kShift]; }
    void add(const Sizes& other) {
        for (std::size_t i = 0; i < bins_.size(); ++i)
            bins_[i] += other.bins_[i];
    }
    /// Under which this share of all lies, to a bin.
    [[nodiscard]] double quantile(double share) const {
        const double wanted = share * static_cast<double>(std::accumulate(bins_.begin(), bins_.end(), std::size_t{0}));
        double sum = static_cast<double>(bins_[0]);
        if (sum >= wanted)
            return 0.0;
        for (std::size_t i = 1; i < bins_.size(); ++i)
            if ((sum += static_cast<double>(bins_[i])) >= wanted)
                return edge(i + 1);
        return edge(bins_.size());
    }
    void histogram(double largest, Drift& into) const {
        constexpr std::size_t kBars = 32;
        into.edges.clear();
        into.counts.assign(kBars, 0);
        for (std::size_t i = 0; i <= kBars; ++i)
            into.edges.push_back(largest * static_cast<double>(i) / kBars);
        into.counts[0] = bins_[0];
        for (std::size_t i = 1; i < bins_.size() && largest > 0.0; ++i)
            if (bins_[i] > 0) {
                const double bar = std::sqrt(edge(i) * edge(i + 1)) / largest * kBars;
                into.counts[static_cast<std::size_t>(std::min(bar, kBars - 1.0))] += bins_[i];
            }
    }

  private:
    static constexpr unsigned kShift = 19;
    // Up to infinity, whose exponent is 255.
    static constexpr std::size_t kBins = (0x7F800000U >> kShift) + 1;
    static double edge(std::size_t i) {
        return std::sqrt(
            static_cast<double>(std::bit_cast<float>(static_cast<std::uint32_t>(std::min(i, kBins - 1) << kShift))));
    }
    std::vector<std::size_t> bins_ = std::vector<std::size_t>(kBins, 0); // the first: nothing at all, or next to it
};

// What a camera sees at a moment, as pixels from the middle of its picture.
class Seen {
  public:
    static Result<Seen> at(const Picture& picture, double seconds, double metres) {
        const Scene& scene = *picture.scene;
        WYC_TRY(view, cameraAt(scene, picture.camera, seconds));
        WYC_TRY(placement, placementAt(scene, picture.camera, seconds));
        Seen seen;
        const Eigen::Map<const Eigen::Matrix<double, 4, 4, Eigen::RowMajor>> world(placement.matrix.m.data());
        seen.toCamera_ = world.inverse();
        if (!seen.toCamera_.allFinite())
            return fail(makeError(ErrorKind::BadInput, "its transforms flatten space: it sees nothing")
                            .forItem(scene.nodes[picture.camera].path));
        seen.view_ = view;
        seen.perUnit_ = metres / scene.unitMetres.value_or(1.0);
        seen.half_ = {picture.widthPixels / 2.0, picture.widthPixels / view.aspect() / 2.0};
        return seen;
    }
    // Nothing where neither is in the picture.
    [[nodiscard]] std::optional<double> between(const Eigen::Vector3d& a, const Eigen::Vector3d& b) const {
        const auto here = seenAt(a);
        const auto there = seenAt(b);
        const auto within = [](const auto& at) { return at && std::abs((*at)[0]) <= 1.0 && std::abs((*at)[1]) <= 1.0; };
        if (!within(here) && !within(there))
            return std::nullopt;
        const double across = 2.0 * half_.norm();
        if (!here || !there)
            return across;
        const Eigen::Vector2d off(((*here)[0] - (*there)[0]) * half_[0], ((*here)[1] - (*there)[1]) * half_[1]);
        return std::min(off.norm(), across);
    }

  private:
    [[nodiscard]] std::optional<std::array<double, 2>> seenAt(const Eigen::Vector3d& point) const {
        const Eigen::RowVector4d at =
            Eigen::RowVector4d(point[0] * perUnit_, point[1] * perUnit_, point[2] * perUnit_, 1.0) * toCamera_;
        return view_.project({at[0], at[1], at[2]});
    }
    Eigen::Matrix<double, 4, 4, Eigen::RowMajor> toCamera_;
    CameraView view_;
    double perUnit_ = 1.0; // camera's units in one of A's
    Eigen::Vector2d half_;
};

} // namespace

Result<std::optional<Drift>> driftBetween(const ShapeMotion& a, const ShapeMotion& b,
                                          const std::vector<std::uint32_t>& aOfB, const Progress& progress,
                                          const Picture* picture, double metres) {
    std::vector<std::uint32_t> ofA;
    std::vector<std::uint32_t> ofB;
    for (std::uint32_t p = 0; p < aOfB.size(); ++p)
        if (aOfB[p] != kNone && aOfB[p] < a.points()) {
            ofB.push_back(p);
            ofA.push_back(aOfB[p]);
        }
    // Moments that both have: of B, within A's time.
    const std::vector<double>& timesA = a.times();
    std::vector<double> times;
    for (const double t : b.times())
        if (timesA.size() == 1 || liesWithin(t, timesA.front(), timesA.back()))
            times.push_back(t);
    if (ofB.empty() || times.empty())
        return std::optional<Drift>();
    struct Moment {
        double sum = 0.0;
        double largest = 0.0;
        std::uint32_t worst = 0;
        std::size_t count = 0;
        std::size_t broken = 0;
        std::uint32_t brokenPoint = 0;
    };
    std::vector<Moment> moments(times.size());
    Sizes sizes;
    std::mutex mutex;
    std::size_t done = 0;
    struct Buffers {
        std::vector<Vec3f> a;
        std::vector<Vec3f> b;
    };
    Reused<Buffers> lender;
    WYC_CHECK(parallelFor(times.size(), progress, [&](std::size_t t) -> Status {
        auto buffers = lender.lend();
        Mat4 placeA;
        Mat4 placeB;
        WYC_CHECK(a.readAt(times[t], buffers->a, placeA));
        WYC_CHECK(b.readAt(times[t], buffers->b, placeB));
        const bool plain = placeA.isIdentity() && placeB.isIdentity();
        Sizes own;
        Moment& moment = moments[t];
        std::optional<Seen> seen;
        if (picture) {
            WYC_TRY(view, Seen::at(*picture, times[t], metres));
            seen = view;
        }
        double largest = 0.0; // squared, as all distances until they are told
        const auto count = [&](std::size_t i, double square) {
            own.addSquare(square);
            moment.sum += square;
            ++moment.count;
            if (square > largest) {
                largest = square;
                moment.worst = ofB[i];
            }
        };
        const auto look = [&](std::size_t i) {
            const Vec3d here = transformedPoint(Vec3d(buffers->a[ofA[i]]), placeA);
            const Vec3d there = transformedPoint(Vec3d(buffers->b[ofB[i]]), placeB);
            const Vec3d off = here - there;
            const double square = dot(off, off);
            if (!std::isfinite(square)) { // nowhere in both is no drift
                if (std::isfinite(length(here)) != std::isfinite(length(there)) && moment.broken++ == 0)
                    moment.brokenPoint = ofB[i];
            } else if (!seen) {
                count(i, square);
            } else if (const auto pixels = seen->between({here.x, here.y, here.z}, {there.x, there.y, there.z})) {
                count(i, *pixels * *pixels);
            }
        };
        if (!plain || seen) {
            for (std::size_t i = 0; i < ofB.size(); ++i)
                look(i);
        } else {
            // Block by block: differences first, which processors do several at once.
            constexpr std::size_t kBlock = 1024;
            std::array<double, kBlock> squares{};
            for (std::size_t first = 0; first < ofB.size(); first += kBlock) {
                const std::size_t n = std::min(kBlock, ofB.size() - first);
                const Vec3f* x = buffers->a.data();
                const Vec3f* y = buffers->b.data();
                double sum = 0.0;
                double most = 0.0;
                for (std::size_t k = 0; k < n; ++k) {
                    const Vec3f& p = x[ofA[first + k]];
                    const Vec3f& q = y[ofB[first + k]];
                    const double dx = static_cast<double>(p.x) - static_cast<double>(q.x);
                    const double dy = static_cast<double>(p.y) - static_cast<double>(q.y);
                    const double dz = static_cast<double>(p.z) - static_cast<double>(q.z);
                    squares[k] = dx * dx + dy * dy + dz * dz;
                }
                for (std::size_t k = 0; k < n; ++k) {
                    sum += squares[k];
                    most = std::max(most, squares[k]);
                }
                if (!std::isfinite(sum) || most > largest) {
                    for (std::size_t k = 0; k < n; ++k)
                        if (std::isfinite(squares[k]))
                            count(first + k, squares[k]);
                        else
                            look(first + k);
                    continue;
                }
                moment.sum += sum;
                moment.count += n;
                for (std::size_t k = 0; k < n; ++k)
                    own.addSquare(squares[k]);
            }
        }
        moment.largest = std::sqrt(largest);
        const std::lock_guard lock(mutex);
        sizes.add(own);
        progress.report(static_cast<double>(++done) / static_cast<double>(times.size()), "comparing", b.item().path);
        return {};
    }));
    Drift drift;
    drift.moments = times.size();
    double sum = 0.0;
    std::size_t count = 0;
    drift.worstFrame = snappedFrame(b.rate().frameAt(times.front()));
    for (std::size_t t = 0; t < times.size(); ++t) {
        const Moment& moment = moments[t];
        const double frame = snappedFrame(b.rate().frameAt(times[t]));
        drift.frames.push_back(frame);
        drift.rmsAt.push_back(moment.count > 0 ? std::sqrt(moment.sum / static_cast<double>(moment.count)) : 0.0);
        drift.largestAt.push_back(moment.largest);
        if (moment.broken > 0 && drift.broken == 0) {
            drift.brokenFrame = frame;
            drift.brokenPoint = moment.brokenPoint;
        }
        drift.broken += moment.broken;
        sum += moment.sum;
        count += moment.count;
        if (moment.largest > drift.largest) {
            drift.largest = moment.largest;
            drift.worstFrame = frame;
            drift.worstPoint = moment.worst;
        }
    }
    if (count == 0 && picture)
        return std::optional<Drift>(); // never in the picture
    drift.rms = count > 0 ? std::sqrt(sum / static_cast<double>(count)) : 0.0;
    drift.p99 = std::min(drift.largest, sizes.quantile(0.99));
    sizes.histogram(drift.largest, drift);
    return std::optional(std::move(drift));
}

} // namespace wyc
