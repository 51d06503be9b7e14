// SPDX-License-Identifier: GPL-3.0-or-later
// A proof is worth what it refuses: a fault planted in every channel that a format keeps, in the files, in the record,
// and in the steps.
#include <gtest/gtest.h>

#include <fstream>
#include <functional>

#include <nlohmann/json.hpp>

#include "base/hash.h"
#include "delivery/delivery.h"
#include "delivery/proof/proof_page.h"
#include "evaluate/mapped.h"
#include "scene/channels.h"
#include "scene/components/camera.h"
#include "scene/components/instancer.h"
#include "scene/components/light.h"
#include "support/delivered.h"
#include "support/expected.h"
#include "support/scenes.h"

namespace wyc::proof_test {
namespace {

using nlohmann::json;
using test::TempFolder;

const FrameRate kRate;

Sampling run(std::size_t count = 24) {
    return Sampling::uniform(kRate.secondsAt(1001), kRate.secondsAt(1), count);
}

// One of everything: a waving sheet with UVs, normals, colours, groups and materials under a turning group, a camera
// with a lens that changes, values that somebody attached.
Scene rich() {
    Scene scene = test::sheetScene();
    scene.rate = kRate;
    scene.unitMetres = 1.0;
    scene.upAxis = UpAxis::Y;
    Node sheet = scene.nodes[0];
    scene.nodes.clear();
    std::vector<std::vector<double>> turns;
    for (int i = 0; i < 24; ++i)
        turns.push_back({0.1 * i, 0, 0, 3.0 * i});
    Node group{"group", "/group", -1, NodeKind::Transform, nullptr, nullptr, {}, {}};
    group.transform = std::make_shared<MemoryTransform>(
        run(), std::vector<TransformOp>{{TransformOp::Kind::Translate, 0}, {TransformOp::Kind::RotateY, 0}}, turns);
    VisibilityTrack seen;
    seen.sampling = run();
    seen.values.assign(24, Visibility::Visible);
    seen.values[20] = Visibility::Hidden;
    group.visibility = seen;
    scene.nodes.push_back(group);
    std::vector<std::vector<Vec3f>> samples;
    for (std::size_t i = 0; i < 24; ++i)
        samples.push_back(test::pointsOf(*sheet.geometry, i));
    test::OnMesh extras;
    extras.uvs = {Scope::Point, 2, {}, {}};
    extras.normals = {Scope::Point, 3, {}, {}};
    extras.colours = {Scope::Point, 3, {}, {}};
    for (int i = 0; i < 30; ++i) {
        const auto f = static_cast<float>(i);
        extras.uvs.values.insert(extras.uvs.values.end(), {f / 30, 1 - f / 30});
        extras.normals.values.insert(extras.normals.values.end(), {0.0F, 1.0F, 0.0F});
        extras.colours.values.insert(extras.colours.values.end(), {f / 30, 0.5F, 0.25F});
    }
    extras.faceSets = {{FaceSet::Kind::Group, "left half", {0, 1, 2, 3}},
                       {FaceSet::Kind::Material, "silk", {0, 1, 2, 3, 4}},
                       {FaceSet::Kind::Material, "thread", {5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15, 16, 17, 18, 19}}};
    scene.materials = {colourMaterial("silk", {{0.5F, 0.25F, 0.125F}, "maps/silk.png", {}}),
                       colourMaterial("thread", {{1.0F, 1.0F, 1.0F}, "", {}})};
    sheet.path = "/group/sheet";
    sheet.parent = 0;
    test::setMesh(sheet, run(), test::gridTopology(6, 5), std::move(samples), extras);
    std::vector<std::vector<double>> glow;
    for (int i = 0; i < 24; ++i)
        glow.push_back({10.0 * i});
    sheet.properties = plainProperties(
        {plainProperty(Meaning::UserValue, "glow", memoryValues(ValueType::Double, 1, false, run(), glow))});
    test::setLayers(sheet, Sampling::still(), {extras});
    scene.nodes.push_back(sheet);
    std::vector<CameraFigures> lens(24);
    for (std::size_t i = 0; i < lens.size(); ++i)
        lens[i].focalLength = 30.0 + static_cast<double>(i);
    Node camera{"eye", "/group/eye", 0, NodeKind::Camera, nullptr, nullptr, {}, {}};
    setCamera(camera, run(), lens);
    scene.nodes.push_back(camera);
    return scene;
}

// Something that lies on it as another.
void changeOnMesh(Node& node, const std::function<void(test::OnMesh&)>& change) {
    class Changed final : public GeometryWrapper {
      public:
        Changed(GeometryPtr inner, std::vector<FaceSet> sets)
            : GeometryWrapper(std::move(inner)), sets_(std::make_shared<const std::vector<FaceSet>>(std::move(sets))) {}
        [[nodiscard]] Result<FaceSetsPtr> faceSets(std::size_t) const override { return sets_; }

      private:
        FaceSetsPtr sets_;
    };
    test::OnMesh on = test::onMesh(node, 0);
    change(on);
    node.geometry = std::make_shared<Changed>(node.geometry, on.faceSets);
    test::setLayers(node, Sampling::still(), {on});
}

GeometryPtr withTimes(const GeometryPtr& shape, std::vector<double> times) {
    class Moved final : public GeometryWrapper {
      public:
        Moved(GeometryPtr inner, Sampling sampling)
            : GeometryWrapper(std::move(inner)), sampling_(std::move(sampling)) {}
        [[nodiscard]] const Sampling& sampling() const override { return sampling_; }

      private:
        Sampling sampling_;
    };
    return std::make_shared<Moved>(shape, Sampling::acyclic(std::move(times)));
}

GeometryPtr withPoint(const GeometryPtr& shape, std::size_t sample, std::size_t point, float by) {
    class Pulled final : public GeometryWrapper {
      public:
        Pulled(GeometryPtr inner, std::size_t sample, std::size_t point, float by)
            : GeometryWrapper(std::move(inner)), sample_(sample), point_(point), by_(by) {}
        [[nodiscard]] Status readRange(std::size_t s, std::size_t first, std::span<Vec3f> into) const override {
            WYC_CHECK(inner().readRange(s, first, into));
            if (s == sample_ && point_ >= first && point_ < first + into.size())
                into[point_ - first].y += by_;
            return {};
        }

      private:
        std::size_t sample_;
        std::size_t point_;
        float by_;
    };
    return std::make_shared<Pulled>(shape, sample, point, by);
}

struct Planted {
    const char* word; // of the channel, as the proof tells it
    std::function<void(Scene&)> plant;
    const char* fresh = nullptr; // as the proof right after writing tells it, where that is another
};

std::string allWords(const Proof& proof) {
    std::string words;
    for (const std::string& text : proof.disagreements)
        words += text + "; ";
    for (const ProvenItem& item : proof.items) {
        for (const std::string& text : item.disagreements)
            words += item.item + ": " + text + "; ";
        for (const std::string& text : item.shown.disagreements)
            words += item.item + " (source): " + text + "; ";
        if (item.largestDrift > 0.0)
            words += item.item + ": drift; ";
    }
    return words;
}

// Proven and recorded; against the source too, where it is given with the steps that make the scene of it.
Result<OutputResult> delivered(const Scene& scene, const fs::path& target, const Scene* source = nullptr,
                               const std::vector<Step>& steps = {}) {
    DeliveryInput input;
    input.scene = scene;
    if (source)
        input.source = std::make_shared<const Scene>(*source);
    input.steps = steps;
    input.provenance = json::object();
    WYC_TRY(outputs, planConversion({input}, {target, false, true}));
    return runOutput(outputs.front(), {true, true}, Progress());
}

std::vector<double> shiftedTimes(std::size_t which, double frames) {
    std::vector<double> times = run().times();
    times[which] += kRate.secondsAt(frames);
    return times;
}

// Each fault makes another file; the record of the right one tells which channel it is in.
void everyFaultIsFound(const Scene& right, const std::string& name, const std::vector<Planted>& faults) {
    const TempFolder folder;
    const auto good = delivered(right, folder / name);
    ASSERT_TRUE(good) << good.error().text();
    const auto again = proveFromRecord(folder / name, good->record, Progress());
    ASSERT_TRUE(again) << again.error().text();
    EXPECT_TRUE(again->passed) << allWords(*again);
    const TempFolder other;
    for (const Planted& fault : faults) {
        SCOPED_TRACE(fault.word);
        Scene wrong = right;
        fault.plant(wrong);
        for (const auto& entry : fs::directory_iterator(other.path()))
            fs::remove_all(entry.path());
        ASSERT_TRUE(test::writeScene(wrong, other / name));
        fs::copy_file(good->record, other / good->record.filename());
        const auto proof = proveFromRecord(other / name, other / good->record.filename(), Progress());
        ASSERT_TRUE(proof) << proof.error().text();
        EXPECT_FALSE(proof->passed);
        EXPECT_NE(allWords(*proof).find(fault.word), std::string::npos) << allWords(*proof);
        // And right after writing.
        PlannedOutput output;
        output.format = *chosenAs(*formatOfName(other / name));
        output.rate = kRate;
        const auto fresh = proveAgainst(right, output, other / name, Progress());
        ASSERT_TRUE(fresh) << fresh.error().text();
        EXPECT_FALSE(fresh->passed);
        EXPECT_NE(allWords(*fresh).find(fault.fresh ? fault.fresh : fault.word), std::string::npos) << allWords(*fresh);
    }
}

TEST(Proof, FindsAFaultInEveryChannelOfAnArchive) {
    const auto extras = [](const std::function<void(test::OnMesh&)>& change) {
        return [change](Scene& s) { changeOnMesh(s.nodes[1], change); };
    };
    everyFaultIsFound(
        rich(), "a.abc",
        {{"UVs", extras([](test::OnMesh& e) { e.uvs.values[7] += 0.001F; })},
         {"normals", extras([](test::OnMesh& e) { e.normals.values[4] = 0.99F; })},
         {"groups", extras([](test::OnMesh& e) { e.faceSets[0].faces.back() = 4; })},
         {"points", [](Scene& s) { s.nodes[1].geometry = withPoint(s.nodes[1].geometry, 11, 3, 1e-6F); }, "drift"},
         {"faces",
          [](Scene& s) {
              std::vector<std::vector<Vec3f>> samples;
              for (std::size_t i = 0; i < 24; ++i)
                  samples.push_back(test::pointsOf(*s.nodes[1].geometry, i));
              auto corners = s.nodes[1].geometry->topology(0).value()->corners();
              std::swap(corners[0], corners[2]);
              s.nodes[1].geometry = std::make_shared<MemoryGeometry>(
                  run(), *Topology::make(s.nodes[1].geometry->topology(0).value()->faceSizes(), corners), samples);
          }},
         {"other times", // one inner time
          [](Scene& s) { s.nodes[1].geometry = withTimes(s.nodes[1].geometry, shiftedTimes(5, 0.3)); }, "frame 1006"},
         {"visibility", [](Scene& s) { s.nodes[0].visibility->values[3] = Visibility::Hidden; }},
         {"transform",
          [](Scene& s) {
              std::vector<std::vector<double>> keys;
              for (std::size_t i = 0; i < 24; ++i)
                  keys.push_back(s.nodes[0].transform->channels(i).value());
              keys[9][3] += 1e-9; // one key
              s.nodes[0].transform = std::make_shared<MemoryTransform>(run(), s.nodes[0].transform->ops(), keys);
          }},
         {"focal length",
          [](Scene& s) {
              std::vector<CameraFigures> lens(24);
              for (std::size_t i = 0; i < lens.size(); ++i)
                  lens[i].focalLength = 30.0 + static_cast<double>(i == 8 ? 9 : i);
              setCamera(s.nodes[2], run(), lens);
          }},
         {"glow",
          [](Scene& s) {
              std::vector<std::vector<double>> glow;
              for (int i = 0; i < 24; ++i)
                  glow.push_back({i == 23 ? 0.0 : 10.0 * i});
              s.nodes[1].properties = plainProperties(
                  {plainProperty(Meaning::UserValue, "glow", memoryValues(ValueType::Double, 1, false, run(), glow))});
          }},
         {"unit", [](Scene& s) { s.unitMetres = 0.01; }},
         {"up axis", [](Scene& s) { s.upAxis = UpAxis::Z; }}});
}

TEST(Proof, FindsAFaultInEveryChannelOfASequence) {
    Scene sheet = rich();
    sheet.nodes.erase(sheet.nodes.begin() + 2);
    sheet.nodes.erase(sheet.nodes.begin());
    sheet.nodes[0].parent = -1;
    sheet.nodes[0].path = "/sheet";
    const auto extras = [](const std::function<void(test::OnMesh&)>& change) {
        return [change](Scene& s) { changeOnMesh(s.nodes[0], change); };
    };
    everyFaultIsFound(
        sheet, "sheet.####.obj",
        {{"UVs", extras([](test::OnMesh& e) { e.uvs.values[7] += 0.001F; })},
         {"normals", extras([](test::OnMesh& e) { e.normals.values[4] = 0.99F; })},
         {"colours", extras([](test::OnMesh& e) { e.colours.values[20] += 1e-3F; })},
         {"groups", extras([](test::OnMesh& e) { e.faceSets[0].faces.pop_back(); })},
         {"material faces", extras([](test::OnMesh& e) { e.faceSets[1].faces.pop_back(); })},
         {"material 'silk'", [](Scene& s) { s.materials[0].look.baseColour.texture = "maps/other.png"; }},
         {"material 'thread'",
          [](Scene& s) {
              s.materials[1].look.baseColour.value = {1.0F, 1.0F, 0.0F};
          }},
         {"points", [](Scene& s) { s.nodes[0].geometry = withPoint(s.nodes[0].geometry, 3, 3, 1e-5F); }, "drift"}});
}

TEST(Proof, FindsOneByteMoreAndARecordThatWasChanged) {
    const TempFolder folder;
    for (const char* name : {"a.abc", "b.mdd"}) {
        Scene scene = test::sheetScene();
        const auto good = delivered(scene, folder / name);
        ASSERT_TRUE(good) << good.error().text();
        const std::string record = test::readFile(good->record);
        const json before = json::parse(record);
        // Anything in the record: a figure, a hash, what was lost, where it came from.
        for (const auto& change : std::vector<std::function<void(json&)>>{
                 [](json& r) { r["last"] = 1023.0; }, [](json& r) { r["items"][0]["sample_xxh3"][3] = "0"; },
                 [](json& r) { r["made_from"] = json::array({"elsewhere"}); },
                 [](json& r) { r["proof"]["items"][0]["largest_drift"] = 0.5; },
                 [](json& r) { r["files"][0]["size"] = 7; }, [](json& r) { r.erase("record_xxh64"); }}) {
            json changed = before;
            change(changed);
            test::writeFile(good->record, changed.dump());
            const auto proof = proveFromRecord(folder / name, good->record, Progress());
            ASSERT_TRUE(proof) << proof.error().text();
            EXPECT_FALSE(proof->passed) << name;
        }
        test::writeFile(good->record, record);
        EXPECT_TRUE(proveFromRecord(folder / name, good->record, Progress())->passed);
        if (name[0] == 'a') { // a cache with a byte more is no cache at all: its reader refuses it
            std::ofstream(folder / name, std::ios::app | std::ios::binary) << 'x';
            const auto proof = proveFromRecord(folder / name, good->record, Progress());
            ASSERT_TRUE(proof) << proof.error().text();
            EXPECT_FALSE(proof->passed);
            EXPECT_NE(allWords(*proof).find("bytes"), std::string::npos) << allWords(*proof);
        } else {
            fs::remove(folder / "b_rest.obj");
            const auto proof = proveFromRecord(folder / name, good->record, Progress());
            EXPECT_TRUE(!proof || !proof->passed);
        }
    }
}

// Archives with records as version 3 wrote them: a lens was one channel of sixteen numbers, values of corners lay in
// the winding of the archive. They prove as they did, and a lens that is another is still found.
TEST(Proof, RecordsOfVersion3AreProvenStill) {
    const TempFolder folder;
    const fs::path data = fs::path(WYC_TEST_DATA) / "records";
    for (const char* name : {"camera", "arb_params", "lights"}) {
        const std::string file = std::string(name) + "_v3.abc";
        const auto proof = proveFromRecord(data / file, data / (file + ".record.json"), Progress());
        ASSERT_TRUE(proof) << proof.error().text();
        EXPECT_TRUE(proof->passed) << name << ": " << allWords(*proof);
    }
    auto scene = test::openFile(data / "camera_v3.abc");
    ASSERT_TRUE(scene);
    for (Node& node : scene->nodes)
        node.properties = changedChannels(node.properties, [](const Channel& channel) -> ValuesPtr {
            return channel.meaning == Meaning::FStop
                       ? memoryValues<double>(ValueType::Double, 1, false, Sampling::still(), {{9.0}})
                       : channel.values;
        });
    ASSERT_TRUE(test::writeScene(*scene, folder / "camera.abc"));
    const auto other = proveFromRecord(folder / "camera.abc", data / "camera_v3.abc.record.json", Progress());
    ASSERT_TRUE(other) << other.error().text();
    EXPECT_FALSE(other->passed);
    EXPECT_NE(allWords(*other).find("lens: not what the record says"), std::string::npos) << allWords(*other);
}

// Channels of one camera may be sampled each in its own way; an archive samples them together, and holds all of them.
TEST(Proof, ALensWhoseFiguresAreKeyedApartIsHeldWhole) {
    const TempFolder folder;
    const FrameRate rate;
    Scene scene;
    scene.rate = rate;
    scene.nodes.push_back({"eye", "/eye", -1, NodeKind::Camera, nullptr, nullptr, {}, {}});
    setCamera(scene.nodes[0], Sampling::still(), {CameraFigures()});
    const Sampling zoom = Sampling::acyclic({rate.secondsAt(1001), rate.secondsAt(1013), rate.secondsAt(1024)});
    const Sampling pull = Sampling::uniform(rate.secondsAt(1005), rate.secondsAt(2), 8);
    scene.nodes[0].properties = changedChannels(scene.nodes[0].properties, [&](const Channel& channel) -> ValuesPtr {
        if (channel.meaning == Meaning::FocalLength)
            return memoryValues<double>(ValueType::Double, 1, false, zoom, {{0.035}, {0.0501234567}, {0.024}});
        if (channel.meaning != Meaning::FocusDistance)
            return channel.values;
        std::vector<std::vector<double>> distances;
        for (std::size_t i = 0; i < pull.count(); ++i)
            distances.push_back({3.0 + 0.37 * static_cast<double>(i)});
        return memoryValues(ValueType::Double, 1, false, pull, distances);
    });
    const auto done = delivered(scene, folder / "a.abc", &scene);
    ASSERT_TRUE(done) << done.error().text();
    EXPECT_TRUE(done->proof.passed) << done->proof.words();
    const auto back = test::openFile(folder / "a.abc");
    ASSERT_TRUE(back);
    for (const double frame : {1001.0, 1007.0, 1013.0, 1018.5, 1024.0}) {
        const auto meant = cameraAt(scene, 0, rate.secondsAt(frame));
        const auto view = cameraAt(*back, 0, rate.secondsAt(frame));
        ASSERT_TRUE(meant && view);
        EXPECT_NEAR(view->figures.focalLength, meant->figures.focalLength, 1e-12) << frame;
        EXPECT_NEAR(view->figures.focusDistance, meant->figures.focusDistance, 1e-12) << frame;
    }
}

// The second question is asked of every channel: whatever a node says, and says otherwise than its source, is found by
// name, though file and meaning agree.
TEST(Proof, AnyChannelThatTheSourceDoesNotShowFails) {
    const TempFolder folder;
    const FrameRate rate;
    const Sampling run24 = Sampling::uniform(rate.secondsAt(1001), rate.secondsAt(1), 24);
    Scene scene = test::sheetScene();
    scene.rate = rate;
    const auto values = [&](std::uint32_t extent, bool array, std::size_t count) {
        std::vector<std::vector<float>> samples;
        for (std::size_t i = 0; i < 24; ++i) {
            samples.emplace_back();
            for (std::size_t k = 0; k < count; ++k)
                samples.back().push_back(0.5F + 0.1F * static_cast<float>(i) + 0.01F * static_cast<float>(k));
        }
        return memoryValues(ValueType::Float, extent, array, run24, samples);
    };
    PropertyNode corner = plainProperty(Meaning::Parameter, "second_uv", values(2, true, 160));
    corner.scope = Scope::Corner;
    PropertyNode heat = plainProperty(Meaning::Parameter, "heat", values(1, true, 30));
    heat.scope = Scope::Point;
    scene.nodes[0].properties = plainProperties(
        {plainProperty(Meaning::Velocities, "velocities", values(3, true, 90), SpaceRole::Vector, TimeRole::Rate),
         corner, heat, plainProperty(Meaning::UserValue, "glow", values(1, false, 1))});
    scene.nodes.push_back({"eye", "/eye", -1, NodeKind::Camera, nullptr, nullptr, {}, {}});
    std::vector<CameraFigures> lens(24);
    for (std::size_t i = 0; i < lens.size(); ++i)
        lens[i].focalLength = 30.0 + static_cast<double>(i);
    setCamera(scene.nodes.back(), run24, lens);
    scene.nodes.push_back({"lamp", "/lamp", -1, NodeKind::Light, nullptr, nullptr, {}, {}});
    std::vector<LightFigures> lamp(24);
    for (std::size_t i = 0; i < lamp.size(); ++i) {
        lamp[i].intensity = 1.0 + static_cast<double>(i);
        lamp[i].coneDegrees = 40.0;
        lamp[i].colour = {1.0, 0.5, 0.25};
    }
    setLight(scene.nodes.back(), run24, lamp);
    scene.nodes.push_back({"kelp", "/kelp", -1, NodeKind::Instancer, nullptr, nullptr, {}, {}});
    std::vector<std::vector<InstanceFigures>> stands(24, std::vector<InstanceFigures>(3));
    for (std::size_t i = 0; i < 24; ++i)
        for (std::size_t k = 0; k < 3; ++k) {
            const double angle = 0.1 * static_cast<double>(i + k);
            stands[i][k] = {
                k, {static_cast<double>(k), 0, 0}, {0, std::sin(angle), 0, std::cos(angle)}, {1, 2, 0.5}, 0};
        }
    setInstancer(scene.nodes.back(), run24, stands, {});
    scene.nodes.push_back({"group", "/group", -1, NodeKind::Transform, nullptr, nullptr, {}, {}});
    scene.nodes.back().properties = plainProperties({plainProperty(Meaning::UserValue, "mood", values(1, false, 1))});
    const std::vector<Step> chain{
        {"offset", {{"frames", 3}}}, {"unit", {{"from", "m"}, {"to", "cm"}}}, {"turn", {{"from", "Z"}, {"to", "Y"}}}};
    const auto meant = applySteps(scene, chain);
    ASSERT_TRUE(meant) << meant.error().text();
    const auto right = delivered(*meant, folder / "right.abc", &scene, chain);
    ASSERT_TRUE(right) << right.error().text();
    std::size_t planted = 0;
    for (std::size_t n = 0; n < meant->nodes.size(); ++n)
        for (const Channel& channel : channelsOf(meant->nodes[n].properties)) {
            Scene wrong = *meant;
            wrong.nodes[n].properties = changedChannels(wrong.nodes[n].properties, [&](const Channel& c) -> ValuesPtr {
                if (c.name != channel.name)
                    return c.values;
                std::vector<PropertyValue> samples;
                for (std::size_t i = 0; i < c.values->sampling().count(); ++i)
                    samples.push_back(*c.values->read(i));
                if (c.values->type() == ValueType::Int32)
                    samples.back().bytes[samples.back().bytes.size() - 4] ^= std::byte{1};
                changeNumbers(c.values->type(), samples.back(), [](auto numbers) {
                    using T = typename decltype(numbers)::value_type;
                    numbers[numbers.size() - 1] = static_cast<T>(static_cast<double>(numbers.back()) * 1.01 + 0.001);
                });
                return std::make_shared<MemoryValues>(c.values->type(), c.values->extent(), c.values->isArray(),
                                                      c.values->sampling(), std::move(samples));
            });
            const auto bad = delivered(wrong, folder / "wrong.abc", &scene, chain);
            ASSERT_FALSE(bad) << channel.name;
            EXPECT_NE(bad.error().what.find("not what the source shows"), std::string::npos) << bad.error().text();
            EXPECT_NE(bad.error().what.find(channel.name), std::string::npos) << bad.error().text();
            ++planted;
        }
    EXPECT_EQ(planted, 4U + 13U + 3U + 3U + 1U);
}

// A record of version 2 has XXH64 of every sample's points; it proves, and it fails, as it did.
TEST(Proof, RecordsOfTheVersionBeforeAreProvenStill) {
    const TempFolder folder;
    const Scene scene = test::sheetScene();
    const auto good = delivered(scene, folder / "a.abc");
    ASSERT_TRUE(good) << good.error().text();
    json old = test::readJson(good->record);
    old["wychronos_record"] = 2;
    json& item = old["items"][0];
    for (std::size_t i = 0; i < item["sample_xxh3"].size(); ++i) {
        const auto points = test::pointsOf(test::shapeOf(scene), i);
        item["sample_xxh64"].push_back(hashText(hash64(std::as_bytes(std::span(points)))));
    }
    item.erase("sample_xxh3");
    for (const bool wrong : {false, true}) {
        if (wrong)
            item["sample_xxh64"][5] = item["sample_xxh64"][6];
        old.erase("record_xxh64");
        const std::string text = old.dump();
        old["record_xxh64"] = hashText(hash64(std::as_bytes(std::span(text.data(), text.size()))));
        test::writeFile(good->record, old.dump());
        const auto proof = proveFromRecord(folder / "a.abc", good->record, Progress());
        ASSERT_TRUE(proof) << proof.error().text();
        EXPECT_EQ(proof->passed, !wrong) << allWords(*proof);
    }
}

// The file holds exactly what was meant; what was meant is wrong.
TEST(Proof, AWrongStepFailsThoughFileAndMeaningAgree) {
    const TempFolder folder;
    const Scene source = rich();
    const std::vector<Step> chain{{"offset", {{"frames", 10.0}}, true}, {"unit", {{"from", "m"}, {"to", "cm"}}, true}};
    const auto right = applySteps(source, chain);
    ASSERT_TRUE(right);
    const auto deliver = [&](const Scene& scene) { return delivered(scene, folder / "a.abc", &source, chain); };
    const auto good = deliver(*right);
    ASSERT_TRUE(good) << good.error().text();
    EXPECT_TRUE(good->proof.sourceCompared);
    EXPECT_GE(good->proof.items.back().shown.moments.count(), 24U); // a camera: at every frame
    EXPECT_NE(good->proof.items.back().compared().find("focal length"), std::string::npos);
    const std::string before = test::readFile(folder / "a.abc");
    const auto late = applySteps(source, {{"offset", {{"frames", 11.0}}, true}, chain[1]});
    const auto larger = applySteps(source, {chain[0], {"unit", {{"from", "m"}, {"to", "mm"}}, true}});
    std::vector<std::pair<const char*, Scene>> wrong{{"late by one", *late}, {"another size", *larger}};
    const auto add = [&](const char* what, const std::function<void(Scene&)>& change) {
        Scene scene = *right;
        change(scene);
        wrong.emplace_back(what, std::move(scene));
    };
    add("one point", [](Scene& s) { s.nodes[1].geometry = withPoint(s.nodes[1].geometry, 7, 2, 0.1F); });
    add("the group stands still", [](Scene& s) {
        s.nodes[0].transform = std::make_shared<MemoryTransform>(
            Sampling::still(), s.nodes[0].transform->ops(),
            std::vector<std::vector<double>>{s.nodes[0].transform->channels(0).value()});
    });
    add("two keys for a turn", [](Scene& s) {
        const auto& ops = s.nodes[0].transform->ops();
        auto last = s.nodes[0].transform->channels(23).value();
        last[3] += 360.0;
        s.nodes[0].transform = std::make_shared<MemoryTransform>(
            Sampling::acyclic({kRate.secondsAt(1011), kRate.secondsAt(1034)}), ops,
            std::vector<std::vector<double>>{s.nodes[0].transform->channels(0).value(), last});
    });
    add("always seen", [](Scene& s) { s.nodes[0].visibility.reset(); });
    add("another lens", [](Scene& s) { setCamera(s.nodes[2], Sampling::still(), {CameraFigures{}}); });
    for (const auto& [what, scene] : wrong) {
        const auto result = deliver(scene);
        ASSERT_FALSE(result) << what;
        EXPECT_NE(result.error().what.find("not what the source shows"), std::string::npos)
            << what << ": " << result.error().what;
        EXPECT_EQ(test::readFile(folder / "a.abc"), before) << what; // nothing was put in place
    }
}

TEST(Proof, SaysWhatItDidNotCompareAndWhatIsNoNumber) {
    const TempFolder folder;
    test::SheetOptions options;
    options.plant = [](double frame, std::vector<Vec3f>& points) {
        if (frame == 1010)
            points[3].x = std::numeric_limits<float>::quiet_NaN();
    };
    const Scene source = test::sheetScene(options);
    DeliveryInput input;
    input.scene = source;
    input.source = std::make_shared<const Scene>(source);
    input.provenance = json::object();
    const auto outputs = planConversion({input}, {folder / "a.abc", false, true});
    ASSERT_TRUE(outputs);
    const auto result = runOutput(outputs->front(), {true, true}, Progress());
    ASSERT_TRUE(result) << result.error().text();
    EXPECT_EQ(result->proof.items[0].notNumbers, 1U);
    EXPECT_NE(result->proof.words().find("no number"), std::string::npos) << result->proof.words();
    const auto record = json::parse(test::readFile(result->record));
    EXPECT_FALSE(record["proof"]["not_compared"].empty());
    const auto later = proveFromRecord(folder / "a.abc", result->record, Progress());
    ASSERT_TRUE(later);
    EXPECT_TRUE(later->passed) << allWords(*later);
    EXPECT_NE(later->words().find("no number"), std::string::npos);
    EXPECT_FALSE(later->notCompared.empty());
}

TEST(Proof, AnArchiveWithoutItemsIsProvenByItsBytes) {
    const TempFolder folder;
    const auto good = delivered(Scene(), folder / "a.abc");
    ASSERT_TRUE(good) << good.error().text();
    EXPECT_TRUE(proveFromRecord(folder / "a.abc", good->record, Progress())->passed);
    std::ofstream(folder / "a.abc", std::ios::app | std::ios::binary) << 'x';
    const auto proof = proveFromRecord(folder / "a.abc", good->record, Progress());
    EXPECT_TRUE(!proof || !proof->passed);
}

// What was refused though it was right: a still camera beside frames that are dropped, and a set of faces that changes
// on a mesh that does not.
TEST(Proof, DoesNotAccuseWhatIsRight) {
    const TempFolder folder;
    const std::vector<std::pair<const char*, std::vector<Step>>> cases{
        {"camera.abc", {{"drop", {{"frames", "1002:1004"}, {"close", true}}, true}}},
        {"camera.abc", {{"resample", {{"rate", "25"}, {"method", "nearest"}}, true}}},
        {"face_sets.abc", {{"trim", {{"first", 1003.0}, {"last", 1003.0}, {"handles", 0.0}}, true}}},
        {"curves.abc", {{"drop", {{"frames", "1003,1005"}, {"close", false}}, true}, {"world", json::object(), true}}}};
    std::size_t found = 0;
    for (const auto& [name, steps] : cases)
        for (const fs::path& data : {fs::path(WYC_TEST_DATA) / "abc", fs::path(WYC_SHARED_FIXTURES) / "abc"}) {
            if (!fs::exists(data / name))
                continue;
            ++found;
            const auto source = test::openFile(data / name);
            ASSERT_TRUE(source) << source.error().text();
            const auto scene = applySteps(*source, steps);
            ASSERT_TRUE(scene) << name << ": " << scene.error().text();
            const auto result = delivered(*scene, folder / "a.abc", &*source, steps);
            EXPECT_TRUE(result) << name << ": " << result.error().text();
            break;
        }
    if (found == 0)
        GTEST_SKIP() << "no foreign archives here";
}

// Pieces of a mesh, and one mesh of several, are held against what they were made of.
TEST(Proof, FollowsPointsThroughSplitAndMerge) {
    const TempFolder folder;
    Scene source;
    for (const char* name : {"a", "b"}) {
        test::SheetOptions options;
        options.name = name;
        options.rows = name[0] == 'a' ? 6 : 4;
        source.nodes.push_back(test::sheetScene(options).nodes[0]);
    }
    source.nodes[1].transform = MemoryTransform::fixed(Mat4::translation({3, 0, 0}));
    const Step merge{"merge", {{"name", "one"}}, true};
    const Step split{"split", {{"by", "pieces"}}, true};
    for (const std::vector<Step>& chain :
         {std::vector{merge}, std::vector{merge, split}, std::vector{merge, split, merge},
          std::vector{merge, split, Step{"unit", {{"from", "m"}, {"to", "cm"}}, true}}}) {
        const auto right = applySteps(source, chain);
        ASSERT_TRUE(right) << right.error().text();
        const auto deliver = [&](const Scene& scene) { return delivered(scene, folder / "a.abc", &source, chain); };
        const auto good = deliver(*right);
        ASSERT_TRUE(good) << good.error().text();
        for (const ProvenItem& item : good->proof.items) {
            EXPECT_TRUE(test::allComparable(item)) << item.item;
            EXPECT_GE(item.shown.moments.count(), 24U);
        }
        Scene wrong = *right;
        const std::size_t last = wrong.nodes.size() - 1; // its last point
        const std::size_t points = *wrong.nodes[last].geometry->pointCount(0);
        wrong.nodes[last].geometry = withPoint(wrong.nodes[last].geometry, 13, points - 1, 0.5F);
        const auto bad = deliver(wrong);
        ASSERT_FALSE(bad);
        EXPECT_NE(bad.error().what.find("not what the source shows"), std::string::npos) << bad.error().what;
    }
}

TEST(ProofPage, StandsWhateverARecordHoldsAndItsTextsAreNoMarkup) {
    Proof proof;
    ProvenItem item;
    item.item = "/<script>";
    item.disagreements = {"a < b & c"};
    proof.items.push_back(item);
    proof.disagreements = {"<img>"};
    using nlohmann::json;
    for (const json& record :
         {json(), json::array({1, 2}), json("text"),
          json{{"made_from", 3}, {"files", "none"}, {"lost", json::object()}},
          json{{"made_from",
                json::array({1, json::object(),
                             json{{"source", json::array()},
                                  {"steps", json::array({"x", json{{"type", "scale"}, {"options", 7}}})}}})},
               {"files", json::array({json{{"name", 1}, {"size", -3}}, "x"})},
               {"lost", json::array({nullptr, json{{"what", "<b>"}}})},
               {"first", "soon"},
               {"last", json::object()}}}) {
        const std::string page = proofPage("a<b>.abc", record, proof);
        EXPECT_NE(page.find("a&lt;b&gt;.abc"), std::string::npos);
        EXPECT_NE(page.find("a &lt; b &amp; c"), std::string::npos);
        for (const char* markup : {"<script>", "<img>", "<b>"})
            EXPECT_EQ(page.find(markup), std::string::npos) << markup;
    }
}

} // namespace
} // namespace wyc::proof_test
