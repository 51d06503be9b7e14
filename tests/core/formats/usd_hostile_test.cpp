// SPDX-License-Identifier: GPL-3.0-or-later
// Layered scenes that are wrong, cut, lying or too much: an error with its place, in bounded time and memory.
#include <gtest/gtest.h>

#include <chrono>
#include <random>

#include "core/formats/usd_fixtures.h"
#include "formats/usd/compose/expression.h"
#include "formats/usd/layer/layer.h"
#include "formats/usd/usd.h"
#include "gather/source.h"
#include "support/temp_folder.h"

namespace wyc::test {
namespace {

Result<SourcePtr> opened(const fs::path& path) {
    SourceSpec spec;
    spec.path = path;
    return openSource(spec, *FrameRate::make(24, 1));
}

// Everything that a scene has, as a writer or a measure would ask for it.
void readAll(const Scene& scene) {
    for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
        const Node& node = scene.nodes[i];
        (void)placementAt(scene, i, 0.5);
        if (node.geometry)
            for (std::size_t s = 0; s < std::min<std::size_t>(node.geometry->sampling().count(), 4); ++s) {
                std::vector<Vec3f> points;
                (void)readPoints(*node.geometry, s, points);
                (void)node.geometry->topology(s);
                (void)node.geometry->faceSets(s);
                (void)node.geometry->ids(s);
            }
        for (const Channel& channel : channelsOf(node.properties))
            if (channel.values->sampling().count() > 0)
                (void)channel.values->read(channel.values->sampling().count() - 1);
    }
}

Result<usd::LayerPtr> textLayer(const TempFolder& folder, const std::string& text) {
    const fs::path path = folder / "layer.usda";
    writeFile(path, text);
    const auto bytes = usd::Bytes::ofFile(path);
    return usd::openLayer(*bytes);
}

TEST(UsdHostile, EachBrokenFileIsRefusedWithItsPlaceOrReadInPart) {
    // Line that the expectations name; of binaries and packages a byte.
    const std::map<std::string, std::uint64_t> lines{
        {"duplicate_prim.usda", 5},  {"no_closing_brace.usda", 5},    {"no_magic.usda", 1},
        {"tuple_too_short.usda", 4}, {"unterminated_string.usda", 4}, {"value_missing.usda", 5}};
    std::size_t seen = 0;
    for (const auto& entry : fs::directory_iterator(usdData() / "broken")) {
        const std::string name = entry.path().filename().string();
        ++seen;
        const auto source = opened(entry.path());
        if (name == "good.usdc") {
            ASSERT_TRUE(source) << source.error().text();
            EXPECT_TRUE((*source)->scene.report.remarks.empty());
            continue;
        }
        if (source) { // in part
            readAll((*source)->scene);
            bool told = !(*source)->scene.report.remarks.empty();
            for (const Node& node : (*source)->scene.nodes)
                if (node.geometry) {
                    std::vector<Vec3f> points;
                    told = told || !readPoints(*node.geometry, 0, points) || !node.geometry->topology(0);
                }
            EXPECT_TRUE(told) << name << " is read without a word";
            continue;
        }
        const Error& error = source.error();
        EXPECT_NE(error.text().find(name), std::string::npos) << error.text();
        EXPECT_TRUE(error.byte || error.line || error.kind == ErrorKind::Unsupported) << error.text();
        if (const auto line = lines.find(name); line != lines.end())
            EXPECT_TRUE(error.line && *error.line + 1 >= line->second && *error.line <= line->second + 1)
                << error.text();
    }
    EXPECT_EQ(seen, 20U);
    EXPECT_FALSE(fs::exists(usdData().parent_path() / "evil.txt"));
}

TEST(UsdHostile, TextIsTakenAndRefusedAsTheGrammarHasIt) {
    const TempFolder folder;
    const auto withValue = [&](const std::string& statement) {
        return textLayer(folder, "#usda 1.0\ndef \"A\"\n{\n    " + statement + "\n}\n");
    };
    const auto numberOf = [&](const std::string& statement) -> std::optional<double> {
        const auto layer = withValue(statement);
        if (!layer)
            return std::nullopt;
        const usd::PropertySpec* property = (*layer)->prim("/A")->property("x");
        const usd::Value* value = property ? property->field("default") : nullptr;
        return value ? value->number() : std::nullopt;
    };
    for (const auto& [text, number] : {std::pair{"double x = 1.e3", 1000.0},
                                       {"double x = -.5", -0.5},
                                       {"int x = 1.0", 1.0},
                                       {"int x = 1e2", 100.0},
                                       {"bool x = yes", 1.0},
                                       {"bool x = True", 1.0},
                                       {"bool x = \"true\"", 1.0},
                                       {"bool x = no", 0.0},
                                       {"double x = 1e400", std::numeric_limits<double>::infinity()},
                                       {"uchar x = 255", 255.0}})
        EXPECT_EQ(numberOf(text), std::optional(number)) << text;
    for (const char* text : {"double x = +2",
                             "int x = 0x10",
                             "int x = 1_000",
                             "uchar x = 300",
                             "uint x = 4294967296",
                             "int x = 1.5",
                             "double x = ",
                             "float3 x = (1, 2)",
                             "float3 x = 1",
                             "double[] x = [1, 2",
                             "double[] x = [[1]]",
                             "double x.timeSamples = {1: 1; 2: 2}",
                             "string x = \"open",
                             "asset x = @open",
                             "double x = 1 double y = 2",
                             "int x = 2\n    float x = 3",
                             "float[] x = [-, 1]",
                             "float3 x = (1, 2, -)",
                             "double x = -",
                             "rel x = </A",
                             "double = 2"})
        EXPECT_FALSE(withValue(text)) << text;
    for (const char* text :
         {"#usda 1.0\ndef Xform\n\"A\"\n{\n}\n", "#usda 1.0\ndef \"A\" {} def \"B\" {}\n",
          "#usda 1.0\ndef \"A\"\n{\n    def \"B\"\n    {\n    }}\n", "#usda 1.0\ndef \"A\"\n{\n}\ndef \"A\"\n{\n}\n",
          "#usda 1.0\ndef \"A/B\"\n{\n}\n", "", "#usda 9.0\n", "hello\n"})
        EXPECT_FALSE(textLayer(folder, text)) << text;
    EXPECT_TRUE(textLayer(folder, "#usda 1.0\ndef \"A\" {}\n"));
    EXPECT_TRUE(withValue("NoSuchType x = anything goes"));
    // Escapes, and the last of two that say one thing.
    const auto layer = withValue("string x = \"\\x41\\101\\u0041\"\n    double y.timeSamples = {1: 1, 2: 2, 1: 5,}");
    ASSERT_TRUE(layer) << layer.error().text();
    EXPECT_EQ(*(*layer)->prim("/A")->property("x")->field("default")->text(), "AAu0041");
    const usd::Samples* samples = (*layer)->prim("/A")->property("y")->field("timeSamples")->samples();
    ASSERT_TRUE(samples);
    EXPECT_EQ(samples->times(), (std::vector<double>{1, 2}));
    EXPECT_EQ(samples->value(0)->number(), 5.0);
}

TEST(UsdHostile, LongArraysAreJudgedWhenTheyAreAskedForWithTheirPlace) {
    const TempFolder folder;
    std::string numbers;
    for (int i = 0; i < 2000; ++i)
        numbers += fmt::format("({}, 2, 3), # a ] in a remark\n", i);
    const auto good = textLayer(folder, "#usda 1.0\ndef \"A\"\n{\n    point3f[] x = [" + numbers + "]\n}\n");
    ASSERT_TRUE(good) << good.error().text();
    const usd::Data* data = (*good)->prim("/A")->property("x")->field("default")->data();
    ASSERT_TRUE(data && data->source);
    EXPECT_EQ(*data->source->count(), 2000U);
    const auto bytes = data->source->read();
    ASSERT_TRUE(bytes) << bytes.error().text();
    float x = 0.0F;
    std::memcpy(&x, bytes->data() + 12 * 1999, 4);
    EXPECT_EQ(x, 1999.0F);
    numbers += "(1, x, 3)\n";
    const auto bad = textLayer(folder, "#usda 1.0\ndef \"A\"\n{\n    point3f[] x = [" + numbers + "]\n}\n");
    ASSERT_TRUE(bad);
    const auto read = (*bad)->prim("/A")->property("x")->field("default")->data()->source->read();
    ASSERT_FALSE(read);
    EXPECT_EQ(read.error().line, std::optional<std::uint64_t>(2004)) << read.error().text();
    EXPECT_NE(read.error().what.find("column 5"), std::string::npos) << read.error().text();
}

TEST(UsdHostile, WhatNeverEndsOrMultipliesIsBounded) {
    const TempFolder folder;
    const auto began = std::chrono::steady_clock::now();
    std::string deep = "#usda 1.0\n";
    for (int i = 0; i < 1'000'000; ++i)
        deep += "def \"a\" {\n";
    EXPECT_FALSE(textLayer(folder, deep));
    std::string dictionaries = "#usda 1.0\n(\n    customLayerData = ";
    for (int i = 0; i < 100'000; ++i)
        dictionaries += "{ dictionary d = ";
    EXPECT_FALSE(textLayer(folder, dictionaries));
    // Each references the next twice: two to the thirtieth prims.
    std::string doubling = "#usda 1.0\n";
    for (int i = 0; i < 30; ++i)
        doubling += fmt::format("def \"p{0}\"\n{{\n    def \"a\" (references = </p{1}>)\n    {{\n    }}\n    def \"b\" "
                                "(references = </p{1}>)\n    {{\n    }}\n}}\n",
                                i, i + 1);
    writeFile(folder / "doubling.usda", doubling + "def \"p30\"\n{\n}\n");
    const auto many = opened(folder / "doubling.usda");
    ASSERT_TRUE(many) << many.error().text();
    EXPECT_TRUE(std::any_of((*many)->scene.report.remarks.begin(), (*many)->scene.report.remarks.end(),
                            [](const ReaderRemark& r) { return r.id == "prim.too_many"; }));
    EXPECT_LE((*many)->scene.nodes.size(), 100'000U);
    // Paths that no prim has.
    std::string far;
    for (int i = 0; i < 100'000; ++i)
        far += "/b";
    writeFile(folder / "paths.usda",
              "#usda 1.0\ndef \"a\" (\n    references = <" + far +
                  ">\n)\n{\n}\ndef \"b\" (\n    inherits = [</c}d>, </c{v>, </c}{v=x}d>]\n)\n{\n}\n");
    EXPECT_TRUE(opened(folder / "paths.usda"));
    // A chain of layers longer than any scene has.
    for (int i = 0; i < 400; ++i)
        writeFile(
            folder / fmt::format("chain{}.usda", i),
            fmt::format("#usda 1.0\n(\n    defaultPrim = \"C\"\n)\ndef \"C\" (references = @./chain{}.usda@)\n{{\n}}\n",
                        i + 1));
    const auto chain = opened(folder / "chain0.usda");
    ASSERT_TRUE(chain) << chain.error().text();
    EXPECT_FALSE((*chain)->scene.report.remarks.empty());
    EXPECT_LT(std::chrono::steady_clock::now() - began, std::chrono::seconds(240)); // slowed by sanitizers, too
}

TEST(UsdHostile, DamagedFilesAreAnsweredWhateverIsRead) {
    const TempFolder folder;
    std::mt19937 random(20);
    std::vector<fs::path> files;
    for (const UsdCase& one : usdCases())
        files.insert(files.end(), one.files.begin(), one.files.end());
    std::sort(files.begin(), files.end());
    const auto* given = std::getenv("WYC_DAMAGES");
    const int rounds = given ? std::atoi(given) : 12;
    std::size_t refused = 0;
    std::size_t readInPart = 0;
    for (const fs::path& file : files) {
        const std::string whole = readFile(file);
        for (int round = 0; round < rounds; ++round) {
            std::string damaged = whole;
            const int changes = 1 + static_cast<int>(random() % 4);
            for (int c = 0; c < changes && !damaged.empty(); ++c) {
                const std::size_t at = random() % damaged.size();
                switch (random() % 4) {
                case 0: damaged[at] = static_cast<char>(random()); break;
                case 1: damaged.resize(at); break;
                case 2: damaged.insert(at, 1 + random() % 8, static_cast<char>(random())); break;
                default: damaged.erase(at, 1 + random() % 16); break;
                }
            }
            const fs::path target = folder / ("damaged" + file.extension().string());
            writeFile(target, damaged);
            const auto source = opened(target);
            if (!source) {
                ++refused;
                EXPECT_FALSE(source.error().what.empty());
                continue;
            }
            ++readInPart;
            readAll((*source)->scene);
        }
    }
    std::printf("%zu damaged layers: %zu refused, %zu read\n", refused + readInPart, refused, readInPart);
    EXPECT_GT(refused, 100U);
    EXPECT_GT(readInPart, 100U);
}

TEST(UsdHostile, CountsThatLieAreNotBelieved) {
    const TempFolder folder;
    std::size_t refused = 0;
    std::size_t files = 0;
    for (const UsdCase& one : usdCases())
        for (const fs::path& file : one.files) {
            const std::string whole = readFile(file);
            if (file.extension() != ".usdc" || whole.size() > 4000)
                continue;
            // Counts begin at whole words; of each file every other.
            for (std::size_t at = 88 + 8 * (files++ % 2); at + 8 <= whole.size(); at += 16) {
                std::string lying = whole;
                lying[at + 5] = '\x08'; // some trillions more
                const auto source = opened(writeFile(folder / "lying.usdc", lying));
                refused += source ? 0U : 1U;
                if (!source)
                    continue;
                readAll((*source)->scene);
                std::vector<Vec3f> points;
                for (const Node& node : (*source)->scene.nodes)
                    if (node.geometry)
                        refused += readPoints(*node.geometry, 0, points) ? 0U : 1U;
            }
        }
    EXPECT_GT(refused, 100U);
}

TEST(UsdHostile, ExpressionsAreWorkedOutOrNot) {
    const auto text = [](const char* word) { return usd::Value::ofText(usd::Base::String, word); };
    const usd::Dictionary variables{{"KIND", text("jelly")}, {"SHOT", text("ls_010")}};
    const auto worked = [&](const std::string& written) {
        return usd::evaluatedExpression("`" + written + "`", &variables);
    };
    EXPECT_EQ(worked("\"shots/${SHOT}/cam.usda\""), "shots/ls_010/cam.usda");
    EXPECT_EQ(worked("${KIND}"), "jelly");
    EXPECT_EQ(worked("if(eq(${KIND}, \"jelly\"), \"a\", 'b')"), "a");
    EXPECT_EQ(worked("if(and(not(eq(${KIND}, \"jelly\")), true), \"a\", \"b\")"), "b");
    EXPECT_EQ(worked("if(contains([\"x\", ${KIND}], \"jelly\"), \"in\", \"out\")"), "in");
    EXPECT_EQ(worked("if(defined(\"NOPE\"), \"a\", \"b\")"), "b");
    EXPECT_EQ(worked("\"${NOPE}\""), std::nullopt);
    EXPECT_EQ(worked("strange(1)"), std::nullopt);
    EXPECT_EQ(worked("\"a\" \"b\""), std::nullopt);
    std::string deep;
    for (int i = 0; i < 100'000; ++i)
        deep += "not(";
    EXPECT_EQ(worked(deep), std::nullopt);
}

} // namespace
} // namespace wyc::test
