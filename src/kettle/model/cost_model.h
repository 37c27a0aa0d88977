// SPDX-License-Identifier: Apache-2.0
// What an encode takes of the processors, measured or not: the logarithm of its processor seconds a picture, as a sum
// of parts that trials teach. Processor time is steady where wall time is not, so it is what is told of encodes beside
// each other.
#pragma once

#include <string>
#include <utility>
#include <vector>

#include "kettle/belief/linear_belief.h"
#include "kettle/encoders/settings.h"

namespace kettle {

class CostModel {
 public:
  // A trial: processor seconds a picture of one clip, at the machine's usual speed. `error` is a standard deviation of
  // the logarithm: 0.06 is six per cent.
  void Observe(const EncodeSettings& settings, const std::string& clip, double seconds, double error);
  // One that was cut short: it takes more than that.
  void ObserveMoreThan(const EncodeSettings& settings, const std::string& clip, double seconds, double error);

  // The natural logarithm of processor seconds a picture.
  Estimate LogSeconds(const EncodeSettings& settings, const std::string& clip);

 private:
  LinearBelief::Sum PartsOf(const EncodeSettings& settings, const std::string& clip);
  LinearBelief::Sum WithItsOwn(const EncodeSettings& settings, const std::string& clip);

  LinearBelief belief_;
  std::vector<std::pair<EncodeSettings, std::string>> seen_;  // the encodes that have a part of their own, and clips
};

}  // namespace kettle
