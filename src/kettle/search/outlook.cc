// SPDX-License-Identifier: Apache-2.0
#include "kettle/search/outlook.h"

#include <algorithm>
#include <cmath>
#include <iterator>

#include "kettle/encoders/catalogue.h"
#include "kettle/option/with_encoder.h"
#include "kettle/quality/frame_rate_loss.h"
#include "kettle/search/refinement.h"

namespace kettle {

namespace {

constexpr double kGivenUpError = 0.2;  // of how much slower than that an encode is which was given up

// By how much a clip's calmest seconds look better than its busiest: in points, for a factor of e of pixels and frame
// rate, for each preset slower. First beliefs, wide enough for two or three looks to move them.
constexpr Estimate kCalmGain{4, 8}, kCalmGainByPixels{2, 4}, kCalmGainByRate{2, 4}, kCalmGainByPreset{0.5, 1};
constexpr double kCalmError = 1;

const std::string kFootage;  // what an option is measured on counts as one: its worst clip

std::int64_t Largest(const SearchSpace& space) {
  std::int64_t most = 0;
  for (const FrameSize& size : space.sizes) most = std::max<std::int64_t>(most, size.pixels());
  return most;
}

std::pair<std::string, int> CoderOf(const EncodeSettings& settings) { return {settings.encoder, settings.device}; }

}  // namespace

Outlook::Outlook(const SearchSpace& space, const OptionBook& book)
    : space_(space),
      book_(book),
      source_rate_(book.source_rate()),
      free_(1 - book.required_headroom()),
      has_calm_(book.has_calm()),
      looks_(Largest(space), space.target.bit_rate.kbps()) {
  for (const Option& option : book.options()) {
    const EncodeSettings& settings = option.settings;
    const EncodeSettings asked = WithEncoder(space.target, settings.encoder, settings.preset);
    Observe(option, settings.rate_control == asked.rate_control &&
                        Extras(WithRefinement(settings, {})) == Extras(WithRefinement(asked, {})));
  }
}

void Outlook::Observe(const Option& option, bool tells_of_looks) {
  const EncodeSettings& settings = option.settings;
  ++(option.trouble.empty() ? well_ : badly_)[CoderOf(settings)];
  if (option.clips.empty() || option.throughput_fps <= 0) return;
  const bool given_up =
      std::any_of(option.clips.begin(), option.clips.end(), [](const ClipResult& clip) { return clip.given_up; });
  if (given_up)
    cost_.ObserveMoreThan(settings, kFootage, 1 / option.throughput_fps,
                          std::hypot(kGivenUpError, option.throughput_error));
  else
    cost_.Observe(settings, kFootage, 1 / option.throughput_fps, option.throughput_error);
  if (option.cpu_cores > 0)
    processors_.Observe(settings, kFootage, option.cpu_cores / settings.frame_rate.fps(), option.cores_error);
  if (!tells_of_looks || !option.scored()) return;
  looks_.Observe(settings, kFootage, option.quality.picture_score);
  if (!option.calm.empty())
    calm_gain_.Observe(CalmGain(settings), 2 * option.score - option.busiest_score() - option.quality.picture_score,
                       kCalmError);
  if (option.quality.speeds.size() > 0) speeds_ = option.quality.speeds;
}

// A lower frame rate takes a share of what the pictures look like that is known, where anything moves.
Estimate Outlook::Score(const EncodeSettings& settings) {
  const Estimate pictures = looks_.Score(settings, kFootage);
  const double share = FrameRateShareOf(settings.frame_rate);
  const Estimate busiest{pictures.mean > 0 ? pictures.mean * share : pictures.mean, pictures.deviation * share};
  if (!has_calm_) return busiest;
  const Estimate gain = calm_gain_.Of(CalmGain(settings));
  return {(busiest.mean + pictures.mean + gain.mean) / 2,
          std::hypot(busiest.deviation + pictures.deviation, gain.deviation) / 2};
}

double Outlook::FrameRateShareOf(FrameRate rate) {
  const auto [known, is_new] = shares_.try_emplace(rate.fps());
  if (is_new) known->second = FrameRateShare(rate, source_rate_, speeds_);
  return known->second;
}

LinearBelief::Sum Outlook::CalmGain(const EncodeSettings& settings) {
  const auto& presets = FindFamily(settings.encoder).presets;
  const auto place = std::find(presets.begin(), presets.end(), settings.preset) - presets.begin();
  LinearBelief::Sum parts;
  const auto add = [&](const char* part, const Estimate& prior, double times) {
    calm_gain_.Expect(part, prior);
    parts.push_back({part, times});
  };
  add("level", kCalmGain, 1);
  add("pixels", kCalmGainByPixels, std::log(static_cast<double>(settings.size.pixels()) / 5e5));
  add("frame rate", kCalmGainByRate, std::log(settings.frame_rate.fps() / 60));
  add("preset", kCalmGainByPreset, static_cast<double>(place));
  return parts;
}

Outlook::Pace Outlook::PaceOf(const EncodeSettings& settings) {
  const Estimate log_seconds = cost_.LogSeconds(settings, kFootage);
  // An encoder that never ended well will hardly do so the next time.
  const int well = well_[CoderOf(settings)], badly = badly_[CoderOf(settings)];
  const double works = well > 0 ? static_cast<double>(well) / (well + badly) : std::pow(0.25, badly);
  constexpr double kHardly = 1e-3;
  const double holds = works * ProbabilityAtMost(log_seconds, std::log(free_ / settings.frame_rate.fps()));
  return {std::exp(log_seconds.mean), holds, holds > kHardly ? Fits(settings, log_seconds) : 0};
}

// Of encodes as fast as this one may be, from the fastest tenth to the slowest, those that fit.
double Outlook::Fits(const EncodeSettings& settings, const Estimate& log_seconds) {
  constexpr double kDeciles[] = {-1.28, -0.52, 0, 0.52, 1.28};  // the middles of five parts that are as likely
  if (!space_.fits) return 1;
  const auto like = std::find_if(book_.options().begin(), book_.options().end(), [&](const Option& option) {
    return CoderOf(option.settings) == CoderOf(settings) && option.trouble.empty();
  });
  Option expected;
  if (like != book_.options().end()) {  // where it runs
    expected.device_name = like->device_name;
    expected.bus_address = like->bus_address;
    expected.feeding_cores = like->feeding_cores;
  }
  expected.settings = settings;
  expected.device = Name(FindFamily(settings.encoder).device);
  const Estimate log_processors = processors_.LogSeconds(settings, kFootage);
  const bool on_processors = like == book_.options().end() ? expected.device == "cpu" : like->cpu_cores > 0;
  double fitting = 0;
  for (const double off : kDeciles) {
    expected.throughput_fps = std::exp(-log_seconds.mean - off * log_seconds.deviation);
    expected.cpu_cores =
        on_processors ? settings.frame_rate.fps() * std::exp(log_processors.mean + off * log_processors.deviation) : 0;
    fitting += space_.Fits(expected);
  }
  return fitting / std::size(kDeciles);
}

}  // namespace kettle
