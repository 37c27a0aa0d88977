// SPDX-License-Identifier: Apache-2.0
#include "kettle/rehearsal/seconds.h"

#include <fmt/format.h>

#include <algorithm>

#include "kettle/trial/trial.h"
#include "kettle/units/csv.h"
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
  using Second = RehearsalSecond;
  static const std::vector<CsvColumn<Second>> columns = {
      CsvField("second", &Second::start_seconds, 0),
      CsvField("late", &Second::late),
      CsvField("skipped_stream", &Second::skipped_stream),
      CsvField("skipped_recording", &Second::skipped_recording),
      CsvField("dropped", &Second::dropped),
      CsvField("stalled", &Second::stalled),
      CsvField("stream_waiting", &Second::stream_waiting),
      CsvField("recording_waiting", &Second::recording_waiting),
      CsvField("send_waiting_seconds", &Second::send_waiting_seconds, 3),
      CsvField("send_blocked_share", &Second::send_blocked_share, 2),
      CsvField("acknowledged_kbps", &Second::acknowledged_kbps, 0),
      CsvField("round_trip_ms", &Second::round_trip_ms, 2),
      CsvField("connected", &Second::connected),
      CsvField("disk_kbps", &Second::disk_kbps, 0),
      CsvField("longest_write_ms", &Second::longest_write_ms, 2),
      CsvField("disk_waiting_seconds", &Second::disk_waiting_seconds, 3),
      CsvField("stream_cores", &Second::stream_cores, 3),
      CsvField("recording_cores", &Second::recording_cores, 3),
      CsvField("other_own_cores", &Second::other_own_cores, 3),
      CsvField("device_cores", &Second::device_cores, 3),
      CsvField("game_cores", &Second::game_cores, 3),
      CsvField("other_cores", &Second::other_cores, 3),
      CsvField("stolen_cores", &Second::stolen_cores, 3),
      CsvField("encoder_share", &Second::encoder_share, 2),
      CsvField("gpu_share", &Second::gpu_share, 2),
      {"busiest", [](const Second& s) { return CsvText(s.busiest); }},  // a process may call itself anything
      CsvField("busiest_cores", &Second::busiest_cores, 3)};
  return Csv(columns, seconds);
}

}  // namespace kettle
