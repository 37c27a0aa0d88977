// SPDX-License-Identifier: Apache-2.0
// Which pictures of an encode are scored, and what follows from them for all of it.
#pragma once

#include <vector>

#include "kettle/units/units.h"

namespace kettle {

// Pictures scored in each second of an encode. docs/numbers.md tells why so many.
inline constexpr int kScoredASecond = 8;

// The pictures of an encode of `pictures` pictures that are scored, rising: `a_second` of each second, spread over it,
// but not at equal distances: encoders repeat themselves from group to group. The last second takes a shorter rest.
std::vector<int> ScoredPictures(int pictures, FrameRate rate, int a_second = kScoredASecond);

// The second, counted from 0, that a picture belongs to by that count.
int SecondOf(int picture, int pictures, FrameRate rate);

struct PictureScore {
  int picture = 0;
  double score = 0;
};

struct PooledScore {
  double mean = 0;      // of the seconds' means
  double interval = 0;  // half of its 95 % interval, for not all pictures were scored
  std::vector<double> seconds;
};
// Of at least one picture. `similarity` is SSIM of every picture of the encode: where scores rise with it, a second's
// mean is taken to where its pictures' mean similarity lies, on one slope for all seconds, so that it matters little
// which pictures were scored (the regression estimator, stratified: Cochran, "Sampling Techniques", 1977, 7.10). A
// second without any scored picture takes the mean of the others.
PooledScore PoolScores(const std::vector<PictureScore>& scores, const std::vector<double>& similarity, FrameRate rate);

}  // namespace kettle
