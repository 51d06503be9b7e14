// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/abc/properties_read.h"

namespace wyc::abc {
namespace {

using ArchivePtr = std::shared_ptr<const Archive>;

class ArchiveValues final : public SampledValues {
  public:
    ArchiveValues(ArchivePtr archive, const Property& property)
        : archive_(std::move(archive)), property_(property), sampling_(archive_->samplingOf(property)) {}
    [[nodiscard]] ValueType type() const override { return property_.pod; }
    [[nodiscard]] std::uint32_t extent() const override { return property_.extent; }
    [[nodiscard]] bool isArray() const override { return property_.kind == Property::Kind::Array; }
    [[nodiscard]] const Sampling& sampling() const override { return sampling_; }
    [[nodiscard]] Result<PropertyValue> read(std::size_t sample) const override {
        WYC_CHECK(archive_->container().file().verifyUnchanged());
        PropertyValue value;
        WYC_TRY(bytes, archive_->bytes(property_, sample));
        WYC_TRY(dimensions, archive_->dimensions(property_, sample));
        value.bytes = std::move(bytes);
        value.dimensions = std::move(dimensions);
        return value;
    }
    [[nodiscard]] bool constant() const override { return property_.constant || property_.sampleCount < 2; }
    [[nodiscard]] std::optional<std::uint64_t> token(std::size_t sample) const override {
        return property_.storedIndex(sample);
    }

  private:
    ArchivePtr archive_;
    const Property& property_; // lives as long as the archive
    Sampling sampling_;
};

class ArchiveProperties final : public Properties {
  public:
    ArchiveProperties(ArchivePtr archive, std::size_t object, GeometryPtr shape, TransformPtr transform)
        : archive_(std::move(archive)),
          object_(archive_->objects()[object]),
          shape_(std::move(shape)),
          transform_(std::move(transform)) {}
    [[nodiscard]] std::vector<PropertyNode> all() const override { return nodesOf(object_.properties, {}); }
    [[nodiscard]] const Geometry* shape() const override { return shape_.get(); }
    [[nodiscard]] const Transform* transform() const override { return transform_.get(); }
    [[nodiscard]] const Metadata& metadata() const override { return object_.metadata; }

  private:
    [[nodiscard]] std::vector<PropertyNode> nodesOf(const std::vector<Property>& list, const std::string& path) const {
        std::vector<PropertyNode> result;
        result.reserve(list.size());
        for (const Property& property : list) {
            PropertyNode node;
            node.name = property.name;
            node.metadata = property.metadata;
            if (property.kind == Property::Kind::Compound)
                node.children = nodesOf(property.children, path.empty() ? property.name : path + "/" + property.name);
            else
                node.values = std::make_shared<ArchiveValues>(archive_, property);
            node.role = roleOf(node, path);
            result.push_back(std::move(node));
        }
        return result;
    }
    ArchivePtr archive_;
    const Object& object_;
    GeometryPtr shape_;
    TransformPtr transform_;
};

} // namespace

PropertiesPtr propertiesOf(std::shared_ptr<const Archive> archive, std::size_t object, const GeometryPtr& shape,
                           const TransformPtr& transform) {
    return std::make_shared<ArchiveProperties>(std::move(archive), object, shape, transform);
}

} // namespace wyc::abc
