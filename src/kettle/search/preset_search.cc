// SPDX-License-Identifier: Apache-2.0
#include "kettle/search/preset_search.h"

#include <algorithm>
#include <cmath>
#include <utility>

#include "kettle/encoders/catalogue.h"
#include "kettle/option/speed_guess.h"
#include "kettle/option/with_encoder.h"

namespace kettle {

namespace {

constexpr double kNoise = 1.15, kInterpolationError = 1.35;  // of a guessed speed, as factors
constexpr double kUsualStep = 1.35;                          // in speed, from one preset to the next
constexpr double kLeastStep = 1.2;                           // likewise, at the least
constexpr double kUsualGain = 1;                             // points, likewise

int CountOf(const std::string& encoder) { return static_cast<int>(FindFamily(encoder).presets.size()); }

double AtMost(const SpeedGuess& guess) {
  return guess.throughput_fps * (guess.by_others ? kInterpolationError : kNoise);
}

}  // namespace

void PresetGains::Note(int faster, int slower, double gain) {
  for (int step = faster + 1; step <= slower; ++step) {
    steps_[step].sum += gain / (slower - faster);
    ++steps_[step].seen;
  }
}

double PresetGains::Between(int faster, int slower) const {
  double usual = steps_.empty() ? kUsualGain : 0, sum = 0;
  for (const auto& [preset, step] : steps_) usual += step.mean() / static_cast<double>(steps_.size());
  for (int preset = faster + 1; preset <= slower; ++preset) {
    const auto seen = steps_.find(preset);
    sum += std::max(0.0, seen != steps_.end() ? seen->second.mean() : usual);
  }
  return sum;
}

PresetSearch::Range PresetSearch::All(const std::string& encoder) { return {-1, CountOf(encoder)}; }

EncodeSettings PresetSearch::SettingsOf(const std::string& encoder, FrameSize size, FrameRate rate, int preset) const {
  const auto& presets = FindFamily(encoder).presets;
  EncodeSettings settings = WithEncoder(space_.target, encoder, presets[static_cast<std::size_t>(preset)]);
  settings.device = space_.DeviceOf(encoder);
  settings.size = size;
  settings.frame_rate = rate;
  return settings;
}

// On all footage if it, or a slower preset, may look better than the best so far.
Option PresetSearch::Measure(const Place& place, int preset) {
  const double gain = gains_[place.encoder].Between(preset, CountOf(place.encoder) - 1);
  return book_.Measure(SettingsOf(place, preset), best_score_ - gain);
}

bool PresetSearch::ShouldHold(const Place& place, int preset) const {
  const auto guess = GuessSpeed(book_.options(), SettingsOf(place, preset));
  return !guess || AtMost(*guess) >= NeededFps(place.rate);
}

PresetSearch::Known PresetSearch::Scout(const std::string& encoder, FrameSize size, FrameRate rate, Range range) {
  const Place place{encoder, size, rate};
  const int middle = CountOf(encoder) / 2;
  int scout = middle;
  if (range.low < middle && (range.high <= middle || !ShouldHold(place, middle) || !Holds(Measure(place, middle))))
    scout = SlowestHolding(place, {range.low, std::min(range.high, middle)});
  // What held with more pixels may fail here for noise: then the next faster one is looked at.
  while (scout >= 0 && !Holds(Measure(place, scout))) --scout;
  Known known;
  known.range =
      scout == middle ? Range{std::max(range.low, scout), std::max(range.high, scout + 1)} : Range{scout, scout + 1};
  if (scout < 0) return known;
  TakeBest(place, scout, known);
  known.scout = scout;
  known.scout_score = Measure(place, scout).score;
  return known;
}

void PresetSearch::Walk(const std::string& encoder, FrameSize size, FrameRate rate, Known& known) {
  const Place place{encoder, size, rate};
  int slowest = SlowestHolding(place, known.range);
  while (slowest >= 0 && !Holds(Measure(place, slowest))) --slowest;
  known.range = {slowest, slowest + 1};
  known.walked = true;
  TakeBest(place, slowest, known);
}

// The best looking of the presets measured, up to the slowest that holds.
void PresetSearch::TakeBest(const Place& place, int slowest, Known& known) {
  int faster = -1;  // the measured one before
  double faster_score = 0;
  for (int preset = 0; preset <= slowest; ++preset) {
    if (!book_.Known(SettingsOf(place, preset))) continue;
    Option option = Measure(place, preset);
    if (!option.scored()) continue;
    if (faster >= 0) gains_[place.encoder].Note(faster, preset, option.score - faster_score);
    faster = preset;
    faster_score = option.score;
    if (!Holds(option)) continue;
    best_score_ = std::max(best_score_, option.score);
    if (!known.best || option.score > known.best->score) known.best = std::move(option);
  }
}

// The slowest preset within the range that holds, as far as it is worth a trial.
int PresetSearch::SlowestHolding(const Place& place, Range range) {
  int good = range.low, bad = range.high;
  while (bad - good > 1) {
    const auto next = NextToTry(place, good, bad);
    if (!next) break;
    (Holds(Measure(place, *next)) ? good : bad) = *next;
  }
  return good;
}

// The slowest preset between two that should hold, by what others were measured to do. Where nothing slower was seen,
// as many steps on as there is speed to spare; where nothing at all, the middle one. Nothing if all should be too slow.
std::optional<int> PresetSearch::NextToTry(const Place& place, int good, int bad) const {
  const auto guess_at = [&](int preset) { return GuessSpeed(book_.options(), SettingsOf(place, preset)); };
  const auto of_good = good >= 0 ? guess_at(good) : std::nullopt;
  int last = good, fails = bad;
  for (int preset = good + 1; preset < bad && fails == bad; ++preset) {
    const auto guess = guess_at(preset);
    if (!guess && last > good) break;
    if (guess) (AtMost(*guess) < NeededFps(place.rate) ? fails : last) = preset;
  }
  if (last > good) return last;
  if (fails - good < 2) return std::nullopt;
  if (!of_good) return good + (fails - good) / 2;
  const int steps = static_cast<int>(std::log(of_good->throughput_fps / NeededFps(place.rate)) / std::log(kUsualStep));
  return steps > 0 ? std::optional(std::min(good + steps, fails - 1)) : std::nullopt;
}

void PresetSearch::Foresee(const std::string& encoder, FrameSize size, FrameRate rate, Known& known) const {
  if (known.walked || known.scout < 0) return;
  known.likely = known.scout;
  double fps = 0;
  for (int preset = known.scout; preset < known.range.high; ++preset) {
    const auto guess = GuessSpeed(book_.options(), SettingsOf(encoder, size, rate, preset));
    fps = guess ? guess->throughput_fps : fps / kLeastStep;
    if (fps >= NeededFps(rate)) known.likely = preset;
  }
}

void PresetSearch::LookBeside(const std::string& encoder, FrameSize size, FrameRate rate, Known& known) {
  const Place place{encoder, size, rate};
  const auto& presets = FindFamily(encoder).presets;
  const auto best = std::find(presets.begin(), presets.end(), known.best->settings.preset) - presets.begin();
  for (const int step : {-1, 1})
    for (int preset = static_cast<int>(best) + step; preset >= 0 && preset < known.range.high; preset += step) {
      if (book_.SurelyTooSlow(SettingsOf(place, preset))) break;
      Option option = Measure(place, preset);
      if (!Holds(option) || option.score <= known.best->score) break;
      best_score_ = std::max(best_score_, option.score);
      known.best = std::move(option);
    }
}

double PresetSearch::Promise(const std::string& encoder, const Known& known) const {
  if (!known.best) return kNotScored;
  const auto gains = gains_.find(encoder);
  if (known.walked) return known.best->score;
  const PresetGains& gain = gains == gains_.end() ? PresetGains{} : gains->second;
  return std::max(known.best->score, known.scout_score + gain.Between(known.scout, known.likely));
}

}  // namespace kettle
