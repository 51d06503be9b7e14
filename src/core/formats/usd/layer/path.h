// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Paths inside a layer, as texts: "/A/B", "/A{set=choice}B.points", "/A.rel[/B]".
#include <string>
#include <string_view>
#include <vector>

namespace wyc::usd {

/// "/A/B" and "c" make "/A/B/c"; behind a variant "/A{s=v}" and "c" make "/A{s=v}c".
[[nodiscard]] std::string childPath(const std::string& parent, std::string_view name);
/// Without ".property", "[target]" and what follows.
[[nodiscard]] std::string primPathOf(std::string_view path);
/// The part from the property's dot on; empty where there is none.
[[nodiscard]] std::string propertyPartOf(std::string_view path);
/// Names of a prim path, variant selections left out.
[[nodiscard]] std::vector<std::string> namesOf(std::string_view primPath);
/// Without any {set=choice}.
[[nodiscard]] std::string withoutVariants(std::string_view path);
/// True when `path` is `prefix` or lies below it.
[[nodiscard]] bool isBelow(std::string_view path, std::string_view prefix);
/// "/" for "/A"; empty for "/".
[[nodiscard]] std::string parentPath(const std::string& primPath);
[[nodiscard]] std::string lastName(std::string_view primPath);
/// One seen from a prim: "../B.x", "C".
[[nodiscard]] std::string absolutePath(std::string_view path, const std::string& fromPrim);
/// A prim path that starts with a slash, holds names and no empty ones.
[[nodiscard]] bool isPrimPath(std::string_view path);
/// Such a path, or one with a property behind it, and behind that maybe a target and its attribute.
[[nodiscard]] bool isWholePath(std::string_view path);

} // namespace wyc::usd
