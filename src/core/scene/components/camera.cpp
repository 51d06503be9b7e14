// SPDX-License-Identifier: GPL-3.0-or-later
#include "scene/components/camera.h"

#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "maths/units.h"
#include "scene/channels.h"

namespace wyc {

FilmBack combined(const FilmBack& a, const FilmBack& b) {
    FilmBack result{};
    for (std::size_t r = 0; r < 3; ++r)
        for (std::size_t c = 0; c < 3; ++c)
            for (std::size_t k = 0; k < 3; ++k)
                result[r * 3 + c] += a[r * 3 + k] * b[k * 3 + c];
    return result;
}

std::array<double, 9> CameraView::pictureMatrix() const {
    // Apertures and offsets are in cm, the focal length in mm.
    const CameraFigures& f = figures;
    const FilmBack lens{2.0 * f.focalLength / 10.0 / f.squeeze / f.horizontalAperture,
                        0.0,
                        0.0,
                        0.0,
                        2.0 * f.focalLength / 10.0 / f.verticalAperture,
                        0.0,
                        2.0 * f.horizontalOffset / f.horizontalAperture,
                        2.0 * f.verticalOffset / f.verticalAperture,
                        -1.0};
    return combined(lens, filmBack);
}

std::optional<std::array<double, 2>> CameraView::project(const Vec3d& p) const {
    if (p.z >= 0.0)
        return std::nullopt;
    const auto m = pictureMatrix();
    const double w = p.x * m[2] + p.y * m[5] + p.z * m[8];
    return std::array{(p.x * m[0] + p.y * m[3] + p.z * m[6]) / w, (p.x * m[1] + p.y * m[4] + p.z * m[7]) / w};
}

std::array<Vec3d, 4> CameraView::gateAt(double distance) const {
    const double toScene = distance * 10.0 / figures.focalLength;
    const auto corner = [&](double sx, double sy) {
        return Vec3d{(figures.horizontalOffset + sx * figures.horizontalAperture / 2.0) * toScene * figures.squeeze,
                     (figures.verticalOffset + sy * figures.verticalAperture / 2.0) * toScene, -distance};
    };
    return {corner(-1, -1), corner(1, -1), corner(1, 1), corner(-1, 1)};
}

double CameraView::aspect() const {
    return figures.horizontalAperture * figures.squeeze / figures.verticalAperture;
}

const CameraChannel& cameraChannel(Meaning meaning) {
    const auto found = std::find_if(kCameraChannels.begin(), kCameraChannels.end(),
                                    [&](const CameraChannel& channel) { return channel.meaning == meaning; });
    return found == kCameraChannels.end() ? kCameraChannels.front() : *found;
}

bool hasLens(const Node& node) {
    return findMeaning(node.properties, Meaning::FocalLength).has_value();
}

Sampling cameraSampling(const Node& node) {
    std::vector<Sampling> samplings;
    for (const Channel& channel : channelsOf(node))
        if (std::any_of(kCameraChannels.begin(), kCameraChannels.end(),
                        [&](const CameraChannel& c) { return c.meaning == channel.meaning; }))
            samplings.push_back(channel.values->sampling());
    return commonSampling(samplings);
}

void setCamera(Node& node, Sampling sampling, const std::vector<CameraFigures>& samples) {
    node.kind = NodeKind::Camera;
    node.properties = cameraProperties(std::move(sampling), samples);
}

namespace {

// Figures and channels: where each stands, and how many of its unit are a metre.
struct FigureOf {
    Meaning meaning;
    double CameraFigures::*figure;
    double perMetre;
};
constexpr std::array<FigureOf, 12> kFigures{{{Meaning::FocalLength, &CameraFigures::focalLength, 1000.0},
                                             {Meaning::GateWidth, &CameraFigures::horizontalAperture, 100.0},
                                             {Meaning::GateHeight, &CameraFigures::verticalAperture, 100.0},
                                             {Meaning::GateX, &CameraFigures::horizontalOffset, 100.0},
                                             {Meaning::GateY, &CameraFigures::verticalOffset, 100.0},
                                             {Meaning::Squeeze, &CameraFigures::squeeze, 1.0},
                                             {Meaning::FStop, &CameraFigures::fStop, 1.0},
                                             {Meaning::FocusDistance, &CameraFigures::focusDistance, 1.0},
                                             {Meaning::ShutterOpen, &CameraFigures::shutterOpen, 1.0},
                                             {Meaning::ShutterClose, &CameraFigures::shutterClose, 1.0},
                                             {Meaning::NearClip, &CameraFigures::nearClip, 1.0},
                                             {Meaning::FarClip, &CameraFigures::farClip, 1.0}}};
constexpr std::array<double CameraFigures::*, 4> kOverscan{&CameraFigures::overscanLeft, &CameraFigures::overscanRight,
                                                           &CameraFigures::overscanTop, &CameraFigures::overscanBottom};

} // namespace

Result<CameraView> cameraAt(const Scene& scene, std::size_t node, double seconds) {
    const Node& it = scene.nodes[node];
    CameraView view;
    bool any = false;
    for (const Channel& channel : channelsOf(it)) { // a light may have them too
        const bool ofCamera = std::any_of(kCameraChannels.begin(), kCameraChannels.end(),
                                          [&](const CameraChannel& c) { return c.meaning == channel.meaning; });
        if (!ofCamera)
            continue;
        WYC_TRY(numbers, numbersAt(*channel.values, seconds));
        if (numbers.size() != cameraChannel(channel.meaning).extent)
            return fail(makeError(ErrorKind::BadInput, fmt::format("the {} of a camera has {} numbers",
                                                                   meaningName(channel.meaning), numbers.size()))
                            .forItem(it.path));
        any = any || channel.meaning == Meaning::FocalLength;
        for (const FigureOf& f : kFigures)
            if (f.meaning == channel.meaning)
                view.figures.*f.figure = fromMetres(numbers.front(), f.perMetre);
        if (channel.meaning == Meaning::Overscan)
            for (std::size_t i = 0; i < 4; ++i)
                view.figures.*kOverscan[i] = numbers[i];
        if (channel.meaning == Meaning::FilmBack)
            std::copy_n(numbers.begin(), 9, view.filmBack.begin());
    }
    if (!any)
        return fail(makeError(ErrorKind::BadInput, "this camera does not say how long its lens is").forItem(it.path));
    return view;
}

PropertiesPtr cameraProperties(Sampling sampling, const std::vector<CameraFigures>& samples) {
    std::vector<PropertyNode> list;
    const auto add = [&](Meaning meaning, const auto& numbersOf) {
        std::vector<std::vector<double>> numbers;
        for (const CameraFigures& figures : samples)
            numbers.push_back(numbersOf(figures));
        const CameraChannel& channel = cameraChannel(meaning);
        list.push_back(plainProperty(meaning, meaningName(meaning),
                                     memoryValues(ValueType::Double, channel.extent, false, sampling, numbers),
                                     channel.space, channel.time));
    };
    for (const FigureOf& f : kFigures)
        add(f.meaning,
            [&](const CameraFigures& figures) { return std::vector<double>{toMetres(figures.*f.figure, f.perMetre)}; });
    add(Meaning::Overscan, [](const CameraFigures& figures) {
        std::vector<double> shares;
        for (const auto share : kOverscan)
            shares.push_back(figures.*share);
        return shares;
    });
    return plainProperties(std::move(list));
}

} // namespace wyc
