// SPDX-License-Identifier: GPL-3.0-or-later
#include "box/box.h"

#include "base/text.h"
#include "scene/deform/deformers.h"

namespace wyc::box {
namespace {

using nlohmann::json;

constexpr std::string_view kMagic = "WYCBOX1\n";

template<class T> json packed(std::span<const T> values) {
    const auto raw = std::as_bytes(values);
    const auto* first = reinterpret_cast<const std::uint8_t*>(raw.data());
    return json::binary({first, first + raw.size()});
}
template<class T> json packed(const std::vector<T>& values) {
    return packed(std::span<const T>(values));
}
template<class T> std::vector<T> unpacked(const json& value) {
    const auto& raw = value.get_binary();
    std::vector<T> result(raw.size() / sizeof(T));
    if (!result.empty())
        std::memcpy(result.data(), raw.data(), result.size() * sizeof(T));
    return result;
}

json ofSampling(const Sampling& sampling) {
    return {{"kind", static_cast<int>(sampling.kind())},
            {"times", sampling.storedTimes()},
            {"cycle", sampling.cycleSeconds()},
            {"count", sampling.count()}};
}
Sampling samplingOf(const json& value) {
    const auto times = value.at("times").get<std::vector<double>>();
    const auto count = value.at("count").get<std::size_t>();
    switch (static_cast<Sampling::Kind>(value.at("kind").get<int>())) {
    case Sampling::Kind::Still: return Sampling::still(times.at(0));
    case Sampling::Kind::Uniform: return Sampling::uniform(times.at(0), value.at("cycle"), count);
    case Sampling::Kind::Cyclic: return Sampling::cyclic(times, value.at("cycle"), count);
    case Sampling::Kind::Acyclic: break;
    }
    return Sampling::acyclic(times);
}

Result<json> ofProperties(const std::vector<PropertyNode>& list) {
    json all = json::array();
    for (const PropertyNode& property : list) {
        if (property.meaning == Meaning::Itself)
            continue;
        json one{{"name", property.name},
                 {"meaning", static_cast<int>(property.meaning)},
                 {"role", static_cast<int>(property.role)},
                 {"time", static_cast<int>(property.time)},
                 {"scope", static_cast<int>(property.scope)}};
        if (property.values) {
            const SampledValues& values = *property.values;
            one["type"] = static_cast<int>(values.type());
            one["extent"] = values.extent();
            one["array"] = values.isArray();
            one["sampling"] = ofSampling(values.sampling());
            one["samples"] = json::array();
            for (std::size_t i = 0; i < values.sampling().count(); ++i) {
                WYC_TRY(value, values.read(i));
                one["samples"].push_back(packed(value.bytes));
            }
        } else {
            WYC_TRY(children, ofProperties(property.children));
            one["children"] = std::move(children);
        }
        all.push_back(std::move(one));
    }
    return all;
}
Result<json> ofProperties(const PropertiesPtr& properties) {
    return ofProperties(properties ? properties->all() : std::vector<PropertyNode>());
}
std::vector<PropertyNode> propertiesOf(const json& all) {
    std::vector<PropertyNode> list;
    for (const json& one : all) {
        PropertyNode property = plainProperty(static_cast<Meaning>(one.at("meaning").get<int>()), one.at("name"),
                                              nullptr, static_cast<SpaceRole>(one.at("role").get<int>()),
                                              static_cast<TimeRole>(one.at("time").get<int>()));
        property.scope = static_cast<Scope>(one.at("scope").get<int>());
        if (one.contains("children")) {
            property.children = propertiesOf(one["children"]);
        } else {
            std::vector<PropertyValue> samples;
            for (const json& sample : one.at("samples"))
                samples.push_back({unpacked<std::byte>(sample), {}});
            property.values =
                std::make_shared<MemoryValues>(static_cast<ValueType>(one.at("type").get<int>()), one.at("extent"),
                                               one.at("array"), samplingOf(one.at("sampling")), std::move(samples));
        }
        list.push_back(std::move(property));
    }
    return list;
}
PropertiesPtr ownProperties(const json& all) {
    return all.empty() ? nullptr : plainProperties(propertiesOf(all));
}

class BoxGeometry final : public Geometry {
  public:
    struct Sample {
        std::vector<Vec3f> points;
        TopologyPtr topology;
        FaceSetsPtr sets;
        IdsPtr ids;
    };
    BoxGeometry(Sampling sampling, std::vector<Sample> samples)
        : sampling_(std::move(sampling)), samples_(std::move(samples)) {
        for (const Sample& sample : samples_) {
            varies_ = varies_ || sample.topology != samples_.front().topology ||
                      sample.points.size() != samples_.front().points.size() || sample.ids;
            setsVary_ = setsVary_ || sample.sets != samples_.front().sets;
        }
    }
    [[nodiscard]] const Sampling& sampling() const override { return sampling_; }
    [[nodiscard]] Result<std::size_t> pointCount(std::size_t s) const override { return samples_.at(s).points.size(); }
    [[nodiscard]] Status readRange(std::size_t s, std::size_t first, std::span<Vec3f> into) const override {
        return copyRange(samples_.at(s).points, first, into);
    }
    [[nodiscard]] Result<TopologyPtr> topology(std::size_t s) const override { return samples_.at(s).topology; }
    [[nodiscard]] Result<FaceSetsPtr> faceSets(std::size_t s) const override { return samples_.at(s).sets; }
    [[nodiscard]] Result<IdsPtr> ids(std::size_t s) const override { return samples_.at(s).ids; }
    [[nodiscard]] bool topologyVaries() const override { return varies_; }
    [[nodiscard]] bool faceSetsVary() const override { return setsVary_; }

  private:
    Sampling sampling_;
    std::vector<Sample> samples_;
    bool varies_ = false;
    bool setsVary_ = false;
};

json ofSets(const Scene& scene, const std::vector<FaceSet>& sets) {
    json all = json::array();
    for (const FaceSet& set : sets) {
        const Material* material = set.material.value ? materialOf(scene, set.material, {}) : nullptr;
        all.push_back({{"kind", static_cast<int>(set.kind)},
                       {"name", set.name},
                       {"faces", packed(set.faces)},
                       {"material", material ? material - scene.materials.data() : -1}});
    }
    return all;
}
FaceSetsPtr setsOf(const Scene& scene, const json& all) {
    std::vector<FaceSet> sets;
    for (const json& one : all) {
        sets.push_back({static_cast<FaceSet::Kind>(one.at("kind").get<int>()), one.at("name"),
                        unpacked<std::int32_t>(one.at("faces"))});
        if (const int material = one.at("material"); material >= 0)
            sets.back().material = scene.materials.at(static_cast<std::size_t>(material)).id;
    }
    return std::make_shared<const std::vector<FaceSet>>(std::move(sets));
}

// Faces and sets are written where they change; points of a deformed mesh are not: its channels say them.
Result<json> ofGeometry(const Scene& scene, const Node& node) {
    const Geometry& shape = *node.geometry;
    json all{{"sampling", ofSampling(isDeformed(node) ? Sampling::still() : shape.sampling())},
             {"samples", json::array()}};
    TopologyPtr faces;
    std::optional<std::vector<FaceSet>> sets;
    const std::size_t count = isDeformed(node) ? 1 : shape.sampling().count();
    for (std::size_t i = 0; i < count; ++i) {
        json sample;
        WYC_TRY(topology, shape.topology(i));
        if (!faces || faces->hash() != topology->hash())
            sample.update({{"sizes", packed(topology->faceSizes())}, {"corners", packed(topology->corners())}});
        faces = topology;
        WYC_TRY(now, shape.faceSets(i));
        if (!sets || *sets != *now)
            sample["sets"] = ofSets(scene, *now);
        sets = *now;
        if (!isDeformed(node)) {
            std::vector<Vec3f> points;
            WYC_CHECK(readPoints(shape, i, points));
            sample["points"] = packed(points);
            WYC_TRY(ids, shape.ids(i));
            if (ids)
                sample["ids"] = packed(*ids);
        }
        all["samples"].push_back(std::move(sample));
    }
    return all;
}
Result<GeometryPtr> geometryOf(const Scene& scene, const json& all) {
    std::vector<BoxGeometry::Sample> samples;
    TopologyPtr faces;
    FaceSetsPtr sets;
    for (const json& sample : all.at("samples")) {
        if (sample.contains("sizes")) {
            WYC_TRY(made, Topology::make(unpacked<std::int32_t>(sample["sizes"]),
                                         unpacked<std::int32_t>(sample.at("corners"))));
            faces = made;
        }
        if (sample.contains("sets"))
            sets = setsOf(scene, sample["sets"]);
        samples.push_back({{}, faces, sets, nullptr});
        if (sample.contains("points"))
            samples.back().points = unpacked<Vec3f>(sample["points"]);
        if (sample.contains("ids"))
            samples.back().ids =
                std::make_shared<const std::vector<std::uint64_t>>(unpacked<std::uint64_t>(sample["ids"]));
    }
    return GeometryPtr(std::make_shared<BoxGeometry>(samplingOf(all.at("sampling")), std::move(samples)));
}

class BoxTransform final : public Transform {
  public:
    BoxTransform(Sampling sampling, std::vector<TransformOp> ops, std::vector<std::vector<double>> channels,
                 std::vector<bool> inherits)
        : own_(std::move(sampling), std::move(ops), std::move(channels)), inherits_(std::move(inherits)) {}
    [[nodiscard]] const Sampling& sampling() const override { return own_.sampling(); }
    [[nodiscard]] const std::vector<TransformOp>& ops() const override { return own_.ops(); }
    [[nodiscard]] Result<std::vector<double>> channels(std::size_t s) const override { return own_.channels(s); }
    [[nodiscard]] Result<bool> inherits(std::size_t s) const override { return inherits_.at(s); }

  private:
    MemoryTransform own_;
    std::vector<bool> inherits_;
};

Result<json> ofTransform(const Transform& transform) {
    json all{{"sampling", ofSampling(transform.sampling())},
             {"ops", json::array()},
             {"channels", json::array()},
             {"inherits", json::array()}};
    for (const TransformOp& op : transform.ops())
        all["ops"].push_back({static_cast<int>(op.kind), static_cast<int>(op.hint)});
    for (std::size_t i = 0; i < transform.sampling().count(); ++i) {
        WYC_TRY(values, transform.channels(i));
        WYC_TRY(inherits, transform.inherits(i));
        all["channels"].push_back(packed(values));
        all["inherits"].push_back(inherits);
    }
    return all;
}
TransformPtr transformOf(const json& all) {
    std::vector<TransformOp> ops;
    for (const json& op : all.at("ops"))
        ops.push_back({static_cast<TransformOp::Kind>(op.at(0).get<int>()), op.at(1).get<std::uint8_t>()});
    std::vector<std::vector<double>> channels;
    std::vector<bool> inherits;
    for (const json& values : all.at("channels"))
        channels.push_back(unpacked<double>(values));
    for (const json& one : all.at("inherits"))
        inherits.push_back(one.get<bool>());
    return std::make_shared<BoxTransform>(samplingOf(all.at("sampling")), std::move(ops), std::move(channels),
                                          std::move(inherits));
}

int indexOf(const Scene& scene, const std::optional<NodeId>& id) {
    const auto found = id ? scene.find(*id) : std::nullopt;
    return found ? static_cast<int>(*found) : -1;
}

Result<json> ofNode(const Scene& scene, const Node& node) {
    json one{{"name", node.name},
             {"parent", node.parent},
             {"kind", static_cast<int>(node.kind)},
             {"prototypes", json::array()}};
    if (node.isInstance())
        one["instance_of"] = indexOf(scene, node.instanceOf);
    if (isDeformed(node))
        one["skeleton"] = indexOf(scene, node.deformation->skeleton);
    if (const Material* material = node.material.value ? materialOf(scene, node.material, {}) : nullptr)
        one["material"] = material - scene.materials.data();
    for (const NodeId id : node.prototypes ? *node.prototypes : std::vector<NodeId>())
        one["prototypes"].push_back(indexOf(scene, id));
    WYC_TRY(properties, ofProperties(node.properties));
    one["properties"] = std::move(properties);
    if (node.transform) {
        WYC_TRY(transform, ofTransform(*node.transform));
        one["transform"] = std::move(transform);
    }
    if (node.visibility) {
        std::vector<int> values;
        for (const Visibility value : node.visibility->values)
            values.push_back(static_cast<int>(value));
        one["visibility"] = {{"sampling", ofSampling(node.visibility->sampling)}, {"values", values}};
    }
    if (node.geometry) {
        WYC_TRY(geometry, ofGeometry(scene, node));
        one["geometry"] = std::move(geometry);
    }
    return one;
}

json ofLook(const Look& look) {
    json all;
    for (const auto& [name, member] : kLookInputs)
        all[name] = {{"value", (look.*member).value}, {"texture", (look.*member).texture}};
    return all;
}
Look lookOf(const json& all) {
    Look look;
    for (const auto& [name, member] : kLookInputs)
        look.*member = {all.at(name).at("value").get<std::vector<float>>(), all.at(name).at("texture"), {}};
    return look;
}

Result<json> ofScene(const Scene& scene) {
    json document{{"nodes", json::array()}, {"materials", json::array()}};
    if (scene.rate)
        document["rate"] = scene.rate->text();
    if (scene.unitMetres)
        document["unit"] = *scene.unitMetres;
    if (scene.upAxis)
        document["up"] = upAxisName(*scene.upAxis);
    for (const Material& material : scene.materials) {
        WYC_TRY(graph, ofProperties(material.graph));
        document["materials"].push_back(
            {{"name", material.name}, {"look", ofLook(material.look)}, {"graph", std::move(graph)}});
    }
    for (const Node& node : scene.nodes) {
        WYC_TRY(one, ofNode(scene, node));
        document["nodes"].push_back(std::move(one));
    }
    return document;
}

Result<Scene> sceneOf(const json& document, const OpenRequest& request) {
    Scene scene;
    if (document.contains("rate")) {
        WYC_TRY(rate, FrameRate::parse(document["rate"].get<std::string>()));
        scene.rate = rate;
    }
    scene.view.rate = scene.rate.value_or(request.assumedRate);
    if (document.contains("unit"))
        scene.unitMetres = document["unit"].get<double>();
    if (document.contains("up")) {
        WYC_TRY(up, parseUpAxis(document["up"].get<std::string>()));
        scene.upAxis = up;
    }
    for (const json& one : document.at("materials")) {
        Material material;
        material.name = one.at("name");
        material.look = lookOf(one.at("look"));
        material.graph = ownProperties(one.at("graph"));
        scene.materials.push_back(std::move(material));
    }
    scene.nodes.resize(document.at("nodes").size());
    const auto idOf = [&](const json& index) -> std::optional<NodeId> {
        return index.get<int>() < 0 ? std::nullopt : std::optional(scene.nodes.at(index.get<std::size_t>()).id);
    };
    for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
        const json& one = document["nodes"][i];
        Node& node = scene.nodes[i];
        node.name = one.at("name");
        node.parent = one.at("parent");
        if (node.parent >= static_cast<int>(i))
            return fail(ErrorKind::BadFormat, "a node stands before the one above it");
        const std::string above = node.parent < 0 ? "" : scene.nodes[static_cast<std::size_t>(node.parent)].path;
        node.path = above + "/" + node.name;
        node.kind = static_cast<NodeKind>(one.at("kind").get<int>());
        if (one.contains("instance_of"))
            node.instanceOf = idOf(one["instance_of"]);
        node.properties = ownProperties(one.at("properties"));
        if (one.contains("material"))
            node.material = scene.materials.at(one["material"].get<std::size_t>()).id;
        if (node.kind == NodeKind::Instancer) {
            std::vector<NodeId> prototypes;
            for (const json& index : one.at("prototypes"))
                prototypes.push_back(idOf(index).value_or(NodeId()));
            node.prototypes = std::make_shared<const std::vector<NodeId>>(std::move(prototypes));
        }
        if (one.contains("transform"))
            node.transform = transformOf(one["transform"]);
        if (one.contains("visibility")) {
            VisibilityTrack track{samplingOf(one["visibility"].at("sampling")), {}};
            for (const json& value : one["visibility"].at("values"))
                track.values.push_back(static_cast<Visibility>(value.get<int>()));
            node.visibility = std::move(track);
        }
        if (one.contains("geometry")) {
            WYC_TRY(geometry, geometryOf(scene, one["geometry"]));
            node.geometry = geometry;
        }
    }
    for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
        const json& one = document["nodes"][i];
        if (scene.nodes[i].instanceOf)
            scene.nodes[i].instanceLabel = scene.nodes[*scene.find(*scene.nodes[i].instanceOf)].path;
        if (!one.contains("skeleton"))
            continue;
        const int skeleton = one["skeleton"];
        if (!scene.nodes[i].geometry)
            return fail(ErrorKind::BadFormat, "what is deformed has no faces");
        WYC_TRY(faces, scene.nodes[i].geometry->topology(0));
        WYC_TRY(sets, scene.nodes[i].geometry->faceSets(0));
        WYC_CHECK(deform(scene.nodes[i], skeleton < 0 ? nullptr : &scene.nodes.at(static_cast<std::size_t>(skeleton)),
                         faces, sets, scene.view.rate));
    }
    return scene;
}

constexpr const char* kMorphs = "morphs";
constexpr const char* kValues = "values";
constexpr const char* kLeftOut = "left out";

void leaveOut(json& properties, Meaning meaning) {
    json kept = json::array();
    for (json& one : properties) {
        if (one.at("meaning") == static_cast<int>(meaning))
            continue;
        if (one.contains("children"))
            leaveOut(one["children"], meaning);
        kept.push_back(std::move(one));
    }
    properties = std::move(kept);
}

Result<Scene> open(const OpenRequest& request) {
    WYC_TRY(document, documentOf(request.path));
    try {
        if (request.options.at(kMorphs) == kLeftOut)
            for (json& node : document.at("nodes"))
                leaveOut(node.at("properties"), Meaning::Morph);
        return sceneOf(document, request);
    } catch (const std::exception& e) {
        return fail(
            makeError(ErrorKind::BadFormat, e.what()).inFile(request.path.string()).withAdvice("Write it anew"));
    }
}

Result<std::vector<fs::path>> write(const Scene& scene, const fs::path& target, const WriteOptions& options,
                                    const Progress& progress) {
    WYC_CHECK(progress.poll());
    WYC_TRY(document, ofScene(scene));
    if (options.options.value(kValues, std::string()) == kLeftOut)
        for (json& node : document["nodes"])
            leaveOut(node["properties"], Meaning::UserValue);
    WYC_CHECK(writeDocument(target, document));
    return std::vector<fs::path>{target};
}

std::uint64_t estimate(const Scene& scene, const json&) {
    const auto document = ofScene(scene);
    return document ? json::to_cbor(*document).size() : 0;
}

double identify(std::span<const std::byte> head, std::uint64_t) {
    return head.size() >= kMagic.size() && std::memcmp(head.data(), kMagic.data(), kMagic.size()) == 0 ? 1.0 : 0.0;
}

} // namespace

Result<json> documentOf(const fs::path& path) {
    WYC_TRY(bytes, readWholeFile(path, 1 << 30));
    if (identify(std::as_bytes(std::span(bytes)), bytes.size()) == 0.0)
        return fail(makeError(ErrorKind::BadFormat, "it is no box").inFile(path.string()).withAdvice("Write it anew"));
    const auto document = json::from_cbor(bytes.begin() + kMagic.size(), bytes.end(), true, false);
    if (document.is_discarded() || !document.is_object())
        return fail(
            makeError(ErrorKind::BadFormat, "the box is broken").inFile(path.string()).withAdvice("Write it anew"));
    return document;
}

Status writeDocument(const fs::path& path, const json& document) {
    WYC_TRY(file, AtomicFile::create(path));
    WYC_CHECK(file->append(kMagic));
    const std::vector<std::uint8_t> bytes = json::to_cbor(document);
    WYC_CHECK(file->append(std::as_bytes(std::span(bytes))));
    return file->commit(AtomicFile::Replace::Yes);
}

Format format() {
    Format format;
    format.id = "box";
    format.name = "Box of the tests";
    format.extensions = {".wbox"};
    format.manyItems = true;
    format.answers.fill({Fate::Kept, {}});
    format.open = &open;
    format.write = &write;
    format.estimate = &estimate;
    format.identify = &identify;
    format.openOptions = {
        {kMorphs, OptionKind::Choice, "", "morphs as they are, or left out", "kept", {"kept", kLeftOut}}};
    format.writeOptions = {{kValues, OptionKind::Choice, "", "user values", "kept", {"kept", kLeftOut}}};
    format.carries = [](const ChannelKind& channel, const json& options) {
        const bool out = channel.meaning == Meaning::UserValue && options[kValues] == kLeftOut;
        return out ? Carried{Fate::Lost, "left out, as asked"} : Carried{Fate::Kept, {}};
    };
    return format;
}

} // namespace wyc::box
