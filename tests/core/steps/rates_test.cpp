// SPDX-License-Identifier: GPL-3.0-or-later
// Rates of change are those of what is written: smooth motions with the velocities that they have, through random mixes
// of steps; held against what the points of the result do from sample to sample.
#include <gtest/gtest.h>

#include <iostream>

#include <nlohmann/json.hpp>

#include "delivery/delivery.h"
#include "scene/channels.h"
#include "steps/step.h"
#include "support/random_chain.h"
#include "support/temp_folder.h"

namespace wyc::rates_test {
namespace {

using nlohmann::json;
using namespace test;

constexpr int kSide = 3;
constexpr double kTurn = 6.283185307179586;

// Two sheets that swing, sway and perhaps travel, once and a half over; the way of each point is a sum of slow waves.
struct Motion {
    double period = 48.0; // frames
    Vec3d sway;
    Vec3d travel; // a frame
    double swing = 0.5;
    double second = 0.0;
    double phase = 0.0;
    double rate = 24.0;

    [[nodiscard]] std::pair<Vec3d, Vec3d> at(std::size_t point, double frame) const {
        const double w = kTurn / period;
        const double piece = point < kSide * kSide ? 0.0 : 1.0;
        const double x = static_cast<double>(point % kSide);
        const double z = static_cast<double>(point / kSide % kSide);
        const double u = w * frame + phase + piece;
        const double angle = swing * std::sin(u) + second * std::sin(2.0 * u);
        const double turning = w * (swing * std::cos(u) + 2.0 * second * std::cos(2.0 * u));
        const Vec3d arm{x * std::cos(angle) - z * std::sin(angle), 0.2 * std::sin(u + x),
                        x * std::sin(angle) + z * std::cos(angle)};
        const Vec3d armGoes{-arm.z * turning, 0.2 * w * std::cos(u + x), arm.x * turning};
        const Vec3d place{5.0 * piece, 0.0, 0.0};
        return {place + arm + sway * std::sin(u) + travel * frame,
                (armGoes + sway * (w * std::cos(u)) + travel) * rate};
    }
};

Scene swingingScene(Random& r, int& period, int& frames) {
    Motion m;
    period = r.whole(80, 140);
    m.period = period;
    m.sway = {r.real(-2, 2), r.real(-2, 2), r.real(-2, 2)};
    m.travel = r.chance(30) ? Vec3d{r.real(-0.05, 0.05), 0.0, r.real(-0.05, 0.05)} : Vec3d{};
    m.swing = r.real(0.1, 1.0);
    m.second = r.chance(40) ? r.real(0.0, 0.15) : 0.0;
    m.phase = r.real(0, 6);
    Scene scene;
    scene.view.rate = *FrameRate::parse(std::vector<const char*>{"24", "25", "30"}[r.engine() % 3]);
    scene.rate = scene.view.rate;
    m.rate = scene.view.rate.value();
    frames = period * 8 / 5;
    std::vector<std::vector<Vec3f>> points;
    std::vector<std::vector<float>> speeds;
    for (int f = 0; f < frames; ++f) {
        points.emplace_back();
        speeds.emplace_back();
        for (std::size_t p = 0; p < 2 * kSide * kSide; ++p) {
            const auto [place, goes] = m.at(p, f);
            points.back().push_back(
                {static_cast<float>(place.x), static_cast<float>(place.y), static_cast<float>(place.z)});
            for (const double v : {goes.x, goes.y, goes.z})
                speeds.back().push_back(static_cast<float>(v));
        }
    }
    const Sampling sampling = Sampling::uniform(scene.view.rate.secondsAt(1.0), scene.view.rate.secondsAt(1.0),
                                                static_cast<std::size_t>(frames));
    std::vector<std::int32_t> sizes;
    std::vector<std::int32_t> corners;
    for (int piece = 0; piece < 2; ++piece)
        for (int i = 0; i + 1 < kSide; ++i)
            for (int k = 0; k + 1 < kSide; ++k) {
                const int at = piece * kSide * kSide + i * kSide + k;
                sizes.push_back(4);
                corners.insert(corners.end(), {at, at + 1, at + kSide + 1, at + kSide});
            }
    Node node;
    node.name = "swinging";
    node.path = "/swinging";
    node.kind = NodeKind::Mesh;
    node.geometry = std::make_shared<MemoryGeometry>(sampling, *Topology::make(sizes, corners), std::move(points));
    node.properties = plainProperties({plainProperty(
        Meaning::Velocities, "velocities", memoryValues<float>(ValueType::Float, 3, true, sampling, std::move(speeds)),
        SpaceRole::Vector, TimeRole::Rate)});
    scene.nodes.push_back(std::move(node));
    return scene;
}

// `alone`: it is the only one, and what it leaves may have kinks and cuts.
Step randomMix(Random& r, int period, int frames, bool alone) {
    const std::vector<const char*> eases{alone ? "linear" : "smooth", "smooth", "smoother"};
    const int start = r.whole(13, frames / 4);
    switch (r.whole(0, 9)) {
    case 0:
    case 1:
    case 2:
    case 3: {
        const std::string close =
            std::vector<const char*>{alone ? "cut" : "overlap", "overlap", "overlap", "bridge"}[r.engine() % 4];
        return {"loop",
                {{"start", start},
                 {"length", close == "cut" ? period : r.whole(frames / 3, frames / 2)}, // what is cut closes by itself
                 {"close", close},
                 {"fade", r.whole(6, 12)},
                 {"weight", eases[r.engine() % 3]},
                 {"side", std::vector<const char*>{"either", "end", "start"}[r.engine() % 3]},
                 {"keep_shape", r.chance(50)},
                 {"travel",
                  std::vector<const char*>{"goes on", "comes back", "taken out"}[close == "cut" ? 0 : r.engine() % 3]},
                 {"cycles", r.whole(1, 3)}},
                true};
    }
    case 4:
        return {
            "lead_in",
            {{"frames", r.whole(4, 12)}, {"from", "frame"}, {"frame", r.whole(1, 20)}, {"ease", eases[r.engine() % 3]}},
            true};
    case 5: return {"retime", {{"curve", "reverse"}}, true};
    case 6:
        return {"retime",
                {{"curve", alone && r.chance(50) ? "x2" : "x0.5"}, {"between", r.chance(50) ? "line" : "curve"}},
                true};
    case 7:
        return {"retime",
                {{"curve", fmt::format("1=1, {}={}, {}={}", frames / 3, frames / 2, frames, frames - 4)},
                 {"shape", r.chance(50) ? "straight" : "smooth"},
                 {"between", r.chance(50) ? "line" : "curve"}},
                true};
    case 8: return {"rate", {{"rate", "48"}}, true};
    default: return {"hold", {{"before", r.whole(0, 5)}, {"after", r.whole(0, 5)}}, true};
    }
}

Step randomPlace(Random& r) {
    switch (r.whole(0, 3)) {
    case 0: return {"unit", {{"from", "m"}, {"to", "cm"}}, true};
    case 1: return {"turn", {{"from", "Y"}, {"to", "Z"}}, true};
    case 2: return {"offset", {{"frames", r.whole(-9, 9)}}, true};
    default: return {"world", {{"groups", "kept"}}, true};
    }
}

TEST(Rates, OfAnyMixAreThoseOfWhatIsWritten) {
    const int cases = casesAsked(400);
    int judged = 0;
    int wrong = 0;
    double worst = 0.0;
    double squares = 0.0; // of the shares that they are off
    for (int round = firstCase(); round < firstCase() + cases && wrong < 10; ++round) {
        Random r(static_cast<unsigned>(round) * 2654435761U + 7U);
        int period = 0;
        int frames = 0;
        const Scene scene = swingingScene(r, period, frames);
        std::vector<Step> chain;
        const int mixes = r.whole(1, 2);
        for (int n = mixes; n > 0; --n) {
            if (r.chance(30))
                chain.push_back(randomPlace(r));
            chain.push_back(randomMix(r, period, frames, mixes == 1));
        }
        const auto made = applySteps(scene, chain);
        if (!made)
            continue; // senseless behind each other
        const Node& node =
            *std::find_if(made->nodes.begin(), made->nodes.end(), [](const Node& n) { return n.geometry; });
        const auto found = findMeaning(node.properties, Meaning::Velocities);
        if (!found)
            continue; // dropped, and listed
        const Sampling& times = node.geometry->sampling();
        ASSERT_EQ(found->values->sampling(), times) << toJson(chain);
        if (times.count() < 5)
            continue;
        std::vector<std::vector<Vec3f>> points;
        for (std::size_t i = 0; i < times.count(); ++i)
            points.push_back(pointsOf(*node.geometry, i));
        double off = 0.0;
        double all = 0.0;
        double most = 0.0;
        std::string where;
        for (std::size_t i = 1; i + 1 < times.count(); ++i) {
            const std::vector<float> v = *valuesOf<float>(*found->values, i);
            ASSERT_EQ(v.size(), points[i].size() * 3);
            for (std::size_t p = 0; p < points[i].size(); ++p) {
                const Vec3d before =
                    (Vec3d(points[i][p]) - Vec3d(points[i - 1][p])) * (1.0 / (times.time(i) - times.time(i - 1)));
                const Vec3d after =
                    (Vec3d(points[i + 1][p]) - Vec3d(points[i][p])) * (1.0 / (times.time(i + 1) - times.time(i)));
                const Vec3d told{v[p * 3], v[p * 3 + 1], v[p * 3 + 2]};
                // Where the motion has a kink, any speed between the two sides is right: on the way from one to the
                // other.
                const Vec3d across = after - before;
                const double along = dot(across, across) > 0.0
                                         ? std::clamp(dot(told - before, across) / dot(across, across), 0.0, 1.0)
                                         : 0.0;
                const double gap = length(told - (before + across * along));
                off += gap * gap;
                all += dot(told, told);
                if (gap > most) {
                    most = gap;
                    where =
                        fmt::format("frame {:.2f} of {:.2f} to {:.2f}, point {}: told ({:.3f} {:.3f} {:.3f}), before "
                                    "({:.3f} {:.3f} {:.3f}), after ({:.3f} {:.3f} {:.3f})",
                                    made->view.rate.frameAt(times.time(i)), made->view.rate.frameAt(times.firstTime()),
                                    made->view.rate.frameAt(times.lastTime()), p, told.x, told.y, told.z, before.x,
                                    before.y, before.z, after.x, after.y, after.z);
                }
            }
        }
        ++judged;
        const double share = all > 0.0 ? std::sqrt(off / all) : 0.0;
        worst = std::max(worst, share);
        squares += share * share;
        if (share > 0.06 && ++wrong)
            ADD_FAILURE() << "case " << round << ": " << share << " off; " << where << "\n" << toJson(chain);
    }
    const double off = std::sqrt(squares / judged);
    std::cout << judged << " judged; off by " << off << ", at most by " << worst << "\n";
    EXPECT_LT(off, 0.01);
    EXPECT_GT(judged, cases / 2);
}

// A cut is no motion: before it the run that ends there says how fast it goes, behind it the one that begins.
TEST(Rates, BeforeACutAreThoseOfTheRunThatEnds) {
    Random r(5);
    int period = 0;
    int frames = 0;
    const Scene scene = swingingScene(r, period, frames);
    const auto made = applySteps(
        scene,
        {{"loop", {{"start", 5}, {"length", period / 2}, {"close", "cut"}, {"cycles", 3}}, true}}); // far from closing
    ASSERT_TRUE(made) << made.error().text();
    const Node& node = made->nodes.front();
    const auto speeds = findMeaning(node.properties, Meaning::Velocities);
    ASSERT_TRUE(speeds);
    const auto source = findMeaning(scene.nodes.front().properties, Meaning::Velocities);
    for (std::size_t i = 0; i < node.geometry->sampling().count(); ++i)
        EXPECT_EQ(*valuesOf<float>(*speeds->values, i),
                  *valuesOf<float>(*source->values, 4 + i % static_cast<std::size_t>(period / 2)))
            << i;
}

// The proof holds them against what the points do, under mixes too.
TEST(Rates, ThatAreWrongUnderAMixAreNotProven) {
    const TempFolder folder;
    Random r(9);
    int period = 0;
    int frames = 0;
    DeliveryInput input;
    const Scene scene = swingingScene(r, period, frames);
    input.source = std::make_shared<const Scene>(scene);
    input.label = input.itemName = "swinging";
    DeliverySpec spec;
    spec.folder = folder.path();
    spec.format = "alembic";
    spec.wholeRange = true;
    for (const Step& mix :
         {Step{"lead_in", {{"frames", 12}, {"from", "frame"}, {"frame", 30}}, true},
          Step{"loop",
               {{"start", 14}, {"length", period / 2}, {"close", "overlap"}, {"fade", 10}, {"keep_shape", true}},
               true},
          Step{"loop", {{"start", 14}, {"length", period / 2}, {"close", "bridge"}, {"fade", 10}}, true}}) {
        input.steps = {mix};
        input.scene = *applySteps(scene, input.steps);
        for (const double factor : {1.0, 0.0, -1.0, 2.5}) {
            auto plan = planDelivery({input}, spec, Shot());
            ASSERT_TRUE(plan) << plan.error().text();
            Node& node = plan->front().scene.nodes.front();
            node.properties = changedChannels(node.properties, [&](const Channel& channel) -> ValuesPtr {
                if (!isSpeedOfPoints(channel))
                    return channel.values;
                std::vector<std::vector<float>> samples;
                for (std::size_t i = 0; i < channel.values->sampling().count(); ++i) {
                    samples.push_back(*valuesOf<float>(*channel.values, i));
                    const double frame = scene.view.rate.frameAt(channel.values->sampling().time(i));
                    const bool mixed = mix.type == "lead_in" ? frame < 0.5 : frame > 14.0 + period / 2 - 9.5;
                    for (float& v : samples.back())
                        v *= mixed ? static_cast<float>(factor) : 1.0F;
                }
                return memoryValues<float>(ValueType::Float, 3, true, channel.values->sampling(), samples);
            });
            const auto done = runOutput(plan->front(), {}, Progress());
            EXPECT_EQ(done.has_value(), factor == 1.0)
                << toJson({mix}) << " times " << factor << ": " << (done ? "proven" : done.error().text());
        }
    }
}

// Backwards a shutter is open as long as forwards.
TEST(Rates, AShutterOfAMotionThatRunsBackwardsFollowsItsSpeed) {
    Scene scene = sheetScene();
    CameraFigures figures;
    figures.shutterOpen = -0.25 / 24;
    figures.shutterClose = 0.25 / 24;
    scene.nodes.push_back({"eye", "/eye", -1, NodeKind::Camera, nullptr, nullptr, {}, {}});
    setCamera(scene.nodes.back(), shapeOf(scene).sampling(), std::vector<CameraFigures>(24, figures));
    for (const auto& [curve, share] :
         {std::pair{"1001=1024, 1024=1001", 1.0}, {"1001=1024, 1047=1001", 2.0}, {"1001=1001, 1047=1024", 2.0}}) {
        const auto made = applySteps(scene, {{"retime", {{"curve", curve}}, true}});
        ASSERT_TRUE(made) << made.error().text();
        const double t = made->view.rate.secondsAt(1010.0);
        const auto camera = cameraAt(*made, 1, t);
        ASSERT_TRUE(camera) << curve;
        EXPECT_NEAR(camera->figures.shutterClose - camera->figures.shutterOpen, share * 0.5 / 24, 1e-9) << curve;
    }
}

} // namespace
} // namespace wyc::rates_test
