// SPDX-License-Identifier: GPL-3.0-or-later
#include "board/board_spec.h"

#include <iterator>
#include <set>

#include "base/json_reader.h"
#include "base/time_text.h"

namespace wavetrope::board {

namespace {

constexpr const char* shownWords[shownCount] = {"number", "dial", "bar", "lamp", "state", "history", "slider", "turn", "switch", "button",
    "choice", "entry", "key", "title", "text", "picture"};
struct BindingWord {
    const char* field;
    Binding::Kind kind;
};
constexpr BindingWord bindingWords[] = {{"signal", Binding::Kind::signal}, {"derived", Binding::Kind::derived},
    {"condition", Binding::Kind::condition}, {"variable", Binding::Kind::variable}, {"row", Binding::Kind::row},
    {"manipulation", Binding::Kind::manipulation}};
constexpr std::size_t mostItems = gridSize * gridSize;

}  // namespace

const char* wordOf(Shown shown) { return shownWords[static_cast<std::size_t>(shown)]; }

Item itemFromJson(const JsonReader& in)
{
    Item item;
    item.shown = static_cast<Shown>(in.at("show").word(shownWords));
    for (const BindingWord& word : bindingWords) {
        if (!in.has(word.field))
            continue;
        if (item.of.kind != Binding::Kind::none)
            in.wrong("expected one of signal, derived, condition, variable, row and manipulation");
        item.of.kind = word.kind;
        item.of.name = in.needText(word.field);
    }
    item.of.value = in.text("value");
    if (!item.of.value.empty() && item.of.kind != Binding::Kind::row)
        JsonReader::fail(in.placeOf("value"), "expected a row beside it");
    if (isControl(item.shown) && item.of.kind != Binding::Kind::none && item.of.kind != Binding::Kind::row
        && item.of.kind != Binding::Kind::variable && item.of.kind != Binding::Kind::manipulation)
        in.wrong("a control drives a row of the outbox, a variable of a node or a manipulation",
            "Such as \"row\": \"Blade by hand/BladeCommand\", with \"value\"");
    if (item.of.kind == Binding::Kind::manipulation && item.shown != Shown::toggle && item.shown != Shown::button
        && item.shown != Shown::key && item.shown != Shown::lamp)
        in.wrong("a manipulation is a toggle, a button, a key or a lamp");
    if (isGauge(item.shown) && item.of.kind == Binding::Kind::row && item.of.value.empty())
        in.wrong("expected the signal of the row as \"value\"");
    item.also = in.text("also");
    const JsonReader at = in.at("at");
    if (!at.json().is_array() || at.json().size() != 4)
        at.wrong("expected column, row, columns wide and rows high", "Such as [0, 0, 8, 4]");
    int* const parts[] = {&item.at.column, &item.at.row, &item.at.wide, &item.at.high};
    for (std::size_t i = 0; i < 4; ++i)
        *parts[i] = static_cast<int>(JsonReader(at.json()[i], at.pointer() + "/" + std::to_string(i)).whole(gridSize));
    if (!item.at.inside())
        at.wrong("lies outside of the 24 columns and 24 rows");
    item.label = in.text("label");
    const auto number = [&](const char* field, std::optional<double>& into) {
        if (in.has(field))
            into = in.number(field, 0);
    };
    number("from", item.from);
    number("to", item.to);
    number("below", item.below);
    number("above", item.above);
    if (item.from && item.to && *item.from >= *item.to)
        JsonReader::fail(in.placeOf("to"), "expected more than from");
    if (in.has("decimals"))
        item.decimals = static_cast<int>(in.whole("decimals", 12, 0));
    item.old = in.span("old");
    item.span = in.span("span");
    item.sets = in.number("sets", 1);
    item.rests = in.number("rests", 0);
    item.text = in.text("text");
    item.press = in.text("key");
    return item;
}

std::vector<Board> boardsFromJson(const JsonReader& in)
{
    std::vector<Board> boards;
    std::set<std::string> names;
    in.each([&](const JsonReader& one) {
        Board made;
        made.name = one.needText("name");
        if (!names.insert(made.name).second)
            JsonReader::fail(one.placeOf("name"), "two boards are called '" + made.name + "'");
        one.each("items", [&](const JsonReader& item) {
            made.items.push_back(itemFromJson(item));
            for (std::size_t i = 0; i + 1 < made.items.size(); ++i)
                if (made.items[i].at.overlaps(made.items.back().at))
                    JsonReader::fail(item.placeOf("at"), "lies over item " + std::to_string(i));
            if (made.items.size() > mostItems)
                item.wrong("there are more items than cells");
        });
        boards.push_back(std::move(made));
    });
    return boards;
}

nlohmann::json toJson(const Item& item)
{
    nlohmann::json at = nlohmann::json::array();
    for (const int part : {item.at.column, item.at.row, item.at.wide, item.at.high})
        at.push_back(static_cast<unsigned>(part));
    nlohmann::json out = {{"show", wordOf(item.shown)}, {"at", std::move(at)}};
    for (const BindingWord& word : bindingWords)
        if (item.of.kind == word.kind)
            out[word.field] = item.of.name;
    const auto text = [&](const char* field, const std::string& value) {
        if (!value.empty())
            out[field] = value;
    };
    text("value", item.of.value);
    text("also", item.also);
    text("label", item.label);
    text("text", item.text);
    text("key", item.press);
    const auto number = [&](const char* field, const std::optional<double>& value) {
        if (value)
            out[field] = *value;
    };
    number("from", item.from);
    number("to", item.to);
    number("below", item.below);
    number("above", item.above);
    if (item.decimals)
        out["decimals"] = static_cast<unsigned>(*item.decimals);
    if (item.old.count() > 0)
        out["old"] = exactSpanText(item.old);
    if (item.span.count() > 0)
        out["span"] = exactSpanText(item.span);
    if (item.sets != 1)
        out["sets"] = item.sets;
    if (item.rests != 0)
        out["rests"] = item.rests;
    return out;
}

nlohmann::json toJson(const std::vector<Board>& boards)
{
    nlohmann::json out = nlohmann::json::array();
    for (const Board& one : boards) {
        nlohmann::json items = nlohmann::json::array();
        for (const Item& item : one.items)
            items.push_back(toJson(item));
        out.push_back({{"name", one.name}, {"items", std::move(items)}});
    }
    return out;
}

}  // namespace wavetrope::board
