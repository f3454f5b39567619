// SPDX-License-Identifier: GPL-3.0-or-later
#include <QMouseEvent>
#include <QPainter>

#include <algorithm>

#include "app/load/load_view.h"
#include "app/paint/paint.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

constexpr std::size_t mostTakers = 12;
constexpr trace::Row mostRows = 60'000;  // of the middle of a longer stretch

}  // namespace

TakersList::TakersList(Stage& stage, QWidget* parent) : QWidget(parent), stage_(stage)
{
    setObjectName(QStringLiteral("takers"));
    connect(&stage, &Stage::selectionChanged, this, [this] { update(); });
    setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Expanding);
    setToolTip(tr("Share of bus time by message. Click: explain it in the inspector"));
}

QSize TakersList::sizeHint() const { return {Theme::get().px(236), Theme::get().px(120)}; }

void TakersList::show(unsigned bus, Time from, Time to, const QString& what)
{
    bus_ = bus;
    what_ = what;
    takers_.clear();
    const trace::Snapshot& snapshot = stage_.snapshot();
    const can::BitRate rate = bus < stage_.document().buses().size() ? stage_.document().buses()[bus].rate : can::BitRate{};
    if (!rate.known() || to <= from || snapshot.rows() == 0)
        return update();
    trace::Row first = stage_.rowAt(from);
    first = first == trace::noRow ? 0 : first;
    trace::Row last = stage_.rowAt(to);
    if (last == trace::noRow)
        return update();
    if (last > first + mostRows) {
        first = first + (last - first - mostRows) / 2;
        last = first + mostRows;
        from = snapshot.time(first);
        to = std::max(from + Time(1), snapshot.time(last));
        what_ = tr("%1 s in its middle").arg(static_cast<double>((to - from).count()) * 1e-9, 0, 'f', 1);
    }
    std::vector<std::int64_t> busy(snapshot.trace().identifierCount(), 0);
    for (trace::Row row = first; row <= last; ++row) {
        const trace::IdentifierIndex identifier = snapshot.identifier(row);
        if (snapshot.trace().key(identifier).bus == bus) {
            const can::FrameView frame = snapshot.frame(row);
            if (frame.time >= from && frame.time < to)
                busy[identifier] += can::occupancy(can::wireLength(frame), rate).count();
        }
    }
    for (trace::IdentifierIndex i = 0; i < busy.size(); ++i)
        if (busy[i] > 0)
            takers_.push_back({i, 100.0 * static_cast<double>(busy[i]) / static_cast<double>((to - from).count())});
    std::sort(takers_.begin(), takers_.end(), [](const Taker& a, const Taker& b) { return a.percent > b.percent; });
    update();
}

// There is no room beside the title for what the shares are of.
bool TakersList::narrow() const { return width() < Theme::get().px(210); }
int TakersList::rowsAt() const { return Theme::get().px(narrow() ? 42 : 30); }

// As many as there is room for; the rest is summed up in the last line.
std::size_t TakersList::shown() const
{
    const auto fit = static_cast<std::size_t>(std::max(1, (height() - rowsAt()) / Theme::get().px(20)));
    return takers_.size() <= std::min(fit, mostTakers) ? takers_.size() : std::min(fit, mostTakers + 1) - 1;
}

void TakersList::mousePressEvent(QMouseEvent* event)
{
    const Theme& theme = Theme::get();
    const int index = static_cast<int>((event->position().y() - rowsAt()) / theme.px(20));
    if (index < 0 || index >= static_cast<int>(shown()))
        return;
    const trace::TraceKey& key = stage_.snapshot().trace().key(takers_[static_cast<std::size_t>(index)].identifier);
    Selection selection;
    selection.kind = Selection::Kind::message;
    selection.bus = key.bus;
    selection.id = key.id;
    stage_.select(selection);
}

void TakersList::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    const Theme& theme = Theme::get();
    painter.fillRect(rect(), theme.surface);
    painter.setPen(theme.hairline);
    painter.drawLine(0, 0, 0, height());
    const double left = theme.px(12);
    const double right = width() - theme.px(10);
    paintText(painter, QRectF(left, theme.px(6), theme.px(110), theme.px(18)), tr("Who takes the bus"), theme.bodyStrong(), theme.ink);
    if (narrow())
        paintText(painter, QRectF(left, theme.px(22), right - left, theme.px(16)), what_, theme.small(), theme.ink3);
    else
        paintText(painter, QRectF(left + theme.px(104), theme.px(6), right - left - theme.px(104), theme.px(18)), what_, theme.small(),
            theme.ink3, Qt::AlignRight | Qt::AlignVCenter);
    if (takers_.empty()) {
        paintText(
            painter, QRectF(left, theme.px(34), right - left, theme.px(20)), tr("No frames of this bus here."), theme.body(), theme.ink3);
        return;
    }
    double y = rowsAt();
    double percentOfOthers = 0;
    for (std::size_t i = shown(); i < takers_.size(); ++i)
        percentOfOthers += takers_[i].percent;
    const double most = std::max({1.0, takers_.front().percent, percentOfOthers});
    const auto row = [&](const QString& name, double percent) {
        paintText(painter, QRectF(left, y, std::min<double>(theme.px(100), right - left - theme.px(46)), theme.px(20)), name, theme.body(),
            theme.ink);
        const QRectF bar(left + theme.px(104), y + theme.px(6), std::max(0.0, right - left - theme.px(104) - theme.px(46)), theme.px(8));
        painter.fillRect(bar, theme.grid);
        painter.fillRect(
            QRectF(bar.left(), bar.top(), std::max(1.0, bar.width() * percent / most), bar.height()), theme.bus(stage_.mark(bus_)));
        paintText(painter, QRectF(right - theme.px(44), y, theme.px(44), theme.px(20)),
            QString::number(percent, 'f', 1) + QStringLiteral(" %"), theme.mono(), theme.ink, Qt::AlignRight | Qt::AlignVCenter);
        y += theme.px(20);
    };
    for (std::size_t i = 0; i < shown(); ++i) {
        const Taker& taker = takers_[i];
        const trace::TraceKey& key = stage_.snapshot().trace().key(taker.identifier);
        const auto* message = key.error ? nullptr : stage_.catalog().find(key.bus, key.id);
        if (stage_.selection().names(key.bus, key.id) && !key.error)
            painter.fillRect(QRectF(1, y, width() - 1, theme.px(20)), theme.accentSoft);
        row(message != nullptr ? QString::fromStdString(message->message->name)
            : key.error        ? tr("error frames")
                               : QString::fromStdString(can::toText(key.id)),
            taker.percent);
    }
    const std::size_t others = takers_.size() - shown();
    if (others > 0)
        row(others == 1 ? tr("1 other") : tr("%1 others").arg(others), percentOfOthers);
}

}  // namespace wavetrope::app
