// SPDX-License-Identifier: GPL-3.0-or-later
#include "compare/other_pairs.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include <fmt/format.h>
#include <fmt/ranges.h>

#include "base/text.h"
#include "scene/channels.h"
#include "scene/components/face_sets.h"
#include "scene/scene_tree.h"
#include "scene/stand_in.h"

namespace wyc {
namespace {

// Times at which something of a node may change, as many as may be looked at.
std::vector<double> momentsOf(const Scene& scene, std::size_t node) {
    std::vector<double> times;
    const auto add = [&](const Sampling& sampling) {
        const auto own = sampling.times();
        times.insert(times.end(), own.begin(), own.end());
    };
    for (const Channel& channel : channelsOf(scene.nodes[node].properties))
        if (channel.meaning != Meaning::Unknown)
            add(channel.values->sampling());
    for (int i = static_cast<int>(node); i >= 0; i = scene.nodes[static_cast<std::size_t>(i)].parent) {
        const Node& above = scene.nodes[static_cast<std::size_t>(i)];
        if (above.transform)
            add(above.transform->sampling());
        if (above.visibility)
            add(above.visibility->sampling);
    }
    sortMoments(times);
    return times;
}

std::vector<double> momentsOfBoth(const Scene& a, std::size_t nodeA, const Scene& b, std::size_t nodeB) {
    std::vector<double> times = momentsOf(a, nodeA);
    const std::vector<double> more = momentsOf(b, nodeB);
    times.insert(times.end(), more.begin(), more.end());
    if (times.empty())
        times.push_back(0.0);
    sortMoments(times);
    return times;
}

// Whether a channel says something else in the two, but for rounding.
Result<bool> valuesApart(const Channel& a, const Channel& b, double seconds) {
    if (a.values->sampling().count() == 0 || b.values->sampling().count() == 0)
        return a.values->sampling().count() != b.values->sampling().count();
    WYC_TRY(own, a.values->readAt(seconds, {a.space, nullptr}));
    WYC_TRY(other, b.values->readAt(seconds, {b.space, nullptr}));
    if (own.bytes == other.bytes && a.values->type() == b.values->type())
        return false;
    WYC_TRY(numbers, numbersAt(*a.values, seconds, {a.space, nullptr}));
    WYC_TRY(others, numbersAt(*b.values, seconds, {b.space, nullptr}));
    if (numbers.empty() || numbers.size() != others.size()) // texts, or of another size
        return true;
    for (std::size_t k = 0; k < numbers.size(); ++k)
        if (!(std::abs(numbers[k] - others[k]) <= 1e-6 * std::max(1e-3, std::abs(numbers[k]))))
            return true;
    return false;
}

Result<OtherPair> otherPair(const Scene& a, std::size_t nodeA, const Scene& b, std::size_t nodeB, double tolerance) {
    OtherPair pair{a.nodes[nodeA].path, b.nodes[nodeB].path, false, {}};
    std::vector<std::string> words;
    const auto say = [&](const char* what, double t, const std::string& figure) {
        words.push_back(fmt::format("{} at frame {}{}", what, frameText(snappedFrame(a.view.rate.frameAt(t))), figure));
    };
    bool place = true;
    const std::vector<Channel> ofA = channelsOf(a.nodes[nodeA].properties);
    const std::vector<Channel> ofB = channelsOf(b.nodes[nodeB].properties);
    std::set<std::string> told;
    for (const double t : momentsOfBoth(a, nodeA, b, nodeB)) {
        WYC_TRY(x, placementAt(a, nodeA, t));
        WYC_TRY(y, placementAt(b, nodeB, t));
        // Where its middle is, and points a unit from it along its axes.
        double far = 0.0;
        for (const Vec3d& p : {Vec3d{0, 0, 0}, Vec3d{1, 0, 0}, Vec3d{0, 1, 0}, Vec3d{0, 0, 1}})
            far = std::max(far, length(transformedPoint(p, x.matrix) - transformedPoint(p, y.matrix)));
        if (place && !(far <= tolerance)) {
            place = false;
            say("it is elsewhere", t, fmt::format(": {:.4g} off", far));
        }
        for (const Channel& own : ofA) {
            const Channel* other = own.meaning == Meaning::Unknown ? nullptr : channelNamed(ofB, own.name);
            if (!other || told.contains(own.name))
                continue;
            WYC_TRY(apart, valuesApart(own, *other, t));
            if (apart && told.insert(own.name).second)
                say(fmt::format("its {} is another", own.name).c_str(), t, "");
        }
    }
    for (const Channel& own : ofA)
        if (own.meaning != Meaning::Unknown && own.values->sampling().count() > 0 && !channelNamed(ofB, own.name))
            words.push_back(fmt::format("its {} is gone", own.name));
    for (const Channel& other : ofB)
        if (other.meaning != Meaning::Unknown && other.values->sampling().count() > 0 && !channelNamed(ofA, other.name))
            words.push_back(fmt::format("its {} is new", other.name));
    WYC_TRY(seen, seenApart(a, nodeA, b, nodeB));
    if (seen)
        words.push_back(fmt::format("one is seen and the other not at frame {}", frameText(*seen)));
    if (a.nodes[nodeA].kind != b.nodes[nodeB].kind)
        words.push_back(fmt::format("a {} and a {}", a.nodes[nodeA].is().name, b.nodes[nodeB].is().name));
    pair.same = words.empty();
    pair.text = pair.same ? "the same" : fmt::format("{}", fmt::join(words, "; "));
    return pair;
}

} // namespace

Result<std::optional<double>> seenApart(const Scene& a, std::size_t nodeA, const Scene& b, std::size_t nodeB) {
    for (const double t : momentsOfBoth(a, nodeA, b, nodeB)) {
        WYC_TRY(x, placementAt(a, nodeA, t));
        WYC_TRY(y, placementAt(b, nodeB, t));
        if (x.visible != y.visible)
            return std::optional(snappedFrame(a.view.rate.frameAt(t)));
    }
    return std::optional<double>();
}

Result<std::optional<SetsApart>> setsApart(const Scene& a, std::size_t nodeA, const Scene& b, std::size_t nodeB) {
    using Named = std::map<std::string, std::vector<std::int32_t>>; // faces, rising
    const auto namedIn = [](const std::vector<FaceSet>& sets, FaceSet::Kind kind) {
        Named named;
        for (const FaceSet& set : sets)
            if (set.kind == kind && !set.faces.empty())
                named[set.name] = set.faces;
        return named;
    };
    std::optional<SetsApart> none;
    if (a.nodes[nodeA].is().strands || b.nodes[nodeB].is().strands)
        return none;
    WYC_TRY(ofA, faceSetsOf(a, nodeA));
    WYC_TRY(ofB, faceSetsOf(b, nodeB));
    WYC_TRY(facesA, a.nodes[nodeA].geometry->topology(0));
    WYC_TRY(facesB, b.nodes[nodeB].geometry->topology(0));
    const bool sameFaces = facesA->hash() == facesB->hash();
    std::vector<std::string> words;
    for (const auto& [kind, word] : {std::pair{FaceSet::Kind::Group, "set"}, {FaceSet::Kind::Material, "material"}}) {
        const Named own = namedIn(ofA, kind);
        const Named other = namedIn(ofB, kind);
        if (own.empty() || other.empty())
            continue;
        for (const auto& [name, faces] : own)
            if (const auto found = other.find(name); found == other.end())
                words.push_back(fmt::format("{} {} is gone", word, name));
            else if (sameFaces && found->second != faces)
                words.push_back(fmt::format("{} {} has other faces", word, name));
        for (const auto& [name, faces] : other)
            if (!own.contains(name))
                words.push_back(fmt::format("{} {} is new", word, name));
    }
    if (words.empty())
        return none;
    constexpr std::size_t kMostNamed = 4;
    SetsApart apart{words.size(), {}};
    if (words.size() > kMostNamed) {
        words.resize(kMostNamed);
        words.push_back(fmt::format("and {} more", apart.count - kMostNamed));
    }
    apart.text = fmt::format("{}", fmt::join(words, ", "));
    return std::optional(std::move(apart));
}

Result<ComparedOthers> comparedOthers(const Scene& a, const Scene& b, double toleranceMetres) {
    ComparedOthers into;
    const auto listOf = [](const Scene& scene) {
        const std::vector<bool> items = itemMask(scene);
        std::vector<std::size_t> nodes;
        for (std::size_t i = 0; i < items.size(); ++i)
            if (items[i] && !scene.nodes[i].geometry)
                nodes.push_back(i);
        return nodes;
    };
    const std::vector<std::size_t> ofA = listOf(a);
    std::vector<std::size_t> ofB = listOf(b);
    std::vector<std::size_t> left = ofA;
    for (const bool byPath : {true, false}) {
        std::vector<std::size_t> still;
        for (const std::size_t node : left) {
            const auto fits = [&](std::size_t other) {
                return byPath ? b.nodes[other].path == a.nodes[node].path : b.nodes[other].name == a.nodes[node].name;
            };
            const auto found = std::find_if(ofB.begin(), ofB.end(), fits);
            if (found == ofB.end() || std::count_if(ofB.begin(), ofB.end(), fits) > 1) {
                still.push_back(node);
                continue;
            }
            WYC_TRY(pair, otherPair(a, node, b, *found, toleranceMetres / a.unitMetres.value_or(1.0)));
            into.pairs.push_back(std::move(pair));
            ofB.erase(found);
        }
        left = std::move(still);
    }
    for (const std::size_t node : left)
        into.onlyA.push_back(a.nodes[node].path);
    for (const std::size_t node : ofB)
        into.onlyB.push_back(b.nodes[node].path);
    return into;
}

} // namespace wyc
