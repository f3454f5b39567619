// Frames in order.
#pragma once

#include <memory>

#include "app/paint/row_list.h"
#include "app/shell/filter_line.h"
#include "app/shell/view.h"
#include "app/stream/background_scan.h"

namespace wavetrope::app {

class StreamView;

/// The painted rows of the stream.
class StreamRows : public RowList {
    Q_OBJECT
public:
    explicit StreamRows(StreamView& view);

    [[nodiscard]] std::uint64_t count() const override;
    [[nodiscard]] std::int64_t current() const override;
    void choose(std::uint64_t index) override;
    [[nodiscard]] QString rowText(std::uint64_t index) const override;

    [[nodiscard]] trace::Row rowOf(std::uint64_t index) const;
    /// Index shown nearest to a row of the trace.
    [[nodiscard]] std::uint64_t indexOf(trace::Row row) const;
    void showCursor();
    /// Puts the cursor at "12.5 s" from the start, or at "row 1234"; false where the text says neither.
    bool goTo(const QString& where);
    /// The next or previous frame of a row's identifier.
    void goToSame(trace::Row row, bool back);

protected:
    void contextMenuEvent(QContextMenuEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void paintRow(QPainter& painter, int y, std::uint64_t index) override;
    [[nodiscard]] QString emptyText() const override;
    void aboutToScroll(bool back) override;
    void aboutToRefresh() override;

private:
    /// What the cell under a place says, as a condition of a filter.
    [[nodiscard]] std::string conditionAt(double x, std::uint64_t index) const;
    void askWhere();

    StreamView& view_;
};

/// The stream: filter line and rows.
class StreamView : public View {
    Q_OBJECT
public:
    explicit StreamView(Stage& stage);
    ~StreamView() override;

    QWidget* tools() override { return filterLine_; }
    nlohmann::json save() const override;
    void restore(const nlohmann::json& setUp) override;

    [[nodiscard]] FilterLine* filterLine() { return filterLine_; }
    [[nodiscard]] StreamRows* rows() { return rows_; }
    [[nodiscard]] const BackgroundScan* scan() const { return scan_.get(); }

private:
    void onFilter();
    void onBeat();

    FilterLine* filterLine_;
    StreamRows* rows_;
    std::unique_ptr<BackgroundScan> scan_;  // none while everything passes
};

}  // namespace wavetrope::app
