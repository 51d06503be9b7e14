// SPDX-License-Identifier: GPL-3.0-or-later
#include "shell/guide.h"

#include <QHBoxLayout>
#include <QImage>
#include <QPushButton>
#include <QTextFrame>
#include <QTextTable>
#include <QVBoxLayout>

#include "theme/theme.h"

// Of a static library resources have to be asked for, outside of any namespace.
static void initGuide() {
    Q_INIT_RESOURCE(guide);
}

namespace wyc::app {

Guide::Guide(QWidget* parent) : QDialog(parent) {
    initGuide();
    setObjectName(QStringLiteral("guide"));
    setWindowTitle(tr("Guide"));
    resize(760, 720);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(12, 10, 12, 12);
    auto* row = new QHBoxLayout();
    pages_ = new Pages(this);
    pages_->setObjectName(QStringLiteral("guidePages"));
    pages_->setFont(textFont(10));
    pages_->document()->setDocumentMargin(14);
    pages_->setOpenExternalLinks(false);
    const auto button = [&](const char* name, const QString& words, auto act) {
        auto* made = new QPushButton(words, this);
        made->setObjectName(QString::fromLatin1(name));
        made->setProperty("flat", true);
        made->setAutoDefault(false);
        connect(made, &QPushButton::clicked, pages_, act);
        row->addWidget(made);
        return made;
    };
    button("guideHome", tr("All acts"), [this] { showPage(QStringLiteral("index")); });
    auto* back = button("guideBack", tr("Back"), [this] { pages_->backward(); });
    back->setEnabled(false);
    connect(pages_, &QTextBrowser::backwardAvailable, back, &QWidget::setEnabled);
    row->addStretch();
    button("guideWords", tr("Words"), [this] { showPage(QStringLiteral("words")); });
    button("guideReference", tr("Every step and finding"), [this] { showPage(QStringLiteral("reference")); });
    column->addLayout(row);
    column->addWidget(pages_, 1);
    showPage(QStringLiteral("index"));
}

void Guide::showPage(const QString& name) {
    pages_->setSource(QUrl(QStringLiteral("qrc:/docs/guide/%1.md").arg(name)));
}

// Tables as the rest of the window has its lists: lines between rows alone, and room around words.
void Guide::Pages::doSetSource(const QUrl& name, QTextDocument::ResourceType type) {
    QTextBrowser::doSetSource(name, type);
    for (QTextFrame* frame : document()->rootFrame()->childFrames())
        if (auto* table = qobject_cast<QTextTable*>(frame)) {
            QTextTableFormat format = table->format();
            format.setBorder(0.0);
            format.setCellSpacing(0.0);
            format.setCellPadding(6.0);
            format.setTopMargin(8.0);
            format.setBottomMargin(12.0);
            table->setFormat(format);
            for (int row = 0; row < table->rows(); ++row)
                for (int column = 0; column < table->columns(); ++column) {
                    QTextTableCell cell = table->cellAt(row, column);
                    QTextTableCellFormat own = cell.format().toTableCellFormat();
                    own.setBackground(row == 0 ? colour::kInk2 : row % 2 ? colour::kInk0 : colour::kInk1);
                    cell.setFormat(own);
                }
        }
}

QVariant Guide::Pages::loadResource(int type, const QUrl& name) {
    const QVariant loaded = QTextBrowser::loadResource(type, name);
    if (type != QTextDocument::ImageResource)
        return loaded;
    QImage image(QStringLiteral(":") + source().resolved(name).path());
    if (image.isNull())
        return loaded;
    const int room = std::max(200, viewport()->width() - 40);
    const double ratio = devicePixelRatioF();
    if (image.width() > room * ratio)
        image = image.scaledToWidth(static_cast<int>(room * ratio), Qt::SmoothTransformation);
    image.setDevicePixelRatio(ratio);
    return image;
}

} // namespace wyc::app
