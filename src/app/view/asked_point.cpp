// SPDX-License-Identifier: GPL-3.0-or-later
#include "view/asked_point.h"

#include <algorithm>
#include <cmath>

namespace wyc::app {
namespace {

constexpr double kReachPixels = 12.0;

double gapOf(const QPointF& a, const QPointF& b) {
    return std::hypot(a.x() - b.x(), a.y() - b.y());
}

bool isInside(const QPointF& at, const QPointF& a, const QPointF& b, const QPointF& c) {
    const auto side = [&](const QPointF& from, const QPointF& to) {
        return (to.x() - from.x()) * (at.y() - from.y()) - (to.y() - from.y()) * (at.x() - from.x());
    };
    const double ab = side(a, b);
    const double bc = side(b, c);
    const double ca = side(c, a);
    return (ab >= 0 && bc >= 0 && ca >= 0) || (ab <= 0 && bc <= 0 && ca <= 0);
}

// Where a point of an item is, in world metres.
Result<Vec3d> placeAt(const DrawRequest::Item& item, std::uint32_t point, double seconds, std::vector<Vec3f>& room) {
    WYC_CHECK(readPointsAt(*item.scene->nodes[item.node].geometry, seconds, room));
    if (point >= room.size())
        return fail(ErrorKind::Unsupported, "it has no point " + std::to_string(point) + " there");
    WYC_TRY(placement, placementAt(*item.scene, item.node, seconds));
    return Vec3d(transformedPoint(room[point], placement.matrix)) * item.metresPerUnit;
}

bool hasPose(const DrawRequest::Item& item, double seconds) {
    const auto span = movingSpan(*item.scene, item.node);
    return !span || (seconds >= span->first - 1e-6 && seconds <= span->last + 1e-6);
}

PointWay follow(const PointQuestion& question) {
    PointWay way;
    way.question = question.number;
    std::vector<Vec3f> room;
    for (int k = -PointAsker::kReach; k <= PointAsker::kReach; ++k) {
        const double frame = question.frame + k;
        const double seconds = question.rate.secondsAt(frame);
        if (!hasPose(question.item, seconds))
            continue;
        const auto place = placeAt(question.item, question.point, seconds, room);
        if (!place) {
            if (k == 0)
                way.error = QString::fromStdString(place.error().text());
            continue;
        }
        PointWay::Stop stop{frame, *place, std::nullopt};
        if (question.a && hasPose(*question.a, seconds))
            if (const auto partner = placeAt(*question.a, question.partner, seconds, room))
                stop.partner = *partner;
        way.stops.push_back(stop);
    }
    return way;
}

} // namespace

std::optional<std::uint32_t> pointUnder(const DrawItem& item, const Projection& projection, const QPointF& at,
                                        const Vec3d& eye) {
    std::vector<std::optional<QPointF>> seen;
    seen.reserve(item.points.size());
    for (const Vec3f& point : item.points)
        seen.push_back(projection(point));
    std::optional<std::uint32_t> found;
    double nearest = kReachPixels;
    const auto take = [&](std::uint32_t point) {
        if (const double gap = gapOf(*seen[point], at); gap < nearest) {
            nearest = gap;
            found = point;
        }
    };
    // What lies behind a face is not meant.
    if (item.indices && !item.lines) {
        const auto& corners = item.indices->triangles;
        double front = std::numeric_limits<double>::infinity();
        std::size_t foremost = corners.size();
        for (std::size_t t = 0; t + 2 < corners.size(); t += 3) {
            const auto &a = seen[corners[t]], &b = seen[corners[t + 1]], &c = seen[corners[t + 2]];
            if (!a || !b || !c || !isInside(at, *a, *b, *c))
                continue;
            const Vec3d middle = (Vec3d(item.points[corners[t]]) + Vec3d(item.points[corners[t + 1]]) +
                                  Vec3d(item.points[corners[t + 2]])) *
                                 (1.0 / 3.0);
            if (const double far = length(middle - eye); far < front) {
                front = far;
                foremost = t;
            }
        }
        if (foremost < corners.size()) {
            nearest = std::numeric_limits<double>::infinity();
            for (std::size_t k = 0; k < 3; ++k)
                take(corners[foremost + k]);
            return found;
        }
    }
    for (std::uint32_t i = 0; i < seen.size(); ++i)
        if (seen[i])
            take(i);
    return found;
}

PointAsker::PointAsker(QObject* parent) : QObject(parent) {
    qRegisterMetaType<std::shared_ptr<const PointWay>>();
    thread_ = std::thread([this] {
        while (const auto question = next_.take()) {
            auto way = std::make_shared<const PointWay>(follow(*question));
            QMetaObject::invokeMethod(
                this, [this, way] { emit answered(way); }, Qt::QueuedConnection);
        }
    });
}

PointAsker::~PointAsker() {
    next_.end();
    thread_.join();
}

void PointAsker::ask(PointQuestion question) {
    next_.put(std::move(question));
}

WayCurve curveOf(const PointWay& way, const FrameRate& rate) {
    WayCurve curve;
    curve.drift = std::any_of(way.stops.begin(), way.stops.end(), [](const auto& stop) { return stop.partner; });
    for (std::size_t i = 0; i < way.stops.size(); ++i) {
        const PointWay::Stop& stop = way.stops[i];
        double value = 0.0;
        if (curve.drift) {
            if (!stop.partner)
                continue;
            value = length(stop.place - *stop.partner);
        } else {
            if (i == 0)
                continue;
            const PointWay::Stop& before = way.stops[i - 1];
            value = length(stop.place - before.place) / (rate.secondsAt(stop.frame) - rate.secondsAt(before.frame));
        }
        curve.points.emplace_back(stop.frame, value);
        curve.top = std::max(curve.top, value);
    }
    return curve;
}

} // namespace wyc::app
