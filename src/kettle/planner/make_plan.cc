// SPDX-License-Identifier: Apache-2.0
#include "kettle/planner/make_plan.h"

#include <algorithm>
#include <set>

#include "kettle/option/option_picks.h"
#include "kettle/placement/sharing.h"
#include "kettle/planner/explain.h"
#include "kettle/planner/nearest.h"
#include "kettle/planner/picture_choice.h"
#include "kettle/planner/planner.h"
#include "kettle/search/picture_search.h"

namespace kettle {

namespace {

constexpr int kMostConfirmed = 3;  // placements whose best pair keeps pace on some footage only
constexpr int kMostRounds = 3;     // of placing and proving, as far as the proof runs allowed go

bool Includes(const std::vector<Attempt>& attempts, const Pair& pair) {
  return std::any_of(attempts.begin(), attempts.end(),
                     [&](const Attempt& attempt) { return SameSettings(attempt.pair, pair); });
}

}  // namespace

Plan Planner::Make() {
  draft_.Begin(PlanStage::kPicture);
  RecallLargest();
  PlaceAndProve();
  TellPictures();
  each_.Try();
  if (!plan_.proving.holds() && !draft_.must_split() && draft_.runs_left() > 0)
    ProveNearest(FamiliesAt(plan_.targets), plan_.capacity, prove_, draft_.one_encode_will_do(), plan_.proving);
  ScoreRecording();
  TellOptions();
  if (plan_.proving.holds())
    TakeWhatHolds();
  else if (plan_.each)
    plan_.nearest = each_.Nearest();
  else
    plan_.nearest = DescribeNearest(plan_.options[static_cast<int>(Role::kStream)],
                                    plan_.options[static_cast<int>(Role::kRecording)], plan_.targets, plan_.capacity,
                                    draft_.one_encode_will_do(), plan_.proving);
  draft_.TellWhatWasLeftOut();
  return std::move(plan_);
}

// Where a lighter recording may be tried after this one, some are kept for it.
int Planner::RunsForThis() {
  constexpr int kAWay = 2;
  if (plan_.placement.feasible.empty()) return draft_.runs_left();
  const Pair& pair = plan_.placement.feasible.front();
  const bool lighter =
      !pair.one_encode && (draft_.RecordingIsFree() || !draft_.IsPlainRecording(pair.recording.settings.encoder));
  return lighter ? std::min(kAWay, std::max(1, draft_.runs_left() - 1)) : draft_.runs_left();
}

void Planner::RecallLargest() {
  EncodeSettings largest = draft_.space.target;
  largest.size = draft_.space.sizes.front();
  largest.frame_rate = draft_.space.rates.front();
  options_.Recall(largest, [this](const std::string& family) { return draft_.space.DeviceOf(family); });
}

// The best line-up by all that is known. Where its encodes keep pace on some footage only, all is placed again.
void Planner::PlaceAll() {
  for (int round = 1; round <= kMostConfirmed; ++round) {
    levels_.clear();
    Settled settled = draft_.RecordingIsFree() || request_.show.recording_is_stream ? ChooseWay() : PlaceAsGiven();
    plan_.targets = std::move(settled.targets);
    plan_.placement = std::move(settled.placement);
    levels_ = std::move(settled.levels);
    plan_.recording_level = std::move(settled.level);
    if (plan_.placement.feasible.empty()) return;
    TryOtherCodecs();
    ConfirmBest();
    if (!plan_.placement.feasible.empty()) return;
  }
}

// `last`: no other picture will be tried. `again`: what holds already stands unless something that looks better holds
// too.
Proving Planner::ProvePlaced(bool last, bool again) {
  draft_.Begin(PlanStage::kProof);
  const double expected = plan_.capacity.real_time_factor;
  Proving proving = ProveBest(
      plan_.placement, FamiliesAt(plan_.targets), plan_.capacity,
      [this](const Pair& pair) { return ProveAndLearn(pair); }, RunsForThis(),
      [&](const Pair& pair) {
        return again ? LooksBetterThanWhatStands(pair) : last || (!LighterLooksBetter(pair) && !LosesTooMuch(pair));
      },
      // By what was learnt all is placed anew.
      [&] { return last || plan_.capacity.real_time_factor <= expected; });
  plan_.proving.attempts.insert(plan_.proving.attempts.end(), proving.attempts.begin(), proving.attempts.end());
  plan_.proving.LetBestStand(plan_.capacity);
  return proving;
}

void Planner::PlaceAndProve() {
  Settled settled{plan_.targets, {}, {}, {}};
  bool stepped_up = false;
  for (int round = 1;; ++round) {
    const double expected = plan_.capacity.real_time_factor;
    PlaceAll();
    const std::vector<Pair>& feasible = plan_.placement.feasible;
    if (feasible.empty() && !stepped_up && !plan_.proving.attempts.empty()) {
      // By what the run took nothing fits: runs of lighter pictures tell more.
      plan_.capacity = draft_.CapacityAsAsked();
      GiveUpPicturesAsHeavyAs(plan_.proving.attempts.back().pair.stream);
      PlaceAll();
    }
    if (stepped_up && (feasible.empty() || !LooksBetterThanWhatStands(feasible.front()))) break;
    if (feasible.empty()) plan_.capacity = draft_.CapacityAsAsked();  // what is nearest is told by what trials say
    const bool last = round >= kMostRounds;
    const Proving proving = ProvePlaced(last, stepped_up);
    // The reasons told are those of the round that the attempt that stands is of.
    if (round == 1 || (!proving.attempts.empty() && Includes(proving.attempts, plan_.proving.attempts.back().pair)))
      settled = {plan_.targets, plan_.placement, levels_, plan_.recording_level};
    if (stepped_up || draft_.runs_left() <= 0) break;
    if (plan_.verdict() == PlanVerdict::kHolds) {
      if (!MayStepUp()) break;
      stepped_up = true;
      continue;
    }
    if (last || proving.attempts.empty()) break;
    if (plan_.capacity.real_time_factor <= expected && !TryLighterRecording(proving, round + 1 == kMostRounds))
      GiveUpPicturesAsHeavyAs(proving.attempts.front().pair.stream);
  }
  ProveToTheEnd();
  plan_.targets = std::move(settled.targets);
  plan_.placement = std::move(settled.placement);
  levels_ = std::move(settled.levels);
  plan_.recording_level = std::move(settled.level);
}

// The machine may have been slow for the length of one run, with nothing to show for it. A run that foretold much more
// than the one that stands took is no longer believed; false if there is none.
bool Planner::ForgetContradicted() {
  constexpr double kContradicts = 1.25;
  const auto stands = plan_.proving.attempts.back().OwnRealTimeFactor(plan_.capacity);
  if (!stands) return false;
  double kept = draft_.CapacityAsAsked().real_time_factor;
  for (const double factor : real_time_factors_)
    if (factor <= *stands * kContradicts) kept = std::max(kept, factor);
  if (kept >= plan_.capacity.real_time_factor) return false;
  plan_.capacity.real_time_factor = kept;
  return true;
}

// After a run that holds, the machine's speed is better known, and what encodes take together: by what that run took,
// where that was less than foretold, but for no less than trials tell. True if by that something looks better than what
// stands. Where nothing has changed, it costs no trial.
bool Planner::MayStepUp() {
  const Attempt& stands = plan_.proving.attempts.back();
  const bool contradicted = ForgetContradicted();
  if (request_.time.limited()) return contradicted;
  const double foretold = plan_.capacity.real_time_factor;
  if (const auto took = stands.OwnRealTimeFactor(plan_.capacity))
    plan_.capacity.real_time_factor = std::clamp(*took, 1.0, foretold);
  const Pair& pair = stands.pair;
  draft_.Begin(PlanStage::kPlacement);
  const double least = pair.stream.score + kWorthChanging;
  const std::vector<Option> streams =
      SearchStreams(pair.one_encode ? StreamsAlone() : StreamsBeside({pair.recording}), least);
  if (!streams.empty() && streams.front().score > least) return true;
  plan_.capacity.real_time_factor = foretold;
  return contradicted;
}

bool Planner::LooksBetterThanWhatStands(const Pair& pair) const {
  const Pair& stands = plan_.proving.attempts.back().pair;
  return pair.stream.score > stands.stream.score + kWorthChanging ||
         (pair.stream.score >= stands.stream.score && pair.recording.score > stands.recording.score + kWorthChanging);
}

// What stands for want of anything with more room must not rest on a run that ended early.
void Planner::ProveToTheEnd() {
  std::vector<Attempt>& attempts = plan_.proving.attempts;
  while (!attempts.empty() && attempts.back().proof.ended_early && attempts.back().proof.kept_pace()) {
    Pair pair = attempts.back().pair;
    attempts.pop_back();  // the whole run takes its place
    Proof proof = draft_.Prove(pair);
    attempts.push_back({std::move(pair), std::move(proof)});
    if (!attempts.back().proof.holds()) plan_.proving.LetBestStand(plan_.capacity);
  }
}

// What a run took more than its trials say, all later predictions count: what is placed next is the best of what fits
// by them. A recording in another codec is no measure for the others.
Proof Planner::ProveAndLearn(const Pair& pair) {
  const bool others_left = ++runs_made_ < request_.most_proofs;
  Proof proof = others_left ? draft_.ProveUntilTooMuch(pair) : draft_.Prove(pair);
  if (pair.one_encode || draft_.IsPlainRecording(pair.recording.settings.encoder)) {
    const Attempt attempt{pair, proof};
    if (const auto factor = attempt.OwnRealTimeFactor(plan_.capacity)) real_time_factors_.push_back(*factor);
    plan_.capacity.real_time_factor = attempt.RealTimeFactor(plan_.capacity);
  }
  if (const Attempt attempt{pair, proof}; proof.holds() && attempt.has_room(plan_.capacity))
    options_.NoteProven(pair.stream.settings);
  return proof;
}

// With a lighter recording to go to: the stream must not pay for this one.
bool Planner::LosesTooMuch(const Pair& pair) const {
  return stream_alone_ && !pair.one_encode && request_.show.favour == Favour::kStream &&
         pair.stream.score < stream_alone_->score - request_.show.stream_gives;
}

// The best pair keeps pace on all footage: what was left out as easier is measured now.
void Planner::ConfirmBest() {
  std::vector<Pair>& feasible = plan_.placement.feasible;
  while (!feasible.empty() && !Confirm(feasible.front())) feasible.erase(feasible.begin());
}

bool Planner::Confirm(Pair& pair) {
  pair.Stream(options_.MeasureEverywhere(pair.stream.settings));
  if (!pair.one_encode) pair.recording = options_.MeasureEverywhere(pair.recording.settings);
  pair.demand = DemandOf(pair, plan_.capacity);
  const double headroom = options_.required_headroom();
  return pair.demand.fits && pair.stream.keeps_pace(headroom) && pair.recording.keeps_pace(headroom);
}

// What was tried for the stream, and why the one that was taken was.
void Planner::TellPictures() {
  if (!draft_.PictureIsOpen()) return;
  plan_.pictures = KnownPictures(StreamsAlone(), options_);
  const std::vector<Attempt>& attempts = plan_.proving.attempts;
  if (attempts.empty()) return;
  const Pair& pair = attempts.back().pair;
  const auto taken = std::find_if(plan_.pictures.begin(), plan_.pictures.end(), [&](const TriedPicture& tried) {
    return tried.size == pair.stream.settings.size && tried.rate == pair.stream.settings.frame_rate;
  });
  if (taken == plan_.pictures.end()) return;
  const Message why = taken == plan_.pictures.begin() ? Message{"picture.best"}
                : attempts.size() > 1           ? Message{"picture.best-in-real-time"}
                                                : Message{"picture.best-beside-recording"};
  ChoosePicture(plan_.pictures, *taken, why, plan_.targets);
}

void Planner::TellOptions() {
  const std::vector<Option> measured = options_.options();
  plan_.trials = options_.trials();
  for (const Option& option : measured) plan_.simulated = plan_.simulated || option.simulated;
  plan_.options[static_cast<int>(Role::kStream)] = OfRole(measured, plan_.targets.stream);
  if (plan_.proving.holds() && plan_.proving.attempts.back().pair.one_encode) return;
  std::vector<Option>& recording = plan_.options[static_cast<int>(Role::kRecording)];
  recording = OfRole(measured, plan_.targets.recording);
  for (const auto& [family, level] : levels_)
    for (Option& option : OfRole(measured, AtLevel(plan_.targets.recording, level)))
      recording.push_back(std::move(option));
}

void Planner::TakeWhatHolds() {
  if (draft_.runs_left() > 0)
    plan_.other_sharing = TryDivided(request_.processors, plan_.capacity, prove_, plan_.proving);
  plan_.chosen = plan_.proving.attempts.back().pair;
  const Option& stream = plan_.chosen->stream;
  for (TriedPicture& picture : plan_.pictures)
    if (picture.size == stream.settings.size && picture.rate == stream.settings.frame_rate)
      picture = {picture.size, picture.rate, stream};
  SortByLooks(plan_.pictures);
  plan_.runner_up = RunnerUp(options_.options(), stream, plan_.capacity.headroom);
  ExplainWay(draft_);
  ExplainRecordingLevel(plan_);
  ExplainCodecs(draft_, failed_codecs_);
  if (auto warning = LittleForItsSize(stream.settings, !request_.show.stream_size))
    plan_.targets.warnings.push_back(std::move(*warning));
  if (auto warning = UnevenPictures(request_.show.source_rate, stream.settings.frame_rate))
    plan_.targets.warnings.push_back(std::move(*warning));
  ExplainCostToTheGame(plan_);
  draft_.Begin(PlanStage::kBesides);
  LookBesides(stream);
}

// What else a streamer may want to know of the choice.
void Planner::LookBesides(const Option& stream) {
  if (!draft_.MayGoOn(PlanStage::kBesides)) return;
  const std::string hardest = HardestClip(stream);
  const Targets& targets = plan_.targets;
  const auto& sizes = targets.sizes.size() > 1 ? targets.sizes : targets.taken_sizes;
  const auto& rates = targets.rates.size() > 1 ? targets.rates : targets.taken_rates;
  for (const Footage& pictures : request_.footage)
    if (pictures.label == hardest)
      plan_.ladder = UplinkLadder(stream, pictures, plan_.capacity.headroom, draft_.book, sizes, rates);
}

Plan MakePlan(const PlanRequest& request, TrialBook& book, const Prove& prove) {
  return Planner(request, book, prove).Make();
}

}  // namespace kettle
