// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Everything sampled that a node has besides its points, faces, transform and visibility: UVs, normals, geometry
// parameters, user properties, camera figures, widths, velocities, settings that only another application knows.
// Carried through every step; what a step on space means for a property follows from its role.
#include <cstdint>
#include <cstring>
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "base/error.h"
#include "scene/geometry.h"
#include "scene/mix.h"
#include "time/sampling.h"

namespace wyc {

class Transform;

/// Element types.
enum class ValueType : std::uint8_t {
    Bool,
    UInt8,
    Int8,
    UInt16,
    Int16,
    UInt32,
    Int32,
    UInt64,
    Int64,
    Half,
    Float,
    Double,
    String,
    WideString
};
/// Bytes of one element; 0 for strings.
[[nodiscard]] std::size_t elementSize(ValueType type);

/// Elements one after another, little-endian. Each string ends in a zero; wide strings are 32-bit units.
struct PropertyValue {
    std::vector<std::byte> bytes;
    std::vector<std::uint64_t> dimensions; // of an array, where they do not follow from the size
    bool operator==(const PropertyValue&) const = default;
};

/// What a number means in space: what a change of space does to it.
enum class SpaceRole {
    None,
    Length,   // scaled
    Position, // a place: moved, turned and scaled, in triples
    Vector,   // a difference of places: turned and scaled
    Normal,   // turned by the inverse transpose, its length kept
    Box,      // low and high corner: turned and scaled
    Turn,     // a quaternion x, y, z, w: its axis is turned. Of what keeps axes of its own, as Axes
    Axes,     // a factor along each axis: the three change places
    Placement // sixteen numbers, a matrix from a space into a like one: M becomes C⁻¹·M·C under a change C of both
};
/// What a number means in time: what a change of speed does to it.
enum class TimeRole {
    Plain,
    Rate,    // a change a second: multiplied by the speed. A vector of points is the speed of the point of its number
    Duration // a length of time in seconds: divided by the speed
};

/// How values that lie between two samples are mixed.
struct ValueMix {
    SpaceRole role = SpaceRole::None;
    /// The shape whose points values of points belong to: where they have ids, values follow them. May be null.
    const Geometry* carrier = nullptr;
};

/// A sampled value or array of values. Immutable and safe to read from several threads.
class SampledValues {
  public:
    virtual ~SampledValues() = default;
    [[nodiscard]] virtual ValueType type() const = 0;
    [[nodiscard]] virtual std::uint32_t extent() const = 0; // elements in one value
    [[nodiscard]] virtual bool isArray() const = 0;
    /// Its count is the number of samples, and may be 0.
    [[nodiscard]] virtual const Sampling& sampling() const = 0;
    /// The times that the source gives it, where they are not those that count (see alignedValues).
    [[nodiscard]] virtual const Sampling& statedSampling() const { return sampling(); }
    [[nodiscard]] virtual Result<PropertyValue> read(std::size_t sample) const = 0;
    /// At a moment: numbers in straight lines between two samples of equal size, normals of the length in between; all
    /// else as the sample before says.
    [[nodiscard]] virtual Result<PropertyValue> readAt(double seconds, const ValueMix& how) const;
    /// False when the moments between samples are not what mixing the two beside them gives.
    [[nodiscard]] virtual bool straightBetween() const { return true; }
    /// True when all samples are known to be equal.
    [[nodiscard]] virtual bool constant() const { return sampling().count() < 2; }
    /// True when it is known to be the same at every moment, also at those that are no samples.
    [[nodiscard]] virtual bool sameAlways() const { return constant(); }
    /// Of texts that name files: where each of them is, empty where it is nowhere. Null: they name none.
    [[nodiscard]] virtual const std::map<std::string, std::string>* files() const { return nullptr; }
    /// A number that is equal for samples known to be equal without reading them.
    [[nodiscard]] virtual std::optional<std::uint64_t> token(std::size_t) const { return std::nullopt; }
    /// The same for a moment; nothing where that is no sample. What is stored is held outside of its samples.
    [[nodiscard]] virtual std::optional<std::uint64_t> tokenAt(double seconds) const {
        if (sampling().count() == 0)
            return std::nullopt;
        const auto at = sampling().locate(seconds);
        return at.weight == 0.0 ? token(at.below) : std::nullopt;
    }
};
using ValuesPtr = std::shared_ptr<const SampledValues>;

class MemoryValues final : public SampledValues {
  public:
    MemoryValues(ValueType type, std::uint32_t extent, bool array, Sampling sampling,
                 std::vector<PropertyValue> samples)
        : type_(type), extent_(extent), array_(array), sampling_(std::move(sampling)), samples_(std::move(samples)) {}
    [[nodiscard]] ValueType type() const override { return type_; }
    [[nodiscard]] std::uint32_t extent() const override { return extent_; }
    [[nodiscard]] bool isArray() const override { return array_; }
    [[nodiscard]] const Sampling& sampling() const override { return sampling_; }
    [[nodiscard]] Result<PropertyValue> read(std::size_t sample) const override { return samples_.at(sample); }

  private:
    ValueType type_;
    std::uint32_t extent_;
    bool array_;
    Sampling sampling_;
    std::vector<PropertyValue> samples_;
};

/// Passes everything on; base of what changes one aspect.
class ValuesWrapper : public SampledValues {
  public:
    explicit ValuesWrapper(ValuesPtr inner) : inner_(std::move(inner)) {}
    [[nodiscard]] ValueType type() const override { return inner_->type(); }
    [[nodiscard]] std::uint32_t extent() const override { return inner_->extent(); }
    [[nodiscard]] bool isArray() const override { return inner_->isArray(); }
    [[nodiscard]] const Sampling& sampling() const override { return inner_->sampling(); }
    [[nodiscard]] Result<PropertyValue> read(std::size_t sample) const override { return inner_->read(sample); }
    [[nodiscard]] Result<PropertyValue> readAt(double seconds, const ValueMix& how) const override {
        return inner_->readAt(seconds, how);
    }
    [[nodiscard]] bool straightBetween() const override { return inner_->straightBetween(); }
    [[nodiscard]] bool constant() const override { return inner_->constant(); }
    [[nodiscard]] bool sameAlways() const override { return inner_->sameAlways(); }
    [[nodiscard]] const std::map<std::string, std::string>* files() const override { return inner_->files(); }
    [[nodiscard]] std::optional<std::uint64_t> token(std::size_t s) const override { return inner_->token(s); }
    [[nodiscard]] std::optional<std::uint64_t> tokenAt(double t) const override { return inner_->tokenAt(t); }

  protected:
    [[nodiscard]] const SampledValues& inner() const { return *inner_; }
    [[nodiscard]] const ValuesPtr& innerPtr() const { return inner_; }

  private:
    ValuesPtr inner_;
};

/// What a property is, whatever a format calls it and wherever it keeps it.
enum class Meaning {
    Unknown,        // only the format it came from knows: carried as it is, by that format alone
    Itself,         // says what the node's points, faces, transform, visibility or instance say: a writer makes it anew
    Uvs,            // two floats for each element of a mesh; there may be several sets
    Normals,        // three floats
    Colours,        // three or four floats, 0 … 1
    Parameter,      // any other named attribute of a shape: of points, corners, faces or the whole
    UserValue,      // a named value that somebody attached
    Widths,         // of points or curves
    Velocities,     // of points, a second
    PointIds,       // numbers that points keep
    CurveSizes,     // points of each curve
    CurveKind,      // four bytes: CurveLayout::Type, closed or not, CurveLayout::Basis twice
    CurveOrders,    // degree + 1 of each curve
    CurveKnots,     // curve after curve
    CurveWeights,   // of each point
    SurfaceSetting, // creases, corners, holes, scheme of a subdivision surface
    FocalLength,    // of a camera, see camera.h: metres
    GateWidth,      // of the film gate, metres
    GateHeight,     // metres
    GateX,          // middle of the gate beside the lens's axis, metres
    GateY,          // metres
    Squeeze,        // width of the unsqueezed picture / its width on the film
    Overscan,       // left, right, top, bottom: shares of the gate
    FStop,          // focal length / width of the opening
    FocusDistance,  // scene units
    ShutterOpen,    // seconds from the frame
    ShutterClose,   // seconds from the frame
    NearClip,       // scene units
    FarClip,        // scene units
    FilmBack,       // nine numbers: what is done to the picture behind the lens
    Turns,          // of what an instancer shows: see instancer.h
    Sizes,          // likewise
    PrototypeNumbers, // likewise: whole numbers
    SetFaces,         // numbers of the faces of a set
    LightColour,      // three numbers
    LightIntensity,   // one
    LightExposure,    // one, in stops
    LightConeDegrees, // one: the whole angle
    LightKind,        // a text
    JointNames,       // of a skeleton, see skeleton.h: a text for each joint, as all of these a value for each
    JointParents,     // number of the joint above, −1 at a root
    JointBinds,       // where it stood when skins were bound
    JointRests,       // its local matrix at rest
    JointPlaces,      // local places over time; turns and sizes likewise
    JointTurns,
    JointSizes,
    RestPoints,    // of a deformed mesh, see deform.h: its points before skin and morphs
    SkinBind,      // matrix from the mesh's space into that in which its skin was bound
    SkinJoints,    // numbers of joints, `extent` a point
    SkinWeights,   // shares of them, likewise
    Morph,         // a group: one target with its weight, and its shapes, of which each is a group, too
    MorphWeight,   // over time
    MorphAt,       // weight at which a shape is whole
    MorphPoints,   // numbers of the points that a shape moves, rising
    MorphOffsets,  // how far each of these moves
    ShaderInput,   // of a material's graph, in the group of its shader node: a value over time
    ShaderTexture, // a path, as the file has it
    ShaderLink,    // the output of another node: a text "node.output"
    ShaderType,    // what kind of node it is: a text
};
inline constexpr std::size_t kMeaningCount = static_cast<std::size_t>(Meaning::ShaderType) + 1;
/// Things whose figures go where they go. Deformers are what a mesh's points are made by.
enum class Owner { Any, Camera, Light, Instancer, Deformers };
/// What is true of all properties of a meaning, said in one place.
struct MeaningTraits {
    const char* name;                // for people
    bool named = false;              // there may be several, told apart by their own names
    bool attribute = false;          // a value for each element of a shape, of the scope that it states
    std::optional<Scope> scope = {}; // it always has, else as stated for an attribute, and one for all
    Owner of = Owner::Any;           // what has it, and nothing else
    bool ofGroup = false;            // told with the name of the group that it is in
};
[[nodiscard]] const MeaningTraits& traitsOf(Meaning meaning);
[[nodiscard]] inline const char* meaningName(Meaning meaning) {
    return traitsOf(meaning).name;
}
/// A value for each element of a shape: UVs, normals, colours, parameters.
[[nodiscard]] inline bool isAttribute(Meaning meaning) {
    return traitsOf(meaning).attribute;
}

struct PropertyNode {
    std::string name;
    std::map<std::string, std::string> metadata; // the format's own remarks about it
    ValuesPtr values;                            // null = a group
    std::vector<PropertyNode> children;
    SpaceRole role = SpaceRole::None;
    TimeRole time = TimeRole::Plain;
    Meaning meaning = Meaning::Unknown; // of a group: of what its values are, told together
    Scope scope = Scope::Constant;      // of an attribute

    [[nodiscard]] const PropertyNode* child(std::string_view childName) const;
};

/// What people, records and comparisons call it: "UVs", "attribute 'heat'", "morph 'smile' weight". `group`: what the
/// group that it is in is called; empty at the top.
[[nodiscard]] std::string toldAs(const PropertyNode& property, const std::string& group);

/// What a node has beside its shape and transform, made when it is asked for. Where it came from a format, names,
/// grouping and order are that format's, and only its own writer looks at them; all else goes by meaning and role.
class Properties {
  public:
    virtual ~Properties() = default;
    [[nodiscard]] virtual std::vector<PropertyNode> all() const = 0;
    /// Id of the format whose layout this is; empty: none, a plain list.
    [[nodiscard]] virtual std::string_view layout() const { return {}; }
    /// The shape and transform that the properties describe. Where the node's are others (a step changed them),
    /// the properties of points, faces, bounds and matrices are out of date and to be made anew.
    [[nodiscard]] virtual const Geometry* shape() const { return nullptr; }
    [[nodiscard]] virtual const Transform* transform() const { return nullptr; }
    /// The container's remarks about the node itself.
    [[nodiscard]] virtual const std::map<std::string, std::string>& metadata() const = 0;
    /// What only its format understands of the node itself; the format's own writer passes it on. Null: nothing.
    struct FormatsOwn {
        std::string_view format; // its id
        std::shared_ptr<const void> what = {};
    };
    [[nodiscard]] virtual FormatsOwn formatsOwn() const { return {}; }
};
using PropertiesPtr = std::shared_ptr<const Properties>;

class MemoryProperties final : public Properties {
  public:
    explicit MemoryProperties(std::vector<PropertyNode> list, std::map<std::string, std::string> metadata = {},
                              std::string_view layout = {}, FormatsOwn own = {})
        : list_(std::move(list)), metadata_(std::move(metadata)), layout_(layout), own_(std::move(own)) {}
    [[nodiscard]] FormatsOwn formatsOwn() const override { return own_; }
    [[nodiscard]] std::vector<PropertyNode> all() const override { return list_; }
    [[nodiscard]] std::string_view layout() const override { return layout_; }
    [[nodiscard]] const std::map<std::string, std::string>& metadata() const override { return metadata_; }

  private:
    std::vector<PropertyNode> list_;
    std::map<std::string, std::string> metadata_;
    std::string_view layout_;
    FormatsOwn own_; // of a format: it lasts
};

/// The same properties with each one that has values replaced by what `change` gives; null takes it away. `group`: that
/// it is in, null at the top; what all groups above it are told as is given as a path.
using PropertyChange =
    std::function<ValuesPtr(const PropertyNode& property, const PropertyNode* group, const std::string& path)>;
[[nodiscard]] PropertiesPtr changedProperties(PropertiesPtr inner, PropertyChange change);

/// What becomes of a property that has values: they, others in their place, or null: it goes. `group`: that it is in;
/// null at the top.
using KeepProperty = std::function<ValuesPtr(const PropertyNode& property, const PropertyNode* group)>;
struct KeptProperties {
    PropertiesPtr kept;            // layout and remarks as before; of no shape and transform any more
    std::vector<std::string> gone; // names of what went, of an attribute once
};
/// Decided at once, property by property. What is made anew from the shape stays, and says nothing.
[[nodiscard]] KeptProperties keptProperties(const PropertiesPtr& properties, const KeepProperty& keep);

/// A property by its path in the layout it has; nothing where there is none, or no sample of it.
[[nodiscard]] std::optional<PropertyNode> findProperty(const PropertiesPtr& properties, std::string_view path);
/// The first of a meaning, and of a name where one is given: a property that has samples, of a group the values in it.
[[nodiscard]] std::optional<PropertyNode> findMeaning(const PropertiesPtr& properties, Meaning meaning,
                                                      std::string_view name = {});
/// A list without a layout.
[[nodiscard]] PropertiesPtr plainProperties(std::vector<PropertyNode> list);
/// The same with another list; null properties are plain ones with nothing in them.
[[nodiscard]] PropertiesPtr relisted(const PropertiesPtr& properties, std::vector<PropertyNode> list);
[[nodiscard]] PropertyNode plainProperty(Meaning meaning, std::string name, ValuesPtr values,
                                         SpaceRole role = SpaceRole::None, TimeRole time = TimeRole::Plain);
/// Elements of a sample as T. An error when the type has another size.
template<class T> [[nodiscard]] Result<std::vector<T>> valuesOf(const SampledValues& values, std::size_t sample) {
    if (elementSize(values.type()) != sizeof(T))
        return fail(ErrorKind::BadInput, "a property holds another type than is needed here");
    WYC_TRY(value, values.read(sample));
    std::vector<T> result(value.bytes.size() / sizeof(T));
    if (!result.empty())
        std::memcpy(result.data(), value.bytes.data(), result.size() * sizeof(T));
    return result;
}
/// Calls change(std::span<float>) or change(std::span<double>) on a value's numbers; does nothing for other types.
template<class F> void changeNumbers(ValueType type, PropertyValue& value, F&& change) {
    const auto with = [&]<class T>(T) {
        std::vector<T> numbers(value.bytes.size() / sizeof(T));
        if (numbers.empty())
            return;
        std::memcpy(numbers.data(), value.bytes.data(), numbers.size() * sizeof(T));
        change(std::span<T>(numbers));
        std::memcpy(value.bytes.data(), numbers.data(), numbers.size() * sizeof(T));
    };
    if (type == ValueType::Float)
        with(0.0F);
    else if (type == ValueType::Double)
        with(0.0);
}
/// Strings of a sample as UTF-8.
[[nodiscard]] Result<std::vector<std::string>> stringsOf(const SampledValues& values, std::size_t sample);
[[nodiscard]] std::vector<std::string> stringsOf(ValueType type, std::span<const std::byte> bytes);

template<class T>
[[nodiscard]] ValuesPtr memoryValues(ValueType type, std::uint32_t extent, bool array, Sampling sampling,
                                     const std::vector<std::vector<T>>& samples) {
    std::vector<PropertyValue> made;
    for (const std::vector<T>& sample : samples) {
        const auto raw = std::as_bytes(std::span(sample));
        made.push_back({{raw.begin(), raw.end()}, {}});
    }
    return std::make_shared<MemoryValues>(type, extent, array, std::move(sampling), std::move(made));
}

/// One sample, for all times.
template<class T>
[[nodiscard]] ValuesPtr stillValues(ValueType type, std::uint32_t extent, bool array, const std::vector<T>& values) {
    return memoryValues(type, extent, array, Sampling::still(), std::vector<std::vector<T>>{values});
}

/// Of a group that is values, and behind them numbers into them (one for each element, −1 where it has none): the
/// numbers. Null where it is no such group.
[[nodiscard]] const PropertyNode* numberingOf(const PropertyNode& group);
/// Values that elements have by numbers: between two samples they are mixed only where both have the same numbers.
[[nodiscard]] ValuesPtr pairedValues(ValuesPtr values, ValuesPtr numbers);
/// Values whose own times say nothing, since they go sample by sample with something else: its times count.
[[nodiscard]] ValuesPtr alignedValues(ValuesPtr inner, const Sampling& sampling);

/// As a file has them: between its samples lies what is mixed of them, whatever made them.
[[nodiscard]] ValuesPtr storedValues(ValuesPtr inner);

/// Mixes a later value into an earlier one; `match` says which of its elements each one becomes.
[[nodiscard]] PropertyValue mixedValues(ValueType type, PropertyValue earlier, const PropertyValue& later,
                                        double weight, SpaceRole role, const PointMatch& match);

} // namespace wyc
