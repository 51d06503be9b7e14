// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/schema/layers_told.h"

#include <algorithm>
#include <cmath>
#include <set>

#include <fmt/format.h>
#include <fmt/ranges.h>

#include "base/text.h"
#include "formats/usd/layer/path.h"
#include "formats/usd/schema/materials.h"
#include "scene/stand_in.h"

namespace wyc::usd {
namespace {

class Teller {
  public:
    Teller(Scene& scene, const ComposedScene& stage, const std::vector<int>& primOf,
           const std::map<std::string, NodeId>& materials, const fs::path& opened)
        : scene_(scene),
          stage_(stage),
          primOf_(primOf),
          materials_(materials),
          opened_(opened),
          items_(itemMask(scene)) {}

    void tellLayers() {
        ReadReport& report = scene_.report;
        std::map<std::string, std::uint32_t> numbers;
        const auto add = [&](const Layer& layer, const Offset& offset) {
            if (!numbers.emplace(layer.name, static_cast<std::uint32_t>(report.layers.size())).second)
                return;
            ReadLayer one{layer.name, true, offset.offset, offset.scale};
            const auto codes = layer.number("timeCodesPerSecond");
            const auto frames = layer.number("framesPerSecond");
            if (const auto stated = codes ? codes : frames)
                one.rate = FrameRate::nearest(*stated);
            one.unitMetres = layer.number("metersPerUnit");
            if (const Value* up = layer.field("upAxis"); up && up->text())
                if (const auto axis = parseUpAxis(*up->text()))
                    one.upAxis = *axis;
            report.layers.push_back(std::move(one));
        };
        for (const StackLayer& one : stage_.rootStack().layers)
            add(*one.layer, one.toStack);
        std::map<NodeId, std::vector<std::uint32_t>> saidBy;
        for (std::size_t i = 0; i < scene_.nodes.size(); ++i) {
            const Prim& prim = stage_.prims()[static_cast<std::size_t>(primOf_[i])];
            for (const int n : prim.index->byStrength) {
                const IndexNode& node = prim.index->nodes[static_cast<std::size_t>(n)];
                for (const SpecAt& spec : node.specs)
                    add(*node.stack->layers[spec.layer].layer,
                        node.stack->layers[spec.layer].toStack.within(node.toRoot));
            }
            std::vector<std::uint32_t>& own = saidBy[scene_.nodes[i].id];
            for (const std::string& name : stage_.layersOf(prim))
                own.push_back(numbers.at(name));
        }
        for (const auto& [name, layer] : stage_.assets().layers())
            add(*layer, {});
        report.saidBy = std::make_shared<const std::map<NodeId, std::vector<std::uint32_t>>>(std::move(saidBy));
        const fs::path folder = folderOf(opened_);
        for (const ReadLayer& layer : report.layers)
            if (const std::string file = layer.path.substr(0, layer.path.find('[')); file != opened_.string())
                if (std::string relative = fs::path(file).lexically_proximate(folder).string();
                    std::find(report.files.begin(), report.files.end(), relative) == report.files.end())
                    report.files.push_back(std::move(relative));
        for (const Prim& prim : stage_.prims()) {
            if (!prim.active || prim.parent < 0)
                continue;
            for (const auto& set : stage_.variantSets(prim))
                report.choices.push_back({prim.path, set.name, set.choices, set.chosen});
            if (prim.index->hasPayload)
                report.choices.push_back(
                    {prim.path, {}, {"loaded", "not loaded"}, prim.index->unloaded ? "not loaded" : "loaded"});
        }
        tellDisagreement();
        tellChoices();
    }

    void tellProblems() {
        for (const Problem& problem : stage_.problems()) {
            remark(problem.id, itemFor(problem.prim), withNames(problem.text), problem.advice, problem.severity);
            if (problem.id == "layer.missing" && !problem.layers.empty())
                scene_.report.layers.push_back({problem.layers.front(), false});
        }
        for (const ReadLayer& layer : scene_.report.layers)
            if (!layer.found)
                scene_.report.files.push_back(calledFromHere(layer.path));
        // Files that values name.
        std::set<std::pair<std::string, std::string>> told;
        for (const Prim& prim : stage_.prims()) {
            if (!prim.active || !prim.defined || prim.abstract)
                continue;
            for (const std::string& name : stage_.propertyNames(prim)) {
                if (stage_.isRelationship(prim, name))
                    continue;
                const Attribute attribute = stage_.attribute(prim, name);
                if (attribute.type.base != Base::Asset || !attribute.hasValue())
                    continue;
                const std::vector<double> codes = codesOf(attribute);
                const auto value = attribute.at(codes.empty() ? 0.0 : codes.front());
                for (const std::string& asset : value ? textsOf(*value) : std::vector<std::string>{})
                    if (!asset.empty() && assetFile(stage_, prim, attribute, asset).empty() &&
                        told.emplace(prim.path + "." + name, asset).second)
                        remark("texture.missing", itemFor(prim.path),
                               fmt::format("'{}', which {}.{} names, is not there", asset, prim.path, name),
                               "Put it back, or name a folder to search in", 1);
            }
        }
    }

  private:
    template<class... Told> void remark(Told&&... told) {
        scene_.report.remarks.push_back(remarkOf(std::forward<Told>(told)...));
    }

    // Choices, of layers and of the person, that choose nothing that is there.
    void tellChoices() {
        const Choices& chosen = stage_.choices();
        std::vector<bool> met(chosen.variants.size(), false);
        std::vector<bool> metPayload(chosen.payloads.size(), false);
        const auto patternOf = [](const std::string& one) { return one.starts_with('!') ? one.substr(1) : one; };
        for (const Prim& prim : stage_.prims()) {
            for (std::size_t i = 0; prim.index->hasPayload && i < metPayload.size(); ++i)
                metPayload[i] = metPayload[i] || matchesPattern(prim.path, patternOf(chosen.payloads[i])) ||
                                matchesPattern(prim.name, patternOf(chosen.payloads[i]));
            for (const auto& set : stage_.variantSets(prim)) {
                for (std::size_t i = 0; i < met.size(); ++i)
                    met[i] = met[i] ||
                             (chosen.variants[i].set == set.name &&
                              (chosen.variants[i].prim.empty() || matchesPattern(prim.path, chosen.variants[i].prim)));
                if (set.chosen.empty() || prim.abstract ||
                    std::find(set.choices.begin(), set.choices.end(), set.chosen) != set.choices.end())
                    continue;
                remark("variant.unknown", itemFor(prim.path),
                       fmt::format("{} for the variants '{}' of {}; there are {}",
                                   set.chosenBy.empty()
                                       ? fmt::format("'{}' is chosen", set.chosen)
                                       : fmt::format("'{}' asks for '{}'", calledFromHere(set.chosenBy), set.chosen),
                                   set.name, prim.path,
                                   set.choices.empty() ? std::string("none")
                                                       : fmt::format("{}", fmt::join(set.choices, ", "))),
                       "Choose one of them", 1);
            }
        }
        for (std::size_t i = 0; i < met.size(); ++i)
            if (!met[i]) {
                const VariantChoice& one = chosen.variants[i];
                remark("choice.unknown", std::string(),
                       fmt::format("No prim{} has variants '{}', of which '{}' is chosen",
                                   one.prim.empty() ? "" : " " + one.prim, one.set, one.choice),
                       "`wyc info` lists what there is to choose", 1);
            }
        for (std::size_t i = 0; i < metPayload.size(); ++i)
            if (!metPayload[i] && chosen.payloads[i] != "*")
                remark("choice.unknown", std::string(),
                       fmt::format("No payload is called '{}'", patternOf(chosen.payloads[i])),
                       "`wyc info` lists what there is to choose", 1);
        std::error_code code;
        for (const fs::path& folder : chosen.search)
            if (!fs::is_directory(folder, code))
                remark("search.missing", std::string(),
                       fmt::format("The search folder '{}' is not there", folder.string()),
                       "Take it out, or name another", 1);
    }

    // Layers that state another unit, axis or rate than the first, which decides: told of each of their items.
    void tellDisagreement() {
        const std::vector<ReadLayer>& layers = scene_.report.layers;
        if (layers.empty())
            return;
        std::vector<std::vector<std::size_t>> itemsOf(layers.size());
        for (std::size_t i = 0; i < scene_.nodes.size(); ++i)
            if (const auto by = scene_.report.saidBy->find(scene_.nodes[i].id);
                items_[i] && by != scene_.report.saidBy->end())
                for (const std::uint32_t layer : by->second)
                    itemsOf[layer].push_back(i);
        const double unit = unitOf(layers.front());
        const UpAxis up = upAxisOf(layers.front());
        for (std::size_t i = 1; i < layers.size(); ++i) {
            const ReadLayer own = layers[i];
            const std::string name = calledFromHere(own.path);
            if (own.unitMetres && std::abs(*own.unitMetres / unit - 1.0) > 1e-6) {
                const double factor = *own.unitMetres / unit;
                ReaderRemark one = remarkOf("layer.unit", {},
                                            fmt::format("'{}' is in {}, the scene in {}: nothing converts it", name,
                                                        unitName(*own.unitMetres), unitName(unit)),
                                            "Where its size looks wrong, scale it", 1, factor, "×");
                one.mend = "scale";
                one.mendOptions = fmt::format(R"({{"factor": {}}})", shortestNumber(factor));
                one.mendLabel = fmt::format("Scale × {}", shortestNumber(factor));
                tellOfItems(i, itemsOf[i], one);
            }
            if (own.upAxis && *own.upAxis != up) {
                ReaderRemark one = remarkOf("layer.axis", {},
                                            fmt::format("'{}' is {} up, the scene {} up: nothing turns it", name,
                                                        upAxisName(*own.upAxis), upAxisName(up)),
                                            "Where it lies on its side, turn it", 1);
                if (*own.upAxis != UpAxis::X && up != UpAxis::X) { // else the format has no such thing
                    one.mend = "place";
                    one.mendOptions = fmt::format(R"({{"turn": "{}, 0, 0"}})", up == UpAxis::Y ? -90 : 90);
                    one.mendLabel = fmt::format("Turn to {} up", upAxisName(up));
                }
                tellOfItems(i, itemsOf[i], one);
            }
            if (own.rate && !(*own.rate == scene_.view.rate))
                tellOfItems(i, itemsOf[i],
                            remarkOf("layer.rate", {},
                                     fmt::format("'{}' counts {} time codes a second, the scene {}: its times are "
                                                 "scaled",
                                                 name, own.rate->shortText(), scene_.view.rate.shortText()),
                                     "Nothing need be done where that is meant", 0, own.rate->value(),
                                     "time codes a second"));
        }
    }

    [[nodiscard]] static double unitOf(const ReadLayer& layer) { return layer.unitMetres.value_or(0.01); }
    [[nodiscard]] static UpAxis upAxisOf(const ReadLayer& layer) { return layer.upAxis.value_or(UpAxis::Y); }

    // Of none, or of more than a person goes through one by one: of the scene.
    void tellOfItems(std::size_t layer, const std::vector<std::size_t>& items, const ReaderRemark& remark) {
        constexpr std::size_t kMost = 100;
        const auto tell = [&](std::string item, bool mends) {
            ReaderRemark& own = scene_.report.remarks.emplace_back(remark);
            own.item = std::move(item);
            if (!mends)
                own.mend = own.mendOptions = own.mendLabel = {};
        };
        if (items.empty() || items.size() > kMost)
            tell({}, false);
        else
            for (const std::size_t i : items)
                tell(scene_.nodes[i].path, isAllOf(layer, i));
    }
    // All numbers that it consists of, and those that place it, are in this layer's unit and axis.
    [[nodiscard]] bool isAllOf(std::size_t layer, std::size_t node) const {
        const std::vector<ReadLayer>& layers = scene_.report.layers;
        for (int at = static_cast<int>(node); at >= 0; at = scene_.nodes[static_cast<std::size_t>(at)].parent) {
            const Node& one = scene_.nodes[static_cast<std::size_t>(at)];
            const auto by = scene_.report.saidBy->find(one.id);
            if (by == scene_.report.saidBy->end() || (static_cast<std::size_t>(at) != node && !one.transform))
                continue;
            for (const std::uint32_t other : by->second)
                if (unitOf(layers[other]) != unitOf(layers[layer]) ||
                    upAxisOf(layers[other]) != upAxisOf(layers[layer]))
                    return false;
        }
        return true;
    }

    // As seen from the file that was opened.
    [[nodiscard]] std::string calledFromHere(const std::string& layer) const {
        const std::string file = layer.substr(0, layer.find('['));
        return fs::path(file).lexically_proximate(folderOf(opened_)).string() + layer.substr(file.size());
    }
    [[nodiscard]] std::string withNames(std::string text) const {
        for (const auto& [name, layer] : stage_.assets().layers())
            for (std::size_t at = text.find(name); at != std::string::npos;) {
                const std::string called = calledFromHere(name); // may hold the name itself
                text.replace(at, name.size(), called);
                at = text.find(name, at + called.size());
            }
        return text;
    }

    // What a person can choose and look at: of a prim that is no item the first that it is of, or that is of it.
    [[nodiscard]] std::string itemFor(const std::string& prim) {
        if (prim.empty())
            return {};
        if (firstBelow_.empty())
            for (std::size_t i = 0; i < scene_.nodes.size(); ++i)
                if (items_[i])
                    for (std::string at = scene_.nodes[i].path; !at.empty() && at != "/"; at = parentPath(at))
                        if (!firstBelow_.emplace(at, i).second)
                            break; // all above have an earlier one
        for (std::string at = prim; !at.empty() && at != "/"; at = parentPath(at))
            if (const auto material = materials_.find(at); material != materials_.end())
                if (const auto user = firstWith(material->second))
                    return scene_.nodes[*user].path;
        for (std::string at = prim; !at.empty() && at != "/"; at = parentPath(at))
            if (const auto found = firstBelow_.find(at); found != firstBelow_.end())
                return scene_.nodes[found->second].path;
        return {};
    }
    [[nodiscard]] std::optional<std::size_t> firstWith(NodeId material) {
        if (!users_) {
            users_.emplace();
            for (std::size_t i = 0; i < scene_.nodes.size(); ++i) {
                const Node& node = scene_.nodes[i];
                if (!items_[i])
                    continue;
                users_->emplace(node.material, i);
                if (!node.geometry || !node.is().faces || node.geometry->sampling().count() == 0)
                    continue;
                if (const auto sets = node.geometry->faceSets(0))
                    for (const FaceSet& set : **sets)
                        users_->emplace(set.material, i);
            }
        }
        const auto found = users_->find(material);
        return found == users_->end() ? std::nullopt : std::optional(found->second);
    }

    Scene& scene_;
    const ComposedScene& stage_;
    const std::vector<int>& primOf_;
    const std::map<std::string, NodeId>& materials_;
    const fs::path& opened_;
    std::vector<bool> items_;                            // of the nodes
    std::map<std::string, std::size_t> firstBelow_;      // items at or below a path
    std::optional<std::map<NodeId, std::size_t>> users_; // of a material the first item
};

} // namespace

void tellOfLayers(Scene& scene, const ComposedScene& stage, const std::vector<int>& primOf,
                  const std::map<std::string, NodeId>& materials, const fs::path& opened) {
    Teller teller(scene, stage, primOf, materials, opened);
    teller.tellLayers();
    teller.tellProblems();
}

} // namespace wyc::usd
