// SPDX-License-Identifier: GPL-3.0-or-later
// Every prefix of a small valid file of each format, and every byte of its beginning flipped: an error or a valid
// scene, never a crash, a hang, or memory out of proportion to the file.
#include <gtest/gtest.h>

#include <cstdlib>
#include <cstring>
#include <random>

#include <sys/resource.h>

#include "base/bytes.h"
#include "checks/measured.h"
#include "formats/abc/abc.h"
#include "job/job.h"
#include "report/report.h"
#include "support/scenes.h"
#include "support/temp_folder.h"

namespace wyc::hostile_test {
namespace {

using test::TempFolder;

long peakKilobytes() {
    rusage usage{};
    getrusage(RUSAGE_SELF, &usage);
    return usage.ru_maxrss;
}

// Everything a person could do with a source: list, read all, check.
void useSource(const fs::path& path, bool structureToo) {
    const auto source = openSource({path, {}, {}, false}, FrameRate());
    if (!source) {
        EXPECT_FALSE(source.error().what.empty());
        return;
    }
    (void)sourceInfo(**source, true);
    if (auto items = measuredItems(**source, (*source)->scene, false, Progress())) {
        CheckInput input;
        input.items = std::move(*items);
        (void)runChecks(input);
    }
    (void)sampleDocument(**source, {0.0, 1001.5}, "", true);
    if (structureToo)
        (void)abc::structure(path);
}

struct Kind {
    const char* extension;
    std::size_t headerBytes;
};
class Hostile : public testing::TestWithParam<Kind> {
  protected:
    void SetUp() override {
        test::SheetOptions options;
        options.rows = options.columns = 3;
        options.count = 4;
        Scene scene = test::sheetScene(options);
        if (std::string(GetParam().extension) == ".abc")
            scene.nodes[0].transform = MemoryTransform::fixed(Mat4::translation({1, 2, 3}));
        const fs::path path = folder_ / (std::string("good") + GetParam().extension);
        ASSERT_TRUE(test::writeScene(scene, path));
        good_ = test::readFile(path);
    }
    void use(const std::string& bytes) {
        const fs::path path = folder_ / (std::string("bad") + GetParam().extension);
        test::writeFile(path, bytes);
        useSource(path, std::string(GetParam().extension) == ".abc");
    }
    TempFolder folder_;
    std::string good_;
};

TEST_P(Hostile, EveryPrefix) {
    const long before = peakKilobytes();
    for (std::size_t size = 0; size <= good_.size(); ++size)
        use(good_.substr(0, size));
    EXPECT_LT(peakKilobytes() - before, 100 * 1024);
}

TEST_P(Hostile, EveryByteOfTheHeaderFlipped) {
    const long before = peakKilobytes();
    for (std::size_t at = 0; at < std::min(good_.size(), GetParam().headerBytes); ++at)
        for (const unsigned flip : {0xffU, 0x80U, 0x01U}) {
            std::string bytes = good_;
            bytes[at] = static_cast<char>(static_cast<unsigned char>(bytes[at]) ^ flip);
            use(bytes);
        }
    EXPECT_LT(peakKilobytes() - before, 100 * 1024);
}

TEST_P(Hostile, RandomDamageAnywhere) {
    std::mt19937 random(20261123);
    const int rounds = std::getenv("WYC_LONG_TESTS") ? 60000 : 1500;
    const long before = peakKilobytes();
    for (int round = 0; round < rounds; ++round) {
        std::string bytes = good_;
        for (int hit = 0; hit < 1 + static_cast<int>(random() % 4); ++hit) {
            const std::size_t at = random() % bytes.size();
            if (random() % 3 == 0 && at + 8 <= bytes.size()) {
                const std::uint64_t numbers[] = {
                    0, ~0ULL, 1ULL << 63, 0x7fffffff, bytes.size(), bytes.size() - 8, random() % bytes.size()};
                std::memcpy(bytes.data() + at, &numbers[random() % std::size(numbers)], 8);
            } else {
                bytes[at] = static_cast<char>(random());
            }
        }
        use(bytes);
    }
    EXPECT_LT(peakKilobytes() - before, 100 * 1024);
}

INSTANTIATE_TEST_SUITE_P(Formats, Hostile, testing::Values(Kind{".obj", 400}, Kind{".mdd", 24}, Kind{".abc", 4096}),
                         [](const auto& given) { return std::string(given.param.extension + 1); });

TEST(HostileJob, EveryPrefixAndFlippedByte) {
    const TempFolder folder;
    Job job;
    job.shot.range = FrameRange{1, 2};
    job.sources.push_back({{1}, {"a.mdd", {}, {}, true}});
    job.items.push_back({{1}, "/a", {{"offset", {{"frames", 1.0}}, true}}, false});
    job.deliveries.emplace_back();
    ASSERT_TRUE(saveJob(job, folder / "a.wyc"));
    const std::string good = test::readFile(folder / "a.wyc");
    for (std::size_t at = 0; at < good.size(); ++at) {
        (void)loadJob(test::writeFile(folder / "b.wyc", good.substr(0, at)));
        std::string bytes = good;
        bytes[at] = static_cast<char>(bytes[at] ^ 0x15);
        (void)loadJob(test::writeFile(folder / "b.wyc", bytes));
    }
    SUCCEED();
}

TEST(HostileObj, LongLinesDeepContinuationsAndHugeFaces) {
    const TempFolder folder;
    std::string face = "v 0 0 0\nf";
    for (int i = 0; i < 200000; ++i)
        face += " 1";
    EXPECT_TRUE(test::openFile(test::writeFile(folder / "a.obj", face)));
    std::string continued = "v 0 0 0\n# ";
    for (int i = 0; i < 100000; ++i)
        continued += "\\\n";
    EXPECT_TRUE(test::openFile(test::writeFile(folder / "b.obj", continued)));
    EXPECT_TRUE(test::openFile(test::writeFile(folder / "c.obj", "o " + std::string(1 << 20, 'x') + "\nv 0 0 0\n")));
    std::string keywords;
    for (int i = 0; i < 100000; ++i)
        keywords += "word" + std::to_string(i) + " 1\n";
    const auto many = test::openFile(test::writeFile(folder / "d.obj", keywords));
    ASSERT_TRUE(many);
    EXPECT_LE(many->report.notCarried.size(), 64U); // one remark each, not a flood
}

} // namespace
} // namespace wyc::hostile_test
