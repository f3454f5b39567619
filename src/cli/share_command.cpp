// SPDX-License-Identifier: GPL-3.0-or-later
// share: a bus of this machine for others, over a broker.
#include "cli/command.h"

#include "base/joined.h"
#include "base/time_text.h"
#include "clock/pacer.h"
#include "remote/sharer.h"
#include "rig/session.h"

namespace wavetrope::cli {

namespace {

struct Sharing {
    std::string rig;
    std::string bus;
    std::string interface;
    std::string to;
    std::string writable;
    std::string span;
};

constexpr std::size_t memoryOfSharing = 64'000'000;     // of the run behind it, which keeps nothing
constexpr Time saidEvery = std::chrono::milliseconds(500);

// Gives the frames of the bus to the sharing side.
class Giving final : public bus::Listener {
public:
    explicit Giving(remote::Sharer& sharer) : sharer_(sharer) {}
    void onFrame(const can::FrameView& frame, bus::Port) override { sharer_.add(frame); }

private:
    remote::Sharer& sharer_;
};

Expected<rig::Rig> rigOf(const Sharing& options, std::size_t& index)
{
    if (!options.interface.empty()) {
        rig::Rig rig;
        rig::BusSpec bus;
        bus.name = bus.address = options.interface;
        for (const bus::BusKind& kind : bus::busKinds())
            if (kind.field == std::string_view("interface"))
                bus.kind = &kind;
        if (const auto listed = bus.kind->list())
            for (const bus::Listed& one : *listed)
                if (one.address == options.interface)
                    bus.rate = one.rate;
        rig.buses.push_back(std::move(bus));
        index = 0;
        return rig;
    }
    auto rig = rig::loadRig(options.rig);
    if (!rig)
        return rig;
    std::vector<std::string> names;
    for (index = 0; index < rig->buses.size() && rig->buses[index].name != options.bus; ++index)
        names.push_back(rig->buses[index].name);
    if (index == rig->buses.size())
        return fail("the rig has no bus '" + options.bus + "'", options.rig,
            "It has " + (names.empty() ? std::string("none") : joined(names, ", ")));
    rig->begins = {};       // stamps are those of this machine
    rig->recordings.clear();
    return rig;
}

// Says how the line is, and what came of it, whenever that changes.
class LineWords {
public:
    void show(const remote::Sharer::State& is, const std::string& place)
    {
        const std::string line = is.line.phase == remote::Line::State::Phase::open ? "shared at " + place : is.line.words;
        say(line_, line, false);
        say(unheard_, is.line.unheard, true);
        say(foreign_, is.foreign, true);
        std::string denied;
        for (const auto& [topic, count] : is.line.denied)
            denied += (denied.empty() ? "the broker does not let us write " : ", ") + (place + "/" + topic);
        say(denied_, denied, true);
        if (is.lost > 0 && lost_ == 0)
            warn("the line is broken for so long that frames are lost");
        lost_ = is.lost;
    }

private:
    static void say(std::string& said, const std::string& now, bool asWarning)
    {
        if (now == said)
            return;
        said = now;
        if (!now.empty() && asWarning)
            warn(now);
        else if (!now.empty())
            std::fprintf(stderr, "%s\n", now.c_str());
    }
    std::string line_, unheard_, foreign_, denied_;
    std::uint64_t lost_ = 0;
};

int share(const Sharing& options)
{
    const auto span = spanOfRun(options.span);
    if (!span)
        return report(span.error());
    const auto place = remote::placeFromText(options.to);
    if (!place)
        return report(place.error());
    std::vector<remote::IdRange> writable;
    if (!options.writable.empty()) {
        auto read = remote::idRangesFromText(options.writable);
        if (!read)
            return report("--writable '" + options.writable + "': expected identifiers and ranges such as 0x1F0,0x200..0x20F,0x18FF2103");
        writable = std::move(*read);
    }
    const auto credentials = remote::credentialsFor(*place);
    if (!credentials)
        return report(credentials.error());
    std::size_t index = 0;
    const auto rig = rigOf(options, index);
    if (!rig)
        return report(rig.error());
    const auto databases = rig::loadDatabases(*rig);
    for (const Error& problem : databases.problems)
        warn(problem.text());
    rig::SessionOptions how;
    how.measured = false;
    how.spool.emplace();
    how.spool->memory = memoryOfSharing;
    auto session = rig::Session::create(*rig, databases, how);
    if (!session)
        return report(session.error());
    for (const Error& problem : (*session)->leftOut())
        warn(problem.text());

    bus::Bus& bus = (*session)->bus(index);
    const bus::Port port = bus.attach("others", can::Direction::sent, bus::Order::asOffered);
    remote::Sharer sharer({*place, *credentials, rig->buses[index].name, rig->buses[index].rate, std::move(writable)});
    Giving giving(sharer);
    bus.listen(&giving);
    LineWords words;
    clock::SteadyClock wall;
    std::string refused;
    bool everOpen = false;
    Time shown{};
    (*session)->runFor(*span, &wall, [&] {
        sharer.flush();
        sharer.carryOut([&](const can::Frame& frame) { return bus.offer(port, frame); });
        if (const Time now = wall.now(); now - shown >= saidEvery || shown == Time{}) {
            shown = now;
            const auto is = sharer.state();
            everOpen = everOpen || is.line.phase == remote::Line::State::Phase::open;
            const bus::Health health = bus.health();
            sharer.setTrouble(health.state == bus::Health::State::down ? health.words : std::string());
            if (is.refusedByOther)
                refused = is.foreign;
            else if (is.line.phase == remote::Line::State::Phase::refused && !everOpen)
                refused = is.line.words;    // what cannot begin says so; what has begun goes on trying
            else
                words.show(is, place->text());
        }
        return refused.empty() && !interrupted;
    });
    sharer.close();
    const auto is = sharer.state();
    if (!refused.empty())
        return report(Error{refused, options.to, 0, 0,
            is.refusedByOther ? "End the other, or choose another topic"
                              : "Credentials come from the environment or a file; see docs/remote-bus.md"});
    std::fprintf(stderr, "%llu frames shared, %llu lost, %llu written, %llu refused\n", static_cast<unsigned long long>(is.frames),
        static_cast<unsigned long long>(is.lost), static_cast<unsigned long long>(is.written), static_cast<unsigned long long>(is.refused));
    return 0;
}

}  // namespace

void addShareCommand(CLI::App& program, int& result)
{
    const auto options = std::make_shared<Sharing>();
    CLI::App* command = program.add_subcommand("share", "Puts an interface, or a bus of a rig that runs, on an MQTT broker for others");
    CLI::Option* rig = command->add_option("rig", options->rig, "Rig document");
    CLI::Option* bus = command->add_option("--bus", options->bus, "Bus of the rig by name")->needs(rig);
    rig->needs(bus);
    command->add_option("--interface", options->interface, "An interface of this machine, such as can0")->excludes(rig);
    command->add_option("--to", options->to, "Where to: mqtts://host/topic, or mqtt:// without encryption")->required();
    command->add_option("--writable", options->writable, "Identifiers that others may send, such as 0x1F0,0x200..0x20F; otherwise none");
    command->add_option("--for", options->span, "Ends after so long, such as 10s; otherwise with Ctrl+C");
    command->callback([options, &result] {
        result = options->rig.empty() && options->interface.empty() ? report("expected a rig and --bus, or --interface") : share(*options);
    });
}

}  // namespace wavetrope::cli
