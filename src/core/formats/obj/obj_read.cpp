// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <array>
#include <list>
#include <mutex>

#include <fmt/format.h>

#include "base/hash.h"
#include "base/text.h"
#include "formats/obj/obj.h"
#include "scene/layers.h"

namespace wyc::obj {
namespace {

constexpr std::uint64_t kMostFileBytes = 64ULL << 30;

// A parsed file as mesh sample values.
struct ParsedMesh {
    std::vector<Vec3f> points;
    TopologyPtr topology;
    FaceSetsPtr faceSets;
    Attribute uvs{Scope::Corner, 2, {}, {}};
    Attribute normals{Scope::Corner, 3, {}, {}};
    Attribute colours{Scope::Point, 3, {}, {}};
};

Result<ParsedMesh> meshOf(ObjText&& text, const std::string& path) {
    ParsedMesh mesh;
    auto topology = Topology::make(std::move(text.faceSizes), std::move(text.corners));
    if (!topology)
        return fail(std::move(topology.error()).inFile(path));
    mesh.topology = *topology;
    mesh.points = std::move(text.points);
    if (!text.cornerUvs.empty())
        mesh.uvs = {Scope::Corner, 2, std::move(text.uvs), std::move(text.cornerUvs)};
    if (!text.cornerNormals.empty())
        mesh.normals = {Scope::Corner, 3, std::move(text.normals), std::move(text.cornerNormals)};
    if (text.someColours)
        mesh.colours = {Scope::Point, 3, std::move(text.colours), {}};
    std::vector<FaceSet> sets;
    for (ObjectSpan& object : text.objects)
        if (text.objects.size() > 1)
            sets.push_back({FaceSet::Kind::Object, std::move(object.name), std::move(object.faces)});
    for (auto* more : {&text.groups, &text.materials})
        sets.insert(sets.end(), std::make_move_iterator(more->begin()), std::make_move_iterator(more->end()));
    mesh.faceSets = std::make_shared<const std::vector<FaceSet>>(std::move(sets));
    return mesh;
}

void addMaterials(Scene& scene, const ObjText& text, const fs::path& objPath, const std::string& item) {
    const fs::path folder = objPath.parent_path();
    std::vector<std::string> missing;
    for (const std::string& written : text.materialFiles) {
        // "mtllib" may hold one name with blanks or several names.
        std::vector<std::string> names{written};
        std::error_code code;
        if (!fs::is_regular_file(folder / written, code) && written.find(' ') != std::string::npos)
            names = splitText(written, ' ');
        for (const std::string& name : names) {
            scene.report.files.push_back(name);
            if (!textureIsThere(name, folder)) {
                missing.push_back(name);
                continue;
            }
            if (const auto bytes = readTextFile(folder / name, 64 << 20)) {
                auto found = parseMaterials({bytes->data(), bytes->size()}, (folder / name).parent_path());
                scene.materials.insert(scene.materials.end(), found.begin(), found.end());
            }
        }
    }
    for (const std::string& name : missing)
        scene.report.remarks.push_back({"material.file_missing",
                                        item,
                                        {},
                                        {},
                                        "",
                                        fmt::format("The material file '{}' is not there", name),
                                        "Put it beside the OBJ file, or deliver without materials",
                                        1});
    for (const Material& material : scene.materials)
        if (const LookInput& colour = material.look.baseColour; !colour.texture.empty() && colour.file.empty())
            scene.report.remarks.push_back(
                {"texture.missing",
                 item,
                 {},
                 {},
                 "",
                 fmt::format("The texture '{}' of material '{}' leads nowhere", colour.texture, material.name),
                 "Put the picture at this path beside the material file",
                 1});
    std::vector<std::string> undefined;
    for (const FaceSet& used : text.materials)
        if (std::none_of(scene.materials.begin(), scene.materials.end(),
                         [&](const Material& m) { return m.name == used.name; }))
            undefined.push_back(used.name);
    if (!undefined.empty() && !text.materialFiles.empty() && missing.empty())
        scene.report.remarks.push_back({"material.not_defined",
                                        item,
                                        {},
                                        static_cast<double>(undefined.size()),
                                        "materials",
                                        fmt::format("No material file defines '{}'", fmt::join(undefined, "', '")),
                                        "The names survive; colours and textures cannot",
                                        0});
}

void addNotCarried(Scene& scene, const ObjText& text, const std::string& item) {
    for (const auto& [keyword, count] : text.notCarried)
        scene.report.notCarried.push_back({item, keyword == "s"
                                                     ? fmt::format("smoothing groups ({} statements)", count)
                                                     : fmt::format("statement '{}' ({} times)", keyword, count)});
    if (text.lineElements > 0)
        scene.report.notCarried.push_back({item, fmt::format("{} polylines", text.lineElements)});
    if (text.pointElements > 0)
        scene.report.notCarried.push_back(
            {item, fmt::format("{} point elements (the points themselves are kept)", text.pointElements)});
    if (text.weightCount > 0)
        scene.report.notCarried.push_back(
            {item, fmt::format("weights of {} points, which only curves use", text.weightCount)});
}

// What a frame says beside its points and faces, part by part.
enum class Part : std::size_t { UvValues, UvNumbers, NormalValues, NormalNumbers, ColourValues };
constexpr std::size_t kParts = 5;

std::span<const std::byte> bytesOf(const ParsedMesh& mesh, Part part) {
    switch (part) {
    case Part::UvValues: return std::as_bytes(std::span(mesh.uvs.values));
    case Part::UvNumbers: return std::as_bytes(std::span(mesh.uvs.indices));
    case Part::NormalValues: return std::as_bytes(std::span(mesh.normals.values));
    case Part::NormalNumbers: return std::as_bytes(std::span(mesh.normals.indices));
    case Part::ColourValues: break;
    }
    return std::as_bytes(std::span(mesh.colours.values));
}

using PartTokens = std::array<std::uint64_t, kParts>;
PartTokens tokensOf(const ParsedMesh& mesh) {
    PartTokens tokens{};
    for (std::size_t p = 0; p < kParts; ++p)
        tokens[p] = hash64(bytesOf(mesh, static_cast<Part>(p)));
    return tokens;
}

// A numbered run of files. Each is parsed when asked for; the last few stay in memory, because points, faces
// and what lies on them are asked for one after another.
class ObjSequence final : public Geometry {
  public:
    ObjSequence(std::vector<SequenceFile> files, Sampling sampling, std::shared_ptr<const ParsedMesh> first)
        : files_(std::move(files)),
          sampling_(std::move(sampling)),
          firstTopology_(first->topology),
          firstSets_(first->faceSets),
          firstPoints_(first->points.size()) {
        stamps_.resize(files_.size());
        tokens_.resize(files_.size());
        for (std::size_t i = 0; i < files_.size(); ++i)
            if (const auto stamp = fileStamp(files_[i].path))
                stamps_[i] = *stamp;
        tokens_[0] = tokensOf(*first);
        kept_.emplace_back(0, std::move(first));
    }

    [[nodiscard]] const Sampling& sampling() const override { return sampling_; }
    [[nodiscard]] Result<std::size_t> pointCount(std::size_t sample) const override {
        WYC_TRY(mesh, fetch(sample));
        return mesh->points.size();
    }
    [[nodiscard]] Status readRange(std::size_t sample, std::size_t first, std::span<Vec3f> into) const override {
        WYC_TRY(mesh, fetch(sample));
        return copyRange(mesh->points, first, into);
    }
    [[nodiscard]] Result<TopologyPtr> topology(std::size_t sample) const override {
        WYC_TRY(mesh, fetch(sample));
        return mesh->topology;
    }
    [[nodiscard]] Result<FaceSetsPtr> faceSets(std::size_t sample) const override {
        WYC_TRY(mesh, fetch(sample));
        return mesh->faceSets;
    }
    [[nodiscard]] Result<PropertyValue> part(std::size_t sample, Part part) const {
        WYC_TRY(mesh, fetch(sample));
        const auto bytes = bytesOf(*mesh, part);
        return PropertyValue{{bytes.begin(), bytes.end()}, {}};
    }
    /// Equal for frames with the same bits; nothing for one that was not read yet.
    [[nodiscard]] std::optional<std::uint64_t> token(std::size_t sample, Part part) const {
        const std::lock_guard lock(mutex_);
        return tokens_[sample] ? std::optional((*tokens_[sample])[static_cast<std::size_t>(part)]) : std::nullopt;
    }
    // Only reading every file could tell.
    [[nodiscard]] bool topologyVaries() const override { return files_.size() > 1; }
    [[nodiscard]] Result<bool> topologyChanges() const override {
        {
            const std::lock_guard lock(mutex_);
            if (changes_)
                return *changes_;
        }
        bool changes = false;
        for (std::size_t i = 0; i < files_.size() && !changes; ++i) {
            WYC_TRY(mesh, fetch(i));
            changes =
                mesh->topology != firstTopology_ || mesh->faceSets != firstSets_ || mesh->points.size() != firstPoints_;
        }
        const std::lock_guard lock(mutex_);
        changes_ = changes;
        return changes;
    }

  private:
    static constexpr std::size_t kKept = 8;

    Result<std::shared_ptr<const ParsedMesh>> fetch(std::size_t sample) const {
        if (sample >= files_.size())
            return fail(ErrorKind::Internal, fmt::format("sample {} of {}", sample, files_.size()));
        {
            const std::lock_guard lock(mutex_);
            for (auto at = kept_.begin(); at != kept_.end(); ++at) {
                if (at->first == sample) {
                    kept_.splice(kept_.begin(), kept_, at);
                    return kept_.front().second;
                }
            }
        }
        const fs::path& path = files_[sample].path;
        WYC_TRY(stamp, fileStamp(path));
        if (stamp != stamps_[sample])
            return fail(makeError(ErrorKind::Changed, "the file changed on disk since the sequence was read")
                            .inFile(path.string())
                            .withAdvice("Read the source again"));
        WYC_TRY(text, readObjFile(path));
        WYC_TRY(parsed, meshOf(std::move(text), path.string()));
        // Ten thousand frames of one mesh share one topology.
        if (parsed.topology->hash() == firstTopology_->hash())
            parsed.topology = firstTopology_;
        if (*parsed.faceSets == *firstSets_)
            parsed.faceSets = firstSets_;
        const auto tokens = tokensOf(parsed);
        auto mesh = std::make_shared<const ParsedMesh>(std::move(parsed));
        const std::lock_guard lock(mutex_);
        tokens_[sample] = tokens;
        kept_.emplace_front(sample, mesh);
        if (kept_.size() > kKept)
            kept_.pop_back();
        return mesh;
    }

    std::vector<SequenceFile> files_;
    std::vector<FileStamp> stamps_;
    Sampling sampling_;
    TopologyPtr firstTopology_;
    FaceSetsPtr firstSets_;
    std::size_t firstPoints_;
    mutable std::mutex mutex_;
    mutable std::optional<bool> changes_; // once all files were read
    mutable std::vector<std::optional<PartTokens>> tokens_;
    mutable std::list<std::pair<std::size_t, std::shared_ptr<const ParsedMesh>>> kept_;
};

// One part of what lies on the meshes of a run of files.
class SequenceValues final : public SampledValues {
  public:
    SequenceValues(std::shared_ptr<const ObjSequence> sequence, Part part, ValueType type, std::uint32_t extent)
        : sequence_(std::move(sequence)), part_(part), type_(type), extent_(extent) {}
    [[nodiscard]] ValueType type() const override { return type_; }
    [[nodiscard]] std::uint32_t extent() const override { return extent_; }
    [[nodiscard]] bool isArray() const override { return true; }
    [[nodiscard]] const Sampling& sampling() const override { return sequence_->sampling(); }
    [[nodiscard]] Result<PropertyValue> read(std::size_t sample) const override {
        return sequence_->part(sample, part_);
    }
    [[nodiscard]] std::optional<std::uint64_t> token(std::size_t sample) const override {
        return sequence_->token(sample, part_);
    }

  private:
    std::shared_ptr<const ObjSequence> sequence_;
    Part part_;
    ValueType type_;
    std::uint32_t extent_;
};

// Only reading every file could tell what lies on the meshes: all that may is listed.
PropertiesPtr layersOfSequence(const std::shared_ptr<const ObjSequence>& sequence) {
    const auto layer = [&](Meaning meaning, Scope scope, std::uint32_t extent, Part values,
                           std::optional<Part> numbers) {
        Layer made{meaning, {}, meaningName(meaning), scope, nullptr};
        made.values = std::make_shared<SequenceValues>(sequence, values, ValueType::Float, extent);
        if (numbers)
            made.numbers = std::make_shared<SequenceValues>(sequence, *numbers, ValueType::Int32, 1);
        return layerProperty(made);
    };
    return plainProperties({layer(Meaning::Uvs, Scope::Corner, 2, Part::UvValues, Part::UvNumbers),
                            layer(Meaning::Normals, Scope::Corner, 3, Part::NormalValues, Part::NormalNumbers),
                            layer(Meaning::Colours, Scope::Point, 3, Part::ColourValues, std::nullopt)});
}

PropertiesPtr layersOfMesh(const ParsedMesh& mesh) {
    std::vector<PropertyNode> list;
    const auto add = [&](Meaning meaning, const Attribute& attribute) {
        if (!attribute.isEmpty())
            list.push_back(layerProperty(meaning, meaningName(meaning), Sampling::still(), {attribute}));
    };
    add(Meaning::Uvs, mesh.uvs);
    add(Meaning::Normals, mesh.normals);
    add(Meaning::Colours, mesh.colours);
    return list.empty() ? nullptr : plainProperties(std::move(list));
}

void setShape(Node& node, ParsedMesh mesh) {
    node.properties = layersOfMesh(mesh);
    std::vector<std::vector<Vec3f>> samples;
    samples.push_back(std::move(mesh.points));
    node.geometry =
        std::make_shared<MemoryGeometry>(Sampling::still(), mesh.topology, std::move(samples), *mesh.faceSets);
}

Sampling sequenceSampling(const std::vector<SequenceFile>& files, const FrameRate& rate) {
    std::vector<double> times(files.size());
    bool even = true;
    const double step = files.size() > 1 ? files[1].frame - files[0].frame : 1.0;
    for (std::size_t i = 0; i < files.size(); ++i) {
        times[i] = rate.secondsAt(files[i].frame);
        even = even && files[i].frame == files[0].frame + static_cast<double>(i) * step;
    }
    return even ? Sampling::uniform(times[0], rate.secondsAt(step), times.size()) : Sampling::acyclic(times);
}

} // namespace

Result<ObjText> readObjFile(const fs::path& path) {
    WYC_TRY(bytes, readTextFile(path, kMostFileBytes));
    return parseObj({bytes.data(), bytes.size()}, path.string());
}

Result<Scene> openObj(const OpenRequest& request) {
    WYC_TRY(text, readObjFile(request.path));
    const std::string name = safeName(request.name.empty() ? request.path.stem().string() : request.name);
    Scene scene;
    scene.view.rate = request.assumedRate;
    Node node;
    node.name = name;
    node.path = "/" + name;
    node.kind = text.faceSizes.empty() ? NodeKind::Points : NodeKind::Mesh;
    addMaterials(scene, text, request.path, node.path);
    addNotCarried(scene, text, node.path);
    if (text.points.empty())
        scene.report.remarks.push_back({"mesh.empty",
                                        node.path,
                                        {},
                                        0.0,
                                        "points",
                                        "The file holds no points",
                                        "Export it again, or leave it out",
                                        1});
    WYC_TRY(mesh, meshOf(std::move(text), request.path.string()));
    if (request.sequence.empty()) {
        setShape(node, std::move(mesh));
    } else {
        const auto sequence = std::make_shared<const ObjSequence>(
            request.sequence, sequenceSampling(request.sequence, request.assumedRate),
            std::make_shared<const ParsedMesh>(std::move(mesh)));
        node.geometry = sequence;
        node.properties = layersOfSequence(sequence);
    }
    scene.nodes.push_back(std::move(node));
    return scene;
}

Result<Node> extractObject(const fs::path& path, const std::string& object) {
    WYC_TRY(text, readObjFile(path));
    const auto found =
        std::find_if(text.objects.begin(), text.objects.end(), [&](const ObjectSpan& o) { return o.name == object; });
    if (found == text.objects.end())
        return fail(
            makeError(ErrorKind::BadInput, fmt::format("no object '{}' in this file", object)).inFile(path.string()));
    const auto low = static_cast<std::int32_t>(found->firstPoint);
    const auto high = static_cast<std::int32_t>(found->firstPoint + found->pointCount);
    std::vector<std::size_t> starts(text.faceSizes.size() + 1, 0);
    for (std::size_t f = 0; f < text.faceSizes.size(); ++f)
        starts[f + 1] = starts[f] + static_cast<std::size_t>(text.faceSizes[f]);
    ObjText part;
    part.points.assign(text.points.begin() + low, text.points.begin() + high);
    for (const std::int32_t face : found->faces) {
        const auto f = static_cast<std::size_t>(face);
        for (std::size_t c = starts[f]; c < starts[f + 1]; ++c) {
            if (text.corners[c] < low || text.corners[c] >= high)
                return fail(
                    makeError(ErrorKind::BadInput, fmt::format("object '{}' uses points of another object", object))
                        .inFile(path.string())
                        .withAdvice("Use the whole file as the rest mesh"));
            part.corners.push_back(text.corners[c] - low);
            if (!text.cornerUvs.empty())
                part.cornerUvs.push_back(text.cornerUvs[c]);
            if (!text.cornerNormals.empty())
                part.cornerNormals.push_back(text.cornerNormals[c]);
        }
        part.faceSizes.push_back(text.faceSizes[f]);
    }
    part.uvs = std::move(text.uvs);
    part.normals = std::move(text.normals);
    WYC_TRY(mesh, meshOf(std::move(part), path.string()));
    Node node;
    node.name = node.path = object;
    node.kind = NodeKind::Mesh;
    setShape(node, std::move(mesh));
    return node;
}

Result<std::size_t> countPoints(const fs::path& path) {
    WYC_TRY(bytes, readTextFile(path, kMostFileBytes));
    std::string_view text(bytes.data(), bytes.size());
    std::size_t count = 0;
    while (!text.empty()) {
        const auto begin = text.find_first_not_of(" \t");
        if (begin != std::string_view::npos && begin + 1 < text.size() && text[begin] == 'v' &&
            (text[begin + 1] == ' ' || text[begin + 1] == '\t'))
            ++count;
        const auto stop = text.find('\n');
        text = stop == std::string_view::npos ? std::string_view() : text.substr(stop + 1);
    }
    return count;
}

Result<std::vector<ObjectSize>> objectSizes(const fs::path& path) {
    WYC_TRY(text, readObjFile(path));
    std::vector<ObjectSize> result;
    for (const ObjectSpan& object : text.objects)
        result.push_back({object.name, object.pointCount});
    return result;
}

} // namespace wyc::obj
