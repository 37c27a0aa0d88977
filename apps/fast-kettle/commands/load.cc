// SPDX-License-Identifier: Apache-2.0
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>
#include <optional>

#include "commands/commands.h"
#include "kettle/device/gpu_meter.h"
#include "kettle/load/capture.h"
#include "kettle/load/replay.h"
#include "kettle/machine/disk.h"
#include "kettle/store/file.h"
#include "kettle/units/clock.h"
#include "kettle/units/error.h"
#include "kettle/units/guarded_thread.h"
#include "kettle/units/statistics.h"
#include "kettle/worker/driver_preload.h"
#include "process/unwritten.h"
#include "session/session.h"
#include "surroundings/stand_in.h"

namespace kettle::app {

namespace {

using nlohmann::json;

std::string Card(const LoadProfile::Gpu& gpu) {
  return gpu.bus_address.empty() ? gpu.name : fmt::format("{}, at {}", gpu.name, gpu.bus_address);
}

double Seconds(const Request& request, double usual) { return request.load.seconds.value_or(usual); }

// "60 % of the shader units of Tidewater 30 (0000:01:00.0)"
std::string GpuWords(const LoadProfile& profile) {
  std::string words;
  const std::vector<double> shares = profile.mean_gpu();
  for (std::size_t i = 0; i < shares.size(); ++i) {
    const bool named = i < profile.gpus.size() && !profile.gpus[i].name.empty();
    words += fmt::format("{}{:.0f} % of the shader units{}", words.empty() ? "" : ", ", shares[i] * 100,
                         named ? " of " + Card(profile.gpus[i]) : "");
  }
  return words;
}

void PrintProfile(const LoadProfile& profile) {
  fmt::print(
      "{:.1f} s: {:.2f} of {} cores on average, {:.2f} in the busiest second; memory {:.0f} % slower than before\n",
      profile.seconds(), profile.mean_cores(), profile.cores(), profile.peak_second_cores(),
      profile.memory_share * 100);
  if (!profile.gpu.empty()) {
    fmt::print("GPU: {} on average\n", GpuWords(profile));
    if (const LoadProfile::Gpu* card = profile.game_card(); card && profile.gpus.size() > 1)
      fmt::print("The game is on {}.\n", Card(*card));
  }
  Table table({{"program"}, Number("cores")});
  for (const LoadProfile::Program& program : profile.programs)
    table.Row({{program.name}, Number(fmt::format("{:.2f}", program.cores))});
  if (!profile.programs.empty()) fmt::print("{}", table.str());
}

int Capture(const Request& request, const Places& places) {
  const std::filesystem::path file = request.load.file.empty() ? "game.load.json" : request.load.file;
  const std::filesystem::path folder = file.has_parent_path() ? file.parent_path() : ".";
  CheckWritable(folder);  // rather now than when the minute is over
  RemoveLeftovers(folder, Leftovers::kOfEndedRuns);
  Progress progress(request.quiet);
  SteadyClock clock;
  CaptureRequest wanted{.seconds = Seconds(request, 60)};
  std::vector<double> probes;  // as many as settle the median, which the capture's own is compared with
  for (int i = 0; i < 20; ++i) probes.push_back(ProbeMemory());
  wanted.idle_memory = Median(probes).value_or(0);
  // The driver's library is asked in this very process: capturing ends if it crashes.
  const StandInGpu stand_in = FindStandInGpu(request.stand_in_gpu, places);
  if (!stand_in.empty()) PreloadStandInGpu(stand_in);
  GpuMeter gpus;
  for (const GpuUse& gpu : gpus.Read()) wanted.gpus.push_back({gpu.name, gpu.bus_address});
  wanted.gpu = [&gpus] {
    std::vector<double> shares;
    for (const GpuUse& gpu : gpus.Read()) shares.push_back(std::clamp(gpu.compute, 0.0, 1.0));
    return shares;
  };
  progress.Stage("watching what the game takes; Ctrl-C ends it early", 1);
  const LoadProfile profile =
      CaptureLoad(wanted, clock, StopRequested(), [&](double share) { progress.Show("", share); });
  progress.Clear();
  if (profile.seconds() < 1) throw Error(Fault::kInterrupted, "interrupted");
  const json body = profile;
  Unwritten unwritten;
  unwritten.Try([&] { WriteResultFile(file, "load", body, MakeProvenance(kVersion, Digest(ReadMachine()))); });
  if (request.json) {
    PrintJson(body);
    return unwritten.any() ? 3 : 0;
  }
  if (!stand_in.empty()) fmt::print("{}\n", SimulatedNotice());
  PrintProfile(profile);
  if (unwritten.any()) return 3;
  fmt::print("In {}. Use it: fast-kettle plan --show my-show.toml --load {}\n", file.string(), file.string());
  return 0;
}

// What the machine did while a worker replayed `profile` for `seconds`, watched from the replay's first moment on.
// Throws Error(kMachine) if the replay failed.
LoadProfile ReplayAndWatch(const LoadProfile& profile, double seconds, const Places& places, Progress& progress) {
  std::atomic<bool> over = false;
  LoadProfile seen;
  SteadyClock clock;
  std::optional<GuardedThread> watching;
  const CaptureRequest wanted{.seconds = seconds, .interval_seconds = profile.interval_seconds};
  const WorkerProcess worker({places.engine.string(), "worker"}, {}, &StopRequested());
  progress.Stage("replaying", 1);
  WorkerReport report;
  try {
    report = worker.Run({"load", {{"profile", profile}, {"seconds", seconds}}, seconds + 30}, [&](double share) {
      if (!watching) watching.emplace([&] { seen = CaptureLoad(wanted, clock, over, [](double) {}); });
      progress.Show("", share);
    });
  } catch (...) {
    over = true;
    throw;
  }
  over = true;
  if (watching) watching->Join();
  progress.Clear();
  if (report.status != WorkerStatus::kDone) throw Error(Fault::kMachine, "the replay failed: " + report.detail);
  return seen;
}

// The most that a core was off in a whole second, as a share of that core.
double WorstDifference(const LoadProfile& wanted, const LoadProfile& seen) {
  double worst = 0;
  for (int second = 0; second + 1 < static_cast<int>(seen.seconds()); ++second) {
    const auto asked = wanted.SecondDuty(second % std::max(1, static_cast<int>(wanted.seconds())));
    const auto got = seen.SecondDuty(second);
    for (std::size_t core = 0; core < got.size(); ++core) worst = std::max(worst, std::abs(got[core] - asked[core]));
  }
  return worst;
}

int Replay(const Request& request, const Places& places) {
  if (request.subject.empty()) FailInput("load replay: name a profile: fast-kettle load replay game.load.json");
  const LoadProfile read = ReadLoadProfile(request.subject);
  const int cores = CountCores();
  const LoadProfile profile = OntoCores(read, cores);
  const double seconds = Seconds(request, profile.seconds());
  const StandInGpu stand_in = FindStandInGpu(request.stand_in_gpu, places);
  std::optional<StandIn> gpu_game;
  if (!stand_in.empty() && !read.gpu.empty())
    gpu_game.emplace(places, "kettle-gpu-game",
                     std::vector<std::string>{"--gpu", stand_in.profile, "--load", request.subject}, "SIMULATED");
  Progress progress(request.quiet);
  const LoadProfile seen = ReplayAndWatch(profile, seconds, places, progress);
  const double worst = WorstDifference(profile, seen);
  if (request.json) {
    PrintJson(json{{"wanted_cores", profile.mean_cores()},
                   {"seen_cores", seen.mean_cores()},
                   {"worst_difference", worst},
                   {"seconds", seconds}});
    return 0;
  }
  if (read.cores() != cores)
    fmt::print("The profile was captured on {} cores and has been spread over the {} here.\n", read.cores(), cores);
  fmt::print(
      "Replayed {:.0f} s: the profile asks for {:.2f} cores, {:.2f} were in use; at most {:.0f} points apart on one "
      "core in one second.\n",
      seconds, profile.mean_cores(), seen.mean_cores(), worst * 100);
  if (!read.gpu.empty())
    fmt::print(
        "The game's share of the GPU ({}) was {}.\n", GpuWords(read),
        gpu_game ? "replayed on the SIMULATED one" : "not replayed; --stand-in-gpu replays it on a simulated one");
  return 0;
}

}  // namespace

int RunLoad(const Request& request, const Places& places) {
  return request.verb == "capture" ? Capture(request, places) : Replay(request, places);
}

}  // namespace kettle::app
