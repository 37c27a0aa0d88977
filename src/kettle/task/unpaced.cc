// SPDX-License-Identifier: Apache-2.0
#include "kettle/task/unpaced.h"

#include <algorithm>

#include "kettle/evidence/reference_encode.h"
#include "kettle/media/writer.h"
#include "kettle/task/feed.h"
#include "kettle/units/error.h"

namespace kettle {

namespace {

constexpr int kFewestFrames = 30;
// Before an encode is given up: packets and seconds after the first, and how far behind it must be. An encode that
// cannot keep up for half a second skips frames there, whatever comes later.
constexpr int kTellingPackets = 15;
constexpr double kTellingSeconds = 0.5, kSurelySlower = 0.8;

double Since(std::int64_t start_ns, const Clock& clock) {
  return static_cast<double>(clock.now_ns() - start_ns) * 1e-9;
}

void WarmUp(const EncodeSettings& settings, const Y4mFile& footage, const Clock& clock, Heartbeat& heartbeat) {
  Feed feed(settings, footage, clock, false);
  for (int i = 0, fed = 0; fed < kWarmUpFrames; ++i) {
    fed += feed.Frame(i);
    heartbeat(0);
  }
  feed.End();
}

bool SurelySlower(const Pace& pace, double least_fps) {
  return pace.packets >= kTellingPackets && pace.seconds >= kTellingSeconds && pace.fps() < least_fps * kSurelySlower;
}

// The pace of an encode that was given up: of its packets, if they tell. If not it took too long, and the frames that
// went in meanwhile are more than it could have coded.
void TellPaceOf(const PacketLog& log, double least_fps, EncodeOutcome& outcome) {
  if (!SurelySlower(log.pace(), least_fps)) return;
  outcome.frames = log.pace().packets;
  outcome.seconds = log.pace().seconds;
}

void FillFrom(const Feed& feed, const EncodeSettings& settings, EncodeOutcome& outcome) {
  const PacketLog& log = feed.log();
  outcome.fed_frames = outcome.frames + kWarmUpFrames;
  outcome.scaling_seconds = feed.scaling_seconds();
  outcome.mean_kbps = log.mean_kbps(log.packets());
  outcome.peak_second_kbps = log.peak_second_kbps();
  outcome.latency = log.latency();
  outcome.b_frames = log.longest_b_run();
  outcome.device_name = feed.encoder().device_name();
  outcome.bus_address = BusAddressOf(settings);
  outcome.versions = VersionsOf(settings, outcome.device_name, outcome.bus_address);
  if (const auto slow_down = log.slow_down()) outcome.slow_downs.push_back(*slow_down);
}

EncodeOutcome EncodeOnce(const EncodeTask& task, const Y4mFile& footage, const Clock& clock, Heartbeat& heartbeat) {
  const std::int64_t busy_ns = clock.now_ns();
  WarmUp(task.settings, footage, clock, heartbeat);

  Feed feed(task.settings, footage, clock, !task.output.empty());
  EncodeOutcome outcome;
  const std::int64_t start_ns = clock.now_ns();
  const bool may_give_up = task.least_fps > 0;
  bool given_up = false;
  const auto go_on = [&] {
    const bool too_long = Since(start_ns, clock) > task.longest_seconds;
    if (may_give_up)
      given_up = given_up || too_long || SurelySlower(feed.log().pace(), task.least_fps);
    else
      outcome.truncated = outcome.truncated || (too_long && outcome.frames >= kFewestFrames);
    return !given_up && !outcome.truncated;
  };
  for (int index = 0; index < footage.frames(); ++index) {
    if (!feed.Frame(index)) continue;
    ++outcome.frames;
    heartbeat(static_cast<double>(index) / footage.frames());
    if (index + 1 < footage.frames() && !go_on()) break;
  }
  if (!given_up) feed.End(may_give_up ? std::function<bool()>(go_on) : nullptr);
  outcome.seconds = Since(start_ns, clock);
  if (given_up) {
    outcome.truncated = true;
    TellPaceOf(feed.log(), task.least_fps, outcome);
  } else if (feed.log().packets() != outcome.frames) {
    FailMachine("{} frames went in but {} packets came out", outcome.frames, feed.log().packets());
  }
  outcome.busy_seconds = Since(busy_ns, clock);

  FillFrom(feed, task.settings, outcome);
  if (!task.output.empty()) {
    MediaWriter writer(task.output, feed.encoder().context());
    for (const PacketPtr& packet : feed.packets()) writer.Write(*packet);
    writer.Finish();
  }
  return outcome;
}

}  // namespace

EncodeOutcome RunUnpaced(const EncodeTask& task, const Clock& clock, const std::function<void(double)>& progress) {
  const Y4mFile footage(task.footage);
  Heartbeat heartbeat(clock, progress);
  heartbeat(0);
  const auto look = [&] { return task.look_at_speed ? EncodeReference(clock, [&] { heartbeat(0); }) : std::nullopt; };
  const auto before = look();
  EncodeTask allowed = task;
  if (before && task.usual_reference_seconds > 0) {
    const double slowness = std::max(1.0, before->wall_seconds / task.usual_reference_seconds);
    allowed.longest_seconds *= slowness;
    allowed.least_fps /= slowness;
  }
  EncodeOutcome outcome = EncodeOnce(allowed, footage, clock, heartbeat);
  outcome.before = before;
  outcome.after = look();
  return outcome;
}

LookOutcome RunLook(const LookTask& task, Clock& clock, const std::function<void(double)>& progress) {
  constexpr std::int64_t kBeat_ns = 200'000'000;
  Heartbeat heartbeat(clock, progress);
  const auto until_ns = clock.now_ns() + static_cast<std::int64_t>(task.wait_seconds * 1e9);
  for (; clock.now_ns() < until_ns; heartbeat(0)) clock.SleepUntil(std::min(until_ns, clock.now_ns() + kBeat_ns));
  return {EncodeReference(clock, [&] { heartbeat(0); })};
}

}  // namespace kettle
