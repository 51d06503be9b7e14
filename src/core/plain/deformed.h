// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// What skins and morphs show, worked out point by point from their channels and shared with nobody.
#include "plain/plain.h"

namespace wyc {

/// A mesh whose points its skin and morphs make. At every moment it is what they say, not what lies between samples.
class PlainDeformed final : public Geometry {
  public:
    /// The scene is kept.
    PlainDeformed(std::shared_ptr<const Scene> scene, std::size_t node);
    [[nodiscard]] const Sampling& sampling() const override { return own().sampling(); }
    [[nodiscard]] Result<std::size_t> pointCount(std::size_t sample) const override { return own().pointCount(sample); }
    [[nodiscard]] Status readRange(std::size_t sample, std::size_t first, std::span<Vec3f> into) const override {
        return readAt(sampling().time(sample), first, into);
    }
    [[nodiscard]] Status readAt(double seconds, std::size_t first, std::span<Vec3f> into) const override;
    [[nodiscard]] Result<TopologyPtr> topology(std::size_t sample) const override { return own().topology(sample); }
    [[nodiscard]] Result<FaceSetsPtr> faceSets(std::size_t sample) const override { return own().faceSets(sample); }
    [[nodiscard]] bool topologyVaries() const override { return false; }
    [[nodiscard]] bool straightBetween() const override { return false; }

  private:
    [[nodiscard]] const Geometry& own() const { return *scene_->nodes[node_].geometry; }
    std::shared_ptr<const Scene> scene_;
    std::size_t node_;
};

/// The scene with every deformed mesh as the above; the same one where there is none.
[[nodiscard]] std::shared_ptr<const Scene> plainlyDeformed(std::shared_ptr<const Scene> scene);

} // namespace wyc
