// SPDX-License-Identifier: GPL-3.0-or-later
// A point that is asked, in the view: which one it is, and what is said of it.
#include <algorithm>
#include <cmath>
#include <set>

#include <QPainter>
#include <QPainterPath>

#include "base/text.h"
#include "match/mesh_graph.h"
#include "theme/theme.h"
#include "view/viewport.h"
#include "view/viewport_parts.h"

namespace wyc::app {
namespace {

constexpr std::size_t kMostBesides = 8;

QString lengthWords(double metres) {
    return QString::fromStdString(lengthText(metres));
}

QString speedWords(double metresPerSecond) {
    return QStringLiteral("%1/s").arg(lengthWords(metresPerSecond));
}

// One of the points of a body that stands for a number of the item.
std::optional<Vec3f> placeIn(const DrawItem& body, std::uint32_t number) {
    if (body.numbers.empty())
        return number < body.points.size() ? std::optional(body.points[number]) : std::nullopt;
    const auto found = std::find(body.numbers.begin(), body.numbers.end(), number);
    return found == body.numbers.end()
               ? std::nullopt
               : std::optional(body.points[static_cast<std::size_t>(found - body.numbers.begin())]);
}

} // namespace

std::uint32_t Viewport::lastPoint() const {
    const DrawItem* body = activeDrawn();
    if (!body || body->points.empty())
        return 0;
    return body->numbers.empty() ? static_cast<std::uint32_t>(body->points.size() - 1)
                                 : *std::max_element(body->numbers.begin(), body->numbers.end());
}

void Viewport::setPair(std::optional<ViewComparison> pair) {
    if (!pair && !pair_)
        return;
    // With something undone points may have other numbers: the one that is asked is found again by its own in A.
    const auto undoneOf = [](const std::optional<ViewComparison>& p) { return p ? p->undone : nullptr; };
    const bool renumbered = asked_ && undoneOf(pair_) != undoneOf(pair);
    const auto partner = renumbered ? partnerOf(*asked_) : std::nullopt;
    pair_ = std::move(pair);
    if (renumbered) {
        asked_ = partner ? ownOf(*partner) : std::nullopt;
        way_.reset();
    }
    askAnew();
    update();
}

void Viewport::askPoint(std::optional<std::uint32_t> number) {
    const DrawItem* body = activeDrawn();
    asked_ = number && body && placeIn(*body, *number) ? number : std::nullopt;
    askedOf_ = workspace_.active();
    way_.reset();
    question_.a.reset();
    question_.item = {};
    sendQuestion();
    update();
}

// Another frame or another body came. While it plays, nothing is asked.
void Viewport::askAnew() {
    if (!asked_)
        return;
    const DrawItem* body = activeDrawn();
    if (askedOf_ != workspace_.active() || (body && !placeIn(*body, *asked_)))
        askPoint(std::nullopt);
    else
        askTimer_.start();
}

void Viewport::sendQuestion() {
    const DrawItem* body = activeDrawn();
    const ItemView* item = workspace_.activeItem();
    if (!asked_ || !body || !item || !item->scene)
        return;
    SeenItem seen = shownOf(*item);
    double metres = workspace_.unitMetres(*item);
    PointQuestion question;
    if (pair_ && pair_->b == item->key) {
        if (pair_->undone) {
            seen = {pair_->undone->scene, pair_->undone->node};
            metres = pair_->metresA;
        }
        if (const auto partner = partnerOf(*asked_)) {
            question.a = DrawRequest::Item{{}, pair_->a, pair_->nodeA, pair_->metresA, false, nullptr};
            question.partner = *partner;
        }
    }
    question.number = question_.number + 1;
    question.item = {item->key, seen.scene, seen.node, metres, true, nullptr};
    question.point = *asked_;
    question.frame = drawn_->frame;
    question.rate = workspace_.rate();
    if (question.item.scene != question_.item.scene || question.partner != question_.partner ||
        (question.a ? question.a->scene : nullptr) != (question_.a ? question_.a->scene : nullptr))
        way_.reset(); // of another body
    question_ = question;
    asker_.ask(std::move(question));
}

void Viewport::askUnder(const QPointF& at) {
    const DrawItem* body = activeDrawn();
    const ItemView* item = workspace_.activeItem();
    if (!body || !item || !item->scene || !item->scene->nodes[item->node].is().points) {
        askPoint(std::nullopt);
        return;
    }
    // In A's part of the view it is a point of A: its own in B is asked.
    const std::vector<Pane> parts = panes();
    const Pane& pane = parts.front().box.contains(at) ? parts.front() : parts.back();
    const DrawItem* aimed = body;
    if (pane.shows == Pane::Shows::A)
        for (const DrawItem& other : drawn_->items)
            if (other.role == DrawRole::Other)
                aimed = &other;
    const QVector3D from = shownEye();
    const auto found =
        pointUnder(*aimed, [&](const Vec3f& p) { return project(pane.matrix, toQt(Vec3d(p))); }, at,
                   {static_cast<double>(from.x()), static_cast<double>(from.y()), static_cast<double>(from.z())});
    if (!found) {
        askPoint(std::nullopt);
        return;
    }
    std::uint32_t number = aimed->numbers.empty() ? *found : aimed->numbers[*found];
    if (aimed != body) {
        const auto own = ownOf(number);
        if (!own) {
            askPoint(std::nullopt);
            return;
        }
        number = *own;
    }
    askPoint(number);
}

std::optional<std::uint32_t> Viewport::partnerOf(std::uint32_t number) const {
    if (!pair_ || !pair_->aOfB || number >= pair_->aOfB->size())
        return std::nullopt;
    const std::uint32_t partner = (*pair_->aOfB)[number];
    return partner == kNone ? std::nullopt : std::optional(partner);
}

// The other way: nothing where no point of one is known in the other.
std::optional<std::uint32_t> Viewport::ownOf(std::uint32_t partner) const {
    if (!pair_ || !pair_->aOfB)
        return std::nullopt;
    const auto at = std::find(pair_->aOfB->begin(), pair_->aOfB->end(), partner);
    return at == pair_->aOfB->end() ? std::nullopt
                                    : std::optional(static_cast<std::uint32_t>(at - pair_->aOfB->begin()));
}

std::optional<Vec3f> Viewport::placeOf(std::uint32_t number) const {
    const DrawItem* body = activeDrawn();
    return body ? placeIn(*body, number) : std::nullopt;
}

// The points that an edge leads to.
std::vector<std::uint32_t> Viewport::besides(std::uint32_t number) const {
    const DrawItem* body = activeDrawn();
    std::set<std::uint32_t> found;
    if (!body || !body->indices)
        return {};
    const auto of = [&](std::uint32_t point) { return body->numbers.empty() ? point : body->numbers[point]; };
    const auto& edges = body->indices->edges;
    for (std::size_t i = 0; i + 1 < edges.size(); i += 2)
        for (const bool turned : {false, true})
            if (of(edges[i + turned]) == number && of(edges[i + !turned]) != number)
                found.insert(of(edges[i + !turned]));
    return {found.begin(), found.end()};
}

QStringList Viewport::askedWords() const {
    QStringList words;
    if (!asked_)
        return words;
    const bool compared = pair_ && pair_->b == askedOf_;
    const auto count = [](std::uint32_t n) { return QString::fromStdString(groupedDigits(n)); };
    words << (!compared       ? tr("point %1").arg(count(*asked_))
              : pair_->undone ? tr("point %1 of B, undone").arg(count(*asked_))
                              : tr("point %1 of B").arg(count(*asked_)));
    const auto place = placeOf(*asked_);
    if (!place)
        return words << tr("it is not shown at this frame");
    const auto metres = [](float value) { return QString::number(static_cast<double>(value), 'f', 3); };
    words << tr("at %1, %2, %3 m").arg(metres(place->x), metres(place->y), metres(place->z));
    if (compared) {
        if (const auto partner = partnerOf(*asked_)) {
            words << tr("its own in A: point %1").arg(count(*partner));
            if (way_)
                for (const PointWay::Stop& stop : way_->stops)
                    if (stop.partner && sameFrame(stop.frame, drawn_->frame))
                        words << tr("%1 off").arg(lengthWords(length(stop.place - *stop.partner)));
        } else if (pair_->aOfB) {
            words << tr("A has no such point");
        }
    }
    if (way_) {
        if (!way_->error.isEmpty())
            words << way_->error;
        // Over the frames on both sides, as far as there are poses.
        const PointWay::Stop *before = nullptr, *after = nullptr;
        for (const PointWay::Stop& stop : way_->stops) {
            if (sameFrame(stop.frame, drawn_->frame - 1) || (!before && sameFrame(stop.frame, drawn_->frame)))
                before = &stop;
            if (sameFrame(stop.frame, drawn_->frame) || sameFrame(stop.frame, drawn_->frame + 1))
                after = &stop;
        }
        if (before && after && after->frame > before->frame) {
            const FrameRate rate = workspace_.rate();
            words << tr("moves at %1")
                         .arg(speedWords(length(after->place - before->place) /
                                         (rate.secondsAt(after->frame) - rate.secondsAt(before->frame))));
        }
    }
    if (const auto near = besides(*asked_); !near.empty()) {
        QStringList numbers;
        for (const std::uint32_t n : near)
            if (static_cast<std::size_t>(numbers.size()) < kMostBesides)
                numbers << count(n);
        words << tr("beside %1%2")
                     .arg(numbers.join(QStringLiteral(", ")),
                          near.size() > kMostBesides ? tr(" and %1 more").arg(near.size() - kMostBesides) : QString());
    }
    return words;
}

void Viewport::drawAsked(QPainter& painter, const std::vector<Pane>& panes) {
    if (!asked_)
        return;
    const QMatrix4x4& matrix = panes.back().matrix;
    const bool compared = pair_ && pair_->b == askedOf_;
    const QColor own = compared ? colour::kHeather : colour::kGlass;
    painter.setBrush(Qt::NoBrush);
    // Its way: a line with a dot a frame.
    const auto drawWay = [&](const Pane& pane, const QColor& c, const auto& placeAt) {
        painter.save();
        painter.setClipRect(pane.box);
        QPainterPath path;
        std::vector<QPointF> dots;
        for (const PointWay::Stop& stop : way_->stops) {
            const std::optional<Vec3d> place = placeAt(stop);
            const auto at = place ? project(pane.matrix, toQt(*place)) : std::nullopt;
            if (!at)
                continue;
            if (dots.empty())
                path.moveTo(*at);
            else
                path.lineTo(*at);
            dots.push_back(*at);
        }
        painter.setPen(QPen(QColor(0x0E, 0x15, 0x18, 190), 3.4));
        painter.drawPath(path);
        painter.setPen(QPen(c, 1.4));
        painter.drawPath(path);
        painter.setBrush(c);
        painter.setPen(Qt::NoPen);
        for (const QPointF& dot : dots)
            painter.drawEllipse(dot, 1.8, 1.8);
        painter.restore();
    };
    if (way_) {
        if (compared && comparedDrawn() && comparedDrawn()->showsA())
            drawWay(panes.front(), colour::kGlass, [](const PointWay::Stop& stop) { return stop.partner; });
        drawWay(panes.back(), own, [](const PointWay::Stop& stop) { return std::optional(stop.place); });
    }
    if (const auto place = placeOf(*asked_)) {
        painter.setPen(QPen(colour::kChalk, 1));
        painter.setBrush(Qt::NoBrush);
        for (const std::uint32_t n : besides(*asked_))
            if (const auto near = placeOf(n))
                if (const auto at = project(matrix, toQt(Vec3d(*near))))
                    painter.drawEllipse(*at, 2.2, 2.2);
        if (const auto at = project(matrix, toQt(Vec3d(*place))); at && panes.back().box.contains(*at)) {
            painter.setPen(QPen(QColor(0x0E, 0x15, 0x18, 190), 4));
            painter.drawEllipse(*at, 6, 6);
            painter.setPen(QPen(own, 2));
            painter.drawEllipse(*at, 6, 6);
        }
    }
    drawAskedCard(painter, own);
}

// What is said of it, on the right, below the names of the bodies.
void Viewport::drawAskedCard(QPainter& painter, const QColor& own) {
    const QStringList words = askedWords();
    const WayCurve curve = way_ ? curveOf(*way_, workspace_.rate()) : WayCurve();
    painter.setFont(textFont(9));
    const QFontMetricsF metrics(painter.font());
    double wide = 180.0;
    for (const QString& line : words)
        wide = std::max(wide, metrics.horizontalAdvance(line));
    wide = std::min(wide, width() * 0.5);
    // Not out of the view at its foot: then without the curve.
    const double lines = 14.0 + 17.0 * static_cast<double>(words.size());
    const bool drawn = curve.points.size() > 1 && lines + 62.0 + 16.0 < height();
    const double high = lines + (drawn ? 62.0 : 0.0);
    const QRectF card(width() - wide - 34.0, std::max(8.0, std::min(64.0, height() - high - 8.0)), wide + 20.0, high);
    painter.setPen(QPen(colour::kInk3, 1));
    painter.setBrush(QColor(0x14, 0x1E, 0x22, 235));
    painter.drawRoundedRect(card, 4, 4);
    double y = card.top() + 19.0;
    for (const QString& line : words) {
        painter.setFont(textFont(9, &line == &words.front() ? QFont::DemiBold : QFont::Normal));
        painter.setPen(&line == &words.front() ? own : colour::kChalk);
        painter.drawText(QPointF(card.left() + 10, y),
                         painter.fontMetrics().elidedText(line, Qt::ElideRight, static_cast<int>(wide)));
        y += 17.0;
    }
    if (!drawn)
        return;
    const QRectF box(card.left() + 10, y + 3.0, wide, 32.0);
    painter.setPen(QPen(colour::kInk3, 1));
    painter.drawLine(box.bottomLeft(), box.bottomRight());
    const double first = drawn_->frame - PointAsker::kReach;
    const auto at = [&](const std::pair<double, double>& p) {
        return QPointF(box.left() + (p.first - first) / (2.0 * PointAsker::kReach) * box.width(),
                       box.bottom() - (curve.top > 0.0 ? p.second / curve.top : 0.0) * box.height());
    };
    QPainterPath path(at(curve.points.front()));
    for (const auto& p : curve.points)
        path.lineTo(at(p));
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(own, 1.4));
    painter.drawPath(path);
    painter.setPen(QPen(colour::kStraw, 1, Qt::DotLine));
    painter.drawLine(QPointF(box.center().x(), box.top()), QPointF(box.center().x(), box.bottom()));
    painter.setFont(textFont(8));
    painter.setPen(colour::kChalk2);
    painter.drawText(QRectF(box.left(), box.bottom() + 2, box.width(), 16), Qt::AlignLeft | Qt::AlignVCenter,
                     (curve.drift ? tr("drift, up to %1") : tr("speed, up to %1"))
                         .arg(curve.drift ? lengthWords(curve.top) : speedWords(curve.top)));
    painter.drawText(QRectF(box.left(), box.bottom() + 2, box.width(), 16), Qt::AlignRight | Qt::AlignVCenter,
                     tr("±%1 frames").arg(PointAsker::kReach));
}

} // namespace wyc::app
