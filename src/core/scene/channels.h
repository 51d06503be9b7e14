// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// The one walk over what a node says in numbers: attributes, velocities, widths, lenses, lights, settings, whatever a
// format brought. Whoever retimes, turns, proves, compares, counts or estimates goes this way, so that nothing is
// forgotten. Points and faces (Geometry), transforms and visibility are tracks of types of their own.
#include <functional>

#include "scene/scene.h"

namespace wyc {

/// How what lies between two samples is found.
enum class Blend {
    Linear,
    UnitLength, // of the length in between
    Sphere,     // quaternions, along the sphere
    Held        // as the sample before says
};

struct Channel {
    std::string name; // for people, and to find its like in another scene: "focal length", "attribute 'heat'"
    Meaning meaning = Meaning::Unknown;
    SpaceRole space = SpaceRole::None;
    TimeRole time = TimeRole::Plain;
    Blend blend = Blend::Linear;
    Scope scope = Scope::Constant; // what there is a value for each of
    bool indices = false;          // numbers of the values that elements have, one for each
    ValuesPtr numbers = nullptr; // of values that elements have by such numbers: those. Where they change, nothing lies
                                 // between two samples
    ValuesPtr values;            // never null
};

/// All channels, in the order in which their source has them; those without a sample too. An attribute whose elements
/// have its values by number is two channels.
[[nodiscard]] std::vector<Channel> channelsOf(const PropertiesPtr& properties);
/// The same to be compared with another node's: UVs, normals and colours come last, laid out corner by corner (without
/// faces: point by point), whatever way they are stored.
[[nodiscard]] std::vector<Channel> channelsOf(const Node& node);
[[nodiscard]] const Channel* channelNamed(const std::vector<Channel>& channels, std::string_view name);

/// The same properties with the values of every channel replaced by what `change` gives; null takes them away.
using ChannelChange = std::function<ValuesPtr(const Channel& channel)>;
[[nodiscard]] PropertiesPtr changedChannels(const PropertiesPtr& properties, ChannelChange change);

/// Speeds of the shape's points, number by number.
[[nodiscard]] bool isSpeedOfPoints(const Channel& channel);
/// Numbers of a value at a moment, whatever their type; empty for texts.
[[nodiscard]] Result<std::vector<double>> numbersAt(const SampledValues& values, double seconds,
                                                    const ValueMix& how = {});
/// Numbers of a sample, likewise.
[[nodiscard]] Result<std::vector<double>> numbersOf(const SampledValues& values, std::size_t sample);

} // namespace wyc
