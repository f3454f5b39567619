// SPDX-License-Identifier: GPL-3.0-or-later
// supervise.
#include <algorithm>

#include "base/nearest_name.h"
#include "base/time_text.h"
#include "cli/command.h"
#include "cli/csv.h"
#include "drive/dialogue_watch.h"
#include "trace/time_index.h"

namespace wavetrope::cli {

namespace {

struct SuperviseOptions {
    std::string log, layout, rig, dialogue;
    std::vector<std::string> more;
};

std::string millisecondsText(const std::optional<Time>& span)
{
    if (!span)
        return {};
    char text[40];
    std::snprintf(text, sizeof text, "%.6f", static_cast<double>(span->count()) / 1e6);
    std::string out = text;
    while (out.ends_with('0'))
        out.pop_back();
    if (out.ends_with('.'))
        out.pop_back();
    return out;
}

int supervise(const SuperviseOptions& options)
{
    const auto used = useRig(options.rig);
    if (!used)
        return report(used.error());
    const rig::Rig& rig = (*used)->rig;
    if (rig.dialogues.empty())
        return report(Error{"the rig has no dialogue", options.rig, 0, 0, "docs/dialogues.md tells how to write one"});
    std::vector<std::string> names;
    std::vector<drive::DialogueSpec> wanted;
    for (const drive::DialogueSpec& dialogue : rig.dialogues) {
        names.push_back(dialogue.name);
        if (options.dialogue.empty() || options.dialogue == dialogue.name)
            wanted.push_back(dialogue);
    }
    if (wanted.empty())
        return report(Error{"the rig has no dialogue '" + options.dialogue + "'", options.rig, 0, 0, didYouMean(options.dialogue, names)});
    const auto log = loadLog(options.log, options.layout, options.more);
    if (!log)
        return report(log.error());
    std::vector<std::string> buses;
    for (const trace::TraceBus& bus : (*log)->buses)
        buses.push_back(bus.name);
    const auto catalog = rig::catalogFor(buses, rig, (*used)->databases);
    const trace::Snapshot snapshot = (*log)->trace.snapshot();
    std::vector<drive::DialogueWatch> watches;
    for (const drive::DialogueSpec& dialogue : wanted) {
        if (std::find(buses.begin(), buses.end(), dialogue.bus) == buses.end()) {
            warn("the log has no bus '" + dialogue.bus + "', on which " + dialogue.name + " goes on");
            continue;
        }
        auto watch = drive::DialogueWatch::create(dialogue, catalog, {});
        if (!watch)
            return report(watch.error());
        watches.push_back(std::move(*watch));
    }
    CsvWriter out(stdout);
    out.row({"time", "dialogue", "partner", "what", "phase", "limit_ms", "took_ms", "why"});
    ProgressLine progress("following");
    const trace::TimeIndex order(snapshot);
    std::uint64_t taken = 0;
    Time last{};
    for (std::uint64_t place = 0; place < snapshot.rows() && !interrupted; ++place) {
        if (place % 65536 == 0)
            progress.show(place, snapshot.rows());
        const can::FrameView frame = snapshot.frame(order.rowAt(place));
        last = frame.time;
        for (drive::DialogueWatch& watch : watches)
            taken += watch.take(frame) ? 1 : 0;
    }
    struct Line {
        const drive::DialogueEvent* event;
        const drive::DialogueSpec* dialogue;
    };
    std::vector<Line> lines;
    for (drive::DialogueWatch& watch : watches) {
        watch.finish(last);
        if (watch.letGo() > 0)
            warn(watch.spec().name + ": the first " + std::to_string(watch.letGo()) + " of its events are not told");
        for (const drive::DialogueEvent& event : watch.events())
            lines.push_back({&event, &watch.spec()});
    }
    std::stable_sort(lines.begin(), lines.end(), [](const Line& a, const Line& b) { return a.event->time < b.event->time; });
    std::size_t broken = 0;
    for (const auto& [event, dialogue] : lines) {
        broken += event->what == drive::DialogueEvent::What::breaks ? 1 : 0;
        out.row({secondsText(event->time), dialogue->name, dialogue->partners[event->partner], drive::toText(event->what),
            event->phase == drive::SideSpec::rest ? std::string() : dialogue->phases[event->phase].name, millisecondsText(event->limit),
            millisecondsText(event->took), event->why});
    }
    std::fprintf(stderr, "%llu frames of dialogues, %zu rules broken\n", static_cast<unsigned long long>(taken), broken);
    if (taken == 0)
        warn("no frame of the log belongs to a dialogue of the rig: its buses have none of their messages");
    return printed(out.finish());
}

}  // namespace

void addDialogueCommands(CLI::App& program, int& result)
{
    const auto options = std::make_shared<SuperviseOptions>();
    CLI::App* command = program.add_subcommand("supervise", "Watches both partners of a rig's dialogues in a log");
    command->add_option("log", options->log, "The log")->required();
    command->add_option("--rig", options->rig, "The rig document")->required();
    command->add_option("--dialogue", options->dialogue, "One of its dialogues; without, all of them");
    command->add_option("--with", options->more, "A further log, read as one with the first: LOG or LOG@OFFSET, added to its stamps");
    addLayoutOption(*command, options->layout);
    command->callback([options, &result] { result = supervise(*options); });
}

}  // namespace wavetrope::cli
