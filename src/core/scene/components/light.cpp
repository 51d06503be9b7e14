// SPDX-License-Identifier: GPL-3.0-or-later
#include "scene/components/light.h"

#include <cmath>

#include <fmt/format.h>

namespace wyc {
namespace {

constexpr std::array kNumbers{Meaning::LightColour, Meaning::LightIntensity, Meaning::LightExposure,
                              Meaning::LightConeDegrees};

// Numbers of a figure at a time, whether they are kept as float or as double; empty where it is not stated.
Result<std::vector<double>> numbersAt(const Node& node, Meaning meaning, double seconds) {
    const auto found = findMeaning(node.properties, meaning);
    std::vector<double> numbers;
    if (!found)
        return numbers;
    WYC_TRY(value, found->values->readAt(seconds, {found->role, nullptr}));
    if (elementSize(found->values->type()) != sizeof(float) && elementSize(found->values->type()) != sizeof(double))
        return fail(makeError(ErrorKind::BadInput, fmt::format("the {} of a light is no number", meaningName(meaning)))
                        .forItem(node.path));
    changeNumbers(found->values->type(), value, [&](auto all) { numbers.assign(all.begin(), all.end()); });
    return numbers;
}

} // namespace

std::array<double, 3> LightFigures::strength() const {
    const double factor = intensity.value_or(1.0) * std::exp2(exposure.value_or(0.0));
    std::array<double, 3> result = colour.value_or(std::array{1.0, 1.0, 1.0});
    for (double& part : result)
        part *= factor;
    return result;
}

Result<LightFigures> lightAt(const Scene& scene, std::size_t node, double seconds) {
    const Node& it = scene.nodes[node];
    LightFigures light;
    WYC_TRY(colour, numbersAt(it, Meaning::LightColour, seconds));
    if (colour.size() == 3)
        light.colour = {colour[0], colour[1], colour[2]};
    const auto one = [&](Meaning meaning, std::optional<double>& into) -> Status {
        WYC_TRY(numbers, numbersAt(it, meaning, seconds));
        if (numbers.size() == 1)
            into = numbers.front();
        return {};
    };
    WYC_CHECK(one(Meaning::LightIntensity, light.intensity));
    WYC_CHECK(one(Meaning::LightExposure, light.exposure));
    WYC_CHECK(one(Meaning::LightConeDegrees, light.coneDegrees));
    if (const auto kind = findMeaning(it.properties, Meaning::LightKind)) {
        WYC_TRY(words, stringsOf(*kind->values, 0));
        if (!words.empty())
            light.kind = words.front();
    }
    return light;
}

Sampling lightSampling(const Node& node) {
    Sampling result = Sampling::still();
    for (const Meaning meaning : kNumbers)
        if (const auto found = findMeaning(node.properties, meaning);
            found && found->values->sampling().count() > result.count())
            result = found->values->sampling();
    return result;
}

void setLight(Node& node, const Sampling& sampling, const std::vector<LightFigures>& samples) {
    node.kind = NodeKind::Light;
    std::vector<PropertyNode> list;
    const auto add = [&](Meaning meaning, const char* name, auto&& numbersOf) {
        std::vector<std::vector<double>> numbers;
        for (const LightFigures& light : samples) {
            numbers.push_back(numbersOf(light));
            if (numbers.back().empty())
                return;
        }
        const auto extent = static_cast<std::uint32_t>(numbers.front().size());
        list.push_back(plainProperty(meaning, name, memoryValues(ValueType::Double, extent, false, sampling, numbers)));
    };
    const auto single = [](const std::optional<double>& figure) {
        return figure ? std::vector<double>{*figure} : std::vector<double>();
    };
    if (samples.empty())
        return;
    add(Meaning::LightColour, "colour", [](const LightFigures& light) {
        return light.colour ? std::vector<double>(light.colour->begin(), light.colour->end()) : std::vector<double>();
    });
    add(Meaning::LightIntensity, "intensity", [&](const LightFigures& light) { return single(light.intensity); });
    add(Meaning::LightExposure, "exposure", [&](const LightFigures& light) { return single(light.exposure); });
    add(Meaning::LightConeDegrees, "cone", [&](const LightFigures& light) { return single(light.coneDegrees); });
    if (const std::string& kind = samples.front().kind; !kind.empty()) {
        std::vector<char> text(kind.begin(), kind.end());
        text.push_back('\0');
        list.push_back(plainProperty(
            Meaning::LightKind, "kind",
            memoryValues(ValueType::String, 1, false, Sampling::still(), std::vector<std::vector<char>>{text})));
    }
    node.properties = plainProperties(std::move(list));
}

} // namespace wyc
