// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// A scene: a tree of nodes with unique paths. An immutable value once built; copies share their samples.
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "maths/units.h"
#include "scene/geometry.h"
#include "scene/materials.h"
#include "scene/properties.h"
#include "time/time_map.h"

namespace wyc {

enum class NodeKind {
    Transform,
    Mesh,
    Subdivision,
    Points,
    Curves,
    Camera,
    Light,
    FaceSet,
    Instances,
    Instancer,
    Skeleton,
    Other
};
/// What is true of all nodes of a kind, said in one place: whoever needs to know asks for it, not for the kind.
struct KindTraits {
    const char* name;      // as reports say it
    bool points = false;   // its shape is a Geometry
    bool faces = false;    // with faces
    bool cloud = false;    // of points that stand each by itself: neither faces nor lines
    bool strands = false;  // of points that follow each other along curves
    bool aimed = false;    // it looks or shines along its own −Z
    bool ownSpace = false; // it keeps axes of its own: what is done to the world goes into its transform, not into it
    bool place = false;    // a place for what stands below it, and nothing else
    bool part = false;     // of the node above, no thing of its own
};
[[nodiscard]] const KindTraits& traitsOf(NodeKind kind);

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
    /// At a moment: number by number in straight lines between two samples, held outside.
    [[nodiscard]] virtual Result<std::vector<double>> channelsAt(double seconds) const;
    /// As the sample before says.
    [[nodiscard]] virtual Result<bool> inheritsAt(double seconds) const;
    /// False when the moments between samples are not straight lines between their numbers.
    [[nodiscard]] virtual bool straightBetween() const { return true; }
    /// True when it is known to be the same at every moment, also at those that are no samples.
    [[nodiscard]] virtual bool sameAlways() const { return constant(); }
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
/// Two poses of one stack mixed: angles and lengths in straight lines, turns about different axes and the turns of
/// whole matrices along the sphere.
[[nodiscard]] std::vector<double> mixedChannels(const std::vector<TransformOp>& ops, std::span<const double> a,
                                                std::span<const double> b, double weight);

enum class Visibility : std::int8_t { AsParent = -1, Hidden = 0, Visible = 1 };
/// Whether something is seen, over time: what a sample says holds until the next.
struct VisibilityTrack {
    Sampling sampling;
    std::vector<Visibility> values;
    /// What a step made: whether it is seen at any moment, of which the samples are a choice. Null = the samples say
    /// it.
    std::shared_ptr<const std::function<Visibility(double seconds)>> exact = {};
    [[nodiscard]] Visibility at(double seconds) const;
};

/// Points of a node that are points of another, as one was cut out of it or made of several.
struct MadeOf {
    NodeId source;
    std::shared_ptr<const std::vector<std::uint32_t>> from = {}; // numbers in the source; null = all in turn
    std::shared_ptr<const std::vector<std::uint32_t>> to = {};   // their numbers here; null = in turn
};

/// Says that a node's points are what a skin and morphs make, see deform/deformers.h.
struct Deformation {
    /// The shape that they make. Where the node has another one, a step made points of it, and they say nothing more.
    GeometryPtr makes;
    std::optional<NodeId> skeleton = {}; // of its skin
};

struct Node {
    std::string name;
    std::string path; // "/a/b", unique
    int parent = -1;  // index into Scene::nodes, −1 at the top
    NodeKind kind = NodeKind::Other;
    TransformPtr transform; // null = identity
    GeometryPtr geometry;   // set where the kind has points
    std::optional<VisibilityTrack> visibility;
    std::string schema;                    // the source's own name for the kind, where it has one
    PropertiesPtr properties = {};         // all else that the source says about it; null = nothing
    std::optional<NodeId> instanceOf = {}; // the node that an instance shows again; one that is nowhere is lost
    std::string instanceLabel = {};        // path at which the source looks for it
    /// Of an instancer: what it shows, which stands below it. See components/instancer.h.
    std::shared_ptr<const std::vector<NodeId>> prototypes = {};
    std::optional<Deformation> deformation = {};
    NodeId material = {}; // of all its faces, where no set of them says another
    NodeId id = NodeId::fresh();
    std::shared_ptr<const std::vector<MadeOf>> madeOf = {}; // null: of itself
    [[nodiscard]] bool isInstance() const { return kind == NodeKind::Instances; }
    [[nodiscard]] const KindTraits& is() const { return traitsOf(kind); }
};

using NodePtr = std::shared_ptr<const Node>;

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
    /// A step of its item that mends it, and its options in JSON; empty where none does.
    std::string mend = {};
    std::string mendOptions = {};
    std::string mendLabel = {};
};

struct DeclaredSampling {
    Sampling sampling;
    std::uint32_t mostSamples = 0; // largest number of samples used with it, as the container says
};

/// Samples as a person counts them: those of the points that a source has, wherever steps moved them, and whole frames
/// before and behind them where something else moves. What is stored besides them is not counted.
struct CountedMoments {
    std::vector<double> all;      // seconds, rising
    std::vector<double> ofPoints; // of them those that points have
};

/// When a scene is looked at. What a file holds is wanted as it is: neither range nor moments are set.
struct View {
    std::optional<TimeSpan> range = {};   // nothing outside of it
    std::optional<Sampling> moments = {}; // just these; nothing = those worth storing
    FrameRate rate = {};                  // of frame numbers: the stated one, or the one assumed at opening
    bool withinFrames = false;            // moments between whole frames were asked for by name
    std::vector<TimeSpan> gaps = {};      // between these ends nothing is stored: what stood there was dropped
    std::shared_ptr<const CountedMoments> counted = {}; // null = as the scene's own samples are
    /// The same is wanted.
    bool operator==(const View& other) const {
        return range == other.range && moments == other.moments && rate == other.rate && gaps == other.gaps &&
               withinFrames == other.withinFrames;
    }
};

/// One of the files that a scene is made of.
struct ReadLayer {
    std::string path;
    bool found = true;
    double offset = 0.0; // of its times, in frames of the scene
    double scale = 1.0;
    std::optional<FrameRate> rate = {}; // as it states them
    std::optional<double> unitMetres = {};
    std::optional<UpAxis> upAxis = {};
};
/// Something that an opening offers to choose.
struct ReadChoice {
    std::string item;
    std::string set; // of variants; empty: whether its payload is loaded
    std::vector<std::string> choices;
    std::string chosen; // empty: none
};

/// What was said on the way here: by the reader, and by steps that left something out. What is said of a node follows
/// it through steps that rename or leave out.
struct ReadReport {
    std::vector<NotCarried> notCarried; // left out
    std::vector<NotCarried> carried;    // understood by nobody here, and passed on
    std::vector<ReaderRemark> remarks;
    std::vector<std::string> files; // further ones that the source names, whether there or not
    std::vector<ReadLayer> layers;  // the strongest first; empty where a source is one file
    std::vector<ReadChoice> choices;
    /// Of nodes that several layers may speak of: numbers of those layers, the strongest first.
    std::shared_ptr<const std::map<NodeId, std::vector<std::uint32_t>>> saidBy = {};
};

/// What only the format that it came from understands; its own writer passes it on.
struct Container {
    std::string_view format; // its id
    std::map<std::string, std::string> metadata;
    /// Its list of time samplings, unused ones included. Empty once a step has changed times.
    std::vector<DeclaredSampling> samplings;
};

/// Content, and beside it three things that go the same way through all steps: when it is looked at, what was said of
/// it, and what only its own format understands.
struct Scene {
    std::vector<Node> nodes;          // parents before children
    std::optional<FrameRate> rate;    // as the source says; nothing when it does not
    std::optional<double> unitMetres; // nothing = not stated
    std::optional<UpAxis> upAxis;
    std::vector<Material> materials;
    PropertiesPtr properties; // of the scene as a whole
    View view = {};
    ReadReport report = {};
    Container container = {};
    /// The rest pose of the shape with this id, in the same place and order; null where none is known.
    GeometryPtr rest = nullptr;
    NodeId restOf = {};

    /// One by one: for many paths there is SceneTree.
    [[nodiscard]] std::optional<std::size_t> find(std::string_view path) const;
    [[nodiscard]] std::optional<std::size_t> find(NodeId id) const;
    [[nodiscard]] std::vector<std::size_t> childrenOf(int parent) const;
    /// All that is said of the scene as a whole: no nodes, and nothing that was said of single ones.
    [[nodiscard]] Scene withoutNodes() const;
};

/// By its id, else by its name; null where there is none.
[[nodiscard]] const Material* materialOf(const Scene& scene, NodeId id, const std::string& name);
/// Gives a material another name and id, also where it is bound.
void renameMaterial(Scene& scene, std::size_t which, const std::string& name, NodeId id);
/// Whether something is bound to a material. Of sets that change in time it is taken to be so.
[[nodiscard]] bool usesMaterial(const Scene& scene, const Material& material);
/// For formats that bind materials to sets of faces only: a node's own material is a set of all faces that no set of a
/// material has.
[[nodiscard]] Scene materialsAsSets(Scene scene);

/// True when the transforms above do not apply to the node, now or at times: it stands in the world by itself.
[[nodiscard]] bool standsFree(const Node& node);
/// Local matrix of a node at a time.
[[nodiscard]] Result<Mat4> localMatrix(const Scene& scene, std::size_t node, double seconds);
struct WorldPlacement {
    Mat4 matrix;
    bool visible = true;
};
/// World matrix and visibility (after asking parents) of a node at a time.
[[nodiscard]] Result<WorldPlacement> placementAt(const Scene& scene, std::size_t node, double seconds);
/// Whether the node stands, at any moment, elsewhere in the world than in its own space.
[[nodiscard]] bool isPlaced(const Scene& scene, std::size_t node);

/// True when the node is hidden at every time at which it or something above it says whether it is seen.
[[nodiscard]] bool neverSeen(const Scene& scene, std::size_t node);

/// First and last time at which something of a node changes: samples of its points, of what it says and of the
/// transforms above it, as far as they move, and where it is seen or hidden from then on. Nothing when still.
[[nodiscard]] std::optional<TimeSpan> movingSpan(const Scene& scene, std::size_t node);
[[nodiscard]] std::optional<TimeSpan> movingSpan(const Scene& scene);
/// The same as frames of the rate that the scene is looked at with.
[[nodiscard]] std::optional<FrameRange> movingFrames(const Scene& scene, std::size_t node);

} // namespace wyc
