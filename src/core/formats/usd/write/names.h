// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Names as layers take them: letters, digits, '_' and what is not ASCII, no digit in front.
#include <set>
#include <string>
#include <vector>

namespace wyc::usd {

/// The nearest name that a prim can have; itself where it is one.
[[nodiscard]] std::string primName(const std::string& name);
/// Of a property: such names with ':' between them.
[[nodiscard]] std::string propertyName(const std::string& name);

/// Names that stand beside each other, each once: a second one gets a number.
class UniqueNames {
  public:
    UniqueNames() = default;
    explicit UniqueNames(const std::vector<std::string>& taken) : taken_(taken.begin(), taken.end()) {}
    [[nodiscard]] std::string next(const std::string& wanted) { return numbered(primName(wanted)); }
    [[nodiscard]] std::string nextProperty(const std::string& wanted) { return numbered(propertyName(wanted)); }

  private:
    [[nodiscard]] std::string numbered(const std::string& plain);
    std::set<std::string> taken_;
};

} // namespace wyc::usd
