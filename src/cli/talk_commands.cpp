// SPDX-License-Identifier: GPL-3.0-or-later
// object, group and diagnose: questions to somebody on a bus.
#include <charconv>
#include <filesystem>
#include <fstream>

#include "base/replace_file.h"
#include "base/time_text.h"
#include "cli/csv.h"
#include "cli/protocols.h"
#include "cli/target.h"
#include "clock/timer.h"
#include "drive/asker.h"
#include "protocol/diagnostic_services.h"
#include "protocol/dictionary_talk.h"
#include "protocol/hex_text.h"
#include "protocol/layer.h"
#include "protocol/mapping.h"
#include "protocol/talk.h"
#include "rig/session.h"

namespace wavetrope::cli {

namespace {

constexpr int exitNo = 1;  // an answer, but no
constexpr Time longestTalk = std::chrono::minutes(30);
constexpr Time lastFrame = std::chrono::milliseconds(20);    // in which what was said last goes out

struct TalkOptions {
    std::string interface, bus;
    std::vector<std::string> words;
    std::string after, dictionary, name, from = "0xF9", to, every, lasts, session, keep;
    unsigned priority = 6;
    bool isVirtual = false, block = false;
    RecordOption record;
};

void addTarget(CLI::App& command, TalkOptions& options)
{
    command.add_option("--interface", options.interface, "Interface of the kernel, such as can0");
    command.add_option("--bus", options.bus, "Bus of the rig");
    command.add_option("--after", options.after, "Asks so long behind the run's begin, such as 1s: nodes of a rig have come up by then");
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

void printBytes(const protocol::Answer& answer)
{
    if (!answer.data.empty())
        std::printf("%s\n", hexWords(answer.data).c_str());
}

/// Ends a run once what was said last is out.
struct Ending {
    explicit Ending(rig::Session& of) : session(of), timer(clock::Timer::calling<&Ending::now>(of.scheduler(), this)) {}
    void now() { session.endHere(); }
    rig::Session& session;
    clock::Timer timer;
};

Expected<Time> spanOf(const char* option, const std::string& text)
{
    if (text.empty())
        return Time{0};
    const auto span = spanFromText(text);
    if (!span || span->count() < 0)
        return fail(std::string(option) + " '" + text + "': expected a time such as 1s");
    return *span;
}

// Prints an answer; no answer, or one that refuses: words, and exit code 1.
int converse(const TalkOptions& options, Target target, std::unique_ptr<protocol::Talk> talk,
    const std::function<void(const protocol::Answer&)>& print = printBytes, std::unique_ptr<protocol::Talk> behind = nullptr)
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
    const auto before = spanOf("--after", options.after);
    if (!before)
        return report(before.error());
    clock::SteadyClock wall;
    if (before->count() > 0)
        session.runFor(*before, options.isVirtual ? nullptr : &wall, [&] { return !interrupted; });
    Ending ending(session);
    std::optional<protocol::Answer> answered;
    session.all<drive::Asker>().front()->ask(static_cast<std::uint8_t>(which), std::move(talk), [&](const protocol::Answer& answer, Time) {
        answered = answer;
        answer.good ? print(answer) : printBytes(answer);
        const auto over = [&] { ending.timer.at(session.scheduler().now() + lastFrame); };
        if (behind == nullptr || !answer.good)
            return over();
        std::fflush(stdout);
        session.all<drive::Asker>().front()->ask(
            static_cast<std::uint8_t>(which), std::move(behind), [over](const protocol::Answer&, Time) { over(); });
    });
    session.runFor(longestTalk, options.isVirtual ? nullptr : &wall, [&] { return !interrupted; });
    if (!options.record.path.empty())
        if (const auto written = session.finishRecording(); !written)
            return report(written.error());
    if (!answered)
        return report("it was ended before there was an answer");
    if (!answered->good) {
        std::fprintf(stderr, "wavetrope-cli: %s\n", answered->words.c_str());
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

// The dictionary that is named, or that the rig has of the node.
Expected<std::shared_ptr<const protocol::Dictionary>> dictionaryFor(const TalkOptions& options, const Target& target, std::uint8_t node)
{
    std::string path = options.dictionary;
    if (path.empty())
        for (const rig::BusSpec& bus : target.rig.buses)
            if (bus.name == target.bus)
                if (const auto found = bus.dictionaries.find(node); found != bus.dictionaries.end())
                    path = target.rig.resolve(found->second);
    if (path.empty())
        return std::shared_ptr<const protocol::Dictionary>();
    auto read = protocol::readDictionary(path);
    if (!read)
        return tl::unexpected(read.error());
    for (const Error& problem : read->problems)
        warn(problem.text());
    return std::make_shared<const protocol::Dictionary>(std::move(*read));
}

int object(const TalkOptions& options, bool writes)
{
    auto target = targetWith(
        options, writes ? 3 : 2, writes ? "a node, an object and its bytes: 4 0x2001:03 \"10 27\"" : "a node and an object: 4 0x2001:03");
    if (!target)
        return report(target.error());
    const auto node = protocol::nodeFromText(target->words[0]);
    if (!node)
        return report(node.error());
    const auto dictionary = dictionaryFor(options, *target, *node);
    if (!dictionary)
        return report(dictionary.error());
    const auto place = *dictionary ? (*dictionary)->placeOf(target->words[1]) : protocol::objectPlaceFromText(target->words[1]);
    if (!place)
        return report(place.error());
    const protocol::ObjectEntry* entry = *dictionary ? (*dictionary)->find(*place) : nullptr;
    if (*dictionary && entry == nullptr)
        warn((*dictionary)->path + ": it has no object " + target->words[1] + "; its value is taken as bytes");
    std::unique_ptr<protocol::Talk> talk;
    if (writes) {
        auto bytes = entry != nullptr ? protocol::Dictionary::bytesFor(*entry, target->words[2], *node)
                                      : protocol::bytesFromText(target->words[2]);
        if (!bytes)
            return report(bytes.error());
        talk = protocol::objectWrite(*node, *place, std::move(*bytes), options.block);
    } else {
        talk = protocol::objectRead(*node, *place, options.block);
    }
    return converse(options, std::move(*target), std::move(talk), [&](const protocol::Answer& answer) {
        if (entry == nullptr || writes)
            return printBytes(answer);
        std::printf("%s\n", protocol::valueText(entry->type, answer.data).c_str());
    });
}

// A whole dictionary: what differs from the file, written into the node, or kept in a file.
enum class Whole : std::uint8_t { compare, load, store };

int wholeDictionary(const TalkOptions& options, Whole does)
{
    auto target = targetWith(options, does == Whole::store ? 2 : 1, does == Whole::store ? "a node and a file: 4 blade.dcf" : "a node: 4");
    if (!target)
        return report(target.error());
    const auto node = protocol::nodeFromText(target->words[0]);
    if (!node)
        return report(node.error());
    const auto dictionary = dictionaryFor(options, *target, *node);
    if (!dictionary)
        return report(dictionary.error());
    if (*dictionary == nullptr)
        return report(Error{"nothing says which dictionary node " + std::to_string(*node) + " has", {}, 0, 0,
            "Give one with --dictionary, or name it in the rig"});
    const protocol::Dictionary& of = **dictionary;
    const std::string out = does == Whole::store ? target->words[1] : std::string();
    if (std::error_code code; !out.empty() && !options.record.overwrite && std::filesystem::exists(out, code))
        return report(Error{"the file exists, and is left as it is", out, 0, 0, "Choose another name, or say --overwrite"});
    auto talk = does == Whole::load ? protocol::dictionaryLoad(*node, of) : protocol::dictionaryRead(*node, of);
    const protocol::DictionaryRead& read = *talk;
    CsvWriter rows(stdout);
    std::optional<Error> failure;
    const int result = converse(options, std::move(*target), std::move(talk), [&](const protocol::Answer&) {
        if (does == Whole::store) {
            std::ifstream file(of.path, std::ios::binary);
            const std::string sheet(std::istreambuf_iterator<char>(file), {});
            if (const auto written = replaceFile(out, protocol::dcfText(sheet, of, *node, read.values())); !written)
                failure = written.error();
            return;
        }
        rows.row({"object", "name", "file", "node", "refused"});
        char place[16];
        for (const protocol::ObjectDifference& one : protocol::differencesOf(of, *node, read)) {
            std::snprintf(place, sizeof place, "0x%04X:%02X", one.entry->place.index, one.entry->place.sub);
            rows.row({place, of.nameOf(*one.entry), one.file, one.node, one.refused});
        }
    });
    if (failure)
        return report(*failure);
    const int printedAll = printed(rows.finish());
    return result == 0 ? printedAll : result;
}

Expected<std::uint8_t> addressFromText(const std::string& text, const char* option)
{
    const auto address = protocol::wholeFromText(text, 253);
    if (!address)
        return fail(std::string(option) + " '" + text + "': expected an address of 0 to 253, such as 0x28");
    return static_cast<std::uint8_t>(*address);
}

Expected<std::uint64_t> nameFromText(const std::string& text)
{
    std::string_view digits = text;
    if (digits.starts_with("0x") || digits.starts_with("0X"))
        digits.remove_prefix(2);
    std::uint64_t name = 0;
    const auto [end, problem] = std::from_chars(digits.data(), digits.data() + digits.size(), name, 16);
    if (digits.empty() || problem != std::errc() || end != digits.data() + digits.size())
        return fail("'" + text + "' is no name: expected up to 16 hexadecimal digits");
    return name;
}

Expected<protocol::VehiclePlace> placeOf(const TalkOptions& options)
{
    protocol::VehiclePlace place;
    const auto own = addressFromText(options.from, "--from");
    if (!own)
        return tl::unexpected(own.error());
    place.own = *own;
    place.priority = static_cast<std::uint8_t>(options.priority);
    if (!options.to.empty()) {
        const auto other = addressFromText(options.to, "--to");
        if (!other)
            return tl::unexpected(other.error());
        place.other = *other;
    }
    return place;
}

// Has the conversation, behind a claim where a name is given.
int converseAs(const TalkOptions& options, Target target, protocol::VehiclePlace place,
    const std::function<std::unique_ptr<protocol::Talk>(protocol::VehiclePlace)>& make,
    const std::function<void(const protocol::Answer&)>& print)
{
    if (options.name.empty())
        return converse(options, std::move(target), make(place), print);
    const auto name = nameFromText(options.name);
    if (!name)
        return report("--name " + name.error().what);
    auto talk = protocol::claimThen(*name, place.own, [&](std::uint8_t own) {
        place.own = own;
        return make(place);
    });
    return converse(options, std::move(target), std::move(talk), print);
}

int requestGroup(const TalkOptions& options)
{
    auto target = targetWith(options, 1, "a group: 0xFECA");
    if (!target)
        return report(target.error());
    const auto group = protocol::groupFromText(target->words[0]);
    if (!group)
        return report(group.error());
    const auto place = placeOf(options);
    if (!place)
        return report(place.error());
    const protocol::GroupRequest* asked = nullptr;
    CsvWriter out(stdout);
    out.row({"source", "length", "data"});
    const auto print = [&](const protocol::Answer&) {
        for (const protocol::GroupAnswer& one : asked->answers())
            out.row({toText(protocol::Party::address(one.source)), std::to_string(one.data.size()), hexOf(one.data)});
    };
    const int result = converseAs(
        options, std::move(*target), *place,
        [&](protocol::VehiclePlace from) -> std::unique_ptr<protocol::Talk> {
            auto made = protocol::groupRequest(from, *group);
            asked = made.get();
            return made;
        },
        print);
    const int printedAll = printed(out.finish());
    return result == 0 ? printedAll : result;
}

int sendBytes(const TalkOptions& options)
{
    auto target = targetWith(options, 2, "a group and its bytes: 0xFECA \"04 FF 00 00 00 00\"");
    if (!target)
        return report(target.error());
    const auto group = protocol::groupFromText(target->words[0]);
    if (!group)
        return report(group.error());
    const auto bytes = protocol::bytesFromText(target->words[1]);
    if (!bytes)
        return report(bytes.error());
    const auto place = placeOf(options);
    if (!place)
        return report(place.error());
    return converseAs(
        options, std::move(*target), *place, [&](protocol::VehiclePlace from) { return protocol::groupSend(from, *group, *bytes); },
        printBytes);
}

int claimAddress(const TalkOptions& options)
{
    auto target = targetWith(options, 1, "a name of 16 hexadecimal digits");
    if (!target)
        return report(target.error());
    const auto name = nameFromText(target->words[0]);
    if (!name)
        return report(name.error());
    const auto place = placeOf(options);
    if (!place)
        return report(place.error());
    auto talk = protocol::claimThen(*name, place->own, {});
    return converse(options, std::move(*target), std::move(talk),
        [](const protocol::Answer& answer) { std::printf("%s\n", toText(protocol::Party::address(answer.data.front())).c_str()); });
}

// Frames that nobody answers.
int sendFrames(const TalkOptions& options, Expected<Target> target, std::function<can::Frame(Time)> make)
{
    if (!target)
        return report(target.error());
    const auto every = spanOf("--every", options.every), lasts = spanOf("--for", options.lasts);
    for (const auto* span : {&every, &lasts})
        if (!*span)
            return report(span->error());
    if (options.every.empty() != options.lasts.empty())
        return report("--every and --for go together: --every 20ms --for 5s");
    return converse(options, std::move(*target), protocol::framesSent(std::move(make), *every, *lasts));
}

int sync(const TalkOptions& options)
{
    return sendFrames(options, targetWith(options, 0, "no more than a rig"), [](Time) { return protocol::syncFrame(); });
}

// Of the machine; in virtual time of the run, which begins where its log does.
int tellTime(const TalkOptions& options)
{
    return sendFrames(options, targetWith(options, 0, "no more than a rig"), [isVirtual = options.isVirtual](Time now) {
        return protocol::timeFrame(isVirtual ? now : std::chrono::duration_cast<Time>(std::chrono::system_clock::now().time_since_epoch()));
    });
}

int command(const TalkOptions& options)
{
    constexpr const char* wanted = "a node, or all, and start, stop, pre-operational, reset or \"reset communication\"";
    auto target = targetWith(options, 2, wanted);
    if (!target)
        return report(target.error());
    std::uint8_t node = 0;
    if (target->words[0] != "all") {
        const auto read = protocol::nodeFromText(target->words[0]);
        if (!read)
            return report(read.error());
        node = *read;
    }
    const auto command = protocol::stateCommandFromText(target->words[1]);
    if (!command)
        return report(command.error());
    return converse(options, std::move(*target), protocol::stateCommand(node, *command));
}

// Where no file is there: how process data are mapped, read from the node and kept as a file.
int readMapping(const TalkOptions& options)
{
    auto target = targetWith(options, 2, "a node and a file: 4 blade.dcf");
    if (!target)
        return report(target.error());
    const auto node = protocol::nodeFromText(target->words[0]);
    if (!node)
        return report(node.error());
    const auto dictionary = dictionaryFor(options, *target, *node);
    if (!dictionary)
        return report(dictionary.error());
    const std::string out = target->words[1];
    if (std::error_code code; !options.record.overwrite && std::filesystem::exists(out, code))
        return report(Error{"the file exists, and is left as it is", out, 0, 0, "Choose another name, or say --overwrite"});
    auto talk = protocol::mappingRead(*node);
    const protocol::DictionaryRead& read = *talk;
    std::optional<Error> failure;
    const int result = converse(options, std::move(*target), std::move(talk), [&](const protocol::Answer&) {
        const protocol::Dictionary made = protocol::dictionaryOfMapping(read.values(), *node, dictionary->get());
        if (const auto written = replaceFile(out, protocol::sheetOf(made)); !written)
            failure = written.error();
    });
    return failure ? report(*failure) : result;
}

void printTroubles(const protocol::Answer& answer)
{
    CsvWriter rows(stdout);
    rows.row({"code", "status", "words"});
    char status[8];
    for (const protocol::DiagnosticTrouble& one : protocol::diagnosticTroublesOf(answer.data)) {
        std::snprintf(status, sizeof status, "0x%02X", one.status);
        rows.row({one.text(), status, one.words()});
    }
    (void)rows.finish();
}

Expected<std::uint32_t> numberFromText(const std::string& text, const char* what)
{
    const auto number = protocol::wholeFromText(text, ~std::uint32_t{0});
    if (!number)
        return fail("'" + text + "': expected " + what);
    return *number;
}

int diagnose(const TalkOptions& options)
{
    constexpr std::uintmax_t mostSent = 1U << 24;
    auto target = targetOf(options.interface, options.bus, options.isVirtual, options.words);
    if (!target)
        return report(target.error());
    const std::vector<std::string> words = target->words;
    const std::string does = words.size() > 1 ? words[1] : std::string();
    const bool download = does == "download", upload = does == "upload";
    if (words.size() != (download ? 4U : upload ? 5U : 2U))
        return report(
            "expected two identifiers and a request: 0x7E0/0x7E8 \"22 F1 90\", or in its place troubles, download ADDRESS FILE, or "
            "upload ADDRESS SIZE FILE");
    const auto spoken = protocol::spokenFromText(target->bus + "=diagnostics:" + words[0]);
    if (!spoken)
        return report(spoken.error());
    if (spoken->pairs.size() != 1)
        return report("'" + words[0] + "': expected one pair of identifiers, such as 0x7E0/0x7E8");
    const protocol::DiagnosticPair pair = spoken->pairs.front();
    const auto keep = spanOf("--keep", options.keep);
    if (!keep)
        return report(keep.error());
    auto behind = keep->count() > 0 ? protocol::sessionHeld(pair, protocol::usualKeep, *keep) : nullptr;
    if (download || upload) {
        const auto address = numberFromText(words[2], "an address such as 0x8000");
        if (!address)
            return report(address.error());
        std::error_code code;
        if (download) {
            const auto size = std::filesystem::file_size(words[3], code);
            if (code || size == 0 || size > mostSent)
                return report(Error{"expected a file of 1 to 16,777,216 bytes", words[3], 0, 0, {}});
            std::ifstream file(words[3], std::ios::binary);
            std::vector<std::uint8_t> bytes(static_cast<std::size_t>(size));
            if (!file.read(reinterpret_cast<char*>(bytes.data()), static_cast<std::streamsize>(size)))
                return report(Error{"it cannot be read", words[3], 0, 0, {}});
            return converse(
                options, std::move(*target), protocol::diagnosticDownload(pair, *address, std::move(bytes)), printBytes, std::move(behind));
        }
        const auto size = numberFromText(words[3], "how many bytes");
        if (!size)
            return report(size.error());
        const std::string out = words[4];
        if (std::filesystem::exists(out, code) && !options.record.overwrite)
            return report(Error{"the file exists, and is left as it is", out, 0, 0, "Choose another name, or say --overwrite"});
        std::optional<Error> failure;
        const int result = converse(
            options, std::move(*target), protocol::diagnosticUpload(pair, *address, *size),
            [&](const protocol::Answer& answer) {
                if (const auto written = replaceFile(out, {reinterpret_cast<const char*>(answer.data.data()), answer.data.size()});
                    !written)
                    failure = written.error();
            },
            std::move(behind));
        return failure ? report(*failure) : result;
    }
    const bool troubles = does == "troubles";
    auto bytes = troubles ? Expected<std::vector<std::uint8_t>>(protocol::troublesRequest()) : protocol::bytesFromText(does);
    if (!bytes)
        return report(bytes.error());
    std::unique_ptr<protocol::Talk> talk;
    if (options.session.empty()) {
        talk = protocol::diagnosticRequest(pair, std::move(*bytes));
    } else {
        const auto session = protocol::bytesFromText(options.session);
        if (!session || session->size() != 1)
            return report("--session '" + options.session + "': expected two hexadecimal digits, such as 03");
        talk = protocol::diagnosticInSession(pair, session->front(), std::move(*bytes));
    }
    return converse(options, std::move(*target), std::move(talk), troubles ? printTroubles : printBytes, std::move(behind));
}

}  // namespace

void addTalkCommands(CLI::App& program, int& result)
{
    CLI::App* objects = program.add_subcommand("object", "Reads or writes an object of a node's dictionary, or all of it");
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
        command->add_option(
            "--dictionary", options->dictionary, "The EDS or DCF of the node: objects have names, and values are those of their types");
        command->callback([options, writes, &result] { result = object(*options, writes); });
    }
    struct WholeCommand {
        const char *name, *help;
        Whole does;
    };
    for (const WholeCommand& one :
        {WholeCommand{"compare", "Reads a whole dictionary, and prints what differs from its file", Whole::compare},
            WholeCommand{"load", "Writes what differs from its file, and prints what it was", Whole::load},
            WholeCommand{"store", "Reads a whole dictionary, and keeps it as a DCF", Whole::store}}) {
        const auto options = std::make_shared<TalkOptions>();
        CLI::App* command = objects->add_subcommand(one.name, one.help);
        command
            ->add_option("what", options->words,
                one.does == Whole::store ? "A rig where no interface is named, then node and file: 4 blade.dcf"
                                         : "A rig where no interface is named, then the node: 4")
            ->required();
        addTarget(*command, *options);
        command->add_option("--dictionary", options->dictionary, "The EDS or DCF of the node; without, the one that the rig names");
        command->callback([options, does = one.does, &result] { result = wholeDictionary(*options, does); });
    }
    struct MachineCommand {
        const char *name, *help, *words;
        int (*does)(const TalkOptions&);
    };
    for (const MachineCommand& one :
        {MachineCommand{"state", "Commands the state of a node, or of all", "a node, or all, and start", command},
            MachineCommand{
                "mapping", "Reads how process data of a node are mapped, and keeps it as a DCF", "node and file: 4 blade.dcf", readMapping},
            MachineCommand{"sync", "Sends a sync", nullptr, sync}, MachineCommand{"time", "Tells the time", nullptr, tellTime}}) {
        const auto options = std::make_shared<TalkOptions>();
        CLI::App* added = objects->add_subcommand(one.name, one.help);
        CLI::Option* words = added->add_option("what", options->words,
            one.words == nullptr ? std::string("A rig where no interface is named")
                                 : std::string("A rig where no interface is named, then ") + one.words);
        if (one.words != nullptr)
            words->required();
        addTarget(*added, *options);
        if (one.does == readMapping)
            added->add_option(
                "--dictionary", options->dictionary, "An EDS or DCF that gives objects their names; without, the one that the rig names");
        if (one.words == nullptr) {
            added->add_option("--every", options->every, "Again every so often, such as 20ms");
            added->add_option("--for", options->lasts, "For so long, such as 5s");
        }
        added->callback([options, does = one.does, &result] { result = does(*options); });
    }
    CLI::App* groups = program.add_subcommand("group", "Takes part in a network of vehicles");
    groups->require_subcommand(1);
    struct GroupCommand {
        const char *name, *help, *words;
        int (*does)(const TalkOptions&);
        bool addressed;
    };
    for (const GroupCommand& one :
        {GroupCommand{"request", "Asks for a group, and prints who answers what", "a group: 0xFECA", requestGroup, true},
            GroupCommand{
                "send", "Sends a group of up to 1,785 bytes", "a group and its bytes: 0xFECA \"04 FF 00 00 00 00\"", sendBytes, true},
            GroupCommand{
                "claim", "Claims an address, and prints the one that it got", "a name of 16 hexadecimal digits", claimAddress, false}}) {
        const auto options = std::make_shared<TalkOptions>();
        CLI::App* command = groups->add_subcommand(one.name, one.help);
        command->add_option("what", options->words, std::string("A rig where no interface is named, then ") + one.words)->required();
        addTarget(*command, *options);
        command->add_option("--from", options->from, "The own address, 0 to 253; 0xF9 where it is not given");
        if (one.addressed) {
            command->add_option("--to", options->to, "The address it goes to; everybody where it is not given");
            command->add_option("--priority", options->priority, "0, the highest, to 7")->check(CLI::Range(0, 7));
            command->add_option("--name", options->name, "The 64 bits by which the own address is claimed first, in hexadecimal digits");
        }
        command->callback([options, does = one.does, &result] { result = does(*options); });
    }
    const auto options = std::make_shared<TalkOptions>();
    CLI::App* command = program.add_subcommand("diagnose", "Sends a diagnostic request, and prints its answer");
    command
        ->add_option("what", options->words,
            "A rig where no interface is named, then identifiers and request: 0x7E0/0x7E8 \"22 F1 90\"; in place of the request: troubles, "
            "download "
            "ADDRESS FILE, upload ADDRESS SIZE FILE")
        ->required();
    addTarget(*command, *options);
    command->add_option("--session", options->session, "Enters this session first, such as 03");
    command->add_option("--keep", options->keep, "Keeps the session alive for so long behind the answer, such as 10s");
    command->callback([options, &result] { result = diagnose(*options); });
}

}  // namespace wavetrope::cli
