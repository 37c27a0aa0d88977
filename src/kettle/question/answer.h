// SPDX-License-Identifier: Apache-2.0
// From the trials of a question's variants to gain, cost and verdict.
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "kettle/curve/best_by_rate.h"
#include "kettle/message/message.h"
#include "kettle/question/question.h"
#include "kettle/trial/trial.h"

namespace kettle {

// A difference with half of its 95 % interval.
struct Difference {
  double value = 0;
  std::optional<double> interval;  // unset: too few samples for one
};

enum class Verdict { kReference, kBetter, kWorse, kSame, kUnclear, kFailed };
const char* Name(Verdict verdict);  // "reference", "better", "worse", "the same", "unclear", "failed"

struct VariantAnswer {
  Variant variant;
  std::string trouble;  // why it has no figures, if a trial failed
  // Over all footage together: the mean of the bit rates, and of the scores.
  RateCurve curve;
  std::vector<RateCurve> footage_curves;  // by footage
  // At the asked bit rate, means over the footage.
  double score = 0, worst_second_score = 0, blockiness = 0;
  double cpu_cores = 0, feeding_cores = 0, engine_share = 0, throughput_fps = 0;
  double latency_p99_ms = 0, mean_kbps = 0, peak_second_kbps = 0;
  bool simulated = false;
  // Against the reference at the same bit rate, over all seconds of all footage.
  std::optional<Difference> gain;
  std::optional<Difference> cost_share;  // of cores (CPU) or of engine time (GPU): 0.2 is a fifth more
  std::optional<double> bd_rate;         // bit rate for the same quality: -0.31 is 31 % less
  int seconds = 0;                       // of footage that the gain was measured on
  Verdict verdict = Verdict::kReference;
  std::vector<Message> words;  // the verdict and what goes with it, told one after the other
};

struct Answer {
  Question question;
  std::vector<std::string> footage;     // labels
  std::vector<VariantAnswer> variants;  // in the question's order
  std::vector<HullPoint> hull;          // of the variants' curves
  std::vector<BestStretch> best;        // by bit rate
  std::vector<Message> words;           // the answer, told one after the other

  // Some variant's gain is not clear: more of the footage may tell.
  bool unclear() const;
};

// What to measure on further footage, so that what is unclear becomes clear: those variants and the reference, at the
// asked bit rate. Empty if all is clear.
std::vector<EncodeSettings> FurtherEncodes(const Answer& answer);

// `trials` are those of every variant at every rate on every footage, in any order; what is missing is left out. On
// `further` footage there may be trials of some variants at some rates, and they count for the gain.
// A gain is the mean over the seconds of all footage, further footage too, of the difference of scores, each at the
// asked bit rate by interpolation between the encodes' own (or as near to it as both curves reach), so that an encode
// that overshoots gains nothing by that. *Better* and *worse*: the interval excludes no difference, and the difference
// is at least half a point. *The same*: the interval lies within half a point. *Unclear*: anything else.
Answer MakeAnswer(const Question& question, const std::vector<std::string>& footage, const std::vector<Trial>& trials,
                  const std::vector<std::string>& further = {});

// Read back it lacks the hull and the best by bit rate, which the figure keeps.
void to_json(nlohmann::json& json, const Answer& answer);
void from_json(const nlohmann::json& json, Answer& answer);

}  // namespace kettle
