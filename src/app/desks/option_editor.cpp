// SPDX-License-Identifier: GPL-3.0-or-later
#include "desks/option_editor.h"

#include <QAction>
#include <QCheckBox>
#include <QComboBox>
#include <QCoreApplication>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPainter>
#include <QPixmap>

#include "base/text.h"
#include "desks/desk_parts.h"
#include "desks/flow_layout.h"
#include "theme/theme.h"

namespace wyc::app {
namespace {

struct OptionEditor {
    Q_DECLARE_TR_FUNCTIONS(OptionEditor)
};

QIcon dotsIcon() {
    QPixmap picture(32, 32);
    picture.fill(Qt::transparent);
    QPainter painter(&picture);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(Qt::NoPen);
    painter.setBrush(colour::kChalk2);
    for (const double x : {8.0, 16.0, 24.0})
        painter.drawEllipse(QPointF(x, 18.0), 2.4, 2.4);
    return QIcon(picture);
}

// Looks for it on the disk.
void addBrowse(QLineEdit& line, const Option& option, const std::function<void(const nlohmann::json&)>& changed) {
    QAction* browse = line.addAction(dotsIcon(), QLineEdit::TrailingPosition);
    browse->setToolTip(OptionEditor::tr("Look for it"));
    browse->setObjectName(QStringLiteral("browse_") + text(option.name));
    QObject::connect(browse, &QAction::triggered, &line, [&line, folder = option.kind == OptionKind::Folder, changed] {
        const QString path =
            folder ? QFileDialog::getExistingDirectory(&line, OptionEditor::tr("Choose a folder"), line.text())
                   : QFileDialog::getOpenFileName(&line, OptionEditor::tr("Choose a file"), line.text());
        if (!path.isEmpty())
            changed(path.toStdString());
    });
}

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
        const bool path = option.kind == OptionKind::File || option.kind == OptionKind::Folder;
        line->setFixedWidth(number ? 62 : path ? 190 : 104);
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
        if (path)
            addBrowse(*line, option, changed);
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
    const auto valueOf = [&](std::string_view name) {
        const Option* option = optionNamed(options, name);
        return option ? chosen.value(std::string(name), option->standard) : nlohmann::json();
    };
    for (const Option& option : options) {
        const std::string name(option.name);
        if (!option.onlyWith.empty() && valueOf(option.onlyWith) != nlohmann::json(option.onlyFor))
            continue;
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
