// SPDX-License-Identifier: GPL-3.0-or-later
// Random scenes of sublayers, references and payloads (into other layers, into the same one, into the middle of a
// tree), variants within variants, and lists that several layers edit, told by a composer that is slow and obvious: a
// tree of places that speak of a prim, walked from the strongest to the weakest.
#include <gtest/gtest.h>

#include <algorithm>
#include <array>
#include <cstdlib>
#include <functional>
#include <map>
#include <memory>
#include <random>
#include <set>

#include <fmt/format.h>

#include "formats/usd/compose/stage.h"
#include "support/temp_folder.h"

namespace wyc::test::arcs {
namespace {

struct Shift { // time outside = offset + scale × time inside
    double offset = 0.0;
    double scale = 1.0;
    [[nodiscard]] Shift within(const Shift& outer) const {
        return {outer.offset + outer.scale * offset, outer.scale * scale};
    }
    auto operator<=>(const Shift&) const = default;
};

struct Target {
    int layer = -1;   // the same stack
    std::string path; // empty: the default prim, /r
    Shift shift;
    auto operator<=>(const Target&) const = default;
};

struct Edits { // of a list of targets, as one layer has them
    bool replaces = false;
    std::vector<Target> all, before, behind, deleted;
    [[nodiscard]] bool isEmpty() const { return !replaces && before.empty() && behind.empty() && deleted.empty(); }
};

enum class Arc { Variant, Reference, Payload }; // the stronger first

struct Spec {
    std::string specifier = "over";
    bool valued = false;              // it has an x
    bool sampled = false;             // else the first is its default
    std::map<double, double> samples; // of x, by time
    std::optional<bool> active;
    std::map<Arc, Edits> lists;
    std::map<std::string, std::string> chosen;
    std::vector<std::string> sets;
    std::map<std::string, std::map<std::string, std::shared_ptr<Spec>>> variants;
    std::map<std::string, std::shared_ptr<Spec>> children;
};

struct Layer {
    std::vector<std::pair<int, Shift>> below;
    std::map<std::string, std::shared_ptr<Spec>> roots;
};

class Maker {
  public:
    explicit Maker(unsigned seed) : random_(seed) {}
    std::vector<Layer> layers() {
        const int count = 3 + upTo(4);
        std::vector<Layer> made(static_cast<std::size_t>(count));
        for (int i = 0; i < count; ++i) {
            Layer& layer = made[static_cast<std::size_t>(i)];
            const int later = count - i - 1;
            if (later > 0 && often(2))
                for (int n = 1 + often(3); n > 0 && static_cast<int>(layer.below.size()) < later; --n)
                    if (const int to = i + 1 + upTo(later); std::none_of(layer.below.begin(), layer.below.end(),
                                                                         [&](const auto& b) { return b.first == to; }))
                        layer.below.emplace_back(to, shift());
            for (const char* name : {"r", "lib", "lib2"}) {
                const bool main = std::string(name) == "r";
                auto spec = specOf(main ? 2 : 1, std::string(name) == "lib2" && often(2) ? "class" : "def");
                if (main)
                    addArcs(*spec, 2, i, count, 0);
                else if (later > 0 && often(3))
                    spec->lists[Arc::Reference].before = {{i + 1 + upTo(later), {}, shift()}};
                layer.roots[name] = spec;
            }
        }
        for (Layer& layer : made) // what a weaker layer lists is deleted
            for (const auto& [to, by] : layer.below)
                if (const Edits& there = made[static_cast<std::size_t>(to)].roots["r"]->lists[Arc::Reference];
                    !there.before.empty() && !layer.roots["r"]->lists[Arc::Reference].replaces && often(2))
                    layer.roots["r"]->lists[Arc::Reference].deleted.push_back(there.before.front());
        return made;
    }

  private:
    std::shared_ptr<Spec> specOf(int depth, const std::string& specifier) {
        auto spec = std::make_shared<Spec>();
        spec->specifier = specifier;
        spec->valued = !often(4);
        spec->sampled = often(2);
        spec->samples[0.0] = ++number_;
        if (spec->sampled && !often(3))
            spec->samples[10.0] = number_ + 1 + upTo(9);
        if (often(16))
            spec->active = often(2);
        if (depth > 0)
            for (const char* name : {"a", "b", "c"})
                if (often(3))
                    spec->children[name] = specOf(depth - 1, often(3) ? "over" : "def");
        return spec;
    }
    void addArcs(Spec& spec, int depth, int layer, int count, int within) {
        static const std::vector<std::vector<std::string>> kSets{{"u", "v"}, {"s", "t"}, {"p", "q"}, {"m", "n"}};
        if (often(3))
            spec.lists[Arc::Reference] = edits(layer, count);
        if (often(7))
            spec.lists[Arc::Payload] = edits(layer, count);
        const auto& names = kSets[static_cast<std::size_t>(within)];
        if (depth > 0 && often(3))
            for (const std::string& set : names) {
                if (!often(2))
                    continue;
                spec.sets.push_back(set);
                for (const char* choice : {"x", "y"}) {
                    auto variant = specOf(depth - 1, "over");
                    addArcs(*variant, depth - 1, layer, count, within + 1);
                    spec.variants[set][choice] = variant;
                }
            }
        if (often(2))
            spec.chosen[names[static_cast<std::size_t>(upTo(2))]] = often(2) ? "x" : "y";
        for (auto& [name, child] : spec.children)
            addArcs(*child, depth - 1, layer, count, within);
    }
    Edits edits(int layer, int count) {
        Edits made;
        made.replaces = often(3);
        for (auto* list : {&made.all, &made.before, &made.behind})
            for (int n = often(2) + often(3); n > 0; --n)
                list->push_back(target(layer, count));
        if (made.replaces)
            made.before = made.behind = {};
        else
            made.all = {};
        return made;
    }
    Target target(int layer, int count) {
        const int later = count - layer - 1;
        if (later == 0 || often(4))
            return {-1, often(2) ? "/lib" : "/lib2", shift()};
        static const std::array<std::string, 5> kPaths{"", "/r/b", "/r/a", "/r/a", "/lib"};
        return {layer + 1 + upTo(later), kPaths[static_cast<std::size_t>(upTo(5))], shift()};
    }
    Shift shift() {
        static constexpr std::array kOffsets{0.0, 0.0, 0.0, 5.0, -3.0};
        static constexpr std::array kScales{1.0, 1.0, 1.0, 2.0, 0.5};
        return {kOffsets[static_cast<std::size_t>(upTo(5))], kScales[static_cast<std::size_t>(upTo(5))]};
    }
    int upTo(int n) { return std::uniform_int_distribution<int>(0, n - 1)(random_); }
    bool often(int n) { return upTo(n) == 0; }
    std::mt19937 random_;
    int number_ = 0;
};

std::string text(const Target& target) {
    std::string made = target.layer < 0 ? std::string() : fmt::format("@./l{}.usda@", target.layer);
    if (!target.path.empty())
        made += "<" + target.path + ">";
    return made + fmt::format(" (offset = {}; scale = {})", target.shift.offset, target.shift.scale);
}

std::string body(const Spec& spec);

std::string head(const Spec& spec) {
    std::string made;
    for (const auto& [arc, edits] : spec.lists)
        for (const auto& [word, list] : {std::pair<const char*, const std::vector<Target>&>{"", edits.all},
                                         {"prepend ", edits.before},
                                         {"append ", edits.behind},
                                         {"delete ", edits.deleted}}) {
            if (list.empty() && !(edits.replaces && *word == '\0'))
                continue;
            std::string items;
            for (const Target& target : list)
                items += (items.empty() ? "" : ", ") + text(target);
            made += fmt::format("    {}{} = [{}]\n", word, arc == Arc::Payload ? "payload" : "references", items);
        }
    for (const std::string& set : spec.sets)
        made += (made.find("prepend variantSets") == std::string::npos ? "    prepend variantSets = [" : "") +
                fmt::format("\"{}\"{}", set, set == spec.sets.back() ? "]\n" : ", ");
    if (!spec.chosen.empty()) {
        made += "    variants = {\n";
        for (const auto& [set, choice] : spec.chosen)
            made += fmt::format("        string {} = \"{}\"\n", set, choice);
        made += "    }\n";
    }
    if (spec.active)
        made += fmt::format("    active = {}\n", *spec.active);
    return made.empty() ? made : " (\n" + made + ")";
}

std::string body(const Spec& spec) {
    std::string made = "{\n";
    if (spec.valued && !spec.sampled)
        made += fmt::format("double x = {}\n", spec.samples.begin()->second);
    if (spec.valued && spec.sampled) {
        made += "double x.timeSamples = {";
        for (const auto& [time, value] : spec.samples)
            made += fmt::format("{}: {}, ", time, value);
        made += "}\n";
    }
    for (const auto& [name, child] : spec.children)
        made += fmt::format("{} \"{}\"{}\n{}", child->specifier, name, head(*child), body(*child));
    for (const auto& [set, choices] : spec.variants) {
        made += fmt::format("variantSet \"{}\" = {{\n", set);
        for (const auto& [name, choice] : choices)
            made += fmt::format("\"{}\"{} {}", name, head(*choice), body(*choice));
        made += "}\n";
    }
    return made + "}\n";
}

void write(const std::vector<Layer>& layers, const TempFolder& folder) {
    for (std::size_t i = 0; i < layers.size(); ++i) {
        std::string made = "#usda 1.0\n(\n    defaultPrim = \"r\"\n    timeCodesPerSecond = 24\n";
        std::string below;
        for (const auto& [to, by] : layers[i].below)
            below += (below.empty() ? "" : ", ") +
                     fmt::format("@./l{}.usda@ (offset = {}; scale = {})", to, by.offset, by.scale);
        if (!below.empty())
            made += "    subLayers = [" + below + "]\n";
        made += ")\n";
        for (const auto& [name, spec] : layers[i].roots)
            made += fmt::format("{} \"{}\"{}\n{}", spec->specifier, name, head(*spec), body(*spec));
        writeFile(folder / fmt::format("l{}.usda", i), made);
    }
}

// ---- The slow composer.

using Stack = std::vector<std::pair<int, Shift>>; // layers, the stronger first

struct Place; // that speaks of a prim: in one stack, with all that its arcs bring
struct Hanging {
    Arc arc;
    int depth; // of the place at which it was said
    int order;
    std::shared_ptr<Place> place;
};
struct Place {
    Stack stack;
    std::vector<std::pair<std::shared_ptr<Spec>, Shift>> specs; // with the shift of their layer in the stack
    Shift shift;                                                // of the stack to the root
    int depth = 1;
    std::vector<Hanging> arcs;
};
using PlacePtr = std::shared_ptr<Place>;

std::vector<PlacePtr> byStrength(const PlacePtr& place) {
    std::vector<PlacePtr> all{place};
    std::vector<Hanging> arcs = place->arcs;
    std::stable_sort(arcs.begin(), arcs.end(), [](const Hanging& x, const Hanging& y) {
        return std::tuple(x.arc, -x.depth, x.order) < std::tuple(y.arc, -y.depth, y.order);
    });
    for (const Hanging& one : arcs) {
        const auto below = byStrength(one.place);
        all.insert(all.end(), below.begin(), below.end());
    }
    return all;
}

class Slow {
  public:
    explicit Slow(std::vector<Layer> layers) : layers_(std::move(layers)) {}

    struct Shown {
        std::vector<std::string> children;
        std::string specifier = "over";
        bool there = false;
        bool active = true;
        std::optional<std::pair<std::shared_ptr<Spec>, Shift>> value;
    };
    [[nodiscard]] static Shown shown(const PlacePtr& prim) {
        Shown shown;
        std::optional<bool> active;
        std::set<std::string> names;
        for (const PlacePtr& place : byStrength(prim))
            for (const auto& [spec, shift] : place->specs) {
                shown.there = true;
                if (shown.specifier == "over")
                    shown.specifier = spec->specifier;
                if (!active)
                    active = spec->active;
                if (!shown.value && spec->valued)
                    shown.value.emplace(spec, shift.within(place->shift));
                for (const auto& [name, child] : spec->children)
                    names.insert(name);
            }
        shown.active = active.value_or(true);
        shown.children.assign(names.begin(), names.end());
        return shown;
    }
    PlacePtr root(const std::string& name) { return at(stackOf(0, {}), "/" + name, true); }
    PlacePtr child(const PlacePtr& parent, const std::string& name, bool withVariants = true) {
        PlacePtr made = below(parent, name);
        for (const PlacePtr& place : byStrength(made))
            addArcs(place);
        if (withVariants)
            addVariants(made);
        return made;
    }

  private:
    Stack stackOf(int layer, const Shift& shift) const {
        Stack stack{{layer, shift}};
        for (const auto& [to, by] : layers_[static_cast<std::size_t>(layer)].below) {
            const Stack more = stackOf(to, by.within(shift));
            stack.insert(stack.end(), more.begin(), more.end());
        }
        return stack;
    }
    // A prim by itself. Which variants it shows is chosen where all that speaks of it is known: by what brings it.
    PlacePtr at(const Stack& stack, const std::string& path, bool whole) {
        std::vector<std::string> names;
        for (std::size_t from = 1; from < path.size();) {
            const std::size_t to = std::min(path.find('/', from), path.size());
            names.push_back(path.substr(from, to - from));
            from = to + 1;
        }
        auto place = std::make_shared<Place>();
        place->stack = stack;
        for (const auto& [layer, shift] : stack)
            if (const auto& roots = layers_[static_cast<std::size_t>(layer)].roots; roots.contains(names[0]))
                place->specs.emplace_back(roots.at(names[0]), shift);
        addArcs(place);
        if (whole || names.size() > 1)
            addVariants(place);
        for (std::size_t i = 1; i < names.size(); ++i)
            place = child(place, names[i], whole || i + 1 < names.size());
        return place;
    }
    static PlacePtr below(const PlacePtr& parent, const std::string& name) {
        auto made = std::make_shared<Place>();
        made->stack = parent->stack;
        made->shift = parent->shift;
        made->depth = parent->depth + 1;
        for (const auto& [spec, shift] : parent->specs)
            if (const auto found = spec->children.find(name); found != spec->children.end())
                made->specs.emplace_back(found->second, shift);
        for (const Hanging& one : parent->arcs)
            made->arcs.push_back({one.arc, one.depth, one.order, below(one.place, name)});
        return made;
    }
    // Each with the shift of the layer that says it.
    static std::vector<std::pair<Target, Shift>> listed(const Place& place, Arc arc) {
        std::vector<std::pair<Target, Shift>> list;
        const auto without = [&](const std::vector<Target>& which) {
            std::erase_if(
                list, [&](const auto& one) { return std::find(which.begin(), which.end(), one.first) != which.end(); });
        };
        const auto once = [](const std::vector<Target>& all, const Shift& shift) {
            std::vector<std::pair<Target, Shift>> each;
            for (const Target& target : all)
                if (std::none_of(each.begin(), each.end(), [&](const auto& one) { return one.first == target; }))
                    each.emplace_back(target, shift);
            return each;
        };
        for (auto at = place.specs.rbegin(); at != place.specs.rend(); ++at) {
            const auto found = at->first->lists.find(arc);
            if (found == at->first->lists.end())
                continue;
            const Edits& edits = found->second;
            if (edits.replaces) {
                list = once(edits.all, at->second);
                continue;
            }
            without(edits.deleted);
            without(edits.before);
            const auto before = once(edits.before, at->second);
            list.insert(list.begin(), before.begin(), before.end());
            without(edits.behind);
            const auto behind = once(edits.behind, at->second);
            list.insert(list.end(), behind.begin(), behind.end());
        }
        return list;
    }
    void addArcs(const PlacePtr& place) {
        for (const Arc arc : {Arc::Reference, Arc::Payload}) {
            int order = 0;
            for (const auto& [target, own] : listed(*place, arc)) {
                PlacePtr led = at(target.layer < 0 ? place->stack : stackOf(target.layer, {}),
                                  target.path.empty() ? "/r" : target.path, false);
                for (const PlacePtr& one : byStrength(led))
                    one->shift = one->shift.within(target.shift.within(own).within(place->shift));
                place->arcs.push_back({arc, place->depth, order++, led});
            }
        }
    }
    void addVariants(const PlacePtr& prim) {
        std::set<std::pair<Place*, std::string>> looked;
        for (bool again = true; again;) {
            again = false;
            for (const PlacePtr& place : byStrength(prim)) {
                std::vector<std::string> sets;
                for (const auto& [spec, shift] : place->specs)
                    for (const std::string& set : spec->sets)
                        if (std::find(sets.begin(), sets.end(), set) == sets.end())
                            sets.push_back(set);
                const auto next = std::find_if(sets.begin(), sets.end(), [&](const std::string& set) {
                    return !looked.contains({place.get(), set});
                });
                if (next == sets.end())
                    continue;
                looked.insert({place.get(), *next});
                addVariant(prim, place, *next, static_cast<int>(next - sets.begin()));
                again = true;
                break;
            }
        }
    }
    void addVariant(const PlacePtr& prim, const PlacePtr& place, const std::string& set, int order) {
        std::string choice;
        for (const PlacePtr& one : byStrength(prim))
            for (const auto& [spec, shift] : one->specs)
                if (const auto found = spec->chosen.find(set); choice.empty() && found != spec->chosen.end())
                    choice = found->second;
        auto made = std::make_shared<Place>();
        made->stack = place->stack;
        made->shift = place->shift;
        made->depth = place->depth;
        for (const auto& [spec, shift] : place->specs)
            if (const auto found = spec->variants.find(set);
                found != spec->variants.end() && found->second.contains(choice))
                made->specs.emplace_back(found->second.at(choice), shift);
        if (made->specs.empty())
            return;
        place->arcs.push_back({Arc::Variant, place->depth, order, made});
        addArcs(made);
    }
    std::vector<Layer> layers_;
};

double valueAt(const std::pair<std::shared_ptr<Spec>, Shift>& value, double time) {
    const auto& [spec, shift] = value;
    const auto first = *spec->samples.begin();
    const auto last = *spec->samples.rbegin();
    if (!spec->sampled || spec->samples.size() == 1)
        return first.second;
    const double inside = (time - shift.offset) / shift.scale;
    return first.second + (last.second - first.second) * std::clamp(inside / 10.0, 0.0, 1.0);
}

TEST(UsdArcs, EveryPrimIsThereWithTheValueOfTheStrongest) {
    const char* asked = std::getenv("WYC_TRUTH_CASES");
    const char* from = std::getenv("WYC_TRUTH_FIRST");
    const unsigned cases = asked                           ? static_cast<unsigned>(std::atoi(asked))
                           : std::getenv("WYC_LONG_TESTS") ? 60000U
                                                           : 1500U;
    const unsigned first = from ? static_cast<unsigned>(std::atoi(from)) : 1U;
    std::size_t judged = 0;
    for (unsigned seed = first; seed < first + cases && !::testing::Test::HasFailure(); ++seed) {
        SCOPED_TRACE(seed);
        const TempFolder folder;
        const auto layers = Maker(seed).layers();
        write(layers, folder);
        const auto opened = usd::ComposedScene::open(folder / "l0.usda", {});
        ASSERT_TRUE(opened) << opened.error().text();
        const usd::ComposedScene& scene = **opened;
        std::set<std::string> wanted;
        Slow slow(layers);
        const std::function<void(const PlacePtr&, const std::string&)> expect = [&](const PlacePtr& place,
                                                                                    const std::string& path) {
            const auto shown = Slow::shown(place);
            if (!shown.there || shown.specifier != "def" || !shown.active)
                return;
            wanted.insert(path);
            ++judged;
            const usd::Prim* prim = scene.prim(path);
            ASSERT_TRUE(prim) << path;
            const usd::Attribute x = scene.attribute(*prim, "x");
            ASSERT_EQ(x.isThere(), shown.value.has_value()) << path;
            for (const double time : {-4.0, 0.0, 2.5, 7.0, 13.0, 40.0})
                if (shown.value) {
                    const auto value = x.at(time);
                    ASSERT_TRUE(value && value->number()) << path;
                    ASSERT_NEAR(*value->number(), valueAt(*shown.value, time), 1e-9) << path << " at " << time;
                }
            for (const std::string& name : shown.children)
                expect(slow.child(place, name), path + "/" + name);
        };
        for (const char* name : {"r", "lib", "lib2"})
            expect(slow.root(name), std::string("/") + name);
        for (const usd::Prim& prim : scene.prims())
            if (prim.parent >= 0 && prim.defined && !prim.abstract && prim.active)
                EXPECT_TRUE(wanted.contains(prim.path)) << prim.path;
    }
    EXPECT_GT(judged, cases);
}

// What a prim says itself is stronger than what is brought by a prim above it, also where a reference from elsewhere
// leads into the middle of that tree, to a place that is less deep.
TEST(UsdArcs, ADirectArcIsTheStrongerOneWhereverItIsBroughtTo) {
    const TempFolder folder;
    writeFile(folder / "values.usda",
              "#usda 1.0\ndef \"r\"\n{\n    double x = 1\n    def \"a\"\n    {\n        double x = 2\n"
              "        def \"b\"\n        {\n            double x = 3\n        }\n    }\n}\n");
    writeFile(folder / "tree.usda",
              "#usda 1.0\ndef \"r\" (\n    references = @values.usda@</r>\n)\n{\n    def \"a\" (\n"
              "        references = @values.usda@</r>\n    )\n    {\n    }\n}\n");
    writeFile(folder / "s.usda", "#usda 1.0\ndef \"top\" (\n    references = @tree.usda@</r/a>\n)\n{\n}\n");
    for (const auto& [file, path] : {std::pair{"tree.usda", "/r/a"}, {"s.usda", "/top"}}) {
        const auto scene = usd::ComposedScene::open(folder / file, {});
        ASSERT_TRUE(scene) << scene.error().text();
        const usd::Prim* prim = (*scene)->prim(path);
        ASSERT_TRUE(prim) << path;
        const auto value = (*scene)->attribute(*prim, "x").at(0.0);
        ASSERT_TRUE(value && value->number()) << path;
        EXPECT_EQ(*value->number(), 1.0) << path; // not 2, which comes by way of what is above
    }
}

} // namespace
} // namespace wyc::test::arcs
