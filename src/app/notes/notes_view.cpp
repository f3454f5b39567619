// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/notes/notes_view.h"

#include <QContextMenuEvent>
#include <QKeyEvent>
#include <QMenu>
#include <QPainter>
#include <QVBoxLayout>

#include "app/paint/paint.h"
#include "app/paint/row_list.h"
#include "app/parts/notation.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

class NotesView::Rows : public RowList {
public:
    explicit Rows(NotesView& view) : view_(view)
    {
        setObjectName(QStringLiteral("noteRows"));
        setAccessibleName(NotesView::tr("Notes of the run"));
        setHeads({{12, NotesView::tr("time"), 0, true}, {112, NotesView::tr("row")}, {190, NotesView::tr("note")}});
    }
    std::uint64_t count() const override { return view_.shown_.size(); }
    std::int64_t current() const override
    {
        for (std::size_t i = 0; i < view_.shown_.size(); ++i)
            if (view_.shown_[i].uid == view_.chosen_)
                return static_cast<std::int64_t>(i);
        return -1;
    }
    void choose(std::uint64_t index) override { view_.choose(static_cast<int>(index)); }
    QString rowText(std::uint64_t index) const override
    {
        const rig::Note& note = view_.shown_[index];
        return QStringList{timeText(view_.stage().seconds(note.time), 6),
            note.row == trace::noRow ? QString() : QString::number(note.row + 1), QString::fromStdString(note.text)}
            .join(QLatin1Char('\t'));
    }

protected:
    QString emptyText() const override
    {
        return view_.stage().notes().notes().all().empty()
                   ? NotesView::tr("No notes yet. Press N on a frame of the stream, or here for a note on the moment of the cursor.")
                   : NotesView::tr("No note has these words in it.");
    }
    void paintRow(QPainter& painter, int y, std::uint64_t index) override
    {
        const Theme& theme = Theme::get();
        const rig::Note& note = view_.shown_[index];
        const int height = theme.rowHeight();
        if (note.uid == view_.chosen_)
            painter.fillRect(QRectF(2, y, rowWidth() - 4, height), theme.accentSoft);
        paintText(
            painter, QRectF(theme.px(12), y, theme.px(92), height), timeText(view_.stage().seconds(note.time), 6), theme.mono(), theme.ink);
        paintText(painter, QRectF(theme.px(112), y, theme.px(72), height),
            note.row == trace::noRow ? NotesView::tr("moment") : countText(note.row + 1),
            note.row == trace::noRow ? theme.body() : theme.mono(), theme.ink2);
        paintText(painter, QRectF(theme.px(190), y, rowWidth() - theme.px(196), height), QString::fromStdString(note.text), theme.body(),
            theme.ink);
    }
    void keyPressEvent(QKeyEvent* event) override
    {
        const std::int64_t at = current();
        if (event->key() == Qt::Key_N && event->modifiers() == Qt::NoModifier)
            return view_.stage().notes().ask(view_.stage().cursor(), trace::noRow, this);
        if (at >= 0 && event->key() == Qt::Key_Delete)
            return view_.stage().notes().remove(view_.shown_[static_cast<std::size_t>(at)].uid);
        if (at >= 0 && (event->key() == Qt::Key_F2 || event->key() == Qt::Key_Return))
            return change(static_cast<std::size_t>(at));
        RowList::keyPressEvent(event);
    }
    void mouseDoubleClickEvent(QMouseEvent* event) override
    {
        if (const std::int64_t at = rowAt(event->position()); at >= 0)
            change(static_cast<std::size_t>(at));
    }
    void contextMenuEvent(QContextMenuEvent* event) override
    {
        QMenu menu(this);
        menu.addAction(NotesView::tr("Note on the moment of the cursor...\tN"), this,
            [this] { view_.stage().notes().ask(view_.stage().cursor(), trace::noRow, this); });
        if (const std::int64_t at = current(); at >= 0) {
            menu.addAction(NotesView::tr("Change...\tF2"), this, [this, at] { change(static_cast<std::size_t>(at)); });
            menu.addAction(NotesView::tr("Take away\tDel"), this,
                [this, at] { view_.stage().notes().remove(view_.shown_[static_cast<std::size_t>(at)].uid); });
        }
        menu.exec(event->globalPos());
    }

private:
    void change(std::size_t index)
    {
        const rig::Note note = view_.shown_[index];
        view_.stage().notes().ask(note.time, note.row, this);
    }
    NotesView& view_;
};

NotesView::NotesView(Stage& stage) : View(stage), search_(new QLineEdit), rows_(new Rows(*this))
{
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(rows_);
    setFocusProxy(rows_);
    search_->setPlaceholderText(tr("Search the notes"));
    search_->setToolTip(tr("Shows the notes that have these words in them"));
    search_->setObjectName(QStringLiteral("noteSearch"));
    connect(search_, &QLineEdit::textChanged, this, &NotesView::refresh);
    connect(&stage.notes(), &NoteDesk::changed, this, &NotesView::refresh);
    connect(&stage, &Stage::becameReady, this, &NotesView::refresh);
    refresh();
}

void NotesView::refresh()
{
    shown_.clear();
    for (const rig::Note* note : stage().notes().notes().search(search_->text().toStdString()))
        shown_.push_back(*note);
    rows_->refresh();
}

void NotesView::choose(int index)
{
    if (index < 0 || static_cast<std::size_t>(index) >= shown_.size())
        return;
    const rig::Note note = shown_[static_cast<std::size_t>(index)];
    chosen_ = note.uid;
    if (note.row != trace::noRow)
        stage().setCursorRow(note.row);
    else
        stage().setCursor(note.time);
    rows_->viewport()->update();
}

}  // namespace wavetrope::app
