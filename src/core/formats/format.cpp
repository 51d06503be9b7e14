// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/format.h"

#include <algorithm>

#include <fmt/format.h>

#include "base/text.h"
#include "formats/abc/abc.h"
#include "formats/mdd/mdd.h"
#include "formats/obj/obj.h"

namespace wyc {

const std::vector<Format>& formats() {
    static const std::vector<Format> kFormats{abc::format(), mdd::format(), obj::format(), obj::sequenceFormat()};
    return kFormats;
}

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
    case Content::Cameras: return "cameras";
    case Content::Lights: return "lights";
    case Content::Curves: return "curves";
    case Content::Subdivision: return "subdivision surfaces";
    case Content::Values: return "attributes and user values";
    case Content::Instances: return "instances";
    case Content::Times: return "times of samples";
    case Content::TimesBetweenFrames: return "samples between frames";
    case Content::UnevenTimes: return "uneven times";
    case Content::Rate: return "rate";
    case Content::Unit: return "unit";
    case Content::UpAxis: return "up axis";
    }
    return "";
}

Content contentOf(Layer layer) {
    return layer == Layer::Uvs ? Content::Uvs : layer == Layer::Normals ? Content::Normals : Content::Colours;
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

Result<const Format*> requireFormat(const fs::path& path) {
    if (const Format* format = formatOfName(path))
        return format;
    return fail(
        makeError(ErrorKind::Unsupported, fmt::format("no format of ours ends in '{}'", path.extension().string()))
            .inFile(path.string())
            .withAdvice("Use .abc, .mdd, .obj, or a pattern as name.####.obj"));
}

} // namespace wyc
