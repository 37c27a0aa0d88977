// SPDX-License-Identifier: Apache-2.0
#include "kettle/comparison/encode_comparison.h"

#include <algorithm>
#include <boost/math/distributions/students_t.hpp>
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

constexpr double kKnown = 1e9;  // degrees of freedom of what needs no estimate

struct Spread {
  double deviation = 0.05;  // one repeat each: nothing tells how much they vary
  double degrees = kKnown;  // of freedom
};

// The samples of both runs, in the pairs' order.
struct Measured {
  EncodeSamples before, now;

  // Of single repeats around their own encode's mean, without the extremes, all encodes of both runs together.
  Spread PooledSpread() const {
    double squares = 0;
    int weights = 0, degrees = 0;
    for (const EncodeSamples* run : {&before, &now}) {
      const int of_rounds = std::max(0, run->rounds - 1);  // that the rounds' common parts took
      weights -= of_rounds;
      degrees -= of_rounds;
      for (const Samples& samples : run->encodes) {
        if (samples.size() < 2) continue;
        const double deviation = *WinsorizedDeviation(samples);
        squares += deviation * deviation * static_cast<double>(samples.size() - 1);
        weights += static_cast<int>(samples.size()) - 1;
        degrees += TrimmedMeanOf(samples)->degrees;
      }
    }
    return weights <= 0 ? Spread{} : Spread{std::sqrt(squares / weights), std::max(1., static_cast<double>(degrees))};
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

// How many are asked at once: of each encode, and of what all have in common where that is told apart.
std::size_t QuestionsOf(std::size_t encodes) { return encodes + (encodes >= kEnoughForCommon ? 1 : 0); }

// How many standard errors an interval of `count` intervals at once reaches to either side.
double Reach(std::size_t count, double degrees) {
  const boost::math::students_t student(degrees);
  return quantile(complement(student, kUnsure / 2 / static_cast<double>(count)));
}

// `between`: what two runs differ by although nothing changed. The error's degrees of freedom are those of the repeats,
// more where the rest of it is known (Welch 1947 and Satterthwaite 1946).
Change ChangeOf(const Samples& before, const Samples& now, const Spread& spread, double between, std::size_t count) {
  const TrimmedMean a = *TrimmedMeanOf(before), b = *TrimmedMeanOf(now);
  const double of_means = spread.deviation * spread.deviation * (a.variance_share + b.variance_share);
  const double all = of_means + between * between;
  const double degrees = std::min(kKnown, spread.degrees * std::pow(all / std::max(of_means, 1e-30), 2));
  return {std::exp(a.mean), std::exp(b.mean), std::exp(b.mean - a.mean) - 1, Reach(count, degrees) * std::sqrt(all)};
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
  if (cost && cost->is_real()) return cost->inverse();
  return {0, 0, speed.change, speed.noise};
}

void Judge(const Change& speed, const std::optional<Change>& cost, EncodeChange& encode) {
  encode.verdict = VerdictOf(speed, cost);
  encode.beyond = BeyondOf(speed, cost);
}

Change Relative(const Change& change, double common) {
  return {change.before, change.now, (1 + change.change) / (1 + common) - 1, change.noise};
}

// The mean of the middle half: as a median it is blind to the few that changed, but it is not one of them, from which
// the others would seem farther away than they are. Needs kEnoughForCommon of them.
double CommonChange(const std::vector<EncodeChange>& encodes, bool of_cost) {
  std::vector<double> changes;
  for (const EncodeChange& encode : encodes)
    if (!of_cost || encode.cost) changes.push_back(of_cost ? encode.cost->change : encode.speed.change);
  if (changes.size() < kEnoughForCommon) return 0;
  std::sort(changes.begin(), changes.end());
  const auto aside = static_cast<std::ptrdiff_t>(changes.size() / 4);
  return *Mean({changes.begin() + aside, changes.end() - aside});
}

// On the CPU by what they cost, for what others take from the machine is no property of an encoder.
// `speed_drift` and `cost_drift`: how far the machine may have moved both runs' levels (Measured::drift).
void TellCommonApart(double speed_drift, double cost_drift, EncodeComparison& comparison) {
  auto& encodes = comparison.encodes;
  const auto costed = static_cast<std::size_t>(
      std::count_if(encodes.begin(), encodes.end(), [](const EncodeChange& encode) { return encode.cost; }));
  const bool of_cost = costed >= kEnoughForCommon;
  const double speed = CommonChange(encodes, false), cost = CommonChange(encodes, true);
  double noise = 0;
  for (const EncodeChange& encode : encodes)
    noise += (of_cost && encode.cost ? encode.cost->noise : encode.speed.noise);
  const double reach = Reach(QuestionsOf(encodes.size()), kKnown);
  noise /= static_cast<double>(encodes.size()) * reach;
  const double drift = of_cost ? cost_drift : speed_drift;
  const double count = static_cast<double>(encodes.size());
  comparison.all = Change{0, 0, of_cost ? cost : speed,
                          reach * std::sqrt(std::numbers::pi / 2 * noise * noise / count +
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
  const Spread speed = speeds.PooledSpread(), cost = costs.PooledSpread();
  // One that is alone is also what all have in common.
  const double between =
      std::numbers::sqrt2 * (pairs.size() < kEnoughForCommon ? std::hypot(kOwnNoise, kCommonNoise) : kOwnNoise);
  const std::size_t questions = QuestionsOf(pairs.size());
  for (std::size_t i = 0; i < pairs.size(); ++i) {
    const auto& [old, current] = pairs[i];
    EncodeChange change{current->settings, current->footage, current->simulated || old->simulated};
    change.speed = ChangeOf(speeds.before.encodes[i], speeds.now.encodes[i], speed, between, questions);
    if (const Samples& a = costs.before.encodes[i], &b = costs.now.encodes[i]; !a.empty() && !b.empty())
      change.cost = ChangeOf(a, b, cost, between, questions);
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
