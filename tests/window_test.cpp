// SPDX-License-Identifier: GPL-3.0-or-later
// The window as hand and eye meet it: its size, keys, focus, menus, what is dropped on it, and how it ends.
#include <QApplication>
#include <QContextMenuEvent>
#include <QDropEvent>
#include <QFile>
#include <QFileDialog>
#include <QInputDialog>
#include <QLineEdit>
#include <QMenu>
#include <QMessageBox>
#include <QMimeData>
#include <QProcess>
#include <QPushButton>
#include <QScreen>
#include <QScrollArea>
#include <QSettings>
#include <QTabBar>
#include <QTemporaryDir>
#include <QTest>
#include <QTreeWidget>
#include <QUrl>

#include <csignal>
#include <unistd.h>

#include "answers.h"
#include "app/convert/convert_dialog.h"
#include "app/database/database_view.h"
#include "app/import/several_logs_dialog.h"
#include "app/inspector/inspector_view.h"
#include "app/keeping/keeping.h"
#include "app/keeping/keeping_options.h"
#include "app/load/load_view.h"
#include "app/paint/paint.h"
#include "app/playback/playback_view.h"
#include "app/shell/closing_dialog.h"
#include "app/shell/ending.h"
#include "app/shell/main_window.h"
#include "app/shell/rig_tree.h"
#include "app/parts/settings.h"
#include "app/shell/settings_dialog.h"
#include "app/shell/status_line.h"
#include "app/stream/stream_view.h"
#include "app/theme/theme.h"
#include "formats/log_file.h"
#include "spool/unfinished.h"

using namespace wavetrope;
using namespace wavetrope::app;

class WindowTest : public QObject {
    Q_OBJECT
    QTemporaryDir folder_;

    QString at(const char* name) const { return folder_.filePath(QLatin1String(name)); }
    bool write(const char* name, const QByteArray& bytes) const
    {
        QFile file(at(name));
        return file.open(QIODevice::WriteOnly) && file.write(bytes) == bytes.size();
    }
    QByteArray bytesOf(const char* name) const
    {
        QFile file(at(name));
        return file.open(QIODevice::ReadOnly) ? file.readAll() : QByteArray();
    }
    std::string runs() const { return at("runs").toStdString(); }
    rig::Rig rig() const { return *rig::loadRig(at("rig.json").toStdString()); }
    /// A window on the running rig; it is shown, active, and has frames.
    std::unique_ptr<MainWindow> window()
    {
        auto document = liveRun(rig());
        if (!document)
            return nullptr;
        auto made = std::make_unique<MainWindow>(std::move(*document));
        made->setAttribute(Qt::WA_DeleteOnClose, false);
        made->show();
        QApplication::setActiveWindow(made.get());
        if (!QTest::qWaitForWindowExposed(made.get())
            || !QTest::qWaitFor([&] { return made->stage().snapshot().valid() && made->stage().snapshot().rows() > 20; }))
            return nullptr;
        return made;
    }
    std::unique_ptr<MainWindow> logWindow()
    {
        auto made = std::make_unique<MainWindow>(RunDocument::log(at("log.pcapng").toStdString(), rig()));
        made->setAttribute(Qt::WA_DeleteOnClose, false);
        made->show();
        if (!QTest::qWaitFor([&] { return made->document().ready(); }))
            return nullptr;
        return made;
    }
    static void drop(QWidget* target, const QStringList& paths)
    {
        QMimeData mime;
        QList<QUrl> urls;
        for (const QString& path : paths)
            urls << QUrl::fromLocalFile(path);
        mime.setUrls(urls);
        QDragEnterEvent enter(QPoint(20, 20), Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(target, &enter);
        QVERIFY(enter.isAccepted());
        QDropEvent event(QPointF(20, 20), Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(target, &event);
    }
    static void closeAllBut(const std::vector<MainWindow*>& these)
    {
        const auto all = MainWindow::all();
        for (MainWindow* one : all)
            if (std::find(these.begin(), these.end(), one) == these.end())
                one->closeWithoutAsking();
        QTRY_COMPARE(MainWindow::all().size(), these.size());
    }
    /// Calls `look` with every tab of every pane of every page in front, and words for where that is.
    static void everyTab(MainWindow& window, const std::function<void(const QString&)>& look)
    {
        for (int page = 0; page < window.pageCount(); ++page) {
            window.showPage(window.pageAt(page)->name());
            int most = 1;
            for (const Pane* pane : window.currentPage()->panes())
                most = std::max(most, pane->count());
            for (int tab = 0; tab < most; ++tab) {
                for (Pane* pane : window.currentPage()->panes())
                    pane->setCurrent(std::min(tab, pane->count() - 1));
                QApplication::processEvents();
                look(QStringLiteral("%1, tab %2").arg(window.currentPage()->name()).arg(tab + 1));
            }
        }
    }
    static QString told(const MainWindow& window) { return window.findChild<StatusLine*>()->state(); }

private Q_SLOTS:
    void initTestCase()
    {
        qputenv("XDG_CONFIG_HOME", folder_.path().toUtf8());
        QApplication::setOrganizationName(QStringLiteral("wavetrope"));
        QApplication::setApplicationName(QStringLiteral("wavetrope"));
        QApplication::setQuitOnLastWindowClosed(false);
        QSettings().setValue(QStringLiteral("keeping/folder"), QString::fromStdString(runs()));
        QSettings().sync();
        Theme::get().choose(ThemeName::paper);
        QVERIFY(write("bench.dbc", "VERSION \"\"\nBU_: Pump Panel\nBO_ 256 Flow: 8 Pump\n SG_ Rate : 0|16@1+ (0.1,0) [0|500] \"l/min\" "
                                   "Panel\n SG_ Heat : 16|8@1+ (1,-40) [-40|215] \"degC\" Panel\n"));
        QVERIFY(write("rig.json", "{\n  \"wavetrope\": 1,\n  \"name\": \"bench\",\n  \"buses\": [{\"name\": \"Bench\", \"rate\": \"500k\", "
                                  "\"databases\": [\"bench.dbc\"]}],\n"
                                  "  \"nodes\": [{\"name\": \"Pump\", \"buses\": [\"Bench\"], \"sends\": [{\"id\": \"0x100\", \"bus\": "
                                  "\"Bench\", \"every\": \"5 ms\"}]}]\n}\n"));
        const trace::TraceBus bus{"Bench", {}};
        for (const char* name : {"log.pcapng", "other.pcapng"}) {
            auto file = formats::LogFile::create(at(name).toStdString(), std::span(&bus, 1));
            QVERIFY(file.has_value());
            for (int i = 0; i < 400; ++i) {
                can::Frame frame;
                frame.time = i * std::chrono::milliseconds(10);
                frame.id = {0x100, false};
                frame.length = frame.dlc = 8;
                frame.data[0] = static_cast<std::uint8_t>(i);
                (*file)->write(frame.view());
            }
            QVERIFY((*file)->finish().has_value());
        }
    }

    void aWindowAsksForNoMoreThanTheScreenHas()
    {
        auto shown = window();
        QVERIFY(shown != nullptr);
        const QSize room = shown->screen()->availableGeometry().size();
        QVERIFY(shown->width() <= room.width() && shown->height() <= room.height());
        QVERIFY(shown->minimumWidth() <= room.width() && shown->minimumHeight() <= room.height());
        for (const double scale : {1.0, 1.4}) {
            Theme::get().setScale(scale);
            for (int page = 0; page < shown->pageCount(); ++page) {
                shown->showPage(shown->pageAt(page)->name());
                QApplication::processEvents();
                const QSize least = shown->minimumSizeHint();
                QVERIFY2(least.width() <= 1016 && least.height() <= 660,
                    qPrintable(
                        QStringLiteral("%1 x %2 on page %3 at text %4").arg(least.width()).arg(least.height()).arg(page).arg(scale)));
            }
        }
        Theme::get().setScale(1);
        shown->closeWithoutAsking();
    }

    void namesInTheTreeAreCutLast()
    {
        auto shown = window();
        QVERIFY(shown != nullptr);
        Theme::get().setScale(1.4);
        shown->resize(1016, 660);
        QTreeWidget* tree = shown->rigTree()->tree();
        tree->expandAll();
        QApplication::processEvents();
        int looked = 0;
        for (QTreeWidgetItemIterator it(tree); *it != nullptr; ++it) {
            const QRect row = tree->visualItemRect(*it);
            if (row.isEmpty())
                continue;
            ++looked;
            const int name = QFontMetrics(Theme::get().body()).horizontalAdvance((*it)->text(0));
            QVERIFY2(row.left() + Theme::get().px(3) + name <= tree->viewport()->width(), qPrintable((*it)->text(0)));
        }
        QVERIFY(looked >= 4);
        Theme::get().setScale(1);
        shown->closeWithoutAsking();
    }

    // Tree and inspector have their usual room in any window, until somebody gives them another.
    void sidesHaveTheirUsualRoomUntilTheyAreDragged()
    {
        auto made = window();
        QVERIFY(made);
        const auto* tree = made->findChild<RigTree*>();
        made->resize(1024, 700);
        QTRY_COMPARE(made->width(), 1024);
        const int narrow = tree->width();
        made->resize(1920, 1000);
        QTRY_VERIFY(tree->width() > narrow);
        QCOMPARE(tree->width(), Theme::get().px(228));
        Theme::get().setScale(1.4);
        QTRY_COMPARE(tree->width(), Theme::get().px(228));
        Theme::get().setScale(1);
        QTRY_COMPARE(tree->width(), Theme::get().px(228));
        auto* handle = made->centralWidget()->findChild<QSplitter*>()->handle(1);
        QTest::mousePress(handle, Qt::LeftButton, Qt::NoModifier, handle->rect().center());
        QTest::mouseMove(handle, handle->rect().center() + QPoint(60, 0));
        QTest::mouseRelease(handle, Qt::LeftButton, Qt::NoModifier, handle->rect().center() + QPoint(60, 0));
        const int chosen = tree->width();
        QVERIFY(chosen > Theme::get().px(228));
        made->resize(1800, 1000);
        QTRY_COMPARE(made->width(), 1800);
        QCOMPARE(tree->width(), chosen);
        made->closeWithoutAsking();
    }
    void noNoticeMovesAPane()
    {
        auto shown = window();
        QVERIFY(shown != nullptr);
        shown->resize(1280, 800);
        shown->showPage(QStringLiteral("Watch"));
        const auto places = [&] {
            QList<QRect> all;
            for (const Pane* pane : shown->currentPage()->panes())
                all << QRect(pane->mapTo(shown.get(), QPoint()), pane->size());
            return all;
        };
        QApplication::processEvents();
        const auto before = places();
        auto* stream = shown->currentPage()->find<StreamView>();
        stream->filterLine()->setText(
            QStringLiteral("nobody knows what this long sentence is to mean, least of all the parser that has to find a name for it"));
        QTRY_VERIFY(shown->findChild<QLabel*>(QStringLiteral("filterProblem")) != nullptr
                    && shown->findChild<QLabel*>(QStringLiteral("filterProblem"))->isVisible());
        QCOMPARE(places(), before);
        stream->filterLine()->setText({});
        // A database that another program writes meanwhile.
        shown->showPage(QStringLiteral("Databases"));
        shown->openDefinition(0, can::Identifier{0x100, false}.key());
        auto* editor = shown->currentPage()->find<DatabaseView>();
        QApplication::processEvents();
        const auto edited = places();
        const QByteArray original = bytesOf("bench.dbc");
        QVERIFY(write("bench.dbc", QByteArray(original).replace("l/min", "gal")));
        auto* notice = editor->findChild<QWidget*>(QStringLiteral("diskNotice"));
        QVERIFY(notice != nullptr);
        QTRY_VERIFY(notice->isVisible() || editor->findChildren<QLineEdit*>().isEmpty());
        QCOMPARE(places(), edited);
        QVERIFY(write("bench.dbc", original));
        shown->closeWithoutAsking();
    }

    void everyKeyThatGivesPlusEnlargesTheText()
    {
        auto shown = window();
        QVERIFY(shown != nullptr);
        shown->showPage(QStringLiteral("Watch"));
        Theme::get().setScale(1);
        const int row = Theme::get().rowHeight();
        const int tree = shown->rigTree()->tree()->indentation();
        double wanted = 1;
        for (const auto& [key, modifiers] : {std::pair{Qt::Key_Plus, Qt::KeyboardModifiers(Qt::ControlModifier)},
                 std::pair{Qt::Key_Plus, Qt::ControlModifier | Qt::ShiftModifier},
                 std::pair{Qt::Key_Equal, Qt::KeyboardModifiers(Qt::ControlModifier)}}) {
            QTest::keyClick(shown.get(), key, modifiers);
            wanted += 0.1;
            QVERIFY2(std::abs(Theme::get().scale() - wanted) < 1e-9, qPrintable(QString::number(Theme::get().scale())));
        }
        QVERIFY(Theme::get().rowHeight() > row && shown->rigTree()->tree()->indentation() > tree);     // at once
        for (const auto& [key, modifiers] : {std::pair{Qt::Key_Minus, Qt::KeyboardModifiers(Qt::ControlModifier)},
                 std::pair{Qt::Key_Underscore, Qt::KeyboardModifiers(Qt::ControlModifier)},
                 std::pair{Qt::Key_Minus, Qt::KeyboardModifiers(Qt::ControlModifier)}}) {
            QTest::keyClick(shown.get(), key, modifiers);
            wanted -= 0.1;
            QVERIFY(std::abs(Theme::get().scale() - wanted) < 1e-9);
        }
        // A press of a key is looked up as the key with Shift and as what it types with Shift. Exactly one of a window's
        // sequences may fit, on keyboards that have plus with Shift (US) and without (German).
        QMultiMap<QString, const QAction*> all;
        for (const QAction* action : shown->findChildren<QAction*>())
            for (const QKeySequence& sequence : action->shortcuts())
                all.insert(sequence.toString(QKeySequence::PortableText), action);
        for (const QStringList& press : {QStringList{QStringLiteral("Ctrl+=")}, {QStringLiteral("Ctrl+Shift+="), QStringLiteral("Ctrl++")},
                 {QStringLiteral("Ctrl++")}, {QStringLiteral("Ctrl+Shift++"), QStringLiteral("Ctrl+*")}, {QStringLiteral("Ctrl+-")},
                 {QStringLiteral("Ctrl+Shift+-"), QStringLiteral("Ctrl+_")}}) {
            qsizetype fitting = 0;
            for (const QString& sequence : press)
                fitting += all.count(sequence);
            QVERIFY2(fitting == 1, qPrintable(QStringLiteral("%1: %2").arg(press.join(QLatin1Char('/'))).arg(fitting)));
        }
        for (const QString& sequence : all.uniqueKeys())
            QVERIFY2(all.count(sequence) == 1, qPrintable(sequence));
        shown->closeWithoutAsking();
    }

    // Whatever shows text shows it larger at once, on every page.
    void allTextsGrow()
    {
        auto shown = window();
        QVERIFY(shown != nullptr);
        shown->resize(1280, 800);
        QStringList same;
        int looked = 0;
        everyTab(*shown, [&](const QString& where) {
            QHash<const QWidget*, int> before;
            for (const QWidget* widget : shown->findChildren<QWidget*>())
                if (qobject_cast<const QLabel*>(widget) != nullptr || qobject_cast<const QAbstractButton*>(widget) != nullptr
                    || qobject_cast<const QLineEdit*>(widget) != nullptr || qobject_cast<const QComboBox*>(widget) != nullptr
                    || qobject_cast<const QTabBar*>(widget) != nullptr)
                    if (widget->isVisible())
                        before.insert(widget, QFontInfo(widget->font()).pixelSize());
            Theme::get().setScale(1.4);
            QApplication::processEvents();
            for (const QWidget* widget : shown->findChildren<QWidget*>()) {
                if (!before.contains(widget))
                    continue;
                ++looked;
                if (QFontInfo(widget->font()).pixelSize() <= before.value(widget))
                    same << QStringLiteral("%1: %2 %3 %4")
                                .arg(where, QLatin1String(widget->metaObject()->className()), widget->objectName(),
                                    widget->property("text").toString());
            }
            Theme::get().setScale(1);
            QApplication::processEvents();
        });
        QVERIFY(looked > 60);
        QVERIFY2(same.isEmpty(), qPrintable(same.join(QLatin1Char('\n'))));
        shown->closeWithoutAsking();
    }

    void savingGoesToWhatIsEdited()
    {
        const QByteArray database = bytesOf("bench.dbc");
        const QByteArray document = bytesOf("rig.json");
        auto shown = window();
        QVERIFY(shown != nullptr);
        shown->resize(1280, 800);
        shown->renamePage(0, QStringLiteral("Cold start"));     // the rig is edited as well
        shown->showPage(QStringLiteral("Databases"));
        shown->openDefinition(0, can::Identifier{0x100, false}.key());
        auto* editor = shown->currentPage()->find<DatabaseView>();
        Desk& desk = shown->stage().desk();
        desk.choose(desk.message()->uid, desk.message()->find("Heat")->uid);
        auto* unit = editor->findChild<QLineEdit*>(QStringLiteral("signalUnit"));
        QVERIFY(unit != nullptr);
        QTRY_VERIFY(unit->isVisible());
        unit->setFocus();
        unit->selectAll();
        QTest::keyClicks(unit, QStringLiteral("K"));
        QTest::keyClick(unit, Qt::Key_Return);
        QVERIFY(shown->isWindowModified());
        unit->setFocus();
        QTest::keyClick(shown.get(), Qt::Key_S, Qt::ControlModifier);
        QTRY_VERIFY(bytesOf("bench.dbc").contains("\"K\""));
        QCOMPARE(bytesOf("rig.json"), document);
        QCOMPARE(told(*shown), QStringLiteral("saved to %1").arg(at("bench.dbc")));
        QVERIFY(shown->isWindowModified());
        // Elsewhere it is the rig.
        shown->rigTree()->tree()->setFocus();
        QTest::keyClick(shown.get(), Qt::Key_S, Qt::ControlModifier);
        QTRY_VERIFY(bytesOf("rig.json").contains("Cold start"));
        QCOMPARE(told(*shown), QStringLiteral("saved to %1").arg(at("rig.json")));
        QVERIFY(!shown->isWindowModified());
        shown->closeWithoutAsking();
        QVERIFY(write("bench.dbc", database) && write("rig.json", document));
    }

    void aLogIsPlayedWhereItsRigRuns()
    {
        auto log = logWindow();
        auto first = window();
        QVERIFY(log != nullptr && first != nullptr);
        log->showPage(QStringLiteral("Drive"));
        auto* button = log->currentPage()->find<PlaybackView>()->findChild<QPushButton*>(QStringLiteral("chooseLog"));
        QVERIFY(button != nullptr);
        const auto loaded = [](const MainWindow& window) {
            return const_cast<MainWindow&>(window).document().session()->playbackReport().loaded;
        };
        // One window runs the rig: that one, and no other is made.
        QTRY_VERIFY(button->isVisible());
        QTest::mouseClick(button, Qt::LeftButton);
        QCOMPARE(MainWindow::all().size(), std::size_t{2});
        QTRY_VERIFY(loaded(*first));
        // Two of them: it is asked which.
        auto second = window();
        QVERIFY(second != nullptr && !loaded(*second));
        QStringList offered;
        test::whenModal<QInputDialog>(this, [&](QInputDialog* dialog) {
            offered = dialog->comboBoxItems();
            dialog->reject();
        });
        QTest::mouseClick(button, Qt::LeftButton);
        QCOMPARE(offered.size(), 3);
        QVERIFY(offered[2].contains(QStringLiteral("new window")) && offered[0] != offered[1]);
        QVERIFY(!loaded(*second));
        QCOMPARE(MainWindow::all().size(), std::size_t{3});
        test::whenModal<QInputDialog>(this, [&](QInputDialog* dialog) {
            dialog->setTextValue(dialog->comboBoxItems().at(1));
            dialog->accept();
        });
        QTest::mouseClick(button, Qt::LeftButton);
        QTRY_VERIFY(loaded(*second));
        QCOMPARE(MainWindow::all().size(), std::size_t{3});
        for (MainWindow* one : {log.get(), first.get(), second.get()})
            one->closeWithoutAsking();
    }

    void whatIsDroppedOpensOrIsRefused()
    {
        auto shown = logWindow();
        QVERIFY(shown != nullptr);
        QVERIFY(write("picture.bin", QByteArray("\x89\x00\x01junk that is no log\x02\x03", 27).repeated(40)));
        // No log: a word, and no window.
        QString said;
        test::whenModal<QMessageBox>(this, [&](QMessageBox* box) {
            said = box->text();
            box->accept();
        });
        drop(shown.get(), {at("picture.bin")});
        QTRY_VERIFY(!said.isEmpty());
        QVERIFY2(said.contains(QStringLiteral("picture.bin")), qPrintable(said));
        QTRY_VERIFY(QApplication::activeModalWidget() == nullptr);
        QCOMPARE(MainWindow::all().size(), std::size_t{1});
        // Two logs: as one, or each by itself, or not at all.
        const auto answer = [&](const QString& word) {
            test::whenModal<QMessageBox>(this, [word](QMessageBox* box) {
                QCOMPARE(box->objectName(), QStringLiteral("severalDropped"));
                for (QAbstractButton* button : box->buttons())
                    if (button->text().remove(QLatin1Char('&')) == word)
                        return button->click();
                box->reject();
            });
            drop(shown.get(), {at("log.pcapng"), at("other.pcapng")});
        };
        answer(QStringLiteral("Cancel"));
        QTRY_VERIFY(QApplication::activeModalWidget() == nullptr);
        answer(QStringLiteral("A window each"));
        QTRY_COMPARE(MainWindow::all().size(), std::size_t{3});
        closeAllBut({shown.get()});
        test::whenModal<SeveralLogsDialog>(this, [](SeveralLogsDialog* dialog) { dialog->accept(); });
        answer(QStringLiteral("One window"));
        QTRY_COMPARE(MainWindow::all().size(), std::size_t{2});
        closeAllBut({shown.get()});
        shown->closeWithoutAsking();
    }

    void nowReturnsToTheUsualSpan()
    {
        auto shown = window();
        QVERIFY(shown != nullptr);
        Stage& stage = shown->stage();
        stage.setUsualWindow(std::chrono::milliseconds(50));
        stage.setWindow(stage.wholeFrom(), stage.wholeFrom() + std::chrono::milliseconds(3));
        QVERIFY(!stage.following());
        shown->rigTree()->tree()->setFocus();
        QTest::keyClick(shown.get(), Qt::Key_Space);
        QTRY_VERIFY(stage.following());
        QTRY_COMPARE((stage.windowTo() - stage.windowFrom()).count(), std::int64_t{50'000'000});
        shown->closeWithoutAsking();
    }

    void timelineLoadAndRunBarHaveMenus()
    {
        auto shown = window();
        QVERIFY(shown != nullptr);
        shown->resize(1280, 800);
        const auto ask = [&](QWidget* widget, const QPoint& place) {
            QContextMenuEvent event(QContextMenuEvent::Mouse, place, widget->mapToGlobal(place));
            QApplication::sendEvent(widget, &event);
            auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget());
            QStringList words;
            for (const QAction* action : menu == nullptr ? QList<QAction*>() : menu->actions())
                words << action->text();
            if (menu != nullptr)
                menu->close();
            return words.join(QLatin1Char('|'));
        };
        const QString timeline = ask(shown->timeline(), QPoint(200, 30));
        QVERIFY2(timeline.contains(QStringLiteral("Cursor at")) && timeline.contains(QStringLiteral("Note here"))
                     && timeline.contains(QStringLiteral("Back to now")),
            qPrintable(timeline));
        const QString bar = ask(shown->runBar(), QPoint(400, 10));
        QVERIFY2(
            bar.contains(QStringLiteral("Save rig")) && bar.contains(QStringLiteral("Settings")) && bar.contains(QStringLiteral("Help")),
            qPrintable(bar));
        shown->showPage(QStringLiteral("Analyse"));
        auto* load = shown->currentPage()->find<LoadView>();
        QTRY_VERIFY(load->isVisible());
        const QString words = ask(load, QPoint(30, 30));
        QVERIFY2(words.contains(QStringLiteral("Load of Bench")) && words.contains(QStringLiteral("Copy as a picture")), qPrintable(words));
        shown->closeWithoutAsking();
    }

    // On every page, whatever the keyboard reaches looks different while it has the focus.
    void focusCanBeSeen()
    {
        auto shown = window();
        QVERIFY(shown != nullptr);
        shown->resize(1280, 800);
        shown->document().session()->stop();        // nothing moves by itself
        QApplication::setCursorFlashTime(0);
        std::size_t looked = 0;
        QStringList unseen;
        for (const ThemeName theme : {ThemeName::paper, ThemeName::ink}) {
            Theme::get().choose(theme);
            everyTab(*shown, [&](const QString& where) {
                QList<QPointer<QWidget>> all;       // marks come and go
                for (QWidget* widget : shown->findChildren<QWidget*>())
                    all << widget;
                for (const QPointer<QWidget>& widget : all) {
                    if (widget.isNull() || !widget->isVisible() || !widget->isEnabled() || (widget->focusPolicy() & Qt::TabFocus) == 0
                        || widget->focusProxy() != nullptr || widget->visibleRegion().isEmpty())
                        continue;
                    QWidget* elsewhere = widget == shown->rigTree()->findBox() ? static_cast<QWidget*>(shown->timeline())
                                                                               : shown->rigTree()->findBox();
                    elsewhere->setFocus(Qt::TabFocusReason);
                    QApplication::processEvents();
                    const QRect area = QRect(widget->mapTo(shown.get(), QPoint()), widget->size()).adjusted(-3, -3, 3, 3);
                    const QImage before = shown->grab(area).toImage();
                    widget->setFocus(Qt::TabFocusReason);
                    QApplication::processEvents();
                    if (QApplication::focusWidget() != widget)
                        continue;
                    ++looked;
                    if (shown->grab(area).toImage() == before)
                        unseen << QStringLiteral("%1: %2 %3")
                                      .arg(where, QLatin1String(widget->metaObject()->className()), widget->objectName());
                }
            });
        }
        QVERIFY2(looked > 60, qPrintable(QString::number(looked)));
        QVERIFY2(unseen.isEmpty(), qPrintable(unseen.join(QLatin1Char('\n'))));
        Theme::get().choose(ThemeName::paper);
        shown->closeWithoutAsking();
    }

    // By the tabulator: from the run bar to the timeline, the tree, the views, the inspector, and in each from left to right.
    void focusGoesInReadingOrder()
    {
        auto shown = window();
        QVERIFY(shown != nullptr);
        shown->resize(1280, 800);
        shown->document().session()->stop();
        QStringList astray;
        for (int page = 0; page < shown->pageCount(); ++page) {
            shown->showPage(shown->pageAt(page)->name());
            QApplication::processEvents();
            const std::vector<QWidget*> parts = {shown->runBar(), shown->timeline(), shown->rigTree(),
                shown->findChild<QTabBar*>(QStringLiteral("pageTabs")), shown->currentPage(), shown->inspector()};
            shown->runBar()->nameButton->setFocus(Qt::TabFocusReason);
            std::size_t part = 0;
            std::vector<QWidget*> seen = {QApplication::focusWidget()};
            for (int i = 0; i < 120; ++i) {
                QTest::keyClick(QApplication::focusWidget(), Qt::Key_Tab);
                QWidget* now = QApplication::focusWidget();
                QVERIFY(now != nullptr);
                if (now == seen.front())
                    break;
                if (std::find(seen.begin(), seen.end(), now) != seen.end())
                    break;      // a view that keeps the key for itself
                std::size_t in = parts.size();
                for (std::size_t k = 0; k < parts.size(); ++k)
                    if (parts[k] == now || parts[k]->isAncestorOf(now))
                        in = k;
                if (in == parts.size())
                    continue;
                const QString step = QStringLiteral("page %1: from %2 %3 to %4 %5")
                                         .arg(page)
                                         .arg(QLatin1String(seen.back()->metaObject()->className()), seen.back()->objectName(),
                                             QLatin1String(now->metaObject()->className()), now->objectName());
                if (in < part)
                    astray << step;
                if (in == part) {
                    const QRect last(seen.back()->mapTo(shown.get(), QPoint()), seen.back()->size());
                    const QRect here(now->mapTo(shown.get(), QPoint()), now->size());
                    const bool sameLine = here.top() < last.bottom() && last.top() < here.bottom();
                    if (sameLine && here.left() < last.left())
                        astray << step;
                }
                part = in;
                seen.push_back(now);
            }
            QVERIFY2(seen.size() >= 8, qPrintable(QStringLiteral("%1 on page %2").arg(seen.size()).arg(page)));
        }
        QVERIFY2(astray.isEmpty(), qPrintable(astray.join(QLatin1Char('\n'))));
        shown->closeWithoutAsking();
    }

    void kindsOfFlagsDifferByTheirShape()
    {
        const auto shape = [](Flag flag) {
            QImage image(24, 24, QImage::Format_ARGB32);
            image.fill(Qt::transparent);
            QPainter painter(&image);
            paintFlag(painter, QPointF(12, 12), 12, flag);
            painter.end();
            QByteArray mask;
            for (int y = 0; y < 24; ++y)
                for (int x = 0; x < 24; ++x)
                    mask.append(qAlpha(image.pixel(x, y)) > 127 ? '1' : '0');
            return mask;
        };
        const auto apart = [](const QByteArray& a, const QByteArray& b) {
            int n = 0;
            for (qsizetype i = 0; i < a.size(); ++i)
                n += a[i] != b[i] ? 1 : 0;
            return n;
        };
        const QByteArray wrong = shape(Flag::wrong), condition = shape(Flag::condition), note = shape(Flag::note);
        QVERIFY(wrong.count('1') > 20 && condition.count('1') > 20 && note.count('1') > 20);
        for (const int difference : {apart(wrong, condition), apart(wrong, note), apart(condition, note)})
            QVERIFY2(difference > 15, qPrintable(QString::number(difference)));
    }

    // The letter of a bus is a text, too: no smaller than the others.
    void lettersOfBusesAreNoSmallerThanOtherTexts()
    {
        QImage image(14, 14, QImage::Format_RGB32);
        image.fill(Theme::get().surface);
        QPainter painter(&image);
        paintBusBadge(painter, QRectF(0, 0, 14, 14), 7);    // an H
        painter.end();
        int rows = 0;
        for (int y = 2; y < 12; ++y) {
            bool ink = false;
            for (int x = 3; x < 11; ++x)
                ink = ink || qGray(image.pixel(x, y)) < 128;
            rows += ink ? 1 : 0;
        }
        QVERIFY2(rows >= QFontMetrics(Theme::get().text(11, QFont::Bold)).capHeight() - 1, qPrintable(QString::number(rows)));
    }

    // Two fields whose tints some eyes cannot tell apart differ in grey, too.
    void fieldsDifferByTheirTexture()
    {
        const auto texture = [](std::size_t field) {
            QImage image(40, 20, QImage::Format_RGB32);
            image.fill(Qt::white);
            QPainter painter(&image);
            paintTint(painter, QRectF(0, 0, 40, 20), field);
            painter.end();
            const QRgb ground = Theme::get().tint[field % Theme::get().tint.size()].rgb();
            QByteArray mask;
            for (int y = 0; y < 20; ++y)
                for (int x = 0; x < 40; ++x)
                    mask.append(image.pixel(x, y) == ground ? '0' : '1');
            return mask;
        };
        for (const ThemeName theme : {ThemeName::paper, ThemeName::ink}) {
            Theme::get().choose(theme);
            QCOMPARE(texture(1).count('1'), 0);
            QVERIFY(texture(2).count('1') > 40 && texture(3).count('1') > 20);
            QVERIFY(texture(2) != texture(3));
            QCOMPARE(texture(2 + Theme::get().tint.size()), texture(2));
        }
        Theme::get().choose(ThemeName::paper);
    }

    void aNewRigAsksForItsName()
    {
        auto shown = window();
        QVERIFY(shown != nullptr);
        shown->newRig();
        QCOMPARE(MainWindow::all().size(), std::size_t{2});
        MainWindow* made = MainWindow::all().back();
        QVERIFY(made->windowTitle().contains(QStringLiteral("New rig")));
        QApplication::setActiveWindow(made);
        bool asked = false;
        test::whenModal<QFileDialog>(this, [&](QFileDialog* dialog) {
            asked = true;
            dialog->reject();
        });
        QVERIFY(!made->saveRig());
        QVERIFY(asked);
        QVERIFY(made->saveRigTo(at("new.json")));
        QVERIFY(bytesOf("new.json").contains("New rig"));
        QVERIFY(made->saveRig());       // it has one now
        made->closeWithoutAsking();
        shown->closeWithoutAsking();
    }

    // The rig's own definitions are saved with it, by the button that promises so.
    void ownDefinitionsAreSavedByTheirButton()
    {
        const QByteArray document = bytesOf("rig.json");
        auto shown = window();
        QVERIFY(shown != nullptr);
        shown->resize(1280, 800);
        shown->showPage(QStringLiteral("Databases"));
        shown->openDefinition(0, can::Identifier{0x2A0, false}.key());
        QVERIFY(shown->stage().desk().entry().own);
        QVERIFY(shown->isWindowModified());
        auto* save = shown->currentPage()->findChild<QPushButton*>(QStringLiteral("databaseSave"));
        QTRY_VERIFY(save != nullptr && save->isVisible() && save->isEnabled());
        QTest::mouseClick(save, Qt::LeftButton);
        QTRY_VERIFY2(bytesOf("rig.json").contains("Message_2A0"), bytesOf("rig.json").constData());
        QVERIFY(!shown->isWindowModified());
        shown->closeWithoutAsking();
        QVERIFY(write("rig.json", document));
    }

    void memoryAndDiskTellsHowLongRunsAreKept()
    {
        KeepingDialog dialog;
        QString words;
        for (const QLabel* label : dialog.findChildren<QLabel*>())
            words += label->text() + QLatin1Char('\n');
        QVERIFY2(words.contains(QStringLiteral("%1 days").arg(keptRunDays())), qPrintable(words));
    }

    void theFilterOfAConversionTakesTheRoomThatIsThere()
    {
        auto shown = logWindow();
        QVERIFY(shown != nullptr);
        ConvertDialog dialog(shown->stage(), QStringLiteral("Flow.Rate > 3 l/min"), shown.get());
        dialog.show();
        QVERIFY(QTest::qWaitForWindowExposed(&dialog));
        auto* line = dialog.findChild<FilterLine*>();
        QVERIFY(line != nullptr);
        QVERIFY2(line->edit()->width() >= dialog.width() * 45 / 100,
            qPrintable(QStringLiteral("%1 of %2").arg(line->edit()->width()).arg(dialog.width())));
        QCOMPARE(line->text(), QStringLiteral("Flow.Rate > 3 l/min"));
        // Whatever is said beside it.
        line->setText(QStringLiteral("nobody knows what this long sentence is to mean"));
        QTRY_VERIFY(line->edit()->property("wrong").toBool());
        QApplication::processEvents();
        QVERIFY2(line->edit()->width() >= dialog.width() * 45 / 100, qPrintable(QString::number(line->edit()->width())));
        dialog.close();
        shown->closeWithoutAsking();
    }

    // The end of the desktop's session asks as closing does, and a no keeps it all.
    void theEndOfTheSessionAsks()
    {
        QVERIFY(QDir(QString::fromStdString(runs())).removeRecursively());
        auto shown = window();
        QVERIFY(shown != nullptr);
        shown->renamePage(0, QStringLiteral("Cold start"));
        int asked = 0;
        test::whenModal<ClosingDialog>(this, [&](ClosingDialog* dialog) {
            ++asked;
            dialog->reject();
        });
        QVERIFY(!Ending::endSession(true));
        QVERIFY(asked == 1 && shown->isVisible());
        test::whenModal<ClosingDialog>(this, [&](ClosingDialog* dialog) {
            ++asked;
            QTest::mouseClick(dialog->findChild<QPushButton*>(QStringLiteral("closingDiscard")), Qt::LeftButton);
        });
        QVERIFY(Ending::endSession(true));
        QVERIFY(asked == 2 && !shown->isVisible());
        shown.reset();
        QVERIFY(spool::unfinishedRuns(runs()).empty());
        // Where nothing may be asked, the run is kept.
        shown = window();
        QVERIFY(shown != nullptr);
        QVERIFY(Ending::endSession(false));
        QVERIFY(!shown->isVisible());
        shown.reset();
        const auto kept = spool::unfinishedRuns(runs());
        QCOMPARE(kept.size(), std::size_t{1});
        QVERIFY(!kept[0].kept);     // nobody chose that: it stays until it was asked about
    }

    void aSignalAsksAboutEditsAlone()
    {
        auto shown = window();
        QVERIFY(shown != nullptr);
        const Ending ending;
        shown->renamePage(0, QStringLiteral("Cold start"));
        for (int i = 0; i < 2; ++i) {       // back to work, and the next one asks again
            bool asked = false;
            test::whenModal<ClosingDialog>(this, [&](ClosingDialog* dialog) {
                asked = true;
                dialog->reject();
            });
            ::kill(::getpid(), SIGTERM);
            QTRY_VERIFY(asked);
            QTRY_VERIFY(QApplication::activeModalWidget() == nullptr);
            QVERIFY(shown->isVisible());
        }
        shown->closeWithoutAsking();
    }

    // The program itself, ended from outside: the run is there at the next start, and nothing was asked.
    void aProgramThatIsEndedKeepsItsRun()
    {
        QVERIFY(QDir(QString::fromStdString(runs())).removeRecursively());
        QProcess program;
        QProcessEnvironment environment = QProcessEnvironment::systemEnvironment();
        environment.insert(QStringLiteral("QT_QPA_PLATFORM"), QStringLiteral("offscreen"));
        program.setProcessEnvironment(environment);
        program.setStandardErrorFile(QProcess::nullDevice());
        program.start(QStringLiteral(WAVETROPE_APP), {at("rig.json")});
        QVERIFY(program.waitForStarted());
        const auto found = [&] { return spool::unfinishedRuns(runs()); };
        const auto bytes = [&] {
            qint64 all = 0;
            for (const QFileInfo& file : QDir(QString::fromStdString(runs())).entryInfoList(QDir::Files))
                all += file.size();
            return all;
        };
        QTRY_VERIFY_WITH_TIMEOUT(bytes() > 2000, 30'000);
        program.terminate();
        QVERIFY(program.waitForFinished(30'000));
        QCOMPARE(program.exitStatus(), QProcess::NormalExit);
        QCOMPARE(program.exitCode(), 0);
        QCOMPARE(found().size(), std::size_t{1});
        QVERIFY(!found()[0].kept);
    }
};

int main(int argc, char** argv)
{
    QApplication application(argc, argv);
    WindowTest test;
    return QTest::qExec(&test, argc, argv);
}
#include "window_test.moc"
