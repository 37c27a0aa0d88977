// SPDX-License-Identifier: Apache-2.0
#include "process/interrupt.h"

#include <csignal>

#include "kettle/units/error.h"

namespace kettle::app {

namespace {

std::atomic<bool> stop_requested = false;

// `how`: SIG_BLOCK or SIG_UNBLOCK.
void Mask(int how) {
  sigset_t signals;
  sigemptyset(&signals);
  for (const int signal : {SIGINT, SIGTERM, SIGHUP}) sigaddset(&signals, signal);
  sigprocmask(how, &signals, nullptr);
}

}  // namespace

void HoldSignals() { Mask(SIG_BLOCK); }

const std::atomic<bool>& StopRequested() { return stop_requested; }

void RequestStop() { stop_requested = true; }

void CatchSignals() {
  struct sigaction action {};
  action.sa_handler = [](int) { RequestStop(); };
  sigaction(SIGINT, &action, nullptr);
  sigaction(SIGTERM, &action, nullptr);
  struct sigaction inherited {};
  sigaction(SIGHUP, nullptr, &inherited);
  if (inherited.sa_handler != SIG_IGN) sigaction(SIGHUP, &action, nullptr);  // nohup means it
  Mask(SIG_UNBLOCK);
}

void ThrowIfStopped() {
  if (stop_requested) throw Error(Fault::kInterrupted, "interrupted");
}

}  // namespace kettle::app
