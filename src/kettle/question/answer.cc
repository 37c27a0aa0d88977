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

// The trials of one variant on one footage, by bit rate; null where there is none.
class FootageTrials {
 public:
  FootageTrials(const Question& question, const Variant& variant, const std::string& footage,
                const std::vector<Trial>& trials)
      : question_(question) {
    for (const BitRate rate : question.rates) {
      const EncodeSettings wanted = AtRate(variant.settings, rate);
      const auto found = std::find_if(trials.begin(), trials.end(),
                                      [&](const Trial& t) { return t.settings == wanted && t.footage == footage; });
      by_rate_.push_back(found == trials.end() ? nullptr : &*found);
    }
  }

  std::string Trouble() const {
    for (const Trial* trial : by_rate_) {
      if (!trial) return "not measured: no time was left";
      if (!trial->done()) return fmt::format("{}: {}", Name(trial->status), trial->detail);
      if (!trial->quality) return "its quality was not measured";
    }
    return "";
  }
  bool HasAsked() const { return AskedTrial() && Works(AskedTrial()); }
  const Trial& Asked() const { return *AskedTrial(); }

  RateCurve Curve() const {
    RateCurve curve;
    for (const Trial* trial : by_rate_)
      if (Works(trial)) curve.push_back({trial->mean_kbps, trial->quality->score()});
    return curve;
  }
  // Of one second of the footage; the bit rates are those of the whole encodes.
  RateCurve SecondCurve(std::size_t second) const {
    RateCurve curve;
    for (const Trial* trial : by_rate_)
      if (Works(trial)) curve.push_back({trial->mean_kbps, trial->quality->second_score(second)});
    return curve;
  }
  std::size_t Seconds() const {
    std::size_t count = SIZE_MAX;
    for (const Trial* trial : by_rate_)
      if (Works(trial)) count = std::min(count, trial->quality->seconds_picture_score.size());
    return count;
  }

 private:
  static bool Works(const Trial* trial) { return trial && trial->done() && trial->quality; }
  const Trial* AskedTrial() const {
    const auto rate = std::find(question_.rates.begin(), question_.rates.end(), question_.asked_rate);
    return by_rate_[static_cast<std::size_t>(rate - question_.rates.begin())];
  }

  const Question& question_;
  std::vector<const Trial*> by_rate_;
};

// One variant's trials on all footage.
struct VariantTrials {
  std::vector<FootageTrials> rows;     // complete, or the variant has a trouble
  std::vector<FootageTrials> further;  // as many, and as complete, as there was time for

  VariantTrials(const Question& question, const Variant& variant, const std::vector<std::string>& footage,
                const std::vector<std::string>& further_footage, const std::vector<Trial>& trials) {
    for (const std::string& label : footage) rows.emplace_back(question, variant, label, trials);
    for (const std::string& label : further_footage) further.emplace_back(question, variant, label, trials);
  }

  std::string Trouble() const {
    for (const FootageTrials& row : rows)
      if (std::string trouble = row.Trouble(); !trouble.empty()) return trouble;
    return "";
  }
  RateCurve Overall() const {
    RateCurve curve;
    for (const FootageTrials& row : rows) {
      const RateCurve one = row.Curve();
      curve.resize(one.size());
      for (std::size_t i = 0; i < one.size(); ++i) {
        curve[i].kbps += one[i].kbps / static_cast<double>(rows.size());
        curve[i].quality += one[i].quality / static_cast<double>(rows.size());
      }
    }
    return curve;
  }
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

// The gain of each second of one footage, both at the asked bit rate.
void AddGains(const Question& question, const FootageTrials& reference, const FootageTrials& variant,
              std::vector<double>& gains) {
  for (std::size_t s = 0; s < std::min(reference.Seconds(), variant.Seconds()); ++s) {
    const RateCurve theirs = reference.SecondCurve(s), ours = variant.SecondCurve(s);
    const auto rate = CommonRate(theirs, ours, question.asked_rate.kbps());
    const auto before = rate ? QualityAt(theirs, *rate) : std::nullopt;
    const auto after = rate ? QualityAt(ours, *rate) : std::nullopt;
    if (before && after)
      gains.push_back(*after - *before);
    else  // both spend what they like: as they are
      gains.push_back(variant.Asked().quality->second_score(s) - reference.Asked().quality->second_score(s));
  }
}

// The same where there is one encode each: less what `curve`, of other footage, gives for the bits that one spent more.
void AddGainsOfOneRate(const RateCurve& curve, const FootageTrials& reference, const FootageTrials& variant,
                       std::vector<double>& gains) {
  const Trial &theirs = reference.Asked(), &ours = variant.Asked();
  const auto at_theirs = QualityAt(curve, theirs.mean_kbps), at_ours = QualityAt(curve, ours.mean_kbps);
  const double for_bits = at_theirs && at_ours ? *at_ours - *at_theirs : 0;
  for (std::size_t s = 0; s < std::min(reference.Seconds(), variant.Seconds()); ++s)
    gains.push_back(ours.quality->second_score(s) - theirs.quality->second_score(s) - for_bits);
}

std::vector<double> Gains(const Question& question, const VariantTrials& reference, const VariantTrials& variant) {
  std::vector<double> gains;
  for (std::size_t f = 0; f < reference.rows.size(); ++f) AddGains(question, reference.rows[f], variant.rows[f], gains);
  const RateCurve curve = reference.Overall();
  for (std::size_t f = 0; f < reference.further.size(); ++f)
    if (reference.further[f].HasAsked() && variant.further[f].HasAsked())
      AddGainsOfOneRate(curve, reference.further[f], variant.further[f], gains);
  return gains;
}

void FillFigures(const VariantTrials& found, VariantAnswer& answer) {
  const double share = 1 / static_cast<double>(found.rows.size());
  for (const FootageTrials& row : found.rows) {
    const Trial& trial = row.Asked();
    answer.footage_curves.push_back(row.Curve());
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
  const auto count = static_cast<double>(reference.rows.size());
  for (std::size_t f = 0; f < reference.rows.size(); ++f) {
    const std::vector<double> theirs = Costs(reference.rows[f].Asked()), ours = Costs(variant.rows[f].Asked());
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
    answer.words = {Message{"answer.varies", {{"seconds", answer.seconds}}}};
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
  const std::string& reference = answer.variants.front().variant.label;
  if (answer.unclear()) return {Message{"answer.nothing-better", {{"reference", reference}}}};
  std::vector<std::string> same;
  for (const VariantAnswer& variant : answer.variants)
    if (variant.verdict == Verdict::kSame) same.push_back(variant.variant.label);
  if (same.empty()) return {Message{"answer.reference-is-best", {{"reference", reference}}}};
  return {Message{"answer.take-the-cheapest",
                  {{"reference", reference}, {"same", fmt::format("{}", fmt::join(same, ", "))}}}};
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

bool Answer::unclear() const {
  return std::any_of(variants.begin(), variants.end(),
                     [](const VariantAnswer& variant) { return variant.verdict == Verdict::kUnclear; });
}

std::vector<EncodeSettings> FurtherEncodes(const Answer& answer) {
  std::vector<EncodeSettings> encodes;
  for (const VariantAnswer& variant : answer.variants)
    if (answer.unclear() && (variant.verdict == Verdict::kUnclear || variant.verdict == Verdict::kReference))
      encodes.push_back(AtRate(variant.variant.settings, answer.question.asked_rate));
  return encodes;
}

Answer MakeAnswer(const Question& question, const std::vector<std::string>& footage, const std::vector<Trial>& trials,
                  const std::vector<std::string>& further) {
  Answer answer{question, footage, {}, {}, {}, {}};
  std::vector<VariantTrials> trials_of;  // by variant
  for (const Variant& variant : question.variants) trials_of.emplace_back(question, variant, footage, further, trials);
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
    const std::vector<double> gains = Gains(question, trials_of.front(), trials_of[i]);
    one.gain = Difference{Mean(gains).value_or(0), MeanInterval(gains)};
    one.seconds = static_cast<int>(gains.size());
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
