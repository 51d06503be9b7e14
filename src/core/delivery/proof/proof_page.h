// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// A proof as a page for another department.
#include "delivery/delivery.h"

namespace wyc {

/// What was delivered, from what and how, what was compared and what came of it. `record`: as it stands beside the
/// delivery; it may hold anything. `pictures`: figures, as pages have them.
[[nodiscard]] std::string proofPage(const std::string& name, const nlohmann::json& record, const Proof& proof,
                                    const std::string& pictures = {});
/// Of a delivery by its record's file, with pictures of its first and last frame as they are in the files; written as a
/// whole or not at all.
[[nodiscard]] Status writeProofPage(const fs::path& target, const fs::path& record, const Proof& proof,
                                    const fs::path& file);

} // namespace wyc
