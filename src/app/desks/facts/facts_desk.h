// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// The Facts desk: figures of the active item with their picture, and the findings.
#include <QWidget>

#include "desks/desk.h"
#include "desks/facts/item_facts.h"

class QCPItemText;
class QCustomPlot;
class QGridLayout;
class QLabel;
class QScrollArea;
class QToolButton;
class QVBoxLayout;

namespace wyc::app {

class FactsDesk : public Desk {
    Q_OBJECT
  public:
    explicit FactsDesk(Workspace& workspace, QWidget* parent = nullptr);
    void showAllFindings(bool all);

  protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    void makePlot();
    QWidget* makeColumn();
    void showItem();
    void showPlot();
    void showValue(const QPointF& at);
    void showFrame();
    void showFindings();
    void showChecked();
    void showMendAll(const std::vector<FindingGroup>& shown);
    void fact(int row, int column, const ItemFact& fact);
    Workspace& workspace_;
    QLabel* name_;
    QLabel* origin_;
    QCustomPlot* plot_;
    QWidget* cursor_;
    QCPItemText* caption_ = nullptr;
    QLabel* value_ = nullptr;        // under the pointer
    QCPItemText* partner_ = nullptr; // whose speed lies over it,
    double partnerLower_ = 1.0;      // drawn so many times lower
    QGridLayout* grid_;
    QWidget* gridHost_;
    QToolButton* scope_;
    QToolButton* mendAll_;
    std::set<ItemKey> mendable_; // items shown with something to mend
    QLabel* findingsTitle_;
    QLabel* verdict_ = nullptr; // below the findings, where there are none
    bool nothingFound_ = false;
    QVBoxLayout* findings_;
    QVBoxLayout* layers_;
    bool all_ = false;
};

} // namespace wyc::app
