// SPDX-License-Identifier: Apache-2.0
#include <algorithm>

#include "kettle/machine/conditions.h"
#include "kettle/task/feed.h"
#include "kettle/task/unpaced.h"

namespace kettle {

namespace {

// This worker and what it runs on are not others.
const std::set<std::string> kOwn = {"kettle-engine", "kettle-gpu"};

}  // namespace

SoakOutcome RunSoak(const SoakTask& task, const Clock& clock, const std::function<void(double)>& progress) {
  const Y4mFile footage(task.footage);
  Heartbeat heartbeat(clock, progress);
  Feed feed(task.settings, footage, clock, false);
  SoakOutcome outcome;
  std::int64_t index = 0;
  for (int fed = 0; fed < kWarmUpFrames; ++index) {
    fed += feed.Frame(index);
    heartbeat(0);
  }

  const std::int64_t start_ns = clock.now_ns();
  std::int64_t window_ns = start_ns;
  int packets = feed.log().packets();
  ConditionSample sample = SampleConditions();
  const auto seconds = [](std::int64_t from_ns, std::int64_t to_ns) {
    return static_cast<double>(to_ns - from_ns) * 1e-9;
  };
  while (seconds(start_ns, window_ns) + task.window_seconds <= task.seconds + 1e-6) {
    std::int64_t now_ns = window_ns;
    for (; seconds(window_ns, now_ns) < task.window_seconds; now_ns = clock.now_ns()) {
      feed.Frame(index++);
      heartbeat(std::min(1.0, seconds(start_ns, now_ns) / task.seconds));
    }
    const double length = seconds(window_ns, now_ns);
    const ConditionSample later = SampleConditions();
    const Conditions conditions = ReadConditions(sample, later, length, kOwn);
    outcome.windows.push_back({seconds(start_ns, window_ns), (feed.log().packets() - packets) / length,
                               conditions.throttle_events, conditions.stolen_cores, conditions.other_cores});
    packets = feed.log().packets();
    sample = later;
    window_ns = now_ns;
  }
  feed.End();
  outcome.device_name = feed.encoder().device_name();
  return outcome;
}

}  // namespace kettle
