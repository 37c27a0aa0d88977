// SPDX-License-Identifier: Apache-2.0
#include "kettle/realtime/pacing.h"

namespace kettle {

std::int64_t FrameSelector::Count(std::int64_t index) const {
  return index * output_.numerator * source_.denominator / (std::int64_t{output_.denominator} * source_.numerator);
}

std::optional<std::int64_t> FrameSelector::FrameNumber(std::int64_t index) const {
  const std::int64_t count = Count(index);
  if (index > 0 && count == Count(index - 1)) return std::nullopt;
  return count;
}

void ReleaseFrames(Clock& clock, FrameRate rate, std::int64_t start_ns, std::int64_t frames,
                   const std::function<bool(std::int64_t, std::int64_t, bool)>& release) {
  const std::int64_t interval_ns = rate.due_ns(1);
  for (std::int64_t index = 0; index < frames; ++index) {
    const std::int64_t due_ns = start_ns + rate.due_ns(index);
    clock.SleepUntil(due_ns);
    const bool late = clock.now_ns() - due_ns > interval_ns;
    if (!release(index, due_ns, late)) return;
  }
}

}  // namespace kettle
