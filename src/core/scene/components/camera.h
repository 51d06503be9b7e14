// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Cameras: what their sixteen figures mean, and what they see. A camera looks along its own −Z, +Y up.
#include <array>

#include "scene/scene.h"

namespace wyc {

inline constexpr std::size_t kCameraFocus = 11;
inline constexpr std::size_t kCameraShutterOpen = 12;
inline constexpr std::size_t kCameraShutterClose = 13;
inline constexpr std::size_t kCameraNear = 14;
inline constexpr std::size_t kCameraFar = 15;

/// Sixteen numbers, in this order.
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
    [[nodiscard]] std::array<double, 16> numbers() const;
    [[nodiscard]] static CameraFigures fromNumbers(const std::array<double, 16>& numbers);
};

/// 3×3 in rows, acting on picture coordinates written as rows (x, y, 1), −1 … 1 over the gate.
using FilmBack = std::array<double, 9>;

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
/// Times of the camera's figures; still when it has one sample or none.
[[nodiscard]] Sampling cameraSampling(const Node& node);
/// The sixteen figures over time; null when the node has none.
[[nodiscard]] ValuesPtr cameraValues(const Node& node);
/// Makes a node a camera with these figures, one a sample.
void setCamera(Node& node, Sampling sampling, const std::vector<CameraFigures>& samples);
/// Properties of a new camera.
[[nodiscard]] PropertiesPtr cameraProperties(Sampling sampling, const std::vector<CameraFigures>& samples);

} // namespace wyc
