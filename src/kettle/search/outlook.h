// SPDX-License-Identifier: Apache-2.0
// What any encode of the stream is expected to do, measured or not, by all that was measured.
#pragma once

#include <map>
#include <string>
#include <utility>
#include <vector>

#include "kettle/model/cost_model.h"
#include "kettle/model/looks_model.h"
#include "kettle/option/option_book.h"
#include "kettle/search/search_space.h"

namespace kettle {

class Outlook {
 public:
  // By all options that the book knows. Those that are asked for as the space's target is, but for what a space has
  // many of, tell of looks.
  Outlook(const SearchSpace& space, const OptionBook& book);

  // The score and its deviation, in points, on the footage where it looks worst.
  Estimate Score(const EncodeSettings& settings) const;
  struct Pace {
    double seconds = 0;  // that a picture is expected to take
    double holds = 0;    // the probability that it keeps pace alone with the headroom that is required
  };
  Pace PaceOf(const EncodeSettings& settings);

 private:
  void Observe(const Option& option, bool tells_of_looks);

  FrameRate source_rate_;
  double free_;
  CostModel cost_;  // in seconds a picture, as time passes: of the processors or of a card's engine
  LooksModel looks_;
  double motion_ = 0;                                        // of the footage that looks worst
  std::map<std::pair<std::string, int>, int> well_, badly_;  // trials of an encoder on a device that ended so
};

}  // namespace kettle
