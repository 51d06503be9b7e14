// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// All paths of a layer as the binary container numbers them: a tree, whose entries are names.
#include <cstdint>
#include <functional>
#include <string>
#include <unordered_map>
#include <vector>

namespace wyc::usd {

class PathTable {
  public:
    PathTable();
    /// With all that is above it: "/A/B", "/A{s=v}B.points", "/A.rel[/B]".
    void add(const std::string& path);
    /// Gives numbers: first all that are no properties, as they stand in the tree, then properties by their names.
    void number();
    /// Of a path that was added; an empty one has a number of its own, behind all others.
    [[nodiscard]] std::uint32_t numberOf(const std::string& path) const;
    /// Paths, the empty one among them where somebody asked for it.
    [[nodiscard]] std::uint64_t count() const { return entries_.size() + (emptyUsed_ ? 1 : 0); }

    struct Rows {
        std::vector<std::int32_t> numbers;
        std::vector<std::int32_t> names; // tokens; negative: of a property
        std::vector<std::int32_t> jumps; // to the next beside it: −2 none and nothing below, −1 none, 0 nothing below
    };
    [[nodiscard]] Rows rows(const std::function<std::uint32_t(const std::string&)>& token) const;

  private:
    struct Entry {
        std::string name;
        bool property = false;
        std::uint32_t parent = 0;
        std::uint32_t number = 0;
        std::vector<std::uint32_t> below;
    };
    std::vector<Entry> entries_;
    std::unordered_map<std::string, std::uint32_t> at_; // by path
    mutable bool emptyUsed_ = false;
};

} // namespace wyc::usd
