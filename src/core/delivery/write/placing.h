// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// The last act of a delivery: what was written and proven in a staging folder goes to its place, or nothing does.
#include <set>
#include <string>
#include <vector>

#include "delivery/delivery.h"

namespace wyc {

/// Moves `names` from the staging folder to the target's folder, in this order; what stood there under these names, and
/// frames of the same sequence that the new one does not have, goes into the staging folder. A folder that holds
/// nothing but the sequence is exchanged as a whole, in one act of the file system: at no moment is there a mixture.
/// Elsewhere files are exchanged one by one, and on an error all are put back.
/// Refuses, before anything is moved, what is no regular file, and without `output.replace` what exists.
[[nodiscard]] Status placeAll(const fs::path& staging, const PlannedOutput& output,
                              const std::vector<std::string>& names);

/// Files that are read, and so not written over. Of a sequence a pattern stands for its frames.
class ReadFiles {
  public:
    explicit ReadFiles(const std::vector<DeliveryInput>& inputs);
    [[nodiscard]] bool contains(const fs::path& path) const;
    /// An error when a target of the output is one of them.
    [[nodiscard]] Status mayBeWritten(const PlannedOutput& output) const;

  private:
    std::set<std::string> names_;
};

/// Sources and paths of the items that something was made from, as its record or plan says; whatever became of them.
[[nodiscard]] std::set<std::pair<std::string, std::string>> originsOf(const nlohmann::json& madeFrom);
/// An error where an output that replaces would take what somebody else made: a record, a rest mesh or a file beside
/// it that is not of what stands at the target. `names`: what will be written, as far as that is known.
[[nodiscard]] Status mayTakeItsPlace(const PlannedOutput& output, const std::vector<std::string>& names = {});
/// An error when what stands at the target is not a delivery of the same items, whole, as its record tells.
[[nodiscard]] Status isDeliveryOf(const PlannedOutput& output);

/// An error when somebody wrote in the assembly that stands at the target since it was delivered, as its record tells.
[[nodiscard]] Status isUnedited(const PlannedOutput& output);

/// In a staging folder that holds files of an earlier delivery.
inline constexpr const char* kReplacing = "replacing";

} // namespace wyc
