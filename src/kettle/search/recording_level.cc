// SPDX-License-Identifier: Apache-2.0
#include "kettle/search/recording_level.h"

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "kettle/encoders/catalogue.h"

namespace kettle {

namespace {

constexpr double kCloseDb = 0.3;        // passing the goal by less is near enough
constexpr double kUsualSlopeDb = -0.4;  // a level, before two have told
constexpr int kMostSteps = 8;

class LevelSearch {
 public:
  using Step = RecordingLevel::Step;

  LevelSearch(const QualityScale& scale, double goal_db)
      : goal_db_(goal_db), reaches_(scale.best - 1), misses_(scale.worst + 1) {}

  void Add(const Step& step) {
    steps_.push_back(step);
    if (step.score_db >= goal_db_) {
      if (step.level > reaches_) reaches_ = step.level, reached_db_ = step.score_db;
    } else {
      misses_ = std::min(misses_, step.level);
    }
  }
  bool done() const { return misses_ - reaches_ <= 1 || (reached_db_ > 0 && reached_db_ - goal_db_ < kCloseDb); }
  int reaches() const { return reaches_; }

  // Strictly between what is known to reach the goal and what is known to miss it.
  int Next() const {
    const Step& last = steps_.back();
    double slope = kUsualSlopeDb;
    for (const Step& other : steps_)
      if (other.level != last.level) slope = (last.score_db - other.score_db) / (last.level - other.level);
    if (slope > -0.05) slope = kUsualSlopeDb;  // noise
    const int guess = last.level + static_cast<int>(std::floor((goal_db_ - last.score_db) / slope));
    return std::clamp(guess, reaches_ + 1, misses_ - 1);
  }

 private:
  double goal_db_, reached_db_ = 0;
  int reaches_, misses_;  // the worst level that reaches the goal, the best that does not; one past the scale: none
  std::vector<Step> steps_;
};

}  // namespace

EncodeSettings AtLevel(EncodeSettings settings, int level) {
  settings.rate_control = RateControl::kConstantQuality;
  settings.bit_rate = settings.maximum_bit_rate = {};
  settings.quality_level = level;
  return settings;
}

RecordingLevel FindRecordingLevel(const EncodeSettings& settings, double goal_db, const Footage& footage,
                                  TrialBook& book) {
  RecordingLevel found{goal_db, footage.label, {}, std::nullopt, {}};
  const EncoderFamily& family = FindFamily(settings.encoder);
  if (!family.rates.contains(RateControl::kConstantQuality)) {
    found.trouble = Message{"recording-level.no-constant-quality", {{"encoder", family.title}}};
    return found;
  }
  LevelSearch search(family.quality, goal_db);
  for (int level = family.quality.usual; static_cast<int>(found.steps.size()) < kMostSteps; level = search.Next()) {
    const Trial trial = book.Get(AtLevel(settings, level), footage);
    if (!trial.done() || !trial.quality) {
      if (trial.done())
        found.trouble = Message{"recording-level.too-slow"};
      else
        found.trouble = Message{"recording-level.failed", {{"status", Name(trial.status)}, {"detail", trial.detail}}};
      return found;
    }
    found.steps.push_back({level, trial.quality->score(), trial.mean_kbps});
    search.Add(found.steps.back());
    if (search.done()) break;
  }
  if (search.reaches() >= family.quality.best)
    found.level = search.reaches();
  else
    found.trouble = Message{"recording-level.out-of-reach",
                            {{"level", family.quality.best}, {"goal", goal_db}, {"footage", footage.label}}};
  return found;
}

void to_json(nlohmann::json& json, const RecordingLevel& found) {
  nlohmann::json steps = nlohmann::json::array();
  for (const RecordingLevel::Step& step : found.steps)
    steps.push_back({{"level", step.level}, {"score_db", step.score_db}, {"mean_kbps", step.mean_kbps}});
  json = {{"goal_db", found.goal_db},
          {"footage", found.footage},
          {"level", found.level ? nlohmann::json(*found.level) : nlohmann::json()},
          {"trouble", found.trouble},
          {"steps", steps}};
}

}  // namespace kettle
