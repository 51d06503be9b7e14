// SPDX-License-Identifier: GPL-3.0-or-later
// What the Reconcile desk does at a press: figures in another measure, points taken, orders saved, all undone, a
// report.
#include <QFileDialog>
#include <QLineEdit>
#include <QMenu>
#include <QToolButton>

#include "base/file.h"
#include "base/text.h"
#include "desks/reconcile/reconcile_desk.h"

namespace wyc::app {

// Cameras of all sources, by name.
void ReconcileDesk::listMeasures() {
    QMenu* menu = measure_->menu();
    menu->clear();
    const auto add = [&](const QString& words, std::optional<ItemKey> camera) {
        QAction* action = menu->addAction(words);
        action->setCheckable(true);
        action->setChecked(camera == camera_);
        connect(action, &QAction::triggered, this, [this, camera = std::move(camera)] { measureIn(camera); });
    };
    add(tr("lengths"), std::nullopt);
    for (const ItemView& item : workspace_.items())
        if (item.nodeKind == NodeKind::Camera && item.scene)
            add(tr("pixels through %1 › %2, 1,920 wide")
                    .arg(QString::fromStdString(item.source->name), QString::fromStdString(item.name)),
                item.key);
    if (menu->actions().size() == 1)
        menu->addAction(tr("no camera is open to see it through"))->setEnabled(false);
}

std::optional<Picture> ReconcileDesk::picture() const {
    const ItemView* camera = camera_ ? workspace_.item(*camera_) : nullptr;
    if (!camera || !camera->scene)
        return std::nullopt;
    Scene scene = *camera->scene;
    if (!scene.unitMetres)
        scene.unitMetres = workspace_.unitMetres(*camera);
    return Picture{std::make_shared<const Scene>(std::move(scene)), camera->node, 1920.0};
}

void ReconcileDesk::measureIn(std::optional<ItemKey> camera) {
    if (camera == camera_)
        return;
    camera_ = std::move(camera);
    tolerance_->setText(camera_ ? pixelTolerance_ : lengthTolerance_);
    measure_->setText(camera_ ? tr("px ▾") : tr("mm ▾"));
    measureAnew();
}

void ReconcileDesk::measureAnew() {
    pictured_.reset();
    const ItemView* camera = camera_ ? workspace_.item(*camera_) : nullptr;
    sceneOfCamera_ = camera ? camera->scene : nullptr;
    showFound();
    if (camera_)
        chosenChanged();
}

// B as it is, moving as A does.
void ReconcileDesk::takePoints() {
    const ItemView* a = workspace_.item(a_);
    const ItemView* b = workspace_.item(b_);
    if (!found_ || !a || !b)
        return;
    const auto order = takingOrderOf(*found_);
    if (!order) {
        emit workspace_.problem(QString::fromStdString(order.error().text()));
        return;
    }
    Step take{"take", {{"from", a->source->spec.path.string()}, {"item", a_.path}}};
    if (a->source->restUsed)
        take.options["rest"] = a->source->restUsed->string();
    std::vector<Step> steps = a->steps;
    // Where one of them states no unit it has the shot's.
    const double ratio = workspace_.unitMetres(*a) / workspace_.unitMetres(*b);
    if (!(a->scene->unitMetres && b->scene->unitMetres) && ratio != 1.0)
        steps.push_back(Step{"scale", {{"factor", ratio}}});
    if (!steps.empty())
        take.options["steps"] = toJson(steps).dump();
    if (*order)
        take.options["order"] = (*order)->text();
    // Opened by the worker first: what is opened already costs the window nothing.
    workspace_.runner().start(
        tr("Taking points"),
        [this, take, scene = b->scene, key = b_](const Progress&) -> Result<JobRunner::Done> {
            WYC_TRY(made, applySteps(*scene, {take}));
            return [this, take, key, made] {
                workspace_.document().endMerge();
                workspace_.addSteps(key, {take}, tr("Take A's points"));
            };
        },
        [this](const Error& error) {
            if (error.kind != ErrorKind::Cancelled)
                emit workspace_.problem(QString::fromStdString(error.text()));
        });
}

void ReconcileDesk::saveOrder() {
    if (!found_)
        return;
    const auto order = pointOrderOf(*found_);
    if (!order) {
        emit workspace_.problem(QString::fromStdString(order.error().text()));
        return;
    }
    const QString path =
        QFileDialog::getSaveFileName(this, tr("Order of points"), QStringLiteral("order.json"), tr("Orders (*.json)"));
    if (path.isEmpty())
        return;
    const auto written = [&]() -> Status {
        WYC_TRY(file, AtomicFile::create(fs::path(path.toStdString())));
        WYC_CHECK(file->append(order->text()));
        return file->commit(AtomicFile::Replace::Yes);
    }();
    if (!written)
        emit workspace_.problem(QString::fromStdString(written.error().text()));
}

void ReconcileDesk::undoChosen() {
    const std::vector<Step> steps = chosenSteps();
    if (steps.empty() || b_.isEmpty())
        return;
    workspace_.document().endMerge();
    workspace_.addSteps(b_, steps, tr("Undo what differs"));
}

void ReconcileDesk::writeReport() {
    if (!found_)
        return;
    QString path = QFileDialog::getSaveFileName(
        this, tr("Report"), QString::fromStdString(safeName(workspace_.labelOf(b_)) + "_against.html"),
        tr("Pages (*.html)"));
    if (path.isEmpty())
        return;
    if (!path.endsWith(QStringLiteral(".html")))
        path += QStringLiteral(".html");
    Comparison comparison;
    comparison.a = workspace_.labelOf(a_);
    comparison.b = workspace_.labelOf(b_);
    comparison.toleranceMetres = tolerance();
    comparison.pairs.push_back(*found_);
    if (camera_ && pictured_) {
        comparison.camera = workspace_.labelOf(*camera_);
        comparison.pictureWidth = 1920.0;
        comparison.pairs.back().pictured = pictured_;
    }
    workspace_.runner().start(
        tr("Writing the report"),
        [this, comparison, path](const Progress&) -> Result<JobRunner::Done> {
            WYC_CHECK(writeHtmlReport(comparison, fs::path(path.toStdString())));
            return [this, path] { emit workspace_.pageWritten(path); };
        },
        [this](const Error& error) { workspace_.tell(error); });
}

} // namespace wyc::app
