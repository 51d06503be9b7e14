// SPDX-License-Identifier: GPL-3.0-or-later
#include "workbench/workbench.h"

#include <algorithm>
#include <map>
#include <set>

#include <fmt/format.h>

#include "base/text.h"
#include "checks/measured.h"
#include "delivery/proof/shown.h"
#include "report/report.h"
#include "scene/stand_in.h"
#include "steps/shape/pieces.h"
#include "workbench/loops.h"

namespace wyc {
namespace {

// The item's own node after its steps: the first of its kind that has points or a body.
std::size_t shownNode(const Scene& scene, NodeKind kind) {
    std::size_t any = 0;
    for (std::size_t i = scene.nodes.size(); i-- > 0;)
        if (scene.nodes[i].geometry)
            any = i;
    for (std::size_t i = any; i < scene.nodes.size(); ++i)
        if (scene.nodes[i].geometry && scene.nodes[i].kind == kind)
            return i;
    return any;
}

ItemView viewOf(const OpenedSource& source, const Node& node, const JobItem* entry, const ItemView* old) {
    ItemView view;
    view.key = {source.id, node.path};
    view.name = node.name;
    view.kind = node.is().name;
    view.nodeKind = node.kind;
    view.source = source.source;
    if (entry)
        view.steps = entry->steps;
    view.leftOut = entry && entry->leftOut;
    view.loops = entry && entry->loops;
    if (old)
        view.rawProfile = old->rawProfile;
    auto made = itemScene(*source.source, node.path, view.steps);
    std::vector<Step> applied = view.steps;
    if (!made) { // shown as far as its steps go, with the error beside it
        view.error = made.error();
        while (!made && !applied.empty()) {
            applied.pop_back();
            made = itemScene(*source.source, node.path, applied);
        }
        if (made && !view.steps.empty())
            view.failedStep = applied.size();
    }
    if (made && !applied.empty()) {
        auto before = itemScene(*source.source, node.path, {});
        if (before) {
            MadeOfTime ofTime = madeOfTime(*before, applied);
            view.stretches = std::move(ofTime.stretches);
            view.heldBySteps = std::move(ofTime.held);
        }
        if (const auto meant = before ? intentionOf(std::make_shared<const Scene>(std::move(*before)), applied)
                                      : Result<Intention>(fail(std::move(before.error())))) {
            view.time = meant->time;
            view.timeOfPoints = meant->points;
        }
    }
    if (!made)
        return view;
    SeenTogether seen = piecesTogether(withStandIns(*made));
    view.scene = std::make_shared<const Scene>(std::move(seen.scene));
    view.pieces = seen.pieces;
    view.node = shownNode(*view.scene, node.kind);
    view.range = movingFrames(*view.scene, view.node);
    view.hidden = neverSeen(*view.scene, view.node);
    const ItemFacts facts = itemFacts(*view.scene, view.node);
    view.points = facts.points.value_or(0);
    view.faces = facts.faces.value_or(0);
    view.topology = facts.topology.value_or(0);
    if (facts.error && !view.error)
        view.error = facts.error;
    return view;
}

// What a reader remarked of a frame of the source, at the frame where it is shown now; nothing where it is shown no
// longer, or where its steps have put something into the gap.
std::optional<Finding> afterSteps(Finding finding, const ItemView& view) {
    if (!finding.frame || view.steps.empty() || view.time.isIdentity())
        return finding;
    const double seconds = view.source->scene.view.rate.secondsAt(*finding.frame);
    const auto span = view.time.outputSpanOf({seconds, seconds});
    if (!span)
        return std::nullopt;
    const double frame = snappedFrame(view.scene->view.rate.frameAt(span->first));
    if (frame != *finding.frame)
        finding.text += fmt::format(" (at {} after its steps)", frameText(frame));
    finding.frame = frame;
    return finding;
}

// What a reader said of its file is mended where the step that mends it is there.
bool isMended(const Finding& finding, const ItemView& view) {
    const auto isThere = [&](const Step& step) {
        const StepType* type = stepType(step.type);
        const auto wanted = type ? checkedOptions(*type, step.options) : Result<nlohmann::json>();
        return type && wanted && std::any_of(view.steps.begin(), view.steps.end(), [&](const Step& one) {
                   const auto own = checkedOptions(*type, one.options);
                   return one.on && one.type == step.type && own && *own == *wanted;
               });
    };
    return !finding.mend.empty() && std::all_of(finding.mend.begin(), finding.mend.end(), isThere);
}

// Of an item that is meant to loop. A closing copy that its own step makes is meant, too.
std::vector<Finding> cycleFindings(const ItemView& view, const std::string& label) {
    if (!*view.cycle) {
        Finding finding;
        finding.id = "loop.open";
        finding.severity = Severity::Fault;
        finding.item = label;
        finding.text = "It is meant to loop, and cannot: " + view.cycle->error().what;
        finding.advice = view.cycle->error().advice;
        return {finding};
    }
    std::vector<Finding> found = loopFindings(**view.cycle, label);
    const bool copied = std::any_of(view.steps.begin(), view.steps.end(), [](const Step& step) {
        return step.on && step.type == "loop" && step.options.value("closing_copy", false);
    });
    if (copied)
        std::erase_if(found, [](const Finding& finding) { return finding.id == "loop.closing_copy"; });
    return found;
}

bool hasSampleAt(const ItemView& view, double frame) {
    for (std::size_t i = 0; view.profile && i < view.profile->count(); ++i)
        if (sameFrame(view.frameAt(i), frame))
            return true;
    return false;
}

} // namespace

double ItemView::frameAt(std::size_t sample) const {
    return snappedFrame(scene->view.rate.frameAt(profile->times[sample]));
}

std::size_t ItemView::mostPoints() const {
    if (!profile || profile->pointCounts.empty())
        return points;
    return *std::max_element(profile->pointCounts.begin(), profile->pointCounts.end());
}

ItemView viewWith(const ItemView& item, std::vector<Step> steps) {
    const JobItem entry{item.key.source, item.key.path, std::move(steps), item.leftOut, item.loops};
    const auto node = item.source->shown().find(item.key.path);
    return viewOf({item.key.source, item.source, {}, {}}, item.source->shown().nodes[*node], &entry, &item);
}

std::vector<ItemView> itemsOf(const Job& job, const std::vector<OpenedSource>& sources,
                              const std::vector<ItemView>& before, bool& changed) {
    changed = false;
    std::map<ItemKey, const ItemView*> known;
    for (const ItemView& view : before)
        known.emplace(view.key, &view);
    std::vector<ItemView> result;
    for (const OpenedSource& source : sources) {
        if (!source.source)
            continue;
        const Scene& scene = source.source->shown();
        const std::vector<bool> isItem = itemMask(scene);
        for (std::size_t n = 0; n < scene.nodes.size(); ++n) {
            if (!isItem[n])
                continue;
            const Node& node = scene.nodes[n];
            const JobItem* entry = job.item(source.id, node.path);
            const auto found = known.find({source.id, node.path});
            const ItemView* old =
                found != known.end() && found->second->source == source.source ? found->second : nullptr;
            const bool same = old && old->scene && (entry ? old->steps == entry->steps : old->steps.empty());
            if (same) {
                result.push_back(*old);
                result.back().leftOut = entry && entry->leftOut;
                result.back().loops = entry && entry->loops;
                continue;
            }
            changed = true;
            result.push_back(viewOf(source, node, entry, old));
        }
    }
    changed = changed || result.size() != before.size();
    return result;
}

std::vector<OpenedSource> openedSources(const Job& job) {
    std::vector<OpenedSource> opened;
    for (const JobSource& entry : job.sources) {
        auto source = openSource(entry.spec, job.shot.rateOrDefault());
        if (source)
            opened.push_back({entry.id, std::move(*source), {}, {}});
        else
            opened.push_back({entry.id, nullptr, entry.spec.path.filename().string(), std::move(source.error())});
    }
    return opened;
}

Result<std::vector<OpenedSource>> openSources(const Job& job) {
    std::vector<OpenedSource> opened = openedSources(job);
    for (OpenedSource& entry : opened)
        if (entry.error)
            return fail(std::move(*entry.error));
    return opened;
}

Result<std::vector<ItemView>> measuredItemsOf(const Job& job, const std::vector<OpenedSource>& sources,
                                              const Progress& progress) {
    bool changed = false;
    std::vector<ItemView> items = itemsOf(job, sources, {}, changed);
    std::erase_if(items, [](const ItemView& view) { return view.leftOut; });
    WYC_CHECK(measureItems(items, progress));
    return items;
}

bool needsMeasuring(const ItemView& item) {
    return item.scene && (!item.profile || (item.loops && !item.cycle));
}

Status measureItems(std::vector<ItemView>& items, const Progress& progress) {
    for (std::size_t i = 0; i < items.size(); ++i) {
        ItemView& view = items[i];
        if (!needsMeasuring(view))
            continue;
        const double share = 1.0 / static_cast<double>(items.size());
        const Progress part = progress.part(static_cast<double>(i) * share, static_cast<double>(i + 1) * share);
        if (view.loops && !view.cycle) {
            auto cycle = checkLoop({{view.scene.get(), view.node, view.scene->unitMetres.value_or(1.0)}}, part);
            if (!cycle && cycle.error().kind == ErrorKind::Cancelled)
                return fail(std::move(cycle.error()));
            view.cycle = std::make_shared<const Result<LoopCheck>>(std::move(cycle));
        }
        if (view.profile)
            continue;
        WYC_TRY(profile, motionProfile(*view.scene, view.node, part));
        view.profile = std::make_shared<const MotionProfile>(std::move(profile));
        if (view.steps.empty())
            view.rawProfile = view.profile;
    }
    return {};
}

Result<SeenItem> seenBefore(const ItemView& item, std::size_t step) {
    const auto end = item.steps.begin() + static_cast<std::ptrdiff_t>(std::min(step, item.steps.size()));
    WYC_TRY(made, itemScene(*item.source, item.key.path, {item.steps.begin(), end}));
    SeenItem seen;
    seen.scene = std::make_shared<const Scene>(piecesTogether(withStandIns(made)).scene);
    seen.node = shownNode(*seen.scene, item.nodeKind);
    return seen;
}

Status measureAsItCame(ItemView& item, const Progress& progress) {
    WYC_TRY(seen, seenBefore(item, 0));
    WYC_TRY(profile, motionProfile(*seen.scene, seen.node, progress));
    item.rawProfile = std::make_shared<const MotionProfile>(std::move(profile));
    return {};
}

std::optional<FrameRange> rangeBefore(const ItemView& item, std::size_t step) {
    const auto seen = seenBefore(item, step);
    return seen ? movingFrames(*seen->scene, seen->node) : std::nullopt;
}

namespace {

// A step that cuts these frames and shows them again and again.
Step cycledFrom(double start, double frames) {
    return {"loop", {{"start", start}, {"length", frames}, {"close", "cut"}}, true};
}

// Of what a loop step made a cycle, the last that is said of its time; else of what is meant to loop and does, all of
// it.
std::optional<Step> goingOnWith(const ItemView& view) {
    if (!view.range || sameFrame(view.range->first, view.range->last))
        return std::nullopt;
    const auto isOfTime = [](const Step& step) {
        const StepType* type = stepType(step.type);
        return step.on && type && type->time;
    };
    const auto last = std::find_if(view.steps.rbegin(), view.steps.rend(), isOfTime);
    if (last != view.steps.rend() && last->type == "loop") {
        const auto options = checkedOptions(*stepType("loop"), last->options);
        if (!options || (*options)["travel"] == "goes on")
            return std::nullopt; // cut anew it would come back
        const double start = (*options)["start"];
        const double frames = periodOf({"loop", *options, true});
        const bool whole = view.range->contains(start) && view.range->contains(start + frames - 1.0);
        return whole ? std::optional(cycledFrom(start, frames)) : std::nullopt;
    }
    if (!view.loops || !view.cycle || !*view.cycle || !(*view.cycle)->loops)
        return std::nullopt;
    const double frames = view.range->count() - ((*view.cycle)->closingCopy ? 1.0 : 0.0);
    const bool counted = sameFrame(view.range->first, std::round(view.range->first)) && frames >= 2.0;
    return counted ? std::optional(cycledFrom(std::round(view.range->first), std::round(frames))) : std::nullopt;
}

} // namespace

std::vector<ItemFinding> findingsOf(const Job& job, const std::vector<OpenedSource>& sources,
                                    const std::vector<ItemView>& items) {
    std::vector<ItemFinding> found;
    // Steps and choices for what is not there: they would be dropped without a word.
    for (const OpenedSource& source : sources)
        for (const JobItem& entry : job.items) {
            if (!source.source || entry.source != source.id || source.source->tree->find(entry.path) ||
                (entry.steps.empty() && !entry.leftOut))
                continue;
            const bool steps = !entry.steps.empty();
            Finding finding{"job.item_gone",
                            steps ? Severity::Fault : Severity::Caution,
                            itemLabel(*source.source, entry.path),
                            {},
                            static_cast<double>(entry.steps.size()),
                            "steps",
                            steps ? fmt::format("Its {} step{} for an item that the source no longer has",
                                                entry.steps.size(), entry.steps.size() == 1 ? " is" : "s are")
                                  : "It was left out, and the source no longer has it",
                            "Give them to the item that took its place, or remove them: nothing that needs it is "
                            "delivered until then",
                            {},
                            {}};
            found.push_back({{source.id, entry.path}, std::move(finding)});
        }
    for (const OpenedSource& source : sources)
        if (source.error)
            found.push_back(
                {{source.id, {}},
                 {"source.unreadable",
                  Severity::Fault,
                  source.name,
                  {},
                  {},
                  "",
                  source.error->what,
                  source.error->advice.empty() ? "Put the file right and read it again" : source.error->advice,
                  {},
                  {}}});
    for (const ItemView& view : items)
        if (view.error && view.failedStep && !view.leftOut)
            found.push_back({view.key,
                             {"job.step_fails",
                              Severity::Fault,
                              itemLabel(*view.source, view.key.path),
                              {},
                              static_cast<double>(*view.failedStep + 1),
                              "step",
                              view.error->what,
                              "Change the step, switch it off or remove it: the item is shown as the steps before it "
                              "make it, and is not delivered until then",
                              {},
                              {}}});
    CheckInput input;
    input.shot = job.shot;
    std::map<std::string, ItemKey> keys;
    std::set<SourceId> told; // what a source says as a whole is told once
    for (const ItemView& view : items) {
        if (!view.scene || !view.profile || view.leftOut)
            continue;
        MeasuredItem item;
        item.scene = view.scene.get();
        item.node = view.node;
        item.label = itemLabel(*view.source, view.key.path);
        if (keys.contains(item.label)) // two folders with a file of one name
            item.label = view.source->spec.path.string() + view.key.path;
        item.source = view.source->name;
        item.sourcePath = view.source->spec.path.string();
        item.movesBySource = view.profile->count() > 1 && movingSpan(*view.scene, view.node).has_value();
        item.profile = view.profile;
        addRest(*view.source, view.steps, item);
        item.heldBySteps = view.heldBySteps;
        item.goesOn = goingOnWith(view);
        keys[item.label] = view.key;
        if (view.loops && view.cycle)
            for (Finding& finding : cycleFindings(view, item.label))
                found.push_back({view.key, std::move(finding)});
        input.items.push_back(std::move(item));
        const bool firstOfSource = told.insert(view.key.source).second;
        for (const ReaderRemark& remark : view.scene->report.remarks)
            if (remark.item.empty() ? firstOfSource : remark.item == view.key.path) {
                auto moved = afterSteps(readerFinding(remark), view);
                const bool filled = moved && moved->id == "frames.missing" && hasSampleAt(view, *moved->frame);
                if (moved && !filled && !isMended(*moved, view))
                    found.push_back({view.key, std::move(*moved)});
            }
    }
    for (Finding& finding : runChecks(input)) {
        const ItemKey key = keys[finding.item];
        found.push_back({key, std::move(finding)});
    }
    std::stable_sort(found.begin(), found.end(), [](const ItemFinding& a, const ItemFinding& b) {
        return a.finding.severity > b.finding.severity;
    });
    return found;
}

std::vector<FindingGroup> groupedFindings(const std::vector<ItemFinding>& findings) {
    std::vector<FindingGroup> groups;
    std::map<std::tuple<SourceId, std::string, std::string, std::optional<double>, std::string>, std::size_t> known;
    for (const ItemFinding& found : findings) {
        const Finding& f = found.finding;
        const auto [at, added] =
            known.try_emplace({found.key.source, f.id, f.text, f.frame, toJson(f.mend).dump()}, groups.size());
        if (added)
            groups.push_back({found, {}});
        groups[at->second].keys.push_back(found.key);
    }
    return groups;
}

} // namespace wyc
