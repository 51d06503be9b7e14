// SPDX-License-Identifier: GPL-3.0-or-later
// Random scenes of instances within instances: that a prim is an instance changes nothing of what is shown.
#include <gtest/gtest.h>

#include <cstdlib>
#include <map>
#include <random>

#include <fmt/format.h>

#include "formats/format.h"
#include "formats/usd/usd.h"
#include "scene/instances.h"
#include "scene/materials.h"
#include "support/temp_folder.h"

namespace wyc::test::instancing {
namespace {

class Writer {
  public:
    explicit Writer(unsigned seed) : random_(seed) {}

    // `@` stands where a prim is an instance or not.
    std::string scene() {
        std::string text = "#usda 1.0\n(\n    timeCodesPerSecond = 24\n    upAxis = \"Y\"\n    metersPerUnit = 1\n)\n"
                           "def Scope \"Looks\"\n{\n    def Material \"Red\" {}\n    def Material \"Blue\" {}\n    def "
                           "Material \"Green\" {}\n}\n";
        const std::size_t kinds = 1 + number(3);
        for (std::size_t kind = 0; kind < kinds; ++kind)
            text += prototype(kind);
        text += "def Xform \"World\"" + (often(3) ? collection() : std::string()) + "\n{\n" + collectionBody_;
        if (often(2))
            text += own("    ");
        for (std::size_t group = 0; group < 2; ++group) {
            text += fmt::format("    def Xform \"G{}\"\n    {{\n{}", group, often(4) ? own("        ") : "");
            for (std::size_t i = 0; i < 3; ++i)
                text += instance(fmt::format("I{}", i), number(kinds), "        ");
            text += "    }\n";
        }
        return text + "}\n";
    }

  private:
    bool often(unsigned one) { return random_() % one == 0; }
    std::size_t number(std::size_t below) { return random_() % below; }
    double value() { return static_cast<double>(random_() % 64) / 8.0 - 4.0; }
    std::string vector() { return fmt::format("({}, {}, {})", value(), value(), value()); }
    std::string look() {
        static const std::array<const char*, 3> kNames{"Red", "Blue", "Green"};
        return fmt::format("</Looks/{}>", kNames[number(3)]);
    }
    std::string purpose(const std::string& indent) {
        static const std::array<const char*, 4> kNames{"default", "render", "proxy", "guide"};
        return fmt::format("{}uniform token purpose = \"{}\"\n", indent, kNames[number(4)]);
    }
    // What a prim may say for what is below it.
    std::string own(const std::string& indent) {
        std::string text;
        if (often(2))
            text += fmt::format("{0}double3 xformOp:translate.timeSamples = {{ 0: {1}, 7: {2} }}\n"
                                "{0}uniform token[] xformOpOrder = [{3}\"xformOp:translate\"]\n",
                                indent, vector(), vector(), often(6) ? "\"!resetXformStack!\", " : "");
        if (often(5))
            text += purpose(indent);
        if (often(4))
            text += fmt::format("{}token visibility.timeSamples = {{ 0: \"inherited\", {}: \"invisible\" }}\n", indent,
                                1 + number(5));
        if (often(4))
            text += fmt::format("{}color3f[] primvars:displayColor = [{}]\n", indent, vector());
        if (often(4))
            text += fmt::format("{}float primvars:heat.timeSamples = {{ 0: {}, 3: {} }}\n", indent, value(), value());
        if (often(4))
            text += fmt::format("{}rel material:binding = {} ({})\n", indent, look(),
                                often(3) ? "bindMaterialAs = \"strongerThanDescendants\"" : "");
        return text;
    }
    std::string collection() {
        collectionBody_ = fmt::format("    rel material:binding:collection:some = [</World.collection:some>, {}]\n"
                                      "    uniform token collection:some:expansionRule = \"expandPrims\"\n"
                                      "    rel collection:some:includes = [</World/G{}/I{}>]\n",
                                      look(), number(2), number(3));
        return " (prepend apiSchemas = [\"CollectionAPI:some\", \"MaterialBindingAPI\"])";
    }
    std::string mesh(const std::string& name, const std::string& indent) {
        return fmt::format("{0}def Mesh \"{1}\"\n{0}{{\n{2}"
                           "{0}    point3f[] points.timeSamples = {{ 0: [{3}, {4}, {5}], 4: [{4}, {5}, {3}] }}\n"
                           "{0}    int[] faceVertexCounts = [3]\n{0}    int[] faceVertexIndices = [0, 1, 2]\n{0}}}\n",
                           indent, name, own(indent + "    "), vector(), vector(), vector());
    }
    std::string prototype(std::size_t kind) {
        std::string text = fmt::format("class Xform \"P{}\" (\n    variants = {{ string size = \"small\" }}\n"
                                       "    prepend variantSets = \"size\"\n)\n{{\n{}",
                                       kind, own("    "));
        text += mesh("A", "    ");
        text += "    def Xform \"In\"\n    {\n" + own("        ") + mesh("B", "        ");
        if (often(3))
            text += "        def Scope \"Nothing\" {}\n";
        for (std::size_t inner = 0; inner < kind; ++inner)
            if (often(2))
                text += instance(fmt::format("N{}", inner), inner, "        ");
        text += "    }\n    variantSet \"size\" = {\n        \"small\" {\n" + mesh("V", "            ");
        text += "        }\n        \"large\" {\n" + mesh("V", "            ") + "        }\n    }\n}\n";
        return text;
    }
    std::string instance(const std::string& name, std::size_t kind, const std::string& indent) {
        return fmt::format(
            "{0}def \"{1}\" (\n{0}    instanceable = @\n{0}    prepend {4} = </P{2}>\n{3}{0})\n{0}{{\n{5}{0}}}\n",
            indent, name, kind, often(3) ? indent + "    variants = { string size = \"large\" }\n" : "",
            often(2) ? "references" : "payload", often(2) ? own(indent + "    ") : "");
    }
    std::mt19937 random_;
    std::string collectionBody_;
};

void describe(const PropertyNode& property, const std::string& above, std::string& into) {
    const std::string name = above + property.name;
    if (property.values)
        for (const double code : {0.0, 1.5, 3.0, 9.0}) {
            const auto value = property.values->readAt(code / 24.0, {});
            into += name + " ";
            if (value)
                for (const std::byte one : value->bytes)
                    into += fmt::format("{:02x}", static_cast<unsigned>(one));
            into += "\n";
        }
    for (const PropertyNode& child : property.children)
        describe(child, name + "/", into);
}

// All that a person can see, by path.
std::map<std::string, std::string> shownIn(const Scene& opened) {
    const auto shown = expandedInstances(opened);
    EXPECT_TRUE(shown) << (shown ? "" : shown.error().text());
    std::map<std::string, std::string> all;
    if (!shown)
        return all;
    for (std::size_t i = 0; i < shown->nodes.size(); ++i) {
        const Node& node = shown->nodes[i];
        std::string text = fmt::format("kind {}\n", static_cast<int>(node.kind));
        for (const double code : {0.0, 2.0, 4.0, 9.0}) {
            const auto place = placementAt(*shown, i, code / 24.0);
            if (!place)
                continue;
            text += place->visible ? "seen" : "hidden";
            for (const double one : place->matrix.m)
                text += fmt::format(" {}", one);
            std::vector<Vec3f> points(node.geometry ? 3 : 0);
            if (node.geometry && node.geometry->readAt(code / 24.0, 0, points))
                for (const Vec3f& p : points)
                    text += fmt::format(" {} {} {}", p.x, p.y, p.z);
            text += "\n";
        }
        if (const Material* material = materialOf(*shown, node.material, {}))
            text += material->name + "\n";
        if (node.properties)
            for (const PropertyNode& property : node.properties->all())
                describe(property, "", text);
        all[node.path] = text;
    }
    return all;
}

TEST(UsdInstancing, ChangesNothingOfWhatIsShown) {
    const char* asked = std::getenv("WYC_TRUTH_CASES");
    const char* from = std::getenv("WYC_TRUTH_FIRST");
    const unsigned first = from ? static_cast<unsigned>(std::atoi(from)) : 1;
    std::size_t instances = 0;
    for (unsigned seed = first; seed < first + static_cast<unsigned>(asked ? std::atoi(asked) : 150); ++seed) {
        const std::string text = Writer(seed).scene();
        const TempFolder folder;
        std::array<std::map<std::string, std::string>, 2> shown;
        for (const bool instanced : {false, true}) {
            std::string written = text;
            for (std::size_t at = 0; (at = written.find("instanceable = @", at)) != std::string::npos;)
                written.replace(at, 16, instanced ? "instanceable = true" : "instanceable = false");
            OpenRequest request;
            request.path = writeFile(folder / fmt::format("{}.usda", instanced), written);
            const auto scene = usd::format().read(request);
            ASSERT_TRUE(scene) << "seed " << seed << ": " << scene.error().text() << "\n" << text;
            if (instanced)
                for (const Node& node : scene->nodes)
                    instances += node.kind == NodeKind::Instances ? 1 : 0;
            shown[instanced ? 1 : 0] = shownIn(*scene);
        }
        for (const auto& [path, wanted] : shown[0]) {
            const auto got = shown[1].find(path);
            ASSERT_TRUE(got != shown[1].end()) << "seed " << seed << ": " << path << " is not there\n" << text;
            ASSERT_EQ(got->second, wanted) << "seed " << seed << ": " << path << "\n" << text;
        }
        ASSERT_EQ(shown[1].size(), shown[0].size()) << "seed " << seed << "\n" << text;
    }
    EXPECT_GT(instances, 20U); // some are shared
}

} // namespace
} // namespace wyc::test::instancing
