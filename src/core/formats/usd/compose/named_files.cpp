// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/compose/named_files.h"

#include <algorithm>
#include <set>

#include "base/text.h"
#include "formats/usd/binary/binary_read.h"
#include "formats/usd/compose/assets.h"

namespace wyc::usd {
namespace {

// What is longer holds points, not the names of other layers.
constexpr std::uint64_t kLongestText = 16ULL << 20;

class Names {
  public:
    explicit Names(std::string layer) : layer_(std::move(layer)) {}
    void addFields(const Fields& fields) {
        for (const Field& field : fields)
            if (field.name == "subLayers" || field.name == "references" || field.name == "payload" ||
                field.name == "clips")
                addValue(field.value);
    }
    [[nodiscard]] std::vector<fs::path> found() const { return {found_.begin(), found_.end()}; }

  private:
    void addValue(const Value& value) {
        if (const ListEdit* list = value.list()) {
            if (list->of == ListEdit::Of::Arcs)
                for (const auto* items : {&list->explicitItems, &list->added, &list->prepended, &list->appended})
                    for (const ListItem& item : *items)
                        addName(item.text);
        } else if (const Dictionary* entries = value.dictionary()) {
            for (const auto& [key, held] : *entries)
                addValue(held);
        } else {
            for (const std::string& text : textsOf(value))
                addName(text);
        }
    }
    void addName(const std::string& written) {
        if (written.empty())
            return;
        const fs::path path = packagedName(assets_.anchored(written, layer_)).outer;
        const std::string name = path.filename().string();
        std::error_code code;
        if (const std::size_t mark = name.find('#'); mark != std::string::npos) {
            // "clip.###.usda" is every clip between these words.
            const std::string before = name.substr(0, mark);
            const std::string behind = name.substr(name.rfind('#') + 1);
            for (fs::directory_iterator it(folderOf(path), code), end; !code && it != end; it.increment(code))
                if (const std::string file = it->path().filename().string();
                    file.size() > before.size() + behind.size() && file.starts_with(before) && file.ends_with(behind))
                    found_.insert((folderOf(path) / file).lexically_normal());
        } else if (fs::is_regular_file(path, code)) {
            found_.insert(path.lexically_normal());
        }
    }

    std::string layer_;
    Assets assets_{{}};
    std::set<fs::path> found_;
};

} // namespace

std::vector<fs::path> layersNamedIn(const fs::path& path) {
    if (isPackageName(path.string())) // holds all that it needs
        return {};
    const auto bytes = Bytes::ofFile(path);
    if (!bytes)
        return {};
    std::array<char, kBinaryMagic.size()> magic{};
    const bool binary = bytes->size() > magic.size() && bytes->read(0, std::as_writable_bytes(std::span(magic))) &&
                        std::string_view(magic.data(), magic.size()) == kBinaryMagic;
    if (!binary && bytes->size() > kLongestText)
        return {};
    const auto layer = openLayer(*bytes);
    if (!layer)
        return {};
    Names names((*layer)->name);
    forEachPrim(*(*layer)->root, "", [&](const std::string&, const PrimSpec& prim) { names.addFields(prim.fields); });
    return names.found();
}

} // namespace wyc::usd
