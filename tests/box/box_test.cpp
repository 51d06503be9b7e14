// SPDX-License-Identifier: GPL-3.0-or-later
// One format with everything, through everything: what a new format gets for one folder and one line.
#include <gtest/gtest.h>

#include <iostream>

#include "box/box.h"
#include "box/everything.h"
#include "compare/comparison.h"
#include "delivery/delivery.h"
#include "gather/source.h"
#include "report/report.h"
#include "scene/deform/deformers.h"
#include "steps/steps.h"
#include "support/temp_folder.h"

namespace wyc::box {
namespace {

using nlohmann::json;

Result<std::vector<PlannedOutput>> planned(const Scene& source, const std::vector<Step>& chain,
                                           const fs::path& target) {
    DeliveryInput input;
    WYC_TRY(made, applySteps(source, chain));
    input.scene = std::move(made);
    input.source = std::make_shared<const Scene>(source);
    input.steps = chain;
    input.provenance = json::object();
    return planConversion({input}, {target, false, true});
}

std::string allWords(const Proof& proof) {
    std::string words = proof.words() + "\n";
    for (const std::string& one : proof.disagreements)
        words += one + "\n";
    for (const ProvenItem& item : proof.items) {
        for (const auto* list : {&item.disagreements, &item.shown.disagreements, &item.shown.notCompared})
            for (const std::string& one : *list)
                words += item.item + ": " + one + "\n";
    }
    return words;
}

TEST(Box, HoldsAllThatASceneSaysAndIsProven) {
    const test::TempFolder folder;
    const Scene scene = everything();
    const auto plan = planned(scene, {}, folder / "all.wbox");
    ASSERT_TRUE(plan) << plan.error().text();
    EXPECT_TRUE(plan->front().losses.empty()) << plan->front().losses.front().what;
    const auto done = runOutput(plan->front(), {true, true}, Progress());
    ASSERT_TRUE(done) << done.error().text();
    EXPECT_TRUE(done->proof.passed && done->proof.sourceCompared);
    for (const ProvenItem& item : done->proof.items)
        EXPECT_TRUE(item.shown.notCompared.empty()) << item.item << ": " << item.shown.notCompared.front();
    const auto again = proveFromRecord(done->target, done->record, Progress());
    ASSERT_TRUE(again) << again.error().text();
    EXPECT_TRUE(again->passed) << allWords(*again);
}

// Each step once, with something to do.
std::vector<Step> everyStep() {
    const std::map<std::string_view, json> options{
        {"unit", {{"from", "m"}, {"to", "cm"}}},
        {"turn", {{"from", "Y"}, {"to", "Z"}}},
        {"drop", {{"start", 2}}},
        {"offset", {{"frames", 7}}},
        {"start", {{"frame", 1}}},
        {"trim", {{"first", 1003}, {"last", 1010}}},
        {"hold", {{"before", 2}, {"after", 3}}},
        {"resample", {{"rate", "25"}}},
        {"rate", {{"rate", "30"}}},
        {"every", {{"count", 2}}},
        {"scale", {{"factor", 2.5}}},
        {"rename", {{"name", "other"}}},
        {"leave_out", {{"pattern", "lamp"}}},
        {"world", {{"groups", "dropped"}}},
        {"merge", {{"name", "all"}}},
        {"split", {{"by", "materials"}}},
        {"keep", {{"frames", "1002,1005:1009"}}},
        {"length", {{"frames", 9}}},
        {"shutter", {{"open", -0.25}, {"close", 0.25}, {"samples", 3}}},
        {"retime", {{"curve", "1001=1001, 1011=1006"}}},
        {"loop", {{"start", 1002}, {"length", 8}, {"close", "overlap"}, {"fade", 3}, {"cycles", 2}}},
        {"lead_in", {{"frames", 6}, {"from", "frame"}, {"frame", 1004}}},
        {"fill", json::object()},
        {"ends", {{"first", "as its neighbour"}, {"last", "left out"}}},
        {"travel", {{"along", "XZ"}}},
        {"flip", json::object()},
        {"place", {{"turn", "0, 30, 0"}, {"move", "1, 2, 3"}}},
    };
    std::vector<Step> steps;
    for (const StepType& type : stepTypes())
        if (const auto found = options.find(type.id); found != options.end())
            steps.push_back({std::string(type.id), found->second, true});
    return steps;
}

TEST(Box, EveryStepIsProvenAndKeepsSkinsAsItSays) {
    const test::TempFolder folder;
    const Scene scene = everything();
    std::size_t tried = 0;
    for (const Step& step : everyStep()) {
        SCOPED_TRACE(step.type + " " + step.options.dump());
        std::vector<Step> chain{step};
        if (step.type == "flip") // of points that come and go there is nothing to turn over
            for (const char* cloud : {"spores", "bed"})
                chain.insert(chain.begin(), {"leave_out", {{"pattern", cloud}}, true});
        const auto plan = planned(scene, chain, folder / (step.type + ".wbox"));
        EXPECT_TRUE(plan) << plan.error().text();
        if (!plan)
            continue;
        ++tried;
        const Scene& meant = plan->front().scene;
        const auto skinned =
            std::any_of(meant.nodes.begin(), meant.nodes.end(), [](const Node& node) { return isDeformed(node); });
        const bool told = std::any_of(meant.report.notCarried.begin(), meant.report.notCarried.end(),
                                      [](const NotCarried& one) { return one.what == kDeformersGone; });
        EXPECT_NE(skinned, told); // one or the other
        const auto done = runOutput(plan->front(), {true, true}, Progress());
        EXPECT_TRUE(done) << done.error().text();
    }
    std::cout << tried << " steps\n";
    EXPECT_GE(tried, 20U);
}

// Every value of a document, changed as little as can be: the lowest bit of numbers, a letter of texts.
void changesOf(const json& value, const json::json_pointer& at,
               std::vector<std::pair<json::json_pointer, json>>& into) {
    const std::string key = at.empty() ? "" : at.back();
    if (value.is_binary()) {
        auto bytes = value.get_binary();
        if (bytes.empty())
            return;
        bytes[0] ^= 1U;
        into.emplace_back(at, json::binary(bytes));
    } else if (value.is_object()) {
        const bool still = value.contains("cycle") && (value["kind"] == 0 || value["count"] < 2);
        for (const auto& [name, part] : value.items()) {
            // What says how the rest is to be read; names of what is known by its meaning, and of the first layer of a
            // kind; names of sets whose material is bound by id; whether a set is a group or an object, which formats
            // do not agree on.
            const auto meaning = static_cast<Meaning>(value.value("meaning", 0));
            const bool known = value.contains("meaning") && name == "name" && meaning != Meaning::Unknown &&
                               (!traitsOf(meaning).named || value["name"] == meaningName(meaning));
            const bool set = value.contains("faces");
            const bool bound = set && value["kind"] == static_cast<int>(FaceSet::Kind::Material);
            const bool label = known || (set && (name == "kind" || name == (bound ? "name" : "material")));
            for (const char* shape : {"meaning", "role", "time", "scope", "type", "extent", "array", "count", "hint"})
                if (name == shape)
                    goto next;
            if (!label && !(still && name != "kind") && !(value.contains("cycle") && name == "kind"))
                changesOf(part, at / name, into);
        next:;
        }
    } else if (value.is_array()) {
        for (std::size_t i = 0; i < value.size(); ++i) {
            const bool remark = i == 1 && at.to_string().find("/ops/") != std::string::npos; // it says nothing
            const bool amid = i > 0 && i + 1 < value.size() && i != value.size() / 2;        // enough of a long list
            if (!remark && !(amid && value.size() > 3 && key != "nodes" && key != "properties" && key != "children"))
                changesOf(value[i], at / i, into);
        }
    } else if (value.is_number_float()) {
        into.emplace_back(at, value.get<double>() + 0.02);
    } else if (value.is_number()) {
        into.emplace_back(at, value.get<int>() == 1 ? 0 : 1);
    } else if (value.is_boolean()) {
        into.emplace_back(at, !value.get<bool>());
    } else if (value.is_string()) {
        into.emplace_back(at, value.get<std::string>() + "x");
    }
}

TEST(Box, AFaultInAnyChannelOfTheFileFailsTheProof) {
    const test::TempFolder folder;
    const Scene scene = everything();
    const auto plan = planned(scene, {}, folder / "all.wbox");
    ASSERT_TRUE(plan) << plan.error().text();
    const auto done = runOutput(plan->front(), {true, true}, Progress());
    ASSERT_TRUE(done) << done.error().text();
    const json document = *documentOf(done->target);
    std::vector<std::pair<json::json_pointer, json>> changes;
    changesOf(document, json::json_pointer(), changes);
    EXPECT_GT(changes.size(), 200U);
    std::size_t unseen = 0;
    for (const auto& [at, value] : changes) {
        json faulty = document;
        faulty[at] = value;
        ASSERT_TRUE(writeDocument(done->target, faulty));
        const auto proof = proveAgainst(plan->front().scene, plan->front(), done->target, Progress());
        if (proof && proof->passed && ++unseen < 200)
            ADD_FAILURE() << at << " " << value.dump() << " is not seen";
    }
    std::cout << changes.size() << " changes, " << unseen << " not seen\n";
}

class OtherValues final : public ValuesWrapper {
  public:
    using ValuesWrapper::ValuesWrapper;
    [[nodiscard]] Result<PropertyValue> read(std::size_t sample) const override {
        WYC_TRY(value, inner().read(sample));
        if (sample != sampling().count() / 2 || value.bytes.empty())
            return value;
        const std::size_t size = std::max<std::size_t>(1, elementSize(type()));
        if (type() == ValueType::Float || type() == ValueType::Double)
            changeNumbers(type(), value, [](auto numbers) { numbers[0] = numbers[0] * 1.03F + 0.02F; });
        else if (size == 1 && type() == ValueType::String)
            value.bytes[0] = std::byte{'q'};
        else
            value.bytes[0] ^= std::byte{1};
        return value;
    }
    [[nodiscard]] Result<PropertyValue> readAt(double seconds, const ValueMix& how) const override {
        return SampledValues::readAt(seconds, how);
    }
    [[nodiscard]] bool constant() const override { return sampling().count() < 2; }
    [[nodiscard]] std::optional<std::uint64_t> token(std::size_t) const override { return std::nullopt; }
    [[nodiscard]] std::optional<std::uint64_t> tokenAt(double) const override { return std::nullopt; }
};

TEST(Box, AChannelThatIsNotWhatTheSourceSaysFailsTheProof) {
    const test::TempFolder folder;
    const Scene scene = everything();
    const auto plan = planned(scene, {}, folder / "all.wbox");
    ASSERT_TRUE(plan) << plan.error().text();
    std::size_t tried = 0;
    const auto tryOne = [&](const std::string& name, const std::function<PropertiesPtr&(Scene&)>& of) {
        PlannedOutput output = plan->front();
        PropertiesPtr& properties = of(output.scene);
        properties = changedChannels(properties, [name](const Channel& channel) -> ValuesPtr {
            return channel.name == name ? std::make_shared<OtherValues>(channel.values) : channel.values;
        });
        ++tried;
        auto again = deformedByStored(output.scene);
        if (!again)
            return; // it cannot even be meant
        output.scene = std::move(*again);
        output.target = folder / ("fault" + std::to_string(tried) + ".wbox");
        const auto done = runOutput(output, {true, true}, Progress());
        EXPECT_FALSE(done) << name << " is not held against the source";
        EXPECT_TRUE(done || done.error().what.find("not what the source shows") != std::string::npos)
            << name << ": " << done.error().text();
    };
    for (std::size_t i = 0; i < scene.nodes.size(); ++i)
        for (const Channel& channel : channelsOf(plan->front().scene.nodes[i].properties))
            tryOne(channel.name, [i](Scene& of) -> PropertiesPtr& { return of.nodes[i].properties; });
    for (const Channel& channel : channelsOf(scene.materials[0].graph))
        tryOne(channel.name, [](Scene& of) -> PropertiesPtr& { return of.materials[0].graph; });
    std::cout << tried << " channels\n";
    EXPECT_GT(tried, 40U);
}

// What is told of a property and what is compared of its channels are the same question.
TEST(Box, APropertyAndItsChannelsAreOneKind) {
    Attribute tiles;
    tiles.scope = Scope::Corner;
    tiles.extent = 2;
    tiles.values = {0.0F, 0.0F, 1.0F, 1.0F};
    tiles.indices = {0, 1, 1, 0};
    std::vector<PropertiesPtr> all{plainProperties({layerProperty(Meaning::Uvs, "tiles", Sampling::still(), {tiles})})};
    for (const Node& node : everything().nodes)
        if (node.properties)
            all.push_back(node.properties);
    std::size_t numbered = 0;
    for (const PropertiesPtr& properties : all) {
        const std::vector<Channel> channels = channelsOf(properties);
        for (const PropertyNode& property : properties->all()) {
            const bool byNumber = !property.values && numberingOf(property);
            const auto channel = std::find_if(channels.begin(), channels.end(), [&](const Channel& c) {
                return c.values == (byNumber ? property.children.front() : property).values;
            });
            if (channel == channels.end())
                continue; // a group of several
            const ChannelKind told = kindOf(property);
            const ChannelKind compared = kindOf(*channel);
            EXPECT_EQ(told.meaning, compared.meaning) << channel->name;
            EXPECT_EQ(told.type, compared.type) << channel->name;
            EXPECT_EQ(told.extent, compared.extent) << channel->name;
            EXPECT_EQ(told.numbered, compared.numbered) << channel->name;
            numbered += byNumber;
        }
    }
    EXPECT_GT(numbered, 0U);
    for (const Format& format : formats()) {
        const auto standard = chosenAs(format);
        ASSERT_TRUE(standard) << format.id;
        EXPECT_EQ((*standard)->chosen, format.chosen) << format.id; // as it stands in the table
    }
}

TEST(Box, IsComparedReportedAndNamedItsLosses) {
    const test::TempFolder folder;
    const auto plan = planned(everything(), {}, folder / "all.wbox");
    ASSERT_TRUE(plan) << plan.error().text();
    ASSERT_TRUE(runOutput(plan->front(), {true, true}, Progress()));
    SourceSpec spec;
    spec.path = folder / "all.wbox";
    const auto source = openSource(spec, FrameRate());
    ASSERT_TRUE(source) << source.error().text();
    const auto info = sourceInfo(**source, false);
    ASSERT_TRUE(info) << info.error().text();
    EXPECT_NE(info->dump().find("roughness"), std::string::npos);
    for (const json& item : (*info)["items"])
        if (item["path"] == "/current/swimmer") {
            EXPECT_EQ(item["skeleton"], "/current/rig");
            EXPECT_EQ(item["morphs"], json({"puff", "wink"}));
        }
    Scene changed = (*source)->scene;
    const auto same = compare((*source)->scene, changed, {}, Progress());
    ASSERT_TRUE(same) << same.error().text();
    EXPECT_TRUE(same->withinTolerance()) << same->text();
    for (Node& node : changed.nodes)
        if (node.kind == NodeKind::Light)
            node.properties = changedChannels(node.properties, [](const Channel& channel) -> ValuesPtr {
                return channel.meaning == Meaning::LightConeDegrees ? std::make_shared<OtherValues>(channel.values)
                                                                    : channel.values;
            });
    const auto other = compare((*source)->scene, changed, {}, Progress());
    ASSERT_TRUE(other) << other.error().text();
    EXPECT_FALSE(other->withinTolerance());
    // What others cannot hold is told.
    const auto archive = planned((*source)->scene, {}, folder / "all.abc");
    ASSERT_TRUE(archive) << archive.error().text();
    std::string losses;
    for (const Loss& loss : archive->front().losses)
        losses += loss.item + ": " + loss.what + "\n";
    for (const char* word : {"skin and morphs", "joints", "material"})
        EXPECT_NE(losses.find(word), std::string::npos) << losses;
    const auto proven = runOutput(archive->front(), {true, true}, Progress());
    ASSERT_TRUE(proven) << proven.error().text();
}

// Two items of one source in one file, one of them later: what both are made of is not the same any more.
TEST(Box, AMaterialThatOtherStepsWentOverIsAnotherOne) {
    const test::TempFolder folder;
    Scene scene = everything();
    scene.nodes[*scene.find("/current/shell")].material = scene.materials[0].id;
    std::vector<DeliveryInput> inputs;
    for (const char* name : {"swimmer", "shell"}) {
        DeliveryInput input;
        input.label = input.itemName = name;
        if (inputs.empty())
            input.steps = {{"offset", {{"frames", 5}}, true}};
        const auto chosen = selectedItems(scene, {name});
        ASSERT_TRUE(chosen);
        input.source = std::make_shared<const Scene>(*chosen);
        input.scene = *applySteps(*chosen, input.steps);
        input.provenance = json::object();
        inputs.push_back(std::move(input));
    }
    DeliverySpec spec;
    spec.format = "box";
    spec.folder = folder.path();
    spec.wholeRange = true;
    spec.oneFile = true;
    const auto plan = planDelivery(inputs, spec, Shot());
    ASSERT_TRUE(plan) << plan.error().text();
    const auto done = runOutput(plan->front(), {true, true}, Progress());
    ASSERT_TRUE(done) << done.error().text();
    const auto back = format().read({done->target, {}, {}, FrameRate(), {}, {}, {}});
    ASSERT_TRUE(back) << back.error().text();
    const auto firstKey = [&](const Material* material) {
        const auto channels = channelsOf(material->graph);
        return channelNamed(channels, "surface input 'roughness'")->values->sampling().firstTime();
    };
    const auto named = [&](const char* name) -> const Node& {
        return *std::find_if(back->nodes.begin(), back->nodes.end(), [&](const Node& n) { return n.name == name; });
    };
    const FaceSetsPtr sets = named("swimmer").geometry->faceSets(0).value();
    EXPECT_NEAR(firstKey(materialOf(*back, sets->back().material, {})), FrameRate().secondsAt(1006), 1e-9);
    EXPECT_NEAR(firstKey(materialOf(*back, named("shell").material, {})), FrameRate().secondsAt(1001), 1e-9);
}

} // namespace
} // namespace wyc::box
