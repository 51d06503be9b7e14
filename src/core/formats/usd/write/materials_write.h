// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "formats/usd/write/values_write.h"
#include "scene/materials.h"

namespace wyc::usd {

/// A material below `parent`, whose path is `parentPath`: its graph where it came with one of ours, else a preview
/// surface of its look.
void writeMaterial(PrimSpec& parent, const std::string& parentPath, const std::string& name, const Material& material,
                   const WriteClock& clock);

} // namespace wyc::usd
