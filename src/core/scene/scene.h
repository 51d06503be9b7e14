// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// A scene: a tree of nodes with unique paths. An immutable value once built; copies share their samples.
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "scene/geometry.h"
#include "scene/properties.h"
#include "scene/units.h"

namespace wyc {

enum class NodeKind { Transform, Mesh, Subdivision, Points, Curves, Camera, Light, FaceSet, Instances, Other };
[[nodiscard]] const char* nodeKindName(NodeKind kind);
/// True for kinds whose shape is a Geometry that this version reads, steps through and writes.
[[nodiscard]] bool hasGeometry(NodeKind kind);

/// One operation of a transform stack, as scene formats keep them.
struct TransformOp {
    enum class Kind : std::uint8_t {
        Scale = 0,
        Translate = 1,
        Rotate = 2,
        Matrix = 3,
        RotateX = 4,
        RotateY = 5,
        RotateZ = 6
    };
    Kind kind = Kind::Matrix;
    std::uint8_t hint = 0; // the file's own remark, carried
    bool operator==(const TransformOp&) const = default;
};
[[nodiscard]] std::size_t channelCount(TransformOp::Kind kind);

/// A sampled local transform: a stack of operations, of which the one listed last is applied to the points
/// first. Angles in degrees.
class Transform {
  public:
    virtual ~Transform() = default;
    [[nodiscard]] virtual const Sampling& sampling() const = 0;
    [[nodiscard]] virtual const std::vector<TransformOp>& ops() const = 0;
    /// All operations' numbers one after another.
    [[nodiscard]] virtual Result<std::vector<double>> channels(std::size_t sample) const = 0;
    /// Whether the parent's transform applies; may change in time.
    [[nodiscard]] virtual Result<bool> inherits(std::size_t) const { return true; }
    /// True when all samples are known to be equal, however many there are.
    [[nodiscard]] virtual bool constant() const { return sampling().isStill(); }
};
using TransformPtr = std::shared_ptr<const Transform>;

class MemoryTransform final : public Transform {
  public:
    MemoryTransform(Sampling sampling, std::vector<TransformOp> ops, std::vector<std::vector<double>> channels)
        : sampling_(std::move(sampling)), ops_(std::move(ops)), channels_(std::move(channels)) {}
    [[nodiscard]] static TransformPtr fixed(const Mat4& matrix);
    [[nodiscard]] const Sampling& sampling() const override { return sampling_; }
    [[nodiscard]] const std::vector<TransformOp>& ops() const override { return ops_; }
    [[nodiscard]] Result<std::vector<double>> channels(std::size_t sample) const override {
        return channels_.at(sample);
    }

  private:
    Sampling sampling_;
    std::vector<TransformOp> ops_;
    std::vector<std::vector<double>> channels_;
};

[[nodiscard]] Mat4 matrixOf(const std::vector<TransformOp>& ops, std::span<const double> channels);

/// Whether a property (by the name of its group and its own) says what the node's shape, transform, visibility or
/// instance says: a writer makes it anew from those, all others are carried.
[[nodiscard]] bool isMadeAnew(std::string_view group, std::string_view name, NodeKind kind);

enum class Visibility : std::int8_t { AsParent = -1, Hidden = 0, Visible = 1 };
struct VisibilityTrack {
    Sampling sampling;
    std::vector<Visibility> values;
};

struct Material {
    std::string name;
    std::optional<std::array<float, 3>> baseColour;
    std::string texturePath; // as written in the file; empty = none
    bool textureFound = false;
    bool operator==(const Material&) const = default;
};

struct Node {
    std::string name;
    std::string path; // "/a/b", unique
    int parent = -1;  // index into Scene::nodes, −1 at the top
    NodeKind kind = NodeKind::Other;
    TransformPtr transform; // null = identity
    GeometryPtr geometry;   // set where hasGeometry(kind)
    std::optional<VisibilityTrack> visibility;
    std::string schema;            // the container's own name for the kind, where it has one
    PropertiesPtr properties = {}; // all else that the source says about it; null = nothing
    std::string instanceOf = {};   // path of the node that an instance shows again
};

struct NotCarried {
    std::string item;
    std::string what;
};
/// Something a reader met that a person should see (not an error).
struct ReaderRemark {
    std::string id; // finding id
    std::string item;
    std::optional<double> frame;
    std::optional<double> figure;
    std::string unit;
    std::string text;
    std::string advice;
    int severity = 0; // 0 note, 1 caution, 2 fault
};

struct DeclaredSampling {
    Sampling sampling;
    std::uint32_t mostSamples = 0; // largest number of samples used with it, as the container says
};

struct Scene {
    std::vector<Node> nodes;          // parents before children
    std::optional<FrameRate> rate;    // as the source says; nothing when it does not
    FrameRate workingRate;            // used for frame numbers: the stated rate or the one assumed at opening
    std::optional<double> unitMetres; // nothing = not stated
    std::optional<UpAxis> upAxis;
    std::vector<Material> materials;
    std::vector<std::string> materialFiles;      // that the source names, whether there or not
    std::map<std::string, std::string> metadata; // the container's own, carried
    /// The container's own time samplings, unused ones included. Empty once a step has changed times.
    std::vector<DeclaredSampling> samplings;
    PropertiesPtr properties;           // of the scene as a whole
    std::vector<NotCarried> notCarried; // the reader left these out
    std::vector<NotCarried> carried;    // understood by nobody here, and passed on
    std::vector<ReaderRemark> remarks;

    /// One by one: for many paths there is SceneTree.
    [[nodiscard]] std::optional<std::size_t> find(std::string_view path) const;
    [[nodiscard]] std::vector<std::size_t> childrenOf(int parent) const;
    /// All that is said of the scene as a whole: no nodes, and nothing that was said of single ones.
    [[nodiscard]] Scene withoutNodes() const;
};

/// Local matrix of a node at a time, straight-line interpolated channel by channel between samples.
[[nodiscard]] Result<Mat4> localMatrix(const Scene& scene, std::size_t node, double seconds);
struct WorldPlacement {
    Mat4 matrix;
    bool visible = true;
};
/// World matrix and visibility (after asking parents) of a node at a time.
[[nodiscard]] Result<WorldPlacement> placementAt(const Scene& scene, std::size_t node, double seconds);

/// True when the node is hidden at every time at which it or something above it says whether it is seen.
[[nodiscard]] bool neverSeen(const Scene& scene, std::size_t node);

struct TimeSpan {
    double first = 0.0;
    double last = 0.0;
};
/// First and last sample time of what moves in a node: its points and the transforms above it. Nothing when
/// still.
[[nodiscard]] std::optional<TimeSpan> movingSpan(const Scene& scene, std::size_t node);
[[nodiscard]] std::optional<TimeSpan> movingSpan(const Scene& scene);

} // namespace wyc
