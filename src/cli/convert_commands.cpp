// convert.
#include "can/time_text.h"
#include "cli/command.h"
#include "filter/filter.h"
#include "formats/log_file.h"

namespace wavetrope::cli {

namespace {

struct Options {
    std::string in, out, from, to;
    Narrowing narrowing;
    std::vector<std::string> databases;
};

int convert(const Options& options)
{
    if (const auto format = formats::formatForName(options.out); !format)
        return report(format.error());
    const auto log = loadLog(options.in);
    if (!log)
        return report(log.error());
    const auto catalog = catalogFromOptions((*log)->buses, options.databases);
    if (!catalog)
        return report(catalog.error());
    const auto matching = matchingRows(**log, *catalog, options.narrowing);
    if (!matching)
        return report(matching.error());
    const auto snapshot = (*log)->trace.snapshot();
    const can::Time origin = snapshot.rows() > 0 ? snapshot.time(0) : can::Time{0};
    can::Time from = can::Time::min();
    can::Time to = can::Time::max();
    for (const auto& [text, time, name] : {std::tuple{&options.from, &from, "--from"}, std::tuple{&options.to, &to, "--to"}}) {
        if (text->empty())
            continue;
        const auto moment = can::momentFromText(*text, origin);
        if (!moment)
            return report(std::string(name) + " '" + *text + "': expected seconds since 1970, or +12.5s from the first frame");
        *time = *moment;
    }
    auto file = formats::LogFile::create(options.out, (*log)->buses);
    if (!file)
        return report(file.error());
    if (!(*file)->losses().empty())
        warn((*file)->losses());
    ProgressLine progress("writing " + options.out);
    (*matching)->rows().each(0, [&](trace::Row row) {
        const can::FrameView frame = snapshot.frame(row);
        if (frame.time >= from && frame.time <= to)
            (*file)->write(frame);
        if (row % 65536 == 0)
            progress.show(row, snapshot.rows());
        return !interrupted;
    });
    if (interrupted) {
        (*file)->discard();
        return report("cancelled; nothing was written");
    }
    if (const auto finished = (*file)->finish(); !finished)
        return report(finished.error());
    return 0;
}

}  // namespace

void addConvertCommands(CLI::App& program, int& result)
{
    const auto options = std::make_shared<Options>();
    CLI::App* command = program.add_subcommand("convert", "Writes a log in another format, or a part of it");
    command->add_option("in", options->in, "The log")->required();
    command->add_option("out", options->out, "The new log; its format follows from its name")->required();
    addNarrowing(*command, options->narrowing);
    command->add_option("--database", options->databases, "[BUS=]FILE, for names in the filter");
    command->add_option("--from", options->from, "Seconds since 1970, or +12.5s from the first frame");
    command->add_option("--to", options->to, "The same");
    command->callback([options, &result] { result = convert(*options); });
}

}  // namespace wavetrope::cli
