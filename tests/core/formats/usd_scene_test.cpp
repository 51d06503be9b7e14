// SPDX-License-Identifier: GPL-3.0-or-later
// Others' layered scenes, evaluated: places, visibility, bounds, primvars, materials, cameras, instances, skins.
#include <gtest/gtest.h>

#include <map>

#include "base/hash.h"
#include "core/formats/usd_fixtures.h"
#include "core/formats/usd_rewritten.h"
#include "formats/usd/schema/materials.h"
#include "formats/usd/usd.h"
#include "scene/channels.h"
#include "scene/components/camera.h"
#include "scene/components/curves.h"
#include "scene/components/instancer.h"
#include "scene/instances.h"
#include "support/temp_folder.h"

namespace wyc::test {
namespace {

using nlohmann::json;

bool near(double a, double b, double relative = 1e-5) {
    return std::abs(a - b) <= relative * std::max({std::abs(a), std::abs(b), 1.0});
}
bool near(const std::vector<double>& a, const std::vector<double>& b, double relative = 1e-5) {
    if (a.size() != b.size())
        return false;
    for (std::size_t i = 0; i < a.size(); ++i)
        if (!near(a[i], b[i], relative))
            return false;
    return true;
}
std::vector<double> flat(const json& value) {
    std::vector<double> all;
    if (value.is_number())
        all.push_back(value.get<double>());
    else if (value.is_array())
        for (const json& one : value) {
            const auto more = flat(one);
            all.insert(all.end(), more.begin(), more.end());
        }
    return all;
}
std::vector<double> numbersOf(const Vec3d& p) {
    return {p.x, p.y, p.z};
}

// Calls visit(time code, value) for "always" and for each time.
template<class F> void forEachTime(const json& value, const json& times, const F& visit) {
    if (value.contains("always")) {
        for (const json& time : times)
            visit(time.get<double>(), value["always"]);
        if (times.empty())
            visit(0.0, value["always"]);
        return;
    }
    for (const auto& [time, held] : value.items())
        visit(std::stod(time), held);
}

class Evaluated {
  public:
    Evaluated(Tally& tally, const std::filesystem::path& file, const json& expected)
        : tally_(tally), expected_(expected), called_(file.filename().string()) {
        OpenRequest request;
        request.path = file;
        request.options = {{"variant", json::array()},
                           {"payloads", json::array({"all"})},
                           {"purpose", json::array({"default,render,proxy,guide"})},
                           {"search", json::array()}};
        auto opened = usd::openUsd(request);
        tally.check(opened.has_value(), opened ? "" : called_ + ": " + opened.error().text());
        if (!opened)
            return;
        scene_ = std::move(*opened);
        auto stage = usd::ComposedScene::open(file, {});
        stage_ = *stage;
        auto shown = expandedInstances(scene_);
        tally.check(shown.has_value(), shown ? "" : called_ + ": " + shown.error().text());
        shown_ = shown ? *shown : scene_;
        const double codes = stage_->timeCodesPerSecond();
        const FrameRate rate = scene_.view.rate;
        tally.check(near(rate.value(), codes, 1e-9), called_ + " rate");
        for (std::size_t i = 0; i < shown_.nodes.size(); ++i)
            at_.emplace(shown_.nodes[i].path, i);
        for (const json& one : expected["evaluated"])
            compare(one);
        compareMissing();
    }

  private:
    double seconds(double code) const { return scene_.view.rate.secondsAt(code); }

    void compare(const json& one) {
        const std::string path = one["path"];
        const std::string what = called_ + " " + path;
        const usd::Prim* prim = stage_->prim(path);
        if (prim) {
            tally_.equal(usd::purposeOf(*stage_, *prim), one.value("purpose", "default"), what + " purpose");
            if (one.contains("material") && !one["material"].is_null()) {
                const usd::Bound bound = usd::boundMaterial(*stage_, *prim);
                tally_.equal(bound.material, one["material"]["path"].get<std::string>(), what + " material");
                tally_.equal(bound.by, one["material"]["boundBy"].get<std::string>(), what + " bound by");
            }
        }
        const auto found = at_.find(path);
        const bool thing = one.contains("worldBound") || one.contains("camera") || one.contains("instances") ||
                           one.contains("skinned");
        if (found == at_.end()) {
            tally_.check(!thing, what + " is no node");
            return;
        }
        const Node& node = shown_.nodes[found->second];
        const json& times = expected_["evaluatedTimes"];
        if (one.contains("localToWorld"))
            forEachTime(one["localToWorld"], times, [&](double code, const json& wanted) {
                const auto place = placementAt(shown_, found->second, seconds(code));
                tally_.check(place.has_value(), what + " has no place");
                const std::vector<double> want =
                    wanted.is_string() ? std::vector<double>{1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1}
                                       : flat(wanted);
                const std::vector<double> got(place->matrix.m.begin(), place->matrix.m.end());
                tally_.check(near(got, want, 1e-7), fmt::format("{} matrix at {}: got {}, expected {}", what, code,
                                                                json(got).dump(), json(want).dump()));
            });
        if (one.contains("visibility"))
            forEachTime(one["visibility"], times, [&](double code, const json& wanted) {
                const auto place = placementAt(shown_, found->second, seconds(code));
                tally_.check(place && place->visible == (wanted != "invisible"),
                             fmt::format("{} visibility at {}", what, code));
            });
        if (one.contains("worldBound") && node.kind != NodeKind::Instancer)
            forEachTime(one["worldBound"], times, [&](double code, const json& wanted) {
                compareBound(found->second, prim, code, wanted, what);
            });
        if (one.contains("camera"))
            forEachTime(one["camera"], times,
                        [&](double code, const json& wanted) { compareCamera(found->second, code, wanted, what); });
        if (one.contains("instances"))
            forEachTime(one["instances"], times,
                        [&](double code, const json& wanted) { compareInstances(node, code, wanted, what); });
        if (one.contains("skinned"))
            forEachTime(one["skinned"], times,
                        [&](double code, const json& wanted) { compareSkinned(found->second, code, wanted, what); });
        if (one.contains("primvars") && node.geometry)
            for (const json& primvar : one["primvars"])
                comparePrimvar(node, primvar, what);
    }

    void compareBound(std::size_t number, const usd::Prim* prim, double code, const json& wanted,
                      const std::string& what) {
        const Node& node = shown_.nodes[number];
        if (!node.geometry)
            return;
        Bounds local;
        const usd::Attribute extent = prim ? stage_->attribute(*prim, "extent") : usd::Attribute{};
        const auto stated = extent.hasValue() ? usd::numbersOf(extent.at(code).value_or(usd::Value()))
                                              : Result<std::vector<double>>(std::vector<double>{});
        if (stated && stated->size() == 6) { // as it is written, whatever the points are
            local.add({(*stated)[0], (*stated)[1], (*stated)[2]});
            local.add({(*stated)[3], (*stated)[4], (*stated)[5]});
        } else {
            std::vector<Vec3f> points;
            if (!readPointsAt(*node.geometry, seconds(code), points)) {
                tally_.check(false, what + " points");
                return;
            }
            // A line is half its greatest width thicker.
            double pad = 0.0;
            if (prim && (node.kind == NodeKind::Curves || node.kind == NodeKind::Points))
                if (const usd::Attribute widths = stage_->attribute(*prim, "widths"); widths.hasValue()) {
                    const std::vector<double> all = *usd::numbersOf(*widths.at(code));
                    for (const double width : all)
                        pad = std::max(pad, 0.5 * width);
                }
            for (const Vec3f& p : points) {
                local.add(Vec3d(p) - Vec3d{pad, pad, pad});
                local.add(Vec3d(p) + Vec3d{pad, pad, pad});
            }
        }
        if (wanted.is_null()) { // there is nothing then
            tally_.check(local.isEmpty(), fmt::format("{} has points at {}", what, code));
            return;
        }
        const auto place = placementAt(shown_, number, seconds(code));
        const Bounds world = transformedBounds(local, place->matrix);
        const std::vector<double> got{world.low.x, world.low.y, world.low.z, world.high.x, world.high.y, world.high.z};
        std::vector<double> want = flat(wanted["min"]);
        const auto high = flat(wanted["max"]);
        want.insert(want.end(), high.begin(), high.end());
        tally_.check(near(got, want, 1e-5), fmt::format("{} bound at {}: got {}, expected {}", what, code,
                                                        json(got).dump(), json(want).dump()));
    }

    void compareCamera(std::size_t number, double code, const json& wanted, const std::string& what) {
        const auto view = cameraAt(shown_, number, seconds(code));
        tally_.check(view.has_value(), what + " is no camera");
        if (!view)
            return;
        const double tenth = 0.1 * scene_.unitMetres.value_or(0.01);
        const CameraFigures& f = view->figures;
        const auto same = [&](const char* name, double got) {
            tally_.check(
                near(got, wanted[name].get<double>(), 1e-6),
                fmt::format("{} {} at {}: {} instead of {}", what, name, code, got, wanted[name].get<double>()));
        };
        same("focalLength", f.focalLength / 1000.0 / tenth);
        same("horizontalAperture", f.horizontalAperture / 100.0 / tenth);
        same("verticalAperture", f.verticalAperture / 100.0 / tenth);
        same("horizontalApertureOffset", f.horizontalOffset / 100.0 / tenth);
        same("verticalApertureOffset", f.verticalOffset / 100.0 / tenth);
        same("fStop", f.fStop);
        same("focusDistance", f.focusDistance);
        tally_.check(near({f.nearClip, f.farClip}, flat(wanted["clippingRange"]), 1e-6), what + " clipping range");
        auto place = placementAt(shown_, number, seconds(code));
        for (std::size_t row = 0; row < 3;
             ++row) { // a size above the camera is left out there: it sees the same picture
            const double size = std::sqrt(place->matrix.at(row, 0) * place->matrix.at(row, 0) +
                                          place->matrix.at(row, 1) * place->matrix.at(row, 1) +
                                          place->matrix.at(row, 2) * place->matrix.at(row, 2));
            for (std::size_t column = 0; column < 3; ++column)
                place->matrix.at(row, column) /= size;
        }
        std::vector<double> got;
        for (const double distance : {f.nearClip, f.farClip})
            for (const double y : {-1.0, 1.0})
                for (const double x : {-1.0, 1.0}) {
                    Vec3d corner;
                    if (wanted["projection"] == "orthographic") {
                        // Its gate in scene units is what it sees.
                        const double scale = 0.01 / scene_.unitMetres.value_or(0.01);
                        corner = {(0.5 * x * f.horizontalAperture + f.horizontalOffset) * scale,
                                  (0.5 * y * f.verticalAperture + f.verticalOffset) * scale, -distance};
                    } else {
                        const auto gate = view->gateAt(distance); // counter-clockwise from bottom left
                        corner = gate[y < 0.0 ? (x < 0.0 ? 0 : 1) : (x < 0.0 ? 3 : 2)];
                    }
                    const auto world = numbersOf(transformedPoint(corner, place->matrix));
                    got.insert(got.end(), world.begin(), world.end());
                }
        const auto want = flat(wanted["frustumCorners"]);
        tally_.check(near(got, want, 2e-5), fmt::format("{} corners at {}: got {}, expected {}", what, code,
                                                        json(got).dump(), json(want).dump()));
    }

    void compareInstances(const Node& node, double code, const json& wanted, const std::string& what) {
        const auto instances = instancesAt(node, seconds(code));
        tally_.check(instances.has_value(), what + " has no instances");
        if (!instances)
            return;
        tally_.equal(instances->size(), wanted["shownCount"].get<std::size_t>(),
                     fmt::format("{} shown at {}", what, code));
        std::vector<std::size_t> shown;
        const auto hidden = wanted.value("hiddenIndices", std::vector<std::size_t>{});
        for (std::size_t i = 0; i < wanted["count"].get<std::size_t>(); ++i)
            if (std::find(hidden.begin(), hidden.end(), i) == hidden.end())
                shown.push_back(i);
        for (std::size_t k = 0; k < shown.size() && k < instances->size(); ++k) {
            const json* want = shown[k] < wanted["head"].size() ? &wanted["head"][shown[k]]
                               : shown[k] + 1 == wanted["count"].get<std::size_t>() && wanted.contains("tail")
                                   ? &wanted["tail"]
                                   : nullptr;
            if (!want)
                continue;
            // What stands there has a transform of its own.
            Mat4 own;
            const InstanceFigures& one = (*instances)[k];
            if (const auto prototype = scene_.find(node.prototypes->at(static_cast<std::size_t>(one.prototype))))
                own = *localMatrix(scene_, *prototype, seconds(code));
            const Mat4 matrix = own * one.matrix();
            const std::vector<double> got(matrix.m.begin(), matrix.m.end());
            // There, turns stored as halves go into a matrix as they are, not quite of length one.
            tally_.check(near(got, flat(*want), 4e-4), fmt::format("{} instance {} at {}: got {}, expected {}", what,
                                                                   shown[k], code, json(got).dump(), want->dump()));
        }
    }

    void compareSkinned(std::size_t number, double code, const json& wanted, const std::string& what) {
        std::vector<Vec3f> points;
        const Node& node = shown_.nodes[number];
        if (!node.geometry || !readPointsAt(*node.geometry, seconds(code), points)) {
            tally_.check(false, what + " points");
            return;
        }
        const auto place = placementAt(shown_, number, seconds(code));
        for (const char* space : {"local", "world"}) {
            const json& want = wanted[space];
            tally_.equal(points.size(), want["count"].get<std::size_t>(), what + " skinned points");
            const auto check = [&](std::size_t i, const json& one) {
                Vec3d p(points.at(i));
                if (std::string_view(space) == "world")
                    p = transformedPoint(p, place->matrix);
                tally_.check(near(numbersOf(p), flat(one), 1e-5),
                             fmt::format("{} {} point {} at {}: got {}, expected {}", what, space, i, code,
                                         json(numbersOf(p)).dump(), one.dump()));
            };
            for (std::size_t i = 0; i < want["head"].size(); ++i)
                check(i, want["head"][i]);
            check(want["middleIndex"].get<std::size_t>(), want["middle"]);
            check(points.size() - 1, want["tail"]);
        }
    }

    bool isTurned(const Node& node) const {
        const usd::Prim* prim = stage_->prim(node.path);
        const usd::Attribute orientation = prim ? stage_->attribute(*prim, "orientation") : usd::Attribute{};
        const auto value = orientation.isThere() ? orientation.at(0.0) : Result<usd::Value>(usd::Value());
        return value && value->text() && *value->text() == "leftHanded";
    }

    void comparePrimvar(const Node& node, const json& wanted, const std::string& what) {
        const std::string name = wanted["name"];
        if (name.starts_with("skel:")) // in the skin
            return;
        const std::string called = what + " primvar " + name;
        const PropertyNode* found = nullptr;
        const auto all = node.properties ? node.properties->all() : std::vector<PropertyNode>{};
        for (const PropertyNode& property : all)
            if (property.name == name && (isAttribute(property.meaning) || property.meaning == Meaning::Widths))
                found = &property;
        tally_.check(found != nullptr, called + " is missing");
        if (!found || !wanted.contains("flattened"))
            return;
        const std::string interpolation = wanted["interpolation"];
        const Scope scope = interpolation == "constant"      ? Scope::Constant
                            : interpolation == "uniform"     ? Scope::Face
                            : interpolation == "faceVarying" ? Scope::Corner
                                                             : Scope::Point;
        tally_.check(found->scope == scope, called + " scope");
        const json& flattened = wanted["flattened"];
        const PropertyNode* numbers = numberingOf(*found);
        const PropertyNode& values = numbers ? found->children.front() : *found;
        const json& times = expected_["evaluatedTimes"];
        const auto compareAt = [&](double code, const json& want) {
            const auto read = values.values->readAt(seconds(code), {});
            tally_.check(read.has_value(), called + " cannot be read");
            std::vector<std::int32_t> which;
            if (numbers) {
                const auto raw = numbers->values->readAt(seconds(code), {});
                which.resize(raw->bytes.size() / 4);
                if (!which.empty())
                    std::memcpy(which.data(), raw->bytes.data(), raw->bytes.size());
            }
            json list = json::array();
            if (values.values->type() == ValueType::String) {
                for (const std::string& text : stringsOf(ValueType::String, read->bytes))
                    list.push_back(text);
            } else {
                const auto plain = numbersAt(*values.values, seconds(code));
                // Of values with more numbers each these stand one behind another there.
                std::size_t extent = values.values->extent() / wanted.value("elementSize", std::size_t{1});
                if (values.values->isArray() && wanted.value("elementSize", std::size_t{1}) > 1)
                    extent = std::max<std::size_t>(extent, 1);
                for (std::size_t i = 0; i + extent <= plain->size(); i += extent) {
                    std::vector<double> one(plain->begin() + static_cast<std::ptrdiff_t>(i),
                                            plain->begin() + static_cast<std::ptrdiff_t>(i + extent));
                    list.push_back(extent == 1 ? json(one[0]) : json(one));
                }
            }
            if (!which.empty()) {
                json picked = json::array();
                const std::size_t per = wanted.value("elementSize", std::size_t{1});
                for (const std::int32_t w : which)
                    for (std::size_t k = 0; k < per; ++k)
                        picked.push_back(w >= 0 && static_cast<std::size_t>(w) * per + k < list.size()
                                             ? list[static_cast<std::size_t>(w) * per + k]
                                             : json(nullptr));
                list = std::move(picked);
            }
            if (scope == Scope::Corner && isTurned(node)) { // ours wind the other way
                const auto faces = node.geometry->topologyAt(seconds(code));
                std::size_t start = 0;
                for (const std::int32_t size : (*faces)->faceSizes()) {
                    std::reverse(list.begin() + static_cast<std::ptrdiff_t>(start + 1),
                                 list.begin() + static_cast<std::ptrdiff_t>(start) + size);
                    start += static_cast<std::size_t>(size);
                }
            }
            const auto same = [&](const json& got, const json& should) {
                return should.is_string() || should.is_boolean() || got.is_string()
                           ? (should.is_boolean() ? (flat(got) == std::vector<double>{should.get<bool>() ? 1.0 : 0.0})
                                                  : got == should)
                           : near(flat(got), flat(should), 1e-6);
            };
            bool good = true;
            if (want.contains("value")) {
                good = list.size() == 1 ? same(list[0], want["value"]) : near(flat(list), flat(want["value"]), 1e-6);
            } else {
                good = list.size() == want["count"].get<std::size_t>();
                for (std::size_t i = 0; good && want.contains("head") && i < want["head"].size(); ++i)
                    good = same(list[i], want["head"][i]);
                if (good && want.contains("tail"))
                    good = same(list.back(), want["tail"]);
            }
            tally_.check(good, fmt::format("{} at {}: got {} {}, expected {}", called, code, list.size(),
                                           list.dump().substr(0, 160), want.dump().substr(0, 160)));
        };
        if (flattened.contains("value") || flattened.contains("count"))
            compareAt(times.empty() ? 0.0 : times.front().get<double>(), flattened);
        else
            forEachTime(flattened, times, compareAt);
    }

    // Files that are named and not there.
    void compareMissing() {
        std::size_t wanted = 0;
        for (const json& problem : expected_["problems"])
            if (problem["kind"] == "missing file named by an attribute") {
                ++wanted;
                const std::string asset = problem["asset"];
                const std::string attribute = problem["attribute"];
                const auto& remarks = scene_.report.remarks;
                tally_.check(std::any_of(remarks.begin(), remarks.end(),
                                         [&](const ReaderRemark& r) {
                                             return r.id == "texture.missing" &&
                                                    r.text.find(attribute + " names") != std::string::npos &&
                                                    r.text.find("'" + asset + "'") != std::string::npos;
                                         }),
                             called_ + ": nobody says: " + problem.dump());
            }
        std::size_t told = 0;
        for (const ReaderRemark& r : scene_.report.remarks)
            if (r.id == "texture.missing")
                ++told;
        tally_.equal(told, wanted, called_ + " missing files");
    }

    Tally& tally_;
    const json& expected_;
    std::string called_;
    Scene scene_;
    Scene shown_;
    std::shared_ptr<usd::ComposedScene> stage_;
    std::map<std::string, std::size_t> at_;
};

std::size_t evaluateCases(const std::vector<UsdCase>& cases) {
    std::size_t compared = 0;
    for (const UsdCase& one : cases)
        for (const auto& file : one.files) {
            Tally tally;
            Evaluated(tally, file, one.expected);
            EXPECT_EQ(tally.wrong, 0U) << one.name << " " << tally.words();
            compared += tally.compared;
        }
    std::printf("%zu evaluated values of layered scenes compared\n", compared);
    return compared;
}

TEST(UsdScene, OthersScenesAreEvaluatedAsIsSaid) {
    EXPECT_GT(evaluateCases(usdCases()), 2'000U);
}

TEST(UsdScene, SoTheyAreWhenWeWroteThemInTheOtherEncoding) {
    const TempFolder folder;
    rewriteFixtures(folder / "usd");
    EXPECT_GT(evaluateCases(usdCases(folder / "usd")), 2'000U);
}

TEST(UsdScene, LayersOfAnotherUnitOrAxisAreToldWithWhatMendsTheirItems) {
    const TempFolder folder;
    const auto layer = [](const std::string& name, const std::string& unit, const std::string& up) {
        return "#usda 1.0\n(\n    metersPerUnit = " + unit + "\n    upAxis = \"" + up + "\"\n)\ndef Xform \"" + name +
               "\"\n{\n    def Cube \"c\" {\n    }\n}\n";
    };
    writeFile(folder / "inch.usda", layer("inch", "0.0254", "Y"));
    writeFile(folder / "z.usda", layer("z", "1", "Z"));
    writeFile(folder / "cm.usda", layer("thing", "0.01", "Y"));
    OpenRequest request;
    request.path =
        writeFile(folder / "scene.usda",
                  "#usda 1.0\n(\n    metersPerUnit = 1\n    upAxis = \"Y\"\n    subLayers = [@inch.usda@, "
                  "@z.usda@]\n)\ndef Xform \"placed\" (\n    references = @cm.usda@</thing>\n)\n{\n    double3 "
                  "xformOp:translate = (5, 0, 0)\n    uniform token[] xformOpOrder = "
                  "[\"xformOp:translate\"]\n}\n");
    const auto scene = usd::format().read(request);
    ASSERT_TRUE(scene) << scene.error().text();
    std::map<std::string, std::string> told;
    for (const ReaderRemark& remark : scene->report.remarks)
        told[remark.id + " " + remark.item] = remark.mend + remark.mendOptions;
    EXPECT_EQ(told, (std::map<std::string, std::string>{{"layer.unit /inch/c", R"(scale{"factor": 0.0254})"},
                                                        {"layer.unit /placed/c", ""},
                                                        {"layer.axis /z/c", R"(place{"turn": "-90, 0, 0"})"}}));
}

TEST(UsdScene, ChoicesOfWhatIsNotThereAreTold) {
    const TempFolder folder;
    writeFile(folder / "looks.usda", "#usda 1.0\nover \"V\" (\n    variants = { string look = \"gone\" }\n)\n{\n}\n");
    OpenRequest request;
    request.path =
        writeFile(folder / "scene.usda", "#usda 1.0\n(\n    subLayers = [@./looks.usda@]\n)\ndef \"V\" (\n    add "
                                         "variantSets = \"look\"\n)\n{\n    variantSet "
                                         "\"look\" = {\n        \"a\" {\n        }\n        \"b\" {\n        }\n    "
                                         "}\n    def Cube \"C\" {}\n    def \"P\" "
                                         "(\n        payload = @./looks.usda@</V>\n    )\n    {\n    }\n}\n");
    const auto told = [&](json options) {
        request.options = std::move(options);
        const auto scene = usd::format().read(request);
        std::vector<std::string> all;
        if (scene)
            for (const ReaderRemark& remark : scene->report.remarks)
                all.push_back(remark.id + " " + remark.item + ": " + remark.text);
        return all;
    };
    using Told = std::vector<std::string>;
    EXPECT_EQ(told(json::object()),
              Told{"variant.unknown /V/C: 'looks.usda' asks for 'gone' for the variants 'look' of /V; there are a, b"});
    EXPECT_EQ(told({{"variant", {"look=a"}}}), Told{});
    EXPECT_EQ(told({{"variant", {"look=c"}}}),
              Told{"variant.unknown /V/C: 'c' is chosen for the variants 'look' of /V; there are a, b"});
    EXPECT_EQ(told({{"variant", {"look=a", "lok=b", "/W:look=b"}}}),
              (Told{"choice.unknown : No prim has variants 'lok', of which 'b' is chosen",
                    "choice.unknown : No prim /W has variants 'look', of which 'b' is chosen"}));
    EXPECT_EQ(told({{"variant", {"look=b"}}, {"payloads", {"P", "!/Q*"}}}),
              Told{"choice.unknown : No payload is called '/Q*'"});
    const std::string nowhere = (folder / "nowhere").string();
    EXPECT_EQ(told({{"variant", {"look=b"}}, {"search", {nowhere}}}),
              Told{"search.missing : The search folder '" + nowhere + "' is not there"});
}

} // namespace
} // namespace wyc::test
