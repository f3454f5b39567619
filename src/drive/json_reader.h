// Reads fields of JSON documents with errors that name the JSON pointer.
#pragma once

#include <cmath>
#include <nlohmann/json.hpp>
#include <optional>
#include <string>

#include "can/error.h"
#include "can/time_text.h"

namespace wavetrope::drive {

/// Thrown by JsonReader and turned into an Error where reading began; it never leaves a reading function.
struct JsonFailure {
    Error error;
};

/// One object of a document and its place.
class JsonReader {
public:
    JsonReader(const nlohmann::json& json, std::string pointer) : json_(json), pointer_(std::move(pointer))
    {
        if (!json_.is_object())
            fail(pointer_, "expected an object");
    }
    [[noreturn]] static void fail(const std::string& pointer, const std::string& what, const std::string& remedy = {})
    {
        throw JsonFailure{Error{what, pointer.empty() ? "/" : pointer, 0, 0, remedy}};
    }
    [[nodiscard]] std::string at(const std::string& key) const { return pointer_ + "/" + key; }
    /// A name as a part of a JSON pointer (RFC 6901).
    [[nodiscard]] static std::string escaped(const std::string& name)
    {
        std::string out;
        for (const char c : name)
            out += c == '~' ? std::string("~0") : c == '/' ? std::string("~1") : std::string(1, c);
        return out;
    }
    [[nodiscard]] const nlohmann::json* find(const char* key) const
    {
        const auto found = json_.find(key);
        return found == json_.end() ? nullptr : &*found;
    }
    [[nodiscard]] std::string text(const char* key, const std::string& otherwise = {}) const
    {
        const auto* value = find(key);
        if (value == nullptr)
            return otherwise;
        if (!value->is_string())
            fail(at(key), "expected a text in quotes");
        return value->get<std::string>();
    }
    [[nodiscard]] std::string needText(const char* key) const
    {
        std::string value = text(key);
        if (value.empty())
            fail(at(key), "expected a text, found none");
        return value;
    }
    [[nodiscard]] double number(const char* key, double otherwise) const
    {
        const auto* value = find(key);
        if (value == nullptr)
            return otherwise;
        if (!value->is_number())
            fail(at(key), "expected a number");
        return value->get<double>();
    }
    [[nodiscard]] bool flag(const char* key) const
    {
        const auto* value = find(key);
        if (value == nullptr)
            return false;
        if (!value->is_boolean())
            fail(at(key), "expected true or false");
        return value->get<bool>();
    }
    [[nodiscard]] can::Time span(const char* key) const
    {
        const auto* value = find(key);
        return value == nullptr ? can::Time{0} : spanOf(*value, at(key));
    }
    [[nodiscard]] static can::Time spanOf(const nlohmann::json& value, const std::string& pointer)
    {
        std::optional<can::Time> span;
        if (value.is_string())
            span = can::spanFromText(value.get<std::string>());
        else if (value.is_number() && std::abs(value.get<double>()) < 9e9)
            span = can::Time(static_cast<std::int64_t>(value.get<double>() * 1e9));
        if (!span || span->count() < 0)
            fail(pointer, "expected a time such as \"20 ms\" or \"1.5 s\"");
        return *span;
    }
    /// Calls visit(element, pointer) for each element of an array.
    template <class Visit>
    void each(const char* key, Visit visit) const
    {
        const auto* value = find(key);
        if (value == nullptr)
            return;
        if (!value->is_array())
            fail(at(key), "expected a list in [ ]");
        std::size_t index = 0;
        for (const auto& element : *value)
            visit(element, at(key) + "/" + std::to_string(index++));
    }
    /// Calls visit(name, value, pointer) for each member of an object.
    template <class Visit>
    void eachMember(const char* key, Visit visit) const
    {
        const auto* value = find(key);
        if (value == nullptr)
            return;
        if (!value->is_object())
            fail(at(key), "expected an object in { }");
        for (const auto& [name, member] : value->items())
            visit(name, member, at(key) + "/" + escaped(name));
    }
    /// A text, or a list of texts.
    [[nodiscard]] std::vector<std::string> texts(const char* key) const
    {
        std::vector<std::string> out;
        const auto* value = find(key);
        if (value == nullptr)
            return out;
        if (value->is_string())
            return {value->get<std::string>()};
        each(key, [&](const nlohmann::json& element, const std::string& pointer) {
            if (!element.is_string())
                fail(pointer, "expected a text in quotes");
            out.push_back(element.get<std::string>());
        });
        return out;
    }

private:
    const nlohmann::json& json_;
    std::string pointer_;
};

}  // namespace wavetrope::drive
