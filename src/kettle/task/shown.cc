// SPDX-License-Identifier: Apache-2.0
#include "kettle/task/shown.h"

#include <cmath>

#include "kettle/units/error.h"

namespace kettle {

void Shown::MoveTo(double seconds) {
  while (ahead_ && (!shown_ || Due(*ahead_) <= seconds + 1e-6)) {
    decoded_ = Share(converter_.Scale(*ahead_->frame));
    shown_ = Share(scaler_.Scale(*ahead_->frame));
    ahead_ = reader_.Next();
  }
  if (!shown_) FailMachine("the encoded file has no picture");
}

// Containers round times to their own unit: back to the exact frame time.
double Shown::Due(const MediaReader::Picture& picture) const {
  return static_cast<double>(rate_.due_ns(std::llround(picture.seconds * rate_.fps()))) * 1e-9;
}

}  // namespace kettle
