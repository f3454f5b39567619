// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/lanes/lanes_view.h"
#include "app/parts/edit_times.h"

#include <QDropEvent>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QMimeData>
#include <QPainter>
#include <QScrollArea>
#include <QScrollBar>
#include <QToolButton>
#include <QVBoxLayout>

#include <algorithm>
#include <array>

#include "app/paint/paint.h"
#include "app/parts/notation.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

class ArrangeCommand : public QUndoCommand {
public:
    ArrangeCommand(LanesView& view, LanesView::Arrangement next, const QString& what)
        : QUndoCommand(what), view_(view), before_(view.arrangement()), next_(std::move(next))
    {}
    void undo() override { view_.arrange(before_); }
    void redo() override { view_.arrange(next_); }

private:
    LanesView& view_;
    LanesView::Arrangement before_;
    LanesView::Arrangement next_;
};

}  // namespace

LanesView::LanesView(Stage& stage)
    : View(stage),
      scroll_(new QScrollArea),
      inside_(new QWidget),
      column_(new QVBoxLayout(inside_)),
      axisLead_(new QSpacerItem(0, 0, QSizePolicy::Fixed, QSizePolicy::Minimum)),
      axis_(new TimePlot(stage, true))
{
    EditTimes::follow(undo_);
    setAcceptDrops(true);
    setFocusPolicy(Qt::StrongFocus);
    setObjectName(QStringLiteral("lanes"));
    column_->setContentsMargins(0, 0, 0, 0);
    column_->setSpacing(0);
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(0, 0, 0, 0);
    all->setSpacing(0);
    scroll_->setWidget(inside_);
    scroll_->setWidgetResizable(true);
    scroll_->setFrameShape(QFrame::NoFrame);
    scroll_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    scroll_->setFocusPolicy(Qt::NoFocus);
    scroll_->installEventFilter(this);
    scroll_->viewport()->setAutoFillBackground(false);
    inside_->setAutoFillBackground(false);
    all->addWidget(scroll_, 1);
    auto* axisLine = new QHBoxLayout;
    axisLine->setContentsMargins(0, 0, 0, 0);
    axisLine->addItem(axisLead_);
    axisLine->addWidget(axis_);
    axis_->yAxis->setTickLabels(false);
    axis_->setFocusPolicy(Qt::NoFocus);
    axis_->hide();
    all->addLayout(axisLine);
    soon_.setSingleShot(true);
    connect(&soon_, &QTimer::timeout, this, &LanesView::refresh);
    // A log brings no beats: its curves grow by themselves.
    connect(&stage.curveDesk(), &CurveDesk::grown, this, &LanesView::refresh);
    connect(scroll_->verticalScrollBar(), &QScrollBar::valueChanged, this, &LanesView::refresh);
    connect(&stage, &Stage::selectionChanged, this, [this] {
        for (Lane* lane : lanes_)
            lane->update();
    });
    connect(&Theme::get(), &Theme::changed, this, &LanesView::layHeads, Qt::QueuedConnection);     // behind the lanes
    connect(&stage, &Stage::beat, this, &LanesView::refresh);
    connect(&stage, &Stage::axisChanged, this, &LanesView::refresh);
    connect(&stage, &Stage::becameReady, this, &LanesView::rebuild);
    connect(&stage, &Stage::catalogChanged, this, &LanesView::rebuild);
    connect(&stage, &Stage::plotWanted, this, [this](const QString& path) { add(path); });
}

QWidget* LanesView::tools()
{
    if (window_ == nullptr) {
        tools_ = new QWidget;
        window_ = new QLabel;
        auto* bar = new QHBoxLayout(tools_);
        bar->setContentsMargins(0, 0, 0, 0);
        bar->setSpacing(4);
        Theme::writeInBody(window_);
        bar->addWidget(window_);
        bar->addStretch(1);
        auto* wide = new QLabel(tr("as wide as"));
        Theme::writeInBody(wide);
        bar->addWidget(wide);
        for (const auto& [words, span] : {std::pair<QString, Time>{tr("1 s"), std::chrono::seconds(1)},
                 {tr("10 s"), std::chrono::seconds(10)}, {tr("1 min"), std::chrono::minutes(1)}}) {
            auto* button = new QToolButton;
            button->setText(words);
            button->setObjectName(QStringLiteral("wide%1").arg(std::chrono::duration_cast<std::chrono::seconds>(span).count()));
            button->setAutoRaise(true);
            button->setFocusPolicy(Qt::NoFocus);
            button->setToolTip(tr("Show %1 about the cursor; Alt+Left goes back").arg(words));
            connect(button, &QToolButton::clicked, this, [this, span = span] { stage().setWidth(span); });
            bar->addWidget(button);
        }
    }
    return tools_;
}

void LanesView::change(const Arrangement& next, const QString& what)
{
    if (next != arrangement_)
        undo_.push(new ArrangeCommand(*this, next, what));
}

void LanesView::add(const QString& path, int lane, int before)
{
    const auto source = curveOf(stage().document().catalog(), path);
    if (!source)
        return;
    Arrangement next = arrangement_;
    for (std::size_t i = 0; i < next.size(); ++i)
        if (std::find(next[i].begin(), next[i].end(), path) != next[i].end() && (lane < 0 || static_cast<int>(i) == lane)) {
            // It is drawn already: told and shown.
            showLane(i);
            stage().select(source->selection());
            Q_EMIT stage().told(tr("%1 is drawn already, in lane %2").arg(source->name()).arg(i + 1));
            return;
        }
    std::size_t placed = next.size();
    if (lane >= 0 && lane < static_cast<int>(next.size())) {
        placed = static_cast<std::size_t>(lane);
        next[placed].push_back(path);
    } else if (before >= 0 && before < static_cast<int>(next.size())) {
        placed = static_cast<std::size_t>(before);
        next.insert(next.begin() + before, {path});
    } else {
        next.push_back({path});
    }
    change(next, tr("plot %1").arg(path));
    showLane(placed);
    setFocus();     // so that undoing takes the plot away again
}

void LanesView::showLane(std::size_t index)
{
    if (index < lanes_.size())
        QTimer::singleShot(0, this, [this, index] {
            if (index < lanes_.size())
                scroll_->ensureWidgetVisible(lanes_[index], 0, 8);
        });
}

void LanesView::remove(const QString& path)
{
    Arrangement next;
    for (auto lane : arrangement_) {
        lane.erase(std::remove(lane.begin(), lane.end(), path), lane.end());
        if (!lane.empty())
            next.push_back(std::move(lane));
    }
    change(next, tr("remove %1").arg(path));
}

void LanesView::arrange(const Arrangement& arrangement)
{
    arrangement_ = arrangement;
    rebuild();
    Q_EMIT setUpChanged();
}

void LanesView::rebuild()
{
    for (Lane* lane : lanes_) {
        lane->hide();
        lane->deleteLater();
    }
    lanes_.clear();
    for (std::size_t i = 0; i < arrangement_.size(); ++i) {
        lanes_.push_back(new Lane(*this, arrangement_[i], false));
        lanes_.back()->plot()->setPennants(i == 0);
        column_->addWidget(lanes_.back(), 1);
        lanes_.back()->show();
    }
    axis_->setVisible(!lanes_.empty());
    scroll_->setVisible(!lanes_.empty());
    tellCurves();
    refresh();
    update();
}

// Those of the lanes in sight are measured.
void LanesView::tellCurves()
{
    if (!isVisible())
        return;
    std::vector<QString> paths;
    for (const auto& lane : arrangement_)
        paths.insert(paths.end(), lane.begin(), lane.end());
    stage().setCurves(std::move(paths));
}

// Arrows that a plot leaves would scroll the lanes; they move the cursor.
bool LanesView::eventFilter(QObject* watched, QEvent* event)
{
    if (watched == scroll_ && event->type() == QEvent::KeyPress)
        if (auto* key = static_cast<QKeyEvent*>(event); key->key() == Qt::Key_Left || key->key() == Qt::Key_Right) {
            keyPressEvent(key);
            return true;
        }
    return View::eventFilter(watched, event);
}

void LanesView::showEvent(QShowEvent* event)
{
    View::showEvent(event);
    tellCurves();
}

const Curve* LanesView::chosenCurve() const
{
    const Selection& selection = stage().selection();
    const Curve* first = nullptr;
    for (const Lane* lane : lanes_)
        for (const Curve& curve : lane->curves()) {
            first = first == nullptr ? &curve : first;
            if (curve.source.chosenIn(selection))
                return &curve;
        }
    return first;
}

// The moment of the next one from the cursor on, or of the one before; smallest and largest are those of A to B, else of the window.
void LanesView::goTo(measure::SignalSeries::Place what, bool back)
{
    const Curve* curve = chosenCurve();
    if (curve == nullptr)
        return;
    const Marks& marks = stage().marks();
    const Time from = marks.both() ? std::min(*marks.a, *marks.b) : stage().windowFrom();
    const Time to = marks.both() ? std::max(*marks.a, *marks.b) : stage().windowTo();
    const auto at = curve->series->next(stage().snapshot(), what, stage().cursor(), back, from, to);
    if (at)
        stage().setCursor(*at);
    else
        Q_EMIT stage().told(tr("%1: none here").arg(curve->source.name()));
}

// All heads and scales are as wide as the widest needs, so that the plots lie under each other.
void LanesView::layHeads()
{
    axis_->setFixedHeight(Theme::get().px(24));
    int width = 0;
    for (Lane* lane : lanes_)
        width = std::max(width, lane->head()->wantedWidth());
    width = std::min(width, std::max(Theme::get().px(138), this->width() * 3 / 10));
    int room = 0;
    for (Lane* lane : lanes_)
        room = std::max(room, lane->wantedScaleRoom());
    for (Lane* lane : lanes_) {
        lane->head()->setFixedWidth(width);
        lane->plot()->setScaleRoom(room);
    }
    axis_->setScaleRoom(room);
    if (axisLead_->sizeHint().width() != width) {
        axisLead_->changeSize(width, 0, QSizePolicy::Fixed, QSizePolicy::Minimum);
        layout()->invalidate();
    }
}

void LanesView::refresh()
{
    if (window_ != nullptr)
        window_->setText(
            tr("%1 to %2").arg(timeText(stage().seconds(stage().windowFrom()), 1), timeWords(stage().seconds(stage().windowTo()), 1)));
    if (!isVisible())
        return;
    layHeads();
    // What is scrolled out of sight rests.
    std::vector<measure::SeriesKeeper::Look> looks;
    for (Lane* lane : lanes_)
        if (inSight(*lane)) {
            lane->refresh();
            lane->look(looks);
        }
    stage().curveDesk().look(this, std::move(looks));
    axis_->followStage();
    axis_->drawSoon();
}

void LanesView::refreshSoon()
{
    if (!soon_.isActive())
        soon_.start(0);
}

bool LanesView::inSight(const Lane& lane) const
{
    const int top = lane.y() - scroll_->verticalScrollBar()->value();
    return top < scroll_->viewport()->height() && top + lane.height() > 0;
}

void LanesView::hideEvent(QHideEvent* event)
{
    stage().curveDesk().look(this, {});
    View::hideEvent(event);
}

void LanesView::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    painter.fillRect(rect(), Theme::get().surface);
    if (lanes_.empty())
        paintText(painter, rect(), tr("Drag a signal here from the rig tree, or select it there and press Enter."), Theme::get().body(),
            Theme::get().ink2, Qt::AlignCenter);
}

void LanesView::keyPressEvent(QKeyEvent* event)
{
    if (event->matches(QKeySequence::Undo))
        undo_.undo();
    else if (event->matches(QKeySequence::Redo))
        undo_.redo();
    else if (event->key() == Qt::Key_Left || event->key() == Qt::Key_Right) {
        if ((event->modifiers() & Qt::AltModifier) != 0) {
            if (!stage().formerWindow(event->key() == Qt::Key_Left))
                Q_EMIT stage().told(event->key() == Qt::Key_Left ? tr("There is no former window") : tr("There is no later window"));
            return;
        }
        const Time step = (stage().windowTo() - stage().windowFrom()) / 100;
        stage().setCursor(stage().cursor() + (event->key() == Qt::Key_Left ? -step : step));
    } else if (event->key() == Qt::Key_Plus || event->key() == Qt::Key_Minus) {
        stage().zoom(event->key() == Qt::Key_Plus ? 0.8 : 1.25, stage().cursor());
    } else if (event->key() == Qt::Key_0) {
        stage().setWindow(stage().wholeFrom(), stage().wholeTo());
    } else if (event->key() == Qt::Key_Home || event->key() == Qt::Key_End) {
        stage().setCursor(event->key() == Qt::Key_Home ? stage().wholeFrom() : stage().newest());
    } else if ((event->modifiers() & ~Qt::ShiftModifier) == 0) {
        using Place = measure::SignalSeries::Place;
        static constexpr std::array<std::pair<Qt::Key, Place>, 6> keys = {{{Qt::Key_C, Place::change}, {Qt::Key_R, Place::rise},
            {Qt::Key_F, Place::fall}, {Qt::Key_L, Place::largest}, {Qt::Key_S, Place::smallest}, {Qt::Key_G, Place::gap}}};
        for (const auto& [key, place] : keys)
            if (event->key() == key)
                return goTo(place, (event->modifiers() & Qt::ShiftModifier) != 0);
        View::keyPressEvent(event);
    } else {
        View::keyPressEvent(event);
    }
}

void LanesView::dragEnterEvent(QDragEnterEvent* event)
{
    if (event->mimeData()->hasFormat(QLatin1String(signalMime)))
        event->acceptProposedAction();
}

void LanesView::dropEvent(QDropEvent* event)
{
    event->acceptProposedAction();
    add(QString::fromUtf8(event->mimeData()->data(QLatin1String(signalMime))));
}

nlohmann::json LanesView::save() const
{
    nlohmann::json lanes = nlohmann::json::array();
    for (const auto& lane : arrangement_) {
        nlohmann::json paths = nlohmann::json::array();
        for (const QString& path : lane)
            paths.push_back(path.toStdString());
        lanes.push_back(paths);
    }
    return {{"lanes", lanes}};
}

void LanesView::restore(const nlohmann::json& setUp)
{
    Arrangement arrangement;
    if (setUp.contains("lanes") && setUp["lanes"].is_array())
        for (const auto& lane : setUp["lanes"]) {
            std::vector<QString> paths;
            if (lane.is_array())
                for (const auto& path : lane)
                    if (path.is_string())
                        paths.push_back(QString::fromStdString(path.get<std::string>()));
            arrangement.push_back(std::move(paths));
        }
    arrangement_ = std::move(arrangement);
    rebuild();
}

}  // namespace wavetrope::app
