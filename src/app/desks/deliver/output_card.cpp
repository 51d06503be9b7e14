// SPDX-License-Identifier: GPL-3.0-or-later
#include "desks/deliver/output_card.h"

#include <algorithm>
#include <map>
#include <set>

#include <QCoreApplication>
#include <QDateTime>
#include <QLabel>
#include <QProgressBar>
#include <QPushButton>
#include <QStringList>
#include <QVBoxLayout>

#include "base/text.h"
#include "desks/deliver/files_picture.h"
#include "desks/desk_parts.h"
#include "theme/theme.h"

namespace wyc::app {
namespace {

struct OutputCard {
    Q_DECLARE_TR_FUNCTIONS(OutputCard)
};

QString counted(std::size_t number, const char* one, const char* many) {
    return number == 1 ? OutputCard::tr(one) : OutputCard::tr(many).arg(digits(number));
}

// "2026-11-20 10:00" of a record's time, in the clock of the house.
QString whenWords(const std::string& written) {
    const QDateTime when = QDateTime::fromString(QString::fromStdString(written), Qt::ISODate);
    return when.isValid() ? when.toLocalTime().toString(QStringLiteral("yyyy-MM-dd HH:mm"))
                          : OutputCard::tr("at an unknown time");
}

QString rangeWords(std::optional<double> first, std::optional<double> last) {
    return first && last ? OutputCard::tr("frames %1 – %2")
                               .arg(QString::fromStdString(frameText(*first)), QString::fromStdString(frameText(*last)))
                         : OutputCard::tr("still");
}

// "3,213 points × 120 samples · order a7b2ce61", or what it is where it has no points.
QString itemWords(const ProvenItem& item) {
    const QString samples = counted(item.samples, "1 sample", "%1 samples");
    if (item.points == 0)
        return item.samples > 0 ? QStringLiteral("%1, %2").arg(QString::fromStdString(item.kind), samples)
                                : QString::fromStdString(item.kind);
    const QString points = item.carried ? OutputCard::tr("%1 points, carried by transforms").arg(digits(item.points))
                                        : OutputCard::tr("%1 points × %2").arg(digits(item.points), samples);
    return item.faces > 0
               ? OutputCard::tr("%1 · order %2").arg(points, QString::fromStdString(hashText(item.topology)).left(8))
               : points;
}

// What was not, or not at every frame, held against the source.
void addNotCompared(QVBoxLayout& into, const Proof& proof, QWidget* parent) {
    constexpr std::size_t kMostLines = 4;
    std::size_t lines = 0;
    for (const ProvenItem& item : proof.items)
        for (const std::string& words : item.shown.notCompared)
            if (++lines <= kMostLines)
                into.addWidget(smallLabel(OutputCard::tr("not compared with the source: %1: %2")
                                              .arg(QString::fromStdString(item.item), QString::fromStdString(words)),
                                          parent));
    if (lines > kMostLines)
        into.addWidget(smallLabel(
            OutputCard::tr("and %1 more, which the proof's page lists").arg(digits(lines - kMostLines)), parent));
}

void addProof(QVBoxLayout& into, const OutputResult& result, double metresPerUnit, QWidget* parent) {
    const Proof& proof = result.proof;
    std::optional<double> first;
    std::optional<double> last;
    double drift = 0.0;
    Shown::Moments moments;
    double between = 0.0;
    for (const ProvenItem& item : proof.items) {
        moments.add(item.shown.moments);
        between = std::max(between, item.shown.worstBetween);
        const std::optional<double> begins = item.carried ? item.carried->first : item.first;
        const std::optional<double> ends = item.carried ? item.carried->last : item.last;
        if (begins)
            first = std::min(first.value_or(*begins), *begins);
        if (ends)
            last = std::max(last.value_or(*ends), *ends);
        drift = std::max(drift, item.largestDriftMetres);
    }
    const auto only =
        std::find_if(proof.items.begin(), proof.items.end(), [](const ProvenItem& i) { return !i.group; });
    const bool one = proof.itemCount() == 1;
    const QString what = one ? itemWords(*only) : counted(proof.itemCount(), "1 item", "%1 items");
    into.addWidget(smallLabel(OutputCard::tr("read back: %1 · %2, %3\u00A0fps · largest drift %4")
                                  .arg(what, rangeWords(first, last), QString::fromStdString(proof.rate.shortText()),
                                       QString::fromStdString(lengthText(drift))),
                              parent));
    if (proof.sourceCompared) {
        QString words = moments.count() == 0 ? OutputCard::tr("not compared with the source")
                                             : OutputCard::tr("as the source shows %1 at %2")
                                                   .arg(one ? OutputCard::tr("it") : OutputCard::tr("them"),
                                                        QString::fromStdString(moments.words(proof.rate)));
        if (between * metresPerUnit > 1e-6) // less is rounding
            words += OutputCard::tr(", between frames within %1")
                         .arg(QString::fromStdString(lengthText(between * metresPerUnit)));
        into.addWidget(smallLabel(words, parent));
    }
    addNotCompared(into, proof, parent);
    if (one) {
        into.addWidget(
            smallLabel(OutputCard::tr("compared: %1").arg(QString::fromStdString(only->compared())), parent));
        return;
    }
    constexpr std::size_t kMostLines = 10;
    std::size_t lines = 0;
    for (const ProvenItem& item : proof.items) {
        if (item.group || (item.points == 0 && item.samples == 0))
            continue; // sets of faces go with their mesh
        if (++lines > kMostLines)
            break;
        into.addWidget(
            smallLabel(QStringLiteral("%1: %2").arg(QString::fromStdString(item.item.substr(item.item.rfind('/') + 1)),
                                                    itemWords(item)),
                       parent));
    }
    if (lines > kMostLines)
        into.addWidget(smallLabel(OutputCard::tr("and more, all of them equal; the record names each"), parent));
}

} // namespace

QFrame* outputCard(const OutputRow& row, bool started, QWidget* parent) {
    QFrame* card = cardFrame(row.result                       ? colour::kMoss
                             : row.state == JobState::Failed  ? colour::kRust
                             : row.state == JobState::Running ? colour::kGlass
                                                              : colour::kInk3,
                             parent);
    card->setProperty("output", QString::fromStdString(row.plan.target.string()));
    auto* column = new QVBoxLayout(card);
    column->setContentsMargins(10, 6, 10, 7);
    column->setSpacing(2);
    auto* head = new QHBoxLayout();
    auto* name = new QLabel(QString::fromStdString(row.plan.item), card);
    name->setFont(textFont(9, QFont::DemiBold));
    keepToWidth(name);
    head->addWidget(name, 1);
    auto* size =
        smallLabel(row.result ? QString::fromStdString(sizeText(row.result->sizeBytes))
                              : OutputCard::tr("about %1").arg(QString::fromStdString(sizeText(row.plan.sizeEstimate))),
                   card);
    size->setWordWrap(false);
    head->addWidget(size);
    column->addLayout(head);
    auto* second = new QHBoxLayout();
    const bool drawn = row.plan.files.size() > 1; // names stand in the picture
    const QString target = drawn ? QString() : QString::fromStdString(row.plan.target.filename().string());
    auto* file =
        smallLabel(target + (row.plan.restTarget ? QStringLiteral(" + ") +
                                                       QString::fromStdString(row.plan.restTarget->filename().string())
                                                 : QString()),
                   card);
    file->setToolTip(QString::fromStdString(row.plan.target.string()));
    file->setWordWrap(false);
    keepToWidth(file);
    second->addWidget(file, 1);
    QString state = row.plan.frames ? OutputCard::tr("%1 – %2 · %3 samples")
                                          .arg(QString::fromStdString(frameText(row.plan.frames->first)),
                                               QString::fromStdString(frameText(row.plan.frames->last)))
                                          .arg(row.plan.sampleCount)
                                    : OutputCard::tr("still");
    QColor stateColour = colour::kChalk2;
    if (row.result) {
        state = QStringLiteral("✓ ") + QString::fromStdString(row.result->proof.words());
        stateColour = colour::kMoss;
    } else if (row.state == JobState::Failed) {
        state = QStringLiteral("✕ ") + OutputCard::tr("not written");
        stateColour = colour::kRust;
    } else if (row.state == JobState::Cancelled) {
        state = OutputCard::tr("stopped, nothing left behind");
        stateColour = colour::kStraw;
    } else if (started) {
        state = row.state == JobState::Running ? row.words : OutputCard::tr("waiting");
        stateColour = colour::kGlass;
    }
    auto* stateLabel = new QLabel(state, card);
    stateLabel->setObjectName(QStringLiteral("outputState"));
    stateLabel->setStyleSheet(QStringLiteral("color: %1;").arg(stateColour.name()));
    second->addWidget(stateLabel);
    column->addLayout(second);
    if (drawn) {
        std::set<std::string> written;
        if (row.result)
            for (const fs::path& one : row.result->files)
                written.insert(one.filename().string());
        column->addWidget(new FilesPicture(row.plan.files, row.result ? &written : nullptr, card));
    }
    if (!started && row.earlier) {
        const QString before = QString::fromStdString(row.earlier->target.filename().string());
        const auto [words, tint] = [&]() -> std::pair<QString, QColor> {
            switch (row.changed) {
            case OutputRow::Changes::None:
                return {QStringLiteral("✓ ") + OutputCard::tr("nothing is other than in %1").arg(before),
                        colour::kMoss};
            case OutputRow::Changes::Some:
                return {QStringLiteral("! ") + OutputCard::tr("other than in %1: %2").arg(before, row.changes),
                        colour::kStraw};
            case OutputRow::Changes::NotCompared:
                return {QStringLiteral("✕ ") + OutputCard::tr("not compared with %1: %2").arg(before, row.changes),
                        colour::kRust};
            case OutputRow::Changes::NotAsked: break;
            }
            return {OutputCard::tr("last delivered: %1, %2").arg(before, whenWords(row.earlier->written)),
                    colour::kChalk2};
        }();
        auto* last = smallLabel(words, card);
        last->setObjectName(QStringLiteral("outputChanges"));
        last->setStyleSheet(QStringLiteral("color: %1;").arg(tint.name()));
        column->addWidget(last);
    }
    if (started) {
        auto* bar = new QProgressBar(card);
        bar->setTextVisible(false);
        bar->setRange(0, 1000);
        bar->setObjectName(QStringLiteral("outputProgress_%1").arg(row.jobId));
        bar->setValue(row.result ? 1000 : static_cast<int>(row.fraction * 1000));
        if (row.result)
            bar->setStyleSheet(QStringLiteral("QProgressBar::chunk { background: #8FBF6A; }"));
        column->addWidget(bar);
    }
    for (const Loss& one : row.plan.shortfalls) {
        auto* words = smallLabel(OutputCard::tr("not filled: %1").arg(QString::fromStdString(one.what)), card);
        words->setObjectName(QStringLiteral("shortfall"));
        words->setStyleSheet(QStringLiteral("color: %1;").arg(colour::kStraw.name()));
        column->addWidget(words);
    }
    if (row.state == JobState::Failed)
        column->addWidget(smallLabel(row.words, card));
    if (row.result) {
        addProof(*column, *row.result, row.plan.scene.unitMetres.value_or(1.0), card);
        if (!row.result->record.empty())
            column->addWidget(smallLabel(
                OutputCard::tr("record: %1").arg(QString::fromStdString(row.result->record.filename().string())),
                card));
    }
    return card;
}

void addLosses(QVBoxLayout& into, const std::vector<OutputRow>& rows, const QString& title, QWidget* parent,
               const std::function<void()>& intoWorldSpace) {
    // The same words for many items stand once.
    struct Told {
        std::string what;
        QStringList items;
        bool keptInWorldSpace;
    };
    std::vector<Told> losses;
    std::map<std::string, std::size_t> known;
    std::set<std::pair<std::size_t, QString>> named;
    for (const OutputRow& row : rows)
        for (const Loss& loss : row.plan.losses) {
            const auto [at, added] = known.try_emplace(loss.what, losses.size());
            if (added)
                losses.push_back({loss.what, {}, loss.keptInWorldSpace});
            const std::string item = loss.item.substr(loss.item.rfind('/') + 1);
            const QString name = QString::fromStdString(item.empty() || rows.size() > 1 ? row.plan.item : item);
            if (named.emplace(at->second, name).second)
                losses[at->second].items << name;
        }
    if (losses.empty())
        return;
    auto* head = new QLabel(title, parent);
    head->setObjectName(QStringLiteral("lossesHead"));
    head->setFont(textFont(9, QFont::DemiBold));
    into.addWidget(head);
    constexpr std::size_t kMostLosses = 8;
    constexpr qsizetype kMostNamed = 4;
    for (std::size_t i = 0; i < std::min(losses.size(), kMostLosses); ++i) {
        const auto& [what, items, keptInWorldSpace] = losses[i];
        QString names = items.mid(0, kMostNamed).join(QStringLiteral(", "));
        if (items.size() > kMostNamed)
            names = OutputCard::tr("%1 and %2 more").arg(names).arg(items.size() - kMostNamed);
        QFrame* card = cardFrame(colour::kStraw, parent);
        auto* line = new QHBoxLayout(card);
        line->setContentsMargins(10, 5, 8, 5);
        auto* words = new QLabel(
            QStringLiteral("<span style='color:#E4C765'>!</span>&nbsp; %1 <span style='color:#93A8A6'>· %2</span>")
                .arg(QString::fromStdString(what).toHtmlEscaped(), names.toHtmlEscaped()),
            card);
        words->setWordWrap(true);
        line->addWidget(words, 1);
        if (keptInWorldSpace && intoWorldSpace) {
            auto* mend = new QPushButton(OutputCard::tr("In world space"), card);
            mend->setObjectName(QStringLiteral("lossInWorldSpace"));
            mend->setProperty("small", true);
            mend->setToolTip(OutputCard::tr("Transforms go into the points: nothing moves elsewhere"));
            QObject::connect(mend, &QPushButton::clicked, card, intoWorldSpace);
            line->addWidget(mend);
        }
        into.addWidget(card);
    }
    if (losses.size() > kMostLosses)
        into.addWidget(smallLabel(OutputCard::tr("and %1 more").arg(losses.size() - kMostLosses), parent));
}

} // namespace wyc::app
