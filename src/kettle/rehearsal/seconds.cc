// SPDX-License-Identifier: Apache-2.0
#include "kettle/rehearsal/seconds.h"

#include <fmt/format.h>

#include <algorithm>

#include "kettle/trial/trial.h"

namespace kettle {

namespace {

double Since(const std::map<int, ProcessTime>& before, int id, const ProcessTime& now) {
  const auto earlier = before.find(id);
  return std::max(0.0, now.seconds - (earlier == before.end() ? 0 : earlier->second.seconds));
}

}  // namespace

CoreMeter::CoreMeter(std::set<std::string> game, std::set<std::string> own)
    : game_(std::move(game)), own_(std::move(own)), threads_(ReadThreadTimes()), sample_(SampleConditions()) {}

void CoreMeter::Read(double seconds, RehearsalSecond& second) {
  const auto threads = ReadThreadTimes();
  for (const auto& [id, thread] : threads) {
    const double cores = Since(threads_, id, thread) / seconds;
    (thread.name == kStreamThread      ? second.stream_cores
     : thread.name == kRecordingThread ? second.recording_cores
                                       : second.other_own_cores) += cores;
  }
  const ConditionSample sample = SampleConditions();
  for (const auto& [id, process] : sample.processes) {
    const double cores = Since(sample_.processes, id, process) / seconds;
    if (game_.contains(process.name)) second.game_cores += cores;
    if (process.name == kStandInProcess) second.device_cores += cores;
  }
  std::set<std::string> known = own_;
  known.insert(game_.begin(), game_.end());
  known.insert(kStandInProcess);
  const Conditions conditions = ReadConditions(sample_, sample, seconds, known);
  second.other_cores = conditions.other_cores;
  second.stolen_cores = conditions.stolen_cores;
  if (!conditions.busy.empty()) {
    second.busiest = conditions.busy.front().name;
    second.busiest_cores = conditions.busy.front().cores;
  }
  const GpuUse gpu = Busiest(gpus_.Read());
  second.encoder_share = gpu.encoder;
  second.gpu_share = gpu.compute;
  threads_ = threads;
  sample_ = sample;
}

std::string SecondsCsv(const std::vector<RehearsalSecond>& seconds) {
  std::string csv =
      "second,late,skipped_stream,skipped_recording,dropped,stalled,stream_waiting,recording_waiting,"
      "send_waiting_seconds,send_blocked_share,acknowledged_kbps,round_trip_ms,connected,disk_kbps,longest_write_ms,"
      "disk_waiting_seconds,"
      "stream_cores,recording_cores,other_own_cores,device_cores,game_cores,other_cores,stolen_cores,encoder_share,gpu_"
      "share,busiest,"
      "busiest_cores\n";
  for (const RehearsalSecond& s : seconds) {
    std::string name = s.busiest;  // a process may call itself anything
    std::replace_if(
        name.begin(), name.end(), [](char c) { return c == ',' || c == '"' || c == '\n'; }, ' ');
    csv +=
        fmt::format("{:.0f},{},{},{},{},{},{},{},{:.3f},{:.2f},{:.0f},{:.2f},{},{:.0f},{:.2f},{:.3f},", s.start_seconds,
                    s.late, s.skipped_stream, s.skipped_recording, s.dropped, s.stalled, s.stream_waiting,
                    s.recording_waiting, s.send_waiting_seconds, s.send_blocked_share, s.acknowledged_kbps,
                    s.round_trip_ms, s.connected, s.disk_kbps, s.longest_write_ms, s.disk_waiting_seconds) +
        fmt::format("{:.3f},{:.3f},{:.3f},{:.3f},{:.3f},{:.3f},{:.3f},{:.2f},{:.2f},{},{:.3f}\n", s.stream_cores,
                    s.recording_cores, s.other_own_cores, s.device_cores, s.game_cores, s.other_cores, s.stolen_cores,
                    s.encoder_share, s.gpu_share, name, s.busiest_cores);
  }
  return csv;
}

}  // namespace kettle
