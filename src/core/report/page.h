// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Pages to be sent on: one file with nothing outside of it, light and dark, on a screen of any width.
#include <string>
#include <string_view>

#include "base/file.h"

namespace wyc {

/// A text as it stands in a page: the characters of markup as entities.
[[nodiscard]] std::string escaped(std::string_view text);
/// `body`: what stands in its main part. Classes: a, b, good, bad, soft, lead; tables in a div of class wide, numbers
/// in cells of class n.
[[nodiscard]] std::string htmlPage(std::string_view title, const std::string& body);
/// Written as a whole or not at all, in place of a page of that name. An error where the name is no page's.
[[nodiscard]] Status writePage(const std::string& page, const fs::path& file);

} // namespace wyc
