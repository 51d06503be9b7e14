// SPDX-License-Identifier: GPL-3.0-or-later
#include "view/transport.h"

#include <algorithm>
#include <cmath>

#include <QActionGroup>
#include <QHBoxLayout>
#include <QLineEdit>
#include <QMenu>
#include <QPainter>
#include <QToolButton>

#include "base/text.h"
#include "theme/theme.h"

namespace wyc::app {
namespace {

enum class Mark { Start, Back, Play, Pause, Forward, End };

QIcon markIcon(Mark mark, const QColor& c) {
    QPixmap pixmap(44, 44);
    pixmap.fill(Qt::transparent);
    QPainter painter(&pixmap);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(Qt::NoPen);
    painter.setBrush(c);
    const auto triangle = [&](double x, bool right) {
        painter.drawPolygon(right ? QPolygonF{QPointF(x, 12), QPointF(x + 16, 22), QPointF(x, 32)}
                                  : QPolygonF{QPointF(x + 16, 12), QPointF(x, 22), QPointF(x + 16, 32)});
    };
    switch (mark) {
    case Mark::Start:
        painter.drawRect(QRectF(11, 12, 4, 20));
        triangle(17, false);
        break;
    case Mark::Back: triangle(13, false); break;
    case Mark::Play: triangle(15, true); break;
    case Mark::Pause:
        painter.drawRect(QRectF(14, 12, 6, 20));
        painter.drawRect(QRectF(25, 12, 6, 20));
        break;
    case Mark::Forward: triangle(15, true); break;
    case Mark::End:
        triangle(11, true);
        painter.drawRect(QRectF(29, 12, 4, 20));
        break;
    }
    painter.end();
    pixmap.setDevicePixelRatio(2);
    return QIcon(pixmap);
}

} // namespace

Transport::Transport(Workspace& workspace, Viewport& viewport, QWidget* parent)
    : QWidget(parent), workspace_(workspace), viewport_(viewport) {
    setObjectName(QStringLiteral("transport"));
    setAttribute(Qt::WA_StyledBackground);
    setStyleSheet(QStringLiteral("QWidget#transport { background: #141E22; border-top: 1px solid #26363C; }"));
    setFixedHeight(38);
    setMinimumWidth(440);
    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(8, 2, 10, 2);
    layout->setSpacing(2);
    const auto button = [&](Mark mark, const QString& name, const QString& tip, auto slot) {
        auto* made = new QToolButton(this);
        made->setObjectName(name);
        made->setIcon(markIcon(mark, mark == Mark::Play ? colour::kGlass : colour::kChalk));
        made->setIconSize({22, 22});
        made->setToolTip(tip);
        connect(made, &QToolButton::clicked, this, slot);
        layout->addWidget(made);
        return made;
    };
    button(Mark::Start, QStringLiteral("toStart"), tr("To the first frame (Home)"), [this] { toStart(); });
    button(Mark::Back, QStringLiteral("stepBack"), tr("One frame back (Left)"), [this] { stepBy(-1); });
    play_ = button(Mark::Play, QStringLiteral("play"), tr("Play or pause (Space)"), [this] { togglePlay(); });
    button(Mark::End, QStringLiteral("toEnd"), tr("To the last frame (End)"), [this] { toEnd(); });
    layout->addSpacing(10);
    frame_ = new QLineEdit(this);
    frame_->setObjectName(QStringLiteral("frameField"));
    frame_->setAlignment(Qt::AlignRight);
    frame_->setFont(textFont(9.5, QFont::DemiBold));
    frame_->setToolTip(tr("The moment shown; type a frame, seconds (1.5 s) or a timecode (00:00:01:12) to go there"));
    layout->addWidget(frame_);
    layout->addSpacing(6);
    reading_ = new QToolButton(this);
    reading_->setObjectName(QStringLiteral("timeReading"));
    reading_->setPopupMode(QToolButton::InstantPopup);
    reading_->setToolTip(tr("How moments are read, here and on the board: by frame, or counted from the shot's first "
                            "frame in seconds or as a timecode (T)"));
    reading_->setMenu(readings());
    reading_->setFixedWidth(88);
    layout->addWidget(reading_);
    layout->addStretch(1);
    makeToggles(layout);
    connectAll();
    showEye();
    showSeam();
    showReading();
    showRate();
}

QMenu* Transport::readings() {
    if (reading_->menu())
        return reading_->menu();
    auto* menu = new QMenu(tr("Read moments as"), reading_);
    auto* group = new QActionGroup(menu);
    for (const auto& [words, reading] : {std::pair{tr("frames"), TimeReading::Frames},
                                         {tr("seconds from the shot's first frame"), TimeReading::Seconds},
                                         {tr("timecode from the shot's first frame"), TimeReading::Timecode}}) {
        QAction* made = menu->addAction(words, this, [this, reading = reading] { workspace_.setTimeReading(reading); });
        made->setCheckable(true);
        group->addAction(made);
        connect(menu, &QMenu::aboutToShow, made,
                [this, made, reading = reading] { made->setChecked(workspace_.timeReading() == reading); });
    }
    return menu;
}

void Transport::showReading() {
    frame_->setFixedWidth(workspace_.timeReading() == TimeReading::Timecode ? 108 : 62);
    showFrame();
}

// How it is seen and played.
void Transport::makeToggles(QHBoxLayout* layout) {
    const auto toggle = [&](const QString& name, const QString& text, const QString& tip) {
        auto* made = new QToolButton(this);
        made->setObjectName(name);
        made->setText(text);
        made->setToolTip(tip);
        layout->addWidget(made);
        return made;
    };
    eye_ =
        toggle(QStringLiteral("eye"), {}, tr("Look with a free eye, or through a camera (turning the view frees it)"));
    eye_->setPopupMode(QToolButton::InstantPopup);
    auto* eyes = new QMenu(eye_);
    eye_->setMenu(eyes);
    eye_->setFixedWidth(112); // what stands here stays where it is, whatever it says
    eye_->setToolButtonStyle(Qt::ToolButtonTextOnly);
    connect(eyes, &QMenu::aboutToShow, this, &Transport::fillEyes);
    connect(&viewport_, &Viewport::cameraChanged, this, &Transport::showEye);
    connect(&workspace_, &Workspace::itemsChanged, this, &Transport::showEye);
    mode_ = toggle(QStringLiteral("playMode"), {},
                   tr("Real time keeps the rate and drops drawing; every frame shows each one, however long it takes"));
    mode_->setFixedWidth(QFontMetrics(mode_->font()).horizontalAdvance(tr("every frame · 00.0 fps")) + 16);
    loop_ = toggle(QStringLiteral("repeat"), tr("repeat"), tr("Begin again at the end of the range"));
    loop_->setCheckable(true);
    loop_->setChecked(true);
    seam_ = toggle(QStringLiteral("seam"), tr("seam"),
                   tr("Play only the frames around the end and the start of the active item, again and again"));
    seam_->setCheckable(true);
    connect(seam_, &QToolButton::clicked, this, [this] {
        if (playing()) {
            stopTimer();
            start();
        }
    });
    connect(&workspace_, &Workspace::activeChanged, this, &Transport::showSeam);
    connect(&workspace_, &Workspace::itemsChanged, this, &Transport::showSeam);
    hold_ = toggle(QStringLiteral("holdPose"), tr("hold this pose"),
                   tr("Keep the pose of this frame as a translucent second body (H)"));
    hold_->setCheckable(true);
}

void Transport::connectAll() {
    connect(mode_, &QToolButton::clicked, this, [this] {
        everyFrame_ = !everyFrame_;
        if (playing()) {
            stopTimer();
            start();
        }
        showRate();
    });
    connect(hold_, &QToolButton::clicked, this,
            [this](bool on) { viewport_.setHeldFrame(on ? std::optional(workspace_.frame()) : std::nullopt); });
    connect(frame_, &QLineEdit::editingFinished, this, [this] {
        const auto frame = parseTime(frame_->text().toStdString(), workspace_.timeReading(), workspace_.rate(),
                                     workspace_.timeOrigin());
        if (frame)
            workspace_.setFrame(*frame);
        else
            workspace_.tell(frame.error());
        frame_->setText(workspace_.timeWords(workspace_.frame()));
    });
    connect(&timer_, &QTimer::timeout, this, &Transport::tick);
    connect(&workspace_, &Workspace::frameChanged, this, &Transport::showFrame);
    connect(&workspace_, &Workspace::timeReadingChanged, this, &Transport::showReading);
    connect(&workspace_, &Workspace::activeChanged, this, &Transport::endCycle);
    connect(&workspace_, &Workspace::jobChanged, this, [this] {
        showFrame();
        showRate();
    });
    timer_.setTimerType(Qt::PreciseTimer);
}

void Transport::fillEyes() {
    QMenu* menu = eye_->menu();
    menu->clear();
    menu->addAction(tr("Free eye"), this, [this] { viewport_.setCamera(std::nullopt); });
    for (const ItemView& item : workspace_.items())
        if (item.nodeKind == NodeKind::Camera)
            menu->addAction(QStringLiteral("%1 · %2").arg(QString::fromStdString(item.name),
                                                          QString::fromStdString(item.source->name)),
                            this, [this, key = item.key] { viewport_.setCamera(key); });
}

void Transport::showEye() {
    const auto& items = workspace_.items();
    eye_->setVisible(
        std::any_of(items.begin(), items.end(), [](const ItemView& i) { return i.nodeKind == NodeKind::Camera; }));
    const ItemView* camera = viewport_.camera() ? workspace_.item(*viewport_.camera()) : nullptr;
    const QString words = camera ? tr("eye: %1").arg(QString::fromStdString(camera->name)) : tr("free eye");
    eye_->setText(eye_->fontMetrics().elidedText(words, Qt::ElideMiddle, eye_->width() - 16));
}

// What is said elsewhere too gives way where there is little room.
void Transport::resizeEvent(QResizeEvent* event) {
    QWidget::resizeEvent(event);
    const int width = event->size().width();
    eye_->setFixedWidth(width >= 640 ? 112 : 76);
    showEye();
    mode_->setVisible(width >= 740);
    reading_->setVisible(width >= 640);
    hold_->setText(width >= 860 ? tr("hold this pose") : tr("hold"));
}

// A seam is where a cycle ends: it takes an item that moves.
void Transport::showSeam() {
    const ItemView* active = workspace_.activeItem();
    const bool any = active && active->range && active->range->count() >= 4;
    seam_->setEnabled(any);
    if (!any)
        seam_->setChecked(false);
}

std::optional<Transport::Around> Transport::around() const {
    constexpr double kFrames = 12.0; // on both sides of the seam of an item
    constexpr double kSeconds = 2.0; // of a cycle that is chosen
    FrameRange cycle;
    FrameRate rate;
    double reach = kFrames;
    if (cycle_) {
        rate = cycle_->rate;
        cycle = {cycle_->start, cycle_->start + (viewport_.asItCame() ? cycle_->cutCount : cycle_->closedCount) - 1.0};
        reach = std::round(kSeconds * rate.value());
    } else if (const ItemView* active = workspace_.activeItem(); seam_->isChecked() && active && active->range) {
        rate = active->scene->view.rate;
        cycle = *active->range;
    } else {
        return std::nullopt;
    }
    const double board = workspace_.rate().value() / rate.value();
    const double before = std::min(reach, std::floor(cycle.count() / 2.0));
    const double after = std::min(reach, std::ceil(cycle.count() / 2.0));
    Around played{{}, rate.value()};
    for (double frame = cycle.last - before + 1.0; frame <= cycle.last; frame += 1.0)
        played.frames.push_back(snappedFrame(frame * board));
    for (double frame = cycle.first; frame < cycle.first + after; frame += 1.0)
        played.frames.push_back(snappedFrame(frame * board));
    return played;
}

void Transport::playCycle(CyclePreview cycle) {
    const bool anew = !cycle_ || !playing();
    const double last = cycle.start + cycle.closedCount - 1.0;
    cycle_ = std::move(cycle);
    viewport_.setPreview(cycle_->items, tr("cycle %1 – %2, its seam in the middle (C held: as it is now)")
                                            .arg(QString::fromStdString(frameText(cycle_->start)),
                                                 QString::fromStdString(frameText(last))));
    if (anew) {
        stopTimer();
        start();
    }
}

void Transport::endCycle() {
    if (!cycle_)
        return;
    stop();
}

void Transport::holdAsItCame(bool on) {
    viewport_.setAsItCame(on);
}

void Transport::showFrame() {
    if (!frame_->hasFocus() || playing())
        frame_->setText(workspace_.timeWords(workspace_.frame()));
    const double origin = workspace_.timeOrigin();
    const bool frames = workspace_.timeReading() == TimeReading::Frames;
    const QString other =
        frames ? QString::fromStdString(timeText(workspace_.frame(), TimeReading::Seconds, workspace_.rate(), origin))
               : tr("fr %1").arg(QString::fromStdString(frameText(workspace_.frame())));
    reading_->setText(other + QStringLiteral(" ▾"));
}

void Transport::showRate() {
    const QString rate = QString::fromStdString(workspace_.rate().shortText());
    if (!playing()) {
        mode_->setText(everyFrame_ ? tr("every frame") : tr("real time"));
        mode_->setStyleSheet({});
        return;
    }
    const double seconds = static_cast<double>(measured_.elapsed()) / 1000.0;
    if (seconds < 0.4)
        return;
    const int drawn = viewport_.paintedFrames() - drawnBefore_;
    const double shown = std::min(drawn / seconds, everyFrame_ ? 1e9 : workspace_.rate().value());
    const double wanted = workspace_.rate().value();
    mode_->setText(everyFrame_ ? tr("every frame · %1 fps").arg(shown, 0, 'f', 1)
                               : tr("%1 of %2 fps").arg(shown, 0, 'f', 1).arg(rate));
    mode_->setStyleSheet(!everyFrame_ && shown < wanted * 0.93
                             ? QStringLiteral("color: %1;").arg(colour::kStraw.name()) // some are not drawn
                             : QString());
    drawnBefore_ = viewport_.paintedFrames();
    measured_.restart();
}

void Transport::togglePlay() {
    if (playing())
        stop();
    else
        start();
}

void Transport::start() {
    const FrameRange range = workspace_.playRange();
    startFrame_ = workspace_.frame();
    asked_ = -1;
    if (startFrame_ >= range.last || startFrame_ < range.first)
        startFrame_ = range.first;
    clock_.start();
    measured_.start();
    drawnBefore_ = viewport_.paintedFrames();
    timer_.start(everyFrame_ ? 1 : std::max(1, static_cast<int>(500.0 / workspace_.rate().value())));
    play_->setIcon(markIcon(Mark::Pause, colour::kGlass));
}

void Transport::stopTimer() {
    timer_.stop();
    play_->setIcon(markIcon(Mark::Play, colour::kGlass));
    showRate();
}

// What is shown at rest is what there is.
void Transport::stop() {
    stopTimer();
    if (!cycle_)
        return;
    cycle_.reset();
    viewport_.setPreview({}, {});
    emit cycleEnded();
}

void Transport::tick() {
    const FrameRange range = workspace_.playRange();
    double frame = 0.0;
    if (const auto seam = around(); seam && !seam->frames.empty()) {
        if (everyFrame_ && viewport_.loading())
            return;
        const double passed = everyFrame_ ? static_cast<double>(++asked_)
                                          : static_cast<double>(clock_.nsecsElapsed()) * 1e-9 * seam->rate;
        const auto count = static_cast<double>(seam->frames.size());
        workspace_.setFrame(seam->frames[static_cast<std::size_t>(std::fmod(passed, count))]);
        if (measured_.elapsed() > 700)
            showRate();
        return;
    }
    if (everyFrame_) {
        if (viewport_.loading()) // not before the last one was shown
            return;
        frame = workspace_.frame() + 1.0;
        if (frame > range.last && loop_->isChecked())
            frame = range.first;
    } else {
        frame = std::floor(startFrame_ + static_cast<double>(clock_.nsecsElapsed()) * 1e-9 * workspace_.rate().value());
        if (frame > range.last && loop_->isChecked())
            frame = range.first + std::fmod(frame - range.first, range.count());
    }
    if (frame > range.last) {
        workspace_.setFrame(range.last);
        stop();
        return;
    }
    workspace_.setFrame(frame);
    if (measured_.elapsed() > 700)
        showRate();
}

void Transport::stepBy(int frames) {
    if (playing())
        stop();
    workspace_.setFrame(std::round(workspace_.frame()) + frames);
}

void Transport::toStart() {
    if (playing())
        stop();
    workspace_.setFrame(workspace_.playRange().first);
}

void Transport::toEnd() {
    if (playing())
        stop();
    workspace_.setFrame(workspace_.playRange().last);
}

void Transport::toggleHold() {
    hold_->click();
}

} // namespace wyc::app
