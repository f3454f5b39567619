// SPDX-License-Identifier: GPL-3.0-or-later
// What would be lost with a window, asked about once.
#pragma once

#include <QComboBox>
#include <QDialog>

#include <vector>

namespace wavetrope::app {

/// Something that would be lost, and what can be done about it.
struct Loss {
    enum class Kind { database, rig, run, recording };
    enum class Remedy { save, keep, saveAs, discard };
    Kind kind = Kind::rig;
    int index = 0;                  ///< Of a database on the shelf.
    QString what;
    QString detail;
    std::vector<Remedy> remedies;   ///< The first is proposed.
};

/// Lists the losses, each with a choice. Accepted: carry the choices out, and close; rejected: the window stays.
class ClosingDialog : public QDialog {
    Q_OBJECT
public:
    ClosingDialog(const std::vector<Loss>& losses, QWidget* parent);
    [[nodiscard]] Loss::Remedy remedy(std::size_t index) const;

private:
    void discardAll();

    std::vector<Loss> losses_;
    std::vector<QComboBox*> choices_;
};

}  // namespace wavetrope::app
