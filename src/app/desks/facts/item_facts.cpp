// SPDX-License-Identifier: GPL-3.0-or-later
#include "desks/facts/item_facts.h"

#include <algorithm>
#include <cmath>

#include <QCoreApplication>
#include <QStringList>

#include "base/text.h"
#include "desks/desk_parts.h"
#include "scene/carried_words.h"
#include "scene/components/camera.h"
#include "scene/components/curves.h"
#include "scene/components/instancer.h"
#include "scene/components/light.h"
#include "scene/deform/deformers.h"

namespace wyc::app {
namespace {

QString tr(const char* text) {
    return QCoreApplication::translate("ItemFacts", text);
}

QString metres(double length) {
    return QString::fromStdString(lengthText(length));
}

// "35" or "35 – 50" of numbers that may change in time.
QString span(double least, double most) {
    const auto number = [](double v) { return QString::number(v, 'f', std::abs(v - std::round(v)) < 0.005 ? 0 : 1); };
    return number(least) == number(most) ? number(least) : QStringLiteral("%1 – %2").arg(number(least), number(most));
}

ItemFact pointsFact(const ItemView& item) {
    QString points = digits(item.points);
    if (item.profile && !item.profile->pointCounts.empty()) {
        const auto& counts = item.profile->pointCounts;
        const auto [least, most] = std::minmax_element(counts.begin(), counts.end());
        if (*least != *most)
            points = QStringLiteral("%1 – %2").arg(digits(*least), digits(*most));
    }
    if (item.pieces > 1)
        points += tr(" in %1 pieces").arg(item.pieces);
    return {tr("points"), points, tr("Points of a sample; two numbers where they come and go"),
            item.is().cloud}; // nothing stands beside it
}

void addDeformers(std::vector<ItemFact>& facts, const ItemView& item) {
    const Node& node = item.scene->nodes[item.node];
    if (node.deformation->skeleton)
        if (const auto skeleton = item.scene->find(*node.deformation->skeleton))
            facts.push_back({tr("skin"), tr("on %1").arg(QString::fromStdString(item.scene->nodes[*skeleton].name)),
                             tr("The skeleton that its points follow")});
    QStringList morphs;
    for (const std::string& name : morphNames(node))
        morphs << QString::fromStdString(name);
    if (!morphs.isEmpty())
        facts.push_back({tr("morphs"), morphs.join(QStringLiteral(", ")), tr("Shapes that are mixed into its points")});
}

void addInstancer(std::vector<ItemFact>& facts, const ItemView& item) {
    QStringList names;
    for (const std::string& name : prototypeNames(*item.scene, item.scene->nodes[item.node]))
        names << QString::fromStdString(name);
    if (names.isEmpty())
        names << tr("nothing: it names no prototypes");
    facts.push_back({tr("shows"), names.join(QStringLiteral(", ")),
                     tr("What stands at its points, by the numbers that they have; it is not copied"), true});
}

void addCurves(std::vector<ItemFact>& facts, const ItemView& item) {
    const auto layout = curveLayout(item.scene->nodes[item.node], 0);
    if (!layout)
        return;
    facts.push_back({tr("curves"), digits(layout->sizes.size()), tr("Curves of the first sample")});
    facts.push_back(
        {tr("drawn as"), QString::fromStdString(layout->words()), tr("Degree and basis of the curves"), true});
}

void addCamera(std::vector<ItemFact>& facts, const ItemView& item, double unit) {
    const Scene& scene = *item.scene;
    const Sampling sampling = cameraSampling(scene.nodes[item.node]);
    const std::size_t count = std::max<std::size_t>(1, sampling.count());
    constexpr std::size_t kMostRead = 2000;
    double least = 0.0;
    double most = 0.0;
    std::optional<CameraView> first;
    for (std::size_t i = 0; i < count; i += 1 + count / kMostRead) {
        const auto view = cameraAt(scene, item.node, sampling.count() > 0 ? sampling.time(i) : 0.0);
        if (!view)
            return;
        const double lens = view->figures.focalLength;
        least = first ? std::min(least, lens) : lens;
        most = first ? std::max(most, lens) : lens;
        if (!first)
            first = *view;
    }
    const CameraFigures& f = first->figures;
    facts.push_back({tr("lens"), tr("%1 mm").arg(span(least, most)), tr("Focal length; two numbers where it changes")});
    facts.push_back(
        {tr("film back"),
         tr("%1 × %2 mm").arg(f.horizontalAperture * 10.0, 0, 'f', 1).arg(f.verticalAperture * 10.0, 0, 'f', 1),
         tr("Width and height of the film gate at the first sample")});
    facts.push_back({tr("near, far"),
                     QStringLiteral("%1 – %2").arg(metres(f.nearClip * unit), metres(f.farClip * unit)),
                     tr("Clipping distances")});
    const double degrees = (f.shutterClose - f.shutterOpen) * scene.view.rate.value() * 360.0;
    facts.push_back({tr("shutter"),
                     tr("%1°").arg(degrees, 0, 'f', std::abs(degrees - std::round(degrees)) < 0.05 ? 0 : 1),
                     tr("Open from %1 s to %2 s of the frame; 360° is the whole frame")
                         .arg(f.shutterOpen, 0, 'g', 4)
                         .arg(f.shutterClose, 0, 'g', 4)});
}

void addLight(std::vector<ItemFact>& facts, const ItemView& item) {
    const Sampling sampling = lightSampling(item.scene->nodes[item.node]);
    const auto light = lightAt(*item.scene, item.node, sampling.count() > 1 ? sampling.firstTime() : 0.0);
    if (!light)
        return;
    const auto number = [](double value) { return QString::number(value, 'g', 4); };
    if (!light->kind.empty())
        facts.push_back({tr("light"), QString::fromStdString(light->kind), tr("Its kind, as the source has it")});
    if (light->colour)
        facts.push_back(
            {tr("colour"),
             QStringLiteral("%1 %2 %3")
                 .arg(number((*light->colour)[0]), number((*light->colour)[1]), number((*light->colour)[2])),
             tr("Red, green and blue at the first sample")});
    if (light->intensity)
        facts.push_back({tr("intensity"), number(*light->intensity), tr("At the first sample")});
    if (light->exposure)
        facts.push_back({tr("exposure"), tr("%1 stops").arg(number(*light->exposure)), tr("Twice as bright a stop")});
    if (light->coneDegrees)
        facts.push_back({tr("cone"), tr("%1°").arg(number(*light->coneDegrees)), tr("The whole angle")});
}

void addTime(std::vector<ItemFact>& facts, const ItemView& item) {
    const auto range = item.range;
    QString samples = QStringLiteral("1 · %1").arg(range ? tr("in place, its values change") : tr("still"));
    if (item.profile && item.profile->count() > 1) {
        // By the samples themselves: transforms may move it for longer.
        const Geometry* shape = item.scene ? item.scene->nodes[item.node].geometry.get() : nullptr;
        const bool own = shape && shape->sampling().count() == item.profile->count();
        const double frames =
            own     ? item.scene->view.rate.frameAt(shape->sampling().lastTime() - shape->sampling().firstTime())
            : range ? range->last - range->first
                    : 0.0;
        const double each = frames / static_cast<double>(item.profile->count() - 1);
        samples = QStringLiteral("%1 · %2")
                      .arg(item.profile->count())
                      .arg(std::abs(each - 1.0) < 0.02 ? tr("every frame")
                           : each > 1.0                ? tr("one in %1 frames").arg(each, 0, 'g', 3)
                                                       : tr("%1 a frame").arg(1.0 / each, 0, 'g', 3));
    }
    facts.push_back({tr("samples"), samples, tr("Stored poses and how dense they are")});
    facts.push_back({tr("range"),
                     range ? QStringLiteral("%1 – %2").arg(QString::fromStdString(frameText(range->first)),
                                                           QString::fromStdString(frameText(range->last)))
                           : tr("still"),
                     tr("First and last frame with a sample, at the source's rate")});
}

void addSize(std::vector<ItemFact>& facts, const ItemView& item, double unit) {
    if (!item.profile || item.profile->extent.isEmpty())
        return;
    const Vec3d size = item.profile->bounds.empty() || item.profile->bounds[0].isEmpty()
                           ? item.profile->extent.size()
                           : item.profile->bounds[item.profile->count() / 2].size();
    facts.push_back(
        {tr("size"),
         QStringLiteral("%1 × %2 × %3").arg(metres(size.x * unit), metres(size.y * unit), metres(size.z * unit)),
         tr("Width, height, depth of the pose in the middle of its range")});
}

void addOrder(std::vector<ItemFact>& facts, const Workspace& workspace, const ItemView& item) {
    if (item.faces == 0)
        return;
    std::size_t same = 0;
    for (const ItemView& other : workspace.items())
        same += other.topology == item.topology && other.faces > 0;
    facts.push_back(
        {tr("order"),
         QString::fromStdString(hashText(item.topology)).left(8) + (same > 1 ? tr(" same in %1").arg(same) : QString()),
         tr("Hash of face sizes and corners: equal hashes are the same vertex order")});
}

void addSource(std::vector<ItemFact>& facts, const Workspace& workspace, const ItemView& item) {
    const Scene& scene = item.source->scene;
    facts.push_back(
        {tr("unit"),
         item.scene && item.scene->unitMetres ? QString::fromStdString(unitName(*item.scene->unitMetres))
         : workspace.job().shot.unitMetres
             ? tr("not stated, read as %1").arg(QString::fromStdString(unitName(workspace.unitMetres(item))))
             : tr("not stated"),
         tr("As the source states it, or the shot")});
    facts.push_back(
        {tr("rate"),
         scene.rate ? QString::fromStdString(scene.rate->shortText()) + QStringLiteral(" fps") : tr("not stated"),
         tr("As the source states it, or as its times say")});
    facts.push_back({tr("file"),
                     QString::fromStdString(sizeText(item.source->sizeBytes)) +
                         (item.source->fileCount > 1 ? tr(" in %1 files").arg(item.source->fileCount) : QString()),
                     QString::fromStdString(item.source->spec.path.string())});
    if (item.source->format->wantsRest())
        facts.push_back(
            {tr("rest mesh"),
             item.source->restUsed ? QString::fromStdString(item.source->restUsed->filename().string()) : tr("none"),
             tr("Mesh the point cache takes its faces from")});
}

} // namespace

std::vector<ItemFact> factsOf(const Workspace& workspace, const ItemView& item) {
    std::vector<ItemFact> facts;
    const double unit = workspace.unitMetres(item);
    const bool shape = item.is().points;
    if (shape)
        facts.push_back(pointsFact(item));
    if (item.is().faces)
        facts.push_back({tr("faces"), digits(item.faces), tr("Faces of the first sample")});
    if (item.scene && item.nodeKind == NodeKind::Instancer)
        addInstancer(facts, item);
    if (item.scene && isDeformed(item.scene->nodes[item.node]))
        addDeformers(facts, item);
    if (item.scene && item.nodeKind == NodeKind::Curves)
        addCurves(facts, item);
    if (item.scene && item.nodeKind == NodeKind::Camera)
        addCamera(facts, item, unit);
    if (item.scene && item.nodeKind == NodeKind::Light)
        addLight(facts, item);
    addTime(facts, item);
    if (shape) {
        addSize(facts, item, unit);
        addOrder(facts, workspace, item);
    }
    addSource(facts, workspace, item);
    if (item.scene) {
        QStringList carried;
        for (const std::string& words : carriedWords(item.scene->nodes[item.node]))
            carried << QString::fromStdString(words.starts_with("its ") ? words.substr(4) : words);
        if (!carried.isEmpty())
            facts.push_back({tr("carries"), carried.join(QStringLiteral(", ")),
                             tr("What its source says beside its shape: all of it is passed on where the format can"),
                             true});
    }
    return facts;
}

} // namespace wyc::app
