// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/layer/layer_write.h"

#include "formats/usd/binary/binary_write.h"
#include "formats/usd/text/text_write.h"

namespace wyc::usd {

Status writeLayer(const Layer& layer, Encoding encoding, AtomicFile& file, const Progress& progress) {
    return encoding == Encoding::Text ? writeText(layer, file, progress) : writeBinary(layer, file, progress);
}

} // namespace wyc::usd
