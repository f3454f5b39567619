// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/outbox/outbox_view.h"

#include <QHBoxLayout>
#include <QKeyEvent>
#include <QMenu>
#include <QPainter>
#include <QToolButton>
#include <QVBoxLayout>

#include <algorithm>
#include <cmath>

#include "app/paint/paint.h"
#include "app/paint/row_list.h"
#include "app/parts/elided_label.h"
#include "app/parts/notation.h"
#include "app/parts/text.h"
#include "app/theme/theme.h"
#include "base/time_text.h"
#include "database/compose.h"
#include "rig/session.h"

namespace wavetrope::app {

namespace {

constexpr double controlAt = 12, controlWide = 66, controlTall = 24, badgeAt = 88, messageAt = 108, goesAt = 214, valuesAt = 342;
constexpr double stripWide = 100, rightRoom = 200, sentRoom = 74, rowTall = 41, leastOutbox = 680;
constexpr double valuePad = 4;

QString spanWords(Time span) { return text(exactSpanText(span)); }

QString agoWords(Time ago)
{
    const double ms = static_cast<double>(ago.count()) * 1e-6;
    return ms < 1000 ? OutboxView::tr("%1 ms ago").arg(std::max(0.0, ms), 0, 'f', 0) : OutboxView::tr("%1 s ago").arg(ms * 1e-3, 0, 'f', 1);
}

// As a period is read, in milliseconds or, from half a second on, in seconds; how far it spreads in milliseconds.
QString keptWords(Time kept, Time spread)
{
    const double ms = static_cast<double>(kept.count()) * 1e-6, wide = static_cast<double>(spread.count()) * 1e-6;
    return ms < 500 ? OutboxView::tr("%1, spread %2 ms").arg(ms, 0, 'f', 2).arg(wide, 0, 'f', 2)
                    : OutboxView::tr("%1 s, spread %2 ms").arg(ms * 1e-3, 0, 'f', 3).arg(wide, 0, 'f', 1);
}

}  // namespace

class OutboxView::Rows : public RowList {
public:
    explicit Rows(OutboxView& view) : view_(view)
    {
        setObjectName(QStringLiteral("outboxRows"));
        setAccessibleName(OutboxView::tr("Outbox"));
        setMouseTracking(true);
        layHeads();
    }
    std::uint64_t count() const override { return view_.count(); }
    std::int64_t current() const override { return view_.current_; }
    void choose(std::uint64_t index) override { view_.choose(static_cast<std::size_t>(index)); }
    QString rowText(std::uint64_t index) const override { return view_.rowText(static_cast<std::size_t>(index)); }
    [[nodiscard]] QRect lineOf(std::size_t index) const
    {
        const int y = headHeight() + (static_cast<int>(index) - static_cast<int>(top())) * pitch();
        return {0, y, rowWidth(), pitch()};
    }
    [[nodiscard]] QRectF controlIn(const QRectF& line, bool group) const
    {
        const Theme& theme = Theme::get();
        if (group)
            return {line.right() - theme.px(rightRoom) + theme.px(68), line.top() + theme.px(9), static_cast<double>(theme.px(118)),
                static_cast<double>(theme.px(controlTall))};
        return {line.left() + theme.px(controlAt), line.top() + theme.px((rowTall - controlTall) / 2),
            static_cast<double>(theme.px(controlWide)), static_cast<double>(theme.px(controlTall))};
    }
    /// Boxes of the values that have room, each with its place among them.
    [[nodiscard]] std::vector<QRectF> valueBoxes(const QRectF& line, const std::vector<Value>& values, std::size_t* left = nullptr) const
    {
        const Theme& theme = Theme::get();
        const QFontMetricsF names(theme.body()), numbers(theme.mono());
        const double end = line.right() - theme.px(rightRoom) - theme.px(34);
        double x = theme.px(valuesAt);
        std::vector<QRectF> out;
        for (const Value& value : values) {
            const double wide = (value.name.isEmpty() ? 0 : names.horizontalAdvance(value.name) + theme.px(5))
                                + numbers.horizontalAdvance(value.text) + 2 * theme.px(valuePad);
            if (x + wide > end && !out.empty())
                break;
            out.emplace_back(x, line.top() + theme.px(3), std::min(wide, end - x + theme.px(30)), theme.px(18));
            x += wide + theme.px(6);
        }
        if (left != nullptr)
            *left = values.size() - out.size();
        return out;
    }

protected:
    int pitch() const override { return Theme::get().px(rowTall); }
    QString emptyText() const override
    {
        return OutboxView::tr("Nothing to send yet. Type a message below, such as 0x1F0 11 22 33, or the name of one with values.");
    }
    void paintRow(QPainter& painter, int y, std::uint64_t index) override
    {
        const Theme& theme = Theme::get();
        const Entry& entry = view_.entries_[index];
        const QRectF line(0, y, rowWidth(), pitch());
        const bool chosen = static_cast<std::int64_t>(index) == current();
        if (chosen)
            painter.fillRect(line.adjusted(2, 0, -2, -1), theme.accentSoft);
        painter.setPen(theme.grid);
        painter.drawLine(QPointF(theme.px(12), line.bottom() - 1), QPointF(line.right() - theme.px(12), line.bottom() - 1));
        if (!entry.row)
            return paintGroup(painter, line, entry);
        const drive::OutboxRow& spec = view_.specOf(entry);
        const drive::OutboxRowFacts* facts = view_.factsOf(entry);
        const double first = line.top() + theme.px(4), second = line.top() + theme.px(21), tall = theme.px(16);
        paintControl(painter, controlIn(line, false), view_.stateOf(static_cast<std::size_t>(index)));
        if (const int bus = view_.busOf(spec); bus >= 0)
            paintBusBadge(painter, QRectF(theme.px(badgeAt), line.top() + theme.px(5), theme.px(14), theme.px(14)),
                view_.stage().mark(static_cast<unsigned>(bus)));
        const double messageWide = theme.px(goesAt - messageAt - 8), goesWide = theme.px(valuesAt - goesAt - 8);
        const bool byId = spec.message.empty();
        paintText(painter, QRectF(theme.px(messageAt), first, messageWide, tall),
            byId ? text(can::toText(spec.frame.id)) : text(spec.message), byId ? theme.mono() : theme.bodyStrong(), theme.ink);
        paintText(painter, QRectF(theme.px(messageAt), second, messageWide, tall),
            byId ? OutboxView::tr("frame, %1 bytes").arg(spec.frame.length) : text(can::toText(view_.idOf(spec))),
            byId ? theme.body() : theme.mono(), theme.ink2);
        const auto [when, howLong] = whenWords(spec);
        paintText(painter, QRectF(theme.px(goesAt), first, goesWide, tall), when, theme.body(), theme.ink);
        paintText(painter, QRectF(theme.px(goesAt), second, goesWide, tall), howLong, theme.body(), theme.ink2);
        paintValues(painter, line, entry);
        // The second line under them: what presses most.
        const QString words = view_.wordsOf(static_cast<std::size_t>(index));
        const bool wrong = !view_.problemOf(entry).isEmpty();
        const bool waits = !wrong && facts != nullptr && facts->waits > 0;
        double x = theme.px(valuesAt) + theme.px(valuePad);
        if (wrong) {
            paintWarning(painter, QPointF(x + theme.px(5), second + tall / 2), theme.px(9));
            x += theme.px(15);
        } else if (waits) {
            paintDiamond(painter, QPointF(x + theme.px(5), second + tall / 2), theme.px(4));
            x += theme.px(14);
        }
        paintText(painter, QRectF(x, second, line.right() - theme.px(rightRoom + 8) - x, tall), words,
            wrong || waits ? theme.bodyStrong() : theme.body(), wrong || waits ? theme.ink : theme.ink2);
        const double strip = line.right() - theme.px(rightRoom);
        if (facts == nullptr)
            return;
        const Time now = facts->told;       // the run has gone on since, and the row with it
        if (!facts->ticks.empty())
            paintRhythm(painter, QRectF(strip, line.top() + theme.px(2), theme.px(stripWide), theme.px(18)), facts->ticks,
                spec.every.count() > 0 ? spec.every : facts->kept, now);
        const QString kept = facts->sent > 1 && spec.every.count() > 0 ? keptWords(facts->kept, facts->spread) : QString();
        paintText(painter, QRectF(strip, second, theme.px(rightRoom - sentRoom - 6), tall), kept, theme.small(), theme.ink2);
        const QRectF sent(line.right() - theme.px(sentRoom + 14), first, theme.px(sentRoom), tall);
        paintText(painter, sent, countText(facts->sent), theme.mono(), theme.ink, Qt::AlignRight | Qt::AlignVCenter);
        const QString last = facts->refused > 0 ? OutboxView::tr("%1 refused").arg(countText(facts->refused))
                             : facts->sent > 0  ? agoWords(now - facts->last)
                                                : QString();
        paintText(painter, QRectF(sent.left(), second, sent.width(), tall), last, facts->refused > 0 ? theme.bodyStrong() : theme.body(),
            facts->refused > 0 ? theme.error : theme.ink2, Qt::AlignRight | Qt::AlignVCenter);
    }
    void keyPressEvent(QKeyEvent* event) override
    {
        const auto at = static_cast<std::size_t>(std::max(0, view_.current_));
        if (view_.current_ < 0)
            return RowList::keyPressEvent(event);
        if (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter)
            return view_.press(at);
        if (event->key() == Qt::Key_F2 && view_.entries_[at].row)
            return view_.edit(at, 0);
        if (event->key() == Qt::Key_Delete && view_.entries_[at].row)
            return view_.stage().outbox().remove(view_.entries_[at].group, *view_.entries_[at].row);
        if (event->key() == Qt::Key_Escape && view_.entries_[at].row)
            return;
        RowList::keyPressEvent(event);
    }
    void mousePressEvent(QMouseEvent* event) override
    {
        const std::int64_t index = rowAt(event->position());
        if (index < 0 || event->button() != Qt::LeftButton)
            return RowList::mousePressEvent(event);
        const auto row = static_cast<std::size_t>(index);
        setFocus();
        view_.choose(row);
        const Entry& entry = view_.entries_[row];
        if (controlIn(lineOf(row), !entry.row).contains(event->position()))
            return view_.press(row);
        if (!entry.row)
            return;
        const std::vector<QRectF> boxes = valueBoxes(lineOf(row), view_.valuesOf(entry));
        for (std::size_t i = 0; i < boxes.size(); ++i)
            if (boxes[i].contains(event->position()))
                return view_.edit(row, i);
    }
    void mouseDoubleClickEvent(QMouseEvent* event) override { event->accept(); }        // never sends
    void resizeEvent(QResizeEvent* event) override
    {
        layHeads();
        RowList::resizeEvent(event);
    }

private:
    void layHeads()
    {
        const double wide = std::max(leastOutbox, viewport()->width() / Theme::get().scale());
        setHeads(
            {{messageAt, OutboxView::tr("message")}, {goesAt, OutboxView::tr("goes out")}, {valuesAt + valuePad, OutboxView::tr("values")},
                {wide - rightRoom, OutboxView::tr("last sendings")}, {wide - sentRoom, OutboxView::tr("sent"), wide - 14}},
            leastOutbox);
    }
    static void paintDiamond(QPainter& painter, const QPointF& centre, double half)
    {
        painter.save();
        painter.setRenderHint(QPainter::Antialiasing);
        painter.setPen(QPen(Theme::get().accent, 1.5));
        painter.setBrush(Qt::NoBrush);
        painter.drawPolygon(
            QPolygonF({centre + QPointF(0, -half), centre + QPointF(half, 0), centre + QPointF(0, half), centre + QPointF(-half, 0)}));
        painter.restore();
    }
    // One size, place and mark in every row; its word and fill say how it is.
    static void paintControl(QPainter& painter, const QRectF& box, State state)
    {
        const Theme& theme = Theme::get();
        const bool filled = state == State::sends;
        painter.save();
        painter.setRenderHint(QPainter::Antialiasing);
        QPen pen(state == State::waits ? theme.ink3 : filled || state == State::ready ? theme.accent : theme.ink2, 1);
        if (state == State::waits)
            pen.setStyle(Qt::DashLine);
        painter.setPen(pen);
        painter.setBrush(filled ? theme.accent : state == State::ready ? theme.accentSoft : theme.raised);
        painter.drawRoundedRect(box.adjusted(0.5, 0.5, -0.5, -0.5), theme.px(4), theme.px(4));
        const QColor ink = filled ? theme.ground : state == State::waits ? theme.ink2 : theme.ink;
        // A plug that goes out.
        const double middle = box.center().y(), left = box.left() + theme.px(9);
        painter.setPen(QPen(ink, 1.5));
        painter.setBrush(filled ? QBrush(ink) : QBrush(Qt::NoBrush));
        painter.drawRect(QRectF(left, middle - theme.px(3), theme.px(5), theme.px(6)));
        painter.drawLine(QPointF(left + theme.px(5), middle), QPointF(left + theme.px(11), middle));
        painter.drawLine(QPointF(left + theme.px(11), middle - theme.px(3)), QPointF(left + theme.px(11), middle + theme.px(3)));
        painter.restore();
        const QString words = state == State::sends   ? OutboxView::tr("Sends")
                              : state == State::ready ? OutboxView::tr("Ready")
                              : state == State::waits ? OutboxView::tr("Waits")
                                                      : OutboxView::tr("Send");
        paintText(painter, box.adjusted(theme.px(24), 0, -2, 0), words, theme.bodyStrong(), ink);
    }
    void paintGroup(QPainter& painter, const QRectF& line, const Entry& entry) const
    {
        const Theme& theme = Theme::get();
        const drive::OutboxGroup& group = view_.stage().outbox().groups()[entry.group];
        const double wide = QFontMetricsF(theme.head()).horizontalAdvance(text(group.name)) + theme.px(8);
        const QRectF words = line.adjusted(theme.px(12), 0, -theme.px(rightRoom), 0);
        paintText(painter, words, text(group.name), theme.head(), theme.ink);
        const QString rows = group.rows.size() == 1 ? OutboxView::tr("1 row") : OutboxView::tr("%1 rows").arg(group.rows.size());
        paintText(painter, words.adjusted(wide, 0, 0, 0),
            group.comment.empty() ? rows : OutboxView::tr("%1, %2").arg(rows, text(group.comment)), theme.body(), theme.ink2);
        const QRectF box = controlIn(line, true);
        painter.save();
        painter.setRenderHint(QPainter::Antialiasing);
        painter.setPen(QPen(theme.hairline, 1));
        painter.setBrush(theme.raised);
        painter.drawRoundedRect(box.adjusted(0.5, 0.5, -0.5, -0.5), theme.px(4), theme.px(4));
        painter.restore();
        paintText(painter, box, view_.anyGoing(entry.group) ? OutboxView::tr("Hold") : OutboxView::tr("Start together"), theme.body(),
            theme.ink, Qt::AlignCenter);
    }
    void paintValues(QPainter& painter, const QRectF& line, const Entry& entry) const
    {
        const Theme& theme = Theme::get();
        const std::vector<Value> values = view_.valuesOf(entry);
        std::size_t left = 0;
        const std::vector<QRectF> boxes = valueBoxes(line, values, &left);
        for (std::size_t i = 0; i < boxes.size(); ++i) {
            QRectF box = boxes[i];
            if (values[i].waits) {
                painter.setPen(QPen(theme.accent, 1, Qt::DashLine));
                painter.setBrush(theme.raised);
                painter.drawRect(box.adjusted(0.5, 0.5, -0.5, -1.5));
            }
            box.adjust(theme.px(valuePad), 0, -theme.px(valuePad) + 2, 0);
            if (!values[i].name.isEmpty()) {
                const double wide = QFontMetricsF(theme.body()).horizontalAdvance(values[i].name);
                paintText(painter, QRectF(box.left(), box.top(), std::min(wide + 1, box.width()), box.height()), values[i].name,
                    theme.body(), theme.ink2);
                box.setLeft(box.left() + wide + theme.px(5));
            }
            paintText(painter, box, values[i].text, theme.mono(), values[i].source ? theme.ink2 : theme.ink);
        }
        if (left > 0 && !boxes.empty())
            paintText(painter, QRectF(boxes.back().right() + theme.px(4), boxes.back().top(), theme.px(30), boxes.back().height()),
                QStringLiteral("+%1").arg(left), theme.body(), theme.ink2);
    }

    OutboxView& view_;
};

OutboxView::OutboxView(Stage& stage)
    : View(stage),
      tools_(new QWidget),
      told_(new ElidedLabel),
      hold_(new QToolButton),
      rows_(new Rows(*this)),
      line_(new QLineEdit),
      wrong_(new QLabel),
      field_(new InPlaceField(rows_->viewport()))
{
    setObjectName(QStringLiteral("outbox"));
    auto* bar = new QHBoxLayout(tools_);
    bar->setContentsMargins(0, 0, 0, 0);
    Theme::writeInBody(told_);
    told_->setObjectName(QStringLiteral("outboxFacts"));
    told_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    bar->addWidget(told_, 1);
    hold_->setObjectName(QStringLiteral("outboxHoldAll"));
    hold_->setText(tr("hold all"));
    hold_->setAutoRaise(true);
    hold_->setToolTip(tr("Holds every row that goes out by itself, and those that are armed"));
    bar->addWidget(hold_);
    connect(hold_, &QToolButton::clicked, this, [this] { this->stage().outbox().holdAll(); });

    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(0);
    layout->addWidget(rows_, 1);
    wrong_->setObjectName(QStringLiteral("outboxWrong"));
    wrong_->setWordWrap(true);
    wrong_->setMargin(4);
    wrong_->hide();
    layout->addWidget(wrong_);
    auto* foot = new QHBoxLayout;
    foot->setContentsMargins(Theme::get().px(12), Theme::get().px(4), Theme::get().px(12), Theme::get().px(6));
    line_->setObjectName(QStringLiteral("outboxLine"));
    line_->setPlaceholderText(tr("add: BladeCommand CommandedDepth=3.5, or 0x1F0 11 22 33"));
    line_->setAccessibleName(tr("Message to put into the outbox"));
    line_->setToolTip(
        tr("A message by its name with values, or an identifier with bytes; fd, fdbrs or remote behind the identifier. Return adds it"));
    foot->addWidget(line_);
    layout->addLayout(foot);
    connect(line_, &QLineEdit::returnPressed, this, &OutboxView::addTyped);
    connect(line_, &QLineEdit::textEdited, wrong_, &QLabel::hide);
    setFocusProxy(rows_);
    field_->setObjectName(QStringLiteral("outboxField"));
    const auto restyle = [this] {
        wrong_->setFont(Theme::get().body());
        wrong_->setStyleSheet(QStringLiteral("QLabel { color: %1; }").arg(Theme::get().error.name()));
    };
    restyle();
    connect(&Theme::get(), &Theme::changed, this, restyle);
    connect(&stage, &Stage::beat, this, &OutboxView::refresh);
    connect(&stage, &Stage::catalogChanged, this, &OutboxView::rebuild);
    connect(&stage, &Stage::becameReady, this, &OutboxView::rebuild);
    connect(&stage.outbox(), &OutboxDesk::changed, this, &OutboxView::rebuild);
    rebuild();
}

QWidget* OutboxView::rows() const { return rows_->viewport(); }

void OutboxView::showEvent(QShowEvent* event)
{
    View::showEvent(event);
    rebuild();
}

void OutboxView::rebuild()
{
    entries_.clear();
    std::size_t number = 0;
    const auto& groups = stage().outbox().groups();
    for (std::size_t g = 0; g < groups.size(); ++g) {
        entries_.push_back({g, std::nullopt, 0});
        for (std::size_t r = 0; r < groups[g].rows.size(); ++r)
            entries_.push_back({g, r, number++});
    }
    current_ = std::min(current_, static_cast<int>(entries_.size()) - 1);
    refresh();
}

void OutboxView::refresh()
{
    if (!isVisible())
        return;
    facts_ = stage().outbox().facts();
    if (const rig::Session* session = stage().document().session())
        health_ = session->health();
    std::size_t rows = 0, going = 0;
    std::uint64_t sent = 0;
    for (const Entry& entry : entries_)
        rows += entry.row ? 1 : 0;
    for (const drive::OutboxRowFacts& facts : facts_) {
        going += facts.going ? 1 : 0;
        sent += facts.sent;
    }
    told_->setText(rows == 0 ? tr("empty") : tr("%1 rows, %2 going out, %3 sent").arg(rows).arg(going).arg(countText(sent)));
    hold_->setEnabled(going > 0);
    rows_->refresh();
}

const drive::OutboxRowFacts* OutboxView::factsOf(const Entry& entry) const
{
    return entry.number < facts_.size() ? &facts_[entry.number] : nullptr;
}

bool OutboxView::anyGoing(std::size_t group) const
{
    return std::any_of(entries_.begin(), entries_.end(), [&](const Entry& entry) {
        const drive::OutboxRowFacts* facts = entry.row && entry.group == group ? factsOf(entry) : nullptr;
        return facts != nullptr && facts->going;
    });
}

int OutboxView::busOf(const drive::OutboxRow& spec) const { return stage().document().catalog()->findBus(spec.bus); }

const database::CatalogMessage* OutboxView::messageOf(const drive::OutboxRow& spec) const
{
    const auto& catalog = *stage().document().catalog();
    for (const database::CatalogMessage& message : catalog.messages())
        if (!spec.message.empty() && message.message->name == spec.message && catalog.busName(message.bus) == spec.bus)
            return &message;
    return nullptr;
}

can::Identifier OutboxView::idOf(const drive::OutboxRow& spec) const
{
    const database::CatalogMessage* message = messageOf(spec);
    return message != nullptr ? message->message->id : spec.frame.id;
}

std::pair<QString, QString> OutboxView::whenWords(const drive::OutboxRow& spec)
{
    using When = drive::OutboxRow::When;
    const QString burst = spec.burst > 1 ? tr("%1 frames, %2 apart").arg(spec.burst).arg(spanWords(spec.apart)) : QString();
    switch (spec.when) {
    case When::every: {
        const QString howLong = spec.count > 0 ? tr("%1 times").arg(countText(spec.count)) : tr("until told");
        return {tr("every %1").arg(spanWords(spec.every)),
            spec.offset.count() > 0 ? tr("%1, %2 later").arg(howLong, spanWords(spec.offset)) : howLong};
    }
    case When::answer:
        return {tr("answers %1").arg(text(spec.answer)),
            tr("after %1, %2").arg(spanWords(spec.after), spec.count > 0 ? tr("%1 times").arg(countText(spec.count)) : tr("each time"))};
    case When::moment: return {tr("at %1").arg(timeWords(static_cast<double>(spec.at.count()) * 1e-9, 3)), burst};
    default:
        if (!spec.key.empty())
            return {spec.held ? tr("while %1 is held").arg(text(spec.key)) : tr("each press of %1").arg(text(spec.key)),
                spec.held ? tr("every %1").arg(spanWords(spec.every)) : burst};
        return {tr("once"), burst.isEmpty() ? tr("each time it is sent") : burst};
    }
}

std::vector<OutboxView::Value> OutboxView::valuesOf(const Entry& entry) const
{
    const drive::OutboxRow& spec = specOf(entry);
    const drive::OutboxRowFacts* facts = factsOf(entry);
    std::vector<Value> out;
    if (spec.message.empty()) {
        if (spec.frame.kind == can::FrameKind::remote)
            return {{QString(), tr("remote %1").arg(spec.frame.dlc), true, false}};
        QStringList bytes;
        for (unsigned i = 0; i < spec.frame.length; ++i) {
            const auto own = spec.values.find(std::to_string(i));
            const double* still = own == spec.values.end() ? nullptr : std::get_if<double>(&own->second);
            bytes << (own != spec.values.end() && still == nullptr
                          ? QStringLiteral("..")
                          : QStringLiteral("%1")
                                .arg(still != nullptr ? static_cast<unsigned>(*still) : spec.frame.data[i], 2, 16, QLatin1Char('0'))
                                .toUpper());
        }
        return {{QString(), bytes.isEmpty() ? tr("no bytes") : bytes.join(QLatin1Char(' ')), false, facts != nullptr && facts->waits > 0}};
    }
    const database::CatalogMessage* message = messageOf(spec);
    if (message == nullptr)
        return out;
    // What somebody set stands in front, in the order of the message; the rest has its start values.
    for (const bool set : {true, false})
        for (std::uint32_t i = 0; i < message->message->signals.size(); ++i) {
            const database::Signal& signal = message->message->signals[i];
            const auto own = spec.values.find(signal.name);
            if ((own != spec.values.end()) != set)
                continue;
            Value value{text(signal.name), {}, !set, false};
            const database::SignalPlan& plan = message->plan.plan(i);
            bool fits = true;
            if (!set)
                value.text = text(database::readingOf(signal, plan, database::startBitsOf(signal, plan)));
            else if (const auto* still = std::get_if<double>(&own->second))
                value.text = text(database::readingOf(signal, plan, database::MessagePlan::bitsOf(plan, *still, fits)));
            else if (const auto* label = std::get_if<drive::LabelSpec>(&own->second))
                value.text = text(label->text);
            else {
                value.source = true;
                value.text = std::holds_alternative<drive::FormulaSpec>(own->second)
                                 ? QStringLiteral("= ") + text(std::get<drive::FormulaSpec>(own->second).text)
                             : std::holds_alternative<drive::SineSpec>(own->second)    ? tr("sine")
                             : std::holds_alternative<drive::NoiseSpec>(own->second)   ? tr("noise")
                             : std::holds_alternative<drive::CounterSpec>(own->second) ? tr("counter")
                             : std::holds_alternative<drive::Checksum>(own->second)    ? tr("checksum")
                                                                                       : tr("curve");
            }
            value.waits = set && facts != nullptr && std::find(facts->waiting.begin(), facts->waiting.end(), i) != facts->waiting.end();
            out.push_back(std::move(value));
        }
    return out;
}

QString OutboxView::problemOf(const Entry& entry) const
{
    if (!stage().document().isLive())
        return {};
    const drive::OutboxRowFacts* facts = factsOf(entry);
    if (facts != nullptr && !facts->problem.empty())
        return tr("Not going out: %1").arg(text(facts->problem));
    const int bus = busOf(specOf(entry));
    if (bus >= 0 && static_cast<std::size_t>(bus) < health_.size() && !health_[static_cast<std::size_t>(bus)].alive)
        return tr("Not going out: %1").arg(text(health_[static_cast<std::size_t>(bus)].words));
    return {};
}

OutboxView::State OutboxView::stateOf(std::size_t index) const
{
    const Entry& entry = entries_[index];
    const drive::OutboxRowFacts* facts = entry.row ? factsOf(entry) : nullptr;
    if (facts == nullptr || !problemOf(entry).isEmpty())
        return State::waits;
    if (!facts->going)
        return State::send;
    return specOf(entry).when == drive::OutboxRow::When::every ? State::sends : State::ready;
}

QString OutboxView::wordsOf(std::size_t index) const
{
    const Entry& entry = entries_[index];
    if (!entry.row)
        return text(stage().outbox().groups()[entry.group].comment);
    if (!stage().document().isLive())
        return tr("not going out: this is a log");
    if (const QString problem = problemOf(entry); !problem.isEmpty())
        return problem;
    const drive::OutboxRowFacts* facts = factsOf(entry);
    if (facts == nullptr)
        return tr("not going out: nothing runs");
    const drive::OutboxRow& spec = specOf(entry);
    if (facts->waits > 0)
        return facts->waits == 1 ? tr("waits: goes out when you send it")
                                 : tr("%1 values wait: they go out when you send it").arg(facts->waits);
    if (!spec.comment.empty())
        return text(spec.comment);
    const database::CatalogMessage* message = messageOf(spec);
    if (message == nullptr)
        return {};
    for (std::uint32_t i = 0; i < message->message->signals.size(); ++i)
        if (!spec.values.contains(message->message->signals[i].name))
            return tr("%1: %2").arg(
                text(message->message->signals[i].name), text(database::startWords(message->message->signals[i], message->plan.plan(i))));
    return {};
}

QString OutboxView::rowText(std::size_t index) const
{
    const Entry& entry = entries_[index];
    if (!entry.row)
        return text(stage().outbox().groups()[entry.group].name);
    const drive::OutboxRow& spec = specOf(entry);
    static const QStringList states = {tr("Send"), tr("Sends"), tr("Ready"), tr("Waits")};
    QStringList values;
    for (const Value& value : valuesOf(entry))
        values << (value.name.isEmpty() ? value.text : value.name + QLatin1Char(' ') + value.text);
    const auto [when, howLong] = whenWords(spec);
    const drive::OutboxRowFacts* facts = factsOf(entry);
    return QStringList{states[static_cast<int>(stateOf(index))], text(spec.bus),
        spec.message.empty() ? text(can::toText(spec.frame.id)) : text(spec.message), when, howLong, values.join(QStringLiteral(", ")),
        wordsOf(index), facts == nullptr ? QString() : QString::number(facts->sent)}
        .join(QLatin1Char('\t'));
}

QRect OutboxView::controlOf(std::size_t index) const { return rows_->controlIn(rows_->lineOf(index), !entries_[index].row).toRect(); }

QRect OutboxView::valueOf(std::size_t index, std::size_t value) const
{
    const std::vector<QRectF> boxes = rows_->valueBoxes(rows_->lineOf(index), valuesOf(entries_[index]));
    return value < boxes.size() ? boxes[value].toRect() : QRect();
}

void OutboxView::choose(std::size_t index)
{
    if (index >= entries_.size())
        return;
    current_ = static_cast<int>(index);
    rows_->bring(index);
    if (const Entry& entry = entries_[index]; entry.row) {
        const drive::OutboxRow& spec = specOf(entry);
        if (const int bus = busOf(spec); bus >= 0) {
            Selection selection;
            selection.kind = Selection::Kind::message;
            selection.bus = static_cast<std::uint8_t>(bus);
            selection.id = idOf(spec);
            stage().select(selection);
        }
    }
    rows_->viewport()->update();
}

void OutboxView::press(std::size_t index)
{
    const Entry entry = entries_[index];
    OutboxDesk& desk = stage().outbox();
    if (!stage().document().isLive()) {
        Q_EMIT stage().told(tr("Nothing goes out: this is a log"));
        return;
    }
    if (!entry.row) {
        if (!anyGoing(entry.group))
            return desk.startTogether(entry.group);
        for (const Entry& one : entries_)
            if (one.row && one.group == entry.group)
                desk.hold(one.number);
        return;
    }
    facts_ = desk.facts();
    const drive::OutboxRowFacts* facts = factsOf(entry);
    if (const QString problem = problemOf(entry); !problem.isEmpty()) {
        Q_EMIT stage().told(problem);
        return;
    }
    if (facts != nullptr && facts->going)
        return facts->waits > 0 ? desk.send(entry.number) : desk.hold(entry.number);
    // Before its first frame: whoever else sends it is named, with what to do.
    if (const std::vector<rig::Collision> others = desk.collisions(entry.number); !others.empty()) {
        auto* menu = new QMenu(this);
        menu->setObjectName(QStringLiteral("outboxCollision"));
        menu->setAttribute(Qt::WA_DeleteOnClose);
        menu->addSection(text(others.front().words(stage().catalog())));
        for (const rig::Collision& other : others)
            menu->addAction(tr("Take %1 out, and send").arg(text(other.node)), this, [this, node = other.node, number = entry.number] {
                stage().document().session()->post([node, number](rig::Session& session) {
                    if (drive::Actor* actor = session.actor(node))
                        actor->setOn(false);
                    session.outbox().go(number);
                });
            });
        menu->addAction(tr("Send all the same"), this, [this, entry] {
            stage().outbox().sendAnyway(entry.group, *entry.row);
            stage().outbox().go(entry.number);
        });
        menu->popup(rows_->viewport()->mapToGlobal(controlOf(index).bottomLeft()));
        return;
    }
    desk.go(entry.number);
}

void OutboxView::edit(std::size_t index, std::size_t value)
{
    const Entry entry = entries_[index];
    const std::vector<Value> values = valuesOf(entry);
    if (value >= values.size() || specOf(entry).frame.kind == can::FrameKind::remote)
        return;
    const QString name = values[value].name;
    QRect box = valueOf(index, value);
    if (!name.isEmpty())
        box.setLeft(
            box.left() + static_cast<int>(QFontMetricsF(Theme::get().body()).horizontalAdvance(name)) + Theme::get().px(valuePad + 5));
    const bool source = values[value].source && specOf(entry).values.contains(name.toStdString());
    field_->open(box, name.isEmpty() ? 180 : 90, source ? QString() : values[value].text,
        source ? tr("a value ends the source") : QString(), [this, entry, name](const QString& words) -> Expected<void> {
            OutboxDesk& desk = stage().outbox();
            return name.isEmpty() ? desk.setBytes(entry.group, *entry.row, words) : desk.setValue(entry.group, *entry.row, name, words);
        });
}

void OutboxView::addTyped()
{
    const auto group = current_ >= 0 ? entries_[static_cast<std::size_t>(current_)].group : std::numeric_limits<std::size_t>::max();
    unsigned bus = 0;
    if (current_ >= 0 && entries_[static_cast<std::size_t>(current_)].row)
        bus = static_cast<unsigned>(std::max(0, busOf(specOf(entries_[static_cast<std::size_t>(current_)]))));
    const auto added = stage().outbox().add(group, line_->text(), bus);
    if (!added) {
        wrong_->setText(text(added.error().text()));
        wrong_->show();
        return;
    }
    wrong_->hide();
    line_->clear();
}

}  // namespace wavetrope::app
