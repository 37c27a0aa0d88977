// SPDX-License-Identifier: Apache-2.0
#include "kettle/planning/placement.h"

#include <algorithm>
#include <cmath>

#include "kettle/planning/ladder_walk.h"
#include "kettle/units/error.h"

namespace kettle {

namespace {

constexpr double kSameQualityDb = 0.1;

// Where a family's walk for one role ended.
struct Walked {
  const FamilyOptions* family = nullptr;
  int last = -1;  // the slowest preset that keeps pace alone
};

// Scores in steps of what nobody sees, so that "the same" is the same for any three pairs.
bool Better(const Pair& a, const Pair& b) {
  const auto step = [](const Option& option) { return std::lround(option.score / kSameQualityDb); };
  if (step(a.stream) != step(b.stream)) return step(a.stream) > step(b.stream);
  if (step(a.recording) != step(b.recording)) return step(a.recording) > step(b.recording);
  return a.demand.cpu_cores < b.demand.cpu_cores;
}

// The stream's preset among `last` and its faster neighbour, whichever looks better.
Option Best(const FamilyOptions& family, Role role, int last) {
  Option option = family.measure(role, last);
  if (last == 0) return option;
  Option faster = family.measure(role, last - 1);
  return faster.measured && faster.trouble.empty() && faster.score > option.score + kSameQualityDb ? faster : option;
}

void Weigh(const Walked& s, const Walked& r, const Capacity& capacity, Placement& placement) {
  const auto fits = [&](const Option& stream, const Option& recording) {
    return PredictDemand(stream, recording, capacity).fits;
  };
  const Option lightest = r.family->measure(Role::kRecording, 0);
  const int stream_preset =
      LastHolding(s.last + 1, [&](int i) { return fits(s.family->measure(Role::kStream, i), lightest); });
  if (stream_preset < 0) {
    const Option fastest = s.family->measure(Role::kStream, 0);
    placement.rejected.push_back({fastest.title(), lightest.title(), PredictDemand(fastest, lightest, capacity),
                                  "even the fastest presets do not fit together"});
    return;
  }
  const Option stream = Best(*s.family, Role::kStream, stream_preset);
  const int recording_preset =
      LastHolding(r.last + 1, [&](int i) { return i == 0 || fits(stream, r.family->measure(Role::kRecording, i)); });
  Option recording = Best(*r.family, Role::kRecording, std::max(0, recording_preset));
  const Demand demand = PredictDemand(stream, recording, capacity);
  placement.feasible.push_back({stream, std::move(recording), demand});
}

}  // namespace

Demand PredictDemand(const Option& stream, const Option& recording, const Capacity& capacity) {
  Demand demand;
  demand.stand_in_cores = stream.stand_in_cores + recording.stand_in_cores;
  demand.cpu_cores = stream.cpu_cores + recording.cpu_cores + stream.feeding_cores + recording.feeding_cores + demand.stand_in_cores;
  demand.engine_share = stream.engine_share() + recording.engine_share();
  const double free = 1 - capacity.headroom;
  demand.fits = stream.trouble.empty() && recording.trouble.empty() && demand.cpu_cores <= capacity.cpu_cores * free &&
                demand.engine_share <= free;
  return demand;
}

Placement Place(const std::vector<FamilyOptions>& families, const Capacity& capacity) {
  Placement placement;
  const auto walk = [&](Role role) {
    std::vector<Walked> walked;
    for (const FamilyOptions& family : families) {
      const int last = LastHolding(family.presets, [&](int i) { return family.measure(role, i).keeps_pace(capacity.headroom); });
      if (last >= 0) {
        walked.push_back({&family, last});
        continue;
      }
      const Option fastest = family.measure(role, 0);
      const std::string why = fastest.trouble.empty()
                                  ? fmt::format("its fastest preset makes {:.0f} frames a second; {} at {:.0f} % headroom needs {:.0f}",
                                                fastest.throughput_fps, fastest.settings.frame_rate.str(), capacity.headroom * 100,
                                                fastest.settings.frame_rate.fps() / (1 - capacity.headroom))
                                  : fastest.trouble;
      placement.rejected.push_back({role == Role::kStream ? fastest.title() : "any", role == Role::kRecording ? fastest.title() : "any", std::nullopt, why});
    }
    return walked;
  };
  const std::vector<Walked> streams = walk(Role::kStream);
  if (streams.empty()) return placement;
  const std::vector<Walked> recordings = walk(Role::kRecording);
  for (const Walked& s : streams)
    for (const Walked& r : recordings) Weigh(s, r, capacity, placement);
  std::stable_sort(placement.feasible.begin(), placement.feasible.end(), Better);
  return placement;
}

}  // namespace kettle
