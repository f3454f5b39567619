// SPDX-License-Identifier: GPL-3.0-or-later
#include "can/error_counters.h"

#include <algorithm>

namespace wavetrope::can {

ErrorState ErrorCounters::state() const
{
    if (transmit_ > 255)
        return ErrorState::busOff;
    if (transmit_ > 127 || receive_ > 127)
        return ErrorState::passive;
    return transmit_ >= 96 || receive_ >= 96 ? ErrorState::warning : ErrorState::active;
}

void ErrorCounters::transmitted()
{
    if (transmit_ > 0)
        --transmit_;
}

void ErrorCounters::received()
{
    if (receive_ > 127)
        receive_ = 120;  // the standard allows 119 to 127
    else if (receive_ > 0)
        --receive_;
}

void ErrorCounters::recover()
{
    transmit_ = 0;
    receive_ = 0;
}

void ErrorCounters::raiseReceive(unsigned by) { receive_ = std::min(receive_ + by, 255U); }

const char* toText(ErrorState state)
{
    switch (state) {
    case ErrorState::active: return "active";
    case ErrorState::warning: return "warning";
    case ErrorState::passive: return "passive";
    default: return "bus off";
    }
}

}  // namespace wavetrope::can
