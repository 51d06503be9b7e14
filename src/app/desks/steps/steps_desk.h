// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// The Steps desk: the active item's chain, with the options of each step.
#include <QWidget>

#include "desks/desk.h"
#include "shell/workspace.h"

class QFrame;
class QLabel;
class QPushButton;
class QVBoxLayout;

namespace wyc::app {

class ProfileStrips;

class StepsDesk : public Desk {
    Q_OBJECT
  public:
    explicit StepsDesk(Workspace& workspace, QWidget* parent = nullptr);
    bool cancelDrag() override;

  protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    void showChain();
    QFrame* stepCard(std::size_t index, const std::vector<Step>& steps);
    QWidget* curveEditor(std::size_t index, const Option& option, const nlohmann::json& options, QWidget* parent);
    void change(std::size_t index, const std::string& option, const nlohmann::json& value);
    void addStep(const StepType& type);
    void edited(const QString& label, const std::function<void(std::vector<Step>&)>& change);
    void moveStep(std::size_t from, std::size_t to);
    [[nodiscard]] std::vector<QWidget*> cards() const;
    void showDropPlace(int globalY);
    Workspace& workspace_;
    QLabel* name_;
    QLabel* origin_;
    ProfileStrips* strips_;
    QPushButton* add_;
    QVBoxLayout* chain_;
    ItemKey shownFor_;
    std::vector<Step> shown_;
    bool built_ = false;
    QFrame* dropMark_; // where a dragged step would go
    std::optional<std::size_t> dragged_;
    std::size_t dropAt_ = 0;
    QPoint pressedAt_;
};

} // namespace wyc::app
