// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/load/bursts_view.h"

#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QPainter>
#include <QVBoxLayout>

#include <algorithm>

#include "app/paint/paint.h"
#include "app/paint/row_list.h"
#include "app/parts/elided_label.h"
#include "app/parts/notation.h"
#include "app/parts/text.h"
#include "app/stage/newest_work.h"
#include "app/stage/protocol_desk.h"
#include "app/theme/theme.h"
#include "protocol/describe.h"
#include "measure/load_shares.h"

namespace wavetrope::app {

namespace {

constexpr std::size_t mostCountedAtOnce = 64;
constexpr std::size_t mostNamed = 3;
enum BurstColumn { burstBus, burstNumber, burstBegins, burstLasts, burstLoad, burstFrames, burstWho };

constexpr trace::Row mostRowsLooked = 200'000;

// Messages in pieces of a burst's bus that had frames in it.
std::vector<protocol::Transfer> transfersIn(
    const trace::Snapshot& snapshot, const std::vector<std::vector<protocol::Spoken>>& spoken, const measure::Event& burst)
{
    std::vector<protocol::Transfer> out;
    if (burst.bus >= spoken.size() || spoken[burst.bus].empty() || !snapshot.trace().monotone())
        return out;
    protocol::MessageStream stream([](const protocol::MessageRow&) {},
        [&](const protocol::Transfer& transfer) {
            if (transfer.to < burst.time || transfer.from > burst.until)
                return;
            out.push_back(transfer);
            out.back().data = {};
        });
    stream.speak(burst.bus, spoken[burst.bus]);
    const trace::Row from = measure::firstRowWhere(snapshot, [&](Time time) { return time >= burst.time - std::chrono::seconds(1); });
    const trace::Row to = measure::firstRowWhere(snapshot, [&](Time time) { return time > burst.until + std::chrono::seconds(1); });
    for (trace::Row row = from; row < std::min(to, from + mostRowsLooked); ++row)
        if (!snapshot.trace().isGone(row) && snapshot.trace().key(snapshot.identifier(row)).bus == burst.bus)
            stream.onFrame(snapshot.frame(row));
    stream.finish();
    return out;
}

}  // namespace

class BurstsView::Rows : public RowList {
public:
    explicit Rows(BurstsView& view) : view_(view)
    {
        setObjectName(QStringLiteral("burstRows"));
        setAccessibleName(BurstsView::tr("Bursts of the run"));
        setColumns(Columns({
            {"bus", BurstsView::tr("bus"), BurstsView::tr("Bus, by its letter"), 26},
            {"number", BurstsView::tr("no."), BurstsView::tr("Its number on its bus, as the load tells it"), 30, true, true},
            {"begins", BurstsView::tr("begins"), BurstsView::tr("When it began"), 64, true, true, false, ColumnKind::ofTime},
            {"lasts", BurstsView::tr("lasts"), BurstsView::tr("How long it lasts"), 62, true, true},
            {"load", BurstsView::tr("load"), BurstsView::tr("Mean load while it lasts"), 42, true, true},
            {"frames", BurstsView::tr("frames"), BurstsView::tr("Frames in it"), 46, true, true},
            {"who", BurstsView::tr("who"), BurstsView::tr("Those who took most of the bus in it"), 90, true, false, true},
        }));
    }
    std::uint64_t count() const override { return view_.count(); }
    std::int64_t current() const override
    {
        const Selection& selection = view_.stage().selection();
        if (selection.kind == Selection::Kind::event && selection.event.kind == measure::EventKind::burst)
            for (std::size_t i = 0; i < view_.count(); ++i)
                if (view_.bursts_[i].time == selection.event.time && view_.bursts_[i].bus == selection.event.bus)
                    return static_cast<std::int64_t>(i);
        return -1;
    }
    void choose(std::uint64_t index) override { view_.choose(index); }
    QString cell(std::size_t index, int column) const
    {
        const measure::Event& event = view_.bursts_[index];
        const Counted* counted = view_.countedOf(event);
        switch (column) {
        case burstBus: return view_.stage().mark(event.bus).letter;
        case burstNumber: return QString::number(view_.numbers_[index]);
        case burstBegins: return timeText(view_.stage().seconds(event.time), 3);
        case burstLasts: return QStringLiteral("%1 ms").arg(static_cast<double>((event.until - event.time).count()) * 1e-6, 0, 'f', 1);
        case burstLoad: return text(event.why).remove(QStringLiteral("load of "));
        case burstFrames: return counted == nullptr ? QString() : countText(counted->frames);
        default: return counted == nullptr ? BurstsView::tr("counting...") : counted->who;
        }
    }
    QString rowText(std::uint64_t index) const override
    {
        QStringList cells;
        for (int column = burstBus; column <= burstWho; ++column)
            cells << cell(index, column);
        return cells.join(QLatin1Char('\t'));
    }

protected:
    QString emptyText() const override { return BurstsView::tr("No bursts: no bus was taken for 80 % or more of 20 ms."); }
    void paintRow(QPainter& painter, int y, std::uint64_t index) override
    {
        const Theme& theme = Theme::get();
        const int height = theme.rowHeight();
        if (static_cast<std::int64_t>(index) == current())
            painter.fillRect(QRectF(2, y, rowWidth() - 4, height), theme.accentSoft);
        for (std::size_t place = 0; place < columns_.count(); ++place) {
            const QRectF box = columns_.box(place, y, height);
            const int column = columns_.kindAt(place);
            if (column == burstBus) {
                paintBusBadge(
                    painter, QRectF(box.left(), y + theme.px(3), theme.px(14), theme.px(14)), view_.stage().mark(view_.bursts_[index].bus));
                continue;
            }
            const bool right = columns_.at(place).right;
            paintText(painter, box, cell(index, column), right ? theme.mono() : theme.body(), column == burstWho ? theme.ink2 : theme.ink,
                (right ? Qt::AlignRight : Qt::AlignLeft) | Qt::AlignVCenter);
        }
    }
    void keyPressEvent(QKeyEvent* event) override
    {
        if ((event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter) && current() >= 0)
            return view_.showWhole(static_cast<std::size_t>(current()));
        RowList::keyPressEvent(event);
    }
    void mouseDoubleClickEvent(QMouseEvent* event) override
    {
        if (const std::int64_t row = rowAt(event->position()); row >= 0)
            view_.showWhole(static_cast<std::size_t>(row));
    }

private:
    BurstsView& view_;
};

BurstsView::BurstsView(Stage& stage)
    : View(stage), tools_(new QWidget), facts_(new ElidedLabel), rows_(new Rows(*this)), work_(new NewestWork(this))
{
    setObjectName(QStringLiteral("bursts"));
    auto* bar = new QHBoxLayout(tools_);
    bar->setContentsMargins(0, 0, 0, 0);
    Theme::writeInBody(facts_);
    facts_->setObjectName(QStringLiteral("burstFacts"));
    facts_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    bar->addWidget(facts_, 1);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(rows_);
    setFocusProxy(rows_);
    connect(&stage.events(), &EventDesk::changed, this, &BurstsView::refresh);
    connect(&stage, &Stage::selectionChanged, this, [this] { rows_->viewport()->update(); });
}

void BurstsView::showEvent(QShowEvent* event)
{
    View::showEvent(event);
    stage().events().look(this, true);
    refresh();
}

void BurstsView::hideEvent(QHideEvent* event)
{
    stage().events().look(this, false);
    work_->forget();
    counting_ = false;
    View::hideEvent(event);
}

bool BurstsView::settled() const
{
    return !isVisible()
           || (stage().events().settled() && !counting_
               && std::all_of(bursts_.begin(), bursts_.end(), [this](const measure::Event& burst) { return countedOf(burst) != nullptr; }));
}

const BurstsView::Counted* BurstsView::countedOf(const measure::Event& event) const
{
    const auto found = counted_.find(keyOf(event));
    return found == counted_.end() ? nullptr : &found->second;
}

void BurstsView::refresh()
{
    if (!isVisible())
        return;
    bursts_.clear();
    numbers_.clear();
    std::map<unsigned, unsigned> numbers;
    for (const measure::Event& event : stage().events().all())
        if (event.kind == measure::EventKind::burst) {
            bursts_.push_back(event);
            numbers_.push_back(++numbers[event.bus]);
        }
    facts_->setToolTip(tr("Stretches of 20 ms and more in which a bus was taken for 80 % or more"));
    facts_->setText(bursts_.empty()       ? tr("none above 80 % over 20 ms")
                    : bursts_.size() == 1 ? tr("1, above 80 % over 20 ms")
                                          : tr("%1, above 80 % over 20 ms").arg(countText(bursts_.size())));
    rows_->refresh();
    ask();
}

// Frames and names of those that are not counted yet.
void BurstsView::ask()
{
    const auto& catalog = stage().document().catalog();
    if (countedBy_ != catalog) {
        if (countedBy_ == nullptr || !countedBy_->sharesMessages(*catalog))
            counted_.clear();
        countedBy_ = catalog;
    }
    std::vector<measure::Event> wanted;
    for (const measure::Event& burst : bursts_)
        if (countedOf(burst) == nullptr && wanted.size() < mostCountedAtOnce)
            wanted.push_back(burst);
    if (wanted.empty() || counting_)
        return;
    counting_ = true;
    std::vector<can::BitRate> rates;
    for (const trace::TraceBus& bus : stage().document().buses())
        rates.push_back(bus.rate);
    std::vector<std::vector<protocol::Spoken>> spoken = stage().protocols().spokenByBus();
    work_->ask(
        [this, snapshot = stage().snapshot(), catalog, rates, spoken, wanted](const std::function<bool()>& goesOn) -> NewestWork::Deliver {
            std::vector<std::pair<Key, Counted>> found;
            for (const measure::Event& burst : wanted) {
                const auto shares = measure::loadShares(
                    snapshot, *catalog, rates, measure::ShareBy::message, {burst.time, burst.until}, [&](trace::Row) { return goesOn(); });
                if (!shares)
                    return {};
                Counted counted;
                std::size_t named = 0;
                const double span = static_cast<double>((burst.until - burst.time).count());
                for (const measure::LoadShare& share : shares->shares)
                    if (share.bus == burst.bus) {
                        counted.frames += share.frames;
                        if (named++ < mostNamed)
                            counted.who += (counted.who.isEmpty() ? QString() : QStringLiteral(", "))
                                           + QStringLiteral("%1 %2 %")
                                                 .arg(text(share.what))
                                                 .arg(100 * static_cast<double>(share.busy.count()) / span, 0, 'f', 0);
                    }
                if (named > mostNamed)
                    counted.who += tr(", %1 more").arg(named - mostNamed);
            // What most of it is a part of, where it came in pieces.
                const protocol::PiecesCause cause = protocol::causeOf(transfersIn(snapshot, spoken, burst));
                if (2 * cause.frames > counted.frames)
                    counted.who = text(cause.words) + QStringLiteral("; ") + counted.who;
                found.emplace_back(keyOf(burst), std::move(counted));
            }
            return [this, found = std::move(found)] {
                counting_ = false;
                counted_.insert(found.begin(), found.end());
                rows_->viewport()->update();
                ask();
            };
        });
}

QString BurstsView::rowText(std::size_t index) const { return rows_->rowText(index); }

void BurstsView::choose(std::size_t index)
{
    if (index >= bursts_.size())
        return;
    const measure::Event burst = bursts_[index];
    Q_EMIT stage().busChosen(burst.bus);
    stage().events().choose(burst);
}

void BurstsView::showWhole(std::size_t index)
{
    if (index >= bursts_.size())
        return;
    const measure::Event burst = bursts_[index];
    const Time margin = (burst.until - burst.time) / 2;
    choose(index);
    stage().chooseWindow(burst.time - margin, burst.until + margin);
}

QString BurstsView::csv() const
{
    QString out = QStringLiteral("bus\tnumber\tbegins\tlasts\tload\tframes\twho");
    for (std::size_t i = 0; i < bursts_.size(); ++i)
        out += QLatin1Char('\n') + rows_->rowText(i);
    return csvFromTabs(out);
}

}  // namespace wavetrope::app
