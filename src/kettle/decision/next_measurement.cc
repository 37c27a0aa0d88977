// SPDX-License-Identifier: Apache-2.0
#include "kettle/decision/next_measurement.h"

#include <algorithm>

namespace kettle {

double Promise(const Rival& rival, double lead) { return ExpectedGain(rival.worth, lead) * rival.holds; }

std::optional<std::size_t> NextMeasurement(const std::vector<Rival>& rivals, double lead, double worth_a_look) {
  std::optional<std::size_t> next;
  double most = 0, promised = 0;
  for (std::size_t i = 0; i < rivals.size(); ++i) {
    const double promise = Promise(rivals[i], lead);
    promised = std::max(promised, promise);
    if (promise / rivals[i].seconds <= most) continue;
    most = promise / rivals[i].seconds;
    next = i;
  }
  return promised >= worth_a_look ? next : std::nullopt;
}

}  // namespace kettle
