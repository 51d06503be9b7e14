// SPDX-License-Identifier: GPL-3.0-or-later
#include "workbench/mending.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

namespace wyc {
namespace {

constexpr std::size_t kMostMends = 100;

std::int64_t microseconds(double seconds) {
    return static_cast<std::int64_t>(std::llround(seconds * 1e6));
}

// When the source shows what its points show at a moment; nothing where poses are mixed.
std::optional<std::int64_t> shownOfSource(const ItemView& view, double seconds) {
    const auto poses = view.timeOfPoints.at(seconds);
    return poses.size() == 1 && !poses.front().rest ? std::optional(microseconds(poses.front().seconds)) : std::nullopt;
}

bool isOfRange(const Finding& finding) {
    return finding.id.starts_with("range.");
}

// What a finding is about: the same one before and after a mend has the same key. Frames by the source's, since a mend
// may move them.
using Key = std::pair<std::string, std::int64_t>;
Key keyOf(const ItemView& view, const Finding& finding) {
    if (!finding.frame || finding.count > 1 || isOfRange(finding) || finding.id == "rate.differs")
        return {finding.id, 0};
    const double seconds = view.scene->view.rate.secondsAt(*finding.frame);
    return {finding.id, microseconds(view.timeOfPoints.heldAt(seconds))};
}

// Samples of the source that are shown as they are, and of these those that `findings` call wrong.
std::set<std::int64_t> goodSamples(const ItemView& view, const std::vector<Finding>& findings) {
    std::set<std::int64_t> wrong;
    for (const Finding& finding : findings)
        for (const double moment : finding.moments)
            wrong.insert(microseconds(moment));
    std::set<std::int64_t> good;
    for (const double moment : view.profile->times)
        if (const auto shown = shownOfSource(view, moment); shown && !wrong.contains(microseconds(moment)))
            good.insert(*shown);
    return good;
}

// One item beside those that checks compare it with: things of as many points, and no others.
class Mender {
  public:
    Mender(const Job& job, const std::vector<ItemView>& items, const ItemView& item, const Progress& progress)
        : job_(job), progress_(progress) {
        const auto points = [](const ItemView& view) {
            return view.profile->pointCounts.empty() ? std::size_t{0} : view.profile->pointCounts.front();
        };
        for (const ItemView& view : items)
            if (view.profile && (view.key == item.key || points(view) == points(item))) {
                if (view.key == item.key)
                    own_ = items_.size();
                items_.push_back(view);
            }
    }

    // The item with what is found on it.
    struct State {
        ItemView view;
        std::vector<Finding> findings;
    };
    [[nodiscard]] State looked(ItemView view) const {
        State state{std::move(view), {}};
        std::vector<ItemView> all = items_;
        all[own_] = state.view;
        for (ItemFinding& found : findingsOf(job_, {}, all))
            if (found.key == state.view.key && found.finding.severity != Severity::Note)
                state.findings.push_back(std::move(found.finding));
        return state;
    }
    [[nodiscard]] Result<State> with(const ItemView& item, const std::vector<Step>& steps) const {
        std::vector<ItemView> one{viewWith(item, steps)};
        if (one.front().error) // of the steps, or of a sample: nothing can be measured
            return fail(*one.front().error);
        WYC_CHECK(measureItems(one, progress_));
        return looked(std::move(one.front()));
    }

  private:
    const Job& job_;
    const Progress& progress_;
    std::vector<ItemView> items_;
    std::size_t own_ = 0;
};

std::map<Key, double> figuresOf(const Mender::State& state) {
    std::map<Key, double> figures;
    for (const Finding& finding : state.findings) {
        double& figure = figures[keyOf(state.view, finding)];
        figure = std::max(figure, finding.figure.value_or(0.0));
    }
    return figures;
}

// What moves or counts all of it comes first, what fills up its ends last: till then nobody knows what is missing.
int turnOf(const Finding& finding) {
    if (finding.id == "rate.differs")
        return 0;
    if (finding.id == "range.late" || finding.id == "range.early" || finding.id == "range.begins_at_zero")
        return 1;
    return isOfRange(finding) ? 3 : 2;
}

// Whether a mend did what it is for, and nothing else.
bool helps(const Mender::State& before, const Mender::State& after, const Finding& mended) {
    const auto had = figuresOf(before);
    const auto has = figuresOf(after);
    const Key key = keyOf(before.view, mended);
    const bool closed = std::any_of(mended.mend.begin(), mended.mend.end(),
                                    [](const Step& step) { return step.options.value("close", false); });
    for (const auto& [one, figure] : has) {
        if (one == key)
            return false;
        // What is late by a doubled frame has its end that much earlier: that is told, and has a mend of its own.
        if (closed && one.first.starts_with("range."))
            continue;
        const auto known = had.find(one);
        if (known == had.end() || figure > known->second * 1.01 + 1e-6)
            return false;
    }
    if (mended.id.starts_with("rate.") || mended.id == "range.long") // they take other samples, as they say
        return true;
    const std::set<std::int64_t> good = goodSamples(before.view, before.findings);
    std::set<std::int64_t> shown;
    for (const double moment : after.view.profile->times)
        if (const auto sample = shownOfSource(after.view, moment))
            shown.insert(*sample);
    return std::all_of(good.begin(), good.end(), [&](std::int64_t sample) {
        const auto near = shown.lower_bound(sample - 2);
        return near != shown.end() && *near <= sample + 2;
    });
}

Result<Mended> mendedItem(const Mender& mender, const ItemView& item,
                          const std::function<bool(const Finding&)>& wanted) {
    Mended result;
    result.key = item.key;
    Mender::State now = mender.looked(item);
    std::set<Key> hopeless; // as things are now
    while (result.done.size() < kMostMends) {
        const Finding* next = nullptr;
        for (const Finding& finding : now.findings)
            if (!finding.mend.empty() && wanted(finding) && !hopeless.contains(keyOf(now.view, finding)) &&
                (!next || turnOf(finding) < turnOf(*next)))
                next = &finding;
        if (!next)
            break;
        std::vector<Step> steps = now.view.steps;
        steps.insert(steps.end(), next->mend.begin(), next->mend.end());
        auto tried = mender.with(item, steps);
        if (!tried && tried.error().kind == ErrorKind::Cancelled)
            return fail(std::move(tried.error()));
        if (!tried || !helps(now, *tried, *next)) {
            hopeless.insert(keyOf(now.view, *next));
            continue;
        }
        result.done.push_back(*next);
        now = std::move(*tried);
        hopeless.clear(); // with this one gone another may help
    }
    result.steps = now.view.steps;
    for (Finding& finding : now.findings)
        if (wanted(finding))
            result.left.push_back(std::move(finding));
    return result;
}

} // namespace

Result<std::vector<Mended>> mended(const Job& job, const std::vector<ItemView>& items, const std::set<ItemKey>& keys,
                                   const std::function<bool(const Finding&)>& wanted, const Progress& progress) {
    std::vector<Mended> all;
    double done = 0.0;
    const double share = 1.0 / static_cast<double>(std::max<std::size_t>(1, keys.size()));
    for (const ItemView& item : items) {
        if (!item.profile || !keys.contains(item.key))
            continue;
        const Progress part = progress.part(done, done + share);
        WYC_TRY(outcome, mendedItem(Mender(job, items, item, part), item, wanted));
        all.push_back(std::move(outcome));
        done += share;
    }
    return all;
}

} // namespace wyc
