// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Errors are values: what went wrong, where, and what to do about it. Exceptions do not cross core's borders.
#include <cstdint>
#include <optional>
#include <string>
#include <string_view>

#include <tl/expected.hpp>

namespace wyc {

enum class ErrorKind {
    NotFound,    // a path that is not there
    NotReadable, // there, but cannot be read
    NotWritable, // a target that cannot be written
    NoSpace,     // the disk is full or a size limit was met
    Exists,      // a target that stands already and must not be replaced
    BadFormat,   // a file that is not what it says
    Unsupported, // well formed, but of a kind this product does not read or write
    BadInput,    // a wrong option, range, pattern or combination
    Changed,     // a source that changed on disk while it was open
    Cancelled,   // stopped on request; nothing was left behind
    Internal     // a broken promise of our own
};

/// A failed act. `what` is one sentence without the file name; the place is in the fields.
struct Error {
    ErrorKind kind = ErrorKind::Internal;
    std::string what;
    std::string file;
    std::optional<std::uint64_t> byte; // offset from the start of the file
    std::optional<std::uint64_t> line; // counted from 1
    std::string item;
    std::string advice;

    /// "file, byte N: what. advice" for a person.
    [[nodiscard]] std::string text() const;
    [[nodiscard]] Error inFile(std::string_view path) &&;
    [[nodiscard]] Error atByte(std::uint64_t offset) &&;
    [[nodiscard]] Error atLine(std::uint64_t number) &&;
    [[nodiscard]] Error forItem(std::string_view path) &&;
    [[nodiscard]] Error withAdvice(std::string_view words) &&;
};

[[nodiscard]] const char* errorKindName(ErrorKind kind);
[[nodiscard]] Error makeError(ErrorKind kind, std::string what);

template<class T> using Result = tl::expected<T, Error>;
using Status = Result<void>;

inline tl::unexpected<Error> fail(Error error) {
    return tl::unexpected<Error>(std::move(error));
}
inline tl::unexpected<Error> fail(ErrorKind kind, std::string what) {
    return tl::unexpected<Error>(makeError(kind, std::move(what)));
}

} // namespace wyc

#define WYC_CONCAT_INNER(a, b) a##b
#define WYC_CONCAT(a, b) WYC_CONCAT_INNER(a, b)
/// Evaluates a Result; on failure returns its error, else declares `name` with its value.
#define WYC_TRY(name, expression) WYC_TRY_IMPL(name, expression, WYC_CONCAT(wycTry, __COUNTER__))
#define WYC_TRY_IMPL(name, expression, temporary)                                                                      \
    auto temporary = (expression);                                                                                     \
    if (!temporary)                                                                                                    \
        return ::wyc::fail(std::move(temporary.error()));                                                              \
    auto name = std::move(*temporary)
/// Evaluates a Status or Result and returns its error on failure.
#define WYC_CHECK(expression) WYC_CHECK_IMPL((expression), WYC_CONCAT(wycStatus, __COUNTER__))
#define WYC_CHECK_IMPL(expression, temporary)                                                                          \
    do {                                                                                                               \
        if (auto temporary = expression; !temporary)                                                                   \
            return ::wyc::fail(std::move(temporary.error()));                                                          \
    } while (false)
