// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/record/sentence.h"

#include <QCoreApplication>
#include <QFontMetricsF>
#include <QStringList>

#include "app/parts/text.h"

namespace wavetrope::app {

namespace {

using Field = rig::RecordingField;

QString tr(const char* words) { return QCoreApplication::translate("Sentence", words); }

// What a field shows: its text, or what nothing in it means.
QString shown(const rig::RecordingSpec& is, Field field)
{
    const QString written = text(rig::fieldText(is, field));
    switch (field) {
    case Field::keep: return written.isEmpty() ? tr("everything") : written;
    case Field::start: return written.isEmpty() ? tr("the run's begin") : written;
    case Field::stop: return !written.isEmpty() ? written : is.start.empty() ? tr("its end") : tr("the end of that");
    case Field::before:
    case Field::after: return written.isEmpty() ? tr("nothing") : written;
    case Field::anew: return written.isEmpty() ? tr("one file for each take") : written;
    case Field::stay: return written.isEmpty() ? tr("all") : written;
    case Field::again: return is.again ? tr("again each time") : tr("once");
    default: return written;
    }
}

}  // namespace

std::vector<SentenceRun> sentenceOf(const rig::RecordingSpec& is, const rig::RecordingSpec* armed)
{
    std::vector<SentenceRun> out;
    const auto say = [&](const QString& words) { out.push_back({words, {}, {}}); };
    const auto put = [&](Field field) {
        SentenceRun run{shown(is, field), field, {}};
        if (armed != nullptr && rig::fieldText(is, field) != rig::fieldText(*armed, field))
            run.was = shown(*armed, field);
        out.push_back(std::move(run));
    };
    const auto shows = [&](Field field) {
        return !rig::fieldText(is, field).empty() || (armed != nullptr && !rig::fieldText(*armed, field).empty());
    };
    say(tr("Keeps"));
    put(Field::keep);
    say(tr("from"));
    put(Field::start);
    say(tr("to"));
    put(Field::stop);
    if (!is.start.empty() || shows(Field::before) || shows(Field::after)) {
        say(tr(", "));
        put(Field::before);
        say(tr("before and"));
        put(Field::after);
        say(tr("behind"));
    }
    say(tr(", into"));
    put(Field::pattern);
    if (shows(Field::anew)) {
        say(tr(", a new file after"));
        put(Field::anew);
    } else {
        say(tr(", "));
        put(Field::anew);
    }
    say(tr(", "));
    put(Field::stay);
    say(tr("stay"));
    if (!is.start.empty()) {
        say(tr("; "));
        put(Field::again);
    }
    return out;
}

QString sentenceText(const rig::RecordingSpec& recording)
{
    QString out;
    for (const SentenceRun& run : sentenceOf(recording)) {
        if (!out.isEmpty() && !run.text.startsWith(QLatin1Char(',')) && !run.text.startsWith(QLatin1Char(';'))
            && !out.endsWith(QLatin1Char(' ')))
            out += QLatin1Char(' ');
        out += run.text;
    }
    return out;
}

QString fieldHint(Field field)
{
    switch (field) {
    case Field::name: return tr("a name");
    case Field::keep: return tr("a filter, such as bus Implement; empty: everything");
    case Field::start: return tr("conditions, such as chatter and not quiet; empty: the run's begin");
    case Field::stop: return tr("conditions; empty: where the start ends");
    case Field::before: return tr("2 s or 200 frames");
    case Field::after: return tr("1 s or 100 frames");
    case Field::again: return tr("again or once");
    case Field::pattern: return tr("{recording}-{date}-{number}.pcapng.zst");
    case Field::anew: return tr("200 MB or 1 h or 1000 frames or midnight; empty: one file for each take");
    case Field::stay: return tr("20 files or 20 GB, or for good; empty: all");
    }
    return {};
}

std::optional<QRectF> SentenceLayout::boxOf(Field field) const
{
    for (const SentencePiece& piece : pieces)
        if (piece.field == field && !piece.was)
            return piece.box;
    return {};
}

SentenceLayout laidOut(const std::vector<SentenceRun>& runs, double width, const QFont& words, const QFont& fields, double lineHeight)
{
    SentenceLayout out;
    const QFontMetricsF plain(words), mono(fields);
    const double blank = plain.horizontalAdvance(QLatin1Char(' '));
    double x = 0;
    const auto place = [&](const QString& text, std::optional<Field> field, bool was, bool is) {
        const QFontMetricsF& metrics = field ? mono : plain;
        SentencePiece* open = nullptr;      // of this run, on this line
        for (const QString& word : text.split(QLatin1Char(' '), Qt::SkipEmptyParts)) {
            const double wide = metrics.horizontalAdvance(word);
            const bool tight = !field && (word.startsWith(QLatin1Char(',')) || word.startsWith(QLatin1Char(';')));
            double gap = x == 0 || tight ? 0 : open != nullptr ? metrics.horizontalAdvance(QLatin1Char(' ')) : blank;
            if (x > 0 && !tight && x + gap + wide > width) {
                ++out.lines;
                x = gap = 0;
                open = nullptr;
            }
            if (open == nullptr) {
                out.pieces.push_back({QRectF(x + gap, (out.lines - 1) * lineHeight, wide, lineHeight), word, field, was, is});
                open = &out.pieces.back();
            } else {
                open->text += QLatin1Char(' ') + word;
                open->box.setRight(x + gap + wide);
            }
            x += gap + wide;
        }
    };
    for (const SentenceRun& run : runs) {
        if (!run.was.isEmpty())
            place(run.was, run.field, true, false);
        place(run.text, run.field, false, !run.was.isEmpty());
    }
    return out;
}

}  // namespace wavetrope::app
