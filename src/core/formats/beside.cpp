// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/beside.h"

#include <algorithm>

#include <fmt/format.h>

namespace wyc {
namespace {

bool isDigit(char c) {
    return c >= '0' && c <= '9';
}

// "shoal" of "shoal_v002".
std::string withoutVersion(std::string stem) {
    std::size_t end = stem.size();
    while (end > 0 && isDigit(stem[end - 1]))
        --end;
    if (end == stem.size() || end < 3 || stem[end - 1] != 'v' ||
        std::string_view("_-.").find(stem[end - 2]) == std::string_view::npos)
        return stem;
    stem.resize(end - 2);
    return stem;
}

} // namespace

BesideFiles::BesideFiles(const fs::path& folder, const fs::path& mainName)
    : folder_(folder), stem_(withoutVersion(mainName.stem().string())) {
    std::error_code code;
    const std::string head = stem_ + ".";
    for (fs::directory_iterator it(folder, code), end; !code && it != end; it.increment(code)) {
        const std::string name = it->path().filename().string();
        if (!name.starts_with(head))
            continue;
        // Labels have no dot, so the first version behind one is theirs.
        const std::size_t dot = name.find('.', head.size());
        if (dot == std::string::npos || name.compare(dot, 2, ".v") != 0)
            continue;
        std::size_t at = dot + 2;
        while (at < name.size() && isDigit(name[at]))
            ++at;
        const std::string digits = name.substr(dot + 2, at - dot - 2);
        if (digits.empty() || digits.size() > 8 || at == name.size() || name[at] != '.')
            continue;
        there_[name.substr(head.size(), dot - head.size())][std::stoi(digits)].push_back(name.substr(at));
    }
}

int BesideFiles::last(const std::string& label, const std::string& end) const {
    const auto found = there_.find(label);
    if (found == there_.end())
        return 0;
    for (auto it = found->second.rbegin(); it != found->second.rend(); ++it)
        if (std::find(it->second.begin(), it->second.end(), end) != it->second.end())
            return it->first;
    return 0;
}

std::vector<std::string> BesideFiles::ends(const std::string& label, int version) const {
    const auto found = there_.find(label);
    if (found == there_.end() || !found->second.contains(version))
        return {};
    return found->second.at(version);
}

std::string BesideFiles::name(const std::string& label, int version, const std::string& end) const {
    return fmt::format("{}.{}.v{:03}{}", stem_, label, version, end);
}

Status takeAsItIs(const fs::path& there, const fs::path& link) {
    std::error_code code;
    if (link == there)
        return {};
    fs::create_hard_link(there, link, code);
    if (code)
        fs::create_symlink(fs::absolute(there), link, code);
    if (code)
        return fail(makeError(ErrorKind::NotWritable, "cannot take a file that stands there: " + code.message())
                        .inFile(link.string()));
    return {};
}

} // namespace wyc
