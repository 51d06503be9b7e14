// SPDX-License-Identifier: GPL-3.0-or-later
// A layered scene in the window: its layers, variants and payloads on the Facts desk.
#include "window_fixture.h"

#include <QCheckBox>
#include <QComboBox>

#include "desks/facts/layers_of_item.h"

namespace wyc::app {
namespace {

class LayersTest : public WindowTest {
  protected:
    const ItemView* itemAt(const std::string& path) {
        for (const ItemView& item : workspace().items())
            if (item.key.path == path)
                return &item;
        return nullptr;
    }
    bool openShown(const char* name) {
        workspace().addPaths({QString::fromStdString((fs::path(WYC_TEST_DATA) / "usd" / name).string())});
        return until([&] { return !workspace().items().empty(); }) && settle();
    }
};

TEST_F(LayersTest, AVariantIsChosenWhereTheItemIsLookedAt) {
    ASSERT_TRUE(openShown("variants/variants.usda"));
    ASSERT_TRUE(itemAt("/Shoal/chosen_stronger/bell"));
    workspace().setActive(itemAt("/Shoal/chosen_stronger/bell")->key);
    ASSERT_TRUE(settle());
    auto* layers = child<QWidget>("layersOfItem");
    ASSERT_TRUE(layers && layers->isVisible());
    auto* look = child<QComboBox>("variant_look");
    ASSERT_TRUE(look);
    EXPECT_EQ(look->currentText(), QStringLiteral("faulty"));
    // By its list, as a person does it.
    look->setCurrentText(QStringLiteral("clean"));
    emit look->activated(look->currentIndex());
    ASSERT_TRUE(until([&] { return !itemAt("/Shoal/chosen_stronger/bell"); }));
    ASSERT_TRUE(settle());
    EXPECT_EQ(workspace().job().sources.front().spec.options["variant"],
              nlohmann::json({"/Shoal/chosen_stronger:look=clean"}));
    workspace().document().undo();
    ASSERT_TRUE(until([&] { return itemAt("/Shoal/chosen_stronger/bell") != nullptr; }));
}

TEST_F(LayersTest, APayloadIsTakenOutAndBroughtBack) {
    ASSERT_TRUE(openShown("payloads/payloads.usda"));
    ASSERT_TRUE(itemAt("/Shoal/one/bell"));
    workspace().setActive(itemAt("/Shoal/one/bell")->key);
    ASSERT_TRUE(settle());
    ASSERT_TRUE(click(child<QCheckBox>("payload"), QPoint(8, 8)));
    ASSERT_TRUE(until([&] { return !workspace().items().empty() && !itemAt("/Shoal/one/bell"); }));
    ASSERT_TRUE(settle());
    EXPECT_TRUE(itemAt("/Shoal/with_offset/bell"));
}

TEST(LayersOfItem, ChoicesAreKeptOnceEach) {
    const nlohmann::json options{{"variant", {"/A:look=x", "look=y"}}, {"payloads", {"none", "/B"}}};
    EXPECT_EQ(withVariant(options, "/A", "look", "z"), nlohmann::json({"look=y", "/A:look=z"}));
    EXPECT_EQ(withVariant(options, "/A", "look", ""), nlohmann::json({"look=y"}));
    EXPECT_EQ(withPayload(nlohmann::json::object(), "/A", false), nlohmann::json({"all", "!/A"}));
    EXPECT_EQ(withPayload({{"payloads", {"all", "!/A"}}}, "/A", true), nlohmann::json({"all"}));
    EXPECT_EQ(withPayload(options, "/A", true), nlohmann::json({"/B", "/A"}));
    EXPECT_EQ(withPayload(options, "/B", false), nlohmann::json({"none"}));
}

} // namespace
} // namespace wyc::app
