// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/layer/path.h"

#include <algorithm>

namespace wyc::usd {
namespace {

// Where the prim's path ends: at the dot of a property that stands in no braces, or at a bracket. "." and ".." of
// relative paths are no properties.
std::size_t primEnd(std::string_view path) {
    int depth = 0;
    for (std::size_t i = 0; i < path.size(); ++i) {
        if (path[i] == '{')
            ++depth;
        else if (path[i] == '}')
            --depth;
        else if (depth == 0 && path[i] == '[')
            return i;
        else if (depth == 0 && path[i] == '.') {
            if (i + 1 < path.size() && path[i + 1] == '.' && (i == 0 || path[i - 1] == '/')) {
                ++i;
                continue;
            }
            if (i + 1 == path.size() || (i == 0 && path[i + 1] == '/'))
                continue;
            return i;
        }
    }
    return path.size();
}

} // namespace

std::string childPath(const std::string& parent, std::string_view name) {
    std::string path = parent;
    if (path.empty() || (path.back() != '/' && path.back() != '}'))
        path += '/';
    path += name;
    return path;
}

std::string primPathOf(std::string_view path) {
    return std::string(path.substr(0, primEnd(path)));
}

std::string propertyPartOf(std::string_view path) {
    return std::string(path.substr(primEnd(path)));
}

std::vector<std::string> namesOf(std::string_view primPath) {
    std::vector<std::string> names;
    std::string name;
    int depth = 0;
    const auto take = [&] {
        if (!name.empty())
            names.push_back(std::move(name));
        name.clear();
    };
    for (const char c : primPath) {
        if (c == '{') {
            ++depth;
            take();
        } else if (c == '}') {
            --depth;
        } else if (depth == 0 && c == '/') {
            take();
        } else if (depth == 0) {
            name += c;
        }
    }
    take();
    return names;
}

std::string withoutVariants(std::string_view path) {
    if (path.find('{') == std::string_view::npos)
        return std::string(path);
    std::string result;
    int depth = 0;
    bool behind = false; // a selection: what follows is a child
    for (const char c : path) {
        if (c == '{')
            ++depth;
        else if (c == '}') {
            --depth;
            behind = true;
        } else if (depth == 0) {
            if (behind && c != '/' && c != '.' && c != '[')
                result += '/';
            behind = false;
            result += c;
        }
    }
    return result;
}

bool isBelow(std::string_view path, std::string_view prefix) {
    if (prefix == "/")
        return path.starts_with('/');
    return path.starts_with(prefix) &&
           (path.size() == prefix.size() || path[prefix.size()] == '/' || path[prefix.size()] == '.' ||
            path[prefix.size()] == '{' || path[prefix.size()] == '[');
}

std::string parentPath(const std::string& primPath) {
    if (primPath.size() <= 1)
        return {};
    if (const auto open = primPath.rfind('{'); primPath.back() == '}' && open != std::string::npos)
        return primPath.substr(0, open);
    const std::size_t slash = primPath.find_last_of("/}", primPath.size() - 2);
    if (slash == std::string::npos)
        return {};
    if (primPath[slash] == '}')
        return primPath.substr(0, slash + 1);
    return slash == 0 ? "/" : primPath.substr(0, slash);
}

std::string lastName(std::string_view primPath) {
    const std::vector<std::string> names = namesOf(primPath);
    return names.empty() ? std::string() : names.back();
}

std::string absolutePath(std::string_view path, const std::string& fromPrim) {
    if (path.empty() || path.front() == '/')
        return std::string(path);
    const std::size_t end = primEnd(path);
    std::string at = withoutVariants(fromPrim);
    std::string_view steps = path.substr(0, end);
    while (!steps.empty()) {
        const std::size_t slash = steps.find('/');
        const std::string_view step = steps.substr(0, slash);
        if (step == "..") {
            at = parentPath(at);
            if (at.empty())
                return {};
        } else if (!step.empty() && step != ".") {
            at = childPath(at, step);
        }
        steps = slash == std::string_view::npos ? std::string_view() : steps.substr(slash + 1);
    }
    return at + std::string(path.substr(end));
}

bool isPrimPath(std::string_view path) {
    if (path.empty() || path.front() != '/' || primEnd(path) != path.size())
        return false;
    bool inside = false; // of braces, which come in pairs
    for (const char c : path) {
        if (c == (inside ? '{' : '}') || (inside && c == '/'))
            return false;
        inside = c == '{' || (inside && c != '}');
    }
    if (inside)
        return false;
    return path == "/" || (path.back() != '/' && path.find("//") == std::string_view::npos);
}

bool isWholePath(std::string_view path) {
    const std::size_t end = primEnd(path);
    if (!isPrimPath(path.substr(0, end)))
        return false;
    std::string_view rest = path.substr(end);
    const auto takeProperty = [&] {
        const std::size_t stop = std::min(rest.find('[', 1), rest.size());
        const bool good = stop > 1 && rest.front() == '.' &&
                          rest.substr(1, stop - 1).find_first_of("./{}]") == std::string_view::npos;
        rest.remove_prefix(stop);
        return good;
    };
    if (!rest.empty() && !takeProperty())
        return false;
    if (rest.empty())
        return true;
    const std::size_t close = rest.rfind(']');
    if (close == std::string_view::npos || !isWholePath(rest.substr(1, close - 1)))
        return false;
    rest.remove_prefix(close + 1);
    return rest.empty() || (takeProperty() && rest.empty());
}

} // namespace wyc::usd
