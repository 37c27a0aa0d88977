// SPDX-License-Identifier: Apache-2.0
// Procedural footage: pictures of a made-up sailing game, the same for the same seed, at any size
// and frame rate.
#pragma once

#include <cstdint>
#include <memory>
#include <string>
#include <vector>

#include "kettle/media/libav.h"
#include "kettle/units/units.h"

namespace kettle {

struct SceneInfo {
  std::string name, title;
};
const std::vector<SceneInfo>& Scenes();

// The seed of the pictures that the program shows and measures.
inline constexpr std::uint64_t kSceneSeed = 1;

class Scene {
 public:
  virtual ~Scene() = default;
  // Draws the picture of time `seconds` (from 0) into `picture`, 8-bit 4:2:0 of any even size. Depends
  // on nothing but its arguments and the seed; may be called from several threads at once.
  virtual void Draw(double seconds, AVFrame& picture) const = 0;
};

// Throws Error(kInput) for an unknown name.
std::unique_ptr<Scene> MakeScene(const std::string& name, std::uint64_t seed);

}  // namespace kettle
