// SPDX-License-Identifier: GPL-3.0-or-later
// A filter typed as one line of text, with what it matches or what is wrong with it.
#pragma once

#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPointer>
#include <QTimer>
#include <QToolButton>
#include <QWidget>

#include "filter/completion.h"
#include "filter/filter.h"
#include "filter/narrow.h"

namespace wavetrope::app {

class WordChoices;

/// Compiles while typing, and offers what could come next (Ctrl+Space asks for it). A text that does not compile is marked, its
/// error shown, and the last good filter stays.
class FilterLine : public QWidget {
    Q_OBJECT
public:
    explicit FilterLine(const QString& placeholder, QWidget* parent = nullptr);

    void setCatalog(std::shared_ptr<const database::Catalog> catalog);
    /// Filters that can be used by name.
    void setNamed(filter::NamedFilters::Map named);
    /// Takes a condition into the filter.
    void narrow(const std::string& condition, filter::Narrow how);
    void setText(const QString& text);
    [[nodiscard]] QString text() const { return edit_->text(); }
    [[nodiscard]] const filter::Filter& filter() const { return filter_; }
    /// Says what matches; not shown while there is an error.
    void setResult(const QString& text);
    [[nodiscard]] QString message() const { return label_->text(); }
    /// The text alone: nothing stands beside it.
    void bare();
    /// Gives the text all the room that what is said beside it leaves.
    void fillRow();
    [[nodiscard]] QLineEdit* edit() { return edit_; }

    /// What could be typed next, while it is offered.
    [[nodiscard]] QStringList offered() const;

Q_SIGNALS:
    /// The text stopped or started to be a filter: what was found before is that of another text.
    void wrongChanged(bool wrong);
    void filterChanged();
    /// The filter is to be kept under a name in the rig; an empty text takes the name out.
    void keepWanted(const QString& name, const QString& text);

protected:
    bool eventFilter(QObject* watched, QEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void hideEvent(QHideEvent* event) override;

private:
    void compile();
    void offer(bool always);
    void take(const QString& choice);
    void showNamed();

    QLineEdit* edit_;
    QToolButton* named_;
    QHBoxLayout* layout_ = nullptr;
    QLabel* label_;
    WordChoices* choices_;
    filter::Completions completions_;
    filter::NamedFilters::Map filters_;
    QTimer delay_;
    std::shared_ptr<const database::Catalog> catalog_;
    filter::Filter filter_;
    void showProblem();
    QString problemText_;
    QPointer<QLabel> problem_;  // the whole of it, over what stands under the line
    bool wrong_ = false;
    bool filling_ = false;
    QString result_;
};

}  // namespace wavetrope::app
