// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/playback/playback_view.h"

#include <QAbstractItemView>
#include <QApplication>
#include <QDropEvent>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QMimeData>
#include <QPainter>
#include <QPointer>
#include <QScrollArea>
#include <QUrl>
#include <QVBoxLayout>

#include <algorithm>

#include "app/files/log_files.h"
#include "app/paint/paint.h"
#include "app/parts/buttons.h"
#include "app/parts/edit_times.h"
#include "app/parts/elided_label.h"
#include "app/parts/text.h"
#include "app/parts/wrap_layout.h"
#include "app/stage/rule_desk.h"
#include "app/theme/theme.h"
#include "base/time_text.h"

namespace wavetrope::app {

namespace {

/// The letter of a bus as a small widget.
class Badge : public QWidget {
public:
    explicit Badge(BusMark mark) : mark_(std::move(mark)) { setFixedSize(Theme::get().px(14), Theme::get().px(14)); }

protected:
    void paintEvent(QPaintEvent*) override
    {
        QPainter painter(this);
        paintBusBadge(painter, rect(), mark_);
    }

private:
    BusMark mark_;
};

class RouteCommand : public QUndoCommand {
public:
    RouteCommand(RunDocument& document, std::vector<drive::Route> before, std::vector<drive::Route> next)
        : QUndoCommand(QObject::tr("change what is played")), document_(document), before_(std::move(before)), next_(std::move(next))
    {}
    void undo() override { apply(before_); }
    void redo() override { apply(next_); }

private:
    void apply(const std::vector<drive::Route>& routes)
    {
        document_.session()->post([routes](rig::Session& session) { session.playback().route(routes); });
    }
    RunDocument& document_;
    std::vector<drive::Route> before_;
    std::vector<drive::Route> next_;
};

class RewriteCommand : public QUndoCommand {
public:
    RewriteCommand(RunDocument& document, std::vector<std::string> before, std::vector<std::string> next)
        : QUndoCommand(QObject::tr("change frames on their way")), document_(document), before_(std::move(before)), next_(std::move(next))
    {}
    void undo() override { apply(before_); }
    void redo() override { apply(next_); }

private:
    void apply(const std::vector<std::string>& texts)
    {
        document_.session()->call([&](rig::Session& session) {
            if (auto made = session.rewritingFor(texts))
                session.playback().rewrite(std::move(*made));
        });
    }
    RunDocument& document_;
    std::vector<std::string> before_, next_;
};

// Rewritings with ; between them; what stands in quotes holds together.
std::vector<std::string> rewritingsOf(const QString& typed)
{
    std::vector<std::string> out;
    QString one;
    bool quoted = false;
    const auto take = [&] {
        if (const QString text = one.trimmed(); !text.isEmpty())
            out.push_back(text.toStdString());
        one.clear();
    };
    for (const QChar c : typed) {
        quoted = quoted != (c == QLatin1Char('"'));
        if (c == QLatin1Char(';') && !quoted)
            take();
        else
            one += c;
    }
    take();
    return out;
}

QString typedAs(const std::vector<std::string>& texts)
{
    QStringList out;
    for (const std::string& one : texts)
        out << QString::fromStdString(one);
    return out.join(QStringLiteral("; "));
}

QStringList namesOf(const drive::Route& route)
{
    QStringList names;
    for (const std::string& name : route.nodes)
        names << QString::fromStdString(name);
    return names;
}

bool sameRoutes(const std::vector<drive::Route>& a, const std::vector<drive::Route>& b)
{
    return std::equal(a.begin(), a.end(), b.begin(), b.end(),
        [](const drive::Route& x, const drive::Route& y) { return x.to == y.to && x.senders == y.senders && x.nodes == y.nodes; });
}

}  // namespace

/// What stands in the way of playing, or that nothing does, with its remedy.
class PlaybackView::Notice : public QWidget {
public:
    void setWrong(bool wrong)
    {
        wrong_ = wrong;
        update();
    }

protected:
    void paintEvent(QPaintEvent*) override
    {
        QPainter painter(this);
        const Theme& theme = Theme::get();
        painter.setPen(theme.hairline);
        painter.setBrush(theme.raised);
        painter.drawRect(rect().adjusted(0, 0, -1, -1));
        painter.fillRect(QRectF(0, 0, theme.px(3), height()), wrong_ ? theme.error : theme.accent);
    }

private:
    bool wrong_ = false;
};

PlaybackView::PlaybackView(Stage& stage)
    : View(stage),
      facts_(new ElidedLabel),
      strip_(new PlaybackStrip),
      controls_(new QWidget),
      play_(new QPushButton(tr("Play"))),
      step_(new QPushButton(tr("Step"))),
      tenFrames_(new QPushButton(tr("10 frames"))),
      loop_(new QCheckBox(tr("loop"))),
      gap_(new QLineEdit),
      changing_(new QWidget),
      rewriting_(new QLineEdit),
      rewritten_(new ElidedLabel),
      driving_(new QWidget),
      plays_(new QComboBox),
      rests_(new QComboBox),
      arm_(linkButton(tr("Arm as changed"), "armPlayback")),
      heading_(new QLabel(tr("What of the log goes where"))),
      routesBox_(new QWidget),
      routesLayout_(new QVBoxLayout(routesBox_)),
      notice_(new Notice),
      noticeText_(new QLabel),
      noticeButton_(new QPushButton),
      choose_(new QPushButton(tr("Choose a log..."))),
      empty_(new QLabel)
{
    EditTimes::follow(undo_);
    const Theme& theme = Theme::get();
    setAcceptDrops(true);
    // What does not fit is reached by scrolling: nothing is squeezed.
    auto* scroll = new QScrollArea;
    auto* inside = new QWidget;
    scroll->setObjectName(QStringLiteral("playbackScroll"));
    scroll->setWidget(inside);
    scroll->setWidgetResizable(true);
    scroll->setFrameShape(QFrame::NoFrame);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    scroll->setFocusPolicy(Qt::NoFocus);
    scroll->viewport()->setAutoFillBackground(false);
    inside->setAutoFillBackground(false);
    auto* outside = new QVBoxLayout(this);
    outside->setContentsMargins(0, 0, 0, 0);
    outside->addWidget(scroll);
    auto* layout = new QVBoxLayout(inside);
    layout->setContentsMargins(theme.px(12), theme.px(10), theme.px(12), theme.px(8));
    layout->setSpacing(theme.px(7));
    layout->addWidget(strip_);

    auto* bar = new WrapLayout(controls_, theme.px(6));
    play_->setObjectName(QStringLiteral("primary"));
    play_->setToolTip(tr("Play from here, or rest  (P)"));
    play_->setShortcut(Qt::Key_P);
    step_->setObjectName(QStringLiteral("step"));
    step_->setToolTip(tr("Send the next frame  (S)"));
    step_->setShortcut(Qt::Key_S);
    tenFrames_->setToolTip(tr("Send the next ten frames"));
    bar->addWidget(play_);
    bar->addWidget(step_);
    bar->addWidget(tenFrames_);
    auto* pace = new QWidget;       // the choice stays together
    auto* paceLine = new QHBoxLayout(pace);
    paceLine->setContentsMargins(theme.px(10), 0, theme.px(10), 0);
    paceLine->setSpacing(theme.px(6));
    paceLine->addWidget(new QLabel(tr("pace")));
    for (const auto& [factor, text] :
        std::initializer_list<std::pair<double, QString>>{{1, tr("recorded")}, {2, tr("x 2")}, {10, tr("x 10")}, {0, tr("fastest")}}) {
        auto* button = new QPushButton(text);
        button->setObjectName(QStringLiteral("pace%1").arg(factor));
        button->setCheckable(true);
        button->setToolTip(factor == 0 ? tr("As fast as the bus takes frames") : tr("%1 times the recorded pace").arg(factor));
        const double value = factor;
        connect(button, &QPushButton::clicked, this, [this, value] { setPace(value); });
        paces_.emplace_back(factor, button);
        paceLine->addWidget(button);
    }
    gap_->setObjectName(QStringLiteral("paceGap"));
    gap_->setPlaceholderText(tr("every 5 ms"));
    gap_->setAccessibleName(tr("Time from beat to beat"));
    gap_->setToolTip(tr("A fixed time from beat to beat, whatever was recorded  (Enter)"));
    gap_->setFixedWidth(theme.px(94));
    connect(gap_, &QLineEdit::returnPressed, this, &PlaybackView::setGap);
    paceLine->addWidget(gap_);
    bar->addWidget(pace);
    bar->addWidget(loop_);
    auto* another = new QPushButton(tr("Other log..."));
    another->setToolTip(tr("Load another log into playback"));
    connect(another, &QPushButton::clicked, this, &PlaybackView::chooseLog);
    bar->addWidget(another);
    layout->addWidget(controls_);
    auto* drivenBy = new WrapLayout(driving_, theme.px(6));
    for (const auto& [box, words, name, tip] :
        {std::tuple(plays_, tr("plays"), "playsWhen", tr("A condition of the rig that makes it play, each time that it becomes true")),
            std::tuple(rests_, tr("rests"), "restsWhen", tr("A condition of the rig that makes it rest where it stands"))}) {
        auto* pair = new QWidget;
        auto* pairLine = new QHBoxLayout(pair);
        pairLine->setContentsMargins(0, 0, theme.px(10), 0);
        pairLine->setSpacing(theme.px(6));
        box->setObjectName(QLatin1String(name));
        box->setAccessibleName(words);
        box->setToolTip(tip);
        box->setMinimumWidth(theme.px(150));
        pairLine->addWidget(new QLabel(words));
        pairLine->addWidget(box);
        drivenBy->addWidget(pair);
        connect(box, &QComboBox::activated, this, &PlaybackView::drive);
    }
    arm_->setToolTip(
        tr("The run follows the conditions and recordings as they were armed. This arms them as they are now; takes that go on "
           "end"));
    drivenBy->addWidget(arm_);
    connect(arm_, &QPushButton::clicked, this, [this] {
        if (const auto armed = this->stage().rules().arm(); !armed)
            Q_EMIT this->stage().told(text(armed.error().text()));
    });
    connect(&stage.rules(), &RuleDesk::changed, this, &PlaybackView::showDriving);
    layout->addWidget(driving_);
    auto* changingLine = new QHBoxLayout(changing_);
    changingLine->setContentsMargins(0, 0, 0, 0);
    changingLine->setSpacing(theme.px(6));
    changingLine->addWidget(new QLabel(tr("changed on its way")));
    rewriting_->setObjectName(QStringLiteral("rewriting"));
    rewriting_->setAccessibleName(tr("What is changed of the log's frames"));
    rewriting_->setPlaceholderText(tr("nothing; such as WaterState.Flow = Flow * 0.5; id 0x181 = 0x281"));
    rewriting_->setToolTip(
        tr("MESSAGE.SIGNAL = formula, or id 0x181 = 0x281; several with ; between them, which apply in that order  (Enter)"));
    connect(rewriting_, &QLineEdit::returnPressed, this, &PlaybackView::rewrite);
    changingLine->addWidget(rewriting_, 3);
    rewritten_->setObjectName(QStringLiteral("rewritten"));
    changingLine->addWidget(rewritten_, 2);
    layout->addWidget(changing_);
    heading_->setFont(theme.head());
    layout->addWidget(heading_);
    routesLayout_->setContentsMargins(0, 0, 0, 0);
    routesLayout_->setSpacing(theme.px(3));
    layout->addWidget(routesBox_);

    notice_->setObjectName(QStringLiteral("notice"));
    auto* noticeLine = new QHBoxLayout(notice_);
    noticeLine->setContentsMargins(theme.px(14), theme.px(6), theme.px(6), theme.px(6));
    noticeLine->addWidget(noticeText_, 1);
    noticeButton_->setObjectName(QStringLiteral("remedy"));
    noticeLine->addWidget(noticeButton_);
    noticeText_->setObjectName(QStringLiteral("noticeText"));
    noticeText_->setWordWrap(true);
    noticeText_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Ignored);
    // Two lines and a button, whatever it says: nothing below moves.
    const auto hold = [this] { notice_->setFixedHeight(Theme::get().px(46)); };
    hold();
    connect(&Theme::get(), &Theme::changed, this, hold);
    layout->addWidget(notice_);
    empty_->setText(tr("Playback puts a recorded log back on the buses, as if its event happened again. Drop a log here, or choose one."));
    empty_->setAlignment(Qt::AlignCenter);
    empty_->setWordWrap(true);
    layout->addWidget(empty_);
    layout->addWidget(choose_, 0, Qt::AlignHCenter);
    layout->addStretch(1);

    choose_->setObjectName(QStringLiteral("chooseLog"));
    connect(choose_, &QPushButton::clicked, this, [this] {
        if (this->stage().document().isLive())
            chooseLog();
        else
            Q_EMIT this->stage().replayWanted(QString::fromStdString(this->stage().document().path()));
    });
    connect(play_, &QPushButton::clicked, this, [this] {
        if (this->stage().document().session() != nullptr)
            this->stage().document().session()->post([](rig::Session& session) {
                if (session.playback().playing())
                    session.playback().rest();
                else if (session.collisions().empty())
                    session.playback().play();
            });
    });
    const auto step = [this](std::size_t count) {
        if (this->stage().document().session() != nullptr)
            this->stage().document().session()->post([count](rig::Session& session) {
                if (session.collisions().empty())
                    session.playback().step(count);
            });
    };
    connect(step_, &QPushButton::clicked, this, [step] { step(1); });
    connect(tenFrames_, &QPushButton::clicked, this, [step] { step(10); });
    connect(loop_, &QCheckBox::toggled, this, [this](bool on) {
        if (this->stage().document().session() != nullptr)
            this->stage().document().session()->post([on](rig::Session& session) { session.playback().setLoop(on); });
    });
    connect(strip_, &PlaybackStrip::sought, this, [this](std::int64_t time) {
        this->stage().document().session()->post([time](rig::Session& session) { session.playback().seek(Time(time)); });
    });
    connect(strip_, &PlaybackStrip::rangeChosen, this, [this](std::int64_t from, std::int64_t to) {
        this->stage().document().session()->post([from, to](rig::Session& session) {
            if (to > from)
                session.playback().setRange(Time(from), Time(to));
            else
                session.playback().setRange({}, {});
        });
    });
    connect(noticeButton_, &QPushButton::clicked, this, &PlaybackView::remedy);
    connect(&stage, &Stage::beat, this, &PlaybackView::refresh);
    showDriving();
    refresh();
}

// Each box has the conditions of the rig; an expression that was written by hand stands behind them.
void PlaybackView::showDriving()
{
    const rig::Rig& rig = stage().rules().rig();
    for (const auto& [box, expression, none] :
        {std::tuple(plays_, &rig.playback.start, tr("by hand")), std::tuple(rests_, &rig.playback.stop, tr("at its end, or by hand"))}) {
        box->clear();
        box->addItem(none, QString());
        QStringList known;
        for (const rig::EventSpec& event : rig.events) {
            const QString term = text(rules::quotedName(event.name));
            known << term;
            box->addItem(tr("when %1").arg(text(event.name)), term);
        }
        if (!expression->empty() && !known.contains(text(*expression)))
            box->addItem(tr("when %1").arg(text(*expression)), text(*expression));
        box->setCurrentIndex(std::max(0, box->findData(text(*expression))));
    }
    arm_->setVisible(stage().rules().differs());
}

// Armed at once, unless that would end a take, or arm what else was changed.
void PlaybackView::drive()
{
    RuleDesk& rules = stage().rules();
    const auto takes = stage().document().session()->takingReports();
    using Phase = rules::Rules::Phase;
    const bool atOnce = !rules.differs() && std::none_of(takes.begin(), takes.end(), [](const rig::TakingReport& take) {
        return take.state.phase == Phase::keeps || take.state.phase == Phase::behind;
    });
    auto done = rules.setPlayback({plays_->currentData().toString().toStdString(), rests_->currentData().toString().toStdString()});
    if (done && atOnce)
        done = rules.arm();
    if (!done)
        Q_EMIT stage().told(text(done.error().text()));
    showDriving();
}

QUndoStack* PlaybackView::sharedUndoStack() { return &stage().rules().undoStack(); }

void PlaybackView::chooseLog()
{
    const QString path = askForLog(this, tr("Log to play back"));
    if (!path.isEmpty())
        load(path);
}

void PlaybackView::load(const QString& path)
{
    rig::Session* session = stage().document().session();
    if (session == nullptr)
        return;
    logName_ = QFileInfo(path).fileName();
    facts_->setText(tr("reading %1").arg(logName_));
    // Reading takes its time; the run and this window go on meanwhile.
    const QPointer<PlaybackView> self(this);
    session->readForPlayback(path.toStdString(), [self](Expected<formats::ReadReport> report) {
        if (report)
            return;
        // Told on a thread of its own: whether the view is still there is looked at on its own alone.
        QMetaObject::invokeMethod(
            qApp,
            [self, words = QString::fromStdString(report.error().text())] {
                if (!self.isNull()) {
                    self->empty_->setText(words);
                    self->facts_->setText(words);
                }
            },
            Qt::QueuedConnection);
    });
}

void PlaybackView::buildRoutes()
{
    building_ = true;
    for (const RouteRow& row : rows_) {
        row.line->hide();
        row.line->deleteLater();
    }
    rows_.clear();
    const auto buses = log_->buses();
    const auto& rigBuses = stage().document().buses();
    for (std::size_t i = 0; i < buses.size(); ++i) {
        RouteRow row;
        row.line = new QWidget;
        auto* line = new QHBoxLayout(row.line);
        line->setContentsMargins(0, 0, 0, 0);
        line->setSpacing(Theme::get().px(8));
        int same = -1;
        for (std::size_t k = 0; k < rigBuses.size(); ++k)
            if (rigBuses[k].name == buses[i].name)
                same = static_cast<int>(k);
        line->addWidget(new Badge(same >= 0 ? stage().mark(static_cast<unsigned>(same)) : BusMark(static_cast<unsigned>(i))));
        auto* name = new ElidedLabel(buses[i].name.empty() ? tr("Bus %1").arg(i + 1) : QString::fromStdString(buses[i].name));
        name->setFixedWidth(Theme::get().px(86));
        name->setToolTip(name->text());
        line->addWidget(name);
        row.what = new QComboBox;
        row.what->setObjectName(QStringLiteral("route%1").arg(QString::fromStdString(buses[i].name)));
        row.what->setToolTip(tr("Which frames of this bus are played"));
        row.what->addItem(tr("nothing"), QStringLiteral("nothing"));
        row.what->addItem(tr("everything"), QStringLiteral("all"));
        std::vector<std::string> senders;
        if (same >= 0)
            for (const auto& message : stage().catalog().messages())
                if (message.bus == same && !message.message->sender.empty()
                    && std::find(senders.begin(), senders.end(), message.message->sender) == senders.end())
                    senders.push_back(message.message->sender);
        for (const std::string& sender : senders)
            row.what->addItem(tr("%1 only").arg(QString::fromStdString(sender)), QStringLiteral("only ") + QString::fromStdString(sender));
        for (const std::string& sender : senders)
            row.what->addItem(
                tr("all except %1").arg(QString::fromStdString(sender)), QStringLiteral("except ") + QString::fromStdString(sender));
        line->addWidget(row.what);
        auto* arrow = new QLabel(QStringLiteral("\u2192"));
        line->addWidget(arrow);
        row.arrow = arrow;
        row.to = new QComboBox;
        row.to->setToolTip(tr("Bus of the rig that gets them"));
        row.to->setMinimumWidth(Theme::get().px(56));
        for (std::size_t k = 0; k < rigBuses.size(); ++k)
            row.to->addItem(
                stage().mark(static_cast<unsigned>(k)).letter + QStringLiteral("  ") + QString::fromStdString(rigBuses[k].name));
        row.to->setCurrentIndex(same >= 0 ? same : std::min(static_cast<int>(i), row.to->count() - 1));
        line->addWidget(row.to);
        row.count = new ElidedLabel;
        row.count->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Preferred);
        line->addWidget(row.count, 1);
        routesLayout_->addWidget(row.line);
        connect(row.what, &QComboBox::currentIndexChanged, this, &PlaybackView::applyRoutes);
        connect(row.to, &QComboBox::currentIndexChanged, this, &PlaybackView::applyRoutes);
        rows_.push_back(row);
    }
    building_ = false;
    layRoutes();
}

// All boxes are alike, and give way where it is narrow.
void PlaybackView::layRoutes()
{
    const Theme& theme = Theme::get();
    const int what = std::clamp(width() - theme.px(364), theme.px(96), theme.px(190));
    for (const RouteRow& row : rows_)
        row.what->setFixedWidth(what);
}

void PlaybackView::resizeEvent(QResizeEvent* event)
{
    View::resizeEvent(event);
    layRoutes();
}

std::vector<drive::Route> PlaybackView::routesFromRows() const
{
    std::vector<drive::Route> routes;
    for (const RouteRow& row : rows_) {
        drive::Route route;
        const QString what = row.what->currentData().toString();
        route.to = what == QLatin1String("nothing") ? -1 : row.to->currentIndex();
        if (what.startsWith(QLatin1String("only "))) {
            route.senders = drive::Senders::only;
            for (const QString& node : what.mid(5).split('\n'))
                route.nodes.push_back(node.toStdString());
        } else if (what.startsWith(QLatin1String("except "))) {
            route.senders = drive::Senders::except;
            for (const QString& node : what.mid(7).split('\n'))
                route.nodes.push_back(node.toStdString());
        }
        routes.push_back(std::move(route));
    }
    return routes;
}

void PlaybackView::applyRoutes()
{
    if (!building_)
        undo_.push(new RouteCommand(stage().document(), report_.routes, routesFromRows()));
}

void PlaybackView::setPace(double factor)
{
    if (stage().document().session() != nullptr)
        stage().document().session()->post([factor](rig::Session& session) { session.playback().setPace({factor}); });
}

void PlaybackView::setGap()
{
    rig::Session* session = stage().document().session();
    if (session == nullptr)
        return;
    QString typed = gap_->text().trimmed();
    if (typed.startsWith(QLatin1String("every ")))
        typed = typed.mid(6);
    const auto gap = spanFromText(typed.toStdString());
    if (!gap || gap->count() <= 0) {
        Q_EMIT stage().told(tr("'%1' is no time from beat to beat, such as 5 ms").arg(typed));
        return;
    }
    session->post([gap = *gap](rig::Session& run) { run.playback().setPace({run.playback().pace().factor, gap}); });
    gap_->clearFocus();
}

void PlaybackView::rewrite()
{
    rig::Session* session = stage().document().session();
    if (session == nullptr || !report_.loaded)
        return;
    const std::vector<std::string> texts = rewritingsOf(rewriting_->text());
    std::optional<Error> problem;
    session->call([&](rig::Session& run) {
        if (const auto made = run.rewritingFor(texts); !made)
            problem = made.error();
    });
    wrong_ = problem ? text(problem->what + (problem->remedy.empty() ? "" : ". " + problem->remedy)) : QString();
    if (!problem && texts != report_.rewriting)
        undo_.push(new RewriteCommand(stage().document(), report_.rewriting, texts));
    rewriting_->clearFocus();
    refresh();
}

void PlaybackView::remedy()
{
    // Takes the colliding nodes out, or puts everybody back whose recording plays.
    stage().document().session()->post([](rig::Session& session) {
        const auto collisions = session.collisions();
        for (const rig::Collision& collision : collisions)
            if (drive::Actor* other = session.actor(collision.node))
                other->setOn(false);
        if (collisions.empty()) {
            session.playback().rest();
            for (drive::Node* node : session.all<drive::Node>())
                node->setOn(true);
        }
    });
}

void PlaybackView::refresh()
{
    rig::Session* session = stage().document().session();
    const bool live = session != nullptr;
    if (live)
        report_ = session->playbackReport();
    const bool loaded = live && report_.loaded;
    strip_->setVisible(loaded);
    controls_->setVisible(loaded);
    driving_->setVisible(loaded && !stage().rules().rig().events.empty());
    changing_->setVisible(loaded);
    heading_->setVisible(loaded);
    routesBox_->setVisible(loaded);
    empty_->setVisible(!loaded);
    const bool replayable = !live && !stage().document().rig().buses.empty();
    choose_->setVisible(!loaded && (live || replayable));
    if (replayable) {
        empty_->setText(
            tr("This window shows a log. Playback puts it back on the buses of a running rig, where simulated nodes react to it."));
        choose_->setText(tr("Play this log in %1").arg(QString::fromStdString(stage().document().rig().name)));
        choose_->setToolTip(tr("Opens the rig in a window of its own, running, with this log in its playback"));
    } else if (!live) {
        empty_->setText(tr("This window shows a log. Playback works in the window of a running rig: open one with Ctrl+O and drop this log "
                           "on its playback."));
    }
    if (!loaded) {
        notice_->hide();
        return;
    }
    if (log_ != session->playbackLog()) {
        log_ = session->playbackLog();
        strip_->setLog(log_);
        buildRoutes();
        undo_.clear();
    }
    if (!isVisible())
        return;
    // Undo, or where a node is, may have changed the routes behind the boxes.
    if (!sameRoutes(routesFromRows(), report_.routes) && report_.routes.size() == rows_.size()) {
        building_ = true;
        for (std::size_t i = 0; i < rows_.size(); ++i) {
            const drive::Route& route = report_.routes[i];
            const QString wanted = route.to < 0 ? QStringLiteral("nothing")
                                   : route.senders == drive::Senders::all || route.nodes.empty()
                                       ? QStringLiteral("all")
                                       : (route.senders == drive::Senders::only ? QStringLiteral("only ") : QStringLiteral("except "))
                                             + namesOf(route).join('\n');
            if (rows_[i].what->view()->isVisible())
                continue;
            if (rows_[i].what->findData(wanted) < 0)
                rows_[i].what->addItem((route.senders == drive::Senders::only ? tr("%1 only") : tr("all except %1"))
                                           .arg(namesOf(route).join(QStringLiteral(", "))),
                    wanted);
            rows_[i].what->setCurrentIndex(rows_[i].what->findData(wanted));
            if (route.to >= 0)
                rows_[i].to->setCurrentIndex(route.to);
        }
        building_ = false;
    }
    facts_->setText(tr("%1, %2 s: %4 of %3 frames are chosen, %5 were sent")
            .arg(logName_, secondsText(static_cast<double>((report_.end - report_.start).count()) * 1e-9, 1), countText(log_->rows()),
                countText(report_.chosen), countText(report_.sent)));
    strip_->setPosition(report_.start, report_.end, report_.position);
    play_->setText(report_.playing ? tr("Rest") : tr("Play"));
    const bool blocked = !report_.collisions.empty() || report_.chosen == 0;
    play_->setEnabled(!blocked);
    step_->setEnabled(!blocked);
    tenFrames_->setEnabled(!blocked);
    for (const auto& [factor, button] : paces_)
        button->setChecked(factor == report_.factor && report_.gap.count() == 0);
    if (!gap_->hasFocus())
        gap_->setText(report_.gap.count() > 0 ? tr("every %1").arg(text(spanText(report_.gap))) : QString());
    if (!rewriting_->hasFocus() && wrong_.isEmpty())
        rewriting_->setText(typedAs(report_.rewriting));
    QPalette palette = rewritten_->palette();
    palette.setColor(QPalette::WindowText, wrong_.isEmpty() ? Theme::get().ink2 : Theme::get().error);
    rewritten_->setPalette(palette);
    QStringList counts;
    if (report_.rewritten.changed > 0)
        counts << tr("%1 changed").arg(countText(report_.rewritten.changed));
    if (report_.rewritten.limited > 0)
        counts << tr("%1 limited").arg(countText(report_.rewritten.limited));
    if (report_.rewritten.failed > 0)
        counts << tr("%1 without a number").arg(countText(report_.rewritten.failed));
    rewritten_->setText(wrong_.isEmpty() ? counts.join(QStringLiteral(", ")) : wrong_);
    rewritten_->setToolTip(rewritten_->text());
    for (std::size_t i = 0; i < rows_.size() && i < report_.chosenByBus.size(); ++i) {
        const bool nothing = report_.routes[i].to < 0;
        rows_[i].count->setText(nothing ? QString() : tr("%1 frames").arg(countText(report_.chosenByBus[i])));
        rows_[i].to->setVisible(!nothing);
        rows_[i].arrow->setVisible(!nothing);
        if (!nothing)
            strip_->setColour(Theme::get().bus(stage().mark(static_cast<unsigned>(report_.routes[i].to))));
    }
    notice_->show();
    noticeButton_->show();
    QStringList out;
    for (const rig::NodeReport& node : session->nodeReports())
        if (!node.on)
            out << QString::fromStdString(node.name);
    if (!report_.collisions.empty()) {
        QStringList nodes;
        for (const rig::Collision& collision : report_.collisions)
            if (!nodes.contains(QString::fromStdString(collision.node)))
                nodes << QString::fromStdString(collision.node);
        noticeText_->setText(tr("Collision: %1%2. Nothing is sent until that is settled.")
                .arg(QString::fromStdString(report_.collisions.front().words(stage().catalog())),
                    report_.collisions.size() > 1 ? tr(", and %1 more").arg(report_.collisions.size() - 1) : QString()));
        noticeButton_->setText(
            nodes.size() > 2 ? tr("Take %1 nodes out").arg(nodes.size()) : tr("Take %1 out").arg(nodes.join(QStringLiteral(", "))));
        noticeButton_->setToolTip(
            tr("No longer simulates %1, so that its recording can stand in for it").arg(nodes.join(QStringLiteral(", "))));
    } else if (report_.chosen == 0) {
        noticeText_->setText(tr("Nothing is chosen yet: say above which frames go to which bus."));
        noticeButton_->hide();
    } else if (!out.isEmpty()) {
        noticeText_->setText(
            tr("No collision: %1 is taken out of the simulation while its recording plays.").arg(out.join(QStringLiteral(", "))));
        noticeButton_->setText(tr("Put it back"));
        noticeButton_->setToolTip(tr("Simulates it again"));
    } else {
        noticeText_->setText(tr("No collision: no running node sends what is played."));
        noticeButton_->hide();
    }
    noticeText_->setToolTip(noticeText_->text());
    facts_->setToolTip(facts_->text());
    notice_->setWrong(!report_.collisions.empty());
    update();
}

void PlaybackView::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    painter.fillRect(rect(), Theme::get().surface);
}

void PlaybackView::dragEnterEvent(QDragEnterEvent* event)
{
    if (event->mimeData()->hasUrls())
        event->acceptProposedAction();
}

void PlaybackView::dropEvent(QDropEvent* event)
{
    for (const QUrl& url : event->mimeData()->urls())
        if (url.isLocalFile()) {
            event->acceptProposedAction();
            return load(url.toLocalFile());
        }
}

}  // namespace wavetrope::app
