// SPDX-License-Identifier: GPL-3.0-or-later
// Facts of a rig: its name, the seed of its chance, the length of its story.
#pragma once

#include <QDialog>
#include <QLabel>
#include <QLineEdit>

#include "rig/rig.h"

namespace wavetrope::app {

/// Accepted: the rig has them, in its document as well. A run that goes on keeps those that it began with.
class RigSettingsDialog : public QDialog {
    Q_OBJECT
public:
    RigSettingsDialog(rig::Rig& rig, QWidget* parent);
    void accept() override;

private:
    rig::Rig& rig_;
    QLineEdit* name_;
    QLineEdit* seed_;
    QLineEdit* story_;
    QLabel* problem_;
};

}  // namespace wavetrope::app
