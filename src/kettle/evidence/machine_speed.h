// SPDX-License-Identifier: Apache-2.0
// How fast the machine was at each moment, beside its usual self: hosts, hot laptops and batteries change it by tenths
// within minutes, other programs within a second, often with nothing else to show for it. Known by an encode that is
// always the same.
#pragma once

#include <limits>
#include <vector>

#include "kettle/belief/estimate.h"

namespace kettle {

class MachineSpeed {
 public:
  // Usual is what a quarter of the time that was looked at reached, from `since` on, or of all where there was none:
  // the speed to plan for is that of now, not of last week, and not that of a moment in which others had the machine.
  explicit MachineSpeed(double since = -std::numeric_limits<double>::infinity()) : since_(since) {}

  // What is always the same took so long, `seconds` after whatever moment the caller counts from. Looks may come in any
  // order.
  void Observe(double seconds, double took);

  // 0: nothing was seen.
  double usual() const;

  // The natural logarithm of how many times as long as usual things took then, by the looks around, later ones too.
  // Before anything was seen, the usual speed with the deviation that machines have.
  Estimate LogSlowness(double seconds) const;

 private:
  struct Look {
    double seconds = 0, took = 0;
  };
  double since_;
  std::vector<Look> looks_;  // in the order of time
};

}  // namespace kettle
