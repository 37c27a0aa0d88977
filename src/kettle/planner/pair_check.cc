// SPDX-License-Identifier: Apache-2.0
#include "kettle/planner/pair_check.h"

#include <algorithm>
#include <nlohmann/json.hpp>

#include "kettle/encoders/catalogue.h"
#include "kettle/planner/recording_way.h"
#include "kettle/units/json_fields.h"

namespace kettle {

namespace {

// Each preset of each family at that picture, on all footage, as far as it keeps pace.
void AddOptions(const EncodeSettings& target, const std::vector<std::string>& families, const PlanRequest& request,
                TrialBook& book, PairCheck& check, std::vector<Option>& options) {
  const SearchSpace space = StreamSpace(request);
  for (const std::string& family : families)
    for (const std::string& preset : FindFamily(family).presets) {
      EncodeSettings settings = WithEncoder(target, family, preset);
      settings.device = space.DeviceOf(family);
      std::vector<Trial> trials;
      for (const Footage& pictures : request.footage) trials.push_back(book.Get(settings, pictures));
      check.trials += static_cast<int>(trials.size());
      Option option = MakeOption(trials, true);
      if (option.keeps_pace(request.capacity.headroom) && option.scored()) options.push_back(std::move(option));
    }
}

Pair AsItIs(const Option& stream, const Capacity& capacity) {
  Pair pair{stream, stream, {}, {}, true};
  pair.demand = DemandOf(pair, capacity);
  return pair;
}

}  // namespace

PairCheck CheckPairs(const PlanRequest& request, TrialBook& book) {
  PairCheck check;
  const SearchSpace space = StreamSpace(request);
  std::vector<Option> streams, recordings;
  for (const FrameSize size : space.sizes)
    for (const FrameRate rate : space.rates) {
      EncodeSettings target = space.target;
      target.size = size;
      target.frame_rate = rate;
      AddOptions(target, request.families, request, book, check, streams);
    }
  const auto& families = request.recording_families.empty() ? request.families : request.recording_families;
  for (const FrameSize size : request.targets.recording_sizes)
    for (const FrameRate rate : request.targets.recording_rates)
      AddOptions(AtPicture(request.targets.recording, {size, rate}), families, request, book, check, recordings);
  for (const Option& stream : streams)
    if (AsItIs(stream, request.capacity).demand.fits) check.alone = std::max(check.alone.value_or(-1), stream.score);
  const auto weigh = [&](Pair pair) {
    ++check.pairs;
    if (!pair.demand.fits || pair.stream.score < *check.alone - request.show.stream_gives) return;
    const auto rank = [](const Pair& one) { return std::pair(one.recording.score, one.stream.score); };
    if (!check.best || rank(pair) > rank(*check.best)) check.best = std::move(pair);
  };
  for (const Option& stream : streams) {
    if (!check.alone) break;
    weigh(AsItIs(stream, request.capacity));
    for (const Option& recording : recordings)
      weigh({stream, recording, PredictDemand(stream, recording, request.capacity)});
  }
  return check;
}

void ComparePlan(const Plan& plan, PairCheck& check) {
  if (!plan.proving.attempts.empty()) check.plans = plan.proving.attempts.front().pair;
}

void to_json(nlohmann::json& json, const PairCheck& check) {
  json = {{"trials", check.trials},
          {"pairs", check.pairs},
          {"alone", check.alone},
          {"best", check.best},
          {"plans", check.plans},
          {"stream_loss", check.stream_loss()},
          {"recording_loss", check.recording_loss()}};
}

}  // namespace kettle
