// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/rig_settings_dialog.h"

#include <QDialogButtonBox>
#include <QFormLayout>
#include <QVBoxLayout>

#include "app/parts/named.h"
#include "app/theme/theme.h"
#include "base/time_text.h"

namespace wavetrope::app {

RigSettingsDialog::RigSettingsDialog(rig::Rig& rig, QWidget* parent)
    : QDialog(parent),
      rig_(rig),
      name_(new QLineEdit(QString::fromStdString(rig.name))),
      seed_(new QLineEdit(QString::number(rig.seed))),
      story_(new QLineEdit),
      problem_(new QLabel)
{
    const Theme& theme = Theme::get();
    setObjectName(QStringLiteral("rigSettings"));
    setWindowTitle(tr("Rig settings"));
    setMinimumWidth(theme.px(460));
    named(name_, "rigName", tr("Name, as it stands in the run bar and the title"));
    named(seed_, "rigSeed", tr("Of all random numbers: the same seed gives the same run"));
    named(story_, "rigStory", tr("After so long the nodes' own time starts over, such as 120 s; empty: never"));
    if (rig.story.count() > 0)
        story_->setText(QString::fromStdString(spanText(rig.story)));
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(theme.px(18), theme.px(16), theme.px(18), theme.px(14));
    auto* form = new QFormLayout;
    form->setVerticalSpacing(theme.px(10));
    form->addRow(tr("Name"), name_);
    form->addRow(tr("Seed of random numbers"), seed_);
    form->addRow(tr("Length of the story"), story_);
    column->addLayout(form);
    auto* hint = new QLabel(tr("A run that goes on keeps the seed and the story that it began with."));
    hint->setStyleSheet(QStringLiteral("color: %1").arg(theme.ink2.name()));
    hint->setWordWrap(true);
    column->addWidget(hint);
    problem_->setWordWrap(true);
    problem_->setStyleSheet(QStringLiteral("color: %1").arg(theme.error.name()));
    problem_->hide();
    column->addWidget(problem_);
    column->addStretch(1);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel);
    column->addWidget(buttons);
    connect(buttons, &QDialogButtonBox::accepted, this, &RigSettingsDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &RigSettingsDialog::reject);
}

void RigSettingsDialog::accept()
{
    const auto wrong = [this](QLineEdit* field, const QString& words) {
        problem_->setText(words);
        problem_->show();
        field->setFocus();
        field->selectAll();
    };
    const QString name = name_->text().trimmed();
    if (name.isEmpty())
        return wrong(name_, tr("The rig needs a name."));
    bool good = false;
    const std::uint64_t seed = seed_->text().trimmed().toULongLong(&good);
    if (!good)
        return wrong(seed_, tr("The seed is a whole number of 0 to 2^64 - 1."));
    Time story{0};
    if (!story_->text().trimmed().isEmpty()) {
        const auto span = spanFromText(story_->text().trimmed().toStdString());
        if (!span || span->count() <= 0)
            return wrong(story_, tr("The story's length is a time such as 120 s; empty where it never starts over."));
        story = *span;
    }
    if (name.toStdString() != rig_.name || seed != rig_.seed || story != rig_.story)
        rig_.setFacts(name.toStdString(), seed, story);
    QDialog::accept();
}

}  // namespace wavetrope::app
