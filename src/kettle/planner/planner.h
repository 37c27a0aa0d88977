// SPDX-License-Identifier: Apache-2.0
// How a plan is made, from the stream's picture to the proof. Internal to this room.
#pragma once

#include <functional>
#include <limits>
#include <map>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "kettle/draft/plan_draft.h"
#include "kettle/planner/encode_each.h"
#include "kettle/planner/recording_way.h"
#include "kettle/search/refinement.h"

namespace kettle {

inline constexpr double kWorthChanging = 0.5;  // points

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
  };

  // make_plan.cc: from the picture to the proof
  void RecallLargest();
  void PlaceAndProve();
  void PlaceAll();
  Proving ProvePlaced(bool last, bool again);
  int RunsForThis();
  Proof ProveAndLearn(const Pair& pair);
  bool ForgetContradicted();
  bool MayStepUp();
  bool LooksBetterThanWhatStands(const Pair& pair) const;
  void ProveToTheEnd();
  bool LosesTooMuch(const Pair& pair) const;
  void ConfirmBest();
  bool Confirm(Pair& pair);
  void TellPictures();
  void TellOptions();
  void TakeWhatHolds();
  void LookBesides(const Option& stream);

  // streams.cc: the stream, alone or beside recordings
  SearchSpace StreamsAlone() const;
  SearchSpace StreamsBeside(const std::vector<Option>& recordings) const;
  std::vector<Option> SearchStreams(const SearchSpace& space, double score_to_beat);
  std::vector<Option> FastestStreams(const SearchSpace& space);
  std::vector<Option> StreamsKnown(const SearchSpace& space, double least) const;
  bool LighterLooksBetter(const Pair& pair) const;
  void GiveUpPicturesAsHeavyAs(const Option& stream);

  // families.cc: the encoders that may be used, asked for what `targets` hold and for the levels known by now
  std::vector<FamilyOptions> FamiliesAt(const Targets& targets);
  Refinement BestRefinement(const EncodeSettings& plain) const;
  int RecordingPresets(const std::string& family) const;
  void TellWhatIsRuledOut(Placement& placement, const Targets& targets);

  // recording_ways.cc: how to record
  Placement PlaceOneEncode(Targets& targets);
  Placement PlaceBeside(Targets& targets, std::optional<FrameRate> stream_rate, double score_to_beat);
  Placement PlaceTheBestRecording(Targets& targets);
  Settled PlaceAsGiven();
  Settled ChooseWay();
  std::vector<RecordingWay> WaysToRecord() const;
  std::optional<Settled> SettleWay(const RecordingWay& way);
  double WorthOf(const Pair& pair) const;
  bool MayLookBetterThanTheStream(const Targets& targets);
  void GuessLevels();
  bool SettleWithSomeEncoder(Settled& settled);
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

  PlanDraft draft_;
  const Prove prove_ = [this](const Pair& pair) { return draft_.Prove(pair); };
  const PlanRequest& request_ = draft_.request;
  OptionBook& options_ = draft_.options;
  Plan& plan_ = draft_.plan;
  EncodeEachPlanner each_{draft_};
  RecordingLevels levels_;
  RecordingLevels found_levels_;        // the last ones, at whatever picture: near what another needs
  std::optional<Option> stream_alone_;  // the best, with no other encode beside it; not set: the recording is given
  double least_pixel_rate_given_up_ = std::numeric_limits<double>::infinity();
  int runs_made_ = 0;                      // by ProveAndLearn
  std::vector<double> real_time_factors_;  // as each of those had it that tells
  std::vector<RecordingWay> failed_ways_;  // that did not hold in real time
  std::set<std::string> failed_codecs_;    // families of other codecs that did not hold as recording in real time
  bool only_one_encode_ = false;           // there is no time to prove another way
};

}  // namespace kettle
