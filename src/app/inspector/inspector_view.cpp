// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/inspector/inspector_view.h"

#include <QApplication>
#include <QClipboard>
#include <QContextMenuEvent>
#include <QLayout>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QWheelEvent>

#include <algorithm>
#include <array>
#include <cmath>
#include <utility>

#include "app/paint/paint.h"
#include "app/parts/notation.h"
#include "app/parts/text.h"
#include "app/stage/curve_desk.h"
#include "app/stage/derive_desk.h"
#include "app/stage/interface_words.h"
#include "app/stage/interfaces.h"
#include "app/stage/rule_desk.h"
#include "app/stage/selection_menu.h"
#include "app/theme/theme.h"
#include "base/time_text.h"
#include "database/field_text.h"

namespace wavetrope::app {

namespace {

QString startText(const database::Signal& signal)
{
    const database::SignalPlan plan = database::planOf(signal);
    const double value = plan.physical(*signal.startRaw);
    bool fits = false;
    return readingText(signal, database::MessagePlan::bitsOf(plan, value, fits), value);
}

constexpr unsigned rowsUnfolded = 10;   // payload rows shown before unchanged ones are folded
constexpr unsigned histogramBeats = 400;

double edge() { return Theme::get().px(14); }

}  // namespace

Inspector::Inspector(Stage& stage, QWidget* parent)
    : QWidget(parent),
      stage_(stage),
      plot_(new QPushButton(this)),
      only_(new QPushButton(tr("Only this message"), this)),
      define_(new QPushButton(this)),
      derive_(new QPushButton(tr("Derive a signal from it..."), this)),
      body_(new QWidget(this)),
      form_(new DerivedForm(stage, body_)),
      panel_(new CurvePanel(stage, body_)),
      outbox_(new OutboxPanel(stage, body_)),
      phase_(new PhasePanel(stage, body_)),
      board_(new BoardPanel(stage, body_)),
      object_(new ObjectPanel(stage, body_)),
      layout_(new LayoutWidget(LayoutWidget::Form::small, this))
{
    define_->setObjectName(QStringLiteral("openDefinition"));
    layout_->hide();
    layout_->lower();
    connect(define_, &QPushButton::clicked, this,
        [this] { Q_EMIT stage_.definitionWanted(stage_.selection().bus, stage_.selection().id.key()); });
    derive_->setObjectName(QStringLiteral("deriveSignal"));
    derive_->setToolTip(tr("A formula over signals, used as a signal: drawn, measured, filtered"));
    connect(derive_, &QPushButton::clicked, this, [this] { stage_.derive().add(chosenCurve(stage_)); });
    body_->lower();
    form_->hide();
    panel_->hide();
    outbox_->hide();
    board_->hide();
    phase_->hide();
    object_->hide();
    connect(object_, &ObjectPanel::heightChanged, this, [this] { update(); });
    connect(&stage.protocols(), &ProtocolDesk::changed, this, [this] {
        if (stage_.selection().kind == Selection::Kind::object)
            update();
    });
    connect(board_, &BoardPanel::heightChanged, this, [this] { update(); });
    connect(&stage.boards(), &BoardDesk::changed, this, [this] { update(); });
    connect(outbox_, &OutboxPanel::heightChanged, this, [this] { update(); });
    connect(&stage.outbox(), &OutboxDesk::changed, this, [this] { update(); });
    connect(form_, &DerivedForm::heightChanged, this, [this] { update(); });
    connect(panel_, &CurvePanel::heightChanged, this, [this] { update(); });
    connect(&stage, &Stage::drawnChanged, this, [this] {
        // A page without lanes has nothing to say of how they draw.
        if (panel_->isHidden() != (stage_.drawnCurves() == nullptr || !stage_.drawnCurves()->drawn(chosenCurve(stage_))))
            return;
        updateButtons();
        update();
    });
    connect(&stage.derive(), &DeriveDesk::writingWanted, this, [this] {
        scroll_ = 0;
        repaint();          // the form comes with its signal
        if (form_->isVisible())
            form_->write();
    });
    setObjectName(QStringLiteral("inspector"));
    setAccessibleName(tr("Inspector"));
    plot_->setObjectName(QStringLiteral("plotSignal"));
    only_->setToolTip(tr("Filter the stream to this message"));
    plot_->setToolTip(tr("Draw this signal in the lanes"));
    connect(&stage, &Stage::beat, this, [this] { update(); });
    connect(&stage, &Stage::axisChanged, this, [this] { update(); });
    connect(&stage, &Stage::selectionChanged, this, [this] {
        scroll_ = 0;
        updateButtons();
        update();
    });
    connect(&stage, &Stage::catalogChanged, this, [this] {
        updateButtons();
        update();
    });
    connect(&Theme::get(), &Theme::changed, this, [this] {
        placeButtons();
        update();
    });
    connect(plot_, &QPushButton::clicked, this, [this] {
        const Selection& selection = stage_.selection();
        if (const QString curve = chosenCurve(stage_); !curve.isEmpty())
            return Q_EMIT stage_.plotWanted(curve);
        if (const auto* message = stage_.catalog().find(selection.bus, selection.id);
            message != nullptr && !message->message->signals.empty())
            Q_EMIT stage_.plotWanted(signalPath(stage_.catalog(), {message, static_cast<std::uint32_t>(std::max(0, selection.signal))}));
    });
    connect(only_, &QPushButton::clicked, this, [this] {
        const Selection& selection = stage_.selection();
        Q_EMIT stage_.filterWanted(QStringLiteral("id %1 and bus \"%2\"")
                .arg(QString::fromStdString(can::toText(selection.id)), QString::fromStdString(stage_.catalog().busName(selection.bus))));
    });
    updateButtons();
}

// What a derived signal is worked out from is told at the cursor.
void Inspector::lookAtInputs()
{
    std::vector<measure::SeriesKeeper::Look> looks;
    if (stage_.selection().kind == Selection::Kind::derived)
        if (const auto source = curveOf(stage_.document().catalog(), chosenCurve(stage_)))
            for (const CurveSource& input : source->inputs())
                looks.push_back({stage_.curveDesk().series(input), {}, {}, 0});
    if (!looks.empty() || looks_)
        stage_.curveDesk().look(this, looks);
    looks_ = !looks.empty();
}

void Inspector::updateButtons()
{
    lookAtInputs();
    const Selection& selection = stage_.selection();
    stage_.protocols().look(this, selection.kind == Selection::Kind::object);
    const bool message = selection.kind == Selection::Kind::message || selection.kind == Selection::Kind::signal;
    const auto* entry = message ? stage_.catalog().find(selection.bus, selection.id) : nullptr;
    only_->setVisible(message);
    define_->setVisible(message);
    define_->setText(entry == nullptr ? tr("Define here...") : tr("Definition..."));
    define_->setToolTip(
        entry == nullptr ? tr("Say what these bits mean, looking at how they change") : tr("Open this message in its database"));
    const QString curve = chosenCurve(stage_);
    const bool drawn = !curve.isEmpty() && stage_.drawnCurves() != nullptr && stage_.drawnCurves()->drawn(curve).has_value();
    derive_->setVisible(!curve.isEmpty());
    const bool plottable = !drawn && ((entry != nullptr && !entry->message->signals.empty()) || selection.kind == Selection::Kind::derived);
    plot_->setVisible(plottable);
    if (plottable)
        plot_->setProperty(
            "signal", selection.kind == Selection::Kind::derived
                          ? selection.node
                          : QString::fromStdString(entry->message->signals[static_cast<std::size_t>(std::max(0, selection.signal))].name));
    placeButtons();
}

void Inspector::placeButtons()
{
    const Theme& theme = Theme::get();
    const int half = (width() - theme.px(34)) / 2;
    const int left = static_cast<int>(edge());
    const int whole = width() - 2 * left;
    const QFontMetrics metrics(plot_->font());
    const int inset = theme.px(13);
    int y = height() - theme.px(36);
    const auto line = [&](QPushButton* button) {
        button->setGeometry(left, y, whole, theme.px(26));
        y -= theme.px(31);
    };
    // Side by side where both fit, else each on a line of its own.
    const bool plots = !plot_->isHidden(), only = !only_->isHidden();
    const bool beside = plots && only && metrics.horizontalAdvance(only_->text()) + inset <= half
                        && metrics.horizontalAdvance(tr("Plot %1").arg(QStringLiteral("WWWW"))) + inset <= half;
    const int room = (beside ? half : whole) - inset - metrics.horizontalAdvance(tr("Plot %1").arg(QString()));
    plot_->setText(tr("Plot %1").arg(metrics.elidedText(plot_->property("signal").toString(), Qt::ElideMiddle, room)));
    if (beside) {
        plot_->setGeometry(left, y, half, theme.px(26));
        only_->setGeometry(left + half + theme.px(6), y, half, theme.px(26));
        y -= theme.px(31);
    } else {
        if (only)
            line(only_);
        if (plots)
            line(plot_);
    }
    if (!derive_->isHidden())
        line(derive_);
    if (!define_->isHidden())
        line(define_);
    buttonsTop_ = y + theme.px(31) - theme.px(6);
    body_->setGeometry(0, 0, width(), plots || only || !derive_->isHidden() ? buttonsTop_ : height());
}

void Inspector::place(QWidget* widget, double& y)
{
    const int left = static_cast<int>(edge());
    const int wide = width() - 2 * left;
    const int high = widget->layout()->hasHeightForWidth() ? widget->layout()->totalHeightForWidth(wide) : widget->sizeHint().height();
    const QRect geometry(left, static_cast<int>(y - scroll_), wide, high);
    if (widget->geometry() != geometry)
        widget->setGeometry(geometry);
    placed_.push_back(widget);
    y += high + Theme::get().px(6);
}

void Inspector::placePanel(double& y, const QString& path)
{
    if (path.isEmpty() || !panel_->show(path))
        return;
    const Theme& theme = Theme::get();
    y += theme.px(2);
    place(panel_, y);
    lines_ << panel_->places();
    y += theme.px(4);
}

void Inspector::resizeEvent(QResizeEvent*) { placeButtons(); }

void Inspector::wheelEvent(QWheelEvent* event)
{
    scroll_ = std::clamp(
        scroll_ - event->angleDelta().y() / 2.0, 0.0, std::max(0.0, contentHeight_ - body_->height() + Theme::get().px(8)));
    update();
    event->accept();
}

void Inspector::mousePressEvent(QMouseEvent* event)
{
    for (const auto& [box, node] : links_)
        if (box.contains(event->position())) {
            Selection selection;
            selection.kind = Selection::Kind::node;
            selection.node = node;
            return stage_.select(selection);
        }
    for (const auto& [box, signal] : signalRows_)
        if (box.contains(event->position())) {
            Selection selection = stage_.selection();
            selection.kind = Selection::Kind::signal;
            selection.signal = signal;
            stage_.select(selection);
        }
    pressed_ = event->button() == Qt::LeftButton ? takeAt(event->position()) : QStringList();
    pressedAt_ = event->position();
}

QStringList Inspector::takeAt(const QPointF& point) const
{
    for (const auto& [box, files] : takeRows_)
        if (box.contains(point))
            return filesThere(files);
    return {};
}

void Inspector::mouseMoveEvent(QMouseEvent* event)
{
    if (pressed_.isEmpty() || (event->position() - pressedAt_).manhattanLength() < QApplication::startDragDistance())
        return;
    dragFiles(this, std::exchange(pressed_, {}));
}

void Inspector::mouseReleaseEvent(QMouseEvent*) { pressed_.clear(); }

void Inspector::mouseDoubleClickEvent(QMouseEvent* event)
{
    pressed_.clear();
    if (const QStringList files = takeAt(event->position()); !files.isEmpty())
        Q_EMIT stage_.fileWanted(files.front());
}

void Inspector::contextMenuEvent(QContextMenuEvent* event)
{
    Selection selection = stage_.selection();
    if (event->reason() != QContextMenuEvent::Keyboard)
        for (const auto& [box, signal] : signalRows_)
            if (box.contains(event->pos())) {
                selection.kind = Selection::Kind::signal;
                selection.signal = signal;
                stage_.select(selection);
            }
    auto* menu = new QMenu(this);
    menu->setObjectName(QStringLiteral("inspectorMenu"));
    menu->setAttribute(Qt::WA_DeleteOnClose);
    addSelectionActions(*menu, stage_, selection);
    QAction* all = menu->addAction(tr("Copy all that stands here"), this, [words = text()] { QApplication::clipboard()->setText(words); });
    all->setObjectName(QStringLiteral("copyInspector"));
    all->setEnabled(!text().isEmpty());
    menu->popup(event->globalPos());
}

void Inspector::heading(QPainter& painter, double& y, const QString& title, const QString& subtitle, int bus, const QString& id)
{
    const Theme& theme = Theme::get();
    paintText(painter, QRectF(edge(), y, width() - 2 * edge(), theme.px(22)), title, theme.title(), theme.ink);
    y += theme.px(22);
    double left = edge();
    if (bus >= 0) {
        paintBusBadge(painter, QRectF(left, y + theme.px(2), theme.px(15), theme.px(15)), stage_.mark(static_cast<unsigned>(bus)));
        left += theme.px(21);
    }
    // An identifier stands in the monospace face: the other turns the x of 0x181 into a multiplication sign.
    if (!id.isEmpty()) {
        paintText(painter, QRectF(left, y, width() - left - edge(), theme.px(19)), id, theme.mono(), theme.ink2);
        left += QFontMetricsF(theme.mono()).horizontalAdvance(id);
    }
    paintText(painter, QRectF(left, y, width() - left - edge(), theme.px(19)), subtitle, theme.body(), theme.ink2);
    y += theme.px(24);
    lines_ << title << id + subtitle;
}

void Inspector::section(QPainter& painter, double& y, const QString& text, const QString& right)
{
    const Theme& theme = Theme::get();
    y += theme.px(6);
    painter.setPen(theme.hairline);
    painter.drawLine(0, static_cast<int>(y), width(), static_cast<int>(y));
    y += theme.px(6);
    paintText(painter, QRectF(edge(), y, width() - 2 * edge(), theme.px(18)), text, theme.bodyStrong(), theme.ink);
    paintText(
        painter, QRectF(edge(), y, width() - 2 * edge(), theme.px(18)), right, theme.body(), theme.ink3, Qt::AlignRight | Qt::AlignVCenter);
    y += theme.px(21);
    lines_ << text + (right.isEmpty() ? QString() : QStringLiteral(": ") + right);
}

void Inspector::fact(QPainter& painter, double& y, const QString& name, const QString& value, bool wrong, bool mono)
{
    const Theme& theme = Theme::get();
    const QFontMetricsF metrics(theme.body());
    const double nameWidth = metrics.horizontalAdvance(name) + theme.px(8);
    paintText(painter, QRectF(edge(), y, nameWidth, theme.px(18)), name, theme.body(), theme.ink2);
    paintText(painter, QRectF(edge() + nameWidth, y, width() - 2 * edge() - nameWidth, theme.px(18)), value,
        mono    ? theme.mono()
        : wrong ? theme.bodyStrong()
                : theme.body(),
        wrong ? theme.error : theme.ink, Qt::AlignRight | Qt::AlignVCenter);
    y += theme.px(18);
    lines_ << name + QStringLiteral(": ") + value;
}

void Inspector::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    const Theme& theme = Theme::get();
    painter.fillRect(rect(), theme.surface);
    lines_.clear();
    signalRows_.clear();
    links_.clear();
    takeRows_.clear();
    layoutWanted_ = false;
    placed_.clear();
    painter.save();
    painter.setClipRect(0, 0, width(), body_->height());
    painter.translate(0, -scroll_);
    switch (stage_.selection().kind) {
    case Selection::Kind::none: {
        painter.setFont(theme.body());
        painter.setPen(theme.ink2);
        painter.drawText(QRectF(edge(), theme.px(20), width() - 2 * edge(), theme.px(80)), Qt::TextWordWrap,
            tr("Select a message, a signal, a node, an event, a condition or a recording: it is explained here."));
        break;
    }
    case Selection::Kind::message:
    case Selection::Kind::signal: paintMessage(painter); break;
    case Selection::Kind::node: paintNode(painter); break;
    case Selection::Kind::event: paintEventFacts(painter); break;
    case Selection::Kind::interface: paintInterface(painter); break;
    case Selection::Kind::condition: paintCondition(painter); break;
    case Selection::Kind::recording: paintRecording(painter); break;
    case Selection::Kind::response: paintResponse(painter); break;
    case Selection::Kind::derived: paintDerived(painter); break;
    case Selection::Kind::outboxRow: paintOutboxRow(painter); break;
    case Selection::Kind::boardItem: paintBoardItem(painter); break;
    case Selection::Kind::phase: paintPhase(painter); break;
    case Selection::Kind::object: paintObject(painter); break;
    }
    painter.restore();
    if (layout_->isVisible() != layoutWanted_)
        layout_->setVisible(layoutWanted_);
    for (QWidget* widget : std::initializer_list<QWidget*>{form_, panel_, outbox_, board_, phase_, object_})
        if (const bool wanted = std::find(placed_.begin(), placed_.end(), widget) != placed_.end(); widget->isHidden() == wanted)
            widget->setVisible(wanted);
}

void Inspector::paintOutboxRow(QPainter& painter)
{
    const Selection& selection = stage_.selection();
    double y = Theme::get().px(10);
    const auto at = stage_.outbox().placeOf(static_cast<std::size_t>(selection.signal));
    if (!at || !outbox_->show(static_cast<std::size_t>(selection.signal))) {
        heading(painter, y, tr("no longer there"), tr("a row of the outbox"), -1);
        return;
    }
    const drive::OutboxRow& row = stage_.outbox().row(*at);
    const int bus = stage_.catalog().findBus(row.bus);
    const auto* message = rig::messageOfRow(stage_.catalog(), row.bus, row.message);
    const unsigned bytes = message != nullptr ? message->message->length : row.frame.length;
    const can::Identifier id = message != nullptr ? message->message->id : row.frame.id;
    const QString group = app::text(stage_.outbox().groups()[at->group].name);
    if (row.ask.empty())
        heading(painter, y, app::text(row.name()), tr(", %1 bytes, a row of %2").arg(bytes).arg(group), bus, app::text(can::toText(id)));
    else
        heading(painter, y, app::text(row.name()), tr("a question, a row of %1").arg(group), bus);
    place(outbox_, y);
    lines_ << outbox_->lines();
    contentHeight_ = y;
}

void Inspector::paintBoardItem(QPainter& painter)
{
    const Selection& selection = stage_.selection();
    double y = Theme::get().px(10);
    const auto number = static_cast<std::size_t>(selection.signal);
    const board::Board* on = stage_.boards().find(selection.node);
    if (on == nullptr || number >= on->items.size() || !board_->show(selection.node, number)) {
        heading(painter, y, tr("no longer there"), tr("an item of a board"), -1);
        return;
    }
    const board::Item& item = on->items[number];
    const std::string name = item.label.empty() ? item.of.name.substr(item.of.name.find_last_of("./:") + 1) : item.label;
    heading(painter, y, name.empty() ? QString::fromLatin1(board::wordOf(item.shown)) : app::text(name),
        tr("a %1 on the board %2").arg(QLatin1String(board::wordOf(item.shown)), selection.node), -1);
    place(board_, y);
    lines_ << board_->lines();
    contentHeight_ = y;
}

void Inspector::paintMessage(QPainter& painter)
{
    const Theme& theme = Theme::get();
    const Selection& selection = stage_.selection();
    const trace::Snapshot& snapshot = stage_.snapshot();
    const auto* message = stage_.catalog().find(selection.bus, selection.id);
    double y = theme.px(10);
    const QString id = QString::fromStdString(can::toText(selection.id));
    std::optional<trace::IdentifierIndex> identifier;
    if (snapshot.valid())
        identifier = snapshot.trace().find({selection.bus, false, selection.id});
    const trace::Row limit = stage_.cursorRow() == trace::noRow ? 0 : stage_.cursorRow() + 1;
    const measure::IdentifierMoment moment = identifier ? measure::momentOf(snapshot, *identifier, limit, histogramBeats)
                                                        : measure::IdentifierMoment{};
    can::FrameView frame;
    const bool seen = moment.row != trace::noRow;
    if (seen)
        frame = snapshot.frame(moment.row);
    QString subtitle = QStringLiteral(", ") + tr("%1 bytes").arg(seen ? frame.length : message != nullptr ? message->message->length : 0);
    if (message != nullptr && !message->message->sender.empty())
        subtitle += tr(", from %1").arg(QString::fromStdString(message->message->sender));
    // A curve that is drawn is looked at for its own sake.
    const QString curve = chosenCurve(stage_);
    const bool drawn = !curve.isEmpty() && stage_.drawnCurves() != nullptr && stage_.drawnCurves()->drawn(curve).has_value();
    if (drawn)
        heading(painter, y, QString::fromStdString(message->message->signals[static_cast<std::size_t>(selection.signal)].name),
            QStringLiteral(", ") + QString::fromStdString(message->message->name), selection.bus, id);
    else
        heading(
            painter, y, message != nullptr ? QString::fromStdString(message->message->name) : tr("undefined"), subtitle, selection.bus, id);
    if (message != nullptr && !message->message->comment.empty() && !drawn) {
        painter.setFont(theme.body());
        painter.setPen(theme.ink3);
        QRectF used;
        painter.drawText(QRectF(edge(), y - theme.px(3), width() - 2 * edge(), theme.px(48)), Qt::TextWordWrap,
            QString::fromStdString(message->message->comment), &used);
        y += used.height() + theme.px(3);
    }
    if (drawn)
        placePanel(y, curve);
    if (!seen) {
        paintText(painter, QRectF(edge(), y, width() - 2 * edge(), theme.px(20)),
            stage_.lostOldest() ? tr("No frame of it is kept up to the cursor.") : tr("Not seen up to the cursor."), theme.body(),
            theme.ink3);
        y += theme.px(22);
    } else {
        paintText(painter, QRectF(edge(), y, width() - 2 * edge(), theme.px(18)), tr("Where each bit lies"), theme.bodyStrong(), theme.ink);
        y += theme.px(21);
        placeLayout(y, message, frame);
        if (frame.length > rowsUnfolded) {
            paintText(painter, QRectF(edge(), y - theme.px(4), width() - 2 * edge(), theme.px(16)),
                tr("and %1 more bytes").arg(frame.length - rowsUnfolded), theme.body(), theme.ink3);
            y += theme.px(13);
        }
        if (message != nullptr)
            paintSignals(painter, y, *message, frame);
    }
    if (message != nullptr && selection.signal >= 0 && static_cast<std::size_t>(selection.signal) < message->message->signals.size())
        paintDefinition(painter, y, *message, message->message->signals[static_cast<std::size_t>(selection.signal)]);
    if (identifier && seen) {
        const auto [stats, busy, span] = stage_.document().measures().read([&](const measure::MeasureState& state) {
            std::int64_t total = 0;
            for (trace::IdentifierIndex i = 0; i < state.identifiers.size(); ++i)
                if (snapshot.trace().key(i).bus == selection.bus)
                    total += state.identifiers[i].busy.count();
            return std::tuple(*identifier < state.identifiers.size() ? state.identifiers[*identifier] : measure::IdentifierStats{}, total,
                (stage_.newest() - stage_.wholeFrom()).count());
        });
        paintRhythmHistogram(painter, y, message, stats, moment.beats);
        section(painter, y, tr("This frame"));
        const can::WireLength bits = can::wireLength(frame);
        const auto& buses = stage_.document().buses();
        const can::BitRate rate = selection.bus < buses.size() ? buses[selection.bus].rate : can::BitRate{};
        QString wire = tr("%1 bits").arg(bits.nominalBits + bits.dataBits);
        if (rate.known())
            wire += tr(", %1 \u00b5s").arg(static_cast<double>(can::duration(bits, rate).count()) * 1e-3, 0, 'f', 0);
        if (message != nullptr && message->match == database::Match::group) {
            const auto group = can::ParameterGroup::of(selection.id);
            const auto hex = [](unsigned value, int digits) {
                return QStringLiteral("0x%1").arg(QStringLiteral("%1").arg(value, digits, 16, QLatin1Char('0')).toUpper());
            };
            fact(painter, y, tr("Group, priority"), tr("%1, %2").arg(hex(group.group, 4)).arg(group.priority));
            fact(painter, y, tr("Source, destination"),
                tr("%1, %2").arg(
                    hex(group.source, 2), group.addressed && group.destination != 255 ? hex(group.destination, 2) : tr("all")));
        }
        fact(painter, y, tr("On the wire"), wire);
        fact(painter, y, tr("Stuffed"), tr("%1 bits").arg(bits.stuffBits));
        fact(painter, y, tr("At"), timeWords(stage_.seconds(frame.time), 6));
        fact(painter, y, tr("Seen so far"), tr("%1 times").arg(countText(snapshot.countOf(*identifier, limit))));
        section(painter, y, tr("The whole run"), tr("%1 frames").arg(countText(stats.count)));
        if (stats.count > 1)
            fact(painter, y, tr("Shortest, longest gap"),
                tr("%1, %2 ms")
                    .arg(static_cast<double>(stats.shortest.count()) * 1e-6, 0, 'f', 2)
                    .arg(static_cast<double>(stats.longest.count()) * 1e-6, 0, 'f', 2));
        if (span > 0)
            fact(painter, y, tr("Of bus time"),
                tr("%1 %").arg(100.0 * static_cast<double>(stats.busy.count()) / static_cast<double>(span), 0, 'f', 1));
        if (busy > 0)
            fact(painter, y, tr("Of the traffic"),
                tr("%1 %").arg(100.0 * static_cast<double>(stats.busy.count()) / static_cast<double>(busy), 0, 'f', 1));
    }
    contentHeight_ = y;
}

void Inspector::placeLayout(double& y, const database::CatalogMessage* message, const can::FrameView& frame)
{
    const unsigned shown = std::min<unsigned>(frame.length, rowsUnfolded);
    if (message != nullptr) {
        // The arrangement that this frame's selectors choose.
        std::vector<std::int64_t> selected(message->message->signals.size(), -1);
        for (std::uint32_t i = 0; i < selected.size(); ++i) {
            database::Decoded decoded;
            if (message->message->signals[i].selects() && message->plan.decodeOne(frame, i, decoded))
                selected[i] = static_cast<std::int64_t>(decoded.bits);
        }
        layout_->setMessage(*message->message, selected);
    } else {
        layout_->setUndefined(frame.length);
    }
    layout_->setChosen(stage_.selection().signal);
    layout_->setPayload(frame.payload());
    layout_->setMinimumHeight(0);
    const int height = static_cast<int>(shown) * Theme::get().px(16);
    const QRect place(static_cast<int>(edge()), static_cast<int>(y - scroll_), width() - static_cast<int>(2 * edge()), height);
    if (layout_->geometry() != place)
        layout_->setGeometry(place);
    layoutWanted_ = true;
    QString bits;
    for (unsigned byte = 0; byte < shown; ++byte)
        bits += byteText(frame.data[byte]) + QLatin1Char(' ');
    lines_ << bits.trimmed();
    y += height + Theme::get().px(5);
}

void Inspector::link(QPainter& painter, double& y, const QString& name, const QString& node)
{
    const Theme& theme = Theme::get();
    const double top = y;
    fact(painter, y, name, node, false, false);
    const double width = QFontMetricsF(theme.body()).horizontalAdvance(node);
    const QRectF box(this->width() - edge() - width, top, width, theme.px(18));
    painter.setPen(QPen(theme.accent, 1));
    painter.drawLine(box.bottomLeft() - QPointF(0, 3), box.bottomRight() - QPointF(0, 3));
    links_.emplace_back(box.translated(0, -scroll_), node);
}

void Inspector::paintDefinition(QPainter& painter, double& y, const database::CatalogMessage& message, const database::Signal& signal)
{
    const Theme& theme = Theme::get();
    section(painter, y, QString::fromStdString(signal.name), tr("definition"));
    if (!signal.comment.empty()) {
        painter.setFont(theme.body());
        painter.setPen(theme.ink2);
        QRectF used;
        painter.drawText(
            QRectF(edge(), y, width() - 2 * edge(), theme.px(80)), Qt::TextWordWrap, QString::fromStdString(signal.comment), &used);
        y += used.height() + theme.px(4);
        lines_ << QString::fromStdString(signal.comment);
    }
    const auto number = [](double value) { return QString::fromStdString(database::numberText(value, 9)); };
    const char* kind = signal.type == database::ValueType::single     ? QT_TR_NOOP("float, 32 bits")
                       : signal.type == database::ValueType::floating ? QT_TR_NOOP("float, 64 bits")
                       : signal.isSigned                              ? QT_TR_NOOP("signed")
                                                                      : QT_TR_NOOP("unsigned");
    fact(painter, y, tr("Bits"),
        tr("%1 from %2, %3")
            .arg(signal.length)
            .arg(signal.startBit)
            .arg(signal.order == database::ByteOrder::intel ? tr("least first") : tr("most first")),
        false, false);
    fact(painter, y, tr("Number"), tr(kind), false, false);
    if (signal.factor != 1 || signal.offset != 0)
        fact(painter, y, tr("Value"),
            tr("raw x %1%2")
                .arg(number(signal.factor), signal.offset == 0  ? QString()
                                            : signal.offset > 0 ? tr(" + %1").arg(number(signal.offset))
                                                                : tr(" - %1").arg(number(-signal.offset))));
    if (signal.minimum && signal.maximum)
        fact(painter, y, tr("Range"),
            tr("%1 to %2 %3").arg(number(*signal.minimum), number(*signal.maximum), QString::fromStdString(signal.unit)));
    if (signal.startRaw)
        fact(painter, y, tr("Start value"), startText(signal));
    if (const std::string present = database::muxText(signal); !present.empty())
        fact(painter, y, tr("Present"), QString::fromStdString(present), false, false);
    for (std::size_t i = 0; i < signal.texts.size() && i < 8; ++i)
        fact(painter, y,
            QString::fromStdString(database::wholeText(signal.texts[i].value))
                + (signal.texts[i].more > 0 ? tr(" to %1").arg(QString::fromStdString(database::wholeText(signal.texts[i].last())))
                                            : QString()),
            QString::fromStdString(signal.texts[i].text), false, false);
    if (!message.message->sender.empty())
        link(painter, y, tr("Sent by"), QString::fromStdString(message.message->sender));
    for (const std::string& receiver : signal.receivers)
        link(painter, y, tr("Heard by"), QString::fromStdString(receiver));
    for (const auto& [name, value] : signal.attributes)
        fact(painter, y, QString::fromStdString(name),
            QString::fromStdString(value.isText ? value.text : database::numberText(value.number, 9)), false, false);
}

void Inspector::paintSignals(QPainter& painter, double& y, const database::CatalogMessage& message, const can::FrameView& frame)
{
    const Theme& theme = Theme::get();
    std::vector<database::Decoded> decoded;
    const unsigned missing = message.plan.decode(frame, decoded);
    const std::size_t most = 14;
    const int chosen = stage_.selection().signal;
    for (std::size_t i = 0; i < decoded.size(); ++i) {
        if (decoded.size() > most && i >= most && static_cast<int>(decoded[i].signal) != chosen)
            continue;
        const database::Decoded& value = decoded[i];
        const database::Signal& signal = message.message->signals[value.signal];
        const double height = theme.px(signal.minimum && signal.maximum && signal.length > 1 && signal.texts.empty() ? 25 : 20);
        const QRectF row(0, y, width(), height);
        signalRows_.emplace_back(row.translated(0, -scroll_), static_cast<int>(value.signal));
        if (static_cast<int>(value.signal) == chosen)
            painter.fillRect(row.adjusted(4, 0, -4, 0), theme.accentSoft);
        painter.setPen(theme.hairline);
        const QRectF sample(edge(), y + theme.px(4.5), theme.px(9), theme.px(9));
        paintTint(painter, sample, value.signal);
        painter.drawRect(sample);
        const QString text = readingText(signal, value);
        const QFontMetricsF metrics(theme.mono());
        const double valueWidth = std::min(metrics.horizontalAdvance(text) + 2, width() * 0.5);
        const bool outside = signal.minimum && signal.maximum
                             && (value.value < *signal.minimum - 1e-9 || value.value > *signal.maximum + 1e-9);
        const QString name = QString::fromStdString(signal.name);
        paintText(painter, QRectF(edge() + theme.px(15), y, width() - 2 * edge() - theme.px(21) - valueWidth, theme.px(18)), name,
            static_cast<int>(value.signal) == chosen ? theme.bodyStrong() : theme.body(), theme.ink);
        paintText(painter, QRectF(width() - edge() - valueWidth, y, valueWidth, theme.px(18)), text, theme.mono(),
            outside ? theme.error : theme.ink, Qt::AlignRight | Qt::AlignVCenter);
        lines_ << name + QStringLiteral(": ") + text;
        if (height > theme.px(20)) {
            const double left = edge() + theme.px(15);
            const double right = width() - edge();
            const double place = std::clamp((value.value - *signal.minimum) / (*signal.maximum - *signal.minimum), 0.0, 1.0);
            painter.fillRect(QRectF(left, y + theme.px(20), right - left, 1), theme.hairline);
            painter.fillRect(
                QRectF(left + place * (right - left) - 1.5, y + theme.px(17), 3, theme.px(7)), outside ? theme.error : theme.ink);
        }
        y += height;
    }
    if (decoded.size() > most) {
        paintText(painter, QRectF(edge(), y, width() - 2 * edge(), theme.px(18)), tr("and %1 more signals").arg(decoded.size() - most),
            theme.body(), theme.ink3);
        y += theme.px(18);
    }
    if (missing > 0) {
        paintText(painter, QRectF(edge(), y, width() - 2 * edge(), theme.px(18)), tr("Payload too short for %1 signals").arg(missing),
            theme.body(), theme.error);
        y += theme.px(18);
    }
}

void Inspector::paintRhythmHistogram(
    QPainter& painter, double& y, const database::CatalogMessage* message, const measure::IdentifierStats&, const std::vector<Time>& beats)
{
    const Theme& theme = Theme::get();
    const bool promised = message != nullptr && message->message->cycleTime.count() > 0;
    section(painter, y, tr("Rhythm"),
        promised ? tr("promised %1 ms").arg(static_cast<double>(message->message->cycleTime.count()) * 1e-6, 0, 'g', 4)
                 : tr("nothing promised"));
    if (beats.size() < 3)
        return;
    std::vector<double> gaps;
    for (std::size_t i = 1; i < beats.size(); ++i)
        gaps.push_back(static_cast<double>((beats[i] - beats[i - 1]).count()) * 1e-6);
    std::vector<double> sorted = gaps;
    std::sort(sorted.begin(), sorted.end());
    const double median = sorted[sorted.size() / 2];
    double low = sorted[sorted.size() / 50];
    double high = sorted[sorted.size() - 1 - sorted.size() / 50];
    const double margin = std::max((high - low) * 0.2, median * 0.005 + 1e-6);
    low -= margin;
    high += margin;
    constexpr int bars = 32;
    std::array<unsigned, bars> counts{};
    for (const double gap : gaps)
        ++counts[static_cast<std::size_t>(std::clamp(static_cast<int>((gap - low) / (high - low) * bars), 0, bars - 1))];
    const unsigned most = *std::max_element(counts.begin(), counts.end());
    const double height = theme.px(44);
    const double step = (width() - 2 * edge()) / bars;
    for (int i = 0; i < bars; ++i) {
        const double h = height * counts[static_cast<std::size_t>(i)] / std::max(1U, most);
        painter.fillRect(QRectF(edge() + i * step, y + height - h, step - 1, h), theme.ink3);
    }
    painter.fillRect(QRectF(edge(), y + height, width() - 2 * edge(), 1), theme.hairline);
    if (promised) {
        const double cycle = static_cast<double>(message->message->cycleTime.count()) * 1e-6;
        if (cycle >= low && cycle <= high)
            painter.fillRect(
                QRectF(edge() + (cycle - low) / (high - low) * (width() - 2 * edge()) - 0.75, y - theme.px(3), 1.5, height + theme.px(3)),
                theme.accent);
    }
    y += height + theme.px(3);
    paintText(painter, QRectF(edge(), y, theme.px(100), theme.px(14)), QString::number(low, 'f', 1), theme.mono(9.8), theme.ink3);
    paintText(painter, QRectF(edge(), y, width() - 2 * edge(), theme.px(14)), tr("%1 ms").arg(high, 0, 'f', 1), theme.mono(9.8), theme.ink3,
        Qt::AlignRight | Qt::AlignVCenter);
    y += theme.px(19);
}

void Inspector::paintInterface(QPainter& painter)
{
    const Theme& theme = Theme::get();
    const QString& name = stage_.selection().node;
    const bus::WatchedInterface* of = Interfaces::get().find(name);
    double y = theme.px(10);
    paintText(painter, QRectF(edge(), y, width() - 2 * edge(), theme.px(22)), name, theme.title(), theme.ink);
    lines_ << name;
    y += theme.px(24);
    if (of == nullptr)
        return;
    const bus::KernelInterface& is = of->is;
    const InterfaceWords words = wordsOf(*of);
    paintPlug(painter, QRectF(edge(), y + theme.px(3), theme.px(18), theme.px(12)), *of);
    const QString says = tr("%1 since %2").arg(words.state, clockText(of->since));
    paintText(painter, QRectF(edge() + theme.px(25), y, width() - 2 * edge() - theme.px(25), theme.px(18)), says, theme.body(), theme.ink2);
    lines_ << says;
    y += theme.px(26);
    const auto plain = [&](const QString& what, const QString& value) { fact(painter, y, what, value, false, false); };
    if (is.hasController) {
        const bool wrong = is.up && is.state != "up";
        fact(painter, y, tr("Controller"),
            !is.up             ? tr("off")
            : is.state == "up" ? tr("error active")
                               : QString::fromStdString(is.state),
            wrong, false);
        fact(painter, y, tr("Bit rate"), is.rate.known() ? rateWords(is.rate) : tr("none set yet"));
        if (is.samplePoint > 0)
            fact(painter, y, tr("Sample point"), tr("%1 %").arg(is.samplePoint, 0, 'f', 1));
        plain(tr("FD"), is.fd ? tr("on") : is.mayFd ? tr("could, is off") : tr("no"));
        plain(tr("After bus off"), is.restartAfter && is.restartAfter->count() > 0
                                       ? tr("restarts in %1").arg(QString::fromStdString(spanText(*is.restartAfter)))
                                       : tr("stays off until it is restarted"));
        plain(tr("Listen-only"), is.listenOnly ? tr("yes, it stays silent") : tr("no, it acknowledges"));
    } else {
        plain(tr("Made by"), tr("the kernel (%1)").arg(QString::fromStdString(is.kind)));
        plain(tr("FD"), is.fd ? tr("on") : tr("no"));
    }
    plain(tr("Time stamps"), is.ownStamps ? tr("its own clock's") : tr("the kernel's"));
    if (!is.place.empty())
        plain(tr("Hangs on"), QString::fromStdString(is.place));
    if (is.sendErrors || is.receiveErrors) {
        section(painter, y, tr("Error counters"), tr("last 10 min"));
        paintErrorTrend(painter, y, Interfaces::get().trend(name).errors);
        fact(painter, y, tr("Sending, receiving"), tr("%1, %2").arg(is.sendErrors.value_or(0)).arg(is.receiveErrors.value_or(0)));
    } else {
        section(painter, y, tr("Since it is there"));
    }
    if (is.hasController) {
        fact(painter, y, tr("Errors on the bus"), countText(is.busErrors));
        fact(painter, y, tr("Bus off, restarted"), tr("%1, %2").arg(is.busOffs).arg(is.restarts));
    }
    fact(painter, y, tr("Frames received"), countText(is.received));
    fact(painter, y, tr("Frames sent"), countText(is.sent));
    fact(painter, y, tr("Lost in the kernel"), countText(is.dropped), is.dropped > 0);
    if (const std::string made = is.setUpBy(); !made.empty()) {
        section(painter, y, tr("As it stands, made by"));
        painter.setFont(theme.mono(10.5));
        painter.setPen(theme.ink);
        QRectF used;
        const QString command = QString::fromStdString(made);
        painter.drawText(QRectF(edge(), y, width() - 2 * edge(), theme.px(80)), Qt::TextWordWrap, command, &used);
        y += used.height() + theme.px(4);
        lines_ << command;
    }
    contentHeight_ = y;
}

// Steps of both counters against the limit above which a controller is error passive.
void Inspector::paintErrorTrend(QPainter& painter, double& y, const std::deque<std::pair<unsigned, unsigned>>& counters)
{
    constexpr double passive = 128, seconds = 600;
    const Theme& theme = Theme::get();
    const QRectF box(edge() + theme.px(24), y + theme.px(4), width() - 2 * edge() - theme.px(24), theme.px(60));
    const double tall = std::max(160.0, [&] {
        unsigned most = 0;
        for (const auto& [send, receive] : counters)
            most = std::max({most, send, receive});
        return static_cast<double>(most);
    }());
    const auto at = [&](double value) { return box.bottom() - box.height() * value / tall; };
    paintText(painter, QRectF(edge(), at(passive) - theme.px(8), theme.px(22), theme.px(16)), QStringLiteral("128"), theme.mono(10.5),
        theme.ink2);
    paintText(painter, QRectF(edge(), at(0) - theme.px(8), theme.px(22), theme.px(16)), QStringLiteral("0"), theme.mono(10.5), theme.ink2);
    painter.setPen(QPen(theme.ink3, 1, Qt::DashLine));
    painter.drawLine(QPointF(box.left(), at(passive)), QPointF(box.right(), at(passive)));
    paintText(painter, QRectF(box.left(), at(passive) - theme.px(15), box.width(), theme.px(14)), tr("above: error passive"), theme.body(),
        theme.ink2, Qt::AlignRight | Qt::AlignVCenter);
    painter.setPen(theme.hairline);
    painter.drawLine(box.bottomLeft(), box.bottomRight());
    for (const bool sending : {false, true}) {
        painter.setPen(QPen(sending ? theme.ink3 : theme.ink, 1.4, sending ? Qt::DotLine : Qt::SolidLine));
        QPointF before;
        for (std::size_t i = 0; i < counters.size(); ++i) {
            const double x = box.right() - box.width() * static_cast<double>(counters.size() - 1 - i) / seconds;
            const QPointF now(x, at(sending ? counters[i].first : counters[i].second));
            if (i > 0) {
                painter.drawLine(before, QPointF(x, before.y()));
                painter.drawLine(QPointF(x, before.y()), now);
            }
            before = now;
        }
    }
    y = box.bottom() + theme.px(6);
}

void Inspector::paintEventFacts(QPainter& painter)
{
    const measure::Event& event = stage_.selection().event;
    double y = Theme::get().px(10);
    static constexpr const char* kinds[] = {QT_TR_NOOP("condition of the rig"), QT_TR_NOOP("out of its range"), QT_TR_NOOP("missed beats"),
        QT_TR_NOOP("burst: load over 20 ms at 80 % or more"), QT_TR_NOOP("error frames"), QT_TR_NOOP("state of a controller"),
        QT_TR_NOOP("note"), QT_TR_NOOP("mark"), QT_TR_NOOP("broken rule of a dialogue"), QT_TR_NOOP("trouble of a protocol")};
    static_assert(std::size(kinds) == measure::eventKindCount);
    const bool range = event.kind == measure::EventKind::range;
    heading(painter, y, QString::fromStdString(range ? event.what : event.text), tr(kinds[static_cast<unsigned>(event.kind)]),
        event.bus == measure::noBus ? -1 : event.bus);
    if (range || event.kind == measure::EventKind::dialogue || event.kind == measure::EventKind::protocol)
        passage(painter, y, QString(), QString::fromStdString(event.why), false);
    fact(painter, y, tr("From"), timeWords(stage_.seconds(event.time), 6));
    if (event.until != event.time || event.open) {
        fact(painter, y, tr("To"), event.open ? tr("goes on") : timeWords(stage_.seconds(event.until), 6));
        fact(painter, y, event.open ? tr("So far") : tr("Lasted"),
            tr("%1 ms").arg(static_cast<double>((event.until - event.time).count()) * 1e-6, 0, 'f', 1));
    }
    if (event.count > 1)
        fact(painter, y, event.kind == measure::EventKind::missedBeats ? tr("Beats missed") : tr("Frames"), QString::number(event.count));
    for (const rig::EventSpec& spec : stage_.document().rig().events)
        if (event.kind == measure::EventKind::condition && spec.name == event.text) {
            section(painter, y, tr("Condition"));
            painter.setFont(Theme::get().mono());
            painter.setPen(Theme::get().ink);
            painter.drawText(QRectF(edge(), y, width() - 2 * edge(), Theme::get().px(80)), Qt::TextWordWrap,
                QString::fromStdString(spec.when)
                    + (spec.hold.count() > 0 ? tr("\nfor %1").arg(QString::fromStdString(spanText(spec.hold))) : QString()));
        }
    contentHeight_ = y;
}

}  // namespace wavetrope::app
