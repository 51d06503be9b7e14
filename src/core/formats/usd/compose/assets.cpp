// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/compose/assets.h"

#include <fmt/format.h>

#include "base/text.h"

namespace wyc::usd {

PackagedName packagedName(const std::string& name) {
    if (!name.ends_with(']'))
        return {name, {}};
    // The last opening bracket holds the innermost entry: "a[b[c]]" is "c" in "a[b]".
    const std::size_t open = name.rfind('[');
    if (open == std::string::npos)
        return {name, {}};
    const std::size_t close = name.find(']', open);
    return {name.substr(0, open) + name.substr(close + 1), name.substr(open + 1, close - open - 1)};
}

std::string inPackage(const std::string& package, const std::string& entry) {
    const PackagedName outer = packagedName(package);
    if (outer.inner.empty())
        return package + "[" + entry + "]";
    return inPackage(outer.outer, outer.inner + "[" + entry + "]");
}

std::string Assets::anchored(const std::string& written, const std::string& fromLayer) const {
    if (written.empty() || written.front() == '/')
        return written;
    const PackagedName from = packagedName(fromLayer);
    // "package.usdz[entry]" names a package first.
    const std::size_t bracket = written.find('[');
    const std::string file = written.substr(0, bracket);
    const std::string rest = bracket == std::string::npos ? std::string() : written.substr(bracket);
    if (from.inner.empty()) {
        const bool leadsAway = fs::path(file).lexically_normal().string().starts_with("..");
        const fs::path folder = folderOf(from.outer);
        return ((leadsAway && isStanding(folder) ? standsIn_ : folder) / file).lexically_normal().string() + rest;
    }
    const std::string entry = (fs::path(from.inner).parent_path() / file).lexically_normal().string();
    return inPackage(from.outer, entry + rest);
}

bool Assets::isStanding(const fs::path& folder) const {
    return !standing_.empty() && folder.lexically_normal() == standing_.lexically_normal();
}

bool Assets::exists(const std::string& resolved) {
    const auto known = exists_.find(resolved);
    if (known != exists_.end())
        return known->second;
    const PackagedName name = packagedName(resolved);
    std::error_code code;
    bool there = false;
    if (name.inner.empty()) {
        there = fs::is_regular_file(resolved, code);
    } else if (exists(name.outer)) {
        const auto held = package(name.outer);
        there = held && (*held)->find(name.inner);
    }
    exists_.emplace(resolved, there);
    return there;
}

std::string Assets::resolve(const std::string& written, const std::string& fromLayer) {
    if (written.empty() || written.find("://") != std::string::npos)
        return {};
    if (std::string beside = anchored(written, fromLayer); exists(beside))
        return beside;
    const PackagedName from = packagedName(fromLayer);
    if (written.front() != '/' && from.inner.empty() && isStanding(folderOf(from.outer)))
        if (std::string there = anchored(written, (standsIn_ / "layer").string()); exists(there))
            return there;
    if (written.front() != '/' && !written.starts_with("./") && !written.starts_with("../"))
        for (const fs::path& folder : folders_)
            if (std::string found = (folder / written).lexically_normal().string(); exists(found))
                return found;
    return {};
}

Result<const Package*> Assets::package(const std::string& name) {
    const auto known = packages_.find(name);
    if (known != packages_.end())
        return &known->second;
    WYC_TRY(held, bytes(name));
    WYC_TRY(read, readPackage(held));
    for (const std::string& remark : read.remarks)
        remarks_.push_back(fmt::format("{}: {}", name, remark));
    return &packages_.emplace(name, std::move(read)).first->second;
}

Result<Bytes> Assets::bytes(const std::string& resolved) {
    const PackagedName name = packagedName(resolved);
    if (name.inner.empty())
        return Bytes::ofFile(resolved);
    WYC_TRY(held, package(name.outer));
    const PackageEntry* entry = held->find(name.inner);
    if (!entry)
        return fail(makeError(ErrorKind::NotFound, fmt::format("the package holds no '{}'", safeName(name.inner)))
                        .inFile(name.outer));
    WYC_TRY(outer, bytes(name.outer));
    return outer.part(entry->offset, entry->size, resolved);
}

Result<LayerPtr> Assets::open(const std::string& resolved) {
    if (const auto known = layers_.find(resolved); known != layers_.end())
        return known->second;
    if (const auto known = failed_.find(resolved); known != failed_.end())
        return fail(known->second);
    const auto opened = [&]() -> Result<LayerPtr> {
        WYC_TRY(held, bytes(resolved));
        if (!isPackageName(packagedName(resolved).inner.empty() ? resolved : packagedName(resolved).inner))
            return openLayer(held);
        WYC_TRY(inside, package(resolved));
        const PackageEntry* first = inside->rootLayer();
        if (!first)
            return fail(makeError(ErrorKind::BadFormat, "the package holds no layer").inFile(resolved));
        return open(inPackage(resolved, first->name));
    };
    auto layer = opened();
    if (!layer) {
        failed_.emplace(resolved, layer.error());
        return layer;
    }
    layers_.emplace((*layer)->name, *layer);
    return layer;
}

} // namespace wyc::usd
