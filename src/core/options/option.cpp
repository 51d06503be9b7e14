// SPDX-License-Identifier: GPL-3.0-or-later
#include "options/option.h"

#include <algorithm>
#include <cmath>

#include <fmt/format.h>
#include <fmt/ranges.h>

#include "base/text.h"
#include "maths/units.h"
#include "time/frame_rate.h"

namespace wyc {

using nlohmann::json;

Result<json> checkedValue(const Option& option, const json& value) {
    const auto refuse = [&](std::string_view wanted) {
        return fail(makeError(ErrorKind::BadInput,
                              fmt::format("option '{}' is {}; it takes {}", option.name,
                                          value.dump(-1, ' ', false, json::error_handler_t::replace), wanted)));
    };
    if (value.is_null() && option.standard.is_null())
        return value;
    switch (option.kind) {
    case OptionKind::Number:
    case OptionKind::WholeNumber:
    case OptionKind::Frame: {
        if (!value.is_number())
            return refuse("a number");
        const double number = value.get<double>();
        if (!std::isfinite(number) || number < option.least || number > option.most)
            return refuse(fmt::format("{} to {}", shortestNumber(option.least), shortestNumber(option.most)));
        if (option.kind == OptionKind::WholeNumber && number != std::round(number))
            return refuse("a whole number");
        return json(number);
    }
    case OptionKind::Rate: {
        const std::string text = value.is_number()   ? shortestNumber(value.get<double>())
                                 : value.is_string() ? value.get<std::string>()
                                                     : "";
        WYC_TRY(rate, FrameRate::parse(text));
        return json(rate.text());
    }
    case OptionKind::Unit: {
        const std::string text = value.is_number()   ? shortestNumber(value.get<double>())
                                 : value.is_string() ? value.get<std::string>()
                                                     : "";
        WYC_CHECK(parseUnit(text));
        return json(text);
    }
    case OptionKind::Axis: {
        if (!value.is_string())
            return refuse("X, Y or Z");
        WYC_TRY(axis, parseUpAxis(value.get<std::string>()));
        return json(upAxisName(axis));
    }
    case OptionKind::Choice: {
        const bool known = value.is_string() && std::find(option.choices.begin(), option.choices.end(),
                                                          value.get<std::string>()) != option.choices.end();
        return known ? Result<json>(value) : refuse(fmt::format("{}", fmt::join(option.choices, ", ")));
    }
    case OptionKind::Curve:
    case OptionKind::Weights:
    case OptionKind::File:
    case OptionKind::Folder:
    case OptionKind::Text: return value.is_string() ? Result<json>(value) : refuse("a text");
    case OptionKind::Texts:
        if (!value.is_array() ||
            std::any_of(value.begin(), value.end(), [](const json& one) { return !one.is_string(); }))
            return refuse("a list of texts");
        return value;
    case OptionKind::Switch: return value.is_boolean() ? Result<json>(value) : refuse("true or false");
    }
    return fail(ErrorKind::Internal, "unknown option kind");
}

const char* optionKindName(OptionKind kind) {
    switch (kind) {
    case OptionKind::Number: return "number";
    case OptionKind::WholeNumber: return "whole number";
    case OptionKind::Frame: return "frame";
    case OptionKind::Rate: return "rate";
    case OptionKind::Unit: return "unit";
    case OptionKind::Axis: return "axis";
    case OptionKind::Choice: return "choice";
    case OptionKind::Text: return "text";
    case OptionKind::Texts: return "texts";
    case OptionKind::File: return "file";
    case OptionKind::Folder: return "folder";
    case OptionKind::Curve: return "curve";
    case OptionKind::Weights: return "weights";
    case OptionKind::Switch: return "switch";
    }
    return "";
}

const Option* optionNamed(const Options& options, std::string_view name) {
    const auto found = std::find_if(options.begin(), options.end(), [&](const Option& o) { return o.name == name; });
    return found == options.end() ? nullptr : &*found;
}

Result<json> checkedOptions(std::string_view whose, const Options& options, const json& given) {
    if (!given.is_object())
        return fail(makeError(ErrorKind::BadInput, fmt::format("the options of {} are no object", whose)));
    json result = json::object();
    for (const Option& option : options) {
        const auto found = given.find(option.name);
        auto value = checkedValue(option, found == given.end() ? option.standard : *found);
        if (!value) {
            value.error().what = fmt::format("{}: {}", whose, value.error().what);
            return fail(std::move(value.error()));
        }
        result[std::string(option.name)] = *value;
    }
    for (const auto& [name, value] : given.items())
        if (!result.contains(name))
            return fail(makeError(ErrorKind::BadInput, fmt::format("{} has no option '{}'", whose, name)));
    return result;
}

json typedValue(const Option& option, const std::string& text) {
    if (option.standard.is_null() && text == "none")
        return nullptr;
    if (option.kind == OptionKind::Switch && (text == "true" || text == "false"))
        return text == "true";
    if (option.kind == OptionKind::Texts) {
        json list = json::array();
        std::string all = text;
        std::replace(all.begin(), all.end(), '\n', ';');
        for (const std::string& one : splitText(all, ';'))
            if (const std::string_view kept = trimmed(one); !kept.empty())
                list.push_back(std::string(kept));
        return list;
    }
    const auto number = parseNumber(text);
    return option.isNumber() && number ? json(*number) : json(text);
}

std::string typedText(const Option& option, const json& value) {
    if (value.is_null())
        return "none";
    if (option.kind == OptionKind::Texts && value.is_array()) {
        std::vector<std::string> list;
        for (const json& one : value)
            list.push_back(one.is_string() ? one.get<std::string>() : one.dump());
        return fmt::format("{}", fmt::join(list, "; "));
    }
    return value.is_number()   ? shortestNumber(value.get<double>())
           : value.is_string() ? value.get<std::string>()
                               : value.dump();
}

} // namespace wyc
