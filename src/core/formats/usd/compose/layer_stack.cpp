// SPDX-License-Identifier: GPL-3.0-or-later
// A layer with its sublayers.
#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "formats/usd/compose/prim_index.h"
#include "formats/usd/layer/path.h"

namespace wyc::usd {
namespace {

constexpr std::size_t kMostLayers = 20'000; // of one stack
constexpr std::size_t kDeepestLayers = 200; // sublayers of sublayers

} // namespace

double timeCodesPerSecondOf(const Layer& layer) {
    for (const char* field : {"timeCodesPerSecond", "framesPerSecond"})
        if (const auto rate = layer.number(field); rate && *rate > 0.0)
            return *rate;
    return 24.0;
}

Result<LayerStackPtr> Composer::rootStack(const std::string& resolved) {
    return stackOf(resolved, {}, {});
}

Result<LayerStackPtr> Composer::stackOf(const std::string& resolved, const DictionaryPtr& variables,
                                        const std::string&) {
    // Stacks that other variables reach are others.
    std::string key = resolved;
    if (variables)
        for (const auto& [name, value] : *variables)
            key += '\n' + name + '=' + (value.text() ? *value.text() : std::string());
    if (const auto known = stacks_.find(key); known != stacks_.end())
        return known->second;
    WYC_TRY(layer, assets_.open(resolved));
    auto stack = std::make_shared<LayerStack>();
    stack->timeCodesPerSecond = timeCodesPerSecondOf(*layer);
    // What references this stack says of the variables is stronger.
    std::map<std::string, Value> merged;
    if (const Value* own = layer->field("expressionVariables"); own && own->dictionary())
        for (const auto& [name, value] : *own->dictionary())
            merged[name] = value;
    if (variables)
        for (const auto& [name, value] : *variables)
            merged[name] = value;
    if (!merged.empty())
        stack->expressionVariables = std::make_shared<const Dictionary>(std::make_move_iterator(merged.begin()),
                                                                        std::make_move_iterator(merged.end()));
    std::vector<std::string> open;
    addLayers(*stack, layer, {}, open);
    for (const StackLayer& one : stack->layers)
        if (const Value* value = one.layer->field("layerRelocates"))
            if (const auto* relocates = value->pointed<Relocates>())
                for (const auto& [from, to] : relocates->pairs) {
                    if (!isPrimPath(from) || from == "/" || (!to.empty() && (!isPrimPath(to) || to == "/")) ||
                        from == to) {
                        report({"relocate.unusable",
                                {},
                                fmt::format("'{}' relocates {} to {}, which cannot be", one.layer->name, from, to),
                                "Have the layer written again without it"});
                        continue;
                    }
                    if (stack->relocates.emplace(from, to).second && !to.empty())
                        stack->byTarget.emplace(to, from);
                }
    stacks_.emplace(key, stack);
    return LayerStackPtr(stack);
}

void Composer::addLayers(LayerStack& stack, const LayerPtr& layer, const Offset& toStack,
                         std::vector<std::string>& open) {
    stack.layers.push_back({layer, toStack});
    open.push_back(layer->name);
    const Value* names = layer->field("subLayers");
    const Value* offsets = layer->field("subLayerOffsets");
    std::vector<double> figures;
    if (offsets)
        if (auto numbers = numbersOf(*offsets))
            figures = std::move(*numbers);
    std::size_t i = 0;
    for (const std::string& written : names ? textsOf(*names) : std::vector<std::string>{}) {
        Offset offset;
        if (2 * i + 1 < figures.size())
            offset = {figures[2 * i], figures[2 * i + 1]};
        ++i;
        const auto asset = assetPath(written, stack);
        if (!asset) {
            report({"expression.unknown",
                    {},
                    fmt::format("'{}' names a sublayer by {}, which cannot be worked out", layer->name, written),
                    "Put the file's name there",
                    1});
            continue;
        }
        const std::string resolved = assets_.resolve(*asset, layer->name);
        const std::string wanted = resolved.empty() ? assets_.anchored(*asset, layer->name) : resolved;
        if (resolved.empty()) {
            report({"layer.missing",
                    {},
                    fmt::format("The sublayer '{}' of '{}' is not there", *asset, layer->name),
                    "Put it back, or name a folder to search in",
                    2,
                    {wanted, layer->name}});
            continue;
        }
        auto below = assets_.open(resolved);
        if (!below) {
            report(
                {"layer.unreadable",
                 {},
                 fmt::format("The sublayer '{}' of '{}' cannot be read: {}", *asset, layer->name, below.error().text()),
                 "Have it written again",
                 2,
                 {wanted, layer->name}});
            continue;
        }
        if (std::find(open.begin(), open.end(), (*below)->name) != open.end()) {
            report({"layer.cycle",
                    {},
                    fmt::format("The sublayer '{}' of '{}' is one of those it is a sublayer of", *asset, layer->name),
                    "Take it out of the sublayers",
                    2,
                    {layer->name, (*below)->name}});
            continue;
        }
        if (stack.layers.size() > kMostLayers || open.size() > kDeepestLayers) {
            report({"layer.too_many",
                    {},
                    fmt::format("'{}' has more sublayers than can be composed", layer->name),
                    "",
                    2});
            break;
        }
        if (!(offset.scale > 0.0) || !std::isfinite(offset.scale) || !std::isfinite(offset.offset)) {
            report({"layer.offset_unusable",
                    {},
                    fmt::format("The sublayer '{}' of '{}' has the time scale {}: no offset is used", *asset,
                                layer->name, offset.scale),
                    "Give it a scale above 0",
                    2,
                    {(*below)->name, layer->name}});
            offset = {};
        } else {
            offset.scale *= timeCodesPerSecondOf(*layer) / timeCodesPerSecondOf(**below);
        }
        addLayers(stack, *below, offset.within(toStack), open);
    }
    open.pop_back();
}

} // namespace wyc::usd
