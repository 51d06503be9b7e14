// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/compose/stage.h"

#include <algorithm>
#include <set>

#include <fmt/format.h>

#include "base/text.h"
#include "formats/usd/compose/clips.h"
#include "formats/usd/layer/path.h"

namespace wyc::usd {
namespace {

// Prims of a composed scene: so many, or a thousand for each that its layers hold; more come of references that
// multiply.
constexpr std::size_t kManyPrims = 100'000;
constexpr std::size_t kMostPrims = 4'000'000;
constexpr std::size_t kPrimsAHeldOne = 1'000;

std::string textOr(const Value* value, std::string otherwise) {
    return value && value->text() ? *value->text() : std::move(otherwise);
}

// The strongest that says something; `says` gives a pointer to it.
template<class F> void forEachSpec(const PrimIndex& index, const F& visit) {
    for (const int n : index.byStrength) {
        const IndexNode& node = index.nodes[static_cast<std::size_t>(n)];
        for (const SpecAt& spec : node.specs)
            if (visit(node, n, spec))
                return;
    }
}

// That its class is a class does not make a prim one, where anything else says what it is.
enum class Says { Over, ItsClass, Itself };
bool isOfClass(const PrimIndex& index, int node) {
    for (int n = node; n >= 0; n = index.nodes[static_cast<std::size_t>(n)].parent) {
        const IndexNode& one = index.nodes[static_cast<std::size_t>(n)];
        if (one.direct && (one.arc == Arc::Inherit || one.arc == Arc::Specialize))
            return true;
    }
    return false;
}

// Properties that count for what is below a prim. By place: for some of it, or in another way for each.
enum class HandsDown { No, Alike, ByPlace };
HandsDown handsDown(std::string_view property) {
    if (property.starts_with("material:binding:collection") || property.starts_with("skel:"))
        return HandsDown::ByPlace;
    return property == "purpose" || property.starts_with("primvars:") || property.starts_with("material:binding")
               ? HandsDown::Alike
               : HandsDown::No;
}

// Entries of the stronger count, of dictionaries within dictionaries, too.
DictionaryPtr mergedDictionaries(const DictionaryPtr& stronger, const DictionaryPtr& weaker) {
    std::map<std::string, Value> merged;
    for (const auto& [key, value] : *weaker)
        merged[key] = value;
    for (const auto& [key, value] : *stronger) {
        auto& there = merged[key];
        const auto* a = value.as<DictionaryPtr>();
        const auto* b = there.as<DictionaryPtr>();
        there = a && b && *a && *b ? Value(mergedDictionaries(*a, *b)) : value;
    }
    return std::make_shared<const Dictionary>(std::make_move_iterator(merged.begin()),
                                              std::make_move_iterator(merged.end()));
}

} // namespace

bool inDictionaryOrder(const std::string& a, const std::string& b) {
    const auto lower = [](char c) { return c >= 'A' && c <= 'Z' ? static_cast<char>(c + ('a' - 'A')) : c; };
    const auto digit = [](char c) { return c >= '0' && c <= '9'; };
    std::size_t i = 0;
    std::size_t k = 0;
    while (i < a.size() && k < b.size()) {
        if (digit(a[i]) && digit(b[k])) {
            const auto run = [&](const std::string& text, std::size_t& at) {
                while (at < text.size() && text[at] == '0')
                    ++at;
                const std::size_t from = at;
                while (at < text.size() && digit(text[at]))
                    ++at;
                return text.substr(from, at - from);
            };
            const std::string x = run(a, i);
            const std::string y = run(b, k);
            if (x != y)
                return x.size() != y.size() ? x.size() < y.size() : x < y;
            continue;
        }
        if (lower(a[i]) != lower(b[k]))
            return static_cast<unsigned char>(lower(a[i])) < static_cast<unsigned char>(lower(b[k]));
        ++i;
        ++k;
    }
    if (a.size() - i != b.size() - k)
        return a.size() - i < b.size() - k;
    return a < b;
}

Result<std::shared_ptr<ComposedScene>> ComposedScene::open(const fs::path& path, const Choices& choices) {
    std::shared_ptr<ComposedScene> scene(new ComposedScene(choices));
    WYC_CHECK(scene->compose(path));
    return scene;
}

Status ComposedScene::compose(const fs::path& path) {
    composer_ = std::make_unique<Composer>(assets_, choices_);
    WYC_TRY(stack, composer_->rootStack(path.string()));
    stack_ = std::move(stack);
    Prim root;
    root.path = "/";
    root.defined = true;
    root.specifier = "def";
    root.index = composer_->rootIndex(stack_);
    prims_.push_back(std::move(root));
    byPath_.emplace("/", 0);
    addChildren(0, {});
    for (int i = 0; i < static_cast<int>(prims_.size()); ++i)
        if (prims_[static_cast<std::size_t>(i)].parent >= 0)
            prims_[static_cast<std::size_t>(prims_[static_cast<std::size_t>(i)].parent)].children.push_back(i);
    return {};
}

void ComposedScene::addChildren(int parent, const std::string& prefix) {
    const PrimIndexPtr index = prims_[static_cast<std::size_t>(parent)].index;
    const bool instance = prims_[static_cast<std::size_t>(parent)].instance;
    if (std::count(prefix.begin(), prefix.end(), '/') > kDeepest) {
        composer_->report({"prim.too_deep", prefix,
                           fmt::format("Prims are nested more than {} deep at {}", kDeepest, prefix),
                           "Look for references that never end"});
        return;
    }
    for (const std::string& name : composer_->childNames(*index, instance)) {
        if (prims_.size() >= mostPrims_ && !mayHoldMore()) {
            composer_->report({"prim.too_many",
                               {},
                               fmt::format("More than {} prims: the rest is left out", groupedDigits(mostPrims_)),
                               "Choose variants or payloads that show less"});
            return;
        }
        addPrim(composer_->childIndex(*index, name, instance), name, parent);
    }
}

bool ComposedScene::mayHoldMore() {
    std::size_t held = 0;
    for (const auto& [name, layer] : assets_.layers())
        held += layer->counts().prims;
    mostPrims_ = std::clamp(held * kPrimsAHeldOne, kManyPrims, kMostPrims);
    return prims_.size() < mostPrims_;
}

void ComposedScene::addPrim(PrimIndexPtr index, const std::string& name, int parent) {
    const Prim& above = prims_[static_cast<std::size_t>(parent)];
    Prim prim;
    prim.name = name;
    prim.path = childPath(above.path, name);
    prim.parent = parent;
    prim.clips = above.clips;
    prim.handsDown = above.handsDown;
    prim.handsDownByPlace = above.handsDownByPlace;
    prim.index = index;
    bool instanceable = false;
    bool hasInstanceable = false;
    bool hasActive = false;
    bool ownHandsDown = false; // not by what its own arcs lead to
    Says said = Says::Over;
    forEachSpec(*index, [&](const IndexNode& node, int n, const SpecAt& spec) {
        const std::string specifier = textOr(spec.prim->field("specifier"), "over");
        const Says says = specifier == "over"                            ? Says::Over
                          : specifier == "class" && isOfClass(*index, n) ? Says::ItsClass
                                                                         : Says::Itself;
        if (prim.specifier.empty() || said < says) {
            prim.specifier = specifier;
            said = says;
        }
        if (prim.typeName.empty())
            prim.typeName = textOr(spec.prim->field("typeName"), {});
        if (const Value* active = spec.prim->field("active"); active && !hasActive) {
            prim.active = active->boolean().value_or(true);
            hasActive = true;
        }
        if (const Value* value = spec.prim->field("instanceable"); value && !hasInstanceable) {
            instanceable = value->boolean().value_or(false);
            hasInstanceable = true;
        }
        if (spec.prim->field("clips"))
            prim.clips = static_cast<int>(prims_.size());
        for (const PropertySpec& property : spec.prim->properties)
            if (const HandsDown hands = handsDown(property.name); hands != HandsDown::No) {
                prim.handsDown = static_cast<int>(prims_.size());
                prim.handsDownByPlace = prim.handsDownByPlace || hands == HandsDown::ByPlace;
                ownHandsDown = ownHandsDown || !node.direct;
            }
        return false;
    });
    if (prim.specifier.empty())
        prim.specifier = "over";
    prim.abstract = above.abstract || prim.specifier == "class";
    prim.defined = above.defined && prim.specifier != "over";
    const bool hasArc = std::any_of(index->nodes.begin(), index->nodes.end(),
                                    [](const IndexNode& node) { return node.direct && !node.specs.empty(); });
    prim.instance = instanceable && hasArc && prim.active && prim.defined && !prim.abstract;
    const int number = static_cast<int>(prims_.size());
    if (prim.instance) {
        const auto [at, isNew] = prototypes_.emplace(instanceKey(prim, ownHandsDown), number);
        if (!isNew)
            prim.shares = at->second;
    }
    byPath_.emplace(prim.path, number);
    const bool below = prim.active && prim.shares < 0;
    const std::string path = prim.path;
    prims_.push_back(std::move(prim));
    if (below)
        addChildren(number, path);
}

std::string ComposedScene::instanceKey(const Prim& prim, bool handsDown) const {
    // What arcs lead to, through which times, and every choice of a variant.
    std::string key;
    for (const int n : prim.index->byStrength) {
        const IndexNode& node = prim.index->nodes[static_cast<std::size_t>(n)];
        if (node.direct)
            key += fmt::format("{}\n{}\n{}\n{}\n{}\n", static_cast<int>(node.arc),
                               static_cast<const void*>(node.stack.get()), node.path, node.toRoot.offset,
                               node.toRoot.scale);
    }
    std::map<std::string, std::string> chosen;
    forEachSpec(*prim.index, [&](const IndexNode&, int, const SpecAt& spec) {
        if (const Value* stored = spec.prim->field("variantSelection"))
            if (const Dictionary* entries = stored->dictionary())
                for (const auto& [set, choice] : *entries)
                    chosen.emplace(set, textOr(&choice, {}));
        return false;
    });
    for (const auto& [set, choice] : chosen)
        key += set + "=" + choice + "\n";
    // What comes down to it, and what is asked of things below it alone.
    key += fmt::format("{} {}\n", prims_[static_cast<std::size_t>(prim.parent)].handsDown, prim.clips);
    if (handsDown || prims_[static_cast<std::size_t>(prim.parent)].handsDownByPlace ||
        choices_.maySpeakBelow(prim.path))
        key += prim.path;
    return key;
}

const Prim* ComposedScene::prim(const std::string& path) const {
    const auto found = byPath_.find(path);
    return found == byPath_.end() ? nullptr : &prims_[static_cast<std::size_t>(found->second)];
}

std::vector<Problem> ComposedScene::problems() const {
    std::vector<Problem> all = composer_->problems();
    all.insert(all.end(), clipProblems_.begin(), clipProblems_.end());
    for (const std::string& remark : assets_.remarks())
        all.push_back({"package.entry_left_out", {}, remark, "Have the package written again", 1});
    return all;
}

std::vector<std::string> ComposedScene::propertyNames(const Prim& prim) const {
    std::set<std::string> known;
    forEachSpec(*prim.index, [&](const IndexNode&, int, const SpecAt& spec) {
        for (const PropertySpec& property : spec.prim->properties)
            known.insert(property.name);
        return false;
    });
    std::vector<std::string> order = statedOrder(prim);
    std::vector<std::string> names(known.begin(), known.end());
    std::sort(names.begin(), names.end(), inDictionaryOrder);
    if (order.empty())
        return names;
    ListEdit edit;
    for (std::string& name : order)
        edit.ordered.push_back({std::move(name)});
    std::vector<ListItem> items;
    for (std::string& name : names)
        items.push_back({std::move(name)});
    edit.applyTo(items);
    for (std::size_t i = 0; i < names.size(); ++i)
        names[i] = std::move(items[i].text);
    return names;
}

std::vector<std::string> ComposedScene::statedOrder(const Prim& prim) const {
    std::vector<std::string> order;
    forEachSpec(*prim.index, [&](const IndexNode&, int, const SpecAt& spec) {
        if (const Value* listed = spec.prim->field("propertyOrder"))
            order = textsOf(*listed);
        return !order.empty();
    });
    return order;
}

bool ComposedScene::isRelationship(const Prim& prim, const std::string& property) const {
    bool relationship = false;
    forEachSpec(*prim.index, [&](const IndexNode&, int, const SpecAt& spec) {
        const PropertySpec* found = spec.prim->property(property);
        relationship = found && found->relationship;
        return found != nullptr;
    });
    return relationship;
}

Attribute ComposedScene::attribute(const Prim& prim, const std::string& name) const {
    Attribute result;
    using From = ValueSource::From;
    bool valued = false;
    const auto take = [&](From from, const IndexNode& node, int n, std::size_t layer, const Offset& toStack) {
        result.source.from = from;
        result.source.toRoot = toStack.within(node.toRoot);
        result.source.node = n;
        result.source.layer = node.stack->layers[layer].layer->name;
        valued = true;
    };
    bool hasInterpolation = false;
    bool hasElementSize = false;
    for (const int n : prim.index->byStrength) {
        const IndexNode& node = prim.index->nodes[static_cast<std::size_t>(n)];
        // Layers of the stack in their order; clips count behind the layer that has them.
        std::size_t next = 0;
        for (std::size_t layer = 0; layer < node.stack->layers.size(); ++layer) {
            while (next < node.specs.size() && node.specs[next].layer < layer)
                ++next;
            const bool here = next < node.specs.size() && node.specs[next].layer == layer;
            if (!here && prim.clips < 0) {
                if (next >= node.specs.size())
                    break;
                layer = node.specs[next].layer - 1;
                continue;
            }
            const PropertySpec* found = here ? node.specs[next].prim->property(name) : nullptr;
            const Offset& toStack = node.stack->layers[layer].toStack;
            if (found && !found->relationship) {
                if (result.name.empty())
                    result.name = name;
                if (result.typeName.empty())
                    result.typeName = textOr(found->field("typeName"), {});
                if (const Value* custom = found->field("custom"))
                    result.custom = result.custom || custom->boolean().value_or(false);
                if (const Value* variability = found->field("variability"))
                    result.uniform = result.uniform || textOr(variability, {}) == "uniform";
                if (const Value* interpolation = found->field("interpolation"); interpolation && !hasInterpolation) {
                    result.interpolation = textOr(interpolation, {});
                    hasInterpolation = true;
                }
                if (const Value* size = found->field("elementSize"); size && !hasElementSize) {
                    result.elementSize = static_cast<int>(std::clamp(size->number().value_or(1.0), 1.0, 1e6));
                    hasElementSize = true;
                }
                const Value* samples = found->field("timeSamples");
                const Value* spline = found->field("spline");
                const Value* standard = found->field("default");
                if (!valued && samples && samples->samples() && !samples->samples()->times().empty()) {
                    result.source.samples = *samples->as<std::shared_ptr<const Samples>>();
                    take(From::Samples, node, n, layer, toStack);
                } else if (!valued && spline && spline->pointed<Spline>()) {
                    result.source.spline = *spline->as<std::shared_ptr<const Spline>>();
                    take(From::Spline, node, n, layer, toStack);
                } else if (!valued && standard) {
                    result.source.value = *standard;
                    take(standard->isBlock() ? From::Block : From::Default, node, n, layer, toStack);
                }
                if (standard && !result.standard)
                    result.standard = shiftedTimes(*standard, toStack.within(node.toRoot));
            }
            if (!valued && prim.clips >= 0)
                if (auto clips = clipsFor(prim, name, node, layer)) {
                    result.source.samples = std::move(clips);
                    take(From::Clips, node, n, layer, toStack);
                }
        }
    }
    if (result.name.empty())
        return {};
    result.type = typeNamed(result.typeName);
    if (result.source.from == From::Samples || result.source.from == From::Clips)
        for (const double time : result.source.samples->times())
            result.times_.push_back(result.source.toRoot.outside(time));
    return result;
}

std::shared_ptr<const Samples> ComposedScene::clipsFor(const Prim& prim, const std::string& attribute,
                                                       const IndexNode& node, std::size_t layer) const {
    for (const Prim* above = &prims_[static_cast<std::size_t>(prim.clips)]; above;
         above = above->parent >= 0 && prims_[static_cast<std::size_t>(above->parent)].clips >= 0
                     ? &prims_[static_cast<std::size_t>(prims_[static_cast<std::size_t>(above->parent)].clips)]
                     : nullptr)
        for (const int n : above->index->byStrength) {
            const IndexNode& site = above->index->nodes[static_cast<std::size_t>(n)];
            if (site.stack != node.stack || !isBelow(node.path, site.path))
                continue;
            for (const SpecAt& spec : site.specs) {
                const Value* stated = spec.layer == layer ? spec.prim->field("clips") : nullptr;
                if (!stated || !stated->dictionary())
                    continue;
                const std::string& layerName = site.stack->layers[layer].layer->name;
                std::vector<std::string> order;
                for (const ListItem& item : composedList(*above->index, "clipSets"))
                    order.push_back(item.text);
                if (order.empty())
                    for (const auto& [name, set] : *stated->dictionary())
                        order.push_back(name);
                for (const std::string& name : order) {
                    const Value* entry = entryOf(stated->dictionary(), name);
                    if (!entry || !entry->dictionary())
                        continue;
                    std::string problem;
                    const auto set = clipSetOf(*entry->dictionary(), problem);
                    const auto say = [&](std::string id, std::string text) {
                        const bool known = std::any_of(clipProblems_.begin(), clipProblems_.end(),
                                                       [&](const Problem& p) { return p.text == text; });
                        if (!known)
                            clipProblems_.push_back(
                                {std::move(id), above->path, std::move(text), "Put the file back", 2, {layerName}});
                    };
                    if (!set) {
                        say("clips.unusable",
                            fmt::format("The value clips '{}' of {} cannot be used: {}", name, above->path, problem));
                        continue;
                    }
                    const std::string rest = withoutVariants(node.path).substr(withoutVariants(site.path).size());
                    const LayerOpener opener = [&](const std::string& written) -> LayerPtr {
                        const std::string found = assets_.resolve(written, layerName);
                        auto opened = found.empty() ? Result<LayerPtr>(fail(ErrorKind::NotFound, "it is not there"))
                                                    : assets_.open(found);
                        if (opened)
                            return *opened;
                        say("clips.missing", fmt::format("The clip '{}' of {} cannot be read: {}", written, above->path,
                                                         opened.error().what));
                        return nullptr;
                    };
                    if (auto samples = clipSamples(*set, set->primPath + rest, attribute, opener))
                        return samples;
                }
            }
        }
    return nullptr;
}

std::vector<std::string> ComposedScene::targets(const Prim& prim, const std::string& property) const {
    std::vector<ListItem> list;
    for (auto n = prim.index->byStrength.rbegin(); n != prim.index->byStrength.rend(); ++n) {
        const IndexNode& node = prim.index->nodes[static_cast<std::size_t>(*n)];
        for (auto spec = node.specs.rbegin(); spec != node.specs.rend(); ++spec) {
            const PropertySpec* found = spec->prim->property(property);
            const Value* value =
                found ? found->field(found->relationship ? "targetPaths" : "connectionPaths") : nullptr;
            if (!value || !value->list())
                continue;
            ListEdit edit = *value->list();
            for (auto* items :
                 {&edit.explicitItems, &edit.added, &edit.prepended, &edit.appended, &edit.deleted, &edit.ordered}) {
                std::vector<ListItem> kept;
                for (const ListItem& item : *items)
                    if (auto path = prim.index->pathAtRoot(*n, withoutVariants(item.text)))
                        kept.push_back({std::move(*path)});
                *items = std::move(kept);
            }
            edit.applyTo(list);
        }
    }
    std::vector<std::string> result;
    for (ListItem& item : list)
        result.push_back(std::move(item.text));
    return result;
}

std::vector<std::string> ComposedScene::connections(const Prim& prim, const std::string& attribute) const {
    return targets(prim, attribute);
}

std::vector<std::string> ComposedScene::forwardedTargets(const Prim& prim, const std::string& property) const {
    std::vector<std::string> result;
    std::set<std::string> seen;
    std::vector<std::string> open = targets(prim, property);
    std::reverse(open.begin(), open.end());
    while (!open.empty()) {
        const std::string path = std::move(open.back());
        open.pop_back();
        if (!seen.insert(path).second)
            continue;
        const std::string part = propertyPartOf(path);
        const Prim* at = part.size() > 1 ? this->prim(primPathOf(path)) : nullptr;
        if (at && isRelationship(*at, part.substr(1))) {
            std::vector<std::string> more = targets(*at, part.substr(1));
            open.insert(open.end(), more.rbegin(), more.rend());
        } else {
            result.push_back(path);
        }
    }
    return result;
}

namespace {

// What a weaker opinion adds: dictionaries are merged, all else is decided by the strongest.
bool isDecided(Value& result, const Value* weaker) {
    if (!weaker)
        return false;
    if (result.isNothing()) {
        result = *weaker;
        return !result.dictionary();
    }
    if (weaker->dictionary())
        result = Value(mergedDictionaries(*result.as<DictionaryPtr>(), *weaker->as<DictionaryPtr>()));
    return false;
}

} // namespace

Value ComposedScene::metadata(const Prim& prim, std::string_view field) const {
    Value result;
    forEachSpec(*prim.index,
                [&](const IndexNode&, int, const SpecAt& spec) { return isDecided(result, spec.prim->field(field)); });
    return result;
}

Value ComposedScene::metadata(const Prim& prim, const std::string& property, std::string_view field) const {
    Value result;
    forEachSpec(*prim.index, [&](const IndexNode&, int, const SpecAt& spec) {
        const PropertySpec* found = spec.prim->property(property);
        return isDecided(result, found ? found->field(field) : nullptr);
    });
    return result;
}

std::vector<std::string> ComposedScene::metadataNames(const Prim& prim, const std::string& property) const {
    std::set<std::string> names;
    forEachSpec(*prim.index, [&](const IndexNode&, int, const SpecAt& spec) {
        const PropertySpec* found = property.empty() ? nullptr : spec.prim->property(property);
        const Fields* fields = property.empty() ? &spec.prim->fields : found ? &found->fields : nullptr;
        if (fields)
            for (const Field& field : *fields)
                names.insert(field.name);
        return false;
    });
    return {names.begin(), names.end()};
}

std::vector<std::string> ComposedScene::appliedSchemas(const Prim& prim) const {
    std::vector<std::string> names;
    for (const ListItem& item : composedList(*prim.index, "apiSchemas"))
        names.push_back(item.text);
    return names;
}

std::vector<ComposedScene::VariantSet> ComposedScene::variantSets(const Prim& prim) const {
    std::vector<VariantSet> sets;
    for (const ListItem& item : composedList(*prim.index, "variantSetNames")) {
        VariantSet set{item.text, {}, {}, {}};
        std::set<std::string> choices;
        forEachSpec(*prim.index, [&](const IndexNode& node, int, const SpecAt& spec) {
            if (const VariantSetSpec* held = spec.prim->variantSet(item.text))
                for (const auto& variant : held->variants)
                    choices.insert(variant->name);
            if (const Value* stored = spec.prim->field("variantSelection"); stored && set.chosen.empty()) {
                set.chosen = composer_->assetPath(textOr(entryOf(stored->dictionary(), item.text), {}), *node.stack)
                                 .value_or(std::string());
                set.chosenBy = node.stack->layers[spec.layer].layer->name;
            }
            return false;
        });
        if (const std::string* chosen = choices_.variantOf(prim.path, item.text)) {
            set.chosen = *chosen;
            set.chosenBy.clear();
        }
        set.choices.assign(choices.begin(), choices.end());
        sets.push_back(std::move(set));
    }
    return sets;
}

std::vector<std::string> ComposedScene::layersOf(const Prim& prim) const {
    std::vector<std::string> names;
    forEachSpec(*prim.index, [&](const IndexNode& node, int, const SpecAt& spec) {
        const std::string& name = node.stack->layers[spec.layer].layer->name;
        if (std::find(names.begin(), names.end(), name) == names.end())
            names.push_back(name);
        return false;
    });
    return names;
}

std::string ComposedScene::resolved(const std::string& asset, const std::string& fromLayer) const {
    return assets_.resolve(asset, fromLayer);
}

std::optional<std::string> ComposedScene::assetPath(const Prim& prim, int node, const std::string& written) const {
    return composer_->assetPath(written, *prim.index->nodes[static_cast<std::size_t>(std::max(node, 0))].stack);
}

} // namespace wyc::usd
