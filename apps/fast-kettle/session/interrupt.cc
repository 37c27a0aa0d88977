// SPDX-License-Identifier: Apache-2.0
#include "session/interrupt.h"

#include <csignal>

#include "kettle/units/error.h"

namespace kettle::app {

namespace {

std::atomic<bool> stop_requested = false;

}  // namespace

const std::atomic<bool>& StopRequested() { return stop_requested; }

void CatchSignals() {
  struct sigaction action {};
  action.sa_handler = [](int) { stop_requested = true; };
  sigaction(SIGINT, &action, nullptr);
  sigaction(SIGTERM, &action, nullptr);
  sigaction(SIGHUP, &action, nullptr);
}

void ThrowIfStopped() {
  if (stop_requested) throw Error(Fault::kInterrupted, "interrupted");
}

}  // namespace kettle::app
