// SPDX-License-Identifier: GPL-3.0-or-later
#include "rig/outbox_edits.h"

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <iterator>
#include <optional>
#include <set>

#include "base/json_reader.h"
#include "base/time_text.h"
#include "database/compose.h"
#include "database/dbc_lexer.h"
#include "drive/message_text.h"

namespace wavetrope::rig {

namespace {

constexpr double mostExact = 9007199254740992;      // whole numbers that a number of a document holds

std::vector<std::string> partsOf(std::string_view text, char by)
{
    std::vector<std::string> out;
    for (std::size_t at = 0; at <= text.size();) {
        const std::size_t end = std::min(text.find(by, at), text.size());
        std::string part(text.substr(at, end - at));
        while (!part.empty() && (part.back() == ' ' || part.back() == '\r'))
            part.pop_back();
        part.erase(0, std::min(part.find_first_not_of(' '), part.size()));
        out.push_back(std::move(part));
        at = end + 1;
    }
    return out;
}

// What a spreadsheet puts round a cell with blanks or quotes in it.
std::string unquoted(std::string cell)
{
    if (cell.size() < 2 || cell.front() != '"' || cell.back() != '"')
        return cell;
    std::string out;
    for (std::size_t i = 1; i + 1 < cell.size(); ++i) {
        if (cell[i] == '"' && cell[i + 1] == '"' && i + 2 < cell.size())
            ++i;
        out += cell[i];
    }
    return out;
}

bool isByte(const std::string& cell)
{
    const std::string digits = cell.starts_with("0x") || cell.starts_with("0X") ? cell.substr(2) : cell;
    return !digits.empty() && digits.size() <= 2
           && std::all_of(digits.begin(), digits.end(), [](unsigned char c) { return std::isxdigit(c) != 0; });
}

bool isKind(const std::string& cell) { return cell == "fd" || cell == "fdbrs" || cell == "remote"; }

// A name, and what it equals; else it is words.
bool isValue(const std::string& cell)
{
    const std::size_t equals = cell.find('=');
    const std::size_t end = equals == std::string::npos || equals == 0 ? 0 : cell.find_last_not_of(' ', equals - 1) + 1;
    return end > 0 && std::all_of(cell.begin(), cell.begin() + static_cast<std::ptrdiff_t>(end), [](unsigned char c) {
        return std::isalnum(c) != 0 || c == '_';
    });
}

// "Depth=3.5 mm" is one value; "A=1 B=2" are two.
std::string asValues(const std::string& cell)
{
    const std::size_t equals = cell.find('=');
    if (cell.find('=', equals + 1) != std::string::npos || cell.find(' ') == std::string::npos || cell.find('"') != std::string::npos)
        return cell;
    std::string value = cell.substr(equals + 1);
    value.erase(0, std::min(value.find_first_not_of(' '), value.size()));
    return cell.substr(0, cell.find_last_not_of(' ', equals - 1) + 1) + "=\"" + value + "\"";
}

std::string quoted(const std::string& value) { return value.find_first_of(" \t") == std::string::npos ? value : '"' + value + '"'; }

std::string numberOf(const nlohmann::json& value)
{
    return value.is_number_integer() ? value.dump() : database::numberText(value.get<double>(), 17);
}

}  // namespace

const database::CatalogMessage* messageOfRow(const database::Catalog& catalog, std::string_view bus, std::string_view message)
{
    for (const database::CatalogMessage& one : catalog.messages())
        if (!message.empty() && one.message->name == message && catalog.busName(one.bus) == bus)
            return &one;
    return nullptr;
}

Expected<std::vector<std::uint8_t>> stillPayload(const drive::OutboxRow& row, const database::CatalogMessage* message)
{
    if (message == nullptr) {
        std::vector<std::uint8_t> payload(row.frame.data.begin(), row.frame.data.begin() + row.frame.length);
        for (const auto& [name, value] : row.values)
            if (const auto* still = std::get_if<double>(&value))
                if (const auto at = static_cast<std::size_t>(std::atoi(name.c_str())); at < payload.size())
                    payload[at] = static_cast<std::uint8_t>(std::clamp(*still, 0.0, 255.0));
        return payload;
    }
    std::vector<database::GivenBits> given;
    for (std::uint32_t i = 0; i < message->message->signals.size(); ++i) {
        const database::Signal& signal = message->message->signals[i];
        const auto own = row.values.find(signal.name);
        if (own == row.values.end())
            continue;
        bool fits = true;
        if (const auto* still = std::get_if<double>(&own->second))
            given.push_back({i, database::MessagePlan::bitsOf(message->plan.plan(i), *still, fits)});
        else if (const auto* label = std::get_if<drive::LabelSpec>(&own->second))
            if (const auto raw = signal.valueOf(label->text))
                given.push_back({i, static_cast<std::uint64_t>(*raw) & message->plan.plan(i).mask});
    }
    auto composed = database::compose(*message->message, message->plan, given);
    if (!composed)
        return tl::unexpected(composed.error());
    return std::move(composed->payload);
}

nlohmann::json writtenValue(const database::Signal& signal, const database::SignalPlan& plan, std::uint64_t bits)
{
    if (const std::string_view text = database::textOf(signal, bits); !text.empty())
        return {{"label", std::string(text)}};
    const double value = plan.physicalOf(bits);
    if (value == std::floor(value) && std::abs(value) < mostExact)
        return static_cast<std::int64_t>(value);
    return value;
}

nlohmann::json rowFromMessage(const database::Catalog& catalog, const database::CatalogMessage& message)
{
    nlohmann::json row = {{"bus", catalog.busName(message.bus)}, {"message", message.message->name}, {"starts", false}};
    if (message.message->cycleTime.count() > 0)
        row["every"] = exactSpanText(message.message->cycleTime);
    return row;
}

Expected<nlohmann::json> rowFromText(const database::Catalog& catalog, std::string_view text, std::uint8_t bus)
{
    const auto typed = drive::messageFromText(text);
    if (!typed)
        return tl::unexpected(typed.error());
    if (bus >= catalog.busCount())
        return fail("there is no bus to send on");
    if (typed->frame)
        return nlohmann::json{{"bus", catalog.busName(bus)}, {"frame", drive::toText(typed->frame->view())}, {"starts", false}};
    const database::CatalogMessage* found = nullptr;
    for (const database::CatalogMessage& message : catalog.messages())
        if (message.message->name == typed->name && (found == nullptr || message.bus == bus))
            found = &message;
    if (found == nullptr)
        return fail("no database of the rig has the message '" + typed->name + "'", {},
            "Type the name of one, or an identifier with bytes, such as 0x1F0 11 22 33");
    nlohmann::json row = rowFromMessage(catalog, *found);
    for (const auto& [name, value] : typed->values)
        if (const auto set = setSignal(row, *found, name, value); !set)
            return tl::unexpected(set.error());
    return row;
}

nlohmann::json rowFromFrame(const database::Catalog& catalog, const can::FrameView& frame, Time period)
{
    nlohmann::json row;
    const database::CatalogMessage* message = frame.kind == can::FrameKind::remote ? nullptr : catalog.find(frame);
    if (message != nullptr && message->message->id == frame.id && message->message->length == frame.length) {
        row = rowFromMessage(catalog, *message);
        std::vector<database::GivenBits> given;
        for (std::uint32_t i = 0; i < message->message->signals.size(); ++i) {
            database::Decoded decoded;
            if (!message->plan.present(frame.payload(), i) || !message->plan.decodeOne(frame, i, decoded))
                continue;
            const database::Signal& signal = message->message->signals[i];
            const database::SignalPlan& plan = message->plan.plan(i);
            const nlohmann::json value = writtenValue(signal, plan, decoded.bits);
            row["signals"][signal.name] = value;
            // A value that a document cannot hold exactly gives other bits.
            bool fits = true;
            given.push_back({i, value.is_object() ? decoded.bits : database::MessagePlan::bitsOf(plan, value.get<double>(), fits)});
        }
        const auto composed = database::compose(*message->message, message->plan, given);
        if (!composed || !std::equal(composed->payload.begin(), composed->payload.end(), frame.payload().begin(), frame.payload().end()))
            row = nullptr;
    }
    if (row.is_null())
        row = {{"bus", catalog.busName(frame.bus)}, {"frame", drive::toText(frame)}, {"starts", false}};
    row.erase("every");
    if (period.count() > 0)
        row["every"] = exactSpanText(period);
    return row;
}

Expected<std::vector<nlohmann::json>> rowsFromText(const database::Catalog& catalog, std::string_view text, std::uint8_t bus)
{
    std::vector<nlohmann::json> rows;
    if (!database::isUtf8(text))
        return fail("what was pasted is no text", {}, "UTF-8 is expected");
    unsigned number = 0;
    for (const std::string& line : partsOf(text, '\n')) {
        ++number;
        std::vector<std::string> cells = partsOf(line, '\t');
        for (std::string& cell : cells)
            cell = unquoted(cell);
        if (line.empty() || (number == 1 && cells.front() == "message"))
            continue;
        std::string message = cells.front(), comment, period;
        std::uint8_t on = bus;
        for (std::size_t i = 1; i < cells.size(); ++i) {
            const std::string& cell = cells[i];
            if (cell.empty())
                continue;
            const int known = catalog.findBus(cell);
            if (isByte(cell) || isKind(cell))
                message += ' ' + cell;
            else if (isValue(cell))
                message += ' ' + asValues(cell);
            else if (const auto span = spanFromText(cell); span && span->count() > 0 && cell.find_first_of("smh") != std::string::npos)
                period = exactSpanText(*span);
            else if (known >= 0)
                on = static_cast<std::uint8_t>(known);
            else
                comment += (comment.empty() ? "" : ", ") + cell;
        }
        auto row = rowFromText(catalog, message, on);
        if (!row) {
            Error error = row.error();
            error.where = "line " + std::to_string(number) + (error.where.empty() ? "" : ", " + error.where);
            return tl::unexpected(error);
        }
        if (cells.size() > 1 && period.empty())
            row->erase("every");
        if (!period.empty())
            (*row)["every"] = period;
        if (!comment.empty())
            (*row)["comment"] = comment;
        rows.push_back(std::move(*row));
    }
    if (rows.empty())
        return fail(
            "there is no message in what was pasted", {}, "Such as 0x1F0 11 22 33, or BladeCommand CommandedDepth=3.5, a line each");
    return rows;
}

std::string textOfRow(const nlohmann::json& row)
{
    std::string message = row.contains("message") ? row["message"].get<std::string>() : row["frame"].get<std::string>();
    if (row.contains("message") && row.contains("signals"))
        for (const auto& [name, value] : row["signals"].items()) {
            if (value.is_number())
                message += ' ' + name + '=' + numberOf(value);
            else if (value.is_object() && value.contains("label"))
                message += ' ' + name + '=' + quoted(value["label"].get<std::string>());
        }
    if (row.contains("frame") && row.contains("bytes"))
        if (auto typed = drive::messageFromText(message); typed && typed->frame) {
            for (const auto& [name, value] : row["bytes"].items())
                if (const unsigned at = static_cast<unsigned>(std::atoi(name.c_str())); value.is_number() && at < typed->frame->length)
                    typed->frame->data[at] = static_cast<std::uint8_t>(value.get<double>());
            message = drive::toText(typed->frame->view());
        }
    const auto field = [&](const char* name) {
        return row.contains(name) && row[name].is_string() ? row[name].get<std::string>() : std::string();
    };
    return message + '\t' + field("every") + '\t' + field("bus") + '\t' + field("comment");
}

Expected<void> setSignal(nlohmann::json& row, const database::CatalogMessage& message, std::string_view name, std::string_view text)
{
    const database::Signal* signal = message.message->find(name);
    if (signal == nullptr)
        return fail("message " + message.message->name + " has no signal '" + std::string(name) + "'");
    const auto place = static_cast<std::uint32_t>(signal - message.message->signals.data());
    const database::SignalPlan& plan = message.plan.plan(place);
    const bool limits = row.contains("overflow") && row["overflow"] == "limit";
    auto bits = database::bitsFromText(*signal, plan, text);
    if (!bits && limits) {
        // The nearest that there is.
        char* end = nullptr;
        const std::string typed(text);
        const double value = std::strtod(typed.c_str(), &end);
        bool fits = true;
        if (end != typed.c_str() && std::isfinite(value))
            bits = database::MessagePlan::bitsOf(plan, value, fits);
    }
    if (!bits)
        return tl::unexpected(bits.error());
    if (const std::string outside = database::outsideWords(*signal, plan, *bits); !outside.empty()) {
        if (!limits)
            return fail(outside);
        bool fits = true;
        const double value = plan.physicalOf(*bits);
        const bool below = signal->minimum && value < *signal->minimum;
        bits = database::MessagePlan::bitsOf(plan, below ? *signal->minimum : *signal->maximum, fits);
    }
    row["signals"][std::string(name)] = writtenValue(*signal, plan, *bits);
    return {};
}

Expected<void> setBytes(nlohmann::json& row, std::string_view text)
{
    const auto before = drive::messageFromText(row["frame"].get<std::string>());
    if (!before || !before->frame)
        return fail("the row sends no frame by itself");
    const can::Frame& frame = *before->frame;
    const char* kind = frame.kind != can::FrameKind::fd ? " " : frame.brs ? " fdbrs " : " fd ";
    const auto typed = drive::messageFromText(can::toText(frame.id) + kind + std::string(text));
    if (!typed)
        return tl::unexpected(typed.error());
    if (!typed->frame || typed->frame->kind != frame.kind)
        return fail("'" + std::string(text) + "' are no bytes", {}, "Such as 11 22 33");
    row.erase("bytes");
    if (typed->frame->length != frame.length) {
        row["frame"] = drive::toText(typed->frame->view());
        return {};
    }
    for (unsigned i = 0; i < frame.length; ++i)
        if (typed->frame->data[i] != frame.data[i])
            row["bytes"][std::to_string(i)] = typed->frame->data[i];
    return {};
}

Expected<void> setForm(nlohmann::json& row, const FrameForm& form)
{
    const auto before = row.contains("frame") ? drive::messageFromText(row["frame"].get<std::string>()) : Expected<drive::MessageText>();
    if (!before || !before->frame)
        return fail("the row sends no frame by itself");
    can::Frame frame = *before->frame;
    const bool wasRemote = frame.kind == can::FrameKind::remote;
    frame.id.extended = form.extended.value_or(frame.id.extended);
    if (!frame.id.valid())
        return fail(can::toText(before->frame->id) + " has more than 11 bits", {}, "Give it an identifier up to 0x7FF first");
    frame.kind = form.kind.value_or(frame.kind);
    const bool fd = frame.kind == can::FrameKind::fd;
    frame.brs = fd && form.brs.value_or(frame.brs);
    const unsigned length = form.length.value_or(wasRemote ? frame.dlc : frame.length);
    const unsigned most = fd ? can::maxLength : can::maxClassicLength;
    if (length > most)
        return fail(std::to_string(length) + " bytes do not fit into a " + (fd ? "CAN FD" : "classic") + " frame", {},
            "Up to " + std::to_string(most) + (fd ? "" : "; make it FD, or shorter"));
    if (fd && can::lengthOfDlc(can::dlcOfLength(length)) != length)
        return fail("no CAN FD frame has " + std::to_string(length) + " bytes", {}, "0 to 8, 12, 16, 20, 24, 32, 48 or 64");
    frame.dlc = static_cast<std::uint8_t>(can::dlcOfLength(length));
    frame.length = frame.kind == can::FrameKind::remote ? std::uint8_t{0} : static_cast<std::uint8_t>(length);
    for (unsigned i = frame.length; i < can::maxLength; ++i)
        frame.data[i] = 0;
    row["frame"] = drive::toText(frame.view());
    if (const auto bytes = row.find("bytes"); bytes != row.end() && bytes->is_object()) {
        for (auto it = bytes->begin(); it != bytes->end();)
            it = std::strtoul(it.key().c_str(), nullptr, 10) >= frame.length ? bytes->erase(it) : std::next(it);
        if (bytes->empty())
            row.erase(bytes);
    }
    return {};
}

Expected<void> toggleBit(nlohmann::json& row, const database::CatalogMessage* message, can::Payload payload, unsigned bit)
{
    if (bit / 8 >= payload.size())
        return fail("the row has no such bit");
    if (message == nullptr) {
        const std::string name = std::to_string(bit / 8);
        if (row.contains("bytes") && row["bytes"].contains(name) && !row["bytes"][name].is_number())
            return fail("byte " + name + " follows a source", {}, "Give it a value first");
        row["bytes"][name] = payload[bit / 8] ^ (1U << bit % 8);
        return {};
    }
    std::vector<std::uint8_t> turned(payload.begin(), payload.end());
    turned[bit / 8] = static_cast<std::uint8_t>(turned[bit / 8] ^ (1U << bit % 8));
    for (std::uint32_t i = 0; i < message->message->signals.size(); ++i) {
        const database::Signal& signal = message->message->signals[i];
        database::Decoded before, after;
        if (!message->plan.present(payload, i) || !message->plan.decodeOne(payload, i, before) || !message->plan.decodeOne(turned, i, after)
            || before.bits == after.bits)
            continue;
        if (row.contains("signals") && row["signals"].contains(signal.name)) {
            const nlohmann::json& own = row["signals"][signal.name];
            if (!own.is_number() && !(own.is_object() && own.contains("label")))
                return fail(signal.name + " follows a source", {}, "Give it a value first");
        }
        if (const std::string outside = database::outsideWords(signal, message->plan.plan(i), after.bits); !outside.empty())
            return fail(outside);
        row["signals"][signal.name] = writtenValue(signal, message->plan.plan(i), after.bits);
        return {};
    }
    return fail("no signal has this bit");
}

void insertRows(nlohmann::json& outbox, RowPlace before, const std::vector<nlohmann::json>& rows)
{
    if (!outbox.is_array())
        outbox = nlohmann::json::array();
    if (before.group >= outbox.size()) {
        before = {outbox.size(), 0};
        outbox.push_back({{"name", freeGroupName(outbox, "By hand")}, {"rows", nlohmann::json::array()}});
    }
    nlohmann::json& into = outbox[before.group]["rows"];
    if (!into.is_array())
        into = nlohmann::json::array();
    const auto at = static_cast<std::ptrdiff_t>(std::min(before.row, into.size()));
    for (std::size_t i = 0; i < rows.size(); ++i)
        into.insert(into.begin() + at + static_cast<std::ptrdiff_t>(i), rows[i]);
}

void removeRows(nlohmann::json& outbox, std::vector<RowPlace> rows)
{
    std::sort(rows.begin(), rows.end());
    for (auto place = rows.rbegin(); place != rows.rend(); ++place)
        outbox[place->group]["rows"].erase(place->row);
}

RowPlace moveRows(nlohmann::json& outbox, std::vector<RowPlace> rows, RowPlace before)
{
    std::sort(rows.begin(), rows.end());
    std::vector<nlohmann::json> moved;
    for (const RowPlace& place : rows)
        moved.push_back(outbox[place.group]["rows"][place.row]);
    RowPlace to = before;
    for (const RowPlace& place : rows)
        to.row -= place.group == before.group && place.row < before.row ? 1 : 0;
    removeRows(outbox, rows);
    insertRows(outbox, to, moved);
    return {std::min(to.group, outbox.size() - 1), to.row};
}

std::string freeGroupName(const nlohmann::json& outbox, const std::string& name)
{
    std::set<std::string> taken;
    if (outbox.is_array())
        for (const nlohmann::json& group : outbox)
            taken.insert(group.value("name", ""));
    std::string free = name;
    for (unsigned i = 2; taken.contains(free); ++i)
        free = name + ' ' + std::to_string(i);
    return free;
}

nlohmann::json groupAsFile(const nlohmann::json& group) { return {{"wavetrope", 1}, {"outbox", nlohmann::json::array({group})}}; }

Expected<nlohmann::json> groupFromFile(std::string_view bytes)
{
    const auto document = nlohmann::json::parse(bytes, nullptr, false);
    if (document.is_discarded() || !document.is_object() || !document.contains("outbox") || !document["outbox"].is_array()
        || document["outbox"].size() != 1)
        return fail("this is no group of an outbox", {}, "Choose a file that a group was saved into");
    const auto read = readingJson({}, [&] { return drive::outboxFromJson(JsonReader(document["outbox"], "/outbox")); });
    if (!read)
        return tl::unexpected(read.error());
    return document["outbox"][0];
}

}  // namespace wavetrope::rig
