// SPDX-License-Identifier: Apache-2.0
#include "kettle/trial/trial.h"

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "kettle/machine/cpu_time.h"
#include "kettle/trial/unpaced.h"
#include "kettle/units/error.h"

namespace kettle {

namespace {

constexpr double kLongestPerFootage = 4;  // an encode slower than a quarter of real time is cut short
constexpr double kGraceSeconds = 20;      // for starting, warming up and finishing, on a busy machine

std::string Label(const EncodeSettings& settings, const std::string& footage) {
  return fmt::format("{} {} {} {}", settings.encoder, settings.preset, settings.size.str(), footage);
}

// What the machine was doing while a worker ran.
class Surroundings {
 public:
  Surroundings() : start_(ReadCpuTime()), stand_in_(ProcessCpuSeconds(kStandInProcess)) {}

  // Cores over the worker's wall time, and per frame for the stand-in device.
  void Charge(const WorkerReport& report, int fed_frames, bool simulated, Trial& trial) const {
    const CpuTime end = ReadCpuTime();
    const double stand_in = UsedBetween(stand_in_, ProcessCpuSeconds(kStandInProcess));
    const double wall = std::max(1e-3, report.wall_seconds);
    if (simulated && fed_frames > 0) trial.stand_in_cores = stand_in / fed_frames * trial.settings.frame_rate.fps();
    trial.other_cores = std::max(0.0, end.busy_seconds - start_.busy_seconds - report.cpu_seconds - stand_in) / wall;
    trial.stolen_cores = std::max(0.0, end.steal_seconds - start_.steal_seconds) / wall;
  }

 private:
  CpuTime start_;
  std::map<int, double> stand_in_;
};

}  // namespace

const ProcessTrialRunner::FeedingCost& ProcessTrialRunner::Feeding(const EncodeSettings& settings,
                                                                   const Footage& footage) {
  const std::string key = footage.file.string() + "|" + settings.size.str();
  const auto known = feeding_.find(key);
  if (known != feeding_.end()) return known->second;
  EncodeTask task{.settings = settings, .footage = footage.file.string()};
  task.settings.encoder = DiscardingEncoder().name;
  task.settings.preset = DiscardingEncoder().presets.front();
  const WorkerReport report = worker_.Run({"encode", task, kGraceSeconds + task.longest_seconds});
  if (report.status != WorkerStatus::kDone)
    FailMachine("cannot measure what feeding an encoder costs: {}", report.detail);
  const auto outcome = report.result.get<EncodeOutcome>();
  return feeding_[key] = {report.cpu_seconds, outcome.fed_frames};
}

Trial ProcessTrialRunner::Run(const EncodeSettings& settings, const Footage& footage) {
  const EncoderFamily& family = FindFamily(settings.encoder);
  Trial trial;
  trial.settings = settings;
  trial.footage = footage.label;
  trial.footage_key = footage.file.stem().string();
  trial.device = Name(family.device);
  trial.simulated = family.device == DeviceKind::kGpu && !worker_.stand_in_gpu().empty();
  const FeedingCost& feeding = Feeding(settings, footage);

  const double content_seconds = footage.frames / footage.rate.fps();
  const std::filesystem::path encoded = scratch_ / "trial.mkv";
  const EncodeTask task{settings, footage.file.string(), content_seconds * kLongestPerFootage, encoded.string()};
  const std::string label = Label(settings, footage.label);
  const Surroundings surroundings;
  WorkerReport report = worker_.Run({"encode", task, task.longest_seconds * 2 + kGraceSeconds},
                                    [&](double share) { watcher_(label, share * 0.7); });
  if (const auto outcome = AnswerOf<EncodeOutcome>(report)) {
    surroundings.Charge(report, outcome->fed_frames, trial.simulated, trial);
    const double fps = settings.frame_rate.fps();
    trial.frames = outcome->frames;
    trial.truncated = outcome->truncated;
    trial.throughput_fps = outcome->frames / outcome->seconds;
    trial.headroom = 1 - fps / trial.throughput_fps;
    trial.feeding_cores = feeding.cpu_seconds / feeding.frames * fps;
    trial.cpu_cores = std::max(0.0, report.cpu_seconds / outcome->fed_frames * fps - trial.feeding_cores);
    trial.mean_kbps = outcome->mean_kbps;
    trial.peak_second_kbps = outcome->peak_second_kbps;
    trial.latency = outcome->latency;
    trial.peak_memory_bytes = report.peak_memory_bytes;
    trial.b_frames = outcome->b_frames;
    trial.device_name = outcome->device_name;
  }
  trial.status = report.status;
  trial.detail = report.status == WorkerStatus::kFailed ? Reason(family, report.detail) : report.detail;
  if (trial.done()) MeasureQuality(footage, encoded, trial);
  std::error_code ignored;
  std::filesystem::remove(encoded, ignored);
  watcher_(label, 1);
  return trial;
}

void ProcessTrialRunner::MeasureQuality(const Footage& footage, const std::filesystem::path& encoded, Trial& trial) {
  const FrameRate rate = trial.settings.frame_rate;
  const int shown = static_cast<int>(std::lround(trial.frames * footage.rate.fps() / rate.fps()));
  const QualityTask task{footage.file.string(), encoded.string(), rate, shown};
  const std::string label = Label(trial.settings, trial.footage);
  WorkerReport report =
      worker_.Run({"quality", task, kGraceSeconds + shown}, [&](double share) { watcher_(label, 0.7 + share * 0.3); });
  trial.quality = AnswerOf<Quality>(report);
  if (trial.quality) return;
  trial.status = report.status;
  trial.detail = "measuring its quality: " + report.detail;
}

PacedTrial ProcessTrialRunner::RunPaced(const EncodeSettings& settings, const Footage& footage, double seconds) {
  PacedTrial trial{.settings = settings, .footage = footage.label};
  trial.simulated = FindFamily(settings.encoder).device == DeviceKind::kGpu && !worker_.stand_in_gpu().empty();
  const PaceTask task{
      .footage = {footage.file.string()}, .source_rate = footage.rate, .seconds = seconds, .outputs = {{settings, ""}}};
  const std::string label = Label(settings, footage.label) + " in real time";
  WorkerReport report =
      worker_.Run({"pace", task, seconds * 3 + kGraceSeconds}, [&](double share) { watcher_(label, share); });
  if (const auto outcome = AnswerOf<PaceOutcome>(report); outcome && outcome->outputs.size() == 1) {
    const PacedOutputOutcome& output = outcome->outputs.front();
    trial.frames = output.frames;
    trial.late = outcome->late;
    trial.skipped = output.skipped;
    trial.deepest_queue = output.deepest_queue;
    trial.latency = output.latency;
  }
  trial.status = report.status;
  trial.detail = report.detail;
  watcher_(label, 1);
  return trial;
}

ProbeOutcome ProcessTrialRunner::Probe(const EncodeSettings& settings) {
  WorkerReport report = worker_.Run({"probe", ProbeTask{settings}, kGraceSeconds});
  if (const auto outcome = AnswerOf<ProbeOutcome>(report)) return *outcome;
  return {.works = false, .reason = fmt::format("{}: {}", Name(report.status), report.detail)};
}

}  // namespace kettle
