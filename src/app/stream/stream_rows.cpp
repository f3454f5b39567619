// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stream/stream_rows.h"

#include <QActionGroup>
#include <QApplication>
#include <QClipboard>
#include <QContextMenuEvent>
#include <QDateTime>
#include <QInputDialog>
#include <QKeyEvent>
#include <QMenu>
#include <QMessageBox>
#include <QPainter>
#include <QScrollBar>

#include <algorithm>
#include <cmath>

#include "app/paint/paint.h"
#include "app/parts/notation.h"
#include "app/parts/text.h"
#include "app/stage/outbox_desk.h"
#include "app/stage/narrowing.h"
#include "app/stage/note_desk.h"
#include "app/stage/protocol_desk.h"
#include "app/stream/stream_view.h"
#include "app/theme/theme.h"
#include "can/error_words.h"
#include "base/time_text.h"
#include "protocol/describe.h"

namespace wavetrope::app {

namespace {

constexpr std::int64_t second = 1'000'000'000;

constexpr std::size_t mostPiecesShown = 2'000;

QString milliseconds(Time span) { return QString::number(static_cast<double>(span.count()) * 1e-6, 'f', 2); }

}  // namespace

// A row with what its cells need.
struct StreamRows::Shown {
    std::uint64_t index = 0;
    trace::RowEntry now;
    trace::RowEntry before;                 // the previous of the same identifier
    const database::CatalogMessage* message = nullptr;
    std::shared_ptr<const measure::Message> told;   // what a protocol makes of it, where rows are messages
    [[nodiscard]] bool speaks() const { return told != nullptr && told->head; }
};

StreamRows::StreamRows(StreamView& view) : view_(view)
{
    setObjectName(QStringLiteral("streamRows"));
    byteText_ = byteBase() == NumberBase::decimal ? ByteText::decimal : ByteText::hexadecimal;
    setAccessibleName(tr("Stream of frames"));
    setVerticalScrollBarPolicy(Qt::ScrollBarAlwaysOn);
    setColumns(Columns({
        {"clock", tr("date and time"), tr("Date and time, UTC"), 176, false},
        {"time", tr("time"), tr("Time since the start"), 88, true, false, false, QLatin1String(ColumnKind::ofTime)},
        {"lasted", tr("lasted"), tr("From its first frame to its last, where a message came in pieces"), 76, false, true, false,
            QStringLiteral("ms")},
        {"since same", tr("since same"), tr("Milliseconds since the previous frame of the same identifier"), 92, true, true, false,
            QStringLiteral("ms")},
        {"since shown", tr("since shown"), tr("Milliseconds since the frame shown above"), 98, false, true, false, QStringLiteral("ms")},
        {"to cursor", tr("to cursor"), tr("Time from the cursor"), 84, false, true, false, QLatin1String(ColumnKind::ofTime)},
        {"bus", tr("bus"), tr("Bus, by its letter"), 26},
        {"direction", tr("dir"), tr("Received, or sent from here"), 56, false},
        {"kind", tr("kind"), tr("Data, FD, remote or error"), 52, false},
        {"id", tr("id"), tr("Identifier"), 80},
        {"message", tr("message"), tr("Message of the signal database"), 114},
        {"between", tr("from, to"), tr("Who sends it, and to whom, where a higher protocol is spoken"), 150, false},
        {"sender", tr("sender"), tr("Node that sends it, by the signal database"), 100, false},
        {"length", tr("len"), tr("Payload bytes"), 30, false, true},
        {"code", tr("code"), tr("Data length code"), 36, false, true},
        {"bytes", tr("bytes"), tr("Payload; bytes that changed since the previous of the identifier stand out"), 190},
        {"note", tr("note"), tr("Note on the frame  (N)"), 140, false},
        {"signals", tr("signals"), tr("Signals in words; open the row for all of them"), 140, true, false, true},
    }));
}

std::uint64_t StreamRows::count() const { return view_.source().count(view_.stage().snapshot()); }

trace::Row StreamRows::rowOf(std::uint64_t index) const { return view_.source().row(index); }

std::uint64_t StreamRows::indexOf(trace::Row row) const { return view_.source().nearest(row); }

trace::RowEntry StreamRows::entryAt(std::uint64_t index) const { return view_.source().entry(view_.stage().snapshot(), index); }

std::int64_t StreamRows::current() const
{
    const trace::Row row = view_.stage().cursorRow();
    return count() == 0 ? -1 : row == trace::noRow ? 0 : static_cast<std::int64_t>(indexOf(row));
}

void StreamRows::choose(std::uint64_t index)
{
    const trace::RowEntry entry = entryAt(index);
    view_.stage().setCursorRow(entry.row);
    Selection selection;
    selection.kind = Selection::Kind::message;
    selection.bus = entry.head.bus;
    selection.id = entry.head.id;
    view_.stage().select(selection);
}

void StreamRows::aboutToRefresh()
{
    if (view_.stage().following())
        toEnd();
}

void StreamRows::showCursor()
{
    const trace::Row row = view_.stage().cursorRow();
    refresh();
    if (row != trace::noRow && !view_.stage().following())
        bring(indexOf(row), true);
}

void StreamRows::aboutToScroll(bool back)
{
    if (back && view_.stage().following() && view_.stage().document().isLive())
        view_.stage().rest();
}

void StreamRows::setByteText(ByteText text)
{
    byteText_ = text;
    viewport()->update();
    Q_EMIT columnsChanged();
}

void StreamRows::fillHeadMenu(QMenu& menu, int column)
{
    if (column >= 0 && column != bytes)
        return;
    QMenu* as = menu.addMenu(tr("Bytes as"));
    as->setObjectName(QStringLiteral("bytesMenu"));
    auto* group = new QActionGroup(as);
    int i = 0;
    for (const QString& words : {tr("hexadecimal"), tr("decimal"), tr("binary"), tr("text")}) {
        const auto text = static_cast<ByteText>(i++);
        QAction* action = as->addAction(words);
        action->setCheckable(true);
        action->setChecked(byteText_ == text);
        group->addAction(action);
        connect(action, &QAction::triggered, this, [this, text] { setByteText(text); });
    }
}

std::string StreamRows::conditionAt(double x, std::uint64_t index) const
{
    const Stage& stage = view_.stage();
    const Shown shown = shownAt(index);
    const can::FrameHead& frame = shown.now.head;
    const can::Payload payload = shown.now.payload;
    if (frame.kind == can::FrameKind::error)
        return "kind error";
    const int place = columns_.placeUnder(x);
    switch (place < 0 ? identifier : columns_.kindAt(static_cast<std::size_t>(place))) {
    case bus: return "bus " + quotedName(stage.catalog().busName(frame.bus));
    case direction:
        if (frame.direction != can::Direction::unknown)
            return frame.direction == can::Direction::sent ? "sent" : "received";
        break;
    case kind: return std::string("kind ") + can::toText(frame.kind);
    case name:
        if (shown.message != nullptr)
            return "name " + quotedName(shown.message->message->name);
        break;
    case sender:
    case values:
        if (shown.message != nullptr && !shown.message->message->sender.empty())
            return "from " + quotedName(shown.message->message->sender);
        break;
    case length:
    case code: return "length " + std::to_string(payload.size());
    case bytes: {
        const QRectF box = columns_.box(static_cast<std::size_t>(place), 0, 1);
        const auto byte = static_cast<unsigned>((x - box.left()) / byteStep());
        if (static_cast<double>(payload.size()) * byteStep() <= box.width() && byte < payload.size()) {
            char value[8];
            std::snprintf(value, sizeof value, "0x%02X", payload[byte]);
            return "byte " + std::to_string(byte) + " = " + value;
        }
        return "length " + std::to_string(payload.size());
    }
    default: break;
    }
    return "id " + can::toText(frame.id);
}

void StreamRows::contextMenuEvent(QContextMenuEvent* event)
{
    if (headMenu(event))
        return;
    const bool byKey = event->reason() == QContextMenuEvent::Keyboard;
    const std::int64_t index = byKey ? current() : rowAt(event->pos());
    if (index < 0 || static_cast<std::uint64_t>(index) >= count())
        return;
    const auto [first, last] = chosenRange();
    const bool several = first != last && static_cast<std::uint64_t>(index) >= first && static_cast<std::uint64_t>(index) <= last;
    if (!several)
        choose(static_cast<std::uint64_t>(index));
    const trace::Row row = rowOf(static_cast<std::uint64_t>(index));
    const double x = byKey ? columns_.box(0, 0, 1).left() - 1 : event->pos().x();
    const std::string condition = conditionAt(x, static_cast<std::uint64_t>(index));
    QMenu menu(this);
    menu.setObjectName(QStringLiteral("streamMenu"));
    addNarrowing(menu, *view_.filterLine(), condition);
    menu.addSeparator();
    const auto add = [&](const char* objectName, const QString& words, const QKeySequence& key, auto act) {
        QAction* action = menu.addAction(words);
        action->setObjectName(QLatin1String(objectName));
        action->setShortcut(key);
        connect(action, &QAction::triggered, this, act);
    };
    const bool isOpenNow = isOpen(row);
    add("openRow", isOpenNow ? tr("Close its signals") : tr("Open its signals"), isOpenNow ? Qt::Key_Left : Qt::Key_Right,
        [this, index, isOpenNow] { setOpen(static_cast<std::uint64_t>(index), !isOpenNow); });
    add("noteRow", tr("Note on this frame..."), Qt::Key_N,
        [this, row] { view_.stage().notes().ask(view_.stage().snapshot().time(row), row, this); });
    if (const can::FrameView frame = view_.stage().snapshot().frame(row); frame.kind != can::FrameKind::error) {
        add("sendRow", tr("Put this frame into the outbox"), {},
            [this, row] { view_.stage().outbox().addFrame(view_.stage().snapshot().frame(row)); });
        add("sendRowsMessage", tr("Put it into the outbox with its period"), {},
            [this, bus = frame.bus, id = frame.id] { view_.stage().outbox().addSeen(bus, id); });
    }
    menu.addSeparator();
    add("nextSame", tr("Next of this identifier"), QKeySequence(Qt::CTRL | Qt::Key_Down), [this, row] { goToSame(row, false); });
    add("previousSame", tr("Previous of this identifier"), QKeySequence(Qt::CTRL | Qt::Key_Up), [this, row] { goToSame(row, true); });
    if (view_.stage().matches() != nullptr) {
        add("nextMatch", tr("Next match of the filter"), Qt::Key_F3, [this] { goToMatch(false); });
        add("previousMatch", tr("Previous match of the filter"), QKeySequence(Qt::SHIFT | Qt::Key_F3), [this] { goToMatch(true); });
    }
    add("goTo", tr("Go to a time or row..."), QKeySequence(Qt::CTRL | Qt::Key_G), [this] { askWhere(); });
    menu.addSeparator();
    add("copyRows", several ? tr("Copy rows") : tr("Copy row"), QKeySequence::Copy,
        [this] { QApplication::clipboard()->setText(chosenText()); });
    fillHeadMenu(menu, -1);
    addColumnsMenu(menu);
    menu.exec(byKey ? viewport()->mapToGlobal(QPoint(Theme::get().px(170), headHeight())) : event->globalPos());
}

void StreamRows::goToSame(trace::Row row, bool back)
{
    const trace::Snapshot& snapshot = view_.stage().snapshot();
    if (row >= snapshot.rows())
        return;
    const trace::IdentifierIndex same = snapshot.identifier(row);
    const trace::Row found = back ? snapshot.previousOf(same, row) : snapshot.nextOf(same, row + 1);
    if (found == trace::noRow)
        return;
    view_.stage().setCursorRow(found);
    bring(indexOf(found), true);
}

void StreamRows::goToMatch(bool back)
{
    const BackgroundScan* matches = view_.stage().matches();
    const trace::Row row = view_.stage().cursorRow();
    if (matches == nullptr || matches->size() == 0)
        return;
    const std::uint64_t at = row == trace::noRow ? 0 : matches->lowerBound(back ? row : row + 1);
    if (back ? at == 0 : at >= matches->size())
        return;
    const trace::Row found = matches->row(back ? at - 1 : at);
    view_.stage().setCursorRow(found);
    bring(indexOf(found), true);
}

bool StreamRows::goTo(const QString& where)
{
    Stage& stage = view_.stage();
    const QString words = where.trimmed();
    if (words.startsWith(QLatin1String("row"), Qt::CaseInsensitive) || words.startsWith(QLatin1Char('#'))) {
        bool good = false;
        const qulonglong row = words.mid(words.startsWith(QLatin1Char('#')) ? 1 : 3).remove(QLatin1Char(',')).trimmed().toULongLong(&good);
        if (!good || row == 0 || row > stage.snapshot().rows())
            return false;
        stage.setCursorRow(row - 1);
        return true;
    }
    const auto span = spanFromText(words.toStdString());
    if (!span)
        return false;
    stage.setCursor(stage.document().begins() + *span);
    return true;
}

void StreamRows::askWhere()
{
    bool good = false;
    const QString where = QInputDialog::getText(
        this, tr("Go to"), tr("A time such as 12.5 s, counted from the start, or a row such as row 1234"), QLineEdit::Normal, {}, &good);
    if (good && !goTo(where))
        QMessageBox::information(this, tr("Go to"),
            tr("'%1': expected a time such as 12.5 s, or a row of 1 to %2 such as row 1234")
                .arg(where)
                .arg(countText(view_.stage().snapshot().rows())));
}

void StreamRows::keyPressEvent(QKeyEvent* event)
{
    const trace::Row row = view_.stage().cursorRow();
    if (event->modifiers() == Qt::ControlModifier && (event->key() == Qt::Key_Down || event->key() == Qt::Key_Up) && row != trace::noRow)
        return goToSame(row, event->key() == Qt::Key_Up);
    if (event->modifiers() == Qt::ControlModifier && event->key() == Qt::Key_G)
        return askWhere();
    if (event->key() == Qt::Key_M && event->modifiers() == Qt::NoModifier && view_.stage().protocols().anySpoken())
        return view_.setMessages(view_.messages() == nullptr);
    if (event->key() == Qt::Key_F3)
        return goToMatch((event->modifiers() & Qt::ShiftModifier) != 0);
    if (event->key() == Qt::Key_N && event->modifiers() == Qt::NoModifier && row != trace::noRow)
        return view_.stage().notes().ask(view_.stage().snapshot().time(row), row, this);
    RowList::keyPressEvent(event);
}

QString StreamRows::emptyText() const
{
    return view_.messages() != nullptr ? tr("No message passes so far. Press M for frames.")
           : view_.scan() != nullptr   ? tr("No frame passes this filter so far.")
                                       : tr("No frames yet. Press Start in the run bar, or open a log with Ctrl+O.");
}

// There is nothing under a row that was let go.
bool StreamRows::opens(std::uint64_t index) const { return !view_.stage().document().trace().isGone(rowOf(index)); }

StreamRows::Shown StreamRows::shownAt(std::uint64_t index) const
{
    const trace::Snapshot& snapshot = view_.stage().snapshot();
    Shown shown;
    shown.index = index;
    shown.now = view_.source().entry(snapshot, index);
    shown.before = view_.source().previous(snapshot, index);
    shown.message = view_.stage().catalog().find(shown.now.head);
    if (const MessageSource* messages = view_.messages(); messages != nullptr && shown.now.row != trace::noRow)
        shown.told = messages->message(snapshot, shown.now.row);
    // The bytes of an object are not those of the frames that carry it.
    if (shown.speaks() && (shown.told->head->kind == protocol::Kind::serviceRead || shown.told->head->kind == protocol::Kind::serviceWrite))
        shown.message = nullptr;
    return shown;
}

QString StreamRows::byteAt(can::Payload payload, std::size_t i) const
{
    const std::uint8_t byte = payload[i];
    switch (byteText_) {
    case ByteText::decimal: return QString::number(byte);
    case ByteText::binary: return QStringLiteral("%1").arg(byte, 8, 2, QLatin1Char('0'));
    case ByteText::text: return byte >= 0x20 && byte < 0x7F ? QString(QLatin1Char(static_cast<char>(byte))) : QStringLiteral(".");
    case ByteText::hexadecimal: break;
    }
    return QStringLiteral("%1").arg(byte, 2, 16, QLatin1Char('0')).toUpper();
}

double StreamRows::byteStep() const
{
    constexpr double steps[] = {23, 29, 62, 10};
    return Theme::get().px(steps[static_cast<unsigned>(byteText_)]);
}

// What it is and what it says in its protocol's own words.
std::pair<QString, QString> StreamRows::wordsOf(const Shown& shown) const
{
    const auto described = protocol::describe(shown.told->row(),
        view_.stage().protocols().dictionaryOf(shown.now.head.bus, *shown.told->head), view_.stage().document().databases().names.get());
    return {text(described.what), text(described.value)};
}

QString StreamRows::cellText(int column, const Shown& shown) const
{
    Stage& stage = view_.stage();
    const can::FrameHead& frame = shown.now.head;
    const can::Payload payload = shown.now.payload;
    switch (column) {
    case clock: return dateText(frame.time);
    case time: return timeText(stage.seconds(frame.time), 6);
    case sinceSame: return shown.before.row == trace::noRow ? QString() : milliseconds(frame.time - shown.before.head.time);
    case sinceShown: return shown.index == 0 ? QString() : milliseconds(frame.time - stage.snapshot().time(rowOf(shown.index - 1)));
    case toCursor: return timeText(static_cast<double>((frame.time - stage.cursor()).count()) / second, 6);
    case bus: return QString::fromStdString(stage.document().buses()[frame.bus].name);
    case direction: return QLatin1String(can::toText(frame.direction));
    case kind:
        return frame.kind == can::FrameKind::fd ? QStringLiteral("FD") + (frame.brs ? QStringLiteral(" brs") : QString())
                                                      + (frame.esi ? QStringLiteral(" esi") : QString())
                                                : QString::fromLatin1(can::toText(frame.kind));
    case identifier:
        return stage.document().trace().isGone(shown.now.row) ? QString()
               : frame.kind == can::FrameKind::error          ? tr("error frame")
                                                              : QString::fromStdString(can::toText(frame.id));
    case name:
        if (stage.document().trace().isGone(shown.now.row))
            return tr("let go: memory was full, and the disk did not take it");
        if (frame.kind == can::FrameKind::error) {
            can::FrameView whole;
            static_cast<can::FrameHead&>(whole) = frame;
            whole.data = payload.data();
            return QString::fromStdString(can::errorWords(whole));
        }
        return shown.message != nullptr               ? QString::fromStdString(shown.message->message->name)
               : shown.speaks()                       ? wordsOf(shown).first
               : frame.kind == can::FrameKind::remote ? tr("remote request")
                                                      : tr("undefined");
    case sender: return shown.message != nullptr ? QString::fromStdString(shown.message->message->sender) : QString();
    case between: return shown.speaks() ? stage.protocols().betweenWords(frame.bus, *shown.told->head) : QString();
    case lasted: return shown.now.frames > 1 ? milliseconds(shown.told->lasted) : QString();
    case length: return QString::number(payload.size());
    case code: return shown.now.frames == 1 ? QString::number(frame.dlc) : QString();
    case bytes: {
        QStringList all;
        for (std::size_t i = 0; i < payload.size(); ++i)
            all << byteAt(payload, i);
        return all.join(byteText_ == ByteText::text ? QString() : QStringLiteral(" "));
    }
    case note: {
        const rig::Note* found = stage.notes().notes().at(shown.now.row);
        return found != nullptr ? QString::fromStdString(found->text) : QString();
    }
    case values:
        return shown.message != nullptr ? signalWords(*shown.message, payload, Theme::get().body(), 1e9)
               : shown.speaks()         ? wordsOf(shown).second
                                        : QString();
    default: return {};
    }
}

QString StreamRows::rowText(std::uint64_t index) const
{
    if (rowOf(index) >= view_.stage().snapshot().rows())
        return {};
    const Shown shown = shownAt(index);
    QStringList cells;
    for (std::size_t i = 0; i < columns_.count(); ++i)
        cells << cellText(columns_.kindAt(i), shown);
    return cells.join(QLatin1Char('\t'));
}

void StreamRows::paintBytes(QPainter& painter, const QRectF& box, const Shown& shown) const
{
    // Bytes that changed stand out; of payloads that do not fit, the run that changed is shown.
    const Theme& theme = Theme::get();
    const can::Payload payload = shown.now.payload;
    const double step = byteStep();
    const QFont mono = theme.mono();
    const QFont strong = theme.mono(10.5, QFont::Bold);
    const auto room = static_cast<std::size_t>(std::max(1.0, (box.width() + 4) / step));
    const auto changed = [&](std::size_t i) {
        return shown.before.row != trace::noRow && i < shown.before.payload.size() && shown.before.payload[i] != payload[i];
    };
    std::size_t first = 0;
    std::size_t fit = payload.size();
    if (payload.size() > room) {
        fit = std::max<std::size_t>(1, room - 1);
        while (first + fit < payload.size() && !changed(first))
            ++first;
        if (first + fit >= payload.size())
            first = 0;
    }
    for (std::size_t i = 0; i < fit; ++i)
        paintText(painter, QRectF(box.left() + static_cast<double>(i) * step, box.top(), step, box.height()), byteAt(payload, first + i),
            changed(first + i) ? strong : mono, changed(first + i) ? theme.ink : theme.ink3);
    if (payload.size() > fit)
        paintText(painter, QRectF(box.left() + static_cast<double>(fit) * step, box.top(), theme.px(44), box.height()),
            QStringLiteral("+%1").arg(payload.size() - fit), mono, theme.ink3);
}

void StreamRows::paintRow(QPainter& painter, int y, std::uint64_t index)
{
    const Theme& theme = Theme::get();
    Stage& stage = view_.stage();
    const Shown shown = shownAt(index);
    const can::FrameHead& frame = shown.now.head;
    const int height = theme.rowHeight();
    const int width = viewport()->width();
    if (!stage.following() && shown.now.row == stage.cursorRow())
        painter.fillRect(QRectF(2, y, width - 4, height), theme.accentSoft);
    if (stage.notes().notes().at(shown.now.row) != nullptr)   // a mark at the edge, whether the column is shown or not
        painter.fillRect(QRectF(0, y + 2, theme.px(3), height - 4), theme.accent);
    if (stage.document().trace().isGone(shown.now.row))
        return paintText(painter, QRectF(columns_.box(0, y, height).left(), y, width - theme.px(24), height), cellText(name, shown),
            theme.body(), theme.ink3);
    const QFont mono = theme.mono();
    // What was chosen, here or elsewhere, is written stronger wherever it comes.
    const bool chosen = frame.kind != can::FrameKind::error && stage.selection().names(frame.bus, frame.id);
    const bool error = frame.kind == can::FrameKind::error;
    const Qt::Alignment right = Qt::AlignRight | Qt::AlignVCenter;
    for (std::size_t place = 0; place < columns_.count(); ++place) {
        const QRectF box = columns_.box(place, y, height);
        if (box.right() < 0 || box.left() > width)
            continue;
        const int column = columns_.kindAt(place);
        switch (column) {
        case bus: {
            const double badge = theme.px(14);
            paintBusBadge(painter, QRectF(box.left(), y + (height - badge) / 2, badge, badge), view_.stage().mark(frame.bus));
            break;
        }
        case identifier:
            if (error)
                paintText(painter, QRectF(box.left(), box.top(), std::max(box.width(), double(theme.px(90))), height),
                    cellText(column, shown), theme.bodyStrong(), theme.error);
            else
                paintText(painter, box, cellText(column, shown), chosen ? theme.mono(10.5, QFont::Bold) : mono, theme.ink);
            break;
        case name:
            paintText(painter, box, cellText(column, shown), chosen ? theme.bodyStrong() : theme.body(),
                shown.message != nullptr || shown.speaks() ? theme.ink : theme.ink3);
            break;
        case bytes: paintBytes(painter, box, shown); break;
        case values:
            if (shown.message != nullptr)
                paintText(
                    painter, box, signalWords(*shown.message, shown.now.payload, theme.body(), box.width()), theme.body(), theme.ink2);
            else if (shown.speaks())
                paintText(painter, box, cellText(column, shown), theme.body(), theme.ink2);
            break;
        case time:
        case clock: paintText(painter, box, cellText(column, shown), mono, theme.ink); break;
        case sinceSame:
        case sinceShown:
        case toCursor:
        case lasted:
        case length:
        case code: paintText(painter, box, cellText(column, shown), mono, theme.ink2, right); break;
        default: paintText(painter, box, cellText(column, shown), theme.body(), theme.ink2); break;
        }
    }
}

std::vector<database::Decoded> StreamRows::signalsOf(const Shown& shown) const
{
    std::vector<database::Decoded> decoded;
    if (shown.message != nullptr)
        shown.message->plan.decode(shown.now.payload, decoded);
    return decoded;
}

std::vector<trace::Row> StreamRows::piecesOf(std::uint64_t index) const
{
    const MessageSource* messages = view_.messages();
    const trace::Row row = rowOf(index);
    if (messages == nullptr || row >= view_.stage().snapshot().rows())
        return {};
    auto pieces = messages->message(view_.stage().snapshot(), row)->pieces;
    if (pieces.size() > mostPiecesShown)
        pieces.resize(mostPiecesShown);
    return pieces;
}

// Its signals, and the frames that it came in.
int StreamRows::linesUnder(std::uint64_t index) const
{
    if (open_.empty() || index >= count() || !isOpen(rowOf(index)))
        return 0;
    return std::max(1, static_cast<int>(signalsOf(shownAt(index)).size() + piecesOf(index).size()));
}

void StreamRows::open(std::uint64_t index, bool shallOpen)
{
    if (shallOpen)
        open_.insert(rowOf(index));
    else
        open_.erase(rowOf(index));
}

QString StreamRows::pieceText(std::uint64_t index, trace::Row piece, trace::Row before) const
{
    const trace::Snapshot& snapshot = view_.stage().snapshot();
    const Shown shown = shownAt(index);
    const can::FrameView frame = snapshot.frame(piece);
    return QStringList{timeText(view_.stage().seconds(frame.time), 6),
        before == trace::noRow ? QString() : QLatin1Char('+') + milliseconds(frame.time - snapshot.time(before)) + QStringLiteral(" ms"),
        text(can::toText(frame.id)), shown.speaks() ? text(protocol::pieceWords(*shown.told->head, frame.id, frame.payload())) : QString(),
        text(protocol::bytesWords(frame.payload(), can::maxLength))}
        .join(QLatin1Char('\t'));
}

QString StreamRows::lineText(std::uint64_t index, int line) const
{
    const Shown shown = shownAt(index);
    const auto decoded = signalsOf(shown);
    const auto at = static_cast<std::size_t>(line);
    if (at < decoded.size()) {
        const database::Signal& signal = shown.message->message->signals[decoded[at].signal];
        return text(signal.name) + QLatin1Char('\t') + signalParts(*shown.message, decoded[at]).join(QLatin1Char('\t'));
    }
    const auto pieces = piecesOf(index);
    const std::size_t piece = at - decoded.size();
    if (piece < pieces.size())
        return pieceText(index, pieces[piece], piece == 0 ? trace::noRow : pieces[piece - 1]);
    return shown.speaks() ? wordsOf(shown).second : tr("no definition: its signals are not known");
}

void StreamRows::paintLine(QPainter& painter, int y, std::uint64_t index, int line)
{
    const Theme& theme = Theme::get();
    const int height = theme.rowHeight();
    const double left = theme.px(40) - horizontalScrollBar()->value();
    const Shown shown = shownAt(index);
    const auto decoded = signalsOf(shown);
    painter.fillRect(QRectF(0, y, viewport()->width(), height), theme.raised);
    if (static_cast<std::size_t>(line) < decoded.size())
        return paintSignalLine(
            painter, QRectF(left, y, viewport()->width() - left, height), *shown.message, decoded[static_cast<std::size_t>(line)]);
    const QStringList cells = lineText(index, line).split(QLatin1Char('\t'));
    if (cells.size() < 5)
        return paintText(painter, QRectF(left, y, theme.px(400), height), cells.join(QLatin1Char(' ')), theme.body(), theme.ink3);
    // A frame under its message: when, how long behind the one before, what it does, its bytes.
    constexpr double widths[] = {88, 76, 88, 100, 400};
    double x = left;
    for (int i = 0; i < cells.size(); ++i) {
        const double width = theme.px(widths[i]);
        paintText(painter, QRectF(x, y, width, height), cells[i], i == 3 ? theme.body() : theme.mono(), theme.ink2,
            i == 1 ? Qt::AlignRight | Qt::AlignVCenter : Qt::AlignLeft | Qt::AlignVCenter);
        x += width + theme.px(12);
    }
}

void StreamRows::lineClicked(std::uint64_t index, int line)
{
    const Shown shown = shownAt(index);
    const auto decoded = signalsOf(shown);
    const auto at = static_cast<std::size_t>(line);
    if (at < decoded.size()) {
        choose(index);
        Selection selection;
        selection.kind = Selection::Kind::signal;
        selection.bus = shown.now.head.bus;
        selection.id = shown.now.head.id;
        selection.signal = static_cast<int>(decoded[at].signal);
        view_.stage().select(selection);
        return;
    }
    const auto pieces = piecesOf(index);
    if (at - decoded.size() < pieces.size())
        view_.stage().setCursorRow(pieces[at - decoded.size()]);
    else
        choose(index);
}

}  // namespace wavetrope::app
