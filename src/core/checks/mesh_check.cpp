// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include <fmt/format.h>

#include "base/text.h"
#include "checks/motion_parts.h"

namespace wyc {
namespace {

void checkFinite(const MeasuredItem& item, std::vector<Finding>& findings) {
    std::vector<std::size_t> samples;
    for (const NonFinite& bad : item.profile->nonFinite)
        samples.push_back(bad.sample);
    for (const NonFinite& bad : item.profile->nonFinite) {
        const auto [first, last] = runAround(samples, bad.sample);
        const std::string more =
            bad.countInSample > 1 ? fmt::format(", and {} more in this frame", bad.countInSample - 1) : "";
        const std::string byte = bad.byte ? fmt::format(" (byte {})", *bad.byte) : "";
        findings.push_back({"points.not_finite", Severity::Fault, item.label, item.frameAt(bad.sample),
                            static_cast<double>(bad.countInSample), "points",
                            fmt::format("{} of point {} is no finite number{}{}", bad.axis, bad.point, byte, more),
                            "Bake it again, or fill the frame from its neighbours", "Fill from neighbours",
                            filledFromNeighbours(item, first, last), 1, momentsOf(item, first, last)});
    }
}

void checkCounts(const MeasuredItem& item, std::vector<Finding>& findings) {
    const MotionProfile& profile = *item.profile;
    // Particles are born and die: changing counts are their nature.
    if (item.at().is().cloud || profile.count() < 2)
        return;
    std::map<std::size_t, std::size_t> counts;
    for (std::size_t i = 0; i < profile.count(); ++i)
        if (std::none_of(profile.unreadable.begin(), profile.unreadable.end(),
                         [&](const auto& u) { return u.sample == i; }))
            ++counts[profile.pointCounts[i]];
    if (counts.size() > 1) {
        const auto usual = std::max_element(counts.begin(), counts.end(), [](const auto& a, const auto& b) {
                               return a.second < b.second;
                           })->first;
        const auto odd = static_cast<std::size_t>(std::find_if(profile.pointCounts.begin(), profile.pointCounts.end(),
                                                               [&](std::size_t c) { return c != usual; }) -
                                                  profile.pointCounts.begin());
        const std::size_t oddCount = profile.pointCounts[odd];
        // One count up to a frame and another from there on: that frame is where to look.
        const auto change =
            static_cast<std::size_t>(std::find_if(profile.pointCounts.begin(), profile.pointCounts.end(),
                                                  [&](std::size_t c) { return c != profile.pointCounts.front(); }) -
                                     profile.pointCounts.begin());
        const bool once =
            counts.size() == 2 && profile.unreadable.empty() && change > 1 && change + 1 < profile.count() &&
            std::all_of(profile.pointCounts.begin() + static_cast<std::ptrdiff_t>(change), profile.pointCounts.end(),
                        [&](std::size_t c) { return c == profile.pointCounts.back(); });
        if (once) {
            findings.push_back(
                {"points.count_changes",
                 Severity::Fault,
                 item.label,
                 item.frameAt(change),
                 static_cast<double>(profile.pointCounts.back()),
                 "points",
                 fmt::format("{} points up to {}, {} from {} on", groupedDigits(profile.pointCounts.front()),
                             frameText(item.frameAt(change - 1)), groupedDigits(profile.pointCounts.back()),
                             frameText(item.frameAt(change))),
                 "Export all frames again with one mesh",
                 {},
                 {}});
            return;
        }
        // A few frames apart from the rest is a fault; a mesh that changes throughout is made that way.
        const bool throughout = counts.size() > 2 && counts[usual] * 2 < profile.count();
        findings.push_back({"points.count_changes",
                            throughout ? Severity::Note : Severity::Fault,
                            item.label,
                            item.frameAt(odd),
                            static_cast<double>(oddCount),
                            "points",
                            throughout ? fmt::format("The number of points changes: {} different counts", counts.size())
                                       : fmt::format("{} points in this frame, {} in the others",
                                                     groupedDigits(oddCount), groupedDigits(usual)),
                            throughout ? "Choose a format that carries it"
                                       : "Export this frame again: one number of points for all frames",
                            {},
                            {}});
        return;
    }
    const std::set<std::uint64_t> orders(profile.topologies.begin(), profile.topologies.end());
    if (orders.size() > 1 && profile.unreadable.empty()) {
        const auto odd =
            static_cast<std::size_t>(std::find_if(profile.topologies.begin(), profile.topologies.end(),
                                                  [&](std::uint64_t t) { return t != profile.topologies[0]; }) -
                                     profile.topologies.begin());
        findings.push_back({"order.changes",
                            Severity::Fault,
                            item.label,
                            item.frameAt(odd),
                            static_cast<double>(orders.size()),
                            "orders",
                            "The faces use the points in another order from this frame on",
                            "Export all frames with one vertex order",
                            {},
                            {}});
    }
}

void checkFaces(const MeasuredItem& item, std::vector<Finding>& findings) {
    const Geometry& geometry = *item.at().geometry;
    const auto topology = geometry.topology(0);
    const auto points = geometry.pointCount(0);
    if (!topology || !points)
        return;
    std::set<std::size_t> samples{0};
    if (geometry.topologyVaries())
        for (std::size_t i = 1; i < item.profile->count(); ++i)
            if (item.profile->topologies[i] != item.profile->topologies[i - 1] ||
                item.profile->pointCounts[i] != item.profile->pointCounts[i - 1])
                samples.insert(i);
    for (const std::size_t sample : samples) {
        const auto faces = geometry.topology(sample);
        const auto count = geometry.pointCount(sample);
        if (!faces || !count)
            continue;
        if (!(*faces)->fits(*count)) {
            const auto& corners = (*faces)->corners();
            const auto bad = std::find_if(corners.begin(), corners.end(), [&](std::int32_t c) {
                return c < 0 || static_cast<std::size_t>(c) >= *count;
            });
            findings.push_back(
                {"faces.out_of_range",
                 Severity::Fault,
                 item.label,
                 item.frameAt(std::min(sample, item.profile->count() - 1)),
                 static_cast<double>(*bad),
                 "point",
                 fmt::format("Corner {} refers to point {} of {}", bad - corners.begin(),
                             groupedDigits(static_cast<std::uint64_t>(std::max(0, *bad))), groupedDigits(*count)),
                 "Export the mesh again; it cannot be drawn or written as it is",
                 {},
                 {}});
            return;
        }
        std::size_t degenerate = 0;
        std::size_t first = 0;
        std::size_t at = 0;
        std::vector<std::int32_t> sorted;
        for (std::size_t f = 0; f < (*faces)->faceCount(); ++f) {
            const auto size = static_cast<std::size_t>((*faces)->faceSizes()[f]);
            sorted.assign((*faces)->corners().begin() + static_cast<std::ptrdiff_t>(at),
                          (*faces)->corners().begin() + static_cast<std::ptrdiff_t>(at + size));
            std::sort(sorted.begin(), sorted.end());
            const bool repeats = std::adjacent_find(sorted.begin(), sorted.end()) != sorted.end();
            if ((size < 3 || repeats) && degenerate++ == 0)
                first = f;
            at += size;
        }
        if (degenerate > 0) {
            findings.push_back({"faces.degenerate",
                                Severity::Caution,
                                item.label,
                                {},
                                static_cast<double>(degenerate),
                                "faces",
                                fmt::format("{} face{} fewer than 3 different corners, the first is face {}",
                                            degenerate, degenerate == 1 ? " has" : "s have", first),
                                "Some receivers refuse or drop such faces: clean the mesh where it was made",
                                {},
                                {}});
            return;
        }
    }
}

void checkOrigin(const MeasuredItem& item, std::vector<Finding>& findings) {
    const Bounds& extent = item.profile->extent;
    if (extent.isEmpty())
        return;
    const double farthest = std::max({std::abs(extent.low.x), std::abs(extent.low.y), std::abs(extent.low.z),
                                      std::abs(extent.high.x), std::abs(extent.high.y), std::abs(extent.high.z)});
    const double size = extent.diagonal();
    const float f = static_cast<float>(farthest);
    const double spacing = static_cast<double>(std::nextafter(f, std::numeric_limits<float>::infinity()) - f);
    // Precision matters when it is coarse against the thing itself and against what an eye could see (0.1
    // mm).
    const double metres = item.metresPerUnit();
    if (spacing * metres > 1e-4 && spacing > size * 1e-5)
        findings.push_back(
            {"points.far_from_origin",
             Severity::Caution,
             item.label,
             {},
             spacing * metres * 1000.0,
             "mm",
             fmt::format("It lies {} from the origin: float32 points cannot be finer than {} there",
                         item.unitMetres ? lengthText(farthest * metres) : fmt::format("{:.3g} units", farthest),
                         lengthText(spacing * metres)),
             "Bring it nearer the origin and keep the way in a transform",
             {},
             {}});
}

} // namespace

void checkMesh(const CheckInput& input, std::vector<Finding>& findings) {
    for (const MeasuredItem& item : input.items) {
        if (!item.profile || !item.at().geometry || item.profile->count() == 0)
            continue;
        checkFinite(item, findings);
        checkCounts(item, findings);
        checkFaces(item, findings);
        checkOrigin(item, findings);
    }
}

} // namespace wyc
