// SPDX-License-Identifier: GPL-3.0-or-later
#include "convert/chosen_signals.h"

#include "filter/filter.h"

namespace wavetrope::convert {

std::vector<ChosenMessage> chooseSignals(
    const std::vector<trace::TraceKey>& keys, const database::Catalog& catalog, const std::string& pattern)
{
    std::vector<ChosenMessage> all(keys.size());
    for (std::size_t i = 0; i < all.size(); ++i) {
        const trace::TraceKey& key = keys[i];
        const auto* entry = key.error ? nullptr : catalog.find(key.bus, key.id);
        if (entry == nullptr)
            continue;
        all[i].entry = entry;
        for (const database::Signal& signal : entry->message->signals) {
            const bool chosen = pattern.empty() || filter::fitsPattern(signal.name, pattern)
                                || filter::fitsPattern(entry->message->name + "." + signal.name, pattern);
            all[i].chosen.push_back(chosen);
            all[i].any = all[i].any || chosen;
        }
    }
    return all;
}

}  // namespace wavetrope::convert
