// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// The time board: all items' samples, motion, ranges and faults against one ruler.
#include <map>
#include <optional>
#include <set>
#include <vector>

#include <QPixmap>
#include <QWidget>

#include "shell/workspace.h"

class QLineEdit;
class QScrollBar;
class QToolButton;

namespace wyc::app {

class TimeBoard : public QWidget {
    Q_OBJECT
  public:
    explicit TimeBoard(Workspace& workspace, QWidget* parent = nullptr);

    /// Shows a frame range over the whole width.
    void showFrames(FrameRange range);
    /// Lets go of a lane that is being dragged, as if nothing had been; false when none is.
    bool cancelDrag();
    void showAll();
    /// Where the chosen items move, over the whole width.
    void showChosen();
    /// Lanes of two heights: many at a glance, or curves to be read.
    void setHighLanes(bool high);
    [[nodiscard]] bool highLanes() const { return rowHeight_ == kHigh; }
    /// Frames that lie in the widget's width.
    [[nodiscard]] FrameRange shownFrames() const { return view_; }
    /// The strip of the whole length, and the part of it that is shown.
    [[nodiscard]] QRect stripRect() const { return {headWidth_, kTicks, width() - headWidth_, kStrip}; }
    [[nodiscard]] QRectF windowInStrip() const;
    [[nodiscard]] double xOfFrame(double frame) const;
    [[nodiscard]] double frameOfX(double x) const;
    /// Where an item's lane lies in the widget; empty when it is scrolled away or folded.
    [[nodiscard]] QRect laneRect(const ItemKey& key) const;
    [[nodiscard]] int headWidth() const { return headWidth_; }
    void setHeadWidth(int width);
    /// As it was set by hand; 0 where it goes by the board's width.
    [[nodiscard]] int chosenHeadWidth() const { return headChosen_ ? headWidth_ : 0; }
    /// The next item above (−1) or below (1) the active one that has a row; nothing at the ends.
    [[nodiscard]] std::optional<ItemKey> itemBeside(int by) const;
    /// Gives the keys to the find field.
    void find();
    [[nodiscard]] QSize minimumSizeHint() const override { return {480, 110}; }
    [[nodiscard]] QSize sizeHint() const override { return {1280, 300}; }

    /// The item whose head or lane is there.
    [[nodiscard]] std::optional<ItemKey> itemAt(const QPoint& at) const;

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;
    bool event(QEvent* event) override;
    void leaveEvent(QEvent* event) override;

  private:
    static constexpr int kTicks = 30; // the ruler's numbers; below them the strip of all that there is
    static constexpr int kStrip = 9;
    static constexpr int kRulerHeight = kTicks + kStrip;
    static constexpr int kLow = 23; // rows
    static constexpr int kHigh = 50;

    enum class RowKind { Source, Group, Item };
    struct Row {
        RowKind kind;
        SourceId source;
        ItemKey item;          // Item rows: the item; Group rows: the transform
        int depth = 0;         // below its source
        QString name;          // Group rows
        QString above;         // parents without a row of their own, "a / b / "
        std::size_t below = 0; // Group rows: items below
    };
    enum class Grab { None, Scrub, Pan, Window, Head, MoveLane, TrimStart, TrimEnd };

    void rebuildRows();
    void addRows(const SourceView& source);
    [[nodiscard]] bool isFound(const ItemView& item) const;
    void noteFindings();
    void paintWorst(QPainter& painter, const Row& row, const QRect& rect, int right);
    void placeHead();
    void chooseInHead(const ItemKey& key, Qt::KeyboardModifiers modifiers);
    [[nodiscard]] static std::string foldKey(const Row& row);
    void makeChooser();
    void updateScroll();
    void scrollToActive();
    [[nodiscard]] int rowTop(std::size_t row) const;
    [[nodiscard]] std::optional<std::size_t> rowAt(int y) const;
    [[nodiscard]] bool isHeadEdge(const QPoint& at) const;
    [[nodiscard]] Grab grabAt(const QPoint& at, const ItemView* item) const;
    [[nodiscard]] const ItemFinding* findingAt(const QPoint& at) const;
    [[nodiscard]] bool isDragged(const ItemKey& key) const;
    [[nodiscard]] FrameRange shownRange(const ItemView& item) const; // while dragging: as it would be
    void redraw();
    void movePlayHead();
    void paintLanes(QPainter& painter);
    void paintPlayHead(QPainter& painter);
    void paintRuler(QPainter& painter);
    void paintStrip(QPainter& painter);
    void paintWindow(QPainter& painter);
    void measureWhole();
    [[nodiscard]] double xInStrip(double frame) const;
    void paintHead(QPainter& painter, const Row& row, const QRect& rect);
    void paintSourceLane(QPainter& painter, const Row& row, const QRect& rect);
    void paintGroupHead(QPainter& painter, const Row& row, const QRect& rect);
    void paintGroupLane(QPainter& painter, const Row& row, const QRect& rect);
    void paintWithoutSpeed(QPainter& painter, const ItemView& item, const QRect& rect);
    [[nodiscard]] QPainterPath speedCurve(const MotionProfile& profile, const std::vector<double>& frames,
                                          const std::vector<std::size_t>& gaps, const FrameRange& shown,
                                          double floor) const;
    void paintSamples(QPainter& painter, const std::vector<double>& frames, const std::vector<double>& own,
                      const FrameRange& shown, const QRect& rect, const QColor& fill);
    void paintGhost(QPainter& painter, const ItemView& item, const QRect& rect);
    void paintRate(QPainter& painter, const ItemView& item, const QRect& rect, const FrameRange& shown);
    [[nodiscard]] double xOfFinding(const ItemFinding& found, const ItemView& item, double shift) const;
    void paintItemLane(QPainter& painter, const Row& row, const QRect& rect);
    void paintBands(QPainter& painter, const QRect& area);
    void paintGap(QPainter& painter, double before, double after, const QRect& rect);
    void paintStretches(QPainter& painter, const ItemView& item, const QRect& rect, double shift);
    void paintHeld(QPainter& painter, const ItemView& item, const QRect& rect, double shift);
    void paintTags(QPainter& painter, const QRect& rect, const FrameRange& shown);
    void paintNotches(QPainter& painter, const ItemView& item, const QRect& rect, double shift);
    void paintGrip(QPainter& painter, const QRect& rect, const FrameRange& shown);
    void hover(const ItemKey& key, Grab grip);
    void commitDrag();
    void endDrag();
    [[nodiscard]] QColor colourOf(const ItemView& item) const;
    [[nodiscard]] QColor markColour(Severity severity) const;

    Workspace& workspace_;
    QPixmap lanes_; // all but ruler and play head; null: to be drawn anew
    double playHeadX_ = 0.0;
    QScrollBar* scroll_;
    QToolButton* chooser_ = nullptr;
    QLineEdit* find_ = nullptr;
    int headWidth_ = 318;
    int rowHeight_ = kLow;
    FrameRange whole_{0, 1};  // of the strip: from the first frame of anything to the last
    bool headChosen_ = false; // by hand; else it goes by the board's width
    std::vector<Row> rows_;
    std::set<std::string> folded_;
    std::map<std::string, Severity> worst_; // below a source or group, by its fold key
    std::map<ItemKey, QString> said_;       // of items, by their findings: to be found by
    FrameRange view_{1, 100};
    bool viewChosen_ = false;
    std::size_t fittedFor_ = 0;
    Grab grab_ = Grab::None;
    ItemKey grabbed_;
    ItemKey hovered_; // whose end is under the pointer
    Grab hoveredGrip_ = Grab::None;
    QPoint pressedAt_;
    double pressedFrame_ = 0.0;
    double dragFrames_ = 0.0;
    FrameRange pressedView_;
    FrameRange pressedRange_;
    FrameRange limits_; // of a trim: what its step can give
};

} // namespace wyc::app
