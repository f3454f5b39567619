// SPDX-License-Identifier: GPL-3.0-or-later
// The real window on a run that is larger than its memory, on a disk that fills up, and after a crash.
#include <QApplication>
#include <QDialogButtonBox>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QMessageBox>
#include <QProcess>
#include <QScrollBar>
#include <QSettings>
#include <QStorageInfo>
#include <QTemporaryDir>
#include <QTest>
#include <QTimer>

#include "answers.h"
#include "app/keeping/keeping.h"
#include "app/keeping/keeping_options.h"
#include "app/keeping/recovery_dialog.h"
#include "app/between/between_view.h"
#include "app/shell/main_window.h"
#include "app/shell/status_line.h"
#include "app/stream/stream_view.h"
#include "app/theme/theme.h"
#include "formats/trace_sink.h"

using namespace wavetrope;
using namespace wavetrope::app;
using namespace std::chrono_literals;

class KeepingTest : public QObject {
    Q_OBJECT
    QTemporaryDir folder_;
    rig::Rig rig_;

    QString runs() const { return folder_.filePath(QStringLiteral("runs")); }
    /// A live window, as fast as the machine can.
    std::unique_ptr<MainWindow> fastRun()
    {
        auto document = liveRun(rig_, 5000);
        if (!document)
            return nullptr;
        auto window = std::make_unique<MainWindow>(std::move(*document));
        window->resize(1280, 800);
        window->show();
        return window;
    }
    static StreamView* streamOf(MainWindow& window)
    {
        window.showPage(QStringLiteral("Watch"));
        return window.currentPage()->find<StreamView>();
    }
    /// A run that its program did not end.
    void crash(qint64 bytes)
    {
        const auto kept = [this] {
            qint64 all = 0;
            for (const QFileInfo& file : QDir(runs()).entryInfoList(QDir::Files))
                all += file.size();
            return all;
        };
        const qint64 before = kept();
        QProcess program;
        program.start(
            QStringLiteral(WAVETROPE_CLI), {QStringLiteral("run"), QStringLiteral(WAVETROPE_DEMO "/rig.json"), QStringLiteral("--for"),
                                               QStringLiteral("3600s"), QStringLiteral("--spool"), runs()});
        QVERIFY(program.waitForStarted());
        QTRY_VERIFY_WITH_TIMEOUT(kept() > before + bytes, 60'000);
        program.kill();
        QVERIFY(program.waitForFinished());
        QCOMPARE(program.exitStatus(), QProcess::CrashExit);
    }

private Q_SLOTS:
    void initTestCase()
    {
        qputenv("XDG_CONFIG_HOME", folder_.path().toUtf8());
        QApplication::setOrganizationName(QStringLiteral("wavetrope"));
        QApplication::setApplicationName(QStringLiteral("wavetrope"));
        Theme::get().choose(ThemeName::paper);
        rig_ = *rig::loadRig(WAVETROPE_DEMO "/rig.json");
    }

    void whatTheUserSettlesOnHoldsForTheNextRun()
    {
        QVERIFY(keepingOptions().has_value());
        QVERIFY(keepingOptions()->memory >= spool::leastMemory);
        KeepingDialog dialog;
        dialog.show();
        auto* folder = dialog.findChild<QLineEdit*>(QStringLiteral("keepingFolder"));
        auto* memory = dialog.findChild<QDoubleSpinBox*>(QStringLiteral("keepingMemory"));
        auto* on = dialog.findChild<QCheckBox*>(QStringLiteral("keepingOn"));
        folder->setText(QStringLiteral("somewhere"));
        QTest::keyClick(&dialog, Qt::Key_Return);
        QVERIFY(dialog.isVisible());    // a part of a path says nothing
        QTest::mouseClick(on, Qt::LeftButton, Qt::NoModifier, QPoint(8, on->height() / 2));
        QVERIFY(!folder->isEnabled() && !memory->isEnabled());
        QTest::mouseClick(on, Qt::LeftButton, Qt::NoModifier, QPoint(8, on->height() / 2));
        folder->setText(runs());
        memory->setValue(1);            // less than is of use
        QCOMPARE(memory->value(), 32.0);
        QTest::keyClick(&dialog, Qt::Key_Return);
        QVERIFY(!dialog.isVisible());
        QCOMPARE(keepingOptions()->folder, runs().toStdString());
        QCOMPARE(keepingOptions()->memory, std::size_t{32'000'000});
        QSettings().setValue(QStringLiteral("keeping/on"), false);
        QVERIFY(!keepingOptions().has_value());
        QSettings().setValue(QStringLiteral("keeping/on"), true);
    }

    void aRunLargerThanItsMemoryIsWatchedLikeAShortOne()
    {
        QSettings().setValue(QStringLiteral("keeping/memoryMB"), 32.0);
        auto window = fastRun();
        QVERIFY(window != nullptr);
        StreamView* stream = streamOf(*window);
        stream->filterLine()->setText({});
        const trace::Trace& trace = window->document().trace();
        // A third more than there is room for.
        QTRY_VERIFY_WITH_TIMEOUT(trace.rows() > 900'000, 200'000);
        const auto keeping = window->document().session()->keeping();
        QCOMPARE(keeping.memory, std::size_t{32'000'000});
        QCOMPARE(keeping.letGo, 0U);
        QVERIFY(keeping.bytes > 5'000'000);
        // Twice the bound is what a disk that is behind may cost.
        QVERIFY2(trace.residence()->bytes() <= 2 * keeping.memory, std::to_string(trace.residence()->bytes()).c_str());
        QTRY_VERIFY2(window->statusText().contains(QStringLiteral("on disk")), qPrintable(window->statusText()));
        // Back to the first frame of all, which has left memory long ago.
        stream->rows()->setFocus();
        QTest::keyClick(stream->rows(), Qt::Key_F6);
        QTest::keyClick(stream->rows(), Qt::Key_Home);
        QVERIFY(!window->stage().following());
        QTRY_COMPARE(window->stage().cursorRow(), trace::Row{0});
        QCOMPARE(stream->rows()->top(), 0U);
        // What stands there is what the rig does at its beginning, whoever runs it.
        rig::SessionOptions options;
        options.measured = false;
        auto same = rig::Session::create(rig_, rig::loadDatabases(rig_), options);
        QVERIFY(same.has_value());
        (*same)->runFor(1s, nullptr);
        const trace::Snapshot wanted = (*same)->trace().snapshot();
        const trace::Snapshot shown = window->stage().snapshot();
        for (trace::Row row = 0; row < 1000; ++row) {
            const can::FrameView a = shown.frame(row), b = wanted.frame(row);
            QVERIFY(a.id == b.id && a.time == b.time && a.length == b.length && std::equal(a.data, a.data + a.length, b.data));
        }
        const QString first = stream->rows()->rowText(0);
        QVERIFY2(first.contains(QString::fromStdString(can::toText(wanted.frame(0).id))), qPrintable(first));
        QVERIFY(!stream->rows()->grab().isNull());
        // Anywhere by the scroll bar while capture goes on; a filter counts the whole run.
        QScrollBar* bar = stream->rows()->verticalScrollBar();
        const std::uint64_t before = trace.rows();
        for (int i = 0; i <= 20; ++i) {
            bar->setValue(bar->maximum() / 20 * i);
            QVERIFY(!stream->rows()->grab().isNull());
        }
        stream->filterLine()->setText(QStringLiteral("id 0x310"));
        QTRY_COMPARE(stream->filterLine()->filter().text(), std::string("id 0x310"));
        QTRY_VERIFY_WITH_TIMEOUT(stream->scan() != nullptr && stream->scan()->seen() >= before, 30'000);
        QTRY_VERIFY(trace.rows() > before);
        const trace::Snapshot now(trace, before);
        const auto scanner = trace.find({3, false, {0x310, false}});
        QVERIFY(scanner.has_value());
        QCOMPARE(stream->scan()->lowerBound(before), now.countOf(*scanner));
        window->document().session()->stop();
        QCOMPARE(window->document().session()->keeping().letGo, 0U);
        window->closeWithoutAsking();
        window.reset();
        QVERIFY(QDir(runs()).entryList(QDir::Files).isEmpty());   // ended in order
    }

    void aLogThatAnotherProgramWritesIsFollowed()
    {
        const QString path = folder_.filePath(QStringLiteral("growing.pcapng"));
        rig::SessionOptions options;
        options.measured = false;
        auto source = rig::Session::create(rig_, rig::loadDatabases(rig_), options);
        QVERIFY(source.has_value());
        (*source)->runFor(10s, nullptr);
        const trace::Snapshot frames = (*source)->trace().snapshot();
        const auto encoder = formats::logFormats().front().encoder();
        struct Target final : formats::ByteTarget {
            QFile file;
            void write(std::span<const std::uint8_t> bytes) override
            {
                file.write(reinterpret_cast<const char*>(bytes.data()), static_cast<qint64>(bytes.size()));
            }
        } target;
        target.file.setFileName(path);
        QVERIFY(target.file.open(QIODevice::WriteOnly));
        encoder->begin(target, (*source)->trace().buses(), {});
        trace::Row next = 0;
        const auto write = [&](trace::Row count) {
            for (const trace::Row end = next + count; next < end; ++next)
                QVERIFY(encoder->frame(target, frames.frame(next)));
            target.file.flush();
        };
        write(1000);
        MainWindow* window = MainWindow::openFile(path, rig_, nullptr, true);
        QVERIFY(window != nullptr);
        QTRY_VERIFY(window->document().ready());
        QTRY_COMPARE(window->stage().snapshot().rows(), 1000U);
        QVERIFY(window->document().follows());
        QTRY_VERIFY2(window->statusText().contains(QStringLiteral("following the file")), qPrintable(window->statusText()));
        write(500);
        QTRY_COMPARE(window->stage().snapshot().rows(), 1500U);
        QTRY_COMPARE(window->stage().cursorRow(), trace::Row{1499});  // the cursor goes with it
        QTRY_COMPARE(
            window->document().measures().read([](const measure::MeasureState& state) { return state.rows; }), std::uint64_t{1500});
        // Not while the user looks at something else; Space goes along again.
        window->stage().setCursorRow(10);
        write(500);
        QTRY_COMPARE(window->stage().snapshot().rows(), 2000U);
        QCOMPARE(window->stage().cursorRow(), trace::Row{10});
        window->stage().now();
        write(10'000);
        QTRY_COMPARE(window->stage().cursorRow(), next - 1);
        // A block that is half there waits for its rest.
        const QByteArray whole = [&] {
            QFile file(path);
            return file.open(QIODevice::ReadOnly) ? file.readAll() : QByteArray();
        }();
        write(1);
        QTRY_COMPARE(window->stage().snapshot().rows(), next);
        // Another file in its place ends it, said in words; what was read stays.
        target.file.close();
        QVERIFY(QFile::remove(path));
        QFile other(path);
        QVERIFY(other.open(QIODevice::WriteOnly));
        other.write(whole);
        other.close();
        QTRY_VERIFY(!window->document().follows());
        QVERIFY2(window->document().problem().find("removed or replaced") != std::string::npos, window->document().problem().c_str());
        QTRY_VERIFY(window->findChild<QMessageBox*>() != nullptr);
        QCOMPARE(window->stage().snapshot().rows(), next);
        window->closeWithoutAsking();
        delete window;
    }

    void aDiskThatFillsUpIsAnnounced()
    {
        const double free = static_cast<double>(QStorageInfo(folder_.path()).bytesAvailable());
        const auto boxWith = [](MainWindow& window, const QString& words) {
            const auto* box = window.findChild<QMessageBox*>(QStringLiteral("keepingProblem"));
            return box != nullptr && box->isVisible() && box->text().contains(words);
        };
        QSettings settings;
        // A little less than what is free is not to be touched: the end is near.
        settings.setValue(QStringLiteral("keeping/leaveFreeMB"), free * 0.9e-6);
        {
            auto window = fastRun();
            QTRY_VERIFY(boxWith(*window, QStringLiteral("nearly full")));
            QVERIFY(!window->document().session()->keeping().path.empty());
            window->closeWithoutAsking();
        }
        // More than what is free: memory alone, and its bound.
        settings.setValue(QStringLiteral("keeping/leaveFreeMB"), free * 2e-6);
        {
            auto window = fastRun();
            QTRY_VERIFY(boxWith(*window, QStringLiteral("kept in memory alone")));
            QVERIFY(window->document().session()->keeping().path.empty());
            QTRY_VERIFY_WITH_TIMEOUT(window->document().session()->keeping().letGo > 0, 180'000);
            QTRY_VERIFY2(window->statusText().contains(QStringLiteral("let go")), qPrintable(window->statusText()));
            window->document().session()->stop();
            window->stage().rest();
            QTRY_COMPARE(window->findChild<StatusLine*>()->state(), QStringLiteral("stopped. Space: to the newest frame"));
            QVERIFY(window->stage().lostOldest());
            StreamView* stream = streamOf(*window);
            stream->filterLine()->setText({});
            stream->rows()->setFocus();
            QTest::keyClick(stream->rows(), Qt::Key_Home);
            QVERIFY2(stream->rows()->rowText(0).contains(QStringLiteral("let go")), qPrintable(stream->rows()->rowText(0)));
            QVERIFY(!stream->rows()->grab().isNull());
            const QImage closed = stream->rows()->grab().toImage();
            QTest::keyClick(stream->rows(), Qt::Key_Right);     // there is nothing under such a row
            QCOMPARE(stream->rows()->grab().toImage(), closed);
            QTest::keyClick(stream->rows(), Qt::Key_End);
            QVERIFY(!stream->rows()->rowText(stream->rows()->count() - 1).contains(QStringLiteral("let go")));
            // Nor is anything measured of them in silence.
            window->showPage(QStringLiteral("Analyse"));
            auto* between = window->currentPage()->find<BetweenView>();
            for (Pane* pane : window->currentPage()->panes())
                for (int i = 0; i < pane->count() && !between->isVisible(); ++i)
                    pane->setCurrent(i);
            Stage& stage = window->stage();
            stage.setMarks({stage.timeOf(1), stage.newest() - 1s});
            QTRY_VERIFY(between->settled() && between->count() > 0 && between->rowText(0).endsWith(QStringLiteral("were let go")));
            stage.setMarks({stage.newest() - 2s, stage.newest() - 1s});
            QTRY_VERIFY(between->settled() && between->count() > 0 && !between->rowText(0).contains(QStringLiteral("let go"))
                        && between->rowText(0).section('\t', 5, 5).toInt() > 10);
            window->closeWithoutAsking();
        }
        settings.remove(QStringLiteral("keeping/leaveFreeMB"));
    }

    void aCrashedRunIsOfferedOpenedSavedAndDiscarded()
    {
        crash(60'000);
        crash(40'000);
        QSettings().setValue(QStringLiteral("keeping/on"), true);
        rig::Rig empty;
        empty.name = "Rig";
        auto document = liveRun(empty);
        QVERIFY(document.has_value());
        MainWindow window(std::move(*document));
        window.show();
        window.offerRecovery();
        auto* dialog = window.findChild<RecoveryDialog*>();
        QVERIFY(dialog != nullptr && dialog->isVisible());
        QCOMPARE(dialog->runs().size(), std::size_t{2});    // and not the one of this window
        QVERIFY(dialog->runs()[0].about.startedAt >= dialog->runs()[1].about.startedAt);
        const std::uint64_t rows = dialog->runs()[0].rows;
        QVERIFY(rows > 500);
        auto* table = dialog->findChild<QTableWidget*>(QStringLiteral("recoveryRuns"));
        QCOMPARE(table->rowCount(), 2);
        QCOMPARE(table->item(0, 1)->text(), QString::fromStdString(rig_.name));
        QVERIFY(!dialog->grab().isNull());

        // Saved, whatever its size.
        const QString saved = folder_.filePath(QStringLiteral("saved.pcapng"));
        QString problem = QStringLiteral("not yet");
        connect(dialog, &RecoveryDialog::saved, this, [&](const QString&, const QString& said) { problem = said; });
        dialog->saveTo(saved);
        QTRY_COMPARE(problem, QString());
        trace::Trace again;
        formats::TraceSink sink(again);
        QVERIFY(formats::readLogFile(saved.toStdString(), sink).has_value());
        QCOMPARE(again.rows(), rows);
        dialog->saveTo(folder_.filePath(QStringLiteral("no-such-form.txt")));
        QTRY_VERIFY(problem.contains(QStringLiteral("no log format")));

        // Opened by Enter: a log, explained by the rig that it ran by.
        const std::size_t windows = MainWindow::all().size();
        table->setFocus();
        QTest::mouseClick(dialog->findChild<QPushButton*>(QStringLiteral("primary")), Qt::LeftButton);
        QCOMPARE(MainWindow::all().size(), windows + 1);
        MainWindow* log = MainWindow::all().back();
        QTRY_VERIFY(log->document().ready());
        QTRY_COMPARE(log->stage().snapshot().rows(), rows);
        QVERIFY(log->document().problem().empty());
        QCOMPARE(log->document().buses().size(), rig_.buses.size());
        QVERIFY(log->document().catalog()->find(again.snapshot().frame(0)) != nullptr);
        delete log;

        // Offered again until it is discarded, which is asked for.
        QTRY_VERIFY(window.findChild<RecoveryDialog*>() == nullptr);
        window.offerRecovery();
        dialog = window.findChild<RecoveryDialog*>();
        QVERIFY(dialog != nullptr);
        for (const auto answer : {QMessageBox::Cancel, QMessageBox::Discard, QMessageBox::Discard}) {
            const std::size_t before = dialog->runs().size();
            test::whenModal<QMessageBox>(dialog, [answer](QMessageBox* box) { box->button(answer)->click(); });
            dialog->findChild<QPushButton*>(QStringLiteral("recoveryDiscard"))->click();
            QCOMPARE(dialog->runs().size(), before - (answer == QMessageBox::Discard ? 1U : 0U));
        }
        QVERIFY(!dialog->findChild<QPushButton*>(QStringLiteral("primary"))->isEnabled());
        dialog->reject();
        QTRY_VERIFY(window.findChild<RecoveryDialog*>() == nullptr);
        window.offerRecovery();
        QVERIFY(window.findChild<RecoveryDialog*>() == nullptr);    // nothing is left to offer
        window.closeWithoutAsking();
    }
};

QTEST_MAIN(KeepingTest)
#include "keeping_test.moc"
