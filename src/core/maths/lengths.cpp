// SPDX-License-Identifier: GPL-3.0-or-later
#include "maths/lengths.h"

#include <cctype>
#include <cmath>

#include <fmt/format.h>

#include "base/text.h"
#include "maths/units.h"

namespace wyc {

Result<double> parseLength(std::string_view text) {
    const std::string plain(trimmed(text));
    std::size_t end = plain.size();
    while (end > 0 && std::isalpha(static_cast<unsigned char>(plain[end - 1])))
        --end;
    const auto number = parseNumber(trimmed(std::string_view(plain).substr(0, end)));
    const Result<double> metres = end == plain.size() ? Result<double>(1.0) : parseUnit(plain.substr(end));
    if (!number || !(*number >= 0.0) || !std::isfinite(*number) || !metres)
        return fail(makeError(ErrorKind::BadInput, fmt::format("'{}' is no length", text))
                        .withAdvice("Write it as 0.1mm, 0.5cm or 0.0001 (metres)"));
    return *number * *metres;
}

} // namespace wyc
