// SPDX-License-Identifier: GPL-3.0-or-later
// A partner in a phase of a dialogue, as the inspector tells it.
#include <QPainter>

#include <algorithm>

#include "app/inspector/inspector_view.h"
#include "app/paint/paint.h"
#include "app/parts/text.h"
#include "app/stage/dialogue_desk.h"
#include "app/theme/theme.h"
#include "base/time_text.h"

namespace wavetrope::app {

namespace {

QString seconds(Time time) { return QStringLiteral("%1 s").arg(static_cast<double>(time.count()) * 1e-9, 0, 'f', 2); }

// "third of five".
QString ordinal(std::size_t place)
{
    static const char* words[] = {QT_TRANSLATE_NOOP("Inspector", "first"), QT_TRANSLATE_NOOP("Inspector", "second"),
        QT_TRANSLATE_NOOP("Inspector", "third"), QT_TRANSLATE_NOOP("Inspector", "fourth"), QT_TRANSLATE_NOOP("Inspector", "fifth"),
        QT_TRANSLATE_NOOP("Inspector", "sixth")};
    return place < std::size(words) ? Inspector::tr(words[place]) : QString::number(place + 1) + QLatin1Char('.');
}

}  // namespace

// A bar that fills over its limit, which stands at three quarters of it where it is passed.
void Inspector::paintLimit(QPainter& painter, double& y, Time took, Time limit, std::optional<Time> notBefore)
{
    const Theme& theme = Theme::get();
    const double side = theme.px(14);
    const double wide = width() - 2 * side;
    const double whole = std::max(static_cast<double>(limit.count()), static_cast<double>(took.count()));
    if (whole <= 0)
        return;
    const QRectF bar(side, y, wide, theme.px(5));
    painter.fillRect(bar, theme.hairline);
    const bool over = limit.count() > 0 && took > limit;
    painter.fillRect(
        QRectF(bar.left(), bar.top(), wide * static_cast<double>(took.count()) / whole, bar.height()), over ? theme.error : theme.accent);
    const auto tick = [&](Time at) {
        painter.fillRect(
            QRectF(bar.left() + wide * static_cast<double>(at.count()) / whole - 1, bar.top() - theme.px(3), 2, bar.height() + theme.px(6)),
            theme.ink);
    };
    if (limit.count() > 0)
        tick(limit);
    if (notBefore && notBefore->count() > 0 && *notBefore < limit)
        tick(*notBefore);
    y += theme.px(12);
}

void Inspector::paintPhase(QPainter& painter)
{
    const Selection& selection = stage_.selection();
    const Theme& theme = Theme::get();
    double y = theme.px(10);
    const std::size_t partner = selection.bus;
    const auto phase = static_cast<std::size_t>(selection.signal);
    const drive::DialogueFacts* facts = stage_.dialogues().find(selection.node);
    if (facts == nullptr || partner > 1 || phase >= facts->spec->phases.size() || !phase_->show(selection.node, partner, phase)) {
        heading(painter, y, tr("no longer there"), tr("a phase of a dialogue"), -1);
        return;
    }
    const drive::DialogueSpec& spec = *facts->spec;
    const drive::SideSpec& side = spec.phases[phase].sides[partner];
    const auto& now = facts->partners[partner];
    const QString other = app::text(spec.partners[1 - partner]);
    heading(painter, y, app::text(spec.phases[phase].name),
        tr("%1, %2 phase, at %3").arg(app::text(spec.name), ordinal(phase), app::text(spec.partners[partner])),
        stage_.catalog().findBus(spec.bus));
    const bool there = now.phase == phase;
    const Time in = there ? std::max(Time{0}, facts->told - now.since) : Time{0};
    section(painter, y, tr("Time in it"),
        !there ? (now.phase == drive::SideSpec::rest ? tr("it rests") : tr("it is in %1").arg(app::text(spec.phases[now.phase].name)))
        : side.within.count() == 0 ? seconds(in)
                                   : tr("%1 of %2").arg(seconds(in), app::text(spanText(side.within))));
    if (there)
        paintLimit(painter, y, in, side.within, side.notBefore);
    place(phase_, y);
    lines_ << phase_->lines();
    if (!side.hears.empty()) {
        section(painter, y, tr("Must hear within"), tr("longest wait, limit"));
        for (std::size_t i = 0; i < side.hears.size(); ++i) {
            const drive::HearSpec& hear = side.hears[i];
            const auto waiting = std::find_if(
                now.waiting.begin(), now.waiting.end(), [&](const auto& one) { return there && one.hear == i; });
            const bool known = waiting != now.waiting.end() && waiting->heard > 0;
            const Time longest = known ? waiting->longest : Time{0};
            fact(painter, y, app::text(hear.message),
                known ? tr("%1 of %2")
                            .arg(app::text(spanText(Time(longest.count() / 1'000'000 * 1'000'000))), app::text(spanText(hear.within)))
                      : app::text(spanText(hear.within)),
                longest > hear.within, false);
            if (known)
                paintLimit(painter, y, longest, hear.within, {});
        }
    }
    const auto seen = [&](const std::string& message) {
        std::uint64_t count = 0;
        for (const drive::HeardMessage& one : facts->heard)
            count += there && one.time >= now.since && (*facts->messages)[one.message].name == message ? 1 : 0;
        return count == 0 ? QString() : tr(", %1 seen").arg(count);
    };
    section(painter, y, tr("In it"), tr("anything else is an event"));
    for (const drive::SaySpec& say : side.says)
        fact(painter, y, app::text(say.message),
            (say.every.count() > 0   ? tr("sent every %1").arg(app::text(spanText(say.every)))
                : !say.when.empty()  ? tr("sent when %1").arg(app::text(say.when))
                : !say.after.empty() ? tr("answers %1").arg(app::text(say.after))
                                     : tr("sent once"))
                + seen(say.message),
            false, false);
    for (const drive::HearSpec& hear : side.hears)
        fact(painter, y, app::text(hear.message), (hear.cyclic ? tr("required, cyclic") : tr("required")) + seen(hear.message), false,
            false);
    for (const std::string& message : side.allows)
        fact(painter, y, app::text(message), tr("allowed") + seen(message), false, false);
    if (!side.endings.empty()) {
        section(painter, y, tr("Ends"));
        for (const drive::EndingSpec& ending : side.endings)
            passage(painter, y, app::text(spec.consequenceText(ending.what)),
                ending.hold.count() > 0 ? tr("when %1 for %2").arg(app::text(ending.when), app::text(spanText(ending.hold)))
                                        : tr("when %1").arg(app::text(ending.when)),
                false);
    }
    section(painter, y, tr("If a limit breaks here"), tr("the rig says"));
    for (const drive::HearSpec& hear : side.hears)
        passage(painter, y, tr("%1 not heard").arg(app::text(hear.message)), app::text(spec.consequenceText(hear.broken)), false);
    if (side.within.count() > 0)
        passage(painter, y, tr("not left in time"), app::text(spec.consequenceText(side.broken)), false);
    if (!spec.reasons.empty()) {
        section(painter, y, tr("Reasons for ending"));
        for (std::size_t i = 0; i < spec.reasons.size(); ++i)
            fact(painter, y, QString::number(i + 1), app::text(spec.reasons[i]), false, false);
    }
    contentHeight_ = y;
}

}  // namespace wavetrope::app
