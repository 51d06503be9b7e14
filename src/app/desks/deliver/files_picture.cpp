// SPDX-License-Identifier: GPL-3.0-or-later
#include "desks/deliver/files_picture.h"

#include <algorithm>
#include <map>

#include <QPainter>
#include <QPainterPath>

#include "theme/theme.h"

namespace wyc::app {
namespace {

constexpr int kRowHeight = 19;
constexpr int kIndent = 16;
constexpr std::size_t kMostRows = 10;

// "v003" of "shoal.bell.v003.usdc".
QString versionOf(const QString& name) {
    for (const QString& part : name.split(QLatin1Char('.')))
        if (part.size() > 1 && part.startsWith(QLatin1Char('v')) && part.at(1).isDigit())
            return part;
    return name;
}

} // namespace

FilesPicture::FilesPicture(const std::vector<ComingFile>& files, const std::set<std::string>* written, QWidget* parent)
    : QWidget(parent) {
    setObjectName(QStringLiteral("filesPicture"));
    using Role = ComingFile::Role;
    std::map<std::size_t, int> rowOf; // of the files
    std::size_t pictures = 0;
    std::size_t newPictures = 0;
    std::size_t namesPictures = 0;
    for (std::size_t i = 0; i < files.size(); ++i) {
        const ComingFile& file = files[i];
        const QString name = QString::fromStdString(file.name);
        const QString before = QString::fromStdString(file.before);
        if (file.role == Role::Picture) { // all together
            ++pictures;
            newPictures += file.before.empty() ? 1U : 0U;
            namesPictures = file.namedBy;
            continue;
        }
        Row row;
        row.name = name;
        row.level = i == 0 ? 0 : 1;
        row.below = i == 0 ? -1 : rowOf.at(file.namedBy);
        if (file.role == Role::Outside) {
            row.what = tr("stays as it is");
            row.written = false;
        } else if (file.role == Role::Main) {
            row.what = written ? tr("written") : tr("names what is below");
        } else if (written) {
            const bool isNew = written->contains(file.name);
            row.name = isNew ? name : before;
            row.what = isNew ? tr("written") : tr("as it was");
            row.written = isNew;
        } else if (before.isEmpty()) {
            row.what = tr("new");
        } else {
            row.name = before;
            row.what = tr("%1, if it changed").arg(versionOf(name));
            row.written = false;
        }
        rowOf[i] = static_cast<int>(rows_.size());
        rows_.push_back(std::move(row));
    }
    if (rows_.size() > kMostRows) {
        const std::size_t more = rows_.size() - kMostRows + 1;
        rows_.resize(kMostRows - 1);
        rows_.push_back({tr("and %1 more layers").arg(more), {}, 1, 0, false});
    }
    if (pictures > 0) {
        const int by = rowOf.contains(namesPictures) ? rowOf.at(namesPictures) : 0;
        const int above = by < static_cast<int>(rows_.size()) ? by : 0;
        const int level = rows_[static_cast<std::size_t>(above)].level + 1;
        Row row{pictures == 1 ? tr("1 picture") : tr("%1 pictures").arg(pictures),
                newPictures == 0          ? tr("there already")
                : newPictures == pictures ? tr("new")
                                          : tr("%1 new").arg(newPictures),
                level, above, newPictures > 0};
        rows_.insert(rows_.begin() + above + 1, std::move(row));
        for (std::size_t i = static_cast<std::size_t>(above) + 2; i < rows_.size(); ++i)
            if (rows_[i].below > above)
                ++rows_[i].below;
    }
    setMinimumHeight(sizeHint().height());
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    setToolTip(tr("The files that will stand there; a line leads from each to what it names"));
    setAccessibleName(tr("files that will stand there"));
    setAccessibleDescription(lines().join(QLatin1Char('\n')));
}

QSize FilesPicture::sizeHint() const {
    return {200, static_cast<int>(rows_.size()) * kRowHeight + 6};
}

QStringList FilesPicture::lines() const {
    QStringList all;
    for (const Row& row : rows_)
        all.append(row.what.isEmpty() ? row.name : row.name + QStringLiteral(" | ") + row.what);
    return all;
}

void FilesPicture::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setFont(textFont(8));
    const QFontMetrics metrics(painter.font());
    const auto middle = [](std::size_t row) { return 3 + static_cast<int>(row) * kRowHeight + kRowHeight / 2; };
    const auto left = [](const Row& row) { return 4 + row.level * kIndent; };
    // Lines behind names: down from who names it, then to it.
    painter.setPen(QPen(colour::kInk3.lighter(150), 1.2));
    for (std::size_t i = 0; i < rows_.size(); ++i) {
        if (rows_[i].below < 0)
            continue;
        const auto above = static_cast<std::size_t>(rows_[i].below);
        const double x = left(rows_[above]) + 4.5;
        const double y = middle(i) + 0.5;
        QPainterPath way(QPointF(x, middle(above) + 6.0));
        way.lineTo(x, y);
        way.lineTo(left(rows_[i]) - 3.0, y);
        painter.drawPath(way);
    }
    for (std::size_t i = 0; i < rows_.size(); ++i) {
        const Row& row = rows_[i];
        const int y = middle(i);
        // A leaf of paper: full where something is written, hollow where it stays.
        const QRectF leaf(left(row), y - 5.0, 8.0, 10.0);
        painter.setPen(QPen(row.written ? colour::kGlass : colour::kChalk2, 1.0));
        painter.setBrush(row.written ? QBrush(colour::kGlass) : QBrush(Qt::NoBrush));
        painter.drawRect(leaf);
        const int whatWidth = row.what.isEmpty() ? 0 : metrics.horizontalAdvance(row.what) + 8;
        const int x = left(row) + 15;
        const QRect words(x, y - kRowHeight / 2, width() - x - whatWidth, kRowHeight);
        painter.setPen(row.level == 0 ? colour::kChalk : colour::kChalk2.lighter(115));
        painter.drawText(words, Qt::AlignVCenter | Qt::AlignLeft,
                         metrics.elidedText(row.name, Qt::ElideMiddle, words.width()));
        painter.setPen(row.written ? colour::kGlass : colour::kChalk2);
        painter.drawText(QRect(width() - whatWidth, words.top(), whatWidth, kRowHeight),
                         Qt::AlignVCenter | Qt::AlignRight, row.what);
    }
}

} // namespace wyc::app
