// SPDX-License-Identifier: Apache-2.0
// What the calling thread is called, and how soon it gets a processor.
#pragma once

#include <string>
#include <vector>

namespace kettle {

// The calling thread's name (15 characters at most; empty: as it is) and niceness, added to the program's own, for it
// and the threads that it starts. Gives the niceness it got: none below the program's own where the user may not
// (RLIMIT_NICE, CAP_SYS_NICE).
int NameThread(const std::string& name, int niceness = 0);

// Where the kernel divides the processors among sessions first, and among each one's threads after that (autogroup,
// sched(7)), the niceness of this process's whole session, if it leads one: against a game that was started elsewhere,
// that of its threads counts for nothing. What is not allowed, or not offered, is no fault.
void SetSessionNiceness(int niceness);

// Lets the calling thread, and those that it starts, run on these processors only, by the kernel's numbers; empty: as
// before. What is not allowed is no fault. Encoders open as many threads as the processors left call for.
void KeepThreadOn(const std::vector<int>& processors);

// Lets the calling thread, which is due at fixed times and does little then, come before those that compute for long.
// Its timers are exact; where the user may have it (RLIMIT_RTPRIO, or root) it runs at the lowest real-time priority;
// elsewhere it asks the scheduler for short turns (sched_setattr(2), sched_runtime; Linux 6.12 and later), for which a
// running thread is mostly interrupted. What the kernel does not offer is no fault. Threads that it starts do not
// inherit it.
void KeepThreadPunctual();

}  // namespace kettle
