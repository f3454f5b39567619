// SPDX-License-Identifier: GPL-3.0-or-later
#include "rig/bus_plan.h"

#include <algorithm>
#include <charconv>
#include <filesystem>
#include <set>

#include "base/trimmed.h"
#include "filter/lexer.h"

namespace wavetrope::rig {

namespace {

using nlohmann::json;

// A filter that names a bus: `bus Main`, `bus "Far hall"`.
std::string filterRenamed(std::string_view text, const std::string& from, const std::string& to)
{
    using Kind = filter::Token::Kind;
    std::string out;
    std::size_t copied = 0;
    bool behindBus = false;
    filter::Lexer lexer(text);
    while (lexer.peek().kind != Kind::end && !(lexer.peek().kind == Kind::text && lexer.openQuote())) {
        const filter::Token token = lexer.take();
        const bool quoted = token.kind == Kind::text;
        if (behindBus && token.text == from && token.kind != Kind::mark) {
            filter::Lexer whole(to);
            const filter::Token word = whole.take();
            out += text.substr(copied, token.at - copied);
            out += word.kind == Kind::word && word.text == to ? to : '"' + to + '"';
            copied = token.at + token.text.size() + (quoted ? 2 : 0);
        }
        behindBus = token.kind == Kind::word && token.text == "bus";
    }
    out += text.substr(copied);
    return out;
}

// All places of a part of the document that name a bus.
void rename(json& in, const std::string& from, const std::string& to)
{
    if (in.is_array())
        for (json& one : in)
            rename(one, from, to);
    if (!in.is_object())
        return;
    for (auto& [key, value] : in.items()) {
        if (key == "bus" && value == from)
            value = to;
        else if (key == "buses" && value.is_array())
            std::replace(value.begin(), value.end(), json(from), json(to));
        else if (value.is_string() && (key == "when" || key == "silent" || key == "keep" || key == "expression" || key == "filter"))
            value = filterRenamed(value.get<std::string>(), from, to);
        else if (value.is_string() && value.get_ref<const std::string&>().starts_with(from + ":"))
            value = to + value.get_ref<const std::string&>().substr(from.size());    // "Main:Message.Signal" of a page
        else
            rename(value, from, to);
    }
    // Lists of signals by their paths.
    for (auto& [key, value] : in.items())
        if (value.is_array())
            for (json& one : value)
                if (one.is_string() && key != "databases" && one.get_ref<const std::string&>().starts_with(from + ":"))
                    one = to + one.get_ref<const std::string&>().substr(from.size());
}

const char* fieldOfSource(const std::string& text)
{
    return text.starts_with("mqtt://") || text.starts_with("mqtts://") ? "remote" : "interface";
}

}  // namespace

BusPlan busesIn(const Rig& rig)
{
    BusPlan out;
    if (const auto found = rig.document.find("buses"); found != rig.document.end() && found->is_array())
        out.buses = *found;
    return out;
}

json documentWith(const json& document, const BusPlan& plan)
{
    json out = document;
    for (const char* part : {"nodes", "filters", "events", "recordings", "pages"})
        if (out.contains(part))
            for (const auto& [from, to] : plan.renames)
                rename(out[part], from, to);
    if (plan.buses.empty())
        out.erase("buses");
    else
        out["buses"] = plan.buses;
    return out;
}

Expected<Rig> planned(const Rig& rig, const BusPlan& plan)
{
    auto out = rigFromText(documentWith(rig.document, plan).dump(), rig.path);
    if (!out)
        return out;
    out->saved = rig.saved;
    out->source = rig.source;
    return out;
}

json withoutMarks(json buses)
{
    for (json& bus : buses) {
        bus.erase("letter");
        bus.erase("hue");
    }
    return buses;
}

std::string busFieldText(const json& bus, BusField field)
{
    const auto text = [&](const char* key) {
        return bus.contains(key) && bus[key].is_string() ? bus[key].get<std::string>() : std::string();
    };
    switch (field) {
    case BusField::name: return text("name");
    case BusField::rate: return text("rate");
    case BusField::letter: return text("letter");
    case BusField::hue: return bus.contains("hue") && bus["hue"].is_number_integer() ? bus["hue"].dump() : std::string();
    case BusField::source: {
        if (!text("source").empty())
            return "none yet";
        const std::string interface = text("interface");
        return interface.empty() ? text("remote") : interface;
    }
    case BusField::databases: break;
    }
    std::string out;
    if (bus.contains("databases") && bus["databases"].is_array())
        for (const json& one : bus["databases"])
            if (one.is_string())
                out += (out.empty() ? "" : ", ") + one.get<std::string>();
    return bus.contains("databases") && bus["databases"].is_string() ? bus["databases"].get<std::string>() : out;
}

BusPlan withBusField(BusPlan plan, std::size_t index, BusField field, const std::string& typed)
{
    const std::string text = trimmed(typed);
    if (index >= plan.buses.size()) {
        index = plan.buses.size();
        plan.buses.push_back({{"name", ""}, {"rate", "500k"}});
    }
    json& bus = plan.buses[index];
    const auto put = [&](const char* key, const json& value, bool there) {
        if (there)
            bus[key] = value;
        else
            bus.erase(key);
    };
    switch (field) {
    case BusField::name:
        if (const std::string before = busFieldText(bus, field); !before.empty() && !text.empty() && before != text)
            plan.renames.emplace_back(before, text);
        bus["name"] = text;
        break;
    case BusField::rate: put("rate", text, !text.empty()); break;
    case BusField::letter: put("letter", text, !text.empty()); break;
    case BusField::hue: {
        int number = 0;
        const auto [end, code] = std::from_chars(text.data(), text.data() + text.size(), number);
        const bool whole = code == std::errc{} && end == text.data() + text.size();
        put("hue", whole ? json(number) : json(text), !text.empty());
        break;
    }
    case BusField::source:
        for (const char* key : {"interface", "remote", "source"})
            bus.erase(key);
        if (text == "none" || text == "none yet")
            bus["source"] = "none";
        else if (!text.empty() && text != "simulated")
            bus[fieldOfSource(text)] = text;
        break;
    case BusField::databases: {
        json files = json::array();
        for (std::size_t at = 0; at <= text.size();) {
            const std::size_t end = std::min(text.find(',', at), text.size());
            if (std::string file = trimmed(std::string_view(text).substr(at, end - at)); !file.empty())
                files.push_back(std::move(file));
            at = end + 1;
        }
        put("databases", files, !files.empty());
        break;
    }
    }
    return plan;
}

json documentOfLog(const std::string& name, const std::vector<trace::TraceBus>& buses, const Rig& explained)
{
    json list = json::array();
    std::set<std::string> names;
    for (const trace::TraceBus& of : buses) {
        const std::string wanted = of.name.empty() ? "Bus" : of.name;
        std::string called = wanted;
        for (int number = 2; !names.insert(called).second; ++number)
            called = wanted + " " + std::to_string(number);
        json bus = {{"name", called}, {"rate", of.rate.known() ? can::toText(of.rate) : std::string("500k")}};
        for (const BusSpec& spec : explained.buses) {
            if (spec.name != of.name)
                continue;
            for (const std::string& file : spec.databases)
                bus["databases"].push_back(std::filesystem::absolute(explained.resolve(file)).lexically_normal().string());
            if (spec.match == database::Match::group)
                bus["match"] = "group";
        }
        list.push_back(std::move(bus));
    }
    return {{"wavetrope", Rig::version}, {"name", name}, {"buses", std::move(list)}};
}

}  // namespace wavetrope::rig
