// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/record/recording_rows.h"

#include <QContextMenuEvent>
#include <QHelpEvent>
#include <QKeyEvent>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QRegularExpression>
#include <QToolTip>

#include <algorithm>
#include <cmath>

#include "app/paint/paint.h"
#include "app/parts/text.h"
#include "app/stage/rule_desk.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

using Field = rig::RecordingField;

constexpr double lineOfSentence = 16, nameLine = 19;
constexpr int mostLines = 8;

double linePitch() { return std::max<double>(Theme::get().px(lineOfSentence), QFontMetrics(Theme::get().body()).lineSpacing()); }

// The fields that a sentence has, in their order, behind its name.
std::vector<Field> fieldsOf(const RecordingRow& row)
{
    std::vector<Field> out{Field::name};
    for (const SentenceRun& run : sentenceOf(row.spec, row.armed ? &*row.armed : nullptr))
        if (run.field)
            out.push_back(*run.field);
    return out;
}

}  // namespace

void paintTakeMark(QPainter& painter, const QPointF& centre, rules::Rules::Phase phase, const QColor& colour)
{
    using Phase = rules::Rules::Phase;
    const double unit = Theme::get().px(1);
    const QRectF box(centre.x() - 4 * unit, centre.y() - 4 * unit, 8 * unit, 8 * unit);
    painter.fillRect(QRectF(box.left() - 6 * unit, centre.y() - unit, 6 * unit, 2 * unit), colour);
    if (phase == Phase::armed) {
        painter.setPen(QPen(colour, 1.5 * unit));
        painter.setBrush(Qt::NoBrush);
        painter.drawRect(box.adjusted(1, 1, -1, -1));
        return;
    }
    painter.fillRect(box, colour);
    if (phase == Phase::behind || phase == Phase::done)
        painter.fillRect(QRectF(box.right(), centre.y() - unit, 6 * unit, 2 * unit), colour);
    if (phase == Phase::keeps)
        painter.fillRect(QRectF(box.right() + 2 * unit, box.top(), 2 * unit, box.height()), colour);
}

RecordingRows::RecordingRows(Stage& stage) : stage_(stage), field_(new InPlaceField(viewport()))
{
    setObjectName(QStringLiteral("recordingRows"));
    setAccessibleName(tr("Recordings of the rig"));
    viewport()->setMouseTracking(true);
    field_->setObjectName(QStringLiteral("recordingField"));
    connect(field_, &InPlaceField::kept, this, [this](int next) {
        if (next != 0)
            return editNext(next);
        setFocus();
        refresh();
    });
    connect(field_, &InPlaceField::left, this, [this] { setFocus(); });
    connect(&Theme::get(), &Theme::changed, this, &RecordingRows::measure);
}

void RecordingRows::show(std::vector<RecordingRow> rows)
{
    rows_ = std::move(rows);
    if (chosen_ < 0 && !rows_.empty())
        chosen_ = 0;
    chosen_ = std::min(chosen_, static_cast<int>(rows_.size()) - 1);
    measure();
    refresh();
}

void RecordingRows::measure()
{
    int lines = 2;
    for (const RecordingRow& row : rows_)
        lines = std::max(lines, layoutOf(row).lines + (row.never.isEmpty() ? 0 : 1));
    lines_ = std::min(lines, mostLines);
}

void RecordingRows::resizeEvent(QResizeEvent* event)
{
    measure();
    RowList::resizeEvent(event);
}

int RecordingRows::pitch() const
{
    const Theme& theme = Theme::get();
    return theme.px(nameLine + 8) + static_cast<int>(std::ceil(lines_ * linePitch()));
}

QPointF RecordingRows::sentenceAt(int y) const { return QPointF(Theme::get().px(12), y + Theme::get().px(3.0 + nameLine)); }

SentenceLayout RecordingRows::layoutOf(const RecordingRow& row) const
{
    const Theme& theme = Theme::get();
    return laidOut(sentenceOf(row.spec, row.armed ? &*row.armed : nullptr), room() - theme.px(28), theme.body(), theme.mono(), linePitch());
}

QRectF RecordingRows::buttonBox(int y) const
{
    const Theme& theme = Theme::get();
    return QRect(rowWidth() - theme.px(66), y + theme.px(20), theme.px(54), theme.px(24));
}

QPoint RecordingRows::buttonAt(std::size_t index) const { return buttonBox(yOf(index)).center().toPoint(); }

QPoint RecordingRows::wordAt(std::size_t index, Field field) const
{
    if (field == Field::name)
        return {Theme::get().px(20), yOf(index) + Theme::get().px(12)};
    const auto box = layoutOf(rows_[index]).boxOf(field);
    return box ? box->translated(sentenceAt(yOf(index))).center().toPoint() : QPoint();
}

std::optional<Field> RecordingRows::fieldAt(const QPointF& point, std::size_t& index) const
{
    const std::int64_t at = rowAt(point);
    if (at < 0 || rows_[static_cast<std::size_t>(at)].gone)
        return {};
    index = static_cast<std::size_t>(at);
    const int y = yOf(index);
    for (const SentencePiece& piece : layoutOf(rows_[index]).pieces)
        if (piece.field && !piece.was && piece.box.translated(sentenceAt(y)).adjusted(-2, 0, 2, 0).contains(point))
            return piece.field;
    return {};
}

void RecordingRows::edit(std::size_t index, Field which)
{
    if (!field_->finish() || index >= rows_.size() || rows_[index].gone)
        return;
    bring(index);
    chosen_ = static_cast<int>(index);
    Q_EMIT chosen();
    edited_ = index;
    editedField_ = which;
    const Theme& theme = Theme::get();
    // What has two states is switched and not typed.
    if (which == Field::again) {
        (void)stage_.rules().setField(index, which, rows_[index].spec.again ? QStringLiteral("once") : QStringLiteral("again"));
        return;
    }
    const int y = yOf(index);
    QRectF box(theme.px(12), y + theme.px(3), theme.px(140), theme.px(nameLine));
    if (which != Field::name)
        if (const auto found = layoutOf(rows_[index]).boxOf(which))
            box = found->translated(sentenceAt(y));
    const bool longer = which == Field::keep || which == Field::start || which == Field::stop || which == Field::pattern
                        || which == Field::anew;
    field_->open(box.toRect(), longer ? 260 : 110, text(rig::fieldText(rows_[index].spec, which)), fieldHint(which),
        [this, index, which](const QString& typed) { return stage_.rules().setField(index, which, typed); });
}

void RecordingRows::editNext(int step)
{
    if (edited_ >= rows_.size())
        return;
    std::vector<Field> fields = fieldsOf(rows_[edited_]);
    std::erase(fields, Field::again);       // it is no field to type in
    const auto at = std::find(fields.begin(), fields.end(), editedField_);
    const auto next = (at - fields.begin()) + step;
    if (next >= 0 && next < static_cast<std::ptrdiff_t>(fields.size()))
        edit(edited_, fields[static_cast<std::size_t>(next)]);
    else
        setFocus();
}

void RecordingRows::removeCurrent()
{
    if (chosen_ >= 0 && static_cast<std::size_t>(chosen_) < rows_.size() && !rows_[static_cast<std::size_t>(chosen_)].gone)
        stage_.rules().removeRecording(static_cast<std::size_t>(chosen_));
}

void RecordingRows::choose(std::uint64_t index)
{
    chosen_ = static_cast<int>(index);
    viewport()->update();
    Q_EMIT chosen();
}

QString RecordingRows::rowText(std::uint64_t index) const
{
    const RecordingRow& row = rows_[index];
    return QStringList{text(row.spec.name), sentenceText(row.spec), row.state, row.below, row.never}.join(QLatin1Char('\t'));
}

QString RecordingRows::emptyText() const
{
    return tr(
        "The rig has no recordings yet. A recording keeps frames from one condition to another, with what came before and behind it, in "
        "files of its own. Insert, or Add a recording.");
}

void RecordingRows::paintRow(QPainter& painter, int y, std::uint64_t index)
{
    const Theme& theme = Theme::get();
    const RecordingRow& row = rows_[index];
    const double height = pitch(), line = theme.px(17);
    if (static_cast<std::int64_t>(index) == current())
        painter.fillRect(QRectF(2, y, rowWidth() - 4, height - 1), theme.accentSoft);
    const double words = room();
    const QString name = text(row.spec.name);
    paintText(painter, QRectF(theme.px(12), y + theme.px(3), words - theme.px(20), line), name, theme.bodyStrong(),
        row.gone ? theme.ink3 : theme.ink);
    if (row.changed) {
        const double at = theme.px(24) + QFontMetricsF(theme.bodyStrong()).horizontalAdvance(name);
        paintText(painter, QRectF(at, y + theme.px(3), words - at, line),
            row.gone     ? tr("taken out, still armed")
            : !row.armed ? tr("new, not armed yet")
                         : tr("changed, not armed so yet"),
            theme.bodyStrong(), theme.accent);
    }
    const QPointF origin = sentenceAt(y);
    const SentenceLayout layout = layoutOf(row);
    painter.save();
    painter.setClipRect(QRectF(0, y, words, height));
    for (const SentencePiece& piece : layout.pieces) {
        const QRectF box = piece.box.translated(origin);
        const double under = box.bottom() - theme.px(2);
        if (piece.is)
            painter.fillRect(box.adjusted(-2, 1, 2, -1), static_cast<std::int64_t>(index) == current() ? theme.raised : theme.accentSoft);
        painter.setFont(piece.field ? theme.mono() : theme.body());
        painter.setPen(!piece.field || row.gone ? theme.ink2 : piece.was ? theme.ink3 : theme.ink);
        painter.drawText(box.adjusted(0, 0, 8, 0), Qt::AlignLeft | Qt::AlignVCenter, piece.text);
        if (piece.was) {
            painter.setPen(QPen(theme.ink3, 1));
            painter.drawLine(QPointF(box.left(), box.center().y()), QPointF(box.right(), box.center().y()));
        } else if (piece.field && !row.gone) {
            painter.setPen(piece.is ? QPen(theme.accent, 1.5) : QPen(theme.ink2, 1, Qt::DotLine));
            painter.drawLine(QPointF(box.left(), under), QPointF(box.right(), under));
        }
    }
    painter.restore();
    if (!row.never.isEmpty())
        paintText(painter, QRectF(origin.x(), origin.y() + layout.lines * linePitch(), words - theme.px(24), linePitch()), row.never,
            theme.body(), theme.error);
    const bool running = row.armed.has_value();
    paintTakeMark(painter, QPointF(words + theme.px(6), y + theme.px(12)), row.phase, running ? theme.ink : theme.ink3);
    const double stateAt = words + theme.px(28), stateRoom = rowWidth() - stateAt - theme.px(running ? 74 : 12);
    paintText(painter, QRectF(stateAt, y + theme.px(3), rowWidth() - stateAt - theme.px(10), line), row.state, theme.body(), theme.ink);
    if (row.buffer >= 0) {
        const QRectF bar(stateAt, y + theme.px(24), std::min<double>(theme.px(92), stateRoom), theme.px(5));
        painter.fillRect(bar, theme.grid);
        painter.fillRect(QRectF(bar.left(), bar.top(), bar.width() * row.buffer, bar.height()), theme.ink2);
    }
    paintText(painter, QRectF(stateAt, y + theme.px(row.buffer >= 0 ? 32 : 21), stateRoom, line), row.below, theme.body(), theme.ink2);
    if (running) {
        const bool runs = row.phase == rules::Rules::Phase::keeps || row.phase == rules::Rules::Phase::behind;
        const QRectF box = buttonBox(y);
        painter.setRenderHint(QPainter::Antialiasing);
        painter.setPen(theme.hairline);
        painter.setBrush(theme.raised);
        painter.drawRoundedRect(box, theme.px(4), theme.px(4));
        painter.setRenderHint(QPainter::Antialiasing, false);
        paintText(painter, box, runs ? tr("Stop") : tr("Start"), theme.body(), theme.ink, Qt::AlignCenter);
    }
    painter.setPen(theme.hairline);
    painter.drawLine(0, y + static_cast<int>(height) - 1, rowWidth(), y + static_cast<int>(height) - 1);
}

void RecordingRows::mousePressEvent(QMouseEvent* event)
{
    std::size_t index = 0;
    const auto field = fieldAt(event->position(), index);
    const std::int64_t row = rowAt(event->position());
    RowList::mousePressEvent(event);
    if (row < 0 || event->button() != Qt::LeftButton)
        return;
    if (rows_[static_cast<std::size_t>(row)].armed && buttonBox(yOf(static_cast<std::size_t>(row))).contains(event->position()))
        Q_EMIT startOrStopWanted(static_cast<std::size_t>(row));
    else if (field)
        edit(index, *field);
}

void RecordingRows::mouseMoveEvent(QMouseEvent* event)
{
    std::size_t index = 0;
    viewport()->setCursor(fieldAt(event->position(), index) ? Qt::PointingHandCursor : Qt::ArrowCursor);
    RowList::mouseMoveEvent(event);
}

bool RecordingRows::viewportEvent(QEvent* event)
{
    if (event->type() == QEvent::ToolTip) {
        const auto* help = static_cast<QHelpEvent*>(event);
        std::size_t at = 0;
        if (const auto field = fieldAt(help->pos(), at)) {
            QToolTip::showText(help->globalPos(), fieldHint(*field), viewport());
            return true;
        }
        if (const std::int64_t index = rowAt(help->pos()); index >= 0) {
            const RecordingRow& row = rows_[static_cast<std::size_t>(index)];
            QToolTip::showText(help->globalPos(),
                QStringList{sentenceText(row.spec), row.state, row.never, row.armed ? tr("Start or stop by hand  (Enter)") : QString()}
                    .filter(QRegularExpression(QStringLiteral(".")))
                    .join(QLatin1Char('\n')),
                viewport());
            return true;
        }
    }
    return RowList::viewportEvent(event);
}

void RecordingRows::keyPressEvent(QKeyEvent* event)
{
    const bool plain = (event->modifiers() & Qt::ControlModifier) == 0;
    if (event->key() == Qt::Key_Insert) {
        edit(stage_.rules().addRecording({}), Field::name);
        return;
    }
    if (chosen_ >= 0 && plain && (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter))
        return Q_EMIT startOrStopWanted(static_cast<std::size_t>(chosen_));
    if (chosen_ >= 0 && event->key() == Qt::Key_F2)
        return edit(static_cast<std::size_t>(chosen_), Field::name);
    if (chosen_ >= 0 && event->key() == Qt::Key_Delete)
        return removeCurrent();
    RowList::keyPressEvent(event);
}

void RecordingRows::contextMenuEvent(QContextMenuEvent* event)
{
    const std::int64_t index = rowAt(event->pos());
    if (index < 0 || rows_[static_cast<std::size_t>(index)].gone)
        return;
    choose(static_cast<std::uint64_t>(index));
    QMenu menu(this);
    if (rows_[static_cast<std::size_t>(index)].armed)
        menu.addAction(tr("Start or stop by hand") + QStringLiteral("\tReturn"), this,
            [=, this] { Q_EMIT startOrStopWanted(static_cast<std::size_t>(index)); });
    menu.addAction(tr("Change it, beginning with its name") + QStringLiteral("\tF2"), this,
        [=, this] { edit(static_cast<std::size_t>(index), Field::name); });
    const QStringList newest = stage_.rules().newestTake(rows_[static_cast<std::size_t>(index)].spec.name);
    menu.addAction(tr("Open its newest take"), this, [=, this] { Q_EMIT stage_.fileWanted(newest.front()); })
        ->setEnabled(!newest.isEmpty());
    menu.addAction(tr("Play its newest take back"), this, [=, this] { Q_EMIT stage_.replayWanted(newest.front()); })
        ->setEnabled(!newest.isEmpty());
    menu.addSeparator();
    menu.addAction(tr("Take it out of the rig") + QStringLiteral("\tDel"), this, [this] { removeCurrent(); });
    menu.exec(event->globalPos());
}

}  // namespace wavetrope::app
