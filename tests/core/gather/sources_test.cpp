// SPDX-License-Identifier: GPL-3.0-or-later
// From files on disk to findings: what readers remark, and what stays usable when a part is broken.
#include <gtest/gtest.h>

#include <tuple>

#include "checks/measured.h"
#include "gather/source.h"
#include "support/scenes.h"
#include "support/temp_folder.h"

namespace wyc::sources_test {
namespace {

using test::TempFolder;
using test::writeFile;

std::vector<Finding> findingsOf(const SourcePtr& source, const Shot& shot = {}) {
    auto items = measuredItems(*source, source->scene, false, Progress());
    EXPECT_TRUE(items) << items.error().text();
    CheckInput input;
    input.shot = shot;
    input.items = std::move(*items);
    auto findings = runChecks(input);
    for (Finding& finding : readerFindings(source->scene))
        findings.push_back(std::move(finding));
    return findings;
}

std::optional<Finding> findingOf(const SourcePtr& source, const std::string& id) {
    for (Finding& finding : findingsOf(source))
        if (finding.id == id)
            return finding;
    return std::nullopt;
}

SourcePtr open(const fs::path& path) {
    auto source = openSource({path, {}, {}, true}, FrameRate());
    EXPECT_TRUE(source) << source.error().text();
    return source ? *source : nullptr;
}

TEST(Sources, AnUnreadableFrameOfASequenceIsOneFindingAndCanBeFilled) {
    const TempFolder folder;
    ASSERT_TRUE(test::writeScene(test::sheetScene(), folder / "s.####.obj"));
    writeFile(folder / "s.1010.obj", "v 1 2 3\nv 1 2");
    const auto source = open(folder / "s.####.obj");
    const auto finding = findingOf(source, "frames.unreadable");
    ASSERT_TRUE(finding);
    EXPECT_EQ(finding->frame, 1010.0);
    EXPECT_EQ(finding->severity, Severity::Fault);
    EXPECT_NE(finding->text.find("line 2"), std::string::npos) << finding->text;
    const auto mended = applySteps(source->scene, finding->mend);
    ASSERT_TRUE(mended);
    const auto profile = motionProfile(*mended, 0, Progress());
    EXPECT_TRUE(profile->unreadable.empty());
    EXPECT_EQ(profile->count(), 24U);
}

TEST(Sources, TheFirstFileOfASequenceMustBeReadable) {
    const TempFolder folder;
    ASSERT_TRUE(test::writeScene(test::sheetScene(), folder / "s.####.obj"));
    writeFile(folder / "s.1001.obj", "v 1 2");
    const auto source = openSource({folder / "s.####.obj", {}, {}, true}, FrameRate());
    ASSERT_FALSE(source);
    EXPECT_NE(source.error().file.find("s.1001.obj"), std::string::npos);
}

TEST(Sources, GapsAreAFindingEach) {
    const TempFolder folder;
    ASSERT_TRUE(test::writeScene(test::sheetScene(), folder / "s.####.obj"));
    for (const char* frame : {"1005", "1006", "1015"})
        fs::remove(folder / (std::string("s.") + frame + ".obj"));
    std::vector<double> frames;
    std::vector<double> counts;
    for (const Finding& finding : findingsOf(open(folder / "s.####.obj")))
        if (finding.id == "frames.missing") {
            frames.push_back(*finding.frame);
            counts.push_back(*finding.figure);
        }
    EXPECT_EQ(frames, (std::vector<double>{1005, 1015}));
    EXPECT_EQ(counts, (std::vector<double>{2, 1}));
}

TEST(Sources, MissingMaterialFilesTexturesAndDefinitions) {
    const TempFolder folder;
    const std::string mesh = "v 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl red\nf 1 2 3\n";
    writeFile(folder / "a.obj", "mtllib none.mtl\n" + mesh);
    EXPECT_EQ(findingOf(open(folder / "a.obj"), "material.file_missing")->severity, Severity::Caution);
    writeFile(folder / "b.mtl", "newmtl red\nmap_Kd tex.png\n");
    writeFile(folder / "b.obj", "mtllib b.mtl\n" + mesh);
    const auto texture = findingOf(open(folder / "b.obj"), "texture.missing");
    ASSERT_TRUE(texture);
    EXPECT_NE(texture->text.find("tex.png"), std::string::npos);
    writeFile(folder / "tex.png", "x");
    EXPECT_FALSE(findingOf(open(folder / "b.obj"), "texture.missing"));
    writeFile(folder / "b.mtl", "newmtl blue\n");
    EXPECT_EQ(findingOf(open(folder / "b.obj"), "material.not_defined")->severity, Severity::Note);
    writeFile(folder / "c d.mtl", "newmtl red\n");
    writeFile(folder / "e.obj", "mtllib c d.mtl\n" + mesh); // one name with a blank
    EXPECT_EQ(open(folder / "e.obj")->scene.materials.size(), 1U);
    writeFile(folder / "f.mtl", "newmtl f\n");
    writeFile(folder / "g.obj", "mtllib b.mtl f.mtl\n" + mesh); // two names
    EXPECT_EQ(open(folder / "g.obj")->scene.materials.size(), 2U);
}

TEST(Sources, AnEmptyFileIsReadAndSaid) {
    const TempFolder folder;
    writeFile(folder / "a.obj", "");
    const auto source = open(folder / "a.obj");
    ASSERT_TRUE(source);
    EXPECT_TRUE(findingOf(source, "mesh.empty"));
    EXPECT_EQ(source->scene.nodes[0].kind, NodeKind::Points);
}

TEST(Sources, ARestMeshForWhatNeedsNoneIsRefused) {
    const TempFolder folder;
    ASSERT_TRUE(test::writeScene(test::sheetScene(), folder / "a.abc"));
    EXPECT_FALSE(openSource({folder / "a.abc", folder / "b.obj", {}, true}, FrameRate()));
}

TEST(Sources, SequencesWithoutARateUseTheAssumedOne) {
    const TempFolder folder;
    ASSERT_TRUE(test::writeScene(test::sheetScene(), folder / "s.####.obj"));
    const auto source = openSource({folder / "s.####.obj", {}, {}, true}, *FrameRate::make(30, 1));
    ASSERT_TRUE(source);
    EXPECT_FALSE((*source)->scene.rate);
    EXPECT_EQ((*source)->scene.view.rate.text(), "30");
    const Sampling& sampling = test::shapeOf((*source)->scene).sampling();
    EXPECT_EQ((*source)->scene.view.rate.frameAt(sampling.time(0)), 1001.0);
}

TEST(Sources, UpperCaseExtensionsAreKnown) {
    EXPECT_EQ(formatOfName("A.ABC")->id, "alembic");
    EXPECT_EQ(formatOfName("a.Obj")->id, "obj");
    EXPECT_EQ(formatOfName("a.####.OBJ")->id, "obj-sequence");
    EXPECT_EQ(formatOfName("a.####.abc"), nullptr);
    EXPECT_EQ(formatOfName("a"), nullptr);
    EXPECT_EQ(formatById("nothing"), nullptr);
    for (const Format& format : formats()) {
        EXPECT_EQ(formatById(format.id), &format);
        EXPECT_NE(format.open, nullptr);
        EXPECT_TRUE(format.write || !format.offered); // some are read and not written
    }
}

TEST(Sources, FindingsOfTheShotApplyToEveryItemOfAnArchive) {
    const TempFolder folder;
    Scene scene = test::sheetScene();
    test::SheetOptions late;
    late.name = "late";
    late.first = 1003;
    scene.nodes.push_back(test::sheetScene(late).nodes[0]);
    ASSERT_TRUE(test::writeScene(scene, folder / "two.abc"));
    Shot shot;
    shot.range = FrameRange{1001, 1024};
    std::vector<std::string> items;
    for (const Finding& finding : findingsOf(open(folder / "two.abc"), shot))
        if (finding.id == "range.late")
            items.push_back(finding.item);
    EXPECT_EQ(items, (std::vector<std::string>{"/late"}));
}

// A name says nothing where it has no extension that anybody knows: the content does. A name that a format knows is
// believed, and what is not in such a file is an error of its reader.
TEST(Sources, AreToldByTheirContentWhereTheirNameSaysNothing) {
    const TempFolder folder;
    const fs::path data(WYC_TEST_DATA);
    const std::vector<std::tuple<fs::path, std::string, std::string>> files{
        {data / "abc" / "camera.abc", "shot.cache", "alembic"},
        {data / "mdd" / "jelly_pulse.mdd", "pulse", "mdd"},
        {data / "obj" / "kelp_uv_normals.obj", "kelp.txt", "obj"}};
    for (const auto& [from, name, format] : files) {
        fs::copy_file(from, folder / name);
        const auto source = openSource({folder / name, {}, {}, true}, FrameRate());
        ASSERT_TRUE(source) << source.error().text();
        EXPECT_EQ((*source)->format->id, format);
    }
    // What is written is told by its name alone, whatever stands there.
    EXPECT_FALSE(requireTargetFormat(folder / "shot.cache"));
    writeFile(folder / "notes.txt", "# not a mesh\nv is a letter\nhello\n");
    writeFile(folder / "empty", "");
    for (const char* name : {"notes.txt", "empty"}) {
        const auto source = openSource({folder / name, {}, {}, true}, FrameRate());
        ASSERT_FALSE(source) << name;
        EXPECT_NE(source.error().text().find("Alembic archive .abc"), std::string::npos) << source.error().text();
    }
    fs::copy_file(data / "abc" / "camera.abc", folder / "named.mdd");
    EXPECT_FALSE(openSource({folder / "named.mdd", {}, {}, true}, FrameRate()));
}

} // namespace
} // namespace wyc::sources_test
