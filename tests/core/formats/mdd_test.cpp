// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <cstring>
#include <limits>

#include <nlohmann/json.hpp>

#include "base/bytes.h"
#include "base/hash.h"
#include "formats/mdd/mdd.h"
#include "support/expected.h"
#include "support/scenes.h"

namespace wyc::mdd_test {
namespace {

using test::TempFolder;

std::string mddBytes(std::int32_t frames, std::int32_t points, const std::vector<float>& times,
                     const std::vector<float>& values) {
    std::vector<std::byte> bytes;
    appendBytes(bytes, byteSwapped(frames));
    appendBytes(bytes, byteSwapped(points));
    for (const auto* list : {&times, &values})
        for (const float value : *list)
            appendBytes(bytes, byteSwapped(std::bit_cast<std::uint32_t>(value)));
    return {reinterpret_cast<const char*>(bytes.data()), bytes.size()};
}

TEST(MddForeign, FilesReadAsIndependentReadersReadThem) {
    const auto files = test::foreignFiles("mdd", ".mdd");
    ASSERT_GE(files.size(), 6U);
    for (const auto& [path, expected] : files) {
        SCOPED_TRACE(path.filename().string());
        std::optional<Node> rest;
        if (expected.contains("rest") && fs::exists(path.parent_path() / expected["rest"].get<std::string>()))
            rest = test::openFile(path.parent_path() / expected["rest"].get<std::string>())->nodes[0];
        const auto scene = test::openFile(path, rest ? &*rest : nullptr);
        if (expected.contains("error")) {
            ASSERT_FALSE(scene);
            EXPECT_EQ(scene.error().byte, expected["error"]["byte"].get<std::uint64_t>()) << scene.error().text();
            continue;
        }
        ASSERT_TRUE(scene) << scene.error().text();
        const Geometry& shape = test::shapeOf(*scene);
        ASSERT_EQ(shape.sampling().count(), expected["frames"].get<std::size_t>());
        EXPECT_EQ(scene->rate.has_value(), !expected["rate"].is_null());
        if (scene->rate)
            EXPECT_NEAR(scene->rate->value(), expected["rate"].get<double>(), 1e-3);
        for (std::size_t i = 0; i < shape.sampling().count(); ++i) {
            EXPECT_NEAR(shape.sampling().time(i), expected["times"][i].get<double>(), 5e-6);
            const auto points = test::pointsOf(shape, i);
            EXPECT_EQ(points.size(), expected["points_per_frame"].get<std::size_t>());
            EXPECT_EQ(hashText(hash64(std::as_bytes(std::span(points)))), expected["xxh64"][i].get<std::string>());
        }
        if (expected.contains("first_frame_if_time_0_is_frame_0"))
            EXPECT_EQ(scene->view.rate.frameAt(shape.sampling().time(0)),
                      expected["first_frame_if_time_0_is_frame_0"].get<double>());
        if (rest)
            EXPECT_EQ(scene->nodes[0].kind, NodeKind::Mesh);
    }
}

TEST(Mdd, TheSizeIsComputedInSixtyFourBits) {
    const TempFolder folder;
    // 33 + 2^30 points: 12 · 13 · 2^30 vanishes in 32 bits.
    const auto path = test::writeFile(
        folder / "a.mdd", mddBytes(13, 33 + (1 << 30), std::vector<float>(13), std::vector<float>(13 * 33 * 3)));
    const auto header = mdd::format().rest.countPoints(path);
    ASSERT_FALSE(header);
    EXPECT_NE(header.error().what.find("167503729752"), std::string::npos) << header.error().what;
}

TEST(Mdd, LittleEndianIsNamed) {
    const auto header = mdd::format().rest.countPoints(fs::path(WYC_TEST_DATA) / "mdd/broken_little_endian.mdd");
    ASSERT_FALSE(header);
    EXPECT_NE(header.error().what.find("little-endian"), std::string::npos);
    EXPECT_NE(header.error().what.find("13 frames of 33 points"), std::string::npos);
}

TEST(Mdd, OneByteTooManyOrTooFewIsRefused) {
    const TempFolder folder;
    const std::string good = mddBytes(2, 1, {0, 1.0F / 24}, {1, 2, 3, 4, 5, 6});
    EXPECT_TRUE(mdd::format().rest.countPoints(test::writeFile(folder / "good.mdd", good)));
    EXPECT_FALSE(mdd::format().rest.countPoints(test::writeFile(folder / "long.mdd", good + "x")));
    EXPECT_FALSE(
        mdd::format().rest.countPoints(test::writeFile(folder / "short.mdd", good.substr(0, good.size() - 1))));
}

TEST(Mdd, AMeshOfAnotherCountIsRefusedWithBothCounts) {
    const fs::path data = fs::path(WYC_TEST_DATA) / "mdd";
    const auto rest = test::openFile(data / "jelly_rest.obj");
    const auto scene = test::openFile(data / "wrong_count.mdd", &rest->nodes[0]);
    ASSERT_FALSE(scene);
    EXPECT_NE(scene.error().what.find("34"), std::string::npos);
    EXPECT_NE(scene.error().what.find("33"), std::string::npos);
    const auto bare = test::openFile(data / "wrong_count.mdd");
    ASSERT_TRUE(bare);
    EXPECT_EQ(bare->nodes[0].kind, NodeKind::Points);
}

TEST(Mdd, NotANumberKeepsItsBits) {
    const TempFolder folder;
    const float quiet = std::bit_cast<float>(0x7fc00123U);
    std::string bytes = mddBytes(1, 2, {0}, {quiet, -0.0F, 1, 2, 3, 4});
    const std::uint32_t raw = byteSwapped(std::uint32_t{0x7f800001U});
    std::memcpy(bytes.data() + 12 + 12, &raw, 4);
    const auto scene = test::openFile(test::writeFile(folder / "a.mdd", bytes));
    ASSERT_TRUE(scene);
    const auto points = test::pointsOf(test::shapeOf(*scene), 0);
    std::uint32_t word = 0;
    std::memcpy(&word, &points[0].x, 4);
    EXPECT_EQ(word, 0x7fc00123U);
    std::memcpy(&word, &points[1].x, 4);
    EXPECT_EQ(word, 0x7f800001U);
    ASSERT_TRUE(test::writeScene(*scene, folder / "b.mdd"));
    EXPECT_EQ(test::readFile(folder / "b.mdd"), bytes);
}

TEST(Mdd, UnevenTimesStayAndAreRemarked) {
    const TempFolder folder;
    const auto remarks = [&](const std::vector<float>& times) {
        const auto scene =
            test::openFile(test::writeFile(folder / "t.mdd", mddBytes(static_cast<std::int32_t>(times.size()), 1, times,
                                                                      std::vector<float>(times.size() * 3))));
        EXPECT_TRUE(scene);
        return scene->report.remarks.empty() ? std::string() : scene->report.remarks.front().id;
    };
    EXPECT_EQ(remarks({0, 0.04F, 0.08F, 0.12F}), "");
    EXPECT_EQ(remarks({0, 0.04F, 0.09F, 0.13F}), "time.uneven");
    EXPECT_EQ(remarks({0, 0.04F, 0.04F, 0.12F}), "time.not_rising");
    EXPECT_EQ(remarks({0, 0.08F, 0.04F, 0.12F}), "time.not_rising");
    EXPECT_EQ(remarks({}), "frames.none");
    const auto infinite =
        test::openFile(test::writeFile(folder / "i.mdd", mddBytes(1, 0, {std::numeric_limits<float>::infinity()}, {})));
    EXPECT_FALSE(infinite);
}

TEST(Mdd, ExactFramesAreTakenFromFloatTimes) {
    const TempFolder folder;
    for (const double rateValue : {24.0, 25.0, 30.0, 24000.0 / 1001.0})
        for (const double first : {0.0, 1.0, 1001.0, 86400.0}) {
            std::vector<float> times;
            for (int i = 0; i < 48; ++i)
                times.push_back(static_cast<float>((first + i) / rateValue));
            const auto scene =
                test::openFile(test::writeFile(folder / "t.mdd", mddBytes(48, 1, times, std::vector<float>(48 * 3))));
            ASSERT_TRUE(scene);
            ASSERT_TRUE(scene->rate) << rateValue << " from " << first;
            EXPECT_NEAR(scene->rate->value(), rateValue, 1e-9);
            EXPECT_NEAR(scene->rate->frameAt(test::shapeOf(*scene).sampling().time(0)), first, 1e-6);
        }
}

TEST(Mdd, WritesWhatItReads) {
    const TempFolder folder;
    const Scene scene = test::sheetScene();
    ASSERT_TRUE(test::writeScene(scene, folder / "a.mdd"));
    const auto back = test::openFile(folder / "a.mdd");
    ASSERT_TRUE(back);
    for (std::size_t i = 0; i < 24; ++i)
        EXPECT_TRUE(test::sameBits(test::pointsOf(test::shapeOf(scene), i), test::pointsOf(test::shapeOf(*back), i)));
    EXPECT_EQ(back->rate->text(), "24");
    EXPECT_EQ(back->view.rate.frameAt(test::shapeOf(*back).sampling().time(0)), 1001.0);
}

TEST(Mdd, AFileTruncatedWhileOpenIsAnError) {
    const TempFolder folder;
    ASSERT_TRUE(test::writeScene(test::sheetScene(), folder / "a.mdd"));
    const auto scene = test::openFile(folder / "a.mdd");
    fs::resize_file(folder / "a.mdd", 100);
    std::vector<Vec3f> points;
    const auto status = readPoints(test::shapeOf(*scene), 20, points);
    ASSERT_FALSE(status);
    EXPECT_EQ(status.error().kind, ErrorKind::Changed);
}

TEST(Mdd, AChangingNumberOfPointsIsRefused) {
    const TempFolder folder;
    Scene scene = test::sheetScene();
    std::vector<std::vector<Vec3f>> samples{std::vector<Vec3f>(3), std::vector<Vec3f>(4)};
    scene.nodes[0].geometry =
        std::make_shared<MemoryGeometry>(Sampling::uniform(0, 1.0 / 24, 2), emptyTopology(), samples);
    const auto status = test::writeScene(scene, folder / "a.mdd");
    ASSERT_FALSE(status);
    EXPECT_NE(status.error().what.find("4 points"), std::string::npos);
    EXPECT_TRUE(test::namesIn(folder.path()).empty());
}

} // namespace
} // namespace wyc::mdd_test
