// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/compose/prim_index.h"

#include <algorithm>
#include <unordered_set>

#include <fmt/format.h>

#include "base/text.h"
#include "formats/usd/compose/expression.h"
#include "formats/usd/layer/path.h"

namespace wyc::usd {
namespace {

constexpr std::size_t kMostNodes = 20'000; // places that speak of one prim
constexpr std::size_t kLongestChain = 200; // arcs one behind another
constexpr std::size_t kMostProblems = 10'000;

// What is composed for an instance's children: nothing that the instance itself or what is above it says.
bool isSilent(const IndexNode& node, bool belowInstance) {
    return belowInstance && !node.direct;
}

std::string relocated(const LayerStack& stack, const std::string& path) {
    const std::pair<const std::string, std::string>* best = nullptr;
    for (const auto& pair : stack.relocates)
        if (isBelow(path, pair.first) && (!best || pair.first.size() > best->first.size()))
            best = &pair;
    if (!best)
        return path;
    return best->second.empty() ? std::string() : best->second + path.substr(best->first.size());
}

// Edits of a list in one stack's layers at one place, weakest first.
std::vector<std::pair<const ListEdit*, std::size_t>> editsOf(const IndexNode& node, std::string_view field) {
    std::vector<std::pair<const ListEdit*, std::size_t>> edits;
    for (auto spec = node.specs.rbegin(); spec != node.specs.rend(); ++spec)
        if (const Value* value = spec->prim->field(field); value && value->list())
            edits.emplace_back(value->list(), spec->layer);
    return edits;
}

} // namespace

std::optional<std::string> PathMap::outside(const std::string& path) const {
    const std::pair<std::string, std::string>* best = nullptr;
    for (const auto& pair : pairs)
        if (isBelow(path, pair.first) && (!best || pair.first.size() > best->first.size()))
            best = &pair;
    if (!best)
        return restStays ? std::optional(path) : std::nullopt;
    const std::string rest = best->first == "/" ? path : path.substr(best->first.size());
    return best->second == "/" && !rest.empty() ? rest : best->second + rest;
}

std::optional<std::string> PrimIndex::pathAtRoot(int node, const std::string& path) const {
    std::string at = path;
    for (int n = node; n >= 0; n = nodes[static_cast<std::size_t>(n)].parent) {
        const IndexNode& one = nodes[static_cast<std::size_t>(n)];
        if (one.map) {
            auto outside = one.map->outside(at);
            if (!outside)
                return std::nullopt;
            at = std::move(*outside);
        }
        if (one.arc != Arc::Relocate && one.parent >= 0)
            if (const LayerStack& stack = *nodes[static_cast<std::size_t>(one.parent)].stack;
                !stack.relocates.empty()) {
                at = relocated(stack, at);
                if (at.empty())
                    return std::nullopt;
            }
    }
    return at;
}

std::vector<ListItem> composedList(const PrimIndex& index, std::string_view field, const ItemMap& mapped) {
    std::vector<ListItem> list;
    for (auto n = index.byStrength.rbegin(); n != index.byStrength.rend(); ++n) {
        const IndexNode& node = index.nodes[static_cast<std::size_t>(*n)];
        for (const auto& [edit, layer] : editsOf(node, field)) {
            if (!mapped) {
                edit->applyTo(list);
                continue;
            }
            ListEdit here = *edit;
            for (auto* items :
                 {&here.explicitItems, &here.added, &here.prepended, &here.appended, &here.deleted, &here.ordered}) {
                std::vector<ListItem> kept;
                for (const ListItem& item : *items)
                    if (auto outside = mapped(item, node, layer))
                        kept.push_back(std::move(*outside));
                *items = std::move(kept);
            }
            here.applyTo(list);
        }
    }
    return list;
}

namespace {

// How deep a place lies in its own layers: what hangs from it is compared by that, wherever it is brought to.
int depthOf(const IndexNode& node) {
    return static_cast<int>(namesOf(withoutVariants(node.path)).size());
}

} // namespace

/// An index on its way.
struct Composer::Context {
    PrimIndex index;
    std::size_t done = 0; // nodes whose arcs are there
    bool full = false;
};

void Composer::report(Problem problem) {
    std::string key = problem.id + '\n' + problem.prim + '\n' + problem.text;
    if (problems_.size() < kMostProblems && reported_.insert(std::move(key)).second)
        problems_.push_back(std::move(problem));
}

std::optional<std::string> Composer::assetPath(const std::string& written, const LayerStack& stack) const {
    if (written.empty() || written.front() != '`')
        return written;
    return evaluatedExpression(written, stack.expressionVariables ? stack.expressionVariables.get() : nullptr);
}

PrimIndexPtr Composer::rootIndex(const LayerStackPtr& stack) {
    auto index = std::make_shared<PrimIndex>();
    IndexNode node;
    node.stack = stack;
    node.path = "/";
    for (std::size_t i = 0; i < stack->layers.size(); ++i)
        node.specs.push_back({i, stack->layers[i].layer->root.get()});
    index->nodes.push_back(std::move(node));
    index->byStrength = {0};
    return index;
}

// The child as the parent's places speak of it, before arcs of its own.
PrimIndex Composer::stepDown(const PrimIndex& parent, const std::string& name, bool belowInstance) {
    PrimIndex child;
    std::vector<int> numbers(parent.nodes.size(), -1); // in the child
    const auto says = [&](const IndexNode& node) { return !node.muted && !isSilent(node, belowInstance); };
    // A node stays where it, or anything below it, speaks of the child.
    std::vector<bool> stays(parent.nodes.size());
    std::vector<bool> cut(parent.nodes.size());
    for (std::size_t n = 0; n < parent.nodes.size(); ++n) {
        const IndexNode& node = parent.nodes[n];
        cut[n] = node.parent >= 0 && cut[static_cast<std::size_t>(node.parent)];
        if (!node.stack->relocates.empty()) {
            const std::string path = withoutVariants(childPath(node.path, name));
            if (node.stack->relocates.contains(path))
                cut[n] = true;
            if (node.stack->byTarget.contains(path))
                stays[n] = !cut[n];
        }
    }
    for (std::size_t n = parent.nodes.size(); n-- > 0;) {
        const IndexNode& node = parent.nodes[n];
        if (!cut[n] && !stays[n] && says(node))
            stays[n] =
                std::any_of(node.specs.begin(), node.specs.end(), [&](const SpecAt& s) { return s.prim->child(name); });
        if (stays[n] && node.parent >= 0)
            stays[static_cast<std::size_t>(node.parent)] = true;
    }
    stays[0] = true;
    for (std::size_t n = 0; n < parent.nodes.size(); ++n) {
        if (!stays[n] || (cut[n] && n > 0))
            continue;
        const IndexNode& node = parent.nodes[n];
        if (node.parent >= 0 && numbers[static_cast<std::size_t>(node.parent)] < 0)
            continue;
        IndexNode made;
        made.arc = node.arc;
        made.parent = node.parent < 0 ? -1 : numbers[static_cast<std::size_t>(node.parent)];
        made.stack = node.stack;
        made.path = childPath(node.path, name);
        made.map = node.map;
        made.toRoot = node.toRoot;
        made.depth = node.depth;
        made.order = node.order;
        if (says(node) && !cut[n])
            for (const SpecAt& spec : node.specs)
                if (const PrimSpec* found = spec.prim->child(name))
                    made.specs.push_back({spec.layer, found});
        numbers[n] = static_cast<int>(child.nodes.size());
        if (made.parent >= 0)
            child.nodes[static_cast<std::size_t>(made.parent)].children.push_back(numbers[n]);
        child.nodes.push_back(std::move(made));
    }
    return child;
}

bool Composer::isCycle(const Context& context, int node, const LayerStackPtr& stack, const std::string& path) const {
    for (int n = node; n >= 0; n = context.index.nodes[static_cast<std::size_t>(n)].parent) {
        const IndexNode& one = context.index.nodes[static_cast<std::size_t>(n)];
        const std::string site = withoutVariants(one.path);
        if (one.stack == stack && (isBelow(path, site) || isBelow(site, path)))
            return true;
    }
    return false;
}

// An index by itself, as what an arc leads to is composed: with all arcs of what is above it, and none of its own.
PrimIndex Composer::withoutArcs(const LayerStackPtr& stack, const std::string& path) {
    if (!isPrimPath(path) || std::count(path.begin(), path.end(), '/') > kDeepest) { // nothing is there
        PrimIndex nothing;
        nothing.nodes.push_back({.stack = stack, .path = path});
        return nothing;
    }
    const std::string above = parentPath(path);
    if (above == "/")
        return stepDown(*rootIndex(stack), lastName(path), false);
    const std::pair key{stack.get(), above};
    std::shared_ptr<const PrimIndex> parent;
    if (const auto known = built_.find(key); known != built_.end()) {
        parent = known->second;
    } else if (building_.size() > kLongestChain ||
               std::find(building_.begin(), building_.end(), std::pair{key.first, key.second}) != building_.end()) {
        // It is being composed for itself: what it says by itself is all there is here.
        PrimIndex plain = withoutArcs(stack, above);
        plain.byStrength = {0};
        parent = std::make_shared<const PrimIndex>(std::move(plain));
    } else {
        building_.emplace_back(key.first, key.second);
        Context context{withoutArcs(stack, above)};
        addArcs(context);
        parent = std::make_shared<const PrimIndex>(std::move(context.index));
        building_.pop_back();
        built_.emplace(key, parent);
    }
    return stepDown(*parent, lastName(path), false);
}

int Composer::graft(Context& context, int parent, Arc arc, const LayerStackPtr& stack, const std::string& path,
                    std::shared_ptr<const PathMap> map, const Offset& offset, int order) {
    PrimIndex below = withoutArcs(stack, path);
    const int first = static_cast<int>(context.index.nodes.size());
    if (context.index.nodes.size() + below.nodes.size() > kMostNodes) {
        if (!context.full)
            report({"arc.too_many", composing_,
                    fmt::format("{} is spoken of in more than {} places", composing_, kMostNodes),
                    "Look for references that multiply"});
        context.full = true;
        return -1;
    }
    const Offset toRoot = offset.within(context.index.nodes[static_cast<std::size_t>(parent)].toRoot);
    for (std::size_t i = 0; i < below.nodes.size(); ++i) {
        IndexNode& node = below.nodes[i];
        node.toRoot = node.toRoot.within(toRoot);
        for (int& child : node.children)
            child += first;
        node.direct = true;
        if (i == 0) {
            node.arc = arc;
            node.parent = parent;
            node.map = map;
            node.depth = depthOf(context.index.nodes[static_cast<std::size_t>(parent)]);
            node.order = order;
        } else {
            node.parent += first;
        }
        context.index.nodes.push_back(std::move(node));
    }
    context.index.nodes[static_cast<std::size_t>(parent)].children.push_back(first);
    return first;
}

namespace {

// How many arcs lie between a node and the root.
std::size_t chainOf(const PrimIndex& index, int node) {
    std::size_t length = 0;
    for (int n = node; n >= 0; n = index.nodes[static_cast<std::size_t>(n)].parent)
        ++length;
    return length;
}

const char* wordOf(Arc arc) {
    return arc == Arc::Payload ? "payload" : "reference";
}

} // namespace

// References are the same where they lead to the same file, prim and written offset: told by those.
std::vector<Composer::Reference> Composer::referencesOf(const IndexNode& site, Arc arc) {
    std::vector<ListItem> items;
    std::map<std::string, Reference> byKey; // what an item of the composed list stands for
    const auto keyOf = [](const ListItem& item) {
        return fmt::format("{}\n{}\n{}\n{}", item.text, item.prim, item.offset, item.scale);
    };
    for (const auto& [edit, layer] : editsOf(site, arc == Arc::Payload ? "payload" : "references")) {
        ListEdit here = *edit;
        const std::string& asking = site.stack->layers[layer].layer->name;
        for (auto* part :
             {&here.explicitItems, &here.added, &here.prepended, &here.appended, &here.deleted, &here.ordered})
            for (ListItem& item : *part) {
                const Reference reference{item, layer};
                const auto asset = assetPath(item.text, *site.stack);
                item.text = !asset ? item.text : asset->empty() ? "" : assets_.anchored(*asset, asking);
                if (asset && !asset->empty())
                    if (std::string resolved = assets_.resolve(*asset, asking); !resolved.empty())
                        item.text = std::move(resolved);
                byKey.insert_or_assign(keyOf(item), reference);
            }
        here.applyTo(items);
    }
    std::vector<Reference> references;
    for (const ListItem& item : items)
        references.push_back(byKey.at(keyOf(item)));
    return references;
}

LayerStackPtr Composer::stackLedTo(const IndexNode& site, const Reference& reference, Arc arc) {
    const std::string& asking = site.stack->layers[reference.layer].layer->name;
    const auto asset = assetPath(reference.item.text, *site.stack);
    if (!asset) {
        report(
            {"expression.unknown",
             composing_,
             fmt::format("{} has a {} to {}, which cannot be worked out", composing_, wordOf(arc), reference.item.text),
             "Put the file's name there",
             1,
             {asking}});
        return nullptr;
    }
    if (asset->empty())
        return site.stack;
    const std::string resolved = assets_.resolve(*asset, asking);
    if (resolved.empty()) {
        report({"layer.missing",
                composing_,
                fmt::format("The {} of {} to '{}' (in '{}') leads to no file", wordOf(arc), composing_, *asset, asking),
                "Put the file back, or name a folder to search in",
                2,
                {assets_.anchored(*asset, asking), asking}});
        return nullptr;
    }
    auto opened = stackOf(resolved, site.stack->expressionVariables, asking);
    if (!opened) {
        report({"layer.unreadable",
                composing_,
                fmt::format("The {} of {} to '{}' cannot be read: {}", wordOf(arc), composing_, *asset,
                            opened.error().text()),
                "Have it written again",
                2,
                {resolved, asking}});
        return nullptr;
    }
    return *opened;
}

std::optional<std::string> Composer::primLedTo(const LayerStack& stack, const Reference& reference, Arc arc,
                                               const std::string& asking) {
    const auto isOne = [](const std::string& path) { return isPrimPath(path) && path != "/"; };
    std::string target = reference.item.prim;
    if (target.empty()) {
        if (const Value* standard = stack.layers.front().layer->field("defaultPrim"); standard && standard->text())
            target = standard->text()->starts_with('/') ? *standard->text() : "/" + *standard->text();
        if (!isOne(target)) {
            report({"arc.no_prim",
                    composing_,
                    fmt::format("The {} of {} to '{}' names no prim, and that layer has no default prim", wordOf(arc),
                                composing_, stack.name()),
                    "Name the prim, or give the layer a default prim",
                    2,
                    {stack.name(), asking}});
            return std::nullopt;
        }
    }
    if (!isOne(target)) {
        report({"arc.no_prim",
                composing_,
                fmt::format("The {} of {} leads to '{}', which is no prim", wordOf(arc), composing_, target),
                "Name a prim",
                2,
                {stack.name(), asking},
                {target}});
        return std::nullopt;
    }
    return target;
}

Offset Composer::offsetOf(const IndexNode& site, const Reference& reference, Arc arc, const LayerStack& stack) {
    const StackLayer& from = site.stack->layers[reference.layer];
    Offset offset{reference.item.offset, reference.item.scale};
    if (!(offset.scale > 0.0) || !std::isfinite(offset.scale) || !std::isfinite(offset.offset)) {
        report({"layer.offset_unusable",
                composing_,
                fmt::format("The {} of {} to '{}' has the time scale {}: no offset is used", wordOf(arc), composing_,
                            stack.name(), offset.scale),
                "Give it a scale above 0",
                2,
                {stack.name(), from.layer->name}});
        offset = {};
    }
    offset = offset.within(from.toStack);
    offset.scale *= site.stack->timeCodesPerSecond / stack.timeCodesPerSecond;
    return offset;
}

void Composer::addReferences(Context& context, int node, Arc arc) {
    const IndexNode site = context.index.nodes[static_cast<std::size_t>(node)];
    const std::vector<Reference> references = referencesOf(site, arc);
    if (references.empty())
        return;
    context.index.hasPayload = context.index.hasPayload || arc == Arc::Payload;
    if (arc == Arc::Payload && !choices_.loads(composing_)) {
        context.index.unloaded = true;
        return;
    }
    int order = 0;
    for (const Reference& reference : references) {
        const std::string& asking = site.stack->layers[reference.layer].layer->name;
        const LayerStackPtr stack = stackLedTo(site, reference, arc);
        const auto target = stack ? primLedTo(*stack, reference, arc, asking) : std::nullopt;
        if (!target)
            continue;
        const std::string place = withoutVariants(site.path);
        if (isCycle(context, node, stack, *target)) {
            Problem cycle{"arc.cycle",
                          composing_,
                          fmt::format("The {} at {} (in '{}') to {} leads round in a circle", wordOf(arc), place,
                                      asking, *target),
                          "Take it out",
                          2,
                          {stack->name(), asking},
                          {*target}};
            if (place != composing_)
                cycle.paths = {place};
            report(std::move(cycle));
            continue;
        }
        if (chainOf(context.index, node) > kLongestChain) {
            report({"arc.too_many", composing_,
                    fmt::format("More than {} references lead one to another at {}", kLongestChain, composing_),
                    "Look for references that never end"});
            continue;
        }
        auto map = std::make_shared<PathMap>();
        map->pairs.emplace_back(*target, place);
        const Offset offset = offsetOf(site, reference, arc, *stack);
        const int made = graft(context, node, arc, stack, *target, std::move(map), offset, order++);
        if (made < 0)
            return;
        const std::vector<IndexNode>& nodes = context.index.nodes;
        if (std::none_of(nodes.begin() + made, nodes.end(), [](const IndexNode& n) { return !n.specs.empty(); }))
            report({"arc.no_prim",
                    composing_,
                    fmt::format("The {} of {} leads to {}, which is not in '{}'", wordOf(arc), composing_, *target,
                                stack->name()),
                    "Name a prim that is there",
                    2,
                    {stack->name(), asking},
                    {*target}});
    }
}

void Composer::addClasses(Context& context, int node, Arc arc) {
    const IndexNode site = context.index.nodes[static_cast<std::size_t>(node)];
    std::vector<ListItem> list;
    for (const auto& [edit, layer] : editsOf(site, arc == Arc::Inherit ? "inheritPaths" : "specializes"))
        edit->applyTo(list);
    int order = 0;
    for (const ListItem& item : list) {
        if (!isPrimPath(item.text) || item.text == "/")
            continue;
        if (isCycle(context, node, site.stack, item.text)) {
            Problem cycle{"arc.cycle",
                          composing_,
                          fmt::format("{} {} {}, which leads round in a circle", withoutVariants(site.path),
                                      arc == Arc::Inherit ? "inherits" : "specializes", item.text),
                          "Take it out",
                          2,
                          {site.stack->name()},
                          {item.text}};
            if (withoutVariants(site.path) != composing_)
                cycle.paths = {withoutVariants(site.path)};
            report(std::move(cycle));
            continue;
        }
        if (chainOf(context.index, node) > kLongestChain)
            continue;
        auto map = std::make_shared<PathMap>();
        map->pairs.emplace_back(item.text, withoutVariants(site.path));
        map->restStays = true;
        if (graft(context, node, arc, site.stack, item.text, std::move(map), {}, order++) < 0)
            return;
    }
}

// A class that a referenced prim inherits is looked for in the referencing layers, too, where it is stronger.
void Composer::addImplied(Context& context, int node) {
    auto& nodes = context.index.nodes;
    const auto isClass = [&](int n) {
        const Arc arc = nodes[static_cast<std::size_t>(n)].arc;
        return arc == Arc::Inherit || arc == Arc::Specialize;
    };
    if (!isClass(node))
        return;
    // From the prim that has the class to the class, over classes of classes.
    std::vector<int> chain{node};
    int base = nodes[static_cast<std::size_t>(node)].parent;
    while (base >= 0 && isClass(base)) {
        chain.insert(chain.begin(), base);
        base = nodes[static_cast<std::size_t>(base)].parent;
    }
    if (base < 0 || nodes[static_cast<std::size_t>(base)].parent < 0)
        return;
    const int outer = nodes[static_cast<std::size_t>(base)].parent;
    const auto arcMap = nodes[static_cast<std::size_t>(base)].map;
    int at = outer;
    for (const int one : chain) {
        const IndexNode from = nodes[static_cast<std::size_t>(one)];
        std::string path = withoutVariants(from.path);
        if (arcMap)
            if (auto outside = arcMap->outside(path))
                path = std::move(*outside);
        const LayerStackPtr stack = nodes[static_cast<std::size_t>(outer)].stack;
        int found = -1;
        for (const int child : nodes[static_cast<std::size_t>(at)].children) {
            const IndexNode& there = nodes[static_cast<std::size_t>(child)];
            if (there.arc == from.arc && there.stack == stack && withoutVariants(there.path) == path)
                found = child;
        }
        if (found < 0) {
            if (isCycle(context, at, stack, path))
                return;
            auto map = std::make_shared<PathMap>();
            // What the class itself is on both sides; below its prim the map of the original says the rest.
            map->pairs.emplace_back(path, withoutVariants(nodes[static_cast<std::size_t>(at)].path));
            map->restStays = true;
            found = graft(context, at, from.arc, stack, path, std::move(map), {}, 1'000'000 + from.order);
            if (found < 0)
                return;
        }
        at = found;
    }
}

// What stood at another place before it was relocated here.
void Composer::addRelocates(Context& context, int node) {
    const IndexNode site = context.index.nodes[static_cast<std::size_t>(node)];
    if (site.stack->byTarget.empty() || site.arc == Arc::Relocate)
        return;
    const std::string path = withoutVariants(site.path);
    const auto found = site.stack->byTarget.find(path);
    if (found == site.stack->byTarget.end())
        return;
    for (int n = node; n >= 0; n = context.index.nodes[static_cast<std::size_t>(n)].parent)
        if (const IndexNode& one = context.index.nodes[static_cast<std::size_t>(n)];
            one.stack == site.stack && withoutVariants(one.path) == found->second)
            return; // round in a circle
    const std::string& source = found->second;
    const std::string above = parentPath(source);
    // The place itself is left out where its parent is looked at; here it is what is wanted.
    auto open = std::make_shared<LayerStack>(*site.stack);
    auto map = std::make_shared<PathMap>();
    map->pairs.emplace_back(source, path);
    map->restStays = true;
    PrimIndex parent = above == "/" ? *rootIndex(site.stack) : PrimIndex{};
    if (above != "/") {
        Context outer{withoutArcs(site.stack, above)};
        building_.emplace_back(site.stack.get(), above);
        if (building_.size() < kLongestChain)
            addArcs(outer);
        building_.pop_back();
        parent = std::move(outer.index);
    }
    open->relocates.erase(source);
    for (IndexNode& one : parent.nodes)
        if (one.stack == site.stack)
            one.stack = open;
    PrimIndex below = stepDown(parent, lastName(source), false);
    for (IndexNode& one : below.nodes)
        if (one.stack == open)
            one.stack = site.stack;
    if (!below.nodes.front().specs.empty()) {
        std::vector<std::string> layers;
        for (const SpecAt& spec : below.nodes.front().specs)
            layers.push_back(site.stack->layers[spec.layer].layer->name);
        report({"relocate.old_place",
                composing_,
                fmt::format("'{}' says something at {}, from where it was relocated to {}: it is ignored",
                            layers.front(), source, path),
                "Say it at the new place",
                1,
                layers,
                {source}});
    }
    below.nodes.front().specs.clear();
    below.nodes.front().muted = true;
    const int first = static_cast<int>(context.index.nodes.size());
    for (std::size_t i = 0; i < below.nodes.size(); ++i) {
        IndexNode& one = below.nodes[i];
        one.toRoot = one.toRoot.within(site.toRoot);
        one.direct = true;
        for (int& child : one.children)
            child += first;
        if (i == 0) {
            one.arc = Arc::Relocate;
            one.parent = node;
            one.map = map;
            one.depth = depthOf(context.index.nodes[static_cast<std::size_t>(node)]);
        } else {
            one.parent += first;
        }
        context.index.nodes.push_back(std::move(one));
    }
    context.index.nodes[static_cast<std::size_t>(node)].children.push_back(first);
}

void Composer::addDirectArcs(Context& context, int node) {
    addRelocates(context, node);
    if (!context.index.nodes[static_cast<std::size_t>(node)].specs.empty() &&
        !context.index.nodes[static_cast<std::size_t>(node)].muted) {
        addReferences(context, node, Arc::Reference);
        addReferences(context, node, Arc::Payload);
        addClasses(context, node, Arc::Inherit);
        addClasses(context, node, Arc::Specialize);
    }
    addImplied(context, node);
}

namespace {

void sortChildren(PrimIndex& index) {
    for (IndexNode& node : index.nodes)
        std::stable_sort(node.children.begin(), node.children.end(), [&](int a, int b) {
            const IndexNode& first = index.nodes[static_cast<std::size_t>(a)];
            const IndexNode& second = index.nodes[static_cast<std::size_t>(b)];
            if (first.arc != second.arc)
                return first.arc < second.arc;
            if (first.depth != second.depth) // what is nearer to the prim is stronger
                return first.depth > second.depth;
            return first.order < second.order;
        });
}

// Each with its arcs; specializes come behind all else, those of stronger ones first.
void collect(const PrimIndex& index, int node, std::vector<int>& order, std::vector<int>& later) {
    const IndexNode& one = index.nodes[static_cast<std::size_t>(node)];
    order.push_back(node);
    for (const int child : one.children)
        if (index.nodes[static_cast<std::size_t>(child)].arc == Arc::Specialize)
            later.push_back(child);
    for (const int child : one.children)
        if (index.nodes[static_cast<std::size_t>(child)].arc != Arc::Specialize)
            collect(index, child, order, later);
}

void collectAll(const PrimIndex& index, int node, std::vector<int>& order) {
    std::vector<int> later;
    collect(index, node, order, later);
    for (const int child : later)
        collectAll(index, child, order);
}

std::vector<int> strengthOf(PrimIndex& index) {
    sortChildren(index);
    std::vector<int> all;
    collectAll(index, 0, all);
    return all;
}

} // namespace

// The next variant of a prim that is not there yet; false where all are.
bool Composer::addVariant(Context& context) {
    const std::vector<int> order = strengthOf(context.index);
    for (const int n : order) {
        IndexNode& node = context.index.nodes[static_cast<std::size_t>(n)];
        if (node.muted || node.specs.empty())
            continue;
        std::vector<ListItem> names;
        for (const auto& [edit, layer] : editsOf(node, "variantSetNames"))
            edit->applyTo(names);
        for (std::size_t i = 0; i < names.size(); ++i) {
            const std::string& set = names[i].text;
            if (!node.sets.insert(set).second)
                continue;
            std::string choice;
            if (const std::string* chosen = choices_.variantOf(composing_, set)) {
                choice = *chosen;
            } else {
                for (const int other : order) {
                    const IndexNode& one = context.index.nodes[static_cast<std::size_t>(other)];
                    for (const SpecAt& spec : one.specs)
                        if (const Value* stored = spec.prim->field("variantSelection");
                            choice.empty() && !one.muted && stored)
                            if (const Value* entry = entryOf(stored->dictionary(), set); entry && entry->text()) {
                                choice = *entry->text();
                                if (choice.starts_with('`')) {
                                    const auto worked = assetPath(choice, *one.stack);
                                    choice = worked.value_or(std::string());
                                }
                            }
                    if (!choice.empty())
                        break;
                }
            }
            if (choice.empty())
                continue;
            IndexNode made;
            made.arc = Arc::Variant;
            made.parent = n;
            made.stack = node.stack;
            made.path = node.path + "{" + set + "=" + choice + "}";
            made.toRoot = node.toRoot;
            made.depth = depthOf(node);
            made.order = static_cast<int>(i);
            made.direct = true;
            for (const SpecAt& spec : node.specs)
                if (const VariantSetSpec* held = spec.prim->variantSet(set))
                    if (const PrimSpec* variant = held->variant(choice))
                        made.specs.push_back({spec.layer, variant});
            if (made.specs.empty())
                continue;
            if (context.index.nodes.size() >= kMostNodes)
                return false;
            const int number = static_cast<int>(context.index.nodes.size());
            context.index.nodes.push_back(std::move(made));
            context.index.nodes[static_cast<std::size_t>(n)].children.push_back(number);
            return true;
        }
    }
    return false;
}

void Composer::addArcs(Context& context) {
    do {
        for (; context.done < context.index.nodes.size(); ++context.done)
            addDirectArcs(context, static_cast<int>(context.done));
    } while (addVariant(context));
    // What speaks of nothing goes.
    for (const int n : strengthOf(context.index))
        if (const IndexNode& node = context.index.nodes[static_cast<std::size_t>(n)];
            !node.specs.empty() && !node.muted)
            context.index.byStrength.push_back(n);
}

PrimIndexPtr Composer::childIndex(const PrimIndex& parent, const std::string& name, bool belowInstance) {
    Context context{stepDown(parent, name, belowInstance)};
    composing_ = withoutVariants(context.index.nodes.front().path);
    addArcs(context);
    return std::make_shared<const PrimIndex>(std::move(context.index));
}

namespace {

// A list of names in the order that another gives; unlisted ones go with the listed one in front of them.
void reorder(std::vector<std::string>& names, const std::vector<std::string>& order) {
    ListEdit edit;
    for (const std::string& name : order)
        edit.ordered.push_back({name});
    std::vector<ListItem> items;
    for (std::string& name : names)
        items.push_back({std::move(name)});
    edit.applyTo(items);
    for (std::size_t i = 0; i < names.size(); ++i)
        names[i] = std::move(items[i].text);
}

void addNames(const PrimIndex& index, int number, bool belowInstance, std::vector<std::string>& names,
              std::unordered_set<std::string>& known) {
    const IndexNode& node = index.nodes[static_cast<std::size_t>(number)];
    for (auto child = node.children.rbegin(); child != node.children.rend(); ++child)
        addNames(index, *child, belowInstance, names, known);
    if (!node.muted && !isSilent(node, belowInstance))
        for (auto spec = node.specs.rbegin(); spec != node.specs.rend(); ++spec) {
            for (const auto& child : spec->prim->children)
                if (known.insert(child->name).second)
                    names.push_back(child->name);
            if (const Value* order = spec->prim->field("primOrder"))
                reorder(names, textsOf(*order));
        }
    if (node.stack->relocates.empty())
        return;
    const std::string here = withoutVariants(node.path);
    for (const auto& [from, to] : node.stack->relocates) {
        if (parentPath(from) == here && known.erase(lastName(from)) > 0)
            std::erase(names, lastName(from));
    }
    for (const auto& [from, to] : node.stack->relocates)
        if (!to.empty() && parentPath(to) == here && known.insert(lastName(to)).second)
            names.push_back(lastName(to));
}

} // namespace

std::vector<std::string> Composer::childNames(const PrimIndex& index, bool belowInstance) const {
    std::vector<std::string> names;
    std::unordered_set<std::string> known;
    addNames(index, 0, belowInstance, names, known);
    return names;
}

} // namespace wyc::usd
