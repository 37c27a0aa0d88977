// SPDX-License-Identifier: Apache-2.0
#include "kettle/model/cost_model.h"

#include <algorithm>
#include <cmath>

#include "kettle/encoders/catalogue.h"

namespace kettle {

namespace {

// First beliefs, wide enough for a few trials to move them. They are guesses that foretold one real clip's grid well
// (docs/numbers.md), not fitted to anything.
constexpr Estimate kLevel{-4.5, 2};        // log seconds of a picture of kPixels at kBitsAPixel with the fastest preset
constexpr Estimate kPixelSlope{1.2, 0.2};  // of log pixels
constexpr Estimate kBitSlope{0.5, 0.2};    // of log bits a pixel
constexpr Estimate kPresetStep{0.35, 0.2};  // from a preset to the next slower one
constexpr Estimate kClip{0, 0.3};           // a clip beside the first
constexpr Estimate kExtra{0.05, 0.15};      // multi-pass, and each doubling of B-frames, where they are asked for
constexpr Estimate kLookAhead{0.03, 0.05};  // each doubling of look-ahead
constexpr Estimate kOwn{0, 0.1};            // what an encode takes beside what its parts tell
constexpr double kPixels = 5e5, kBitsAPixel = 0.1;

}  // namespace

LinearBelief::Sum CostModel::PartsOf(const EncodeSettings& settings, const std::string& clip) {
  LinearBelief::Sum parts;
  const auto add = [&](const std::string& part, const Estimate& prior, double times) {
    belief_.Expect(part, prior);
    parts.push_back({part, times});
  };
  const std::string encoder =
      settings.device == 0 ? settings.encoder : settings.encoder + " on device " + std::to_string(settings.device);
  const double pixels = static_cast<double>(settings.size.pixels());
  add("level of " + encoder, kLevel, 1);
  add("pixels of " + encoder, kPixelSlope, std::log(pixels / kPixels));
  if (!IsQuality(settings.rate_control)) {
    const double bits = settings.bit_rate.kbps() * 1000 / settings.frame_rate.fps() / pixels;
    add("bits of " + encoder, kBitSlope, std::log(bits / kBitsAPixel));
  }
  // A preset is all steps from the fastest to it: what is learned of one tells most of its neighbours.
  const auto& presets = FindFamily(settings.encoder).presets;
  const auto place = std::find(presets.begin(), presets.end(), settings.preset) - presets.begin();
  for (std::ptrdiff_t step = 1; step <= place; ++step)
    add("step to " + encoder + " " + presets[static_cast<std::size_t>(step)], kPresetStep, 1);
  add("clip " + clip, kClip, 1);
  if (settings.b_frames) add("B-frames of " + encoder, kExtra, std::log2(1.0 + *settings.b_frames));
  if (settings.look_ahead_frames)
    add("look-ahead of " + encoder, kLookAhead, std::log2(1.0 + *settings.look_ahead_frames));
  if (settings.multi_pass.value_or(false)) add("multi-pass of " + encoder, kExtra, 1);
  return parts;
}

LinearBelief::Sum CostModel::WithItsOwn(const EncodeSettings& settings, const std::string& clip) {
  const std::pair<EncodeSettings, std::string> encode{settings, clip};
  const auto place = std::find(seen_.begin(), seen_.end(), encode) - seen_.begin();
  if (place == std::ssize(seen_)) seen_.push_back(encode);
  LinearBelief::Sum parts = PartsOf(settings, clip);
  const std::string own = "own of encode " + std::to_string(place);
  belief_.Expect(own, kOwn);
  parts.push_back({own});
  return parts;
}

void CostModel::Observe(const EncodeSettings& settings, const std::string& clip, double seconds, double error) {
  belief_.Observe(WithItsOwn(settings, clip), std::log(seconds), error);
}

void CostModel::ObserveMoreThan(const EncodeSettings& settings, const std::string& clip, double seconds, double error) {
  belief_.ObserveAbove(WithItsOwn(settings, clip), std::log(seconds), error);
}

Estimate CostModel::LogSeconds(const EncodeSettings& settings, const std::string& clip) {
  const bool seen = std::find(seen_.begin(), seen_.end(), std::pair(settings, clip)) != seen_.end();
  return seen ? belief_.Of(WithItsOwn(settings, clip)) : Sum(belief_.Of(PartsOf(settings, clip)), kOwn);
}

}  // namespace kettle
