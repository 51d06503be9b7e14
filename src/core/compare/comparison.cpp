// SPDX-License-Identifier: GPL-3.0-or-later
#include "compare/comparison.h"

#include <algorithm>
#include <cmath>
#include <tuple>

#include <fmt/format.h>
#include <fmt/ranges.h>

#include "base/text.h"
#include "compare/drift.h"
#include "match/order_map.h"
#include "match/reorder.h"
#include "scene/scene_tree.h"

namespace wyc {

using nlohmann::json;

bool Comparison::withinTolerance() const {
    return onlyA.empty() && onlyB.empty() && !(pairs.empty() && others.empty()) &&
           std::all_of(others.begin(), others.end(), [](const OtherPair& pair) { return pair.same; }) &&
           std::all_of(pairs.begin(), pairs.end(),
                       [](const ComparedPair& pair) { return !pair.error && pair.found.withinTolerance; });
}

std::string Comparison::text() const {
    std::string text;
    if (pairs.size() == 1) {
        text = pairs.front().error ? pairs.front().error->text() : pairs.front().found.text;
    } else if (!pairs.empty()) {
        std::size_t same = 0;
        for (const ComparedPair& pair : pairs)
            same += !pair.error && pair.found.withinTolerance;
        text = fmt::format("{} of {} items are alike", same, pairs.size());
    }
    for (const OtherPair& other : others)
        if (!other.same)
            text += fmt::format("{}{}: {}", text.empty() ? "" : "; ", other.b, other.text);
    if (text.empty())
        text = "B is A";
    const auto alone = [](const std::vector<std::string>& paths) {
        return paths.size() == 1 ? paths.front() : fmt::format("{} items", paths.size());
    };
    if (!onlyA.empty())
        text += fmt::format("; {} {} only in A", alone(onlyA), onlyA.size() == 1 ? "is" : "are");
    if (!onlyB.empty())
        text += fmt::format("; {} {} only in B", alone(onlyB), onlyB.size() == 1 ? "is" : "are");
    return text;
}

namespace {

// The items at these nodes as one mesh, with nothing else.
Result<std::pair<std::shared_ptr<const Scene>, std::size_t>> asOneMesh(const Scene& scene,
                                                                       const std::vector<std::size_t>& nodes) {
    std::vector<std::string> paths;
    for (const std::size_t node : nodes)
        paths.push_back(scene.nodes[node].path);
    WYC_TRY(chosen, selectedItems(scene, paths));
    if (nodes.size() > 1) {
        WYC_TRY(merged, applySteps(chosen, {Step{"merge"}}));
        chosen = std::move(merged);
    }
    for (std::size_t i = 0; i < chosen.nodes.size(); ++i)
        if (chosen.nodes[i].geometry && chosen.nodes[i].is().faces)
            return std::pair(std::make_shared<const Scene>(std::move(chosen)), i);
    return fail(makeError(ErrorKind::BadInput, "no mesh is there to compare"));
}

std::string namesOf(const Scene& scene, const std::vector<std::size_t>& nodes) {
    std::vector<std::string> names;
    for (const std::size_t node : nodes)
        names.push_back(scene.nodes[node].name);
    return firstNames(names);
}

// Runs the comparison of one pair; an error stands with it.
Status findOut(ComparedPair& pair, const ReconcileSettings& settings, const Progress& progress) {
    auto found = reconcile(pair.a, pair.nodeA, pair.b, pair.nodeB, settings, progress);
    if (found) {
        pair.found = std::move(*found);
        return {};
    }
    if (found.error().kind == ErrorKind::Cancelled)
        return fail(std::move(found.error()));
    pair.found.a = pair.a->nodes[pair.nodeA].path;
    pair.found.b = pair.b->nodes[pair.nodeB].path;
    pair.error = std::move(found.error());
    return {};
}

void tellBesides(Reconciled& found, Cause cause) {
    found.text = found.withinTolerance ? "B is A, " + cause.text : cause.text + "; " + found.text;
    found.withinTolerance = false;
    found.causes.push_back(std::move(cause));
}

Result<ComparedPair> joinedPair(const Scene& a, const Scene& b, const ItemPairs::Joined& joined,
                                const ReconcileSettings& settings, const Progress& progress) {
    ComparedPair pair;
    pair.joined = true;
    WYC_TRY(ofA, asOneMesh(a, joined.a));
    WYC_TRY(ofB, asOneMesh(b, joined.b));
    std::tie(pair.a, pair.nodeA) = ofA;
    std::tie(pair.b, pair.nodeB) = ofB;
    WYC_CHECK(findOut(pair, settings, progress));
    if (pair.error)
        return pair;
    const bool merged = joined.b.size() == 1;
    pair.found.a = merged ? namesOf(a, joined.a) : a.nodes[joined.a.front()].path;
    pair.found.b = merged ? b.nodes[joined.b.front()].path : namesOf(b, joined.b);
    const std::size_t count = merged ? joined.a.size() : joined.b.size();
    tellBesides(pair.found,
                {merged ? "merged" : "parted",
                 static_cast<double>(count),
                 "items",
                 0.97,
                 merged ? fmt::format("{} items became one", count) : fmt::format("one item became {}", count),
                 merged ? pair.found.a : pair.found.b,
                 {},
                 {}});
    return pair;
}

} // namespace

Result<Comparison> compare(const Scene& a, const Scene& b, const ReconcileSettings& settings, const Progress& progress,
                           const std::vector<std::pair<std::string, std::string>>& pairs) {
    Comparison result;
    result.toleranceMetres = settings.toleranceMetres;
    const ItemPairs items = pairedItems(a, b, pairs);
    for (const std::size_t node : items.onlyA)
        result.onlyA.push_back(a.nodes[node].path);
    for (const std::size_t node : items.onlyB)
        result.onlyB.push_back(b.nodes[node].path);
    WYC_TRY(others, comparedOthers(a, b, settings.toleranceMetres));
    result.others = std::move(others.pairs);
    result.onlyA.insert(result.onlyA.end(), others.onlyA.begin(), others.onlyA.end());
    result.onlyB.insert(result.onlyB.end(), others.onlyB.begin(), others.onlyB.end());
    const std::size_t count = items.pairs.size() + items.joined.size();
    if (count == 0 && result.others.empty())
        return fail(makeError(ErrorKind::BadInput, "no item of the one could be told in the other")
                        .withAdvice("Say which belong together with --pair A=B, or give sources that show the same"));
    const SceneTree treeA(a);
    const SceneTree treeB(b);
    const double share = 1.0 / static_cast<double>(std::max<std::size_t>(1, count));
    double done = 0.0;
    const auto next = [&] {
        const Progress part = progress.part(done, done + share);
        done += share;
        return part;
    };
    for (const auto& [nodeA, nodeB] : items.pairs) {
        const Progress part = next();
        part.report(0.0, "comparing", a.nodes[nodeA].path);
        ComparedPair pair;
        WYC_TRY(branchA, branchOf(a, treeA, nodeA));
        WYC_TRY(branchB, branchOf(b, treeB, nodeB));
        pair.a = std::make_shared<const Scene>(std::move(branchA));
        pair.b = std::make_shared<const Scene>(std::move(branchB));
        pair.nodeA = pair.a->find(a.nodes[nodeA].id).value_or(0);
        pair.nodeB = pair.b->find(b.nodes[nodeB].id).value_or(0);
        WYC_CHECK(findOut(pair, settings, part));
        const bool byContent =
            std::find(items.byContent.begin(), items.byContent.end(), nodeA) != items.byContent.end();
        if (byContent && !pair.error)
            tellBesides(pair.found, {"renamed",
                                     1.0,
                                     "items",
                                     0.95,
                                     fmt::format("'{}' is called '{}'", a.nodes[nodeA].name, b.nodes[nodeB].name),
                                     "by what it shows: its name says another of the same faces",
                                     {},
                                     {}});
        result.pairs.push_back(std::move(pair));
    }
    for (const ItemPairs::Joined& joined : items.joined) {
        WYC_TRY(pair, joinedPair(a, b, joined, settings, next()));
        result.pairs.push_back(std::move(pair));
    }
    if (!result.pairs.empty() && result.others.empty() &&
        std::all_of(result.pairs.begin(), result.pairs.end(),
                    [](const ComparedPair& p) { return p.error.has_value(); }))
        return fail(*result.pairs.front().error);
    return result;
}

Status measureInPicture(Comparison& comparison, const Picture& picture, const Progress& progress) {
    comparison.camera = picture.scene->nodes[picture.camera].path;
    comparison.pictureWidth = picture.widthPixels;
    const double share = 1.0 / static_cast<double>(std::max<std::size_t>(1, comparison.pairs.size()));
    double done = 0.0;
    for (ComparedPair& pair : comparison.pairs) {
        if (!pair.error && pair.found.order.aOfB) {
            std::vector<char> chosen;
            for (const Cause& cause : pair.found.causes)
                chosen.push_back(!cause.isGuess());
            WYC_TRY(drift, picturedDrift(pair.found, pair.a, pair.nodeA, pair.b, pair.nodeB, chosen, picture,
                                         progress.part(done, done + share)));
            pair.pictured = std::move(drift);
        }
        done += share;
    }
    return {};
}

std::optional<std::vector<Step>> undoOfAll(const Comparison& comparison) {
    std::optional<std::vector<Step>> common;
    std::vector<Step> orders;
    for (const ComparedPair& pair : comparison.pairs) {
        if (pair.error)
            continue;
        std::vector<Step> own;
        for (const Step& step : pair.found.undo())
            if (renumbers(step))
                orders.push_back(step);
            else
                own.push_back(step);
        if (common && *common != own)
            return std::nullopt;
        common = std::move(own);
    }
    std::vector<Step> steps = common.value_or(std::vector<Step>());
    steps.insert(steps.end(), orders.begin(), orders.end());
    return steps;
}

Result<PointOrder> pointOrderOf(const ComparedPair& pair) {
    const OrderFacts& facts = pair.found.order;
    if (facts.by == "none" || !facts.aOfB)
        return fail(makeError(ErrorKind::BadInput, "no point of B could be told in A"));
    WYC_TRY(topologyA, pair.a->nodes[pair.nodeA].geometry->topology(0));
    WYC_TRY(topologyB, pair.b->nodes[pair.nodeB].geometry->topology(0));
    OrderMap map;
    map.aOfB = *facts.aOfB;
    map.bOfA = *facts.bOfA;
    map.split = facts.split;
    map.welded = facts.welded;
    return reorderingOf(map, *topologyA, *topologyB).order;
}

Result<std::optional<PointOrder>> takingOrderOf(const ComparedPair& pair) {
    const OrderFacts& facts = pair.found.order;
    if (facts.by == "none" || !facts.aOfB)
        return fail(makeError(ErrorKind::BadInput, "no point of B could be told in A"));
    if (!facts.unmatchedB.empty())
        return fail(makeError(ErrorKind::BadInput,
                              fmt::format("{} points of B have none in A", groupedDigits(facts.unmatchedB.size())))
                        .withAdvice("Split the mesh, and take points for the part that A has"));
    const std::vector<std::uint32_t>& aOfB = *facts.aOfB;
    bool same = aOfB.size() == facts.bOfA->size();
    for (std::uint32_t p = 0; p < aOfB.size() && same; ++p)
        same = aOfB[p] == p;
    if (same)
        return std::optional<PointOrder>();
    WYC_TRY(topologyA, pair.a->nodes[pair.nodeA].geometry->topology(0));
    WYC_TRY(topologyB, pair.b->nodes[pair.nodeB].geometry->topology(0));
    OrderMap map; // seen from B
    map.aOfB = *facts.bOfA;
    map.bOfA = *facts.aOfB;
    map.split = facts.welded;
    map.welded = facts.split;
    return std::optional(reorderingOf(map, *topologyB, *topologyA).order);
}

namespace {

json toJson(const std::optional<Drift>& drift, const char* unit = "of A") {
    if (!drift)
        return nullptr;
    return {{"rms", drift->rms},
            {"p99", drift->p99},
            {"max", drift->largest},
            {"unit", unit},
            {"worst_frame", drift->worstFrame},
            {"worst_point", drift->worstPoint},
            {"moments", drift->moments}};
}

json toJson(const Cause& cause) {
    json steps = json::array();
    for (const Step& step : cause.undo)
        steps.push_back({{"type", step.type}, {"options", step.options}});
    json made{{"id", cause.id},
              {"figure", cause.figure},
              {"unit", cause.unit},
              {"confidence", std::round(cause.confidence * 100.0) / 100.0},
              {"text", cause.text},
              {"evidence", cause.evidence},
              {"step", steps.empty() ? json(nullptr) : steps.front()},
              {"steps", steps},
              {"instead", json::array()}};
    for (const std::vector<Cause>& others : cause.instead) {
        json list = json::array();
        for (const Cause& other : others)
            list.push_back(toJson(other));
        made["instead"].push_back(std::move(list));
    }
    return made;
}

} // namespace

json toJson(const Comparison& comparison) {
    json pairs = json::array();
    for (const ComparedPair& pair : comparison.pairs) {
        const Reconciled& found = pair.found;
        if (pair.error) {
            pairs.push_back({{"a", found.a}, {"b", found.b}, {"error", pair.error->text()}});
            continue;
        }
        json causes = json::array();
        for (const Cause& cause : found.causes)
            causes.push_back(toJson(cause));
        pairs.push_back({{"a", found.a},
                         {"b", found.b},
                         {"text", found.text},
                         {"within_tolerance", found.withinTolerance},
                         {"drift_is", measuredAs(pair)},
                         {"order",
                          {{"same", found.order.same},
                           {"by", found.order.by},
                           {"certain", found.order.certain},
                           {"ambiguous", found.order.ambiguous},
                           {"unmatched_a", found.order.unmatchedA.size()},
                           {"unmatched_b", found.order.unmatchedB.size()}}},
                         {"causes", causes},
                         {"drift", toJson(found.drift)},
                         {"drift_undone", toJson(found.undone)}});
        if (pair.pictured)
            pairs.back()["pixels"] = {{"camera", comparison.camera},
                                      {"width", comparison.pictureWidth},
                                      {"drift", toJson(pair.pictured->drift, "pixels")},
                                      {"drift_undone", toJson(pair.pictured->undone, "pixels")}};
    }
    json others = json::array();
    for (const OtherPair& other : comparison.others)
        others.push_back({{"a", other.a}, {"b", other.b}, {"same", other.same}, {"text", other.text}});
    return {{"a", comparison.a},
            {"b", comparison.b},
            {"others", others},
            {"tolerance_metres", comparison.toleranceMetres},
            {"within_tolerance", comparison.withinTolerance()},
            {"text", comparison.text()},
            {"pairs", pairs},
            {"only_a", comparison.onlyA},
            {"only_b", comparison.onlyB}};
}

std::string measuredAs(const ComparedPair& pair) {
    const OrderFacts& order = pair.found.order;
    const bool counted = order.aOfB && order.bOfA && order.aOfB->size() != order.bOfA->size();
    return std::string(pair.stepsB.empty() ? "as it came" : "after its steps") + (order.same || !pair.found.drift ? ""
                                                                                  : counted ? ", points matched"
                                                                                            : ", by number");
}

Result<PointDrift> pointDrift(const ComparedPair& pair, double frame, bool undone) {
    const std::vector<Step> steps = undone ? pair.found.undo() : std::vector<Step>();
    WYC_TRY(made, applySteps(*pair.b, steps));
    const auto b = std::make_shared<const Scene>(std::move(made));
    WYC_TRY(motionA, ShapeMotion::of(pair.a, pair.nodeA));
    WYC_TRY(motionB, ShapeMotion::of(b, b->find(pair.b->nodes[pair.nodeB].id).value_or(pair.nodeB)));
    const std::vector<std::uint32_t> aOfB = pointsAfter(pair.found, steps, motionA.points(), motionB.points());
    const std::vector<double> time{motionB.rate().secondsAt(frame)};
    WYC_TRY(x, motionA.read(nullptr, time, Progress()));
    WYC_TRY(y, motionB.read(nullptr, time, Progress()));
    PointDrift drift;
    for (std::size_t p = 0; p < motionB.points() && p < aOfB.size(); ++p) {
        if (aOfB[p] == kNone)
            continue;
        const auto here = y.xyz.col(static_cast<Eigen::Index>(p));
        drift.places.push_back({static_cast<float>(here[0]), static_cast<float>(here[1]), static_cast<float>(here[2])});
        drift.off.push_back(
            static_cast<float>((here - x.xyz.col(static_cast<Eigen::Index>(aOfB[p]))).norm() * pair.found.metres));
    }
    return drift;
}

} // namespace wyc
