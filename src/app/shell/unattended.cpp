// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/unattended.h"

#include <QCoreApplication>

#include <algorithm>
#include <cstdio>

#include "app/parts/text.h"
#include "app/shell/main_window.h"
#include "app/shell/page.h"
#include "app/shell/report_writer.h"
#include "base/time_text.h"

namespace wavetrope::app {

namespace {

constexpr int leastSide = 100, mostSide = 8000;

Expected<QSize> sizeFrom(const std::string& words)
{
    const QStringList sides = text(words).split(QLatin1Char('x'));
    bool good = sides.size() == 2;
    const int width = good ? sides[0].toInt(&good) : 0;
    bool also = false;
    const int height = good ? sides[1].toInt(&also) : 0;
    if (!good || !also || width < leastSide || height < leastSide || width > mostSide || height > mostSide)
        return fail("--size: expected 1280x800, each side 100 to 8000");
    return QSize(width, height);
}

// A moment as the commands take them, since the beginning of the run.
Expected<std::optional<Time>> momentOf(const std::string& words, const char* name, Time begins)
{
    if (words.empty())
        return std::optional<Time>();
    const auto moment = momentFromText(words, begins);
    if (!moment)
        return fail(std::string(name) + ": expected seconds since 1970, or +12.5s from the first frame");
    return std::optional(std::max(Time{0}, *moment - begins));
}

Expected<void> takePicture(MainWindow& window, const Unattended& wanted)
{
    const auto size = sizeFrom(wanted.size);
    if (!size)
        return tl::unexpected(size.error());
    Page* page = window.page(text(wanted.page));
    if (page == nullptr) {
        std::string names;
        for (int i = 0; i < window.pageCount(); ++i)
            names += (i > 0 ? ", " : "") + window.pageAt(i)->name().toStdString();
        return fail("--page: there is no page '" + wanted.page + "'", {}, "It has " + names);
    }
    SeenTime seen;
    const Time begins = window.document().begins();
    for (const auto& [words, name, into] : {std::tuple(&wanted.from, "--from", &seen.from), std::tuple(&wanted.to, "--to", &seen.to)}) {
        const auto moment = momentOf(*words, name, begins);
        if (!moment)
            return tl::unexpected(moment.error());
        *into = *moment;
    }
    if (seen.from && seen.to && *seen.from >= *seen.to)
        return fail("--to: expected a moment behind --from, both within the run", {}, "+12.5s counts from its first frame");
    QWidget* of = page;
    QString title = page->name();
    std::vector<View*> views = page->views();
    if (!wanted.view.empty()) {
        of = nullptr;
        std::string names;
        for (Pane* pane : page->panes())
            for (const Pane::Entry& entry : pane->entries()) {
                names += (names.empty() ? "" : ", ") + std::string(entry.kind->kind);
                if (of == nullptr && (wanted.view == entry.kind->kind || wanted.view == entry.kind->title)) {
                    of = entry.view;
                    views = {entry.view};
                    title = QCoreApplication::translate("Pane", entry.kind->title);
                }
            }
        if (of == nullptr)
            return fail("--view: the page has no view '" + wanted.view + "'", {}, "It has " + names);
    }
    // By itself, as large as wanted.
    of->setParent(nullptr);
    of->setAttribute(Qt::WA_DontShowOnScreen);
    const ShownFor shown(window.stage(), seen);
    const Picture probe(*of, captionOf(window.stage(), title));
    of->resize(*size);
    of->resize(size->width(), size->height() - (probe.size().height() - size->height()));
    of->show();
    (void)settle(views);
    const auto done = Picture(*of, captionOf(window.stage(), title)).write(text(wanted.picture));
    of->hide();
    of->deleteLater();
    return done;
}

Expected<void> makeReport(MainWindow& window, const Unattended& wanted)
{
    const auto& reports = window.document().rig().reports;
    const auto report = std::find_if(reports.begin(), reports.end(), [&](const rig::ReportSpec& one) { return one.name == wanted.report; });
    if (report == reports.end()) {
        std::string names;
        for (const rig::ReportSpec& one : reports)
            names += (names.empty() ? "" : ", ") + one.name;
        return fail("--report: the rig has no report '" + wanted.report + "'", {}, names.empty() ? "It has none" : "It has " + names);
    }
    return writeReport(window, *report, text(wanted.out));
}

}  // namespace

int workUnattended(const Unattended& wanted, const rig::Rig& rig, const std::vector<std::string>& logs)
{
    const auto say = [](const Error& error) {
        std::fprintf(stderr, "%s\n", error.text().c_str());
        return 2;
    };
    if (logs.size() != 1)
        return say(Error{"a report or picture is of one log", {}, 0, 0, "Name its file"});
    auto* window = new MainWindow(RunDocument::log(logs.front(), rig));
    while (!window->document().ready())
        QCoreApplication::processEvents(QEventLoop::AllEvents | QEventLoop::WaitForMoreEvents);
    // Until the window has taken over what was read to the end.
    while (window->stage().snapshot().rows() < window->document().trace().rows() || !window->stage().caughtUp())
        QCoreApplication::processEvents(QEventLoop::AllEvents | QEventLoop::WaitForMoreEvents);
    Expected<void> done;
    if (window->document().trace().rows() == 0)
        done = fail(window->document().problem().empty() ? "there are no frames" : window->document().problem(), logs.front());
    else
        done = wanted.report.empty() ? takePicture(*window, wanted) : makeReport(*window, wanted);
    window->closeWithoutAsking();
    QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
    return done ? 0 : say(done.error());
}

}  // namespace wavetrope::app
