// SPDX-License-Identifier: Apache-2.0
#include "kettle/search/outlook.h"

#include <algorithm>
#include <cmath>

#include "kettle/option/with_encoder.h"
#include "kettle/quality/frame_rate_loss.h"

namespace kettle {

namespace {

// One look at how fast an encode is, at the machine's usual speed (docs/numbers.md); and at one that was given up.
constexpr double kSpeedError = 0.09, kGivenUpError = 0.2;

const std::string kFootage;  // what an option is measured on counts as one: its worst clip

std::int64_t Largest(const SearchSpace& space) {
  std::int64_t most = 0;
  for (const FrameSize& size : space.sizes) most = std::max<std::int64_t>(most, size.pixels());
  return most;
}

std::pair<std::string, int> CoderOf(const EncodeSettings& settings) { return {settings.encoder, settings.device}; }

}  // namespace

Outlook::Outlook(const SearchSpace& space, const OptionBook& book)
    : source_rate_(book.source_rate()),
      free_(1 - book.required_headroom()),
      looks_(Largest(space), space.target.bit_rate.kbps()) {
  for (const Option& option : book.options()) {
    const EncodeSettings& settings = option.settings;
    const EncodeSettings asked = WithEncoder(space.target, settings.encoder, settings.preset);
    Observe(option, settings.rate_control == asked.rate_control && Extras(settings) == Extras(asked));
  }
}

void Outlook::Observe(const Option& option, bool tells_of_looks) {
  const EncodeSettings& settings = option.settings;
  ++(option.trouble.empty() ? well_ : badly_)[CoderOf(settings)];
  if (option.clips.empty() || option.throughput_fps <= 0) return;
  const bool given_up =
      std::any_of(option.clips.begin(), option.clips.end(), [](const ClipResult& clip) { return clip.given_up; });
  if (given_up)
    cost_.ObserveMoreThan(settings, kFootage, 1 / option.throughput_fps, kGivenUpError);
  else
    cost_.Observe(settings, kFootage, 1 / option.throughput_fps, kSpeedError);
  if (!tells_of_looks || !option.scored()) return;
  looks_.Observe(settings, kFootage, option.quality.picture_score);
  motion_ = std::max(motion_, option.quality.motion);
}

// A lower frame rate takes a share that is known of what the pictures look like.
Estimate Outlook::Score(const EncodeSettings& settings) const {
  const Estimate pictures = looks_.Score(settings, kFootage);
  const double share = FrameRateShare(settings.frame_rate, source_rate_, motion_);
  return {pictures.mean > 0 ? pictures.mean * share : pictures.mean, pictures.deviation * share};
}

Outlook::Pace Outlook::PaceOf(const EncodeSettings& settings) {
  const Estimate log_seconds = cost_.LogSeconds(settings, kFootage);
  // An encoder that never ended well will hardly do so the next time.
  const int well = well_[CoderOf(settings)], badly = badly_[CoderOf(settings)];
  const double works = well > 0 ? static_cast<double>(well) / (well + badly) : std::pow(0.25, badly);
  return {std::exp(log_seconds.mean),
          works * ProbabilityAtMost(log_seconds, std::log(free_ / settings.frame_rate.fps()))};
}

}  // namespace kettle
