// SPDX-License-Identifier: Apache-2.0
// The game's load, replayed or real, while something is measured beside it.
#pragma once

#include <atomic>
#include <memory>
#include <nlohmann/json_fwd.hpp>
#include <string>
#include <thread>
#include <vector>

#include "kettle/load/profile.h"
#include "kettle/worker/worker_process.h"

namespace kettle::app {

class StandIn;
struct Places;

class BackgroundLoad {
 public:
  // `load` is a load profile's path, or "live": then nothing is replayed, and what runs now is watched for two seconds.
  // A worker replays it, from before the constructor returns until this object ends; what it took of GPUs is replayed
  // on the simulated ones of the profile `stand_in_gpu`, if that is not empty. Throws Error(kInput) for a profile that
  // is not right, Error(kMachine) if the replay does not start.
  BackgroundLoad(const std::string& load, const Places& places, const std::string& stand_in_gpu);
  ~BackgroundLoad();
  BackgroundLoad(const BackgroundLoad&) = delete;
  BackgroundLoad& operator=(const BackgroundLoad&) = delete;

  // Begins the replay anew, so that its busiest second lies in the middle of the next `seconds`. A live game goes on.
  void MeetBusiest(double seconds);

  // Throws Error(kMachine) if the replay has ended by itself: what was measured since was not under this load.
  void CheckStillThere() const;

  const LoadProfile& profile() const { return profile_; }
  // Programs that are the game, where it is running now.
  std::vector<std::string> live_programs() const;
  const std::string& digest() const { return digest_; }  // trials under another load are not the same
  std::string words() const;                             // "race-night.load.json: 0.8 of 2 cores"
  nlohmann::json json() const;

 private:
  class Replay;
  std::string name() const;
  void Start(int from_second);

  const Places& places_;
  const std::string file_, stand_in_gpu_;
  std::string digest_, note_;
  bool live_ = false;
  LoadProfile profile_;
  std::unique_ptr<Replay> replay_;
  std::unique_ptr<StandIn> gpu_game_;
};

}  // namespace kettle::app
