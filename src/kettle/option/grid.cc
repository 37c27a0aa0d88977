// SPDX-License-Identifier: Apache-2.0
#include "kettle/option/grid.h"

#include <algorithm>
#include <cmath>

#include "kettle/encoders/catalogue.h"
#include "kettle/units/error.h"
#include "kettle/units/suggestion.h"

namespace kettle {

namespace {

template <typename T>
std::vector<T> Or(const std::vector<T>& given, T otherwise) {
  return given.empty() ? std::vector<T>{otherwise} : given;
}

// Rates as each rate control takes them.
EncodeSettings WithRates(EncodeSettings settings, RateControl rate_control, BitRate rate, double peak) {
  const BitRate maximum{std::llround(static_cast<double>(rate.bits_per_second) * peak)};
  settings.rate_control = rate_control;
  settings.bit_rate = IsQuality(rate_control) ? BitRate{} : rate;
  settings.maximum_bit_rate = rate_control == RateControl::kConstantQuality   ? BitRate{}
                              : rate_control == RateControl::kConstantBitRate ? rate
                                                                              : maximum;
  return settings;
}

class Combiner {
 public:
  Combiner(const Grid& grid, const EncodeSettings& base) : grid_(grid), base_(base) {
    const auto average = static_cast<double>(base.bit_rate.bits_per_second);
    const auto maximum = static_cast<double>(base.maximum_bit_rate.bits_per_second);
    peak_ = average > 0 && maximum > average ? maximum / average : 1.5;
  }

  std::vector<EncodeSettings> Combine() {
    CheckPresets();
    std::size_t longest = 0;
    for (const std::string& encoder : grid_.encoders) longest = std::max(longest, FindFamily(encoder).presets.size());
    for (std::size_t preset = 0; preset < longest; ++preset)
      for (const std::string& encoder : grid_.encoders) {
        const EncoderFamily& family = FindFamily(encoder);
        if (preset >= family.presets.size() || !Wanted(family.presets[preset])) continue;
        for (const int device : DevicesOf(family)) {
          EncodeSettings settings = base_;
          settings.encoder = encoder;
          settings.preset = family.presets[preset];
          settings.device = device;
          AddPictures(settings);
        }
      }
    if (settings_.empty() && !first_trouble_.empty()) throw Error(Fault::kInput, first_trouble_);
    return std::move(settings_);
  }

 private:
  bool Wanted(const std::string& preset) const {
    return grid_.presets.empty() || std::count(grid_.presets.begin(), grid_.presets.end(), preset) > 0;
  }

  std::vector<int> DevicesOf(const EncoderFamily& family) const {
    if (grid_.devices.empty()) return {family.device == DeviceKind::kGpu ? base_.device : 0};
    std::vector<int> devices;
    for (const auto& [encoder, device] : grid_.devices)
      if (encoder == family.name) devices.push_back(device);
    return devices;
  }

  void CheckPresets() const {
    std::vector<std::string> known;
    for (const std::string& encoder : grid_.encoders)
      for (const std::string& preset : FindFamily(encoder).presets) known.push_back(preset);
    for (const std::string& preset : grid_.presets)
      if (std::count(known.begin(), known.end(), preset) == 0)
        FailInput("there is no preset \"{}\" of {}{}", preset, fmt::join(grid_.encoders, ", "),
                  Suggestion(preset, known));
  }

  void AddPictures(EncodeSettings settings) {
    for (const FrameSize size : Or(grid_.sizes, base_.size))
      for (const FrameRate rate : Or(grid_.frame_rates, base_.frame_rate))
        for (const RateControl rate_control : Or(grid_.rate_controls, base_.rate_control))
          for (const BitRate bit_rate : Or(grid_.bit_rates, base_.bit_rate)) {
            settings.size = size;
            settings.frame_rate = rate;
            Add(WithRates(settings, rate_control, bit_rate, peak_));
          }
  }

  void Add(const EncodeSettings& settings) {
    if (std::count(settings_.begin(), settings_.end(), settings) > 0) return;
    if (settings.rate_control != RateControl::kConstantQuality && settings.maximum_bit_rate.bits_per_second == 0)
      FailInput("{} needs a bit rate: --bit-rate \"4500 kbit/s\"", Name(settings.rate_control));
    try {
      ConfigFor(settings);
      settings_.push_back(settings);
    } catch (const Error& error) {
      if (grid_.named) throw;
      if (first_trouble_.empty()) first_trouble_ = error.what();
    }
  }

  const Grid& grid_;
  const EncodeSettings& base_;
  double peak_;
  std::vector<EncodeSettings> settings_;
  std::string first_trouble_;
};

}  // namespace

std::vector<EncodeSettings> Combine(const Grid& grid, const EncodeSettings& base) {
  return Combiner(grid, base).Combine();
}

}  // namespace kettle
