// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Packages (.usdz): a zip archive whose entries are stored as they are, so that layers and textures are read in place.
#include "formats/usd/layer/layer.h"

namespace wyc::usd {

struct PackageEntry {
    std::string name;
    std::uint64_t offset = 0; // of its first byte in the package
    std::uint64_t size = 0;
};

/// The entries of a package in the order of its directory. An entry whose name leads out of the package is left out and
/// said in `remarks`; one that is packed or encrypted as well, unless it is the first layer, which is an error.
struct Package {
    std::vector<PackageEntry> entries;
    std::vector<std::string> remarks;
    [[nodiscard]] const PackageEntry* find(std::string_view name) const;
    /// The layer that is opened where nobody names one; null where there is none.
    [[nodiscard]] const PackageEntry* rootLayer() const;
};
[[nodiscard]] Result<Package> readPackage(const Bytes& bytes);
/// An entry that would lie outside of the package, or that systems name otherwise.
[[nodiscard]] bool leadsOut(const std::string& name);
[[nodiscard]] bool isPackageName(std::string_view name);
[[nodiscard]] bool isLayerName(std::string_view name);

} // namespace wyc::usd
