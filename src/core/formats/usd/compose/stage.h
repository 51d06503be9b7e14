// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// A composed scene: prims as all layers together say them, and what their properties are at a time.
#include "formats/usd/compose/prim_index.h"

namespace wyc::usd {

/// Of a composed scene. Those below an inactive one are not there; those of an instance that shares another's are there
/// once, below the first of them.
struct Prim {
    std::string path;
    std::string name;
    int parent = -1;
    std::vector<int> children = {};
    std::string typeName;
    std::string specifier; // "def", "over", "class"
    bool active = true;
    bool abstract = false; // a class, or below one
    bool defined = false;  // it and all above it are defs or classes
    bool instance = false;
    int shares = -1; // an instance: number of the prim whose children it shows, where that is not itself
    int clips = -1;  // the nearest prim, itself or above, that has value clips
    /// The nearest prim, itself or above, with a property that counts for what is below; and whether one of all above
    /// counts by where things stand, too.
    int handsDown = -1;
    bool handsDownByPlace = false;
    PrimIndexPtr index;
};

/// Where an attribute's value comes from.
struct ValueSource {
    enum class From { Nothing, Default, Samples, Spline, Clips, Block } from = From::Nothing;
    Value value = {};                            // of a default
    std::shared_ptr<const Samples> samples = {}; // of samples and clips, in the layer's time
    std::shared_ptr<const Spline> spline = {};
    Offset toRoot = {}; // from the time of what it was found in
    int node = -1;      // of the prim's index
    std::string layer;  // name of the layer that says it
};

/// An attribute of a composed prim.
class Attribute {
  public:
    Attribute() = default;
    std::string name;
    std::string typeName;
    Type type;
    bool uniform = false;
    bool custom = false;
    ValueSource source = {};
    std::optional<Value> standard = {}; // the strongest default, whatever samples there are
    std::string interpolation;          // of a primvar, as stated
    int elementSize = 1;
    [[nodiscard]] bool isThere() const { return !name.empty(); }
    /// It has a value at some time.
    [[nodiscard]] bool hasValue() const;
    [[nodiscard]] bool isAnimated() const { return times_.size() > 1 || source.from == ValueSource::From::Spline; }
    /// Times of its samples in time codes of the root layer; empty where one value is all there is.
    [[nodiscard]] const std::vector<double>& times() const { return times_; }
    /// At a time code of the root layer: mixed where its type can be, held else. A block, or nothing: an empty value.
    [[nodiscard]] Result<Value> at(double timeCode, bool held = false) const;
    /// As the sample says.
    [[nodiscard]] Result<Value> sample(std::size_t which) const;

  private:
    friend class ComposedScene;
    std::vector<double> times_;
};

/// As properties are listed: letters whatever their case, numbers by what they say.
[[nodiscard]] bool inDictionaryOrder(const std::string& a, const std::string& b);

class ComposedScene {
  public:
    /// Opens and composes. Choices say which variants and payloads.
    [[nodiscard]] static Result<std::shared_ptr<ComposedScene>> open(const fs::path& path, const Choices& choices);

    [[nodiscard]] const std::vector<Prim>& prims() const { return prims_; } // parents before children
    [[nodiscard]] const Prim* prim(const std::string& path) const;
    /// The prim above it; null for one at the top.
    [[nodiscard]] const Prim* parentOf(const Prim& prim) const {
        return prim.parent > 0 ? &prims_[static_cast<std::size_t>(prim.parent)] : nullptr;
    }
    [[nodiscard]] const Layer& rootLayer() const { return *stack_->layers.front().layer; }
    [[nodiscard]] const LayerStack& rootStack() const { return *stack_; }
    [[nodiscard]] std::vector<Problem> problems() const;
    [[nodiscard]] Assets& assets() { return assets_; }
    [[nodiscard]] const Assets& assets() const { return assets_; }
    [[nodiscard]] const Choices& choices() const { return choices_; }
    /// timeCodesPerSecond of the root layer, or what stands for it.
    [[nodiscard]] double timeCodesPerSecond() const { return stack_->timeCodesPerSecond; }

    /// Names of all its properties, in their order.
    [[nodiscard]] std::vector<std::string> propertyNames(const Prim& prim) const;
    /// As its strongest layer that says an order has it; empty where none does.
    [[nodiscard]] std::vector<std::string> statedOrder(const Prim& prim) const;
    [[nodiscard]] bool isRelationship(const Prim& prim, const std::string& property) const;
    [[nodiscard]] Attribute attribute(const Prim& prim, const std::string& name) const;
    /// Where connections or targets lead, as paths of the composed scene.
    [[nodiscard]] std::vector<std::string> targets(const Prim& prim, const std::string& property) const;
    /// Those of a relationship that leads to others followed to their ends.
    [[nodiscard]] std::vector<std::string> forwardedTargets(const Prim& prim, const std::string& property) const;
    [[nodiscard]] std::vector<std::string> connections(const Prim& prim, const std::string& attribute) const;
    /// The strongest that a prim's layers say of a field; dictionaries are merged. Nothing where none does.
    [[nodiscard]] Value metadata(const Prim& prim, std::string_view field) const;
    [[nodiscard]] Value metadata(const Prim& prim, const std::string& property, std::string_view field) const;
    [[nodiscard]] std::vector<std::string> metadataNames(const Prim& prim, const std::string& property = {}) const;
    [[nodiscard]] std::vector<std::string> appliedSchemas(const Prim& prim) const;
    /// Edits of a list together, items as they are written.
    [[nodiscard]] std::vector<ListItem> listOf(const Prim& prim, std::string_view field) const {
        return composedList(*prim.index, field);
    }
    struct VariantSet {
        std::string name;
        std::vector<std::string> choices; // sorted
        std::string chosen;
        std::string chosenBy; // name of the layer; empty: the person
    };
    [[nodiscard]] std::vector<VariantSet> variantSets(const Prim& prim) const;
    /// Names of layers that speak of a prim, the strongest first.
    [[nodiscard]] std::vector<std::string> layersOf(const Prim& prim) const;
    /// An asset path found in the layer that said it; empty where no such file is there.
    [[nodiscard]] std::string resolved(const std::string& asset, const std::string& fromLayer) const;
    /// An asset path of a prim's layers as it counts; nothing for an expression that cannot be worked out.
    [[nodiscard]] std::optional<std::string> assetPath(const Prim& prim, int node, const std::string& written) const;

  private:
    ComposedScene(Choices choices)
        : choices_(std::move(choices)), assets_(choices_.search, choices_.standing, choices_.standsIn) {}
    Status compose(const fs::path& path);
    void addChildren(int parent, const std::string& prefix);
    void addPrim(PrimIndexPtr index, const std::string& name, int parent);
    /// Equal for instances that show the same.
    [[nodiscard]] std::string instanceKey(const Prim& prim, bool handsDown) const;
    bool mayHoldMore();
    /// Samples that clips give an attribute at one place of a prim; null where none do.
    std::shared_ptr<const Samples> clipsFor(const Prim& prim, const std::string& attribute, const IndexNode& node,
                                            std::size_t layer) const;

    Choices choices_;
    mutable Assets assets_;
    LayerStackPtr stack_;
    std::unique_ptr<Composer> composer_;
    std::vector<Prim> prims_;
    std::unordered_map<std::string, int> byPath_;
    std::map<std::string, int> prototypes_; // by what instances share
    std::size_t mostPrims_ = 100'000;
    mutable std::vector<Problem> clipProblems_;
};

/// Between two values of a type; the earlier where they cannot be mixed.
[[nodiscard]] Result<Value> mixedValue(const Type& type, const Value& earlier, const Value& later, double weight);
/// Times among its values as they are outside.
[[nodiscard]] Value shiftedTimes(Value value, const Offset& offset);
/// Numbers of types that are mixed.
[[nodiscard]] bool canBeMixed(const Type& type);
/// A curve at a time; nothing where it has no value.
[[nodiscard]] std::optional<double> splineAt(const Spline& spline, double time);

} // namespace wyc::usd
