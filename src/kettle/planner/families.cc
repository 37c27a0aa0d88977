// SPDX-License-Identifier: Apache-2.0
// What the planner may place: each encoder family, asked for what both encodes need.
#include <algorithm>

#include "kettle/option/with_encoder.h"
#include "kettle/planner/planner.h"
#include "kettle/search/search_space.h"

namespace kettle {

namespace {

Message TooSlow(const Option& fastest, double headroom) {
  if (!fastest.trouble.empty()) return Verbatim(fastest.trouble);
  return Message{"placement.too-slow",
                 {{"fps", fastest.throughput_fps},
                  {"rate", fastest.settings.frame_rate.str()},
                  {"percent", headroom * 100},
                  {"needed_fps", fastest.settings.frame_rate.fps() / (1 - headroom)}}};
}

bool IsOf(const Option& option, const FamilyOptions& family) {
  return option.settings.encoder == family.family && option.settings.device == family.device;
}

}  // namespace

EncodeSettings RecordingSettings(const EncodeSettings& target, const std::string& family, int preset, int device,
                                 const RecordingLevels& levels) {
  EncodeSettings asked = WithEncoder(target, family, FindFamily(family).presets.at(static_cast<std::size_t>(preset)));
  asked.device = device;
  const auto level = levels.find(family);
  return level != levels.end() ? AtLevel(asked, level->second) : asked;
}

std::vector<FamilyOptions> Planner::FamiliesAt(const Targets& targets) {
  std::vector<FamilyOptions> families;
  for (const std::string& name : draft_.families()) {
    for (const int device : DevicesOf(request_, name)) {
      const auto settings = [this, stream = targets.stream, recording = targets.recording, levels = levels_, name,
                             device](Role role, int preset) {
        if (role == Role::kRecording) return RecordingSettings(recording, name, preset, device, levels);
        EncodeSettings asked = WithEncoder(stream, name, FindFamily(name).presets.at(static_cast<std::size_t>(preset)));
        asked.device = device;
        return WithRefinement(asked, BestRefinement(asked));
      };
      families.push_back({name, static_cast<int>(FindFamily(name).presets.size()),
                          [this, settings](Role role, int preset) {
                            const EncodeSettings asked = settings(role, preset);
                            if (role == Role::kStream) return options_.MeasureWhole(asked);
                            // How a recording looks tells nothing until its level is found.
                            return request_.show.recording_score ? options_.MeasureSpeed(asked)
                                                                 : options_.Measure(asked);
                          },
                          [this, settings](Role role, int preset) { return options_.Known(settings(role, preset)); },
                          device, RecordingPresets(name), draft_.MayUse(Role::kStream, name, device),
                          draft_.IsPlainRecording(name) && draft_.MayUse(Role::kRecording, name, device)});
    }
  }
  return families;
}

// The B-frames, look-ahead and passes with which that encode was seen to look best; as asked where nothing was.
Refinement Planner::BestRefinement(const EncodeSettings& plain) const {
  const Option* best = nullptr;
  for (const Option& option : options_.options())
    if (WithRefinement(option.settings, {}) == WithRefinement(plain, {}) && option.scored() &&
        option.keeps_pace(options_.required_headroom()) && draft_.space.Has(option.settings) &&
        (!best || option.busiest_score() > best->busiest_score()))
      best = &option;
  return RefinementOf(best ? best->settings : plain);
}

// A recording that goes by its level looks as good with any preset; slower ones than the middle one make it little
// smaller.
int Planner::RecordingPresets(const std::string& family) const {
  const bool by_level =
      request_.show.recording_score && FindFamily(family).rates.contains(RateControl::kConstantQuality);
  return by_level ? static_cast<int>(FindFamily(family).presets.size()) / 2 + 1 : 0;
}

// Why an encoder has no part in what was placed, as stream or as recording, by the best and the fastest that is known
// of it at that picture.
void Planner::TellWhatIsRuledOut(Placement& placement, const Targets& targets) {
  const double headroom = options_.required_headroom();
  const bool one_encode = !placement.feasible.empty() && placement.feasible.front().one_encode;
  for (const FamilyOptions& family : FamiliesAt(targets)) {
    const auto has_part = [&](const Pair& pair) { return IsOf(pair.stream, family) || IsOf(pair.recording, family); };
    if (std::any_of(placement.feasible.begin(), placement.feasible.end(), has_part)) continue;
    const Option *best = nullptr, *fastest = nullptr;
    for (const Option& option : options_.options()) {
      if (!IsOf(option, family) || !draft_.space.Has(option.settings)) continue;
      if (!fastest || option.throughput_fps > fastest->throughput_fps) fastest = &option;
      if (option.scored() && option.keeps_pace(headroom) && (!best || option.score > best->score)) best = &option;
    }
    if (!fastest || !family.streams) continue;
    const auto refuse = [&](const Option& option, const std::optional<Demand>& demand, const Message& why) {
      placement.rejected.push_back({option.title(), one_encode ? option.title() : "any", demand, why});
    };
    if (!best) {
      refuse(*fastest, std::nullopt, TooSlow(*fastest, headroom));
      continue;
    }
    const Pair* taken = placement.feasible.empty() ? nullptr : &placement.feasible.front();
    const Demand demand = taken && !one_encode ? PredictDemand(*best, taken->recording, plan_.capacity)
                                               : DemandAlone(*best, plan_.capacity);
    if (!demand.fits)
      refuse(*best, demand, Message{"placement.misfit", {{"lacking", Lacking(demand, plan_.capacity)}}});
    else if (taken)
      refuse(*best, std::nullopt,
             Message{"placement.looks-worse",
                     {{"score", best->score}, {"other", taken->stream.title()}, {"other_score", taken->stream.score}}});
  }
}

}  // namespace kettle
