// SPDX-License-Identifier: GPL-3.0-or-later
// What the user settles for all windows: look, memory and disk, the window of time.
#pragma once

#include <QCheckBox>
#include <QComboBox>
#include <QDialog>
#include <QDoubleSpinBox>
#include <QSpinBox>

namespace wavetrope::app {

/// Takes effect at once; what concerns a run, from the next one on.
class SettingsDialog : public QDialog {
    Q_OBJECT
public:
    explicit SettingsDialog(QWidget* parent);

private:
    QComboBox* theme_;
    QDoubleSpinBox* scale_;
    QDoubleSpinBox* window_;
    QSpinBox* keptDays_;
    QSpinBox* curves_;
    QComboBox* times_;
    QComboBox* bytes_;
    QComboBox* raw_;
};

}  // namespace wavetrope::app
