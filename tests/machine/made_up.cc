// SPDX-License-Identifier: Apache-2.0
#include "machine/made_up.h"

#include <fmt/format.h>

#include <fstream>

namespace kettle::test {

namespace fs = std::filesystem;

namespace {

struct Core {
  int package = 0, threads = 1;
  bool efficient = false;
};

// cpu files as sysfs-devices-system-cpu and hwloc want them.
void PutCores(const Tree& tree, const std::string& model, const std::vector<Core>& cores, int l3_kib) {
  std::string cpuinfo;
  int cpu = 0;
  for (std::size_t core = 0; core < cores.size(); ++core) {
    const int first = cpu;
    for (int thread = 0; thread < cores[core].threads; ++thread, ++cpu) {
      const std::string folder = fmt::format("sys/devices/system/cpu/cpu{}/", cpu);
      const std::string mask = fmt::format("{:x}", ((1ull << cores[core].threads) - 1) << first);
      unsigned long long package_mask = 0;
      int other = 0;
      for (const Core& c : cores)
        for (int t = 0; t < c.threads; ++t, ++other)
          if (c.package == cores[core].package) package_mask |= 1ull << other;
      tree.Put(folder + "topology/core_id", std::to_string(core));
      tree.Put(folder + "topology/physical_package_id", std::to_string(cores[core].package));
      tree.Put(folder + "topology/thread_siblings", mask);
      tree.Put(folder + "topology/core_cpus", mask);
      tree.Put(folder + "topology/core_siblings", fmt::format("{:x}", package_mask));
      tree.Put(folder + "topology/package_cpus", fmt::format("{:x}", package_mask));
      tree.Put(folder + "online", "1");
      tree.Put(folder + "cpufreq/cpuinfo_max_freq", cores[core].efficient ? "3500000" : "4700000");
      tree.Put(folder + "cpufreq/base_frequency", cores[core].efficient ? "1800000" : "2300000");
      const auto cache = [&](int index, int level, const char* type, int kib, const std::string& shared) {
        const std::string at = folder + fmt::format("cache/index{}/", index);
        tree.Put(at + "level", std::to_string(level));
        tree.Put(at + "type", type);
        tree.Put(at + "size", fmt::format("{}K", kib));
        tree.Put(at + "shared_cpu_map", shared);
        tree.Put(at + "coherency_line_size", "64");
        tree.Put(at + "number_of_sets", "64");
        tree.Put(at + "physical_line_partition", "1");
      };
      cache(0, 1, "Data", 32, mask);
      cache(1, 2, "Unified", cores[core].efficient ? 512 : 1280, mask);
      cache(2, 3, "Unified", l3_kib, fmt::format("{:x}", package_mask));
      cpuinfo += fmt::format("processor\t: {}\nmodel name\t: {}\n\n", cpu, model);
    }
  }
  const std::string all = fmt::format("0-{}", cpu - 1);
  for (const char* list : {"online", "possible", "present"})
    tree.Put(std::string("sys/devices/system/cpu/") + list, all);
  tree.Put("sys/devices/system/node/online", "0");
  tree.Put("proc/cpuinfo", cpuinfo);
  tree.Put("proc/self/status", "Name:\tx\nCpus_allowed_list:\t" + all + "\n");
  tree.Put("proc/stat", "cpu  100 10 50 1000 30 5 5 40 0 0\n");
  tree.Put("proc/sys/kernel/osrelease", "6.1.0-made-up");
}

void PutMemory(const Tree& tree, int gib, int available_gib) {
  tree.Put("proc/meminfo", fmt::format("MemTotal:       {} kB\nMemFree:        1000 kB\nMemAvailable:   {} kB\n",
                                       gib * 1048576, available_gib * 1048576));
}

void PutGpu(const Tree& tree, const std::string& address, const char* vendor, const char* device, const char* driver,
            int node) {
  const std::string folder = "sys/bus/pci/devices/" + address + "/";
  tree.Put(folder + "class", "0x030000");
  tree.Put(folder + "vendor", vendor);
  tree.Put(folder + "device", device);
  if (*driver) {
    tree.Put(fmt::format("sys/bus/pci/drivers/{}/bind", driver), "");
    tree.Link(folder + "driver", fmt::format("../../drivers/{}", driver));
  }
  if (node == 0) return;
  tree.Put(folder + fmt::format("drm/renderD{}/dev", node), fmt::format("226:{}", node));
  tree.Put(fmt::format("dev/dri/renderD{}", node), "");
}

void PutDisplay(const Tree& tree, const std::string& connector, int width, int height, int hz, const char* name) {
  const std::string folder = "sys/class/drm/" + connector + "/";
  tree.Put(folder + "status", "connected");
  tree.Put(folder + "modes", fmt::format("{}x{}\n1280x720\n", width, height));
  tree.Put(folder + "edid", MakeEdid(width, height, hz, name));
}

void PutDisk(const Tree& tree, const std::string& type, const std::string& disk, bool rotating) {
  const std::string block = "sys/devices/pci0000:00/block/" + disk + "/";
  tree.Put(block + "queue/rotational", rotating ? "1" : "0");
  tree.Put(block + disk + "1/partition", "1");
  tree.Link("sys/dev/block/8:1", "../../devices/pci0000:00/block/" + disk + "/" + disk + "1");
  tree.Put("proc/self/mountinfo", "21 1 8:1 / / rw,relatime shared:1 - " + type + " /dev/" + disk + "1 rw\n" +
                                      "22 21 0:21 / /proc rw - proc proc rw\n");
}

}  // namespace

void Tree::Put(const std::string& path, const std::string& content) const {
  fs::create_directories((root_ / path).parent_path());
  std::ofstream(root_ / path, std::ios::binary) << content;
}

void Tree::Link(const std::string& path, const std::string& target) const {
  fs::create_directories((root_ / path).parent_path());
  fs::create_symlink(target, root_ / path);
}

std::string MakeEdid(int width, int height, int refresh_hz, const std::string& name) {
  std::string e(128, '\0');
  const auto set = [&](std::size_t at, int value) { e[at] = static_cast<char>(value); };
  for (std::size_t i = 1; i <= 6; ++i) set(i, 0xff);
  const int blank_x = 160, blank_y = 40;
  const int clock = (width + blank_x) * (height + blank_y) * refresh_hz / 10000;  // in units of 10 kHz
  set(54, clock & 255);
  set(55, clock >> 8);
  set(56, width & 255);
  set(57, blank_x & 255);
  set(58, (width >> 8) << 4 | blank_x >> 8);
  set(59, height & 255);
  set(60, blank_y & 255);
  set(61, (height >> 8) << 4 | blank_y >> 8);
  set(75, 0xfc);
  e.replace(77, name.size() + 1, name + "\n");
  int sum = 0;
  for (const char byte : e) sum += static_cast<unsigned char>(byte);
  set(127, (256 - sum % 256) % 256);
  return e;
}

void MakeLaptop(const Tree& tree) {
  std::vector<Core> cores(6, {0, 2, false});
  cores.insert(cores.end(), 8, {0, 1, true});
  PutCores(tree, "Brackish 1460 Mobile", cores, 24576);
  PutMemory(tree, 16, 9);
  PutGpu(tree, "0000:00:02.0", "0x8086", "0xf001", "i915", 128);
  PutGpu(tree, "0000:01:00.0", "0x10de", "0xf002", "nouveau", 129);
  PutDisplay(tree, "card0-eDP-1", 1920, 1200, 60, "Estuary Panel");
  tree.Put("sys/class/drm/card0-HDMI-A-1/status", "disconnected");
  tree.Put("sys/devices/system/cpu/cpu0/cpufreq/scaling_governor", "powersave");
  tree.Put("sys/devices/system/cpu/cpu0/thermal_throttle/core_throttle_count", "7");
  tree.Put("sys/class/power_supply/AC/type", "Mains");
  tree.Put("sys/class/power_supply/AC/online", "0");
  tree.Put("sys/class/power_supply/BAT0/type", "Battery");
  tree.Put("sys/class/power_supply/BAT0/status", "Discharging");
  tree.Put("proc/asound/cards", " 0 [PCH            ]: HDA-Intel - Estuary Sound\n                      at 0x1\n");
  tree.Put("proc/asound/card0/codec#0", "Codec: X\n    rates [0x560]: 44100 48000 96000 192000\n");
  tree.Put("proc/asound/card0/pcm0p/sub0/hw_params", "access: MMAP\nrate: 44100 (44100/1)\n");
  tree.Put("proc/asound/card0/pcm0c/sub0/hw_params", "closed\n");
  PutDisk(tree, "ext4", "nvme0n", false);
}

void MakeSmallDesktop(const Tree& tree) {
  PutCores(tree, "Brackish 4", std::vector<Core>(4), 6144);
  PutMemory(tree, 8, 0);
  PutGpu(tree, "0000:03:00.0", "0x1002", "0xf003", "amdgpu", 128);
  tree.Put("sys/bus/pci/devices/0000:03:00.0/gpu_busy_percent", "64");
  tree.Put("etc/group", "root:x:0:\nrender:x:105:\n");
  tree.Put("proc/asound/cards", " 1 [Mic            ]: USB-Audio - Gull Microphone\n");
  tree.Put("proc/asound/card1/stream0", "Capture:\n    Rates: 16000, 44100\n");
  tree.Put("proc/asound/card1/pcm0c/info", "card: 1\n");
  PutDisk(tree, "ext4", "sda", true);
}

void MakeWorkstation(const Tree& tree) {
  std::vector<Core> cores(16, {0, 2, false});
  for (std::size_t i = 8; i < 16; ++i) cores[i].package = 1;
  PutCores(tree, "Brackish 16 Pro", cores, 32768);
  PutMemory(tree, 64, 50);
  PutGpu(tree, "0000:41:00.0", "0x10de", "0xf004", "nvidia", 128);
  PutDisplay(tree, "card0-DP-1", 2560, 1440, 144, "Saltmarsh 27");
  PutDisplay(tree, "card0-DP-2", 1920, 1080, 60, "Saltmarsh 24");
  tree.Put("sys/devices/system/cpu/cpu0/cpufreq/scaling_governor", "performance");
  PutDisk(tree, "xfs", "sda", false);
}

void MakeWithCards(const Tree& tree, const std::vector<MadeUpCard>& cards) {
  PutCores(tree, "Brackish 4", std::vector<Core>(4), 6144);
  PutMemory(tree, 8, 0);
  for (const MadeUpCard& card : cards)
    PutGpu(tree, card.address, card.vendor.c_str(), card.device.c_str(), card.driver.c_str(), card.node);
  PutDisk(tree, "ext4", "nvme0n", false);
}

void MakeContainer(const Tree& tree) {
  PutCores(tree, "Brackish 8", std::vector<Core>(8), 16384);
  PutMemory(tree, 32, 20);
  tree.Put("proc/self/status", "Name:\tx\nCpus_allowed_list:\t0-3\n");
  tree.Put("proc/self/cgroup", "0::/pod/app\n");
  tree.Put("sys/fs/cgroup/pod/cpu.max", "150000 100000\n");
  tree.Put("sys/fs/cgroup/pod/app/cpu.max", "max 100000\n");
  tree.Put("sys/fs/cgroup/pod/memory.max", "4294967296\n");
}

}  // namespace kettle::test
