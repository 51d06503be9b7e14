// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/layer/array_edit.h"

#include <limits>

#include "base/text.h"
#include "formats/usd/text/lexer.h"
#include "formats/usd/text/number_words.h"

namespace wyc::usd {
namespace {

// An instruction is a code in the highest byte and below it how many pairs follow: number of a value, and where it is
// put, the end being the least of all numbers.
constexpr std::int64_t kPut = 2;
constexpr int kCodeBits = 56;
constexpr std::int64_t kAtEnd = std::numeric_limits<std::int64_t>::min();

} // namespace

std::string wordsOf(const ArrayEdit& edit) {
    const std::size_t size = sizeOf(edit.type.single());
    if (size == 0 || !edit.values)
        return {};
    std::string words;
    for (std::size_t i = 0; i < edit.instructions.size();) {
        const std::int64_t head = edit.instructions[i++];
        const std::int64_t pairs = head & ((std::int64_t{1} << kCodeBits) - 1);
        if (head >> kCodeBits != kPut)
            return {};
        for (std::int64_t k = 0; k < pairs; ++k, i += 2) {
            if (i + 1 >= edit.instructions.size())
                return {};
            const std::int64_t which = edit.instructions[i];
            const std::int64_t where = edit.instructions[i + 1];
            if (which < 0 || static_cast<std::size_t>(which) >= edit.values->size() / size ||
                (where != 0 && where != kAtEnd))
                return {};
            words += words.empty() ? "[" : "; ";
            words += where == 0 ? "prepend " : "append ";
            appendValueWords(edit.type.single(),
                             std::span(*edit.values).subspan(static_cast<std::size_t>(which) * size, size), words);
        }
    }
    return words.empty() ? words : words + "]";
}

std::optional<ArrayEdit> withInstructions(const ArrayEdit& edit) {
    if (edit.values)
        return edit;
    const std::string_view words = trimmed(edit.words);
    if (words.size() < 2 || words.front() != '[' || words.back() != ']' || edit.type.count != 1)
        return std::nullopt;
    std::vector<std::byte> values;
    std::vector<std::int64_t> pairs;
    for (const std::string& statement : splitText(words.substr(1, words.size() - 2), ';')) {
        std::string_view left = trimmed(statement);
        const bool front = left.starts_with("prepend ");
        if (!front && !left.starts_with("append "))
            return std::nullopt;
        left = trimmed(left.substr(left.find(' ')));
        pairs.push_back(static_cast<std::int64_t>(values.size() / sizeOf(edit.type.single())));
        pairs.push_back(front ? 0 : kAtEnd);
        if (!appendNumber(edit.type.base, left, values))
            return std::nullopt;
    }
    ArrayEdit made = edit;
    made.values = std::make_shared<const std::vector<std::byte>>(std::move(values));
    made.instructions = {kPut << kCodeBits | static_cast<std::int64_t>(pairs.size() / 2)};
    made.instructions.insert(made.instructions.end(), pairs.begin(), pairs.end());
    return made;
}

} // namespace wyc::usd
