// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Materials: what a source says of a surface, and the little of it that views and simple formats understand.
#include <array>
#include <optional>
#include <string>
#include <vector>

#include "scene/node_id.h"
#include "scene/properties.h"

namespace wyc {

/// One input of a surface: a value (one number, or red, green, blue), a picture, both or neither.
struct LookInput {
    std::vector<float> value;
    std::string texture; // as written in the file; empty = none
    std::string file;    // where that is; empty = nowhere
    bool operator==(const LookInput&) const = default;
};
/// Worked out of a material by the format that it comes from, as it is at the first moment.
struct Look {
    LookInput baseColour;
    LookInput metal;
    LookInput roughness;
    LookInput opacity;
    LookInput normal;
    LookInput emission;
    bool operator==(const Look&) const = default;
};
inline constexpr std::array<std::pair<const char*, LookInput Look::*>, 6> kLookInputs{
    {{"base colour", &Look::baseColour},
     {"metal", &Look::metal},
     {"roughness", &Look::roughness},
     {"opacity", &Look::opacity},
     {"normal", &Look::normal},
     {"emission", &Look::emission}}};

struct Material {
    std::string name;
    Look look;
    /// Shader nodes as groups, whose type, inputs (values over time, textures) and links are properties; in the layout
    /// of the format that it comes from. Null: the look is all there is.
    PropertiesPtr graph = {};
    NodeId id = NodeId::fresh();
};

/// One that says its base colour alone.
[[nodiscard]] Material colourMaterial(std::string name, LookInput colour);

} // namespace wyc
