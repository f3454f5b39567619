// SPDX-License-Identifier: GPL-3.0-or-later
// One line: rig name, start and stop, record, now, a chip for each bus, elapsed time.
#pragma once

#include <QLabel>
#include <QMenu>
#include <QToolButton>
#include <QWidget>

#include <vector>

#include "app/stage/stage.h"

namespace wavetrope::app {

/// Name, source, rate, load and health of a bus.
class BusChips : public QWidget {
    Q_OBJECT
public:
    explicit BusChips(Stage& stage);
    [[nodiscard]] QSize minimumSizeHint() const override;

protected:
    void paintEvent(QPaintEvent* event) override;
    bool event(QEvent* event) override;

private:
    [[nodiscard]] QString words(unsigned bus) const;
    [[nodiscard]] bus::Health::State stateOf(unsigned bus) const;
    [[nodiscard]] double chipWidth() const;
    Stage& stage_;
};

class PaceButton;

class RunBar : public QWidget {
    Q_OBJECT
public:
    RunBar(Stage& stage, QMenu* menu);

    QToolButton* nameButton;
    QToolButton* startStop;
    QToolButton* record;
    QToolButton* now;
    PaceButton* pace;

Q_SIGNALS:
    void startStopWanted();
    void recordWanted();

protected:
    void contextMenuEvent(QContextMenuEvent* event) override;
    void paintEvent(QPaintEvent* event) override;

private:
    void refresh();
    void restyle();
    Stage& stage_;
    BusChips* chips_;
    QLabel* clock_;
    bool stale_ = true;         ///< Texts and icons have to be made anew.
    bool wasRunning_ = false;
    bool wasRecording_ = false;
    bool wasFollowing_ = true;
};

}  // namespace wavetrope::app
