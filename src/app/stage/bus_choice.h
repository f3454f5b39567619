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
    /// With `all`, a first entry of that text stands for all of them.
    BusChoice(Stage& stage, const QString& name, const QString& tip, const QString& all = {});

    /// Takes the buses as they are now, without a signal; the chosen one stays, else that which is wanted is chosen once it is there.
    void fill();
    /// The bus of that name, now or once there is one.
    void want(const QString& bus) { wanted_ = bus; }
    /// Of the buses of the run, 0 where there is none.
    [[nodiscard]] unsigned bus() const { return static_cast<unsigned>(std::max(0, currentIndex() - (all_.isEmpty() ? 0 : 1))); }
    /// Shows the letter alone while it is closed.
    void setCompact() { compact_ = true; }
    /// Whether all of them are chosen.
    [[nodiscard]] bool isAll() const { return !all_.isEmpty() && currentIndex() <= 0; }
    /// Chooses one; nothing where there is no such bus.
    void chooseBus(unsigned bus)
    {
        if (const int index = static_cast<int>(bus) + (all_.isEmpty() ? 0 : 1); index < count())
            setCurrentIndex(index);
    }
    [[nodiscard]] std::string busName() const { return currentData().toString().toStdString(); }

private:
    Stage& stage_;
    QString all_;
    QString wanted_;
    bool compact_ = false;
};

}  // namespace wavetrope::app
