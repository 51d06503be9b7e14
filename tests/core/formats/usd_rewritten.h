// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Others' layered scenes, written anew by us.
#include <gtest/gtest.h>

#include "core/formats/usd_fixtures.h"
#include "formats/usd/layer/layer_write.h"
#include "formats/usd/package/package.h"
#include "formats/usd/package/package_write.h"

namespace wyc::test {

inline usd::Encoding otherEncoding(const usd::Layer& layer) {
    return layer.encoding == usd::Encoding::Text ? usd::Encoding::Binary : usd::Encoding::Text;
}

/// A layer under the same name, a package with its layers and all else; nothing where it is not readable.
inline Status rewriteInPlace(const std::filesystem::path& path) {
    WYC_TRY(bytes, usd::Bytes::ofFile(path));
    if (!usd::isPackageName(path.string())) {
        WYC_TRY(layer, usd::openLayer(bytes));
        WYC_TRY(file, AtomicFile::create(path));
        WYC_CHECK(usd::writeLayer(*layer, otherEncoding(*layer), *file, {}));
        return file->commit(AtomicFile::Replace::Yes);
    }
    WYC_TRY(package, usd::readPackage(bytes));
    WYC_TRY(writer, usd::PackageWriter::create(path));
    for (const usd::PackageEntry& entry : package.entries) {
        const usd::Bytes part = bytes.part(entry.offset, entry.size, entry.name);
        if (usd::isLayerName(entry.name)) {
            WYC_TRY(layer, usd::openLayer(part));
            WYC_CHECK(writer->addLayer(entry.name, *layer, otherEncoding(*layer), {}));
        } else {
            WYC_CHECK(writer->addFile(entry.name, part, {}));
        }
    }
    WYC_CHECK(writer->finish());
    return writer->file().commit(AtomicFile::Replace::Yes);
}

/// A copy of all fixtures, every layer in the other encoding under its old name.
inline void rewriteFixtures(const std::filesystem::path& into) {
    std::filesystem::copy(usdData(), into, std::filesystem::copy_options::recursive);
    std::size_t count = 0;
    for (const auto& entry : std::filesystem::recursive_directory_iterator(into)) {
        const std::string extension = entry.path().extension().string();
        if (entry.path().parent_path().filename() == "broken" || !extension.starts_with(".usd") ||
            !entry.is_regular_file())
            continue;
        const auto done = rewriteInPlace(entry.path());
        ASSERT_TRUE(done) << entry.path() << ": " << done.error().text();
        ++count;
    }
    EXPECT_GT(count, 120U);
}

} // namespace wyc::test
