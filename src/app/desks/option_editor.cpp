// SPDX-License-Identifier: GPL-3.0-or-later
#include "desks/option_editor.h"

#include <QCheckBox>
#include <QComboBox>
#include <QCoreApplication>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>

#include "base/text.h"
#include "desks/desk_parts.h"
#include "desks/flow_layout.h"

namespace wyc::app {
namespace {

struct OptionEditor {
    Q_DECLARE_TR_FUNCTIONS(OptionEditor)
};

} // namespace

QWidget* optionEditor(const Option& option, const nlohmann::json& value, QWidget* parent,
                      const std::function<void(const nlohmann::json&)>& changed,
                      const std::function<void(const QString&)>& refused) {
    QWidget* made = nullptr;
    if (option.kind == OptionKind::Choice || option.kind == OptionKind::Axis || option.kind == OptionKind::Unit) {
        auto* box = new QComboBox(parent);
        if (option.kind == OptionKind::Choice)
            for (const std::string_view choice : option.choices)
                box->addItem(text(choice));
        else
            box->addItems(option.kind == OptionKind::Axis
                              ? QStringList{QStringLiteral("X"), QStringLiteral("Y"), QStringLiteral("Z")}
                              : QStringList{QStringLiteral("mm"), QStringLiteral("cm"), QStringLiteral("m"),
                                            QStringLiteral("in"), QStringLiteral("ft")});
        const QString current = QString::fromStdString(value.is_string() ? value.get<std::string>() : value.dump());
        if (box->findText(current) < 0)
            box->addItem(current);
        box->setCurrentText(current);
        QObject::connect(box, &QComboBox::activated, box,
                         [box, changed] { changed(box->currentText().toStdString()); });
        made = box;
    } else if (option.kind == OptionKind::Switch) {
        auto* box = new QCheckBox(parent);
        box->setChecked(value.is_boolean() && value.get<bool>());
        QObject::connect(box, &QCheckBox::clicked, box, [changed](bool on) { changed(on); });
        made = box;
    } else {
        auto* line = new QLineEdit(parent);
        const bool number = option.isNumber();
        // A number that stands for none at all is shown as none.
        const bool mayBeNone = number && option.standard.is_number() && option.standard.get<double>() == option.least &&
                               option.least <= -1e6;
        const bool none = mayBeNone && value.is_number() && value.get<double>() == option.least;
        line->setText(none ? QString() : QString::fromStdString(typedText(option, value)));
        if (mayBeNone)
            line->setPlaceholderText(OptionEditor::tr("none"));
        if (line->text().startsWith(QLatin1Char('{'))) { // data, and nothing to be typed: another may take its place
            line->clear();
            line->setPlaceholderText(OptionEditor::tr("in the step"));
        }
        line->setFixedWidth(number ? 62 : 104);
        QObject::connect(line, &QLineEdit::editingFinished, line, [line, number, mayBeNone, option, changed, refused] {
            if (!line->isModified())
                return;
            const std::string given = line->text().trimmed().toStdString();
            const auto parsed = mayBeNone && given.empty() ? std::optional(option.least) : parseNumber(given);
            if (number && !parsed)
                refused(OptionEditor::tr("“%1”: %2 is a number").arg(QString::fromStdString(given), text(option.name)));
            else
                changed(number ? nlohmann::json(*parsed) : typedValue(option, given));
        });
        made = line;
    }
    made->setObjectName(QStringLiteral("option_") + text(option.name));
    made->setToolTip(text(option.help));
    return made;
}

QWidget* optionsEditor(const Options& options, const nlohmann::json& chosen, QWidget* parent,
                       const std::function<void(const std::string&, const nlohmann::json&)>& changed,
                       const std::function<void(const QString&)>& refused) {
    if (options.empty())
        return nullptr;
    auto* whole = new QWidget(parent);
    auto* flow = new FlowLayout(12, 3);
    whole->setLayout(flow);
    for (const Option& option : options) {
        const std::string name(option.name);
        auto* pair = new QWidget(whole);
        auto* row = new QHBoxLayout(pair);
        row->setContentsMargins(0, 0, 0, 0);
        row->setSpacing(6);
        auto* label = new QLabel(text(option.name).replace(QLatin1Char('_'), QLatin1Char(' ')), pair);
        label->setProperty("dim", true);
        label->setToolTip(text(option.help));
        row->addWidget(label);
        row->addWidget(optionEditor(
            option, chosen.value(name, option.standard), pair,
            [changed, name](const nlohmann::json& given) { changed(name, given); }, refused));
        flow->addWidget(pair);
    }
    return whole;
}

} // namespace wyc::app
