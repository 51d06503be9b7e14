// SPDX-License-Identifier: GPL-3.0-or-later
// Layers written: what they say stays, in every encoding.
#include <gtest/gtest.h>

#include "core/formats/usd_fixtures.h"
#include "core/formats/usd_layer_words.h"
#include "support/temp_folder.h"
#include "formats/usd/layer/layer_write.h"

namespace wyc::test {
namespace usd_write {

using usd::Bytes;
using usd::Encoding;
using usd::LayerPtr;

LayerPtr opened(const fs::path& path) {
    const auto bytes = Bytes::ofFile(path);
    if (!bytes)
        return nullptr;
    auto layer = usd::openLayer(*bytes);
    return layer ? *layer : nullptr;
}

Result<LayerPtr> rewritten(const usd::Layer& layer, Encoding encoding, const fs::path& to) {
    WYC_TRY(file, AtomicFile::create(to));
    WYC_CHECK(usd::writeLayer(layer, encoding, *file, {}));
    WYC_CHECK(file->commit(AtomicFile::Replace::Yes));
    WYC_TRY(bytes, Bytes::ofFile(to));
    return usd::openLayer(bytes);
}

std::vector<fs::path> readableLayers() {
    std::vector<fs::path> files;
    for (const auto& entry : fs::recursive_directory_iterator(usdData()))
        if ((entry.path().extension() == ".usda" || entry.path().extension() == ".usdc" ||
             entry.path().extension() == ".usd") &&
            opened(entry.path()))
            files.push_back(entry.path());
    std::sort(files.begin(), files.end());
    return files;
}

std::string firstDifference(const std::string& a, const std::string& b) {
    std::size_t i = 0;
    while (i < a.size() && i < b.size() && a[i] == b[i])
        ++i;
    const std::size_t from = a.rfind('\n', i == 0 ? 0 : i - 1);
    const std::size_t start = from == std::string::npos ? 0 : from + 1;
    return a.substr(start, 300) + "\n  is now\n" + b.substr(std::min(start, b.size()), 300);
}

TEST(UsdWritten, EveryLayerKeepsEveryOpinion) {
    const TempFolder folder;
    std::size_t count = 0;
    for (const fs::path& path : readableLayers()) {
        const LayerPtr layer = opened(path);
        const std::string said = layerWords(*layer);
        for (const Encoding encoding : {Encoding::Text, Encoding::Binary}) {
            SCOPED_TRACE(path.string() + (encoding == Encoding::Text ? " as text" : " as binary"));
            const auto again = rewritten(*layer, encoding, folder / "again.usd");
            ASSERT_TRUE(again) << again.error().text();
            EXPECT_EQ((*again)->encoding, encoding);
            const std::string now = layerWords(**again);
            EXPECT_TRUE(now == said) << firstDifference(said, now);
            const auto first = readWholeFile(folder / "again.usd", 1 << 30);
            const auto twice = rewritten(**again, encoding, folder / "twice.usd");
            ASSERT_TRUE(twice) << twice.error().text();
            EXPECT_EQ(*first, *readWholeFile(folder / "twice.usd", 1 << 30)) << "other bytes the second time";
            ++count;
        }
    }
    EXPECT_GT(count, 150U);
}

} // namespace usd_write
} // namespace wyc::test
