// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// What the verbs that write share: the way through for the options of convert, and how an output is told.
#include "delivery/delivery.h"
#include "delivery/write/reserved.h"
#include "options.h"

namespace wyc::cli {

/// What killed runs left where this one writes.
void sayLeftovers(const Common& common, const ReservedRun& run);
void printLosses(const PlannedOutput& output);
/// What was asked for and is not there; an error where nothing less is wanted.
[[nodiscard]] Status sayShortfalls(const Common& common, const PlannedOutput& output, bool strict);
/// What of the items was not held against the source.
void printNotCompared(const Common& common, const Proof& proof);
[[nodiscard]] nlohmann::json resultJson(const PlannedOutput& output, const OutputResult& result, bool proven);
/// Writes what convert would, and says so unless all is said at the end; one entry an output.
[[nodiscard]] Result<nlohmann::json> writeConverted(const Common& common, const ConvertArguments& arguments,
                                                    const Progress& progress);

} // namespace wyc::cli
