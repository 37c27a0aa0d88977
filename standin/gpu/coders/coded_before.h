// SPDX-License-Identifier: Apache-2.0
// What the stand-in devices coded, to be given again.
#pragma once

#include <cstdint>
#include <deque>
#include <memory>
#include <mutex>
#include <unordered_map>
#include <utility>
#include <vector>

namespace standin {

struct CodedBeforeUnit {
  std::vector<std::uint8_t> data;
  std::uint32_t picture_type = 0;
  std::size_t place = 0;  // in its group, by order of display
};
// In coded order: what a coder may reorder, a keyframe alone, or B-frames and the picture after them.
using CodedGroup = std::vector<std::shared_ptr<const CodedBeforeUnit>>;
using CodedGroups = std::vector<std::pair<std::uint64_t, std::shared_ptr<const CodedGroup>>>;  // by their keys

class CodedStore;

// Coded groups by all that made them: the settings, and the pictures since the last keyframe. Shared by all sessions;
// of those in memory the oldest go when there is no more room. `store` has more of them, if it is there, and must
// outlive this.
class CodedBefore {
 public:
  using Unit = CodedBeforeUnit;
  using Group = CodedGroup;
  explicit CodedBefore(std::size_t most_bytes, const CodedStore* store = nullptr)
      : most_bytes_(most_bytes), store_(store) {}

  std::shared_ptr<const Group> Find(std::uint64_t key) const;  // null: not coded before, or forgotten
  void Keep(std::uint64_t key, Group group);
  std::size_t bytes() const;
  CodedGroups Kept() const;  // oldest first; without the store's

 private:
  const std::size_t most_bytes_;
  const CodedStore* const store_;
  mutable std::mutex mutex_;
  std::size_t bytes_ = 0;
  std::unordered_map<std::uint64_t, std::shared_ptr<const Group>> groups_;
  std::deque<std::uint64_t> order_;  // oldest first
};

}  // namespace standin
