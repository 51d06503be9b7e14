// SPDX-License-Identifier: GPL-3.0-or-later
// The model's own promises, one by one: maps, choice of samples, what survives merging, renaming, writing.
#include <gtest/gtest.h>

#include <nlohmann/json.hpp>

#include "delivery/ask/chain.h"
#include "delivery/delivery.h"
#include "scene/components/camera.h"
#include "scene/components/light.h"
#include "scene/instances.h"
#include "scene/layers.h"
#include "support/expected.h"
#include "support/scenes.h"
#include "workbench/workbench.h"

namespace wyc::model_test {
namespace {

using nlohmann::json;
using test::TempFolder;

const FrameRate kRate;

std::vector<double> frames(const Sampling& sampling) {
    std::vector<double> result;
    for (const double time : sampling.times())
        result.push_back(snappedFrame(kRate.frameAt(time)));
    return result;
}

// A prop on a dolly that has two keys.
Scene dolly(double firstKey, double lastKey, double metres) {
    test::SheetOptions still;
    still.count = 1;
    Scene scene = test::sheetScene(still);
    scene.rate = kRate;
    Node group{"dolly", "/dolly", -1, NodeKind::Transform, nullptr, nullptr, {}, {}};
    group.transform =
        std::make_shared<MemoryTransform>(Sampling::acyclic({kRate.secondsAt(firstKey), kRate.secondsAt(lastKey)}),
                                          std::vector<TransformOp>{{TransformOp::Kind::Translate, 0}},
                                          std::vector<std::vector<double>>{{0, 0, 0}, {metres, 0, 0}});
    scene.nodes[0].parent = 0;
    scene.nodes[0].path = "/dolly/sheet";
    scene.nodes.insert(scene.nodes.begin(), group);
    return scene;
}

double placeAt(const Scene& scene, const char* path, double frame) {
    const auto node = scene.find(path);
    return placementAt(scene, *node, scene.view.rate.secondsAt(frame))->matrix.m[12];
}

TEST(Maps, ComposeAndSayWhichMomentIsShown) {
    const TimeMap later = TimeMap::run(10.0, 0.0); // shows at 10 what was at 0
    const TimeMap faster = TimeMap::run(0.0, 0.0, 2.0);
    EXPECT_DOUBLE_EQ(faster.of(later).at(8.0)[0].seconds, 6.0); // 8 s → 16 s of the moved one → 6 s
    EXPECT_DOUBLE_EQ(faster.of(later).at(8.0)[0].speed, 2.0);
    EXPECT_DOUBLE_EQ(later.of(faster).at(8.0)[0].seconds, -4.0);
    const TimeMap held = TimeMap::heldOutside({2.0, 3.0});
    EXPECT_EQ(held.at(1.0)[0].seconds, 2.0);
    EXPECT_EQ(held.at(1.0)[0].speed, 0.0);
    EXPECT_EQ(held.at(3.0)[0].speed, 1.0); // the moment at which it comes to rest is still one of the motion
    EXPECT_EQ(held.at(9.0)[0].seconds, 3.0);
    EXPECT_EQ(TimeMap().at(4.5)[0].seconds, 4.5);
    const auto times = held.of(later).outputTimesOf({-7.5, -6.0});
    EXPECT_EQ(times, (std::vector<double>{2.0, 2.5, 3.0})); // −6 is never shown
}

TEST(Samples, ADollyThatRestsBehindItsLastKeyStaysThere) {
    const Scene scene = dolly(1001, 1010, 9.0);
    const auto cut = applySteps(scene, {{"trim", {{"first", 1020}, {"last", 1030}}, true}});
    ASSERT_TRUE(cut) << cut.error().text();
    EXPECT_EQ(placeAt(*cut, "/dolly/sheet", 1025), 9.0);
    EXPECT_EQ(cut->nodes[0].transform->channels(0).value()[0], 9.0); // and so it is written
}

TEST(Samples, ARangeBetweenTwoKeysKeepsTheMotion) {
    const Scene scene = dolly(1000, 1100, 10.0);
    const auto cut = applySteps(scene, {{"trim", {{"first", 1020}, {"last", 1030}}, true}});
    EXPECT_EQ(frames(cut->nodes[0].transform->sampling()), (std::vector<double>{1020, 1030}));
    EXPECT_NEAR(placeAt(*cut, "/dolly/sheet", 1027), 2.7, 1e-9);
}

TEST(Samples, AHalfTurnBetweenTwoKeysKeepsItsSizeInWorldSpace) {
    Scene scene = dolly(1001, 1025, 0.0);
    scene.nodes[0].transform = std::make_shared<MemoryTransform>(
        scene.nodes[0].transform->sampling(), std::vector<TransformOp>{{TransformOp::Kind::RotateY, 0}},
        std::vector<std::vector<double>>{{0}, {180}});
    const auto baked = applySteps(scene, {{"world", json::object(), true}});
    const Geometry& shape = test::shapeOf(*baked);
    ASSERT_EQ(shape.sampling().count(), 25U); // every frame
    const auto before = test::pointsOf(test::shapeOf(scene), 0);
    const auto middle = test::pointsOf(shape, 12);
    for (std::size_t i = 0; i < before.size(); ++i)
        EXPECT_NEAR(std::hypot(middle[i].x, middle[i].z), std::hypot(before[i].x, before[i].z), 1e-5);
}

TEST(Samples, AShutterReadsTheMotionBeyondARangeAndBetweenKeptFrames) {
    // A pose every quarter of a frame.
    std::vector<std::vector<Vec3f>> samples;
    for (int i = 0; i < 100; ++i)
        samples.push_back({{static_cast<float>(i), 0, 0}});
    Scene scene = test::sheetScene();
    scene.nodes[0].geometry = std::make_shared<MemoryGeometry>(
        Sampling::uniform(kRate.secondsAt(1000), kRate.secondsAt(0.25), 100), emptyTopology(), samples);
    const Step shutter{"shutter", {{"open", -0.25}, {"close", 0.25}, {"samples", 3}}, true};
    for (const Step& first :
         {Step{"trim", {{"first", 1004}, {"last", 1008}}, true}, Step{"keep", {{"frames", "1004,1006,1008"}}, true},
          Step{"every", {{"count", 8}}, true}}) {
        const auto result = applySteps(scene, {first, shutter});
        ASSERT_TRUE(result) << result.error().text();
        const Geometry& shape = test::shapeOf(*result);
        EXPECT_GE(shape.sampling().count(), 9U);
        for (std::size_t i = 0; i < shape.sampling().count(); ++i)
            EXPECT_NEAR(test::pointsOf(shape, i)[0].x,
                        std::max(0.0, (kRate.frameAt(shape.sampling().time(i)) - 1000) * 4), 1e-3)
                << first.type << " " << i;
    }
}

TEST(Samples, ClosingAGapMovesAllTracksTogetherAndKeepsTimesRising) {
    Scene scene = test::sheetScene(); // points at every frame, a group above with three keys, some between frames
    Node group{"dolly", "/dolly", -1, NodeKind::Transform, nullptr, nullptr, {}, {}};
    group.transform = std::make_shared<MemoryTransform>(
        Sampling::acyclic({kRate.secondsAt(1001), kRate.secondsAt(1011.5), kRate.secondsAt(1024)}),
        std::vector<TransformOp>{{TransformOp::Kind::Translate, 0}},
        std::vector<std::vector<double>>{{0, 0, 0}, {10.5, 0, 0}, {23, 0, 0}}); // a metre a frame
    scene.nodes[0].parent = 0;
    scene.nodes[0].path = "/dolly/sheet";
    scene.nodes.insert(scene.nodes.begin(), group);
    const auto closed = applySteps(scene, {{"drop", {{"frames", "1010:1012"}, {"close", true}}, true}});
    ASSERT_TRUE(closed) << closed.error().text();
    const auto times = closed->nodes[0].transform->sampling().times();
    for (std::size_t i = 1; i < times.size(); ++i)
        EXPECT_GT(times[i], times[i - 1]);
    for (double frame = 1001; frame <= 1021; frame += 1.0) {
        const double was = frame < 1010 ? frame : frame + 3.0;
        EXPECT_NEAR(placeAt(*closed, "/dolly/sheet", frame), was - 1001, 1e-9) << frame;
        std::vector<Vec3f> now;
        ASSERT_TRUE(readPointsAt(test::shapeOf(*closed), kRate.secondsAt(frame), now));
        EXPECT_TRUE(test::sameBits(now, test::pointsOf(test::shapeOf(scene), static_cast<std::size_t>(was - 1001))));
    }
}

TEST(Samples, MixedNormalsAreUnit) {
    Scene scene = test::sheetScene();
    std::vector<test::OnMesh> samples(24);
    for (std::size_t i = 0; i < samples.size(); ++i)
        samples[i].normals = {
            Scope::Constant, 3, i % 2 ? std::vector<float>{1, 0, 0} : std::vector<float>{0, 1, 0}, {}};
    test::setLayers(scene.nodes[0], scene.nodes[0].geometry->sampling(), samples);
    const auto twice = applySteps(scene, {{"resample", {{"rate", "48"}}, true}});
    const auto normals = test::onMesh(twice->nodes[0], 1).normals.values;
    EXPECT_NEAR(normals[0] * normals[0] + normals[1] * normals[1], 1.0, 1e-6);
    EXPECT_NEAR(normals[0], normals[1], 1e-6);
}

TEST(Space, ACameraUnderATurnLooksWhereItLooked) {
    Scene scene;
    Node rig{"rig",   "/rig", -1, NodeKind::Transform, MemoryTransform::fixed(Mat4::translation({1, 2, 3})),
             nullptr, {},     {}};
    scene.nodes.push_back(rig);
    Node eye{"eye", "/rig/eye", 0, NodeKind::Camera, nullptr, nullptr, {}, {}};
    setCamera(eye, Sampling::still(), {CameraFigures()});
    scene.nodes.push_back(eye);
    Scene free = scene; // one with a sibling cannot use its parent's transform
    Node lamp{"lamp", "/rig/lamp", 0, NodeKind::Light, nullptr, nullptr, {}, {}};
    free.nodes.push_back(lamp);
    for (const Scene& one : {scene, free}) {
        const auto turned = applySteps(
            one, {{"turn", {{"from", "Y"}, {"to", "Z"}}, true}, {"turn", {{"from", "Z"}, {"to", "X"}}, true}});
        const Mat4 change = upAxisTurn(UpAxis::Y, UpAxis::Z) * upAxisTurn(UpAxis::Z, UpAxis::X);
        for (std::size_t n = 1; n < one.nodes.size(); ++n)
            for (const Vec3d& p : {Vec3d{0, 0, 0}, Vec3d{0, 0, -1}, Vec3d{0, 1, 0}}) {
                const Vec3d wanted = transformedPoint(transformedPoint(p, placementAt(one, n, 0)->matrix), change);
                const Vec3d got = transformedPoint(p, placementAt(*turned, n, 0)->matrix);
                EXPECT_LT(length(got - wanted), 1e-12);
            }
        const TempFolder folder; // and so does the file
        ASSERT_TRUE(test::writeScene(*turned, folder / "a.abc"));
        const auto back = test::openFile(folder / "a.abc");
        ASSERT_TRUE(back) << back.error().text();
        for (std::size_t i = 0; i < back->nodes.size(); ++i)
            if (back->nodes[i].kind == NodeKind::Camera)
                EXPECT_EQ(placementAt(*back, i, 0)->matrix, placementAt(*turned, 1, 0)->matrix);
    }
}

// What moves for a shorter time than the rest, and whose last sample is among what is dropped, still comes to its end.
TEST(Time, DroppingTheLastSampleOfAShorterTrackKeepsWhereItComesTo) {
    test::SheetOptions options;
    Scene scene = test::sheetScene(options); // 1001 – 1024
    std::vector<std::vector<Vec3f>> growing{std::vector<Vec3f>(4, Vec3f{1, 0, 0}),
                                            std::vector<Vec3f>(10, Vec3f{2, 0, 0}),
                                            std::vector<Vec3f>(17, Vec3f{3, 0, 0})};
    Node spray{"spray", "/spray", -1, NodeKind::Points, nullptr, nullptr, {}, {}};
    spray.geometry = std::make_shared<VaryingPoints>(
        Sampling::uniform(kRate.secondsAt(1001), kRate.secondsAt(1), growing.size()), growing);
    scene.nodes.push_back(spray);
    for (const bool close : {false, true})
        for (const char* frames : {"1003", "1003,1005", "1002:1004"}) {
            const auto dropped = applySteps(scene, {{"drop", {{"frames", frames}, {"close", close}}, true}});
            ASSERT_TRUE(dropped) << dropped.error().text();
            const TempFolder folder;
            ASSERT_TRUE(test::writeScene(*dropped, folder / "a.abc"));
            const auto back = test::openFile(folder / "a.abc");
            ASSERT_TRUE(back) << back.error().text();
            for (const Scene* one : {&*dropped, &*back}) {
                std::vector<Vec3f> last;
                ASSERT_TRUE(readPointsAt(*one->nodes[1].geometry, kRate.secondsAt(1020), last));
                EXPECT_EQ(last.size(), 17U) << frames << close;
            }
        }
}

// What a light says is asked for by what it is, before and after a file, and goes along with time.
TEST(Lights, KeepTheirFiguresThroughStepsAndAFile) {
    Scene scene;
    Node lamp{"lamp", "/lamp", -1, NodeKind::Light, nullptr, nullptr, {}, {}};
    std::vector<LightFigures> figures(5);
    for (std::size_t i = 0; i < figures.size(); ++i) {
        const auto x = static_cast<double>(i);
        figures[i] = {"spot", std::array{1.0, 0.5 + 0.1 * x, 0.25}, 2.0 + x, -x, 40.0};
    }
    setLight(lamp, Sampling::uniform(10.0 / 24, 1.0 / 24, 5), figures);
    scene.nodes.push_back(lamp);
    const auto moved = applySteps(scene, {{"offset", {{"frames", 3.0}}, true}});
    ASSERT_TRUE(moved) << moved.error().text();
    const TempFolder folder;
    ASSERT_TRUE(test::writeScene(*moved, folder / "a.abc"));
    const auto back = test::openFile(folder / "a.abc");
    ASSERT_TRUE(back) << back.error().text();
    for (const Scene* one : {&*moved, &*back}) {
        const auto node = one->find("/lamp");
        ASSERT_TRUE(node);
        EXPECT_EQ(one->nodes[*node].kind, NodeKind::Light);
        EXPECT_EQ(lightSampling(one->nodes[*node]).count(), 5U);
        for (std::size_t i = 0; i < figures.size(); ++i) {
            const auto light = lightAt(*one, *node, (13.0 + static_cast<double>(i)) / 24);
            ASSERT_TRUE(light) << light.error().text();
            EXPECT_EQ(light->kind, "spot");
            for (std::size_t k = 0; k < 3; ++k)
                EXPECT_NEAR(light->strength()[k], figures[i].strength()[k], 1e-6);
            EXPECT_EQ(light->coneDegrees, 40.0);
        }
        const auto between = lightAt(*one, *node, 14.5 / 24);
        ASSERT_TRUE(between);
        EXPECT_NEAR(between->intensity.value_or(0), 3.5, 1e-6);
    }
}

TEST(Merge, KeepsColoursMaterialsGroupsAndWhatIsHidden) {
    const auto named = [](const char* name) {
        test::SheetOptions options;
        options.name = name;
        return test::sheetScene(options);
    };
    Scene scene = named("a");
    const Scene other = named("b");
    const Scene hidden = named("c");
    test::OnMesh extras;
    extras.colours = {Scope::Point, 3, std::vector<float>(90, 0.25F), {}};
    extras.faceSets = {{FaceSet::Kind::Material, "silk", {0, 1}}, {FaceSet::Kind::Group, "rim", {2}}};
    std::vector<std::vector<Vec3f>> samples;
    for (std::size_t i = 0; i < 24; ++i)
        samples.push_back(test::pointsOf(test::shapeOf(scene), i));
    const Sampling sampling = test::shapeOf(scene).sampling();
    test::setMesh(scene.nodes[0], sampling, test::gridTopology(6, 5), samples, extras);
    scene.nodes.push_back(other.nodes[0]);
    test::setMesh(scene.nodes[1], sampling, test::gridTopology(6, 5), samples, extras);
    scene.nodes.push_back(hidden.nodes[0]);
    scene.nodes[2].visibility = VisibilityTrack{Sampling::still(), {Visibility::Hidden}};
    const auto merged = applySteps(scene, {{"merge", {{"name", "all"}}, true}});
    ASSERT_TRUE(merged) << merged.error().text();
    const auto still = merged->find("/c");
    ASSERT_TRUE(still); // what is hidden would have been seen
    EXPECT_EQ(placementAt(*merged, *still, 0)->visible, false);
    const Node& all = merged->nodes[*merged->find("/all")];
    EXPECT_EQ(*all.geometry->pointCount(0), 60U);
    const test::OnMesh kept = test::onMesh(all, 0);
    EXPECT_EQ(kept.colours.values.size(), 180U);
    std::map<std::string, std::size_t> sets;
    for (const FaceSet& set : kept.faceSets)
        sets[set.name] = set.faces.size();
    EXPECT_EQ(sets["silk"], 4U); // one material
    EXPECT_EQ(sets["a_rim"], 1U);
    EXPECT_EQ(sets["b_rim"], 1U);
    ASSERT_TRUE(all.madeOf);
    EXPECT_EQ(all.madeOf->size(), 2U);
}

TEST(Rename, TheCameraAndWhatAnInstanceShows) {
    Scene scene = dolly(1001, 1010, 1.0);
    Node again{"again", "/again", -1, NodeKind::Instances, nullptr, nullptr, {}, {}};
    again.instanceOf = scene.nodes[0].id;
    again.instanceLabel = "/dolly";
    scene.nodes.push_back(again);
    Scene renamed = scene;
    renamed.nodes[0].name = "cart";
    renamed.nodes[0].path = "/cart";
    renamed.nodes[1].path = "/cart/sheet";
    const TempFolder folder;
    ASSERT_TRUE(test::writeScene(renamed, folder / "a.abc"));
    const auto back = test::openFile(folder / "a.abc");
    ASSERT_TRUE(back);
    EXPECT_TRUE(expandedInstances(*back)->find("/again/sheet"));
    Scene eyes;
    eyes.nodes.push_back({"rig", "/rig", -1, NodeKind::Transform, nullptr, nullptr, {}, {}});
    Node eye{"eye", "/rig/eye", 0, NodeKind::Camera, nullptr, nullptr, {}, {}};
    setCamera(eye, Sampling::still(), {CameraFigures()});
    eyes.nodes.push_back(eye);
    const auto called = applySteps(eyes, {{"rename", {{"name", "main"}}, true}});
    EXPECT_EQ(called->nodes[1].path, "/rig/main");
    EXPECT_EQ(called->nodes[0].path, "/rig");
    EXPECT_EQ(called->nodes[1].id, eyes.nodes[1].id);
}

// A sheet whose points rest while what lies on it changes: three sets of UVs, one of them numbered, and colours.
Scene paintedSheet() {
    Scene scene = test::sheetScene();
    Node& sheet = scene.nodes[0];
    sheet.geometry =
        std::make_shared<MemoryGeometry>(Sampling::still(), test::gridTopology(6, 5),
                                         std::vector<std::vector<Vec3f>>{test::pointsOf(test::shapeOf(scene), 0)});
    const auto samples = [](std::size_t count, Scope scope, int extent, std::size_t values, bool numbered) {
        std::vector<Attribute> made(count, {scope, extent, {}, {}});
        for (std::size_t i = 0; i < count; ++i) {
            for (std::size_t v = 0; v < values * static_cast<std::size_t>(extent); ++v)
                made[i].values.push_back(0.01F * static_cast<float>(v) + 0.125F * static_cast<float>(i));
            for (std::int32_t corner = 0; numbered && corner < 80; ++corner)
                made[i].indices.push_back((corner * 7 + static_cast<std::int32_t>(i)) % static_cast<int>(values));
        }
        return made;
    };
    const Sampling frames = Sampling::uniform(scene.view.rate.secondsAt(1001), scene.view.rate.secondsAt(1), 9);
    const Sampling twos = Sampling::uniform(scene.view.rate.secondsAt(1001), scene.view.rate.secondsAt(2), 5);
    sheet.properties = plainProperties(
        {layerProperty(Meaning::Uvs, "map", frames, samples(9, Scope::Point, 2, 30, false)),
         layerProperty(Meaning::Uvs, "tiles", twos, samples(5, Scope::Corner, 2, 11, true)),
         layerProperty(Meaning::Uvs, "decal", Sampling::still(), samples(1, Scope::Corner, 2, 80, false)),
         layerProperty(Meaning::Colours, "paint", twos, samples(5, Scope::Face, 4, 20, false))});
    return scene;
}

TEST(Layers, AnyNumberOfSetsComeBackFromAnArchiveEachAtItsTimes) {
    Scene scene = paintedSheet();
    scene.rate = scene.view.rate;
    const TempFolder folder;
    for (const Loss& loss : lossesOf(scene, *formatById("alembic")))
        ADD_FAILURE() << loss.what;
    ASSERT_TRUE(test::writeScene(scene, folder / "a.abc"));
    const auto back = test::openFile(folder / "a.abc");
    ASSERT_TRUE(back) << back.error().text();
    const auto here = layersOf(scene.nodes[0].properties);
    const auto there = layersOf(back->nodes[0].properties);
    ASSERT_EQ(here.size(), 4U);
    for (const Layer& layer : here) {
        SCOPED_TRACE(layer.name);
        const auto same =
            std::find_if(there.begin(), there.end(), [&](const Layer& l) { return l.name == layer.name; });
        ASSERT_NE(same, there.end());
        EXPECT_EQ(same->times().times(), layer.times().times());
        for (double frame = 1000.5; frame < 1011; frame += 0.25) {
            const double now = scene.view.rate.secondsAt(frame);
            EXPECT_EQ(same->at(now, back->nodes[0].geometry.get()).value(),
                      layer.at(now, scene.nodes[0].geometry.get()).value())
                << frame;
        }
    }
    // Where numbers change nothing lies between.
    const Geometry* mesh = scene.nodes[0].geometry.get();
    EXPECT_EQ(here[1].at(scene.view.rate.secondsAt(1002), mesh).value(),
              here[1].at(scene.view.rate.secondsAt(1001), mesh).value());
}

// What each corner of a face shows of a layer; the face by the places of its points, which no step here changes.
using Shown = std::map<std::vector<std::array<float, 3>>, std::vector<std::vector<float>>>;
Shown shownAt(const Scene& scene, const std::string& name, double seconds) {
    Shown shown;
    for (const Node& node : scene.nodes) {
        for (const Layer& layer : node.geometry ? layersOf(node.properties) : std::vector<Layer>()) {
            if (layer.name != name)
                continue;
            std::vector<Vec3f> points;
            EXPECT_TRUE(readPointsAt(*node.geometry, seconds, points));
            const TopologyPtr faces = node.geometry->topologyAt(seconds).value();
            const Attribute values = layer.at(seconds, node.geometry.get()).value();
            std::size_t corner = 0;
            for (std::size_t f = 0; f < faces->faceCount(); ++f) {
                std::vector<std::array<float, 3>> where;
                std::vector<std::vector<float>> what;
                for (std::int32_t k = 0; k < faces->faceSizes()[f]; ++k, ++corner) {
                    const std::int32_t point = faces->corners()[corner];
                    const Vec3f& p = points[static_cast<std::size_t>(point)];
                    where.push_back({p.x, p.y, p.z});
                    const std::int32_t number = valueNumber(values, f, corner, point);
                    what.emplace_back();
                    for (int e = 0; number >= 0 && e < values.extent; ++e)
                        what.back().push_back(values.values[static_cast<std::size_t>(number * values.extent + e)]);
                }
                shown[where] = what;
            }
        }
    }
    return shown;
}

TEST(Layers, GoAlongWhenMeshesAreMergedAndSplitEachAtItsTimes) {
    Scene scene = paintedSheet();
    Scene other =
        paintedSheet(); // elsewhere, its second set moves in straight lines where the first one's is numbered anew
    std::vector<Attribute> moving(5, {Scope::Corner, 2, {}, {}});
    for (std::size_t i = 0; i < moving.size(); ++i)
        for (std::size_t v = 0; v < 160; ++v)
            moving[i].values.push_back(0.5F + 0.001F * static_cast<float>(v * i));
    Node& second = other.nodes[0];
    second.name = "second";
    second.path = "/second";
    std::vector<PropertyNode> list = second.properties->all();
    const Sampling twos = Sampling::uniform(scene.view.rate.secondsAt(1001), scene.view.rate.secondsAt(2), 5);
    list[1] = layerProperty(Meaning::Uvs, "tiles", twos, moving);
    second.properties = plainProperties(std::move(list));
    std::vector<Vec3f> points = test::pointsOf(*second.geometry, 0);
    for (Vec3f& p : points)
        p.x += 10.0F;
    second.geometry = std::make_shared<MemoryGeometry>(Sampling::still(), test::gridTopology(6, 5),
                                                       std::vector<std::vector<Vec3f>>{points});
    scene.nodes.push_back(second);
    const TempFolder folder;
    const auto merged = applySteps(scene, {{"merge", {{"name", "all"}}, true}});
    ASSERT_TRUE(merged) << merged.error().text();
    ASSERT_TRUE(test::writeScene(*merged, folder / "all.abc"));
    const auto back = test::openFile(folder / "all.abc");
    ASSERT_TRUE(back) << back.error().text();
    const auto parted = applySteps(*back, {{"split", {{"by", "pieces"}}, true}});
    ASSERT_TRUE(parted) << parted.error().text();
    ASSERT_TRUE(test::writeScene(*parted, folder / "parted.abc"));
    const auto kept = test::openFile(folder / "parted.abc");
    ASSERT_TRUE(kept) << kept.error().text();
    const auto again = applySteps(*kept, {{"merge", {{"name", "all"}}, true},
                                          {"flip", nlohmann::json::object(), true},
                                          {"flip", nlohmann::json::object(), true}});
    ASSERT_TRUE(again) << again.error().text();
    for (const char* name : {"UVs", "UVs 'tiles'", "UVs 'decal'", "colours"}) {
        SCOPED_TRACE(name);
        for (int frame = 1000; frame <= 1011; ++frame) {
            const double now = scene.view.rate.secondsAt(frame);
            const Shown wanted = shownAt(scene, name, now);
            ASSERT_EQ(wanted.size(), 40U);
            EXPECT_EQ(shownAt(*merged, name, now), wanted) << frame;
            EXPECT_EQ(shownAt(*back, name, now), wanted) << frame;
            EXPECT_EQ(shownAt(*parted, name, now), wanted) << frame;
            EXPECT_EQ(shownAt(*kept, name, now), wanted) << frame;
            EXPECT_EQ(shownAt(*again, name, now), wanted) << frame;
        }
    }
}

TEST(Layers, ThatBeginLaterThanTheirMeshArePutInOrderToo) {
    Scene scene = test::sheetScene();
    std::vector<test::OnMesh> samples(24);
    for (std::size_t i = 0; i < samples.size(); ++i) {
        samples[i].uvs = {Scope::Corner, 2, {}, {}};
        for (std::size_t v = 0; v < (i < 3 ? 0U : 160U); ++v)
            samples[i].uvs.values.push_back(static_cast<float>(v));
    }
    test::setLayers(scene.nodes[0], test::shapeOf(scene).sampling(), samples);
    const auto flipped = applySteps(scene, {{"flip", nlohmann::json::object(), true}});
    ASSERT_TRUE(flipped) << flipped.error().text();
    EXPECT_TRUE(test::onMesh(flipped->nodes[0], 1).uvs.isEmpty());
    const auto uvs = test::onMesh(flipped->nodes[0], 5).uvs;
    ASSERT_EQ(uvs.valueCount(), 80U);
    EXPECT_EQ(uvs.values[2], 6.0F); // the second corner is what was the fourth
}

TEST(Layers, OfBarePointsGoIntoAnArchiveToo) {
    const TempFolder folder;
    test::writeFile(folder / "cloud.obj", "v 0 0 0 1 0.5 0.25\nv 1 0 0 0.5 1 0\nv 0 1 0 0 0 1\n");
    const auto cloud = test::openFile(folder / "cloud.obj");
    ASSERT_TRUE(cloud);
    DeliveryInput input;
    input.scene = *cloud;
    input.source = std::make_shared<const Scene>(*cloud);
    input.provenance = nlohmann::json::object();
    const auto outputs = planConversion({input}, {folder / "cloud.abc", false, true});
    ASSERT_TRUE(outputs) << outputs.error().text();
    const auto proven = runOutput(outputs->front(), {true, true}, Progress());
    ASSERT_TRUE(proven) << proven.error().text();
    const auto back = test::openFile(folder / "cloud.abc");
    ASSERT_TRUE(back);
    EXPECT_EQ(back->nodes[0].kind, NodeKind::Points);
    EXPECT_EQ(test::onMesh(back->nodes[0], 0).colours, test::onMesh(cloud->nodes[0], 0).colours);
}

TEST(Layers, MoveOnAStillMeshAndAreProven) {
    const Scene scene = paintedSheet();
    const TempFolder folder;
    for (const char* name : {"a.abc", "a.####.obj"}) {
        SCOPED_TRACE(name);
        const std::vector<Step> chain{{"offset", {{"frames", 10.0}}, true}, {"place", {{"move", "1, 2, 3"}}, true}};
        const auto made = applySteps(scene, chain);
        ASSERT_TRUE(made) << made.error().text();
        DeliveryInput input;
        input.scene = *made;
        input.source = std::make_shared<const Scene>(scene);
        input.steps = chain;
        input.provenance = nlohmann::json::object();
        const auto outputs = planConversion({input}, {folder.path() / name, false, true});
        ASSERT_TRUE(outputs) << outputs.error().text();
        const auto proven = runOutput(outputs->front(), {true, true}, Progress());
        ASSERT_TRUE(proven) << proven.error().text();
        EXPECT_TRUE(proven->proof.sourceCompared);
        const std::string file = std::string(name) == "a.abc" ? name : "a.1015.obj";
        const auto back = test::openFile(folder / file);
        ASSERT_TRUE(back) << back.error().text();
        const auto map = layerOf(back->nodes[0].properties, Meaning::Uvs);
        ASSERT_TRUE(map);
        const auto now = map->at(scene.view.rate.secondsAt(1015), back->nodes[0].geometry.get());
        ASSERT_TRUE(now);
        EXPECT_FLOAT_EQ(now->values[4], 0.04F + 0.125F * 4); // what frame 1005 shows
    }
}

TEST(Layers, AreNeverInvented) {
    const auto gapsOf = [](const Scene& made) {
        return layerGaps({*layerOf(made.nodes[0].properties, Meaning::Uvs)}, *made.nodes[0].geometry).value().at(0);
    };
    Scene scene = test::sheetScene();
    test::OnMesh extras;
    extras.uvs = {Scope::Corner, 2, {0.5F, 0.5F}, std::vector<std::int32_t>(80, 0)};
    extras.uvs.indices[7] = -1; // one corner has none
    test::setMesh(scene.nodes[0], Sampling::still(), test::gridTopology(6, 5),
                  std::vector<std::vector<Vec3f>>{test::pointsOf(test::shapeOf(scene), 0)}, extras);
    const auto gaps = gapsOf(scene);
    EXPECT_EQ(gaps.corners, 1U);
    bool told = false;
    for (const Loss& loss : lossesOf(scene, *formatById("alembic")))
        told = told || loss.what.find("UVs: 1 corner") != std::string::npos;
    EXPECT_TRUE(told);
    const TempFolder folder;
    ASSERT_TRUE(test::writeScene(scene, folder / "a.abc"));
    EXPECT_TRUE(test::onMesh(test::openFile(folder / "a.abc")->nodes[0], 0).uvs.isEmpty());
    ASSERT_TRUE(test::writeScene(scene, folder / "a.obj")); // it has a way to say "none"
    const auto text = test::openFile(folder / "a.obj");
    EXPECT_EQ(gapsOf(*text).corners, 1U);
}

TEST(Metadata, OfAnArchiveSurvivesAndNoRateIsMadeUp) {
    const TempFolder folder;
    Scene scene = test::sheetScene();
    scene.rate.reset();
    scene.container.metadata = {
        {"first_frame", "1001"}, {"studio", "lantern"}, {"_ai_DCC_FPS", "25"}, {"wyc_unit_metres", "7"}};
    scene.container.format = "alembic";
    ASSERT_TRUE(test::writeScene(scene, folder / "a.abc"));
    const auto back = test::openFile(folder / "a.abc");
    EXPECT_EQ(back->container.metadata.at("first_frame"), "1001");
    EXPECT_EQ(back->container.metadata.at("studio"), "lantern");
    EXPECT_FALSE(back->container.metadata.contains("_ai_DCC_FPS")); // nobody states a rate, nor a unit
    EXPECT_FALSE(back->unitMetres);
    bool told = false;
    for (const Loss& loss : lossesOf(scene, *formatById("alembic")))
        told = told || loss.what.find("a rate: none is stated") != std::string::npos;
    EXPECT_TRUE(told);
}

TEST(Rates, AsTheyAreWrittenAndAsFloatsHoldThem) {
    for (const char* text : {"23.98", "23.976", "24000/1001"})
        EXPECT_EQ(FrameRate::parse(text)->text(), "24000/1001") << text;
    EXPECT_EQ(FrameRate::parse("29.97")->text(), "30000/1001");
    EXPECT_EQ(FrameRate::parse("59.94")->text(), "60000/1001");
    EXPECT_EQ(FrameRate::parse("24")->text(), "24");
    const auto asFloats = [](const FrameRate& rate, double first, int count) {
        std::vector<double> times;
        double largest = 0.0;
        for (int i = 0; i < count; ++i) {
            times.push_back(static_cast<double>(static_cast<float>(rate.secondsAt(first + i))));
            largest = std::max(largest, times.back());
        }
        return rateOfTimes(times, std::max(2e-6, largest * 1.2e-7));
    };
    for (const char* text : {"24", "24000/1001", "25", "30000/1001", "60"})
        for (const double first : {1.0, 1001.0, 20001.0}) {
            const FrameRate rate = *FrameRate::parse(text);
            const auto read = asFloats(rate, first, 300);
            ASSERT_TRUE(read) << text << " from " << first;
            EXPECT_EQ(read->text(), rate.text()) << first;
        }
    EXPECT_FALSE(asFloats(*FrameRate::parse("24"), 2'000'000.0, 30)); // good to a fifth of a frame: nobody can tell
    test::SheetOptions far;
    far.first = 200'000;
    const TempFolder folder;
    const auto written = test::writeScene(test::sheetScene(far), folder / "far.mdd");
    ASSERT_FALSE(written);
    EXPECT_NE(written.error().what.find("float32"), std::string::npos);
}

TEST(Chain, ARangeIsInFramesOfTheShotAndEndsAfterItBegins) {
    Shot shot;
    shot.rate = FrameRate();
    shot.range = FrameRange{1009, 1128};
    DeliverySpec spec;
    test::SheetOptions fast;
    fast.rate = *FrameRate::parse("30");
    fast.first = 1200;
    fast.count = 300;
    const Scene scene = test::sheetScene(fast);
    DeliveryInput input;
    input.scene = scene;
    const auto cut = planDelivery({input}, spec, shot);
    ASSERT_TRUE(cut) << cut.error().text();
    EXPECT_EQ(cut->front().frames->first, 1262.0); // 1009 / 24 s is frame 1261.25
    EXPECT_EQ(cut->front().frames->last, 1410.0);
    spec.range = FrameRange{20, 10};
    const auto refused = planDelivery({input}, spec, shot);
    ASSERT_FALSE(refused);
    EXPECT_NE(refused.error().what.find("ends before it begins"), std::string::npos);
}

TEST(Merged, AMovingParentOfSeveralItemsStaysOneAfterSteps) {
    const TempFolder folder;
    Scene scene = dolly(1001, 1024, 5.0);
    Node second = test::sheetScene().nodes[0];
    second.name = "other";
    second.path = "/dolly/other";
    second.parent = 0;
    scene.nodes.push_back(second);
    ASSERT_TRUE(test::writeScene(scene, folder / "a.abc"));
    const auto source = openSource({folder / "a.abc", {}, {}, false}, FrameRate());
    ASSERT_TRUE(source);
    Job job;
    job.sources.push_back({SourceId{1}, (*source)->spec});
    job.shot.range = FrameRange{1005, 1020};
    DeliverySpec spec;
    spec.oneFile = true;
    spec.unitMetres = 0.01;
    spec.folder = folder.path();
    const auto groups = [&] {
        const auto inputs = deliveryInputs(job, spec, {*source});
        EXPECT_TRUE(inputs) << inputs.error().text();
        const auto plan = planDelivery(*inputs, spec, job.shot);
        EXPECT_TRUE(plan) << plan.error().text();
        const auto result = runOutput(plan->front(), {}, Progress());
        EXPECT_TRUE(result) << result.error().text();
        const auto& nodes = plan->front().scene.nodes;
        return std::count_if(nodes.begin(), nodes.end(), [](const Node& n) { return n.is().place; });
    };
    EXPECT_EQ(groups(), 1);
    job.itemFor(SourceId{1}, "/dolly/other").steps = {{"offset", {{"frames", 2.0}}, true}};
    EXPECT_EQ(groups(), 2); // it moves at another time now
}

TEST(Workbench, StepsAndChoicesForWhatIsGoneAreFoundAndStopTheDelivery) {
    const TempFolder folder;
    ASSERT_TRUE(test::writeScene(test::sheetScene(), folder / "a.abc"));
    const auto source = openSource({folder / "a.abc", {}, {}, false}, FrameRate());
    ASSERT_TRUE(source);
    Job job;
    job.sources.push_back({SourceId{1}, (*source)->spec});
    job.itemFor(SourceId{1}, "/curtain").steps = {{"offset", {{"frames", 3.0}}, true}};
    const std::vector<OpenedSource> opened{{SourceId{1}, *source}};
    bool changed = false;
    auto items = itemsOf(job, opened, {}, changed);
    ASSERT_EQ(items.size(), 1U);
    ASSERT_TRUE(measureItems(items, Progress()));
    const auto found = findingsOf(job, opened, items);
    ASSERT_FALSE(found.empty());
    EXPECT_EQ(found[0].finding.id, "job.item_gone");
    EXPECT_EQ(found[0].finding.severity, Severity::Fault);
    const auto refused = deliveryInputs(job, DeliverySpec(), {*source});
    ASSERT_FALSE(refused);
    EXPECT_NE(refused.error().item.find("curtain"), std::string::npos);
    DeliverySpec other;
    other.items = {"sheet"}; // does not need it
    EXPECT_TRUE(deliveryInputs(job, other, {*source}));
    other.items = {"sheet", "veil"};
    const auto gone = deliveryInputs(job, other, {*source});
    ASSERT_FALSE(gone);
    EXPECT_NE(gone.error().what.find("veil"), std::string::npos);
    // Nothing changed: everything is taken over.
    const auto again = itemsOf(job, opened, items, changed);
    EXPECT_FALSE(changed);
    EXPECT_EQ(again[0].profile, items[0].profile);
}

} // namespace
} // namespace wyc::model_test
