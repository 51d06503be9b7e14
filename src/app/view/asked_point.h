// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// A point that is asked: which one lies under the pointer, the way it goes, and how far its partner is.
#include <functional>
#include <memory>
#include <optional>
#include <thread>
#include <vector>

#include <QMetaType>
#include <QPointF>

#include "view/frame_loader.h"

namespace wyc::app {

/// From a place in world metres to the widget; nothing behind the eye.
using Projection = std::function<std::optional<QPointF>(const Vec3f&)>;

/// Where in `item.points` the one under the pointer is: a corner of the foremost face there, else what is nearest.
/// `eye` in metres.
[[nodiscard]] std::optional<std::uint32_t> pointUnder(const DrawItem& item, const Projection& projection,
                                                      const QPointF& at, const Vec3d& eye);

/// The way of a point about a frame, in world metres.
struct PointWay {
    struct Stop {
        double frame = 0.0; // at the rate of the question
        Vec3d place;
        std::optional<Vec3d> partner; // where its own of A is
    };
    int question = 0;
    std::vector<Stop> stops; // rising; only where the item has poses of its own
    QString error;
};

struct PointQuestion {
    int number = 0;
    DrawRequest::Item item;
    std::uint32_t point = 0;
    std::optional<DrawRequest::Item> a; // what it is laid against,
    std::uint32_t partner = 0;          // and its point of that
    double frame = 0.0;
    FrameRate rate;
};

/// Follows points on a thread of its own. Only the newest question counts.
class PointAsker : public QObject {
    Q_OBJECT
  public:
    static constexpr int kReach = 12; // frames before and after
    explicit PointAsker(QObject* parent = nullptr);
    ~PointAsker() override;
    void ask(PointQuestion question);

  signals:
    void answered(const std::shared_ptr<const wyc::app::PointWay>& way);

  private:
    Newest<PointQuestion> next_;
    std::thread thread_;
};

/// Curve of a way's drift, or of its speed where it has no partner, over its frames.
struct WayCurve {
    std::vector<std::pair<double, double>> points; // frame; metres, or metres a second
    double top = 0.0;
    bool drift = false;
};
[[nodiscard]] WayCurve curveOf(const PointWay& way, const FrameRate& rate);

} // namespace wyc::app
Q_DECLARE_METATYPE(std::shared_ptr<const wyc::app::PointWay>)
