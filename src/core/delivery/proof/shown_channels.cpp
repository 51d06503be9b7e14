// SPDX-License-Identifier: GPL-3.0-or-later
#include "delivery/proof/shown_channels.h"

#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "base/text.h"
#include "scene/components/curves.h"
#include "scene/deform/deformers.h"
#include "scene/layers.h"

namespace wyc {
namespace {

constexpr double kBeside = 2e-5;     // seconds: right before or behind a moment
constexpr double kFloatShare = 4e-6; // of a number's size: float32 in, a few sums, float32 out
constexpr double kDoubleShare = 1e-6;

bool movesAbove(const Scene& scene, std::size_t node) {
    for (int i = static_cast<int>(node); i >= 0; i = scene.nodes[static_cast<std::size_t>(i)].parent)
        if (const auto& transform = scene.nodes[static_cast<std::size_t>(i)].transform;
            transform && !transform->constant())
            return true;
    return false;
}

// Something stands above it that the source does not have: a step put motion of its own there.
bool hasOthersAbove(const Scene& meant, std::size_t node, const Scene& source) {
    for (int i = meant.nodes[node].parent; i >= 0; i = meant.nodes[static_cast<std::size_t>(i)].parent)
        if (!source.find(meant.nodes[static_cast<std::size_t>(i)].id))
            return true;
    return false;
}

bool isReal(const Channel& channel) {
    return channel.values->type() == ValueType::Float || channel.values->type() == ValueType::Double;
}

Vec3d linear(const Vec3d& v, const Mat4& m) {
    return {v.x * m.m[0] + v.y * m.m[4] + v.z * m.m[8], v.x * m.m[1] + v.y * m.m[5] + v.z * m.m[9],
            v.x * m.m[2] + v.y * m.m[6] + v.z * m.m[10]};
}

double determinant(const Mat4& m) {
    return dot(Vec3d{m.m[0], m.m[1], m.m[2]}, cross(Vec3d{m.m[4], m.m[5], m.m[6]}, Vec3d{m.m[8], m.m[9], m.m[10]}));
}

// A normal by the inverse transpose, but for its length: the cofactors of the matrix.
Vec3d normalBy(const Vec3d& n, const Mat4& m) {
    const Vec3d x{m.m[0], m.m[1], m.m[2]};
    const Vec3d y{m.m[4], m.m[5], m.m[6]};
    const Vec3d z{m.m[8], m.m[9], m.m[10]};
    const Vec3d turned = cross(y, z) * n.x + cross(z, x) * n.y + cross(x, y) * n.z;
    return determinant(m) < 0.0 ? turned * -1.0 : turned;
}

double sizeOf(const Mat4& m) {
    double size = 0.0;
    for (std::size_t i = 0; i < 12; ++i)
        size = std::max(size, std::abs(m.m[i]));
    return size;
}

double sizeOf(const std::vector<double>& numbers) {
    double size = 0.0;
    for (const double number : numbers)
        if (std::isfinite(number))
            size = std::max(size, std::abs(number));
    return size;
}

bool isOutside(const Sampling& sampling, double seconds) {
    return sampling.count() > 1 &&
           (seconds < sampling.firstTime() - kSameMoment || seconds > sampling.lastTime() + kSameMoment);
}

// Layers come laid out corner by corner: what they are like in the source does not tell whether they stay. What goes in
// another form is in what is meant in that form.
bool isKept(const Channel& channel, const Format& format) {
    return isLayer(channel.meaning) ? format.keeps(contentOf(channel.meaning))
                                    : format.carry(kindOf(channel)).fate != Fate::Lost;
}

// A step that takes a channel away says so, by the name that its source has for it.
bool isTold(const Scene& meant, const std::string& path, const Channel& channel) {
    const auto from = channel.name.find('\'');
    const auto to = channel.name.find('\'', from + 1);
    const std::string name = traitsOf(channel.meaning).of == Owner::Deformers ? std::string(kDeformersGone)
                             : to == std::string::npos                        ? channel.name
                                                       : channel.name.substr(from, to - from + 1);
    return std::any_of(meant.report.notCarried.begin(), meant.report.notCarried.end(), [&](const NotCarried& told) {
        return told.item == path && told.what.find(name) != std::string::npos;
    });
}

bool isRenamed(const Scene& meant, const std::string& path, const Channel& channel) {
    return std::any_of(meant.report.notCarried.begin(), meant.report.notCarried.end(), [&](const NotCarried& told) {
        return told.item == path && saysRenamed(told.what, channel.name);
    });
}

// A direction turned by a quaternion x, y, z, w.
Vec3d turnedBy(const double* q, const Vec3d& v) {
    const double size = std::sqrt(q[0] * q[0] + q[1] * q[1] + q[2] * q[2] + q[3] * q[3]);
    if (!(size > 0.0))
        return v;
    const Vec3d axis{q[0] / size, q[1] / size, q[2] / size};
    const Vec3d twice = cross(axis, v) * 2.0;
    return v + twice * (q[3] / size) + cross(axis, twice);
}

void seenFromWorld(std::vector<double>& matrices, const Mat4& world) {
    const Mat4 back = inverseOf(world).value_or(Mat4());
    for (std::size_t i = 0; i + 16 <= matrices.size(); i += 16) {
        Mat4 matrix;
        std::copy_n(matrices.begin() + static_cast<std::ptrdiff_t>(i), 16, matrix.m.begin());
        matrix = back * matrix * world;
        std::copy_n(matrix.m.begin(), 16, matrices.begin() + static_cast<std::ptrdiff_t>(i));
    }
}

bool apart(double a, double b, double allowed) {
    return std::isfinite(a) != std::isfinite(b) || std::abs(a - b) > allowed;
}

} // namespace

ShownChannels ShownChannels::of(const Scene& meant, std::size_t node, const Scene& source, std::size_t own,
                                const Intention& intention, const Format& format, Elements elements) {
    ShownChannels result;
    result.meantScene_ = &meant;
    result.node_ = node;
    result.sourceScene_ = &source;
    result.own_ = own;
    result.intention_ = &intention;
    result.meantMoves_ = movesAbove(meant, node);
    result.sourceMoves_ = movesAbove(source, own);
    const Node& it = meant.nodes[node];
    const Node& from = source.nodes[own];
    const std::vector<Channel> there = channelsOf(from);
    if (elements == Elements::Others) {
        for (const Channel& channel : there)
            if (channel.values->sampling().count() > 0 && channel.space != SpaceRole::Box && isKept(channel, format))
                result.leftAside_.push_back(fmt::format("{}: its points are made of those of others", channel.name));
        return result;
    }
    result.meantChannels_ = channelsOf(it);
    const bool otherFaces = [&] {
        if (!it.geometry || !from.geometry || it.geometry->sampling().count() == 0 ||
            from.geometry->sampling().count() == 0 || it.geometry->topologyVaries() || from.geometry->topologyVaries())
            return false;
        const auto a = it.geometry->topology(0);
        const auto b = from.geometry->topology(0);
        return a && b && (*a)->hash() != (*b)->hash();
    }();
    for (const Channel& channel : there) {
        if (channel.values->sampling().count() == 0 || channel.space == SpaceRole::Box || !isKept(channel, format))
            continue;
        if (elements == Elements::PointsAlone && channel.meaning != Meaning::Normals &&
            channel.meaning != Meaning::Velocities) {
            result.leftAside_.push_back(fmt::format("{}: only its points are those of the source", channel.name));
            continue;
        }
        const Channel* same = channelNamed(result.meantChannels_, channel.name);
        if (!same) {
            if (!isTold(meant, it.path, channel))
                result.lost_.push_back(channel.name);
            continue;
        }
        if ((channel.meaning == Meaning::CurveKind && isTold(meant, it.path, channel)) ||
            isRenamed(meant, it.path, channel)) {
            result.leftAside_.push_back(fmt::format("{}: it is told that it is another", channel.name));
            continue;
        }
        if (channel.values->files() && intention.repointed) {
            result.leftAside_.push_back(fmt::format("{}: a step gives its files other names", channel.name));
            continue;
        }
        if (same->scope == Scope::Corner && otherFaces) {
            result.leftAside_.push_back(fmt::format("{}: its faces are walked the other way round", channel.name));
            continue;
        }
        if (isSpeedOfPoints(channel) && (result.meantMoves_ != result.sourceMoves_ || result.map().carries() ||
                                         hasOthersAbove(meant, node, source))) {
            result.leftAside_.push_back(
                fmt::format("{}: the motion went from transforms into the points, or back", channel.name));
            continue;
        }
        if (channel.time != TimeRole::Plain && same->values->sampling().isStill() && !result.map().asOneRun()) {
            result.leftAside_.push_back(fmt::format(
                "{}: the source has one value for all times, and the steps change the speed", channel.name));
            continue;
        }
        Pair pair{*same, channel, false};
        pair.steady = same->values->sameAlways() && channel.values->sameAlways() && channel.time == TimeRole::Plain;
        result.pairs_.push_back(std::move(pair));
    }
    for (const Channel& channel : result.meantChannels_)
        if (isKept(channel, format) && channel.values->sampling().count() > 0 && channel.space != SpaceRole::Box &&
            !channelNamed(there, channel.name))
            result.leftAside_.push_back(fmt::format("{}: the source does not have it", channel.name));
    return result;
}

void ShownChannels::tellWhatIsLeftAside(Shown& shown) const {
    for (const std::string& name : lost_)
        if (shown.disagreements.size() < kMostWords)
            shown.disagreements.push_back(fmt::format("its {} is in the source and not here", name));
    shown.notCompared.insert(shown.notCompared.end(), leftAside_.begin(), leftAside_.end());
}

const TimeMap& ShownChannels::map() const {
    const Node& own = sourceScene_->nodes[own_];
    const bool set = own.is().part && own.parent >= 0;
    const auto& shape = set ? sourceScene_->nodes[static_cast<std::size_t>(own.parent)].geometry : own.geometry;
    return shape ? intention_->points : intention_->time;
}

// Where the speed changes a length of time has either; in a rest it is as long as before.
bool ShownChannels::durationsFollow(double seconds) const {
    const double speed = map().at(seconds).front().speed;
    const auto goesOn = [&](double t) {
        const auto poses = map().at(t);
        return std::all_of(poses.begin(), poses.end(), [&](const TimedPose& pose) { return pose.speed == speed; });
    };
    return speed != 0.0 && goesOn(seconds) && goesOn(seconds - kBeside) && goesOn(seconds + kBeside);
}

// Poses are mixed here, or right beside a pose that stands.
bool ShownChannels::isMixed(double seconds) const {
    const auto mixed = [](const std::vector<TimedPose>& poses) { return poses.size() > 1 || poses.front().rest; };
    const auto poses = map().at(seconds);
    return mixed(poses) || (poses.front().rate == 0.0 &&
                            (mixed(map().at(seconds - kBeside * 10.0)) || mixed(map().at(seconds + kBeside * 10.0))));
}

// Under poses that are mixed the points themselves say how fast they go: what is told lies among what they do around
// the moment, near and far. A step before may have taken it over a frame of its own.
Result<ShownChannels::Judged> ShownChannels::speedDifference(const Pair& pair, double seconds) const {
    const Judged notCompared{false, {}};
    const GeometryPtr& shape = meantScene_->nodes[node_].geometry;
    const auto runs = [&](double t) {
        const auto poses = map().at(t);
        return poses.size() == 1 && !poses.front().rest && poses.front().rate != 0.0;
    };
    const PlainPosition at = plainPosition(pair.meant.values->sampling(), seconds);
    if (!shape || shape->topologyVaries() || at.weight > 0.0 || at.below == 0 ||
        at.below + 1 >= pair.meant.values->sampling().count() || runs(seconds - 10.0 * kBeside) ||
        runs(seconds + 10.0 * kBeside)) // there the run says it
        return notCompared;
    WYC_TRY(told, plainNumbers(pair.meant, seconds));
    std::vector<Vec3f> here;
    WYC_CHECK(readPointsAt(*shape, seconds, here));
    if (told.numbers.size() != here.size() * 3)
        return notCompared;
    const Vec3d none{kForever, kForever, kForever};
    std::vector<std::pair<Vec3d, Vec3d>> among(here.size(), {none, none * -1.0});
    double fastest = 0.0;
    double noise = 0.0;
    for (const double frames : {-4.0, -2.0, -1.0, -0.5, -0.25, -0.125, 0.125, 0.25, 0.5, 1.0, 2.0, 4.0}) {
        const double beside = intention_->rate.secondsAt(frames);
        std::vector<Vec3f> there;
        WYC_CHECK(readPointsAt(*shape, seconds + beside, there));
        for (std::size_t i = 0; i < here.size(); ++i) {
            const Vec3d speed = (Vec3d(there[i]) - Vec3d(here[i])) * (1.0 / beside);
            auto& [low, high] = among[i];
            low = {std::min(low.x, speed.x), std::min(low.y, speed.y), std::min(low.z, speed.z)};
            high = {std::max(high.x, speed.x), std::max(high.y, speed.y), std::max(high.z, speed.z)};
            fastest = std::max(fastest, length(speed));
            noise = std::max(noise, length(Vec3d(here[i])) * kFloatShare / std::abs(beside));
        }
    }
    const double allowed = 0.25 * fastest + noise;
    for (std::size_t i = 0; i < here.size(); ++i) {
        const auto& [low, high] = among[i];
        const double* v = told.numbers.data() + i * 3;
        if (v[0] < low.x - allowed || v[1] < low.y - allowed || v[2] < low.z - allowed || v[0] > high.x + allowed ||
            v[1] > high.y + allowed || v[2] > high.z + allowed)
            return Judged{true, fmt::format("{} of point {} is ({:.6g}, {:.6g}, {:.6g}), which is not how it moves",
                                            pair.meant.name, i, v[0], v[1], v[2])};
    }
    return Judged{true, {}};
}

Result<std::optional<std::vector<double>>> ShownChannels::expected(const Pair& pair, double seconds) const {
    std::optional<std::vector<double>> none;
    const std::vector<TimedPose> poses = map().at(seconds);
    // Directions and turns of several poses are mixed one after another, and do not add up.
    if ((pair.source.blend == Blend::UnitLength || pair.source.blend == Blend::Sphere) && poses.size() > 1)
        return none;
    const Geometry* shape = sourceScene_->nodes[own_].geometry.get();
    const bool loose = shape && shape->topologyVaries() && pair.source.values->isArray();
    std::vector<double> sum;
    double speed = 0.0;
    for (const TimedPose& pose : poses) {
        WYC_TRY(one, haveOneNumbering(pair.source, poses.front().seconds, pose.seconds));
        if (!one)
            return none;
        WYC_TRY(own, plainNumbers(pair.source, pose.seconds, Between::AsTold));
        // Of points that come and go nobody knows what lies between two samples.
        if (loose && (poses.size() > 1 || !own.atSample))
            return none;
        if (poses.size() == 1) {
            sum = std::move(own.numbers);
        } else {
            if (!sum.empty() && sum.size() != own.numbers.size())
                return none;
            sum.resize(own.numbers.size(), 0.0);
            for (std::size_t i = 0; i < sum.size(); ++i)
                sum[i] += pose.weight * own.numbers[i];
        }
        speed += poses.size() == 1 ? pose.speed : pose.weight * pose.speed;
    }
    if (pair.source.time != TimeRole::Plain) {
        const bool rate = pair.source.time == TimeRole::Rate;
        if (rate) {
            // At a change of speed either is right.
            const auto speedAt = [&](double t) { return map().at(t).front().speed; };
            if (speedAt(seconds - kBeside) != speedAt(seconds + kBeside))
                return none;
            // Outside of its samples a track holds, and says nothing of how fast.
            const Sampling& sampling = pair.meant.values->sampling();
            if (isOutside(sampling, seconds) ||
                isOutside(pair.source.values->sampling(), map().at(seconds).front().seconds))
                return none;
            // And where it jumps between two samples of the result it does so somewhere between them.
            const auto around = plainPosition(sampling, seconds);
            const auto hasSpeed = [&](std::size_t sample, double inside) {
                return speedAt(sampling.time(sample)) == speed && speedAt(sampling.time(sample) + inside) == speed;
            };
            if (around.weight > 0.0 && !(hasSpeed(around.below, kBeside) && hasSpeed(around.above, -kBeside)))
                return none;
        } else if (!durationsFollow(seconds)) {
            return none;
        }
        for (double& number : sum)
            number = rate ? number * speed : number / std::abs(speed);
    }
    return std::optional(std::move(sum));
}

namespace {

Result<std::vector<double>> numbersOf(const SampledValues& like, const PropertyValue& value) {
    return wyc::numbersOf(MemoryValues(like.type(), like.extent(), like.isArray(), Sampling::still(), {value}), 0);
}

// Whatever type it is kept in. Only cubics have a basis.
Result<bool> saysTheSame(const SampledValues& a, const PropertyValue& own, const SampledValues& b,
                         const PropertyValue& other, Meaning meaning) {
    if (own.bytes == other.bytes)
        return true;
    if (meaning == Meaning::CurveKind && own.bytes.size() == 4 && other.bytes.size() == 4)
        return own.bytes[0] == other.bytes[0] && own.bytes[1] == other.bytes[1] &&
               (own.bytes[0] != static_cast<std::byte>(CurveLayout::Type::Cubic) || own.bytes[2] == other.bytes[2]);
    if (a.files() && b.files()) { // the same files, whatever they are called from here and from there
        const auto names = stringsOf(a.type(), own.bytes);
        const auto others = stringsOf(b.type(), other.bytes);
        const auto fileOf = [](const SampledValues& values, const std::string& name) {
            const auto found = values.files()->find(name);
            return found == values.files()->end() ? std::string() : found->second;
        };
        return std::equal(names.begin(), names.end(), others.begin(), others.end(),
                          [&](const std::string& x, const std::string& y) {
                              return x == y || (!fileOf(a, x).empty() && fileOf(a, x) == fileOf(b, y));
                          });
    }
    if (a.type() == b.type() || a.extent() != b.extent())
        return false;
    if (elementSize(a.type()) == 0 && elementSize(b.type()) == 0)
        return stringsOf(a.type(), own.bytes) == stringsOf(b.type(), other.bytes);
    WYC_TRY(numbers, numbersOf(a, own));
    WYC_TRY(others, numbersOf(b, other));
    return !numbers.empty() && numbers == others;
}

} // namespace

// Texts and whole numbers hold from their sample on: right at a flip either is right.
Result<ShownChannels::Judged> ShownChannels::heldDifference(const Pair& pair, double seconds) const {
    const auto valueAt = [](const SampledValues& values, double t) {
        return values.read(plainPosition(values.sampling(), t).below);
    };
    WYC_TRY(here, valueAt(*pair.meant.values, seconds));
    for (const double beside : {0.0, -kBeside, kBeside}) {
        const double there = map().heldAt(seconds + beside);
        for (const double around : {0.0, -kBeside, kBeside}) {
            WYC_TRY(wanted, valueAt(*pair.source.values, there + around));
            WYC_TRY(same, saysTheSame(*pair.meant.values, here, *pair.source.values, wanted, pair.source.meaning));
            if (same)
                return Judged{true, {}};
        }
    }
    return Judged{true, fmt::format("{} is not what the source says", pair.meant.name)};
}

namespace {

// Both sides as they stand in the world of the result. `axes`: what a change of axes does to what keeps its own;
// `there`: the world of the source brought into that of the result.
void seenInWorld(SpaceRole space, const Mat4& axes, const Mat4& world, const Mat4& there, std::vector<double>& own,
                 std::vector<double>& source) {
    const auto triple = [](const std::vector<double>& numbers, std::size_t i) {
        return Vec3d{numbers[i], numbers[i + 1], numbers[i + 2]};
    };
    const auto put = [](std::vector<double>& numbers, std::size_t i, const Vec3d& v) {
        numbers[i] = v.x;
        numbers[i + 1] = v.y;
        numbers[i + 2] = v.z;
    };
    switch (space) {
    case SpaceRole::Length: {
        const double ownSize = std::cbrt(std::abs(determinant(world)));
        const double size = std::cbrt(std::abs(determinant(there)));
        for (std::size_t i = 0; i < own.size(); ++i) {
            own[i] *= ownSize;
            source[i] *= size;
        }
        break;
    }
    case SpaceRole::Normal:
        for (std::size_t i = 0; i + 3 <= own.size(); i += 3) {
            const Vec3d a = triple(own, i);
            const Vec3d b = triple(source, i);
            const Vec3d turnedA = normalBy(a, world);
            const Vec3d turnedB = normalBy(b, there);
            put(own, i, length(turnedA) > 0.0 ? turnedA * (length(a) / length(turnedA)) : a);
            put(source, i, length(turnedB) > 0.0 ? turnedB * (length(b) / length(turnedB)) : b);
        }
        break;
    case SpaceRole::Position:
    case SpaceRole::Vector:
        for (std::size_t i = 0; i + 3 <= own.size(); i += 3) {
            const bool position = space == SpaceRole::Position;
            put(own, i, position ? transformedPoint(triple(own, i), world) : linear(triple(own, i), world));
            put(source, i, position ? transformedPoint(triple(source, i), there) : linear(triple(source, i), there));
        }
        break;
    // What stands at a place goes through the axes of its own on both ways: the axes themselves are compared.
    case SpaceRole::Turn: {
        std::vector<double> ownAxes;
        std::vector<double> sourceAxes;
        for (std::size_t i = 0; i + 4 <= own.size(); i += 4)
            for (const Vec3d& axis : {Vec3d{1, 0, 0}, Vec3d{0, 1, 0}, Vec3d{0, 0, 1}}) {
                const Vec3d a = linear(turnedBy(own.data() + i, linear(axis, axes)), world);
                const Vec3d b = linear(turnedBy(source.data() + i, axis), there);
                ownAxes.insert(ownAxes.end(), {a.x, a.y, a.z});
                sourceAxes.insert(sourceAxes.end(), {b.x, b.y, b.z});
            }
        own = std::move(ownAxes);
        source = std::move(sourceAxes);
        break;
    }
    case SpaceRole::Axes:
        for (std::size_t i = 0; i + 3 <= own.size(); i += 3) {
            const Vec3d sizes = triple(own, i);
            for (std::size_t k = 0; k < 3; ++k) {
                const Vec3d where = linear({k == 0 ? 1.0 : 0.0, k == 1 ? 1.0 : 0.0, k == 2 ? 1.0 : 0.0}, axes);
                const Vec3d share{std::abs(where.x), std::abs(where.y), std::abs(where.z)};
                own[i + k] = dot(share, sizes) / (share.x + share.y + share.z);
            }
        }
        break;
    // From a space into a like one: seen from the world, W⁻¹·M·W.
    case SpaceRole::Placement:
        seenFromWorld(own, world);
        seenFromWorld(source, there);
        break;
    case SpaceRole::Box:
    case SpaceRole::None: break;
    }
}

} // namespace

Result<ShownChannels::Judged> ShownChannels::difference(const Pair& pair, double seconds) const {
    const Judged notCompared{false, {}};
    if (!isReal(pair.source) || pair.source.blend == Blend::Held)
        return heldDifference(pair, seconds);
    if (isSpeedOfPoints(pair.source) && isMixed(seconds))
        return speedDifference(pair, seconds);
    WYC_TRY(wanted, expected(pair, seconds));
    if (!wanted)
        return notCompared;
    WYC_TRY(here, plainNumbers(pair.meant, seconds));
    const Geometry* shape = meantScene_->nodes[node_].geometry.get();
    if (!here.atSample && shape && shape->topologyVaries() && pair.meant.values->isArray())
        return notCompared;
    std::vector<double>& source = *wanted;
    std::vector<double>& own = here.numbers;
    if (source.size() != own.size())
        return Judged{true, fmt::format("{} has {} numbers, {} are meant", pair.meant.name, own.size(), source.size())};
    const bool eye = sourceScene_->nodes[own_].kind == NodeKind::Camera;
    double reach = std::max(sizeOf(source), sizeOf(own));
    if (pair.source.space != SpaceRole::None && eye) {
        for (double& number : source)
            number *= intention_->scale;
        reach = std::max(sizeOf(source), sizeOf(own));
    } else if (pair.source.space != SpaceRole::None) {
        WYC_TRY(world, plainWorld(*meantScene_, node_, seconds));
        const TimeMap& places = intention_->placesOf(*meantScene_, node_);
        WYC_TRY(place, plainWorld(*sourceScene_, own_, places.at(seconds).front().seconds, Between::AsTold));
        if (map().at(seconds).size() > 1 && sourceMoves_)
            return notCompared; // places of several poses do not add up
        const Mat4 there = place * intention_->spaceAt(seconds);
        const auto isFlat = [](const Mat4& m) {
            const double size = sizeOf(m);
            return !(std::abs(determinant(m)) > 1e-9 * size * size * size);
        };
        if (isFlat(world) || isFlat(there))
            return notCompared;
        seenInWorld(pair.source.space, intention_->axes, world, there, own, source);
        reach = std::max({reach, reach * sizeOf(world), reach * sizeOf(there), sizeOf(source), sizeOf(own)});
    }
    const double steps = pair.source.values->type() == ValueType::Float ? kFloatShare : kDoubleShare;
    for (std::size_t i = 0; i < own.size(); ++i)
        if (apart(own[i], source[i], steps * std::max(reach, 1e-9)))
            return Judged{true,
                          fmt::format("{} is {:.6g}, the source says {:.6g}", pair.meant.name, own[i], source[i])};
    return Judged{true, {}};
}

Status ShownChannels::compareAt(double seconds, bool whole, bool end, Shown& shown) {
    for (Pair& pair : pairs_) {
        if (shown.disagreements.size() >= kMostWords)
            return {};
        if (pair.steady && !end)
            continue;
        const Sampling& sampling = pair.meant.values->sampling();
        const PlainPosition at = plainPosition(sampling, seconds);
        const bool sampled = sampling.count() > 1 && at.weight == 0.0 &&
                             std::abs(sampling.time(at.below) - seconds) <= kSameMoment; // and not beyond its ends
        if (!whole && !sampled)
            continue;
        WYC_TRY(judged, difference(pair, seconds));
        pair.compared += judged.compared;
        pair.skipped += !judged.compared;
        if (judged.words)
            shown.disagreements.push_back(fmt::format(
                "at frame {}: its {}", frameText(snappedFrame(intention_->rate.frameAt(seconds))), *judged.words));
    }
    return {};
}

void ShownChannels::tellWhatWasNeverCompared(Shown& shown) const {
    for (const Pair& pair : pairs_)
        if (pair.compared == 0 && pair.skipped > 0)
            shown.notCompared.push_back(fmt::format(
                "{}: at all of its {} moments the steps mix poses or speeds, and no sum of the source's says what "
                "they should be",
                pair.meant.name, pair.skipped));
}

} // namespace wyc
