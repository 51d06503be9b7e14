// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/obj/obj_text.h"

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>
#include <cstring>
#include <optional>
#include <unordered_map>

#include <fast_float/fast_float.h>
#include <fmt/format.h>

#include "base/fast_number.h"
#include "base/text.h"

namespace wyc::obj {
namespace {

constexpr std::size_t kMostElements = 0x7fffffff;

bool isBlank(char c) {
    return c == ' ' || c == '\t' || c == '\r' || c == '\v' || c == '\f';
}

// A run of names to face lists, in order of first use.
class FaceSetMap {
  public:
    explicit FaceSetMap(FaceSet::Kind kind) : kind_(kind) {}
    std::size_t slot(const std::string& name) {
        const auto [at, added] = slots_.try_emplace(name, sets_.size());
        if (added)
            sets_.push_back({kind_, name, {}});
        return at->second;
    }
    void add(std::size_t slot, std::int32_t face) { sets_[slot].faces.push_back(face); }
    [[nodiscard]] std::vector<FaceSet> take() {
        std::erase_if(sets_, [](const FaceSet& set) { return set.faces.empty(); });
        return std::move(sets_);
    }

  private:
    FaceSet::Kind kind_;
    std::vector<FaceSet> sets_;
    std::unordered_map<std::string, std::size_t> slots_;
};

// Highest positive index of one kind and the line it stands on: checked against the count at the end, because
// a face may use points that are declared after it.
struct HighestIndex {
    std::int64_t value = 0;
    std::uint64_t line = 0;
    void see(std::int64_t index, std::uint64_t atLine) {
        if (index > value) {
            value = index;
            line = atLine;
        }
    }
};

class Parser {
  public:
    Parser(std::string_view text, const std::string& path)
        : at_(text.data()), end_(text.data() + text.size()), path_(path) {
        // One point or face takes a dozen bytes or more: a first guess that saves most regrowing.
        out_.points.reserve(text.size() / 64);
        out_.corners.reserve(text.size() / 32);
        out_.faceSizes.reserve(text.size() / 128);
    }

    Result<ObjText> parse() {
        while (at_ < end_) {
            ++line_;
            WYC_CHECK(parseLine());
        }
        WYC_CHECK(checkHighest(highestPoint_, out_.points.size(), "points"));
        WYC_CHECK(checkHighest(highestUv_, out_.uvs.size() / 2, "texture coordinates"));
        WYC_CHECK(checkHighest(highestNormal_, out_.normals.size() / 3, "normals"));
        finish();
        return std::move(out_);
    }

  private:
    [[nodiscard]] tl::unexpected<Error> refuse(std::string what) const {
        return fail(makeError(ErrorKind::BadFormat, std::move(what)).inFile(path_).atLine(line_));
    }

    // Moves past blanks and continued line ends. False at the end of the statement.
    bool skipBlanks() {
        while (at_ < end_) {
            if (isBlank(*at_)) {
                ++at_;
            } else if (*at_ == '\\') {
                const char* next = at_ + 1;
                while (next < end_ && isBlank(*next))
                    ++next;
                if (next < end_ && *next == '\n') {
                    ++continued_;
                    at_ = next + 1;
                } else if (next == end_) {
                    at_ = end_;
                } else {
                    return true;
                }
            } else {
                return *at_ != '\n' && *at_ != '#';
            }
        }
        return false;
    }
    void skipRest() {
        while (skipBlanks())
            ++at_;
        const void* newline = at_ < end_ ? std::memchr(at_, '\n', static_cast<std::size_t>(end_ - at_)) : nullptr;
        at_ = newline ? static_cast<const char*>(newline) + 1 : end_;
        line_ += continued_;
        continued_ = 0;
    }
    std::string_view word() {
        const char* from = at_;
        while (at_ < end_ && !isBlank(*at_) && *at_ != '\n' && *at_ != '#' && *at_ != '\\')
            ++at_;
        if (at_ == from && at_ < end_ && *at_ == '\\')
            ++at_;
        return {from, static_cast<std::size_t>(at_ - from)};
    }
    // Names run to the end of the line.
    std::string restOfLine() {
        std::string text;
        while (skipBlanks()) {
            if (!text.empty())
                text += ' ';
            text += word();
        }
        return text;
    }

    [[nodiscard]] bool endsHere(const char* stop) const {
        return stop == end_ || isBlank(*stop) || *stop == '\n' || *stop == '#' || *stop == '\\';
    }

    Result<float> number(const char* what) {
        if (const auto fast = fastFloat(at_, end_); fast && endsHere(fast->end)) {
            at_ = fast->end;
            return fast->value;
        }
        float value = 0.0F;
        const char* from = at_ < end_ && *at_ == '+' ? at_ + 1 : at_;
        const auto [stop, code] = fast_float::from_chars(from, end_, value);
        const bool ended = endsHere(stop);
        if (stop == from || !ended || (code != std::errc() && value != 0.0F && std::isfinite(value))) {
            const std::string_view text = word();
            return refuse(fmt::format("'{}' is not a number", validUtf8(text.substr(0, 40))));
        }
        if (!std::isfinite(value)) {
            const std::string_view text = word();
            return refuse(fmt::format("{} = {}, which is no finite float32", what, validUtf8(text.substr(0, 40))));
        }
        at_ = stop;
        return value;
    }

    Status parseLine() {
        if (!skipBlanks()) {
            skipRest();
            return {};
        }
        const char first = *at_;
        const char second = at_ + 1 < end_ ? at_[1] : '\n';
        if (first == 'v' && isBlank(second)) {
            at_ += 2;
            WYC_CHECK(parsePoint());
        } else if (first == 'f' && isBlank(second)) {
            at_ += 2;
            WYC_CHECK(parseFace());
        } else {
            WYC_CHECK(parseOther());
        }
        skipRest();
        return {};
    }

    Status parsePoint() {
        std::array<float, 7> numbers{};
        std::size_t count = 0;
        for (; count < 3 && at_ < end_; ++count) { // "v x y z" with plain numbers and single blanks
            const auto fast = fastFloat(at_, end_);
            if (!fast || fast->end == end_ || (*fast->end != ' ' && *fast->end != '\n'))
                break;
            numbers[count] = fast->value;
            at_ = fast->end + (*fast->end == ' ' ? 1 : 0);
            if (*fast->end == '\n') {
                ++count;
                break;
            }
        }
        while (skipBlanks()) {
            if (count == numbers.size())
                return refuse("v has more than 7 numbers");
            if (count >= 3) {
                WYC_TRY(value, number("an extra number"));
                numbers[count++] = value;
                continue;
            }
            const char* before = at_;
            auto value = number("");
            if (!value) {
                if (value.error().what.starts_with(" = ")) {
                    const std::string_view text(before, static_cast<std::size_t>(at_ - before));
                    return refuse(fmt::format("point {} (counted from 0) has {} = {}, which is no finite float32",
                                              out_.points.size(), "xyz"[count], text.substr(0, 40)));
                }
                return fail(std::move(value.error()));
            }
            numbers[count++] = *value;
        }
        if (count < 3)
            return refuse(fmt::format("v has {} number{}, 3 are needed", count, count == 1 ? "" : "s"));
        if (out_.points.size() >= kMostElements)
            return refuse("more than 2,147,483,647 points");
        out_.points.push_back({numbers[0], numbers[1], numbers[2]});
        if (count >= 6) {
            out_.colours.resize((out_.points.size() - 1) * 3, 1.0F);
            out_.colours.insert(out_.colours.end(), numbers.begin() + (count == 7 ? 4 : 3),
                                numbers.begin() + (count == 7 ? 7 : 6));
            out_.someColours = true;
        } else if (count >= 4) {
            ++out_.weightCount;
        }
        return {};
    }

    Result<std::int32_t> index(std::size_t declared, HighestIndex& highest, const char* noun) {
        // The common form: a few digits, no sign.
        std::int32_t plain = 0;
        const char* digit = at_;
        while (digit < end_ && digit - at_ < 9 && static_cast<unsigned char>(*digit - '0') < 10)
            plain = plain * 10 + (*digit++ - '0');
        if (plain > 0 && digit < end_ && static_cast<unsigned char>(*digit - '0') >= 10) {
            at_ = digit;
            highest.see(plain, line_);
            return plain - 1;
        }
        std::int64_t value = 0;
        const char* from = at_ < end_ && *at_ == '+' ? at_ + 1 : at_;
        const auto [stop, code] = std::from_chars(from, end_, value);
        if (code == std::errc::result_out_of_range ||
            (code == std::errc() && value > 0 && value > static_cast<std::int64_t>(kMostElements)))
            return refuse(fmt::format("index {} is out of range: the file has {} {} so far",
                                      std::string_view(from, static_cast<std::size_t>(stop - from)).substr(0, 40),
                                      declared, noun));
        if (code != std::errc())
            return refuse(fmt::format("'{}' is not an index", validUtf8(word().substr(0, 40))));
        at_ = stop;
        if (value == 0)
            return refuse("index 0: indices count from 1");
        if (value < 0) {
            if (value < -static_cast<std::int64_t>(declared))
                return refuse(fmt::format("index {} is out of range: {} {} so far", value, declared, noun));
            return static_cast<std::int32_t>(static_cast<std::int64_t>(declared) + value);
        }
        highest.see(value, line_);
        return static_cast<std::int32_t>(value - 1);
    }

    Status parseFace() {
        std::int32_t size = 0;
        const std::size_t pointCount = out_.points.size();
        while (skipBlanks()) {
            WYC_TRY(point, index(pointCount, highestPoint_, "points"));
            std::int32_t uv = -1;
            std::int32_t normal = -1;
            if (at_ < end_ && *at_ == '/') {
                ++at_;
                if (at_ < end_ && *at_ != '/' && !isBlank(*at_) && *at_ != '\n') {
                    WYC_TRY(value, index(out_.uvs.size() / 2, highestUv_, "texture coordinates"));
                    uv = value;
                }
                if (at_ < end_ && *at_ == '/') {
                    ++at_;
                    if (at_ < end_ && !isBlank(*at_) && *at_ != '\n') {
                        WYC_TRY(value, index(out_.normals.size() / 3, highestNormal_, "normals"));
                        normal = value;
                    }
                }
            }
            if (at_ < end_ && !isBlank(*at_) && *at_ != '\n' && *at_ != '#' && *at_ != '\\')
                return refuse(fmt::format("'{}' stands in a corner", validUtf8(word().substr(0, 40))));
            if (uv >= 0 && out_.cornerUvs.empty())
                out_.cornerUvs.assign(out_.corners.size(), -1);
            if (uv >= 0 || !out_.cornerUvs.empty())
                out_.cornerUvs.push_back(uv);
            if (normal >= 0 && out_.cornerNormals.empty())
                out_.cornerNormals.assign(out_.corners.size(), -1);
            if (normal >= 0 || !out_.cornerNormals.empty())
                out_.cornerNormals.push_back(normal);
            out_.corners.push_back(point);
            ++size;
        }
        if (size < 3)
            return refuse(fmt::format("a face has {} corner{}, 3 are needed", size, size == 1 ? "" : "s"));
        if (out_.corners.size() >= kMostElements)
            return refuse("more than 2,147,483,647 corners");
        const auto face = static_cast<std::int32_t>(out_.faceSizes.size());
        out_.faceSizes.push_back(size);
        for (const std::size_t group : activeGroups_)
            groups_.add(group, face);
        if (activeMaterial_)
            materials_.add(*activeMaterial_, face);
        if (!out_.objects.empty())
            out_.objects.back().faces.push_back(face);
        return {};
    }

    Status parseNumbers(std::vector<float>& into, std::size_t wanted, std::size_t needed, const char* keyword) {
        std::size_t count = 0;
        while (skipBlanks()) {
            WYC_TRY(value, number(keyword));
            if (count++ < wanted)
                into.push_back(value);
        }
        if (count < needed)
            return refuse(
                fmt::format("{} has {} number{}, {} are needed", keyword, count, count == 1 ? "" : "s", needed));
        for (; count < wanted; ++count)
            into.push_back(0.0F);
        return {};
    }

    Status parseOther() {
        const std::string keyword(word());
        if (keyword == "v")
            return refuse("v has 0 numbers, 3 are needed");
        if (keyword == "f")
            return refuse("a face has 0 corners, 3 are needed");
        if (keyword == "vt")
            return parseNumbers(out_.uvs, 2, 1, "vt");
        if (keyword == "vn")
            return parseNumbers(out_.normals, 3, 3, "vn");
        if (keyword == "o") {
            out_.objects.push_back({restOfLine(), out_.points.size(), 0, {}});
        } else if (keyword == "g") {
            activeGroups_.clear();
            while (skipBlanks())
                activeGroups_.push_back(groups_.slot(std::string(word())));
            std::sort(activeGroups_.begin(), activeGroups_.end());
            activeGroups_.erase(std::unique(activeGroups_.begin(), activeGroups_.end()), activeGroups_.end());
        } else if (keyword == "usemtl") {
            // Without a name it ends the one before: the faces behind it have none.
            const std::string name = restOfLine();
            activeMaterial_ = name.empty() ? std::nullopt : std::optional(materials_.slot(name));
        } else if (keyword == "mtllib") {
            if (auto name = restOfLine();
                std::find(out_.materialFiles.begin(), out_.materialFiles.end(), name) == out_.materialFiles.end())
                out_.materialFiles.push_back(std::move(name));
        } else if (keyword == "s") {
            ++smoothing_;
        } else if (keyword == "l" || keyword == "p") {
            ++(keyword == "l" ? out_.lineElements : out_.pointElements);
        } else {
            return unknown(keyword);
        }
        return {};
    }

    Status unknown(const std::string& keyword) {
        const bool text = std::all_of(keyword.begin(), keyword.end(), [](char c) { return c >= 0x21 && c < 0x7f; });
        if (!text)
            return refuse("not an OBJ text: unprintable bytes, no statement of the format");
        if (out_.notCarried.size() < 64 || out_.notCarried.contains(keyword))
            ++out_.notCarried[keyword.substr(0, 60)];
        return {};
    }

    Status checkHighest(const HighestIndex& highest, std::size_t count, const char* noun) {
        if (highest.value > static_cast<std::int64_t>(count)) {
            line_ = highest.line;
            return refuse(fmt::format("index {} is out of range: the file has {} {}", highest.value, count, noun));
        }
        return {};
    }

    void finish() {
        if (out_.someColours)
            out_.colours.resize(out_.points.size() * 3, 1.0F);
        for (std::size_t i = 0; i < out_.objects.size(); ++i) {
            const std::size_t next = i + 1 < out_.objects.size() ? out_.objects[i + 1].firstPoint : out_.points.size();
            out_.objects[i].pointCount = next - out_.objects[i].firstPoint;
        }
        out_.groups = groups_.take();
        out_.materials = materials_.take();
        if (smoothing_ > 0)
            out_.notCarried["s"] = smoothing_;
    }

    const char* at_;
    const char* end_;
    const std::string& path_;
    std::uint64_t line_ = 0;
    std::uint64_t continued_ = 0;
    std::size_t smoothing_ = 0;
    ObjText out_;
    HighestIndex highestPoint_;
    HighestIndex highestUv_;
    HighestIndex highestNormal_;
    FaceSetMap groups_{FaceSet::Kind::Group};
    FaceSetMap materials_{FaceSet::Kind::Material};
    std::vector<std::size_t> activeGroups_;
    std::optional<std::size_t> activeMaterial_;
};

// Numbers that an option of a texture statement takes: "-s -o -t" one to three, and a file name may begin
// with a digit.
struct TextureOption {
    std::string_view name;
    int least;
    int most;
};
constexpr std::array<TextureOption, 13> kTextureOptions{{{"-s", 1, 3},
                                                         {"-o", 1, 3},
                                                         {"-t", 1, 3},
                                                         {"-mm", 2, 2},
                                                         {"-bm", 1, 1},
                                                         {"-blendu", 1, 1},
                                                         {"-blendv", 1, 1},
                                                         {"-boost", 1, 1},
                                                         {"-clamp", 1, 1},
                                                         {"-cc", 1, 1},
                                                         {"-texres", 1, 1},
                                                         {"-imfchan", 1, 1},
                                                         {"-type", 1, 1}}};

std::string texturePath(std::string_view rest) {
    rest = trimmed(rest);
    const auto takeWord = [&] {
        const auto stop = rest.find_first_of(" \t");
        const std::string_view taken = rest.substr(0, stop);
        rest = stop == std::string_view::npos ? std::string_view() : trimmed(rest.substr(stop));
        return taken;
    };
    while (!rest.empty() && rest.front() == '-') {
        const std::string_view before = rest;
        const std::string_view name = takeWord();
        const auto option = std::find_if(kTextureOptions.begin(), kTextureOptions.end(),
                                         [&](const TextureOption& o) { return o.name == name; });
        if (option == kTextureOptions.end())
            return std::string(before);
        for (int i = 0; i < option->most && !rest.empty(); ++i) {
            const std::string_view peek = rest.substr(0, rest.find_first_of(" \t"));
            if (i >= option->least && !parseNumber(peek))
                break;
            takeWord();
        }
    }
    return std::string(rest);
}

} // namespace

Result<ObjText> parseObj(std::string_view text, const std::string& path) {
    return Parser(text, path).parse();
}

bool textureIsThere(const std::string& written, const fs::path& folder) {
    if (written.empty() || written.front() == '/' || written.find('\\') != std::string::npos ||
        (written.size() > 1 && written[1] == ':'))
        return false;
    int depth = 0;
    for (const fs::path& part : fs::path(written)) {
        depth += part == ".." ? -1 : part == "." ? 0 : 1;
        if (depth < 0)
            return false;
    }
    std::error_code code;
    return fs::is_regular_file(folder / written, code);
}

std::vector<Material> parseMaterials(std::string_view text, const fs::path& folder) {
    std::vector<Material> result;
    while (!text.empty()) {
        const auto stop = text.find('\n');
        std::string_view line = trimmed(text.substr(0, stop));
        text = stop == std::string_view::npos ? std::string_view() : text.substr(stop + 1);
        if (line.empty() || line.front() == '#')
            continue;
        const auto blank = line.find_first_of(" \t");
        const std::string_view keyword = line.substr(0, blank);
        const std::string_view rest =
            blank == std::string_view::npos ? std::string_view() : trimmed(line.substr(blank));
        if (keyword == "newmtl") {
            result.push_back(colourMaterial(std::string(rest), {}));
        } else if (!result.empty() && keyword == "Kd") {
            std::array<float, 3> colour{};
            std::size_t count = 0;
            for (const std::string& part : splitText(rest, ' '))
                if (const auto value = parseNumber(part); value && count < 3)
                    colour[count++] = static_cast<float>(*value);
            if (count == 1)
                colour = {colour[0], colour[0], colour[0]};
            if (count > 0)
                result.back().look.baseColour.value = {colour[0], colour[1], colour[2]};
        } else if (!result.empty() && keyword == "map_Kd") {
            LookInput& colour = result.back().look.baseColour;
            colour.texture = texturePath(rest);
            colour.file = textureIsThere(colour.texture, folder) ? (folder / colour.texture).string() : std::string();
        }
    }
    return result;
}

} // namespace wyc::obj
