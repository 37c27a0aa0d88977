// SPDX-License-Identifier: Apache-2.0
#include <algorithm>
#include <chrono>
#include <cmath>

#include "kettle/machine/conditions.h"
#include "kettle/realtime/pace_task.h"
#include "kettle/task/unpaced.h"
#include "kettle/trial/trial.h"
#include "kettle/units/error.h"

namespace kettle {

namespace {

constexpr double kLongestPerFootage = 4;  // an encode slower than a quarter of real time is cut short
constexpr double kBorderline = 1.1;       // what is slower by less than this may have been so for noise
constexpr double kGraceSeconds = 20;      // for starting, warming up and finishing, on a busy machine
constexpr double kStrangeDb = 10;         // a picture this unlike its source is another picture

std::string Label(const EncodeSettings& settings, const std::string& footage) {
  return fmt::format("{} {} {} {}", settings.encoder, settings.preset, settings.size.str(), footage);
}

Trial Named(const EncodeSettings& settings, const Footage& footage, const StandInGpu& stand_in) {
  const EncoderFamily& family = FindFamily(settings.encoder);
  Trial trial;
  trial.settings = settings;
  trial.footage = footage.label;
  trial.footage_key = footage.key();
  trial.device = Name(family.device);
  trial.simulated = IsSimulated(family, stand_in);
  return trial;
}

double SecondsSince1970() {
  return std::chrono::duration<double>(std::chrono::system_clock::now().time_since_epoch()).count();
}

// What the machine was doing while a worker ran.
class Surroundings {
 public:
  Surroundings() : start_(SampleConditions()) {}

  // Cores over the worker's wall time, and per frame for the stand-in device.
  void Charge(const WorkerReport& report, int fed_frames, Trial& trial, Repeat& repeat) const {
    const ConditionSample end = SampleConditions();
    const double wall = std::max(1e-3, report.wall_seconds);
    const Conditions conditions = ReadConditions(start_, end, wall, {kStandInProcess, "kettle-engine", kLoadProcess});
    const double stand_in = UsedBetween(StandInTimes(start_), StandInTimes(end));
    if (trial.simulated && fed_frames > 0)
      trial.stand_in_cores = stand_in / fed_frames * trial.settings.frame_rate.fps();
    repeat.other_cores = conditions.other_cores;
    repeat.stolen_cores = conditions.stolen_cores;
    repeat.throttle_events = conditions.throttle_events;
    if (!conditions.busy.empty()) repeat.busiest = conditions.busy.front().name;
  }

 private:
  static std::map<int, double> StandInTimes(const ConditionSample& sample) {
    std::map<int, double> seconds;
    for (const auto& [id, process] : sample.processes)
      if (process.name == kStandInProcess) seconds[id] = process.seconds;
    return seconds;
  }
  ConditionSample start_;
};

void Fill(const EncodeOutcome& outcome, const WorkerReport& report, Trial& trial, Repeat& repeat) {
  trial.frames = outcome.frames;
  trial.truncated = outcome.truncated;
  trial.feeding_cores = outcome.scaling_seconds * trial.settings.frame_rate.fps();
  repeat.throughput_fps = outcome.frames / outcome.seconds;
  repeat.before = outcome.before;
  repeat.after = outcome.after;
  double cpu_seconds = report.cpu_seconds;
  for (const auto& look : {outcome.before, outcome.after})
    if (look) cpu_seconds -= look->cpu_seconds;
  repeat.cpu_cores =
      std::max(0.0, cpu_seconds / outcome.fed_frames * trial.settings.frame_rate.fps() - trial.feeding_cores);
  trial.mean_kbps = outcome.mean_kbps;
  trial.peak_second_kbps = outcome.peak_second_kbps;
  trial.latency = outcome.latency;
  trial.peak_memory_bytes = report.peak_memory_bytes;
  trial.b_frames = outcome.b_frames;
  trial.device_name = outcome.device_name;
  trial.bus_address = outcome.bus_address;
  trial.versions = outcome.versions;
  if (!outcome.slow_downs.empty()) trial.slow_down = outcome.slow_downs.front();
}

// A simulated GPU says so where this machine codes too slowly for its speed, as it does beside a load. A real one is
// not slower there. (Where trials are repeated, the next ones show it.)
bool WasCodedTooSlowly(const Trial& trial, const TrialRequest& request) {
  return request.least_headroom && trial.simulated && trial.done() && !trial.driver_words.empty();
}

}  // namespace

bool IsSimulated(const EncoderFamily& family, const StandInGpu& gpu) {
  return (family.interface == Interface::kNvenc && !gpu.nvenc.empty()) ||
         (family.interface == Interface::kVaapi && !gpu.vaapi.empty());
}

void CodeOnce(const WorkerProcess& worker, CodeOnceTask task, const std::function<void(double)>& progress) {
  constexpr double kMostSeconds = 600;
  std::erase_if(task.encodes, [&](const EncodeSettings& settings) {
    return !IsSimulated(FindFamily(settings.encoder), worker.stand_in_gpu());
  });
  if (!task.encodes.empty()) worker.Run({"code-once", task, kMostSeconds}, progress);
}

// What a simulated GPU codes too slowly while the clock runs is there when it is asked once more; only what was cut
// short has to be coded first.
Trial ProcessTrialRunner::Run(const TrialRequest& request) {
  const Footage& footage = request.footage;
  const std::filesystem::path encoded =
      request.quality ? EncodeOf(Named(request.settings, footage, worker_.stand_in_gpu())) : "";
  Trial trial = RunEncode(request, encoded);
  if (WasCodedTooSlowly(trial, request)) {
    const double seconds_before = trial.timing.total;
    if (trial.truncated)
      CodeOnce(worker_, {{request.settings}, {footage.file.string()}, footage.rate, footage.seconds()},
               [&](double share) { watcher_("what the simulated GPU will be asked", share); });
    trial = RunEncode(request, encoded);
    trial.timing.total += seconds_before;
  }
  const bool useless =
      request.least_headroom && (trial.truncated || trial.headroom < std::min(0.0, *request.least_headroom));
  if (trial.done() && request.quality && !useless) MeasureQuality(footage, encoded, request.scored_a_second, trial);
  if (trial.done() && trial.quality && !trial.truncated) {
    KeepEncode(encoded);
  } else {
    std::error_code ignored;
    std::filesystem::remove(encoded, ignored);
  }
  watcher_(Label(request.settings, footage.label), 1);
  return trial;
}

Trial ProcessTrialRunner::RunEncode(const TrialRequest& request, const std::filesystem::path& encoded) {
  const EncodeSettings& settings = request.settings;
  const Footage& footage = request.footage;
  Trial trial = Named(settings, footage, worker_.stand_in_gpu());
  const double least_headroom = request.least_headroom.value_or(0);
  const bool as_far_as_real_time = request.least_headroom && least_headroom >= 0;
  const double longest = footage.seconds() *
                         (as_far_as_real_time ? std::min(1.0, (1 - least_headroom) * kBorderline) : kLongestPerFootage);
  EncodeTask task{settings, footage.file.string(), request.longest_seconds.value_or(longest), encoded.string(),
                  request.least_headroom ? settings.frame_rate.fps() / (1 - least_headroom) : 0};
  // A GPU does not wait for the processors.
  task.look_at_speed =
      !beside_load_ && request.least_headroom && FindFamily(settings.encoder).device == DeviceKind::kCpu;
  task.usual_reference_seconds = request.usual_reference_seconds;
  const std::string label = Label(settings, footage.label);
  const Surroundings surroundings;
  const double began = SecondsSince1970();
  WorkerReport report = worker_.Run({"encode", task, task.longest_seconds * 2 + kGraceSeconds, patience_seconds_},
                                    [&](double share) { watcher_(label, share * (request.quality ? 0.7 : 1)); });
  trial.timing.total = report.wall_seconds;
  trial.timing.starting = report.start_seconds;
  if (const auto outcome = AnswerOf<EncodeOutcome>(report)) {
    trial.timing.encoding = outcome->busy_seconds;
    Repeat repeat;
    repeat.began = began;
    surroundings.Charge(report, outcome->fed_frames, trial, repeat);
    Fill(*outcome, report, trial, repeat);
    trial.repeats = {repeat};
    Summarise(trial);
  }
  trial.status = report.status;
  if (FindFamily(settings.encoder).device == DeviceKind::kGpu) trial.driver_words = report.last_words;
  trial.detail =
      report.status == WorkerStatus::kFailed ? Reason(FindFamily(settings.encoder), report.detail) : report.detail;
  return trial;
}

std::filesystem::path ProcessTrialRunner::EncodeOf(const Trial& trial) const {
  return scratch_ / (trial.id() + ".mkv");
}

void ProcessTrialRunner::KeepEncode(const std::filesystem::path& encoded) {
  constexpr std::uintmax_t kMostBytes = 100 << 20;
  std::erase(encodes_, encoded);
  encodes_.push_back(encoded);
  const auto bytes_of = [](const std::filesystem::path& file) {
    std::error_code gone;
    const std::uintmax_t bytes = std::filesystem::file_size(file, gone);
    return gone ? 0 : bytes;
  };
  std::uintmax_t bytes = 0;
  for (const auto& file : encodes_) bytes += bytes_of(file);
  for (; bytes > kMostBytes && encodes_.size() > 1; encodes_.pop_front()) {
    bytes -= bytes_of(encodes_.front());
    std::error_code ignored;
    std::filesystem::remove(encodes_.front(), ignored);
  }
}

void ProcessTrialRunner::MeasureQuality(const Footage& footage, const std::filesystem::path& encoded,
                                        int scored_a_second, Trial& trial) {
  const FrameRate rate = trial.settings.frame_rate;
  const int shown = static_cast<int>(std::lround(trial.frames * footage.rate.fps() / rate.fps()));
  const QualityTask task{footage.file.string(),
                         encoded.string(),
                         rate,
                         shown,
                         footage.viewing_size.width > 0 ? footage.viewing_size : footage.size,
                         scored_a_second};
  const std::string label = Label(trial.settings, trial.footage);
  WorkerReport report = worker_.Run({"quality", task, kGraceSeconds + shown, patience_seconds_},
                                    [&](double share) { watcher_(label, 0.7 + share * 0.3); });
  trial.timing.quality = report.wall_seconds;
  trial.timing.total += report.wall_seconds;
  if (auto outcome = AnswerOf<QualityOutcome>(report)) {
    trial.quality = outcome->quality;
    trial.picture_metrics = std::move(outcome->frames);
  }
  if (trial.quality && trial.quality->worst_frame_psnr_y_db >= kStrangeDb) return;
  if (trial.quality) {
    trial.status = WorkerStatus::kWrongOutput;
    trial.detail = fmt::format("frame {} does not match its source (PSNR {:.1f} dB): the driver is faulty",
                               trial.quality->worst_frame, trial.quality->worst_frame_psnr_y_db);
  } else if (report.status == WorkerStatus::kFailed) {
    trial.status = WorkerStatus::kWrongOutput;
    trial.detail = "its output does not decode: " + report.detail;
  } else {
    trial.status = report.status;
    trial.detail = "measuring its quality: " + report.detail;
  }
}

std::optional<TimedLook> ProcessTrialRunner::Look(double wait_seconds) {
  if (beside_load_) return std::nullopt;
  if (wait_seconds > 0) watcher_("waiting: the machine is slower than usual", 0);
  WorkerReport report = worker_.Run({"look", LookTask{wait_seconds}, wait_seconds + kGraceSeconds, patience_seconds_});
  const auto outcome = AnswerOf<LookOutcome>(report);
  if (!outcome || !outcome->look) return std::nullopt;
  return TimedLook{SecondsSince1970(), *outcome->look};
}

PacedTrial ProcessTrialRunner::RunPaced(const EncodeSettings& settings, const Footage& footage, double seconds) {
  PacedTrial trial{.settings = settings, .footage = footage.label};
  trial.simulated = Named(settings, footage, worker_.stand_in_gpu()).simulated;
  const PaceTask task{
      .footage = {footage.file.string()}, .source_rate = footage.rate, .seconds = seconds, .outputs = {{settings, ""}}};
  const std::string label = Label(settings, footage.label) + " in real time";
  WorkerReport report = worker_.Run({"pace", task, seconds * 3 + kGraceSeconds, patience_seconds_},
                                    [&](double share) { watcher_(label, share); });
  if (const auto outcome = AnswerOf<PaceOutcome>(report); outcome && outcome->outputs.size() == 1) {
    const PacedOutputOutcome& output = outcome->outputs.front();
    trial.frames = output.frames;
    trial.late = outcome->late;
    trial.skipped = output.skipped;
    trial.deepest_queue = output.deepest_queue;
    trial.latency = output.latency;
  }
  trial.status = report.status;
  trial.detail = Reason(FindFamily(settings.encoder), report.detail);
  watcher_(label, 1);
  return trial;
}

SoakOutcome ProcessTrialRunner::RunSoak(const SoakTask& task) {
  const std::string label =
      fmt::format("{} {} for {:.3g} min", task.settings.encoder, task.settings.preset, task.seconds / 60);
  WorkerReport report = worker_.Run({"soak", task, task.seconds * 1.5 + kGraceSeconds, patience_seconds_},
                                    [&](double share) { watcher_(label, share); });
  if (const auto outcome = AnswerOf<SoakOutcome>(report)) return *outcome;
  FailMachine("the soak run {}: {}", Name(report.status), Reason(FindFamily(task.settings.encoder), report.detail));
}

void ProcessTrialRunner::Encode(const EncodeSettings& settings, const Footage& footage,
                                const std::filesystem::path& output) {
  const std::filesystem::path made = EncodeOf(Named(settings, footage, worker_.stand_in_gpu()));
  std::error_code gone;
  if (std::find(encodes_.begin(), encodes_.end(), made) != encodes_.end() &&
      std::filesystem::copy_file(made, output, std::filesystem::copy_options::overwrite_existing, gone))
    return;
  const double longest = footage.seconds() * kLongestPerFootage;
  const EncodeTask task{settings, footage.file.string(), longest, output.string()};
  const WorkerReport report = worker_.Run({"encode", task, longest * 2 + kGraceSeconds, patience_seconds_});
  if (report.status != WorkerStatus::kDone)
    FailMachine("encoding with {}: {}", settings.encoder, Reason(FindFamily(settings.encoder), report.detail));
}

StripOutcome ProcessTrialRunner::Strip(const StripTask& task) {
  WorkerReport report = worker_.Run({"strip", task, kGraceSeconds * 2, patience_seconds_});
  if (const auto outcome = AnswerOf<StripOutcome>(report)) return *outcome;
  FailMachine("drawing the worst second: {}", report.detail);
}

ProbeOutcome ProcessTrialRunner::Probe(const EncodeSettings& settings) {
  WorkerReport report = worker_.Run({"probe", ProbeTask{settings}, kGraceSeconds});
  if (const auto outcome = AnswerOf<ProbeOutcome>(report)) return *outcome;
  return {.works = false,
          .reason = fmt::format("{}: {}", Name(report.status), report.detail),
          .device_name = "",
          .bus_address = ""};
}

std::optional<LimitsOutcome> ProcessTrialRunner::Limits(const EncodeSettings& settings) {
  WorkerReport report = worker_.Run({"limits", ProbeTask{settings}, kGraceSeconds});
  return AnswerOf<LimitsOutcome>(report);
}

}  // namespace kettle
