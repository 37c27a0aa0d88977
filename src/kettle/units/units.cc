// SPDX-License-Identifier: Apache-2.0
#include "kettle/units/units.h"

#include <array>
#include <charconv>
#include <cmath>
#include <nlohmann/json.hpp>
#include <numeric>
#include <optional>
#include <utility>

#include "kettle/units/error.h"

namespace kettle {

namespace {

constexpr int kSmallestSide = 64, kLargestSide = 8192;
constexpr int kLargestRate = 480;

template <typename T>
std::optional<T> Number(std::string_view text) {
  T value{};
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
  if (error != std::errc() || end != text.data() + text.size()) return std::nullopt;
  return value;
}

std::string_view Trim(std::string_view text) {
  while (!text.empty() && text.front() == ' ') text.remove_prefix(1);
  while (!text.empty() && text.back() == ' ') text.remove_suffix(1);
  return text;
}

struct RateUnit {
  std::string_view name;
  double bits;
};
constexpr std::array<RateUnit, 7> kRateUnits{
    {{"bit/s", 1}, {"kbit/s", 1e3}, {"Mbit/s", 1e6}, {"Gbit/s", 1e9}, {"kB/s", 8e3}, {"MB/s", 8e6}, {"GB/s", 8e9}}};

}  // namespace

FrameSize FrameSize::Parse(std::string_view text) {
  const auto cross = text.find('x');
  const auto width = cross == text.npos ? std::nullopt : Number<int>(text.substr(0, cross));
  const auto height = cross == text.npos ? std::nullopt : Number<int>(text.substr(cross + 1));
  if (!width || !height) FailInput("\"{}\" is not a picture size; write it as \"1280x720\"", text);
  if (*width < kSmallestSide || *height < kSmallestSide || *width > kLargestSide || *height > kLargestSide)
    FailInput("a picture of {} cannot be encoded; each side must be {} to {} pixels", text, kSmallestSide,
              kLargestSide);
  if (*width % 2 != 0 || *height % 2 != 0)
    FailInput("a picture of {} cannot be encoded: both sides must be even; the nearest is {}x{}", text, *width / 2 * 2,
              *height / 2 * 2);
  return {*width, *height};
}

std::string FrameSize::str() const { return fmt::format("{}x{}", width, height); }

FrameRate FrameRate::Parse(std::string_view text) {
  constexpr std::array<std::pair<std::string_view, int>, 4> kNtsc{
      {{"23.976", 24000}, {"29.97", 30000}, {"59.94", 60000}, {"119.88", 120000}}};
  for (const auto& [spelling, numerator] : kNtsc)
    if (text == spelling) return {numerator, 1001};
  const auto slash = text.find('/');
  const auto numerator = Number<int>(text.substr(0, slash));
  const auto denominator = slash == text.npos ? std::optional<int>(1) : Number<int>(text.substr(slash + 1));
  if (!numerator || !denominator)
    FailInput("\"{}\" is not a frame rate; write it as \"60\" or as a fraction, \"60000/1001\"", text);
  if (*numerator <= 0 || *denominator <= 0 || *numerator < *denominator || *numerator / *denominator > kLargestRate)
    FailInput("a frame rate of {} is out of range; it must be 1 to {} frames a second", text, kLargestRate);
  return FromFraction(*numerator, *denominator);
}

FrameRate FrameRate::FromFraction(std::int64_t numerator, std::int64_t denominator) {
  constexpr std::int64_t kLargestTerm = 1'000'000;
  if (numerator <= 0 || denominator <= 0) return {0, 1};
  const std::int64_t divisor = std::gcd(numerator, denominator);
  numerator /= divisor;
  denominator /= divisor;
  if (std::max(numerator, denominator) <= kLargestTerm)
    return {static_cast<int>(numerator), static_cast<int>(denominator)};
  // Continued fractions: the last convergent whose terms are small enough.
  std::int64_t above[2] = {1, 0}, below[2] = {0, 1};  // the last two, newest first
  while (denominator != 0) {
    const std::int64_t whole = numerator / denominator;
    if (whole > kLargestTerm) break;
    const std::int64_t next_above = whole * above[0] + above[1], next_below = whole * below[0] + below[1];
    if (std::max(next_above, next_below) > kLargestTerm) break;
    above[1] = std::exchange(above[0], next_above);
    below[1] = std::exchange(below[0], next_below);
    numerator = std::exchange(denominator, numerator % denominator);
  }
  if (above[0] == 0 || below[0] == 0) return {0, 1};
  return {static_cast<int>(above[0]), static_cast<int>(below[0])};
}

std::int64_t FrameRate::due_ns(std::int64_t index) const {
  // Of 64 bits, index times denominator times 10^9 would overflow within hours.
  __extension__ using Wide = __int128;
  return static_cast<std::int64_t>(static_cast<Wide>(index) * denominator * 1'000'000'000 / numerator);
}

std::optional<Cadence> UnevenCadence(double source_fps, double fps) {
  const double ratio = source_fps / fps;
  if (ratio < 1 || std::abs(ratio - std::round(ratio)) <= 0.005 * ratio) return std::nullopt;
  return Cadence{std::floor(ratio) * 1000 / source_fps, std::ceil(ratio) * 1000 / source_fps};
}

std::string FrameRate::str() const {
  return denominator == 1 ? fmt::format("{}", numerator) : fmt::format("{}/{}", numerator, denominator);
}

BitRate BitRate::Parse(std::string_view given) {
  const std::string_view text = Trim(given);
  const auto digits = text.find_first_not_of("0123456789.+-");
  const auto value = Number<double>(Trim(text.substr(0, digits)));
  if (!value) FailInput("\"{}\" is not a bit rate; write it as \"4500 kbit/s\" or \"4.5 Mbit/s\"", given);
  if (digits == text.npos)
    FailInput(
        "\"{0}\" has no unit; write \"{0} kbit/s\" or \"{0} Mbit/s\" (1 Mbit/s is 1000 kbit/s), "
        "or \"{0} MB/s\" for megabytes, which is 8 times as much",
        text);
  const std::string_view unit = Trim(text.substr(digits));
  for (const RateUnit& known : kRateUnits)
    if (unit == known.name) {
      const double bits = *value * known.bits;
      if (!(bits >= 1000) || bits > 100e9)
        FailInput("a bit rate of {} is out of range; it must be 1 kbit/s to 100 Gbit/s", text);
      return {std::llround(bits)};
    }
  FailInput("\"{}\": unknown unit \"{}\"; use kbit/s or Mbit/s (bits), or kB/s or MB/s (bytes, 8 times as much)", given,
            unit);
}

BitRate BitRate::FromKbps(double kbps) { return {std::llround(kbps * 1000)}; }

std::string BitRate::str() const { return fmt::format("{:.6g} kbit/s", std::round(kbps())); }

void to_json(nlohmann::json& json, const FrameSize& size) { json = size.str(); }
void from_json(const nlohmann::json& json, FrameSize& size) { size = FrameSize::Parse(json.get<std::string>()); }
void to_json(nlohmann::json& json, const FrameRate& rate) { json = rate.str(); }
void from_json(const nlohmann::json& json, FrameRate& rate) { rate = FrameRate::Parse(json.get<std::string>()); }

}  // namespace kettle
