// SPDX-License-Identifier: GPL-3.0-or-later
#include "scene/winding.h"

#include <algorithm>

namespace wyc {
namespace {

// Calls swap(a, b) for every pair of corners that change places.
template<class Swap> void forEachPair(const Topology& topology, const Swap& swap) {
    std::size_t start = 0;
    for (const std::int32_t size : topology.faceSizes()) {
        for (std::size_t low = start + 1, high = start + static_cast<std::size_t>(size) - 1; size > 2 && low < high;
             ++low, --high)
            swap(low, high);
        start += static_cast<std::size_t>(size);
    }
}

} // namespace

Result<TopologyPtr> turned(const Topology& topology) {
    std::vector<std::int32_t> corners = topology.corners();
    forEachPair(topology, [&](std::size_t a, std::size_t b) { std::swap(corners[a], corners[b]); });
    return Topology::make(topology.faceSizes(), std::move(corners));
}

void turnCorners(const Topology& topology, PropertyValue& value) {
    const std::size_t corners = topology.cornerCount();
    if (corners == 0 || value.bytes.size() % corners != 0)
        return;
    const auto size = static_cast<std::ptrdiff_t>(value.bytes.size() / corners);
    forEachPair(topology, [&](std::size_t a, std::size_t b) {
        const auto from = value.bytes.begin() + static_cast<std::ptrdiff_t>(a) * size;
        std::swap_ranges(from, from + size, value.bytes.begin() + static_cast<std::ptrdiff_t>(b) * size);
    });
}

namespace {

class TurnedCorners final : public ValuesWrapper {
  public:
    TurnedCorners(ValuesPtr inner, GeometryPtr mesh) : ValuesWrapper(std::move(inner)), mesh_(std::move(mesh)) {}
    [[nodiscard]] const Sampling& statedSampling() const override { return inner().statedSampling(); }
    [[nodiscard]] Result<PropertyValue> read(std::size_t sample) const override {
        WYC_TRY(value, inner().read(sample));
        return turnedAt(sampling().time(sample), std::move(value));
    }
    [[nodiscard]] Result<PropertyValue> readAt(double seconds, const ValueMix& how) const override {
        WYC_TRY(value, inner().readAt(seconds, how));
        return turnedAt(seconds, std::move(value));
    }
    // The same values are others on other faces.
    [[nodiscard]] std::optional<std::uint64_t> token(std::size_t s) const override {
        return mesh_->topologyVaries() ? std::nullopt : inner().token(s);
    }
    [[nodiscard]] std::optional<std::uint64_t> tokenAt(double t) const override {
        return mesh_->topologyVaries() ? std::nullopt : inner().tokenAt(t);
    }
    [[nodiscard]] const ValuesPtr& unturned() const { return innerPtr(); }

  private:
    [[nodiscard]] Result<PropertyValue> turnedAt(double seconds, PropertyValue value) const {
        WYC_TRY(faces, mesh_->topologyVaries() ? mesh_->topologyAt(seconds) : mesh_->topology(0));
        turnCorners(*faces, value);
        return value;
    }
    GeometryPtr mesh_;
};

} // namespace

ValuesPtr turnedCorners(const ValuesPtr& values, GeometryPtr mesh) {
    if (const auto* turned = dynamic_cast<const TurnedCorners*>(values.get()))
        return turned->unturned();
    return std::make_shared<TurnedCorners>(values, std::move(mesh));
}

} // namespace wyc
