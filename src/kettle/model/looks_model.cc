// SPDX-License-Identifier: Apache-2.0
#include "kettle/model/looks_model.h"

#include <algorithm>
#include <cmath>

#include "kettle/encoders/catalogue.h"

namespace kettle {

namespace {

// First beliefs, in points: guesses that foretold one real clip's grid well (docs/numbers.md), not fitted to anything.
// A score with the fastest preset that nothing is known of, a look's own error, and how far scores lie from what their
// coordinates' plain trends tell.
constexpr Estimate kUnknown{10, 35};
constexpr double kLookError = 0.6, kRest = 8, kOwnRest = 5, kOfClip = 12, kOfEncoder = 8;
// How far apart two encodes look alike, as logarithms.
constexpr double kPixelLength = 0.6, kRateLength = 0.8, kBitLength = 0.9, kPresetLength = 0.27;
// How far the trends may lie from flat, in points for a factor of e.
constexpr double kPixelTrend = 20, kRateTrend = 10, kBitTrend = 15, kBend = 20, kPresetTrend = 9;

bool IsOfACard(const std::string& encoder) { return FindFamily(encoder).device == DeviceKind::kGpu; }

// How far from the first preset one lies, up to 1. On processors the first ones of a ladder differ much, the last ones
// hardly; on cards all differ alike.
double PlaceOf(const std::string& encoder, const std::string& preset) {
  constexpr double kStep = 0.55;
  const auto& presets = FindFamily(encoder).presets;
  const auto place = static_cast<double>(std::find(presets.begin(), presets.end(), preset) - presets.begin());
  return IsOfACard(encoder) ? place / static_cast<double>(presets.size()) : 1 - std::pow(kStep, place);
}

// With a preset at `place`, as a rule. On processors the first preset leaves out nearly everything; a card's engine has
// most of it in each, and looks like one of the first few there.
double UsualScore(const std::string& encoder, double place) {
  constexpr double kGainOnProcessors = 45, kGainOnCards = 6, kCardsAhead = 20;
  return kUnknown.mean + (IsOfACard(encoder) ? kCardsAhead + kGainOnCards * place : kGainOnProcessors * place);
}

// At the same bit rate each picture of fewer has more bits: points for a factor of e, the median of a real clip that
// was measured whole (3 to 24 by preset and size).
constexpr double kFewerFramesGain = 11;

// B-frames, look-ahead and passes that are asked for gain each for itself, most where the preset leaves them out: in
// points, as a rule, and how far from it.
constexpr double kBFramesGain = 2, kBFramesVary = 3.5, kOthersGain = 0.5, kOthersVary = 1.5, kGainsVaryAnyway = 0.8;
constexpr double kDoublings = 2;  // of their number: so far apart two refinements are alike

double UsualGain(const EncodeSettings& settings, double left_out) {
  const int others = settings.look_ahead_frames.has_value() + settings.multi_pass.has_value();
  return left_out * ((settings.b_frames ? kBFramesGain : 0) + others * kOthersGain);
}

// A processor's first preset leaves them out, and so does each of a card's.
double LeftOut(const std::string& encoder, double place) { return IsOfACard(encoder) ? 1 : 1 - place; }

double Square(double x) { return x * x; }

}  // namespace

LooksModel::LooksModel(std::int64_t source_pixels, double usual_kbps)
    : source_pixels_(static_cast<double>(source_pixels)), usual_kbps_(usual_kbps) {
  // As rough as anything that was seen, and down to a quarter of it.
  for (const double roughness : {1.0, 0.5, 0.25})
    processes_.emplace_back([](const Point& point) { return point.usual; },
                            [=](const Point& one, const Point& other) { return Covariance(roughness, one, other); },
                            kLookError);
}

LooksModel::Point LooksModel::PointOf(const EncodeSettings& settings, const std::string& clip) const {
  const double place = PlaceOf(settings.encoder, settings.preset);
  const double left_out = LeftOut(settings.encoder, place);
  const auto doublings = [](std::optional<int> asked) -> std::optional<double> {
    if (!asked) return std::nullopt;
    return std::log2(1.0 + *asked);
  };
  return {std::log(static_cast<double>(settings.size.pixels()) / source_pixels_),
          std::log(settings.frame_rate.fps() / 60),
          IsQuality(settings.rate_control) ? 0 : std::log(settings.bit_rate.kbps() / usual_kbps_),
          place,
          doublings(settings.b_frames),
          doublings(settings.look_ahead_frames),
          settings.multi_pass.value_or(false),
          left_out,
          UsualScore(settings.encoder, place) + UsualGain(settings, left_out) -
              kFewerFramesGain * std::log(settings.frame_rate.fps() / 60),
          settings.encoder,
          clip,
          settings.device};
}

// Plain trends (a level, slopes, bends), and a rest that is alike where the coordinates are: one part of it common to
// all clips, one of each clip.
double LooksModel::Covariance(double roughness, const Point& one, const Point& other) {
  const bool same_clip = one.clip == other.clip,
             same_encoder = one.encoder == other.encoder && one.device == other.device;
  const double trends = Square(kUnknown.deviation) + Square(kPixelTrend) * one.pixels * other.pixels +
                        Square(kRateTrend) * one.frame_rate * other.frame_rate +
                        Square(kBitTrend) * one.bits * other.bits +
                        Square(kBend) * Square(one.pixels) * Square(other.pixels) +
                        Square(kRateTrend) * one.pixels * one.frame_rate * other.pixels * other.frame_rate;
  const double of_picture = Square((one.pixels - other.pixels) / kPixelLength) +
                            Square((one.frame_rate - other.frame_rate) / kRateLength) +
                            Square((one.bits - other.bits) / kBitLength);
  const double of_preset = Square((one.preset - other.preset) / kPresetLength);
  const double alike = Matern52(std::sqrt(of_picture)), quite_alike = Matern52(std::sqrt(of_picture + of_preset));
  const double gains = same_encoder ? GainsInCommon(one, other) * Matern52(std::sqrt(of_preset)) : 0;
  const double rest = Square(roughness * kRest), own_rest = Square(roughness * kOwnRest);
  // A preset of one encoder tells nothing of those of another.
  return trends + gains + rest * alike + (same_clip ? own_rest * quite_alike + Square(kOfClip) : 0) +
         (same_encoder ? Square(kOfEncoder) + Square(kPresetTrend) * one.preset * other.preset + rest * quite_alike
                       : 0);
}

// Each of B-frames, look-ahead and passes gains something by itself, and the more alike the nearer in number.
double LooksModel::GainsInCommon(const Point& one, const Point& other) {
  const auto vary = [&](double most) {
    return (kGainsVaryAnyway + most * one.left_out) * (kGainsVaryAnyway + most * other.left_out);
  };
  const auto alike = [](std::optional<double> a, std::optional<double> b) {
    return a && b ? Matern52(std::abs(*a - *b) / kDoublings) : 0;
  };
  return vary(kBFramesVary) * alike(one.b_frames, other.b_frames) +
         vary(kOthersVary) * (alike(one.look_ahead, other.look_ahead) + (one.passes && other.passes ? 1 : 0));
}

void LooksModel::Observe(const EncodeSettings& settings, const std::string& clip, double score) {
  for (auto& process : processes_) process.Observe(PointOf(settings, clip), score);
}

// By all of them, as well as each foretold what was observed so far.
Estimate LooksModel::Score(const EncodeSettings& settings, const std::string& clip) const {
  constexpr double kTellsNothing = 0.01;
  const Point point = PointOf(settings, clip);
  double best = processes_.front().LogEvidence();
  for (const auto& process : processes_) best = std::max(best, process.LogEvidence());
  std::vector<Belief> beliefs;
  for (const auto& process : processes_)
    if (const double weight = std::exp(process.LogEvidence() - best); weight > kTellsNothing)
      beliefs.push_back({process.At(point), weight});
  return Mixture(beliefs);
}

}  // namespace kettle
