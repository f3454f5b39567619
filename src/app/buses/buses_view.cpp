// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/buses/buses_view.h"

#include <QCompleter>
#include <QContextMenuEvent>
#include <QDir>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QHelpEvent>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QMimeData>
#include <QPainter>
#include <QScrollBar>
#include <QShortcut>
#include <QStringListModel>
#include <QToolTip>
#include <QUrl>
#include <QVBoxLayout>

#include <algorithm>

#include "app/paint/paint.h"
#include "app/parts/buttons.h"
#include "app/parts/elided_label.h"
#include "app/parts/text.h"
#include "app/stage/interfaces.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

using Field = rig::BusField;

constexpr double letterAt = 12, busAt = 36, sourceAt = 176, bitRateAt = 406, databasesAt = 496, stateAt = 672;
constexpr Field fields[] = {Field::name, Field::source, Field::rate, Field::databases};

double leftOf(Field field)
{
    switch (field) {
    case Field::name: return busAt;
    case Field::source: return sourceAt;
    case Field::rate: return bitRateAt;
    case Field::databases: return databasesAt;
    case Field::letter:
    case Field::hue: return letterAt;
    }
    return 0;
}

QString hintOf(Field field)
{
    switch (field) {
    case Field::name: return BusesView::tr("a name");
    case Field::source: return BusesView::tr("can0, usb 1-2.1, mqtts://host/topic, none yet; empty: simulated");
    case Field::rate: return BusesView::tr("500k or 500k/2M");
    case Field::databases: return BusesView::tr("files with commas between");
    case Field::letter:
    case Field::hue: break;
    }
    return {};
}

}  // namespace

class BusesView::Rows final : public RowList {
public:
    explicit Rows(BusesView& view) : view_(view), field_(new InPlaceField(viewport())), known_(new QStringListModel(this))
    {
        setObjectName(QStringLiteral("busRows"));
        setAccessibleName(BusesView::tr("Buses of the rig"));
        field_->setObjectName(QStringLiteral("busField"));
        setHeads({{busAt, BusesView::tr("bus")}, {sourceAt, BusesView::tr("source")}, {bitRateAt, BusesView::tr("bit rate")},
                     {databasesAt, BusesView::tr("databases")}, {stateAt, BusesView::tr("now")}},
            stateAt + 70);
        QObject::connect(field_, &InPlaceField::kept, this, [this](int next) {
            const auto at = std::find(std::begin(fields), std::end(fields), edited_) - std::begin(fields) + next;
            if (next != 0 && at >= 0 && at < static_cast<std::ptrdiff_t>(std::size(fields)))
                return edit(index_, fields[at]);
            setFocus();
        });
        QObject::connect(field_, &InPlaceField::left, this, [this] { setFocus(); });
    }
    [[nodiscard]] const nlohmann::json& buses() const { return view_.stage().buses().plan().buses; }
    std::uint64_t count() const override { return buses().size(); }
    std::int64_t current() const override { return std::min<std::int64_t>(chosen_, static_cast<std::int64_t>(buses().size()) - 1); }
    void choose(std::uint64_t index) override
    {
        chosen_ = static_cast<std::int64_t>(index);
        viewport()->update();
        // The interface that it is made of, by its name or by what it hangs on, in the inspector.
        const std::string source = rig::busFieldText(buses()[index], Field::source);
        for (const bus::WatchedInterface& one : Interfaces::get().all())
            if (!source.empty() && (one.is.name == source || one.is.place == source)) {
                Selection selection;
                selection.kind = Selection::Kind::interface;
                selection.node = text(one.is.name);
                view_.stage().select(selection);
            }
    }
    [[nodiscard]] QString cell(std::size_t index, Field which) const
    {
        const QString words = text(rig::busFieldText(buses()[index], which));
        if (!words.isEmpty())
            return words;
        return which == Field::source      ? BusesView::tr("simulated")
               : which == Field::databases ? BusesView::tr("none")
                                           : BusesView::tr("as it tells");
    }
    // Whether the run has a bus just so; its place in the run, or -1.
    [[nodiscard]] int inRun(std::size_t index) const
    {
        const auto running = rig::withoutMarks(rig::busesIn(view_.stage().document().rig()).buses);
        const auto wanted = rig::withoutMarks(nlohmann::json::array({buses()[index]}));
        for (std::size_t i = 0; i < running.size(); ++i)
            if (running[i] == wanted[0])
                return static_cast<int>(i);
        return -1;
    }
    [[nodiscard]] QString state(std::size_t index) const
    {
        rig::Session* session = view_.stage().document().session();
        const int run = inRun(index);
        if (session == nullptr)
            return {};
        if (run < 0)
            return BusesView::tr("not yet");
        const auto health = session->health();
        return static_cast<std::size_t>(run) < health.size() ? text(health[static_cast<std::size_t>(run)].words) : QString();
    }
    QString rowText(std::uint64_t index) const override
    {
        QStringList out;
        for (const Field which : fields)
            out << cell(index, which);
        return (out << state(index)).join(QLatin1Char('\t'));
    }
    void edit(std::size_t index, Field which)
    {
        if (!field_->finish() || index >= buses().size())
            return;
        bring(index);
        chosen_ = static_cast<std::int64_t>(index);
        index_ = index;
        edited_ = which;
        const Theme& theme = Theme::get();
        const int y = headHeight() + static_cast<int>(index - top()) * pitch() + 2;
        const double room = which == Field::name     ? sourceAt - busAt
                            : which == Field::source ? bitRateAt - sourceAt
                            : which == Field::rate   ? databasesAt - bitRateAt
                                                     : stateAt - databasesAt;
        field_->open(QRect(theme.px(leftOf(which)) - horizontalScrollBar()->value(), y, theme.px(room - 30), pitch() - 4),
            static_cast<int>(room) - 6, text(rig::busFieldText(buses()[index], which)), hintOf(which),
            [this, index, which](const QString& typed) { return view_.stage().buses().set(index, which, typed); });
        QStringList known;
        if (which == Field::source) {
            known << BusesView::tr("simulated") << BusesView::tr("none yet");
            for (const bus::WatchedInterface& one : Interfaces::get().all())
                known << text(one.is.name);
        }
        known_->setStringList(known);
        if (known.isEmpty()) {
            field_->setCompleter(nullptr);
        } else {
            auto* completer = new QCompleter(known_, field_);
            completer->setFilterMode(Qt::MatchContains);
            field_->setCompleter(completer);
        }
    }
    [[nodiscard]] InPlaceField& field() { return *field_; }
    [[nodiscard]] std::int64_t at(const QPointF& point) const { return rowAt(point); }

protected:
    QString emptyText() const override
    {
        return BusesView::tr("The rig has no buses yet. A bus is an interface of this machine, one that somebody shares over a broker, or "
                             "a simulated one. Insert, or "
                             "Add a bus.");
    }
    int pitch() const override { return Theme::get().px(26); }
    void paintRow(QPainter& painter, int y, std::uint64_t index) override
    {
        const Theme& theme = Theme::get();
        const double height = pitch();
        if (static_cast<std::int64_t>(index) == current())
            painter.fillRect(QRectF(2, y, rowWidth() - 4, height - 1), theme.accentSoft);
        const auto at = [&](double from, double to) { return QRectF(theme.px(from), y, theme.px(to - from), height); };
        paintBusBadge(painter, QRectF(theme.px(letterAt), y + (height - theme.px(15)) / 2, theme.px(15), theme.px(15)),
            view_.stage().buses().markOfPlan(index));
        paintText(painter, at(busAt, sourceAt - 8), cell(index, Field::name), theme.bodyStrong(), theme.ink);
        const auto faint = [&](Field which) { return rig::busFieldText(buses()[index], which).empty() ? theme.ink3 : theme.ink; };
        paintText(painter, at(sourceAt, bitRateAt - 8), cell(index, Field::source), theme.mono(), faint(Field::source));
        paintText(painter, at(bitRateAt, databasesAt - 8), cell(index, Field::rate), theme.mono(), faint(Field::rate));
        paintText(painter, at(databasesAt, stateAt - 8), cell(index, Field::databases), theme.body(), faint(Field::databases));
        const bool fresh = view_.stage().document().isLive() && inRun(index) < 0;
        paintText(painter, QRectF(theme.px(stateAt), y, rowWidth() - theme.px(stateAt) - 8, height), state(index),
            fresh ? theme.bodyStrong() : theme.body(), fresh ? theme.accent : theme.ink2);
        painter.setPen(theme.hairline);
        painter.drawLine(0, y + static_cast<int>(height) - 1, rowWidth(), y + static_cast<int>(height) - 1);
    }
    bool viewportEvent(QEvent* event) override
    {
        if (event->type() == QEvent::ToolTip) {
            const auto* help = static_cast<QHelpEvent*>(event);
            if (const std::int64_t index = rowAt(help->pos()); index >= 0) {
                QStringList words{rowText(static_cast<std::uint64_t>(index)).split(QLatin1Char('\t')).join(QStringLiteral(", "))};
                rig::Session* session = view_.stage().document().session();
                if (const int run = inRun(static_cast<std::size_t>(index)); session != nullptr && run >= 0) {
                    const auto health = session->health();
                    if (static_cast<std::size_t>(run) < health.size())
                        words << text(health[static_cast<std::size_t>(run)].facts) << text(health[static_cast<std::size_t>(run)].advice);
                }
                words.removeAll(QString());
                QToolTip::showText(help->globalPos(), words.join(QLatin1Char('\n')), viewport());
                return true;
            }
        }
        return RowList::viewportEvent(event);
    }
    void mouseDoubleClickEvent(QMouseEvent* event) override
    {
        const std::int64_t index = rowAt(event->position());
        const double x = event->position().x() + horizontalScrollBar()->value();
        if (index < 0)
            return;
        if (x < Theme::get().px(busAt - 6))
            return chooseMark(static_cast<std::size_t>(index), event->globalPosition().toPoint());
        Field which = Field::name;
        for (const Field one : fields)
            if (x >= Theme::get().px(leftOf(one) - 6))
                which = one;
        if (x < Theme::get().px(stateAt))
            edit(static_cast<std::size_t>(index), which);
    }
    void keyPressEvent(QKeyEvent* event) override
    {
        const bool any = current() >= 0;
        const auto index = static_cast<std::size_t>(std::max<std::int64_t>(0, current()));
        if (event->key() == Qt::Key_Insert)
            return edit(view_.stage().buses().add(), Field::name);
        if (any && (event->modifiers() & Qt::AltModifier) != 0 && (event->key() == Qt::Key_Up || event->key() == Qt::Key_Down)) {
            const int by = event->key() == Qt::Key_Up ? -1 : 1;
            view_.stage().buses().move(index, by);
            chosen_ = std::clamp<std::int64_t>(chosen_ + by, 0, static_cast<std::int64_t>(count()) - 1);
            return viewport()->update();
        }
        if (any && (event->key() == Qt::Key_F2 || event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter)
            && (event->modifiers() & Qt::ControlModifier) == 0)
            return edit(index, event->key() == Qt::Key_F2 ? Field::name : Field::source);
        if (any && event->key() == Qt::Key_Delete)
            return take(index);
        if (any && event->key() == Qt::Key_L && event->modifiers() == Qt::NoModifier) {
            bring(index);
            const int below = headHeight() + static_cast<int>(index - top() + 1) * pitch();
            return chooseMark(index, viewport()->mapToGlobal(QPoint(Theme::get().px(letterAt), below)));
        }
        RowList::keyPressEvent(event);
    }
    void contextMenuEvent(QContextMenuEvent* event) override
    {
        const std::int64_t at = rowAt(event->pos());
        if (at < 0)
            return;
        choose(static_cast<std::uint64_t>(at));
        const auto index = static_cast<std::size_t>(at);
        QMenu menu(this);
        menu.addAction(BusesView::tr("Change its source") + QStringLiteral("\tReturn"), this, [=, this] { edit(index, Field::source); });
        menu.addAction(BusesView::tr("Give it another name") + QStringLiteral("\tF2"), this, [=, this] { edit(index, Field::name); });
        addMarks(menu, index);
        menu.addAction(BusesView::tr("Attach databases..."), this, [=, this] {
            view_.attach(index,
                QFileDialog::getOpenFileNames(this, BusesView::tr("Databases of the bus"), {}, BusesView::tr("Databases (*.dbc *.json)")));
        });
        menu.addAction(BusesView::tr("Up") + QStringLiteral("\tAlt+Up"), this, [=, this] { view_.stage().buses().move(index, -1); });
        menu.addAction(BusesView::tr("Down") + QStringLiteral("\tAlt+Down"), this, [=, this] { view_.stage().buses().move(index, 1); });
        menu.addSeparator();
        menu.addAction(BusesView::tr("Take it out of the rig") + QStringLiteral("\tDel"), this, [=, this] { take(index); });
        menu.exec(event->globalPos());
    }

private:
    // The letters that no other bus has chosen, and the hues; or those of its place again.
    void addMarks(QMenu& menu, std::size_t index)
    {
        const auto put = [this, index](Field which, const QString& value) {
            if (const auto set = view_.stage().buses().set(index, which, value); !set)
                Q_EMIT view_.stage().told(text(set.error().text()));
        };
        const BusMark mark = view_.stage().buses().markOfPlan(index);
        QMenu* letters = menu.addMenu(BusesView::tr("Letter"));
        QString choice;
        for (char c = 'A'; c <= 'Z'; ++c)
            choice += QLatin1Char(c);
        for (const auto& bus : buses())
            if (&bus != &buses()[index])
                choice.remove(text(rig::busFieldText(bus, Field::letter)));
        for (const QChar letter : choice) {
            QAction* action = letters->addAction(QLatin1Char('&') + letter, this, [=] { put(Field::letter, letter); });
            action->setCheckable(true);
            action->setChecked(mark.letter == letter);
        }
        QMenu* hues = menu.addMenu(BusesView::tr("Hue"));
        for (unsigned hue = 0; hue < rig::busHues; ++hue) {
            const int size = Theme::get().px(14);
            QPixmap swatch(QSize(size, size) * devicePixelRatioF());
            swatch.setDevicePixelRatio(devicePixelRatioF());
            swatch.fill(Qt::transparent);
            {
                QPainter painter(&swatch);
                paintBusBadge(painter, QRectF(0, 0, size, size), BusMark(mark.letter, hue, false));
            }
            QAction* action = hues->addAction(swatch, Theme::hueName(hue) + (mark.hue == hue ? BusesView::tr("  (now)") : QString()), this,
                [=] { put(Field::hue, QString::number(hue + 1)); });
            action->setIconVisibleInMenu(true);
        }
        for (QMenu* of : {letters, hues}) {
            const Field which = of == letters ? Field::letter : Field::hue;
            of->addSeparator();
            of->addAction(BusesView::tr("That of its place"), this, [=] {
                  put(which, {});
              })->setEnabled(!rig::busFieldText(buses()[index], which).empty());
        }
    }
    void chooseMark(std::size_t index, const QPoint& at)
    {
        QMenu menu(this);
        menu.setObjectName(QStringLiteral("busMark"));
        addMarks(menu, index);
        menu.exec(at);
    }
    void take(std::size_t index)
    {
        if (const auto taken = view_.stage().buses().remove(index); !taken)
            Q_EMIT view_.stage().told(text(taken.error().text()));
    }
    BusesView& view_;
    InPlaceField* field_;
    QStringListModel* known_;
    std::int64_t chosen_ = 0;
    std::size_t index_ = 0;
    Field edited_ = Field::name;
};

BusesView::BusesView(Stage& stage)
    : View(stage),
      tools_(new QWidget),
      facts_(new ElidedLabel),
      takeBack_(linkButton(tr("Take it back"), "takeBusesBack")),
      restart_(actingButton(tr("Restart with this"), "restartWithThis")),
      rows_(new Rows(*this))
{
    setObjectName(QStringLiteral("busesView"));
    setAcceptDrops(true);
    auto* add = linkButton(tr("Add a bus..."), "addBus");
    add->setToolTip(tr("Add a bus  (Insert in the list)"));
    takeBack_->setToolTip(tr("Undo the last change  (Ctrl+Z)"));
    restart_->setToolTip(tr("The run goes on with the buses that it has. This ends it, and begins one with these; what was not kept of it "
                            "is asked about  (Ctrl+Enter)"));
    auto* row = new QHBoxLayout(tools_);
    row->setContentsMargins(0, 0, 0, 0);
    row->addWidget(facts_, 1);
    for (QPushButton* button : {add, takeBack_, restart_})
        row->addWidget(button);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->addWidget(rows_);
    setFocusProxy(rows_);
    const auto restyle = [this, row] {
        row->setSpacing(Theme::get().px(12));
        facts_->setFont(Theme::get().body());
        facts_->setStyleSheet(QStringLiteral("color: %1").arg(Theme::get().ink2.name()));
    };
    restyle();
    connect(&Theme::get(), &Theme::changed, this, restyle);
    connect(add, &QPushButton::clicked, this, [this] { edit(this->stage().buses().add(), Field::name); });
    connect(takeBack_, &QPushButton::clicked, this, [this] { this->stage().buses().undoStack().undo(); });
    const auto again = [this] {
        if (rows_->field().finish() && this->stage().buses().differs())
            Q_EMIT this->stage().restartWanted();
    };
    connect(restart_, &QPushButton::clicked, this, again);
    for (const Qt::Key key : {Qt::Key_Return, Qt::Key_Enter}) {
        auto* shortcut = new QShortcut(QKeySequence(Qt::CTRL | key), this);
        shortcut->setContext(Qt::WidgetWithChildrenShortcut);
        connect(shortcut, &QShortcut::activated, this, again);
    }
    connect(&stage.buses().undoStack(), &QUndoStack::canUndoChanged, takeBack_, &QWidget::setEnabled);
    connect(&stage.buses(), &BusDesk::changed, this, [this] {
        refresh();
        Q_EMIT setUpChanged();
    });
    connect(&stage, &Stage::beat, rows_->viewport(), qOverload<>(&QWidget::update));
    refresh();
}

RowList& BusesView::rows() { return *rows_; }

InPlaceField& BusesView::field() { return rows_->field(); }

void BusesView::edit(std::size_t index, Field field) { rows_->edit(index, field); }

QString BusesView::rowText(std::size_t index) const { return rows_->rowText(index); }

void BusesView::refresh()
{
    const bool differs = stage().buses().differs();
    const bool isLive = stage().document().isLive();
    facts_->setText(!isLive   ? tr("Of the rig that explains this log")
                    : differs ? tr("changed")
                              : counted(rows_->count(), "bus").replace(QStringLiteral("buss"), QStringLiteral("buses")));
    takeBack_->setVisible(stage().buses().undoStack().canUndo());
    restart_->setVisible(differs && isLive);
    rows_->refresh();
}

// Beside the rig's file they are named by how they lie to it, so that both can be moved together.
void BusesView::attach(std::size_t index, const QStringList& files)
{
    if (files.isEmpty() || index >= rows_->count())
        return;
    const std::string folder = stage().document().rig().path.empty() ? std::string() : stage().document().rig().folder();
    QString all = text(rig::busFieldText(stage().buses().plan().buses[index], Field::databases));
    for (const QString& file : files) {
        QString name = file;
        if (!folder.empty()) {
            const QString near = QDir(QDir(text(folder)).absolutePath()).relativeFilePath(file);
            name = near.startsWith(QLatin1String("../../")) ? file : near;
        }
        all += (all.isEmpty() ? QString() : QStringLiteral(", ")) + name;
    }
    if (const auto set = stage().buses().set(index, Field::databases, all); !set)
        Q_EMIT stage().told(text(set.error().text()));
}

void BusesView::dragEnterEvent(QDragEnterEvent* event)
{
    const auto urls = event->mimeData()->urls();
    if (!urls.isEmpty() && std::all_of(urls.begin(), urls.end(), [](const QUrl& url) {
            return url.toLocalFile().endsWith(QLatin1String(".dbc"), Qt::CaseInsensitive);
        }))
        event->acceptProposedAction();
}

void BusesView::dropEvent(QDropEvent* event)
{
    QStringList files;
    for (const QUrl& url : event->mimeData()->urls())
        files << url.toLocalFile();
    const std::int64_t row = rows_->at(rows_->viewport()->mapFrom(this, event->position().toPoint()));
    if (row < 0) {
        Q_EMIT stage().told(tr("Drop a database on the bus that it explains"));
        return;
    }
    event->acceptProposedAction();
    attach(static_cast<std::size_t>(row), files);
}

}  // namespace wavetrope::app
