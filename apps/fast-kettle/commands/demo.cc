// SPDX-License-Identifier: Apache-2.0
#include <fmt/format.h>

#include <algorithm>
#include <chrono>

#include "commands/commands.h"
#include "kettle/encoders/catalogue.h"
#include "kettle/units/error.h"

namespace kettle::app {

namespace {

bool HasGpuEncoder(Session& session) {
  const std::vector<EncoderFamily>& families = Catalogue();
  return std::any_of(families.begin(), families.end(), [&](const EncoderFamily& family) {
    return family.device == DeviceKind::kGpu && session.runner().Probe(ProbeSettings(family, 0)).works;
  });
}

}  // namespace

int RunDemo(Request request, const Places& places) {
  const auto start = std::chrono::steady_clock::now();
  request.show = places.share / "demo" / "saltmarsh.toml";
  request.footage_seconds = 1;
  request.overrides["recording-folder"] = {request.out};  // the shipped show lies where nobody may write
  request.fresh = true;
  request.most_proofs = 3;
  request.proof_seconds = 8;
  request.disk_seconds = 1;
  if (request.stand_in_gpu.empty() && !request.without_stand_in) {
    Session probe(request, places);
    if (!HasGpuEncoder(probe)) request.stand_in_gpu = "modest";
    std::error_code absent;
    if (!request.stand_in_gpu.empty() && !std::filesystem::exists(places.drivers, absent))
      FailInput(
          "this machine has no GPU: for a simulated one, sudo apt install {}; for the CPU alone, fast-kettle demo "
          "--without-stand-in",
          kSimulatorsPackage);
  }
  Session session(request, places);
  if (!request.json) {
    fmt::print("{}\n", Paint("1. What this machine has", Tone::kStrong));
    RunSurvey(session);
    fmt::print("\n{}\n",
               Paint("2. A plan for the shipped show: measured on one second of each of its scenes, then proven",
                     Tone::kStrong));
  }
  const int code = RunPlan(session);
  const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
  if (!request.json)
    fmt::print("The demo took {:.0f} s. For your own game: copy {} and put a clip of it under footage.\n", seconds,
               request.show);
  return code;
}

}  // namespace kettle::app
