// SPDX-License-Identifier: Apache-2.0
#include <fmt/format.h>

#include <nlohmann/json.hpp>

#include "commands.h"
#include "kettle/encoders/catalogue.h"

namespace kettle::app {

namespace {

using nlohmann::json;

json EncoderJson(const FoundEncoder& found) {
  const EncoderFamily& family = FindFamily(found.name);
  return {{"name", family.name},
          {"title", family.title},
          {"codec", family.codec},
          {"device", Name(family.device)},
          {"device_name", found.probe.device_name},
          {"works", found.probe.works},
          {"reason", found.probe.reason},
          {"presets", family.presets},
          {"simulated", found.simulated}};
}

std::vector<std::string> Advice(const Session& session, const std::vector<FoundEncoder>& encoders, const Disk& disk) {
  std::vector<std::string> advice;
  const Processor& processor = session.machine().processor;
  if (processor.usable_threads < processor.threads)
    advice.push_back(fmt::format("only {} of {} processors may be used by this program (affinity or container limit)",
                                 processor.usable_threads, processor.threads));
  if (disk.free_bytes < 5'000'000'000)
    advice.push_back(fmt::format("only {:.1f} GB are free in {}: little for a recording",
                                 static_cast<double>(disk.free_bytes) / 1e9, disk.folder));
  bool gpu = false;
  for (const FoundEncoder& found : encoders)
    gpu = gpu || (found.probe.works && FindFamily(found.name).device == DeviceKind::kGpu);
  if (!gpu) advice.push_back("no GPU encoder works: stream and recording share the CPU with the game");
  return advice;
}

void Print(const Session& session, const std::vector<FoundEncoder>& encoders, const Disk& disk,
           const std::vector<std::string>& advice) {
  const Machine& m = session.machine();
  const std::string displays = m.displays.empty() ? "none connected" : fmt::format("{}", fmt::join(m.displays, ", "));
  fmt::print("{}\n", Paint("Machine", Tone::kStrong));
  fmt::print("  processor  {}\n             {} cores, {} threads, {} usable\n",
             m.processor.model.empty() ? "unknown" : m.processor.model, m.processor.cores, m.processor.threads,
             m.processor.usable_threads);
  fmt::print("  memory     {:.1f} GiB\n", static_cast<double>(m.memory_bytes) / (1 << 30));
  fmt::print("  displays   {}\n", displays);
  fmt::print("  disk       {:.1f} GB free in {}\n\n", static_cast<double>(disk.free_bytes) / 1e9, disk.folder);
  fmt::print("{}\n", Paint("Encoders", Tone::kStrong));
  Table table({{"encoder"}, {"what"}, {"works"}, {"device, or why not"}});
  for (const FoundEncoder& found : encoders) {
    std::string note = found.probe.works ? found.probe.device_name : found.probe.reason;
    if (found.probe.works && note.empty()) note = "this processor";
    table.Row({{found.name},
               {FindFamily(found.name).title},
               {found.probe.works ? "yes" : "no", found.probe.works ? Tone::kGood : Tone::kBad},
               {note}});
  }
  fmt::print("{}", table.str());
  if (!advice.empty()) fmt::print("\n{}\n", Paint("Advice", Tone::kStrong));
  for (const std::string& line : advice) fmt::print("  - {}\n", line);
  for (const FoundEncoder& found : encoders)
    if (found.simulated && found.probe.works) fmt::print("\n{}", SimulatedNotice());
}

}  // namespace

int RunSurvey(Session& session) {
  const auto& encoders = session.FindEncoders();
  const Disk disk = ReadDisk(session.out());
  const auto advice = Advice(session, encoders, disk);
  json list = json::array();
  bool simulated = false;
  for (const FoundEncoder& found : encoders) {
    list.push_back(EncoderJson(found));
    simulated = simulated || found.simulated;
  }
  const json body = {{"machine", session.machine()},
                     {"encoders", list},
                     {"disk", {{"folder", disk.folder}, {"free_bytes", disk.free_bytes}}},
                     {"advice", advice},
                     {"simulated", simulated}};
  session.Write("survey", body);
  if (session.request().json)
    fmt::print("{}\n", body.dump(2));
  else
    Print(session, encoders, disk, advice);
  return 0;
}

}  // namespace kettle::app
