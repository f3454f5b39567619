// The command line: everything the application computes, without a window.
#include <csignal>

#include "cli/command.h"

int main(int argc, char** argv)
{
    using namespace wavetrope::cli;
    std::signal(SIGINT, [](int) { interrupted = true; });
    std::signal(SIGTERM, [](int) { interrupted = true; });

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
    return result;
}
