// SPDX-License-Identifier: GPL-3.0-or-later
// How the time of a run goes on.
#pragma once

#include <QToolButton>

#include <functional>

class QMenu;

namespace wavetrope::rig {
class Session;
}

namespace wavetrope::app {

class Stage;

/// Says how fast the time of the run goes, in ink that stands out where it is not that of the wall; its menu changes it, holds time, steps, and stops
/// at a condition. A rig with a bus of the world says there what binds it.
class PaceButton : public QToolButton {
    Q_OBJECT
public:
    explicit PaceButton(Stage& stage);

    /// 0: as fast as the machine can.
    void setPace(double factor);
    /// Holds time, or lets it go on.
    void toggleHeld();
    /// To the next instant at which something acts.
    void step();
    void stepToFrame();
    /// Empty: nowhere.
    void stopAt(const QString& condition);

private:
    void refresh();
    void fill();
    /// Has something done by the run, and tells the words that come back, if any.
    void ask(const std::function<QString(rig::Session&)>& request);

    Stage& stage_;
    QMenu* choices_;
};

}  // namespace wavetrope::app
