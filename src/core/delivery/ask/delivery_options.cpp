// SPDX-License-Identifier: GPL-3.0-or-later
#include "delivery/ask/delivery_options.h"

namespace wyc {
namespace {

using nlohmann::json;

template<class T> json orNone(const std::optional<T>& value) {
    return value ? json(*value) : json(nullptr);
}
std::optional<double> numberOrNone(const json& value) {
    return value.is_null() ? std::nullopt : std::optional(value.get<double>());
}

} // namespace

const std::vector<DeliveryOption>& deliveryOptions() {
    static const std::vector<DeliveryOption> kOptions{
        {{"whole_range", OptionKind::Switch, "", "all frames there are, not the shot's", false, {}},
         "whole-range",
         [](const DeliverySpec& s) { return json(s.wholeRange); },
         [](DeliverySpec& s, const json& v) { s.wholeRange = v; }},
        {{"handles", OptionKind::Number, "frames", "beyond both ends, instead of the shot's", nullptr, {}, 0.0, 1e6},
         "delivery-handles",
         [](const DeliverySpec& s) { return orNone(s.handles); },
         [](DeliverySpec& s, const json& v) { s.handles = numberOrNone(v); }},
        {{"lead", OptionKind::Number, "frames", "settling frames left out at the start", 0.0, {}, 0.0, 1e6},
         "lead",
         [](const DeliverySpec& s) { return json(s.lead); },
         [](DeliverySpec& s, const json& v) { s.lead = v; }},
        {{"frames", OptionKind::Text, "", "only these of the range, as 1009,1020:1024", "", {}},
         "frames",
         [](const DeliverySpec& s) { return json(s.frames); },
         [](DeliverySpec& s, const json& v) { s.frames = v; }},
        {{"length", OptionKind::Number, "frames", "exactly so many; fewer are refused", nullptr, {}, 1.0, 1e7},
         "length",
         [](const DeliverySpec& s) { return orNone(s.length); },
         [](DeliverySpec& s, const json& v) { s.length = numberOrNone(v); }},
        {{"world", OptionKind::Switch, "", "all transforms go into the points", false, {}},
         "world",
         [](const DeliverySpec& s) { return json(s.world); },
         [](DeliverySpec& s, const json& v) { s.world = v; }},
        {{"own_space",
          OptionKind::Switch,
          "",
          "points stay in their own space where the format has no transforms",
          false,
          {}},
         "own-space",
         [](const DeliverySpec& s) { return json(s.ownSpace); },
         [](DeliverySpec& s, const json& v) { s.ownSpace = v; }},
        {{"rate", OptionKind::Rate, "fps", "resample to this rate", nullptr, {}},
         "to-rate",
         [](const DeliverySpec& s) { return s.rate ? json(s.rate->text()) : json(nullptr); },
         [](DeliverySpec& s, const json& v) {
             s.rate = v.is_null() ? std::nullopt : std::optional(*FrameRate::parse(v.get<std::string>()));
         }},
        {{"resample", OptionKind::Choice, "", "between samples", "linear", {"linear", "nearest"}},
         "resample",
         [](const DeliverySpec& s) { return json(s.resample); },
         [](DeliverySpec& s, const json& v) { s.resample = v; }},
        {{"unit_metres", OptionKind::Unit, "", "convert to this unit", nullptr, {}},
         "to-unit",
         [](const DeliverySpec& s) { return orNone(s.unitMetres); },
         [](DeliverySpec& s, const json& v) {
             s.unitMetres = v.is_null() ? std::nullopt : std::optional(*parseUnit(v.get<std::string>()));
         }},
        {{"up_axis", OptionKind::Axis, "", "turn to this up axis", nullptr, {}},
         "to-up",
         [](const DeliverySpec& s) { return s.upAxis ? json(upAxisName(*s.upAxis)) : json(nullptr); },
         [](DeliverySpec& s, const json& v) {
             s.upAxis = v.is_null() ? std::nullopt : std::optional(*parseUpAxis(v.get<std::string>()));
         }},
        {{"first_frame",
          OptionKind::Frame,
          "",
          "number of the range's first frame in what is written",
          nullptr,
          {},
          -1e7,
          1e7},
         "first",
         [](const DeliverySpec& s) { return orNone(s.firstFrame); },
         [](DeliverySpec& s, const json& v) { s.firstFrame = numberOrNone(v); }},
        {{"one_file", OptionKind::Switch, "", "all items in one file, where the format can", false, {}},
         "one-file",
         [](const DeliverySpec& s) { return json(s.oneFile); },
         [](DeliverySpec& s, const json& v) { s.oneFile = v; }},
        {{"name_template",
          OptionKind::Text,
          "",
          "names: {shot} {item} {parent} {path} {version}",
          DeliverySpec().nameTemplate,
          {}},
         "template",
         [](const DeliverySpec& s) { return json(s.nameTemplate); },
         [](DeliverySpec& s, const json& v) { s.nameTemplate = v; }},
        {{"replace", OptionKind::Switch, "", "deliveries of the same items are replaced", false, {}},
         "replace",
         [](const DeliverySpec& s) { return json(s.replace); },
         [](DeliverySpec& s, const json& v) { s.replace = v; }},
    };
    return kOptions;
}

} // namespace wyc
