// SPDX-License-Identifier: Apache-2.0
#include "kettle/machine/advice.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <utility>

namespace kettle {

namespace {

constexpr double kWriteReserve = 4;  // a disk that also holds the game should take this times the recording's rate

using Advice = std::vector<Message>;

std::string Join(const std::vector<std::string>& words) { return fmt::format("{}", fmt::join(words, ", ")); }

void AdviseProcessor(const Processor& p, Advice& advice) {
  if (p.usable_threads > 0 && p.usable_threads < p.threads)
    advice.push_back(Message{"advice.few-processors", {{"usable", p.usable_threads}, {"threads", p.threads}}});
  if (p.quota_cores && *p.quota_cores < p.usable_threads)
    advice.push_back(Message{"advice.cpu-quota", {{"quota", *p.quota_cores}, {"usable", p.usable_threads}}});
  if (p.efficiency_cores > 0)
    advice.push_back(
        Message{"advice.efficiency-cores", {{"performance", p.performance_cores}, {"efficiency", p.efficiency_cores}}});
}

void AdviseGraphics(const std::vector<GraphicsDevice>& devices, Advice& advice) {
  constexpr double kBusy = 0.3;  // of the shader units
  for (const GraphicsDevice& device : devices) {
    const std::string gpu = device.bus_address.empty() ? device.name : device.name + " (" + device.bus_address + ")";
    if (device.driver.empty())
      advice.push_back(Message{"advice.no-gpu-driver", {{"gpu", gpu}}});
    else if (device.driver == "nouveau")
      advice.push_back(Message{"advice.nouveau", {{"gpu", gpu}}});
    if (!device.render_node.empty() && !device.permitted)
      advice.push_back(Message{"advice.gpu-not-permitted",
                               {{"gpu", gpu}, {"node", device.render_node}, {"group", device.node_group}}});
    if (device.vendor == "Intel" && !device.render_node.empty())
      advice.push_back(Message{"advice.one-engine-two-interfaces", {{"gpu", gpu}}});
    if (device.busy && *device.busy >= kBusy)
      advice.push_back(Message{"advice.gpu-busy", {{"gpu", gpu}, {"percent", *device.busy * 100}}});
  }
}

void AdviseAudio(const std::vector<AudioDevice>& devices, Advice& advice) {
  for (const AudioDevice& device : devices)
    if (!device.rates_hz.empty() &&
        std::find(device.rates_hz.begin(), device.rates_hz.end(), 48000) == device.rates_hz.end())
      advice.push_back(Message{"advice.sound-card-rate", {{"card", device.name}}});
}

}  // namespace

std::vector<Message> MachineAdvice(const Machine& machine) {
  Advice advice;
  AdviseProcessor(machine.processor, advice);
  AdviseGraphics(machine.graphics, advice);
  AdviseAudio(machine.audio, advice);
  constexpr double kUsualStream = 60;
  for (Message& one : DisplayAdvice(machine.displays, kUsualStream)) advice.push_back(std::move(one));
  if (machine.network && machine.network->wireless)
    advice.push_back(Message{"advice.wireless", {{"interface", machine.network->interface}}});
  return advice;
}

std::vector<Message> DisplayAdvice(const std::vector<Display>& displays, double stream_fps) {
  Advice advice;
  for (const Display& display : displays) {
    const std::optional<Cadence> cadence =
        display.refresh_hz > 0 ? UnevenCadence(display.refresh_hz, stream_fps) : std::nullopt;
    if (!cadence) continue;
    const double below = std::floor(display.refresh_hz / stream_fps) * stream_fps;
    advice.push_back(Message{"advice.display-refresh",
                             {{"display", display.name.empty() ? display.connector : display.name},
                              {"refresh", display.refresh_hz},
                              {"rate", stream_fps},
                              {"shortest", cadence->shortest_ms},
                              {"longest", cadence->longest_ms},
                              {"below", below},
                              {"above", below + stream_fps}}});
  }
  return advice;
}

std::vector<Message> DiskAdvice(const Disk& disk, BitRate recording, double hours_wanted) {
  Advice advice;
  constexpr double kNoPlatter = 300e6;  // bytes a second: a virtual disk may say that it rotates
  if (disk.rotating.value_or(false) && !(disk.write_rate && disk.write_rate->slowest_bytes_per_second > kNoPlatter))
    advice.push_back(Message{"advice.rotating-disk", {{"folder", disk.folder}}});
  if (disk.file_system == "vfat")
    advice.push_back(Message{"advice.file-size-limit", {{"folder", disk.folder}, {"system", disk.file_system}}});
  if (disk.file_system == "tmpfs" || disk.file_system == "ramfs")
    advice.push_back(Message{"advice.disk-in-memory", {{"folder", disk.folder}, {"system", disk.file_system}}});
  const double hours = disk.hours_at(recording);
  if (hours < hours_wanted)
    advice.push_back(Message{"advice.little-space",
                             {{"gigabytes", static_cast<double>(disk.free_bytes) / 1e9},
                              {"folder", disk.folder},
                              {"hours", hours},
                              {"rate", recording.str()}}});
  const double needed = static_cast<double>(recording.bits_per_second) / 8 * kWriteReserve;
  if (disk.write_rate && disk.write_rate->slowest_bytes_per_second < needed)
    advice.push_back(Message{"advice.slow-disk",
                             {{"folder", disk.folder},
                              {"megabytes", disk.write_rate->slowest_bytes_per_second / 1e6},
                              {"times", kWriteReserve},
                              {"rate", recording.str()}}});
  return advice;
}

std::vector<Message> ConditionAdvice(const Conditions& c) {
  Advice advice;
  if (std::find(c.governors.begin(), c.governors.end(), "powersave") != c.governors.end())
    advice.push_back(Message{"advice.powersave-governor", {{"governors", Join(c.governors)}}});
  if (c.on_battery.value_or(false)) advice.push_back(Message{"advice.on-battery"});
  if (c.throttle_events > 0) advice.push_back(Message{"advice.throttled", {{"times", c.throttle_events}}});
  if (c.stolen_cores >= 0.1) advice.push_back(Message{"advice.stolen-time", {{"cores", c.stolen_cores}}});
  for (const BusyProcess& process : c.busy)
    advice.push_back(Message{"advice.busy-program", {{"program", process.name}, {"cores", process.cores}}});
  constexpr double kGibibyte = 1 << 30;
  if (c.memory_bytes > 0 && c.available_memory_bytes < c.memory_bytes / 10)
    advice.push_back(Message{"advice.little-memory",
                             {{"available", static_cast<double>(c.available_memory_bytes) / kGibibyte},
                              {"all", static_cast<double>(c.memory_bytes) / kGibibyte}}});
  return advice;
}

}  // namespace kettle
