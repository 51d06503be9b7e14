// SPDX-License-Identifier: GPL-3.0-or-later
// Steps on the build of a scene, and what becomes of what a node carries.
#include <gtest/gtest.h>

#include "delivery/delivery.h"
#include "demo/lantern_shoal.h"
#include "gather/source.h"
#include "scene/channels.h"
#include "scene/components/camera.h"
#include "scene/components/face_sets.h"
#include "scene/instances.h"
#include "steps/shape/pieces.h"
#include "steps/step.h"
#include "support/scenes.h"
#include "support/temp_folder.h"

namespace wyc::shape_steps_test {
namespace {

using test::TempFolder;

TransformPtr movingMatrices(const std::vector<Mat4>& matrices, double first = 1001) {
    const FrameRate rate;
    std::vector<std::vector<double>> channels;
    for (const Mat4& m : matrices)
        channels.emplace_back(m.m.begin(), m.m.end());
    return std::make_shared<MemoryTransform>(
        Sampling::uniform(rate.secondsAt(first), rate.secondsAt(1), matrices.size()),
        std::vector<TransformOp>{{TransformOp::Kind::Matrix, 0}}, std::move(channels));
}

// group (moving, mirrored, sheared by scale) › inner (turned) › sheet
Scene nested() {
    Scene scene = test::sheetScene();
    std::vector<Mat4> matrices;
    for (int i = 0; i < 24; ++i)
        matrices.push_back(Mat4::rotation({0, 1, 0.2}, 0.05 * i) * Mat4::scaling({-2, 1, 0.5}) *
                           Mat4::translation({0.1 * i, 2, 0}));
    Node group{"group", "/group", -1, NodeKind::Transform, movingMatrices(matrices), nullptr, {}, {}};
    Node inner{"inner",
               "/group/inner",
               0,
               NodeKind::Transform,
               MemoryTransform::fixed(Mat4::rotation({1, 0, 0}, 0.7) * Mat4::translation({0, 0, 3})),
               nullptr,
               {},
               {}};
    Node sheet = scene.nodes[0];
    sheet.parent = 1;
    sheet.path = "/group/inner/sheet";
    scene.nodes = {group, inner, sheet};
    return scene;
}

Step world(const char* groups = "kept") {
    return {"world", {{"groups", groups}}, true};
}

// Of the triangle of a quad's corner 0 and two more: quads need not be flat.
Vec3d faceNormal(const Topology& faces, const std::vector<Vec3f>& points, std::size_t face, std::size_t second = 1,
                 std::size_t third = 2) {
    const auto corner = [&](std::size_t k) {
        return Vec3d(points[static_cast<std::size_t>(faces.corners()[face * 4 + k])]);
    };
    return cross(corner(second) - corner(0), corner(third) - corner(0));
}

TEST(ToWorld, PointsLieWhereTheParentsPutThem) {
    const Scene scene = nested();
    for (const char* groups : {"kept", "dropped"}) {
        const auto baked = applySteps(scene, {world(groups)});
        ASSERT_TRUE(baked) << baked.error().text();
        const auto path = baked->find(std::string(groups) == "kept" ? "/group/inner/sheet" : "/sheet");
        ASSERT_TRUE(path);
        const Node& node = baked->nodes[*path];
        ASSERT_EQ(node.geometry->sampling().count(), 24U);
        for (std::size_t i = 0; i < 24; ++i) {
            const double time = node.geometry->sampling().time(i);
            const Mat4 before = placementAt(scene, 2, time)->matrix;
            EXPECT_TRUE(placementAt(*baked, *path, time)->matrix.isIdentity());
            const auto own = test::pointsOf(*scene.nodes[2].geometry, i);
            const auto put = test::pointsOf(*node.geometry, i);
            for (std::size_t p = 0; p < own.size(); ++p)
                EXPECT_EQ(put[p], transformedPoint(own[p], before));
        }
    }
}

TEST(ToWorld, ValuesInSpaceOfAGroupStayWhereTheyAreOrAreTold) {
    Scene scene = nested();
    PropertyNode pin = plainProperty(Meaning::UserValue, "pin",
                                     stillValues(ValueType::Double, 3, false, std::vector<double>{1.0, 2.0, 3.0}));
    pin.role = SpaceRole::Position;
    scene.nodes[0].properties = plainProperties({pin});
    const auto kept = applySteps(scene, {world("kept")});
    ASSERT_TRUE(kept) << kept.error().text();
    const ValuesPtr held = channelsOf(kept->nodes[0].properties).front().values;
    const SampledValues& values = *held;
    ASSERT_EQ(values.sampling().count(), 24U);
    for (std::size_t i = 0; i < 24; ++i) {
        const auto now = numbersOf(values, i);
        const Vec3d before =
            transformedPoint(Vec3d{1.0, 2.0, 3.0}, placementAt(scene, 0, values.sampling().time(i))->matrix);
        ASSERT_TRUE(now);
        EXPECT_LT(length(Vec3d{(*now)[0], (*now)[1], (*now)[2]} - before), 1e-9);
    }
    EXPECT_TRUE(kept->report.notCarried.empty());
    const auto dropped = applySteps(scene, {world("dropped")});
    ASSERT_TRUE(dropped && dropped->report.notCarried.size() == 1U);
    EXPECT_EQ(dropped->report.notCarried.front().item, "/group");
    EXPECT_NE(dropped->report.notCarried.front().what.find("pin"), std::string::npos);
    // It is still told after a step that leaves out or renames.
    const auto later = applySteps(*dropped, {{"offset", {{"frames", 3}}, true}});
    EXPECT_TRUE(later && later->report.notCarried.size() == 1U);
}

TEST(ToWorld, AMirrorTurnsFacesOverSoThatTheyStillLookOutward) {
    const Scene scene = nested();
    const auto baked = applySteps(scene, {world("dropped")});
    ASSERT_TRUE(baked);
    const Geometry& after = *baked->nodes[0].geometry;
    const Mat4 matrix = placementAt(scene, 2, after.sampling().time(5))->matrix;
    const auto own = test::pointsOf(*scene.nodes[2].geometry, 5);
    const auto put = test::pointsOf(after, 5);
    const auto facesBefore = *scene.nodes[2].geometry->topology(5);
    const auto facesAfter = *after.topology(5);
    for (std::size_t face = 0; face < facesBefore->faceCount(); ++face) {
        // A point a little outside of the face before lies outside of it after.
        const Vec3d normal = faceNormal(*facesBefore, own, face);
        const Vec3d on(own[static_cast<std::size_t>(facesBefore->corners()[face * 4])]);
        const Vec3d outside = transformedPoint(on + normal, matrix) - transformedPoint(on, matrix);
        EXPECT_GT(dot(outside, faceNormal(*facesAfter, put, face)), 0.0) << face;
    }
}

TEST(ToWorld, NormalsStayAtRightAnglesAndUvsStayWithTheirPoints) {
    Scene scene = nested();
    test::OnMesh extras;
    const auto topology = *test::shapeOf(scene).topology(0);
    const auto points = test::pointsOf(test::shapeOf(scene), 0);
    extras.normals = {Scope::Face, 3, {}, {}};
    for (std::size_t face = 0; face < topology->faceCount(); ++face) {
        const Vec3d n = faceNormal(*topology, points, face);
        for (const double v : {n.x, n.y, n.z})
            extras.normals.values.push_back(static_cast<float>(v / length(n)));
    }
    extras.uvs = {Scope::Corner, 2, {}, {}}; // a UV that is the number of its point
    for (const std::int32_t corner : topology->corners()) {
        extras.uvs.values.push_back(static_cast<float>(corner));
        extras.uvs.values.push_back(0.0F);
    }
    test::setMesh(scene.nodes[2], Sampling::still(), topology, std::vector<std::vector<Vec3f>>{points}, extras);
    const auto baked = applySteps(scene, {world("dropped")});
    ASSERT_TRUE(baked);
    const Geometry& after = *baked->nodes[0].geometry;
    for (const std::size_t sample : {0U, 11U, 23U}) {
        const auto put = test::pointsOf(after, sample);
        const auto faces = *after.topology(sample);
        const test::OnMesh got = test::onMesh(baked->nodes[0], sample);
        for (std::size_t face = 0; face < faces->faceCount(); ++face) {
            const Vec3d n = faceNormal(*faces, put, face, 2, 3); // the same triangle, turned over
            const Vec3d said(got.normals.values[face * 3], got.normals.values[face * 3 + 1],
                             got.normals.values[face * 3 + 2]);
            EXPECT_NEAR(dot(n, said) / length(n), 1.0, 1e-4); // same way, length kept
        }
        for (std::size_t c = 0; c < faces->cornerCount(); ++c)
            EXPECT_EQ(got.uvs.values[c * 2], static_cast<float>(faces->corners()[c]));
    }
}

TEST(ToWorld, ACameraSeesTheSamePictureAfterwards) {
    Scene scene;
    std::vector<Mat4> dolly;
    std::vector<CameraFigures> figures;
    for (int i = 0; i < 12; ++i) {
        dolly.push_back(Mat4::rotation({0.1, 1, 0}, 0.1 * i) * Mat4::scaling({1.5, 1.5, 1.5}) *
                        Mat4::translation({0.3 * i, 1, 4}));
        figures.emplace_back();
        figures.back().focalLength = 28.0 + i;
        figures.back().horizontalOffset = 0.05;
    }
    scene.nodes.push_back({"dolly", "/dolly", -1, NodeKind::Transform, movingMatrices(dolly), nullptr, {}, {}});
    scene.nodes.push_back({"arm",
                           "/dolly/arm",
                           0,
                           NodeKind::Transform,
                           MemoryTransform::fixed(Mat4::translation({0, 0.4, 0})),
                           nullptr,
                           {},
                           {}});
    Node camera{"cam", "/dolly/arm/cam", 1, NodeKind::Camera, nullptr, nullptr, {}, {}};
    const FrameRate rate;
    camera.properties = cameraProperties(Sampling::uniform(rate.secondsAt(1001), rate.secondsAt(1), 12), figures);
    scene.nodes.push_back(camera);
    const auto inverse = [](const Mat4& m) { // of a turn, an even scale and a move
        const double s = m.at(0, 0) * m.at(0, 0) + m.at(0, 1) * m.at(0, 1) + m.at(0, 2) * m.at(0, 2);
        Mat4 back;
        for (std::size_t r = 0; r < 3; ++r)
            for (std::size_t c = 0; c < 3; ++c)
                back.at(r, c) = m.at(c, r) / s;
        const Vec3d t = transformedPoint(Vec3d{m.m[12], m.m[13], m.m[14]}, back);
        back.m[12] = -t.x;
        back.m[13] = -t.y;
        back.m[14] = -t.z;
        return back;
    };
    const TempFolder folder;
    const auto baked = applySteps(scene, {world("dropped")});
    ASSERT_TRUE(baked) << baked.error().text();
    ASSERT_TRUE(test::writeScene(*baked, folder / "cam.abc"));
    const auto back = test::openFile(folder / "cam.abc");
    ASSERT_TRUE(back) << back.error().text();
    const auto node = back->find("/cam/cam");
    ASSERT_TRUE(node);
    EXPECT_EQ(back->nodes[*node].kind, NodeKind::Camera);
    for (const double frame : {1001.0, 1004.0, 1012.0}) {
        const double time = rate.secondsAt(frame);
        const auto before = *cameraAt(scene, 2, time);
        const auto after = *cameraAt(*back, *node, time);
        EXPECT_EQ(before.figures, after.figures);
        for (const double distance : {0.5, 5.0, 400.0}) {
            const std::array<std::array<double, 2>, 4> picture{{{-1, -1}, {1, -1}, {1, 1}, {-1, 1}}};
            const auto corners = before.gateAt(distance);
            for (std::size_t k = 0; k < 4; ++k) {
                const Vec3d inWorld = transformedPoint(corners[k], placementAt(scene, 2, time)->matrix);
                const auto seen =
                    after.project(transformedPoint(inWorld, inverse(placementAt(*back, *node, time)->matrix)));
                ASSERT_TRUE(seen);
                EXPECT_NEAR((*seen)[0], picture[k][0], 1e-9);
                EXPECT_NEAR((*seen)[1], picture[k][1], 1e-9);
            }
        }
    }
}

TEST(Instances, ShowTheirSourceOnceMoreAndNeverInACircle) {
    Scene scene = nested();
    Node again{"again", "/again", -1, NodeKind::Instances, nullptr, nullptr, {}, {}};
    again.instanceOf = scene.nodes[1].id;
    again.instanceLabel = "/group/inner";
    scene.nodes.push_back(again);
    const auto expanded = expandedInstances(scene);
    ASSERT_TRUE(expanded) << expanded.error().text();
    const auto copy = expanded->find("/again/sheet");
    ASSERT_TRUE(copy);
    EXPECT_EQ(expanded->nodes[*copy].geometry, scene.nodes[2].geometry); // samples are shared
    EXPECT_EQ(placementAt(*expanded, *copy, 0)->matrix, localMatrix(scene, 1, 0).value());
    scene.nodes.back().instanceOf = NodeId::fresh();
    EXPECT_FALSE(expandedInstances(scene));
    scene.nodes.back().instanceOf = scene.nodes.back().id;
    EXPECT_FALSE(expandedInstances(scene));
    scene.nodes.back().parent = 1; // shows the group it is in
    scene.nodes.back().path = "/group/inner/again";
    scene.nodes.back().instanceOf = scene.nodes[1].id;
    EXPECT_FALSE(expandedInstances(scene));
}

TEST(Instances, AreItemsOfASourceWhereTheyCanBeHad) {
    const TempFolder folder;
    Scene scene = nested();
    Node again{"again", "/again", -1, NodeKind::Instances, nullptr, nullptr, {}, {}};
    again.instanceOf = scene.nodes[1].id;
    again.instanceLabel = "/group/inner";
    scene.nodes.push_back(again);
    ASSERT_TRUE(test::writeScene(scene, folder / "good.abc"));
    const auto good = openSource({folder / "good.abc", {}, {}, false}, FrameRate());
    ASSERT_TRUE(good) << good.error().text();
    EXPECT_EQ((*good)->scene.nodes.size(), 4U);
    EXPECT_TRUE((*good)->shown().find("/again/sheet"));
    EXPECT_TRUE((*good)->tree->find("/again/sheet"));
    ASSERT_EQ((*good)->shown().report.notCarried.size(), 1U);
    EXPECT_EQ((*good)->shown().report.notCarried[0].item, "/again");
    // One that shows nothing is told, and all else is there.
    scene.nodes.back().instanceOf.reset();
    scene.nodes.back().instanceLabel = "/nowhere";
    ASSERT_TRUE(test::writeScene(scene, folder / "lost.abc"));
    const auto lost = openSource({folder / "lost.abc", {}, {}, false}, FrameRate());
    ASSERT_TRUE(lost) << lost.error().text();
    EXPECT_TRUE((*lost)->shown().find("/group/inner/sheet"));
    ASSERT_EQ((*lost)->scene.report.remarks.size(), 1U);
    EXPECT_EQ((*lost)->scene.report.remarks[0].id, "instances.not_shown");
    EXPECT_NE((*lost)->scene.report.remarks[0].text.find("/nowhere"), std::string::npos);
}

TEST(Instances, ChoosingOneWithoutItsSourceMakesItACopy) {
    Scene scene = nested();
    Node again{"again", "/again", -1, NodeKind::Instances, nullptr, nullptr, {}, {}};
    again.instanceOf = scene.nodes[1].id;
    again.instanceLabel = "/group/inner";
    scene.nodes.push_back(again);
    const auto chosen = selectedItems(scene, {"/again"});
    ASSERT_TRUE(chosen) << chosen.error().text();
    EXPECT_TRUE(chosen->find("/again/sheet"));
    EXPECT_FALSE(chosen->find("/group"));
}

// Two sheets that do not touch and one that shares an edge with the first, as one mesh in a mixed order.
Scene threePieces() {
    Scene scene = test::sheetScene();
    const auto& shape = *scene.nodes[0].geometry;
    std::vector<std::vector<Vec3f>> samples;
    for (std::size_t i = 0; i < 24; ++i) {
        auto points = test::pointsOf(shape, i);
        const std::size_t own = points.size();
        for (std::size_t p = 0; p < own; ++p)
            points.push_back({points[p].x + 5, points[p].y, points[p].z});
        samples.push_back(points);
    }
    const auto one = *shape.topology(0);
    std::vector<std::int32_t> sizes;
    std::vector<std::int32_t> corners;
    for (std::size_t f = 0; f < one->faceCount(); ++f) // faces of both in turn
        for (const std::int32_t offset : {0, 30}) {
            sizes.push_back(4);
            for (std::size_t k = 0; k < 4; ++k)
                corners.push_back(one->corners()[f * 4 + k] + offset);
        }
    test::OnMesh extras;
    extras.uvs = {Scope::Point, 2, {}, {}};
    for (int p = 0; p < 60; ++p)
        extras.uvs.values.insert(extras.uvs.values.end(), {static_cast<float>(p), 0.5F});
    extras.faceSets.push_back({FaceSet::Kind::Group, "low", {0, 1, 2, 3, 4, 5}});
    extras.faceSets.push_back({FaceSet::Kind::Material, "skin", {6, 7, 8}});
    test::setMesh(scene.nodes[0], shape.sampling(), *Topology::make(sizes, corners), samples, extras);
    return scene;
}

TEST(Split, PiecesMergedAgainAreTheOldMesh) {
    const Scene scene = threePieces();
    const TempFolder folder;
    for (const char* by : {"pieces", "face sets", "materials"}) {
        SCOPED_TRACE(by);
        const auto split = applySteps(scene, {{"split", {{"by", by}}, true}});
        ASSERT_TRUE(split) << split.error().text();
        ASSERT_EQ(split->nodes.size(), 2U);
        std::size_t faces = 0;
        for (const Node& node : split->nodes)
            faces += (*node.geometry->topology(0))->faceCount();
        EXPECT_EQ(faces, 40U);
        // Through a file: the way back is in it.
        ASSERT_TRUE(test::writeScene(*split, folder / "split.abc"));
        const auto read = test::openFile(folder / "split.abc");
        ASSERT_TRUE(read);
        const auto merged = applySteps(*read, {{"merge", {{"name", "sheet"}}, true}});
        ASSERT_TRUE(merged) << merged.error().text();
        ASSERT_EQ(merged->nodes.size(), 1U);
        const Geometry& before = test::shapeOf(scene);
        const Geometry& after = test::shapeOf(*merged);
        EXPECT_EQ((*before.topology(0))->hash(), (*after.topology(0))->hash());
        for (const std::size_t i : {0U, 23U})
            EXPECT_TRUE(test::sameBits(test::pointsOf(before, i), test::pointsOf(after, i)));
        const test::OnMesh extras = test::onMesh(merged->nodes[0], 0);
        ASSERT_EQ(extras.uvs.indices.size(), (*after.topology(0))->cornerCount());
        for (std::size_t c = 0; c < extras.uvs.indices.size(); ++c)
            EXPECT_EQ(extras.uvs.values[static_cast<std::size_t>(extras.uvs.indices[c]) * 2],
                      static_cast<float>((*after.topology(0))->corners()[c]));
        fs::remove(folder / "split.abc");
    }
}

// A value of its own on a node.
PropertiesPtr userValue(double value) {
    return plainProperties({plainProperty(
        Meaning::UserValue, "glow", memoryValues<double>(ValueType::Double, 1, false, Sampling::still(), {{value}}))});
}

TEST(Split, WhatHasNoPlaceAnyMoreIsTold) {
    Scene scene = threePieces();
    scene.nodes[0].properties = userValue(3.0);
    for (const Step& step : {Step{"split", {{"by", "pieces"}}, true}, Step{"merge", {{"name", "one"}}, true}}) {
        const auto made = applySteps(scene, {step});
        ASSERT_TRUE(made);
        ASSERT_EQ(made->report.notCarried.size(), 1U) << step.type;
        EXPECT_NE(made->report.notCarried[0].what.find("glow"), std::string::npos);
    }
    // Merging the pieces again drops nothing more.
    const auto there =
        applySteps(threePieces(), {{"split", {{"by", "pieces"}}, true}, {"merge", {{"name", "o"}}, true}});
    ASSERT_TRUE(there);
    EXPECT_TRUE(there->report.notCarried.empty());
}

TEST(ToWorld, GroupsKeepTheirOwnValues) {
    const TempFolder folder;
    Scene scene = nested();
    scene.nodes[0].properties = userValue(7.0);
    const auto baked = applySteps(scene, {world()});
    ASSERT_TRUE(baked);
    ASSERT_TRUE(test::writeScene(*baked, folder / "w.abc"));
    const auto back = test::openFile(folder / "w.abc");
    const auto glow = findProperty(back->nodes[0].properties, ".xform/.userProperties/glow");
    ASSERT_TRUE(glow);
    EXPECT_EQ((*valuesOf<double>(*glow->values, 0))[0], 7.0);
    EXPECT_TRUE(localMatrix(*back, 0, 42.0)->isIdentity());
}

TEST(Split, SaysWhenThereIsNothingToSplit) {
    EXPECT_FALSE(applySteps(test::sheetScene(), {{"split", {{"by", "pieces"}}, true}}));
    EXPECT_FALSE(applySteps(test::sheetScene(), {{"split", {{"by", "materials"}}, true}}));
}

TEST(Merge, PointsFollowItemByItemAndEveryItemIsAFaceSet) {
    Scene scene = nested();
    Scene other = test::sheetScene();
    other.nodes[0].name = "other";
    other.nodes[0].path = "/other";
    scene.nodes.push_back(other.nodes[0]);
    const auto merged = applySteps(scene, {{"merge", {{"name", "all"}}, true}});
    ASSERT_TRUE(merged) << merged.error().text();
    const Node& node = merged->nodes.back();
    EXPECT_EQ(node.path, "/all");
    const auto first = test::pointsOf(test::shapeOf(*applySteps(scene, {world()})), 7);
    const auto second = test::pointsOf(test::shapeOf(other), 7);
    auto expected = first;
    expected.insert(expected.end(), second.begin(), second.end());
    EXPECT_TRUE(test::sameBits(test::pointsOf(*node.geometry, 7), expected));
    const auto sets = faceSetsOf(*merged, merged->nodes.size() - 1);
    ASSERT_TRUE(sets);
    ASSERT_EQ(sets->size(), 2U);
    EXPECT_EQ((*sets)[1].name, "other");
    EXPECT_EQ((*sets)[1].faces.front(), 20);
    // Face sets go into an archive as objects and come back.
    const TempFolder folder;
    ASSERT_TRUE(test::writeScene(*merged, folder / "m.abc"));
    const auto back = test::openFile(folder / "m.abc");
    ASSERT_TRUE(back->find("/all/other"));
    EXPECT_EQ((*faceSetsOf(*back, *back->find("/all")))[1].faces, (*sets)[1].faces);
}

TEST(Pieces, CarryOnlyTheValuesTheyUse) {
    const Scene scene = test::sheetScene();
    const GeometryPtr& sheet = scene.nodes[0].geometry;
    const TopologyPtr faces = *sheet->topology(0);
    test::OnMesh extras;
    extras.uvs = {Scope::Corner, 2, {}, {}};
    for (std::size_t corner = 0; corner < faces->cornerCount(); ++corner) {
        extras.uvs.values.insert(extras.uvs.values.end(), {static_cast<float>(corner), 0.5F});
        extras.uvs.indices.push_back(static_cast<std::int32_t>(corner));
    }
    extras.uvs.indices[3] = -1;
    extras.uvs.indices[5] = 1'000'000; // of a damaged file
    Node whole = scene.nodes[0];
    test::setMesh(whole, Sampling::still(), faces, std::vector<std::vector<Vec3f>>{test::pointsOf(*sheet, 0)}, extras);
    const auto uvsOf = [](const CutPiece& piece) {
        return layersOf(plainProperties(piece.layers)).at(0).at(0.0, piece.geometry.get()).value();
    };
    const auto cuts = cutPieces(
        whole, {{FaceSet::Kind::Group, "a", {0, 1}}, {FaceSet::Kind::Group, "b", {7}}, {FaceSet::Kind::Group, "c", {}}},
        scene.view);
    ASSERT_TRUE(cuts) << cuts.error().text();
    ASSERT_EQ(cuts->size(), 3U);
    const Attribute first = uvsOf((*cuts)[0]);
    EXPECT_EQ(first.valueCount(), 6U);
    EXPECT_EQ(first.indices, (std::vector<std::int32_t>{0, 1, 2, -1, 3, -1, 4, 5}));
    const Attribute second = uvsOf((*cuts)[1]);
    EXPECT_EQ(second.values, (std::vector<float>{28, 0.5F, 29, 0.5F, 30, 0.5F, 31, 0.5F}));
    EXPECT_EQ((*cuts)[1].points.size(), 4U);
    EXPECT_TRUE((*cuts)[2].points.empty());
    EXPECT_EQ(*(*cuts)[2].geometry->pointCount(0), 0U);
}

TEST(Pieces, OfASplitAreSeenTogetherInTheirOldOrder) {
    Scene scene = test::sheetScene();
    const auto whole = test::pointsOf(*scene.nodes[0].geometry, 5);
    EXPECT_EQ(piecesTogether(scene).pieces, 1U);
    scene.nodes[0].transform = MemoryTransform::fixed(Mat4::translation({3, 0, 0}));
    test::OnMesh extras;
    extras.faceSets = {{FaceSet::Kind::Group, "left", {0, 1, 2, 3, 4, 5, 6}}};
    test::setMesh(scene.nodes[0], Sampling::still(), *scene.nodes[0].geometry->topology(0),
                  std::vector<std::vector<Vec3f>>{whole}, extras);
    const auto split = applySteps(scene, {{"split", {{"by", "face sets"}}, true}});
    ASSERT_TRUE(split) << split.error().text();
    ASSERT_EQ(split->nodes.size(), 2U);
    const SeenTogether seen = piecesTogether(*split);
    EXPECT_EQ(seen.pieces, 2U);
    ASSERT_EQ(seen.scene.nodes.size(), 1U);
    EXPECT_EQ(test::pointsOf(*seen.scene.nodes[0].geometry, 0), whole);
    EXPECT_EQ(seen.scene.nodes[0].transform, split->nodes[0].transform);
    // What else stands there is no part of it.
    Scene more = *split;
    more.nodes.push_back(nested().nodes[2]);
    more.nodes.back().parent = -1;
    EXPECT_EQ(piecesTogether(more).scene.nodes.size(), 3U);
}

// A cloud of points that carries a velocity and a width for each, and one number a frame.
Scene cloud() {
    const FrameRate rate;
    const Sampling sampling = Sampling::uniform(rate.secondsAt(1001), rate.secondsAt(1), 24);
    Scene scene = test::sheetScene();
    scene.nodes[0].kind = NodeKind::Points;
    std::vector<std::vector<float>> velocities;
    std::vector<std::vector<float>> widths;
    std::vector<std::vector<double>> glow;
    for (std::size_t i = 0; i < 24; ++i) {
        velocities.emplace_back(90, static_cast<float>(i));
        widths.emplace_back(30, 0.5F + static_cast<float>(i));
        glow.push_back({static_cast<double>(i) * 10.0});
    }
    scene.nodes[0].properties = plainProperties(
        {plainProperty(Meaning::Velocities, "v", memoryValues(ValueType::Float, 3, true, sampling, velocities),
                       SpaceRole::Vector, TimeRole::Rate),
         plainProperty(Meaning::Widths, "w", memoryValues(ValueType::Float, 1, true, sampling, widths),
                       SpaceRole::Length),
         plainProperty(Meaning::UserValue, "glow", memoryValues(ValueType::Double, 1, false, sampling, glow))});
    return scene;
}

TEST(Carried, FollowsStepsOnTimeAndSpaceThroughAFile) {
    const TempFolder folder;
    const auto stepped = applySteps(cloud(), {{"trim", {{"first", 1005}, {"last", 1010}}, true},
                                              {"offset", {{"frames", 100}}, true},
                                              {"unit", {{"from", "cm"}, {"to", "m"}}, true},
                                              {"turn", {{"from", "Z"}, {"to", "Y"}}, true}});
    ASSERT_TRUE(stepped) << stepped.error().text();
    ASSERT_TRUE(test::writeScene(*stepped, folder / "a.abc"));
    const auto back = test::openFile(folder / "a.abc");
    ASSERT_TRUE(back);
    const Node& node = back->nodes[0];
    const auto velocity = findProperty(node.properties, ".geom/.velocities");
    ASSERT_TRUE(velocity);
    EXPECT_EQ(velocity->values->sampling(), node.geometry->sampling());
    EXPECT_EQ(velocity->values->sampling().count(), 6U);
    EXPECT_NEAR(velocity->values->sampling().time(0), 1105.0 / 24, 1e-12);
    const auto v = *valuesOf<float>(*velocity->values, 0);
    EXPECT_FLOAT_EQ(v[0], 0.04F);
    EXPECT_FLOAT_EQ(v[1], 0.04F);  // z became y
    EXPECT_FLOAT_EQ(v[2], -0.04F); // y became −z
    const auto width = findProperty(node.properties, ".geom/.widths");
    EXPECT_FLOAT_EQ((*valuesOf<float>(*width->values, 5))[0], 0.095F);
    const auto glow = findProperty(node.properties, ".geom/.userProperties/glow");
    EXPECT_EQ((*valuesOf<double>(*glow->values, 2))[0], 60.0);
}

// A still cloud that is carried about has the velocity of its carrier: that of its baked points.
TEST(Carried, VelocitiesInWorldSpaceAreThoseOfThePoints) {
    Scene scene = nested();
    const auto points = test::pointsOf(*scene.nodes[2].geometry, 0);
    const std::vector<float> still(points.size() * 3, 0.0F);
    std::vector<float> places;
    for (const Vec3f& p : points)
        places.insert(places.end(), {p.x, p.y, p.z});
    const auto values = [](const std::vector<float>& numbers) {
        return memoryValues<float>(ValueType::Float, 3, true, Sampling::still(), {numbers});
    };
    scene.nodes[2].kind = NodeKind::Points;
    scene.nodes[2].geometry =
        std::make_shared<VaryingPoints>(Sampling::still(), std::vector<std::vector<Vec3f>>{points});
    scene.nodes[2].properties = plainProperties(
        {plainProperty(Meaning::Velocities, "velocities", values(still), SpaceRole::Vector, TimeRole::Rate),
         plainProperty(Meaning::Parameter, "v", values(still), SpaceRole::Vector, TimeRole::Rate),
         plainProperty(Meaning::Parameter, "rest", values(places), SpaceRole::Position),
         plainProperty(Meaning::Parameter, "wind", values(std::vector<float>(90, 1.0F)), SpaceRole::Vector)});
    const auto baked = applySteps(scene, {world()});
    ASSERT_TRUE(baked) << baked.error().text();
    const Node& node = baked->nodes[*baked->find("/group/inner/sheet")];
    ASSERT_EQ(node.geometry->sampling().count(), 24U);
    const auto at = [&](const char* name, std::size_t sample) {
        const auto found = findProperty(node.properties, name);
        EXPECT_EQ(found->values->sampling(), node.geometry->sampling()) << name;
        return *valuesOf<float>(*found->values, sample);
    };
    for (const std::size_t i : {1U, 12U, 22U}) {
        const auto before = test::pointsOf(*node.geometry, i - 1);
        const auto now = test::pointsOf(*node.geometry, i);
        const auto after = test::pointsOf(*node.geometry, i + 1);
        const auto matrix = placementAt(scene, 2, node.geometry->sampling().time(i))->matrix;
        const Vec3d wind = transformedPoint(Vec3d{1, 1, 1}, matrix) - transformedPoint(Vec3d{0, 0, 0}, matrix);
        for (std::size_t p = 0; p < now.size(); ++p) {
            const Vec3d moved = (Vec3d(after[p]) - Vec3d(before[p])) * 12.0; // over two frames of 1/24 s
            const auto v = at("velocities", i);
            EXPECT_NEAR(v[p * 3], moved.x, 1e-4);
            EXPECT_NEAR(v[p * 3 + 1], moved.y, 1e-4);
            EXPECT_NEAR(v[p * 3 + 2], moved.z, 1e-4);
            EXPECT_EQ(v, at("v", i));
            EXPECT_EQ(at("rest", i)[p * 3 + 1], now[p].y);
            EXPECT_NEAR(at("wind", i)[p * 3], wind.x, 1e-5);
        }
    }
    EXPECT_GT(std::abs(at("velocities", 12)[0]), 0.1F);
}

TEST(Carried, AFasterRateMakesVelocitiesFasterAndKeepsTheShutterAngle) {
    Scene scene = cloud();
    CameraFigures figures;
    figures.shutterOpen = -0.25 / 24;
    figures.shutterClose = 0.25 / 24;
    scene.nodes.push_back({"eye",
                           "/eye",
                           -1,
                           NodeKind::Camera,
                           nullptr,
                           nullptr,
                           {},
                           {},
                           cameraProperties(Sampling::still(), {figures})});
    const auto faster = applySteps(scene, {{"rate", {{"rate", "48"}}, true}});
    ASSERT_TRUE(faster) << faster.error().text();
    const auto velocity = findMeaning(faster->nodes[0].properties, Meaning::Velocities);
    EXPECT_EQ((*valuesOf<float>(*velocity->values, 3))[0], 6.0F);
    const auto width = findMeaning(faster->nodes[0].properties, Meaning::Widths);
    EXPECT_EQ((*valuesOf<float>(*width->values, 3))[0], 3.5F);
    const auto view = cameraAt(*faster, 1, 0.0);
    ASSERT_TRUE(view);
    EXPECT_DOUBLE_EQ(view->figures.shutterClose, 0.25 / 48);
    EXPECT_DOUBLE_EQ(view->figures.shutterOpen, -0.25 / 48);
    EXPECT_EQ(view->figures.focalLength, figures.focalLength);
}

// A file knows which of its samples are equal; beyond the end of a cut it is still asked for the very moment.
TEST(Carried, ShutterSamplesBeyondACutAreThoseOfTheirMoment) {
    const TempFolder folder;
    const FrameRate rate;
    Scene scene;
    scene.rate = rate;
    scene.nodes.push_back({"eye", "/eye", -1, NodeKind::Camera, nullptr, nullptr, {}, {}});
    std::vector<CameraFigures> figures(24);
    for (std::size_t i = 0; i < figures.size(); ++i)
        figures[i].focalLength = 30.0 + static_cast<double>(i);
    setCamera(scene.nodes[0], Sampling::uniform(rate.secondsAt(1001), rate.secondsAt(1), 24), figures);
    ASSERT_TRUE(test::writeScene(scene, folder / "a.abc"));
    const auto read = test::openFile(folder / "a.abc");
    ASSERT_TRUE(read);
    const auto stepped = applySteps(*read, {{"trim", {{"first", 1009}, {"last", 1011}}, true},
                                            {"shutter", {{"open", -0.25}, {"close", 0.25}, {"samples", 3}}, true}});
    ASSERT_TRUE(stepped) << stepped.error().text();
    ASSERT_TRUE(test::writeScene(*stepped, folder / "b.abc"));
    const auto back = test::openFile(folder / "b.abc");
    ASSERT_TRUE(back);
    const Sampling sampling = cameraSampling(back->nodes[0]);
    ASSERT_EQ(sampling.count(), 9U);
    for (std::size_t i = 0; i < sampling.count(); ++i) {
        const auto view = cameraAt(*back, 0, sampling.time(i));
        ASSERT_TRUE(view);
        EXPECT_NEAR(view->figures.focalLength, 30.0 + rate.frameAt(sampling.time(i)) - 1001.0, 1e-9) << i;
    }
}

// A place with a size makes widths as much wider, whether points or a transform above them take it; the proof agrees.
TEST(Carried, WidthsFollowAPlaceThatHasASize) {
    const TempFolder folder;
    for (const bool below : {false, true}) {
        Scene scene = cloud();
        scene.rate = FrameRate();
        std::vector<std::vector<Vec3f>> points;
        for (std::size_t i = 0; i < 24; ++i)
            points.push_back(test::pointsOf(*scene.nodes[0].geometry, i));
        scene.nodes[0].geometry = std::make_shared<VaryingPoints>(scene.nodes[0].geometry->sampling(), points);
        if (below)
            scene.nodes[0].transform = MemoryTransform::fixed(Mat4::translation({1, 2, 3}));
        const std::vector<Step> chain{{"place", {{"matrix", "0,2,0, -2,0,0, 0,0,2, 1,0,0"}}}};
        auto placed = applySteps(scene, chain);
        ASSERT_TRUE(placed) << placed.error().text();
        const auto widths = findMeaning(placed->nodes[0].properties, Meaning::Widths);
        EXPECT_FLOAT_EQ((*valuesOf<float>(*widths->values, 4))[0], below ? 4.5F : 9.0F);
        DeliveryInput input;
        input.scene = std::move(*placed);
        input.source = std::make_shared<const Scene>(scene);
        input.steps = chain;
        input.provenance = nlohmann::json::object();
        const auto outputs = planConversion({input}, {folder / "a.abc", false, true});
        ASSERT_TRUE(outputs) << outputs.error().text();
        const auto done = runOutput(outputs->front(), {true, true}, Progress());
        ASSERT_TRUE(done) << done.error().text();
        EXPECT_TRUE(done->proof.passed && done->proof.sourceCompared);
    }
}

TEST(Carried, IsProvenSampleBySample) {
    const TempFolder folder;
    const auto deliver = [&](const Scene& scene, const char* name) {
        DeliveryInput input;
        input.scene = scene;
        input.provenance = nlohmann::json::object();
        const auto outputs = planConversion({input}, {folder / name, false, false});
        EXPECT_TRUE(outputs) << outputs.error().text();
        const auto result = runOutput(outputs->front(), {true, true}, Progress());
        EXPECT_TRUE(result) << result.error().text();
        return result->record;
    };
    Scene scene = demo::lanternShoal();
    const fs::path record = deliver(scene, "a.abc");
    const auto proof = proveFromRecord(folder / "a.abc", record, Progress());
    ASSERT_TRUE(proof) << proof.error().text();
    EXPECT_TRUE(proof->passed) << proof->words();
    // The same scene but for one width in one frame, one lens, one place: each is told.
    const auto told = [&](Meaning meaning, std::size_t byte) {
        Scene changed = scene;
        for (Node& node : changed.nodes)
            node.properties = changedProperties(
                node.properties, [=](const PropertyNode& property, const PropertyNode*, const auto&) -> ValuesPtr {
                    if (property.meaning != meaning)
                        return property.values;
                    std::vector<PropertyValue> samples;
                    for (std::size_t i = 0; i < property.values->sampling().count(); ++i)
                        samples.push_back(*property.values->read(i));
                    samples.back().bytes.at(byte) ^= std::byte{1};
                    return std::make_shared<MemoryValues>(property.values->type(), property.values->extent(),
                                                          property.values->isArray(), property.values->sampling(),
                                                          std::move(samples));
                });
        fs::remove(folder / "b.abc");
        EXPECT_TRUE(test::writeScene(changed, folder / "b.abc"));
        const auto again = proveFromRecord(folder / "b.abc", record, Progress());
        EXPECT_TRUE(again);
        EXPECT_FALSE(again->passed);
        return again->words();
    };
    EXPECT_NE(told(Meaning::Widths, 41).find("widths"), std::string::npos);
    EXPECT_NE(told(Meaning::FocalLength, 3).find("boom_cam"), std::string::npos);
    EXPECT_NE(told(Meaning::LightColour, 2).find("beacon"), std::string::npos);
    Scene moved = scene;
    moved.nodes[*moved.find("/dolly")].transform = MemoryTransform::fixed(Mat4::translation({0, 0, 1}));
    ASSERT_TRUE(test::writeScene(moved, folder / "c.abc"));
    const auto elsewhere = proveFromRecord(folder / "c.abc", record, Progress());
    ASSERT_TRUE(elsewhere);
    EXPECT_NE(elsewhere->words().find("transform"), std::string::npos) << elsewhere->words();
}

TEST(Carried, IsInterpolatedWhenResampled) {
    const auto stepped = applySteps(cloud(), {{"resample", {{"rate", "48"}}, true}});
    ASSERT_TRUE(stepped);
    const auto glow = findMeaning(stepped->nodes[0].properties, Meaning::UserValue, "glow");
    ASSERT_TRUE(glow);
    EXPECT_EQ(glow->values->sampling().count(), 47U);
    EXPECT_NEAR((*valuesOf<double>(*glow->values, 3))[0], 15.0, 1e-5);
}

TEST(Carried, CameraDistancesFollowTheUnit) {
    Scene scene;
    Node camera{"cam", "/cam", -1, NodeKind::Camera, nullptr, nullptr, {}, {}};
    camera.properties = cameraProperties(Sampling::still(), {CameraFigures{}});
    scene.nodes.push_back(camera);
    const auto stepped = applySteps(scene, {{"unit", {{"from", "m"}, {"to", "cm"}}, true}});
    const auto view = cameraAt(*stepped, 0, 0);
    ASSERT_TRUE(view);
    EXPECT_DOUBLE_EQ(view->figures.focusDistance, 500.0);
    EXPECT_DOUBLE_EQ(view->figures.nearClip, 10.0);
    EXPECT_DOUBLE_EQ(view->figures.focalLength, 35.0); // millimetres on the film stay
}

TEST(TimeSteps, KeepLengthAndShutter) {
    const Scene scene = test::sheetScene(); // 1001 – 1024
    const FrameRate rate;
    const auto kept = applySteps(scene, {{"keep", {{"frames", "1003,1010:1011,4000"}}, true}});
    ASSERT_TRUE(kept);
    const auto times = test::shapeOf(*kept).sampling().times();
    ASSERT_EQ(times.size(), 3U);
    EXPECT_NEAR(rate.frameAt(times[1]), 1010.0, 1e-9);
    EXPECT_NEAR(rate.frameAt(times[2]), 1011.0, 1e-9);
    EXPECT_FALSE(applySteps(scene, {{"keep", {{"frames", "4000"}}, true}}));
    const auto ten = applySteps(scene, {{"length", {{"frames", 10}}, true}});
    ASSERT_TRUE(ten);
    EXPECT_EQ(test::shapeOf(*ten).sampling().count(), 10U);
    const auto more = applySteps(scene, {{"length", {{"frames", 25}}, true}});
    ASSERT_FALSE(more);
    EXPECT_NE(more.error().text().find("24 are there"), std::string::npos) << more.error().text();
    const auto shutter = applySteps(scene, {{"shutter", {{"open", -0.25}, {"close", 0.25}, {"samples", 3}}, true}});
    ASSERT_TRUE(shutter) << shutter.error().text();
    const Geometry& shape = test::shapeOf(*shutter);
    EXPECT_EQ(shape.sampling().kind(), Sampling::Kind::Cyclic);
    ASSERT_EQ(shape.sampling().count(), 72U);
    EXPECT_NEAR(rate.frameAt(shape.sampling().time(5)), 1002.25, 1e-9);
    const auto below = test::pointsOf(test::shapeOf(scene), 1);
    const auto above = test::pointsOf(test::shapeOf(scene), 2);
    const auto between = test::pointsOf(shape, 5);
    EXPECT_NEAR(between[7].x, below[7].x + (above[7].x - below[7].x) * 0.25F, 1e-6);
    EXPECT_FALSE(applySteps(scene, {{"shutter", {{"open", 0.5}, {"close", 0.0}, {"samples", 3}}, true}}));
}

} // namespace
} // namespace wyc::shape_steps_test
