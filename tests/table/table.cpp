// SPDX-License-Identifier: GPL-3.0-or-later
// The formats there are, and that of the tests.
#include "box/box.h"
#include "formats/abc/abc.h"
#include "formats/mdd/mdd.h"
#include "formats/obj/obj.h"
#include "formats/usd/usd.h"

namespace wyc {

const std::vector<Format>& formats() {
    static const std::vector<Format> kFormats = inTable({
        abc::format(),
        mdd::format(),
        usd::format(),
        obj::format(),
        obj::sequenceFormat(),
        box::format(),
    });
    return kFormats;
}

} // namespace wyc
