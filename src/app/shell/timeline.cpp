// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/timeline.h"

#include <QHelpEvent>
#include <QKeyEvent>
#include <QMenu>
#include <QPainter>
#include <QToolTip>
#include <QWheelEvent>

#include <algorithm>
#include <cmath>

#include "app/paint/paint.h"
#include "app/parts/notation.h"
#include "app/stage/background_scan.h"
#include "app/stage/event_desk.h"
#include "app/stage/note_desk.h"
#include "app/stage/rule_desk.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

constexpr Time ridgeSpan = std::chrono::milliseconds(100);
constexpr double flagHeight = 16, axisHeight = 16;
constexpr double narrowestShown = 6;
constexpr double edgeGrip = 5;
constexpr double tierHeight = 11;
constexpr std::size_t mostTiers = 4;

double niceStep(double rough)
{
    const double power = std::pow(10, std::floor(std::log10(rough)));
    for (const double factor : {1.0, 2.0, 5.0, 10.0})
        if (power * factor >= rough)
            return power * factor;
    return power * 10;
}

}  // namespace

Timeline::Timeline(Stage& stage, QWidget* parent) : QWidget(parent), stage_(stage)
{
    setObjectName(QStringLiteral("timeline"));
    setAccessibleName(tr("Timeline"));
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Fixed);
    connect(&stage, &Stage::beat, this, &Timeline::update);
    connect(&stage, &Stage::axisChanged, this, [this] { QWidget::update(); });
    connect(&stage, &Stage::marksChanged, this, [this] { QWidget::update(); });
    connect(&stage, &Stage::selectionChanged, this, [this] { QWidget::update(); });
    connect(&Theme::get(), &Theme::changed, this, [this] {
        forgetStill();
        updateGeometry();
    });
    connect(&stage_.events(), &EventDesk::changed, this, &Timeline::forgetStill);
    connect(&stage_, &Stage::matchesChanged, this, &Timeline::forgetStill);
    connect(&stage_.rules(), &RuleDesk::triedChanged, this, &Timeline::gatherTakes);
}

QSize Timeline::sizeHint() const
{
    const auto buses = static_cast<int>(stage_.emptyDesk() ? 3 : std::max<std::size_t>(1, stage_.document().buses().size()));
    return {600, Theme::get().px(flagHeight + axisHeight + std::max(12.0, std::min(15.0, 62.0 / buses)) * buses + 2)
                     + static_cast<int>(tiersHeight())};
}

double Timeline::left() const { return Theme::get().px(44); }
double Timeline::right() const { return width() - Theme::get().px(48); }

double Timeline::xOf(Time time) const
{
    const auto whole = static_cast<double>(std::max<std::int64_t>(1, (stage_.wholeTo() - stage_.wholeFrom()).count()));
    return left() + static_cast<double>((time - stage_.wholeFrom()).count()) / whole * (right() - left());
}

Time Timeline::timeAt(double x) const
{
    const auto whole = static_cast<double>((stage_.wholeTo() - stage_.wholeFrom()).count());
    return stage_.wholeFrom() + Time(static_cast<std::int64_t>(std::clamp((x - left()) / (right() - left()), 0.0, 1.0) * whole));
}

QRectF Timeline::ridge(unsigned bus) const
{
    const Theme& theme = Theme::get();
    const double top = theme.px(flagHeight);
    const double each = (height() - top - theme.px(axisHeight) - tiersHeight())
                        / std::max<std::size_t>(1, stage_.document().buses().size());
    return {left(), top + bus * each, right() - left(), each};
}

double Timeline::tiersHeight() const { return tiers_.empty() ? 0 : Theme::get().px(tierHeight) * static_cast<double>(tiers_.size()) + 3; }

QRectF Timeline::tier(std::size_t index) const
{
    const double each = Theme::get().px(tierHeight);
    return {left(), height() - Theme::get().px(axisHeight) - tiersHeight() + 2 + static_cast<double>(index) * each, right() - left(), each};
}

void Timeline::gatherTakes()
{
    std::vector<TakeTier> tiers = stage_.rules().kept();
    const std::vector<TakeTier>& tried = stage_.rules().tried();
    tiers.insert(tiers.end(), tried.begin(), tried.end());
    if (tiers.size() > mostTiers) {
        TakeTier& last = tiers[mostTiers - 1];
        for (std::size_t i = mostTiers; i < tiers.size(); ++i)
            last.takes.insert(last.takes.end(), tiers[i].takes.begin(), tiers[i].takes.end());
        last.words = tr("%1 more recordings").arg(tiers.size() - mostTiers + 1);
        tiers.resize(mostTiers);
    }
    if (tiers == tiers_)
        return;
    const bool taller = tiers.size() != tiers_.size();
    tiers_ = std::move(tiers);
    if (taller)
        updateGeometry();
    forgetStill();
}

void Timeline::paintTakes(QPainter& painter)
{
    if (tiers_.empty())
        return;
    const Theme& theme = Theme::get();
    const QRectF first = tier(0);
    paintText(painter, QRectF(theme.px(14), first.top(), left() - theme.px(16), first.height()), tr("takes"), theme.small(), theme.ink2);
    for (std::size_t i = 0; i < tiers_.size(); ++i) {
        const QRectF box = tier(i);
        double reached = -1;
        for (const TakeShape& take : tiers_[i].takes) {
            // What would lie on what is drawn already is not drawn.
            const double end = std::max(xOf(take.ends), xOf(take.begins));
            if (end < reached + 0.5)
                continue;
            reached = end;
            paintTakeShape(painter, box.adjusted(0, 1, 0, -1), take, stage_.wholeFrom(), stage_.wholeTo(),
                take.begins <= stage_.wholeFrom() ? theme.faint : theme.accent);     // what is kept from the very begin is no news
        }
        // Words stand right of now, where nothing can be yet; of a log in front of the first take, or not at all.
        const double now = xOf(stage_.newest()) + theme.px(8);
        const double wide = QFontMetricsF(theme.small()).horizontalAdvance(tiers_[i].words);
        const double front = xOf(tiers_[i].takes.front().before) - theme.px(8) - wide;
        if (now + theme.px(60) < width())
            paintText(
                painter, QRectF(now, box.top(), width() - now - theme.px(4), box.height()), tiers_[i].words, theme.small(), theme.ink2);
        else if (front > left())
            paintText(painter, QRectF(front, box.top(), wide + 1, box.height()), tiers_[i].words, theme.small(), theme.ink2);
    }
}

const TakeShape* Timeline::takeAt(const QPointF& point) const
{
    for (std::size_t i = 0; i < tiers_.size(); ++i)
        if (tier(i).contains(point))
            for (const TakeShape& take : tiers_[i].takes)
                if (point.x() >= xOf(take.before) - 3 && point.x() <= std::max(xOf(take.ends), xOf(take.begins) + 3) + 3)
                    return &take;
    return nullptr;
}

void Timeline::update()
{
    gatherTakes();
    stage_.document().measures().read([this](const measure::MeasureState& state) {
        if (loads_.size() != state.loads.size()) {
            loads_.clear();
            for (const auto& bins : state.loads)
                loads_.push_back(std::make_unique<measure::LoadSeries>(bins, ridgeSpan));
            updateGeometry();
        }
        for (std::size_t i = 0; i < loads_.size(); ++i)
            loads_[i]->update(state.loads[i]);
        measured_ = state.rows;
        return 0;
    });
    QWidget::update();
}

void Timeline::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    const Theme& theme = Theme::get();
    painter.fillRect(rect(), theme.surface);
    const double top = theme.px(flagHeight);
    const double bottom = height() - theme.px(axisHeight);

    if (!stage_.document().begun()) {
        paintText(painter, rect(),
            tr("Reading %1, %2 %. Escape ends it; what was read stays.")
                .arg(QString::fromStdString(stage_.document().title()))
                .arg(stage_.document().percentRead()),
            theme.body(), theme.ink2, Qt::AlignCenter);
        painter.fillRect(QRectF(0, height() - 3, width() * stage_.document().percentRead() / 100.0, 2), theme.accent);
        return;
    }
    if (stage_.emptyDesk()) {
        painter.setFont(theme.body());
        painter.setPen(theme.ink2);
        painter.drawText(QRectF(left(), 0, right() - left(), bottom), Qt::AlignLeft | Qt::AlignVCenter | Qt::TextWordWrap,
            tr("The load of every bus will lie here over the whole run. It begins when a bus is watched or a log is opened.\n"
               "A log may be dropped anywhere in this window."));
        painter.setPen(theme.hairline);
        painter.drawLine(0, height() - 1, width(), height() - 1);
        return;
    }
    // Window.
    double x1 = std::max(left(), xOf(stage_.windowFrom()));
    double x2 = std::min(right(), xOf(stage_.windowTo()));
    if (x2 - x1 < narrowestShown) {
        const double middle = (x1 + x2) / 2;
        x1 = middle - narrowestShown / 2;
        x2 = middle + narrowestShown / 2;
    }
    painter.fillRect(QRectF(x1, top - 2, x2 - x1, bottom - top + 2), theme.accentSoft);

    paintStill(painter);
    if (!stage_.document().ready())
        painter.fillRect(QRectF(0, height() - 2, width() * stage_.document().percentRead() / 100.0, 2), theme.accent);
    // Window edges and cursor.
    painter.fillRect(QRectF(x1 - 0.5, top - 2, 1, bottom - top + 2), theme.accent);
    painter.fillRect(QRectF(x2 - 0.5, top - 2, 1, bottom - top + 2), theme.accent);
    if (const Selection& selection = stage_.selection(); selection.kind == Selection::Kind::event) {
        // The event that is chosen, here or in its list, is ringed.
        painter.setRenderHint(QPainter::Antialiasing);
        painter.setPen(QPen(theme.accent, 1.5));
        painter.drawEllipse(QPointF(xOf(selection.event.time), theme.px(8)), theme.px(6.5), theme.px(6.5));
        painter.setRenderHint(QPainter::Antialiasing, false);
    }
    for (const auto& mark : {stage_.marks().a, stage_.marks().b})
        if (mark)
            painter.fillRect(QRectF(xOf(*mark) - 0.5, top - 2, 1, bottom - top + 2), theme.ink);
    const double cursor = xOf(stage_.cursor());
    painter.fillRect(QRectF(cursor - 1, theme.px(3), 2, bottom - theme.px(1)), theme.accent);
    if (hasFocus()) {
        painter.setPen(QPen(theme.accent, 1));
        painter.drawRect(rect().adjusted(0, 0, -1, -1));
    }
}

void Timeline::forgetStill()
{
    still_ = {};
    QWidget::update();
}

void Timeline::paintStill(QPainter& painter)
{
    const Still wanted{size(), devicePixelRatioF(), stage_.wholeFrom(), stage_.wholeTo(), stage_.newest(), measured_};
    if (still_.isNull() || !(stillOf_ == wanted)) {
        stillOf_ = wanted;
        still_ = QPixmap(size() * wanted.ratio);
        still_.setDevicePixelRatio(wanted.ratio);
        still_.fill(Qt::transparent);
        QPainter onto(&still_);
        paintRidges(onto);
        paintFlags(onto);
        paintMatches(onto);
        paintTakes(onto);
        paintAxis(onto);
    }
    painter.drawPixmap(0, 0, still_);
}

void Timeline::paintRidges(QPainter& painter)
{
    const Theme& theme = Theme::get();
    for (unsigned bus = 0; bus < loads_.size(); ++bus) {
        const QRectF area = ridge(bus);
        painter.fillRect(
            QRectF(theme.px(14), area.top() + area.height() * 0.25, theme.px(3), area.height() * 0.6), theme.bus(stage_.mark(bus)));
        paintText(painter, QRectF(theme.px(24), area.top(), theme.px(16), area.height()), stage_.mark(bus).letter,
            theme.mono(9.8, QFont::Bold), theme.ink);
        painter.setPen(theme.grid);
        painter.drawLine(QPointF(area.left(), area.bottom()), QPointF(area.right(), area.bottom()));
        if (loads_[bus]->empty())
            continue;
        QColor fill = theme.bus(stage_.mark(bus));
        fill.setAlphaF(0.62F);
        const double end = std::min(area.right(), xOf(stage_.newest()));
        for (double x = area.left(); x < end; x += 1) {
            const double tall = std::min(1.0, loads_[bus]->over(timeAt(x), timeAt(x + 1)).high / 100) * (area.height() - 1);
            painter.fillRect(QRectF(x, area.bottom() - tall, std::min(1.0, end - x), tall), fill);
        }
    }
}

void Timeline::paintAxis(QPainter& painter)
{
    const Theme& theme = Theme::get();
    const double bottom = height() - theme.px(axisHeight);
    const double seconds = stage_.seconds(stage_.wholeTo());
    const double step = niceStep(seconds / std::max(2.0, (right() - left()) / theme.px(90)));
    for (double at = 0; at <= seconds + step / 1000; at += step) {
        const double x = xOf(stage_.timeOf(at));
        painter.fillRect(QRectF(x, bottom, 1, 3), theme.faint);
        const QString text = timeWords(at, step >= 1 ? 0 : static_cast<int>(std::ceil(-std::log10(step) - 1e-9)));
        paintText(painter, QRectF(x + theme.px(4), bottom, theme.px(60), theme.px(axisHeight)), text, theme.mono(9.8), theme.ink3);
    }
}

// A strip over the ridges: where the stream's filter passes frames.
void Timeline::paintMatches(QPainter& painter)
{
    const BackgroundScan* matches = stage_.matches();
    if (matches == nullptr)
        return;
    const Theme& theme = Theme::get();
    const double y = theme.px(flagHeight) - theme.px(3);
    const std::vector<bool> marks = matches->times().marks(
        stage_.wholeFrom(), stage_.wholeTo(), static_cast<std::size_t>(std::max(0.0, right() - left())));
    for (std::size_t i = 0; i < marks.size();) {
        std::size_t end = i;
        while (end < marks.size() && marks[end])
            ++end;
        if (end > i)
            painter.fillRect(QRectF(left() + static_cast<double>(i), y, static_cast<double>(end - i), theme.px(3)), theme.accent);
        i = end + 1;
    }
}

void Timeline::paintFlags(QPainter& painter)
{
    // Flags with words; those that would overlap are gathered into one with a count.
    const Theme& theme = Theme::get();
    const QFont font = theme.text(9.8);
    const QFontMetricsF metrics(font);
    struct Flagged {
        Time time;
        const std::string* text;
        bool wrong;
        bool note;
    };
    std::vector<Flagged> sorted;
    // Values out of their range may be many: they are flagged without words, under the others.
    double last = -1e9;
    for (const measure::Event& event : stage_.events().all()) {
        if (!stage_.events().shows(event.kind) || event.kind == measure::EventKind::mark)
            continue;
        if (event.kind != measure::EventKind::range) {
            sorted.push_back({event.time, &event.text, flagOf(event) == Flag::wrong, event.kind == measure::EventKind::note});
        } else if (const double x = xOf(event.time); x > last + 2) {
            painter.fillRect(QRectF(x - 0.5, theme.px(flagHeight - 4), 1.5, theme.px(4)), theme.ink2);
            last = x;
        }
    }
    for (std::size_t i = 0; i < sorted.size();) {
        const double x = xOf(sorted[i].time);
        const QString first = QString::fromStdString(*sorted[i].text);
        const double reach = x + theme.px(14) + std::min(metrics.horizontalAdvance(first), static_cast<double>(theme.px(150)))
                             + theme.px(44);
        std::size_t end = i + 1;
        bool wrong = sorted[i].wrong;
        bool note = sorted[i].note;
        bool alike = true;
        while (end < sorted.size() && xOf(sorted[end].time) < reach) {
            wrong = wrong || sorted[end].wrong;
            note = note && sorted[end].note;
            alike = alike && *sorted[end].text == *sorted[i].text;
            ++end;
        }
        const QString text = end - i == 1 ? first
                             : alike      ? tr("%1 (%2)").arg(first).arg(end - i)
                                          : tr("%1 +%2").arg(first).arg(end - i - 1);
        const double next = end < sorted.size() ? xOf(sorted[end].time) : width();
        paintFlag(painter, QPointF(x, theme.px(8)), theme.px(8), wrong ? Flag::wrong : note ? Flag::note : Flag::condition);
        paintText(painter,
            QRectF(x + theme.px(7), 0, std::max(0.0, std::min(next - x - theme.px(14), static_cast<double>(theme.px(260)))),
                theme.px(flagHeight)),
            text, font, theme.ink2);
        i = end;
    }
}

void Timeline::mousePressEvent(QMouseEvent* event)
{
    setFocus();
    const double x = event->position().x();
    const double x1 = xOf(stage_.windowFrom());
    const double x2 = xOf(stage_.windowTo());
    if (event->button() != Qt::LeftButton)
        return;
    if (const TakeShape* take = takeAt(event->position())) {
        // All of it, with a little around it.
        const Time ends = std::max(take->ends, take->begins),
                   margin = std::max((ends - take->before) / 20, Time(std::chrono::milliseconds(1)));
        const Time from = take->before - margin, to = ends + margin, begins = take->begins;
        stage_.setCursor(begins);
        pressedTake_ = filesThere(take->files);
        pressedAt_ = event->position();
        stage_.setWindow(from, to);
        return;
    }
    // A flag goes before the edges of the window and the plain moment under it.
    if (event->position().y() < Theme::get().px(flagHeight)) {
        const auto hit = [&](const measure::Event& e, double before, double behind) {
            return stage_.events().shows(e.kind) && e.kind != measure::EventKind::mark && x >= xOf(e.time) - before
                   && x <= xOf(e.time) + behind;
        };
        // A flag itself, then the words behind one.
        const measure::Event* found = nullptr;
        for (const double behind : {5.0, static_cast<double>(Theme::get().px(60))})
            for (const measure::Event& e : stage_.events().all())
                if (found == nullptr && (behind <= 5 || (e.kind != measure::EventKind::range && e.kind != measure::EventKind::note))
                    && hit(e, 5, behind))
                    found = &e;
        if (found != nullptr)
            return stage_.events().choose(measure::Event(*found));
    }
    if ((event->modifiers() & Qt::ShiftModifier) != 0 && x > x1 && x < x2) {
        drag_ = Drag::window;
        dragOffset_ = x - x1;
        return;
    }
    if (std::abs(x - x1) < edgeGrip) {
        drag_ = Drag::leftEdge;
        return;
    }
    if (std::abs(x - x2) < edgeGrip && !stage_.following()) {
        drag_ = Drag::rightEdge;
        return;
    }
    drag_ = Drag::cursor;
    // On a ridge: the highest load within three pixels of the click, so that a peak is hit without aiming.
    Time time = timeAt(x);
    for (unsigned bus = 0; bus < loads_.size(); ++bus)
        if (ridge(bus).contains(event->position()) && !loads_[bus]->empty())
            time = loads_[bus]->peakIn(timeAt(x - 3), timeAt(x + 3) + Time(1)) + ridgeSpan / 2;
    stage_.setCursor(time);
}

void Timeline::mouseMoveEvent(QMouseEvent* event)
{
    if (!pressedTake_.isEmpty()) {
        if ((event->position() - pressedAt_).manhattanLength() >= QApplication::startDragDistance())
            dragFiles(this, std::exchange(pressedTake_, {}));
        return;
    }
    const double x = event->position().x();
    switch (drag_) {
    case Drag::cursor: stage_.setCursor(timeAt(x)); break;
    case Drag::window: {
        const Time width = stage_.windowTo() - stage_.windowFrom();
        const Time from = timeAt(x - dragOffset_);
        stage_.setWindow(from, from + width);
        break;
    }
    case Drag::leftEdge: stage_.setWindow(std::min(timeAt(x), stage_.windowTo() - Time(1000)), stage_.windowTo()); break;
    case Drag::rightEdge: stage_.setWindow(stage_.windowFrom(), std::max(timeAt(x), stage_.windowFrom() + Time(1000))); break;
    case Drag::none: {
        const bool edge = std::abs(x - xOf(stage_.windowFrom())) < edgeGrip || std::abs(x - xOf(stage_.windowTo())) < edgeGrip;
        setCursor(edge ? Qt::SizeHorCursor : Qt::ArrowCursor);
    }
    }
}

void Timeline::mouseReleaseEvent(QMouseEvent*)
{
    drag_ = Drag::none;
    pressedTake_.clear();
}

void Timeline::contextMenuEvent(QContextMenuEvent* event)
{
    // What has not come yet is no place to go to.
    const Time at = event->reason() == QContextMenuEvent::Keyboard
                        ? stage_.cursor()
                        : std::clamp(timeAt(event->pos().x()), stage_.wholeFrom(), std::max(stage_.wholeFrom(), stage_.newest()));
    auto* menu = new QMenu(this);
    menu->setObjectName(QStringLiteral("timelineMenu"));
    menu->setAttribute(Qt::WA_DeleteOnClose);
    menu->addAction(tr("Cursor at %1").arg(timeWords(stage_.seconds(at), 2)), this, [this, at] { stage_.setCursor(at); });
    menu->addAction(tr("Note here..."), this, [this, at] { stage_.notes().ask(at, trace::noRow, this); });
    menu->addSeparator();
    menu->addAction(tr("Show the whole run"), this, [this] { stage_.chooseWindow(stage_.wholeFrom(), stage_.wholeTo()); });
    menu->addAction(tr("Show 1 s around it"), this,
        [this, at] { stage_.chooseWindow(at - std::chrono::milliseconds(500), at + std::chrono::milliseconds(500)); });
    menu->addAction(stage_.document().isLive() ? tr("Back to now") : tr("To the last frame"), this, [this] { stage_.now(); });
    menu->popup(event->globalPos());
}

void Timeline::wheelEvent(QWheelEvent* event)
{
    stage_.zoom(std::pow(0.8, event->angleDelta().y() / 120.0), timeAt(event->position().x()));
    event->accept();
}

void Timeline::keyPressEvent(QKeyEvent* event)
{
    const Time step = (stage_.windowTo() - stage_.windowFrom()) / ((event->modifiers() & Qt::ControlModifier) != 0 ? 5 : 100);
    switch (event->key()) {
    case Qt::Key_Left: stage_.setCursor(stage_.cursor() - step); break;
    case Qt::Key_Right: stage_.setCursor(stage_.cursor() + step); break;
    case Qt::Key_Home: stage_.setCursor(stage_.wholeFrom()); break;
    case Qt::Key_End: stage_.now(); break;
    case Qt::Key_Plus: stage_.zoom(0.8, stage_.cursor()); break;
    case Qt::Key_Minus: stage_.zoom(1.25, stage_.cursor()); break;
    case Qt::Key_N: stage_.notes().ask(stage_.cursor(), trace::noRow, this); break;
    case Qt::Key_Escape: stage_.document().cancelReading(); break;
    default: QWidget::keyPressEvent(event);
    }
}

bool Timeline::event(QEvent* event)
{
    if (event->type() == QEvent::ToolTip) {
        const auto* help = static_cast<QHelpEvent*>(event);
        QString text = tr("Click: cursor here. Drag the edges: window. Shift and drag: move it. Wheel: zoom. Arrow keys: step. N: note on "
                          "the cursor's moment");
        for (unsigned bus = 0; bus < loads_.size(); ++bus)
            if (ridge(bus).contains(help->pos()))
                text = tr("%1: %2 % at %3\n%4")
                           .arg(QString::fromStdString(stage_.document().buses()[bus].name))
                           .arg(loads_[bus]->at(timeAt(help->pos().x())), 0, 'f', 0)
                           .arg(timeWords(stage_.seconds(timeAt(help->pos().x())), 2), text);
        if (help->pos().y() < Theme::get().px(flagHeight)) {
            QStringList near;
            constexpr qsizetype mostTold = 8;
            for (const measure::Event& e : stage_.events().all())
                if (stage_.events().shows(e.kind) && std::abs(xOf(e.time) - help->pos().x()) <= 5 && near.size() < mostTold)
                    near << timeWords(stage_.seconds(e.time), 3) + QStringLiteral("  ") + QString::fromStdString(e.text);
            if (!near.isEmpty())
                text = near.join(QLatin1Char('\n')) + QLatin1Char('\n') + tr("F4: the next event; Shift+F4: the one before");
        }
        for (std::size_t i = 0; i < tiers_.size(); ++i)
            if (tier(i).contains(help->pos()))
                text = tiers_[i].words + QLatin1Char('\n')
                       + tr("Click on a take: the window shows all of it. Dragged onto playback it is played back");
        QToolTip::showText(help->globalPos(), text, this);
        return true;
    }
    return QWidget::event(event);
}

}  // namespace wavetrope::app
