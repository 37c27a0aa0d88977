// SPDX-License-Identifier: Apache-2.0
// The encodes that a stream may get: all of a space, and with B-frames, look-ahead and passes what is near those that
// were measured.
#pragma once

#include <set>
#include <string>
#include <tuple>
#include <utility>
#include <vector>

#include "kettle/option/option_book.h"
#include "kettle/search/refinement.h"
#include "kettle/search/search_space.h"

namespace kettle {

struct Candidate {
  EncodeSettings settings;
  int looks = 0;            // in its busiest seconds, in this run, whoever asked for them
  bool asked_calm = false;  // in its calmest too
};

class StreamCandidates {
 public:
  // Neither is copied.
  StreamCandidates(const SearchSpace& space, const OptionBook& book);

  // Adds what differs by one step of refinement from one that was measured and keeps pace, and all of an encoder's
  // encodes with a refinement that was seen to gain something. Nothing where the space is not refined.
  void Grow();

  std::vector<Candidate>& all() { return all_; }
  const std::vector<Candidate>& all() const { return all_; }

 private:
  void Add(const EncodeSettings& settings);
  bool Gains(const Option& refined) const;
  void AddGrid(const std::string& encoder, const Refinement& refinement);

  const SearchSpace& space_;
  const OptionBook& book_;
  std::vector<Candidate> all_;
  std::vector<std::pair<std::string, Refinement>> grids_;  // encoders that have all their encodes with it
  std::vector<EncodeSettings> grown_;                      // from these
  // What tells them apart: encoder, preset, device, lines, frame rate, B-frames, look-ahead, passes.
  std::set<std::tuple<std::string, std::string, int, int, int, int, int, int, int>> keys_;
};

}  // namespace kettle
