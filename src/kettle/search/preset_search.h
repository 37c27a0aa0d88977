// SPDX-License-Identifier: Apache-2.0
// Which preset of an encoder looks best at a picture, among those that the machine holds there.
#pragma once

#include <map>
#include <optional>
#include <string>
#include <vector>

#include "kettle/option/option_book.h"
#include "kettle/search/search_space.h"

namespace kettle {

// What each preset adds to the score over the next faster one, averaged over the pictures where it was seen.
class PresetGains {
 public:
  // `gain` points from one preset to a slower one, shared by the steps between.
  void Note(int faster, int slower, double gain);
  // Points from one preset to a slower one. A step that was not seen adds as much as the others do, none less than 0.
  double Between(int faster, int slower) const;

 private:
  struct Step {
    double sum = 0;
    int seen = 0;
    double mean() const { return seen > 0 ? sum / seen : 0; }
  };
  std::map<int, Step> steps_;  // by the slower preset of the two
};

// Presets by their index in the catalogue: a larger one is slower.
class PresetSearch {
 public:
  // The slowest preset known to hold, and the fastest known, or taken, not to.
  struct Range {
    int low = -1, high = 0;
  };
  // What is known of an encoder at one picture.
  struct Known {
    Range range;
    int scout = -1, likely = -1;  // the preset scouted, and the slowest one that should hold
    double scout_score = 0;       // points
    std::optional<Option> best;   // the best looking of those measured that hold; unset: none holds
    bool walked = false;          // to the slowest preset that holds
  };

  // Of the space, the target and the families' devices. Both must outlive it.
  PresetSearch(const SearchSpace& space, OptionBook& book) : space_(space), book_(book) {}

  static Range All(const std::string& encoder);

  // Measures a preset that codes quickly: the middle one, or the slowest below it that holds.
  Known Scout(const std::string& encoder, FrameSize size, FrameRate rate, Range range);

  // Finds the slowest preset that holds, by halving, going by what was measured elsewhere.
  void Walk(const std::string& encoder, FrameSize size, FrameRate rate, Known& known);

  // The presets beside the best one, until one looks no better: looks mostly get better along the presets, not
  // always.
  void LookBeside(const std::string& encoder, FrameSize size, FrameRate rate, Known& known);

  // The slowest preset that should hold, by all that was measured since.
  void Foresee(const std::string& encoder, FrameSize size, FrameRate rate, Known& known) const;

  // The best score measured, or that slower presets than the scouted one should reach; kNotScored: none holds.
  double Promise(const std::string& encoder, const Known& known) const;

  EncodeSettings SettingsOf(const std::string& encoder, FrameSize size, FrameRate rate, int preset) const;

  double best_score() const { return best_score_; }  // measured, of all that hold; kNotScored: none

 private:
  struct Place {
    const std::string& encoder;
    FrameSize size;
    FrameRate rate;
  };
  EncodeSettings SettingsOf(const Place& place, int preset) const {
    return SettingsOf(place.encoder, place.size, place.rate, preset);
  }
  Option Measure(const Place& place, int preset);
  bool Holds(const Option& option) const { return option.keeps_pace(book_.required_headroom()); }
  double NeededFps(FrameRate rate) const { return rate.fps() / (1 - book_.required_headroom()); }
  bool ShouldHold(const Place& place, int preset) const;
  int SlowestHolding(const Place& place, Range range);
  std::optional<int> NextToTry(const Place& place, int good, int bad) const;
  void TakeBest(const Place& place, int slowest, Known& known);

  const SearchSpace& space_;
  OptionBook& book_;
  std::map<std::string, PresetGains> gains_;  // by encoder
  double best_score_ = kNotScored;
};

}  // namespace kettle
