// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// The guide in a window of its own, beside which one goes on working. It lies in the program: no network is needed.
#include <QDialog>
#include <QTextBrowser>

namespace wyc::app {

class Guide : public QDialog {
    Q_OBJECT
  public:
    explicit Guide(QWidget* parent);
    /// "index", "make-a-loop", … as they are called in docs/guide.
    void showPage(const QString& name);
    [[nodiscard]] QString page() const { return pages_->source().fileName(); }

  private:
    // Pictures are as wide as there is room.
    class Pages : public QTextBrowser {
      public:
        using QTextBrowser::QTextBrowser;

      protected:
        QVariant loadResource(int type, const QUrl& name) override;
        void doSetSource(const QUrl& name, QTextDocument::ResourceType type) override;
    };
    Pages* pages_;
};

} // namespace wyc::app
