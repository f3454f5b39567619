// SPDX-License-Identifier: GPL-3.0-or-later
// convert.
#include <tuple>

#include "base/time_text.h"
#include "cli/command.h"
#include "convert/conversion.h"
#include "convert/streamed_conversion.h"

namespace wavetrope::cli {

namespace {

struct ConvertOptions {
    Question question;
    std::string out, from, to, signals, step, time = "start";
    bool wide = false;
    bool interpolate = false;
    bool overwrite = false;
};

// What the options ask for, but for what needs the log.
Expected<convert::Conversion> conversionOf(const ConvertOptions& options)
{
    convert::Conversion conversion;
    const auto form = convert::formForName(options.out);
    if (!form)
        return tl::unexpected(form.error());
    conversion.path = options.out;
    conversion.form = *form;
    conversion.signals = options.signals;
    conversion.overwrite = options.overwrite;
    conversion.threads = options.question.narrowing.threads;
    conversion.clock = options.time == "epoch" ? convert::Clock::epoch : convert::Clock::start;
    const bool wide = options.wide || options.interpolate || !options.step.empty();
    if (wide && *form != convert::Form::rows)
        return fail("--wide, --step and --interpolate are for CSV", options.out, "End the name in .csv");
    if (wide)
        conversion.form = convert::Form::table;
    if (!options.step.empty()) {
        const auto step = spanFromText(options.step);
        if (!step || step->count() <= 0)
            return fail("--step '" + options.step + "': expected a time such as 10ms");
        conversion.step = *step;
    }
    if (options.interpolate && conversion.step.count() == 0)
        return fail("--interpolate needs a --step at which there are rows", {}, "Give one, such as --step 10ms");
    conversion.between = options.interpolate ? convert::Between::interpolate : convert::Between::hold;
    return conversion;
}

// The stretch of time that is asked for, from the stamp of the first frame.
std::pair<Time, Time> within(const ConvertOptions& options, Time origin)
{
    const auto moment = [&](const std::string& text, Time otherwise) {
        return text.empty() ? otherwise : momentFromText(text, origin).value_or(otherwise);
    };
    return {moment(options.from, Time::min()), moment(options.to, Time::max())};
}

int done(const Expected<convert::Outcome>& outcome)
{
    if (!outcome)
        return report(outcome.error());
    for (const std::string& warning : outcome->warnings)
        warn(warning);
    return 0;
}

// While the log is read.
int stream(const ConvertOptions& options, convert::Conversion conversion)
{
    auto streamed = convert::StreamedConversion::begin(std::move(conversion), [&options](Time origin) { return within(options, origin); });
    if (!streamed)
        return report(streamed.error());
    convert::StreamWork work;
    (*streamed)->join(work);
    const auto log = streamLog(options.question, std::move(work), "writing " + options.out);
    if (!log) {
        (*streamed)->discard();
        return report(log.error());
    }
    if (interrupted) {
        (*streamed)->discard();
        return report("cancelled; nothing was written");
    }
    return done((*streamed)->finish(log->buses, log->catalog));
}

int convert(const ConvertOptions& options)
{
    auto conversion = conversionOf(options);
    if (!conversion)
        return report(conversion.error());
    for (const auto& [text, name] : {std::pair{&options.from, "--from"}, std::pair{&options.to, "--to"}})
        if (!text->empty() && !momentFromText(*text, Time{0}))
            return report(std::string(name) + " '" + *text + "': expected seconds since 1970, or +12.5s from the first frame");
    if (convert::StreamedConversion::fits(conversion->form))
        return stream(options, std::move(*conversion));
    const auto log = loadLog(options.question.log, options.question.layout, options.question.more, options.question.narrowing.threads);
    if (!log)
        return report(log.error());
    const auto catalog = Databases(options.question.databases, options.question.match, options.question.rig).explain((*log)->buses);
    if (!catalog)
        return report(catalog.error());
    auto filter = filterOf(options.question, *catalog);
    if (!filter)
        return report(filter.error());
    conversion->filter = std::move(*filter);
    std::tie(conversion->from, conversion->to) = within(options, (*log)->trace.origin());
    ProgressLine progress("writing " + options.out);
    return done(convert::convert((*log)->trace.snapshot(), *catalog, *conversion, [&](std::uint64_t done, std::uint64_t total) {
        progress.show(done, total);
        return !interrupted;
    }));
}

}  // namespace

void addConvertCommands(CLI::App& program, int& result)
{
    const auto options = std::make_shared<ConvertOptions>();
    CLI::App* command = program.add_subcommand(
        "convert", "Writes a log, or a part of it, in another form: a log format, CSV or SQLite, compressed or not");
    addQuestion(*command, options->question);
    command
        ->add_option("out", options->out,
            "The new file; its form follows from its name: .pcapng, .pcap, .csv, .sqlite, each also with .gz or .zst behind")
        ->required();
    command->add_option("--from", options->from, "Seconds since 1970, or +12.5s from the first frame");
    command->add_option("--to", options->to, "The same");
    command->add_option("--signals", options->signals, "Only signals whose name, or Message.Signal, fits a pattern with * and ?");
    command->add_flag("--wide", options->wide, "CSV with a column for each signal, a row whenever a value changes");
    command->add_option("--step", options->step, "CSV with a column for each signal, a row at each step, such as 10ms");
    command->add_flag("--interpolate", options->interpolate, "With --step: values between two samples, in place of the last one");
    command->add_option("--time", options->time, "CSV times since the first frame (start) or since 1970 (epoch)")
        ->check(CLI::IsMember({"start", "epoch"}));
    command->add_flag("--overwrite", options->overwrite, "Replace a file that exists");
    command->callback([options, &result] { result = convert(*options); });
}

}  // namespace wavetrope::cli
