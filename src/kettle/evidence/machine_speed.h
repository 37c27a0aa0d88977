// SPDX-License-Identifier: Apache-2.0
// How fast the machine was at each moment, beside its usual self: hosts, hot laptops and batteries change it by tenths
// within minutes, often with nothing else to show for it. Known by encodes that are always the same: the logarithm of
// how long they take wanders, and comes back to the usual in time (an Ornstein-Uhlenbeck process: Rasmussen and
// Williams, Gaussian Processes for Machine Learning, B.2.1).
#pragma once

#include "kettle/belief/gaussian_process.h"

namespace kettle {

class MachineSpeed {
 public:
  MachineSpeed();

  // Something took `times` as long as usual, `seconds` after the start. Looks may come in any order.
  void Observe(double seconds, double times);

  // The natural logarithm of how many times as long as usual things took then. By all looks, later ones too.
  Estimate LogSlowness(double seconds) const;

 private:
  GaussianProcess<double> process_;
};

}  // namespace kettle
