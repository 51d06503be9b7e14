// SPDX-License-Identifier: GPL-3.0-or-later
#include "common.h"

#include <atomic>
#include <chrono>
#include <csignal>
#include <cstdio>
#include <mutex>

#include <fmt/format.h>
#include <unistd.h>

#include "base/text.h"

namespace wyc::cli {
namespace {

std::shared_ptr<CancelToken> stopToken() {
    static const auto kToken = std::make_shared<CancelToken>();
    return kToken;
}
CancelToken* gStop = nullptr;

extern "C" void onStop(int) {
    if (gStop)
        gStop->cancel(); // a lock-free atomic store
}

} // namespace

void installStopHandler() {
    gStop = stopToken().get();
    struct sigaction action {};
    action.sa_handler = &onStop;
    sigemptyset(&action.sa_mask);
    sigaction(SIGINT, &action, nullptr);
    sigaction(SIGTERM, &action, nullptr);
    // A reader that closes the pipe ends us by an error of write, not by a signal.
    std::signal(SIGPIPE, SIG_IGN);
}

int report(const Common& common, const Error& error) {
    fmt::print(stderr, "wyc: {}\n", validUtf8(error.text()));
    if (common.json) {
        nlohmann::json e{
            {"kind", errorKindName(error.kind)}, {"what", validUtf8(error.what)}, {"advice", validUtf8(error.advice)}};
        e["file"] = error.file.empty() ? nlohmann::json(nullptr) : nlohmann::json(validUtf8(error.file));
        e["byte"] = error.byte ? nlohmann::json(*error.byte) : nlohmann::json(nullptr);
        e["line"] = error.line ? nlohmann::json(*error.line) : nlohmann::json(nullptr);
        e["item"] = error.item.empty() ? nlohmann::json(nullptr) : nlohmann::json(validUtf8(error.item));
        printJson({{"error", e}});
    }
    return error.kind == ErrorKind::Cancelled ? kStopped : kError;
}

void printJson(const nlohmann::json& document) {
    fmt::print("{}\n", document.dump(1, ' ', false, nlohmann::json::error_handler_t::replace));
}

void remark(const Common& common, const std::string& words) {
    if (!common.quiet)
        fmt::print(stderr, "wyc: {}\n", validUtf8(words));
}

struct TerminalProgress::State {
    std::mutex mutex;
    std::chrono::steady_clock::time_point started = std::chrono::steady_clock::now();
    std::chrono::steady_clock::time_point drawn;
    bool anything = false;
};

TerminalProgress::TerminalProgress(const Common& common) : state_(std::make_shared<State>()) {
    Progress::Sink sink;
    if (!common.quiet && ::isatty(STDERR_FILENO)) {
        sink = [state = state_](const ProgressReport& report) {
            const std::lock_guard lock(state->mutex);
            const auto now = std::chrono::steady_clock::now();
            if (now - state->drawn < std::chrono::milliseconds(100))
                return;
            state->drawn = now;
            state->anything = true;
            const double elapsed = std::chrono::duration<double>(now - state->started).count();
            const double left = report.fraction > 0.02 ? elapsed / report.fraction * (1.0 - report.fraction) : 0.0;
            const int filled = static_cast<int>(report.fraction * 24.0);
            fmt::print(stderr, "\r\x1b[K{:<9} [{}{}] {:3.0f} %  {}  {}", report.stage,
                       std::string(static_cast<std::size_t>(filled), '='),
                       std::string(static_cast<std::size_t>(24 - filled), ' '), report.fraction * 100.0,
                       left > 0.0 ? durationText(left) + " left" : "", validUtf8(report.words));
            std::fflush(stderr);
        };
    }
    progress_ = Progress(std::move(sink), stopToken());
}

TerminalProgress::~TerminalProgress() {
    if (state_->anything)
        fmt::print(stderr, "\r\x1b[K");
}

Result<std::vector<SourcePtr>> openAll(const Common& common, const OpenArguments& arguments,
                                       const FrameRate& assumedRate) {
    std::vector<fs::path> paths(arguments.paths.begin(), arguments.paths.end());
    WYC_TRY(gathered, gather(paths, arguments.single));
    for (const std::string& words : gathered.remarks)
        if (common.verbose)
            remark(common, words);
    std::vector<SourcePtr> sources;
    for (SourceSpec& spec : gathered.specs) {
        if (!arguments.rest.empty() && formatOfName(spec.path) && formatOfName(spec.path)->id == "mdd") {
            spec.rest = arguments.rest;
            spec.restObject = arguments.restObject;
        }
        WYC_TRY(source, openSource(spec, assumedRate));
        sources.push_back(std::move(source));
    }
    return sources;
}

void printFindings(const std::vector<Finding>& findings) {
    for (const Finding& finding : findings) {
        const char* mark = finding.severity == Severity::Fault     ? "x fault  "
                           : finding.severity == Severity::Caution ? "! caution"
                                                                   : "- note   ";
        fmt::print("{}  {}{}  {}\n", mark, validUtf8(finding.item),
                   finding.frame ? fmt::format(" @ {}", frameText(*finding.frame)) : "", finding.id);
        fmt::print("             {}\n", validUtf8(finding.text));
        if (!finding.advice.empty())
            fmt::print("             → {}\n", validUtf8(finding.advice));
    }
}

} // namespace wyc::cli
