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
#include "theme/words.h"

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
    connect(scroll_, &QScrollBar::valueChanged, this, &TimeBoard::redraw);
    connect(&workspace_, &Workspace::itemsChanged, this, [this] {
        rebuildRows();
        // Fitted when something was opened; an edit never moves the ruler under the eye.
        if (!viewChosen_ && workspace_.items().size() != fittedFor_) {
            fittedFor_ = workspace_.items().size();
            showAll();
        }
        redraw();
    });
    connect(&workspace_, &Workspace::jobChanged, this, [this] {
        if (workspace_.job().sources.empty())
            viewChosen_ = false;
        rebuildRows();
        redraw();
    });
    connect(&workspace_, &Workspace::findingsChanged, this, [this] {
        noteFindings();
        if (!find_->text().trimmed().isEmpty())
            rebuildRows();
        redraw();
    });
    for (auto signal : {&Workspace::measuresChanged, &Workspace::checkedChanged})
        connect(&workspace_, signal, this, &TimeBoard::redraw);
    for (auto signal : {&Workspace::timeReadingChanged, &Workspace::ghostChanged})
        connect(&workspace_, signal, this, &TimeBoard::redraw);
    connect(&workspace_, &Workspace::frameChanged, this, &TimeBoard::movePlayHead);
    connect(&workspace_, &Workspace::activeChanged, this, [this] {
        scrollToActive();
        redraw();
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
        redraw();
    });
    placeHead();
    rebuildRows();
}

void TimeBoard::scrollToActive() {
    for (std::size_t i = 0; i < rows_.size(); ++i) {
        if (rows_[i].kind != RowKind::Item || rows_[i].item != workspace_.active())
            continue;
        // Scrolled up to, an item brings the name of its source along.
        const std::size_t head = i > 0 && rows_[i - 1].kind == RowKind::Source ? i - 1 : i;
        const int top = static_cast<int>(head) * rowHeight_;
        const int page = height() - kRulerHeight;
        if (top < scroll_->value())
            scroll_->setValue(top);
        else if (const int bottom = static_cast<int>(i + 1) * rowHeight_; bottom > scroll_->value() + page)
            scroll_->setValue(bottom + 3 - page);
    }
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
    return hasAllWords(all, find_->text());
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
    redraw();
}

void TimeBoard::placeHead() {
    if (!headChosen_)
        headWidth_ = width() < 1150 ? 236 : 318;
    const bool titled = headWidth_ >= 300;
    const int left = titled ? 84 : 6;
    chooser_->setGeometry(left, 6, 72, kRulerHeight - 12);
    find_->setGeometry(left + 76, 6, headWidth_ - left - 76 - 6, kRulerHeight - 12);
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
    const int content = static_cast<int>(rows_.size()) * rowHeight_ + 6;
    const int page = std::max(1, height() - kRulerHeight);
    scroll_->setGeometry(width() - 10, kRulerHeight, 10, page);
    scroll_->setPageStep(page);
    scroll_->setSingleStep(rowHeight_);
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
    redraw();
}

void TimeBoard::showAll() {
    FrameRange all = workspace_.playRange();
    for (const ItemView& item : workspace_.items())
        if (const auto range = workspace_.boardRange(item);
            range && range->last - all.last < 4.0 * all.count() && all.first - range->first < 4.0 * all.count())
            all = {std::min(all.first, range->first), std::max(all.last, range->last)};
    const double margin = std::max(2.0, all.count() * 0.06);
    view_ = {all.first - margin, all.last + margin};
    redraw();
}

void TimeBoard::showChosen() {
    std::optional<FrameRange> all;
    for (const ItemKey& key : workspace_.chosen())
        if (const ItemView* item = workspace_.item(key))
            if (const auto range = workspace_.boardRange(*item))
                all = all ? FrameRange{std::min(all->first, range->first), std::max(all->last, range->last)} : range;
    if (all)
        showFrames(all->widened(std::max(1.0, all->count() * 0.02)));
}

void TimeBoard::setHighLanes(bool high) {
    rowHeight_ = high ? kHigh : kLow;
    updateScroll();
    scrollToActive();
    redraw();
}

void TimeBoard::measureWhole() {
    FrameRange all = workspace_.playRange();
    for (const ItemView& item : workspace_.items())
        if (const auto range = workspace_.boardRange(item))
            all = {std::min(all.first, range->first), std::max(all.last, range->last)};
    whole_ = all.widened(std::max(1.0, all.count() * 0.01));
}

double TimeBoard::xInStrip(double frame) const {
    return headWidth_ + (frame - whole_.first) / (whole_.last - whole_.first) * (width() - headWidth_);
}

QRectF TimeBoard::windowInStrip() const {
    constexpr double kLeast = 16.0; // pixels, to be taken hold of
    double left = std::max<double>(headWidth_, xInStrip(view_.first));
    double right = std::min<double>(width(), xInStrip(view_.last));
    if (right - left < kLeast) {
        const double middle = std::clamp((left + right) / 2.0, headWidth_ + kLeast / 2.0, width() - kLeast / 2.0);
        left = middle - kLeast / 2.0;
        right = middle + kLeast / 2.0;
    }
    return {left, kTicks + 1.0, right - left, kStrip - 2.0};
}

double TimeBoard::xOfFrame(double frame) const {
    return headWidth_ + (frame - view_.first) / (view_.last - view_.first) * (width() - headWidth_);
}

double TimeBoard::frameOfX(double x) const {
    return view_.first + (x - headWidth_) / std::max(1, width() - headWidth_) * (view_.last - view_.first);
}

int TimeBoard::rowTop(std::size_t row) const {
    return kRulerHeight + 3 + static_cast<int>(row) * rowHeight_ - scroll_->value();
}

std::optional<std::size_t> TimeBoard::rowAt(int y) const {
    if (y < kRulerHeight)
        return std::nullopt;
    const int index = (y - kRulerHeight - 3 + scroll_->value()) / rowHeight_;
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
        const QRect rect(headWidth_, rowTop(i), width() - headWidth_, rowHeight_);
        return rect.intersects(QRect(0, kRulerHeight, width(), height())) ? rect : QRect();
    }
    return {};
}

FrameRange TimeBoard::shownRange(const ItemView& item) const {
    const auto range = workspace_.boardRange(item);
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

} // namespace wyc::app
