// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// What the Deliver desk shows of its outputs: a card for each, and what is lost by them.
#include <optional>
#include <vector>

#include <QString>

#include "delivery/delivery.h"
#include "delivery/plan/earlier.h"
#include "shell/job_runner.h"

class QFrame;
class QVBoxLayout;
class QWidget;

namespace wyc::app {

/// One output on the desk, from plan to proof.
struct OutputRow {
    PlannedOutput plan;
    JobState state = JobState::Queued;
    double fraction = 0.0;
    QString words;
    std::optional<OutputResult> result;
    int jobId = 0;
    std::optional<EarlierDelivery> earlier = {};
    enum class Changes { NotAsked, None, Some, NotCompared };
    Changes changed = Changes::NotAsked; // against it
    QString changes = {};                // in words
};

/// Name, file, range, state; once begun its progress, once proven the figures of the proof.
[[nodiscard]] QFrame* outputCard(const OutputRow& row, bool started, QWidget* parent);
/// Cards with what all outputs lose, the same words once. Nothing when nothing is lost.
/// `intoWorldSpace`: what the button of losses does that a delivery in world space does not have; none without.
void addLosses(QVBoxLayout& into, const std::vector<OutputRow>& rows, const QString& title, QWidget* parent,
               const std::function<void()>& intoWorldSpace);

} // namespace wyc::app
