// SPDX-License-Identifier: GPL-3.0-or-later
// Words to choose from, under the place where one types.
#pragma once

#include <QCompleter>
#include <QStandardItemModel>

#include <vector>

namespace wavetrope::app {

/// A list that stands over what is there while somebody types into a field: arrows choose, Return and Tab take, Escape leaves.
class WordChoices : public QCompleter {
    Q_OBJECT
public:
    struct Choice {
        QString text;
        QString hint;       ///< What it is, beside it.
    };
    explicit WordChoices(QWidget* field);

    /// Shows them under a box of the field, as far to the left as they must be.
    void offer(const std::vector<Choice>& choices, QRect under);
    void hide();
    [[nodiscard]] bool isOpen() const { return popup()->isVisible(); }
    /// What is offered while it is open.
    [[nodiscard]] QStringList offered() const;

Q_SIGNALS:
    void taken(const QString& text);

private:
    QStandardItemModel* model_;
};

}  // namespace wavetrope::app
