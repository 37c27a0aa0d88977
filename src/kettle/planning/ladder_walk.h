// SPDX-License-Identifier: Apache-2.0
#pragma once

#include <functional>

namespace kettle {

// The largest index below `count` for which `holds` is true, given that it is true up to some index and
// false from there on; -1 if there is none. Asks at most ceil(log2(count + 1)) times: throughput falls
// along an encoder's presets, so not all of them need a trial.
int LastHolding(int count, const std::function<bool(int)>& holds);

}  // namespace kettle
