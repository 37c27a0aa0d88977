// SPDX-License-Identifier: Apache-2.0
#include "kettle/option/trial_book.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "kettle/belief/estimate.h"
#include "kettle/encoders/catalogue.h"

namespace kettle {

namespace {

// Of each repeat.
double EncodeSeconds(const Trial& trial) {
  return trial.timing.encoding / static_cast<double>(std::max<std::size_t>(1, trial.repeats.size()));
}

// By how much the machine may have been slower or faster than the looks around a repeat tell, as a standard deviation
// of a logarithm: it may have been anything between two looks that differ, and those who took processors may have held
// it up for as long as they had them, or not at all (the deviation of what is anything in a range is that over the root
// of 12).
double Uncertainty(const Repeat& repeat, const Trial& trial) {
  const double moved = std::log(repeat.after->wall_seconds / repeat.before->wall_seconds);
  const double busy = repeat.cpu_cores * repeat.throughput_fps / trial.settings.frame_rate.fps();
  const double others = repeat.stolen_cores + repeat.other_cores;
  const double held_up = trial.device == "cpu" && busy > 0 ? std::log((busy + others) / busy) : 0;
  return std::hypot(moved, held_up) / std::sqrt(12);
}

// Of one that lacks headroom no quality is measured.
bool LacksQuality(const Trial& trial, double least_headroom) {
  return trial.done() && !trial.quality && trial.headroom >= least_headroom;
}

// From the first moment after all of those.
double Now(const std::vector<Trial>& earlier) {
  double last = 0;
  for (const Trial& trial : earlier)
    for (const Repeat& repeat : trial.repeats) last = std::max(last, repeat.began + EncodeSeconds(trial));
  return std::nextafter(last, std::numeric_limits<double>::infinity());
}

}  // namespace

TrialBook::TrialBook(TrialRunner& runner, std::vector<Trial> known,
                     std::function<void(const std::vector<Trial>&)> on_new, double least_headroom)
    : runner_(runner),
      trials_(std::move(known)),
      on_new_(std::move(on_new)),
      least_headroom_(least_headroom),
      wall_(Now(trials_)),
      processors_(Now(trials_)) {
  for (const Trial& trial : trials_) NoteSpeed(trial);
}

void TrialBook::NoteSpeed(const Trial& trial) {
  for (const Repeat& repeat : trial.repeats)
    for (const bool after : {false, true})
      if (const auto& look = after ? repeat.after : repeat.before) {
        const double at = repeat.began + (after ? EncodeSeconds(trial) : 0);
        wall_.Observe(at, look->wall_seconds);
        processors_.Observe(at, look->cpu_seconds);
      }
}

double TrialBook::LookAtSpeed(double wait_seconds) {
  constexpr int kLooks = 3;
  double slowness = 1;
  for (int i = 0; i < kLooks; ++i) {
    const auto look = runner_.Look(i == 0 ? wait_seconds : 0);
    if (!look) return 1;
    wall_.Observe(look->seconds, look->look.wall_seconds);
    processors_.Observe(look->seconds, look->look.cpu_seconds);
    slowness = std::exp(wall_.LogSlowness(look->seconds).mean);
  }
  return slowness;
}

Trial TrialBook::AtUsualSpeed(const Trial& trial) const {
  Trial usual = trial;
  if (!trial.done()) return usual;
  std::vector<Estimate> speeds, cores;
  for (Repeat& repeat : usual.repeats) {
    if (!repeat.before || !repeat.after || repeat.throughput_fps <= 0) continue;
    const double uncertain = Uncertainty(repeat, trial);
    const double middle = repeat.began + EncodeSeconds(trial) / 2;
    repeat.throughput_fps *= std::exp(wall_.LogSlowness(middle).mean);
    repeat.cpu_cores *= std::exp(-processors_.LogSlowness(middle).mean);
    speeds.push_back({std::log(repeat.throughput_fps), std::hypot(trial.throughput_error, uncertain)});
    cores.push_back({repeat.cpu_cores, std::hypot(trial.cores_error, uncertain)});
  }
  if (speeds.empty()) return usual;
  Summarise(usual);
  const Estimate speed = Joined(speeds), core = Joined(cores);
  usual.throughput_fps = std::exp(speed.mean);
  usual.throughput_error = speed.deviation;
  usual.headroom = 1 - usual.settings.frame_rate.fps() / usual.throughput_fps;
  usual.cpu_cores = core.mean;
  usual.cores_error = core.deviation;
  return usual;
}

const Trial& TrialBook::Measured(const Trial& trial) const {
  return *std::find_if(trials_.begin(), trials_.end(), [&](const Trial& other) {
    return other.settings == trial.settings && other.footage_key == trial.footage_key;
  });
}

Trial TrialBook::Get(const EncodeSettings& settings, const Footage& footage, bool quality) {
  const bool fastest = settings.preset == FindFamily(settings.encoder).presets.front();
  return Find(settings, footage, quality, fastest ? 0 : least_headroom_);
}

Trial TrialBook::GetWhole(const EncodeSettings& settings, const Footage& footage) {
  constexpr double kNeverGivenUp = -3;  // a quarter of real time
  return Find(settings, footage, true, kNeverGivenUp);
}

Trial TrialBook::Find(const EncodeSettings& settings, const Footage& footage, bool quality, double least_headroom) {
  const std::string key = footage.key();
  const auto same = [&](const Trial& trial) { return trial.settings == settings && trial.footage_key == key; };
  const auto known = std::find_if(trials_.begin(), trials_.end(), same);
  const auto index = static_cast<std::size_t>(known - trials_.begin());
  const bool fresh = std::find(fresh_.begin(), fresh_.end(), index) != fresh_.end();
  if (known != trials_.end() && (fresh || known->done()) && !(quality && LacksQuality(*known, least_headroom))) {
    if (!fresh) ++reused_;
    return AtUsualSpeed(*known);
  }
  Trial trial =
      RunUndisturbed({.settings = settings, .footage = footage, .quality = quality, .least_headroom = least_headroom});
  if (known != trials_.end())
    *known = trial;
  else
    trials_.push_back(trial);
  if (!fresh) fresh_.push_back(index);
  on_new_(trials_);
  return AtUsualSpeed(trial);
}

Trial TrialBook::Again(const EncodeSettings& settings, const Footage& footage) {
  const Trial before = Get(settings, footage);
  const Trial another = RunUndisturbed(
      {.settings = settings, .footage = footage, .quality = !before.quality, .least_headroom = least_headroom_});
  Trial& known = *std::find_if(trials_.begin(), trials_.end(), [&](const Trial& trial) {
    return trial.settings == before.settings && trial.footage_key == before.footage_key;
  });
  AddRepeat(known, another);
  on_new_(trials_);
  return AtUsualSpeed(known);
}

std::optional<Message> TrialBook::Disturbed() const {
  const auto disturbed =
      std::count_if(fresh_.begin(), fresh_.end(), [&](std::size_t index) { return trials_[index].disturbed(); });
  if (disturbed == 0 || disturbed * 4 < std::ssize(fresh_)) return std::nullopt;
  return Message{"plan.disturbed", {{"disturbed", disturbed}, {"trials", std::ssize(fresh_)}}};
}

// What lacks headroom while others take the machine's time is run again, twice at most: a moment's stall must not rule
// an encoder out. Where others are always busy that is how things are, and only the first few are.
Trial TrialBook::RunUndisturbed(TrialRequest request) {
  constexpr int kMostRuns = 3, kMostAgain = 6;
  Trial trial;
  for (int run = 1; run <= kMostRuns; ++run) {
    request.usual_reference_seconds = wall_.usual();
    trial = runner_.Run(request);
    ++measured_;
    NoteSpeed(trial);
    const bool held_up = trial.done() && trial.disturbed() && AtUsualSpeed(trial).headroom < request.least_headroom;
    if (!held_up || again_ == kMostAgain) break;
    again_ += run < kMostRuns;
  }
  return trial;
}

}  // namespace kettle
