// SPDX-License-Identifier: GPL-3.0-or-later
// The command line: everything the application computes, without a window.
#include <csignal>

#include "cli/command.h"
#include "cli/protocols.h"
#include "manual/manual.h"

int main(int argc, char** argv)
{
    using namespace wavetrope::cli;
    // Without SA_RESTART: who waits for a pipe is woken.
    struct sigaction ends{};
    ends.sa_handler = [](int) { interrupted = true; };
    for (const int signal : {SIGINT, SIGTERM})
        ::sigaction(signal, &ends, nullptr);
    std::signal(SIGPIPE, SIG_IGN);      // a closed output is told of in words

    CLI::App program("Wavetrope: capture, decode, filter, measure and replay traffic of controller area networks");
    program.require_subcommand(1);
    program.set_version_flag("--version", "wavetrope-cli " WAVETROPE_VERSION);
    wavetrope::manual::addTo(program,
        {"wavetrope-cli", WAVETROPE_VERSION, "capture, decode and measure CAN traffic",
            {{"EXIT STATUS", "0 where all went well, 2 where something was wrong with what was asked for or with what was read, or where "
                             "output was lost; it is told on standard error."},
                {"FILES", "Signal databases (.dbc), logs (.pcapng, .pcap, lines of text; each also with .gz or .zst), rigs (.json)."},
                {"SEE ALSO", "wavetrope(1); the language of filters in filter-language.md, beside this program's other documents."}}});
    int result = 0;
    addLogCommands(program, result);
    addConvertCommands(program, result);
    addLayoutCommands(program, result);
    addRunCommands(program, result);
    addRuleCommands(program, result);
    addRecoveryCommands(program, result);
    addBusCommands(program, result);
    addShareCommand(program, result);
    addDatabaseCommands(program, result);
    addEventCommand(program, result);
    addMeasureCommands(program, result);
    addTimingCommands(program, result);
    addSendCommands(program, result);
    addDialogueCommands(program, result);
    addProtocolCommands(program, result);
    addDictionaryCommands(program, result);
    addTalkCommands(program, result);
    try {
        program.parse(argc, argv);
    } catch (const CLI::ParseError& error) {
        return program.exit(error) == 0 ? 0 : exitBad;
    }
    return result == 0 && (std::fflush(stdout) != 0 || std::ferror(stdout) != 0)
               ? report("standard output is closed or full; what was printed is incomplete")
               : result;
}
