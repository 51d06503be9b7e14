// SPDX-License-Identifier: GPL-3.0-or-later
#include "compare/other_pairs.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <numbers>

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

// Numbers of a channel at a moment in the two, where they are not the same but for rounding; empty where it has none.
struct Apart {
    std::vector<double> own;
    std::vector<double> other;
    [[nodiscard]] double largest() const {
        double far = 0.0;
        for (std::size_t k = 0; k < std::min(own.size(), other.size()); ++k)
            far = std::max(far, std::abs(own[k] - other[k]));
        return far;
    }
};
Result<std::optional<Apart>> valuesApart(const Channel& a, const Channel& b, double seconds) {
    std::optional<Apart> none;
    if (a.values->sampling().count() == 0 || b.values->sampling().count() == 0)
        return a.values->sampling().count() != b.values->sampling().count() ? std::optional(Apart{}) : none;
    WYC_TRY(own, a.values->readAt(seconds, {a.space, nullptr}));
    WYC_TRY(other, b.values->readAt(seconds, {b.space, nullptr}));
    if (own.bytes == other.bytes && a.values->type() == b.values->type())
        return none;
    WYC_TRY(numbers, numbersAt(*a.values, seconds, {a.space, nullptr}));
    WYC_TRY(others, numbersAt(*b.values, seconds, {b.space, nullptr}));
    if (numbers.empty() || numbers.size() != others.size()) // texts, or of another size
        return std::optional(Apart{});
    for (std::size_t k = 0; k < numbers.size(); ++k)
        if (!(std::abs(numbers[k] - others[k]) <= 1e-6 * std::max(1e-3, std::abs(numbers[k]))))
            return std::optional(Apart{std::move(numbers), std::move(others)});
    return none;
}

// A figure in the unit that people say it in: lengths on the film in millimetres, others as they are long.
std::string figureText(const Channel& channel, double value, double metres) {
    constexpr std::array<Meaning, 5> kOnFilm{Meaning::FocalLength, Meaning::GateWidth, Meaning::GateHeight,
                                             Meaning::GateX, Meaning::GateY};
    if (std::find(kOnFilm.begin(), kOnFilm.end(), channel.meaning) != kOnFilm.end())
        return fmt::format("{:.6g} mm", value * 1000.0);
    if (channel.space == SpaceRole::Length)
        return lengthText(value * metres);
    if (channel.time == TimeRole::Duration)
        return fmt::format("{:.6g} s", value);
    return fmt::format("{:.6g}", value);
}

// In how many of all frames something differs, and which.
class FramesApart {
  public:
    explicit FramesApart(const FrameRate& rate) : rate_(rate) {}
    void count(double seconds, bool apart, double far) {
        ++all_;
        if (!apart)
            return;
        frames_.push_back(snappedFrame(rate_.frameAt(seconds)));
        if (frames_.size() == 1 || far > farthest_) {
            farthest_ = far;
            worst_ = seconds;
        }
    }
    [[nodiscard]] bool any() const { return !frames_.empty(); }
    [[nodiscard]] double worst() const { return worst_; }
    [[nodiscard]] double farthest() const { return farthest_; }
    /// "at frame 1018", "at 57 of 120 frames, most at frame 1034".
    [[nodiscard]] std::string text() const {
        if (frames_.size() == 1)
            return fmt::format("at frame {}{}", frameText(frames_.front()),
                               all_ > 1 ? fmt::format(" (1 of {})", all_) : "");
        return fmt::format("at {} of {} frames from {} on, most at frame {}", frames_.size(), all_,
                           frameText(frames_.front()), frameText(snappedFrame(rate_.frameAt(worst_))));
    }

  private:
    const FrameRate& rate_;
    std::size_t all_ = 0;
    std::vector<double> frames_;
    double worst_ = 0.0;
    double farthest_ = 0.0;
};

Result<OtherPair> otherPair(const Scene& a, std::size_t nodeA, const Scene& b, std::size_t nodeB, double tolerance) {
    OtherPair pair{a.nodes[nodeA].path, b.nodes[nodeB].path, false, {}};
    std::vector<std::string> words;
    const double metres = a.unitMetres.value_or(1.0);
    const std::vector<double> moments = momentsOfBoth(a, nodeA, b, nodeB);
    FramesApart places(a.view.rate);
    FramesApart turns(a.view.rate);
    for (const double t : moments) {
        WYC_TRY(x, placementAt(a, nodeA, t));
        WYC_TRY(y, placementAt(b, nodeB, t));
        const auto at = [](const WorldPlacement& place, const Vec3d& p) { return transformedPoint(p, place.matrix); };
        const Vec3d middle{0, 0, 0};
        const double moved = length(at(x, middle) - at(y, middle));
        places.count(t, !(moved <= tolerance), moved);
        // Points a unit from its middle along its axes.
        double turned = 0.0;
        for (const Vec3d& p : {Vec3d{1, 0, 0}, Vec3d{0, 1, 0}, Vec3d{0, 0, 1}})
            turned = std::max(turned, length((at(x, p) - at(x, middle)) - (at(y, p) - at(y, middle))));
        turns.count(t, !(turned <= tolerance), turned);
    }
    if (places.any())
        words.push_back(
            fmt::format("it is elsewhere {}, by {} at most", places.text(), lengthText(places.farthest() * metres)));
    if (turns.any())
        words.push_back(fmt::format("it is turned or scaled {}, by {:.3g}° at most", turns.text(),
                                    2.0 * std::asin(std::min(1.0, 0.5 * turns.farthest())) * 180.0 / std::numbers::pi));
    const std::vector<Channel> ofA = channelsOf(a.nodes[nodeA].properties);
    const std::vector<Channel> ofB = channelsOf(b.nodes[nodeB].properties);
    for (const Channel& own : ofA) {
        const Channel* other = own.meaning == Meaning::Unknown ? nullptr : channelNamed(ofB, own.name);
        if (!other)
            continue;
        FramesApart values(a.view.rate);
        std::string figures;
        double farthest = -1.0;
        for (const double t : moments) {
            WYC_TRY(apart, valuesApart(own, *other, t));
            values.count(t, apart.has_value(), apart ? apart->largest() : 0.0);
            if (!apart || apart->own.empty() || !(apart->largest() > farthest))
                continue;
            farthest = apart->largest();
            const auto listed = [&](const std::vector<double>& numbers) {
                constexpr std::size_t kMostSaid = 4;
                std::vector<std::string> all;
                for (std::size_t k = 0; k < std::min(kMostSaid, numbers.size()); ++k)
                    all.push_back(figureText(own, numbers[k], metres));
                return fmt::format("{}{}", fmt::join(all, ", "), numbers.size() > kMostSaid ? " …" : "");
            };
            figures = fmt::format(": {} instead of {}", listed(apart->other), listed(apart->own));
        }
        if (values.any())
            words.push_back(fmt::format("its {} is another {}{}", own.name, values.text(), figures));
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
