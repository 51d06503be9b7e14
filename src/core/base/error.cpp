// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/error.h"

#include <fmt/format.h>

namespace wyc {

std::string Error::text() const {
    std::string where = file;
    if (line)
        where += fmt::format("{}line {}", where.empty() ? "" : ", ", *line);
    if (byte)
        where += fmt::format("{}byte {}", where.empty() ? "" : ", ", *byte);
    if (!item.empty())
        where += fmt::format("{}{}", where.empty() ? "" : ", ", item);
    std::string result = where.empty() ? what : fmt::format("{}: {}", where, what);
    if (!advice.empty())
        result += fmt::format(". {}", advice);
    return result;
}

Error Error::inFile(std::string_view path) && {
    if (file.empty())
        file = path;
    return std::move(*this);
}
Error Error::atByte(std::uint64_t offset) && {
    byte = offset;
    return std::move(*this);
}
Error Error::atLine(std::uint64_t number) && {
    line = number;
    return std::move(*this);
}
Error Error::forItem(std::string_view path) && {
    if (item.empty())
        item = path;
    return std::move(*this);
}
Error Error::withAdvice(std::string_view words) && {
    advice = words;
    return std::move(*this);
}

const char* errorKindName(ErrorKind kind) {
    switch (kind) {
    case ErrorKind::NotFound: return "not_found";
    case ErrorKind::NotReadable: return "not_readable";
    case ErrorKind::NotWritable: return "not_writable";
    case ErrorKind::NoSpace: return "no_space";
    case ErrorKind::Exists: return "exists";
    case ErrorKind::BadFormat: return "bad_format";
    case ErrorKind::Unsupported: return "unsupported";
    case ErrorKind::BadInput: return "bad_input";
    case ErrorKind::Changed: return "changed";
    case ErrorKind::Cancelled: return "cancelled";
    case ErrorKind::Internal: return "internal";
    }
    return "internal";
}

Error makeError(ErrorKind kind, std::string what) {
    Error error;
    error.kind = kind;
    error.what = std::move(what);
    return error;
}

} // namespace wyc
