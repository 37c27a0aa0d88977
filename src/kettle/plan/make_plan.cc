// SPDX-License-Identifier: Apache-2.0
// Makes a plan: search, placement, proof, and the reasons of what is taken.
#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>
#include <tuple>

#include "kettle/encoders/catalogue.h"
#include "kettle/option/option_picks.h"
#include "kettle/placement/sharing.h"
#include "kettle/plan/nearest.h"
#include "kettle/plan/picture_choice.h"
#include "kettle/plan/plan.h"
#include "kettle/search/finalists.h"
#include "kettle/search/refine.h"
#include "kettle/units/error.h"

namespace kettle {

namespace {

// Quality levels found for the recording, by family; none yet: its target's bit rate rules.
using RecordingLevels = std::map<std::string, int>;

constexpr int kMostPictures = 3;        // placed and proven, as far as the proof runs allowed go
constexpr double kNearEnough = 2;       // points, to the recording's goal
constexpr double kWorthChanging = 0.5;  // points

bool IsHeavier(const EncodeSettings& a, const EncodeSettings& b) {
  const auto pixel_rate = [](const EncodeSettings& s) {
    return static_cast<double>(s.size.pixels()) * s.frame_rate.fps();
  };
  return pixel_rate(a) >= pixel_rate(b) && a.bit_rate >= b.bit_rate;
}

bool IsOf(const Pair& pair, const EncodeSettings& picture) {
  return pair.stream.settings.size == picture.size && pair.stream.settings.frame_rate == picture.frame_rate;
}

// What was aimed at when the attempt that stands was made.
struct Settled {
  Targets targets;
  Placement placement;
};

// What the recording's reasons say once its level is known, or why it is not.
void ExplainRecording(const Plan& plan, Targets& targets) {
  if (!plan.recording_level) return;
  const RecordingLevel& found = *plan.recording_level;
  const EncodeSettings& settings = plan.chosen->recording.settings;
  if (settings.rate_control != RateControl::kConstantQuality) {
    targets.warnings.push_back(
        Message{"recording-level.missed",
                {{"goal", found.goal},
                 {"why", found.trouble.empty() ? Message{"recording-level.failed-proof"} : found.trouble}}});
    return;
  }
  std::vector<Message> tried;
  for (const RecordingLevel::Step& step : found.steps)
    tried.push_back(Message{"recording-level.step", {{"level", step.level}, {"score", step.score}}});
  Explain(targets,
          {"recording.rate_control", Name(settings.rate_control), Message{"recording-level.constant-quality"}, true});
  Explain(
      targets,
      {"recording.quality_level", fmt::format("{}", *settings.quality_level),
       Message{"recording-level.found", {{"footage", found.footage}, {"goal", found.goal}, {"tried", tried}}}, true});
  Explain(targets, {"recording.bit_rate", fmt::format("{:.0f} kbit/s", plan.chosen->recording.mean_kbps),
                    Message{"recording-level.measured-rate"}, true});
}

class Planner {
 public:
  Planner(const PlanRequest& request, TrialBook& book, const std::function<Proof(const Pair&)>& prove)
      : request_(request),
        book_(book),
        prove_(prove),
        space_(SpaceOf(request.targets, request.families)),
        grid_(CountGrid()),
        options_(book, request.footage, request.capacity.headroom, grid_ / 2,
                 {[this](const EncodeSettings& settings) { return MayMeasure(settings); }, [this] { Tell(); }},
                 request.calm) {
    plan_.title = request.show.title;
    plan_.container = request.show.recording_container;
    plan_.recording_hours = request.show.recording_hours;
    plan_.under_load = !request.show.load.empty();
    plan_.targets = request.targets;
    plan_.capacity = request.capacity;
    plan_.first = request.show.first;
    plan_.grid = grid_;
  }

  Plan Make() {
    Begin(PlanStage::kPicture);
    RecallLargest();
    if (space_.sizes.size() * space_.rates.size() > 1)
      plan_.pictures = RankFinalists(SearchPicture(space_, options_), options_);
    ProvePictures();
    if (!plan_.proving.holds() && runs_left() > 0)
      ProveNearest(FamiliesAt(plan_.targets), plan_.capacity, prove_, plan_.proving);
    TellOptions();
    if (plan_.proving.holds())
      TakeWhatHolds();
    else
      plan_.nearest = DescribeNearest(plan_.options[static_cast<int>(Role::kStream)],
                                      plan_.options[static_cast<int>(Role::kRecording)], plan_.targets, plan_.capacity,
                                      plan_.proving);
    TellLeftOut();
    return std::move(plan_);
  }

 private:
  int CountGrid() const;
  // The encoders that may be used, asked for what `targets` hold and for the levels known by now.
  std::vector<FamilyOptions> FamiliesAt(const Targets& targets);
  Placement PlaceAt(const Targets& targets) {
    return Place(FamiliesAt(targets), plan_.capacity, IsHeavier(targets.recording, targets.stream));
  }
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
  void RecallLargest() {
    EncodeSettings largest = space_.target;
    largest.size = space_.sizes.front();
    largest.frame_rate = space_.rates.front();
    options_.Recall(largest);
  }
  void ProvePictures();  // the best picture, and lighter ones while none holds
  bool LighterLooksBetter(const Pair& pair) const;
  void RefineBest();
  void SettleRecording(double goal);
  std::optional<Pair> HoldingPreset(const Pair& pair, double goal);
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

int Planner::runs_left() {
  const int left = request_.most_proofs - static_cast<int>(plan_.proving.attempts.size());
  return left <= 0 || plan_.proving.attempts.empty() || MayGoOn(PlanStage::kProof) ? left : 0;
}

void Planner::Tell() const {
  if (!request_.watch) return;
  PlanStatus status{stage_, options_.trials_left(), std::nullopt};
  const EncodeSettings& asked = request_.targets.stream;
  for (const Option& option : options_.options())
    if (option.measured && option.keeps_pace(options_.required_headroom()) && option.scored() &&
        option.settings.rate_control == asked.rate_control && option.settings.bit_rate == asked.bit_rate &&
        (!status.best || option.score > status.best->score))
      status.best = option;
  if (!plan_.placement.feasible.empty()) status.best = plan_.placement.feasible.front().stream;
  request_.watch(status);
}

int Planner::CountGrid() const {
  const Targets& targets = request_.targets;
  const SearchSpace recording{
      targets.recording, {targets.recording.size}, {targets.recording.frame_rate}, request_.families};
  int grid = GridSize(space_, request_.footage.size()) + GridSize(recording, request_.footage.size());
  if (request_.show.recording_score) grid += GridSize(recording, request_.footage.size());  // at its level too
  // Of further cards, both encodes at the picture chosen.
  for (const std::string& family : request_.families)
    if (const auto several = request_.devices.find(family); several != request_.devices.end())
      grid += (several->second - 1) * 2 * static_cast<int>(FindFamily(family).presets.size() * request_.footage.size());
  return grid;
}

std::vector<FamilyOptions> Planner::FamiliesAt(const Targets& targets) {
  std::vector<FamilyOptions> families;
  for (const std::string& name : request_.families) {
    const auto several = request_.devices.find(name);
    const auto sessions = request_.sessions.find(name);
    for (int device = 0; device < (several == request_.devices.end() ? 1 : several->second); ++device) {
      const auto settings = [stream = targets.stream, recording = targets.recording, levels = levels_, name, device](
                                Role role, int preset) {
        EncodeSettings asked = WithEncoder(role == Role::kStream ? stream : recording, name,
                                           FindFamily(name).presets.at(static_cast<std::size_t>(preset)));
        asked.device = device;
        const auto level = levels.find(name);
        return role == Role::kRecording && level != levels.end() ? AtLevel(asked, level->second) : asked;
      };
      families.push_back(
          {name, static_cast<int>(FindFamily(name).presets.size()),
           [&options = options_, settings](Role role, int preset) {
             return role == Role::kStream ? options.MeasureWhole(settings(role, preset))
                                          : options.Measure(settings(role, preset));
           },
           [&options = options_, settings](Role role, int preset) { return options.Known(settings(role, preset)); },
           device, sessions == request_.sessions.end() ? 0 : sessions->second});
    }
  }
  return families;
}

void Planner::ProvePictures() {
  Settled settled{plan_.targets, {}};
  for (int round = 1; round <= kMostPictures; ++round) {
    Begin(PlanStage::kPlacement);
    plan_.placement = round == 1 ? PlaceBestPicture(
                                       plan_.pictures, [&](const Targets& at) { return PlaceAt(at); }, plan_.targets)
                                 : PlaceAt(plan_.targets);
    if (!plan_.placement.feasible.empty()) RefineBest();
    Begin(PlanStage::kProof);
    const auto worth_it = [&](const Pair& pair) { return round == kMostPictures || !LighterLooksBetter(pair); };
    const Proving proving =
        ProveBest(plan_.placement, FamiliesAt(plan_.targets), plan_.capacity, prove_, runs_left(), worth_it);
    plan_.proving.attempts.insert(plan_.proving.attempts.end(), proving.attempts.begin(), proving.attempts.end());
    plan_.proving.LetBestStand(plan_.capacity);
    // The reasons told are those of the picture that the attempt that stands is of.
    if (round == 1 || (!proving.attempts.empty() && IsOf(plan_.proving.attempts.back().pair, plan_.targets.stream)))
      settled = {plan_.targets, plan_.placement};
    const TriedPicture* lighter = LighterPicture(plan_.pictures, plan_.targets.stream);
    if (plan_.verdict() == PlanVerdict::kHolds || !lighter || round == kMostPictures || runs_left() <= 0) break;
    ChoosePicture(plan_.pictures, *lighter, Message{"picture.best-in-real-time"}, plan_.targets);
  }
  plan_.targets = settled.targets;
  plan_.placement = settled.placement;
}

// Whether a lighter picture, at the fastest preset that was measured there, looks better than this pair's stream.
bool Planner::LighterLooksBetter(const Pair& pair) const {
  const TriedPicture* lighter = LighterPicture(plan_.pictures, plan_.targets.stream);
  if (!lighter) return false;
  const Option* fastest = nullptr;
  for (const Option& option : options_.options())
    if (option.settings.size == lighter->size && option.settings.frame_rate == lighter->rate && option.scored() &&
        option.settings.encoder == lighter->best->settings.encoder &&
        option.settings.bit_rate == lighter->best->settings.bit_rate && option.keeps_pace(plan_.capacity.headroom) &&
        (!fastest || option.throughput_fps > fastest->throughput_fps))
      fastest = &option;
  return fastest && fastest->busiest_score() > pair.stream.busiest_score() + kWorthChanging;
}

void Planner::RefineBest() {
  Begin(PlanStage::kRefinement);
  std::vector<Pair>& feasible = plan_.placement.feasible;
  const Pair refined = RefineStream(feasible.front(), plan_.capacity, options_, plan_.targets.most_b_frames);
  if (!SameSettings(refined, feasible.front())) feasible.insert(feasible.begin(), refined);
  if (request_.show.recording_score) SettleRecording(*request_.show.recording_score);
}

// Replaces the rule's bit rate of the best pair's recording by the level that reaches the goal. Where no preset holds
// with it the rule stands.
void Planner::SettleRecording(double goal) {
  Begin(PlanStage::kRecordingLevel);
  const Pair pair = plan_.placement.feasible.front();
  const std::string& family = pair.recording.settings.encoder;
  const std::string hardest = HardestClip(pair.recording);
  const auto footage = std::find_if(request_.footage.begin(), request_.footage.end(),
                                    [&](const Footage& pictures) { return pictures.label == hardest; });
  if (footage == request_.footage.end()) return;
  plan_.recording_level = FindRecordingLevel(pair.recording.settings, goal, *footage, book_,
                                             [this] { return MayGoOn(PlanStage::kRecordingLevel); });
  RecordingLevel& found = *plan_.recording_level;
  if (!found.level) return;
  levels_[family] = *found.level;
  if (const std::optional<Pair> settled = HoldingPreset(pair, goal)) {
    plan_.placement.feasible.insert(plan_.placement.feasible.begin(), *settled);
    return;
  }
  levels_.erase(family);
  found.trouble = Message{"recording-level.too-heavy", {{"level", *found.level}, {"encoder", family}}};
  found.level.reset();
}

// The pair with its recording at the level known by now: with the slowest preset, from the pair's own on, that holds
// beside the stream and reaches the goal too, near enough.
std::optional<Pair> Planner::HoldingPreset(const Pair& pair, double goal) {
  const EncodeSettings& ruled = pair.recording.settings;
  const std::vector<FamilyOptions> families = FamiliesAt(plan_.targets);
  const auto family = std::find_if(families.begin(), families.end(), [&](const FamilyOptions& f) {
    return f.family == ruled.encoder && f.device == ruled.device;
  });
  const auto& presets = FindFamily(ruled.encoder).presets;
  for (auto preset = std::find(presets.begin(), presets.end(), ruled.preset) - presets.begin(); preset >= 0; --preset) {
    Pair settled{pair.stream, family->measure(Role::kRecording, static_cast<int>(preset)), {}};
    settled.demand = PredictDemand(settled.stream, settled.recording, plan_.capacity);
    if (!settled.recording.keeps_pace(options_.required_headroom()) || !settled.demand.fits) continue;
    if (settled.recording.score < goal - kNearEnough && preset > 0) continue;
    return settled;
  }
  return std::nullopt;
}

void Planner::TellOptions() {
  const std::vector<Option> measured = options_.options();
  plan_.trials = options_.trials();
  for (const Option& option : measured) plan_.simulated = plan_.simulated || option.simulated;
  plan_.options[static_cast<int>(Role::kStream)] = OfRole(measured, plan_.targets.stream);
  std::vector<Option>& recording = plan_.options[static_cast<int>(Role::kRecording)];
  recording = OfRole(measured, plan_.targets.recording);
  for (const auto& [family, level] : levels_)
    for (Option& option : OfRole(measured, AtLevel(plan_.targets.recording, level)))
      recording.push_back(std::move(option));
}

void Planner::TellLeftOut() {
  std::vector<Message> parts;
  for (const PlanStage stage : left_out_) switch (stage) {
      case PlanStage::kPicture: parts.push_back(Message{"time-budget.picture"}); break;
      case PlanStage::kPlacement: parts.push_back(Message{"time-budget.placement"}); break;
      case PlanStage::kRefinement: parts.push_back(Message{"time-budget.refinement"}); break;
      case PlanStage::kRecordingLevel: parts.push_back(Message{"time-budget.recording-level"}); break;
      case PlanStage::kProof: parts.push_back(Message{"time-budget.proof"}); break;
      case PlanStage::kBesides: parts.push_back(Message{"time-budget.besides"}); break;
    }
  if (!parts.empty()) plan_.targets.warnings.push_back(Message{"time-budget.left-out", {{"parts", parts}}});
}

void Planner::TakeWhatHolds() {
  if (runs_left() > 0) plan_.other_sharing = TryDivided(request_.processors, plan_.capacity, prove_, plan_.proving);
  plan_.chosen = plan_.proving.attempts.back().pair;
  const Option& stream = plan_.chosen->stream;
  plan_.runner_up = RunnerUp(options_.options(), stream, plan_.capacity.headroom);
  ExplainRecording(plan_, plan_.targets);
  if (auto warning = LittleForItsSize(stream.settings, !request_.show.stream_size))
    plan_.targets.warnings.push_back(std::move(*warning));
  if (auto warning = UnevenPictures(request_.show.source_rate, stream.settings.frame_rate))
    plan_.targets.warnings.push_back(std::move(*warning));
  Begin(PlanStage::kBesides);
  LookBesides(stream);
}

// What else a streamer may want to know of the choice.
void Planner::LookBesides(const Option& stream) {
  if (!MayGoOn(PlanStage::kBesides)) return;
  const std::string hardest = HardestClip(stream);
  for (const Footage& pictures : request_.footage) {
    if (pictures.label != hardest) continue;
    plan_.ladder = UplinkLadder(stream, pictures, plan_.capacity.headroom, book_, plan_.targets.taken_sizes,
                                plan_.targets.taken_rates);
    plan_.each = WeighEncodeEach(*plan_.chosen, plan_.targets.budget, pictures, plan_.capacity, book_);
  }
}

}  // namespace

Plan MakePlan(const PlanRequest& request, TrialBook& book, const std::function<Proof(const Pair&)>& prove) {
  return Planner(request, book, prove).Make();
}

}  // namespace kettle
