// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/layer/layer.h"

#include <algorithm>
#include <array>

#include "formats/usd/binary/binary_read.h"
#include "formats/usd/layer/path.h"
#include "formats/usd/text/text_read.h"

namespace wyc::usd {

Result<Bytes> Bytes::ofFile(const fs::path& path) {
    WYC_TRY(file, RandomAccessFile::open(path));
    const std::uint64_t size = file->size();
    return Bytes(std::move(file), 0, size, path.string());
}

Status Bytes::read(std::uint64_t at, std::span<std::byte> into) const {
    if (at > size_ || into.size() > size_ - at)
        return fail(makeError(ErrorKind::BadFormat, "the file ends before what it says it holds")
                        .atByte(offset_ + at)
                        .inFile(name_));
    return file_->readAt(offset_ + at, into);
}

namespace {

constexpr std::size_t kCopiedAtOnce = 1 << 20;

} // namespace

Status Bytes::appendTo(AtomicFile& file, const Progress& progress) const {
    std::vector<std::byte> piece(kCopiedAtOnce);
    for (std::uint64_t at = 0; at < size_;) {
        const auto some =
            std::span(piece).first(static_cast<std::size_t>(std::min<std::uint64_t>(kCopiedAtOnce, size_ - at)));
        WYC_CHECK(read(at, some));
        WYC_CHECK(file.append(some));
        WYC_CHECK(progress.poll());
        at += some.size();
    }
    return verifyUnchanged();
}

Result<bool> Bytes::sameAs(const Bytes& other) const {
    if (size_ != other.size_)
        return false;
    std::vector<std::byte> x(kCopiedAtOnce);
    std::vector<std::byte> y(kCopiedAtOnce);
    for (std::uint64_t at = 0; at < size_;) {
        const auto some = static_cast<std::size_t>(std::min<std::uint64_t>(kCopiedAtOnce, size_ - at));
        WYC_CHECK(read(at, std::span(x).first(some)));
        WYC_CHECK(other.read(at, std::span(y).first(some)));
        if (!std::equal(x.begin(), x.begin() + static_cast<std::ptrdiff_t>(some), y.begin()))
            return false;
        at += some;
    }
    return true;
}

const Value* fieldOf(const Fields& fields, std::string_view name) {
    for (const Field& field : fields)
        if (field.name == name)
            return &field.value;
    return nullptr;
}

namespace {

constexpr std::size_t kFew = 12; // below, a look at each is faster than a table

template<class List, class Name>
auto* lookedUp(const List& list, const std::unordered_map<std::string_view, std::uint32_t>* at, std::string_view which,
               const Name& nameOf) {
    using Item = std::remove_reference_t<decltype(list.front())>;
    if (at) {
        const auto found = at->find(which);
        return found == at->end() ? static_cast<const Item*>(nullptr) : &list[found->second];
    }
    for (const auto& item : list)
        if (nameOf(item) == which)
            return &item;
    return static_cast<const Item*>(nullptr);
}

} // namespace

const PrimSpec* PrimSpec::child(std::string_view which) const {
    const auto* found =
        lookedUp(children, childAt_.get(), which, [](const auto& prim) -> const std::string& { return prim->name; });
    return found ? found->get() : nullptr;
}

const PropertySpec* PrimSpec::property(std::string_view which) const {
    return lookedUp(properties, propertyAt_.get(), which,
                    [](const PropertySpec& p) -> const std::string& { return p.name; });
}

const VariantSetSpec* PrimSpec::variantSet(std::string_view which) const {
    for (const VariantSetSpec& set : variantSets)
        if (set.name == which)
            return &set;
    return nullptr;
}

void PrimSpec::index() {
    if (children.size() > kFew) {
        childAt_ = std::make_unique<Numbers>();
        for (std::size_t i = 0; i < children.size(); ++i)
            childAt_->emplace(children[i]->name, static_cast<std::uint32_t>(i));
    }
    if (properties.size() > kFew) {
        propertyAt_ = std::make_unique<Numbers>();
        for (std::size_t i = 0; i < properties.size(); ++i)
            propertyAt_->emplace(properties[i].name, static_cast<std::uint32_t>(i));
    }
}

const PrimSpec* VariantSetSpec::variant(std::string_view which) const {
    for (const auto& prim : variants)
        if (prim->name == which)
            return prim.get();
    return nullptr;
}

std::optional<double> Layer::number(std::string_view which) const {
    const Value* value = field(which);
    return value ? value->number() : std::nullopt;
}

const PrimSpec* Layer::prim(std::string_view path) const {
    const PrimSpec* at = root.get();
    std::size_t i = 0;
    while (at && i < path.size()) {
        if (path[i] == '/') {
            ++i;
        } else if (path[i] == '{') {
            const std::size_t end = path.find('}', i);
            const std::size_t equals = path.find('=', i);
            if (end == std::string_view::npos || equals > end)
                return nullptr;
            const VariantSetSpec* set = at->variantSet(path.substr(i + 1, equals - i - 1));
            at = set ? set->variant(path.substr(equals + 1, end - equals - 1)) : nullptr;
            i = end + 1;
        } else {
            const std::size_t end = std::min(path.find_first_of("/{", i), path.size());
            at = at->child(path.substr(i, end - i));
            i = end;
        }
    }
    return at;
}

void forEachPrim(const PrimSpec& prim, const std::string& path,
                 const std::function<void(const std::string&, const PrimSpec&)>& visit) {
    visit(path, prim);
    for (const VariantSetSpec& set : prim.variantSets)
        for (const auto& variant : set.variants)
            forEachPrim(*variant, path + "{" + set.name + "=" + variant->name + "}", visit);
    for (const auto& child : prim.children)
        forEachPrim(*child, childPath(path, child->name), visit);
}

SpecCounts Layer::counts() const {
    SpecCounts counts;
    forEachPrim(*root, "/", [&](const std::string& path, const PrimSpec& prim) {
        if (path.ends_with('}'))
            ++counts.variants;
        else if (path != "/")
            ++counts.prims;
        counts.variantSets += prim.variantSets.size();
        for (const PropertySpec& property : prim.properties)
            ++(property.relationship ? counts.relationships : counts.attributes);
    });
    return counts;
}

Result<LayerPtr> openLayer(const Bytes& bytes) {
    std::array<std::byte, 8> head{};
    const std::size_t count = static_cast<std::size_t>(std::min<std::uint64_t>(head.size(), bytes.size()));
    WYC_CHECK(bytes.read(0, std::span(head).first(count)));
    const std::string_view text(reinterpret_cast<const char*>(head.data()), count);
    auto layer = text == kBinaryMagic ? readBinary(bytes) : readText(bytes);
    if (!layer)
        return fail(std::move(layer.error()).inFile(bytes.name()));
    (*layer)->name = bytes.name();
    (*layer)->bytes = bytes;
    return LayerPtr(std::move(*layer));
}

} // namespace wyc::usd
