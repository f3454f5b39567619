// SPDX-License-Identifier: GPL-3.0-or-later
// The application.
#include <QApplication>
#include <QFileInfo>
#include <QMessageBox>
#include <QTimer>

#include <CLI/CLI.hpp>
#include <unistd.h>

#include <cstdio>
#include <cstring>
#include <ctime>

#include "app/keeping/keeping.h"
#include "app/keeping/keeping_options.h"
#include "app/shell/ending.h"
#include "app/shell/main_window.h"
#include "app/shell/unattended.h"
#include "app/parts/recent_warnings.h"
#include "app/parts/settings.h"
#include "manual/manual.h"
#include "spool/unfinished.h"

using namespace wavetrope;

int main(int argc, char** argv)
{
    // What is asked for without anybody who looks needs no display.
    for (int i = 1; i < argc; ++i)
        for (const char* alone : {"--picture", "--report"})
            if (std::strncmp(argv[i], alone, std::strlen(alone)) == 0)
                qputenv("QT_QPA_PLATFORM", "offscreen");
    QApplication application(argc, argv);
    QApplication::setApplicationName(QStringLiteral("wavetrope"));
    QApplication::setOrganizationName(QStringLiteral("wavetrope"));

    CLI::App program("Wavetrope: see, measure and replay the traffic of controller area networks");
    std::vector<std::string> files;
    std::string rigPath;
    std::string theme;
    bool measureStart = false;
    bool follow = false;
    program.add_option("files", files, "Rigs (.json) and logs (.pcapng, .pcap) to open");
    program.add_option("--rig", rigPath, "Rig whose databases explain the logs");
    program.add_option("--theme", theme, "paper or ink")->check(CLI::IsMember({"paper", "ink"}));
    program.add_flag("--follow", follow, "Read logs on as another program writes them");
    program.add_flag("--measure-start", measureStart, "Print the time to the first painted frame and end");
    app::Unattended unattended;
    auto* report = program.add_option("--report", unattended.report, "Write a report of the rig of one log, and end");
    auto* out = program.add_option("--out", unattended.out, "File of the report: .html or .pdf")->needs(report);
    report->needs(out);
    auto* picture = program.add_option(
        "--picture", unattended.picture, "Write a picture of a page of one log, and end: .png, .svg or .pdf");
    picture->excludes(report);
    auto* page = program.add_option("--page", unattended.page, "Page of the picture")->needs(picture);
    picture->needs(page);
    program.add_option("--view", unattended.view, "One view of the page alone, such as lanes")->needs(picture);
    program.add_option("--from", unattended.from, "Of the picture: seconds since 1970, or +12.5s from the first frame")->needs(picture);
    program.add_option("--to", unattended.to, "Likewise")->needs(picture);
    program.add_option("--size", unattended.size, "Of the picture, in pixels")->needs(picture)->capture_default_str();
    program.set_version_flag("--version", "wavetrope " WAVETROPE_VERSION);
    manual::addTo(program, {"wavetrope", WAVETROPE_VERSION, "see, measure and replay the traffic of CAN buses",
                               {{"FILES", "Rigs (.json) and logs (.pcapng, .pcap, lines of text; each also with .gz or .zst). Runs are "
                                          "kept below $XDG_STATE_HOME/wavetrope while they last."},
                                   {"SEE ALSO", "wavetrope-cli(1)"}}});
    CLI11_PARSE(program, argc, argv);

    app::RecentWarnings::watch();
    app::applyLook(QString::fromStdString(theme));
    if (const int days = app::keptRunDays(); days > 0)
        if (const auto keeping = app::keepingOptions())
            spool::removeKeptBefore(keeping->folder, std::chrono::hours(24) * days);

    rig::Rig rig;
    rig.name = "No rig yet";
    rig.document = {{"wavetrope", rig::Rig::version}, {"name", "Rig"}};
    rig.saved = rig.document;
    if (!rigPath.empty()) {
        auto loaded = rig::loadRig(rigPath);
        if (!loaded) {
            std::fprintf(stderr, "%s\n", loaded.error().text().c_str());
            return 2;
        }
        rig = std::move(*loaded);
    }
    if (unattended.any())
        return app::workUnattended(unattended, rig, files);
    bool opened = false;
    for (const std::string& file : files)
        opened = app::MainWindow::openFile(QString::fromStdString(file), rig, nullptr, follow) != nullptr || opened;
    if (files.empty()) {
        auto document = app::liveRun(rig);
        if (!document) {
            QMessageBox::critical(nullptr, QStringLiteral("Wavetrope"), QString::fromStdString(document.error().text()));
            return 2;
        }
        (new app::MainWindow(std::move(*document)))->show();
        opened = true;
    }
    if (!opened)
        return 2;
    const app::Ending ending;
    if (!measureStart)
        QTimer::singleShot(0, &application, [] { app::MainWindow::all().front()->offerRecovery(); });
    if (measureStart)
        QTimer::singleShot(0, &application, [] {
            app::MainWindow::all().front()->grab();
            timespec now{};
            clock_gettime(CLOCK_BOOTTIME, &now);
            // Field 22 of the process's statistics: its start, in clock ticks since the machine's.
            std::FILE* stat = std::fopen("/proc/self/stat", "r");
            char text[1024] = {};
            if (stat != nullptr && std::fgets(text, sizeof text, stat) != nullptr) {
                const char* at = std::strrchr(text, ')');
                unsigned long long start = 0;
                std::sscanf(at + 2, "%*c %*d %*d %*d %*d %*d %*u %*u %*u %*u %*u %*u %*u %*d %*d %*d %*d %*d %*d %llu", &start);
                const double began = static_cast<double>(start) / static_cast<double>(sysconf(_SC_CLK_TCK));
                std::printf("first painted frame after %.0f ms\n",
                    (static_cast<double>(now.tv_sec) + static_cast<double>(now.tv_nsec) * 1e-9 - began) * 1e3);
            }
            std::fflush(stdout);
            QApplication::exit(0);
        });
    return QApplication::exec();
}
