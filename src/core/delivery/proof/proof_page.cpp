// SPDX-License-Identifier: GPL-3.0-or-later
#include "delivery/proof/proof_page.h"

#include <fmt/format.h>

#include "base/text.h"
#include "delivery/proof/proof_parts.h"
#include "report/page.h"
#include "report/point_picture.h"

namespace wyc {
namespace {

using nlohmann::json;

// What an entry says, as text; empty where it says nothing of the kind.
std::string said(const json& object, const char* key) {
    const auto found = object.is_object() ? object.find(key) : object.end();
    if (!object.is_object() || found == object.end() || found->is_null() || found->is_structured())
        return {};
    return found->is_string()   ? found->get<std::string>()
           : found->is_number() ? shortestNumber(found->get<double>())
                                : found->dump();
}

json listOf(const json& object, const char* key) {
    const auto found = object.is_object() ? object.find(key) : object.end();
    return object.is_object() && found != object.end() && found->is_array() ? *found : json::array();
}

std::string rangeOf(const std::optional<double>& first, const std::optional<double>& last) {
    return first && last ? frameText(*first) + " – " + frameText(*last) : "still";
}

std::string madeFrom(const json& record) {
    std::string html;
    for (const json& entry : listOf(record, "made_from")) {
        html += fmt::format("<p>{}{}</p>", escaped(said(entry, "source")),
                            said(entry, "item").empty() ? "" : " › " + escaped(said(entry, "item")));
        std::string steps;
        for (const char* chain : {"steps", "delivery_steps"})
            for (const json& step : listOf(entry, chain)) {
                const StepType* type = stepType(said(step, "type"));
                if (!type || said(step, "on") == "false")
                    continue;
                const Step known{std::string(type->id), step.value("options", json::object()), true};
                steps += fmt::format("<li>{} <span class='soft'>{}</span></li>", escaped(type->title),
                                     escaped(describeStep(known)));
            }
        html += steps.empty() ? "<p class='soft'>without a step</p>" : "<ol>" + steps + "</ol>";
    }
    return html.empty() ? html : "<h2>Made from</h2>" + html;
}

std::string itemRows(const Proof& proof) {
    std::string html = "<h2>Items</h2><div class='wide'><table><tr><th>item</th><th class='n'>points × samples</th>"
                       "<th class='n'>frames</th><th>order</th><th class='n'>largest drift</th><th>compared</th></tr>";
    for (const ProvenItem& item : proof.items) {
        const bool good = item.disagreements.empty() && item.shown.disagreements.empty();
        html += fmt::format("<tr><td class='{}'>{} {}</td><td class='n'>{} × {}</td><td class='n'>{}</td><td>{}</td>"
                            "<td class='n'>{}</td><td class='soft'>{}</td></tr>",
                            good ? "good" : "bad", good ? "✓" : "✕", escaped(item.item), groupedDigits(item.points),
                            groupedDigits(item.samples), rangeOf(item.first, item.last),
                            item.points > 0 ? hashText(item.topology).substr(0, 8) : "",
                            lengthText(item.largestDriftMetres), escaped(item.compared()));
        if (const Shown::Moments& moments = item.shown.moments; proof.sourceCompared && moments.count() > 0)
            html += fmt::format("<tr><td class='soft' colspan='6'>compared with its source at {}{}</td></tr>",
                                moments.words(proof.rate),
                                item.shown.between > 0
                                    ? fmt::format(", and at {} more between them", groupedDigits(item.shown.between))
                                    : "");
        for (const auto* list : {&item.disagreements, &item.shown.disagreements})
            for (const std::string& words : *list)
                html += fmt::format("<tr><td class='bad' colspan='6'>{}</td></tr>", escaped(words));
        for (const std::string& words : item.shown.notCompared)
            html += fmt::format("<tr><td class='soft' colspan='6'>not compared with its source: {}</td></tr>",
                                escaped(words));
    }
    if (const std::string all = proof.comparedOfAll(); !all.empty())
        html += fmt::format("<tr><td colspan='5'>the file as a whole</td><td class='soft'>{}</td></tr>", escaped(all));
    return html + "</table></div>";
}

std::string listed(const char* title, const std::vector<std::string>& lines) {
    if (lines.empty())
        return {};
    std::string html = fmt::format("<h2>{}</h2><ul>", title);
    for (const std::string& line : lines)
        html += "<li>" + escaped(line) + "</li>";
    return html + "</ul>";
}

// All that has points and is seen, as it is in the files.
Result<DottedPoints> pointsSeen(const Scene& scene, double seconds) {
    constexpr std::size_t kMost = 400000; // of one item in the picture
    DottedPoints seen;
    seen.zUp = scene.upAxis == UpAxis::Z;
    std::vector<Vec3f> points;
    for (const std::size_t node : shapesOf(scene)) {
        const Geometry& geometry = *scene.nodes[node].geometry;
        if (geometry.sampling().count() == 0 || !scene.nodes[node].is().points)
            continue;
        WYC_TRY(placement, placementAt(scene, node, seconds));
        if (!placement.visible)
            continue;
        WYC_CHECK(readPointsAt(geometry, seconds, points));
        const std::size_t step = points.size() / kMost + 1;
        for (std::size_t i = 0; i < points.size(); i += step)
            seen.places.push_back(transformedPoint(points[i], placement.matrix));
    }
    return seen;
}

// A page without its pictures is still the proof.
std::string picturesOf(const json& record, const fs::path& target) {
    const auto files = recordedFiles(record, target);
    if (!files)
        return {};
    const auto scene = readBack(*files->format, files->path, files->rate, files->rest);
    if (!scene)
        return {};
    const auto span = movingSpan(*scene);
    const FrameRate& rate = scene->view.rate;
    std::vector<std::pair<std::string, double>> moments{{"it does not move", 0.0}};
    if (span)
        moments = {{"first frame, " + frameText(snappedFrame(rate.frameAt(span->first))), span->first},
                   {"last frame, " + frameText(snappedFrame(rate.frameAt(span->last))), span->last}};
    std::string html;
    for (const auto& [caption, seconds] : moments)
        if (const auto seen = pointsSeen(*scene, seconds))
            html += pointPicture(*seen, 0.0, caption);
    return html;
}

} // namespace

std::string proofPage(const std::string& name, const json& record, const Proof& proof, const std::string& pictures) {
    std::string html = fmt::format("<h1>{}</h1><p class='{}'>{} {}</p>", escaped(name), proof.passed ? "good" : "bad",
                                   proof.passed ? "✓" : "✕", escaped(proof.words()));
    html += fmt::format("<p class='soft'>{}</p>", proof.sourceCompared
                                                      ? "The files were read back and compared, value for value, with "
                                                        "the result of the steps; the result with the "
                                                        "source at every frame."
                                                      : "Files and values were compared with what the record says was "
                                                        "written; the source was not looked at again.");
    html += "<div class='wide'><table>";
    for (const auto& [title, text] :
         {std::pair{"written", said(record, "written")},
          {"by", said(record, "application")},
          {"format", said(record, "format")},
          {"frames", said(record, "first").empty() ? "still" : said(record, "first") + " – " + said(record, "last")},
          {"frames a second", said(record, "rate")},
          {"metres a unit", said(record, "unit_metres")},
          {"up axis", said(record, "up_axis")}})
        if (!text.empty())
            html += fmt::format("<tr><th>{}</th><td>{}</td></tr>", title, escaped(text));
    html += "</table></div>";
    if (!proof.disagreements.empty())
        html += listed("What disagrees", proof.disagreements);
    html += itemRows(proof) + madeFrom(record);
    if (!pictures.empty())
        html += "<h2>In the files</h2><div class='plots'>" + pictures + "</div>";
    std::vector<std::string> lost;
    for (const char* list : {"lost", "not_filled"})
        for (const json& entry : listOf(record, list))
            lost.push_back((said(entry, "item").empty() ? "" : said(entry, "item") + ": ") + said(entry, "what"));
    html += listed("Not carried", lost) + listed("Not compared", proof.notCompared);
    std::string files;
    for (const json& file : listOf(record, "files"))
        files += fmt::format("<tr><td>{}</td><td class='n'>{}</td><td class='soft'>{}</td></tr>",
                             escaped(said(file, "name")),
                             file.is_object() && file.value("size", json()).is_number_unsigned()
                                 ? groupedDigits(file["size"].get<std::uint64_t>())
                                 : std::string(),
                             escaped(said(file, "xxh64")));
    if (!files.empty())
        html += "<h2>Files</h2><div class='wide'><table><tr><th>name</th><th class='n'>bytes</th><th>XXH64</th></tr>" +
                files + "</table></div>";
    return htmlPage(name, html);
}

Status writeProofPage(const fs::path& target, const fs::path& record, const Proof& proof, const fs::path& file) {
    WYC_TRY(bytes, readWholeFile(record, 1ULL << 30));
    const json document = json::parse(bytes.begin(), bytes.end(), nullptr, false);
    const json known = document.is_object() ? document : json::object();
    return writePage(proofPage(target.filename().string(), known, proof, picturesOf(known, target)), file);
}

} // namespace wyc
