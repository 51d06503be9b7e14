// SPDX-License-Identifier: GPL-3.0-or-later
#include "scene/materials.h"

#include <algorithm>

#include "scene/deform/deformers.h"
#include "scene/scene.h"

namespace wyc {
namespace {

class MaterialSet final : public MomentWrapper {
  public:
    MaterialSet(GeometryPtr inner, std::string name, NodeId material)
        : MomentWrapper(std::move(inner)), name_(std::move(name)), material_(material) {}
    [[nodiscard]] Result<FaceSetsPtr> faceSets(std::size_t sample) const override {
        WYC_TRY(sets, inner().faceSets(sample));
        WYC_TRY(topology, inner().topology(sample));
        return with(*sets, topology->faceCount());
    }
    [[nodiscard]] Result<FaceSetsPtr> faceSetsAt(double seconds) const override {
        WYC_TRY(sets, inner().faceSetsAt(seconds));
        WYC_TRY(topology, inner().topologyAt(seconds));
        return with(*sets, topology->faceCount());
    }

  private:
    [[nodiscard]] FaceSetsPtr with(std::vector<FaceSet> sets, std::size_t faces) const {
        std::vector<bool> taken(faces, false);
        for (const FaceSet& set : sets)
            for (const std::int32_t face : set.faces)
                if (set.kind == FaceSet::Kind::Material && face >= 0 && static_cast<std::size_t>(face) < faces)
                    taken[static_cast<std::size_t>(face)] = true;
        FaceSet rest{FaceSet::Kind::Material, name_, {}, material_};
        for (std::size_t face = 0; face < faces; ++face)
            if (!taken[face])
                rest.faces.push_back(static_cast<std::int32_t>(face));
        if (!rest.faces.empty())
            sets.push_back(std::move(rest));
        return std::make_shared<const std::vector<FaceSet>>(std::move(sets));
    }
    std::string name_;
    NodeId material_;
};

bool isOf(const FaceSet& set, const Material& material) {
    return set.kind == FaceSet::Kind::Material &&
           (set.material.value != 0 ? set.material == material.id : set.name == material.name);
}

class RenamedMaterial final : public MomentWrapper {
  public:
    RenamedMaterial(GeometryPtr inner, Material from, std::string to, NodeId id)
        : MomentWrapper(std::move(inner)), from_(std::move(from)), to_(std::move(to)), id_(id) {}
    [[nodiscard]] Result<FaceSetsPtr> faceSets(std::size_t sample) const override {
        WYC_TRY(sets, inner().faceSets(sample));
        return renamed(sets);
    }
    [[nodiscard]] Result<FaceSetsPtr> faceSetsAt(double seconds) const override {
        WYC_TRY(sets, inner().faceSetsAt(seconds));
        return renamed(sets);
    }

  private:
    [[nodiscard]] FaceSetsPtr renamed(const FaceSetsPtr& sets) const {
        const auto meant = [&](const FaceSet& set) { return isOf(set, from_); };
        if (std::none_of(sets->begin(), sets->end(), meant))
            return sets;
        auto result = std::make_shared<std::vector<FaceSet>>(*sets);
        for (FaceSet& set : *result)
            if (meant(set)) {
                set.name = to_;
                if (set.material.value != 0)
                    set.material = id_;
            }
        return result;
    }
    Material from_;
    std::string to_;
    NodeId id_;
};

} // namespace

void renameMaterial(Scene& scene, std::size_t which, const std::string& name, NodeId id) {
    const Material before = scene.materials[which];
    scene.materials[which].name = name;
    scene.materials[which].id = id;
    for (Node& node : scene.nodes) {
        if (node.material == before.id)
            node.material = id;
        if (!node.geometry || !node.is().faces)
            continue;
        const Node as = node;
        node.geometry = std::make_shared<RenamedMaterial>(node.geometry, before, name, id);
        stillDeformed(node, as);
    }
}

bool usesMaterial(const Scene& scene, const Material& material) {
    return std::any_of(scene.nodes.begin(), scene.nodes.end(), [&](const Node& node) {
        if (node.material == material.id)
            return true;
        if (!node.geometry || !node.is().faces || node.geometry->sampling().count() == 0)
            return false;
        const auto sets = node.geometry->faceSets(0);
        return node.geometry->faceSetsVary() || !sets ||
               std::any_of((*sets)->begin(), (*sets)->end(), [&](const FaceSet& set) { return isOf(set, material); });
    });
}

Material colourMaterial(std::string name, LookInput colour) {
    Material material;
    material.name = std::move(name);
    material.look.baseColour = std::move(colour);
    return material;
}

const Material* materialOf(const Scene& scene, NodeId id, const std::string& name) {
    const auto found = std::find_if(scene.materials.begin(), scene.materials.end(), [&](const Material& material) {
        return id.value != 0 ? material.id == id : material.name == name;
    });
    return found == scene.materials.end() ? nullptr : &*found;
}

Scene materialsAsSets(Scene scene) {
    for (Node& node : scene.nodes) {
        const Material* material = materialOf(scene, node.material, {});
        if (node.material.value != 0 && material && node.geometry && node.is().faces) {
            const Node as = node;
            node.geometry = std::make_shared<MaterialSet>(node.geometry, material->name, material->id);
            stillDeformed(node, as);
        }
        node.material = {};
    }
    return scene;
}

} // namespace wyc
