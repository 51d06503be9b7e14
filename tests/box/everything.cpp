// SPDX-License-Identifier: GPL-3.0-or-later
#include "box/everything.h"

#include <cmath>
#include <stdexcept>

#include "scene/components/camera.h"
#include "scene/components/instancer.h"
#include "scene/components/light.h"
#include "scene/components/skeleton.h"
#include "scene/deform/deformers.h"
#include "support/scenes.h"

namespace wyc::box {
namespace {

const FrameRate kRate;

Sampling frames(double first, double step, std::size_t count) {
    return Sampling::uniform(kRate.secondsAt(first), kRate.secondsAt(step), count);
}

ValuesPtr numbers(const Sampling& sampling, const std::function<double(double)>& valueAt) {
    std::vector<std::vector<float>> samples;
    for (std::size_t i = 0; i < sampling.count(); ++i)
        samples.push_back({static_cast<float>(valueAt(static_cast<double>(i)))});
    return memoryValues(ValueType::Float, 1, false, sampling, samples);
}

PropertyNode text(Meaning meaning, std::string name, const std::string& words) {
    const auto raw = std::as_bytes(std::span(words.c_str(), words.size() + 1));
    return plainProperty(meaning, std::move(name),
                         std::make_shared<MemoryValues>(ValueType::String, 1, false, Sampling::still(),
                                                        std::vector<PropertyValue>{{{raw.begin(), raw.end()}, {}}}));
}

// A surface whose roughness changes, fed by a picture.
Material silk() {
    Material material;
    material.name = "silk";
    material.look.baseColour = {{0.8F, 0.3F, 0.2F}, "maps/silk.png", {}};
    material.look.roughness = {{0.2F}, {}, {}};
    PropertyNode surface = plainProperty(Meaning::Unknown, "surface", nullptr);
    surface.children.push_back(text(Meaning::ShaderType, "type", "plain surface"));
    surface.children.push_back(plainProperty(Meaning::ShaderInput, "roughness",
                                             numbers(frames(1001, 3, 5), [](double i) { return 0.2 + 0.1 * i; })));
    surface.children.push_back(text(Meaning::ShaderLink, "base colour", "picture.out"));
    PropertyNode picture = plainProperty(Meaning::Unknown, "picture", nullptr);
    picture.children.push_back(text(Meaning::ShaderType, "type", "picture"));
    picture.children.push_back(text(Meaning::ShaderTexture, "file", "maps/silk.png"));
    material.graph = plainProperties({surface, picture});
    return material;
}

// A set of UVs for each corner, of its own times.
PropertyNode uvs(const char* name, const Sampling& sampling, std::size_t corners, float shift) {
    std::vector<Attribute> samples;
    for (std::size_t i = 0; i < sampling.count(); ++i) {
        Attribute now{Scope::Corner, 2, {}, {}};
        for (std::size_t c = 0; c < corners * 2; ++c)
            now.values.push_back(shift + 0.01F * static_cast<float>(c) + 0.02F * static_cast<float>(i));
        samples.push_back(std::move(now));
    }
    return layerProperty(Meaning::Uvs, name, sampling, samples);
}

void addSwimmer(Scene& scene, int parent) {
    Node& rig = test::addNode(scene, "rig", parent, NodeKind::Skeleton);
    const NodeId rigId = rig.id;
    const std::vector<Joint> joints{{"root", -1, Mat4(), Mat4()},
                                    {"tail", 0, Mat4::translation({0.6, 0, 0}), Mat4::translation({0.6, 0, 0})}};
    const Sampling keys = frames(1001, 4, 4);
    std::vector<std::vector<JointPose>> poses(keys.count());
    for (std::size_t i = 0; i < poses.size(); ++i) {
        const double angle = 0.2 * static_cast<double>(i);
        poses[i] = {
            {{0.05 * static_cast<double>(i), 0, 0}, {0, 0, 0, 1}, {1, 1, 1}},
            {{0.6, 0, 0}, {0, 0, std::sin(angle), std::cos(angle)}, {1, 1.0 + 0.1 * static_cast<double>(i), 1}}};
    }
    setSkeleton(rig, joints, keys, poses);

    const std::vector<Vec3f> rest = test::sheetPoints(3, 4, 0.4);
    const TopologyPtr faces = test::gridTopology(3, 4);
    Node& mesh = test::addNode(scene, "swimmer", parent, NodeKind::Mesh);
    mesh.properties = plainProperties({uvs("UVs", frames(1001, 6, 3), faces->cornerCount(), 0.0F),
                                       uvs("tiles", Sampling::still(), faces->cornerCount(), 1.0F),
                                       uvs("baked", Sampling::still(), faces->cornerCount(), 2.0F)});
    Skin skin{rigId, Mat4::translation({0.1, 0, 0}), 2, {}, {}};
    for (std::size_t i = 0; i < rest.size(); ++i) {
        const float share = std::min(1.0F, std::max(0.0F, rest[i].x));
        skin.joints.insert(skin.joints.end(), {0, 1});
        skin.weights.insert(skin.weights.end(), {1.0F - share, share});
    }
    const std::vector<MorphTarget> morphs{{"puff",
                                           frames(1001, 2, 7),
                                           {0, 0.2F, 0.5F, 0.9F, 0.4F, 0.1F, 0},
                                           {{"puff", 1.0F, {1, 5, 6}, {{0, 0, 0.2F}, {0, 0, 0.3F}, {0, 0.1F, 0}}}}},
                                          {"wink",
                                           frames(1002, 5, 3),
                                           {0, 1, 0.3F},
                                           {{"half", 0.5F, {2, 3}, {{0, 0.1F, 0}, {0.1F, 0, 0}}},
                                            {"whole", 1.0F, {2, 3}, {{0, 0.1F, 0.1F}, {0.3F, 0, 0}}}}}};
    setDeformers(mesh, rest, morphs, skin);
    std::vector<FaceSet> sets{{FaceSet::Kind::Group, "fin", {0, 1}}, {FaceSet::Kind::Material, "silk", {2, 3}}};
    sets.back().material = scene.materials[0].id;
    const auto deformed = deform(mesh, &scene.nodes[scene.nodes.size() - 2], faces,
                                 std::make_shared<const std::vector<FaceSet>>(std::move(sets)), kRate);
    if (!deformed)
        throw std::runtime_error(deformed.error().text());
    mesh.visibility = VisibilityTrack{frames(1001, 1, 13), std::vector<Visibility>(13, Visibility::Visible)};
    mesh.visibility->values[12] = Visibility::Hidden;
}

void addShell(Scene& scene, int parent) {
    Node& mesh = test::addNode(scene, "shell", parent, NodeKind::Mesh);
    std::vector<std::vector<Vec3f>> samples;
    for (int i = 0; i < 13; ++i)
        samples.push_back(test::sheetPoints(4, 3, 0.1 * i));
    mesh.geometry = std::make_shared<MemoryGeometry>(frames(1001, 1, 13), test::gridTopology(4, 3), samples);
    mesh.material = scene.materials[1].id;
    std::vector<float> normals;
    std::vector<float> colours;
    for (int i = 0; i < 12; ++i) {
        normals.insert(normals.end(), {0, 0.6F, 0.8F});
        colours.insert(colours.end(), {0.1F * static_cast<float>(i % 9), 0.5F, 1.0F});
    }
    std::vector<std::vector<double>> heat;
    for (int i = 0; i < 3; ++i)
        heat.push_back(std::vector<double>(12, 20.0 + i));
    PropertyNode warmth =
        plainProperty(Meaning::Parameter, "heat", memoryValues(ValueType::Double, 1, true, frames(1001, 6, 3), heat));
    warmth.scope = Scope::Point;
    mesh.properties = plainProperties(
        {layerProperty(Meaning::Normals, "normals", Sampling::still(), {{Scope::Point, 3, normals, {}}}),
         layerProperty(Meaning::Colours, "colours", Sampling::still(), {{Scope::Point, 3, colours, {}}}),
         std::move(warmth),
         plainProperty(Meaning::UserValue, "spin", numbers(frames(1001, 4, 4), [](double i) { return 3.0 + i; }),
                       SpaceRole::None, TimeRole::Rate),
         plainProperty(Meaning::UserValue, "exposed for",
                       numbers(frames(1001, 4, 4), [](double i) { return 0.01 + 0.001 * i; }), SpaceRole::None,
                       TimeRole::Duration)});
}

void addSpores(Scene& scene, int parent) {
    Node& cloud = test::addNode(scene, "spores", parent, NodeKind::Points);
    const Sampling sampling = frames(1001, 1, 13);
    std::vector<std::vector<Vec3f>> points(13);
    std::vector<std::vector<std::uint64_t>> ids(13);
    std::vector<std::vector<float>> speeds(13);
    std::vector<std::vector<float>> widths(13);
    for (std::size_t i = 0; i < 13; ++i)
        for (std::uint64_t id = i / 5; id < 5 + i / 4; ++id) {
            points[i].push_back({static_cast<float>(id), 0.1F * static_cast<float>(i), 0.3F});
            ids[i].push_back(id);
            speeds[i].insert(speeds[i].end(), {0, 2.4F, 0});
            widths[i].push_back(0.05F + 0.01F * static_cast<float>(id));
        }
    cloud.geometry = std::make_shared<VaryingPoints>(sampling, points, ids);
    cloud.properties = plainProperties(
        {plainProperty(Meaning::Velocities, "velocities", memoryValues(ValueType::Float, 3, true, sampling, speeds),
                       SpaceRole::Vector, TimeRole::Rate),
         plainProperty(Meaning::Widths, "widths", memoryValues(ValueType::Float, 1, true, sampling, widths),
                       SpaceRole::Length)});
}

void addBed(Scene& scene, int parent) {
    const auto bed = static_cast<int>(scene.nodes.size());
    test::addNode(scene, "bed", parent, NodeKind::Instancer);
    Node& frond = test::addNode(scene, "frond", bed, NodeKind::Mesh);
    frond.geometry = std::make_shared<MemoryGeometry>(Sampling::still(), test::gridTopology(2, 3),
                                                      std::vector<std::vector<Vec3f>>{test::sheetPoints(2, 3, 0.2)});
    const NodeId shown = frond.id;
    const Sampling sampling = frames(1001, 3, 5);
    std::vector<std::vector<InstanceFigures>> samples(5);
    for (std::size_t i = 0; i < 5; ++i)
        for (std::uint64_t id = 0; id < 4; ++id) {
            const double angle = 0.1 * static_cast<double>(i + id);
            samples[i].push_back({id,
                                  {static_cast<double>(id), 0.1 * static_cast<double>(i), 2},
                                  {0, std::sin(angle), 0, std::cos(angle)},
                                  {1, 1.0 + 0.1 * static_cast<double>(i), 1},
                                  0});
        }
    setInstancer(scene.nodes[static_cast<std::size_t>(bed)], sampling, samples, {shown});
}

} // namespace

Scene everything() {
    Scene scene;
    scene.rate = scene.view.rate = kRate;
    scene.unitMetres = 1.0;
    scene.upAxis = UpAxis::Y;
    scene.materials = {silk(), colourMaterial("pearl", {{0.9F, 0.9F, 1.0F}, {}, {}})};
    scene.materials[1].look.metal = {{0.3F}, {}, {}};
    test::addNode(scene, "current", -1, NodeKind::Transform).transform = std::make_shared<MemoryTransform>(
        frames(1001, 1, 13),
        std::vector<TransformOp>{{TransformOp::Kind::Translate, 0}, {TransformOp::Kind::RotateY, 0}}, [] {
            std::vector<std::vector<double>> channels;
            for (int i = 0; i < 13; ++i)
                channels.push_back({0.1 * i, 0, 0, 4.0 * i});
            return channels;
        }());
    addSwimmer(scene, 0);
    addShell(scene, 0);
    addSpores(scene, 0);
    addBed(scene, 0);
    const NodeId shell = scene.nodes[*scene.find("/current/shell")].id;
    Node& again = test::addNode(scene, "shell_again", -1, NodeKind::Instances);
    again.instanceOf = shell;
    again.transform = MemoryTransform::fixed(Mat4::translation({0, 3, 0}));
    std::vector<CameraFigures> lens(4);
    std::vector<LightFigures> lamp(4);
    for (std::size_t i = 0; i < 4; ++i) {
        lens[i].focalLength = 30.0 + static_cast<double>(i);
        lens[i].focusDistance = 3.0 + 0.2 * static_cast<double>(i);
        lamp[i] = {"spot", std::array{1.0, 0.9, 0.8}, 10.0, 1.0, 30.0 + 5.0 * static_cast<double>(i)};
    }
    setCamera(test::addNode(scene, "boom", -1, NodeKind::Camera), frames(1001, 4, 4), lens);
    setLight(test::addNode(scene, "lamp", 0, NodeKind::Light), frames(1001, 4, 4), lamp);
    Node& weed = test::addNode(scene, "weed", -1, NodeKind::Curves);
    weed.geometry =
        std::make_shared<MemoryGeometry>(frames(1001, 6, 3), emptyTopology(),
                                         std::vector<std::vector<Vec3f>>{{{0, 0, 0}, {0, 1, 0}, {0, 2, 0}},
                                                                         {{0, 0, 0}, {0, 1, 0.2F}, {0, 2, 0.5F}},
                                                                         {{0, 0, 0}, {0, 1, 0.1F}, {0, 2, 0.2F}}});
    weed.properties = plainProperties(
        {plainProperty(Meaning::CurveSizes, "sizes",
                       stillValues(ValueType::Int32, 1, true, std::vector<std::int32_t>{3})),
         plainProperty(Meaning::CurveKind, "kind",
                       stillValues(ValueType::UInt8, 4, false, std::vector<std::uint8_t>{1, 0, 0, 0}))});
    return scene;
}

} // namespace wyc::box
