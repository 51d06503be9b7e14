// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/format.h"

#include <algorithm>

#include <fmt/format.h>
#include <fmt/ranges.h>

#include "base/text.h"

namespace wyc {

const char* contentName(Content content) {
    switch (content) {
    case Content::Transforms: return "transforms";
    case Content::Visibility: return "visibility";
    case Content::Faces: return "faces";
    case Content::ChangingPoints: return "changing points and faces";
    case Content::Uvs: return "UVs";
    case Content::Normals: return "normals";
    case Content::Colours: return "colours of points";
    case Content::PartialLayers: return "UVs and normals of some corners only";
    case Content::Groups: return "groups of faces";
    case Content::Materials: return "materials";
    case Content::Shading: return "graphs of materials";
    case Content::Cameras: return "cameras";
    case Content::Lights: return "lights";
    case Content::Curves: return "curves";
    case Content::Subdivision: return "subdivision surfaces";
    case Content::Values: return "attributes and user values";
    case Content::Instances: return "instances";
    case Content::Instancers: return "instancers";
    case Content::Deformers: return "skins and morphs";
    case Content::Times: return "times of samples";
    case Content::TimesBetweenFrames: return "samples between frames";
    case Content::UnevenTimes: return "uneven times";
    case Content::Rate: return "rate";
    case Content::Unit: return "unit";
    case Content::UpAxis: return "up axis";
    }
    return "";
}

Content contentOf(Meaning meaning) {
    switch (meaning) {
    case Meaning::Uvs: return Content::Uvs;
    case Meaning::Normals: return Content::Normals;
    case Meaning::Colours: return Content::Colours;
    default: break;
    }
    switch (traitsOf(meaning).of) {
    case Owner::Camera: return Content::Cameras;
    case Owner::Light: return Content::Lights;
    case Owner::Instancer: return Content::Instancers;
    case Owner::Deformers: return Content::Deformers;
    case Owner::Any: break;
    }
    return Content::Values;
}

ChannelKind kindOf(const Channel& channel) {
    return {channel.meaning,
            channel.values->type(),
            channel.values->extent(),
            channel.scope,
            channel.indices || channel.numbers != nullptr,
            false};
}

ChannelKind kindOf(const Layer& layer) {
    return {layer.meaning, layer.values->type(),     layer.values->extent(),
            layer.scope,   layer.numbers != nullptr, layer.further};
}

ChannelKind kindOf(const PropertyNode& property) {
    ChannelKind kind{.meaning = property.meaning, .scope = property.scope};
    // Of values by number the values themselves.
    kind.numbered = !property.values && numberingOf(property) != nullptr;
    const PropertyNode& holder = kind.numbered ? property.children.front() : property;
    if (holder.values) {
        kind.type = holder.values->type();
        kind.extent = holder.values->extent();
    }
    return kind;
}

Carried Format::carry(const ChannelKind& channel) const {
    if (carries)
        return carries(channel, chosen);
    const Answer& given = answer(contentOf(channel.meaning));
    if (!isLayer(channel.meaning) || given.fate == Fate::Lost || keeps(Content::Values))
        return {given.fate, std::string(given.how)};
    // Without a place for attributes of any kind, formats agree on one set of each, and on three numbers a colour.
    if (channel.further)
        return {Fate::Lost, fmt::format("{} has one set of them", name)};
    if (channel.meaning == Meaning::Colours && (channel.scope != Scope::Point || channel.numbered))
        return {Fate::Lost, "they are not one a point"};
    return {given.fate, std::string(given.how)};
}

std::vector<Format> inTable(std::vector<Format> all) {
    for (Format& format : all)
        if (auto standard = chosenAs(format))
            format = **standard;
    return all;
}

Result<FormatPtr> chosenAs(const Format& format, const nlohmann::json& writeOptions) {
    WYC_TRY(options, checkedOptions(format.name, format.writeOptions, writeOptions));
    auto chosen = std::make_shared<Format>(format);
    if (format.answersWith)
        chosen->answers = format.answersWith(format.answers, options);
    chosen->chosen = std::move(options);
    return FormatPtr(std::move(chosen));
}

Result<Scene> Format::read(OpenRequest request) const {
    auto options = checkedOptions(name, openOptions, request.options);
    if (!options)
        return fail(std::move(options.error()).inFile(request.path.string()));
    request.options = std::move(*options);
    return open(request);
}

const char* fateName(Fate fate) {
    return fate == Fate::Kept ? "kept" : fate == Fate::Converted ? "converted" : "lost";
}

std::array<Answer, kContentCount> answersOf(std::initializer_list<std::pair<Content, Answer>> listed) {
    std::array<Answer, kContentCount> result;
    for (const auto& [content, answer] : listed)
        result[static_cast<std::size_t>(content)] = answer;
    return result;
}

const Format* formatById(std::string_view id) {
    const auto& all = formats();
    const auto found = std::find_if(all.begin(), all.end(), [&](const Format& f) { return f.id == id; });
    return found == all.end() ? nullptr : &*found;
}

const Format* formatOfName(const fs::path& path) {
    std::error_code code; // a file may have a # in its name
    const bool pattern = path.filename().string().find('#') != std::string::npos && !fs::is_regular_file(path, code);
    std::string extension = lowerCase(path.extension().string());
    for (const Format& format : formats())
        if (format.sequence == pattern &&
            std::find(format.extensions.begin(), format.extensions.end(), extension) != format.extensions.end())
            return &format;
    return nullptr;
}

std::string standardFormat() {
    return std::string(formats().front().id);
}

std::string formatList(bool writtenOnly) {
    std::string list;
    for (const Format& format : formats())
        if (format.write || !writtenOnly)
            list += fmt::format("{}{} {}", list.empty() ? "" : ", ", format.name,
                                format.sequence ? fmt::format("name.####{}", format.extensions.front())
                                                : std::string(format.extensions.front()));
    return list;
}

std::string fileFilter(bool restMeshesOnly) {
    std::vector<std::string> patterns;
    for (const Format& format : formats())
        for (const std::string_view extension : format.extensions)
            if (std::string pattern = fmt::format("*{}", extension);
                (!restMeshesOnly || !format.wantsRest()) &&
                std::find(patterns.begin(), patterns.end(), pattern) == patterns.end())
                patterns.push_back(std::move(pattern));
    return fmt::format("{}", fmt::join(patterns, " "));
}

const Format* sequenceFormatOf(const fs::path& path) {
    const std::string extension = lowerCase(path.extension().string());
    for (const Format& format : formats())
        if (format.sequence &&
            std::find(format.extensions.begin(), format.extensions.end(), extension) != format.extensions.end())
            return &format;
    return nullptr;
}

const Format* formatOfContent(const fs::path& path) {
    const auto file = RandomAccessFile::open(path);
    if (!file)
        return nullptr;
    std::vector<std::byte> head(static_cast<std::size_t>(std::min<std::uint64_t>(kHeadBytes, (*file)->size())));
    if (!(*file)->readAt(0, head))
        return nullptr;
    const Format* best = nullptr;
    double most = 0.0;
    for (const Format& format : formats())
        if (const double sure = format.identify ? format.identify(head, (*file)->size()) : 0.0; sure > most) {
            most = sure;
            best = &format;
        }
    return best;
}

const Format* formatOfSource(const fs::path& path) {
    if (const Format* format = formatOfName(path))
        return format;
    std::error_code code;
    return fs::is_regular_file(path, code) ? formatOfContent(path) : nullptr;
}

namespace {

Result<const Format*> known(const Format* format, const fs::path& path) {
    if (format)
        return format;
    return fail(
        makeError(ErrorKind::Unsupported, fmt::format("no format of ours ends in '{}'", path.extension().string()))
            .inFile(path.string())
            .withAdvice("Formats: " + formatList()));
}

} // namespace

Result<const Format*> requireTargetFormat(const fs::path& path) {
    WYC_TRY(format, known(formatOfName(path), path));
    if (format->write)
        return format;
    return fail(makeError(ErrorKind::Unsupported, fmt::format("{} is read here, not written", format->name))
                    .inFile(path.string())
                    .withAdvice("Formats that are written: " + formatList(true)));
}

Result<const Format*> requireSourceFormat(const fs::path& path) {
    return known(formatOfSource(path), path);
}

std::string besideLine(const std::string& mainName) {
    return fmt::format("# beside {}, by Wychronos\n", safeName(mainName));
}

} // namespace wyc
