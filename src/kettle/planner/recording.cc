// SPDX-License-Identifier: Apache-2.0
// The recording's quality level in place of a bit rate by rule.
#include <fmt/format.h>

#include <algorithm>

#include "kettle/option/option_picks.h"
#include "kettle/planner/planner.h"

namespace kettle {

namespace {

constexpr double kNearEnough = 2;  // points, to the recording's goal

}  // namespace

// Replaces the rule's bit rate of the best pair's recording by the level that reaches the goal. Where no preset holds
// with it the rule stands.
void Planner::SettleRecording(double goal) {
  Begin(PlanStage::kRecordingLevel);
  const Pair pair = plan_.placement.feasible.front();
  const std::string& family = pair.recording.settings.encoder;
  const std::string hardest = HardestClip(pair.stream);
  const auto footage = std::find_if(request_.footage.begin(), request_.footage.end(),
                                    [&](const Footage& pictures) { return pictures.label == hardest; });
  if (footage == request_.footage.end()) return;
  plan_.recording_level = FindRecordingLevel(pair.recording.settings, goal, *footage, book_,
                                             [this] { return MayGoOn(PlanStage::kRecordingLevel); });
  RecordingLevel& found = *plan_.recording_level;
  if (!found.level) return;
  levels_[family] = *found.level;
  if (const std::optional<Pair> settled = HoldingPreset(pair, goal)) {
    plan_.placement.feasible.insert(plan_.placement.feasible.begin(), *settled);
    return;
  }
  levels_.erase(family);
  found.trouble = Message{"recording-level.too-heavy", {{"level", *found.level}, {"encoder", family}}};
  found.level.reset();
}

// The pair with its recording at the level known by now: with the slowest preset, from the pair's own on, that holds
// beside the stream and reaches the goal too, near enough.
std::optional<Pair> Planner::HoldingPreset(const Pair& pair, double goal) {
  const EncodeSettings& ruled = pair.recording.settings;
  const std::vector<FamilyOptions> families = FamiliesAt(plan_.targets);
  const auto family = std::find_if(families.begin(), families.end(), [&](const FamilyOptions& f) {
    return f.family == ruled.encoder && f.device == ruled.device;
  });
  const auto& presets = FindFamily(ruled.encoder).presets;
  for (auto preset = std::find(presets.begin(), presets.end(), ruled.preset) - presets.begin(); preset >= 0; --preset) {
    Pair settled{pair.stream, family->measure(Role::kRecording, static_cast<int>(preset)), {}};
    settled.demand = PredictDemand(settled.stream, settled.recording, plan_.capacity);
    if (!settled.recording.keeps_pace(options_.required_headroom()) || !settled.demand.fits) continue;
    if (settled.recording.score < goal - kNearEnough && preset > 0) continue;
    return settled;
  }
  return std::nullopt;
}

// One that keeps its rule's bit rate after all.
void Planner::ScoreRecording() {
  if (!plan_.proving.holds()) return;
  Option& recording = plan_.proving.attempts.back().pair.recording;
  if (!recording.scored()) recording = options_.Measure(recording.settings);
}

// What the recording's reasons say once its level is known, or why it is not.
void Planner::ExplainRecording() {
  if (!plan_.recording_level) return;
  Targets& targets = plan_.targets;
  const RecordingLevel& found = *plan_.recording_level;
  const EncodeSettings& settings = plan_.chosen->recording.settings;
  if (settings.rate_control != RateControl::kConstantQuality) {
    targets.warnings.push_back(
        Message{"recording-level.missed",
                {{"goal", found.goal},
                 {"why", found.trouble.empty() ? Message{"recording-level.failed-proof"} : found.trouble}}});
    return;
  }
  std::vector<Message> tried;
  for (const RecordingLevel::Step& step : found.steps)
    tried.push_back(Message{"recording-level.step", {{"level", step.level}, {"score", step.score}}});
  Explain(targets,
          {"recording.rate_control", Name(settings.rate_control), Message{"recording-level.constant-quality"}, true});
  Explain(
      targets,
      {"recording.quality_level", fmt::format("{}", *settings.quality_level),
       Message{"recording-level.found", {{"footage", found.footage}, {"goal", found.goal}, {"tried", tried}}}, true});
  Explain(targets, {"recording.bit_rate", fmt::format("{:.0f} kbit/s", plan_.chosen->recording.mean_kbps),
                    Message{"recording-level.measured-rate"}, true});
}

}  // namespace kettle
