// SPDX-License-Identifier: GPL-3.0-or-later
// What the desk does when it is told to: the writing, what is missing of it, and the page of its proof.
#include "desks/deliver/deliver_desk.h"

#include <algorithm>
#include <utility>

#include <QFileDialog>
#include <QLabel>
#include <QProgressBar>

#include "base/text.h"
#include "delivery/proof/proof_page.h"
#include "delivery/write/reserved.h"

namespace wyc::app {

void DeliverDesk::deliver() {
    if (delivering_ || !canPlan())
        return;
    // What is proven already is not written again.
    std::vector<OutputRow> done;
    Workspace::Proven proven;
    const bool again = isPartlyDone();
    if (again) {
        proven.version = rows_.front().plan.version;
        for (const OutputRow& row : rows_)
            if (row.result) {
                done.push_back(row);
                proven.labels.insert(row.plan.label);
            }
    }
    ++planAsked_; // what is being planned is not wanted any more
    delivering_ = true;
    showResults_ = false;
    const std::vector<OutputRow> before = std::exchange(rows_, {});
    // Names that are free now, and are held; by a worker, as folders may be slow.
    workspace_.deliveryRunner().start(
        tr("Planning"),
        [this, plan = workspace_.planOf(asked(), proven), done](const Progress&) -> Result<JobRunner::Done> {
            WYC_TRY(made, reservedRun(plan));
            auto run = std::make_shared<ReservedRun>(std::move(made));
            return [this, run, done] { write(*run, done); };
        },
        [this, again, before](const Error& error) {
            delivering_ = false;
            if (again) { // what came of the run before stands as it did
                rows_ = before;
                showResults_ = true;
                workspace_.tell(error);
            } else if (error.kind == ErrorKind::Cancelled) {
                refresh();
            } else {
                planError_ = error;
            }
            rowsTimer_.start();
        });
    showRows();
}

void DeliverDesk::write(const ReservedRun& run, const std::vector<OutputRow>& done) {
    takePlan(run.outputs);
    rows_.insert(rows_.begin(), done.begin(), done.end());
    showResults_ = !rows_.empty();
    for (const Leftover& left : run.leftovers)
        emit workspace_.problem(QString::fromStdString(left.words()));
    for (std::size_t i = done.size(); i < rows_.size(); ++i) {
        const PlannedOutput& output = rows_[i].plan;
        rows_[i].jobId = workspace_.deliveryRunner().start(
            tr("Delivering %1").arg(QString::fromStdString(output.item)),
            [this, output, i, held = run.names](const Progress& progress) mutable -> Result<JobRunner::Done> {
                WYC_TRY(result, runOutput(output, {}, progress));
                held.reset(); // the next plan takes what is free now
                return [this, i, result] {
                    if (i < rows_.size()) {
                        rows_[i].result = result;
                        rows_[i].state = JobState::Finished;
                    }
                };
            },
            [this, i](const Error& error) {
                if (i >= rows_.size())
                    return;
                rows_[i].state = error.kind == ErrorKind::Cancelled ? JobState::Cancelled : JobState::Failed;
                rows_[i].words = QString::fromStdString(error.text());
            });
    }
    rowsTimer_.start();
}

bool DeliverDesk::isPartlyDone() const {
    return showResults_ && missing() > 0 && missing() < rows_.size() &&
           std::none_of(rows_.begin(), rows_.end(), [](const OutputRow& row) { return row.plan.label.empty(); });
}

std::size_t DeliverDesk::missing() const {
    return static_cast<std::size_t>(
        std::count_if(rows_.begin(), rows_.end(), [](const OutputRow& row) { return !row.result; }));
}

void DeliverDesk::writePageOf(const OutputResult& result) {
    const std::string name = result.target.stem().string() + "_proof.html";
    QString path = QFileDialog::getSaveFileName(
        this, tr("Proof"), QString::fromStdString((result.target.parent_path() / name).string()), tr("Pages (*.html)"));
    if (path.isEmpty())
        return;
    if (!path.endsWith(QStringLiteral(".html")))
        path += QStringLiteral(".html");
    workspace_.runner().start(
        tr("Writing the page"),
        [this, result, path](const Progress&) -> Result<JobRunner::Done> {
            WYC_CHECK(writeProofPage(result.target, result.record, result.proof, fs::path(path.toStdString())));
            return [this, path] { emit workspace_.pageWritten(path); };
        },
        [this](const Error& error) { workspace_.tell(error); });
}

void DeliverDesk::stop() {
    workspace_.deliveryRunner().cancelAll();
}

void DeliverDesk::updateRow(const JobStatus& status) {
    for (OutputRow& row : rows_) {
        if (row.jobId != status.id || row.jobId == 0)
            continue;
        if (status.state == JobState::Running) {
            const bool first = row.state != JobState::Running;
            row.state = JobState::Running;
            row.fraction = status.fraction;
            row.words =
                status.words + (status.secondsLeft > 1.0
                                    ? tr(" · %1 left").arg(QString::fromStdString(durationText(status.secondsLeft)))
                                    : QString());
            if (first) {
                rowsTimer_.start();
            } else {
                if (const auto label = stateLabels_.find(row.jobId); label != stateLabels_.end() && label->second)
                    label->second->setText(row.words);
                if (auto* bar = findChild<QProgressBar*>(QStringLiteral("outputProgress_%1").arg(row.jobId)))
                    bar->setValue(static_cast<int>(row.fraction * 1000));
            }
        } else {
            rowsTimer_.start();
        }
    }
}

} // namespace wyc::app
