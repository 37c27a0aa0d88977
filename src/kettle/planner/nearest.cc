// SPDX-License-Identifier: Apache-2.0
#include "kettle/planner/nearest.h"

#include <algorithm>
#include <cmath>

namespace kettle {

namespace {

// The share of the asked pixels a second that a pair could hold: by each encode's own speed, and by what
// both take of processors and engine.
double SustainableShare(const Pair& pair, const Capacity& capacity) {
  const double free = 1 - capacity.headroom;
  const Demand demand = DemandOf(pair, capacity);
  const auto alone = [](const Option& option) { return option.throughput_fps / option.settings.frame_rate.fps(); };
  double share = std::min(alone(pair.stream), alone(pair.recording)) * free;
  share = std::min(share, capacity.cpu_cores * free / std::max(1e-6, demand.cpu_cores));
  return demand.engine_share > 0 ? std::min(share, free / demand.engine_share) : share;
}

// The same size at a lower frame rate, or a smaller size at the same one, or both to choose from.
Message Smaller(const EncodeSettings& settings, double share) {
  const auto rate = NextLowerRate(settings.frame_rate.fps() * share, settings.frame_rate);
  const double scale = std::sqrt(share);
  const FrameSize size{static_cast<int>(settings.size.width * scale / 16) * 16,
                       static_cast<int>(settings.size.height * scale / 16) * 16};
  const Message slower =
      rate ? Message{"nearest.picture", {{"size", settings.size.str()}, {"rate", rate->str()}}} : Message{};
  if (size.width < 64 || size.height < 64) return slower;
  const Message smaller{"nearest.picture", {{"size", size.str()}, {"rate", settings.frame_rate.str()}}};
  return slower.empty() ? smaller : Message{"nearest.either", {{"first", slower}, {"second", smaller}}};
}

std::vector<Option> Working(const std::vector<Option>& options) {
  std::vector<Option> working;
  std::copy_if(options.begin(), options.end(), std::back_inserter(working),
               [](const Option& option) { return option.trouble.empty() && option.throughput_fps > 0; });
  return working;
}

// Of all pairs that work, the one that could hold the largest share of what is asked; with no recordings, one encode
// for both.
struct NearestPair {
  std::optional<Pair> pair;
  double share = 0;
};
NearestPair Nearest(const std::vector<Option>& streams, const std::vector<Option>& recordings, const Capacity& capacity,
                    bool one_encode) {
  NearestPair best;
  const auto look_at = [&](const Pair& pair) {
    if (const double share = SustainableShare(pair, capacity); share > best.share) best = {pair, share};
  };
  for (const Option& stream : streams) {
    if (one_encode) look_at({stream, stream, {}, {}, true});
    for (const Option& recording : one_encode ? std::vector<Option>() : recordings) look_at({stream, recording, {}});
  }
  return best;
}

}  // namespace

std::optional<FrameRate> NextLowerRate(double highest_fps, FrameRate rate) {
  constexpr int kMostDivided = 6;
  for (int divisor = 2; divisor <= kMostDivided; ++divisor)
    if (const FrameRate lower{rate.numerator / divisor, rate.denominator};
        rate.numerator % divisor == 0 && lower.fps() <= highest_fps)
      return lower;
  return std::nullopt;
}

void ProveNearest(const std::vector<FamilyOptions>& families, const Capacity& capacity, const Prove& prove,
                  bool one_encode, Proving& proving) {
  constexpr double kWorthTrying = 0.67;  // of what was asked, without any headroom
  std::vector<Option> streams, recordings;
  for (const FamilyOptions& family : families) {
    if (family.streams) streams.push_back(family.measure(Role::kStream, 0));
    if (!one_encode && family.records) recordings.push_back(family.measure(Role::kRecording, 0));
  }
  streams = Working(streams);
  recordings = Working(recordings);
  const NearestPair nearest = Nearest(streams, recordings, {capacity.cpu_cores, 0}, one_encode);
  if (!nearest.pair || nearest.share < kWorthTrying) return;
  Pair pair = *nearest.pair;
  pair.demand = DemandOf(pair, capacity);
  for (const Attempt& attempt : proving.attempts)
    if (SameSettings(attempt.pair, pair)) return;
  Proof proof = prove(pair);
  proving.attempts.push_back({std::move(pair), std::move(proof)});
}

Message DescribeNearest(const std::vector<Option>& streams, const std::vector<Option>& recordings,
                        const Targets& targets, const Capacity& capacity, bool one_encode, const Proving& proving) {
  const std::vector<Option> working = Working(streams), working_recordings = Working(recordings);
  const NearestPair nearest =
      Nearest(working, working_recordings.empty() ? working : working_recordings, capacity, one_encode);
  if (!nearest.pair) return {};
  double share = nearest.share;
  // What failed its proof run holds no more than it coded there.
  for (const Attempt& attempt : proving.attempts)
    for (const PacedOutputOutcome* output : {&attempt.proof.stream, &attempt.proof.recording})
      if (output->frames > 0)
        share = std::min(share, static_cast<double>(output->frames - output->skipped) / output->frames);
  const Option& stream = nearest.pair->stream;
  if (one_encode)
    return Message{"nearest.one-encode",
                   {{"stream", stream.title()}, {"stream_picture", Smaller(stream.settings, share)}}};
  EncodeSettings recording = nearest.pair->recording.settings;
  if (working_recordings.empty()) {
    recording.size = targets.recording.size;
    recording.frame_rate = targets.recording.frame_rate;
  }
  return Message{"nearest.pair",
                 {{"stream", stream.title()},
                  {"stream_picture", Smaller(stream.settings, share)},
                  {"recording", nearest.pair->recording.title()},
                  {"recording_picture", Smaller(recording, share)}}};
}

}  // namespace kettle
