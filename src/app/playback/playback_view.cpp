// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/playback/playback_view.h"

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
#include "app/import/several_logs_dialog.h"
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
      frames_(new QSpinBox),
      goal_(new QLineEdit),
      goOn_(new QPushButton(tr("Go on to"))),
      loop_(new QCheckBox(tr("loop"))),
      loopPause_(new QLineEdit),
      gap_(new QLineEdit),
      onto_(new QComboBox),
      changing_(new QWidget),
      rewriting_(new QLineEdit),
      rewritten_(new ElidedLabel),
      driving_(new QWidget),
      plays_(new QComboBox),
      rests_(new QComboBox),
      at_(new QLineEdit),
      arm_(linkButton(tr("Arm as changed"), "armPlayback")),
      heading_(new QLabel(tr("What of the log goes where"))),
      routes_(new RouteRows(stage)),
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
    step_->setToolTip(tr("Send the next frames at once, so many as stand beside it  (S)"));
    step_->setShortcut(Qt::Key_S);
    frames_->setObjectName(QStringLiteral("stepFrames"));
    frames_->setRange(1, 100'000);
    const auto counted = [this](int count) { frames_->setSuffix(count == 1 ? tr(" frame") : tr(" frames")); };
    counted(1);
    connect(frames_, &QSpinBox::valueChanged, this, counted);
    frames_->setAccessibleName(tr("Frames of a step"));
    frames_->setToolTip(tr("Frames of a step"));
    goal_->setObjectName(QStringLiteral("playTo"));
    goal_->setPlaceholderText(tr("42 s, or a filter"));
    goal_->setAccessibleName(tr("Where to rest"));
    goal_->setToolTip(tr("Plays, and rests behind the next frame that passes this filter, or at this moment of the log  (Enter)"));
    goal_->setFixedWidth(theme.px(150));
    goOn_->setObjectName(QStringLiteral("goOnTo"));
    goOn_->setToolTip(tr("Play, and rest where the line beside it says"));
    connect(goal_, &QLineEdit::returnPressed, this, &PlaybackView::goOn);
    connect(goOn_, &QPushButton::clicked, this, &PlaybackView::goOn);
    bar->addWidget(play_);
    const auto together = [&](std::initializer_list<QWidget*> parts) {  // they stay beside each other
        auto* box = new QWidget;
        auto* line = new QHBoxLayout(box);
        line->setContentsMargins(0, 0, theme.px(6), 0);
        line->setSpacing(theme.px(6));
        for (QWidget* part : parts)
            line->addWidget(part);
        return box;
    };
    bar->addWidget(together({step_, frames_}));
    bar->addWidget(together({goOn_, goal_}));
    auto* another = new QPushButton(tr("Other logs..."));
    another->setToolTip(tr("Load another log into playback, or several as one"));
    connect(another, &QPushButton::clicked, this, &PlaybackView::chooseLog);
    bar->addWidget(another);
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
    gap_->setAccessibleName(tr("Beat of its frames"));
    gap_->setToolTip(
        tr("One frame every 5 ms, whatever was recorded; or 'every 2 BladeState': at every second one of a message of the rig  (Enter)"));
    gap_->setFixedWidth(theme.px(130));
    connect(gap_, &QLineEdit::returnPressed, this, &PlaybackView::setGap);
    paceLine->addWidget(gap_);
    bar->addWidget(pace);
    loopPause_->setObjectName(QStringLiteral("loopPause"));
    loopPause_->setPlaceholderText(tr("no pause"));
    loopPause_->setAccessibleName(tr("Pause before it begins anew"));
    loopPause_->setToolTip(tr("How long it rests before it begins anew, such as 2 s  (Enter)"));
    loopPause_->setFixedWidth(theme.px(72));
    // Who says how long it pauses wants it to begin anew.
    connect(
        loopPause_, &QLineEdit::returnPressed, this, [this] { setLoop(loop_->isChecked() || !loopPause_->text().trimmed().isEmpty()); });
    bar->addWidget(together({loop_, loopPause_}));
    onto_->setObjectName(QStringLiteral("onto"));
    onto_->setAccessibleName(tr("Where its frames go"));
    onto_->setToolTip(tr("Onto the buses; or into the views alone, for looking: nobody on a bus sees them"));
    onto_->addItems({tr("onto the buses"), tr("into the views alone")});
    connect(onto_, &QComboBox::activated, this, [this](int which) {
        if (this->stage().document().session() != nullptr)
            this->stage().document().session()->post([which](rig::Session& session) { session.playOntoViews(which == 1); });
    });
    bar->addWidget(onto_);
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
    at_->setObjectName(QStringLiteral("playsAt"));
    at_->setPlaceholderText(tr("no time set"));
    at_->setAccessibleName(tr("Time of the run at which it begins"));
    at_->setToolTip(tr("Begins at this time of the run, such as 120 s; empty: at none  (Enter)"));
    at_->setFixedWidth(theme.px(90));
    connect(at_, &QLineEdit::returnPressed, this, &PlaybackView::setBegin);
    drivenBy->addWidget(together({new QLabel(tr("begins at")), at_}));
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
    layout->addWidget(routes_);
    connect(routes_, &RouteRows::edited, this, [this](const std::vector<drive::Route>& routes) {
        undo_.push(new RouteCommand(this->stage().document(), report_.routes, routes));
    });
    connect(routes_, &RouteRows::wrong, this, [this](const QString& words) { Q_EMIT this->stage().told(words); });

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
    empty_->setText(
        tr("Playback puts a recorded log back on the buses, as if its event happened again. Drop a log here, or several, or choose them."));
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
    connect(step_, &QPushButton::clicked, this, [this, step] { step(static_cast<std::size_t>(frames_->value())); });
    connect(loop_, &QCheckBox::clicked, this, &PlaybackView::setLoop);
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
    const QStringList paths = askForLogs(this, tr("Logs to play back"));
    if (!paths.isEmpty())
        load(paths);
}

void PlaybackView::load(const QStringList& paths)
{
    if (stage().document().session() == nullptr)
        return;
    if (paths.size() == 1)
        return read({{paths.front().toStdString(), Time{0}, false, {}}});   // text by its kept layout
    if (auto parts = askForParts(paths, this))
        read(std::move(*parts));
}

void PlaybackView::read(const std::vector<formats::LogPart>& parts)
{
    QStringList names;
    for (const formats::LogPart& part : parts)
        names << QFileInfo(text(part.path)).fileName()
                     + (part.offset.count() != 0 ? QStringLiteral(" %1%2").arg(part.offset.count() > 0 ? QStringLiteral("+") : QString(),
                                                       text(spanText(part.offset)))
                                                 : QString());
    logName_ = names.join(tr(" with "));
    facts_->setText(tr("reading %1").arg(logName_));
    // Reading takes its time; the run and this window go on meanwhile.
    const QPointer<PlaybackView> self(this);
    stage().document().session()->readForPlayback(parts, [self](Expected<formats::ReadReport> report) {
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
    if (!typed.startsWith(QLatin1String("every ")))
        typed.prepend(QLatin1String("every "));
    const auto pace = drive::paceFromText(typed.toStdString(), stage().catalog());
    if (!pace) {
        Q_EMIT stage().told(text(pace.error().text()));
        return;
    }
    session->post([pace = *pace](rig::Session& run) { run.playback().setPace({run.playback().pace().factor, pace.gap, pace.beat}); });
    gap_->clearFocus();
}

void PlaybackView::setLoop(bool on)
{
    rig::Session* session = stage().document().session();
    if (session == nullptr)
        return;
    const QString typed = loopPause_->text().trimmed();
    const auto pause = typed.isEmpty() ? std::optional<Time>(Time{}) : spanFromText(typed.toStdString());
    if (!pause || pause->count() < 0) {
        Q_EMIT stage().told(tr("'%1' is no pause, such as 2 s").arg(typed));
        return;
    }
    session->post([on, pause = *pause](rig::Session& run) { run.playback().setLoop(on, pause); });
    loopPause_->clearFocus();
}

void PlaybackView::setBegin()
{
    rig::Session* session = stage().document().session();
    if (session == nullptr)
        return;
    const QString typed = at_->text().trimmed();
    std::optional<Time> instant;
    if (!typed.isEmpty()) {
        const auto span = spanFromText(typed.toStdString());
        if (!span || session->begins() + *span <= session->now()) {
            Q_EMIT stage().told(span ? tr("%1 of the run is past").arg(typed) : tr("'%1' is no time of the run, such as 120 s").arg(typed));
            return;
        }
        instant = session->begins() + *span;
    }
    session->post([instant](rig::Session& run) { run.playback().playAt(instant); });
    at_->clearFocus();
}

// To a moment of the log, or the next frame that passes a filter.
void PlaybackView::goOn()
{
    rig::Session* session = stage().document().session();
    const std::string typed = goal_->text().trimmed().toStdString();
    if (session == nullptr || !report_.loaded || typed.empty())
        return;
    QString problem;
    session->call([&](rig::Session& run) {
        if (!run.collisions().empty())
            return;
        if (const auto moment = spanFromText(typed)) {
            if (!run.playback().playTo(run.playback().logStart() + *moment))
                problem = tr("Playback stands behind %1 of the log").arg(goal_->text());
            return;
        }
        const auto filter = run.compileForPlayback(typed);
        if (!filter)
            problem = text(filter.error().text());
        else if (!run.playback().playTo(*filter))
            problem = tr("No frame that is still to come passes %1").arg(goal_->text());
    });
    if (!problem.isEmpty())
        Q_EMIT stage().told(problem);
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

// ", 3 late, by up to 5.2 ms".
QString PlaybackView::lateWords() const
{
    if (report_.late == 0)
        return {};
    Time most{};
    for (const drive::LateFrame& late : report_.lateFrames)
        most = std::max(most, late.by);
    return tr(", %1 late by up to %2 ms").arg(countText(report_.late)).arg(static_cast<double>(most.count()) / 1e6, 0, 'f', 1);
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
    driving_->setVisible(loaded);
    for (QComboBox* box : {plays_, rests_})
        box->parentWidget()->setVisible(!stage().rules().rig().events.empty());
    changing_->setVisible(loaded);
    heading_->setVisible(loaded);
    routes_->setVisible(loaded);
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
        routes_->setLog(log_, session->playbackCatalog());
        undo_.clear();
    }
    if (!isVisible())
        return;
    routes_->show(report_.routes, report_.chosenByRoute);
    facts_->setText(tr("%1, %2 s: %4 of %3 frames are chosen, %5 were sent")
                        .arg(logName_, secondsText(static_cast<double>((report_.end - report_.start).count()) * 1e-9, 1),
                            countText(log_->rows()), countText(report_.chosen), countText(report_.sent))
                    + lateWords());
    strip_->setPosition(report_.start, report_.end, report_.position);
    strip_->setLate(report_.lateFrames);
    play_->setText(report_.playing ? tr("Rest") : tr("Play"));
    const bool blocked = !report_.collisions.empty() || report_.chosen == 0;
    play_->setEnabled(!blocked);
    step_->setEnabled(!blocked);
    goOn_->setEnabled(!blocked);
    loop_->setChecked(report_.loop);
    if (!loopPause_->hasFocus())
        loopPause_->setText(report_.loopPause.count() > 0 ? text(spanText(report_.loopPause)) : QString());
    onto_->setCurrentIndex(report_.ontoViews ? 1 : 0);
    if (!at_->hasFocus())
        at_->setText(report_.playsAt ? text(spanText(*report_.playsAt - session->begins())) : QString());
    for (const auto& [factor, button] : paces_)
        button->setChecked(factor == report_.factor && report_.gap.count() == 0 && !report_.beat);
    if (!gap_->hasFocus())
        gap_->setText(text(drive::toText({report_.factor, report_.gap, report_.beat}, stage().catalog())));
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
    for (const drive::Route& route : report_.routes)
        if (route.to >= 0)
            strip_->setColour(Theme::get().bus(stage().mark(static_cast<unsigned>(route.to))));
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
    QStringList paths;
    for (const QUrl& url : event->mimeData()->urls())
        if (url.isLocalFile())
            paths << url.toLocalFile();
    if (paths.isEmpty())
        return;
    event->acceptProposedAction();
    // The question about several stands behind the drop, not in it.
    QMetaObject::invokeMethod(this, [this, paths] { load(paths); }, Qt::QueuedConnection);
}

}  // namespace wavetrope::app
