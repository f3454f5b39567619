// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/response/response_view.h"

#include <QContextMenuEvent>
#include <QHBoxLayout>
#include <QLabel>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QVBoxLayout>

#include <algorithm>

#include "app/paint/paint.h"
#include "app/paint/row_list.h"
#include "app/stage/bus_choice.h"
#include "app/stage/timing_desk.h"
#include "app/theme/theme.h"
#include "base/number_text.h"
#include "base/time_text.h"

namespace wavetrope::app {

namespace {

constexpr double deadlineAt = 0.8;      // of the bar's room
constexpr unsigned beatsBetweenMeasured = 10;   // looks at what was measured
constexpr int leastBar = 90;

// Milliseconds as they are written into cells.
QString msText(Time time)
{
    std::string out;
    appendNumber(out, static_cast<double>(time.count()) / 1e6);
    return QString::fromStdString(out) + QStringLiteral(" ms");
}
QString msText(double milliseconds) { return QString::number(milliseconds, 'f', 2) + QStringLiteral(" ms"); }

}  // namespace

// What the head says, with a mark where it is a warning.
class ResponseView::Verdict : public QWidget {
public:
    Verdict()
    {
        setObjectName(QStringLiteral("responseVerdict"));
        setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Preferred);
    }
    /// `brief` stands where there is no room for the words.
    void say(const QString& words, const QString& brief, bool wrong)
    {
        words_ = words;
        brief_ = brief;
        wrong_ = wrong;
        setAccessibleName(words);
        update();
    }
    [[nodiscard]] const QString& words() const { return words_; }

protected:
    void paintEvent(QPaintEvent*) override
    {
        const Theme& theme = Theme::get();
        QPainter painter(this);
        const double left = wrong_ ? theme.px(18) : 0;
        if (wrong_)
            paintWarning(painter, QPointF(theme.px(7), height() / 2.0), theme.px(10));
        const QFont font = wrong_ ? theme.bodyStrong() : theme.body();
        const bool fits = QFontMetricsF(font).horizontalAdvance(words_) <= width() - left;
        paintText(painter, QRectF(left, 0, width() - left, height()), fits ? words_ : brief_, font, wrong_ ? theme.ink : theme.ink2);
    }

private:
    QString words_, brief_;
    bool wrong_ = false;
};

class ResponseView::Rows : public RowList {
public:
    explicit Rows(ResponseView& view) : view_(view)
    {
        setObjectName(QStringLiteral("responseRows"));
        setAccessibleName(ResponseView::tr("Response times"));
        layHeads();
    }
    std::uint64_t count() const override { return rows().size(); }
    std::int64_t current() const override
    {
        const Selection& selection = view_.stage().selection();
        if (selection.kind != Selection::Kind::response || selection.bus != view_.bus_)
            return -1;
        for (std::size_t i = 0; i < rows().size(); ++i)
            if (rows()[i].message.head.id == selection.id)
                return static_cast<std::int64_t>(i);
        return -1;
    }
    void choose(std::uint64_t index) override { view_.choose(index); }
    QString rowText(std::uint64_t index) const override
    {
        const TimingDesk::Row& row = rows()[index];
        return QStringList{QString::fromStdString(can::toText(row.message.head.id)), QString::fromStdString(row.message.name),
            QString::number(row.message.bytes), msText(row.message.period), msText(row.message.jitter), msText(row.message.deadline),
            computed(row), measured(row), spare(row)}
            .join(QLatin1Char('\t'));
    }
    [[nodiscard]] QRect cell(std::size_t index, bool deadline) const
    {
        const Theme& theme = Theme::get();
        const int y = headHeight() + (static_cast<int>(index) - static_cast<int>(top())) * theme.rowHeight();
        const int right = deadline ? deadlineRight : jitterRight;
        return {theme.px(right - 58), y, theme.px(62), theme.rowHeight()};
    }
    /// The middle of a cell, in the view's pixels.
    [[nodiscard]] QPoint centreOf(std::size_t index, bool deadline) const { return cell(index, deadline).center(); }

protected:
    QString emptyText() const override
    {
        if (!view_.stage().timing().rate(view_.bus_).known())
            return ResponseView::tr("The bit rate of this bus is not known. Give the bus one in its rig.");
        return ResponseView::tr("No message of this bus has a cycle time: its database promises nothing to reckon with.");
    }
    void paintRow(QPainter& painter, int y, std::uint64_t index) override
    {
        const Theme& theme = Theme::get();
        const TimingDesk::Row& row = rows()[index];
        const int height = theme.rowHeight();
        if (static_cast<std::int64_t>(index) == current())
            painter.fillRect(QRectF(2, y, rowWidth() - 4, height), theme.accentSoft);
        const auto right = [&](int at, int width) { return QRectF(theme.px(at - width), y, theme.px(width), height); };
        const auto end = Qt::AlignRight | Qt::AlignVCenter;
        paintText(painter, QRectF(theme.px(12), y, theme.px(72), height), QString::fromStdString(can::toText(row.message.head.id)),
            theme.mono(), theme.ink2);
        paintText(painter, QRectF(theme.px(nameAt), y, theme.px(bytesRight - 26 - nameAt), height),
            QString::fromStdString(row.message.name), theme.body(), theme.ink);
        paintText(painter, right(bytesRight, 26), QString::number(row.message.bytes), theme.mono(), theme.ink2, end);
        paintText(painter, right(periodRight, 58), msText(row.message.period), theme.mono(), theme.ink2, end);
        // Set by hand: bold.
        paintText(painter, right(jitterRight, 58), msText(row.message.jitter), row.ownJitter ? theme.mono(10.5, QFont::Bold) : theme.mono(),
            row.ownJitter ? theme.ink : theme.ink2, end);
        paintText(painter, right(deadlineRight, 58), msText(row.message.deadline),
            row.ownDeadline ? theme.mono(10.5, QFont::Bold) : theme.mono(), row.ownDeadline ? theme.ink : theme.ink2, end);
        paintBar(painter, y, row);
        const int edge = rowWidth();
        const auto fromRight = [&](int at, int width) { return QRectF(edge - theme.px(at + width), y, theme.px(width), height); };
        paintText(painter, fromRight(170, 66), computed(row), theme.mono(), row.answer.meets ? theme.ink : theme.error, end);
        paintText(painter, fromRight(100, 66), measured(row), exceeds(row) ? theme.mono(10.5, QFont::Bold) : theme.mono(),
            exceeds(row)   ? theme.ink
            : row.measured ? theme.ink2
                           : theme.ink3,
            end);
        if (!row.answer.meets)
            paintWarning(painter, QPointF(edge - theme.px(91), y + height / 2.0), theme.px(10));
        paintText(painter, fromRight(10, 74), spare(row), row.answer.meets ? theme.mono() : theme.bodyStrong(),
            row.answer.meets ? theme.ink2 : theme.error, end);
    }
    void resizeEvent(QResizeEvent* event) override
    {
        layHeads();
        RowList::resizeEvent(event);
    }
    void mouseDoubleClickEvent(QMouseEvent* event) override
    {
        const std::int64_t index = rowAt(event->position());
        if (index < 0)
            return;
        for (const bool deadline : {false, true})
            if (cell(static_cast<std::size_t>(index), deadline).contains(event->position().toPoint()))
                return view_.edit(static_cast<std::size_t>(index), deadline);
        view_.goToWorst(static_cast<std::size_t>(index));
    }
    void keyPressEvent(QKeyEvent* event) override
    {
        const bool enter = event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter || event->key() == Qt::Key_F2;
        if (enter && current() >= 0)
            view_.edit(static_cast<std::size_t>(current()), true);
        else
            RowList::keyPressEvent(event);
    }
    void contextMenuEvent(QContextMenuEvent* event) override
    {
        const std::int64_t index = event->reason() == QContextMenuEvent::Keyboard ? current() : rowAt(event->pos());
        if (index < 0)
            return;
        choose(static_cast<std::uint64_t>(index));
        const auto at = static_cast<std::size_t>(index);
        auto* menu = new QMenu(this);
        menu->setAttribute(Qt::WA_DeleteOnClose);
        menu->addAction(ResponseView::tr("Deadline...\tEnter"), this, [this, at] { view_.edit(at, true); });
        menu->addAction(ResponseView::tr("Jitter..."), this, [this, at] { view_.edit(at, false); });
        menu->addSeparator();
        QAction* worst = menu->addAction(ResponseView::tr("Go to the worst measured"), this, [this, at] { view_.goToWorst(at); });
        worst->setEnabled(rows()[at].measured.has_value());
        menu->addAction(ResponseView::tr("The message"), this, [this, at] {
            Selection selection;
            selection.kind = Selection::Kind::message;
            selection.bus = static_cast<std::uint8_t>(view_.bus_);
            selection.id = rows()[at].message.head.id;
            view_.stage().select(selection);
        });
        menu->popup(event->globalPos());
    }

private:
    static constexpr int nameAt = 82, bytesRight = 222, periodRight = 284, jitterRight = 342, deadlineRight = 406;

    [[nodiscard]] const std::vector<TimingDesk::Row>& rows() const { return view_.stage().timing().rows(view_.bus_); }
    static QString computed(const TimingDesk::Row& row)
    {
        return row.answer.milliseconds ? msText(*row.answer.milliseconds) : ResponseView::tr("no bound");
    }
    static QString measured(const TimingDesk::Row& row)
    {
        return row.measured ? msText(static_cast<double>(row.measured->longest.count()) / 1e6) : QStringLiteral("\u2013");
    }
    // More than was reckoned with: somebody who promises no cycle time went first.
    static bool exceeds(const TimingDesk::Row& row)
    {
        return row.measured && row.answer.milliseconds
               && static_cast<double>(row.measured->longest.count()) / 1e6 > *row.answer.milliseconds;
    }
    static QString spare(const TimingDesk::Row& row)
    {
        if (!row.answer.milliseconds)
            return ResponseView::tr("may be late");
        const double rest = row.deadline() - *row.answer.milliseconds;
        return rest < 0 || !row.answer.meets ? ResponseView::tr("%1 late").arg(msText(-rest)) : msText(rest);
    }
    [[nodiscard]] QRectF barBox(double y) const
    {
        const Theme& theme = Theme::get();
        const double left = theme.px(deadlineRight + 12);
        return {left, y, std::max<double>(theme.px(leastBar), rowWidth() - left - theme.px(244)), static_cast<double>(theme.rowHeight())};
    }
    void layHeads()
    {
        const double scale = Theme::get().scale();
        const double edge = std::max(static_cast<double>(viewport()->width()) / scale, double{deadlineRight + leastBar + 244});
        const double bar = deadlineRight + 12;
        setHeads({{12, ResponseView::tr("id")}, {nameAt, ResponseView::tr("message")}, {0, ResponseView::tr("bytes"), bytesRight},
                     {0, ResponseView::tr("period"), periodRight}, {0, ResponseView::tr("jitter"), jitterRight},
                     {0, ResponseView::tr("deadline"), deadlineRight}, {bar, ResponseView::tr("to the deadline")},
                     {0, ResponseView::tr("computed"), edge - 170}, {0, ResponseView::tr("measured"), edge - 100},
                     {0, ResponseView::tr("to spare"), edge - 10}},
            deadlineRight + leastBar + 244);
    }
    // Of one scale for all: where the deadline stands, each bar is measured.
    void paintBar(QPainter& painter, double y, const TimingDesk::Row& row) const
    {
        const Theme& theme = Theme::get();
        const QRectF box = barBox(y);
        const double line = box.left() + box.width() * deadlineAt;
        const double middle = box.center().y();
        painter.setPen(theme.grid);
        painter.drawLine(QPointF(box.left(), middle), QPointF(box.right(), middle));
        const double share = row.share();
        const double end = std::min(box.left() + share * (line - box.left()), box.right());
        const QColor hue = theme.bus(view_.stage().mark(view_.bus_));
        QColor pale = hue;
        pale.setAlphaF(0.5F);
        const double half = theme.px(5);
        painter.fillRect(QRectF(QPointF(box.left(), middle - half), QPointF(std::min(end, line), middle + half)), pale);
        if (!row.answer.meets) {
            const QRectF beyond(QPointF(line, middle - half), QPointF(std::max(end, line + 3), middle + half));
            painter.fillRect(beyond, QBrush(theme.error, Qt::BDiagPattern));
            painter.setPen(QPen(theme.error, 1.2));
            painter.drawRect(beyond);
        } else {
            painter.fillRect(QRectF(end - 1, middle - half - 1, 2, 2 * half + 2), hue);
        }
        if (row.measured && row.deadline() > 0) {
            const double at = std::min(
                box.left() + static_cast<double>(row.measured->longest.count()) / 1e6 / row.deadline() * (line - box.left()), box.right());
            painter.setRenderHint(QPainter::Antialiasing);
            painter.setPen(Qt::NoPen);
            painter.setBrush(theme.ink);
            painter.drawEllipse(QPointF(at, middle), theme.px(3), theme.px(3));
            painter.setRenderHint(QPainter::Antialiasing, false);
        }
        painter.setPen(QPen(theme.ink, 1));
        painter.drawLine(QPointF(line, box.top()), QPointF(line, box.bottom()));
    }

    ResponseView& view_;
};

ResponseView::ResponseView(Stage& stage)
    : View(stage),
      tools_(new QWidget),
      busBox_(new BusChoice(stage, QStringLiteral("responseBus"), tr("Bus whose messages are shown"))),
      jitterName_(new QLabel(tr("jitter"))),
      jitter_(new QLineEdit),
      verdict_(new Verdict),
      rows_(new Rows(*this)),
      field_(new InPlaceField(rows_->viewport()))
{
    setObjectName(QStringLiteral("response"));
    auto* bar = new QHBoxLayout(tools_);
    bar->setContentsMargins(0, 0, 0, 0);
    bar->setSpacing(8);
    jitter_->setObjectName(QStringLiteral("responseJitter"));
    jitter_->setToolTip(tr("How late a message may be queued behind its beat: of each that has no jitter of its own"));
    for (QWidget* widget : std::initializer_list<QWidget*>{busBox_, jitterName_, jitter_})
        bar->addWidget(widget);
    bar->addWidget(verdict_, 1);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(rows_);
    setFocusProxy(rows_);
    rows_->setToolTip(
        tr("Bar: worst case that was computed; dot: worst that was measured. Enter: deadline. Double click: go to the worst"));
    connect(busBox_, &QComboBox::currentIndexChanged, this, &ResponseView::chooseBus);
    connect(&stage, &Stage::busChosen, busBox_, &BusChoice::chooseBus);
    connect(jitter_, &QLineEdit::editingFinished, this, &ResponseView::jitterTyped);
    connect(&stage.timing(), &TimingDesk::changed, this, &ResponseView::refresh);
    connect(&stage, &Stage::selectionChanged, this, [this] { rows_->viewport()->update(); });
    connect(&stage, &Stage::becameReady, this, &ResponseView::rebuild);
    connect(&stage, &Stage::beat, this, [this] {
        // What is measured grows slowly.
        if (isVisible() && ++beats_ % beatsBetweenMeasured == 0)
            rows_->viewport()->update();
    });
    connect(&Theme::get(), &Theme::changed, this, &ResponseView::rebuild);
    connect(field_, &InPlaceField::kept, rows_, [this] { rows_->setFocus(); });
    connect(field_, &InPlaceField::left, rows_, [this] { rows_->setFocus(); });
    rebuild();
}

QUndoStack* ResponseView::undoStack() { return &stage().timing().undoStack(); }

std::size_t ResponseView::count() const { return rows_->count(); }
QString ResponseView::verdict() const { return verdict_->words(); }
QString ResponseView::rowText(std::size_t index) const { return rows_->rowText(index); }

QPoint ResponseView::cellAt(std::size_t index, bool deadline) const
{
    return rows_->viewport()->mapTo(this, rows_->centreOf(index, deadline));
}

void ResponseView::rebuild()
{
    const Theme& theme = Theme::get();
    busBox_->fill();
    bus_ = busBox_->bus();
    jitterName_->setFont(theme.body());
    jitter_->setFont(theme.mono());
    jitter_->setFixedWidth(theme.px(70));
    refresh();
}

void ResponseView::refresh()
{
    const auto& rows = stage().timing().rows(bus_);
    const auto late = static_cast<std::size_t>(
        std::count_if(rows.begin(), rows.end(), [](const TimingDesk::Row& row) { return !row.answer.meets; }));
    const std::size_t meet = rows.size() - late;
    const QString others = meet == 0 ? QString() : meet == 1 ? tr("; 1 other meets it") : tr("; %1 others meet it").arg(meet);
    verdict_->say(rows.empty() ? QString()
                  : late == 0  ? tr("each of %1 meets its deadline, whatever comes").arg(rows.size())
                  : late == 1  ? tr("%1 may miss its deadline%2").arg(QString::fromStdString(rows.front().message.name), others)
                               : tr("%1 and %2 more may miss their deadlines%3")
                                    .arg(QString::fromStdString(rows.front().message.name))
                                    .arg(late - 1)
                                    .arg(others),
        late == 0   ? tr("all meet their deadlines")
        : late == 1 ? tr("%1 may be late").arg(QString::fromStdString(rows.front().message.name))
                    : tr("%1 and %2 more may be late").arg(QString::fromStdString(rows.front().message.name)).arg(late - 1),
        late > 0);
    verdict_->setToolTip(stage().timing().measures(bus_)
                             ? QString()
                             : tr("Nothing is simulated on this bus: what was offered when is not known, so nothing is measured."));
    if (!jitter_->hasFocus())
        jitter_->setText(msText(stage().timing().jitter(bus_)));
    rows_->refresh();
}

void ResponseView::chooseBus(int index)
{
    if (index < 0)
        return;
    rebuild();
    Q_EMIT setUpChanged();
}

void ResponseView::jitterTyped()
{
    if (const auto time = jitter_->text().trimmed().isEmpty() ? std::optional(Time{0}) : TimingDesk::timeFrom(jitter_->text()))
        stage().timing().setJitter(bus_, *time);
    else
        Q_EMIT stage().told(tr("'%1' is no time in milliseconds, 0 or more, such as 0.2").arg(jitter_->text()));
    jitter_->setText(msText(stage().timing().jitter(bus_)));
}

void ResponseView::choose(std::size_t index)
{
    const auto& rows = stage().timing().rows(bus_);
    if (index >= rows.size())
        return;
    Selection selection;
    selection.kind = Selection::Kind::response;
    selection.bus = static_cast<std::uint8_t>(bus_);
    selection.id = rows[index].message.head.id;
    stage().select(selection);
}

void ResponseView::edit(std::size_t index, bool deadline)
{
    const auto& rows = stage().timing().rows(bus_);
    if (index >= rows.size())
        return;
    rows_->bring(index);
    const TimingDesk::Row& row = rows[index];
    const std::string name = row.message.name;
    const auto field = deadline ? TimingDesk::Field::deadline : TimingDesk::Field::jitter;
    field_->open(rows_->cell(index, deadline), Theme::get().px(76), msText(deadline ? row.message.deadline : row.message.jitter),
        deadline ? tr("empty: the period") : tr("empty: that of all"), [this, name, field](const QString& typed) -> Expected<void> {
            if (typed.trimmed().isEmpty()) {
                stage().timing().set(bus_, name, field, std::nullopt);
                return {};
            }
            const auto time = TimingDesk::timeFrom(typed);
            if (!time)
                return fail(tr("no time in milliseconds, 0 or more, such as 4.5").toStdString());
            stage().timing().set(bus_, name, field, *time);
            return {};
        });
}

// The cursor goes to the frame that took longest.
void ResponseView::goToWorst(std::size_t index)
{
    choose(index);
    if (const auto& rows = stage().timing().rows(bus_); index < rows.size() && rows[index].measured)
        stage().setCursor(rows[index].measured->at);
}

nlohmann::json ResponseView::save() const { return {{"bus", busBox_->busName()}}; }

void ResponseView::restore(const nlohmann::json& setUp)
{
    if (setUp.contains("bus") && setUp["bus"].is_string())
        busBox_->want(QString::fromStdString(setUp["bus"].get<std::string>()));
    rebuild();
}

}  // namespace wavetrope::app
