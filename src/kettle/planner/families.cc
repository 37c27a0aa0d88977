// SPDX-License-Identifier: Apache-2.0
// What the planner may place: each encoder family, asked for what both encodes need.
#include <algorithm>

#include "kettle/option/with_encoder.h"
#include "kettle/planner/planner.h"
#include "kettle/search/outlook.h"

namespace kettle {

namespace {

bool IsHeavier(const EncodeSettings& a, const EncodeSettings& b) {
  const auto pixel_rate = [](const EncodeSettings& s) {
    return static_cast<double>(s.size.pixels()) * s.frame_rate.fps();
  };
  return pixel_rate(a) >= pixel_rate(b) && a.bit_rate >= b.bit_rate;
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
    const auto sessions = request_.sessions.find(name);
    for (const int device : DevicesOf(request_, name)) {
      const auto settings = [stream = targets.stream, recording = targets.recording, levels = levels_,
                             refinements = refinements_, name, device](Role role, int preset) {
        if (role == Role::kRecording) return RecordingSettings(recording, name, preset, device, levels);
        EncodeSettings asked = WithEncoder(stream, name, FindFamily(name).presets.at(static_cast<std::size_t>(preset)));
        asked.device = device;
        const auto refinement = refinements.find({name, asked.preset, device});
        return refinement != refinements.end() ? WithRefinement(asked, refinement->second) : asked;
      };
      families.push_back(
          {name, static_cast<int>(FindFamily(name).presets.size()),
           [this, settings](Role role, int preset) {
             const EncodeSettings asked = settings(role, preset);
             if (role == Role::kStream) return options_.MeasureWhole(asked);
             // How a recording looks tells nothing until its level is found.
             return request_.show.recording_score ? options_.MeasureSpeed(asked) : options_.Measure(asked);
           },
           [&options = options_, settings](Role role, int preset) { return options.Known(settings(role, preset)); },
           LikelyToHold(name, [&](int preset) { return settings(Role::kStream, preset); }),
           BestStreamScore(settings(Role::kStream, 0)), RefiningMayGain(settings(Role::kStream, 0)), device,
           sessions == request_.sessions.end() ? 0 : sessions->second, RecordingPresets(name),
           draft_.MayUse(Role::kStream, name, device),
           draft_.IsPlainRecording(name) && draft_.MayUse(Role::kRecording, name, device)});
    }
  }
  return families;
}

// A recording that goes by its level looks as good with any preset; slower ones than the middle one make it little
// smaller.
int Planner::RecordingPresets(const std::string& family) const {
  const bool by_level =
      request_.show.recording_score && FindFamily(family).rates.contains(RateControl::kConstantQuality);
  return by_level ? static_cast<int>(FindFamily(family).presets.size()) / 2 + 1 : 0;
}

// The slowest preset that should keep pace by what others were measured to do; -1 if nothing tells.
int Planner::LikelyToHold(const std::string& family, const std::function<EncodeSettings(int)>& settings) const {
  const auto& options = options_.options();
  if (std::none_of(options.begin(), options.end(), [&](const Option& o) { return o.settings.encoder == family; }))
    return -1;
  Outlook outlook(draft_.space, options_);
  for (int preset = static_cast<int>(FindFamily(family).presets.size()) - 1; preset >= 0; --preset)
    if (outlook.PaceOf(settings(preset)).holds > 0.5) return preset;
  return -1;
}

std::optional<double> Planner::BestStreamScore(const EncodeSettings& like) const {
  std::optional<double> best;
  for (const Option& option : options_.options())
    if (option.settings.encoder == like.encoder && option.settings.device == like.device &&
        option.settings.rate_control == like.rate_control && option.settings.bit_rate == like.bit_rate &&
        option.scored() && option.keeps_pace(options_.required_headroom()))
      best = std::max(best.value_or(option.busiest_score()), option.busiest_score());
  return best;
}

Placement Planner::PlaceAt(const Targets& targets) {
  return Place(FamiliesAt(targets), plan_.capacity, IsHeavier(targets.recording, targets.stream));
}

}  // namespace kettle
