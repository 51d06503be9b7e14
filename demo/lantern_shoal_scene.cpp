// SPDX-License-Identifier: GPL-3.0-or-later
// The whole scenario as one scene: hierarchy, moving camera, flecks that are born and die, kelp as curves, face sets,
// a light, a helper and something hidden.
#include <cmath>
#include <functional>
#include <numbers>

#include "demo/lantern_shoal.h"
#include "demo/shapes.h"
#include "scene/components/camera.h"
#include "steps/shape/pieces.h"

namespace wyc::demo {
namespace {

constexpr double kTau = 2.0 * std::numbers::pi;
constexpr double kJellyDetail = 0.4;
constexpr int kFlecks = 1500;
constexpr int kFronds = 22;
constexpr int kFrondPoints = 14;

// A number from 0 to 1 that is the same every time.
double scatter(int index, int salt) {
    const double x = std::sin(index * 12.9898 + salt * 78.233) * 43758.5453;
    return x - std::floor(x);
}

class SceneMaker {
  public:
    SceneMaker() {
        scene_.rate = scene_.view.rate = FrameRate();
        scene_.unitMetres = 1.0;
        scene_.upAxis = UpAxis::Y;
        const FrameRange range = *demoShot().rangeWithHandles();
        first_ = range.first;
        count_ = static_cast<std::size_t>(range.count());
        sampling_ = Sampling::uniform(scene_.view.rate.secondsAt(first_), scene_.view.rate.secondsAt(1.0), count_);
    }
    [[nodiscard]] double seconds(std::size_t sample) const {
        return scene_.view.rate.secondsAt(first_ + static_cast<double>(sample));
    }
    [[nodiscard]] std::size_t count() const { return count_; }
    [[nodiscard]] const Sampling& sampling() const { return sampling_; }
    [[nodiscard]] Scene& scene() { return scene_; }

    int add(const std::string& name, int parent, NodeKind kind) {
        Node node;
        node.name = name;
        node.parent = parent;
        node.path = (parent < 0 ? "" : scene_.nodes[static_cast<std::size_t>(parent)].path) + "/" + name;
        node.kind = kind;
        scene_.nodes.push_back(std::move(node));
        return static_cast<int>(scene_.nodes.size()) - 1;
    }
    Node& node(int index) { return scene_.nodes[static_cast<std::size_t>(index)]; }
    int place(const std::string& name, int parent, const Vec3d& at) {
        const int index = add(name, parent, NodeKind::Transform);
        node(index).transform = std::make_shared<MemoryTransform>(
            Sampling::still(), std::vector<TransformOp>{{TransformOp::Kind::Translate, 0}},
            std::vector<std::vector<double>>{{at.x, at.y, at.z}});
        return index;
    }
    int moving(const std::string& name, int parent, std::vector<TransformOp> ops,
               const std::function<std::vector<double>(double)>& channels) {
        const int index = add(name, parent, NodeKind::Transform);
        std::vector<std::vector<double>> samples;
        for (std::size_t i = 0; i < count_; ++i)
            samples.push_back(channels(seconds(i)));
        node(index).transform = std::make_shared<MemoryTransform>(sampling_, std::move(ops), std::move(samples));
        return index;
    }
    int mesh(const std::string& name, int parent, Shape shape) {
        const int index = add(name, parent, NodeKind::Mesh);
        const TopologyPtr topology = shape.topology();
        node(index).geometry = std::make_shared<MemoryGeometry>(
            Sampling::still(), topology, std::vector<std::vector<Vec3f>>{std::move(shape.points)});
        return index;
    }

  private:
    Scene scene_;
    double first_ = 0.0;
    std::size_t count_ = 0;
    Sampling sampling_;
};

void addJelly(SceneMaker& made) {
    const int group = made.moving("lantern_jelly", -1, {{TransformOp::Kind::Translate, 0}}, [](double s) {
        return std::vector<double>{0.4 * std::sin(0.21 * s), 0.1 * std::sin(0.4 * s), 0.3 * std::cos(0.17 * s)};
    });
    const int bell = made.add("bell", group, NodeKind::Mesh);
    std::vector<std::vector<Vec3f>> samples;
    TopologyPtr topology;
    for (std::size_t i = 0; i < made.count(); ++i) {
        Shape shape = lanternJelly(made.seconds(i), kJellyDetail);
        if (!topology)
            topology = shape.topology();
        samples.push_back(std::move(shape.points));
    }
    made.node(bell).geometry = std::make_shared<MemoryGeometry>(made.sampling(), topology, samples);
    std::vector<FaceSet> sets;
    if (const auto pieces = piecesOf(made.scene(), static_cast<std::size_t>(bell), "pieces")) {
        FaceSet ribbons{FaceSet::Kind::Group, "ribbons", {}};
        for (std::size_t p = 0; p < pieces->size(); ++p) {
            if (p == 0)
                sets.push_back({FaceSet::Kind::Group, "skin", (*pieces)[p].faces});
            else
                ribbons.faces.insert(ribbons.faces.end(), (*pieces)[p].faces.begin(), (*pieces)[p].faces.end());
        }
        if (!ribbons.faces.empty())
            sets.push_back(std::move(ribbons));
    }
    made.node(bell).geometry =
        std::make_shared<MemoryGeometry>(made.sampling(), topology, std::move(samples), std::move(sets));
}

// Drifting flecks; each lives for a while and is not there before and after.
void addSnow(SceneMaker& made) {
    const int group = made.place("snow", -1, {0, 0, 0});
    const int index = made.add("marine_snow", group, NodeKind::Points);
    std::vector<std::vector<Vec3f>> points(made.count());
    std::vector<std::vector<std::uint64_t>> ids(made.count());
    std::vector<std::vector<float>> velocities(made.count());
    std::vector<std::vector<float>> widths(made.count());
    const double start = made.seconds(0);
    const double span = made.seconds(made.count() - 1) - start;
    for (std::size_t i = 0; i < made.count(); ++i) {
        const double now = made.seconds(i);
        for (int fleck = 0; fleck < kFlecks; ++fleck) {
            const double born = start + (scatter(fleck, 1) * 1.4 - 0.5) * span;
            const double life = (0.3 + 0.7 * scatter(fleck, 2)) * span;
            if (now < born || now >= born + life)
                continue;
            const double age = now - born;
            const double turn = kTau * scatter(fleck, 3);
            const double speed = 0.05 + 0.1 * scatter(fleck, 4);
            const Vec3d p{(scatter(fleck, 5) - 0.5) * 9.0 + 0.12 * std::sin(age * 1.3 + turn),
                          4.2 * scatter(fleck, 6) - speed * age * 0.4 + 0.4, (scatter(fleck, 7) - 0.5) * 9.0};
            points[i].push_back({static_cast<float>(p.x), static_cast<float>(p.y), static_cast<float>(p.z)});
            ids[i].push_back(static_cast<std::uint64_t>(fleck));
            velocities[i].insert(velocities[i].end(), {static_cast<float>(0.156 * std::cos(age * 1.3 + turn)),
                                                       static_cast<float>(-speed * 0.4), 0.0F});
            widths[i].push_back(static_cast<float>(0.008 + 0.02 * scatter(fleck, 8)));
        }
    }
    const auto numbers = memoryValues(ValueType::UInt64, 1, true, made.sampling(), ids);
    made.node(index).geometry = std::make_shared<VaryingPoints>(made.sampling(), std::move(points), std::move(ids));
    made.node(index).properties = plainProperties(
        {plainProperty(Meaning::PointIds, "ids", numbers),
         plainProperty(Meaning::Velocities, "velocities",
                       memoryValues(ValueType::Float, 3, true, made.sampling(), velocities), SpaceRole::Vector,
                       TimeRole::Rate),
         plainProperty(Meaning::Widths, "widths", memoryValues(ValueType::Float, 1, true, made.sampling(), widths),
                       SpaceRole::Length)});
}

// Fronds as cubic B-spline curves that sway; thinner towards the tip.
void addKelp(SceneMaker& made) {
    const int group = made.place("kelp_stand", -1, {-3.6, 0, -3.0});
    const int index = made.add("fronds", group, NodeKind::Curves);
    std::vector<std::vector<Vec3f>> samples(made.count());
    std::vector<float> widths;
    for (std::size_t i = 0; i < made.count(); ++i)
        for (int frond = 0; frond < kFronds; ++frond) {
            const double x = (scatter(frond, 11) - 0.5) * 2.6;
            const double z = (scatter(frond, 12) - 0.5) * 2.2;
            const double height = 1.6 + 1.5 * scatter(frond, 13);
            for (int k = 0; k < kFrondPoints; ++k) {
                const double u = k / static_cast<double>(kFrondPoints - 1);
                const double sway = 0.35 * u * u * std::sin(1.1 * made.seconds(i) + frond * 0.7 - 1.6 * u);
                samples[i].push_back({static_cast<float>(x + sway), static_cast<float>(height * u),
                                      static_cast<float>(z + 0.4 * sway + 0.1 * u * std::sin(7.0 * u + frond))});
                if (i == 0)
                    widths.push_back(static_cast<float>(0.035 * (1.0 - 0.8 * u)));
            }
        }
    made.node(index).geometry = std::make_shared<MemoryGeometry>(made.sampling(), emptyTopology(), std::move(samples));
    const std::vector<std::int32_t> sizes(kFronds, kFrondPoints);
    made.node(index).properties = plainProperties(
        {plainProperty(Meaning::CurveSizes, "sizes",
                       memoryValues<std::int32_t>(ValueType::Int32, 1, true, Sampling::still(), {sizes})),
         plainProperty(Meaning::CurveKind, "kind",
                       memoryValues<std::uint8_t>(ValueType::UInt8, 4, false, Sampling::still(), {{0, 0, 2, 2}})),
         plainProperty(Meaning::Widths, "widths",
                       memoryValues<float>(ValueType::Float, 1, true, Sampling::still(), {widths}),
                       SpaceRole::Length)});
}

void addBeacon(SceneMaker& made) {
    const int place = made.place("beacon_place", -1, {2.4, 3.1, -1.5});
    const int index = made.add("beacon", place, NodeKind::Light);
    std::vector<std::vector<float>> colours;
    for (std::size_t i = 0; i < made.count(); ++i) {
        const double s = made.seconds(i);
        colours.push_back({static_cast<float>(0.9 + 0.1 * std::sin(s)),
                           static_cast<float>(0.6 + 0.3 * std::sin(1.7 * s)),
                           static_cast<float>(0.4 + 0.3 * std::cos(1.3 * s))});
    }
    made.node(index).properties = plainProperties({plainProperty(
        Meaning::LightColour, "colour", memoryValues(ValueType::Float, 3, false, made.sampling(), colours))});
}

} // namespace

void addBoomCamera(Scene& scene, const FrameRange& range, const FrameRate& rate) {
    const auto count = static_cast<std::size_t>(range.count());
    const Sampling sampling = Sampling::uniform(rate.secondsAt(range.first), rate.secondsAt(1.0), count);
    // The dolly goes round a quarter of the jelly and looks at it; the lens gets longer.
    std::vector<std::vector<double>> dolly;
    std::vector<CameraFigures> figures;
    for (std::size_t i = 0; i < count; ++i) {
        const double share = static_cast<double>(i) / static_cast<double>(count - 1);
        const double angle = (18.0 + 50.0 * share) * std::numbers::pi / 180.0;
        const double away = 6.4 - 1.2 * share;
        dolly.push_back({away * std::sin(angle), 1.5 + 0.5 * share, away * std::cos(angle),
                         angle * 180.0 / std::numbers::pi, -2.0 - 3.0 * share});
        CameraFigures f;
        f.focalLength = 32.0 + 18.0 * share;
        f.focusDistance = away;
        f.nearClip = 0.1;
        f.farClip = 200.0;
        figures.push_back(f);
    }
    Node place;
    place.name = "dolly";
    place.path = "/dolly";
    place.kind = NodeKind::Transform;
    place.transform = std::make_shared<MemoryTransform>(sampling,
                                                        std::vector<TransformOp>{{TransformOp::Kind::Translate, 0},
                                                                                 {TransformOp::Kind::RotateY, 0},
                                                                                 {TransformOp::Kind::RotateX, 0}},
                                                        std::move(dolly));
    const int parent = static_cast<int>(scene.nodes.size());
    scene.nodes.push_back(std::move(place));
    Node camera;
    camera.name = "boom_cam";
    camera.path = "/dolly/boom_cam";
    camera.parent = parent;
    camera.kind = NodeKind::Camera;
    camera.properties = cameraProperties(sampling, figures);
    scene.nodes.push_back(std::move(camera));
}

Scene lanternShoal() {
    SceneMaker made;
    addJelly(made);
    const Scene sub = surveySub();
    const int base = static_cast<int>(made.scene().nodes.size());
    for (Node node : sub.nodes) {
        if (node.parent >= 0)
            node.parent += base;
        made.scene().nodes.push_back(std::move(node));
    }
    // A rough hull for simulations: never to be seen, and a bare transform where the lamp's cable ends.
    const int proxy = made.mesh("hull_proxy", base, box({-1.4, -0.6, -0.6}, {1.4, 0.6, 0.6}));
    made.node(proxy).visibility = VisibilityTrack{Sampling::still(), {Visibility::Hidden}};
    made.place("cable_end", base, {1.3, -0.2, 0.0});
    addSnow(made);
    addKelp(made);
    made.mesh("seabed", -1, seabed(60));
    addBoomCamera(made.scene(), *demoShot().rangeWithHandles(), FrameRate());
    addBeacon(made);
    return std::move(made.scene());
}

} // namespace wyc::demo
