// SPDX-License-Identifier: GPL-3.0-or-later
// A curve that is drawn at the same cost however many samples a pixel has.
#pragma once

#include "app/stage/plot_library.h"

namespace wavetrope::app {

/// Where there are more points than can be told apart, a column of pixels is filled from the smallest to the largest of its values, what
/// held when it began among them; a line through all of them would be stroked over itself many times. Else it is drawn as a graph is.
class LaneGraph : public QCPGraph {
    Q_OBJECT
public:
    using QCPGraph::QCPGraph;

protected:
    void draw(QCPPainter* painter) override;
};

}  // namespace wavetrope::app
