// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/inspector/derived_form.h"

#include <QAbstractItemView>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QKeyEvent>

#include <algorithm>
#include <cmath>

#include "app/parts/text.h"
#include "app/stage/stage.h"
#include "app/stage/word_choices.h"
#include "app/theme/theme.h"
#include "database/formula_completion.h"
#include "database/scale.h"

namespace wavetrope::app {

namespace {

constexpr int takeAfter = 250;          // ms behind the last key
constexpr int leastFormulaLines = 2, mostFormulaLines = 7;

// Leaves the keys that choose to the list while one is offered: it hands all keys on first.
class FormulaEdit : public QPlainTextEdit {
public:
    const WordChoices* choices = nullptr;

protected:
    void keyPressEvent(QKeyEvent* event) override
    {
        if (choices != nullptr && choices->isOpen())
            for (const int key : {Qt::Key_Return, Qt::Key_Enter, Qt::Key_Tab, Qt::Key_Backtab, Qt::Key_Escape})
                if (event->key() == key)
                    return event->ignore();
        QPlainTextEdit::keyPressEvent(event);
    }
};

QString endText(const std::optional<double>& end) { return end ? text(database::numberText(*end, 15)) : QString(); }

}  // namespace

DerivedForm::DerivedForm(Stage& stage, QWidget* parent)
    : QWidget(parent),
      stage_(stage),
      nameField_(new QLineEdit),
      formula_(new FormulaEdit),
      problem_(new QLabel),
      unit_(new QLineEdit),
      from_(new QLineEdit),
      to_(new QLineEdit),
      comment_(new QLineEdit),
      choices_(new WordChoices(formula_))
{
    setObjectName(QStringLiteral("derivedForm"));
    auto* grid = new QGridLayout(this);
    grid->setContentsMargins(0, 0, 0, 0);
    grid->setHorizontalSpacing(8);
    grid->setVerticalSpacing(5);
    grid->setColumnStretch(1, 1);
    const auto label = [&](const QString& words, QWidget* of) {
        auto* made = new QLabel(words);
        made->setBuddy(of);
        labels_.push_back(made);
        of->setAccessibleName(words);
        return made;
    };
    grid->addWidget(label(tr("name"), nameField_), 0, 0);
    grid->addWidget(nameField_, 0, 1);
    grid->addWidget(label(tr("formula"), formula_), 1, 0, Qt::AlignTop);
    grid->addWidget(formula_, 1, 1);
    grid->addWidget(problem_, 2, 0, 1, 2);
    grid->addWidget(label(tr("unit"), unit_), 3, 0);
    grid->addWidget(unit_, 3, 1);
    grid->addWidget(label(tr("range"), from_), 4, 0);
    auto* range = new QHBoxLayout;
    range->setSpacing(6);
    range->addWidget(from_, 1);
    range->addWidget(label(tr("to"), to_));
    range->addWidget(to_, 1);
    grid->addLayout(range, 4, 1);
    grid->addWidget(label(tr("comment"), comment_), 5, 0);
    grid->addWidget(comment_, 5, 1);

    nameField_->setObjectName(QStringLiteral("derivedName"));
    formula_->setObjectName(QStringLiteral("derivedFormula"));
    problem_->setObjectName(QStringLiteral("derivedProblem"));
    unit_->setObjectName(QStringLiteral("derivedUnit"));
    from_->setObjectName(QStringLiteral("derivedFrom"));
    to_->setObjectName(QStringLiteral("derivedTo"));
    comment_->setObjectName(QStringLiteral("derivedComment"));
    nameField_->setToolTip(tr("Letters, digits and _; other formulas follow a new name"));
    formula_->setToolTip(tr("Signals, numbers, + - * / % and functions, such as mean(BladeDepth, 200 ms)  (Ctrl+Space: what fits here)"));
    from_->setPlaceholderText(tr("none"));
    to_->setPlaceholderText(tr("none"));
    to_->setAccessibleName(tr("end of the range"));
    formula_->setProperty("field", true);
    formula_->setTabChangesFocus(true);
    formula_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    formula_->setLineWrapMode(QPlainTextEdit::WidgetWidth);
    formula_->setWordWrapMode(QTextOption::WrapAtWordBoundaryOrAnywhere);
    formula_->installEventFilter(this);
    problem_->setWordWrap(true);
    problem_->setTextFormat(Qt::PlainText);
    problem_->hide();
    static_cast<FormulaEdit*>(formula_)->choices = choices_;
    choices_->popup()->setObjectName(QStringLiteral("formulaChoices"));
    choices_->popup()->installEventFilter(this);
    connect(choices_, &WordChoices::taken, this, &DerivedForm::choose);
    connect(formula_, &QPlainTextEdit::textChanged, this, &DerivedForm::formulaTyped);
    delay_.setSingleShot(true);
    delay_.setInterval(takeAfter);
    connect(&delay_, &QTimer::timeout, this, &DerivedForm::takeFormula);
    for (QLineEdit* field : {nameField_, unit_, from_, to_, comment_}) {
        field->installEventFilter(this);
        connect(field, &QLineEdit::editingFinished, this, [this, field] { take(field); });
    }
    restyle();
    connect(&Theme::get(), &Theme::changed, this, &DerivedForm::restyle);
    connect(&stage.derive(), &DeriveDesk::renamed, this, [this](const QString& from, const QString& to) {
        if (const auto found = unfinished_.find(from); found != unfinished_.end()) {
            unfinished_[to] = found->second;
            unfinished_.erase(found);
        }
        if (name_ == from)
            name_ = to;
    });
}

void DerivedForm::restyle()
{
    const Theme& theme = Theme::get();
    for (QLabel* label : labels_) {
        label->setFont(theme.body());
        QPalette palette = label->palette();
        palette.setColor(QPalette::WindowText, theme.ink2);
        label->setPalette(palette);
    }
    for (QLineEdit* field : {nameField_, unit_, comment_})
        field->setFont(theme.body());
    for (QWidget* field : {static_cast<QWidget*>(formula_), static_cast<QWidget*>(from_), static_cast<QWidget*>(to_)})
        field->setFont(theme.mono());
    problem_->setFont(theme.body());
    layFormula();
}

// As many lines as it has, within bounds.
void DerivedForm::layFormula()
{
    int lines = 0;
    for (QTextBlock block = formula_->document()->begin(); block.isValid(); block = block.next())
        lines += std::max(1, block.layout() == nullptr ? 1 : block.layout()->lineCount());
    const int height = QFontMetrics(formula_->font()).lineSpacing() * std::clamp(lines, leastFormulaLines, mostFormulaLines)
                       + Theme::get().px(10);
    if (formula_->height() != height || formula_->minimumHeight() != height) {
        formula_->setFixedHeight(height);
        Q_EMIT heightChanged();
    }
}

void DerivedForm::resizeEvent(QResizeEvent* event)
{
    QWidget::resizeEvent(event);
    layFormula();
}

void DerivedForm::show(const QString& name)
{
    const bool other = name != name_;
    if (other && delay_.isActive())
        takeFormula();
    name_ = name;
    fill();
    if (other) {
        sitting_ = -1;
        const auto left = unfinished_.find(name_);
        if (left != unfinished_.end()) {
            filling_ = true;
            formula_->setPlainText(left->second);
            filling_ = false;
            takeFormula();
        }
    }
}

// What is being typed stays as it is.
void DerivedForm::fill()
{
    const database::DerivedSpec* now = spec();
    if (now == nullptr)
        return;
    filling_ = true;
    const auto set = [](QLineEdit* field, const QString& words) {
        if (!field->isModified() && field->text() != words) {
            field->setText(words);
            field->setCursorPosition(0);
        }
    };
    set(nameField_, name_);
    set(unit_, text(now->unit));
    set(from_, endText(now->minimum));
    set(to_, endText(now->maximum));
    set(comment_, text(now->comment));
    const bool typing = delay_.isActive() || unfinished_.contains(name_);
    if (!typing && formula_->toPlainText().trimmed() != text(now->formula).trimmed())
        formula_->setPlainText(text(now->formula));
    filling_ = false;
    if (!typing)
        sayFinding();
    layFormula();
}

void DerivedForm::write()
{
    formula_->setFocus();
    formula_->selectAll();
}

void DerivedForm::formulaTyped()
{
    layFormula();
    if (filling_)
        return;
    if (sitting_ < 0)
        sitting_ = stage_.derive().newSitting();
    delay_.start();
    offer(false);
}

void DerivedForm::takeFormula()
{
    delay_.stop();
    const database::DerivedSpec* now = spec();
    if (now == nullptr)
        return;
    database::DerivedSpec next = *now;
    next.formula = formula_->toPlainText().simplified().toStdString();
    if (next.formula == now->formula && stage_.catalog().findDerived(next.name) >= 0) {
        unfinished_.erase(name_);
        return sayFinding();
    }
    const auto put = stage_.derive().put(name_, std::move(next), tr("formula of %1").arg(name_), sitting_);
    if (put) {
        unfinished_.erase(name_);
        return sayFinding();
    }
    unfinished_[name_] = formula_->toPlainText();
    // Half a word is no mistake yet.
    if (!choices_->isOpen())
        say(put.error());
}

void DerivedForm::take(QLineEdit* field)
{
    const database::DerivedSpec* now = spec();
    if (!field->isModified() || now == nullptr)
        return;
    database::DerivedSpec next = *now;
    const QString words = field->text().trimmed();
    QString what = tr("unit of %1").arg(name_);
    if (field == nameField_) {
        next.name = words.toStdString();
        what = tr("name of %1").arg(name_);
    } else if (field == unit_) {
        next.unit = words.toStdString();
    } else if (field == comment_) {
        next.comment = words.toStdString();
        what = tr("comment on %1").arg(name_);
    } else {
        what = tr("range of %1").arg(name_);
        std::optional<double> ends[2];
        for (int i = 0; i < 2; ++i) {
            const QString end = (i == 0 ? from_ : to_)->text().trimmed();
            bool good = true;
            if (!end.isEmpty())
                ends[i] = end.toDouble(&good);
            if (!good || (ends[i] && !std::isfinite(*ends[i])))
                return say(Error{"'" + end.toStdString() + "' is no number", "range", 0, 0, {}});
        }
        // The other end is still to come.
        if (ends[0].has_value() != ends[1].has_value())
            return say(Error{"a range has two ends, or none", "range", 0, 0, {}});
        next.minimum = ends[0];
        next.maximum = ends[1];
    }
    // A formula that has no value for another reason keeps nobody from naming it.
    field->setModified(false);
    if (field == from_ || field == to_) {
        from_->setModified(false);
        to_->setModified(false);
    }
    const auto put = stage_.derive().put(name_, std::move(next), what);
    if (!put) {
        field->setModified(true);
        return say(put.error());
    }
    fill();
}

void DerivedForm::say(const Error& error)
{
    const QString words = text(error.what) + (error.remedy.empty() ? QString() : QStringLiteral(". ") + text(error.remedy));
    problem_->setText(error.column > 0 ? tr("column %1: %2").arg(error.column).arg(words) : words);
    QPalette palette = problem_->palette();
    palette.setColor(QPalette::WindowText, Theme::get().error);
    problem_->setPalette(palette);
    problem_->show();
    // Marked where it is wrong, to the end of the word there.
    QList<QTextEdit::ExtraSelection> marks;
    if (error.column > 0) {
        const std::string formula = formula_->toPlainText().toStdString();
        const auto from = std::min(static_cast<std::size_t>(error.column - 1), formula.size());
        std::size_t to = from;
        while (
            to < formula.size() && (std::isalnum(static_cast<unsigned char>(formula[to])) != 0 || formula[to] == '_' || formula[to] == '.'))
            ++to;
        const auto place = [&](std::size_t bytes) { return static_cast<int>(text(formula.substr(0, bytes)).size()); };
        QTextEdit::ExtraSelection mark;
        mark.cursor = QTextCursor(formula_->document());
        mark.cursor.setPosition(std::max(0, place(from) - (from == formula.size() ? 1 : 0)));
        mark.cursor.setPosition(place(std::max(to, std::min(from + 1, formula.size()))), QTextCursor::KeepAnchor);
        mark.format.setUnderlineStyle(QTextCharFormat::WaveUnderline);
        mark.format.setUnderlineColor(Theme::get().error);
        marks << mark;
    }
    formula_->setExtraSelections(marks);
    Q_EMIT heightChanged();
}

// A unit that does not fit, or why it has no value though it can be written: what it looks at is missing.
void DerivedForm::sayFinding()
{
    const int index = stage_.catalog().findDerived(name_.toStdString());
    if (index < 0)
        return;
    const database::DerivedSignal& derived = stage_.catalog().derived()[static_cast<std::size_t>(index)];
    if (derived.problem)
        return say(*derived.problem);
    formula_->setExtraSelections({});
    const QString finding = derived.finding.empty() ? QString() : tr("Units: %1").arg(text(derived.finding));
    if (problem_->isHidden() == finding.isEmpty() && (finding.isEmpty() || problem_->text() == finding))
        return;
    problem_->setText(finding);
    QPalette palette = problem_->palette();
    palette.setColor(QPalette::WindowText, Theme::get().ink);
    problem_->setPalette(palette);
    problem_->setVisible(!finding.isEmpty());
    Q_EMIT heightChanged();
}

QStringList DerivedForm::offered() const { return choices_->offered(); }

void DerivedForm::offer(bool always)
{
    const std::string formula = formula_->toPlainText().toStdString();
    const QTextCursor cursor = formula_->textCursor();
    const std::size_t at = formula_->toPlainText().left(cursor.position()).toUtf8().size();
    const database::FormulaChoices found = database::completeFormula(formula, at, stage_.catalog());
    choicesFrom_ = found.from;
    choicesLength_ = found.length;
    constexpr std::size_t begun = 2;
    const std::string typed = formula.substr(found.from, at - found.from);
    std::vector<WordChoices::Choice> list;
    if (always || typed.size() >= begun)
        for (const database::FormulaChoice& choice : found.choices)
            if (choice.text != formula.substr(found.from, found.length) && choice.text != name_.toStdString())
                list.push_back({text(choice.text), text(choice.hint)});
    choices_->offer(list, formula_->cursorRect().translated(0, Theme::get().px(3)));
}

void DerivedForm::choose(const QString& chosen)
{
    const QByteArray formula = formula_->toPlainText().toUtf8();
    const auto place = [&](std::size_t bytes) {
        return static_cast<int>(QString::fromUtf8(formula.left(static_cast<qsizetype>(bytes))).size());
    };
    if (choicesFrom_ + choicesLength_ > static_cast<std::size_t>(formula.size()))
        return;
    QTextCursor cursor = formula_->textCursor();
    cursor.setPosition(place(choicesFrom_));
    cursor.setPosition(place(choicesFrom_ + choicesLength_), QTextCursor::KeepAnchor);
    choices_->hide();
    const QSignalBlocker block(formula_);       // no further words are offered for it
    cursor.insertText(chosen);
    formula_->setTextCursor(cursor);
    layFormula();
    if (sitting_ < 0)
        sitting_ = stage_.derive().newSitting();
    delay_.start();
}

bool DerivedForm::eventFilter(QObject* watched, QEvent* event)
{
    if (event->type() == QEvent::KeyPress && watched != choices_->popup()) {
        auto* key = static_cast<QKeyEvent*>(event);
        if (watched == formula_ && key->key() == Qt::Key_Space && key->modifiers() == Qt::ControlModifier) {
            offer(true);
            return true;
        }
        if (watched == formula_ && (key->key() == Qt::Key_Return || key->key() == Qt::Key_Enter)
            && (key->modifiers() & Qt::ShiftModifier) == 0) {
            takeFormula();
            return true;
        }
        if (key->key() == Qt::Key_Escape) {     // as it stands in the rig
            delay_.stop();
            unfinished_.erase(name_);
            if (auto* field = qobject_cast<QLineEdit*>(watched))
                field->setModified(false);
            fill();
            sayFinding();
            return true;
        }
        // Steps are those of the rig, not of the letters.
        if (key->matches(QKeySequence::Undo) || key->matches(QKeySequence::Redo)) {
            if (delay_.isActive())
                takeFormula();
            QUndoStack& undo = stage_.derive().undoStack();
            const bool back = key->matches(QKeySequence::Undo);
            if (back ? undo.canUndo() : undo.canRedo()) {
                unfinished_.erase(name_);
                sitting_ = -1;
                back ? undo.undo() : undo.redo();
                fill();
                return true;
            }
        }
    }
    if (event->type() == QEvent::ShortcutOverride) {
        auto* key = static_cast<QKeyEvent*>(event);
        if (key->matches(QKeySequence::Undo) || key->matches(QKeySequence::Redo)) {
            event->accept();
            return true;
        }
    }
    // What was not said while words were offered.
    if (event->type() == QEvent::Hide && watched == choices_->popup() && unfinished_.contains(name_))
        delay_.start();
    if (event->type() == QEvent::FocusOut && watched == formula_ && !choices_->isOpen()) {
        if (delay_.isActive())
            takeFormula();
        sitting_ = -1;
    }
    return QWidget::eventFilter(watched, event);
}

}  // namespace wavetrope::app
