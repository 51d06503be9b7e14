// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Which file a name in a layer means, and the layers that were opened. Nothing is fetched from anywhere: a name is a
// file beside the layer, below a search folder, or in the package that the layer is in.
#include <map>

#include "formats/usd/layer/layer.h"
#include "formats/usd/package/package.h"

namespace wyc::usd {

class Assets {
  public:
    /// `standing`, `standsIn`: see Choices.
    explicit Assets(std::vector<fs::path> searchFolders, fs::path standing = {}, fs::path standsIn = {})
        : folders_(std::move(searchFolders)), standing_(std::move(standing)), standsIn_(std::move(standsIn)) {}

    /// What a name written in a layer means: a path, or "package.usdz[entry]". Empty where nothing of the kind is
    /// there.
    [[nodiscard]] std::string resolve(const std::string& written, const std::string& fromLayer);
    /// What it would be if it were there, for messages.
    [[nodiscard]] std::string anchored(const std::string& written, const std::string& fromLayer) const;
    /// The layer of a resolved name; opened once. A package means its first layer.
    [[nodiscard]] Result<LayerPtr> open(const std::string& resolved);
    /// The bytes of a resolved name.
    [[nodiscard]] Result<Bytes> bytes(const std::string& resolved);
    /// All that were opened, by name.
    [[nodiscard]] const std::map<std::string, LayerPtr>& layers() const { return layers_; }
    /// Things that packages leave out.
    [[nodiscard]] const std::vector<std::string>& remarks() const { return remarks_; }

  private:
    Result<const Package*> package(const std::string& name);
    bool exists(const std::string& resolved);
    [[nodiscard]] bool isStanding(const fs::path& folder) const;

    std::vector<fs::path> folders_;
    fs::path standing_;
    fs::path standsIn_;
    std::map<std::string, LayerPtr> layers_;
    std::map<std::string, Error> failed_;
    std::map<std::string, Package> packages_;
    std::map<std::string, bool> exists_;
    std::vector<std::string> remarks_;
};

/// "a.usdz[b.usdz[c]]" as outer "a.usdz[b.usdz]" and inner "c"; inner is empty for a plain path.
struct PackagedName {
    std::string outer;
    std::string inner;
};
[[nodiscard]] PackagedName packagedName(const std::string& name);
[[nodiscard]] std::string inPackage(const std::string& package, const std::string& entry);

} // namespace wyc::usd
