// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Words, texts and numbers of a layer's text, read through a window: however long the file is, a few of its megabytes
// are in memory.
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "formats/usd/layer/layer.h"

namespace wyc::usd {

class Lexer {
  public:
    /// `firstLine`: number of the line that the text begins in, `firstColumn` likewise.
    Lexer(Bytes bytes, std::uint64_t firstLine, std::uint64_t firstColumn);
    /// A file that cannot be read looks as if it ended; this says so.
    [[nodiscard]] Status readable() const;

    /// Passes blanks, line ends and comments.
    void skip();
    /// Whether the last skip() went over the end of a line.
    [[nodiscard]] bool newLine() const { return newLine_; }
    [[nodiscard]] bool atEnd();
    /// The character here, 0 at the end; `ahead` characters further on.
    [[nodiscard]] char peek(std::size_t ahead = 0);
    [[nodiscard]] bool startsWith(std::string_view text);
    /// Takes it where it stands here, after skip().
    [[nodiscard]] bool take(char c);
    [[nodiscard]] Status expect(char c, std::string_view what);
    /// The line up to its end.
    [[nodiscard]] std::string line();

    /// Letters, digits, '_' and what is not ASCII, with "::" and ':' in between; empty where none stands here.
    [[nodiscard]] std::string word();
    [[nodiscard]] bool takeWord(std::string_view word);
    /// "…", '…', """…""", '''…''' with its escapes resolved.
    [[nodiscard]] Result<std::string> text();
    /// @…@ or @@@…@@@.
    [[nodiscard]] Result<std::string> asset();
    /// <…>, as it stands there.
    [[nodiscard]] Result<std::string> path();
    /// Characters of a number, or of inf, nan: not yet judged. Empty where none stands here.
    [[nodiscard]] std::string numberText();
    /// What stands here as it is written: up to the end of a line, ',' or ';' outside of brackets and texts.
    [[nodiscard]] Result<std::string> raw();
    /// From the bracket that opens here to the one that closes it.
    [[nodiscard]] Result<std::string> bracketed();

    /// Where an array of numbers ends, and what it holds.
    struct ArrayEnd {
        std::uint64_t end = 0;     // of the file: where ']' stands
        std::uint64_t counted = 0; // characters that were asked for
        bool lastIsComma = false;
        bool empty = true;
    };
    /// Passes all of an array of numbers; comments may stand in it. An error where it never ends. `counted`: which
    /// characters outside of comments are counted.
    [[nodiscard]] Result<ArrayEnd> passArray(char counted);

    [[nodiscard]] std::uint64_t position() const { return base_ + at_; }
    [[nodiscard]] std::uint64_t lineNumber() const { return line_; }
    [[nodiscard]] std::uint64_t column() const;
    [[nodiscard]] Error error(std::string what);

  private:
    [[nodiscard]] bool has(std::size_t count); // so many characters are in the window
    void advance(std::size_t count);
    void passLine();
    bool takeMarks(std::string& into, char mark);
    Result<std::string> written(bool oneBracket);

    Bytes bytes_;
    std::vector<char> window_;
    std::uint64_t base_ = 0; // position of the window's first character
    std::size_t at_ = 0;
    std::size_t filled_ = 0;
    std::uint64_t line_ = 1;
    std::int64_t lineStart_ = 0; // position of the line's first character
    bool newLine_ = false;
    std::uint64_t skippedTo_ = 0; // where the last skip() ended
    std::optional<Error> failed_;
};

/// Numbers of an array's text, one type after another; `count`: of values, as far as is known. Errors name line and
/// column.
[[nodiscard]] Result<std::vector<std::byte>> parseNumbers(const Type& type, std::string_view text, const Bytes& bytes,
                                                          std::uint64_t firstLine, std::uint64_t firstColumn,
                                                          std::uint64_t count);
/// One number of a base type from its characters; nothing where they are none, or none that it can hold.
[[nodiscard]] bool appendNumber(Base base, std::string_view text, std::vector<std::byte>& to);

} // namespace wyc::usd
