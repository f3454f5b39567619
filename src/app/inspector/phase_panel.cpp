// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/inspector/phase_panel.h"

#include <QVBoxLayout>

#include <algorithm>

#include "app/paint/paint.h"
#include "app/parts/elided_label.h"
#include "app/parts/text.h"
#include "app/stage/dialogue_desk.h"
#include "app/stage/manipulation_desk.h"
#include "app/theme/theme.h"
#include "base/time_text.h"
#include "measure/identifier_stats.h"

namespace wavetrope::app {

namespace {

constexpr std::size_t mostAgreed = 8;

}  // namespace

PhasePanel::PhasePanel(Stage& stage, QWidget* parent)
    : QWidget(parent),
      stage_(stage),
      grid_(new QGridLayout),
      heading_(new QLabel(tr("Limits"))),
      agreedHeading_(new QLabel(tr("Agreed before"))),
      waits_(new QLabel),
      problem_(new QLabel),
      begin_(new QPushButton(tr("Begin the dialogue anew")))
{
    setObjectName(QStringLiteral("phasePanel"));
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(0, 0, 0, 0);
    all->setSpacing(6);
    grid_->setHorizontalSpacing(8);
    grid_->setVerticalSpacing(4);
    grid_->setColumnStretch(0, 1);
    all->addLayout(grid_);
    for (QLabel* label : {waits_, problem_})
        label->setWordWrap(true);
    waits_->setObjectName(QStringLiteral("phaseWaits"));
    problem_->setObjectName(QStringLiteral("phaseProblem"));
    problem_->hide();
    all->addWidget(problem_);
    all->addWidget(waits_);
    begin_->setObjectName(QStringLiteral("beginAnew"));
    begin_->setToolTip(tr("The first partner begins, from whatever phase it is in"));
    connect(begin_, &QPushButton::clicked, this, [this] { tell(stage_.dialogues().begin(dialogue_)); });
    all->addWidget(begin_, 0, Qt::AlignLeft);
}

bool PhasePanel::show(const QString& dialogue, std::size_t partner, std::size_t phase)
{
    const auto& dialogues = stage_.document().rig().dialogues;
    const auto spec = std::find_if(dialogues.begin(), dialogues.end(), [&](const auto& one) { return text(one.name) == dialogue; });
    if (spec == dialogues.end() || phase >= spec->phases.size() || partner > 1)
        return false;
    dialogue_ = dialogue;
    partner_ = partner;
    phase_ = phase;
    node_ = text(spec->partners[partner]);
    const QString shape =
        QStringLiteral("%1 %2 %3 %4").arg(dialogue).arg(partner).arg(phase).arg(spec->phases[phase].sides[partner].hears.size());
    if (std::exchange(built_, shape) != shape)
        build(*spec);
    const drive::SideSpec& side = spec->phases[phase].sides[partner];
    limits_[0].value = side.within;
    limits_[1].value = side.notBefore;
    for (std::size_t i = 0; i < side.hears.size(); ++i)
        limits_[2 + i].value = side.hears[i].within;
    if (const drive::DialogueFacts* facts = stage_.dialogues().find(dialogue); facts != nullptr)
        fill(*facts);
    return true;
}

void PhasePanel::build(const drive::DialogueSpec& spec)
{
    while (QLayoutItem* item = grid_->takeAt(0)) {
        if (QWidget* widget = item->widget(); widget != nullptr && widget != heading_ && widget != agreedHeading_)
            widget->deleteLater();
        delete item;
    }
    limits_.clear();
    agreed_.clear();
    problem_->hide();
    const drive::SideSpec& side = spec.phases[phase_].sides[partner_];
    int row = 0;
    const auto field = [&](const QString& words, const QString& name, int wide) {
        auto* label = new ElidedLabel(words);
        label->setToolTip(words);
        auto* edit = new QLineEdit;
        edit->setObjectName(name);
        edit->setAccessibleName(words);
        edit->setFixedWidth(Theme::get().px(72));
        label->setBuddy(edit);
        grid_->addWidget(label, row, 0, 1, wide);
        grid_->addWidget(edit, row++, 2);
        return std::pair(label, edit);
    };
    grid_->addWidget(heading_, row++, 0, 1, 3);
    const auto limit = [&](const QString& words, const std::string& place, const QString& name) {
        const auto [label, edit] = field(words, name, 2);
        const std::size_t number = limits_.size();
        limits_.push_back({side.pointer + place, {}, edit, label});
        connect(edit, &QLineEdit::editingFinished, this, [this, number] { keep(number); });
    };
    limit(tr("left within"), "/within", QStringLiteral("limitWithin"));
    limit(tr("not left before"), "/notBefore", QStringLiteral("limitNotBefore"));
    for (std::size_t i = 0; i < side.hears.size(); ++i)
        limit(tr("hears %1 within").arg(text(side.hears[i].message)), "/hears/" + std::to_string(i) + "/within",
            QStringLiteral("limitHears%1").arg(i));
    limits_[0].edit->setPlaceholderText(tr("any time"));
    limits_[1].edit->setPlaceholderText(tr("at once"));
    // Values of its own messages that went out once, in a phase before.
    bool any = false;
    for (std::size_t before = 0; before < phase_; ++before)
        for (const drive::SaySpec& say : spec.phases[before].sides[partner_].says) {
            const int bus = stage_.catalog().findBus(spec.bus);
            for (const auto& message : stage_.catalog().messages()) {
                if (say.every.count() > 0 || message.bus != bus || message.message->name != say.message)
                    continue;
                for (std::uint32_t i = 0; i < message.message->signals.size() && agreed_.size() < mostAgreed; ++i) {
                    if (!std::exchange(any, true))
                        grid_->addWidget(agreedHeading_, row++, 0, 1, 3);
                    const QString signal = text(message.message->name + "." + message.message->signals[i].name);
                    const auto [label, edit] = field(
                        text(message.message->signals[i].name), QStringLiteral("agreed%1").arg(agreed_.size()), 1);
                    label->setToolTip(signal);
                    auto* now = new QLabel;
                    grid_->addWidget(now, row - 1, 1, Qt::AlignRight | Qt::AlignVCenter);
                    const std::size_t number = agreed_.size();
                    agreed_.push_back({signal, i, &message, edit, label, now});
                    edit->setPlaceholderText(tr("its own"));
                    edit->setToolTip(tr("Another value, changed on purpose; empty: its own again  (Enter)"));
                    connect(edit, &QLineEdit::editingFinished, this, [this, number] { agree(number); });
                }
            }
        }
    agreedHeading_->setVisible(any);
}

void PhasePanel::fill(const drive::DialogueFacts& facts)
{
    const Theme& theme = Theme::get();
    for (QLabel* strong : {heading_, agreedHeading_})
        strong->setFont(theme.bodyStrong());
    for (const Limit& limit : limits_)
        if (!limit.edit->hasFocus())
            limit.edit->setText(limit.value.count() > 0 ? text(spanText(limit.value)) : QString());
    bool held = false;
    for (const Agreed& one : agreed_) {
        const auto wanted = heldAs(one);
        if (!one.edit->hasFocus())
            one.edit->setText(wanted ? wanted->section(QStringLiteral(" = "), 1) : QString());
        const auto identifier = stage_.document().trace().find(
            {static_cast<std::uint8_t>(one.message->bus), false, one.message->message->id});
        QString seen = tr("not sent");
        if (identifier)
            if (const auto moment = measure::momentOf(
                    stage_.snapshot(), *identifier, stage_.cursorRow() == trace::noRow ? 0 : stage_.cursorRow() + 1, 1);
                moment.row != trace::noRow) {
                database::Decoded decoded;
                if (one.message->plan.decodeOne(stage_.snapshot().frame(moment.row), one.index, decoded))
                    seen = readingText(one.message->message->signals[one.index], decoded);
            }
        one.now->setText(seen);
        QPalette quiet = one.now->palette();
        quiet.setColor(QPalette::WindowText, theme.ink3);
        one.now->setPalette(quiet);
        for (const ManipulationDesk::Row& row : stage_.manipulations().actingOf(node_))
            held = held || (wanted && row.text == *wanted && row.running && row.facts.changed == 0);
    }
    const bool live = stage_.document().isLive();
    const QString waits = held && facts.waits ? tr("Limits and values wait until the dialogue begins anew.")
                          : facts.waits       ? tr("The limits wait until the dialogue begins anew.")
                          : held              ? tr("A value waits for the next agreeing.")
                                              : QString();
    waits_->setText(waits);
    waits_->setVisible(!waits.isEmpty());
    begin_->setVisible(live);
    begin_->setEnabled(live && facts.partners[0].simulated);
    QPalette wrong = problem_->palette();
    wrong.setColor(QPalette::WindowText, theme.error);
    problem_->setPalette(wrong);
}

void PhasePanel::keep(std::size_t number)
{
    const Limit& limit = limits_[number];
    const QString typed = limit.edit->text().trimmed();
    const bool may = typed.isEmpty() && number < 2;
    const auto span = may ? std::optional<Time>(Time{0}) : spanFromText(typed.toStdString());
    if (span && *span == limit.value)
        return;
    if (!span || span->count() < 0)
        return tell(fail("'" + typed.toStdString() + "' is no time limit, such as 250 ms"));
    tell(stage_.dialogues().setLimit(dialogue_, limit.place, *span));
}

std::optional<QString> PhasePanel::heldAs(const Agreed& one) const
{
    const QString beginning = node_ + QLatin1Char(' ') + one.signal + QStringLiteral(" = ");
    for (const ManipulationDesk::Row& row : stage_.manipulations().rows())
        if (row.acts && row.text.startsWith(beginning))
            return row.text;
    return {};
}

void PhasePanel::agree(std::size_t number)
{
    const Agreed& one = agreed_[number];
    QString typed = one.edit->text().trimmed();
    const auto before = heldAs(one);
    if (before ? before->section(QStringLiteral(" = "), 1) == typed : typed.isEmpty())
        return;
    if (typed.contains(QLatin1Char(' ')) && !typed.startsWith(QLatin1Char('"')) && !typed.front().isDigit()
        && typed.front() != QLatin1Char('-'))
        typed = QLatin1Char('"') + typed + QLatin1Char('"');
    if (!typed.isEmpty())
        if (const auto done = stage_.manipulations().add(node_ + QLatin1Char(' ') + one.signal + QStringLiteral(" = ") + typed); !done)
            return tell(done);
    if (before)
        for (const ManipulationDesk::Row& row : stage_.manipulations().rows())
            if (row.text == *before)
                stage_.manipulations().remove(row);
    tell({});
}

void PhasePanel::tell(const Expected<void>& done)
{
    problem_->setText(done ? QString() : text(done.error().what + (done.error().remedy.empty() ? "" : ". " + done.error().remedy)));
    problem_->setVisible(!done);
    updateGeometry();
}

QStringList PhasePanel::lines() const
{
    QStringList out;
    for (const Limit& limit : limits_)
        out << limit.label->text() + QStringLiteral(": ")
                   + (limit.edit->text().isEmpty() ? limit.edit->placeholderText() : limit.edit->text());
    for (const Agreed& one : agreed_)
        out << one.label->text() + QStringLiteral(": ") + one.now->text()
                   + (one.edit->text().isEmpty() ? QString() : tr(", wanted %1").arg(one.edit->text()));
    if (!waits_->text().isEmpty())
        out << waits_->text();
    return out;
}

}  // namespace wavetrope::app
