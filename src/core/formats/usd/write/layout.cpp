// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/write/layout.h"

#include <algorithm>
#include <map>
#include <set>
#include <unordered_map>

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

// What stands at the top, or below the one place at the top, unless it or something below it shows what does not stand
// below it.
std::vector<std::size_t> itemsOf(const Scene& scene) {
    constexpr auto kNone = static_cast<std::size_t>(-1);
    const auto roots = scene.childrenOf(-1);
    const bool oneRoot = roots.size() == 1 && scene.nodes[roots.front()].is().place &&
                         scene.nodes[roots.front()].schema != "SkelRoot" &&
                         !scene.childrenOf(static_cast<int>(roots.front())).empty();
    std::vector<std::size_t> top(scene.nodes.size(), kNone); // of each node the one that it stands below
    std::unordered_map<std::uint64_t, std::size_t> byId;
    for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
        const int parent = scene.nodes[i].parent;
        const bool high = oneRoot ? parent == static_cast<int>(roots.front()) : parent < 0;
        top[i] = high ? i : parent < 0 ? kNone : top[static_cast<std::size_t>(parent)];
        byId.emplace(scene.nodes[i].id.value, i);
    }
    std::set<std::size_t> leadsOut;
    const auto leads = [&](std::size_t i, const std::optional<NodeId>& to) {
        const auto shown = to ? byId.find(to->value) : byId.end();
        if (shown != byId.end() && top[i] != kNone && top[shown->second] != top[i])
            leadsOut.insert(top[i]);
    };
    for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
        leads(i, scene.nodes[i].instanceOf);
        if (isDeformed(scene.nodes[i]))
            leads(i, scene.nodes[i].deformation->skeleton);
    }
    std::vector<std::size_t> items;
    for (std::size_t i = 0; i < scene.nodes.size(); ++i)
        if (top[i] == i && scene.nodes[i].kind != NodeKind::Instances && !leadsOut.contains(i))
            items.push_back(i);
    return items;
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
        for (const std::size_t i : itemsOf(scene_))
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
        result_.parts.push_back({names_.next(kMaterialsLabel), std::move(layer)});
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

std::vector<std::string> partLabels(const Scene& scene) {
    std::vector<std::string> labels;
    UniqueNames names;
    if (!scene.materials.empty())
        labels.push_back(names.next(kMaterialsLabel));
    for (const std::size_t i : itemsOf(scene))
        labels.push_back(names.next(scene.nodes[i].name));
    return labels;
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
