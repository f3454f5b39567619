// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/nodes/nodes_view.h"

#include <QContextMenuEvent>
#include <QHBoxLayout>
#include <QCoreApplication>
#include <QHelpEvent>
#include <QKeyEvent>
#include <QLabel>
#include <QMenu>
#include <QPainter>
#include <QPushButton>
#include <QScrollBar>
#include <QToolTip>
#include <QWheelEvent>

#include <algorithm>

#include "app/paint/paint.h"
#include "app/parts/edit_times.h"
#include "app/parts/elided_label.h"
#include "app/stage/selection_menu.h"
#include "app/theme/theme.h"
#include "database/codec.h"
#include "rig/places.h"

namespace wavetrope::app {

namespace {

constexpr double nodeBadgeAt = 12, nameAt = 34, pillAt = 160, stateAt = 262, barsAt = 420, leastBars = 80;
constexpr Time barSpan = std::chrono::seconds(20);
constexpr double nodeHeadHeight = 20, pitch = 22;
constexpr double nodeSeenAt = 160, nodeFramesAt = 250, heardAt = 332;     // columns of a log
constexpr unsigned stretches = 160;
constexpr Time silentAfter = std::chrono::seconds(1);

class PlaceCommand : public QUndoCommand {
public:
    PlaceCommand(Stage& stage, const QString& node, rig::NodePlace before, rig::NodePlace next)
        : QUndoCommand(next == rig::NodePlace::simulated ? QObject::tr("put %1 back").arg(node) : QObject::tr("take %1 out").arg(node)),
          stage_(stage),
          node_(node),
          before_(before),
          next_(next)
    {}
    void undo() override { apply(before_); }
    void redo() override { apply(next_); }

private:
    void apply(rig::NodePlace place)
    {
        rig::Session* session = stage_.document().session();
        if (session == nullptr)
            return;
        Expected<std::string> was;
        session->call([&](rig::Session& run) { was = rig::setPlace(run, node_.toStdString(), place); });
        if (!was)
            Q_EMIT stage_.told(QString::fromStdString(was.error().what));
        else if (!was->empty())
            Q_EMIT stage_.told(
                QObject::tr("%1 is %2 now. It was %3").arg(node_, QString::fromUtf8(rig::toText(place)), QString::fromStdString(*was)));
    }
    Stage& stage_;
    QString node_;
    rig::NodePlace before_, next_;
};

}  // namespace

NodesView::NodesView(Stage& stage)
    : View(stage),
      tools_(new QWidget),
      facts_(new ElidedLabel(tools_)),
      all_(new QPushButton(tr("All nodes"), tools_)),
      bar_(new QScrollBar(Qt::Vertical, this))
{
    auto* row = new QHBoxLayout(tools_);
    row->setContentsMargins(0, 0, 0, 0);
    row->addWidget(facts_, 1);
    row->addWidget(all_);
    all_->setObjectName(QStringLiteral("allNodes"));
    all_->setToolTip(tr("Where all nodes are: simulated, played back, outside or off"));
    all_->setVisible(stage.document().isLive());
    auto* places = new QMenu(all_);
    for (const rig::NodePlace place : rig::allPlaces)
        places->addAction(placeWords(place), this, [this, place] { putAll(place); });
    all_->setMenu(places);
    EditTimes::follow(undo_);
    setObjectName(QStringLiteral("nodes"));
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    setAccessibleName(tr("Simulated nodes"));
    connect(&stage, &Stage::beat, this, &NodesView::refresh);
    connect(&stage, &Stage::selectionChanged, this, [this] { update(); });
    connect(&stage, &Stage::axisChanged, this, [this] {
        if (!this->stage().document().isLive())
            refresh();
    });
    Theme::writeInBody(facts_);
    bar_->setFocusPolicy(Qt::NoFocus);
    bar_->setSingleStep(Theme::get().px(pitch));
    bar_->hide();
    connect(bar_, &QScrollBar::valueChanged, this, [this] { update(); });
}

void NodesView::layBar()
{
    const int head = Theme::get().px(nodeHeadHeight);
    const int content = static_cast<int>(rowCount()) * Theme::get().px(pitch);
    bar_->setRange(0, std::max(0, content - (height() - head)));
    bar_->setPageStep(std::max(1, height() - head));
    bar_->setGeometry(width() - Theme::get().px(9), head, Theme::get().px(9), std::max(0, height() - head));
    bar_->setVisible(bar_->maximum() > 0);
}

void NodesView::resizeEvent(QResizeEvent* event)
{
    View::resizeEvent(event);
    layBar();
}

void NodesView::refresh()
{
    if (!isVisible())
        return;
    if (stage().document().session() == nullptr)
        return refreshLog();
    reports_ = stage().document().session()->nodeReports();
    std::array<int, 4> count{};
    for (const rig::NodeReport& report : reports_)
        ++count[static_cast<std::size_t>(report.place)];
    QString facts = tr("%1 simulated, %2 played back").arg(count[0]).arg(count[1]);
    if (count[2] > 0)
        facts += tr(", %1 outside").arg(count[2]);
    if (count[3] > 0)
        facts += tr(", %1 off").arg(count[3]);
    facts_->setText(facts);
    layBar();
    update();
}

void NodesView::refreshLog()
{
    const trace::Snapshot& snapshot = stage().snapshot();
    if (!snapshot.valid())
        return;
    const trace::Row limit = stage().cursorRow() == trace::noRow ? 0 : stage().cursorRow() + 1;
    senders_ = measure::sendersAt(
        snapshot, stage().order(), stage().catalog(), limit, stage().cursor() - barSpan, stage().cursor() + Time(1), stretches);
    const auto heard = std::count_if(senders_.begin(), senders_.end(), [](const measure::SenderMoment& s) { return s.seen > 0; });
    facts_->setText(tr("%1 of %2 heard up to the cursor").arg(heard).arg(senders_.size()));
    layBar();
    update();
}

std::size_t NodesView::rowCount() const { return stage().document().isLive() ? reports_.size() : senders_.size(); }

bool NodesView::refusesNow(const rig::NodeReport& report, Time at)
{
    return std::any_of(
        report.refused.begin(), report.refused.end(), [&](const auto& entry) { return at - entry.second.time < silentAfter; });
}

QString NodesView::refusedText(const rig::NodeReport& report)
{
    QStringList lines;
    for (const auto& [signal, refused] : report.refused)
        lines << (std::isnan(refused.value)
                      ? tr("%1 refused what is not a number, and kept what was sent before; %2 times").arg(QString::fromStdString(signal))
                      : tr("%1 refused %2, which its bits cannot hold; %3 times")
                            .arg(QString::fromStdString(signal), QString::fromStdString(database::numberText(refused.value, 9))))
                     .arg(refused.count);
    return lines.join(QLatin1Char('\n'));
}

QString NodesView::nodeOf(std::size_t index) const
{
    return QString::fromStdString(stage().document().isLive() ? reports_[index].name : senders_[index].node);
}

double NodesView::rowTop(std::size_t index) const
{
    return Theme::get().px(nodeHeadHeight) + static_cast<double>(index) * Theme::get().px(pitch) - bar_->value();
}

void NodesView::wheelEvent(QWheelEvent* event)
{
    QCoreApplication::sendEvent(bar_, event);
    event->accept();
}

QRectF NodesView::pillOf(const QString& node) const
{
    const Theme& theme = Theme::get();
    for (std::size_t i = 0; i < reports_.size(); ++i)
        if (reports_[i].name == node.toStdString())
            return QRectF(theme.px(pillAt), rowTop(i) + theme.px(2), theme.px(86), theme.px(18));
    return {};
}

QString NodesView::placeWords(rig::NodePlace place)
{
    switch (place) {
    case rig::NodePlace::simulated: return tr("Simulated here");
    case rig::NodePlace::playedBack: return tr("Played back from the log");
    case rig::NodePlace::outside: return tr("Outside: on the bench, or in another room");
    default: return tr("Off: nobody sends for it");
    }
}

void NodesView::put(const QString& node, rig::NodePlace place)
{
    if (stage().document().session() == nullptr)
        return;
    for (const rig::NodeReport& report : stage().document().session()->nodeReports())
        if (QString::fromStdString(report.name) == node && report.place != place)
            undo_.push(new PlaceCommand(stage(), node, report.place, place));
    refresh();
}

void NodesView::setSimulated(const QString& node, bool on) { put(node, on ? rig::NodePlace::simulated : rig::NodePlace::outside); }

void NodesView::putAll(rig::NodePlace place)
{
    if (stage().document().session() == nullptr)
        return;
    undo_.beginMacro(tr("all nodes"));
    for (const rig::NodeReport& report : stage().document().session()->nodeReports())
        put(QString::fromStdString(report.name), place);
    undo_.endMacro();
}

void NodesView::simulateAllBut(const QString& node)
{
    if (stage().document().session() == nullptr)
        return;
    undo_.beginMacro(node.isEmpty() ? tr("simulate all") : tr("simulate all but %1").arg(node));
    for (const rig::NodeReport& report : stage().document().session()->nodeReports())
        setSimulated(QString::fromStdString(report.name), QString::fromStdString(report.name) != node);
    undo_.endMacro();
}

void NodesView::choose(int index)
{
    if (index < 0 || index >= static_cast<int>(rowCount()))
        return;
    Selection selection;
    selection.kind = Selection::Kind::node;
    selection.node = nodeOf(static_cast<std::size_t>(index));
    if (!stage().document().isLive())
        selection.bus = senders_[static_cast<std::size_t>(index)].bus;
    stage().select(selection);
    // Into sight.
    const int top = index * Theme::get().px(pitch);
    bar_->setValue(std::clamp(bar_->value(), top + Theme::get().px(pitch) - bar_->pageStep(), top));
}

int NodesView::indexAt(const QPointF& at) const
{
    const double top = Theme::get().px(nodeHeadHeight);
    const int index = static_cast<int>((at.y() + bar_->value() - top) / Theme::get().px(pitch));
    return at.y() < top || index >= static_cast<int>(rowCount()) ? -1 : index;
}

int NodesView::chosen() const
{
    // In a log a node has a row for each bus that it sends on.
    int found = -1;
    for (std::size_t i = 0; i < rowCount() && stage().selection().kind == Selection::Kind::node; ++i) {
        if (nodeOf(i) != stage().selection().node)
            continue;
        if (found < 0 || (!stage().document().isLive() && senders_[i].bus == stage().selection().bus))
            found = static_cast<int>(i);
    }
    return found;
}

void NodesView::contextMenuEvent(QContextMenuEvent* event)
{
    const int index = event->reason() == QContextMenuEvent::Keyboard ? chosen() : indexAt(event->pos());
    if (index < 0)
        return;
    choose(index);
    auto* menu = new QMenu(this);
    menu->setObjectName(QStringLiteral("nodesMenu"));
    menu->setAttribute(Qt::WA_DeleteOnClose);
    if (stage().document().isLive()) {
        const QString node = nodeOf(static_cast<std::size_t>(index));
        const rig::NodePlace now = reports_[static_cast<std::size_t>(index)].place;
        for (const rig::NodePlace place : rig::allPlaces) {
            QAction* action = menu->addAction(placeWords(place), this, [this, node, place] { put(node, place); });
            action->setObjectName(QStringLiteral("place%1").arg(static_cast<int>(place)));
            action->setCheckable(true);
            action->setChecked(place == now);
        }
        menu->addSeparator();
        QAction* others = menu->addAction(
            tr("Simulate all but %1, which is on the bench").arg(node), this, [this, node] { simulateAllBut(node); });
        others->setObjectName(QStringLiteral("allButThis"));
        QAction* all = menu->addAction(tr("Simulate all"), this, [this] { simulateAllBut({}); });
        all->setObjectName(QStringLiteral("simulateAll"));
        all->setEnabled(std::any_of(reports_.begin(), reports_.end(), [](const auto& one) { return !one.on; }));
        menu->addSeparator();
    }
    addSelectionActions(*menu, stage(), stage().selection());
    menu->popup(event->globalPos());
}

void NodesView::mousePressEvent(QMouseEvent* event)
{
    setFocus();
    const int index = indexAt(event->position());
    if (index < 0)
        return;
    if (event->button() == Qt::LeftButton && stage().document().isLive()
        && pillOf(nodeOf(static_cast<std::size_t>(index))).contains(event->position()))
        setSimulated(nodeOf(static_cast<std::size_t>(index)), !reports_[static_cast<std::size_t>(index)].on);
    choose(index);
}

void NodesView::keyPressEvent(QKeyEvent* event)
{
    const int at = chosen();
    if (event->matches(QKeySequence::Undo))
        undo_.undo();
    else if (event->matches(QKeySequence::Redo))
        undo_.redo();
    else if (event->key() == Qt::Key_Down)
        choose(at + 1);
    else if (event->key() == Qt::Key_Up)
        choose(at - 1);
    else if ((event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter) && at >= 0 && stage().document().isLive())
        setSimulated(QString::fromStdString(reports_[static_cast<std::size_t>(at)].name), !reports_[static_cast<std::size_t>(at)].on);
    else
        View::keyPressEvent(event);
}

bool NodesView::event(QEvent* event)
{
    if (event->type() == QEvent::ToolTip) {
        const auto* help = static_cast<QHelpEvent*>(event);
        for (const rig::NodeReport& report : reports_)
            if (pillOf(QString::fromStdString(report.name)).contains(help->pos())) {
                QToolTip::showText(help->globalPos(),
                    report.on
                        ? tr("Take %1 out of the simulation, as if it were unplugged  (Enter); other places: Menu key")
                              .arg(QString::fromStdString(report.name))
                        : tr("Put %1 back into the simulation  (Enter); other places: Menu key").arg(QString::fromStdString(report.name)),
                    this);
                return true;
            }
        for (std::size_t i = 0; i < reports_.size(); ++i)
            if (!reports_[i].refused.empty() && QRectF(0, rowTop(i), width(), Theme::get().px(pitch)).contains(help->pos())) {
                QToolTip::showText(help->globalPos(), refusedText(reports_[i]), this);
                return true;
            }
    }
    return View::event(event);
}

void NodesView::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    const Theme& theme = Theme::get();
    painter.fillRect(rect(), theme.surface);
    if (!stage().document().isLive())
        return paintLog(painter);
    if (reports_.empty()) {
        paintText(painter, rect(), tr("This rig has no simulated nodes. They are described in its document."), theme.body(), theme.ink2,
            Qt::AlignCenter);
        return;
    }
    const auto heading = [&](double x, const QString& text) {
        paintText(painter, QRectF(theme.px(x), 0, theme.px(120), theme.px(nodeHeadHeight)), text, theme.small(), theme.ink3);
    };
    heading(nameAt, tr("node"));
    heading(pillAt, tr("source"));
    heading(stateAt, tr("state"));
    const bool withBars = width() > theme.px(barsAt + leastBars);
    if (withBars)
        heading(barsAt, tr("last 20 s"));
    const Time now = stage().cursor();
    painter.setClipRect(0, theme.px(nodeHeadHeight), width(), height());
    for (std::size_t i = 0; i < reports_.size(); ++i) {
        const rig::NodeReport& report = reports_[i];
        const double y = rowTop(i);
        const double height = theme.px(pitch);
        const bool selected = stage().selection().kind == Selection::Kind::node
                              && stage().selection().node == QString::fromStdString(report.name);
        if (selected)
            painter.fillRect(QRectF(2, y, width() - 4, height), theme.accentSoft);
        const unsigned bus = report.buses.empty() ? 0 : report.buses.front();
        paintBusBadge(painter, QRectF(theme.px(nodeBadgeAt), y + theme.px(4), theme.px(14), theme.px(14)), stage().mark(bus));
        paintText(painter, QRectF(theme.px(nameAt), y, theme.px(pillAt - nameAt - 8), height), QString::fromStdString(report.name),
            selected ? theme.bodyStrong() : theme.body(), theme.ink);
        if (std::any_of(report.manipulations.begin(), report.manipulations.end(), [](const auto& one) { return one.acts && !one.done; }))
            paintLever(painter, QPointF(theme.px(pillAt - 12), y + height / 2), theme.accent);

        const QRectF pill = pillOf(QString::fromStdString(report.name));
        painter.setRenderHint(QPainter::Antialiasing);
        const bool played = report.place == rig::NodePlace::playedBack, off = report.place == rig::NodePlace::off;
        painter.setPen(QPen(played ? theme.accent : theme.hairline, 1, off ? Qt::DotLine : Qt::SolidLine));
        painter.setBrush(report.on ? QBrush(Qt::NoBrush) : QBrush(theme.raised));
        painter.drawRoundedRect(pill, pill.height() / 2, pill.height() / 2);
        painter.setRenderHint(QPainter::Antialiasing, false);
        paintText(painter, pill, QString::fromUtf8(rig::toText(report.place)), played ? theme.bodyStrong() : theme.body(),
            played      ? theme.accent
            : report.on ? theme.ink2
                        : theme.ink3,
            Qt::AlignCenter);

        // The states as they stood at the cursor.
        const drive::StateChange* current = nullptr;
        for (const drive::StateChange& change : report.states)
            if (change.time <= now)
                current = &change;
        if (!report.on)
            paintText(painter, QRectF(theme.px(stateAt), y, theme.px(barsAt - stateAt - 8), height), tr("not simulated"), theme.body(),
                theme.ink3);
        else if (refusesNow(report, now))
            paintText(painter, QRectF(theme.px(stateAt), y, theme.px(barsAt - stateAt - 8), height), tr("value refused"),
                theme.bodyStrong(), theme.error);
        else if (current != nullptr)
            paintText(painter, QRectF(theme.px(stateAt), y, theme.px(barsAt - stateAt - 8), height), QString::fromStdString(current->state),
                theme.body(), current->wrong ? theme.error : theme.ink);

        const double left = theme.px(barsAt);
        const double right = width() - theme.px(12);
        const auto x = [&](Time time) {
            return std::clamp(
                right - static_cast<double>((now - time).count()) / static_cast<double>(barSpan.count()) * (right - left), left, right);
        };
        for (std::size_t k = 0; withBars && k < report.states.size(); ++k) {
            const drive::StateChange& change = report.states[k];
            const Time end = k + 1 < report.states.size() ? std::min(now, report.states[k + 1].time) : now;
            if (change.time > now || end < now - barSpan)
                continue;
            const QRectF bar(x(change.time), y + theme.px(4), x(end) - x(change.time) - 1, theme.px(14));
            if (bar.width() < 0.5)
                continue;
            QColor fill = change.wrong ? theme.error : theme.bus(stage().mark(bus));
            const QColor line = fill;
            fill.setAlphaF(0.28F);
            painter.fillRect(bar, fill);
            painter.fillRect(QRectF(bar.left(), bar.bottom() - 1.5, bar.width(), 1.5), line);
            if (bar.width() > std::min<double>(
                    theme.px(60), QFontMetricsF(theme.small()).horizontalAdvance(QString::fromStdString(change.state)) + theme.px(7)))
                paintText(painter, bar.adjusted(theme.px(4), 0, -2, 0), QString::fromStdString(change.state), theme.small(), theme.ink);
        }
        painter.setPen(theme.grid);
        painter.drawLine(theme.px(8), static_cast<int>(y + height) - 1, width(), static_cast<int>(y + height) - 1);
    }
}

void NodesView::paintLog(QPainter& painter)
{
    const Theme& theme = Theme::get();
    if (senders_.empty()) {
        paintText(painter, rect(), tr("No database names a sender of this log's buses. Open it with a rig whose databases do."),
            theme.body(), theme.ink2, Qt::AlignCenter);
        return;
    }
    const auto heading = [&](double x, const QString& text) {
        paintText(painter, QRectF(theme.px(x), 0, theme.px(120), theme.px(nodeHeadHeight)), text, theme.small(), theme.ink3);
    };
    heading(nameAt, tr("node"));
    heading(nodeSeenAt, tr("messages seen"));
    paintText(painter, QRectF(theme.px(nodeFramesAt), 0, theme.px(heardAt - nodeFramesAt - 14), theme.px(nodeHeadHeight)), tr("frames"),
        theme.small(), theme.ink3, Qt::AlignRight | Qt::AlignVCenter);
    heading(heardAt, tr("last heard"));
    const bool withBars = width() > theme.px(barsAt + leastBars);
    if (withBars)
        heading(barsAt, tr("heard in the last 20 s"));
    painter.setClipRect(0, theme.px(nodeHeadHeight), width(), height());
    for (std::size_t i = 0; i < senders_.size(); ++i) {
        const measure::SenderMoment& sender = senders_[i];
        const double y = rowTop(i);
        const double height = theme.px(pitch);
        const QString name = QString::fromStdString(sender.node);
        const bool selected = static_cast<int>(i) == chosen();
        if (selected)
            painter.fillRect(QRectF(2, y, width() - 4, height), theme.accentSoft);
        const auto box = [&](double from, double to) { return QRectF(theme.px(from), y, theme.px(to - from), height); };
        paintBusBadge(painter, QRectF(theme.px(nodeBadgeAt), y + theme.px(4), theme.px(14), theme.px(14)), stage().mark(sender.bus));
        const Time ago = sender.newest == trace::noRow ? Time{0} : stage().cursor() - stage().snapshot().time(sender.newest);
        const bool silent = sender.seen == 0 || ago > silentAfter;
        const QColor ink = silent ? theme.ink3 : theme.ink;
        paintText(painter, box(nameAt, nodeSeenAt - 8), name, selected ? theme.bodyStrong() : theme.body(), ink);
        paintText(painter, box(nodeSeenAt, nodeFramesAt - 4), tr("%1 of %2").arg(sender.seen).arg(sender.messages), theme.mono(),
            sender.seen < sender.messages ? theme.ink2 : ink);
        paintText(painter, box(nodeFramesAt, heardAt - 14), countText(sender.frames), theme.mono(), ink, Qt::AlignRight | Qt::AlignVCenter);
        const double ms = static_cast<double>(ago.count()) * 1e-6;
        paintText(painter, box(heardAt, barsAt - 6),
            sender.seen == 0 ? tr("never")
            : ms < 1000      ? tr("%1 ms ago").arg(ms, 0, 'f', 1)
                             : tr("%1 s ago").arg(ms / 1000, 0, 'f', 1),
            theme.mono(), ink);
        const double left = theme.px(barsAt);
        const double step = (width() - theme.px(12) - left) / stretches;
        QColor fill = theme.bus(stage().mark(sender.bus));
        const QColor line = fill;
        fill.setAlphaF(0.28F);
        for (unsigned k = 0; withBars && k < stretches; ++k) {
            unsigned end = k;
            while (end < stretches && sender.heard[end])
                ++end;
            if (end == k)
                continue;
            const QRectF bar(left + k * step, y + theme.px(4), (end - k) * step, theme.px(14));
            painter.fillRect(bar, fill);
            painter.fillRect(QRectF(bar.left(), bar.bottom() - 1.5, bar.width(), 1.5), line);
            k = end;
        }
        painter.setPen(theme.grid);
        painter.drawLine(theme.px(8), static_cast<int>(y + height) - 1, width(), static_cast<int>(y + height) - 1);
    }
}

}  // namespace wavetrope::app
