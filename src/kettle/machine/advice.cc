// SPDX-License-Identifier: Apache-2.0
#include "kettle/machine/advice.h"

#include <algorithm>

#include "kettle/units/error.h"

namespace kettle {

namespace {

constexpr double kGigabyte = 1e9;
constexpr double kWriteReserve = 4;  // a disk that also holds the game should take this times the recording's rate

std::string Join(const std::vector<std::string>& words) { return fmt::format("{}", fmt::join(words, ", ")); }

void AdviseProcessor(const Processor& p, std::vector<std::string>& advice) {
  if (p.usable_threads > 0 && p.usable_threads < p.threads)
    advice.push_back(
        fmt::format("only {} of {} processors may be used here (affinity mask or container): start "
                    "without that limit, or plan for it",
                    p.usable_threads, p.threads));
  if (p.quota_cores && *p.quota_cores < p.usable_threads)
    advice.push_back(
        fmt::format("a control group limits this session to the time of {:.2g} of {} processors; encodes are throttled "
                    "beyond that: raise cpu.max",
                    *p.quota_cores, p.usable_threads));
  if (p.efficiency_cores > 0)
    advice.push_back(
        fmt::format("{} performance and {} efficiency cores: an encode that lands on an efficiency core is slower than "
                    "one measured on a performance core",
                    p.performance_cores, p.efficiency_cores));
}

void AdviseGraphics(const std::vector<GraphicsDevice>& devices, std::vector<std::string>& advice) {
  for (const GraphicsDevice& device : devices) {
    const std::string where = device.bus_address.empty() ? device.name : device.name + " (" + device.bus_address + ")";
    if (device.driver.empty())
      advice.push_back(fmt::format("{} has no kernel driver: install the one for it", where));
    else if (device.driver == "nouveau")
      advice.push_back(fmt::format("{} runs on nouveau, which has no NVENC: install NVIDIA's driver", where));
    if (!device.render_node.empty() && !device.permitted)
      advice.push_back(
          fmt::format("{}: not permitted to open {}; join the group \"{}\" (sudo usermod -aG {} $USER) "
                      "and log in again",
                      where, device.render_node, device.node_group, device.node_group));
    if (device.vendor == "Intel" && !device.render_node.empty())
      advice.push_back(
          fmt::format("{} works through both VA-API and QSV: it is one GPU with one encode engine, not two", where));
    if (device.busy && *device.busy >= 0.3)
      advice.push_back(
          fmt::format("{} is {:.0f} % busy now: measure with nothing else running on it, or with the "
                      "game itself",
                      where, *device.busy * 100));
  }
  if (devices.size() > 1)
    advice.push_back(fmt::format(
        "{} GPUs: encoding on one that the game does not use means copying every frame over; measure both (--device)",
        devices.size()));
}

void AdviseAudio(const std::vector<AudioDevice>& devices, std::vector<std::string>& advice) {
  for (const AudioDevice& device : devices)
    if (!device.rates_hz.empty() &&
        std::find(device.rates_hz.begin(), device.rates_hz.end(), 48000) == device.rates_hz.end())
      advice.push_back(fmt::format(
          "{} does not run at 48000 Hz, the usual rate for streams: its sound will be resampled", device.name));
}

}  // namespace

std::vector<std::string> MachineAdvice(const Machine& machine) {
  std::vector<std::string> advice;
  AdviseProcessor(machine.processor, advice);
  AdviseGraphics(machine.graphics, advice);
  AdviseAudio(machine.audio, advice);
  return advice;
}

std::vector<std::string> DiskAdvice(const Disk& disk, BitRate recording, double hours_wanted) {
  std::vector<std::string> advice;
  constexpr double kNoPlatter = 300e6;  // bytes a second: a virtual disk may say that it rotates
  if (disk.rotating.value_or(false) && !(disk.write_rate && disk.write_rate->slowest_bytes_per_second > kNoPlatter))
    advice.push_back(
        fmt::format("{} is on a rotating disk: keep the game on another one, or its loading stalls the "
                    "recording",
                    disk.folder));
  if (disk.file_system == "vfat")
    advice.push_back(fmt::format("{} is on {}: no file there can exceed 4 GiB; recordings break off", disk.folder,
                                 disk.file_system));
  if (disk.file_system == "tmpfs" || disk.file_system == "ramfs")
    advice.push_back(fmt::format(
        "{} is in memory ({}): a recording there is lost when the power goes, and takes memory from the game",
        disk.folder, disk.file_system));
  const double hours = disk.hours_at(recording);
  if (hours < hours_wanted)
    advice.push_back(fmt::format("{:.1f} GB are free in {}: {:.1f} hours at {}",
                                 static_cast<double>(disk.free_bytes) / kGigabyte, disk.folder, hours,
                                 recording.str()));
  const double needed = static_cast<double>(recording.bits_per_second) / 8 * kWriteReserve;
  if (disk.write_rate && disk.write_rate->slowest_bytes_per_second < needed)
    advice.push_back(
        fmt::format("{} wrote only {:.1f} MB/s at its slowest, less than {:g} times what a recording of {} needs",
                    disk.folder, disk.write_rate->slowest_bytes_per_second / 1e6, kWriteReserve, recording.str()));
  return advice;
}

std::vector<std::string> ConditionAdvice(const Conditions& c) {
  std::vector<std::string> advice;
  if (std::find(c.governors.begin(), c.governors.end(), "powersave") != c.governors.end())
    advice.push_back(fmt::format(
        "the CPU governor is {}: clock speeds may stay low; set it to performance while you measure and stream",
        Join(c.governors)));
  if (c.on_battery.value_or(false))
    advice.emplace_back("this machine is running on battery: plug it in, or every result will be too low");
  if (c.throttle_events > 0)
    advice.push_back(fmt::format(
        "the CPU throttled {} times during this survey (heat): clean the fans, then check with bench --soak",
        c.throttle_events));
  if (c.stolen_cores >= 0.1)
    advice.push_back(fmt::format("the hypervisor gives {:.1f} cores to other machines: results vary with what those do",
                                 c.stolen_cores));
  for (const BusyProcess& process : c.busy)
    advice.push_back(
        fmt::format("{} is using {:.1f} cores: close it, or every result includes it", process.name, process.cores));
  if (c.memory_bytes > 0 && c.available_memory_bytes < c.memory_bytes / 10)
    advice.push_back(fmt::format("only {:.1f} of {:.1f} GiB of memory is available: the machine may start swapping",
                                 static_cast<double>(c.available_memory_bytes) / (1 << 30),
                                 static_cast<double>(c.memory_bytes) / (1 << 30)));
  return advice;
}

}  // namespace kettle
