// SPDX-License-Identifier: GPL-3.0-or-later
// object and diagnose: questions to somebody on a bus.
#include <charconv>

#include "cli/csv.h"
#include "cli/protocols.h"
#include "cli/target.h"
#include "protocol/talk.h"
#include "rig/session.h"

namespace wavetrope::cli {

namespace {

constexpr int exitNo = 1;  // an answer, but no
constexpr Time longestTalk = std::chrono::minutes(30);
constexpr std::size_t roomForBlock = 256;

/// Has a conversation on a bus of a run.
class Talking final : public bus::Listener {
public:
    Talking(rig::Session& session, bus::Bus& bus, protocol::Talk& talk)
        : session_(session),
          bus_(bus),
          talk_(talk),
          port_(bus.attach("wavetrope-cli", can::Direction::sent, bus::Order::asOffered)),
          timer_(clock::Timer::calling<&Talking::due>(session.scheduler(), this))
    {
        bus.makeRoom(port_, roomForBlock);
        bus.listen(this);
        talk_.begin(session.scheduler().now());
        goOn();
    }
    void onFrame(const can::FrameView& frame, bus::Port sender) override
    {
        if (sender == port_)
            return;
        talk_.hear(frame);
        goOn();
    }
    [[nodiscard]] bool refused() const { return refused_; }

private:
    void due()
    {
        talk_.passed(session_.scheduler().now());
        goOn();
    }
    void goOn()
    {
        for (const can::Frame& frame : talk_.take())
            refused_ = !bus_.offer(port_, frame) || refused_;
        if (talk_.answer() || refused_)
            return session_.endHere();
        if (talk_.due() != Time::max())
            timer_.at(talk_.due());
    }

    rig::Session& session_;
    bus::Bus& bus_;
    protocol::Talk& talk_;
    bus::Port port_;
    clock::Timer timer_;
    bool refused_ = false;
};

struct TalkOptions {
    std::string interface, bus;
    std::vector<std::string> words;
    bool isVirtual = false, block = false;
    RecordOption record;
};

void addTarget(CLI::App& command, TalkOptions& options)
{
    command.add_option("--interface", options.interface, "Interface of the kernel, such as can0");
    command.add_option("--bus", options.bus, "Bus of the rig");
    command.add_flag("--virtual", options.isVirtual, "As fast as it goes instead of real time");
    addRecording(command, options.record, "Record what was on the buses to a log");
}

std::string hexWords(const std::vector<std::uint8_t>& bytes)
{
    std::string out;
    char text[4];
    for (const std::uint8_t byte : bytes) {
        std::snprintf(text, sizeof text, out.empty() ? "%02X" : " %02X", byte);
        out += text;
    }
    return out;
}

// Prints the bytes of an answer; no answer, or one that refuses: words, and exit code 1.
int converse(const TalkOptions& options, Target target, protocol::Talk& talk)
{
    if (const auto may = mayRecord(options.record); !may)
        return report(may.error());
    const auto databases = rig::loadDatabases(target.rig);
    for (const Error& problem : databases.problems)
        warn(problem.text());
    rig::SessionOptions how;
    how.measured = false;
    how.onTime = true;
    auto made = rig::Session::create(target.rig, databases, how);
    if (!made)
        return report(made.error());
    rig::Session& session = **made;
    if (options.isVirtual && !session.allSimulated())
        return report(
            Error{"--virtual needs simulated buses alone, and this rig has an interface of the kernel", target.rig.path, 0, 0, {}});
    if (!options.record.path.empty())
        if (const auto recording = session.record(options.record.path); !recording)
            return report(recording.error());
    std::size_t which = 0;
    while (target.rig.buses[which].name != target.bus)
        ++which;
    Talking talking(session, session.bus(which), talk);
    clock::SteadyClock wall;
    session.runFor(longestTalk, options.isVirtual ? nullptr : &wall, [&] { return !interrupted; });
    if (!options.record.path.empty())
        if (const auto written = session.finishRecording(); !written)
            return report(written.error());
    if (talking.refused()) {
        report(target.bus + " takes no frames: " + session.health()[which].words);
        return exitNo;
    }
    if (!talk.answer())
        return report("it was ended before there was an answer");
    if (!talk.answer()->data.empty())
        std::printf("%s\n", hexWords(talk.answer()->data).c_str());
    if (!talk.answer()->good) {
        std::fprintf(stderr, "wavetrope-cli: %s\n", talk.answer()->words.c_str());
        return exitNo;
    }
    return printed();
}

Expected<Target> targetWith(const TalkOptions& options, std::size_t words, const char* wanted)
{
    auto target = targetOf(options.interface, options.bus, options.isVirtual, options.words);
    if (target && target->words.size() != words)
        return fail(std::string("expected ") + wanted);
    return target;
}

int object(const TalkOptions& options, bool writes)
{
    auto target = targetWith(
        options, writes ? 3 : 2, writes ? "a node, an object and its bytes: 4 0x2001:03 \"10 27\"" : "a node and an object: 4 0x2001:03");
    if (!target)
        return report(target.error());
    unsigned node = 0;
    const std::string& text = target->words[0];
    const auto [end, problem] = std::from_chars(text.data(), text.data() + text.size(), node);
    if (problem != std::errc() || end != text.data() + text.size() || node < 1 || node > 127)
        return report("'" + text + "' is no node: expected a number of 1 to 127");
    const auto place = protocol::objectPlaceFromText(target->words[1]);
    if (!place)
        return report(place.error());
    std::unique_ptr<protocol::Talk> talk;
    if (writes) {
        auto bytes = protocol::bytesFromText(target->words[2]);
        if (!bytes)
            return report(bytes.error());
        talk = protocol::objectWrite(static_cast<std::uint8_t>(node), *place, std::move(*bytes), options.block);
    } else {
        talk = protocol::objectRead(static_cast<std::uint8_t>(node), *place, options.block);
    }
    return converse(options, std::move(*target), *talk);
}

int diagnose(const TalkOptions& options)
{
    auto target = targetWith(options, 2, "two identifiers and a request: 0x7E0/0x7E8 \"22 F1 90\"");
    if (!target)
        return report(target.error());
    const auto spoken = protocol::spokenFromText(target->bus + "=diagnostics:" + target->words[0]);
    if (!spoken)
        return report(spoken.error());
    if (spoken->pairs.size() != 1)
        return report("'" + target->words[0] + "': expected one pair of identifiers, such as 0x7E0/0x7E8");
    auto bytes = protocol::bytesFromText(target->words[1]);
    if (!bytes)
        return report(bytes.error());
    const auto talk = protocol::diagnosticRequest(spoken->pairs.front(), std::move(*bytes));
    return converse(options, std::move(*target), *talk);
}

}  // namespace

void addTalkCommands(CLI::App& program, int& result)
{
    CLI::App* objects = program.add_subcommand("object", "Reads or writes an object of a node's dictionary");
    objects->require_subcommand(1);
    for (const bool writes : {false, true}) {
        const auto options = std::make_shared<TalkOptions>();
        CLI::App* command = objects->add_subcommand(writes ? "write" : "read", writes ? "Writes bytes" : "Prints its bytes");
        command
            ->add_option("what", options->words,
                writes ? "A rig where no interface is named, then node, object and bytes: 4 0x2001:03 \"10 27\""
                       : "A rig where no interface is named, then node and object: 4 0x2001:03")
            ->required();
        addTarget(*command, *options);
        command->add_flag("--block", options->block, "By block, with CRC");
        command->callback([options, writes, &result] { result = object(*options, writes); });
    }
    const auto options = std::make_shared<TalkOptions>();
    CLI::App* command = program.add_subcommand("diagnose", "Sends a diagnostic request, and prints its answer");
    command->add_option("what", options->words, "A rig where no interface is named, then identifiers and request: 0x7E0/0x7E8 \"22 F1 90\"")
        ->required();
    addTarget(*command, *options);
    command->callback([options, &result] { result = diagnose(*options); });
}

}  // namespace wavetrope::cli
