// SPDX-License-Identifier: Apache-2.0
// The user's Ctrl-C: what runs then stops, keeping what is finished.
#pragma once

#include <atomic>

namespace kettle::app {

// Until CatchSignals they wait, also through exec: nobody's program ends without a word while it is being loaded.
void HoldSignals();
// From now on SIGINT, SIGTERM and SIGHUP only set StopRequested(); a SIGHUP that is ignored stays ignored.
void CatchSignals();
void RequestStop();  // as Ctrl-C does; fit for a signal handler
const std::atomic<bool>& StopRequested();
// Throws Error(kInterrupted).
void ThrowIfStopped();

}  // namespace kettle::app
