// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <map>
#include <set>

#include <fmt/format.h>

#include "base/middle.h"
#include "base/text.h"
#include "delivery/ask/chain.h"
#include "delivery/delivery.h"
#include "delivery/plan/plan_parts.h"
#include "delivery/write/placing.h"
#include "delivery/write/reserved.h"
#include "evaluate/mapped.h"
#include "scene/carried_words.h"
#include "scene/channels.h"
#include "scene/components/instancer.h"
#include "scene/deform/deformers.h"
#include "scene/layers.h"

namespace wyc {
namespace {

constexpr std::string_view kDeliverys = "the delivery's";

constexpr int kMostVersions = 10000;

// Samples between whole frames.
bool hasSubFrames(const Scene& scene, const Sampling& sampling) {
    for (std::size_t i = 0; i < sampling.count() && !sampling.isStill(); ++i) {
        const double frame = scene.view.rate.frameAt(sampling.time(i));
        if (!sameFrame(frame, std::round(frame)))
            return true;
    }
    return false;
}

struct Targets {
    fs::path target;
    std::optional<fs::path> rest;
    bool ownFolder = false;
    int version = 1;
    bool foundFree = false; // nothing stood there, and no other run held it
};

Targets targetsFor(const fs::path& folder, const std::string& name, const Format& format, bool faces) {
    Targets result;
    if (format.sequence) {
        result.target = folder / name / (name + ".####" + format.extension());
        result.ownFolder = true;
        return result;
    }
    result.target = folder / (name + format.extension());
    if (format.wantsRest() && faces)
        result.rest = folder / (name + "_rest" + std::string(format.rest.extension));
    return result;
}

std::vector<fs::path> placesOf(const Targets& targets) {
    return wyc::placesOf(targets.target, targets.rest, targets.ownFolder);
}

bool areThere(const Targets& targets) {
    const auto places = placesOf(targets);
    return std::any_of(places.begin(), places.end(), standsThere);
}

bool isFree(const Targets& targets, HeldPlaces& held) {
    const auto places = placesOf(targets);
    return !areThere(targets) &&
           std::none_of(places.begin(), places.end(), [&](const fs::path& place) { return held.contains(place); });
}

} // namespace

bool hasFaces(const Scene& scene) {
    return std::any_of(scene.nodes.begin(), scene.nodes.end(), [](const Node& node) {
        if (!node.geometry)
            return false;
        const auto topology = node.geometry->topology(0);
        return topology && (*topology)->faceCount() > 0;
    });
}

Status settle(PlannedOutput& output) {
    if (output.format->placedAt) {
        WYC_TRY(placed, output.format->placedAt(std::move(output.scene), output.target, output.format->chosen));
        output.scene = std::move(placed);
    }
    output.rate = output.scene.view.rate;
    if (const auto span = movingSpan(output.scene))
        output.frames =
            FrameRange{snappedFrame(output.rate.frameAt(span->first)), snappedFrame(output.rate.frameAt(span->last))};
    for (const Node& node : output.scene.nodes) {
        if (node.geometry)
            output.sampleCount = std::max(output.sampleCount, node.geometry->sampling().count());
        if (node.transform && output.format->keeps(Content::Transforms))
            output.sampleCount = std::max(output.sampleCount, node.transform->sampling().count());
    }
    if (output.format->filesOf)
        output.files = output.format->filesOf(output.scene, output.target, output.format->chosen);
    output.fileCount = output.format->sequence ? output.sampleCount : 1;
    if (!output.files.empty())
        output.fileCount =
            static_cast<std::size_t>(std::count_if(output.files.begin(), output.files.end(), [](const ComingFile& f) {
                return f.role != ComingFile::Role::Outside;
            }));
    output.fileCount += output.restTarget ? 1U : 0U;
    output.losses = lossesOf(output.scene, *output.format);
    output.sizeEstimate = output.format->estimate(output.scene, output.format->chosen);
    for (const ComingFile& file : output.files)
        output.sizeEstimate += file.bytes;
    if (output.restTarget)
        if (const Format* restFormat = formatOfName(*output.restTarget)) {
            output.sizeEstimate += restFormat->estimate(output.scene, restFormat->chosen);
            if (restFormat->placedAt) { // its pictures
                Scene materials;
                materials.materials = output.scene.materials;
                WYC_TRY(placed, restFormat->placedAt(std::move(materials), *output.restTarget, restFormat->chosen));
                for (const NotCarried& n : placed.report.notCarried)
                    output.losses.push_back({n.item, n.what});
            }
        }
    return {};
}

std::string recordName(const fs::path& target) {
    std::string name = target.filename().string();
    std::erase(name, '#');
    for (std::size_t at = name.find(".."); at != std::string::npos; at = name.find(".."))
        name.erase(at, 1);
    return name + ".record.json";
}

FormatPtr formatOf(const DeliverySpec& spec) {
    const Format* format = formatById(spec.format);
    return format ? chosenAs(*format, spec.formatOptions).value_or(nullptr) : nullptr;
}

namespace {

ChainSpec chainSpecOf(const Scene& scene, const DeliverySpec& spec, const Shot& shot) {
    ChainSpec chain;
    chain.world = spec.world;
    chain.ownSpace = spec.ownSpace;
    if (const FormatPtr format = formatOf(spec))
        chain.transforms = format->keeps(Content::Transforms);
    if (spec.unitMetres)
        chain.unit = {shortestNumber(scene.unitMetres.value_or(shot.unitMetres.value_or(1.0))),
                      shortestNumber(*spec.unitMetres)};
    if (spec.upAxis)
        chain.up = {scene.upAxis.value_or(shot.upAxis.value_or(UpAxis::Y)), *spec.upAxis};
    chain.lead = spec.lead;
    chain.rate = spec.rate;
    chain.resample = spec.resample;
    chain.range = spec.range ? spec.range : spec.wholeRange ? std::nullopt : shot.range;
    chain.rangeRate = shot.rate.value_or(scene.view.rate); // it counts in frames of the shot
    chain.handles = spec.handles.value_or(shot.handles);
    chain.frames = spec.frames;
    chain.length = spec.length;
    chain.shutter = spec.shutter;
    chain.firstFrame = spec.firstFrame;
    chain.together = true;
    return chain;
}

// At just these moments; what is seen, which no such format holds, stays as it is told.
Scene takenAt(const std::vector<double>& moments, const Scene& scene) {
    View view = scene.view;
    view.moments = samplingFromTimes(moments);
    Scene taken = mappedScene(scene, TimeMap(), view);
    for (Node& node : taken.nodes)
        if (const auto same = scene.find(node.path))
            node.visibility = scene.nodes[*same].visibility;
    return taken;
}

// At whole frames alone, which is told of what has samples between them.
Scene takenAtFrames(const std::vector<double>& frames, Scene scene) {
    for (const Node& node : scene.nodes)
        if (node.geometry && hasSubFrames(scene, node.geometry->sampling()))
            scene.report.notCarried.push_back({node.path, "samples between frames: it is taken at whole frames"});
    return takenAt(frames, scene);
}

// Whether nothing moves between two moments at which something is stored.
Result<bool> restsBetween(const Scene& scene, double from, double to) {
    std::vector<Vec3f> here;
    std::vector<Vec3f> there;
    for (const Node& node : scene.nodes) {
        if (!node.geometry || node.geometry->sampling().isStill())
            continue;
        if (layersChange(node.properties) || node.geometry->topologyVaries())
            return false;
        WYC_CHECK(readPointsAt(*node.geometry, from, here));
        for (const double at : {(from + to) / 2.0, to}) {
            WYC_CHECK(readPointsAt(*node.geometry, at, there));
            if (here != there)
                return false;
        }
    }
    return true;
}

// A pose for every frame or every second one, but for gaps; else its samples are keys of a motion between them.
bool isFrameByFrame(const Sampling& sampling, const FrameRate& rate) {
    return sampling.count() > 1 && rate.frameAt(middleStep(sampling.times())) < 2.0 + kFrameTolerance;
}

std::optional<TimeSpan> askedSpan(const Scene& scene, const std::vector<Intention>& meant) {
    const auto shapes = std::count_if(scene.nodes.begin(), scene.nodes.end(),
                                      [](const Node& node) { return node.geometry != nullptr; });
    const auto& asks = meant.empty() ? nullptr : meant.front().asks;
    return shapes == 1 && asks && !asks->unknown && !asks->onlyThese ? asks->span : std::nullopt;
}

// Whether frames are missing in the source between two moments of the result: where something is stored frame by frame,
// and not there. Between keys nothing is missing.
bool isGapOfSource(const std::vector<Intention>& meant, double from, double to) {
    if (meant.empty())
        return true;
    const Intention& intention = meant.front();
    const auto first = onlyTime(intention.time, from);
    const auto last = onlyTime(intention.time, to);
    if (!first || !last)
        return true;
    const double low = std::min(*first, *last);
    const double high = std::max(*first, *last);
    const auto lacks = [&](const Sampling& sampling) {
        if (!isFrameByFrame(sampling, intention.source->view.rate))
            return false;
        for (std::size_t i = 1; i < sampling.count(); ++i)
            if (sampling.time(i - 1) <= low + momentMargin(low) && sampling.time(i) >= high - momentMargin(high))
                return true;
        return false;
    };
    return std::any_of(intention.source->nodes.begin(), intention.source->nodes.end(), [&](const Node& node) {
        return (node.geometry && lacks(node.geometry->sampling())) ||
               (node.transform && lacks(node.transform->sampling()));
    });
}

// The frames that are stored and, where nothing moves between two of them or up to an end that is asked for, those in
// between; nothing where there are none of those.
Result<std::optional<std::vector<double>>> framesWithRests(const Scene& scene, const std::vector<Intention>& meant,
                                                           const std::optional<TimeSpan>& asked, bool wholeFramesOnly) {
    const FrameRate& rate = scene.view.rate;
    std::vector<double> stored;
    for (const Node& node : scene.nodes)
        if (node.geometry && !node.geometry->sampling().isStill())
            for (const double t : node.geometry->sampling().times())
                stored.push_back(snappedFrame(rate.frameAt(t)));
    std::sort(stored.begin(), stored.end());
    stored.erase(std::unique(stored.begin(), stored.end(), &sameFrame), stored.end());
    double usual = std::numeric_limits<double>::infinity();
    for (std::size_t i = 1; i < stored.size(); ++i)
        usual = std::min(usual, stored[i] - stored[i - 1]);
    if (stored.size() < 2)
        return std::nullopt;
    std::vector<double> held;
    const auto hold = [&](double from, double to) -> Status {
        if (to - from < std::max(1.0, usual) + kFrameTolerance)
            return {};
        WYC_TRY(rests, restsBetween(scene, rate.secondsAt(from), rate.secondsAt(to)));
        // A point cache is read in straight lines between; a numbered sequence is not.
        const bool each = rests || (wholeFramesOnly && to - from > 2.0 + kFrameTolerance &&
                                    !isGapOfSource(meant, rate.secondsAt(from), rate.secondsAt(to)));
        for (double frame = std::floor(from + kFrameTolerance) + 1.0; each && frame < to - kFrameTolerance;
             frame += 1.0)
            held.push_back(frame);
        return {};
    };
    if (asked) {
        // From its ends on frame by frame; a numbered sequence has whole frames only, and so do its ends.
        double first = snappedFrame(rate.frameAt(asked->first));
        double last = snappedFrame(rate.frameAt(asked->last));
        if (wholeFramesOnly) {
            first = std::ceil(first - kFrameTolerance);
            last = std::floor(last + kFrameTolerance);
        }
        for (double frame = stored.front() - 1.0; frame > first - 1.0 + kFrameTolerance; frame -= 1.0)
            held.push_back(std::max(frame, first));
        for (double frame = stored.back() + 1.0; frame < last + 1.0 - kFrameTolerance; frame += 1.0)
            held.push_back(std::min(frame, last));
    }
    for (std::size_t i = 1; i < stored.size(); ++i)
        WYC_CHECK(hold(stored[i - 1], stored[i]));
    if (held.empty())
        return std::nullopt;
    stored.insert(stored.end(), held.begin(), held.end());
    std::sort(stored.begin(), stored.end());
    for (double& frame : stored)
        frame = rate.secondsAt(frame);
    keepGaps(stored, scene.view);
    return stored;
}

// One pose a file or a sample, and nothing that says for how long: a rest is written frame by frame, and what is asked
// for from its first frame to its last, also where a track ends before it or begins later.
Result<Scene> withRests(Scene scene, const std::vector<Intention>& meant, const std::optional<TimeSpan>& asked,
                        bool wholeFramesOnly) {
    const auto moving = std::count_if(scene.nodes.begin(), scene.nodes.end(), [](const Node& node) {
        return node.geometry && !node.geometry->sampling().isStill();
    });
    if (moving != 1) // several keep times of their own
        return scene;
    WYC_TRY(frames, framesWithRests(scene, meant, asked, wholeFramesOnly));
    if (!frames)
        return scene;
    Scene filled = takenAt(*frames, scene);
    filled.view.moments.reset(); // nobody chose these frames: others are missing, not unwanted
    return filled;
}

} // namespace

Result<Scene> sampledFor(const Format& format, Scene given, const std::vector<Intention>& meant) {
    const auto asked = askedSpan(given, meant);
    if (!format.keeps(Content::Instancers))
        given = instancersAsPoints(given);
    if (!format.keeps(Content::Deformers))
        given = inStraightLines(deformersAsPoints(std::move(given)));
    else {
        WYC_TRY(stored, deformedByStored(settledDeformers(inStraightLines(std::move(given)))));
        given = std::move(stored);
    }
    WYC_TRY(scene, format.prepare ? format.prepare(std::move(given), format.chosen) : Result<Scene>(std::move(given)));
    for (const Node& node : scene.nodes) {
        if (!node.geometry || node.geometry->sampling().count() < 2)
            continue;
        const Geometry& shape = *node.geometry;
        // One number of points, one list of faces: what changes them cannot be held.
        if (!format.keeps(Content::ChangingPoints) && format.keeps(Content::Times) && shape.topologyVaries()) {
            WYC_TRY(first, shape.topology(0));
            WYC_TRY(count, shape.pointCount(0));
            for (std::size_t i = 1; i < shape.sampling().count(); ++i) {
                WYC_TRY(now, shape.topology(i));
                WYC_TRY(points, shape.pointCount(i));
                if (points == count && (now == first || now->hash() == first->hash()))
                    continue;
                const std::string frame = frameText(snappedFrame(scene.view.rate.frameAt(shape.sampling().time(i))));
                return fail(makeError(ErrorKind::BadInput,
                                      points == count
                                          ? fmt::format("its faces change at frame {}; {} has one list of faces for "
                                                        "all frames",
                                                        frame, format.name)
                                          : fmt::format("it has {} points at frame {} and {} at the first; {} has one "
                                                        "number of points for all frames",
                                                        points, frame, count, format.name))
                                .forItem(node.path)
                                .withAdvice("Write an archive or a numbered sequence, or cut the range before"));
            }
        }
    }
    if (!format.sequence)
        return format.wantsRest() && !scene.view.moments ? withRests(std::move(scene), meant, asked, false)
                                                         : std::move(scene);
    if (scene.view.moments) {
        // Of moments that nobody asked for by name those at whole frames; the writer says which one it cannot hold.
        std::vector<double> whole = scene.view.moments->times();
        std::erase_if(whole, [&](double t) {
            const double frame = scene.view.rate.frameAt(t);
            return !sameFrame(frame, std::round(frame));
        });
        const bool all = whole.size() == scene.view.moments->count();
        return scene.view.withinFrames || whole.empty() || all ? scene : takenAtFrames(whole, std::move(scene));
    }
    const auto span = movingSpan(scene);
    const bool dense = std::all_of(scene.nodes.begin(), scene.nodes.end(), [&](const Node& node) {
        if (!node.geometry)
            return true;
        if (node.geometry->sampling().isStill())
            return !layersChange(node.properties);
        const Sampling& sampling = node.geometry->sampling();
        const double frames = scene.view.rate.frameAt(sampling.lastTime() - sampling.firstTime()) + 1.0;
        return static_cast<double>(sampling.count()) > 0.45 * frames && isFrameByFrame(sampling, scene.view.rate) &&
               !hasSubFrames(scene, sampling);
    });
    if (!span)
        return scene;
    if (dense) // gaps that the source has stay gaps
        return withRests(std::move(scene), meant, asked, true);
    auto frames = wholeFrames(asked ? std::min(span->first, asked->first) : span->first,
                              asked ? std::max(span->last, asked->last) : span->last, scene.view.rate);
    keepGaps(frames, scene.view);
    if (frames.empty())
        return scene;
    return takenAtFrames(frames, std::move(scene));
}

namespace {

bool liesOn(const Sampling& times, const Sampling& samples) {
    for (std::size_t i = 0; i < times.count() && !times.isStill(); ++i)
        if (samples.locate(times.time(i)).weight != 0.0)
            return false;
    return true;
}

// Said of the node or of what it stands in.
bool hasVisibility(const Scene& scene, std::size_t node) {
    for (int at = static_cast<int>(node); at >= 0; at = scene.nodes[static_cast<std::size_t>(at)].parent)
        if (scene.nodes[static_cast<std::size_t>(at)].visibility)
            return true;
    return false;
}

// What becomes of UVs, normals and colours, where that is less than all.
std::vector<std::string> layerLosses(const Node& node, const Format& format) {
    std::vector<std::string> losses;
    const Geometry& mesh = *node.geometry;
    const std::vector<Layer> layers = layersOf(node.properties);
    std::vector<LayerGaps> gaps(layers.size());
    if (!format.keeps(Content::PartialLayers) && format.keeps(Content::Faces))
        gaps = layerGaps(layers, mesh).value_or(gaps);
    for (std::size_t i = 0; i < layers.size(); ++i) {
        const Layer& layer = layers[i];
        const auto first = layer.at(mesh.sampling().count() > 0 ? mesh.sampling().firstTime() : 0.0, &mesh);
        const bool there = first && !first->isEmpty();
        const Carried carried = format.carry(kindOf(layer));
        const std::string name = "its " + layer.name;
        const bool any = format.keeps(Content::Values); // whatever attributes there are
        if (carried.fate == Fate::Lost) {
            if (there)
                losses.push_back(carried.how.empty() ? name : fmt::format("{}: {}", name, carried.how));
            if (format.loses(contentOf(layer.meaning)))
                continue;
        } else if (!any && layer.meaning == Meaning::Colours && there && layer.values->extent() > 3)
            losses.push_back("the coverage that goes with its colours");
        else if (gaps[i].any())
            losses.push_back(fmt::format("{}: {}, and {} wants one for each", name, gaps[i].words(), format.name));
        if (format.sequence && there && !liesOn(layer.times(), mesh.sampling()))
            losses.push_back(name + ": what they are between the samples of its points");
        if (!format.keeps(Content::Times) && !format.sequence && there && !layer.constant())
            losses.push_back(fmt::format("{}: all but their first values", name));
    }
    return losses;
}

} // namespace

std::vector<Loss> lossesOf(const Scene& scene, const Format& format) {
    std::vector<Loss> losses;
    const auto lose = [&](const std::string& item, std::string what) { losses.push_back({item, std::move(what)}); };
    for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
        const Node& node = scene.nodes[i];
        if (!node.geometry) {
            // A set of faces below a mesh is a group of that mesh.
            const bool kept = node.is().place || format.keeps(node.is().part                  ? Content::Groups
                                                              : node.kind == NodeKind::Camera ? Content::Cameras
                                                              : node.kind == NodeKind::Light  ? Content::Lights
                                                                                              : Content::Values);
            if (!kept)
                lose(node.path, fmt::format("the {} itself", node.is().name));
            continue;
        }
        if (!format.keeps(Content::Subdivision) && node.kind == NodeKind::Subdivision)
            lose(node.path, "that it is a subdivision surface: written as a plain mesh");
        if (!format.keeps(Content::Curves) && node.is().strands)
            lose(node.path, "its curves: the points alone are written");
        const auto lost = [&](const PropertyNode& p) { return format.carry(kindOf(p)).fate == Fate::Lost; };
        for (std::string& words : carriedWords(node, lost))
            lose(node.path, std::move(words));
        if (!format.keeps(Content::Transforms) && isPlaced(scene, i))
            losses.push_back(
                {node.path, "its transform: the points are written where they lie in their own space", true});
        if (!format.keeps(Content::Visibility) && hasVisibility(scene, i))
            lose(node.path, "its visibility");
        if (!format.keeps(Content::ChangingPoints) && node.geometry->topologyVaries() &&
            node.geometry->sampling().count() > 1)
            lose(node.path, "changes of its faces, should there be any (a changing number of points is refused)");
        if (!format.keeps(Content::Times) && !format.sequence && node.geometry->sampling().count() > 1)
            lose(node.path, fmt::format("all but the first of {} samples", node.geometry->sampling().count()));
        if (!format.keeps(Content::TimesBetweenFrames) && hasSubFrames(scene, node.geometry->sampling()))
            lose(node.path, "samples between frames");
        for (std::string& words : layerLosses(node, format))
            lose(node.path, std::move(words));
        const auto sets = node.geometry->faceSets(0);
        if (!sets)
            continue;
        std::size_t groups = 0;
        std::size_t materials = 0;
        for (const FaceSet& set : **sets)
            ++(set.kind == FaceSet::Kind::Material ? materials : groups);
        materials += node.material.value != 0;
        if (format.loses(Content::Groups) && groups > 0)
            lose(node.path, fmt::format("{} face group{}", groups, groups == 1 ? "" : "s"));
        if (format.loses(Content::Materials) && materials > 0)
            lose(node.path, fmt::format("{} material assignment{}", materials, materials == 1 ? "" : "s"));
    }
    if (!format.keeps(Content::Materials) && format.keeps(Content::Faces) && !scene.materials.empty())
        lose("", fmt::format("{} material{} with colour and texture", scene.materials.size(),
                             scene.materials.size() == 1 ? "" : "s"));
    if (!format.loses(Content::Materials) && !format.keeps(Content::Shading))
        for (const Material& material : scene.materials)
            if (material.graph || !(material.look == colourMaterial({}, material.look.baseColour).look))
                lose("", fmt::format("of material '{}' all but its base colour", material.name));
    if (!format.keeps(Content::Unit) && scene.unitMetres)
        lose("", fmt::format("the unit ({}): this format has no place for it", unitName(*scene.unitMetres)));
    if (!format.keeps(Content::UpAxis) && scene.upAxis)
        lose("", fmt::format("the up axis ({}): this format has no place for it", upAxisName(*scene.upAxis)));
    if (!format.keeps(Content::Rate) && movingSpan(scene))
        lose("", fmt::format("the rate ({} fps): this format has no place for it", scene.view.rate.shortText()));
    if (!scene.rate && (format.keeps(Content::Times) || format.keeps(Content::Rate)) && movingSpan(scene))
        lose("", fmt::format("a rate: none is stated; frames are taken as {} a second until somebody says",
                             scene.view.rate.shortText()));
    for (const NotCarried& n : scene.report.notCarried)
        lose(n.item, n.what);
    return losses;
}

namespace {

// What a delivery adds behind the steps of each of its items. They stay in step with each other.
Result<std::vector<std::vector<Step>>> chainsOf(const std::vector<DeliveryInput>& inputs,
                                                const std::vector<DeliveryInput>& inStep, const DeliverySpec& spec,
                                                const Shot& shot) {
    std::vector<std::vector<Step>> chains;
    std::vector<std::size_t> of; // those that have no number for their first frame yet
    std::vector<Scene> shown;    // they first, then what they stay in step with
    const auto show = [&](const DeliveryInput& input, const std::vector<Step>& chain) -> Status {
        auto scene = applySteps(input.scene, chain, kDeliverys);
        if (!scene)
            return fail(std::move(scene.error()).forItem(input.label));
        shown.push_back(std::move(*scene));
        return {};
    };
    for (const DeliveryInput& input : inputs) {
        const ChainSpec chain = chainSpecOf(input.scene, spec, shot);
        chains.push_back(chainOf(input.scene, chain));
        if (!spec.firstFrame || numbersItsRange(input.scene, chain))
            continue;
        WYC_CHECK(show(input, chains.back()));
        of.push_back(chains.size() - 1);
    }
    if (of.empty())
        return chains;
    for (const DeliveryInput& input : inStep)
        WYC_CHECK(show(input, chainOf(input.scene, chainSpecOf(input.scene, spec, shot))));
    std::vector<const Scene*> scenes;
    for (const Scene& scene : shown)
        scenes.push_back(&scene);
    const std::vector<Step> starts = startTogether(scenes, *spec.firstFrame);
    for (std::size_t i = 0; i < of.size(); ++i)
        chains[of[i]].push_back(starts[i]);
    return chains;
}

// One item as it will be in the file, with what its steps mean. Where it goes comes later.
Result<PlannedOutput> plannedItem(const DeliveryInput& input, const std::vector<Step>& steps, const DeliverySpec& spec,
                                  const Format& format) {
    Scene before = input.scene;
    if (!spec.world && !spec.ownSpace)
        before = tellingOfPlaces(std::move(before), format);
    std::vector<Step> chain = input.steps;
    chain.insert(chain.end(), steps.begin(), steps.end());
    auto scene = applySteps(before, steps, kDeliverys);
    std::vector<Intention> meant;
    if (scene && input.source) {
        WYC_TRY(all, intentionsOf(input.source, chain));
        meant = std::move(all);
    }
    if (scene)
        scene = sampledFor(format, Scene(*scene), meant);
    if (!scene)
        return fail(std::move(scene.error()).forItem(input.label));
    PlannedOutput output;
    output.item = input.itemName;
    output.label = input.label;
    output.scene = std::move(*scene);
    for (Intention& intention : meant) {
        intention.promise(output.scene.view, format.sequence);
        for (const std::string& words : intention.shortfalls)
            output.shortfalls.push_back({input.path.empty() ? input.label : input.path, words});
        output.intentions.push_back(std::move(intention));
    }
    output.rest = input.rest;
    output.provenance = nlohmann::json::array({input.provenance});
    output.provenance[0]["delivery_steps"] = toJson(steps);
    return output;
}

Result<PlannedOutput> inOneFile(const std::vector<PlannedOutput>& outputs, const std::string& name) {
    PlannedOutput merged;
    merged.item = name;
    merged.provenance = nlohmann::json::array();
    std::vector<Scene> scenes;
    for (const PlannedOutput& output : outputs) {
        if (output.scene.view.rate != outputs.front().scene.view.rate)
            return fail(makeError(ErrorKind::BadInput,
                                  fmt::format("'{}' is at {} frames a second, '{}' at {}: one file has one rate",
                                              output.item, output.scene.view.rate.shortText(), outputs.front().item,
                                              outputs.front().scene.view.rate.shortText()))
                            .withAdvice("Give the delivery a rate, or write one file per item"));
        scenes.push_back(output.scene);
        merged.shortfalls.insert(merged.shortfalls.end(), output.shortfalls.begin(), output.shortfalls.end());
        merged.intentions.insert(merged.intentions.end(), output.intentions.begin(), output.intentions.end());
        merged.provenance.push_back(output.provenance[0]);
    }
    merged.scene = mergedScenes(scenes);
    return merged;
}

// One name however the way to it is written.
fs::path plainPath(const fs::path& path) {
    std::error_code code;
    return fs::weakly_canonical(fs::absolute(path, code), code);
}

Error bothWritten(const std::string& one, const std::string& other, const fs::path& target) {
    return makeError(ErrorKind::BadInput,
                     fmt::format("'{}' and '{}' would both be written to '{}'", one, other, target.string()))
        .withAdvice("Put {item}, {parent} or {path} into the name template, or rename one");
}

// One version for the whole delivery: the first at which nothing stands in the way of any of its files.
Result<std::vector<Targets>> targetsOf(const std::vector<PlannedOutput>& outputs, std::vector<NameParts> names,
                                       const DeliverySpec& spec, const Format& format, const RunSoFar& run) {
    const bool versioned = spec.nameTemplate.find("{version}") != std::string::npos;
    std::vector<bool> faces;
    for (const PlannedOutput& output : outputs)
        faces.push_back(hasFaces(output.scene));
    std::map<fs::path, std::string> earlier;
    for (const PlannedOutput& output : run.planned)
        for (const fs::path& file : wyc::placesOf(output))
            earlier.emplace(plainPath(file), output.item);
    std::vector<Targets> targets(outputs.size());
    HeldPlaces held;
    for (int version = run.leastVersion; version < kMostVersions; ++version) {
        std::map<fs::path, std::size_t> taken;
        bool free = true;
        for (std::size_t i = 0; i < outputs.size(); ++i) {
            names[i].version = version;
            WYC_TRY(name, nameFromTemplate(spec.nameTemplate, names[i]));
            targets[i] = targetsFor(spec.folder, name, format, faces[i]);
            targets[i].version = version;
            free = free && isFree(targets[i], held);
            for (const fs::path& file : placesOf(targets[i])) {
                const auto before = earlier.find(plainPath(file));
                free = free && before == earlier.end();
                if (before != earlier.end() && !versioned)
                    return fail(bothWritten(before->second, outputs[i].item, targets[i].target));
                if (const auto [other, added] = taken.emplace(file, i); !added)
                    return fail(bothWritten(outputs[other->second].item, outputs[i].item, targets[i].target));
            }
        }
        for (Targets& target : targets)
            target.foundFree = free;
        if (free || !versioned)
            break;
    }
    return targets;
}

} // namespace

Result<std::vector<PlannedOutput>> planDelivery(const std::vector<DeliveryInput>& inputs, const DeliverySpec& spec,
                                                const Shot& shot, const RunSoFar& run) {
    const Format* known = formatById(spec.format);
    if (!known || !known->write)
        return fail(makeError(ErrorKind::BadInput, fmt::format("there is no format '{}' to write", spec.format)));
    WYC_TRY(format, chosenAs(*known, spec.formatOptions));
    if (inputs.empty())
        return fail(
            makeError(ErrorKind::BadInput, "no item is chosen for this delivery").withAdvice("Choose at least one"));
    if (spec.range && spec.range->last < spec.range->first)
        return fail(
            makeError(ErrorKind::BadInput, fmt::format("the range {} ends before it begins", spec.range->text()))
                .withAdvice("Give its first frame first"));
    std::vector<PlannedOutput> outputs;
    std::vector<NameParts> names;
    WYC_TRY(chains, chainsOf(inputs, run.inStep, spec, shot));
    for (std::size_t i = 0; i < inputs.size(); ++i) {
        const DeliveryInput& input = inputs[i];
        WYC_TRY(output, plannedItem(input, chains[i], spec, *format));
        outputs.push_back(std::move(output));
        names.push_back({shot.name, input.itemName, input.parentName, input.path, 1});
    }
    if (spec.oneFile && format->manyItems && outputs.size() > 1) {
        WYC_TRY(merged, inOneFile(outputs, spec.name));
        outputs.clear();
        outputs.push_back(std::move(merged));
        names = {{shot.name, spec.name, {}, {}, 1}};
    }
    WYC_TRY(targets, targetsOf(outputs, names, spec, *format, run));
    const auto reads = std::make_shared<const ReadFiles>(inputs);
    for (std::size_t i = 0; i < outputs.size(); ++i) {
        PlannedOutput& output = outputs[i];
        output.format = format;
        output.replace = spec.replace;
        output.target = targets[i].target;
        output.restTarget = targets[i].rest;
        output.ownFolder = targets[i].ownFolder;
        output.version = targets[i].version;
        output.reads = reads;
        WYC_CHECK(reads->mayBeWritten(output));
        // What was put there since it was found free is looked at again when the names are held.
        if ((spec.replace || !targets[i].foundFree) && areThere(targets[i])) {
            if (!spec.replace)
                return fail(makeError(ErrorKind::Exists, "the target is there already")
                                .inFile(targets[i].target.string())
                                .withAdvice("Put {version} into the name template, or say that it may be replaced"));
            WYC_CHECK(isDeliveryOf(output));
        }
        WYC_CHECK(settle(output));
    }
    return outputs;
}

nlohmann::json toJson(const PlannedOutput& output) {
    const auto listed = [](const std::vector<Loss>& all) {
        nlohmann::json list = nlohmann::json::array();
        for (const Loss& one : all)
            list.push_back({{"item", one.item.empty() ? nlohmann::json(nullptr) : nlohmann::json(validUtf8(one.item))},
                            {"what", validUtf8(one.what)}});
        return list;
    };
    nlohmann::json files = nlohmann::json::array();
    for (const ComingFile& file : output.files) {
        static constexpr std::array kRoles{"main", "layer", "picture", "outside"};
        files.push_back({{"name", validUtf8(file.name)},
                         {"role", kRoles[static_cast<std::size_t>(file.role)]},
                         {"of", file.of.empty() ? nlohmann::json(nullptr) : nlohmann::json(file.of)},
                         {"before", file.before.empty() ? nlohmann::json(nullptr) : nlohmann::json(file.before)}});
    }
    return {{"item", validUtf8(output.item)},
            {"target", output.target.string()},
            {"rest", output.restTarget ? nlohmann::json(output.restTarget->string()) : nlohmann::json(nullptr)},
            {"format", output.format->id},
            {"format_options", output.format->chosen},
            {"rate", output.rate.text()},
            {"first", output.frames ? nlohmann::json(output.frames->first) : nlohmann::json(nullptr)},
            {"last", output.frames ? nlohmann::json(output.frames->last) : nlohmann::json(nullptr)},
            {"samples", output.sampleCount},
            {"files", output.fileCount},
            {"files_to_be", files},
            {"size_estimate", output.sizeEstimate},
            {"will_be_lost", listed(output.losses)},
            {"not_filled", listed(output.shortfalls)}};
}

} // namespace wyc
