// SPDX-License-Identifier: Apache-2.0
#include "kettle/search/candidates.h"

#include <algorithm>
#include <cmath>

namespace kettle {

std::vector<FrameSize> CandidateSizes(FrameSize largest) {
  constexpr int kSmallestSide = 64;
  std::vector<FrameSize> sizes;
  const auto add = [&](double lines) {
    const auto even = [](double value) { return static_cast<int>(std::lround(value / 2)) * 2; };
    const FrameSize size{even(lines * largest.width / largest.height), even(lines)};
    if (std::min(size.width, size.height) >= kSmallestSide && size.height <= largest.height) sizes.push_back(size);
  };
  for (int tenths = 9; tenths >= 5; --tenths) add(largest.height * tenths / 10.0);
  for (const int lines : {2160, 1440, 1080, 900, 720, 540, 480, 360})
    if (lines < largest.height && 2 * lines >= largest.height) add(lines);
  sizes.push_back(largest);
  std::sort(sizes.begin(), sizes.end(), [](FrameSize a, FrameSize b) { return a.height > b.height; });
  // A few lines' difference is none.
  sizes.erase(std::unique(sizes.begin(), sizes.end(),
                          [](FrameSize a, FrameSize b) { return (a.height - b.height) * 50 < a.height; }),
              sizes.end());
  return sizes;
}

std::vector<FrameRate> CandidateRates(FrameRate highest) {
  const bool ntsc = highest.denominator == 1001;
  std::vector<FrameRate> rates{highest};
  for (const FrameRate rate : {ntsc ? FrameRate{60000, 1001} : FrameRate{60, 1}, FrameRate{50, 1}, FrameRate{48, 1},
                               ntsc ? FrameRate{30000, 1001} : FrameRate{30, 1}, FrameRate{25, 1}})
    if (rate.fps() < highest.fps() - 0.1) rates.push_back(rate);
  return rates;
}

}  // namespace kettle
