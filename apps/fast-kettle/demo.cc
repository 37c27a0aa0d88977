// SPDX-License-Identifier: Apache-2.0
#include <fmt/format.h>

#include <algorithm>
#include <chrono>

#include "commands.h"
#include "kettle/encoders/catalogue.h"

namespace kettle::app {

namespace {

bool HasGpuEncoder(Session& session) {
  const auto& found = session.FindEncoders();
  return std::any_of(found.begin(), found.end(), [](const FoundEncoder& encoder) {
    return encoder.probe.works && FindFamily(encoder.name).device == DeviceKind::kGpu;
  });
}

}  // namespace

int RunDemo(Request request, const Places& places) {
  const auto start = std::chrono::steady_clock::now();
  request.show = places.share / "demo" / "saltmarsh.toml";
  request.footage_seconds = 1;
  request.fresh = true;
  request.most_proofs = 3;
  if (request.stand_in_gpu.empty() && !request.without_stand_in) {
    Session probe(request, places);
    if (!HasGpuEncoder(probe)) request.stand_in_gpu = "modest";
  }
  Session session(request, places);
  if (!request.json) {
    fmt::print("{}\n", Paint("1. What this machine has", Tone::kStrong));
    RunSurvey(session);
    fmt::print("\n{}\n", Paint("2. A plan for the shipped show, measured and proven", Tone::kStrong));
  }
  const int code = RunPlan(session);
  const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
  if (!request.json)
    fmt::print("The demo took {:.0f} s. For your own game: copy {} and put a clip of it under footage.\n", seconds,
               request.show);
  return code;
}

}  // namespace kettle::app
