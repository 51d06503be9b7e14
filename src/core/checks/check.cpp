// SPDX-License-Identifier: GPL-3.0-or-later
#include "checks/check.h"

#include <algorithm>
#include <cmath>

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
        {"motion", "Is the first frame stale, is there a jump, does it move at all?", &checkMotion},
        {"mesh", "Are points finite, counts constant, faces sound?", &checkMesh},
        {"size", "Is the size plausible, and that of its kin?", &checkSize},
        {"statements", "Does the source state its unit and axis, and are they the shot's?", &checkStatements}};
    return kCatalogue;
}

std::vector<Finding> readerFindings(const Scene& scene) {
    std::vector<Finding> result;
    for (const ReaderRemark& remark : scene.remarks)
        result.push_back({remark.id,
                          static_cast<Severity>(remark.severity),
                          remark.item,
                          remark.frame,
                          remark.figure,
                          remark.unit,
                          remark.text,
                          remark.advice,
                          {},
                          {}});
    return result;
}

std::vector<Finding> runChecks(const CheckInput& given) {
    CheckInput input = given;
    for (MeasuredItem& item : input.items)
        item.unitMetres = item.scene->unitMetres ? item.scene->unitMetres : input.shot.unitMetres;
    std::vector<Finding> findings;
    for (const CheckEntry& check : checkCatalogue())
        check.run(input, findings);
    sortFindings(findings);
    return findings;
}

} // namespace wyc
