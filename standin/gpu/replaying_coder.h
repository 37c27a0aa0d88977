// SPDX-License-Identifier: Apache-2.0
// A real card takes nothing of the processors that are measured beside it. Its stand-in codes on them; but what it
// coded before it only gives again.
#pragma once

#include <cstdint>
#include <deque>
#include <functional>
#include <memory>
#include <mutex>
#include <unordered_map>
#include <vector>

#include "coder.h"

namespace standin {

// Coded groups by all that made them: the settings, and the pictures since the last keyframe. A group is what a coder
// may reorder: a keyframe alone, or B-frames and the picture after them. Shared by all sessions; the oldest go when
// there is no more room.
class CodedBefore {
 public:
  struct Unit {
    std::vector<std::uint8_t> data;
    std::uint32_t picture_type = 0;
    std::size_t place = 0;  // in its group, by order of display
  };
  using Group = std::vector<std::shared_ptr<const Unit>>;  // in coded order
  explicit CodedBefore(std::size_t most_bytes) : most_bytes_(most_bytes) {}

  std::shared_ptr<const Group> Find(std::uint64_t key) const;  // null: not coded before, or forgotten
  void Keep(std::uint64_t key, Group group);
  std::size_t bytes() const;

 private:
  const std::size_t most_bytes_;
  mutable std::mutex mutex_;
  std::size_t bytes_ = 0;
  std::unordered_map<std::uint64_t, std::shared_ptr<const Group>> groups_;
  std::deque<std::uint64_t> order_;  // oldest first
};

// A coder of these settings that asks one of `make` only for what is not in `before`. Where a stream leaves what was
// coded before between two keyframes, an intra picture begins anew. Throws as `make` does.
std::unique_ptr<Coder> MakeReplayingCoder(const Settings& settings, std::function<std::unique_ptr<Coder>()> make,
                                          CodedBefore& before);

}  // namespace standin
