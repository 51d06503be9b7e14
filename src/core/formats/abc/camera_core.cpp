// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/abc/camera_core.h"

#include <algorithm>
#include <array>
#include <functional>

#include "maths/units.h"
#include "scene/channels.h"
#include "scene/components/camera.h"

namespace wyc::abc {
namespace {

constexpr std::size_t kNumbers = 16;
constexpr const char* kCore = ".core";
constexpr const char* kFilmBackOps = ".filmBackOps";
constexpr const char* kFilmBackNumbers = ".filmBackChannels";

// Where a channel stands among the sixteen, and how many of its unit are a metre.
struct Part {
    Meaning meaning;
    std::size_t first;
    double perMetre;
};
constexpr std::array<Part, 13> kParts{{{Meaning::FocalLength, 0, 1000.0}, // millimetres
                                       {Meaning::GateWidth, 1, 100.0},    // centimetres
                                       {Meaning::GateX, 2, 100.0},
                                       {Meaning::GateHeight, 3, 100.0},
                                       {Meaning::GateY, 4, 100.0},
                                       {Meaning::Squeeze, 5, 1.0},
                                       {Meaning::Overscan, 6, 1.0},
                                       {Meaning::FStop, 10, 1.0},
                                       {Meaning::FocusDistance, 11, 1.0},
                                       {Meaning::ShutterOpen, 12, 1.0},
                                       {Meaning::ShutterClose, 13, 1.0},
                                       {Meaning::NearClip, 14, 1.0},
                                       {Meaning::FarClip, 15, 1.0}}};

PropertyValue valueOf(std::span<const double> numbers) {
    const auto raw = std::as_bytes(numbers);
    return {{raw.begin(), raw.end()}, {}};
}

class CorePart final : public ValuesWrapper {
  public:
    CorePart(ValuesPtr core, const Part& part, std::uint32_t extent)
        : ValuesWrapper(std::move(core)), part_(part), extent_(extent) {}
    [[nodiscard]] std::uint32_t extent() const override { return extent_; }
    [[nodiscard]] const Sampling& statedSampling() const override { return inner().statedSampling(); }
    [[nodiscard]] Result<PropertyValue> read(std::size_t sample) const override {
        WYC_TRY(all, valuesOf<double>(inner(), sample));
        std::array<double, kNumbers> numbers{};
        for (std::size_t i = 0; i < extent_ && part_.first + i < all.size(); ++i)
            numbers[i] = toMetres(all[part_.first + i], part_.perMetre);
        return valueOf(std::span(numbers).first(extent_));
    }
    [[nodiscard]] Result<PropertyValue> readAt(double seconds, const ValueMix& how) const override {
        return SampledValues::readAt(seconds, how);
    }
    [[nodiscard]] const ValuesPtr& core() const { return innerPtr(); }
    /// In the archive's own unit.
    [[nodiscard]] Result<std::vector<double>> rawAt(double seconds) const {
        WYC_TRY(all, numbersAt(inner(), seconds));
        all.resize(kNumbers);
        const auto first = all.begin() + static_cast<std::ptrdiff_t>(part_.first);
        return std::vector<double>(first, first + extent_);
    }

  private:
    Part part_;
    std::uint32_t extent_;
};

// What is not said has the value that others write for it.
double standardOf(Meaning meaning) {
    const auto figures = CameraFigures{};
    switch (meaning) {
    case Meaning::FocalLength: return figures.focalLength;
    case Meaning::GateWidth: return figures.horizontalAperture;
    case Meaning::GateHeight: return figures.verticalAperture;
    case Meaning::Squeeze: return figures.squeeze;
    case Meaning::FStop: return figures.fStop;
    case Meaning::FocusDistance: return figures.focusDistance;
    case Meaning::ShutterClose: return figures.shutterClose;
    case Meaning::NearClip: return figures.nearClip;
    case Meaning::FarClip: return figures.farClip;
    default: return 0.0;
    }
}

class JoinedCore final : public SampledValues {
  public:
    explicit JoinedCore(std::array<ValuesPtr, kParts.size()> parts) : parts_(std::move(parts)) {
        std::vector<Sampling> samplings;
        for (const ValuesPtr& part : parts_)
            if (part)
                samplings.push_back(part->sampling());
        sampling_ = commonSampling(samplings);
        if (sampling_.isStill() && !samplings.empty())
            sampling_ = samplings.front();
    }
    [[nodiscard]] ValueType type() const override { return ValueType::Double; }
    [[nodiscard]] std::uint32_t extent() const override { return kNumbers; }
    [[nodiscard]] bool isArray() const override { return false; }
    [[nodiscard]] const Sampling& sampling() const override { return sampling_; }
    [[nodiscard]] Result<PropertyValue> read(std::size_t sample) const override {
        std::array<double, kNumbers> all{};
        for (std::size_t p = 0; p < kParts.size(); ++p) {
            const Part& part = kParts[p];
            all[part.first] = standardOf(part.meaning);
            if (!parts_[p])
                continue;
            // A part as it came has the very numbers that it came with.
            if (const auto* own = dynamic_cast<const CorePart*>(parts_[p].get())) {
                WYC_TRY(raw, own->rawAt(sampling_.time(sample)));
                std::copy(raw.begin(), raw.end(), all.begin() + static_cast<std::ptrdiff_t>(part.first));
                continue;
            }
            WYC_TRY(numbers, parts_[p]->sampling() == sampling_ ? numbersOf(*parts_[p], sample)
                                                                : numbersAt(*parts_[p], sampling_.time(sample)));
            for (std::size_t i = 0; i < numbers.size() && part.first + i < kNumbers; ++i)
                all[part.first + i] = fromMetres(numbers[i], part.perMetre);
        }
        return valueOf(all);
    }
    [[nodiscard]] bool constant() const override {
        return std::all_of(parts_.begin(), parts_.end(), [](const ValuesPtr& p) { return !p || p->constant(); });
    }

  private:
    std::array<ValuesPtr, kParts.size()> parts_;
    Sampling sampling_;
};

using Ops = std::vector<std::string>;

constexpr FilmBack kStraight{1, 0, 0, 0, 1, 0, 0, 0, 1};

// One operation: "t" moves, "s" scales, "m" is a whole matrix; a letter for the hint follows.
std::size_t applyOperation(const std::string& op, std::span<const double> numbers, FilmBack& result) {
    const char kind = op.empty() ? ' ' : op.front();
    const std::size_t count = kind == 'm' ? 9 : kind == 't' || kind == 's' ? 2 : 0;
    if (numbers.size() < count)
        return numbers.size();
    FilmBack matrix = kStraight;
    if (kind == 't') {
        matrix[6] = numbers[0];
        matrix[7] = numbers[1];
    } else if (kind == 's') {
        matrix[0] = numbers[0];
        matrix[4] = numbers[1];
    } else if (kind == 'm') {
        std::copy_n(numbers.begin(), 9, matrix.begin());
    }
    result = combined(matrix, result);
    return count;
}

// The film back as one matrix, and the operations that it came from.
class FilmBackMatrix final : public ValuesWrapper {
  public:
    /// `opsBefore`: the operations stood before their numbers.
    FilmBackMatrix(ValuesPtr numbers, Ops ops, PropertyNode operations, bool opsBefore)
        : ValuesWrapper(std::move(numbers)),
          ops_(std::move(ops)),
          operations_(std::move(operations)),
          opsBefore_(opsBefore) {}
    [[nodiscard]] std::uint32_t extent() const override { return 9; }
    [[nodiscard]] bool isArray() const override { return false; }
    [[nodiscard]] Result<PropertyValue> read(std::size_t sample) const override {
        WYC_TRY(numbers, numbersOf(inner(), sample));
        FilmBack matrix = kStraight;
        std::size_t used = 0;
        for (const std::string& op : ops_)
            used += applyOperation(op, std::span<const double>(numbers).subspan(used), matrix);
        return valueOf(matrix);
    }
    [[nodiscard]] Result<PropertyValue> readAt(double seconds, const ValueMix& how) const override {
        return SampledValues::readAt(seconds, how);
    }
    [[nodiscard]] const PropertyNode& operations() const { return operations_; }
    [[nodiscard]] const ValuesPtr& numbers() const { return innerPtr(); }
    [[nodiscard]] bool opsBefore() const { return opsBefore_; }

  private:
    Ops ops_;
    PropertyNode operations_;
    bool opsBefore_;
};

PropertyNode* named(std::vector<PropertyNode>& list, std::string_view name) {
    const auto found = std::find_if(list.begin(), list.end(), [&](const PropertyNode& p) { return p.name == name; });
    return found == list.end() ? nullptr : &*found;
}

// What `nameLens` made of sixteen numbers; groups of that name that are somebody else's stay theirs.
bool isNamedLens(const PropertyNode& property) {
    return property.name == kCore && !property.values &&
           std::any_of(property.children.begin(), property.children.end(),
                       [](const PropertyNode& child) { return child.meaning == Meaning::FocalLength; });
}

} // namespace

void nameLens(std::vector<PropertyNode>& list) {
    PropertyNode* core = named(list, kCore);
    if (!core || !core->values || core->values->type() != ValueType::Double || core->values->extent() != kNumbers ||
        core->values->isArray())
        return;
    for (const Part& part : kParts) {
        const CameraChannel& channel = cameraChannel(part.meaning);
        core->children.push_back(plainProperty(part.meaning, meaningName(part.meaning),
                                               std::make_shared<CorePart>(core->values, part, channel.extent),
                                               channel.space, channel.time));
    }
    core->values = nullptr;
    core->meaning = Meaning::Unknown;
    // The numbers' place in the list is the matrix's; the operations go with it.
    const PropertyNode* ops = named(list, kFilmBackOps);
    PropertyNode* numbers = named(list, kFilmBackNumbers);
    const bool beside = ops && numbers && (ops + 1 == numbers || numbers + 1 == ops);
    if (!beside || !ops->values || !numbers->values || ops->values->sampling().count() != 1 ||
        numbers->values->type() != ValueType::Double || numbers->values->sampling().count() == 0)
        return;
    auto words = stringsOf(*ops->values, 0);
    if (!words)
        return;
    const auto at = ops - list.data();
    numbers->values = std::make_shared<FilmBackMatrix>(numbers->values, std::move(*words), *ops, ops < numbers);
    numbers->meaning = Meaning::FilmBack;
    list.erase(list.begin() + at);
}

void joinLens(std::vector<PropertyNode>& list) {
    for (PropertyNode& property : list) {
        if (!isNamedLens(property)) {
            joinLens(property.children);
            continue;
        }
        std::array<ValuesPtr, kParts.size()> parts;
        for (const PropertyNode& child : property.children)
            for (std::size_t p = 0; p < kParts.size(); ++p)
                if (kParts[p].meaning == child.meaning)
                    parts[p] = child.values;
        // As they came: so is what they are parts of.
        const auto coreOf = [](const ValuesPtr& values) {
            const auto* part = dynamic_cast<const CorePart*>(values.get());
            return part ? part->core() : ValuesPtr();
        };
        const ValuesPtr whole = coreOf(parts.front());
        const bool untouched =
            whole && std::all_of(parts.begin(), parts.end(), [&](const ValuesPtr& p) { return coreOf(p) == whole; });
        property.values = untouched ? whole : std::make_shared<JoinedCore>(std::move(parts));
        property.children.clear();
    }
    const auto matrix =
        std::find_if(list.begin(), list.end(), [](const PropertyNode& p) { return p.meaning == Meaning::FilmBack; });
    if (matrix == list.end())
        return;
    matrix->name = kFilmBackNumbers;
    matrix->meaning = Meaning::Unknown;
    if (const auto* own = dynamic_cast<const FilmBackMatrix*>(matrix->values.get())) {
        const PropertyNode operations = own->operations();
        const bool before = own->opsBefore();
        const ValuesPtr numbers = own->numbers(); // the matrix goes with the last hold on it
        matrix->values = numbers;
        list.insert(before ? matrix : matrix + 1, operations);
        return;
    }
    // Whatever it was made of: one whole matrix.
    constexpr std::string_view kWhole{"mfilm_back\0", 11};
    list.insert(matrix, plainProperty(Meaning::Unknown, kFilmBackOps,
                                      memoryValues<char>(ValueType::String, 1, false, Sampling::still(),
                                                         {std::vector<char>(kWhole.begin(), kWhole.end())})));
}

namespace {

// Numbers that an archive's own unit has: writing and reading changes them no more.
class AsWritten final : public ValuesWrapper {
  public:
    AsWritten(ValuesPtr inner, double perMetre) : ValuesWrapper(std::move(inner)), perMetre_(perMetre) {}
    [[nodiscard]] const Sampling& statedSampling() const override { return inner().statedSampling(); }
    [[nodiscard]] Result<PropertyValue> read(std::size_t sample) const override {
        WYC_TRY(value, inner().read(sample));
        return written(std::move(value));
    }
    [[nodiscard]] Result<PropertyValue> readAt(double seconds, const ValueMix& how) const override {
        WYC_TRY(value, inner().readAt(seconds, how));
        return written(std::move(value));
    }
    [[nodiscard]] std::optional<std::uint64_t> token(std::size_t) const override { return std::nullopt; }
    [[nodiscard]] std::optional<std::uint64_t> tokenAt(double) const override { return std::nullopt; }

  private:
    [[nodiscard]] PropertyValue written(PropertyValue value) const {
        changeNumbers(type(), value, [&]<class T>(std::span<T> numbers) {
            for (T& number : numbers)
                number = static_cast<T>(toMetres(fromMetres(static_cast<double>(number), perMetre_), perMetre_));
        });
        return value;
    }
    double perMetre_;
};

// At the times of the whole lens: an archive samples its numbers together.
class SampledTogether final : public ValuesWrapper {
  public:
    SampledTogether(ValuesPtr inner, Sampling sampling)
        : ValuesWrapper(std::move(inner)), sampling_(std::move(sampling)) {}
    [[nodiscard]] const Sampling& sampling() const override { return sampling_; }
    [[nodiscard]] const Sampling& statedSampling() const override { return sampling_; }
    [[nodiscard]] bool constant() const override { return sampling_.isStill() || inner().sameAlways(); }
    [[nodiscard]] Result<PropertyValue> read(std::size_t sample) const override {
        return inner().readAt(sampling_.time(sample), {});
    }
    [[nodiscard]] std::optional<std::uint64_t> token(std::size_t sample) const override {
        return inner().tokenAt(sampling_.time(sample));
    }

  private:
    Sampling sampling_;
};

const Part* partOf(const Channel& channel) {
    const auto part =
        std::find_if(kParts.begin(), kParts.end(), [&](const Part& p) { return p.meaning == channel.meaning; });
    return part == kParts.end() ? nullptr : &*part;
}

} // namespace

Result<Scene> withWritableLenses(Scene scene) {
    for (Node& node : scene.nodes) {
        if (node.kind != NodeKind::Camera && node.kind != NodeKind::Light)
            continue;
        std::vector<Sampling> samplings;
        for (const Channel& channel : channelsOf(node.properties))
            if (partOf(channel))
                samplings.push_back(channel.values->sampling());
        const bool together =
            std::adjacent_find(samplings.begin(), samplings.end(), std::not_equal_to<>()) == samplings.end();
        const Sampling common = commonSampling(samplings);
        node.properties = changedChannels(node.properties, [together, common](const Channel& channel) -> ValuesPtr {
            const Part* part = partOf(channel);
            if (!part)
                return channel.values;
            ValuesPtr values = together || common.isStill() || channel.values->sampling() == common
                                   ? channel.values
                                   : std::make_shared<SampledTogether>(channel.values, common);
            const bool asItCame = dynamic_cast<const CorePart*>(values.get()) != nullptr;
            return part->perMetre == 1.0 || asItCame ? values : std::make_shared<AsWritten>(values, part->perMetre);
        });
    }
    return scene;
}

} // namespace wyc::abc
