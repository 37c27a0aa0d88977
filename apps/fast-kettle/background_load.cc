// SPDX-License-Identifier: Apache-2.0
#include "background_load.h"

#include <fmt/format.h>
#include <unistd.h>

#include <filesystem>
#include <nlohmann/json.hpp>

#include "kettle/load/capture.h"
#include "kettle/units/clock.h"
#include "kettle/units/digest.h"
#include "kettle/units/error.h"
#include "session.h"

namespace kettle::app {

namespace {

constexpr double kLongestSeconds = 24 * 3600;

}  // namespace

BackgroundLoad::BackgroundLoad(const std::string& load, const std::vector<std::string>& worker_command)
    : name_(std::filesystem::path(load).filename().string()), worker_(worker_command, "", &stop_) {
  const auto cores = static_cast<int>(ReadCoreSeconds().size());
  if (load == "live") {
    SteadyClock clock;
    profile_ = CaptureLoad({.seconds = 2}, clock, StopRequested(), [](double) {});
    digest_ = "live " + MakeProvenance("", "").utc;
    live_ = true;
    return;
  }
  const LoadProfile read = ReadLoadProfile(load);
  profile_ = OntoCores(read, cores);
  if (read.cores() != cores) note_ = fmt::format("; captured on {} cores, put onto the {} here", read.cores(), cores);
  digest_ = HexDigest(nlohmann::json(profile_).dump());
  thread_ = std::thread([this] {
    try {
      const WorkerReport report =
          worker_.Run({"load", {{"profile", profile_}, {"seconds", kLongestSeconds}}, kLongestSeconds},
                      [this](double) { running_ = true; });
      trouble_ = report.detail;
    } catch (const Error& error) {
      trouble_ = error.what();  // as a rule: stopped, its time is over
    }
    ended_ = true;
  });
  while (!running_ && !ended_) usleep(5'000);
  if (!running_) {
    thread_.join();
    FailMachine("the load's replay did not start: {}", trouble_);
  }
}

void BackgroundLoad::CheckStillThere() const {
  if (ended_) FailMachine("the load's replay ended by itself ({}): what was measured was not under it", trouble_);
}

BackgroundLoad::~BackgroundLoad() {
  stop_ = true;
  if (thread_.joinable()) thread_.join();
}

std::vector<std::string> BackgroundLoad::live_programs() const {
  std::vector<std::string> names;
  for (const LoadProfile::Program& program : profile_.programs)
    if (live_) names.push_back(program.name);
  return names;
}

std::string BackgroundLoad::words() const {
  return fmt::format("{}: {:.2f} of {} cores on average{}", name_, profile_.mean_cores(), profile_.cores(), note_);
}

nlohmann::json BackgroundLoad::json() const {
  return {{"profile", name_},
          {"mean_cores", profile_.mean_cores()},
          {"peak_second_cores", profile_.peak_second_cores()},
          {"note", note_}};
}

}  // namespace kettle::app
