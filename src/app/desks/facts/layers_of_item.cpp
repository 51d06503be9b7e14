// SPDX-License-Identifier: GPL-3.0-or-later
#include "desks/facts/layers_of_item.h"

#include <QCheckBox>
#include <QComboBox>
#include <QCoreApplication>
#include <QGridLayout>
#include <QLabel>
#include <QVBoxLayout>

#include "base/file.h"
#include "desks/desk_parts.h"

namespace wyc::app {
namespace {

struct LayersOfItem {
    Q_DECLARE_TR_FUNCTIONS(LayersOfItem)
};
// "items/jelly.usda", as seen from the file that was opened.
QString nameOf(const ReadLayer& layer, const fs::path& opened) {
    const std::string file = layer.path.substr(0, layer.path.find('['));
    const std::string rest = layer.path.substr(file.size());
    return QString::fromStdString(fs::path(file).lexically_proximate(folderOf(opened)).string() + rest);
}

QString wordsOf(const ReadLayer& layer) {
    QStringList words;
    if (!layer.found)
        words << LayersOfItem::tr("not there");
    if (layer.scale != 1.0)
        words << LayersOfItem::tr("times × %1").arg(layer.scale, 0, 'g', 6);
    if (layer.offset != 0.0)
        words << LayersOfItem::tr("%1 frames later").arg(layer.offset, 0, 'g', 6);
    return words.join(QStringLiteral(", "));
}

bool concerns(const ReadChoice& choice, const std::string& path) {
    return path == choice.item || path.starts_with(choice.item + "/");
}

} // namespace

nlohmann::json withVariant(const nlohmann::json& options, const std::string& prim, const std::string& set,
                           const std::string& choice) {
    const std::string head = prim + ":" + set + "=";
    nlohmann::json list = nlohmann::json::array();
    for (const auto& one : options.value("variant", nlohmann::json::array()))
        if (one.is_string() && !one.get<std::string>().starts_with(head))
            list.push_back(one);
    if (!choice.empty())
        list.push_back(head + choice);
    return list;
}

nlohmann::json withPayload(const nlohmann::json& options, const std::string& prim, bool loaded) {
    nlohmann::json list = nlohmann::json::array();
    bool all = true; // what is not named is loaded
    for (const auto& one : options.value("payloads", nlohmann::json::array({"all"}))) {
        const std::string text = one.is_string() ? one.get<std::string>() : std::string();
        all = all && (text == "all" || text.starts_with('!'));
        if (text != prim && text != "!" + prim && text != "none")
            list.push_back(one);
    }
    if (all && !loaded)
        list.push_back("!" + prim);
    else if (!all && loaded)
        list.push_back(prim);
    if (list.empty())
        list.push_back(all ? "all" : "none");
    return list;
}

QWidget* layersOfItem(const ItemView& item, QWidget* parent,
                      const std::function<void(const std::string&, const nlohmann::json&)>& choose) {
    const ReadReport& report = item.source->scene.report;
    if (report.layers.empty())
        return nullptr;
    auto* whole = new QWidget(parent);
    whole->setObjectName(QStringLiteral("layersOfItem"));
    auto* column = new QVBoxLayout(whole);
    column->setContentsMargins(0, 2, 0, 8);
    column->setSpacing(3);
    const fs::path& opened = item.source->spec.path;
    const auto node = item.scene ? std::optional(item.scene->nodes[item.node].id) : std::nullopt;
    std::vector<std::uint32_t> said;
    if (report.saidBy && node)
        if (const auto found = report.saidBy->find(*node); found != report.saidBy->end())
            said = found->second;
    column->addWidget(titleLabel(LayersOfItem::tr("Layers"), whole));
    for (std::size_t i = 0; i < said.size(); ++i) {
        const ReadLayer& layer = report.layers[said[i]];
        QString text = nameOf(layer, opened);
        if (const QString words = wordsOf(layer); !words.isEmpty())
            text += QStringLiteral(" · ") + words;
        if (i == 0 && said.size() > 1)
            text += LayersOfItem::tr(" · the strongest");
        auto* line = new QLabel(text, whole);
        line->setProperty("small", true);
        line->setToolTip(QString::fromStdString(layer.path));
        line->setTextInteractionFlags(Qt::TextSelectableByMouse);
        keepToWidth(line);
        column->addWidget(line);
    }
    if (said.empty())
        column->addWidget(smallLabel(LayersOfItem::tr("Made here; no layer speaks of it by this name"), whole));
    for (const ReadLayer& layer : report.layers)
        if (!layer.found) {
            auto* line = smallLabel(LayersOfItem::tr("✕ %1 is not there").arg(nameOf(layer, opened)), whole);
            line->setToolTip(QString::fromStdString(layer.path));
            column->addWidget(line);
        }
    auto* grid = new QGridLayout();
    grid->setContentsMargins(0, 4, 0, 0);
    grid->setColumnStretch(2, 1);
    int row = 0;
    for (const ReadChoice& choice : report.choices) {
        if (!concerns(choice, item.key.path))
            continue;
        const QString prim = QString::fromStdString(choice.item.substr(choice.item.rfind('/') + 1));
        if (choice.set.empty()) {
            auto* box = new QCheckBox(LayersOfItem::tr("payload of %1").arg(prim), whole);
            box->setObjectName(QStringLiteral("payload"));
            box->setChecked(choice.chosen == "loaded");
            box->setToolTip(LayersOfItem::tr("What a payload brings comes in when it is wanted"));
            QObject::connect(box, &QCheckBox::clicked, box,
                             [choose, options = item.source->spec.options, path = choice.item](bool on) {
                                 choose("payloads", withPayload(options, path, on));
                             });
            grid->addWidget(box, row++, 0, 1, 3);
            continue;
        }
        auto* label = new QLabel(LayersOfItem::tr("%1 of %2").arg(QString::fromStdString(choice.set), prim), whole);
        label->setProperty("dim", true);
        auto* box = new QComboBox(whole);
        box->setObjectName(QStringLiteral("variant_") + QString::fromStdString(choice.set));
        box->setToolTip(LayersOfItem::tr("Variant that is shown; it is kept in the job, the file stays as it is"));
        box->addItem(LayersOfItem::tr("as stored"), QString());
        for (const std::string& one : choice.choices)
            box->addItem(QString::fromStdString(one), QString::fromStdString(one));
        const int at = box->findData(QString::fromStdString(choice.chosen));
        if (at < 0 && !choice.chosen.empty())
            box->addItem(LayersOfItem::tr("%1 (not there)").arg(QString::fromStdString(choice.chosen)),
                         QString::fromStdString(choice.chosen));
        box->setCurrentIndex(box->findData(QString::fromStdString(choice.chosen)));
        QObject::connect(box, &QComboBox::activated, box,
                         [box, choose, options = item.source->spec.options, prim = choice.item, set = choice.set] {
                             choose("variant",
                                    withVariant(options, prim, set, box->currentData().toString().toStdString()));
                         });
        grid->addWidget(label, row, 0);
        grid->addWidget(box, row++, 1);
    }
    if (row > 0)
        column->addLayout(grid);
    return whole;
}

} // namespace wyc::app
