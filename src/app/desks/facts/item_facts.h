// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// What there is to say about an item of a kind, as pairs of words.
#include <vector>

#include <QString>

#include "shell/workspace.h"

namespace wyc::app {

struct ItemFact {
    QString name;
    QString value;
    QString tip;
    bool wide = false; // takes a whole line
};

/// In the order in which they are read, two to a line.
[[nodiscard]] std::vector<ItemFact> factsOf(const Workspace& workspace, const ItemView& item);

} // namespace wyc::app
