// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Items that are in order, and items with one planted fault: what the checks must leave alone, and what they must find.
#include <functional>
#include <memory>
#include <optional>
#include <random>
#include <string>
#include <vector>

#include "scene/shot.h"
#include "steps/step.h"
#include "support/scenes.h"

namespace wyc::test {

/// One source of a case: a scene, or a bare cache with its rest mesh; and steps that a person gave its items.
struct CorpusSource {
    std::string name; // of its file, without extension
    Scene scene;
    GeometryPtr rest = nullptr;
    std::vector<Step> steps = {};
};

struct CorpusCase {
    std::string name;
    std::vector<CorpusSource> sources;
    Shot shot;
    // Of the guilty: what has to be found, on the last source.
    std::string id = {};
    std::optional<double> frame = {};
    std::optional<double> figure = {}; // within a hundredth
    std::size_t count = 1;
    bool mends = false; // its mend leaves nothing
};

inline constexpr double kCorpusFirst = 1001;
inline constexpr double kCorpusLast = 1096;

inline Shot corpusShot(double first = kCorpusFirst, double last = kCorpusLast, double handles = 0.0) {
    Shot shot;
    shot.range = FrameRange{first, last};
    shot.handles = handles;
    shot.rate = FrameRate();
    shot.unitMetres = 1.0;
    shot.upAxis = UpAxis::Y;
    return shot;
}

using PoseAt = std::function<std::vector<Vec3f>(double frame)>;

struct BodyOptions {
    std::string name = "body";
    int rows = 12;
    int columns = 10;
    double first = kCorpusFirst;
    double last = kCorpusLast;
    double step = 1.0; // frames
};

inline Scene statedScene() {
    Scene scene;
    scene.rate = FrameRate();
    scene.unitMetres = 1.0;
    scene.upAxis = UpAxis::Y;
    return scene;
}

inline Scene bodyScene(const PoseAt& pose, const BodyOptions& options = {}) {
    std::vector<std::vector<Vec3f>> samples;
    for (double frame = options.first; frame <= options.last + 1e-9; frame += options.step)
        samples.push_back(pose(frame));
    const FrameRate rate;
    Scene scene = statedScene();
    Node node;
    node.name = options.name;
    node.path = "/" + options.name;
    node.kind = NodeKind::Mesh;
    const std::size_t count = samples.size();
    node.geometry = std::make_shared<MemoryGeometry>(
        count == 1 ? Sampling::still()
                   : Sampling::uniform(rate.secondsAt(options.first), rate.secondsAt(options.step), count),
        gridTopology(options.rows, options.columns), std::move(samples));
    scene.nodes.push_back(std::move(node));
    return scene;
}

/// The waving sheet at a phase.
inline std::vector<Vec3f> waved(double phase, const BodyOptions& options = {}) {
    return sheetPoints(options.rows, options.columns, phase * 0.13);
}
/// The sheet as it is at phase 0, scaled, turned about Y by degrees, and moved.
inline std::vector<Vec3f> rigid(Vec3d at, double degrees = 0.0, Vec3d size = {1, 1, 1}) {
    std::vector<Vec3f> points = waved(0.0);
    const double c = std::cos(degrees * M_PI / 180.0);
    const double s = std::sin(degrees * M_PI / 180.0);
    for (Vec3f& p : points) {
        const Vec3d q{static_cast<double>(p.x) * size.x, static_cast<double>(p.y) * size.y,
                      static_cast<double>(p.z) * size.z};
        p = {static_cast<float>(c * q.x + s * q.z + at.x), static_cast<float>(q.y + at.y),
             static_cast<float>(c * q.z - s * q.x + at.z)};
    }
    return points;
}
inline std::vector<Vec3f> scaled(std::vector<Vec3f> points, double by) {
    for (Vec3f& p : points)
        p = {static_cast<float>(static_cast<double>(p.x) * by), static_cast<float>(static_cast<double>(p.y) * by),
             static_cast<float>(static_cast<double>(p.z) * by)};
    return points;
}
inline GeometryPtr restOf(std::vector<Vec3f> points, const BodyOptions& options = {}) {
    return std::make_shared<MemoryGeometry>(Sampling::still(), gridTopology(options.rows, options.columns),
                                            std::vector<std::vector<Vec3f>>{std::move(points)});
}
/// Every few frames `every`, the pose between them held.
inline double onEvery(double frame, double every) {
    return kCorpusFirst + std::floor((frame - kCorpusFirst) / every) * every;
}
/// 0 before `from`, then rising evenly by 1 a frame, never beyond `most`.
inline double ramp(double frame, double from, double most = 1e9) {
    return std::clamp(frame - from, 0.0, most);
}

inline CorpusSource source(std::string name, Scene scene) {
    return {std::move(name), std::move(scene)};
}
inline CorpusSource cache(std::string name, const PoseAt& pose, std::vector<Vec3f> rest, BodyOptions options = {}) {
    options.name = name;
    CorpusSource result{name, bodyScene(pose, options), restOf(std::move(rest), options)};
    result.scene.unitMetres.reset(); // a bare cache says nothing
    result.scene.upAxis.reset();
    return result;
}
inline CorpusSource body(const PoseAt& pose, BodyOptions options = {}) {
    return {options.name, bodyScene(pose, options)};
}

inline Scene twoBodies(const std::string& first, const PoseAt& one, const std::string& second, const PoseAt& other) {
    Scene scene = bodyScene(one, {first});
    scene.nodes.push_back(bodyScene(other, {second}).nodes.front());
    return scene;
}

inline Scene particles(bool newIds) {
    std::vector<std::vector<Vec3f>> points;
    std::vector<std::vector<std::uint64_t>> ids;
    for (int f = 0; f < 96; ++f) {
        points.emplace_back();
        ids.emplace_back();
        for (int p = 0; p < 60; ++p) {
            const int age = (f + p * 3) % 40;
            if (age > 35)
                continue; // not born yet
            points.back().push_back({0.05F * static_cast<float>(p), 0.08F * static_cast<float>(age), 0.0F});
            ids.back().push_back(static_cast<std::uint64_t>(p + (newIds ? 1000 * ((f + p * 3) / 40) : 0)));
        }
    }
    const FrameRate rate;
    Scene scene = statedScene();
    Node node;
    node.name = "spray";
    node.path = "/spray";
    node.kind = NodeKind::Points;
    node.geometry = std::make_shared<VaryingPoints>(
        Sampling::uniform(rate.secondsAt(kCorpusFirst), rate.secondsAt(1.0), points.size()), points, ids);
    scene.nodes.push_back(std::move(node));
    return scene;
}

inline std::vector<CorpusCase> innocents() {
    std::vector<CorpusCase> cases;
    const auto add = [&](const char* name, std::vector<CorpusSource> sources, Shot shot = corpusShot()) {
        cases.push_back({name, std::move(sources), std::move(shot)});
    };
    const auto sway = [](double f) { return waved(f); };
    const auto still = [](double size, double x) {
        return [=](double) { return rigid({x, 0, 0}, 0.0, {size, size, size}); };
    };
    BodyOptions one;
    one.last = one.first; // one sample
    add("a sheet that waves", {body(sway)});
    add("a crate and a pebble in one archive",
        {source("props", twoBodies("crate", still(1.0, 0.0), "pebble", still(0.1, 3.0)))});
    add("a crate and a pebble in two files", {{"prop_crate", bodyScene(still(1.0, 0.0), {"crate"})},
                                              {"prop_pebble", bodyScene(still(0.01, 0.0), {"pebble"})}});
    add("a post and a rail in one archive", {source("fence", twoBodies(
                                                                 "fence_post",
                                                                 [](double) {
                                                                     return rigid({}, 0.0, {0.2, 3.0, 0.2});
                                                                 },
                                                                 "fence_rail",
                                                                 [](double) {
                                                                     return rigid({}, 0.0, {0.2, 0.2, 3.0});
                                                                 }))});
    add("a small and a large one of the same in one archive",
        {source("stones", twoBodies("stone_small", still(0.1, 0.0), "stone_large", still(1.0, 3.0)))});
    add("a balloon that grows to 2.54 times its rest size",
        {cache(
            "balloon", [](double f) { return scaled(waved(0), 1.0 + 1.54 * (f - 1001) / 95); }, waved(0))});
    add("a balloon that grows from a tenth to its rest size",
        {cache(
            "balloon", [](double f) { return scaled(waved(0), 0.1 + 0.9 * (f - 1001) / 95); }, waved(0))});
    add("a cache that pulses by a third",
        {cache(
            "heart", [](double f) { return scaled(waved(0), 1.0 + 0.15 * std::sin(f * 0.3)); }, waved(0))});
    add("a burst from rest that slows down",
        {cache(
            "burst", [](double f) { return scaled(waved(0), 1.0 + 3.0 * (1.0 - std::pow(0.75, f - 1001))); },
            waved(0))});
    add("a burst after twenty frames of rest",
        {body([](double f) { return scaled(waved(0), 1.0 + 3.0 * (1.0 - std::pow(0.6, ramp(f, 1021)))); })});
    add("held before a launch", {body([](double f) { return rigid({0, 0.4 * ramp(f, 1031), 0}); })});
    add("held after a stop", {body([](double f) { return rigid({0.3 * ramp(f, 1001, 45), 0, 0}); })});
    add("held between two moves", {body([](double f) {
            return rigid({0.2 * (ramp(f, 1001, 30) + ramp(f, 1051)), 0, 0});
        })});
    add("turning, held, turning back",
        {body([](double f) { return rigid({}, 3.0 * (ramp(f, 1001, 30) - ramp(f, 1046, 30))); })});
    add("motion on twos", {body([](double f) { return waved(onEvery(f, 2)); })});
    add("motion on threes", {body([](double f) { return waved(onEvery(f, 3)); })});
    add("motion on fours of a rigid body", {body([](double f) { return rigid({0.1 * onEvery(f, 4), 0, 0}); })});
    add("a run-up before the shot and settling behind it", {body(sway)}, corpusShot(1021, 1070));
    BodyOptions fromZero;
    fromZero.first = 0;
    fromZero.last = 200;
    add("from frame 0 far beyond the shot", {body(sway, fromZero)}, corpusShot(10, 120, 8));
    fromZero.first = 1;
    fromZero.last = 109;
    add("nine frames more in front, none behind", {body(sway, fromZero)}, corpusShot(10, 109));
    add("exactly the shot and its handles", {body(sway)}, corpusShot(1009, 1088, 8));
    {
        CorpusSource put = cache(
            "jelly", [](double f) { return scaled(waved(f), 100.0); }, waved(0));
        put.steps = {Step{"unit", {{"from", "cm"}, {"to", "m"}}, true}};
        add("a cache whose unit was put right", {put});
        put = cache(
            "jelly", [](double f) { return scaled(waved(f), 100.0); }, scaled(waved(0), 100.0));
        put.steps = {Step{"unit", {{"from", "cm"}, {"to", "m"}}, true}};
        add("a cache and its rest mesh, both in another unit, put right", {put});
        put = cache("jelly", sway, waved(0));
        put.steps = {Step{"trim", {{"first", 1001.0}, {"last", 1080.0}, {"handles", 0.0}}, true},
                     Step{"hold", {{"before", 0.0}, {"after", 16.0}}, true}};
        add("a cache whose end was held on purpose", {put});
    }
    add("a loop that ends where it begins",
        {body([](double f) { return waved((f - 1001) * 2.0 * M_PI / 0.13 / 95.0); })});
    add("a simulation that settles", {body([](double f) { return waved(20.0 * (1.0 - std::pow(0.9, f - 1001))); })});
    add("one that has settled, bit for bit",
        {body([](double f) { return waved(20.0 * (1.0 - std::pow(0.9, std::min(f, 1070.0) - 1001))); })});
    add("one still sample", {body(sway, one)});
    add("a static item with many samples that says so", {body(still(1.0, 0.0))});
    add("particles that are born and die", {source("spray", particles(false))});
    add("particles with new ids for the born", {source("spray", particles(true))});
    add("a ball that bounces", {body([](double f) {
            return rigid({0.05 * f, 2.0 * std::abs(std::sin((f - 1001) * 0.2)), 0});
        })});
    add("a lid that blinks", {body([](double f) {
            const double d = std::abs(f - 1040.0);
            return rigid({}, d > 2.5 ? 0.0 : 30.0 * (3.0 - d));
        })});
    add("one that trembles", {body([](double f) { return rigid({std::fmod(f, 2.0) * 0.3, 0, 0}); })});
    add("a fast spin", {body([](double f) { return rigid({}, 97.0 * f); })});
    add("a whip", {body([](double f) {
            std::vector<Vec3f> points = waved(0);
            for (std::size_t i = 0; i < points.size(); ++i) {
                const double along = static_cast<double>(i) / static_cast<double>(points.size());
                points[i].y += static_cast<float>(3.0 * std::pow(along, 6) * std::sin((f - 1001) * 0.35 - along));
            }
            return points;
        })});
    add("strong twist against its rest mesh",
        {cache(
            "rope",
            [](double f) {
                std::vector<Vec3f> points = waved(0);
                for (Vec3f& p : points) {
                    const double a = static_cast<double>(p.y) * (f - 1001) * 0.1;
                    p = {static_cast<float>(std::cos(a) * static_cast<double>(p.x) -
                                            std::sin(a) * static_cast<double>(p.z)),
                         p.y,
                         static_cast<float>(std::sin(a) * static_cast<double>(p.x) +
                                            std::cos(a) * static_cast<double>(p.z))};
                }
                return points;
            },
            waved(0))});
    add("stretched to five times its length", {cache(
                                                  "taffy",
                                                  [](double f) {
                                                      std::vector<Vec3f> points = waved(0);
                                                      for (Vec3f& p : points)
                                                          p.y *= static_cast<float>(1.0 + 4.0 * (f - 1001) / 95);
                                                      return points;
                                                  },
                                                  waved(0))});
    add("one that rests, but for rounding", {body([](double f) {
            std::vector<Vec3f> points = rigid({40, 0, 0});
            std::mt19937 random(static_cast<unsigned>(f));
            for (Vec3f& p : points)
                if (random() % 9 == 0)
                    p.x = std::nextafter(p.x, random() % 2 ? 1e9F : -1e9F);
            return points;
        })});
    add("one point of a resting body off by rounding", {body([](double f) {
            std::vector<Vec3f> points = rigid({40, 0, 0});
            points[7].x = f == 1050 ? std::nextafter(points[7].x, 1e9F) : points[7].x;
            return points;
        })});
    add("lids that blink in one frame", {body([](double f) {
            std::vector<Vec3f> points = waved(f);
            for (std::size_t i = 0; i < points.size() / 8; ++i)
                points[i].y -= f == 1040 || f == 1071 ? 0.4F : 0.0F;
            return points;
        })});
    add("a recoil over two frames", {body([](double f) {
            return rigid({f == 1050 ? -0.3 : f == 1051 ? -0.16 : f == 1052 ? -0.05 : 0.0, 0, 0});
        })});
    {
        // Parked far below while nobody sees it.
        Scene parked = bodyScene([](double f) { return rigid({0.1 * f, f >= 1040 && f <= 1060 ? -500.0 : 0.0, 0}); });
        std::vector<Visibility> seen;
        std::vector<double> times;
        for (double f = kCorpusFirst; f <= kCorpusLast; f += 1.0) {
            times.push_back(FrameRate().secondsAt(f));
            seen.push_back(f >= 1040 && f <= 1060 ? Visibility::Hidden : Visibility::Visible);
        }
        parked.nodes[0].visibility = VisibilityTrack{samplingFromTimes(times), seen};
        add("points parked while hidden", {source("parked", parked)});
    }
    {
        // Its points deform for a while, what stands above goes on.
        BodyOptions part;
        part.first = 1020;
        part.last = 1050;
        const auto forAWhile = [](double f) {
            const double t = std::clamp((f - 1020.0) / 30.0, 0.0, 1.0);
            return waved(30.0 * t * t * (3.0 - 2.0 * t));
        };
        Scene carried = bodyScene(forAWhile, part);
        Node above;
        above.name = "carrier";
        above.path = "/carrier";
        above.kind = NodeKind::Transform;
        std::vector<std::vector<double>> way;
        for (double f = kCorpusFirst; f <= kCorpusLast; f += 1.0)
            way.push_back({0.05 * f, 0.0, 0.0});
        above.transform = std::make_shared<MemoryTransform>(
            Sampling::uniform(FrameRate().secondsAt(kCorpusFirst), FrameRate().secondsAt(1), way.size()),
            std::vector<TransformOp>{{TransformOp::Kind::Translate, 0}}, way);
        Node mesh = carried.nodes[0];
        mesh.parent = 0;
        mesh.path = "/carrier/" + mesh.name;
        carried.nodes = {above, mesh};
        add("carried over the shot, deformed for a part", {source("carried", carried)});
    }
    add("far from the origin on purpose", {body([](double f) { return rigid({3000.0 + 0.5 * f, 0, 0}); })});
    BodyOptions shutter;
    shutter.step = 0.25;
    add("four samples a frame", {body(sway, shutter)});
    {
        Scene uneven = bodyScene(sway);
        std::vector<double> times;
        std::vector<std::vector<Vec3f>> samples;
        for (const double f :
             {1001., 1002., 1003., 1004., 1005., 1006., 1007., 1031., 1032., 1033., 1034., 1090., 1096.}) {
            times.push_back(FrameRate().secondsAt(f));
            samples.push_back(rigid({0.1 * f, 0, 0}));
        }
        uneven.nodes[0].geometry =
            std::make_shared<MemoryGeometry>(Sampling::acyclic(times), gridTopology(12, 10), std::move(samples));
        add("an even move sampled at uneven times", {source("uneven", uneven)});
    }
    add("the same thing twice, in two files",
        {{"kelp_a", bodyScene(sway, {"kelp"})}, {"kelp_b", bodyScene(sway, {"kelp"})}});
    return cases;
}

inline std::vector<CorpusCase> guilty() {
    std::vector<CorpusCase> cases;
    const auto add = [&](const char* name, std::vector<CorpusSource> sources, const char* id,
                         std::optional<double> frame, std::optional<double> figure = {}, bool mends = true,
                         std::size_t count = 1) {
        cases.push_back({name, std::move(sources), corpusShot(), id, frame, figure, count, mends});
    };
    const auto sway = [](double f) { return waved(f); };
    const auto moved = [](std::vector<Vec3f> points, float by) {
        for (Vec3f& p : points)
            p.x += by;
        return points;
    };
    const auto planted = [&](double frame, double last, const std::function<void(std::vector<Vec3f>&)>& change) {
        return [=](double f) {
            std::vector<Vec3f> points = waved(f);
            if (f >= frame && f <= last)
                change(points);
            return points;
        };
    };
    add("one frame popped by 7 m", {body([&](double f) { return moved(waved(f), f == 1040 ? 7.0F : 0.0F); })},
        "motion.pop", 1040);
    add("three frames popped", {body([&](double f) { return moved(waved(f), f >= 1040 && f <= 1042 ? 2.0F : 0.0F); })},
        "motion.pop", 1040);
    add("a rigid body popped for a frame", {body([](double f) {
            return rigid({0.1 * f + (f == 1050 ? 5.0 : 0.0), 0, 0});
        })},
        "motion.pop", 1050);
    add("a resting body popped for a frame", {body([](double f) {
            return rigid({f == 1050 ? 0.5 : 0.0, 0, 0});
        })},
        "motion.pop", 1050, 500.0);
    add("a part of it popped far away for a frame",
        {body(planted(1044, 1044,
                      [](auto& p) {
                          for (std::size_t i = 0; i < p.size() / 8; ++i)
                              p[i].y += 5.0F;
                      }))},
        "motion.pop", 1044);
    add("two frames that changed places", {body([](double f) {
            return rigid({0.1 * (f == 1040 ? 1041.0 : f == 1041 ? 1040.0 : f), 0, 0});
        })},
        "motion.swapped", 1040);
    add("two frames of a deformation that changed places", {body([](double f) {
            return waved(f == 1060 ? 1061.0 : f == 1061 ? 1060.0 : f);
        })},
        "motion.swapped", 1060);
    add("a frame with another time's pose", {body([](double f) { return waved(f == 1030 ? 1084.0 : f); })},
        "motion.foreign_pose", 1030);
    add("one point 50 m off for a frame", {body(planted(1044, 1044, [](auto& p) { p[37].y += 50.0F; }))},
        "points.spike", 1044);
    add("one point a little off for two frames", {body(planted(1044, 1045, [](auto& p) { p[37].y += 2.0F; }))},
        "points.spike", 1044);
    add("one point lost from a frame on", {body(planted(1060, 1096, [](auto& p) { p[50].z -= 50.0F; }))},
        "points.spike", 1060, {}, false);
    add("one point off in the first frame", {body(planted(1001, 1001, [](auto& p) { p[50].z -= 50.0F; }))},
        "points.spike", 1001);
    add("a simulation that dies", {body([](double f) { return waved(std::min(f, 1046.0)); })}, "motion.dies", 1047,
        50.0, false);
    {
        BodyOptions fine;
        fine.rows = 40;
        fine.columns = 30;
        std::vector<std::uint32_t> order(40 * 30);
        for (std::size_t i = 0; i < order.size(); ++i)
            order[i] = static_cast<std::uint32_t>(i);
        std::shuffle(order.begin(), order.end(), std::mt19937(7));
        add("points shuffled against the rest mesh",
            {cache(
                "shuffled",
                [=](double f) {
                    const std::vector<Vec3f> straight = waved(f, fine);
                    std::vector<Vec3f> points(straight.size());
                    for (std::size_t i = 0; i < order.size(); ++i)
                        points[i] = straight[order[i]];
                    return points;
                },
                waved(0, fine), fine)},
            "order.not_of_rest", 1001, {}, false);
    }
    add("a first frame that holds the last pose", {body([](double f) { return waved(f == 1001 ? 1096.0 : f); })},
        "frames.first_stale", 1001, {}, false);
    add("a first frame that holds the rest pose",
        {cache(
            "rested", [](double f) { return waved(f == 1001 ? 500.0 : f); }, waved(500))},
        "frames.first_stale", 1001, {}, false);
    add("a doubled frame, caught up with", {body([](double f) { return waved(f == 1033 ? 1032.0 : f); })},
        "frames.held", 1033, 1.0);
    BodyOptions longer;
    longer.last = 1097;
    add("a frame put in, all behind it late", {body([](double f) { return waved(f >= 1033 ? f - 1.0 : f); }, longer)},
        "frames.held", 1033, 1.0);
    add("a rigid body's doubled frame", {body([](double f) {
            return rigid({0.1 * (f == 1033 ? 1032.0 : f), 0, 0});
        })},
        "frames.held", 1033, 1.0);
    add("five held frames amid a deformation",
        {body([](double f) { return waved(f >= 1033 && f <= 1037 ? 1032.0 : f); })}, "frames.held", 1033, 5.0);
    add("the last frame doubled", {body([](double f) { return waved(std::min(f, 1096.0)); }, longer)},
        "frames.last_doubled", 1097, 1.0);
    {
        Scene frames = bodyScene(sway);
        const auto timed = [&](double firstSeconds, double stepSeconds) {
            Scene scene = frames;
            std::vector<std::vector<Vec3f>> samples;
            for (std::size_t i = 0; i < 96; ++i)
                samples.push_back(pointsOf(shapeOf(frames), i));
            scene.nodes[0].geometry = std::make_shared<MemoryGeometry>(Sampling::uniform(firstSeconds, stepSeconds, 96),
                                                                       gridTopology(12, 10), std::move(samples));
            scene.rate = FrameRate::nearest(1.0 / stepSeconds);
            scene.view.rate = *scene.rate;
            return scene;
        };
        add("times that are frame numbers", {source("frames", timed(1001.0, 1.0))}, "times.not_seconds", {});
        add("times that are milliseconds", {source("millis", timed(1001.0 * 1000 / 24, 1000.0 / 24))},
            "times.not_seconds", {});
    }
    BodyOptions part;
    part.last = 1080;
    add("a tail cut off", {body(sway, part)}, "range.short", 1080, 16.0);
    part = {};
    part.first = 1003;
    part.last = 1098;
    add("two frames late", {body([](double f) { return waved(f - 2); }, part)}, "range.late", 1003, 2.0);
    part.first = 0;
    part.last = 95;
    add("begins at frame 0", {body(sway, part)}, "range.begins_at_zero", 0);
    add("a hundred times its rest mesh",
        {cache(
            "jelly", [](double f) { return scaled(waved(f), 100.0); }, waved(0))},
        "size.ratio", {}, 100.0);
    add("a thousandth of its rest mesh",
        {cache(
            "jelly", [](double f) { return scaled(waved(f), 0.001); }, waved(0))},
        "size.ratio", {}, 0.001);
    add("2.54 times its rest mesh throughout",
        {cache(
            "jelly", [](double) { return scaled(waved(0), 2.54); }, waved(0))},
        "size.ratio", {}, 2.54);
    add("on its side against its rest mesh",
        {cache(
            "jelly",
            [](double f) {
                std::vector<Vec3f> points = waved(f);
                for (Vec3f& p : points)
                    p = {p.x, -p.z, p.y};
                return points;
            },
            waved(0))},
        "axis.turned", {});
    add("a hundred times what came before",
        {{"kelp_clean", bodyScene(sway, {"kelp"})},
         {"kelp_back", bodyScene([](double f) { return scaled(waved(f), 100.0); }, {"kelp"})}},
        "size.ratio", {}, 100.0);
    const auto hole = [](auto& p) { p[11].y = std::numeric_limits<float>::quiet_NaN(); };
    add("a point that is no number", {body(planted(1060, 1060, hole))}, "points.not_finite", 1060, 1.0);
    add("a point that is no number in forty frames", {body(planted(1030, 1069, hole))}, "points.not_finite", 1030, 1.0,
        true, 40);
    add("a point that is no number in three frames", {body(planted(1030, 1032, hole))}, "points.not_finite", 1030, 1.0);
    add("a jump into another take", {body([](double f) { return waved(f >= 1060 ? f + 24.0 : f); })}, "motion.jump",
        1060, {}, false);
    {
        Scene gap = bodyScene(sway);
        add("frames missing", {source("gap", *applySteps(gap, {Step{"drop", {{"frames", "1040:1042"}}, true}}))},
            "frames.missing", 1040, 3.0);
        Scene other = gap;
        other.rate = *FrameRate::make(25, 1);
        other = *applySteps(gap, {Step{"rate", {{"rate", "25"}}, true}});
        add("another rate, the shot's frames", {source("fast", other)}, "rate.differs", {}, 25.0);
    }
    return cases;
}

} // namespace wyc::test
