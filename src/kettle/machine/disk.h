// SPDX-License-Identifier: Apache-2.0
// The disk under a folder: what it is, how much it holds, how fast it takes a recording.
#pragma once

#include <atomic>
#include <cstdint>
#include <filesystem>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>

#include "kettle/units/clock.h"
#include "kettle/units/units.h"

namespace kettle {

// A sequential write as a recorder does it, with the data on the disk before the clock stops.
struct WriteRate {
  double mean_bytes_per_second = 0;
  double slowest_bytes_per_second = 0;  // over any one stretch between two syncs
  std::int64_t bytes = 0;               // written
  double seconds = 0;
};

struct Disk {
  std::string folder;            // as asked for
  std::string file_system;       // "ext4"; empty: not known
  std::string device;            // "sda"; empty: not known
  std::optional<bool> rotating;  // not set: not known
  std::int64_t free_bytes = 0;
  std::optional<WriteRate> write_rate;  // if it was measured

  // Hours that the free space holds at `rate`, one part in twenty left free.
  double hours_at(BitRate rate) const;
};

// What `folder`, which may not exist yet, lies on; mounts and devices are read under `root`. Throws Error(kMachine) if
// the free space cannot be read.
Disk ReadDisk(const std::filesystem::path& folder, const std::filesystem::path& root = "/");

// Throws Error(kInput) if `folder` is not there, is no folder, or nothing can be written in it.
void CheckWritable(const std::filesystem::path& folder);

struct WriteRateRequest {
  double seconds = 3;                               // writing stops after this long
  std::int64_t most_bytes = std::int64_t{2} << 30;  // or after this much
};
inline constexpr std::int64_t kWriteBytes = 1 << 20;  // each write
inline constexpr int kWritesPerSync = 16;

// Writes random bytes to a nameless file in `folder`, syncing after every kWritesPerSync writes, and never more than
// half of the free space. Nothing is left behind, however it ends. Throws Error(kMachine), and Error(kInterrupted)
// when *stop becomes true.
WriteRate MeasureWriteRate(const std::filesystem::path& folder, const WriteRateRequest& request, const Clock& clock,
                           const std::atomic<bool>* stop = nullptr);

void to_json(nlohmann::json& json, const Disk& disk);
void from_json(const nlohmann::json& json, Disk& disk);

}  // namespace kettle
