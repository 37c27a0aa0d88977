// SPDX-License-Identifier: Apache-2.0
#include "kettle/search/candidates.h"

#include <algorithm>
#include <cmath>
#include <numeric>

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
    if (lines < largest.height) add(lines);
  sizes.push_back(largest);
  std::sort(sizes.begin(), sizes.end(), [](FrameSize a, FrameSize b) { return a.height > b.height; });
  // A few lines' difference is none.
  sizes.erase(std::unique(sizes.begin(), sizes.end(),
                          [](FrameSize a, FrameSize b) { return (a.height - b.height) * 50 < a.height; }),
              sizes.end());
  return sizes;
}

std::vector<FrameSize> RecordingSizes(FrameSize source) {
  const auto even = [](double value) { return static_cast<int>(std::lround(value / 2)) * 2; };
  return {source,
          {even(source.width * 2 / 3.0), even(source.height * 2 / 3.0)},
          {even(source.width / 2.0), even(source.height / 2.0)}};
}

std::vector<FrameRate> RecordingRates(FrameRate source) {
  constexpr double kLowest = 24;
  std::vector<FrameRate> rates{source};
  if (source.numerator % 2 == 0 && source.fps() / 2 >= kLowest - 0.1)
    rates.push_back({source.numerator / 2, source.denominator});
  return rates;
}

std::vector<FrameRate> CandidateRates(FrameRate source, FrameRate highest) {
  constexpr double kUsualHighest = 60.5, kLowest = 29.9, kLowestOfEverySecond = 23.9;
  const auto part = [&](int divisor) {
    const int common = std::gcd(source.numerator, divisor);
    return FrameRate{source.numerator / common, source.denominator * (divisor / common)};
  };
  int first = 1;  // divisor that stays within `highest`
  while (part(first).fps() > highest.fps() + 1e-9) ++first;
  std::vector<FrameRate> rates{part(first)};
  const auto add = [&](int divisor) {
    const double fps = part(divisor).fps();
    if (fps >= kLowest || (divisor == 2 && fps >= kLowestOfEverySecond)) rates.push_back(part(divisor));
  };
  int last = first;
  while (part(last).fps() > kUsualHighest) add(++last);
  add(2 * last);
  return rates;
}

}  // namespace kettle
