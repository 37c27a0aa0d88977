// SPDX-License-Identifier: Apache-2.0
// Figures of quality: against bit rate for a question's variants, by size and frame rate for a plan.
#pragma once

#include <filesystem>

#include "kettle/question/answer.h"

namespace kettle {

// rate-quality.svg/.png: quality against bit rate of each variant, the convex hull of all, and the bit rate that was
// asked for. Draws nothing if no variant has figures. Throws Error(kMachine).
void DrawRateQuality(const std::filesystem::path& folder, const Answer& answer);

// pictures.svg/.png: quality against the lines of each size that was tried for a stream, by frame rate, with the
// choice marked. Draws nothing for fewer than two. Throws Error(kMachine).
void DrawPictures(const std::filesystem::path& folder, const std::vector<TriedPicture>& tried,
                  const EncodeSettings& chosen);

}  // namespace kettle
