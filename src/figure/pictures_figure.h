// SPDX-License-Identifier: Apache-2.0
// The sizes and frame rates that were tried for a stream, best first.
#pragma once

#include <filesystem>
#include <vector>

#include "kettle/search/picture_search.h"

namespace kettle {

// pictures.svg/.png: a row for each picture, by its quality, with the choice marked. Draws nothing for fewer than two.
// Throws Error(kMachine).
void DrawPictures(const std::filesystem::path& folder, const std::vector<TriedPicture>& tried,
                  const EncodeSettings& chosen);

}  // namespace kettle
