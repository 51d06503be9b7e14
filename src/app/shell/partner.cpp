// SPDX-License-Identifier: GPL-3.0-or-later
#include "shell/partner.h"

namespace wyc::app {
namespace {

// How much two items look as if they showed the same thing.
int kinship(const ItemView& a, const ItemView& b) {
    if (a.key == b.key || a.key.source == b.key.source)
        return -1;
    int score = 0;
    if (a.points > 0 && a.points == b.points)
        score += 4;
    if (a.topology != 0 && a.topology == b.topology)
        score += 4;
    if (a.name == b.name)
        score += 6;
    else if (a.name.size() > 3 && b.name.size() > 3 &&
             (a.name.find(b.name) != std::string::npos || b.name.find(a.name) != std::string::npos))
        score += 5;
    return score;
}

} // namespace

const ItemView* mostAlike(const Workspace& workspace, const ItemView& item,
                          const std::function<bool(const ItemView&)>& fits) {
    const ItemView* best = nullptr;
    int most = 0;
    for (const ItemView& other : workspace.items())
        if (other.scene && other.points > 0 && fits(other))
            if (const int score = kinship(other, item); score > most) {
                most = score;
                best = &other;
            }
    return best;
}

const ItemView* likelyPartner(const Workspace& workspace, const ItemView& item) {
    const std::vector<ItemKey> chosen = workspace.chosen();
    if (chosen.size() == 2) {
        const ItemView* other = workspace.item(chosen[0] == item.key ? chosen[1] : chosen[0]);
        return other && other->points > 0 ? other : nullptr;
    }
    return mostAlike(workspace, item, [](const ItemView&) { return true; });
}

} // namespace wyc::app
