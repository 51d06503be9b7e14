// SPDX-License-Identifier: GPL-3.0-or-later
// The shoal as a layered scene: a layer an item and an assembly that pulls them together.
#include <cmath>

#include <fmt/format.h>

#include "base/text.h"
#include "demo/lantern_shoal.h"
#include "demo/shapes.h"
#include "time/frame_rate.h"

namespace wyc::demo {
namespace {

constexpr double kDetail = 0.5; // of the jelly
constexpr int kEvery = 9;       // frames between samples: the shot with its handles in whole steps

std::string pointsText(const std::vector<Vec3f>& points) {
    std::string text = "[";
    for (const Vec3f& p : points) {
        text += text.size() > 1 ? ", (" : "(";
        appendFloat(text, p.x);
        text += ", ";
        appendFloat(text, p.y);
        text += ", ";
        appendFloat(text, p.z);
        text += ")";
    }
    return text + "]";
}

std::string numbersText(const std::vector<std::int32_t>& numbers) {
    std::string text = "[";
    for (const std::int32_t number : numbers)
        text += (text.size() > 1 ? ", " : "") + std::to_string(number);
    return text + "]";
}

std::string facesText(const Shape& shape, const std::string& indent) {
    return fmt::format("{0}int[] faceVertexCounts = {1}\n{0}int[] faceVertexIndices = {2}\n{0}uniform token "
                       "subdivisionScheme = \"none\"\n",
                       indent, numbersText(shape.faceSizes), numbersText(shape.corners));
}

// Points at frames of the shot; `late`: frames that they come later.
template<class ShapeAt> std::string samplesText(const ShapeAt& shapeAt, const std::string& indent, int late) {
    const FrameRange range = *demoShot().rangeWithHandles();
    const FrameRate rate;
    std::string text = indent + "point3f[] points.timeSamples = {\n";
    for (double frame = range.first; frame <= range.last; frame += kEvery)
        text += fmt::format("{}    {}: {},\n", indent, frame + late, pointsText(shapeAt(rate.secondsAt(frame)).points));
    return text + indent + "}\n";
}

std::string head(const char* prim, int codesPerSecond) {
    return fmt::format("#usda 1.0\n(\n    defaultPrim = \"{}\"\n    metersPerUnit = 1\n    timeCodesPerSecond = {}\n   "
                       " upAxis = \"Y\"\n)\n\n",
                       prim, codesPerSecond);
}

std::string jellyLayer() {
    const auto jelly = [](double seconds) { return lanternJelly(seconds, kDetail); };
    const Shape rest = jelly(0.0);
    return head("lantern_jelly", 24) +
           "def Xform \"lantern_jelly\" (\n    variants = {\n        string take = \"clean\"\n    }\n    prepend "
           "variantSets = \"take\"\n)\n{\n"
           "    def Mesh \"bell\"\n    {\n" +
           facesText(rest, "        ") +
           "    }\n    variantSet \"take\" = {\n        \"as_returned\" {\n            over \"bell\"\n            {\n" +
           samplesText(jelly, "                ", 1) +
           "            }\n        }\n        \"clean\" {\n            over \"bell\"\n            {\n" +
           samplesText(jelly, "                ", 0) + "            }\n        }\n    }\n}\n";
}

std::string frondLayer() {
    return head("kelp_frond", 24) + "def Xform \"kelp_frond\"\n{\n    def Mesh \"blade\"\n    {\n" +
           facesText(kelpFrond(0.0), "        ") + samplesText(kelpFrond, "        ", 0) + "    }\n}\n";
}

std::string seabedLayer() {
    const Shape sand = seabed(24);
    return head("seabed", 24) + "def Xform \"seabed\"\n{\n    def Mesh \"floor\"\n    {\n" +
           facesText(sand, "        ") + "        point3f[] points = " + pointsText(sand.points) +
           "\n        rel material:binding = </seabed/looks/sand>\n    }\n\n    def Scope \"looks\"\n    {\n        "
           "def Material \"sand\"\n        {\n"
           "            token outputs:surface.connect = </seabed/looks/sand/surface.outputs:surface>\n\n            "
           "def Shader \"surface\"\n            {\n"
           "                uniform token info:id = \"UsdPreviewSurface\"\n                color3f "
           "inputs:diffuseColor.connect = </seabed/looks/sand/grain.outputs:rgb>\n"
           "                float inputs:roughness = 0.9\n                token outputs:surface\n            }\n\n     "
           "       def Shader \"grain\"\n            {\n"
           "                uniform token info:id = \"UsdUVTexture\"\n                asset inputs:file = "
           "@./textures/sand_wet.png@\n                float3 outputs:rgb\n"
           "            }\n        }\n    }\n}\n";
}

// Its department counts 30 time codes a second.
std::string cameraLayer() {
    const FrameRange range = *demoShot().rangeWithHandles();
    const double first = range.first * 30.0 / 24.0;
    const double last = range.last * 30.0 / 24.0;
    return head("boom_cam", 30) +
           fmt::format("def Xform \"boom_cam\"\n{{\n    double3 xformOp:translate.timeSamples = {{\n        {0}: (0, "
                       "1.2, 6),\n        {1}: (1.5, 1.4, 5),\n    }}\n"
                       "    uniform token[] xformOpOrder = [\"xformOp:translate\"]\n\n    def Camera \"lens\"\n    {{\n"
                       "        float2 clippingRange = (0.1, 500)\n        float focalLength.timeSamples = {{\n        "
                       "    {0}: 0.35,\n            {1}: 0.5,\n        }}\n"
                       "        float horizontalAperture = 0.36\n        float verticalAperture = 0.2025\n    }}\n}}\n",
                       shortestNumber(first), shortestNumber(last));
}

std::string assembly() {
    const FrameRange range = *demoShot().range;
    std::string text = fmt::format("#usda 1.0\n(\n    defaultPrim = \"shoal\"\n    doc = \"Lantern Shoal, sh040: one "
                                   "layer an item\"\n    endTimeCode = {}\n    framesPerSecond = 24\n"
                                   "    metersPerUnit = 1\n    startTimeCode = {}\n    timeCodesPerSecond = 24\n    "
                                   "upAxis = \"Y\"\n)\n\ndef Xform \"shoal\"\n{{\n",
                                   range.last, range.first);
    for (const auto& [item, file] :
         {std::pair{"lantern_jelly", "lantern_jelly.usdc"}, {"seabed", "seabed.usda"}, {"boom_cam", "boom_cam.usda"}})
        text +=
            fmt::format("    def \"{}\" (\n        references = @./items/{}@\n    )\n    {{\n    }}\n\n", item, file);
    text += "    def SphereLight \"beacon\"\n    {\n        color3f inputs:color.timeSamples = {\n            1009: "
            "(1, 0.9, 0.5),\n            1128: (0.2, 0.5, 1),\n        }\n"
            "        float inputs:intensity = 400\n        float inputs:radius = 0.1\n        double3 "
            "xformOp:translate = (0, 4, 0)\n"
            "        uniform token[] xformOpOrder = [\"xformOp:translate\"]\n    }\n\n    def Xform \"kelp_stand\"\n   "
            " {\n";
    for (int i = 0; i < 6; ++i)
        text += fmt::format("        def \"frond_{0}\" (\n            instanceable = true\n            references = "
                            "@./items/kelp_frond.usdc@\n        )\n        {{\n"
                            "            double3 xformOp:translate = ({1}, 0, {2})\n            uniform token[] "
                            "xformOpOrder = [\"xformOp:translate\"]\n        }}\n\n",
                            i, shortestNumber(-2.0 + 0.8 * i), shortestNumber(-1.5 + 0.3 * (i % 3)));
    return text + "    }\n}\n";
}

} // namespace

std::vector<std::pair<std::string, std::string>> shoalLayers() {
    return {{"layers/items/lantern_jelly.usdc", jellyLayer()},
            {"layers/items/kelp_frond.usdc", frondLayer()},
            {"layers/items/seabed.usda", seabedLayer()},
            {"layers/items/boom_cam.usda", cameraLayer()},
            {"layers/shoal.usda", assembly()}};
}

} // namespace wyc::demo
