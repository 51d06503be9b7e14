// SPDX-License-Identifier: GPL-3.0-or-later
// Causes in points and faces: their order, their number, their sides.
#include <algorithm>
#include <map>

#include "compare/reconcile_engine.h"
#include "scene/mix.h"
#include "time/sampling.h"

namespace wyc {

Status ReconcileEngine::tellShape() {
    const Topology& ofA = *a_.topology();
    const Topology& ofB = *b_.topology();
    const bool faces = ofA.faceCount() > 0 && ofB.faceCount() > 0;
    if (map_.same() && ofA.hash() == ofB.hash())
        reordering_.facesAlike = ofA.faceCount(); // nothing is to be put in order
    else
        reordering_ = reorderingOf(map_, ofA, ofB);
    const std::size_t paired = pairs().size();
    if (paired == 0) {
        tellNothingPaired();
        return {};
    }
    const double fit = map_.alignment && map_.alignment->relative() < 0.05 ? 0.99 : 0.8;
    const double certain =
        std::min(fit, 0.5 + 0.49 * static_cast<double>(map_.certain()) / static_cast<double>(paired));
    const double sure = map_.by == OrderMap::By::Connectivity && !map_.alignment ? 0.6 : certain;
    const std::vector<std::uint32_t>& lostA = found_.order.unmatchedA;
    const std::vector<std::uint32_t>& moreB = found_.order.unmatchedB;
    const auto missing = [&](const std::vector<std::uint32_t>& points, const ShapeMotion& of, const char* id,
                             const char* words) {
        if (points.empty())
            return;
        const std::size_t pieces = piecesAmong(points, of);
        add(id, static_cast<double>(std::max<std::size_t>(1, pieces)), pieces > 0 ? "pieces" : "points", sure,
            pieces > 0 ? fmt::format("{} {}", counted(pieces, "piece"), words)
                       : fmt::format("{} {}", counted(points.size(), "point"), words),
            fmt::format("{}: {}", counted(points.size(), "point"), rangesText(points)));
    };
    const bool shuffledOrder = numbersDiffer();
    const bool flipped =
        faces && reordering_.facesAlike > 0 && reordering_.facesTurned * 10 > reordering_.facesAlike * 9;
    if (flipped)
        add("winding", static_cast<double>(reordering_.facesTurned), "faces", 0.98, "its faces run the other way round",
            fmt::format("{} of {}", groupedDigits(reordering_.facesTurned), groupedDigits(reordering_.facesAlike)),
            {{"flip", nlohmann::json::object(), true}});
    else if (faces && reordering_.facesTurned > 0)
        add("winding", static_cast<double>(reordering_.facesTurned), "faces", 0.97,
            fmt::format("{} {} the other way round", counted(reordering_.facesTurned, "face"),
                        reordering_.facesTurned == 1 ? "runs" : "run"),
            fmt::format("of {}", groupedDigits(reordering_.facesAlike)));
    // One step for all that is about numbers, with whatever is told first.
    std::vector<Step> reorder;
    const bool numbers = shuffledOrder || map_.split > 0 || map_.welded > 0;
    if (numbers) {
        PointOrder order = reordering_.order;
        if (flipped)
            order = flippedOrder(order);
        reorder = {{"reorder", {{"order", order.text()}}, true}};
    }
    const auto undoOnce = [&] { return std::exchange(reorder, {}); };
    const std::string by =
        fmt::format("by {}: {} certain{}", orderWayName(map_.by), groupedDigits(map_.certain()),
                    map_.unsure.empty() ? "" : fmt::format(", {} not", groupedDigits(map_.unsure.size())));
    if (map_.split > 0)
        add("split", static_cast<double>(map_.split), "points", sure,
            fmt::format("split at {}", counted(map_.split, "point")), by, undoOnce());
    if (map_.welded > 0)
        add("welded", static_cast<double>(map_.welded), "points", sure,
            fmt::format("{} welded", counted(map_.welded, "point")), by, undoOnce());
    if (shuffledOrder) {
        add("order", static_cast<double>(elsewhere()), "points", sure,
            fmt::format("{} in another order", counted(elsewhere(), "point")), by, undoOnce());
        // Of what is symmetric another order goes with another turn, and with another way through time.
        for (Cause& cause : found_.causes)
            if (sure <= kOneOfSeveral && cause.confidence > kOneOfSeveral &&
                (cause.id == "placement" || cause.id == "axis" || cause.id == "mirror" || cause.id == "reversed" ||
                 cause.id == "retimed")) {
                cause.confidence = kOneOfSeveral;
                cause.evidence += "; its points are alike, and in another order of them it may be another";
            }
    }
    missing(lostA, a_, "missing_pieces", "missing");
    missing(moreB, b_, "extra_pieces", "more");
    tellFaces(ofA, ofB, faces);
    return {};
}

PointOrder ReconcileEngine::flippedOrder(PointOrder order) const {
    std::size_t at = 0;
    const Topology& ofB = *b_.topology();
    order.topologyBefore = 0; // it is for the faces as they are then
    for (const std::uint32_t f : order.faces) {
        const auto size = static_cast<std::uint32_t>(ofB.faceSizes()[f]);
        // Position k of the flipped face is position (size − k) of the old one.
        std::vector<std::uint32_t> turns(size);
        std::vector<std::uint32_t> corners(size);
        const std::uint32_t first = order.turns[at];
        for (std::uint32_t k = 0; k < size; ++k) {
            turns[k] = ((size - first) % size + k) % size;
            if (!order.corners.empty())
                corners[k] = order.corners[at + (size - k) % size];
        }
        for (std::uint32_t k = 0; k < size; ++k) {
            order.turns[at + k] = turns[k];
            if (!order.corners.empty())
                order.corners[at + k] = corners[k];
        }
        at += size;
    }
    return order;
}

bool ReconcileEngine::numbersDiffer() const {
    std::uint32_t last = 0;
    bool any = false;
    if (map_.split > 0 || map_.welded > 0) {
        // Of those that came first: in A's order?
        std::vector<char> seen(map_.bOfA.size(), 0);
        for (const std::uint32_t p : map_.aOfB) {
            if (p == kNone || seen[p])
                continue;
            seen[p] = 1;
            if (any && p < last)
                return true;
            last = p;
            any = true;
        }
        return false;
    }
    for (const std::uint32_t p : map_.aOfB) {
        if (p == kNone)
            continue;
        if (any && p < last)
            return true;
        last = p;
        any = true;
    }
    return false;
}

std::size_t ReconcileEngine::elsewhere() const {
    std::size_t n = 0;
    std::uint32_t place = 0;
    std::vector<std::uint32_t> sorted;
    for (const std::uint32_t p : map_.aOfB)
        if (p != kNone)
            sorted.push_back(p);
    std::sort(sorted.begin(), sorted.end());
    for (const std::uint32_t p : map_.aOfB)
        if (p != kNone)
            n += p != sorted[place++];
    return n;
}

std::size_t ReconcileEngine::piecesAmong(const std::vector<std::uint32_t>& points, const ShapeMotion& of) {
    const std::vector<std::uint32_t> pieceOf = piecesOfPoints(*of.topology(), of.points());
    std::map<std::uint32_t, std::size_t> all;
    for (const std::uint32_t piece : pieceOf)
        ++all[piece];
    std::map<std::uint32_t, std::size_t> here;
    for (const std::uint32_t p : points)
        ++here[pieceOf[p]];
    std::size_t whole = 0;
    std::size_t counted = 0;
    for (const auto& [piece, n] : here)
        if (n == all[piece] && n > 1) {
            ++whole;
            counted += n;
        }
    return counted == points.size() ? whole : 0;
}

std::string ReconcileEngine::rangesText(const std::vector<std::uint32_t>& points) {
    std::string text = runsText(points);
    if (text.size() > 60)
        text = text.substr(0, text.rfind(',', 56)) + " …";
    return text;
}

void ReconcileEngine::tellFaces(const Topology& ofA, const Topology& ofB, bool faces) {
    if (!faces || reordering_.facesAlike >= std::max(ofA.faceCount(), ofB.faceCount()))
        return;
    std::size_t triangles = 0;
    for (const std::int32_t size : ofA.faceSizes())
        triangles += static_cast<std::size_t>(std::max(0, size - 2));
    const bool all = std::all_of(ofB.faceSizes().begin(), ofB.faceSizes().end(), [](int n) { return n == 3; });
    if (!(all && triangles == ofB.faceCount() && triangles > ofA.faceCount())) {
        // Pieces that are missing or more take their faces along; anything beyond them is another mesh.
        const auto own = [&](const Topology& topology, const std::vector<std::uint32_t>& lost) {
            std::vector<char> gone(std::max(a_.points(), b_.points()), 0);
            for (const std::uint32_t p : lost)
                gone[p] = 1;
            std::size_t left = 0;
            std::size_t at = 0;
            for (const std::int32_t size : topology.faceSizes()) {
                bool whole = true;
                for (std::int32_t k = 0; k < size; ++k)
                    whole =
                        whole && !gone[static_cast<std::size_t>(topology.corners()[at + static_cast<std::size_t>(k)])];
                left += whole;
                at += static_cast<std::size_t>(size);
            }
            return left;
        };
        const std::size_t mostA = own(ofA, found_.order.unmatchedA);
        const std::size_t mostB = own(ofB, found_.order.unmatchedB);
        const std::size_t alike = std::min(reordering_.facesAlike, std::max(mostA, mostB));
        const std::size_t others = std::max(mostA, mostB) - alike;
        if (others > 0 && alike == std::min(mostA, mostB) && alike > 0)
            add(mostA > mostB ? "missing_faces" : "extra_faces", static_cast<double>(others), "faces", 0.97,
                fmt::format("{} {}", counted(others, "face"), mostA > mostB ? "missing" : "more"),
                fmt::format("{} alike, of {} and {}", groupedDigits(reordering_.facesAlike),
                            groupedDigits(ofA.faceCount()), groupedDigits(ofB.faceCount())));
        else if (others > 0)
            add("faces", static_cast<double>(others), "faces", 0.97,
                fmt::format("{} between other points", counted(others, "face")),
                fmt::format("{} alike, of {} and {}", groupedDigits(reordering_.facesAlike),
                            groupedDigits(ofA.faceCount()), groupedDigits(ofB.faceCount())));
    } else
        add("triangulated", static_cast<double>(ofB.faceCount()), "faces", 0.97, "its faces were made triangles",
            fmt::format("{} instead of {}", groupedDigits(ofB.faceCount()), groupedDigits(ofA.faceCount())));
}

void ReconcileEngine::tellNothingPaired() {
    const Topology& ofA = *a_.topology();
    const Topology& ofB = *b_.topology();
    // Every edge and every face has become a point, every corner a face.
    std::vector<std::pair<std::int32_t, std::int32_t>> edges;
    std::size_t corner = 0;
    for (const std::int32_t size : ofA.faceSizes()) {
        for (std::int32_t k = 0; k < size; ++k) {
            const std::int32_t p = ofA.corners()[corner + static_cast<std::size_t>(k)];
            const std::int32_t q = ofA.corners()[corner + static_cast<std::size_t>((k + 1) % size)];
            edges.emplace_back(std::min(p, q), std::max(p, q));
        }
        corner += static_cast<std::size_t>(size);
    }
    std::sort(edges.begin(), edges.end());
    edges.erase(std::unique(edges.begin(), edges.end()), edges.end());
    if (ofA.faceCount() > 0 && ofB.faceCount() == ofA.cornerCount() &&
        b_.points() == a_.points() + edges.size() + ofA.faceCount())
        add("subdivided", 1.0, "levels", 0.9, "every face was parted into several",
            fmt::format("{} points, as many as A has points, edges and faces", groupedDigits(b_.points())));
}

Result<std::optional<Smoothing>> ReconcileEngine::smoothingAfter(const Reconciled& told, double rms) const {
    constexpr std::size_t kMoments = 6;
    std::optional<Smoothing> none;
    WYC_TRY(undone, undoneOf(told, sureOnes(told), b_.sharedScene(), b_.node()));
    WYC_TRY(motion, ShapeMotion::of(undone.scene, undone.node));
    std::vector<std::uint32_t> ofB(a_.points(), kNone);
    for (std::uint32_t p = 0; p < undone.aOfB.size(); ++p)
        if (undone.aOfB[p] < ofB.size())
            ofB[undone.aOfB[p]] = p;
    if (std::find(ofB.begin(), ofB.end(), kNone) != ofB.end())
        return none;
    std::vector<double> times;
    for (const double t : someOf(motion.times(), kMoments))
        if (a_.times().size() == 1 || liesWithin(t, a_.times().front(), a_.times().back()))
            times.push_back(t);
    // Where most is left first: what moved it otherwise is mostly seen there.
    if (found_.undone) {
        const Drift& left = *found_.undone;
        const auto leftAt = [&](double t) {
            const double frame = b_.rate().frameAt(t);
            const auto at = std::lower_bound(left.frames.begin(), left.frames.end(), frame - kFrameTolerance);
            return at == left.frames.end() ? 0.0 : left.rmsAt[static_cast<std::size_t>(at - left.frames.begin())];
        };
        std::stable_sort(times.begin(), times.end(), [&](double x, double y) { return leftAt(x) > leftAt(y); });
    }
    SmoothingFit fit(*a_.topology(), a_.points());
    const auto placesOf = [](const Track& track) {
        std::vector<Vec3d> places;
        for (Eigen::Index p = 0; p < track.xyz.cols(); ++p)
            places.push_back({track.xyz(0, p), track.xyz(1, p), track.xyz(2, p)});
        return places;
    };
    for (const double t : times) {
        WYC_TRY(before, a_.read(nullptr, {t}, progress_));
        WYC_TRY(after, motion.read(&ofB, {t}, progress_));
        if (!fit.add(placesOf(before), placesOf(after)))
            return none;
        // What moved it otherwise is seen in one moment.
        constexpr double kNothingLike = 0.5;
        if (const auto here = fit.ofLast(); here && here->moved > rms && here->left > kNothingLike * here->moved)
            return none;
    }
    return fit.ofAll();
}

Result<bool> ReconcileEngine::tellSmoothed(double rms) {
    constexpr std::size_t kMostPoints = 3'000'000;
    if (a_.topology()->faceCount() == 0 || a_.points() > kMostPoints || !found_.order.unmatchedA.empty() ||
        a_.times().empty())
        return false;
    // Smoothing shrinks: a size that is a little less, a small move and a part of a frame may be nothing else.
    Reconciled plain = found_;
    std::erase_if(plain.causes, [](const Cause& cause) {
        return cause.id == "placement" || (cause.id == "unit" && cause.figure > 0.5 && cause.figure <= 1.0 / 0.97);
    });
    for (Cause& cause : plain.causes)
        if (cause.id == "unit") {
            if (const auto known = knownSize(cause.figure, 0.03)) {
                cause.figure = *known;
                cause.text = sizeWords(*known);
                cause.evidence = "ratio as units differ, but for what smoothing takes of it";
                cause.undo = {{"scale", {{"factor", 1.0 / *known}}, true}};
            }
        } else if (cause.id == "offset" && cause.undo.size() == 1 && std::round(cause.figure) != 0.0) {
            cause.figure = std::round(cause.figure);
            cause.text = offsetText(cause.figure);
            nlohmann::json& frames = cause.undo.front().options["frames"];
            frames = std::round(frames.get<double>());
        }
    const bool differ = plain.undo() != found_.undo();
    for (Reconciled* told : {&plain, &found_}) {
        if (told == &found_ && !differ)
            break;
        WYC_TRY(smoothing, smoothingAfter(*told, rms));
        // One and the same drawing for all points and moments has to explain nearly all.
        if (!smoothing || !(smoothing->share > 0.01) || smoothing->left > 0.08 * smoothing->moved ||
            smoothing->moved < 0.5 * rms || smoothing->left > 0.2 * rms)
            continue;
        if (told == &plain) {
            WYC_TRY(undone, driftAfter(plain, sureOnes(plain), a_.sharedScene(), a_.node(), b_.sharedScene(), b_.node(),
                                       progress_));
            found_.causes = std::move(plain.causes);
            found_.undone = std::move(undone);
        }
        add("smoothed", smoothing->moved * found_.metres * 1000.0, "mm",
            smoothing->left < 0.02 * smoothing->moved ? 0.97 : 0.85,
            "smoothed: its points were drawn towards their neighbours",
            fmt::format("by {} (RMS); {} of that is left unexplained", lengthText(smoothing->moved * found_.metres),
                        lengthText(smoothing->left * found_.metres)));
        return true;
    }
    return false;
}

} // namespace wyc
