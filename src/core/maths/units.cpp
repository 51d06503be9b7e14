// SPDX-License-Identifier: GPL-3.0-or-later
#include "maths/units.h"

#include <limits>

#include <array>
#include <cmath>

#include <fmt/format.h>

#include "base/text.h"

namespace wyc {
namespace {

struct NamedUnit {
    const char* name;
    double metres;
};
constexpr std::array<NamedUnit, 6> kUnits{
    {{"mm", 0.001}, {"cm", 0.01}, {"m", 1.0}, {"in", 0.0254}, {"ft", 0.3048}, {"km", 1000.0}}};

} // namespace

Result<UpAxis> parseUpAxis(std::string_view text) {
    if (text == "X" || text == "x")
        return UpAxis::X;
    if (text == "Y" || text == "y")
        return UpAxis::Y;
    if (text == "Z" || text == "z")
        return UpAxis::Z;
    return fail(makeError(ErrorKind::BadInput, fmt::format("'{}' is no up axis", text)).withAdvice("Write X, Y or Z"));
}

const char* upAxisName(UpAxis axis) {
    return axis == UpAxis::X ? "X" : axis == UpAxis::Y ? "Y" : "Z";
}

Mat4 upAxisTurn(UpAxis from, UpAxis to) {
    Mat4 result;
    const auto set = [&](std::array<double, 9> r) {
        for (std::size_t row = 0; row < 3; ++row)
            for (std::size_t column = 0; column < 3; ++column)
                result.at(row, column) = r[row * 3 + column];
    };
    // Rows are the images of x, y and z.
    if (from == UpAxis::Z && to == UpAxis::Y)
        set({1, 0, 0, 0, 0, -1, 0, 1, 0});
    else if (from == UpAxis::Y && to == UpAxis::Z)
        set({1, 0, 0, 0, 0, 1, 0, -1, 0});
    else if (from == UpAxis::X && to == UpAxis::Y)
        set({0, 1, 0, -1, 0, 0, 0, 0, 1});
    else if (from == UpAxis::Y && to == UpAxis::X)
        set({0, -1, 0, 1, 0, 0, 0, 0, 1});
    else if (from == UpAxis::X && to == UpAxis::Z)
        return upAxisTurn(UpAxis::X, UpAxis::Y) * upAxisTurn(UpAxis::Y, UpAxis::Z);
    else if (from == UpAxis::Z && to == UpAxis::X)
        return upAxisTurn(UpAxis::Z, UpAxis::Y) * upAxisTurn(UpAxis::Y, UpAxis::X);
    return result;
}

Result<double> parseUnit(std::string_view text) {
    for (const NamedUnit& unit : kUnits)
        if (text == unit.name)
            return unit.metres;
    if (const auto number = parseNumber(text); number && *number > 0.0 && *number <= 1e9 && *number >= 1e-9)
        return *number;
    return fail(makeError(ErrorKind::BadInput, fmt::format("'{}' is no unit", text))
                    .withAdvice("Write mm, cm, m, in, ft, or metres as a number"));
}

std::string unitName(double unitMetres) {
    for (const NamedUnit& unit : kUnits)
        if (std::abs(unit.metres / unitMetres - 1.0) < 1e-9)
            return unit.name;
    return shortestNumber(unitMetres) + " m";
}

double toMetres(double value, double perMetre) {
    return perMetre == 1.0 ? value : value / perMetre;
}

double fromMetres(double metres, double perMetre) {
    if (perMetre == 1.0 || !std::isfinite(metres))
        return metres;
    const double near = metres * perMetre;
    if (near == 0.0)
        return near;
    double best = near;
    std::size_t digits = std::numeric_limits<std::size_t>::max();
    double candidate = std::nextafter(std::nextafter(near, -std::numeric_limits<double>::infinity()),
                                      -std::numeric_limits<double>::infinity());
    for (int i = 0; i < 5; ++i, candidate = std::nextafter(candidate, std::numeric_limits<double>::infinity()))
        if (candidate / perMetre == metres) {
            const std::size_t its = fmt::format("{}", candidate).size();
            if (its < digits) {
                digits = its;
                best = candidate;
            }
        }
    return best;
}

} // namespace wyc
