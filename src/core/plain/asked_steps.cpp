// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cmath>
#include <map>
#include <utility>

#include "base/text.h"
#include "plain/way.h"
#include "time/frame_text.h"

namespace wyc::plain {
namespace {

using nlohmann::json;

// A frame is from here on the next one's: where samples within frames are furthest apart, else at the frame itself.
double frameParts(const Times& moments, const Way& way) {
    Times shares;
    for (const double t : moments) {
        const double f = way.frame(t);
        shares.push_back(std::round((f - std::floor(f)) * 1000.0) / 1000.0);
    }
    std::sort(shares.begin(), shares.end());
    shares.erase(std::unique(shares.begin(), shares.end()), shares.end());
    double parts = 1.0;
    double widest = 0.0;
    for (std::size_t i = 0; i < shares.size(); ++i) {
        const bool last = i + 1 == shares.size();
        const double next = last ? shares.front() + 1.0 : shares[i + 1];
        // The gap up to the next frame counts first where several are alike.
        if (next - shares[i] > widest + (last ? -1e-6 : 1e-6)) {
            widest = next - shares[i];
            parts = (shares[i] + next) / 2.0;
        }
    }
    return parts;
}

bool isListed(const std::set<double>& listed, double frame, double parts, bool exactly) {
    const auto stands = [&](double one) {
        const auto near = listed.lower_bound(one - kFrameBeside);
        return near != listed.end() && *near <= one + kFrameBeside;
    };
    // Or it goes with the whole frame that it belongs to.
    return stands(frame) || (!exactly && stands(std::floor(frame - (parts - 1.0) + kFrameBeside)));
}

AskedPoses between(double a, double b, double share) {
    return {{a, 1.0 - share, false}, {b, share, false}};
}

bool drop(Way& way, const json& options) {
    if (!way.known)
        return false;
    const auto start = static_cast<std::size_t>(options["start"].get<double>());
    const auto end = static_cast<std::size_t>(options["end"].get<double>());
    const bool close = options["close"].get<bool>();
    const auto listed = parseFrameList(options["frames"].get<std::string>());
    const Times moments = way.moments();
    if (!listed || moments.empty())
        return false;
    const bool exactly = options["exactly"].get<bool>();
    const double parts = frameParts(moments, way);
    struct Kept {
        double out;
        double in;
        bool behindGap;
    };
    std::vector<Kept> kept;
    double shift = 0.0;
    std::optional<double> gap; // first moment of one
    std::vector<TimeSpan> gaps;
    for (std::size_t i = 0; i < moments.size(); ++i) {
        if (i < start || i + end >= moments.size() || isListed(*listed, way.frame(moments[i]), parts, exactly)) {
            gap = gap.value_or(moments[i]);
            continue;
        }
        if (gap && close)
            shift += moments[i] - *gap;
        kept.push_back({moments[i] - shift, moments[i], gap.has_value() && !kept.empty()});
        const bool wasGap =
            kept.size() > 1 && std::any_of(way.gaps.begin(), way.gaps.end(), [&](const TimeSpan& one) {
                return one.first >= kept[kept.size() - 2].in - kBeside && one.last <= moments[i] + kBeside;
            });
        if ((kept.back().behindGap && !close) || (wasGap && !kept.back().behindGap))
            gaps.push_back({kept[kept.size() - 2].out, kept.back().out});
        gap.reset();
    }
    if (kept.empty())
        return false;
    way.look([kept](double t) -> std::optional<AskedPoses> {
        const auto behind = std::upper_bound(kept.begin(), kept.end(), t + 1e-9,
                                             [](double moment, const Kept& one) { return moment < one.out; });
        const auto next = static_cast<std::size_t>(behind - kept.begin());
        if (next > 0 && next < kept.size() && kept[next].behindGap && t > kept[next - 1].out + 1e-9) {
            const Kept& a = kept[next - 1];
            const Kept& b = kept[next];
            return between(a.in, b.in, (t - a.out) / (b.out - a.out));
        }
        const Kept& by = kept[next == 0 ? 0 : next - 1];
        return AskedPoses{{t - by.out + by.in, 1.0, false}};
    });
    Times out;
    for (const Kept& one : kept)
        out.push_back(one.out);
    const bool startGone = kept.front().in != moments.front();
    const bool endGone = kept.back().in != moments.back();
    way.span = TimeSpan{startGone ? kept.front().out : way.span->first - kept.front().in + kept.front().out,
                        endGone ? kept.back().out : way.span->last - shift};
    Times own;
    for (const double t : way.own) {
        const auto near = std::lower_bound(kept.begin(), kept.end(), t - kBeside,
                                           [](const Kept& one, double moment) { return one.in < moment; });
        if (near != kept.end() && near->in <= t + kBeside)
            own.push_back(near->out);
    }
    way.own = std::move(own);
    way.counted = out;
    if (way.only)
        way.only = out;
    else
        way.gaps = gaps;
    way.bent();
    return true;
}

// An end of the points alone, where other things move beyond it.
bool ends(Way& way, const json& options) {
    if (!way.known)
        return false;
    Times own = way.only ? way.moments() : way.own;
    if (!way.only)
        std::erase_if(own, [&](double t) { return !way.inSpan(t); });
    const bool points = way.only ? way.hasPoints : !way.own.empty();
    if (own.empty())
        own = way.moments();
    if (own.size() < 4)
        return false;
    const double second = own[1];
    const double last = own[own.size() - 2];
    TimeSpan held{-1e300, 1e300};
    const TimeSpan before = *way.span;
    if (options["first"] == "left out" && std::abs(before.first - own.front()) < kBeside)
        way.span->first = second;
    else if (options["first"] != "as it is")
        held.first = second;
    if (options["last"] == "left out" && std::abs(before.last - own.back()) < kBeside)
        way.span->last = last;
    else if (options["last"] != "as it is")
        held.last = last;
    const auto where = [held](double t) {
        return std::optional(AskedPoses{{std::clamp(t, held.first, held.last), 1.0, false}});
    };
    if (held.first > -1e299 || held.last < 1e299) {
        const Shows others = way.all;
        way.look(where);
        if (points)
            way.all = others;
        way.out = nullptr;
    }
    way.within();
    way.bounded = true;
    return true;
}

bool hold(Way& way, const json& options) {
    const TimeSpan span = *way.span;
    way.lookAt([span](double t) { return std::clamp(t, span.first, span.last); });
    const Times moments = way.moments();
    const double first = way.only && !moments.empty() ? moments.front() : span.first;
    const double last = way.only && !moments.empty() ? moments.back() : span.last;
    Times front;
    Times back;
    for (double k = 1.0; k <= options["before"].get<double>(); k += 1.0)
        front.push_back(first - way.at(k));
    for (double k = 1.0; k <= options["after"].get<double>(); k += 1.0)
        back.push_back(last + way.at(k));
    way.add(front, back);
    way.span = TimeSpan{span.first - way.at(options["before"]), span.last + way.at(options["after"])};
    way.bent();
    return true;
}

bool keep(Way& way, const json& options) {
    const auto listed = parseFrameList(options["frames"].get<std::string>());
    if (!listed)
        return false;
    Times times;
    for (const double frame : *listed)
        if (!way.only && way.inSpan(way.at(frame)))
            times.push_back(way.at(frame));
    for (const double t : way.only ? way.moments() : Times())
        if (std::any_of(listed->begin(), listed->end(),
                        [&](double f) { return std::abs(f - way.rate.frameAt(t)) < kFrameBeside; }))
            times.push_back(t);
    way.want(std::move(times));
    return true;
}

bool every(Way& way, const json& options) {
    if (!way.known)
        return false;
    const auto count = static_cast<std::size_t>(options["count"].get<double>());
    if (count == 1)
        return true;
    Times kept;
    const Times moments = way.moments();
    if (moments.empty())
        return true;
    for (std::size_t i = 0; i < moments.size(); i += count)
        kept.push_back(moments[i]);
    way.want(std::move(kept));
    return true;
}

bool fill(Way& way, const json&) {
    if (!way.known)
        return false;
    const Times moments = way.moments();
    Times steps;
    for (std::size_t i = 1; i < moments.size(); ++i)
        steps.push_back(moments[i] - moments[i - 1]);
    if (steps.empty())
        return true;
    std::sort(steps.begin(), steps.end());
    const double usual =
        steps.size() % 2 == 1 ? steps[steps.size() / 2] : (steps[steps.size() / 2 - 1] + steps[steps.size() / 2]) / 2.0;
    Times all = moments;
    for (std::size_t i = 1; i < moments.size(); ++i) {
        const double width = moments[i] - moments[i - 1];
        const double count = std::round(width / usual);
        for (double k = 1.0; k < count; k += 1.0)
            all.push_back(moments[i - 1] + width * k / count);
    }
    if (all.size() > moments.size())
        way.want(std::move(all));
    return true;
}

bool length(Way& way, const json& options) {
    way.cut({way.span->first, way.at(way.frame(way.span->first) + options["frames"].get<double>() - 1.0)});
    return true;
}

bool trim(Way& way, const json& options) {
    const double handles = options["handles"];
    way.cut({way.at(options["first"].get<double>() - handles), way.at(options["last"].get<double>() + handles)});
    return true;
}

void later(Way& way, double frames) {
    const double seconds = way.at(frames);
    way.move([=](double t) { return t + seconds; }, [=](double t) { return t - seconds; });
}

bool offset(Way& way, const json& options) {
    later(way, options["frames"]);
    return true;
}

bool start(Way& way, const json& options) {
    later(way, options["frame"].get<double>() - way.frame(way.span->first));
    return true;
}

bool readAsRate(Way& way, const json& options) {
    const auto rate = FrameRate::parse(options["rate"].get<std::string>());
    if (!rate)
        return false;
    const FrameRate before = way.rate;
    way.move([=, r = *rate](double t) { return r.secondsAt(before.frameAt(t)); },
             [=, r = *rate](double t) { return before.secondsAt(r.frameAt(t)); });
    way.rate = *rate;
    return true;
}

bool resample(Way& way, const json& options) {
    const auto rate = FrameRate::parse(options["rate"].get<std::string>());
    if (!rate)
        return false;
    const Times frames = way.span ? way.frames(*way.span, *rate) : Times();
    if (options["method"] == "nearest" && !frames.empty()) {
        std::map<double, double> shown;
        const Times moments = way.moments();
        if (moments.empty() || !way.known)
            return false;
        for (const double t : frames) {
            const auto behind = std::lower_bound(moments.begin(), moments.end(), t);
            const bool first = behind == moments.begin();
            const bool earlier = behind == moments.end() || (!first && t - *(behind - 1) < *behind - t);
            shown[t] = earlier ? *(behind - 1) : *behind;
        }
        way.look([shown](double t) -> std::optional<AskedPoses> {
            const auto near = shown.lower_bound(t - kBeside);
            if (near == shown.end() || near->first > t + kBeside)
                return std::nullopt; // between them they are mixed
            return AskedPoses{{near->second, 1.0, false}};
        });
        way.bent();
    }
    way.rate = *rate;
    if (way.span)
        way.want(frames);
    return true;
}

bool shutter(Way& way, const json& options) {
    const double open = options["open"];
    const double close = options["close"];
    const int count = options["samples"];
    Times times;
    Times frames = way.only ? way.moments() : way.frames(*way.span, way.rate);
    way.leaveGaps(frames);
    for (const double t : frames)
        for (int k = 0; k < count; ++k)
            if (count < 2 || close - open < 1.0 || k + 1 < count) // a whole frame's ends in the next one's
                times.push_back(t + way.at(open + (close - open) * (count > 1 ? k / (count - 1.0) : 0.5)));
    way.want(std::move(times));
    return true;
}

// Samples that most frames have.
double samplesInAFrame(const Way& way) {
    const Times moments = way.moments();
    Times apart;
    for (std::size_t i = 1; i < moments.size(); ++i)
        apart.push_back(way.rate.frameAt(moments[i] - moments[i - 1]));
    if (apart.empty())
        return 1.0;
    std::sort(apart.begin(), apart.end());
    return std::min(32.0, std::max(1.0, std::round(1.0 / apart[apart.size() / 2])));
}

bool retime(Way& way, const json& options) {
    const double low = way.frame(way.span->first);
    const double high = way.frame(way.span->last);
    std::vector<std::pair<double, double>> keys; // frames: shown, of the source
    const std::string text(trimmed(options["curve"].get<std::string>()));
    if (text == "reverse") {
        keys = {{low, high}, {high, low}};
    } else if (text == "there and back") {
        keys = {{low, low}, {high, high}, {2 * high - low, low}};
    } else if (text.starts_with("x")) {
        const double speed = parseNumber(text.substr(1)).value_or(1.0);
        const double last = low + (high - low) / speed;
        keys = {{low, low}, {last, high}};
        if ((last - std::floor(last + kFrameBeside)) * speed > 1.0 - kFrameBeside)
            keys.emplace_back(std::ceil(last), high); // no whole frame is missing
    } else if (text.starts_with("hold ")) {
        const double frame = parseNumber(std::string(trimmed(text.substr(5)))).value_or(low);
        keys = {{low, frame}, {high, frame}};
    } else if (const auto pairs = numberPairs(text)) {
        keys = *pairs;
    }
    if (keys.size() < 2)
        return false;
    const bool smooth = options["shape"] == "smooth" && keys.size() > 2;
    const bool curved = options["between"] == "curve";
    const std::string beyond = options["beyond"];
    const double first = keys.front().first;
    const double last = keys.back().first;
    const double until = std::max(last, options["until"].get<double>());
    const FrameRate rate = way.rate;
    const Times poses = way.moments();
    way.look([=](double t) -> std::optional<AskedPoses> {
        double f = rate.frameAt(t);
        if (beyond != "hold" && f > last) {
            const bool back = beyond == "there and back";
            const double period = back || keys.front().second == keys.back().second ? last - first : last - first + 1.0;
            const double cycle = std::floor((f - first) / period + 1e-9);
            f -= cycle * period;
            if (back && std::fmod(cycle, 2.0) != 0.0)
                f = first + last - f;
        }
        f = std::clamp(f, first, last);
        std::size_t k = 1;
        while (k + 1 < keys.size() && f >= keys[k].first)
            ++k;
        const auto& [o0, i0] = keys[k - 1];
        const auto& [o1, i1] = keys[k];
        const double in = rate.secondsAt(i0 + (i1 - i0) * (f - o0) / (o1 - o0));
        if (smooth && std::abs(f - o0) > kFrameBeside && std::abs(f - o1) > kFrameBeside)
            return std::nullopt;
        if (curved && i0 != i1 && [&] {
                const auto near = std::lower_bound(poses.begin(), poses.end(), in - kBeside);
                return near == poses.end() || *near > in + kBeside;
            }())
            return std::nullopt;
        return AskedPoses{{in, 1.0, false}};
    });
    Times wanted;
    const double parts = samplesInAFrame(way);
    for (double n = std::ceil((first - kFrameBeside) * parts); n <= (until + kFrameBeside) * parts; n += 1.0)
        wanted.push_back(rate.secondsAt(n / parts));
    way.want(std::move(wanted));
    way.bent();
    return true;
}

double eased(const json& how, double u) {
    return how == "smooth"     ? u * u * (3.0 - 2.0 * u)
           : how == "smoother" ? u * u * u * (u * (u * 6.0 - 15.0) + 10.0)
                               : u;
}

// The weight of a fade, on its way.
std::optional<double> fadeWeight(const json& options, double u) {
    const std::string drawn = options["weights"];
    if (drawn.empty())
        return eased(options["weight"], u);
    const auto keys = numberPairs(drawn);
    if (!keys)
        return std::nullopt;
    std::pair<double, double> before{0.0, 0.0};
    for (std::size_t i = 0; i <= keys->size(); ++i) {
        const std::pair<double, double> next = i < keys->size() ? (*keys)[i] : std::pair{1.0, 1.0};
        if (u <= next.first)
            return next.first > before.first ? before.second + (next.second - before.second) * (u - before.first) /
                                                                   (next.first - before.first)
                                             : next.second;
        before = next;
    }
    return 1.0;
}

bool loop(Way& way, const json& options) {
    const double begin = options["start"];
    const double count = options["length"];
    const double fade = options["fade"];
    const bool bridged = options["close"] == "bridge";
    const bool faded = options["close"] == "overlap" && fade >= 1.0;
    const double period = count + (bridged ? fade : 0.0);
    const double room = begin - way.frame(way.span->first);
    const double behind = way.frame(way.span->last) - (begin + count - 1.0);
    const bool atEnd = options["side"] == "end" || (options["side"] == "either" && room >= std::min(fade, behind));
    double low = begin;
    double high = begin + period * options["cycles"].get<double>() - 1.0;
    if (const double asks = options["frames"]; asks > 0.0)
        high = begin + asks - 1.0;
    if (const std::string range = options["fill"]; !range.empty()) {
        const auto asks = FrameRange::parse(range);
        if (!asks)
            return false;
        low = asks->first;
        high = asks->last;
    }
    high += options["closing_copy"].get<bool>() ? 1.0 : 0.0;
    const FrameRate rate = way.rate;
    const bool keepsShape = options["keep_shape"];
    const Times before = way.only ? way.moments() : Times();
    way.look([=](double t) -> std::optional<AskedPoses> {
        const double f = rate.frameAt(t) - begin;
        if (begin + f < low - 1.0 || begin + f > high + 1.0) // nobody says how it goes on there
            return std::nullopt;
        const double in = begin + f - std::floor(f / period + 1e-7) * period;
        const auto pose = [&](double frame, double weight) { return AskedPose{rate.secondsAt(frame), weight, false}; };
        const double end = begin + count;
        if (faded) {
            const double from = atEnd ? end - fade : begin;
            const double u = (in - from) / fade;
            if (u > 1e-9 && u < 1.0 - 1e-9) {
                const auto weight = fadeWeight(options, u);
                if (keepsShape || !weight)
                    return std::nullopt;
                return AskedPoses{pose(atEnd ? in : in + count, 1.0 - *weight), pose(atEnd ? in - count : in, *weight)};
            }
            if (!atEnd && u <= 1e-9)
                return AskedPoses{pose(in + count, 1.0)};
        } else if (in > end - 1.0 + 1e-6) {
            if (bridged)
                return std::nullopt;
            return between(rate.secondsAt(end - 1.0), rate.secondsAt(begin), in - (end - 1.0));
        }
        return AskedPoses{pose(in, 1.0)};
    });
    const TimeSpan span{rate.secondsAt(low), rate.secondsAt(high)};
    // What is shown as it is, in every cycle.
    const TimeSpan plainly{rate.secondsAt(begin + (faded && !atEnd ? fade : 0.0)),
                           rate.secondsAt(begin + count - (faded ? (atEnd ? fade : 0.0) : 1.0))};
    const std::vector<TimeSpan> dropped = std::exchange(way.gaps, {});
    for (double k = std::floor((low - begin) / period); begin + k * period <= high; k += 1.0)
        for (const TimeSpan& gap : dropped)
            if (gap.first >= plainly.first - kBeside && gap.last <= plainly.last + kBeside)
                way.gaps.push_back({gap.first + rate.secondsAt(k * period), gap.last + rate.secondsAt(k * period)});
    if (way.only) {
        Times times{span.last};
        for (double k = std::floor((low - begin) / period); begin + k * period <= high; k += 1.0) {
            const double by = rate.secondsAt(k * period);
            for (const double t : before)
                if (t >= rate.secondsAt(begin) - kBeside && t < rate.secondsAt(begin + period) - kBeside)
                    times.push_back(t + by);
            for (double f = begin + count - 1.0; bridged && f <= begin + period; f += 1.0)
                times.push_back(rate.secondsAt(f) + by);
        }
        std::erase_if(times, [&](double t) { return t < span.first - kBeside || t > span.last + kBeside; });
        way.want(std::move(times));
    } else {
        way.counted = way.frames(span, rate);
        way.leaveGaps(way.counted);
        way.own = way.hasPoints ? way.counted : Times();
        way.known = true;
        way.span = span;
    }
    way.bent();
    return true;
}

bool leadIn(Way& way, const json& options) {
    const double count = options["frames"];
    if (count < 1.0)
        return true;
    const bool fromRest = options["from"] == "rest pose";
    const double first = way.span->first;
    const double pose = options["from"] == "frame" ? way.at(options["frame"]) : first;
    const double from = first - way.at(count);
    way.look([=](double t) -> std::optional<AskedPoses> {
        if (t >= first - 1e-9)
            return AskedPoses{{t, 1.0, false}};
        if (t > from + 1e-9)
            return std::nullopt; // parts turn as wholes
        return AskedPoses{{pose, 1.0, fromRest}};
    });
    Times front;
    for (double k = 1.0; k <= count; k += 1.0)
        front.push_back(first - way.at(k));
    way.add(front, {});
    way.span->first = from;
    way.bent();
    if (options["place"] == "shot later")
        later(way, count);
    return true;
}

} // namespace

Asks asksOf(std::string_view step) {
    static const std::map<std::string_view, Asks> kTable{
        {"drop", &drop},       {"ends", &ends},     {"hold", &hold},       {"keep", &keep},
        {"every", &every},     {"fill", &fill},     {"length", &length},   {"trim", &trim},
        {"offset", &offset},   {"start", &start},   {"rate", &readAsRate}, {"resample", &resample},
        {"shutter", &shutter}, {"retime", &retime}, {"loop", &loop},       {"lead_in", &leadIn},
    };
    const auto found = kTable.find(step);
    return found == kTable.end() ? nullptr : found->second;
}

} // namespace wyc::plain
