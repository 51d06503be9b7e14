// SPDX-License-Identifier: GPL-3.0-or-later
// Causes in space: size, axes, mirrors, places, transforms.
#include <algorithm>
#include <cmath>
#include <numbers>

#include <Eigen/Geometry>

#include "compare/reconcile_engine.h"
#include "maths/units.h"

namespace wyc {

Status ReconcileEngine::tellSpace() {
    if (!how_.spaceMatters && !(how_.spread > 0.0))
        return {};
    const double left = std::max(how_.relative(), kPassedOn);
    // A transform that was left out looks like another place: ask A without it first.
    WYC_CHECK(tellTransform());
    if (transformTold_)
        return {};
    const Similarity& space = how_.space;
    double scale = space.scale;
    if (std::abs(scale - 1.0) > 2e-5) {
        const bool known = knownSize(scale, 1e-9).has_value();
        const double sure = sureOf(std::abs(1.0 - 1.0 / scale), left, known);
        const double factor = known ? scale : std::round(scale * 1e7) / 1e7;
        add("unit", factor, "x", sure, sizeWords(factor),
            fmt::format("ratio {:.6g}{}", space.scale, known ? ", as units differ" : ""),
            {{"scale", {{"factor", 1.0 / space.scale}}, true}});
    }
    Eigen::Matrix3d turn = space.turn;
    Eigen::Vector3d move = space.move / scale; // after the size is undone
    if (!how_.spaceMatters)
        turn.setIdentity();
    if (turn.determinant() < 0.0) {
        // The axis along which it is mirrored so that the least turn is left.
        Eigen::Index axis = 0;
        double least = 1e9;
        for (Eigen::Index k = 0; k < 3; ++k) {
            Eigen::Matrix3d mirror = Eigen::Matrix3d::Identity();
            mirror(k, k) = -1.0;
            if (const double angle = std::abs(Eigen::AngleAxisd(Eigen::Matrix3d(mirror * turn)).angle());
                angle < least - 1e-6) {
                least = angle;
                axis = k;
            }
        }
        Eigen::Matrix3d mirror = Eigen::Matrix3d::Identity();
        mirror(axis, axis) = -1.0;
        add("mirror", 1.0, "", sureOf(0.5, left, true), fmt::format("mirrored along {}", "XYZ"[axis]),
            "no turn lays it over A", {placeStep(mirror, Eigen::Vector3d::Zero())});
        turn = mirror * turn;
        move = mirror * move;
    }
    const double angle = Eigen::AngleAxisd(turn).angle();
    bool turned = angle > 2e-5;
    const double without = 2.0 * std::sin(angle / 2.0);
    if (turned)
        if (const auto axes = otherUp(turn)) {
            add("axis", signedDegrees(turn), "degrees", sureOf(without, left, true),
                fmt::format("turned {} up", axes->second),
                fmt::format("{:+g}° about {}", signedDegrees(turn), axisName(turn)),
                {{"turn", {{"from", axes->second}, {"to", axes->first}}, true}});
            move = turn.transpose() * move;
            turn.setIdentity();
            turned = false;
        }
    const double way = move.norm() * scale / std::max(how_.spread, 1e-30);
    if (!turned && way <= 1e-4)
        return {};
    // B = turn · A + move; back again.
    const Eigen::Matrix3d back = turn.transpose();
    const double degrees = turned ? std::abs(angle) * 180.0 / std::numbers::pi : 0.0;
    const double metres = move.norm() * found_.metres;
    std::string text;
    if (turned)
        text = fmt::format("turned {:.4g}° about {}", degrees, axisName(turn));
    if (way > 1e-4)
        text += fmt::format("{}moved by {}", text.empty() ? "" : " and ", lengthText(metres));
    add("placement", std::round(degrees * 1e4) / 1e4, "degrees",
        sureOf(std::max(turned ? without : 0.0, way), left, false), text,
        fmt::format("a rigid move; {:.3g} % of its size is left", how_.relative() * 100.0),
        {placeStep(back, -(back * move))});
    return {};
}

Step ReconcileEngine::placeStep(const Eigen::Matrix3d& turn, const Eigen::Vector3d& move) {
    std::string text;
    for (Eigen::Index r = 0; r < 3; ++r)
        for (Eigen::Index c = 0; c < 3; ++c) // rows for row vectors
            text += fmt::format("{}{}", text.empty() ? "" : ", ", shortestNumber(turn(c, r)));
    for (Eigen::Index c = 0; c < 3; ++c)
        text += ", " + shortestNumber(move[c]);
    return {"place", {{"matrix", text}}, true};
}

std::string ReconcileEngine::sizeWords(double factor) const {
    // Where A's unit is known, and B's numbers are those of another.
    for (const auto& [metres, name] : {std::pair{0.001, "millimetres"},
                                       {0.01, "centimetres"},
                                       {1.0, "metres"},
                                       {0.0254, "inches"},
                                       {0.3048, "feet"}})
        if (a_.scene().unitMetres && std::abs(*a_.scene().unitMetres / factor / metres - 1.0) < 1e-9)
            return fmt::format("in {}: {} × {}", name, shortestNumber(factor >= 1.0 ? factor : 1.0 / factor),
                               factor >= 1.0 ? "larger" : "smaller");
    return fmt::format("{} × {}", shortestNumber(factor >= 1.0 ? factor : std::round(1e7 / factor) / 1e7),
                       factor >= 1.0 ? "larger" : "smaller");
}

std::optional<std::pair<std::string, std::string>> ReconcileEngine::otherUp(const Eigen::Matrix3d& turn) const {
    for (const UpAxis from : {UpAxis::Y, UpAxis::Z, UpAxis::X})
        for (const UpAxis to : {UpAxis::Y, UpAxis::Z, UpAxis::X}) {
            if (from == to)
                continue;
            const Mat4 m = upAxisTurn(from, to);
            double gap = 0.0;
            for (Eigen::Index r = 0; r < 3; ++r)
                for (Eigen::Index c = 0; c < 3; ++c)
                    gap = std::max(
                        gap, std::abs(m.at(static_cast<std::size_t>(r), static_cast<std::size_t>(c)) - turn(c, r)));
            const bool known = a_.scene().upAxis.value_or(UpAxis::Y) == from;
            if (gap < 1e-9 && (known || !a_.scene().upAxis))
                return std::pair(std::string(upAxisName(from)), std::string(upAxisName(to)));
        }
    return std::nullopt;
}

double ReconcileEngine::signedDegrees(const Eigen::Matrix3d& turn) {
    const Eigen::AngleAxisd about(turn);
    const Eigen::Vector3d axis = about.axis();
    const double sign = axis.sum() < 0.0 ? -1.0 : 1.0;
    return std::round(sign * about.angle() * 180.0 / std::numbers::pi * 1e4) / 1e4;
}

std::string ReconcileEngine::axisName(const Eigen::Matrix3d& turn) {
    const Eigen::Vector3d axis = Eigen::AngleAxisd(turn).axis();
    for (Eigen::Index k = 0; k < 3; ++k)
        if (std::abs(axis[k]) > 0.99999)
            return std::string(1, "XYZ"[k]);
    return fmt::format("({:.3g}, {:.3g}, {:.3g})", axis[0], axis[1], axis[2]);
}

bool ReconcileEngine::hasPlace(const ShapeMotion& motion) {
    for (int i = static_cast<int>(motion.node()); i >= 0;
         i = motion.scene().nodes[static_cast<std::size_t>(i)].parent) {
        const TransformPtr& transform = motion.scene().nodes[static_cast<std::size_t>(i)].transform;
        if (!transform)
            continue;
        const auto matrix = localMatrix(motion.scene(), static_cast<std::size_t>(i), motion.times().front());
        if (!transform->constant() || (matrix && !matrix->isIdentity()))
            return true;
    }
    return false;
}

bool ReconcileEngine::placeIsStill(const ShapeMotion& motion) {
    for (int i = static_cast<int>(motion.node()); i >= 0; i = motion.scene().nodes[static_cast<std::size_t>(i)].parent)
        if (const TransformPtr& transform = motion.scene().nodes[static_cast<std::size_t>(i)].transform;
            transform && !transform->constant())
            return false;
    return true;
}

Status ReconcileEngine::tellTransform() {
    if (!hasPlace(a_))
        return {};
    const bool ofB = hasPlace(b_);
    const bool plain = isPlain(how_) && !withoutPlace_;
    if (plain && how_.relative() < 1e-4) {
        if (!ofB)
            add("transform", 1.0, "", 0.95, "its transforms were put into its points",
                "A has transforms above it, B has none, and all is in the same place");
        return {};
    }
    const Alignment bare = alignmentAt(localA_, trackB_, how_.speed, how_.shift);
    if (ofB || !isPlain(bare) || bare.relative() > std::max(1e-4, 2.0 * how_.relative()))
        return {};
    // A still one can be put back.
    std::vector<Step> undo;
    WYC_TRY(first, placementAt(a_.scene(), a_.node(), a_.times().front()));
    if (placeIsStill(a_)) {
        std::string text;
        for (std::size_t r = 0; r < 4; ++r)
            for (std::size_t c = 0; c < 3; ++c)
                text += fmt::format("{}{}", text.empty() ? "" : ", ", shortestNumber(first.matrix.at(r, c)));
        undo = {{"place", {{"matrix", text}}, true}};
    }
    add("transform", 1.0, "", 0.97, "the transforms above it were left out",
        "its points are A's own, without what stands above them", std::move(undo));
    transformTold_ = true;
    return {};
}

} // namespace wyc
