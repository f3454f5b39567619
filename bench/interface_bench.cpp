// SPDX-License-Identifier: GPL-3.0-or-later
// How long the interface thread is held up while a large database is worked on: the time of every call that the event
// loop makes, from an event to the return from it.
#include <QApplication>
#include <QFile>
#include <QLineEdit>
#include <QScreen>
#include <QTemporaryDir>
#include <QTest>

#include <algorithm>
#include <cstdio>
#include <string>
#include <vector>

#include "app/database/database_view.h"
#include "app/keeping/keeping_options.h"
#include "app/shell/main_window.h"
#include "app/theme/theme.h"
#include "bench/generated.h"

using namespace wavetrope;
using namespace wavetrope::app;

namespace {

// An application that takes the time of its outermost calls.
class TimedApplication : public QApplication {
public:
    using QApplication::QApplication;
    struct Call {
        double ms = 0;
        const char* phase = "";
    };

    bool notify(QObject* receiver, QEvent* event) override
    {
        ++depth_;
        const auto start = std::chrono::steady_clock::now();
        const bool result = QApplication::notify(receiver, event);
        if (--depth_ == 0)
            calls_.push_back({std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - start).count(), phase_});
        return result;
    }
    void phase(const char* name) { phase_ = name; }
    [[nodiscard]] const std::vector<Call>& calls() const { return calls_; }

private:
    int depth_ = 0;
    const char* phase_ = "start";
    std::vector<Call> calls_;
};

void report(std::vector<TimedApplication::Call> calls)
{
    std::sort(calls.begin(), calls.end(), [](const auto& a, const auto& b) { return a.ms > b.ms; });
    const auto within = std::count_if(calls.begin(), calls.end(), [](const auto& call) { return call.ms <= 16; });
    std::printf("interface thread with a database of 5,000 messages: %zu calls, %.3f %% within 16 ms; 99.9 %% within %.1f ms\n",
        calls.size(), 100.0 * static_cast<double>(within) / static_cast<double>(calls.size()), calls[calls.size() / 1000].ms);
    for (std::size_t i = 0; i < calls.size() && calls[i].ms > 16; ++i)
        std::printf("  %6.1f ms  %s\n", calls[i].ms, calls[i].phase);
}

}  // namespace

int main(int argc, char** argv)
{
    TimedApplication application(argc, argv);
    Theme::get().choose(ThemeName::paper);
    QTemporaryDir folder;
    QFile database(folder.filePath(QStringLiteral("large.dbc")));
    if (!database.open(QIODevice::WriteOnly))
        return 1;
    database.write(bench::generatedDatabase(5000).c_str());
    database.close();
    const std::string text =
        R"({"wavetrope": 1, "name": "Large", "buses": [{"name": "Main", "rate": "500k", "databases": ["large.dbc"]}],)"
        R"("nodes": [{"name": "Pump", "buses": ["Main"], "sends": [{"message": "Message1", "every": "10 ms"}, {"message": "Message2", "every": "20 ms"}]}]})";
    auto rig = rig::rigFromText(text, folder.filePath(QStringLiteral("rig.json")).toStdString());
    auto document = rig ? liveRun(*rig) : tl::unexpected(rig.error());
    if (!document) {
        std::fprintf(stderr, "%s\n", document.error().text().c_str());
        return 1;
    }
    MainWindow window(std::move(*document));
    window.resize(1280, 800);
    const auto rest = [&](const char* phase, int ms, const auto& work) {
        application.phase(phase);
        // As an event of its own, so that what it takes is counted.
        QTimer::singleShot(0, &window, work);
        QTest::qWait(ms);
    };
    rest("the first showing of the window", 1500, [&] { window.show(); });
    rest("opening the editor, with reading the file", 2500, [&] { window.openDefinition(0, can::Identifier{0x121, true}.key()); });
    auto* editor = window.currentPage()->find<DatabaseView>();
    auto* find = editor->findChild<QLineEdit*>(QStringLiteral("databaseFind"));
    application.phase("searching");
    find->setFocus();
    for (const char c : std::string("signal4711")) {
        QTest::keyClick(find, c);
        QTest::qWait(120);
    }
    find->clear();
    application.phase("walking through rows");
    for (int i = 0; i < 30; ++i) {
        QTest::keyClick(editor->focusProxy(), Qt::Key_Down);
        QTest::qWait(80);
    }
    Desk& desk = window.stage().desk();
    for (int i = 0; i < 5; ++i) {
        rest("an edit, and what follows from it", 900, [&] {
            database::Signal signal = desk.message()->signals.front();
            signal.comment = "edit " + std::to_string(i);
            desk.apply(desk.editor().putSignal(desk.message()->uid, signal, "comment"));
        });
    }
    for (int i = 0; i < 5; ++i)
        rest("undoing", 600, [&] { desk.undo(); });
    report(application.calls());
    return 0;
}
