// SPDX-License-Identifier: Apache-2.0
// Waiting until other machines on the same host leave this one its processors.
#pragma once

#include <functional>

namespace kettle {

// Processors that the hypervisor gave to other machines while this call kept `threads` of them busy for `seconds`: only
// while a processor is wanted does it show that others have it.
double StolenWhileBusy(int threads, double seconds);

// Calls `stolen_cores`, which takes the given seconds, until four looks in a row find less than a tenth of a processor
// taken, the limit from which a proof run counts as disturbed. False if `most_seconds` of looks passed before that.
// Throws what `stolen_cores` throws.
bool AwaitQuiet(const std::function<double(double seconds)>& stolen_cores, double most_seconds);

}  // namespace kettle
