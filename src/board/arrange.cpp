// SPDX-License-Identifier: GPL-3.0-or-later
#include "board/arrange.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/json_reader.h"

namespace wavetrope::board {

namespace {

constexpr int leastWide = 3, leastHigh = 3, usualWide = 6, usualHigh = 4;

// `*` stands for any letters, `?` for one.
bool matches(std::string_view pattern, std::string_view text)
{
    std::size_t p = 0, t = 0, star = std::string_view::npos, from = 0;
    while (t < text.size()) {
        if (p < pattern.size() && (pattern[p] == '?' || pattern[p] == text[t]) && pattern[p] != '*') {
            ++p;
            ++t;
        } else if (p < pattern.size() && pattern[p] == '*') {
            star = p++;
            from = t;
        } else if (star != std::string_view::npos) {
            p = star + 1;
            t = ++from;
        } else {
            return false;
        }
    }
    while (p < pattern.size() && pattern[p] == '*')
        ++p;
    return p == pattern.size();
}

}  // namespace

std::optional<Cells> freePlace(const std::vector<Item>& items, Cells wanted, std::optional<std::size_t> but)
{
    wanted.wide = std::clamp(wanted.wide, 1, gridSize);
    wanted.high = std::clamp(wanted.high, 1, gridSize);
    std::optional<Cells> best;
    int nearest = std::numeric_limits<int>::max();
    for (int row = 0; row + wanted.high <= gridSize; ++row)
        for (int column = 0; column + wanted.wide <= gridSize; ++column) {
            const int distance = (row - wanted.row) * (row - wanted.row) + (column - wanted.column) * (column - wanted.column);
            if (distance >= nearest)
                continue;
            const Cells here{column, row, wanted.wide, wanted.high};
            bool free = true;
            for (std::size_t i = 0; i < items.size() && free; ++i)
                free = i == but || !items[i].at.overlaps(here);
            if (free) {
                best = here;
                nearest = distance;
            }
        }
    return best;
}

Shown fitting(const database::Signal& signal)
{
    if (!signal.texts.empty())
        return Shown::state;
    if (signal.length == 1)
        return Shown::lamp;
    if (signal.minimum && signal.maximum && *signal.maximum > *signal.minimum)
        return Shown::bar;
    return Shown::number;
}

Cells usualSize(Shown shown)
{
    switch (shown) {
    case Shown::dial:
    case Shown::turn: return {0, 0, 6, 7};
    case Shown::history: return {0, 0, 8, 5};
    case Shown::lamp:
    case Shown::text: return {0, 0, 6, 2};
    case Shown::title: return {0, 0, 8, 2};
    case Shown::key: return {0, 0, 4, 3};
    case Shown::picture: return {0, 0, 6, 6};
    case Shown::slider: return {0, 0, 8, 4};
    default: return {0, 0, usualWide, usualHigh};
    }
}

std::string pathOf(const database::Catalog& catalog, const database::CatalogMessage& message, const database::Signal& signal)
{
    return catalog.busName(message.bus) + ":" + message.message->name + "." + signal.name;
}

Made boardOf(const database::Catalog& catalog, const std::string& name, const std::vector<database::SignalRef>& signals)
{
    Made out;
    out.made.name = name;
    // The widest cells in which all of them have room.
    int wide = leastWide, high = leastHigh;
    for (const int across : {2, 3, 4, 6, 8}) {
        const int rows = (static_cast<int>(signals.size()) + across - 1) / across;
        const int tall = rows == 0 ? gridSize : gridSize / rows;
        if (tall >= (across < 6 ? usualHigh : leastHigh)) {
            wide = gridSize / across;
            high = std::min(tall, wide * 3 / 4 + 1);
            break;
        }
    }
    const int across = gridSize / wide, down = gridSize / high;
    for (const database::SignalRef& ref : signals) {
        const auto k = static_cast<int>(out.made.items.size());
        if (k >= across * down) {
            ++out.leftOut;
            continue;
        }
        Item item;
        item.shown = fitting(ref.signal());
        item.of = {Binding::Kind::signal, pathOf(catalog, *ref.message, ref.signal()), {}};
        item.at = {k % across * wide, k / across * high, wide, high};
        out.made.items.push_back(std::move(item));
    }
    return out;
}

Made boardForNode(const database::Catalog& catalog, const std::string& node)
{
    std::vector<database::SignalRef> signals;
    for (const database::CatalogMessage& message : catalog.messages())
        if (message.message->sender == node)
            for (std::uint32_t i = 0; i < message.message->signals.size(); ++i)
                signals.push_back({&message, i});
    return boardOf(catalog, node, signals);
}

Expected<Pattern> patternFromText(std::string_view text, const std::string& where)
{
    const auto document = nlohmann::json::parse(text, nullptr, false);
    if (document.is_discarded() || !document.is_object() || !document.contains("pattern"))
        return fail("this is no pattern of a board", where, "A pattern is a JSON text with \"pattern\", its name, and \"items\"");
    return readingJson(where, [&] {
        const JsonReader in(document);
        Pattern out;
        out.name = in.needText("pattern");
        in.each("items", [&](const JsonReader& item) {
            out.items.push_back(itemFromJson(item));
            for (std::size_t i = 0; i + 1 < out.items.size(); ++i)
                if (out.items[i].at.overlaps(out.items.back().at))
                    JsonReader::fail(item.placeOf("at"), "lies over item " + std::to_string(i));
        });
        return out;
    });
}

Made boardByPattern(const database::Catalog& catalog, const Pattern& pattern, const std::string& node)
{
    Made out;
    out.made.name = node;
    const auto resolve = [&](std::string& name) {
        const std::size_t dot = name.find('.');
        const std::string message = dot == std::string::npos ? "*" : name.substr(0, dot);
        const std::string signal = dot == std::string::npos ? name : name.substr(dot + 1);
        for (const database::CatalogMessage& one : catalog.messages()) {
            if (one.message->sender != node || !matches(message, one.message->name))
                continue;
            for (const database::Signal& of : one.message->signals)
                if (matches(signal, of.name)) {
                    name = pathOf(catalog, one, of);
                    return true;
                }
        }
        return false;
    };
    for (Item item : pattern.items) {
        if (item.of.kind == Binding::Kind::signal && !resolve(item.of.name)) {
            out.missing.push_back(item.of.name);
            continue;
        }
        if (!item.also.empty() && !resolve(item.also))
            item.also.clear();
        out.made.items.push_back(std::move(item));
    }
    return out;
}

}  // namespace wavetrope::board
