// SPDX-License-Identifier: Apache-2.0
#include "kettle/device/display.h"

#include <cmath>
#include <fstream>
#include <iterator>
#include <nlohmann/json.hpp>
#include <numeric>

#include "kettle/units/error.h"
#include "kettle/units/text_file.h"

namespace kettle {

namespace fs = std::filesystem;

namespace {

constexpr std::size_t kBlockBytes = 128, kFirstDescriptor = 54, kDescriptorBytes = 18;

class Descriptor {
 public:
  Descriptor(const std::string& block, std::size_t offset) : block_(block), offset_(offset) {}

  bool is_timing() const { return Byte(0) != 0 || Byte(1) != 0; }
  bool is_name() const { return !is_timing() && Byte(3) == 0xfc; }

  FrameSize size() const { return {Twelve(2, 4, 4), Twelve(5, 7, 4)}; }
  double refresh_hz() const {
    const double clock_hz = (Byte(0) + Byte(1) * 256) * 1e4;
    const double pixels = static_cast<double>(size().width + Twelve(3, 4, 0)) * (size().height + Twelve(6, 7, 0));
    return pixels > 0 ? clock_hz / pixels : 0;
  }
  std::string name() const {
    const std::string text = block_.substr(offset_ + 5, 13);
    return text.substr(0, text.find('\n'));
  }

 private:
  int Byte(std::size_t index) const { return static_cast<unsigned char>(block_[offset_ + index]); }
  // Eight low bits in one byte, four high ones in half of another.
  int Twelve(std::size_t low, std::size_t high, int shift) const {
    return Byte(low) | ((Byte(high) >> shift & 15) << 8);
  }

  const std::string& block_;
  std::size_t offset_;
};

std::string Bytes(const fs::path& file) {
  std::ifstream stream(file, std::ios::binary);
  return {std::istreambuf_iterator<char>(stream), {}};
}

}  // namespace

std::optional<Edid> ParseEdid(const std::string& bytes) {
  if (bytes.size() < kBlockBytes || !bytes.starts_with(std::string("\0\xff\xff\xff\xff\xff\xff\0", 8)))
    return std::nullopt;
  const int sum = std::accumulate(bytes.begin(), bytes.begin() + kBlockBytes, 0,
                                  [](int total, char byte) { return total + static_cast<unsigned char>(byte); });
  if (sum % 256 != 0) return std::nullopt;
  Edid edid;
  for (std::size_t i = 0; i < 4; ++i) {
    const Descriptor descriptor(bytes, kFirstDescriptor + i * kDescriptorBytes);
    if (descriptor.is_timing() && edid.size.width == 0) {  // the first one is the preferred
      edid.size = descriptor.size();
      edid.refresh_hz = descriptor.refresh_hz();
    }
    if (descriptor.is_name()) edid.name = descriptor.name();
  }
  return edid;
}

std::vector<Display> ReadDisplays(const fs::path& root) {
  std::vector<Display> displays;
  for (const fs::path& connector : Entries(root / "sys/class/drm")) {
    if (FirstLine(connector / "status") != "connected") continue;
    Display display;
    display.connector = connector.filename().string();
    if (const auto edid = ParseEdid(Bytes(connector / "edid"))) {
      display.size = edid->size;
      display.refresh_hz = edid->refresh_hz;
      display.name = edid->name;
    }
    if (display.size.width == 0) try {
        display.size = FrameSize::Parse(FirstLine(connector / "modes").value_or(""));  // the preferred one is first
      } catch (const Error&) {
        continue;  // a mode like "1920x1080i": not progressive, not a size to capture
      }
    displays.push_back(std::move(display));
  }
  return displays;
}

std::optional<FrameSize> DisplaySize(const fs::path& root) {
  const auto displays = ReadDisplays(root);
  return displays.empty() ? std::nullopt : std::optional(displays.front().size);
}

void to_json(nlohmann::json& json, const Display& d) {
  json = {{"connector", d.connector}, {"name", d.name}, {"size", d.size}};
  if (d.refresh_hz > 0) json["refresh_hz"] = std::round(d.refresh_hz * 1000) / 1000;
}

}  // namespace kettle
