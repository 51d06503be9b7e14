// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/write/usd_write.h"

#include <fmt/format.h>

#include "base/text.h"
#include "formats/estimate.h"
#include "formats/usd/layer/layer_write.h"
#include "formats/usd/package/package.h"
#include "formats/usd/package/package_write.h"
#include "formats/usd/write/prepare.h"
#include "formats/usd/write/scene_write.h"

namespace wyc::usd {
namespace {

using nlohmann::json;

// The name of a file says its encoding; ".usd" may be either, which the option says.
Encoding encodingFor(const fs::path& target, const json& options) {
    const std::string extension = lowerCase(target.extension().string());
    if (extension == ".usda")
        return Encoding::Text;
    if (extension == ".usdc")
        return Encoding::Binary;
    return options.value("encoding", "binary") == "text" ? Encoding::Text : Encoding::Binary;
}

Result<std::vector<fs::path>> writeUsd(const Scene& scene, const fs::path& target, const WriteOptions& options,
                                       const Progress& progress) {
    WYC_TRY(layer, layerOf(scene, {options.rate, options.application, options.description}));
    const Encoding encoding = encodingFor(target, options.options);
    if (isPackageName(target.string())) {
        WYC_TRY(package, PackageWriter::create(target));
        const std::string name = target.stem().string() + (encoding == Encoding::Text ? ".usda" : ".usdc");
        WYC_CHECK(package->addLayer(name, *layer, encoding, progress));
        WYC_CHECK(package->finish());
        WYC_CHECK(package->file().commit(AtomicFile::Replace::Yes));
        return std::vector<fs::path>{target};
    }
    WYC_TRY(file, AtomicFile::create(target));
    WYC_CHECK(writeLayer(*layer, encoding, *file, progress));
    WYC_CHECK(file->commit(AtomicFile::Replace::Yes));
    return std::vector<fs::path>{target};
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
    format.extensionOf = [](const json& options) -> std::string {
        const std::string encoding = options.value("encoding", "binary");
        return encoding == "text" ? ".usda" : encoding == "package" ? ".usdz" : ".usdc";
    };
    format.writeOptions = {
        {"encoding",
         OptionKind::Choice,
         "",
         "binary is small and quick; text can be read by people and by all receivers; a package is one file with its "
         "pictures",
         "binary",
         {"binary", "text", "package"}},
        {"skins",
         OptionKind::Choice,
         "",
         "skins and morphs as they are, or the points that they make",
         "kept",
         {"kept", "points"}},
    };
}

} // namespace wyc::usd
