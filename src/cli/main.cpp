// The command line: everything the application computes, without a window.
#include <csignal>

#include "cli/command.h"

int main(int argc, char** argv)
{
    using namespace wavetrope::cli;
    // Without SA_RESTART: who waits for a pipe is woken.
    struct sigaction ends {};
    ends.sa_handler = [](int) { interrupted = true; };
    for (const int signal : {SIGINT, SIGTERM})
        ::sigaction(signal, &ends, nullptr);
    std::signal(SIGPIPE, SIG_IGN);      // a closed output is told of in words

    CLI::App program("Wavetrope: capture, decode, filter, measure and replay traffic of controller area networks");
    program.require_subcommand(1);
    program.set_version_flag("--version", "wavetrope-cli 0.1.0");
    int result = 0;
    addLogCommands(program, result);
    addConvertCommands(program, result);
    addLayoutCommands(program, result);
    addRunCommands(program, result);
    addRecoveryCommands(program, result);
    addBusCommands(program, result);
    addDatabaseCommands(program, result);
    try {
        program.parse(argc, argv);
    } catch (const CLI::ParseError& error) {
        return program.exit(error) == 0 ? 0 : exitBad;
    }
    return result == 0 && (std::fflush(stdout) != 0 || std::ferror(stdout) != 0) ? report("standard output is closed or full; what was printed is incomplete") : result;
}
