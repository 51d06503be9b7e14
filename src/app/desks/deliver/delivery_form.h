// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// How a delivery is written: format, range, unit, rate, name, folder and what is seldom changed.
#include <functional>
#include <optional>
#include <vector>

#include <QWidget>

#include "delivery/delivery.h"

class QCheckBox;
class QComboBox;
class QLineEdit;
class QToolButton;

namespace wyc::app {

class DeliveryForm : public QWidget {
    Q_OBJECT
  public:
    using Change = std::function<void(DeliverySpec&)>;
    explicit DeliveryForm(QWidget* parent = nullptr);
    /// What holds now.
    void show(const DeliverySpec& spec);

  signals:
    /// Somebody changed a field; `label` names it for the history.
    void edited(const char* label, const DeliveryForm::Change& change);
    /// What was typed says nothing; the field shows again what holds.
    void refused(const QString& why);

  private:
    void makeFields();
    void placeFields();
    void connectFields();
    void change(const char* label, const Change& change);
    void refuse(const QString& why);
    [[nodiscard]] QString rangeWords(const DeliverySpec& spec) const;
    void showFolded();
    void showFormatOptions(const DeliverySpec& spec);
    std::optional<std::optional<double>> frameCount(QLineEdit* field, double least);
    DeliverySpec shown_;
    QComboBox* format_;
    QComboBox* range_;
    QComboBox* rate_;
    QComboBox* unit_;
    QComboBox* up_;
    QComboBox* shutter_;
    QLineEdit* first_;
    QLineEdit* frames_;
    QLineEdit* lead_;
    QLineEdit* length_;
    QLineEdit* template_;
    QLineEdit* folder_;
    QWidget* folderRow_;
    QToolButton* browse_;
    QToolButton* more_;
    QCheckBox* oneFile_;
    QCheckBox* replace_;
    QCheckBox* world_;
    QWidget* formatOptions_ = nullptr; // null where the format has none
    std::optional<std::pair<std::string, nlohmann::json>> formatShown_;
    std::vector<QWidget*> folded_; // settings that are seldom changed
};

} // namespace wyc::app
