// SPDX-License-Identifier: GPL-3.0-or-later
#include "shell/ask.h"

#include <QDialog>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

#include "theme/theme.h"

namespace wyc::app {

QDialog* sheet(const QString& name, const QString& title, const QString& words, QWidget* parent) {
    auto* made = new QDialog(parent);
    made->setObjectName(name);
    made->setWindowTitle(title);
    auto* column = new QVBoxLayout(made);
    column->setContentsMargins(22, 18, 22, 18);
    column->setSpacing(10);
    auto* head = new QLabel(title, made);
    head->setFont(textFont(11, QFont::DemiBold));
    column->addWidget(head);
    if (words.isEmpty())
        return made;
    auto* text = new QLabel(words, made);
    text->setProperty("dim", true);
    text->setWordWrap(true);
    text->setMinimumWidth(380);
    column->addWidget(text);
    return made;
}

int ask(const QString& name, const QString& title, const QString& words, const QStringList& answers, QWidget* parent) {
    QDialog* question = sheet(name, title, words, parent);
    auto* row = new QHBoxLayout();
    row->addStretch();
    int answer = -1;
    for (int i = static_cast<int>(answers.size()) - 1; i >= 0; --i) { // what Return means stands at the right
        auto* button = new QPushButton(answers[i], question);
        button->setObjectName(QStringLiteral("answer%1").arg(i));
        button->setProperty("main", i == 0);
        button->setDefault(i == 0);
        QObject::connect(button, &QPushButton::clicked, question, [question, i, &answer] {
            answer = i;
            question->accept();
        });
        row->addWidget(button);
        if (i == 0)
            button->setFocus();
    }
    auto* column = static_cast<QVBoxLayout*>(question->layout());
    column->addSpacing(4);
    column->addLayout(row);
    question->exec();
    question->deleteLater();
    return answer;
}

} // namespace wyc::app
