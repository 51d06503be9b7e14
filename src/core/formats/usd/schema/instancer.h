// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Point instancers: places, turns, sizes and what stands there, with what is hidden left out.
#include "formats/usd/schema/values.h"
#include "scene/components/instancer.h"

namespace wyc::usd {

/// What an instancer says at a time code, hidden ones too. With velocities those of the sample before go on.
struct InstancesAtCode {
    std::vector<InstanceFigures> all;
    std::vector<bool> hidden;
    bool uneven = false; // its lists have other lengths than its places; the shortest counts
};
class InstancerTracks {
  public:
    InstancerTracks(const ComposedScene& scene, const Prim& prim, const Clock& clock);
    [[nodiscard]] Result<InstancesAtCode> at(double code) const;
    [[nodiscard]] const std::vector<double>& codes() const { return codes_; }
    [[nodiscard]] const Sampling& sampling() const { return sampling_; }
    [[nodiscard]] const Clock& clock() const { return clock_; }
    /// Nothing is hidden, nothing goes on by its velocity, all lists are as long as the places.
    [[nodiscard]] bool isPlain() const;
    [[nodiscard]] bool goesOn() const { return velocities_.hasValue() || spins_.hasValue(); }
    [[nodiscard]] const Attribute& positions() const { return positions_; }
    [[nodiscard]] const Attribute& numbers() const { return numbers_; }
    [[nodiscard]] const Attribute& turns() const { return turns_; }
    [[nodiscard]] const Attribute& sizes() const { return sizes_; }
    [[nodiscard]] const Attribute& ids() const { return ids_; }

  private:
    Clock clock_;
    Attribute positions_, numbers_, turns_, sizes_, ids_, invisible_, velocities_, spins_;
    std::vector<std::int64_t> inactive_;
    std::vector<double> codes_;
    Sampling sampling_;
};

/// Gives a node the places and channels of an instancer. `prototypes`: nodes that stand below it.
[[nodiscard]] Status setInstancer(Node& node, std::shared_ptr<const InstancerTracks> tracks,
                                  std::vector<NodeId> prototypes);

} // namespace wyc::usd
