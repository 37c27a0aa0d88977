// SPDX-License-Identifier: Apache-2.0
// A real card takes nothing of the processors that are measured beside it. Its stand-in codes on them; but what it
// coded before it only gives again.
#pragma once

#include <cstdint>
#include <deque>
#include <memory>
#include <mutex>
#include <optional>
#include <unordered_map>
#include <vector>

#include "coder.h"

namespace standin {

// Coded pictures by all that made them: the settings, and the pictures since the last keyframe. Shared by all sessions;
// the oldest go when there is no more room.
class CodedBefore {
 public:
  struct Unit {
    std::vector<std::uint8_t> data;
    std::uint32_t picture_type = 0;
  };
  explicit CodedBefore(std::size_t most_bytes) : most_bytes_(most_bytes) {}

  std::shared_ptr<const Unit> Find(std::uint64_t key) const;  // null: not coded before, or forgotten
  void Keep(std::uint64_t key, Unit unit);
  std::size_t bytes() const;

 private:
  const std::size_t most_bytes_;
  mutable std::mutex mutex_;
  std::size_t bytes_ = 0;
  std::unordered_map<std::uint64_t, std::shared_ptr<const Unit>> units_;
  std::deque<std::uint64_t> order_;  // oldest first
};

// `coder`, which is asked only for what is not in `before`. Where a stream leaves what was coded before between two
// keyframes, an intra picture begins anew. A coder that holds pictures back is always asked.
std::unique_ptr<Coder> MakeReplayingCoder(const Settings& settings, std::unique_ptr<Coder> coder, CodedBefore& before);

}  // namespace standin
