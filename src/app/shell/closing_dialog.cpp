// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/closing_dialog.h"

#include <QDialogButtonBox>
#include <QGridLayout>
#include <QLabel>
#include <QPushButton>

#include <algorithm>

#include "app/parts/named.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

QString wordsOf(Loss::Remedy remedy, Loss::Kind kind)
{
    switch (remedy) {
    case Loss::Remedy::save: return ClosingDialog::tr("save");
    case Loss::Remedy::keep:
        return kind == Loss::Kind::recording ? ClosingDialog::tr("end it and keep the log")
                                             : ClosingDialog::tr("keep it among runs that were not ended");
    case Loss::Remedy::saveAs: return ClosingDialog::tr("save as...");
    case Loss::Remedy::discard: return ClosingDialog::tr("discard");
    }
    return {};
}

}  // namespace

ClosingDialog::ClosingDialog(const std::vector<Loss>& losses, QWidget* parent) : QDialog(parent), losses_(losses)
{
    const Theme& theme = Theme::get();
    setObjectName(QStringLiteral("closingDialog"));
    setWindowTitle(tr("Before this window closes"));
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(theme.px(18), theme.px(16), theme.px(18), theme.px(14));
    column->setSpacing(theme.px(12));
    auto* says = new QLabel(losses.size() == 1 ? tr("This would be lost:") : tr("These would be lost:"));
    says->setFont(theme.title());
    column->addWidget(says);
    auto* grid = new QGridLayout;
    grid->setHorizontalSpacing(theme.px(24));
    grid->setVerticalSpacing(theme.px(10));
    for (std::size_t i = 0; i < losses_.size(); ++i) {
        const Loss& loss = losses_[i];
        auto* words = new QLabel(QStringLiteral("<b>%1</b><br><span style='color:%2'>%3</span>")
                .arg(loss.what.toHtmlEscaped(), theme.ink2.name(), loss.detail.toHtmlEscaped()));
        words->setMinimumWidth(theme.px(260));
        words->setMaximumWidth(theme.px(420));
        words->setWordWrap(true);
        auto* choice = new QComboBox;
        named(choice, "", tr("What becomes of it"));
        choice->setObjectName(QStringLiteral("closing%1").arg(i));
        for (const Loss::Remedy remedy : loss.remedies)
            choice->addItem(wordsOf(remedy, loss.kind), static_cast<int>(remedy));
        choice->setMinimumWidth(theme.px(250));
        grid->addWidget(words, static_cast<int>(i), 0);
        grid->addWidget(choice, static_cast<int>(i), 1, Qt::AlignVCenter);
        choices_.push_back(choice);
    }
    grid->setColumnStretch(0, 1);
    column->addLayout(grid);
    column->addStretch(1);
    auto* buttons = new QDialogButtonBox;
    auto* close = buttons->addButton(tr("Do this and close"), QDialogButtonBox::AcceptRole);
    named(close, "closingDo", tr("Carries the choices out and closes the window  (Enter)"));
    close->setDefault(true);
    close->setProperty("primary", true);
    auto* discard = buttons->addButton(tr("Discard all"), QDialogButtonBox::DestructiveRole);
    named(discard, "closingDiscard", tr("Closes the window; all of this is lost"));
    auto* back = buttons->addButton(tr("Back"), QDialogButtonBox::RejectRole);
    named(back, "closingBack", tr("The window stays  (Escape)"));
    column->addWidget(buttons);
    connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    connect(discard, &QPushButton::clicked, this, &ClosingDialog::discardAll);
    close->setFocus();
}

Loss::Remedy ClosingDialog::remedy(std::size_t index) const { return static_cast<Loss::Remedy>(choices_[index]->currentData().toInt()); }

void ClosingDialog::discardAll()
{
    for (QComboBox* choice : choices_)
        if (const int discard = choice->findData(static_cast<int>(Loss::Remedy::discard)); discard >= 0)
            choice->setCurrentIndex(discard);
    accept();
}

}  // namespace wavetrope::app
