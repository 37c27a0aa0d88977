// SPDX-License-Identifier: Apache-2.0
// Keeps what is sent below a rate, in every second and not only on average: a bucket of tokens that holds little.
#pragma once

#include <algorithm>
#include <cstddef>

namespace kettle {

class SendAllowance {
 public:
  // `kbps` of what is counted, in any second. The bucket holds 20 ms of it, and fills by so much less.
  explicit SendAllowance(double kbps)
      : bytes_per_second_(kbps * 125 * (1 - kBucketSeconds)), bucket_bytes_(kbps * 125 * kBucketSeconds) {}

  // What may be sent at `seconds` of any clock that does not run backwards.
  std::size_t Bytes(double seconds) {
    bytes_ = std::min(bucket_bytes_, bytes_ + (seconds - seen_seconds_) * bytes_per_second_);
    seen_seconds_ = seconds;
    return static_cast<std::size_t>(bytes_);
  }
  // That so many of them were sent.
  void Spend(std::size_t bytes) { bytes_ -= static_cast<double>(bytes); }

 private:
  static constexpr double kBucketSeconds = 0.02;
  double bytes_per_second_, bucket_bytes_;
  double bytes_ = 0, seen_seconds_ = 0;
};

}  // namespace kettle
