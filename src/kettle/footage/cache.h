// SPDX-License-Identifier: Apache-2.0
// Test pictures, rendered or decoded once into a Y4M file that every trial maps.
#pragma once

#include <cstdint>
#include <filesystem>
#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "kettle/message/message.h"
#include "kettle/store/file_lock.h"
#include "kettle/units/units.h"

namespace kettle {

inline constexpr std::uintmax_t kCacheLimitBytes = 12ull << 30;

enum class Stretch { kBusiest, kCalmest };

struct FootageRequest {
  std::string source;  // a scene's name, or the path of a clip
  FrameSize size;
  FrameRate rate;
  double seconds = 3;                   // how much of it; a shorter clip is played forth and back
  Stretch stretch = Stretch::kBusiest;  // which part of a clip, by the bytes its pictures took to code
  // 0: that stretch. 1 and more: the others of that length beside it, busiest first; of a scene those that follow.
  int further = 0;
};

// How many stretches there are beside the first. Of a scene: nine. Throws as PrepareFootage.
int CountFurther(const FootageRequest& request, const std::filesystem::path& cache_folder,
                 const std::function<void(double)>& progress);

struct Footage {
  std::string label;           // the scene's name or the clip's file name, with what tells other stretches apart
  std::filesystem::path file;  // the Y4M file
  FrameSize size;
  FrameRate rate;
  int frames = 0;
  double from_seconds = 0;               // where in the clip the pictures start
  FrameSize viewing_size;                // at which encodes of it are judged; 0x0: its own
  std::vector<Message> notes;            // what was done to the clip's pictures that is worth knowing
  std::shared_ptr<const FileLock> lock;  // while any copy lives, no run removes the file from the cache

  double seconds() const { return frames / rate.fps(); }
  // The same pictures judged at the same size have the same key.
  std::string key() const;
};

// A clip's own size (made even, at most what encoders take) and rate.
struct ClipInfo {
  FrameSize size;
  FrameRate rate;
};

// True if `source` names a scene rather than a file.
bool IsScene(const std::string& source);

// Throws Error(kInput) as MediaReader does.
ClipInfo InspectClip(const std::filesystem::path& path);

// The folder for cached footage: $XDG_CACHE_HOME/fast-kettle or ~/.cache/fast-kettle.
std::filesystem::path DefaultCacheFolder();

// Renders a scene into a Y4M file at any place. `progress` is called with 0..1. Throws Error.
void RenderSceneTo(const std::filesystem::path& file, const std::string& scene, FrameSize size, FrameRate rate,
                   double seconds, const std::function<void(double)>& progress);

// Gives the footage from the cache, making it first if need be. `progress` is called with 0..1.
// A clip's pictures are those of the stretch asked for; each is shown until the next, so the result has the requested
// rate whatever the clip's; the picture keeps its shape, with black bars if the requested size has another. Throws
// Error(kInput) for a clip that is not usable (empty, cut off, sound only, not media), Error(kMachine) if the cache
// cannot be written. Where the cache would grow beyond `limit_bytes`, what was used longest ago goes first.
Footage PrepareFootage(const FootageRequest& request, const std::filesystem::path& cache_folder,
                       const std::function<void(double)>& progress, std::uintmax_t limit_bytes = kCacheLimitBytes);

}  // namespace kettle
