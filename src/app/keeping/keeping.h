// SPDX-License-Identifier: GPL-3.0-or-later
// How live runs are kept: the dialog for it.
#pragma once

#include <QCheckBox>
#include <QDialog>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QLineEdit>

#include "app/keeping/keeping_options.h"

namespace wavetrope::app {

/// "64.0 MB in memory, 1.2 GB on disk".
[[nodiscard]] QString keepingText(std::size_t memory, std::uint64_t disk);

/// Memory for a run, the folder that takes the rest, and how much of its disk is left free.
class KeepingDialog : public QDialog {
    Q_OBJECT
public:
    explicit KeepingDialog(QWidget* parent = nullptr);
    void accept() override;

private:
    void refresh();

    QCheckBox* keep_;
    QDoubleSpinBox* memory_;
    QLineEdit* folder_;
    QDoubleSpinBox* leaveFree_;
    QLabel* says_;
};

}  // namespace wavetrope::app
