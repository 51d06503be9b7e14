// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <atomic>
#include <charconv>
#include <cmath>

#include <fmt/format.h>

#include "base/parallel.h"
#include "base/text.h"
#include "formats/obj/obj.h"
#include "formats/pictures.h"
#include "scene/layers.h"

namespace wyc::obj {

namespace {

void appendIndex(std::string& text, std::int32_t index) {
    char buffer[12];
    text.append(buffer, std::to_chars(buffer, buffer + sizeof buffer, index + 1).ptr);
}

void appendRow(std::string& text, const char* keyword, std::span<const float> numbers) {
    text += keyword;
    for (const float value : numbers) {
        text += ' ';
        appendFloat(text, value);
    }
    text += '\n';
}

// A blank would make two groups of one.
std::string groupName(const std::string& name) {
    std::string result = name.empty() ? "group" : name;
    std::replace_if(
        result.begin(), result.end(), [](unsigned char c) { return c <= ' '; }, '_');
    return result;
}

// A frame of a mesh.
struct Frame {
    FaceSetsPtr sets;
    Attribute uvs;
    Attribute normals;
    Attribute colours;
};

Result<Frame> frameOf(const Node& node, std::size_t sample) {
    Frame frame;
    WYC_TRY(sets, node.geometry->faceSets(sample));
    frame.sets = std::move(sets);
    const double seconds = node.geometry->sampling().time(sample);
    for (const Layer& layer : layersOf(node.properties)) {
        Attribute& into = layer.meaning == Meaning::Uvs       ? frame.uvs
                          : layer.meaning == Meaning::Normals ? frame.normals
                                                              : frame.colours;
        if (layer.further) // a file has one set of UVs
            continue;
        WYC_TRY(attribute, layer.at(seconds, node.geometry.get()));
        into = std::move(attribute);
    }
    return frame;
}

// Which group names and which material hold for each face, as the statements to print before it.
std::vector<std::string> statementsPerFace(const std::vector<FaceSet>& sets, std::size_t faceCount) {
    std::vector<std::string> groups(faceCount);
    std::vector<std::string> materials(faceCount);
    std::vector<std::string> objects(faceCount);
    for (const FaceSet& set : sets) {
        for (const std::int32_t face : set.faces) {
            const auto f = static_cast<std::size_t>(face);
            if (face < 0 || f >= faceCount)
                continue;
            if (set.kind == FaceSet::Kind::Group)
                groups[f] += " " + groupName(set.name);
            else if (set.kind == FaceSet::Kind::Material)
                materials[f] = set.name;
            else
                objects[f] = set.name;
        }
    }
    std::vector<std::string> result(faceCount);
    std::string group;
    std::string material;
    std::string object;
    for (std::size_t f = 0; f < faceCount; ++f) {
        if (objects[f] != object)
            result[f] += "o " + (object = objects[f]) + "\n";
        if (groups[f] != group)
            result[f] += "g" + (group = groups[f]) + "\n";
        if (materials[f] != material)
            result[f] += "usemtl " + (material = materials[f]) + "\n";
    }
    return result;
}

void appendFaces(std::string& text, const Topology& topology, const Frame& frame) {
    const bool uvs = !frame.uvs.isEmpty();
    const bool normals = !frame.normals.isEmpty();
    const auto statements = statementsPerFace(*frame.sets, topology.faceCount());
    std::size_t corner = 0;
    for (std::size_t f = 0; f < topology.faceCount(); ++f) {
        text += statements[f];
        text += 'f';
        for (std::int32_t k = 0; k < topology.faceSizes()[f]; ++k, ++corner) {
            const std::int32_t point = topology.corners()[corner];
            const std::int32_t uv = uvs ? valueNumber(frame.uvs, f, corner, point) : -1;
            const std::int32_t normal = normals ? valueNumber(frame.normals, f, corner, point) : -1;
            text += ' ';
            appendIndex(text, point);
            if (uv >= 0 || normal >= 0)
                text += '/';
            if (uv >= 0)
                appendIndex(text, uv);
            if (normal >= 0) {
                text += '/';
                appendIndex(text, normal);
            }
        }
        text += '\n';
    }
}

// One mesh sample as OBJ text. `materialFile`: empty where there is none; nothing = no word of materials.
Result<std::string> meshText(const Node& node, std::size_t sample, const std::optional<std::string>& materialFile,
                             const std::string& beside = {}) {
    const Geometry& geometry = *node.geometry;
    std::vector<Vec3f> points;
    WYC_CHECK(readPoints(geometry, sample, points));
    WYC_TRY(topology, geometry.topology(sample));
    WYC_TRY(frame, frameOf(node, sample));
    if (!materialFile) {
        std::vector<FaceSet> sets = *frame.sets;
        std::erase_if(sets, [](const FaceSet& set) { return set.kind == FaceSet::Kind::Material; });
        frame.sets = std::make_shared<const std::vector<FaceSet>>(std::move(sets));
    }
    if (!topology->fits(points.size()))
        return fail(makeError(ErrorKind::BadInput, "a face uses a point that is not there")
                        .withAdvice("Mend the mesh where it was made; an OBJ file with it could not be read"));
    for (std::size_t f = 0; f < topology->faceCount(); ++f)
        if (topology->faceSizes()[f] < 3)
            return fail(makeError(ErrorKind::BadInput,
                                  fmt::format("face {} has {} corners; OBJ needs 3", f, topology->faceSizes()[f]))
                            .withAdvice("Mend the mesh where it was made, or choose an archive"));
    std::string text;
    text.reserve(points.size() * 36 + topology->cornerCount() * 12);
    if (!beside.empty())
        text += besideLine(beside);
    if (materialFile && !materialFile->empty())
        text += "mtllib " + *materialFile + "\n";
    const bool colours = frame.colours.scope == Scope::Point && frame.colours.indices.empty() &&
                         frame.colours.extent >= 3 && frame.colours.valueCount() == points.size();
    for (std::size_t i = 0; i < points.size(); ++i) {
        const Vec3f& p = points[i];
        if (!isFinite(p))
            return fail(makeError(ErrorKind::BadInput, fmt::format("point {} is not finite; OBJ cannot hold it", i))
                            .withAdvice("Drop or replace the frame, or choose a binary format"));
        text += "v ";
        appendFloat(text, p.x);
        text += ' ';
        appendFloat(text, p.y);
        text += ' ';
        appendFloat(text, p.z);
        if (colours) {
            const auto extent = static_cast<std::size_t>(frame.colours.extent);
            for (std::size_t k = 0; k < 3; ++k) {
                text += ' ';
                appendFloat(text, frame.colours.values[i * extent + k]);
            }
        }
        text += '\n';
    }
    for (std::size_t i = 0; i < frame.uvs.valueCount() && frame.uvs.extent == 2; ++i)
        appendRow(text, "vt", std::span(frame.uvs.values).subspan(i * 2, 2));
    for (std::size_t i = 0; i < frame.normals.valueCount() && frame.normals.extent == 3; ++i)
        appendRow(text, "vn", std::span(frame.normals.values).subspan(i * 3, 3));
    appendFaces(text, *topology, frame);
    return text;
}

std::string materialText(const std::vector<Material>& materials, const std::string& beside) {
    std::string text = besideLine(beside);
    for (const Material& material : materials) {
        text += "newmtl " + material.name + "\n";
        const LookInput& colour = material.look.baseColour;
        if (colour.value.size() == 3)
            appendRow(text, "Kd", colour.value);
        if (!colour.texture.empty())
            text += "map_Kd " + colour.texture + "\n";
    }
    return text;
}

Result<const Node*> onlyShape(const Scene& scene) {
    const Node* shape = nullptr;
    for (const Node& node : scene.nodes) {
        if (!node.geometry)
            continue;
        if (shape)
            return fail(makeError(ErrorKind::BadInput, "an OBJ file of ours holds one item")
                            .withAdvice("Choose one item, or one file per item"));
        shape = &node;
    }
    if (!shape)
        return fail(
            makeError(ErrorKind::BadInput, "there is no mesh to write").withAdvice("Choose an item with points"));
    return shape;
}

constexpr const char* kMaterials = "materials";
constexpr const char* kNoMaterials = "left out";

// Name of the file that they went into: empty where there are none, nothing where they are left out.
Result<std::optional<std::string>> writeMaterials(const Scene& scene, const fs::path& target,
                                                  const WriteOptions& options, std::vector<fs::path>& written) {
    if (options.options.value(kMaterials, std::string()) == kNoMaterials)
        return std::optional<std::string>();
    if (scene.materials.empty())
        return std::optional(std::string());
    std::string stem = target.stem().string();
    std::erase(stem, '#');
    while (!stem.empty() && (stem.back() == '.' || stem.back() == '_' || stem.back() == '-'))
        stem.pop_back();
    const fs::path path = target.parent_path() / ((stem.empty() ? "materials" : stem) + ".mtl");
    WYC_CHECK(writeTextFile(
        path, materialText(scene.materials, options.beside.empty() ? target.filename().string() : options.beside),
        AtomicFile::Replace::Yes));
    written.push_back(path);
    return std::optional(path.filename().string());
}

Result<std::vector<fs::path>> writeObj(const Scene& scene, const fs::path& target, const WriteOptions& options,
                                       const Progress& progress) {
    WYC_TRY(node, onlyShape(scene));
    std::vector<fs::path> written;
    WYC_TRY(materialFile, writeMaterials(scene, target, options, written));
    WYC_CHECK(progress.poll());
    WYC_TRY(text, meshText(*node, 0, materialFile, options.beside));
    WYC_CHECK(writeTextFile(target, text, AtomicFile::Replace::Yes));
    written.push_back(target);
    progress.report(1.0, "writing", target.filename().string());
    return written;
}

Result<std::vector<fs::path>> writeSequence(const Scene& scene, const fs::path& pattern, const WriteOptions& options,
                                            const Progress& progress) {
    WYC_TRY(node, onlyShape(scene));
    const Geometry& geometry = *node->geometry;
    const std::string name = pattern.filename().string();
    const auto from = name.find('#');
    const auto to = name.find_first_not_of('#', from);
    const std::size_t digits = (to == std::string::npos ? name.size() : to) - from;
    std::vector<fs::path> frames;
    for (std::size_t i = 0; i < geometry.sampling().count(); ++i) {
        const double frame = snappedFrame(options.rate.frameAt(geometry.sampling().time(i)));
        if (frame != std::round(frame))
            return fail(makeError(ErrorKind::BadInput, fmt::format("frame {} lies between whole frames; a numbered "
                                                                   "sequence cannot hold it",
                                                                   frameText(frame)))
                            .withAdvice("Resample to a rate at which all samples are whole frames"));
        const auto number = static_cast<long long>(frame);
        const std::string padded = fmt::format("{}{:0{}}", number < 0 ? "-" : "", std::abs(number), digits);
        frames.push_back(pattern.parent_path() / (name.substr(0, from) + padded + name.substr(from + digits)));
    }
    std::vector<fs::path> written;
    WYC_TRY(materialFile, writeMaterials(scene, pattern, options, written));
    std::atomic<std::size_t> done{0};
    WYC_CHECK(parallelFor(frames.size(), progress, [&](std::size_t i) -> Status {
        auto text = meshText(*node, i, materialFile);
        if (!text)
            return fail(std::move(text.error()).forItem(node->path));
        WYC_CHECK(writeTextFile(frames[i], *text, AtomicFile::Replace::Yes));
        const std::size_t finished = ++done;
        progress.report(static_cast<double>(finished) / static_cast<double>(frames.size()), "writing",
                        frames[i].filename().string());
        return {};
    }));
    written.insert(written.end(), frames.begin(), frames.end());
    return written;
}

// Bytes of the text of a number, on average over up to a thousand spread evenly.
double averageText(std::span<const float> numbers) {
    const std::size_t step = std::max<std::size_t>(1, numbers.size() / 1000);
    std::string text;
    std::size_t count = 0;
    for (std::size_t i = 0; i < numbers.size(); i += step, ++count)
        appendFloat(text, numbers[i]);
    return count == 0 ? 0.0 : static_cast<double>(text.size()) / static_cast<double>(count);
}

// Digits of numbers 1 … count, on average.
double averageDigits(std::size_t count) {
    double digits = 0.0;
    for (std::size_t low = 1, length = 1; low <= count; low *= 10, ++length)
        digits += static_cast<double>(length) * static_cast<double>(std::min(count, low * 10 - 1) - low + 1);
    return count == 0 ? 0.0 : digits / static_cast<double>(count);
}

double textOf(const Node& node, std::size_t sample) {
    const Geometry& shape = *node.geometry;
    std::vector<Vec3f> points;
    const auto count = shape.pointCount(sample);
    const auto topology = shape.topology(sample);
    const auto frame = frameOf(node, sample);
    if (!count || !topology || !frame)
        return 0.0;
    points.resize(std::min<std::size_t>(*count, 1000));
    if (!shape.readRange(sample, (*count - points.size()) / 2, points))
        return 0.0;
    const auto rows = [](const Attribute& layer, int extent) {
        return layer.extent != extent
                   ? 0.0
                   : static_cast<double>(layer.valueCount()) * (3.0 + extent * (1.0 + averageText(layer.values)));
    };
    const Frame& e = *frame;
    double corner = 1.0 + averageDigits(*count);
    if (!e.uvs.isEmpty())
        corner += 1.0 + averageDigits(e.uvs.valueCount());
    if (!e.normals.isEmpty())
        corner += 1.0 + (e.uvs.isEmpty() ? 1.0 : 0.0) + averageDigits(e.normals.valueCount());
    const std::span<const float> numbers(points.empty() ? nullptr : &points.front().x, points.size() * 3);
    double line = 5.0 + 3.0 * averageText(numbers);
    if (e.colours.scope == Scope::Point && e.colours.extent >= 3)
        line += 3.0 * (1.0 + averageText(e.colours.values));
    return static_cast<double>(*count) * line + rows(e.uvs, 2) + rows(e.normals, 3) +
           static_cast<double>((*topology)->cornerCount()) * corner +
           static_cast<double>((*topology)->faceCount()) * 2.0;
}

std::uint64_t estimate(const Scene& scene, bool sequence) {
    for (const Node& node : scene.nodes) {
        if (!node.geometry || node.geometry->sampling().count() == 0)
            continue;
        const std::size_t samples = node.geometry->sampling().count();
        const double one = textOf(node, sequence ? samples / 2 : 0);
        return static_cast<std::uint64_t>(one) * (sequence ? samples : 1);
    }
    return 0;
}

// Text in which most of the first lines begin with words that such files have.
double identify(std::span<const std::byte> head, std::uint64_t) {
    std::string_view text(reinterpret_cast<const char*>(head.data()), head.size());
    std::size_t lines = 0;
    std::size_t known = 0;
    bool points = false;
    while (!text.empty()) {
        const auto stop = text.find('\n');
        const std::string line(trimmed(text.substr(0, stop)));
        const bool whole = stop != std::string_view::npos;
        text = whole ? text.substr(stop + 1) : std::string_view();
        if (line.find('\0') != std::string::npos)
            return 0.0;
        if (line.empty() || !whole)
            continue;
        ++lines;
        const std::string word = line.substr(0, line.find_first_of(" \t"));
        points = points || word == "v";
        for (const char* own : {"#", "v", "vt", "vn", "f", "g", "o", "s", "usemtl", "mtllib"})
            known += word == own || (*own == '#' && line.front() == '#');
    }
    return points && known * 10 >= lines * 9 ? 0.5 : 0.0;
}

Format objFormat(std::string_view id, std::string_view name, bool sequence) {
    constexpr Answer kKept{Fate::Kept};
    Format format{id,
                  name,
                  {".obj"},
                  false,
                  sequence,
                  answersOf({{Content::Transforms, {Fate::Lost, "in world space they go into the points"}},
                             {Content::Faces, kKept},
                             {Content::Uvs, kKept},
                             {Content::Normals, kKept},
                             {Content::Colours, {Fate::Kept, "three numbers a point"}},
                             {Content::PartialLayers, kKept},
                             {Content::Groups, kKept},
                             {Content::Materials, {Fate::Kept, "name, colour and texture, in a file beside it"}},
                             {Content::Curves, {Fate::Converted, "its points alone"}},
                             {Content::Subdivision, {Fate::Converted, "a plain mesh"}},
                             {Content::Instances, {Fate::Converted, "a copy for each"}},
                             {Content::Instancers, {Fate::Converted, "their places as points"}},
                             {Content::Deformers, {Fate::Converted, "the points that they make"}}}),
                  &openObj,
                  nullptr,
                  nullptr,
                  &groupName};
    format.placedAt = [](Scene scene, const fs::path& target, const nlohmann::json& options) -> Result<Scene> {
        const bool without = options.value(kMaterials, std::string()) == kNoMaterials;
        return without ? std::move(scene) : withPicturesNamed(std::move(scene), target, Pictures::AsWritten, false);
    };
    format.prepare = [](Scene scene, const nlohmann::json&) -> Result<Scene> {
        return materialsAsSets(std::move(scene));
    };
    format.writeOptions = {{kMaterials,
                            OptionKind::Choice,
                            "",
                            "colours and pictures in a file beside it, or no word of materials",
                            "beside",
                            {"beside", kNoMaterials}}};
    format.answersWith = [](std::array<Answer, kContentCount> answers, const nlohmann::json& options) {
        if (options[kMaterials] == kNoMaterials)
            answers[static_cast<std::size_t>(Content::Materials)] = {Fate::Lost};
        return answers;
    };
    format.rest = {{}, &countPoints, &objectSizes, &extractObject};
    if (sequence) {
        format.answers[static_cast<std::size_t>(Content::ChangingPoints)] = kKept;
        format.answers[static_cast<std::size_t>(Content::Times)] = {Fate::Converted, "one file for each whole frame"};
        format.write = &writeSequence;
        format.estimate = [](const Scene& scene, const nlohmann::json&) { return estimate(scene, true); };
    } else {
        format.write = &writeObj;
        format.offered = false; // one pose of what moves is asked for by name
        format.identify = &identify;
        format.estimate = [](const Scene& scene, const nlohmann::json&) { return estimate(scene, false); };
    }
    return format;
}

} // namespace

Format format() {
    return objFormat("obj", "OBJ file", false);
}

Format sequenceFormat() {
    return objFormat("obj-sequence", "OBJ sequence", true);
}

} // namespace wyc::obj
