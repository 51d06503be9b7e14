// SPDX-License-Identifier: GPL-3.0-or-later
#include "scene/components/camera.h"

#include <cmath>

namespace wyc {
namespace {

FilmBack product(const FilmBack& a, const FilmBack& b) {
    FilmBack result{};
    for (std::size_t r = 0; r < 3; ++r)
        for (std::size_t c = 0; c < 3; ++c)
            for (std::size_t k = 0; k < 3; ++k)
                result[r * 3 + c] += a[r * 3 + k] * b[k * 3 + c];
    return result;
}

// One operation: "t" moves, "s" scales, "m" is a whole matrix; a letter for the hint follows.
std::size_t filmBackOperation(const std::string& op, std::span<const double> numbers, FilmBack& result) {
    const char kind = op.empty() ? ' ' : op.front();
    const std::size_t count = kind == 'm' ? 9 : kind == 't' || kind == 's' ? 2 : 0;
    if (numbers.size() < count)
        return numbers.size();
    FilmBack matrix{1, 0, 0, 0, 1, 0, 0, 0, 1};
    if (kind == 't') {
        matrix[6] = numbers[0];
        matrix[7] = numbers[1];
    } else if (kind == 's') {
        matrix[0] = numbers[0];
        matrix[4] = numbers[1];
    } else if (kind == 'm') {
        std::copy_n(numbers.begin(), 9, matrix.begin());
    }
    result = product(matrix, result);
    return count;
}

} // namespace

std::array<double, 16> CameraFigures::numbers() const {
    return {focalLength,  horizontalAperture, horizontalOffset, verticalAperture, verticalOffset, squeeze,
            overscanLeft, overscanRight,      overscanTop,      overscanBottom,   fStop,          focusDistance,
            shutterOpen,  shutterClose,       nearClip,         farClip};
}

CameraFigures CameraFigures::fromNumbers(const std::array<double, 16>& n) {
    return {n[0], n[1], n[2], n[3], n[4], n[5], n[6], n[7], n[8], n[9], n[10], n[11], n[12], n[13], n[14], n[15]};
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
    return product(lens, filmBack);
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

ValuesPtr cameraValues(const Node& node) {
    const auto core = findMeaning(node.properties, Meaning::CameraFigures);
    return core ? core->values : nullptr;
}

Sampling cameraSampling(const Node& node) {
    const ValuesPtr core = cameraValues(node);
    return core ? core->sampling() : Sampling::still();
}

void setCamera(Node& node, Sampling sampling, const std::vector<CameraFigures>& samples) {
    node.kind = NodeKind::Camera;
    node.properties = cameraProperties(std::move(sampling), samples);
}

Result<CameraView> cameraAt(const Scene& scene, std::size_t node, double seconds) {
    const Node& it = scene.nodes[node];
    const auto core = findMeaning(it.properties, Meaning::CameraFigures); // a light may have them too
    if (!core || !core->values || core->values->type() != ValueType::Double)
        return fail(makeError(ErrorKind::BadInput, "this camera has no figures").forItem(it.path));
    const auto numbersAt = [seconds](const SampledValues& values) -> Result<std::vector<double>> {
        WYC_TRY(value, values.readAt(seconds, {}));
        std::vector<double> numbers(value.bytes.size() / sizeof(double));
        if (!numbers.empty())
            std::memcpy(numbers.data(), value.bytes.data(), numbers.size() * sizeof(double));
        return numbers;
    };
    WYC_TRY(numbers, numbersAt(*core->values));
    if (numbers.size() != 16)
        return fail(makeError(ErrorKind::BadInput, "a camera has sixteen figures").forItem(it.path));
    CameraView view;
    std::array<double, 16> sixteen{};
    std::copy_n(numbers.begin(), 16, sixteen.begin());
    view.figures = CameraFigures::fromNumbers(sixteen);
    const auto ops = findMeaning(it.properties, Meaning::FilmBackOps);
    const auto channels = findMeaning(it.properties, Meaning::FilmBackNumbers);
    if (ops && channels && ops->values && channels->values) {
        WYC_TRY(words, stringsOf(*ops->values, 0));
        if (channels->values->type() != ValueType::Double)
            return fail(makeError(ErrorKind::BadInput, "film-back numbers of another type").forItem(it.path));
        WYC_TRY(values, numbersAt(*channels->values));
        std::size_t used = 0;
        for (const std::string& op : words)
            used += filmBackOperation(op, std::span(values).subspan(used), view.filmBack);
    }
    return view;
}

PropertiesPtr cameraProperties(Sampling sampling, const std::vector<CameraFigures>& samples) {
    std::vector<std::vector<double>> numbers;
    for (const CameraFigures& figures : samples) {
        const auto sixteen = figures.numbers();
        numbers.emplace_back(sixteen.begin(), sixteen.end());
    }
    return plainProperties({plainProperty(Meaning::CameraFigures, "lens",
                                          memoryValues(ValueType::Double, 16, false, std::move(sampling), numbers),
                                          SpaceRole::CameraCore)});
}

} // namespace wyc
