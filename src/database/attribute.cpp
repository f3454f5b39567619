// SPDX-License-Identifier: GPL-3.0-or-later
#include "database/attribute.h"

#include <algorithm>
#include <cmath>

#include "database/codec.h"

namespace wavetrope::database {

int AttributeDefinition::choiceOf(const AttributeValue& value) const
{
    if (!value.isText) {
        const bool valid = value.number >= 0 && value.number < static_cast<double>(choices.size())
                           && value.number == std::floor(value.number);
        return valid ? static_cast<int>(value.number) : -1;
    }
    const auto found = std::find(choices.begin(), choices.end(), value.text);
    return found == choices.end() ? -1 : static_cast<int>(found - choices.begin());
}

std::string AttributeDefinition::wordsOf(const AttributeValue& value) const
{
    if (type == AttributeType::enumeration)
        if (const int choice = choiceOf(value); choice >= 0)
            return choices[static_cast<std::size_t>(choice)];
    return value.isText ? value.text : numberText(value.number);
}

const AttributeValue* AttributeValues::find(std::string_view name) const
{
    for (const auto& [key, value] : values_)
        if (key == name)
            return &value;
    return nullptr;
}

void AttributeValues::set(const std::string& name, AttributeValue value)
{
    for (auto& [key, old] : values_)
        if (key == name) {
            old = std::move(value);
            return;
        }
    values_.emplace_back(name, std::move(value));
}

bool AttributeValues::remove(std::string_view name)
{
    return std::erase_if(values_, [&](const auto& entry) { return entry.first == name; }) > 0;
}

}  // namespace wavetrope::database
