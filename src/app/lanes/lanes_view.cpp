// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/lanes/lanes_view.h"

#include <QDropEvent>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QElapsedTimer>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QMimeData>
#include <QPainter>
#include <QScrollArea>
#include <QScrollBar>
#include <QToolButton>
#include <QVBoxLayout>

#include <algorithm>
#include <array>
#include <cmath>
#include <functional>

#include "app/paint/paint.h"
#include "app/parts/edit_times.h"
#include "app/parts/notation.h"
#include "app/parts/text.h"
#include "app/stage/derive_desk.h"
#include "app/stage/signal_drag.h"
#include "app/theme/theme.h"
#include "base/time_text.h"
#include "database/codec.h"
#include "filter/signal_pattern.h"

namespace wavetrope::app {

namespace {

// What is told of one lane in a row, such as turns of the wheel over a scale, is one step.
class ArrangeCommand : public QUndoCommand {
public:
    ArrangeCommand(LanesView& view, Arrangement next, const QString& what, int lane = -1)
        : QUndoCommand(what), view_(view), before_(view.arrangement()), next_(std::move(next)), lane_(lane)
    {
        made_.start();
    }
    void undo() override { view_.arrange(before_); }
    void redo() override { view_.arrange(next_); }
    int id() const override { return lane_ < 0 ? -1 : 1; }
    bool mergeWith(const QUndoCommand* other) override
    {
        constexpr qint64 inARow = 800;      // milliseconds
        const auto* later = static_cast<const ArrangeCommand*>(other);
        if (later->lane_ != lane_ || later->text() != text() || made_.elapsed() > inARow)
            return false;
        next_ = later->next_;
        made_.restart();
        return true;
    }

private:
    LanesView& view_;
    Arrangement before_, next_;
    int lane_;
    QElapsedTimer made_;
};

constexpr std::size_t mostFitting = 100;    // signals that a pattern brings at once
constexpr int heightStep = 24;

}  // namespace

LanesView::LanesView(Stage& stage)
    : View(stage),
      scroll_(new QScrollArea),
      inside_(new QWidget),
      column_(new QVBoxLayout(inside_)),
      axisLead_(new QSpacerItem(0, 0, QSizePolicy::Fixed, QSizePolicy::Minimum)),
      axis_(new TimePlot(stage, true)),
      bands_(new StateBands(stage, *axis_, this))
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
    all->addWidget(bands_);
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
    connect(&stage.curveDesk(), &CurveDesk::grown, this, &LanesView::refreshSoon);
    connect(scroll_->verticalScrollBar(), &QScrollBar::valueChanged, this, &LanesView::refresh);
    connect(&stage, &Stage::selectionChanged, this, [this] {
        for (Lane* lane : lanes_) {
            lane->raiseChosen();
            lane->update();
        }
    });
    connect(&Theme::get(), &Theme::changed, this, &LanesView::layHeads, Qt::QueuedConnection);     // behind the lanes
    connect(&stage, &Stage::beat, this, &LanesView::refresh);
    connect(&stage, &Stage::axisChanged, this, &LanesView::refresh);
    connect(&stage, &Stage::toneChanged, this, &LanesView::refreshSoon);
    connect(&stage, &Stage::becameReady, this, &LanesView::rebuild);
    connect(&stage, &Stage::catalogChanged, this, &LanesView::rebuild);
    connect(&stage, &Stage::plotWanted, this, [this](const QString& path) { add(path); });
    connect(&stage.derive(), &DeriveDesk::renamed, this, &LanesView::rename);
}

QWidget* LanesView::tools()
{
    if (window_ == nullptr) {
        tools_ = new QWidget;
        window_ = new WindowField(stage());
        auto* bar = new QHBoxLayout(tools_);
        bar->setContentsMargins(0, 0, 0, 0);
        bar->setSpacing(4);
        bar->addWidget(window_);
        bar->addSpacing(Theme::get().px(6));
        pattern_ = new QLineEdit;
        pattern_->setObjectName(QStringLiteral("lanesPattern"));
        pattern_->setPlaceholderText(tr("add: Blade*"));
        pattern_->setAccessibleName(tr("Signals to add, by a pattern"));
        pattern_->setToolTip(tr("Names of signals to add, with * and ?, or an expression between slashes: /Force(Left|Right)/\n"
                                "Enter: lanes of their own; Ctrl+Enter: one lane"));
        pattern_->setMaximumWidth(Theme::get().px(150));
        pattern_->installEventFilter(this);
        bar->addWidget(pattern_, 1);
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

void LanesView::add(const QStringList& paths, int lane, int before)
{
    Arrangement next = arrangement_;
    std::size_t placed = next.size();
    QString first;
    for (const QString& path : paths) {
        const auto source = curveOf(stage().document().catalog(), path);
        if (!source)
            continue;
        bool there = false;
        for (std::size_t i = 0; i < next.size() && !there; ++i)
            if (next[i].has(path) && (lane < 0 || static_cast<int>(i) == lane)) {
                there = true;
                if (paths.size() > 1)
                    break;
                // It is drawn already: told and shown.
                showLane(i);
                stage().select(source->selection());
                Q_EMIT stage().told(tr("%1 is drawn already, in lane %2").arg(source->name()).arg(i + 1));
                return;
            }
        if (there)
            continue;
        first = first.isEmpty() ? path : first;
        if (lane >= 0 && lane < static_cast<int>(next.size())) {
            placed = static_cast<std::size_t>(lane);
            next[placed].paths.push_back(path);
        } else if (before >= 0 && before < static_cast<int>(next.size())) {
            placed = static_cast<std::size_t>(before);
            next.insert(next.begin() + before++, LaneSetUp{path});
        } else {
            placed = next.size();
            next.push_back(LaneSetUp{path});
        }
    }
    change(next, paths.size() > 1 ? tr("plot %1 signals").arg(paths.size()) : tr("plot %1").arg(first));
    showLane(placed);
    setFocus();     // so that undoing takes the plot away again
}

void LanesView::addFitting(const QString& words, bool together)
{
    const auto pattern = filter::SignalPattern::compile(words.trimmed().toStdString());
    if (!pattern) {
        Q_EMIT stage().told(text(pattern.error().text()));
        return;
    }
    const auto& catalog = stage().document().catalog();
    QStringList paths;
    for (const database::CatalogMessage& message : catalog->messages())
        for (std::uint32_t i = 0; i < message.message->signals.size(); ++i)
            if (pattern->fits(message.message->name, message.message->signals[i].name))
                paths << signalPath(*catalog, {&message, i});
    for (const database::DerivedSignal& derived : catalog->derived())
        if (pattern->fits({}, derived.spec.name))
            paths << QLatin1Char(':') + text(derived.spec.name);
    if (paths.isEmpty()) {
        Q_EMIT stage().told(tr("No signal fits %1").arg(words));
        return;
    }
    const qsizetype all = paths.size();
    if (all > static_cast<qsizetype>(mostFitting))
        paths = paths.mid(0, mostFitting);
    const std::size_t lanes = arrangement_.size();
    if (together) {
        Arrangement next = arrangement_;
        next.emplace_back(std::vector<QString>(paths.begin(), paths.end()));
        change(next, tr("plot what fits %1").arg(words));
        showLane(lanes);
        setFocus();
    } else {
        add(paths);
    }
    Q_EMIT stage().told(
        all > paths.size() ? tr("%1 of %2 signals that fit are drawn").arg(paths.size()).arg(all) : tr("%1 signals fit").arg(all));
}

void LanesView::move(const QString& path, int from, int lane, int before)
{
    if (from < 0 || from >= static_cast<int>(arrangement_.size()) || !arrangement_[static_cast<std::size_t>(from)].has(path)
        || from == lane)
        return;
    Arrangement next = arrangement_;
    LaneSetUp& source = next[static_cast<std::size_t>(from)];
    const bool whole = source.size() == 1;
    LaneSetUp moved = whole ? source : LaneSetUp{path};
    std::erase(source.paths, path);
    source.hand.erase(path);
    if (lane >= 0) {
        LaneSetUp& into = next[static_cast<std::size_t>(lane)];
        if (!into.has(path))
            into.paths.push_back(path);
    } else {
        next.insert(next.begin() + std::clamp<std::ptrdiff_t>(before, 0, static_cast<std::ptrdiff_t>(next.size())), std::move(moved));
    }
    std::erase_if(next, [](const LaneSetUp& one) { return one.paths.empty(); });
    change(next, tr("move %1").arg(path));
}

void LanesView::dragCurve(Lane& lane, std::size_t curve)
{
    if (curve < lane.curves().size())
        dragSignals(this, stage(), {lane.curves()[curve].source.path}, static_cast<int>(lane.index()));
}

void LanesView::changeLane(std::size_t lane, const LaneSetUp& next, const QString& what)
{
    if (lane >= arrangement_.size() || arrangement_[lane] == next)
        return;
    Arrangement all = arrangement_;
    all[lane] = next;
    undo_.push(new ArrangeCommand(*this, std::move(all), what, static_cast<int>(lane)));
}

void LanesView::fold(std::size_t lane)
{
    if (lane >= arrangement_.size())
        return;
    LaneSetUp next = arrangement_[lane];
    next.folded = !next.folded;
    changeLane(lane, next, next.folded ? tr("fold a lane") : tr("unfold a lane"));
}

void LanesView::toggleFit(std::size_t lane)
{
    if (lane >= arrangement_.size())
        return;
    LaneSetUp next = arrangement_[lane];
    next.scale = next.scale == LaneSetUp::Scale::window ? LaneSetUp::Scale::database : LaneSetUp::Scale::window;
    changeLane(lane, next, tr("scale of a lane"));
}

int LanesView::chosenLane() const
{
    const Curve* curve = chosenCurve();
    for (std::size_t i = 0; i < lanes_.size(); ++i)
        for (const Curve& one : lanes_[i]->curves())
            if (&one == curve)
                return static_cast<int>(i);
    return lanes_.empty() ? -1 : 0;
}

void LanesView::fillLaneMenu(QMenu& menu, std::size_t lane)
{
    const LaneSetUp& now = arrangement_[lane];
    using Scale = LaneSetUp::Scale;
    using Form = LaneSetUp::Form;
    const auto choice = [&](QMenu& in, const QString& words, const char* name, bool on, const std::function<void(LaneSetUp&)>& set,
                            const QString& what) {
        QAction* action = in.addAction(words);
        action->setObjectName(QLatin1String(name));
        action->setCheckable(true);
        action->setChecked(on);
        connect(action, &QAction::triggered, this, [this, lane, set, what] {
            LaneSetUp next = arrangement_[lane];
            set(next);
            changeLane(lane, next, what);
        });
    };
    QMenu* scale = menu.addMenu(tr("Scale"));
    const QString scaled = tr("scale of a lane");
    for (const auto& [words, name, value] : {std::tuple{tr("of the database"), "scaleDatabase", Scale::database},
             {tr("of what is in the window"), "scaleWindow", Scale::window}, {tr("of the whole run"), "scaleRun", Scale::run}})
        choice(*scale, words, name, now.scale == value, [value = value](LaneSetUp& next) { next.scale = value; }, scaled);
    choice(
        *scale, tr("by hand, as it is now"), "scaleHand", now.scale == Scale::hand,
        [this, lane](LaneSetUp& next) {
            for (std::size_t i = 0; i < lanes_[lane]->curves().size(); ++i) {
                const QCPRange range = lanes_[lane]->axisOf(i)->range();
                next.hand[next.axisOf(lanes_[lane]->curves()[i].source.path)] = {range.lower, range.upper};
            }
            next.scale = Scale::hand;
        },
        scaled);
    scale->addSeparator();
    choice(
        *scale, tr("Logarithmic"), "scaleLogarithmic", now.logarithmic, [](LaneSetUp& next) { next.logarithmic = !next.logarithmic; },
        scaled);
    if (now.size() > 1)
        choice(*scale, tr("An axis for each curve"), "scaleOwn", now.own, [](LaneSetUp& next) { next.own = !next.own; }, scaled);
    QMenu* form = menu.addMenu(tr("Form"));
    for (const auto& [words, name, value] : {std::tuple{tr("as usual"), "formUsual", Form::usual}, {tr("steps"), "formSteps", Form::steps},
             {tr("straight lines"), "formLines", Form::lines}, {tr("points"), "formPoints", Form::points}})
        choice(*form, words, name, now.form == value, [value = value](LaneSetUp& next) { next.form = value; }, tr("form of a lane"));
    choice(
        menu, tr("Folded"), "laneFolded", now.folded, [](LaneSetUp& next) { next.folded = !next.folded; },
        now.folded ? tr("unfold a lane") : tr("fold a lane"));
    menu.addSeparator();
    for (const Curve& curve : lanes_[lane]->curves())
        connect(menu.addAction(tr("Remove %1").arg(curve.source.name())), &QAction::triggered, this,
            [this, path = curve.source.path] { remove(path); });
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
    for (LaneSetUp lane : arrangement_) {
        std::erase(lane.paths, path);
        lane.hand.erase(path);
        if (!lane.paths.empty())
            next.push_back(std::move(lane));
    }
    change(next, tr("remove %1").arg(path));
}

void LanesView::arrange(const Arrangement& arrangement)
{
    // Where the same curves are drawn another way, the lanes stay.
    const bool same = arrangement.size() == arrangement_.size() && lanes_.size() == arrangement.size()
                      && std::equal(arrangement.begin(), arrangement.end(), arrangement_.begin(),
                          [](const LaneSetUp& a, const LaneSetUp& b) { return a.paths == b.paths; });
    arrangement_ = arrangement;
    if (same) {
        for (std::size_t i = 0; i < lanes_.size(); ++i)
            if (lanes_[i]->setUp() != arrangement[i])
                lanes_[i]->apply(arrangement[i]);
        refreshSoon();
    } else {
        rebuild();
    }
    Q_EMIT stage().drawnChanged();
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
        lanes_.push_back(new Lane(*this, arrangement_[i], i));
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
    for (const LaneSetUp& lane : arrangement_)
        paths.insert(paths.end(), lane.paths.begin(), lane.paths.end());
    stage().setDrawnCurves(this);
    stage().setCurves(std::move(paths));
    Q_EMIT stage().drawnChanged();
}

LanesView::~LanesView()
{
    if (stage().drawnCurves() == this)
        stage().setDrawnCurves(nullptr);
}

// Arrows that a plot leaves would scroll the lanes; they move the cursor.
bool LanesView::eventFilter(QObject* watched, QEvent* event)
{
    if (watched == pattern_ && event->type() == QEvent::KeyPress)
        if (auto* key = static_cast<QKeyEvent*>(event); key->key() == Qt::Key_Return || key->key() == Qt::Key_Enter) {
            if (!pattern_->text().trimmed().isEmpty())
                addFitting(pattern_->text(), (key->modifiers() & Qt::ControlModifier) != 0);
            return true;
        }
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
    if (const auto at = place(curve->source.path, what, back))
        stage().setCursor(*at);
    else
        Q_EMIT stage().told(tr("%1: none here").arg(curve->source.name()));
}

const Curve* LanesView::curveOfPath(const QString& path, std::size_t* lane) const
{
    for (std::size_t i = 0; i < lanes_.size(); ++i)
        for (const Curve& curve : lanes_[i]->curves())
            if (curve.source.path == path) {
                if (lane != nullptr)
                    *lane = i;
                return &curve;
            }
    return nullptr;
}

std::optional<DrawnCurves::Drawn> LanesView::drawn(const QString& path) const
{
    std::size_t lane = 0;
    const Curve* curve = curveOfPath(path, &lane);
    if (curve == nullptr)
        return std::nullopt;
    const QCPRange ends = curve->graph->valueAxis()->range();
    return Drawn{lane, arrangement_[lane], lanes_[lane]->band() != nullptr, {ends.lower, ends.upper}};
}

void LanesView::draw(const QString& path, const LaneSetUp& next, const QString& what)
{
    std::size_t lane = 0;
    if (curveOfPath(path, &lane) != nullptr)
        changeLane(lane, next, what);
}

std::optional<Time> LanesView::place(const QString& path, measure::SignalSeries::Place what, bool back) const
{
    const Curve* curve = curveOfPath(path, nullptr);
    if (curve == nullptr)
        return std::nullopt;
    const Marks& marks = stage().marks();
    const Time from = marks.both() ? std::min(*marks.a, *marks.b) : stage().windowFrom();
    const Time to = marks.both() ? std::max(*marks.a, *marks.b) : stage().windowTo();
    return curve->series->next(stage().snapshot(), what, stage().cursor(), back, from, to);
}

// Curves go on under the new name; nothing that could be undone here.
void LanesView::rename(const QString& from, const QString& to)
{
    const QString before = QLatin1Char(':') + from, after = QLatin1Char(':') + to;
    bool any = false;
    for (LaneSetUp& lane : arrangement_) {
        std::replace(lane.paths.begin(), lane.paths.end(), before, after);
        any = any || lane.has(after);
        if (auto hand = lane.hand.extract(before)) {
            hand.key() = after;
            lane.hand.insert(std::move(hand));
        }
    }
    if (any)
        Q_EMIT setUpChanged();
}

void LanesView::replace(const QString& path, const QString& by)
{
    Arrangement next = arrangement_;
    for (LaneSetUp& lane : next) {
        if (lane.has(by))
            std::erase(lane.paths, path);
        std::replace(lane.paths.begin(), lane.paths.end(), path, by);
        lane.hand.erase(path);
    }
    std::erase_if(next, [](const LaneSetUp& lane) { return lane.paths.empty(); });
    change(next, tr("draw %1 instead").arg(by));
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
    int right = 0;
    for (Lane* lane : lanes_) {
        room = std::max(room, lane->wantedScaleRoom());
        right = std::max(right, lane->axesAtRight());
    }
    for (Lane* lane : lanes_) {
        lane->head()->setFixedWidth(width);
        lane->plot()->setScaleRoom(room, right);
    }
    axis_->setScaleRoom(room, right);
    if (axisLead_->sizeHint().width() != width) {
        axisLead_->changeSize(width, 0, QSizePolicy::Fixed, QSizePolicy::Minimum);
        layout()->invalidate();
    }
}

void LanesView::refresh()
{
    if (window_ != nullptr)
        window_->refresh();
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
    Q_EMIT stage().drawnChanged();
    axis_->followStage();
    axis_->drawSoon();
    if (!lanes_.empty())
        bands_->refresh();
    else
        bands_->hide();
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
    if (stage().drawnCurves() == this)
        stage().setDrawnCurves(nullptr);
    Q_EMIT stage().drawnChanged();
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
        stage().chooseWindow(stage().wholeFrom(), stage().wholeTo());
    } else if (event->key() == Qt::Key_Home || event->key() == Qt::Key_End) {
        stage().setCursor(event->key() == Qt::Key_Home ? stage().wholeFrom() : stage().newest());
    } else if (event->key() == Qt::Key_W && event->modifiers() == Qt::NoModifier && window_ != nullptr) {
        window_->edit();
    } else if (laneKey(*event)) {
        return;
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

// Keys of the lane with the chosen curve: V folds it, Y turns its scale on, P its form; Ctrl and arrows move it, with Shift its height.
bool LanesView::laneKey(const QKeyEvent& event)
{
    const int chosen = chosenLane();
    if (chosen < 0)
        return false;
    const auto lane = static_cast<std::size_t>(chosen);
    LaneSetUp next = arrangement_[lane];
    if (event.modifiers() == Qt::NoModifier) {
        const auto turn = [](auto value, int count) { return static_cast<decltype(value)>((static_cast<int>(value) + 1) % count); };
        switch (event.key()) {
        case Qt::Key_V: fold(lane); return true;
        case Qt::Key_Y:
            next.scale = next.scale == LaneSetUp::Scale::hand ? LaneSetUp::Scale::database : turn(next.scale, 3);
            changeLane(lane, next, tr("scale of a lane"));
            Q_EMIT stage().told(next.scale == LaneSetUp::Scale::database ? tr("Scale of the database")
                                : next.scale == LaneSetUp::Scale::window ? tr("Scale of what is in the window")
                                                                         : tr("Scale of the whole run"));
            return true;
        case Qt::Key_P:
            next.form = turn(next.form, 4);
            changeLane(lane, next, tr("form of a lane"));
            return true;
        default: return false;
        }
    }
    const int step = event.key() == Qt::Key_Up ? -1 : event.key() == Qt::Key_Down ? 1 : 0;
    if (step == 0 || (event.modifiers() & Qt::ControlModifier) == 0)
        return false;
    if ((event.modifiers() & Qt::ShiftModifier) != 0) {
        const int now = static_cast<int>(std::lround(lanes_[lane]->height() / Theme::get().scale()));
        next.height = std::max(heightStep * 2, now + step * heightStep);
        changeLane(lane, next, tr("height of a lane"));
        return true;
    }
    const std::size_t to = lane + static_cast<std::size_t>(step);
    if (to >= arrangement_.size())
        return true;
    Arrangement all = arrangement_;
    std::swap(all[lane], all[to]);
    change(all, tr("move a lane"));
    showLane(to);
    return true;
}

void LanesView::dragEnterEvent(QDragEnterEvent* event)
{
    if (event->mimeData()->hasFormat(QLatin1String(signalMime)))
        event->acceptProposedAction();
}

void LanesView::dropEvent(QDropEvent* event)
{
    event->acceptProposedAction();
    const QStringList paths = pathsIn(event->mimeData());
    if (const int from = laneIn(event->mimeData()); from >= 0)
        move(paths.value(0), from, -1, static_cast<int>(arrangement_.size()));
    else
        add(paths);
}

bool LanesView::settled() const
{
    return !soon_.isActive() && stage().curveDesk().keeper().idle()
           && std::all_of(lanes_.begin(), lanes_.end(), [this](const Lane* lane) { return !inSight(*lane) || lane->complete(); });
}

QString LanesView::csv() const
{
    constexpr std::uint64_t mostSamples = 5'000'000;        // of all curves
    QString out = QStringLiteral("time,bus,message,signal,value,unit\n");
    std::uint64_t left = mostSamples;
    for (const Lane* lane : lanes_)
        for (const Curve& curve : lane->curves()) {
            const CurveSource& source = curve.source;
            if (curve.series->about(stage().windowFrom(), stage().windowTo()) > left)
                return {};
            const auto detail = curve.series->detail(stage().snapshot(), stage().windowFrom(), stage().windowTo());
            const QString of = (source.isDerived() ? QStringLiteral(",,")
                                                   : text(source.catalog->busName(source.ref.message->bus)) + QLatin1Char(',')
                                                         + text(source.ref.message->message->name) + QLatin1Char(','))
                               + source.name();
            for (std::size_t i = 0; i < detail->times.size(); ++i) {
                if (detail->times[i] < stage().windowFrom() || detail->times[i] > stage().windowTo() || std::isnan(detail->values[i]))
                    continue;
                out += text(wavetrope::secondsText(detail->times[i] - stage().document().begins())) + QLatin1Char(',') + of
                       + QLatin1Char(',') + text(database::numberText(detail->values[i])) + QLatin1Char(',') + source.unit()
                       + QLatin1Char('\n');
                --left;
            }
        }
    return out;
}

nlohmann::json LanesView::save() const { return {{"lanes", written(arrangement_)}}; }

void LanesView::restore(const nlohmann::json& setUp)
{
    arrangement_ = setUp.contains("lanes") ? arrangementFrom(setUp["lanes"]) : Arrangement();
    rebuild();
}

}  // namespace wavetrope::app
