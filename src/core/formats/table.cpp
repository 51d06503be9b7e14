// SPDX-License-Identifier: GPL-3.0-or-later
// The formats there are, a line each, the usual one first. A library by itself, so that tests can have a table of their
// own.
#include "formats/abc/abc.h"
#include "formats/format.h"
#include "formats/mdd/mdd.h"
#include "formats/obj/obj.h"
#include "formats/usd/usd.h"

namespace wyc {

const std::vector<Format>& formats() {
    static const std::vector<Format> kFormats = inTable({
        abc::format(),
        mdd::format(),
        obj::format(),
        obj::sequenceFormat(),
        usd::format(),
    });
    return kFormats;
}

} // namespace wyc
