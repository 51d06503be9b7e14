// SPDX-License-Identifier: GPL-3.0-or-later
// Random layers whose strongest opinion is known from how they were made, told by a plain recursion over the plan.
#include <gtest/gtest.h>

#include <cstdlib>
#include <random>

#include <fmt/format.h>

#include "formats/usd/compose/stage.h"
#include "support/temp_folder.h"

namespace wyc::test {
namespace {

struct Shift {
    double offset = 0.0;
    double scale = 1.0;
    [[nodiscard]] Shift within(const Shift& outer) const {
        return {offset * outer.scale + outer.offset, scale * outer.scale};
    }
};

// What one layer says of the value: a number for ever, or 0 → number at its time 0 and 10.
struct Opinion {
    int number = 0;
    bool sampled = false;
};

struct Place { // a prim, class, base or variant in one stack: its two layers, the stronger first
    std::array<std::optional<Opinion>, 2> says;
    std::array<bool, 2> there{true, false};
};

struct Plan {
    int number = 0;
    int rate = 24;
    Shift ofSub; // of the second layer in the first
    Place prim;
    std::optional<Place> ownClass; // inherited
    std::optional<Place> ownBase;  // specialized
    std::optional<Place> variant;  // the chosen one
    std::optional<Place> otherVariant;
    bool chosenOutside = false;   // the choice is made by what references it
    std::map<int, Place> classes; // of stacks further in, said here once more
    std::map<int, Place> bases;
    struct Arc {
        std::shared_ptr<Plan> to;
        Shift shift;
    };
    std::optional<Arc> reference, payload, inVariant;
};

class Maker {
  public:
    explicit Maker(unsigned seed) : random_(seed) {}
    std::shared_ptr<Plan> plan(int depth) {
        auto made = std::make_shared<Plan>();
        made->number = next_++;
        made->rate = depth == 0 || often(3) ? 24 : often(2) ? 48 : 12;
        made->ofSub = often(2) ? Shift{} : Shift{double(random_() % 7) - 3.0, often(2) ? 2.0 : 0.5};
        made->prim = place();
        made->prim.there[0] = true;
        if (often(2))
            made->ownClass = place();
        if (often(2))
            made->ownBase = place();
        if (often(2)) {
            made->variant = place();
            if (often(2))
                made->otherVariant = place();
            if (!made->prim.there[1]) { // a variant stands in its prim
                made->variant->there[1] = false;
                made->variant->says[1].reset();
            }
            made->chosenOutside = depth > 0 && often(3);
        }
        if (depth < 3) {
            const auto arc = [&]() -> std::optional<Plan::Arc> {
                if (!often(2))
                    return std::nullopt;
                return Plan::Arc{plan(depth + 1),
                                 often(2) ? Shift{} : Shift{double(random_() % 9) - 4.0, often(2) ? 1.0 : 2.0}};
            };
            made->reference = arc();
            made->payload = arc();
            if (made->variant)
                made->inVariant = arc();
        }
        // Of one stack further in the class, and the base, are said here, too.
        std::vector<const Plan*> inner;
        listInner(*made, inner);
        std::erase(inner, made.get());
        if (!inner.empty()) {
            const Plan* one = inner[random_() % inner.size()];
            if (one->ownClass)
                made->classes.emplace(one->number, place());
            const Plan* other = inner[random_() % inner.size()];
            if (other->ownBase)
                made->bases.emplace(other->number, place());
        }
        return made;
    }

  private:
    static void listInner(const Plan& plan, std::vector<const Plan*>& into) {
        into.push_back(&plan);
        for (const auto* arc : {&plan.inVariant, &plan.reference, &plan.payload})
            if (*arc)
                listInner(*(*arc)->to, into);
    }
    bool often(int one) { return random_() % static_cast<unsigned>(one) == 0; }
    Place place() {
        Place made;
        made.there = {true, often(2)};
        for (std::size_t i = 0; i < 2; ++i)
            if (made.there[i] && often(3))
                made.says[i] = Opinion{value_++, often(2)};
        return made;
    }
    std::mt19937 random_;
    int next_ = 0;
    int value_ = 1;
};

// ---- What is written.

std::string said(const Place& place, std::size_t layer, const std::string& indent) {
    const auto& opinion = place.says[layer];
    if (!opinion)
        return {};
    return opinion->sampled ? fmt::format("{0}double x.timeSamples = {{\n{0}    0: 0,\n{0}    10: {1},\n{0}}}\n",
                                          indent, opinion->number)
                            : fmt::format("{}double x = {}\n", indent, opinion->number);
}

std::string arcText(const char* kind, const std::optional<Plan::Arc>& arc, const std::string& indent) {
    return arc ? fmt::format("{}prepend {} = @./s{}.usda@</P{}> (offset = {}; scale = {})\n", indent, kind,
                             arc->to->number, arc->to->number, arc->shift.offset, arc->shift.scale)
               : std::string();
}

void choices(const Plan& plan, std::string& into) {
    for (const auto* arc : {&plan.inVariant, &plan.reference, &plan.payload})
        if (*arc) {
            if ((*arc)->to->chosenOutside && (*arc)->to->variant)
                into += fmt::format("        string v{} = \"a\"\n", (*arc)->to->number);
            choices(*(*arc)->to, into);
        }
}

std::string layerText(const Plan& plan, std::size_t layer, bool outermost) {
    std::string text = "#usda 1.0\n(\n";
    text += fmt::format("    timeCodesPerSecond = {}\n", plan.rate);
    if (layer == 0)
        text += fmt::format("    subLayers = [\n        @./s{}_sub.usda@ (offset = {}; scale = {})\n    ]\n",
                            plan.number, plan.ofSub.offset, plan.ofSub.scale);
    text += ")\n\n";
    const auto aside = [&](const std::string& name, const Place& place) {
        if (place.there[layer])
            text += fmt::format("class \"{}\"\n{{\n{}}}\n\n", name, said(place, layer, "    "));
    };
    if (plan.ownClass)
        aside(fmt::format("_c{}", plan.number), *plan.ownClass);
    if (plan.ownBase)
        aside(fmt::format("_b{}", plan.number), *plan.ownBase);
    for (const auto& [number, place] : plan.classes)
        aside(fmt::format("_c{}", number), place);
    for (const auto& [number, place] : plan.bases)
        aside(fmt::format("_b{}", number), place);
    if (!plan.prim.there[layer])
        return text;
    text += fmt::format("{} \"P{}\" (\n", layer == 0 ? "def Xform" : "over", plan.number);
    if (layer == 0) {
        if (plan.ownClass)
            text += fmt::format("    prepend inherits = </_c{}>\n", plan.number);
        if (plan.ownBase)
            text += fmt::format("    prepend specializes = </_b{}>\n", plan.number);
        text += arcText("references", plan.reference, "    ") + arcText("payload", plan.payload, "    ");
        std::string chosen;
        if (plan.variant && !plan.chosenOutside)
            chosen += fmt::format("        string v{} = \"a\"\n", plan.number);
        if (outermost)
            choices(plan, chosen);
        if (!chosen.empty())
            text += "    variants = {\n" + chosen + "    }\n";
        if (plan.variant)
            text += fmt::format("    prepend variantSets = \"v{}\"\n", plan.number);
    }
    text += ")\n{\n" + said(plan.prim, layer, "    ");
    if (plan.variant && plan.variant->there[layer]) {
        text += fmt::format("    variantSet \"v{}\" = {{\n        \"a\" (\n{}        ) {{\n{}        }}\n", plan.number,
                            layer == 0 ? arcText("references", plan.inVariant, "            ") : std::string(),
                            said(*plan.variant, layer, "            "));
        if (plan.otherVariant)
            text += "        \"b\" {\n" + said(*plan.otherVariant, layer, "            ") + "        }\n";
        text += "    }\n";
    }
    return text + "}\n";
}

void writePlan(const TempFolder& folder, const Plan& plan, bool outermost) {
    writeFile(folder / fmt::format("s{}.usda", plan.number), layerText(plan, 0, outermost));
    writeFile(folder / fmt::format("s{}_sub.usda", plan.number), layerText(plan, 1, false));
    for (const auto* arc : {&plan.inVariant, &plan.reference, &plan.payload})
        if (*arc)
            writePlan(folder, *(*arc)->to, false);
}

// ---- What is so: places in the order of their strength, each with its opinion and its times.

using Strength = std::vector<std::pair<Opinion, Shift>>;

void add(const Plan& plan, const Place& place, const Shift& shift, Strength& into) {
    for (std::size_t layer = 0; layer < 2; ++layer)
        if (place.there[layer] && place.says[layer])
            into.emplace_back(*place.says[layer], layer == 0 ? shift : plan.ofSub.within(shift));
}

// Classes, or bases, of stacks further in that this one says, too.
void addImplied(const Plan& plan, const Plan& inner, bool bases, const Shift& shift, Strength& into) {
    for (const auto* arc : {&inner.inVariant, &inner.reference, &inner.payload})
        if (*arc) {
            const auto& list = bases ? plan.bases : plan.classes;
            if (const auto found = list.find((*arc)->to->number); found != list.end())
                add(plan, found->second, shift, into);
            addImplied(plan, *(*arc)->to, bases, shift, into);
        }
}

void strengthOf(const Plan& plan, const Shift& shift, Strength& into, Strength& specialized) {
    add(plan, plan.prim, shift, into);
    if (plan.ownBase)
        add(plan, *plan.ownBase, shift, specialized);
    addImplied(plan, plan, true, shift, specialized);
    if (plan.ownClass)
        add(plan, *plan.ownClass, shift, into);
    addImplied(plan, plan, false, shift, into);
    const auto follow = [&](const std::optional<Plan::Arc>& arc) {
        if (!arc)
            return;
        Shift inside = arc->shift;
        inside.scale *= double(plan.rate) / arc->to->rate;
        strengthOf(*arc->to, inside.within(shift), into, specialized);
    };
    if (plan.variant)
        add(plan, *plan.variant, shift, into);
    follow(plan.inVariant);
    follow(plan.reference);
    follow(plan.payload);
}

TEST(UsdTruth, TheStrongestOpinionIsTheOneThatWasMadeSo) {
    const auto number = [](const char* name, int otherwise) {
        const char* given = std::getenv(name);
        return given ? std::atoi(given) : otherwise;
    };
    const int first = number("WYC_TRUTH_FIRST", 1);
    const int cases = number("WYC_TRUTH_CASES", 400);
    std::size_t valued = 0;
    for (int seed = first; seed < first + cases; ++seed) {
        const TempFolder folder;
        const auto plan = Maker(static_cast<unsigned>(seed)).plan(0);
        writePlan(folder, *plan, true);
        const auto scene = usd::ComposedScene::open(folder / "s0.usda", {});
        ASSERT_TRUE(scene) << seed << " " << scene.error().text();
        EXPECT_TRUE((*scene)->problems().empty()) << seed << " " << (*scene)->problems().front().text;
        const usd::Prim* prim = (*scene)->prim("/P0");
        ASSERT_TRUE(prim) << seed;
        const usd::Attribute attribute = (*scene)->attribute(*prim, "x");
        Strength strength;
        Strength specialized;
        strengthOf(*plan, {}, strength, specialized);
        strength.insert(strength.end(), specialized.begin(), specialized.end());
        ASSERT_EQ(attribute.isThere(), !strength.empty()) << seed;
        if (strength.empty())
            continue;
        ++valued;
        const auto& [opinion, shift] = strength.front();
        for (const double time : {-40.0, 0.0, 3.5, 10.0, 25.0, 90.0}) {
            double wanted = opinion.number;
            if (opinion.sampled)
                wanted *= std::clamp((time - shift.offset) / shift.scale / 10.0, 0.0, 1.0);
            const auto value = attribute.at(time);
            ASSERT_TRUE(value && value->number()) << seed;
            EXPECT_NEAR(*value->number(), wanted, 1e-9 * std::max(1.0, std::abs(wanted)))
                << "seed " << seed << " at " << time;
        }
    }
    EXPECT_GT(valued, static_cast<std::size_t>(cases) / 2);
}

} // namespace
} // namespace wyc::test
