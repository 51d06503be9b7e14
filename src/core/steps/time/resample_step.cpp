// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include <fmt/format.h>

#include "steps/steps.h"
#include "steps/time/time_parts.h"

namespace wyc {
namespace {

using nlohmann::json;

Result<TimeChange> resampleMeans(const Scene& scene, const json& options) {
    WYC_TRY(rate, FrameRate::parse(options["rate"].get<std::string>()));
    const bool nearest = options["method"].get<std::string>() == "nearest";
    const auto span = spanOf(scene);
    TimeChange change{TimeMap(), scene.view, true};
    change.view.rate = rate;
    if (span) {
        const std::vector<double> frames = wholeFrames(span->first, span->last, rate);
        if (frames.empty())
            return fail(nothingLeft(scene));
        View view{.rate = rate};
        view.moments = Sampling::uniform(frames.front(), rate.secondsAt(1.0), frames.size());
        const std::vector<double> moments = nearest ? countedMoments(scene) : std::vector<double>();
        std::vector<TimePiece> pieces;
        if (!moments.empty()) {
            std::vector<double> shown;
            for (const double t : frames) {
                const auto after = std::lower_bound(moments.begin(), moments.end(), t);
                const bool first = after == moments.begin();
                const bool earlier = after == moments.end() || (!first && t - *(after - 1) < *after - t);
                shown.push_back(earlier ? *(after - 1) : *after);
            }
            for (std::size_t i = 0; i + 1 < frames.size(); ++i)
                pieces.push_back(mixPiece(frames[i], frames[i + 1], shown[i], shown[i + 1]));
            if (pieces.empty())
                pieces.push_back({TimePiece::Kind::Run, -kForever, kForever, shown[0], shown[0], 0.0, 0.0});
        }
        change.map = TimeMap(std::move(pieces));
        change.view = view;
    }
    return change;
}

} // namespace

StepType resampleStep() {
    return {"resample",
            "Resample",
            "Keeps the motion in seconds, and takes new samples at another rate",
            {{"rate", OptionKind::Rate, "fps", "the new rate", "24", {}},
             {"method", OptionKind::Choice, "", "between two samples", "linear", {"linear", "nearest"}}},
            &resampleMeans,
            nullptr,
            nullptr,
            [](const json& o) {
                return fmt::format("{} fps, {}", o["rate"].get<std::string>(), o["method"].get<std::string>());
            }};
}

} // namespace wyc
