// SPDX-License-Identifier: GPL-3.0-or-later
// An object of a node, as the inspector tells it: its value, how that came, what its dictionary says.
#include <QFileInfo>
#include <QPainter>

#include <algorithm>
#include <cmath>

#include "app/inspector/inspector_view.h"
#include "app/inspector/object_panel.h"
#include "app/paint/paint.h"
#include "app/parts/notation.h"
#include "app/parts/text.h"
#include "app/stage/protocol_desk.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

constexpr std::size_t bars = 34;

QString milliseconds(Time span)
{
    const double ms = static_cast<double>(span.count()) * 1e-6;
    return QString::number(ms, 'f', ms < 10 ? 2 : ms < 100 ? 1 : 0);
}

}  // namespace

// How long the node takes: each answer so far, and where this one stands.
void Inspector::paintAnswerTimes(QPainter& painter, double& y, std::vector<Time> times, std::optional<Time> mine)
{
    const Theme& theme = Theme::get();
    std::sort(times.begin(), times.end());
    // The slowest hundredth would flatten all else: it stands in the last bar.
    const double from = static_cast<double>(times.front().count()),
                 to = std::max(from + 1, static_cast<double>(times[times.size() - 1 - times.size() / 100].count()));
    std::array<unsigned, bars> counts{};
    const auto barOf = [&](Time time) {
        return std::min(bars - 1, static_cast<std::size_t>(std::max(0.0, (static_cast<double>(time.count()) - from) / (to - from) * bars)));
    };
    for (const Time time : times)
        ++counts[barOf(time)];
    const double left = theme.px(14), wide = width() - 2 * left, high = theme.px(36);
    const double most = *std::max_element(counts.begin(), counts.end());
    const double step = wide / bars;
    for (std::size_t i = 0; i < bars; ++i) {
        const double tall = counts[i] == 0 ? 1 : std::max(2.0, counts[i] / most * high);
        const bool here = mine && barOf(*mine) == i;
        painter.fillRect(QRectF(left + static_cast<double>(i) * step, y + high - tall, step - 1, tall), here             ? theme.accent
                                                                                                        : counts[i] == 0 ? theme.hairline
                                                                                                                         : theme.ink3);
    }
    y += high + theme.px(2);
    const QRectF line(left, y, wide, theme.px(15));
    paintText(painter, line, milliseconds(times.front()), theme.mono(9), theme.ink2);
    paintText(painter, line, tr("%1 answers of the node").arg(countText(times.size())), theme.small(), theme.ink3, Qt::AlignCenter);
    paintText(painter, line, tr("%1 ms").arg(milliseconds(times.back())), theme.mono(9), theme.ink2, Qt::AlignRight | Qt::AlignVCenter);
    lines_ << tr("Answers: %1, %2 to %3 ms").arg(times.size()).arg(milliseconds(times.front()), milliseconds(times.back()));
    y += theme.px(18);
}

void Inspector::paintObject(QPainter& painter)
{
    const Selection& selection = stage_.selection();
    const ProtocolDesk& desk = stage_.protocols();
    const ProtocolDesk::ObjectOf object{selection.bus, static_cast<std::uint8_t>(selection.id.value),
        {static_cast<std::uint16_t>(selection.signal >> 8), static_cast<std::uint8_t>(selection.signal)}};
    const protocol::Dictionary* dictionary = desk.dictionaryOf(object.bus, object.node);
    const protocol::ObjectEntry* entry = dictionary == nullptr ? nullptr : dictionary->find(object.place);
    char number[16];
    std::snprintf(number, sizeof number, "0x%04X:%02X", object.place.index, object.place.sub);
    double y = Theme::get().px(10);
    const QString node = desk.nameOf(object.bus, protocol::Party::node(object.node));
    heading(painter, y, entry != nullptr && !entry->name.empty() ? app::text(entry->name) : QString::fromLatin1(number),
        node.isEmpty() ? tr(" of node %1").arg(object.node) : tr(" of %1, node %2").arg(node).arg(object.node), object.bus,
        QString::fromLatin1(number));

    const protocol::Transfer* transfer = desk.transferOf(object);
    const auto process = desk.inProcessData(object);
    const QString value = desk.valueOf(object);
    const bool sent = process && process->value;
    section(painter, y, tr("Value"),
        value.isEmpty() ? tr("nothing told it yet")
        : sent          ? tr("in process data at %1").arg(timeWords(stage_.seconds(stage_.snapshot().time(process->row)), 3))
        : transfer->head.kind == protocol::Kind::serviceRead ? tr("read at %1").arg(timeWords(stage_.seconds(transfer->to), 3))
                                                             : tr("written at %1").arg(timeWords(stage_.seconds(transfer->to), 3)));
    if (!value.isEmpty())
        fact(painter, y, tr("Now"), value);
    if (entry != nullptr) {
        const auto initial = protocol::Dictionary::number(entry->set.empty() ? entry->initial : entry->set, object.node);
        const QString file = initial ? QString::number(*initial) : app::text(entry->set.empty() ? entry->initial : entry->set);
        if (!file.isEmpty())
            fact(painter, y, tr("In the file"), file);
    }
    object_->show(object);
    place(object_, y);

    if (transfer != nullptr) {
        section(painter, y, tr("How it came"),
            tr("%n frames, %1 ms", nullptr, static_cast<int>(transfer->frames)).arg(milliseconds(transfer->to - transfer->from)));
        fact(painter, y, tr("Kind"),
            (transfer->head.kind == protocol::Kind::serviceRead ? tr("read, ") : tr("written, "))
                + (transfer->frames == 2 ? tr("in one piece") : tr("%n bytes in pieces", nullptr, static_cast<int>(transfer->bytes))),
            false, false);
    }
    if (auto times = desk.answerTimes(object.bus, object.node); !times.empty())
        paintAnswerTimes(painter, y, std::move(times),
            transfer != nullptr && transfer->frames == 2 ? std::optional(transfer->to - transfer->from) : std::nullopt);

    bool otherwise = false;
    for (const protocol::Contradiction& one : desk.contradictionsOf(object.bus, object.node)) {
        if (protocol::Dictionary::keyOf(one.place) != protocol::Dictionary::keyOf(object.place))
            continue;
        if (!std::exchange(otherwise, true))
            section(painter, y, tr("The traffic says otherwise"));
        passage(painter, y, one.times > 1 ? tr("%1 times").arg(one.times) : tr("once"), app::text(one.words), false, Theme::get().error);
    }
    if (entry != nullptr) {
        section(painter, y, tr("In the dictionary"), QFileInfo(app::text(dictionary->path)).fileName());
        fact(painter, y, tr("Object"), app::text(dictionary->nameOf(*entry)), false, false);
        fact(painter, y, tr("Type"), app::text(protocol::words(entry->type)), false, false);
        fact(painter, y, tr("Access"), QString::fromLatin1(protocol::toText(entry->access)), false, false);
        if (!entry->low.empty() || !entry->high.empty())
            fact(painter, y, tr("Range"),
                entry->low.empty()    ? tr("up to %1").arg(app::text(entry->high))
                : entry->high.empty() ? tr("from %1").arg(app::text(entry->low))
                                      : tr("%1 to %2").arg(app::text(entry->low), app::text(entry->high)));
        if (process) {
            const database::Signal& signal = process->message->message->signals[process->signal];
            fact(painter, y, tr("In process data"),
                tr("%1, %2 bits from bit %3")
                    .arg(app::text(can::toText(process->message->message->id)))
                    .arg(signal.length)
                    .arg(signal.startBit));
        } else {
            fact(painter, y, tr("In process data"), entry->mappable ? tr("not mapped") : tr("cannot be mapped"), false, false);
        }
    }
    if (dictionary != nullptr) {
        section(painter, y, node.isEmpty() ? tr("Node %1").arg(object.node) : node,
            dictionary->product.empty() ? QString() : app::text(dictionary->product));
        if (dictionary->vendorNumber)
            fact(painter, y, tr("Identity"),
                tr("0x%1, product %2, rev %3")
                    .arg(QString::number(*dictionary->vendorNumber, 16).toUpper())
                    .arg(dictionary->productNumber.value_or(0))
                    .arg(dictionary->revision.value_or(0)));
        fact(painter, y, tr("Objects"),
            tr("%1 values, %2 problems in the file").arg(dictionary->entries.size()).arg(dictionary->problems.size()), false, false);
    }
    contentHeight_ = y + Theme::get().px(20);
}

}  // namespace wavetrope::app
