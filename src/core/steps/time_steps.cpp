// SPDX-License-Identifier: GPL-3.0-or-later
// Steps on time: offset, start, trim, hold, drop, every, rate, resample.
#include <algorithm>
#include <cmath>
#include <set>

#include <fmt/format.h>

#include "base/text.h"
#include "scene/camera.h"
#include "steps/retimed.h"
#include "steps/steps.h"

namespace wyc {
namespace {

using nlohmann::json;

Retiming shifted(const Sampling& sampling, double seconds, double scale = 1.0) {
    Retiming result = keptSamples(sampling, [](std::size_t) { return true; });
    std::vector<double> stored = sampling.storedTimes();
    for (double& time : stored)
        time = time * scale + seconds;
    switch (sampling.kind()) {
    case Sampling::Kind::Still: break;
    case Sampling::Kind::Uniform:
        result.sampling = Sampling::uniform(stored[0], sampling.cycleSeconds() * scale, sampling.count());
        break;
    case Sampling::Kind::Cyclic:
        result.sampling = Sampling::cyclic(stored, sampling.cycleSeconds() * scale, sampling.count());
        break;
    case Sampling::Kind::Acyclic: result.sampling = Sampling::acyclic(stored); break;
    }
    return result;
}

// A shift by whole frames keeps times at exactly frame / rate where they were there before.
double snappedTime(double seconds, const FrameRate& rate) {
    const double frame = rate.frameAt(seconds);
    const double whole = std::round(frame);
    return std::abs(frame - whole) < 1e-6 ? rate.secondsAt(whole) : seconds;
}

Result<Scene> shiftedScene(const Scene& scene, double frames) {
    const FrameRate rate = scene.workingRate;
    return retimed(scene, [=](const Sampling& sampling) -> Result<Retiming> {
        Retiming result = shifted(sampling, rate.secondsAt(frames));
        if (result.sampling.kind() == Sampling::Kind::Uniform)
            result.sampling = Sampling::uniform(snappedTime(result.sampling.time(0), rate), sampling.cycleSeconds(),
                                                sampling.count());
        return result;
    });
}

Result<Scene> applyOffset(const Scene& scene, const json& options) {
    return shiftedScene(scene, options["frames"].get<double>());
}

Result<Scene> applyStart(const Scene& scene, const json& options) {
    const auto span = movingSpan(scene);
    if (!span)
        return scene;
    return shiftedScene(scene, options["frame"].get<double>() - snappedFrame(scene.workingRate.frameAt(span->first)));
}

Result<Scene> applyTrim(const Scene& scene, const json& options) {
    const double handles = options["handles"].get<double>();
    const FrameRange range = FrameRange{options["first"].get<double>(), options["last"].get<double>()}.widened(handles);
    if (range.last < range.first)
        return fail(makeError(ErrorKind::BadInput, fmt::format("the range {} ends before it begins", range.text())));
    const FrameRate rate = scene.workingRate;
    return retimed(scene, [=](const Sampling& sampling) -> Result<Retiming> {
        return keptSamples(sampling, [&](std::size_t i) { return range.contains(rate.frameAt(sampling.time(i))); });
    });
}

Result<Scene> applyHold(const Scene& scene, const json& options) {
    const auto before = static_cast<std::size_t>(options["before"].get<double>());
    const auto after = static_cast<std::size_t>(options["after"].get<double>());
    const FrameRate rate = scene.workingRate;
    return retimed(scene, [=](const Sampling& sampling) -> Result<Retiming> {
        std::vector<double> times;
        Retiming result;
        const auto add = [&](double time, std::size_t sample) {
            times.push_back(time);
            result.picks.push_back({static_cast<std::uint32_t>(sample), static_cast<std::uint32_t>(sample), 0.0F});
        };
        const std::size_t last = sampling.count() - 1;
        for (std::size_t i = before; i > 0; --i)
            add(snappedTime(sampling.time(0) - rate.secondsAt(static_cast<double>(i)), rate), 0);
        for (std::size_t i = 0; i <= last; ++i)
            add(sampling.time(i), i);
        for (std::size_t i = 1; i <= after; ++i)
            add(snappedTime(sampling.time(last) + rate.secondsAt(static_cast<double>(i)), rate), last);
        result.sampling = samplingFromTimes(times);
        return result;
    });
}

Result<std::set<double>> parseFrameList(const std::string& text) {
    std::set<double> frames;
    for (const std::string& part : splitText(text, ',')) {
        if (trimmed(part).empty())
            continue;
        if (part.find(':') != std::string::npos) {
            WYC_TRY(range, FrameRange::parse(trimmed(part)));
            if (range.count() > 1e6)
                return fail(makeError(ErrorKind::BadInput, fmt::format("'{}' is too many frames", part)));
            for (double frame = range.first; frame <= range.last + kFrameTolerance; frame += 1.0)
                frames.insert(frame);
        } else if (const auto frame = parseNumber(part)) {
            frames.insert(*frame);
        } else {
            return fail(makeError(ErrorKind::BadInput, fmt::format("'{}' is no frame", part))
                            .withAdvice("Write frames and ranges, as 1009,1020:1024"));
        }
    }
    return frames;
}

bool holdsFrame(const std::set<double>& frames, double frame) {
    const auto near = frames.lower_bound(frame - kFrameTolerance);
    return near != frames.end() && *near <= frame + kFrameTolerance;
}

Result<Scene> applyKeep(const Scene& scene, const json& options) {
    WYC_TRY(listed, parseFrameList(options["frames"].get<std::string>()));
    if (listed.empty())
        return fail(makeError(ErrorKind::BadInput, "no frame is listed").withAdvice("Write them as 1009,1020:1024"));
    return retimed(scene, [rate = scene.workingRate, listed = listed](const Sampling& sampling) -> Result<Retiming> {
        return keptSamples(sampling, [&](std::size_t i) { return holdsFrame(listed, rate.frameAt(sampling.time(i))); });
    });
}

Result<Scene> applyLength(const Scene& scene, const json& options) {
    const double count = options["frames"];
    const auto span = movingSpan(scene);
    if (!span)
        return scene;
    const FrameRate rate = scene.workingRate;
    const double first = snappedFrame(rate.frameAt(span->first));
    const double there = std::floor(rate.frameAt(span->last) - first + kFrameTolerance) + 1.0;
    if (there < count)
        return fail(makeError(ErrorKind::BadInput,
                              fmt::format("{} frames are asked for, {} are there", frameText(count), frameText(there)))
                        .withAdvice("Ask for fewer, or hold the last pose with a Hold step"));
    const FrameRange range{first, first + count - 1.0};
    return retimed(scene, [=](const Sampling& sampling) -> Result<Retiming> {
        return keptSamples(sampling, [&](std::size_t i) { return range.contains(rate.frameAt(sampling.time(i))); });
    });
}

Result<Scene> applyShutter(const Scene& scene, const json& options) {
    const double open = options["open"];
    const double close = options["close"];
    const auto count = static_cast<std::size_t>(options["samples"].get<double>());
    if (close < open || (count > 1 && close == open))
        return fail(makeError(ErrorKind::BadInput, "the shutter closes before it opens"));
    if (close - open > 1.0)
        return fail(makeError(ErrorKind::BadInput, "the shutter is open for more than a frame"));
    const FrameRate rate = scene.workingRate;
    return retimed(scene, [=](const Sampling& sampling) -> Result<Retiming> {
        const double first = std::ceil(rate.frameAt(sampling.firstTime()) - kFrameTolerance);
        const double last = std::floor(rate.frameAt(sampling.lastTime()) + kFrameTolerance);
        Retiming made;
        if (last < first || last - first > 1e7)
            return made;
        const auto frames = static_cast<std::size_t>(last - first) + 1;
        std::vector<double> times;
        for (std::size_t k = 0; k < count; ++k) {
            const double share = count > 1 ? static_cast<double>(k) / static_cast<double>(count - 1) : 0.5;
            times.push_back(rate.secondsAt(first + open + (close - open) * share));
        }
        const double frame = rate.secondsAt(1.0);
        // The whole frame's shutter ends where the next one begins: that sample would stand twice.
        if (count > 1 && close - open == 1.0)
            times.pop_back();
        made.sampling = times.size() == 1 ? Sampling::uniform(times[0], frame, frames)
                                          : Sampling::cyclic(times, frame, frames * times.size());
        for (std::size_t i = 0; i < made.sampling.count(); ++i) {
            const auto at = sampling.locate(made.sampling.time(i), rate);
            made.picks.push_back({static_cast<std::uint32_t>(at.below),
                                  static_cast<std::uint32_t>(at.weight > 0.0 ? at.above : at.below),
                                  static_cast<float>(at.weight)});
        }
        return made;
    });
}

Result<Scene> applyDrop(const Scene& scene, const json& options) {
    const auto start = static_cast<std::size_t>(options["start"].get<double>());
    const auto end = static_cast<std::size_t>(options["end"].get<double>());
    const bool close = options["close"].get<bool>();
    WYC_TRY(listed, parseFrameList(options["frames"].get<std::string>()));
    const FrameRate rate = scene.workingRate;
    const auto isListed = [listed = listed](double frame) { return holdsFrame(listed, frame); };
    return retimed(scene, [=](const Sampling& sampling) -> Result<Retiming> {
        const auto drops = [&](std::size_t i) {
            return i < start || i + end >= sampling.count() || isListed(rate.frameAt(sampling.time(i)));
        };
        Retiming result = keptSamples(sampling, [&](std::size_t i) { return !drops(i); });
        if (close && !result.picks.empty()) {
            // What follows a dropped frame moves up by one frame; the start stays where it was.
            std::vector<double> times;
            std::size_t dropped = 0;
            for (std::size_t i = 0; i < sampling.count(); ++i) {
                if (drops(i))
                    ++dropped;
                else
                    times.push_back(snappedTime(sampling.time(i) - rate.secondsAt(static_cast<double>(dropped)), rate));
            }
            result.sampling = samplingFromTimes(times);
        }
        return result;
    });
}

Result<Scene> applyEvery(const Scene& scene, const json& options) {
    const auto count = static_cast<std::size_t>(options["count"].get<double>());
    return retimed(scene, [=](const Sampling& sampling) -> Result<Retiming> {
        return keptSamples(sampling, [&](std::size_t i) { return i % count == 0; });
    });
}

// What is told in seconds when frames last longer by a factor: velocities and a camera's shutter.
class StretchedValues final : public ValuesWrapper {
  public:
    StretchedValues(ValuesPtr inner, SpaceRole role, double factor)
        : ValuesWrapper(std::move(inner)), role_(role), factor_(factor) {}
    [[nodiscard]] Result<PropertyValue> read(std::size_t sample) const override {
        WYC_TRY(value, inner().read(sample));
        changeNumbers(type(), value, [&]<class T>(std::span<T> numbers) {
            const auto scale = [&](std::size_t i, double by) {
                numbers[i] = static_cast<T>(static_cast<double>(numbers[i]) * by);
            };
            if (role_ == SpaceRole::Velocity)
                for (std::size_t i = 0; i < numbers.size(); ++i)
                    scale(i, 1.0 / factor_);
            else if (numbers.size() > kCameraShutterClose)
                for (const std::size_t i : {kCameraShutterOpen, kCameraShutterClose})
                    scale(i, factor_);
        });
        return value;
    }

  private:
    SpaceRole role_;
    double factor_;
};

PropertiesPtr stretched(PropertiesPtr properties, double factor) {
    return changedProperties(std::move(properties),
                             [factor](const PropertyNode& property, const std::string&, const auto&) -> ValuesPtr {
                                 if (property.role != SpaceRole::Velocity && property.role != SpaceRole::CameraCore)
                                     return property.values;
                                 return std::make_shared<StretchedValues>(property.values, property.role, factor);
                             });
}

Result<Scene> applyRate(const Scene& scene, const json& options) {
    WYC_TRY(rate, FrameRate::parse(options["rate"].get<std::string>()));
    const FrameRate before = scene.workingRate;
    const double scale = before.value() / rate.value();
    WYC_TRY(result, retimed(scene, [=](const Sampling& sampling) -> Result<Retiming> {
                Retiming slower = shifted(sampling, 0.0, scale);
                if (slower.sampling.kind() == Sampling::Kind::Uniform) {
                    // Exactly frame / rate, not a product of rounded numbers.
                    const double step = snappedFrame(before.frameAt(sampling.cycleSeconds()));
                    const double first = snappedFrame(before.frameAt(sampling.time(0)));
                    slower.sampling = Sampling::uniform(rate.secondsAt(first), rate.secondsAt(step), sampling.count());
                }
                return slower;
            }));
    if (scale != 1.0)
        for (Node& node : result.nodes)
            node.properties = stretched(node.properties, scale);
    result.rate = rate;
    result.workingRate = rate;
    return result;
}

Result<Scene> applyResample(const Scene& scene, const json& options) {
    WYC_TRY(rate, FrameRate::parse(options["rate"].get<std::string>()));
    const bool nearest = options["method"].get<std::string>() == "nearest";
    WYC_TRY(result, retimed(scene, [=](const Sampling& sampling) -> Result<Retiming> {
                const double first = std::ceil(rate.frameAt(sampling.firstTime()) - kFrameTolerance);
                const double last = std::floor(rate.frameAt(sampling.lastTime()) + kFrameTolerance);
                Retiming made;
                if (last < first || last - first > 1e7)
                    return made;
                const auto count = static_cast<std::size_t>(last - first) + 1;
                made.sampling = Sampling::uniform(rate.secondsAt(first), rate.secondsAt(1.0), count);
                for (std::size_t i = 0; i < count; ++i) {
                    const auto at = sampling.locate(made.sampling.time(i), rate);
                    Pick pick{static_cast<std::uint32_t>(at.below), static_cast<std::uint32_t>(at.above),
                              static_cast<float>(at.weight)};
                    if (nearest) {
                        pick.below = at.weight < 0.5 ? pick.below : pick.above;
                        pick.weight = 0.0F;
                    }
                    if (pick.weight == 0.0F)
                        pick.above = pick.below;
                    made.picks.push_back(pick);
                }
                return made;
            }));
    result.rate = rate;
    result.workingRate = rate;
    return result;
}

std::string signedFrames(double frames) {
    return fmt::format("{}{} frame{}", frames > 0 ? "+" : "", frameText(frames), std::abs(frames) == 1.0 ? "" : "s");
}

} // namespace

StepType offsetStep() {
    return {"offset",
            "Offset",
            "Moves all samples in time",
            {{"frames", OptionKind::Frame, "frames", "how far; negative is earlier", 0.0, {}, -1e7, 1e7}},
            &applyOffset,
            [](const json& o) { return signedFrames(o["frames"]); }};
}

StepType startStep() {
    return {"start",
            "Start at",
            "Moves all samples so that the first lies at a frame",
            {{"frame", OptionKind::Frame, "", "number of the first frame", 1.0, {}, -1e7, 1e7}},
            &applyStart,
            [](const json& o) { return fmt::format("frame {}", frameText(o["frame"])); }};
}

StepType trimStep() {
    return {"trim",
            "Trim",
            "Keeps the samples of a range and its handles; invents nothing beyond them",
            {{"first", OptionKind::Frame, "", "first frame kept", 1.0, {}, -1e7, 1e7},
             {"last", OptionKind::Frame, "", "last frame kept", 100.0, {}, -1e7, 1e7},
             {"handles", OptionKind::Frame, "frames", "kept beyond both ends", 0.0, {}, 0.0, 1e6}},
            &applyTrim,
            [](const json& o) {
                const double handles = o["handles"];
                return fmt::format("{} – {}{}", frameText(o["first"]), frameText(o["last"]),
                                   handles > 0 ? " ± " + frameText(handles) : "");
            }};
}

StepType holdStep() {
    return {"hold",
            "Hold",
            "Repeats the first and the last pose beyond the ends",
            {{"before", OptionKind::WholeNumber, "frames", "frames added in front", 0.0, {}, 0.0, 1e6},
             {"after", OptionKind::WholeNumber, "frames", "frames added at the end", 0.0, {}, 0.0, 1e6}},
            &applyHold,
            [](const json& o) {
                return fmt::format("{} before, {} after", frameText(o["before"]), frameText(o["after"]));
            }};
}

StepType dropStep() {
    return {"drop",
            "Drop frames",
            "Leaves samples out at the start, at the end, or by frame number",
            {{"start", OptionKind::WholeNumber, "frames", "samples left out at the start", 0.0, {}, 0.0, 1e6},
             {"end", OptionKind::WholeNumber, "frames", "samples left out at the end", 0.0, {}, 0.0, 1e6},
             {"frames", OptionKind::Text, "", "frames left out, as 1009,1020:1024", "", {}},
             {"close", OptionKind::Switch, "", "later frames move up to close the gap", false, {}}},
            &applyDrop,
            [](const json& o) {
                std::string words;
                if (o["start"] > 0)
                    words += fmt::format("{} at the start", frameText(o["start"]));
                if (o["end"] > 0)
                    words += fmt::format("{}{} at the end", words.empty() ? "" : ", ", frameText(o["end"]));
                if (const auto frames = o["frames"].get<std::string>(); !frames.empty())
                    words += fmt::format("{}{}", words.empty() ? "" : ", ", frames);
                return words + (o["close"].get<bool>() ? ", gap closed" : "");
            }};
}

StepType keepStep() {
    return {"keep",
            "Keep frames",
            "Keeps chosen frames only",
            {{"frames", OptionKind::Text, "", "frames kept, as 1009,1020:1024", "1001", {}}},
            &applyKeep,
            [](const json& o) { return o["frames"].get<std::string>(); }};
}

StepType lengthStep() {
    return {"length",
            "Length",
            "Keeps exactly so many frames from the first on; an error where there are fewer",
            {{"frames", OptionKind::WholeNumber, "frames", "how many", 100.0, {}, 1.0, 1e7}},
            &applyLength,
            [](const json& o) { return frameText(o["frames"]) + " frames"; }};
}

StepType shutterStep() {
    return {"shutter",
            "Shutter samples",
            "Takes several samples within every frame, from shutter open to shutter close",
            {{"open", OptionKind::Number, "frames", "from the frame; negative is before it", -0.25, {}, -1.0, 1.0},
             {"close", OptionKind::Number, "frames", "from the frame", 0.25, {}, -1.0, 1.0},
             {"samples", OptionKind::WholeNumber, "", "samples a frame, both ends included", 3.0, {}, 1.0, 64.0}},
            &applyShutter,
            [](const json& o) {
                return fmt::format("{} from {} to {} frame", frameText(o["samples"]), shortestNumber(o["open"]),
                                   shortestNumber(o["close"]));
            }};
}

StepType everyStep() {
    return {"every",
            "Every n-th",
            "Keeps every n-th sample, beginning with the first",
            {{"count", OptionKind::WholeNumber, "samples", "2 keeps every second", 2.0, {}, 1.0, 1e6}},
            &applyEvery,
            [](const json& o) { return fmt::format("one of {}", frameText(o["count"])); }};
}

StepType rateStep() {
    return {"rate",
            "Read as rate",
            "Keeps every frame and its number, and changes how long a frame lasts",
            {{"rate", OptionKind::Rate, "fps", "the rate the frames were made for", "24", {}}},
            &applyRate,
            [](const json& o) { return o["rate"].get<std::string>() + " fps, frames kept"; }};
}

StepType resampleStep() {
    return {"resample",
            "Resample",
            "Keeps the motion in seconds, and takes new samples at another rate",
            {{"rate", OptionKind::Rate, "fps", "the new rate", "24", {}},
             {"method", OptionKind::Choice, "", "between two samples", "linear", {"linear", "nearest"}}},
            &applyResample,
            [](const json& o) {
                return fmt::format("{} fps, {}", o["rate"].get<std::string>(), o["method"].get<std::string>());
            }};
}

} // namespace wyc
