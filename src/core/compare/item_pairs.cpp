// SPDX-License-Identifier: GPL-3.0-or-later
// Which shape of one scene is which of another.
#include <algorithm>
#include <functional>
#include <map>
#include <optional>
#include <tuple>

#include "compare/reconcile.h"
#include "match/shape_pair.h"

namespace wyc {
namespace {

// A few points of an item at a few moments; nothing where they cannot be read.
std::optional<Track> fewPointsOf(const std::shared_ptr<const Scene>& scene, std::size_t node) {
    constexpr std::size_t kPoints = 64;
    constexpr std::size_t kMoments = 24;
    const auto motion = ShapeMotion::of(scene, node);
    if (!motion)
        return std::nullopt;
    const std::vector<std::uint32_t> some = spreadOver(inTurn(motion->points()), kPoints);
    auto track = motion->read(&some, someOf(motion->times(), kMoments), Progress());
    if (!track || !track->xyz.allFinite())
        return std::nullopt;
    return std::move(*track);
}

// Names may lie: among items with as many points and the same faces each goes to the one that it is most plainly, if
// it is far more so than by name.
void byWhatTheyShow(const Scene& a, const Scene& b, std::size_t said, ItemPairs& items) {
    constexpr std::size_t kMostAlike = 24;
    constexpr double kFarMore = 0.7;
    constexpr double kIsIt = -2.0; // what fits to a thousandth, whatever three things are claimed
    const auto sharedA = std::make_shared<const Scene>(a);
    const auto sharedB = std::make_shared<const Scene>(b);
    std::map<std::pair<std::uint64_t, std::size_t>, std::vector<std::size_t>> groups; // of pairs
    for (std::size_t i = said; i < items.pairs.size(); ++i) {                         // what a person said stays
        const Geometry& of = *a.nodes[items.pairs[i].first].geometry;
        const Geometry& other = *b.nodes[items.pairs[i].second].geometry;
        const auto faces = of.topology(0);
        const auto others = other.topology(0);
        const auto points = of.pointCount(0);
        // Of shuffled ones numbers tell nothing.
        if (faces && others && points && (*faces)->hash() == (*others)->hash() &&
            *points == other.pointCount(0).value_or(0))
            groups[{(*faces)->hash(), *points}].push_back(i);
    }
    for (const auto& [look, members] : groups) {
        if (members.size() < 2 || members.size() > kMostAlike)
            continue;
        const std::size_t n = members.size();
        std::vector<std::optional<Track>> ofA;
        std::vector<std::optional<Track>> ofB;
        for (const std::size_t member : members) {
            ofA.push_back(fewPointsOf(sharedA, items.pairs[member].first));
            ofB.push_back(fewPointsOf(sharedB, items.pairs[member].second));
        }
        constexpr double kNone = 100.0;
        std::vector<double> unlike(n * n, kNone); // how plainly one is the other: less is plainer
        for (std::size_t i = 0; i < n; ++i)
            for (std::size_t k = 0; k < n; ++k)
                if (ofA[i] && ofB[k])
                    unlike[i * n + k] = std::min(kNone, roughScoreOf(*ofA[i], *ofB[k]));
        // What fits, the plainest first; a name is worth something.
        std::vector<std::tuple<double, std::size_t, std::size_t>> fitting;
        for (std::size_t i = 0; i < n; ++i)
            for (std::size_t k = 0; k < n; ++k)
                if (unlike[i * n + k] < kIsIt)
                    fitting.emplace_back(unlike[i * n + k] - (i == k ? kFarMore : 0.0), i, k);
        std::sort(fitting.begin(), fitting.end());
        constexpr std::size_t kNobody = ~std::size_t{0};
        std::vector<std::size_t> to(n, kNobody);
        std::vector<char> taken(n, 0);
        for (const auto& [score, i, k] : fitting)
            if (to[i] == kNobody && !taken[k]) {
                to[i] = k;
                taken[k] = 1;
            }
        std::vector<std::size_t> nodesOfB;
        for (const std::size_t member : members)
            nodesOfB.push_back(items.pairs[member].second);
        for (std::size_t i = 0; i < n; ++i)
            if (to[i] != i && to[i] != kNobody)
                items.byContent.push_back(items.pairs[members[i]].first);
        // The others keep their names, or take what is left.
        for (const bool byName : {true, false})
            for (std::size_t i = 0; i < n; ++i) {
                if (to[i] != kNobody || (byName && taken[i]))
                    continue;
                to[i] = byName ? i : static_cast<std::size_t>(std::find(taken.begin(), taken.end(), 0) - taken.begin());
                taken[to[i]] = 1;
            }
        for (std::size_t i = 0; i < n; ++i)
            items.pairs[members[i]].second = nodesOfB[to[i]];
    }
}

} // namespace

ItemPairs pairedItems(const Scene& a, const Scene& b, const std::vector<std::pair<std::string, std::string>>& given) {
    ItemPairs result;
    const auto shapes = [](const Scene& scene) {
        std::vector<std::size_t> nodes;
        for (std::size_t i = 0; i < scene.nodes.size(); ++i)
            if (scene.nodes[i].geometry && !neverSeen(scene, i))
                nodes.push_back(i);
        return nodes;
    };
    std::vector<std::size_t> ofA = shapes(a);
    std::vector<std::size_t> ofB = shapes(b);
    struct Candidate {
        std::string path;
        std::string name;
        std::uint64_t faces = 0;
        std::size_t points = 0;
    };
    const auto looks = [](const Scene& scene, const std::vector<std::size_t>& nodes) {
        std::vector<Candidate> all;
        for (const std::size_t i : nodes) {
            const Node& node = scene.nodes[i];
            Candidate look{node.path, node.name, 0, 0};
            if (const auto topology = node.geometry->topology(0); topology && (*topology)->faceCount() > 0)
                look.faces = (*topology)->hash();
            look.points = node.geometry->pointCount(0).value_or(0);
            all.push_back(std::move(look));
        }
        return all;
    };
    const std::vector<Candidate> candidatesOfA = looks(a, ofA);
    const std::vector<Candidate> candidatesOfB = looks(b, ofB);
    std::vector<char> usedA(ofA.size(), 0);
    std::vector<char> usedB(ofB.size(), 0);
    // Keys that just one of each side has; surer ones first.
    const auto pairBy = [&](const std::function<std::string(const Candidate&)>& key) {
        std::map<std::string, std::vector<std::size_t>> byKey;
        for (std::size_t i = 0; i < ofA.size(); ++i)
            if (!usedA[i])
                if (const std::string k = key(candidatesOfA[i]); !k.empty())
                    byKey[k].push_back(i);
        std::map<std::string, std::vector<std::size_t>> others;
        for (std::size_t i = 0; i < ofB.size(); ++i)
            if (!usedB[i])
                if (const std::string k = key(candidatesOfB[i]); !k.empty())
                    others[k].push_back(i);
        for (const auto& [k, own] : byKey)
            if (const auto found = others.find(k);
                found != others.end() && own.size() == 1 && found->second.size() == 1) {
                usedA[own[0]] = usedB[found->second[0]] = 1;
                result.pairs.emplace_back(ofA[own[0]], ofB[found->second[0]]);
            }
    };
    // What was said belongs together, whatever it looks like.
    std::size_t said = 0;
    for (const auto& [own, other] : given)
        for (std::size_t i = 0; i < ofA.size(); ++i)
            for (std::size_t k = 0; k < ofB.size() && !usedA[i]; ++k)
                if (!usedB[k] && (candidatesOfA[i].path == own || candidatesOfA[i].name == own) &&
                    (candidatesOfB[k].path == other || candidatesOfB[k].name == other)) {
                    usedA[i] = usedB[k] = 1;
                    result.pairs.emplace_back(ofA[i], ofB[k]);
                    ++said;
                }
    const auto counted = [](const Candidate& look) { return std::to_string(look.points); };
    pairBy([&](const Candidate& look) { return look.path + "#" + counted(look); });
    // Several that were made one have all of their points.
    const auto joined = [&](const std::vector<Candidate>& many, const std::vector<char>& usedMany,
                            const std::vector<Candidate>& few, const std::vector<char>& usedFew) {
        std::vector<std::size_t> parts;
        std::size_t points = 0;
        for (std::size_t i = 0; i < many.size(); ++i)
            if (!usedMany[i] && many[i].faces != 0) {
                parts.push_back(i);
                points += many[i].points;
            }
        std::optional<std::size_t> whole;
        for (std::size_t k = 0; k < few.size(); ++k)
            if (!usedFew[k] && few[k].faces != 0 && few[k].points == points)
                whole = k;
        return parts.size() > 1 && whole ? std::optional(std::pair(parts, *whole)) : std::nullopt;
    };
    if (const auto found = joined(candidatesOfA, usedA, candidatesOfB, usedB)) {
        ItemPairs::Joined made{{}, {ofB[found->second]}};
        for (const std::size_t i : found->first) {
            made.a.push_back(ofA[i]);
            usedA[i] = 1;
        }
        usedB[found->second] = 1;
        result.joined.push_back(std::move(made));
    } else if (const auto parted = joined(candidatesOfB, usedB, candidatesOfA, usedA)) {
        ItemPairs::Joined made{{ofA[parted->second]}, {}};
        for (const std::size_t k : parted->first) {
            made.b.push_back(ofB[k]);
            usedB[k] = 1;
        }
        usedA[parted->second] = 1;
        result.joined.push_back(std::move(made));
    }
    pairBy([](const Candidate& look) { return look.path; });
    pairBy([&](const Candidate& look) { return look.name + "#" + counted(look); });
    pairBy([](const Candidate& look) { return look.name; });
    // Names of which one is within the other: "ball" and "ball_geo"; those with as many points first.
    for (const bool samePoints : {true, false}) {
        std::vector<std::pair<std::size_t, std::size_t>> alike;
        for (std::size_t i = 0; i < ofA.size(); ++i)
            for (std::size_t k = 0; k < ofB.size() && !usedA[i]; ++k) {
                const std::string& x = candidatesOfA[i].name;
                const std::string& y = candidatesOfB[k].name;
                const bool within = std::min(x.size(), y.size()) > 2 &&
                                    (x.find(y) != std::string::npos || y.find(x) != std::string::npos);
                if (!usedB[k] && within && (!samePoints || candidatesOfA[i].points == candidatesOfB[k].points))
                    alike.emplace_back(i, k);
            }
        for (const auto& [i, k] : alike) {
            const auto times = [&](auto&& is) { return std::count_if(alike.begin(), alike.end(), is); };
            if (times([&, i = i](const auto& one) { return one.first == i; }) != 1 ||
                times([&, k = k](const auto& one) { return one.second == k; }) != 1)
                continue; // not sure which
            usedA[i] = usedB[k] = 1;
            result.pairs.emplace_back(ofA[i], ofB[k]);
        }
    }
    pairBy([](const Candidate& look) { return look.faces != 0 ? std::to_string(look.faces) : std::string(); });
    // Of several with the same faces any with any: what they show decides below.
    for (std::size_t i = 0; i < ofA.size(); ++i)
        for (std::size_t k = 0; k < ofB.size() && !usedA[i]; ++k)
            if (!usedB[k] && candidatesOfA[i].faces != 0 && candidatesOfA[i].faces == candidatesOfB[k].faces &&
                candidatesOfA[i].points == candidatesOfB[k].points) {
                usedA[i] = usedB[k] = 1;
                result.pairs.emplace_back(ofA[i], ofB[k]);
            }
    pairBy(counted);
    pairBy([](const Candidate&) { return std::string("the only one"); });
    for (std::size_t i = 0; i < ofA.size(); ++i)
        if (!usedA[i])
            result.onlyA.push_back(ofA[i]);
    for (std::size_t i = 0; i < ofB.size(); ++i)
        if (!usedB[i])
            result.onlyB.push_back(ofB[i]);
    byWhatTheyShow(a, b, said, result);
    std::sort(result.pairs.begin(), result.pairs.end());
    return result;
}

} // namespace wyc
