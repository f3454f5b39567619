// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/network/messages_view.h"

#include <QHBoxLayout>
#include <QPainter>
#include <QToolButton>
#include <QVBoxLayout>
#include <QWheelEvent>

#include <algorithm>
#include <map>

#include "app/paint/paint.h"
#include "app/paint/row_list.h"
#include "app/parts/notation.h"
#include "app/parts/text.h"
#include "app/stage/newest_work.h"
#include "app/theme/theme.h"
#include "protocol/describe.h"

namespace wavetrope::app {

namespace {

constexpr trace::Row rowsAround = 6'000, rowsInFront = 4'000;
constexpr std::size_t piecesKept = 300, bytesKept = 64;
constexpr Time shortestScale = std::chrono::milliseconds(1), longestScale = std::chrono::seconds(10);

enum Column { timeColumn, lastedColumn, whoColumn, whatColumn, valueColumn };

bool isProcess(const std::optional<protocol::Head>& head)
{
    return !head || head->kind == protocol::Kind::process || head->kind == protocol::Kind::group;
}

}  // namespace

MessagesView::Around MessagesView::putTogether(const trace::Snapshot& snapshot, const std::vector<std::vector<protocol::Spoken>>& spoken,
    trace::Row at, const std::function<const protocol::Dictionary*(std::uint8_t, std::uint8_t)>& dictionaryOf, const protocol::Names* names,
    const std::function<bool()>& goesOn)
{
    Around out;
    out.snapshot = snapshot.rows();
    out.from = at > rowsAround ? at - rowsAround : 0;
    out.to = std::min<trace::Row>(snapshot.rows(), at + rowsAround);
    out.open = out.to == snapshot.rows();
    while (out.from < out.to && snapshot.trace().isGone(out.from))
        ++out.from;
    trace::Row next = out.from > rowsInFront ? out.from - rowsInFront : 0;
    while (next < out.from && snapshot.trace().isGone(next))
        ++next;
    const trace::Row begun = next;
    std::map<std::uint64_t, protocol::Transfer> broken;     // by the number of its last frame
    std::vector<std::uint64_t> within;                      // numbers of their other frames
    const auto pieces = [&](Message& message, std::span<const std::uint64_t> numbers) {
        message.frames = numbers.size();
        for (const std::uint64_t number : numbers.first(std::min(numbers.size(), piecesKept))) {
            const can::FrameView frame = snapshot.frame(number + begun);
            message.pieces.push_back({frame.time, number + begun, frame.id, {frame.data, frame.data + frame.length}});
        }
    };
    protocol::MessageStream stream(
        [&](const protocol::MessageRow& row) {
            const trace::Row number = row.number + begun;
            if (number < out.from)
                return;
            const auto ended = broken.find(row.number);
            if (ended == broken.end() && std::binary_search(within.begin(), within.end(), row.number))
                return;
            Message message;
            message.time = row.time;
            message.lasted = row.lasted;
            message.row = number;
            message.bus = row.bus;
            message.head = row.head;
            message.id = row.id;
            message.bytes = row.length;
            const bool object = row.head && row.head->protocol == protocol::Protocol::objects;
            const protocol::Party node = !object || row.head->source.is == protocol::Party::Is::node
                                             ? row.head ? row.head->source : protocol::Party{}
                                             : row.head->destination;
            const auto described = protocol::describe(row,
                object && node.is == protocol::Party::Is::node ? dictionaryOf(row.bus, static_cast<std::uint8_t>(node.value)) : nullptr,
                names);
            message.what = text(described.what);
            message.value = text(described.value);
            message.data.assign(row.data.begin(), row.data.begin() + static_cast<std::ptrdiff_t>(std::min(row.data.size(), bytesKept)));
            if (!row.pieces.empty())
                pieces(message, row.pieces);
            if (ended != broken.end()) {
                const protocol::Transfer& transfer = ended->second;
                message.head = transfer.head;
                message.lasted = transfer.to - transfer.from;
                message.id = transfer.id;
                message.bytes = transfer.bytes;
                message.what = MessagesView::tr("%1 %2").arg(text(toText(transfer.head.kind)), text(whatOf(transfer)));
                message.broken = text(protocol::brokenWords(transfer.ended));
                message.value.clear();
                pieces(message, transfer.numbers);
            }
            out.messages.push_back(std::move(message));
        },
        [&](const protocol::Transfer& transfer) {
            if (transfer.ended == protocol::Ended::whole)
                return;
            protocol::Transfer kept = transfer;
            kept.data = {};
            within.insert(within.end(), kept.numbers.begin(), kept.numbers.end() - 1);
            std::sort(within.begin(), within.end());
            const std::uint64_t last = kept.numbers.back();
            broken.emplace(last, std::move(kept));
        });
    for (std::size_t bus = 0; bus < spoken.size(); ++bus)
        stream.speak(static_cast<std::uint8_t>(bus), spoken[bus]);
    for (; next < out.to; ++next) {
        if (next % 1024 == 0 && !goesOn())
            return {};
        stream.onFrame(snapshot.frame(next));
    }
    stream.finish();
    return out;
}

class MessagesView::Rows : public RowList {
public:
    explicit Rows(MessagesView& view) : view_(view)
    {
        setObjectName(QStringLiteral("messageRows"));
        setAccessibleName(MessagesView::tr("Messages around the cursor"));
        setColumns(Columns({
            {"time", MessagesView::tr("whole at"), MessagesView::tr("When its last frame came"), 96, true, false, false,
                ColumnKind::ofTime},
            {"lasted", MessagesView::tr("lasted; its pieces"),
                MessagesView::tr("From its first frame to its last, all on one scale: Ctrl and the wheel change it"), 170},
            {"who", MessagesView::tr("from, to"), MessagesView::tr("Who sends it, and to whom"), 156},
            {"what", MessagesView::tr("what"), MessagesView::tr("Kind, group, object or service"), 160},
            {"value", MessagesView::tr("value"), MessagesView::tr("What it says"), 140, true, false, true},
        }));
    }
    std::uint64_t count() const override { return view_.order_.size(); }
    std::int64_t current() const override { return view_.chosen_; }
    void choose(std::uint64_t index) override { view_.choose(index); }
    QString rowText(std::uint64_t index) const override { return view_.rowText(index); }
    [[nodiscard]] const Message& message(std::uint64_t index) const { return view_.around_.messages[view_.order_[index]]; }

    [[nodiscard]] QString who(const Message& message) const
    {
        return message.head ? view_.stage().protocols().betweenWords(message.bus, *message.head) : text(can::toText(message.id));
    }
    // As the databases explain it, in front of what the protocol says.
    [[nodiscard]] std::pair<QString, QString> words(const Message& message, double room) const
    {
        const database::CatalogMessage* known = isProcess(message.head) && message.broken.isEmpty()
                                                    ? view_.stage().catalog().find(message.bus, message.id)
                                                    : nullptr;
        if (known == nullptr)
            return {message.what, message.broken.isEmpty() ? message.value : message.broken};
        return {text(known->message->name), signalWords(*known, message.data, Theme::get().body(), room)};
    }

protected:
    QString emptyText() const override
    {
        if (!view_.stage().protocols().anySpoken())
            return MessagesView::tr(
                "No bus speaks a higher protocol, as far as its traffic tells. Say what a bus speaks in the network view.");
        return MessagesView::tr("No message here: move the cursor to where there are frames.");
    }
    bool opens(std::uint64_t index) const override { return !message(index).pieces.empty(); }
    int linesUnder(std::uint64_t index) const override
    {
        const Message& one = message(index);
        if (one.pieces.empty() || !std::binary_search(view_.open_.begin(), view_.open_.end(), one.row))
            return 0;
        return static_cast<int>(one.pieces.size());
    }
    void open(std::uint64_t index, bool open) override { view_.setOpen(index, open); }
    void paintRow(QPainter& painter, int y, std::uint64_t index) override
    {
        const Theme& theme = Theme::get();
        const Message& one = message(index);
        const int height = theme.rowHeight();
        if (static_cast<int>(index) == view_.chosen_)
            painter.fillRect(QRectF(2, y, rowWidth() - 4, height), theme.accentSoft);
        if (opens(index))
            paintOpener(painter, y, linesUnder(index) > 0);
        for (std::size_t place = 0; place < columns_.count(); ++place) {
            QRectF box = columns_.box(place, y, height);
            switch (columns_.kindAt(place)) {
            case timeColumn:
                paintText(
                    painter, box.adjusted(theme.px(8), 0, 0, 0), timeText(view_.stage().seconds(one.time), 6), theme.mono(), theme.ink);
                break;
            case lastedColumn: paintLasted(painter, box, one); break;
            case whoColumn:
                paintBusBadge(painter, QRectF(box.left(), y + theme.px(3), theme.px(14), theme.px(14)), view_.stage().mark(one.bus));
                paintText(painter, box.adjusted(theme.px(20), 0, 0, 0), who(one), theme.body(), theme.ink);
                break;
            case whatColumn: paintText(painter, box, words(one, box.width()).first, theme.body(), theme.ink); break;
            default:
                if (!one.broken.isEmpty()) {
                    painter.fillRect(QRectF(box.left(), box.center().y() - theme.px(4), theme.px(8), theme.px(8)), theme.error);
                    box.setLeft(box.left() + theme.px(14));
                }
                paintText(painter, box, words(one, box.width()).second, one.pieces.empty() ? theme.body() : theme.bodyStrong(), theme.ink);
            }
        }
    }
    void paintLine(QPainter& painter, int y, std::uint64_t index, int line) override
    {
        const Theme& theme = Theme::get();
        const Message& one = message(index);
        const Piece& piece = one.pieces[static_cast<std::size_t>(line)];
        const int height = theme.rowHeight();
        for (std::size_t place = 0; place < columns_.count(); ++place) {
            const QRectF box = columns_.box(place, y, height);
            switch (columns_.kindAt(place)) {
            case timeColumn:
                paintText(
                    painter, box.adjusted(theme.px(8), 0, 0, 0), timeText(view_.stage().seconds(piece.time), 6), theme.mono(), theme.ink2);
                break;
            case lastedColumn:
                if (line > 0)
                    paintText(painter, box,
                        QStringLiteral("+%1").arg(
                            static_cast<double>((piece.time - one.pieces[static_cast<std::size_t>(line) - 1].time).count()) * 1e-6, 0, 'f',
                            2),
                        theme.mono(), theme.ink2, Qt::AlignRight | Qt::AlignVCenter);
                break;
            case whoColumn:
                paintText(painter, box.adjusted(theme.px(20), 0, 0, 0), text(can::toText(piece.id)), theme.mono(), theme.ink2);
                break;
            case whatColumn:
                paintText(painter, box, one.head ? text(protocol::pieceWords(*one.head, piece.id, piece.data)) : QString(), theme.body(),
                    theme.ink2);
                break;
            default: paintText(painter, box, text(protocol::bytesWords(piece.data, 64)), theme.mono(), theme.ink2);
            }
        }
    }
    void lineClicked(std::uint64_t index, int line) override
    {
        view_.stage().setCursorRow(message(index).pieces[static_cast<std::size_t>(line)].row);
    }
    void wheelEvent(QWheelEvent* event) override
    {
        if (!event->modifiers().testFlag(Qt::ControlModifier))
            return RowList::wheelEvent(event);
        view_.setScale(event->angleDelta().y() > 0 ? view_.scale_ / 2 : view_.scale_ * 2);
        event->accept();
    }

private:
    // Its duration on one scale, a tick up for what the asking side sends, down for the answering one.
    void paintLasted(QPainter& painter, const QRectF& box, const Message& one) const
    {
        const Theme& theme = Theme::get();
        const double numbers = theme.px(56);
        const QRectF drawing = box.adjusted(0, theme.px(3), -numbers - theme.px(6), -theme.px(3));
        const double lasted = static_cast<double>(one.lasted.count());
        paintText(painter, QRectF(box.right() - numbers, box.top(), numbers, box.height()),
            one.frames > 1 ? QStringLiteral("%1 ms").arg(lasted * 1e-6, 0, 'f', lasted < 1e7 ? 2 : 1) : MessagesView::tr("one frame"),
            one.frames > 1 ? theme.mono() : theme.small(), one.frames > 1 ? theme.ink : theme.ink3, Qt::AlignRight | Qt::AlignVCenter);
        if (one.pieces.empty())
            return;
        const double scale = static_cast<double>(view_.scale_.count());
        const double width = std::min(1.0, lasted / scale) * drawing.width();
        const QColor colour = theme.bus(view_.stage().mark(one.bus));
        painter.setPen(QPen(theme.hairline, 1));
        painter.drawLine(QPointF(drawing.left(), drawing.center().y()), QPointF(drawing.right(), drawing.center().y()));
        const std::size_t room = static_cast<std::size_t>(std::max(1.0, width / 3));
        if (one.frames > room) {
            QColor filled = colour;
            filled.setAlphaF(0.75F);
            painter.fillRect(QRectF(drawing.left(), drawing.top(), std::max(2.0, width), drawing.height()), filled);
        } else {
            painter.setPen(QPen(colour, 1.5));
            for (const Piece& piece : one.pieces) {
                const double at = drawing.left()
                                  + static_cast<double>((piece.time - one.pieces.front().time).count()) / scale * drawing.width();
                if (at > drawing.right())
                    break;
                const bool up = piece.id == one.pieces.front().id;
                painter.drawLine(QPointF(at, drawing.center().y()), QPointF(at, up ? drawing.top() : drawing.bottom()));
            }
            painter.drawLine(QPointF(drawing.left(), drawing.center().y()), QPointF(drawing.left() + width, drawing.center().y()));
        }
        if (!one.broken.isEmpty()) {
            const QPointF end(std::min(drawing.right() - theme.px(4), drawing.left() + width + theme.px(4)), drawing.center().y());
            const double arm = theme.px(4);
            painter.setPen(QPen(theme.error, 1.8));
            painter.drawLine(end - QPointF(arm, arm), end + QPointF(arm, arm));
            painter.drawLine(end - QPointF(arm, -arm), end + QPointF(arm, -arm));
        }
    }
    MessagesView& view_;
};

MessagesView::MessagesView(Stage& stage)
    : View(stage), tools_(new QWidget), process_(new QToolButton), rows_(new Rows(*this)), work_(new NewestWork(this))
{
    auto* bar = new QHBoxLayout(tools_);
    bar->setContentsMargins(0, 0, 0, 0);
    process_->setObjectName(QStringLiteral("withoutProcess"));
    process_->setText(tr("without process data"));
    process_->setToolTip(tr("Leaves out process data and groups of one frame, which are most of the traffic"));
    process_->setCheckable(true);
    process_->setAutoRaise(true);
    process_->setProperty("link", true);
    bar->addWidget(process_);
    bar->addStretch(1);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(rows_);
    setFocusProxy(rows_);
    connect(process_, &QToolButton::toggled, this, [this](bool on) {
        setWithoutProcess(on);
        Q_EMIT setUpChanged();
    });
    connect(&stage, &Stage::beat, this, &MessagesView::ask);
    connect(&stage, &Stage::axisChanged, this, &MessagesView::ask);
    connect(&stage.protocols(), &ProtocolDesk::spokenChanged, this, [this] {
        around_ = {};
        arrange();
        ask();
    });
    connect(&stage.protocols(), &ProtocolDesk::changed, this, [this] {
        if (isVisible())
            arrange();
    });
    connect(rows_, &RowList::columnsChanged, this, &View::setUpChanged);
}

void MessagesView::showEvent(QShowEvent* event)
{
    View::showEvent(event);
    stage().protocols().look(this, true);
    ask();
}

void MessagesView::hideEvent(QHideEvent* event)
{
    stage().protocols().look(this, false);
    View::hideEvent(event);
}

bool MessagesView::settled() const
{
    if (!isVisible() || stage().snapshot().rows() == 0)
        return true;
    if (asking_ || !stage().protocols().settled())
        return false;
    const trace::Row at = stage().cursorRow() == trace::noRow ? 0 : stage().cursorRow();
    return at >= around_.from && at < around_.to && (!stage().following() || around_.snapshot == stage().snapshot().rows());
}

// Around the cursor; what is there stays while the cursor is well within it.
void MessagesView::ask()
{
    const trace::Snapshot& snapshot = stage().snapshot();
    if (!isVisible() || asking_ || !snapshot.valid() || snapshot.rows() == 0)
        return;
    const trace::Row at = stage().following() || stage().cursorRow() == trace::noRow ? snapshot.rows() - 1 : stage().cursorRow();
    const trace::Row margin = rowsAround / 6;
    const bool within = around_.to > 0 && (at >= around_.from + margin || around_.from == 0)
                        && (at + margin < around_.to || (around_.open && around_.snapshot == snapshot.rows()));
    if (within) {
        arrange();
        return;
    }
    asking_ = true;
    const auto dictionaries = stage().document().databases().dictionaries;
    std::vector<std::string> buses;
    for (const trace::TraceBus& bus : stage().document().buses())
        buses.push_back(bus.name);
    work_->ask([this, snapshot, spoken = stage().protocols().spokenByBus(), at, dictionaries, buses,
                   names = stage().document().databases().names](const std::function<bool()>& goesOn) -> NewestWork::Deliver {
        Around around = putTogether(
            snapshot, spoken, at,
            [&](std::uint8_t bus, std::uint8_t node) -> const protocol::Dictionary* {
                const auto found = bus < buses.size() ? dictionaries.find({buses[bus], node}) : dictionaries.end();
                return found == dictionaries.end() ? nullptr : found->second.get();
            },
            names.get(), goesOn);
        return [this, around = std::move(around)]() mutable {
            asking_ = false;
            around_ = std::move(around);
            arrange();
            ask();  // the cursor may have gone on meanwhile
        };
    });
}

void MessagesView::arrange()
{
    order_.clear();
    for (std::uint32_t i = 0; i < around_.messages.size(); ++i) {
        const Message& one = around_.messages[i];
        const bool kept = stage().protocols().kept().empty() || (one.head && stage().protocols().keeps(one.bus, *one.head));
        if (kept && (!withoutProcess_ || !isProcess(one.head) || one.frames > 1))
            order_.push_back(i);
    }
    // The last message at the cursor.
    const trace::Row cursor = stage().following() || stage().cursorRow() == trace::noRow ? around_.to : stage().cursorRow();
    const auto behind = std::partition_point(
        order_.begin(), order_.end(), [&](std::uint32_t i) { return around_.messages[i].row <= cursor; });
    chosen_ = static_cast<int>(behind - order_.begin()) - 1;
    rows_->refresh();
    if (chosen_ >= 0)
        rows_->bring(static_cast<std::uint64_t>(chosen_));
    if (stage().following())
        rows_->toEnd();
}

void MessagesView::choose(std::size_t index)
{
    if (index >= order_.size())
        return;
    chosen_ = static_cast<int>(index);
    const Message& one = around_.messages[order_[index]];
    stage().setCursorRow(one.row);
    if (one.frames == 1) {
        Selection selection;
        selection.kind = Selection::Kind::message;
        selection.bus = one.bus;
        selection.id = one.id;
        stage().select(selection);
    }
    rows_->viewport()->update();
}

void MessagesView::setOpen(std::size_t index, bool open)
{
    const trace::Row row = around_.messages[order_[index]].row;
    const auto at = std::lower_bound(open_.begin(), open_.end(), row);
    const bool is = at != open_.end() && *at == row;
    if (open && !is)
        open_.insert(at, row);
    else if (!open && is)
        open_.erase(at);
    rows_->refresh();
}

void MessagesView::setScale(Time scale)
{
    scale_ = std::clamp(scale, shortestScale, longestScale);
    rows_->viewport()->update();
}

void MessagesView::setWithoutProcess(bool without)
{
    withoutProcess_ = without;
    process_->setChecked(without);
    arrange();
}

QString MessagesView::rowText(std::size_t index) const
{
    const Message& one = around_.messages[order_[index]];
    const auto [what, value] = rows_->words(one, 100'000);
    return QStringList{timeText(stage().seconds(one.time), 6), text(stage().document().busName(one.bus)),
        one.frames > 1 ? QString::number(static_cast<double>(one.lasted.count()) * 1e-6, 'f', 3) : QString(), QString::number(one.frames),
        rows_->who(one), what, QString::number(one.bytes), value}
        .join(QLatin1Char('\t'));
}

QString MessagesView::csv() const
{
    QString out = QStringLiteral("time\tbus\tlasted_ms\tframes\tbetween\twhat\tbytes\tvalue");
    for (std::size_t i = 0; i < order_.size(); ++i)
        out += QLatin1Char('\n') + rowText(i);
    return csvFromTabs(out);
}

nlohmann::json MessagesView::save() const
{
    nlohmann::json out = nlohmann::json::object();
    if (withoutProcess_)
        out["without"] = "process";
    if (scale_ != std::chrono::milliseconds(100))
        out["scale_ms"] = scale_.count() / 1'000'000;
    if (nlohmann::json columns = rows_->columns().save(); !columns.empty())
        out["columns"] = std::move(columns);
    return out;
}

void MessagesView::restore(const nlohmann::json& setUp)
{
    setWithoutProcess(setUp.value("without", nlohmann::json()) == "process");
    if (const auto scale = setUp.find("scale_ms"); scale != setUp.end() && scale->is_number_integer())
        setScale(std::chrono::milliseconds(std::clamp<std::int64_t>(scale->get<std::int64_t>(), 1, 10'000)));
    if (const auto columns = setUp.find("columns"); columns != setUp.end())
        rows_->restoreColumns(*columns);
}

}  // namespace wavetrope::app
