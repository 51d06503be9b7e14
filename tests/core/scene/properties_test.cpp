// SPDX-License-Identifier: GPL-3.0-or-later
// What nodes carry, cameras, curves, stand-ins.
#include <gtest/gtest.h>

#include <random>

#include "demo/lantern_shoal.h"
#include "formats/abc/abc.h"
#include "scene/components/camera.h"
#include "scene/components/curves.h"
#include "scene/components/face_sets.h"
#include "scene/scene_tree.h"
#include "scene/stand_in.h"
#include "steps/step.h"
#include "support/scenes.h"
#include "support/temp_folder.h"

namespace wyc::properties_test {
namespace {

using test::TempFolder;

const fs::path kData = fs::path(WYC_TEST_DATA) / "abc";

Scene foreign(const std::string& name) {
    auto scene = test::openFile(kData / (name + ".abc"));
    if (!scene)
        throw std::runtime_error(scene.error().text());
    return std::move(*scene);
}

TEST(Properties, StringsNarrowAndWide) {
    const auto bytes = [](const auto& units) { return std::as_bytes(std::span(units)); };
    const std::string narrow("one\0\0zwei\0", 10);
    EXPECT_EQ(stringsOf(ValueType::String, bytes(narrow)), (std::vector<std::string>{"one", "", "zwei"}));
    const std::u32string wide(U"glow\0größe\0灯\U0001F41F\0", 14);
    EXPECT_EQ(stringsOf(ValueType::WideString, bytes(wide)), (std::vector<std::string>{"glow", "größe", "灯🐟"}));
}

TEST(Properties, AreFoundByPathAndOnlyWithSamples) {
    const Scene scene = foreign("arb_params");
    const Node& box = scene.nodes[*scene.find("/box")];
    ASSERT_TRUE(findProperty(box.properties, ".geom/.arbGeomParams/Float_fvr"));
    EXPECT_TRUE(findProperty(box.properties, ".geom")->children.size() > 3);
    EXPECT_FALSE(findProperty(box.properties, ".geom/.arbGeomParams/nothing"));
    EXPECT_FALSE(findProperty(box.properties, "elsewhere"));
    EXPECT_FALSE(findProperty(nullptr, ".geom"));
    const auto text = findProperty(box.properties, ".geom/.arbGeomParams/String_uni");
    ASSERT_TRUE(text);
    EXPECT_FALSE(stringsOf(*text->values, 0)->empty());
    EXPECT_FALSE(valuesOf<float>(*text->values, 0)); // another type
}

TEST(Properties, RolesFollowFromNamePlaceAndInterpretation) {
    const Scene scene = foreign("arb_params");
    const Node& box = scene.nodes[*scene.find("/box")];
    const auto roleAt = [&](const char* path) { return findProperty(box.properties, path)->role; };
    EXPECT_EQ(roleAt(".geom/P"), SpaceRole::Position);
    EXPECT_EQ(roleAt(".geom/.selfBnds"), SpaceRole::Box);
    EXPECT_EQ(roleAt(".geom/.arbGeomParams/P3f_fvr"), SpaceRole::Position);
    EXPECT_EQ(roleAt(".geom/.arbGeomParams/N3f_con"), SpaceRole::Normal);
    EXPECT_EQ(roleAt(".geom/.arbGeomParams/V3f_vtx"), SpaceRole::Vector);
    EXPECT_EQ(roleAt(".geom/.arbGeomParams/Int32_uni"), SpaceRole::None);
    EXPECT_EQ(roleAt(".geom/.arbGeomParams/P2f_con"), SpaceRole::None); // no place in space
    const Scene snow = foreign("points_birth_death");
    const Node& flecks = snow.nodes[*snow.find("/snow_grp/marine_snow")];
    EXPECT_EQ(findProperty(flecks.properties, ".geom/.velocities")->role, SpaceRole::Vector);
    EXPECT_EQ(findProperty(flecks.properties, ".geom/.velocities")->time, TimeRole::Rate);
    EXPECT_EQ(findProperty(flecks.properties, ".geom/.widths")->role, SpaceRole::Length);
}

// Whatever is done to a foreign archive's shapes, all that is not made anew is there afterwards.
TEST(Properties, StayWhereShapesAreMadeAnew) {
    const TempFolder folder;
    for (const char* name : {"arb_params", "subd", "points_birth_death", "curves", "face_sets"}) {
        SCOPED_TRACE(name);
        const Scene scene = foreign(name);
        const auto scaled = applySteps(scene, {{"scale", {{"factor", 2.0}}, true}});
        ASSERT_TRUE(scaled);
        const fs::path path = folder / (std::string(name) + ".abc");
        const auto written = test::writeScene(*scaled, path);
        ASSERT_TRUE(written) << written.error().text();
        const auto back = test::openFile(path);
        ASSERT_TRUE(back) << back.error().text();
        ASSERT_EQ(back->nodes.size(), scene.nodes.size());
        for (std::size_t n = 0; n < scene.nodes.size(); ++n) {
            SCOPED_TRACE(scene.nodes[n].path);
            EXPECT_EQ(back->nodes[n].kind, scene.nodes[n].kind);
            const std::function<void(const std::vector<PropertyNode>&, const std::string&)> compare =
                [&](const std::vector<PropertyNode>& list, const std::string& group) {
                    for (const PropertyNode& property : list) {
                        const std::string at = group.empty() ? property.name : group + "/" + property.name;
                        if (!property.values) {
                            compare(property.children, at);
                            continue;
                        }
                        if (property.values->sampling().count() == 0 || property.role != SpaceRole::None ||
                            at == ".geom/uv" || at.ends_with("faceIndices") || at == ".xform/.vals")
                            continue;
                        const auto same = findProperty(back->nodes[n].properties, at);
                        ASSERT_TRUE(same) << at;
                        for (std::size_t i = 0; i < property.values->sampling().count(); ++i)
                            EXPECT_EQ(property.values->read(i)->bytes, same->values->read(i)->bytes) << at << " " << i;
                    }
                };
            compare(scene.nodes[n].properties->all(), {});
            if (const GeometryPtr& shape = scene.nodes[n].geometry) {
                const auto before = test::pointsOf(*shape, 0);
                const auto after = test::pointsOf(*back->nodes[n].geometry, 0);
                ASSERT_EQ(before.size(), after.size());
                for (std::size_t p = 0; p < before.size(); ++p)
                    EXPECT_EQ(after[p].x, before[p].x * 2.0F);
            }
        }
    }
}

TEST(Properties, ATrimCutsTheFacesOfASetWithItsMesh) {
    const TempFolder folder;
    // A set that changes sits on the identity sampling, one sample a second from zero: it goes with its mesh, sample by
    // sample, not by those times.
    Scene scene = test::sheetScene(); // 24 samples from frame 1001
    std::vector<std::vector<std::int32_t>> faces;
    for (std::int32_t i = 0; i < 24; ++i)
        faces.push_back({i % 20, 19});
    Node set{"edge", "/sheet/edge", 0, NodeKind::FaceSet, nullptr, nullptr, {}, {}};
    set.properties = plainProperties({plainProperty(
        Meaning::SetFaces, "faces", memoryValues(ValueType::Int32, 1, true, Sampling::uniform(0.0, 1.0, 24), faces))});
    scene.nodes.push_back(set);
    ASSERT_TRUE(test::writeScene(scene, folder / "set.abc"));
    const auto read = test::openFile(folder / "set.abc");
    ASSERT_TRUE(read) << read.error().text();
    const auto cut = applySteps(*read, {{"trim", {{"first", 1011}, {"last", 1015}}, true}});
    ASSERT_TRUE(cut) << cut.error().text();
    const auto after = findMeaning(cut->nodes[1].properties, Meaning::SetFaces);
    ASSERT_TRUE(after);
    ASSERT_EQ(after->values->sampling().count(), 5U);
    for (std::size_t i = 0; i < 5; ++i)
        EXPECT_EQ(*valuesOf<std::int32_t>(*after->values, i), faces[10 + i]);
    EXPECT_EQ((*faceSetsOf(*cut, 0))[0].faces, faces[10]);
}

TEST(FaceSets, OfArchivesBecomeGroupsOfObj) {
    const TempFolder folder;
    const Scene scene = foreign("face_sets");
    const auto bell = scene.find("/bell");
    ASSERT_TRUE(bell);
    const auto sets = faceSetsOf(scene, *bell);
    ASSERT_TRUE(sets);
    EXPECT_GE(sets->size(), 3U);
    Scene alone = *branchOf(scene, SceneTree(scene), *bell);
    ASSERT_TRUE(test::writeScene(alone, folder / "bell.obj"));
    const auto back = test::openFile(folder / "bell.obj");
    ASSERT_TRUE(back);
    const auto groups = test::onMesh(back->nodes[0], 0).faceSets;
    for (const FaceSet& set : *sets)
        EXPECT_TRUE(std::any_of(groups.begin(), groups.end(), [&](const FaceSet& g) { return g.name == set.name; }))
            << set.name;
}

TEST(Camera, ProjectsTheGateOntoTheBordersOfThePicture) {
    CameraView view;
    view.figures.horizontalOffset = 0.1;
    view.figures.squeeze = 2.0;
    view.figures.focalLength = 50.0;
    const std::array<std::array<double, 2>, 4> picture{{{-1, -1}, {1, -1}, {1, 1}, {-1, 1}}};
    for (const double distance : {0.2, 3.0, 900.0}) {
        const auto corners = view.gateAt(distance);
        for (std::size_t k = 0; k < 4; ++k) {
            const auto seen = view.project(corners[k]);
            ASSERT_TRUE(seen);
            EXPECT_NEAR((*seen)[0], picture[k][0], 1e-12);
            EXPECT_NEAR((*seen)[1], picture[k][1], 1e-12);
        }
    }
    EXPECT_FALSE(view.project({0, 0, 1})); // behind
    EXPECT_NEAR(view.aspect(), 3.0, 1e-12);
    // A film back moves and scales the picture.
    view.filmBack = {2, 0, 0, 0, 1, 0, 0.5, 0, 1};
    EXPECT_NEAR((*view.project(view.gateAt(1.0)[1]))[0], 2.5, 1e-12);
    // As channels in metres, and back, to the last bit.
    std::mt19937 random(7);
    for (int i = 0; i < 200; ++i) {
        CameraFigures figures;
        for (double CameraFigures::*figure :
             {&CameraFigures::focalLength, &CameraFigures::horizontalAperture, &CameraFigures::verticalOffset,
              &CameraFigures::overscanTop, &CameraFigures::focusDistance, &CameraFigures::shutterClose})
            figures.*figure = (static_cast<double>(random() % 2000000U) - 1e6) / 10000.0;
        Scene scene;
        scene.nodes.push_back({"cam", "/cam", -1, NodeKind::Camera, nullptr, nullptr, {}, {}});
        setCamera(scene.nodes[0], Sampling::still(), {figures});
        const auto back = cameraAt(scene, 0, 0.0);
        ASSERT_TRUE(back);
        ASSERT_EQ(back->figures, figures);
    }
}

TEST(Camera, WithoutFiguresIsAnError) {
    Scene scene;
    scene.nodes.push_back({"cam", "/cam", -1, NodeKind::Camera, nullptr, nullptr, {}, {}});
    const auto view = cameraAt(scene, 0, 0.0);
    ASSERT_FALSE(view);
    EXPECT_EQ(view.error().item, "/cam");
    EXPECT_TRUE(cameraSampling(scene.nodes[0]).isStill());
}

TEST(Curves, LayoutsAreReadAndLinesFollowThem) {
    const Scene scene = foreign("curves");
    const auto layoutOf = [&](const char* path) {
        const Node& node = scene.nodes[*scene.find(path)];
        return *curveLayout(node, 0);
    };
    EXPECT_EQ(layoutOf("/cubic_bezier").basis, CurveLayout::Basis::Bezier);
    EXPECT_EQ(layoutOf("/cubic_bspline").basis, CurveLayout::Basis::BSpline);
    EXPECT_EQ(layoutOf("/cubic_catmull_rom").basis, CurveLayout::Basis::CatmullRom);
    EXPECT_EQ(layoutOf("/linear").type, CurveLayout::Type::Linear);
    EXPECT_TRUE(layoutOf("/linear_periodic").periodic);
    for (const Node& node : scene.nodes) {
        if (node.kind != NodeKind::Curves)
            continue;
        SCOPED_TRACE(node.path);
        const auto points = test::pointsOf(*node.geometry, 0);
        const auto layout = curveLayout(node, 0);
        ASSERT_TRUE(layout) << layout.error().text();
        std::size_t total = 0;
        for (const std::int32_t size : layout->sizes)
            total += static_cast<std::size_t>(size);
        EXPECT_EQ(total, points.size());
        const Polylines lines = drawnCurves(points, *layout);
        EXPECT_FALSE(lines.edges.empty());
        for (const std::uint32_t end : lines.edges)
            EXPECT_LT(end, lines.points.size());
        EXPECT_EQ(lines.source.size(), lines.points.size());
        if (layout->basis == CurveLayout::Basis::Hermite || layout->basis == CurveLayout::Basis::Power)
            continue; // their points are tangents and coefficients too
        // A curve stays within the box of its points (convex hull; Catmull-Rom may swing out a little).
        const Bounds hull = boundsOf(points);
        const double slack = hull.diagonal() * 0.2;
        for (const Vec3f& p : lines.points) {
            EXPECT_GE(p.x, hull.low.x - slack);
            EXPECT_LE(p.y, hull.high.y + slack);
        }
    }
}

TEST(Curves, CubicsAreEvaluated) {
    const std::vector<Vec3f> points{{0, 0, 0}, {0, 1, 0}, {1, 1, 0}, {1, 0, 0}};
    CurveLayout layout{{4}, CurveLayout::Type::Cubic, false, CurveLayout::Basis::Bezier, {}, {}, {}};
    const Polylines bezier = drawnCurves(points, layout);
    EXPECT_EQ(bezier.points.front(), points.front());
    EXPECT_EQ(bezier.points.back(), points.back());
    EXPECT_NEAR(bezier.points[bezier.points.size() / 2].y, 0.75F, 1e-6F);
    layout.basis = CurveLayout::Basis::CatmullRom; // goes through the inner points
    const Polylines through = drawnCurves(points, layout);
    EXPECT_NEAR(through.points.front().y, 1.0F, 1e-6F);
    EXPECT_NEAR(through.points.back().x, 1.0F, 1e-6F);
    layout.sizes = {4, 9}; // more than there are: what does not fit is left out
    EXPECT_EQ(drawnCurves(points, layout).points.size(), through.points.size());
}

TEST(Curves, OtherBasesAndVariableOrdersAreEvaluated) {
    // Point, tangent, point, tangent.
    const std::vector<Vec3f> points{{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {1, 0, 0}};
    CurveLayout layout{{4}, CurveLayout::Type::Cubic, false, CurveLayout::Basis::Hermite, {}, {}, {}};
    const Polylines hermite = drawnCurves(points, layout);
    EXPECT_EQ(hermite.points.front(), points[0]);
    EXPECT_EQ(hermite.points.back(), points[2]);
    EXPECT_NEAR(hermite.points[3].x, 0.5F, 1e-6F);
    EXPECT_GT(hermite.points[1].x, hermite.points[1].y * 2); // leaves along its tangent
    layout.basis = CurveLayout::Basis::Power;                // coefficients of t³, t², t and 1
    const Polylines power = drawnCurves(points, layout);
    EXPECT_EQ(power.points.front(), points[3]);
    EXPECT_EQ(power.points.back(), (Vec3f{3, 1, 0}));
    // A quarter of a circle is a rational curve of order 3.
    const float w = std::sqrt(0.5F);
    const std::vector<Vec3f> quarter{{1, 0, 0}, {1, 1, 0}, {0, 1, 0}, {7, 7, 7}, {8, 8, 8}};
    const CurveLayout circle{{3, 2}, CurveLayout::Type::Variable,    false,          CurveLayout::Basis::None,
                             {3, 2}, {0, 0, 0, 1, 1, 1, 0, 0, 1, 1}, {1, w, 1, 1, 1}};
    const Polylines round = drawnCurves(quarter, circle);
    ASSERT_EQ(round.points.size(), 14U);
    for (std::size_t i = 0; i < 7; ++i)
        EXPECT_NEAR(std::hypot(round.points[i].x, round.points[i].y), 1.0F, 1e-6F);
    EXPECT_EQ(round.points[13], quarter[4]);
    EXPECT_EQ(circle.words(), "orders 2 – 3");
    // What contradicts itself goes through its points.
    for (const auto& spoil : std::vector<std::function<void(CurveLayout&)>>{
             [](CurveLayout& c) { c.knots.pop_back(); }, [](CurveLayout& c) { c.knots[2] = 2; },
             [](CurveLayout& c) { c.orders[0] = c.orders[1] = 200; }, [](CurveLayout& c) { c.orders.pop_back(); },
             [](CurveLayout& c) { c.weights[0] = -1; }, [](CurveLayout& c) { c.knots[0] = std::nanf(""); }}) {
        CurveLayout spoilt = circle;
        spoil(spoilt);
        const Polylines lines = drawnCurves(quarter, spoilt);
        EXPECT_EQ(std::count(lines.points.begin(), lines.points.end(), quarter[4]), 1);
        for (const Vec3f& p : lines.points)
            EXPECT_TRUE(isFinite(p));
    }
}

TEST(StandIns, GiveABodyToWhatHasNoPointsAndNothingElse) {
    const Scene scene = demo::lanternShoal();
    const auto mask = itemMask(scene);
    const Scene shown = withStandIns(scene);
    std::size_t bodies = 0;
    for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
        EXPECT_EQ(mask[i], shown.nodes[i].geometry != nullptr) << scene.nodes[i].path;
        if (scene.nodes[i].geometry) {
            EXPECT_EQ(shown.nodes[i].geometry, scene.nodes[i].geometry);
            continue;
        }
        if (!shown.nodes[i].geometry)
            continue;
        ++bodies;
        const auto points = test::pointsOf(*shown.nodes[i].geometry, 0);
        const double size = boundsOf(points).diagonal();
        EXPECT_GT(size, 0.1);
        EXPECT_LT(size, 2.0);
        for (const std::uint32_t end : standInEdges(shown.nodes[i]))
            EXPECT_LT(end, points.size());
    }
    EXPECT_EQ(bodies, 3U); // camera, light, helper
}

TEST(Branch, IsANodeWithAllAboveAndBelow) {
    const Scene scene = demo::lanternShoal();
    const auto arm = scene.find("/survey_sub/arm_shoulder/arm_elbow");
    ASSERT_TRUE(arm);
    const auto branch = branchOf(scene, SceneTree(scene), *arm);
    ASSERT_TRUE(branch);
    std::vector<std::string> paths;
    for (const Node& node : branch->nodes)
        paths.push_back(node.path);
    EXPECT_EQ(paths,
              (std::vector<std::string>{"/survey_sub", "/survey_sub/arm_shoulder", "/survey_sub/arm_shoulder/arm_elbow",
                                        "/survey_sub/arm_shoulder/arm_elbow/arm_lower",
                                        "/survey_sub/arm_shoulder/arm_elbow/gripper_place",
                                        "/survey_sub/arm_shoulder/arm_elbow/gripper_place/gripper"}));
    for (std::size_t i = 0; i < branch->nodes.size(); ++i)
        EXPECT_LT(branch->nodes[i].parent, static_cast<int>(i));
}

TEST(Branch, OfEveryNodeIsWhatItsParentsSay) {
    Scene scene = demo::lanternShoal();
    scene.report.remarks.push_back({"a", "/survey_sub/hull", {}, {}, {}, "of one", {}, 0});
    scene.report.remarks.push_back({"b", "", {}, {}, {}, "of all", {}, 0});
    scene.report.notCarried.push_back({"/survey_sub/hull", "something"});
    const SceneTree tree(scene);
    for (std::size_t node = 0; node < scene.nodes.size(); ++node) {
        SCOPED_TRACE(scene.nodes[node].path);
        EXPECT_EQ(tree.find(scene.nodes[node].path), node);
        const std::string& path = scene.nodes[node].path;
        std::vector<std::string> meant;
        for (const Node& other : scene.nodes)
            if (other.path == path || path.starts_with(other.path + "/") || other.path.starts_with(path + "/"))
                meant.push_back(other.path);
        const auto branch = branchOf(scene, tree, node);
        ASSERT_TRUE(branch);
        std::vector<std::string> paths;
        for (const Node& kept : branch->nodes) {
            paths.push_back(kept.path);
            const std::string parent = kept.path.substr(0, kept.path.rfind('/'));
            EXPECT_EQ(kept.parent < 0 ? "" : branch->nodes[static_cast<std::size_t>(kept.parent)].path, parent);
        }
        EXPECT_EQ(paths, meant);
        const bool hull = branch->find("/survey_sub/hull").has_value();
        EXPECT_EQ(branch->report.remarks.size(), hull ? 2U : 1U);
        EXPECT_EQ(branch->report.notCarried.size(), hull ? 1U : 0U);
        EXPECT_EQ(branch->unitMetres, scene.unitMetres);
    }
    EXPECT_FALSE(tree.find("/nowhere"));
}

// Others write the faces of a set in any order: the property is carried as it is, the group is in order.
TEST(FaceSets, InAnyOrderAreRisingGroups) {
    const TempFolder folder;
    Scene scene = test::sheetScene();
    Node set{"patch", "/sheet/patch", 0, NodeKind::FaceSet, nullptr, nullptr, {}, "AbcGeom_FaceSet_v1"};
    const std::vector<std::int32_t> faces{9, 2, 17, 4};
    set.properties = plainProperties(
        {plainProperty(Meaning::SetFaces, "faces",
                       memoryValues<std::int32_t>(ValueType::Int32, 1, true, Sampling::still(), {faces}))});
    scene.nodes.push_back(set);
    ASSERT_TRUE(test::writeScene(scene, folder / "a.abc"));
    const auto back = test::openFile(folder / "a.abc");
    ASSERT_TRUE(back) << back.error().text();
    const auto sets = test::onMesh(back->nodes[0], 0).faceSets;
    ASSERT_EQ(sets.size(), 1U);
    EXPECT_EQ(sets[0].faces, (std::vector<std::int32_t>{2, 4, 9, 17}));
    const auto raw = findProperty(back->nodes[1].properties, ".faceset/.faces");
    ASSERT_TRUE(raw);
    EXPECT_EQ(*valuesOf<std::int32_t>(*raw->values, 0), faces);
}

} // namespace
} // namespace wyc::properties_test
