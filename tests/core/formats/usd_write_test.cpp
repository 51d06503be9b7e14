// SPDX-License-Identifier: GPL-3.0-or-later
// Layers written: what they say stays, in every encoding.
#include <gtest/gtest.h>

#include <map>

#include "core/formats/usd_fixtures.h"
#include "core/formats/usd_layer_words.h"
#include "formats/usd/binary/container.h"
#include "formats/usd/binary/value_kinds.h"
#include "formats/usd/layer/layer_write.h"
#include "support/temp_folder.h"

namespace wyc::test {
namespace usd_write {

using usd::Base;
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

// What a file is built of, by its tables alone.
struct Built {
    std::shared_ptr<usd::Container> container;
    std::map<std::string, std::map<std::string, usd::ValueWord>> words; // by path and name of the field
    std::map<std::string, std::uint32_t> kinds;

    explicit Built(const fs::path& path) {
        const auto opened = usd::Container::open(*Bytes::ofFile(path));
        if (!opened)
            return;
        container = *opened;
        for (const auto& spec : container->specs()) {
            const std::string& at = container->paths()[spec.path];
            kinds[at] = spec.kind;
            for (std::size_t i = spec.fieldSet; container->fieldSets()[i] != ~0U; ++i) {
                const auto& row = container->fields()[container->fieldSets()[i]];
                const std::string& name = container->tokens()[row.name];
                // Usual things may be said or not.
                const bool usual = (name == "custom" || name == "variability") && row.value.payload() == 0;
                if (!usual)
                    words[at][name] = row.value;
            }
        }
    }
    [[nodiscard]] std::vector<std::string> sections() const {
        std::vector<std::string> names;
        std::uint64_t end = 0;
        for (const auto& section : container->sections()) {
            EXPECT_GE(section.start, end) << section.name;
            end = section.start + section.size;
            names.push_back(section.name);
        }
        return names;
    }
    // The words of samples: of their times, then of their values.
    [[nodiscard]] std::vector<std::uint64_t> samples(usd::ValueWord word) const {
        const auto read = [&](std::uint64_t at) {
            std::uint64_t value = 0;
            EXPECT_TRUE(container->bytes().read(at, std::as_writable_bytes(std::span(&value, 1))));
            return value;
        };
        std::uint64_t at = word.payload();
        at += read(at);
        std::vector<std::uint64_t> result{read(at)};
        at += 8;
        at += read(at);
        for (std::uint64_t i = 0, count = read(at); i < count; ++i)
            result.push_back(read(at + 8 + 8 * i));
        return result;
    }
};

// Which of them are the same thing stored once: for each the first that is equal to it.
std::vector<std::size_t> sharing(const std::vector<std::uint64_t>& words) {
    std::vector<std::size_t> first;
    for (const std::uint64_t word : words)
        first.push_back(static_cast<std::size_t>(std::find(words.begin(), words.end(), word) - words.begin()));
    return first;
}

TEST(UsdWritten, BinaryFilesAreBuiltAsOthersBuildThem) {
    const TempFolder folder;
    std::size_t words = 0;
    double ours = 0.0;
    double theirs = 0.0;
    for (const fs::path& path : readableLayers()) {
        const LayerPtr layer = opened(path);
        if (layer->encoding != Encoding::Binary || path.parent_path().filename() == "broken")
            continue;
        SCOPED_TRACE(path.string());
        ASSERT_TRUE(rewritten(*layer, Encoding::Binary, folder / "ours.usdc"));
        const Built a(path);
        const Built b(folder / "ours.usdc");
        EXPECT_EQ(a.sections(), b.sections());
        EXPECT_EQ(a.kinds, b.kinds);
        // 0.8, and later where a value needs it.
        if (path.parent_path().filename() != "crate_versions" || a.container->minorVersion() == 9)
            EXPECT_EQ(a.container->minorVersion(), b.container->minorVersion());
        const auto sorted = [](std::vector<std::string> names) {
            std::sort(names.begin(), names.end());
            std::erase(names, ";-)"); // of others; ours is an empty name
            std::erase(names, "");
            return names;
        };
        if (a.container->minorVersion() >= 8 && path.parent_path().filename() != "crate_versions")
            EXPECT_EQ(sorted(a.container->tokens()), sorted(b.container->tokens()));
        std::vector<std::uint64_t> storedA;
        std::vector<std::uint64_t> storedB;
        for (const auto& [at, fields] : a.words)
            for (const auto& [name, word] : fields) {
                ASSERT_TRUE(b.words.at(at).contains(name)) << at << " " << name;
                const usd::ValueWord mine = b.words.at(at).at(name);
                if (word.type() == usd::kPayload) // an older form
                    continue;
                EXPECT_EQ(word.type(), mine.type()) << at << " " << name;
                const bool minusZero = path.parent_path().filename() == "minus_zero";
                // Others lose it in words and whole numbers; older versions pack less.
                if (!minusZero && a.container->minorVersion() >= 6)
                    EXPECT_EQ(word.bits >> 60, mine.bits >> 60) << at << " " << name;
                if (word.isInlined() && usd::numberType(word.type()).base != Base::None && !minusZero)
                    EXPECT_EQ(word.bits, mine.bits) << at << " " << name;
                ++words;
                if (word.isInlined())
                    continue;
                storedA.push_back(word.bits);
                storedB.push_back(mine.bits);
                if (word.type() != usd::kTimeSamples)
                    continue;
                const auto samplesA = a.samples(word);
                const auto samplesB = b.samples(mine);
                ASSERT_EQ(samplesA.size(), samplesB.size());
                for (std::size_t i = 0; i < samplesA.size(); ++i) {
                    EXPECT_EQ(samplesA[i] >> 48, samplesB[i] >> 48) << at << " sample " << i;
                    storedA.push_back(samplesA[i]);
                    storedB.push_back(samplesB[i]);
                }
            }
        EXPECT_EQ(sharing(storedA), sharing(storedB));
        if (a.container->minorVersion() >= 7) {
            const auto sizeA = static_cast<double>(fs::file_size(path));
            const auto sizeB = static_cast<double>(fs::file_size(folder / "ours.usdc"));
            EXPECT_NEAR(sizeB / sizeA, 1.0, 0.03);
            theirs += sizeA;
            ours += sizeB;
        }
    }
    std::printf("%zu values, %.4f times their size\n", words, ours / theirs);
    EXPECT_GT(words, 2'000U);
}

} // namespace usd_write
} // namespace wyc::test
