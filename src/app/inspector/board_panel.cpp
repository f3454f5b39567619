// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/inspector/board_panel.h"

#include <QGridLayout>
#include <QHBoxLayout>
#include <QPushButton>
#include <QVBoxLayout>

#include <cmath>

#include "app/parts/label.h"
#include "app/parts/text.h"
#include "app/stage/curve_desk.h"
#include "app/stage/row_keys.h"
#include "app/theme/theme.h"
#include "base/json_reader.h"
#include "database/compose.h"

namespace wavetrope::app {

namespace {

constexpr const char* bindingFields[] = {"signal", "derived", "condition", "variable", "row", "manipulation"};
struct FieldKind {
    const char* name;
    const char* words;
    bool number;
};
constexpr FieldKind fieldKinds[] = {{"from", QT_TRANSLATE_NOOP("BoardPanel", "from"), true},
    {"to", QT_TRANSLATE_NOOP("BoardPanel", "to"), true}, {"below", QT_TRANSLATE_NOOP("BoardPanel", "limit below"), true},
    {"above", QT_TRANSLATE_NOOP("BoardPanel", "limit above"), true}, {"decimals", QT_TRANSLATE_NOOP("BoardPanel", "decimals"), true},
    {"old", QT_TRANSLATE_NOOP("BoardPanel", "old after"), false}, {"span", QT_TRANSLATE_NOOP("BoardPanel", "span"), false},
    {"also", QT_TRANSLATE_NOOP("BoardPanel", "beside it"), false}, {"sets", QT_TRANSLATE_NOOP("BoardPanel", "pressed"), true},
    {"rests", QT_TRANSLATE_NOOP("BoardPanel", "let go"), true}, {"key", QT_TRANSLATE_NOOP("BoardPanel", "key"), false},
    {"text", QT_TRANSLATE_NOOP("BoardPanel", "words"), false}, {"label", QT_TRANSLATE_NOOP("BoardPanel", "label"), false}};

}  // namespace

BoardPanel::BoardPanel(Stage& stage, QWidget* parent)
    : QWidget(parent),
      stage_(stage),
      binding_(new QComboBox),
      bound_(new QLineEdit),
      value_(new QLineEdit),
      valueLabel_(new QLabel(tr("value"))),
      shown_(new QButtonGroup(this)),
      problem_(new QLabel)
{
    setObjectName(QStringLiteral("boardPanel"));
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(0, 0, 0, 0);
    all->setSpacing(6);
    const auto section = [&](const QString& words) {
        sections_.push_back(new QLabel(words));
        all->addWidget(sections_.back());
    };
    section(tr("Bound to"));
    for (const QString& words : {tr("signal"), tr("derived"), tr("condition"), tr("variable"), tr("outbox row"), tr("manipulation")})
        binding_->addItem(words);
    binding_->setObjectName(QStringLiteral("boardBinding"));
    bound_->setObjectName(QStringLiteral("boardBound"));
    value_->setObjectName(QStringLiteral("boardValue"));
    value_->setPlaceholderText(tr("signal of the row; empty: the row itself"));
    auto* line = new QHBoxLayout;
    line->addWidget(binding_);
    line->addWidget(bound_, 1);
    all->addLayout(line);
    auto* second = new QHBoxLayout;
    second->addWidget(valueLabel_);
    second->addWidget(value_, 1);
    all->addLayout(second);
    quiet_.push_back(valueLabel_);
    const auto rebind = [this] {
        const board::Item* now = item();
        if (now == nullptr)
            return;
        nlohmann::json next = board::toJson(*now);
        for (const char* field : bindingFields)
            next.erase(field);
        next.erase("value");
        const std::string name = bound_->text().trimmed().toStdString();
        if (!name.empty())
            next[bindingFields[binding_->currentIndex()]] = name;
        if (binding_->currentIndex() == 4 && !value_->text().trimmed().isEmpty())
            next["value"] = value_->text().trimmed().toStdString();
        bound_->setModified(false);
        value_->setModified(false);
        put(next, tr("what an item shows"));
    };
    connect(bound_, &QLineEdit::editingFinished, this, [this, rebind] {
        if (bound_->isModified())
            rebind();
    });
    connect(value_, &QLineEdit::editingFinished, this, [this, rebind] {
        if (value_->isModified())
            rebind();
    });
    connect(binding_, &QComboBox::activated, this, [this] {
        // The name of another kind of thing is still to come.
        const bool row = binding_->currentIndex() == 4;
        value_->setVisible(row);
        valueLabel_->setVisible(row);
        bound_->clear();
        bound_->setFocus();
        Q_EMIT heightChanged();
    });
    section(tr("Shown as"));
    auto* grid = new QGridLayout;
    grid->setSpacing(4);
    for (std::size_t i = 0; i < board::shownCount; ++i) {
        const auto shown = static_cast<board::Shown>(i);
        auto* button = new QPushButton(QString::fromLatin1(board::wordOf(shown)));
        button->setCheckable(true);
        button->setProperty("tight", true);
        button->setObjectName(QStringLiteral("boardShown") + QString::fromLatin1(board::wordOf(shown)));
        shown_->addButton(button, static_cast<int>(i));
        grid->addWidget(button, static_cast<int>(i) / 4, static_cast<int>(i) % 4);
    }
    all->addLayout(grid);
    connect(shown_, &QButtonGroup::idClicked, this, &BoardPanel::setShown);
    problem_->setWordWrap(true);
    problem_->setObjectName(QStringLiteral("boardProblem"));
    problem_->hide();
    all->addWidget(problem_);
    section(tr("Range, limits, words"));
    auto* form = new QGridLayout;
    form->setVerticalSpacing(4);
    form->setColumnStretch(1, 1);
    int row = 0;
    for (const FieldKind& kind : fieldKinds) {
        Field field{kind.name, new QLabel(tr(kind.words)), new QLineEdit, new QLabel};
        field.edit->setObjectName(QStringLiteral("board-") + QLatin1String(kind.name));
        field.edit->setAccessibleName(tr(kind.words));
        form->addWidget(field.label, row, 0);
        form->addWidget(field.edit, row, 1);
        form->addWidget(field.from, row++, 2);
        quiet_.push_back(field.label);
        quiet_.push_back(field.from);
        const std::size_t at = fields_.size();
        connect(field.edit, &QLineEdit::editingFinished, this, [this, at] { keep(at); });
        fields_.push_back(field);
    }
    all->addLayout(form);
    section(tr("Place, in cells"));
    auto* places = new QGridLayout;
    const QString names[4] = {tr("column"), tr("row"), tr("wide"), tr("high")};
    for (int i = 0; i < 4; ++i) {
        auto* label = new QLabel(names[i]);
        quiet_.push_back(label);
        place_[i] = new QLineEdit;
        place_[i]->setObjectName(QStringLiteral("boardPlace%1").arg(i));
        place_[i]->setAccessibleName(names[i]);
        places->addWidget(label, 0, i);
        places->addWidget(place_[i], 1, i);
        connect(place_[i], &QLineEdit::editingFinished, this, [this, i] {
            const board::Item* now = item();
            if (now == nullptr || !place_[i]->isModified())
                return;
            place_[i]->setModified(false);
            nlohmann::json next = board::toJson(*now);
            bool good = false;
            const int typed = place_[i]->text().toInt(&good);
            next["at"][static_cast<std::size_t>(i)] = good && typed >= 0 ? nlohmann::json(static_cast<unsigned>(typed))
                                                                         : nlohmann::json(place_[i]->text().toStdString());
            put(next, tr("place of an item"));
        });
    }
    all->addLayout(places);
    connect(&stage.boards(), &BoardDesk::changed, this, [this] {
        if (isVisible())
            fill();
    });
    restyle();
    connect(&Theme::get(), &Theme::changed, this, &BoardPanel::restyle);
}

void BoardPanel::restyle()
{
    const Theme& theme = Theme::get();
    for (QLabel* label : sections_)
        writeLabel(label, theme.bodyStrong(), theme.ink);
    for (QLabel* label : quiet_)
        writeLabel(label, theme.body(), theme.ink2);
    writeLabel(problem_, theme.body(), theme.error);
    for (QAbstractButton* button : shown_->buttons())
        button->setFont(theme.small());
    for (const Field& field : fields_)
        field.edit->setFont(theme.mono());
    for (QLineEdit* edit : place_)
        edit->setFont(theme.mono());
    bound_->setFont(theme.body());
    value_->setFont(theme.body());
    binding_->setFont(theme.body());
    binding_->setFixedWidth(theme.px(92));
    Q_EMIT heightChanged();
}

const board::Item* BoardPanel::item() const
{
    const board::Board* found = stage_.boards().find(board_);
    return found == nullptr || item_ >= found->items.size() ? nullptr : &found->items[item_];
}

bool BoardPanel::show(const QString& board, std::size_t number)
{
    if (board != board_ || number != item_) {
        board_ = board;
        item_ = number;
        problem_->hide();
        for (const Field& field : fields_)
            field.edit->setModified(false);
        bound_->setModified(false);
        value_->setModified(false);
    }
    fill();
    return item() != nullptr;
}

void BoardPanel::fill()
{
    const board::Item* now = item();
    if (now == nullptr)
        return;
    const nlohmann::json written = board::toJson(*now);
    const auto kind = now->of.kind;
    if (!bound_->isModified() && !(bound_->hasFocus() && bound_->text().isEmpty())) {
        if (kind != board::Binding::Kind::none)
            binding_->setCurrentIndex(static_cast<int>(kind) - 1);
        bound_->setText(text(now->of.name));
        bound_->setCursorPosition(0);
        value_->setVisible(kind == board::Binding::Kind::row);
        valueLabel_->setVisible(kind == board::Binding::Kind::row);
    }
    if (!value_->isModified())
        value_->setText(text(now->of.value));
    // What its database says stands beside an empty field.
    QString from, to;
    if (kind == board::Binding::Kind::signal)
        if (const auto source = curveOf(stage_.document().catalog(), text(now->of.name)); source && !source->isDerived()) {
            const auto [low, high] = database::rangeOf(source->ref.signal(), source->ref.message->plan.plan(source->ref.index));
            from = text(database::numberText(low, 6));
            to = text(database::numberText(high, 6));
        }
    const bool besides = !board::isGauge(now->shown) && !board::isControl(now->shown);
    const bool button = now->shown == board::Shown::button || now->shown == board::Shown::key;
    QString laid;
    for (const Field& field : fields_) {
        const std::string name = field.name;
        const bool there = name == "text"                                       ? besides || button
                           : name == "label"                                    ? !besides
                           : name == "sets" || name == "rests" || name == "key" ? button
                           : name == "span"                                     ? now->shown == board::Shown::history
                           : name == "old"                                      ? board::isGauge(now->shown)
                                                                                : !besides && !button;
        field.label->setVisible(there);
        field.edit->setVisible(there);
        field.from->setVisible(there);
        laid += there ? QLatin1Char('1') : QLatin1Char('0');
        QString words;
        if (written.contains(name))
            words = written[name].is_number() ? text(database::numberText(written[name].get<double>(), 9))
                                              : text(written[name].get<std::string>());
        if (!field.edit->isModified() && field.edit->text() != words) {
            field.edit->setText(words);
            field.edit->setCursorPosition(0);
        }
        const QString database = name == "from"   ? from
                                 : name == "to"   ? to
                                 : name == "old"  ? tr("3 periods")
                                 : name == "span" ? tr("20 s")
                                                  : QString();
        field.edit->setPlaceholderText(database);
        field.from->setText(!words.isEmpty() || database.isEmpty() ? QString()
                            : name == "from" || name == "to"       ? tr("database")
                                                                   : QString());
    }
    if (QAbstractButton* chosen = shown_->button(static_cast<int>(now->shown)); !chosen->isChecked())
        chosen->setChecked(true);
    for (std::size_t i = 0; i < board::shownCount; ++i) {
        const auto shown = static_cast<board::Shown>(i);
        const bool fits = besides ? shown == now->shown || (!board::isGauge(shown) && !board::isControl(shown))
                          : kind == board::Binding::Kind::row || kind == board::Binding::Kind::variable
                                  || kind == board::Binding::Kind::none
                              ? board::isGauge(shown) || board::isControl(shown)
                          : kind == board::Binding::Kind::manipulation ? shown == board::Shown::toggle || shown == board::Shown::button
                                                                             || shown == board::Shown::key || shown == board::Shown::lamp
                                                                       : board::isGauge(shown);
        shown_->button(static_cast<int>(i))->setVisible(fits);
        laid += fits ? QLatin1Char('1') : QLatin1Char('0');
    }
    const int cells[4] = {now->at.column, now->at.row, now->at.wide, now->at.high};
    for (int i = 0; i < 4; ++i)
        if (!place_[i]->isModified())
            place_[i]->setText(QString::number(cells[i]));
    if (laid != laid_) {
        laid_ = laid;
        Q_EMIT heightChanged();
    }
}

// The core says whether it may be so.
void BoardPanel::put(const nlohmann::json& next, const QString& what)
{
    const board::Board* on = stage_.boards().find(board_);
    if (on == nullptr || item_ >= on->items.size())
        return;
    std::vector<board::Item> items = on->items;
    QString wrong;
    try {
        items[item_] = board::itemFromJson(JsonReader(next));
        for (std::size_t i = 0; i < items.size(); ++i)
            if (i != item_ && items[i].at.overlaps(items[item_].at))
                wrong = tr("something lies there already");
    } catch (const JsonFailure& failure) {
        wrong = text(failure.error.text());
    }
    if (problem_->isHidden() != wrong.isEmpty() || problem_->text() != wrong) {
        problem_->setText(wrong);
        problem_->setVisible(!wrong.isEmpty());
        Q_EMIT heightChanged();
    }
    if (wrong.isEmpty())
        stage_.boards().put(board_, std::move(items), what);
    fill();
}

void BoardPanel::setShown(int shown)
{
    if (const board::Item* now = item()) {
        nlohmann::json next = board::toJson(*now);
        next["show"] = board::wordOf(static_cast<board::Shown>(shown));
        put(next, tr("how an item is shown"));
    }
}

void BoardPanel::keep(std::size_t at)
{
    const Field& field = fields_[at];
    const board::Item* now = item();
    if (now == nullptr || !field.edit->isModified())
        return;
    field.edit->setModified(false);
    nlohmann::json next = board::toJson(*now);
    const QString words = field.edit->text().trimmed();
    bool number = false;
    const double value = words.toDouble(&number);
    if (words.isEmpty()) {
        next.erase(field.name);
    } else if (std::string(field.name) == "key") {
        if (const auto free = checkRowKey(stage_, words, {~std::size_t{0}, 0}, {board_, item_}); !free) {
            problem_->setText(text(free.error().text()));
            problem_->show();
            Q_EMIT heightChanged();
            return fill();
        }
        next[field.name] = rowKeyName(words).toStdString();
    } else if (fieldKinds[at].number && number && std::string(field.name) == "decimals" && value >= 0 && value == std::floor(value)) {
        next[field.name] = static_cast<unsigned>(value);
    } else if (fieldKinds[at].number && number) {
        next[field.name] = value;
    } else {
        next[field.name] = words.toStdString();
    }
    put(next, tr("%1 of an item").arg(tr(fieldKinds[at].words)));
}

QStringList BoardPanel::lines() const
{
    QStringList out;
    if (const board::Item* now = item())
        out << tr("bound to %1").arg(text(now->of.name)) << tr("shown as %1").arg(QLatin1String(board::wordOf(now->shown)));
    return out;
}

}  // namespace wavetrope::app
