// SPDX-License-Identifier: Apache-2.0
// Starts the simulated ingest and the simulated game that ship with the program, for rehearsing without real ones.
#pragma once

#include <chrono>
#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "kettle/diagnosis/game_frames.h"
#include "kettle/process/child_process.h"
#include "kettle/rehearsal/stream_out.h"
#include "session/session.h"

namespace kettle::app {

// A program that runs until this object ends.
class StandIn {
 public:
  // Waits until it has said a line that holds `sign`. Throws Error(kInput) with what it said otherwise.
  StandIn(const Places& places, const std::string& program, const std::vector<std::string>& arguments,
          const std::string& sign);

  const std::string& first_line() const { return first_line_; }

 private:
  OwnedFd said_;  // what it says: open for longer than it runs, or it would be ended by saying more
  std::optional<ChildProcess> process_;
  std::string first_line_;
};

class StandInIngest {
 public:
  // Any free port of loopback; `link` shapes its line (a TOML file, empty: none); what arrives goes to `report`.
  StandInIngest(const Places& places, const std::string& link, const std::filesystem::path& report);
  // One for each destination, all behind the same line; with none one at all.
  std::vector<RehearsalIngest> Ingests(const std::vector<std::string>& destinations) const;

 private:
  StandIn program_;
};

class StandInGame {
 public:
  // Plays alone for some seconds first. Throws Error(kInterrupted) when stopped meanwhile.
  StandInGame(const Places& places, double cores, FrameRate rate, const std::filesystem::path& report);
  // What is to be measured begins, ends.
  void Begin();
  void End();
  // Its frames before the first Begin, and in the last stretch between Begin and End.
  GameFrames Frames() const;

 private:
  static constexpr int kAloneSeconds = 5;
  double Elapsed() const;
  std::filesystem::path report_;
  double wanted_fps_;
  StandIn program_;
  std::chrono::steady_clock::time_point start_;
  double alone_until_ = 0, begin_seconds_ = 0, end_seconds_ = 0;  // after its start
};

}  // namespace kettle::app
