// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// What all verbs share: output, progress, stopping, exit codes.
#include <map>
#include <memory>
#include <set>
#include <string>

#include <nlohmann/json.hpp>

#include "base/progress.h"
#include "checks/finding.h"
#include "gather/source.h"

namespace wyc::cli {

enum ExitCode { kClean = 0, kFindings = 1, kError = 2, kStopped = 130 };

struct Common {
    bool json = false;
    bool quiet = false;
    bool verbose = false;
    int threads = 0;
};

/// Prints an error to standard error, and as the one JSON document with --json. Returns the exit code.
int report(const Common& common, const Error& error);
void printJson(const nlohmann::json& document);
/// The exit code once all is said: what could not be said on standard output is an error, but for a reader who left.
[[nodiscard]] int finished(int code);
void remark(const Common& common, const std::string& words);

/// A progress that draws a bar with time left on a terminal and is silent elsewhere, and that stops on
/// Ctrl-C.
class TerminalProgress {
  public:
    explicit TerminalProgress(const Common& common);
    ~TerminalProgress();
    TerminalProgress(const TerminalProgress&) = delete;
    TerminalProgress& operator=(const TerminalProgress&) = delete;
    [[nodiscard]] const Progress& progress() const { return progress_; }

  private:
    struct State;
    std::shared_ptr<State> state_;
    Progress progress_;
};

/// Raises the stop flag on SIGINT, SIGTERM and SIGHUP.
void installStopHandler();

struct OpenArguments {
    std::vector<std::string> paths;
    std::string rest;
    std::string restObject;
    bool single = false;
    // What the sources are, where they do not say so themselves.
    std::string isUnit;
    std::string isUp;
    std::string isRate;
    std::map<std::string, std::string> options; // of formats, as typed
};
/// Of the options that were typed those that a format has, as its own; `used` gets their names.
[[nodiscard]] nlohmann::json optionsFor(const Options& options, const std::map<std::string, std::string>& typed,
                                        std::set<std::string>& used);
/// An error where one that was typed was of use to none of them.
[[nodiscard]] Status allUsed(const std::map<std::string, std::string>& typed, const std::set<std::string>& used);
/// Finds and opens what the arguments name.
[[nodiscard]] Result<std::vector<SourcePtr>> openAll(const Common& common, const OpenArguments& arguments,
                                                     const FrameRate& assumedRate);

/// Of alike findings on many items the first few, and their number.
void printFindings(const Common& common, const std::vector<Finding>& findings);

} // namespace wyc::cli
