// SPDX-License-Identifier: GPL-3.0-or-later
// What goes into an output, and the plan for a target that is named outright.
#include <algorithm>

#include <fmt/format.h>

#include "base/text.h"
#include "delivery/delivery.h"
#include "delivery/plan/plan_parts.h"
#include "delivery/write/placing.h"
#include "delivery/write/reserved.h"
#include "scene/instances.h"
#include "steps/shape/take.h"

namespace wyc {

DeliveryInput deliveryInput(const Source& source, Scene before, Scene scene, const std::vector<Step>& steps) {
    DeliveryInput input;
    input.label = source.name;
    input.source = std::make_shared<const Scene>(std::move(before));
    input.steps = steps;
    if (source.rest)
        input.rest = stillAfter(source.rest, steps);
    std::vector<fs::path> reads = filesOf(source);
    std::error_code code;
    nlohmann::json besides = nlohmann::json::array();
    for (const fs::path& file : filesReadBy(steps)) {
        reads.push_back(file);
        const Format* format = formatOfName(file);
        const auto stamp = fileStamp(format && format->sequence ? file.parent_path() : file);
        besides.push_back({{"file", validUtf8(fs::absolute(file, code).string())},
                           {"size", stamp ? stamp->sizeBytes : 0},
                           {"modified_ns", stamp ? stamp->modifiedNanoseconds : 0}});
    }
    input.reads = std::make_shared<const std::vector<fs::path>>(std::move(reads));
    const auto stamp = fileStamp(source.format->sequence ? source.spec.path.parent_path() : source.spec.path);
    input.provenance = {{"source", validUtf8(fs::absolute(source.spec.path, code).string())},
                        {"size", source.sizeBytes},
                        {"modified_ns", stamp ? stamp->modifiedNanoseconds : 0},
                        {"rest", source.restUsed ? nlohmann::json(source.restUsed->string()) : nlohmann::json(nullptr)},
                        {"steps", toJson(steps)}};
    if (!source.spec.options.empty())
        input.provenance["open_options"] = source.spec.options;
    if (!besides.empty())
        input.provenance["steps_read"] = std::move(besides);
    input.scene = std::move(scene);
    return input;
}

namespace {

// A target with the name of an item in it, before the frame number or the extension.
fs::path withName(const fs::path& target, const std::string& item) {
    std::string name = target.filename().string();
    const auto at = std::min({name.find_first_of('#'), name.rfind('.'), name.size()});
    name.insert(at, at > 0 && name[at - 1] == '.' ? item + "." : "_" + item);
    return target.parent_path() / name;
}

} // namespace

Result<std::vector<PlannedOutput>> planConversion(const std::vector<DeliveryInput>& inputs,
                                                  const ConversionSpec& spec) {
    const fs::path& target = spec.target;
    WYC_TRY(type, requireTargetFormat(target));
    WYC_TRY(format, chosenAs(*type, spec.formatOptions));
    const std::string targetName = target.filename().string();
    const auto run = targetName.find('#');
    if (format->sequence && run != std::string::npos &&
        targetName.find('#', std::min(targetName.find_first_not_of('#', run), targetName.size())) != std::string::npos)
        return fail(makeError(ErrorKind::BadInput, "a numbered sequence is written at whole frames, by one number")
                        .inFile(target.string())
                        .withAdvice("Write one run of # in the name, as poses.####.obj"));
    std::vector<Scene> scenes;
    NodePtr rest;
    nlohmann::json provenance = nlohmann::json::array();
    std::vector<Intention> intentions;
    std::vector<Loss> shortfalls;
    for (const DeliveryInput& input : inputs) {
        WYC_TRY(placed,
                format->keeps(Content::Instances) ? Result<Scene>(input.scene) : expandedInstances(input.scene));
        std::vector<Intention> meant;
        if (input.source) {
            WYC_TRY(all, intentionsOf(input.source, input.steps));
            meant = std::move(all);
        }
        WYC_TRY(sampled, sampledFor(*format, std::move(placed), meant));
        scenes.push_back(std::move(sampled));
        for (Intention& intention : meant) {
            intention.promise(scenes.back().view, format->sequence);
            for (const std::string& words : intention.shortfalls)
                shortfalls.push_back({input.label, words});
            intentions.push_back(std::move(intention));
        }
        provenance.push_back(input.provenance);
        if (input.rest)
            rest = input.rest;
    }
    const auto reads = std::make_shared<const ReadFiles>(inputs);
    const auto moving = std::find_if(scenes.begin(), scenes.end(), [](const Scene& s) { return movingSpan(s); });
    for (const Scene& scene : scenes)
        if (movingSpan(scene) && scene.view.rate != moving->view.rate)
            return fail(makeError(ErrorKind::BadInput, "the sources are at different rates")
                            .withAdvice("Give --rate, so that they are resampled to one"));
    Scene all = mergedScenes(scenes);
    if (moving != scenes.end())
        all.view.rate = moving->view.rate;
    const auto shapes = static_cast<std::size_t>(
        std::count_if(all.nodes.begin(), all.nodes.end(), [](const Node& n) { return n.geometry != nullptr; }));
    // A container of many items may hold cameras and transforms alone, or nothing.
    if (shapes == 0 && (spec.perItem || !format->manyItems))
        return fail(
            makeError(ErrorKind::BadInput, "no item with points is chosen").withAdvice("`wyc info` lists the items"));
    std::vector<PlannedOutput> outputs;
    const auto add = [&](Scene scene, const fs::path& path, const std::string& item) -> Status {
        PlannedOutput output;
        output.item = item;
        output.format = format;
        output.scene = std::move(scene);
        output.rest = rest;
        output.target = path;
        // A point cache alone would have lost its faces.
        if (format->wantsRest() && hasFaces(output.scene))
            output.restTarget =
                path.parent_path() / (path.stem().string() + "_rest" + std::string(format->rest.extension));
        output.provenance = provenance;
        output.intentions = intentions;
        output.shortfalls = shortfalls;
        output.replace = spec.replace;
        output.reads = reads;
        WYC_CHECK(reads->mayBeWritten(output));
        for (const fs::path& place : {output.target, output.restTarget.value_or(output.target)})
            if (!spec.replace && standsThere(place))
                return fail(makeError(ErrorKind::Exists, "the target is there already")
                                .inFile(place.string())
                                .withAdvice("Choose another name, or say that it may be replaced"));
        WYC_CHECK(settle(output));
        outputs.push_back(std::move(output));
        return {};
    };
    if (!spec.perItem && (shapes == 1 || format->manyItems)) {
        WYC_CHECK(add(all, target, target.stem().string()));
        return outputs;
    }
    if (!spec.perItem)
        return fail(
            makeError(ErrorKind::BadInput, fmt::format("{} items are chosen; a {} holds one", shapes, format->name))
                .inFile(target.string())
                .withAdvice("Choose one with --items, or use --per-item"));
    std::vector<NamedItem> siblings;
    for (const DeliveryInput& input : inputs)
        siblings.insert(siblings.end(), input.siblings.begin(), input.siblings.end());
    const auto names = uniqueNames(siblings);
    for (const Node& node : all.nodes) {
        if (!node.geometry)
            continue;
        WYC_TRY(scene, selectedItems(all, {node.path}));
        const auto known =
            std::find_if(siblings.begin(), siblings.end(), [&](const NamedItem& s) { return s.path == node.path; });
        const std::string item =
            known == siblings.end() ? safeName(node.name) : names[static_cast<std::size_t>(known - siblings.begin())];
        fs::path path = withName(target, item);
        // What steps made, or two sources with an item of one name: the later one gets a number.
        const auto taken = [&] {
            return std::any_of(outputs.begin(), outputs.end(),
                               [&](const PlannedOutput& o) { return o.target == path; });
        };
        for (int number = 2; taken(); ++number)
            path = withName(target, fmt::format("{}_{}", item, number));
        WYC_CHECK(add(std::move(scene), path, node.name));
    }
    return outputs;
}

} // namespace wyc
