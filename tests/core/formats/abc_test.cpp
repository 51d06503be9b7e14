// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <array>
#include <cmath>
#include <cstring>

#include <nlohmann/json.hpp>

#include "formats/abc/abc.h"
#include "formats/abc/archive.h"
#include "formats/abc/archive_write.h"
#include "report/report.h"
#include "scene/components/camera.h"
#include "scene/instances.h"
#include "scene/winding.h"
#include "steps/step.h"

#include "support/expected.h"
#include "support/scenes.h"

namespace wyc::abc_test {
namespace {

using nlohmann::json;
using test::TempFolder;

bool sameValue(const json& a, const json& b) {
    if (a.is_array() && b.is_array()) {
        if (a.size() != b.size())
            return false;
        for (std::size_t i = 0; i < a.size(); ++i)
            if (!sameValue(a[i], b[i]))
                return false;
        return true;
    }
    if (a.is_number() && b.is_number())
        return a == b || std::abs(a.get<double>() - b.get<double>()) <= 1e-12 * std::abs(a.get<double>());
    if (a.is_boolean() && b.is_number())
        return a.get<bool>() == (b.get<double>() != 0.0);
    if (a.is_number() && b.is_boolean())
        return sameValue(b, a);
    return a == b;
}

void compareProperty(const json& ours, const json& theirs) {
    for (const auto& [key, value] : theirs.items()) {
        if (key == "xxh64_all")
            continue;
        if (key != "per_sample") {
            ASSERT_TRUE(ours.contains(key)) << key;
            EXPECT_TRUE(sameValue(ours[key], value)) << key << ": " << ours[key] << " against " << value;
            continue;
        }
        for (const json& sample : value) {
            const auto found = std::find_if(ours[key].begin(), ours[key].end(),
                                            [&](const json& s) { return s["sample"] == sample["sample"]; });
            ASSERT_NE(found, ours[key].end());
            for (const auto& [figure, wanted] : sample.items())
                EXPECT_TRUE(sameValue((*found)[figure], wanted))
                    << figure << ": " << (*found)[figure] << " against " << wanted;
        }
    }
}

// Every archive that the format's reference library wrote: every property, sample, time and metadata.
TEST(AbcForeign, StructuresReadAsTheReferenceReadsThem) {
    const auto files = test::foreignFiles("abc", ".abc");
    ASSERT_GE(files.size(), 8U);
    for (const auto& [path, expected] : files) {
        SCOPED_TRACE(path.filename().string());
        const auto structure = abc::structure(path);
        ASSERT_TRUE(structure) << structure.error().text();
        EXPECT_EQ((*structure)["metadata"], expected["archive"]["metadata"]);
        ASSERT_EQ((*structure)["time_samplings"].size(), expected["time_samplings"].size());
        for (std::size_t i = 0; i < expected["time_samplings"].size(); ++i)
            compareProperty((*structure)["time_samplings"][i], expected["time_samplings"][i]);
        std::map<std::string, json> objects;
        for (const json& object : (*structure)["objects"])
            objects[object["path"]] = object;
        for (const json& object : expected["objects"]) {
            if (object.contains("below_instance") || object.contains("instance_of"))
                continue; // the container holds them once; placed: see below
            SCOPED_TRACE(object["path"].get<std::string>());
            ASSERT_TRUE(objects.contains(object["path"]));
            const json& ours = objects[object["path"]];
            EXPECT_EQ(ours["metadata"], object.value("metadata", json::object()));
            ASSERT_EQ(ours["properties"].size(), object["properties"].size());
            for (std::size_t p = 0; p < object["properties"].size(); ++p) {
                SCOPED_TRACE(object["properties"][p]["path"].get<std::string>());
                compareProperty(ours["properties"][p], object["properties"][p]);
            }
        }
    }
}

void compareCamera(const Scene& scene, std::size_t node, double time, const json& expected) {
    const auto view = cameraAt(scene, node, time);
    ASSERT_TRUE(view) << view.error().text();
    const CameraFigures& f = view->figures;
    const auto linear = expected.find("focal_length_mm_linear");
    EXPECT_NEAR(f.focalLength, (linear == expected.end() ? expected["focal_length_mm"] : *linear).get<double>(), 1e-9);
    EXPECT_EQ(f.horizontalAperture, expected["aperture_cm"][0].get<double>());
    EXPECT_EQ(f.verticalOffset, expected["film_offset_cm"][1].get<double>());
    EXPECT_EQ(f.squeeze, expected["lens_squeeze"].get<double>());
    EXPECT_EQ(f.overscanTop, expected["overscan_left_right_top_bottom"][2].get<double>());
    EXPECT_EQ(f.farClip, expected["clipping"][1].get<double>());
    EXPECT_EQ(f.shutterClose, expected["shutter_s"][1].get<double>());
    for (std::size_t r = 0; r < 3; ++r)
        for (std::size_t c = 0; c < 3; ++c)
            EXPECT_NEAR(view->filmBack[r * 3 + c], expected["film_back_matrix"][r][c].get<double>(), 1e-9);
}

// World matrices, visibility and points at times, as the reference evaluates them.
TEST(AbcForeign, ScenesEvaluateAsTheReferenceEvaluatesThem) {
    std::size_t compared = 0;
    for (const auto& [path, expected] : test::foreignFiles("abc", ".abc")) {
        SCOPED_TRACE(path.filename().string());
        const auto scene = test::openFile(path);
        ASSERT_TRUE(scene) << scene.error().text();
        if (!expected.contains("evaluated"))
            continue;
        const auto placed = expandedInstances(*scene);
        ASSERT_TRUE(placed) << placed.error().text();
        for (const json& object : expected["evaluated"]["objects"]) {
            const auto node = placed->find(object["path"].get<std::string>());
            ASSERT_TRUE(node) << object["path"];
            SCOPED_TRACE(object["path"].get<std::string>());
            for (const json& at : object["at"]) {
                const double time = at["time"];
                const auto placement = placementAt(*placed, *node, time);
                ASSERT_TRUE(placement) << placement.error().text();
                const json& world = at.contains("world_linear") ? at["world_linear"]
                                    : at.contains("world")      ? at["world"]
                                                                : json();
                if (world.is_array()) {
                    for (std::size_t k = 0; k < 16; ++k)
                        EXPECT_NEAR(placement->matrix.m[k], world[k].get<double>(),
                                    1e-9 * std::max(1.0, std::abs(world[k].get<double>())))
                            << k;
                    ++compared;
                }
                if (at.contains("camera"))
                    compareCamera(*placed, *node, time, at["camera"]);
                if (at.contains("visible"))
                    EXPECT_EQ(placement->visible, at["visible"].get<bool>()) << time;
                const Node& it = placed->nodes[*node];
                if (it.geometry && at.contains("points") && at["points"].is_number()) {
                    const auto position = it.geometry->sampling().locate(time);
                    const auto points = test::pointsOf(*it.geometry, position.below);
                    EXPECT_EQ(points.size(), at["points"].get<std::size_t>());
                    if (at.contains("points_head"))
                        for (std::size_t i = 0; i < at["points_head"].size(); ++i)
                            EXPECT_EQ(points[i].y, at["points_head"][i][1].get<float>());
                }
            }
        }
    }
    EXPECT_GT(compared, 20U);
}

// What we write from a foreign archive has the structure of the foreign one: every object, property, sample, time and
// number, unused time samplings and all. Written twice, it is the same bytes.
TEST(AbcWrite, RewrittenForeignArchivesHaveTheSameStructureAndTheSameBytesAgain) {
    const TempFolder folder;
    const auto files = test::foreignFiles("abc", ".abc");
    ASSERT_GE(files.size(), 14U);
    for (const auto& [foreign, expected] : files) {
        SCOPED_TRACE(foreign.filename().string());
        const auto scene = test::openFile(foreign);
        ASSERT_TRUE(scene) << scene.error().text();
        const fs::path ours = folder / foreign.filename();
        const fs::path again = folder / ("again_" + foreign.filename().string());
        const auto written = test::writeScene(*scene, ours);
        ASSERT_TRUE(written) << written.error().text();
        json a = *abc::structure(foreign);
        json b = *abc::structure(ours);
        for (json* side : {&a, &b}) { // who wrote it, when, and with which version may differ
            side->erase("metadata");
            side->erase("library_version");
            (*side)["objects"][0].erase("metadata");
        }
        EXPECT_EQ(a, b) << json::diff(a, b).dump(1).substr(0, 2000);
        const auto reread = test::openFile(ours);
        ASSERT_TRUE(reread);
        ASSERT_TRUE(test::writeScene(*reread, again));
        EXPECT_EQ(test::readFile(ours), test::readFile(again));
    }
}

TEST(AbcWrite, PointsFacesUvsNormalsAndTimesComeBackBitForBit) {
    const TempFolder folder;
    for (const char* name : {"mesh_deforming", "mesh_acyclic_times", "mesh_varying_topology", "uv_and_normals",
                             "polygons_5_to_60_corners"}) {
        SCOPED_TRACE(name);
        const auto first = test::openFile(fs::path(WYC_TEST_DATA) / "abc" / (std::string(name) + ".abc"));
        ASSERT_TRUE(first);
        const fs::path path = folder / (std::string(name) + ".abc");
        ASSERT_TRUE(test::writeScene(*first, path));
        const auto second = test::openFile(path);
        ASSERT_TRUE(second);
        ASSERT_EQ(first->nodes.size(), second->nodes.size());
        for (std::size_t n = 0; n < first->nodes.size(); ++n) {
            EXPECT_EQ(first->nodes[n].path, second->nodes[n].path);
            const GeometryPtr& a = first->nodes[n].geometry;
            const GeometryPtr& b = second->nodes[n].geometry;
            ASSERT_EQ(a == nullptr, b == nullptr);
            if (!a)
                continue;
            EXPECT_EQ(a->sampling(), b->sampling());
            for (std::size_t i = 0; i < a->sampling().count(); ++i) {
                EXPECT_TRUE(test::sameBits(test::pointsOf(*a, i), test::pointsOf(*b, i)));
                EXPECT_EQ((*a->topology(i))->hash(), (*b->topology(i))->hash());
                EXPECT_EQ(test::onMesh(first->nodes[n], i), test::onMesh(second->nodes[n], i));
            }
        }
    }
}

TEST(AbcWrite, SameSceneSameBytes) {
    const TempFolder folder;
    ASSERT_TRUE(test::writeScene(test::sheetScene(), folder / "a.abc"));
    ASSERT_TRUE(test::writeScene(test::sheetScene(), folder / "b.abc"));
    EXPECT_EQ(test::readFile(folder / "a.abc"), test::readFile(folder / "b.abc"));
}

TEST(AbcWrite, EqualContentsAreStoredOnce) {
    const TempFolder folder;
    test::SheetOptions options;
    options.rows = options.columns = 40;
    options.count = 50;
    options.pose = [](double) { return 1.0; };
    ASSERT_TRUE(test::writeScene(test::sheetScene(options), folder / "held.abc"));
    options.count = 1;
    ASSERT_TRUE(test::writeScene(test::sheetScene(options), folder / "one.abc"));
    EXPECT_LT(fs::file_size(folder / "held.abc"), fs::file_size(folder / "one.abc") + 400);
    const auto back = test::openFile(folder / "held.abc");
    EXPECT_EQ(test::shapeOf(*back).sampling().count(), 50U);
    EXPECT_TRUE(test::shapeOf(*back).pointsConstant());
}

TEST(AbcWrite, UnitAxisAndRateAreKept) {
    const TempFolder folder;
    Scene scene = test::sheetScene();
    scene.unitMetres = 0.01;
    scene.upAxis = UpAxis::Z;
    scene.rate = scene.view.rate = *FrameRate::parse("24000/1001");
    ASSERT_TRUE(test::writeScene(scene, folder / "a.abc"));
    const auto back = test::openFile(folder / "a.abc");
    ASSERT_TRUE(back);
    EXPECT_EQ(back->unitMetres, 0.01);
    EXPECT_EQ(back->upAxis, UpAxis::Z);
    EXPECT_EQ(back->rate->text(), "24000/1001");
}

TEST(AbcWrite, AShapeWithATransformOfItsOwnGetsOneAbove) {
    const TempFolder folder;
    Scene scene = test::sheetScene();
    scene.nodes[0].transform = MemoryTransform::fixed(Mat4::translation({1, 2, 3}));
    ASSERT_TRUE(test::writeScene(scene, folder / "a.abc"));
    const auto back = test::openFile(folder / "a.abc");
    const auto node = back->find("/sheet/sheet");
    ASSERT_TRUE(node);
    EXPECT_EQ(placementAt(*back, *node, 0)->matrix, Mat4::translation({1, 2, 3}));
}

TEST(AbcWrite, NoPointsAndBarePointsAreArchivesToo) {
    const TempFolder folder;
    Scene scene;
    ASSERT_TRUE(test::writeScene(scene, folder / "empty.abc"));
    EXPECT_TRUE(test::openFile(folder / "empty.abc")->nodes.empty());
    scene = test::sheetScene();
    scene.nodes[0].kind = NodeKind::Points;
    ASSERT_TRUE(test::writeScene(scene, folder / "points.abc"));
    const auto back = test::openFile(folder / "points.abc");
    ASSERT_TRUE(back);
    EXPECT_EQ(back->nodes[0].kind, NodeKind::Points);
    EXPECT_TRUE(test::sameBits(test::pointsOf(test::shapeOf(scene), 5), test::pointsOf(test::shapeOf(*back), 5)));
}

TEST(Winding, TurnedTwiceIsAsItWas) {
    const auto topology = *Topology::make({3, 4, 5, 1, 2, 0}, {0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14});
    const auto once = *turned(*topology);
    EXPECT_EQ(std::vector<std::int32_t>(once->corners().begin(), once->corners().begin() + 7),
              (std::vector<std::int32_t>{0, 2, 1, 3, 6, 5, 4}));
    EXPECT_EQ((*turned(*once))->hash(), topology->hash());
    std::vector<float> numbers(15);
    std::iota(numbers.begin(), numbers.end(), 0.0F);
    const auto raw = std::as_bytes(std::span(numbers));
    const PropertyValue values{{raw.begin(), raw.end()}, {}};
    PropertyValue around = values;
    turnCorners(*topology, around);
    std::memcpy(numbers.data(), around.bytes.data(), around.bytes.size());
    for (std::size_t c = 0; c < 15; ++c) // the value still belongs to the same point
        EXPECT_EQ(numbers[c], static_cast<float>(once->corners()[c]));
    turnCorners(*topology, around);
    EXPECT_EQ(around, values);
}

TEST(Archive, RefusesWhatIsNoArchiveInSoManyWords) {
    const TempFolder folder;
    const auto says = [&](const std::string& bytes) {
        const auto archive = abc::Archive::open(test::writeFile(folder / "a.abc", bytes));
        return archive ? std::string() : archive.error().text();
    };
    EXPECT_NE(says("").find("Ogawa"), std::string::npos);
    EXPECT_NE(says("just some text, long enough").find("Ogawa"), std::string::npos);
    EXPECT_NE(says(std::string("\x89HDF\r\n\x1a\n", 8) + std::string(64, '\0')).find("HDF5"), std::string::npos);
    std::string good = test::readFile(fs::path(WYC_TEST_DATA) / "abc/mesh_static.abc");
    good[5] = 0;
    EXPECT_NE(says(good).find("not finished"), std::string::npos);
    good[5] = static_cast<char>(0xff);
    good[7] = 9;
    EXPECT_NE(says(good).find("version"), std::string::npos);
}

// Containers made by hand: each hides one thing that a reader can fall for.
class HandMade {
  public:
    HandMade() { bytes_ = std::string("Ogawa\xff\0\1", 8) + std::string(8, '\0'); }
    std::uint64_t data(const std::string& content) {
        const std::uint64_t at = bytes_.size();
        number(content.size());
        bytes_ += content;
        return at | abc::kDataBit;
    }
    std::uint64_t group(const std::vector<std::uint64_t>& children) {
        const std::uint64_t at = bytes_.size();
        number(children.size());
        for (const std::uint64_t child : children)
            number(child);
        return at;
    }
    void patch(std::uint64_t at, std::uint64_t value) { std::memcpy(bytes_.data() + at, &value, 8); }
    fs::path finish(const TempFolder& folder, std::uint64_t top) {
        const auto version = data(std::string(4, '\0'));
        const std::uint32_t count = 1;
        std::string sampling(reinterpret_cast<const char*>(&count), 4);
        const double cycle = 1.0;
        sampling.append(reinterpret_cast<const char*>(&cycle), 8)
            .append(reinterpret_cast<const char*>(&count), 4)
            .append(8, '\0');
        const auto samplings = data(sampling);
        const auto empty = data("");
        patch(8, group({version, version, top, empty, samplings, empty}));
        return test::writeFile(folder / "made.abc", bytes_);
    }
    static std::string childHeader(const std::string& name) {
        const auto size = static_cast<std::uint32_t>(name.size());
        return std::string(reinterpret_cast<const char*>(&size), 4) + name + std::string(1, '\0');
    }
    [[nodiscard]] std::uint64_t size() const { return bytes_.size(); }

  private:
    void number(std::uint64_t value) { bytes_.append(reinterpret_cast<const char*>(&value), 8); }
    std::string bytes_;
};

TEST(Archive, ObjectsThatListTheirParentAreACircle) {
    const TempFolder folder;
    HandMade made;
    const auto headers = made.data(HandMade::childHeader("me") + std::string(32, '\0'));
    const std::uint64_t self = made.size();
    const auto group = made.group({0, self, headers});
    const auto archive = abc::Archive::open(made.finish(folder, group));
    ASSERT_FALSE(archive);
    EXPECT_NE(archive.error().what.find("circle"), std::string::npos) << archive.error().what;
    EXPECT_TRUE(archive.error().byte);
}

TEST(Archive, TheSameChildAgainAndAgainDoesNotMultiply) {
    const TempFolder folder;
    HandMade made;
    std::string tenHeaders;
    for (int i = 0; i < 10; ++i)
        tenHeaders += HandMade::childHeader("c" + std::to_string(i));
    const auto headers = made.data(tenHeaders + std::string(32, '\0'));
    std::uint64_t level = made.group({0, made.data(std::string(32, '\0'))});
    for (int depth = 0; depth < 14; ++depth) { // 10^14 objects, if each were entered every time
        std::vector<std::uint64_t> children{0};
        children.insert(children.end(), 10, level);
        children.push_back(headers);
        level = made.group(children);
    }
    EXPECT_FALSE(abc::Archive::open(made.finish(folder, level)));
}

TEST(Archive, TenThousandLevelsAreTooDeep) {
    const TempFolder folder;
    HandMade made;
    const auto headers = made.data(HandMade::childHeader("deeper") + std::string(32, '\0'));
    std::uint64_t level = made.group({0, made.data(std::string(32, '\0'))});
    for (int depth = 0; depth < 10000; ++depth)
        level = made.group({0, level, headers});
    const auto archive = abc::Archive::open(made.finish(folder, level));
    ASSERT_FALSE(archive);
    EXPECT_NE(archive.error().what.find("deep"), std::string::npos);
}

TEST(Archive, TwoObjectsOfOneNameAreRefused) {
    const TempFolder folder;
    HandMade made;
    const auto leafA = made.group({0, made.data(std::string(32, '\0'))});
    const auto leafB = made.group({0, made.data(std::string(32, '\0'))});
    const auto top =
        made.group({0, leafA, leafB,
                    made.data(HandMade::childHeader("twin") + HandMade::childHeader("twin") + std::string(32, '\0'))});
    const auto archive = abc::Archive::open(made.finish(folder, top));
    ASSERT_FALSE(archive);
    EXPECT_NE(archive.error().what.find("twin"), std::string::npos);
}

TEST(Archive, AHeaderBlockWithLeftOverBytesIsRefused) {
    const TempFolder folder;
    HandMade made;
    const auto leaf = made.group({0, made.data(std::string(32, '\0'))});
    const auto top = made.group({0, leaf, made.data(HandMade::childHeader("a") + "xx" + std::string(32, '\0'))});
    EXPECT_FALSE(abc::Archive::open(made.finish(folder, top)));
}

// A property header: info, then numbers of one byte each.
std::string propertyHeader(std::uint32_t info, const std::string& numbers, const std::string& name) {
    return std::string(reinterpret_cast<const char*>(&info), 4) + numbers +
           std::string(1, static_cast<char>(name.size())) + name;
}

TEST(Archive, CountsThatLieAreRefused) {
    const TempFolder folder;
    const auto open = [&](std::uint32_t info, const std::string& numbers, std::size_t storedSamples) {
        HandMade made;
        std::vector<std::uint64_t> samples(storedSamples, made.data(std::string(16 + 4, 'x')));
        const auto property = made.group(samples);
        const auto compound = made.group({property, made.data(propertyHeader(info, numbers, "p"))});
        const auto top = made.group({compound, made.data(std::string(32, '\0'))});
        return abc::Archive::open(made.finish(folder, top));
    };
    constexpr std::uint32_t kScalarFloat = 1U | (10U << 4) | (1U << 12);
    EXPECT_TRUE(open(kScalarFloat, std::string(1, 3), 3)) << open(kScalarFloat, std::string(1, 3), 3).error().text();
    EXPECT_FALSE(open(kScalarFloat, std::string(1, 9), 3));                 // 9 said, 3 stored
    EXPECT_FALSE(open(1U | (10U << 4), std::string(1, 3), 3));              // an extent of 0
    EXPECT_FALSE(open(kScalarFloat | 0x100U, std::string("\3\7", 2), 3));   // time sampling 7 of 1
    EXPECT_FALSE(open(kScalarFloat | (77U << 20), std::string(1, 3), 3));   // metadata 77 of none
    EXPECT_FALSE(open(1U | (15U << 4) | (1U << 12), std::string(1, 3), 3)); // no such element type
    EXPECT_FALSE(open(kScalarFloat | 0x200U, std::string("\3\2\1", 3), 3)); // changes from 2 to 1
    EXPECT_FALSE(open(kScalarFloat | 12U, std::string(1, 3), 3));           // no such number width
    EXPECT_FALSE(
        open(kScalarFloat | 8U | 0x800U, std::string("\xff\xff\xff\x7f", 4), 3)); // two thousand million samples
}

TEST(Archive, SamplesShorterThanTheirValuesAreRefusedWhenRead) {
    const TempFolder folder;
    HandMade made;
    const auto property = made.group({made.data(std::string(18, 'x'))});
    const auto compound = made.group(
        {property, made.data(propertyHeader(1U | (10U << 4) | (1U << 12) | 0x800U, std::string(1, 1), "p"))});
    const auto top = made.group({compound, made.data(std::string(32, '\0'))});
    const auto archive = abc::Archive::open(made.finish(folder, top));
    ASSERT_TRUE(archive) << archive.error().text();
    EXPECT_FALSE((*archive)->values<float>((*archive)->objects()[0].properties[0], 0));
}

TEST(Archive, StoredSamplesAreFoundByFirstAndLastChange) {
    abc::Property property;
    property.sampleCount = 12;
    property.firstChanged = 4;
    property.lastChanged = 7;
    const std::vector<std::uint64_t> wanted{0, 0, 0, 0, 1, 2, 3, 4, 4, 4, 4, 4};
    for (std::uint64_t i = 0; i < 12; ++i)
        EXPECT_EQ(property.storedIndex(i), wanted[i]) << i;
    property.constant = true;
    EXPECT_EQ(property.storedIndex(9), 0U);
}

// Names of a camera's parts mean nothing elsewhere: what another schema keeps under them goes on as it is.
TEST(AbcWrite, GroupsThatAreCalledLikeACamerasStayTheirOwners) {
    const TempFolder folder;
    {
        auto writer = abc::ArchiveWriter::create(folder / "a.abc", {});
        ASSERT_TRUE(writer);
        const auto object = (*writer)->addObject((*writer)->topObject(), "o", {{"schema", "Other_v1"}});
        const auto group = (*writer)->addCompound(object, ".core", {});
        const auto number =
            (*writer)->addProperty(group, {"mass", abc::Property::Kind::Scalar, abc::Pod::Double, 1, {}, 0});
        const double mass = 7.5;
        ASSERT_TRUE((*writer)->addValues<double>(number, std::span(&mass, 1)));
        const auto flat = (*writer)->addCompound(object, ".geom", {});
        const auto sixteen =
            (*writer)->addProperty(flat, {".core", abc::Property::Kind::Scalar, abc::Pod::Double, 16, {}, 0});
        std::array<double, 16> all{};
        all.fill(3.6);
        ASSERT_TRUE((*writer)->addValues<double>(sixteen, all));
        ASSERT_TRUE((*writer)->finish());
    }
    const auto scene = test::openFile(folder / "a.abc");
    ASSERT_TRUE(scene) << scene.error().text();
    const auto stepped = applySteps(*scene, {{"scale", {{"factor", 2.0}}}, {"offset", {{"frames", 2}}}});
    ASSERT_TRUE(stepped) << stepped.error().text();
    ASSERT_TRUE(test::writeScene(*stepped, folder / "b.abc"));
    const auto archive = abc::Archive::open(folder / "b.abc");
    ASSERT_TRUE(archive);
    const abc::Object& object = (*archive)->objects()[1];
    const abc::Property* group = object.property(".core");
    ASSERT_TRUE(group && group->child("mass"));
    EXPECT_EQ((*(*archive)->values<double>(*group->child("mass"), 0))[0], 7.5);
    const abc::Property* flat = object.property(".geom");
    ASSERT_TRUE(flat && flat->child(".core"));
    EXPECT_EQ((*(*archive)->values<double>(*flat->child(".core"), 0)), std::vector<double>(16, 3.6));
}

TEST(ArchiveWriter, HeldRunsAndReturningContents) {
    const TempFolder folder;
    auto writer = abc::ArchiveWriter::create(folder / "a.abc", {});
    ASSERT_TRUE(writer);
    const auto sampling = (*writer)->addTimeSampling(Sampling::uniform(0, 0.5, 1));
    EXPECT_EQ((*writer)->addTimeSampling(Sampling::uniform(0, 0.5, 99)), sampling);
    EXPECT_EQ((*writer)->addTimeSampling(Sampling::still()), 0U);
    const auto object = (*writer)->addObject((*writer)->topObject(), "o", {{"k", "v"}});
    const auto property =
        (*writer)->addProperty(object, {"p", abc::Property::Kind::Array, abc::Pod::Int32, 1, {}, sampling});
    const std::vector<std::vector<std::int32_t>> samples{{1}, {1}, {2, 2}, {2, 2}, {2, 2}, {}, {1}, {1}};
    for (const auto& sample : samples)
        ASSERT_TRUE((*writer)->addValues<std::int32_t>(property, sample));
    ASSERT_TRUE((*writer)->finish());
    const auto archive = abc::Archive::open(folder / "a.abc");
    ASSERT_TRUE(archive) << archive.error().text();
    const abc::Property& back = (*archive)->objects()[1].properties[0];
    EXPECT_EQ(back.firstChanged, 2U);
    EXPECT_EQ(back.lastChanged, 6U);
    for (std::size_t i = 0; i < samples.size(); ++i)
        EXPECT_EQ(*(*archive)->values<std::int32_t>(back, i), samples[i]) << i;
    EXPECT_EQ((*archive)->sample(back, 0)->position, (*archive)->sample(back, 7)->position);
    EXPECT_EQ((*archive)->objects()[1].metadata.at("k"), "v");
}

TEST(ArchiveWriter, ManyNamesLongNamesAndLongMetadata) {
    const TempFolder folder;
    auto writer = abc::ArchiveWriter::create(folder / "a.abc", {});
    for (int i = 0; i < 400; ++i) { // beyond the 254 that fit the index
        const auto object =
            (*writer)->addObject((*writer)->topObject(), "o" + std::to_string(i) + std::string(300, 'n'),
                                 {{"number", std::to_string(i)}, {"long", std::string(i % 2 ? 10 : 400, 'm')}});
        const auto property = (*writer)->addProperty(object, {std::string(i == 7 ? 70000 : 20, 'p'),
                                                              abc::Property::Kind::Scalar,
                                                              abc::Pod::UInt8,
                                                              1,
                                                              {{"unit", std::string(i % 3 ? 5 : 300, 'u')}},
                                                              0});
        const std::uint8_t value = static_cast<std::uint8_t>(i);
        ASSERT_TRUE((*writer)->addValues<std::uint8_t>(property, std::span(&value, 1)));
    }
    ASSERT_TRUE((*writer)->finish());
    const auto archive = abc::Archive::open(folder / "a.abc");
    ASSERT_TRUE(archive) << archive.error().text();
    ASSERT_EQ((*archive)->objects().size(), 401U);
    for (std::size_t i = 0; i < 400; ++i) {
        const abc::Object& object = (*archive)->objects()[i + 1];
        EXPECT_EQ(object.metadata.at("number"), std::to_string(i));
        EXPECT_EQ(object.properties[0].metadata.at("unit").size(), i % 3 ? 5U : 300U);
        EXPECT_EQ((*(*archive)->values<std::uint8_t>(object.properties[0], 0))[0], static_cast<std::uint8_t>(i));
    }
    EXPECT_EQ((*archive)->objects()[8].properties[0].name.size(), 70000U);
}

TEST(AbcRead, AFaceThatUsesAPointThatIsNotThereIsListedNotDrawn) {
    const fs::path path = fs::path(WYC_SHARED_FIXTURES) / "abc/broken/face_index_outside.abc";
    if (!fs::exists(path))
        GTEST_SKIP() << "the shared fixtures are not here";
    const auto source = openSource({path, {}, {}, true}, FrameRate());
    ASSERT_TRUE(source);
    const auto info = sourceInfo(**source, false);
    ASSERT_TRUE(info);
    ASSERT_EQ((*info)["findings"].size(), 1U);
    EXPECT_EQ((*info)["findings"][0]["id"], "faces.out_of_range");
    EXPECT_NE((*info)["findings"][0]["text"].get<std::string>().find("999,999 of 117"), std::string::npos);
    const TempFolder folder;
    EXPECT_FALSE(test::writeScene((*source)->scene, folder / "x.obj"));
}

} // namespace
} // namespace wyc::abc_test
