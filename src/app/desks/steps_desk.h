// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// The Steps desk: the active item's chain, with the options of each step.
#include <QWidget>

#include "shell/workspace.h"

class QFrame;
class QLabel;
class QPushButton;
class QVBoxLayout;

namespace wyc::app {

class ProfileStrips;

class StepsDesk : public QWidget {
    Q_OBJECT
  public:
    explicit StepsDesk(Workspace& workspace, QWidget* parent = nullptr);

  private:
    void showChain();
    QFrame* stepCard(std::size_t index, const std::vector<Step>& steps);
    QWidget* optionEditor(std::size_t index, const StepOption& option, const nlohmann::json& value, QWidget* parent);
    void change(std::size_t index, const std::string& option, const nlohmann::json& value);
    void addStep(const StepType& type);
    Workspace& workspace_;
    QLabel* name_;
    QLabel* origin_;
    ProfileStrips* strips_;
    QPushButton* add_;
    QVBoxLayout* chain_;
    ItemKey shownFor_;
    std::vector<Step> shown_;
    bool built_ = false;
};

} // namespace wyc::app
