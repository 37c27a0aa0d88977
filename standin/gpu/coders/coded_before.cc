// SPDX-License-Identifier: Apache-2.0
#include "coded_before.h"

#include "coded_store.h"

namespace standin {

namespace {

std::size_t BytesOf(const CodedGroup& group) {
  std::size_t bytes = 0;
  for (const auto& unit : group) bytes += unit->data.size();
  return bytes;
}

}  // namespace

std::shared_ptr<const CodedGroup> CodedBefore::Find(std::uint64_t key) const {
  {
    std::lock_guard lock(mutex_);
    if (const auto found = groups_.find(key); found != groups_.end()) return found->second;
  }
  return store_ ? store_->Find(key) : nullptr;
}

void CodedBefore::Keep(std::uint64_t key, Group group) {
  std::lock_guard lock(mutex_);
  if (groups_.contains(key)) return;
  bytes_ += BytesOf(group);
  groups_[key] = std::make_shared<const Group>(std::move(group));
  order_.push_back(key);
  while (bytes_ > most_bytes_ && !order_.empty()) {
    bytes_ -= BytesOf(*groups_.at(order_.front()));
    groups_.erase(order_.front());
    order_.pop_front();
  }
}

std::size_t CodedBefore::bytes() const {
  std::lock_guard lock(mutex_);
  return bytes_;
}

CodedGroups CodedBefore::Kept() const {
  std::lock_guard lock(mutex_);
  CodedGroups kept;
  for (const std::uint64_t key : order_) kept.emplace_back(key, groups_.at(key));
  return kept;
}

}  // namespace standin
