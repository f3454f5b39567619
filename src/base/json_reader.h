// SPDX-License-Identifier: GPL-3.0-or-later
// Reads JSON documents with errors that name the place as a JSON pointer (RFC 6901).
#pragma once

#include <cstdint>
#include <nlohmann/json.hpp>
#include <optional>
#include <string>
#include <vector>

#include "base/error.h"
#include "base/time.h"

namespace wavetrope {

/// Thrown by JsonReader and turned into an Error where reading began; it never leaves a reading function.
struct JsonFailure {
    Error error;        ///< `where` is the pointer.
};

/// A value of a document and its place. Whatever is not of the form that is asked for throws JsonFailure.
class JsonReader {
public:
    /// The document outlives its readers.
    explicit JsonReader(const nlohmann::json& json, std::string pointer = {}) : json_(json), pointer_(std::move(pointer)) {}

    [[nodiscard]] const nlohmann::json& json() const { return json_; }
    [[nodiscard]] const std::string& pointer() const { return pointer_; }
    [[noreturn]] void wrong(const std::string& what, const std::string& remedy = {}) const { fail(pointer_, what, remedy); }
    [[noreturn]] static void fail(const std::string& pointer, const std::string& what, const std::string& remedy = {});
    /// A name as a part of a pointer.
    [[nodiscard]] static std::string escaped(const std::string& name);
    /// The pointer of a member, whether it is there or not.
    [[nodiscard]] std::string placeOf(const std::string& key) const { return pointer_ + "/" + escaped(key); }

    /// @name The value itself
    ///@{
    [[nodiscard]] std::string text() const;
    [[nodiscard]] double number() const;
    /// A whole number of 0 to `limit`.
    [[nodiscard]] std::uint64_t whole(std::uint64_t limit) const;
    [[nodiscard]] bool flag() const;
    /// A time as a text ("20 ms"), or a number of seconds; never negative.
    [[nodiscard]] Time span() const;
    /// Which of these words it is.
    template <std::size_t count>
    [[nodiscard]] unsigned word(const char* const (&words)[count]) const
    {
        return wordOf(words, count);
    }
    ///@}

    /// @name Members of an object
    ///@{
    [[nodiscard]] bool has(const char* key) const { return find(key).has_value(); }
    [[nodiscard]] std::optional<JsonReader> find(const char* key) const;
    /// One that must be there.
    [[nodiscard]] JsonReader at(const char* key) const;
    [[nodiscard]] std::string text(const char* key, const std::string& otherwise = {}) const;
    /// One that must be there and not empty.
    [[nodiscard]] std::string needText(const char* key) const;
    [[nodiscard]] double number(const char* key, double otherwise) const;
    [[nodiscard]] std::uint64_t whole(const char* key, std::uint64_t limit, std::uint64_t otherwise) const;
    [[nodiscard]] bool flag(const char* key) const;
    [[nodiscard]] Time span(const char* key) const;
    template <std::size_t count>
    [[nodiscard]] unsigned word(const char* key, const char* const (&words)[count], unsigned otherwise = 0) const
    {
        const auto member = find(key);
        return member ? member->word(words) : otherwise;
    }
    /// A text, or a list of texts.
    [[nodiscard]] std::vector<std::string> texts(const char* key) const;
    /// Calls visit(reader) for each element of a list.
    template <class Visit>
    void each(const char* key, Visit visit) const
    {
        if (const auto list = find(key))
            list->each(visit);
    }
    /// Calls visit(name, reader) for each member of an object.
    template <class Visit>
    void eachMember(const char* key, Visit visit) const
    {
        const auto object = find(key);
        if (!object)
            return;
        object->needObject();
        for (const auto& [name, member] : object->json_.items())
            visit(name, JsonReader(member, object->placeOf(name)));
    }
    ///@}

    /// Calls visit(reader) for each element; a list.
    template <class Visit>
    void each(Visit visit) const
    {
        if (!json_.is_array())
            wrong("expected a list in [ ]");
        std::size_t index = 0;
        for (const auto& element : json_)
            visit(JsonReader(element, pointer_ + "/" + std::to_string(index++)));
    }
    void needObject() const;

private:
    [[nodiscard]] unsigned wordOf(const char* const* words, std::size_t count) const;

    const nlohmann::json& json_;
    std::string pointer_;
};

/// What `read` makes of a document; a failure of its readers becomes an error whose `where` begins with that of the document.
template <class Read>
[[nodiscard]] auto readingJson(const std::string& where, Read read) -> Expected<decltype(read())>
{
    try {
        return read();
    } catch (const JsonFailure& failure) {
        Error error = failure.error;
        error.where = where.empty() ? error.where : where + ", " + error.where;
        return tl::unexpected(std::move(error));
    }
}

}  // namespace wavetrope
