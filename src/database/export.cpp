// SPDX-License-Identifier: GPL-3.0-or-later
#include "database/export.h"

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <nlohmann/json.hpp>

#include "base/csv_text.h"
#include "base/joined.h"
#include "base/replace_file.h"
#include "base/time_text.h"
#include "database/codec.h"
#include "database/database_json.h"
#include "database/dbc_reader.h"
#include "database/dbc_writer.h"
#include "database/field_text.h"
#include "database/layout.h"

namespace wavetrope::database {

namespace {

// Tints as in the application's light look.
constexpr const char* tints[] = {"#e6d9bd", "#cfdde6", "#e9d2d8", "#d8e4cc", "#ddd5e8", "#e0ded8"};

std::string escaped(std::string_view text)
{
    std::string out;
    for (const char c : text)
        switch (c) {
        case '&': out += "&amp;"; break;
        case '<': out += "&lt;"; break;
        case '>': out += "&gt;"; break;
        case '"': out += "&quot;"; break;
        default: out += c;
        }
    return out;
}

std::string cycleText(const Message& message)
{
    return message.cycleTime.count() > 0 ? numberText(static_cast<double>(message.cycleTime.count()) * 1e-6) : std::string();
}

const char* typeOf(const Signal& signal)
{
    return signal.type == ValueType::single ? "single" : signal.type == ValueType::floating ? "double" : "integer";
}

std::string endingOf(const std::string& path)
{
    std::string ending = std::filesystem::path(path).extension().string();
    std::transform(ending.begin(), ending.end(), ending.begin(), [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    return ending;
}

}  // namespace

std::string layoutSvg(const Message& message)
{
    const Layout layout = layoutOf(message);
    constexpr unsigned cell = 74, row = 22, left = 34, top = 18;
    std::string out = "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"" + std::to_string(left + 8 * cell + 2) + "\" height=\""
                      + std::to_string(top + layout.rows * row + 2) + "\" font-family=\"sans-serif\" font-size=\"11\">";
    for (unsigned column = 0; column < 8; ++column)
        out += "<text x=\"" + std::to_string(left + column * cell + cell / 2) + "\" y=\"12\" text-anchor=\"middle\" fill=\"#6b6f76\">"
               + std::to_string(7 - column) + "</text>";
    const auto rectangle = [&](unsigned x, unsigned y, unsigned width, const std::string& fill, const char* more) {
        out += "<rect x=\"" + std::to_string(x) + "\" y=\"" + std::to_string(y) + "\" width=\"" + std::to_string(width) + "\" height=\""
               + std::to_string(row - 2) + "\" fill=\"" + fill + "\"" + more + "/>";
    };
    for (unsigned r = 0; r < layout.rows; ++r) {
        out += "<text x=\"" + std::to_string(left - 8) + "\" y=\"" + std::to_string(top + r * row + 15)
               + "\" text-anchor=\"end\" fill=\"#6b6f76\">" + std::to_string(r) + "</text>";
        for (unsigned column = 0; column < 8; ++column)
            if (!layout.used[r * 8 + 7 - column])
                rectangle(left + column * cell, top + r * row, cell - 1, r < layout.length ? "#f2efe7" : "#f6d9d5", "");
    }
    for (const LayoutStretch& stretch : layout.stretches) {
        const Signal& signal = message.signals[static_cast<std::size_t>(stretch.signal)];
        const unsigned width = (stretch.to - stretch.from + 1) * cell - 1;
        rectangle(left + stretch.from * cell, top + stretch.row * row, width,
            tints[static_cast<std::size_t>(stretch.signal) % std::size(tints)], " fill-opacity=\"0.9\"");
        const std::size_t room = width / 7;
        const std::string label = signal.name.size() <= room ? signal.name
                                  : room > 3                 ? signal.name.substr(0, room - 1) + "\xE2\x80\xA6"
                                                             : "";
        if (!label.empty())
            out += "<text x=\"" + std::to_string(left + stretch.from * cell + 5) + "\" y=\"" + std::to_string(top + stretch.row * row + 14)
                   + "\" fill=\"#1f2a38\">" + escaped(label) + "</text>";
    }
    return out + "</svg>";
}

std::string toHtml(const Database& database, const std::string& title)
{
    std::string out =
        "<!DOCTYPE html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"><title>" + escaped(title)
        + "</title><style>"
          "body{font:14px/1.45 sans-serif;color:#1f2a38;background:#fbfaf6;max-width:1000px;margin:24px auto;padding:0 16px}"
          "h1{font-size:24px}h2{font-size:18px;border-top:1px solid #d9d4c7;padding-top:14px;margin-top:28px}"
          "table{border-collapse:collapse;width:100%;margin:10px 0}th,td{text-align:left;padding:3px 10px 3px 0;border-bottom:1px solid "
          "#e6e1d5;vertical-align:top}"
          "th{font-weight:600;color:#555b66}code{font-family:monospace}.quiet{color:#6b6f76}a{color:#00677d}</style></head><body>\n";
    out += "<h1>" + escaped(title) + "</h1>\n<p class=\"quiet\">" + std::to_string(database.nodes.size()) + " nodes, "
           + std::to_string(database.messages.size()) + " messages, " + std::to_string(database.signalCount()) + " signals";
    if (!database.network.version.empty())
        out += ", version " + escaped(database.network.version);
    out += "</p>\n";
    if (!database.network.comment.empty())
        out += "<p>" + escaped(database.network.comment) + "</p>\n";
    out += "<table><tr><th>Message</th><th>Identifier</th><th>Bytes</th><th>Sender</th><th>Cycle</th></tr>\n";
    for (const Message& m : database.messages)
        out += "<tr><td><a href=\"#m" + std::to_string(m.uid) + "\">" + escaped(m.name) + "</a></td><td><code>" + can::toText(m.id)
               + "</code></td><td>" + std::to_string(m.length) + "</td><td>" + escaped(m.sender) + "</td><td>"
               + (m.cycleTime.count() > 0 ? cycleText(m) + " ms" : "") + "</td></tr>\n";
    out += "</table>\n<h2>Nodes</h2><table><tr><th>Node</th><th>Sends</th><th>Comment</th></tr>\n";
    for (const Node& node : database.nodes) {
        std::vector<std::string> sends;
        for (const Message& m : database.messages)
            if (m.sender == node.name)
                sends.push_back("<a href=\"#m" + std::to_string(m.uid) + "\">" + escaped(m.name) + "</a>");
        out += "<tr><td>" + escaped(node.name) + "</td><td>" + joined(sends, ", ") + "</td><td>" + escaped(node.comment) + "</td></tr>\n";
    }
    out += "</table>\n";
    for (const Message& m : database.messages) {
        out += "<h2 id=\"m" + std::to_string(m.uid) + "\">" + escaped(m.name) + " <code class=\"quiet\">" + can::toText(m.id)
               + "</code></h2>\n<p class=\"quiet\">" + std::to_string(m.length) + " bytes"
               + (m.sender.empty() ? "" : ", from " + escaped(m.sender))
               + (m.cycleTime.count() > 0 ? ", every " + cycleText(m) + " ms" : "") + "</p>\n";
        if (!m.comment.empty())
            out += "<p>" + escaped(m.comment) + "</p>\n";
        out +=
            layoutSvg(m)
            + "\n<table><tr><th>Signal</th><th>Bits</th><th>Scale</th><th>Range</th><th>Unit</th><th>Receivers</th><th>Meaning</th></tr>\n";
        for (const Signal& s : m.signals) {
            std::string meaning = escaped(s.comment);
            if (const std::string mux = muxText(s); !mux.empty())
                meaning += (meaning.empty() ? "" : "<br>") + escaped(mux);
            for (const ValueText& text : s.texts)
                meaning += (meaning.empty() ? "" : "<br>")
                           + ("<code>" + wholeText(text.value) + (text.more > 0 ? " to " + wholeText(text.last()) : "") + "</code> "
                               + escaped(text.text));
            out += "<tr><td>" + escaped(s.name) + "</td><td><code>" + std::to_string(s.startBit) + "|" + std::to_string(s.length)
                   + "</code> " + (s.order == ByteOrder::intel ? "least first" : "most first") + (s.isSigned ? ", signed" : "")
                   + (s.type != ValueType::integer ? std::string(", ") + typeOf(s) : "") + "</td><td><code>" + numberText(s.factor, 9)
                   + (s.offset != 0 ? (s.offset > 0 ? " +" : " ") + numberText(s.offset, 9) : "") + "</code></td><td>"
                   + (s.minimum && s.maximum ? numberText(*s.minimum, 9) + " to " + numberText(*s.maximum, 9) : "") + "</td><td>"
                   + escaped(s.unit) + "</td><td>" + escaped(joined(s.receivers, ", ")) + "</td><td>" + meaning + "</td></tr>\n";
        }
        out += "</table>\n";
    }
    return out + "</body></html>\n";
}

std::string toCsv(const Database& database)
{
    std::string out = "message,id,length,sender,cycle_ms,signal,start_bit,bits,byte_order,sign,type,factor,offset,minimum,maximum,unit,"
                      "multiplexing,receivers,texts,start_raw,comment\n";
    const auto row = [&](const Message& m, const Signal* s) {
        std::vector<std::string> cells = {m.name, can::toText(m.id), std::to_string(m.length), m.sender, cycleText(m)};
        if (s != nullptr)
            cells.insert(
                cells.end(), {s->name, std::to_string(s->startBit), std::to_string(s->length),
                                 s->order == ByteOrder::intel ? "least_first" : "most_first", s->isSigned ? "signed" : "unsigned",
                                 typeOf(*s), numberText(s->factor), numberText(s->offset), s->minimum ? numberText(*s->minimum) : "",
                                 s->maximum ? numberText(*s->maximum) : "", s->unit, muxText(*s), joined(s->receivers, " "),
                                 textsText(s->texts), s->startRaw ? numberText(*s->startRaw) : "", s->comment});
        else
            cells.resize(21);
        for (std::size_t i = 0; i < cells.size(); ++i) {
            out += i == 0 ? "" : ",";
            appendCsvField(out, cells[i]);
        }
        out += '\n';
    };
    for (const Message& message : database.messages) {
        if (message.signals.empty())
            row(message, nullptr);
        for (const Signal& signal : message.signals)
            row(message, &signal);
    }
    return out;
}

Expected<Database> readDatabase(const std::string& path, const std::function<void(const Error&)>& problem)
{
    if (endingOf(path) == ".json") {
        std::ifstream file(path, std::ios::binary);
        std::error_code code;
        if (!file || std::filesystem::is_directory(path, code))
            return fail("the database cannot be opened", path, "Check that the file exists and may be read");
        return readDatabaseJson(std::string{std::istreambuf_iterator<char>(file), {}}, path);
    }
    auto reading = readDbcFile(path);
    if (!reading)
        return tl::unexpected(reading.error());
    if (problem)
        for (const Error& error : reading->problems)
            problem(error);
    return std::move(reading->database);
}

Expected<void> exportDatabase(const Database& database, const std::string& path)
{
    const std::string ending = endingOf(path);
    if (ending == ".dbc")
        return replaceFile(path, writeDbc(database));
    if (ending == ".json")
        return replaceFile(path, toJson(database).dump(2, ' ', false, nlohmann::json::error_handler_t::replace) + '\n');
    if (ending == ".csv")
        return replaceFile(path, toCsv(database));
    if (ending == ".html" || ending == ".htm")
        return replaceFile(path, toHtml(database, std::filesystem::path(database.path).stem().string()));
    return fail("'" + ending + "' is no form that databases are written in", path, "Choose .dbc, .json, .csv or .html");
}

}  // namespace wavetrope::database
