// SPDX-License-Identifier: Apache-2.0
#include "kettle/diagnosis/cure.h"

#include <algorithm>
#include <utility>

namespace kettle {

using Cure = Diagnosis::Cure;

namespace {

constexpr double kBrokenLine = 0.1;  // of the stream's rate: there is no line

// Of the steps that fit into what the line took the one that looks best, or the last one there is.
Cure LineCure(double line_kbps, const PlanFile& plan, int stream) {
  if (plan.line.empty() || stream > 0) return {Cause::kUplink, 0, Message{"cure.lower-bit-rate"}, true};
  const PlanStep* fits = nullptr;
  for (const PlanStep& step : plan.line)
    if (step.settings.bit_rate.kbps() <= line_kbps && (!fits || step.costs < fits->costs)) fits = &step;
  if (fits)
    return {Cause::kUplink, 0, Message{"cure.lower-to", {{"step", fits->what}, {"kbps", fits->saves_kbps}}}, true,
            *fits};
  if (line_kbps < kBrokenLine * plan.stream.bit_rate.kbps()) return {Cause::kUplink, 0, Message{"cure.uplink-outage"}};
  // The most that the plan can save, at the least cost.
  const PlanStep& most =
      *std::min_element(plan.line.begin(), plan.line.end(), [](const PlanStep& a, const PlanStep& b) {
        return std::pair(-a.saves_kbps, a.costs) < std::pair(-b.saves_kbps, b.costs);
      });
  return {
      Cause::kUplink, 0,
      Message{"cure.lowest-measured", {{"step", most.what}, {"kbps", most.saves_kbps}, {"carried_kbps", line_kbps}}},
      true, most};
}

// The plan's first step down, or what else there is to do.
Cure StepCure(Cause cause, const std::vector<PlanStep>& steps, const Message& without_steps) {
  if (steps.empty()) return {cause, 0, without_steps};
  const PlanStep& first = steps.front();
  if (first.gains_fps <= 0) return {cause, 0, Message{"cure.take-to-free", {{"step", first.what}}}, false, first};
  return {cause, 0, Message{"cure.take", {{"step", first.what}, {"fps", first.gains_fps}}}, false, first};
}

Cure MoveRecording(Cause cause, const PlanStep& step) {
  return {cause, 0, Message{"cure.move-recording", {{"to", step.what}}}, false, step};
}

Cure GameCure(Cause cause, const std::vector<PlanStep>& steps) {
  Cure cure = StepCure(cause, steps, Message{"cure.cap-game"});
  if (cure.step) cure.action = Message{"cure.cap-game-or", {{"step", cure.action}}};
  return cure;
}

// One encode for all destinations, a faster preset of the recording, then none of its own, then the stream's, then a
// smaller picture of the stream.
Cure GameLosesCure(const PlanFile& plan) {
  constexpr Cause cause = Cause::kGameLoses;
  const auto lighter = std::find_if(plan.line.begin(), plan.line.end(), [&](const PlanStep& step) {
    const auto pixel_rate = [](const EncodeSettings& s) {
      return static_cast<double>(s.size.pixels()) * s.frame_rate.fps();
    };
    return pixel_rate(step.settings) < pixel_rate(plan.stream);
  });
  for (const auto* steps : {&plan.to_one_stream, &plan.recording_encoder, &plan.to_one_encode, &plan.stream_encoder})
    if (!steps->empty())
      return {cause, 0, Message{"cure.take-to-free", {{"step", steps->front().what}}}, false, steps->front()};
  if (lighter != plan.line.end())
    return {cause, 0, Message{"cure.take-to-free", {{"step", lighter->what}}}, false, *lighter};
  return {cause, 0, Message{"cure.lighter-for-game"}};
}

}  // namespace

Cure CureFor(Cause cause, const std::string& program, double line_kbps, const PlanFile& plan, int stream) {
  // Several encodes of the stream take more than any other step gives back.
  const std::vector<PlanStep>& stream_steps = plan.to_one_stream.empty() ? plan.stream_encoder : plan.to_one_stream;
  switch (cause) {
    case Cause::kUplink: return LineCure(line_kbps, plan, stream);
    case Cause::kIngestLost: return {cause, 0, Message{"cure.other-ingest"}};
    case Cause::kDisk: return {cause, 0, Message{"cure.faster-disk"}};
    case Cause::kDiskFull: return {cause, 0, Message{"cure.free-space"}};
    case Cause::kOtherProgram:
      if (program.empty()) return {cause, 0, Message{"cure.close-programs"}};
      return {cause, 0, Message{"cure.close-program", {{"program", program}}}};
    case Cause::kStolen: return {cause, 0, Message{"cure.own-processors"}};
    case Cause::kGameLoses: return GameLosesCure(plan);
    case Cause::kGame:
    case Cause::kSourceStarved: return GameCure(cause, stream_steps);
    case Cause::kSourceHeldUp: return {cause, 0, Message{"cure.paused-capture"}};
    case Cause::kStreamFailed: return {cause, 0, Message{"cure.failed-stream"}};
    case Cause::kRecordingFailed:
      if (!plan.recording_elsewhere.empty()) return MoveRecording(cause, plan.recording_elsewhere.front());
      if (plan.to_one_encode.empty()) return {cause, 0, Message{"cure.failed-recording"}};
      return {cause, 0, Message{"cure.record-stream"}, false, plan.to_one_encode.front()};
    case Cause::kRecordingEncoder:
      if (plan.recording_encoder.empty() && !plan.recording_elsewhere.empty())
        return MoveRecording(cause, plan.recording_elsewhere.front());
      return StepCure(cause, plan.recording_encoder.empty() ? plan.to_one_encode : plan.recording_encoder,
                      Message{"cure.lighter-recording"});
    case Cause::kStreamEncoder: return StepCure(cause, stream_steps, Message{"cure.lighter-stream"});
    case Cause::kUnknown: return {cause, 0, Message{"cure.unknown"}};
  }
  return {};
}

}  // namespace kettle
