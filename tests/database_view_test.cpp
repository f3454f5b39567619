// SPDX-License-Identifier: GPL-3.0-or-later
// Signal databases in the real window: drawn, moved, swept, typed, reviewed, compared and saved.
#include <QApplication>
#include <QClipboard>
#include <QDropEvent>
#include <QFile>
#include <QFileDialog>
#include <QLineEdit>
#include <QMimeData>
#include <QPushButton>
#include <QSplitter>
#include <QTabWidget>
#include <QTableWidget>
#include <QTemporaryDir>
#include <QTest>
#include <QTimer>
#include <QTreeWidget>
#include <QUrl>

#include <filesystem>

#include "answers.h"
#include "app/database/coverage_view.h"
#include "app/database/database_view.h"
#include "app/database/findings_view.h"
#include "app/database/network_dialog.h"
#include "app/inspector/inspector_view.h"
#include "app/keeping/keeping_options.h"
#include "app/parts/field_grid.h"
#include "app/roster/roster_view.h"
#include "app/shell/main_window.h"
#include "app/theme/theme.h"
#include "database/dbc_reader.h"

using namespace wavetrope;
using namespace wavetrope::app;

namespace {

QByteArray bytesOf(const QString& path)
{
    QFile file(path);
    return file.open(QIODevice::ReadOnly) ? file.readAll() : QByteArray();
}

void write(const QString& path, const QByteArray& bytes)
{
    QFile file(path);
    QVERIFY(file.open(QIODevice::WriteOnly));
    QCOMPARE(file.write(bytes), bytes.size());
}

// As if some time had gone by until it was written.
void later(const QString& path)
{
    const std::filesystem::path file = path.toStdString();
    std::filesystem::last_write_time(file, std::filesystem::last_write_time(file) + std::chrono::seconds(2));
}

void drop(QWidget* target, const QString& path, QPoint at = {20, 20})
{
    QMimeData mime;
    mime.setUrls({QUrl::fromLocalFile(path)});
    QDragEnterEvent enter(at, Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(target, &enter);
    QVERIFY(enter.isAccepted());
    QDropEvent event(QPointF(at), Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(target, &event);
}

}  // namespace

class DatabaseViewTest : public QObject {
    Q_OBJECT

    Stage& stage() { return window_->stage(); }
    Desk& desk() { return stage().desk(); }
    DatabaseView* editor()
    {
        window_->showPage(QStringLiteral("Databases"));
        tab(0);
        return window_->currentPage()->find<DatabaseView>();
    }
    void tab(int index)
    {
        for (Pane* pane : window_->currentPage()->panes())
            pane->setCurrent(index);
        const auto laidOut = [&] {
            for (Pane* pane : window_->currentPage()->panes())
                if (const QWidget* view = pane->entries()[static_cast<std::size_t>(index)].view; !view->isVisible() || view->width() < 100)
                    return false;
            return true;
        };
        QTRY_VERIFY(laidOut());
        QApplication::processEvents();
    }
    QLineEdit* field(const char* name) { return editor()->findChild<QLineEdit*>(QLatin1String(name)); }
    void type(const char* name, const QString& text)
    {
        QLineEdit* edit = field(name);
        QVERIFY2(edit != nullptr && edit->isVisible(), name);
        edit->setFocus();
        edit->selectAll();
        QTest::keyClick(edit, Qt::Key_Delete);
        QTest::keyClicks(edit, text);
        QTest::keyClick(edit, Qt::Key_Return);
    }
    QPoint cell(unsigned bit) { return editor()->layoutWidget()->cellOf(bit).center().toPoint(); }
    void drag(unsigned from, unsigned to)
    {
        LayoutWidget* layout = editor()->layoutWidget();
        QTest::mousePress(layout, Qt::LeftButton, Qt::NoModifier, cell(from));
        QTest::mouseMove(layout, (cell(from) + cell(to)) / 2);
        QTest::mouseMove(layout, cell(to));
        QTest::mouseRelease(layout, Qt::LeftButton, Qt::NoModifier, cell(to));
    }
    const database::Signal& signal(const char* name) { return *desk().message()->find(name); }
    void open(std::uint32_t id, const char* name = nullptr)
    {
        editor();
        window_->openDefinition(1, can::Identifier{id, false}.key());
        if (name != nullptr)
            desk().choose(desk().message()->uid, desk().message()->find(name)->uid);
    }

private Q_SLOTS:
    void initTestCase()
    {
        QVERIFY(folder_.isValid());
        for (const char* name : {"rig.json", "chassis.dbc", "implement.dbc", "body.dbc", "scanner.dbc"})
            QVERIFY(QFile::copy(QStringLiteral(WAVETROPE_DEMO "/%1").arg(QLatin1String(name)), folder_.filePath(QLatin1String(name))));
        for (const char* name : {"rig.json", "implement.dbc"})
            QFile::setPermissions(folder_.filePath(QLatin1String(name)), QFile::ReadOwner | QFile::WriteOwner);
        auto rig = rig::loadRig(folder_.filePath("rig.json").toStdString());
        QVERIFY(rig.has_value());
        auto document = liveRun(*rig, 10);
        QVERIFY(document.has_value());
        window_ = new MainWindow(std::move(*document));
        window_->resize(1280, 800);     // whatever screen there is
        window_->show();
        QTRY_VERIFY_WITH_TIMEOUT(stage().snapshot().valid() && stage().snapshot().rows() > 30'000, 30'000);
    }
    void cleanupTestCase()
    {
        window_->closeWithoutAsking();
        QTRY_COMPARE(MainWindow::all().size(), 0U);
    }
    void cleanup()
    {
        while (desk().entry().canUndo())
            desk().undo();
        desk().publish();
        QApplication::setActiveWindow(window_);  // a dialog that a test showed leaves none active
    }

    void everythingInADatabaseIsFoundByTyping()
    {
        open(0x181);
        auto* find = editor()->findChild<QLineEdit*>(QStringLiteral("databaseFind"));
        auto* rows = editor()->findChild<MessageRows*>();
        const auto all = rows->count();
        QTest::keyClicks(find, QStringLiteral("chatt"));
        QCOMPARE(rows->count(), 1U);
        rows->choose(0);
        QCOMPARE(QByteArray::fromStdString(desk().signal()->name), QByteArray("Chatter"));
        QCOMPARE(field("signalUnit")->text(), QStringLiteral("mm/s"));
        find->selectAll();
        QTest::keyClicks(find, QStringLiteral("0x18"));
        QVERIFY(rows->count() >= 3);
        QVERIFY(rows->rowText(0).startsWith(QStringLiteral("BladeState\t0x181")));
        find->clear();
        QCOMPARE(rows->count(), all);
        QVERIFY(rows->rowText(0).startsWith(QStringLiteral("BladeUnit")));
    }

    void thePictureShowsLiveBitsAndValues()
    {
        open(0x181, "CylinderPressure");
        QCOMPARE(editor()->layoutWidget()->chosen(), 2);
        QTRY_VERIFY(editor()->layoutWidget()->width() > 300);
        const QImage before = editor()->layoutWidget()->grab().toImage();
        QTRY_VERIFY(editor()->layoutWidget()->grab().toImage() != before);
        QVERIFY(!before.isNull() && before.width() > 300);
    }

    void draggingARunMovesItAndUndoBringsItBack()
    {
        open(0x181, "Counter");
        QCOMPARE(signal("Counter").startBit, 48U);
        drag(50, 58);
        QCOMPARE(signal("Counter").startBit, 56U);
        QTRY_COMPARE(stage().catalog().find(1, {0x181, false})->message->find("Counter")->startBit, 56U);
        QTest::keyClick(window_, Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(signal("Counter").startBit, 48U);
        QTest::keyClick(window_, Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
        QCOMPARE(signal("Counter").startBit, 56U);
        desk().undo();
        QVERIFY(!desk().entry().changed());
    }

    void wholeBytesSnapToTheirBorders()
    {
        open(0x181, "Counter");
        drag(50, 57);  // seven bits on: one short of the byte
        QCOMPARE(signal("Counter").startBit, 56U);
    }

    void draggingAnEndResizes()
    {
        open(0x181, "Counter");
        LayoutWidget* layout = editor()->layoutWidget();
        const QRectF least = layout->cellOf(48);
        QTest::mousePress(
            layout, Qt::LeftButton, Qt::NoModifier, QPoint(static_cast<int>(least.right()) - 2, static_cast<int>(least.center().y())));
        QTest::mouseMove(layout, cell(50));
        QTest::mouseRelease(layout, Qt::LeftButton, Qt::NoModifier, cell(50));
        QCOMPARE(signal("Counter").startBit, 50U);
        QCOMPARE(signal("Counter").length, 6U);
    }

    void arrowKeysMoveAndResize()
    {
        open(0x181, "Counter");
        LayoutWidget* layout = editor()->layoutWidget();
        layout->setFocus();
        QTest::keyClick(layout, Qt::Key_Down);
        QCOMPARE(signal("Counter").startBit, 56U);
        QTest::keyClick(layout, Qt::Key_Right, Qt::ShiftModifier);
        QCOMPARE(signal("Counter").length, 7U);
        QTest::keyClick(layout, Qt::Key_Left);
        QCOMPARE(signal("Counter").startBit, 57U);
        QTest::keyClick(layout, Qt::Key_Delete);
        QVERIFY(desk().message()->find("Counter") == nullptr);
    }

    void overlapsAreMarkedAndNamed()
    {
        open(0x181, "Counter");
        type("signalStart", QStringLiteral("40"));
        QVERIFY(editor()->layoutWidget()->words().contains(QStringLiteral("Chatter and Counter overlap")));
        type("signalStart", QStringLiteral("60"));
        QVERIFY(editor()->layoutWidget()->words().contains(QStringLiteral("Counter reaches past the payload")));
    }

    void fieldsTakeWhatIsTyped()
    {
        open(0x181, "BladeMode");
        type("signalName", QStringLiteral("ModeOfBlade"));
        type("signalFactor", QStringLiteral("0.5"));
        type("signalOffset", QStringLiteral("-3"));
        type("signalUnit", QStringLiteral("deg"));
        type("signalMinimum", QStringLiteral("-3"));
        type("signalMaximum", QStringLiteral("0"));
        type("signalTexts", QStringLiteral("0 = up; 1 = down"));
        type("signalReceivers", QStringLiteral("Display, AugerUnit"));
        type("signalComment", QStringLiteral("how it stands"));
        type("signalStartValue", QStringLiteral("-2.5"));
        const database::Signal& s = *desk().signal();
        QCOMPARE(QByteArray::fromStdString(s.name), QByteArray("ModeOfBlade"));
        QCOMPARE(s.factor, 0.5);
        QCOMPARE(s.offset, -3.0);
        QCOMPARE(*s.maximum, 0.0);
        QCOMPARE(s.texts.size(), 2U);
        QCOMPARE(*s.startRaw, 1.0);
        QVERIFY(s.receivers == (std::vector<std::string>{"Display", "AugerUnit"}));
        type("signalPresent", QStringLiteral("3, 5 to 7"));
        QCOMPARE(desk().signal()->muxRanges.size(), 2U);
        type("messageName", QStringLiteral("StateOfBlade"));
        type("messageId", QStringLiteral("1F0h"));
        type("messageCycle", QStringLiteral("0.25 s"));
        QCOMPARE(QByteArray::fromStdString(desk().message()->name), QByteArray("StateOfBlade"));
        QCOMPARE(desk().message()->id.value, 0x1F0U);
        QCOMPARE(desk().message()->cycleTime, Time(std::chrono::milliseconds(250)));
    }

    void whatCannotBeIsSaidAndChangesNothing_data()
    {
        QTest::addColumn<QByteArray>("name");
        QTest::addColumn<QString>("typed");
        QTest::newRow("name") << QByteArray("signalName") << QStringLiteral("two words");
        QTest::newRow("start") << QByteArray("signalStart") << QStringLiteral("32760");
        QTest::newRow("length") << QByteArray("signalLength") << QStringLiteral("65");
        QTest::newRow("factor") << QByteArray("signalFactor") << QStringLiteral("much");
        QTest::newRow("texts") << QByteArray("signalTexts") << QStringLiteral("up, down");
        QTest::newRow("present") << QByteArray("signalPresent") << QStringLiteral("sometimes");
        QTest::newRow("identifier") << QByteArray("messageId") << QStringLiteral("0x12345");
        QTest::newRow("bytes") << QByteArray("messageLength") << QStringLiteral("4096");
        QTest::newRow("cycle") << QByteArray("messageCycle") << QStringLiteral("often");
    }
    void whatCannotBeIsSaidAndChangesNothing()
    {
        QFETCH(QByteArray, name);
        QFETCH(QString, typed);
        open(0x181, "Counter");
        const database::Message before = *desk().message();
        type(name.constData(), typed);
        QVERIFY(!desk().problem().isEmpty());
        QVERIFY(*desk().message() == before);
        desk().choose(desk().message()->uid, desk().message()->find("BladeDepth")->uid);
    }

    void defineHereMakesAnUndefinedIdentifierDecode()
    {
        QVERIFY(stage().catalog().find(1, {0x6A7, false}) == nullptr);
        // What the tree was searched for is not chosen again when it gets another row.
        auto* find = window_->findChild<QLineEdit*>(QStringLiteral("findBox"));
        QTest::keyClicks(find, QStringLiteral("BladeDepth"));
        window_->showPage(QStringLiteral("Watch"));
        auto* roster = window_->currentPage()->find<RosterView>();
        roster->filterLine()->setText(QStringLiteral("undecoded"));
        QTRY_COMPARE(roster->rows()->count(), 1U);
        roster->rows()->choose(0);
        auto* define = window_->inspector()->findChild<QPushButton*>(QStringLiteral("openDefinition"));
        QTRY_VERIFY(define->isVisible());
        QTest::mouseClick(define, Qt::LeftButton);
        QCOMPARE(window_->currentPage()->name(), QStringLiteral("Databases"));
        QVERIFY(desk().entry().own);
        QCOMPARE(desk().message()->id.value, 0x6A7U);
        QCOMPARE(desk().message()->length, 8U);
        QTRY_VERIFY(stage().catalog().find(1, {0x6A7, false}) != nullptr);
        QTRY_VERIFY(!window_->findChild<QTreeWidget*>()
                ->findItems(QStringLiteral("Message_6A7"), Qt::MatchRecursive | Qt::MatchStartsWith)
                .isEmpty());
        QCOMPARE(stage().selection().id.value, 0x6A7U);
        QCOMPARE(desk().message()->id.value, 0x6A7U);
        find->clear();
        type("messageName", QStringLiteral("SharpenState"));
        drag(0, 15);
        QCOMPARE(desk().signal()->length, 16U);
        QCOMPARE(desk().signal()->startBit, 0U);
        type("signalName", QStringLiteral("Strokes"));
        QTRY_VERIFY(stage().catalog().find(1, {0x6A7, false}) != nullptr
                    && stage().catalog().find(1, {0x6A7, false})->message->find("Strokes") != nullptr);
        window_->showPage(QStringLiteral("Watch"));
        roster->filterLine()->setText(QStringLiteral("name SharpenState"));
        QTRY_COMPARE(roster->rows()->count(), 1U);
        roster->filterLine()->setText({});
        // It is saved with the rig, and a rig that is loaded anew knows it.
        QVERIFY(editor()->saveCurrent());
        QVERIFY(window_->saveRigTo(folder_.filePath("rig.json")));
        const auto again = rig::loadRig(folder_.filePath("rig.json").toStdString());
        QVERIFY(again.has_value());
        QVERIFY(rig::catalogOf(*again, rig::loadDatabases(*again))->find(1, {0x6A7, false}) != nullptr);
        QVERIFY(desk().shelf().exportTo(desk().current(), folder_.filePath("own.dbc").toStdString()).has_value());
        QVERIFY(bytesOf(folder_.filePath("own.dbc")).contains("SG_ Strokes : 0|16@1+"));
    }

    void choicesAreReadInFull()
    {
        open(0x181, "Counter");
        for (const double scale : {1.0, 1.4}) {
            Theme::get().setScale(scale);
            QApplication::processEvents();
            for (const char* name : {"messageFrame", "signalOrder", "signalKind"}) {
                const auto* box = editor()->findChild<QComboBox*>(QLatin1String(name));
                QVERIFY(box != nullptr && box->isVisible());
                for (int i = 0; i < box->count(); ++i)
                    QVERIFY2(box->width() >= box->fontMetrics().horizontalAdvance(box->itemText(i)) + 20, qPrintable(box->itemText(i)));
            }
        }
        Theme::get().setScale(1);
    }

    // What is chosen in the editor is explained in the inspector, and what is chosen elsewhere is opened in the editor.
    // A number that is cut would be read as another number: whatever the room, each field shows what it must.
    void fieldsHaveTheirRoomInAnyWindow()
    {
        open(0x181, "CylinderPressure");
        const auto grids = editor()->findChildren<FieldGrid*>();
        QCOMPARE(grids.size(), 2);
        const QSize before = window_->size();
        std::set<int> arrangements;
        for (const double scale : {1.0, 1.4}) {
            Theme::get().setScale(scale);
            for (const int width : {1024, 1280, 1500, 1920}) {
                window_->resize(width, 800);
                QTRY_COMPARE(window_->width(), width);
                QCoreApplication::sendPostedEvents();
                QCoreApplication::processEvents();
                for (const FieldGrid* grid : grids) {
                    arrangements.insert(grid->across());
                    QVERIFY2(grid->width() <= grid->parentWidget()->width(), qPrintable(QString::number(width)));
                    const auto fields = grid->findChildren<QLineEdit*>();
                    for (const QLineEdit* edit : fields) {
                        if (qobject_cast<QComboBox*>(edit->parentWidget()) != nullptr)
                            continue;
                        const int characters = (edit->width() - Theme::get().px(18))
                                               / QFontMetrics(edit->font()).horizontalAdvance(QLatin1Char('0'));
                        const bool number = QStringList{"signalFactor", "signalOffset", "signalMinimum", "signalMaximum"}.contains(
                            edit->objectName());
                        const int least = edit->objectName() == QLatin1String("messageId")     ? 10
                                          : edit->objectName().endsWith(QLatin1String("Name")) ? 10
                                          : number                                             ? 7
                                                                                               : 2;
                        QVERIFY2(characters >= least,
                            qPrintable(
                                QStringLiteral("%1 at %2 and %3: %4").arg(edit->objectName()).arg(width).arg(scale).arg(characters)));
                        for (const QLineEdit* other : fields)
                            QVERIFY2(other == edit || !other->geometry().intersects(edit->geometry()),
                                qPrintable(edit->objectName() + other->objectName()));
                    }
                }
            }
        }
        QVERIFY2(arrangements.size() >= 3, "the same arrangement at any width");
        Theme::get().setScale(1.0);
        window_->resize(before);
        // What is longer than a field is read in full in its tooltip, and the keys go as the eye does.
        type("signalFactor", QStringLiteral("0.0000152587890625"));
        QVERIFY2(field("signalFactor")->toolTip().startsWith(QStringLiteral("1.52587890625e-05"))
                     || field("signalFactor")->toolTip().startsWith(QStringLiteral("0.0000152587890625")),
            qPrintable(field("signalFactor")->toolTip()));
        editor()->undo(false);
        field("messageName")->setFocus();
        QTest::keyClick(field("messageName"), Qt::Key_Tab);
        QVERIFY(field("messageId")->hasFocus());
    }
    // Four views in one pane of the smallest window, larger text: what another view has in the head takes nothing from the names.
    void tabsAreReadInFullBesideFewTools()
    {
        editor();
        const QSize before = window_->size();
        Theme::get().setScale(1.4);
        window_->resize(1024, 700);
        tab(3);
        Pane* pane = window_->currentPage()->panes().front();
        auto* tabs = pane->findChild<QTabBar*>(QStringLiteral("viewTabs"));
        const int held = pane->minimumSizeHint().width();
        QTRY_COMPARE(tabs->width(), tabs->sizeHint().width());
        for (int i = 0; i < tabs->count(); ++i)
            QVERIFY2(
                tabs->tabRect(i).width() > QFontMetrics(tabs->font()).horizontalAdvance(tabs->tabText(i)), qPrintable(tabs->tabText(i)));
        // No pane grows by going to another of its views.
        tab(0);
        QCOMPARE(pane->minimumSizeHint().width(), held);
        Theme::get().setScale(1.0);
        window_->resize(before);
    }

    void theListOfMessagesFollowsTheWidth()
    {
        open(0x181, "CylinderPressure");
        auto* rows = editor()->findChild<MessageRows*>();
        auto* across = editor()->findChild<QSplitter*>();
        const QSize before = window_->size();
        const auto widthAt = [&](int width) {
            window_->resize(width, 800);
            const auto there = [&] { return window_->width() == width; };
            (void)QTest::qWaitFor(there);
            QCoreApplication::sendPostedEvents();
            QCoreApplication::processEvents();
            return rows->width();
        };
        const int narrow = widthAt(1024);
        const int wide = widthAt(1920);
        QVERIFY2(narrow >= 100 && wide >= 200 && wide > narrow, qPrintable(QStringLiteral("%1 and %2").arg(narrow).arg(wide)));
        // Names are whole where there is room, with larger text too.
        Theme::get().setScale(1.4);
        const int larger = widthAt(1900);
        Theme::get().setScale(1.0);
        QVERIFY2(larger > wide, qPrintable(QStringLiteral("%1 and %2").arg(wide).arg(larger)));
        // As wide as somebody drags it, from then on.
        (void)widthAt(1920);
        const QPoint handle = across->handle(1)->rect().center();
        QTest::mousePress(across->handle(1), Qt::LeftButton, Qt::NoModifier, handle);
        QTest::mouseMove(across->handle(1), handle + QPoint(70, 0));
        QTest::mouseRelease(across->handle(1), Qt::LeftButton, Qt::NoModifier, handle + QPoint(70, 0));
        const int dragged = rows->width();
        QVERIFY(dragged > wide + 50);
        (void)widthAt(1910);
        QCOMPARE(rows->width(), dragged);
        window_->resize(before);
    }

    void theEditorSharesTheSelection()
    {
        open(0x181, "Counter");
        QTest::mouseClick(editor()->layoutWidget(), Qt::LeftButton, Qt::NoModifier, cell(20));
        QVERIFY(desk().signal() != nullptr && desk().signal()->name != "Counter");
        QCOMPARE(stage().selection().kind, Selection::Kind::signal);
        QCOMPARE(stage().selection().id.value, 0x181U);
        QCOMPARE(stage().catalog().find(1, {0x181, false})->message->signals[static_cast<std::size_t>(stage().selection().signal)].name,
            desk().signal()->name);
        QTRY_VERIFY(window_->inspector()->text().contains(QString::fromStdString(desk().signal()->name)));
        // In the tree: a signal of another bus and file.
        auto* find = window_->rigTree()->findBox();
        find->setFocus();
        QTest::keyClicks(find, QStringLiteral("TorqueActual"));
        QCOMPARE(QByteArray::fromStdString(desk().entry().name), QByteArray("chassis.dbc"));
        QVERIFY(desk().message() != nullptr && desk().signal() != nullptr);
        QCOMPARE(QByteArray::fromStdString(desk().signal()->name), QByteArray("TorqueActual"));
        QTest::keyClick(find, Qt::Key_Escape);
        // A row of the editor's own list.
        open(0x181);
        QCOMPARE(QByteArray::fromStdString(desk().entry().name), QByteArray("implement.dbc"));
    }

    void anErrorMarksItsFieldAndMovesNothing()
    {
        open(0x181, "Counter");
        auto* factor = editor()->findChild<QLineEdit*>(QStringLiteral("signalFactor"));
        auto* unit = editor()->findChild<QLineEdit*>(QStringLiteral("signalUnit"));
        auto* said = editor()->findChild<QLabel*>(QStringLiteral("databaseProblem"));
        QVERIFY(factor != nullptr && unit != nullptr && said != nullptr);
        const QString right = factor->text();
        const auto places = [&] {
            QList<QRect> all;
            for (const QLineEdit* edit : editor()->findChildren<QLineEdit*>())
                all << QRect(edit->mapTo(editor(), QPoint()), edit->size());
            return all;
        };
        const QList<QRect> before = places();
        factor->setFocus();
        factor->selectAll();
        QTest::keyClicks(factor, QStringLiteral("much"));
        QTest::keyClick(factor, Qt::Key_Return);
        QVERIFY(desk().problem().contains(QStringLiteral("much")));
        QVERIFY(said->isVisible() && said->height() > 10);
        QVERIFY(factor->property("wrong").toBool());
        QVERIFY(!unit->property("wrong").toBool());
        QCOMPARE(places(), before);
        factor->selectAll();
        QTest::keyClicks(factor, right);
        QTest::keyClick(factor, Qt::Key_Return);
        QVERIFY2(desk().problem().isEmpty(), qPrintable(desk().problem()));
        QVERIFY(!factor->property("wrong").toBool() && !said->isVisible());
        QCOMPARE(places(), before);
    }

    void nodesTablesAndAttributesAreTyped()
    {
        open(0x181, "Counter");
        NetworkDialog dialog(desk());
        dialog.show();
        const auto put = [&](const char* name, int row, int column, const char* text) {
            dialog.findChild<QTableWidget*>(QLatin1String(name))->item(row, column)->setText(QLatin1String(text));
        };
        const auto last = [&](const char* name) { return dialog.findChild<QTableWidget*>(QLatin1String(name))->rowCount() - 1; };
        const auto nodes = desk().database().nodes.size();
        // With the mouse: Add begins a row, what is typed makes the node, Remove takes it out.
        auto* table = dialog.findChild<QTableWidget*>(QStringLiteral("networkNodes"));
        auto* add = dialog.findChild<QPushButton*>(QStringLiteral("networkAdd"));
        auto* remove = dialog.findChild<QPushButton*>(QStringLiteral("networkRemove"));
        QCOMPARE(add->text(), QStringLiteral("Add node"));
        QVERIFY(!remove->isEnabled());
        QTest::mouseClick(add, Qt::LeftButton);
        auto* typing = table->viewport()->findChild<QLineEdit*>();
        QVERIFY(typing != nullptr);
        QTest::keyClicks(typing, QStringLiteral("Sharpener"));
        QTest::keyClick(typing, Qt::Key_Return);
        QTRY_COMPARE(desk().database().nodes.size(), nodes + 1);
        QVERIFY(dialog.isVisible());        // Return ended the typing, and nothing else
        QTest::mouseClick(table->viewport(), Qt::LeftButton, {}, table->visualItemRect(table->item(static_cast<int>(nodes), 0)).center());
        QVERIFY(remove->isEnabled());
        QTest::mouseClick(remove, Qt::LeftButton);
        QCOMPARE(desk().database().nodes.size(), nodes);
        put("networkNodes", last("networkNodes"), 0, "Sharpener");
        QCOMPARE(desk().database().nodes.size(), nodes + 1);
        put("networkNodes", 0, 0, "Blade_2");
        QCOMPARE(QByteArray::fromStdString(desk().message()->sender), QByteArray("Blade_2"));
        const int row = last("networkDefinitions");
        put("networkDefinitions", row, 0, "signal");
        put("networkDefinitions", row, 1, "Trust");
        put("networkDefinitions", row, 3, "low, high");
        put("networkDefinitions", row, 2, "enumeration");
        const auto* definition = desk().database().definition(database::AttributeOwner::signal, "Trust");
        QVERIFY(definition != nullptr && definition->choices.size() == 2);
        auto* values = dialog.findChild<QTableWidget*>(QStringLiteral("networkValues"));
        for (int i = 0; i < values->rowCount(); ++i)
            if (values->item(i, 1)->text() == QLatin1String("Trust")) {
                values->item(i, 2)->setText(QStringLiteral("high"));
                break;
            }
        QCOMPARE(desk().signal()->attributes.find("Trust")->number, 1.0);
        put("networkTables", last("networkTables"), 0, "Levels");
        QCOMPARE(QByteArray::fromStdString(desk().database().tables.back().name), QByteArray("Levels"));
        put("networkNodes", 0, 0, "not a name");
        QVERIFY(!desk().problem().isEmpty());
    }

    void variablesAndValuesOfRelationsAreTyped()
    {
        open(0x181, "Counter");
        NetworkDialog dialog(desk());
        dialog.show();
        const auto table = [&](const char* name) { return dialog.findChild<QTableWidget*>(QLatin1String(name)); };
        const auto put = [&](const char* name, int row, int column, const char* text) {
            table(name)->item(row, column)->setText(QLatin1String(text));
        };
        put("networkVariables", table("networkVariables")->rowCount() - 1, 0, "HallTemperature");
        const database::Variable& variable = desk().database().variables.back();
        QCOMPARE(QByteArray::fromStdString(variable.name), QByteArray("HallTemperature"));
        const int row = table("networkVariables")->rowCount() - 2;
        put("networkVariables", row, 1, "float");
        put("networkVariables", row, 2, "-40 to 60");
        put("networkVariables", row, 5, "Display");
        put("networkVariables", row, 6, "0 = freezing");
        QCOMPARE(desk().database().variables.back().type, 1U);
        QCOMPARE(desk().database().variables.back().minimum, -40.0);
        QCOMPARE(desk().database().variables.back().texts.size(), 1U);
        put("networkVariables", row, 1, "text");
        QVERIFY(desk().database().variables.back().holdsText());
        put("networkVariables", row, 1, "float");
        QVERIFY(!desk().database().variables.back().holdsText());
        put("networkVariables", row, 2, "warm");
        QVERIFY(desk().problem().contains(QStringLiteral("expected a range")));

        // An attribute of relations with signals and with variables; each pair has a row for its value.
        for (const char* owner : {"node-signal", "node-variable", "node-message"}) {
            const int at = table("networkDefinitions")->rowCount() - 1;
            put("networkDefinitions", at, 0, owner);
            put("networkDefinitions", at, 1, (QByteArray(owner).replace('-', '_') + "_Late").constData());
            put("networkDefinitions", at, 2, "integer");
        }
        const auto set = [&](const char* attribute, const char* object) {
            for (int i = 0; i < table("networkValues")->rowCount(); ++i)
                if (table("networkValues")->item(i, 1)->text() == QLatin1String(attribute)
                    && table("networkValues")->item(i, 0)->text() == QLatin1String(object)) {
                    table("networkValues")->item(i, 2)->setText(QStringLiteral("7"));
                    return true;
                }
            return false;
        };
        const auto before = desk().database().network.relations.size();
        QVERIFY(set("node_signal_Late", (desk().signal()->receivers.front() + " with Counter").c_str()));
        QVERIFY(set("node_variable_Late", "Display with HallTemperature"));
        QVERIFY(set("node_message_Late", (desk().message()->sender + " with BladeState").c_str()));
        QCOMPARE(desk().database().network.relations.size(), before + 3);
        QCOMPARE(desk().database().network.relations.back().value.number, 7.0);
        desk().undo();
        QCOMPARE(desk().database().network.relations.size(), before + 2);
        table("networkVariables")->setCurrentCell(row, 0);
        dialog.findChild<QTabWidget*>()->setCurrentWidget(table("networkVariables"));
        QTest::keyClick(&dialog, Qt::Key_Delete);
        QCOMPARE(desk().database().network.relations.size(), before + 1);
    }

    void filesAreMadeAttachedExportedAndTakenOffThroughTheMenu()
    {
        open(0x181);
        const QList<QAction*> actions = editor()->actions();
        const auto trigger = [&](const char* name, const QString& path) {
            test::whenModal<QFileDialog>(this, [path](QFileDialog* dialog) {
                dialog->findChild<QLineEdit*>()->setText(path);
                QTest::keyClick(dialog->findChild<QLineEdit*>(), Qt::Key_Return);
                if (dialog->isVisible())
                    dialog->close();
            });
            for (QAction* action : actions)
                if (action->objectName() == QLatin1String(name))
                    return action->trigger();
            QFAIL(name);
        };
        const auto take = [&](const char* name) {
            for (QAction* action : actions)
                if (action->objectName() == QLatin1String(name))
                    action->trigger();
        };
        auto* entries = window_->findChild<QComboBox*>(QStringLiteral("databaseEntries"));
        const int shown = entries->count();
        trigger("exportDatabase", folder_.filePath("network.html"));
        QVERIFY(bytesOf(folder_.filePath("network.html")).contains("BladeState"));
        trigger("newDatabase", folder_.filePath("fresh.dbc"));
        QVERIFY(bytesOf(folder_.filePath("fresh.dbc")).contains("BU_:"));
        QCOMPARE(QByteArray::fromStdString(desk().entry().name), QByteArray("fresh.dbc"));
        QCOMPARE(entries->count(), shown + 1);
        desk().undo();
        QCOMPARE(entries->count(), shown);
        QVERIFY(desk().entry().name != "fresh.dbc");
        desk().redo();
        QCOMPARE(entries->count(), shown + 1);
        QVERIFY(QFile::copy(folder_.filePath("scanner.dbc"), folder_.filePath("extra.dbc")));
        trigger("attachDatabase", folder_.filePath("extra.dbc"));
        QCOMPARE(QByteArray::fromStdString(desk().entry().name), QByteArray("extra.dbc"));
        QCOMPARE(entries->count(), shown + 2);
        take("preferDatabase");
        take("detachDatabase");
        QCOMPARE(entries->count(), shown + 1);
        desk().undo();
        QCOMPARE(entries->count(), shown + 2);
        while (desk().arrangedLast(false))
            desk().undo();
        QCOMPARE(entries->count(), shown);
    }

    void messagesAndSignalsAreCopiedBetweenDatabases()
    {
        open(0x181, "Chatter");
        editor()->copy();
        open(0x182);
        editor()->paste();
        QVERIFY(desk().message()->find("Chatter") != nullptr);
        desk().undo();
        desk().choose(desk().message()->uid, 0);
        editor()->copy();
        desk().open(0);
        const auto before = desk().database().messages.size();
        editor()->paste();
        QCOMPARE(desk().database().messages.size(), before + 1);
        QCOMPARE(QByteArray::fromStdString(desk().message()->name), QByteArray("WaterState"));
        QCOMPARE(desk().message()->signals.size(), 5U);
        QApplication::clipboard()->setText(QStringLiteral("nothing of ours"));
        editor()->paste();
        QVERIFY(!desk().problem().isEmpty());
    }

    void coverageIsANumberAndAListThatLeads()
    {
        editor();
        tab(1);
        auto* view = window_->currentPage()->find<CoverageView>();
        QTRY_VERIFY(view->coverage().identifiers.size() >= 46);
        const auto unexplained = view->coverage().count(measure::CoverageClass::unexplained);
        QVERIFY(unexplained <= 1);
        RowList* rows = view->rows();
        QVERIFY(rows->count() >= 46);
        rows->setFocus();
        QTest::keyClick(rows, Qt::Key_Home);
        QCOMPARE(stage().selection().kind, Selection::Kind::message);
        QTest::keyClick(rows, Qt::Key_Return);  // to its definition
        QTRY_VERIFY(window_->currentPage()->find<DatabaseView>()->isVisible());
        QCOMPARE(desk().message()->id, stage().selection().id);
    }

    void reviewNamesWhatIsWrongAndMendsItByOneClick()
    {
        open(0x181, "Counter");
        type("signalMaximum", QStringLiteral("9999"));
        tab(2);
        auto* view = window_->currentPage()->find<ReviewView>();
        const auto at = [&] {
            return std::find_if(view->findings().begin(), view->findings().end(),
                [](const database::Finding& f) { return f.kind == database::FindingKind::range && f.object == "BladeState.Counter"; });
        };
        QTRY_VERIFY(at() != view->findings().end());
        QVERIFY(at()->mend != nullptr && at()->line > 0);
        view->choose(static_cast<std::size_t>(at() - view->findings().begin()));
        auto* rows = view->findChild<RowList*>(QStringLiteral("reviewRows"));
        rows->setFocus();
        QTest::keyClick(rows, Qt::Key_Return);
        QTRY_VERIFY(at() == view->findings().end());
        QCOMPARE(*signal("Counter").maximum, 255.0);
        QTest::keyClick(window_, Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(*signal("Counter").maximum, 9999.0);
    }

    void comparisonListsFieldByField()
    {
        open(0x181, "Counter");
        type("signalUnit", QStringLiteral("beats"));
        tab(3);
        auto* view = window_->currentPage()->find<CompareView>();
        drop(view, QStringLiteral(WAVETROPE_DEMO "/implement.dbc"));
        QCOMPARE(view->changes().size(), 1U);
        QCOMPARE(QByteArray::fromStdString(view->changes()[0].after), QByteArray("beats"));
        auto* rows = view->findChild<RowList*>(QStringLiteral("compareRows"));
        rows->choose(0);
        QCOMPARE(stage().selection().id, (can::Identifier{0x181, false}));
    }

    void savingChangesOnlyTheEditedStatement()
    {
        const QString path = folder_.filePath("implement.dbc");
        const QByteArray before = bytesOf(path);
        open(0x181, "Counter");
        type("signalUnit", QStringLiteral("beats"));
        auto* save = window_->currentPage()->findChild<QPushButton*>(QStringLiteral("databaseSave"));
        QVERIFY(save->isEnabled());
        QTest::mouseClick(save, Qt::LeftButton);
        QVERIFY(!save->isEnabled());
        QByteArray wanted = before;
        wanted.replace("SG_ Counter : 48|8@1+ (1,0) [0|255] \"\" Display\n\nBO_ 641",
            "SG_ Counter : 48|8@1+ (1,0) [0|255] \"beats\" Display\n\nBO_ 641");
        QVERIFY(wanted != before);
        QCOMPARE(bytesOf(path), wanted);
        desk().undo();
        QVERIFY(editor()->saveCurrent());
        QCOMPARE(bytesOf(path), before);
    }

    void aFileChangedOnDiskIsAskedAboutAndNeverOverwritten()
    {
        const QString path = folder_.filePath("implement.dbc");
        const QByteArray before = bytesOf(path);
        open(0x181, "Counter");
        type("signalUnit", QStringLiteral("mine"));
        QByteArray theirs = before;
        theirs.replace("\"bar\"", "\"kPa\"");
        write(path, theirs);
        later(path);
        auto* notice = editor()->findChild<QWidget*>(QStringLiteral("diskNotice"));
        QTRY_VERIFY(notice->isVisible());
        QVERIFY(!desk().shelf().save(desk().current()).has_value());
        QCOMPARE(bytesOf(path), theirs);
        // The question shows the difference; "Read it again" takes theirs.
        QString said;
        test::whenModal<QMessageBox>(this, [&](QMessageBox* box) {
            said = box->informativeText();
            for (QAbstractButton* button : box->buttons())
                if (button->text().contains(QStringLiteral("Read it again")))
                    return button->click();
        });
        QTest::mouseClick(editor()->findChild<QPushButton*>(QStringLiteral("diskDifference")), Qt::LeftButton);
        QVERIFY(said.contains(QStringLiteral("kPa")) && said.contains(QStringLiteral("mine")));
        QCOMPARE(QByteArray::fromStdString(desk().database().find(can::Identifier{0x181, false})->find("CylinderPressure")->unit),
            QByteArray("kPa"));
        write(path, before);
        QVERIFY(desk().shelf().reread(desk().current()).has_value());
        desk().open(desk().current());
    }

    void aDroppedDatabaseIsAttachedBehindTheOthers()
    {
        write(folder_.filePath("extra.dbc"), "VERSION \"\"\nBU_: Sharpener\nBO_ 385 OtherState: 8 Sharpener\nBO_ 1447 Stones: 8 "
                                             "Sharpener\n SG_ Wear : 0|8@1+ (1,0) [0|0] \"%\" Sharpener\n");
        open(0x181);
        drop(editor(), folder_.filePath("extra.dbc"));
        QCOMPARE(QByteArray::fromStdString(desk().entry().name), QByteArray("extra.dbc"));
        // The first file wins: the other's definition is a conflict, and coverage lists it.
        QCOMPARE(QByteArray::fromStdString(stage().catalog().find(1, {0x181, false})->message->name), QByteArray("BladeState"));
        QCOMPARE(stage().catalog().conflicts().size() >= 1, true);
        desk().shelf().prefer("Implement", desk().current());
        desk().publish();
        QCOMPARE(QByteArray::fromStdString(stage().catalog().find(1, {0x181, false})->message->name), QByteArray("OtherState"));
    }

    void aFileDroppedOnABusOfTheTreeIsAttachedToIt()
    {
        write(folder_.filePath("cab.dbc"), "VERSION \"\"\nBU_: Heater\nBO_ 100 Warmth: 8 Heater\n");
        auto* tree = window_->findChild<QTreeWidget*>();
        const QTreeWidgetItem* bus = tree->topLevelItem(0);
        drop(tree->viewport(), folder_.filePath("cab.dbc"), tree->visualItemRect(bus).center());
        QTRY_VERIFY(stage().catalog().find(0, {100, false}) != nullptr);
        QCOMPARE(QByteArray::fromStdString(stage().document().rig().buses[0].databases.back()), QByteArray("cab.dbc"));
        // Dropped on a bus it stands behind the files that the bus has.
        QCOMPARE(stage().document().rig().buses[0].databases.size(), 2U);
    }

    void aRigOpensWithoutItsDatabaseAndSaysSo()
    {
        auto rig = rig::loadRig(folder_.filePath("rig.json").toStdString());
        QVERIFY(rig.has_value());
        rig->buses[3].databases = {"lost.dbc"};
        auto document = liveRun(*rig);
        QVERIFY(document.has_value());
        auto* other = new MainWindow(std::move(*document));
        other->show();
        auto* tree = other->findChild<QTreeWidget*>();
        QTreeWidgetItem* marked = nullptr;
        for (QTreeWidgetItemIterator it(tree); *it != nullptr; ++it)
            if ((*it)->text(0) == QStringLiteral("missing: lost.dbc"))
                marked = *it;
        QVERIFY(marked != nullptr);
        QCOMPARE(marked->parent()->text(0), QStringLiteral("Scanner"));
        QVERIFY(marked->toolTip(0).contains(QStringLiteral("lost.dbc")));
        QVERIFY(other->stage().catalog().find(1, {0x181, false}) != nullptr);
        Desk& desk = other->stage().desk();
        QVERIFY(desk.shelf()
                .pointTo(static_cast<std::size_t>(desk.shelf().find("lost.dbc")), folder_.filePath("scanner.dbc").toStdString())
                .has_value());
        desk.noteAttached();
        QVERIFY(other->stage().catalog().find(3, {0x310, false}) != nullptr);
        other->closeWithoutAsking();
    }

    void theInspectorExplainsASignalAndLinksItsNodes()
    {
        Selection selection;
        selection.kind = Selection::Kind::signal;
        selection.bus = 1;
        selection.id = {0x182, false};
        selection.signal = 3;
        stage().select(selection);
        QTRY_VERIFY(window_->inspector()->text().contains(QStringLiteral("Valve: definition")));
        const QString text = window_->inspector()->text();
        QVERIFY(text.contains(QStringLiteral("Bits: 2 from 44, least first")));
        QVERIFY(text.contains(QStringLiteral("Sent by: WaterUnit")));
        QVERIFY(text.contains(QStringLiteral("Heard by: Display")));
    }

    void framesBecomeFdAndClassicAgain()
    {
        open(0x181);
        auto* frame = editor()->findChild<QComboBox*>(QStringLiteral("messageFrame"));
        QCOMPARE(frame->currentIndex(), 0);
        Q_EMIT frame->activated(2);
        QVERIFY(desk().message()->fd && desk().message()->brs);
        QCOMPARE(frame->currentIndex(), 2);
        desk().undo();
        QVERIFY(!desk().message()->fd);
    }

    void aMissingDatabaseIsShownAndPointedTo()
    {
        auto rig = rig::loadRig(folder_.filePath("rig.json").toStdString());
        QVERIFY(rig.has_value());
        rig->buses[0].databases = {"gone.dbc"};
        rig::Shelf shelf(*rig);
        const int index = shelf.find("gone.dbc");
        QVERIFY(index >= 0 && shelf.at(static_cast<std::size_t>(index)).missing.has_value());
        const auto found = shelf.pointTo(static_cast<std::size_t>(index), folder_.filePath("chassis.dbc").toStdString());
        QVERIFY(found.has_value());
        QVERIFY(!shelf.at(*found).missing);
        QCOMPARE(QByteArray::fromStdString(rig->buses[0].databases.front()), QByteArray("chassis.dbc"));
        QVERIFY(!shelf.pointTo(static_cast<std::size_t>(index), folder_.filePath("rig.json").toStdString()).has_value());
    }

private:
    QTemporaryDir folder_;
    MainWindow* window_ = nullptr;
};

int main(int argc, char** argv)
{
    QApplication application(argc, argv);
    DatabaseViewTest test;
    return QTest::qExec(&test, argc, argv);
}
#include "database_view_test.moc"
