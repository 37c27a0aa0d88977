// SPDX-License-Identifier: Apache-2.0
#include "kettle/quality/score_sampling.h"

#include <algorithm>
#include <cmath>

#include "kettle/units/statistics.h"

namespace kettle {

namespace {

int PicturesASecond(FrameRate rate) { return static_cast<int>(std::max(1L, std::lround(rate.fps()))); }

int Seconds(int pictures, FrameRate rate) { return std::max(1, pictures / PicturesASecond(rate)); }

}  // namespace

int SecondOf(int picture, int pictures, FrameRate rate) {
  return std::min(picture / PicturesASecond(rate), Seconds(pictures, rate) - 1);
}

std::vector<int> ScoredPictures(int pictures, FrameRate rate, int a_second) {
  constexpr double kGolden = 0.6180339887498949;  // its multiples fall evenly between 0 and 1
  const int seconds = Seconds(pictures, rate), whole = PicturesASecond(rate);
  std::vector<int> scored;
  for (int second = 0; second < seconds; ++second) {
    const int from = second * whole, count = second + 1 < seconds ? whole : pictures - from;
    for (int i = 0; i < a_second; ++i) {
      const double within = std::fmod((second * a_second + i + 1) * kGolden, 1.0);
      scored.push_back(from + std::min(count - 1, static_cast<int>((i + within) * count / a_second)));
    }
  }
  scored.erase(std::unique(scored.begin(), scored.end()), scored.end());
  return scored;
}

PooledScore PoolScores(const std::vector<PictureScore>& scores, int pictures, FrameRate rate) {
  std::vector<std::vector<double>> by_second(static_cast<std::size_t>(Seconds(pictures, rate)));
  for (const PictureScore& one : scores)
    by_second[static_cast<std::size_t>(SecondOf(one.picture, pictures, rate))].push_back(one.score);
  PooledScore pooled;
  std::vector<double> means;
  double variance = 0;  // of the sum of the seconds' means
  for (const std::vector<double>& second : by_second) {
    if (second.empty()) continue;
    means.push_back(*Mean(second));
    double squares = 0;
    for (const double score : second) squares += std::pow(score - means.back(), 2);
    const auto count = static_cast<double>(second.size());
    if (second.size() > 1) variance += squares / (count - 1) / count;
  }
  pooled.mean = *Mean(means);
  pooled.interval = 1.96 * std::sqrt(variance) / static_cast<double>(means.size());
  for (const std::vector<double>& second : by_second) pooled.seconds.push_back(Mean(second).value_or(pooled.mean));
  return pooled;
}

}  // namespace kettle
