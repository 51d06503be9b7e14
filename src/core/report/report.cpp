// SPDX-License-Identifier: GPL-3.0-or-later
#include "report/report.h"

#include <cmath>

#include <fmt/format.h>

#include "base/text.h"
#include "checks/check.h"
#include "scene/channels.h"
#include "scene/components/camera.h"
#include "scene/components/curves.h"
#include "scene/components/instancer.h"
#include "scene/components/light.h"
#include "scene/deform/deformers.h"
#include "steps/step.h"

namespace wyc {
namespace {

using nlohmann::json;

template<class T> json orNull(const std::optional<T>& value) {
    return value ? json(*value) : json(nullptr);
}

json number(float value) {
    if (std::isnan(value))
        return "nan";
    if (std::isinf(value))
        return value > 0 ? "inf" : "-inf";
    return value;
}

json matrixJson(const Mat4& matrix) {
    json result = json::array();
    for (const double value : matrix.m)
        result.push_back(value);
    return result;
}

json cameraJson(const CameraView& view) {
    const CameraFigures& f = view.figures;
    return {{"focal_length_mm", f.focalLength},
            {"aperture_mm", {f.horizontalAperture * 10.0, f.verticalAperture * 10.0}},
            {"offset_mm", {f.horizontalOffset * 10.0, f.verticalOffset * 10.0}},
            {"near", f.nearClip},
            {"far", f.farClip},
            {"focus_distance", f.focusDistance},
            {"f_stop", f.fStop},
            {"squeeze", f.squeeze},
            {"shutter_seconds", {f.shutterOpen, f.shutterClose}},
            {"overscan_left_right_top_bottom", {f.overscanLeft, f.overscanRight, f.overscanTop, f.overscanBottom}},
            {"film_back", view.filmBack}};
}

json lightJson(const LightFigures& light) {
    return {{"kind", light.kind.empty() ? json(nullptr) : json(validUtf8(light.kind))},
            {"colour", light.colour ? json(*light.colour) : json(nullptr)},
            {"intensity", orNull(light.intensity)},
            {"exposure", orNull(light.exposure)},
            {"cone_degrees", orNull(light.coneDegrees)}};
}

} // namespace

ItemFacts itemFacts(const Scene& scene, std::size_t node) {
    ItemFacts facts;
    const Node& it = scene.nodes[node];
    double when = 0.0;
    if (const auto span = movingSpan(scene, node)) {
        facts.first = snappedFrame(scene.view.rate.frameAt(span->first));
        facts.last = snappedFrame(scene.view.rate.frameAt(span->last));
        when = span->first;
    }
    for (int at = static_cast<int>(node); at >= 0; at = scene.nodes[static_cast<std::size_t>(at)].parent)
        if (const auto& transform = scene.nodes[static_cast<std::size_t>(at)].transform;
            transform && !transform->constant())
            facts.movesByTransform = true;
    for (const Channel& channel : channelsOf(it.properties)) {
        if (channel.meaning == Meaning::Unknown)
            continue;
        facts.movesByValues = facts.movesByValues || !channel.values->constant();
        facts.samples = std::max(facts.samples, channel.values->sampling().count());
    }
    if (it.transform)
        facts.samples = std::max<std::size_t>(1, it.transform->sampling().count());
    if (const auto placement = placementAt(scene, node, when))
        facts.visible = placement->visible;
    if (!it.geometry)
        return facts;
    facts.samples = it.geometry->sampling().count();
    facts.movesByPoints = !it.geometry->pointsConstant();
    facts.movesByValues = facts.movesByValues && !facts.movesByPoints; // beside moving points nobody counts them
    if (facts.samples == 0)
        return facts;
    const auto count = it.geometry->pointCount(0);
    const auto topology = it.geometry->topology(0);
    if (!count || !topology) {
        facts.error = !count ? count.error() : topology.error();
        return facts;
    }
    facts.points = *count;
    facts.faces = (*topology)->faceCount();
    facts.corners = (*topology)->cornerCount();
    facts.topology = (*topology)->hash();
    return facts;
}

namespace {

json itemInfo(const Scene& scene, std::size_t i, const ItemFacts& facts, bool deep) {
    const Node& node = scene.nodes[i];
    json moves = json::array();
    if (facts.movesByPoints)
        moves.push_back("points");
    if (facts.movesByTransform)
        moves.push_back("transform");
    if (facts.movesByValues)
        moves.push_back("values");
    json item{{"path", validUtf8(node.path)},
              {"kind", node.is().name},
              {"points", orNull(facts.points)},
              {"faces", orNull(facts.faces)},
              {"corners", orNull(facts.corners)},
              {"samples", facts.samples},
              {"first", orNull(facts.first)},
              {"last", orNull(facts.last)},
              {"moves", moves},
              {"visible", facts.visible},
              {"topology", facts.topology ? json(hashText(*facts.topology)) : json(nullptr)}};
    if (node.is().strands && facts.samples > 0)
        if (const auto layout = curveLayout(node, 0)) {
            item["curves"] = layout->sizes.size();
            item["curve_kind"] = layout->words();
        }
    if (node.isInstance())
        item["instance_of"] = validUtf8(node.instanceLabel);
    for (const std::string& name : prototypeNames(scene, node))
        item["prototypes"].push_back(validUtf8(name));
    if (isDeformed(node)) {
        const auto skeleton = node.deformation->skeleton ? scene.find(*node.deformation->skeleton) : std::nullopt;
        item["skeleton"] = skeleton ? json(validUtf8(scene.nodes[*skeleton].path)) : json(nullptr);
        item["morphs"] = json::array();
        for (const std::string& name : morphNames(node))
            item["morphs"].push_back(validUtf8(name));
    }
    if (deep) {
        const Sampling* sampling = node.geometry    ? &node.geometry->sampling()
                                   : node.transform ? &node.transform->sampling()
                                                    : nullptr;
        item["times"] = sampling && !sampling->isStill() ? json(sampling->times()) : json::array();
    }
    return item;
}

// A face that refers to a point that is not there.
std::optional<Finding> facesOutOfRange(const Node& node, const ItemFacts& facts) {
    if (!node.geometry || !facts.points || facts.samples == 0)
        return std::nullopt;
    const auto topology = node.geometry->topology(0);
    if (!topology || (*topology)->fits(*facts.points))
        return std::nullopt;
    const int highest = (*topology)->highestCorner();
    return Finding{"faces.out_of_range",
                   Severity::Fault,
                   node.path,
                   {},
                   static_cast<double>(highest),
                   "point",
                   fmt::format("A face refers to point {} of {}",
                               groupedDigits(static_cast<std::uint64_t>(std::max(0, highest))),
                               groupedDigits(*facts.points)),
                   "Export the mesh again; it cannot be drawn or written as it is",
                   {},
                   {}};
}

json materialInfo(const Material& material) {
    const LookInput& colour = material.look.baseColour;
    json entry{{"name", validUtf8(material.name)},
               {"base_colour", colour.value.empty() ? json(nullptr) : json(colour.value)},
               {"texture", colour.texture.empty() ? json(nullptr) : json(validUtf8(colour.texture))},
               {"texture_found", !colour.file.empty()}};
    for (const auto& [name, member] : kLookInputs) {
        const LookInput& input = material.look.*member;
        if (member == &Look::baseColour || input == LookInput())
            continue;
        json& into = entry["look"][name];
        if (!input.value.empty())
            into["value"] = input.value;
        if (!input.texture.empty())
            into.update({{"texture", validUtf8(input.texture)}, {"texture_found", !input.file.empty()}});
    }
    entry["textures"] = json::array();
    for (const auto& [name, member] : kLookInputs)
        if (const LookInput& input = material.look.*member; !input.texture.empty())
            entry["textures"].push_back({{"path", validUtf8(input.texture)}, {"found", !input.file.empty()}});
    for (const Channel& channel : channelsOf(material.graph))
        entry["graph"].push_back(validUtf8(channel.name));
    return entry;
}

// Of a scene that is made of several files, and what its opening offers.
void addLayers(json& info, const ReadReport& report) {
    if (!report.layers.empty())
        info["layers"] = json::array();
    for (const ReadLayer& layer : report.layers)
        info["layers"].push_back({{"path", validUtf8(layer.path)},
                                  {"found", layer.found},
                                  {"offset", layer.offset},
                                  {"scale", layer.scale},
                                  {"rate", layer.rate ? json(layer.rate->text()) : json(nullptr)},
                                  {"unit_metres", orNull(layer.unitMetres)},
                                  {"up_axis", layer.upAxis ? json(upAxisName(*layer.upAxis)) : json(nullptr)}});
    if (report.layers.empty())
        return;
    info["variants"] = json::array();
    info["payloads"] = json::array();
    for (const ReadChoice& choice : report.choices) {
        if (choice.set.empty()) {
            info["payloads"].push_back({{"item", validUtf8(choice.item)}, {"loaded", choice.chosen == "loaded"}});
            continue;
        }
        json choices = json::array();
        for (const std::string& one : choice.choices)
            choices.push_back(validUtf8(one));
        info["variants"].push_back(
            {{"item", validUtf8(choice.item)},
             {"set", validUtf8(choice.set)},
             {"choices", std::move(choices)},
             {"chosen", choice.chosen.empty() ? json(nullptr) : json(validUtf8(choice.chosen))}});
    }
}

// Values of an attribute at a moment, laid out one for each element.
Result<json> attributeJson(const PropertyNode& property, double seconds) {
    static constexpr const char* kScopes[] = {"constant", "face", "point", "corner"};
    const PropertyNode* numbering = numberingOf(property);
    const PropertyNode& holder = numbering ? property.children.front() : property;
    const SampledValues& values = *holder.values;
    WYC_TRY(read, values.readAt(seconds, {holder.role, nullptr}));
    json list = json::array();
    if (values.type() == ValueType::String || values.type() == ValueType::WideString) {
        for (const std::string& text : stringsOf(values.type(), read.bytes))
            list.push_back(validUtf8(text));
    } else {
        WYC_TRY(numbers, numbersAt(values, seconds, {holder.role, nullptr}));
        const std::size_t extent = std::max<std::size_t>(1, values.extent());
        for (std::size_t i = 0; i + extent <= numbers.size(); i += extent) {
            json one = json::array();
            for (std::size_t k = 0; k < extent; ++k)
                one.push_back(number(static_cast<float>(numbers[i + k])));
            list.push_back(extent == 1 ? one[0] : std::move(one));
        }
    }
    if (numbering) {
        WYC_TRY(which, numbersAt(*numbering->values, seconds));
        json laid = json::array();
        for (const double w : which)
            laid.push_back(w >= 0.0 && w < static_cast<double>(list.size()) ? list[static_cast<std::size_t>(w)]
                                                                            : json(nullptr));
        list = std::move(laid);
    }
    return json{{"scope", kScopes[static_cast<std::size_t>(property.scope)]}, {"values", std::move(list)}};
}

// What a sample says beside points and place.
Status addFurther(json& item, const Scene& scene, const Node& node, double seconds, const Mat4& world) {
    if (node.isInstance())
        item["instance_of"] = validUtf8(node.instanceLabel);
    if (const Material* material = node.material.value ? materialOf(scene, node.material, {}) : nullptr)
        item["material"] = validUtf8(material->name);
    if (node.kind == NodeKind::Instancer) {
        WYC_TRY(instances, instancesAt(node, seconds));
        item["instances"] = json::array();
        for (const InstanceFigures& one : instances) {
            const auto prototype = one.prototype >= 0 && node.prototypes &&
                                           static_cast<std::size_t>(one.prototype) < node.prototypes->size()
                                       ? scene.find((*node.prototypes)[static_cast<std::size_t>(one.prototype)])
                                       : std::nullopt;
            Mat4 own;
            if (prototype) {
                WYC_TRY(local, localMatrix(scene, *prototype, seconds));
                own = local;
            }
            item["instances"].push_back(
                {{"world_matrix", matrixJson(own * one.matrix() * world)},
                 {"visible", true},
                 {"id", one.id},
                 {"prototype", prototype ? json(validUtf8(scene.nodes[*prototype].path)) : json(nullptr)}});
        }
    }
    for (const PropertyNode& property : node.properties ? node.properties->all() : std::vector<PropertyNode>()) {
        const bool attribute = isAttribute(property.meaning) || property.meaning == Meaning::Widths ||
                               property.meaning == Meaning::Velocities || property.meaning == Meaning::UserValue;
        const bool valued =
            property.values ? property.values->sampling().count() > 0 : numberingOf(property) != nullptr;
        if (!attribute || !valued)
            continue;
        WYC_TRY(values, attributeJson(property, seconds));
        item["attributes"][validUtf8(property.name)] = std::move(values);
    }
    return {};
}

json listed(const std::vector<NotCarried>& entries) {
    json list = json::array();
    for (const NotCarried& n : entries)
        list.push_back(
            {{"item", n.item.empty() ? json(nullptr) : json(validUtf8(n.item))}, {"what", validUtf8(n.what)}});
    return list;
}

} // namespace

Result<json> sourceInfo(const Source& source, bool deep) {
    const Scene& scene = source.scene;
    json info;
    info["source"] = validUtf8(source.spec.path.string());
    info["format"] = source.format->id;
    info["rate"] = scene.rate ? json(scene.rate->text()) : json(nullptr);
    info["unit_metres"] = orNull(scene.unitMetres);
    info["up_axis"] = scene.upAxis ? json(upAxisName(*scene.upAxis)) : json(nullptr);
    info["rest"] = source.restUsed ? json(validUtf8(source.restUsed->string())) : json(nullptr);
    info["files"] = source.fileCount;
    info["size"] = source.sizeBytes;
    std::optional<double> first;
    std::optional<double> last;
    json items = json::array();
    std::vector<Finding> findings = readerFindings(scene);
    for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
        const ItemFacts facts = itemFacts(scene, i);
        if (facts.error)
            return fail(Error(*facts.error).inFile(source.spec.path.string()).forItem(scene.nodes[i].path));
        if (facts.first) {
            first = std::min(first.value_or(*facts.first), *facts.first);
            last = std::max(last.value_or(*facts.last), *facts.last);
        }
        json item = itemInfo(scene, i, facts, deep);
        if (scene.report.saidBy)
            if (const auto said = scene.report.saidBy->find(scene.nodes[i].id); said != scene.report.saidBy->end())
                for (const std::uint32_t layer : said->second)
                    item["layers"].push_back(validUtf8(scene.report.layers[layer].path));
        items.push_back(std::move(item));
        if (auto finding = facesOutOfRange(scene.nodes[i], facts))
            findings.push_back(std::move(*finding));
    }
    info["first"] = orNull(first);
    info["last"] = orNull(last);
    info["items"] = std::move(items);
    info["not_carried"] = listed(scene.report.notCarried);
    info["carried"] = listed(scene.report.carried);
    sortFindings(findings);
    info["findings"] = json::array();
    for (const Finding& finding : findings)
        info["findings"].push_back(toJson(finding));
    for (const Material& material : scene.materials)
        info["materials"].push_back(materialInfo(material));
    addLayers(info, scene.report);
    return info;
}

Result<json> sampleDocument(const Source& source, const std::vector<double>& frames, const std::string& itemPattern,
                            bool world) {
    Scene chosen = source.scene;
    if (!itemPattern.empty()) {
        WYC_TRY(selected, selectedItems(source.scene, {itemPattern}));
        chosen = std::move(selected);
    }
    const Scene& scene = chosen;
    json document{{"source", validUtf8(source.spec.path.string())},
                  {"rate", scene.rate ? json(scene.rate->text()) : json(nullptr)}};
    json list = json::array();
    for (const double frame : frames) {
        const double seconds = scene.view.rate.secondsAt(frame);
        json items = json::array();
        for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
            const Node& node = scene.nodes[i];
            WYC_TRY(placement, placementAt(scene, i, seconds));
            WYC_TRY(local, localMatrix(scene, i, seconds));
            json item{{"path", validUtf8(node.path)},
                      {"kind", node.is().name},
                      {"matrix", matrixJson(world ? placement.matrix : local)},
                      {"world_matrix", matrixJson(placement.matrix)},
                      {"visible", placement.visible}};
            if (node.kind == NodeKind::Camera) {
                WYC_TRY(view, cameraAt(scene, i, seconds));
                item["camera"] = cameraJson(view);
            }
            if (node.kind == NodeKind::Light) {
                WYC_TRY(light, lightAt(scene, i, seconds));
                item["light"] = lightJson(light);
            }
            if (node.geometry && node.geometry->sampling().count() > 0) {
                std::vector<Vec3f> points;
                if (auto status = readPointsAt(*node.geometry, seconds, points); !status)
                    return fail(std::move(status.error()).forItem(node.path));
                json pointList = json::array();
                for (Vec3f& p : points) {
                    if (world)
                        p = transformedPoint(p, placement.matrix);
                    pointList.push_back({number(p.x), number(p.y), number(p.z)});
                }
                item["points"] = std::move(pointList);
                WYC_TRY(topology, node.geometry->topologyAt(seconds));
                item["face_sizes"] = topology->faceSizes();
                item["corners"] = topology->corners();
            }
            if (auto status = addFurther(item, scene, node, seconds, placement.matrix); !status)
                return fail(std::move(status.error()).forItem(node.path));
            items.push_back(std::move(item));
        }
        list.push_back({{"frame", frame}, {"seconds", seconds}, {"items", std::move(items)}});
    }
    document["frames"] = std::move(list);
    return document;
}

} // namespace wyc
