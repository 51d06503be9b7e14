// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Composition: which places in which layers speak of a prim, in the order of their strength. Local opinions first, then
// inherits, variants, relocates, references, payloads, specializes, each with all that it brings along.
#include <deque>
#include <set>

#include "formats/usd/compose/assets.h"
#include "formats/usd/compose/choices.h"

namespace wyc::usd {

/// A time t of a layer is t · scale + offset outside.
struct Offset {
    double offset = 0.0;
    double scale = 1.0;
    [[nodiscard]] double outside(double inside) const { return inside * scale + offset; }
    [[nodiscard]] double inside(double outside) const { return (outside - offset) / scale; }
    /// First this, then `outer`.
    [[nodiscard]] Offset within(const Offset& outer) const { return {outer.outside(offset), scale * outer.scale}; }
    [[nodiscard]] bool isIdentity() const { return offset == 0.0 && scale == 1.0; }
    bool operator==(const Offset&) const = default;
};

struct StackLayer {
    LayerPtr layer;
    Offset toStack;
};
/// A layer with its sublayers, the strongest first.
struct LayerStack {
    std::vector<StackLayer> layers;
    std::map<std::string, std::string> relocates; // source → target; empty target: gone
    std::map<std::string, std::string> byTarget;
    DictionaryPtr expressionVariables;
    double timeCodesPerSecond = 24.0;
    [[nodiscard]] const std::string& name() const { return layers.front().layer->name; }
};
using LayerStackPtr = std::shared_ptr<const LayerStack>;
/// timeCodesPerSecond, else framesPerSecond, else 24.
[[nodiscard]] double timeCodesPerSecondOf(const Layer& layer);

enum class Arc : std::uint8_t { Root, Inherit, Variant, Relocate, Reference, Payload, Specialize };

/// Paths inside an arc's target and what they are outside.
struct PathMap {
    std::vector<std::pair<std::string, std::string>> pairs;
    bool restStays = false; // all other paths are the same outside; else they are nowhere
    [[nodiscard]] std::optional<std::string> outside(const std::string& path) const;
};

struct SpecAt {
    std::size_t layer = 0; // number in the stack
    const PrimSpec* prim = nullptr;
};

/// A place that speaks of a prim.
struct IndexNode {
    Arc arc = Arc::Root;
    int parent = -1;
    std::vector<int> children = {};
    LayerStackPtr stack;
    std::string path; // in the stack, with variants
    std::vector<SpecAt> specs = {};
    std::shared_ptr<const PathMap> map = {}; // to the parent's paths; null: they are the same
    Offset toRoot = {};
    int depth = 0;                   // of its parent's place when it was introduced
    int order = 0;                   // among those of one arc and depth
    bool muted = false;              // its own specs say nothing
    bool direct = false;             // introduced at this very prim, or below one that was
    std::set<std::string> sets = {}; // variant sets that were looked at
};

struct PrimIndex {
    std::vector<IndexNode> nodes;
    std::vector<int> byStrength; // those with specs that say something
    bool hasPayload = false;
    bool unloaded = false; // it has a payload that is not loaded
    [[nodiscard]] std::optional<std::string> pathAtRoot(int node, const std::string& path) const;
};
using PrimIndexPtr = std::shared_ptr<const PrimIndex>;

/// Something that did not compose; the rest does.
struct Problem {
    std::string id;   // of the finding: "layer.missing", "arc.cycle" …
    std::string prim; // in the composed scene, or the asking layer's where no prim asks
    std::string text;
    std::string advice;
    int severity = 2;
    std::vector<std::string> layers = {}; // asked for, then asking
    std::vector<std::string> paths = {};
};

class Composer {
  public:
    Composer(Assets& assets, const Choices& choices) : assets_(assets), choices_(choices) {}

    [[nodiscard]] Result<LayerStackPtr> rootStack(const std::string& resolved);
    [[nodiscard]] PrimIndexPtr rootIndex(const LayerStackPtr& stack);
    /// Of a child; `belowInstance`: only what the instance's arcs bring counts.
    [[nodiscard]] PrimIndexPtr childIndex(const PrimIndex& parent, const std::string& name, bool belowInstance);
    /// Names of children, weaker ones first as the format has it.
    [[nodiscard]] std::vector<std::string> childNames(const PrimIndex& index, bool belowInstance) const;
    [[nodiscard]] const std::vector<Problem>& problems() const { return problems_; }
    [[nodiscard]] Assets& assets() { return assets_; }
    void report(Problem problem);
    /// An asset path as it counts: an expression in it is worked out. Nothing where that cannot be.
    [[nodiscard]] std::optional<std::string> assetPath(const std::string& written, const LayerStack& stack) const;

  private:
    struct Context; // of one index that is being built
    Result<LayerStackPtr> stackOf(const std::string& resolved, const DictionaryPtr& variables,
                                  const std::string& askedBy);
    void addLayers(LayerStack& stack, const LayerPtr& layer, const Offset& toStack, std::vector<std::string>& open);
    PrimIndex stepDown(const PrimIndex& parent, const std::string& name, bool belowInstance);
    PrimIndex withoutArcs(const LayerStackPtr& stack, const std::string& path);
    void addArcs(Context& context);
    void addDirectArcs(Context& context, int node);
    struct Reference {
        ListItem item;
        std::size_t layer; // of the stack, which asks for it
    };
    std::vector<Reference> referencesOf(const IndexNode& site, Arc arc);
    /// What a reference or payload leads to; where that is nothing, it is reported.
    LayerStackPtr stackLedTo(const IndexNode& site, const Reference& reference, Arc arc);
    std::optional<std::string> primLedTo(const LayerStack& stack, const Reference& reference, Arc arc,
                                         const std::string& asking);
    Offset offsetOf(const IndexNode& site, const Reference& reference, Arc arc, const LayerStack& stack);
    void addReferences(Context& context, int node, Arc arc);
    void addClasses(Context& context, int node, Arc arc);
    void addImplied(Context& context, int node);
    void addRelocates(Context& context, int node);
    bool addVariant(Context& context);
    int graft(Context& context, int parent, Arc arc, const LayerStackPtr& stack, const std::string& path,
              std::shared_ptr<const PathMap> map, const Offset& offset, int order);
    bool isCycle(const Context& context, int node, const LayerStackPtr& stack, const std::string& path) const;

    Assets& assets_;
    const Choices& choices_;
    std::map<std::string, LayerStackPtr> stacks_;
    std::vector<Problem> problems_;
    std::set<std::string> reported_;
    std::vector<std::pair<const LayerStack*, std::string>> building_; // indices on the way
    std::map<std::pair<const LayerStack*, std::string>, std::shared_ptr<const PrimIndex>> built_;
    std::string composing_; // path of the prim in the composed scene
};

/// Edits of a list over all that speak, weakest first. `mapped`: items as they are outside; nothing for those that are
/// nowhere.
using ItemMap = std::function<std::optional<ListItem>(const ListItem&, const IndexNode&, std::size_t layer)>;
[[nodiscard]] std::vector<ListItem> composedList(const PrimIndex& index, std::string_view field,
                                                 const ItemMap& mapped = {});

} // namespace wyc::usd
