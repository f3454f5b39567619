// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/load/load_view.h"

#include <QApplication>
#include <QClipboard>
#include <QContextMenuEvent>
#include <QHBoxLayout>
#include <QMenu>
#include <QPainter>
#include <QScrollArea>
#include <QVBoxLayout>

#include <algorithm>
#include <array>

#include "app/paint/paint.h"
#include "app/parts/elided_label.h"
#include "app/parts/text.h"
#include "app/stage/bus_choice.h"
#include "app/theme/theme.h"
#include "base/time_text.h"

namespace wavetrope::app {

namespace {

constexpr std::array<int, 10> spans = {1, 2, 5, 10, 20, 50, 100, 200, 500, 1000};  // ms
constexpr int usualSpan = 4;

QString spanWords(int ms) { return ms >= 1000 ? QStringLiteral("1 s") : QStringLiteral("%1 ms").arg(ms); }

}  // namespace

LoadView::LoadView(Stage& stage)
    : View(stage),
      tools_(new QWidget),
      busBox_(new BusChoice(stage, QStringLiteral("loadBus"), tr("Bus whose load is shown, or all of them on one scale"), tr("all buses"))),
      span_(new QSlider(Qt::Horizontal)),
      over_(new QLabel(tr("averaged over"))),
      spanText_(new QLabel),
      facts_(new ElidedLabel),
      scroll_(new QScrollArea)
{
    auto* bar = new QHBoxLayout(tools_);
    bar->setContentsMargins(0, 0, 0, 0);
    bar->setSpacing(8);
    span_->setObjectName(QStringLiteral("loadSpan"));
    span_->setRange(0, static_cast<int>(spans.size()) - 1);
    span_->setValue(usualSpan);
    span_->setFixedWidth(88);
    span_->setToolTip(tr("Averaged over: short shows bursts, long shows trends"));
    spanText_->setMinimumWidth(48);
    for (QWidget* widget : std::initializer_list<QWidget*>{busBox_, over_, span_, spanText_})
        bar->addWidget(widget);
    facts_->setObjectName(QStringLiteral("loadFacts"));
    facts_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);   // cut before it makes the pane wider
    bar->addWidget(facts_, 1);

    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    scroll_->setFrameShape(QFrame::NoFrame);
    scroll_->setWidgetResizable(true);
    scroll_->setFocusPolicy(Qt::NoFocus);
    auto* inside = new QWidget;
    inside->setAutoFillBackground(false);
    column_ = new QVBoxLayout(inside);
    column_->setContentsMargins(0, 0, 0, 0);
    column_->setSpacing(0);
    scroll_->setWidget(inside);
    scroll_->viewport()->setAutoFillBackground(false);
    layout->addWidget(scroll_);
    connect(busBox_, &QComboBox::currentIndexChanged, this, [this](int index) {
        if (index < 0)
            return;
        if (!busBox_->isAll())
            Q_EMIT this->stage().busChosen(busBox_->bus());
        rebuild();
        Q_EMIT setUpChanged();
    });
    connect(span_, &QSlider::valueChanged, this, &LoadView::chooseSpan);
    connect(&stage, &Stage::beat, this, &LoadView::refresh);
    connect(&stage, &Stage::axisChanged, this, &LoadView::refresh);
    connect(&stage, &Stage::becameReady, this, &LoadView::rebuild);
    connect(&stage, &Stage::busChosen, this, [this](unsigned bus) {
        bus_ = bus;
        for (LoadStrip* strip : strips_)
            strip->setChosen(strips_.size() > 1 && strip->bus() == bus_);
    });
    connect(&Theme::get(), &Theme::changed, this, [this] {
        facts_->setFont(Theme::get().body());
        spanText_->setFont(Theme::get().mono());
        busBox_->fill();
    });
    facts_->setFont(Theme::get().body());
    spanText_->setFont(Theme::get().mono());
    rebuild();
}

// Strips of the buses as they are.
void LoadView::rebuild()
{
    busBox_->fill();
    all_ = busBox_->isAll();
    const auto& buses = stage().document().buses();
    buses_ = buses.size();
    if (!all_)
        bus_ = busBox_->bus();
    std::vector<unsigned> wanted;
    for (unsigned bus = 0; bus < buses.size(); ++bus)
        if (all_ || bus == bus_)
            wanted.push_back(bus);
    for (LoadStrip* strip : strips_) {
        strip->hide();
        strip->deleteLater();
    }
    strips_.clear();
    for (const unsigned bus : wanted) {
        auto* strip = new LoadStrip(stage(), bus, bus == wanted.back(), this);
        column_->addWidget(strip, 1);
        strips_.push_back(strip);
        strip->plot()->setPennants(bus == wanted.front());
        strip->setChosen(wanted.size() > 1 && bus == bus_);
        connect(strip, &LoadStrip::clicked, this, [this, bus] { chooseStrip(bus); });
        strip->show();
    }
    if (strips_.size() > 1)     // the last one has the times under it
        strips_.back()->setMinimumHeight(strips_.back()->minimumHeight() + Theme::get().px(17));
    setFocusProxy(strips_.empty() ? nullptr : strips_.front()->plot());
    chooseSpan(span_->value());
}

void LoadView::chooseStrip(unsigned bus)
{
    if (std::exchange(bus_, bus) != bus || strips_.size() > 1)
        Q_EMIT stage().busChosen(bus);
}

LoadStrip* LoadView::chosen() const
{
    for (LoadStrip* strip : strips_)
        if (strip->bus() == bus_)
            return strip;
    return strips_.empty() ? nullptr : strips_.front();
}

void LoadView::chooseSpan(int step)
{
    const int ms = spans[static_cast<std::size_t>(std::clamp(step, 0, static_cast<int>(spans.size()) - 1))];
    spanText_->setText(spanWords(ms));
    for (LoadStrip* strip : strips_)
        strip->setSpan(std::chrono::milliseconds(ms), spanWords(ms));
    refresh();
    Q_EMIT setUpChanged();
}

void LoadView::refresh()
{
    if (!isVisible())
        return;
    if (buses_ != stage().document().buses().size())
        return rebuild();       // a log brought one late
    for (LoadStrip* strip : strips_)
        strip->refresh();
    std::size_t bursts = 0;
    for (const LoadStrip* strip : strips_)
        bursts += strip->burstsSeen();
    const QString burstWords = bursts == 0 ? tr("no bursts") : bursts == 1 ? tr("1 burst") : tr("%1 bursts").arg(bursts);
    if (strips_.size() == 1) {
        const measure::RangeSummary& seen = strips_.front()->seen();
        facts_->setText(tr("in view: highest %1 %, mean %2 %, %3")
                .arg(seen.count > 0 ? seen.high : 0, 0, 'f', 0)
                .arg(seen.mean(), 0, 'f', 0)
                .arg(burstWords));
    } else {
        facts_->setText(tr("line: mean over 1 s; dashes: promised; darker: above it; %1 in view").arg(burstWords));
    }
    facts_->setToolTip(facts_->text());
}

void LoadView::showEvent(QShowEvent* event)
{
    View::showEvent(event);
    refresh();
}

// Each stretch of the window: its begin, and the load of each bus that is shown.
QString LoadView::csv() const
{
    if (strips_.empty())
        return {};
    QString out = QStringLiteral("time");
    std::map<Time, std::vector<std::optional<double>>> rows;
    for (std::size_t i = 0; i < strips_.size(); ++i) {
        const QString name = text(stage().document().buses()[strips_[i]->bus()].name);
        out += QLatin1Char('\t') + (strips_.size() == 1 ? QStringLiteral("load_percent") : name + QStringLiteral(" load_percent"));
        for (const auto& [at, load] : strips_[i]->stretches()) {
            auto& row = rows[at];
            row.resize(strips_.size());
            row[i] = load;
        }
    }
    for (const auto& [at, loads] : rows) {
        out += QLatin1Char('\n') + text(wavetrope::secondsText(at - stage().document().begins()));
        for (const auto& load : loads)
            out += QLatin1Char('\t') + (load ? QString::number(*load, 'f', 3) : QString());
    }
    return csvFromTabs(out);
}

void LoadView::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    painter.fillRect(rect(), Theme::get().surface);
    if (strips_.empty())
        paintText(painter, rect(), tr("The load of every bus will lie here."), Theme::get().body(), Theme::get().ink2, Qt::AlignCenter);
}

void LoadView::resizeEvent(QResizeEvent* event)
{
    View::resizeEvent(event);
    over_->setVisible(width() > Theme::get().px(740));      // where it is narrow, the tooltip says it
}

void LoadView::contextMenuEvent(QContextMenuEvent* event)
{
    auto* menu = new QMenu(this);
    menu->setObjectName(QStringLiteral("loadMenu"));
    menu->setAttribute(Qt::WA_DeleteOnClose);
    for (int i = 0; i < busBox_->count(); ++i) {
        QAction* bus = menu->addAction(i == 0 ? tr("Load of all buses") : tr("Load of %1").arg(busBox_->itemData(i).toString()), this,
            [this, i] { busBox_->setCurrentIndex(i); });
        bus->setCheckable(true);
        bus->setChecked(i == busBox_->currentIndex());
    }
    menu->addSeparator();
    menu->addAction(tr("Copy as a picture"), this, [this] { QApplication::clipboard()->setPixmap(grab()); });
    menu->addAction(tr("Show the whole run"), this, [this] { stage().chooseWindow(stage().wholeFrom(), stage().wholeTo()); });
    menu->popup(event->globalPos());
}

nlohmann::json LoadView::save() const
{
    nlohmann::json out = {{"span", std::to_string(spans[static_cast<std::size_t>(span_->value())]) + " ms"}};
    if (!busBox_->isAll())
        out["bus"] = busBox_->busName();
    return out;
}

void LoadView::restore(const nlohmann::json& setUp)
{
    if (setUp.contains("bus") && setUp["bus"].is_string())
        busBox_->want(text(setUp["bus"].get<std::string>()));
    if (setUp.contains("span") && setUp["span"].is_string()) {
        const int ms = text(setUp["span"].get<std::string>()).section(QLatin1Char(' '), 0, 0).toInt();
        for (std::size_t i = 0; i < spans.size(); ++i)
            if (spans[i] == ms)
                span_->setValue(static_cast<int>(i));
    }
    rebuild();
}

}  // namespace wavetrope::app
