// SPDX-License-Identifier: Apache-2.0
// Made-up machines as the kernel would show them: trees of /proc, /sys and /dev in a folder.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

namespace kettle::test {

// Writes files and links of one tree.
class Tree {
 public:
  explicit Tree(std::filesystem::path root) : root_(std::move(root)) {}
  const std::filesystem::path& root() const { return root_; }
  void Put(const std::string& path, const std::string& content) const;
  void Link(const std::string& path, const std::string& target) const;  // relative to the link's folder

 private:
  std::filesystem::path root_;
};

// A monitor's identification: preferred timing and name, with a right checksum.
std::string MakeEdid(int width, int height, int refresh_hz, const std::string& name);

// A graphics card as PCI shows it, with its render node; `driver` may be empty, and without a node (0) there is none.
struct MadeUpCard {
  std::string address, vendor, device, driver;
  int node = 0;
};
// Four cores and those cards, an SSD.
void MakeWithCards(const Tree& tree, const std::vector<MadeUpCard>& cards);

// 6 performance cores with two threads each and 8 efficiency cores; an Intel GPU, and an NVIDIA one on nouveau; on
// battery, in powersave; a panel of 1920x1200 at 60 Hz; sound.
void MakeLaptop(const Tree& tree);
// 4 cores without SMT, one AMD GPU whose render node belongs to the group "render" (id 105), a rotating disk.
void MakeSmallDesktop(const Tree& tree);
// 16 cores with two threads each in two packages, an NVIDIA GPU, two monitors, an SSD.
void MakeWorkstation(const Tree& tree);
// 8 cores, of which an affinity mask leaves 4 and a control group 1.5; no /sys/class/drm.
void MakeContainer(const Tree& tree);

}  // namespace kettle::test
