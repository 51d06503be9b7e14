// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "formats/pictures.h"
#include "scene/named_files.h"
#include "steps/steps.h"

namespace wyc {
namespace {

using nlohmann::json;

bool partsFolders(char c) {
    return c == '/' || c == '\\';
}

// What of a path comes behind a beginning that ends between folders; nothing where it begins otherwise. Either way of
// parting folders is one.
std::optional<std::string> behind(const std::string& path, const std::string& from) {
    std::size_t size = from.size();
    while (size > 0 && partsFolders(from[size - 1]))
        --size;
    if (path.size() < size)
        return std::nullopt;
    const bool begins = std::equal(from.begin(), from.begin() + static_cast<std::ptrdiff_t>(size), path.begin(),
                                   [](char a, char b) { return a == b || (partsFolders(a) && partsFolders(b)); });
    if (!begins || (path.size() > size && !partsFolders(path[size])))
        return std::nullopt;
    std::string rest = path.substr(size);
    std::replace(rest.begin(), rest.end(), '\\', '/');
    rest.erase(0, rest.find_first_not_of('/'));
    return rest;
}

std::string lastPart(const std::string& path) {
    const std::size_t at = path.find_last_of("/\\");
    return at == std::string::npos ? path : path.substr(at + 1);
}

Result<Scene> applyRepoint(const Scene& scene, const json& options) {
    const std::string from = options["from"].get<std::string>();
    std::string to = options["to"].get<std::string>();
    if (to.empty())
        return fail(makeError(ErrorKind::BadInput, "the new folder is empty").withAdvice("Give its whole path"));
    if (!to.ends_with('/'))
        to += '/';
    return withFilesNamed(scene, [from, to](const NamedFile& one) -> std::optional<FileName> {
        const auto rest = from.empty() ? std::optional(lastPart(one.path)) : behind(one.path, from);
        if (!rest || rest->empty())
            return std::nullopt;
        const std::string path = to + *rest;
        std::error_code code;
        const bool whole = path.front() == '/';
        const auto tiles = whole ? tilesOf(path) : std::vector<Tile>();
        const bool there = !tiles.empty() && fs::is_regular_file(tiles.front().file, code);
        return FileName{path, there ? path : std::string()};
    });
}

} // namespace

StepType repointStep() {
    StepType type{"repoint",
                  "Repoint textures",
                  "Looks for pictures, and other files that materials and values name, in another folder",
                  {{"from",
                    OptionKind::Text,
                    "",
                    "how their paths begin now, up to a folder; nothing: all, by their last name",
                    "",
                    {}},
                   {"to", OptionKind::Folder, "", "the folder that takes its place, as a whole path", "/", {}}},
                  nullptr,
                  nullptr,
                  &applyRepoint,
                  [](const json& o) {
                      const std::string from = o["from"].get<std::string>();
                      return (from.empty() ? std::string("all") : from) + " → " + o["to"].get<std::string>();
                  },
                  StepGroup::Names};
    type.keepsRest = true;
    type.namesFiles = true;
    return type;
}

} // namespace wyc
