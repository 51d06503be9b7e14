// SPDX-License-Identifier: GPL-3.0-or-later
#include "support/random_chain.h"

#include <cstdlib>

namespace wyc::test {

std::optional<std::pair<double, double>> movingTimes(const Scene& scene) {
    std::optional<std::pair<double, double>> span;
    const auto widen = [&](const Sampling& s) {
        if (s.count() < 2)
            return;
        const auto own = std::pair{s.time(0), s.time(s.count() - 1)};
        span = span ? std::pair{std::min(span->first, own.first), std::max(span->second, own.second)} : own;
    };
    for (std::size_t n = 0; n < scene.nodes.size(); ++n) {
        const Node& node = scene.nodes[n];
        if (node.geometry)
            widen(node.geometry->sampling());
        if (node.transform)
            widen(node.transform->sampling());
        for (const Channel& channel : channelsOf(node.properties))
            widen(channel.values->sampling());
        if (node.is().place)
            continue;
        for (std::size_t above = n;; above = static_cast<std::size_t>(scene.nodes[above].parent)) {
            if (const auto& track = scene.nodes[above].visibility)
                for (std::size_t i = 1; i < track->sampling.count(); ++i)
                    if (const double key = track->sampling.time(i);
                        test::plainVisible(scene, n, key) != test::plainVisible(scene, n, key - 1e-4)) // it flips
                        span = span ? std::pair{std::min(span->first, key), std::max(span->second, key)}
                                    : std::pair{key, key};
            if (scene.nodes[above].parent < 0)
                break;
        }
    }
    return span;
}

std::vector<double> framesOf(double first, double last, const FrameRate& rate, double step) {
    std::vector<double> times;
    for (double f = std::ceil(rate.frameAt(first) - 1e-6); f <= rate.frameAt(last) + 1e-6; f += step)
        times.push_back(rate.secondsAt(f));
    return times;
}

std::optional<Step> randomStep(Random& r, ChainMeaning& m) {
    const auto before = m;
    switch (r.whole(0, 15)) {
    case 0: {
        const double by = r.chance(70) ? r.whole(-20, 20) : r.real(-3, 3);
        const double seconds = m.rate.secondsAt(by);
        m.toSource = [=](double t) { return before.toSource(t - seconds); };
        m.first += seconds;
        m.last += seconds;
        for (double& t : m.only)
            t += seconds;
        return Step{"offset", {{"frames", by}}, true};
    }
    case 1:
    case 2: {
        const double a = std::round(m.rate.frameAt(m.first)) + r.whole(-3, 8);
        const double b = std::round(m.rate.frameAt(m.last)) - r.whole(-3, 8);
        m.first = std::max(m.first, m.rate.secondsAt(a));
        m.last = std::min(m.last, m.rate.secondsAt(b));
        std::erase_if(m.only, [&](double t) { return t < m.first - 1e-6 || t > m.last + 1e-6; });
        if (b < a || m.last - m.first < m.rate.secondsAt(1.5) || (!before.only.empty() && m.only.size() < 2)) {
            m = before;
            return std::nullopt;
        }
        if (!m.only.empty()) {
            m.first = m.only.front();
            m.last = m.only.back();
        }
        return Step{"trim", {{"first", a}, {"last", b}}, true};
    }
    case 3: {
        if (!m.only.empty())
            return std::nullopt;
        const int front = r.whole(0, 4);
        const int back = r.whole(0, 4);
        m.toSource = [=](double t) { return before.toSource(std::clamp(t, before.first, before.last)); };
        m.oneSpeed = false;
        m.first -= m.rate.secondsAt(front);
        m.last += m.rate.secondsAt(back);
        return Step{"hold", {{"before", front}, {"after", back}}, true};
    }
    case 4: {
        const FrameRate rate = *FrameRate::parse(std::vector<const char*>{"24", "25", "30", "48"}[r.engine() % 4]);
        const double speed = rate.value() / m.rate.value();
        m.toSource = [=](double t) { return before.toSource(t * speed); };
        m.first /= speed;
        m.last /= speed;
        for (double& t : m.only)
            t /= speed;
        m.rate = rate;
        return Step{"rate", {{"rate", rate.text()}}, true};
    }
    case 5: {
        const FrameRate rate = *FrameRate::parse(std::vector<const char*>{"24", "25", "48", "60"}[r.engine() % 4]);
        const auto frames = framesOf(m.first, m.last, rate);
        if (frames.size() < 3 || !m.only.empty())
            return std::nullopt;
        m.only = frames;
        m.first = frames.front();
        m.last = frames.back();
        m.rate = rate;
        return Step{"resample", {{"rate", rate.text()}}, true};
    }
    case 6: {
        if (!m.only.empty())
            return std::nullopt;
        std::string list;
        for (const double t : framesOf(m.first, m.last, m.rate))
            if (r.chance(40)) {
                m.only.push_back(t);
                list += fmt::format("{}{}", list.empty() ? "" : ",", std::round(m.rate.frameAt(t)));
            }
        if (m.only.size() < 3) {
            m = before;
            return std::nullopt;
        }
        m.first = m.only.front();
        m.last = m.only.back();
        return Step{"keep", {{"frames", list}}, true};
    }
    case 7: {
        // Samples around whole frames, beyond the ends too: the promise is for them.
        if (!m.only.empty())
            return std::nullopt;
        for (const double t : framesOf(m.first, m.last, m.rate))
            for (const double share : {-0.25, 0.0, 0.25})
                m.only.push_back(t + m.rate.secondsAt(share));
        if (m.only.size() < 6) {
            m = before;
            return std::nullopt;
        }
        m.first = m.only.front();
        m.last = m.only.back();
        return Step{"shutter", {{"open", -0.25}, {"close", 0.25}, {"samples", 3}}, true};
    }
    case 8: m.scale *= 100.0; return Step{"unit", {{"from", "m"}, {"to", "cm"}}, true};
    case 9: m.scale *= 0.5; return Step{"scale", {{"factor", 0.5}}, true};
    case 10: {
        const UpAxis from = static_cast<UpAxis>(r.whole(0, 2));
        const UpAxis to = static_cast<UpAxis>(r.whole(0, 2));
        m.turn = m.turn * upAxisTurn(from, to);
        return Step{"turn", {{"from", upAxisName(from)}, {"to", upAxisName(to)}}, true};
    }
    case 11: {
        const double to = r.whole(-10, 1100);
        const double seconds = m.rate.secondsAt(to - snappedFrame(m.rate.frameAt(m.first)));
        m.toSource = [=](double t) { return before.toSource(t - seconds); };
        m.first += seconds;
        m.last += seconds;
        for (double& t : m.only)
            t += seconds;
        return Step{"start", {{"frame", to}}, true};
    }
    case 12: {
        const double there = std::floor(m.rate.frameAt(m.last - m.first) + 1e-4) + 1.0;
        if (!m.only.empty() || there < 4)
            return std::nullopt;
        const double count = r.whole(3, static_cast<int>(there));
        m.last = m.first + m.rate.secondsAt(count - 1.0);
        return Step{"length", {{"frames", count}}, true};
    }
    case 13: {
        if (m.only.size() < 6)
            return std::nullopt;
        std::vector<double> kept;
        for (std::size_t i = 0; i < m.only.size(); i += 2)
            kept.push_back(m.only[i]);
        m.only = kept;
        m.first = kept.front();
        m.last = kept.back();
        return Step{"every", {{"count", 2}}, true};
    }
    case 14: {
        // A curve of straight runs, forwards, backwards and resting, over whole frames.
        const double low = std::ceil(m.rate.frameAt(m.first) - 1e-6);
        const double high = std::floor(m.rate.frameAt(m.last) + 1e-6);
        if (!m.only.empty() || high - low < 4)
            return std::nullopt;
        std::vector<std::pair<double, double>> keys;
        double out = std::round(low) + r.whole(-30, 30);
        for (int n = r.whole(2, 4); n > 0; --n) {
            keys.emplace_back(out, low + r.whole(0, static_cast<int>(high - low)));
            out += r.whole(2, 9);
        }
        std::string text;
        for (const auto& [o, i] : keys)
            text += fmt::format("{}{}={}", text.empty() ? "" : ", ", o, i);
        m.toSource = [=](double t) {
            const double f = std::clamp(before.rate.frameAt(t), keys.front().first, keys.back().first);
            std::size_t k = 0;
            while (k + 2 < keys.size() && f > keys[k + 1].first)
                ++k;
            const auto& [o0, i0] = keys[k];
            const auto& [o1, i1] = keys[k + 1];
            return before.toSource(before.rate.secondsAt(i0 + (i1 - i0) * (f - o0) / (o1 - o0)));
        };
        m.first = m.rate.secondsAt(keys.front().first);
        m.last = m.rate.secondsAt(keys.back().first);
        m.only = framesOf(m.first, m.last, m.rate);
        m.oneSpeed = false;
        return Step{"retime", {{"curve", text}}, true};
    }
    default: m.baked = true; return Step{"world", {{"groups", r.chance(50) ? "kept" : "dropped"}}, true};
    }
}

bool hasWholeFrames(const Scene& scene) {
    return std::all_of(scene.nodes.begin(), scene.nodes.end(), [&](const Node& node) {
        if (!node.geometry || node.geometry->sampling().count() < 2)
            return true;
        const std::vector<double> times = node.geometry->sampling().times();
        for (std::size_t i = 0; i < times.size(); ++i) {
            const double frame = scene.view.rate.frameAt(times[i]);
            if (std::abs(frame - std::round(frame)) > 1e-3 ||
                (i > 0 && std::abs(frame - scene.view.rate.frameAt(times[i - 1]) - 1.0) > 1e-3))
                return false;
        }
        return true;
    });
}

namespace {

std::optional<Step> randomLoop(Random& r, ChainMeaning& m) {
    const auto before = m;
    const double low = std::ceil(m.rate.frameAt(m.first) - 1e-6);
    const double high = std::floor(m.rate.frameAt(m.last) + 1e-6);
    if (!m.only.empty() || high - low < 5)
        return std::nullopt;
    const double length = r.whole(3, static_cast<int>(high - low) - 1);
    const double start = low + r.whole(0, static_cast<int>(high - low - length));
    const int cycles = r.whole(1, 3);
    m.toSource = [=](double t) {
        const double f = before.rate.frameAt(t) - start;
        return before.toSource(before.rate.secondsAt(start + f - std::floor((f + 1e-6) / length) * length));
    };
    m.first = m.rate.secondsAt(start);
    m.last = m.rate.secondsAt(start + length * cycles - 1.0);
    m.only = framesOf(m.first, m.last, m.rate);
    m.oneSpeed = false;
    return Step{"loop", {{"start", start}, {"length", length}, {"close", "cut"}, {"cycles", cycles}}, true};
}

// Up to so many frames lie between two samples of points.
constexpr double kWidest = 4.0;

std::optional<Step> randomDrop(Random& r, ChainMeaning& m) {
    const auto before = m;
    const double low = std::ceil(m.rate.frameAt(m.first) - 1e-6);
    const double high = std::floor(m.rate.frameAt(m.last) + 1e-6);
    if (high - low < 12 || !m.only.empty())
        return std::nullopt;
    const double a = low + 4 + r.whole(0, static_cast<int>(high - low) - 9);
    const double b = a + r.whole(0, 2);
    const nlohmann::json frames = a == b ? fmt::format("{}", a) : fmt::format("{}:{}", a, b);
    if (m.wholeFrames && r.chance(50)) {
        m.toSource = [=](double t) {
            return before.toSource(before.rate.frameAt(t) < a - 0.5 ? t : t + before.rate.secondsAt(b - a + 1.0));
        };
        m.last -= m.rate.secondsAt(b - a + 1.0);
        m.loose.emplace_back(m.rate.secondsAt(a - 1.0), m.rate.secondsAt(a));
        m.oneSpeed = false;
        return Step{"drop", {{"frames", frames}, {"close", true}}, true};
    }
    m.loose.emplace_back(m.rate.secondsAt(a - kWidest), m.rate.secondsAt(b + kWidest));
    m.oneSpeed = false;
    return Step{"drop", {{"frames", frames}, {"exactly", before.wholeFrames && r.chance(30)}}, true};
}

} // namespace

std::optional<Step> randomEnding(Random& r, ChainMeaning& m) {
    const auto before = m;
    const auto inner = [&](double front, double back) {
        m.first += m.rate.secondsAt(front);
        m.last -= m.rate.secondsAt(back);
        std::erase_if(m.only, [&](double t) { return t < m.first - 1e-6 || t > m.last + 1e-6; });
        if (m.rate.frameAt(m.last - m.first) >= 2.0 && (before.only.empty() || m.only.size() > 1))
            return true;
        m = before;
        return false;
    };
    switch (r.whole(0, 7)) {
    case 0:
    case 1: return randomLoop(r, m);
    case 2:
    case 3: return randomDrop(r, m);
    case 4:
        return before.only.empty() && before.wholeFrames ? std::optional(Step{"fill", nlohmann::json::object(), true})
                                                         : std::nullopt;
    case 5: {
        const int front = r.whole(0, 2);
        const int back = r.whole(0, 2);
        if (!before.only.empty() || !inner(front * kWidest, back * kWidest))
            return std::nullopt;
        return Step{"drop", {{"start", front}, {"end", back}}, true};
    }
    case 6: {
        const char* const choices[]{"as it is", "left out", "as its neighbour"};
        if (before.rate.frameAt(before.last - before.first) < 12.0)
            return std::nullopt;
        m.only.clear(); // points and all else go apart: nothing is judged by one time for both
        m.last = m.first - 1.0;
        m.oneSpeed = false;
        return Step{"ends", {{"first", choices[r.whole(0, 2)]}, {"last", choices[r.whole(0, 2)]}}, true};
    }
    default:
        if (!before.only.empty() || before.last - before.first < 0.1)
            return std::nullopt;
        m.oneSpeed = false;
        return Step{
            "lead_in",
            {{"frames", r.whole(1, 9)}, {"from", "frame"}, {"frame", std::ceil(m.rate.frameAt(m.first) + 1e-3)}},
            true};
    }
}

std::string described(const Scene& scene) {
    std::string text = fmt::format("at {} fps\n", scene.view.rate.text());
    const auto times = [&](const Sampling& sampling) {
        std::string list;
        for (std::size_t i = 0; i < std::min<std::size_t>(8, sampling.count()); ++i)
            list += fmt::format(" {:.3f}", scene.view.rate.frameAt(sampling.time(i)));
        return fmt::format("{} samples:{} … {:.3f}", sampling.count(), list,
                           scene.view.rate.frameAt(sampling.lastTime()));
    };
    for (const Node& node : scene.nodes) {
        text += "  " + node.path + " " + node.is().name + "\n";
        if (node.transform) {
            std::string ops;
            for (const TransformOp& op : node.transform->ops())
                ops += fmt::format(" {}", static_cast<int>(op.kind));
            text += "    transform" + ops + ", " + times(node.transform->sampling()) + "\n";
        }
        if (node.geometry)
            text += "    shape " + times(node.geometry->sampling()) + "\n";
    }
    return text;
}

int casesAsked(int standard) {
    const char* asked = std::getenv("WYC_TRUTH_CASES");
    return asked ? std::atoi(asked) : std::getenv("WYC_LONG_TESTS") ? standard * 10 : standard;
}

int firstCase() {
    const char* asked = std::getenv("WYC_TRUTH_FIRST");
    return asked ? std::atoi(asked) : 0;
}

std::optional<RandomCase> randomCase(unsigned seed, int mostSteps, bool floatTimes) {
    Random r(seed);
    r.floatTimes = floatTimes;
    RandomCase made;
    made.source = randomScene(r);
    const auto span = movingTimes(made.source);
    if (!span)
        return std::nullopt;
    made.meaning.rate = made.source.view.rate;
    made.meaning.first = span->first;
    made.meaning.last = span->second;
    for (int n = r.whole(1, mostSteps); n > 0; --n)
        if (const auto step = randomStep(r, made.meaning))
            made.chain.push_back(*step);
    made.meaning.wholeFrames =
        hasWholeFrames(made.source) && std::all_of(made.chain.begin(), made.chain.end(), [](const Step& s) {
            return s.type == "trim" || s.type == "unit" || s.type == "turn" || s.type == "scale";
        });
    if (r.chance(30))
        if (const auto step = randomEnding(r, made.meaning)) {
            made.chain.push_back(*step);
            if (step->type == "ends" && !applySteps(made.source, made.chain)) // too few samples are left for it
                made.chain.pop_back();
        }
    return made;
}

} // namespace wyc::test
