// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/write/usd_write.h"

#include <algorithm>
#include <map>

#include <fmt/format.h>

#include "base/text.h"
#include "formats/estimate.h"
#include "formats/pictures.h"
#include "formats/usd/layer/layer_write.h"
#include "formats/usd/package/package.h"
#include "formats/usd/package/package_write.h"
#include "formats/usd/write/layout.h"
#include "formats/usd/write/overs.h"
#include "formats/usd/write/prepare.h"
#include "formats/usd/write/scene_write.h"

namespace wyc::usd {
namespace {

using nlohmann::json;

constexpr const char* kPointsOnly = "points only";

// The name of a file says its encoding; ".usd" may be either, which the option says.
Encoding encodingFor(const fs::path& target, const json& options) {
    const std::string extension = lowerCase(target.extension().string());
    if (extension == ".usda")
        return Encoding::Text;
    if (extension == ".usdc")
        return Encoding::Binary;
    return options.value("encoding", "binary") == "text" ? Encoding::Text : Encoding::Binary;
}

Layout layoutOf(const json& options) {
    const std::string layout = options.value("layout", "one file");
    return layout == "sublayers"    ? Layout::SubLayers
           : layout == "references" ? Layout::References
           : layout == "payloads"   ? Layout::Payloads
           : layout == kPointsOnly  ? Layout::PointsOnly
                                    : Layout::OneFile;
}

// A package has all its pictures in it, unless somebody wants their names untouched.
Pictures picturesFor(const json& options, bool package) {
    const Pictures how = picturesOf(options);
    return package && how == Pictures::WhereTheyAre ? Pictures::Collected : how;
}

bool hasParts(Layout layout) {
    return layout != Layout::OneFile && layout != Layout::PointsOnly;
}

Status writeFile(const Layer& layer, Encoding encoding, const fs::path& target, const Progress& progress) {
    WYC_TRY(file, AtomicFile::create(target));
    WYC_CHECK(writeLayer(layer, encoding, *file, progress));
    return file->commit(AtomicFile::Replace::Yes);
}

// A layer for each item, each in the version that it has: where the last one says the same, that is taken.
Result<std::vector<fs::path>> writeAssembly(const Scene& scene, const Layer& whole, Layout layout,
                                            const fs::path& target, const WriteOptions& options,
                                            const Progress& progress) {
    Assembly assembly = parted(scene, whole, layout);
    const Encoding ofParts = options.options.value("encoding", "binary") == "text" ? Encoding::Text : Encoding::Binary;
    const std::string extension = ofParts == Encoding::Text ? ".usda" : ".usdc";
    const BesideFiles stands(options.standsIn.empty() ? folderOf(target) : options.standsIn, target.filename());
    std::vector<fs::path> files;
    std::map<std::string, std::string> names;
    std::size_t done = 0;
    for (const PartLayer& part : assembly.parts) {
        const auto share = [&](std::size_t n) {
            return static_cast<double>(n) / static_cast<double>(assembly.parts.size());
        };
        const Progress own = progress.part(share(done), share(done + 1));
        ++done;
        const int last = stands.last(part.label, extension);
        const std::string next = stands.name(part.label, last + 1, extension);
        const fs::path written = folderOf(target) / next;
        WYC_CHECK(writeFile(*part.layer, ofParts, written, own));
        const std::string before = stands.name(part.label, last, extension);
        const auto same = [&]() -> Result<bool> {
            WYC_TRY(now, Bytes::ofFile(written));
            WYC_TRY(then, Bytes::ofFile(stands.folder() / before));
            return now.sameAs(then);
        };
        if (last > 0 && same().value_or(false)) {
            std::error_code code;
            fs::remove(written, code);
            WYC_CHECK(takeAsItIs(stands.folder() / before, folderOf(target) / before));
            files.push_back(folderOf(target) / before);
            names[part.label] = before;
            continue;
        }
        files.push_back(written);
        names[part.label] = next;
    }
    nameParts(assembly, layout, [&](const std::string& label) { return "./" + names.at(label); });
    WYC_CHECK(writeFile(*assembly.layer, encodingFor(target, options.options), target, Progress()));
    files.push_back(target);
    return files;
}

Result<std::vector<fs::path>> writePackage(const Scene& scene, const Layer& whole, Layout layout, Encoding encoding,
                                           const std::vector<CollectedFile>& pictures, const fs::path& target,
                                           const Progress& progress) {
    WYC_TRY(package, PackageWriter::create(target));
    const std::string extension = encoding == Encoding::Text ? ".usda" : ".usdc";
    const std::string root = target.stem().string() + extension;
    if (layout == Layout::OneFile) {
        WYC_CHECK(package->addLayer(root, whole, encoding, progress));
    } else {
        Assembly assembly = parted(scene, whole, layout);
        // All in one folder: so names of pictures are the same in each.
        const auto fileOf = [&](const std::string& label) { return target.stem().string() + "." + label + extension; };
        nameParts(assembly, layout, [&](const std::string& label) { return "./" + fileOf(label); });
        WYC_CHECK(package->addLayer(root, *assembly.layer, encoding, Progress()));
        for (const PartLayer& part : assembly.parts)
            WYC_CHECK(package->addLayer(fileOf(part.label), *part.layer, encoding, progress));
    }
    for (const CollectedFile& one : pictures) {
        WYC_TRY(bytes, bytesOfFile(one.file));
        WYC_CHECK(package->addFile(one.name, bytes, progress));
    }
    WYC_CHECK(package->finish());
    WYC_CHECK(package->file().commit(AtomicFile::Replace::Yes));
    return std::vector<fs::path>{target};
}

// The layer that the points lie over.
fs::path assetOf(const json& options) {
    return options.value("over", std::string());
}

Result<Scene> placedAt(Scene scene, const fs::path& target, const json& options) {
    const bool package = isPackageName(target.string());
    if (layoutOf(options) != Layout::PointsOnly)
        return withPicturesNamed(std::move(scene), target, picturesFor(options, package), package);
    if (package)
        return fail(makeError(ErrorKind::BadInput, "a package cannot lie over an asset outside of it")
                        .withAdvice("Write text or binary, or everything into the package"));
    if (assetOf(options).empty())
        return fail(makeError(ErrorKind::BadInput, "points alone want an asset to lie over")
                        .withAdvice("Name the layer that has faces and materials (over)"));
    return overAsset(scene, assetOf(options), target);
}

Result<std::vector<fs::path>> writeUsd(const Scene& scene, const fs::path& target, const WriteOptions& options,
                                       const Progress& progress) {
    const SceneAsLayer how{options.rate, options.application, options.description};
    const Layout layout = layoutOf(options.options);
    if (layout == Layout::PointsOnly) {
        const fs::path stands = options.standsIn.empty() ? target : options.standsIn / target.filename();
        WYC_TRY(overs, layerOfOvers(scene, assetOf(options.options), stands, how));
        WYC_CHECK(writeFile(*overs, encodingFor(target, options.options), target, progress));
        return std::vector<fs::path>{target};
    }
    WYC_TRY(layer, layerOf(scene, how));
    const bool package = isPackageName(target.string());
    const auto pictures = picturesFor(options.options, package) == Pictures::Collected ? collectedFiles(scene)
                                                                                       : std::vector<CollectedFile>();
    if (package)
        return writePackage(scene, *layer, layout, encodingFor(target, options.options), pictures, target, progress);
    WYC_TRY(files, putBeside(pictures, folderOf(target), options.standsIn, progress));
    if (layout != Layout::OneFile) {
        WYC_TRY(layers, writeAssembly(scene, *layer, layout, target, options, progress));
        files.insert(files.end(), layers.begin(), layers.end());
        return files;
    }
    WYC_CHECK(writeFile(*layer, encodingFor(target, options.options), target, progress));
    files.push_back(target);
    return files;
}

std::vector<ComingFile> filesOf(const Scene& scene, const fs::path& target, const json& options) {
    using Role = ComingFile::Role;
    const Layout layout = layoutOf(options);
    std::vector<ComingFile> files{{target.filename().string(), Role::Main}};
    if (layout == Layout::PointsOnly) {
        files.push_back({wayFrom(folderOf(target), assetOf(options).string()), Role::Outside, "asset"});
        return files;
    }
    if (isPackageName(target.string()))
        return files;
    const BesideFiles stands(folderOf(target), target.filename());
    std::size_t materials = 0; // which file has them
    const std::string extension = options.value("encoding", "binary") == "text" ? ".usda" : ".usdc";
    if (hasParts(layout))
        for (const std::string& label : partLabels(scene)) {
            const int last = stands.last(label, extension);
            if (label == kMaterialsLabel && materials == 0 && !scene.materials.empty())
                materials = files.size();
            files.push_back({stands.name(label, last + 1, extension), Role::Layer, label,
                             last > 0 ? stands.name(label, last, extension) : std::string()});
        }
    if (picturesOf(options) != Pictures::Collected)
        return files;
    for (const CollectedFile& one : collectedFiles(scene)) {
        std::error_code code;
        const bool there = fs::exists(stands.folder() / one.name, code);
        const auto bytes = bytesOfFile(one.file);
        files.push_back(
            {one.name, Role::Picture, {}, there ? one.name : std::string(), materials, bytes ? bytes->size() : 0});
    }
    return files;
}

std::uint64_t estimate(const Scene& scene, const json& options) {
    constexpr std::uint64_t kTextTimes = 3; // as many characters as a float has bytes, and what stands between them
    return 2000 + estimatedBytes(scene) * (options.value("encoding", "binary") == "text" ? kTextTimes : 1);
}

Carried carries(const ChannelKind& channel, const json&) {
    switch (channel.meaning) {
    case Meaning::Unknown: return {Fate::Lost, {}};
    case Meaning::FilmBack: return {Fate::Lost, "what is done to the picture behind the lens"};
    default: return {Fate::Kept, {}};
    }
}

} // namespace

void addWriting(Format& format) {
    constexpr Answer kKept{Fate::Kept};
    format.offered = true;
    format.answers = answersOf({{Content::Transforms, kKept},
                                {Content::Visibility, kKept},
                                {Content::Faces, kKept},
                                {Content::ChangingPoints, kKept},
                                {Content::Uvs, kKept},
                                {Content::Normals, kKept},
                                {Content::Colours, kKept},
                                {Content::PartialLayers, {Fate::Lost, "every corner has one"}},
                                {Content::Groups, {Fate::Kept, "as sets of faces"}},
                                {Content::Materials, kKept},
                                {Content::Shading, kKept},
                                {Content::Cameras, {Fate::Kept, "figures of the lens as float32"}},
                                {Content::Lights, kKept},
                                {Content::Curves, kKept},
                                {Content::Subdivision, kKept},
                                {Content::Values, kKept},
                                {Content::Instances, kKept},
                                {Content::Instancers, kKept},
                                {Content::Deformers, kKept},
                                {Content::Times, kKept},
                                {Content::TimesBetweenFrames, kKept},
                                {Content::UnevenTimes, kKept},
                                {Content::Rate, kKept},
                                {Content::Unit, kKept},
                                {Content::UpAxis, kKept}});
    format.answersWith = [](std::array<Answer, kContentCount> answers, const json& options) {
        if (options.value("skins", "kept") == "points")
            answers[static_cast<std::size_t>(Content::Deformers)] = {Fate::Converted, "the points that they make"};
        return answers;
    };
    format.write = writeUsd;
    format.estimate = estimate;
    format.carries = carries;
    format.prepare = preparedForLayers;
    format.groupName = nullptr;
    format.placedAt = placedAt;
    format.assembles = [](const json& options) { return hasParts(layoutOf(options)); };
    format.filesOf = filesOf;
    format.extensionOf = [](const json& options) -> std::string {
        const std::string encoding = options.value("encoding", "binary");
        return encoding == "text" ? ".usda" : encoding == "package" ? ".usdz" : ".usdc";
    };
    format.writeOptions = {
        {"encoding",
         OptionKind::Choice,
         "",
         "binary is small and quick; text can be read by people and by all receivers; a package is one file with its "
         "pictures in it",
         "binary",
         {"binary", "text", "package"}},
        {"layout",
         OptionKind::Choice,
         "",
         "one file; or a layer for each item and an assembly that takes them in: as sublayers, each in the whole tree; "
         "as "
         "references, each by itself; as payloads, references that may be left out when it is opened; or points "
         "only, as a light layer over an asset that keeps its faces and materials",
         "one file",
         {"one file", "sublayers", "references", "payloads", kPointsOnly}},
        {"over",
         OptionKind::File,
         "",
         "the asset that points only lie over: a layer that has their faces",
         "",
         {},
         0.0,
         0.0,
         "layout",
         kPointsOnly},
        picturesOption("where they are: paths lead to the same files, and a package takes them in; collected: they are "
                       "put beside what is written; as written: paths as the source has them",
                       "where they are", {"where they are", "collected", "as written"}),
        {"skins",
         OptionKind::Choice,
         "",
         "skins and morphs as they are, or the points that they make",
         "kept",
         {"kept", "points"}},
    };
}

} // namespace wyc::usd
