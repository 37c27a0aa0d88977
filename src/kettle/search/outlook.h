// SPDX-License-Identifier: Apache-2.0
// What any encode of the stream is expected to do, measured or not, by all that was measured.
#pragma once

#include <map>
#include <string>
#include <utility>
#include <vector>

#include "kettle/belief/linear_belief.h"
#include "kettle/model/cost_model.h"
#include "kettle/model/looks_model.h"
#include "kettle/option/option_book.h"
#include "kettle/search/search_space.h"

namespace kettle {

class Outlook {
 public:
  // By all options that the book knows; neither is copied. Those that are asked for as the space's target is, but for
  // what a space has many of, tell of looks.
  Outlook(const SearchSpace& space, const OptionBook& book);

  // The score and its deviation, in points, on the footage where it looks worst, calm moments counted where there are
  // any.
  Estimate Score(const EncodeSettings& settings);
  struct Pace {
    double seconds = 0;  // that a picture is expected to take
    double holds = 0;    // the probability that it keeps pace alone with the headroom that is required
    double fits = 0;     // that the machine holds it beside all else, where it keeps pace
  };
  Pace PaceOf(const EncodeSettings& settings);

 private:
  void Observe(const Option& option, bool tells_of_looks);
  double FrameRateShareOf(FrameRate rate);
  LinearBelief::Sum CalmGain(const EncodeSettings& settings);
  double Fits(const EncodeSettings& settings, const Estimate& log_seconds);

  const SearchSpace& space_;
  const OptionBook& book_;
  FrameRate source_rate_;
  double free_;
  bool has_calm_;
  CostModel cost_;                   // in seconds a picture, as time passes: of the processors or of a card's engine
  CostModel processors_;             // in processor seconds a picture
  LooksModel looks_;                 // of the busiest seconds
  LinearBelief calm_gain_;           // points by which the calmest look better: smooth, where looks themselves are not
  Speeds speeds_;                    // of the footage
  std::map<double, double> shares_;  // what each frame rate leaves of the score: worth keeping
  std::map<std::pair<std::string, int>, int> well_, badly_;  // trials of an encoder on a device that ended so
};

}  // namespace kettle
