// SPDX-License-Identifier: GPL-3.0-or-later
#include "scene/named_files.h"

#include <algorithm>
#include <set>

#include <fmt/format.h>

#include "base/text.h"

namespace wyc {
namespace {

std::string itemOf(const Material& material) {
    return fmt::format("material '{}'", validUtf8(material.name));
}

// Texts that name files, under other names.
class OtherNames final : public ValuesWrapper {
  public:
    OtherNames(ValuesPtr inner, std::map<std::string, FileName> names)
        : ValuesWrapper(std::move(inner)), names_(std::move(names)) {
        for (const auto& [path, file] : *ValuesWrapper::inner().files()) {
            const auto other = names_.find(path);
            files_.insert_or_assign(other == names_.end() ? path : other->second.path,
                                    other == names_.end() ? file : other->second.file);
        }
    }
    [[nodiscard]] Result<PropertyValue> read(std::size_t sample) const override {
        return renamed(inner().read(sample));
    }
    [[nodiscard]] Result<PropertyValue> readAt(double seconds, const ValueMix& how) const override {
        return renamed(inner().readAt(seconds, how));
    }
    [[nodiscard]] const std::map<std::string, std::string>* files() const override { return &files_; }

  private:
    Result<PropertyValue> renamed(Result<PropertyValue> value) const {
        if (!value)
            return value;
        PropertyValue result;
        for (const std::string& text : stringsOf(inner().type(), value->bytes)) {
            const auto other = names_.find(text);
            const std::string& now = other == names_.end() ? text : other->second.path;
            const auto raw = std::as_bytes(std::span(now.c_str(), now.size() + 1));
            result.bytes.insert(result.bytes.end(), raw.begin(), raw.end());
        }
        return result;
    }
    std::map<std::string, FileName> names_; // by what they are called inside
    std::map<std::string, std::string> files_;
};

void collect(const std::vector<PropertyNode>& list, const std::string& item, std::set<NamedFile>& into) {
    for (const PropertyNode& property : list) {
        if (const auto* files = property.values ? property.values->files() : nullptr)
            for (const auto& [path, file] : *files)
                into.insert({item, path, file});
        collect(property.children, item, into);
    }
}

PropertiesPtr renamed(const PropertiesPtr& properties, const std::string& item, const NameFile& name) {
    std::set<NamedFile> any;
    if (properties)
        collect(properties->all(), item, any);
    if (std::none_of(any.begin(), any.end(), [&](const NamedFile& one) { return name(one).has_value(); }))
        return properties;
    return changedProperties(
        properties, [item, name](const PropertyNode& property, const PropertyNode*, const std::string&) -> ValuesPtr {
            const auto* files = property.values->files();
            std::map<std::string, FileName> names;
            for (const auto& [path, file] : files ? *files : std::map<std::string, std::string>())
                if (auto other = name({item, path, file}))
                    names.emplace(path, std::move(*other));
            if (names.empty())
                return property.values;
            return std::make_shared<OtherNames>(property.values, std::move(names));
        });
}

} // namespace

std::vector<NamedFile> filesNamed(const Scene& scene) {
    std::set<NamedFile> all;
    for (const Material& material : scene.materials) {
        for (const auto& [what, input] : kLookInputs)
            if (const LookInput& one = material.look.*input; !one.texture.empty())
                all.insert({itemOf(material), one.texture, one.file});
        if (material.graph)
            collect(material.graph->all(), itemOf(material), all);
    }
    for (const Node& node : scene.nodes)
        if (node.properties)
            collect(node.properties->all(), node.path, all);
    return {all.begin(), all.end()};
}

Scene withFilesNamed(Scene scene, const NameFile& name) {
    for (Material& material : scene.materials) {
        for (const auto& [what, input] : kLookInputs) {
            LookInput& one = material.look.*input;
            if (auto other = one.texture.empty() ? std::nullopt : name({itemOf(material), one.texture, one.file})) {
                one.texture = std::move(other->path);
                one.file = std::move(other->file);
            }
        }
        if (material.graph)
            material.graph = renamed(material.graph, itemOf(material), name);
    }
    for (Node& node : scene.nodes)
        if (node.properties)
            node.properties = renamed(node.properties, node.path, name);
    return scene;
}

} // namespace wyc
