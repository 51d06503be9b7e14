// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/compose/expression.h"

#include <algorithm>
#include <vector>

#include "base/text.h"

namespace wyc::usd {
namespace {

// A value of an expression: a text, a truth, a whole number, a list of texts or none.
struct Term {
    enum class Of { None, Text, Truth, Number, List } of = Of::None;
    std::string text = {};
    std::int64_t number = 0;
    std::vector<Term> list = {};
    bool operator==(const Term& other) const {
        return of == other.of && text == other.text && number == other.number && list == other.list;
    }
};

class Expression {
  public:
    Expression(std::string_view text, const Dictionary* variables) : text_(text), variables_(variables) {}

    std::optional<Term> whole() {
        auto result = term(0);
        space();
        return at_ == text_.size() ? result : std::nullopt;
    }

  private:
    void space() {
        while (at_ < text_.size() && (text_[at_] == ' ' || text_[at_] == '\t'))
            ++at_;
    }
    bool take(char c) {
        space();
        if (at_ >= text_.size() || text_[at_] != c)
            return false;
        ++at_;
        return true;
    }
    std::string name() {
        std::string result;
        while (at_ < text_.size() &&
               (std::isalnum(static_cast<unsigned char>(text_[at_])) != 0 || text_[at_] == '_' || text_[at_] == ':'))
            result += text_[at_++];
        return result;
    }
    std::optional<Term> variable(const std::string& called) const {
        const Value* value = entryOf(variables_, called);
        if (!value)
            return std::nullopt;
        if (value->text()) {
            // A variable may be an expression, too; not of itself.
            if (value->text()->starts_with('`'))
                return std::nullopt;
            return Term{Term::Of::Text, *value->text()};
        }
        const Data* data = value->data();
        if (data && data->texts) {
            Term list{Term::Of::List};
            for (const std::string& one : *data->texts)
                list.list.push_back({Term::Of::Text, one});
            return list;
        }
        const auto number = value->number();
        if (!number)
            return std::nullopt;
        if (data->type.base == Base::Bool)
            return Term{Term::Of::Truth, {}, *number != 0.0};
        const auto whole = wholesOf(*value);
        return whole ? std::optional(Term{Term::Of::Number, {}, whole->front()}) : std::nullopt;
    }
    std::optional<Term> quoted(char mark) {
        Term result{Term::Of::Text};
        while (at_ < text_.size() && text_[at_] != mark) {
            if (text_[at_] == '\\' && at_ + 1 < text_.size()) {
                result.text += text_[at_ + 1];
                at_ += 2;
            } else if (text_[at_] == '$' && at_ + 1 < text_.size() && text_[at_ + 1] == '{') {
                at_ += 2;
                const auto held = variable(name());
                if (!held || !take('}') || held->of != Term::Of::Text)
                    return std::nullopt;
                result.text += held->text;
            } else {
                result.text += text_[at_++];
            }
        }
        return take(mark) ? std::optional(result) : std::nullopt;
    }
    std::optional<Term> term(int depth) {
        if (depth > 64)
            return std::nullopt;
        space();
        if (at_ >= text_.size())
            return std::nullopt;
        const char c = text_[at_];
        if (c == '"' || c == '\'') {
            ++at_;
            return quoted(c);
        }
        if (c == '$') {
            at_ += 1;
            if (!take('{'))
                return std::nullopt;
            auto held = variable(name());
            return take('}') ? held : std::nullopt;
        }
        if (c == '[') {
            ++at_;
            Term list{Term::Of::List};
            if (take(']'))
                return list;
            do {
                auto one = term(depth + 1);
                if (!one)
                    return std::nullopt;
                list.list.push_back(std::move(*one));
            } while (take(','));
            return take(']') ? std::optional(list) : std::nullopt;
        }
        if (c == '-' || (c >= '0' && c <= '9')) {
            std::string digits(1, c);
            ++at_;
            while (at_ < text_.size() && text_[at_] >= '0' && text_[at_] <= '9')
                digits += text_[at_++];
            const auto number = parseInteger(digits);
            return number ? std::optional(Term{Term::Of::Number, {}, *number}) : std::nullopt;
        }
        const std::string word = name();
        const std::string lower = lowerCase(word);
        if (lower == "true" || lower == "false")
            return Term{Term::Of::Truth, {}, lower == "true"};
        if (lower == "none")
            return Term{};
        return function(word, depth);
    }
    std::optional<Term> function(const std::string& called, int depth) {
        if (!take('('))
            return std::nullopt;
        if (called == "defined") {
            bool all = true;
            do {
                space();
                std::string which;
                if (take('"') || take('\'')) {
                    which = name();
                    ++at_;
                } else {
                    which = name();
                }
                all = all && entryOf(variables_, which);
            } while (take(','));
            return take(')') ? std::optional(Term{Term::Of::Truth, {}, all}) : std::nullopt;
        }
        std::vector<Term> given;
        if (!take(')')) {
            do {
                auto one = term(depth + 1);
                if (!one)
                    return std::nullopt;
                given.push_back(std::move(*one));
            } while (take(','));
            if (!take(')'))
                return std::nullopt;
        }
        const auto truth = [](bool is) { return Term{Term::Of::Truth, {}, is}; };
        const auto isTrue = [](const Term& t) { return t.of == Term::Of::Truth && t.number != 0; };
        if (called == "if" && (given.size() == 2 || given.size() == 3) && given[0].of == Term::Of::Truth)
            return isTrue(given[0]) ? given[1] : given.size() == 3 ? given[2] : Term{};
        if (called == "eq" && given.size() == 2)
            return truth(given[0] == given[1]);
        if (called == "neq" && given.size() == 2)
            return truth(!(given[0] == given[1]));
        if (called == "and" && given.size() >= 2)
            return truth(std::all_of(given.begin(), given.end(), isTrue));
        if (called == "or" && given.size() >= 2)
            return truth(std::any_of(given.begin(), given.end(), isTrue));
        if (called == "not" && given.size() == 1 && given[0].of == Term::Of::Truth)
            return truth(!isTrue(given[0]));
        if (called == "contains" && given.size() == 2) {
            if (given[0].of == Term::Of::List)
                return truth(std::find(given[0].list.begin(), given[0].list.end(), given[1]) != given[0].list.end());
            if (given[0].of == Term::Of::Text && given[1].of == Term::Of::Text)
                return truth(given[0].text.find(given[1].text) != std::string::npos);
        }
        return std::nullopt;
    }

    std::string_view text_;
    const Dictionary* variables_;
    std::size_t at_ = 0;
};

} // namespace

std::optional<std::string> evaluatedExpression(const std::string& written, const Dictionary* variables) {
    if (written.size() < 2 || written.front() != '`' || written.back() != '`')
        return std::nullopt;
    const auto result = Expression(std::string_view(written).substr(1, written.size() - 2), variables).whole();
    if (!result)
        return std::nullopt;
    if (result->of == Term::Of::None)
        return std::string();
    return result->of == Term::Of::Text ? std::optional(result->text) : std::nullopt;
}

} // namespace wyc::usd
