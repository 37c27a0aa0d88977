// SPDX-License-Identifier: Apache-2.0
// Many trials in rounds, one repeat of each in a round, so that what the machine does for a while falls on all alike.
#pragma once

#include <functional>
#include <optional>
#include <vector>

#include "kettle/trial/repeats.h"
#include "kettle/trial/trial.h"
#include "kettle/units/clock.h"

namespace kettle {

struct TrialJob {
  EncodeSettings settings;
  Footage footage;
  std::optional<Trial> trial;       // what is known of it; empty: nothing yet
  std::optional<int> most_repeats;  // fewer than the rules allow
  int scored_a_second = kScoredASecond;
};

struct InterleaveLimits {
  RepeatRules rules;
  std::optional<double> budget_seconds;  // for all together
  // All go on as long as one does: what the machine does for a while then falls on all alike, to the last round.
  bool whole_rounds = false;
};

// True if nothing more is to be measured: it failed, it is far too slow to matter, or its repeats are enough.
bool Finished(const TrialJob& job, const RepeatRules& rules);

// Runs rounds until every job is finished or the budget is used up: no repeat is begun that, by what is known, would
// not end in time, and one of which nothing is known is cut short. Jobs that no time was left for keep an empty trial.
// `on_new` is called after each repeat. Throws what the runner throws.
void RunInterleaved(std::vector<TrialJob>& jobs, const InterleaveLimits& limits, TrialRunner& runner,
                    const Clock& clock, const std::function<void()>& on_new);

// What RunInterleaved should take: what is known of a job, and real time for what is not. If all is to be measured
// anew, what is known counts for the time only.
struct Expectation {
  double seconds = 0;
  int repeats = 0;  // to be run, at the fewest
  int unknown = 0;  // of the jobs
};
Expectation Expect(const std::vector<TrialJob>& jobs, const RepeatRules& rules, bool anew = false);

}  // namespace kettle
