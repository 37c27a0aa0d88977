// SPDX-License-Identifier: Apache-2.0
// kettle-gpu-game: plays back what a game took of the GPUs, on the simulated ones: around and around, until it is
// ended.
#include <fmt/format.h>
#include <stdlib.h>

#include <algorithm>
#include <boost/program_options.hpp>
#include <chrono>
#include <thread>

#include "channel.h"
#include "common/program.h"
#include "kettle/load/profile.h"

namespace po = boost::program_options;

namespace {

// Sends the shares of one sample; false if the devices are gone.
bool SendShares(int device, const std::vector<double>& shares, std::size_t devices) {
  for (std::size_t i = 0; i < std::min(shares.size(), devices); ++i) {
    standin::Message message{.kind = standin::Kind::kGame,
                             .status = standin::Status::kOk,
                             .game = {static_cast<std::uint32_t>(i), shares[i]}};
    if (!standin::Send(device, message) || !standin::Receive(device)) return false;
  }
  return true;
}

int Run(int argc, char** argv) {
  std::string gpu, load;
  int from = 0;
  po::options_description all("kettle-gpu-game: what a game took of the GPUs, on SIMULATED ones.\n\nOptions");
  all.add_options()("help,h", "this text")("gpu", po::value(&gpu)->value_name("FILE"), "the simulated GPUs' profile")(
      "load", po::value(&load)->value_name("FILE"), "a load profile in which the GPUs' use was captured")(
      "from", po::value(&from)->value_name("SECOND"), "of the load profile, to begin with (default: 0)");
  if (!standin::ReadOptions(argc, argv, all, "kettle-gpu-game --gpu modest.toml --load race-night.load.json")) return 0;
  if (gpu.empty() || load.empty()) kettle::FailInput("needs --gpu and --load; see --help");
  const kettle::LoadProfile profile = kettle::StartingAt(kettle::ReadLoadProfile(load), from);
  if (profile.gpu.empty()) kettle::FailInput("{}: no GPU's use was captured", load);
  setenv(standin::kProfileVariable, gpu.c_str(), 1);
  const std::size_t devices =
      standin::AskDevices(standin::Interface::kNvenc).size() + standin::AskDevices(standin::Interface::kVaapi).size();
  const standin::Descriptor device = standin::ConnectToDevice();
  if (!device || devices == 0) kettle::FailMachine("the simulated GPUs do not answer");
  bool there = SendShares(device.get(), profile.gpu.front(), devices);
  fmt::print("kettle-gpu-game: a SIMULATED game on the simulated GPU\n");
  std::fflush(stdout);
  const auto start = std::chrono::steady_clock::now();
  for (std::size_t sample = 1; there; ++sample) {
    std::this_thread::sleep_until(
        start + std::chrono::duration_cast<std::chrono::steady_clock::duration>(
                    std::chrono::duration<double>(static_cast<double>(sample) * profile.interval_seconds)));
    there = SendShares(device.get(), profile.gpu[sample % profile.gpu.size()], devices);
  }
  kettle::FailMachine("the simulated GPUs have gone");
}

}  // namespace

int main(int argc, char** argv) { return standin::RunProgram("kettle-gpu-game", Run, argc, argv); }
