// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/motion_frames.h"

#include <algorithm>
#include <cmath>
#include <optional>
#include <unordered_map>

#include <fmt/format.h>

#include "base/parallel.h"
#include "base/text.h"

namespace wyc {
namespace {

constexpr std::size_t kBlockBytes = 96ULL << 20; // of points of all frames at a time
constexpr std::size_t kSketchRun = 64;           // points in a row, of a sketch

} // namespace

Error doesNotMove(const MovingItem& item) {
    return makeError(ErrorKind::BadInput, "it does not move")
        .forItem(item.scene->nodes[item.node].path)
        .withAdvice("Choose an item that moves");
}

Result<std::vector<double>> commonTimes(const std::vector<MovingItem>& items) {
    std::optional<TimeSpan> span;
    for (const MovingItem& item : items) {
        const Node& node = item.scene->nodes[item.node];
        if (!node.geometry)
            return fail(makeError(ErrorKind::BadInput, "it has no points to look at").forItem(node.path));
        if (item.scene->view.rate != items.front().scene->view.rate)
            return fail(
                makeError(ErrorKind::BadInput,
                          fmt::format("items of {} and {} frames a second do not go together",
                                      items.front().scene->view.rate.shortText(), item.scene->view.rate.shortText()))
                    .forItem(node.path)
                    .withAdvice("Resample one of them first"));
        const auto own = movingSpan(*item.scene, item.node);
        if (!own)
            return fail(doesNotMove(item));
        span = span ? TimeSpan{std::max(span->first, own->first), std::min(span->last, own->last)} : *own;
    }
    const FrameRate rate = items.front().scene->view.rate;
    std::vector<double> times =
        span->last >= span->first ? wholeFrames(span->first, span->last, rate) : std::vector<double>();
    if (times.size() < 4)
        return fail(makeError(ErrorKind::BadInput, fmt::format("{} frame{} to look at: it takes four or more",
                                                               times.size(), times.size() == 1 ? "" : "s"))
                        .withAdvice("Choose a longer range"));
    return times;
}

std::vector<PointStretch> MotionFrames::stretches(std::size_t sketch) const {
    std::vector<PointStretch> result;
    const std::size_t points = count_;
    const std::size_t frames = times_.size();
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

Result<MotionFrames> MotionFrames::of(const MovingItem& item, const std::vector<double>& times,
                                      const Progress& progress) {
    MotionFrames frames(item, times);
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

Status MotionFrames::readFrame(std::size_t frame, const PointStretch& stretch, float* into) const {
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
            return fail(makeError(ErrorKind::BadInput,
                                  fmt::format("point {} is no number at frame {}", stretch.first + i,
                                              frameText(snappedFrame(item_.scene->view.rate.frameAt(times_[frame])))))
                            .forItem(node().path)
                            .withAdvice("Drop that frame, or mend the points first"));
        into[3 * i] = p.x * metres;
        into[3 * i + 1] = p.y * metres;
        into[3 * i + 2] = p.z * metres;
    }
    return {};
}

Result<FrameBlock> MotionFrames::read(const PointStretch& stretch, const Progress& progress) const {
    FrameBlock block(static_cast<Eigen::Index>(3 * stretch.count), static_cast<Eigen::Index>(times_.size()));
    WYC_CHECK(parallelFor(times_.size(), progress, [&](std::size_t f) {
        return readFrame(f, stretch, block.col(static_cast<Eigen::Index>(f)).data());
    }));
    return block;
}

} // namespace wyc
