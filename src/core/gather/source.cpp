// SPDX-License-Identifier: GPL-3.0-or-later
#include "gather/source.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include <fmt/format.h>

#include "base/hash.h"
#include "base/text.h"
#include "scene/instances.h"

namespace wyc {
namespace {

constexpr std::size_t kMostRestCandidates = 200;
constexpr std::uint64_t kMostRestBytes = 2ULL << 30;
constexpr int kFolderDepth = 3;

std::vector<std::string> filesIn(const fs::path& folder, std::error_code& code) {
    std::vector<std::string> names;
    for (fs::directory_iterator it(folder, code), end; !code && it != end; it.increment(code)) {
        std::error_code ignored;
        const std::string name = it->path().filename().string();
        if (it->is_regular_file(ignored) && !name.starts_with(".") && !isTemporaryName(name))
            names.push_back(name);
    }
    std::sort(names.begin(), names.end());
    return names;
}

// A file that may be the mesh beside a cache.
bool mayBeRest(const fs::path& path) {
    const Format* format = formatOfName(path);
    return format && format->canBeRest();
}

std::set<std::string> wordsOf(const std::string& name) {
    static const std::set<std::string> kPlain = [] {
        std::set<std::string> plain{"rest", "base", "mesh", "bind", "pose", "cache", "geo", "v"};
        for (const Format& format : formats()) // an extension that stands within a name
            for (const std::string_view extension : format.extensions)
                plain.emplace(extension.substr(1));
        return plain;
    }();
    std::set<std::string> words;
    std::string word;
    for (const char c : lowerCase(name) + " ") {
        if (c >= 'a' && c <= 'z') {
            word += c;
        } else {
            if (word.size() > 1 && !kPlain.contains(word))
                words.insert(word);
            word.clear();
        }
    }
    return words;
}

struct RestChoice {
    std::optional<fs::path> best;
    bool byCountOnly = false; // its name has nothing to do with the cache's
    std::vector<fs::path> equallyNear;
    std::optional<std::pair<fs::path, std::size_t>> nearly; // by its name the mesh, but for its number of points
};

// How well a mesh's name fits a cache's: its own name, its name and a word for a rest mesh, all words and numbers, the
// same words with other numbers.
int restNearness(const std::string& cache, const std::string& mesh) {
    constexpr int kSame = 1000;
    constexpr int kNumbers = 100;
    if (cache == mesh)
        return kSame;
    const auto letters = [](const std::string& text) {
        std::string result;
        for (const char c : lowerCase(text))
            if (std::isalnum(static_cast<unsigned char>(c)))
                result += c;
        return result;
    };
    for (const char* word : {"rest", "base", "mesh", "bind", "geo"})
        for (const std::string& named : {letters(cache) + word, word + letters(cache)})
            if (letters(mesh) == named)
                return kSame - 1;
    const auto numbersOf = [](const std::string& text) {
        std::vector<std::string> numbers;
        bool inside = false;
        for (const char c : text) {
            const bool digit = std::isdigit(static_cast<unsigned char>(c)) != 0;
            if (digit && !inside)
                numbers.emplace_back();
            if (digit)
                numbers.back() += c;
            inside = digit;
        }
        return numbers;
    };
    const int words = nameNearness(cache, mesh);
    const auto numbers = numbersOf(mesh);
    return words + (words > 0 && !numbers.empty() && numbers == numbersOf(cache) ? kNumbers : 0);
}

// Meshes beside a cache with its number of points; among several, the one that is nearest by name.
RestChoice chooseRest(const fs::path& cache, std::size_t points) {
    RestChoice choice;
    std::error_code code;
    std::vector<std::string> objects;
    for (const std::string& name : filesIn(folderOf(cache), code))
        if (mayBeRest(name))
            objects.push_back(name);
    // Frames of a sequence are no rest meshes, but for those that are named like the cache.
    std::set<fs::path> frames;
    for (const FileSequence& sequence : groupFiles(folderOf(cache), objects).sequences)
        for (const SequenceFile& file : sequence.files)
            frames.insert(file.path);
    std::multimap<int, fs::path, std::greater<>> byNearness;
    std::size_t looked = 0;
    int nearest = 0;
    for (const std::string& name : objects) {
        const fs::path candidate = folderOf(cache) / name;
        const int nearness = restNearness(cache.stem().string(), candidate.stem().string());
        if (frames.contains(candidate) && nearness < 100)
            continue;
        const auto stamp = fileStamp(candidate);
        if (!stamp || stamp->sizeBytes > kMostRestBytes || ++looked > kMostRestCandidates)
            continue;
        const auto count = formatOfName(candidate)->rest.countPoints(candidate);
        if (count && *count == points)
            byNearness.emplace(nearness, candidate);
        else if (count && nearness > nearest) {
            nearest = nearness;
            choice.nearly = {candidate, *count};
        }
    }
    if (byNearness.empty())
        return choice;
    const auto first = byNearness.begin();
    const auto second = std::next(first);
    if (second == byNearness.end() || second->first < first->first) {
        choice.best = first->second;
        choice.byCountOnly = first->first == 0;
        return choice;
    }
    for (const auto& [nearness, path] : byNearness)
        if (nearness == first->first)
            choice.equallyNear.push_back(path);
    return choice;
}

struct RestMesh {
    Node node;
    std::vector<Material> materials;
    ReadReport report; // of them
};

Result<RestMesh> readRest(const SourceSpec& spec, std::size_t points) {
    const fs::path& path = *spec.rest;
    std::error_code code;
    if (!fs::exists(path, code))
        return fail(makeError(ErrorKind::NotFound, "the rest mesh is not there")
                        .inFile(path.string())
                        .withAdvice("Put it back, or give the mesh this cache was baked from"));
    WYC_TRY(format, requireSourceFormat(path));
    OpenRequest request;
    request.path = path;
    WYC_TRY(scene, format->read(std::move(request)));
    RestMesh rest{{}, scene.materials, {}};
    for (const std::string& name : scene.report.files)
        rest.report.files.push_back(fs::absolute(folderOf(path) / name, code).string());
    for (const ReaderRemark& remark : scene.report.remarks)
        if (remark.id.starts_with("material.") || remark.id.starts_with("texture."))
            rest.report.remarks.push_back(remark);
    if (!spec.restObject.empty()) {
        if (!format->rest.object)
            return fail(
                makeError(ErrorKind::BadInput, "this format has no objects to choose among").inFile(path.string()));
        WYC_TRY(object, format->rest.object(path, spec.restObject));
        rest.node = std::move(object);
        return rest;
    }
    const Node* mesh = nullptr;
    for (const Node& node : scene.nodes) {
        if (!node.geometry)
            continue;
        const auto count = node.geometry->pointCount(0);
        if (!mesh || (count && *count == points))
            mesh = &node;
    }
    if (!mesh)
        return fail(makeError(ErrorKind::BadInput, "the rest file holds no mesh").inFile(path.string()));
    WYC_TRY(count, mesh->geometry->pointCount(0));
    if (count == points || !format->rest.objects) {
        rest.node = *mesh;
        return rest;
    }
    Error error = makeError(ErrorKind::BadInput,
                            fmt::format("the cache has {} points, the rest mesh '{}' has {}", groupedDigits(points),
                                        path.filename().string(), groupedDigits(count)))
                      .inFile(spec.path.string());
    std::vector<std::string> fitting;
    if (const auto sizes = format->rest.objects(path))
        for (const auto& object : *sizes)
            if (object.points == points && sizes->size() > 1)
                fitting.push_back(object.name);
    error.advice = fitting.empty()
                       ? "Give the mesh this cache was baked from"
                       : fmt::format("Its object '{}' has {} points and would fit: choose that object of the file",
                                     fmt::join(fitting, "', '"), points);
    return fail(std::move(error));
}

void remarkSequence(Scene& scene, const FileSequence& sequence) {
    if (scene.nodes.empty())
        return;
    const std::string item = scene.nodes.front().path;
    const auto span = [](const MissingRun& run) {
        return run.first == run.last
                   ? fmt::format("Frame {} is missing", frameText(run.first))
                   : fmt::format("Frames {} to {} are missing", frameText(run.first), frameText(run.last));
    };
    for (const MissingRun& run : sequence.missing) {
        const double count = std::round((run.last - run.first) / sequence.step) + 1.0;
        scene.report.remarks.push_back(
            {"frames.missing", item, run.first, count, "frames",
             fmt::format("{}: {} and {} are there", span(run), frameText(run.first - sequence.step),
                         frameText(run.last + sequence.step)),
             "Export these frames again, or resample to fill in between", 2});
    }
    for (const DoubledFrame& doubled : sequence.doubled)
        scene.report.remarks.push_back(
            {"frames.doubled", item, doubled.frame, static_cast<double>(doubled.others.size() + 1), "files",
             fmt::format("Frame {} exists as '{}' and as '{}'; the first is used", frameText(doubled.frame),
                         doubled.used.filename().string(), doubled.others.front().filename().string()),
             "Remove the file that does not belong", 2});
    if (sequence.mixedPadding())
        scene.report.remarks.push_back(
            {"frames.mixed_padding",
             item,
             {},
             {},
             "",
             fmt::format("The numbers are padded in several ways ({} digits)", fmt::join(sequence.digits, ", ")),
             "Other applications may see several sequences here; deliver with one padding",
             1});
}

} // namespace

int nameNearness(const std::string& a, const std::string& b) {
    const auto first = wordsOf(a);
    const auto second = wordsOf(b);
    return static_cast<int>(
        std::count_if(first.begin(), first.end(), [&](const std::string& w) { return second.contains(w); }));
}

std::vector<fs::path> filesOf(const Source& source) {
    std::vector<fs::path> files{source.spec.path};
    if (source.restUsed)
        files.push_back(*source.restUsed);
    for (const std::string& name : source.scene.report.files)
        files.push_back(folderOf(source.spec.path) / name);
    return files;
}

std::uint64_t stampOf(const Source& source) {
    std::vector<fs::path> files = filesOf(source);
    if (source.format->sequence)
        if (const auto sequence = sequenceOfPattern(source.spec.path))
            for (const SequenceFile& file : sequence->files)
                files.push_back(file.path);
    std::vector<std::int64_t> figures;
    for (const fs::path& file : files) {
        std::error_code code;
        const auto size = fs::file_size(file, code);
        figures.push_back(code ? -1 : static_cast<std::int64_t>(size));
        const auto written = fs::last_write_time(file, code);
        figures.push_back(code ? 0 : static_cast<std::int64_t>(written.time_since_epoch().count()));
    }
    return hash64(std::as_bytes(std::span(figures)));
}

bool isGone(const Source& source) {
    if (source.format->sequence) {
        const auto sequence = sequenceOfPattern(source.spec.path);
        return !sequence || sequence->files.empty();
    }
    std::error_code code;
    return !fs::exists(source.spec.path, code);
}

namespace {

// What a person should know of how the rest mesh of a cache was found.
std::optional<ReaderRemark> restRemark(const RestChoice& choice, const std::string& item, std::size_t points) {
    if (!choice.best && !choice.equallyNear.empty())
        return ReaderRemark{
            "rest.ambiguous",
            item,
            {},
            static_cast<double>(choice.equallyNear.size()),
            "meshes",
            fmt::format("{} meshes beside the cache have its {} points ('{}', '{}'{}); none is nearer by name",
                        choice.equallyNear.size(), groupedDigits(points), choice.equallyNear[0].filename().string(),
                        choice.equallyNear[1].filename().string(), choice.equallyNear.size() > 2 ? " …" : ""),
            "Say which one it is; until then it is shown as bare points",
            1};
    if (choice.best && choice.byCountOnly)
        return ReaderRemark{"rest.by_count",
                            item,
                            {},
                            static_cast<double>(points),
                            "points",
                            fmt::format("'{}' is taken as its rest mesh only since it has as many points ({})",
                                        choice.best->filename().string(), groupedDigits(points)),
                            "Give its rest mesh if it is another",
                            0};
    if (!choice.best && choice.nearly)
        return ReaderRemark{"rest.nearly_fits",
                            item,
                            {},
                            static_cast<double>(choice.nearly->second),
                            "points",
                            fmt::format("'{}' would be its rest mesh by name, but has {} points; the cache has {}",
                                        choice.nearly->first.filename().string(), groupedDigits(choice.nearly->second),
                                        groupedDigits(points)),
                            "Give the mesh this cache was baked from; until then it is shown as bare points",
                            1};
    if (!choice.best)
        return ReaderRemark{
            "rest.none",
            item,
            {},
            {},
            "",
            fmt::format("No mesh beside the cache has {} points: shown as bare points", groupedDigits(points)),
            "Give its rest mesh to see faces",
            0};
    return std::nullopt;
}

// Instances count as what they show, as far as there are not too many.
void expandInstances(Source& source) {
    if (!hasInstances(source.scene))
        return;
    constexpr std::size_t kMostShown = 100'000;
    if (auto expanded = expandedInstances(source.scene, kMostShown))
        source.expanded = std::make_shared<const Scene>(std::move(*expanded));
    else
        source.scene.report.remarks.push_back(
            {"instances.not_shown",
             "",
             {},
             {},
             "",
             fmt::format("Its instances cannot be had as items: {} ({})", expanded.error().what, expanded.error().item),
             "They are carried from archive to archive by `wyc convert` all the same",
             1});
}

} // namespace

Result<SourcePtr> openSource(const SourceSpec& spec, const FrameRate& assumedRate) {
    auto source = std::make_shared<Source>();
    source->spec = spec;
    source->name = spec.path.filename().string();
    WYC_TRY(format, requireSourceFormat(spec.path));
    source->format = format;
    OpenRequest request;
    request.options = spec.options;
    request.assumedRate = assumedRate;
    std::optional<FileSequence> sequence;
    if (format->sequence) {
        WYC_TRY(found, sequenceOfPattern(spec.path));
        request.sequence = found.files;
        request.path = found.files.front().path;
        request.name = found.name;
        source->fileCount = found.files.size();
        for (const SequenceFile& file : found.files)
            if (const auto stamp = fileStamp(file.path))
                source->sizeBytes += stamp->sizeBytes;
        sequence = std::move(found);
    } else {
        request.path = spec.path;
        WYC_TRY(stamp, fileStamp(spec.path));
        source->sizeBytes = stamp.sizeBytes;
    }
    std::vector<ReaderRemark> remarks;
    ReadReport restReport;
    if (format->wantsRest()) {
        WYC_TRY(points, format->rest.countPoints(spec.path));
        SourceSpec withRest = spec;
        const std::string item = "/" + safeName(spec.path.stem().string());
        if (!withRest.rest && spec.searchRest && points > 0) {
            const RestChoice choice = chooseRest(spec.path, points);
            withRest.rest = choice.best;
            source->restCandidates = choice.equallyNear;
            if (auto remark = restRemark(choice, item, points))
                remarks.push_back(std::move(*remark));
        }
        if (withRest.rest) {
            WYC_TRY(rest, readRest(withRest, points));
            source->rest = std::make_shared<const Node>(std::move(rest.node));
            request.rest = source->rest;
            request.restMaterials = std::move(rest.materials);
            restReport = std::move(rest.report);
            for (ReaderRemark& remark : restReport.remarks)
                remark.item = item;
            request.restName = withRest.rest->filename().string();
            source->restUsed = withRest.rest;
        }
    } else if (spec.rest) {
        return fail(
            makeError(ErrorKind::BadInput, "a rest mesh goes with a bare point cache only").inFile(spec.path.string()));
    }
    WYC_TRY(scene, format->read(std::move(request)));
    source->scene = std::move(scene);
    ReadReport& report = source->scene.report;
    remarks.insert(remarks.end(), restReport.remarks.begin(), restReport.remarks.end());
    report.files.insert(report.files.end(), restReport.files.begin(), restReport.files.end());
    for (const Node& node : source->scene.nodes)
        if (source->rest && node.geometry) { // a bare cache holds one shape
            source->scene.rest = source->rest->geometry;
            source->scene.restOf = node.id;
        }
    report.remarks.insert(report.remarks.begin(), remarks.begin(), remarks.end());
    if (sequence)
        remarkSequence(source->scene, *sequence);
    expandInstances(*source);
    source->tree = std::make_shared<const SceneTree>(source->shown());
    return SourcePtr(std::move(source));
}

namespace {

class Gatherer {
  public:
    explicit Gatherer(bool single) : single_(single) {}

    Status add(const fs::path& given) {
        const std::string name = given.filename().string();
        std::error_code code;
        if (name.find('#') != std::string::npos && !fs::exists(given, code)) {
            WYC_CHECK(requireSourceFormat(given));
            take({given, {}, {}, true});
            return {};
        }
        const fs::file_status status = fs::status(given, code);
        if (!fs::exists(status))
            return fail(makeError(ErrorKind::NotFound, "there is no such file or folder").inFile(given.string()));
        if (fs::is_directory(status))
            return addFolder(given);
        WYC_CHECK(requireSourceFormat(given));
        named_.insert(given.lexically_normal());
        if (sequenceFormatOf(given) && !single_) {
            // One file of a sequence stands for the sequence.
            for (const FileSequence& sequence : groupsIn(folderOf(given)).sequences) {
                const bool member =
                    std::any_of(sequence.files.begin(), sequence.files.end(),
                                [&](const SequenceFile& f) { return f.path.filename() == given.filename(); }) ||
                    std::any_of(sequence.doubled.begin(), sequence.doubled.end(), [&](const DoubledFrame& d) {
                        return std::any_of(d.others.begin(), d.others.end(),
                                           [&](const fs::path& p) { return p.filename() == given.filename(); });
                    });
                if (member) {
                    take({sequence.patternPath(), {}, {}, true});
                    return {};
                }
            }
        }
        take({given, {}, {}, true});
        return {};
    }

    Gathered finish() {
        // Meshes that turn out to be the rest mesh of a cache of this set are not sources of their own.
        std::set<fs::path> rests;
        std::size_t caches = 0;
        for (SourceSpec& spec : result_.specs) {
            const Format* cache = formatOfSource(spec.path);
            if (!cache || !cache->wantsRest())
                continue;
            ++caches;
            if (const auto points = cache->rest.countPoints(spec.path)) {
                const RestChoice choice = chooseRest(spec.path, *points);
                if (choice.best)
                    rests.insert(choice.best->lexically_normal());
            }
        }
        if (caches > 0)
            std::erase_if(result_.specs, [&](const SourceSpec& spec) {
                const Format* format = formatOfName(spec.path);
                if (!format || !format->sequence)
                    return rests.contains(spec.path.lexically_normal());
                // Meshes numbered like their caches look like the frames of a sequence.
                const auto sequence = sequenceOfPattern(spec.path);
                return sequence && std::all_of(sequence->files.begin(), sequence->files.end(), [&](const auto& file) {
                           return rests.contains(file.path.lexically_normal());
                       });
            });
        leaveOutDrawnOn();
        return std::move(result_);
    }

  private:
    FileGroups groupsIn(const fs::path& folder) {
        std::error_code code;
        std::vector<std::string> objects;
        for (const std::string& name : filesIn(folder, code))
            if (sequenceFormatOf(name))
                objects.push_back(name);
        return groupFiles(folder, objects);
    }

    // "shoal.bell.v002.usdc" as "…/shoal.bell", 2 and ".usdc".
    struct Version {
        fs::path head;
        int number = 0;
        std::string end;
    };
    static std::optional<Version> versionOf(const fs::path& path) {
        const std::string end = path.extension().string();
        const std::string stem = path.stem().string();
        const std::size_t at = stem.rfind(".v");
        if (at == std::string::npos || at + 2 == stem.size() || stem.size() - at > 10 ||
            stem.find_first_not_of("0123456789", at + 2) != std::string::npos)
            return std::nullopt;
        return Version{fs::absolute(folderOf(path)).lexically_normal() / stem.substr(0, at),
                       std::stoi(stem.substr(at + 2)), end};
    }

    // Of files of a folder those that others of it take content from come with these. Where they do so in a ring, the
    // first stands for it.
    void leaveOutDrawnOn() {
        std::vector<SourceSpec>& specs = result_.specs;
        std::map<fs::path, std::size_t> numbers;
        for (std::size_t i = 0; i < specs.size(); ++i)
            numbers.emplace(fs::absolute(specs[i].path).lexically_normal(), i);
        std::vector<std::set<std::size_t>> reached(specs.size());
        for (std::size_t i = 0; i < specs.size(); ++i) {
            // Through files that are no sources, too.
            std::set<fs::path> seen;
            for (std::vector<fs::path> open{fs::absolute(specs[i].path)}; !open.empty();) {
                const fs::path path = open.back();
                open.pop_back();
                const Format* format = formatOfName(path);
                if (!format || !format->drawsOn)
                    continue;
                auto known = drawnOn_.find(path);
                if (known == drawnOn_.end())
                    known = drawnOn_.emplace(path, format->drawsOn(path)).first;
                for (const fs::path& next : known->second) {
                    if (!seen.insert(next).second)
                        continue;
                    open.push_back(next);
                    if (const auto other = numbers.find(next); other != numbers.end() && other->second != i)
                        reached[i].insert(other->second);
                }
            }
        }
        std::vector<bool> out(specs.size(), false);
        for (std::size_t i = 0; i < specs.size(); ++i)
            for (const std::size_t other : reached[i])
                out[other] = out[other] || (!named_.contains(specs[other].path.lexically_normal()) &&
                                            (i < other || !reached[other].contains(i)));
        // Versions before those that are taken in, beside them.
        std::map<std::pair<fs::path, std::string>, int> taken; // the highest
        for (std::size_t i = 0; i < specs.size(); ++i)
            if (const auto version = out[i] ? versionOf(specs[i].path) : std::nullopt) {
                int& highest = taken[{version->head, version->end}];
                highest = std::max(highest, version->number);
            }
        for (std::size_t i = 0; i < specs.size(); ++i) {
            const auto version = versionOf(specs[i].path);
            if (out[i] || !version || named_.contains(specs[i].path.lexically_normal()))
                continue;
            const auto later = taken.find({version->head, version->end});
            out[i] = later != taken.end() && version->number < later->second;
        }
        std::vector<SourceSpec> kept;
        for (std::size_t i = 0; i < specs.size(); ++i)
            if (out[i])
                result_.remarks.push_back(fmt::format(
                    "'{}' comes with what takes it in, or is an earlier version of what does, and is left out",
                    specs[i].path.filename().string()));
            else
                kept.push_back(std::move(specs[i]));
        specs = std::move(kept);
    }

    void take(SourceSpec spec) {
        if (seen_.insert(spec.path.lexically_normal()).second)
            result_.specs.push_back(std::move(spec));
    }

    Status addFolder(const fs::path& folder) {
        const std::size_t before = result_.specs.size();
        std::vector<std::string> passed;
        WYC_CHECK(walk(folder, 0, passed));
        if (result_.specs.size() == before)
            return fail(makeError(ErrorKind::BadInput, "nothing in this folder is of a format that is read")
                            .inFile(folder.string())
                            .withAdvice("Formats: " + formatList()));
        // "named by its folder": one sequence, and single meshes beside it, is that sequence.
        const auto isSequence = [](const SourceSpec& s) {
            return s.path.filename().string().find('#') != std::string::npos;
        };
        const auto from = result_.specs.begin() + static_cast<std::ptrdiff_t>(before);
        const bool onlyMeshesBeside = std::all_of(
            from, result_.specs.end(), [&](const SourceSpec& s) { return isSequence(s) || sequenceFormatOf(s.path); });
        if (onlyMeshesBeside && std::count_if(from, result_.specs.end(), isSequence) == 1 &&
            result_.specs.end() - from > 1 && !single_) {
            for (auto it = from; it != result_.specs.end(); ++it)
                if (!isSequence(*it))
                    result_.remarks.push_back(
                        fmt::format("'{}' stands beside the sequence and is left out", it->path.filename().string()));
            result_.specs.erase(
                std::remove_if(from, result_.specs.end(), [&](const SourceSpec& s) { return !isSequence(s); }),
                result_.specs.end());
        }
        if (!passed.empty())
            result_.remarks.push_back(
                fmt::format("{} files of other kinds were passed over in '{}'", passed.size(), folder.string()));
        return {};
    }

    Status walk(const fs::path& folder, int depth, std::vector<std::string>& passed) {
        std::error_code code;
        const auto names = filesIn(folder, code);
        if (code)
            return fail(makeError(ErrorKind::NotReadable, fmt::format("the folder cannot be read: {}", code.message()))
                            .inFile(folder.string()));
        for (const std::string& name : names) {
            if (sequenceFormatOf(name))
                continue;
            if (formatOfName(folder / name))
                take({folder / name, {}, {}, true});
            else
                passed.push_back(name);
        }
        const FileGroups groups = groupsIn(folder);
        for (const FileSequence& sequence : groups.sequences)
            take({sequence.patternPath(), {}, {}, true});
        for (const fs::path& path : groups.singles)
            take({path, {}, {}, true});
        if (depth >= kFolderDepth)
            return {};
        std::vector<fs::path> below;
        for (fs::directory_iterator it(folder, code), end; !code && it != end; it.increment(code)) {
            std::error_code ignored;
            if (it->is_directory(ignored) && !it->is_symlink(ignored) &&
                !it->path().filename().string().starts_with("."))
                below.push_back(it->path());
        }
        std::sort(below.begin(), below.end());
        for (const fs::path& inner : below)
            WYC_CHECK(walk(inner, depth + 1, passed));
        return {};
    }

    bool single_;
    Gathered result_;
    std::set<fs::path> seen_;
    std::set<fs::path> named_; // by themselves, not found in a folder
    std::map<fs::path, std::vector<fs::path>> drawnOn_;
};

} // namespace

Result<Gathered> gather(const std::vector<fs::path>& paths, bool single) {
    Gatherer gatherer(single);
    for (const fs::path& path : paths)
        WYC_CHECK(gatherer.add(path));
    return gatherer.finish();
}

} // namespace wyc
