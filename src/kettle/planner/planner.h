// SPDX-License-Identifier: Apache-2.0
// What a plan is made with: state that its steps share. Internal to this room.
#pragma once

#include <functional>
#include <map>
#include <optional>
#include <set>
#include <string>
#include <tuple>
#include <vector>

#include "kettle/encoders/catalogue.h"
#include "kettle/planner/make_plan.h"
#include "kettle/planner/recording_way.h"
#include "kettle/search/refine.h"

namespace kettle {

inline constexpr double kWorthChanging = 0.5;  // points

// What B-frames, look-ahead and passes gained a stream, by encoder, preset and device: from then on that preset has
// them, at every picture, so that all are compared alike.
using Refinements = std::map<std::tuple<std::string, std::string, int>, Refinement>;

// Quality levels found for the recording, by family; none yet: its target's bit rate rules.
using RecordingLevels = std::map<std::string, int>;

// A recording with that encoder, at the level known for it, if there is one.
EncodeSettings RecordingSettings(const EncodeSettings& target, const std::string& family, int preset, int device,
                                 const RecordingLevels& levels);

class Planner {
 public:
  Planner(const PlanRequest& request, TrialBook& book, const std::function<Proof(const Pair&)>& prove);

  Plan Make();

 private:
  // What was aimed at, and how it was placed.
  struct Settled {
    Targets targets;
    Placement placement;
    RecordingLevels levels = {};
    std::optional<RecordingLevel> level = {};
    Refinements refinements = {};
  };
  int CountGrid() const;
  const std::vector<std::string>& recording_families() const {
    return request_.recording_families.empty() ? request_.families : request_.recording_families;
  }
  std::vector<std::string> AllFamilies() const;
  bool IsPlainRecording(const std::string& family) const;
  // The encoders that may be used, asked for what `targets` hold and for the levels known by now.
  std::vector<FamilyOptions> FamiliesAt(const Targets& targets);
  Placement PlaceAt(const Targets& targets);
  int runs_left();
  int RunsForThis();

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
  int RecordingPresets(const std::string& family) const;
  int LikelyToHold(const std::string& family, const std::function<EncodeSettings(int)>& settings) const;
  // Of an encoder at a bit rate, at any size and frame rate, of what keeps pace.
  std::optional<double> BestStreamScore(const EncodeSettings& like) const;
  bool MayUse(Role role, const std::string& family, int device) const;
  void ProvePictures();  // the best picture, and lighter ones while none holds
  void PlaceAndRefine(bool anew, bool one_encode);
  Proving ProvePlaced(bool last, bool again);
  bool ForgetContradicted();
  bool LooksBetterThanWhatStands(const Pair& pair) const;
  Proof ProveAndLearn(const Pair& pair);
  void ProveToTheEnd();
  bool LighterLooksBetter(const Pair& pair) const;
  void RefineBest();
  bool Refine(Pair& pair, const Targets& targets);
  std::optional<Pair> BestRefined(const std::vector<Pair>& pairs, const Targets& targets);
  const Option* BestRefinementKnown(const Option& stream) const;
  void ConfirmBest();
  bool Confirm(Pair& pair);
  bool SettleRecording(double goal, Settled& settled);
  RecordingLevel FindLevelWithSomePreset(EncodeSettings settings, double goal, const Footage& pictures);
  bool IsWhole(const EncodeSettings& recording) const;
  std::optional<Pair> HoldingPreset(const Pair& pair, double goal, const Targets& targets,
                                    const std::function<double(const Option&)>& looks);
  bool RecordingIsFree() const;
  bool one_encode_will_do() const { return RecordingIsFree() || request_.show.recording_is_stream; }
  std::vector<RecordingWay> WaysToRecord() const;
  Placement PlaceStream(const std::vector<TriedPicture>& pictures,
                        const std::function<Placement(const Targets&)>& place, Targets& targets);
  Placement PlaceBoth();
  Placement PlaceAgain(bool one_encode);
  double WorthOf(const Pair& pair) const;
  void RefineAlone(Settled& settled);
  void ChoosePictureOf(const EncodeSettings& stream, Targets& targets);
  void MeasureRefinedLighter(const Option& stream);
  std::optional<Pair> BetterKnownAlone(const Pair& one);
  bool MayStream(const Option& option) const;
  void PreferTheBestRecording(Settled& settled);
  bool MayLookBetterThanTheStream(const Targets& targets);
  const Option* StreamThatLeavesRoom(const Targets& targets);
  void MeasureLighterStreams();
  void AddPicture(const Option& option);
  std::optional<Settled> SettleWay(const RecordingWay& way, const EncodeSettings& alone);
  void GuessLevels();
  bool SettleWithSomeEncoder(Settled& settled);
  void PlaceAtPicture(const Option& stream, Settled& settled);
  Placement Take(Settled settled);
  void Note(const TradePoint& point);
  bool TryLighterRecording(const Proving& proving, bool last);
  bool LosesTooMuch(const Pair& pair) const;
  void TryOtherCodecs();
  std::optional<Settled> InOtherCodec(const Pair& plain, const std::string& family, int device);
  std::vector<Option> StreamsAlike(const Option& stream) const;
  std::optional<Pair> SlowestBeside(const std::vector<Option>& streams, const FamilyOptions& family);
  void NoteCodec(Role role, const std::string& family, const Message& why);
  void ExplainCodecs();
  Message WhyNotStreamed(const std::string& codec) const;
  void TryEncodeEach();
  bool MayGain(const OwnStream& own) const;
  std::vector<OwnStream> ScoutOwnStreams(const Option& one);
  Demand LeastForEach(const Option& one) const;
  EachCandidates CandidatesFor(const OwnStream& own);
  std::vector<EachCandidates> AllCandidates(const std::vector<OwnStream>& streams);
  std::optional<Pair> PlaceEachBeside(const std::vector<EachCandidates>& candidates, const Capacity& capacity) const;
  std::optional<Pair> PlaceEachConfirmed(std::vector<EachCandidates>& candidates, const Capacity& capacity);
  Proving ProveEach(std::vector<EachCandidates>& candidates, const Attempt& one);
  void TakeEach(const Pair& pair);
  Message NearestForEach() const;
  bool must_split() const { return !request_.targets.served.empty(); }
  void ExplainWay();
  void ScoreRecording();
  void ExplainRecording();
  void TellOptions();
  void TellLeftOut();
  void TakeWhatHolds();
  void TellOfTheGamesCard();
  void LookBesides(const Option& stream);

  const PlanRequest& request_;
  TrialBook& book_;
  const std::function<Proof(const Pair&)>& prove_;
  const SearchSpace space_;
  const int grid_;
  OptionBook options_;
  RecordingLevels levels_;
  RecordingLevels found_levels_;  // the last ones, at whatever picture: near what another needs
  PlanStage stage_ = PlanStage::kPicture;
  std::set<PlanStage> left_out_;
  int runs_made_ = 0;                      // by ProveAndLearn
  std::vector<double> real_time_factors_;  // as each of those had it that tells
  std::vector<RecordingWay> failed_ways_;  // that did not hold in real time
  std::set<std::string> failed_codecs_;    // families of other codecs that did not hold as recording in real time
  Refinements refinements_;
  std::set<std::string> refined_in_vain_;  // encoders whose stream no other B-frames and look-ahead made look better
  bool only_one_encode_ = false;           // there is no time to prove another way
  std::map<std::string, std::vector<TriedPicture>>
      own_pictures_;                    // tried, by the first of an own stream's destinations
  std::optional<Option> stream_alone_;  // the best, with no other encode beside it; not set: the recording is given
  Plan plan_;
};

}  // namespace kettle
