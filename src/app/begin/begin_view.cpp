// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/begin/begin_view.h"

#include <QAbstractButton>
#include <QDateTime>
#include <QDir>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLocale>
#include <QPainter>

#include <algorithm>

#include "app/files/recent_files.h"
#include "app/parts/buttons.h"
#include "app/paint/paint.h"
#include "app/parts/text.h"
#include "app/stage/bus_desk.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

constexpr int rigsShown = 6, logsShown = 4;
constexpr qint64 largestRigLooked = 1 << 20;    // bytes; a larger one is named, and looked into when it is opened

QString dayWords(const QDateTime& at)
{
    const qint64 days = at.date().daysTo(QDate::currentDate());
    return days == 0   ? BeginView::tr("today %1").arg(at.toString(QStringLiteral("HH:mm")))
           : days == 1 ? BeginView::tr("yesterday")
                       : QLocale::c().toString(at.date(),
                             at.date().year() == QDate::currentDate().year() ? QStringLiteral("d MMM") : QStringLiteral("d MMM yyyy"));
}

QString homely(const QString& path)
{
    const QString home = QDir::homePath();
    return path.startsWith(home + QLatin1Char('/')) ? QLatin1Char('~') + path.mid(home.size()) : path;
}

// A head with its line, and what stands at its right.
QWidget* headOf(const QString& words, QWidget* beside, QWidget* right)
{
    auto* head = new QWidget;
    auto* line = new QHBoxLayout(head);
    auto* label = new QLabel(words);
    line->addWidget(label);
    if (beside != nullptr)
        line->addWidget(beside, 1);
    else
        line->addStretch(1);
    if (right != nullptr)
        line->addWidget(right);
    const auto restyle = [=] {
        const Theme& theme = Theme::get();
        line->setContentsMargins(theme.px(12), theme.px(5), theme.px(12), theme.px(5));
        line->setSpacing(theme.px(14));
        label->setFont(theme.head());
        head->setStyleSheet(QStringLiteral("QWidget#beginHead { border-bottom: 1px solid %1; }").arg(theme.hairline.name()));
    };
    head->setObjectName(QStringLiteral("beginHead"));
    restyle();
    QObject::connect(&Theme::get(), &Theme::changed, head, restyle);
    return head;
}

// Which buses of a rig wait for what, in words.
QString rigWords(const rig::Rig& rig)
{
    QStringList names, waiting;
    bool simulated = true;
    for (std::size_t i = 0; i < rig.buses.size(); ++i) {
        const rig::BusSpec& bus = rig.buses[i];
        if (!bus.kind->ofTheWorld)
            continue;
        simulated = false;
        names << text(bus.address);
        const auto& all = Interfaces::get().all();
        const auto found = std::find_if(all.begin(), all.end(), [&](const bus::WatchedInterface& one) {
            return one.is.name == bus.address || (!one.is.place.empty() && one.is.place == bus.address);
        });
        if (found == all.end() || found->gone)
            waiting << BeginView::tr("bus %1 waits for %2").arg(shown(rig::marksOf(rig.buses)[i]).letter, text(bus.address));
        else if (!found->is.alive())
            waiting << BeginView::tr("%1 is down").arg(text(bus.address));
    }
    if (rig.buses.empty())
        return BeginView::tr("has no bus yet");
    if (simulated)
        return BeginView::tr("runs as it is, all simulated");
    return waiting.isEmpty() ? BeginView::tr("runs as it is, %1").arg(names.join(QStringLiteral(", ")))
                             : waiting.join(QStringLiteral(", "));
}

}  // namespace

// A rig or log that was used lately: two lines, and the letters of a rig's buses.
class BeginView::Recent final : public QAbstractButton {
public:
    Recent(const QString& path, bool isRig) : path_(path), isRig_(isRig)
    {
        setFocusPolicy(Qt::TabFocus);
        setCursor(Qt::PointingHandCursor);
        const QFileInfo file(path);
        when_ = dayWords(file.lastModified());
        title_ = file.fileName();
        below_ = homely(path);
        if (isRig && file.size() <= largestRigLooked) {
            if (const auto rig = rig::loadRig(path.toStdString())) {
                title_ = app::text(rig->name);
                marks_ = rig::marksOf(rig->buses);
                right_ = rigWords(*rig);
            } else {
                right_ = BeginView::tr("cannot be read");
            }
        } else if (!isRig) {
            right_ = QLocale::c().formattedDataSize(file.size(), 1, QLocale::DataSizeSIFormat);
        }
        setToolTip(path);
        setAccessibleName(QStringLiteral("%1, %2").arg(title_, right_));
    }
    [[nodiscard]] QSize sizeHint() const override { return {Theme::get().px(300), Theme::get().px(42)}; }
    [[nodiscard]] QSize minimumSizeHint() const override { return {Theme::get().px(180), Theme::get().px(42)}; }

protected:
    void paintEvent(QPaintEvent*) override
    {
        const Theme& theme = Theme::get();
        QPainter painter(this);
        if (underMouse() || hasFocus())
            painter.fillRect(rect().adjusted(2, 1, -2, -2), theme.accentSoft);
        painter.setPen(theme.hairline);
        painter.drawLine(0, height() - 1, width(), height() - 1);
        const double left = theme.px(12), line = theme.px(18), y = theme.px(3);
        const double half = isRig_ ? width() * 0.46 : width() - left;
        const double whenWidth = QFontMetricsF(theme.body()).horizontalAdvance(when_) + theme.px(4);
        paintText(painter, QRectF(left, y, (isRig_ ? half - left : width() - left - whenWidth - theme.px(20)), line), title_,
            isRig_ ? theme.bodyStrong() : theme.mono(), theme.ink);
        paintText(painter, QRectF(width() - whenWidth - theme.px(12), y, whenWidth, line), when_, theme.body(), theme.ink2,
            Qt::AlignRight | Qt::AlignVCenter);
        if (!isRig_) {
            paintText(painter, QRectF(left, y + line, width() - 2 * left, line), QStringLiteral("%1, %2").arg(right_, below_), theme.body(),
                theme.ink2);
            return;
        }
        paintText(painter, QRectF(left, y + line, half - left - theme.px(8), line), below_, theme.mono(10.5), theme.ink2);
        const double badge = theme.px(15);
        const unsigned fit = static_cast<unsigned>(std::max(0.0, (width() - half - whenWidth - theme.px(20)) / (badge + theme.px(4))));
        for (unsigned bus = 0; bus < std::min<std::size_t>(marks_.size(), fit); ++bus)
            paintBusBadge(painter, QRectF(half + bus * (badge + theme.px(4)), y + theme.px(1.5), badge, badge), shown(marks_[bus]));
        paintText(painter, QRectF(half, y + line, width() - half - theme.px(12), line), right_, theme.body(), theme.ink2);
    }

private:
    QString path_, title_, below_, right_, when_;
    bool isRig_;
    std::vector<rig::BusMark> marks_;
};

BeginView::BeginView(Stage& stage)
    : View(stage), counts_(new ElidedLabel), none_(new QLabel), together_(new QWidget), watchThese_(new QPushButton), become_(new QLabel)
{
    setObjectName(QStringLiteral("beginView"));
    setAccessibleName(tr("Begin"));
    setFocusPolicy(Qt::StrongFocus);
    setProperty("headless", true);      // the page says what it is, and the chosen row where the keys go
    auto* outer = new QVBoxLayout(this);
    outer->setContentsMargins(0, 0, 0, 0);
    auto* scroll = new QScrollArea;
    scroll->setFrameShape(QFrame::NoFrame);
    scroll->setWidgetResizable(true);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    scroll->setFocusPolicy(Qt::NoFocus);
    outer->addWidget(scroll);
    auto* all = new QWidget;
    scroll->setWidget(all);
    auto* column = new QVBoxLayout(all);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(0);
    minute_ = new QLabel(tr("frames/s, last 60 s"));
    column->addWidget(headOf(tr("Interfaces"), counts_, minute_));
    interfaces_ = new QVBoxLayout;
    interfaces_->setSpacing(0);
    column->addLayout(interfaces_);
    none_->setWordWrap(true);
    none_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    none_->setObjectName(QStringLiteral("noInterfaces"));
    column->addWidget(none_);
    auto* line = new QHBoxLayout(together_);
    line->addWidget(watchThese_);
    line->addWidget(become_, 1);
    become_->setWordWrap(true);
    watchThese_->setProperty("primary", true);
    watchThese_->setObjectName(QStringLiteral("watchThese"));
    watchThese_->setToolTip(tr("Make a rig of what is ticked, and run it  (Enter)"));
    column->addWidget(together_);

    across_ = new QHBoxLayout;
    across_->setSpacing(0);
    auto* left = new QVBoxLayout;
    auto* right = new QVBoxLayout;
    left->setSpacing(0);
    right->setSpacing(0);
    across_->addLayout(left, 56);
    between_ = new QFrame;
    between_->setFixedWidth(1);
    across_->addWidget(between_);
    across_->addLayout(right, 44);
    column->addLayout(across_, 1);
    auto* another = linkButton(tr("Open another..."), "openRig");
    auto* log = linkButton(tr("Open a log..."), "openLog");
    log->setToolTip(tr("Ctrl+O"));
    left->addWidget(headOf(tr("Rigs used lately"), nullptr, another));
    rigs_ = new QVBoxLayout;
    rigs_->setSpacing(0);
    left->addLayout(rigs_);
    auto* fresh = linkButton(tr("New rig, with nothing in it"), "newRigLink");
    auto* freshLine = new QHBoxLayout;
    auto* key = new QLabel(QStringLiteral("Ctrl+N"));
    freshLine->addWidget(fresh);
    freshLine->addStretch(1);
    freshLine->addWidget(key);
    left->addLayout(freshLine);
    left->addStretch(1);
    right->addWidget(headOf(tr("Logs"), nullptr, log));
    logs_ = new QVBoxLayout;
    logs_->setSpacing(0);
    right->addLayout(logs_);
    auto* demo = new QWidget;
    auto* demoColumn = new QVBoxLayout(demo);
    auto* demoTitle = new QLabel(tr("The demo"));
    auto* demoWords = new QLabel(
        tr("An ice resurfacer of our own making: four simulated buses, 13 nodes, 3,400 frames/s. Needs no interface."));
    demoWords->setWordWrap(true);
    auto* run = new QPushButton(tr("Run the demo"));
    run->setObjectName(QStringLiteral("runDemo"));
    demoColumn->addWidget(demoTitle);
    demoColumn->addWidget(demoWords);
    demoColumn->addWidget(run, 0, Qt::AlignLeft);
    right->addWidget(demo);
    right->addStretch(1);
    demo->setVisible(!demoRig().isEmpty());

    const auto restyle = [=, this] {
        const Theme& theme = Theme::get();
        scroll->setStyleSheet(QStringLiteral("QScrollArea, QScrollArea > QWidget > QWidget { background: transparent; }"));
        const QString quiet = QStringLiteral("color: %1").arg(theme.ink2.name());
        for (QLabel* label : std::initializer_list<QLabel*>{counts_, minute_, demoWords, key}) {
            label->setFont(theme.body());
            label->setStyleSheet(quiet);
        }
        demoTitle->setFont(theme.head());
        become_->setFont(theme.body());
        none_->setFont(theme.body());
        none_->setContentsMargins(theme.px(12), theme.px(12), theme.px(12), theme.px(12));
        line->setContentsMargins(theme.px(12), theme.px(9), theme.px(12), theme.px(9));
        line->setSpacing(theme.px(14));
        freshLine->setContentsMargins(theme.px(10), theme.px(8), theme.px(12), theme.px(8));
        demoColumn->setContentsMargins(theme.px(12), theme.px(10), theme.px(12), theme.px(10));
        between_->setStyleSheet(QStringLiteral("background: %1").arg(theme.hairline.name()));
        together_->setObjectName(QStringLiteral("together"));
        together_->setStyleSheet(QStringLiteral("QWidget#together { border-bottom: 1px solid %1; }").arg(theme.hairline.name()));
    };
    restyle();
    connect(&Theme::get(), &Theme::changed, this, [this, restyle] {
        restyle();
        fit();
    });
    connect(&Interfaces::get(), &Interfaces::changed, this, &BeginView::refresh);
    connect(watchThese_, &QPushButton::clicked, this, [this] { Q_EMIT this->stage().watchWanted(ticked()); });
    connect(another, &QPushButton::clicked, this, [this] { Q_EMIT this->stage().fileWanted({}); });
    connect(log, &QPushButton::clicked, this, [this] { Q_EMIT this->stage().fileWanted({}); });
    connect(fresh, &QPushButton::clicked, this, [this] { Q_EMIT this->stage().newRigWanted(); });
    connect(run, &QPushButton::clicked, this, [this] { Q_EMIT this->stage().fileWanted(demoRig()); });
    refresh();
    refreshRecent();
}

void BeginView::resizeEvent(QResizeEvent* event)
{
    View::resizeEvent(event);
    fit();
}

void BeginView::fit()
{
    const bool narrow = width() < Theme::get().px(640);
    for (InterfaceRow* row : rows_)
        row->setNarrow(narrow);
    minute_->setVisible(!narrow);
    between_->setVisible(!narrow);
    across_->setDirection(narrow ? QBoxLayout::TopToBottom : QBoxLayout::LeftToRight);
}

QStringList BeginView::ticked() const
{
    QStringList names;
    for (const InterfaceRow* row : rows_)
        if (row->ticked())
            names << row->name();
    return names;
}

void BeginView::refresh()
{
    const auto& all = Interfaces::get().all();
    unsigned alive = 0, down = 0, gone = 0;
    can::BitRate rate;
    QString rateOf;
    for (const bus::WatchedInterface& one : all) {
        ++(one.gone ? gone : one.is.alive() ? alive : down);
        if (!one.gone && one.is.alive() && one.is.rate.known() && !rate.known()) {
            rate = one.is.rate;
            rateOf = text(one.is.name);
        }
    }
    QStringList parts;
    if (alive > 0)
        parts << tr("%1 alive").arg(alive);
    if (down > 0)
        parts << tr("%1 down").arg(down);
    if (gone > 0)
        parts << tr("%1 gone").arg(gone);
    counts_->setText(parts.isEmpty() ? QString() : tr("of this machine, as they come and go: %1").arg(parts.join(QStringLiteral(", "))));
    const auto known = [&](const InterfaceRow* row) {
        return std::any_of(all.begin(), all.end(), [&](const bus::WatchedInterface& one) { return text(one.is.name) == row->name(); });
    };
    for (InterfaceRow* row : rows_)
        if (!known(row))
            row->deleteLater();
    std::erase_if(rows_, [&](const InterfaceRow* row) { return !known(row); });
    for (std::size_t i = 0; i < all.size(); ++i) {
        const QString name = text(all[i].is.name);
        if (i >= rows_.size() || rows_[i]->name() != name) {
            auto* row = new InterfaceRow(name);
            interfaces_->insertWidget(static_cast<int>(i), row);
            rows_.insert(rows_.begin() + static_cast<std::ptrdiff_t>(i), row);
            connect(row, &InterfaceRow::watchWanted, this, [this, name] { Q_EMIT stage().watchWanted({name}); });
            connect(row, &InterfaceRow::tickChanged, this, &BeginView::refreshTicks);
            connect(row, &InterfaceRow::chosen, this, [this, name] {
                setFocus();
                makeCurrent(name);
            });
            connect(row, &InterfaceRow::told, &stage(), &Stage::told);
        }
        rows_[i]->show(all[i], Interfaces::get().trend(name), rateOf == name ? can::BitRate{} : rate, rateOf);
    }
    const QString problem = Interfaces::get().problem();
    none_->setVisible(all.empty());
    none_->setText(problem.isEmpty() ? tr("This machine has no CAN interface now. One that is plugged in appears here by itself.\n"
                                          "To try without one: sudo ip link add dev vcan0 type vcan && sudo ip link set vcan0 up")
                                     : problem);
    fit();
    if (current_.isEmpty() && !rows_.empty())
        makeCurrent(rows_.front()->name());
    refreshTicks();
}

void BeginView::refreshTicks()
{
    const QStringList names = ticked();
    together_->setVisible(!names.isEmpty());
    watchThese_->setText(names.size() == 1 ? tr("Watch %1").arg(names.front()) : tr("Watch these %1").arg(names.size()));
    QString who;
    for (qsizetype i = 0; i < names.size() && i < 6; ++i)
        who += (i == 0 ? QString() : i + 1 == names.size() ? tr(" and ") : QStringLiteral(", ")) + names[i];
    if (names.size() > 6)
        who += tr(" and %1 more").arg(names.size() - 6);
    QString buses = BusMark(0).letter;
    if (names.size() > 1)
        buses += (names.size() == 2 ? tr(" and ") : tr(" to ")) + BusMark(static_cast<unsigned>(names.size() - 1)).letter;
    become_->setText(
        (names.size() == 1 ? tr("%1 becomes bus %2 of a new rig, and it runs.") : tr("%1 become buses %2 of a new rig, and it runs."))
            .arg(who, buses)
        + QLatin1Char('\n') + tr("Nothing is sent until you send something."));
}

void BeginView::makeCurrent(const QString& name)
{
    current_ = name;
    for (InterfaceRow* row : rows_)
        row->setCurrent(row->name() == name);
    Selection selection;
    selection.kind = Selection::Kind::interface;
    selection.node = name;
    stage().select(selection);
}

void BeginView::refreshRecent()
{
    int rigs = 0, logs = 0;
    for (const QString& path : recentFiles()) {
        const bool isRig = path.endsWith(QLatin1String(".json"), Qt::CaseInsensitive);
        if (!QFileInfo(path).isFile() || (isRig ? rigs >= rigsShown : logs >= logsShown))
            continue;
        ++(isRig ? rigs : logs);
        auto* recent = new Recent(path, isRig);
        (isRig ? rigs_ : logs_)->addWidget(recent);
        connect(recent, &QAbstractButton::clicked, this, [this, path] { Q_EMIT stage().fileWanted(path); });
    }
    const auto nothing = [](QVBoxLayout* layout, const QString& words) {
        auto* label = new QLabel(words);
        label->setWordWrap(true);
        const auto restyle = [label] {
            const Theme& theme = Theme::get();
            label->setFont(theme.body());
            label->setContentsMargins(theme.px(12), theme.px(9), theme.px(12), theme.px(9));
            label->setStyleSheet(QStringLiteral("color: %1").arg(theme.ink2.name()));
        };
        restyle();
        connect(&Theme::get(), &Theme::changed, label, restyle);
        layout->addWidget(label);
    };
    if (rigs == 0)
        nothing(rigs_, tr("None yet: one that is saved or opened stands here."));
    if (logs == 0)
        nothing(logs_, tr("None yet. Logs, rigs and databases may be dropped anywhere in this window."));
}

void BeginView::keyPressEvent(QKeyEvent* event)
{
    const auto at = std::find_if(rows_.begin(), rows_.end(), [&](const InterfaceRow* row) { return row->name() == current_; });
    const auto step = event->key() == Qt::Key_Up ? -1 : event->key() == Qt::Key_Down ? 1 : 0;
    if (step != 0 && at != rows_.end()) {
        const auto next = std::clamp<std::ptrdiff_t>(at - rows_.begin() + step, 0, std::ssize(rows_) - 1);
        return makeCurrent(rows_[static_cast<std::size_t>(next)]->name());
    }
    if (event->key() == Qt::Key_Space && at != rows_.end())
        return (*at)->setTicked(!(*at)->ticked());
    if ((event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter) && !ticked().isEmpty())
        return Q_EMIT stage().watchWanted(ticked());
    View::keyPressEvent(event);
}

}  // namespace wavetrope::app
