// SPDX-License-Identifier: Apache-2.0
#include "kettle/question/answer.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "kettle/encoders/catalogue.h"
#include "kettle/units/statistics.h"

namespace kettle {

namespace {

constexpr double kVisible = 0.5;  // points

// One variant's trials, by footage and bit rate.
class VariantTrials {
 public:
  VariantTrials(const Question& question, const Variant& variant, const std::vector<std::string>& footage,
                const std::vector<Trial>& trials)
      : question_(question) {
    for (std::size_t f = 0; f < footage.size(); ++f) {
      rows_.emplace_back();
      for (const BitRate rate : question.rates) {
        const EncodeSettings wanted = AtRate(variant.settings, rate);
        const auto found = std::find_if(trials.begin(), trials.end(), [&](const Trial& t) {
          return t.settings == wanted && t.footage == footage[f];
        });
        rows_.back().push_back(found == trials.end() ? nullptr : &*found);
      }
    }
  }

  std::string Trouble() const {
    for (const auto& row : rows_)
      for (const Trial* trial : row) {
        if (!trial) return "not measured: no time was left";
        if (!trial->done()) return fmt::format("{}: {}", Name(trial->status), trial->detail);
        if (!trial->quality) return "its quality was not measured";
      }
    return "";
  }

  std::size_t footage() const { return rows_.size(); }
  const Trial& Asked(std::size_t f) const {
    const auto rate = std::find(question_.rates.begin(), question_.rates.end(), question_.asked_rate);
    return *rows_[f][static_cast<std::size_t>(rate - question_.rates.begin())];
  }

  RateCurve Curve(std::size_t f) const {
    RateCurve curve;
    for (const Trial* trial : rows_[f]) curve.push_back({trial->mean_kbps, trial->quality->score()});
    return curve;
  }
  // Of one second of the footage; the bit rates are those of the whole encodes.
  RateCurve SecondCurve(std::size_t f, std::size_t second) const {
    RateCurve curve;
    for (const Trial* trial : rows_[f]) curve.push_back({trial->mean_kbps, trial->quality->second_score(second)});
    return curve;
  }
  std::size_t Seconds(std::size_t f) const {
    std::size_t count = SIZE_MAX;
    for (const Trial* trial : rows_[f]) count = std::min(count, trial->quality->seconds_picture_score.size());
    return count;
  }
  RateCurve Overall() const {
    RateCurve curve(question_.rates.size());
    for (std::size_t f = 0; f < footage(); ++f) {
      const RateCurve one = Curve(f);
      for (std::size_t i = 0; i < one.size(); ++i) {
        curve[i].kbps += one[i].kbps / static_cast<double>(footage());
        curve[i].quality += one[i].quality / static_cast<double>(footage());
      }
    }
    return curve;
  }

 private:
  const Question& question_;
  std::vector<std::vector<const Trial*>> rows_;  // by footage, then by rate
};

// The bit rate nearest to `asked` that both curves reach; nothing if they share none.
std::optional<double> CommonRate(const RateCurve& a, const RateCurve& b, double asked) {
  const auto range = [](const RateCurve& curve) {
    const auto [low, high] = std::minmax_element(
        curve.begin(), curve.end(), [](const RatePoint& p, const RatePoint& q) { return p.kbps < q.kbps; });
    return std::pair{low->kbps, high->kbps};
  };
  const auto [a_low, a_high] = range(a);
  const auto [b_low, b_high] = range(b);
  const double low = std::max(a_low, b_low), high = std::min(a_high, b_high);
  if (low > high) return std::nullopt;
  return std::clamp(asked, low, high);
}

Difference Gain(const Question& question, const VariantTrials& reference, const VariantTrials& variant) {
  std::vector<double> gains;
  for (std::size_t f = 0; f < reference.footage(); ++f)
    for (std::size_t s = 0; s < std::min(reference.Seconds(f), variant.Seconds(f)); ++s) {
      const RateCurve theirs = reference.SecondCurve(f, s), ours = variant.SecondCurve(f, s);
      const auto rate = CommonRate(theirs, ours, question.asked_rate.kbps());
      const auto before = rate ? QualityAt(theirs, *rate) : std::nullopt;
      const auto after = rate ? QualityAt(ours, *rate) : std::nullopt;
      if (before && after) {
        gains.push_back(*after - *before);
      } else {  // both spend what they like: as they are
        const auto asked = static_cast<std::size_t>(
            std::find(question.rates.begin(), question.rates.end(), question.asked_rate) - question.rates.begin());
        gains.push_back(ours[asked].quality - theirs[asked].quality);
      }
    }
  return {Mean(gains).value_or(0), MeanInterval(gains)};
}

void FillFigures(const VariantTrials& found, VariantAnswer& answer) {
  const double share = 1 / static_cast<double>(found.footage());
  for (std::size_t f = 0; f < found.footage(); ++f) {
    const Trial& trial = found.Asked(f);
    answer.footage_curves.push_back(found.Curve(f));
    answer.score += share * trial.quality->score();
    answer.worst_second_score += share * trial.quality->worst_second_score();
    answer.blockiness += share * trial.quality->blockiness;
    answer.cpu_cores += share * trial.cpu_cores;
    answer.feeding_cores += share * trial.feeding_cores;
    answer.throughput_fps += share * trial.throughput_fps;
    if (trial.device == "gpu") answer.engine_share += share * trial.settings.frame_rate.fps() / trial.throughput_fps;
    answer.latency_p99_ms += share * trial.latency.p99_ms;
    answer.mean_kbps += share * trial.mean_kbps;
    answer.peak_second_kbps += share * trial.peak_second_kbps;
    answer.simulated = answer.simulated || trial.simulated;
  }
  answer.curve = found.Overall();
}

// What one repeat of a trial costs: cores, feeding included, or the share of the engine.
std::vector<double> Costs(const Trial& trial) {
  std::vector<double> costs;
  for (const Repeat& repeat : CountedRepeats(trial))
    costs.push_back(trial.device == "gpu" ? trial.settings.frame_rate.fps() / repeat.throughput_fps
                                          : repeat.cpu_cores + trial.feeding_cores);
  return costs;
}

// The ratio of the medians, less one; its interval from the repeats' spread on both sides, by the first-order rule
// for a quotient.
std::optional<Difference> Cost(const VariantTrials& reference, const VariantTrials& variant) {
  double ratio = 0, squares = 0;
  bool repeated = true;
  const auto count = static_cast<double>(reference.footage());
  for (std::size_t f = 0; f < reference.footage(); ++f) {
    const std::vector<double> theirs = Costs(reference.Asked(f)), ours = Costs(variant.Asked(f));
    const double before = Median(theirs).value_or(0), after = Median(ours).value_or(0);
    if (before <= 0) return std::nullopt;
    ratio += after / before / count;
    const auto their_interval = MeanInterval(theirs), our_interval = MeanInterval(ours);
    repeated = repeated && their_interval && our_interval;
    if (repeated && after > 0)
      squares += std::pow(after / before / count, 2) *
                 (std::pow(*their_interval / before, 2) + std::pow(*our_interval / after, 2));
  }
  Difference cost{ratio - 1, {}};
  if (repeated) cost.interval = std::sqrt(squares);
  return cost;
}

void TellCost(VariantAnswer& answer) {
  if (!answer.cost_share) return;
  const bool gpu = FindFamily(answer.variant.settings.encoder).device == DeviceKind::kGpu;
  const char* of = gpu ? "engine time" : "cores";
  const double share = answer.cost_share->value, noise = answer.cost_share->interval.value_or(0);
  if (std::abs(share) <= std::max(0.02, noise))
    answer.words.push_back(Message{"answer.same-cost", {{"of", of}}});
  else if (share > 1)
    answer.words.push_back(Message{"answer.times-the-cost", {{"times", 1 + share}, {"of", of}}});
  else if (share > 0)
    answer.words.push_back(Message{"answer.more-cost", {{"percent", share * 100}, {"of", of}}});
  else
    answer.words.push_back(Message{"answer.less-cost", {{"percent", -share * 100}, {"of", of}}});
}

void TellBitRate(VariantAnswer& answer) {
  constexpr double kMeaningless = 5;  // times the bit rate: the curves hardly overlap
  if (!answer.bd_rate || std::abs(*answer.bd_rate) >= kMeaningless) return;
  if (*answer.bd_rate < 0)
    answer.words.push_back(Message{"answer.saves-bits", {{"percent", -*answer.bd_rate * 100}}});
  else
    answer.words.push_back(Message{"answer.needs-bits", {{"percent", *answer.bd_rate * 100}}});
}

void Judge(VariantAnswer& answer) {
  const double gain = answer.gain->value;
  if (!answer.gain->interval) {
    answer.verdict = Verdict::kUnclear;
    answer.words = {Message{"answer.single-second", {{"gain", gain}}}};
    return;
  }
  const double interval = *answer.gain->interval;
  if (std::abs(gain) > interval && std::abs(gain) >= kVisible) {
    answer.verdict = gain > 0 ? Verdict::kBetter : Verdict::kWorse;
    answer.words = {Message{"answer.verdict", {{"verdict", Name(answer.verdict)}, {"gain", std::abs(gain)}}}};
    TellBitRate(answer);
  } else if (std::abs(gain) + interval <= kVisible) {
    answer.verdict = Verdict::kSame;
    answer.words = {Message{"answer.same"}};
  } else {
    answer.verdict = Verdict::kUnclear;
    answer.words = {Message{"answer.varies"}};
  }
  TellCost(answer);
}

// Which picture looks best at which bit rate, from the highest down.
std::vector<Message> PictureWords(const Answer& answer) {
  if (answer.best.empty()) return {Message{"answer.no-overlap"}};
  const auto label = [&](const BestStretch& stretch) { return answer.variants[stretch.curve].variant.label; };
  if (answer.best.size() == 1) return {Message{"answer.best-everywhere", {{"label", label(answer.best.front())}}}};
  std::vector<Message> words;
  for (std::size_t i = answer.best.size(); i-- > 1;) {
    const double kbps = answer.best[i].from_kbps;
    words.push_back(
        Message{"answer.best-from",
                {{"label", label(answer.best[i])}, {"kbps", kbps >= 1000 ? std::round(kbps / 50) * 50 : kbps}}});
  }
  words.push_back(Message{"answer.best-below", {{"label", label(answer.best.front())}}});
  return words;
}

std::vector<Message> SettingWords(const Answer& answer) {
  const VariantAnswer* best = nullptr;
  for (const VariantAnswer& variant : answer.variants)
    if (variant.verdict == Verdict::kBetter && (!best || variant.gain->value > best->gain->value)) best = &variant;
  if (best) return {Message{"answer.best-setting", {{"label", best->variant.label}, {"words", best->words}}}};
  const bool unclear = std::any_of(answer.variants.begin(), answer.variants.end(),
                                   [](const VariantAnswer& v) { return v.verdict == Verdict::kUnclear; });
  const std::string& reference = answer.variants.front().variant.label;
  if (unclear) return {Message{"answer.nothing-better", {{"reference", reference}}}};
  return {Message{"answer.take-the-cheapest", {{"reference", reference}}}};
}

}  // namespace

const char* Name(Verdict verdict) {
  switch (verdict) {
    case Verdict::kReference: return "reference";
    case Verdict::kBetter: return "better";
    case Verdict::kWorse: return "worse";
    case Verdict::kSame: return "the same";
    case Verdict::kUnclear: return "unclear";
    case Verdict::kFailed: return "failed";
  }
  return "";
}

Answer MakeAnswer(const Question& question, const std::vector<std::string>& footage, const std::vector<Trial>& trials) {
  Answer answer{question, footage, {}, {}, {}, {}};
  std::vector<VariantTrials> trials_of;  // by variant
  for (const Variant& variant : question.variants) trials_of.emplace_back(question, variant, footage, trials);
  const bool has_reference = trials_of.front().Trouble().empty();
  std::vector<RateCurve> curves;
  for (std::size_t i = 0; i < trials_of.size(); ++i) {
    VariantAnswer& one = answer.variants.emplace_back();
    one.variant = question.variants[i];
    one.trouble = trials_of[i].Trouble();
    if (one.trouble.empty()) {
      FillFigures(trials_of[i], one);
    } else {
      one.verdict = Verdict::kFailed;
      one.words = {Verbatim(one.trouble)};
    }
    curves.push_back(one.curve);
    if (i == 0 || !one.trouble.empty() || !has_reference) continue;
    one.gain = Gain(question, trials_of.front(), trials_of[i]);
    one.cost_share = Cost(trials_of.front(), trials_of[i]);
    one.bd_rate = BdRate(answer.variants.front().curve, one.curve);
    Judge(one);
  }
  answer.hull = ConvexHull(curves);
  answer.best = BestByRate(curves);
  answer.words = question.of_picture ? PictureWords(answer) : SettingWords(answer);
  return answer;
}

}  // namespace kettle
