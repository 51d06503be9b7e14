// SPDX-License-Identifier: GPL-3.0-or-later
// Random places, skins and instancers whose parts are sampled each at times of its own, judged by plain arithmetic over
// the plan that they were written from.
#include <gtest/gtest.h>

#include <cmath>
#include <cstdlib>
#include <map>
#include <numbers>
#include <random>

#include <fmt/format.h>

#include "formats/format.h"
#include "formats/usd/usd.h"
#include "scene/components/instancer.h"
#include "scene/instances.h"
#include "support/temp_folder.h"

namespace wyc::test::evaluated {
namespace {

using Numbers = std::vector<double>;
using Square = std::array<Numbers, 4>; // rows; points are rows, too

Square still() {
    return {Numbers{1, 0, 0, 0}, Numbers{0, 1, 0, 0}, Numbers{0, 0, 1, 0}, Numbers{0, 0, 0, 1}};
}
Square product(const Square& a, const Square& b) {
    Square result;
    for (std::size_t r = 0; r < 4; ++r) {
        result[r].assign(4, 0.0);
        for (std::size_t c = 0; c < 4; ++c)
            for (std::size_t k = 0; k < 4; ++k)
                result[r][c] += a[r][k] * b[k][c];
    }
    return result;
}
Square moved(double x, double y, double z) {
    Square m = still();
    m[3] = {x, y, z, 1};
    return m;
}
Square sized(double x, double y, double z) {
    Square m = still();
    m[0][0] = x;
    m[1][1] = y;
    m[2][2] = z;
    return m;
}
Square about(char axis, double degrees) {
    Square m = still();
    const double c = std::cos(degrees * std::numbers::pi / 180.0);
    const double s = std::sin(degrees * std::numbers::pi / 180.0);
    const std::size_t a = axis == 'X' ? 1 : axis == 'Y' ? 2 : 0;
    const std::size_t b = axis == 'X' ? 2 : axis == 'Y' ? 0 : 1;
    m[a][a] = c;
    m[a][b] = s;
    m[b][a] = -s;
    m[b][b] = c;
    return m;
}
// Of a unit quaternion w, x, y, z.
Square turnedBy(const Numbers& q) {
    const double w = q[0], x = q[1], y = q[2], z = q[3];
    Square m = still();
    m[0] = {1 - 2 * (y * y + z * z), 2 * (x * y + z * w), 2 * (x * z - y * w), 0};
    m[1] = {2 * (x * y - z * w), 1 - 2 * (x * x + z * z), 2 * (y * z + x * w), 0};
    m[2] = {2 * (x * z + y * w), 2 * (y * z - x * w), 1 - 2 * (x * x + y * y), 0};
    return m;
}
// By elimination.
Square undone(Square m) {
    Square result = still();
    for (std::size_t c = 0; c < 4; ++c) {
        std::size_t best = c;
        for (std::size_t r = c; r < 4; ++r)
            if (std::abs(m[r][c]) > std::abs(m[best][c]))
                best = r;
        std::swap(m[c], m[best]);
        std::swap(result[c], result[best]);
        const double by = m[c][c];
        for (std::size_t k = 0; k < 4; ++k) {
            m[c][k] /= by;
            result[c][k] /= by;
        }
        for (std::size_t r = 0; r < 4; ++r) {
            if (r == c)
                continue;
            const double share = m[r][c];
            for (std::size_t k = 0; k < 4; ++k) {
                m[r][k] -= share * m[c][k];
                result[r][k] -= share * result[c][k];
            }
        }
    }
    return result;
}
Numbers placed(const Numbers& p, const Square& m) {
    Numbers result(3);
    for (std::size_t c = 0; c < 3; ++c)
        result[c] = p[0] * m[0][c] + p[1] * m[1][c] + p[2] * m[2][c] + m[3][c];
    return result;
}

enum class Mix { Straight, Turns, Held };

// What is written of one attribute: the same at all times, or by time code.
struct Track {
    std::map<double, Numbers> samples; // one at NaN-free 1e9: always
    Mix mix = Mix::Straight;
    [[nodiscard]] bool always() const { return samples.size() == 1 && samples.begin()->first == 1e9; }
    [[nodiscard]] Numbers at(double code) const {
        auto above = samples.lower_bound(code);
        if (above == samples.end())
            return samples.rbegin()->second;
        if (above == samples.begin() || above->first == code)
            return above->second;
        const auto below = std::prev(above);
        const Numbers& a = below->second;
        const Numbers& b = above->second;
        if (mix == Mix::Held || a.size() != b.size())
            return a;
        const double t = (code - below->first) / (above->first - below->first);
        Numbers result(a.size());
        if (mix == Mix::Straight)
            for (std::size_t i = 0; i < a.size(); ++i)
                result[i] = a[i] + t * (b[i] - a[i]);
        else
            for (std::size_t i = 0; i + 3 < a.size(); i += 4) {
                double dot = 0.0;
                for (std::size_t k = 0; k < 4; ++k)
                    dot += a[i + k] * b[i + k];
                const double sign = dot < 0.0 ? -1.0 : 1.0;
                const double angle = std::acos(std::min(1.0, std::abs(dot)));
                const double s = std::sin(angle);
                const double left = s < 1e-6 ? 1.0 - t : std::sin((1.0 - t) * angle) / s;
                const double right = s < 1e-6 ? t : std::sin(t * angle) / s;
                for (std::size_t k = 0; k < 4; ++k)
                    result[i + k] = left * a[i + k] + right * sign * b[i + k];
            }
        return result;
    }
    void addCodes(std::vector<double>& to) const {
        if (!always())
            for (const auto& [code, value] : samples)
                to.push_back(code);
    }
};

// "(1, 2, 3)", or "[(1, 2, 3), …]".
std::string valueText(const Numbers& numbers, std::size_t width, bool array) {
    std::string text = array ? "[" : "";
    for (std::size_t i = 0; i < numbers.size(); i += width) {
        text += i > 0 ? ", " : "";
        text += width > 1 ? "(" : "";
        for (std::size_t k = 0; k < width; ++k)
            text += fmt::format("{}{}", k > 0 ? ", " : "", numbers[i + k]);
        text += width > 1 ? ")" : "";
    }
    return text + (array ? "]" : "");
}
std::string matrixText(const Numbers& numbers) {
    std::string text = "(";
    for (std::size_t r = 0; r < 4; ++r)
        text += fmt::format("{}({}, {}, {}, {})", r > 0 ? ", " : "", numbers[4 * r], numbers[4 * r + 1],
                            numbers[4 * r + 2], numbers[4 * r + 3]);
    return text + ")";
}

class Maker {
  public:
    explicit Maker(unsigned seed) : random_(seed) {}
    bool often(unsigned one) { return random_() % one == 0; }
    std::size_t number(std::size_t below) { return random_() % below; }
    // In steps that floats hold whole.
    double between(double low, double high) {
        return low + static_cast<double>(random_() % 4097) / 4096.0 * (high - low);
    }
    // Few or many time codes, whole or not, some before the first frame.
    std::vector<double> codes() {
        std::vector<double> result;
        const std::size_t count = 1 + number(often(3) ? 12 : 4);
        const double step = often(3) ? 0.25 : often(3) ? 0.5 : 1.0;
        double at = static_cast<double>(number(20)) - 5.0;
        for (std::size_t i = 0; i < count; ++i) {
            result.push_back(at);
            at += step * static_cast<double>(1 + number(6));
        }
        return result;
    }
    template<class Make> Track track(const Make& make, Mix mix = Mix::Straight) {
        Track made;
        made.mix = mix;
        if (often(3))
            made.samples[1e9] = make();
        else
            for (const double code : codes())
                made.samples[code] = make();
        return made;
    }
    Numbers quaternion() {
        Numbers q{between(-1, 1), between(-1, 1), between(-1, 1), between(-1, 1)};
        double length = 0.0;
        for (const double one : q)
            length += one * one;
        if (length < 0.01)
            return {1, 0, 0, 0};
        for (double& one : q)
            one = static_cast<float>(one / std::sqrt(length));
        return q;
    }
    Numbers list(std::size_t count, double low, double high) {
        Numbers result(count);
        for (double& one : result)
            one = between(low, high);
        return result;
    }
    Numbers quaternions(std::size_t count) {
        Numbers result;
        for (std::size_t i = 0; i < count; ++i) {
            const Numbers one = quaternion();
            result.insert(result.end(), one.begin(), one.end());
        }
        return result;
    }

  private:
    std::mt19937 random_;
};

std::string attributeText(const std::string& indent, const std::string& typed, const Track& track,
                          const std::function<std::string(const Numbers&)>& words, const std::string& behind = {}) {
    if (track.always())
        return fmt::format("{}{} = {}{}\n", indent, typed, words(track.samples.begin()->second), behind);
    std::string text = behind.empty() ? "" : fmt::format("{}{}{}\n", indent, typed, behind);
    text += fmt::format("{}{}.timeSamples = {{\n", indent, typed);
    for (const auto& [code, value] : track.samples)
        text += fmt::format("{}    {}: {},\n", indent, code, words(value));
    return text + indent + "}\n";
}

struct Op {
    std::string type; // "rotateXYZ"
    bool inverse = false;
    Track track;
    [[nodiscard]] Square at(double code) const {
        const Numbers v = track.at(code);
        Square m = still();
        if (type == "translate")
            m = moved(v[0], v[1], v[2]);
        else if (type == "translateY")
            m = moved(0, v[0], 0);
        else if (type == "scale")
            m = sized(v[0], v[1], v[2]);
        else if (type == "scaleZ")
            m = sized(1, 1, v[0]);
        else if (type == "orient")
            m = turnedBy(v);
        else if (type == "transform")
            for (std::size_t i = 0; i < 16; ++i)
                m[i / 4][i % 4] = v[i];
        else if (type.size() == 7)
            m = about(type[6], v[0]);
        else
            for (std::size_t i = 6; i < 9; ++i)
                m = product(m, about(type[i], v[static_cast<std::size_t>(type[i] - 'X')]));
        return inverse ? undone(m) : m;
    }
};

struct Placing {
    std::vector<Op> ops;
    bool reset = false;
    std::optional<Track> hidden; // 1 where it is
    [[nodiscard]] Square at(double code) const {
        Square m = still();
        for (const Op& op : ops)
            m = product(op.at(code), m);
        return m;
    }
    void addCodes(std::vector<double>& to) const {
        for (const Op& op : ops)
            op.track.addCodes(to);
    }
    [[nodiscard]] std::string text(const std::string& indent) const {
        std::string order, result;
        for (std::size_t i = 0; i < ops.size(); ++i) {
            const Op& op = ops[i];
            const std::string name = fmt::format("xformOp:{}:n{}", op.type, i);
            order += fmt::format("{}\"{}{}\"", order.empty() ? "" : ", ", op.inverse ? "!invert!" : "", name);
            const bool matrix = op.type == "transform";
            const std::string type = matrix                                         ? "matrix4d"
                                     : op.type == "orient"                          ? "quatf"
                                     : op.track.samples.begin()->second.size() == 1 ? "double"
                                                                                    : "double3";
            result += attributeText(indent, type + " " + name, op.track, [&](const Numbers& v) {
                return matrix ? matrixText(v) : valueText(v, v.size(), false);
            });
        }
        if (reset)
            order = "\"!resetXformStack!\"" + (order.empty() ? "" : ", " + order);
        if (!order.empty())
            result += fmt::format("{}uniform token[] xformOpOrder = [{}]\n", indent, order);
        if (hidden)
            result += attributeText(indent, "token visibility", *hidden,
                                    [](const Numbers& v) { return v[0] > 0.0 ? "\"invisible\"" : "\"inherited\""; });
        return result;
    }
};

Placing randomPlacing(Maker& maker, bool mayReset = true) {
    Placing made;
    static const std::vector<std::string> kTypes{"translate", "translateY", "scale",     "scaleZ",    "orient",
                                                 "transform", "rotateX",    "rotateZXY", "rotateXYZ", "rotateYXZ"};
    for (std::size_t i = maker.number(4); i > 0; --i) {
        Op op;
        op.type = kTypes[maker.number(kTypes.size())];
        op.inverse = maker.often(4);
        const bool one = op.type == "translateY" || op.type == "scaleZ" || op.type == "rotateX";
        op.track = maker.track(
            [&]() -> Numbers {
                if (op.type == "orient")
                    return maker.quaternion();
                if (op.type == "transform") {
                    Numbers m = maker.list(16, -0.3, 0.3);
                    for (const std::size_t k : {0U, 5U, 10U})
                        m[k] += 1.0;
                    m[3] = m[7] = m[11] = 0.0;
                    m[15] = 1.0;
                    return m;
                }
                if (op.type.starts_with("scale"))
                    return maker.list(one ? 1 : 3, 0.5, 2.0);
                return maker.list(one ? 1 : 3, op.type.starts_with("rotate") ? -200.0 : -5.0,
                                  op.type.starts_with("rotate") ? 200.0 : 5.0);
            },
            op.type == "orient" ? Mix::Turns : Mix::Straight);
        made.ops.push_back(std::move(op));
    }
    made.reset = mayReset && maker.often(6);
    if (maker.often(4))
        made.hidden = maker.track([&] { return Numbers{maker.often(2) ? 1.0 : 0.0}; }, Mix::Held);
    return made;
}

const std::string kHead = "#usda 1.0\n(\n    timeCodesPerSecond = 24\n    upAxis = \"Y\"\n    metersPerUnit = 1\n)\n";

Result<Scene> opened(const std::string& text, const TempFolder& folder, const char* morphs = "before") {
    const auto path = writeFile(folder / "layer.usda", text);
    OpenRequest request;
    request.path = path;
    request.options["morphs"] = morphs;
    return usd::format().read(request);
}

int cases(int standard) {
    const char* asked = std::getenv("WYC_TRUTH_CASES");
    return asked ? std::atoi(asked) : standard;
}
unsigned firstCase() {
    const char* asked = std::getenv("WYC_TRUTH_FIRST");
    return asked ? static_cast<unsigned>(std::atoi(asked)) : 1;
}

bool near(double a, double b, double relative) {
    return std::abs(a - b) <= relative * std::max({std::abs(a), std::abs(b), 1.0});
}

// Moments to look at: every sample, and some others.
std::vector<double> looks(Maker& maker, std::vector<double> codes, bool others) {
    for (int i = 0; others && i < 6; ++i)
        codes.push_back(maker.between(-8.0, 40.0));
    codes.push_back(-9.0);
    codes.push_back(50.0);
    return codes;
}

Numbers flat(const Square& m) {
    Numbers all;
    for (const Numbers& row : m)
        all.insert(all.end(), row.begin(), row.end());
    return all;
}

TEST(UsdEvaluatedTruth, PlacesWhosePartsHaveTimesOfTheirOwn) {
    for (unsigned seed = firstCase(); seed < firstCase() + static_cast<unsigned>(cases(150)); ++seed) {
        Maker maker(seed);
        std::vector<Placing> chain;
        std::string text = kHead;
        std::string indent;
        std::string path;
        std::vector<double> codes;
        const std::size_t depth = 1 + maker.number(4);
        for (std::size_t i = 0; i < depth; ++i) {
            chain.push_back(randomPlacing(maker));
            chain.back().addCodes(codes);
            const bool last = i + 1 == depth;
            path += last ? "/M" : fmt::format("/G{}", i);
            text += fmt::format("{}def {} \"{}\"\n{}{{\n{}", indent, last ? "Mesh" : "Xform",
                                path.substr(path.rfind('/') + 1), indent, chain.back().text(indent + "    "));
            indent += "    ";
        }
        const Track points = maker.track([&] { return maker.list(9, -2, 2); });
        points.addCodes(codes);
        text +=
            attributeText(indent, "point3f[] points", points, [](const Numbers& v) { return valueText(v, 3, true); });
        text += indent + "int[] faceVertexCounts = [3]\n" + indent + "int[] faceVertexIndices = [0, 1, 2]\n";
        for (std::size_t i = 0; i < depth; ++i) {
            indent.resize(indent.size() - 4);
            text += indent + "}\n";
        }
        const TempFolder folder;
        const auto scene = opened(text, folder);
        ASSERT_TRUE(scene) << "seed " << seed << ": " << scene.error().text() << text;
        const auto found = scene->find(path);
        ASSERT_TRUE(found) << "seed " << seed << text;
        const Node& mesh = scene->nodes[*found];
        for (const double code : looks(maker, codes, true)) {
            Square world = still();
            bool visible = true;
            bool out = false;
            for (std::size_t i = depth; i-- > 0;) {
                if (!out)
                    world = product(world, chain[i].at(code));
                out = out || chain[i].reset;
                visible = visible && !(chain[i].hidden && chain[i].hidden->at(code)[0] > 0.0);
            }
            const double seconds = code / 24.0;
            const auto place = placementAt(*scene, *found, seconds);
            ASSERT_TRUE(place) << seed;
            EXPECT_EQ(place->visible, visible) << "seed " << seed << " at " << code << text;
            const Numbers wanted = flat(world);
            std::vector<Vec3f> got(3);
            ASSERT_TRUE(mesh.geometry->readAt(seconds, 0, got));
            const Numbers own = points.at(code);
            for (std::size_t i = 0; i < 16; ++i)
                ASSERT_TRUE(near(place->matrix.m[i], wanted[i], 1e-5))
                    << "seed " << seed << " at " << code << " number " << i << ": " << place->matrix.m[i] << " for "
                    << wanted[i] << "\n"
                    << text;
            for (std::size_t i = 0; i < 3; ++i)
                ASSERT_TRUE(near(got[i].x, own[3 * i], 1e-5) && near(got[i].y, own[3 * i + 1], 1e-5) &&
                            near(got[i].z, own[3 * i + 2], 1e-5))
                    << "seed " << seed << " at " << code << text;
        }
    }
}

// A mesh under a skeleton with an animation, each part at times of its own: as text, and where its points are.
struct RandomRig {
    static constexpr std::size_t number = 5; // points
    static constexpr std::size_t each = 2;   // joints that hold one

    std::size_t joints;
    std::vector<int> parent;
    std::vector<std::string> names;
    std::vector<Square> binds, rests;
    std::vector<std::size_t> animated; // some of the joints, in an order of its own
    bool moves = false;
    Track places, rotations, sizes, weights;
    Numbers rest;
    bool skinned = false;
    bool shaped = false;
    std::vector<std::size_t> own; // the mesh's own list of joints; empty: it has none
    std::vector<std::size_t> which;
    Numbers shares;
    Square bind = still();
    Numbers offsets, half; // of points 3 and 1
    bool inBetween = false;
    Placing top, aboveMesh, aboveSkeleton;
    bool together = false;
    bool behind = false;
    bool animationFlipped = false;

    explicit RandomRig(Maker& maker) : joints(1 + maker.number(4)), parent(joints, -1), names(joints) {
        for (std::size_t j = 0; j < joints; ++j) {
            parent[j] = j == 0 ? -1 : static_cast<int>(maker.number(j + 1)) - 1;
            names[j] = (parent[j] < 0 ? "" : names[static_cast<std::size_t>(parent[j])] + "/") + fmt::format("j{}", j);
        }
        const auto rigid = [&] {
            Square m = turnedBy(maker.quaternion());
            m[3] = {maker.between(-2, 2), maker.between(-2, 2), maker.between(-2, 2), 1};
            return m;
        };
        for (std::size_t j = 0; j < joints; ++j) {
            binds.push_back(rigid());
            rests.push_back(rigid());
        }
        for (std::size_t j = joints; j-- > 0;)
            if (!maker.often(4))
                animated.push_back(j);
        moves = !animated.empty() && !maker.often(6);
        const std::size_t count = animated.size();
        places = maker.track([&] { return maker.list(3 * count, -3, 3); });
        rotations = maker.track([&] { return maker.quaternions(count); }, Mix::Turns);
        sizes = maker.track([&] {
            Numbers list = maker.list(3 * count, 0.5, 1.5);
            for (double& one : list)
                one = std::round(512.0 * one) / 512.0; // whole in half floats
            return list;
        });
        weights = maker.track([&] { return maker.list(2, -0.5, 1.5); });
        rest = maker.list(3 * number, -2, 2);
        skinned = !maker.often(5);
        shaped = !skinned || maker.often(2);
        if (maker.often(2))
            for (std::size_t j = joints; j-- > 0;)
                own.push_back(j);
        for (std::size_t i = 0; i < number; ++i) {
            const double first = maker.between(0, 1);
            which.push_back(maker.number(joints));
            which.push_back(maker.number(joints));
            shares.push_back(first);
            shares.push_back(1.0 - first);
        }
        if (maker.often(2))
            bind = rigid();
        offsets = maker.list(3 * 2, -1, 1);
        half = maker.list(3 * 2, -1, 1);
        inBetween = maker.often(2);
        top = randomPlacing(maker);
        aboveMesh = randomPlacing(maker);
        aboveSkeleton = maker.often(3) ? aboveMesh : randomPlacing(maker);
        together = maker.often(2);
        behind = shaped && maker.often(3);
        animationFlipped = maker.often(2);
    }

    [[nodiscard]] std::string quoted(const std::vector<std::size_t>& list) const {
        std::string text;
        for (const std::size_t j : list)
            text += fmt::format("{}\"{}\"", text.empty() ? "" : ", ", names[j]);
        return text;
    }
    [[nodiscard]] std::string skeletonText() const {
        const auto matrices = [](const std::vector<Square>& list) {
            std::string text;
            for (const Square& m : list)
                text += (text.empty() ? "" : ", ") + matrixText(flat(m));
            return text;
        };
        std::vector<std::size_t> all(joints);
        for (std::size_t j = 0; j < joints; ++j)
            all[j] = j;
        return fmt::format("    def Skeleton \"Skel\" (prepend apiSchemas = [\"SkelBindingAPI\"])\n    {{\n"
                           "        uniform token[] joints = [{}]\n        uniform matrix4d[] bindTransforms = [{}]\n"
                           "        uniform matrix4d[] restTransforms = [{}]\n{}    }}\n",
                           quoted(all), matrices(binds), matrices(rests),
                           moves || shaped ? "        rel skel:animationSource = </Root/Anim>\n" : "");
    }
    [[nodiscard]] std::string meshText() const {
        std::string mesh = "    def Mesh \"Skinned\" (prepend apiSchemas = [\"SkelBindingAPI\"])\n    {\n";
        mesh += fmt::format("        point3f[] points = {}\n        int[] faceVertexCounts = [5]\n"
                            "        int[] faceVertexIndices = [0, 1, 2, 3, 4]\n        rel skel:skeleton = <{}>\n",
                            points(rest), together ? "/Root/A/Skel" : "/Root/B/Skel");
        if (skinned) {
            std::string text, shareText;
            for (std::size_t i = 0; i < which.size(); ++i) {
                const auto at = std::find(own.begin(), own.end(), which[i]);
                text += fmt::format("{}{}", i > 0 ? ", " : "",
                                    own.empty() ? which[i] : static_cast<std::size_t>(at - own.begin()));
                shareText += fmt::format("{}{}", i > 0 ? ", " : "", shares[i]);
            }
            mesh += fmt::format("        int[] primvars:skel:jointIndices = [{}] (elementSize = {}\n            "
                                "interpolation = \"vertex\")\n"
                                "        float[] primvars:skel:jointWeights = [{}] (elementSize = {}\n            "
                                "interpolation = \"vertex\")\n"
                                "        matrix4d primvars:skel:geomBindTransform = {}\n",
                                text, each, shareText, each, matrixText(flat(bind)));
            if (!own.empty())
                mesh += fmt::format("        uniform token[] skel:joints = [{}]\n", quoted(own));
        }
        if (shaped)
            mesh += fmt::format(
                "        uniform token[] skel:blendShapes = [\"smile\"]\n"
                "        rel skel:blendShapeTargets = </Root/A/Skinned/smile>\n"
                "        def BlendShape \"smile\"\n        {{\n            uniform int[] pointIndices = [3, 1]\n"
                "            uniform vector3f[] offsets = {}\n{}        }}\n",
                points(offsets),
                inBetween
                    ? fmt::format("            uniform vector3f[] inbetweens:half = {} (weight = 0.5)\n", points(half))
                    : "");
        mesh += "    }\n";
        return mesh;
    }
    [[nodiscard]] std::string animationText() const {
        std::string animation = "    def SkelAnimation \"Anim\"\n    {\n";
        if (moves) {
            animation += fmt::format("        uniform token[] joints = [{}]\n", quoted(animated));
            animation += attributeText("        ", "float3[] translations", places, points);
            animation += attributeText("        ", "quatf[] rotations", rotations, turns);
            animation +=
                attributeText("        ", sizes.samples.size() > 1 ? "float3[] scales" : "half3[] scales", sizes,
                              points); // halves would be rounded in between
        }
        if (shaped) {
            animation += animationFlipped ? "        uniform token[] blendShapes = [\"other\", \"smile\"]\n"
                                          : "        uniform token[] blendShapes = [\"smile\", \"other\"]\n";
            animation += attributeText("        ", "float[] blendShapeWeights", weights,
                                       [](const Numbers& v) { return valueText(v, 1, true); });
        }
        animation += "    }\n";
        return animation;
    }
    [[nodiscard]] std::string text() const {
        std::string text = kHead + "def SkelRoot \"Root\"\n{\n" + top.text("    ") + animationText();
        text += "    def Xform \"A\"\n    {\n" + aboveMesh.text("        ") + meshText() +
                (together ? skeletonText() : "") + "    }\n";
        if (!together)
            text += "    def Xform \"B\"\n    {\n" + aboveSkeleton.text("        ") + skeletonText() + "    }\n";
        text += "}\n";
        return text;
    }
    /// When anything has a sample, and the whole frames between.
    [[nodiscard]] std::vector<double> codes() const {
        std::vector<double> codes;
        if (moves && skinned)
            for (const Track* track : {&places, &rotations, &sizes})
                track->addCodes(codes);
        if (shaped)
            weights.addCodes(codes);
        if (skinned && !together)
            for (const Placing* placing : {&aboveMesh, &aboveSkeleton})
                placing->addCodes(codes);
        if (skinned && !together && aboveMesh.reset != aboveSkeleton.reset)
            top.addCodes(codes);
        if (!codes.empty()) {
            const auto [low, high] = std::minmax_element(codes.begin(), codes.end());
            for (double code = std::ceil(*low), end = *high; code <= end; code += 1.0)
                codes.push_back(code);
        }
        return codes;
    }
    /// By how much the morph moves a point.
    [[nodiscard]] Numbers morphAt(std::size_t i, double code) const {
        Numbers shape(3, 0.0);
        if (shaped && (i == 1 || i == 3)) {
            const double w = weights.at(code)[animationFlipped ? 1 : 0];
            const std::size_t k = i == 3 ? 0 : 3;
            for (std::size_t c = 0; c < 3; ++c) {
                const double full = offsets[k + c];
                const double mid = half[k + c];
                if (!inBetween)
                    shape[c] += w * full;
                else if (w < 0.5)
                    shape[c] += w / 0.5 * mid;
                else
                    shape[c] += mid + (w - 0.5) / 0.5 * (full - mid);
            }
        }
        return shape;
    }
    [[nodiscard]] std::vector<Square> jointsAt(double code) const {
        std::vector<Square> chain;
        for (std::size_t j = 0; j < joints; ++j) {
            Square local = rests[j];
            const auto at = std::find(animated.begin(), animated.end(), j);
            if (moves && at != animated.end()) {
                const auto k = static_cast<std::size_t>(at - animated.begin());
                const Numbers t = places.at(code), r = rotations.at(code), s = sizes.at(code);
                local = product(product(sized(s[3 * k], s[3 * k + 1], s[3 * k + 2]),
                                        turnedBy({r[4 * k], r[4 * k + 1], r[4 * k + 2], r[4 * k + 3]})),
                                moved(t[3 * k], t[3 * k + 1], t[3 * k + 2]));
            }
            chain.push_back(parent[j] < 0 ? local : product(local, chain[static_cast<std::size_t>(parent[j])]));
        }
        return chain;
    }
    /// In the world.
    [[nodiscard]] std::vector<Numbers> pointsAt(double code) const {
        const std::vector<Square> chain = jointsAt(code);
        const auto worldOf = [&](const Placing& inner) {
            Square m = inner.at(code);
            return inner.reset ? m : product(m, top.at(code));
        };
        const Square meshWorld = worldOf(aboveMesh);
        const Square skeletonWorld = together ? meshWorld : worldOf(aboveSkeleton);
        std::vector<Numbers> wanted;
        for (std::size_t i = 0; i < number; ++i) {
            Numbers p{rest[3 * i], rest[3 * i + 1], rest[3 * i + 2]};
            const Numbers shape = morphAt(i, code);
            for (std::size_t c = 0; c < 3 && !(behind && skinned); ++c)
                p[c] += shape[c];
            if (skinned) {
                Numbers sum(3, 0.0);
                const Numbers bound = placed(p, bind);
                for (std::size_t k = 0; k < each; ++k) {
                    const std::size_t j = which[each * i + k];
                    const Numbers one = placed(bound, product(undone(binds[j]), chain[j]));
                    for (std::size_t c = 0; c < 3; ++c)
                        sum[c] += shares[each * i + k] * one[c];
                }
                p = placed(sum, skeletonWorld);
                if (behind) {
                    p = placed(p, undone(meshWorld));
                    for (std::size_t c = 0; c < 3; ++c)
                        p[c] += shape[c];
                    p = placed(p, meshWorld);
                }
            } else {
                p = placed(p, meshWorld);
            }
            wanted.push_back(p);
        }
        return wanted;
    }

  private:
    static std::string points(const Numbers& v) { return valueText(v, 3, true); }
    static std::string turns(const Numbers& v) { return valueText(v, 4, true); }
};

TEST(UsdEvaluatedTruth, SkinsWhosePartsHaveTimesOfTheirOwn) {
    for (unsigned seed = firstCase(); seed < firstCase() + static_cast<unsigned>(cases(100)); ++seed) {
        Maker maker(seed);
        const RandomRig rig(maker);
        const std::string text = rig.text();
        const TempFolder folder;
        const auto scene = opened(text, folder, rig.behind ? "behind" : "before");
        ASSERT_TRUE(scene) << "seed " << seed << ": " << scene.error().text() << text;
        const auto found = scene->find("/Root/A/Skinned");
        ASSERT_TRUE(found) << "seed " << seed << text;
        const Node& node = scene->nodes[*found];
        for (const double code : looks(maker, rig.codes(), false)) {
            const std::vector<Numbers> wanted = rig.pointsAt(code);
            std::vector<Vec3f> got(wanted.size());
            ASSERT_TRUE(node.geometry->readAt(code / 24.0, 0, got));
            const auto place = placementAt(*scene, *found, code / 24.0);
            ASSERT_TRUE(place);
            for (std::size_t i = 0; i < got.size(); ++i) {
                const Vec3d p = transformedPoint(Vec3d{got[i].x, got[i].y, got[i].z}, place->matrix);
                ASSERT_TRUE(near(p.x, wanted[i][0], 2e-4) && near(p.y, wanted[i][1], 2e-4) &&
                            near(p.z, wanted[i][2], 2e-4))
                    << "seed " << seed << " at " << code << " point " << i << ": " << p.x << " " << p.y << " " << p.z
                    << " for " << wanted[i][0] << " " << wanted[i][1] << " " << wanted[i][2] << "\n"
                    << text;
            }
        }
    }
}

TEST(UsdEvaluatedTruth, InstancersWhosePartsHaveTimesOfTheirOwn) {
    const auto threes = [](const Numbers& v) { return valueText(v, 3, true); };
    for (unsigned seed = firstCase(); seed < firstCase() + static_cast<unsigned>(cases(150)); ++seed) {
        Maker maker(seed);
        // As many at all times, or other numbers at times that all parts share.
        const bool changes = maker.often(3);
        const std::size_t most = 1 + maker.number(6);
        const std::vector<double> shared = maker.codes();
        std::map<double, std::size_t> counts;
        for (const double code : shared)
            counts[code] = 1 + maker.number(most);
        const auto part = [&](const std::function<Numbers(std::size_t)>& make, Mix mix) {
            if (!changes)
                return maker.track([&] { return make(most); }, mix);
            Track track;
            track.mix = mix;
            for (const auto& [code, count] : counts)
                track.samples[code] = make(count);
            return track;
        };
        const Track places = part([&](std::size_t n) { return maker.list(3 * n, -9, 9); }, Mix::Straight);
        const Track turns = part([&](std::size_t n) { return maker.quaternions(n); }, Mix::Turns);
        const Track sizes = part([&](std::size_t n) { return maker.list(3 * n, 0.25, 3); }, Mix::Straight);
        const Track which = part(
            [&](std::size_t n) {
                Numbers v;
                for (std::size_t i = 0; i < n; ++i)
                    v.push_back(static_cast<double>(maker.number(2)));
                return v;
            },
            Mix::Held);
        const bool hasTurns = maker.often(2);
        const bool hasSizes = maker.often(2);
        const bool hasIds = maker.often(2);
        const Track ids = part(
            [&](std::size_t n) {
                Numbers v;
                for (std::size_t i = 0; i < n; ++i)
                    v.push_back(static_cast<double>(100 + i));
                return v;
            },
            Mix::Held);
        std::optional<Track> hidden;
        if (maker.often(3))
            hidden = maker.track(
                [&] {
                    Numbers v;
                    for (std::size_t i = 0; i < most; ++i)
                        if (maker.often(3))
                            v.push_back(static_cast<double>(hasIds ? 100 + i : i));
                    return v;
                },
                Mix::Held);
        const bool inactive = maker.often(5);
        std::string text =
            kHead + fmt::format("def PointInstancer \"I\"{}\n{{\n    rel prototypes = [</I/P0>, </I/P1>]\n"
                                "    def Sphere \"P0\" {{}}\n    def Cube \"P1\" {{}}\n",
                                inactive ? fmt::format(" (inactiveIds = [{}])", hasIds ? 100 : 0) : "");
        text += attributeText("    ", "point3f[] positions", places, threes);
        if (hasTurns)
            text += attributeText("    ", "quatf[] orientationsf", turns,
                                  [](const Numbers& v) { return valueText(v, 4, true); });
        if (hasSizes)
            text += attributeText("    ", "float3[] scales", sizes, threes);
        const auto ones = [](const Numbers& v) { return valueText(v, 1, true); };
        text += attributeText("    ", "int[] protoIndices", which, ones);
        if (hasIds)
            text += attributeText("    ", "int64[] ids", ids, ones);
        if (hidden)
            text += attributeText("    ", "int64[] invisibleIds", *hidden, ones);
        text += "}\n";
        const TempFolder folder;
        const auto scene = opened(text, folder);
        ASSERT_TRUE(scene) << "seed " << seed << ": " << scene.error().text() << text;
        const auto found = scene->find("/I");
        ASSERT_TRUE(found) << text;
        std::vector<double> codes;
        places.addCodes(codes);
        which.addCodes(codes);
        if (hasTurns)
            turns.addCodes(codes);
        if (hasSizes)
            sizes.addCodes(codes);
        if (hasIds)
            ids.addCodes(codes);
        if (hidden)
            hidden->addCodes(codes);
        // Between samples whose lists differ in number nothing is between.
        for (const double code : looks(maker, codes, !changes && !hidden)) {
            const Numbers p = places.at(code), q = turns.at(code), s = sizes.at(code), w = which.at(code),
                          n = ids.at(code);
            const Numbers out = hidden ? hidden->at(code) : Numbers{};
            struct Wanted {
                double id, prototype;
                Square matrix;
            };
            std::vector<Wanted> wanted;
            for (std::size_t i = 0; i < p.size() / 3; ++i) {
                const double id = hasIds ? n[i] : static_cast<double>(i);
                if (std::find(out.begin(), out.end(), id) != out.end() || (inactive && id == (hasIds ? 100.0 : 0.0)))
                    continue;
                Square m = hasSizes ? sized(s[3 * i], s[3 * i + 1], s[3 * i + 2]) : still();
                if (hasTurns)
                    m = product(m, turnedBy({q[4 * i], q[4 * i + 1], q[4 * i + 2], q[4 * i + 3]}));
                wanted.push_back({id, w[i], product(m, moved(p[3 * i], p[3 * i + 1], p[3 * i + 2]))});
            }
            const auto got = instancesAt(scene->nodes[*found], code / 24.0);
            ASSERT_TRUE(got) << "seed " << seed << ": " << got.error().text() << text;
            ASSERT_EQ(got->size(), wanted.size()) << "seed " << seed << " at " << code << text;
            for (std::size_t i = 0; i < wanted.size(); ++i) {
                const InstanceFigures& one = (*got)[i];
                ASSERT_EQ(static_cast<double>(one.prototype), wanted[i].prototype)
                    << "seed " << seed << " at " << code << text;
                if (hasIds || hidden || inactive)
                    ASSERT_EQ(static_cast<double>(one.id), wanted[i].id) << "seed " << seed << " at " << code << text;
                const Mat4 matrix = one.matrix();
                const Numbers want = flat(wanted[i].matrix);
                for (std::size_t k = 0; k < 16; ++k)
                    ASSERT_TRUE(near(matrix.m[k], want[k], 2e-5))
                        << "seed " << seed << " at " << code << " instance " << i << " number " << k << ": "
                        << matrix.m[k] << " for " << want[k] << "\n"
                        << text;
            }
        }
    }
}

} // namespace
} // namespace wyc::test::evaluated
