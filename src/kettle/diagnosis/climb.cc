// SPDX-License-Identifier: Apache-2.0
#include "kettle/diagnosis/climb.h"

#include <algorithm>
#include <nlohmann/json.hpp>

#include "kettle/units/json_fields.h"

namespace kettle {

namespace {

template <class Steps>
auto FindStep(Steps& steps, const PlanStep& step) {
  return std::find_if(steps.begin(), steps.end(), [&](const PlanStep& s) { return s.what == step.what; });
}
bool IsAmong(const std::vector<PlanStep>& steps, const PlanStep& step) { return FindStep(steps, step) != steps.end(); }

// Steps that a plan has behind it are none any more.
void Forget(std::vector<PlanStep>& steps, const PlanStep& taken) {
  const auto at = FindStep(steps, taken);
  if (at != steps.end()) steps.erase(steps.begin(), at + 1);
}

}  // namespace

std::optional<PlanFile> ApplyCure(const Diagnosis::Cure& cure, const PlanFile& plan) {
  if (!cure.step) return std::nullopt;
  PlanFile next = plan;
  const PlanStep& step = *cure.step;
  if (IsAmong(plan.line, step)) {
    next.stream.bit_rate = step.settings.bit_rate;
    next.stream.maximum_bit_rate = step.settings.maximum_bit_rate;
    next.stream.size = step.settings.size;
    next.stream.frame_rate = step.settings.frame_rate;
    Forget(next.line, step);
  } else if (IsAmong(plan.recording_encoder, step)) {
    next.recording.preset = step.settings.preset;
    Forget(next.recording_encoder, step);
  } else if (IsAmong(plan.recording_elsewhere, step)) {
    next.recording = step.settings;
    next.recording_device = step.device;
    next.recording_processors.clear();
    Forget(next.recording_elsewhere, step);
    next.recording_encoder.clear();  // those are of the encoder before
  } else if (IsAmong(plan.to_one_encode, step)) {
    next.one_encode = true;
    next.recording_processors = next.stream_processors;
    next.recording_encoder.clear();
    next.recording_elsewhere.clear();
    next.to_one_encode.clear();
  } else if (IsAmong(plan.to_one_stream, step)) {
    next.stream = step.settings;
    next.further_streams.clear();
    next.to_one_stream.clear();
    next.stream_encoder.clear();  // those were measured at the other bit rate
    next.line.clear();
  } else {
    next.stream.preset = step.settings.preset;
    Forget(next.stream_encoder, step);
  }
  if (next.one_encode) next.recording = next.stream;
  return next;
}

Climb ClimbDown(const PlanFile& plan, int most, const std::function<RehearsalVerdict(const PlanFile&)>& rehearse) {
  Climb climb;
  climb.plan = plan;
  std::vector<Diagnosis::Cure> taken;
  const auto note = [&](const std::string& step, bool back, const RehearsalVerdict& verdict) {
    climb.rehearsals.push_back({step, back, verdict.lost, verdict.holds, verdict.game_fps});
    return verdict.holds;
  };
  RehearsalVerdict verdict = rehearse(plan);
  climb.holds = note("", false, verdict);
  while (!climb.holds) {
    const auto& cures = verdict.diagnosis.cures;
    const auto cure =
        std::find_if(cures.begin(), cures.end(), [](const Diagnosis::Cure& c) { return c.step.has_value(); });
    if (cure == cures.end()) {
      climb.stopped = cures.empty() ? "frames were lost that no counter explains"
                                    : std::string(Name(cures.front().cause)) + ": no step of the plan fixes that";
      return climb;
    }
    if (static_cast<int>(taken.size()) == most) {
      climb.stopped = "frames were still lost after the last step: plan again under this load";
      return climb;
    }
    taken.push_back(*cure);
    climb.plan = *ApplyCure(*cure, climb.plan);
    const std::string step = cure->step->what;
    verdict = rehearse(climb.plan);
    climb.holds = note(step, false, verdict);
  }
  // Without the last step it did not hold; an earlier one may not be needed beside it.
  for (std::size_t i = 0; i + 1 < taken.size(); ++i) {
    PlanFile without = plan;
    for (std::size_t j = 0; j < taken.size(); ++j)
      if (j != i) without = ApplyCure(taken[j], without).value_or(without);
    if (without.stream == climb.plan.stream && without.recording == climb.plan.recording)
      continue;  // a later one holds
    const RehearsalVerdict again = rehearse(without);
    if (!note(taken[i].step->what, true, again)) continue;
    climb.plan = without;
    taken.erase(taken.begin() + static_cast<std::ptrdiff_t>(i--));
  }
  return climb;
}

KETTLE_JSON(Climbed, step, taken_back, lost, holds, game_fps)

void to_json(nlohmann::json& json, const Climb& climb) {
  json = {{"holds", climb.holds},        {"stopped", climb.stopped},          {"rehearsals", climb.rehearsals},
          {"stream", climb.plan.stream}, {"recording", climb.plan.recording}, {"one_encode", climb.plan.one_encode}};
}

void from_json(const nlohmann::json& json, Climb& climb) {
  KETTLE_READ_FIELDS(json, climb, holds, stopped, rehearsals);
  json.at("stream").get_to(climb.plan.stream);
  json.at("recording").get_to(climb.plan.recording);
  json.at("one_encode").get_to(climb.plan.one_encode);
}

}  // namespace kettle
