#include "app/roster/roster_view.h"

#include <QApplication>
#include <QContextMenuEvent>
#include <QDrag>
#include <QMenu>
#include <QMimeData>
#include <QPainter>
#include <QVBoxLayout>

#include <algorithm>

#include "app/paint/paint.h"
#include "app/shell/narrowing.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

constexpr double badgeAt = 10, idAt = 34, messageAt = 108, beatsAt = 222, periodAt = 336, bitsAt = 412, newestAt = 590;

bool isSilent(const measure::IdentifierMoment& moment, can::Time cycle, can::Time at)
{
    const can::Time beat = cycle.count() > 0 ? cycle : moment.period;
    return beat.count() > 0 && at - moment.beats.back() > beat * 4 && at - moment.beats.back() > std::chrono::milliseconds(500);
}

QString periodText(can::Time period)
{
    const double ms = static_cast<double>(period.count()) * 1e-6;
    if (ms <= 0)
        return {};
    if (ms < 100)
        return QString::number(ms, 'f', 1) + QStringLiteral(" ms");
    if (ms < 10000)
        return QString::number(ms, 'f', 0) + QStringLiteral(" ms");
    return QString::number(ms / 1000, 'f', 1) + QStringLiteral(" s");
}

}  // namespace

RosterRows::RosterRows(RosterView& view) : view_(view)
{
    setObjectName(QStringLiteral("rosterRows"));
    setAccessibleName(tr("Roster of identifiers"));
    setHeads({{idAt, tr("id")}, {messageAt, tr("message")}, {beatsAt, tr("last beats")}, {periodAt, tr("period"), bitsAt - 12}, {bitsAt, tr("bits")}, {newestAt, tr("newest")}});
}

int RosterRows::pitch() const { return Theme::get().rowHeight() + 1; }

void RosterRows::rebuild()
{
    const trace::Snapshot& snapshot = view_.stage().snapshot();
    if (!snapshot.valid())
        return;
    known_ = snapshot.trace().identifierCount();
    shown_.clear();
    const filter::Filter& filter = view_.filterLine()->filter();
    for (trace::IdentifierIndex i = 0; i < known_; ++i)
        if (filter.verdict(snapshot.trace().key(i)) != filter::Verdict::never)
            shown_.push_back(i);
    const auto& catalog = view_.stage().catalog();
    const auto& trace = snapshot.trace();
    const auto nameOf = [&](trace::IdentifierIndex i) {
        const auto* message = trace.key(i).error ? nullptr : catalog.find(trace.key(i).bus, trace.key(i).id);
        return message != nullptr ? message->message->name : std::string("~");
    };
    const auto cycleOf = [&](trace::IdentifierIndex i) {
        return view_.stage().document().measures().read([&](const measure::MeasureState& s) { return i < s.identifiers.size() ? s.identifiers[i].meanPeriod() : can::Time{0}; });
    };
    std::stable_sort(shown_.begin(), shown_.end(), [&](trace::IdentifierIndex a, trace::IdentifierIndex b) {
        const trace::TraceKey& ka = trace.key(a);
        const trace::TraceKey& kb = trace.key(b);
        if (order_ == Order::name)
            return nameOf(a) < nameOf(b);
        if (order_ == Order::period)
            return cycleOf(a) < cycleOf(b);
        return std::tuple(ka.bus, ka.error, ka.id.extended, ka.id.value) < std::tuple(kb.bus, kb.error, kb.id.extended, kb.id.value);
    });
    view_.filterLine()->setResult(tr("%1 of %2 identifiers").arg(shown_.size()).arg(known_));
}

void RosterRows::aboutToRefresh()
{
    if (view_.stage().snapshot().valid() && view_.stage().snapshot().trace().identifierCount() != known_)
        rebuild();
}

std::int64_t RosterRows::current() const
{
    const Selection& selection = view_.stage().selection();
    if (selection.kind != Selection::Kind::message && selection.kind != Selection::Kind::signal)
        return -1;
    for (std::size_t i = 0; i < shown_.size(); ++i) {
        const trace::TraceKey& key = view_.stage().snapshot().trace().key(shown_[i]);
        if (key.bus == selection.bus && key.id == selection.id && !key.error)
            return static_cast<std::int64_t>(i);
    }
    return -1;
}

void RosterRows::choose(std::uint64_t index)
{
    const trace::TraceKey& key = view_.stage().snapshot().trace().key(shown_[index]);
    Selection selection;
    selection.kind = Selection::Kind::message;
    selection.bus = key.bus;
    selection.id = key.id;
    view_.stage().select(selection);
}

void RosterRows::headClicked(double x)
{
    const Theme& theme = Theme::get();
    order_ = x < theme.px(messageAt) ? Order::identifier : x < theme.px(beatsAt) ? Order::name : x >= theme.px(periodAt) && x < theme.px(bitsAt) ? Order::period : order_;
    rebuild();
    viewport()->update();
}

void RosterRows::mousePressEvent(QMouseEvent* event)
{
    pressedAt_ = event->position().toPoint();
    RowList::mousePressEvent(event);
}

void RosterRows::contextMenuEvent(QContextMenuEvent* event)
{
    const bool byKey = event->reason() == QContextMenuEvent::Keyboard;
    const std::int64_t index = byKey ? current() : rowAt(event->pos());
    if (index < 0 || static_cast<std::uint64_t>(index) >= count())
        return;
    choose(static_cast<std::uint64_t>(index));
    const trace::TraceKey& key = view_.stage().snapshot().trace().key(shown_[static_cast<std::size_t>(index)]);
    const Theme& theme = Theme::get();
    const auto* message = key.error ? nullptr : view_.stage().catalog().find(key.bus, key.id);
    const int x = byKey ? theme.px(idAt) : event->pos().x();
    std::string condition = key.error ? "kind error" : "id " + can::toText(key.id);
    if (x < theme.px(idAt))
        condition = "bus " + quotedName(view_.stage().catalog().busName(key.bus));
    else if (x >= theme.px(messageAt) && x < theme.px(beatsAt) && message != nullptr)
        condition = "name " + quotedName(message->message->name);
    else if (x >= theme.px(newestAt) && message != nullptr && !message->message->sender.empty())
        condition = "from " + quotedName(message->message->sender);
    QMenu menu(this);
    menu.setObjectName(QStringLiteral("rosterMenu"));
    addNarrowing(menu, *view_.filterLine(), condition);
    menu.addSeparator();
    connect(menu.addAction(tr("Show only these frames in the stream")), &QAction::triggered, this, [this, condition] { Q_EMIT view_.stage().filterWanted(QString::fromStdString(condition)); });
    menu.exec(byKey ? viewport()->mapToGlobal(QPoint(theme.px(idAt), headHeight())) : event->globalPos());
}

QString RosterRows::emptyText() const { return known_ == 0 ? tr("No frames yet. Press Start in the run bar, or open a log with Ctrl+O.") : tr("No identifier passes this filter."); }

void RosterRows::mouseMoveEvent(QMouseEvent* event)
{
    // A row dragged onto the lanes plots its first signal.
    const std::int64_t index = current();
    if (!(event->buttons() & Qt::LeftButton) || index < 0 || (event->position().toPoint() - pressedAt_).manhattanLength() < QApplication::startDragDistance())
        return;
    const trace::TraceKey& key = view_.stage().snapshot().trace().key(shown_[static_cast<std::size_t>(index)]);
    const auto* message = view_.stage().catalog().find(key.bus, key.id);
    if (message == nullptr || message->message->signals.empty())
        return;
    auto* mime = new QMimeData;
    mime->setData(QLatin1String(signalMime), signalPath(view_.stage().catalog(), {message, 0}).toUtf8());
    auto* drag = new QDrag(this);
    drag->setMimeData(mime);
    drag->exec(Qt::CopyAction);
}

QString RosterRows::rowText(std::uint64_t index) const
{
    Stage& stage = view_.stage();
    const trace::TraceKey& key = stage.snapshot().trace().key(shown_[index]);
    const auto moment = measure::momentOf(stage.snapshot(), shown_[index], stage.cursorRow() == trace::noRow ? 0 : stage.cursorRow() + 1, 2);
    const auto* message = key.error ? nullptr : stage.catalog().find(key.bus, key.id);
    QByteArray bytes;
    if (moment.row != trace::noRow) {
        const can::FrameView frame = stage.snapshot().frame(moment.row);
        bytes = QByteArray(reinterpret_cast<const char*>(frame.data), frame.length).toHex(' ').toUpper();
    }
    return QStringList{QString::fromStdString(stage.document().buses()[key.bus].name), QString::fromStdString(can::toText(key.id)), message != nullptr ? QString::fromStdString(message->message->name) : QString(),
                       periodText(moment.period), QString::fromLatin1(bytes)}
        .join(QLatin1Char('\t'));
}

void RosterRows::paintRow(QPainter& painter, int y, std::uint64_t index)
{
    const trace::IdentifierIndex identifier = shown_[index];
    const Theme& theme = Theme::get();
    Stage& stage = view_.stage();
    const trace::Snapshot& snapshot = stage.snapshot();
    const trace::TraceKey& key = snapshot.trace().key(identifier);
    const int height = theme.rowHeight();
    const int width = viewport()->width();
    const auto box = [&](double from, double to) { return QRectF(theme.px(from), y, theme.px(to - from), height); };
    const Selection& selection = stage.selection();
    const bool selected = (selection.kind == Selection::Kind::message || selection.kind == Selection::Kind::signal) && key.bus == selection.bus && key.id == selection.id && !key.error;
    if (selected)
        painter.fillRect(QRectF(2, y, width - 4, height), theme.accentSoft);
    const double badge = theme.px(14);
    paintBusBadge(painter, QRectF(theme.px(badgeAt), y + (height - badge) / 2, badge, badge), key.bus);
    const auto* message = key.error ? nullptr : stage.catalog().find(key.bus, key.id);
    const trace::Row limit = stage.cursorRow() == trace::noRow ? 0 : stage.cursorRow() + 1;
    const measure::IdentifierMoment moment = measure::momentOf(snapshot, identifier, limit);
    const bool seen = moment.row != trace::noRow;
    const can::Time cycle = message != nullptr ? message->message->cycleTime : can::Time{0};
    const bool silent = seen && isSilent(moment, cycle, stage.cursor());
    const QColor ink = !seen || silent ? theme.ink3 : theme.ink;
    if (key.error) {
        paintText(painter, box(idAt, beatsAt), tr("error frames"), theme.bodyStrong(), theme.error);
    } else {
        paintText(painter, box(idAt, messageAt - 4), QString::fromStdString(can::toText(key.id)), theme.mono(), ink);
        if (message != nullptr) {
            paintText(painter, box(messageAt, beatsAt - 8), QString::fromStdString(message->message->name), selected ? theme.bodyStrong() : theme.body(), ink);
        } else {
            paintText(painter, box(messageAt, beatsAt - 8), tr("undefined"), theme.body(), theme.ink3);
            paintWarning(painter, QPointF(theme.px(messageAt + 62), y + height / 2.0), theme.px(9));
        }
    }
    if (seen) {
        const can::FrameView frame = snapshot.frame(moment.row);
        paintRhythm(painter, box(beatsAt, beatsAt + 104), moment.beats, cycle, stage.cursor());
        const can::Time mean = moment.beats.size() > 2 ? (moment.beats.back() - moment.beats.front()) / static_cast<std::int64_t>(moment.beats.size() - 1) : moment.period;
        paintText(painter, box(periodAt, bitsAt - 12), silent ? tr("silent %1 s").arg(static_cast<double>((stage.cursor() - moment.beats.back()).count()) * 1e-9, 0, 'f', 1) : periodText(mean), theme.mono(), silent && cycle.count() > 0 ? theme.error : ink,
                  Qt::AlignRight | Qt::AlignVCenter);
        const measure::BitMask ever = stage.document().measures().read([&](const measure::MeasureState& s) { return identifier < s.identifiers.size() ? s.identifiers[identifier].changed : measure::BitMask{}; });
        paintBitLattice(painter, box(bitsAt, newestAt - 12), frame.data, frame.length, moment.changedLately, ever);
        if (message != nullptr) {
            const double room = width - theme.px(newestAt) - theme.px(6);
            paintText(painter, QRectF(theme.px(newestAt), y, room, height), signalWords(*message, frame, theme.body(), room), theme.body(), silent ? theme.ink3 : theme.ink);
        } else if (!key.error) {
            paintText(painter, QRectF(theme.px(newestAt), y, width - theme.px(newestAt), height), tr("no definition"), theme.body(), theme.ink3);
        }
    } else {
        paintText(painter, box(beatsAt, periodAt), tr("not yet seen"), theme.body(), theme.ink3);
    }
}

RosterView::RosterView(Stage& stage) : View(stage), filterLine_(new FilterLine(tr("Filter, e.g. not bus Scanner"))), rows_(new RosterRows(*this))
{
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(rows_);
    setFocusProxy(rows_);
    filterLine_->setNamed(stage.document().rig().namedFilters());
    filterLine_->setCatalog(stage.document().catalog());
    connect(filterLine_, &FilterLine::keepWanted, this, [this](const QString& name, const QString& text) { keepFilter(this->stage(), name, text); });
    connect(filterLine_, &FilterLine::filterChanged, this, [this] {
        rows_->rebuild();
        rows_->refresh();
        Q_EMIT setUpChanged();
    });
    const auto refresh = [this] {
        if (isVisible())
            rows_->refresh();
    };
    connect(&stage, &Stage::beat, this, refresh);
    connect(&stage, &Stage::axisChanged, this, refresh);
    connect(&stage, &Stage::selectionChanged, this, [this, refresh] {
        refresh();
        if (const std::int64_t at = rows_->current(); at >= 0)
            rows_->bring(static_cast<std::uint64_t>(at));
    });
    const auto catalogChanged = [this] {
        filterLine_->setNamed(this->stage().document().rig().namedFilters());
        filterLine_->setCatalog(this->stage().document().catalog());
        rows_->rebuild();
        rows_->refresh();
    };
    connect(&stage, &Stage::becameReady, this, catalogChanged);
    connect(&stage, &Stage::catalogChanged, this, catalogChanged);
    connect(&stage, &Stage::filtersChanged, this, catalogChanged);
}

nlohmann::json RosterView::save() const
{
    return {{"filter", filterLine_->text().toStdString()}};
}

void RosterView::restore(const nlohmann::json& setUp)
{
    if (setUp.contains("filter") && setUp["filter"].is_string())
        filterLine_->setText(QString::fromStdString(setUp["filter"].get<std::string>()));
}

}  // namespace wavetrope::app
