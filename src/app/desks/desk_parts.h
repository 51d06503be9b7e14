// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Small parts that the desks share.
#include <QFrame>
#include <QLabel>
#include <QWidget>

#include "shell/workspace.h"

class QAbstractButton;
class QScrollArea;
class QVBoxLayout;

namespace wyc::app {

[[nodiscard]] QLabel* titleLabel(const QString& text, QWidget* parent);
[[nodiscard]] QLabel* smallLabel(const QString& text, QWidget* parent);
/// UTF-8 of the core as a text of Qt.
[[nodiscard]] QString text(std::string_view words);
/// A card with a coloured edge on its left.
[[nodiscard]] QFrame* cardFrame(const QColor& edge, QWidget* parent);
/// Height of a motion profile's picture: a single jump must not flatten the rest.
[[nodiscard]] float profileTop(const std::vector<float>& steps);
/// Cuts the words of a label or button with an ellipsis where they do not fit; the whole stands in its tool tip.
void keepToWidth(QLabel* label);
void keepToWidth(QAbstractButton* button);
/// A scroll area whose widget is a column that grows downward.
[[nodiscard]] QScrollArea* scrollingColumn(QWidget* parent);
/// Removes and deletes everything in a layout.
void clearLayout(QVBoxLayout* layout);

/// One finding: mark, what, where, and its acts.
class FindingCard : public QFrame {
    Q_OBJECT
  public:
    /// For the first item of the group; `showItem` says which items it is about. What mends one can mend all.
    FindingCard(const FindingGroup& group, const Workspace& workspace, bool showItem, QWidget* parent);
  signals:
    void mendAsked(const wyc::ItemFinding& found, const std::vector<wyc::ItemKey>& items);
    void goAsked(const wyc::ItemFinding& found);
    void mendLookedAt(const wyc::ItemFinding& found, bool on);

  protected:
    void mouseReleaseEvent(QMouseEvent* event) override;
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    ItemFinding found_;
    std::set<QObject*> mendButtons_;
};

/// Two motion profiles on one scale of frames: as it came, and after the steps.
class ProfileStrips : public QWidget {
    Q_OBJECT
  public:
    explicit ProfileStrips(QWidget* parent = nullptr);
    void show(const ItemView* item);

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    struct Strip {
        QString words;
        std::vector<double> frames;
        std::vector<float> speeds;
    };
    std::vector<Strip> strips_;
};

/// A number with its thousands apart.
[[nodiscard]] QString digits(std::size_t number);

} // namespace wyc::app
