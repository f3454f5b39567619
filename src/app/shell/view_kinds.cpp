// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/view_kinds.h"

#include "app/begin/begin_view.h"
#include "app/between/between_view.h"
#include "app/board/board_view.h"
#include "app/buses/buses_view.h"
#include "app/database/coverage_view.h"
#include "app/database/database_view.h"
#include "app/database/findings_view.h"
#include "app/dialogue/dialogue_view.h"
#include "app/events/events_view.h"
#include "app/lanes/lanes_view.h"
#include "app/load/bursts_view.h"
#include "app/load/load_view.h"
#include "app/manipulation/manipulation_view.h"
#include "app/network/ask_view.h"
#include "app/network/messages_view.h"
#include "app/network/network_view.h"
#include "app/nodes/nodes_view.h"
#include "app/notes/notes_view.h"
#include "app/outbox/outbox_view.h"
#include "app/playback/playback_view.h"
#include "app/record/record_view.h"
#include "app/report/report_view.h"
#include "app/response/response_view.h"
#include "app/roster/roster_view.h"
#include "app/script/script_view.h"
#include "app/shares/shares_view.h"
#include "app/spectrum/spectrum_view.h"
#include "app/stream/stream_view.h"

namespace wavetrope::app {

const std::vector<ViewKind>& viewKinds()
{
    static const std::vector<ViewKind> kinds = {
        {"begin", "Begin", "Interfaces of this machine, rigs and logs used lately",
            [](Stage& stage) -> View* { return new BeginView(stage); }},
        {"roster", "Roster", "The newest frame of each identifier", [](Stage& stage) -> View* { return new RosterView(stage); }},
        {"stream", "Stream", "Frames in order", [](Stage& stage) -> View* { return new StreamView(stage); }},
        {"lanes", "Lanes", "Signals over time", [](Stage& stage) -> View* { return new LanesView(stage); }},
        {"between", "From A to B", "What the curves do between two marks, exact over their samples",
            [](Stage& stage) -> View* { return new BetweenView(stage); }},
        {"spectrum", "Spectrum", "Frequencies, values and periods of a curve, and how it goes with another one",
            [](Stage& stage) -> View* { return new SpectrumView(stage); }},
        {"load", "Load", "Bus load over time, of all buses or one, against what is promised",
            [](Stage& stage) -> View* { return new LoadView(stage); }},
        {"bursts", "Bursts", "Stretches in which a bus was nearly full, and who took it",
            [](Stage& stage) -> View* { return new BurstsView(stage); }},
        {"shares", "Shares", "Who takes how much of a bus: in the window, from A to B, or in a burst",
            [](Stage& stage) -> View* { return new SharesView(stage); }},
        {"response", "Response times", "How long messages may take in the worst case, against their deadlines",
            [](Stage& stage) -> View* { return new ResponseView(stage); }},
        {"events", "Events", "Moments worth a flag", [](Stage& stage) -> View* { return new EventsView(stage); }},
        {"notes", "Notes", "Notes on frames and moments", [](Stage& stage) -> View* { return new NotesView(stage); }},
        {"playback", "Playback", "Replay of a log", [](Stage& stage) -> View* { return new PlaybackView(stage); },
            ViewKind::Place{Wish::For::playback, QT_TRANSLATE_NOOP("MainWindow", "Playback"), R"({"tabs":[{"view":"playback"}]})"}},
        {"database", "Database", "Signal databases: read, mend and write them",
            [](Stage& stage) -> View* { return new DatabaseView(stage); },
            ViewKind::Place{Wish::For::definition, QT_TRANSLATE_NOOP("MainWindow", "Databases"),
                R"({"tabs":[{"view":"database"},{"view":"coverage"},{"view":"review"},{"view":"compare"}]})"}},
        {"coverage", "Coverage", "What of the traffic the databases explain",
            [](Stage& stage) -> View* { return new CoverageView(stage); }},
        {"review", "Review", "What is wrong with a database", [](Stage& stage) -> View* { return new ReviewView(stage); }},
        {"compare", "Compare", "What differs between two versions of a database",
            [](Stage& stage) -> View* { return new CompareView(stage); }},
        {"report", "Report", "Headings, texts and views, written as one document",
            [](Stage& stage) -> View* {
                return new ReportView(stage, [](const std::string& kind) {
                    for (const ViewKind& one : viewKinds())
                        if (kind == one.kind)
                            return QCoreApplication::translate("Pane", one.title);
                    return QString::fromStdString(kind);
                });
            }},
        {"record", "Record", "Conditions and recordings of the rig", [](Stage& stage) -> View* { return new RecordView(stage); }},
        {"buses", "Buses", "Buses of the rig: what each is made of, and what explains it",
            [](Stage& stage) -> View* { return new BusesView(stage); }},
        {"board", "Board", "Gauges and controls, watched and driven from a distance",
            [](Stage& stage) -> View* { return new BoardView(stage); }},
        {"outbox", "Outbox", "What is sent by hand", [](Stage& stage) -> View* { return new OutboxView(stage); }},
        {"dialogue", "Dialogue", "Two partners of a protocol: phases, limits, and what went to and fro",
            [](Stage& stage) -> View* { return new DialogueView(stage); }},
        {"manipulations", "Manipulations", "What is changed on purpose of what nodes send",
            [](Stage& stage) -> View* { return new ManipulationView(stage); },
            ViewKind::Place{
                Wish::For::manipulation, QT_TRANSLATE_NOOP("MainWindow", "Manipulations"), R"({"tabs":[{"view":"manipulations"}]})"}},
        {"script", "Script", "What a node does by its script, and what it logged",
            [](Stage& stage) -> View* { return new ScriptView(stage); }},
        {"network", "Network", "Who is on the buses where a higher protocol is spoken, transfers, trouble codes",
            [](Stage& stage) -> View* { return new NetworkView(stage); }},
        {"messages", "Messages", "Messages of higher protocols, whole, with their pieces",
            [](Stage& stage) -> View* { return new MessagesView(stage); }},
        {"ask", "Ask", "Objects read and written, groups asked for, diagnostic requests",
            [](Stage& stage) -> View* { return new AskView(stage); },
            ViewKind::Place{Wish::For::question, QT_TRANSLATE_NOOP("MainWindow", "Ask"), R"({"tabs":[{"view":"ask"}]})"}},
        {"nodes", "Nodes", "Simulated nodes and their states", [](Stage& stage) -> View* { return new NodesView(stage); }},
    };
    return kinds;
}

}  // namespace wavetrope::app
