// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Cycles that are pinned, side by side: what each comes to when it is closed.
#include <optional>
#include <vector>

#include <QScrollArea>

#include "measure/loop.h"
#include "workbench/loops.h"

class QGridLayout;

namespace wyc::app {

struct PinnedLoop {
    LoopCandidate candidate;
    LoopClosing closing;
    std::optional<ClosedLoop> closed; // nothing until it was worked out
    [[nodiscard]] bool is(const LoopCandidate& other) const {
        return candidate.start == other.start && candidate.length == other.length;
    }
};

class PinnedLoops : public QScrollArea {
    Q_OBJECT
  public:
    explicit PinnedLoops(QWidget* parent);
    /// `chosen`: which of them the desk shows.
    void fill(const std::vector<PinnedLoop>& pinned, std::optional<std::size_t> chosen, bool inSteps);

  signals:
    void picked(std::size_t pinned);
    void letGo(std::size_t pinned);

  private:
    QGridLayout* grid_;
};

/// Metres in a fitting unit, or usual steps.
[[nodiscard]] QString loopLengthWords(double metres, bool inSteps);
/// Whether it closes, behind its mark.
[[nodiscard]] QString loopVerdict(const ClosedLoop& closed);

} // namespace wyc::app
