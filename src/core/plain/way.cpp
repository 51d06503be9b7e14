// SPDX-License-Identifier: GPL-3.0-or-later
#include "plain/way.h"

#include <algorithm>
#include <cmath>

#include "plain/plain.h"
#include "scene/channels.h"

namespace wyc::plain {
namespace {

void widen(std::optional<TimeSpan>& span, double first, double last) {
    span = span ? TimeSpan{std::min(span->first, first), std::max(span->last, last)} : TimeSpan{first, last};
}

// When anything changes, and the points that have most samples.
std::optional<TimeSpan> changes(const Scene& scene, Times& pointTimes) {
    std::optional<TimeSpan> span;
    const auto add = [&](const Sampling& sampling) {
        if (sampling.count() > 1 && sampling.kind() != Sampling::Kind::Still)
            widen(span, sampling.firstTime(), sampling.lastTime());
    };
    std::size_t most = 1;
    for (std::size_t index = 0; index < scene.nodes.size(); ++index) {
        const Node& node = scene.nodes[index];
        const int own = static_cast<int>(index);
        if (node.geometry) {
            if (!node.geometry->pointsConstant())
                add(node.geometry->sampling());
            if (!node.geometry->sampling().isStill() && node.geometry->sampling().count() > most) {
                most = node.geometry->sampling().count();
                pointTimes = node.geometry->sampling().times();
            }
        }
        if (node.transform && !node.transform->constant())
            add(node.transform->sampling());
        for (const Channel& channel : channelsOf(node.properties))
            if (channel.meaning != Meaning::Unknown && !channel.values->constant())
                add(channel.values->sampling());
        if (node.is().place)
            continue;
        Times keys; // when anything says whether it is seen
        for (int i = own; i >= 0; i = scene.nodes[static_cast<std::size_t>(i)].parent)
            if (const auto& track = scene.nodes[static_cast<std::size_t>(i)].visibility)
                for (std::size_t k = 0; k < track->sampling.count(); ++k)
                    keys.push_back(track->sampling.time(k));
        std::sort(keys.begin(), keys.end());
        for (std::size_t k = 1; k < keys.size(); ++k)
            if (plainVisible(scene, index, keys[k]) != plainVisible(scene, index, keys[k - 1]))
                widen(span, keys[k], keys[k]);
    }
    return span;
}

// Points keyed here and there are counted in whole frames, as all is where they are not.
void countIn(const TimeSpan& span, Way& way) {
    if (!way.own.empty() &&
        static_cast<double>(way.own.size()) < 0.45 * (way.rate.frameAt(way.own.back() - way.own.front()) + 1.0))
        way.own.clear();
    way.counted = way.own;
    for (const double t : way.frames(span, way.rate))
        if (way.own.empty() || t < way.own.front() - kBeside || t > way.own.back() + kBeside)
            way.counted.push_back(t);
    std::sort(way.counted.begin(), way.counted.end());
}

} // namespace

Way wayOf(const Scene& source) {
    Way way;
    way.rate = source.view.rate;
    way.span = changes(source, way.own);
    way.hasPoints = std::any_of(source.nodes.begin(), source.nodes.end(), [](const Node& node) {
        return node.geometry && !node.geometry->sampling().isStill() && !node.geometry->pointsConstant();
    });
    if (way.span)
        countIn(*way.span, way);
    return way;
}

void moveWith(const Scene& content, const Scene& before, Way& way) {
    const Way now = wayOf(content);
    way.hasPoints = now.hasPoints;
    if (now.span == wayOf(before).span || way.bounded || way.only || !way.out)
        return;
    way.span = now.span ? std::optional(TimeSpan{way.out(now.span->first), way.out(now.span->last)}) : std::nullopt;
}

// What steps that build left of the source has other samples, and may move at other times.
void goOnWith(const Scene& content, const Scene& before, Way& way) {
    const Way now = wayOf(content);
    const Way was = wayOf(before);
    way.hasPoints = now.hasPoints;
    if ((now.own == was.own && now.span == was.span) || way.only)
        return;
    if (!way.out) {
        way.known = way.known && now.own == was.own;
        return;
    }
    const auto seen = [&](Times times) {
        for (double& t : times)
            t = way.out(t);
        return times;
    };
    way.own = seen(now.own);
    if (!way.bounded)
        way.span = now.span ? std::optional(TimeSpan{way.out(now.span->first), way.out(now.span->last)}) : std::nullopt;
    if (!way.span)
        return;
    const TimeSpan span = *way.span;
    if (now.span)
        countIn({way.out(now.span->first), way.out(now.span->last)}, way);
    const bool bounded = way.bounded;
    way.cut(span);
    way.bounded = bounded;
}

} // namespace wyc::plain
