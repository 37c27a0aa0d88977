// SPDX-License-Identifier: Apache-2.0
// The recording's quality level in place of a bit rate by rule.
#include <fmt/format.h>

#include <algorithm>

#include "kettle/option/option_picks.h"
#include "kettle/planner/planner.h"

namespace kettle {

namespace {

constexpr double kNearEnough = 2;  // points, to the recording's goal

Footage AtOwnSize(Footage footage, FrameSize size) {
  const FrameSize viewed = footage.viewing_size.width > 0 ? footage.viewing_size : footage.size;
  if (size.pixels() < viewed.pixels()) footage.viewing_size = size;
  return footage;
}

}  // namespace

// Replaces the rule's bit rate of the best pair's recording by the level that reaches the goal; false if no preset
// holds with it: then the rule stands. A recording smaller than the source goes by how it looks at its own size.
bool Planner::SettleRecording(double goal, Settled& settled) {
  draft_.Begin(PlanStage::kRecordingLevel);
  const Pair pair = settled.placement.feasible.front();
  const std::string& family = pair.recording.settings.encoder;
  const std::string hardest = HardestClip(pair.stream);
  const auto footage = std::find_if(request_.footage.begin(), request_.footage.end(),
                                    [&](const Footage& pictures) { return pictures.label == hardest; });
  if (footage == request_.footage.end()) return true;
  const Footage pictures = AtOwnSize(*footage, pair.recording.settings.size);
  settled.level = FindLevelWithSomePreset(pair.recording.settings, goal, pictures);
  RecordingLevel& found = *settled.level;
  if (!found.level) return true;
  found_levels_[family] = *found.level;
  levels_[family] = *found.level;
  const auto looks = [&](const Option& option) {
    if (IsWhole(option.settings)) return options_.Measure(option.settings).score;
    const Trial trial = draft_.book.Get(option.settings, pictures);
    return trial.quality ? trial.quality->picture_score : kNotScored;
  };
  if (const std::optional<Pair> holding = HoldingPreset(pair, goal, settled.targets, looks)) {
    settled.placement.feasible.insert(settled.placement.feasible.begin(), *holding);
    return true;
  }
  levels_.erase(family);
  found.trouble = Message{"recording-level.too-heavy", {{"level", *found.level}, {"encoder", family}}};
  found.level.reset();
  return false;
}

// At a good level an encoder may be too slow with a preset that keeps pace at the rule's bit rate: then with faster
// ones.
RecordingLevel Planner::FindLevelWithSomePreset(EncodeSettings settings, double goal, const Footage& pictures) {
  const auto earlier = found_levels_.find(settings.encoder);
  const auto first = earlier == found_levels_.end() ? std::nullopt : std::optional(earlier->second);
  const auto& presets = FindFamily(settings.encoder).presets;
  for (auto preset = std::find(presets.begin(), presets.end(), settings.preset);; --preset) {
    settings.preset = *preset;
    RecordingLevel found = FindRecordingLevel(
        settings, goal, pictures, draft_.book, [this] { return draft_.MayGoOn(PlanStage::kRecordingLevel); }, first);
    if (found.trouble.key != "recording-level.too-slow" || preset == presets.begin()) return found;
  }
}

// The source's own picture, every frame of it.
bool Planner::IsWhole(const EncodeSettings& recording) const {
  return recording.size == request_.show.source_size && recording.frame_rate == request_.show.source_rate;
}

// The pair with its recording at the level known by now: with the slowest preset, from the pair's own on, that holds
// beside the stream and reaches the goal too, near enough.
std::optional<Pair> Planner::HoldingPreset(const Pair& pair, double goal, const Targets& targets,
                                           const std::function<double(const Option&)>& looks) {
  const EncodeSettings& ruled = pair.recording.settings;
  const std::vector<FamilyOptions> families = FamiliesAt(targets);
  const auto family = std::find_if(families.begin(), families.end(), [&](const FamilyOptions& f) {
    return f.family == ruled.encoder && f.device == ruled.device;
  });
  const auto& presets = FindFamily(ruled.encoder).presets;
  for (auto preset = std::find(presets.begin(), presets.end(), ruled.preset) - presets.begin(); preset >= 0; --preset) {
    Pair settled{pair.stream, family->measure(Role::kRecording, static_cast<int>(preset)), {}};
    settled.demand = DemandOf(settled, plan_.capacity);
    if (!settled.recording.keeps_pace(options_.required_headroom()) || !settled.demand.fits) continue;
    if (preset > 0 && looks(settled.recording) < goal - kNearEnough) continue;
    return settled;
  }
  return std::nullopt;
}

// One that keeps its rule's bit rate after all.
void Planner::ScoreRecording() {
  if (!plan_.proving.holds()) return;
  Option& recording = plan_.proving.attempts.back().pair.recording;
  if (!recording.scored()) recording = options_.ScoreEverywhere(recording.settings);
}

}  // namespace kettle
