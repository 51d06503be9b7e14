// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/write/names.h"

#include "base/text.h"

namespace wyc::usd {

std::string primName(const std::string& name) {
    const std::string valid = validUtf8(name);
    std::string result;
    for (const char c : valid) {
        const bool letter =
            (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || c == '_' || static_cast<unsigned char>(c) >= 0x80;
        const bool digit = c >= '0' && c <= '9';
        if (digit && result.empty())
            result += '_';
        result += letter || digit ? c : '_';
    }
    return result.empty() ? "_" : result;
}

std::string propertyName(const std::string& name) {
    std::string result;
    for (const std::string& part : splitText(name, ':'))
        result += (result.empty() ? "" : ":") + primName(part);
    return result.empty() ? "_" : result;
}

std::string UniqueNames::numbered(const std::string& plain) {
    std::string name = plain;
    for (int number = 2; !taken_.insert(name).second; ++number)
        name = plain + "_" + std::to_string(number);
    return name;
}

} // namespace wyc::usd
