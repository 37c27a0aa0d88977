// SPDX-License-Identifier: Apache-2.0
#include "kettle/option/ladder_walk.h"

namespace kettle {

int LastHolding(int count, const std::function<bool(int)>& holds, int first_guess) {
  int known_good = -1, known_bad = count, next = first_guess;
  while (known_bad - known_good > 1) {
    if (next <= known_good || next >= known_bad) next = known_good + (known_bad - known_good) / 2;
    (holds(next) ? known_good : known_bad) = next;
  }
  return known_good;
}

}  // namespace kettle
