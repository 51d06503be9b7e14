// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// What records of earlier versions call what, so that they are proven as they were meant.
#include "delivery/proof/channels.h"

namespace wyc {

/// Channels of a node as records of version 3 and before have them: a camera's lens as one channel of sixteen numbers,
/// values of corners in the winding of an archive. Others as they are.
[[nodiscard]] Result<std::vector<HashedChannel>> channelsOfVersion3(const Node& node,
                                                                    std::vector<HashedChannel> channels);

} // namespace wyc
