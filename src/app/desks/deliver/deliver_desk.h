// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// The Deliver desk: what is delivered and how, what will be lost, the writing, and the proof.
#include <atomic>
#include <map>
#include <memory>
#include <vector>

#include <QTimer>
#include <QWidget>

#include "desks/deliver/output_card.h"
#include "desks/desk.h"
#include "shell/workspace.h"

class QToolButton;
class QLabel;
class QLineEdit;
class QPushButton;
class QVBoxLayout;

namespace wyc {
struct ReservedRun;
}

namespace wyc::app {

class DeliveryForm;

class DeliverDesk : public Desk {
    Q_OBJECT
  public:
    explicit DeliverDesk(Workspace& workspace, QWidget* parent = nullptr);
    [[nodiscard]] const std::vector<OutputRow>& rows() const { return rows_; }
    [[nodiscard]] bool delivering() const { return delivering_; }

  signals:
    void findingsAsked();

  public slots:
    /// Writes what is planned; after a run that did not get through, what is missing of it.
    void deliver();
    void stop();

  protected:
    void showEvent(QShowEvent* event) override;

  private:
    void makeSettings(QWidget* content);
    void makeFoot(QVBoxLayout* outer);
    void connectAll();
    [[nodiscard]] DeliverySpec spec() const;
    void edit(const std::string& label, const std::function<void(DeliverySpec&)>& change);
    void showItems();
    void showPlanError();
    [[nodiscard]] std::vector<std::string> chosenPatterns() const;
    void refresh();
    [[nodiscard]] Workspace::Plan planned() const;
    /// It delivers what is chosen on the time board.
    [[nodiscard]] bool follows() const;
    /// The job's delivery, of those items.
    [[nodiscard]] DeliverySpec asked() const;
    [[nodiscard]] bool canPlan() const;
    void plan();
    void takePlan(Result<std::vector<PlannedOutput>> outputs);
    void showRows();
    void write(const ReservedRun& run, const std::vector<OutputRow>& done);
    [[nodiscard]] std::size_t missing() const; // of a run: what is not proven
    [[nodiscard]] bool isPartlyDone() const;   // a run did not get through with all
    void showOpen();
    [[nodiscard]] std::vector<const ItemView*> takenItems() const;
    void lookForEarlier();
    void compareWithEarlier();
    void writePageOf(const OutputResult& result);
    void updateRow(const JobStatus& status);
    Workspace& workspace_;
    QLabel* title_;
    QLabel* count_;
    QWidget* settings_;
    QPushButton* back_;
    QVBoxLayout* items_;
    DeliveryForm* form_;
    QVBoxLayout* cards_;
    QVBoxLayout* why_; // nothing can be delivered
    QToolButton* only_ = nullptr;
    QPushButton* act_;
    QToolButton* openFaults_ = nullptr;
    QToolButton* openLosses_ = nullptr;
    QLineEdit* filter_ = nullptr;
    QLabel* summary_;
    QTimer planTimer_;
    QTimer rowsTimer_; // several outputs may change at once
    std::vector<OutputRow> rows_;
    std::map<int, QLabel*> stateLabels_; // of the cards that are shown
    std::shared_ptr<std::atomic<int>> newestPlan_ = std::make_shared<std::atomic<int>>(0); // as workers see it
    bool follows_ = true; // the time board's choice, as long as nothing is ticked here
    QLabel* chosenWords_ = nullptr;
    int planAsked_ = 0;
    int plans_ = 0;     // counts plans: what is found out of an older one comes too late
    int comparing_ = 0; // outputs that are held against what was delivered
    bool delivering_ = false;
    Job shownJob_; // that the cards are for
    bool showResults_ = false;
    bool listAll_ = false;              // items beyond the first few
    std::optional<std::uint64_t> room_; // bytes that are free where it goes
    bool stale_ = true;                 // something changed since the last plan
    std::optional<Error> planError_;
};

} // namespace wyc::app
