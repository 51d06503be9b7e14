// SPDX-License-Identifier: GPL-3.0-or-later
// Scenes that no layer can hold as they are: odd names, types, bases, gaps. What is told is what goes, all else is
// proven, and nothing is called a fault of ours.
#include <gtest/gtest.h>

#include <limits>
#include <set>

#include <algorithm>
#include <cstdio>

#include <fmt/format.h>

#include "delivery/delivery.h"
#include "formats/usd/compose/stage.h"
#include "scene/components/camera.h"
#include "scene/components/curves.h"
#include "scene/components/light.h"
#include "support/motions.h"
#include "support/random_scene.h"
#include "support/scenes.h"
#include "support/temp_folder.h"

namespace wyc::test {
namespace usd_odd {

using nlohmann::json;

std::size_t below(Random& r, std::size_t end) {
    return static_cast<std::size_t>(r.whole(0, static_cast<int>(end) - 1));
}

ValuesPtr oddValues(Random& r, ValueType type, std::uint32_t extent, bool array, std::size_t count) {
    const std::size_t samples = r.chance(30) ? 1 + below(r, 3) : 1;
    std::vector<PropertyValue> made;
    for (std::size_t s = 0; s < samples; ++s) {
        PropertyValue value;
        for (std::size_t i = 0; i < (array ? count : 1) * extent; ++i) {
            if (type == ValueType::String) {
                const std::string text = r.chance(20) ? std::string("a \"b\"\n@\\ ü") : fmt::format("t{}", below(r, 9));
                const auto raw = std::as_bytes(std::span(text.c_str(), text.size() + 1));
                value.bytes.insert(value.bytes.end(), raw.begin(), raw.end());
                continue;
            }
            if (type == ValueType::WideString) {
                for (const std::uint32_t unit : {0x41U, 0x1F41FU, 0U})
                    value.bytes.insert(value.bytes.end(), reinterpret_cast<const std::byte*>(&unit),
                                       reinterpret_cast<const std::byte*>(&unit) + 4);
                continue;
            }
            const auto put = [&]<class T>(T number) {
                const auto* raw = reinterpret_cast<const std::byte*>(&number);
                value.bytes.insert(value.bytes.end(), raw, raw + sizeof(T));
            };
            switch (type) {
            case ValueType::Float: put(r.chance(4) ? -0.0F : static_cast<float>(r.real(-9, 9))); break;
            case ValueType::Double: put(r.chance(4) ? 1e300 : r.real(-9, 9)); break;
            case ValueType::Half: put(static_cast<std::uint16_t>(below(r, 0x7bff))); break;
            case ValueType::Bool: put(static_cast<std::uint8_t>(below(r, 2))); break;
            default:
                for (std::size_t b = 0; b < elementSize(type); ++b)
                    put(static_cast<std::uint8_t>(below(r, 256)));
            }
        }
        made.push_back(std::move(value));
    }
    Sampling sampling = samples == 1 ? Sampling::still() : Sampling::uniform(42.0, 1.0 / 24.0, samples);
    return std::make_shared<MemoryValues>(type, extent, array, sampling, std::move(made));
}

std::string oddName(Random& r) {
    static const std::vector<std::string> kNames{"heat",
                                                 "a b",
                                                 "9x",
                                                 "st",
                                                 "uv",
                                                 "normals",
                                                 "displayColor",
                                                 "widths",
                                                 "points",
                                                 "x:indices",
                                                 "skel:y",
                                                 "ü",
                                                 "a.b",
                                                 "a:b",
                                                 "extent",
                                                 "xformOp:translate",
                                                 "inputs:intensity",
                                                 "purpose",
                                                 "visibility",
                                                 "material:binding",
                                                 "light_kind",
                                                 "primvars:x",
                                                 "N",
                                                 "P",
                                                 "velocities",
                                                 "__",
                                                 "userProperties:a b"};
    return kNames[below(r, kNames.size())];
}

constexpr std::array kTypes{ValueType::Bool,   ValueType::UInt8,     ValueType::Int8,  ValueType::UInt16,
                            ValueType::Int16,  ValueType::UInt32,    ValueType::Int32, ValueType::UInt64,
                            ValueType::Int64,  ValueType::Half,      ValueType::Float, ValueType::Double,
                            ValueType::String, ValueType::WideString};
constexpr std::array<std::uint32_t, 8> kExtents{1, 1, 2, 3, 4, 5, 9, 16};

std::vector<PropertyNode> oddProperties(Random& r, std::size_t points, std::size_t faces, std::size_t corners) {
    std::vector<PropertyNode> list;
    std::set<std::pair<bool, std::string>> taken; // of attributes and of values
    const auto named = [&](bool attribute) {
        std::string name = oddName(r);
        while (!taken.emplace(attribute, name).second)
            name += std::to_string(below(r, 9));
        return name;
    };
    for (std::size_t i = 0, many = 1 + below(r, 5); i < many; ++i) {
        const ValueType type = kTypes[below(r, kTypes.size())];
        const std::uint32_t extent = kExtents[below(r, kExtents.size())];
        if (r.chance(40)) {
            list.push_back(plainProperty(Meaning::UserValue, named(false),
                                         oddValues(r, type, extent, r.chance(50), 1 + below(r, 4))));
            continue;
        }
        const Scope scope =
            std::array{Scope::Constant, Scope::Face, Scope::Point, Scope::Corner}[below(r, corners ? 4 : 1)];
        const std::size_t count = scope == Scope::Constant ? 1
                                  : scope == Scope::Face   ? faces
                                  : scope == Scope::Point  ? points
                                                           : corners;
        const bool layer = r.chance(40);
        const Meaning meaning =
            !layer ? Meaning::Parameter : std::array{Meaning::Uvs, Meaning::Normals, Meaning::Colours}[below(r, 3)];
        const std::uint32_t wide = !layer ? extent : meaning == Meaning::Uvs ? 2 : 3;
        PropertyNode attribute = plainProperty(meaning, named(true), nullptr);
        attribute.scope = scope;
        if (r.chance(30)) { // by number, some corners without one
            const ValuesPtr values = oddValues(r, layer ? ValueType::Float : type, wide, true, 3);
            if (values->sampling().count() > 1)
                continue;
            const bool gaps = r.chance(30);
            std::vector<std::int32_t> numbers;
            for (std::size_t k = 0; k < count; ++k)
                numbers.push_back(layer && scope == Scope::Corner && gaps && r.chance(10)
                                      ? -1
                                      : static_cast<std::int32_t>(below(r, 3)));
            const ValuesPtr which = stillValues(layer ? ValueType::Int32 : ValueType::UInt32, 1, true, numbers);
            attribute.children = {{"values", {}, pairedValues(values, which), {}}, {"numbers", {}, which, {}}};
        } else {
            attribute.values = oddValues(r, layer ? ValueType::Float : type, wide, true, count);
        }
        list.push_back(std::move(attribute));
    }
    return list;
}

Scene oddScene(unsigned seed) {
    Random r{seed};
    Scene scene;
    scene.view.rate = FrameRate();
    if (r.chance(50))
        scene.unitMetres = r.chance(50) ? 0.01 : 1.0;
    int parent = -1;
    for (std::size_t i = 0, many = 1 + below(r, 5); i < many; ++i) {
        const auto kind = std::array{NodeKind::Mesh,  NodeKind::Curves,    NodeKind::Points,     NodeKind::Camera,
                                     NodeKind::Light, NodeKind::Transform, NodeKind::Subdivision}[below(r, 7)];
        std::string name = oddName(r);
        std::replace(name.begin(), name.end(), '/', '|');
        for (const Node& node : scene.nodes)
            if (node.parent == parent && node.name == name)
                name += std::to_string(i);
        Node& node = addNode(scene, name.empty() ? "n" + std::to_string(i) : name, parent, kind);
        if (kind == NodeKind::Transform || r.chance(30)) // shapes below shapes too
            parent = static_cast<int>(i);
        std::size_t points = 20;
        std::size_t faces = 0;
        std::size_t corners = 0;
        if (traitsOf(kind).points) {
            std::vector<std::vector<Vec3f>> samples;
            for (std::size_t s = 0, count = r.chance(50) ? 1 : 3; s < count; ++s)
                samples.push_back(sheetPoints(5, 4, static_cast<double>(s)));
            const bool meshed = traitsOf(kind).faces;
            faces = meshed ? 12 : 0;
            corners = meshed ? 48 : 0;
            const Sampling sampling =
                samples.size() == 1 ? Sampling::still() : Sampling::uniform(42.0, 1.0 / 24.0, samples.size());
            std::vector<FaceSet> sets;
            for (std::size_t k = 0, many2 = meshed ? below(r, 3) : 0; k < many2; ++k)
                sets.push_back({r.chance(30) ? FaceSet::Kind::Material : FaceSet::Kind::Group,
                                oddName(r) + std::to_string(k),
                                {static_cast<std::int32_t>(k), 5}});
            node.geometry = std::make_shared<MemoryGeometry>(sampling, meshed ? gridTopology(5, 4) : emptyTopology(),
                                                             std::move(samples), std::move(sets));
        }
        std::vector<PropertyNode> list = oddProperties(r, points, faces, corners);
        if (kind == NodeKind::Curves) {
            const auto type = static_cast<std::uint8_t>(below(r, 3));
            const std::vector<std::uint8_t> how{type, static_cast<std::uint8_t>(below(r, 2)),
                                                static_cast<std::uint8_t>(below(r, 6)),
                                                static_cast<std::uint8_t>(below(r, 6))};
            list.push_back(plainProperty(Meaning::CurveSizes, "sizes",
                                         stillValues(ValueType::Int32, 1, true, std::vector<std::int32_t>{12, 8})));
            list.push_back(plainProperty(Meaning::CurveKind, "kind", stillValues(ValueType::UInt8, 4, false, how)));
            if (type == 2)
                list.push_back(plainProperty(Meaning::CurveOrders, "orders",
                                             stillValues(ValueType::UInt8, 1, true, std::vector<std::uint8_t>{4, 3})));
        }
        if (r.chance(40) && (traitsOf(kind).strands || traitsOf(kind).cloud))
            list.push_back(plainProperty(
                Meaning::Widths, "widths",
                stillValues(ValueType::Float, 1, true, std::vector<float>(r.chance(50) ? 1 : points, 0.25F)),
                SpaceRole::Length));
        node.properties = plainProperties(list);
        if (kind == NodeKind::Camera) {
            CameraFigures figures;
            figures.squeeze = r.chance(30) ? 2.0 : 1.0;
            setCamera(node, Sampling::still(), {figures});
        } else if (kind == NodeKind::Light) {
            LightFigures figures;
            figures.kind = std::array{"spot", "", "distant", "sphere"}[below(r, 4)];
            figures.intensity = r.real(0, 9);
            setLight(node, Sampling::still(), {figures});
        }
    }
    return scene;
}

TEST(UsdOddScenes, AreToldAndProvenOrRefusedInWords) {
    const TempFolder folder;
    int proven = 0;
    int refused = 0;
    int wrong = 0;
    for (unsigned seed = 1; seed <= 400; ++seed) {
        const Scene scene = oddScene(seed * 7919U);
        DeliveryInput input;
        input.scene = scene;
        input.source = std::make_shared<const Scene>(scene);
        input.provenance = json::object();
        const fs::path target = folder / std::array{"a.usda", "a.usdc", "a.usdz"}[seed % 3];
        const json options{{"layout", seed % 5 == 0 ? "references" : "one file"}};
        SCOPED_TRACE(seed);
        const auto outputs = planConversion({input}, {target, false, true, options});
        const auto done = outputs ? runOutput(outputs->front(), {true, false}, Progress())
                                  : Result<OutputResult>(tl::unexpected<Error>(outputs.error()));
        if (!done) {
            const bool ours = done.error().kind == ErrorKind::Internal;
            wrong += ours;
            ++refused;
            EXPECT_FALSE(ours) << done.error().text();
            continue;
        }
        ++proven;
        // No receiver can be given a number of a value that is not there.
        const auto stage = usd::ComposedScene::open(target, {});
        ASSERT_TRUE(stage) << stage.error().text();
        for (const usd::Prim& prim : (*stage)->prims())
            for (const std::string& name : (*stage)->propertyNames(prim))
                if (name.starts_with("primvars:") && name.ends_with(":indices")) {
                    const auto value = (*stage)->attribute(prim, name).at(0.0);
                    const auto numbers = usd::numbersOf(*value);
                    for (const double number : *numbers)
                        EXPECT_GE(number, 0.0) << prim.path << "." << name;
                }
    }
    std::printf("%d proven, %d refused\n", proven, refused);
    EXPECT_GT(proven, 300);
}

} // namespace usd_odd
} // namespace wyc::test
