// SPDX-License-Identifier: GPL-3.0-or-later
#include "plain/asked.h"

#include <algorithm>

#include "plain/way.h"

namespace wyc {

Asked asked(const Scene& source, const std::vector<Step>& steps) {
    plain::Way way = plain::wayOf(source);
    Scene content = source; // as steps that build leave it, at the source's own times
    Asked result;
    for (const Step& step : steps) {
        const StepType* type = step.on ? stepType(step.type) : nullptr;
        if (!type || type->space)
            continue;
        const auto options = checkedOptions(*type, step.options);
        if (!options)
            break; // told when it is applied
        if (type->build) {
            auto built = applySteps(content, {step});
            if (!built || type->takes) {
                result.unknown = type->title;
                break;
            }
            if (type->recounts)
                plain::goOnWith(*built, content, way);
            else
                plain::moveWith(*built, content, way);
            content = std::move(*built);
            continue;
        }
        const plain::Asks asks = plain::asksOf(type->id);
        if (!asks || (way.span && !asks(way, *options))) {
            result.unknown = type->title;
            break;
        }
        if (!way.span) { // nothing moves: all that can change is how frames are counted
            if (type->id == "rate" || type->id == "resample")
                if (const auto rate = FrameRate::parse((*options)["rate"].get<std::string>()))
                    way.rate = *rate;
        }
    }
    result.rate = way.rate;
    result.span = way.span;
    result.onlyThese = way.only.has_value();
    result.gaps = way.gaps;
    result.poses = way.all;
    result.pointPoses = way.points;
    if (way.span) {
        result.moments = way.moments();
        if (!way.only) {
            plain::Times frames = way.frames(*way.span, way.rate);
            way.leaveGaps(frames);
            result.moments.insert(result.moments.end(), frames.begin(), frames.end());
            std::sort(result.moments.begin(), result.moments.end());
        }
    }
    return result;
}

} // namespace wyc
