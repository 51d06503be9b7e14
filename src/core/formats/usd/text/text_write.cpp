// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/text/text_write.h"

#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "base/text.h"
#include "formats/usd/layer/fields.h"
#include "formats/usd/text/number_words.h"

namespace wyc::usd {
namespace {

constexpr std::size_t kBufferBytes = 1 << 20;

std::string_view keywordOf(std::string_view field) {
    if (field == "documentation")
        return "doc";
    if (field == "inheritPaths")
        return "inherits";
    if (field == "variantSelection")
        return "variants";
    if (field == "variantSetNames")
        return "variantSets";
    if (field == "layerRelocates")
        return "relocates";
    return field;
}

bool isPlainWord(std::string_view text) {
    const auto letter = [](char c) { return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || c == '_'; };
    return !text.empty() && letter(text.front()) &&
           std::all_of(text.begin(), text.end(), [&](char c) { return letter(c) || (c >= '0' && c <= '9'); });
}

// A name that stands without marks: of a property, or of a type.
bool isBareName(std::string_view text, std::string_view further) {
    return !text.empty() && std::all_of(text.begin(), text.end(), [&](char c) {
        return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '_' ||
               static_cast<unsigned char>(c) >= 0x80 || further.find(c) != std::string_view::npos;
    });
}

Error noForm(std::string what) {
    return makeError(ErrorKind::Unsupported, std::move(what) + " has no form in a text layer")
        .withAdvice("Write the layer in the binary encoding");
}

std::string textWords(std::string_view text) {
    const bool lines = text.find('\n') != std::string_view::npos;
    const bool valid = validUtf8(std::string(text)) == text;
    std::string result = lines ? "\"\"\"" : "\"";
    for (const char c : text) {
        const auto code = static_cast<unsigned char>(c);
        if (c == '"' || c == '\\')
            result += fmt::format("\\{}", c);
        else if (c == '\n')
            result += c;
        else if (c == '\t')
            result += "\\t";
        else if (c == '\r')
            result += "\\r";
        else if (code < 0x20 || code == 0x7f || (code >= 0x80 && !valid))
            result += fmt::format("\\x{:02x}", code);
        else
            result += c;
    }
    return result + (lines ? "\"\"\"" : "\"");
}

Result<std::string> assetWords(const std::string& name) {
    if (name.find('\n') != std::string::npos)
        return fail(ErrorKind::Unsupported, "a file name with a line break has no form in a text layer");
    if (name.find('@') == std::string::npos)
        return "@" + name + "@";
    std::string inner;
    for (std::size_t i = 0; i < name.size();)
        if (name.compare(i, 3, "@@@") == 0) {
            inner += "\\@@@";
            i += 3;
        } else {
            inner += name[i++];
        }
    // Marks at the end are read as belonging to the name.
    return "@@@" + inner + "@@@";
}

class TextWriter {
  public:
    TextWriter(const Layer& layer, AtomicFile& file, const Progress& progress)
        : layer_(layer), file_(file), progress_(progress) {}

    Status write() {
        forEachPrim(*layer_.root, "/", [&](const std::string&, const PrimSpec& prim) {
            for (const PropertySpec& property : prim.properties)
                for (const Field& field : property.fields) {
                    noteVersion(field.value);
                    if (field.value.samples())
                        allSamples_ += field.value.samples()->times().size();
                }
        });
        out_ += fmt::format("#usda 1.{}\n", minor_);
        if (!layer_.root->fields.empty()) {
            out_ += "(\n";
            WYC_CHECK(metadata(layer_.root->fields, 1, true));
            out_ += ")\n";
        }
        WYC_CHECK(contents(*layer_.root, 0, true));
        return flushed(0);
    }

  private:
    void noteVersion(const Value& value) {
        if (const auto* spline = value.pointed<Spline>()) {
            for (const Spline::Knot& knot : spline->knots)
                if (knot.algorithmBefore != 0 || knot.algorithmAfter != 0)
                    minor_ = std::max(minor_, 1);
        } else if (value.data() && value.data()->type.base == Base::Duration) {
            minor_ = std::max(minor_, 4);
        }
    }

    Status flushed(std::size_t above) {
        if (out_.size() <= above)
            return {};
        WYC_CHECK(file_.append(out_));
        out_.clear();
        return progress_.poll();
    }
    void indent(int depth) { out_.append(static_cast<std::size_t>(depth) * 4, ' '); }

    // `inLayer`: those of the layer as a whole.
    Status metadata(const Fields& fields, int depth, bool inLayer = false) {
        for (const Field& field : fields)
            WYC_CHECK(metadatum(fields, field, depth, inLayer));
        return {};
    }

    static bool isOfHeader(std::string_view name) {
        return name == "specifier" || name == "typeName" || name == "custom" || name == "variability" ||
               name == "default" || name == "timeSamples" || name == "spline" || name == "connectionPaths" ||
               name == "targetPaths" || name == "primOrder" || name == "propertyOrder" || name == "subLayerOffsets";
    }

    Status metadatum(const Fields& fields, const Field& field, int depth, bool inLayer) {
        if (isOfHeader(field.name))
            return {};
        if (field.name == "comment" && field.value.text()) {
            indent(depth);
            out_ += textWords(*field.value.text()) + "\n";
            return {};
        }
        if (field.name == "subLayers" && inLayer)
            return subLayers(fields, textsOf(field.value), depth);
        const std::string keyword(keywordOf(field.name));
        if (const ListEdit* list = field.value.list())
            return listEdit(*list, depth, keyword);
        indent(depth);
        out_ += keyword + " = ";
        const FieldKind kind = fieldKind(field.name);
        if (kind.of == FieldKind::Of::Word && field.value.text())
            out_ += isPlainWord(*field.value.text()) ? *field.value.text() : textWords(*field.value.text());
        else if (kind.of == FieldKind::Of::TextMap && field.value.dictionary())
            textMap(*field.value.dictionary(), field.name == "variantSelection", depth);
        else
            WYC_CHECK(value(field.value, depth));
        out_ += '\n';
        return {};
    }

    Status subLayers(const Fields& fields, const std::vector<std::string>& names, int depth) {
        std::vector<double> offsets;
        if (const Value* held = fieldOf(fields, "subLayerOffsets")) {
            WYC_TRY(numbers, numbersOf(*held));
            offsets = std::move(numbers);
        }
        offsets.resize(2 * names.size(), 0.0);
        indent(depth);
        out_ += "subLayers = [";
        for (std::size_t i = 0; i < names.size(); ++i) {
            out_ += i > 0 ? ",\n" : "\n";
            indent(depth + 1);
            WYC_TRY(words, assetWords(names[i]));
            out_ += words;
            out_ += offsetWords(offsets[2 * i], offsets[2 * i + 1]);
        }
        if (!names.empty()) {
            out_ += '\n';
            indent(depth);
        }
        out_ += "]\n";
        return {};
    }

    static std::string numberWords(double number, Base base = Base::Double) {
        std::string words;
        appendValueWords({base}, bytesFrom({base}, std::span(&number, 1)), words);
        return words;
    }
    static std::string offsetWords(double offset, double scale) {
        std::string words;
        if (offset != 0.0)
            words += "offset = " + numberWords(offset);
        if (scale != 1.0)
            words += (words.empty() ? "" : "; ") + ("scale = " + numberWords(scale));
        return words.empty() ? words : " (" + words + ")";
    }

    void textMap(const Dictionary& entries, bool typed, int depth) {
        out_ += "{\n";
        for (std::size_t i = 0; i < entries.size(); ++i) {
            indent(depth + 1);
            const auto& [key, held] = entries[i];
            const std::string text = held.text() ? *held.text() : std::string();
            if (typed)
                out_ += "string " + keyWords(key) + " = " + textWords(text) + "\n";
            else
                out_ += textWords(key) + ": " + textWords(text) + (i + 1 < entries.size() ? ",\n" : "\n");
        }
        indent(depth);
        out_ += '}';
    }
    static std::string keyWords(const std::string& key) { return isPlainWord(key) ? key : textWords(key); }

    // One statement for each kind of edit. `name`: what stands in front of '='.
    Status listEdit(const ListEdit& list, int depth, const std::string& name) {
        const std::array parts{std::pair{"", &list.explicitItems},   std::pair{"delete ", &list.deleted},
                               std::pair{"add ", &list.added},       std::pair{"prepend ", &list.prepended},
                               std::pair{"append ", &list.appended}, std::pair{"reorder ", &list.ordered}};
        bool any = false;
        for (const auto& [edit, items] : parts) {
            const bool is = *edit == '\0' && list.isExplicit;
            if (items->empty() && !is)
                continue;
            any = true;
            indent(depth);
            out_ += edit + name + " = ";
            WYC_CHECK(listItems(*items, list.of, depth));
            out_ += '\n';
        }
        if (!any) { // it is there, and does nothing
            indent(depth);
            out_ += "prepend " + name + " = []\n";
        }
        return {};
    }

    Status listItems(const std::vector<ListItem>& items, ListEdit::Of of, int depth) {
        if (items.empty()) {
            out_ += "None";
            return {};
        }
        const bool several = items.size() > 1 || of == ListEdit::Of::Tokens || of == ListEdit::Of::Strings;
        out_ += several ? "[" : "";
        for (std::size_t i = 0; i < items.size(); ++i) {
            out_ += i > 0 ? ", " : "";
            switch (of) {
            case ListEdit::Of::Paths: WYC_CHECK(path(items[i].text)); break;
            case ListEdit::Of::Tokens:
            case ListEdit::Of::Strings: out_ += textWords(items[i].text); break;
            case ListEdit::Of::Numbers: out_ += std::to_string(items[i].number); break;
            case ListEdit::Of::Arcs: WYC_CHECK(arc(items[i], depth)); break;
            }
        }
        out_ += several ? "]" : "";
        return {};
    }

    Status path(const std::string& text) {
        if (text.find_first_of(">\n") != std::string::npos)
            return fail(noForm(fmt::format("the path '{}'", safeName(text))));
        out_ += "<" + text + ">";
        return {};
    }

    Status arc(const ListItem& item, int depth) {
        if (!item.text.empty()) {
            WYC_TRY(words, assetWords(item.text));
            out_ += words;
        }
        if (!item.prim.empty() || item.text.empty())
            WYC_CHECK(path(item.prim));
        if (!item.customData || item.customData->empty()) {
            out_ += offsetWords(item.offset, item.scale);
            return {};
        }
        out_ += " (";
        if (item.offset != 0.0)
            out_ += "offset = " + numberWords(item.offset) + "; ";
        if (item.scale != 1.0)
            out_ += "scale = " + numberWords(item.scale) + "; ";
        out_ += "customData = ";
        WYC_CHECK(dictionary(*item.customData, depth));
        out_ += ")";
        return {};
    }

    Status dictionary(const Dictionary& entries, int depth) {
        out_ += "{\n";
        for (const auto& [key, held] : entries) {
            indent(depth + 1);
            if (held.dictionary()) {
                out_ += "dictionary " + keyWords(key) + " = ";
            } else if (held.data()) {
                out_ += nameOf(held.data()->type) + " " + keyWords(key) + " = ";
            } else {
                return fail(ErrorKind::Unsupported,
                            fmt::format("the entry '{}' of a dictionary has no form in a text layer", validUtf8(key)));
            }
            WYC_CHECK(value(held, depth + 1));
            out_ += '\n';
        }
        indent(depth);
        out_ += '}';
        return {};
    }

    Status value(const Value& held, int depth) {
        if (const Data* data = held.data())
            return data->type.isText() ? texts(*data) : numbers(*data);
        if (held.isBlock()) {
            out_ += "None";
            return {};
        }
        if (held.as<AnimationBlock>()) {
            out_ += "AnimationBlock";
            return {};
        }
        if (const Dictionary* entries = held.dictionary())
            return dictionary(*entries, depth);
        if (const auto* relocates = held.pointed<Relocates>()) {
            out_ += "{\n";
            for (std::size_t i = 0; i < relocates->pairs.size(); ++i) {
                indent(depth + 1);
                WYC_CHECK(path(relocates->pairs[i].first));
                out_ += ": ";
                WYC_CHECK(path(relocates->pairs[i].second));
                out_ += i + 1 < relocates->pairs.size() ? ",\n" : "\n";
            }
            indent(depth);
            out_ += '}';
            return {};
        }
        if (const auto* edit = held.pointed<ArrayEdit>(); edit && !edit->words.empty()) {
            out_ += "edit " + edit->words;
            return {};
        }
        if (const auto* opaque = held.as<Opaque>(); opaque && opaque->asWritten) {
            out_ += opaque->what;
            return {};
        }
        const auto* opaque = held.as<Opaque>();
        return fail(makeError(ErrorKind::Unsupported, fmt::format("{} has no form in a text layer that is known here",
                                                                  opaque ? opaque->what : "a value"))
                        .withAdvice("Write the layer in the binary encoding"));
    }

    Status texts(const Data& data) {
        out_ += data.type.array ? "[" : "";
        for (std::size_t i = 0; i < data.texts->size(); ++i) {
            out_ += i > 0 ? ", " : "";
            if (data.type.base == Base::Asset) {
                WYC_TRY(words, assetWords((*data.texts)[i]));
                out_ += words;
            } else {
                out_ += textWords((*data.texts)[i]);
            }
        }
        out_ += data.type.array ? "]" : "";
        return {};
    }

    Status numbers(const Data& data) {
        WYC_TRY(bytes, bytesOf(data));
        const Type one = data.type.single();
        const std::size_t size = sizeOf(one);
        if (size == 0 || bytes->size() % size != 0 || (!data.type.array && bytes->size() != size))
            return fail(ErrorKind::Internal, fmt::format("a {} has {} bytes", nameOf(data.type), bytes->size()));
        out_ += data.type.array ? "[" : "";
        for (std::size_t at = 0; at < bytes->size(); at += size) {
            out_ += at > 0 ? ", " : "";
            appendValueWords(one, std::span(*bytes).subspan(at, size), out_);
            WYC_CHECK(flushed(kBufferBytes));
        }
        out_ += data.type.array ? "]" : "";
        return {};
    }

    Status contents(const PrimSpec& prim, int depth, bool inLayer) {
        for (const auto& [field, words] :
             {std::pair{"propertyOrder", "reorder properties = "},
              std::pair{"primOrder", inLayer ? "reorder rootPrims = " : "reorder nameChildren = "}})
            if (const Value* order = prim.field(field)) {
                indent(depth);
                out_ += words;
                WYC_CHECK(texts({{Base::Token, 1, false, true},
                                 {},
                                 std::make_shared<const std::vector<std::string>>(textsOf(*order)),
                                 {}}));
                out_ += '\n';
            }
        for (const PropertySpec& property : prim.properties)
            if (auto status = this->property(property, depth); !status)
                return fail(std::move(status.error()).forItem(property.name));
        for (const VariantSetSpec& set : prim.variantSets) {
            indent(depth);
            out_ += "variantSet " + textWords(set.name) + " = {\n";
            for (const auto& variant : set.variants) {
                indent(depth + 1);
                out_ += textWords(variant->name);
                WYC_CHECK(body(*variant, depth + 1));
            }
            indent(depth);
            out_ += "}\n";
        }
        for (const auto& child : prim.children) {
            out_ += '\n';
            indent(depth);
            const Value* specifier = child->field("specifier");
            out_ += specifier && specifier->text() ? *specifier->text() : "over";
            const Value* type = child->field("typeName");
            if (type && type->text() && !type->text()->empty()) {
                if (!isBareName(*type->text(), ".:"))
                    return fail(noForm(fmt::format("a prim of type '{}'", safeName(*type->text()))));
                out_ += " " + *type->text();
            }
            out_ += " " + textWords(child->name);
            WYC_CHECK(body(*child, depth));
        }
        return flushed(kBufferBytes);
    }

    // What follows the name of a prim or of a variant.
    Status body(const PrimSpec& prim, int depth) {
        const bool told = std::any_of(prim.fields.begin(), prim.fields.end(),
                                      [](const Field& field) { return !isOfHeader(field.name); });
        if (told) {
            out_ += " (\n";
            WYC_CHECK(metadata(prim.fields, depth + 1));
            indent(depth);
            out_ += ")";
        }
        out_ += "\n";
        indent(depth);
        out_ += "{\n";
        WYC_CHECK(contents(prim, depth + 1, false));
        indent(depth);
        out_ += "}\n";
        return {};
    }

    Status property(const PropertySpec& property, int depth) {
        const auto word = [&](std::string_view field) {
            const Value* held = property.field(field);
            return held && held->text() ? *held->text() : std::string();
        };
        std::string head;
        if (const Value* custom = property.field("custom"); custom && custom->boolean().value_or(false))
            head += "custom ";
        const std::string variability = word("variability");
        // Of relationships it is the usual thing that they do not change.
        if (property.relationship ? variability != "uniform" : !variability.empty() && variability != "varying")
            head += (variability.empty() ? std::string("varying") : variability) + " ";
        const std::string type = property.relationship ? "rel" : word("typeName");
        if (!isBareName(property.name, ":") || !isBareName(type, "[]"))
            return fail(noForm(fmt::format("a property '{}' of type '{}'", safeName(property.name), safeName(type))));
        const std::string named = type + " " + property.name;
        const Value* lists = property.field(property.relationship ? "targetPaths" : "connectionPaths");
        const Value* plain = property.field("default");
        const Value* over = property.field("timeSamples");
        const Samples* track = over ? over->samples() : nullptr;
        std::optional<Value> still;
        if (track && track->stillIfEqual()) {
            WYC_TRY(one, stillValue(*track));
            still = std::move(one);
        }
        if (still) {
            plain = &*still;
            track = nullptr;
        }
        const bool told = std::any_of(property.fields.begin(), property.fields.end(),
                                      [](const Field& field) { return !isOfHeader(field.name); });
        // The first statement says what it is, and has its metadata.
        const bool targets = property.relationship && lists && lists->list() && lists->list()->isExplicit;
        const auto has = [&](const char* field) { return property.field(field) != nullptr; };
        const bool elsewhere = track || has("spline") || (lists && !property.relationship);
        if (plain || targets || told || !elsewhere) {
            indent(depth);
            out_ += head + named;
            if (plain) {
                out_ += " = ";
                WYC_CHECK(value(*plain, depth));
            } else if (targets) {
                out_ += " = ";
                WYC_CHECK(listItems(lists->list()->explicitItems, ListEdit::Of::Paths, depth));
            }
            if (told) {
                out_ += " (\n";
                WYC_CHECK(metadata(property.fields, depth + 1));
                indent(depth);
                out_ += ")";
            }
            out_ += '\n';
        }
        if (track) {
            indent(depth);
            out_ += head + named + ".timeSamples = {\n";
            WYC_CHECK(samples(*track, depth + 1));
            indent(depth);
            out_ += "}\n";
        }
        if (const Value* held = property.field("spline"); held && held->pointed<Spline>()) {
            indent(depth);
            out_ += head + named + ".spline = {\n";
            WYC_CHECK(spline(*held->pointed<Spline>(), depth + 1));
            indent(depth);
            out_ += "}\n";
        }
        if (lists && lists->list()) {
            ListEdit rest = *lists->list();
            if (targets) {
                rest.isExplicit = false;
                rest.explicitItems.clear();
                if (rest.added.empty() && rest.prepended.empty() && rest.appended.empty() && rest.deleted.empty() &&
                    rest.ordered.empty())
                    return {};
            }
            return listEdit(rest, depth, head + named + (property.relationship ? "" : ".connect"));
        }
        return {};
    }

    // Of samples that all are the same numbers.
    static Result<std::optional<Value>> stillValue(const Samples& samples) {
        WYC_TRY(first, samples.value(0));
        if (!first.data())
            return std::optional<Value>();
        WYC_TRY(bytes, bytesOf(*first.data()));
        for (std::size_t i = 1; i < samples.times().size(); ++i) {
            WYC_TRY(next, samples.value(i));
            if (!next.data())
                return std::optional<Value>();
            WYC_TRY(others, bytesOf(*next.data()));
            if (*others != *bytes)
                return std::optional<Value>();
        }
        return std::optional(std::move(first));
    }

    Status samples(const Samples& samples, int depth) {
        for (std::size_t i = 0; i < samples.times().size(); ++i) {
            indent(depth);
            out_ += numberWords(samples.times()[i]) + ": ";
            WYC_TRY(held, samples.value(i));
            WYC_CHECK(value(held, depth));
            out_ += ",\n";
            progress_.report(static_cast<double>(++doneSamples_) / static_cast<double>(allSamples_), "writing", {});
            WYC_CHECK(flushed(kBufferBytes));
        }
        return {};
    }

    void outside(const char* which, Spline::Outside way, double slope, int depth) {
        const char* words = nullptr;
        switch (way) {
        case Spline::Outside::Held: return; // unsaid
        case Spline::Outside::None: words = "none"; break;
        case Spline::Outside::Linear: words = "linear"; break;
        case Spline::Outside::Sloped: words = "sloped"; break;
        case Spline::Outside::LoopRepeat: words = "loop repeat"; break;
        case Spline::Outside::LoopReset: words = "loop reset"; break;
        case Spline::Outside::LoopOscillate: words = "loop oscillate"; break;
        }
        indent(depth);
        out_ += fmt::format("{}: {}", which, words);
        if (way == Spline::Outside::Sloped)
            out_ += "(" + numberWords(slope) + ")";
        out_ += ",\n";
    }

    Status spline(const Spline& spline, int depth) {
        const bool bezier = spline.curve == Spline::Curve::Bezier;
        indent(depth);
        out_ += bezier ? "bezier,\n" : "hermite,\n";
        outside("pre", spline.before, spline.slopeBefore, depth);
        outside("post", spline.after, spline.slopeAfter, depth);
        if (spline.loop) {
            indent(depth);
            out_ += fmt::format("loop: ({}, {}, {}, {}, {}),\n", numberWords(spline.loop->start),
                                numberWords(spline.loop->end), spline.loop->before, spline.loop->after,
                                numberWords(spline.loop->valueOffset));
        }
        const auto tangent = [&](double width, double slope, std::uint8_t algorithm) {
            std::string words = " (";
            if (bezier)
                words += numberWords(width) + ", ";
            words += numberWords(slope, spline.base);
            if (algorithm != 0)
                words += algorithm == 1 ? ", custom" : ", autoEase";
            return words + ")";
        };
        for (const Spline::Knot& knot : spline.knots) {
            if (knot.algorithmBefore > 2 || knot.algorithmAfter > 2)
                return fail(ErrorKind::Unsupported, "a way of finding tangents that is not known here");
            indent(depth);
            out_ += numberWords(knot.time) + ": ";
            if (knot.valueBefore)
                out_ += numberWords(*knot.valueBefore, spline.base) + " & ";
            out_ += numberWords(knot.value, spline.base);
            // What is nothing is unsaid, as others do.
            const auto said = [](double number) { return number != 0.0 || std::signbit(number); };
            if (said(knot.widthBefore) || said(knot.slopeBefore) || knot.algorithmBefore != 0)
                out_ += "; pre" + tangent(knot.widthBefore, knot.slopeBefore, knot.algorithmBefore);
            static constexpr const char* kWays[] = {"none", "held", "linear", "curve"};
            out_ += fmt::format("; post {}", kWays[static_cast<std::size_t>(knot.after)]);
            if (knot.after == Spline::Between::Curve || said(knot.widthAfter) || said(knot.slopeAfter) ||
                knot.algorithmAfter != 0)
                out_ += tangent(knot.widthAfter, knot.slopeAfter, knot.algorithmAfter);
            if (knot.customData) {
                out_ += "; ";
                WYC_CHECK(dictionary(*knot.customData, depth));
            }
            out_ += ",\n";
        }
        return {};
    }

    const Layer& layer_;
    AtomicFile& file_;
    const Progress& progress_;
    std::string out_;
    int minor_ = 0;
    std::size_t allSamples_ = 0;
    std::size_t doneSamples_ = 0;
};

} // namespace

Status writeText(const Layer& layer, AtomicFile& file, const Progress& progress) {
    return TextWriter(layer, file, progress).write();
}

} // namespace wyc::usd
