// SPDX-License-Identifier: Apache-2.0
// Sizes, frame rates and bit rates as types, with the spellings that show files and options use.
// Every Parse throws Error(Fault::kInput) with one line that says what would be right.
#pragma once

#include <compare>
#include <cstdint>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <string_view>

namespace kettle {

// A picture's size in pixels. Both sides are even (4:2:0 chroma) and 64 to 8192 when parsed.
struct FrameSize {
  int width = 0, height = 0;
  static FrameSize Parse(std::string_view text);  // "1280x720"
  std::int64_t pixels() const { return std::int64_t{width} * height; }
  std::string str() const;
  auto operator<=>(const FrameSize&) const = default;
};

// Frames per second as an exact fraction in lowest terms; 1 to 480 when parsed.
struct FrameRate {
  int numerator = 0, denominator = 1;
  // "60", "60000/1001"; the usual roundings 23.976, 29.97, 59.94 and 119.88 mean the NTSC rates.
  static FrameRate Parse(std::string_view text);
  // In lowest terms, the nearest that has both numbers below a million; 0/1 if either is not above zero.
  static FrameRate FromFraction(std::int64_t numerator, std::int64_t denominator);
  double fps() const { return static_cast<double>(numerator) / denominator; }
  // When frame `index` is due after frame 0, in nanoseconds, rounded down; exact for any index below 2^31.
  std::int64_t due_ns(std::int64_t index) const;
  std::string str() const;
  bool operator==(const FrameRate&) const = default;
};

// How long a picture stands at the shortest and at the longest where some of `source_fps` pictures a second are shown.
struct Cadence {
  double shortest_ms = 0, longest_ms = 0;
};
// Nothing if every picture stands alike: the source's rate is a whole multiple, give or take half a percent.
std::optional<Cadence> UnevenCadence(double source_fps, double fps);

// Bits per second. 1 kbit/s is 1000 bit/s (SI), 1 MB/s is 8 Mbit/s.
struct BitRate {
  std::int64_t bits_per_second = 0;
  // "4500 kbit/s", "4.5 Mbit/s", "1.4 MB/s". A bare number is refused with both meanings spelled out.
  static BitRate Parse(std::string_view text);
  static BitRate FromKbps(double kbps);
  double kbps() const { return static_cast<double>(bits_per_second) / 1000.0; }
  std::string str() const;  // "4500 kbit/s"
  auto operator<=>(const BitRate&) const = default;
};

void to_json(nlohmann::json& json, const FrameSize& size);
void from_json(const nlohmann::json& json, FrameSize& size);
void to_json(nlohmann::json& json, const FrameRate& rate);
void from_json(const nlohmann::json& json, FrameRate& rate);

}  // namespace kettle
