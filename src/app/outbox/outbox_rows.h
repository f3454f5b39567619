// SPDX-License-Identifier: GPL-3.0-or-later
// The rows of the outbox, with the control that sends each.
#pragma once

#include <map>
#include <optional>
#include <set>
#include <vector>

#include "app/paint/row_list.h"
#include "app/parts/in_place.h"
#include "app/stage/outbox_look.h"

namespace wavetrope::app {

/// A row reads as a sentence: sends BladeCommand every 10 ms until told. The control at the left, and Enter, send the row, begin it or hold it;
/// of what is clicked or dragged nothing else sends. Values are typed where they stand; every edit can be undone.
class OutboxRows : public RowList {
    Q_OBJECT
public:
    OutboxRows(Stage& stage, QWidget* parent = nullptr);

    /// A line of the list: a group's head, or one of its rows.
    struct Entry {
        std::size_t group = 0;
        std::optional<std::size_t> row;  ///< Of the group; none for its head.
        std::size_t number = 0;  ///< Of the row, through all groups.
        [[nodiscard]] OutboxDesk::Place place() const { return {group, row.value_or(0)}; }
    };
    [[nodiscard]] const Entry& entry(std::size_t index) const { return entries_[index]; }
    [[nodiscard]] const OutboxLook& look() const { return look_; }
    /// Shows rows alone that have a text in them; all where it is empty.
    void setWanted(const QString& text);
    void rebuild();
    void lookAgain();

    [[nodiscard]] std::uint64_t count() const override { return entries_.size(); }
    [[nodiscard]] std::int64_t current() const override { return current_; }
    void choose(std::uint64_t index) override;
    /// Tab-separated: control, bus, message, when, how long, values, words, sent.
    [[nodiscard]] QString rowText(std::uint64_t index) const override;

    /// Places in the pixels of the viewport: the control (of a group: to start together), the button that holds a group, a value by its
    /// number, and what may be done about another sender of the same.
    [[nodiscard]] QRect controlOf(std::size_t index) const;
    [[nodiscard]] QRect holdOf(std::size_t index) const;
    [[nodiscard]] QRect valueOf(std::size_t index, std::size_t value) const;
    [[nodiscard]] QRect remedyOf(std::size_t index, std::size_t remedy) const;
    [[nodiscard]] QStringList remedies(std::size_t index) const;
    [[nodiscard]] InPlaceField* field() const { return field_; }

    /// What the control does. Who else sends it is asked for anew, unless that was done for many rows at once.
    void press(std::size_t index, bool asked = false);
    /// Enter: that of all chosen rows.
    void pressChosen();
    void edit(std::size_t index, std::size_t value);
    void takeRemedy(std::size_t index, std::size_t remedy);
    /// Rows that are chosen, in their order; without those of groups that are chosen alone.
    [[nodiscard]] std::vector<OutboxDesk::Place> chosen() const;
    /// In front of which place something goes that is put in here: behind the row in force.
    [[nodiscard]] OutboxDesk::Place behindCurrent() const;
    [[nodiscard]] unsigned busOfCurrent() const;
    void choosePlace(OutboxDesk::Place place);
    /// Names who else sends what a row sends, with what may be done.
    void ask(std::size_t number);
    void fillMenu(QMenu& menu);

Q_SIGNALS:
    /// Something could not be done: why.
    void refused(const QString& words);

protected:
    int pitch() const override;
    int tallOf(std::uint64_t index) const override;
    QString emptyText() const override;
    int linesUnder(std::uint64_t index) const override;
    void paintRow(QPainter& painter, int y, std::uint64_t index) override;
    void paintLine(QPainter& painter, int y, std::uint64_t index, int line) override;
    void paintEvent(QPaintEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override { event->accept(); }  // never sends
    void contextMenuEvent(QContextMenuEvent* event) override;
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dragMoveEvent(QDragMoveEvent* event) override;
    void dragLeaveEvent(QDragLeaveEvent* event) override;
    void dropEvent(QDropEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    bool event(QEvent* event) override;
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    static constexpr double messageAt = 108, valuePad = 4;  // in pixels of the usual scale

    void layHeads();
    [[nodiscard]] QRectF lineOf(std::size_t index) const;
    [[nodiscard]] QRectF controlIn(const QRectF& line) const;
    [[nodiscard]] std::pair<QRectF, QRectF> groupButtons(const QRectF& line) const;
    [[nodiscard]] std::vector<QRectF> valueBoxes(
        const QRectF& line, const std::vector<OutboxLook::Value>& values, std::size_t* left = nullptr) const;
    [[nodiscard]] std::vector<QRectF> remedyBoxes(const QRectF& line, const QStringList& words) const;
    void paintGroup(QPainter& painter, const QRectF& line, const Entry& entry, bool chosen);
    void paintValues(QPainter& painter, const QRectF& line, OutboxDesk::Place place) const;
    void paintCounts(QPainter& painter, const QRectF& line, OutboxDesk::Place place) const;
    void pressGroup(const Entry& entry, bool start);
    void fold(std::size_t group, bool folded);
    void editGroup(std::size_t index, const char* field);
    /// With `thenGo` it goes out under it at once: it was to go out.
    void editIdentifier(std::size_t index, bool thenGo);
    void step(double steps);
    void moveChosen(int by);
    void copyChosen() const;
    void paste();
    /// Where a drop at a point goes, and the height of the line that shows it.
    [[nodiscard]] OutboxDesk::Place dropAt(const QPointF& point, int* y = nullptr) const;
    void say(const Expected<void>& done);

    Stage& stage_;
    OutboxLook look_;
    std::vector<Entry> entries_;
    int current_ = -1;
    QString wanted_;
    std::set<std::string> folded_;  // groups by name
    std::map<std::size_t, std::vector<OutboxDesk::Other>> asks_;  // rows that were to go out, and who sends the same
    InPlaceField* field_;
    std::pair<OutboxDesk::Place, std::size_t> editing_{};  // row and value in the field
    QPointF pressedAt_;
    bool mayDrag_ = false;
    int dropLine_ = -1;
};

}  // namespace wavetrope::app
