// SPDX-License-Identifier: Apache-2.0
#include "kettle/decision/next_measurement.h"

#include <algorithm>

namespace kettle {

std::optional<std::size_t> Leader(const std::vector<Rival>& rivals) {
  std::optional<std::size_t> leader;
  for (std::size_t i = 0; i < rivals.size(); ++i)
    if (rivals[i].measured && rivals[i].holds > 0.5 && (!leader || rivals[i].known_worth > rivals[*leader].known_worth))
      leader = i;
  return leader;
}

std::optional<std::size_t> NextMeasurement(const std::vector<Rival>& rivals, double worth_a_look) {
  const auto leader = Leader(rivals);
  constexpr double kNothing = -100;  // points: without a leader, any picture is better than none
  const double lead = leader ? rivals[*leader].known_worth : kNothing;
  std::optional<std::size_t> next;
  double most = 0, promised = 0;
  for (std::size_t i = 0; i < rivals.size(); ++i) {
    if (rivals[i].measured) continue;
    const double gain = ExpectedGain(rivals[i].worth, lead) * rivals[i].holds;
    promised = std::max(promised, gain);
    if (gain / rivals[i].seconds > most) {
      most = gain / rivals[i].seconds;
      next = i;
    }
  }
  return promised >= worth_a_look ? next : std::nullopt;
}

}  // namespace kettle
