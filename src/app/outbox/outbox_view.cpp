// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/outbox/outbox_view.h"

#include <QButtonGroup>
#include <QHBoxLayout>
#include <QPushButton>
#include <QVBoxLayout>

#include "app/parts/elided_label.h"
#include "app/parts/text.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

OutboxView::OutboxView(Stage& stage)
    : View(stage),
      tools_(new QWidget),
      told_(new ElidedLabel),
      find_(new QLineEdit),
      all_(new QButtonGroup(this)),
      rows_(new OutboxRows(stage)),
      line_(new QLineEdit),
      wrong_(new QLabel)
{
    setObjectName(QStringLiteral("outbox"));
    auto* bar = new QHBoxLayout(tools_);
    bar->setContentsMargins(0, 0, 0, 0);
    bar->setSpacing(6);
    Theme::writeInBody(told_);
    told_->setObjectName(QStringLiteral("outboxFacts"));
    told_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    bar->addWidget(told_, 1);
    find_->setObjectName(QStringLiteral("outboxFind"));
    find_->setPlaceholderText(tr("find a row"));
    find_->setAccessibleName(tr("Find a row of the outbox"));
    find_->setToolTip(tr("Rows with this in their message, identifier, bus, group or comment"));
    find_->setClearButtonEnabled(true);
    bar->addWidget(find_);
    auto* all = new QLabel(tr("all rows"));
    Theme::writeInBody(all);
    bar->addWidget(all);
    for (const auto& [id, name, words, tip] : {std::tuple{0, "outboxGoOut", tr("go out"), tr("Rows go out as they say")},
             std::tuple{1, "outboxHoldAll", tr("are held"),
                 tr("Nothing goes out: no beat, no answer, no key. Beats go on and are counted, so that nothing shifts when they go out "
                    "again")}}) {
        auto* button = new QPushButton(words);
        button->setObjectName(QLatin1String(name));
        button->setCheckable(true);
        button->setToolTip(tip);
        all_->addButton(button, id);
        bar->addWidget(button);
    }
    all_->button(0)->setChecked(true);
    connect(all_, &QButtonGroup::idClicked, this, [this](int id) { this->stage().outbox().setHeld(id == 1); });

    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(0);
    layout->addWidget(rows_, 1);
    wrong_->setObjectName(QStringLiteral("outboxWrong"));
    wrong_->setWordWrap(true);
    wrong_->setMargin(4);
    wrong_->hide();
    layout->addWidget(wrong_);
    auto* foot = new QHBoxLayout;
    foot->setContentsMargins(Theme::get().px(12), Theme::get().px(4), Theme::get().px(12), Theme::get().px(6));
    line_->setObjectName(QStringLiteral("outboxLine"));
    line_->setPlaceholderText(
        tr("add: BladeCommand CommandedDepth=3.5, or 0x1F0 11 22 33, or drag a node, a message or a row of the roster here"));
    line_->setAccessibleName(tr("Message to put into the outbox"));
    line_->setToolTip(
        tr("A message by its name with values, or an identifier with bytes; fd, fdbrs or remote behind the identifier. Return adds it"));
    foot->addWidget(line_);
    layout->addLayout(foot);
    connect(line_, &QLineEdit::returnPressed, this, &OutboxView::addTyped);
    connect(line_, &QLineEdit::textEdited, wrong_, &QLabel::hide);
    connect(find_, &QLineEdit::textChanged, rows_, &OutboxRows::setWanted);
    connect(rows_, &OutboxRows::refused, this, &OutboxView::sayWrong);
    setFocusProxy(rows_);
    const auto restyle = [this, all] {
        const Theme& theme = Theme::get();
        wrong_->setFont(theme.body());
        wrong_->setStyleSheet(QStringLiteral("QLabel { color: %1; }").arg(theme.error.name()));
        find_->setFixedWidth(theme.px(116));
        for (QAbstractButton* button : all_->buttons())
            button->setFont(theme.body());
        all->setFont(theme.body());
    };
    restyle();
    connect(&Theme::get(), &Theme::changed, this, restyle);
    connect(&stage, &Stage::beat, this, &OutboxView::refresh);
    connect(&stage, &Stage::catalogChanged, this, &OutboxView::rebuild);
    connect(&stage, &Stage::becameReady, this, &OutboxView::rebuild);
    connect(&stage.outbox(), &OutboxDesk::changed, this, &OutboxView::rebuild);
    connect(&stage.outbox(), &OutboxDesk::asked, rows_, &OutboxRows::ask);
    connect(&stage.outbox(), &OutboxDesk::added, this, [this](std::size_t number) {
        if (const auto place = this->stage().outbox().placeOf(number))
            rows_->choosePlace(*place);
    });
    rebuild();
}

void OutboxView::showEvent(QShowEvent* event)
{
    View::showEvent(event);
    rebuild();
}

void OutboxView::rebuild()
{
    rows_->rebuild();
    refresh();
}

void OutboxView::refresh()
{
    if (!isVisible())
        return;
    rows_->lookAgain();
    told_->setText(rows_->look().summary());
    all_->button(stage().outbox().held() ? 1 : 0)->setChecked(true);
}

void OutboxView::sayWrong(const QString& words)
{
    wrong_->setText(words);
    wrong_->setVisible(!words.isEmpty());
}

void OutboxView::addTyped()
{
    const std::int64_t current = rows_->current();
    const std::size_t group = current >= 0 ? rows_->entry(static_cast<std::size_t>(current)).group
                                           : std::numeric_limits<std::size_t>::max();
    const auto added = stage().outbox().add(group, line_->text(), rows_->busOfCurrent());
    sayWrong(added ? QString() : text(added.error().text()));
    if (added)
        line_->clear();
}

}  // namespace wavetrope::app
