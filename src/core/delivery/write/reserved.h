// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Runs side by side: each holds the names that it will write until it ends, on this machine or another that shares the
// folder.
#include <functional>
#include <memory>
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
/// Another run holds this place now.
[[nodiscard]] bool isBeingWritten(const fs::path& place);
/// Beside a place, while it is held.
[[nodiscard]] fs::path heldBy(const fs::path& place);

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
    std::vector<fs::path> madeFolders_; // the innermost first
    std::vector<std::unique_ptr<FileLock>> locks_;
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
