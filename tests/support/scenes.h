// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Small scenes for tests.
#include <cmath>
#include <cstring>
#include <functional>
#include <stdexcept>

#include "formats/format.h"
#include "scene/layers.h"
#include "scene/scene.h"

namespace wyc::test {

inline TopologyPtr gridTopology(int rows, int columns) {
    std::vector<std::int32_t> sizes;
    std::vector<std::int32_t> corners;
    for (int r = 0; r + 1 < rows; ++r)
        for (int c = 0; c + 1 < columns; ++c) {
            const int a = r * columns + c;
            sizes.push_back(4);
            corners.insert(corners.end(), {a, a + 1, a + columns + 1, a + columns});
        }
    return *Topology::make(std::move(sizes), std::move(corners));
}

/// A node below another (−1: at the top), with its path.
inline Node& addNode(Scene& scene, const std::string& name, int parent, NodeKind kind) {
    Node node;
    node.name = name;
    node.parent = parent;
    node.kind = kind;
    node.path = (parent < 0 ? std::string() : scene.nodes[static_cast<std::size_t>(parent)].path) + "/" + name;
    scene.nodes.push_back(std::move(node));
    return scene.nodes.back();
}

/// A waving sheet, a little asymmetric so that no turn maps it onto itself.
inline std::vector<Vec3f> sheetPoints(int rows, int columns, double phase) {
    std::vector<Vec3f> points;
    for (int r = 0; r < rows; ++r)
        for (int c = 0; c < columns; ++c) {
            const double u = c / static_cast<double>(columns - 1);
            const double v = r / static_cast<double>(rows - 1);
            points.push_back({static_cast<float>(1.3 * u + 0.05 * std::sin(phase + 3.0 * v)),
                              static_cast<float>(0.9 * v + 0.2 * std::sin(phase * 1.3 + 4.0 * u)),
                              static_cast<float>(0.4 * u * v + 0.15 * std::cos(phase + 5.0 * u + v))});
        }
    return points;
}

/// What lies on a mesh in one sample.
struct OnMesh {
    Attribute uvs;
    Attribute normals;
    Attribute colours;
    std::vector<FaceSet> faceSets;
    bool operator==(const OnMesh&) const = default;
    [[nodiscard]] std::array<std::pair<Meaning, const Attribute*>, 3> layers() const {
        return {{{Meaning::Uvs, &uvs}, {Meaning::Normals, &normals}, {Meaning::Colours, &colours}}};
    }
};
/// Gives a node layers, one value a sample, in place of those that it has; its other properties stay.
inline void setLayers(Node& node, const Sampling& sampling, const std::vector<OnMesh>& samples) {
    std::vector<PropertyNode> list;
    for (std::size_t layer = 0; layer < 3; ++layer) {
        const Meaning meaning = samples.front().layers()[layer].first;
        std::vector<Attribute> values;
        bool any = false;
        for (const OnMesh& sample : samples) {
            values.push_back(*sample.layers()[layer].second);
            any = any || !values.back().isEmpty();
        }
        if (any)
            list.push_back(layerProperty(meaning, meaningName(meaning), sampling, values));
    }
    for (PropertyNode& property : node.properties ? node.properties->all() : std::vector<PropertyNode>())
        if (!isLayer(property.meaning))
            list.push_back(std::move(property));
    node.properties = list.empty() ? nullptr : plainProperties(std::move(list));
}
/// A mesh on which the same lies at all times.
inline void setMesh(Node& node, const Sampling& sampling, TopologyPtr topology, std::vector<std::vector<Vec3f>> points,
                    const OnMesh& on) {
    node.geometry = std::make_shared<MemoryGeometry>(sampling, std::move(topology), std::move(points), on.faceSets);
    setLayers(node, Sampling::still(), {on});
}
inline OnMesh onMesh(const Node& node, std::size_t sample) {
    OnMesh on;
    const double now = node.geometry->sampling().time(sample);
    for (const Layer& layer : layersOf(node.properties)) {
        Attribute& into = layer.meaning == Meaning::Uvs       ? on.uvs
                          : layer.meaning == Meaning::Normals ? on.normals
                                                              : on.colours;
        if (into.isEmpty())
            into = layer.at(now, node.geometry.get()).value();
        if (into.isEmpty())
            into = {};
    }
    on.faceSets = *node.geometry->faceSets(sample).value();
    return on;
}

struct SheetOptions {
    std::string name = "sheet";
    int rows = 6;
    int columns = 5;
    double first = 1001;
    std::size_t count = 24;
    FrameRate rate;
    std::function<double(double)> pose = [](double frame) { return frame; };
    std::function<void(double frame, std::vector<Vec3f>&)> plant; // a fault
};

inline Scene sheetScene(const SheetOptions& options = {}) {
    std::vector<std::vector<Vec3f>> samples;
    for (std::size_t i = 0; i < options.count; ++i) {
        const double frame = options.first + static_cast<double>(i);
        samples.push_back(sheetPoints(options.rows, options.columns, options.pose(frame) * 0.13));
        if (options.plant)
            options.plant(frame, samples.back());
    }
    Scene scene;
    scene.view.rate = options.rate;
    Node node;
    node.name = options.name;
    node.path = "/" + options.name;
    node.kind = NodeKind::Mesh;
    node.geometry = std::make_shared<MemoryGeometry>(
        options.count == 1
            ? Sampling::still()
            : Sampling::uniform(options.rate.secondsAt(options.first), options.rate.secondsAt(1.0), options.count),
        gridTopology(options.rows, options.columns), std::move(samples));
    scene.nodes.push_back(std::move(node));
    return scene;
}

inline const Geometry& shapeOf(const Scene& scene, std::size_t skip = 0) {
    for (const Node& node : scene.nodes)
        if (node.geometry && skip-- == 0)
            return *node.geometry;
    throw std::runtime_error("no shape");
}

inline std::vector<Vec3f> pointsOf(const Geometry& geometry, std::size_t sample) {
    std::vector<Vec3f> points;
    const auto status = readPoints(geometry, sample, points);
    if (!status)
        throw std::runtime_error(status.error().text());
    return points;
}

/// Bit for bit: −0 and not-a-number count too.
inline bool sameBits(const std::vector<Vec3f>& a, const std::vector<Vec3f>& b) {
    return a.size() == b.size() && (a.empty() || std::memcmp(a.data(), b.data(), a.size() * sizeof(Vec3f)) == 0);
}

inline Result<Scene> openFile(const fs::path& path, const Node* rest = nullptr) {
    OpenRequest request;
    request.path = path;
    if (rest)
        request.rest = std::make_shared<const Node>(*rest);
    request.restName = "rest";
    const Format* format = formatOfName(path);
    return format ? format->read(std::move(request)) : Result<Scene>(fail(ErrorKind::Unsupported, "no format"));
}

inline Result<std::vector<fs::path>> writeScene(const Scene& scene, const fs::path& target) {
    WriteOptions options;
    options.rate = scene.view.rate;
    options.application = "tests";
    return formatOfName(target)->write(scene, target, options, Progress());
}

} // namespace wyc::test
