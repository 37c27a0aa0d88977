// SPDX-License-Identifier: Apache-2.0
// Quality against bit rate of a question's variants.
#pragma once

#include <filesystem>

#include "kettle/question/answer.h"

namespace kettle {

// rate-quality.svg/.png: quality against bit rate of each variant, the convex hull of all, and the bit rate that was
// asked for. Draws nothing if no variant has figures. Throws Error(kMachine).
void DrawRateQuality(const std::filesystem::path& folder, const Answer& answer);

}  // namespace kettle
