// SPDX-License-Identifier: Apache-2.0
// What a plan is made with: state that its steps share. Internal to this room.
#pragma once

#include <functional>
#include <map>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "kettle/encoders/catalogue.h"
#include "kettle/planner/make_plan.h"

namespace kettle {

// Quality levels found for the recording, by family; none yet: its target's bit rate rules.
using RecordingLevels = std::map<std::string, int>;

class Planner {
 public:
  Planner(const PlanRequest& request, TrialBook& book, const std::function<Proof(const Pair&)>& prove);

  Plan Make();

 private:
  int CountGrid() const;
  // The encoders that may be used, asked for what `targets` hold and for the levels known by now.
  std::vector<FamilyOptions> FamiliesAt(const Targets& targets);
  Placement PlaceAt(const Targets& targets);
  int runs_left();

  void Begin(PlanStage stage) {
    stage_ = stage;
    Tell();
  }
  void Tell() const;
  // Whether the time allows more of this stage; if not, the plan says that it was left out.
  bool MayGoOn(PlanStage stage) {
    if (request_.time.Allows(stage)) return true;
    left_out_.insert(stage);
    return false;
  }
  // Each encoder's fastest preset is measured however late it is: without it nothing can be placed.
  bool MayMeasure(const EncodeSettings& settings) {
    return (stage_ == PlanStage::kPlacement && settings.preset == FindFamily(settings.encoder).presets.front()) ||
           MayGoOn(stage_);
  }

  // What was found out on the way here of the picture that the search begins with.
  void RecallLargest();
  int LikelyToHold(const std::string& family, const std::function<EncodeSettings(int)>& settings) const;
  // Of an encoder at a bit rate, at any size and frame rate, of what keeps pace.
  std::optional<double> BestStreamScore(const EncodeSettings& like) const;
  // A recording's bit rate by rule stands only until its level is found: how it looks tells nothing.
  bool WillGetItsLevel(const EncodeSettings& recording) const {
    return request_.show.recording_score && !IsQuality(recording.rate_control);
  }
  void ProvePictures();  // the best picture, and lighter ones while none holds
  bool LighterLooksBetter(const Pair& pair) const;
  void RefineBest();
  void ConfirmBest();
  bool Confirm(Pair& pair);
  void SettleRecording(double goal);
  std::optional<Pair> HoldingPreset(const Pair& pair, double goal);
  void ScoreRecording();
  void ExplainRecording();
  void TellOptions();
  void TellLeftOut();
  void TakeWhatHolds();
  void LookBesides(const Option& stream);

  const PlanRequest& request_;
  TrialBook& book_;
  const std::function<Proof(const Pair&)>& prove_;
  const SearchSpace space_;
  const int grid_;
  OptionBook options_;
  RecordingLevels levels_;
  PlanStage stage_ = PlanStage::kPicture;
  std::set<PlanStage> left_out_;
  Plan plan_;
};

}  // namespace kettle
