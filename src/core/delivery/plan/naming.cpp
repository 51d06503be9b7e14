// SPDX-License-Identifier: GPL-3.0-or-later
#include "delivery/plan/naming.h"

#include <algorithm>
#include <map>

#include <fmt/format.h>

#include "base/text.h"

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
