// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/pictures.h"

#include <algorithm>
#include <set>

#include <fmt/format.h>

#include "base/text.h"
#include "formats/usd/compose/assets.h"

namespace wyc {
namespace {

constexpr const char* kOption = "textures";
constexpr std::string_view kAsWritten = "as written";
constexpr std::string_view kCollected = "collected";
constexpr const char* kFolderInPackage = "textures/";

// Nothing else goes along, whatever a scene names.
bool isPicture(const std::string& given) {
    static const std::set<std::string> kEnds{".png", ".jpg", ".jpeg", ".exr",  ".tif", ".tiff", ".tx",  ".tex", ".hdr",
                                             ".bmp", ".tga", ".webp", ".avif", ".gif", ".psd",  ".dds", ".ktx", ".ies",
                                             ".dpx", ".pic", ".ppm",  ".sgi",  ".cin", ".jp2",  ".ktx2"};
    const std::vector<Tile> tiles = tilesOf(given);
    return !tiles.empty() && std::all_of(tiles.begin(), tiles.end(), [](const Tile& tile) {
        // A link is what it leads to.
        std::error_code code;
        const usd::PackagedName parts = usd::packagedName(tile.file);
        const fs::path file = parts.inner.empty() ? fs::weakly_canonical(tile.file, code) : fs::path(parts.inner);
        return kEnds.contains(lowerCase(file.extension().string()));
    });
}

// Why a receiver on another system cannot follow it; empty where it can.
std::string oddPath(const std::string& path) {
    if (path.find("://") != std::string::npos)
        return "it is an address of a network";
    if (path.find('\\') != std::string::npos)
        return "other systems do not part folders by '\\'";
    if (path.size() > 1 && path[1] == ':')
        return "other systems have no drives";
    if (path.find('$') != std::string::npos || path.starts_with("~"))
        return "it leads somewhere else for everybody";
    if (validUtf8(path) != path)
        return "it is no text";
    return {};
}

bool isRelative(const std::string& path) {
    return !path.empty() && path.front() != '/' && oddPath(path).empty();
}

// Letters, digits, '_' and '-', which everybody can read.
std::string plainLabel(const std::string& stem) {
    std::string label;
    for (const char c : stem) {
        const bool plain = (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '-';
        label += plain ? c : '_';
    }
    return label.empty() ? "picture" : label;
}

std::string withTile(const std::string& name, const std::string& number) {
    std::string one = name;
    if (const std::size_t at = one.find(kTiles); at != std::string::npos && !number.empty())
        one.replace(at, kTiles.size(), number);
    return one;
}

class Naming {
  public:
    Naming(const fs::path& target, Pictures how, bool inPackage)
        : how_(how), inPackage_(inPackage), beside_(folderOf(target), target.filename()) {}

    std::optional<FileName> name(const NamedFile& one) {
        if (one.file.empty())
            return std::nullopt;
        if (how_ == Pictures::AsWritten)
            return isRelative(one.path) && !leadsThere(one) ? std::optional(FileName{one.path, {}}) : std::nullopt;
        if (how_ == Pictures::Collected && isPicture(one.file))
            return FileName{collected(one.file), one.file};
        if (isRelative(one.path) ? !inPackage_ && leadsThere(one) : one.file == one.path)
            return std::nullopt;
        if (inPackage_)
            return FileName{fs::absolute(one.file).lexically_normal().string(), one.file};
        return FileName{wayFrom(beside_.folder(), one.file), one.file};
    }
    // By "item" what is to be told.
    void tell(const NamedFile& one, std::vector<NotCarried>& told) const {
        const std::string what = fmt::format("its file '{}'", validUtf8(one.path));
        if (one.file.empty())
            told.push_back({one.item, what + " is not there: its name stays as it is"});
        else if (how_ == Pictures::Collected && !isPicture(one.file))
            told.push_back({one.item, what + " is no picture and stays where it is"});
        else if (how_ == Pictures::AsWritten && isRelative(one.path) && !leadsThere(one))
            told.push_back({one.item, what + ": from there its name leads to no file, or to another"});
        if (const std::string odd = oddPath(one.path);
            !odd.empty() && (one.file.empty() || how_ == Pictures::AsWritten))
            told.push_back({one.item, fmt::format("the way to its file '{}': {}", validUtf8(one.path), odd)});
    }

  private:
    bool leadsThere(const NamedFile& one) const {
        std::error_code code;
        const std::string there = (beside_.folder() / one.path).string();
        const std::vector<Tile> own = tilesOf(one.file);
        const std::vector<Tile> others = tilesOf(there);
        return !own.empty() && own.size() == others.size() &&
               fs::equivalent(own.front().file, others.front().file, code) && !code;
    }

    std::string collected(const std::string& file) {
        const auto known = names_.find(file);
        if (known != names_.end())
            return known->second;
        const usd::PackagedName parts = usd::packagedName(file);
        const fs::path path = parts.inner.empty() ? fs::path(file) : fs::path(parts.inner);
        std::string stem = path.stem().string();
        std::string end = path.extension().string();
        if (const std::size_t at = stem.find(kTiles); at != std::string::npos) {
            stem.erase(at, kTiles.size());
            while (!stem.empty() && (stem.back() == '.' || stem.back() == '_'))
                stem.pop_back();
            end = "." + std::string(kTiles) + end;
        }
        std::string label = plainLabel(stem);
        for (int number = 2; !labels_.insert(lowerCase(label) + end).second; ++number)
            label = fmt::format("{}_{}", plainLabel(stem), number);
        const std::string name =
            inPackage_ ? kFolderInPackage + label + end : beside_.name(label, versionOf(file, label, end), end);
        return names_.emplace(file, "./" + name).first->second;
    }

    // The one that stands there with the same bytes, tile by tile, or the next.
    int versionOf(const std::string& file, const std::string& label, const std::string& end) const {
        const std::vector<Tile> tiles = tilesOf(file);
        int last = 0;
        for (const Tile& tile : tiles)
            last = std::max(last, beside_.last(label, withTile(end, tile.number)));
        if (last == 0)
            return 1;
        // No tile stands there that the picture has no longer.
        const std::size_t tile = end.find(kTiles);
        const std::vector<std::string> ends = beside_.ends(label, last);
        bool same = tile == std::string::npos || std::all_of(ends.begin(), ends.end(), [&](const std::string& one) {
                        return one.size() != end.size() - kTiles.size() + 4 ||
                               withTile(end, one.substr(tile, 4)) != one ||
                               std::any_of(tiles.begin(), tiles.end(),
                                           [&](const Tile& own) { return withTile(end, own.number) == one; });
                    });
        for (std::size_t i = 0; same && i < tiles.size(); ++i) {
            const auto own = bytesOfFile(tiles[i].file);
            const auto there =
                bytesOfFile((beside_.folder() / beside_.name(label, last, withTile(end, tiles[i].number))).string());
            same = own && there && own->sameAs(*there).value_or(false);
        }
        return same ? last : last + 1;
    }

    Pictures how_;
    bool inPackage_;
    BesideFiles beside_;
    std::map<std::string, std::string> names_; // of what is collected, by where it is
    std::set<std::string> labels_;
};

} // namespace

Pictures picturesOf(const nlohmann::json& options) {
    const std::string how = options.value(kOption, std::string(kAsWritten));
    return how == kCollected ? Pictures::Collected : how == kAsWritten ? Pictures::AsWritten : Pictures::WhereTheyAre;
}

Option picturesOption(std::string_view help, std::string_view standard, std::vector<std::string_view> choices) {
    return {kOption, OptionKind::Choice, "", help, std::string(standard), std::move(choices)};
}

Result<Scene> withPicturesNamed(Scene scene, const fs::path& target, Pictures how, bool inPackage) {
    const std::vector<NamedFile> all = filesNamed(scene);
    if (all.empty())
        return scene;
    Naming naming(target, how, inPackage);
    std::map<NamedFile, std::optional<FileName>> names;
    for (const NamedFile& one : all) {
        names.emplace(one, naming.name(one));
        naming.tell(one, scene.report.notCarried);
    }
    return withFilesNamed(std::move(scene), [names](const NamedFile& one) -> std::optional<FileName> {
        const auto found = names.find(one);
        return found == names.end() ? std::nullopt : found->second;
    });
}

std::vector<CollectedFile> collectedFiles(const Scene& scene) {
    std::map<std::string, std::string> files;
    for (const NamedFile& one : filesNamed(scene)) {
        if (!one.path.starts_with("./") || one.file.empty() || !isPicture(one.file))
            continue;
        for (const Tile& tile : tilesOf(one.file))
            files.emplace(withTile(one.path.substr(2), tile.number), tile.file);
    }
    std::vector<CollectedFile> list;
    for (auto& [name, file] : files)
        list.push_back({name, file});
    return list;
}

Result<std::vector<fs::path>> putBeside(const std::vector<CollectedFile>& files, const fs::path& staging,
                                        const fs::path& standsIn, const Progress& progress) {
    std::vector<fs::path> written;
    for (const CollectedFile& one : files) {
        WYC_TRY(bytes, bytesOfFile(one.file));
        const fs::path there = standsIn / one.name;
        const fs::path own = staging / one.name;
        std::error_code code;
        if (!standsIn.empty() && fs::exists(fs::symlink_status(there, code))) {
            WYC_TRY(others, bytesOfFile(there.string()));
            WYC_TRY(same, bytes.sameAs(others));
            if (!same)
                return fail(makeError(ErrorKind::Exists, "another picture of this name came to stand there")
                                .inFile(there.string())
                                .withAdvice("Deliver once more: it takes the next number then"));
            WYC_CHECK(takeAsItIs(there, own));
            written.push_back(own);
            continue;
        }
        WYC_TRY(file, AtomicFile::create(own));
        WYC_CHECK(bytes.appendTo(*file, progress));
        WYC_CHECK(file->commit(AtomicFile::Replace::No));
        written.push_back(own);
    }
    return written;
}

Result<usd::Bytes> bytesOfFile(const std::string& file) {
    return usd::Assets({}).bytes(file);
}

std::string wayFrom(const fs::path& folder, const std::string& file) {
    // A package is named, and what in it behind that.
    const std::size_t inside = file.ends_with(']') ? file.find('[') : std::string::npos;
    std::error_code code;
    const fs::path here = fs::weakly_canonical(fs::absolute(folder, code), code);
    const fs::path whole = fs::weakly_canonical(fs::absolute(file.substr(0, inside), code), code);
    std::string path = whole.lexically_relative(here).string();
    if (path.empty())
        path = whole.string();
    else if (!path.starts_with("../"))
        path = "./" + path;
    return inside == std::string::npos ? path : path + file.substr(inside);
}

std::vector<Tile> tilesOf(const std::string& file) {
    if (file.empty())
        return {};
    if (file.find(kTiles) == std::string::npos)
        return {{{}, file}};
    std::set<std::string> there; // one look at the folder, or at what the package holds
    const usd::PackagedName parts = usd::packagedName(file);
    const fs::path folder = folderOf(file);
    const bool tilesOfFolders = folder.string().find(kTiles) != std::string::npos;
    std::error_code code;
    if (parts.inner.empty())
        for (fs::directory_iterator it(folder, code), end; !code && it != end; it.increment(code))
            there.insert((folder / it->path().filename()).string());
    else if (const auto bytes = bytesOfFile(parts.outer))
        if (const auto package = usd::readPackage(*bytes))
            for (const usd::PackageEntry& entry : package->entries)
                there.insert(usd::inPackage(parts.outer, entry.name));
    std::vector<Tile> tiles;
    for (int number = 1001; number < 2000; ++number) {
        const std::string digits = std::to_string(number);
        std::string one = withTile(file, digits);
        const bool found = !parts.inner.empty() ? there.contains(one)
                           : tilesOfFolders     ? fs::is_regular_file(one, code)
                                                : there.contains((folder / fs::path(one).filename()).string());
        if (found)
            tiles.push_back({digits, std::move(one)});
    }
    return tiles;
}

} // namespace wyc
