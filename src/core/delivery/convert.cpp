// SPDX-License-Identifier: GPL-3.0-or-later
// What goes into an output, and the plan for a target that is named outright.
#include <algorithm>

#include <fmt/format.h>

#include "base/text.h"
#include "delivery/delivery.h"
#include "delivery/plan_parts.h"
#include "scene/instances.h"

namespace wyc {

DeliveryInput deliveryInput(const Source& source, Scene before, Scene scene, const std::vector<Step>& steps) {
    DeliveryInput input;
    input.source = std::make_shared<const Scene>(std::move(before));
    input.steps = steps;
    if (source.rest) {
        // The rest mesh gets what acts on space; what acts on time leaves a still pose alone.
        Scene rest;
        rest.nodes.push_back(Node{"rest", "/rest", -1, NodeKind::Mesh, nullptr, source.rest, std::nullopt, {}});
        if (const auto changed = applySteps(rest, steps); changed && !changed->nodes.empty())
            input.rest = changed->nodes.front().geometry;
    }
    std::error_code code;
    const auto stamp = fileStamp(source.format->sequence ? source.spec.path.parent_path() : source.spec.path);
    input.provenance = {{"source", validUtf8(fs::absolute(source.spec.path, code).string())},
                        {"size", source.sizeBytes},
                        {"modified_ns", stamp ? stamp->modifiedNanoseconds : 0},
                        {"rest", source.restUsed ? nlohmann::json(source.restUsed->string()) : nlohmann::json(nullptr)},
                        {"steps", toJson(steps)}};
    input.scene = std::move(scene);
    return input;
}

Result<std::vector<PlannedOutput>> planConversion(const std::vector<DeliveryInput>& inputs,
                                                  const ConversionSpec& spec) {
    const fs::path& target = spec.target;
    WYC_TRY(format, requireFormat(target));
    std::vector<Scene> scenes;
    GeometryPtr rest;
    nlohmann::json provenance = nlohmann::json::array();
    std::vector<Intention> intentions;
    for (const DeliveryInput& input : inputs) {
        WYC_TRY(placed,
                format->keeps(Content::Instances) ? Result<Scene>(input.scene) : expandedInstances(input.scene));
        WYC_TRY(sampled, sampledFor(*format, std::move(placed)));
        scenes.push_back(std::move(sampled));
        if (input.source) {
            WYC_TRY(intention, intentionOf(input.source, input.steps));
            intention.wanted = scenes.back().wanted;
            intentions.push_back(std::move(intention));
        }
        provenance.push_back(input.provenance);
        if (input.rest)
            rest = input.rest;
    }
    const auto moving = std::find_if(scenes.begin(), scenes.end(), [](const Scene& s) { return movingSpan(s); });
    for (const Scene& scene : scenes)
        if (movingSpan(scene) && scene.workingRate != moving->workingRate)
            return fail(makeError(ErrorKind::BadInput, "the sources are at different rates")
                            .withAdvice("Give --rate, so that they are resampled to one"));
    Scene all = mergedScenes(scenes);
    if (moving != scenes.end())
        all.workingRate = moving->workingRate;
    const auto shapes = static_cast<std::size_t>(
        std::count_if(all.nodes.begin(), all.nodes.end(), [](const Node& n) { return n.geometry != nullptr; }));
    // A container of many items may hold cameras and transforms alone, or nothing.
    if (shapes == 0 && (spec.perItem || !format->manyItems))
        return fail(
            makeError(ErrorKind::BadInput, "no item with points is chosen").withAdvice("`wyc info` lists the items"));
    std::vector<PlannedOutput> outputs;
    const auto add = [&](Scene scene, const fs::path& path, const std::string& item) {
        PlannedOutput output;
        output.item = item;
        output.format = format;
        output.scene = std::move(scene);
        output.rest = rest;
        output.target = path;
        // A point cache alone would have lost its faces.
        if (!format->keeps(Content::Faces) && hasFaces(output.scene))
            output.restTarget = path.parent_path() / (path.stem().string() + "_rest.obj");
        output.provenance = provenance;
        output.intentions = intentions;
        output.replace = spec.replace;
        fillFigures(output);
        outputs.push_back(std::move(output));
    };
    if (!spec.perItem && (shapes == 1 || format->manyItems)) {
        add(all, target, target.stem().string());
        return outputs;
    }
    if (!spec.perItem)
        return fail(
            makeError(ErrorKind::BadInput, fmt::format("{} items are chosen; a {} holds one", shapes, format->name))
                .inFile(target.string())
                .withAdvice("Choose one with --items, or use --per-item"));
    for (const Node& node : all.nodes) {
        if (!node.geometry)
            continue;
        WYC_TRY(scene, selectedItems(all, {node.path}));
        std::string name = target.filename().string();
        const auto at = std::min(name.find_first_of('#'), name.rfind('.'));
        const std::string item = safeName(node.name);
        name.insert(at == std::string::npos ? name.size() : at,
                    (at > 0 && name[at - 1] == '.' ? item + "." : "_" + item));
        fs::path path = target.parent_path() / name;
        // Two items of one name in different places: the later one gets a number.
        const auto taken = [&] {
            return std::any_of(outputs.begin(), outputs.end(),
                               [&](const PlannedOutput& o) { return o.target == path; });
        };
        for (int number = 2; taken(); ++number) {
            const auto where = name.find(item);
            path = target.parent_path() /
                   (name.substr(0, where) + item + fmt::format("_{}", number) + name.substr(where + item.size()));
        }
        add(std::move(scene), path, node.name);
    }
    return outputs;
}

} // namespace wyc
