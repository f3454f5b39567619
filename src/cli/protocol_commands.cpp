// SPDX-License-Identifier: GPL-3.0-or-later
// transfers and network, and messages in place of frames.
#include <algorithm>
#include <map>

#include "base/time_text.h"
#include "cli/csv.h"
#include "cli/message_rows.h"
#include "cli/message_values.h"
#include "cli/protocols.h"
#include "protocol/network.h"

namespace wavetrope::cli {

namespace {

// Where a command has nothing to say of plain frames.
Expected<Speaking> needSpeaking(const std::vector<std::string>& protocols, const std::string& rigPath)
{
    auto speaking = speakingOf(protocols, rigPath);
    if (speaking && speaking->all.empty())
        return fail("nothing says what the buses speak", {},
            "Give --protocol BUS=vehicle, BUS=objects or BUS=diagnostics:0x7E0/0x7E8, or a --rig that says so");
    return speaking;
}

int transfers(const Question& question, const std::vector<std::string>& protocols)
{
    const auto speaking = needSpeaking(protocols, question.rig);
    if (!speaking)
        return report(speaking.error());
    CsvWriter out(stdout);
    std::map<std::uint64_t, protocol::Transfer> ended;  // by the number of their first frame
    bool begun = false;
    const auto put = [&](const std::vector<trace::TraceBus>& buses, std::uint64_t decided) {
        if (!std::exchange(begun, true))
            out.row({"from", "to", "bus", "protocol", "kind", "source", "destination", "what", "bytes", "frames", "ended"});
        while (!ended.empty() && ended.begin()->first < decided) {
            const protocol::Transfer& one = ended.begin()->second;
            out.row({secondsText(one.from), secondsText(one.to), buses[one.bus].name, toText(one.head.protocol), toText(one.head.kind),
                toText(one.head.source), toText(one.head.destination), whatOf(one), std::to_string(one.bytes), std::to_string(one.frames),
                toText(one.ended)});
            ended.erase(ended.begin());
        }
    };
    const auto done = follow(question, *speaking, [&](MessageSink& sink) {
        sink.onTransfer = [&](const protocol::Transfer& transfer) {
            protocol::Transfer kept = transfer;
            kept.data = {};
            const std::uint64_t first = kept.numbers.front();
            kept.numbers = {};
            ended.emplace(first, std::move(kept));
        };
        sink.goesOn = [&](const can::FrameView&) {
            if (!ended.empty() && ended.begin()->first < sink.stream.decided())
                put(sink.buses, sink.stream.decided());
            return true;
        };
        sink.atEnd = [&] { put(sink.buses, ~std::uint64_t{0}); };
    });
    return done ? printed(out.finish()) : report(done.error());
}

// The table that is typed, else the rig's.
std::string namesFor(const Question& question, const std::string& typed)
{
    if (!typed.empty() || question.rig.empty())
        return typed;
    const auto rig = rig::loadRig(question.rig);
    return rig && !rig->names.empty() ? rig->resolve(rig->names) : std::string();
}

int network(const Question& question, const std::vector<std::string>& protocols, const std::string& at, const std::string& table)
{
    const auto speaking = needSpeaking(protocols, question.rig);
    if (!speaking)
        return report(speaking.error());
    std::shared_ptr<const protocol::Names> names;
    if (const auto path = namesFor(question, table); !path.empty()) {
        auto read = protocol::readNames(path);
        if (!read)
            return report(read.error());
        names = std::make_shared<const protocol::Names>(std::move(*read));
    }
    protocol::Network following(names);
    std::vector<trace::TraceBus> buses;
    std::optional<Time> until;
    Time last{};
    bool wrong = false;
    const auto done = follow(question, *speaking, [&](MessageSink& sink) {
        sink.onRow = [&](const protocol::MessageRow& row) { following.take(row); };
        sink.goesOn = [&](const can::FrameView& frame) {
            if (!at.empty() && !until) {
                until = momentFromText(at, frame.time);
                wrong = !until;
            }
            if (wrong || (until && frame.time > *until))
                return false;
            last = frame.time;
            return true;
        };
        sink.atEnd = [&] { buses = sink.buses; };
    });
    if (!done)
        return report(done.error());
    if (wrong || (!at.empty() && !until && !momentFromText(at, Time{0})))
        return report("--at '" + at + "': expected seconds since 1970, or +12.5s from the first frame");
    CsvWriter out(stdout);
    out.row({"bus", "node", "name", "state", "since", "what"});
    for (const protocol::NetworkNode& node : following.nodes(until.value_or(last)))
        out.row({buses[node.bus].name, toText(node.node), node.name, node.state, secondsText(node.since), node.what});
    return printed(out.finish());
}

}  // namespace

int listMessages(const Question& question, const std::vector<std::string>& protocols)
{
    CsvWriter out(stdout);
    bool begun = false;
    const auto head = [&] {
        if (!std::exchange(begun, true))
            out.row({"time", "bus", "protocol", "kind", "source", "destination", "id", "length", "data"});
    };
    const auto done = PassingRows(question, protocols).each([&](const protocol::MessageRow& row, const auto& buses, const auto&) {
        head();
        out.row({secondsText(row.time), buses[row.bus].name, row.head ? toText(row.head->protocol) : "",
            row.head ? toText(row.head->kind) : can::toText(row.frame), row.head ? toText(row.head->source) : std::string(),
            row.head ? toText(row.head->destination) : std::string(), can::toText(row.id), std::to_string(row.length), hexOf(row.data)});
        return out.good();
    });
    if (!done)
        return report(done.error());
    head();
    return printed(out.finish());
}

int countMessages(const Question& question, const std::vector<std::string>& protocols)
{
    std::uint64_t counted = 0;
    const auto done = PassingRows(question, protocols).each([&](const auto&, const auto&, const auto&) {
        ++counted;
        return true;
    });
    if (!done)
        return report(done.error());
    if (interrupted)
        return report("interrupted; not all messages were counted");
    std::printf("%llu\n", static_cast<unsigned long long>(counted));
    return printed();
}

int decodeMessages(const Question& question, const std::vector<std::string>& protocols, const std::string& glob)
{
    CsvWriter out(stdout);
    MessageValues values(question, protocols, glob);
    const auto done = values.each([](Time) { return Time{0}; },
        [&](std::string_view text) {
            out.raw(text);
            return out.good();
        });
    if (!done)
        return report(done.error());
    const int result = printed(out.finish());
    if (result == 0)
        for (const std::string& words : values.shortcomings())
            warn(words);
    return result;
}

void addProtocolCommands(CLI::App& program, int& result)
{
    struct Options {
        Question question;
        std::vector<std::string> protocols;
        std::string at, names;
    };
    const auto common = [](CLI::App* command, Options& options) {
        command->add_option("log", options.question.log, "The log")->required();
        addProtocolOption(*command, options.protocols);
        command->add_option("--rig", options.question.rig, "A rig whose buses say what they speak");
        command
            ->add_option(
                "--with", options.question.more, "A further log, read as one with the first: LOG or LOG@OFFSET, added to its stamps")
            ->allow_extra_args(false);
        addLayoutOption(*command, options.question.layout);
    };
    auto options = std::make_shared<Options>();
    CLI::App* command = program.add_subcommand("transfers", "Messages of higher protocols that came in pieces, and how they ended");
    common(command, *options);
    command->callback([options, &result] { result = transfers(options->question, options->protocols); });

    options = std::make_shared<Options>();
    command = program.add_subcommand("network", "Who is on the buses of a log, and in what state");
    common(command, *options);
    command->add_option("--at", options->at, "Seconds since 1970, or +12.5s from the first frame; without, at the log's end");
    command->add_option("--names", options->names, "A table of names of manufacturers, functions and parameters: kind,number,name");
    command->callback([options, &result] { result = network(options->question, options->protocols, options->at, options->names); });
}

}  // namespace wavetrope::cli
