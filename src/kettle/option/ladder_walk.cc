// SPDX-License-Identifier: Apache-2.0
#include "kettle/option/ladder_walk.h"

namespace kettle {

int LastHolding(int count, const std::function<bool(int)>& holds, int first_guess) {
  int known_good = -1, known_bad = count, next = first_guess;
  for (int asked = 0; known_bad - known_good > 1; ++asked) {
    if (next <= known_good || next >= known_bad) next = known_good + (known_bad - known_good) / 2;
    const bool good = holds(next);
    (good ? known_good : known_bad) = next;
    if (asked == 0 && first_guess >= 0) next += good ? 1 : -1;
  }
  return known_good;
}

}  // namespace kettle
