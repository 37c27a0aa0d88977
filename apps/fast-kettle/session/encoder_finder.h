// SPDX-License-Identifier: Apache-2.0
// Which encoders work on this machine, on which of its GPUs, and how many encodes at once; found by opening them.
#pragma once

#include <map>
#include <optional>
#include <set>
#include <string>
#include <utility>
#include <vector>

#include "kettle/device/nvidia.h"
#include "kettle/encoders/catalogue.h"
#include "kettle/trial/trial.h"
#include "terminal.h"

namespace kettle::app {

// One encoder family as it was found here.
struct FoundEncoder {
  std::string name;
  int device = 0;  // which GPU, for a family that has several
  ProbeOutcome probe;
  bool simulated = false;
};

// What every encoder that works at all takes, with its fastest preset.
EncodeSettings ProbeSettings(const EncoderFamily& family, int device);

// All answers are remembered: the machine does not change in a run.
class EncoderFinder {
 public:
  // Keeps references.
  EncoderFinder(const WorkerProcess& worker, ProcessTrialRunner& runner, Progress& progress)
      : worker_(worker), runner_(runner), progress_(progress) {}

  // Opens every family of the catalogue in a worker, on each GPU.
  const std::vector<FoundEncoder>& All();
  // The names of the encoders for these codecs that work on the CPU or a GPU.
  std::vector<std::string> Usable(const std::vector<std::string>& codecs);
  // Of each family that works here, the devices where it does.
  std::map<std::string, std::vector<int>> UsableDevices();
  // Of one, the first; 0 where it works on none, or has no choice.
  int FirstUsableDevice(const std::string& family);
  // Of those families that are on a GPU: how many encodes the driver opens at once on the first that works. Tried.
  std::map<std::string, int> EncodesAtOnce(const std::vector<std::string>& families);
  // Of those families, the ones whose driver makes no B-frames on the first GPU that works.
  std::set<std::string> WithoutBFrames(const std::vector<std::string>& families);
  // What the driver opens at most. Tried, once for each encoder; nothing if that failed.
  std::optional<LimitsOutcome> Limits(const std::string& family, int device);
  // How many devices a family may choose from; 1 for the CPU.
  int CountDevices(const EncoderFamily& family);
  // What the NVIDIA driver tells, asked in a worker.
  const std::vector<NvidiaDevice>& Nvidia();

 private:
  const WorkerProcess& worker_;
  ProcessTrialRunner& runner_;
  Progress& progress_;
  std::vector<FoundEncoder> encoders_;
  std::map<std::pair<std::string, int>, std::optional<LimitsOutcome>> limits_;
  std::optional<std::vector<NvidiaDevice>> nvidia_;
};

}  // namespace kettle::app
