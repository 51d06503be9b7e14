// SPDX-License-Identifier: GPL-3.0-or-later
#include "shell/workspace.h"

#include <algorithm>
#include <cmath>
#include <set>

#include <QDir>

#include "base/text.h"
#include "demo/lantern_shoal.h"
#include "report/report.h"
#include "scene/stand_in.h"
#include "steps/pieces.h"

namespace wyc::app {

double ItemView::frameAt(std::size_t sample) const {
    return snappedFrame(scene->workingRate.frameAt(profile->times[sample]));
}

std::optional<FrameRange> ItemView::range() const {
    if (!scene)
        return std::nullopt;
    const auto span = movingSpan(*scene, node);
    if (!span)
        return std::nullopt;
    return FrameRange{snappedFrame(scene->workingRate.frameAt(span->first)),
                      snappedFrame(scene->workingRate.frameAt(span->last))};
}

std::size_t ItemView::mostPoints() const {
    if (!profile || profile->pointCounts.empty())
        return points;
    return *std::max_element(profile->pointCounts.begin(), profile->pointCounts.end());
}

Workspace::Workspace(QObject* parent) : QObject(parent) {
    document_.onChange = [this] { sync(); };
    recheck_.setSingleShot(true);
    recheck_.setInterval(40);
    connect(&recheck_, &QTimer::timeout, this, &Workspace::measure);
    connect(&autosave_, &QTimer::timeout, this, [this] {
        if (const auto status = document_.autosave(); !status)
            emit problem(QString::fromStdString(status.error().text()));
    });
    autosave_.start(20'000);
}

const ItemView* Workspace::item(const ItemKey& key) const {
    const auto found = std::find_if(items_.begin(), items_.end(), [&](const ItemView& i) { return i.key == key; });
    return found == items_.end() ? nullptr : &*found;
}

FrameRange Workspace::playRange() const {
    if (const auto shot = job().shot.rangeWithHandles())
        return *shot;
    std::optional<FrameRange> all;
    for (const ItemView& view : items_) {
        if (const auto range = view.range()) {
            if (!all)
                all = range;
            all->first = std::min(all->first, range->first);
            all->last = std::max(all->last, range->last);
        }
    }
    return all.value_or(FrameRange{1, 100});
}

double Workspace::unitMetres(const ItemView& view) const {
    return view.scene && view.scene->unitMetres ? *view.scene->unitMetres : job().shot.unitMetres.value_or(1.0);
}

void Workspace::setActive(const ItemKey& key) {
    if (key == active_)
        return;
    active_ = key;
    emit activeChanged();
}

void Workspace::setFrame(double frame) {
    frameChosen_ = true;
    if (std::abs(frame - frame_) < 1e-9)
        return;
    frame_ = frame;
    emit frameChanged();
}

void Workspace::addPaths(const QStringList& paths) {
    std::vector<fs::path> list;
    for (const QString& path : paths) {
        if (path.endsWith(QStringLiteral(".wyc"))) {
            openJob(path);
            return;
        }
        list.emplace_back(path.toStdString());
    }
    auto gathered = gather(list, false);
    if (!gathered) {
        emit problem(QString::fromStdString(gathered.error().text()));
        return;
    }
    document_.edit("Add sources", [&](Job& next) {
        for (const SourceSpec& spec : gathered->specs) {
            const bool known = std::any_of(next.sources.begin(), next.sources.end(),
                                           [&](const JobSource& s) { return s.spec.path == spec.path; });
            if (!known)
                next.sources.push_back({next.freeSourceId(), spec});
        }
    });
}

void Workspace::removeSource(SourceId id) {
    document_.edit("Remove source", [&](Job& next) {
        std::erase_if(next.sources, [&](const JobSource& s) { return s.id == id; });
        std::erase_if(next.items, [&](const JobItem& i) { return i.source == id; });
    });
}

void Workspace::reloadSource(SourceId id) {
    for (SourceView& view : sources_)
        if (view.id == id) {
            view.source = nullptr;
            view.error.reset();
            view.opening = false;
        }
    rebuildItems();
    openPending();
}

void Workspace::setRest(SourceId id, const QString& path, const QString& object) {
    document_.edit("Choose rest mesh", [&](Job& next) {
        for (JobSource& source : next.sources)
            if (source.id == id) {
                source.spec.rest = fs::path(path.toStdString());
                source.spec.restObject = object.toStdString();
            }
    });
}

void Workspace::addSteps(const std::vector<ItemKey>& keys, const std::vector<Step>& steps, const QString& label) {
    document_.endMerge();
    document_.edit(label.toStdString(), [&](Job& next) {
        for (const ItemKey& key : keys) {
            auto& chain = next.itemFor(key.source, key.path).steps;
            chain.insert(chain.end(), steps.begin(), steps.end());
        }
    });
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

void Workspace::setSteps(const ItemKey& key, const std::vector<Step>& steps, const QString& label,
                         const QString& mergeKey) {
    document_.edit(
        label.toStdString(), [&](Job& next) { next.itemFor(key.source, key.path).steps = steps; },
        mergeKey.toStdString());
}

void Workspace::setLeftOut(const ItemKey& key, bool leftOut) {
    document_.edit(leftOut ? "Leave item out" : "Take item in",
                   [&](Job& next) { next.itemFor(key.source, key.path).leftOut = leftOut; });
}

void Workspace::openJob(const QString& path) {
    frameChosen_ = false;
    active_ = {};
    if (const auto status = document_.load(path.toStdString()); !status)
        emit problem(QString::fromStdString(status.error().text()));
}

bool Workspace::saveJob(const QString& path) {
    if (const auto status = document_.save(path.toStdString()); !status) {
        emit problem(QString::fromStdString(status.error().text()));
        return false;
    }
    return true;
}

void Workspace::newJob() {
    frameChosen_ = false;
    active_ = {};
    document_.reset();
}

void Workspace::openDemo(const QString& parentFolder) {
    QString folder = QDir(parentFolder).filePath(QStringLiteral("lantern-shoal"));
    for (int number = 2; QDir(folder).exists(); ++number) {
        // A demo that is whole is opened again; anything else is left alone.
        if (QFile::exists(folder + QStringLiteral("/faults.json"))) {
            openJob(folder + QStringLiteral("/lantern_shoal.wyc"));
            return;
        }
        folder = QDir(parentFolder).filePath(QStringLiteral("lantern-shoal-%1").arg(number));
    }
    runner_.start(
        tr("Making the demo"),
        [this, folder](const Progress& progress) -> Result<JobRunner::Done> {
            WYC_TRY(files, demo::writeDemo(folder.toStdString(), progress));
            return [this, job = files.job] { openJob(QString::fromStdString(job.string())); };
        },
        [this](const Error& error) { emit problem(QString::fromStdString(error.text())); });
}

std::string Workspace::labelOf(const ItemKey& key) const {
    const ItemView* view = item(key);
    return view ? itemLabel(*view->source, key.path) : key.path;
}

Result<std::vector<DeliveryInput>> Workspace::inputsOf(const DeliverySpec& spec) const {
    std::vector<SourcePtr> opened;
    for (const JobSource& entry : job().sources) {
        const auto found =
            std::find_if(sources_.begin(), sources_.end(), [&](const SourceView& s) { return s.id == entry.id; });
        opened.push_back(found == sources_.end() ? nullptr : found->source);
    }
    return deliveryInputs(job(), spec, opened);
}

void Workspace::sync() {
    std::vector<SourceView> next;
    for (const JobSource& entry : job().sources) {
        const auto found = std::find_if(sources_.begin(), sources_.end(),
                                        [&](const SourceView& s) { return s.id == entry.id && s.spec == entry.spec; });
        next.push_back(found == sources_.end() ? SourceView{entry.id, entry.spec, nullptr, false, std::nullopt}
                                               : *found);
    }
    sources_ = std::move(next);
    rebuildItems();
    openPending();
    emit jobChanged();
}

void Workspace::openPending() {
    for (SourceView& view : sources_) {
        if (view.source || view.opening || view.error)
            continue;
        view.opening = true;
        const SourceId id = view.id;
        const SourceSpec spec = view.spec;
        const auto settle = [this, id, spec](const SourcePtr& source, const std::optional<Error>& error) {
            for (SourceView& it : sources_) {
                if (it.id != id || it.spec != spec)
                    continue;
                it.opening = false;
                it.source = source;
                it.error = error;
            }
            rebuildItems();
        };
        runner_.start(
            tr("Opening %1").arg(QString::fromStdString(spec.path.filename().string())),
            [spec, settle, rate = rate()](const Progress&) -> Result<JobRunner::Done> {
                WYC_TRY(source, openSource(spec, rate));
                return [settle, source] { settle(source, std::nullopt); };
            },
            [settle](const Error& error) { settle(nullptr, error); });
    }
}

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

} // namespace

void Workspace::choose(const std::function<bool(const ItemView&)>& fits, const QString& label) {
    document_.edit(label.toStdString(), [&](Job& job) {
        for (const ItemView& view : items_) {
            const bool leaves = !fits(view);
            if (leaves || job.item(view.key.source, view.key.path))
                job.itemFor(view.key.source, view.key.path).leftOut = leaves;
        }
    });
}

void Workspace::rebuildItems() {
    std::vector<ItemView> next;
    bool changed = false;
    std::map<ItemKey, const ItemView*> before;
    for (const ItemView& view : items_)
        before.emplace(view.key, &view);
    for (const SourceView& source : sources_) {
        if (!source.source)
            continue;
        const Scene& scene = source.source->shown();
        const std::vector<bool> isItem = itemMask(scene);
        for (std::size_t n = 0; n < scene.nodes.size(); ++n) {
            const Node& node = scene.nodes[n];
            if (!isItem[n])
                continue;
            const JobItem* entry = job().item(source.id, node.path);
            const std::vector<Step> steps = entry ? entry->steps : std::vector<Step>{};
            const ItemKey key{source.id, node.path};
            const auto known = before.find(key);
            const ItemView* old =
                known != before.end() && known->second->source == source.source ? known->second : nullptr;
            if (old && old->steps == steps && old->scene) {
                next.push_back(*old);
                next.back().leftOut = entry && entry->leftOut;
                continue;
            }
            changed = true;
            ItemView view;
            view.key = key;
            view.name = node.name;
            view.kind = nodeKindName(node.kind);
            view.nodeKind = node.kind;
            view.source = source.source;
            view.steps = steps;
            view.leftOut = entry && entry->leftOut;
            if (old)
                view.rawProfile = old->rawProfile;
            auto made = itemScene(*source.source, node.path, steps);
            if (!made) {
                view.error = made.error();
                made = itemScene(*source.source, node.path, {}); // show it as it came, with the error beside it
            }
            if (made) {
                SeenTogether seen = piecesTogether(withStandIns(*made));
                view.scene = std::make_shared<const Scene>(std::move(seen.scene));
                view.pieces = seen.pieces;
                view.node = shownNode(*view.scene, node.kind);
                view.hidden = neverSeen(*view.scene, view.node);
                const ItemFacts facts = itemFacts(*view.scene, view.node);
                view.points = facts.points.value_or(0);
                view.faces = facts.faces.value_or(0);
                view.topology = facts.topology.value_or(0);
                if (facts.error && !view.error)
                    view.error = facts.error;
            }
            next.push_back(std::move(view));
        }
    }
    changed = changed || next.size() != items_.size();
    items_ = std::move(next);
    if (!item(active_)) {
        active_ = items_.empty() ? ItemKey{} : items_.front().key;
        emit activeChanged();
    }
    if (!frameChosen_ && (job().shot.range || !items_.empty())) {
        frame_ = job().shot.range ? job().shot.range->first : playRange().first;
        emit frameChanged();
    }
    ++generation_;
    emit itemsChanged();
    recheck_.start();
    if (changed)
        emit measuresChanged();
}

void Workspace::measure() {
    const bool opening = std::any_of(sources_.begin(), sources_.end(), [](const SourceView& s) { return s.opening; });
    if (measuring_ || opening) { // what is under way ends first, and asks again
        recheck_.start(opening ? 60 : 20);
        return;
    }
    struct Todo {
        ItemKey key;
        std::shared_ptr<const Scene> scene;
        std::size_t node;
        std::vector<Step> steps;
    };
    std::vector<Todo> todo;
    for (const ItemView& view : items_)
        if (view.scene && !view.profile)
            todo.push_back({view.key, view.scene, view.node, view.steps});
    if (todo.empty()) {
        check();
        return;
    }
    measuring_ = true;
    runner_.start(
        tr("Measuring"),
        [this, todo](const Progress& progress) -> Result<JobRunner::Done> {
            auto profiles = std::make_shared<std::vector<std::shared_ptr<const MotionProfile>>>();
            for (std::size_t i = 0; i < todo.size(); ++i) {
                const double share = 1.0 / static_cast<double>(todo.size());
                WYC_TRY(profile, motionProfile(*todo[i].scene, todo[i].node,
                                               progress.part(static_cast<double>(i) * share,
                                                             static_cast<double>(i + 1) * share)));
                profiles->push_back(std::make_shared<const MotionProfile>(std::move(profile)));
            }
            return [this, todo, profiles] {
                measuring_ = false;
                std::map<ItemKey, ItemView*> byKey;
                for (ItemView& view : items_)
                    byKey.emplace(view.key, &view);
                for (std::size_t i = 0; i < todo.size(); ++i) {
                    const auto found = byKey.find(todo[i].key);
                    if (found == byKey.end() || found->second->scene != todo[i].scene)
                        continue;
                    found->second->profile = (*profiles)[i];
                    if (todo[i].steps.empty())
                        found->second->rawProfile = found->second->profile;
                }
                emit measuresChanged();
                recheck_.start(0);
            };
        },
        [this](const Error& error) {
            measuring_ = false;
            if (error.kind != ErrorKind::Cancelled)
                emit problem(QString::fromStdString(error.text()));
        });
}

void Workspace::check() {
    // Values for the worker: scenes stay alive through the copies.
    struct Held {
        ItemView view;
    };
    auto held = std::make_shared<std::vector<Held>>();
    for (const ItemView& view : items_)
        if (view.scene && view.profile && !view.leftOut)
            held->push_back({view});
    const int generation = generation_;
    const Shot shot = job().shot;
    runner_.start(tr("Checking"), [this, held, shot, generation](const Progress&) -> Result<JobRunner::Done> {
        CheckInput input;
        input.shot = shot;
        std::map<std::string, ItemKey> keys;
        std::set<SourceId> told; // what a source says as a whole is told once
        auto found = std::make_shared<std::vector<ItemFinding>>();
        for (const Held& entry : *held) {
            MeasuredItem item;
            item.scene = entry.view.scene.get();
            item.node = entry.view.node;
            item.label = itemLabel(*entry.view.source, entry.view.key.path);
            item.source = entry.view.source->name;
            item.movesBySource =
                entry.view.profile->count() > 1 && movingSpan(*entry.view.scene, entry.view.node).has_value();
            item.profile = entry.view.profile;
            item.restPoints = restPointsOf(*entry.view.source);
            keys[item.label] = entry.view.key;
            input.items.push_back(std::move(item));
            const bool firstOfSource = told.insert(entry.view.key.source).second;
            for (Finding& finding : readerFindings(*entry.view.scene))
                if (finding.item.empty() ? firstOfSource : finding.item == entry.view.key.path)
                    found->push_back({entry.view.key, std::move(finding)});
        }
        for (Finding& finding : runChecks(input))
            found->push_back({keys[finding.item], std::move(finding)});
        std::stable_sort(found->begin(), found->end(), [](const ItemFinding& a, const ItemFinding& b) {
            return a.finding.severity > b.finding.severity;
        });
        return [this, found, generation] {
            if (generation != generation_)
                return; // the job moved on; another check is under way
            findings_ = std::move(*found);
            emit findingsChanged();
        };
    });
}

} // namespace wyc::app
