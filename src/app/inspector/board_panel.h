// SPDX-License-Identifier: GPL-3.0-or-later
// The chosen item of a board that is edited.
#pragma once

#include <QButtonGroup>
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QWidget>

#include <vector>

#include "app/stage/board_desk.h"
#include "app/stage/stage.h"

class QGridLayout;

namespace wavetrope::app {

/// What an item is bound to, how it is shown, its range and limits, label and place. A field that is emptied goes back to what the database
/// says; what cannot be is told, and the board stays as it was.
class BoardPanel : public QWidget {
    Q_OBJECT
public:
    explicit BoardPanel(Stage& stage, QWidget* parent);

    /// Shows an item of a board; false where there is none.
    bool show(const QString& board, std::size_t item);
    [[nodiscard]] QStringList lines() const;
    [[nodiscard]] QString problem() const { return problem_->isHidden() ? QString() : problem_->text(); }

Q_SIGNALS:
    void heightChanged();

private:
    struct Field {
        const char* name;  ///< In the document.
        QLabel* label;
        QLineEdit* edit;
        QLabel* from;  ///< Where the value comes from while it is empty.
    };
    [[nodiscard]] const board::Item* item() const;
    void fill();
    void restyle();
    void keep(std::size_t field);
    void setShown(int shown);
    void put(const nlohmann::json& next, const QString& what);

    Stage& stage_;
    QString board_;
    std::size_t item_ = 0;
    QComboBox* binding_;
    QLineEdit* bound_;
    QLineEdit* value_;
    QLabel* valueLabel_;
    QButtonGroup* shown_;
    std::vector<Field> fields_;
    std::vector<QLabel*> sections_, quiet_;
    QLineEdit* place_[4];
    QLabel* problem_;
    QString laid_;
};

}  // namespace wavetrope::app
