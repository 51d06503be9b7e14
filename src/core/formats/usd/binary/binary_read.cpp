// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/binary/binary_read.h"

#include <algorithm>
#include <unordered_map>
#include <unordered_set>

#include <fmt/format.h>

#include "base/text.h"
#include "formats/usd/binary/container.h"
#include "formats/usd/binary/value_kinds.h"
#include "formats/usd/layer/path.h"

namespace wyc::usd {
namespace {

// More than this many things for each byte of the file are claimed by damage only.
constexpr std::uint64_t kSpecsToBeginWith = 250'000;
constexpr std::uint64_t kSpecsAByte = 16;

class Builder {
  public:
    Builder(std::shared_ptr<Container> container, Layer& layer) : container_(std::move(container)), layer_(layer) {}

    Status build() {
        const auto& specs = container_->specs();
        if (specs.size() > kSpecsToBeginWith + kSpecsAByte * container_->bytes().size())
            return fail(container_->damage(0, fmt::format("{} prims and properties are said to be in {}", specs.size(),
                                                          sizeText(container_->bytes().size()))));
        prims_.reserve(specs.size());
        prims_.emplace("/", layer_.root.get());
        for (const auto& spec : specs)
            if (!seen_.insert(spec.path).second)
                return fail(container_->damage(0, fmt::format("{} stands there twice", pathOf(spec))));
        // Those above come first, in whatever order the table has them.
        std::vector<const Container::SpecRow*> prims;
        for (const auto& spec : specs)
            if (spec.kind == kPrimSpec || spec.kind == kVariantSpec || spec.kind == kVariantSetSpec ||
                spec.kind == kRootSpec)
                prims.push_back(&spec);
        std::stable_sort(prims.begin(), prims.end(),
                         [&](const auto* a, const auto* b) { return pathOf(*a).size() < pathOf(*b).size(); });
        for (const auto* spec : prims)
            WYC_CHECK(addPrim(*spec));
        for (const auto& spec : specs)
            if (spec.kind == kAttributeSpec || spec.kind == kRelationshipSpec)
                WYC_CHECK(addProperty(spec));
        finish(*layer_.root);
        return {};
    }

  private:
    const std::string& pathOf(const Container::SpecRow& spec) const { return container_->paths()[spec.path]; }

    Result<Fields> fieldsOf(const Container::SpecRow& spec) {
        Fields fields;
        const auto& sets = container_->fieldSets();
        for (std::size_t i = spec.fieldSet; i < sets.size() && sets[i] != ~0U; ++i) {
            const Container::FieldRow& row = container_->fields()[sets[i]];
            auto kept = values_.find(row.value.bits);
            if (kept == values_.end()) {
                auto value = container_->value(row.value);
                if (!value)
                    return fail(std::move(value.error()).forItem(pathOf(spec)));
                kept = values_.emplace(row.value.bits, std::move(*value)).first;
            }
            fields.push_back({container_->tokens()[row.name], kept->second});
            if (fields.size() > 100'000)
                return fail(container_->damage(0, fmt::format("{} has more than 100,000 fields", pathOf(spec))));
        }
        return fields;
    }

    Status addPrim(const Container::SpecRow& spec) {
        const std::string& path = pathOf(spec);
        if (spec.kind == kRootSpec) {
            if (path != "/")
                return fail(container_->damage(0, "the layer itself does not stand at its root"));
            WYC_TRY(fields, fieldsOf(spec));
            layer_.root->fields = std::move(fields);
            return {};
        }
        if (spec.kind == kVariantSetSpec)
            return addVariantSet(spec);
        const bool variant = path.ends_with('}');
        if (path == "/" || variant != (spec.kind == kVariantSpec))
            return fail(container_->damage(0, fmt::format("{} is no place for a prim", path)));
        PrimSpec* parent = primAt(parentPath(path));
        if (!parent)
            return fail(container_->damage(0, fmt::format("what is above {} is missing", path)));
        auto prim = std::make_unique<PrimSpec>();
        WYC_TRY(fields, fieldsOf(spec));
        prim->fields = std::move(fields);
        PrimSpec* made = prim.get();
        if (variant) {
            const std::size_t open = path.rfind('{');
            const std::size_t equals = path.find('=', open);
            if (equals == std::string::npos)
                return fail(container_->damage(0, fmt::format("{} names no choice", path)));
            prim->name = path.substr(equals + 1, path.size() - equals - 2);
            setOf(*parent, path.substr(open + 1, equals - open - 1)).variants.push_back(std::move(prim));
        } else {
            prim->name = lastName(path);
            parent->children.push_back(std::move(prim));
        }
        if (std::count(path.begin(), path.end(), '/') > kDeepest)
            return fail(container_->damage(0, fmt::format("prims are nested more than {} deep", kDeepest)));
        prims_.emplace(path, made);
        return {};
    }

    // "/A{set=}"
    Status addVariantSet(const Container::SpecRow& spec) {
        const std::string& path = pathOf(spec);
        const std::size_t open = path.rfind('{');
        PrimSpec* prim = open == std::string::npos || !path.ends_with("=}") ? nullptr : primAt(path.substr(0, open));
        if (!prim)
            return fail(container_->damage(0, fmt::format("{} is no place for a variant set", path)));
        (void)setOf(*prim, path.substr(open + 1, path.size() - open - 3));
        return {};
    }

    static VariantSetSpec& setOf(PrimSpec& prim, const std::string& name) {
        for (VariantSetSpec& set : prim.variantSets)
            if (set.name == name)
                return set;
        prim.variantSets.push_back({name, {}});
        return prim.variantSets.back();
    }

    PrimSpec* primAt(const std::string& path) {
        const auto found = prims_.find(path);
        return found == prims_.end() ? nullptr : found->second;
    }

    Status addProperty(const Container::SpecRow& spec) {
        const std::string& path = pathOf(spec);
        const std::string part = propertyPartOf(path);
        PrimSpec* prim = part.size() > 1 ? primAt(path.substr(0, path.size() - part.size())) : nullptr;
        if (!prim || part.front() != '.' || part.find('[') != std::string::npos)
            return fail(container_->damage(0, fmt::format("{} is no place for a property", path)));
        WYC_TRY(fields, fieldsOf(spec));
        // What targets have of their own is said by the lists of them.
        std::erase_if(fields, [](const Field& field) {
            return field.name == "targetChildren" || field.name == "connectionChildren";
        });
        prim->properties.push_back({part.substr(1), spec.kind == kRelationshipSpec, std::move(fields)});
        return {};
    }

    // As the layer lists them.
    template<class List, class Name> static void order(List& list, const Value* names, const Name& nameOf) {
        std::unordered_map<std::string, std::size_t> at;
        std::size_t count = 0;
        if (names)
            for (const std::string& name : textsOf(*names))
                at.emplace(name, count++);
        const auto place = [&](const auto& item) {
            const auto found = at.find(nameOf(item));
            return found == at.end() ? count : found->second;
        };
        std::stable_sort(list.begin(), list.end(), [&](const auto& a, const auto& b) { return place(a) < place(b); });
    }

    static void finish(PrimSpec& prim) {
        order(prim.children, prim.field("primChildren"), [](const auto& child) { return child->name; });
        order(prim.properties, prim.field("properties"), [](const auto& property) { return property.name; });
        order(prim.variantSets, prim.field("variantSetChildren"), [](const auto& set) { return set.name; });
        // They are said by what stands there.
        std::erase_if(prim.fields, [](const Field& field) {
            return field.name == "primChildren" || field.name == "properties" || field.name == "variantSetChildren" ||
                   field.name == "variantChildren";
        });
        prim.index();
        for (VariantSetSpec& set : prim.variantSets)
            for (auto& variant : set.variants)
                finish(*variant);
        for (auto& child : prim.children)
            finish(*child);
    }

    std::shared_ptr<Container> container_;
    Layer& layer_;
    std::unordered_map<std::string, PrimSpec*> prims_;
    std::unordered_set<std::uint32_t> seen_;
    std::unordered_map<std::uint64_t, Value> values_; // by word: what is stored once is held once
};

} // namespace

Result<std::unique_ptr<Layer>> readBinary(const Bytes& bytes) {
    WYC_TRY(container, Container::open(bytes));
    auto layer = std::make_unique<Layer>();
    layer->encoding = Encoding::Binary;
    layer->version = container->version();
    WYC_CHECK(Builder(container, *layer).build());
    return layer;
}

} // namespace wyc::usd
