// A filter typed as one line of text, with what it matches or what is wrong with it.
#pragma once

#include <QLabel>
#include <QLineEdit>
#include <QTimer>
#include <QWidget>

#include "filter/filter.h"

namespace wavetrope::app {

/// Compiles while typing. A text that does not compile is marked, its error shown, and the last good filter stays.
class FilterLine : public QWidget {
    Q_OBJECT
public:
    explicit FilterLine(const QString& placeholder, QWidget* parent = nullptr);

    void setCatalog(std::shared_ptr<const database::Catalog> catalog);
    void setText(const QString& text);
    [[nodiscard]] QString text() const { return edit_->text(); }
    [[nodiscard]] const filter::Filter& filter() const { return filter_; }
    /// Says what matches; not shown while there is an error.
    void setResult(const QString& text);
    [[nodiscard]] QString message() const { return label_->text(); }
    [[nodiscard]] QLineEdit* edit() { return edit_; }

Q_SIGNALS:
    void filterChanged();

private:
    void compile();

    QLineEdit* edit_;
    QLabel* label_;
    QTimer delay_;
    std::shared_ptr<const database::Catalog> catalog_;
    filter::Filter filter_;
    bool wrong_ = false;
    QString result_;
};

}  // namespace wavetrope::app
