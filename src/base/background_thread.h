// SPDX-License-Identifier: GPL-3.0-or-later
// Threads that work while somebody looks, and threads that are due at instants.
#pragma once

#include <sys/prctl.h>
#include <sys/resource.h>

namespace wavetrope {

/// The calling thread steps back from now on where there are not processors enough: what it makes is wanted soon, what somebody waits for
/// is wanted now. Threads that take in frames never do this. (Linux keeps a nice value for each thread, `man 2 setpriority`.)
inline void stepBack()
{
    constexpr int niceValue = 5;
    static_cast<void>(::setpriority(PRIO_PROCESS, 0, niceValue));
}

/// The calling thread is due at instants: its sleeps end when they say, and not up to 50 us later (`man 2 PR_SET_TIMERSLACK`).
inline void wakeSoon()
{
    constexpr unsigned long slack = 1000;       // nanoseconds
    static_cast<void>(::prctl(PR_SET_TIMERSLACK, slack));
}

}  // namespace wavetrope
