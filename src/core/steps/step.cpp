// SPDX-License-Identifier: GPL-3.0-or-later
#include "steps/step.h"

#include <algorithm>
#include <cmath>
#include <unordered_map>

#include <fmt/format.h>

#include "base/text.h"
#include "evaluate/mapped.h"
#include "scene/deform/deformers.h"
#include "steps/space/space.h"
#include "steps/steps.h"
#include "steps/time/time_parts.h"

namespace wyc {

using nlohmann::json;

const std::vector<StepType>& stepTypes() {
    static const std::vector<StepType> kTypes{unitStep(),   turnStep(),   dropStep(),     offsetStep(),   startStep(),
                                              trimStep(),   holdStep(),   resampleStep(), rateStep(),     everyStep(),
                                              scaleStep(),  renameStep(), repointStep(),  leaveOutStep(), worldStep(),
                                              mergeStep(),  splitStep(),  keepStep(),     lengthStep(),   shutterStep(),
                                              retimeStep(), loopStep(),   leadInStep(),   fillStep(),     endsStep(),
                                              travelStep(), placeStep(),  reorderStep(),  flipStep(),     takeStep()};
    return kTypes;
}

const StepType* stepType(std::string_view id) {
    const auto& types = stepTypes();
    const auto found = std::find_if(types.begin(), types.end(), [&](const StepType& t) { return t.id == id; });
    return found == types.end() ? nullptr : &*found;
}

Result<json> checkedOptions(const StepType& type, const json& given) {
    return checkedOptions(fmt::format("step '{}'", type.id), type.options, given);
}

std::string describeStep(const Step& step) {
    const StepType* type = stepType(step.type);
    if (!type)
        return {};
    const auto options = checkedOptions(*type, step.options);
    return options ? type->describe(*options) : options.error().what;
}

namespace {

struct Ready {
    const StepType* type;
    json options;
};

Result<Ready> ready(const Step& step) {
    const StepType* type = stepType(step.type);
    if (!type)
        return fail(makeError(ErrorKind::BadInput, fmt::format("there is no step '{}'", step.type)));
    WYC_TRY(options, checkedOptions(*type, step.options));
    return Ready{type, std::move(options)};
}

// What was said of a node before is said of it under its new path.
void followPaths(const Scene& before, Scene& after) {
    if (after.report.notCarried.empty() && after.report.carried.empty() && after.report.remarks.empty())
        return;
    std::unordered_map<std::uint64_t, const std::string*> paths;
    for (const Node& node : before.nodes)
        paths.emplace(node.id.value, &node.path);
    std::unordered_map<std::string, std::string> now;
    for (const Node& node : after.nodes)
        if (const auto was = paths.find(node.id.value); was != paths.end() && *was->second != node.path)
            now.emplace(*was->second, node.path);
    if (now.empty())
        return;
    // What the step itself said has the new paths.
    const auto follow = [&now](auto& list, std::size_t said) {
        for (std::size_t i = 0; i < std::min(said, list.size()); ++i)
            if (const auto found = now.find(list[i].item); found != now.end())
                list[i].item = found->second;
    };
    follow(after.report.notCarried, before.report.notCarried.size());
    follow(after.report.carried, before.report.carried.size());
    follow(after.report.remarks, before.report.remarks.size());
}

Scene sceneOf(const GeometryPtr& mesh) {
    Scene scene;
    scene.nodes.push_back(Node{"rest", "/rest", -1, NodeKind::Mesh, nullptr, mesh, std::nullopt, {}});
    return scene;
}

// What is counted is that of the scene before the first step on time, from then on moved along.
Result<TimeChange> timeMeaning(const Scene& scene, const Ready& step) {
    if (scene.view.counted)
        return step.type->time(scene, step.options);
    Scene counted = scene;
    counted.view.counted = countedIn(scene);
    return step.type->time(counted, step.options);
}

Result<Scene> applied(const Scene& scene, const Ready& step) {
    if (step.type->build) {
        // What builds other nodes does not say what becomes of a rest pose.
        WYC_TRY(built, step.type->build(scene, step.options));
        built.view.counted = step.type->recounts ? nullptr : countedIn(scene);
        followPaths(scene, built);
        built.rest = step.type->keepsRest ? scene.rest : nullptr;
        return built;
    }
    if (step.type->space) {
        WYC_TRY(change, step.type->space(step.options));
        Scene result = changedInSpace(scene, change);
        // A place is taken by what stands at the top: below it, points and rest pose stay as they are.
        const auto owner = scene.find(scene.restOf);
        const bool below = owner && (scene.nodes[*owner].parent >= 0 || scene.nodes[*owner].transform);
        if (scene.rest && !(change.place && below))
            result.rest = changedInSpace(sceneOf(scene.rest), change).nodes.front().geometry;
        return result;
    }
    WYC_TRY(change, timeMeaning(scene, step));
    // A step that changes nothing leaves everything untouched.
    View before = scene.view;
    before.rate = change.view.rate;
    const bool nothing = change.map.isIdentity() && !change.points && change.view == before;
    Scene result =
        nothing ? scene : mappedScene(scene, change.map, change.view, change.points ? &*change.points : nullptr);
    result.view.rate = change.view.rate;
    if (change.statesRate)
        result.rate = change.view.rate;
    return result;
}

} // namespace

Result<StepMeaning> meaningOf(const Scene& before, const Step& step) {
    WYC_TRY(it, ready(step));
    StepMeaning meaning;
    if (it.type->space) {
        WYC_TRY(change, it.type->space(it.options));
        meaning.space = change;
    } else if (it.type->time) {
        WYC_TRY(change, timeMeaning(before, it));
        meaning.time = std::move(change);
    }
    return meaning;
}

Result<Scene> applySteps(const Scene& scene, const std::vector<Step>& steps, std::string_view whose) {
    Scene result = scene;
    for (std::size_t i = 0; i < steps.size(); ++i) {
        if (!steps[i].on)
            continue;
        WYC_TRY(step, ready(steps[i]));
        const StepType* type = step.type;
        auto next = applied(result, step);
        if (!next) {
            next.error().what = whose.empty() ? fmt::format("step {} ({}): {}", i + 1, type->title, next.error().what)
                                              : fmt::format("{} {}: {}", whose, type->title, next.error().what);
            return fail(std::move(next.error()));
        }
        result = settledDeformers(std::move(*next));
    }
    return result;
}

NodePtr stillAfter(const NodePtr& mesh, const std::vector<Step>& steps) {
    Scene scene = sceneOf(mesh->geometry);
    scene.nodes.front().properties = mesh->properties;
    const auto changed = applySteps(scene, steps);
    return changed && !changed->nodes.empty() && changed->nodes.front().geometry
               ? std::make_shared<const Node>(changed->nodes.front())
               : nullptr;
}

std::string stepWords(const Step& step) {
    const StepType* type = stepType(step.type);
    return (type ? std::string(type->title) : step.type) + " " + describeStep(step);
}

double periodOf(const Step& loopStep) {
    const auto frames = [&](const char* name) { return loopStep.options.value(name, 0.0); };
    const bool bridged = loopStep.options.value("close", std::string()) == "bridge";
    return frames("length") + (bridged ? frames("fade") : 0.0);
}

bool renumbers(const Step& step) {
    const StepType* type = stepType(step.type);
    return type && type->renumbers;
}

std::vector<fs::path> filesReadBy(const std::vector<Step>& steps) {
    std::vector<fs::path> files;
    for (const Step& step : steps) {
        const StepType* type = step.on ? stepType(step.type) : nullptr;
        if (!type || !type->reads)
            continue;
        if (const auto options = checkedOptions(*type, step.options))
            for (fs::path& file : type->reads(*options))
                files.push_back(std::move(file));
    }
    return files;
}

json toJson(const std::vector<Step>& steps) {
    json list = json::array();
    for (const Step& step : steps)
        list.push_back({{"type", step.type}, {"options", step.options}, {"on", step.on}});
    return list;
}

Result<std::vector<Step>> stepsFromJson(const json& list) {
    const auto refuse = [](std::string what) { return fail(makeError(ErrorKind::BadInput, std::move(what))); };
    if (!list.is_array())
        return refuse("a chain of steps is a list");
    std::vector<Step> steps;
    for (const json& entry : list) {
        if (!entry.is_object() || !entry.contains("type") || !entry["type"].is_string())
            return refuse("a step has a \"type\"");
        Step step{entry["type"].get<std::string>(), entry.value("options", json::object()), true};
        if (const auto on = entry.find("on"); on != entry.end() && on->is_boolean())
            step.on = on->get<bool>();
        const StepType* type = stepType(step.type);
        if (!type)
            return refuse(fmt::format("there is no step '{}'", step.type));
        WYC_TRY(options, checkedOptions(*type, step.options));
        step.options = std::move(options);
        steps.push_back(std::move(step));
    }
    return steps;
}

} // namespace wyc
