// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/spectrum/spectrum_view.h"

#include <QButtonGroup>
#include <QComboBox>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolButton>

#include <algorithm>
#include <array>
#include <cmath>

#include "app/paint/paint.h"
#include "app/parts/notation.h"
#include "app/parts/text.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

constexpr std::uint64_t mostSamplesOfSpectrum = 4'000'000;
constexpr std::size_t histogramBins = 60;
constexpr std::size_t mostPairsDrawn = 20'000;
constexpr std::array<const char*, 4> spectrumModes = {QT_TRANSLATE_NOOP("SpectrumView", "spectrum"),
    QT_TRANSLATE_NOOP("SpectrumView", "values"), QT_TRANSLATE_NOOP("SpectrumView", "periods"),
    QT_TRANSLATE_NOOP("SpectrumView", "over another")};

QString number(double value)
{
    return std::abs(value) >= 1000 && std::abs(value) < 1e7 ? QString::number(value, 'f', 0) : QString::number(value, 'g', 4);
}

// A step of 1, 2 or 5 that divides a span into about so many.
double stepOf(double span, double parts)
{
    const double rough = span / std::max(1.0, parts);
    const double power = std::pow(10.0, std::floor(std::log10(rough)));
    for (const double step : {1.0, 2.0, 5.0})
        if (rough <= step * power)
            return step * power;
    return 10 * power;
}

}  // namespace

SpectrumView::SpectrumView(Stage& stage)
    : View(stage),
      tools_(new QWidget),
      modes_(new QButtonGroup(this)),
      fade_(new QComboBox),
      rate_(new QComboBox),
      across_(new QComboBox),
      work_(new NewestWork(this))
{
    setObjectName(QStringLiteral("spectrum"));
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    auto* bar = new QHBoxLayout(tools_);
    bar->setContentsMargins(0, 0, 0, 0);
    bar->setSpacing(4);
    for (std::size_t i = 0; i < spectrumModes.size(); ++i) {
        auto* button = new QToolButton;
        button->setText(tr(spectrumModes[i]));
        button->setObjectName(QStringLiteral("spectrumMode%1").arg(i));
        button->setCheckable(true);
        button->setChecked(i == 0);
        button->setAutoRaise(true);
        modes_->addButton(button, static_cast<int>(i));
        bar->addWidget(button);
    }
    modes_->button(0)->setToolTip(tr("Which frequencies the curve is made of"));
    modes_->button(1)->setToolTip(tr("How often it had which values"));
    modes_->button(2)->setToolTip(tr("How often its samples came after how long"));
    modes_->button(3)->setToolTip(tr("The chosen curve over another one, paler the longer ago"));
    for (int fade = 0; fade < 5; ++fade)
        fade_->addItem(QLatin1String(measure::toText(static_cast<measure::FadeOut>(fade))));
    fade_->setCurrentIndex(static_cast<int>(measure::FadeOut::hann));
    fade_->setObjectName(QStringLiteral("spectrumFade"));
    fade_->setAccessibleName(tr("Window function"));
    fade_->setToolTip(tr("Window function: how the stretch fades out at its ends"));
    across_->setObjectName(QStringLiteral("spectrumAcross"));
    across_->setAccessibleName(tr("Curve across"));
    rate_->addItem(tr("usual rate"), 0.0);
    for (const int hertz : {1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 2000, 5000, 10'000})
        rate_->addItem(tr("%1 Hz").arg(hertz), static_cast<double>(hertz));
    rate_->setObjectName(QStringLiteral("spectrumRate"));
    rate_->setAccessibleName(tr("Sampled at"));
    rate_->setToolTip(tr("How often the curve is sampled anew: as often as its samples usually come, or so"));
    connect(rate_, &QComboBox::activated, this, [this] {
        ask();
        Q_EMIT setUpChanged();
    });
    bar->addWidget(rate_);
    bar->addWidget(fade_);
    bar->addWidget(across_);
    bar->addStretch(1);
    connect(modes_, &QButtonGroup::idClicked, this, [this](int id) {
        setMode(static_cast<Mode>(id));
        Q_EMIT setUpChanged();
    });
    connect(fade_, &QComboBox::activated, this, [this] {
        ask();
        Q_EMIT setUpChanged();
    });
    connect(across_, &QComboBox::activated, this, [this] {
        wantedAcross_ = across_->currentData().toString();
        ask();
        Q_EMIT setUpChanged();
    });
    connect(&stage, &Stage::marksChanged, this, &SpectrumView::ask);
    connect(&stage, &Stage::curvesChanged, this, &SpectrumView::ask);
    connect(&stage, &Stage::selectionChanged, this, &SpectrumView::ask);
    connect(&stage, &Stage::catalogChanged, this, &SpectrumView::ask);
    connect(&stage, &Stage::becameReady, this, &SpectrumView::ask);
    connect(&stage, &Stage::axisChanged, this, [this] {
        if (!this->stage().marks().both() && (!this->stage().following() || settled_))
            ask();
        else
            update();       // the cursor's dot
    });
    setMode(Mode::spectrum);
}

void SpectrumView::setMode(Mode mode)
{
    mode_ = mode;
    modes_->button(static_cast<int>(mode))->setChecked(true);
    fade_->setVisible(mode == Mode::spectrum);
    rate_->setVisible(mode == Mode::spectrum);
    across_->setVisible(mode == Mode::over);
    shown_ = {};
    ask();
}

std::optional<CurveSource> SpectrumView::chosen() const
{
    const auto& catalog = stage().document().catalog();
    if (auto source = curveOf(catalog, chosenCurve(stage())))
        return source;
    for (const QString& path : stage().curves())
        if (auto source = curveOf(catalog, path))
            return source;
    return std::nullopt;
}

void SpectrumView::fillOthers()
{
    across_->clear();
    const auto own = chosen();
    for (const QString& path : stage().curves())
        if (const auto source = curveOf(stage().document().catalog(), path); source && (!own || own->path != path))
            across_->addItem(tr("over %1").arg(source->name()), path);
    across_->setCurrentIndex(std::max(0, across_->findData(wantedAcross_)));
}

std::optional<CurveSource> SpectrumView::other() const
{
    const QString path = across_->currentData().toString();
    return path.isEmpty() ? std::nullopt : curveOf(stage().document().catalog(), path);
}

std::pair<Time, Time> SpectrumView::stretch() const
{
    const Marks& marks = stage().marks();
    if (marks.both())
        return {std::min(*marks.a, *marks.b), std::max(*marks.a, *marks.b)};
    return {stage().windowFrom(), std::min(stage().windowTo(), stage().newest())};
}

void SpectrumView::ask()
{
    settled_ = false;
    work_->forget();
    if (!isVisible())
        return;
    // A line is of what it was found in.
    if (line_ && (mode_ != Mode::spectrum || stretch() != shownOf_ || !chosen() || !of_ || chosen()->path != of_->path))
        drawLine({});
    fillOthers();
    of_ = chosen();
    over_ = mode_ == Mode::over ? other() : std::nullopt;
    const auto [from, to] = stretch();
    std::vector<measure::SeriesKeeper::Look> looks;
    std::vector<std::shared_ptr<measure::SignalSeries>> series;
    for (const auto& source : {of_, over_})
        if (source) {
            series.push_back(stage().curveDesk().series(*source));
            looks.push_back({series.back(), {}, {}, 0});
        }
    stage().curveDesk().look(this, std::move(looks));
    if (!of_ || (mode_ == Mode::over && !over_) || to <= from || !stage().snapshot().valid()) {
        shown_ = {};
        settled_ = true;
        return update();
    }
    work_->ask([this, snapshot = stage().snapshot(), series, &keeper = stage().curveDesk().keeper(), from = from, to = to, mode = mode_,
                   rate = rate_->currentData().toDouble(), fade = static_cast<measure::FadeOut>(fade_->currentIndex())](
                   const std::function<bool()>& goesOn) -> NewestWork::Deliver {
        Shown shown;
        std::vector<std::shared_ptr<const measure::SignalSeries::Detail>> details;
        for (const auto& one : series) {
            keeper.waitFor(*one, snapshot.rows(), goesOn);
            if (!goesOn())
                return {};
            shown.tooMany = shown.tooMany || one->about(from, to) > mostSamplesOfSpectrum;
            if (!shown.tooMany)
                details.push_back(one->detail(snapshot, from, to, goesOn));
            if (!shown.tooMany && !details.back())
                return {};
        }
        if (!shown.tooMany) {
            const measure::TimedValues samples{details[0]->times, details[0]->values};
            switch (mode) {
            case Mode::spectrum:
                shown.spectrum = measure::spectrumOf(samples, from, to, rate > 0 ? std::optional(rate) : std::nullopt, fade);
                break;
            case Mode::values: shown.histogram = measure::histogramOfValues(samples, from, to, histogramBins); break;
            case Mode::periods: shown.histogram = measure::histogramOfPeriods(samples, from, to, histogramBins); break;
            case Mode::over: shown.pairing = measure::pairedOver({details[1]->times, details[1]->values}, samples, from, to); break;
            }
        }
        return [this, shown = std::move(shown), from, to]() mutable {
            shown_ = std::move(shown);
            shownOf_ = {from, to};
            if (line_)
                drawLine(shown_.spectrum && *line_ < shown_.spectrum->amplitudes.size() ? line_ : std::nullopt);
            settled_ = true;
            update();
        };
    });
}

void SpectrumView::showEvent(QShowEvent* event)
{
    View::showEvent(event);
    ask();
}

void SpectrumView::hideEvent(QHideEvent* event)
{
    work_->forget();
    stage().curveDesk().look(this, {});
    if (line_)
        drawLine({});
    View::hideEvent(event);
}

QStringList SpectrumView::facts() const
{
    if (!of_)
        return {};
    const QString unit = of_->unit().isEmpty() ? QString() : QLatin1Char(' ') + of_->unit();
    if (shown_.spectrum && shown_.spectrum->highest()) {
        const measure::Spectrum& spectrum = *shown_.spectrum;
        const std::size_t highest = *spectrum.highest();
        QStringList out = {tr("Highest at"), tr("%1 Hz").arg(number(static_cast<double>(highest) * spectrum.width)),
            number(spectrum.amplitudes[highest]) + unit};
        if (const auto next = spectrum.next(); next && spectrum.amplitudes[*next] > 0)
            out << tr("%1 times the next").arg(number(spectrum.amplitudes[highest] / spectrum.amplitudes[*next]))
                << tr("at %1 Hz").arg(number(static_cast<double>(*next) * spectrum.width));
        out << tr("each line %1 Hz").arg(number(spectrum.width)) << tr("sampled at %1 Hz").arg(number(spectrum.rate));
        if (line_)
            out << tr("drawn: %1 Hz, %2")
                       .arg(number(static_cast<double>(*line_) * spectrum.width), number(spectrum.amplitudes[*line_]) + unit);
        if (spectrum.held < 0.999)
            out << tr("a value held for %1 % of it").arg(100 * spectrum.held, 0, 'f', 1);
        return out;
    }
    if (shown_.histogram) {
        const measure::Histogram& histogram = *shown_.histogram;
        const auto most = static_cast<std::size_t>(
            std::max_element(histogram.counts.begin(), histogram.counts.end()) - histogram.counts.begin());
        const double scale = mode_ == Mode::periods ? 1e3 : 1;
        const QString of = mode_ == Mode::periods ? tr(" ms") : unit;
        return {tr("Most often about"), number((histogram.low + (static_cast<double>(most) + 0.5) * histogram.width) * scale) + of,
            tr("%1 of %2").arg(countText(histogram.counts[most]), countText(histogram.all)),
            tr("mean %1").arg(number(histogram.mean * scale) + of),
            tr("%1 to %2").arg(number(histogram.smallest * scale), number(histogram.largest * scale) + of)};
    }
    if (!shown_.pairing.times.empty() && over_)
        return {tr("%1 pairs").arg(countText(shown_.pairing.times.size()))};
    return {};
}

QString SpectrumView::emptyWords() const
{
    if (!of_)
        return tr("Choose a curve, or draw one in the lanes.");
    if (shown_.tooMany)
        return tr("There are too many samples for this here: a narrower stretch helps.");
    if (!settled_)
        return tr("Looking...");
    if (mode_ == Mode::over)
        return over_ ? tr("They have no values together here.") : tr("Draw another curve in the lanes: this one is shown over it.");
    return tr("There are too few samples here.");
}

QRectF SpectrumView::area() const
{
    const Theme& theme = Theme::get();
    return QRectF(rect()).adjusted(theme.px(190), theme.px(10), -theme.px(16), -theme.px(22));
}

std::pair<SpectrumView::Axis, SpectrumView::Axis> SpectrumView::axes() const
{
    const auto spread = [](const std::vector<double>& values) {
        const auto [low, high] = std::minmax_element(values.begin(), values.end());
        const double margin = *high > *low ? (*high - *low) * 0.05 : 1;
        return Axis{*low - margin, *high + margin};
    };
    if (shown_.spectrum) {
        const auto& lines = shown_.spectrum->amplitudes;
        const double most = *std::max_element(lines.begin(), lines.end());
        return {{0, shown_.spectrum->width * static_cast<double>(lines.size())}, {0, most > 0 ? most * 1.08 : 1}};
    }
    if (shown_.histogram) {
        const measure::Histogram& histogram = *shown_.histogram;
        const auto most = static_cast<double>(*std::max_element(histogram.counts.begin(), histogram.counts.end()));
        return {{histogram.low, histogram.low + histogram.width * static_cast<double>(histogram.counts.size())}, {0, most * 1.08}};
    }
    return {spread(shown_.pairing.xs), spread(shown_.pairing.ys)};
}

QColor SpectrumView::hue() const
{
    const Theme& theme = Theme::get();
    return of_ && of_->bus() ? theme.bus(stage().mark(*of_->bus())) : theme.ink2;
}

void SpectrumView::paintScales(QPainter& painter, const QRectF& box, const Axis& across, const Axis& up) const
{
    const Theme& theme = Theme::get();
    painter.fillRect(box, theme.ground);
    const QFontMetricsF metrics(theme.mono(9.8));
    const QString unitUp = mode_ == Mode::spectrum || mode_ == Mode::over
                               ? (of_->unit().isEmpty() ? QString() : QLatin1Char(' ') + of_->unit())
                               : QString();
    const QString unitAcross = mode_ == Mode::spectrum  ? tr(" Hz")
                               : mode_ == Mode::periods ? tr(" ms")
                               : mode_ == Mode::values  ? (of_->unit().isEmpty() ? QString() : QLatin1Char(' ') + of_->unit())
                                                        : (over_->unit().isEmpty() ? QString() : QLatin1Char(' ') + over_->unit());
    const double scale = mode_ == Mode::periods ? 1e3 : 1;
    const double stepUp = stepOf(up.high - up.low, box.height() / theme.px(44));
    for (double at = std::ceil(up.low / stepUp) * stepUp; at <= up.high; at += stepUp) {
        const double y = box.bottom() - up.share(at) * box.height();
        painter.setPen(theme.grid);
        painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y));
        paintText(painter, QRectF(0, y - theme.px(8), box.left() - theme.px(6), theme.px(16)),
            number(std::abs(at) < stepUp / 1e6 ? 0 : at) + unitUp, theme.mono(9.8), theme.ink3, Qt::AlignRight | Qt::AlignVCenter);
    }
    const double stepAcross = stepOf((across.high - across.low) * scale, box.width() / theme.px(90));
    for (double at = std::ceil(across.low * scale / stepAcross) * stepAcross; at <= across.high * scale; at += stepAcross) {
        const double x = box.left() + across.share(at / scale) * box.width();
        const QString words = number(std::abs(at) < stepAcross / 1e6 ? 0 : at) + unitAcross;
        const double wide = metrics.horizontalAdvance(words) + 2;
        painter.setPen(theme.grid);
        painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()));
        paintText(painter, QRectF(std::min(x - wide / 2, width() - wide), box.bottom() + theme.px(3), wide, theme.px(16)), words,
            theme.mono(9.8), theme.ink3, Qt::AlignCenter);
    }
    painter.setPen(theme.hairline);
    painter.drawLine(box.bottomLeft(), box.bottomRight());
}

// Lines, and the bins of a histogram; where they are narrower than a pixel, the highest of each.
void SpectrumView::paintBars(QPainter& painter, const QRectF& box, const Axis& up) const
{
    const std::size_t count = shown_.spectrum ? shown_.spectrum->amplitudes.size() : shown_.histogram->counts.size();
    const auto value = [&](std::size_t i) {
        return shown_.spectrum ? shown_.spectrum->amplitudes[i] : static_cast<double>(shown_.histogram->counts[i]);
    };
    const double each = box.width() / static_cast<double>(count);
    QColor pale = hue();
    pale.setAlphaF(0.6F);
    const std::size_t highest = shown_.spectrum ? shown_.spectrum->highest().value_or(count) : count;
    const auto bar = [&](double left, double wide, double tall, bool strong, bool drawn) {
        if (tall > 0)
            painter.fillRect(
                QRectF(left, box.bottom() - up.share(tall) * box.height(), wide, up.share(tall) * box.height()), drawn    ? Theme::get().ink
                                                                                                                 : strong ? hue()
                                                                                                                          : pale);
    };
    if (each >= 1.5) {
        const double inset = each > 6 ? each * 0.18 : 0;
        for (std::size_t i = 0; i < count; ++i)
            bar(box.left() + static_cast<double>(i) * each + inset, std::max(1.0, each - 2 * inset), value(i), highest == i, line_ == i);
        return;
    }
    for (std::size_t i = 0; i < count;) {
        const double x = std::floor(box.left() + static_cast<double>(i) * each);
        double most = 0;
        bool strong = false, drawn = false;
        for (; i < count && std::floor(box.left() + static_cast<double>(i) * each) == x; ++i) {
            most = std::max(most, value(i));
            strong = strong || highest == i;
            drawn = drawn || line_ == i;
        }
        bar(x, strong || drawn ? 2 : 1, most, strong, drawn);
    }
}

void SpectrumView::paintPairs(QPainter& painter, const QRectF& box, const Axis& across, const Axis& up) const
{
    const Theme& theme = Theme::get();
    const measure::Pairing& pairs = shown_.pairing;
    const auto at = [&](double x, double y) {
        return QPointF(box.left() + across.share(x) * box.width(), box.bottom() - up.share(y) * box.height());
    };
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(Qt::NoPen);
    // As many as can be told apart: each of some, the newer the stronger.
    const std::size_t step = std::max<std::size_t>(1, pairs.times.size() / mostPairsDrawn);
    const auto span = static_cast<double>(std::max<std::int64_t>(1, (pairs.times.back() - pairs.times.front()).count()));
    for (std::size_t i = 0; i < pairs.times.size(); i += step) {
        QColor colour = hue();
        colour.setAlphaF(static_cast<float>(0.12 + 0.75 * static_cast<double>((pairs.times[i] - pairs.times.front()).count()) / span));
        painter.setBrush(colour);
        painter.drawEllipse(at(pairs.xs[i], pairs.ys[i]), theme.px(2), theme.px(2));
    }
    // The cursor as a dot.
    const auto behind = std::upper_bound(pairs.times.begin(), pairs.times.end(), stage().cursor()) - pairs.times.begin();
    if (behind > 0 && stage().cursor() <= stretch().second) {
        painter.setPen(QPen(theme.surface, 1.5));
        painter.setBrush(theme.accent);
        painter.drawEllipse(
            at(pairs.xs[static_cast<std::size_t>(behind - 1)], pairs.ys[static_cast<std::size_t>(behind - 1)]), theme.px(5), theme.px(5));
    }
    painter.setRenderHint(QPainter::Antialiasing, false);
}

void SpectrumView::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    const Theme& theme = Theme::get();
    painter.fillRect(rect(), theme.surface);
    const QRectF box = area();
    if ((!shown_.spectrum && !shown_.histogram && shown_.pairing.times.empty()) || !of_ || (mode_ == Mode::over && !over_)) {
        paintText(painter, rect(), emptyWords(), theme.body(), theme.ink2, Qt::AlignCenter);
        return;
    }
    // What it is of, and behind it the fact that one looks for.
    double y = theme.px(8);
    paintText(painter, QRectF(theme.px(12), y, theme.px(136), theme.px(17)), of_->name(), theme.bodyStrong(), theme.ink);
    y += theme.px(17);
    paintText(painter, QRectF(theme.px(12), y, theme.px(136), theme.px(17)),
        mode_ == Mode::over      ? tr("over %1").arg(over_->name())
        : stage().marks().both() ? tr("from A to B")
                                 : tr("of the window"),
        theme.small(), theme.ink2);
    y += theme.px(21);
    const QStringList lines = facts();
    for (qsizetype i = 0; i < lines.size(); ++i) {
        const bool large = i == 1 && mode_ != Mode::over;
        const double tall = theme.px(large ? 24 : 17);
        paintText(painter, QRectF(theme.px(12), y, theme.px(136), tall), lines[i],
            large    ? theme.mono(15)
            : i == 0 ? theme.body()
                     : theme.small(),
            i == 0 && mode_ != Mode::over ? theme.ink2 : theme.ink);
        y += tall;
    }
    const auto [across, up] = axes();
    paintScales(painter, box, across, up);
    if (mode_ == Mode::over)
        paintPairs(painter, box, across, up);
    else
        paintBars(painter, box, up);
    const QString words = readout();
    if (words.isEmpty())
        return;
    const double wide = QFontMetricsF(theme.mono()).horizontalAdvance(words) + theme.px(14);
    const bool left = pointer_->x() + wide + theme.px(10) > box.right();
    const QRectF beside(
        left ? pointer_->x() - wide - theme.px(8) : pointer_->x() + theme.px(10), box.top() + theme.px(4), wide, theme.px(20));
    painter.setPen(QPen(theme.ink2, 1, Qt::DotLine));
    painter.drawLine(QPointF(pointer_->x(), box.top()), QPointF(pointer_->x(), box.bottom()));
    painter.setPen(theme.hairline);
    painter.setBrush(theme.raised);
    painter.drawRect(beside);
    paintText(painter, beside, words, theme.mono(), theme.ink, Qt::AlignCenter);
}

QString SpectrumView::readout() const
{
    const QRectF box = area();
    if (!pointer_ || !box.contains(*pointer_) || !of_)
        return {};
    const double share = (pointer_->x() - box.left()) / box.width();
    const QString unit = of_->unit().isEmpty() ? QString() : QLatin1Char(' ') + of_->unit();
    if (shown_.spectrum) {
        const auto line = std::min(static_cast<std::size_t>(share * static_cast<double>(shown_.spectrum->amplitudes.size())),
            shown_.spectrum->amplitudes.size() - 1);
        return tr("%1 Hz: %2")
            .arg(number(static_cast<double>(line) * shown_.spectrum->width), number(shown_.spectrum->amplitudes[line]) + unit);
    }
    if (shown_.histogram) {
        const measure::Histogram& histogram = *shown_.histogram;
        const auto bin = std::min(
            static_cast<std::size_t>(share * static_cast<double>(histogram.counts.size())), histogram.counts.size() - 1);
        const double scale = mode_ == Mode::periods ? 1e3 : 1;
        const double low = (histogram.low + static_cast<double>(bin) * histogram.width) * scale;
        return tr("%1 to %2: %3")
            .arg(number(low), number(low + histogram.width * scale) + (mode_ == Mode::periods ? tr(" ms") : unit),
                countText(histogram.counts[bin]));
    }
    return {};
}

void SpectrumView::mouseMoveEvent(QMouseEvent* event)
{
    pointer_ = event->position();
    update();
}

// Of pairs the nearest one: the cursor goes to its moment.
void SpectrumView::mousePressEvent(QMouseEvent* event)
{
    setFocus();
    if (event->button() == Qt::LeftButton && shown_.spectrum && area().contains(event->position())) {
        // The highest line near the pointer: of many there are several in a pixel.
        const auto count = shown_.spectrum->amplitudes.size();
        const auto lineAt = [&](double x) {
            const double share = std::clamp((x - area().left()) / area().width(), 0.0, 1.0);
            return std::clamp<std::size_t>(static_cast<std::size_t>(share * static_cast<double>(count)), 1, count - 1);
        };
        const double each = area().width() / static_cast<double>(count);
        const double reach = each >= 6 ? 0 : 3;
        std::size_t found = lineAt(event->position().x());
        for (std::size_t i = lineAt(event->position().x() - reach); i <= lineAt(event->position().x() + reach); ++i)
            if (shown_.spectrum->amplitudes[i] > shown_.spectrum->amplitudes[found])
                found = i;
        return drawLine(line_ == found ? std::nullopt : std::optional(found));
    }
    const measure::Pairing& pairs = shown_.pairing;
    if (event->button() != Qt::LeftButton || mode_ != Mode::over || pairs.times.empty() || !area().contains(event->position()))
        return;
    const auto [across, up] = axes();
    const QRectF box = area();
    std::size_t nearest = 0;
    double least = 1e300;
    for (std::size_t i = 0; i < pairs.times.size(); ++i) {
        const double x = box.left() + across.share(pairs.xs[i]) * box.width() - event->position().x();
        const double y = box.bottom() - up.share(pairs.ys[i]) * box.height() - event->position().y();
        if (x * x + y * y < least) {
            least = x * x + y * y;
            nearest = i;
        }
    }
    stage().setCursor(pairs.times[nearest]);
}

// Into the lane of the curve: what of it that line is. The same one again, or Escape, takes it away.
void SpectrumView::drawLine(std::optional<std::size_t> line)
{
    line_ = line;
    if (!line || !shown_.spectrum || !of_) {
        line_.reset();
        stage().setTone({});
    } else {
        const measure::Spectrum& spectrum = *shown_.spectrum;
        stage().setTone(Tone{of_->path, shownOf_.first, shownOf_.second, static_cast<double>(*line) * spectrum.width,
            spectrum.amplitudes[*line], spectrum.phases[*line], spectrum.mean});
    }
    update();
}

void SpectrumView::keyPressEvent(QKeyEvent* event)
{
    if (event->key() == Qt::Key_Escape && line_)
        return drawLine({});
    View::keyPressEvent(event);
}

void SpectrumView::leaveEvent(QEvent* event)
{
    pointer_.reset();
    update();
    View::leaveEvent(event);
}

QString SpectrumView::csv() const
{
    QString out;
    const auto line = [&](std::initializer_list<double> cells) {
        QStringList words;
        for (const double cell : cells)
            words << QString::number(cell, 'g', 12);
        out += words.join(QLatin1Char(',')) + QLatin1Char('\n');
    };
    if (shown_.spectrum) {
        out = QStringLiteral("hertz,amplitude\n");
        for (std::size_t i = 0; i < shown_.spectrum->amplitudes.size(); ++i)
            line({static_cast<double>(i) * shown_.spectrum->width, shown_.spectrum->amplitudes[i]});
    } else if (shown_.histogram) {
        out = QStringLiteral("from,to,count\n");
        for (std::size_t i = 0; i < shown_.histogram->counts.size(); ++i)
            line({shown_.histogram->low + static_cast<double>(i) * shown_.histogram->width,
                shown_.histogram->low + static_cast<double>(i + 1) * shown_.histogram->width,
                static_cast<double>(shown_.histogram->counts[i])});
    } else if (!shown_.pairing.times.empty()) {
        out = QStringLiteral("time,x,y\n");
        for (std::size_t i = 0; i < shown_.pairing.times.size(); ++i)
            line({stage().seconds(shown_.pairing.times[i]), shown_.pairing.xs[i], shown_.pairing.ys[i]});
    }
    return out;
}

nlohmann::json SpectrumView::save() const
{
    nlohmann::json out = {{"mode", spectrumModes[static_cast<std::size_t>(mode_)]},
        {"fade", measure::toText(static_cast<measure::FadeOut>(fade_->currentIndex()))}};
    if (rate_->currentData().toDouble() > 0)
        out["rate"] = rate_->currentData().toDouble();
    if (!wantedAcross_.isEmpty())
        out["across"] = wantedAcross_.toStdString();
    return out;
}

void SpectrumView::restore(const nlohmann::json& setUp)
{
    if (setUp.contains("across") && setUp["across"].is_string())
        wantedAcross_ = text(setUp["across"].get<std::string>());
    if (setUp.contains("rate") && setUp["rate"].is_number())
        rate_->setCurrentIndex(std::max(0, rate_->findData(setUp["rate"].get<double>())));
    if (setUp.contains("fade") && setUp["fade"].is_string())
        if (const auto fade = measure::fadeOutFromText(setUp["fade"].get<std::string>()))
            fade_->setCurrentIndex(static_cast<int>(*fade));
    if (setUp.contains("mode") && setUp["mode"].is_string())
        for (std::size_t i = 0; i < spectrumModes.size(); ++i)
            if (setUp["mode"] == spectrumModes[i])
                setMode(static_cast<Mode>(i));
}

}  // namespace wavetrope::app
