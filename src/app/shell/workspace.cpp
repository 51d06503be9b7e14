// SPDX-License-Identifier: GPL-3.0-or-later
#include "shell/workspace.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include <QDir>

#include "base/text.h"
#include "demo/lantern_shoal.h"
#include "workbench/mending.h"

namespace wyc::app {

Workspace::Workspace(QObject* parent) : QObject(parent) {
    document_.onChange = [this] { sync(); };
    recheck_.setSingleShot(true);
    recheck_.setInterval(40);
    connect(&recheck_, &QTimer::timeout, this, &Workspace::measure);
    // A second after the last change: whoever loses the window loses no more than that.
    autosave_.setSingleShot(true);
    autosave_.setInterval(1000);
    connect(&autosave_, &QTimer::timeout, this, [this] {
        if (const auto status = document_.autosave(); !status)
            emit problem(QString::fromStdString(status.error().text()));
    });
    connect(this, &Workspace::activeChanged, this, &Workspace::measureRaw);
    // What is written in one go is looked at once, when it has come to rest.
    lookAgain_.setSingleShot(true);
    lookAgain_.setInterval(400);
    connect(&lookAgain_, &QTimer::timeout, this, &Workspace::compareStamps);
    connect(&files_, &QFileSystemWatcher::fileChanged, this, &Workspace::lookAtFiles);
    connect(&files_, &QFileSystemWatcher::directoryChanged, this, &Workspace::lookAtFiles);
}

const ItemView* Workspace::item(const ItemKey& key) const {
    const auto found = places_.find(key);
    return found == places_.end() ? nullptr : &items_[found->second];
}

Checked Workspace::checked() const {
    if (stopped_)
        return Checked::Stopped;
    const auto any = [this](bool SourceView::*is) {
        return std::any_of(sources_.begin(), sources_.end(), [is](const SourceView& s) { return s.*is; });
    };
    if (measuring_ || recheck_.isActive() || checkedGeneration_ != generation_ || any(&SourceView::opening))
        return Checked::Underway;
    return any(&SourceView::changedOnDisk) || any(&SourceView::gone) ? Checked::Outdated : Checked::Yes;
}

void Workspace::checkAgain() {
    stopped_ = false;
    checkedGeneration_ = -1;
    recheck_.start();
    emit checkedChanged();
}

void Workspace::stopAll() {
    for (JobRunner* runner : {&runner_, &deliveryRunner_, &measureRunner_})
        runner->cancelAll();
}

void Workspace::tell(const Error& error) {
    if (error.kind != ErrorKind::Cancelled)
        emit problem(QString::fromStdString(error.text()));
}

FrameRange Workspace::playRange() const {
    if (const auto shot = job().shot.rangeWithHandles())
        return *shot;
    std::optional<FrameRange> all;
    for (const ItemView& view : items_) {
        if (const auto range = boardRange(view)) {
            if (!all)
                all = range;
            all->first = std::min(all->first, range->first);
            all->last = std::max(all->last, range->last);
        }
    }
    return all.value_or(FrameRange{1, 100});
}

void Workspace::settleRate() {
    rate_ = job().shot.rateOrDefault();
    if (job().shot.rate)
        return;
    std::map<std::string, std::pair<int, FrameRate>> stated;
    for (const ItemView& view : items_)
        if (view.scene && view.scene->rate && view.range)
            ++stated.try_emplace(view.scene->rate->text(), 0, *view.scene->rate).first->second.first;
    const auto most = std::max_element(stated.begin(), stated.end(),
                                       [](const auto& a, const auto& b) { return a.second.first < b.second.first; });
    if (most != stated.end())
        rate_ = most->second.second;
}

bool Workspace::atBoardRate(const ItemView& view) const {
    return !view.scene || view.scene->view.rate == rate();
}

double Workspace::boardFrame(const ItemView& view, double own) const {
    return atBoardRate(view) ? own : snappedFrame(rate().frameAt(view.scene->view.rate.secondsAt(own)));
}

double Workspace::ownFrame(const ItemView& view, double board) const {
    return atBoardRate(view) ? board : snappedFrame(view.scene->view.rate.frameAt(rate().secondsAt(board)));
}

std::optional<FrameRange> Workspace::boardRange(const ItemView& view) const {
    return view.range
               ? std::optional(FrameRange{boardFrame(view, view.range->first), boardFrame(view, view.range->last)})
               : std::nullopt;
}

void Workspace::setOwnFrame(const ItemKey& key, double own) {
    const ItemView* view = item(key);
    setFrame(view ? boardFrame(*view, own) : own);
}

void Workspace::goTo(const ItemFinding& found) {
    const ItemFinding there = found; // it may go with what is changed
    setActive(there.key);
    if (there.finding.frame)
        setOwnFrame(there.key, *there.finding.frame);
}

void Workspace::showGhost(const ItemKey& key, const std::vector<Step>& more) {
    const ItemView* view = item(key);
    if (!view || !view->source || view->failedStep)
        return;
    std::vector<Step> steps = view->steps;
    steps.insert(steps.end(), more.begin(), more.end());
    ItemView made = viewWith(*view, std::move(steps));
    if (made.failedStep || !made.scene)
        return;
    ghost_ = std::move(made);
    emit ghostChanged();
}

void Workspace::hideGhost() {
    if (!ghost_)
        return;
    ghost_.reset();
    emit ghostChanged();
}

void Workspace::setTimeReading(TimeReading reading) {
    if (reading == reading_)
        return;
    reading_ = reading;
    emit timeReadingChanged();
}

double Workspace::timeOrigin() const {
    return job().shot.range ? job().shot.range->first : playRange().first;
}

QString Workspace::timeWords(double frame) const {
    return QString::fromStdString(timeText(frame, reading_, rate(), timeOrigin()));
}

double Workspace::unitMetres(const ItemView& view) const {
    return view.scene && view.scene->unitMetres ? *view.scene->unitMetres : job().shot.unitMetres.value_or(1.0);
}

void Workspace::setActive(const ItemKey& key) {
    setChosen({}, key);
}

void Workspace::setChosen(const std::set<ItemKey>& keys, const ItemKey& active) {
    if (active == active_ && keys == chosen_)
        return;
    active_ = active;
    chosen_ = keys;
    emit activeChanged();
}

std::vector<ItemKey> Workspace::chosen() const {
    std::vector<ItemKey> keys;
    for (const ItemView& view : items_)
        if (isChosen(view.key))
            keys.push_back(view.key);
    return keys;
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
    if (!gathered) { // what is wrong with one is no reason to leave the others
        QStringList wrong;
        std::vector<fs::path> good;
        for (const fs::path& path : list)
            if (const auto one = gather({path}, false))
                good.push_back(path);
            else
                wrong << QString::fromStdString(one.error().text());
        emit problem(wrong.join(QStringLiteral("\n")));
        gathered = good.empty() ? Result<Gathered>(fail(gathered.error())) : gather(good, false);
    }
    if (!gathered)
        return;
    added_.reset();
    document_.edit("Add sources", [&](Job& next) {
        for (const SourceSpec& spec : gathered->specs) {
            const bool known = std::any_of(next.sources.begin(), next.sources.end(),
                                           [&](const JobSource& s) { return s.spec.path == spec.path; });
            if (known)
                continue;
            next.sources.push_back({next.freeSourceId(), spec});
            if (!added_)
                added_ = next.sources.back().id;
        }
    });
}

void Workspace::removeSource(SourceId id) {
    document_.edit("Remove source", [&](Job& next) {
        std::erase_if(next.sources, [&](const JobSource& s) { return s.id == id; });
        std::erase_if(next.items, [&](const JobItem& i) { return i.source == id; });
    });
}

void Workspace::reloadSources(const std::vector<SourceId>& ids) {
    for (SourceView& view : sources_)
        if (std::find(ids.begin(), ids.end(), view.id) != ids.end()) {
            view.source = nullptr;
            view.error.reset();
            view.opening = false;
            view.changedOnDisk = false;
            view.gone = false;
        }
    rebuildItems();
    openPending();
}

void Workspace::setOpenOption(SourceId id, const std::string& name, const nlohmann::json& value) {
    for (const SourceView& view : sources_)
        if (view.id == id && view.source) {
            nlohmann::json options = view.spec.options;
            options[name] = value;
            if (const auto checked =
                    checkedOptions(view.source->format->name, view.source->format->openOptions, options);
                !checked) {
                emit problem(QString::fromStdString(checked.error().text()));
                return;
            }
        }
    document_.edit("Choose how it is opened", [&](Job& next) {
        for (JobSource& source : next.sources)
            if (source.id == id)
                source.spec.options[name] = value;
    });
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

void Workspace::mendAll(const std::set<ItemKey>& keys) {
    runner_.start(
        tr("Mending"),
        [this, keys, items = items_, job = job()](const Progress& progress) -> Result<JobRunner::Done> {
            WYC_TRY(outcomes, mended(
                                  job, items, keys, [](const Finding&) { return true; }, progress));
            std::erase_if(outcomes, [](const Mended& outcome) { return outcome.done.empty(); });
            return [this, outcomes, job] {
                const bool same = job == this->job();
                if (!same || outcomes.empty()) {
                    emit problem(same ? tr("No mend helps here: what was found needs another export")
                                      : tr("The job was changed while its mends were tried: nothing was mended"));
                    emit findingsChanged(); // what was found stands as it did
                    return;
                }
                document_.endMerge();
                document_.edit("Mend all", [&](Job& next) {
                    for (const Mended& outcome : outcomes)
                        next.itemFor(outcome.key.source, outcome.key.path).steps = outcome.steps;
                });
            };
        },
        [this](const Error& error) {
            tell(error);
            emit findingsChanged(); // what was found stands as it did
        });
}

void Workspace::setSteps(const ItemKey& key, const std::vector<Step>& steps, const QString& label,
                         const QString& mergeKey) {
    document_.edit(
        label.toStdString(), [&](Job& next) { next.itemFor(key.source, key.path).steps = steps; },
        mergeKey.toStdString());
}

void Workspace::setLeftOut(const std::vector<ItemKey>& keys, bool leftOut) {
    document_.edit(leftOut ? "Leave out" : "Take in", [&](Job& next) {
        for (const ItemKey& key : keys)
            next.itemFor(key.source, key.path).leftOut = leftOut;
    });
}

void Workspace::setLoops(const std::vector<ItemKey>& keys, bool loops) {
    document_.edit(loops ? "Meant to loop" : "Not meant to loop", [&](Job& next) {
        for (const ItemKey& key : keys)
            next.itemFor(key.source, key.path).loops = loops;
    });
}

void Workspace::offsetBy(const std::vector<ItemKey>& keys, double frames, const QString& label) {
    document_.endMerge();
    document_.edit(label.toStdString(), [&](Job& next) {
        for (const ItemKey& key : keys) {
            auto& steps = next.itemFor(key.source, key.path).steps;
            const ItemView* view = item(key);
            const double own = view && !atBoardRate(*view) ? std::round(ownFrame(*view, frames)) : frames;
            if (own == 0.0)
                continue;
            if (!steps.empty() && steps.back().type == "offset" && steps.back().on)
                steps.back().options["frames"] = steps.back().options.value("frames", 0.0) + own;
            else
                steps.push_back({"offset", {{"frames", own}}, true});
            if (steps.back().options["frames"] == 0.0)
                steps.pop_back();
        }
    });
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
        [this](const Error& error) { tell(error); });
}

std::string Workspace::labelOf(const ItemKey& key) const {
    const ItemView* view = item(key);
    return view ? itemLabel(*view->source, key.path) : key.path;
}

Workspace::Plan Workspace::planOf(const DeliverySpec& spec, const Proven& proven) const {
    std::vector<SourcePtr> opened;
    for (const JobSource& entry : job().sources) {
        const auto found =
            std::find_if(sources_.begin(), sources_.end(), [&](const SourceView& s) { return s.id == entry.id; });
        opened.push_back(found == sources_.end() ? nullptr : found->source);
    }
    return [job = job(), spec, opened, proven]() -> Result<std::vector<PlannedOutput>> {
        WYC_TRY(inputs, deliveryInputs(job, spec, opened));
        const auto isMissing = [&](const DeliveryInput& input) { return !proven.labels.contains(input.label); };
        return plannedPart(std::move(inputs), spec, job.shot, isMissing, {{}, proven.version, {}});
    };
}

void Workspace::sync() {
    hideGhost();
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
    autosave_.start();
    emit jobChanged();
}

void Workspace::openPending() {
    for (SourceView& view : sources_) {
        if (view.source || view.opening || view.error)
            continue;
        view.opening = true;
        const SourceId id = view.id;
        const SourceSpec spec = view.spec;
        const auto settle = [this, id, spec](const SourcePtr& source, const std::optional<Error>& error,
                                             std::uint64_t stamp) {
            for (SourceView& it : sources_) {
                if (it.id != id || it.spec != spec)
                    continue;
                it.opening = false;
                it.source = source;
                it.error = error;
                it.stamp = stamp;
                it.changedOnDisk = false;
                it.gone = false;
            }
            rebuildItems();
            lookAtFiles();
        };
        runner_.start(
            tr("Opening %1").arg(QString::fromStdString(spec.path.filename().string())),
            [spec, settle, rate = job().shot.rateOrDefault()](const Progress&) -> Result<JobRunner::Done> {
                WYC_TRY(source, openSource(spec, rate));
                return [settle, source, stamp = stampOf(*source)] { settle(source, std::nullopt, stamp); };
            },
            [settle](const Error& error) { settle(nullptr, error, 0); });
    }
}

// Stamps are taken by the worker: a folder on a slow server holds nobody up.
void Workspace::compareStamps() {
    QStringList watched;
    std::vector<std::pair<SourceId, SourcePtr>> opened;
    for (const SourceView& view : sources_) {
        if (!view.source)
            continue;
        opened.emplace_back(view.id, view.source);
        for (const fs::path& file : filesOf(*view.source)) {
            if (!view.source->format->sequence)
                watched << QString::fromStdString(file.string());
            watched << QString::fromStdString(fs::absolute(file).parent_path().string());
        }
    }
    watched.removeDuplicates();
    const QStringList known = files_.files() + files_.directories();
    for (const QString& path : known)
        if (!watched.contains(path))
            files_.removePath(path);
    for (const QString& path : watched)
        if (!known.contains(path) && QFile::exists(path)) // one that was replaced has to be watched anew
            files_.addPath(path);
    if (opened.empty())
        return;
    runner_.start(tr("Looking at the files"), [this, opened](const Progress&) -> Result<JobRunner::Done> {
        struct OnDisk {
            std::uint64_t stamp;
            bool gone;
        };
        std::vector<OnDisk> found;
        for (const auto& [id, source] : opened)
            found.push_back({stampOf(*source), isGone(*source)});
        return [this, opened, found] {
            for (SourceView& view : sources_)
                for (std::size_t i = 0; i < opened.size(); ++i)
                    if (view.id == opened[i].first && view.source == opened[i].second) {
                        view.gone = found[i].gone;
                        view.changedOnDisk = !view.gone && view.stamp != found[i].stamp;
                    }
            emit sourcesChangedOnDisk();
            emit checkedChanged();
        };
    });
}

void Workspace::choose(const std::function<bool(const ItemView&)>& fits, const QString& label) {
    document_.edit(label.toStdString(), [&](Job& job) {
        for (const ItemView& view : items_) {
            const bool leaves = !fits(view);
            if (leaves || job.item(view.key.source, view.key.path))
                job.itemFor(view.key.source, view.key.path).leftOut = leaves;
        }
    });
}

std::vector<OpenedSource> Workspace::openedSources() const {
    std::vector<OpenedSource> opened;
    for (const SourceView& source : sources_)
        opened.push_back({source.id, source.source, source.spec.path.filename().string(), source.error});
    return opened;
}

void Workspace::rebuildItems() {
    bool changed = false;
    items_ = itemsOf(job(), openedSources(), items_, changed);
    places_.clear();
    for (std::size_t i = 0; i < items_.size(); ++i)
        places_.emplace(items_[i].key, i);
    settleRate();
    std::erase_if(chosen_, [this](const ItemKey& key) { return !item(key); });
    // What was added is what is looked at next.
    if (added_) {
        const auto first = std::find_if(items_.begin(), items_.end(),
                                        [this](const ItemView& view) { return view.key.source == *added_; });
        if (first != items_.end()) {
            added_.reset();
            setActive(ItemKey(first->key));
        }
    }
    if (!item(active_)) {
        chosen_.clear();
        active_ = items_.empty() ? ItemKey{} : items_.front().key;
        emit activeChanged();
    }
    if (!frameChosen_ && (job().shot.range || !items_.empty())) {
        frame_ = job().shot.range ? job().shot.range->first : playRange().first;
        emit frameChanged();
    }
    ++generation_;
    stopped_ = false;
    recheck_.start();
    emit itemsChanged();
    emit checkedChanged();
    if (changed)
        emit measuresChanged();
}

void Workspace::measure() {
    const bool opening = std::any_of(sources_.begin(), sources_.end(), [](const SourceView& s) { return s.opening; });
    if (measuring_ || opening) { // what is under way ends first, and asks again
        recheck_.start(opening ? 60 : 20);
        return;
    }
    auto todo = std::make_shared<std::vector<ItemView>>();
    for (const ItemView& view : items_)
        if (needsMeasuring(view))
            todo->push_back(view);
    if (todo->empty()) {
        check();
        measureRaw();
        return;
    }
    measuring_ = true;
    measureRunner_.start(
        tr("Measuring"),
        [this, todo](const Progress& progress) -> Result<JobRunner::Done> {
            WYC_CHECK(measureItems(*todo, progress));
            return [this, todo] {
                measuring_ = false;
                std::map<ItemKey, ItemView*> byKey;
                for (ItemView& view : items_)
                    byKey.emplace(view.key, &view);
                for (const ItemView& measured : *todo) {
                    const auto found = byKey.find(measured.key);
                    if (found == byKey.end() || found->second->scene != measured.scene)
                        continue;
                    found->second->profile = measured.profile;
                    found->second->cycle = measured.cycle;
                    if (measured.steps.empty())
                        found->second->rawProfile = measured.profile;
                }
                emit measuresChanged();
                recheck_.start(0);
            };
        },
        [this](const Error& error) {
            measuring_ = false;
            noteStop(error);
        });
}

void Workspace::noteStop(const Error& error) {
    stopped_ = true;
    tell(error);
    emit checkedChanged();
    emit findingsChanged(); // what was found stands as it did
}

// How the active item came, where its steps hide it: for the eyes only, so for that one item.
void Workspace::measureRaw() {
    const ItemView* active = activeItem();
    if (measuringRaw_ || !active || !active->scene || !active->profile || active->rawProfile)
        return;
    measuringRaw_ = true;
    auto measured = std::make_shared<ItemView>(*active);
    const auto take = [this, measured] {
        measuringRaw_ = false;
        for (ItemView& view : items_)
            if (view.key == measured->key && view.source == measured->source)
                view.rawProfile = measured->rawProfile;
        emit measuresChanged();
        measureRaw(); // another may be the active one by now
    };
    measureRunner_.start(
        tr("Measuring"),
        [measured, take](const Progress& progress) -> Result<JobRunner::Done> {
            WYC_CHECK(measureAsItCame(*measured, progress));
            return take;
        },
        [this, measured, take](const Error& error) {
            measuringRaw_ = false;
            if (error.kind == ErrorKind::Cancelled)
                return;
            measured->rawProfile = std::make_shared<const MotionProfile>(); // why is told by its findings
            take();
        });
}

void Workspace::check() {
    // Values for the worker: scenes stay alive through the copies.
    const int generation = generation_;
    if (checkedGeneration_ == generation_)
        return;
    measureRunner_.start(
        tr("Checking"),
        [this, items = items_, sources = openedSources(), job = job(),
         generation](const Progress&) -> Result<JobRunner::Done> {
            auto found = std::make_shared<std::vector<ItemFinding>>(findingsOf(job, sources, items));
            return [this, found, generation] {
                if (generation != generation_)
                    return; // the job moved on; another check is under way
                findings_ = std::move(*found);
                checkedGeneration_ = generation;
                emit findingsChanged();
                emit checkedChanged();
            };
        },
        [this, generation](const Error& error) {
            if (generation == generation_)
                noteStop(error);
        });
}

} // namespace wyc::app
