// SPDX-License-Identifier: GPL-3.0-or-later
// Things as they come: symmetric, straight, even, still; one to three causes at once, among them unknown ones. What is
// told is to be what was done, or a choice that has it; what is told as sure is to be so.
#include <gtest/gtest.h>

#include <cstdlib>
#include <iostream>
#include <map>
#include <numbers>
#include <set>

#include <fmt/format.h>

#include "compare/reconcile.h"
#include "maths/units.h"
#include "scene/mix.h"
#include "support/returned.h"

namespace wyc::judged_test {
namespace {

using test::Shape;
using test::uniform;
using Poses = std::vector<std::vector<Vec3d>>;
constexpr double kPi = std::numbers::pi;

// Without points that no face uses.
Shape tidied(const Shape& shape) {
    std::set<int> used;
    for (const auto& face : shape.faces)
        used.insert(face.begin(), face.end());
    std::map<int, int> now;
    Shape tidy{shape.name, {}, {}};
    for (const int p : used) {
        now[p] = static_cast<int>(tidy.points.size());
        tidy.points.push_back(shape.points[static_cast<std::size_t>(p)]);
    }
    for (auto face : shape.faces) {
        for (int& p : face)
            p = now[p];
        tidy.faces.push_back(face);
    }
    return tidy;
}

Shape tubeShape(int around, int long_) {
    Shape shape{"tube", {}, {}};
    for (int r = 0; r <= long_; ++r)
        for (int k = 0; k < around; ++k)
            shape.points.push_back(
                {0.3 * std::cos(2 * kPi * k / around), 0.2 * r - 0.1 * long_, 0.3 * std::sin(2 * kPi * k / around)});
    for (int r = 0; r < long_; ++r)
        for (int k = 0; k < around; ++k) {
            const int next = (k + 1) % around;
            shape.faces.push_back({r * around + k, r * around + next, (r + 1) * around + next, (r + 1) * around + k});
        }
    return shape;
}

// A rim, a hub, and spokes between them.
Shape wheelShape(int spokes) {
    Shape shape{"wheel", {}, {}};
    const int around = spokes * 4;
    for (const double z : {-0.1, 0.1})
        for (const double r : {1.0, 0.85, 0.2})
            for (int k = 0; k < around; ++k)
                shape.points.push_back({r * std::cos(2 * kPi * k / around), r * std::sin(2 * kPi * k / around), z});
    const auto at = [&](int ring, int k) { return ring * around + k % around; };
    for (int k = 0; k < around; ++k) {
        shape.faces.push_back({at(0, k), at(0, k + 1), at(1, k + 1), at(1, k)});
        shape.faces.push_back({at(3, k + 1), at(3, k), at(4, k), at(4, k + 1)});
        shape.faces.push_back({at(0, k + 1), at(0, k), at(3, k), at(3, k + 1)});
        if (k % 4 == 0) {
            shape.faces.push_back({at(1, k), at(1, k + 1), at(2, k + 1), at(2, k)});
            shape.faces.push_back({at(4, k + 1), at(4, k), at(5, k), at(5, k + 1)});
        }
    }
    return tidied(shape);
}

Shape cardShape(int rows, int columns) {
    Shape shape = test::gridShape(rows, columns);
    shape.name = "card";
    for (Vec3d& p : shape.points)
        p.y = 0.0;
    return shape;
}

// Forty of one kind, lying about.
Shape pebblesShape(std::mt19937& random) {
    Shape shape{"pebbles", {}, {}};
    const Shape one = test::ballShape(5, 4);
    for (int k = 0; k < 40; ++k) {
        Shape pebble = one;
        const Mat4 turn = Mat4::rotation({uniform(random, 0.1, 1), uniform(random, -1, 1), uniform(random, -1, 1)},
                                         uniform(random, 0, 3));
        for (Vec3d& p : pebble.points)
            p = transformedPoint(p * 0.1, turn);
        shape.add(pebble, {uniform(random, -2, 2), uniform(random, 0, 0.4), uniform(random, -2, 2)});
    }
    return shape;
}

// Nothing of it is like anything else of it.
Shape propShape(std::mt19937& random) {
    Shape shape{"prop", {}, {}};
    Shape body = test::ballShape(9, 7);
    for (Vec3d& p : body.points)
        p = {0.5 * p.x * (1.0 + 0.3 * p.y), p.y + 0.2 * p.x, 0.7 * p.z + uniform(random, -0.04, 0.04)};
    shape.add(body, {0, 0, 0});
    shape.add(test::roughShape(random, 4, 5), {0.8, 0.2, -0.4});
    return tidied(shape);
}

enum class Motion { Still, Straight, Eased, Turntable, Rolling, Swing, Growing, Deforming, Bending, Pausing };
const std::vector<const char*> kMotionNames{"still", "straight", "eased",     "turntable", "rolling",
                                            "swing", "growing",  "deforming", "bending",   "pausing"};

Poses moved(const Shape& shape, Motion motion, std::mt19937& random, int frames) {
    if (motion == Motion::Deforming)
        return test::motionOf(shape, random, frames);
    const Vec3d at{uniform(random, -2, 2), uniform(random, 0, 1), uniform(random, -2, 2)};
    const Vec3d way{uniform(random, 0.02, 0.08), 0.0, uniform(random, -0.05, 0.05)};
    const double pace = uniform(random, 0.01, 0.06);
    Poses poses;
    for (int f = 0; f < frames; ++f) {
        Mat4 place = Mat4::translation(at);
        const double s = f / static_cast<double>(frames - 1);
        std::vector<Vec3d> points = shape.points;
        switch (motion) {
        case Motion::Straight: place = Mat4::translation(at + way * f); break;
        case Motion::Eased: place = Mat4::translation(at + way * (frames * s * s * (3 - 2 * s))); break;
        case Motion::Turntable: place = Mat4::rotation({0, 1, 0}, pace * f) * Mat4::translation(at); break;
        case Motion::Rolling:
            place = Mat4::rotation({0, 0, 1}, -pace * f) * Mat4::translation(at + Vec3d{pace * f, 0, 0});
            break;
        case Motion::Swing:
            place = Mat4::rotation({1, 0, 0.3}, 0.5 * std::sin(2 * kPi * 2 * s)) * Mat4::translation(at);
            break;
        case Motion::Growing: {
            const double size = 0.4 + 0.6 * s * s;
            place = Mat4::scaling({size, size, size}) * Mat4::translation(at);
            break;
        }
        case Motion::Bending:
            for (Vec3d& p : points)
                p = p + Vec3d{0.15 * std::sin(0.21 * f + 1.3 * p.y), 0.1 * std::sin(0.13 * f + 0.9 * p.x), 0.05 * s};
            break;
        case Motion::Pausing: { // rests, goes, and rests
            const double goes = std::clamp(f - 3, 0, frames - 7);
            for (Vec3d& p : points)
                p.y += 0.12 * std::sin(2.1 * p.x + 0.4 * p.z) * std::sin(kPi * goes / (frames - 7));
            place = Mat4::translation(at + way * goes);
            break;
        }
        default: break;
        }
        for (Vec3d& p : points)
            p = transformedPoint(p, place);
        poses.push_back(std::move(points));
    }
    return poses;
}

struct Truth {
    std::string id;
    std::optional<double> figure;
    double within = 1e-3;
};

struct Copy {
    Shape shape;
    Poses poses;
    std::vector<double> frames;
    FrameRate rate;
    std::vector<Truth> truth;
    double size = 1.0;
    double straight = 0.0; // way per frame, of straight motions
    bool undoable = true;
    std::size_t madeUp = 0;
    bool unknown = false;

    void everyPoint(const Mat4& m) {
        for (auto& pose : poses)
            for (Vec3d& p : pose)
                p = transformedPoint(p, m);
    }
    [[nodiscard]] Scene scene() const {
        std::vector<double> times;
        for (const double frame : frames)
            times.push_back(rate.secondsAt(frame));
        return test::sceneOf(shape, poses, frames.size() == 1 ? Sampling::still() : samplingFromTimes(times), rate);
    }
};

int whole(std::mt19937& random, int low, int high) {
    return low + static_cast<int>(random() % static_cast<unsigned>(high - low + 1));
}

float halfOf(float value) { // to the nearest of eleven bits, of the smallest ones fewer
    int exponent = 0;
    std::frexp(value, &exponent);
    const float step = std::ldexp(1.0F, std::max(exponent, -13) - 11);
    return std::nearbyint(value / step) * step;
}

using Change = std::function<bool(Copy&, std::mt19937&)>;
struct Mangling {
    const char* id;
    const char* family; // of each at most one
    Change change;
};

void everyNumber(Copy& c, const std::function<double(double, int)>& f) {
    for (auto& pose : c.poses)
        for (Vec3d& p : pose)
            p = {f(p.x, 0), f(p.y, 1), f(p.z, 2)};
}

void without(Copy& c, const std::vector<char>& gone) {
    std::vector<int> now(gone.size(), -1);
    int n = 0;
    for (std::size_t p = 0; p < gone.size(); ++p)
        if (!gone[p])
            now[p] = n++;
    for (auto& pose : c.poses) {
        std::vector<Vec3d> left;
        for (std::size_t p = 0; p < gone.size(); ++p)
            if (!gone[p])
                left.push_back(pose[p]);
        pose = std::move(left);
    }
    std::vector<Vec3d> left;
    for (std::size_t p = 0; p < gone.size(); ++p)
        if (!gone[p])
            left.push_back(c.shape.points[p]);
    c.shape.points = std::move(left);
    std::vector<std::vector<int>> faces;
    for (std::vector<int> face : c.shape.faces) {
        for (int& p : face)
            p = now[static_cast<std::size_t>(p)];
        if (std::find(face.begin(), face.end(), -1) == face.end())
            faces.push_back(std::move(face));
    }
    c.shape.faces = std::move(faces);
}

// In the order in which they happen.
const std::vector<Mangling>& causes() {
    static const std::vector<Mangling> kAll{
        // Of time, by poses.
        {"reversed", "poses",
         [](Copy& c, std::mt19937&) {
             std::reverse(c.poses.begin(), c.poses.end());
             c.truth.push_back({"reversed", {}});
             return true;
         }},
        {"twos", "poses",
         [](Copy& c, std::mt19937&) {
             for (std::size_t f = 1; f < c.poses.size(); f += 2)
                 c.poses[f] = c.poses[f - 1];
             c.truth.push_back({"twos", {}});
             c.undoable = false;
             return true;
         }},
        {"foreign", "poses",
         [](Copy& c, std::mt19937& random) {
             const auto at = static_cast<std::size_t>(whole(random, 4, static_cast<int>(c.poses.size()) - 5));
             for (Vec3d& p : c.poses[at])
                 p = p + Vec3d{uniform(random, -0.4, 0.4), uniform(random, -0.4, 0.4), 0.3} * c.size;
             c.truth.push_back({"foreign", 1.0});
             c.madeUp += 1;
             return true;
         }},
        {"swapped", "poses",
         [](Copy& c, std::mt19937& random) {
             const auto at = static_cast<std::size_t>(whole(random, 4, static_cast<int>(c.poses.size()) - 12));
             std::swap(c.poses[at], c.poses[at + 1 + random() % 6]);
             c.truth.push_back({"swapped", 2.0});
             return true;
         }},
        {"first_stale", "poses",
         [](Copy& c, std::mt19937&) {
             c.poses.front() = c.poses[c.poses.size() / 2];
             c.truth.push_back({"first_stale", 1.0});
             c.madeUp += 1;
             return true;
         }},
        {"held", "poses",
         [](Copy& c, std::mt19937& random) {
             const auto at = static_cast<std::size_t>(whole(random, 6, 12));
             c.poses[at] = c.poses[at - 1];
             c.truth.push_back({"held", 1.0});
             c.madeUp += 1;
             return true;
         }},
        {"doubled", "poses",
         [](Copy& c, std::mt19937& random) {
             const auto at = whole(random, 6, static_cast<int>(c.poses.size()) - 8);
             c.poses.insert(c.poses.begin() + at, c.poses[static_cast<std::size_t>(at)]);
             c.frames.push_back(c.frames.back() + 1);
             c.truth.push_back({"doubled", 1.0});
             return true;
         }},
        {"missing", "poses",
         [](Copy& c, std::mt19937& random) {
             const auto at = whole(random, 6, static_cast<int>(c.poses.size()) - 8);
             c.poses.erase(c.poses.begin() + at);
             c.frames.erase(c.frames.begin() + at);
             c.truth.push_back({"missing", 1.0});
             c.madeUp += 1;
             return true;
         }},
        {"range", "poses",
         [](Copy& c, std::mt19937& random) {
             const int less = whole(random, 2, 6);
             const int start = whole(random, 0, less);
             const auto cut = [&](auto& list) {
                 list.erase(list.begin(), list.begin() + start);
                 list.resize(list.size() - static_cast<std::size_t>(less - start));
             };
             cut(c.poses);
             cut(c.frames);
             c.truth.push_back({"range", -static_cast<double>(less)});
             return true;
         }},
        {"static", "poses",
         [](Copy& c, std::mt19937& random) {
             const std::size_t at = random() % c.poses.size();
             for (auto& pose : c.poses)
                 if (&pose != &c.poses[at])
                     pose = c.poses[at];
             c.truth.push_back({"static", {}});
             c.undoable = false;
             return true;
         }},
        // Of faces.
        {"missing_faces", "faces",
         [](Copy& c, std::mt19937& random) {
             if (c.shape.faces.size() < 60)
                 return false;
             for (int k = 0; k < 30; ++k)
                 c.shape.faces.erase(c.shape.faces.begin() +
                                     static_cast<std::ptrdiff_t>(random() % c.shape.faces.size()));
             c.truth.push_back({"missing_faces", 30.0});
             return true;
         }},
        {"missing_pieces", "faces",
         [](Copy& c, std::mt19937&) {
             // A part of it, wherever it hangs on to the rest.
             if (c.shape.points.size() < 60)
                 return false;
             std::vector<char> gone(c.shape.points.size(), 0);
             std::fill(gone.begin() + static_cast<std::ptrdiff_t>(gone.size() * 3 / 4), gone.end(), 1);
             without(c, gone);
             std::vector<char> alone(c.shape.points.size(), 1);
             for (const auto& face : c.shape.faces)
                 for (const int p : face)
                     alone[static_cast<std::size_t>(p)] = 0;
             without(c, alone);
             c.truth.push_back({"missing_pieces", {}});
             return true;
         }},
        {"winding", "faces",
         [](Copy& c, std::mt19937&) {
             for (auto& face : c.shape.faces)
                 std::reverse(face.begin() + 1, face.end());
             c.truth.push_back({"winding", static_cast<double>(c.shape.faces.size())});
             return true;
         }},
        {"order", "order",
         [](Copy& c, std::mt19937& random) {
             const auto to = test::randomOrder(c.shape.points.size(), random);
             c.shape = test::shuffled(c.shape, to, random);
             for (auto& pose : c.poses)
                 pose = test::placed(pose, to);
             c.truth.push_back({"order", {}});
             return true;
         }},
        // What no cause explains.
        {"bent", "unknown",
         [](Copy& c, std::mt19937& random) {
             const double by = uniform(random, 0.05, 0.3);
             for (auto& pose : c.poses)
                 for (Vec3d& p : pose)
                     p = {p.x + by * p.y * p.y * 0.3, p.y, p.z + by * 0.2 * std::sin(2.0 * p.x)};
             c.truth.push_back({"other_motion", {}});
             c.unknown = true;
             return true;
         }},
        {"squashed", "unknown",
         [](Copy& c, std::mt19937& random) {
             const double by = uniform(random, 0.7, 0.95);
             c.everyPoint(Mat4::scaling({1.0, by, 1.0}));
             c.truth.push_back({"other_motion", {}});
             c.unknown = true;
             return true;
         }},
        {"grown", "unknown",
         [](Copy& c, std::mt19937& random) {
             const double by = uniform(random, 0.05, 0.4);
             for (std::size_t f = 0; f < c.poses.size(); ++f)
                 for (Vec3d& p : c.poses[f])
                     p = p * (1.0 + by * static_cast<double>(f) / static_cast<double>(c.poses.size()));
             c.truth.push_back({"other_motion", {}});
             c.unknown = true;
             return true;
         }},
        {"own", "unknown",
         [](Copy& c, std::mt19937& random) {
             const double by = uniform(random, 0.02, 0.1);
             for (std::size_t f = 0; f < c.poses.size(); ++f)
                 for (std::size_t p = 0; p < c.poses[f].size(); ++p)
                     c.poses[f][p] = c.poses[f][p] + Vec3d{0, by * std::sin(0.4 * double(f) + 2.3 * double(p % 17)),
                                                           by * std::cos(0.23 * double(f) + 1.1 * double(p % 11))};
             c.truth.push_back({"other_motion", {}});
             c.unknown = true;
             return true;
         }},
        {"drifting", "unknown",
         [](Copy& c, std::mt19937& random) {
             const Vec3d by{uniform(random, 0.1, 0.5), uniform(random, -0.3, 0.3), 0.1};
             for (std::size_t f = 0; f < c.poses.size(); ++f) {
                 const double s = static_cast<double>(f) / static_cast<double>(c.poses.size());
                 for (Vec3d& p : c.poses[f])
                     p = p + by * (s * s);
             }
             c.truth.push_back({"other_motion", {}});
             c.unknown = true;
             return true;
         }},
        // Of space.
        {"unit", "unit",
         [](Copy& c, std::mt19937& random) {
             const double by = std::vector<double>{100, 0.01, 10, 1000, 39.37007874015748, 1.25}[random() % 6];
             c.everyPoint(Mat4::scaling({by, by, by}));
             c.size *= by;
             c.truth.push_back({"unit", by});
             return true;
         }},
        {"axis", "turn",
         [](Copy& c, std::mt19937&) {
             c.everyPoint(upAxisTurn(UpAxis::Y, UpAxis::Z));
             c.truth.push_back({"axis", 90.0});
             return true;
         }},
        {"placement", "turn",
         [](Copy& c, std::mt19937& random) {
             const double degrees = random() % 3 ? uniform(random, 5, 170) : 0.0;
             const Vec3d axis{uniform(random, 0.2, 1), uniform(random, -1, 1), uniform(random, -1, 1)};
             c.everyPoint((degrees > 0 ? Mat4::rotation(axis, degrees * kPi / 180) : Mat4{}) *
                          Mat4::translation(Vec3d{uniform(random, -3, 3), 1, -2} * c.size));
             c.truth.push_back({"placement", degrees});
             return true;
         }},
        {"mirror", "turn",
         [](Copy& c, std::mt19937&) {
             c.everyPoint(Mat4::scaling({-1, 1, 1}));
             c.truth.push_back({"mirror", {}});
             return true;
         }},
        // Of numbers.
        {"half", "numbers",
         [](Copy& c, std::mt19937&) {
             everyNumber(c, [](double v, int) { return static_cast<double>(halfOf(static_cast<float>(v))); });
             c.truth.push_back({"precision", {}});
             c.undoable = false;
             return true;
         }},
        {"decimal", "numbers",
         [](Copy& c, std::mt19937& random) {
             const double step = (random() % 2 ? 0.01 : 0.001) * c.size;
             const double plain = std::pow(10.0, std::floor(std::log10(step) + 1e-9));
             everyNumber(c, [&](double v, int) { return std::round(v / plain) * plain; });
             c.truth.push_back({"precision", plain});
             c.undoable = false;
             return true;
         }},
        {"grid", "numbers",
         [](Copy& c, std::mt19937& random) {
             const double step = std::ldexp(1.0, -whole(random, 6, 10) + static_cast<int>(std::log2(c.size)));
             everyNumber(c, [&](double v, int) { return std::round(v / step) * step; });
             c.truth.push_back({"precision", step});
             c.undoable = false;
             return true;
         }},
        {"quantised", "numbers",
         [](Copy& c, std::mt19937& random) {
             const int bits = whole(random, 8, 12);
             std::array<double, 3> low{1e300, 1e300, 1e300};
             std::array<double, 3> high{-1e300, -1e300, -1e300};
             everyNumber(c, [&](double v, int k) {
                 low[static_cast<std::size_t>(k)] = std::min(low[static_cast<std::size_t>(k)], v);
                 high[static_cast<std::size_t>(k)] = std::max(high[static_cast<std::size_t>(k)], v);
                 return v;
             });
             everyNumber(c, [&](double v, int k) {
                 const auto i = static_cast<std::size_t>(k);
                 const double step = (high[i] - low[i]) / (std::ldexp(1.0, bits) - 1.0);
                 return step > 0.0 ? low[i] + std::round((v - low[i]) / step) * step : v;
             });
             c.truth.push_back({"precision", {}});
             c.undoable = false;
             return true;
         }},
        // Of time, by the clock.
        {"rate", "clock",
         [](Copy& c, std::mt19937&) {
             c.rate = *FrameRate::parse("25");
             c.truth.push_back({"rate", 25.0 / 24.0});
             return true;
         }},
        {"offset", "clock",
         [](Copy& c, std::mt19937& random) {
             const double by = static_cast<double>(whole(random, 1, 9)) * (random() % 2 ? 1 : -1);
             for (double& frame : c.frames)
                 frame += by;
             c.truth.push_back({"offset", by, 0.01});
             return true;
         }},
    };
    return kAll;
}

struct Case {
    std::string what;
    Scene a;
    Copy b;
    bool moves = true;
};

constexpr int kFrames = 40;

Case caseOf(unsigned seed) {
    std::mt19937 random(seed * 2654435761U + 29U);
    Case one;
    Shape shape;
    switch (random() % 8U) {
    case 0: shape = tubeShape(24, whole(random, 2, 6)); break;
    case 1: shape = wheelShape(whole(random, 3, 7)); break;
    case 2: shape = cardShape(whole(random, 1, 8), whole(random, 3, 9)); break;
    case 3: shape = pebblesShape(random); break;
    case 4: shape = test::torusShape(12, 8); break;
    case 5: shape = test::ballShape(11, 8); break;
    default: shape = propShape(random); break;
    }
    const auto motion = static_cast<Motion>(random() % kMotionNames.size());
    Copy& b = one.b;
    b.shape = shape;
    b.poses = moved(shape, motion, random, kFrames);
    for (int f = 0; f < kFrames; ++f)
        b.frames.push_back(1001.0 + f);
    one.what = fmt::format("{} {}:", shape.name, kMotionNames[static_cast<std::size_t>(motion)]);
    one.a = b.scene();
    one.moves = motion != Motion::Still;
    const std::size_t wanted = seed % 4U == 3 ? random() % 2 * 3 : 1 + seed % 4U;
    std::map<std::string, const Mangling*> chosen;
    for (int tries = 0; tries < 40 && chosen.size() < wanted; ++tries) {
        const Mangling& cause = causes()[random() % causes().size()];
        const std::string family = cause.family;
        // What stands still has no frames to be changed; what is of its own leaves little to be told.
        if (!one.moves && (family == "poses" || family == "clock"))
            continue;
        if (family == "unknown" && !chosen.empty())
            continue;
        if (chosen.contains("unknown"))
            break;
        // One pose has no clock.
        if ((family == "clock" && chosen.contains("poses") && std::string(chosen.at("poses")->id) == "static") ||
            (std::string(cause.id) == "static" && chosen.contains("clock")))
            continue;
        // Nor does it tell where it was.
        if ((std::string(cause.id) == "placement" && chosen.contains("poses") &&
             std::string(chosen.at("poses")->id) == "static") ||
            (std::string(cause.id) == "static" && chosen.contains("turn")))
            continue;
        if (shape.name == "card" && std::string(cause.id) == "squashed")
            continue; // flat as it is
        chosen.try_emplace(family, &cause);
    }
    for (const Mangling& cause : causes())
        if (const auto found = chosen.find(cause.family); found != chosen.end() && found->second == &cause)
            if (cause.change(b, random))
                one.what += fmt::format(" {}", cause.id);
    return one;
}

std::string told(const Reconciled& found) {
    std::string text;
    for (const Cause& cause : found.causes) {
        text += fmt::format("{} {:.6g} ({:.2f})", cause.id, cause.figure, cause.confidence);
        for (const std::vector<Cause>& other : cause.instead) {
            text += " or";
            for (const Cause& part : other)
                text += fmt::format(" {} {:.6g}", part.id, part.figure);
        }
        text += "; ";
    }
    return text;
}

bool isTruth(const Cause& cause, const Copy& copy) {
    return std::any_of(copy.truth.begin(), copy.truth.end(), [&](const Truth& truth) {
        return truth.id == cause.id && (!truth.figure || std::abs(cause.figure - *truth.figure) <=
                                                             truth.within * std::max(1.0, std::abs(*truth.figure)));
    });
}

// Empty where what was done is told, or a choice that has it, and nothing else.
std::string wrongWith(const Case& one, const Reconciled& found) {
    std::string wrong;
    for (const Truth& truth : one.b.truth) {
        const auto tells = [&](const Cause& cause) {
            Copy alone;
            alone.truth = {truth};
            return isTruth(cause, alone);
        };
        const bool named = std::any_of(found.causes.begin(), found.causes.end(), [&](const Cause& cause) {
            return !cause.isGuess() &&
                   (tells(cause) ||
                    std::any_of(cause.instead.begin(), cause.instead.end(), [&](const std::vector<Cause>& other) {
                        return std::any_of(other.begin(), other.end(), tells);
                    }));
        });
        if (!named)
            wrong +=
                fmt::format("{}{} is not told; ", truth.id, truth.figure ? fmt::format(" {:.6g}", *truth.figure) : "");
    }
    const auto hasTruth = [&](const Cause& cause) {
        return std::any_of(cause.instead.begin(), cause.instead.end(), [&](const std::vector<Cause>& other) {
            return std::all_of(other.begin(), other.end(), [&](const Cause& part) { return isTruth(part, one.b); });
        });
    };
    for (const Cause& cause : found.causes) {
        const bool choice = hasTruth(cause);
        const bool partOfChoice =
            cause.confidence <= 0.5 && std::any_of(found.causes.begin(), found.causes.end(), hasTruth);
        if (!cause.isGuess() && !isTruth(cause, one.b) && !choice && !partOfChoice)
            wrong += fmt::format("{} was not done; ", cause.id);
    }
    if (one.b.undoable && !one.b.unknown) {
        if (!found.undone) {
            wrong += "nothing undone; ";
        } else {
            std::vector<double> largest = found.undone->largestAt;
            std::sort(largest.begin(), largest.end());
            const double left = largest[largest.size() - 1 - std::min(one.b.madeUp, largest.size() - 1)];
            if (left > 1e-4)
                wrong += fmt::format("{:.3g} is left; ", left);
        }
    }
    return wrong;
}

TEST(Judged, WhatIsSureIsSo) {
    const char* from = std::getenv("WYC_JUDGED_FIRST");
    const char* many = std::getenv("WYC_JUDGED_CASES");
    const unsigned first = from ? static_cast<unsigned>(std::stoul(from)) : 0U;
#ifdef __SANITIZE_ADDRESS__
    const unsigned usual = 60U; // each takes ten times as long
#else
    const unsigned usual = 400U;
#endif
    const unsigned cases = many ? static_cast<unsigned>(std::stoul(many)) : usual;
    std::size_t right = 0;
    std::array<std::array<std::size_t, 2>, 10> tenths{}; // of what is said: all, true
    for (unsigned seed = first; seed < first + cases; ++seed) {
        const Case one = caseOf(seed);
        const auto found = reconcile(std::make_shared<const Scene>(one.a), 0,
                                     std::make_shared<const Scene>(one.b.scene()), 0, {}, Progress());
        ASSERT_TRUE(found) << seed << ": " << found.error().text();
        const std::string wrong = wrongWith(one, *found);
        right += wrong.empty();
        bool sureAndWrong = false;
        for (const Cause& cause : found->causes) {
            auto& [all, good] = tenths[static_cast<std::size_t>(std::min(9.0, cause.confidence * 10.0))];
            ++all;
            good += isTruth(cause, one.b);
            sureAndWrong = sureAndWrong || (cause.confidence >= 0.9 && !isTruth(cause, one.b));
        }
        if (!wrong.empty() || sureAndWrong)
            std::cout << "seed " << seed << " (" << one.what << ")" << (sureAndWrong ? " SURE AND WRONG" : "") << ": "
                      << wrong << "told: " << told(*found) << "\n";
    }
    std::cout << right << " of " << cases << " right\n";
    for (std::size_t k = 0; k < tenths.size(); ++k)
        if (tenths[k][0] > 0)
            std::cout << fmt::format("  said 0.{}: {} told, {:.3f} true\n", k, tenths[k][0],
                                     static_cast<double>(tenths[k][1]) / static_cast<double>(tenths[k][0]));
    EXPECT_GE(right * 100, cases * 98U);
    EXPECT_GE(tenths[9][1] * 100, tenths[9][0] * 95);
}

} // namespace
} // namespace wyc::judged_test
