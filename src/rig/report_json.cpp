// SPDX-License-Identifier: GPL-3.0-or-later
#include "rig/report_json.h"

#include <set>

#include "base/time_text.h"

namespace wavetrope::rig {

namespace {

constexpr std::size_t mostReports = 100, mostParts = 500;

std::optional<Time> spanIn(const JsonReader& in, const char* key)
{
    if (!in.find(key))
        return std::nullopt;
    return in.span(key);
}

int pixels(const JsonReader& in, const char* key, int usual)
{
    const auto value = in.whole(key, static_cast<std::uint64_t>(ReportPart::most), static_cast<std::uint64_t>(usual));
    if (value < static_cast<std::uint64_t>(ReportPart::least))
        JsonReader::fail(in.placeOf(key), "expected " + std::to_string(ReportPart::least) + " to " + std::to_string(ReportPart::most));
    return static_cast<int>(value);
}

ReportPart partFrom(const JsonReader& in)
{
    ReportPart part;
    part.written = in.json();
    if (in.has("heading")) {
        part.kind = ReportPart::Kind::heading;
        part.words = in.text("heading");
    } else if (in.has("text")) {
        part.words = in.text("text");
    } else if (in.has("view")) {
        part.kind = ReportPart::Kind::view;
        part.view = in.needText("view");
        part.words = in.text("title");
        part.page = in.text("page");
        if (const auto setUp = in.find("set-up"))
            part.setUp = setUp->json();
        part.from = spanIn(in, "from");
        part.to = spanIn(in, "to");
        part.a = spanIn(in, "a");
        part.b = spanIn(in, "b");
        if (part.from && part.to && *part.from >= *part.to)
            JsonReader::fail(in.placeOf("to"), "expected a time behind \"from\"");
        part.width = pixels(in, "width", ReportPart::usualWidth);
        part.height = pixels(in, "height", ReportPart::usualHeight);
    } else {
        in.wrong("a part of a report is a \"heading\", a \"text\" or a \"view\"");
    }
    return part;
}

nlohmann::json toJson(const ReportPart& part)
{
    nlohmann::json out = part.written.is_object() ? part.written : nlohmann::json::object();
    for (const char* field : {"heading", "text", "view", "title", "page", "set-up", "from", "to", "a", "b", "width", "height"})
        out.erase(field);
    if (part.kind != ReportPart::Kind::view) {
        out[part.kind == ReportPart::Kind::heading ? "heading" : "text"] = part.words;
        return out;
    }
    out["view"] = part.view;
    for (const auto& [field, words] : {std::pair{"title", &part.words}, std::pair{"page", &part.page}})
        if (!words->empty())
            out[field] = *words;
    if (!part.setUp.is_null())
        out["set-up"] = part.setUp;
    for (const auto& [field, time] :
        {std::pair{"from", &part.from}, std::pair{"to", &part.to}, std::pair{"a", &part.a}, std::pair{"b", &part.b}})
        if (*time)
            out[field] = exactSpanText(**time);
    if (part.width != ReportPart::usualWidth)
        out["width"] = part.width;
    if (part.height != ReportPart::usualHeight)
        out["height"] = part.height;
    return out;
}

}  // namespace

std::vector<ReportSpec> reportsFrom(const JsonReader& rig)
{
    std::vector<ReportSpec> out;
    std::set<std::string> names;
    rig.each("reports", [&](const JsonReader& in) {
        ReportSpec report;
        report.written = in.json();
        report.name = in.needText("name");
        if (!names.insert(report.name).second)
            JsonReader::fail(in.placeOf("name"), "the report '" + report.name + "' stands here twice");
        if (names.size() > mostReports)
            in.wrong("a rig has 100 reports at the most");
        report.title = in.text("title");
        in.each("parts", [&](const JsonReader& part) {
            if (report.parts.size() >= mostParts)
                part.wrong("a report has 500 parts at the most");
            report.parts.push_back(partFrom(part));
        });
        out.push_back(std::move(report));
    });
    return out;
}

nlohmann::json toJson(const std::vector<ReportSpec>& reports)
{
    nlohmann::json out = nlohmann::json::array();
    for (const ReportSpec& report : reports) {
        nlohmann::json one = report.written.is_object() ? report.written : nlohmann::json::object();
        one["name"] = report.name;
        one.erase("title");
        if (!report.title.empty())
            one["title"] = report.title;
        one["parts"] = nlohmann::json::array();
        for (const ReportPart& part : report.parts)
            one["parts"].push_back(toJson(part));
        out.push_back(std::move(one));
    }
    return out;
}

}  // namespace wavetrope::rig
