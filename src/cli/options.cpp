// SPDX-License-Identifier: GPL-3.0-or-later
#include "options.h"

#include <fmt/format.h>

#include "base/text.h"

namespace wyc::cli {
namespace {

Result<std::pair<std::string, std::string>> fromTo(const std::string& text, const char* option) {
    const auto colon = text.find(':');
    if (colon == std::string::npos)
        return fail(makeError(ErrorKind::BadInput, fmt::format("{} takes FROM:TO, not '{}'", option, text)));
    return std::pair{text.substr(0, colon), text.substr(colon + 1)};
}

} // namespace

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

Result<std::vector<Step>> StepArguments::steps(const Scene& scene) const {
    std::vector<Step> result;
    if (!stepsFile.empty()) {
        WYC_TRY(bytes, readWholeFile(stepsFile, 16 << 20));
        const auto json = nlohmann::json::parse(bytes.begin(), bytes.end(), nullptr, false);
        auto chain = stepsFromJson(json.is_object() ? json.value("steps", nlohmann::json()) : json);
        if (!chain)
            return fail(std::move(chain.error()).inFile(stepsFile));
        result = std::move(*chain);
    }
    if (world)
        result.push_back({"world", nlohmann::json::object(), true});
    if (!unit.empty()) {
        WYC_TRY(pair, fromTo(unit, "--unit"));
        result.push_back({"unit", {{"from", pair.first}, {"to", pair.second}}, true});
    }
    if (scale != 1.0)
        result.push_back({"scale", {{"factor", scale}}, true});
    if (!up.empty()) {
        WYC_TRY(pair, fromTo(up, "--up"));
        result.push_back({"turn", {{"from", pair.first}, {"to", pair.second}}, true});
    }
    if (lead > 0.0)
        result.push_back({"drop", {{"start", lead}}, true});
    WYC_TRY(shot, range.shot());
    // A source that states no rate was opened at this one: there is nothing to resample.
    if (shot.rate && scene.rate && *shot.rate != *scene.rate)
        result.push_back({"resample", {{"rate", shot.rate->text()}, {"method", resample}}, true});
    if (offset != 0.0)
        result.push_back({"offset", {{"frames", offset}}, true});
    if (shot.range)
        result.push_back(
            {"trim", {{"first", shot.range->first}, {"last", shot.range->last}, {"handles", shot.handles}}, true});
    if (!frames.empty())
        result.push_back({"keep", {{"frames", frames}}, true});
    if (every > 1)
        result.push_back({"every", {{"count", static_cast<double>(every)}}, true});
    if (length > 0.0)
        result.push_back({"length", {{"frames", length}}, true});
    if (!shutter.empty()) {
        const auto parts = splitText(shutter, ':');
        std::vector<double> numbers;
        for (const auto& part : parts)
            if (const auto number = parseNumber(part))
                numbers.push_back(*number);
        if (parts.size() != 3 || numbers.size() != 3)
            return fail(
                makeError(ErrorKind::BadInput, fmt::format("--shutter takes OPEN:CLOSE:SAMPLES, not '{}'", shutter))
                    .withAdvice("Three samples over half a frame: --shutter=-0.25:0.25:3"));
        result.push_back({"shutter", {{"open", numbers[0]}, {"close", numbers[1]}, {"samples", numbers[2]}}, true});
    }
    if (!first.empty()) {
        const auto frame = parseNumber(first);
        if (!frame)
            return fail(makeError(ErrorKind::BadInput, fmt::format("--first takes a frame number, not '{}'", first)));
        if (shot.range)
            result.push_back({"offset", {{"frames", *frame - (shot.range->first - shot.handles)}}, true});
        else
            result.push_back({"start", {{"frame", *frame}}, true});
    }
    for (Step& step : result) {
        const StepType* type = stepType(step.type);
        WYC_TRY(checked, checkedOptions(*type, step.options));
        step.options = std::move(checked);
    }
    return result;
}

} // namespace wyc::cli
