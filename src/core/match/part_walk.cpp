// SPDX-License-Identifier: GPL-3.0-or-later
#include "match/part_walk.h"

#include <algorithm>

namespace wyc {
namespace {

std::vector<std::uint64_t> coloursOf(const MeshGraph& graph, std::size_t part,
                                     const std::vector<std::uint64_t>& colours) {
    std::vector<std::uint64_t> own;
    own.reserve(graph.pointsOf(part).size());
    for (const std::uint32_t p : graph.pointsOf(part))
        own.push_back(colours[p]);
    std::sort(own.begin(), own.end());
    return own;
}

// The colour that the fewest points have, and how many.
std::pair<std::uint64_t, std::size_t> rarest(const std::vector<std::uint64_t>& sorted) {
    std::pair<std::uint64_t, std::size_t> best{0, sorted.size() + 1};
    for (std::size_t i = 0; i < sorted.size();) {
        std::size_t end = i + 1;
        while (end < sorted.size() && sorted[end] == sorted[i])
            ++end;
        if (end - i < best.second)
            best = {sorted[i], end - i};
        i = end;
    }
    return best;
}

} // namespace

PartWalker::PartWalker(const MeshGraph& a, const std::vector<std::uint64_t>& coloursA, const MeshGraph& b,
                       const std::vector<std::uint64_t>& coloursB)
    : a_(a),
      b_(b),
      coloursA_(coloursA),
      coloursB_(coloursB),
      pointOfA_(a.points(), kNone),
      pointOfB_(b.points(), kNone),
      faceOfA_(a.faces(), kNone),
      faceOfB_(b.faces(), kNone) {}

Result<PartWalker::Ways> PartWalker::ways(std::size_t partA, std::size_t partB, std::size_t most,
                                          const Progress& progress) {
    Ways found;
    const auto pointsA = a_.pointsOf(partA);
    if (pointsA.size() != b_.pointsOf(partB).size())
        return found;
    const auto sorted = coloursOf(a_, partA, coloursA_);
    if (sorted != coloursOf(b_, partB, coloursB_))
        return found;
    const std::uint32_t seed = seedOf(partA);
    const std::uint64_t colour = coloursA_[seed];
    const std::uint32_t from = a_.cornersAt(seed).front();
    // Where all points look alike and yet no walk comes through, each of them would be tried: that has an end.
    std::size_t budget = 64 * facesOf(pointsA) + 1'000'000;
    for (const std::uint32_t p : b_.pointsOf(partB)) {
        if (coloursB_[p] != colour)
            continue;
        for (const std::uint32_t to : b_.cornersAt(p)) {
            if (!mayPair({from, to}))
                continue;
            WYC_CHECK(progress.poll());
            const bool whole = walk({from, to}, pointsA.size());
            const std::size_t walked = faces_.size() + 8;
            if (walked > budget) {
                found.all = false;
                forget();
                return found;
            }
            budget -= walked;
            if (whole) {
                if (found.ways.size() == most) {
                    found.all = false;
                    forget();
                    return found;
                }
                PartWay way = wayOf(partA);
                if (std::find(found.ways.begin(), found.ways.end(), way) == found.ways.end())
                    found.ways.push_back(std::move(way));
            }
            forget();
        }
    }
    return found;
}

std::uint32_t PartWalker::seedOf(std::size_t partA) const {
    const auto points = a_.pointsOf(partA);
    const std::uint64_t colour = rarest(coloursOf(a_, partA, coloursA_)).first;
    return *std::find_if(points.begin(), points.end(), [&](std::uint32_t p) { return coloursA_[p] == colour; });
}

PartWay PartWalker::wayOf(std::size_t partA) const {
    PartWay way;
    way.reserve(a_.pointsOf(partA).size());
    for (const std::uint32_t own : a_.pointsOf(partA))
        way.push_back(pointOfA_[own]);
    return way;
}

Result<std::vector<PartWay>> PartWalker::waysTo(std::size_t partA, std::span<const std::uint32_t> points,
                                                const Progress& progress) {
    std::vector<PartWay> found;
    const std::uint32_t seed = seedOf(partA);
    const std::uint32_t from = a_.cornersAt(seed).front();
    for (const std::uint32_t p : points)
        for (const std::uint32_t to : b_.cornersAt(p)) {
            WYC_CHECK(progress.poll());
            if (coloursB_[p] != coloursA_[seed] || !mayPair({from, to}))
                continue;
            if (walk({from, to}, a_.pointsOf(partA).size()))
                found.push_back(wayOf(partA));
            forget();
        }
    return found;
}

std::size_t PartWalker::facesOf(std::span<const std::uint32_t> points) const {
    std::size_t corners = 0;
    for (const std::uint32_t p : points)
        corners += a_.cornersAt(p).size();
    return corners / 3;
}

void PartWalker::forget() {
    for (const std::uint32_t p : points_) {
        pointOfB_[pointOfA_[p]] = kNone;
        pointOfA_[p] = kNone;
    }
    for (const std::uint32_t f : faces_) {
        faceOfB_[faceOfA_[f]] = kNone;
        faceOfA_[f] = kNone;
    }
    points_.clear();
    faces_.clear();
    open_.clear();
}

bool PartWalker::mayPair(Pair corners) const {
    const std::uint32_t size = a_.faceSize(a_.faceOf(corners.a));
    if (b_.faceSize(b_.faceOf(corners.b)) != size)
        return false;
    for (std::uint32_t k = 0; k < size; ++k) {
        const std::uint32_t p = a_.pointOf(corners.a);
        const std::uint32_t q = b_.pointOf(corners.b);
        if (coloursA_[p] != coloursB_[q] || (pointOfA_[p] != kNone && pointOfA_[p] != q) ||
            (pointOfB_[q] != kNone && pointOfB_[q] != p))
            return false;
        corners = {a_.next(corners.a), b_.next(corners.b)};
    }
    return true;
}

bool PartWalker::pairPoint(std::uint32_t a, std::uint32_t b) {
    if (pointOfA_[a] == b && pointOfB_[b] == a)
        return true;
    if (pointOfA_[a] != kNone || pointOfB_[b] != kNone || coloursA_[a] != coloursB_[b])
        return false;
    pointOfA_[a] = b;
    pointOfB_[b] = a;
    points_.push_back(a);
    return true;
}

bool PartWalker::pairFace(Pair corners) {
    const std::uint32_t f = a_.faceOf(corners.a);
    const std::uint32_t g = b_.faceOf(corners.b);
    if (faceOfA_[f] != kNone || faceOfB_[g] != kNone)
        return faceOfA_[f] == g && faceOfB_[g] == f && pointOfA_[a_.pointOf(corners.a)] == b_.pointOf(corners.b);
    if (a_.faceSize(f) != b_.faceSize(g))
        return false;
    faceOfA_[f] = g;
    faceOfB_[g] = f;
    faces_.push_back(f);
    open_.push_back(corners);
    for (std::uint32_t k = a_.faceSize(f); k > 0; --k) {
        if (!pairPoint(a_.pointOf(corners.a), b_.pointOf(corners.b)))
            return false;
        corners = {a_.next(corners.a), b_.next(corners.b)};
    }
    return true;
}

// All faces that can be reached across edges with one other side.
bool PartWalker::drain() {
    while (!open_.empty()) {
        Pair at = open_.back();
        open_.pop_back();
        const std::uint32_t size = a_.faceSize(a_.faceOf(at.a));
        for (std::uint32_t k = 0; k < size; ++k) {
            const std::uint32_t x = a_.beyond(at.a);
            const std::uint32_t y = b_.beyond(at.b);
            const bool across = x < MeshGraph::kLargest;
            if (across != (y < MeshGraph::kLargest) || (!across && x != y))
                return false;
            if (across && !pairFace({x, y}))
                return false;
            at = {a_.next(at.a), b_.next(at.b)};
        }
    }
    return true;
}

// Faces that hang on by a point, or by an edge of several: the first that looks the same.
bool PartWalker::goOnAcross(std::uint32_t point) {
    for (const std::uint32_t corner : a_.cornersAt(point)) {
        if (faceOfA_[a_.faceOf(corner)] != kNone)
            continue;
        bool found = false;
        for (const std::uint32_t other : b_.cornersAt(pointOfA_[point]))
            if (faceOfB_[b_.faceOf(other)] == kNone && mayPair({corner, other})) {
                found = pairFace({corner, other}) && drain();
                break;
            }
        if (!found)
            return false;
    }
    return true;
}

bool PartWalker::walk(Pair from, std::size_t points) {
    if (!pairFace(from) || !drain())
        return false;
    for (std::size_t i = 0; i < points_.size(); ++i)
        if (!goOnAcross(points_[i]))
            return false;
    return points_.size() == points;
}

} // namespace wyc
