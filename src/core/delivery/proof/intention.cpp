// SPDX-License-Identifier: GPL-3.0-or-later
#include "delivery/proof/intention.h"

#include "delivery/proof/as_asked.h"
#include "delivery/proof/shortfall.h"
#include "plain/deformed.h"
#include "steps/shape/take.h"

namespace wyc {
namespace {

std::array<double, 9> linearOf(const Mat4& m) {
    return {m.m[0], m.m[1], m.m[2], m.m[4], m.m[5], m.m[6], m.m[8], m.m[9], m.m[10]};
}

} // namespace

const TimeMap& Intention::placesOf(const Scene& meant, std::size_t node) const {
    for (int i = static_cast<int>(node); i >= 0; i = meant.nodes[static_cast<std::size_t>(i)].parent)
        if (meant.nodes[static_cast<std::size_t>(i)].transform)
            return time;
    return places;
}

void Intention::promise(const View& view, bool wholeFrames) {
    wanted = view;
    if (asks)
        otherThanAsked = wyc::otherThanAsked(*asks, *this, wholeFrames);
}

Mat4 Intention::spaceAt(double seconds) const {
    if (!time.carries())
        return space;
    const Carry carry = time.carryAt(seconds);
    return space * Mat4::translation({carry[0], carry[1], carry[2]});
}

void Intention::setSource(std::shared_ptr<const Scene> from) {
    std::unordered_map<std::uint64_t, std::size_t> byId;
    for (std::size_t i = 0; i < from->nodes.size(); ++i)
        byId.emplace(from->nodes[i].id.value, i);
    nodes = std::make_shared<const std::unordered_map<std::uint64_t, std::size_t>>(std::move(byId));
    source = plainlyDeformed(std::move(from));
}

namespace {

void goOn(Intention& intention, const StepMeaning& meaning) {
    if (meaning.time) {
        const TimeMap& points = meaning.time->points ? *meaning.time->points : meaning.time->map;
        intention.places = (intention.baked ? points : meaning.time->map).of(intention.places);
        intention.points = points.of(intention.points);
        intention.time = meaning.time->map.of(intention.time);
    }
    if (meaning.space) {
        intention.space = intention.space * meaning.space->matrix();
        intention.time = intention.time.turned(linearOf(meaning.space->matrix()));
        intention.points = intention.points.turned(linearOf(meaning.space->matrix()));
        intention.places = intention.places.turned(linearOf(meaning.space->matrix()));
        intention.scale *= meaning.space->scale;
        SpaceChange own = *meaning.space;
        own.place.reset();
        intention.axes = intention.axes * own.matrix();
    }
}

} // namespace

Result<std::vector<Intention>> intentionsOf(std::shared_ptr<const Scene> source, const std::vector<Step>& steps) {
    Scene scene = *source;
    std::vector<Intention> all(1);
    const std::shared_ptr<const Scene> asItCame = source;
    all.front().setSource(std::move(source));
    for (const Step& step : steps) {
        if (!step.on)
            continue;
        WYC_TRY(meaning, meaningOf(scene, step));
        for (std::string& shortfall : shortfallsOf(scene, step))
            all.front().shortfalls.push_back(std::move(shortfall));
        for (Intention& intention : all) {
            goOn(intention, meaning);
            intention.baked = intention.baked || stepType(step.type)->bakes;
            intention.repointed = intention.repointed || stepType(step.type)->namesFiles;
        }
        WYC_TRY(next, applySteps(scene, {step}));
        if (const StepType* type = stepType(step.type); type->takes) {
            // From here on points are another file's, which its own steps brought here.
            WYC_TRY(options, checkedOptions(*type, step.options));
            WYC_TRY(item, type->takes(scene, options));
            WYC_TRY(brought, intentionsOf(item.scene, item.chain));
            brought.front().asks = nullptr; // of its own chain, which goes on here
            brought.front().otherThanAsked.clear();
            all.push_back(std::move(brought.front()));
        }
        scene = std::move(next);
    }
    all.front().asks = std::make_shared<const Asked>(asked(*asItCame, steps));
    for (Intention& intention : all) {
        intention.rate = scene.view.rate;
        intention.promise(scene.view, false);
        intention.madeOf.clear();
        for (const Node& node : scene.nodes)
            if (node.madeOf)
                intention.madeOf.emplace(node.id.value, node.madeOf);
    }
    return all;
}

std::optional<double> onlyTime(const TimeMap& map, double seconds) {
    const auto poses = map.at(seconds);
    return poses.size() == 1 && !poses.front().rest ? std::optional(poses.front().seconds) : std::nullopt;
}

Result<Intention> intentionOf(std::shared_ptr<const Scene> source, const std::vector<Step>& steps) {
    WYC_TRY(all, intentionsOf(std::move(source), steps));
    return std::move(all.front());
}

} // namespace wyc
