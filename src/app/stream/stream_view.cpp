#include "app/stream/stream_view.h"

#include <QPainter>
#include <QVBoxLayout>

#include <algorithm>
#include <cmath>

#include "app/paint/paint.h"
#include "app/theme/theme.h"

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
    filterLine_->setCatalog(stage.document().catalog());
    connect(filterLine_, &FilterLine::filterChanged, this, &StreamView::onFilter);
    connect(&stage, &Stage::beat, this, &StreamView::onBeat);
    connect(&stage, &Stage::axisChanged, rows_, &StreamRows::showCursor);
    const auto catalogChanged = [this] {
        filterLine_->setCatalog(this->stage().document().catalog());
        rows_->refresh();
    };
    connect(&stage, &Stage::becameReady, this, catalogChanged);
    connect(&stage, &Stage::catalogChanged, this, catalogChanged);
    connect(&stage, &Stage::filterWanted, this, [this](const QString& text) { filterLine_->setText(text); });
}

void StreamView::onFilter()
{
    scan_.reset();
    if (!filterLine_->filter().passesEverything())
        scan_ = std::make_unique<BackgroundScan>(filterLine_->filter());
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
