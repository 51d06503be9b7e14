// SPDX-License-Identifier: GPL-3.0-or-later
#include "options.h"

#include <fmt/format.h>

#include "base/text.h"
#include "delivery/ask/chain.h"

namespace wyc::cli {
namespace {

Result<std::pair<std::string, std::string>> fromTo(const std::string& text, const char* option) {
    const auto colon = text.find(':');
    if (colon == std::string::npos)
        return fail(makeError(ErrorKind::BadInput, fmt::format("{} takes FROM:TO, not '{}'", option, text)));
    return std::pair{text.substr(0, colon), text.substr(colon + 1)};
}

} // namespace

Result<ShutterSpec> shutterOf(const std::string& text) {
    const auto parts = splitText(text, ':');
    std::vector<double> numbers;
    for (const auto& part : parts)
        if (const auto number = parseNumber(part))
            numbers.push_back(*number);
    if (parts.size() != 3 || numbers.size() != 3 || numbers[2] < 1.0)
        return fail(makeError(ErrorKind::BadInput, fmt::format("--shutter takes OPEN:CLOSE:SAMPLES, not '{}'", text))
                        .withAdvice("Three samples over half a frame: --shutter=-0.25:0.25:3"));
    return ShutterSpec{numbers[0], numbers[1], static_cast<int>(numbers[2])};
}

Result<Shot> ShotArguments::shot() const {
    Shot result;
    if (!range.empty()) {
        WYC_TRY(parsed, FrameRange::parse(range));
        result.range = parsed;
    }
    if (handles < 0.0)
        return fail(makeError(ErrorKind::BadInput, "--handles takes a number of frames, 0 or more"));
    result.handles = handles;
    if (!rate.empty()) {
        WYC_TRY(parsed, FrameRate::parse(rate));
        result.rate = parsed;
    }
    if (!unit.empty()) {
        WYC_TRY(parsed, parseUnit(unit));
        result.unitMetres = parsed;
    }
    if (!up.empty()) {
        WYC_TRY(parsed, parseUpAxis(up));
        result.upAxis = parsed;
    }
    return result;
}

namespace {

// A conversion from something else than the source says would be a lie about it.
Status contradicts(const Scene& scene, const ChainSpec& chain) {
    const auto refuse = [](const char* option, const std::string& says, const std::string& from,
                           const std::string& to) {
        return fail(
            makeError(ErrorKind::BadInput, fmt::format("{}: the source says {} itself, not {}", option, says, from))
                .withAdvice(says == to ? fmt::format("It is so already: leave {} out", option)
                                       : fmt::format("Convert from what it says: {} {}:{}", option, says, to)));
    };
    if (chain.unit && scene.unitMetres) {
        WYC_TRY(from, parseUnit(chain.unit->first));
        WYC_TRY(to, parseUnit(chain.unit->second));
        if (const std::string says = unitName(*scene.unitMetres); says != unitName(from))
            return refuse("--unit", says, unitName(from), unitName(to));
    }
    if (chain.up && scene.upAxis && *scene.upAxis != chain.up->first)
        return refuse("--up", upAxisName(*scene.upAxis), upAxisName(chain.up->first), upAxisName(chain.up->second));
    return {};
}

} // namespace

Result<std::vector<Step>> StepArguments::steps(const Scene& scene, const Format* target) const {
    std::vector<Step> result;
    if (!stepsFile.empty()) {
        WYC_TRY(chain, stepsOfFile(stepsFile));
        result = std::move(chain);
    }
    ChainSpec chain;
    chain.world = world;
    chain.ownSpace = ownSpace;
    chain.transforms = !target || target->keeps(Content::Transforms);
    if (!unit.empty()) {
        WYC_TRY(pair, fromTo(unit, "--unit"));
        chain.unit = pair;
    }
    chain.scale = scale;
    if (!up.empty()) {
        WYC_TRY(pair, fromTo(up, "--up"));
        WYC_TRY(from, parseUpAxis(pair.first));
        WYC_TRY(to, parseUpAxis(pair.second));
        chain.up = {from, to};
    }
    chain.lead = lead;
    WYC_TRY(shot, range.shot());
    // A source that states no rate was opened at this one: there is nothing to resample.
    if (shot.rate && (scene.rate || !readAs.empty()))
        chain.rate = shot.rate;
    chain.resample = resample;
    chain.offset = offset;
    chain.range = shot.range;
    chain.handles = shot.handles;
    chain.frames = frames;
    chain.every = every;
    chain.length = length;
    if (!shutter.empty()) {
        WYC_TRY(made, shutterOf(shutter));
        chain.shutter = made;
    }
    if (!first.empty()) {
        const auto frame = parseNumber(first);
        if (!frame)
            return fail(makeError(ErrorKind::BadInput, fmt::format("--first takes a frame number, not '{}'", first)));
        chain.firstFrame = *frame;
    }
    chain.together = together;
    // What is said of the samples themselves comes before everything else.
    if (!readAs.empty())
        result.push_back({"rate", {{"rate", readAs}}, true});
    if (!drop.empty())
        result.push_back({"drop", {{"frames", drop}, {"close", close}}, true});
    if (!hold.empty()) {
        WYC_TRY(pair, fromTo(hold, "--hold"));
        const auto before = parseNumber(pair.first);
        const auto after = parseNumber(pair.second);
        if (!before || !after)
            return fail(makeError(ErrorKind::BadInput, fmt::format("--hold takes BEFORE:AFTER, not '{}'", hold))
                            .withAdvice("Eight frames at the end: --hold 0:8"));
        result.push_back({"hold", {{"before", *before}, {"after", *after}}, true});
    }
    if (!start.empty()) {
        const auto frame = parseNumber(start);
        if (!frame)
            return fail(makeError(ErrorKind::BadInput, fmt::format("--start takes a frame, not '{}'", start)));
        result.push_back({"start", {{"frame", *frame}}, true});
    }
    // Each of these is judged by what those before it make of the scene.
    Scene now = scene;
    if (!result.empty()) {
        WYC_TRY(made, applySteps(scene, result));
        now = std::move(made);
    }
    WYC_CHECK(contradicts(now, chain));
    const auto added = chainOf(now, chain);
    result.insert(result.end(), added.begin(), added.end());
    result.insert(result.end(), behind.begin(), behind.end());
    if (!behind.empty() && !chain.transforms) {
        WYC_TRY(shown, applySteps(scene, result));
        if (auto step = placesIntoPoints(shown, chain))
            result.push_back(std::move(*step));
    }
    for (Step& step : result) {
        const StepType* type = stepType(step.type);
        WYC_TRY(checked, checkedOptions(*type, step.options));
        step.options = std::move(checked);
    }
    return result;
}

Result<std::vector<Step>> stepsOfFile(const fs::path& file) {
    WYC_TRY(bytes, readWholeFile(file, 16 << 20));
    const auto document = nlohmann::json::parse(bytes.begin(), bytes.end(), nullptr, false);
    auto chain = stepsFromJson(document.is_object() ? document.value("steps", nlohmann::json()) : document);
    if (!chain)
        return fail(std::move(chain.error()).inFile(file.string()));
    return chain;
}

Result<Scene> chosenItems(const Scene& scene, const std::vector<std::string>& patterns,
                          const std::vector<std::string>& kinds) {
    WYC_TRY(chosen, selectedItems(scene, patterns));
    for (const std::string& kind : kinds) {
        WYC_TRY(fitting, itemsOfKind(chosen, kind));
        chosen = std::move(fitting);
    }
    return chosen;
}

Result<SourcePtr> chosenOf(const SourcePtr& source, const std::vector<std::string>& items,
                           const std::vector<std::string>& kinds) {
    if (items.empty() && kinds.empty())
        return source;
    auto result = std::make_shared<Source>(*source);
    WYC_TRY(scene, chosenItems(source->shown(), items, kinds));
    result->scene = std::move(scene);
    result->expanded = nullptr;
    result->tree = std::make_shared<const SceneTree>(result->scene);
    return SourcePtr(std::move(result));
}

} // namespace wyc::cli
