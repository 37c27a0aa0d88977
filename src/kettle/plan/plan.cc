// SPDX-License-Identifier: Apache-2.0
#include "kettle/plan/plan.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <tuple>

#include "kettle/encoders/catalogue.h"
#include "kettle/placement/sharing.h"
#include "kettle/plan/nearest.h"
#include "kettle/plan/picture_choice.h"
#include "kettle/search/refine.h"
#include "kettle/units/error.h"

namespace kettle {

namespace {

bool InCatalogueOrder(const Option& a, const Option& b) {
  const auto place = [](const Option& option) {
    const EncoderFamily& family = FindFamily(option.settings.encoder);
    const auto preset = std::find(family.presets.begin(), family.presets.end(), option.settings.preset);
    return std::make_tuple(family.device, option.settings.device, preset - family.presets.begin());
  };
  return place(a) < place(b);
}

bool IsHeavier(const EncodeSettings& a, const EncodeSettings& b) {
  const auto pixel_rate = [](const EncodeSettings& s) {
    return static_cast<double>(s.size.pixels()) * s.frame_rate.fps();
  };
  return pixel_rate(a) >= pixel_rate(b) && a.bit_rate >= b.bit_rate;
}

}  // namespace

std::vector<Option> KnownOptions(const TrialBook& book, const EncodeSettings& target,
                                 const std::vector<Footage>& footage) {
  std::vector<Option> options;
  for (const EncoderFamily& family : Catalogue())
    for (const std::string& preset : family.presets) {
      const EncodeSettings settings = WithEncoder(target, family.name, preset);
      std::vector<Trial> trials;
      for (const Trial& trial : book.trials())
        if (trial.settings == settings && std::any_of(footage.begin(), footage.end(), [&](const Footage& pictures) {
              return pictures.key() == trial.footage_key;
            }))
          trials.push_back(trial);
      if (!trials.empty()) options.push_back(MakeOption(trials, trials.size() == footage.size()));
    }
  return options;
}

namespace {

// Quality levels found for the recording, by family; none yet: its target's bit rate rules.
using RecordingLevels = std::map<std::string, int>;

std::vector<FamilyOptions> Families(const PlanRequest& request, const Targets& targets, const RecordingLevels& levels,
                                    OptionBook& options) {
  std::vector<FamilyOptions> families;
  for (const std::string& name : request.families) {
    const auto several = request.devices.find(name);
    const auto sessions = request.sessions.find(name);
    for (int device = 0; device < (several == request.devices.end() ? 1 : several->second); ++device) {
      const auto settings = [&targets, &levels, name, device](Role role, int preset) {
        EncodeSettings asked = WithEncoder(role == Role::kStream ? targets.stream : targets.recording, name,
                                           FindFamily(name).presets.at(static_cast<std::size_t>(preset)));
        asked.device = device;
        const auto level = levels.find(name);
        return role == Role::kRecording && level != levels.end() ? AtLevel(asked, level->second) : asked;
      };
      families.push_back(
          {name, static_cast<int>(FindFamily(name).presets.size()),
           [&options, settings](Role role, int preset) { return options.Measure(settings(role, preset)); },
           [&options, settings](Role role, int preset) { return options.Known(settings(role, preset)); }, device,
           sessions == request.sessions.end() ? 0 : sessions->second});
    }
  }
  return families;
}

// Those of `options` that were measured for one role: whatever encoder and preset, at its size and rates.
std::vector<Option> OfRole(const std::vector<Option>& options, const EncodeSettings& target) {
  std::vector<Option> result;
  for (const Option& option : options) {
    EncodeSettings asked = WithEncoder(target, option.settings.encoder, option.settings.preset);
    asked.device = option.settings.device;
    if (asked == option.settings) result.push_back(option);
  }
  std::sort(result.begin(), result.end(), InCatalogueOrder);
  return result;
}

}  // namespace

namespace {

bool SameButExtras(const EncodeSettings& a, const EncodeSettings& b) {
  return a.encoder == b.encoder && a.preset == b.preset && a.size == b.size && a.frame_rate == b.frame_rate;
}

// The footage on which it looks worst.
std::string HardestClip(const Option& option) {
  const auto worst = std::min_element(option.clips.begin(), option.clips.end(),
                                      [](const ClipResult& a, const ClipResult& b) { return a.score < b.score; });
  return worst == option.clips.end() ? "" : worst->footage;
}

// Replaces the rule's bit rate of the best pair's recording by the level that reaches the goal, with the slowest
// preset, from the pair's own on, that holds beside the stream and reaches it too, near enough. Where none does the
// rule stands.
constexpr double kNearEnoughDb = 0.5;
void SettleRecording(double goal_db, const std::vector<FamilyOptions>& families, const PlanRequest& request,
                     OptionBook& options, TrialBook& book, RecordingLevels& levels, Plan& plan) {
  const Pair& pair = plan.placement.feasible.front();
  const Option& ruled = pair.recording;
  const std::string hardest = HardestClip(ruled);
  const auto footage = std::find_if(request.footage.begin(), request.footage.end(),
                                    [&](const Footage& pictures) { return pictures.label == hardest; });
  if (footage == request.footage.end()) return;
  plan.recording_level = FindRecordingLevel(ruled.settings, goal_db, *footage, book);
  RecordingLevel& found = *plan.recording_level;
  if (!found.level) return;
  levels[ruled.settings.encoder] = *found.level;
  const auto family = std::find_if(families.begin(), families.end(), [&](const FamilyOptions& f) {
    return f.family == ruled.settings.encoder && f.device == ruled.settings.device;
  });
  const auto& presets = FindFamily(ruled.settings.encoder).presets;
  for (auto preset = std::find(presets.begin(), presets.end(), ruled.settings.preset) - presets.begin(); preset >= 0;
       --preset) {
    Pair settled{pair.stream, family->measure(Role::kRecording, static_cast<int>(preset)), {}};
    settled.demand = PredictDemand(settled.stream, settled.recording, plan.capacity);
    if (!settled.recording.keeps_pace(options.required_headroom()) || !settled.demand.fits) continue;
    if (settled.recording.score < goal_db - kNearEnoughDb && preset > 0) continue;
    plan.placement.feasible.insert(plan.placement.feasible.begin(), settled);
    return;
  }
  levels.erase(ruled.settings.encoder);
  found.trouble = fmt::format("level {} reaches it, but holds beside the stream with no preset of {}", *found.level,
                              ruled.settings.encoder);
  found.level.reset();
}

// What the recording's reasons say once its level is known, or why it is not.
void ExplainRecording(const Plan& plan, Targets& targets) {
  if (!plan.recording_level) return;
  const RecordingLevel& found = *plan.recording_level;
  const EncodeSettings& settings = plan.chosen->recording.settings;
  if (settings.rate_control != RateControl::kConstantQuality) {
    targets.warnings.push_back(
        fmt::format("the recording's {:g} dB were not reached: {}; its bit rate goes by the rule", found.goal_db,
                    found.trouble.empty() ? "the placement with its level failed the proof run" : found.trouble));
    return;
  }
  std::string tried;
  for (const RecordingLevel::Step& step : found.steps)
    tried += fmt::format("{}{}: {:.1f} dB", tried.empty() ? "" : ", ", step.level, step.score_db);
  Explain(targets, {"recording.rate_control", Name(settings.rate_control),
                    "a disk takes bursts that a line does not: each scene gets what it needs", true});
  Explain(targets, {"recording.quality_level", fmt::format("{}", *settings.quality_level),
                    fmt::format("searched on {}: the recording shall look like {:g} dB MS-SSIM ({})", found.footage,
                                found.goal_db, tried),
                    true});
  Explain(targets, {"recording.bit_rate", fmt::format("{:.0f} kbit/s", plan.chosen->recording.mean_kbps),
                    "measured on the clip that takes most, in its busiest stretch", true});
}

// The best looking stream option with another encoder, preset, size or frame rate.
std::optional<Option> RunnerUp(const std::vector<Option>& options, const Option& chosen, double headroom) {
  std::optional<Option> best;
  for (const Option& option : options)
    if (!SameButExtras(option.settings, chosen.settings) &&
        option.settings.rate_control == chosen.settings.rate_control &&
        option.settings.bit_rate == chosen.settings.bit_rate && option.keeps_pace(headroom) &&
        (!best || option.score > best->score))
      best = option;
  return best;
}

}  // namespace

BitRate Plan::recording_rate() const {
  if (!chosen) return {};
  const Option& recording = chosen->recording;
  return IsQuality(recording.settings.rate_control) ? BitRate::FromKbps(std::ceil(recording.mean_kbps))
                                                    : recording.settings.bit_rate;
}

namespace {

bool IsOf(const Pair& pair, const EncodeSettings& picture) {
  return pair.stream.settings.size == picture.size && pair.stream.settings.frame_rate == picture.frame_rate;
}

// What was aimed at when the attempt that stands was made.
struct Settled {
  Targets targets;
  Placement placement;
};

}  // namespace

SearchSpace SpaceOf(const Targets& targets, const std::vector<std::string>& families) {
  SearchSpace space{targets.stream, targets.sizes, targets.rates, families};
  if (space.sizes.empty()) space.sizes = {targets.stream.size};
  if (space.rates.empty()) space.rates = {targets.stream.frame_rate};
  return space;
}

Plan MakePlan(const PlanRequest& request, TrialBook& book, const std::function<Proof(const Pair&)>& prove) {
  constexpr int kMostPictures = 3;  // placed and proven, as far as the proof runs allowed go
  Plan plan;
  plan.title = request.show.title;
  plan.targets = request.targets;
  plan.capacity = request.capacity;
  plan.first = request.show.first;
  const SearchSpace space = SpaceOf(plan.targets, request.families);
  const SearchSpace recording{
      plan.targets.recording, {plan.targets.recording.size}, {plan.targets.recording.frame_rate}, request.families};
  plan.grid = GridSize(space, request.footage.size()) + GridSize(recording, request.footage.size());
  if (request.show.recording_score_db) plan.grid += GridSize(recording, request.footage.size());  // at its level too
  // Of further cards, both encodes at the picture chosen.
  for (const std::string& family : request.families)
    if (const auto several = request.devices.find(family); several != request.devices.end())
      plan.grid +=
          (several->second - 1) * 2 * static_cast<int>(FindFamily(family).presets.size() * request.footage.size());
  OptionBook options(book, request.footage, plan.capacity.headroom, plan.grid / 2);
  RecordingLevels levels;
  const std::vector<FamilyOptions> families = Families(request, plan.targets, levels, options);

  if (space.sizes.size() * space.rates.size() > 1) plan.pictures = SearchPicture(space, options);
  const auto place = [&] {
    return Place(families, plan.capacity, IsHeavier(plan.targets.recording, plan.targets.stream));
  };
  const auto runs_left = [&] { return request.most_proofs - static_cast<int>(plan.proving.attempts.size()); };
  Settled settled{plan.targets, {}};
  for (int round = 1; round <= kMostPictures; ++round) {
    plan.placement = round == 1 ? PlaceBestPicture(plan.pictures, place, plan.targets) : place();
    if (!plan.placement.feasible.empty()) {
      const Pair refined =
          RefineStream(plan.placement.feasible.front(), plan.capacity, options, plan.targets.most_b_frames);
      if (!SameSettings(refined, plan.placement.feasible.front()))
        plan.placement.feasible.insert(plan.placement.feasible.begin(), refined);
      if (request.show.recording_score_db)
        SettleRecording(*request.show.recording_score_db, families, request, options, book, levels, plan);
    }
    const Proving proving = ProveBest(plan.placement, families, plan.capacity, prove, runs_left());
    plan.proving.attempts.insert(plan.proving.attempts.end(), proving.attempts.begin(), proving.attempts.end());
    plan.proving.LetBestStand(plan.capacity);
    // The reasons told are those of the picture that the attempt that stands is of.
    if (round == 1 || (!proving.attempts.empty() && IsOf(plan.proving.attempts.back().pair, plan.targets.stream)))
      settled = {plan.targets, plan.placement};
    const TriedPicture* lighter = LighterPicture(plan.pictures, plan.targets.stream);
    if (plan.verdict() == PlanVerdict::kHolds || !lighter || round == kMostPictures || runs_left() <= 0) break;
    ChoosePicture(plan.pictures, *lighter, "what looks better did not hold", plan.targets);
  }
  plan.targets = settled.targets;
  plan.placement = settled.placement;
  if (!plan.proving.holds() && runs_left() > 0) ProveNearest(families, plan.capacity, prove, plan.proving);

  plan.trials = options.trials();
  for (const Option& option : options.options()) plan.simulated = plan.simulated || option.simulated;
  plan.options[static_cast<int>(Role::kStream)] = OfRole(options.options(), plan.targets.stream);
  plan.options[static_cast<int>(Role::kRecording)] = OfRole(options.options(), plan.targets.recording);
  for (const auto& [family, level] : levels)
    for (Option& option : OfRole(options.options(), AtLevel(plan.targets.recording, level)))
      plan.options[static_cast<int>(Role::kRecording)].push_back(std::move(option));
  if (plan.proving.holds()) {
    if (runs_left() > 0) plan.other_sharing = TryDivided(request.processors, plan.capacity, prove, plan.proving);
    plan.chosen = plan.proving.attempts.back().pair;
    plan.runner_up = RunnerUp(options.options(), plan.chosen->stream, plan.capacity.headroom);
    ExplainRecording(plan, plan.targets);
    if (auto warning = LittleForItsSize(plan.chosen->stream.settings, !request.show.stream_size))
      plan.targets.warnings.push_back(std::move(*warning));
    const std::string hardest = HardestClip(plan.chosen->stream);
    for (const Footage& pictures : request.footage) {
      if (pictures.label != hardest) continue;
      plan.ladder = UplinkLadder(plan.chosen->stream, pictures, plan.capacity.headroom, book, plan.targets.taken_sizes,
                                 plan.targets.taken_rates);
      plan.each = WeighEncodeEach(*plan.chosen, plan.targets.budget, pictures, plan.capacity, book);
    }
    for (const Footage& calm : request.calm)
      if (const Trial trial = book.Get(plan.chosen->stream.settings, calm); trial.done())
        plan.calm.push_back(ResultOf(trial));
  } else {
    plan.nearest =
        DescribeNearest(plan.options[static_cast<int>(Role::kStream)], plan.options[static_cast<int>(Role::kRecording)],
                        plan.targets, plan.capacity, plan.proving);
  }
  return plan;
}

}  // namespace kettle
