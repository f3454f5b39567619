// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/json_reader.h"

#include <cmath>

#include "base/time_text.h"

namespace wavetrope {

namespace {

constexpr std::size_t mostShown = 60;       // bytes of a word that is none of those expected

}  // namespace

void JsonReader::fail(const std::string& pointer, const std::string& what, const std::string& remedy)
{
    throw JsonFailure{Error{what, pointer.empty() ? "/" : pointer, 0, 0, remedy}};
}

std::string JsonReader::escaped(const std::string& name)
{
    std::string out;
    for (const char c : name)
        out += c == '~' ? std::string("~0") : c == '/' ? std::string("~1") : std::string(1, c);
    return out;
}

void JsonReader::needObject() const
{
    if (!json_.is_object())
        wrong("expected an object in { }");
}

std::optional<JsonReader> JsonReader::find(const char* key) const
{
    needObject();
    const auto found = json_.find(key);
    return found == json_.end() ? std::nullopt : std::optional(JsonReader(*found, placeOf(key)));
}

JsonReader JsonReader::at(const char* key) const
{
    const auto member = find(key);
    if (!member)
        fail(placeOf(key), "is missing");
    return *member;
}

std::string JsonReader::text() const
{
    if (!json_.is_string())
        wrong("expected a text in quotes");
    return json_.get<std::string>();
}

double JsonReader::number() const
{
    if (!json_.is_number())
        wrong("expected a number");
    return json_.get<double>();
}

std::uint64_t JsonReader::whole(std::uint64_t limit) const
{
    if (!json_.is_number_unsigned() || json_.get<std::uint64_t>() > limit)
        wrong("expected a whole number of 0 to " + std::to_string(limit));
    return json_.get<std::uint64_t>();
}

bool JsonReader::flag() const
{
    if (!json_.is_boolean())
        wrong("expected true or false");
    return json_.get<bool>();
}

Time JsonReader::span() const
{
    std::optional<Time> span;
    if (json_.is_string())
        span = spanFromText(json_.get<std::string>());
    else if (json_.is_number() && std::abs(json_.get<double>()) < 9e9)
        span = Time(static_cast<std::int64_t>(json_.get<double>() * 1e9));
    if (!span || span->count() < 0)
        wrong("expected a time such as \"20 ms\" or \"1.5 s\"");
    return *span;
}

unsigned JsonReader::wordOf(const char* const* words, std::size_t count) const
{
    const std::string word = text();
    std::string all;
    for (std::size_t i = 0; i < count; ++i) {
        if (word == words[i])
            return static_cast<unsigned>(i);
        all += (i == 0 ? "" : ", ") + std::string(words[i]);
    }
    wrong("expected one of " + all + "; found '" + word.substr(0, mostShown) + "'");
}

std::string JsonReader::text(const char* key, const std::string& otherwise) const
{
    const auto member = find(key);
    return member ? member->text() : otherwise;
}

std::string JsonReader::needText(const char* key) const
{
    std::string value = text(key);
    if (value.empty())
        fail(placeOf(key), "expected a text, found none");
    return value;
}

double JsonReader::number(const char* key, double otherwise) const
{
    const auto member = find(key);
    return member ? member->number() : otherwise;
}

std::uint64_t JsonReader::whole(const char* key, std::uint64_t limit, std::uint64_t otherwise) const
{
    const auto member = find(key);
    return member ? member->whole(limit) : otherwise;
}

bool JsonReader::flag(const char* key) const
{
    const auto member = find(key);
    return member && member->flag();
}

Time JsonReader::span(const char* key) const
{
    const auto member = find(key);
    return member ? member->span() : Time{0};
}

std::vector<std::string> JsonReader::texts(const char* key) const
{
    std::vector<std::string> out;
    const auto member = find(key);
    if (!member)
        return out;
    if (member->json_.is_string())
        return {member->text()};
    member->each([&](const JsonReader& entry) { out.push_back(entry.text()); });
    return out;
}

}  // namespace wavetrope
