// SPDX-License-Identifier: GPL-3.0-or-later
// The painted rows of the stream.
#pragma once

#include <unordered_set>

#include "app/paint/row_list.h"
#include "app/stage/stage.h"
#include "database/codec.h"
#include "trace/row_source.h"

namespace wavetrope::app {

class StreamView;

/// How the bytes of a payload are written.
enum class ByteText : std::uint8_t { hexadecimal, decimal, binary, text };

class StreamRows : public RowList {
    Q_OBJECT
public:
    explicit StreamRows(StreamView& view);

    /// The columns, in the order in which they usually stand.
    enum Column {
        clock,
        time,
        lasted,
        sinceSame,
        sinceShown,
        toCursor,
        bus,
        direction,
        kind,
        identifier,
        name,
        between,
        sender,
        length,
        code,
        bytes,
        note,
        values
    };

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
    /// The next or previous match of the filter that is marked on the timeline.
    void goToMatch(bool back);

    [[nodiscard]] ByteText byteText() const { return byteText_; }
    void setByteText(ByteText text);
    /// Whether the signals under a row are shown.
    [[nodiscard]] bool isOpen(trace::Row row) const { return open_.count(row) > 0; }
    /// What a line under a row says.
    [[nodiscard]] QString lineText(std::uint64_t index, int line) const;

protected:
    void contextMenuEvent(QContextMenuEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void paintRow(QPainter& painter, int y, std::uint64_t index) override;
    [[nodiscard]] QString emptyText() const override;
    void aboutToScroll(bool back) override;
    void aboutToRefresh() override;
    void fillHeadMenu(QMenu& menu, int kind) override;
    [[nodiscard]] bool opens(std::uint64_t index) const override;
    [[nodiscard]] int linesUnder(std::uint64_t index) const override;
    void open(std::uint64_t index, bool open) override;
    void paintLine(QPainter& painter, int y, std::uint64_t index, int line) override;
    void lineClicked(std::uint64_t index, int line) override;

private:
    struct Shown;
    /// What the cell under a place says, as a condition of a filter.
    [[nodiscard]] std::string conditionAt(double x, std::uint64_t index) const;
    /// What a cell says, but for what is only painted.
    [[nodiscard]] QString cellText(int column, const Shown& shown) const;
    [[nodiscard]] std::pair<QString, QString> wordsOf(const Shown& shown) const;
    [[nodiscard]] QString byteAt(can::Payload payload, std::size_t i) const;
    [[nodiscard]] double byteStep() const;
    [[nodiscard]] Shown shownAt(std::uint64_t index) const;
    void paintBytes(QPainter& painter, const QRectF& box, const Shown& shown) const;
    void askWhere();
    [[nodiscard]] trace::RowEntry entryAt(std::uint64_t index) const;
    [[nodiscard]] std::vector<database::Decoded> signalsOf(const Shown& shown) const;
    /// Rows of the frames that a row was put together from; none where it is one frame.
    [[nodiscard]] std::vector<trace::Row> piecesOf(std::uint64_t index) const;
    [[nodiscard]] QString pieceText(std::uint64_t index, trace::Row piece, trace::Row before) const;

    StreamView& view_;
    ByteText byteText_ = ByteText::hexadecimal;
    std::unordered_set<trace::Row> open_;
};

}  // namespace wavetrope::app
