// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/usd/write/sets_named.h"

#include <algorithm>
#include <map>

#include <fmt/format.h>

#include "base/text.h"
#include "formats/usd/write/names.h"

namespace wyc::usd {
namespace {

// Sets of faces under the names that their prims have. What is made of a material alone is a set of its own there.
class SetsOfPrims final : public MomentWrapper {
  public:
    struct Named {
        FaceSet::Kind kind{};
        std::string from;
        std::string to;
        std::string material = {}; // its name now
    };
    SetsOfPrims(GeometryPtr inner, std::vector<Named> names)
        : MomentWrapper(std::move(inner)), names_(std::move(names)) {}
    [[nodiscard]] Result<FaceSetsPtr> faceSets(std::size_t sample) const override {
        WYC_TRY(sets, inner().faceSets(sample));
        return named(*sets);
    }
    [[nodiscard]] Result<FaceSetsPtr> faceSetsAt(double seconds) const override {
        WYC_TRY(sets, inner().faceSetsAt(seconds));
        return named(*sets);
    }

  private:
    [[nodiscard]] FaceSetsPtr named(const std::vector<FaceSet>& sets) const {
        std::vector<FaceSet> result;
        for (const FaceSet& set : sets) {
            const auto name = std::find_if(names_.begin(), names_.end(), [&](const Named& one) {
                return one.kind == set.kind && one.from == set.name;
            });
            const bool material = set.kind == FaceSet::Kind::Material;
            if (material)
                result.push_back({set.kind, name == names_.end() ? set.name : name->material, set.faces, set.material});
            if (name != names_.end() && !name->to.empty())
                result.push_back({material ? FaceSet::Kind::Group : set.kind, name->to, set.faces, {}});
            else if (!material)
                result.push_back(set);
        }
        return std::make_shared<const std::vector<FaceSet>>(std::move(result));
    }
    std::vector<Named> names_;
};

// A set of faces over all samples.
struct SetTold {
    FaceSet::Kind kind{};
    std::string name;
    NodeId material;
    std::size_t withOwnSet = 0; // in which the set behind it, always the same, has its faces
    FaceSet::Kind ownKind{};
    std::string ownName = {};
};
struct SetsTold {
    std::vector<SetTold> sets; // in the order in which they come
    std::size_t samples = 0;
    // A material's, which has a set of its own at all times.
    [[nodiscard]] bool hasItsSet(const SetTold& set) const { return set.withOwnSet == samples; }
};
Result<SetsTold> setsOf(const Geometry& shape) {
    SetsTold told;
    std::map<std::pair<FaceSet::Kind, std::string>, std::size_t> known;
    told.samples = shape.faceSetsVary() ? shape.sampling().count() : 1;
    for (std::size_t i = 0; i < told.samples; ++i) {
        WYC_TRY(sets, shape.faceSets(i));
        for (std::size_t k = 0; k < sets->size(); ++k) {
            const FaceSet& set = (*sets)[k];
            const auto [at, isNew] = known.emplace(std::pair{set.kind, set.name}, told.sets.size());
            if (isNew)
                told.sets.push_back({set.kind, set.name, set.material});
            SetTold& own = told.sets[at->second];
            if (k + 1 == sets->size() || (*sets)[k + 1].kind == FaceSet::Kind::Material ||
                (*sets)[k + 1].faces != set.faces)
                continue;
            const FaceSet& behind = (*sets)[k + 1];
            if (own.withOwnSet == 0) {
                own.ownKind = behind.kind;
                own.ownName = behind.name;
            }
            own.withOwnSet += own.ownKind == behind.kind && own.ownName == behind.name ? 1U : 0U;
        }
    }
    return told;
}
// Under which a mesh calls its material, and how that is called as a prim. What a mesh knows by name alone is one
// that says nothing.
using MaterialNames = std::map<std::pair<std::uint64_t, std::string>, std::string>;
MaterialNames nameMaterials(Scene& scene, const std::vector<SetsTold>& all) {
    MaterialNames called;
    for (const SetsTold& told : all)
        for (const SetTold& set : told.sets)
            if (set.kind == FaceSet::Kind::Material && called.try_emplace({set.material.value, set.name}).second &&
                !materialOf(scene, set.material, set.name))
                scene.materials.push_back({set.name, {}, {}, set.material.value ? set.material : NodeId::fresh()});
    const std::vector<Material> before = scene.materials;
    UniqueNames names;
    for (Material& material : scene.materials) {
        const std::string name = names.next(material.name);
        if (name != material.name)
            scene.report.notCarried.push_back(
                {{}, fmt::format("the name of the material '{}': it is '{}'", validUtf8(material.name), name)});
        material.name = name;
    }
    for (auto& [told, name] : called) {
        const auto at = std::find_if(before.begin(), before.end(), [&key = told](const Material& material) {
            return key.first ? material.id.value == key.first : material.name == key.second;
        });
        name = scene.materials[static_cast<std::size_t>(at - before.begin())].name;
    }
    return called;
}

} // namespace

Status nameSetsOfFaces(Scene& scene) {
    std::vector<std::vector<std::string>> below(scene.nodes.size());
    for (const Node& node : scene.nodes)
        if (node.parent >= 0)
            below[static_cast<std::size_t>(node.parent)].push_back(node.name);
    std::vector<SetsTold> all(scene.nodes.size());
    for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
        const Node& node = scene.nodes[i];
        if (!node.geometry || !node.is().faces || node.geometry->sampling().count() == 0)
            continue;
        WYC_TRY(told, setsOf(*node.geometry));
        all[i] = std::move(told);
    }
    const auto materials = nameMaterials(scene, all);
    for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
        Node& node = scene.nodes[i];
        UniqueNames names(below[i]);
        std::vector<SetsOfPrims::Named> named;
        bool other = false;
        for (const SetTold& set : all[i].sets) {
            const bool material = set.kind == FaceSet::Kind::Material;
            const std::string now = material ? materials.at({set.material.value, set.name}) : std::string();
            if (material && all[i].hasItsSet(set)) {
                named.push_back({set.kind, set.name, {}, now});
                other = other || now != set.name;
                continue;
            }
            named.push_back({set.kind, set.name, names.next(set.name), now});
            other = other || material || named.back().to != set.name;
            if (!material && named.back().to != set.name)
                scene.report.notCarried.push_back(
                    {node.path, fmt::format("the name of its set of faces '{}': it is '{}'", validUtf8(set.name),
                                            named.back().to)});
        }
        if (other)
            node.geometry = std::make_shared<SetsOfPrims>(node.geometry, std::move(named));
    }
    return {};
}

} // namespace wyc::usd
