// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include "base/text.h"
#include "steps/steps.h"
#include "steps/time/time_parts.h"

namespace wyc {
namespace {

using nlohmann::json;

Result<TimeChange> leadInMeans(const Scene& scene, const json& options) {
    const FrameRate rate = scene.view.rate;
    WYC_TRY(span, movingOrRefused(scene, "lead into"));
    const double count = options["frames"].get<double>();
    const bool rest = options["from"] == "rest pose";
    if (rest && !scene.rest)
        return fail(
            badInput("no rest pose is known here", "Choose a frame to begin from, or give the cache its rest mesh"));
    double pose = span.first;
    if (options["from"] == "frame") {
        pose = rate.secondsAt(options["frame"].get<double>());
        if (!insideSpan(span, pose))
            return fail(badInput(fmt::format("frame {} is not there", frameText(options["frame"].get<double>())),
                                 fmt::format("There is {}", rangeWords(span, rate))));
    }
    if (count < 1.0)
        return asItIs(scene);
    TimePiece lead{TimePiece::Kind::Fade};
    lead.from = snappedToFrame(span.first - rate.secondsAt(count), rate);
    lead.to = span.first;
    lead.anchor = lead.from;
    lead.inFrom = pose;
    lead.inTo = span.first;
    lead.speed = lead.speedTo = 0.0;
    lead.fromRest = rest;
    lead.keepsShape = true; // parts turn, they do not slide
    lead.ease = std::make_shared<const Ease>(easeOf(options["ease"]));
    View view = scene.view;
    std::vector<double> front;
    for (double k = 1.0; k <= count; k += 1.0)
        front.push_back(snappedToFrame(span.first - rate.secondsAt(k), rate));
    view.counted = countedWith(scene, front, {});
    if (view.moments)
        view.moments = samplingFromTimes(view.counted->all);
    view.range = TimeSpan{lead.from, span.last};
    TimeMap map({lead, runPiece(span.first, kForever, span.first, 1.0)});
    if (options["place"] == "before the shot")
        return TimeChange{map, view};
    // All of it later, so that it begins where it began.
    const double by = rate.secondsAt(count);
    const auto later = [&](double t) { return snappedToFrame(t + by, rate); };
    view = shifted(view, later, 1.0);
    return TimeChange{TimeMap::run(by, 0.0).of(map), view};
}

} // namespace

StepType leadInStep() {
    return {"lead_in",
            "Lead-in",
            "Frames in front that lead from the rest pose, or a frame's, into the first pose",
            {{"frames", OptionKind::WholeNumber, "frames", "how many", 24.0, {}, 0, 1e5},
             {"from", OptionKind::Choice, "", "what it begins with", "rest pose", {"rest pose", "frame"}},
             {"frame", OptionKind::Frame, "", "the frame that it begins with", 1.0, {}, -1e7, 1e7},
             {"ease", OptionKind::Choice, "", "how it goes", "smooth", {"linear", "smooth", "smoother"}},
             {"place",
              OptionKind::Choice,
              "",
              "the shot's own frames stay where they are, or all goes later",
              "before the shot",
              {"before the shot", "shot later"}}},
            &leadInMeans,
            nullptr,
            nullptr,
            [](const json& o) {
                return fmt::format("{} frames from {}, {}", frameText(o["frames"]),
                                   o["from"] == "frame" ? "frame " + frameText(o["frame"])
                                                        : std::string("the rest pose"),
                                   o["place"].get<std::string>());
            }};
}

} // namespace wyc
