// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Runs side by side: each holds the names that it will write until it ends, on this machine or another that shares the
// folder.
#include <functional>
#include <map>
#include <memory>
#include <set>
#include <string>
#include <vector>

#include "delivery/delivery.h"

namespace wyc {

/// Something is called so, be it a link to nothing.
[[nodiscard]] bool standsThere(const fs::path& path);
/// What stands nowhere else while an output stands there: its file, record and rest mesh, or the folder of its own.
[[nodiscard]] std::vector<fs::path> placesOf(const fs::path& target, const std::optional<fs::path>& rest,
                                             bool ownFolder);
[[nodiscard]] std::vector<fs::path> placesOf(const PlannedOutput& output);
/// Places that other runs hold now, looked up once a folder. A hint: it may change at any moment.
class HeldPlaces {
  public:
    [[nodiscard]] bool contains(const fs::path& place);

  private:
    std::map<fs::path, std::set<std::string>> names_; // by folder
};
/// A file of a run that names what it will write in this folder. It goes with the run.
[[nodiscard]] bool isClaim(const fs::path& file);

/// What a killed run left beside its targets.
struct Leftover {
    fs::path path;
    std::uint64_t bytes = 0;
    bool holdsEarlier = false; // files of an earlier delivery that the run was replacing: it stays
    bool removed = false;      // it was a day old
    [[nodiscard]] std::string words() const;
};

class ReservedNames {
  public:
    /// Null where another run holds one of them, or where something stands that is not to be replaced.
    [[nodiscard]] static Result<std::unique_ptr<ReservedNames>> of(const std::vector<PlannedOutput>& outputs);
    /// Folders that were made for it go again, where nothing was put into them.
    ~ReservedNames();
    ReservedNames(const ReservedNames&) = delete;
    ReservedNames& operator=(const ReservedNames&) = delete;

  private:
    ReservedNames() = default;
    [[nodiscard]] Result<std::unique_ptr<FileLock>> turnIn(const fs::path& folder);
    std::vector<fs::path> madeFolders_; // the innermost first
    std::vector<std::unique_ptr<FileLock>> claims_;
};

struct ReservedRun {
    std::vector<PlannedOutput> outputs;
    std::shared_ptr<const ReservedNames> names; // held while it lives
    std::vector<Leftover> leftovers;            // in the folders that it writes to
};
/// Plans until all that is planned is free and held. An error of the plan, or where another run holds the names and a
/// further plan takes no others.
[[nodiscard]] Result<ReservedRun> reservedRun(const std::function<Result<std::vector<PlannedOutput>>()>& plan);

} // namespace wyc
