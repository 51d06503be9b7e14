// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// The step types, for the table in step.cpp.
#include "steps/step.h"

namespace wyc {

[[nodiscard]] StepType offsetStep();
[[nodiscard]] StepType startStep();
[[nodiscard]] StepType trimStep();
[[nodiscard]] StepType holdStep();
[[nodiscard]] StepType dropStep();
[[nodiscard]] StepType keepStep();
[[nodiscard]] StepType lengthStep();
[[nodiscard]] StepType shutterStep();
[[nodiscard]] StepType everyStep();
[[nodiscard]] StepType rateStep();
[[nodiscard]] StepType resampleStep();
[[nodiscard]] StepType retimeStep();
[[nodiscard]] StepType loopStep();
[[nodiscard]] StepType leadInStep();
[[nodiscard]] StepType fillStep();
[[nodiscard]] StepType endsStep();
[[nodiscard]] StepType travelStep();
[[nodiscard]] StepType unitStep();
[[nodiscard]] StepType scaleStep();
[[nodiscard]] StepType turnStep();
[[nodiscard]] StepType placeStep();
[[nodiscard]] StepType reorderStep();
[[nodiscard]] StepType flipStep();
[[nodiscard]] StepType takeStep();
[[nodiscard]] StepType renameStep();
[[nodiscard]] StepType repointStep();
[[nodiscard]] StepType leaveOutStep();
[[nodiscard]] StepType worldStep();
[[nodiscard]] StepType mergeStep();
[[nodiscard]] StepType splitStep();

} // namespace wyc
