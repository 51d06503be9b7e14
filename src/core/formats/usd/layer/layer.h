// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// A layer: what one file says, uncomposed. A tree of prims with fields, properties and variants, the same whatever
// encoding it came from. Immutable once opened.
#include <functional>
#include <memory>
#include <string>
#include <unordered_map>
#include <vector>

#include "base/file.h"
#include "base/progress.h"
#include "formats/usd/layer/value.h"

namespace wyc::usd {

/// A run of bytes of a file: all of it, or what a package holds of an entry.
class Bytes {
  public:
    Bytes() = default;
    Bytes(std::shared_ptr<const RandomAccessFile> file, std::uint64_t offset, std::uint64_t size, std::string name)
        : file_(std::move(file)), offset_(offset), size_(size), name_(std::move(name)) {}
    [[nodiscard]] static Result<Bytes> ofFile(const fs::path& path);
    [[nodiscard]] std::uint64_t size() const { return size_; }
    /// What messages call it: a path, or "package.usdz[entry]".
    [[nodiscard]] const std::string& name() const { return name_; }
    [[nodiscard]] Status read(std::uint64_t at, std::span<std::byte> into) const;
    /// All of them, to the end of a file that is written. Changed where they became others meanwhile.
    [[nodiscard]] Status appendTo(AtomicFile& file, const Progress& progress) const;
    [[nodiscard]] Result<bool> sameAs(const Bytes& other) const;
    [[nodiscard]] Status verifyUnchanged() const { return file_->verifyUnchanged(); }
    [[nodiscard]] Bytes part(std::uint64_t offset, std::uint64_t size, std::string name) const {
        return {file_, offset_ + offset, size, std::move(name)};
    }
    /// Of the first byte in the file.
    [[nodiscard]] std::uint64_t offset() const { return offset_; }

  private:
    std::shared_ptr<const RandomAccessFile> file_;
    std::uint64_t offset_ = 0;
    std::uint64_t size_ = 0;
    std::string name_;
};

struct Field {
    std::string name;
    Value value;
};
using Fields = std::vector<Field>;
[[nodiscard]] const Value* fieldOf(const Fields& fields, std::string_view name);

struct PropertySpec {
    std::string name;
    bool relationship = false;
    Fields fields; // typeName, custom, variability, default, timeSamples, spline, connectionPaths, targetPaths, …
    [[nodiscard]] const Value* field(std::string_view which) const { return fieldOf(fields, which); }
};

struct VariantSetSpec;
struct PrimSpec {
    std::string name; // of a variant its choice
    Fields fields;    // specifier, typeName, references, …
    std::vector<std::unique_ptr<PrimSpec>> children;
    std::vector<PropertySpec> properties;
    std::vector<VariantSetSpec> variantSets;

    [[nodiscard]] const Value* field(std::string_view which) const { return fieldOf(fields, which); }
    [[nodiscard]] const PrimSpec* child(std::string_view which) const;
    [[nodiscard]] const PropertySpec* property(std::string_view which) const;
    [[nodiscard]] const VariantSetSpec* variantSet(std::string_view which) const;
    /// To be called once all children and properties are there.
    void index();

  private:
    using Numbers = std::unordered_map<std::string_view, std::uint32_t>;
    std::unique_ptr<Numbers> childAt_; // where there are many
    std::unique_ptr<Numbers> propertyAt_;
};
struct VariantSetSpec {
    std::string name;
    std::vector<std::unique_ptr<PrimSpec>> variants;
    [[nodiscard]] const PrimSpec* variant(std::string_view which) const;
};

enum class Encoding { Text, Binary };

struct SpecCounts {
    std::size_t prims = 0;
    std::size_t attributes = 0;
    std::size_t relationships = 0;
    std::size_t variantSets = 0;
    std::size_t variants = 0;
};

struct Layer {
    std::string name; // path, or package[entry]
    Encoding encoding = Encoding::Text;
    std::string version;                                           // of the encoding, as the file says it
    std::unique_ptr<PrimSpec> root = std::make_unique<PrimSpec>(); // its fields are the layer's
    std::vector<std::string> remarks;                              // read in part: what was left out, and where
    Bytes bytes;

    [[nodiscard]] const Value* field(std::string_view which) const { return root->field(which); }
    [[nodiscard]] std::optional<double> number(std::string_view which) const;
    /// At a path that may hold variant selections; null where nothing stands.
    [[nodiscard]] const PrimSpec* prim(std::string_view path) const;
    [[nodiscard]] SpecCounts counts() const;
};
using LayerPtr = std::shared_ptr<const Layer>;

/// The layer in either encoding, told by content.
[[nodiscard]] Result<LayerPtr> openLayer(const Bytes& bytes);
/// Calls visit(path, prim) for a prim and all below, variants included, in the order of the file.
void forEachPrim(const PrimSpec& prim, const std::string& path,
                 const std::function<void(const std::string&, const PrimSpec&)>& visit);

/// Nesting of prims, dictionaries and variants beyond which a file is refused.
inline constexpr int kDeepest = 256;

} // namespace wyc::usd
