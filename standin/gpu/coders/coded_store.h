// SPDX-License-Identifier: Apache-2.0
// What the stand-in devices coded, on disk: it outlives their process.
#pragma once

#include <cstdint>
#include <filesystem>
#include <memory>
#include <unordered_map>

#include "channel.h"
#include "coded_before.h"

namespace standin {

// A cache, in two files: `new` is added to, and takes the place of `old` when it has half of what there is room for.
// What cannot be read or written is not there. Safe against other processes that use the folder, and against their end.
class CodedStore {
 public:
  // No folder: nothing is kept. `coders` stands for all that decides what the same pictures and settings become: files
  // of others count for nothing.
  CodedStore(std::filesystem::path folder, std::uint64_t coders, std::uint64_t most_bytes);

  // As it was when this was made. Null: not there, or no longer what was written. Thread-safe.
  std::shared_ptr<const CodedGroup> Find(std::uint64_t key) const;
  void Add(const CodedGroups& groups) const;  // those that are not there yet

 private:
  struct Place {
    int file;
    std::uint64_t offset;
  };
  std::filesystem::path PathOf(const char* name) const { return folder_ / name; }

  const std::filesystem::path folder_;
  const std::uint64_t coders_, most_bytes_;
  Descriptor files_[2];  // old, new
  std::unordered_map<std::uint64_t, Place> places_;
};

// $XDG_CACHE_HOME/fast-kettle/simulated-gpu or ~/.cache/fast-kettle/simulated-gpu; empty: there is no such place.
std::filesystem::path CodedStoreFolder();
// Of this program and of every library that it has loaded: another one has another size or was changed at another time.
std::uint64_t LoadedCode();

}  // namespace standin
