// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/write/usd_write.h"

#include <algorithm>
#include <map>

#include <fmt/format.h>

#include "base/text.h"
#include "formats/estimate.h"
#include "formats/usd/layer/layer_write.h"
#include "formats/usd/package/package.h"
#include "formats/usd/package/package_write.h"
#include "formats/usd/write/layout.h"
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

Layout layoutOf(const json& options) {
    const std::string layout = options.value("layout", "one file");
    return layout == "sublayers"    ? Layout::SubLayers
           : layout == "references" ? Layout::References
           : layout == "payloads"   ? Layout::Payloads
                                    : Layout::OneFile;
}

Status writeFile(const Layer& layer, Encoding encoding, const fs::path& target, const Progress& progress) {
    WYC_TRY(file, AtomicFile::create(target));
    WYC_CHECK(writeLayer(layer, encoding, *file, progress));
    return file->commit(AtomicFile::Replace::Yes);
}

bool sameBytes(const fs::path& a, const fs::path& b) {
    constexpr std::size_t kPiece = 1 << 20;
    const auto one = RandomAccessFile::open(a);
    const auto other = RandomAccessFile::open(b);
    if (!one || !other || (*one)->size() != (*other)->size())
        return false;
    std::vector<std::byte> x(kPiece);
    std::vector<std::byte> y(kPiece);
    for (std::uint64_t at = 0; at < (*one)->size();) {
        const auto size = static_cast<std::size_t>(std::min<std::uint64_t>(kPiece, (*one)->size() - at));
        const auto left = std::span(x).first(size);
        const auto right = std::span(y).first(size);
        if (!(*one)->readAt(at, left) || !(*other)->readAt(at, right) ||
            !std::equal(left.begin(), left.end(), right.begin()))
            return false;
        at += size;
    }
    return true;
}

// "shoal" of "shoal_v002": versions of an assembly share their layers.
std::string withoutVersion(std::string stem) {
    std::size_t end = stem.size();
    while (end > 0 && stem[end - 1] >= '0' && stem[end - 1] <= '9')
        --end;
    if (end == stem.size() || end < 3 || stem[end - 1] != 'v' ||
        std::string_view("_-.").find(stem[end - 2]) == std::string_view::npos)
        return stem;
    stem.resize(end - 2);
    return stem;
}

// "shoal.bell.v003.usdc"
std::string versionName(const std::string& stem, const std::string& label, int version, const std::string& extension) {
    return fmt::format("{}.{}.v{:03}{}", stem, label, version, extension);
}
// The highest version of a part that stands in a folder; 0 where there is none.
int lastVersion(const fs::path& folder, const std::string& stem, const std::string& label) {
    int last = 0;
    std::error_code code;
    const std::string head = stem + "." + label + ".v";
    for (fs::directory_iterator it(folder, code), end; !code && it != end; it.increment(code)) {
        const std::string name = it->path().filename().string();
        if (!name.starts_with(head) || !isLayerName(name))
            continue;
        const std::string digits = name.substr(head.size(), name.rfind('.') - head.size());
        if (!digits.empty() && digits.size() < 9 && digits.find_first_not_of("0123456789") == std::string::npos)
            last = std::max(last, std::stoi(digits));
    }
    return last;
}

// A layer for each item, each in the version that it has: where the last one says the same, that is taken.
Result<std::vector<fs::path>> writeAssembly(const Scene& scene, const Layer& whole, Layout layout,
                                            const fs::path& target, const WriteOptions& options,
                                            const Progress& progress) {
    Assembly assembly = parted(scene, whole, layout);
    const Encoding ofParts = options.options.value("encoding", "binary") == "text" ? Encoding::Text : Encoding::Binary;
    const std::string extension = ofParts == Encoding::Text ? ".usda" : ".usdc";
    const std::string stem = withoutVersion(target.stem().string());
    const fs::path stands = options.standsIn.empty() ? folderOf(target) : options.standsIn;
    std::vector<fs::path> files;
    std::map<std::string, std::string> names;
    std::size_t done = 0;
    for (const PartLayer& part : assembly.parts) {
        const auto share = [&](std::size_t n) {
            return static_cast<double>(n) / static_cast<double>(assembly.parts.size());
        };
        const Progress own = progress.part(share(done), share(done + 1));
        ++done;
        const int last = lastVersion(stands, stem, part.label);
        const std::string next = versionName(stem, part.label, last + 1, extension);
        const fs::path written = folderOf(target) / next;
        WYC_CHECK(writeFile(*part.layer, ofParts, written, own));
        const std::string before = versionName(stem, part.label, last, extension);
        if (last > 0 && sameBytes(written, stands / before)) {
            std::error_code code;
            fs::remove(written, code);
            const fs::path link = folderOf(target) / before;
            if (link != stands / before) {
                fs::create_hard_link(stands / before, link, code);
                if (code)
                    fs::create_symlink(fs::absolute(stands / before), link, code);
                if (code)
                    return fail(
                        makeError(ErrorKind::NotWritable, "cannot take a layer that stands there: " + code.message())
                            .inFile(link.string()));
            }
            files.push_back(link);
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
                                           const fs::path& target, const Progress& progress) {
    WYC_TRY(package, PackageWriter::create(target));
    const std::string extension = encoding == Encoding::Text ? ".usda" : ".usdc";
    const std::string root = target.stem().string() + extension;
    if (layout == Layout::OneFile) {
        WYC_CHECK(package->addLayer(root, whole, encoding, progress));
    } else {
        Assembly assembly = parted(scene, whole, layout);
        const auto fileOf = [&](const std::string& label) { return "items/" + label + extension; };
        nameParts(assembly, layout, [&](const std::string& label) { return "./" + fileOf(label); });
        WYC_CHECK(package->addLayer(root, *assembly.layer, encoding, Progress()));
        for (const PartLayer& part : assembly.parts)
            WYC_CHECK(package->addLayer(fileOf(part.label), *part.layer, encoding, progress));
    }
    WYC_CHECK(package->finish());
    WYC_CHECK(package->file().commit(AtomicFile::Replace::Yes));
    return std::vector<fs::path>{target};
}

Result<std::vector<fs::path>> writeUsd(const Scene& scene, const fs::path& target, const WriteOptions& options,
                                       const Progress& progress) {
    WYC_TRY(layer, layerOf(scene, {options.rate, options.application, options.description}));
    const Layout layout = layoutOf(options.options);
    if (isPackageName(target.string()))
        return writePackage(scene, *layer, layout, encodingFor(target, options.options), target, progress);
    if (layout != Layout::OneFile)
        return writeAssembly(scene, *layer, layout, target, options, progress);
    WYC_CHECK(writeFile(*layer, encodingFor(target, options.options), target, progress));
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
    format.assembles = [](const json& options) { return layoutOf(options) != Layout::OneFile; };
    format.fileCount = [](const Scene& scene, const json& options) {
        const bool parts = layoutOf(options) != Layout::OneFile && options.value("encoding", "binary") != "package";
        return std::size_t{1} + (parts ? partCount(scene) : 0);
    };
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
        {"layout",
         OptionKind::Choice,
         "",
         "one file; or a layer for each item and an assembly that takes them in: as sublayers, each in the whole tree; "
         "as "
         "references, each by itself; as payloads, references that may be left out when it is opened",
         "one file",
         {"one file", "sublayers", "references", "payloads"}},
        {"skins",
         OptionKind::Choice,
         "",
         "skins and morphs as they are, or the points that they make",
         "kept",
         {"kept", "points"}},
    };
}

} // namespace wyc::usd
