// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// The Reconcile desk: what came back against what went out; why they differ, and back again.
#include <memory>
#include <optional>
#include <vector>

#include <QTimer>
#include <QWidget>

#include "compare/comparison.h"
#include "desks/desk.h"
#include "shell/workspace.h"

class QCheckBox;
class QComboBox;
class QLabel;
class QLineEdit;
class QPushButton;
class QToolButton;
class QVBoxLayout;

namespace wyc::app {

class DriftPlot;
class Viewport;

class ReconcileDesk : public Desk {
    Q_OBJECT
  public:
    ReconcileDesk(Workspace& workspace, Viewport& viewport, QWidget* parent = nullptr);
    /// Lays B against A and looks at once.
    void choose(ItemKey a, ItemKey b);
    /// What is opened from now on by these paths is laid against an item.
    void chooseWhenOpened(const ItemKey& a, const QStringList& paths);
    [[nodiscard]] const ItemKey& a() const { return a_; }
    [[nodiscard]] const ItemKey& b() const { return b_; }
    [[nodiscard]] bool looking() const { return looking_ > 0 || look_.isActive(); }
    [[nodiscard]] const std::shared_ptr<const ComparedPair>& found() const { return found_; }

  public slots:
    void undoChosen();

  protected:
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;

  private:
    QToolButton* tool(const char* name, const QString& words, const QString& tip);
    QLayout* makeSides();
    QLayout* makeShows();
    QLayout* makeFoot();
    void connectPair();
    void connectShown();
    QToolButton* swap_;
    void listItems();
    void guess();
    void takePair();
    void compareNow();
    void showFound();
    void showCauses();
    void chosenChanged();
    void showOnBody();
    [[nodiscard]] double toBoard(bool undone) const;
    void writeReport();
    void saveOrder();
    void takePoints();
    void listMeasures();
    void measureIn(std::optional<ItemKey> camera);
    void measureAnew();
    [[nodiscard]] std::optional<Picture> picture() const;
    [[nodiscard]] double tolerance() const; // metres
    [[nodiscard]] double tolerancePixels() const;
    struct Left; // with what is chosen undone
    [[nodiscard]] static Left leftOf(const ComparedPair& pair, const std::vector<char>& chosen,
                                     const std::optional<Picture>& picture, bool measure, const Progress& progress);
    void takeLeft(const Left& left);
    [[nodiscard]] std::vector<Step> chosenSteps(int* causes = nullptr) const;

    Workspace& workspace_;
    Viewport& viewport_;
    QComboBox* chooseA_;
    QComboBox* chooseB_;
    QLabel* sentence_;
    QVBoxLayout* causes_;
    DriftPlot* plot_;
    QLabel* figures_;
    QToolButton* worst_;
    QToolButton* heat_;
    QToolButton* order_;
    QToolButton* asUndone_;
    QComboBox* bodies_;
    QToolButton* measure_;
    QToolButton* more_;
    QLineEdit* tolerance_;
    QPushButton* report_;
    QPushButton* undo_;
    std::vector<QCheckBox*> checks_;

    ItemKey a_;
    ItemKey b_;
    bool byHand_ = false; // the pair was chosen, not guessed
    std::shared_ptr<const ComparedPair> found_;
    std::vector<char> chosen_;
    std::optional<Drift> undone_; // with what is chosen
    std::shared_ptr<const Undone> shownUndone_;
    std::optional<ItemKey> camera_; // drift is measured in its picture
    std::weak_ptr<const Scene> sceneOfCamera_;
    std::optional<PicturedDrift> pictured_;
    QString lengthTolerance_ = QStringLiteral("0.1 mm");
    QString pixelTolerance_ = QStringLiteral("0.1 px");
    std::optional<Error> refused_;
    std::vector<ItemKey> listed_;
    struct Awaited {
        ItemKey a;
        std::set<SourceId> before; // sources that were there already
    };
    std::optional<Awaited> awaited_;
    QTimer look_;
    int generation_ = 0;
    int looking_ = 0;
    std::weak_ptr<const Scene> sceneA_; // that were compared
    std::weak_ptr<const Scene> sceneB_;
};

} // namespace wyc::app
