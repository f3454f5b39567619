// SPDX-License-Identifier: GPL-3.0-or-later
// Any bytes as an electronic data sheet: objects, values in their types, process data.
#include <cstdint>

#include "protocol/mapping.h"
#include "protocol/names.h"
#include "protocol/process_data.h"
#include "protocol/question.h"

using namespace wavetrope;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* bytes, std::size_t size)
{
    (void)protocol::namesFromText({reinterpret_cast<const char*>(bytes), size}, "x.csv");
    (void)protocol::questionFromText({reinterpret_cast<const char*>(bytes), size});
    const auto dictionary = protocol::dictionaryFromText({reinterpret_cast<const char*>(bytes), size}, "x.eds");
    if (!dictionary)
        return 0;
    for (const auto& [key, entry] : dictionary->entries) {
        const auto initial = dictionary->initialOf(entry, 5);
        if (initial)
            (void)protocol::Dictionary::bytesFor(entry, protocol::valueText(entry.type, *initial), 5);
        (void)dictionary->placeOf(dictionary->nameOf(entry));
    }
    (void)protocol::processDataOf(*dictionary, 5, "Node5");
    // What is written is read again, whatever stood in it.
    const auto again = protocol::dictionaryFromText(protocol::sheetOf(*dictionary), "y.dcf");
    if (!dictionary->entries.empty() && (!again || again->entries.size() > dictionary->entries.size()))
        __builtin_trap();
    return 0;
}
