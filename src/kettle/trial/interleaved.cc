// SPDX-License-Identifier: Apache-2.0
#include "kettle/trial/interleaved.h"

#include <algorithm>

#include "kettle/units/statistics.h"

namespace kettle {

namespace {

constexpr double kStartSeconds = 0.3;      // of a worker, roughly; only for expectations
constexpr double kQualityOfContent = 0.7;  // decoding and comparing, as a share of the footage's length; the same
constexpr double kLeastSeconds = 0.5;      // an encode shorter than this tells nothing

RepeatRules RulesFor(const TrialJob& job, RepeatRules rules) {
  rules.most = std::min(rules.most, job.most_repeats.value_or(rules.most));
  rules.least = std::min(rules.least, rules.most);
  return rules;
}

// One more repeat of a job, by what is known of it.
double RepeatSeconds(const TrialJob& job) {
  if (!job.trial || job.trial->repeats.empty())
    return job.footage.seconds() * (1 + kQualityOfContent) + 2 * kStartSeconds;
  const TrialTiming& timing = job.trial->timing;
  return (timing.total - timing.quality) / static_cast<double>(job.trial->repeats.size());
}

// The longest that a first encode may take so that it and its quality end within `left`.
double LongestEncode(const TrialJob& job, double left) {
  const double content = job.footage.seconds();
  return std::min(4 * content, left - content * kQualityOfContent - 2 * kStartSeconds);
}

void AddRepeat(TrialJob& job, Trial&& another) {
  if (job.trial)
    AddRepeat(*job.trial, another);
  else
    job.trial = std::move(another);
}

// It failed, it is far too slow to matter, or it was repeated as often as it may be.
bool AtItsEnd(const TrialJob& job, const RepeatRules& for_all) {
  if (!job.trial) return false;
  const Trial& trial = *job.trial;
  return !trial.done() || trial.truncated || static_cast<int>(trial.repeats.size()) >= RulesFor(job, for_all).most;
}

}  // namespace

bool Finished(const TrialJob& job, const RepeatRules& for_all) {
  if (!job.trial) return false;
  return AtItsEnd(job, for_all) ||
         (!job.trial->disturbed() && Settled(CountedThroughputs(*job.trial), RulesFor(job, for_all)));
}

void RunInterleaved(std::vector<TrialJob>& jobs, const InterleaveLimits& limits, TrialRunner& runner,
                    const Clock& clock, const std::function<void()>& on_new) {
  const std::int64_t start_ns = clock.now_ns();
  const auto left = [&] { return *limits.budget_seconds - static_cast<double>(clock.now_ns() - start_ns) * 1e-9; };
  const auto finished = [&](const TrialJob& job) { return Finished(job, limits.rules); };
  for (bool progress = true; progress;) {
    progress = false;
    const bool whole = limits.whole_rounds && !std::all_of(jobs.begin(), jobs.end(), finished);
    for (TrialJob& job : jobs) {
      if (whole ? AtItsEnd(job, limits.rules) : finished(job)) continue;
      TrialRequest request{job.settings, job.footage, !job.trial || !job.trial->quality, {}};
      request.scored_a_second = job.scored_a_second;
      if (limits.budget_seconds && job.trial && RepeatSeconds(job) > left()) continue;
      if (limits.budget_seconds && !job.trial) {
        request.longest_seconds = LongestEncode(job, left());
        if (*request.longest_seconds < kLeastSeconds) continue;
      }
      AddRepeat(job, runner.Run(request));
      progress = true;
      on_new();
    }
  }
}

Expectation Expect(const std::vector<TrialJob>& jobs, const RepeatRules& rules, bool anew) {
  Expectation expectation;
  for (const TrialJob& job : jobs) {
    if (!anew && Finished(job, rules)) continue;
    const int done = job.trial && !anew ? static_cast<int>(job.trial->repeats.size()) : 0;
    const int more = std::max(1, RulesFor(job, rules).least - done);
    expectation.repeats += more;
    expectation.unknown += !job.trial;
    const double later = job.trial ? RepeatSeconds(job) : job.footage.seconds() + kStartSeconds;
    const double quality = !job.trial ? job.footage.seconds() * kQualityOfContent + kStartSeconds
                           : anew     ? job.trial->timing.quality
                                      : 0;
    expectation.seconds += quality + more * later;
  }
  return expectation;
}

}  // namespace kettle
