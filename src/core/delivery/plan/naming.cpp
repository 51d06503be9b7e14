// SPDX-License-Identifier: GPL-3.0-or-later
#include "delivery/plan/naming.h"

#include <algorithm>
#include <map>

#include <fmt/format.h>

#include "base/text.h"
#include "formats/format.h"

namespace wyc {

Result<std::string> nameFromTemplate(const std::string& nameTemplate, const NameParts& parts) {
    std::string result;
    for (std::size_t i = 0; i < nameTemplate.size();) {
        if (nameTemplate[i] != '{') {
            result += nameTemplate[i++];
            continue;
        }
        const auto stop = nameTemplate.find('}', i);
        const std::string word = nameTemplate.substr(i + 1, stop == std::string::npos ? stop : stop - i - 1);
        if (word == "shot")
            result += parts.shot.empty() ? "shot" : parts.shot;
        else if (word == "item")
            result += parts.item;
        else if (word == "parent")
            result += parts.parent;
        else if (word == "path")
            result += parts.path.starts_with("/") ? parts.path.substr(1) : parts.path;
        else if (word == "version")
            result += fmt::format("{:03}", parts.version);
        else
            return fail(makeError(ErrorKind::BadInput, fmt::format("'{{{}}}' means nothing in a name template", word))
                            .withAdvice("Use {shot}, {item}, {parent}, {path} and {version}"));
        i = stop == std::string::npos ? nameTemplate.size() : stop + 1;
    }
    result = safeName(result);
    std::replace(result.begin(), result.end(), '#', '_');
    return result;
}

Result<fs::path> targetPattern(const fs::path& given) {
    std::string name = given.filename().string();
    if (const auto at = name.find('%'); at != std::string::npos) {
        const auto end = std::min(name.find_first_not_of("0123456789", at + 1), name.size());
        const auto digits = end == at + 1 ? 1 : parseInteger(name.substr(at + 1, end - at - 1)).value_or(0);
        if (end < name.size() && name[end] == 'd' && digits >= 1 && digits <= 9)
            name.replace(at, end + 1 - at, static_cast<std::size_t>(digits), '#');
    }
    const Format* numbered = formatOfName("#" + fs::path(name).extension().string());
    if (numbered && numbered->sequence && name.find('#') == std::string::npos &&
        name.find_first_of("%$@<{") != std::string::npos)
        return fail(makeError(ErrorKind::BadInput, "the name has an unknown sign for the number of a frame")
                        .inFile(given.string())
                        .withAdvice("Write # for each of its digits, as poses.####.obj"));
    return given.parent_path() / name;
}

std::vector<std::string> uniqueNames(const std::vector<NamedItem>& items) {
    const auto longer = [](const NamedItem& item, int stage) {
        const std::string path = item.path.substr(0, item.path.rfind('/')) + "/" + item.name;
        if (stage == 0) { // with its parent's
            const auto own = path.rfind('/');
            return own == 0 ? item.name : path.substr(path.rfind('/', own - 1) + 1);
        }
        return stage == 1 ? path.substr(1) : item.source + path;
    };
    std::vector<std::string> names;
    for (const NamedItem& item : items)
        names.push_back(safeName(item.name));
    for (int stage = 0; stage < 3; ++stage) {
        std::map<std::string, std::size_t> counts;
        for (const std::string& name : names)
            ++counts[name];
        const std::vector<std::string> before = names;
        for (std::size_t i = 0; i < items.size(); ++i)
            if (counts[before[i]] > 1)
                names[i] = safeName(longer(items[i], stage));
    }
    return names;
}

} // namespace wyc
