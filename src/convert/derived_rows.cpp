// SPDX-License-Identifier: GPL-3.0-or-later
#include "convert/derived_rows.h"

#include <algorithm>

#include "database/derived_stream.h"
#include "filter/filter.h"
#include "measure/message_index.h"

namespace wavetrope::convert {

std::vector<std::uint32_t> chooseDerived(const database::Catalog& catalog, const std::string& pattern)
{
    std::vector<std::uint32_t> out;
    for (std::uint32_t d = 0; d < catalog.derived().size(); ++d)
        if (const database::DerivedSignal& derived = catalog.derived()[d];
            !derived.problem && (pattern.empty() || filter::fitsPattern(derived.spec.name, pattern)))
            out.push_back(d);
    return out;
}

DerivedRows::DerivedRows(const trace::Snapshot& snapshot, const database::Catalog& catalog, const std::string& pattern,
    const std::vector<std::vector<protocol::Spoken>>& spoken)
    : catalog_(&catalog), chosen_(chooseDerived(catalog, pattern))
{
    if (chosen_.empty())
        return;
    std::vector<std::uint32_t> placeOf(catalog.derived().size(), ~std::uint32_t{0});
    for (std::uint32_t i = 0; i < chosen_.size(); ++i)
        placeOf[chosen_[i]] = i;
    database::DerivedStream stream(std::shared_ptr<const database::Catalog>(std::shared_ptr<void>(), &catalog), chosen_);
    const auto take = [&](trace::Row row, const can::FrameView& frame) {
        for (const database::DerivedStream::Sample& sample : stream.take(frame))
            if (placeOf[sample.derived] != ~std::uint32_t{0})
                values_.push_back({row, placeOf[sample.derived], sample.value});
    };
    protocol::MessageStream messages(
        [&](const protocol::MessageRow& row) {
            // The bytes of an object are not those of frames.
            if (!row.head || (row.head->kind != protocol::Kind::serviceRead && row.head->kind != protocol::Kind::serviceWrite))
                take(row.number, measure::viewOf(row));
        },
        [](const protocol::Transfer&) {});
    for (std::size_t bus = 0; bus < spoken.size(); ++bus)
        messages.speak(static_cast<std::uint8_t>(bus), spoken[bus]);
    for (trace::Row row = 0; row < snapshot.rows(); ++row)
        if (snapshot.trace().isGone(row))
            messages.skip(1);
        else if (spoken.empty())
            take(row, snapshot.frame(row));
        else
            messages.onFrame(snapshot.frame(row));
    messages.finish();
}

std::span<const DerivedRows::Value> DerivedRows::of(trace::Row row) const
{
    const auto first = std::lower_bound(
        values_.begin(), values_.end(), row, [](const Value& value, trace::Row at) { return value.row < at; });
    auto last = first;
    while (last != values_.end() && last->row == row)
        ++last;
    return {first, last};
}

}  // namespace wavetrope::convert
