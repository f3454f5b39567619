// One row for each identifier of each bus.
#pragma once

#include <vector>

#include "app/paint/row_list.h"
#include "app/shell/filter_line.h"
#include "app/shell/view.h"

namespace wavetrope::app {

class RosterView;

/// The painted rows of the roster.
class RosterRows : public RowList {
    Q_OBJECT
public:
    explicit RosterRows(RosterView& view);

    [[nodiscard]] std::uint64_t count() const override { return shown_.size(); }
    [[nodiscard]] std::int64_t current() const override;
    void choose(std::uint64_t index) override;
    [[nodiscard]] QString rowText(std::uint64_t index) const override;

    /// Identifiers shown, in order.
    [[nodiscard]] const std::vector<trace::IdentifierIndex>& shown() const { return shown_; }
    void rebuild();

protected:
    void paintRow(QPainter& painter, int y, std::uint64_t index) override;
    [[nodiscard]] QString emptyText() const override;
    [[nodiscard]] int pitch() const override;
    void headClicked(double x) override;
    void aboutToRefresh() override;
    void contextMenuEvent(QContextMenuEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;

private:
    enum class Order { identifier, name, period };

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

}  // namespace wavetrope::app
