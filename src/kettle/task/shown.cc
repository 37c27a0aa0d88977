// SPDX-License-Identifier: Apache-2.0
#include "kettle/task/shown.h"

#include <cmath>
#include <utility>

#include "kettle/units/error.h"

namespace kettle {

void Shown::MoveTo(double seconds) {
  while (ahead_ && (!now_ || Due(*ahead_) <= seconds + 1e-6)) {
    now_ = Share(std::move(ahead_->frame));
    shown_ = nullptr;
    ahead_ = reader_.Next();
  }
  if (!now_) FailMachine("the encoded file has no picture");
}

const SharedFrame& Shown::shown() {
  if (!shown_) shown_ = Share(scaler_.Scale(*now_));
  return shown_;
}

// Containers round times to their own unit: back to the exact frame time.
double Shown::Due(const MediaReader::Picture& picture) const {
  return static_cast<double>(rate_.due_ns(std::llround(picture.seconds * rate_.fps()))) * 1e-9;
}

}  // namespace kettle
