// SPDX-License-Identifier: GPL-3.0-or-later
#include "support/judge.h"

namespace wyc::test {
namespace {

Mat4 changeOf(const ChainMeaning& m) {
    return m.turn * Mat4::scaling({m.scale, m.scale, m.scale});
}

const Node* byName(const Scene& scene, const std::string& name, std::size_t& index) {
    for (index = 0; index < scene.nodes.size(); ++index)
        if (scene.nodes[index].name == name && !scene.nodes[index].is().place)
            return &scene.nodes[index];
    return nullptr;
}

// Joints into the skeleton's space, by their channels alone.
std::vector<Mat4> plainJoints(const Node& node, double t) {
    std::map<Meaning, std::vector<double>> all;
    for (const Channel& channel : channelsOf(node.properties)) {
        if (channel.values->type() == ValueType::String)
            continue;
        std::vector<double> numbers = test::plainNumbers(channel, t);
        const auto p = plainLocate(channel.values->sampling(), t);
        if (const std::vector<double> later = numbersOf(*channel.values, p.above).value();
            channel.space == SpaceRole::Turn)
            for (std::size_t i = 0; i + 4 <= numbers.size(); i += 4) {
                double along = 0.0;
                for (std::size_t k = i; k < i + 4; ++k)
                    along += numbers[k] * later[k];
                const double angle = std::acos(std::min(1.0, std::abs(along)));
                for (std::size_t k = i; k < i + 4; ++k)
                    if (angle > 1e-5)
                        numbers[k] = (std::sin((1.0 - p.weight) * angle) * numbers[k] +
                                      std::sin(p.weight * angle) * later[k] * (along < 0.0 ? -1.0 : 1.0)) /
                                     std::sin(angle);
            }
        all[channel.meaning] = std::move(numbers);
    }
    std::vector<Mat4> joints;
    for (std::size_t j = 0; j < all[Meaning::JointParents].size(); ++j) {
        const double* turn = all[Meaning::JointTurns].data() + j * 4;
        const double* place = all[Meaning::JointPlaces].data() + j * 3;
        const double* size = all[Meaning::JointSizes].data() + j * 3;
        const Vec3d axis{turn[0], turn[1], turn[2]};
        const Mat4 own = Mat4::scaling({size[0], size[1], size[2]}) *
                         Mat4::rotation(axis, 2.0 * std::atan2(length(axis), turn[3])) *
                         Mat4::translation({place[0], place[1], place[2]});
        const double parent = all[Meaning::JointParents][j];
        joints.push_back(parent < 0.0 ? own : own * joints.at(static_cast<std::size_t>(parent)));
    }
    return joints;
}

// What every thing of the source should look like at a moment of the result.
struct Seen {
    // Of cameras: eye, and a point ahead and one above it. Of instancers: all points of what they show. Of skeletons:
    // each joint and its axes.
    std::map<std::uint64_t, Vec3d> points;
    bool visible = true;
};

// What a prototype has to show, up to what shows it: four of its points.
std::vector<Vec3d> prototypePoints(const Scene& scene, NodeId id, double t) {
    const Node& node = scene.nodes[*scene.find(id)];
    const auto p = plainLocate(node.geometry->sampling(), t);
    const std::vector<Vec3f> points = pointsOf(*node.geometry, p.below);
    const std::vector<Vec3f> later = pointsOf(*node.geometry, p.above);
    const Mat4 place = node.transform ? matrixOf(node.transform->ops(), node.transform->channels(0).value()) : Mat4();
    std::vector<Vec3d> result;
    for (const std::size_t i : {0U, 2U, 4U, 7U})
        result.push_back(transformedPoint(Vec3d(points[i]) + (Vec3d(later[i]) - Vec3d(points[i])) * p.weight, place));
    return result;
}

// A value of an instancer's points: of the sample before and the one behind.
struct AroundMoment {
    std::vector<double> before;
    std::vector<double> behind;
};
AroundMoment valuesAround(const Node& node, const std::string& name, const PlainPosition& at) {
    for (const Channel& channel : channelsOf(node.properties))
        if (channel.name == "attribute '" + name + "'")
            return {numbersOf(*channel.values, at.below).value(), numbersOf(*channel.values, at.above).value()};
    return {};
}

// All that an instancer shows, by the ids of its places. Where nobody says any more what stands there: the axes of
// each place, as long as `axes` says.
std::map<std::uint64_t, Vec3d> instancedPoints(const Scene& scene, std::size_t node, double t, const Mat4* axes) {
    const Node& it = scene.nodes[node];
    const auto p = plainLocate(it.geometry->sampling(), t);
    const IdsPtr ids = it.geometry->ids(p.below).value();
    const IdsPtr laterIds = it.geometry->ids(p.above).value();
    const std::vector<Vec3f> places = pointsOf(*it.geometry, p.below);
    const std::vector<Vec3f> laterPlaces = pointsOf(*it.geometry, p.above);
    const AroundMoment turns = valuesAround(it, "turns", p);
    const AroundMoment sizes = valuesAround(it, "sizes", p);
    const AroundMoment numbers = valuesAround(it, "prototypes", p);
    const Mat4 world = test::plainMatrix(scene, node, t);
    std::vector<std::vector<Vec3d>> shown;
    if (axes)
        shown = {{transformedPoint(Vec3d{0, 0, 0}, *axes), transformedPoint(Vec3d{1, 0, 0}, *axes),
                  transformedPoint(Vec3d{0, 1, 0}, *axes), transformedPoint(Vec3d{0, 0, 1}, *axes)}};
    else
        for (const NodeId id : *it.prototypes)
            shown.push_back(prototypePoints(scene, id, t));
    std::map<std::uint64_t, Vec3d> result;
    for (std::size_t i = 0; i < places.size(); ++i) {
        const std::uint64_t id = ids ? ids->at(i) : i;
        std::size_t next = i;
        if (laterIds)
            next = static_cast<std::size_t>(std::find(laterIds->begin(), laterIds->end(), id) - laterIds->begin());
        double weight = p.weight;
        if (next >= laterPlaces.size()) { // gone by then
            next = 0;
            weight = 0.0;
        }
        InstanceFigures one;
        one.place = Vec3d(places[i]) + (Vec3d(laterPlaces[next]) - Vec3d(places[i])) * weight;
        double along = 0.0;
        for (std::size_t k = 0; k < 4; ++k)
            along += turns.before[i * 4 + k] * turns.behind[next * 4 + k];
        const double angle = std::acos(std::min(1.0, std::abs(along)));
        for (std::size_t k = 0; k < 4; ++k) {
            const double from = turns.before[i * 4 + k];
            const double to = turns.behind[next * 4 + k] * (along < 0.0 ? -1.0 : 1.0);
            one.turn[k] = angle < 1e-5 ? mixed(from, to, weight)
                                       : (std::sin((1.0 - weight) * angle) * from + std::sin(weight * angle) * to) /
                                             std::sin(angle);
        }
        one.size = {mixed(sizes.before[i * 3], sizes.behind[next * 3], weight),
                    mixed(sizes.before[i * 3 + 1], sizes.behind[next * 3 + 1], weight),
                    mixed(sizes.before[i * 3 + 2], sizes.behind[next * 3 + 2], weight)};
        const Mat4 whole = one.matrix() * world;
        const std::vector<Vec3d>& stands = shown[axes ? 0 : static_cast<std::size_t>(numbers.before[i])];
        for (std::size_t k = 0; k < stands.size(); ++k)
            result[id * 10 + k] = transformedPoint(stands[k], whole);
        if (axes)
            result[id * 10 + 9] = {numbers.before[i], 0, 0};
    }
    return result;
}

// `own` is how long a unit of the node's own is; `axes`: what became of its axes, for instancers that lost what they
// show; `ownAxes`: of joints, which go along with a change of axes and of unit.
Seen seen(const Scene& scene, std::size_t node, double t, const Mat4& change, double own, const Mat4* axes,
          const Mat4* ownAxes = nullptr) {
    Seen result;
    const Node& it = scene.nodes[node];
    if (it.kind == NodeKind::Instancer || axes) {
        result.points = instancedPoints(scene, node, t, axes);
    } else if (it.kind == NodeKind::Skeleton) {
        const Mat4 world = test::plainMatrix(scene, node, t);
        const std::vector<Mat4> joints = plainJoints(it, t);
        for (std::size_t j = 0; j < joints.size(); ++j) // a joint's axes go along with a change of axes and of unit
            for (std::size_t k = 0; k < 4; ++k) {
                const Vec3d tip{k == 1 ? 1.0 : 0.0, k == 2 ? 1.0 : 0.0, k == 3 ? 1.0 : 0.0};
                result.points[j * 4 + k] =
                    transformedPoint(transformedPoint(tip, ownAxes ? *ownAxes : Mat4()), joints[j] * world);
            }
    } else if (it.geometry) {
        result.points = test::plainPoints(scene, node, t);
    } else {
        const Mat4 world = test::plainMatrix(scene, node, t);
        result.points = {{0, transformedPoint(Vec3d{0, 0, 0}, world)},
                         {1, transformedPoint(Vec3d{0, 0, -own}, world)},
                         {2, transformedPoint(Vec3d{0, own, 0}, world)}};
    }
    for (auto& [id, p] : result.points)
        if (!axes || id % 10 != 9) // a prototype's number is no place
            p = transformedPoint(p, change);
    result.visible = test::plainVisible(scene, node, t);
    return result;
}

double gap(const Seen& a, const Seen& b) {
    double largest = 0.0;
    if (a.points.size() != b.points.size())
        return 1e9;
    for (const auto& [id, p] : a.points) {
        const auto found = b.points.find(id);
        if (found == b.points.end())
            return 1e9;
        largest = std::max(largest, length(found->second - p));
    }
    return largest;
}

double determinant(const Mat4& m) {
    return dot(Vec3d{m.m[0], m.m[1], m.m[2]}, cross(Vec3d{m.m[4], m.m[5], m.m[6]}, Vec3d{m.m[8], m.m[9], m.m[10]}));
}

// Numbers of a channel brought to the world, and those of corners by face and point, whichever way faces are walked.
std::vector<double> inWorld(const Channel& channel, std::vector<double> numbers, const Mat4& world, double lengths) {
    const double size = std::cbrt(std::abs(determinant(world)));
    for (std::size_t i = 0; channel.space == SpaceRole::Length && i < numbers.size(); ++i)
        numbers[i] *= size * lengths;
    for (std::size_t i = 0;
         channel.space != SpaceRole::Length && channel.space != SpaceRole::None && i + 3 <= numbers.size(); i += 3) {
        const Vec3d v{numbers[i], numbers[i + 1], numbers[i + 2]};
        Vec3d out = transformedPoint(v, world) - transformedPoint(Vec3d{0, 0, 0}, world);
        if (channel.space == SpaceRole::Normal) {
            // By what is at right angles to it: two directions beside it, carried along.
            const Vec3d other = std::abs(v.x) < 0.9 * length(v) ? Vec3d{1, 0, 0} : Vec3d{0, 1, 0};
            const Vec3d a = cross(v, other);
            const Vec3d b = cross(v, a);
            const Mat4& m = world;
            const auto carried = [&](const Vec3d& d) {
                return transformedPoint(d, m) - transformedPoint(Vec3d{0, 0, 0}, m);
            };
            out = cross(carried(a), carried(b));
            if (dot(out, carried(v)) < 0.0)
                out = out * -1.0;
            out = length(out) > 0.0 ? out * (length(v) / length(out)) : v;
        }
        numbers[i] = out.x;
        numbers[i + 1] = out.y;
        numbers[i + 2] = out.z;
    }
    return numbers;
}

using Keyed = std::map<std::pair<std::size_t, std::int64_t>, std::vector<double>>;
Keyed keyed(const Scene& scene, std::size_t node, const Channel& channel, const std::vector<double>& numbers,
            double t) {
    Keyed result;
    const GeometryPtr& shape = scene.nodes[node].geometry;
    if (channel.scope == Scope::Corner && shape) {
        const TopologyPtr faces = shape->topologyAt(t).value();
        const std::size_t each = numbers.size() / std::max<std::size_t>(1, faces->cornerCount());
        std::size_t corner = 0;
        for (std::size_t f = 0; f < faces->faceCount(); ++f)
            for (std::int32_t k = 0; k < faces->faceSizes()[f]; ++k, ++corner)
                result[{f, faces->corners()[corner]}] = {numbers.begin() + static_cast<std::ptrdiff_t>(corner * each),
                                                         numbers.begin() +
                                                             static_cast<std::ptrdiff_t>((corner + 1) * each)};
        return result;
    }
    result[{0, 0}] = numbers;
    return result;
}

// Everything that a node says in numbers, at a moment.
std::optional<std::string> firstValueFault(const Scene& source, std::size_t n, const Scene& result, std::size_t other,
                                           const ChainMeaning& m, double t) {
    const Node& from = source.nodes[n];
    const std::vector<Channel> there = channelsOf(from);
    const std::vector<Channel> here = channelsOf(result.nodes[other]);
    const bool eye = from.kind == NodeKind::Camera;
    constexpr double kBeside = 1e-5;
    const auto speedAt = [&](double at) {
        return (m.toSource(at + kBeside) - m.toSource(at - kBeside)) / (2 * kBeside);
    };
    const auto moving = [](const Scene& scene, std::size_t node) {
        for (int i = static_cast<int>(node); i >= 0; i = scene.nodes[static_cast<std::size_t>(i)].parent)
            if (const auto& transform = scene.nodes[static_cast<std::size_t>(i)].transform;
                transform && transform->sampling().count() > 1)
                return true;
        return false;
    };
    for (const Channel& channel : there) {
        const Channel* same = channelNamed(here, channel.name);
        if (!same && traitsOf(channel.meaning).of == Owner::Deformers && !isDeformed(result.nodes[other]))
            continue; // it became points, which are judged
        if (!same) {
            if (test::plainNumbers(channel, m.toSource(t)).empty())
                continue;
            return "its " + channel.name + " is gone";
        }
        const double at = m.toSource(t);
        const bool loose = from.geometry && from.geometry->topologyVaries() && channel.values->isArray();
        const auto sampled = [&](const Sampling& s, double moment) { return plainLocate(s, moment).weight == 0.0; };
        if (loose && (!sampled(channel.values->sampling(), at) || !sampled(same->values->sampling(), t)))
            continue; // nobody knows what lies between
        std::vector<double> wanted = test::plainNumbers(channel, at);
        if (wanted.empty()) // a layer that no sample has
            continue;
        const std::vector<double> got = test::plainNumbers(*same, t);
        const double speed = speedAt(t);
        if (channel.time != TimeRole::Plain) {
            const double before = (m.toSource(t) - m.toSource(t - kBeside)) / kBeside;
            const double after = (m.toSource(t + kBeside) - m.toSource(t)) / kBeside;
            if (std::abs(before - after) > 1e-3 || (m.baked && moving(source, n)))
                continue; // either is right; or the speed of the transforms is part of it
            // One value for all times follows one speed for all times, and no other.
            if (same->values->sampling().count() < 2 && !m.oneSpeed)
                continue;
            // Outside of its samples a track holds, and says nothing of how fast.
            const Sampling& own = same->values->sampling();
            const auto outside = [](const Sampling& s, double moment) {
                return s.count() > 1 && (moment < s.firstTime() - 1e-6 || moment > s.lastTime() + 1e-6);
            };
            if (channel.time == TimeRole::Rate && (outside(own, t) || outside(channel.values->sampling(), at)))
                continue;
            // A jump of speed between two samples of the result lies somewhere between them.
            const auto around = plainLocate(same->values->sampling(), t);
            if (around.weight > 0.0 && std::abs(speedAt(same->values->sampling().time(around.below) + 2 * kBeside) -
                                                speedAt(same->values->sampling().time(around.above) - 2 * kBeside)) +
                                               std::abs(speedAt(same->values->sampling().time(around.below)) -
                                                        speedAt(same->values->sampling().time(around.above))) >
                                           1e-3)
                continue;
            const bool rate = channel.time == TimeRole::Rate;
            if (!rate && !(std::abs(speed) > 1e-6))
                continue; // a shutter of a rest stays
            for (double& number : wanted)
                number *= rate ? speed : 1.0 / std::abs(speed);
        }
        if (channel.space == SpaceRole::Turn || channel.space == SpaceRole::Axes ||
            channel.space == SpaceRole::Placement)
            continue; // judged by where the points of what is shown are
        if (channel.blend == Blend::Held) {
            const auto equal = [&](double beside) {
                return test::plainNumbers(channel, m.toSource(t + beside)) == got ||
                       test::plainNumbers(channel, at + beside) == got;
            };
            if (wanted != got && !equal(-kBeside) && !equal(kBeside))
                return fmt::format("its {} is not what the source says", channel.name);
            continue;
        }
        const Mat4 world = test::plainMatrix(result, other, t);
        const Mat4 place = test::plainMatrix(source, n, at);
        if (std::abs(determinant(place)) < 1e-6)
            continue;
        std::vector<double> a = got;
        if (eye && channel.space == SpaceRole::Length)
            for (double& number : wanted)
                number *= m.scale;
        if (!eye) {
            a = inWorld(channel, got, world, 1.0);
            wanted =
                inWorld(channel, wanted, channel.space == SpaceRole::Length ? place : place * changeOf(m), m.scale);
        }
        const Keyed left = keyed(result, other, *same, a, t);
        const Keyed right = keyed(source, n, channel, wanted, at);
        double size = 1e-3;
        for (const double number : wanted)
            size = std::max(size, std::abs(number));
        for (const auto& [key, numbers] : right) {
            const auto found = left.find(key);
            if (found == left.end() || found->second.size() != numbers.size())
                return fmt::format("its {} is for other corners", channel.name);
            for (std::size_t k = 0; k < numbers.size(); ++k)
                if (!(std::abs(numbers[k] - found->second[k]) <= 2e-5 * size))
                    return fmt::format("its {} is {}, not {} (of {})", channel.name, found->second[k], numbers[k], k);
        }
    }
    return std::nullopt;
}

} // namespace

std::optional<std::string> firstFault(const Scene& source, const Scene& result, const ChainMeaning& m, double* worst,
                                      double rounding, bool points, double slipSeconds) {
    std::vector<double> moments = m.only;
    std::vector<double> between;
    if (m.only.empty()) {
        moments = framesOf(m.first, m.last, m.rate);
        for (std::size_t i = 0; i + 1 < moments.size(); ++i)
            for (const double share : {0.13, 0.5, 0.81})
                between.push_back(moments[i] + (moments[i + 1] - moments[i]) * share);
    }
    for (std::vector<double>* times : {&moments, &between})
        std::erase_if(*times, [&](double t) { return m.isLoose(t); });
    const Mat4 change = changeOf(m);
    const std::vector<bool> below = belowInstancers(source);
    for (std::size_t n = 0; n < source.nodes.size(); ++n) {
        const Node& node = source.nodes[n];
        if (node.is().place)
            continue;
        std::size_t other = 0;
        if (below[n] && !hasInstancers(result))
            continue; // gone, as it is told
        if (node.kind == NodeKind::Skeleton && !byName(result, node.name, other))
            continue; // likewise
        if (!byName(result, node.name, other))
            return node.path + " is gone";
        const bool bare = node.kind == NodeKind::Instancer && result.nodes[other].kind == NodeKind::Points;
        const Mat4 unchanged;
        const auto at = [&](double t) {
            return seen(source, n, m.toSource(t), change, 1.0, bare ? &unchanged : nullptr);
        };
        const auto say = [&](double t, const std::string& what) {
            return fmt::format("{} at frame {:.4f}: {}", node.path, m.rate.frameAt(t), what);
        };
        // Between samples nobody knows where a point goes that has no successor: those are left aside.
        const auto check = [&](double t, double allowed, const Seen* among = nullptr,
                               const Seen* and_ = nullptr) -> std::optional<std::string> {
            Seen wanted = at(t);
            Seen got = seen(result, other, t, Mat4{}, m.scale, bare ? &change : nullptr, &change);
            if (among)
                for (Seen* side : {&wanted, &got})
                    std::erase_if(side->points, [&](const auto& p) {
                        return !among->points.contains(p.first) || !and_->points.contains(p.first);
                    });
            double size = 1.0;
            for (const auto& [id, p] : wanted.points)
                size = std::max(size, length(p));
            // Times that are rounded show what the source shows a little earlier or later.
            // And where the result jumps to its next sample, a time beside that of a sample is on its way there.
            for (const double slip : {-slipSeconds, slipSeconds})
                if (slip != 0.0)
                    allowed += gap(wanted, at(t + slip)) + gap(got, seen(result, other, t + slip, Mat4{}, m.scale,
                                                                         bare ? &change : nullptr, &change));
            if (const double off = gap(wanted, got); off > allowed + rounding * size)
                return say(t, fmt::format("off by {:.6g}, allowed {:.3g} (size {:.3g})", off, allowed, size));
            if (worst)
                *worst = std::max(*worst, gap(wanted, got) / size);
            // A moment next to a flip may fall on either side.
            const bool steady = at(t - 2e-6).visible == at(t + 2e-6).visible;
            if (steady && wanted.visible != got.visible)
                return say(t, wanted.visible ? "hidden" : "seen");
            return std::nullopt;
        };
        for (const double t : moments) {
            if (const auto fault = check(t, 0.0))
                return fault;
            if (points)
                continue;
            if (const auto fault = firstValueFault(source, n, result, other, m, t))
                return say(t, *fault);
        }
        for (const double t : between) {
            // Never worse than straight lines between the whole frames of the source are, anywhere in that frame.
            const double low = m.rate.secondsAt(std::floor(m.rate.frameAt(t)));
            const double length1 = m.rate.secondsAt(1.0);
            const auto wayAt = [&](double now) { return test::plainMatrix(source, n, m.toSource(now)) * change; };
            const auto bend = [&](double from, double to) {
                const Seen a = at(from);
                const Seen b = at(to);
                double largest = 0.0;
                const Mat4 wayA = wayAt(from);
                const Mat4 wayB = wayAt(to);
                for (const double share : {0.125, 0.25, 0.375, 0.5, 0.625, 0.75, 0.875}) {
                    const double now = from + (to - from) * share;
                    const Seen here = at(now);
                    const Mat4 way = wayAt(now);
                    const auto back = inverseOf(way);
                    const auto backA = inverseOf(wayA);
                    const auto backB = inverseOf(wayB);
                    Mat4 straight;
                    for (std::size_t k = 0; k < 16; ++k)
                        straight.m[k] = wayA.m[k] + (wayB.m[k] - wayA.m[k]) * share;
                    for (const auto& [id, p] : here.points) {
                        const auto first = a.points.find(id);
                        const auto second = b.points.find(id);
                        if (first == a.points.end() || second == b.points.end())
                            continue;
                        const auto along = [&](const Vec3d& x, const Vec3d& y) { return x + (y - x) * share; };
                        largest = std::max(largest, length(along(first->second, second->second) - p));
                        if (!back || !backA || !backB)
                            continue;
                        // Points alone in straight lines, and the way alone: one may hide the other in the sum.
                        const Vec3d own =
                            along(transformedPoint(first->second, *backA), transformedPoint(second->second, *backB));
                        largest = std::max({largest, length(transformedPoint(own, way) - p),
                                            length(transformedPoint(transformedPoint(p, *back), straight) - p)});
                    }
                }
                return largest;
            };
            double allowed = std::max(
                {bend(low, low + length1), bend(low, low + length1 / 2), bend(low + length1 / 2, low + length1)});
            // Or, where an offset put its samples on no whole frame, between those.
            const auto own = [&](const Sampling& sampling) {
                const auto around = plainLocate(sampling, t);
                const double from = sampling.count() > 1 ? sampling.time(around.below) : t;
                const double to = sampling.count() > 1 ? sampling.time(around.above) : t;
                if (to > from && to - from <= length1 * (1.0 + 1e-6))
                    allowed = std::max(allowed, bend(from, to));
            };
            if (result.nodes[other].geometry)
                own(result.nodes[other].geometry->sampling());
            for (int k = static_cast<int>(other); k >= 0; k = result.nodes[static_cast<std::size_t>(k)].parent)
                if (const auto& transform = result.nodes[static_cast<std::size_t>(k)].transform)
                    own(transform->sampling());
            const Seen here = at(low - length1);
            const Seen there = at(low + 2.0 * length1);
            if (const auto fault = check(t, allowed * (below[n] || node.prototypes ? 3.0 : 1.3), &here, &there))
                return *fault + " (between frames)";
        }
    }
    return std::nullopt;
}

} // namespace wyc::test
