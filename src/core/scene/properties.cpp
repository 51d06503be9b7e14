// SPDX-License-Identifier: GPL-3.0-or-later
#include "scene/properties.h"

#include <algorithm>
#include <array>

namespace wyc {
namespace {

void appendUtf8(std::string& text, std::uint32_t code) {
    const auto tail = [&](unsigned shift) { text += static_cast<char>(0x80 | ((code >> shift) & 63)); };
    if (code < 0x80) {
        text += static_cast<char>(code);
    } else if (code < 0x800) {
        text += static_cast<char>(0xC0 | (code >> 6));
        tail(0);
    } else if (code < 0x10000) {
        text += static_cast<char>(0xE0 | (code >> 12));
        tail(6);
        tail(0);
    } else {
        text += static_cast<char>(0xF0 | ((code >> 18) & 7));
        tail(12);
        tail(6);
        tail(0);
    }
}

class ChangedProperties final : public Properties {
  public:
    ChangedProperties(PropertiesPtr inner, PropertyChange change)
        : inner_(std::move(inner)), change_(std::move(change)) {}
    [[nodiscard]] std::vector<PropertyNode> all() const override {
        std::vector<PropertyNode> list = inner_->all();
        changeList(list, {});
        return list;
    }
    [[nodiscard]] const Geometry* shape() const override { return inner_->shape(); }
    [[nodiscard]] const Transform* transform() const override { return inner_->transform(); }
    [[nodiscard]] const std::map<std::string, std::string>& metadata() const override { return inner_->metadata(); }

  private:
    void changeList(std::vector<PropertyNode>& list, const std::string& path) const {
        const std::vector<PropertyNode> before = list;
        std::vector<PropertyNode> after;
        for (PropertyNode& property : list) {
            const bool group = !property.values;
            if (group)
                changeList(property.children, path.empty() ? property.name : path + "/" + property.name);
            else
                property.values = change_(property, path, before);
            if (group || property.values)
                after.push_back(std::move(property));
        }
        list = std::move(after);
    }
    PropertiesPtr inner_;
    PropertyChange change_;
};

} // namespace

std::size_t elementSize(ValueType type) {
    constexpr std::array<std::size_t, 14> kSizes{1, 1, 1, 2, 2, 4, 4, 8, 8, 2, 4, 8, 0, 0};
    return kSizes[static_cast<std::size_t>(type)];
}

const PropertyNode* PropertyNode::child(std::string_view childName) const {
    const auto found =
        std::find_if(children.begin(), children.end(), [&](const PropertyNode& p) { return p.name == childName; });
    return found == children.end() ? nullptr : &*found;
}

PropertiesPtr changedProperties(PropertiesPtr inner, PropertyChange change) {
    return inner ? std::make_shared<ChangedProperties>(std::move(inner), std::move(change)) : nullptr;
}

std::optional<PropertyNode> findProperty(const PropertiesPtr& properties, std::string_view path) {
    if (!properties)
        return std::nullopt;
    PropertyNode top;
    top.children = properties->all();
    const PropertyNode* at = &top;
    while (at && !path.empty()) {
        const auto slash = path.find('/');
        at = at->child(path.substr(0, slash));
        path = slash == std::string_view::npos ? std::string_view() : path.substr(slash + 1);
    }
    if (!at || (at->values && at->values->sampling().count() == 0))
        return std::nullopt;
    return *at;
}

std::vector<std::string> stringsOf(ValueType type, std::span<const std::byte> bytes) {
    std::vector<std::string> result;
    const std::size_t unit = type == ValueType::WideString ? 4 : 1;
    std::string text;
    for (std::size_t i = 0; i + unit <= bytes.size(); i += unit) {
        std::uint32_t code = 0;
        std::memcpy(&code, bytes.data() + i, unit);
        if (code == 0) {
            result.push_back(std::move(text));
            text.clear();
        } else if (unit == 1) {
            text += static_cast<char>(code);
        } else {
            appendUtf8(text, code);
        }
    }
    if (!text.empty())
        result.push_back(std::move(text));
    return result;
}

Result<std::vector<std::string>> stringsOf(const SampledValues& values, std::size_t sample) {
    if (elementSize(values.type()) != 0)
        return fail(ErrorKind::BadInput, "a property holds numbers where text is needed");
    WYC_TRY(value, values.read(sample));
    return stringsOf(values.type(), value.bytes);
}

SpaceRole roleOf(const PropertyNode& property, const std::string& path) {
    if (!property.values)
        return SpaceRole::None;
    const SampledValues& values = *property.values;
    const bool real = values.type() == ValueType::Float || values.type() == ValueType::Double;
    if (!real)
        return SpaceRole::None;
    const std::string& name = property.name;
    if (name == ".core" && values.extent() == 16)
        return SpaceRole::CameraCore;
    if ((name == ".childBnds" || name == ".selfBnds") && values.extent() == 6)
        return SpaceRole::Box;
    const bool below = path == ".geom" || path.starts_with(".geom/");
    if (!below)
        return SpaceRole::None;
    // A parameter that is indexed keeps its values one group further down.
    const std::string parent = path.substr(path.rfind('/') + 1);
    if (name == ".widths" || name == "width" || (name == ".vals" && (parent == ".widths" || parent == "width")))
        return SpaceRole::Length;
    if (values.extent() != 3)
        return SpaceRole::None;
    if (name == "P")
        return SpaceRole::Position;
    if (name == ".velocities")
        return SpaceRole::Velocity;
    if (name == "N" || parent == "N")
        return SpaceRole::Normal;
    const auto said = property.metadata.find("interpretation");
    if (path.find(".arbGeomParams") == std::string::npos || said == property.metadata.end())
        return SpaceRole::None;
    if (said->second == "vector") {
        const std::string& its = name == ".vals" ? parent : name;
        return its == "v" || its == "velocity" ? SpaceRole::Velocity : SpaceRole::Vector;
    }
    return said->second == "point"    ? SpaceRole::Position
           : said->second == "normal" ? SpaceRole::Normal
                                      : SpaceRole::None;
}

Sampling::Position locateIn(const SampledValues& values, double seconds, const FrameRate& rate) {
    const Sampling& sampling = values.sampling();
    return sampling.count() < 2 ? Sampling::Position{} : sampling.locate(seconds, rate);
}

} // namespace wyc
