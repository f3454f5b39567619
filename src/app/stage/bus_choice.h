// SPDX-License-Identifier: GPL-3.0-or-later
// Which bus a view is of.
#pragma once

#include <QComboBox>

#include <algorithm>
#include <string>

namespace wavetrope::app {

class Stage;

/// The buses of the run or log, by letter and name.
class BusChoice : public QComboBox {
    Q_OBJECT
public:
    BusChoice(Stage& stage, const QString& name, const QString& tip);

    /// Takes the buses as they are now, without a signal; the chosen one stays, else that which is wanted is chosen once it is there.
    void fill();
    /// The bus of that name, now or once there is one.
    void want(const QString& bus) { wanted_ = bus; }
    /// Of the buses of the run, 0 where there is none.
    [[nodiscard]] unsigned bus() const { return static_cast<unsigned>(std::max(0, currentIndex())); }
    [[nodiscard]] std::string busName() const { return currentData().toString().toStdString(); }

private:
    Stage& stage_;
    QString wanted_;
};

}  // namespace wavetrope::app
