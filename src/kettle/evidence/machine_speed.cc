// SPDX-License-Identifier: Apache-2.0
#include "kettle/evidence/machine_speed.h"

#include <cmath>

namespace kettle {

namespace {

// The host of two processors that this was developed on took 0.95 to 1.49 times as long within an hour, in swings of
// some minutes; the same encode's processor time spreads by 6 % within a calm minute.
constexpr double kSwing = 0.2, kSwingSeconds = 300, kLookError = 0.06;

}  // namespace

MachineSpeed::MachineSpeed()
    : process_(
          [](double) { return 0.0; },
          [](double one, double other) { return kSwing * kSwing * std::exp(-std::abs(one - other) / kSwingSeconds); },
          kLookError) {}

void MachineSpeed::Observe(double seconds, double times) { process_.Observe(seconds, std::log(times)); }

Estimate MachineSpeed::LogSlowness(double seconds) const { return process_.At(seconds); }

}  // namespace kettle
