// SPDX-License-Identifier: GPL-3.0-or-later
// Rows that are pasted, groups of rows and patterns of boards that come as files: what is taken is what a rig takes again.
#include <cstddef>
#include <cstdint>
#include <cstdlib>
#include <string>

#include "base/json_reader.h"
#include "board/arrange.h"
#include "database/dbc_reader.h"
#include "rig/outbox_edits.h"
#include "rig/rig.h"

using namespace wavetrope;

namespace {

const database::Catalog& catalog()
{
    static const auto made = [] {
        auto out = std::make_shared<database::Catalog>();
        out->attach(out->addBus("Main"),
            std::make_shared<const database::Database>(
                database::readDbc("BU_: Blade\nBO_ 513 Blade: 8 Blade\n SG_ Page M : 0|4@1+ (1,0) [0|0] \"\" Blade\n"
                                  " SG_ Depth m0 : 8|12@1- (0.01,-3) [-5|5] \"mm\" Blade\n SG_ Wide : 40|16@1+ (1,0) [0|0] \"bar\" Blade\n"
                                  "VAL_ 513 Page 0 \"depth\" 1 \"share\" ;\n",
                    "blade.dbc")
                    .database));
        out->addBus("Other");
        return out;
    }();
    return *made;
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size)
{
    const std::string_view text(reinterpret_cast<const char*>(data), size);
    if (const auto rows = rig::rowsFromText(catalog(), text, 0)) {
        nlohmann::json outbox;
        rig::insertRows(outbox, {0, 0}, *rows);
        rig::Rig rig;
        if (!rig.setOutbox(outbox))
            std::abort();
        for (const nlohmann::json& row : *rows)
            if (const auto again = rig::rowsFromText(catalog(), rig::textOfRow(row), 0); !again || again->size() != 1)
                std::abort();
    }
    if (const auto group = rig::groupFromFile(text)) {
        rig::Rig rig;
        if (!rig.setOutbox(nlohmann::json::array({*group})))
            std::abort();
    }
    if (const auto pattern = board::patternFromText(text, "fuzz.json")) {
        const board::Made made = board::boardByPattern(catalog(), *pattern, "Blade");
        rig::Rig rig;
        rig.setBoards({made.made});
        if (board::boardsFromJson(JsonReader(rig.document["boards"])) != rig.boards)
            std::abort();
    }
    return 0;
}
