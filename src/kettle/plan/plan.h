// SPDX-License-Identifier: Apache-2.0
// From a show to a proven plan, with the evidence of every choice.
#pragma once

#include <functional>
#include <map>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "kettle/machine/disk.h"
#include "kettle/option/trial_book.h"
#include "kettle/option/with_encoder.h"
#include "kettle/placement/encode_each.h"
#include "kettle/placement/placement.h"
#include "kettle/placement/step_down.h"
#include "kettle/plan/colour_check.h"
#include "kettle/plan/ladder.h"
#include "kettle/plan/targets.h"
#include "kettle/plan/trade.h"
#include "kettle/search/exhaustive.h"
#include "kettle/search/picture_search.h"
#include "kettle/search/recording_level.h"
#include "kettle/show/show.h"

namespace kettle {

struct Plan {
  std::string title;
  Targets targets;
  Capacity capacity;
  First first = First::kGame;
  std::optional<Pair> chosen;  // not set: nothing holds, not even tightly
  Placement placement;
  std::optional<Option> runner_up;  // the stream's best looking other encoder, preset or picture that keeps pace alone
  std::vector<LadderStep> ladder;   // for a line that does not hold
  std::optional<EncodeEach> each;   // for several destinations that are not asked the same
  double stream_gives = 2;          // Show::stream_gives
  double game_gives = 0.02;         // Show::game_gives
  std::vector<TradePoint> trade;    // if the show leaves open how to record: the ways that were looked at
  std::vector<OtherCodec> other_codecs;           // that were not taken, and why
  std::optional<RecordingLevel> recording_level;  // if the recording shall look as good as was asked
  std::optional<ColourCheck> colour;              // of what the proof run wrote
  std::optional<Disk> disk;                       // that the recordings go to
  Proving proving;
  std::optional<Attempt> other_sharing;  // the chosen pair with processors divided, or shared, whichever was not taken
  std::vector<TriedPicture> pictures;    // sizes and frame rates tried for the stream, best first; empty if given
  std::vector<Option> options[2];        // by Role, at its size and rate: all that were measured, fastest preset first
  Message nearest;                       // if nothing holds: what would, as a prediction
  int trials = 0;                        // that the search needed, those used again included
  int grid = 0;                          // that trying every preset on every footage would need
  int measured = 0, reused = 0;          // trials of this run, and of earlier ones
  std::string container = "matroska";    // the recording's: Show::recording_container
  std::map<std::string, bool> over_srt;  // the show's destinations by name: whether they take SRT only
  double recording_hours = 3;
  double keep_last_seconds = 0;  // Show::keep_last_seconds
  bool under_load = false;       // the game's load ran beside everything that was measured
  bool simulated = false;        // something of it was measured on a simulated device

  PlanVerdict verdict() const { return proving.verdict(capacity); }
  // What the chosen recording takes of the disk: as measured where a quality rules, else its average.
  BitRate recording_rate() const;
  // That the last seconds take in memory at most: with the group of pictures that is begun before them, and sound.
  double kept_bytes() const;
};

// What is searched for the stream.
SearchSpace SpaceOf(const Targets& targets, const std::vector<std::string>& families);

// What the book holds of `target` with any encoder, preset and device, on any of the footage: in catalogue order,
// trials of earlier runs included.
std::vector<Option> KnownOptions(const TrialBook& book, const EncodeSettings& target,
                                 const std::vector<Footage>& footage);

// All that is told of a plan. Read back it lacks what a plan is made from: the targets but for their reasons and
// warnings, combinations that would have fitted too, and the proof's single frames, which are in the CSV.
void to_json(nlohmann::json& json, const Plan& plan);
void from_json(const nlohmann::json& json, Plan& plan);

}  // namespace kettle
