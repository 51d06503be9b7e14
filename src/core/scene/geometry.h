// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// What a shape is made of, and how its samples are fetched on demand.
#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "base/error.h"
#include "base/hash.h"
#include "maths/math.h"
#include "scene/node_id.h"
#include "time/sampling.h"

namespace wyc {

/// Faces over points. Corners run counter-clockwise seen from outside. Immutable once made; shared by all
/// samples that have the same connectivity.
class Topology {
  public:
    /// Corner numbers may lie outside the points (a check finds that); sizes must be non-negative and add up.
    [[nodiscard]] static Result<std::shared_ptr<const Topology>> make(std::vector<std::int32_t> faceSizes,
                                                                      std::vector<std::int32_t> corners);
    [[nodiscard]] const std::vector<std::int32_t>& faceSizes() const { return faceSizes_; }
    [[nodiscard]] const std::vector<std::int32_t>& corners() const { return corners_; }
    [[nodiscard]] std::size_t faceCount() const { return faceSizes_.size(); }
    [[nodiscard]] std::size_t cornerCount() const { return corners_.size(); }
    /// XXH64 of all face sizes, then all corner numbers, as little-endian int32.
    [[nodiscard]] std::uint64_t hash() const { return hash_; }
    [[nodiscard]] std::int32_t lowestCorner() const { return lowest_; }
    [[nodiscard]] std::int32_t highestCorner() const { return highest_; }
    [[nodiscard]] bool fits(std::size_t pointCount) const {
        return corners_.empty() || (lowest_ >= 0 && static_cast<std::size_t>(highest_) < pointCount);
    }

  private:
    Topology() = default;
    std::vector<std::int32_t> faceSizes_;
    std::vector<std::int32_t> corners_;
    std::uint64_t hash_ = 0;
    std::int32_t lowest_ = 0;
    std::int32_t highest_ = -1;
};
using TopologyPtr = std::shared_ptr<const Topology>;
[[nodiscard]] TopologyPtr emptyTopology();

enum class Scope { Constant, Face, Point, Corner };

/// Values over a mesh, `extent` floats each. With indices, element e has value indices[e]; without, value e.
struct Attribute {
    Scope scope = Scope::Corner;
    int extent = 0;
    std::vector<float> values;
    std::vector<std::int32_t> indices; // −1 where a corner has none
    [[nodiscard]] bool isEmpty() const { return values.empty(); }
    [[nodiscard]] std::size_t valueCount() const {
        return extent > 0 ? values.size() / static_cast<std::size_t>(extent) : 0;
    }
    bool operator==(const Attribute&) const = default;
};

/// A named set of faces (a group, an object of a file, a material's faces).
struct FaceSet {
    enum class Kind { Group, Object, Material };
    Kind kind = Kind::Group;
    std::string name;
    std::vector<std::int32_t> faces; // rising
    NodeId material = {};            // what the faces are made of; none: the name says it
    bool operator==(const FaceSet&) const = default;
};

using FaceSetsPtr = std::shared_ptr<const std::vector<FaceSet>>;
[[nodiscard]] FaceSetsPtr noFaceSets();
/// A number for every point that stays its own while others come and go; null where points have none.
using IdsPtr = std::shared_ptr<const std::vector<std::uint64_t>>;

/// A shape made of points, with or without faces, over time. It has samples, and it can be asked for any moment.
/// Implementations are immutable and safe to read from several threads; nothing is fetched before it is asked for.
class Geometry {
  public:
    virtual ~Geometry() = default;
    /// Times of the samples: of a file what it stores, of a step's result the times worth storing.
    [[nodiscard]] virtual const Sampling& sampling() const = 0;
    [[nodiscard]] virtual Result<std::size_t> pointCount(std::size_t sample) const = 0;
    /// Fills `into` with the sample's points from number `first` on. An error where there are fewer. Where a source
    /// allows it, no others are read.
    [[nodiscard]] virtual Status readRange(std::size_t sample, std::size_t first, std::span<Vec3f> into) const = 0;
    /// All of a sample: the size of `into` must be pointCount(sample).
    [[nodiscard]] Status readPoints(std::size_t sample, std::span<Vec3f> into) const;
    [[nodiscard]] virtual Result<TopologyPtr> topology(std::size_t sample) const = 0;
    /// Named sets of the faces; never null.
    [[nodiscard]] virtual Result<FaceSetsPtr> faceSets(std::size_t) const { return noFaceSets(); }
    /// False when all samples are known to share one topology and one point count.
    [[nodiscard]] virtual bool topologyVaries() const = 0;
    /// Whether samples do have other faces or other numbers of points, where reading all of them has to tell.
    [[nodiscard]] virtual Result<bool> topologyChanges() const;
    /// False when all samples are known to share the same sets of faces.
    [[nodiscard]] virtual bool faceSetsVary() const { return topologyVaries(); }
    /// True when all samples are known to hold the same points, however many there are.
    [[nodiscard]] virtual bool pointsConstant() const { return sampling().isStill(); }
    /// A number that is equal for samples known to hold the same points without reading them.
    [[nodiscard]] virtual std::optional<std::uint64_t> pointsToken(std::size_t) const { return std::nullopt; }
    /// Null where points have no numbers of their own.
    [[nodiscard]] virtual Result<IdsPtr> ids(std::size_t) const { return IdsPtr(); }

    // At a moment. Of what is stored: straight lines between two samples that match (see mix.h), the earlier sample
    // where they do not, the nearer end outside. At a sample's time all is bit for bit that sample. What a step
    // computes is computed for the very moment.
    [[nodiscard]] virtual Result<std::size_t> pointCountAt(double seconds) const;
    [[nodiscard]] virtual Status readAt(double seconds, std::size_t first, std::span<Vec3f> into) const;
    [[nodiscard]] virtual Result<TopologyPtr> topologyAt(double seconds) const;
    [[nodiscard]] virtual Result<FaceSetsPtr> faceSetsAt(double seconds) const;
    [[nodiscard]] virtual Result<IdsPtr> idsAt(double seconds) const;
    /// As pointsToken.
    [[nodiscard]] virtual std::optional<std::uint64_t> tokenAt(double seconds) const;
    /// False when the moments between samples are not straight lines between them.
    [[nodiscard]] virtual bool straightBetween() const { return true; }
    /// True when the points are known to be the same at every moment, also at those that are no samples.
    [[nodiscard]] virtual bool sameAlways() const { return pointsConstant(); }

    /// Bytes of a container that hold this sample's points as float32, for the message of a finding.
    [[nodiscard]] virtual std::optional<std::uint64_t> byteOfPoints(std::size_t) const { return std::nullopt; }
};
using GeometryPtr = std::shared_ptr<const Geometry>;

/// Copies a range of points that are at hand; an error where there are fewer.
[[nodiscard]] Status copyRange(std::span<const Vec3f> from, std::size_t first, std::span<Vec3f> into);
/// Points of a sample in a buffer that is resized as needed.
[[nodiscard]] Status readPoints(const Geometry& geometry, std::size_t sample, std::vector<Vec3f>& into);
/// Points at a moment.
[[nodiscard]] Status readPointsAt(const Geometry& geometry, double seconds, std::vector<Vec3f>& into);

/// A shape held in memory: tests, generators, files that are read whole.
class MemoryGeometry final : public Geometry {
  public:
    MemoryGeometry(Sampling sampling, TopologyPtr topology, std::vector<std::vector<Vec3f>> points,
                   std::vector<FaceSet> faceSets = {});
    [[nodiscard]] const Sampling& sampling() const override { return sampling_; }
    [[nodiscard]] Result<std::size_t> pointCount(std::size_t sample) const override;
    [[nodiscard]] Status readRange(std::size_t sample, std::size_t first, std::span<Vec3f> into) const override;
    [[nodiscard]] Result<TopologyPtr> topology(std::size_t) const override { return topology_; }
    [[nodiscard]] Result<FaceSetsPtr> faceSets(std::size_t) const override { return faceSets_; }
    [[nodiscard]] bool topologyVaries() const override { return false; }

  private:
    Sampling sampling_;
    TopologyPtr topology_;
    std::vector<std::vector<Vec3f>> points_;
    FaceSetsPtr faceSets_;
};

/// Points that come and go, without faces, held in memory.
class VaryingPoints final : public Geometry {
  public:
    /// `ids`: a number for every point of every sample, or empty.
    VaryingPoints(Sampling sampling, std::vector<std::vector<Vec3f>> points,
                  std::vector<std::vector<std::uint64_t>> ids = {});
    [[nodiscard]] const Sampling& sampling() const override { return sampling_; }
    [[nodiscard]] Result<std::size_t> pointCount(std::size_t sample) const override {
        return points_.at(sample).size();
    }
    [[nodiscard]] Status readRange(std::size_t sample, std::size_t first, std::span<Vec3f> into) const override;
    [[nodiscard]] Result<TopologyPtr> topology(std::size_t) const override { return emptyTopology(); }
    [[nodiscard]] bool topologyVaries() const override { return true; }
    [[nodiscard]] Result<IdsPtr> ids(std::size_t sample) const override {
        return sample < ids_.size() ? ids_[sample] : IdsPtr();
    }

  private:
    Sampling sampling_;
    std::vector<std::vector<Vec3f>> points_;
    std::vector<IdsPtr> ids_;
};

/// Passes samples on; base of what changes one aspect of them. Moments are made of its own samples.
class GeometryWrapper : public Geometry {
  public:
    explicit GeometryWrapper(GeometryPtr inner) : inner_(std::move(inner)) {}
    [[nodiscard]] const Sampling& sampling() const override { return inner_->sampling(); }
    [[nodiscard]] Result<std::size_t> pointCount(std::size_t s) const override { return inner_->pointCount(s); }
    [[nodiscard]] Status readRange(std::size_t s, std::size_t first, std::span<Vec3f> into) const override {
        return inner_->readRange(s, first, into);
    }
    [[nodiscard]] Result<TopologyPtr> topology(std::size_t s) const override { return inner_->topology(s); }
    [[nodiscard]] Result<FaceSetsPtr> faceSets(std::size_t s) const override { return inner_->faceSets(s); }
    [[nodiscard]] bool topologyVaries() const override { return inner_->topologyVaries(); }
    [[nodiscard]] Result<bool> topologyChanges() const override { return inner_->topologyChanges(); }
    [[nodiscard]] bool faceSetsVary() const override { return inner_->faceSetsVary(); }
    [[nodiscard]] bool pointsConstant() const override { return inner_->pointsConstant(); }
    [[nodiscard]] std::optional<std::uint64_t> pointsToken(std::size_t s) const override {
        return inner_->pointsToken(s);
    }
    [[nodiscard]] std::optional<std::uint64_t> byteOfPoints(std::size_t s) const override {
        return inner_->byteOfPoints(s);
    }
    [[nodiscard]] Result<IdsPtr> ids(std::size_t s) const override { return inner_->ids(s); }

  protected:
    [[nodiscard]] const Geometry& inner() const { return *inner_; }

  private:
    GeometryPtr inner_;
};

/// Passes moments on too: for what changes each of them as it changes samples.
class MomentWrapper : public GeometryWrapper {
  public:
    using GeometryWrapper::GeometryWrapper;
    [[nodiscard]] Result<std::size_t> pointCountAt(double t) const override { return inner().pointCountAt(t); }
    [[nodiscard]] Status readAt(double t, std::size_t first, std::span<Vec3f> into) const override {
        return inner().readAt(t, first, into);
    }
    [[nodiscard]] Result<TopologyPtr> topologyAt(double t) const override { return inner().topologyAt(t); }
    [[nodiscard]] Result<FaceSetsPtr> faceSetsAt(double t) const override { return inner().faceSetsAt(t); }
    [[nodiscard]] Result<IdsPtr> idsAt(double t) const override { return inner().idsAt(t); }
    [[nodiscard]] std::optional<std::uint64_t> tokenAt(double t) const override { return inner().tokenAt(t); }
    [[nodiscard]] bool straightBetween() const override { return inner().straightBetween(); }
    [[nodiscard]] bool sameAlways() const override { return inner().sameAlways(); }
};

} // namespace wyc
