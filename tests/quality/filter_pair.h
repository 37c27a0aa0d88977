// SPDX-License-Identifier: Apache-2.0
// libavfilter's psnr and ssim filters, together in one pass: what our metrics are checked against.
#pragma once

#include <filesystem>
#include <vector>

namespace kettle::test {

struct FilteredFrame {
  double mse_y = 0, mse_u = 0, mse_v = 0, ssim_y = 0;
};

// Of every frame of two Y4M files, in one thread. Throws std::runtime_error.
std::vector<FilteredFrame> MeasureWithFilters(const std::filesystem::path& reference,
                                              const std::filesystem::path& distorted);

}  // namespace kettle::test
