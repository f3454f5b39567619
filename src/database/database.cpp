#include "database/database.h"

#include <algorithm>

namespace wavetrope::database {

namespace {

template <class Range, class Matches>
auto* findIf(Range& range, Matches matches)
{
    const auto found = std::find_if(range.begin(), range.end(), matches);
    return found == range.end() ? nullptr : &*found;
}

}  // namespace

std::string_view Signal::textOf(double raw) const
{
    for (const ValueText& entry : texts)
        if (static_cast<double>(entry.value) == raw)
            return entry.text;
    return {};
}

const Signal* Message::find(std::string_view signal) const
{
    return findIf(signals, [&](const Signal& s) { return s.name == signal; });
}

const Message* Database::find(can::Identifier id) const
{
    return findIf(messages, [&](const Message& m) { return m.id == id; });
}

const Message* Database::find(std::string_view name) const
{
    return findIf(messages, [&](const Message& m) { return m.name == name; });
}

}  // namespace wavetrope::database
