// SPDX-License-Identifier: GPL-3.0-or-later
// Points that end where a transform begins, ranges cut into the pause between, poses that are held: what can hold no
// pose (a point cache, a numbered sequence) has a sample for every frame that was asked for, and each is as the source
// shows it. The judge is a few sums over keys.
#include <gtest/gtest.h>

#include <array>
#include <cmath>
#include <functional>
#include <random>

#include <fmt/format.h>

#include "gather/sequence.h"
#include "support/delivered.h"
#include "support/scenes.h"
#include "support/temp_folder.h"

namespace wyc::pauses_test {
namespace {

using Values = std::vector<double>;

// Straight lines between keys, held beyond.
struct Keys {
    std::vector<double> frames;
    std::vector<Values> values;
    [[nodiscard]] Values at(double frame) const {
        if (frame <= frames.front())
            return values.front();
        for (std::size_t i = 1; i < frames.size(); ++i)
            if (frame <= frames[i]) {
                const double w = (frame - frames[i - 1]) / (frames[i] - frames[i - 1]);
                Values mixed;
                for (std::size_t k = 0; k < values[i].size(); ++k)
                    mixed.push_back(values[i - 1][k] + (values[i][k] - values[i - 1][k]) * w);
                return mixed;
            }
        return values.back();
    }
};

constexpr std::size_t kPoints = 5;

struct Item {
    Keys points;                               // kPoints × 3
    std::array<Keys, 2> transforms;            // of the mesh, of what stands above it
    std::vector<std::pair<double, bool>> seen; // from a frame on; by what stands above
    std::optional<std::pair<double, double>> span;
    [[nodiscard]] Values world(double frame) const {
        Values all = points.at(frame);
        for (const Keys& keys : transforms) {
            const Values way = keys.at(frame);
            for (std::size_t i = 0; i < all.size(); ++i)
                all[i] += way[i % 3];
        }
        return all;
    }
};

class Chance {
  public:
    explicit Chance(unsigned seed) : random_(seed) {}
    int below(int n) { return std::uniform_int_distribution<int>(0, n - 1)(random_); }
    double number() { return std::uniform_real_distribution<double>(-5.0, 5.0)(random_); }
    Keys keys(std::size_t values, bool still) {
        static constexpr std::array kCounts{2, 3, 5, 9};
        static constexpr std::array kFirsts{0, 0, 1, 3, -4, 7};
        static constexpr std::array kSteps{1.0, 1.0, 1.0, 2.0, 0.5, 3.0};
        const int count = still ? 1 : kCounts[static_cast<std::size_t>(below(4))];
        const double first = 1001.0 + kFirsts[static_cast<std::size_t>(below(6))];
        const double step = kSteps[static_cast<std::size_t>(below(6))];
        Keys made;
        for (int i = 0; i < count; ++i) {
            made.frames.push_back(first + i * step);
            made.values.emplace_back();
            for (std::size_t k = 0; k < values; ++k)
                made.values.back().push_back(static_cast<double>(static_cast<float>(number())));
        }
        return made;
    }

  private:
    std::mt19937 random_;
};

Item randomItem(Chance& chance) {
    Item item{chance.keys(kPoints * 3, chance.below(5) == 0),
              {chance.keys(3, chance.below(5) < 2), chance.keys(3, chance.below(5) < 3)},
              {},
              {}};
    for (const Keys* keys : {&item.points, &item.transforms[0], &item.transforms[1]})
        if (keys->frames.size() > 1)
            item.span = item.span ? std::pair(std::min(item.span->first, keys->frames.front()),
                                              std::max(item.span->second, keys->frames.back()))
                                  : std::pair(keys->frames.front(), keys->frames.back());
    if (item.span && chance.below(3) == 0)
        for (double frame = item.span->first; frame <= item.span->second; frame += 1.0)
            item.seen.emplace_back(frame, chance.below(2) == 0);
    return item;
}

Sampling samplingOf(const Keys& keys, const FrameRate& rate) {
    if (keys.frames.size() == 1)
        return Sampling::still();
    std::vector<double> times;
    for (const double frame : keys.frames)
        times.push_back(rate.secondsAt(frame));
    return samplingFromTimes(times);
}

Scene sceneOf(const Item& item) {
    Scene scene;
    const FrameRate& rate = scene.view.rate;
    const auto transformOf = [&](const Keys& keys) {
        return std::make_shared<MemoryTransform>(
            samplingOf(keys, rate), std::vector<TransformOp>{{TransformOp::Kind::Translate, 0}}, keys.values);
    };
    Node above;
    above.name = "above";
    above.path = "/above";
    above.kind = NodeKind::Transform;
    above.transform = transformOf(item.transforms[1]);
    if (item.seen.size() > 1) {
        std::vector<double> times;
        above.visibility.emplace();
        for (const auto& [frame, seen] : item.seen) {
            times.push_back(rate.secondsAt(frame));
            above.visibility->values.push_back(seen ? Visibility::AsParent : Visibility::Hidden);
        }
        above.visibility->sampling = samplingFromTimes(times);
    }
    scene.nodes.push_back(above);
    Node mesh;
    mesh.name = "mesh";
    mesh.path = "/above/mesh";
    mesh.kind = NodeKind::Mesh;
    mesh.parent = 0;
    mesh.transform = transformOf(item.transforms[0]);
    std::vector<std::vector<Vec3f>> samples;
    for (const Values& values : item.points.values) {
        samples.emplace_back();
        for (std::size_t i = 0; i < values.size(); i += 3)
            samples.back().push_back(
                {static_cast<float>(values[i]), static_cast<float>(values[i + 1]), static_cast<float>(values[i + 2])});
    }
    mesh.geometry = std::make_shared<MemoryGeometry>(
        samplingOf(item.points, rate), *Topology::make({static_cast<std::int32_t>(kPoints)}, {0, 1, 2, 3, 4}),
        std::move(samples));
    scene.nodes.push_back(mesh);
    return scene;
}

// What steps ask: which frame of the source is seen when, and from where to where.
struct Asked {
    std::vector<Step> steps;
    std::function<double(double)> frame = [](double f) { return f; };
    std::pair<double, double> span;
};

Asked randomSteps(Chance& chance, std::pair<double, double> span) {
    Asked asked;
    asked.span = span;
    for (int n = chance.below(4); n > 0; --n) {
        const auto before = asked.frame;
        const auto [low, high] = asked.span;
        const auto moveBy = [&](double by) {
            asked.frame = [before, by](double f) { return before(f - by); };
            asked.span = {low + by, high + by};
        };
        switch (chance.below(4)) {
        case 0: {
            const double by = std::array{1.0, -3.0, 10.0, 0.5}[static_cast<std::size_t>(chance.below(4))];
            asked.steps.push_back({"offset", {{"frames", by}}, true});
            moveBy(by);
            break;
        }
        case 1: {
            const double to = std::array{1001.0, 950.0, 1.0}[static_cast<std::size_t>(chance.below(3))];
            asked.steps.push_back({"start", {{"frame", to}}, true});
            moveBy(to - low);
            break;
        }
        case 2: {
            const double in = 2.0 * chance.below(2);
            const double out = 3.0 * chance.below(2);
            asked.steps.push_back({"hold", {{"before", in}, {"after", out}}, true});
            asked.frame = [before, low = low, high = high](double f) { return before(std::clamp(f, low, high)); };
            asked.span = {low - in, high + out};
            break;
        }
        default: {
            const int first = static_cast<int>(std::ceil(low));
            const int last = static_cast<int>(std::floor(high));
            if (last - first < 2)
                break;
            const double from = first + chance.below(last - first);
            const double to = from + 1.0 + chance.below(last - static_cast<int>(from));
            asked.steps.push_back({"trim", {{"first", from}, {"last", to}}, true});
            asked.frame = [before, from, to](double f) { return before(std::clamp(f, from, to)); };
            asked.span = {from, to};
        }
        }
    }
    return asked;
}

double apart(const Values& a, const Values& b) {
    double most = 0.0;
    for (std::size_t i = 0; i < a.size(); ++i)
        most = std::max(most, std::abs(a[i] - b[i]));
    return most;
}

TEST(Pauses, EveryFrameThatIsAskedForIsThere) {
    const test::TempFolder folder;
    const FrameRate rate;
    int judged = 0;
    for (unsigned seed = 1; seed <= (std::getenv("WYC_LONG_TESTS") ? 4000U : 160U); ++seed) {
        Chance chance(seed);
        const Item item = randomItem(chance);
        if (!item.span)
            continue;
        const Asked asked = randomSteps(chance, *item.span);
        const char* format = chance.below(2) ? "mdd" : "obj-sequence";
        SCOPED_TRACE(fmt::format("case {}: {}, {} – {}, {}", seed, format, item.span->first, item.span->second,
                                 toJson(asked.steps).dump()));
        const auto done =
            test::delivered(sceneOf(item), asked.steps, asked.steps, format, folder / std::to_string(seed));
        ASSERT_TRUE(done) << done.error().text();
        ASSERT_TRUE(done->proof.passed);
        const bool sequence = std::string_view(format) == "obj-sequence";
        OpenRequest request;
        request.path = done->target;
        if (sequence && done->files.size() < 2)
            continue; // a pause alone, or one frame of it
        if (sequence) {
            request.sequence = sequenceOfPattern(done->target)->files;
            request.path = request.sequence.front().path;
        }
        const auto back = formatById(format)->read(request);
        ASSERT_TRUE(back) << back.error().text();
        const Geometry& geometry = test::shapeOf(*back);
        const std::size_t count = geometry.sampling().count();
        if (count < 2)
            continue;
        ++judged;
        Keys written;
        for (std::size_t i = 0; i < count; ++i) {
            written.frames.push_back(rate.frameAt(geometry.sampling().time(i)));
            written.values.emplace_back();
            for (const Vec3f& p : test::pointsOf(test::shapeOf(*back), i))
                for (const float v : {p.x, p.y, p.z})
                    written.values.back().push_back(static_cast<double>(v));
        }
        const auto truth = [&](double frame) { return item.world(asked.frame(frame)); };
        const double first = sequence ? std::ceil(asked.span.first - 1e-6) : asked.span.first;
        const double last = sequence ? std::floor(asked.span.second + 1e-6) : asked.span.second;
        EXPECT_NEAR(written.frames.front(), first, 1e-2);
        EXPECT_NEAR(written.frames.back(), last, 1e-2);
        for (std::size_t i = 0; i < count; ++i) {
            EXPECT_LT(apart(written.values[i], truth(written.frames[i])), 1e-3) << written.frames[i];
            if (i == 0)
                continue;
            // Longer steps only where it moves between.
            const double from = written.frames[i - 1];
            const double to = written.frames[i];
            if (to - from > 1.01 && to - from > 2.0 * (written.frames[1] - written.frames[0]) + 0.01) {
                const Values middle = truth((from + to) / 2.0);
                EXPECT_GT(std::max(apart(middle, truth(from)), apart(middle, truth(to))), 1e-9) << from;
            }
            if (sequence)
                EXPECT_LT(to - from, 2.01) << from;
            // What reads it in straight lines sees the source.
            if (!sequence)
                EXPECT_LT(apart(written.at((from + to) / 2.0), truth((from + to) / 2.0)), 1e-3) << from;
        }
        if (HasFailure())
            break;
    }
    EXPECT_GT(judged, 60);
}

} // namespace
} // namespace wyc::pauses_test
