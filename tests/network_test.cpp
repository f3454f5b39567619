// SPDX-License-Identifier: GPL-3.0-or-later
// Who is on the buses, transfers, trouble codes, and whole messages, through the real window: a log of the demo.
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QPushButton>
#include <QTemporaryDir>
#include <QTest>
#include <QToolButton>

#include "app/inspector/inspector_view.h"
#include "app/network/ask_view.h"
#include "app/network/dictionary_dialog.h"
#include "app/network/messages_view.h"
#include "app/network/network_view.h"
#include "app/paint/row_list.h"
#include "app/shell/main_window.h"
#include "app/shell/page.h"
#include "app/shell/rig_tree.h"
#include "app/roster/roster_view.h"
#include "app/stage/outbox_desk.h"
#include "app/stage/curve_desk.h"
#include "app/stream/stream_view.h"

using namespace wavetrope;
using namespace wavetrope::app;

class NetworkTest : public QObject {
    Q_OBJECT
    std::unique_ptr<MainWindow> window_;
    NetworkView* view_ = nullptr;
    MessagesView* messages_ = nullptr;

    Stage& stage() { return window_->stage(); }
    RowList* rows(const char* name) { return window_->currentPage()->findChild<RowList*>(QLatin1String(name)); }
    void at(double seconds)
    {
        stage().setCursor(stage().timeOf(seconds));
        QTRY_VERIFY(view_->settled() && messages_->settled());
    }
    QString lineWith(const QString& words)
    {
        for (std::size_t i = 0; i < view_->count(); ++i)
            if (view_->rowText(i).contains(words))
                return view_->rowText(i);
        return {};
    }
    // An object in the tree, unfolded down to it.
    static QTreeWidgetItem* objectOf(MainWindow& window, const QString& node, const QString& index, const QString& name)
    {
        QTreeWidget* tree = window.findChild<RigTree*>()->tree();
        for (QTreeWidgetItem* found : tree->findItems(QStringLiteral("objects"), Qt::MatchExactly | Qt::MatchRecursive)) {
            if (found->parent()->text(0) != node)
                continue;
            found->parent()->setExpanded(true);
            found->setExpanded(true);
            for (int i = 0; i < found->childCount(); ++i) {
                QTreeWidgetItem* item = found->child(i);
                if (!item->text(0).startsWith(index))
                    continue;
                item->setExpanded(true);
                for (int sub = 0; sub < item->childCount(); ++sub)
                    if (item->child(sub)->text(0).contains(name)) {
                        tree->scrollToItem(item->child(sub));
                        return item->child(sub);
                    }
                if (item->text(0).contains(name)) {
                    tree->scrollToItem(item);
                    return item;
                }
            }
        }
        return nullptr;
    }
    int messageWith(const QString& words)
    {
        for (std::size_t i = 0; i < messages_->count(); ++i)
            if (messages_->rowText(i).contains(words))
                return static_cast<int>(i);
        return -1;
    }
    void press(const char* button)
    {
        auto* tool = view_->tools()->findChild<QToolButton*>(QLatin1String(button));
        QVERIFY(tool != nullptr);
        QTest::mouseClick(tool, Qt::LeftButton);
    }

private Q_SLOTS:
    void initTestCase()
    {
        auto rig = rig::loadRig(WAVETROPE_DEMO "/rig.json");
        QVERIFY(rig);
        window_ = std::make_unique<MainWindow>(RunDocument::log(WAVETROPE_DEMO "/lap.pcapng", *rig));
        window_->setAttribute(Qt::WA_DeleteOnClose, false);
        window_->resize(1280, 800);
        window_->show();
        QTRY_VERIFY_WITH_TIMEOUT(window_->document().ready() && stage().caughtUp(), 60'000);
        window_->showPage(QStringLiteral("Network"));
        view_ = window_->currentPage()->find<NetworkView>();
        messages_ = window_->currentPage()->find<MessagesView>();
        QVERIFY(view_ != nullptr && messages_ != nullptr);
        QTRY_VERIFY_WITH_TIMEOUT(view_->settled(), 20'000);
    }
    void cleanupTestCase() { window_->closeWithoutAsking(); }

    void whoIsThereIsThatOfTheCursor()
    {
        at(5);
        QVERIFY2(lineWith(QStringLiteral("\t0x28\tDisplay\tclaimed")).size() > 0, qPrintable(view_->csv()));
        QVERIFY(lineWith(QStringLiteral("cannot claim")).isEmpty());
        QVERIFY(lineWith(QStringLiteral("\t1\tBladeUnit\toperational")).contains(QStringLiteral("heartbeat every 0.5")));
        at(20);
        QVERIFY2(lineWith(QStringLiteral("cannot claim")).contains(QStringLiteral("LampRelay")), qPrintable(view_->csv()));
        QVERIFY(lineWith(QStringLiteral("\t0x28\tDisplay\tclaimed")).size() > 0);
        at(48);
        QVERIFY2(lineWith(QStringLiteral("\t1\tBladeUnit")).contains(QStringLiteral("emergency: 0xFF10")),
            qPrintable(lineWith(QStringLiteral("BladeUnit"))));
        at(60);
        QVERIFY2(lineWith(QStringLiteral("\t1\tBladeUnit")).contains(QStringLiteral("gone after")),
            qPrintable(lineWith(QStringLiteral("BladeUnit"))));
        // What the rig says, and what is recognised where it says nothing.
        QVERIFY(lineWith(QStringLiteral("Implement\tobject dictionary\tas the rig says")).size() > 0);
        QVERIFY(lineWith(QStringLiteral("Chassis\tno higher protocol")).size() > 0);
    }

    void transfersAreListedWithTheirEnd()
    {
        press("networkTransfers");
        QCOMPARE(view_->shows(), NetworkView::Shows::transfers);
        QTRY_VERIFY(view_->count() > 20);
        int blocks = 0, directed = 0;
        for (std::size_t i = 0; i < view_->count(); ++i) {
            blocks += view_->rowText(i).contains(QStringLiteral("0x2010:00\t1568")) ? 1 : 0;
            directed += view_->rowText(i).contains(QStringLiteral("Telemetry → Display")) ? 1 : 0;
        }
        QCOMPARE(blocks, 3);
        QVERIFY(directed > 3);
        // A click leads to its end.
        for (std::size_t i = 0; i < view_->count(); ++i)
            if (view_->rowText(i).contains(QStringLiteral("0x2010:00"))) {
                view_->choose(i);
                break;
            }
        QVERIFY(qAbs(stage().seconds(stage().cursor()) - 60.1) < 0.3);
    }

    void troubleCodesComeAndGo()
    {
        press("networkTroubles");
        at(30);
        QCOMPARE(view_->count(), std::size_t{0});
        at(43);
        QTRY_VERIFY(view_->count() == 2);
        QVERIFY2(lineWith(QStringLiteral("520201")).contains(QStringLiteral("active"))
                     && lineWith(QStringLiteral("520201")).contains(QStringLiteral("amber lamp")),
            qPrintable(view_->csv()));
        at(60);
        QTRY_VERIFY(lineWith(QStringLiteral("520201")).contains(QStringLiteral("over")));
        press("networkNodes");
    }

    void messagesOpenToTheirPieces()
    {
        at(60.2);
        const int block = messageWith(QStringLiteral("0x2010:00"));
        QVERIFY2(block >= 0, qPrintable(messages_->csv().left(2000)));
        QVERIFY(messages_->rowText(static_cast<std::size_t>(block)).contains(QStringLiteral("ParameterBlock")));
        RowList* list = rows("messageRows");
        messages_->choose(static_cast<std::size_t>(block));
        QTRY_VERIFY(messages_->settled());
        const auto now = static_cast<std::uint64_t>(messageWith(QStringLiteral("0x2010:00")));
        list->bring(now);
        list->setFocus();
        const QImage closed = list->grab().toImage();
        QTest::keyClick(list, Qt::Key_Right);
        QTRY_VERIFY(list->grab().toImage() != closed);
        QTest::keyClick(list, Qt::Key_Left);
        // With what is most of the traffic, and without.
        const std::size_t some = messages_->count();
        QTest::mouseClick(messages_->tools()->findChild<QToolButton*>(QStringLiteral("withoutProcess")), Qt::LeftButton);
        QVERIFY(messages_->count() > 2 * some);
        QVERIFY(messages_->save().dump().find("process") == std::string::npos);
        messages_->setWithoutProcess(true);
        QCOMPARE(messages_->count(), some);
    }

    // The stream on another page: a row for each message, in the order of the trace.
    void theStreamShowsMessages()
    {
        window_->showPage(QStringLiteral("Watch"));
        auto* stream = window_->currentPage()->find<StreamView>();
        auto* toggle = stream->tools()->findChild<QToolButton*>(QStringLiteral("asMessages"));
        QVERIFY(toggle != nullptr && toggle->isVisible());
        const trace::Snapshot snapshot = stage().snapshot();
        std::vector<trace::Row> wanted, whole;
        protocol::MessageStream follow(
            [&](const protocol::MessageRow& row) {
                wanted.push_back(row.number);
                if (row.length > 100)
                    whole.push_back(row.number);
            },
            [](const protocol::Transfer&) {});
        for (std::size_t bus = 0; bus < stage().document().buses().size(); ++bus)
            follow.speak(static_cast<std::uint8_t>(bus), stage().protocols().spokenByBus()[bus]);
        for (trace::Row row = 0; row < snapshot.rows(); ++row)
            follow.onFrame(snapshot.frame(row));
        follow.finish();
        QVERIFY(whole.size() >= 3 && wanted.size() < snapshot.rows());

        StreamRows* list = stream->rows();
        QCOMPARE(list->count(), snapshot.rows());
        QTest::mouseClick(toggle, Qt::LeftButton);
        QTRY_COMPARE(list->count(), std::uint64_t{wanted.size()});
        for (std::size_t i = 0; i < wanted.size(); i += 97)
            QCOMPARE(list->rowOf(i), wanted[i]);
        QVERIFY2(stream->filterLine()->message().contains(QStringLiteral("messages")), qPrintable(stream->filterLine()->message()));
        QVERIFY(list->columns().has(StreamRows::between) && list->columns().has(StreamRows::lasted));

        // A filter looks at all of a message.
        stream->filterLine()->setText(QStringLiteral("length > 100"));
        QTRY_COMPARE(list->count(), std::uint64_t{whole.size()});
        std::uint64_t block = 0;
        while (block < list->count() && !list->rowText(block).contains(QStringLiteral("0x2010:00")))
            ++block;
        QVERIFY(block < list->count());
        QCOMPARE(stream->source().entry(snapshot, block).payload.size(), std::size_t{1568});
        QVERIFY2(list->rowText(block).contains(QStringLiteral("\t→ BladeUnit\t")), qPrintable(list->rowText(block).right(200)));

        // It opens to its pieces; a click on one puts the cursor there.
        list->choose(block);
        QCOMPARE(stage().cursorRow(), whole[block]);
        list->setFocus();
        QVERIFY(!list->isOpen(whole[block]));
        QTest::keyClick(list, Qt::Key_Right);
        QVERIFY(list->isOpen(whole[block]));
        QVERIFY2(list->lineText(block, 0).contains(QStringLiteral("asks")), qPrintable(list->lineText(block, 0)));
        QVERIFY2(list->lineText(block, 2).contains(QStringLiteral(" ms\t")), qPrintable(list->lineText(block, 2)));
        QTest::keyClick(list, Qt::Key_Left);
        QVERIFY(!list->isOpen(whole[block]));

        // Who is chosen in the network is kept to here, too.
        stream->filterLine()->setText({});
        QTRY_COMPARE(list->count(), std::uint64_t{wanted.size()});
        stage().protocols().keep({{1, protocol::Party::node(1)}});
        QTRY_VERIFY(list->count() > 100 && list->count() < wanted.size() / 4);
        for (std::uint64_t i = 0; i < list->count(); i += 50)
            QVERIFY2(list->rowText(i).contains(QStringLiteral("BladeUnit")), qPrintable(list->rowText(i).left(200)));
        stage().protocols().keep({});
        QTRY_COMPARE(list->count(), std::uint64_t{wanted.size()});

        // It is kept with the page, and M leads back.
        QVERIFY(stream->save().value("rows", "") == "messages");
        list->setFocus();
        QTest::keyClick(list, Qt::Key_M);
        QCOMPARE(list->count(), snapshot.rows());
        QVERIFY(!stream->save().contains("rows") && !toggle->isChecked());
        window_->showPage(QStringLiteral("Network"));
    }

    // A message of which no frame has the identifier: in the roster, as a value in the tree, as a curve.
    void whatComesInPiecesStandsWithTheRest()
    {
        window_->showPage(QStringLiteral("Watch"));
        stage().setCursor(stage().timeOf(62.9));
        auto* roster = window_->currentPage()->find<RosterView>();
        RosterRows* list = roster->rows();
        const auto rowWith = [&](const QString& words) {
            for (std::uint64_t i = 0; i < list->count(); ++i)
                if (list->rowText(i).contains(words))
                    return static_cast<int>(i);
            return -1;
        };
        QTRY_VERIFY(rowWith(QStringLiteral("SiteReport")) >= 0);
        const QString row = list->rowText(static_cast<std::uint64_t>(rowWith(QStringLiteral("SiteReport"))));
        QVERIFY2(row.contains(QStringLiteral("RinkNumber")), qPrintable(row));
        list->choose(static_cast<std::uint64_t>(rowWith(QStringLiteral("SiteReport"))));
        const auto* message = stage().catalog().find(stage().selection().bus, stage().selection().id);
        QVERIFY(message != nullptr && message->message->name == "SiteReport");
        QCOMPARE(list->current(), static_cast<std::int64_t>(rowWith(QStringLiteral("SiteReport"))));
        // As many as the trace has, by the stream of messages.
        std::uint64_t wanted = 0;
        protocol::MessageStream follow(
            [&](const protocol::MessageRow& one) {
                wanted += !one.pieces.empty() && stage().catalog().find(one.bus, one.id) == message ? 1U : 0U;
            },
            [](const protocol::Transfer&) {});
        for (std::size_t bus = 0; bus < stage().document().buses().size(); ++bus)
            follow.speak(static_cast<std::uint8_t>(bus), stage().protocols().spokenByBus()[bus]);
        const trace::Snapshot snapshot = stage().snapshot();
        for (trace::Row at = 0; at < snapshot.rows(); ++at)
            follow.onFrame(snapshot.frame(at));
        follow.finish();
        QVERIFY(wanted > 5);
        std::uint32_t hours = 0;
        while (message->message->signals[hours].name != "HoursSinceService")
            ++hours;
        const auto source = curveOf(stage().document().catalog(), signalPath(stage().catalog(), {message, hours}));
        QVERIFY(source);
        const auto series = stage().curveDesk().series(*source);
        QObject looker;
        stage().curveDesk().look(&looker, {{series, {}, {}, 0}});
        QTRY_COMPARE(series->size(), wanted);
        const auto value = series->at(snapshot, stage().cursor());
        QVERIFY(value);
        // The tree tells the same.
        auto* tree = window_->findChild<RigTree*>()->tree();
        const auto found = tree->findItems(QStringLiteral("SiteReport"), Qt::MatchExactly | Qt::MatchRecursive);
        QCOMPARE(found.size(), 1);
        found.front()->parent()->setExpanded(true);
        found.front()->setExpanded(true);
        QTreeWidgetItem* item = found.front()->child(static_cast<int>(hours));
        tree->scrollToItem(item);
        QTRY_COMPARE(item->text(1), source->reading(*value));
        stage().curveDesk().look(&looker, {});
        window_->showPage(QStringLiteral("Network"));
    }

    // In a log: the value at the cursor, and nobody to be asked.
    void objectsStandInTheTree()
    {
        at(62.9);
        QTreeWidgetItem* source = objectOf(*window_, QStringLiteral("BladeUnit"), QStringLiteral("0x2001"), QStringLiteral("DepthSource"));
        QVERIFY(source != nullptr);
        window_->findChild<RigTree*>()->tree()->setCurrentItem(source);
        QCOMPARE(stage().selection().kind, Selection::Kind::object);
        QTRY_VERIFY(!source->text(1).isEmpty());
        auto* inspector = window_->findChild<Inspector*>();
        auto* panel = inspector->findChild<ObjectPanel*>();
        QTRY_VERIFY(panel->isVisible());
        QVERIFY(!panel->findChild<QPushButton*>(QStringLiteral("readObject"))->isEnabled());
        inspector->repaint();
        QVERIFY2(inspector->text().contains(QStringLiteral("How it came: 2 frames")), qPrintable(inspector->text()));
        const auto object = ProtocolDesk::ObjectOf{1, 1, {0x2001, 3}};
        const protocol::Transfer* last = stage().protocols().transferOf(object);
        QVERIFY(last != nullptr && last->to <= stage().cursor());
        at(2);
        QVERIFY(stage().protocols().transferOf(object) == nullptr || stage().protocols().transferOf(object)->to <= stage().cursor());
    }

    // Another node's sheet for the auger: the tree has it, its traffic contradicts it, and it can be taken back.
    void dictionariesAreAttached()
    {
        at(62.9);
        auto* tree = window_->findChild<RigTree*>()->tree();
        const auto objectsOf = [&](const QString& node) -> QTreeWidgetItem* {
            for (QTreeWidgetItem* found : tree->findItems(QStringLiteral("objects"), Qt::MatchExactly | Qt::MatchRecursive))
                if (found->parent()->text(0) == node)
                    return found;
            return nullptr;
        };
        QVERIFY(objectsOf(QStringLiteral("AugerUnit")) == nullptr);
        ProtocolDesk& desk = stage().protocols();
        QVERIFY(!desk.attachDictionary("Implement", 3, QStringLiteral(WAVETROPE_DEMO "/rig.json")));    // no sheet
        QVERIFY(!desk.attachDictionary("Elsewhere", 3, QStringLiteral(WAVETROPE_DEMO "/water.eds")));
        QVERIFY(!window_->document().rig().changed());
        QVERIFY(desk.attachDictionary("Implement", 3, QStringLiteral(WAVETROPE_DEMO "/blade.eds")));
        QVERIFY(window_->document().rig().changed());
        QTRY_VERIFY(objectsOf(QStringLiteral("AugerUnit")) != nullptr);
        const auto found = [&](const char* words) {
            for (const protocol::Contradiction& one : desk.contradictionsOf(1, 3))
                if (one.words.find(words) != std::string::npos)
                    return true;
            return false;
        };
        QTRY_VERIFY_WITH_TIMEOUT(found("0x383, and it never came"), 20'000);
        QVERIFY(desk.contradictionsOf(1, 1).empty());
        QTreeWidgetItem* objects = objectsOf(QStringLiteral("AugerUnit"));
        objects->parent()->setExpanded(true);
        tree->scrollToItem(objects);
        QTRY_VERIFY2(objects->text(1).contains(QStringLiteral("contradicted")), qPrintable(objects->text(1)));
        desk.undoStack().undo();
        QTRY_VERIFY(objectsOf(QStringLiteral("AugerUnit")) == nullptr);
        QVERIFY(!window_->document().rig().changed());
        QVERIFY(objectsOf(QStringLiteral("BladeUnit")) != nullptr);
    }

    void listsKeepToWhoIsChosen()
    {
        at(60.2);
        press("networkNodes");
        RowList* list = rows("networkRows");
        for (std::size_t i = 0; i < view_->count(); ++i)
            if (view_->rowText(i).contains(QStringLiteral("\tDisplay\t")))
                view_->choose(i);
        list->setFocus();
        const std::size_t all = messages_->count();
        QTest::keyClick(list, Qt::Key_K);
        QCOMPARE(stage().protocols().keptWords(), QStringLiteral("Display"));
        QVERIFY(messages_->count() < all);
        for (std::size_t i = 0; i < messages_->count(); ++i)
            QVERIFY2(messages_->rowText(i).contains(QStringLiteral("Display")), qPrintable(messages_->rowText(i)));
        press("networkTransfers");
        QVERIFY(view_->count() > 3);
        for (std::size_t i = 0; i < view_->count(); ++i)
            QVERIFY(view_->rowText(i).contains(QStringLiteral("Display")));
        rows("networkRows")->setFocus();
        QTest::keyClick(rows("networkRows"), Qt::Key_Escape);
        QVERIFY(stage().protocols().kept().empty());
        QCOMPARE(messages_->count(), all);
        press("networkNodes");
    }

    void whatABusSpeaksIsSaidAndTakenBack()
    {
        const auto said = [&] { return lineWith(QStringLiteral("Body\t")); };
        QVERIFY(said().contains(QStringLiteral("29-bit vehicle network")));
        view_->askSpoken(2, view_->mapToGlobal(QPoint(20, 20)));
        auto* menu = view_->findChild<QMenu*>(QStringLiteral("spokenMenu"));
        QVERIFY(menu != nullptr && menu->findChild<QAction*>(QStringLiteral("vehicle"))->isChecked());
        menu->findChild<QAction*>(QStringLiteral("vehicle"))->trigger();
        QTRY_VERIFY2(said().contains(QStringLiteral("no higher protocol\tas the rig says")), qPrintable(said()));
        QVERIFY(window_->document().rig().changed());
        menu->close();
        stage().protocols().undoStack().undo();
        QTRY_VERIFY(said().contains(QStringLiteral("29-bit vehicle network")));
        QVERIFY(!window_->document().rig().changed());
        // Nothing said: recognised.
        QVERIFY(stage().protocols().speak("Body", std::nullopt));
        QTRY_VERIFY2(said().contains(QStringLiteral("recognised by address claims")), qPrintable(said()));
        stage().protocols().undoStack().undo();
    }

    // In a run: by the menu of a node, the line, and Enter.
    void questionsAreAsked()
    {
        auto rig = rig::loadRig(WAVETROPE_DEMO "/rig.json");
        auto document = RunDocument::live(*rig, 10);
        QVERIFY(document);
        MainWindow live(std::move(*document));
        live.setAttribute(Qt::WA_DeleteOnClose, false);
        live.resize(1280, 800);
        live.show();
        live.showPage(QStringLiteral("Network"));
        auto* view = live.currentPage()->find<NetworkView>();
        const auto rowOf = [&](const QString& words) {
            for (std::size_t i = 0; i < view->count(); ++i)
                if (view->rowText(i).contains(words))
                    return static_cast<int>(i);
            return -1;
        };
        QTRY_VERIFY_WITH_TIMEOUT(rowOf(QStringLiteral("\tBladeUnit\t")) >= 0 && rowOf(QStringLiteral("\tDisplay\tclaimed")) >= 0, 20'000);
        const auto viaMenu = [&](const QString& words, const char* action) {
            view->choose(static_cast<std::size_t>(rowOf(words)));
            view->showMenu(view->mapToGlobal(QPoint(10, 10)));
            auto* menu = view->findChild<QMenu*>(QStringLiteral("networkMenu"));
            menu->findChild<QAction*>(QLatin1String(action))->trigger();
            menu->close();
            delete menu;
        };
        viaMenu(QStringLiteral("\tBladeUnit\t"), "writeObject");
        auto* ask = live.currentPage()->find<AskView>();
        QVERIFY(ask != nullptr && ask->isVisible());
        const auto field = [&](const char* name) { return ask->findChild<QLineEdit*>(QLatin1String(name)); };
        QCOMPARE(field("askWhom")->text(), QStringLiteral("1"));
        QTest::keyClicks(field("askWhat"), QStringLiteral("DepthSource"));
        QTest::keyClicks(field("askValue"), QStringLiteral("9"));
        QTest::keyClick(field("askValue"), Qt::Key_Return);
        QCOMPARE(ask->count(), std::size_t{0});     // outside of its limits: said, and not sent
        QVERIFY(ask->findChild<QLabel*>(QStringLiteral("askWords"))->text().contains(QStringLiteral("limits")));
        field("askValue")->setText(QStringLiteral("2"));
        QTest::keyClick(field("askValue"), Qt::Key_Return);
        QTRY_VERIFY2(ask->rowText(0).endsWith(QStringLiteral("\tdone")), qPrintable(ask->rowText(0)));
        viaMenu(QStringLiteral("\tBladeUnit\t"), "readObject");
        QTest::keyClicks(field("askWhat"), QStringLiteral("DepthSource"));
        QTest::mouseClick(ask->findChild<QPushButton*>(QStringLiteral("askNow")), Qt::LeftButton);
        QTRY_VERIFY2(ask->rowText(0).endsWith(QStringLiteral("\t2")), qPrintable(ask->rowText(0)));
        viaMenu(QStringLiteral("\tDisplay\tclaimed"), "askTroubles");
        ask->ask();
        QTRY_VERIFY2(ask->rowText(0).contains(QStringLiteral("0x28: 00 FF")), qPrintable(ask->rowText(0)));
        QCOMPARE(ask->count(), std::size_t{3});

        // A question that is asked again is a row of the outbox.
        ask->prepare(1, AskView::Kind::readObject, QStringLiteral("1"), QStringLiteral("DepthSource"));
        const std::size_t before = live.stage().outbox().groups().empty() ? 0 : live.stage().outbox().groups()[0].rows.size();
        QTest::mouseClick(ask->findChild<QPushButton*>(QStringLiteral("askIntoOutbox")), Qt::LeftButton);
        QVERIFY2(ask->findChild<QLabel*>(QStringLiteral("askWords"))->text().contains(QStringLiteral("outbox")),
            qPrintable(ask->findChild<QLabel*>(QStringLiteral("askWords"))->text()));
        const auto& group = live.stage().outbox().groups()[0];
        QCOMPARE(group.rows.size(), before + 1);
        QCOMPARE(group.rows.back().ask, std::string("read 1 DepthSource"));
        const std::size_t number = live.stage().outbox().numberOf({0, before});
        live.stage().outbox().send(number);
        QTRY_VERIFY(number < live.stage().outbox().facts().size() && live.stage().outbox().facts()[number].sent == 1);
        QVERIFY(!live.stage().outbox().add(0, QStringLiteral("ask read 1 Nowhere"), 1));

        // By the tree and the inspector: nothing goes out before the button.
        QTreeWidgetItem* source = objectOf(live, QStringLiteral("BladeUnit"), QStringLiteral("0x2001"), QStringLiteral("DepthSource"));
        QVERIFY(source != nullptr);
        live.findChild<RigTree*>()->tree()->setCurrentItem(source);
        auto* inspector = live.findChild<Inspector*>();
        auto* panel = inspector->findChild<ObjectPanel*>();
        QTRY_VERIFY(panel->isVisible());
        QTRY_VERIFY2(source->text(1) == QStringLiteral("2"), qPrintable(source->text(1)));     // as it was written above
        QTest::mouseClick(panel->findChild<QPushButton*>(QStringLiteral("readObject")), Qt::LeftButton);
        QTRY_VERIFY2(panel->words().startsWith(QStringLiteral("2, after ")), qPrintable(panel->words()));
        QTest::keyClicks(panel->value(), QStringLiteral("9"));
        QTest::mouseClick(panel->findChild<QPushButton*>(QStringLiteral("writeObject")), Qt::LeftButton);
        QVERIFY2(panel->words().contains(QStringLiteral("limits")), qPrintable(panel->words()));
        panel->value()->setText(QStringLiteral("1"));
        QTest::keyClick(panel->value(), Qt::Key_Return);
        QTRY_VERIFY2(panel->words().startsWith(QStringLiteral("written, after ")), qPrintable(panel->words()));
        QTRY_VERIFY2(source->text(1) == QStringLiteral("1"), qPrintable(source->text(1)));
        inspector->repaint();
        QVERIFY2(inspector->text().contains(QStringLiteral("Now: 1\nIn the file: 0")), qPrintable(inspector->text()));
        QVERIFY2(inspector->text().contains(QStringLiteral("Range: 0 to 3")), qPrintable(inspector->text()));
        QVERIFY2(inspector->text().contains(QStringLiteral("Answers: ")), qPrintable(inspector->text()));
        // What is in process data is live without asking.
        QTreeWidgetItem* depth = objectOf(live, QStringLiteral("BladeUnit"), QStringLiteral("0x2110"), QStringLiteral("Force left"));
        QVERIFY(depth != nullptr);
        live.findChild<RigTree*>()->tree()->setCurrentItem(depth);
        QTRY_VERIFY(!depth->text(1).isEmpty());
        inspector->repaint();
        QVERIFY2(inspector->text().contains(QStringLiteral("in process data at")), qPrintable(inspector->text()));

        // All of it beside the file, loaded, and kept.
        viaMenu(QStringLiteral("\tBladeUnit\t"), "compareDictionary");
        auto* dialog = view->findChild<DictionaryDialog*>();
        QVERIFY(dialog != nullptr);
        QTRY_VERIFY2(!dialog->waits() && dialog->count() > 0, qPrintable(dialog->words()));
        const auto differs = [&](const QString& words) {
            for (std::size_t i = 0; i < dialog->count(); ++i)
                if (dialog->rowText(i).contains(words))
                    return true;
            return false;
        };
        QVERIFY2(differs(QStringLiteral("DepthSource\t0\t1")), qPrintable(dialog->rowText(0)));
        QTemporaryDir folder;
        const QString kept = folder.filePath(QStringLiteral("kept.dcf"));
        QVERIFY(dialog->store(kept));
        const auto dcf = protocol::readDictionary(kept.toStdString());
        QVERIFY(dcf && dcf->node == 1 && dcf->find({0x2001, 3})->set == "1");
        QTest::mouseClick(dialog->findChild<QPushButton*>(QStringLiteral("loadAll")), Qt::LeftButton);
        QVERIFY(dialog->waits());
        QTRY_VERIFY2(!dialog->waits() && !differs(QStringLiteral("DepthSource")), qPrintable(dialog->words()));
        dialog->close();

        // What is mapped is learned from the node, kept, and its dictionary from then on.
        const QString learned = folder.filePath(QStringLiteral("learned.dcf"));
        view->learn(1, 1, learned);
        const auto which = [&] { return live.stage().protocols().dictionaryOf(1, 1); };
        QTRY_VERIFY(which() != nullptr && which()->path == learned.toStdString());
        QVERIFY(which()->find({0x1A02, 1})->set == "0x21100110" && which()->find({0x2001, 3}) != nullptr);
        live.stage().protocols().undoStack().undo();
        QVERIFY(which() != nullptr && which()->path != learned.toStdString());
        live.closeWithoutAsking();
    }

    void nothingSpokenSaysWhatToDo()
    {
        MainWindow empty(RunDocument::log(WAVETROPE_DEMO "/lap.pcapng", rig::Rig{}));
        empty.setAttribute(Qt::WA_DeleteOnClose, false);
        empty.show();
        QTRY_VERIFY_WITH_TIMEOUT(empty.document().ready() && empty.stage().caughtUp(), 60'000);
        empty.showPage(QStringLiteral("Network"));
        auto* view = empty.currentPage()->find<NetworkView>();
        QTRY_VERIFY_WITH_TIMEOUT(view->settled() && view->count() > 8, 20'000);
        // Without a rig the traffic tells, and what is said stands in this window.
        QVERIFY(empty.stage().protocols().speak("Implement", std::vector<std::string>{}));
        QTRY_VERIFY(!view->rowText(1).contains(QStringLiteral("object dictionary")));
        empty.closeWithoutAsking();
    }
};

QTEST_MAIN(NetworkTest)
#include "network_test.moc"
