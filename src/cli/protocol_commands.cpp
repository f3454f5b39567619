// SPDX-License-Identifier: GPL-3.0-or-later
// transfers and network, and messages in place of frames.
#include <algorithm>
#include <map>

#include "base/time_text.h"
#include "cli/csv.h"
#include "cli/protocols.h"
#include "convert/value_rows.h"
#include "filter/filter_stream.h"
#include "protocol/message_stream.h"
#include "protocol/network.h"

namespace wavetrope::cli {

namespace {

/// What the buses of a log speak: as typed, and as a rig says of those that nothing was typed of.
struct Speaking {
    std::vector<protocol::Spoken> all;
    std::vector<std::string> typed;  ///< Buses, which the log must have.
};

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

// Where a command has nothing to say of plain frames.
Expected<Speaking> needSpeaking(const std::vector<std::string>& protocols, const std::string& rigPath)
{
    auto speaking = speakingOf(protocols, rigPath);
    if (speaking && speaking->all.empty())
        return fail("nothing says what the buses speak", {},
            "Give --protocol BUS=vehicle, BUS=objects or BUS=diagnostics:0x7E0/0x7E8, or a --rig that says so");
    return speaking;
}

/// Messages of a log while it is read.
class MessageSink final : public formats::LogSink {
public:
    std::function<void(const protocol::MessageRow&)> onRow = [](const protocol::MessageRow&) {};
    std::function<void(const protocol::Transfer&)> onTransfer = [](const protocol::Transfer&) {};
    /// Before each frame; false: it and what follows is left out.
    std::function<bool(const can::FrameView&)> goesOn = [](const can::FrameView&) { return true; };

    MessageSink(const Speaking& speaking, const std::string& log) : speaking_(speaking), progress_("reading " + log) {}

    std::uint8_t onBus(const trace::TraceBus& bus) override
    {
        std::vector<protocol::Spoken> speaks;
        for (const protocol::Spoken& one : speaking_.all)
            if (one.bus == bus.name)
                speaks.push_back(one);
        buses.push_back(bus);
        stream.speak(static_cast<std::uint8_t>(buses.size() - 1), speaks);
        return static_cast<std::uint8_t>(buses.size() - 1);
    }
    void onFrames(std::span<const can::FrameView> frames) override
    {
        if (!frames.empty() && !std::exchange(begun_, true))
            for (const std::string& bus : speaking_.typed)
                if (!named(buses, bus) && !named(known, bus))
                    missing = bus;
        for (const can::FrameView& frame : frames) {
            if (missing || over_)
                return;
            over_ = !goesOn(frame);
            if (!over_)
                stream.onFrame(frame);
        }
    }
    bool onProgress(std::uint64_t done, std::uint64_t total) override
    {
        progress_.show(done, total);
        return !interrupted && !missing && !over_;
    }
    [[nodiscard]] bool begun() const { return begun_; }
    std::function<void()> atEnd = [] {};

    std::vector<trace::TraceBus> buses, known;  ///< So far, and those that the log has anywhere, where that was asked.
    std::optional<std::string> missing;     ///< A bus that was typed, and that none of them is called.
    protocol::MessageStream stream{
        [this](const protocol::MessageRow& row) { onRow(row); }, [this](const protocol::Transfer& one) { onTransfer(one); }};

private:
    static bool named(const std::vector<trace::TraceBus>& among, const std::string& bus)
    {
        return std::any_of(among.begin(), among.end(), [&](const trace::TraceBus& one) { return one.name == bus; });
    }
    const Speaking& speaking_;
    ProgressLine progress_;
    bool begun_ = false, over_ = false;
};

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

int network(const Question& question, const std::vector<std::string>& protocols, const std::string& at)
{
    const auto speaking = needSpeaking(protocols, question.rig);
    if (!speaking)
        return report(speaking.error());
    protocol::Network following;
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

CLI::Option* addProtocolOption(CLI::App& command, std::vector<std::string>& protocols)
{
    return command
        .add_option("--protocol", protocols,
            "BUS=vehicle, BUS=objects or BUS=diagnostics:REQUEST/ANSWER[,...]: what a bus speaks; may be given several times, for one bus "
            "too")
        ->allow_extra_args(false);
}

namespace {

// Of a message of more bytes than a frame has, its first ones.
can::FrameView viewOf(const protocol::MessageRow& row)
{
    can::FrameView view;
    view.time = row.time;
    view.bus = row.bus;
    view.id = row.id;
    view.kind = row.frame;
    view.direction = row.direction;
    view.brs = row.brs;
    view.esi = row.esi;
    view.length = static_cast<std::uint8_t>(std::min<std::size_t>(row.data.size(), can::maxLength));
    view.dlc = row.frame == can::FrameKind::remote ? static_cast<std::uint8_t>(row.length) : can::dlcOfLength(view.length);
    view.data = row.data.data();
    return view;
}

/// The messages of a log that pass a filter, with what explains them.
class PassingRows {
public:
    /// False: no more are wanted.
    using Take = std::function<bool(
        const protocol::MessageRow&, const std::vector<trace::TraceBus>&, const std::shared_ptr<const database::Catalog>&)>;

    PassingRows(const Question& question, const std::vector<std::string>& protocols) : question_(question), protocols_(protocols) {}
    /// What it takes to know what each signal is; without, only where the filter asks.
    void explained() { explains_ = true; }

    Expected<void> each(const Take& take)
    {
        const auto speaking = speakingOf(protocols_, question_.rig);
        if (!speaking)
            return tl::unexpected(speaking.error());
        // Groups are found whatever the address that sends them.
        for (const protocol::Spoken& one : speaking->all)
            if (one.protocol == protocol::Protocol::vehicle)
                databases_.matchByGroup(one.bus);
        const auto done = follow(question_, *speaking, [&](MessageSink& sink) {
            sink.goesOn = [this, &sink](const can::FrameView& frame) { return wanted_ && prepare(sink.buses, frame.time); };
            sink.onRow = [this, &sink, &take](const protocol::MessageRow& row) {
                if (wanted_ && (!filter_ || filter_->passes(viewOf(row))))
                    wanted_ = take(row, sink.buses, catalog);
            };
        });
        return failure_ ? tl::unexpected(*failure_) : done;
    }
    std::shared_ptr<const database::Catalog> catalog;

private:
    // A bus may come behind the first frames.
    bool prepare(const std::vector<trace::TraceBus>& buses, Time first)
    {
        if ((question_.narrowing.filter.empty() && !explains_) || bound_ == buses.size())
            return true;
        auto explained = databases_.explain(buses);
        if (!explained) {
            failure_ = explained.error();
            return false;
        }
        catalog = *explained;
        bound_ = buses.size();
        if (question_.narrowing.filter.empty())
            return true;
        auto compiled = filterOf(question_, catalog);
        if (!compiled) {
            failure_ = compiled.error();
            return false;
        }
        if (filter_)
            filter_->rebind(std::move(*compiled));
        else
            filter_.emplace(std::move(*compiled), first);
        return true;
    }

    const Question& question_;
    const std::vector<std::string>& protocols_;
    Databases databases_{question_.databases, question_.match, question_.rig};
    std::optional<filter::FilterStream> filter_;
    std::optional<Error> failure_;
    std::size_t bound_ = 0;
    bool explains_ = false, wanted_ = true;
};

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
    bool begun = false;
    std::optional<convert::ValueRows> values;
    const database::Catalog* of = nullptr;
    convert::ValueRows::Counts counts;
    std::uint64_t rows = 0;
    std::string text;
    std::vector<database::Decoded> decoded;
    PassingRows passing(question, protocols);
    passing.explained();
    const auto done = passing.each([&](const protocol::MessageRow& row, const auto&, const auto& catalog) {
        if (of != catalog.get()) {
            values.emplace(catalog, glob, Time{0});
            of = catalog.get();
        }
        if (!std::exchange(begun, true))
            out.raw(convert::ValueRows::head);
        ++rows;
        // The bytes of an object are not those of the frames that carry it.
        if (row.head && (row.head->kind == protocol::Kind::serviceRead || row.head->kind == protocol::Kind::serviceWrite))
            return true;
        text.clear();
        values->append(viewOf(row), row.data, text, decoded, counts);
        out.raw(text);
        return out.good();
    });
    if (!done)
        return report(done.error());
    if (!begun)
        out.raw(convert::ValueRows::head);
    const int result = printed(out.finish());
    if (result == 0)
        for (const std::string& words :
            convert::shortcomings(counts, passing.catalog && passing.catalog->anyDatabase(), values && values->any(), glob, rows))
            warn(words);
    return result;
}

void addProtocolCommands(CLI::App& program, int& result)
{
    struct Options {
        Question question;
        std::vector<std::string> protocols;
        std::string at;
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
    command->callback([options, &result] { result = network(options->question, options->protocols, options->at); });
}

}  // namespace wavetrope::cli
