// SPDX-License-Identifier: GPL-3.0-or-later
// A condition and a recording made in the window by hand, as a person does it: by mouse and keys.
#pragma once

#include <QPushButton>
#include <QTest>

#include "app/record/record_view.h"
#include "app/shell/main_window.h"

namespace wavetrope::test {

/// Types over what stands in a field that is open, and ends with a key.
inline void typed(app::InPlaceField& field, const QString& words, Qt::Key end)
{
    field.selectAll();
    if (words.isEmpty())
        QTest::keyClick(&field, Qt::Key_Delete);
    QTest::keyClicks(&field, words);
    QTest::keyClick(&field, end);
}

/// Adds a condition and a recording that starts with it and keeps 200 ms before it and 100 ms behind, on the page Record of a
/// window, rehearses it and arms it. Failures are reported where they are.
inline void makeRulesByHand(app::MainWindow* window, const QString& name, const QString& words)
{
    window->showPage(QStringLiteral("Record"));
    auto* view = window->currentPage()->find<app::RecordView>();
    QVERIFY(view != nullptr);
    const std::size_t conditions = view->conditionCount();
    view->conditions().setFocus();
    QTest::keyClick(&view->conditions(), Qt::Key_Insert);
    QVERIFY(view->conditions().field().isOpen());
    typed(view->conditions().field(), name, Qt::Key_Tab);
    QVERIFY(view->conditions().field().isOpen());
    typed(view->conditions().field(), words, Qt::Key_Return);
    QVERIFY2(!view->conditions().field().isOpen(), qPrintable(view->conditions().field().problem()));
    QCOMPARE(view->conditionCount(), conditions + 1);
    const std::size_t recordings = view->recordingCount();
    QTest::mouseClick(view->findChild<QPushButton*>(QStringLiteral("addRecording")), Qt::LeftButton);
    app::InPlaceField& field = view->recordings().field();
    QVERIFY(field.isOpen());
    typed(field, name + QStringLiteral(" kept"), Qt::Key_Tab);
    typed(field, {}, Qt::Key_Tab);                      // keeps everything
    QCOMPARE(field.text().remove(QLatin1Char('"')), name);     // it starts with the condition that was chosen
    QTest::keyClick(&field, Qt::Key_Tab);
    QTest::keyClick(&field, Qt::Key_Tab);               // to its end
    typed(field, QStringLiteral("200 ms"), Qt::Key_Tab);
    typed(field, QStringLiteral("100 ms"), Qt::Key_Return);
    QVERIFY(!field.isOpen());
    QCOMPARE(view->recordingCount(), recordings + 1);
    const rig::RecordingSpec& made = window->document().rig().recordings.back();
    QCOMPARE(made.before.span, Time(std::chrono::milliseconds(200)));
    QCOMPARE(made.after.span, Time(std::chrono::milliseconds(100)));
    QVERIFY(view->recordingText(recordings).contains(QStringLiteral("not armed")));
    // It is rehearsed over the run so far, and armed.
    QTRY_VERIFY_WITH_TIMEOUT(view->rehearsed(), 30'000);
    QVERIFY(!view->rehearsal().lines().empty() && view->rehearsal().lines().back().words == QStringLiteral("as changed"));
    QTest::keyClick(view, Qt::Key_Return, Qt::ControlModifier);
    QVERIFY(!window->stage().rules().differs());
    const auto armed = [&] { return !window->document().session()->takingReports().empty(); };
    QTRY_VERIFY_WITH_TIMEOUT(armed(), 30'000);
}

}  // namespace wavetrope::test
