// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/text/text_read.h"

#include <algorithm>
#include <map>
#include <mutex>
#include <set>
#include <unordered_map>

#include <fmt/format.h>

#include "base/text.h"
#include "formats/usd/layer/fields.h"
#include "formats/usd/layer/path.h"
#include "formats/usd/text/lexer.h"

namespace wyc::usd {
namespace {

constexpr std::size_t kShortArray = 2048; // characters: read at once; longer ones when asked for
constexpr std::uint64_t kLongestArray = 16ULL << 30;

/// An array of numbers that stays in the file.
class TextArray final : public ArraySource {
  public:
    TextArray(Bytes bytes, const Type& type, std::uint64_t begin, std::uint64_t end, std::uint64_t line,
              std::uint64_t column, std::uint64_t count)
        : bytes_(std::move(bytes)),
          type_(type),
          begin_(begin),
          end_(end),
          line_(line),
          column_(column),
          count_(count) {}
    [[nodiscard]] Result<std::uint64_t> count() const override { return count_; }
    [[nodiscard]] Result<std::vector<std::byte>> read() const override {
        if (end_ - begin_ > kLongestArray)
            return fail(makeError(ErrorKind::Unsupported, "an array of more than 16 GB of text")
                            .atLine(line_)
                            .inFile(bytes_.name()));
        WYC_CHECK(bytes_.verifyUnchanged());
        const auto size = static_cast<std::size_t>(end_ - begin_);
        const auto held = std::make_unique_for_overwrite<char[]>(size);
        WYC_CHECK(bytes_.read(begin_, std::as_writable_bytes(std::span(held.get(), size))));
        const std::string_view text(held.get(), size);
        WYC_TRY(numbers, parseNumbers(type_, text, bytes_, line_, column_, count_));
        if (numbers.size() != count_ * sizeOf(type_))
            return fail(makeError(ErrorKind::BadFormat, "an array has a comma without a value")
                            .atLine(line_)
                            .inFile(bytes_.name()));
        return numbers;
    }
    [[nodiscard]] Status readRange(std::uint64_t first, std::span<std::byte> into) const override {
        WYC_TRY(all, read());
        const std::uint64_t from = first * sizeOf(type_);
        if (from > all.size() || into.size() > all.size() - from)
            return fail(ErrorKind::Internal, "more values are asked for than the array has");
        std::copy_n(all.begin() + static_cast<std::ptrdiff_t>(from), into.size(), into.begin());
        return {};
    }
    [[nodiscard]] std::uint64_t token() const override { return bytes_.offset() + begin_; }

  private:
    Bytes bytes_;
    Type type_;
    std::uint64_t begin_, end_, line_, column_, count_;
};

class Reader {
  public:
    explicit Reader(const Bytes& bytes) : bytes_(bytes), lex_(bytes, 1, 1) {}

    Result<std::unique_ptr<Layer>> read() {
        auto layer = std::make_unique<Layer>();
        layer->encoding = Encoding::Text;
        if (lex_.startsWith("\xEF\xBB\xBF")) // mark of UTF-8
            for (int i = 0; i < 3; ++i)
                (void)lex_.take(lex_.peek());
        const std::string head(trimmed(lex_.line()));
        if (!head.starts_with("#usda ") && !head.starts_with("#sdf "))
            return fail(
                makeError(ErrorKind::BadFormat, "the first line does not say that this is a layer ('#usda 1.0')")
                    .atLine(1)
                    .inFile(bytes_.name()));
        layer->version = std::string(trimmed(std::string_view(head).substr(head.find(' '))));
        if (!layer->version.starts_with("1."))
            return fail(
                makeError(ErrorKind::Unsupported,
                          fmt::format("text of version {}; versions 1.0 to 1.4 are read", safeName(layer->version)))
                    .atLine(1)
                    .inFile(bytes_.name()));
        lex_.skip();
        if (lex_.take('('))
            WYC_CHECK(metadata(layer->root->fields, "/"));
        WYC_CHECK(contents(*layer->root, "/", false, 0));
        WYC_CHECK(lex_.readable());
        return layer;
    }

  private:
    template<class... T> tl::unexpected<Error> wrong(fmt::format_string<T...> words, T&&... values) {
        return fail(lex_.error(fmt::format(words, std::forward<T>(values)...)));
    }

    static void set(Fields& fields, std::string_view name, Value value) {
        for (Field& field : fields)
            if (field.name == name) {
                field.value = std::move(value);
                return;
            }
        fields.push_back({std::string(name), std::move(value)});
    }

    // What stands in a prim or, at the top, in the layer. `inBraces`: up to '}'.
    Status contents(PrimSpec& prim, const std::string& path, bool inBraces, int depth) {
        if (depth > kDeepest)
            return wrong("prims are nested more than {} deep", kDeepest);
        std::unordered_map<std::string, std::size_t> properties; // by name
        std::set<std::string, std::less<>> children;
        while (true) {
            lex_.skip();
            if (lex_.atEnd()) {
                if (inBraces)
                    return wrong("the prim {} is never closed by }}", path);
                break;
            }
            if (inBraces && lex_.take('}'))
                break;
            if (lex_.take(';'))
                continue;
            const char first = lex_.peek();
            const std::string keyword = lex_.word();
            if (keyword.empty())
                return wrong("'{}' stands where a prim or a property should", validUtf8(std::string(1, first)));
            if (keyword == "def" || keyword == "over" || keyword == "class") {
                WYC_CHECK(child(prim, path, keyword, children, depth));
            } else if (keyword == "variantSet") {
                WYC_CHECK(variantSet(prim, path, depth));
            } else if (keyword == "reorder" && isOrder()) {
                WYC_CHECK(order(prim));
            } else if (path == "/") {
                return wrong("'{}' stands where a prim should", keyword);
            } else {
                WYC_CHECK(property(prim, path, keyword, properties));
            }
        }
        prim.index();
        return {};
    }

    bool isOrder() {
        lex_.skip();
        return lex_.startsWith("nameChildren") || lex_.startsWith("properties") || lex_.startsWith("rootPrims");
    }
    Status order(PrimSpec& prim) {
        const std::string what = lex_.word();
        WYC_CHECK(lex_.expect('=', "behind " + what));
        lex_.skip();
        WYC_TRY(names, texts());
        set(prim.fields, what == "properties" ? "propertyOrder" : "primOrder",
            Value::ofTexts(Base::Token, std::move(names)));
        return ended();
    }

    // "a", or ["a", "b"].
    Result<std::vector<std::string>> texts() {
        std::vector<std::string> result;
        if (!lex_.take('[')) {
            WYC_TRY(one, lex_.text());
            result.push_back(std::move(one));
            return result;
        }
        while (true) {
            lex_.skip();
            if (lex_.take(']'))
                return result;
            WYC_TRY(one, lex_.text());
            result.push_back(std::move(one));
            lex_.skip();
            if (!lex_.take(',') && lex_.peek() != ']')
                return wrong("',' or ']' is missing in a list of names");
        }
    }

    // A statement ends with its line, with ';', or where the braces do.
    Status ended() {
        lex_.skip();
        if (lex_.newLine() || lex_.atEnd() || lex_.peek() == ';' || lex_.peek() == '}' || lex_.peek() == ')')
            return {};
        return wrong("a statement should end here: its line, or ';'");
    }

    Status child(PrimSpec& parent, const std::string& path, const std::string& specifier,
                 std::set<std::string, std::less<>>& names, int depth) {
        auto prim = std::make_unique<PrimSpec>();
        prim->fields.push_back({"specifier", Value::ofText(Base::Token, specifier)});
        lex_.skip();
        std::string type = lex_.word();
        while (!type.empty() && lex_.peek() == '.') { // of foreign schemas
            (void)lex_.take('.');
            type += '.' + lex_.word();
        }
        if (!type.empty()) {
            lex_.skip();
            if (lex_.newLine())
                return wrong("the prim's name should stand on the line of '{}'", specifier);
            prim->fields.push_back({"typeName", Value::ofText(Base::Token, type)});
        }
        if (lex_.peek() != '"' && lex_.peek() != '\'')
            return wrong("the name of a prim is missing behind '{}'", specifier);
        WYC_TRY(name, lex_.text());
        if (name.empty() || name.find_first_of("/.{}[]<>") != std::string::npos)
            return wrong("'{}' is no name for a prim", safeName(name));
        if (!names.insert(name).second)
            return wrong("the prim {} stands here twice", childPath(path, name));
        prim->name = name;
        const std::string here = childPath(path, name);
        lex_.skip();
        if (lex_.take('('))
            WYC_CHECK(metadata(prim->fields, here));
        WYC_CHECK(lex_.expect('{', "in front of what the prim " + here + " holds"));
        WYC_CHECK(contents(*prim, here, true, depth + 1));
        parent.children.push_back(std::move(prim));
        lex_.skip();
        if (!lex_.newLine() && !lex_.atEnd())
            return wrong("a new line is missing behind the prim {}", here);
        return {};
    }

    Status variantSet(PrimSpec& prim, const std::string& path, int depth) {
        lex_.skip();
        WYC_TRY(name, lex_.text());
        WYC_CHECK(lex_.expect('=', "behind the name of a variant set"));
        WYC_CHECK(lex_.expect('{', "in front of its variants"));
        auto found = std::find_if(prim.variantSets.begin(), prim.variantSets.end(),
                                  [&](const auto& s) { return s.name == name; });
        if (found == prim.variantSets.end()) {
            prim.variantSets.push_back({name, {}});
            found = prim.variantSets.end() - 1;
        }
        const std::size_t set = static_cast<std::size_t>(found - prim.variantSets.begin());
        while (true) {
            lex_.skip();
            if (lex_.take('}'))
                return {};
            if (lex_.atEnd())
                return wrong("the variant set '{}' is never closed by }}", name);
            WYC_TRY(choice, lex_.text());
            auto variant = std::make_unique<PrimSpec>();
            variant->name = choice;
            const std::string here = path + "{" + name + "=" + choice + "}";
            lex_.skip();
            if (lex_.take('('))
                WYC_CHECK(metadata(variant->fields, here));
            WYC_CHECK(lex_.expect('{', "in front of what the variant holds"));
            WYC_CHECK(contents(*variant, here, true, depth + 1));
            if (prim.variantSets[set].variant(choice))
                return wrong("the variant {} stands here twice", here);
            prim.variantSets[set].variants.push_back(std::move(variant));
        }
    }

    // [edit] [custom] [uniform] type name[.part] [= value] [(metadata)]
    Status property(PrimSpec& prim, const std::string& path, std::string word,
                    std::unordered_map<std::string, std::size_t>& byName) {
        std::string edit;
        bool custom = false;
        std::string variability;
        const auto next = [&] {
            lex_.skip();
            word = lex_.word();
        };
        if (word == "add" || word == "prepend" || word == "append" || word == "delete" || word == "reorder") {
            edit = word;
            next();
        }
        if (word == "custom") {
            custom = true;
            next();
        }
        if (word == "uniform" || word == "varying" || word == "config") {
            variability = word;
            next();
        }
        if (word.empty())
            return wrong("the type of a property is missing");
        std::string type = word;
        const bool relationship = type == "rel";
        if (!relationship && lex_.take('[')) {
            if (!lex_.take(']'))
                return wrong("']' is missing behind '{}['", type);
            type += "[]";
        }
        lex_.skip();
        if (lex_.newLine())
            return wrong("the property's name should stand on the line of its type");
        const std::string name = lex_.word();
        if (name.empty())
            return wrong("the name of a property is missing behind its type '{}'", type);
        std::string part;
        if (lex_.take('.')) {
            part = lex_.word();
            if (part.empty())
                return wrong("'.' behind '{}' is followed by nothing", name);
        }
        const auto [at, isNew] = byName.emplace(name, prim.properties.size());
        if (isNew)
            prim.properties.push_back({name, relationship, {}});
        const std::size_t number = at->second;
        Fields& fields = prim.properties[number].fields;
        if (!isNew && prim.properties[number].relationship != relationship)
            return wrong("{}.{} is a relationship here and an attribute there", path, name);
        if (!relationship) {
            const Value* before = fieldOf(fields, "typeName");
            if (before && before->text() && *before->text() != type)
                return wrong("{}.{} is of type {} here and of type {} before", path, name, type, *before->text());
            set(fields, "typeName", Value::ofText(Base::Token, type));
        }
        if (custom)
            set(fields, "custom", Value::ofBool(true));
        if (relationship && isNew && variability.empty()) // unlike attributes, unless they say so
            variability = "uniform";
        if (!variability.empty() && variability != "varying")
            set(fields, "variability", Value::ofText(Base::Token, variability));
        lex_.skip();
        const Type of = relationship ? Type{} : typeNamed(type);
        if (lex_.take('=')) {
            lex_.skip();
            if (relationship || part == "connect")
                WYC_CHECK(editedPaths(fields, relationship ? "targetPaths" : "connectionPaths", edit, path));
            else if (part == "timeSamples")
                WYC_CHECK(timeSamples(fields, of));
            else if (part == "spline")
                WYC_CHECK(spline(fields, of));
            else if (part.empty() || part == "default") {
                WYC_TRY(value, this->value(of));
                set(fields, "default", std::move(value));
            } else
                return wrong("'.{}' of an attribute is not known", part);
        } else if (!part.empty()) {
            return wrong("'=' is missing behind {}.{}", name, part);
        }
        lex_.skip();
        if (lex_.peek() == '(' && lex_.take('('))
            WYC_CHECK(metadata(fields, path + "." + name));
        return ended();
    }

    static std::vector<ListItem>& listFor(ListEdit& list, const std::string& edit) {
        if (edit == "add")
            return list.added;
        if (edit == "prepend")
            return list.prepended;
        if (edit == "append")
            return list.appended;
        if (edit == "delete")
            return list.deleted;
        if (edit == "reorder")
            return list.ordered;
        list.isExplicit = true;
        return list.explicitItems;
    }

    void setList(Fields& fields, std::string_view name, ListEdit::Of of, const std::string& edit,
                 std::vector<ListItem> items) {
        const Value* before = fieldOf(fields, name);
        ListEdit list = before && before->list() ? *before->list() : ListEdit{};
        list.of = of;
        listFor(list, edit) = std::move(items);
        set(fields, name, Value(std::make_shared<const ListEdit>(std::move(list))));
    }

    // None, one item, or [items].
    template<class One> Result<std::vector<ListItem>> items(const One& one) {
        std::vector<ListItem> result;
        if (lex_.takeWord("None"))
            return result;
        if (!lex_.take('[')) {
            WYC_TRY(item, one());
            result.push_back(std::move(item));
            return result;
        }
        while (true) {
            lex_.skip();
            if (lex_.take(']'))
                return result;
            WYC_TRY(item, one());
            result.push_back(std::move(item));
            lex_.skip();
            if (!lex_.take(',') && lex_.peek() != ']')
                return wrong("',' or ']' is missing in a list");
        }
    }

    Result<std::string> pathFrom(const std::string& prim) {
        if (lex_.peek() != '<')
            return wrong("a path <…> is missing");
        WYC_TRY(text, lex_.path());
        return absolutePath(text, primPathOf(prim));
    }

    Status editedPaths(Fields& fields, std::string_view field, const std::string& edit, const std::string& prim) {
        WYC_TRY(paths, items([&]() -> Result<ListItem> {
                    WYC_TRY(text, pathFrom(prim));
                    return ListItem{text};
                }));
        setList(fields, field, ListEdit::Of::Paths, edit, std::move(paths));
        return {};
    }

    // @asset@</prim> (offset = 1; scale = 2; customData = { … })
    Result<ListItem> arc(const std::string& prim) {
        ListItem item;
        if (lex_.peek() == '@') {
            WYC_TRY(asset, lex_.asset());
            item.text = std::move(asset);
            lex_.skip();
        }
        if (lex_.peek() == '<') {
            WYC_TRY(path, pathFrom(prim));
            item.prim = std::move(path);
        } else if (item.text.empty()) {
            return wrong("a file @…@ or a prim <…> is missing");
        }
        lex_.skip();
        if (lex_.peek() == '(' && lex_.take('(')) {
            while (true) {
                lex_.skip();
                if (lex_.take(')'))
                    break;
                if (lex_.take(';') || lex_.take(','))
                    continue;
                const std::string word = lex_.word();
                WYC_CHECK(lex_.expect('=', "behind '" + word + "'"));
                lex_.skip();
                if (word == "customData") {
                    WYC_TRY(custom, dictionary(0));
                    item.customData = std::move(custom);
                } else if (word == "offset" || word == "scale") {
                    WYC_TRY(number, this->number());
                    (word == "offset" ? item.offset : item.scale) = number;
                } else {
                    return wrong("'{}' of a reference is not known", word);
                }
            }
        }
        return item;
    }

    Result<double> number() {
        const std::string text = lex_.numberText();
        std::vector<std::byte> bytes;
        if (!appendNumber(Base::Double, text, bytes))
            return wrong("'{}' is no number", validUtf8(text));
        return numbersOf({Base::Double}, bytes).front();
    }

    Status metadata(Fields& fields, const std::string& path) {
        while (true) {
            lex_.skip();
            if (lex_.take(')'))
                return {};
            if (lex_.take(';'))
                continue;
            if (lex_.atEnd())
                return wrong("the metadata of {} is never closed by )", path);
            if (lex_.peek() == '"' || lex_.peek() == '\'') {
                WYC_TRY(comment, lex_.text());
                set(fields, "comment", Value::ofText(Base::String, std::move(comment)));
                continue;
            }
            std::string word = lex_.word();
            std::string edit;
            if (word == "add" || word == "prepend" || word == "append" || word == "delete" || word == "reorder") {
                edit = word;
                lex_.skip();
                word = lex_.word();
            }
            if (word.empty())
                return wrong("a word of metadata is missing");
            WYC_CHECK(lex_.expect('=', "behind '" + word + "'"));
            lex_.skip();
            std::string field(fieldOfKeyword(word));
            if (path == "/" && field == "relocates")
                field = "layerRelocates";
            WYC_CHECK(metadatum(fields, field, edit, path));
            WYC_CHECK(ended());
        }
    }

    Status metadatum(Fields& fields, const std::string& field, const std::string& edit, const std::string& path) {
        const FieldKind kind = fieldKind(field);
        using Of = FieldKind::Of;
        switch (kind.of) {
        case Of::One: {
            WYC_TRY(value, this->value(kind.type));
            set(fields, field, std::move(value));
            return {};
        }
        case Of::Entries: {
            if (lex_.takeWord("None")) {
                set(fields, field, Value(Block{}));
                return {};
            }
            WYC_TRY(held, dictionary(0));
            set(fields, field, Value(std::move(held)));
            return {};
        }
        case Of::TextMap: {
            WYC_TRY(held, textMap());
            set(fields, field, Value(std::move(held)));
            return {};
        }
        case Of::Word: {
            lex_.skip();
            std::string word = lex_.word();
            if (word.empty() && (lex_.peek() == '"' || lex_.peek() == '\'')) {
                WYC_TRY(text, lex_.text());
                word = std::move(text);
            }
            set(fields, field, Value::ofText(Base::Token, std::move(word)));
            return {};
        }
        case Of::SubLayers: return subLayers(fields);
        case Of::Relocates: return relocates(fields, field, path);
        case Of::List: {
            WYC_TRY(list, items([&]() -> Result<ListItem> {
                        if (kind.items == ListEdit::Of::Arcs)
                            return arc(path);
                        if (kind.items == ListEdit::Of::Paths) {
                            WYC_TRY(text, pathFrom(path));
                            return ListItem{text};
                        }
                        if (kind.items == ListEdit::Of::Numbers) {
                            const std::string text = lex_.numberText();
                            const auto whole = parseInteger(text);
                            if (!whole)
                                return wrong("'{}' is no whole number", validUtf8(text));
                            return ListItem{{}, *whole};
                        }
                        WYC_TRY(text, lex_.text());
                        return ListItem{text};
                    }));
            setList(fields, field, kind.items, edit, std::move(list));
            return {};
        }
        case Of::Unknown: break;
        }
        if (lex_.peek() == '{') {
            WYC_TRY(held, dictionary(0));
            set(fields, field, Value(std::move(held)));
            return {};
        }
        WYC_TRY(words, lex_.raw());
        set(fields, field, Value(Opaque{std::move(words)}));
        return {};
    }

    Status subLayers(Fields& fields) {
        std::vector<std::string> names;
        std::vector<double> offsets;
        WYC_CHECK(lex_.expect('[', "in front of sublayers"));
        while (true) {
            lex_.skip();
            if (lex_.take(']'))
                break;
            if (lex_.peek() != '@')
                return wrong("the file of a sublayer @…@ is missing");
            WYC_TRY(item, arc("/"));
            names.push_back(item.text);
            offsets.push_back(item.offset);
            offsets.push_back(item.scale);
            lex_.skip();
            if (!lex_.take(',') && lex_.peek() != ']')
                return wrong("',' or ']' is missing in a list of sublayers");
        }
        Type pairs{Base::Double, 2, false, true};
        set(fields, "subLayers", Value::ofTexts(Base::String, std::move(names)));
        set(fields, "subLayerOffsets", Value::ofBytes(pairs, bytesFrom(pairs, offsets)));
        return {};
    }

    Status relocates(Fields& fields, const std::string& field, const std::string& path) {
        Relocates made;
        WYC_CHECK(lex_.expect('{', "in front of relocates"));
        while (true) {
            lex_.skip();
            if (lex_.take('}'))
                break;
            WYC_TRY(from, pathFrom(path));
            WYC_CHECK(lex_.expect(':', "between the paths of a relocation"));
            lex_.skip();
            WYC_TRY(to, pathFrom(path));
            made.pairs.emplace_back(std::move(from), std::move(to));
            lex_.skip();
            if (!lex_.take(',') && lex_.peek() != '}')
                return wrong("',' or '}}' is missing in relocates");
        }
        set(fields, field, Value(std::make_shared<const Relocates>(std::move(made))));
        return {};
    }

    static DictionaryPtr sorted(std::map<std::string, Value>&& entries) {
        Dictionary result;
        for (auto& [key, value] : entries)
            result.emplace_back(key, std::move(value));
        return std::make_shared<const Dictionary>(std::move(result));
    }

    // Of a dictionary's entry: a word, or a text.
    Result<std::string> key() {
        if (lex_.peek() == '"' || lex_.peek() == '\'')
            return lex_.text();
        std::string word = lex_.word();
        if (word.empty())
            return wrong("the key of a dictionary's entry is missing");
        return word;
    }

    // { type key = value … }
    Result<DictionaryPtr> dictionary(int depth) {
        if (depth > kDeepest)
            return wrong("dictionaries are nested more than {} deep", kDeepest);
        WYC_CHECK(lex_.expect('{', "in front of a dictionary"));
        std::map<std::string, Value> entries;
        while (true) {
            lex_.skip();
            if (lex_.take('}'))
                return sorted(std::move(entries));
            if (lex_.take(';') || lex_.take(','))
                continue;
            if (lex_.atEnd())
                return wrong("a dictionary is never closed by }}");
            std::string type = lex_.word();
            if (type.empty())
                return wrong("the type of a dictionary's entry is missing");
            if (lex_.take('[')) {
                if (!lex_.take(']'))
                    return wrong("']' is missing behind '{}['", type);
                type += "[]";
            }
            lex_.skip();
            WYC_TRY(key, this->key());
            WYC_CHECK(lex_.expect('=', "behind '" + key + "'"));
            lex_.skip();
            if (type == "dictionary") {
                WYC_TRY(inner, dictionary(depth + 1));
                entries[key] = Value(std::move(inner));
            } else {
                WYC_TRY(value, this->value(typeNamed(type)));
                entries[key] = std::move(value);
            }
        }
    }

    // { string key = "text" } or { "key": "text" }
    Result<DictionaryPtr> textMap() {
        WYC_CHECK(lex_.expect('{', "in front of names and texts"));
        std::map<std::string, Value> entries;
        while (true) {
            lex_.skip();
            if (lex_.take('}'))
                return sorted(std::move(entries));
            if (lex_.take(';') || lex_.take(','))
                continue;
            if (lex_.takeWord("string"))
                lex_.skip();
            WYC_TRY(key, this->key());
            lex_.skip();
            if (!lex_.take('=') && !lex_.take(':'))
                return wrong("'=' or ':' is missing behind '{}'", key);
            lex_.skip();
            WYC_TRY(text, lex_.text());
            entries[key] = Value::ofText(Base::String, std::move(text));
        }
    }

    Status timeSamples(Fields& fields, const Type& type) {
        WYC_CHECK(lex_.expect('{', "in front of samples"));
        std::vector<std::pair<double, Value>> samples;
        bool rising = true;
        while (true) {
            lex_.skip();
            if (lex_.take('}'))
                break;
            WYC_TRY(time, number());
            WYC_CHECK(lex_.expect(':', "behind the time of a sample"));
            lex_.skip();
            WYC_TRY(value, this->value(type));
            rising = rising && (samples.empty() || samples.back().first < time);
            samples.emplace_back(time, std::move(value));
            lex_.skip();
            if (!lex_.take(',') && lex_.peek() != '}')
                return wrong("',' or '}}' is missing behind a sample");
        }
        if (!rising) { // of two at one time the last counts
            std::stable_sort(samples.begin(), samples.end(),
                             [](const auto& a, const auto& b) { return a.first < b.first; });
            std::vector<std::pair<double, Value>> kept;
            for (auto& sample : samples) {
                if (!kept.empty() && kept.back().first == sample.first)
                    kept.back() = std::move(sample);
                else
                    kept.push_back(std::move(sample));
            }
            samples = std::move(kept);
        }
        std::vector<double> times;
        std::vector<Value> values;
        for (auto& [time, value] : samples) {
            times.push_back(time);
            values.push_back(std::move(value));
        }
        set(fields, "timeSamples",
            Value(std::shared_ptr<const Samples>(
                std::make_shared<const MemorySamples>(std::move(times), std::move(values)))));
        return {};
    }

    // A value of a type; of an unknown one what is written.
    Result<Value> value(const Type& type) {
        if (lex_.takeWord("None"))
            return Value(Block{});
        if (lex_.takeWord("AnimationBlock"))
            return Value(AnimationBlock{});
        if (type.base == Base::None) {
            WYC_TRY(words, lex_.raw());
            if (words.empty())
                return wrong("a value is missing");
            return Value(Opaque{std::move(words)});
        }
        if (type.array && lex_.takeWord("edit")) {
            WYC_TRY(words, lex_.raw());
            return Value(std::make_shared<const ArrayEdit>(ArrayEdit{type, std::move(words)}));
        }
        if (type.isText())
            return textValue(type);
        if (type.array)
            return numberArray(type);
        return singleNumber(type);
    }

    Result<std::string> oneText(Base base) {
        if (base == Base::Asset) {
            if (lex_.peek() != '@')
                return wrong("a file name @…@ is missing");
            return lex_.asset();
        }
        if (base == Base::Token && lex_.peek() == '<')
            return lex_.path();
        return lex_.text();
    }

    Result<Value> textValue(const Type& type) {
        if (!type.array) {
            WYC_TRY(text, oneText(type.base));
            return Value::ofText(type.base, std::move(text));
        }
        if (!lex_.take('['))
            return wrong("a {} is a list in square brackets", nameOf(type));
        std::vector<std::string> texts;
        while (true) {
            lex_.skip();
            if (lex_.take(']'))
                return Value::ofTexts(type.base, std::move(texts));
            WYC_TRY(text, oneText(type.base));
            texts.push_back(std::move(text));
            lex_.skip();
            if (!lex_.take(',') && lex_.peek() != ']')
                return wrong("',' or ']' is missing in a list of texts");
        }
    }

    Result<Value> singleNumber(const Type& type) {
        const std::uint64_t line = lex_.lineNumber();
        const std::uint64_t column = lex_.column();
        if (type.count == 1) {
            std::string text;
            if (type.base == Base::Bool && (lex_.peek() == '"' || lex_.peek() == '\'')) {
                WYC_TRY(quoted, lex_.text());
                text = std::move(quoted);
            } else {
                text = lex_.numberText();
            }
            std::vector<std::byte> bytes;
            if (!appendNumber(type.base, text, bytes))
                return text.empty() ? wrong("a value is missing: a {}", nameOf(type))
                                    : wrong("'{}' is no number that a {} can hold", validUtf8(text), nameOf(type));
            return Value::ofBytes(type, std::move(bytes));
        }
        if (lex_.peek() != '(')
            return wrong("a {} stands in round brackets", nameOf(type));
        WYC_TRY(text, lex_.bracketed());
        WYC_TRY(bytes, parseNumbers(type, text, bytes_, line, column, 1));
        if (bytes.size() != sizeOf(type))
            return wrong("a {} is one value", nameOf(type));
        return Value::ofBytes(type, std::move(bytes));
    }

    Result<Value> numberArray(const Type& type) {
        const std::uint64_t line = lex_.lineNumber();
        const std::uint64_t column = lex_.column() + 1;
        if (!lex_.take('['))
            return wrong("a {} is a list in square brackets", nameOf(type));
        const std::uint64_t begin = lex_.position();
        WYC_TRY(passed, lex_.passArray(type.count > 1 ? '(' : ','));
        const std::uint64_t rows = type.matrix2       ? 3
                                   : type.count == 9  ? 4
                                   : type.count == 16 ? 5
                                                      : 1; // brackets a value
        const std::uint64_t count = type.count > 1 ? passed.counted / rows
                                    : passed.empty ? 0
                                                   : passed.counted + (passed.lastIsComma ? 0 : 1);
        if (passed.end - begin > kShortArray)
            return Value(Data{
                type, {}, {}, std::make_shared<const TextArray>(bytes_, type, begin, passed.end, line, column, count)});
        WYC_TRY(bytes, TextArray(bytes_, type, begin, passed.end, line, column, count).read());
        return Value::ofBytes(type, std::move(bytes));
    }

    // { bezier, pre: linear, 1: 0; pre (0, 0); post curve (3, -0.2), … }
    Status spline(Fields& fields, const Type& type) {
        Spline made;
        made.base = type.base;
        WYC_CHECK(lex_.expect('{', "in front of a spline"));
        while (true) {
            lex_.skip();
            if (lex_.take('}'))
                break;
            if (lex_.take(','))
                continue;
            if (lex_.atEnd())
                return wrong("a spline is never closed by }}");
            if (lex_.takeWord("bezier")) {
                made.curve = Spline::Curve::Bezier;
            } else if (lex_.takeWord("hermite")) {
                made.curve = Spline::Curve::Hermite;
            } else if (lex_.takeWord("pre")) {
                WYC_CHECK(outside(made.before, made.slopeBefore));
            } else if (lex_.takeWord("post")) {
                WYC_CHECK(outside(made.after, made.slopeAfter));
            } else if (lex_.takeWord("loop")) {
                WYC_CHECK(lex_.expect(':', "behind 'loop'"));
                WYC_CHECK(lex_.expect('(', "in front of a loop's figures"));
                WYC_TRY(figures, numbers());
                if (figures.size() != 5)
                    return wrong("a loop has five figures");
                made.loop = Spline::Loop{figures[0], figures[1], static_cast<std::int32_t>(figures[2]),
                                         static_cast<std::int32_t>(figures[3]), figures[4]};
            } else {
                WYC_CHECK(knot(made));
            }
            lex_.skip();
            if (!lex_.take(',') && lex_.peek() != '}')
                return wrong("',' or '}}' is missing in a spline");
        }
        std::stable_sort(made.knots.begin(), made.knots.end(),
                         [](const auto& a, const auto& b) { return a.time < b.time; });
        set(fields, "spline", Value(std::make_shared<const Spline>(std::move(made))));
        return {};
    }

    Status outside(Spline::Outside& way, double& slope) {
        WYC_CHECK(lex_.expect(':', "behind what a spline does outside"));
        lex_.skip();
        if (lex_.takeWord("none"))
            way = Spline::Outside::None;
        else if (lex_.takeWord("held"))
            way = Spline::Outside::Held;
        else if (lex_.takeWord("linear"))
            way = Spline::Outside::Linear;
        else if (lex_.takeWord("sloped")) {
            way = Spline::Outside::Sloped;
            WYC_CHECK(lex_.expect('(', "in front of a slope"));
            WYC_TRY(figures, numbers());
            if (figures.size() != 1)
                return wrong("a slope is one number");
            slope = figures.front();
        } else if (lex_.takeWord("loop")) {
            lex_.skip();
            if (lex_.takeWord("repeat"))
                way = Spline::Outside::LoopRepeat;
            else if (lex_.takeWord("reset"))
                way = Spline::Outside::LoopReset;
            else if (lex_.takeWord("oscillate"))
                way = Spline::Outside::LoopOscillate;
            else
                return wrong("a loop is 'repeat', 'reset' or 'oscillate'");
        } else {
            return wrong("what a spline does outside is not known");
        }
        return {};
    }

    // Up to ')'.
    Result<std::vector<double>> numbers() {
        std::vector<double> result;
        while (true) {
            lex_.skip();
            if (lex_.take(')'))
                return result;
            WYC_TRY(one, number());
            result.push_back(one);
            lex_.skip();
            if (!lex_.take(',') && lex_.peek() != ')')
                return wrong("',' or ')' is missing between numbers");
        }
    }

    Status tangent(const Spline& spline, double& slope, double& width, std::uint8_t& algorithm) {
        lex_.skip();
        if (lex_.peek() != '(' || !lex_.take('('))
            return {};
        const std::size_t wanted = spline.curve == Spline::Curve::Bezier ? 2 : 1;
        std::vector<double> figures;
        while (true) {
            lex_.skip();
            if (lex_.take(')'))
                break;
            if (lex_.takeWord("custom")) {
                algorithm = 1;
            } else if (lex_.takeWord("autoEase")) {
                algorithm = 2;
            } else {
                WYC_TRY(one, number());
                figures.push_back(one);
            }
            lex_.skip();
            if (!lex_.take(',') && lex_.peek() != ')')
                return wrong("',' or ')' is missing in a tangent");
        }
        if (figures.size() != wanted)
            return wrong("a tangent has {} here", wanted == 2 ? "a width and a slope" : "a slope");
        width = wanted == 2 ? figures[0] : 0.0;
        slope = figures.back();
        return {};
    }

    // time: value[ & value][; pre (…)][; post way (…)][; { … }]
    Status knot(Spline& spline) {
        Spline::Knot knot;
        WYC_TRY(time, number());
        knot.time = time;
        WYC_CHECK(lex_.expect(':', "behind the time of a knot"));
        lex_.skip();
        WYC_TRY(first, number());
        knot.value = first;
        lex_.skip();
        if (lex_.take('&')) {
            lex_.skip();
            WYC_TRY(second, number());
            knot.valueBefore = first;
            knot.value = second;
            lex_.skip();
        }
        while (lex_.take(';')) {
            lex_.skip();
            if (lex_.takeWord("pre")) {
                WYC_CHECK(tangent(spline, knot.slopeBefore, knot.widthBefore, knot.algorithmBefore));
            } else if (lex_.takeWord("post")) {
                lex_.skip();
                if (lex_.takeWord("none"))
                    knot.after = Spline::Between::None;
                else if (lex_.takeWord("held"))
                    knot.after = Spline::Between::Held;
                else if (lex_.takeWord("linear"))
                    knot.after = Spline::Between::Linear;
                else if (lex_.takeWord("curve"))
                    knot.after = Spline::Between::Curve;
                WYC_CHECK(tangent(spline, knot.slopeAfter, knot.widthAfter, knot.algorithmAfter));
            } else if (lex_.peek() == '{') {
                WYC_TRY(custom, dictionary(0));
                knot.customData = std::move(custom);
            } else {
                return wrong("what follows a knot is not known");
            }
            lex_.skip();
        }
        spline.knots.push_back(std::move(knot));
        return {};
    }

    Bytes bytes_;
    Lexer lex_;
};

} // namespace

Result<std::unique_ptr<Layer>> readText(const Bytes& bytes) {
    return Reader(bytes).read();
}

} // namespace wyc::usd
