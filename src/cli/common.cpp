// SPDX-License-Identifier: GPL-3.0-or-later
#include "common.h"

#include <atomic>
#include <cerrno>
#include <chrono>
#include <csignal>
#include <cstdio>
#include <cstring>
#include <map>
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

// What the core advises in plain words, as options of ours.
std::string inOptions(std::string advice) {
    const auto name = [&](const std::string& words, const std::string& option) {
        if (const auto at = advice.find(words); at != std::string::npos)
            advice.replace(at, words.size(), option);
    };
    name("say that it may be replaced", "use --replace (in a job: \"replace\")");
    name("choose that object of the file", "use --rest-object NAME");
    name("Give its rest mesh", "Give its rest mesh (--rest FILE)");
    name("Give the mesh this cache was baked from", "Give the mesh this cache was baked from (--rest FILE)");
    return advice;
}

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
    sigaction(SIGHUP, &action, nullptr);
    // A reader that closes the pipe ends us by an error of write, not by a signal.
    std::signal(SIGPIPE, SIG_IGN);
}

int report(const Common& common, const Error& given) {
    Error error = given;
    error.advice = inOptions(error.advice);
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

int finished(int code) {
    errno = 0;
    const bool said = std::fflush(stdout) == 0 && std::ferror(stdout) == 0;
    if (said || errno == EPIPE)
        return code;
    fmt::print(stderr, "wyc: standard output cannot be written: {}\n", std::strerror(errno));
    return kError;
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

namespace {

// The source with what the person says of it. Where it says something else itself, that is an error: a step converts.
Result<SourcePtr> withStated(SourcePtr source, const OpenArguments& arguments) {
    if (arguments.isUnit.empty() && arguments.isUp.empty() && arguments.isRate.empty())
        return source;
    auto result = std::make_shared<Source>(*source);
    const auto state = [&](const char* option, const std::string& own, const std::string& given) -> Status {
        if (own.empty() || own == given)
            return {};
        return fail(makeError(ErrorKind::BadInput, fmt::format("it says {} itself, not {}", own, given))
                        .inFile(source->spec.path.string())
                        .withAdvice(fmt::format("Leave {} out; a step converts", option)));
    };
    Scene& scene = result->scene;
    if (!arguments.isUnit.empty()) {
        WYC_TRY(unit, parseUnit(arguments.isUnit));
        WYC_CHECK(state("--is-unit", scene.unitMetres ? unitName(*scene.unitMetres) : "", unitName(unit)));
        scene.unitMetres = unit;
    }
    if (!arguments.isUp.empty()) {
        WYC_TRY(up, parseUpAxis(arguments.isUp));
        WYC_CHECK(state("--is-up", scene.upAxis ? upAxisName(*scene.upAxis) : "", upAxisName(up)));
        scene.upAxis = up;
    }
    if (!arguments.isRate.empty()) {
        WYC_TRY(rate, FrameRate::parse(arguments.isRate));
        WYC_CHECK(state("--is-rate", scene.rate ? scene.rate->text() : "", rate.text()));
        scene.rate = rate;
    }
    if (result->expanded) {
        auto expanded = std::make_shared<Scene>(*result->expanded);
        expanded->unitMetres = scene.unitMetres;
        expanded->upAxis = scene.upAxis;
        expanded->rate = scene.rate;
        result->expanded = std::move(expanded);
    }
    return SourcePtr(std::move(result));
}

} // namespace

nlohmann::json optionsFor(const Options& options, const std::map<std::string, std::string>& typed,
                          std::set<std::string>& used) {
    nlohmann::json result = nlohmann::json::object();
    for (const auto& [name, text] : typed)
        if (const Option* option = optionNamed(options, name)) {
            result[name] = typedValue(*option, text);
            used.insert(name);
        }
    return result;
}

Status allUsed(const std::map<std::string, std::string>& typed, const std::set<std::string>& used) {
    for (const auto& [name, text] : typed)
        if (!used.contains(name))
            return fail(makeError(ErrorKind::BadInput, fmt::format("--{} says nothing to any of these files", name))
                            .withAdvice("`wyc formats` lists the options of each format"));
    return {};
}

Result<std::vector<SourcePtr>> openAll(const Common& common, const OpenArguments& arguments,
                                       const FrameRate& givenRate) {
    FrameRate assumedRate = givenRate;
    if (!arguments.isRate.empty()) {
        WYC_TRY(rate, FrameRate::parse(arguments.isRate));
        assumedRate = rate;
    }
    std::vector<fs::path> paths(arguments.paths.begin(), arguments.paths.end());
    WYC_TRY(gathered, gather(paths, arguments.single));
    for (const std::string& words : gathered.remarks)
        if (common.verbose)
            remark(common, words);
    std::vector<SourcePtr> sources;
    std::set<std::string> used;
    for (SourceSpec& spec : gathered.specs) {
        if (const Format* format = formatOfSource(spec.path))
            spec.options = optionsFor(format->openOptions, arguments.options, used);
        if (const Format* format = formatOfSource(spec.path);
            !arguments.rest.empty() && format && format->wantsRest()) {
            spec.rest = arguments.rest;
            spec.restObject = arguments.restObject;
        }
        WYC_TRY(source, openSource(spec, assumedRate));
        WYC_TRY(stated, withStated(std::move(source), arguments));
        sources.push_back(std::move(stated));
    }
    WYC_CHECK(allUsed(arguments.options, used));
    // Two folders may each have a file of one name: what is said of them must not be mixed up.
    std::map<std::string, std::size_t> names;
    for (const SourcePtr& source : sources)
        ++names[source->name];
    for (SourcePtr& source : sources)
        if (names[source->name] > 1) {
            auto named = std::make_shared<Source>(*source);
            named->name = named->spec.path.string();
            source = std::move(named);
        }
    return sources;
}

void printFindings(const Common& common, const std::vector<Finding>& findings) {
    constexpr std::size_t kMostAlike = 5; // items named one by one; the rest is counted
    std::map<std::pair<std::string, Severity>, std::size_t> alike;
    for (const Finding& finding : findings)
        ++alike[{finding.id, finding.severity}];
    std::map<std::pair<std::string, Severity>, std::size_t> printed;
    for (const Finding& finding : findings) {
        const std::pair key{finding.id, finding.severity};
        const std::size_t all = alike[key];
        if (!common.verbose && all > 2 * kMostAlike && ++printed[key] > kMostAlike) {
            if (printed[key] == kMostAlike + 1)
                fmt::print("             … and {} more like it; -v lists all\n", all - kMostAlike);
            continue;
        }
        const char* mark = finding.severity == Severity::Fault     ? "x fault  "
                           : finding.severity == Severity::Caution ? "! caution"
                                                                   : "- note   ";
        fmt::print("{}  {}{}  {}\n", mark, validUtf8(finding.item),
                   finding.frame ? fmt::format(" @ {}", frameText(*finding.frame)) : "", finding.id);
        fmt::print("             {}\n", validUtf8(finding.text));
        if (!finding.advice.empty())
            fmt::print("             → {}\n", validUtf8(inOptions(finding.advice)));
    }
}

} // namespace wyc::cli
