// SPDX-License-Identifier: GPL-3.0-or-later
// A derived signal as it is written.
#pragma once

#include <QLabel>
#include <QLineEdit>
#include <QPlainTextEdit>
#include <QTimer>
#include <QWidget>

#include <map>

#include "app/stage/derive_desk.h"
#include "app/stage/stage.h"

namespace wavetrope::app {

class WordChoices;

/// Name, formula, unit, range and comment of the derived signal that is chosen. A formula that can be followed is taken over a moment
/// after somebody typed, and every curve follows; what cannot stays in the field with the reason under it, also while another signal is
/// looked at. One formula from coming to it to leaving it is one step to undo.
class DerivedForm : public QWidget {
    Q_OBJECT
public:
    explicit DerivedForm(Stage& stage, QWidget* parent);
    /// Shows the derived signal of a name as it is; what is being typed stays.
    void show(const QString& name);
    [[nodiscard]] const QString& name() const { return name_; }
    /// Goes to the formula, all of it chosen.
    void write();

    [[nodiscard]] QPlainTextEdit& formula() { return *formula_; }
    /// What is wrong with what stands in the fields, or does not fit; empty where nothing is.
    [[nodiscard]] QString problem() const { return problem_->isHidden() ? QString() : problem_->text(); }
    /// What could be typed next, while it is offered.
    [[nodiscard]] QStringList offered() const;

Q_SIGNALS:
    void heightChanged();

protected:
    bool eventFilter(QObject* watched, QEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;

private:
    void restyle();
    void fill();
    void formulaTyped();
    void takeFormula();
    void take(QLineEdit* field);
    void offer(bool always);
    void choose(const QString& text);
    void say(const Error& error);
    void sayFinding();
    void layFormula();
    [[nodiscard]] const database::DerivedSpec* spec() const { return stage_.derive().find(name_); }

    Stage& stage_;
    QString name_;
    QLineEdit* nameField_;
    QPlainTextEdit* formula_;
    QLabel* problem_;
    QLineEdit* unit_;
    QLineEdit* from_;
    QLineEdit* to_;
    QLineEdit* comment_;
    std::vector<QLabel*> labels_;
    WordChoices* choices_;
    std::size_t choicesFrom_ = 0, choicesLength_ = 0;   // bytes
    QTimer delay_;
    int sitting_ = -1;
    bool filling_ = false;
    std::map<QString, QString> unfinished_;             // formulas that were left as they cannot be, by name
};

}  // namespace wavetrope::app
