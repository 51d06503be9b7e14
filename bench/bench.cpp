// SPDX-License-Identifier: GPL-3.0-or-later
// usage: wychronos_bench b1|b4|b5|b6|b7|b8|b11|b13|b14|objects|make-b2|make-large FOLDER
// Each prints one ratio with the mark beside it; the same bytes, warm cache, median of several runs.
#include <algorithm>
#include <array>
#include <chrono>
#include <cmath>
#include <cstring>
#include <functional>
#include <numeric>
#include <random>
#include <thread>

#include <Eigen/Core>

#include <fmt/format.h>

#include <sys/resource.h>

#include "base/parallel.h"
#include "compare/comparison.h"
#include "delivery/delivery.h"
#include "formats/format.h"
#include "formats/obj/obj.h"
#include "formats/obj/obj_text.h"
#include "match/mesh_graph.h"
#include "match/order_map.h"
#include "measure/seam_map.h"

using namespace wyc;

namespace {

double secondsOf(const std::function<void()>& work) {
    const auto started = std::chrono::steady_clock::now();
    work();
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - started).count();
}

double median(int runs, const std::function<void()>& work) {
    std::vector<double> times;
    work(); // warms the cache
    for (int i = 0; i < runs; ++i)
        times.push_back(secondsOf(work));
    std::sort(times.begin(), times.end());
    return times[times.size() / 2];
}

// A waving sheet computed when it is asked for: nothing is held.
class WavingSheet final : public Geometry {
  public:
    WavingSheet(std::size_t side, std::size_t frames)
        : side_(side), sampling_(Sampling::uniform(1001.0 / 24, 1.0 / 24, frames)) {
        std::vector<std::int32_t> sizes;
        std::vector<std::int32_t> corners;
        const auto n = static_cast<std::int32_t>(side);
        for (std::int32_t r = 0; r + 1 < n; ++r)
            for (std::int32_t c = 0; c + 1 < n; ++c) {
                sizes.push_back(4);
                corners.insert(corners.end(), {r * n + c, r * n + c + 1, r * n + n + c + 1, r * n + n + c});
            }
        topology_ = *Topology::make(std::move(sizes), std::move(corners));
    }
    [[nodiscard]] const Sampling& sampling() const override { return sampling_; }
    [[nodiscard]] Result<std::size_t> pointCount(std::size_t) const override { return side_ * side_; }
    [[nodiscard]] Status readRange(std::size_t s, std::size_t first, std::span<Vec3f> into) const override {
        for (std::size_t i = 0; i < into.size(); ++i) {
            const auto x = static_cast<float>((first + i) % side_) * 0.01F;
            const auto z = static_cast<float>((first + i) / side_) * 0.01F;
            into[i] = {x, 0.2F * std::sin(x * 3.0F + static_cast<float>(s) * 0.2F), z};
        }
        return {};
    }
    [[nodiscard]] Result<TopologyPtr> topology(std::size_t) const override { return topology_; }
    [[nodiscard]] bool topologyVaries() const override { return false; }

  private:
    std::size_t side_;
    Sampling sampling_;
    TopologyPtr topology_;
};

Scene sheetScene(std::size_t side, std::size_t frames) {
    Scene scene;
    Node node;
    node.name = "sheet";
    node.path = "/sheet";
    node.kind = NodeKind::Mesh;
    node.geometry = std::make_shared<WavingSheet>(side, frames);
    scene.nodes.push_back(std::move(node));
    return scene;
}

// Many small moving meshes below one group.
Scene manyObjects(std::size_t count) {
    Scene scene;
    scene.nodes.push_back({"all", "/all", -1, NodeKind::Transform, MemoryTransform::fixed({}), nullptr, {}, {}});
    const auto sheet = std::make_shared<WavingSheet>(4, 4);
    for (std::size_t i = 0; i < count; ++i) {
        Node node;
        node.name = fmt::format("piece_{}", i);
        node.path = "/all/" + node.name;
        node.parent = 0;
        node.kind = NodeKind::Mesh;
        node.geometry = sheet;
        scene.nodes.push_back(std::move(node));
    }
    return scene;
}

int report(const Error& error) {
    fmt::print(stderr, "{}\n", error.text());
    return 2;
}

int write(const Scene& scene, const fs::path& path) {
    const auto written = formatOfName(path)->write(scene, path, {}, Progress());
    return written ? 0 : report(written.error());
}

// OBJ sequence, 50 frames of 100,000 points, parsed, against `wc -l` on the files.
int b4(const fs::path& folder) {
    const fs::path pattern = folder / "sheet.####.obj";
    if (!fs::exists(folder / "sheet.1001.obj"))
        if (const int code = write(sheetScene(316, 50), pattern))
            return code;
    std::vector<fs::path> files;
    for (const auto& entry : fs::directory_iterator(folder))
        if (entry.path().extension() == ".obj")
            files.push_back(entry.path());
    const double ours = median(5, [&] {
        const auto status = parallelFor(files.size(), Progress(), [&](std::size_t i) -> Status {
            WYC_TRY(text, obj::readObjFile(files[i]));
            return text.points.size() == 316U * 316U ? Status() : Status(fail(ErrorKind::Internal, "points"));
        });
        if (!status)
            report(status.error());
    });
    const std::string command = fmt::format("wc -l '{}'/*.obj > /dev/null", folder.string());
    const double theirs = median(5, [&] {
        if (std::system(command.c_str()) != 0)
            fmt::print(stderr, "wc failed\n");
    });
    fmt::print("B4  parse {} OBJ files {:.3f} s, wc -l {:.3f} s: {:.2f} x (mark 3 x)\n", files.size(), ours, theirs,
               ours / theirs);
    return 0;
}

// One frame of a million points from an opened archive into a caller's buffer, against memcpy of it.
int b5(const fs::path& folder) {
    const fs::path path = folder / "million.abc";
    if (!fs::exists(path))
        if (const int code = write(sheetScene(1000, 8), path))
            return code;
    OpenRequest request;
    request.path = path;
    const auto scene = formatOfName(path)->open(request);
    if (!scene)
        return report(scene.error());
    const Geometry& geometry = *scene->nodes[0].geometry;
    std::vector<Vec3f> buffer(1'000'000);
    std::vector<Vec3f> from(1'000'000, Vec3f{1, 2, 3});
    std::size_t frame = 0;
    const double ours = median(41, [&] {
        if (const auto status = geometry.readPoints(frame++ % 8, buffer); !status)
            report(status.error());
    });
    const double theirs = median(41, [&] { std::memcpy(buffer.data(), from.data(), buffer.size() * sizeof(Vec3f)); });
    fmt::print("B5  one frame of 1,000,000 points {:.3f} ms, memcpy {:.3f} ms: {:.2f} x (mark 2 x)\n", ours * 1e3,
               theirs * 1e3, ours / theirs);
    return 0;
}

Result<Scene> opened(const fs::path& path) {
    OpenRequest request;
    request.path = path;
    return formatOfName(path)->read(std::move(request));
}

// Layered scenes that bench/layers.py made: how long opening takes, and how fast a frame of the binary comes.
int b13(const fs::path& folder) {
    for (const auto& [name, what, mark] : {std::tuple{"points.usdc", "a binary layer of 200,000 points", 0.05},
                                           {"prims.usda", "10,000 prims", 1.0},
                                           {"instances.usdc", "a million instances", 2.0}}) {
        bool good = true;
        const double seconds = median(5, [&] { good = opened(folder / name).has_value() && good; });
        fmt::print("B13 {} open{}: {:.4f} s (mark {} s)\n", what, good ? "" : " (an error)", seconds, mark);
    }
    const auto scene = opened(folder / "points.usdc");
    if (!scene)
        return report(scene.error());
    const Geometry& geometry = *scene->nodes[0].geometry;
    const std::size_t count = *geometry.pointCount(0);
    std::vector<Vec3f> buffer(count);
    std::vector<Vec3f> from(count, Vec3f{1, 2, 3});
    std::size_t frame = 0;
    const double ours = median(41, [&] {
        if (const auto status = geometry.readPoints(frame++ % 8, buffer); !status)
            report(status.error());
    });
    const double theirs = median(41, [&] { std::memcpy(buffer.data(), from.data(), buffer.size() * sizeof(Vec3f)); });
    fmt::print("B13 one frame of {} points of a binary layer {:.3f} ms, memcpy {:.3f} ms: {:.2f} x (B5's mark 2 x)\n",
               count, ours * 1e3, theirs * 1e3, ours / theirs);
    return 0;
}

// Bytes a second of a text layer, opened and every frame read, against those of the OBJ reader with the same points.
int b14(const fs::path& folder) {
    const fs::path path = folder / "points.usda";
    std::error_code code;
    const auto bytes = static_cast<double>(fs::file_size(path, code));
    std::vector<Vec3f> points;
    const double ours = median(3, [&] {
        const auto scene = opened(path);
        if (!scene)
            return;
        const Geometry& geometry = *scene->nodes[0].geometry;
        for (std::size_t i = 0; i < geometry.sampling().count(); ++i)
            if (const auto status = readPoints(geometry, i, points); !status)
                report(status.error());
    });
    std::string text;
    for (const Vec3f& p : points)
        text += fmt::format("v {:.7g} {:.7g} {:.7g}\n", p.x, p.y, p.z);
    const double theirs = median(9, [&] { (void)obj::parseObj(text, "bench"); });
    const double rate = bytes / ours / 1e6;
    const double objRate = static_cast<double>(text.size()) / theirs / 1e6;
    fmt::print("B14 text layer {:.0f} MB/s, points of an OBJ {:.0f} MB/s: {:.2f} x (mark 0.5 x)\n", rate, objRate,
               rate / objRate);
    return 0;
}

// Proof of a delivery against reading both sides once.
int b8(const fs::path& folder) {
    const fs::path source = folder / "proof.mdd";
    const fs::path target = folder / "proof.abc";
    const Scene made = sheetScene(316, 240);
    if (!fs::exists(source))
        if (const int code = write(made, source))
            return code;
    OpenRequest request;
    request.path = source;
    request.rest = std::make_shared<const Node>(made.nodes[0]);
    const auto meant = formatOfName(source)->read(request);
    if (!meant)
        return report(meant.error());
    if (!fs::exists(target))
        if (const int code = write(*meant, target))
            return code;
    PlannedOutput output;
    output.format = *chosenAs(*formatById("alembic"));
    auto intention = intentionOf(std::make_shared<const Scene>(*meant), {}); // so that both questions are asked
    if (!intention)
        return report(intention.error());
    output.intentions.push_back(std::move(*intention));
    const double proof = median(5, [&] {
        const auto result = proveAgainst(*meant, output, target, Progress());
        if (!result || !result->passed)
            fmt::print(stderr, "the proof does not pass\n");
    });
    OpenRequest back;
    back.path = target;
    const auto written = formatOfName(target)->open(back);
    const double reading = median(5, [&] {
        for (const Scene* side : {&*meant, &*written}) {
            const Geometry& geometry = *side->nodes[0].geometry;
            const auto status = parallelFor(30, Progress(), [&](std::size_t block) -> Status {
                std::vector<Vec3f> points;
                for (std::size_t i = block * 8; i < block * 8 + 8; ++i)
                    WYC_CHECK(readPoints(geometry, i, points));
                return {};
            });
            if (!status)
                report(status.error());
        }
    });
    fmt::print("B8  proof {:.3f} s, reading both sides once {:.3f} s: {:.2f} x (mark 1.5 x)\n", proof, reading,
               proof / reading);
    return 0;
}

// First frame's points of a cache with 10,000 frames against one with 100: opened and read, without the screen.
int b1(const fs::path& folder) {
    const auto firstFrame = [&](const fs::path& path) {
        return median(9, [&] {
            OpenRequest request;
            request.path = path;
            const auto scene = formatOfName(path)->open(request);
            std::vector<Vec3f> points;
            if (!scene || !readPoints(*scene->nodes[0].geometry, 0, points))
                std::abort();
        });
    };
    for (const auto& [name, frames] : {std::pair{"b1_100.abc", 100}, std::pair{"b1_10000.abc", 10000}})
        if (!fs::exists(folder / name))
            if (const int failed = write(sheetScene(50, static_cast<std::size_t>(frames)), folder / name))
                return failed;
    const double few = firstFrame(folder / "b1_100.abc");
    const double many = firstFrame(folder / "b1_10000.abc");
    fmt::print("B1  first frame of 10,000 frames {:.3f} ms, of 100 frames {:.3f} ms: {:.2f} x (mark 1.5 x)\n",
               many * 1e3, few * 1e3, many / few);
    return 0;
}

// Opening an archive of 10,000 objects against one of 10.
int objects(const fs::path& folder) {
    const auto opening = [&](std::size_t count) {
        const fs::path path = folder / fmt::format("objects_{}.abc", count);
        if (!fs::exists(path) && write(manyObjects(count), path))
            std::abort();
        return median(5, [&] {
            OpenRequest request;
            request.path = path;
            if (!formatOfName(path)->open(request))
                std::abort();
        });
    };
    const double few = opening(10);
    const double many = opening(10000);
    fmt::print("--  opening 10,000 objects {:.1f} ms, 10 objects {:.2f} ms: {:.4f} ms an object (mark: 300 ms)\n",
               many * 1e3, few * 1e3, many * 1e3 / 10000);
    return 0;
}

} // namespace

// The seam map of 600 frames × 100,000 points against reading them once and one product of that size; and how long the
// first look takes, how long a cancel is waited for, how much memory it takes.
int b6(const fs::path& folder) {
    constexpr std::size_t kSide = 316;
    constexpr std::size_t kFrames = 600;
    const fs::path file = folder / "b6.mdd";
    if (!fs::exists(file) && write(sheetScene(kSide, kFrames), file) != 0)
        return 2;
    OpenRequest request;
    request.path = file;
    const auto scene = formatOfName(file)->open(request);
    if (!scene)
        return 2;
    const Geometry& shape = *scene->nodes[0].geometry;
    std::vector<Vec3f> points(kSide * kSide);
    const double reading = median(3, [&] {
        for (std::size_t f = 0; f < kFrames; ++f)
            (void)shape.readPoints(f, points);
    });
    const auto rows = static_cast<Eigen::Index>(3 * points.size());
    Eigen::MatrixXf motion = Eigen::MatrixXf::Random(rows, kFrames);
    const double product = median(3, [&] {
        Eigen::MatrixXf result = motion.transpose() * motion;
        if (result(0, 0) < 0.0F)
            fmt::print("never\n");
    });
    motion.resize(0, 0);
    const std::vector<MovingItem> items{{&*scene, 0, 1.0}};
    const double exact = median(3, [&] { (void)seamMapOf(items, {}, Progress()); });
    SeamMapSettings sketch;
    sketch.sketchPoints = 2048;
    const double first = median(3, [&] { (void)seamMapOf(items, sketch, Progress()); });
    fmt::print(
        "B6  seam map, {} frames x {} points: {:.2f} s, reading {:.2f} s + one product {:.2f} s: {:.2f} x (mark 2 x); "
        "a first look {:.3f} s ({:.3f} of the exact one, mark 0.1)\n",
        kFrames, points.size(), exact, reading, product, exact / (reading + product), first, first / exact);
    auto token = std::make_shared<CancelToken>();
    std::thread canceller([&] {
        std::this_thread::sleep_for(std::chrono::milliseconds(400));
        token->cancel();
    });
    const double cancelled = secondsOf([&] { (void)seamMapOf(items, {}, Progress({}, token)); });
    canceller.join();
    fmt::print("B6  cancelled after 0.4 s, it had ended {:.2f} s later (mark 0.2 s)\n", cancelled - 0.4);
    return 0;
}

// The order map by faces alone of shuffled meshes of 10,000 to a million points, against building the corner tables of
// both.
int b7() {
    double before = 0.0;
    for (const int side : {100, 316, 1000}) {
        // Some quads are parted, so that no turn lays it over itself.
        std::vector<std::int32_t> sizes;
        std::vector<std::int32_t> corners;
        std::mt19937 random(7);
        const auto at = [&](int r, int c) { return r * side + c; };
        for (int r = 0; r + 1 < side; ++r)
            for (int c = 0; c + 1 < side; ++c) {
                const std::array<std::int32_t, 4> quad{at(r, c), at(r + 1, c), at(r + 1, c + 1), at(r, c + 1)};
                if (random() % 7 == 0) {
                    sizes.insert(sizes.end(), {3, 3});
                    corners.insert(corners.end(), {quad[0], quad[1], quad[2], quad[0], quad[2], quad[3]});
                } else {
                    sizes.push_back(4);
                    corners.insert(corners.end(), quad.begin(), quad.end());
                }
            }
        const auto points = static_cast<std::size_t>(side) * static_cast<std::size_t>(side);
        std::vector<std::int32_t> to(points);
        std::iota(to.begin(), to.end(), 0);
        std::shuffle(to.begin(), to.end(), random);
        std::vector<std::size_t> starts{0};
        for (const std::int32_t size : sizes)
            starts.push_back(starts.back() + static_cast<std::size_t>(size));
        std::vector<std::size_t> faces(sizes.size());
        std::iota(faces.begin(), faces.end(), std::size_t{0});
        std::shuffle(faces.begin(), faces.end(), random);
        std::vector<std::int32_t> otherSizes;
        std::vector<std::int32_t> otherCorners;
        for (const std::size_t f : faces) {
            otherSizes.push_back(sizes[f]);
            for (std::size_t k = starts[f]; k < starts[f + 1]; ++k)
                otherCorners.push_back(to[static_cast<std::size_t>(corners[k])]);
        }
        const TopologyPtr a = *Topology::make(sizes, corners);
        const TopologyPtr b = *Topology::make(otherSizes, otherCorners);
        const double tables = median(3, [&] {
            (void)MeshGraph::of(*a, points);
            (void)MeshGraph::of(*b, points);
        });
        std::size_t right = 0;
        const double order = median(3, [&] {
            const auto map = orderByFaces(*a, points, *b, points, Progress());
            right = 0;
            for (std::size_t p = 0; map && p < points; ++p)
                right += map->aOfB[static_cast<std::size_t>(to[p])] == p;
        });
        fmt::print(
            "B7  {} points shuffled: order {:.3f} s ({} right), tables of both {:.3f} s: {:.2f} x (mark 3 x){}\n",
            points, order, right, tables, order / tables,
            before > 0.0 ? fmt::format("; ten times the points take {:.1f} x", order / before) : "");
        before = order;
    }
    return 0;
}

// Two archives of 200,000 points × 120 frames, one of them a hundred times as large and a frame late; then one whose
// last frames have a motion of their own.
int b11(const fs::path& folder) {
    const auto opened = [&](const char* name) -> Result<Scene> {
        OpenRequest request;
        request.path = folder / name;
        return formatOfName(request.path)->open(request);
    };
    const Scene plain = sheetScene(447, 120);
    const auto late = applySteps(plain, {Step{"scale", {{"factor", 100}}}, Step{"offset", {{"frames", 1}}}});
    const auto faster = applySteps(plain, {Step{"retime", {{"curve", "1001=1001, 1100=1100, 1120=1115"}}}});
    if (!late || !faster)
        return report(late ? faster.error() : late.error());
    if (write(plain, folder / "b11_a.abc") || write(*late, folder / "b11_late.abc") ||
        write(*faster, folder / "b11_faster.abc"))
        return 2;
    for (const char* other : {"b11_late.abc", "b11_faster.abc"}) {
        const auto a = opened("b11_a.abc");
        const auto b = opened(other);
        if (!a || !b)
            return report(a ? b.error() : a.error());
        const double reading = median(3, [&] {
            for (const Scene* scene : {&*a, &*b})
                for (const Node& node : scene->nodes)
                    for (std::size_t s = 0; node.geometry && s < node.geometry->sampling().count(); ++s) {
                        std::vector<Vec3f> points;
                        (void)readPoints(*node.geometry, s, points);
                    }
        });
        std::string told;
        const double comparing = median(3, [&] {
            const auto found = compare(*a, *b, {}, Progress());
            told = found ? found->text() : found.error().text();
        });
        rusage use{};
        getrusage(RUSAGE_SELF, &use);
        fmt::print("B11 comparison, 200,000 points x 120 frames: {:.2f} s, reading both {:.2f} s: {:.2f} x (mark 6 x); "
                   "peak {} MB (mark 300 MB): {}\n",
                   comparing, reading, comparing / reading, use.ru_maxrss / 1024, told);
    }
    return 0;
}

int main(int argc, char** argv) {
    if (argc < 3)
        return 2;
    const std::string which = argv[1];
    const fs::path folder = argv[2];
    fs::create_directories(folder);
    if (which == "b4")
        return fs::create_directories(folder / "b4"), b4(folder / "b4");
    if (which == "b5")
        return b5(folder);
    if (which == "b11")
        return b11(folder);
    if (which == "b13")
        return b13(folder);
    if (which == "b14")
        return b14(folder);
    if (which == "b6")
        return b6(folder);
    if (which == "b7")
        return b7();
    if (which == "b8")
        return b8(folder);
    if (which == "b1")
        return b1(folder);
    if (which == "objects")
        return objects(folder);
    if (which == "make-large") // 4 GB of points, no sample like another
        return write(sheetScene(447, 1700), folder / "large.abc");
    if (which == "make-b2") { // 200,000 points × 240 frames, and its mesh beside it
        const Scene scene = sheetScene(447, 240);
        return write(scene, folder / "b2.mdd") || write(scene, folder / "b2_rest.obj");
    }
    return 2;
}
