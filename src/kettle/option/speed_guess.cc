// SPDX-License-Identifier: Apache-2.0
#include "kettle/option/speed_guess.h"

#include <algorithm>
#include <cmath>
#include <cstdlib>

#include "kettle/encoders/catalogue.h"

namespace kettle {

namespace {

// Beyond the presets that can be told: so many steps at most, and each is slower by so much at least (as a logarithm).
constexpr double kFarthest = 1, kLeastStep = -0.1;

// The throughputs of one encoder, by picture and preset.
class Speeds {
 public:
  Speeds(const std::vector<Option>& options, const EncodeSettings& like) {
    for (const Option& option : options) {
      EncodeSettings alike = like;
      alike.preset = option.settings.preset;
      alike.size = option.settings.size;
      alike.frame_rate = option.settings.frame_rate;
      if (alike == option.settings && option.trouble.empty() && option.throughput_fps > 0) measured_.push_back(&option);
    }
  }

  std::optional<double> At(const EncodeSettings& settings) const {
    if (const Option* own = Find(settings, settings.preset)) return own->throughput_fps;
    if (const auto by_ratio = ByRatio(settings)) return by_ratio;
    return ByPixels(settings);
  }

 private:
  static bool SamePicture(const EncodeSettings& a, const EncodeSettings& b) {
    return a.size == b.size && a.frame_rate == b.frame_rate;
  }
  const Option* Find(const EncodeSettings& picture, const std::string& preset) const {
    for (const Option* option : measured_)
      if (SamePicture(option->settings, picture) && option->settings.preset == preset) return option;
    return nullptr;
  }

  std::optional<double> ByRatio(const EncodeSettings& settings) const {
    for (const Option* here : measured_) {
      if (!SamePicture(here->settings, settings)) continue;
      for (const Option* elsewhere : measured_)
        if (elsewhere->settings.preset == settings.preset)
          if (const Option* other = Find(elsewhere->settings, here->settings.preset))
            return here->throughput_fps * elsewhere->throughput_fps / other->throughput_fps;
    }
    return std::nullopt;
  }

  std::optional<double> ByPixels(const EncodeSettings& settings) const {
    const double by_pixels = PixelExponent(), by_rate = RateExponent();
    std::vector<std::pair<double, double>> guesses;  // how far away, throughput
    for (const Option* option : measured_) {
      if (option->settings.preset != settings.preset) continue;
      const double size = LogOfPixels(option->settings) - LogOfPixels(settings);
      const double rate = LogOfRate(settings) - LogOfRate(option->settings);
      guesses.emplace_back(std::abs(size) + std::abs(rate),
                           option->throughput_fps * std::exp(size * by_pixels + rate * by_rate));
    }
    if (guesses.empty()) return std::nullopt;
    std::sort(guesses.begin(), guesses.end());
    return guesses.size() == 1 ? guesses[0].second : std::max(guesses[0].second, guesses[1].second);
  }

  static double LogOfPixels(const EncodeSettings& settings) {
    return std::log(static_cast<double>(settings.size.pixels()));
  }
  static double LogOfRate(const EncodeSettings& settings) { return std::log(settings.frame_rate.fps()); }

  // How the throughput falls with pixels: in proportion while nothing was seen, less where bits or scaling take the
  // time.
  double PixelExponent() const {
    const auto same = [](const EncodeSettings& a, const EncodeSettings& b) { return a.frame_rate == b.frame_rate; };
    return std::clamp(-Exponent(LogOfPixels, same).value_or(-1), 0.3, 1.0);
  }
  // How it grows with the frame rate: of fewer pictures each gets more bits and moves farther.
  double RateExponent() const {
    const auto same = [](const EncodeSettings& a, const EncodeSettings& b) { return a.size == b.size; };
    return std::clamp(Exponent(LogOfRate, same).value_or(1.0 / 3), 0.0, 0.6);
  }

  // The slope of the throughput over `log`, as logarithms: by the two options of one preset that lie farthest apart.
  template <class Log, class Same>
  std::optional<double> Exponent(const Log& log, const Same& same) const {
    std::optional<double> exponent;
    double farthest = 0;
    for (const Option* one : measured_)
      for (const Option* other : measured_) {
        const double apart = log(one->settings) - log(other->settings);
        if (one->settings.preset != other->settings.preset || !same(one->settings, other->settings) ||
            apart <= farthest)
          continue;
        farthest = apart;
        exponent = std::log(one->throughput_fps / other->throughput_fps) / apart;
      }
    return exponent;
  }

  std::vector<const Option*> measured_;
};

}  // namespace

std::optional<SpeedGuess> GuessSpeed(const std::vector<Option>& options, const EncodeSettings& settings) {
  const Speeds speeds(options, settings);
  if (const auto told = speeds.At(settings)) return SpeedGuess{*told, false};
  const auto& presets = FindFamily(settings.encoder).presets;
  const auto place = std::find(presets.begin(), presets.end(), settings.preset) - presets.begin();
  // The presets that can be told, nearest first: how many steps slower, and the logarithm of the throughput.
  std::vector<std::pair<double, double>> known;
  for (std::ptrdiff_t i = 0; i < std::ssize(presets); ++i) {
    EncodeSettings other = settings;
    other.preset = presets[static_cast<std::size_t>(i)];
    if (const auto told = speeds.At(other)) known.emplace_back(static_cast<double>(i - place), std::log(*told));
  }
  if (known.size() < 2) return std::nullopt;
  std::stable_sort(known.begin(), known.end(),
                   [](const auto& a, const auto& b) { return std::abs(a.first) < std::abs(b.first); });
  const auto nearest = known.front();
  // The other side's nearest, if there is one: between two lies less error than beyond them.
  const auto across =
      std::find_if(known.begin(), known.end(), [&](const auto& one) { return one.first * nearest.first < 0; });
  const auto other = across != known.end() ? *across : known[1];
  double step = (other.second - nearest.second) / (other.first - nearest.first);
  if (across == known.end()) {
    if (std::abs(nearest.first) > kFarthest) return std::nullopt;
    step = std::min(step, kLeastStep);
  }
  return SpeedGuess{std::exp(nearest.second - step * nearest.first), true};
}

}  // namespace kettle
