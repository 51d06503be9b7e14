// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/write/layout.h"

#include <algorithm>
#include <map>

#include "formats/usd/layer/path.h"
#include "formats/usd/write/names.h"
#include "formats/usd/write/values_write.h"
#include "scene/deform/deformers.h"

namespace wyc::usd {
namespace {

constexpr std::string_view kBinding = "material:binding";

std::unique_ptr<PrimSpec> copied(const PrimSpec& prim, bool withChildren = true) {
    auto copy = std::make_unique<PrimSpec>();
    copy->name = prim.name;
    copy->fields = prim.fields;
    copy->properties = prim.properties; // what is sampled is shared
    for (const auto& child : prim.children)
        if (withChildren)
            copy->children.push_back(copied(*child));
    return copy;
}

// The prims that lead to a path, made where they are missing.
PrimSpec& made(PrimSpec& root, const std::string& path,
               const std::function<std::unique_ptr<PrimSpec>(const std::string&)>& make) {
    PrimSpec* at = &root;
    std::string here;
    for (const std::string& name : namesOf(path)) {
        here += "/" + name;
        const auto found =
            std::find_if(at->children.begin(), at->children.end(), [&](const auto& c) { return c->name == name; });
        if (found == at->children.end()) {
            at->children.push_back(make(here));
            at = at->children.back().get();
        } else {
            at = found->get();
        }
    }
    return *at;
}

std::unique_ptr<PrimSpec> overOf(const std::string& path) {
    auto prim = std::make_unique<PrimSpec>();
    prim->name = lastName(path);
    prim->fields.push_back({"specifier", Value::ofText(Base::Token, "over")});
    return prim;
}

// Paths below `from` as they are when that prim is called `to`.
std::string moved(const std::string& path, const std::string& from, const std::string& to) {
    return isBelow(path, from) ? to + path.substr(from.size()) : path;
}
void movePaths(PrimSpec& prim, const std::string& from, const std::string& to) {
    const auto change = [&](Fields& fields) {
        for (Field& field : fields) {
            const ListEdit* list = field.value.list();
            if (!list || (list->of != ListEdit::Of::Paths && list->of != ListEdit::Of::Arcs))
                continue;
            ListEdit edited = *list;
            for (auto* items : {&edited.explicitItems, &edited.added, &edited.prepended, &edited.appended,
                                &edited.deleted, &edited.ordered})
                for (ListItem& item : *items) {
                    std::string& path = list->of == ListEdit::Of::Paths ? item.text : item.prim;
                    if (list->of == ListEdit::Of::Paths || item.text.empty())
                        path = moved(path, from, to);
                }
            field.value = Value(std::make_shared<const ListEdit>(std::move(edited)));
        }
    };
    change(prim.fields);
    for (PropertySpec& property : prim.properties)
        change(property.fields);
    for (auto& child : prim.children)
        movePaths(*child, from, to);
}

// It, or something below it, shows what does not stand below it.
bool leadsOut(const Scene& scene, std::size_t i) {
    const auto below = [&](std::size_t at) {
        for (int up = static_cast<int>(at); up >= 0; up = scene.nodes[static_cast<std::size_t>(up)].parent)
            if (static_cast<std::size_t>(up) == i)
                return true;
        return false;
    };
    for (std::size_t k = i; k < scene.nodes.size(); ++k) {
        if (!below(k))
            continue;
        if (scene.nodes[k].instanceOf)
            if (const auto shown = scene.find(*scene.nodes[k].instanceOf); shown && !below(*shown))
                return true;
        if (isDeformed(scene.nodes[k]) && scene.nodes[k].deformation->skeleton)
            if (const auto bones = scene.find(*scene.nodes[k].deformation->skeleton); bones && !below(*bones))
                return true;
    }
    return false;
}

// What stands at the top, or below the one place at the top.
bool isItem(const Scene& scene, std::size_t i) {
    const Node& node = scene.nodes[i];
    const auto roots = scene.childrenOf(-1);
    const bool oneRoot = roots.size() == 1 && scene.nodes[roots.front()].is().place &&
                         scene.nodes[roots.front()].schema != "SkelRoot" &&
                         !scene.childrenOf(static_cast<int>(roots.front())).empty();
    const bool high = oneRoot ? node.parent == static_cast<int>(roots.front()) : node.parent < 0;
    return high && node.kind != NodeKind::Instances && !leadsOut(scene, i);
}

class Parting {
  public:
    Parting(const Scene& scene, const Layer& whole, Layout layout) : scene_(scene), whole_(whole), layout_(layout) {
        result_.layer = std::make_shared<Layer>();
        result_.layer->root = copied(*whole.root);
        result_.layer->root->fields = whole.root->fields;
    }

    Assembly all() {
        partMaterials();
        for (std::size_t i = 0; i < scene_.nodes.size(); ++i)
            if (isItem(scene_, i))
                partItem(scene_.nodes[i]);
        return std::move(result_);
    }

  private:
    Layer headed() const {
        Layer layer;
        for (const Field& field : whole_.root->fields)
            if (field.name != "defaultPrim" && field.name != "comment" && field.name != "documentation" &&
                field.name != "startTimeCode" && field.name != "endTimeCode" && field.name != "customLayerData")
                layer.root->fields.push_back(field);
        return layer;
    }

    // The scope of all materials, and what is bound to which, as a layer over the others.
    void partMaterials() {
        if (scene_.materials.empty())
            return;
        auto layer = std::make_shared<Layer>(headed());
        takeMaterials(*result_.layer->root, "/", *layer->root);
        result_.parts.push_back({names_.next("materials"), std::move(layer)});
    }
    void takeMaterials(PrimSpec& prim, const std::string& path, PrimSpec& into) {
        for (auto it = prim.properties.begin(); it != prim.properties.end();) {
            if (it->name != kBinding) {
                ++it;
                continue;
            }
            PrimSpec& over = made(into, path, overOf);
            applySchema(over, "MaterialBindingAPI");
            over.properties.push_back(*it);
            it = prim.properties.erase(it);
            dropBindingSchema(prim);
        }
        for (auto it = prim.children.begin(); it != prim.children.end();) {
            const std::string here = childPath(path, (*it)->name);
            const Value* type = (*it)->field("typeName");
            const bool materials = type && type->text() && *type->text() == "Scope" && !(*it)->children.empty() &&
                                   std::all_of((*it)->children.begin(), (*it)->children.end(), [](const auto& child) {
                                       const Value* of = child->field("typeName");
                                       return of && of->text() && *of->text() == "Material";
                                   });
            if (materials) {
                PrimSpec& parent = path == "/" ? into : made(into, path, overOf);
                parent.children.push_back(std::move(*it));
                it = prim.children.erase(it);
                continue;
            }
            takeMaterials(**it, here, into);
            ++it;
        }
    }
    static void dropBindingSchema(PrimSpec& prim) {
        const Value* held = prim.field("apiSchemas");
        if (!held || !held->list())
            return;
        ListEdit list = *held->list();
        std::erase_if(list.prepended, [](const ListItem& item) { return item.text == "MaterialBindingAPI"; });
        std::erase_if(prim.fields, [](const Field& field) { return field.name == "apiSchemas"; });
        if (!list.prepended.empty())
            prim.fields.push_back({"apiSchemas", Value(std::make_shared<const ListEdit>(std::move(list)))});
    }

    void partItem(const Node& node) {
        PrimSpec* parent = at(*result_.layer->root, parentPath(node.path));
        if (!parent)
            return;
        const auto found = std::find_if(parent->children.begin(), parent->children.end(),
                                        [&](const auto& child) { return child->name == node.name; });
        if (found == parent->children.end())
            return;
        auto layer = std::make_shared<Layer>(headed());
        std::unique_ptr<PrimSpec> own = std::move(*found);
        if (layout_ == Layout::SubLayers) {
            parent->children.erase(found);
            PrimSpec& above = parentPath(node.path) == "/"
                                  ? *layer->root
                                  : made(*layer->root, parentPath(node.path), [&](const std::string& path) {
                                        return copied(*at(*result_.layer->root, path), false);
                                    });
            above.children.push_back(std::move(own));
            setField(layer->root->fields, "defaultPrim", Value::ofText(Base::Token, namesOf(node.path).front()));
        } else {
            *found = std::make_unique<PrimSpec>();
            (*found)->name = node.name;
            (*found)->fields.push_back({"specifier", Value::ofText(Base::Token, "def")});
            movePaths(*own, node.path, "/" + node.name);
            setField(layer->root->fields, "defaultPrim", Value::ofText(Base::Token, node.name));
            layer->root->children.push_back(std::move(own));
        }
        // Its own range: so it stays as it is when others are longer.
        std::optional<std::pair<double, double>> range;
        widen(*layer->root, range);
        if (range) {
            setField(layer->root->fields, "startTimeCode", Value::ofDouble(range->first));
            setField(layer->root->fields, "endTimeCode", Value::ofDouble(range->second));
        }
        const std::string label = names_.next(node.name);
        if (layout_ != Layout::SubLayers) {
            ListEdit list;
            list.of = ListEdit::Of::Arcs;
            list.prepended.push_back({label});
            setField((*found)->fields, arcField(layout_), Value(std::make_shared<const ListEdit>(std::move(list))));
        }
        result_.parts.push_back({label, std::move(layer)});
    }

    static void widen(const PrimSpec& prim, std::optional<std::pair<double, double>>& range) {
        for (const PropertySpec& property : prim.properties)
            if (const Value* held = property.field("timeSamples"); held && held->samples()) {
                const auto& times = held->samples()->times();
                range = range ? std::pair{std::min(range->first, times.front()), std::max(range->second, times.back())}
                              : std::pair{times.front(), times.back()};
            }
        for (const auto& child : prim.children)
            widen(*child, range);
    }

    static PrimSpec* at(PrimSpec& root, const std::string& path) {
        PrimSpec* prim = &root;
        for (const std::string& name : namesOf(path)) {
            const auto found = std::find_if(prim->children.begin(), prim->children.end(),
                                            [&](const auto& c) { return c->name == name; });
            if (found == prim->children.end())
                return nullptr;
            prim = found->get();
        }
        return prim;
    }

    const Scene& scene_;
    const Layer& whole_;
    Layout layout_;
    Assembly result_;
    UniqueNames names_;

  public:
    static const char* arcField(Layout layout) { return layout == Layout::Payloads ? "payload" : "references"; }
};

void nameArcs(PrimSpec& prim, const char* field, const std::map<std::string, std::string>& files) {
    if (const Value* held = prim.field(field); held && held->list()) {
        ListEdit list = *held->list();
        for (ListItem& item : list.prepended)
            if (const auto found = files.find(item.text); found != files.end())
                item.text = found->second;
        setField(prim.fields, field, Value(std::make_shared<const ListEdit>(std::move(list))));
    }
    for (auto& child : prim.children)
        nameArcs(*child, field, files);
}

} // namespace

Assembly parted(const Scene& scene, const Layer& whole, Layout layout) {
    return Parting(scene, whole, layout).all();
}

std::size_t partCount(const Scene& scene) {
    std::size_t count = scene.materials.empty() ? 0 : 1;
    for (std::size_t i = 0; i < scene.nodes.size(); ++i)
        count += isItem(scene, i) ? 1U : 0U;
    return count;
}

void nameParts(Assembly& assembly, Layout layout, const PartName& fileOf) {
    std::vector<std::string> lying;
    std::map<std::string, std::string> files;
    for (const PartLayer& part : assembly.parts) {
        const std::string file = fileOf(part.label);
        const bool materials = part.layer->root->field("defaultPrim") == nullptr;
        if (layout == Layout::SubLayers || materials)
            lying.push_back(file);
        else
            files[part.label] = file;
    }
    nameArcs(*assembly.layer->root, Parting::arcField(layout), files);
    if (lying.empty())
        return;
    std::vector<double> offsets;
    for (std::size_t i = 0; i < lying.size(); ++i) {
        offsets.push_back(0.0);
        offsets.push_back(1.0);
    }
    constexpr Type kPairs{Base::Double, 2, false, true};
    setField(assembly.layer->root->fields, "subLayers", Value::ofTexts(Base::String, std::move(lying)));
    setField(assembly.layer->root->fields, "subLayerOffsets", valueOfNumbers(kPairs, offsets));
}

} // namespace wyc::usd
