// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/database/database_view.h"

#include <QDropEvent>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QMimeData>
#include <QPainter>
#include <QSplitter>
#include <QStyle>
#include <QUrl>
#include <QVBoxLayout>

#include <algorithm>
#include <cmath>

#include "app/paint/paint.h"
#include "app/parts/elided_label.h"
#include "app/parts/text.h"
#include "app/theme/theme.h"
#include "base/time_text.h"
#include "database/field_text.h"
#include "measure/coverage.h"

namespace wavetrope::app {

namespace {

constexpr std::uint64_t rowsPerBeat = 200'000, fewSamples = 50'000;
constexpr int formMargin = 10;
constexpr double leastLayout = 220;     // eight bytes of a layout in full
constexpr unsigned togglesEvery = 30;  // beats

}  // namespace

DatabaseView::DatabaseView(Stage& stage)
    : View(stage),
      desk_(stage.desk()),
      across_(new QSplitter(Qt::Horizontal)),
      tools_(new QWidget),
      bodyScroll_(new QScrollArea),
      entries_(new QComboBox),
      more_(new QToolButton),
      save_(new QPushButton(tr("Save"))),
      facts_(new ElidedLabel),
      find_(new QLineEdit),
      rows_(new MessageRows(desk_, stage)),
      problem_(new QLabel),
      disk_(new QWidget),
      messageForm_(new FieldGrid),
      signalForm_(new FieldGrid),
      selectors_(new QWidget),
      selectorLine_(new QHBoxLayout(selectors_)),
      layoutScroll_(new QScrollArea),
      layout_(new LayoutWidget(LayoutWidget::Form::large)),
      hint_(new QLabel),
      plot_(new TimePlot(stage, true)),
      graph_(plot_->addGraph()),
      empty_(new QLabel),
      sender_(new QComboBox),
      frame_(new QComboBox),
      order_(new QComboBox),
      kind_(new QComboBox)
{
    setAcceptDrops(true);
    buildTools();
    across_->setHandleWidth(1);
    across_->setChildrenCollapsible(false);
    auto* list = new QWidget;
    auto* listColumn = new QVBoxLayout(list);
    listColumn->setContentsMargins(0, 6, 0, 0);
    listColumn->setSpacing(4);
    find_->setObjectName(QStringLiteral("databaseFind"));
    find_->setPlaceholderText(tr("Find a message or signal"));
    find_->setToolTip(tr("Part of a name, of an identifier, or a sender"));
    auto* inset = new QHBoxLayout;
    inset->setContentsMargins(8, 0, 8, 0);
    inset->addWidget(find_);
    listColumn->addLayout(inset);
    listColumn->addWidget(rows_, 1);
    // What does not fit is reached by scrolling: no field is squeezed.
    auto* body = new QWidget;
    auto* column = new QVBoxLayout(body);
    column->setContentsMargins(formMargin, 6, formMargin, 6);
    column->setSpacing(5);
    bodyScroll_->setObjectName(QStringLiteral("databaseScroll"));
    bodyScroll_->setWidget(body);
    bodyScroll_->setWidgetResizable(true);
    bodyScroll_->setFrameShape(QFrame::NoFrame);
    bodyScroll_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    bodyScroll_->setFocusPolicy(Qt::NoFocus);
    bodyScroll_->viewport()->setAutoFillBackground(false);
    body->setAutoFillBackground(false);
    buildForms(bodyScroll_, column);
    across_->addWidget(list);
    across_->addWidget(bodyScroll_);
    across_->setStretchFactor(1, 1);
    connect(across_, &QSplitter::splitterMoved, this, [this] { divided_ = true; });
    auto* whole = new QVBoxLayout(this);
    whole->setContentsMargins(0, 0, 0, 0);
    whole->addWidget(across_);
    setFocusProxy(rows_);
    plot_->axisRect()->setMinimumSize(QSize(10, 10));
    plot_->setFixedHeight(Theme::get().px(76));
    graph_->setAdaptiveSampling(false);

    connect(find_, &QLineEdit::textChanged, rows_, &MessageRows::find);
    const auto once = [this](auto what) {
        return [this, what] {
            if (begun_)
                (this->*what)();
        };
    };
    connect(&desk_, &Desk::edited, this, once(&DatabaseView::fill));
    connect(&desk_, &Desk::chosen, this, once(&DatabaseView::fill));
    connect(&desk_, &Desk::entriesChanged, this, once(&DatabaseView::fillEntries));
    connect(&desk_, &Desk::problemChanged, this, [this] {
        problem_->setText(desk_.problem());
        problem_->setVisible(!desk_.problem().isEmpty());
        placeProblem();
        // The field that it is about; nothing else moves.
        for (const auto& [name, edit] : fields_) {
            const bool wrong = !desk_.problem().isEmpty() && name == taking_;
            if (edit->property("wrong").toBool() == wrong)
                continue;
            edit->setProperty("wrong", wrong);
            edit->style()->unpolish(edit);
            edit->style()->polish(edit);
        }
    });
    connect(&desk_, &Desk::changedOnDisk, this, once(&DatabaseView::fill));
    connect(&stage, &Stage::beat, this, &DatabaseView::refresh);
    connect(&stage, &Stage::axisChanged, this, &DatabaseView::refresh);
    connect(&stage, &Stage::becameReady, this, [this] {
        if (!begun_)
            return;
        fillEntries();
        fill();
    });
    connect(layout_, &LayoutWidget::signalChosen, this, [this](int index) {
        if (const database::Message* message = desk_.message();
            message != nullptr && static_cast<std::size_t>(index) < message->signals.size())
            desk_.choose(message->uid, message->signals[static_cast<std::size_t>(index)].uid);
        tellChosen();
    });
    connect(rows_, &MessageRows::messageChosen, this, &DatabaseView::tellChosen);
    connect(&stage, &Stage::selectionChanged, this, [this] {
        if (begun_ && isVisible())
            followSelection();
    });
    const auto change = [this](int index, const char* what, auto&& with) {
        const database::Message* message = desk_.message();
        if (message == nullptr || static_cast<std::size_t>(index) >= message->signals.size())
            return;
        database::Signal signal = message->signals[static_cast<std::size_t>(index)];
        with(signal);
        desk_.apply(desk_.editor().putSignal(message->uid, signal, what + (" " + signal.name)));
    };
    connect(layout_, &LayoutWidget::moved, this,
        [change](int index, unsigned start) { change(index, "move", [start](database::Signal& s) { s.startBit = start; }); });
    connect(layout_, &LayoutWidget::resized, this, [change](int index, unsigned start, unsigned length) {
        change(index, "resize", [start, length](database::Signal& s) {
            s.startBit = start;
            s.length = length;
        });
    });
    connect(layout_, &LayoutWidget::swept, this, &DatabaseView::newSignal);
    connect(layout_, &LayoutWidget::removeWanted, this, [this](int index) {
        if (const database::Message* message = desk_.message();
            message != nullptr && static_cast<std::size_t>(index) < message->signals.size())
            desk_.apply(desk_.editor().removeSignal(message->uid, message->signals[static_cast<std::size_t>(index)].uid));
    });
    connect(&Theme::get(), &Theme::changed, this, &DatabaseView::restyle);
}

void DatabaseView::begin()
{
    if (begun_)
        return;
    begun_ = true;
    fillEntries();
    rows_->rebuild();
    if (desk_.any() && desk_.message() == nullptr)
        desk_.open(desk_.current());
    fill();
}

void DatabaseView::buildTools()
{
    auto* line = new QHBoxLayout(tools_);
    line->setContentsMargins(0, 0, 0, 0);
    line->setSpacing(6);
    entries_->setObjectName(QStringLiteral("databaseEntries"));
    entries_->setToolTip(tr("The database that is shown and edited"));
    entries_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    entries_->setMinimumContentsLength(4);      // gives way before it covers what stands beside it
    entries_->setMaximumWidth(Theme::get().px(190));
    entries_->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    save_->setObjectName(QStringLiteral("databaseSave"));
    save_->setToolTip(tr("Write the edited statements into the file; everything else in it stays as it is"));
    more_->setObjectName(QStringLiteral("databaseMore"));
    more_->setText(tr("More"));
    more_->setPopupMode(QToolButton::InstantPopup);
    more_->setToolTip(tr("New, attach, export, nodes, tables, attributes, copy and paste"));
    line->addWidget(entries_, 3);
    line->addWidget(save_);
    line->addWidget(more_);
    line->addWidget(facts_, 1);
    facts_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    connect(entries_, &QComboBox::activated, this,
        [this](int index) { desk_.open(static_cast<std::size_t>(entries_->itemData(index).toULongLong())); });
    connect(save_, &QPushButton::clicked, this, &DatabaseView::saveCurrent);
    buildMenu();
}

QLineEdit* DatabaseView::field(const char* name, const QString& tip)
{
    auto* edit = new QLineEdit;
    edit->setObjectName(QLatin1String(name));
    edit->setToolTip(tip);
    fields_[QLatin1String(name)] = edit;
    return edit;
}

void DatabaseView::buildForms(QWidget* parent, QVBoxLayout* column)
{
    disk_->setObjectName(QStringLiteral("diskNotice"));
    auto* diskLine = new QHBoxLayout(disk_);
    diskLine->setContentsMargins(8, 3, 4, 3);
    auto* diskText = new QLabel(tr("This file was changed by another program."));
    diskLine->addWidget(diskText, 1);
    auto* look = new QPushButton(tr("Show the difference..."));
    look->setObjectName(QStringLiteral("diskDifference"));
    look->setToolTip(tr("What differs between the file and what is shown here; then read it again or keep yours"));
    connect(look, &QPushButton::clicked, this, &DatabaseView::askAboutDisk);
    diskLine->addWidget(look);
    // Both over the forms, at their foot: what they say moves none of them.
    disk_->setParent(parent);
    disk_->setAttribute(Qt::WA_StyledBackground);
    disk_->hide();
    problem_->setObjectName(QStringLiteral("databaseProblem"));
    problem_->setParent(parent);
    problem_->setWordWrap(true);
    problem_->setAutoFillBackground(true);
    problem_->setMargin(6);
    problem_->hide();
    parent->installEventFilter(this);
    bodyScroll_->viewport()->installEventFilter(this);
    empty_->setAlignment(Qt::AlignCenter);
    empty_->setWordWrap(true);
    column->addWidget(empty_, 1);

    frame_->setObjectName(QStringLiteral("messageFrame"));
    frame_->setToolTip(tr("Classic or FD frame, with or without the switch to the data bit rate"));
    for (const QString& word : {tr("classic"), tr("FD"), tr("FD, switched")})
        frame_->addItem(word);
    sender_->setObjectName(QStringLiteral("messageSender"));
    sender_->setToolTip(tr("The node that sends it"));
    messageForm_->add(
        tr("message"), field("messageName", tr("Name: letters, digits and underscores")), 11, {{{0, 0, 1}, {0, 0, 1}, {0, 0, 2}}});
    messageForm_->add(tr("id"), field("messageId", tr("Identifier: up to 3 hexadecimal digits for 11 bits, 8 for 29 bits; 0x1F0 or 1F0h")),
        10, {{{0, 1, 1}, {0, 1, 1}, {1, 0, 1}}});
    messageForm_->add(tr("bytes"),
        field("messageLength", tr("Length of the payload, 0 to %1; one frame carries up to 64").arg(database::maxMessageLength)), 2,
        {{{0, 2, 1}, {0, 2, 1}, {1, 1, 1}}});
    messageForm_->add(tr("frame"), frame_, 0, {{{0, 3, 1}, {1, 2, 1}, {2, 0, 1}}});
    messageForm_->add(tr("sender"), sender_, 11, {{{1, 0, 1}, {1, 0, 1}, {3, 0, 2}}});
    messageForm_->add(tr("cycle"), field("messageCycle", tr("Cycle time, such as 20 ms; empty when none is promised")), 6,
        {{{1, 1, 1}, {1, 1, 1}, {2, 1, 1}}});
    messageForm_->add(tr("comment"), field("messageComment", tr("Comment")), 6, {{{1, 2, 2}, {2, 0, 3}, {4, 0, 2}}});
    column->addWidget(messageForm_);

    selectorLine_->setContentsMargins(0, 0, 0, 0);
    column->addWidget(selectors_);
    layoutScroll_->setFocusPolicy(Qt::NoFocus);
    layoutScroll_->setWidget(layout_);
    layoutScroll_->setWidgetResizable(true);
    layoutScroll_->setFrameShape(QFrame::NoFrame);
    layoutScroll_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    column->addWidget(layoutScroll_, 3);
    hint_->setObjectName(QStringLiteral("layoutHint"));
    hint_->setWordWrap(true);
    column->addWidget(hint_);

    order_->setObjectName(QStringLiteral("signalOrder"));
    order_->addItem(tr("least first"));
    order_->addItem(tr("most first"));
    order_->setToolTip(tr("Byte order: least significant byte first (Intel) or most significant first (Motorola)"));
    kind_->setObjectName(QStringLiteral("signalKind"));
    for (const QString& word : {tr("unsigned"), tr("signed"), tr("float, 32 bits"), tr("float, 64 bits")})
        kind_->addItem(word);
    kind_->setToolTip(tr("How the bits make a number"));
    signalForm_->add(
        tr("signal"), field("signalName", tr("Name: letters, digits and underscores")), 10, {{{0, 0, 2}, {0, 0, 2}, {0, 0, 2}}});
    signalForm_->add(tr("start bit"),
        field("signalStart", tr("Start bit: the least significant of a least-first signal, the most significant of a most-first one")), 3,
        {{{0, 2, 1}, {1, 0, 1}, {1, 0, 1}}});
    signalForm_->add(tr("length"), field("signalLength", tr("Length, 1 to 64")), 3, {{{0, 3, 1}, {1, 1, 1}, {1, 1, 1}}});
    signalForm_->add(tr("byte order"), order_, 0, {{{1, 0, 1}, {1, 2, 1}, {2, 0, 1}}});
    signalForm_->add(tr("type"), kind_, 0, {{{1, 1, 1}, {2, 0, 1}, {2, 1, 1}}});
    signalForm_->add(tr("unit"), field("signalUnit", tr("Unit")), 6, {{{1, 2, 1}, {0, 2, 1}, {3, 0, 1}}});
    signalForm_->add(tr("start value"), field("signalStartValue", tr("Value that is sent until one is set; empty for 0 raw")), 7,
        {{{1, 3, 1}, {3, 2, 1}, {3, 1, 1}}});
    signalForm_->add(
        tr("factor"), field("signalFactor", tr("Value = raw times factor plus offset")), 7, {{{2, 0, 1}, {2, 1, 1}, {4, 0, 1}}});
    signalForm_->add(
        tr("offset"), field("signalOffset", tr("Value = raw times factor plus offset")), 7, {{{2, 1, 1}, {2, 2, 1}, {4, 1, 1}}});
    signalForm_->add(
        tr("minimum"), field("signalMinimum", tr("Smallest value; empty for no range")), 7, {{{2, 2, 1}, {3, 0, 1}, {5, 0, 1}}});
    signalForm_->add(
        tr("maximum"), field("signalMaximum", tr("Largest value; empty for no range")), 7, {{{2, 3, 1}, {3, 1, 1}, {5, 1, 1}}});
    signalForm_->add(tr("value texts"), field("signalTexts", tr("Texts of raw values and ranges: 0 = off; 1 = on; 3 to 250 = reserved")), 8,
        {{{3, 0, 2}, {4, 0, 2}, {7, 0, 2}}});
    signalForm_->add(tr("only when"),
        field("signalPresent",
            tr("Empty: always. \"selector\": selects others. 3, or 1, 4 to 6: at these selector values; Mode = 3 names the selector")),
        8, {{{3, 2, 2}, {4, 2, 1}, {6, 0, 1}}});
    signalForm_->add(tr("comment"), field("signalComment", tr("Comment")), 8, {{{4, 0, 2}, {5, 0, 2}, {8, 0, 2}}});
    signalForm_->add(
        tr("receivers"), field("signalReceivers", tr("Nodes that receive it, with commas")), 8, {{{4, 2, 2}, {5, 2, 1}, {6, 1, 1}}});
    column->addWidget(signalForm_);
    column->addWidget(plot_);

    for (const auto& [name, edit] : fields_) {
        const QByteArray what = name.toLatin1();
        connect(edit, &QLineEdit::editingFinished, this, [this, what] {
            if (filling_)
                return;
            if (what.startsWith("message"))
                takeMessage(what.constData());
            else
                takeSignal(what.constData());
        });
    }
    connect(sender_, &QComboBox::activated, this, [this] { takeMessage("messageSender"); });
    connect(frame_, &QComboBox::activated, this, [this](int index) {
        if (const database::Message* message = desk_.message())
            desk_.apply(desk_.editor().setFrame(message->uid, index >= 1, index == 2));
    });
    connect(order_, &QComboBox::activated, this, &DatabaseView::takeOrder);
    connect(kind_, &QComboBox::activated, this, &DatabaseView::takeKind);
}

void DatabaseView::restyle()
{
    const Theme& theme = Theme::get();
    for (const auto& [name, edit] : fields_)
        edit->setFont(name.endsWith(QLatin1String("Name")) || name.endsWith(QLatin1String("Comment"))
                              || name.endsWith(QLatin1String("Texts")) || name.endsWith(QLatin1String("Receivers"))
                          ? theme.body()
                          : theme.mono());
    messageForm_->restyle();
    signalForm_->restyle();
    layoutScroll_->setMinimumHeight(theme.px(leastLayout));
    problem_->setStyleSheet(QStringLiteral("QLabel { color: %1; background: %2; border: 1px solid %1; border-radius: 4px; }")
            .arg(theme.error.name(), theme.raised.name()));
    disk_->setStyleSheet(QStringLiteral("QWidget#diskNotice { background: %1; border: 1px solid %2; border-radius: 4px; }")
            .arg(theme.accentSoft.name(), theme.accent.name()));
    hint_->setFont(theme.small());
    hint_->setStyleSheet(QStringLiteral("color: %1;").arg(theme.ink3.name()));
    facts_->setFont(theme.body());
    if (begun_)
        graph_->setPen(QPen(theme.bus(stage().mark(static_cast<unsigned>(desk_.any() ? std::max(0, desk_.bus()) : 0))), 1.4));
    layoutScroll_->setStyleSheet(
        QStringLiteral("QScrollArea, QScrollArea > QWidget > QWidget { background: %1; }").arg(theme.surface.name()));
    update();
}

void DatabaseView::placeProblem()
{
    const QWidget* over = bodyScroll_;
    const int width = over->width() - 16;
    const int height = problem_->heightForWidth(width);
    problem_->setGeometry(8, over->height() - height - 8, width, height);
    problem_->raise();
    const int high = disk_->sizeHint().height();
    disk_->setGeometry(8, over->height() - high - 8 - (problem_->isHidden() ? 0 : height + 6), width, high);
    disk_->raise();
}

bool DatabaseView::eventFilter(QObject* watched, QEvent* event)
{
    if (watched == bodyScroll_ && event->type() == QEvent::Resize)
        placeProblem();
    if (watched == bodyScroll_->viewport() && event->type() == QEvent::Resize) {
        for (FieldGrid* form : {messageForm_, signalForm_})
            form->lay(bodyScroll_->viewport()->width() - 2 * formMargin);
    }
    return View::eventFilter(watched, event);
}

void DatabaseView::newMessage()
{
    if (!desk_.any() || desk_.entry().missing)
        return;
    database::Message message;
    unsigned number = 1;
    do
        message.name = "Message_" + std::to_string(number);
    while (desk_.database().find(message.name) != nullptr && ++number < 10000);
    std::uint32_t id = 0x100;
    while (desk_.database().find(can::Identifier{id, false}) != nullptr && id < 0x7FF)
        ++id;
    message.id = {id, false};
    message.length = 8;
    if (desk_.apply(desk_.editor().putMessage(message, "new message"))) {
        desk_.choose(desk_.database().messages.back().uid);
        fields_.at(QStringLiteral("messageName"))->setFocus();
        fields_.at(QStringLiteral("messageName"))->selectAll();
    }
}

void DatabaseView::newSignal(unsigned least, unsigned length)
{
    const database::Message* message = desk_.message();
    if (message == nullptr)
        return;
    database::Signal signal;
    unsigned number = 1;
    do
        signal.name = "Signal_" + std::to_string(number);
    while (message->find(signal.name) != nullptr && ++number < 10000);
    signal.length = length;
    if (const database::Signal* like = desk_.signal())
        signal.order = like->order;
    if (least == ~0U) {  // the first byte that is free
        const database::Layout layout = database::layoutOf(*message);
        least = 0;
        for (unsigned byte = 0; byte < message->length; ++byte)
            if (std::none_of(layout.used.begin() + byte * 8, layout.used.begin() + byte * 8 + 8, [](bool used) { return used; })) {
                least = byte * 8;
                break;
            }
    }
    const int start = database::startFromLeast(least, length, signal.order);
    if (start < 0)
        return;
    signal.startBit = static_cast<unsigned>(start);
    const std::uint32_t uid = message->uid;
    if (desk_.apply(desk_.editor().putSignal(uid, signal, "new signal")))
        desk_.choose(uid, desk_.message()->signals.back().uid);
}

// What is chosen here is explained in the inspector, and marked in the other views.
void DatabaseView::tellChosen()
{
    const database::Message* message = desk_.message();
    if (message == nullptr || desk_.bus() < 0)
        return;
    Selection selection;
    selection.kind = Selection::Kind::message;
    selection.bus = static_cast<std::uint8_t>(desk_.bus());
    selection.id = message->id;
    const auto* known = stage().catalog().find(selection.bus, message->id);
    if (const database::Signal* signal = desk_.signal(); signal != nullptr && known != nullptr)
        for (std::size_t i = 0; i < known->message->signals.size(); ++i)
            if (known->message->signals[i].name == signal->name) {
                selection.kind = Selection::Kind::signal;
                selection.signal = static_cast<int>(i);
            }
    stage().select(selection);
}

// What is chosen elsewhere is opened here, where a database has it.
void DatabaseView::followSelection()
{
    const Selection& selection = stage().selection();
    if (selection.kind != Selection::Kind::message && selection.kind != Selection::Kind::signal)
        return;
    const auto* known = stage().catalog().find(selection.bus, selection.id);
    if (known == nullptr)
        return;
    if (desk_.bus() != selection.bus || desk_.message() == nullptr || desk_.message()->id != known->message->id)
        desk_.openMessage(selection.bus, selection.id);
    if (selection.signal >= 0 && desk_.message() != nullptr && static_cast<std::size_t>(selection.signal) < known->message->signals.size())
        if (const database::Signal* signal = desk_.message()->find(
                known->message->signals[static_cast<std::size_t>(selection.signal)].name))
            desk_.choose(desk_.message()->uid, signal->uid);
}

void DatabaseView::define(std::uint8_t bus, can::Identifier id)
{
    begin();
    Selection selection;
    selection.kind = Selection::Kind::message;
    selection.bus = bus;
    selection.id = id;
    stage().select(selection);
    if (stage().catalog().find(bus, id) != nullptr)
        return desk_.openMessage(bus, id);
    const int own = desk_.shelf().ownOf(stage().catalog().busName(bus));
    if (own < 0)
        return desk_.say(tr("The rig has no bus %1 to define this for.").arg(text(stage().catalog().busName(bus))));
    desk_.open(static_cast<std::size_t>(own));
    if (const database::Message* known = desk_.database().find(id))
        return desk_.choose(known->uid);
    database::Message message;
    message.id = id;
    message.name = "Message_" + can::toText(id).substr(2);
    message.length = 8;
    if (const auto identifier = stage().snapshot().valid() ? stage().snapshot().trace().find({bus, false, id}) : std::nullopt)
        if (const trace::Row row = stage().snapshot().previousOf(*identifier, stage().snapshot().rows()); row != trace::noRow)
            message.length = stage().snapshot().frame(row).length;
    if (desk_.apply(desk_.editor().putMessage(message, "define " + message.name)))
        desk_.choose(desk_.database().messages.back().uid);
    layout_->setFocus();
}

void DatabaseView::resetPlot()
{
    const int index = chosenSignalIndex();
    if (index < 0 || !plan_ || desk_.bus() < 0) {
        series_.reset();
        graph_->setData({}, {}, true);
        return;
    }
    series_ = std::make_unique<measure::SignalSeries>(
        database::SignalRef{plan_.get(), static_cast<std::uint32_t>(index)}, stage().document().begins());
    graph_->setLineStyle(QCPGraph::lsStepLeft);  // a value holds until the next one
    graph_->setPen(QPen(Theme::get().bus(stage().mark(static_cast<unsigned>(desk_.bus()))), 1.4));
}

void DatabaseView::refresh()
{
    if (!isVisible() || !own_ || desk_.message() == nullptr)
        return;
    refreshLayout();
    if (!series_ || !stage().snapshot().valid())
        return;
    series_->update(stage().snapshot(), rowsPerBeat);
    const Time from = stage().windowFrom();
    const Time to = stage().windowTo();
    const auto detail = series_->about(from, to) <= fewSamples ? series_->detail(stage().snapshot(), from, to) : nullptr;
    auto [times, values, gaps, single, exact] = series_->points(from, to, plot_->columns(), stage().newest(), detail.get());
    graph_->setData(QVector<double>(times.begin(), times.end()), QVector<double>(values.begin(), values.end()), true);
    plot_->followStage();
    std::erase_if(values, [](double value) { return !std::isfinite(value); });  // breaks in the line
    if (!values.empty()) {
        const auto [low, high] = std::minmax_element(values.begin(), values.end());
        const double margin = *high > *low ? (*high - *low) * 0.08 : 1;
        plot_->yAxis->setRange(*low - margin, *high + margin);
    }
    plot_->drawSoon();
    if (stage().snapshot().valid() && !series_->complete(stage().snapshot()) && !stage().document().isLive())
        QTimer::singleShot(30, this, &DatabaseView::refresh);  // a log brings no beats of its own
}

void DatabaseView::refreshLayout()
{
    const trace::Snapshot& snapshot = stage().snapshot();
    const trace::Row limit = stage().cursorRow() == trace::noRow ? 0 : stage().cursorRow() + 1;
    trace::Row row = trace::noRow;
    trace::IdentifierIndex newest = 0;
    if (snapshot.valid() && desk_.bus() >= 0)
        for (const trace::IdentifierIndex identifier : measure::identifiersOf(snapshot.trace(), *plan_))
            if (const trace::Row candidate = snapshot.previousOf(identifier, limit);
                candidate != trace::noRow && (row == trace::noRow || candidate > row)) {
                row = candidate;
                newest = identifier;
            }
    can::FrameView frame;
    std::vector<QString> readings(own_->signals.size());
    if (row != trace::noRow) {
        frame = snapshot.frame(row);
        std::vector<database::Decoded> decoded;
        plan_->plan.decode(frame, decoded);
        for (const database::Decoded& value : decoded)
            readings[value.signal] = readingText(own_->signals[value.signal], value);
    }
    for (const auto& [index, box] : selectorBoxes_) {
        const qlonglong value = box->currentData().toLongLong();
        database::Decoded decoded;
        if (value != -2)
            selected_[static_cast<std::size_t>(index)] = value;
        else
            selected_[static_cast<std::size_t>(index)] = row != trace::noRow
                                                                 && plan_->plan.decodeOne(frame, static_cast<std::uint32_t>(index), decoded)
                                                             ? static_cast<std::int64_t>(decoded.bits)
                                                             : -1;
    }
    layout_->setMessage(*own_, selected_);
    layout_->setChosen(chosenSignalIndex());
    layout_->setPayload(row == trace::noRow ? can::Payload() : frame.payload());
    layout_->setReadings(std::move(readings));
    if (row == trace::noRow)
        layout_->setToggles(std::nullopt);
    else if (beats_++ % togglesEvery == 0)
        layout_->setToggles(measure::bitToggles(snapshot, newest, limit));
    QString hint = layout_->words();
    if (hint.isEmpty())
        hint = row == trace::noRow
                   ? (stage().lostOldest() ? tr("No frame of it is kept up to the cursor.") : tr("Not seen up to the cursor."))
                         + tr(" Sweep over free bits to define a signal.")
               : chosenSignalIndex() >= 0 ? tr("Drag it or its ends to move or resize it; sweep over free bits for another one.")
                                          : tr("Free bits show how often they changed. Sweep over them to define a signal; drag a signal "
                                               "or its ends to move or resize it.");
    hint_->setText(hint);
}

void DatabaseView::present(const Wish& wish) { define(wish.bus, wish.id); }

void DatabaseView::undo(bool redo)
{
    if (!desk_.any())
        return;
    redo ? desk_.redo() : desk_.undo();
}

void DatabaseView::keyPressEvent(QKeyEvent* event)
{
    if (event->matches(QKeySequence::Copy))
        copy();
    else if (event->matches(QKeySequence::Paste))
        paste();
    else
        View::keyPressEvent(event);
}

void DatabaseView::dragEnterEvent(QDragEnterEvent* event)
{
    for (const QUrl& url : event->mimeData()->urls())
        if (url.isLocalFile() && url.toLocalFile().endsWith(QLatin1String(".dbc"), Qt::CaseInsensitive))
            return event->acceptProposedAction();
}

void DatabaseView::dropEvent(QDropEvent* event)
{
    event->acceptProposedAction();
    for (const QUrl& url : event->mimeData()->urls())
        if (url.isLocalFile())
            attachFile(url.toLocalFile());
}

void DatabaseView::resizeEvent(QResizeEvent*)
{
    const auto px = [](double units) { return Theme::get().px(units); };
    plot_->setFixedHeight(std::clamp(height() - px(520), px(76), px(240)));
    // The list follows the width there is, until somebody says how wide it is.
    if (!divided_) {
        const int list = std::clamp(width() * 30 / 100, px(100), px(210));
        across_->setSizes({list, std::max(width() - list, 1)});
    }
}

void DatabaseView::showEvent(QShowEvent* event)
{
    begin();
    restyle();  // being put into a pane resets the fonts of what has a style sheet among its children
    View::showEvent(event);
}

void DatabaseView::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    painter.fillRect(rect(), Theme::get().surface);
}

}  // namespace wavetrope::app
