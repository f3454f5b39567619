// SPDX-License-Identifier: GPL-3.0-or-later
// send and encode.
#include <algorithm>
#include <filesystem>

#include "base/nearest_name.h"
#include "base/time_text.h"
#include "cli/command.h"
#include "cli/csv.h"
#include "cli/target.h"
#include "database/compose.h"
#include "database/export.h"
#include "drive/message_text.h"
#include "rig/session.h"

namespace wavetrope::cli {

namespace {

const char* const sendGroup = "send";
constexpr Time longestSilence = std::chrono::seconds(1);     // of a frame that was taken and does not come back

struct SendOptions {
    std::string interface, bus, every, span, answer, after;
    std::vector<std::string> words, databases, without;
    std::optional<std::uint64_t> count, seed;
    RecordOption record;
    bool isVirtual = false, anyway = false;
};

struct EncodeOptions {
    std::string database;
    std::vector<std::string> messages;
};

Error at(Error error, const std::string& message)
{
    error.where = "'" + message + "'" + (error.where.empty() ? "" : ", " + error.where);
    return error;
}

/// A message of a database with values, put together.
Expected<database::Composed> composed(const database::Message& message, const database::MessagePlan& plan, const drive::MessageText& typed)
{
    std::vector<database::GivenBits> given;
    std::vector<std::string> names;
    for (const database::Signal& signal : message.signals)
        names.push_back(signal.name);
    for (const auto& [name, text] : typed.values) {
        const auto found = std::find(names.begin(), names.end(), name);
        if (found == names.end())
            return fail("message " + message.name + " has no signal '" + name + "'", {}, didYouMean(name, names));
        const auto place = static_cast<std::uint32_t>(found - names.begin());
        const auto bits = database::bitsFromText(message.signals[place], plan.plan(place), text);
        if (!bits)
            return tl::unexpected(bits.error());
        if (const std::string outside = database::outsideWords(message.signals[place], plan.plan(place), *bits); !outside.empty())
            warn(message.name + "." + name + ": " + outside);
        given.push_back({place, *bits});
    }
    auto made = database::compose(message, plan, given);
    if (made)
        for (const std::uint32_t signal : made->unset)
            warn(message.name + "." + message.signals[signal].name + " is "
                 + database::startWords(message.signals[signal], plan.plan(signal)));
    return made;
}

int encode(const EncodeOptions& options)
{
    const auto database = database::readDatabase(options.database, [](const Error& problem) { warn(problem.text()); });
    if (!database)
        return report(database.error());
    std::vector<std::string> names;
    for (const database::Message& message : database->messages)
        names.push_back(message.name);
    CsvText rows;
    rows.row({"message", "id", "data"});
    int result = 0;
    for (const std::string& text : options.messages) {
        const auto typed = drive::messageFromText(text);
        if (!typed) {
            result = report(at(typed.error(), text));
            continue;
        }
        if (typed->frame) {
            rows.row({"", can::toText(typed->frame->id), hexOf(typed->frame->view().payload())});
            continue;
        }
        const auto id = can::identifierFromText(typed->name);
        const auto message = std::find_if(database->messages.begin(), database->messages.end(),
            [&](const database::Message& one) { return one.name == typed->name || (id && one.id == *id); });
        if (message == database->messages.end()) {
            result = report(at({"the database has no message '" + typed->name + "'", {}, 0, 0, didYouMean(typed->name, names)}, text));
            continue;
        }
        const database::MessagePlan plan(*message);
        const auto made = composed(*message, plan, *typed);
        if (!made) {
            result = report(at(made.error(), text));
            continue;
        }
        rows.row({message->name, can::toText(message->id), hexOf(made->payload)});
    }
    // All of them or none.
    if (result != 0)
        return result;
    CsvWriter out(stdout);
    out.raw(rows.take());
    return out.finish() ? 0 : printed(false);
}

/// With the databases that messages are named by.
Expected<Target> targetFor(const SendOptions& options)
{
    auto made = targetOf(options.interface, options.bus, options.isVirtual, options.words);
    if (!made)
        return made;
    Target out = std::move(*made);
    if (out.words.empty())
        return fail("a message is missing", {}, "Such as \"0x1F0 11 22 33\" or \"BladeCommand CommandedDepth=3.5\"");
    bool known = options.databases.empty();
    for (const std::string& option : options.databases) {
        const BusOption split = splitBusOption(option);
        for (rig::BusSpec& bus : out.rig.buses)
            if (split.bus.empty() || split.bus == bus.name) {
                bus.databases.push_back(std::filesystem::absolute(split.value).string());
                known = true;
            }
        if (!known)
            return fail("there is no bus '" + split.bus + "'", "--database " + option);
        known = false;
        std::error_code code;
        if (!std::filesystem::exists(split.value, code))
            return fail("the file cannot be read", split.value);
    }
    return out;
}

Expected<Time> spanOf(const std::string& text, const char* option, bool positive)
{
    const auto span = spanFromText(text);
    if (!span || span->count() < 0 || (positive && span->count() == 0))
        return fail(std::string(option) + " '" + text + "': expected a time" + (positive ? " of more than 0" : "") + " such as 20ms");
    return *span;
}

Expected<drive::OutboxRow> rowOf(const SendOptions& options, const std::string& bus, const std::string& text)
{
    const auto typed = drive::messageFromText(text);
    if (!typed)
        return tl::unexpected(at(typed.error(), text));
    drive::OutboxRow row;
    row.bus = bus;
    row.message = typed->name;
    if (typed->frame)
        row.frame = *typed->frame;
    row.typed = typed->values;
    row.anyway = options.anyway;
    if (!options.every.empty()) {
        const auto every = spanOf(options.every, "--every", true);
        if (!every)
            return tl::unexpected(every.error());
        row.every = *every;
    }
    if (!options.after.empty()) {
        const auto after = spanOf(options.after, "--after", false);
        if (!after)
            return tl::unexpected(after.error());
        row.after = *after;
    }
    row.answer = options.answer;
    row.count = options.count.value_or(0);
    row.when = !row.answer.empty()     ? drive::OutboxRow::When::answer
               : row.every.count() > 0 ? drive::OutboxRow::When::every
                                       : drive::OutboxRow::When::moment;
    return row;
}

/// Whose frames something else sends too: said before the first one goes out.
bool collides(rig::Session& session)
{
    std::string names;
    for (const rig::RowCollision& one : rig::collisionsOf(session.outbox(), session.actors(), *session.catalog())) {
        report("collision: " + one.with.words(*session.catalog()));
        if (names.find(" --without " + one.with.node) == std::string::npos)
            names += " --without " + one.with.node;
    }
    if (!names.empty())
        report("nothing was sent. Take the senders out of the simulation (" + names.substr(1) + "), or send all the same: --anyway");
    return !names.empty();
}

int send(const SendOptions& options)
{
    if (const auto may = mayRecord(options.record); !may)
        return report(may.error());
    if (!options.after.empty() && options.answer.empty())
        return report("--after belongs to --answer: it says how long after the frame that is answered");
    if (!options.answer.empty() && !options.every.empty())
        return report("--answer and --every exclude each other: an answer goes out when a frame comes");
    if (options.count && *options.count == 0)
        return report("--count '0': expected 1 or more");
    std::optional<Time> span;
    if (!options.span.empty()) {
        const auto given = spanOf(options.span, "--for", true);
        if (!given)
            return report(given.error());
        span = *given;
    }
    if (!options.every.empty())
        if (const auto every = spanOf(options.every, "--every", true); !every)
            return report(every.error());
    if (options.isVirtual && !span && !options.count && (!options.every.empty() || !options.answer.empty()))
        return report("it would never end: say how many with --count, or how long with --for");
    auto target = targetFor(options);
    if (!target)
        return report(target.error());
    drive::OutboxGroup group;
    group.name = sendGroup;
    for (const std::string& text : target->words) {
        auto row = rowOf(options, target->bus, text);
        if (!row)
            return report(row.error());
        group.rows.push_back(std::move(*row));
    }
    target->rig.outbox = {group};
    const auto databases = rig::loadDatabases(target->rig);
    for (const Error& problem : databases.problems)
        warn(problem.text());
    rig::SessionOptions how;
    how.seed = options.seed;
    how.without = options.without;
    how.outbox = {sendGroup};
    how.measured = false;
    auto made = rig::Session::create(target->rig, databases, how);
    if (!made)
        return report(made.error());
    rig::Session& session = **made;
    for (const Error& problem : session.leftOut())
        warn(problem.text());
    if (options.isVirtual && !session.allSimulated())
        return report(
            Error{"--virtual needs simulated buses alone, and this rig has an interface of the kernel", target->rig.path, 0, 0, {}});
    drive::Outbox& outbox = session.outbox();
    for (std::size_t i = 0; i < group.rows.size(); ++i)
        if (!outbox.problem(i).empty())
            return report("'" + target->words[i] + "': " + outbox.problem(i));
    // What nobody set is told, as `encode` tells it.
    for (const drive::OutboxRow& row : group.rows)
        for (const database::CatalogMessage& message : session.catalog()->messages())
            if (!row.message.empty() && message.message->name == row.message && session.catalog()->busName(message.bus) == row.bus) {
                (void)composed(*message.message, message.plan, {{}, row.message, row.typed});
                break;
            }
    if (collides(session))
        return exitBad;
    if (!options.record.path.empty())
        if (const auto recording = session.record(options.record.path); !recording)
            return report(recording.error());
    if (span)
        outbox.endAt(session.begins() + *span);
    outbox.whenDone([&session] { session.endHere(); });
    clock::SteadyClock wall;
    Time quiet = session.begins();
    std::uint64_t before = 0;
    bool lost = false;
    session.runFor(std::chrono::hours(24 * 365 * 100), options.isVirtual ? nullptr : &wall, [&] {
        // A frame that was taken and never comes back is not waited for without end.
        std::uint64_t moved = 0;
        bool going = false;
        const drive::ActorReport now = outbox.report();
        for (const drive::OutboxRowFacts& row : *now.as<drive::OutboxFacts>()->rows) {
            moved += row.offered + row.sent + row.refused;
            going = going || row.going;
        }
        if (std::exchange(before, moved) != moved || going)
            quiet = session.now();
        lost = session.now() - quiet > longestSilence;
        return !interrupted && !lost;
    });
    int result = 0;
    if (!options.record.path.empty())
        if (const auto written = session.finishRecording(); !written)
            result = report(written.error());
    std::uint64_t sent = 0, refused = 0, taken = 0;
    const drive::ActorReport report_ = outbox.report();
    const auto& rows = *report_.as<drive::OutboxFacts>()->rows;
    for (std::size_t i = 0; i < rows.size(); ++i) {
        sent += rows[i].sent;
        refused += rows[i].refused;
        taken += rows[i].offered;
        if (!rows[i].problem.empty())
            result = report("'" + target->words[i] + "': " + rows[i].problem);
    }
    std::fprintf(
        stderr, "%llu frames sent, %llu refused\n", static_cast<unsigned long long>(sent), static_cast<unsigned long long>(refused));
    if (taken > sent) {
        std::string health;
        for (const bus::Health& one : session.health())
            if (!one.alive)
                health += (health.empty() ? ": " : ", ") + one.words;
        result = report(std::to_string(taken - sent) + " frames were taken and have not been on the bus" + health);
    }
    if (sent == 0 && refused > 0)
        result = report("the bus took none of them");
    return result;
}

}  // namespace

void addSendCommands(CLI::App& program, int& result)
{
    const auto options = std::make_shared<SendOptions>();
    CLI::App* command = program.add_subcommand("send", "Sends messages: once, by a period, or in answer");
    command
        ->add_option("message", options->words,
            "A rig where no interface is named, then messages, one argument each: \"0x1F0 11 22 33\", \"0x1F0 remote 8\", \"0x310 fdbrs 11 "
            "22\", "
            "or a name with values: \"BladeCommand CommandedDepth=3.5\"")
        ->required();
    command->add_option("--interface", options->interface, "Interface of the kernel, such as can0");
    command->add_option("--bus", options->bus, "Bus of the rig");
    command->add_option("--database", options->databases, "[BUS=]FILE, whose messages may be named")->allow_extra_args(false);
    command->add_option("--every", options->every, "Period, such as 20ms; without, each message goes out once");
    command->add_option("--count", options->count, "So many of each message");
    command->add_option("--for", options->span, "How long");
    command->add_option("--answer", options->answer, "Filter: each frame that passes is answered");
    command->add_option("--after", options->after, "How long after that frame, such as 5ms");
    command->add_flag("--virtual", options->isVirtual, "As fast as it goes instead of real time");
    command->add_option("--seed", options->seed, "Instead of the rig's: 0 to 2^64 - 1");
    command->add_option("--without", options->without, "Leave a node out of the simulation")->allow_extra_args(false);
    command->add_flag("--anyway", options->anyway, "Also where something else sends the same identifier");
    addRecording(*command, options->record, "Record what was on the buses to a log");
    command->callback([options, &result] { result = send(*options); });

    const auto encoding = std::make_shared<EncodeOptions>();
    command = program.add_subcommand("encode", "Prints the bytes of messages as CSV");
    command->add_option("message", encoding->messages, "Messages with values, one argument each: \"BladeCommand CommandedDepth=3.5\"")
        ->required();
    command->add_option("--database", encoding->database, "The database")->required();
    command->callback([encoding, &result] { result = encode(*encoding); });
}

}  // namespace wavetrope::cli
