// SPDX-License-Identifier: GPL-3.0-or-later
#include "checks/check.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include <fmt/format.h>

#include "base/text.h"

namespace wyc {

const char* severityName(Severity severity) {
    return severity == Severity::Note ? "note" : severity == Severity::Caution ? "caution" : "fault";
}

Result<Severity> parseSeverity(std::string_view text) {
    for (const Severity severity : {Severity::Note, Severity::Caution, Severity::Fault})
        if (text == severityName(severity))
            return severity;
    return fail(makeError(ErrorKind::BadInput, fmt::format("'{}' is no severity", text))
                    .withAdvice("Write note, caution or fault"));
}

nlohmann::json toJson(const Finding& finding) {
    nlohmann::json result;
    result["id"] = finding.id;
    result["severity"] = severityName(finding.severity);
    result["item"] = finding.item.empty() ? nlohmann::json(nullptr) : nlohmann::json(validUtf8(finding.item));
    result["frame"] = finding.frame ? nlohmann::json(*finding.frame) : nlohmann::json(nullptr);
    result["figure"] =
        finding.figure && std::isfinite(*finding.figure) ? nlohmann::json(*finding.figure) : nlohmann::json(nullptr);
    result["unit"] = finding.unit.empty() ? nlohmann::json(nullptr) : nlohmann::json(finding.unit);
    result["text"] = validUtf8(finding.text);
    result["advice"] = validUtf8(finding.advice);
    result["count"] = finding.count;
    return result;
}

void sortFindings(std::vector<Finding>& findings) {
    std::stable_sort(findings.begin(), findings.end(), [](const Finding& a, const Finding& b) {
        if (a.severity != b.severity)
            return a.severity > b.severity;
        if (a.item != b.item)
            return a.item < b.item;
        return a.frame.value_or(-1e18) < b.frame.value_or(-1e18);
    });
}

const std::vector<CheckEntry>& checkCatalogue() {
    static const std::vector<CheckEntry> kCatalogue{
        {"range", "Does the item cover the shot and its handles, and begin where the shot says?", &checkRange},
        {"rate", "Is it at the shot's rate?", &checkRate},
        {"frames", "Is any frame missing, unreadable, held or repeated?", &checkFrames},
        {"motion", "Is the first frame stale, does a pose or a point not belong, is there a jump, does it move at all?",
         &checkMotion},
        {"mesh", "Are points finite, counts constant, faces sound?", &checkMesh},
        {"order", "Can the points belong to the rest mesh?", &checkRestOrder},
        {"size", "Is the size plausible, and that of its kin?", &checkSize},
        {"namesakes", "Has it the points and the order of what went out under its name?", &checkNamesakes},
        {"statements", "Does the source state its unit and axis, and are they the shot's?", &checkStatements}};
    return kCatalogue;
}

Finding readerFinding(const ReaderRemark& remark) {
    Finding finding{remark.id,        static_cast<Severity>(remark.severity),
                    remark.item,      remark.frame,
                    remark.figure,    remark.unit,
                    remark.text,      remark.advice,
                    remark.mendLabel, {}};
    if (!remark.mend.empty())
        finding.mend.push_back(Step{remark.mend, nlohmann::json::parse(remark.mendOptions)});
    return finding;
}

std::vector<Finding> readerFindings(const Scene& scene) {
    std::vector<Finding> result;
    for (const ReaderRemark& remark : scene.report.remarks)
        result.push_back(readerFinding(remark));
    return result;
}

namespace {

// One mend for all, where they are the same but for the frames they name.
std::vector<Step> joinedMend(const std::vector<Finding>& all) {
    std::vector<Step> result = all.front().mend;
    std::set<std::string> known; // findings of one run have one mend
    std::string frames;
    for (const Finding& one : all) {
        std::vector<Step> plain = one.mend;
        std::vector<Step> first = result;
        for (std::vector<Step>* steps : {&plain, &first})
            for (Step& step : *steps)
                if (step.options.contains("frames"))
                    step.options["frames"] = "";
        if (plain != first)
            return {};
        for (const Step& step : one.mend)
            if (step.options.contains("frames") && step.options["frames"].is_string())
                if (std::string listed = step.options["frames"].get<std::string>(); known.insert(listed).second)
                    frames += (frames.empty() ? "" : ",") + listed;
    }
    for (Step& step : result)
        if (step.options.contains("frames") && step.options["frames"].is_string())
            step.options["frames"] = frames;
    return result;
}

// Alike findings of one item on more frames than a person reads one by one become one.
void joinAlike(std::vector<Finding>& findings) {
    constexpr std::size_t kMostApart = 8;
    std::map<std::pair<std::string, std::string>, std::vector<Finding>> alike;
    for (const Finding& finding : findings)
        if (finding.frame)
            alike[{finding.item, finding.id}].push_back(finding);
    std::set<std::pair<std::string, std::string>> joined;
    std::vector<Finding> result;
    for (Finding& finding : findings) {
        const std::pair key{finding.item, finding.id};
        if (!finding.frame || alike[key].size() <= kMostApart) {
            result.push_back(std::move(finding));
            continue;
        }
        if (!joined.insert(key).second)
            continue;
        std::vector<Finding>& all = alike[key];
        std::stable_sort(all.begin(), all.end(),
                         [](const Finding& a, const Finding& b) { return *a.frame < *b.frame; });
        Finding one = all.front();
        one.count = all.size();
        one.text = fmt::format("{} times, first at {}: {}", all.size(), frameText(*one.frame), one.text);
        one.moments.clear();
        for (const Finding& each : all)
            one.moments.insert(one.moments.end(), each.moments.begin(), each.moments.end());
        one.mend = joinedMend(all);
        if (one.mend.empty())
            one.mendLabel.clear();
        result.push_back(std::move(one));
    }
    findings = std::move(result);
}

} // namespace

std::vector<Finding> runChecks(const CheckInput& given) {
    CheckInput input = given;
    for (MeasuredItem& item : input.items)
        item.unitMetres = item.scene->unitMetres ? item.scene->unitMetres : input.shot.unitMetres;
    std::vector<Finding> findings;
    for (const CheckEntry& check : checkCatalogue())
        check.run(input, findings);
    joinAlike(findings);
    sortFindings(findings);
    return findings;
}

} // namespace wyc
