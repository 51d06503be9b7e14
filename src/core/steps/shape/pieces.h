// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// One mesh of several, and several of one.
#include "scene/scene.h"

namespace wyc {

/// The faces of a mesh parted by "pieces" (connected by points), "face sets" or "materials"; every face once, in the
/// first set that has it. Faces in no set come last, as "rest".
[[nodiscard]] Result<std::vector<FaceSet>> piecesOf(const Scene& scene, std::size_t mesh, const std::string& by);

struct CutPiece {
    GeometryPtr geometry;
    std::vector<PropertyNode> layers;  // what of the whole's UVs, normals and colours lies on it
    std::vector<std::uint32_t> points; // number in the whole mesh of each point, rising
};
/// For every set its faces with the points they use, in the mesh's order. An error when the mesh's faces change in
/// time. `view`: of the whole frames that say what lies between samples where those cannot.
[[nodiscard]] Result<std::vector<CutPiece>> cutPieces(const Node& whole, const std::vector<FaceSet>& sets,
                                                      const View& view);

/// User properties that say where a piece's points were: the way back.
struct SplitOrigin {
    std::vector<std::uint32_t> points; // number in the whole of each point
    std::vector<std::uint32_t> faces;  // and of each face
};
[[nodiscard]] std::vector<PropertyNode> splitProperties(const std::string& wholePath, const SplitOrigin& origin);
/// Those of a node; empty where it is no piece.
[[nodiscard]] Result<SplitOrigin> splitOrigin(const Node& node);

/// The chosen elements of an attribute, as values or as indices into the same ones.
[[nodiscard]] Attribute chosenElements(const Attribute& from, std::span<const std::uint32_t> elements);

struct MergePart {
    std::string name;
    GeometryPtr geometry;
    PropertiesPtr properties;   // its layers are among them
    SplitOrigin origin;         // empty: no piece of a split
    const Node* node = nullptr; // that it is, as long as it is needed
};
struct MergedMesh {
    GeometryPtr geometry;
    std::vector<PropertyNode> layers;
    std::vector<std::vector<std::uint32_t>> places; // by part: number of each of its points
};
/// One mesh. Points and faces part after part, or, where the parts are all pieces of one split, at their old numbers.
/// Every part is a face set of it; the parts' own sets, UVs, normals and colours stay. An error when the faces of a
/// part change in time. `view`: as above.
[[nodiscard]] Result<MergedMesh> mergedMesh(const std::vector<MergePart>& parts, const View& view);

/// What a piece with these points of a whole is made of; what it is made of once its points have other numbers.
[[nodiscard]] std::vector<MadeOf> pieceMadeOf(const Node& whole, const std::vector<std::uint32_t>& points);
[[nodiscard]] std::vector<MadeOf> placedMadeOf(const Node& part, const std::vector<std::uint32_t>& places);

struct SeenTogether {
    Scene scene;
    std::size_t pieces = 1;
};
/// To be looked at and measured as one: where all shapes are meshes at one place under one transform, as a split leaves
/// them, they become one mesh at the place of the first. Any other scene comes back as it is.
[[nodiscard]] SeenTogether piecesTogether(const Scene& scene);

} // namespace wyc
