// SPDX-License-Identifier: Apache-2.0
#include "kettle/rehearsal/proof.h"

#include <fmt/format.h>

#include <algorithm>
#include <nlohmann/json.hpp>

#include "kettle/encoders/catalogue.h"
#include "kettle/machine/cpu_time.h"
#include "kettle/rehearsal/proof_run.h"
#include "kettle/rtmp/discarding_server.h"
#include "kettle/store/file.h"
#include "kettle/units/csv.h"
#include "kettle/units/error.h"
#include "kettle/units/json_fields.h"

namespace kettle {

namespace {

constexpr double kGraceSeconds = 30;  // for starting and finishing, beyond twice the run's length

void AddSending(const ProofRequest& request, int port, ProofTask& task) {
  task.encodes.assign(task.pace.outputs.size(), -1);
  task.encodes.front() = 0;
  const std::size_t further = request.further_streams.size();
  for (std::size_t i = 0; i < further; ++i)
    task.encodes[task.pace.outputs.size() - further + i] = static_cast<int>(i) + 1;
  const std::string url = fmt::format("rtmp://127.0.0.1:{}/proof", port);
  for (const int encode : request.destinations) task.ingests.push_back({"nowhere", url, "proof", "", encode});
}

}  // namespace

std::string ProofStreamFile(const EncodeSettings& stream, std::size_t further) {
  return (further == 0 ? "stream" : "stream-" + std::to_string(further + 1)) +
         (FindFamily(stream.encoder).codec == "h264" ? ".flv" : ".mkv");
}

Proof RunProof(const WorkerProcess& worker, const ProofRequest& request, const Watcher& watcher) {
  const std::filesystem::path stream_file = request.scratch / ProofStreamFile(request.stream),
                              recording_file = request.scratch / "recording.mkv";
  ProofTask proof_task;
  PaceTask& task = proof_task.pace;
  for (const Footage& footage : request.footage) task.footage.push_back(footage.file.string());
  task.source_rate = request.footage.front().rate;
  task.seconds = request.seconds;
  task.most_cpu_cores = request.most_cpu_cores;
  task.outputs = {{request.stream, stream_file.string(), StreamNiceness(request.first), request.stream_processors},
                  {request.recording, recording_file.string(), RecordingNiceness(request.first, request.recording),
                   request.recording_processors}};
  if (request.one_encode) task.outputs.pop_back();
  std::vector<std::filesystem::path> further_files;
  for (const EncodeSettings& stream : request.further_streams) {
    further_files.push_back(request.scratch / ProofStreamFile(stream, further_files.size() + 1));
    task.outputs.push_back({stream, further_files.back().string(), StreamNiceness(request.first)});
  }
  task.session_niceness = StreamNiceness(request.first);
  task.sound_kbps = request.sound_kbps;
  const DiscardingServer server;
  AddSending(request, server.port(), proof_task);

  std::vector<EncodeSettings> encodes;
  for (const PacedOutputTask& output : task.outputs) encodes.push_back(output.settings);
  CodeOnce(worker, {encodes, task.footage, task.source_rate, task.seconds},
           [&](double share) { watcher("what the simulated GPU will be asked", share); });

  const CpuTime before = ReadCpuTime();
  const auto stand_in_before = ProcessCpuSeconds(kStandInProcess);
  const double own_before = OwnCpuSeconds();
  WorkerReport report = worker.Run({"prove", proof_task, request.seconds * 2 + kGraceSeconds},
                                   [&](double share) { watcher("proof run, in real time", share); });
  // Starting, in which next to nothing runs, would thin out what the run took.
  const double wall = std::max(1e-3, report.wall_seconds - report.start_seconds);
  const double stand_in = UsedBetween(stand_in_before, ProcessCpuSeconds(kStandInProcess));

  Proof proof;
  proof.cpu_cores = report.cpu_seconds / wall;
  proof.stand_in_cores = worker.stand_in_gpu().empty() ? 0 : stand_in / wall;
  const CpuTime after = ReadCpuTime();
  const double own = OwnCpuSeconds() - own_before;  // throwing away what was sent is no other program's work
  proof.other_cores =
      std::max(0.0, after.busy_seconds - before.busy_seconds - report.cpu_seconds - stand_in - own) / wall;
  proof.stolen_cores = std::max(0.0, after.steal_seconds - before.steal_seconds) / wall;
  const auto outcome = AnswerOf<PaceOutcome>(report);
  proof.status = report.status;
  proof.detail = report.detail;
  if (!outcome) return proof;
  if (outcome->outputs.size() != task.outputs.size()) {
    proof.status = WorkerStatus::kMalformed;
    proof.detail = "its answer lacks one of the encodes";
    return proof;
  }
  proof.seconds = outcome->seconds;
  proof.ended_early = outcome->ended_early;
  proof.late = outcome->late;
  proof.busiest_cpu_cores = outcome->busiest_cpu_cores;
  proof.stream = outcome->outputs[0];
  proof.recording = outcome->outputs[request.one_encode ? 0 : 1];
  for (std::size_t i = task.outputs.size() - further_files.size(); i < task.outputs.size(); ++i)
    proof.further.push_back(outcome->outputs[i]);
  if (request.one_encode) proof.recording.frame_times.clear();  // they are told once
  Publish(stream_file, request.folder / stream_file.filename());
  if (!request.one_encode) Publish(recording_file, request.folder / "recording.mkv");
  for (const auto& file : further_files) Publish(file, request.folder / file.filename());
  proof.folder = request.folder;
  watcher("proof run", 1);
  return proof;
}

std::string ProofCsv(const Proof& proof) {
  struct Row {
    std::string output;
    const PacedFrame& frame;
  };
  static const std::vector<CsvColumn<Row>> columns = {
      {"output", [](const Row& row) { return row.output; }},
      {"frame", [](const Row& row) { return std::to_string(row.frame.frame); }},
      {"due_ms", [](const Row& row) { return CsvNumber(row.frame.due_ms, 3); }},
      {"taken_ms", [](const Row& row) { return row.frame.skipped() ? "" : CsvNumber(row.frame.taken_ms, 3); }}};
  std::string csv = CsvHeader(columns);
  for (const PacedFrame& frame : proof.stream.frame_times) csv += CsvLine(columns, Row{"stream", frame});
  for (const PacedFrame& frame : proof.recording.frame_times) csv += CsvLine(columns, Row{"recording", frame});
  for (std::size_t i = 0; i < proof.further.size(); ++i)
    for (const PacedFrame& frame : proof.further[i].frame_times)
      csv += CsvLine(columns, Row{fmt::format("stream-{}", i + 2), frame});
  return csv;
}

namespace {

nlohmann::json OutputJson(const PacedOutputOutcome& output, int late) {
  return {{"niceness", output.niceness},
          {"frames", output.frames},
          {"late", late},
          {"skipped", output.skipped},
          {"packets", output.packets},
          {"deepest_queue", output.deepest_queue},
          {"mean_kbps", output.mean_kbps},
          {"peak_second_kbps", output.peak_second_kbps},
          {"latency", output.latency}};
}

}  // namespace

void to_json(nlohmann::json& json, const Proof& proof) {
  KETTLE_WRITE_FIELDS(json, proof, seconds, ended_early, detail, cpu_cores, busiest_cpu_cores, stand_in_cores,
                      other_cores, stolen_cores, slowness);
  json.update({{"verdict", proof.kept_pace() ? "keeps pace" : "does not keep pace"},
               {"status", Name(proof.status)},
               {"stream", OutputJson(proof.stream, proof.late)},
               {"recording", OutputJson(proof.recording, proof.late)},
               {"further_streams", nlohmann::json::array()},
               {"disturbed", proof.disturbed()}});
  for (const PacedOutputOutcome& output : proof.further)
    json["further_streams"].push_back(OutputJson(output, proof.late));
}

namespace {

// Without the frames' times: those are in the CSV.
PacedOutputOutcome OutputFrom(const nlohmann::json& json) {
  PacedOutputOutcome output;
  KETTLE_READ_FIELDS(json, output, niceness, frames, skipped, packets, deepest_queue, mean_kbps, peak_second_kbps,
                     latency);
  return output;
}

}  // namespace

void from_json(const nlohmann::json& json, Proof& proof) {
  json.at("seconds").get_to(proof.seconds);
  proof.status = ParseWorkerStatus(json.at("status"));
  json.at("detail").get_to(proof.detail);
  proof.ended_early = json.value("ended_early", false);
  proof.late = json.at("stream").at("late");
  proof.stream = OutputFrom(json.at("stream"));
  proof.recording = OutputFrom(json.at("recording"));
  for (const auto& output : json.at("further_streams")) proof.further.push_back(OutputFrom(output));
  KETTLE_READ_FIELDS(json, proof, cpu_cores, busiest_cpu_cores, stand_in_cores, other_cores, stolen_cores);
  proof.slowness = json.value("slowness", 1.0);
}

}  // namespace kettle
