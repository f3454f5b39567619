// SPDX-License-Identifier: GPL-3.0-or-later
// Moments worth a flag, as a list.
#pragma once

#include "app/stage/view.h"

class QLabel;

namespace wavetrope::app {

/// The events of the run, the newest at the end. A click puts the cursor there.
class EventsView : public View {
    Q_OBJECT
public:
    explicit EventsView(Stage& stage);
    [[nodiscard]] std::size_t count() const { return events_.size(); }
    [[nodiscard]] const measure::Event& eventAt(std::size_t index) const { return events_[index]; }
    void choose(int index);
    /// The event that is selected, here or elsewhere; -1 for none.
    [[nodiscard]] int chosen() const;

private:
    class Rows;
    friend class Rows;
    void refresh();
    void mark();
    std::vector<measure::Event> events_;
    std::size_t known_ = 0;
    Rows* rows_;
    QLabel* notKept_;
};

}  // namespace wavetrope::app
