// SPDX-License-Identifier: GPL-3.0-or-later
// Which shape of one scene is which of another.
#include <algorithm>
#include <functional>
#include <map>

#include "compare/reconcile.h"

namespace wyc {

ItemPairs pairedItems(const Scene& a, const Scene& b) {
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
    const auto counted = [](const Candidate& look) { return std::to_string(look.points); };
    pairBy([&](const Candidate& look) { return look.path + "#" + counted(look); });
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
    pairBy(counted);
    pairBy([](const Candidate&) { return std::string("the only one"); });
    for (std::size_t i = 0; i < ofA.size(); ++i)
        if (!usedA[i])
            result.onlyA.push_back(ofA[i]);
    for (std::size_t i = 0; i < ofB.size(); ++i)
        if (!usedB[i])
            result.onlyB.push_back(ofB[i]);
    std::sort(result.pairs.begin(), result.pairs.end());
    return result;
}

} // namespace wyc
