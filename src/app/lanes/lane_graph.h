// SPDX-License-Identifier: GPL-3.0-or-later
// A curve that is drawn at the same cost however many samples a pixel has.
#pragma once

#include <vector>

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

private:
    /// What is filled of a column of pixels.
    struct Column {
        int at;
        double top, bottom;
    };
    void drawRects(QCPPainter* painter, const std::vector<Column>& columns) const;
    void drawPixels(QCPPainter* painter, const QRect& box, const std::vector<Column>& columns) const;
};

}  // namespace wavetrope::app
