// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/network/network_view.h"

#include <QFileDialog>
#include <QMessageBox>
#include <QPointer>

#include "app/network/dictionary_dialog.h"
#include "app/stage/newest_work.h"
#include "base/replace_file.h"
#include "protocol/mapping.h"

#include <QButtonGroup>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QToolButton>
#include <QVBoxLayout>

#include <algorithm>

#include "app/paint/paint.h"
#include "app/paint/row_list.h"
#include "app/parts/notation.h"
#include "app/parts/text.h"
#include "app/theme/theme.h"
#include "protocol/describe.h"

namespace wavetrope::app {

namespace {

constexpr std::array<const char*, 3> buttonNames = {"networkNodes", "networkTransfers", "networkTroubles"};

QString spokenWords(const std::vector<protocol::Spoken>& spoken)
{
    QStringList out;
    for (const protocol::Spoken& one : spoken) {
        const QString word = one.protocol == protocol::Protocol::vehicle   ? NetworkView::tr("29-bit vehicle network")
                             : one.protocol == protocol::Protocol::objects ? NetworkView::tr("object dictionary")
                                                                           : NetworkView::tr("diagnostics");
        if (!out.contains(word))
            out << word;
    }
    return out.isEmpty() ? NetworkView::tr("no higher protocol") : out.join(NetworkView::tr(" and "));
}

QString kindWords(protocol::Kind kind)
{
    switch (kind) {
    case protocol::Kind::serviceRead: return NetworkView::tr("read");
    case protocol::Kind::serviceWrite: return NetworkView::tr("write");
    default: return text(toText(kind));
    }
}

QString spanWords(Time span)
{
    const double seconds = static_cast<double>(span.count()) * 1e-9;
    return seconds < 1 ? NetworkView::tr("%1 ms").arg(seconds * 1e3, 0, 'f', seconds < 0.1 ? 1 : 0)
                       : NetworkView::tr("%1 s").arg(seconds, 0, 'f', 1);
}

}  // namespace

class NetworkView::Rows : public RowList {
public:
    explicit Rows(NetworkView& view) : view_(view)
    {
        setObjectName(QStringLiteral("networkRows"));
        setAccessibleName(NetworkView::tr("Who is on the buses"));
        heads();
    }
    void heads()
    {
        switch (view_.shows_) {
        case Shows::nodes:
            setColumns(Columns({
                {"number", NetworkView::tr("number"), NetworkView::tr("Address, node or identifier"), 64},
                {"name", NetworkView::tr("name"), NetworkView::tr("Who it is, as the rig or a database says"), 110},
                {"state", NetworkView::tr("state"), NetworkView::tr("Its state, and since when"), 178},
                {"beats", NetworkView::tr("last heartbeats"),
                    NetworkView::tr("The last two dozen; an outlined hole is one that is missing"), 130},
                {"period", NetworkView::tr("period"), NetworkView::tr("Between two heartbeats"), 66, true, true},
                {"trouble", NetworkView::tr("last trouble"), NetworkView::tr("What went wrong last, and when; a click leads there"), 150,
                    true, false, true},
            }));
            break;
        case Shows::transfers:
            setColumns(Columns({
                {"from", NetworkView::tr("from"), NetworkView::tr("When its first frame came"), 92, true, false, false, ColumnKind::ofTime},
                {"who", NetworkView::tr("from, to"), NetworkView::tr("Who has it with whom"), 180},
                {"what", NetworkView::tr("what"), NetworkView::tr("Group, object or service"), 130},
                {"bytes", NetworkView::tr("bytes"), NetworkView::tr("That came in order"), 60, true, true},
                {"frames", NetworkView::tr("frames"), NetworkView::tr("Of both sides"), 60, true, true},
                {"lasted", NetworkView::tr("lasted"), NetworkView::tr("From its first frame to its last"), 76, true, true},
                {"rate", NetworkView::tr("bytes/s"), NetworkView::tr("Bytes of the message in a second"), 76, true, true},
                {"ended", NetworkView::tr("ended"), NetworkView::tr("How it ended"), 110, true, false, true},
            }));
            break;
        case Shows::troubles:
            setColumns(Columns({
                {"unit", NetworkView::tr("unit"), NetworkView::tr("Who tells it"), 150},
                {"parameter", NetworkView::tr("parameter"),
                    NetworkView::tr("What is suspected: a number of 19 bits, with its name where the rig's table has one"), 156},
                {"failure", NetworkView::tr("failure"), NetworkView::tr("In which way, in the words of the standard"), 240, true, false,
                    true},
                {"count", NetworkView::tr("times"), NetworkView::tr("How often it occurred, as the unit counts"), 52, true, true},
                {"since", NetworkView::tr("since"), NetworkView::tr("When it became active"), 92, true, false, false, ColumnKind::ofTime},
                {"lamps", NetworkView::tr("lamps"), NetworkView::tr("That are lit with it"), 120},
                {"now", NetworkView::tr("now"), NetworkView::tr("Whether it is active at the cursor"), 70},
            }));
        }
    }
    std::uint64_t count() const override { return view_.lines_.size(); }
    std::int64_t current() const override { return view_.chosen_; }
    void choose(std::uint64_t index) override { view_.choose(index); }
    QString rowText(std::uint64_t index) const override { return view_.rowText(index); }

    // With its name, where the rig's table has one.
    [[nodiscard]] QString parameterText(std::uint32_t parameter) const
    {
        const auto& names = view_.stage().document().databases().names;
        return text(protocol::named(parameter, names == nullptr ? nullptr : &names->parameters));
    }
    [[nodiscard]] QString whoText(std::uint8_t bus, protocol::Party party) const
    {
        const QString name = view_.stage().protocols().nameOf(bus, party);
        const QString number = party.is == protocol::Party::Is::node ? NetworkView::tr("node %1").arg(party.value) : text(toText(party));
        return name.isEmpty() ? number : name;
    }
    [[nodiscard]] QString between(const protocol::Transfer& one) const
    {
        const QString to = one.head.destination.is == protocol::Party::Is::nobody ? NetworkView::tr("all")
                                                                                  : whoText(one.bus, one.head.destination);
        return one.head.source.is == protocol::Party::Is::nobody ? NetworkView::tr("→ %1").arg(to)
                                                                 : NetworkView::tr("%1 → %2").arg(whoText(one.bus, one.head.source), to);
    }

protected:
    QString emptyText() const override
    {
        if (view_.stage().protocols().spoken().empty())
            return NetworkView::tr("Nothing yet. Who is on a bus appears here as soon as its frames come.");
        switch (view_.shows_) {
        case Shows::transfers:
            return NetworkView::tr("Nothing came in pieces so far. Messages of more than a frame are listed here, with how they ended.");
        case Shows::troubles: return NetworkView::tr("No unit has told a trouble code so far.");
        default: return NetworkView::tr("Nobody was heard yet.");
        }
    }
    void paintRow(QPainter& painter, int y, std::uint64_t index) override
    {
        const Theme& theme = Theme::get();
        const Line& line = view_.lines_[index];
        const int height = theme.rowHeight();
        if (static_cast<int>(index) == view_.chosen_)
            painter.fillRect(QRectF(2, y, rowWidth() - 4, height), theme.accentSoft);
        if (line.node < 0 && line.transfer < 0 && line.trouble < 0)
            return paintHead(painter, y, line.bus);
        for (std::size_t place = 0; place < columns_.count(); ++place) {
            const QRectF box = columns_.box(place, y, height);
            if (line.node >= 0)
                nodeCell(painter, box, columns_.kindAt(place), view_.stage().protocols().nodes()[static_cast<std::size_t>(line.node)],
                    line.trouble);
            else
                transferCell(
                    painter, box, columns_.kindAt(place), view_.stage().protocols().transfers()[static_cast<std::size_t>(line.transfer)]);
        }
    }
    void mousePressEvent(QMouseEvent* event) override
    {
        const std::int64_t row = rowAt(event->position());
        RowList::mousePressEvent(event);
        if (row < 0 || event->button() != Qt::LeftButton || row >= static_cast<std::int64_t>(view_.lines_.size()))
            return;
        const Line& line = view_.lines_[static_cast<std::size_t>(row)];
        if (line.node < 0 && line.transfer < 0)
            return view_.askSpoken(line.bus, viewport()->mapToGlobal(event->position().toPoint()));
        if (line.node < 0 || line.trouble >= 0)
            return;
        const protocol::NetworkNode& node = view_.stage().protocols().nodes()[static_cast<std::size_t>(line.node)];
        const int column = columns_.placeUnder(event->position().x());
        if (column >= 0 && columns_.kindAt(static_cast<std::size_t>(column)) == 5 && !node.trouble.empty())
            view_.stage().setCursor(node.troubleAt);
    }
    void keyPressEvent(QKeyEvent* event) override
    {
        const bool enter = event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter;
        if (enter && view_.chosen_ >= 0) {
            const Line& line = view_.lines_[static_cast<std::size_t>(view_.chosen_)];
            if (line.node < 0 && line.transfer < 0)
                return view_.askSpoken(line.bus, viewport()->mapToGlobal(QPoint(Theme::get().px(40), headHeight())));
        }
        if (event->key() == Qt::Key_K && event->modifiers() == Qt::NoModifier)
            return view_.keepTo(true);
        if (event->key() == Qt::Key_Escape && !view_.stage().protocols().kept().empty())
            return view_.keepTo(false);
        RowList::keyPressEvent(event);
    }
    void contextMenuEvent(QContextMenuEvent* event) override
    {
        if (headMenu(event))
            return;
        const bool byKey = event->reason() == QContextMenuEvent::Keyboard;
        const std::int64_t row = byKey ? view_.chosen_ : rowAt(event->pos());
        if (row < 0)
            return;
        view_.choose(static_cast<std::uint64_t>(row));
        view_.showMenu(byKey ? viewport()->mapToGlobal(QPoint(Theme::get().px(60), headHeight())) : event->globalPos());
    }

private:
    void paintHead(QPainter& painter, int y, std::uint8_t bus) const
    {
        const Theme& theme = Theme::get();
        const int height = theme.rowHeight();
        const SpokenOn& spoken = view_.stage().protocols().spoken()[bus];
        paintBusBadge(painter, QRectF(theme.px(8), y + theme.px(3), theme.px(14), theme.px(14)), view_.stage().mark(bus));
        const QString name = text(view_.stage().document().busName(bus));
        const double at = theme.px(30);
        paintText(painter, QRectF(at, y, theme.px(200), height), name, theme.bodyStrong(), theme.ink);
        const double behind = at + QFontMetricsF(theme.bodyStrong()).horizontalAdvance(name) + theme.px(12);
        paintText(painter, QRectF(behind, y, rowWidth() - behind - theme.px(8), height),
            NetworkView::tr("%1; %2").arg(spokenWords(spoken.spoken), spoken.why), theme.body(), theme.ink2);
    }
    void nodeCell(QPainter& painter, const QRectF& box, int kind, const protocol::NetworkNode& node, int trouble) const
    {
        const Theme& theme = Theme::get();
        Stage& stage = view_.stage();
        const QString name = stage.protocols().nameOf(node);
        if (trouble >= 0) {
            const protocol::ToldTrouble& one = node.troubles[static_cast<std::size_t>(trouble)];
            switch (kind) {
            case 0:
                return paintText(painter, box,
                    name.isEmpty() ? text(toText(node.node)) : QStringLiteral("%1  %2").arg(text(toText(node.node)), name), theme.body(),
                    theme.ink);
            case 1: return paintText(painter, box, parameterText(one.code.parameter), theme.body(), theme.ink);
            case 2:
                return paintText(painter, box,
                    QStringLiteral("%1  %2").arg(one.code.failure).arg(text(protocol::failureWords(one.code.failure))), theme.body(),
                    one.active ? theme.ink : theme.ink2);
            case 3:
                return paintText(painter, box, one.code.count == 127 ? NetworkView::tr("not told") : QString::number(one.code.count),
                    theme.mono(), theme.ink, Qt::AlignRight | Qt::AlignVCenter);
            case 4: return paintText(painter, box, timeText(stage.seconds(one.since), 3), theme.mono(), theme.ink);
            case 5: return paintText(painter, box, text(one.lamps), theme.body(), theme.ink);
            default:
                return paintText(painter, box, one.active ? NetworkView::tr("active") : NetworkView::tr("over"),
                    one.active ? theme.bodyStrong() : theme.body(), one.active ? theme.ink : theme.ink2);
            }
        }
        switch (kind) {
        case 0: return paintText(painter, box, node.warns ? NetworkView::tr("none") : text(toText(node.node)), theme.mono(), theme.ink);
        case 1:
            return paintText(
                painter, box, name.isEmpty() ? text(node.name) : name, name.isEmpty() ? theme.mono() : theme.bodyStrong(), theme.ink);
        case 2: {
            QRectF rest = box;
            if (node.lost || node.warns) {
                const QPointF centre(box.left() + theme.px(5), box.center().y());
                if (node.lost)
                    painter.fillRect(QRectF(centre.x() - theme.px(4), centre.y() - theme.px(4), theme.px(8), theme.px(8)), theme.error);
                else
                    paintWarning(painter, centre, theme.px(9));
                rest.setLeft(box.left() + theme.px(14));
            }
            paintText(painter, rest, text(node.state), theme.bodyStrong(), theme.ink);
            const double width = QFontMetricsF(theme.bodyStrong()).horizontalAdvance(text(node.state)) + theme.px(6);
            return paintText(painter, rest.adjusted(width, 0, 0, 0),
                NetworkView::tr("since %1").arg(timeWords(stage.seconds(node.since), 2)), theme.body(), theme.ink2);
        }
        case 3:
            if (node.beats.empty())
                return paintText(painter, box, NetworkView::tr("%1 messages").arg(countText(node.messages)), theme.body(), theme.ink2);
            return paintRhythm(
                painter, box.adjusted(0, theme.px(4), 0, -theme.px(4)), node.beats, node.period, stage.protocols().nodesAt());
        case 4:
            return paintText(painter, box, node.period.count() > 0 ? spanWords(node.period) : QString(), theme.mono(), theme.ink,
                Qt::AlignRight | Qt::AlignVCenter);
        default:
            if (node.trouble.empty())
                return paintText(painter, box, NetworkView::tr("none"), theme.body(), theme.ink2);
            return paintText(painter, box, QStringLiteral("%1  %2").arg(timeWords(stage.seconds(node.troubleAt), 1), text(node.trouble)),
                theme.body(), node.lost ? theme.error : theme.ink);
        }
    }
    void transferCell(QPainter& painter, const QRectF& box, int kind, const protocol::Transfer& one) const
    {
        const Theme& theme = Theme::get();
        const bool whole = one.ended == protocol::Ended::whole;
        const Time lasted = one.to - one.from;
        const auto number = [&](const QString& words) {
            paintText(painter, box, words, theme.mono(), theme.ink, Qt::AlignRight | Qt::AlignVCenter);
        };
        switch (kind) {
        case 0: return paintText(painter, box, timeText(view_.stage().seconds(one.from), 6), theme.mono(), theme.ink);
        case 1: {
            paintBusBadge(painter, QRectF(box.left(), box.top() + theme.px(3), theme.px(14), theme.px(14)), view_.stage().mark(one.bus));
            return paintText(painter, box.adjusted(theme.px(20), 0, 0, 0), between(one), theme.body(), theme.ink);
        }
        case 2:
            return paintText(
                painter, box, QStringLiteral("%1 %2").arg(kindWords(one.head.kind), text(whatOf(one))), theme.body(), theme.ink);
        case 3: return number(countText(one.bytes));
        case 4: return number(countText(one.frames));
        case 5: return number(spanWords(lasted));
        case 6:
            return number(lasted.count() > 0 ? countText(static_cast<std::uint64_t>(
                                                   static_cast<double>(one.bytes) * 1e9 / static_cast<double>(lasted.count())))
                                             : QString());
        default: {
            QRectF rest = box;
            if (!whole) {
                painter.fillRect(QRectF(box.left(), box.center().y() - theme.px(4), theme.px(8), theme.px(8)), theme.error);
                rest.setLeft(box.left() + theme.px(14));
            }
            return paintText(painter, rest, text(protocol::brokenWords(one.ended)), whole ? theme.body() : theme.bodyStrong(),
                whole ? theme.ink2 : theme.ink);
        }
        }
    }
    NetworkView& view_;
};

NetworkView::NetworkView(Stage& stage)
    : View(stage), tools_(new QWidget), state_(new QLabel), learning_(new NewestWork(this)), rows_(new Rows(*this))
{
    auto* bar = new QHBoxLayout(tools_);
    bar->setContentsMargins(0, 0, 0, 0);
    auto* group = new QButtonGroup(this);
    const QStringList words{tr("Who is there"), tr("Transfers"), tr("Trouble codes")};
    const QStringList says{tr("Addresses, nodes and servers, as they are at the cursor"),
        tr("Messages that came in pieces, and how they ended"), tr("What units of vehicles tell of what is wrong with them")};
    for (int i = 0; i < 3; ++i) {
        auto* button = new QToolButton;
        button->setObjectName(QLatin1String(buttonNames[static_cast<std::size_t>(i)]));
        button->setText(words[i]);
        button->setToolTip(says[i]);
        button->setCheckable(true);
        button->setAutoRaise(true);
        button->setProperty("link", true);
        group->addButton(button, i);
        bar->addWidget(button);
        buttons_[static_cast<std::size_t>(i)] = button;
    }
    buttons_[0]->setChecked(true);
    bar->addStretch(1);
    state_->setObjectName(QStringLiteral("networkState"));
    bar->addWidget(state_);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(rows_);
    setFocusProxy(rows_);
    connect(group, &QButtonGroup::idClicked, this, [this](int which) {
        show(static_cast<Shows>(which));
        Q_EMIT setUpChanged();
    });
    connect(&stage.protocols(), &ProtocolDesk::changed, this, &NetworkView::refresh);
    connect(&stage.protocols(), &ProtocolDesk::spokenChanged, this, &NetworkView::refresh);
}

void NetworkView::show(Shows what)
{
    shows_ = what;
    buttons_[static_cast<std::size_t>(what)]->setChecked(true);
    chosen_ = -1;
    rows_->heads();
    refresh();
}

void NetworkView::showEvent(QShowEvent* event)
{
    View::showEvent(event);
    stage().protocols().look(this, true);
    refresh();
}

void NetworkView::hideEvent(QHideEvent* event)
{
    stage().protocols().look(this, false);
    View::hideEvent(event);
}

nlohmann::json NetworkView::save() const
{
    nlohmann::json out = nlohmann::json::object();
    if (shows_ != Shows::nodes)
        out["shows"] = shows_ == Shows::transfers ? "transfers" : "troubles";
    return out;
}

void NetworkView::restore(const nlohmann::json& setUp)
{
    const auto shows = setUp.find("shows");
    if (shows != setUp.end() && *shows == "transfers")
        show(Shows::transfers);
    else if (shows != setUp.end() && *shows == "troubles")
        show(Shows::troubles);
}

void NetworkView::refresh()
{
    if (!isVisible())
        return;
    const ProtocolDesk& desk = stage().protocols();
    lines_.clear();
    const auto& nodes = desk.nodes();
    switch (shows_) {
    case Shows::nodes:
        for (std::uint8_t bus = 0; bus < desk.spoken().size(); ++bus) {  // all, so that others can be chosen
            lines_.push_back({bus});
            for (std::size_t i = 0; i < nodes.size(); ++i)
                if (nodes[i].bus == bus)
                    lines_.push_back({bus, static_cast<int>(i)});
        }
        break;
    case Shows::transfers:
        for (std::size_t i = 0; i < desk.transfers().size(); ++i)
            if (desk.keeps(desk.transfers()[i].bus, desk.transfers()[i].head))
                lines_.push_back({desk.transfers()[i].bus, -1, static_cast<int>(i)});
        break;
    case Shows::troubles:
        for (std::size_t i = 0; i < nodes.size(); ++i)
            for (std::size_t k = 0; k < nodes[i].troubles.size() && desk.keeps({nodes[i].bus, nodes[i].node}); ++k)
                lines_.push_back({nodes[i].bus, static_cast<int>(i), -1, static_cast<int>(k)});
    }
    if (chosen_ >= static_cast<int>(lines_.size()))
        chosen_ = -1;
    const std::uint64_t pieces = desk.transfers().size() + desk.notKept();
    QString words = shows_ != Shows::transfers ? tr("state at the cursor")
                    : desk.broken() == 0       ? tr("%1 transfers, all whole").arg(countText(pieces))
                                               : tr("%1 transfers, %2 broken off").arg(countText(pieces), countText(desk.broken()));
    if (const QString kept = desk.keptWords(); !kept.isEmpty())
        words = tr("keeps to %1: Escape lifts it").arg(kept);
    state_->setText(words);
    rows_->refresh();
    if (shows_ == Shows::transfers && stage().following())
        rows_->toEnd();
}

void NetworkView::choose(std::size_t index)
{
    if (index >= lines_.size())
        return;
    chosen_ = static_cast<int>(index);
    const Line& line = lines_[index];
    if (line.transfer >= 0)
        stage().setCursor(stage().protocols().transfers()[static_cast<std::size_t>(line.transfer)].to);
    if (line.node >= 0) {
        const QString name = stage().protocols().nameOf(stage().protocols().nodes()[static_cast<std::size_t>(line.node)]);
        const auto& nodes = stage().document().rig().nodes;
        if (std::any_of(nodes.begin(), nodes.end(), [&](const drive::NodeSpec& node) { return text(node.name) == name; })) {
            Selection selection;
            selection.kind = Selection::Kind::node;
            selection.bus = line.bus;
            selection.node = name;
            stage().select(selection);
        }
    }
    rows_->viewport()->update();
}

void NetworkView::keepTo(bool chosenOnes)
{
    std::vector<ProtocolDesk::Member> members;
    if (chosenOnes && chosen_ >= 0) {
        const auto [from, to] = rows_->chosenRange();
        for (std::uint64_t i = from; i <= to && i < lines_.size(); ++i)
            if (lines_[i].node >= 0) {
                const protocol::NetworkNode& node = stage().protocols().nodes()[static_cast<std::size_t>(lines_[i].node)];
                members.push_back({node.bus, node.node});
            }
    }
    stage().protocols().keep(std::move(members));
}

void NetworkView::attach(std::uint8_t bus, std::uint8_t node, const QString& path)
{
    if (const auto done = stage().protocols().attachDictionary(stage().document().busName(bus), node, path); !done)
        QMessageBox::warning(this, tr("Wavetrope"), text(done.error().text()));
}

// From the node in a run, from what was recorded in a log; kept as a file, which becomes the node's dictionary.
void NetworkView::learn(std::uint8_t bus, std::uint8_t node, const QString& path)
{
    const QPointer<NetworkView> self(this);
    const protocol::Dictionary* known = stage().protocols().dictionaryOf(bus, node);
    const auto keep = [self, bus, node, path, known = known == nullptr ? std::optional<protocol::Dictionary>() : std::optional(*known)](
                          const protocol::WrittenObjects& mapping) {
        const std::string sheet = protocol::sheetOf(protocol::dictionaryOfMapping(mapping, node, known ? &*known : nullptr));
        const auto written = replaceFile(path.toStdString(), sheet);
        return std::function<void()>([self, bus, node, path, written] {
            if (self == nullptr)
                return;
            if (!written)
                QMessageBox::warning(self, tr("Wavetrope"), text(written.error().text()));
            else
                self->attach(bus, node, path);
        });
    };
    const auto say = [self](const QString& words) {
        return std::function<void()>([self, words] {
            if (self != nullptr)
                QMessageBox::information(self, tr("Wavetrope"), words);
        });
    };
    if (stage().document().isLive()) {
        const auto asked = stage().protocols().ask(
            bus, protocol::mappingRead(node), [keep, say](const protocol::Talk& talk, const protocol::Answer& answer, double, double) {
                const auto& read = dynamic_cast<const protocol::DictionaryRead&>(talk);
                return answer.good ? keep(read.values()) : say(text(answer.words));
            });
        if (!asked)
            say(text(asked.error().text()))();
        return;
    }
    learning_->ask([this, keep, say, bus, node, snapshot = stage().snapshot(), spoken = stage().protocols().spokenByBus()](
                       const std::function<bool()>& goesOn) -> NewestWork::Deliver {
        protocol::HeardMapping heard;
        protocol::MessageStream stream(
            [](const protocol::MessageRow&) {}, [&](const protocol::Transfer& transfer) { heard.take(transfer); });
        for (std::size_t i = 0; i < spoken.size(); ++i)
            stream.speak(static_cast<std::uint8_t>(i), spoken[i]);
        for (trace::Row row = 0; row < snapshot.rows(); ++row) {
            if (row % 4096 == 0 && !goesOn())
                return {};
            if (snapshot.trace().isGone(row))
                stream.skip(1);
            else
                stream.onFrame(snapshot.frame(row));
        }
        stream.finish();
        const auto found = heard.nodes().find({bus, node});
        return found == heard.nodes().end()
                   ? say(tr("Nobody reads or writes how process data of node %1 are mapped, as far as this log goes.").arg(node))
                   : keep(found->second);
    });
}

// The pair whose answers the node sends, as it is typed.
QString NetworkView::pairWords(const protocol::NetworkNode& node) const
{
    const auto& spoken = stage().protocols().spoken();
    if (node.bus < spoken.size())
        for (const protocol::Spoken& one : spoken[node.bus].spoken)
            for (const protocol::DiagnosticPair& pair : one.pairs)
                if (pair.answer.key() == node.node.value)
                    return text(toText(pair));
    return {};
}

void NetworkView::showMenu(const QPoint& at)
{
    const Line line = chosen_ < 0 ? Line{} : lines_[static_cast<std::size_t>(chosen_)];
    if (line.node < 0)
        return;
    const protocol::NetworkNode& node = stage().protocols().nodes()[static_cast<std::size_t>(line.node)];
    const QString number = text(toText(node.node)), known = stage().protocols().nameOf(node), name = known.isEmpty() ? number : known;
    const unsigned bus = node.bus;
    auto* menu = new QMenu(this);
    menu->setAttribute(Qt::WA_DeleteOnClose);
    menu->setObjectName(QStringLiteral("networkMenu"));
    const auto asks = [&](const char* action, const QString& words, const QString& question) {
        QAction* added = menu->addAction(words, this, [this, bus, question] { Q_EMIT stage().questionWanted(bus, question); });
        added->setObjectName(QLatin1String(action));
        added->setEnabled(stage().document().isLive());
    };
    switch (node.protocol) {
    case protocol::Protocol::objects:
        asks("readObject", tr("Read an object of %1").arg(name), QStringLiteral("read|%1").arg(number));
        asks("writeObject", tr("Write an object of %1").arg(name), QStringLiteral("write|%1").arg(number));
        if (const auto which = static_cast<std::uint8_t>(node.node.value); stage().protocols().dictionaryOf(node.bus, which) != nullptr) {
            QAction* compare = menu->addAction(tr("Compare %1 with its dictionary...").arg(name), this, [this, of = node.bus, which] {
                auto* dialog = new DictionaryDialog(stage(), of, which, this);
                dialog->setAttribute(Qt::WA_DeleteOnClose);
                dialog->show();
            });
            compare->setObjectName(QStringLiteral("compareDictionary"));
            compare->setEnabled(stage().document().isLive());
            menu->addAction(tr("Take its dictionary away"), this, [this, of = node.bus, which] { attach(of, which, {}); })
                ->setObjectName(QStringLiteral("removeDictionary"));
        }
        menu->addAction(tr("Choose a dictionary for %1...").arg(name), this,
                [this, of = node.bus, which = static_cast<std::uint8_t>(node.node.value)] {
                    const QString path = QFileDialog::getOpenFileName(
                        this, tr("Dictionary of the node"), {}, tr("Electronic data sheets (*.eds *.dcf)"));
                    if (!path.isEmpty())
                        attach(of, which, path);
                })
            ->setObjectName(QStringLiteral("chooseDictionary"));
        menu->addAction(tr("Learn how process data of %1 are mapped...").arg(name), this,
                [this, of = node.bus, which = static_cast<std::uint8_t>(node.node.value)] {
                    const QString path = QFileDialog::getSaveFileName(
                        this, tr("Keep what is learned as"), {}, tr("Device configuration (*.dcf)"));
                    if (!path.isEmpty())
                        learn(of, which, path);
                })
            ->setObjectName(QStringLiteral("learnMapping"));
        asks("commandState", tr("Command the state of %1").arg(name), QStringLiteral("state|%1").arg(number));
        break;
    case protocol::Protocol::vehicle:
        asks("askTroubles", tr("Ask %1 for its trouble codes").arg(name), QStringLiteral("request|%1|0xFECA").arg(number));
        asks("askGroup", tr("Ask %1 for a group").arg(name), QStringLiteral("request|%1").arg(number));
        asks("sendGroup", tr("Send %1 a group").arg(name), QStringLiteral("send|%1").arg(number));
        break;
    case protocol::Protocol::diagnostics: {
        const QString pair = pairWords(node);
        asks("diagnose", tr("Send %1 a request").arg(name), QStringLiteral("diagnose|%1").arg(pair));
        asks("troubles", tr("Ask %1 for its trouble codes").arg(name), QStringLiteral("troubles|%1").arg(pair));
        asks("keepSession", tr("Keep the session of %1 alive").arg(name), QStringLiteral("keep|%1").arg(pair));
        break;
    }
    }
    menu->addSeparator();
    QAction* keep = menu->addAction(tr("Keep to %1\tK").arg(name), this, [this] { keepTo(true); });
    keep->setObjectName(QStringLiteral("keepTo"));
    if (!stage().protocols().kept().empty())
        menu->addAction(tr("Keep to nobody\tEsc"), this, [this] { keepTo(false); })->setObjectName(QStringLiteral("keepToNobody"));
    menu->popup(at);
}

QString NetworkView::rowText(std::size_t index) const
{
    const Line& line = lines_[index];
    const ProtocolDesk& desk = stage().protocols();
    const QString bus = text(stage().document().busName(line.bus));
    if (line.transfer >= 0) {
        const protocol::Transfer& one = desk.transfers()[static_cast<std::size_t>(line.transfer)];
        return QStringList{timeText(stage().seconds(one.from), 6), bus, rows_->between(one), text(toText(one.head.kind)), text(whatOf(one)),
            QString::number(one.bytes), QString::number(one.frames), spanWords(one.to - one.from), text(protocol::brokenWords(one.ended))}
            .join(QLatin1Char('\t'));
    }
    if (line.node < 0) {
        const SpokenOn& spoken = desk.spoken()[line.bus];
        return QStringList{bus, spokenWords(spoken.spoken), spoken.why}.join(QLatin1Char('\t'));
    }
    const protocol::NetworkNode& node = desk.nodes()[static_cast<std::size_t>(line.node)];
    if (line.trouble >= 0) {
        const protocol::ToldTrouble& one = node.troubles[static_cast<std::size_t>(line.trouble)];
        return QStringList{bus, rows_->whoText(node.bus, node.node), rows_->parameterText(one.code.parameter),
            text(protocol::failureWords(one.code.failure)), QString::number(one.code.count), timeText(stage().seconds(one.since), 3),
            text(one.lamps), one.active ? tr("active") : tr("over")}
            .join(QLatin1Char('\t'));
    }
    const QString known = desk.nameOf(node);
    return QStringList{bus, text(toText(node.node)), known.isEmpty() ? text(node.name) : known, text(node.state),
        timeText(stage().seconds(node.since), 3), text(node.what), text(node.trouble)}
        .join(QLatin1Char('\t'));
}

QString NetworkView::csv() const
{
    QString out = shows_ == Shows::transfers  ? QStringLiteral("from\tbus\tbetween\tkind\twhat\tbytes\tframes\tlasted\tended")
                  : shows_ == Shows::troubles ? QStringLiteral("bus\tunit\tparameter\tfailure\ttimes\tsince\tlamps\tnow")
                                              : QStringLiteral("bus\tnumber\tname\tstate\tsince\twhat\ttrouble");
    for (std::size_t i = 0; i < lines_.size(); ++i)
        if (lines_[i].node >= 0 || lines_[i].transfer >= 0)
            out += QLatin1Char('\n') + rowText(i);
    return csvFromTabs(out);
}

void NetworkView::askSpoken(std::uint8_t bus, const QPoint& at)
{
    if (bus >= stage().protocols().spoken().size())
        return;
    const SpokenOn spoken = stage().protocols().spoken()[bus];
    const std::string name = stage().document().busName(bus);
    auto* menu = new QMenu(this);
    menu->setAttribute(Qt::WA_DeleteOnClose);
    menu->setObjectName(QStringLiteral("spokenMenu"));
    const auto has = [&](protocol::Protocol protocol) {
        return std::any_of(
            spoken.spoken.begin(), spoken.spoken.end(), [&](const protocol::Spoken& one) { return one.protocol == protocol; });
    };
    std::vector<std::string> pairs;
    for (const protocol::Spoken& one : spoken.spoken)
        for (const protocol::DiagnosticPair& pair : one.pairs)
            pairs.push_back(toText(pair));
    const auto add = [&](const QString& words, const char* what, protocol::Protocol protocol) {
        QAction* action = menu->addAction(words);
        action->setObjectName(QLatin1String(what));
        action->setCheckable(true);
        action->setChecked(has(protocol));
        return action;
    };
    QAction* vehicle = add(tr("29-bit vehicle network"), "vehicle", protocol::Protocol::vehicle);
    QAction* objects = add(tr("Object dictionary"), "objects", protocol::Protocol::objects);
    QAction* diagnostics = add(tr("Diagnostics over 0x7E0/0x7E8 and the pairs behind"), "diagnostics", protocol::Protocol::diagnostics);
    menu->addSeparator();
    QAction* again = menu->addAction(tr("As its traffic looks"));
    again->setObjectName(QStringLiteral("recognised"));
    again->setEnabled(spoken.said);
    const auto say = [this, name](const std::optional<std::vector<std::string>>& protocols) {
        if (const auto done = stage().protocols().speak(name, protocols); !done)
            Q_EMIT stage().told(text(done.error().text()));
    };
    const auto ticked = [say, vehicle, objects, diagnostics, pairs] {
        std::vector<std::string> out;
        if (vehicle->isChecked())
            out.emplace_back("vehicle");
        if (objects->isChecked())
            out.emplace_back("objects");
        if (diagnostics->isChecked()) {
            std::string all;
            for (const std::string& pair : pairs)
                all += (all.empty() ? "" : ",") + pair;
            if (all.empty())
                for (unsigned i = 0; i < 8; ++i)
                    all += (i == 0 ? "" : ",") + can::toText(can::Identifier{0x7E0 + i, false}) + '/'
                           + can::toText(can::Identifier{0x7E8 + i, false});
            out.push_back("diagnostics:" + all);
        }
        say(out);
    };
    for (QAction* action : {vehicle, objects, diagnostics})
        connect(action, &QAction::triggered, this, ticked);
    connect(again, &QAction::triggered, this, [say] { say(std::nullopt); });
    menu->popup(at);
}

}  // namespace wavetrope::app
