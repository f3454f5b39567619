#include "app/stream/stream_view.h"

#include <QApplication>
#include <QClipboard>
#include <QContextMenuEvent>
#include <QInputDialog>
#include <QKeyEvent>
#include <QMenu>
#include <QMessageBox>
#include <QPainter>
#include <QVBoxLayout>

#include <algorithm>
#include <cmath>

#include "app/paint/paint.h"
#include "app/shell/narrowing.h"
#include "app/theme/theme.h"
#include "can/time_text.h"

namespace wavetrope::app {

namespace {

// Left edges of the columns in unscaled pixels.
constexpr double timeAt = 12, sinceAt = 92, badgeAt = 148, idAt = 172, messageAt = 242, bytesAt = 362, signalsAt = 556;

constexpr unsigned bytesShown = 8;
constexpr int searchingAgain = 60;  // ms

}  // namespace

StreamRows::StreamRows(StreamView& view) : view_(view)
{
    setObjectName(QStringLiteral("streamRows"));
    setAccessibleName(tr("Stream of frames"));
    setVerticalScrollBarPolicy(Qt::ScrollBarAlwaysOn);
    setHeads({{timeAt, tr("time")}, {sinceAt, tr("since same")}, {idAt, tr("id")}, {messageAt, tr("message")}, {bytesAt, tr("bytes")}, {signalsAt, tr("signals")}});
}

std::uint64_t StreamRows::count() const
{
    return view_.scan() != nullptr ? view_.scan()->size() : view_.stage().snapshot().rows();
}

trace::Row StreamRows::rowOf(std::uint64_t index) const
{
    return view_.scan() != nullptr ? view_.scan()->row(index) : index;
}

std::uint64_t StreamRows::indexOf(trace::Row row) const
{
    if (view_.scan() == nullptr)
        return row;
    const std::size_t at = view_.scan()->lowerBound(row);
    return at < view_.scan()->size() && view_.scan()->row(at) == row ? at : at > 0 ? at - 1 : 0;
}

std::int64_t StreamRows::current() const
{
    const trace::Row row = view_.stage().cursorRow();
    return count() == 0 ? -1 : row == trace::noRow ? 0 : static_cast<std::int64_t>(indexOf(row));
}

void StreamRows::choose(std::uint64_t index)
{
    const trace::Row row = rowOf(index);
    const can::FrameView frame = view_.stage().snapshot().frame(row);
    view_.stage().setCursorRow(row);
    Selection selection;
    selection.kind = Selection::Kind::message;
    selection.bus = frame.bus;
    selection.id = frame.id;
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

std::string StreamRows::conditionAt(double x, std::uint64_t index) const
{
    const Theme& theme = Theme::get();
    const Stage& stage = view_.stage();
    const can::FrameView frame = stage.snapshot().frame(rowOf(index));
    if (frame.kind == can::FrameKind::error)
        return "kind error";
    const auto* message = stage.catalog().find(frame);
    if (x >= theme.px(badgeAt) && x < theme.px(idAt))
        return "bus " + quotedName(stage.catalog().busName(frame.bus));
    if (x >= theme.px(messageAt) && x < theme.px(bytesAt) && message != nullptr)
        return "name " + quotedName(message->message->name);
    if (x >= theme.px(signalsAt) && message != nullptr && !message->message->sender.empty())
        return "from " + quotedName(message->message->sender);
    if (x >= theme.px(bytesAt) && x < theme.px(signalsAt)) {
        const auto byte = static_cast<unsigned>((x - theme.px(bytesAt)) / theme.px(23));
        if (frame.length <= bytesShown && byte < frame.length) {
            char value[8];
            std::snprintf(value, sizeof value, "0x%02X", frame.data[byte]);
            return "byte " + std::to_string(byte) + " = " + value;
        }
        return "length " + std::to_string(frame.length);
    }
    return "id " + can::toText(frame.id);
}

void StreamRows::contextMenuEvent(QContextMenuEvent* event)
{
    const bool byKey = event->reason() == QContextMenuEvent::Keyboard;
    const std::int64_t index = byKey ? current() : rowAt(event->pos());
    if (index < 0 || static_cast<std::uint64_t>(index) >= count())
        return;
    choose(static_cast<std::uint64_t>(index));
    const trace::Row row = rowOf(static_cast<std::uint64_t>(index));
    const std::string condition = conditionAt(byKey ? Theme::get().px(idAt) : event->pos().x(), static_cast<std::uint64_t>(index));
    QMenu menu(this);
    menu.setObjectName(QStringLiteral("streamMenu"));
    addNarrowing(menu, *view_.filterLine(), condition);
    menu.addSeparator();
    const auto go = [&](const QString& name, const QString& words, const QKeySequence& key, bool back) {
        QAction* action = menu.addAction(words);
        action->setObjectName(name);
        action->setShortcut(key);
        connect(action, &QAction::triggered, this, [this, row, back] { goToSame(row, back); });
    };
    go(QStringLiteral("nextSame"), tr("Next of this identifier"), QKeySequence(Qt::CTRL | Qt::Key_Down), false);
    go(QStringLiteral("previousSame"), tr("Previous of this identifier"), QKeySequence(Qt::CTRL | Qt::Key_Up), true);
    QAction* to = menu.addAction(tr("Go to a time or row..."));
    to->setShortcut(QKeySequence(Qt::CTRL | Qt::Key_G));
    connect(to, &QAction::triggered, this, &StreamRows::askWhere);
    QAction* copied = menu.addAction(tr("Copy row"));
    copied->setShortcut(QKeySequence::Copy);
    connect(copied, &QAction::triggered, this, [this, index] { QApplication::clipboard()->setText(rowText(static_cast<std::uint64_t>(index))); });
    menu.exec(byKey ? viewport()->mapToGlobal(QPoint(Theme::get().px(idAt), headHeight())) : event->globalPos());
}

void StreamRows::goToSame(trace::Row row, bool back)
{
    const trace::Snapshot& snapshot = view_.stage().snapshot();
    if (row >= snapshot.rows())
        return;
    const trace::IdentifierIndex identifier = snapshot.identifier(row);
    const trace::Row found = back ? snapshot.previousOf(identifier, row) : snapshot.nextOf(identifier, row + 1);
    if (found == trace::noRow)
        return;
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
    const auto span = can::spanFromText(words.toStdString());
    if (!span)
        return false;
    stage.setCursor(stage.document().begins() + *span);
    return true;
}

void StreamRows::askWhere()
{
    bool good = false;
    const QString where = QInputDialog::getText(this, tr("Go to"), tr("A time such as 12.5 s, counted from the start, or a row such as row 1234"), QLineEdit::Normal, {}, &good);
    if (good && !goTo(where))
        QMessageBox::information(this, tr("Go to"), tr("'%1': expected a time such as 12.5 s, or a row of 1 to %2 such as row 1234").arg(where).arg(countText(view_.stage().snapshot().rows())));
}

void StreamRows::keyPressEvent(QKeyEvent* event)
{
    const trace::Row row = view_.stage().cursorRow();
    if (event->modifiers() == Qt::ControlModifier && (event->key() == Qt::Key_Down || event->key() == Qt::Key_Up) && row != trace::noRow)
        return goToSame(row, event->key() == Qt::Key_Up);
    if (event->modifiers() == Qt::ControlModifier && event->key() == Qt::Key_G)
        return askWhere();
    RowList::keyPressEvent(event);
}

QString StreamRows::emptyText() const
{
    return view_.scan() != nullptr ? tr("No frame passes this filter so far.") : tr("No frames yet. Press Start in the run bar, or open a log with Ctrl+O.");
}

QString StreamRows::rowText(std::uint64_t index) const
{
    const trace::Row row = rowOf(index);
    const can::FrameView frame = view_.stage().snapshot().frame(row);
    const auto* message = view_.stage().catalog().find(frame);
    const QByteArray bytes = QByteArray(reinterpret_cast<const char*>(frame.data), frame.length).toHex(' ').toUpper();
    return QStringList{secondsText(view_.stage().seconds(frame.time), 6), QString::fromStdString(view_.stage().document().buses()[frame.bus].name),
                       QLatin1String(can::toText(frame.direction)), QLatin1String(can::toText(frame.kind)), QString::fromStdString(can::toText(frame.id)),
                       message != nullptr ? QString::fromStdString(message->message->name) : QString(), QString::number(frame.length), QString::fromLatin1(bytes)}
        .join(QLatin1Char('\t'));
}

void StreamRows::paintRow(QPainter& painter, int y, std::uint64_t index)
{
    const Theme& theme = Theme::get();
    Stage& stage = view_.stage();
    const trace::Row row = rowOf(index);
    const trace::Snapshot& snapshot = stage.snapshot();
    const can::FrameView frame = snapshot.frame(row);
    const int height = theme.rowHeight();
    const int width = viewport()->width();
    const auto box = [&](double from, double to) { return QRectF(theme.px(from), y, theme.px(to - from), height); };
    if (!stage.following() && row == stage.cursorRow())
        painter.fillRect(QRectF(2, y, width - 4, height), theme.accentSoft);
    const QFont mono = theme.mono();
    paintText(painter, box(timeAt, sinceAt - 4), secondsText(stage.seconds(frame.time), 6), mono, theme.ink);
    const trace::Row before = snapshot.previousOf(snapshot.identifier(row), row);
    can::FrameView previous;
    if (before != trace::noRow) {
        previous = snapshot.frame(before);
        paintText(painter, box(sinceAt, badgeAt - 6), QString::number(static_cast<double>((frame.time - previous.time).count()) * 1e-6, 'f', 2), mono, theme.ink2, Qt::AlignRight | Qt::AlignVCenter);
    }
    const double badge = theme.px(14);
    paintBusBadge(painter, QRectF(theme.px(badgeAt), y + (height - badge) / 2, badge, badge), frame.bus);
    const bool error = frame.kind == can::FrameKind::error;
    if (error) {
        paintText(painter, box(idAt, bytesAt - 6), tr("error frame"), theme.bodyStrong(), theme.error);
    } else {
        paintText(painter, box(idAt, messageAt - 4), QString::fromStdString(can::toText(frame.id)), mono, theme.ink);
        const auto* message = stage.catalog().find(frame);
        const QString name = message != nullptr ? QString::fromStdString(message->message->name) : frame.kind == can::FrameKind::remote ? tr("remote request") : tr("undefined");
        paintText(painter, box(messageAt, bytesAt - 6), name, theme.body(), message != nullptr ? theme.ink : theme.ink3);
        if (message != nullptr) {
            const double room = width - theme.px(signalsAt) - theme.px(14);
            const QString text = signalWords(*message, frame, theme.body(), room);
            paintText(painter, QRectF(theme.px(signalsAt), y, room, height), text, theme.body(), theme.ink2);
        }
    }
    // Bytes, those that changed strong. Long payloads show the run that changed.
    const QFont strong = theme.mono(10.5, QFont::Bold);
    const double step = theme.px(23);
    unsigned first = 0;
    const auto changed = [&](unsigned i) { return before != trace::noRow && i < previous.length && previous.data[i] != frame.data[i]; };
    if (frame.length > bytesShown)
        while (first + bytesShown - 1 < frame.length && !changed(first))
            ++first;
    if (first + bytesShown - 1 >= frame.length)
        first = 0;
    const unsigned shown = frame.length > bytesShown ? bytesShown - 1 : frame.length;
    for (unsigned i = 0; i < shown; ++i)
        paintText(painter, QRectF(theme.px(bytesAt) + i * step, y, step, height), QStringLiteral("%1").arg(frame.data[first + i], 2, 16, QLatin1Char('0')).toUpper(), changed(first + i) ? strong : mono,
                  changed(first + i) ? theme.ink : theme.ink3);
    if (frame.length > shown)
        paintText(painter, QRectF(theme.px(bytesAt) + shown * step, y, step + 6, height), QStringLiteral("+%1").arg(frame.length - shown), mono, theme.ink3);
}

StreamView::StreamView(Stage& stage) : View(stage), filterLine_(new FilterLine(tr("Filter, e.g. from WaterUnit and not id 0x702"))), rows_(new StreamRows(*this))
{
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(rows_);
    setFocusProxy(rows_);
    filterLine_->setNamed(stage.document().rig().namedFilters());
    filterLine_->setCatalog(stage.document().catalog());
    connect(filterLine_, &FilterLine::filterChanged, this, &StreamView::onFilter);
    connect(&stage, &Stage::beat, this, &StreamView::onBeat);
    connect(&stage, &Stage::axisChanged, rows_, &StreamRows::showCursor);
    const auto catalogChanged = [this] {
        filterLine_->setNamed(this->stage().document().rig().namedFilters());
        filterLine_->setCatalog(this->stage().document().catalog());
        rows_->refresh();
    };
    connect(&stage, &Stage::becameReady, this, catalogChanged);
    connect(&stage, &Stage::catalogChanged, this, catalogChanged);
    connect(&stage, &Stage::filtersChanged, this, catalogChanged);
    connect(filterLine_, &FilterLine::keepWanted, this, [this](const QString& name, const QString& text) { keepFilter(this->stage(), name, text); });
    connect(&stage, &Stage::filterWanted, this, [this](const QString& text) { filterLine_->setText(text); });
}

StreamView::~StreamView()
{
    if (stage().matches() == scan_.get())
        stage().setMatches(nullptr);
}

void StreamView::onFilter()
{
    stage().setMatches(nullptr);
    scan_.reset();
    if (!filterLine_->filter().passesEverything())
        scan_ = std::make_unique<BackgroundScan>(filterLine_->filter(), stage().document().begins());
    stage().setMatches(scan_.get());
    onBeat();
    rows_->showCursor();
    Q_EMIT setUpChanged();
}

void StreamView::onBeat()
{
    const trace::Snapshot& snapshot = stage().snapshot();
    if (scan_) {
        scan_->update(snapshot);
        const bool done = scan_->seen() >= snapshot.rows() || stage().following();
        if (!done)
            Q_EMIT stage().matchesChanged();
        if (!done)  // a log brings no further beats: look again by itself
            QTimer::singleShot(searchingAgain, this, &StreamView::onBeat);
        filterLine_->setResult(done ? tr("%1 frames match").arg(countText(scan_->size())) : tr("%1 frames match, searching").arg(countText(scan_->size())));
    } else {
        filterLine_->setResult(tr("%1 frames").arg(countText(snapshot.rows())));
    }
    if (isVisible())
        rows_->refresh();
}

nlohmann::json StreamView::save() const
{
    return {{"filter", filterLine_->text().toStdString()}};
}

void StreamView::restore(const nlohmann::json& setUp)
{
    if (setUp.contains("filter") && setUp["filter"].is_string())
        filterLine_->setText(QString::fromStdString(setUp["filter"].get<std::string>()));
}

}  // namespace wavetrope::app
