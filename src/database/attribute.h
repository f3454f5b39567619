// SPDX-License-Identifier: GPL-3.0-or-later
// Attributes: properties that a database defines for its objects.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace wavetrope::database {

/// What an attribute belongs to. The last three are relations of a node with what it sends or receives.
enum class AttributeOwner : std::uint8_t { network, node, message, signal, variable, nodeMessage, nodeSignal, nodeVariable };
enum class AttributeType : std::uint8_t { integer, hexadecimal, real, text, enumeration };

/// A value: a number, or a text. Of an enumeration either the choice's number or its text, as the file has it.
struct AttributeValue {
    double number = 0;
    std::string text;
    bool isText = false;

    [[nodiscard]] static AttributeValue of(double value) { return {value, {}, false}; }
    [[nodiscard]] static AttributeValue of(std::string value) { return {0, std::move(value), true}; }
    friend bool operator==(const AttributeValue&, const AttributeValue&) = default;
};

/// The definition of an attribute, with its default.
struct AttributeDefinition {
    std::uint32_t uid = 0;              ///< Identity of the object while the database is open.
    AttributeOwner owner = AttributeOwner::network;
    std::string name;
    AttributeType type = AttributeType::integer;
    std::optional<double> minimum;      ///< Of numbers; absent where the file gives none.
    std::optional<double> maximum;
    std::vector<std::string> choices;   ///< Of an enumeration.
    std::optional<AttributeValue> standard;     ///< The default.

    /// Number of a choice, or -1.
    [[nodiscard]] int choiceOf(const AttributeValue& value) const;
    /// A value in words: the choice's text, the number or the text.
    [[nodiscard]] std::string wordsOf(const AttributeValue& value) const;
};

/// Values of one object, in the order of the file.
class AttributeValues {
public:
    [[nodiscard]] const AttributeValue* find(std::string_view name) const;
    void set(const std::string& name, AttributeValue value);
    bool remove(std::string_view name);
    [[nodiscard]] bool empty() const { return values_.empty(); }
    [[nodiscard]] auto begin() const { return values_.begin(); }
    [[nodiscard]] auto end() const { return values_.end(); }
    [[nodiscard]] std::size_t size() const { return values_.size(); }
    friend bool operator==(const AttributeValues&, const AttributeValues&) = default;

private:
    std::vector<std::pair<std::string, AttributeValue>> values_;
};

}  // namespace wavetrope::database
