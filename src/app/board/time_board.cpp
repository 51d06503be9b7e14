// SPDX-License-Identifier: GPL-3.0-or-later
#include "board/time_board.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <unordered_map>

#include <QContextMenuEvent>
#include <QHelpEvent>
#include <QLineEdit>
#include <QMenu>
#include <QMouseEvent>
#include <QScrollBar>
#include <QToolButton>
#include <QToolTip>
#include <QWidgetAction>

#include "base/text.h"
#include "theme/theme.h"

namespace wyc::app {
namespace {

std::set<ItemKey> keysOf(const std::vector<ItemKey>& keys) {
    return {keys.begin(), keys.end()};
}

} // namespace

TimeBoard::TimeBoard(Workspace& workspace, QWidget* parent)
    : QWidget(parent), workspace_(workspace), scroll_(new QScrollBar(Qt::Vertical, this)) {
    setObjectName(QStringLiteral("timeBoard"));
    setMouseTracking(true);
    setFocusPolicy(Qt::ClickFocus);
    connect(scroll_, &QScrollBar::valueChanged, this, [this] { update(); });
    connect(&workspace_, &Workspace::itemsChanged, this, [this] {
        rebuildRows();
        // Fitted when something was opened; an edit never moves the ruler under the eye.
        if (!viewChosen_ && workspace_.items().size() != fittedFor_) {
            fittedFor_ = workspace_.items().size();
            showAll();
        }
        update();
    });
    connect(&workspace_, &Workspace::jobChanged, this, [this] {
        if (workspace_.job().sources.empty())
            viewChosen_ = false;
        rebuildRows();
        update();
    });
    connect(&workspace_, &Workspace::findingsChanged, this, [this] {
        noteFindings();
        if (!find_->text().trimmed().isEmpty())
            rebuildRows();
        update();
    });
    for (auto signal : {&Workspace::measuresChanged, &Workspace::frameChanged})
        connect(&workspace_, signal, this, qOverload<>(&QWidget::update));
    connect(&workspace_, &Workspace::activeChanged, this, [this] {
        for (std::size_t i = 0; i < rows_.size(); ++i) {
            if (rows_[i].kind != RowKind::Item || rows_[i].item != workspace_.active())
                continue;
            // Scrolled up to, an item brings the name of its source along.
            const std::size_t head = i > 0 && rows_[i - 1].kind == RowKind::Source ? i - 1 : i;
            const int top = static_cast<int>(head) * kRowHeight;
            const int page = height() - kRulerHeight;
            if (top < scroll_->value())
                scroll_->setValue(top);
            else if (const int bottom = static_cast<int>(i + 1) * kRowHeight; bottom > scroll_->value() + page)
                scroll_->setValue(bottom + 3 - page);
        }
        update();
    });
    makeChooser();
    find_ = new QLineEdit(this);
    find_->setObjectName(QStringLiteral("boardFind"));
    find_->setProperty("clears", true);
    find_->setClearButtonEnabled(true);
    find_->setToolTip(tr("Shows only items that have these words in name, path, source, kind, state or findings: "
                         "jelly, camera, hidden, fault (Ctrl+F)"));
    connect(find_, &QLineEdit::textChanged, this, [this] {
        scroll_->setValue(0);
        rebuildRows();
        update();
    });
    placeHead();
    rebuildRows();
}

void TimeBoard::find() {
    find_->setFocus(Qt::ShortcutFocusReason);
    find_->selectAll();
}

bool TimeBoard::isFound(const ItemView& item) const {
    QString all = QString::fromStdString(item.source->name + item.key.path + " " + item.kind);
    if (item.hidden)
        all += tr(" hidden");
    if (item.leftOut)
        all += tr(" left out");
    if (const auto said = said_.find(item.key); said != said_.end())
        all += said->second;
    const QStringList words = find_->text().split(QLatin1Char(' '), Qt::SkipEmptyParts);
    return std::all_of(words.begin(), words.end(),
                       [&](const QString& word) { return all.contains(word, Qt::CaseInsensitive); });
}

void TimeBoard::noteFindings() {
    worst_.clear();
    said_.clear();
    for (const ItemFinding& found : workspace_.findings()) {
        const Severity severity = found.finding.severity;
        if (severity == Severity::Note)
            continue;
        said_[found.key] += QStringLiteral(" %1 %2").arg(severity == Severity::Fault ? tr("fault") : tr("caution"),
                                                         QString::fromStdString(found.finding.id));
        // The source, and every group above the item.
        std::string key = std::to_string(found.key.source.value);
        for (std::size_t at = 0;;) {
            Severity& worst = worst_.try_emplace(key, severity).first->second;
            worst = std::max(worst, severity);
            at = found.key.path.find('/', at + 1);
            if (at == std::string::npos)
                break;
            key = std::to_string(found.key.source.value) + found.key.path.substr(0, at);
        }
    }
}

void TimeBoard::setHeadWidth(int width) {
    headWidth_ = std::clamp(width, 170, std::max(170, this->width() * 3 / 5));
    headChosen_ = true;
    placeHead();
    update();
}

void TimeBoard::placeHead() {
    if (!headChosen_)
        headWidth_ = width() < 1150 ? 236 : 318;
    const bool titled = headWidth_ >= 300;
    const int left = titled ? 84 : 6;
    chooser_->setGeometry(left, 4, 72, kRulerHeight - 8);
    find_->setGeometry(left + 76, 4, headWidth_ - left - 76 - 6, kRulerHeight - 8);
}

std::optional<ItemKey> TimeBoard::itemBeside(int by) const {
    std::set<ItemKey> shown;
    for (const Row& row : rows_)
        if (row.kind == RowKind::Item)
            shown.insert(row.item);
    const auto& items = workspace_.items();
    const auto active =
        std::find_if(items.begin(), items.end(), [this](const ItemView& i) { return i.key == workspace_.active(); });
    for (auto at = active - items.begin() + by; at >= 0 && at < static_cast<std::ptrdiff_t>(items.size()); at += by)
        if (const ItemKey& key = items[static_cast<std::size_t>(at)].key; shown.contains(key))
            return key;
    return std::nullopt;
}

// Ctrl takes one more in or lets it go, Shift takes all up to here.
void TimeBoard::chooseInHead(const ItemKey& key, Qt::KeyboardModifiers modifiers) {
    std::set<ItemKey> chosen = keysOf(workspace_.chosen());
    if (modifiers & Qt::ControlModifier) {
        if (!chosen.contains(key)) {
            chosen.insert(key);
            workspace_.setChosen(chosen, key);
        } else if (chosen.size() > 1) {
            chosen.erase(key);
            workspace_.setChosen(chosen, key == workspace_.active() ? *chosen.begin() : workspace_.active());
        }
    } else if (modifiers & Qt::ShiftModifier) {
        const auto rowOf = [&](const ItemKey& item) {
            return std::find_if(rows_.begin(), rows_.end(),
                                [&](const Row& row) { return row.kind == RowKind::Item && row.item == item; });
        };
        auto from = rowOf(workspace_.active());
        auto to = rowOf(key);
        if (from == rows_.end() || to == rows_.end())
            return;
        if (to < from)
            std::swap(from, to);
        chosen.clear();
        for (auto row = from; row <= to; ++row)
            if (row->kind == RowKind::Item)
                chosen.insert(row->item);
        workspace_.setChosen(chosen, workspace_.active());
    } else {
        workspace_.setActive(ItemKey(key));
    }
}

// Quick choosing: what does not fit is left out, in one edit that can be undone.
void TimeBoard::makeChooser() {
    chooser_ = new QToolButton(this);
    chooser_->setObjectName(QStringLiteral("chooser"));
    chooser_->setText(tr("Choose ▾"));
    chooser_->setToolTip(tr("Take in only some of the items; the others are left out"));
    chooser_->setPopupMode(QToolButton::InstantPopup);
    auto* menu = new QMenu(chooser_);
    const auto add = [&](const QString& name, const QString& text, bool (*fits)(const ItemView&)) {
        QAction* action = menu->addAction(text, this, [this, text, fits] { workspace_.choose(fits, text); });
        action->setObjectName(name);
    };
    add(QStringLiteral("chooseAll"), tr("Everything"), [](const ItemView&) { return true; });
    add(QStringLiteral("chooseSeen"), tr("Only what is seen"), [](const ItemView& i) { return !i.hidden; });
    add(QStringLiteral("chooseMoving"), tr("Only what moves"),
        [](const ItemView& i) { return i.profile && i.profile->moves(); });
    add(QStringLiteral("chooseShapes"), tr("Only shapes: no cameras, lights, helpers"),
        [](const ItemView& i) { return i.is().points; });
    menu->addSeparator();
    auto* pattern = new QLineEdit(menu);
    pattern->setObjectName(QStringLiteral("choosePattern"));
    pattern->setPlaceholderText(tr("by name: *bell* or !*rope*"));
    pattern->setToolTip(tr("Patterns over names and paths, parted by blanks; ! leaves out"));
    pattern->setMinimumWidth(210);
    auto* action = new QWidgetAction(menu);
    action->setDefaultWidget(pattern);
    menu->addAction(action);
    connect(pattern, &QLineEdit::returnPressed, this, [this, menu, pattern] {
        std::vector<std::string> words;
        for (const QString& word : pattern->text().split(QLatin1Char(' '), Qt::SkipEmptyParts))
            words.push_back(word.toStdString());
        menu->close();
        if (words.empty())
            return;
        workspace_.choose(
            [words](const ItemView& item) {
                return chosenBy(words, {item.name, item.key.path, item.source->name + item.key.path});
            },
            tr("Choose “%1”").arg(pattern->text()));
    });
    chooser_->setMenu(menu);
}

std::string TimeBoard::foldKey(const Row& row) {
    return std::to_string(row.source.value) + (row.kind == RowKind::Group ? row.item.path : std::string());
}

void TimeBoard::addRows(const SourceView& source) {
    if (!source.source)
        return;
    const Scene& scene = source.source->shown();
    std::unordered_map<std::string_view, const ItemView*> items;
    for (const ItemView& item : workspace_.items())
        if (item.key.source == source.id && isFound(item))
            items.emplace(item.key.path, &item);
    std::vector<std::vector<std::size_t>> children(scene.nodes.size() + 1);
    std::vector<std::size_t> below(scene.nodes.size(), 0);
    for (std::size_t i = scene.nodes.size(); i-- > 0;) {
        if (items.contains(scene.nodes[i].path))
            ++below[i];
        if (const int parent = scene.nodes[i].parent; parent >= 0)
            below[static_cast<std::size_t>(parent)] += below[i];
    }
    for (std::size_t i = 0; i < scene.nodes.size(); ++i)
        if (below[i] > 0)
            children[static_cast<std::size_t>(scene.nodes[i].parent + 1)].push_back(i);
    const std::function<void(std::size_t, int, const QString&)> add = [&](std::size_t n, int depth,
                                                                          const QString& above) {
        const Node& node = scene.nodes[n];
        const QString name = QString::fromStdString(node.name);
        const auto& inner = children[n + 1];
        if (items.contains(node.path)) {
            rows_.push_back({RowKind::Item, source.id, {source.id, node.path}, depth, name, above, 0});
            for (const std::size_t child : inner)
                add(child, depth + 1, {});
            return;
        }
        if (inner.size() == 1) { // a chain: no row of its own
            add(inner.front(), depth, above + name + QStringLiteral(" / "));
            return;
        }
        rows_.push_back({RowKind::Group, source.id, {source.id, node.path}, depth, name, above, below[n]});
        if (!find_->text().trimmed().isEmpty() || !folded_.contains(foldKey(rows_.back())))
            for (const std::size_t child : inner)
                add(child, depth + 1, {});
    };
    for (const std::size_t top : children[0])
        add(top, 0, {});
}

void TimeBoard::rebuildRows() {
    rows_.clear();
    const std::size_t count = workspace_.items().size();
    find_->setPlaceholderText(count == 1 ? tr("find in 1 item") : tr("find in %1 items").arg(count));
    const bool all = find_->text().trimmed().isEmpty();
    for (const SourceView& source : workspace_.sources()) {
        rows_.push_back({RowKind::Source, source.id, {}, 0, {}, {}, 0});
        if (!all || !folded_.contains(foldKey(rows_.back())))
            addRows(source);
        if (!all && rows_.back().kind == RowKind::Source)
            rows_.pop_back(); // nothing of it was found
    }
    updateScroll();
}

void TimeBoard::updateScroll() {
    const int content = static_cast<int>(rows_.size()) * kRowHeight + 6;
    const int page = std::max(1, height() - kRulerHeight);
    scroll_->setGeometry(width() - 10, kRulerHeight, 10, page);
    scroll_->setPageStep(page);
    scroll_->setSingleStep(kRowHeight);
    scroll_->setRange(0, std::max(0, content - page));
    scroll_->setVisible(content > page);
}

void TimeBoard::resizeEvent(QResizeEvent*) {
    placeHead();
    updateScroll();
}

void TimeBoard::showFrames(FrameRange range) {
    if (range.last - range.first < 4.0)
        range = {range.first - 2.0, range.last + 2.0};
    view_ = range;
    viewChosen_ = true;
    update();
}

void TimeBoard::showAll() {
    FrameRange all = workspace_.playRange();
    for (const ItemView& item : workspace_.items())
        if (const auto range = item.range();
            range && range->last - all.last < 4.0 * all.count() && all.first - range->first < 4.0 * all.count())
            all = {std::min(all.first, range->first), std::max(all.last, range->last)};
    const double margin = std::max(2.0, all.count() * 0.06);
    view_ = {all.first - margin, all.last + margin};
    update();
}

double TimeBoard::xOfFrame(double frame) const {
    return headWidth_ + (frame - view_.first) / (view_.last - view_.first) * (width() - headWidth_);
}

double TimeBoard::frameOfX(double x) const {
    return view_.first + (x - headWidth_) / std::max(1, width() - headWidth_) * (view_.last - view_.first);
}

int TimeBoard::rowTop(std::size_t row) const {
    return kRulerHeight + 3 + static_cast<int>(row) * kRowHeight - scroll_->value();
}

std::optional<std::size_t> TimeBoard::rowAt(int y) const {
    if (y < kRulerHeight)
        return std::nullopt;
    const int index = (y - kRulerHeight - 3 + scroll_->value()) / kRowHeight;
    return index >= 0 && static_cast<std::size_t>(index) < rows_.size() ? std::optional(static_cast<std::size_t>(index))
                                                                        : std::nullopt;
}

std::optional<ItemKey> TimeBoard::itemAt(const QPoint& at) const {
    const auto row = rowAt(at.y());
    return row && rows_[*row].kind == RowKind::Item ? std::optional(rows_[*row].item) : std::nullopt;
}

bool TimeBoard::isHeadEdge(const QPoint& at) const {
    return std::abs(at.x() - headWidth_) <= 3 && at.y() >= kRulerHeight;
}

QRect TimeBoard::laneRect(const ItemKey& key) const {
    for (std::size_t i = 0; i < rows_.size(); ++i) {
        if (rows_[i].kind != RowKind::Item || rows_[i].item != key)
            continue;
        const QRect rect(headWidth_, rowTop(i), width() - headWidth_, kRowHeight);
        return rect.intersects(QRect(0, kRulerHeight, width(), height())) ? rect : QRect();
    }
    return {};
}

FrameRange TimeBoard::shownRange(const ItemView& item) const {
    const auto range = item.range();
    FrameRange result = range.value_or(FrameRange{0, 0});
    if (range && grab_ == Grab::MoveLane && isDragged(item.key)) {
        result = {result.first + dragFrames_, result.last + dragFrames_};
    } else if (range && grabbed_ == item.key) {
        if (grab_ == Grab::TrimStart)
            result.first = std::clamp(result.first + dragFrames_, limits_.first, result.last);
        else if (grab_ == Grab::TrimEnd)
            result.last = std::clamp(result.last + dragFrames_, result.first, limits_.last);
    }
    return result;
}

// A lane that is dragged takes those that are chosen with it along.
bool TimeBoard::isDragged(const ItemKey& key) const {
    return key == grabbed_ || (workspace_.isChosen(grabbed_) && workspace_.isChosen(key));
}

const ItemFinding* TimeBoard::findingAt(const QPoint& at) const {
    const auto row = rowAt(at.y());
    if (!row || rows_[*row].kind != RowKind::Item || at.x() < headWidth_)
        return nullptr;
    const ItemView* item = workspace_.item(rows_[*row].item);
    if (!item || at.y() - rowTop(*row) > 11)
        return nullptr;
    for (const ItemFinding& found : workspace_.findings()) {
        if (found.key != item->key || found.finding.severity == Severity::Note)
            continue;
        const auto range = item->range();
        if (!found.finding.frame && !range)
            continue;
        const double x = found.finding.frame ? xOfFrame(*found.finding.frame)
                                             : std::max(headWidth_ + 7.0, xOfFrame(range->first) - 9.0);
        if (std::abs(x - at.x()) < 6.0)
            return &found;
    }
    return nullptr;
}

TimeBoard::Grab TimeBoard::grabAt(const QPoint& at, const ItemView* item) const {
    if (!item || !item->range() || item->error)
        return Grab::Scrub;
    const FrameRange range = *item->range();
    const double first = xOfFrame(range.first);
    const double last = xOfFrame(range.last);
    if (std::abs(at.x() - first) < 6.0 && last - first > 24.0)
        return Grab::TrimStart;
    if (std::abs(at.x() - last) < 6.0 && last - first > 24.0)
        return Grab::TrimEnd;
    return at.x() > first && at.x() < last ? Grab::MoveLane : Grab::Scrub;
}

void TimeBoard::mousePressEvent(QMouseEvent* event) {
    pressedAt_ = event->position().toPoint();
    pressedFrame_ = frameOfX(event->position().x());
    pressedView_ = view_;
    dragFrames_ = 0.0;
    grab_ = Grab::None;
    grabbed_ = {};
    if (event->button() == Qt::MiddleButton) {
        grab_ = Grab::Pan;
        return;
    }
    if (event->button() != Qt::LeftButton)
        return;
    if (isHeadEdge(pressedAt_)) {
        grab_ = Grab::Head;
        return;
    }
    const auto row = rowAt(pressedAt_.y());
    if (pressedAt_.x() < headWidth_) {
        if (!row)
            return;
        if (rows_[*row].kind != RowKind::Item) {
            const std::string key = foldKey(rows_[*row]);
            if (!folded_.erase(key))
                folded_.insert(key);
            rebuildRows();
            update();
        } else {
            chooseInHead(ItemKey(rows_[*row].item), event->modifiers());
        }
        return;
    }
    if (const ItemFinding* found = findingAt(pressedAt_)) {
        const std::optional<double> frame = found->finding.frame;
        workspace_.setActive(ItemKey(found->key));
        if (frame)
            workspace_.setFrame(*frame);
        return;
    }
    const ItemView* item = row && rows_[*row].kind == RowKind::Item ? workspace_.item(rows_[*row].item) : nullptr;
    grab_ = pressedAt_.y() < kRulerHeight ? Grab::Scrub : grabAt(pressedAt_, item);
    if (grab_ == Grab::Scrub) {
        if (item)
            workspace_.setActive(ItemKey(item->key));
        workspace_.setFrame(std::round(pressedFrame_));
        return;
    }
    grabbed_ = item->key;
    pressedRange_ = *item->range();
    // A trim dragged out gives back what it took.
    limits_ = pressedRange_;
    if (grab_ != Grab::MoveLane && !item->steps.empty() && item->steps.back().type == "trim" && item->steps.back().on)
        limits_ = rangeBefore(*item, item->steps.size() - 1).value_or(limits_);
    if (!workspace_.isChosen(grabbed_))
        workspace_.setActive(grabbed_);
    else
        workspace_.setChosen(grab_ == Grab::MoveLane ? keysOf(workspace_.chosen()) : std::set<ItemKey>{}, grabbed_);
}

void TimeBoard::mouseMoveEvent(QMouseEvent* event) {
    const QPoint at = event->position().toPoint();
    if (grab_ == Grab::None) {
        const auto row = rowAt(at.y());
        const ItemView* item = row && rows_[*row].kind == RowKind::Item && at.x() >= headWidth_
                                   ? workspace_.item(rows_[*row].item)
                                   : nullptr;
        const Grab would = at.x() < headWidth_ || at.y() < kRulerHeight ? Grab::None : grabAt(at, item);
        setCursor(isHeadEdge(at)                                       ? Qt::SplitHCursor
                  : findingAt(at)                                      ? Qt::PointingHandCursor
                  : would == Grab::TrimStart || would == Grab::TrimEnd ? Qt::SizeHorCursor
                  : would == Grab::MoveLane                            ? Qt::OpenHandCursor
                                                                       : Qt::ArrowCursor);
        return;
    }
    if (grab_ == Grab::Head) {
        setHeadWidth(at.x());
        return;
    }
    if (grab_ == Grab::Scrub) {
        workspace_.setFrame(std::round(std::clamp(frameOfX(event->position().x()), view_.first, view_.last)));
        return;
    }
    const double moved = (event->position().x() - pressedAt_.x()) / std::max(1, width() - headWidth_) *
                         (pressedView_.last - pressedView_.first);
    if (grab_ == Grab::Pan) {
        view_ = {pressedView_.first - moved, pressedView_.last - moved};
        viewChosen_ = true;
    } else {
        dragFrames_ = std::round(moved);
        setCursor(grab_ == Grab::MoveLane ? Qt::ClosedHandCursor : Qt::SizeHorCursor);
    }
    update();
}

void TimeBoard::mouseReleaseEvent(QMouseEvent* event) {
    const bool moved = (event->position().toPoint() - pressedAt_).manhattanLength() > 3;
    const bool lane = grab_ == Grab::MoveLane || grab_ == Grab::TrimStart || grab_ == Grab::TrimEnd;
    if (grab_ == Grab::MoveLane && !moved) { // a click on a lane goes to that frame
        workspace_.setActive(ItemKey(grabbed_));
        workspace_.setFrame(std::round(pressedFrame_));
    } else if (lane && dragFrames_ != 0.0) {
        commitDrag();
    }
    endDrag();
}

void TimeBoard::endDrag() {
    grab_ = Grab::None;
    grabbed_ = {};
    dragFrames_ = 0.0;
    setCursor(Qt::ArrowCursor);
    update();
}

bool TimeBoard::cancelDrag() {
    if (grab_ != Grab::MoveLane && grab_ != Grab::TrimStart && grab_ != Grab::TrimEnd)
        return false;
    endDrag();
    return true;
}

void TimeBoard::commitDrag() {
    const ItemView* item = workspace_.item(grabbed_);
    if (!item)
        return;
    const QString name = QString::fromStdString(item->name);
    if (grab_ == Grab::MoveLane) {
        const std::vector<ItemKey> keys = workspace_.chosen();
        workspace_.offsetBy(keys, dragFrames_,
                            keys.size() == 1 ? tr("Offset %1").arg(name) : tr("Offset %1 items").arg(keys.size()));
        return;
    }
    std::vector<Step> steps = item->steps;
    const FrameRange shown = shownRange(*item);
    if (!steps.empty() && steps.back().type == "trim" && steps.back().on)
        steps.pop_back();
    if (shown != limits_) // all there is: nothing is trimmed
        steps.push_back({"trim", {{"first", shown.first}, {"last", shown.last}, {"handles", 0.0}}, true});
    workspace_.document().endMerge();
    workspace_.setSteps(ItemKey(grabbed_), steps, tr("Trim %1").arg(name));
}

void TimeBoard::mouseDoubleClickEvent(QMouseEvent* event) {
    const auto row = rowAt(event->position().toPoint().y());
    if (event->position().y() < kRulerHeight) {
        viewChosen_ = false;
        showAll();
        return;
    }
    if (isHeadEdge(event->position().toPoint())) { // as the board would have it
        headChosen_ = false;
        placeHead();
        update();
        return;
    }
    if (!row || rows_[*row].kind != RowKind::Item)
        return;
    if (const ItemView* item = workspace_.item(rows_[*row].item))
        if (const auto range = item->range())
            showFrames(range->widened(std::max(1.0, range->count() * 0.02)));
}

void TimeBoard::wheelEvent(QWheelEvent* event) {
    const double notches = event->angleDelta().y() / 120.0;
    if (event->position().x() < headWidth_ || (event->modifiers() & Qt::ShiftModifier)) {
        scroll_->setValue(scroll_->value() - static_cast<int>(notches * 3 * kRowHeight));
        return;
    }
    const double at = frameOfX(event->position().x());
    const double factor = std::pow(0.82, notches);
    const double span = std::clamp((view_.last - view_.first) * factor, 4.0, 1e7);
    const double share = (at - view_.first) / (view_.last - view_.first);
    view_ = {at - share * span, at - share * span + span};
    viewChosen_ = true;
    update();
    event->accept();
}

void TimeBoard::contextMenuEvent(QContextMenuEvent* event) {
    const auto row = rowAt(event->pos().y());
    if (!row)
        return;
    const Row chosen = rows_[*row];
    QMenu menu(this);
    if (chosen.kind == RowKind::Item) {
        const ItemView* item = workspace_.item(chosen.item);
        const bool leftOut = item && item->leftOut;
        std::vector<ItemKey> keys{chosen.item};
        if (workspace_.isChosen(chosen.item))
            keys = workspace_.chosen();
        const QString which = keys.size() == 1 ? tr("this item") : tr("these %1 items").arg(keys.size());
        menu.addAction(leftOut ? tr("Take %1 in").arg(which) : tr("Leave %1 out").arg(which), this,
                       [this, keys, leftOut] { workspace_.setLeftOut(keys, !leftOut); });
        const bool loops = item && item->loops;
        menu.addAction(loops ? tr("Not meant to loop") : tr("Meant to loop: check its seam"), this,
                       [this, keys, loops] { workspace_.setLoops(keys, !loops); });
        if (keys.size() > 1)
            menu.addAction(tr("Only these %1 items").arg(keys.size()), this, [this, keys = keysOf(keys)] {
                workspace_.choose([keys](const ItemView& one) { return keys.contains(one.key); },
                                  tr("Only %1 items").arg(keys.size()));
            });
        menu.addAction(tr("Show its whole range"), this, [this, chosen] {
            if (const ItemView* it = workspace_.item(chosen.item); it && it->range())
                showFrames(it->range()->widened(2));
        });
        menu.addSeparator();
    }
    if (chosen.kind == RowKind::Group) {
        const auto inGroup = [chosen](const ItemView& item) {
            return item.key.source == chosen.source && item.key.path.starts_with(chosen.item.path + "/");
        };
        menu.addAction(tr("Only this group of the source"), this, [this, chosen, inGroup] {
            workspace_.choose(
                [=](const ItemView& item) { return item.key.source == chosen.source ? inGroup(item) : !item.leftOut; },
                tr("Only %1").arg(chosen.name));
        });
        menu.addAction(tr("Leave this group out"), this, [this, chosen, inGroup] {
            workspace_.choose([=](const ItemView& item) { return !inGroup(item) && !item.leftOut; },
                              tr("Leave out %1").arg(chosen.name));
        });
        menu.addSeparator();
    }
    menu.addAction(tr("Read the source again"), this, [this, chosen] { workspace_.reloadSources({chosen.source}); });
    menu.addAction(tr("Remove the source"), this, [this, chosen] { workspace_.removeSource(chosen.source); });
    menu.exec(event->globalPos());
}

bool TimeBoard::event(QEvent* event) {
    if (event->type() == QEvent::ToolTip) {
        const auto* help = static_cast<QHelpEvent*>(event);
        QString text;
        const auto row = rowAt(help->pos().y());
        if (const ItemFinding* found = findingAt(help->pos()))
            text = QString::fromStdString(found->finding.text);
        else if (row && rows_[*row].kind == RowKind::Source) {
            for (const SourceView& source : workspace_.sources())
                if (source.id == rows_[*row].source)
                    text = source.error ? QString::fromStdString(source.error->text())
                                        : QString::fromStdString(source.spec.path.string());
        } else if (row && help->pos().x() >= headWidth_) {
            if (const ItemView* item = workspace_.item(rows_[*row].item))
                text = tr("Curve: RMS speed of the points. Drag sideways to offset, an end to trim or to give back; "
                          "double-click to fit.%1")
                           .arg(item->error ? QStringLiteral("\n") + QString::fromStdString(item->error->text())
                                            : QString());
        } else if (row && rows_[*row].kind == RowKind::Group) {
            text = QString::fromStdString(rows_[*row].item.path);
        } else if (row) {
            text = QString::fromStdString(workspace_.labelOf(rows_[*row].item));
        }
        if (text.isEmpty())
            QToolTip::hideText();
        else
            QToolTip::showText(help->globalPos(), text, this);
        return true;
    }
    return QWidget::event(event);
}

void TimeBoard::leaveEvent(QEvent*) {
    setCursor(Qt::ArrowCursor);
}

} // namespace wyc::app
