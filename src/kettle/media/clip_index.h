// SPDX-License-Identifier: Apache-2.0
// What reading a whole clip once tells, without decoding it: a recording of 50 GB is not read for every plan.
#pragma once

#include <filesystem>
#include <functional>
#include <optional>
#include <vector>

#include "kettle/media/reader.h"

namespace kettle {

struct ClipIndex {
  FrameSize size;
  FrameRate rate;  // 0/1: not known
  StreamFacts facts;
  std::optional<double> declared_seconds;  // MediaReader's
  double reached_seconds = 0;
  std::vector<MediaReader::PacketTime> packets;  // by their time

  double seconds() const;  // of pictures
};

// From the cache's folder; the clip is read, and its index kept there, where it is new or has changed. `progress` is
// called with 0..1 while it is read, and may throw. Throws Error(kInput) as MediaReader does.
ClipIndex IndexClip(const std::filesystem::path& clip, const std::filesystem::path& cache_folder,
                    const std::function<void(double)>& progress);

// What tells this clip, as it is now, from every other.
std::string ClipIdentity(const std::filesystem::path& clip);

}  // namespace kettle
