// Rows that are painted for what is on the screen, whatever their number.
#pragma once

#include <QAbstractScrollArea>
#include <QString>

#include <cstdint>
#include <vector>

namespace wavetrope::app {

/// Scrolling, keys, copying and column heads of a painted list. Up to 2^63 rows under one scroll bar.
class RowList : public QAbstractScrollArea {
    Q_OBJECT
public:
    explicit RowList(QWidget* parent = nullptr);

    [[nodiscard]] virtual std::uint64_t count() const = 0;
    /// What a row says, for the clipboard and assistive technology: tab-separated.
    [[nodiscard]] virtual QString rowText(std::uint64_t index) const = 0;
    /// The row in force, or -1.
    [[nodiscard]] virtual std::int64_t current() const = 0;
    /// Makes a row the one in force. Callers keep it within the count.
    virtual void choose(std::uint64_t index) = 0;

    [[nodiscard]] std::uint64_t top() const { return top_; }
    /// Rows that fit whole, at least 1.
    [[nodiscard]] int visibleRows() const;
    /// Looks again at the count and paints.
    void refresh();
    /// Scrolls as little as brings a row into sight, or puts it in the middle.
    void bring(std::uint64_t index, bool middle = false);
    void toEnd();

protected:
    struct Head {
        double at;              ///< Left edge in unscaled pixels.
        QString text;
        double rightAt = 0;     ///< Where set, the text ends there.
    };
    void setHeads(std::vector<Head> heads) { heads_ = std::move(heads); }

    virtual void paintRow(QPainter& painter, int y, std::uint64_t index) = 0;
    [[nodiscard]] virtual QString emptyText() const = 0;
    [[nodiscard]] virtual int pitch() const;
    virtual void headClicked(double x) { (void)x; }
    /// The user is about to scroll back, or has moved the bar.
    virtual void aboutToScroll(bool back) { (void)back; }
    /// Before the rows are counted again.
    virtual void aboutToRefresh() {}

    [[nodiscard]] int headHeight() const;
    /// Row under a point of the viewport, or -1.
    [[nodiscard]] std::int64_t rowAt(const QPointF& point) const;

    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void scrollContentsBy(int dx, int dy) override;

private:
    [[nodiscard]] std::uint64_t lastTop() const;
    void updateScrollBar();
    void moveTo(std::int64_t index);

    std::vector<Head> heads_;
    std::uint64_t top_ = 0;
    std::uint64_t perStep_ = 1;     // rows for one step of the scroll bar, beyond 2^31 rows
    bool settingBar_ = false;
};

}  // namespace wavetrope::app
