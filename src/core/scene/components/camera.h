// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Cameras: what their sixteen figures mean, and what they see. A camera looks along its own −Z, +Y up.
#include <array>

#include "scene/scene.h"

namespace wyc {

/// One channel of a camera. Lengths on the film are in metres, those in front of it in scene units.
struct CameraChannel {
    Meaning meaning;
    std::uint32_t extent = 1;
    SpaceRole space = SpaceRole::None;
    TimeRole time = TimeRole::Plain;
};
inline constexpr std::array<CameraChannel, 14> kCameraChannels{
    {{Meaning::FocalLength},
     {Meaning::GateWidth},
     {Meaning::GateHeight},
     {Meaning::GateX},
     {Meaning::GateY},
     {Meaning::Squeeze},
     {Meaning::Overscan, 4},
     {Meaning::FStop},
     {Meaning::FocusDistance, 1, SpaceRole::Length},
     {Meaning::ShutterOpen, 1, SpaceRole::None, TimeRole::Duration},
     {Meaning::ShutterClose, 1, SpaceRole::None, TimeRole::Duration},
     {Meaning::NearClip, 1, SpaceRole::Length},
     {Meaning::FarClip, 1, SpaceRole::Length},
     {Meaning::FilmBack, 9}}};
[[nodiscard]] const CameraChannel& cameraChannel(Meaning meaning);

/// A camera at a moment, in the units that people say them in.
struct CameraFigures {
    double focalLength = 35.0;       // mm
    double horizontalAperture = 3.6; // cm
    double horizontalOffset = 0.0;   // cm
    double verticalAperture = 2.4;   // cm
    double verticalOffset = 0.0;     // cm
    double squeeze = 1.0;            // width of the unsqueezed picture / its width on the film
    double overscanLeft = 0.0;       // shares of the aperture
    double overscanRight = 0.0;
    double overscanTop = 0.0;
    double overscanBottom = 0.0;
    double fStop = 5.6;
    double focusDistance = 5.0; // scene units, as near and far
    double shutterOpen = 0.0;   // seconds from the frame
    double shutterClose = 0.020833333333333332;
    double nearClip = 0.1;
    double farClip = 100000.0;
    bool operator==(const CameraFigures&) const = default;
};

/// 3×3 in rows, acting on picture coordinates written as rows (x, y, 1), −1 … 1 over the gate.
using FilmBack = std::array<double, 9>;

/// a, then b.
[[nodiscard]] FilmBack combined(const FilmBack& a, const FilmBack& b);

struct CameraView {
    CameraFigures figures;
    FilmBack filmBack{1, 0, 0, 0, 1, 0, 0, 0, 1};
    /// 3×3 in rows, acting on points of camera space written as rows: (x, y, z) becomes (u·w, v·w, w), where u and v
    /// are picture coordinates and w, before the film back, is the distance in front.
    [[nodiscard]] std::array<double, 9> pictureMatrix() const;
    /// Picture coordinates of a point in camera space: −1 … 1 over the film gate (overscan left aside), x right, y up.
    /// Nothing for a point that is not in front.
    [[nodiscard]] std::optional<std::array<double, 2>> project(const Vec3d& inCamera) const;
    /// The four corners of the gate at a distance along the view, in camera space, from bottom left counter-clockwise
    /// (film back left aside).
    [[nodiscard]] std::array<Vec3d, 4> gateAt(double distance) const;
    /// Width of the picture over its height.
    [[nodiscard]] double aspect() const;
};

/// Figures and film back at a time; an error when the node has no readable camera figures.
[[nodiscard]] Result<CameraView> cameraAt(const Scene& scene, std::size_t node, double seconds);
/// Times at which some figure of the camera changes; still when none does.
[[nodiscard]] Sampling cameraSampling(const Node& node);
/// True when the node says how long its lens is.
[[nodiscard]] bool hasLens(const Node& node);
/// Makes a node a camera with these figures, one a sample.
void setCamera(Node& node, Sampling sampling, const std::vector<CameraFigures>& samples);
/// Properties of a new camera.
[[nodiscard]] PropertiesPtr cameraProperties(Sampling sampling, const std::vector<CameraFigures>& samples);

} // namespace wyc
