// One row for each identifier of each bus.
#pragma once

#include <QAbstractScrollArea>

#include <vector>

#include "app/shell/filter_line.h"
#include "app/shell/view.h"

namespace wavetrope::app {

class RosterView;

/// The painted rows of the roster.
class RosterRows : public QAbstractScrollArea {
    Q_OBJECT
public:
    explicit RosterRows(RosterView& view);
    void refresh();
    /// Identifiers shown, in order.
    [[nodiscard]] const std::vector<trace::IdentifierIndex>& shown() const { return shown_; }
    void rebuild();
    [[nodiscard]] QString rowText(std::size_t index) const;

protected:
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

private:
    enum class Order { identifier, name, period };
    void paintRow(QPainter& painter, int y, trace::IdentifierIndex identifier);
    void choose(int index);
    [[nodiscard]] int headHeight() const;
    [[nodiscard]] int indexOfSelection() const;

    RosterView& view_;
    std::vector<trace::IdentifierIndex> shown_;
    std::size_t known_ = 0;
    Order order_ = Order::identifier;
    QPoint pressedAt_;
};

/// The roster: filter line and rows.
class RosterView : public View {
    Q_OBJECT
public:
    explicit RosterView(Stage& stage);
    QWidget* tools() override { return filterLine_; }
    nlohmann::json save() const override;
    void restore(const nlohmann::json& setUp) override;
    [[nodiscard]] FilterLine* filterLine() { return filterLine_; }
    [[nodiscard]] RosterRows* rows() { return rows_; }

private:
    FilterLine* filterLine_;
    RosterRows* rows_;
};

/// Signals of a frame as a few words: "BladeDepth 3.22 mm, SideTilt -0.40 deg", as many as fit in `room` pixels.
[[nodiscard]] QString signalWords(const database::CatalogMessage& message, const can::FrameView& frame, const QFont& font, double room);

}  // namespace wavetrope::app
