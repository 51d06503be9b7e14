// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "scene/properties.h"

namespace wyc::usd {

/// Values at the times of other tracks, which they are written together with.
class Together final : public ValuesWrapper {
  public:
    Together(ValuesPtr inner, Sampling sampling, SpaceRole role = SpaceRole::None)
        : ValuesWrapper(std::move(inner)), sampling_(std::move(sampling)), role_(role) {}
    [[nodiscard]] const Sampling& sampling() const override { return sampling_; }
    [[nodiscard]] bool constant() const override { return inner().sameAlways(); }
    [[nodiscard]] Result<PropertyValue> read(std::size_t sample) const override {
        return sampling_.isStill() ? inner().read(0) : inner().readAt(sampling_.time(sample), {role_, nullptr});
    }
    [[nodiscard]] std::optional<std::uint64_t> token(std::size_t sample) const override {
        return inner().tokenAt(sampling_.time(sample));
    }

  private:
    Sampling sampling_;
    SpaceRole role_;
};

} // namespace wyc::usd
