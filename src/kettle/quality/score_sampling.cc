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

namespace {

// The pictures of one second.
struct Second {
  std::vector<double> scores, similarity;  // of those that were scored
  std::vector<double> all;                 // similarity of all
};

// By how much the score rises with similarity, within seconds; 0 where that cannot be told.
double SlopeOf(const std::vector<Second>& seconds) {
  double products = 0, squares = 0;
  for (const Second& second : seconds) {
    if (second.scores.size() < 2) continue;
    const double score = *Mean(second.scores), similarity = *Mean(second.similarity);
    for (std::size_t i = 0; i < second.scores.size(); ++i) {
      products += (second.similarity[i] - similarity) * (second.scores[i] - score);
      squares += std::pow(second.similarity[i] - similarity, 2);
    }
  }
  return squares > 0 ? products / squares : 0;
}

// Of one score about the lines of its second, with that slope; 0 where that cannot be told.
double VarianceAbout(const std::vector<Second>& seconds, double slope) {
  double squares = 0, freedom = slope == 0 ? 0 : -1;
  for (const Second& second : seconds) {
    if (second.scores.empty()) continue;
    const double score = *Mean(second.scores), similarity = *Mean(second.similarity);
    freedom += static_cast<double>(second.scores.size()) - 1;
    for (std::size_t i = 0; i < second.scores.size(); ++i)
      squares += std::pow(second.scores[i] - score - slope * (second.similarity[i] - similarity), 2);
  }
  return freedom > 0 ? squares / freedom : 0;
}

}  // namespace

PooledScore PoolScores(const std::vector<PictureScore>& scores, const std::vector<double>& similarity, FrameRate rate) {
  const int pictures = static_cast<int>(similarity.size());
  std::vector<Second> seconds(static_cast<std::size_t>(Seconds(pictures, rate)));
  const auto second_of = [&](int picture) -> Second& {
    return seconds[static_cast<std::size_t>(SecondOf(picture, pictures, rate))];
  };
  for (int picture = 0; picture < pictures; ++picture)
    second_of(picture).all.push_back(similarity[static_cast<std::size_t>(picture)]);
  for (const PictureScore& one : scores) {
    second_of(one.picture).scores.push_back(one.score);
    second_of(one.picture).similarity.push_back(similarity.at(static_cast<std::size_t>(one.picture)));
  }
  const double slope = SlopeOf(seconds), variance = VarianceAbout(seconds, slope);
  std::vector<double> means;
  double variance_of_sum = 0;
  for (const Second& second : seconds) {
    if (second.scores.empty()) continue;
    means.push_back(*Mean(second.scores) + slope * (*Mean(second.all) - *Mean(second.similarity)));
    const auto count = static_cast<double>(second.scores.size());
    variance_of_sum += variance / count * (1 - count / static_cast<double>(second.all.size()));
  }
  PooledScore pooled;
  pooled.mean = *Mean(means);
  pooled.interval = 1.96 * std::sqrt(std::max(0.0, variance_of_sum)) / static_cast<double>(means.size());
  auto mean = means.begin();
  for (const Second& second : seconds) pooled.seconds.push_back(second.scores.empty() ? pooled.mean : *mean++);
  return pooled;
}

}  // namespace kettle
