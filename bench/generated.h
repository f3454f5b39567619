// SPDX-License-Identifier: GPL-3.0-or-later
// What the benchmarks measure with, made by rule.
#pragma once

#include <string>

namespace wavetrope::bench {

// Ten signals of 6 bits in each message, with comments, attributes and texts as files have them.
inline std::string generatedDatabase(unsigned messages)
{
    std::string out = "VERSION \"bench\"\nNS_ :\n\tCM_\nBS_:\nBU_:";
    for (int i = 0; i < 60; ++i)
        out += " Node" + std::to_string(i);
    out += "\n\n";
    const auto raw = [](unsigned m) { return 0x80000000U + 0x100U * m + 0x21U; };
    for (unsigned m = 0; m < messages; ++m) {
        out += "BO_ " + std::to_string(raw(m)) + " Message" + std::to_string(m) + ": 8 Node" + std::to_string(m % 60) + "\n";
        for (unsigned s = 0; s < 10; ++s)
            out += " SG_ Signal" + std::to_string(m) + "_" + std::to_string(s) + " : " + std::to_string(s * 6) + "|6@1"
                   + (s % 3 == 0 ? "-" : "+") + " (0.25,-5) [-5|2] \"unit\" Node" + std::to_string((m + 1) % 60) + ",Node"
                   + std::to_string((m + 2) % 60) + "\n";
        out += "\n";
    }
    for (unsigned m = 0; m < messages; ++m)
        for (unsigned s = 0; s < 10; s += 2)
            out += "CM_ SG_ " + std::to_string(raw(m)) + " Signal" + std::to_string(m) + "_" + std::to_string(s)
                   + " \"What this signal tells, in a sentence of the usual length for such files.\";\n";
    out += "BA_DEF_ BO_ \"GenMsgCycleTime\" INT 0 65535;\nBA_DEF_DEF_ \"GenMsgCycleTime\" 0;\n";
    for (unsigned m = 0; m < messages; ++m)
        out += "BA_ \"GenMsgCycleTime\" BO_ " + std::to_string(raw(m)) + " " + std::to_string(10 + m % 90) + ";\n";
    for (unsigned m = 0; m < messages; m += 3)
        out += "VAL_ " + std::to_string(raw(m)) + " Signal" + std::to_string(m) + "_1 0 \"off\" 1 \"on\" 2 \"fault\" ;\n";
    return out;
}

}  // namespace wavetrope::bench
