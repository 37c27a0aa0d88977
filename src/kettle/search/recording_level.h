// SPDX-License-Identifier: Apache-2.0
// The quality level with which a recording looks as good as was asked: searched with trials, not guessed.
#pragma once

#include <functional>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "kettle/message/message.h"
#include "kettle/option/trial_book.h"

namespace kettle {

struct RecordingLevel {
  struct Step {
    int level = 0;                    // on the family's own scale: a smaller number is better
    double score = 0, mean_kbps = 0;  // Quality::picture_score
  };
  double goal = 0;           // likewise
  std::string footage;       // on which it was searched
  std::vector<Step> steps;   // in the order tried
  std::optional<int> level;  // the worst level that reaches the goal; not set: `trouble` says why
  Message trouble;
};

// Where the search begins, if nothing else tells: at its usual level a fast game looks about 58.
int StartLevel(const std::string& encoder, double goal);

// `settings` name encoder, preset, size and frame rate; the rate control becomes constant quality. Levels are tried
// from StartLevel on, by the slope between those tried, until the next worse one misses the goal, as measured or as a
// straight line between one that reaches it and one that does not has it, or the goal is passed by less than 1.5
// points; eight at most, and none once `go_on` says no. `first`: tried first instead.
RecordingLevel FindRecordingLevel(const EncodeSettings& settings, double goal, const Footage& footage, TrialBook& book,
                                  const std::function<bool()>& go_on = {}, std::optional<int> first = {});

// `settings` under constant quality at that level.
EncodeSettings AtLevel(EncodeSettings settings, int level);

void to_json(nlohmann::json& json, const RecordingLevel& found);
void from_json(const nlohmann::json& json, RecordingLevel& found);

}  // namespace kettle
