// SPDX-License-Identifier: GPL-3.0-or-later
#include "demo/lantern_shoal.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <limits>

#include <numeric>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "demo/shapes.h"
#include "formats/format.h"
#include "formats/usd/layer/layer_write.h"
#include "job/job.h"

namespace wyc::demo {
namespace {

using nlohmann::json;

constexpr double kRestSeconds = 41.0; // a pose a little before the shot: near the motion, equal to no frame
constexpr double kJellyDetail = 1.0;

using ShapeAt = std::function<Shape(double seconds)>;

// A deforming item over frames: pose(frame) gives the shape's time in frames, so that a planted fault is one
// line.
Scene cacheScene(const std::string& name, const ShapeAt& shapeAt, FrameRange frames, const FrameRate& rate,
                 const std::function<double(double)>& pose) {
    const auto count = static_cast<std::size_t>(std::lround(frames.count()));
    std::vector<std::vector<Vec3f>> samples(count);
    Shape first;
    for (std::size_t i = 0; i < count; ++i) {
        Shape shape = shapeAt(rate.secondsAt(pose(frames.first + static_cast<double>(i))));
        samples[i] = std::move(shape.points);
        if (i == 0)
            first = std::move(shape);
    }
    Scene scene;
    scene.view.rate = rate;
    Node node;
    node.name = name;
    node.path = "/" + name;
    node.kind = NodeKind::Mesh;
    node.geometry =
        std::make_shared<MemoryGeometry>(Sampling::uniform(rate.secondsAt(frames.first), rate.secondsAt(1.0), count),
                                         first.topology(), std::move(samples));
    scene.nodes.push_back(std::move(node));
    return scene;
}

Scene stillScene(const std::string& name, Shape shape) {
    Scene scene;
    Node node;
    node.name = name;
    node.path = "/" + name;
    node.kind = NodeKind::Mesh;
    const TopologyPtr topology = shape.topology();
    std::vector<std::vector<Vec3f>> samples;
    samples.push_back(std::move(shape.points));
    node.geometry = std::make_shared<MemoryGeometry>(Sampling::still(), topology, std::move(samples));
    scene.nodes.push_back(std::move(node));
    return scene;
}

class DemoWriter {
  public:
    DemoWriter(fs::path folder, const Progress& progress) : folder_(std::move(folder)), progress_(progress) {}

    Status write(const Scene& scene, const std::string& relative) {
        WYC_CHECK(progress_.poll());
        const fs::path target = folder_ / relative;
        std::error_code code;
        fs::create_directories(target.parent_path(), code);
        const Format* format = formatOfName(target);
        WriteOptions options;
        options.rate = scene.view.rate;
        options.application = "Wychronos demo generator";
        options.description = "Lantern Shoal, sh040";
        WYC_TRY(files, format->write(scene, target, options, Progress()));
        files_.insert(files_.end(), files.begin(), files.end());
        progress_.report(std::min(1.0, ++written_ / 34.0), "making", relative);
        return {};
    }
    Status writeText(const std::string& text, const std::string& relative) {
        std::error_code code;
        fs::create_directories((folder_ / relative).parent_path(), code);
        files_.push_back(folder_ / relative);
        return writeTextFile(folder_ / relative, text, AtomicFile::Replace::No);
    }
    // The text is read, and written as binary in its place.
    Status writeBinaryLayer(const std::string& text, const std::string& relative) {
        WYC_CHECK(writeText(text, relative));
        WYC_TRY(bytes, usd::Bytes::ofFile(folder_ / relative));
        WYC_TRY(layer, usd::openLayer(bytes));
        WYC_TRY(file, AtomicFile::create(folder_ / relative));
        WYC_CHECK(usd::writeLayer(*layer, usd::Encoding::Binary, *file, {}));
        return file->commit(AtomicFile::Replace::Yes);
    }
    void fault(const std::string& file, const std::string& item, const std::string& id, std::optional<double> frame,
               const std::string& what) {
        faults_.push_back({{"file", file},
                           {"item", item},
                           {"id", id},
                           {"frame", frame ? json(*frame) : json(nullptr)},
                           {"what", what}});
    }
    void clean(const std::string& file) { clean_.push_back(file); }
    void cycle(const std::string& file, const std::string& id, const std::string& what) {
        cycles_.push_back({{"file", file}, {"id", id.empty() ? json(nullptr) : json(id)}, {"what", what}});
    }
    /// What `wyc compare A B --explain` has to say of B: ids of causes, with a figure where one is promised.
    void returned(const std::string& a, const std::string& b, std::vector<std::pair<std::string, double>> causes) {
        json list = json::array();
        for (const auto& [id, figure] : causes)
            list.push_back({{"id", id}, {"figure", figure}});
        compared_.push_back({{"a", a}, {"b", b}, {"causes", list}});
    }
    Status finish() {
        return writeText(json{{"shot",
                               {{"name", demoShot().name},
                                {"range", "1009:1128"},
                                {"handles", 8},
                                {"rate", "24"},
                                {"unit", "m"},
                                {"up", "Y"}}},
                              {"faults", faults_},
                              {"clean", clean_},
                              {"cycles", cycles_},
                              {"compared", compared_}}
                                 .dump(1) +
                             "\n",
                         "faults.json");
    }
    [[nodiscard]] const fs::path& folder() const { return folder_; }
    [[nodiscard]] std::vector<fs::path> take() { return std::move(files_); }

  private:
    fs::path folder_;
    const Progress& progress_;
    std::vector<fs::path> files_;
    json faults_ = json::array();
    json compared_ = json::array();
    json clean_ = json::array();
    json cycles_ = json::array();
    double written_ = 0.0;
};

// Points and faces that change.
class RecutGeometry final : public Geometry {
  public:
    RecutGeometry(Sampling sampling, std::vector<std::vector<Vec3f>> points, std::vector<TopologyPtr> faces)
        : points_(std::move(sampling), std::move(points)), faces_(std::move(faces)) {}
    [[nodiscard]] const Sampling& sampling() const override { return points_.sampling(); }
    [[nodiscard]] Result<std::size_t> pointCount(std::size_t s) const override { return points_.pointCount(s); }
    [[nodiscard]] Status readRange(std::size_t s, std::size_t first, std::span<Vec3f> into) const override {
        return points_.readRange(s, first, into);
    }
    [[nodiscard]] Result<TopologyPtr> topology(std::size_t s) const override { return faces_.at(s); }
    [[nodiscard]] bool topologyVaries() const override { return true; }

  private:
    VaryingPoints points_;
    std::vector<TopologyPtr> faces_;
};

double asIs(double frame) {
    return frame;
}

Status writeClean(DemoWriter& out) {
    const FrameRange range = *demoShot().rangeWithHandles();
    const FrameRate rate;
    const ShapeAt jelly = [](double seconds) { return lanternJelly(seconds, kJellyDetail); };
    WYC_CHECK(out.write(stillScene("lantern_jelly_rest", lanternJelly(kRestSeconds, kJellyDetail)),
                        "clean/lantern_jelly_rest.obj"));
    const Scene jellyScene = cacheScene("lantern_jelly", jelly, range, rate, asIs);
    WYC_CHECK(out.write(jellyScene, "clean/lantern_jelly.mdd"));
    WYC_CHECK(out.write(jellyScene, "clean/lantern_jelly_poses/lantern_jelly.####.obj"));
    WYC_CHECK(out.write(stillScene("kelp_frond_rest", kelpFrond(kRestSeconds)), "clean/kelp_frond_rest.obj"));
    WYC_CHECK(out.write(cacheScene("kelp_frond", kelpFrond, range, rate, asIs), "clean/kelp_frond.mdd"));
    WYC_CHECK(out.write(stillScene("seabed", seabed(174)), "clean/seabed.obj"));
    for (const auto& [file, text] : shoalLayers())
        WYC_CHECK(file.ends_with(".usdc") ? out.writeBinaryLayer(text, file) : out.writeText(text, file));
    WYC_CHECK(out.write(surveySub(), "clean/survey_sub.abc"));
    WYC_CHECK(out.write(lanternShoal(), "clean/lantern_shoal.abc"));
    for (const char* file : {"clean/lantern_jelly.mdd", "clean/lantern_jelly_poses", "clean/kelp_frond.mdd",
                             "clean/seabed.obj", "clean/survey_sub.abc", "clean/lantern_shoal.abc"})
        out.clean(file);
    return {};
}

// Faults that only scene archives can have.
Status writeArchiveReturns(DemoWriter& out) {
    const FrameRange range = *demoShot().rangeWithHandles();
    const FrameRate twentyFive = *FrameRate::make(25, 1);
    Scene camera;
    camera.rate = camera.view.rate = twentyFive;
    camera.unitMetres = 1.0;
    camera.upAxis = UpAxis::Y;
    addBoomCamera(camera, range, twentyFive);
    WYC_CHECK(out.write(camera, "returns/boom_cam_25fps.abc"));
    out.fault("returns/boom_cam_25fps.abc", "/dolly/boom_cam", "rate.differs", {}, "a camera at 25 frames a second");

    // Three frames lost on the way: the samples' times have a gap.
    const Scene whole = cacheScene("kelp_frond_gap", kelpFrond, range, FrameRate(), asIs);
    WYC_TRY(gap, applySteps(whole, {{"drop", {{"frames", "1040:1042"}}, true}}));
    WYC_CHECK(out.write(gap, "returns/kelp_frond_gap.abc"));
    out.fault("returns/kelp_frond_gap.abc", "/kelp_frond_gap", "frames.missing", 1040,
              "frames 1040 to 1042 are missing");
    out.returned("clean/kelp_frond.mdd", "returns/kelp_frond_gap.abc", {{"missing", 3}});

    // Half way the mesh was cut in two places and lost points.
    const auto count = static_cast<std::size_t>(range.count());
    std::vector<std::vector<Vec3f>> points;
    std::vector<TopologyPtr> faces;
    for (std::size_t i = 0; i < count; ++i) {
        Shape shape = kelpFrond(FrameRate().secondsAt(range.first + static_cast<double>(i)));
        if (range.first + static_cast<double>(i) >= 1066.0) {
            shape.faceSizes.resize(shape.faceSizes.size() - 8);
            shape.corners.resize(shape.corners.size() - 32);
            shape.points.resize(
                static_cast<std::size_t>(*std::max_element(shape.corners.begin(), shape.corners.end()) + 1));
        }
        faces.push_back(i > 0 && faces.back()->faceCount() == shape.faceSizes.size() ? faces.back() : shape.topology());
        points.push_back(std::move(shape.points));
    }
    Scene cut = whole;
    cut.nodes[0].name = "kelp_frond_recut";
    cut.nodes[0].path = "/kelp_frond_recut";
    cut.nodes[0].geometry =
        std::make_shared<RecutGeometry>(whole.nodes[0].geometry->sampling(), std::move(points), std::move(faces));
    WYC_CHECK(out.write(cut, "returns/kelp_frond_recut.abc"));
    out.fault("returns/kelp_frond_recut.abc", "/kelp_frond_recut", "points.count_changes", 1066,
              "from frame 1066 on it has fewer points");
    return {};
}

// The jelly with its points in another order and split where faces were parted, and without one of its ribbons: what
// only a comparison can tell.
Status writeReordered(DemoWriter& out) {
    const FrameRange range = *demoShot().rangeWithHandles();
    const Shape rest = lanternJelly(kRestSeconds, kJellyDetail);
    // Every fiftieth face has points of its own.
    std::vector<std::uint32_t> from(rest.points.size());
    std::iota(from.begin(), from.end(), 0U);
    std::vector<std::int32_t> corners = rest.corners;
    std::size_t corner = 0;
    for (std::size_t f = 0; f < rest.faceSizes.size(); ++f) {
        const auto size = static_cast<std::size_t>(rest.faceSizes[f]);
        for (std::size_t k = corner; f % 50 == 0 && k < corner + size; ++k) {
            from.push_back(static_cast<std::uint32_t>(corners[k]));
            corners[k] = static_cast<std::int32_t>(from.size()) - 1;
        }
        corner += size;
    }
    const std::size_t split = from.size() - rest.points.size();
    std::vector<std::uint32_t> to(from.size());
    std::iota(to.begin(), to.end(), 0U);
    std::uint64_t state = 2026;
    for (std::size_t i = to.size() - 1; i > 0; --i) {
        state = state * 6364136223846793005U + 1442695040888963407U;
        std::swap(to[i], to[(state >> 33) % (i + 1)]);
    }
    const ShapeAt shuffled = [&](double seconds) {
        const Shape shape = lanternJelly(seconds, kJellyDetail);
        Shape made;
        made.points.resize(from.size());
        for (std::size_t i = 0; i < from.size(); ++i)
            made.points[to[i]] = shape.points[from[i]];
        made.faceSizes = shape.faceSizes;
        for (const std::int32_t p : corners)
            made.corners.push_back(static_cast<std::int32_t>(to[static_cast<std::size_t>(p)]));
        return made;
    };
    WYC_CHECK(out.write(cacheScene("lantern_jelly_shuffled", shuffled, range, FrameRate(), asIs),
                        "returns/lantern_jelly_shuffled.abc"));
    out.returned("clean/lantern_jelly.mdd", "returns/lantern_jelly_shuffled.abc",
                 {{"split", static_cast<double>(split)}, {"order", static_cast<double>(from.size())}});

    const std::vector<std::uint32_t> pieceOf = piecesOfPoints(*rest.topology(), rest.points.size());
    const std::uint32_t lost = pieceOf.back();
    const ShapeAt part = [&](double seconds) {
        const Shape shape = lanternJelly(seconds, kJellyDetail);
        Shape made;
        std::vector<std::int32_t> now(shape.points.size(), -1);
        for (std::size_t p = 0; p < shape.points.size(); ++p)
            if (pieceOf[p] != lost) {
                now[p] = static_cast<std::int32_t>(made.points.size());
                made.points.push_back(shape.points[p]);
            }
        std::size_t at = 0;
        for (const std::int32_t size : shape.faceSizes) {
            if (now[static_cast<std::size_t>(shape.corners[at])] >= 0) {
                made.faceSizes.push_back(size);
                for (std::int32_t k = 0; k < size; ++k)
                    made.corners.push_back(
                        now[static_cast<std::size_t>(shape.corners[at + static_cast<std::size_t>(k)])]);
            }
            at += static_cast<std::size_t>(size);
        }
        return made;
    };
    WYC_CHECK(
        out.write(cacheScene("lantern_jelly_part", part, range, FrameRate(), asIs), "returns/lantern_jelly_part.abc"));
    out.returned("clean/lantern_jelly.mdd", "returns/lantern_jelly_part.abc", {{"missing_pieces", 1}});
    return {};
}

Status writeReturns(DemoWriter& out) {
    const FrameRange range = *demoShot().rangeWithHandles();
    const FrameRate rate;
    // What went out stands beside what came back.
    WYC_CHECK(out.write(stillScene("lantern_jelly_rest", lanternJelly(kRestSeconds, kJellyDetail)),
                        "returns/lantern_jelly_rest.obj"));
    WYC_CHECK(out.write(stillScene("kelp_frond_rest", kelpFrond(kRestSeconds)), "returns/kelp_frond_rest.obj"));

    // The jelly: centimetres, Z up, everything one frame late, the first frame holding the last pose.
    const ShapeAt centimetres = [](double seconds) {
        Shape shape = lanternJelly(seconds, kJellyDetail);
        for (Vec3f& p : shape.points)
            p = {p.x * 100.0F, -p.z * 100.0F, p.y * 100.0F};
        return shape;
    };
    WYC_CHECK(out.write(cacheScene("lantern_jelly_back", centimetres, {range.first, range.last + 1}, rate,
                                   [&](double frame) { return frame == range.first ? range.last : frame - 1.0; }),
                        "returns/lantern_jelly_back.mdd"));
    const std::string back = "returns/lantern_jelly_back.mdd";
    out.fault(back, "/lantern_jelly_back", "size.ratio", {}, "100 times too large: centimetres read as metres");
    out.fault(back, "/lantern_jelly_back", "axis.turned", {}, "Z up: it lies on its side");
    out.fault(back, "/lantern_jelly_back", "range.late", range.first + 1, "one frame late");
    out.fault(back, "/lantern_jelly_back", "frames.first_stale", range.first, "the first frame holds the last pose");
    out.returned("clean/lantern_jelly.mdd", back, {{"first_stale", 1}, {"offset", 1}, {"unit", 100}, {"axis", 90}});
    WYC_CHECK(writeReordered(out));

    const auto frond = [&](const std::string& name, FrameRange frames, const FrameRate& itsRate,
                           const std::function<double(double)>& pose) {
        return cacheScene(name, kelpFrond, frames, itsRate, pose);
    };
    // A numbered sequence with a missing, a doubled and a held frame.
    WYC_CHECK(
        out.write(frond("kelp_frond_pose", range, rate, [](double frame) { return frame == 1088.0 ? 1087.0 : frame; }),
                  "returns/kelp_frond_poses/kelp_frond_pose.####.obj"));
    const std::string poses = "returns/kelp_frond_poses";
    std::error_code code;
    fs::remove(out.folder() / poses / "kelp_frond_pose.1051.obj", code);
    fs::copy_file(out.folder() / poses / "kelp_frond_pose.1070.obj", out.folder() / poses / "kelp_frond_pose.01070.obj",
                  code);
    out.fault(poses, "/kelp_frond_pose", "frames.missing", 1051, "frame 1051 is missing");
    out.fault(poses, "/kelp_frond_pose", "frames.doubled", 1070, "frame 1070 exists twice, padded in two ways");
    out.fault(poses, "/kelp_frond_pose", "frames.mixed_padding", {}, "two paddings");
    out.fault(poses, "/kelp_frond_pose", "frames.held", 1088, "frame 1088 repeats 1087");
    out.returned("clean/kelp_frond.mdd", poses, {{"held", 1}, {"missing", 1}});

    WYC_CHECK(out.write(frond("kelp_frond_still", range, rate, [](double) { return 1009.0; }),
                        "returns/kelp_frond_still.mdd"));
    out.fault("returns/kelp_frond_still.mdd", "/kelp_frond_still", "motion.static", {},
              "136 samples, and nothing moves");
    out.returned("clean/kelp_frond.mdd", "returns/kelp_frond_still.mdd", {{"static", 0}});

    {
        const ShapeAt holed = [](double seconds) {
            Shape shape = kelpFrond(seconds);
            if (std::abs(seconds * 24.0 - 1060.0) < 0.01)
                shape.points[211].y = std::numeric_limits<float>::quiet_NaN();
            return shape;
        };
        WYC_CHECK(out.write(cacheScene("kelp_frond_nan", holed, range, rate, asIs), "returns/kelp_frond_nan.mdd"));
        out.fault("returns/kelp_frond_nan.mdd", "/kelp_frond_nan", "points.not_finite", 1060,
                  "y of point 211 is not a number");
        out.returned("clean/kelp_frond.mdd", "returns/kelp_frond_nan.mdd", {{"not_finite", 1}});
    }
    WYC_CHECK(out.write(
        frond("kelp_frond_zero", {0, range.count() - 1}, rate, [&](double frame) { return frame + range.first; }),
        "returns/kelp_frond_zero.mdd"));
    out.fault("returns/kelp_frond_zero.mdd", "/kelp_frond_zero", "range.begins_at_zero", 0, "begins at frame 0");
    out.returned("clean/kelp_frond.mdd", "returns/kelp_frond_zero.mdd", {{"offset", -range.first}});

    WYC_CHECK(out.write(frond("kelp_frond_cut", {range.first, 1100}, rate, asIs), "returns/kelp_frond_cut.mdd"));
    out.fault("returns/kelp_frond_cut.mdd", "/kelp_frond_cut", "range.short", 1100, "the tail is cut after frame 1100");
    out.returned("clean/kelp_frond.mdd", "returns/kelp_frond_cut.mdd", {{"range", 1100 - range.last}});

    const FrameRate twentyFive = *FrameRate::make(25, 1);
    WYC_CHECK(out.write(frond("kelp_frond_25fps", range, twentyFive, [](double frame) { return frame * 25.0 / 24.0; }),
                        "returns/kelp_frond_25fps.mdd"));
    out.fault("returns/kelp_frond_25fps.mdd", "/kelp_frond_25fps", "rate.differs", {}, "25 frames a second");
    out.returned("clean/kelp_frond.mdd", "returns/kelp_frond_25fps.mdd", {{"rate", 25.0 / 24.0}});

    WYC_CHECK(out.write(
        frond("kelp_frond_jump", range, rate, [](double frame) { return frame >= 1077.0 ? frame + 31.0 : frame; }),
        "returns/kelp_frond_jump.mdd"));
    out.fault("returns/kelp_frond_jump.mdd", "/kelp_frond_jump", "motion.jump", 1077,
              "31 frames are skipped at frame 1077");
    out.returned("clean/kelp_frond.mdd", "returns/kelp_frond_jump.mdd", {{"missing", 31}, {"range", 31}});

    WYC_CHECK(out.write(frond("kelp_frond_long", {range.first, range.last + 64}, rate,
                              [&](double frame) { return std::min(frame, range.last + 64); }),
                        "returns/kelp_frond_long.mdd"));
    out.fault("returns/kelp_frond_long.mdd", "/kelp_frond_long", "range.long", range.last + 1,
              "64 frames beyond the shot");
    out.returned("clean/kelp_frond.mdd", "returns/kelp_frond_long.mdd", {{"range", 64}});

    WYC_CHECK(writeArchiveReturns(out));

    Scene textured = stillScene("seabed_textured", seabed(40));
    textured.materials.push_back(colourMaterial("sand", {{0.62F, 0.55F, 0.41F}, "maps/sand_fine.png", {}}));
    WYC_CHECK(out.write(textured, "returns/seabed_textured.obj"));
    out.fault("returns/seabed_textured.obj", "/seabed_textured", "texture.missing", {},
              "the texture path leads nowhere");
    return {};
}

// A simulation that almost repeats, and cycles made of it: one that closes, and three as people send them.
Status writeLoops(DemoWriter& out) {
    constexpr double kCycleDetail = 0.3;
    const FrameRate thirty = *FrameRate::make(30, 1);
    const FrameRange range{1001, 1220};
    WYC_CHECK(out.write(stillScene("lantern_jelly_sim_rest", lanternJelly(kRestSeconds, kJellyDetail)),
                        "loops/lantern_jelly_sim_rest.obj"));
    WYC_CHECK(
        out.write(cacheScene(
                      "lantern_jelly_sim", [](double s) { return lanternJelly(s, kJellyDetail); }, range, thirty, asIs),
                  "loops/lantern_jelly_sim.mdd"));
    const Scene swing = cacheScene(
        "lantern_jelly", [](double s) { return lanternJelly(s, kCycleDetail); }, range, thirty, asIs);
    const double start = 1060.0;
    const double length = 51.0; // its pulse, in frames
    const auto loop = [&](json options) {
        options["start"] = start;
        if (!options.contains("length"))
            options["length"] = length;
        return Step{"loop", std::move(options), true};
    };
    const Step closed = loop({{"close", "overlap"}, {"fade", 12}});
    const Step copied = loop({{"close", "overlap"}, {"fade", 12}, {"closing_copy", true}});
    // The last frame hardly moves on: what was the closing copy came a little early.
    const Step hesitates{"retime",
                         {{"curve", fmt::format("{0}={0}, {1}={1}, {2}={3}", start, start + length - 1.0,
                                                start + length, start + length - 0.12)}},
                         true};
    const std::vector<std::tuple<const char*, std::vector<Step>, const char*, const char*>> cycles{
        {"loops/jelly_cycle.abc", {closed}, "", "closes"},
        {"loops/jelly_cycle_copy.abc", {copied}, "loop.closing_copy", "the closing copy was left in"},
        {"loops/jelly_cycle_pause.abc", {copied, hesitates}, "loop.pause", "it hesitates before it begins again"},
        {"loops/jelly_cycle_short.abc",
         {loop({{"close", "cut"}, {"length", length - 1.0}})},
         "loop.open",
         "cut one frame early"}};
    for (const auto& [file, steps, id, what] : cycles) {
        WYC_TRY(made, applySteps(swing, steps));
        WYC_CHECK(out.write(made, file));
        out.cycle(file, id, what);
    }
    return {};
}

Status writeJob(DemoWriter& out) {
    Job job;
    job.shot = demoShot();
    const auto add = [&](const std::string& relative) {
        SourceSpec spec;
        spec.path = out.folder() / relative;
        job.sources.push_back({job.freeSourceId(), spec});
    };
    add("clean/lantern_jelly.mdd");
    add("returns/lantern_jelly_back.mdd");
    add("returns/kelp_frond_poses/kelp_frond_pose.#.obj");
    add("clean/kelp_frond.mdd");
    add("clean/seabed.obj");
    add("clean/lantern_shoal.abc");
    DeliverySpec delivery;
    delivery.name = "layout";
    delivery.items = {"lantern_jelly.mdd/*"};
    delivery.folder = out.folder() / "delivered";
    job.deliveries.push_back(delivery);
    return saveJob(job, out.folder() / "lantern_shoal.wyc");
}

} // namespace

Shot demoShot() {
    Shot shot;
    shot.name = "sh040";
    shot.range = FrameRange{1009, 1128};
    shot.handles = 8;
    shot.rate = FrameRate();
    shot.unitMetres = 1.0;
    shot.upAxis = UpAxis::Y;
    return shot;
}

Scene surveySub() {
    Scene scene;
    scene.rate = scene.view.rate = FrameRate();
    scene.unitMetres = 1.0;
    scene.upAxis = UpAxis::Y;
    const FrameRange range = *demoShot().rangeWithHandles();
    const auto count = static_cast<std::size_t>(range.count());
    const Sampling sampling =
        Sampling::uniform(scene.view.rate.secondsAt(range.first), scene.view.rate.secondsAt(1.0), count);
    const auto addTransform = [&](const std::string& name, int parent, std::vector<TransformOp> ops,
                                  const std::function<std::vector<double>(double)>& channels, bool moves) {
        Node node;
        node.name = name;
        node.parent = parent;
        node.path = (parent < 0 ? "" : scene.nodes[static_cast<std::size_t>(parent)].path) + "/" + name;
        node.kind = NodeKind::Transform;
        std::vector<std::vector<double>> samples;
        for (std::size_t i = 0; i < (moves ? count : 1); ++i)
            samples.push_back(channels(scene.view.rate.secondsAt(range.first + static_cast<double>(i))));
        node.transform =
            std::make_shared<MemoryTransform>(moves ? sampling : Sampling::still(), std::move(ops), std::move(samples));
        scene.nodes.push_back(std::move(node));
        return static_cast<int>(scene.nodes.size()) - 1;
    };
    const auto addMesh = [&](const std::string& name, int parent, Shape shape) {
        Node node;
        node.name = name;
        node.parent = parent;
        node.path = scene.nodes[static_cast<std::size_t>(parent)].path + "/" + name;
        node.kind = NodeKind::Mesh;
        const TopologyPtr topology = shape.topology();
        std::vector<std::vector<Vec3f>> samples;
        samples.push_back(std::move(shape.points));
        node.geometry = std::make_shared<MemoryGeometry>(Sampling::still(), topology, std::move(samples));
        scene.nodes.push_back(std::move(node));
    };
    using Kind = TransformOp::Kind;
    const std::vector<TransformOp> placeAndTurn{{Kind::Translate, 0}, {Kind::RotateY, 0}, {Kind::RotateX, 0}};
    const int root = addTransform(
        "survey_sub", -1, placeAndTurn,
        [](double s) {
            return std::vector<double>{-3.2 + 0.55 * (s - 42.0), 1.1 + 0.12 * std::sin(s * 1.1),
                                       -2.4 + 0.3 * std::sin(0.7 * s), 12.0 + 6.0 * std::sin(0.5 * s),
                                       3.0 * std::sin(0.9 * s)};
        },
        true);
    addMesh(
        "hull", root,
        lathe({{-1.30F, 0.16F}, {-1.05F, 0.40F}, {-0.5F, 0.55F}, {0.5F, 0.55F}, {1.0F, 0.42F}, {1.32F, 0.20F}}, 28));
    addMesh("nose", root, lathe({{1.32F, 0.20F}, {1.42F, 0.12F}, {1.46F, 0.02F}}, 28));
    addMesh("tail", root, lathe({{-1.52F, 0.07F}, {-1.40F, 0.12F}, {-1.30F, 0.16F}}, 28));
    addMesh("tower", root, box({-0.25, 0.50, -0.16}, {0.35, 0.88, 0.16}));
    addMesh("fin_left", root, box({-1.28, -0.03, -0.78}, {-0.98, 0.03, -0.35}));
    addMesh("fin_right", root, box({-1.28, -0.03, 0.35}, {-0.98, 0.03, 0.78}));
    addMesh("fin_top", root, box({-1.28, 0.35, -0.03}, {-0.98, 0.72, 0.03}));
    addMesh("skid_left", root, box({-0.7, -0.78, -0.42}, {0.8, -0.70, -0.34}));
    addMesh("skid_right", root, box({-0.7, -0.78, 0.34}, {0.8, -0.70, 0.42}));
    addMesh("lamp", root, lathe({{1.10F, 0.10F}, {1.22F, 0.10F}, {1.30F, 0.06F}}, 14));
    const int shaft = addTransform(
        "propeller_turn", root, {{Kind::Translate, 0}, {Kind::RotateX, 0}},
        [](double s) {
            return std::vector<double>{-1.58, 0.0, 0.0, 411.0 * (s - 41.0)};
        },
        true);
    addMesh("propeller", shaft, propeller(4, 0.42));
    const int shoulder = addTransform(
        "arm_shoulder", root, {{Kind::Translate, 0}, {Kind::RotateZ, 0}},
        [](double s) {
            return std::vector<double>{0.95, -0.42, 0.0, -35.0 + 18.0 * std::sin(1.3 * s)};
        },
        true);
    addMesh("arm_upper", shoulder, box({0.0, -0.05, -0.05}, {0.62, 0.05, 0.05}));
    const int elbow = addTransform(
        "arm_elbow", shoulder, {{Kind::Translate, 0}, {Kind::RotateZ, 0}},
        [](double s) {
            return std::vector<double>{0.62, 0.0, 0.0, 52.0 + 24.0 * std::sin(1.3 * s + 0.8)};
        },
        true);
    addMesh("arm_lower", elbow, box({0.0, -0.04, -0.04}, {0.55, 0.04, 0.04}));
    const int wrist = addTransform(
        "gripper_place", elbow, {{Kind::Translate, 0}},
        [](double) {
            return std::vector<double>{0.55, 0.0, 0.0};
        },
        false);
    addMesh("gripper", wrist, box({0.0, -0.09, -0.09}, {0.16, 0.09, 0.09}));
    return scene;
}

Result<DemoFiles> writeDemo(const fs::path& folder, const Progress& progress) {
    std::error_code code;
    if (fs::exists(folder, code) && !fs::is_empty(folder, code))
        return fail(makeError(ErrorKind::Exists, "the folder is not empty")
                        .inFile(folder.string())
                        .withAdvice("Give a new folder for the demo, so that nothing of yours is touched"));
    fs::create_directories(folder, code);
    if (code)
        return fail(makeError(ErrorKind::NotWritable, fmt::format("cannot make the folder: {}", code.message()))
                        .inFile(folder.string()));
    DemoWriter out(fs::absolute(folder, code).lexically_normal(), progress);
    WYC_CHECK(writeClean(out));
    WYC_CHECK(writeReturns(out));
    WYC_CHECK(writeLoops(out));
    WYC_CHECK(writeJob(out));
    WYC_CHECK(out.finish());
    return DemoFiles{out.folder() / "lantern_shoal.wyc", out.take()};
}

} // namespace wyc::demo
