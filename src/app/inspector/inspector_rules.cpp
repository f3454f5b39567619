// SPDX-License-Identifier: GPL-3.0-or-later
// Conditions and recordings, explained.
#include <QPainter>

#include <algorithm>

#include "app/inspector/inspector_view.h"
#include "app/paint/paint.h"
#include "app/paint/take_shape.h"
#include "app/parts/notation.h"
#include "app/stage/rule_desk.h"
#include "app/theme/theme.h"
#include "rules/terms.h"

namespace wavetrope::app {

namespace {

constexpr std::size_t mostTakes = 12;
constexpr std::size_t nowhere = ~std::size_t{0};

double sideOf() { return Theme::get().px(14); }

QString said(const std::string& words) { return QString::fromStdString(words); }

}  // namespace

// A name over a text that may take several lines.
void Inspector::passage(QPainter& painter, double& y, const QString& name, const QString& words, bool mono, const QColor& colour)
{
    const Theme& theme = Theme::get();
    if (!name.isEmpty()) {
        paintText(painter, QRectF(sideOf(), y, width() - 2 * sideOf(), theme.px(17)), name, theme.body(), theme.ink2);
        y += theme.px(17);
    }
    painter.setFont(mono ? theme.mono() : theme.body());
    painter.setPen(colour.isValid() ? colour : theme.ink);
    // Between words, unless one is longer than a line.
    const QFontMetricsF metrics(painter.font());
    const QStringList all = words.split(QLatin1Char(' '));
    const bool longer = std::any_of(
        all.begin(), all.end(), [&](const QString& word) { return metrics.horizontalAdvance(word) > width() - 2 * sideOf(); });
    QRectF used;
    painter.drawText(
        QRectF(sideOf(), y, width() - 2 * sideOf(), theme.px(400)), longer ? Qt::TextWrapAnywhere : Qt::TextWordWrap, words, &used);
    y += used.height() + theme.px(5);
    lines_ << (name.isEmpty() ? words : name + QStringLiteral(": ") + words);
}

double Inspector::headOf(QPainter& painter, const QString& name, const QString& below)
{
    const Theme& theme = Theme::get();
    double y = theme.px(10);
    paintText(painter, QRectF(sideOf(), y, width() - 2 * sideOf(), theme.px(22)), name, theme.title(), theme.ink);
    y += theme.px(24);
    paintText(painter, QRectF(sideOf(), y, width() - 2 * sideOf(), theme.px(18)), below, theme.body(), theme.ink2);
    y += theme.px(26);
    lines_ << name << below;
    return y;
}

void Inspector::paintCondition(QPainter& painter)
{
    const std::string name = stage_.selection().node.toStdString();
    const RuleDesk& desk = stage_.rules();
    const auto& events = desk.rig().events;
    const auto found = std::find_if(events.begin(), events.end(), [&](const rig::EventSpec& one) { return one.name == name; });
    if (found == events.end())
        return;
    QString below = tr("condition");
    rig::Session* session = stage_.document().session();
    std::size_t index = nowhere;
    if (session != nullptr) {
        const rig::EventSpec* armed = desk.armedCondition(name);
        const bool same = armed != nullptr && rig::conditionText(*armed) == rig::conditionText(*found);
        const auto reports = session->conditionReports();
        for (std::size_t i = 0; i < reports.size(); ++i)
            if (reports[i].name == name && same) {
                index = i;
                below = reports[i].now        ? tr("condition, true now")
                        : reports[i].met == 0 ? tr("condition, never true so far")
                                              : tr("condition, true %1 times").arg(countText(reports[i].met));
            }
        if (!same)
            below = tr("condition, not armed so yet");
    }
    double y = headOf(painter, said(name), below);
    passage(painter, y, tr("true when"), said(rig::conditionText(*found)), true);
    std::vector<std::string> names;
    for (const rig::EventSpec& one : events)
        names.push_back(one.name);
    QStringList used;
    for (const rig::RecordingSpec& recording : desk.rig().recordings)
        for (const std::string& expression : {recording.start, recording.stop})
            if (const auto terms = rules::Terms::parse(expression, names))
                for (const std::size_t one : terms->conditions())
                    if (names[one] == name && !used.contains(said(recording.name)))
                        used << said(recording.name);
    passage(painter, y, tr("recordings that hang on it"),
        used.isEmpty() ? tr("none; it flags the timeline") : used.join(QStringLiteral(", ")), false);
    if (const rules::NearMiss* miss = desk.missOf(name); miss != nullptr) {
        section(painter, y, tr("Why it was never true"));
        passage(painter, y, {}, said(miss->words), false);
        if (!miss->more.empty())
            passage(painter, y, {}, said(miss->more), false);
        if (miss->at)
            fact(painter, y, tr("Closest at"), timeWords(stage_.seconds(*miss->at), 2));
    } else if (session != nullptr && index != nowhere) {
        const auto history = session->rulesHistory();
        std::vector<rules::TrueStretch> stretches;
        for (const rules::TrueStretch& stretch : history->stretches)
            if (stretch.condition == index)
                stretches.push_back(stretch);
        if (!stretches.empty())
            section(painter, y, tr("When it was true"), tr("begins, for"));
        const std::size_t first = stretches.size() > mostTakes ? stretches.size() - mostTakes : 0;
        for (std::size_t i = first; i < stretches.size(); ++i)
            fact(painter, y, timeWords(stage_.seconds(stretches[i].from), 2),
                stretches[i].to ? timeWords(static_cast<double>((*stretches[i].to - stretches[i].from).count()) * 1e-9, 2) : tr("goes on"));
    }
    contentHeight_ = y;
}

void Inspector::paintRecording(QPainter& painter)
{
    const Theme& theme = Theme::get();
    const std::string name = stage_.selection().node.toStdString();
    const RuleDesk& desk = stage_.rules();
    const auto& all = desk.rig().recordings;
    const auto found = std::find_if(all.begin(), all.end(), [&](const rig::RecordingSpec& one) { return one.name == name; });
    const rig::RecordingSpec* armed = desk.armedRecording(name);
    if (found == all.end() && armed == nullptr)
        return;
    const rig::RecordingSpec& spec = found != all.end() ? *found : *armed;
    rig::Session* session = stage_.document().session();
    double y = headOf(painter, said(name),
        session == nullptr                           ? tr("recording")
        : armed == nullptr                           ? tr("recording, not armed yet")
        : found == all.end()                         ? tr("recording, taken out and still armed")
        : rig::written(*armed) != rig::written(spec) ? tr("recording, changed and not armed so yet")
                                                     : tr("recording, armed"));
    using Field = rig::RecordingField;
    for (const auto& [field, label, empty] :
        {std::tuple{Field::keep, tr("keep"), tr("everything")}, {Field::start, tr("start"), tr("the run's begin")},
            {Field::stop, tr("stop"), spec.start.empty() ? tr("the run's end") : tr("where the start ends")}}) {
        const QString words = said(rig::fieldText(spec, field));
        passage(painter, y, label, words.isEmpty() ? empty : words, !words.isEmpty());
        if (armed != nullptr && rig::fieldText(*armed, field) != rig::fieldText(spec, field)) {
            const QString was = said(rig::fieldText(*armed, field));
            y -= theme.px(4);
            paintText(painter, QRectF(sideOf(), y, width() - 2 * sideOf(), theme.px(17)), tr("armed: %1").arg(was.isEmpty() ? empty : was),
                theme.body(), theme.accent);
            lines_ << tr("armed: %1").arg(was);
            y += theme.px(20);
        }
    }
    for (const auto& [field, label, empty] : {std::tuple{Field::before, tr("before"), tr("nothing")},
             {Field::after, tr("behind"), tr("nothing")}, {Field::again, tr("again"), QString()},
             {Field::anew, tr("a new file after"), tr("each take")}, {Field::stay, tr("files that stay"), tr("all")}}) {
        const QString words = said(rig::fieldText(spec, field));
        fact(painter, y, label, words.isEmpty() ? empty : words, false, false);
    }
    passage(painter, y, tr("files"), said(spec.files.pattern), true);
    if (session == nullptr || armed == nullptr) {
        contentHeight_ = y;
        return;
    }
    const auto reports = session->takingReports();
    const auto report = std::find_if(reports.begin(), reports.end(), [&](const rig::TakingReport& one) { return one.name == name; });
    if (report == reports.end())
        return;
    std::vector<rules::Take> takes;
    std::vector<std::vector<std::string>> files;
    const auto history = session->rulesHistory();
    for (std::size_t i = 0; i < history->takes.size(); ++i)
        if (history->takes[i].recording == static_cast<std::size_t>(report - reports.begin())) {
            takes.push_back(history->takes[i]);
            files.push_back(history->files[i]);
        }
    section(painter, y, tr("Takes"), takes.empty() ? tr("none so far") : tr("%1 kept").arg(report->state.takes));
    const auto column = [&](double from, double to, const QString& words, const QFont& font, const QColor& colour) {
        const double room = width() - 2 * sideOf();
        paintText(painter, QRectF(sideOf() + from * room, y, (to - from) * room, theme.px(17)), words, font, colour,
            Qt::AlignRight | Qt::AlignVCenter);
    };
    if (!takes.empty()) {
        column(0.08, 0.4, tr("begins, s"), theme.body(), theme.ink3);
        column(0.4, 0.68, tr("length"), theme.body(), theme.ink3);
        column(0.68, 1, tr("frames"), theme.body(), theme.ink3);
        y += theme.px(18);
    }
    for (std::size_t i = takes.size() > mostTakes ? takes.size() - mostTakes : 0; i < takes.size(); ++i) {
        const rules::Take& take = takes[i];
        const TakeShape shape = shapeOf(take, *armed, take.whyEnds.empty(), stage_.newest(), TakeShape::Form::kept);
        const QString number = QString::number(take.number), begins = timeText(stage_.seconds(take.begins), 2);
        const QString length = take.whyEnds.empty() ? tr("goes on")
                                                    : timeWords(static_cast<double>((shape.ends - shape.before).count()) * 1e-9, 1);
        paintText(painter, QRectF(sideOf(), y, theme.px(30), theme.px(17)), number, theme.mono(), theme.ink);
        column(0.08, 0.4, begins, theme.mono(), theme.ink);
        column(0.4, 0.68, length, theme.mono(), theme.ink);
        column(0.68, 1, countText(take.frames), theme.mono(), theme.ink);
        takeRows_.emplace_back(QRectF(0, y, width(), theme.px(18)), files[i]);
        y += theme.px(18);
        lines_ << QStringList{tr("take %1").arg(number), begins, length, countText(take.frames)}.join(QStringLiteral(", "));
    }
    if (!takes.empty() && !takes.back().whyEnds.empty()) {
        y += theme.px(5);
        passage(painter, y, {}, tr("A double click opens a take; dragged onto playback it is played back."), false, theme.ink2);
    }
    if (!report->files.problem.empty())
        passage(painter, y, tr("in the way"), said(report->files.problem), false);
    contentHeight_ = y;
}

}  // namespace wavetrope::app
