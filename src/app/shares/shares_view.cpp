// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shares/shares_view.h"

#include <QButtonGroup>
#include <QHBoxLayout>
#include <QLabel>
#include <QPainter>
#include <QToolButton>
#include <QVBoxLayout>

#include <algorithm>
#include <array>

#include "app/paint/paint.h"
#include "app/paint/row_list.h"
#include "app/parts/elided_label.h"
#include "app/parts/notation.h"
#include "app/stage/bus_choice.h"
#include "app/stage/protocol_desk.h"
#include "app/theme/theme.h"
#include "protocol/traffic_class.h"

namespace wavetrope::app {

namespace {

constexpr unsigned sharesEvery = 6;     // beats, while the window moves on
constexpr std::array<const char*, 4> shareWords = {QT_TRANSLATE_NOOP("SharesView", "message"), QT_TRANSLATE_NOOP("SharesView", "sender"),
    QT_TRANSLATE_NOOP("SharesView", "kind"), QT_TRANSLATE_NOOP("SharesView", "class")};

}  // namespace

class SharesView::Rows : public RowList {
public:
    explicit Rows(SharesView& view) : view_(view)
    {
        setObjectName(QStringLiteral("shareRows"));
        setAccessibleName(SharesView::tr("Shares of the bus"));
        layHeads();
    }
    std::uint64_t count() const override { return view_.shares_.shares.size(); }
    std::int64_t current() const override
    {
        const Selection& selection = view_.stage().selection();
        for (std::size_t i = 0; i < view_.shares_.shares.size(); ++i)
            if (const auto key = keyOf(i); key && !key->error && selection.names(key->bus, key->id))
                return static_cast<std::int64_t>(i);
        return chosen_ < static_cast<std::int64_t>(count()) ? chosen_ : -1;
    }
    void choose(std::uint64_t index) override
    {
        chosen_ = static_cast<std::int64_t>(index);
        if (const auto key = keyOf(index); key && !key->error) {
            Selection selection;
            selection.kind = Selection::Kind::message;
            selection.bus = key->bus;
            selection.id = key->id;
            view_.stage().select(selection);
        } else if (view_.by_ == measure::ShareBy::sender) {
            Selection selection;
            selection.kind = Selection::Kind::node;
            selection.bus = static_cast<std::uint8_t>(view_.bus_);
            selection.node = QString::fromStdString(view_.shares_.shares[index].what);
            view_.stage().select(selection);
        }
        viewport()->update();
    }
    QString rowText(std::uint64_t index) const override
    {
        const measure::LoadShare& share = view_.shares_.shares[index];
        return QStringList{QString::fromStdString(share.what), percentText(share), perSecond(share.frames, 1), perSecond(share.bits, 0),
            countText(share.frames)}
            .join(QLatin1Char('\t'));
    }
    void forgetChoice() { chosen_ = -1; }
    void layHeads()
    {
        const double wide = static_cast<double>(viewport()->width()) / Theme::get().scale();
        frames_ = wide >= withFrames;       // where it is narrow, the rates say as much
        const double edge = std::max(wide, double{least});
        const double shift = frames_ ? 0 : framesWidth;
        std::vector<Head> heads = {
            {12, view_.by_ == measure::ShareBy::message ? SharesView::tr("message")
                                                        : SharesView::tr(shareWords[static_cast<std::size_t>(view_.by_)])},
            {barAt, SharesView::tr("of bus time")}, {0, QStringLiteral("%"), edge - 236 + shift},
            {0, SharesView::tr("frames/s"), edge - 164 + shift}, {0, SharesView::tr("bits/s"), edge - 84 + shift}};
        if (frames_)
            heads.push_back({0, SharesView::tr("frames"), edge - 12});
        setHeads(std::move(heads), least);
    }

protected:
    QString emptyText() const override
    {
        return view_.settled_ ? SharesView::tr("No frames of this bus here.") : SharesView::tr("Counting...");
    }
    void paintRow(QPainter& painter, int y, std::uint64_t index) override
    {
        const Theme& theme = Theme::get();
        const measure::LoadShare& share = view_.shares_.shares[index];
        const int height = theme.rowHeight();
        if (static_cast<std::int64_t>(index) == current())
            painter.fillRect(QRectF(2, y, rowWidth() - 4, height), theme.accentSoft);
        const bool bare = share.what.rfind("0x", 0) == 0;   // the other face turns its x into a multiplication sign
        paintText(painter, QRectF(theme.px(12), y, theme.px(barAt - 22), height), QString::fromStdString(share.what),
            bare ? theme.mono() : theme.body(), theme.ink);
        const double right = rowWidth();
        const double shift = frames_ ? 0 : framesWidth;
        const QRectF bar(
            theme.px(barAt), y + theme.px(6), std::max<double>(theme.px(40), right - theme.px(barAt + 292 - shift)), theme.px(8));
        const double most = std::max<double>(1, static_cast<double>(view_.shares_.shares.front().busy.count()));
        painter.fillRect(bar, theme.grid);
        painter.fillRect(
            QRectF(bar.left(), bar.top(), std::max(1.0, bar.width() * static_cast<double>(share.busy.count()) / most), bar.height()),
            theme.bus(view_.stage().mark(view_.bus_)));
        const auto cell = [&](double from, double width, const QString& text, const QColor& ink) {
            paintText(painter, QRectF(right - theme.px(from + width), y, theme.px(width), height), text, theme.mono(), ink,
                Qt::AlignRight | Qt::AlignVCenter);
        };
        cell(236 - shift, 52, percentText(share), theme.ink);
        cell(164 - shift, 68, perSecond(share.frames, 1), theme.ink2);
        cell(84 - shift, 76, perSecond(share.bits, 0), theme.ink2);
        if (frames_)
            cell(12, 68, countText(share.frames), theme.ink2);
    }
    void resizeEvent(QResizeEvent* event) override
    {
        layHeads();
        RowList::resizeEvent(event);
    }

private:
    static constexpr int barAt = 130, least = 390, withFrames = 500, framesWidth = 72;
    bool frames_ = true;

    [[nodiscard]] std::optional<trace::TraceKey> keyOf(std::size_t index) const
    {
        const auto& identifier = view_.shares_.shares[index].identifier;
        // What was counted may be of a run that was started anew meanwhile.
        if (view_.by_ != measure::ShareBy::message || !identifier || !view_.stage().snapshot().valid()
            || *identifier >= view_.stage().snapshot().trace().identifierCount())
            return std::nullopt;
        return view_.stage().snapshot().trace().key(*identifier);
    }
    [[nodiscard]] double seconds() const { return static_cast<double>((view_.shares_.to - view_.shares_.from).count()) * 1e-9; }
    [[nodiscard]] QString percentText(const measure::LoadShare& share) const
    {
        return seconds() > 0 ? QString::number(100e-9 * static_cast<double>(share.busy.count()) / seconds(), 'f', 2) : QString();
    }
    [[nodiscard]] QString perSecond(std::uint64_t count, int decimals) const
    {
        if (seconds() <= 0)
            return {};
        const double rate = static_cast<double>(count) / seconds();
        return rate >= 1000 ? countText(static_cast<std::uint64_t>(rate + 0.5)) : QString::number(rate, 'f', decimals);
    }

    SharesView& view_;
    std::int64_t chosen_ = -1;
};

SharesView::SharesView(Stage& stage)
    : View(stage),
      tools_(new QWidget),
      busBox_(new BusChoice(stage, QStringLiteral("sharesBus"), tr("Bus whose shares are shown"))),
      modes_(new QButtonGroup(this)),
      facts_(new ElidedLabel),
      rows_(new Rows(*this)),
      work_(new NewestWork(this))
{
    setObjectName(QStringLiteral("shares"));
    auto* bar = new QHBoxLayout(tools_);
    bar->setContentsMargins(0, 0, 0, 0);
    bar->setSpacing(4);
    busBox_->setCompact();
    bar->addWidget(busBox_);
    for (std::size_t i = 0; i < shareWords.size(); ++i) {
        auto* mode = new QToolButton;
        mode->setText(tr(shareWords[i]));
        mode->setObjectName(QStringLiteral("sharesBy%1").arg(QLatin1String(shareWords[i])));
        mode->setToolTip(tr("Who takes the bus, by %1").arg(tr(shareWords[i])));
        mode->setCheckable(true);
        mode->setAutoRaise(true);
        mode->setChecked(i == 0);
        modes_->addButton(mode, static_cast<int>(i));
        bar->addWidget(mode);
    }
    Theme::writeInBody(facts_);
    facts_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    bar->addWidget(facts_, 1);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(rows_);
    setFocusProxy(rows_);
    connect(busBox_, &QComboBox::currentIndexChanged, this, [this](int index) {
        if (index < 0)
            return;
        rebuild();
        Q_EMIT setUpChanged();
    });
    connect(modes_, &QButtonGroup::idClicked, this, [this](int id) {
        by_ = static_cast<measure::ShareBy>(id);
        rows_->forgetChoice();
        rows_->layHeads();
        shares_.shares.clear();
        ask();
        Q_EMIT setUpChanged();
    });
    connect(&stage, &Stage::marksChanged, this, &SharesView::ask);
    connect(&stage, &Stage::axisChanged, this, [this] {
        if (!this->stage().marks().both() && (!this->stage().following() || ++beats_ % sharesEvery == 0))
            ask();
    });
    connect(&stage, &Stage::catalogChanged, this, &SharesView::ask);
    connect(&stage, &Stage::becameReady, this, &SharesView::rebuild);
    connect(&stage, &Stage::selectionChanged, this, [this] {
        rows_->viewport()->update();
        const bool burst = this->stage().selection().kind == Selection::Kind::event
                           && this->stage().selection().event.kind == measure::EventKind::burst;
        if (std::exchange(ofBurst_, burst) || burst)
            ask();
    });
    connect(&stage, &Stage::busChosen, this, [this](unsigned bus) { busBox_->chooseBus(bus); });
    connect(&Theme::get(), &Theme::changed, this, &SharesView::rebuild);
    rebuild();
}

std::size_t SharesView::count() const { return rows_->count(); }
QString SharesView::rowText(std::size_t index) const { return rows_->rowText(index); }

void SharesView::rebuild()
{
    busBox_->fill();
    bus_ = busBox_->bus();
    rows_->layHeads();
    ask();
}

void SharesView::showEvent(QShowEvent* event)
{
    View::showEvent(event);
    ask();
}

void SharesView::ask()
{
    settled_ = false;
    if (!isVisible() || !stage().snapshot().valid() || stage().snapshot().rows() == 0)
        return;
    const Marks& marks = stage().marks();
    measure::ShareRange range{stage().windowFrom(), std::min(stage().windowTo(), stage().newest())};
    QString of = tr("of the window");
    if (marks.both()) {
        range = {std::min(*marks.a, *marks.b), std::max(*marks.a, *marks.b)};
        of = tr("from A to B");
    }
    // A burst that is chosen, as long as the cursor stays in it.
    if (const Selection& selection = stage().selection();
        selection.kind == Selection::Kind::event && selection.event.kind == measure::EventKind::burst && selection.event.bus == bus_
        && stage().cursor() >= selection.event.time && stage().cursor() <= selection.event.until) {
        range = {selection.event.time, selection.event.until};
        of = tr("of the burst at %1").arg(timeWords(stage().seconds(selection.event.time), 2));
    }
    facts_->setText(of);
    facts_->setToolTip(of);
    std::vector<can::BitRate> rates;
    for (const trace::TraceBus& bus : stage().document().buses())
        rates.push_back(bus.rate);
    std::vector<std::vector<protocol::Spoken>> spoken = stage().protocols().spokenByBus();
    work_->ask([this, spoken = std::move(spoken), snapshot = stage().snapshot(), catalog = stage().document().catalog(), rates, range,
                   by = by_, bus = bus_](const std::function<bool()>& goesOn) -> NewestWork::Deliver {
        auto shares = measure::loadShares(
            snapshot, *catalog, rates, by, range, [&](trace::Row) { return goesOn(); },
            [&](const trace::TraceKey& key, can::FrameKind kind) -> std::string {
                return key.bus < spoken.size() ? protocol::trafficClass(spoken[key.bus], key.id, kind) : "plain";
            });
        if (!shares)
            return {};
        std::erase_if(shares->shares, [bus](const measure::LoadShare& share) { return share.bus != bus; });
        return [this, shares = std::move(*shares)]() mutable { take(std::move(shares)); };
    });
}

void SharesView::take(measure::LoadShares shares)
{
    shares_ = std::move(shares);
    settled_ = true;
    rows_->refresh();
}

nlohmann::json SharesView::save() const { return {{"bus", busBox_->busName()}, {"by", shareWords[static_cast<std::size_t>(by_)]}}; }

void SharesView::restore(const nlohmann::json& setUp)
{
    if (setUp.contains("bus") && setUp["bus"].is_string())
        busBox_->want(QString::fromStdString(setUp["bus"].get<std::string>()));
    if (setUp.contains("by") && setUp["by"].is_string())
        if (const auto by = measure::shareByFromText(setUp["by"].get<std::string>())) {
            by_ = *by;
            modes_->button(static_cast<int>(by_))->setChecked(true);
        }
    rebuild();
}

}  // namespace wavetrope::app
