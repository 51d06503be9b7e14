// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// UVs, normals and colours of a mesh: attributes that formats have places for. Each has a track of its own; here they
// are looked at whatever way they are stored.
#include <array>
#include <memory>
#include <mutex>

#include "scene/scene.h"

namespace wyc {

inline constexpr std::array<Meaning, 3> kLayers{Meaning::Uvs, Meaning::Normals, Meaning::Colours};
[[nodiscard]] bool isLayer(Meaning meaning);
/// What is told where a channel is called otherwise in what is meant than in its source; the proof knows it by these
/// words.
[[nodiscard]] std::string renamedWords(const std::string& before, const std::string& now);
/// Something else is called so now, or it itself is called otherwise, as such words say.
[[nodiscard]] bool saysRenamed(const std::string& words, const std::string& name);

/// One of them over time.
struct Layer {
    Meaning meaning = Meaning::Uvs;
    std::string name;  // "UVs"; of a second set "UVs 'tiles'"
    std::string label; // what its source calls it: "tiles"
    Scope scope = Scope::Corner;
    ValuesPtr values;            // float, at least one sample
    ValuesPtr numbers = nullptr; // of the value that each element has; null: they have them in turn
    bool further = false;        // one of its meaning comes before

    /// At a moment; empty where nothing is said then. `mesh`: that it lies on.
    [[nodiscard]] Result<Attribute> at(double seconds, const Geometry* mesh) const;
    /// Times at which it may change by itself; still where it does not.
    [[nodiscard]] Sampling times() const;
    /// Times at which it may change as it lies on a mesh, whose faces may change too.
    [[nodiscard]] Sampling timesOn(const Geometry& mesh) const;
    [[nodiscard]] bool constant() const { return values->constant() && (!numbers || numbers->constant()); }
    [[nodiscard]] bool sameAlways() const { return values->sameAlways() && (!numbers || numbers->sameAlways()); }
    /// Numbers a value that formats agree on: of colours three.
    [[nodiscard]] std::uint32_t comparedExtent() const { return meaning == Meaning::Uvs ? 2 : 3; }
};
/// All layers among the properties, in their order.
[[nodiscard]] std::vector<Layer> layersOf(const PropertiesPtr& properties);
/// The first of a meaning; nothing where there is none.
[[nodiscard]] std::optional<Layer> layerOf(const PropertiesPtr& properties, Meaning meaning);

/// False when all of them are known to be the same at every moment.
[[nodiscard]] bool layersChange(const PropertiesPtr& properties);

/// The layer as a property; held in memory: one attribute a sample, all of one scope, one extent.
[[nodiscard]] PropertyNode layerProperty(const Layer& layer);
[[nodiscard]] PropertyNode layerProperty(Meaning meaning, std::string label, const Sampling& sampling,
                                         const std::vector<Attribute>& samples);
/// A layer that is worked out whole, moment by moment; all of one scope and extent.
class LayerSource {
  public:
    virtual ~LayerSource() = default;
    [[nodiscard]] virtual const Sampling& sampling() const = 0;
    [[nodiscard]] virtual Result<std::shared_ptr<const Attribute>> at(double seconds) const = 0;
    [[nodiscard]] virtual bool sameAlways() const = 0;
};
/// `shape`: meaning, label and scope. `numbered`: its attributes have indices.
[[nodiscard]] Layer layerFrom(std::shared_ptr<const LayerSource> source, const Layer& shape, std::uint32_t extent,
                              bool numbered);
/// Keeps what was asked for last: several read the same moment one after another.
class KeptLayer final : public LayerSource {
  public:
    KeptLayer(Layer layer, GeometryPtr mesh);
    [[nodiscard]] const Sampling& sampling() const override { return sampling_; }
    [[nodiscard]] Result<std::shared_ptr<const Attribute>> at(double seconds) const override;
    [[nodiscard]] bool sameAlways() const override { return layer_.sameAlways(); }
    [[nodiscard]] const Layer& layer() const { return layer_; }

  private:
    Layer layer_;
    GeometryPtr mesh_;
    Sampling sampling_;
    mutable std::mutex mutex_;
    mutable std::optional<double> keptAt_;
    mutable std::shared_ptr<const Attribute> kept_;
};

/// As they are at one moment of another mesh, for all times; those of which `wanted` is true.
[[nodiscard]] Result<std::vector<PropertyNode>> layersAt(double seconds, const PropertiesPtr& properties,
                                                         const Geometry& mesh, bool (*wanted)(Meaning));

/// Number of the value of a corner (of face `face`, at point `point`); −1 where it has none.
[[nodiscard]] std::int32_t valueNumber(const Attribute& attribute, std::size_t face, std::size_t corner,
                                       std::int32_t point);
/// `extent` numbers for every corner in turn, or for every point where there are no faces; NaN where there are none.
[[nodiscard]] std::vector<float> cornerValues(const Attribute& attribute, const Topology& topology,
                                              std::size_t pointCount, std::size_t extent);

/// Normals that change with the points keep their length on the way: between two samples they do not go in straight
/// lines.
[[nodiscard]] bool normalsTurn(const PropertiesPtr& properties, const Geometry& mesh);

/// Corners, over all samples, that have no value of a layer; and samples that have none at all. A layer that no sample
/// has has no gaps.
struct LayerGaps {
    bool there = false;
    std::size_t corners = 0;
    std::size_t samples = 0;
    [[nodiscard]] bool any() const { return corners > 0 || samples > 0; }
    /// "12 corners have none"
    [[nodiscard]] std::string words() const;
};
/// For each layer, moment by moment through all of them: a file that holds one frame is read once.
[[nodiscard]] Result<std::vector<LayerGaps>> layerGaps(const std::vector<Layer>& layers, const Geometry& mesh);

} // namespace wyc
