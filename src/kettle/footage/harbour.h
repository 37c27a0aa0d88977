// SPDX-License-Identifier: Apache-2.0
// The scene "harbour": a screen of tables and text between two races.
#pragma once

#include <cstdint>
#include <memory>

#include "kettle/footage/scene.h"

namespace kettle {

// The harbour screen, between races: tables and text, a pointer that moves, water far away; little motion.
std::unique_ptr<Scene> MakeHarbourScreen(std::uint64_t seed);

}  // namespace kettle
