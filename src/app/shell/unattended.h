// SPDX-License-Identifier: GPL-3.0-or-later
// What the application does by itself and ends.
#pragma once

#include <string>

#include "rig/rig.h"

namespace wavetrope::app {

/// What is wanted of a log: a report of the rig, or a picture of a page or of one of its views. Times as in the commands.
struct Unattended {
    std::string report, out;
    std::string picture, page, view, from, to, size = "1280x800";
    [[nodiscard]] bool any() const { return !report.empty() || !picture.empty(); }
};

/// Does it without a display. Words of what is wrong go to the error output. Gives the exit code.
[[nodiscard]] int workUnattended(const Unattended& wanted, const rig::Rig& rig, const std::vector<std::string>& logs);

}  // namespace wavetrope::app
