// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/message_rows.h"

#include <algorithm>

namespace wavetrope::cli {

std::vector<protocol::Spoken> Speaking::on(const std::string& bus) const
{
    std::vector<protocol::Spoken> out;
    for (const protocol::Spoken& one : all)
        if (one.bus == bus)
            out.push_back(one);
    return out;
}

std::optional<Error> Speaking::missing(const std::vector<trace::TraceBus>& buses, const std::string& log) const
{
    for (const std::string& bus : typed)
        if (std::none_of(buses.begin(), buses.end(), [&](const trace::TraceBus& one) { return one.name == bus; }))
            return Error{"the log has no bus '" + bus + "'", log, 0, 0, "`wavetrope-cli info` names those that it has"};
    return std::nullopt;
}

Expected<Speaking> speakingOf(const std::vector<std::string>& protocols, const std::string& rigPath)
{
    Speaking out;
    for (const std::string& text : protocols) {
        auto one = protocol::spokenFromText(text);
        if (!one)
            return fail("--protocol " + one.error().what);
        out.typed.push_back(one->bus);
        out.all.push_back(std::move(*one));
    }
    if (rigPath.empty())
        return out;
    const auto rig = rig::loadRig(rigPath);
    if (!rig)
        return tl::unexpected(rig.error());
    for (const rig::BusSpec& bus : rig->buses)
        if (std::find(out.typed.begin(), out.typed.end(), bus.name) == out.typed.end())
            out.all.insert(out.all.end(), bus.protocols.begin(), bus.protocols.end());
    return out;
}

bool speaks(const Question& question, const std::vector<std::string>& protocols)
{
    const auto speaking = speakingOf(protocols, question.rig);
    return !protocols.empty() || (speaking && !speaking->all.empty());
}

CLI::Option* addProtocolOption(CLI::App& command, std::vector<std::string>& protocols)
{
    return command
        .add_option("--protocol", protocols,
            "BUS=vehicle, BUS=objects or BUS=diagnostics:REQUEST/ANSWER[,...]: what a bus speaks; may be given several times, for one bus "
            "too")
        ->allow_extra_args(false);
}

// Reads the log of a question; `prepare` puts what hears of it into the sink.
Expected<void> follow(const Question& question, const Speaking& speaking, const std::function<void(MessageSink&)>& prepare)
{
    const auto read = [&](formats::LogSink& sink) {
        return readInto(sink, question.log, question.layout, question.more, question.narrowing.threads);
    };
    std::vector<trace::TraceBus> known;
    for (const bool second : {false, true}) {
        MessageSink sink(speaking, question.log);
        sink.known = known;
        prepare(sink);
        const auto reading = read(sink);
        if (!reading)
            return tl::unexpected(reading.error());
        if (sink.missing && !second) {
            // It may come behind the first frames.
            convert::BusGatherer gatherer([](std::uint64_t, std::uint64_t) { return !interrupted.load(); });
            if (const auto all = read(gatherer); !all)
                return tl::unexpected(all.error());
            known = std::move(gatherer.buses);
            continue;
        }
        if (!sink.begun() && !speaking.typed.empty() && sink.buses.empty())
            sink.missing = speaking.typed.front();
        if (sink.missing)
            return fail("the log has no bus '" + *sink.missing + "'", question.log, "`wavetrope-cli info` names those that it has");
        sink.stream.finish();
        sink.atEnd();
        if (!interrupted)
            warnOf(*reading);
        return {};
    }
    return {};
}

// Of a message of more bytes than a frame has, its first ones.

}  // namespace wavetrope::cli
