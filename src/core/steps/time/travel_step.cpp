// SPDX-License-Identifier: GPL-3.0-or-later
// The way that a shape travels, as a transform of its own above it.
#include <algorithm>
#include <cmath>
#include <mutex>
#include <set>

#include <fmt/format.h>

#include "base/parallel.h"
#include "scene/channels.h"
#include "steps/steps.h"
#include "steps/time/time_parts.h"

namespace wyc {
namespace {

using nlohmann::json;

// How far the middle of a shape is from where it was at its first sample, along some axes.
class Travel {
  public:
    Travel(GeometryPtr shape, std::array<bool, 3> axes)
        : shape_(std::move(shape)), axes_(axes), known_(shape_->sampling().count()) {}
    [[nodiscard]] const GeometryPtr& shape() const { return shape_; }
    [[nodiscard]] const std::array<bool, 3>& axes() const { return axes_; }
    [[nodiscard]] Result<Vec3d> at(std::size_t sample) const {
        WYC_TRY(here, middle(sample));
        return from(here);
    }
    /// In a straight line between two samples where the shape goes so.
    [[nodiscard]] Result<Vec3d> atTime(double seconds) const {
        const auto near = shape_->sampling().locate(seconds);
        if (near.weight == 0.0)
            return at(near.below);
        if (shape_->straightBetween()) {
            WYC_TRY(earlier, at(near.below));
            WYC_TRY(later, at(near.above));
            return earlier + (later - earlier) * near.weight;
        }
        WYC_TRY(count, shape_->pointCountAt(seconds));
        std::vector<Vec3f> points(count);
        WYC_CHECK(shape_->readAt(seconds, 0, points));
        return from(meanOf(points).value_or(Vec3d{}));
    }

  private:
    [[nodiscard]] Result<Vec3d> from(const Vec3d& here) const {
        WYC_TRY(first, middle(0));
        const Vec3d way = here - first;
        return Vec3d{axes_[0] ? way.x : 0.0, axes_[1] ? way.y : 0.0, axes_[2] ? way.z : 0.0};
    }
    [[nodiscard]] Result<Vec3d> middle(std::size_t sample) const {
        {
            const std::lock_guard lock(mutex_);
            if (known_[sample])
                return *known_[sample];
        }
        std::vector<Vec3f> points;
        WYC_CHECK(readPoints(*shape_, sample, points));
        const Vec3d found = meanOf(points).value_or(Vec3d{});
        const std::lock_guard lock(mutex_);
        known_[sample] = found;
        return found;
    }
    GeometryPtr shape_;
    std::array<bool, 3> axes_;
    mutable std::mutex mutex_;
    mutable std::vector<std::optional<Vec3d>> known_;
};

// What stays and the way go alike between samples: together they are where the shape was.
class StayingGeometry final : public GeometryWrapper {
  public:
    explicit StayingGeometry(std::shared_ptr<const Travel> travel)
        : GeometryWrapper(travel->shape()), travel_(std::move(travel)) {}
    [[nodiscard]] Status readRange(std::size_t s, std::size_t first, std::span<Vec3f> into) const override {
        WYC_CHECK(inner().readRange(s, first, into));
        WYC_TRY(way, travel_->at(s));
        stay(way, into);
        return {};
    }
    [[nodiscard]] Status readAt(double seconds, std::size_t first, std::span<Vec3f> into) const override {
        if (inner().straightBetween())
            return GeometryWrapper::readAt(seconds, first, into);
        WYC_CHECK(inner().readAt(seconds, first, into));
        WYC_TRY(way, travel_->atTime(seconds));
        stay(way, into);
        return {};
    }
    [[nodiscard]] bool straightBetween() const override { return inner().straightBetween(); }
    [[nodiscard]] std::optional<std::uint64_t> pointsToken(std::size_t) const override { return std::nullopt; }
    [[nodiscard]] std::optional<std::uint64_t> byteOfPoints(std::size_t) const override { return std::nullopt; }

  private:
    static void stay(const Vec3d& way, std::span<Vec3f> points) {
        for (Vec3f& p : points) {
            const Vec3d at = Vec3d(p) - way;
            p = {static_cast<float>(at.x), static_cast<float>(at.y), static_cast<float>(at.z)};
        }
    }
    std::shared_ptr<const Travel> travel_;
};

class TravelTransform final : public Transform {
  public:
    explicit TravelTransform(std::shared_ptr<const Travel> travel) : travel_(std::move(travel)) {}
    [[nodiscard]] const Sampling& sampling() const override { return travel_->shape()->sampling(); }
    [[nodiscard]] const std::vector<TransformOp>& ops() const override { return ops_; }
    [[nodiscard]] Result<std::vector<double>> channels(std::size_t sample) const override {
        WYC_TRY(way, travel_->at(sample));
        return std::vector<double>{way.x, way.y, way.z};
    }
    [[nodiscard]] Result<std::vector<double>> channelsAt(double seconds) const override {
        WYC_TRY(way, travel_->atTime(seconds));
        return std::vector<double>{way.x, way.y, way.z};
    }
    [[nodiscard]] bool straightBetween() const override { return travel_->shape()->straightBetween(); }

  private:
    std::shared_ptr<const Travel> travel_;
    std::vector<TransformOp> ops_{{TransformOp::Kind::Translate, 0}};
};

// Velocities of what stays: without that of the middle.
class StayingVelocities final : public ValuesWrapper {
  public:
    StayingVelocities(ValuesPtr inner, std::array<bool, 3> axes) : ValuesWrapper(std::move(inner)), axes_(axes) {}
    [[nodiscard]] Result<PropertyValue> read(std::size_t s) const override {
        WYC_TRY(value, inner().read(s));
        stay(value);
        return value;
    }
    [[nodiscard]] Result<PropertyValue> readAt(double t, const ValueMix& how) const override {
        WYC_TRY(value, inner().readAt(t, how));
        stay(value);
        return value;
    }
    [[nodiscard]] std::optional<std::uint64_t> token(std::size_t) const override { return std::nullopt; }
    [[nodiscard]] std::optional<std::uint64_t> tokenAt(double) const override { return std::nullopt; }

  private:
    void stay(PropertyValue& value) const {
        changeNumbers(type(), value, [&]<class T>(std::span<T> numbers) {
            const std::size_t points = numbers.size() / 3;
            for (std::size_t axis = 0; axis < 3; ++axis) {
                if (!axes_[axis] || points == 0)
                    continue;
                double sum = 0.0;
                for (std::size_t i = 0; i < points; ++i)
                    sum += static_cast<double>(numbers[i * 3 + axis]);
                for (std::size_t i = 0; i < points; ++i)
                    numbers[i * 3 + axis] =
                        static_cast<T>(static_cast<double>(numbers[i * 3 + axis]) - sum / static_cast<double>(points));
            }
        });
    }
    std::array<bool, 3> axes_;
};

Result<Scene> applyTravel(const Scene& scene, const json& options) {
    const std::string along = options["along"];
    const std::array<bool, 3> axes{along.find('X') != std::string::npos, along.find('Y') != std::string::npos,
                                   along.find('Z') != std::string::npos};
    Scene result = scene;
    result.nodes.clear();
    std::set<std::string> paths;
    for (const Node& node : scene.nodes)
        paths.insert(node.path);
    std::vector<int> places(scene.nodes.size()); // of the nodes as they were
    bool any = false;
    for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
        Node node = scene.nodes[i];
        const auto above = [&] {
            return node.parent >= 0 ? result.nodes[static_cast<std::size_t>(node.parent)].path : std::string();
        };
        node.parent = node.parent >= 0 ? places[static_cast<std::size_t>(node.parent)] : -1;
        bool travels = node.geometry && !node.geometry->pointsConstant();
        if (travels) {
            WYC_TRY(changes, node.geometry->topologyChanges());
            travels = !changes;
        }
        if (travels) {
            any = true;
            const auto travel = std::make_shared<const Travel>(node.geometry, axes);
            Node carrier;
            carrier.name = node.name + "_travel";
            for (int k = 2; paths.contains(above() + "/" + carrier.name); ++k)
                carrier.name = fmt::format("{}_travel{}", node.name, k);
            carrier.path = above() + "/" + carrier.name;
            paths.insert(carrier.path);
            carrier.parent = node.parent;
            carrier.kind = NodeKind::Transform;
            carrier.transform = std::make_shared<TravelTransform>(travel);
            node.parent = static_cast<int>(result.nodes.size());
            result.nodes.push_back(std::move(carrier));
            node.geometry = std::make_shared<StayingGeometry>(travel);
            node.properties = changedChannels(node.properties, [axes](const Channel& channel) -> ValuesPtr {
                return isSpeedOfPoints(channel) ? std::make_shared<StayingVelocities>(channel.values, axes)
                                                : channel.values;
            });
        }
        node.path = above() + "/" + node.name;
        places[i] = static_cast<int>(result.nodes.size());
        result.nodes.push_back(std::move(node));
    }
    if (!any)
        return fail(makeError(ErrorKind::BadInput, "nothing here has points that move and stay as many")
                        .withAdvice("Choose a mesh whose points travel"));
    return result;
}

} // namespace

StepType travelStep() {
    return {"travel",
            "Travel apart",
            "The way of a shape's middle becomes a transform above it; its points stay in place",
            {{"along",
              OptionKind::Choice,
              "",
              "axes along which it travels; the others stay in the points",
              "XYZ",
              {"XYZ", "XZ", "XY", "YZ", "X", "Y", "Z"}}},
            nullptr,
            nullptr,
            &applyTravel,
            [](const json& o) { return "along " + o["along"].get<std::string>(); },
            StepGroup::Place};
}

} // namespace wyc
