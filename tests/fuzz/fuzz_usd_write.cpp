// SPDX-License-Identifier: GPL-3.0-or-later
// libFuzzer: any bytes as a layer, which is written in both encodings: it says the same there, or is refused. Then its
// composed scene as layers.
#include "core/formats/usd_layer_words.h"
#include "formats/usd/layer/layer_write.h"
#include "fuzz_scene.h"

namespace {

using namespace wyc;

// What every number says, where all arrays can be read; else nothing is compared.
std::optional<std::string> wordsOf(const usd::Layer& layer) {
    std::string words = test::layerWords(layer);
    return words.size() < 4'000'000 ? std::optional(std::move(words)) : std::nullopt;
}

bool isReadable(const usd::Layer& layer) {
    bool readable = true;
    const auto look = [&](const auto& self, const usd::Value& value) -> void {
        if (const usd::Data* data = value.data(); data && !usd::bytesOf(*data) && !data->type.isText())
            readable = false;
        if (const usd::Dictionary* entries = value.dictionary())
            for (const auto& [key, held] : *entries)
                self(self, held);
        if (const usd::Samples* samples = value.samples())
            for (std::size_t i = 0; i < samples->times().size() && readable; ++i) {
                const auto one = samples->value(i);
                readable = readable && one;
                if (one)
                    self(self, *one);
            }
    };
    usd::forEachPrim(*layer.root, "/", [&](const std::string&, const usd::PrimSpec& prim) {
        for (const usd::Field& field : prim.fields)
            look(look, field.value);
        for (const usd::PropertySpec& property : prim.properties)
            for (const usd::Field& field : property.fields)
                look(look, field.value);
    });
    return readable;
}

void rewrite(const usd::Layer& layer) {
    if (!isReadable(layer))
        return;
    const auto said = wordsOf(layer);
    for (const usd::Encoding encoding : {usd::Encoding::Text, usd::Encoding::Binary}) {
        const std::string path = fuzz::scratch("rewritten.usd");
        {
            auto file = AtomicFile::create(path);
            if (!file)
                std::abort();
            if (!usd::writeLayer(layer, encoding, **file, {}))
                continue; // refused
            if (!(*file)->commit(AtomicFile::Replace::Yes))
                std::abort();
        }
        const auto again = usd::openLayer(*usd::Bytes::ofFile(path));
        if (!again) {
            std::fprintf(stderr, "what was written cannot be read: %s\n", again.error().text().c_str());
            std::abort();
        }
        if (said && test::layerWords(**again) != *said) {
            std::fprintf(stderr, "it says something else:\n%s\n---\n%s\n", said->c_str(),
                         test::layerWords(**again).c_str());
            std::abort();
        }
    }
}

} // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    const std::string path = fuzz::written("input.usd", {reinterpret_cast<const char*>(data), size});
    if (const auto bytes = usd::Bytes::ofFile(path))
        if (const auto layer = usd::openLayer(*bytes))
            rewrite(**layer);
    const auto source = openSource({path, {}, {}, false}, FrameRate());
    if (!source)
        return 0;
    const auto usd = chosenAs(*formatById("usd"));
    const auto prepared = (*usd)->prepare((*source)->scene, (*usd)->chosen);
    if (!prepared)
        return 0;
    for (const char* layout : {"one file", "references"}) {
        WriteOptions options;
        options.rate = prepared->view.rate;
        options.options = (*chosenAs(*formatById("usd"), {{"layout", layout}}))->chosen;
        (void)(*usd)->write(*prepared, fuzz::scratch("scene.usda"), options, Progress());
    }
    return 0;
}
