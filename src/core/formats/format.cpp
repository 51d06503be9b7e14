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

const Format* formatById(std::string_view id) {
    const auto& all = formats();
    const auto found = std::find_if(all.begin(), all.end(), [&](const Format& f) { return f.id == id; });
    return found == all.end() ? nullptr : &*found;
}

const Format* formatOfName(const fs::path& path) {
    const bool pattern = path.filename().string().find('#') != std::string::npos;
    std::string extension = lowerCase(path.extension().string());
    for (const Format& format : formats())
        if (format.traits.sequence == pattern &&
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
