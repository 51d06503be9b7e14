// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/compose/clips.h"

#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "formats/usd/compose/stage.h"
#include "formats/usd/layer/path.h"

namespace wyc::usd {
namespace {

constexpr std::size_t kMostClips = 100'000;
constexpr double kBeforeJump = 4.440892098500626e-9; // where what was there before a jump is seen last

std::vector<std::pair<double, double>> pairsOf(const Value* value) {
    std::vector<std::pair<double, double>> pairs;
    if (!value)
        return pairs;
    if (const auto numbers = numbersOf(*value))
        for (std::size_t i = 0; i + 1 < numbers->size(); i += 2)
            pairs.emplace_back((*numbers)[i], (*numbers)[i + 1]);
    return pairs;
}

// "take.###.usdc" or "take.###.##.usdc" at a time.
std::optional<std::string> templateAt(const std::string& pattern, double time) {
    const std::size_t first = pattern.find('#');
    if (first == std::string::npos)
        return std::nullopt;
    std::size_t end = first;
    while (end < pattern.size() && pattern[end] == '#')
        ++end;
    const std::size_t digits = end - first;
    std::size_t decimals = 0;
    std::size_t behind = end;
    if (behind + 1 < pattern.size() && pattern[behind] == '.' && pattern[behind + 1] == '#') {
        ++behind;
        while (behind < pattern.size() && pattern[behind] == '#') {
            ++behind;
            ++decimals;
        }
    }
    if (pattern.find('#', behind) != std::string::npos)
        return std::nullopt;
    const std::string number = decimals > 0
                                   ? fmt::format("{:0{}.{}f}", time, digits + 1 + decimals, decimals)
                                   : fmt::format("{:0{}d}", static_cast<std::int64_t>(std::llround(time)), digits);
    return pattern.substr(0, first) + number + pattern.substr(behind);
}

class ClipSamples final : public Samples {
  public:
    struct Clip {
        double begin = 0.0; // active from here on …
        double end = 0.0;   // … to here
        std::shared_ptr<const Samples> samples;
        Value standard; // of the manifest, where the clip has none
    };
    ClipSamples(std::vector<Clip> clips, std::vector<std::pair<double, double>> times, bool fillsGaps)
        : clips_(std::move(clips)), mapping_(std::move(times)) {
        constexpr double kEver = std::numeric_limits<double>::infinity();
        for (std::size_t i = 1; i < mapping_.size(); ++i)
            if (mapping_[i].first == mapping_[i - 1].first)
                times_.push_back(mapping_[i].first - kBeforeJump);
        const auto counts = [&](double time) { return !fillsGaps || clipAt(time).samples; };
        for (const auto& [outside, inside] : mapping_)
            if (counts(outside))
                times_.push_back(outside);
        for (const Clip& clip : clips_) {
            if (!clip.samples) {
                if (!fillsGaps && clip.begin > -kEver)
                    times_.push_back(clip.begin);
                continue;
            }
            if (clip.begin > -kEver)
                times_.push_back(clip.begin);
            if (mapping_.empty()) {
                for (const double time : clip.samples->times())
                    if (time >= clip.begin && time < clip.end)
                        times_.push_back(time);
                continue;
            }
            for (std::size_t i = 0; i + 1 < mapping_.size(); ++i) {
                const auto& [o0, c0] = mapping_[i];
                const auto& [o1, c1] = mapping_[i + 1];
                if (o0 == o1 || c0 == c1 || o1 < clip.begin || o0 >= clip.end)
                    continue;
                for (const double time : clip.samples->times()) {
                    const double share = (time - c0) / (c1 - c0);
                    const double outside = o0 + share * (o1 - o0);
                    if (share >= 0.0 && share <= 1.0 && outside >= clip.begin && outside < clip.end)
                        times_.push_back(outside);
                }
            }
        }
        std::sort(times_.begin(), times_.end());
        times_.erase(std::unique(times_.begin(), times_.end()), times_.end());
        // Of a clip that is active for ever the beginning says nothing.
        if (times_.empty())
            times_.push_back(0.0);
    }
    [[nodiscard]] const std::vector<double>& times() const override { return times_; }
    [[nodiscard]] Result<Value> value(std::size_t sample) const override {
        const double time = times_[sample];
        const Clip& clip = clipAt(time);
        if (!clip.samples)
            return clip.standard.isNothing() ? Value(Block{}) : clip.standard;
        return at(*clip.samples, inside(time));
    }

  private:
    [[nodiscard]] const Clip& clipAt(double time) const {
        const Clip* found = &clips_.front();
        for (const Clip& clip : clips_)
            if (clip.begin <= time)
                found = &clip;
        return *found;
    }
    [[nodiscard]] double inside(double time) const {
        if (mapping_.empty())
            return time;
        if (time <= mapping_.front().first)
            return mapping_.front().second;
        for (std::size_t i = mapping_.size(); i-- > 0;)
            if (mapping_[i].first <= time) {
                if (i + 1 == mapping_.size() || mapping_[i].first == time)
                    return mapping_[i].second;
                const auto& [o0, c0] = mapping_[i];
                const auto& [o1, c1] = mapping_[i + 1];
                // Just before a jump it is where the jump begins.
                if (o1 - time <= kBeforeJump * 1.5)
                    return c1;
                return c0 + (c1 - c0) * ((time - o0) / (o1 - o0));
            }
        return mapping_.front().second;
    }
    static Result<Value> at(const Samples& samples, double time) {
        const std::vector<double>& times = samples.times();
        const auto above = std::upper_bound(times.begin(), times.end(), time);
        if (above == times.begin())
            return samples.value(0);
        const auto lower = static_cast<std::size_t>(above - times.begin()) - 1;
        WYC_TRY(earlier, samples.value(lower));
        if (above == times.end() || times[lower] == time || !earlier.data())
            return earlier;
        WYC_TRY(later, samples.value(lower + 1));
        if (!later.data())
            return earlier;
        return mixedValue(earlier.data()->type, earlier, later,
                          (time - times[lower]) / (times[lower + 1] - times[lower]));
    }

    std::vector<Clip> clips_;
    std::vector<std::pair<double, double>> mapping_;
    std::vector<double> times_;
};

} // namespace

std::optional<ClipSet> clipSetOf(const Dictionary& stated, std::string& problem) {
    ClipSet set;
    const auto text = [&](const char* key) {
        const Value* value = entryOf(&stated, key);
        return value && value->text() ? *value->text() : std::string();
    };
    const auto number = [&](const char* key) {
        const Value* value = entryOf(&stated, key);
        return value ? value->number() : std::nullopt;
    };
    set.primPath = text("primPath");
    set.manifest = text("manifestAssetPath");
    if (const Value* fills = entryOf(&stated, "interpolateMissingClipValues"))
        set.fillsGaps = fills->boolean().value_or(false);
    if (const std::string pattern = text("templateAssetPath"); !pattern.empty()) {
        const auto start = number("templateStartTime");
        const auto end = number("templateEndTime");
        const auto stride = number("templateStride");
        if (!start || !end || !stride || !(*stride > 0.0) || !(*end >= *start) ||
            (*end - *start) / *stride > static_cast<double>(kMostClips)) {
            problem = "its template has no usable start, end and stride";
            return std::nullopt;
        }
        const double shift = number("templateActiveOffset").value_or(0.0);
        if (std::abs(shift) > *stride) {
            problem = "its template's offset is larger than its stride";
            return std::nullopt;
        }
        std::map<double, double> times; // outside → inside
        for (std::size_t i = 0;; ++i) {
            const double time = *start + static_cast<double>(i) * *stride;
            if (time > *end + *stride * 1e-6)
                break;
            auto asset = templateAt(pattern, time);
            if (!asset) {
                problem = fmt::format("its template '{}' has no number", pattern);
                return std::nullopt;
            }
            set.active.emplace_back(time + shift, set.assets.size());
            set.assets.push_back(std::move(*asset));
            times.emplace(time, time);
            if (shift != 0.0) {
                times.emplace(time - std::abs(shift), time - std::abs(shift));
                times.emplace(time + std::abs(shift), time + std::abs(shift));
            }
        }
        set.times.assign(times.begin(), times.end());
        return set;
    }
    if (const Value* assets = entryOf(&stated, "assetPaths"))
        set.assets = textsOf(*assets);
    for (const auto& [time, which] : pairsOf(entryOf(&stated, "active"))) {
        if (!(which >= 0.0) || which >= static_cast<double>(set.assets.size())) {
            problem = fmt::format("it makes clip {} active, of {}", which, set.assets.size());
            return std::nullopt;
        }
        set.active.emplace_back(time, static_cast<std::size_t>(which));
    }
    set.times = pairsOf(entryOf(&stated, "times"));
    std::stable_sort(set.active.begin(), set.active.end(),
                     [](const auto& a, const auto& b) { return a.first < b.first; });
    std::stable_sort(set.times.begin(), set.times.end(),
                     [](const auto& a, const auto& b) { return a.first < b.first; });
    if (set.assets.empty() || set.active.empty()) {
        problem = "it names no clips, or none is ever active";
        return std::nullopt;
    }
    return set;
}

std::shared_ptr<const Samples> clipSamples(const ClipSet& set, const std::string& primPath,
                                           const std::string& attribute, const LayerOpener& opener) {
    const auto property = [&](const std::string& written) -> const PropertySpec* {
        const LayerPtr layer = opener(written);
        const PrimSpec* prim = layer ? layer->prim(primPath) : nullptr;
        return prim ? prim->property(attribute) : nullptr;
    };
    const PropertySpec* stated = nullptr;
    if (!set.manifest.empty()) {
        stated = property(set.manifest);
        if (!stated)
            return nullptr;
    }
    constexpr double kEver = std::numeric_limits<double>::infinity();
    std::vector<ClipSamples::Clip> clips;
    bool any = false;
    for (std::size_t i = 0; i < set.active.size(); ++i) {
        ClipSamples::Clip clip;
        clip.begin = i == 0 ? -kEver : set.active[i].first;
        clip.end = i + 1 < set.active.size() ? set.active[i + 1].first : kEver;
        if (const PropertySpec* found = property(set.assets[set.active[i].second]))
            if (const Value* value = found->field("timeSamples");
                value && value->samples() && !value->samples()->times().empty())
                clip.samples = *value->as<std::shared_ptr<const Samples>>();
        if (!clip.samples && stated)
            if (const Value* standard = stated->field("default"))
                clip.standard = *standard;
        any = any || clip.samples;
        clips.push_back(std::move(clip));
    }
    if (!any)
        return nullptr;
    return std::make_shared<const ClipSamples>(std::move(clips), set.times, set.fillsGaps);
}

} // namespace wyc::usd
