// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// The files that will stand there, and which of them names which: small, below the name of an output.
#include <set>
#include <string>
#include <vector>

#include <QString>
#include <QStringList>
#include <QWidget>

#include "formats/format.h"

namespace wyc::app {

class FilesPicture final : public QWidget {
    Q_OBJECT
  public:
    /// The main file first, as a plan lists them. `written`: names of what was written or taken; null: nothing was yet.
    FilesPicture(const std::vector<ComingFile>& files, const std::set<std::string>* written, QWidget* parent);
    [[nodiscard]] QSize sizeHint() const override;
    /// What it shows, a line a file: "shoal.bell.v001.usdc | new".
    [[nodiscard]] QStringList lines() const;

  protected:
    void paintEvent(QPaintEvent*) override;

  private:
    struct Row {
        QString name;
        QString what; // becomes of it
        int level = 0;
        int below = -1; // row of the file that names it
        bool written = true;
    };
    std::vector<Row> rows_;
};

} // namespace wyc::app
