// SPDX-License-Identifier: Apache-2.0
#include "kettle/planning/ladder_walk.h"

namespace kettle {

int LastHolding(int count, const std::function<bool(int)>& holds) {
  int known_good = -1, known_bad = count;
  while (known_bad - known_good > 1) {
    const int middle = known_good + (known_bad - known_good) / 2;
    (holds(middle) ? known_good : known_bad) = middle;
  }
  return known_good;
}

}  // namespace kettle
