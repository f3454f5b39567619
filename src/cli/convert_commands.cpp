// SPDX-License-Identifier: GPL-3.0-or-later
// convert.
#include <filesystem>
#include <tuple>

#include "base/time_text.h"
#include "cli/command.h"
#include "cli/message_values.h"
#include "convert/conversion.h"
#include "convert/streamed_conversion.h"

namespace wavetrope::cli {

namespace {

struct ConvertOptions {
    Question question;
    std::vector<std::string> protocols;
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

// While the log is read. `choose`, where there is one, says of each frame by its number whether it goes on.
int stream(const ConvertOptions& options, convert::Conversion conversion, const std::function<bool(std::uint64_t)>& choose = {})
{
    auto streamed = convert::StreamedConversion::begin(std::move(conversion), [&options](Time origin) { return within(options, origin); });
    if (!streamed)
        return report(streamed.error());
    convert::StreamWork work;
    (*streamed)->join(work);
    Question question = options.question;
    std::uint64_t number = 0;
    std::vector<can::FrameView> chosen;
    if (choose) {
        question.narrowing.filter.clear();
        question.databases.clear();
        question.rig.clear();
        question.dictionaries.clear();
        work.take = [&, take = work.take](const convert::LogFacts& facts, std::span<const can::FrameView> frames) {
            chosen.clear();
            for (const can::FrameView& frame : frames)
                if (choose(number++))
                    chosen.push_back(frame);
            return take(facts, chosen);
        };
    }
    const auto log = streamLog(question, std::move(work), "writing " + options.out);
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

// CSV, a row for each value of the messages that pass.
int messageRows(const ConvertOptions& options, const convert::Conversion& conversion)
{
    if (const auto may = convert::mayWrite(conversion); !may)
        return report(may.error());
    auto file = formats::OutputFile::create(conversion.path);
    if (!file)
        return report(file.error());
    MessageValues values(options.question, options.protocols, options.signals);
    bool reversed = false;
    values.within = [&](Time first) {
        const auto stretch = within(options, first);
        reversed = stretch.first > stretch.second;
        return stretch;
    };
    const bool fromStart = conversion.clock == convert::Clock::start;
    const auto written = values.each([&](Time first) { return fromStart ? first : Time{0}; },
        [&](std::string_view text) {
            (*file)->write(text);
            return (*file)->good() && !reversed;
        });
    std::optional<Error> failure;
    if (!written)
        failure = written.error();
    else if (reversed)
        failure = Error{"the stretch of time ends before it begins", conversion.path, 0, 0, {}};
    else if (interrupted)
        failure = Error{"cancelled; nothing was written", {}, 0, 0, {}};
    else if (const auto finished = (*file)->finish(); !finished)
        failure = finished.error();
    if (failure) {
        (*file)->discard();
        return report(*failure);
    }
    for (const std::string& words : values.shortcomings())
        warn(words);
    return 0;
}

// A log of the frames whose messages pass, pieces too: which these are is known once all of it was read.
int messageFrames(const ConvertOptions& options, convert::Conversion conversion)
{
    if (options.question.narrowing.filter.empty())
        return stream(options, std::move(conversion));
    std::error_code code;
    if (!std::filesystem::is_regular_file(options.question.log, code))
        return report(Error{"frames of whole messages are chosen by reading the log twice, and this is no file", options.question.log, 0, 0,
            "Convert it without --filter first"});
    std::vector<bool> passes;
    PassingRows rows(options.question, options.protocols);
    const auto found = rows.each([&](const protocol::MessageRow& row, const auto&, const auto&) {
        const auto pass = [&](std::uint64_t number) {
            if (number >= passes.size())
                passes.resize(std::max<std::size_t>(number + 1, passes.size() * 3 / 2));
            passes[number] = true;
        };
        if (row.pieces.empty())
            pass(row.number);
        for (const std::uint64_t number : row.pieces)
            pass(number);
        return true;
    });
    if (!found)
        return report(found.error());
    return stream(options, std::move(conversion), [&](std::uint64_t number) { return number < passes.size() && passes[number]; });
}

int convert(const ConvertOptions& options)
{
    auto conversion = conversionOf(options);
    if (!conversion)
        return report(conversion.error());
    for (const auto& [text, name] : {std::pair{&options.from, "--from"}, std::pair{&options.to, "--to"}})
        if (!text->empty() && !momentFromText(*text, Time{0}))
            return report(std::string(name) + " '" + *text + "': expected seconds since 1970, or +12.5s from the first frame");
    const bool messages = speaks(options.question, options.protocols);
    if (messages && conversion->form == convert::Form::rows)
        return messageRows(options, *conversion);
    if (messages && conversion->form == convert::Form::log)
        return messageFrames(options, std::move(*conversion));
    if (convert::StreamedConversion::fits(conversion->form))
        return stream(options, std::move(*conversion));
    const auto log = loadLog(options.question.log, options.question.layout, options.question.more, options.question.narrowing.threads);
    if (!log)
        return report(log.error());
    Databases databases(options.question);
    if (messages) {
        const auto speaking = speakingOf(options.protocols, options.question.rig);
        if (!speaking)
            return report(speaking.error());
        if (const auto missing = speaking->missing((*log)->buses, options.question.log))
            return report(*missing);
        for (const trace::TraceBus& bus : (*log)->buses) {
            conversion->spoken.push_back(speaking->on(bus.name));
            for (const protocol::Spoken& one : conversion->spoken.back())
                if (one.protocol == protocol::Protocol::vehicle)
                    databases.matchByGroup(bus.name);
        }
    }
    const auto catalog = databases.explain((*log)->buses);
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
    addProtocolOption(*command, options->protocols);
    addDictionaryOption(*command, options->question);
    command->add_flag("--overwrite", options->overwrite, "Replace a file that exists");
    command->callback([options, &result] { result = convert(*options); });
}

}  // namespace wavetrope::cli
