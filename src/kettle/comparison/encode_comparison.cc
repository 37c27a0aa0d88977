// SPDX-License-Identifier: Apache-2.0
#include "kettle/comparison/encode_comparison.h"

#include <algorithm>
#include <boost/math/distributions/normal.hpp>
#include <cmath>
#include <nlohmann/json.hpp>
#include <numbers>

#include "kettle/comparison/encode_samples.h"
#include "kettle/units/error.h"
#include "kettle/units/json_fields.h"
#include "kettle/units/statistics.h"

namespace kettle {

namespace {

constexpr double kUnsure = 0.05;

std::optional<double> SpeedOf(const Trial&, const Repeat& repeat) { return repeat.throughput_fps; }

// Processor time a frame, in ms; nothing where it does not tell how fast the encoder is.
std::optional<double> CostOf(const Trial& trial, const Repeat& repeat) {
  if (trial.device == "gpu" || repeat.cpu_cores <= 0) return std::nullopt;
  return 1000 * repeat.cpu_cores / trial.settings.frame_rate.fps();
}

struct Pair {
  const Trial *before, *now;
};

// The samples of both runs, in the pairs' order.
struct Measured {
  EncodeSamples before, now;

  // Of single repeats around their own encode's mean, all encodes of both runs together.
  double PooledDeviation() const {
    double squares = 0;
    int degrees = 0;
    for (const EncodeSamples* run : {&before, &now}) {
      degrees -= std::max(0, run->rounds - 1);  // that the rounds' common parts took
      for (const Samples& samples : run->encodes) {
        if (samples.size() < 2) continue;
        const double deviation = *Deviation(samples);
        squares += deviation * deviation * static_cast<double>(samples.size() - 1);
        degrees += static_cast<int>(samples.size()) - 1;
      }
    }
    constexpr double kUnknown = 0.05;  // one repeat each: nothing tells how much they vary
    return degrees <= 0 ? kUnknown : std::sqrt(squares / degrees);
  }
  double drift() const { return std::hypot(before.drift, now.drift); }
};

Measured Measure(const std::vector<Pair>& pairs, std::optional<double> (*value)(const Trial&, const Repeat&)) {
  std::vector<const Trial*> before, now;
  for (const Pair& pair : pairs) {
    before.push_back(pair.before);
    now.push_back(pair.now);
  }
  return {SamplesOf(before, value), SamplesOf(now, value)};
}

// How many standard errors an interval of `count` intervals at once reaches to either side.
double Reach(std::size_t count) {
  const boost::math::normal normal;
  return quantile(complement(normal, kUnsure / 2 / static_cast<double>(count)));
}

Change ChangeOf(const Samples& before, const Samples& now, double deviation, double between, std::size_t count) {
  const double a = *Median(before), b = *Median(now);
  const double of_medians = std::numbers::pi / 2 * deviation * deviation *
                            (1 / static_cast<double>(before.size()) + 1 / static_cast<double>(now.size()));
  return {std::exp(a), std::exp(b), std::exp(b - a) - 1, Reach(count) * std::sqrt(of_medians + between * between)};
}

EncodeChange::Verdict VerdictOf(const Change& speed, const std::optional<Change>& cost) {
  using enum EncodeChange::Verdict;
  if (cost && cost->is_real()) return cost->change > 0 ? kSlower : kFaster;
  if (!speed.is_real()) return kSame;
  if (!cost) return speed.change > 0 ? kFaster : kSlower;
  return speed.change > 0 ? kHeldLess : kHeldUp;
}

// Encoders are slower by as much as they cost more.
Change BeyondOf(const Change& speed, const std::optional<Change>& cost) {
  if (cost && cost->is_real()) return {0, 0, 1 / (1 + cost->change) - 1, cost->noise};
  return {0, 0, speed.change, speed.noise};
}

void Judge(const Change& speed, const std::optional<Change>& cost, EncodeChange& encode) {
  encode.verdict = VerdictOf(speed, cost);
  encode.beyond = BeyondOf(speed, cost);
}

Change Relative(const Change& change, double common) {
  return {change.before, change.now, (1 + change.change) / (1 + common) - 1, change.noise};
}

double MedianChange(const std::vector<EncodeChange>& encodes, bool of_cost) {
  std::vector<double> changes;
  for (const EncodeChange& encode : encodes)
    if (of_cost ? encode.cost.has_value() : true)
      changes.push_back(of_cost ? encode.cost->change : encode.speed.change);
  return Median(changes).value_or(0);
}

// On the CPU by what they cost, for what others take from the machine is no property of an encoder.
// `speed_drift` and `cost_drift`: how far the machine may have moved both runs' levels (Measured::drift).
void TellCommonApart(double speed_drift, double cost_drift, EncodeComparison& comparison) {
  auto& encodes = comparison.encodes;
  const auto costed = static_cast<std::size_t>(
      std::count_if(encodes.begin(), encodes.end(), [](const EncodeChange& encode) { return encode.cost; }));
  const bool of_cost = costed >= kEnoughForCommon;
  const double speed = MedianChange(encodes, false), cost = MedianChange(encodes, true);
  double noise = 0;
  for (const EncodeChange& encode : encodes)
    noise += (of_cost && encode.cost ? encode.cost->noise : encode.speed.noise);
  noise /= static_cast<double>(encodes.size()) * Reach(encodes.size());
  const double count = static_cast<double>(encodes.size());
  const double drift = of_cost ? cost_drift : speed_drift;
  comparison.all = Change{0, 0, of_cost ? cost : speed,
                          Reach(1) * std::sqrt(std::numbers::pi / 2 * noise * noise / count +
                                               2 * kCommonNoise * kCommonNoise + drift * drift)};
  for (EncodeChange& encode : encodes)
    Judge(Relative(encode.speed, speed), encode.cost ? std::optional(Relative(*encode.cost, cost)) : std::nullopt,
          encode);
}

// The later run took the earlier one's figures up instead of measuring again.
bool IsTheSameRun(const Trial& a, const Trial& b) {
  return std::equal(a.repeats.begin(), a.repeats.end(), b.repeats.begin(), b.repeats.end(),
                    [](const Repeat& x, const Repeat& y) { return x.throughput_fps == y.throughput_fps; });
}

std::vector<Pair> Paired(const std::vector<Trial>& before, const std::vector<Trial>& now,
                         EncodeComparison& comparison) {
  std::vector<Pair> pairs;
  const auto usable = [](const Trial& trial) { return trial.done() && !trial.truncated && !trial.repeats.empty(); };
  for (const Trial& old : before) {
    if (!usable(old)) continue;
    const auto same = std::find_if(now.begin(), now.end(),
                                   [&](const Trial& trial) { return usable(trial) && trial.id() == old.id(); });
    if (same == now.end())
      ++comparison.only_before;
    else if (IsTheSameRun(old, *same))
      ++comparison.taken_up;
    else
      pairs.push_back({&old, &*same});
  }
  comparison.only_now = static_cast<int>(std::count_if(now.begin(), now.end(), usable)) -
                        static_cast<int>(pairs.size()) - comparison.taken_up;
  return pairs;
}

}  // namespace

const char* Name(EncodeChange::Verdict verdict) {
  using enum EncodeChange::Verdict;
  switch (verdict) {
    case kSame: return "same";
    case kFaster: return "faster";
    case kSlower: return "slower";
    case kHeldUp: return "held up";
    case kHeldLess: return "held up less";
  }
  return "";
}

bool EncodeComparison::any_changed() const {
  return std::any_of(encodes.begin(), encodes.end(), [](const EncodeChange& encode) {
    return encode.verdict == EncodeChange::Verdict::kFaster || encode.verdict == EncodeChange::Verdict::kSlower;
  });
}

EncodeComparison CompareEncodes(const std::vector<Trial>& before, const std::vector<Trial>& now) {
  EncodeComparison comparison;
  const std::vector<Pair> pairs = Paired(before, now, comparison);
  if (pairs.empty() && comparison.taken_up > 0)
    FailInput("the later run took the earlier one's figures up: nothing was measured twice");
  if (pairs.empty()) FailInput("the two runs have no encode in common: neither size, rate, preset and footage alike");
  const Measured speeds = Measure(pairs, SpeedOf), costs = Measure(pairs, CostOf);
  const double speed = speeds.PooledDeviation(), cost = costs.PooledDeviation();
  // One that is alone is also what all have in common.
  const double between =
      std::numbers::sqrt2 * (pairs.size() < kEnoughForCommon ? std::hypot(kOwnNoise, kCommonNoise) : kOwnNoise);
  for (std::size_t i = 0; i < pairs.size(); ++i) {
    const auto& [old, current] = pairs[i];
    EncodeChange change{current->settings, current->footage, current->simulated || old->simulated};
    change.speed = ChangeOf(speeds.before.encodes[i], speeds.now.encodes[i], speed, between, pairs.size());
    if (const Samples& a = costs.before.encodes[i], &b = costs.now.encodes[i]; !a.empty() && !b.empty())
      change.cost = ChangeOf(a, b, cost, between, pairs.size());
    if (old->quality) change.score_before = old->quality->score();
    if (current->quality) change.score_now = current->quality->score();
    Judge(change.speed, change.cost, change);
    comparison.encodes.push_back(std::move(change));
  }
  if (comparison.encodes.size() >= kEnoughForCommon) TellCommonApart(speeds.drift(), costs.drift(), comparison);
  return comparison;
}

namespace {

nlohmann::json ChangeJson(const Change& change) {
  return {{"before", change.before}, {"now", change.now}, {"change", change.change}, {"noise", change.noise}};
}

}  // namespace

void to_json(nlohmann::json& json, const EncodeComparison& comparison) {
  json = {{"only_before", comparison.only_before},
          {"only_now", comparison.only_now},
          {"taken_up", comparison.taken_up},
          {"encodes", nlohmann::json::array()}};
  if (comparison.all) json["all"] = {{"change", comparison.all->change}, {"noise", comparison.all->noise}};
  for (const EncodeChange& encode : comparison.encodes) {
    nlohmann::json one = {{"settings", encode.settings},     {"footage", encode.footage},
                          {"simulated", encode.simulated},   {"throughput_fps", ChangeJson(encode.speed)},
                          {"verdict", Name(encode.verdict)}, {"score_before", encode.score_before},
                          {"score_now", encode.score_now}};
    if (encode.cost) one["cpu_ms_a_frame"] = ChangeJson(*encode.cost);
    json["encodes"].push_back(std::move(one));
  }
}

}  // namespace kettle
