// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stage/filter_line.h"

#include <QAbstractItemView>
#include <QHBoxLayout>
#include <QInputDialog>
#include <QKeyEvent>
#include <QMenu>
#include <QStyle>

#include "app/paint/paint.h"
#include "app/parts/elided_label.h"
#include "app/stage/word_choices.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

constexpr int delayMilliseconds = 120;

QString shown(const std::string& s) { return QString::fromStdString(s); }

}  // namespace

FilterLine::FilterLine(const QString& placeholder, QWidget* parent)
    : QWidget(parent), edit_(new QLineEdit), named_(new QToolButton), label_(new ElidedLabel), choices_(new WordChoices(edit_))
{
    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(8);
    layout->addWidget(edit_, 3);
    layout->addWidget(named_);
    layout->addWidget(label_, 2);
    layout_ = layout;
    named_->setObjectName(QStringLiteral("namedFilters"));
    named_->setText(tr("Named"));
    named_->setToolTip(tr("The rig's filters: use one, keep this one under a name, take one out"));
    named_->setAccessibleName(tr("Named filters"));
    connect(named_, &QToolButton::clicked, this, &FilterLine::showNamed);
    choices_->popup()->setObjectName(QStringLiteral("filterChoices"));
    choices_->popup()->installEventFilter(this);
    connect(choices_, &WordChoices::taken, this, &FilterLine::take);
    connect(edit_, &QLineEdit::textEdited, this, [this] { offer(false); });
    edit_->installEventFilter(this);
    edit_->setObjectName(QStringLiteral("filter"));
    edit_->setPlaceholderText(placeholder);
    edit_->setToolTip(tr("Filter, one line: id 0x200..0x2FF, name Blade*, from WaterUnit, bus Implement, BladeDepth > 4 mm, Valve changes, "
                         "gap > 50 ms, and, or, not  (Ctrl+F; Ctrl+Space: what fits here)"));
    edit_->setAccessibleName(tr("Filter"));
    edit_->setClearButtonEnabled(false);
    label_->setObjectName(QStringLiteral("filterResult"));
    label_->setMinimumWidth(40);
    delay_.setSingleShot(true);
    delay_.setInterval(delayMilliseconds);
    connect(&delay_, &QTimer::timeout, this, &FilterLine::compile);
    connect(edit_, &QLineEdit::textChanged, this, [this] { delay_.start(); });
    connect(edit_, &QLineEdit::returnPressed, this, &FilterLine::compile);
    const auto restyle = [this] {
        edit_->setFont(Theme::get().mono());
        label_->setFont(Theme::get().body());
    };
    restyle();
    connect(&Theme::get(), &Theme::changed, this, restyle);
}

void FilterLine::bare()
{
    named_->hide();
    label_->hide();
}

void FilterLine::fillRow()
{
    layout_->setStretchFactor(edit_, 1);
    layout_->setStretchFactor(label_, 0);
    filling_ = true;
}

void FilterLine::setCatalog(std::shared_ptr<const database::Catalog> catalog)
{
    catalog_ = std::move(catalog);
    compile();
}

void FilterLine::setNamed(filter::NamedFilters::Map named)
{
    if (filters_ == named)
        return;
    filters_ = std::move(named);
    compile();
}

void FilterLine::narrow(const std::string& condition, filter::Narrow how)
{
    setText(shown(filter::narrowed(edit_->text().toStdString(), condition, how)));
}

QStringList FilterLine::offered() const { return choices_->offered(); }

// While typing only where a word has begun or the place asks for a name: a list at every blank would be in the way.
void FilterLine::offer(bool always)
{
    if (!catalog_)
        return;
    const std::string utf8 = edit_->text().toStdString();
    const std::size_t cursor = edit_->text().left(edit_->cursorPosition()).toUtf8().size();
    completions_ = filter::complete(utf8, cursor, *catalog_, filters_);
    const bool begun = cursor > completions_.from;
    const std::string before = utf8.substr(0, completions_.from);
    const bool asked = before.ends_with("bus ") || before.ends_with("from ") || before.ends_with("name ") || before.ends_with("kind ")
                       || before.ends_with("= ");
    if (completions_.choices.empty() || (!always && !begun && !asked))
        return choices_->hide();
    std::vector<WordChoices::Choice> list;
    for (const filter::Completion& choice : completions_.choices)
        list.push_back({shown(choice.text), shown(choice.hint)});
    // Under the word, as far as the line reaches.
    QRect at = edit_->rect();
    at.setLeft(edit_->fontMetrics().horizontalAdvance(edit_->text().left(shown(before).size())));
    choices_->offer(list, at);
}

void FilterLine::take(const QString& choice)
{
    std::string utf8 = edit_->text().toStdString();
    const std::string chosen = choice.toStdString();
    if (completions_.from + completions_.length > utf8.size())
        return;
    utf8.replace(completions_.from, completions_.length, chosen + (completions_.from + completions_.length == utf8.size() ? " " : ""));
    edit_->setText(shown(utf8));
    edit_->setCursorPosition(static_cast<int>(shown(utf8.substr(0, std::min(utf8.size(), completions_.from + chosen.size() + 1))).size()));
    offer(false);
}

bool FilterLine::eventFilter(QObject* watched, QEvent* event)
{
    if (watched == edit_ && event->type() == QEvent::KeyPress) {
        const auto* key = static_cast<QKeyEvent*>(event);
        if (key->key() == Qt::Key_Space && key->modifiers() == Qt::ControlModifier) {
            offer(true);
            return true;
        }
    }
    // What was not said while words were offered.
    if (watched != edit_ && event->type() == QEvent::Hide)
        delay_.start();
    return QWidget::eventFilter(watched, event);
}

void FilterLine::showNamed()
{
    compile();
    QMenu menu(this);
    menu.setObjectName(QStringLiteral("namedMenu"));
    for (const auto& [name, expression] : filters_) {
        QAction* use = menu.addAction(QStringLiteral("%1\t%2").arg(shown(name), shown(expression)));
        connect(use, &QAction::triggered, this,
            [this, kept = name] { setText(shown(kept.find(' ') == std::string::npos ? '@' + kept : "@\"" + kept + '"')); });
    }
    if (filters_.empty())
        menu.addAction(tr("The rig has no named filters yet"))->setEnabled(false);
    menu.addSeparator();
    QAction* keep = menu.addAction(tr("Keep this filter under a name..."));
    keep->setObjectName(QStringLiteral("keepFilter"));
    keep->setEnabled(!edit_->text().trimmed().isEmpty() && !wrong_);
    connect(keep, &QAction::triggered, this, [this] {
        bool good = false;
        const QString name = QInputDialog::getText(
            this, tr("Keep this filter"), tr("Name, to be used as @name in this and other filters"), QLineEdit::Normal, {}, &good)
                                 .trimmed();
        if (good && !name.isEmpty() && !name.contains(QLatin1Char('"')))
            Q_EMIT keepWanted(name, edit_->text());
    });
    if (!filters_.empty()) {
        QMenu* out = menu.addMenu(tr("Take out"));
        for (const auto& [name, expression] : filters_)
            connect(out->addAction(shown(name)), &QAction::triggered, this, [this, kept = name] { Q_EMIT keepWanted(shown(kept), {}); });
    }
    menu.exec(named_->mapToGlobal(QPoint(0, named_->height())));
}

void FilterLine::setText(const QString& text)
{
    edit_->setText(text);
    edit_->setCursorPosition(0);
    delay_.stop();
    compile();
}

// What is wrong stands whole under the line, over what is there: no pane changes its size for it.
void FilterLine::showProblem()
{
    if (problemText_.isEmpty() || !isVisible()) {
        if (!problem_.isNull())
            problem_->hide();
        return;
    }
    const Theme& theme = Theme::get();
    if (problem_.isNull() || problem_->parentWidget() != window()) {
        delete problem_;
        problem_ = new QLabel(window());
        problem_->setObjectName(QStringLiteral("filterProblem"));
        problem_->setWordWrap(true);
        problem_->setTextFormat(Qt::PlainText);
        connect(this, &QObject::destroyed, problem_, &QObject::deleteLater);
    }
    problem_->setFont(theme.body());
    problem_->setStyleSheet(QStringLiteral("background: %1; color: %2; border: 1px solid %3; border-radius: 4px; padding: 4px 8px;")
            .arg(theme.raised.name(), theme.ink.name(), theme.error.name()));
    problem_->setText(problemText_);
    const QPoint at = edit_->mapTo(window(), QPoint(0, edit_->height() + 2));
    problem_->setFixedWidth(std::max(theme.px(300), std::min(width(), window()->width() - at.x() - 8)));
    problem_->adjustSize();
    problem_->move(at);
    problem_->show();
    problem_->raise();
}

void FilterLine::resizeEvent(QResizeEvent* event)
{
    QWidget::resizeEvent(event);
    // What is wrong is said in full under the line.
    label_->setMaximumWidth(filling_ ? width() / 3 : QWIDGETSIZE_MAX);
    showProblem();
}

void FilterLine::hideEvent(QHideEvent* event)
{
    QWidget::hideEvent(event);
    if (!problem_.isNull())
        problem_->hide();
}

void FilterLine::setResult(const QString& text)
{
    result_ = text;
    if (!wrong_) {
        label_->setText(text);
        label_->setToolTip(text);
    }
}

void FilterLine::compile()
{
    delay_.stop();
    if (!catalog_)
        return;
    auto compiled = filter::Filter::compile(edit_->text().toStdString(), catalog_, {&filters_});
    const bool wrong = !compiled;
    if (wrong && !wrong_ && choices_->isOpen())
        return;     // half a word is no mistake yet
    if (wrong) {
        const Error& error = compiled.error();
        label_->setText(tr("column %1: %2").arg(error.column).arg(QString::fromStdString(error.what)));
        label_->setToolTip(QString::fromStdString(error.what + (error.remedy.empty() ? "" : ".\n" + error.remedy)));
        problemText_ = tr("Column %1: %2.").arg(error.column).arg(QString::fromStdString(error.what))
                       + (error.remedy.empty() ? QString()
                                               : QLatin1Char('\n') + QString::fromStdString(error.remedy)
                                                     + (error.remedy.back() == '?' ? QString() : QStringLiteral(".")));
    } else {
        problemText_.clear();
    }
    showProblem();
    if (wrong != wrong_) {
        wrong_ = wrong;
        edit_->setProperty("wrong", wrong);
        style()->unpolish(edit_);
        style()->polish(edit_);
        if (!wrong) {
            label_->setText(result_);
            label_->setToolTip(result_);
        }
        Q_EMIT wrongChanged(wrong);
    }
    if (!wrong
        && (compiled->text() != filter_.text() || filter_.passesEverything() != compiled->passesEverything()
            || !filter_.passesEverything())) {
        filter_ = std::move(*compiled);
        Q_EMIT filterChanged();
    }
}

}  // namespace wavetrope::app
