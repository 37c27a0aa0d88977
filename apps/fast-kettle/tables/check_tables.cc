// SPDX-License-Identifier: Apache-2.0
#include "tables/check_tables.h"

#include <fmt/format.h>

#include "report/looks.h"
#include "tables/plan_tables.h"
#include "terminal.h"

namespace kettle::app {

namespace {

std::string Described(const std::optional<Option>& option) {
  if (!option) return "nothing keeps pace";
  return fmt::format("{}, {} at {} frames per second, {:.1f}", option->title(), option->settings.size.str(),
                     option->settings.frame_rate.str(), option->score);
}

}  // namespace

void PrintGridCheck(const GridCheck& check) {
  fmt::print(
      "{}\n  grid    {} trials, {:.0f} s of encoding: {}\n  search  {} trials, {:.0f} s of encoding ({:.1f} %): {}\n"
      "  The search's choice looks {:.1f} points worse.\n\n",
      Paint("The whole grid, and the search on the same trials", Tone::kStrong), check.grid_trials,
      check.grid_encode_seconds, Described(check.grid_best), check.search_trials, check.search_encode_seconds,
      check.encode_share() * 100, Described(check.search_best), check.loss());
}

void PrintPairCheck(const PairCheck& check) {
  const auto told = [](const std::optional<Pair>& pair) -> std::string {
    if (!pair) return "none";
    const auto one = [](const Option& option) { return fmt::format("{} ({})", Encode(option), Points(option.score)); };
    return one(pair->stream) + (pair->one_encode ? ", recorded as it is" : "; recording " + one(pair->recording));
  };
  fmt::print(
      "{}\n  best    {}\n  plan's  {}\n  {} trials, {} pairs. The plan's stream looks {:.1f} points worse, its "
      "recording {:.1f}.\n\n",
      Paint("All pairs of stream and recording, and the plan's, on the same trials", Tone::kStrong), told(check.best),
      told(check.plans), check.trials, check.pairs, check.stream_loss(), check.recording_loss());
}

}  // namespace kettle::app
