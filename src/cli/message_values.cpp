// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/message_values.h"

#include <algorithm>

#include "base/csv_text.h"
#include "base/number_text.h"
#include "convert/derived_rows.h"
#include "filter/signal_pattern.h"
#include "protocol/process_data.h"

namespace wavetrope::cli {

Expected<void> MessageValues::each(const std::function<Time(Time)>& origin, const std::function<bool(std::string_view)>& write)
{
    bool begun = false;
    std::optional<convert::ValueRows> values;
    const database::Catalog* of = nullptr;
    std::pair<Time, Time> stretch;
    Time zero{};
    std::string text;
    std::vector<database::Decoded> decoded;
    const auto head = [&] { return std::exchange(begun, true) || write(convert::ValueRows::head); };
    rows_.heard = [this](const protocol::MessageRow& row, const auto& catalog) { follow(row, catalog); };
    const auto done = rows_.each([&](const protocol::MessageRow& row, const auto& buses, const auto& catalog) {
        if (of != catalog.get()) {
            zero = origin(rows_.first());
            stretch = within(rows_.first());
            values.emplace(catalog, glob_, zero);
            any_ = values->any();
            of = catalog.get();
        }
        if (!head())
            return false;
        if (row.time < stretch.first || row.time > stretch.second)
            return true;
        ++messages_;
        text.clear();
        // The bytes of an object are not those of the frames that carry it.
        if (row.head && (row.head->kind == protocol::Kind::serviceRead || row.head->kind == protocol::Kind::serviceWrite))
            object(row, buses[row.bus].name, zero, text);
        else
            values->append(measure::viewOf(row), row.data, text, decoded, counts_);
        if (samples_ != nullptr)
            for (const database::DerivedStream::Sample& sample : *samples_)
                if (std::find(wanted_.begin(), wanted_.end(), sample.derived) != wanted_.end())
                    values->append(row.time, sample.derived, sample.value, text, counts_);
        return text.empty() || write(text);
    });
    if (done && !head())
        return {};
    return done;
}

// Derived signals go by every message, whichever of them pass.
void MessageValues::follow(const protocol::MessageRow& row, const std::shared_ptr<const database::Catalog>& catalog)
{
    if (derivedOf_ != catalog.get()) {
        derivedOf_ = catalog.get();
        wanted_ = convert::chooseDerived(*catalog, glob_);
        auto next = wanted_.empty() ? nullptr : std::make_unique<database::DerivedStream>(catalog, wanted_);
        if (next != nullptr && derived_ != nullptr)
            next->takeOver(*derived_);
        derived_ = std::move(next);
    }
    const bool object = row.head && (row.head->kind == protocol::Kind::serviceRead || row.head->kind == protocol::Kind::serviceWrite);
    samples_ = derived_ == nullptr || object ? nullptr : &derived_->take(measure::viewOf(row));
}

void MessageValues::object(const protocol::MessageRow& row, const std::string& bus, Time origin, std::string& out)
{
    const auto node = static_cast<std::uint8_t>(row.head->destination.value);
    const protocol::Dictionary* dictionary = rows_.databases().dictionaryOf(bus, node);
    const protocol::ObjectEntry* entry = dictionary == nullptr ? nullptr
                                                               : dictionary->find({static_cast<std::uint16_t>(row.what >> 8),
                                                                     static_cast<std::uint8_t>(row.what)});
    if (entry == nullptr)
        return;
    ++counts_.frames;
    const std::string message = "Node" + std::to_string(node), signal = protocol::signalNameOf(*dictionary, *entry);
    if (!glob_.empty() && !filter::fitsPattern(signal, glob_) && !filter::fitsPattern(message + '.' + signal, glob_))
        return;
    const std::vector<std::uint8_t> bytes(row.data.begin(), row.data.end());
    const std::string value = protocol::valueText(entry->type, bytes);
    const bool number = protocol::isWhole(entry->type) || protocol::isReal(entry->type);
    appendSeconds(out, row.time - origin);
    for (const std::string& field : {bus, can::toText(row.id), message, signal, number ? value : std::string(),
             number ? value : std::string(), std::string(), number ? std::string() : value}) {
        out += ',';
        appendCsvField(out, field);
    }
    out += '\n';
    ++counts_.values;
    any_ = true;
}

std::vector<std::string> MessageValues::shortcomings() const
{
    return convert::shortcomings(counts_, rows_.catalog && rows_.catalog->anyDatabase(), any_, glob_, messages_);
}

}  // namespace wavetrope::cli
