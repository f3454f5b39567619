// SPDX-License-Identifier: GPL-3.0-or-later
// Takes pictures of the main views from the demo rig: run at twenty times the pace to the moments that show something.
#include <QApplication>
#include <QDir>
#include <QFileInfo>
#include <QElapsedTimer>
#include <QPainter>
#include <QPlainTextEdit>
#include <QScrollBar>
#include <QTabWidget>
#include <QTemporaryDir>
#include <QTest>

#include <CLI/CLI.hpp>

#include <cstdio>

#include "app/dialogue/dialogue_view.h"
#include "app/manipulation/manipulation_view.h"
#include "app/script/editor_library.h"
#include "app/script/script_view.h"
#include "app/board/board_view.h"
#include "app/convert/convert_dialog.h"
#include "app/database/database_view.h"
#include "app/database/findings_view.h"
#include "app/database/network_dialog.h"
#include "app/events/events_view.h"
#include "app/import/several_logs_dialog.h"
#include "app/import/text_log_dialog.h"
#include "app/keeping/keeping.h"
#include "app/keeping/keeping_options.h"
#include "app/keeping/recovery_dialog.h"
#include "app/lanes/lanes_view.h"
#include "app/load/bursts_view.h"
#include "app/load/load_view.h"
#include "app/nodes/nodes_view.h"
#include "app/network/ask_view.h"
#include "app/network/dictionary_dialog.h"
#include "app/network/messages_view.h"
#include "app/network/network_view.h"
#include "app/outbox/outbox_view.h"
#include "app/playback/playback_view.h"
#include "app/record/record_view.h"
#include "app/stage/bus_desk.h"
#include "app/stage/derive_desk.h"
#include "app/stage/rule_desk.h"
#include "app/report/report_view.h"
#include "app/response/response_view.h"
#include "app/roster/roster_view.h"
#include "app/stage/outbox_desk.h"
#include "app/stage/protocol_desk.h"
#include "app/shell/closing_dialog.h"
#include "app/shell/help_dialog.h"
#include "app/shell/main_window.h"
#include "app/shell/rig_tree.h"
#include "app/shell/rig_settings_dialog.h"
#include "app/shell/settings_dialog.h"
#include "app/spectrum/spectrum_view.h"
#include "app/files/recent_files.h"
#include "app/stage/interfaces.h"
#include "app/stage/note_desk.h"
#include "app/stream/stream_view.h"
#include "app/theme/theme.h"
#include "formats/log_file.h"
#include "formats/trace_sink.h"

using namespace wavetrope;
using namespace wavetrope::app;

namespace {

constexpr double pace = 20;

class Photographer {
public:
    Photographer(QString folder, QSize size) : folder_(std::move(folder)), size_(size) {}

    bool take(QWidget& window, const QString& name)
    {
        window.resize(size_);
        QTest::qWait(250);
        return save(window, name);
    }
    bool save(QWidget& window, const QString& name)
    {
        const QString path = folder_ + QLatin1Char('/') + name + QStringLiteral(".png");
        QPixmap picture = window.grab();
        // Lists and menus are windows of their own.
        QPainter painter(&picture);
        for (QWidget* other : QApplication::topLevelWidgets())
            if (other->isVisible() && other->windowType() == Qt::Popup)
                painter.drawPixmap(window.mapFromGlobal(other->mapToGlobal(QPoint(0, 0))), other->grab());
        painter.end();
        const bool saved = picture.save(path);
        std::printf("%s %s\n", saved ? "picture" : "cannot write", path.toLocal8Bit().constData());
        std::fflush(stdout);
        return saved;
    }

private:
    QString folder_;
    QSize size_;
};

bool waitUntil(MainWindow& window, double seconds)
{
    QElapsedTimer timer;
    timer.start();
    while (window.stage().seconds(window.stage().newest()) < seconds && timer.elapsed() < 60'000)
        QTest::qWait(20);
    return window.stage().seconds(window.stage().newest()) >= seconds;
}

void selectMessage(Stage& stage, const char* name, int signal = -1)
{
    for (const auto& message : stage.catalog().messages())
        if (message.message->name == name) {
            Selection selection;
            selection.kind = signal < 0 ? Selection::Kind::message : Selection::Kind::signal;
            selection.bus = message.bus;
            selection.id = message.message->id;
            selection.signal = signal;
            stage.select(selection);
            return;
        }
}

// The empty desk, with interfaces as a bench may have them.
bool takeBegin(Photographer& photographer, const std::string& rigPath, const std::string& log, const QString& suffix)
{
    const Time now = std::chrono::duration_cast<Time>(std::chrono::system_clock::now().time_since_epoch());
    const auto made = [&](const char* name, const char* kind, bool up) {
        bus::WatchedInterface one;
        one.is.name = name;
        one.is.kind = kind;
        one.is.up = up;
        one.is.state = up ? "up" : "down";
        one.is.hasController = one.is.kind == "can";
        one.is.mayFd = true;
        one.since = now - std::chrono::minutes(41);
        return one;
    };
    std::vector<bus::WatchedInterface> all = {
        made("can0", "can", true), made("can1", "can", false), made("can2", "can", true), made("vcan0", "vcan", true)};
    all[0].is.rate = {500'000, 0};
    all[0].is.samplePoint = 87.5;
    all[0].is.restartAfter = std::chrono::milliseconds(100);
    all[0].is.place = "usb 1-2.1";
    all[0].is.sendErrors = 0;
    all[0].is.receiveErrors = 3;
    all[0].is.received = 2'811'940;
    all[0].is.busErrors = 9;
    all[1].is.place = "usb 1-2.2";
    all[1].last = bus::InterfaceChange::What::changed;
    all[1].since = now - std::chrono::minutes(36);
    all[2].is.place = "usb 1-2.3";
    all[2].gone = true;
    all[2].since = now - std::chrono::minutes(67);
    QHash<QString, Interfaces::Trend> trends;
    Interfaces::Trend& trend = trends[QStringLiteral("can0")];
    for (int second = 0; second < 60; ++second)
        trend.perSecond.push_back(1142 + 60 * std::sin(second * 0.7) - (second > 21 && second < 26 ? 500 : 0));
    for (int second = 0; second < 600; ++second)
        trend.errors.emplace_back(0, second < 200 ? 0 : second < 230 ? 40 : std::max(2, 40 - (second - 230) / 8));
    trend.load = 29;
    trends[QStringLiteral("vcan0")].perSecond.assign(60, 0);
    Interfaces::get().show(all, trends);
    noteRecentFile(QString::fromStdString(log));
    noteRecentFile(QString::fromStdString(rigPath));
    rig::Rig rig;
    rig.name = "No rig yet";
    rig.document = {{"wavetrope", rig::Rig::version}};
    rig.saved = rig.document;
    auto live = RunDocument::live(rig);
    if (!live)
        return false;
    auto* window = new MainWindow(std::move(*live));
    window->show();
    const bool good = photographer.take(*window, QStringLiteral("begin") + suffix);
    window->closeWithoutAsking();
    QTest::qWait(50);
    return good;
}

// Conditions and recordings: the demo with rules of a bench, and their rehearsal over the lap.
bool takeRecord(Photographer& photographer, const rig::Rig& demo, const std::string& log, const QString& suffix)
{
    nlohmann::json document = demo.document;
    for (const char* condition : {R"({"name": "motor hot", "when": "LiftTemperature > 80 degC", "for": "2 s"})",
             R"({"name": "seat silent", "silent": "id 0x120", "for": "60 ms"})",
             R"({"name": "burst", "load": {"bus": "Implement", "above": 80, "over": "20 ms"}})",
             R"({"name": "valve open", "when": "Valve = \"open\""})", R"({"name": "keep this", "key": "F9"})"})
        document["events"].push_back(nlohmann::json::parse(condition));
    document["recordings"] = nlohmann::json::parse(R"([
{"name": "around chatter", "keep": "bus Implement or kind error", "start": "chatter", "before": "2 s",
 "after": "1 s", "files": {"pattern": "chatter-{date}-{number}.pcapng.zst", "size": "200 MB", "keep": 20}},
{"name": "low water", "start": "\"flow low\"", "before": "5 s", "after": "5 s", "files": {"pattern": "water-{date}-{number}.pcapng"}},
{"name": "whole run", "files": {"pattern": "run-{date}-{number}.pcapng.zst", "every": "60 s", "total": "20 GB"}},
{"name": "hot motor", "keep": "from AugerUnit", "start": "\"motor hot\"", "stop": "\"keep this\"", "before": "200 frames", "after": "10 s",
 "again": false, "files": {"pattern": "motor-{number}.pcapng", "keep": 500}}])");
    auto rig = rig::rigFromText(document.dump(), demo.path);
    if (!rig)
        return false;
    QTemporaryDir folder;
    auto live = RunDocument::live(*rig, pace, {}, rig::TakesOptions{folder.filePath(QStringLiteral("takes")).toStdString(), 1U << 20U, {}});
    if (!live)
        return false;
    auto* window = new MainWindow(std::move(*live));
    window->show();
    window->showPage(QStringLiteral("Record"));
    bool good = waitUntil(*window, 86);
    // Changed, and not armed so yet.
    good = window->stage()
               .rules()
               .setField(0, rig::RecordingField::start, QStringLiteral("(chatter or \"motor hot\") and not \"flow low\""))
               .has_value()
           && good;
    QElapsedTimer timer;
    timer.start();
    while (!window->currentPage()->find<RecordView>()->rehearsed() && timer.elapsed() < 60'000)
        QTest::qWait(20);
    window->currentPage()->find<RecordView>()->recordings().choose(0);
    good = photographer.take(*window, QStringLiteral("record") + suffix) && good;
    // The buses, one of them another than runs.
    (void)window->stage().buses().set(3, rig::BusField::source, QStringLiteral("mqtts://broker.rink/hall/scanner"));
    for (Pane* pane : window->currentPage()->panes())
        pane->setCurrent(pane->count() - 1);
    QTest::qWait(200);
    good = photographer.take(*window, QStringLiteral("buses") + suffix) && good;
    window->closeWithoutAsking();
    QTest::qWait(50);
    auto* lap = new MainWindow(RunDocument::log(log, *rig));
    lap->show();
    lap->showPage(QStringLiteral("Record"));
    timer.restart();
    while (!lap->currentPage()->find<RecordView>()->rehearsed() && timer.elapsed() < 60'000)
        QTest::qWait(20);
    lap->currentPage()->find<RecordView>()->conditions().choose(3);
    good = photographer.take(*lap, QStringLiteral("rehearsal") + suffix) && good;
    lap->closeWithoutAsking();
    QTest::qWait(50);
    return good;
}

// Each page as it stands, with the second tab of its panes too.
bool takePages(Photographer& photographer, MainWindow& window, const QString& prefix, const QString& suffix)
{
    bool good = true;
    for (const char* page : {"Watch", "Analyse", "Drive"}) {
        window.showPage(QLatin1String(page));
        QTest::qWait(300);
        good = photographer.take(window, prefix + QString::fromLatin1(page).toLower() + suffix) && good;
        for (Pane* pane : window.currentPage()->panes())
            if (pane->count() == 2) {
                pane->setCurrent(1);
                QTest::qWait(300);
                good = photographer.take(window, prefix + QString::fromLatin1(page).toLower() + QStringLiteral("-2") + suffix) && good;
                pane->setCurrent(0);
            }
    }
    return good;
}

// The editor on a message, coverage, and a definition made for an identifier that has none.
bool takeDatabases(Photographer& photographer, MainWindow& window, const QString& suffix)
{
    Stage& stage = window.stage();
    Desk& desk = stage.desk();
    window.openDefinition(1, can::Identifier{0x181, false}.key());
    auto* editor = window.currentPage()->find<DatabaseView>();
    desk.choose(desk.message()->uid, desk.message()->find("CylinderPressure")->uid);
    QTest::qWait(800);
    bool good = photographer.take(window, QStringLiteral("database") + suffix);
    window.openDefinition(1, can::Identifier{0x6A7, false}.key());
    QTest::qWait(800);
    const auto cell = [&](unsigned bit) { return editor->layoutWidget()->cellOf(bit).center().toPoint(); };
    QTest::mousePress(editor->layoutWidget(), Qt::LeftButton, Qt::NoModifier, cell(0));
    QTest::mouseMove(editor->layoutWidget(), cell(4));
    QTest::mouseMove(editor->layoutWidget(), cell(7));
    QTest::mouseRelease(editor->layoutWidget(), Qt::LeftButton, Qt::NoModifier, cell(7));
    QTest::qWait(800);
    good = photographer.take(window, QStringLiteral("define") + suffix) && good;
    while (desk.entry().canUndo())
        desk.undo();
    window.openDefinition(3, can::Identifier{0x310, false}.key());
    desk.choose(desk.message()->uid, desk.message()->find("Height0_02")->uid);
    QTest::qWait(500);
    good = photographer.take(window, QStringLiteral("layout-fd") + suffix) && good;
    window.openDefinition(1, can::Identifier{0x181, false}.key());
    for (Pane* pane : window.currentPage()->panes())
        pane->setCurrent(1);
    QTest::qWait(500);
    good = photographer.take(window, QStringLiteral("coverage") + suffix) && good;
    // Something to review and to compare: a cycle time and a range that are wrong, and the file as it is.
    desk.apply(desk.editor().setCycleTime(desk.message()->uid, std::chrono::milliseconds(50)));
    database::Signal depth = *desk.message()->find("BladeDepth");
    depth.maximum = 30;
    depth.startBit = 4;
    desk.apply(desk.editor().putSignal(desk.message()->uid, depth, "change"));
    for (const int tab : {2, 3}) {
        for (Pane* pane : window.currentPage()->panes())
            pane->setCurrent(tab);
        QTest::qWait(700);
        if (tab == 3)
            window.currentPage()->find<CompareView>()->compareWith(QString::fromStdString(desk.entry().path));
        good = photographer.take(window, (tab == 2 ? QStringLiteral("review") : QStringLiteral("compare")) + suffix) && good;
    }
    while (desk.entry().canUndo())
        desk.undo();
    return good;
}

// The dialog of nodes, tables, variables and attributes, tab by tab.
bool takeDialog(Photographer& photographer, MainWindow& window, const QString& suffix)
{
    window.openDefinition(2, can::Identifier::fromKey(window.stage().catalog().databases(2).front()->messages.front().id.key()).key());
    Desk& desk = window.stage().desk();
    desk.choose(desk.message()->uid, desk.message()->signals.front().uid);
    NetworkDialog dialog(desk);
    dialog.show();
    bool good = true;
    auto* tabs = dialog.findChild<QTabWidget*>();
    for (int i = 0; i < tabs->count(); ++i) {
        tabs->setCurrentIndex(i);
        QTest::qWait(100);
        good = photographer.save(dialog, QStringLiteral("dialog-%1").arg(i) + suffix) && good;
    }
    return good;
}

// The dialog that writes a log in another form: asking, and behind its work.
bool takeConvert(Photographer& photographer, MainWindow& window, const QString& suffix)
{
    window.convert();
    auto* dialog = window.findChild<ConvertDialog*>();
    dialog->findChild<QComboBox*>(QStringLiteral("convertKind"))->setCurrentIndex(1);
    dialog->findChild<QComboBox*>(QStringLiteral("convertRows"))->setCurrentIndex(1);
    dialog->findChild<QComboBox*>(QStringLiteral("convertStretch"))->setCurrentIndex(2);
    dialog->findChild<QLineEdit*>(QStringLiteral("convertSignals"))->setText(QStringLiteral("WaterState.*"));
    dialog->findChild<QLineEdit*>(QStringLiteral("convertPath"))->setText(QDir::tempPath() + QStringLiteral("/wavetrope-pictures.csv"));
    dialog->findChild<FilterLine*>()->setText(QStringLiteral("from WaterUnit"));
    QTest::qWait(500);
    bool good = photographer.save(*dialog, QStringLiteral("convert") + suffix);
    QFile::remove(QDir::tempPath() + QStringLiteral("/wavetrope-pictures.csv"));
    QTest::mouseClick(dialog->findChild<QPushButton*>(QStringLiteral("convertStart")), Qt::LeftButton);
    for (int i = 0; i < 500 && dialog->working(); ++i)
        QTest::qWait(20);
    QTest::qWait(100);
    good = photographer.save(*dialog, QStringLiteral("converted") + suffix) && good;
    QFile::remove(QDir::tempPath() + QStringLiteral("/wavetrope-pictures.csv"));
    dialog->close();
    return good;
}

// The dialog that finds out how a log of text is laid out: a log that leaves something open, with lines that are no frames.
bool takeText(Photographer& photographer, const QString& suffix)
{
    std::string text = "# rink 4, afternoon, second machine\nwhen [ms];line;id;len;content;remark\n";
    for (int i = 0; i < 60; ++i) {
        char line[120] = "-- paused by the driver --\n";
        if (i != 9)
            std::snprintf(line, sizeof line, "%d;%s;%d;4;0A02%02X%s\n", 5000 + i * 7 + i % 3, i % 3 == 0 ? "front" : "rear",
                120 + 25 * (i % 4), i, i == 14 ? ";short" : "64;");
        text += line;
    }
    TextLogDialog dialog(QStringLiteral("rink4.txt"), text, QDir::tempPath().toStdString());
    dialog.show();
    QTest::qWait(200);
    return photographer.save(dialog, QStringLiteral("text-log") + suffix);
}

// The watch page as somebody arranged it: a grouped roster and an open row in both, a note, more columns.
bool takeArranged(Photographer& photographer, MainWindow& window, const QString& suffix)
{
    window.showPage(QStringLiteral("Watch"));
    Stage& stage = window.stage();
    auto* stream = window.currentPage()->find<StreamView>();
    auto* roster = window.currentPage()->find<RosterView>();
    stream->filterLine()->setText(QStringLiteral("bus Implement"));
    QTest::qWait(400);
    stage.setCursor(stage.timeOf(60.4));
    QTest::qWait(200);
    StreamRows* rows = stream->rows();
    rows->showColumn(StreamRows::length, true);
    rows->showColumn(StreamRows::note, true);
    const auto at = static_cast<std::uint64_t>(rows->current());
    rig::Note note{0, stage.snapshot().time(rows->rowOf(at + 3)), rows->rowOf(at + 3), "pressure drops here"};
    stage.notes().put(note);
    rows->verticalScrollBar()->setValue(static_cast<int>(at) - 3);
    for (std::uint64_t i = at; i < at + 8; ++i)
        if (const auto* message = stage.catalog().find(stage.snapshot().frame(rows->rowOf(i)));
            message != nullptr && message->message->name == "BladeState") {
            rows->setOpen(i, true);
            break;
        }
    RosterRows* list = roster->rows();
    list->groupBy(RosterRows::Grouping::sender);
    list->showColumn(RosterRows::frames, true);
    list->showColumn(RosterRows::beats, false);
    for (std::uint64_t i = 0; i < list->count(); ++i)
        if (list->rowText(i).contains(QStringLiteral("WaterState"))) {
            list->setOpen(i, true);
            list->verticalScrollBar()->setValue(static_cast<int>(i) - 4);
            break;
        }
    QTest::qWait(600);
    const bool good = photographer.take(window, QStringLiteral("arranged") + suffix);
    stage.notes().undoStack().undo();
    list->groupBy(RosterRows::Grouping::none);
    stream->filterLine()->setText({});
    return good;
}

// Two logs that share frames, one of them with a clock that is ahead.
bool takeSeveral(Photographer& photographer, const std::string& log, const QString& suffix)
{
    const std::string folder = QDir::tempPath().toStdString();
    const std::string paths[] = {folder + "/front.pcapng", folder + "/rear.pcapng"};
    trace::Trace trace;
    formats::TraceSink sink(trace);
    if (!formats::readLogFile(log, sink))
        return false;
    const auto snapshot = trace.snapshot();
    for (int i = 0; i < 2; ++i) {
        auto file = formats::LogFile::create(paths[i], trace.buses());
        for (trace::Row row = 0; row < snapshot.rows() / 4; ++row) {
            can::FrameView frame = snapshot.frame(row);
            if (frame.bus != 1 - i && frame.bus != 2)
                continue;
            frame.time += i * std::chrono::milliseconds(2750);
            (*file)->write(frame);
        }
        if (!(*file)->finish())
            return false;
    }
    SeveralLogsDialog dialog(
        {QString::fromStdString(paths[0]), QString::fromStdString(paths[1])}, std::vector<std::optional<formats::TextLayout>>(2));
    dialog.show();
    for (int i = 0; i < 500 && !dialog.looked(); ++i)
        QTest::qWait(20);
    QTest::qWait(100);
    const bool good = photographer.save(dialog, QStringLiteral("several") + suffix);
    for (const std::string& path : paths)
        QFile::remove(QString::fromStdString(path));
    return good;
}

// More lanes than a window is high.
bool takeManyLanes(Photographer& photographer, MainWindow& window, const QString& suffix)
{
    window.showPage(QStringLiteral("Analyse"));
    auto* lanes = window.currentPage()->find<LanesView>();
    const auto before = lanes->arrangement();
    LanesView::Arrangement many;
    const database::Catalog& catalog = window.stage().catalog();
    for (const database::CatalogMessage& message : catalog.messages())
        if (many.size() < 20 && message.message->signals.size() > 1)
            many.push_back(LaneSetUp{signalPath(catalog, {&message, 0}), signalPath(catalog, {&message, 1})});
    lanes->arrange(many);
    QTest::qWait(600);
    const bool good = photographer.take(window, QStringLiteral("log-lanes") + suffix);
    lanes->arrange(before);
    return good;
}

// A log by itself: the pages, and the dialog that converts it.
// A run as a crash would leave it, and how runs are kept.
bool takeKeeping(Photographer& photographer, const rig::Rig& rig, const QString& suffix)
{
    QTemporaryDir going, left;
    rig::SessionOptions options;
    options.measured = false;
    options.spool.emplace();
    options.spool->folder = going.path().toStdString();
    auto session = rig::Session::create(rig, rig::loadDatabases(rig), options);
    if (!session)
        return false;
    (*session)->runFor(std::chrono::seconds(150), nullptr);
    (*session)->spool()->settle();
    for (const QString& name : QDir(going.path()).entryList(QDir::Files))
        QFile::copy(going.filePath(name), left.filePath(name));
    RecoveryDialog recovery(left.path().toStdString());
    recovery.setAttribute(Qt::WA_DeleteOnClose, false);
    recovery.show();
    QTest::qWait(200);
    bool good = photographer.save(recovery, QStringLiteral("recovery") + suffix);
    KeepingDialog keeping;
    keeping.show();
    QTest::qWait(200);
    good = photographer.save(keeping, QStringLiteral("keeping") + suffix) && good;
    return good;
}

// The dialogs of a window that runs a rig: what would be lost with it, its rig, its settings, its help.
bool takeDialogs(Photographer& photographer, const rig::Rig& rig, const QString& suffix)
{
    auto live = liveRun(rig, 20.0);
    if (!live)
        return false;
    auto* window = new MainWindow(std::move(*live));
    window->show();
    for (int i = 0; i < 500 && window->document().trace().rows() < 20'000; ++i)
        QTest::qWait(20);
    bool good = true;
    const auto take = [&](QWidget& dialog, const char* name) {
        dialog.QWidget::show();
        QTest::qWait(150);
        good = photographer.save(dialog, QLatin1String(name) + suffix) && good;
        dialog.close();
    };
    Desk& desk = window->stage().desk();
    desk.openMessage(1, can::Identifier{0x181, false});
    std::vector<Loss> losses = window->losses();
    losses.insert(losses.begin(), {Loss::Kind::database, 0, QStringLiteral("Edits of implement.dbc"), QStringLiteral("demo/implement.dbc"),
                                      {Loss::Remedy::save, Loss::Remedy::discard}});
    losses.push_back({Loss::Kind::rig, 0, QStringLiteral("Changes of the rig Ice resurfacer"), QStringLiteral("demo/rig.json"),
        {Loss::Remedy::save, Loss::Remedy::saveAs, Loss::Remedy::discard}});
    {
        ClosingDialog closing(losses, nullptr);
        take(closing, "closing");
        RigSettingsDialog rigSettings(window->document().rig(), nullptr);
        take(rigSettings, "rig-settings");
        SettingsDialog settings(nullptr);
        take(settings, "settings");
        HelpDialog help(*window, HelpDialog::Chapter::keys, QString(), nullptr);
        take(help, "help");
        NetworkDialog network(desk);
        take(network, "network");
    }
    window->closeWithoutAsking();
    QTest::qWait(50);
    return good;
}

bool takeLog(Photographer& photographer, const rig::Rig& rig, const std::string& log, bool pages, const QString& suffix)
{
    auto* window = new MainWindow(RunDocument::log(log, rig));
    window->show();
    for (int i = 0; i < 3000 && !window->document().ready(); ++i)
        QTest::qWait(20);
    QTest::qWait(300);
    bool good = !pages
                || (takePages(photographer, *window, QStringLiteral("log-"), suffix) && takeManyLanes(photographer, *window, suffix));
    good = takeConvert(photographer, *window, suffix) && good;
    good = takeArranged(photographer, *window, suffix) && good;
    good = takeText(photographer, suffix) && good;
    good = takeSeveral(photographer, log, suffix) && good;
    good = takeKeeping(photographer, rig, suffix) && good;
    good = takeDialogs(photographer, rig, suffix) && good;
    window->closeWithoutAsking();
    QTest::qWait(50);
    return good;
}

// Rows that go out, one of them with a value that waits.
bool takeOutbox(Photographer& photographer, MainWindow& window, const QString& suffix)
{
    auto* outbox = window.currentPage()->find<OutboxView>();
    for (Pane* pane : window.currentPage()->panes())
        for (int i = 0; i < pane->count() && !outbox->isVisible(); ++i)
            pane->setCurrent(i);
    window.document().session()->call([](rig::Session& session) {
        session.actor("LevelControl")->setOn(false);
        for (const std::size_t row : {0U, 1U, 2U, 3U})
            session.outbox().go(row);
    });
    QTest::qWait(700);
    (void)window.stage().outbox().setValue({0, 0}, QStringLiteral("CommandedDepth"), QStringLiteral("3.8 mm"));
    outbox->list()->press(static_cast<std::size_t>(outbox->list()->count()) - 1);       // that somebody else sends, too
    outbox->list()->choose(1);
    QTest::qWait(300);
    return photographer.take(window, QStringLiteral("outbox") + suffix);
}

// A board that is watched and driven, and one that is edited.
bool takeBoards(Photographer& photographer, MainWindow& window, const QString& suffix)
{
    bool good = true;
    for (const char* name : {"Driver", "Water"}) {
        window.showPage(QLatin1String(name));
        window.stage().now();
        QTest::qWait(900);
        good = photographer.take(window,
                   (QLatin1String(name) == QLatin1String("Driver") ? QStringLiteral("board") : QStringLiteral("board-water")) + suffix)
               && good;
    }
    window.showPage(QStringLiteral("Driver"));
    auto* board = window.currentPage()->find<BoardView>();
    board->setEditing(true);
    board->choose(4);
    QTest::qWait(500);
    good = photographer.take(window, QStringLiteral("board-edit") + suffix) && good;
    board->setEditing(false);
    return good;
}

// The dialogue of the demo in the middle of its third phase: an answer came late, and was asked for again.
bool takeDialogue(Photographer& photographer, const rig::Rig& rig, const QString& suffix)
{
    auto document = liveRun(rig, 1);
    if (!document) {
        std::fprintf(stderr, "%s\n", document.error().text().c_str());
        return false;
    }
    auto* window = new MainWindow(std::move(*document));
    window->show();
    window->showPage(QStringLiteral("Drive"));
    auto* view = window->currentPage()->find<DialogueView>();
    for (Pane* pane : window->currentPage()->panes())
        for (int i = 0; i < pane->count() && !view->isVisible(); ++i)
            pane->setCurrent(i);
    window->document().session()->call([](rig::Session& session) {
        if (const auto late = drive::manipulationFromText("FillingPost PostLimits later 60ms 1 times"))
            (void)dynamic_cast<drive::Node&>(*session.actor("FillingPost")).manipulate(*late);
        (void)dynamic_cast<drive::Dialogue&>(*session.actor("docking")).begin();
    });
    selectMessage(window->stage(), "FillActual");
    const auto there = [&] { return view->visits(0).size() > 3 && view->visits(0).back().phase == 2; };
    for (int i = 0; i < 300 && !there(); ++i)
        QTest::qWait(20);
    QTest::qWait(2600);
    Selection filling;
    filling.kind = Selection::Kind::phase;
    filling.signal = 2;
    filling.node = QStringLiteral("docking");
    window->stage().select(filling);
    bool good = there() && photographer.take(*window, QStringLiteral("dialogue") + suffix);
    // A script that acts, with its log; then what is changed on purpose.
    const auto bring = [&](QWidget* wanted) {
        for (Pane* pane : window->currentPage()->panes())
            for (int i = 0; i < pane->count() && !wanted->isVisible(); ++i)
                pane->setCurrent(i);
    };
    auto* script = window->currentPage()->find<ScriptView>();
    bring(script);
    script->show(QStringLiteral("FillingPost"));
    script->editor()->setText(QStringLiteral(
        "-- The pump warms up while it fills.\nlocal warm = 0\n\non.message('FillWanted', function(frame)\n    warm = warm + "
        "frame.WantedFlow / 1000\n    if warm > 0.1 then\n        log('pump at', 20 + warm, 'degC')\n        warm = 0\n    end\n"
        "end)\n\non.change('EaseOff.EaseWhy', function(why) log('eased off:', why) end)\n"));
    script->takeOver();
    QTest::qWait(1200);
    good = photographer.take(*window, QStringLiteral("script") + suffix) && good;
    auto* changes = window->currentPage()->find<ManipulationView>();
    bring(changes);
    for (const char* words : {"warm water: WaterUnit WaterState.Temperature + 6", "FillingPost FillActual.FillPressure = 4.2 bar",
             "noise: wire Implement crc 0x181 3 times", "FillingPost PostEased off 1 times from 100 s"}) {
        changes->line()->setText(QString::fromLatin1(words));
        QTest::keyClick(changes->line(), Qt::Key_Return);
    }
    QTest::qWait(600);
    good = photographer.take(*window, QStringLiteral("changed") + suffix) && good;
    window->closeWithoutAsking();
    QTest::qWait(50);
    return good;
}

// The network page of the lap: who is there, transfers, trouble codes, messages with their pieces; and questions in a run.
bool takeNetwork(Photographer& photographer, const rig::Rig& rig, const std::string& log, bool every, const QString& suffix)
{
    auto* lap = new MainWindow(RunDocument::log(log, rig));
    lap->show();
    QElapsedTimer timer;
    timer.start();
    while (!lap->document().ready() && timer.elapsed() < 60'000)
        QTest::qWait(20);
    while (!lap->stage().caughtUp() && timer.elapsed() < 60'000)
        QTest::qWait(20);
    QTest::qWait(300);
    Stage& axis = lap->stage();
    lap->showPage(QStringLiteral("Network"));
    axis.setWindow(axis.timeOf(56), axis.timeOf(68));
    axis.setCursor(axis.timeOf(62.9));
    QTest::qWait(800);
    auto* messages = lap->currentPage()->find<MessagesView>();
    auto* network = lap->currentPage()->find<NetworkView>();
    if (messages == nullptr || network == nullptr)
        return false;
    const auto openLast = [&](const QString& words) {
        for (std::size_t i = messages->count(); i-- > 0;)
            if (messages->rowText(i).contains(words)) {
                messages->setOpen(i, true);
                return;
            }
    };
    openLast(QStringLiteral("0x2001:03"));
    auto* tree = lap->findChild<RigTree*>()->tree();
    for (QTreeWidgetItem* item : tree->findItems(QStringLiteral("objects"), Qt::MatchExactly | Qt::MatchRecursive))
        if (item->parent()->text(0) == QLatin1String("BladeUnit")) {
            item->parent()->setExpanded(true);
            item->setExpanded(true);
            for (int i = 0; i < item->childCount(); ++i)
                if (item->child(i)->text(0).startsWith(QLatin1String("0x2001"))) {
                    item->child(i)->setExpanded(true);
                    tree->setCurrentItem(item->child(i)->child(3));
                    tree->scrollToItem(item->child(i)->child(item->child(i)->childCount() - 1));
                }
        }
    QTest::qWait(600);
    bool good = photographer.take(*lap, QStringLiteral("who") + suffix);
    if (every) {
        network->show(NetworkView::Shows::transfers);
        axis.setCursor(axis.timeOf(24.3));
        QTest::qWait(500);
        openLast(QStringLiteral("0xFF50"));
        openLast(QStringLiteral("SiteReport"));
        QTest::qWait(300);
        good = photographer.take(*lap, QStringLiteral("transfers") + suffix) && good;
        network->show(NetworkView::Shows::troubles);
        axis.setCursor(axis.timeOf(48));
        QTest::qWait(800);
        good = photographer.take(*lap, QStringLiteral("troubles") + suffix) && good;
        lap->showPage(QStringLiteral("Watch"));
        axis.setCursor(axis.timeOf(60.2));
        QTest::qWait(500);
        auto* stream = lap->currentPage()->find<StreamView>();
        stream->setMessages(true);
        lap->currentPage()->find<RosterView>()->rows()->toEnd();
        QTest::qWait(1'200);
        for (std::uint64_t i = stream->source().nearest(axis.cursorRow()), n = 0; n < 400 && i > 0; --i, ++n)
            if (const auto entry = stream->source().entry(axis.snapshot(), i); entry.frames > 1) {
                stream->rows()->setOpen(i, true);
                axis.setCursorRow(entry.row);
                break;
            }
        QTest::qWait(500);
        good = photographer.take(*lap, QStringLiteral("messages") + suffix) && good;
    }
    lap->closeWithoutAsking();
    QTest::qWait(50);
    if (!every)
        return good;
    auto document = liveRun(rig, pace);
    if (!document)
        return false;
    auto* window = new MainWindow(std::move(*document));
    window->show();
    window->showPage(QStringLiteral("Network"));
    for (Pane* pane : window->currentPage()->panes())
        if (pane->count() == 3)
            pane->setCurrent(1);
    good = waitUntil(*window, 20) && good;
    auto* ask = window->currentPage()->find<AskView>();
    const auto asks = [&](std::uint8_t bus, AskView::Kind kind, const char* whom, const char* what, const char* value = "") {
        ask->prepare(bus, kind, QString::fromLatin1(whom), QString::fromLatin1(what));
        ask->findChild<QLineEdit*>(QStringLiteral("askValue"))->setText(QString::fromLatin1(value));
        ask->ask();
        QTest::qWait(250);
    };
    asks(1, AskView::Kind::readObject, "1", "DepthSource");
    asks(1, AskView::Kind::writeObject, "1", "DepthSource", "2");
    asks(1, AskView::Kind::readObject, "1", "DepthSource");
    asks(1, AskView::Kind::writeObject, "1", "Device type", "7");
    asks(1, AskView::Kind::readObject, "2", "Device name");
    asks(2, AskView::Kind::requestGroup, "0x28", "0xFECA");
    asks(2, AskView::Kind::requestGroup, "", "0xEE00");
    asks(1, AskView::Kind::readObject, "9", "0x1000");
    QTest::qWait(400);
    good = photographer.take(*window, QStringLiteral("ask") + suffix) && good;
    // Another node's sheet: the traffic contradicts it. And a question as a row of the outbox.
    (void)window->stage().protocols().attachDictionary(
        "Implement", 3, QFileInfo(QString::fromStdString(rig.path)).dir().filePath(QStringLiteral("blade.eds")));
    QTest::qWait(600);
    tree = window->findChild<RigTree*>()->tree();
    for (QTreeWidgetItem* item : tree->findItems(QStringLiteral("objects"), Qt::MatchExactly | Qt::MatchRecursive))
        if (item->parent()->text(0) == QLatin1String("AugerUnit")) {
            item->parent()->setExpanded(true);
            item->setExpanded(true);
            for (int i = 0; i < item->childCount(); ++i)
                if (item->child(i)->text(0).startsWith(QLatin1String("0x1802"))) {
                    item->child(i)->setExpanded(true);
                    tree->setCurrentItem(item->child(i)->child(1));
                }
            tree->scrollToItem(item, QAbstractItemView::PositionAtTop);
        }
    (void)window->stage().outbox().add(0, QStringLiteral("ask read 1 DepthSource"), 1);
    window->showPage(QStringLiteral("Drive"));
    QTest::qWait(1'500);
    good = photographer.take(*window, QStringLiteral("asking") + suffix) && good;
    DictionaryDialog dictionary(window->stage(), 1, 1);
    dictionary.show();
    QTest::qWait(2'500);
    good = photographer.take(dictionary, QStringLiteral("dictionary") + suffix) && good;
    dictionary.close();
    window->closeWithoutAsking();
    QTest::qWait(50);
    return good;
}

bool takeAll(Photographer& photographer, const rig::Rig& rig, const std::string& log, bool every, const QString& suffix)
{
    auto document = liveRun(rig, pace);
    if (!document) {
        std::fprintf(stderr, "%s\n", document.error().text().c_str());
        return false;
    }
    auto* window = new MainWindow(std::move(*document));
    window->show();
    Stage& stage = window->stage();
    bool good = true;

    window->showPage(QStringLiteral("Watch"));
    selectMessage(stage, "BladeState");
    good = waitUntil(*window, 75) && good;
    good = photographer.take(*window, QStringLiteral("watch") + suffix) && good;
    window->showPage(QStringLiteral("Load"));
    window->currentPage()->find<ResponseView>()->choose(0);
    stage.rest();
    stage.setWindow(stage.timeOf(58), stage.timeOf(66));
    QTest::qWait(700);
    window->currentPage()->find<BurstsView>()->choose(1);
    window->currentPage()->find<ResponseView>()->choose(0);
    QTest::qWait(300);
    good = photographer.take(*window, QStringLiteral("load") + suffix) && good;
    stage.now();

    if (every)
        good = takePages(photographer, *window, QStringLiteral("live-"), suffix) && good;
    good = takeDatabases(photographer, *window, suffix) && good;
    if (every)
        good = takeDialog(photographer, *window, suffix) && good;
    window->showPage(QStringLiteral("Drive"));
    window->document().session()->call([](rig::Session& session) { session.actor("WaterUnit")->setOn(false); });
    auto* playback = window->currentPage()->find<PlaybackView>();
    playback->load(QString::fromStdString(log));
    QElapsedTimer loading;
    loading.start();
    while (playback->findChild<QComboBox*>(QStringLiteral("routeImplement")) == nullptr && loading.elapsed() < 30'000)
        QTest::qWait(50);
    if (auto* route = playback->findChild<QComboBox*>(QStringLiteral("routeImplement")))
        route->setCurrentIndex(route->findData(QStringLiteral("only WaterUnit")));
    QTest::qWait(200);
    QTest::mouseClick(playback->findChild<QPushButton*>(QStringLiteral("primary")), Qt::LeftButton);
    Selection node;
    node.kind = Selection::Kind::node;
    node.node = QStringLiteral("Display");
    const double started = stage.seconds(stage.newest());
    stage.select(node);
    good = waitUntil(*window, started + 43) && good;
    good = photographer.take(*window, QStringLiteral("drive") + suffix) && good;
    good = takeOutbox(photographer, *window, suffix) && good;
    good = takeBoards(photographer, *window, suffix) && good;
    window->closeWithoutAsking();
    QTest::qWait(50);

    // The recorded lap in a window of its own, at its burst.
    auto* lap = new MainWindow(RunDocument::log(log, rig));
    lap->show();
    QElapsedTimer timer;
    timer.start();
    while (!lap->document().ready() && timer.elapsed() < 60'000)
        QTest::qWait(20);
    QTest::qWait(200);
    Stage& axis = lap->stage();
    lap->showPage(QStringLiteral("Analyse"));
    axis.setWindow(axis.timeOf(56), axis.timeOf(68));
    axis.setCursor(axis.timeOf(61.34));
    selectMessage(axis, "BladeState", 0);
    QTest::qWait(300);
    good = photographer.take(*lap, QStringLiteral("analyse") + suffix) && good;
    // The chatter of second 47 between two marks, drawn in several ways.
    auto* measured = lap->currentPage()->find<LanesView>();
    const Arrangement usual = measured->arrangement();
    LaneSetUp depth{QStringLiteral("Implement:BladeState.BladeDepth"), QStringLiteral("Chassis:TractionState.WheelSlip")};
    depth.own = true;
    depth.scale = LaneSetUp::Scale::window;
    LaneSetUp flow{QStringLiteral("Implement:WaterState.Flow")};
    LaneSetUp chatter{QStringLiteral("Implement:BladeState.Chatter")};
    chatter.scale = LaneSetUp::Scale::window;
    measured->arrange({depth, chatter, flow, LaneSetUp{QStringLiteral("Implement:BladeState.BladeMode")},
        LaneSetUp{QStringLiteral("Implement:WaterState.Valve")}});
    axis.setWindow(axis.timeOf(44), axis.timeOf(50));
    axis.setCursor(axis.timeOf(47.35));
    axis.setMarks({axis.timeOf(46.9), axis.timeOf(48.1)});
    for (Pane* pane : lap->currentPage()->panes())
        if (pane->count() == 4)
            pane->setCurrent(1);
    QTest::qWait(300);
    if (auto* lanes = lap->currentPage()->find<LanesView>(); lanes != nullptr && !lanes->lanes().empty()) {
        TimePlot* plot = lanes->lanes().front()->plot();
        QTest::mouseMove(plot, QPoint(static_cast<int>(plot->xAxis->coordToPixel(45.24)), plot->axisRect()->center().y()));
    }
    good = photographer.take(*lap, QStringLiteral("measure") + suffix) && good;
    // A formula as it is written, its curve beneath what it looks at.
    if (every) {
        measured->arrange({LaneSetUp{QStringLiteral("Implement:BladeState.BladeDepth")}, LaneSetUp{QStringLiteral(":DepthError")},
            LaneSetUp{QStringLiteral("Implement:BladeState.Depht")}});
        Selection derived;
        derived.kind = Selection::Kind::derived;
        derived.node = QStringLiteral("DepthError");
        axis.select(derived);
        QTest::qWait(400);
        good = photographer.take(*lap, QStringLiteral("derived") + suffix) && good;
        axis.derive().add(QStringLiteral("Implement:BladeState.BladeDepth"));
        QTest::qWait(200);
        if (auto* formula = lap->findChild<QPlainTextEdit*>(QStringLiteral("derivedFormula"))) {
            QTest::keyClick(formula, Qt::Key_A, Qt::ControlModifier);
            QTest::keyClicks(formula, QStringLiteral("BladeDepth + SideTilt - mean(Cyl"));
            QTest::qWait(600);
            good = photographer.take(*lap, QStringLiteral("deriving") + suffix) && good;
            if (auto* popup = QApplication::activePopupWidget())
                popup->close();
            QTest::keyClick(formula, Qt::Key_A, Qt::ControlModifier);
            QTest::keyClicks(formula, QStringLiteral("BladeDepth + SideTilt"));
            QTest::qWait(600);
            if (auto* popup = QApplication::activePopupWidget())
                popup->close();
            QTest::qWait(600);
            good = photographer.take(*lap, QStringLiteral("deriving2") + suffix) && good;
        }
        axis.derive().undoStack().setIndex(0);
    }
    // What the steering's way is made of.
    if (every) {
        selectMessage(axis, "SteeringAngle", 0);
        axis.setMarks({axis.timeOf(14), axis.timeOf(98)});
        axis.setWindow(axis.wholeFrom(), axis.wholeTo());
        for (Pane* pane : lap->currentPage()->panes())
            if (pane->count() == 4)
                pane->setCurrent(2);
        for (int mode = 0; mode < 4; ++mode) {
            lap->currentPage()->find<SpectrumView>()->setMode(static_cast<SpectrumView::Mode>(mode));
            QTest::qWait(300);
            good = photographer.take(*lap, QStringLiteral("spectrum%1").arg(mode) + suffix) && good;
        }
    }
    axis.setMarks({});
    measured->arrange(usual);
    for (Pane* pane : lap->currentPage()->panes())
        if (pane->count() == 4)
            pane->setCurrent(3);
    axis.setWindow(axis.wholeFrom(), axis.wholeTo());
    lap->showPage(QStringLiteral("Watch"));
    if (auto* stream = lap->currentPage()->find<StreamView>()) {
        // A filter that finds moments, marked on the timeline, and what could be typed next.
        stream->filterLine()->setText(QStringLiteral("CylinderPressure rises above 60 bar or WaterState.Valve changes"));
        QTest::qWait(500);
        stream->filterLine()->edit()->setFocus();
        stream->filterLine()->edit()->setCursorPosition(static_cast<int>(stream->filterLine()->text().size()));
        QTest::keyClicks(stream->filterLine()->edit(), QStringLiteral(" and Blade"));
        QTest::qWait(300);
        good = photographer.take(*lap, QStringLiteral("filter") + suffix) && good;
        QTest::keyClick(stream->filterLine()->edit(), Qt::Key_Escape);
        if (auto* popup = QApplication::activePopupWidget())
            popup->close();
        stream->filterLine()->setText({});
    }
    lap->showPage(QStringLiteral("Analyse"));
    QTest::qWait(100);
    if (auto* events = lap->currentPage()->find<EventsView>(); events != nullptr && events->count() > 2)
        events->choose(2);
    good = photographer.take(*lap, QStringLiteral("events") + suffix) && good;
    for (Pane* pane : lap->currentPage()->panes())
        pane->setCurrent(0);
    if (every) {
        good = takePages(photographer, *lap, QStringLiteral("log-"), suffix) && good;
        lap->showPage(QStringLiteral("Report"));
        lap->currentPage()->find<ReportView>()->choose(4);
        good = photographer.take(*lap, QStringLiteral("report") + suffix) && good;
    }
    lap->closeWithoutAsking();
    QTest::qWait(50);
    return good;
}

}  // namespace

int main(int argc, char** argv)
{
    QApplication application(argc, argv);
    QApplication::setApplicationName(QStringLiteral("wavetrope-pictures"));
    CLI::App program("Pictures of the main views from the demo rig");
    std::string rigPath;
    std::string log;
    std::string folder = ".";
    std::vector<int> size{1280, 800};
    std::vector<std::string> themes{"paper", "ink"};
    program.add_option("--rig", rigPath)->required();
    program.add_option("--log", log)->required();
    program.add_option("--out", folder);
    program.add_option("--size", size)->expected(2);
    program.add_option("--theme", themes);
    double text = 1;
    program.add_option("--text", text, "Size of texts");
    bool every = false;
    program.add_flag("--every", every, "Every page, live and on the log, besides the main pictures");
    bool only = false;
    program.add_flag("--only-log", only, "The log by itself, without the live rig");
    bool begin = false;
    program.add_flag("--only-begin", begin, "The empty desk alone");
    bool record = false;
    program.add_flag("--only-record", record, "The empty desk, and conditions and recordings");
    bool dialogs = false;
    program.add_flag("--dialogs", dialogs, "With --only-log: without its pages as they are");
    bool dialogue = false;
    program.add_flag("--only-dialogue", dialogue, "The dialogue alone");
    bool network = false;
    program.add_flag("--only-network", network, "The network page alone");
    CLI11_PARSE(program, argc, argv);
    const auto rig = rig::loadRig(rigPath);
    if (!rig) {
        std::fprintf(stderr, "%s\n", rig.error().text().c_str());
        return 2;
    }
    QDir().mkpath(QString::fromStdString(folder));
    Theme::get().setScale(text);
    Photographer photographer(QString::fromStdString(folder), QSize(size[0], size[1]));
    bool good = true;
    for (const std::string& theme : themes) {
        Theme::get().choose(theme == "ink" ? ThemeName::ink : ThemeName::paper);
        const QString suffix = QStringLiteral("-") + QString::fromStdString(theme);
        if (network || !only)
            good = takeNetwork(photographer, *rig, log, every, suffix) && good;
        if (network)
            continue;
        if (!only)
            good = takeDialogue(photographer, *rig, suffix) && good;
        if (dialogue)
            continue;
        if (!only)
            good = takeBegin(photographer, rigPath, log, suffix) && good;
        if (begin)
            continue;
        if (!only)
            good = takeRecord(photographer, *rig, log, suffix) && good;
        if (record)
            continue;
        good = (only ? takeLog(photographer, *rig, log, !dialogs, suffix) : takeAll(photographer, *rig, log, every, suffix)) && good;
    }
    return good ? 0 : 1;
}
