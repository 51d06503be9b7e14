// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Where an archive keeps what a scene's node has.
#include <array>

#include "scene/scene.h"

namespace wyc::abc {

inline constexpr std::string_view kFormatId = "alembic";

/// Whether a property (by the name of its group and its own) says what the node's shape, transform, visibility or
/// instance says: it is made anew from those, all others are carried.
[[nodiscard]] bool isMadeAnew(std::string_view group, std::string_view name, NodeKind kind);

/// Archives have no places of their own for what a light is: these names among its parameters or user properties.
struct LightName {
    std::string_view name;
    Meaning meaning;
};
inline constexpr std::array<LightName, 5> kLightNames{{{"colour", Meaning::LightColour},
                                                       {"intensity", Meaning::LightIntensity},
                                                       {"exposure", Meaning::LightExposure},
                                                       {"cone_degrees", Meaning::LightConeDegrees},
                                                       {"light_kind", Meaning::LightKind}}};

/// Archives have a place for one set of UVs and for normals. Further sets, and colours, are parameters that say with
/// this remark what they are.
inline constexpr const char* kLayerRemark = "wyc_layer";

/// Values of the corners of a mesh between an archive's winding and a scene's: the one way and the other.
void turnCornerValues(std::vector<PropertyNode>& list, NodeKind kind, const GeometryPtr& mesh);

/// A node's properties as an archive lays them out: as they are where they came from one, else by meaning.
[[nodiscard]] std::vector<PropertyNode> laidOut(const Node& node);

} // namespace wyc::abc
