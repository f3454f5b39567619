// SPDX-License-Identifier: GPL-3.0-or-later
// Rows that are painted for what is on the screen, whatever their number.
#pragma once

#include <QAbstractScrollArea>
#include <QMenu>
#include <QString>

#include <cstdint>
#include <vector>

#include "app/paint/columns.h"

namespace wavetrope::app {

/// Scrolling, keys, copying and column heads of a painted list. Up to 2^63 rows under one scroll bar. A row may be open:
/// then further lines stand under it.
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
    /// Rows that fit whole where none is open, at least 1.
    [[nodiscard]] int visibleRows() const;
    /// Looks again at the count and paints.
    void refresh();
    /// Scrolls as little as brings a row into sight, or puts it in the middle.
    void bring(std::uint64_t index, bool middle = false);
    void toEnd();
    /// Shows the rows in grey: they are no longer what is asked for.
    void setStale(bool stale);

    /// Columns that the user arranges; none for a list with fixed heads.
    [[nodiscard]] const Columns& columns() const { return columns_; }
    void restoreColumns(const nlohmann::json& kept);
    void showColumn(int kind, bool on);
    /// Middle of a head, and the place where its width is changed.
    [[nodiscard]] QPoint headCentre(int place) const;
    [[nodiscard]] QPoint headEdge(int place) const;

    /// First and last of the rows that were chosen together, with Shift; both the row in force where there is only one.
    [[nodiscard]] std::pair<std::uint64_t, std::uint64_t> chosenRange() const;
    /// What the chosen rows say, behind a line with the heads where they are several.
    [[nodiscard]] QString chosenText() const;
    /// What all rows say, a line of heads in front, separated by tabs; so many at most.
    [[nodiscard]] QString allText(std::uint64_t most) const;

    /// Opens or closes the lines under a row.
    void setOpen(std::uint64_t index, bool open);

Q_SIGNALS:
    void columnsChanged();

protected:
    struct Head {
        double at;              ///< Left edge in unscaled pixels.
        QString text;
        double rightAt = 0;     ///< Where set, the text ends there.
        bool time = false;      ///< Followed by the unit in which times are written.
    };
    /// Fixed heads. Where the view is narrower than `least` (unscaled pixels), the rows are moved sideways under it.
    void setHeads(std::vector<Head> heads, double least = 0)
    {
        heads_ = std::move(heads);
        least_ = least;
        if (least > 0)
            setHorizontalScrollBarPolicy(Qt::ScrollBarAsNeeded);
    }
    /// Width that a row of a list with fixed heads has to fill.
    [[nodiscard]] int rowWidth() const;
    void setColumns(Columns columns);
    /// Marks the head that the rows are sorted by.
    void setSorted(int kind, bool descending)
    {
        sortedKind_ = kind;
        descending_ = descending;
    }

    virtual void paintRow(QPainter& painter, int y, std::uint64_t index) = 0;
    [[nodiscard]] virtual QString emptyText() const = 0;
    [[nodiscard]] virtual int pitch() const;
    /// Height of a row without the lines under it; each of these is as tall as `pitch`.
    [[nodiscard]] virtual int tallOf(std::uint64_t index) const
    {
        (void)index;
        return pitch();
    }
    /// A click on a head: the place in unscaled pixels of fixed heads, the kind of a column.
    virtual void headClicked(int kind) { (void)kind; }
    /// The user is about to scroll back, or has moved the bar.
    virtual void aboutToScroll(bool back) { (void)back; }
    /// Before the rows are counted again.
    virtual void aboutToRefresh() {}
    /// Further entries for the menu of the heads.
    virtual void fillHeadMenu(QMenu& menu, int kind)
    {
        (void)menu;
        (void)kind;
    }

    /// Whether a row can be opened, how many lines stand under it, and what they show. Line 0 is the first.
    [[nodiscard]] virtual bool opens(std::uint64_t index) const
    {
        (void)index;
        return false;
    }
    [[nodiscard]] virtual int linesUnder(std::uint64_t index) const
    {
        (void)index;
        return 0;
    }
    virtual void open(std::uint64_t index, bool open)
    {
        (void)index;
        (void)open;
    }
    virtual void paintLine(QPainter& painter, int y, std::uint64_t index, int line)
    {
        (void)painter;
        (void)y;
        (void)index;
        (void)line;
    }
    virtual void lineClicked(std::uint64_t index, int line)
    {
        (void)index;
        (void)line;
    }

    [[nodiscard]] int headHeight() const;
    /// Row under a point of the viewport, or -1; `line` of those under it, or -1 for the row itself.
    [[nodiscard]] std::int64_t rowAt(const QPointF& point, int* line = nullptr) const;
    /// The menu of the heads, where a menu was asked for on them.
    bool headMenu(QContextMenuEvent* event);
    void addColumnsMenu(QMenu& menu);
    void paintOpener(QPainter& painter, int y, bool open) const;

    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void scrollContentsBy(int dx, int dy) override;
    void contextMenuEvent(QContextMenuEvent* event) override;
    bool viewportEvent(QEvent* event) override;

    Columns columns_;

private:
    [[nodiscard]] std::uint64_t lastTop() const;
    [[nodiscard]] int heightOf(std::uint64_t index) const { return tallOf(index) + pitch() * linesUnder(index); }
    [[nodiscard]] bool inSight(std::uint64_t index) const;
    /// First row of a view that ends with a row.
    [[nodiscard]] std::uint64_t topFor(std::uint64_t last) const;
    void updateScrollBar();
    void moveTo(std::int64_t index, bool extend = false);
    void paintHeads(QPainter& painter);
    void tell();

    double least_ = 0;
    std::vector<Head> heads_;
    std::uint64_t top_ = 0;
    bool stale_ = false;
    std::uint64_t perStep_ = 1;     // rows for one step of the scroll bar, beyond 2^31 rows
    bool settingBar_ = false;
    std::int64_t anchor_ = -1;      // of rows that are chosen together
    enum class Gesture { none, size, move } gesture_ = Gesture::none;
    int gestureColumn_ = -1;
    QPoint gestureFrom_;
    QPoint gestureAt_;
    double gestureWidth_ = 0;
    bool gestureMoved_ = false;
    int sortedKind_ = -1;
    bool descending_ = false;
};

}  // namespace wavetrope::app
