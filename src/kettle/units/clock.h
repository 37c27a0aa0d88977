// SPDX-License-Identifier: Apache-2.0
// The clock that paced runs follow. Passed in, so that tests need no real time.
#pragma once

#include <cstdint>

namespace kettle {

class Clock {
 public:
  virtual ~Clock() = default;
  virtual std::int64_t now_ns() const = 0;                // never goes back
  virtual void SleepUntil(std::int64_t deadline_ns) = 0;  // returns at or after the deadline
};

// The machine's monotonic clock (CLOCK_MONOTONIC). Thread-safe.
class SteadyClock final : public Clock {
 public:
  std::int64_t now_ns() const override;
  void SleepUntil(std::int64_t deadline_ns) override;
};

// Seconds of a processor that the calling thread has used.
double ThreadCpuSeconds();

}  // namespace kettle
