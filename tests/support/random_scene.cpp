// SPDX-License-Identifier: GPL-3.0-or-later
#include "support/random_scene.h"

namespace wyc::test {
namespace {

constexpr double kFirst = 1001.0;
constexpr double kLast = 1024.0;

// Dense, a few keys, beginning late, ending early, within frames, uneven, one sample.
Sampling exactSampling(Random& r, const FrameRate& rate) {
    const auto at = [&](double frame) { return rate.secondsAt(frame); };
    switch (r.whole(0, 7)) {
    case 0: return Sampling::still();
    case 1: return Sampling::uniform(at(kFirst), at(1), 24);
    case 2: return Sampling::acyclic({at(kFirst + r.whole(0, 3)), at(kLast - r.whole(0, 3))});
    case 3: {
        const int start = r.whole(6, 14);
        return Sampling::uniform(at(kFirst + start), at(1), static_cast<std::size_t>(24 - start));
    }
    case 4: return Sampling::uniform(at(kFirst), at(1), static_cast<std::size_t>(r.whole(4, 16)));
    case 5: return Sampling::cyclic({at(kFirst - 0.25), at(kFirst), at(kFirst + 0.25)}, at(1), 72);
    case 6: {
        std::vector<double> times;
        for (double frame = kFirst; frame <= kLast; frame += r.whole(1, 7) + (r.chance(30) ? 0.5 : 0.0))
            times.push_back(at(frame));
        return Sampling::acyclic(times);
    }
    default: return Sampling::uniform(at(kFirst), at(2), 12);
    }
}

Sampling randomSampling(Random& r, const FrameRate& rate) {
    const Sampling exact = exactSampling(r, rate);
    if (!r.floatTimes || exact.isStill())
        return exact;
    std::vector<double> times = exact.times();
    for (double& t : times)
        t = static_cast<double>(static_cast<float>(t));
    return Sampling::acyclic(times);
}

TransformPtr randomTransform(Random& r, const FrameRate& rate) {
    const Sampling sampling = randomSampling(r, rate);
    std::vector<TransformOp> ops;
    std::vector<double> from;
    std::vector<double> to;
    const auto add = [&](TransformOp::Kind kind, const std::vector<double>& a, const std::vector<double>& b) {
        ops.push_back({kind, 0});
        from.insert(from.end(), a.begin(), a.end());
        to.insert(to.end(), b.begin(), b.end());
    };
    const auto vec = [&](double low, double high) {
        return std::vector<double>{r.real(low, high), r.real(low, high), r.real(low, high)};
    };
    for (int n = r.whole(1, 4); n > 0; --n)
        switch (r.whole(0, 6)) {
        case 0:
        case 1: add(TransformOp::Kind::Translate, vec(-4, 4), vec(-4, 4)); break;
        case 2: {
            auto a = vec(0.5, 2);
            if (r.chance(25))
                a[static_cast<std::size_t>(r.whole(0, 2))] *= -1.0; // a mirror
            add(TransformOp::Kind::Scale, a, r.chance(50) ? a : std::vector<double>{a[0] * 1.5, a[1], a[2] * 0.7});
            break;
        }
        case 3: add(TransformOp::Kind::RotateX, {r.real(-90, 90)}, {r.real(-90, 270)}); break;
        case 4: add(TransformOp::Kind::RotateY, {0.0}, {180.0}); break;
        case 5: {
            auto axis = vec(-1, 1);
            axis[0] += 1.5;
            auto a = axis;
            a.push_back(r.real(0, 40));
            auto b = axis;
            b.push_back(r.real(90, 200));
            add(TransformOp::Kind::Rotate, a, b);
            break;
        }
        default: {
            const Mat4 m = Mat4::rotation({1, 2, 0}, r.real(0, 1)) * Mat4::translation({r.real(-3, 3), 1, 0});
            Mat4 end = m;
            end.m[12] += r.real(-5, 5);
            add(TransformOp::Kind::Matrix, {m.m.begin(), m.m.end()}, {end.m.begin(), end.m.end()});
        }
        }
    std::vector<std::vector<double>> channels;
    const std::size_t count = sampling.count();
    for (std::size_t i = 0; i < count; ++i) {
        double w = count > 1 ? static_cast<double>(i) / static_cast<double>(count - 1) : 0.0;
        w = r.chance(20) ? w * w : w;
        std::vector<double> now;
        for (std::size_t k = 0; k < from.size(); ++k)
            now.push_back(mixed(from[k], to[k], w));
        channels.push_back(now);
    }
    return std::make_shared<MemoryTransform>(sampling, ops, channels);
}

VisibilityTrack randomVisibility(Random& r, const FrameRate& rate) {
    VisibilityTrack track;
    track.sampling = randomSampling(r, rate);
    for (std::size_t i = 0; i < track.sampling.count(); ++i)
        track.values.push_back(r.chance(60)   ? Visibility::Visible
                               : r.chance(70) ? Visibility::Hidden
                                              : Visibility::AsParent);
    return track;
}

// UVs and normals, still or with times of their own or with those of the points.
void putLayers(Random& r, const FrameRate& rate, Node& node) {
    const auto sampling = [&] {
        return r.chance(50) ? Sampling::still() : r.chance(50) ? node.geometry->sampling() : randomSampling(r, rate);
    };
    const auto put = [&](Meaning meaning, std::size_t count, const auto& valueOf, bool numbered = false) {
        const Sampling times = sampling();
        const std::size_t renumbered = static_cast<std::size_t>(r.whole(1, 9));
        std::vector<Attribute> samples;
        for (std::size_t i = 0; i < times.count(); ++i) {
            Attribute now{
                meaning == Meaning::Normals ? Scope::Point : Scope::Corner, meaning == Meaning::Uvs ? 2 : 3, {}, {}};
            for (std::size_t k = 0; k < count; ++k)
                now.values.push_back(valueOf(i, k));
            for (std::int32_t corner = 0; numbered && corner < 16; ++corner)
                now.indices.push_back((corner + static_cast<std::int32_t>(i / renumbered)) % 7);
            samples.push_back(std::move(now));
        }
        return layerProperty(meaning, numbered ? "tiles" : meaningName(meaning), times, samples);
    };
    std::vector<PropertyNode> list;
    if (r.chance(60))
        list.push_back(put(Meaning::Uvs, 32, [](std::size_t i, std::size_t k) {
            return static_cast<float>(k) * 0.05F + static_cast<float>(i % 5) * 0.01F;
        }));
    if (r.chance(40))
        list.push_back(put(
            Meaning::Uvs, 14,
            [](std::size_t i, std::size_t k) { return 0.1F * static_cast<float>(k) + 0.02F * static_cast<float>(i); },
            true));
    list.push_back(put(Meaning::Normals, 27, [](std::size_t i, std::size_t k) {
        const double angle = 0.3 * static_cast<double>(i) + 0.1 * static_cast<double>(k / 3);
        return static_cast<float>(k % 3 == 0 ? std::sin(angle) : k % 3 == 1 ? std::cos(angle) : 0.5);
    }));
    for (PropertyNode& property : node.properties ? node.properties->all() : std::vector<PropertyNode>())
        list.push_back(std::move(property));
    node.properties = plainProperties(std::move(list));
}

GeometryPtr randomMesh(Random& r, const FrameRate& rate) {
    const Sampling sampling = randomSampling(r, rate);
    std::vector<std::vector<Vec3f>> samples;
    for (std::size_t i = 0; i < sampling.count(); ++i)
        samples.push_back(sheetPoints(3, 3, 0.4 * static_cast<double>(i)));
    return std::make_shared<MemoryGeometry>(sampling, gridTopology(3, 3), std::move(samples));
}

// Values that say which of their samples are equal, as those of a file do.
class NumberedValues final : public ValuesWrapper {
  public:
    using ValuesWrapper::ValuesWrapper;
    [[nodiscard]] std::optional<std::uint64_t> token(std::size_t s) const override { return s; }
    [[nodiscard]] std::optional<std::uint64_t> tokenAt(double t) const override { return SampledValues::tokenAt(t); }
};

// What a mesh or a cloud carries beside its points, each sampled in its own way, or as the points are.
PropertiesPtr randomAttributes(Random& r, const FrameRate& rate, const Geometry& shape, bool mesh) {
    std::vector<PropertyNode> list;
    const auto add = [&](Meaning meaning, const char* name, std::uint32_t extent, std::size_t elements, Scope scope,
                         SpaceRole space, TimeRole time, bool ownTimes) {
        const Sampling sampling = ownTimes ? randomSampling(r, rate) : shape.sampling();
        std::vector<std::vector<float>> samples;
        for (std::size_t i = 0; i < sampling.count(); ++i) {
            std::size_t count = elements * extent;
            if (elements == 0)
                count = *shape.pointCount(i) * extent;
            std::vector<float> values(count);
            for (std::size_t k = 0; k < values.size(); ++k)
                values[k] = 0.25F + static_cast<float>(k % 7) * 0.3F + static_cast<float>(i) * 0.11F;
            samples.push_back(std::move(values));
        }
        PropertyNode made =
            plainProperty(meaning, name, memoryValues(ValueType::Float, extent, true, sampling, samples), space, time);
        made.scope = scope;
        list.push_back(std::move(made));
    };
    const std::size_t each = mesh ? 9 : 0;
    if (r.chance(40))
        add(Meaning::Velocities, "velocities", 3, each, Scope::Point, SpaceRole::Vector, TimeRole::Rate, false);
    if (r.chance(30) && !mesh)
        add(Meaning::Widths, "widths", 1, 0, Scope::Point, SpaceRole::Length, TimeRole::Plain, false);
    if (mesh && r.chance(30))
        add(Meaning::Parameter, "heat", 1, 9, Scope::Point, SpaceRole::None, TimeRole::Plain, r.chance(50));
    if (mesh && r.chance(30))
        add(Meaning::Parameter, "second_uv", 2, 16, Scope::Corner, SpaceRole::None, TimeRole::Plain, r.chance(50));
    if (mesh && r.chance(30))
        add(Meaning::Parameter, "wind", 3, 9, Scope::Point, SpaceRole::Vector, TimeRole::Plain, false);
    if (r.chance(30)) {
        const Sampling sampling = randomSampling(r, rate);
        std::vector<std::vector<double>> glow;
        std::vector<std::vector<std::int32_t>> mode;
        for (std::size_t i = 0; i < sampling.count(); ++i) {
            glow.push_back({std::sin(0.4 * static_cast<double>(i))});
            mode.push_back({static_cast<std::int32_t>(i / 4)});
        }
        list.push_back(
            plainProperty(Meaning::UserValue, "glow", memoryValues(ValueType::Double, 1, false, sampling, glow)));
        list.push_back(
            plainProperty(Meaning::UserValue, "mode", memoryValues(ValueType::Int32, 1, false, sampling, mode)));
    }
    for (PropertyNode& property : list)
        property.values = std::make_shared<NumberedValues>(property.values);
    return list.empty() ? nullptr : plainProperties(std::move(list));
}

void makeRandomLight(Random& r, const FrameRate& rate, Node& node) {
    std::vector<LightFigures> figures;
    const Sampling sampling = randomSampling(r, rate);
    for (std::size_t i = 0; i < sampling.count(); ++i) {
        LightFigures light;
        light.intensity = 1.0 + 0.5 * static_cast<double>(i);
        light.coneDegrees = 30.0 + static_cast<double>(i % 11);
        light.colour = {0.5, 0.25 + 0.02 * static_cast<double>(i), 1.0};
        figures.push_back(light);
    }
    setLight(node, sampling, figures);
}

// Drifting, in another order in every sample, some born and some gone.
GeometryPtr randomParticles(Random& r, const FrameRate& rate) {
    const Sampling sampling = randomSampling(r, rate);
    std::vector<std::vector<Vec3f>> points;
    std::vector<std::vector<std::uint64_t>> ids;
    for (std::size_t i = 0; i < sampling.count(); ++i) {
        std::vector<std::uint64_t> now;
        for (std::uint64_t id = i / 5; id < 6 + i / 4; ++id)
            now.push_back(id);
        std::shuffle(now.begin(), now.end(), r.engine);
        points.emplace_back();
        for (const std::uint64_t id : now)
            points.back().push_back({static_cast<float>(id), static_cast<float>(i) * 0.3F, static_cast<float>(id % 3)});
        ids.push_back(std::move(now));
    }
    return std::make_shared<VaryingPoints>(sampling, std::move(points), std::move(ids));
}

// Drifting, turning, growing; some born and some gone, in another order in every sample. Below it what it shows.
void addInstancer(Random& r, const FrameRate& rate, Scene& scene, std::size_t own) {
    std::vector<NodeId> prototypes;
    for (int n = 0; n < 2; ++n) {
        Node mesh;
        mesh.name = scene.nodes[own].name + "_shown" + std::to_string(n);
        mesh.path = scene.nodes[own].path + "/" + mesh.name;
        mesh.parent = static_cast<int>(own);
        mesh.kind = NodeKind::Mesh;
        mesh.geometry = randomMesh(r, rate);
        if (n == 1)
            mesh.transform = MemoryTransform::fixed(Mat4::rotation({1, 1, 0}, 0.4) * Mat4::translation({0.5, 0, 2}));
        prototypes.push_back(mesh.id);
        scene.nodes.push_back(std::move(mesh));
    }
    const Sampling sampling = randomSampling(r, rate);
    std::vector<std::vector<InstanceFigures>> samples;
    for (std::size_t i = 0; i < sampling.count(); ++i) {
        samples.emplace_back();
        for (std::uint64_t id = i / 6; id < 4 + i / 5; ++id) {
            InstanceFigures one;
            const auto k = static_cast<double>(id);
            one.id = id;
            one.place = {k, 0.2 * static_cast<double>(i), k * 0.5};
            const double angle = 0.1 * k + 0.17 * static_cast<double>(i);
            const double length = std::sqrt(1.0 + 0.25 * k * k);
            one.turn = {std::sin(angle) / length, std::sin(angle) * 0.5 * k / length, 0.0, std::cos(angle)};
            one.size = {1.0 + 0.1 * k, 0.5 + 0.02 * static_cast<double>(i), 2.0};
            one.prototype = static_cast<std::int32_t>((id + i / 9) % 2);
            samples.back().push_back(one);
        }
        std::shuffle(samples.back().begin(), samples.back().end(), r.engine);
    }
    setInstancer(scene.nodes[own], sampling, samples, std::move(prototypes));
}

} // namespace

void addDeformed(Random& r, const FrameRate& rate, Scene& scene, std::size_t own) {
    Node& mesh = scene.nodes[own];
    const std::vector<Vec3f> rest = sheetPoints(3, 3, 0.3);
    std::vector<MorphTarget> morphs;
    for (int n = r.whole(0, 2); n > 0; --n) {
        MorphTarget morph{"swell" + std::to_string(n), randomSampling(r, rate), {}, {}};
        for (std::size_t i = 0; i < morph.sampling.count(); ++i)
            morph.weights.push_back(static_cast<float>(r.real(-0.3, 1.4)));
        morph.shapes.push_back({"whole", 1.0F, {1, 4, 7}, {{0.2F, 0, 0}, {0, 0.5F, 0.1F}, {0, 0, 0.3F}}});
        if (n == 2)
            morph.shapes.push_back({"half", 0.5F, {0, 4}, {{0, 0.2F, 0}, {0.3F, 0, 0}}});
        morphs.push_back(std::move(morph));
    }
    std::optional<Skin> skin;
    if (morphs.empty() || r.chance(70)) {
        Node rig;
        rig.name = mesh.name + "_rig";
        rig.parent = mesh.parent;
        rig.path = mesh.path + "_rig";
        std::vector<Joint> joints;
        for (std::int32_t j = 0; j < 3; ++j)
            joints.push_back({"joint" + std::to_string(j), j - 1,
                              Mat4::rotation({0, 0, 1}, 0.2 * j) * Mat4::translation({0.4 * j, 0.1 * j, 0}), Mat4()});
        const Sampling sampling = randomSampling(r, rate);
        std::vector<std::vector<JointPose>> samples(sampling.count());
        for (std::size_t i = 0; i < samples.size(); ++i)
            for (int j = 0; j < 3; ++j) {
                const double angle = 0.2 * j + 0.06 * static_cast<double>(i);
                samples[i].push_back({{0.4, 0.1 + 0.01 * static_cast<double>(i), 0.02 * j},
                                      {0, std::sin(angle) * 0.6, std::sin(angle) * 0.8, std::cos(angle)},
                                      {1.0, 1.0 + 0.02 * static_cast<double>(i), 0.9}});
            }
        setSkeleton(rig, joints, sampling, samples);
        skin = Skin{rig.id, Mat4::translation({0.1, 0, 0}), 2, {}, {}};
        for (std::int32_t i = 0; i < 9; ++i) {
            skin->joints.insert(skin->joints.end(), {i % 3, (i + 1) % 3});
            skin->weights.insert(skin->weights.end(), {i == 5 ? 0.0F : 0.75F, i == 5 ? 0.0F : 0.25F});
        }
        scene.nodes.push_back(std::move(rig));
    }
    Node& it = scene.nodes[own];
    setDeformers(it, rest, morphs, skin);
    EXPECT_TRUE(deform(it, skin ? &scene.nodes.back() : nullptr, gridTopology(3, 3), noFaceSets(), rate));
}

Scene randomScene(Random& r) {
    Scene scene;
    scene.view.rate = *FrameRate::parse(std::vector<const char*>{"24", "25", "30", "24000/1001"}[r.engine() % 4]);
    scene.rate = scene.view.rate;
    scene.unitMetres = 1.0;
    scene.upAxis = UpAxis::Y;
    const auto add = [&](const std::string& name, int parent, NodeKind kind) -> Node& {
        return addNode(scene, name, parent, kind);
    };
    int parent = -1;
    for (int depth = r.whole(0, 3); depth > 0; --depth) {
        Node& group = add("group" + std::to_string(depth), parent, NodeKind::Transform);
        if (r.chance(85))
            group.transform = randomTransform(r, scene.view.rate);
        if (r.chance(25))
            group.visibility = randomVisibility(r, scene.view.rate);
        parent = static_cast<int>(scene.nodes.size()) - 1;
    }
    const int things = r.whole(1, 2);
    for (int n = things; n > 0; --n) {
        const int own = n == things || r.chance(60) ? parent : -1; // no group is empty
        const std::string name = "thing" + std::to_string(n);
        const int place = [&] {
            if (!r.chance(50))
                return own;
            add(name + "_at", own, NodeKind::Transform).transform = randomTransform(r, scene.view.rate);
            return static_cast<int>(scene.nodes.size()) - 1;
        }();
        switch (r.whole(0, 6)) {
        case 6:
            add(name, place, NodeKind::Mesh);
            addDeformed(r, scene.view.rate, scene, scene.nodes.size() - 1);
            break;
        case 5:
            add(name, place, NodeKind::Instancer);
            addInstancer(r, scene.view.rate, scene, scene.nodes.size() - 1);
            break;
        case 0: {
            Node& cloud = add(name, place, NodeKind::Points);
            cloud.geometry = randomParticles(r, scene.view.rate);
            cloud.properties = randomAttributes(r, scene.view.rate, *cloud.geometry, false);
            break;
        }
        case 4: makeRandomLight(r, scene.view.rate, add(name, place, NodeKind::Light)); break;
        case 1: {
            const Sampling sampling = randomSampling(r, scene.view.rate);
            std::vector<CameraFigures> figures(sampling.count());
            for (std::size_t i = 0; i < figures.size(); ++i) {
                figures[i].focalLength = 20.0 + 3.0 * static_cast<double>(i);
                figures[i].focusDistance = 5.0 + static_cast<double>(i);
            }
            setCamera(add(name, place, NodeKind::Camera), sampling, figures);
            break;
        }
        default: {
            Node& mesh = add(name, place, NodeKind::Mesh);
            mesh.geometry = randomMesh(r, scene.view.rate);
            mesh.properties = randomAttributes(r, scene.view.rate, *mesh.geometry, true);
            putLayers(r, scene.view.rate, mesh);
            break;
        }
        }
        if (r.chance(35))
            scene.nodes.back().visibility = randomVisibility(r, scene.view.rate);
    }
    return scene;
}

} // namespace wyc::test
