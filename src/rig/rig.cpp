// SPDX-License-Identifier: GPL-3.0-or-later
#include "rig/rig.h"

#include <algorithm>
#include <charconv>
#include <chrono>
#include <cmath>
#include <filesystem>
#include <fstream>
#include <set>

#include "base/json_reader.h"
#include "base/trimmed.h"
#include "base/replace_file.h"
#include "base/time_text.h"
#include "database/database_json.h"
#include "database/dbc_reader.h"
#include "protocol/process_data.h"
#include "rig/bus_marks.h"
#include "rig/document_text.h"
#include "rig/rules_json.h"

namespace wavetrope::rig {

namespace {

using nlohmann::json;

constexpr std::size_t largestDocument = 64U << 20;
constexpr std::size_t mostBuses = 64, mostGateways = 64, mostManipulations = 1000;
constexpr int deepestNesting = 100;

// "2027-02-01T18:00:00Z"
std::optional<Time> instantFromText(const std::string& text)
{
    int year = 0;
    unsigned month = 0, day = 0, hour = 0, minute = 0, second = 0;
    char zone = 0;
    if (std::sscanf(text.c_str(), "%4d-%2u-%2uT%2u:%2u:%2u%c", &year, &month, &day, &hour, &minute, &second, &zone) != 7 || zone != 'Z')
        return std::nullopt;
    const std::chrono::year_month_day date{std::chrono::year(year), std::chrono::month(month), std::chrono::day(day)};
    if (!date.ok() || year < 1970 || year > 2261 || hour > 23 || minute > 59 || second > 59)
        return std::nullopt;
    return std::chrono::sys_days(date).time_since_epoch() + std::chrono::hours(hour) + std::chrono::minutes(minute)
           + std::chrono::seconds(second);
}

std::vector<protocol::Spoken> protocolsFrom(const JsonReader& in, const std::string& bus)
{
    std::vector<protocol::Spoken> out;
    for (const std::string& text : in.texts("protocols")) {
        auto spoken = protocol::spokenFromText(bus + '=' + text);
        if (!spoken)
            JsonReader::fail(
                in.placeOf("protocols"), spoken.error().what, "For example \"vehicle\", \"objects\", \"diagnostics:0x7E0/0x7E8\"");
        out.push_back(std::move(*spoken));
    }
    return out;
}

BusSpec busOf(const JsonReader& in)
{
    BusSpec bus;
    bus.name = in.needText("name");
    if (const auto rate = in.find("rate")) {
        const auto read = rate->json().is_string() ? can::bitRateFromText(rate->text()) : std::nullopt;
        if (!read)
            rate->wrong("expected a bit rate such as \"500k\" or \"500k/2M\"");
        bus.rate = *read;
    }
    if (const auto letter = in.find("letter")) {
        const std::string text = letter->text();
        if (text.size() != 1 || !((text[0] >= 'A' && text[0] <= 'Z') || (text[0] >= '0' && text[0] <= '9')))
            letter->wrong("expected a letter of A to Z, or a digit");
        bus.letter = text[0];
    }
    if (const auto hue = in.find("hue")) {
        if (!hue->json().is_number_integer() || hue->json().get<std::int64_t>() < 1 || hue->json().get<std::int64_t>() > busHues)
            hue->wrong("expected the number of a hue, 1 to 8");
        bus.hue = hue->json().get<unsigned>();
    }
    bus.restartAfter = in.span("restart");
    for (const bus::BusKind& kind : bus::busKinds())
        if (const std::string address = *kind.field != 0 ? in.text(kind.field) : std::string(); !address.empty()) {
            if (!bus.address.empty())
                JsonReader::fail(in.placeOf(kind.field),
                    "a bus is of one kind, and this one has the field \"" + std::string(bus.kind->field) + "\" too",
                    "Leave one of them out");
            if (const auto fits = kind.check(address); !fits)
                JsonReader::fail(in.placeOf(kind.field), fits.error().what, fits.error().remedy);
            bus.kind = &kind;
            bus.address = address;
        }
    if (bus.kind == &bus::busKinds().front() && !bus.rate.known())
        JsonReader::fail(in.placeOf("rate"), "a simulated bus needs a bit rate", "For example \"rate\": \"500k\"");
    bus.databases = in.texts("databases");
    bus.saysProtocols = in.has("protocols");
    bus.protocols = protocolsFrom(in, bus.name);
    if (const auto dictionaries = in.find("dictionaries")) {
        if (!dictionaries->json().is_object())
            dictionaries->wrong("expected nodes and their files", "For example \"dictionaries\": {\"4\": \"blade.eds\"}");
        for (const auto& [key, file] : dictionaries->json().items()) {
            const auto node = protocol::nodeFromText(key);
            if (!node)
                dictionaries->wrong(node.error().what, "For example \"dictionaries\": {\"4\": \"blade.eds\"}");
            bus.dictionaries[*node] = dictionaries->needText(key.c_str());
        }
    }
    if (const std::string match = in.text("match"); match == "group")
        bus.match = database::Match::group;
    else if (!match.empty() && match != "full")
        JsonReader::fail(in.placeOf("match"), "expected \"full\" or \"group\"");
    if (const auto definitions = in.find("definitions"))
        bus.definitions = std::make_shared<const database::Database>(database::databaseFromJson(*definitions));
    return bus;
}

Rig rigOf(const json& document, const std::string& path)
{
    const JsonReader in(document);
    Rig rig;
    rig.path = path;
    rig.document = document;
    const auto version = in.find("wavetrope");
    if (!version || !version->json().is_number_integer())
        JsonReader::fail("/wavetrope", "expected the version number of a rig document", "A rig begins with {\"wavetrope\": 1, ...}");
    if (const auto number = version->json().get<std::int64_t>(); number > Rig::version || number < 1)
        version->wrong(
            "version " + version->json().dump() + " of the rig document is not known; this program knows 1", "Use a newer Wavetrope");
    rig.name = in.text("name", "Rig");
    if (const auto seed = in.find("seed")) {
        const json& value = seed->json();
        if (!value.is_number_unsigned()
            && !(value.is_number_float() && value.get<double>() >= 0 && value.get<double>() < 0x1p64
                 && value.get<double>() == std::floor(value.get<double>())))
            seed->wrong("expected a whole number of 0 to 2^64 - 1");
        rig.seed = value.get<std::uint64_t>();
    }
    if (const auto begins = in.find("begins")) {
        const auto instant = instantFromText(begins->text());
        if (!instant)
            begins->wrong("expected an instant such as \"2027-02-01T18:00:00Z\"");
        rig.begins = *instant;
    }
    rig.story = in.span("story");
    rig.names = in.text("names");
    // Of one list each has a name of its own.
    const auto distinct = [](std::set<std::string>& names, const JsonReader& entry, const std::string& name, const char* what) {
        if (!names.insert(name).second)
            JsonReader::fail(
                entry.placeOf("name"), std::string("there are two ") + what + " called '" + name + "'", "Give one of them another name");
    };
    std::set<std::string> buses, nodes, filters, derived;
    in.each("buses", [&](const JsonReader& bus) {
        rig.buses.push_back(busOf(bus));
        distinct(buses, bus, rig.buses.back().name, "buses");
        if (const char letter = rig.buses.back().letter;
            letter != 0 && std::any_of(rig.buses.begin(), rig.buses.end() - 1, [&](const BusSpec& one) { return one.letter == letter; }))
            JsonReader::fail(
                bus.placeOf("letter"), std::string("there are two buses with the letter ") + letter, "Give one of them another");
        if (rig.buses.size() > mostBuses)
            bus.wrong("a rig has 64 buses at the most");
    });
    std::set<std::string> changes;
    in.each("manipulations", [&](const JsonReader& one) {
        const std::string text = one.needText("does");
        auto kept = manipulationFrom(text);
        if (!kept)
            JsonReader::fail(one.placeOf("does"), kept.error().what, kept.error().remedy);
        if (!changes.insert(kept->does.text).second)
            JsonReader::fail(one.placeOf("does"), "'" + kept->does.text + "' stands there twice", "Take one of them out");
        kept->name = one.text("name");
        kept->acts = one.flag("acts");
        rig.manipulations.push_back(std::move(*kept));
        if (rig.manipulations.size() > mostManipulations)
            one.wrong("a rig has 1,000 manipulations at the most");
    });
    if (const auto outbox = in.find("outbox"))
        rig.outbox = drive::outboxFromJson(*outbox);
    in.each("nodes", [&](const JsonReader& node) {
        rig.nodes.push_back(drive::nodeFromJson(node));
        distinct(nodes, node, rig.nodes.back().name, "nodes");
    });
    in.each("gateways", [&](const JsonReader& gateway) {
        rig.gateways.push_back(drive::gatewayFromJson(gateway));
        distinct(nodes, gateway, rig.gateways.back().name, "nodes and gateways");
        if (rig.gateways.size() > mostGateways)
            gateway.wrong("a rig has 64 gateways at the most");
    });
    in.each("dialogues", [&](const JsonReader& dialogue) {
        rig.dialogues.push_back(drive::dialogueFromJson(dialogue));
        distinct(nodes, dialogue, rig.dialogues.back().name, "nodes and dialogues");
    });
    in.each("filters", [&](const JsonReader& filter) {
        rig.filters.push_back({filter.needText("name"), filter.text("expression")});
        distinct(filters, filter, rig.filters.back().name, "filters");
    });
    in.each("derived", [&](const JsonReader& signal) {
        rig.derived.push_back(derivedFrom(signal));
        distinct(derived, signal, rig.derived.back().name, "derived signals");
        if (rig.derived.size() > mostDerived)
            signal.wrong("a rig has 1,000 derived signals at the most");
    });
    rig.timings = timingsFrom(in);
    rig.reports = reportsFrom(in);
    if (const auto boards = in.find("boards"))
        rig.boards = board::boardsFromJson(*boards);
    readRules(in, rig);
    return rig;
}

void placeOf(const std::string& text, std::size_t byte, Error& error)
{
    error.line = 1;
    error.column = 1;
    for (std::size_t i = 0; i + 1 < byte && i < text.size(); ++i) {
        if (text[i] == '\n') {
            ++error.line;
            error.column = 1;
        } else {
            ++error.column;
        }
    }
}

bool nestedTooDeeply(const std::string& text)
{
    int depth = 0;
    bool quoted = false;
    for (std::size_t i = 0; i < text.size(); ++i) {
        const char c = text[i];
        if (quoted) {
            if (c == '\\')
                ++i;
            else if (c == '"')
                quoted = false;
        } else if (c == '"') {
            quoted = true;
        } else if (c == '[' || c == '{') {
            if (++depth > deepestNesting)
                return true;
        } else if (c == ']' || c == '}') {
            --depth;
        }
    }
    return false;
}

std::string readWhole(const std::string& path)
{
    std::error_code code;
    const auto size = std::filesystem::is_regular_file(path, code) ? std::filesystem::file_size(path, code) : 0;
    std::ifstream file(path, std::ios::binary);
    if (!file || code || size == 0 || size > largestDocument)
        return {};
    return {std::istreambuf_iterator<char>(file), {}};
}

// A rig may say {"like": "other.json"}: it is that rig of the same folder with the fields given here instead; a node
// given here takes the place of the one of its name.
json basedOn(const json& document, const std::string& path)
{
    if (!document["like"].is_string())
        JsonReader::fail("/like", "expected the file name of another rig");
    const std::string name = document["like"].get<std::string>();
    if (name.find('/') != std::string::npos || name == "..")
        JsonReader::fail("/like", "expected a file of the same folder, without a path");
    const std::string text = readWhole((std::filesystem::path(path).parent_path() / name).string());
    if (text.empty() || nestedTooDeeply(text))
        JsonReader::fail("/like", "the rig '" + name + "' cannot be read");
    json merged = json::parse(text, nullptr, false);
    if (!merged.is_object() || merged.contains("like"))
        JsonReader::fail("/like", "'" + name + "' is no rig that stands alone");
    for (const auto& [key, value] : document.items()) {
        if (key == "like")
            continue;
        if (key != "nodes" || !value.is_array() || !merged["nodes"].is_array()) {
            merged[key] = value;
            continue;
        }
        for (const json& node : value) {
            bool placed = false;
            for (json& other : merged["nodes"])
                if (node.is_object() && other.is_object() && node.contains("name") && other.contains("name")
                    && other["name"] == node["name"]) {
                    other = node;
                    placed = true;
                }
            if (!placed)
                merged["nodes"].push_back(node);
        }
    }
    return merged;
}

}  // namespace

std::string Rig::folder() const { return path.empty() ? "." : std::filesystem::path(path).parent_path().string(); }

void Rig::setTimings(const Timings& next)
{
    timings = next;
    if (json written = toJson(next); written.empty())
        document.erase("timing");
    else
        document["timing"] = std::move(written);
}

void Rig::setDerived(const std::vector<database::DerivedSpec>& next)
{
    if (json written = toJson(next, document.value("derived", json::array()), derived); written.empty())
        document.erase("derived");
    else
        document["derived"] = std::move(written);
    derived = next;
}

Expected<void> Rig::setOutbox(const nlohmann::json& next)
{
    std::vector<drive::OutboxGroup> groups;
    if (!next.is_null()) {
        auto read = readingJson(path, [&] { return drive::outboxFromJson(JsonReader(next, "/outbox")); });
        if (!read)
            return tl::unexpected(read.error());
        groups = std::move(*read);
    }
    outbox = std::move(groups);
    if (next.is_null())
        document.erase("outbox");
    else
        document["outbox"] = next;
    return {};
}

Expected<void> Rig::setDialogue(std::size_t index, const nlohmann::json& next)
{
    auto read = readingJson(path, [&] { return drive::dialogueFromJson(JsonReader(next, dialogues[index].pointer)); });
    if (!read)
        return tl::unexpected(read.error());
    dialogues[index] = std::move(*read);
    document["dialogues"][index] = next;
    return {};
}

Expected<nlohmann::json> Rig::protocolsOf(const std::string& bus) const
{
    for (std::size_t i = 0; i < buses.size(); ++i)
        if (buses[i].name == bus)
            return document.at("buses").at(i).value("protocols", nlohmann::json());
    return fail("the rig has no bus '" + bus + "'", path);
}

Expected<void> Rig::setProtocols(const std::string& bus, const nlohmann::json& next)
{
    for (std::size_t i = 0; i < buses.size(); ++i) {
        if (buses[i].name != bus)
            continue;
        nlohmann::json changed = document.at("buses").at(i);
        if (next.is_null())
            changed.erase("protocols");
        else
            changed["protocols"] = next;
        auto read = readingJson(path, [&] { return protocolsFrom(JsonReader(changed, "/buses/" + std::to_string(i)), bus); });
        if (!read)
            return tl::unexpected(read.error());
        buses[i].protocols = std::move(*read);
        buses[i].saysProtocols = !next.is_null();
        document["buses"][i] = std::move(changed);
        return {};
    }
    return fail("the rig has no bus '" + bus + "'", path);
}

Expected<void> Rig::setDictionary(const std::string& bus, std::uint8_t node, const std::string& file)
{
    for (std::size_t i = 0; i < buses.size(); ++i) {
        if (buses[i].name != bus)
            continue;
        nlohmann::json& of = document["buses"][i];
        if (file.empty()) {
            buses[i].dictionaries.erase(node);
            if (const auto known = of.find("dictionaries"); known != of.end())
                known->erase(std::to_string(node));
            if (of.contains("dictionaries") && of["dictionaries"].empty())
                of.erase("dictionaries");
        } else {
            buses[i].dictionaries[node] = file;
            of["dictionaries"][std::to_string(node)] = file;
        }
        return {};
    }
    return fail("the rig has no bus '" + bus + "'", path);
}

Expected<KeptManipulation> manipulationFrom(std::string_view text)
{
    KeptManipulation out;
    const std::string whole = trimmed(text);
    if (whole.starts_with("wire ")) {
        auto fault = bus::wireFaultFromText(std::string_view(whole).substr(5));
        if (!fault)
            return tl::unexpected(fault.error());
        out.fault = std::move(*fault);
        out.does.text = whole;
        return out;
    }
    auto does = drive::manipulationFromText(whole);
    if (!does)
        return tl::unexpected(does.error());
    out.does = std::move(*does);
    return out;
}

void Rig::setManipulations(const std::vector<KeptManipulation>& next)
{
    // Fields that are not known stay with what each does.
    std::map<std::string, json> before;
    if (const auto found = document.find("manipulations"); found != document.end() && found->size() == manipulations.size())
        for (std::size_t i = 0; i < manipulations.size(); ++i)
            before[manipulations[i].does.text] = (*found)[i];
    json written = json::array();
    for (const KeptManipulation& one : next) {
        json row = before.contains(one.does.text) ? before[one.does.text] : json::object();
        const auto set = [&row](const char* field, const json& value, bool is) {
            if (is)
                row[field] = value;
            else
                row.erase(field);
        };
        set("name", one.name, !one.name.empty());
        row["does"] = one.does.text;
        set("acts", true, one.acts);
        written.push_back(std::move(row));
    }
    if (written.empty())
        document.erase("manipulations");
    else
        document["manipulations"] = std::move(written);
    manipulations = next;
}

void Rig::setReports(const std::vector<ReportSpec>& next)
{
    reports = next;
    if (next.empty())
        document.erase("reports");
    else
        document["reports"] = toJson(next);
}

void Rig::setBoards(const std::vector<board::Board>& next)
{
    boards = next;
    if (next.empty())
        document.erase("boards");
    else
        document["boards"] = board::toJson(next);
}

void Rig::keepFilter(const std::string& filterName, const std::string& expression)
{
    std::erase_if(filters, [&](const NamedFilter& filter) { return filter.name == filterName; });
    if (!expression.empty())
        filters.push_back({filterName, expression});
    document["filters"] = nlohmann::json::array();
    for (const NamedFilter& filter : filters)
        document["filters"].push_back({{"name", filter.name}, {"expression", filter.expression}});
}

std::map<std::string, std::string, std::less<>> Rig::namedFilters() const
{
    std::map<std::string, std::string, std::less<>> named;
    for (const NamedFilter& filter : filters)
        named.emplace(filter.name, filter.expression);
    return named;
}

std::string Rig::nameOf(const std::string& file) const
{
    std::error_code code;
    const auto relative = std::filesystem::relative(file, folder(), code);
    return path.empty() || code || relative.empty() || *relative.begin() == ".." ? file : relative.string();
}

std::string Rig::resolve(const std::string& relative) const
{
    const std::filesystem::path given(relative);
    return given.is_absolute() ? relative : (std::filesystem::path(folder()) / given).string();
}

Expected<Rig> rigFromText(const std::string& text, const std::string& path)
{
    if (nestedTooDeeply(text))
        return fail("the document is nested more than 100 levels deep", path);
    try {
        json document = json::parse(text);
        Rig rig = rigOf(document.is_object() && document.contains("like") ? basedOn(document, path) : document, path);
        rig.saved = rig.document;
        rig.source = text;
        return rig;
    } catch (const json::parse_error& bad) {
        Error error{"this is no JSON document", path, 0, 0, "Compare it with demo/rig.json"};
        placeOf(text, bad.byte, error);
        return tl::unexpected(error);
    } catch (const JsonFailure& bad) {
        Error error = bad.error;
        error.where = path + ", " + error.where;
        return tl::unexpected(error);
    } catch (const json::exception& bad) {
        return fail(std::string("the document has an unexpected form: ") + bad.what(), path);
    }
}

Expected<Rig> loadRig(const std::string& path)
{
    std::error_code code;
    if (std::filesystem::is_directory(path, code))
        return fail("this is a directory, not a rig", path, "Choose a .json file");
    std::ifstream file(path, std::ios::binary);
    if (!file)
        return fail("the rig cannot be opened", path, "Check that the file exists and may be read");
    const auto size = std::filesystem::file_size(path, code);
    if (!code && size > largestDocument)
        return fail("the file is larger than 64 MiB, which no rig is", path);
    const std::string text{std::istreambuf_iterator<char>(file), {}};
    if (text.empty())
        return fail("the file is empty", path);
    return rigFromText(text, path);
}

Expected<void> saveRig(Rig& rig, const std::string& path)
{
    // A rig that is like another one keeps being that: what was changed since stands in it.
    json was = rig.source.empty() ? json() : json::parse(rig.source, nullptr, false);
    json is = rig.document;
    if (was.is_object() && was.contains("like")
        && std::filesystem::path(path).parent_path() == std::filesystem::path(rig.path).parent_path()) {
        is = was;
        for (const auto& [key, value] : rig.document.items())
            if (!rig.saved.contains(key) || rig.saved[key] != value)
                is[key] = value;
    }
    const std::string text = documentText(rig.source, was, is);
    if (auto written = replaceFile(path, text); !written)
        return written;
    rig.source = text;
    rig.saved = rig.document;
    return {};
}

void Rig::setFacts(const std::string& newName, std::uint64_t newSeed, Time newStory)
{
    name = newName;
    seed = newSeed;
    story = newStory;
    document["name"] = newName;
    if (newSeed != 1 || document.contains("seed"))
        document["seed"] = newSeed;
    if (newStory.count() > 0)
        document["story"] = spanText(newStory);
    else
        document.erase("story");
}

LoadedDatabases loadDatabases(const Rig& rig)
{
    LoadedDatabases loaded;
    for (const BusSpec& bus : rig.buses)
        for (const std::string& name : bus.databases) {
            if (loaded.byPath.contains(name))
                continue;
            auto reading = database::readDbcFile(rig.resolve(name));
            if (!reading) {
                loaded.problems.push_back(reading.error());
                continue;
            }
            loaded.problems.insert(loaded.problems.end(), reading->problems.begin(), reading->problems.end());
            loaded.byPath[name] = std::make_shared<const database::Database>(std::move(reading->database));
        }
    if (!rig.names.empty()) {
        auto names = protocol::readNames(rig.resolve(rig.names));
        if (names)
            loaded.names = std::make_shared<const protocol::Names>(std::move(*names));
        else
            loaded.problems.push_back(names.error());
    }
    for (const BusSpec& bus : rig.buses)
        for (const auto& [node, file] : bus.dictionaries) {
            if (const auto read = loadDictionary(loaded, bus.name, node, rig.resolve(file)); !read)
                loaded.problems.push_back(read.error());
        }
    return loaded;
}

Expected<void> loadDictionary(LoadedDatabases& into, const std::string& bus, std::uint8_t node, const std::string& path)
{
    auto dictionary = protocol::readDictionary(path);
    if (!dictionary)
        return tl::unexpected(dictionary.error());
    into.problems.insert(into.problems.end(), dictionary->problems.begin(), dictionary->problems.end());
    auto data = protocol::processDataOf(*dictionary, node, "Node" + std::to_string(node));
    for (std::string& finding : data.findings)
        into.problems.push_back({std::move(finding), dictionary->path, 0, 0, {}});
    into.processData[{bus, node}] = std::make_shared<const database::Database>(std::move(data.database));
    into.dictionaries[{bus, node}] = std::make_shared<const protocol::Dictionary>(std::move(*dictionary));
    return {};
}

void attachBehind(database::Catalog& catalog, std::uint8_t bus, const std::shared_ptr<const database::Database>& database)
{
    const auto known = [&](const database::Message& message) { return catalog.find(bus, message.id) != nullptr; };
    if (database->messages.empty())
        return;
    if (std::none_of(database->messages.begin(), database->messages.end(), known))
        return catalog.attach(bus, database);
    auto rest = std::make_shared<database::Database>(*database);
    std::erase_if(rest->messages, known);
    if (!rest->messages.empty())
        catalog.attach(bus, std::move(rest));
}

void attachDatabases(database::Catalog& catalog, std::uint8_t bus, const BusSpec& spec, const LoadedDatabases& databases)
{
    for (const std::string& path : spec.databases)
        if (const auto found = databases.byPath.find(path); found != databases.byPath.end())
            catalog.attach(bus, found->second);
    if (spec.definitions)
        catalog.attach(bus, spec.definitions);
    for (const auto& [node, file] : spec.dictionaries)
        if (const auto found = databases.processData.find({spec.name, node}); found != databases.processData.end())
            attachBehind(catalog, bus, found->second);
}

std::vector<protocol::Spoken> spokenOn(const std::string& bus, const Rig& rig)
{
    const auto found = std::find_if(rig.buses.begin(), rig.buses.end(), [&](const BusSpec& one) { return one.name == bus; });
    return found == rig.buses.end() ? std::vector<protocol::Spoken>() : found->protocols;
}

std::shared_ptr<const database::Catalog> catalogFor(
    const std::vector<std::string>& busNames, const Rig& rig, const LoadedDatabases& databases)
{
    auto catalog = std::make_shared<database::Catalog>();
    for (const std::string& name : busNames) {
        const auto spec = std::find_if(rig.buses.begin(), rig.buses.end(), [&](const BusSpec& bus) { return bus.name == name; });
        const std::uint8_t index = catalog->addBus(name, spec == rig.buses.end() ? database::Match::full : spec->match);
        for (const BusSpec& bus : rig.buses)
            if (bus.name == name)
                attachDatabases(*catalog, index, bus, databases);
    }
    catalog->derive(rig.derived);
    return catalog;
}

std::shared_ptr<const database::Catalog> catalogOf(const Rig& rig, const LoadedDatabases& databases)
{
    std::vector<std::string> names;
    for (const BusSpec& bus : rig.buses)
        names.push_back(bus.name);
    return catalogFor(names, rig, databases);
}

}  // namespace wavetrope::rig
