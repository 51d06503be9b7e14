// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Shared by the proof after writing and the proof from a record.
#include "base/hash.h"
#include "delivery/delivery.h"
#include "delivery/proof/channels.h"
#include "scene/scene_tree.h"

namespace wyc {

/// Of the points of a sample, in records since version 3; XXH64 before.
inline constexpr auto kSampleHash = Hasher64::Kind::Xxh3;

/// Opens what was written. `rest`: file of the rest mesh beside a point cache. `standsIn`: the folder in which it will
/// stand, where that is another.
[[nodiscard]] Result<Scene> readBack(const Format& format, const fs::path& path, const FrameRate& rate,
                                     const std::optional<fs::path>& rest, const fs::path& standsIn = {});
/// How a record says that what it is of is opened.
struct RecordedFiles {
    FormatPtr format; // with its options
    FrameRate rate;
    fs::path path;
    std::optional<fs::path> rest;
};
[[nodiscard]] Result<RecordedFiles> recordedFiles(const nlohmann::json& record, const fs::path& target);
/// Nodes with points.
[[nodiscard]] std::vector<std::size_t> shapesOf(const Scene& scene);
/// The node of a written scene that has this path; or the only shape of a format that holds one.
[[nodiscard]] std::optional<std::size_t> writtenNode(const Scene& found, const SceneTree& tree, const std::string& path,
                                                     const Format& format);
/// Channels of a node that was written. `apart`: its transform is that of the node above it.
[[nodiscard]] Result<std::vector<HashedChannel>> writtenChannels(const Scene& found, std::size_t node, bool apart,
                                                                 const Format& format);
[[nodiscard]] const HashedChannel* channelNamed(const std::vector<HashedChannel>& channels, const std::string& name);
/// Points among these that are no numbers.
[[nodiscard]] std::size_t countNotNumbers(std::span<const Vec3f> points);
/// Frames over which transforms move points that are still themselves.
[[nodiscard]] std::optional<FrameRange> carriedFrames(const Scene& found, std::size_t node);
[[nodiscard]] double frameOf(const Sampling& sampling, std::size_t sample, const FrameRate& rate);
/// Nothing disagrees and nothing drifted.
[[nodiscard]] bool holds(const Proof& proof);

} // namespace wyc
