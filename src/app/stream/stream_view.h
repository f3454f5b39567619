// Frames in order.
#pragma once

#include <QAbstractScrollArea>

#include <memory>

#include "app/shell/filter_line.h"
#include "app/shell/view.h"
#include "app/stream/background_scan.h"

namespace wavetrope::app {

class StreamView;

/// The painted rows. Paints what is on the screen, whatever the length of the trace.
class StreamRows : public QAbstractScrollArea {
    Q_OBJECT
public:
    explicit StreamRows(StreamView& view);

    [[nodiscard]] std::uint64_t count() const;
    [[nodiscard]] trace::Row rowOf(std::uint64_t index) const;
    /// Index shown nearest to a row of the trace.
    [[nodiscard]] std::uint64_t indexOf(trace::Row row) const;
    void refresh();
    void showCursor();
    [[nodiscard]] std::uint64_t top() const { return top_; }
    [[nodiscard]] int visibleRows() const;
    /// What a row says, for assistive technology and the clipboard: tab-separated.
    [[nodiscard]] QString rowText(std::uint64_t index) const;

protected:
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void scrollContentsBy(int dx, int dy) override;

private:
    void paintRow(QPainter& painter, int y, trace::Row row, bool atCursor);
    void goTo(std::int64_t index);
    void updateScrollBar();
    [[nodiscard]] int headHeight() const;

    StreamView& view_;
    std::uint64_t top_ = 0;
    bool settingBar_ = false;
    std::uint64_t perStep_ = 1;     // rows for one step of the scroll bar, beyond 2^31 rows
};

/// The stream: filter line and rows.
class StreamView : public View {
    Q_OBJECT
public:
    explicit StreamView(Stage& stage);

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
