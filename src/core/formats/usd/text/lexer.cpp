// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/text/lexer.h"

#include <algorithm>
#include <charconv>
#include <cmath>
#include <cstring>

#include <fast_float/fast_float.h>
#include <fmt/format.h>

#include "base/fast_number.h"
#include "base/text.h"

namespace wyc::usd {
namespace {

constexpr std::size_t kWindow = 1U << 20;

bool isBlank(char c) {
    return c == ' ' || c == '\t' || c == '\r';
}
bool isDigit(char c) {
    return c >= '0' && c <= '9';
}
bool isWordCharacter(char c) {
    return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || isDigit(c) || c == '_' ||
           (static_cast<unsigned char>(c) & 0x80U) != 0;
}
bool isNumberCharacter(char c) {
    return isDigit(c) || c == '.' || c == '-' || c == '+' || (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') ||
           c == '_';
}

template<class T> bool appendWhole(std::string_view text, std::vector<std::byte>& to) {
    T value{};
    const auto [end, code] = std::from_chars(text.data(), text.data() + text.size(), value);
    if (code != std::errc() || end != text.data() + text.size()) {
        // "1.0" and "1e2" are whole numbers, too.
        double number = 0.0;
        const auto read = fast_float::from_chars(text.data(), text.data() + text.size(), number);
        if (read.ec != std::errc() || read.ptr != text.data() + text.size() || number != std::trunc(number) ||
            !(number >= static_cast<double>(std::numeric_limits<T>::min()) &&
              number < std::ldexp(1.0, std::numeric_limits<T>::digits)))
            return false;
        value = static_cast<T>(number);
    }
    const auto* from = reinterpret_cast<const std::byte*>(&value);
    to.insert(to.end(), from, from + sizeof(T));
    return true;
}

template<class T> std::optional<T> decimal(std::string_view text) {
    // fast_float takes "infinity" and "nan(…)" as well; here they are none.
    const std::size_t sign = text.starts_with('-') ? 1 : 0;
    const char first = text.size() > sign ? text[sign] : '\0';
    if (!isDigit(first) && first != '.') {
        if (text == "inf")
            return std::numeric_limits<T>::infinity();
        if (text == "-inf")
            return -std::numeric_limits<T>::infinity();
        if (text == "nan" || text == "-nan")
            return std::numeric_limits<T>::quiet_NaN();
        return std::nullopt;
    }
    T value{};
    const auto read = fast_float::from_chars(text.data(), text.data() + text.size(), value);
    if (read.ptr != text.data() + text.size() || read.ec == std::errc::invalid_argument)
        return std::nullopt;
    return value; // out of range: infinite, or nothing
}

template<class T> void put(T value, std::vector<std::byte>& to) {
    const std::size_t at = to.size();
    to.resize(at + sizeof(T));
    std::memcpy(to.data() + at, &value, sizeof(T));
}

} // namespace

bool appendNumber(Base base, std::string_view text, std::vector<std::byte>& to) {
    switch (base) {
    case Base::Bool: {
        const std::string word = lowerCase(text);
        if (word == "true" || word == "yes" || word == "on")
            to.push_back(std::byte{1});
        else if (word == "false" || word == "no" || word == "off")
            to.push_back(std::byte{0});
        else if (const auto number = decimal<double>(text); number && !text.empty())
            to.push_back(*number != 0.0 ? std::byte{1} : std::byte{0});
        else
            return false;
        return true;
    }
    case Base::UChar: return appendWhole<std::uint8_t>(text, to);
    case Base::Int: return appendWhole<std::int32_t>(text, to);
    case Base::UInt: return appendWhole<std::uint32_t>(text, to);
    case Base::Int64: return appendWhole<std::int64_t>(text, to);
    case Base::UInt64: return appendWhole<std::uint64_t>(text, to);
    case Base::Float:
        if (const auto value = decimal<float>(text)) {
            put(*value, to);
            return true;
        }
        return false;
    case Base::Half:
        if (const auto value = decimal<double>(text)) {
            put(doubleToHalf(*value), to);
            return true;
        }
        return false;
    case Base::Double:
    case Base::TimeCode:
    case Base::Duration:
        if (const auto value = decimal<double>(text)) {
            put(*value, to);
            return true;
        }
        return false;
    default: return false;
    }
}

Lexer::Lexer(Bytes bytes, std::uint64_t firstLine, std::uint64_t firstColumn)
    : bytes_(std::move(bytes)), line_(firstLine), lineStart_(1 - static_cast<std::int64_t>(firstColumn)) {}

Status Lexer::readable() const {
    if (failed_)
        return fail(*failed_);
    return {};
}

bool Lexer::has(std::size_t count) {
    if (filled_ - at_ >= count)
        return true;
    const std::uint64_t filledTo = base_ + filled_;
    if (filledTo >= bytes_.size() || failed_)
        return false;
    // What was passed goes, the next piece comes.
    window_.erase(window_.begin(), window_.begin() + static_cast<std::ptrdiff_t>(at_));
    base_ += at_;
    filled_ -= at_;
    at_ = 0;
    const auto more =
        static_cast<std::size_t>(std::min<std::uint64_t>(std::max(kWindow, count), bytes_.size() - filledTo));
    window_.resize(filled_ + more);
    if (auto status = bytes_.read(filledTo, std::as_writable_bytes(std::span(window_).subspan(filled_))); !status) {
        failed_ = std::move(status.error());
        window_.resize(filled_);
        return false;
    }
    filled_ += more;
    return filled_ >= count;
}

void Lexer::advance(std::size_t count) {
    for (std::size_t i = 0; i < count; ++i) {
        if (window_[at_] == '\n') {
            ++line_;
            lineStart_ = static_cast<std::int64_t>(base_ + at_) + 1;
        }
        ++at_;
    }
}

char Lexer::peek(std::size_t ahead) {
    return has(ahead + 1) ? window_[at_ + ahead] : '\0';
}

bool Lexer::atEnd() {
    return !has(1);
}

bool Lexer::startsWith(std::string_view text) {
    return has(text.size()) && std::string_view(window_.data() + at_, text.size()) == text;
}

void Lexer::passLine() {
    while (has(1) && window_[at_] != '\n')
        ++at_;
}

void Lexer::skip() {
    if (position() != skippedTo_) // else it goes on where the last one ended
        newLine_ = false;
    while (has(1)) {
        const char c = window_[at_];
        if (isBlank(c)) {
            ++at_;
        } else if (c == '\n') {
            newLine_ = true;
            advance(1);
        } else if (c == '#' || (c == '/' && peek(1) == '/')) {
            passLine();
        } else if (c == '/' && peek(1) == '*') {
            advance(2);
            while (has(1) && !startsWith("*/"))
                advance(1);
            if (has(2))
                advance(2);
        } else {
            break;
        }
    }
    skippedTo_ = position();
}

bool Lexer::take(char c) {
    if (peek() != c || atEnd())
        return false;
    advance(1);
    return true;
}

Status Lexer::expect(char c, std::string_view what) {
    skip();
    if (take(c))
        return {};
    return fail(error(fmt::format("'{}' is missing {}", c, what)));
}

std::string Lexer::line() {
    std::string text;
    while (has(1) && window_[at_] != '\n')
        text += window_[at_++];
    return text;
}

std::string Lexer::word() {
    std::string result;
    while (has(1)) {
        const char c = window_[at_];
        if (isWordCharacter(c) || (c == ':' && !result.empty() && isWordCharacter(peek(1)))) {
            result += c;
            ++at_;
        } else if (c == ':' && peek(1) == ':' && isWordCharacter(peek(2))) {
            result += "::";
            at_ += 2;
        } else {
            break;
        }
    }
    return result;
}

bool Lexer::takeWord(std::string_view word) {
    if (!startsWith(word) || isWordCharacter(peek(word.size())))
        return false;
    at_ += word.size();
    return true;
}

Result<std::string> Lexer::text() {
    const char mark = peek();
    if (mark != '"' && mark != '\'')
        return fail(error("a text in quotes is missing"));
    const std::uint64_t opened = line_;
    const bool triple = peek(1) == mark && peek(2) == mark;
    advance(triple ? 3 : 1);
    std::string result;
    while (true) {
        if (!has(1)) {
            Error failure = error(fmt::format("a text that is opened in line {} is never closed", opened));
            failure.line = opened;
            return fail(std::move(failure));
        }
        const char c = window_[at_];
        if (c == mark && (!triple || (peek(1) == mark && peek(2) == mark))) {
            advance(triple ? 3 : 1);
            return result;
        }
        if (c == '\n' && !triple)
            return fail(error("a text is not closed on its line"));
        if (c != '\\') {
            result += c;
            advance(1);
            continue;
        }
        advance(1);
        const char escaped = peek();
        if (escaped == 'x') {
            advance(1);
            unsigned value = 0;
            int digits = 0;
            for (; digits < 2; ++digits) {
                const char d = peek();
                if (isDigit(d))
                    value = value * 16 + static_cast<unsigned>(d - '0');
                else if ((d >= 'a' && d <= 'f') || (d >= 'A' && d <= 'F'))
                    value = value * 16 + static_cast<unsigned>((d | 0x20) - 'a') + 10;
                else
                    break;
                advance(1);
            }
            result += static_cast<char>(value);
        } else if (escaped >= '0' && escaped <= '7') {
            unsigned value = 0;
            for (int digits = 0; digits < 3 && peek() >= '0' && peek() <= '7'; ++digits) {
                value = value * 8 + static_cast<unsigned>(peek() - '0');
                advance(1);
            }
            result += static_cast<char>(value);
        } else if (!atEnd()) {
            static constexpr std::string_view kFrom = "abfnrtv";
            static constexpr std::string_view kTo = "\a\b\f\n\r\t\v";
            const std::size_t which = kFrom.find(escaped);
            result += which == std::string_view::npos ? escaped : kTo[which];
            advance(1);
        }
    }
}

Result<std::string> Lexer::asset() {
    const bool triple = startsWith("@@@");
    advance(triple ? 3 : 1);
    std::string result;
    while (has(1)) {
        if (triple && startsWith("\\@@@")) {
            result += "@@@";
            advance(4);
        } else if (triple ? startsWith("@@@") : window_[at_] == '@') {
            advance(triple ? 3 : 1);
            // A mark more belongs to the name.
            while (triple && peek() == '@') {
                result += '@';
                advance(1);
            }
            return result;
        } else if (window_[at_] == '\n') {
            break;
        } else {
            result += window_[at_++];
        }
    }
    return fail(error("a file name is not closed by @ on its line"));
}

Result<std::string> Lexer::path() {
    advance(1);
    std::string result;
    while (has(1) && window_[at_] != '\n') {
        if (window_[at_] == '>') {
            ++at_;
            return result;
        }
        result += window_[at_++];
    }
    return fail(error("a path is not closed by > on its line"));
}

std::string Lexer::numberText() {
    std::string result;
    while (has(1) && isNumberCharacter(window_[at_]))
        result += window_[at_++];
    return result;
}

bool Lexer::takeMarks(std::string& into, char mark) {
    const bool triple = peek(1) == mark && peek(2) == mark;
    const std::size_t width = triple ? 3 : 1;
    const auto closes = [&] { return peek() == mark && (!triple || (peek(1) == mark && peek(2) == mark)); };
    const auto copy = [&](std::size_t count) {
        for (std::size_t i = 0; i < count && has(1); ++i) {
            into += window_[at_];
            advance(1);
        }
    };
    copy(width);
    while (has(1)) {
        if (closes()) {
            copy(width);
            return true;
        }
        copy(peek() == '\\' && mark != '@' ? 2 : 1);
    }
    return false;
}

Result<std::string> Lexer::raw() {
    return written(false);
}

Result<std::string> Lexer::bracketed() {
    return written(true);
}

Result<std::string> Lexer::written(bool oneBracket) {
    std::string result;
    int depth = 0;
    while (has(1)) {
        const char c = window_[at_];
        if (c == '"' || c == '\'' || c == '@') {
            if (!takeMarks(result, c))
                return fail(error("a text is never closed"));
            continue;
        }
        if (c == '#' || (c == '/' && (peek(1) == '/' || peek(1) == '*'))) {
            skip();
            if (depth == 0 && newLine_)
                break;
            result += ' ';
            continue;
        }
        if (depth == 0 && (c == '\n' || c == ',' || c == ';' || c == ')' || c == '}' || c == ']'))
            break;
        depth += c == '(' || c == '[' || c == '{' ? 1 : c == ')' || c == ']' || c == '}' ? -1 : 0;
        result += c;
        advance(1);
        if (oneBracket && depth == 0)
            return result;
    }
    if (oneBracket)
        return fail(error("a bracket is never closed"));
    return std::string(trimmed(result));
}

Result<Lexer::ArrayEnd> Lexer::passArray(char counted) {
    ArrayEnd result;
    while (has(1)) {
        const char* from = window_.data() + at_;
        const std::size_t left = filled_ - at_;
        const auto* end = static_cast<const char*>(std::memchr(from, ']', left));
        std::size_t count = end ? static_cast<std::size_t>(end - from) : left;
        // A comment may hold anything, a bracket too.
        const auto* comment = static_cast<const char*>(std::memchr(from, '#', count));
        const auto* slash = static_cast<const char*>(std::memchr(from, '/', count));
        if (slash && (!comment || slash < comment))
            comment = slash;
        if (comment)
            count = static_cast<std::size_t>(comment - from);
        const std::string_view piece(from, count);
        result.counted += static_cast<std::uint64_t>(std::count(piece.begin(), piece.end(), counted));
        if (const auto last = piece.find_last_not_of(" \t\r\n"); last != std::string_view::npos) {
            result.empty = false;
            result.lastIsComma = piece[last] == ',';
        }
        if (const auto lines = std::count(piece.begin(), piece.end(), '\n'); lines > 0) {
            line_ += static_cast<std::uint64_t>(lines);
            lineStart_ = static_cast<std::int64_t>(base_ + at_ + piece.rfind('\n')) + 1;
        }
        at_ += count;
        if (comment) {
            const std::size_t before = at_;
            const std::uint64_t baseBefore = base_;
            skip();
            if (base_ + at_ == baseBefore + before)
                return fail(error("'/' stands in an array of numbers"));
        } else if (end) {
            result.end = position();
            ++at_;
            return result;
        }
    }
    return fail(error("an array is never closed by ]"));
}

std::uint64_t Lexer::column() const {
    return static_cast<std::uint64_t>(
        std::max<std::int64_t>(1, static_cast<std::int64_t>(base_ + at_) - lineStart_ + 1));
}

Error Lexer::error(std::string what) {
    if (failed_)
        return *failed_;
    return makeError(ErrorKind::BadFormat, fmt::format("{} (column {})", what, column()))
        .atLine(line_)
        .inFile(bytes_.name());
}

namespace {

// Walks the text of an array of numbers.
class NumberParser {
  public:
    NumberParser(const Type& type, std::string_view text, std::vector<std::byte>& to)
        : type_(type), at_(text.data()), end_(text.data() + text.size()), to_(to) {}

    // What is wrong; empty where all is well.
    std::string parse() {
        const int rows = type_.matrix2 ? 2 : type_.count == 9 ? 3 : type_.count == 16 ? 4 : 0;
        while (true) {
            space();
            if (at_ == end_)
                return {};
            if (!(rows ? matrix(rows) : type_.count == 1 ? number() : tuple(type_.count)))
                return what_;
            space();
            if (at_ == end_)
                return {};
            if (*at_ != ',')
                return "',' is missing between two values";
            ++at_;
        }
    }
    [[nodiscard]] const char* at() const { return at_; }
    /// Bytes of the buffer that are filled; it may be larger.
    [[nodiscard]] std::size_t filled() const { return filled_; }

  private:
    template<class T> void write(T value) {
        if (to_.size() - filled_ < sizeof(T))
            to_.resize(std::max<std::size_t>(64, 2 * to_.size()));
        std::memcpy(to_.data() + filled_, &value, sizeof(T));
        filled_ += sizeof(T);
    }
    void space() {
        if (at_<end_&& * at_> ' ' && *at_ != '#' && *at_ != '/')
            return;
        while (at_ < end_) {
            if (*at_ == ' ' || *at_ == '\n' || *at_ == '\t' || *at_ == '\r') {
                ++at_;
            } else if (*at_ == '#' || (*at_ == '/' && at_ + 1 < end_ && at_[1] == '/')) {
                while (at_ < end_ && *at_ != '\n')
                    ++at_;
            } else if (*at_ == '/' && at_ + 1 < end_ && at_[1] == '*') {
                const std::string_view rest(at_, static_cast<std::size_t>(end_ - at_));
                const std::size_t close = rest.find("*/", 2);
                at_ = close == std::string_view::npos ? end_ : at_ + close + 2;
            } else {
                return;
            }
        }
    }
    bool wrong(std::string what) {
        what_ = std::move(what);
        return false;
    }
    bool number() {
        if (type_.base == Base::Float)
            if (const auto fast = fastFloat(at_, end_); fast && (fast->end == end_ || !isNumberCharacter(*fast->end))) {
                write(fast->value);
                at_ = fast->end;
                return true;
            }
        const char* from = at_;
        while (at_ < end_ && isNumberCharacter(*at_))
            ++at_;
        const std::string_view text(from, static_cast<std::size_t>(at_ - from));
        rare_.clear();
        if (appendNumber(type_.base, text, rare_)) {
            for (const std::byte one : rare_)
                write(one);
            return true;
        }
        at_ = from;
        if (text.empty() && at_ < end_ && *at_ == '[')
            return wrong("an array stands inside of an array");
        return wrong(text.empty() ? "a number is missing"
                                  : fmt::format("'{}' is no number that a {} can hold", text, nameOf(type_.single())));
    }
    bool tuple(int count) {
        if (at_ == end_ || *at_ != '(')
            return wrong(fmt::format("a {} is {} numbers in round brackets", nameOf(type_.single()), count));
        ++at_;
        for (int i = 0; i < count; ++i) {
            space();
            if (i > 0) {
                if (at_ == end_ || *at_ != ',')
                    return wrong(fmt::format("{} of {} numbers are there", i, count));
                ++at_;
                space();
            }
            if (!number())
                return false;
        }
        space();
        if (at_ < end_ && *at_ == ',') { // behind the last one
            ++at_;
            space();
        }
        if (at_ == end_ || *at_ != ')')
            return wrong(fmt::format("')' is missing behind {} numbers", count));
        ++at_;
        if (type_.quaternion) { // stored i, j, k, real
            const std::size_t size = sizeOf(type_.base);
            std::byte* first = to_.data() + filled_ - 4 * size;
            std::rotate(first, first + size, first + 4 * size);
        }
        return true;
    }
    bool matrix(int rows) {
        if (at_ == end_ || *at_ != '(')
            return wrong("a matrix is rows in round brackets");
        ++at_;
        for (int i = 0; i < rows; ++i) {
            space();
            if (i > 0) {
                if (at_ == end_ || *at_ != ',')
                    return wrong(fmt::format("{} of {} rows are there", i, rows));
                ++at_;
                space();
            }
            if (!tuple(rows))
                return false;
        }
        space();
        if (at_ < end_ && *at_ == ',') {
            ++at_;
            space();
        }
        if (at_ == end_ || *at_ != ')')
            return wrong("')' is missing behind a matrix");
        ++at_;
        return true;
    }

    Type type_;
    const char* at_;
    const char* end_;
    std::vector<std::byte>& to_;
    std::size_t filled_ = 0;
    std::vector<std::byte> rare_; // a number that takes the long way
    std::string what_;
};

} // namespace

Result<std::vector<std::byte>> parseNumbers(const Type& type, std::string_view text, const Bytes& bytes,
                                            std::uint64_t firstLine, std::uint64_t firstColumn, std::uint64_t count) {
    std::vector<std::byte> result(
        static_cast<std::size_t>(std::min<std::uint64_t>(count * sizeOf(type), text.size() * 8)));
    NumberParser parser(type, text, result);
    if (std::string what = parser.parse(); !what.empty()) {
        const std::string_view before(text.data(), static_cast<std::size_t>(parser.at() - text.data()));
        const auto lines = static_cast<std::uint64_t>(std::count(before.begin(), before.end(), '\n'));
        const std::size_t lineStart = before.rfind('\n');
        const std::uint64_t column =
            lineStart == std::string_view::npos ? firstColumn + before.size() : before.size() - lineStart;
        return fail(makeError(ErrorKind::BadFormat, fmt::format("{} (column {})", what, column))
                        .atLine(firstLine + lines)
                        .inFile(bytes.name()));
    }
    result.resize(parser.filled());
    return result;
}

} // namespace wyc::usd
