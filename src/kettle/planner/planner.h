// SPDX-License-Identifier: Apache-2.0
// How a plan is made, from the stream's picture to the proof. Internal to this room.
#pragma once

#include <functional>
#include <map>
#include <optional>
#include <set>
#include <string>
#include <tuple>
#include <vector>

#include "kettle/draft/plan_draft.h"
#include "kettle/planner/encode_each.h"
#include "kettle/planner/recording_way.h"
#include "kettle/search/refine.h"

namespace kettle {

inline constexpr double kWorthChanging = 0.5;  // points
// Points, by B-frames, look-ahead and passes: about the most that was seen, of shows at random on the simulated laptop.
inline constexpr double kRefiningMayGain = 8;

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
  Planner(const PlanRequest& request, TrialBook& book, const Prove& prove) : draft_(request, book, prove) {}

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

  // make_plan.cc: from the picture to the proof
  void RecallLargest();
  void ProvePictures();  // the best picture, and lighter ones while none holds
  void PlaceAndRefine(bool anew, bool one_encode);
  Proving ProvePlaced(bool last, bool again);
  int RunsForThis();
  Proof ProveAndLearn(const Pair& pair);
  bool ForgetContradicted();
  bool SearchAgain();
  void BelieveWhatHolds();
  void ProveToTheEnd();
  bool LooksBetterThanWhatStands(const Pair& pair) const;
  bool LighterLooksBetter(const Pair& pair) const;
  bool LosesTooMuch(const Pair& pair) const;
  void ConfirmBest();
  bool Confirm(Pair& pair);
  void TellOptions();
  void TakeWhatHolds();
  void LookBesides(const Option& stream);

  // families.cc: the encoders that may be used, asked for what `targets` hold and for the levels known by now
  std::vector<FamilyOptions> FamiliesAt(const Targets& targets);
  Placement PlaceAt(const Targets& targets);
  int RecordingPresets(const std::string& family) const;
  int LikelyToHold(const std::string& family, const std::function<EncodeSettings(int)>& settings) const;
  // Of an encoder at a bit rate, at any size and frame rate, of what keeps pace.
  std::optional<double> BestStreamScore(const EncodeSettings& like) const;

  // refinement.cc: B-frames, look-ahead and passes
  void RefineBest();
  bool Refine(Pair& pair, const Targets& targets);
  std::optional<Pair> BestRefined(const std::vector<Pair>& pairs, const Targets& targets);
  const Option* BestRefinementKnown(const Option& stream) const;
  std::optional<int> MostBFrames(const std::string& encoder, const Targets& targets) const;
  double RefiningMayGain(const EncodeSettings& like) const;

  // stream_alone.cc: what the stream is worth alone, and lighter ones that make room for a recording
  void RefineAlone(Settled& settled);
  void ChoosePictureOf(const EncodeSettings& stream, Targets& targets);
  void MeasureRefinedLighter(const Option& stream);
  std::optional<Pair> BetterKnownAlone(const Pair& one);
  bool MayStream(const Option& option) const;
  const Option* StreamThatLeavesRoom(const Targets& targets);
  void MeasureLighterStreams();
  void AddPicture(const Option& option);

  // recording_ways.cc: how to record, where the show leaves it open
  Placement PlaceBoth();
  Placement PlaceAgain(bool one_encode);
  Placement PlaceStream(const std::vector<TriedPicture>& pictures,
                        const std::function<Placement(const Targets&)>& place, Targets& targets);
  void PlaceAtPicture(const Option& stream, Settled& settled);
  std::vector<RecordingWay> WaysToRecord() const;
  std::optional<Settled> SettleWay(const RecordingWay& way, const EncodeSettings& alone);
  double WorthOf(const Pair& pair) const;
  bool MayLookBetterThanTheStream(const Targets& targets);
  void PreferTheBestRecording(Settled& settled);
  void GuessLevels();
  bool SettleWithSomeEncoder(Settled& settled);
  Placement Take(Settled settled);
  bool TryLighterRecording(const Proving& proving, bool last);

  // recording.cc: the recording's quality level
  bool SettleRecording(double goal, Settled& settled);
  RecordingLevel FindLevelWithSomePreset(EncodeSettings settings, double goal, const Footage& pictures);
  bool IsWhole(const EncodeSettings& recording) const;
  std::optional<Pair> HoldingPreset(const Pair& pair, double goal, const Targets& targets,
                                    const std::function<double(const Option&)>& looks);
  void ScoreRecording();

  // other_codecs.cc: recordings in another codec than H.264
  void TryOtherCodecs();
  std::optional<Settled> InOtherCodec(const Pair& plain, const std::string& family, int device);
  std::vector<Option> StreamsAlike(const Option& stream) const;
  std::optional<Pair> SlowestBeside(const std::vector<Option>& streams, const FamilyOptions& family);

  PlanDraft draft_;
  const Prove prove_ = [this](const Pair& pair) { return draft_.Prove(pair); };
  const PlanRequest& request_ = draft_.request;
  OptionBook& options_ = draft_.options;
  Plan& plan_ = draft_.plan;
  EncodeEachPlanner each_{draft_};
  RecordingLevels levels_;
  RecordingLevels found_levels_;  // the last ones, at whatever picture: near what another needs
  Refinements refinements_;
  std::set<std::string> refined_in_vain_;  // encoders whose stream no other B-frames and look-ahead made look better
  std::optional<Option> stream_alone_;     // the best, with no other encode beside it; not set: the recording is given
  int runs_made_ = 0;                      // by ProveAndLearn
  std::vector<double> real_time_factors_;  // as each of those had it that tells
  std::vector<RecordingWay> failed_ways_;  // that did not hold in real time
  std::set<std::string> failed_codecs_;    // families of other codecs that did not hold as recording in real time
  bool only_one_encode_ = false;           // there is no time to prove another way
};

}  // namespace kettle
