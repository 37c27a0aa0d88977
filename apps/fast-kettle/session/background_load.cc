// SPDX-License-Identifier: Apache-2.0
#include "session/background_load.h"

#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <filesystem>
#include <nlohmann/json.hpp>

#include "kettle/load/capture.h"
#include "kettle/store/json_text.h"
#include "kettle/units/clock.h"
#include "kettle/units/digest.h"
#include "kettle/units/error.h"
#include "session/session.h"
#include "surroundings/stand_in.h"

namespace kettle::app {

// A worker that replays, until this object ends.
class BackgroundLoad::Replay {
 public:
  Replay(const LoadProfile& profile, const std::vector<std::string>& worker_command)
      : worker_(worker_command, {}, &stop_), thread_([this, profile] { Run(profile); }) {
    while (!running_ && !ended_) usleep(5'000);
    if (running_) return;
    thread_.join();
    FailMachine("the load replay did not start: {}", trouble_);
  }
  ~Replay() {
    stop_ = true;
    if (thread_.joinable()) thread_.join();
  }
  Replay(const Replay&) = delete;
  Replay& operator=(const Replay&) = delete;

  void CheckStillThere() const {
    if (ended_)
      FailMachine("the load replay stopped by itself ({}): what was measured since was not under load", trouble_);
  }

 private:
  void Run(const LoadProfile& profile) {
    constexpr double kLongestSeconds = 24 * 3600;
    try {
      const WorkerReport report =
          worker_.Run({"load", {{"profile", profile}, {"seconds", kLongestSeconds}}, kLongestSeconds},
                      [this](double) { running_ = true; });
      trouble_ = report.detail;
    } catch (const std::exception& error) {
      trouble_ = error.what();  // as a rule: stopped, its time is over
    }
    ended_ = true;
  }

  std::atomic<bool> stop_ = false, running_ = false, ended_ = false;
  std::string trouble_;  // read after ended_
  WorkerProcess worker_;
  std::thread thread_;
};

BackgroundLoad::BackgroundLoad(const std::string& load, const Places& places, const std::string& stand_in_gpu)
    : places_(places), file_(load), stand_in_gpu_(stand_in_gpu) {
  const int cores = CountCores();
  if (load == "live") {
    SteadyClock clock;
    profile_ = CaptureLoad({.seconds = 2}, clock, StopRequested(), [](double) {});
    digest_ = "live " + MakeProvenance("", "").utc;
    live_ = true;
    return;
  }
  const LoadProfile read = ReadLoadProfile(load);
  profile_ = OntoCores(read, cores);
  if (read.cores() != cores)
    note_ = fmt::format("; captured on {} cores, spread over the {} here", read.cores(), cores);
  if (!profile_.gpu.empty() && stand_in_gpu_.empty()) note_ += "; its GPU use is not replayed";
  digest_ = HexDigest(JsonText(nlohmann::json(profile_)));
  Start(0);
}

BackgroundLoad::~BackgroundLoad() = default;

void BackgroundLoad::Start(int from_second) {
  replay_.reset();  // before the next one begins
  gpu_game_.reset();
  if (!profile_.gpu.empty() && !stand_in_gpu_.empty())
    gpu_game_ = std::make_unique<StandIn>(
        places_, "kettle-gpu-game",
        std::vector<std::string>{"--gpu", stand_in_gpu_, "--load", file_, "--from", std::to_string(from_second)},
        "SIMULATED");
  replay_ = std::make_unique<Replay>(StartingAt(profile_, from_second),
                                     std::vector<std::string>{places_.engine.string(), "worker"});
}

void BackgroundLoad::MeetBusiest(double seconds) {
  if (!live_) Start(profile_.busiest_second() - static_cast<int>(seconds / 2));
}

void BackgroundLoad::CheckStillThere() const {
  if (replay_) replay_->CheckStillThere();
}

std::string BackgroundLoad::name() const { return std::filesystem::path(file_).filename().string(); }

std::vector<std::string> BackgroundLoad::live_programs() const {
  std::vector<std::string> names;
  for (const LoadProfile::Program& program : profile_.programs)
    if (live_) names.push_back(program.name);
  return names;
}

std::string BackgroundLoad::words() const {
  std::string gpu;
  for (const double share : profile_.mean_gpu())
    gpu += fmt::format("{}{:.0f} %", gpu.empty() ? ", GPU " : " and ", share * 100);
  return fmt::format("{}: {:.2f} of {} cores on average, {:.2f} in its busiest second{}{}{}", name(),
                     profile_.mean_cores(), profile_.cores(), profile_.peak_second_cores(), gpu,
                     gpu_game_ ? " (replayed on the SIMULATED one)" : "", note_);
}

nlohmann::json BackgroundLoad::json() const {
  return {{"profile", name()},
          {"mean_cores", profile_.mean_cores()},
          {"peak_second_cores", profile_.peak_second_cores()},
          {"mean_gpu", profile_.mean_gpu()},
          {"note", note_}};
}

}  // namespace kettle::app
