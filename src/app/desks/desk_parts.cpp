// SPDX-License-Identifier: GPL-3.0-or-later
#include "desks/desk_parts.h"

#include <algorithm>
#include <cmath>
#include <functional>

#include <QAbstractButton>
#include <QEvent>
#include <QHBoxLayout>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QPushButton>
#include <QScrollArea>
#include <QVBoxLayout>

#include "base/text.h"
#include "measure/motion.h"
#include "theme/theme.h"

namespace wyc::app {

QLabel* titleLabel(const QString& text, QWidget* parent) {
    auto* label = new QLabel(text, parent);
    label->setFont(textFont(10, QFont::DemiBold));
    return label;
}

QLabel* smallLabel(const QString& text, QWidget* parent) {
    auto* label = new QLabel(text, parent);
    label->setProperty("small", true);
    label->setWordWrap(true);
    return label;
}

QString text(std::string_view words) {
    return QString::fromUtf8(words.data(), static_cast<qsizetype>(words.size()));
}

QFrame* cardFrame(const QColor& edge, QWidget* parent) {
    auto* frame = new QFrame(parent);
    frame->setObjectName(QStringLiteral("card"));
    frame->setStyleSheet(
        QStringLiteral("QFrame#card { background: #172226; border-radius: 3px; border-left: 3px solid %1; }")
            .arg(edge.name()));
    return frame;
}

QScrollArea* scrollingColumn(QWidget* parent) {
    auto* scroll = new QScrollArea(parent);
    scroll->setWidgetResizable(true);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    auto* content = new QWidget(scroll);
    auto* column = new QVBoxLayout(content);
    column->setContentsMargins(0, 0, 10, 0);
    scroll->setWidget(content);
    return scroll;
}

float profileTop(const std::vector<float>& steps) {
    std::vector<float> known;
    for (const float step : steps)
        if (std::isfinite(step))
            known.push_back(step);
    if (known.empty())
        return 0.0F;
    const std::size_t rank = known.size() > 8 ? 2 : 0;
    std::nth_element(known.begin(), known.begin() + static_cast<std::ptrdiff_t>(rank), known.end(), std::greater<>());
    const float most = *std::max_element(known.begin(), known.end());
    return rank == 0 ? most : std::min(most, known[rank] * 1.3F);
}

namespace {

template<class Widget> class WidthKeeper : public QObject {
  public:
    explicit WidthKeeper(Widget* widget) : QObject(widget), widget_(widget) {
        widget->setSizePolicy(QSizePolicy::Ignored, widget->sizePolicy().verticalPolicy());
        widget->setProperty("keepsToWidth", true);
        widget->installEventFilter(this);
        cut();
    }

  protected:
    bool eventFilter(QObject*, QEvent* event) override {
        if (event->type() == QEvent::Resize || event->type() == QEvent::Show || event->type() == QEvent::Paint)
            cut();
        return false;
    }

  private:
    void cut() {
        if (widget_->text() != shown_) {
            whole_ = widget_->text();
            ownTip_ = widget_->toolTip();
        }
        const QSize without = widget_->sizeHint() - QSize(widget_->fontMetrics().horizontalAdvance(widget_->text()), 0);
        const int room = std::max(24, widget_->width() - without.width());
        shown_ = widget_->fontMetrics().elidedText(whole_, Qt::ElideMiddle, room);
        if (widget_->text() != shown_)
            widget_->setText(shown_);
        widget_->setToolTip(shown_ == whole_    ? ownTip_
                            : ownTip_.isEmpty() ? whole_
                                                : whole_ + QStringLiteral("\n") + ownTip_);
    }
    Widget* widget_;
    QString whole_;
    QString shown_;
    QString ownTip_;
};

} // namespace

void keepToWidth(QLabel* label) {
    new WidthKeeper(label);
}

void keepToWidth(QAbstractButton* button) {
    new WidthKeeper(button);
}

void clearLayout(QVBoxLayout* layout) {
    while (QLayoutItem* item = layout->takeAt(0)) {
        if (QWidget* widget = item->widget()) {
            widget->hide();
            widget->deleteLater();
        }
        delete item;
    }
}

FindingCard::FindingCard(const FindingGroup& group, const Workspace& workspace, bool showItem, QWidget* parent)
    : QFrame(parent), found_(group.first) {
    const ItemFinding& found = group.first;
    const std::size_t count = group.keys.size();
    const auto severity = static_cast<int>(found.finding.severity);
    setObjectName(QStringLiteral("card"));
    setProperty("findingId", QString::fromStdString(found.finding.id));
    setStyleSheet(QStringLiteral("QFrame#card { background: #172226; border-radius: 3px; border-left: 3px "
                                 "solid %1; } QFrame#card:hover { background: #1B282D; }")
                      .arg(severityColour(severity).name()));
    setCursor(Qt::PointingHandCursor);
    setToolTip(tr("%1 — click to go there").arg(QString::fromStdString(found.finding.id)));
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(10, 5, 8, 6);
    auto* words = new QVBoxLayout();
    words->setSpacing(2);
    auto* what = new QLabel(QStringLiteral("<span style='color:%1'>%2</span>&nbsp; %3")
                                .arg(severityColour(severity).name(), severityMark(severity),
                                     QString::fromStdString(found.finding.text).toHtmlEscaped()),
                            this);
    what->setWordWrap(true);
    what->setTextFormat(Qt::RichText);
    words->addWidget(what);
    QString where;
    const ItemView* item = workspace.item(found.key);
    if (showItem)
        where = count > 1 && item ? tr("%1 items of %2").arg(count).arg(QString::fromStdString(item->source->name))
                : item            ? QString::fromStdString(workspace.labelOf(found.key))
                                  : QString::fromStdString(found.finding.item); // a source as a whole
    if (found.finding.frame)
        where += (where.isEmpty() ? QString() : QStringLiteral(" · ")) +
                 tr("frame %1").arg(QString::fromStdString(frameText(*found.finding.frame)));
    const QString advice = QString::fromStdString(found.finding.advice);
    auto* more = smallLabel(where.isEmpty()    ? advice
                            : advice.isEmpty() ? where
                                               : where + QStringLiteral(" — ") + advice,
                            this);
    words->addWidget(more);
    row->addLayout(words, 1);
    if (!found.finding.mend.empty()) {
        auto* buttons = new QVBoxLayout();
        buttons->setSpacing(3);
        const auto add = [&](const QString& label, const char* name, const std::vector<ItemKey>& items) {
            auto* mend = new QPushButton(label, this);
            mend->setObjectName(QString::fromLatin1(name));
            mend->setProperty("small", true);
            mend->setProperty("findingId", QString::fromStdString(found.finding.id));
            mend->setToolTip(tr("Adds the step that puts this right; the source file is not touched"));
            mend->installEventFilter(this);
            mendButtons_.insert(mend);
            buttons->addWidget(mend);
            connect(mend, &QPushButton::clicked, this, [this, items] {
                setEnabled(false); // spent, until a check made the cards anew
                emit mendAsked(found_, items);
            });
        };
        const QString label = QString::fromStdString(found.finding.mendLabel);
        if (!showItem || count == 1)
            add(label, "mend", {found.key});
        if (count > 1)
            add(showItem ? tr("%1 (all %2)").arg(label).arg(count) : tr("… all %1 items").arg(count), "mendAll",
                group.keys);
        row->addLayout(buttons);
    }
}

// While the pointer or the keys are on a mend, what it would do is shown.
bool FindingCard::eventFilter(QObject* watched, QEvent* event) {
    if (mendButtons_.contains(watched)) {
        if (event->type() == QEvent::Enter || event->type() == QEvent::FocusIn)
            emit mendLookedAt(found_, true);
        else if (event->type() == QEvent::Leave || event->type() == QEvent::FocusOut || event->type() == QEvent::Hide)
            emit mendLookedAt(found_, false);
    }
    return QFrame::eventFilter(watched, event);
}

void FindingCard::mouseReleaseEvent(QMouseEvent* event) {
    if (event->button() == Qt::LeftButton && rect().contains(event->position().toPoint()))
        emit goAsked(found_);
}

ProfileStrips::ProfileStrips(QWidget* parent) : QWidget(parent) {
    setFixedHeight(84);
    setToolTip(tr("RMS speed of the points over time: as the source has it, and after the steps that are on"));
}

void ProfileStrips::show(const ItemView* item) {
    strips_.clear();
    const auto add = [&](const QString& words, const std::shared_ptr<const MotionProfile>& profile,
                         const FrameRate& rate) {
        Strip strip;
        if (profile) {
            for (std::size_t i = 0; i < profile->count(); ++i) {
                strip.frames.push_back(snappedFrame(rate.frameAt(profile->times[i])));
                strip.speeds.push_back(profile->step[i]);
            }
        }
        strip.words = strip.frames.size() > 1 ? QStringLiteral("%1 – %2  %3")
                                                    .arg(QString::fromStdString(frameText(strip.frames.front())),
                                                         QString::fromStdString(frameText(strip.frames.back())), words)
                                              : words;
        strips_.push_back(std::move(strip));
    };
    if (item && item->scene) {
        add(tr("as it came"), item->rawProfile, item->source->scene.view.rate);
        add(tr("after steps"), item->profile, item->scene->view.rate);
    }
    update();
}

void ProfileStrips::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.fillRect(rect(), colour::kInk1.darker(106));
    double first = 1e18;
    double last = -1e18;
    for (const Strip& strip : strips_)
        if (strip.frames.size() > 1) {
            first = std::min(first, strip.frames.front());
            last = std::max(last, strip.frames.back());
        }
    painter.setFont(textFont(8.5));
    for (std::size_t s = 0; s < strips_.size(); ++s) {
        const Strip& strip = strips_[s];
        const double top = 4.0 + static_cast<double>(s) * 40.0;
        painter.setPen(colour::kChalk2);
        painter.drawText(QRectF(12, top, width() - 24, 14), Qt::AlignVCenter, strip.words);
        if (strip.frames.size() < 2 || last <= first)
            continue;
        const QColor c = s == 0 ? colour::kHeather : colour::kGlass;
        const float most = profileTop(strip.speeds);
        QPainterPath path;
        const auto x = [&](double frame) { return 12 + (frame - first) / (last - first) * (width() - 24); };
        const double floor = top + 37;
        path.moveTo(x(strip.frames.front()), floor);
        const std::vector<std::size_t> gaps = framesMissingBefore(strip.frames);
        for (std::size_t i = 0; i < strip.frames.size(); ++i) {
            if (std::binary_search(gaps.begin(), gaps.end(), i)) { // what is not there has no speed
                path.lineTo(x(strip.frames[i - 1]), floor);
                path.lineTo(x(strip.frames[i]), floor);
            }
            const float v = strip.speeds[i == 0 ? 1 : i];
            path.lineTo(x(strip.frames[i]),
                        floor -
                            (std::isfinite(v) && most > 0 ? std::min(1.1, static_cast<double>(v / most)) : 0.0) * 20.0);
        }
        path.lineTo(x(strip.frames.back()), floor);
        path.closeSubpath();
        QColor fill = c;
        fill.setAlpha(80);
        painter.setPen(QPen(c, 1.1));
        painter.setBrush(fill);
        painter.drawPath(path);
    }
}

QString digits(std::size_t number) {
    return QString::fromStdString(groupedDigits(number));
}

} // namespace wyc::app
