// SPDX-License-Identifier: Apache-2.0
#include "kettle/search/recording_level.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <nlohmann/json.hpp>

#include "kettle/encoders/catalogue.h"
#include "kettle/units/json_fields.h"

namespace kettle {

namespace {

constexpr double kClose = 1.5;        // points: passing the goal by less is near enough
constexpr double kUsualSlope = -2.5;  // points a level, before two have told
constexpr double kLooksUsually = 58;  // points, at a family's usual level
constexpr int kMostSteps = 8;

class LevelSearch {
 public:
  using Step = RecordingLevel::Step;

  LevelSearch(const QualityScale& scale, double goal)
      : goal_(goal), reaches_(scale.best - 1), misses_(scale.worst + 1) {}

  void Add(const Step& step) {
    steps_.push_back(step);
    if (step.score >= goal_) {
      if (step.level > reaches_) reaches_ = step.level, reached_ = step.score;
    } else if (step.level < misses_) {
      misses_ = step.level, missed_ = step.score;
    }
  }
  bool done() const { return misses_ - reaches_ <= 1 || reached_ - goal_ < std::max(kClose, PointsALevel()); }
  int reaches() const { return reaches_; }

  // Strictly between what is known to reach the goal and what is known to miss it.
  int Next() const {
    const Step& last = steps_.back();
    double slope = kUsualSlope;
    for (const Step& other : steps_)
      if (other.level != last.level) slope = (last.score - other.score) / (last.level - other.level);
    if (slope > -0.25) slope = kUsualSlope;  // noise
    const int guess = last.level + static_cast<int>(std::floor((goal_ - last.score) / slope));
    return std::clamp(guess, reaches_ + 1, misses_ - 1);
  }

 private:
  // Between the one that reaches the goal and the one that does not; 0: there are not both.
  double PointsALevel() const {
    return std::isfinite(reached_) && std::isfinite(missed_) ? (reached_ - missed_) / (misses_ - reaches_) : 0;
  }

  double goal_;
  // The scores of `reaches_` and `misses_`; none yet.
  double reached_ = std::numeric_limits<double>::infinity(), missed_ = -std::numeric_limits<double>::infinity();
  int reaches_, misses_;  // the worst level that reaches the goal, the best that does not; one past the scale: none
  std::vector<Step> steps_;
};

}  // namespace

int StartLevel(const std::string& encoder, double goal) {
  const QualityScale& scale = FindFamily(encoder).quality;
  return std::clamp(scale.usual + static_cast<int>(std::lround((goal - kLooksUsually) / kUsualSlope)), scale.best,
                    scale.worst);
}

EncodeSettings AtLevel(EncodeSettings settings, int level) {
  settings.rate_control = RateControl::kConstantQuality;
  settings.bit_rate = settings.maximum_bit_rate = {};
  settings.quality_level = level;
  return settings;
}

RecordingLevel FindRecordingLevel(const EncodeSettings& settings, double goal, const Footage& footage, TrialBook& book,
                                  const std::function<bool()>& go_on, std::optional<int> first) {
  RecordingLevel found{goal, footage.label, {}, std::nullopt, {}};
  const EncoderFamily& family = FindFamily(settings.encoder);
  if (!family.rates.contains(RateControl::kConstantQuality)) {
    found.trouble = Message{"recording-level.no-constant-quality", {{"encoder", family.title}}};
    return found;
  }
  LevelSearch search(family.quality, goal);
  for (int level = first.value_or(StartLevel(settings.encoder, goal));
       static_cast<int>(found.steps.size()) < kMostSteps; level = search.Next()) {
    if (go_on && !go_on()) {
      found.trouble = Message{"recording-level.no-time"};
      break;
    }
    const Trial trial = book.Get(AtLevel(settings, level), footage);
    if (!trial.done() || !trial.quality) {
      if (trial.done())
        found.trouble = Message{"recording-level.too-slow"};
      else
        found.trouble = Message{"recording-level.failed", {{"status", Name(trial.status)}, {"detail", trial.detail}}};
      return found;
    }
    found.steps.push_back({level, trial.quality->picture_score, trial.mean_kbps});
    search.Add(found.steps.back());
    if (search.done()) break;
  }
  if (search.reaches() >= family.quality.best) {
    found.level = search.reaches();
    found.trouble = {};
  } else if (found.trouble.empty()) {
    found.trouble = Message{"recording-level.out-of-reach",
                            {{"level", family.quality.best}, {"goal", goal}, {"footage", footage.label}}};
  }
  return found;
}

KETTLE_JSON(RecordingLevel::Step, level, score, mean_kbps)
KETTLE_JSON(RecordingLevel, goal, footage, steps, level, trouble)

}  // namespace kettle
