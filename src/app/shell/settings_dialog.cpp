// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/settings_dialog.h"

#include <QDialogButtonBox>
#include <QFormLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

#include "app/keeping/keeping.h"
#include "app/parts/named.h"
#include "app/parts/notation.h"
#include "app/parts/settings.h"
#include "app/shell/main_window.h"
#include "app/stage/curve_desk.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

SettingsDialog::SettingsDialog(QWidget* parent)
    : QDialog(parent),
      theme_(new QComboBox),
      scale_(new QDoubleSpinBox),
      window_(new QDoubleSpinBox),
      keptDays_(new QSpinBox),
      curves_(new QSpinBox),
      times_(new QComboBox),
      bytes_(new QComboBox),
      raw_(new QComboBox)
{
    const Theme& theme = Theme::get();
    setObjectName(QStringLiteral("settings"));
    setWindowTitle(tr("Settings"));
    setMinimumWidth(theme.px(520));
    named(theme_, "settingsTheme", tr("Colours of all windows  (Ctrl+T)"));
    named(scale_, "settingsScale", tr("Size of all texts  (Ctrl++, Ctrl+-)"));
    named(window_, "settingsWindow", tr("Seconds that a live view shows; Now returns to it"));
    named(keptDays_, "settingsDays", tr("Days after which a run that was kept when its window closed is removed"));
    named(times_, "settingsTimes", tr("How times since the start are written, in every view"));
    named(bytes_, "settingsBytes", tr("How payload bytes are written; a stream may show its own in another way"));
    named(raw_, "settingsRaw", tr("How raw values of signals are written"));
    times_->addItems({tr("Seconds: 72.261795 s"), tr("Minutes and seconds: 1:12.261795")});
    times_->setCurrentIndex(timeForm() == TimeForm::minutes ? 1 : 0);
    bytes_->addItems({tr("Hexadecimal: 7F"), tr("Decimal: 127")});
    bytes_->setCurrentIndex(byteBase() == NumberBase::decimal ? 1 : 0);
    raw_->addItems({tr("Decimal: 127"), tr("Hexadecimal: 0x7F")});
    raw_->setCurrentIndex(rawBase() == NumberBase::hexadecimal ? 1 : 0);
    theme_->addItems({tr("Paper (light)"), tr("Ink (dark)")});
    theme_->setCurrentIndex(theme.name() == ThemeName::ink ? 1 : 0);
    scale_->setRange(0.8, 2.0);
    scale_->setSingleStep(0.1);
    scale_->setDecimals(1);
    scale_->setValue(theme.scale());
    window_->setRange(0.1, 3600);
    window_->setDecimals(1);
    window_->setSuffix(tr(" s"));
    window_->setValue(usualWindowSeconds());
    keptDays_->setRange(0, 3650);
    keptDays_->setSuffix(tr(" days"));
    keptDays_->setSpecialValueText(tr("kept until removed by hand"));
    keptDays_->setValue(keptRunDays());
    named(curves_, "settingsCurves",
        tr("What the curves of a window may keep; beyond it they become coarser, and what is read of them stays exact"));
    curves_->setRange(16, 65'536);
    curves_->setSingleStep(256);
    curves_->setSuffix(tr(" MB"));
    curves_->setValue(curveMegabytes());
    auto* memory = new QPushButton(tr("Memory and disk of a run..."));
    named(memory, "settingsMemory", tr("How much memory a run may take, and where the rest goes"));
    memory->setAutoDefault(false);

    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(theme.px(18), theme.px(16), theme.px(18), theme.px(14));
    column->setSpacing(theme.px(8));
    const auto section = [&](const QString& title, std::initializer_list<std::pair<QString, QWidget*>> rows) {
        auto* head = new QLabel(title);
        head->setFont(theme.head());
        column->addWidget(head);
        auto* form = new QFormLayout;
        form->setContentsMargins(theme.px(10), 0, 0, theme.px(8));
        form->setVerticalSpacing(theme.px(8));
        for (const auto& [words, field] : rows) {
            auto* label = new QLabel(words);
            label->setBuddy(field);
            label->setMinimumWidth(Theme::get().px(220));   // one edge for the fields of all sections
            form->addRow(label, field);
        }
        column->addLayout(form);
    };
    section(tr("Look"), {{tr("Theme"), theme_}, {tr("Size of texts"), scale_}});
    section(tr("Time"), {{tr("Times"), times_}, {tr("Window of live views"), window_}});
    section(tr("Numbers"), {{tr("Payload bytes"), bytes_}, {tr("Raw values"), raw_}});
    auto* patterns = new QLineEdit(patternFolders().join(QStringLiteral("; ")));
    named(patterns, "settingsPatterns",
        tr("Folders with patterns of boards, parted by semicolons: their JSON files are offered in the menu of a node"));
    patterns->setPlaceholderText(tr("none"));
    connect(patterns, &QLineEdit::editingFinished, this, [patterns] {
        QStringList folders;
        for (const QString& folder : patterns->text().split(QLatin1Char(';'), Qt::SkipEmptyParts))
            if (!folder.trimmed().isEmpty())
                folders << folder.trimmed();
        setPatternFolders(folders);
    });
    section(tr("Boards"), {{tr("Folders with patterns"), patterns}});
    section(tr("Runs"), {{tr("Runs that were kept are removed after"), keptDays_}, {tr("Memory of curves"), curves_}, {QString(), memory}});
    column->addStretch(1);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close);
    column->addWidget(buttons);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::accept);
    connect(theme_, &QComboBox::activated, this, [](int index) {
        if ((Theme::get().name() == ThemeName::ink) != (index == 1))
            toggleTheme();
    });
    connect(scale_, &QDoubleSpinBox::valueChanged, this, [](double value) { scaleText(value - Theme::get().scale()); });
    connect(times_, &QComboBox::activated, this, [](int index) { setTimeForm(index == 1 ? TimeForm::minutes : TimeForm::seconds); });
    connect(
        bytes_, &QComboBox::activated, this, [](int index) { setByteBase(index == 1 ? NumberBase::decimal : NumberBase::hexadecimal); });
    connect(raw_, &QComboBox::activated, this, [](int index) { setRawBase(index == 1 ? NumberBase::hexadecimal : NumberBase::decimal); });
    connect(window_, &QDoubleSpinBox::valueChanged, this, [](double value) { setUsualWindowSeconds(value); });
    connect(keptDays_, &QSpinBox::valueChanged, this, [](int value) { setKeptRunDays(value); });
    connect(curves_, &QSpinBox::valueChanged, this, [](int value) {
        setCurveMegabytes(value);
        for (MainWindow* window : MainWindow::all())
            window->stage().curveDesk().setBound(static_cast<std::size_t>(value) << 20U);
    });
    connect(memory, &QPushButton::clicked, this, [this] { KeepingDialog(this).exec(); });
}

}  // namespace wavetrope::app
