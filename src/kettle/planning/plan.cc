// SPDX-License-Identifier: Apache-2.0
#include "kettle/planning/plan.h"

#include <algorithm>
#include <cmath>
#include <map>

#include "kettle/encoders/catalogue.h"
#include "kettle/units/error.h"

namespace kettle {

namespace {

// Measures options once each, on all footage, the hardest first: one that does not keep pace there
// needs no more trials.
class OptionBook {
 public:
  OptionBook(const PlanRequest& request, TrialBook& book, Plan& plan)
      : book_(book), plan_(plan), footage_(request.footage) {}

  bool Known(Role role, const std::string& family, int preset) const {
    return options_.contains(std::make_tuple(role, family, preset));
  }

  Option Measure(Role role, const std::string& family, int preset) {
    const auto key = std::make_tuple(role, family, preset);
    if (const auto known = options_.find(key); known != options_.end()) return known->second;
    const EncodeSettings& target = role == Role::kStream ? plan_.targets.stream : plan_.targets.recording;
    const EncodeSettings settings =
        WithEncoder(target, family, FindFamily(family).presets.at(static_cast<std::size_t>(preset)));
    if (plan_.trials + static_cast<int>(footage_.size()) > plan_.grid / 2) return Unmeasured(settings);
    std::vector<Trial> trials;
    for (std::size_t i = 0; i < footage_.size(); ++i) {
      trials.push_back(book_.Get(settings, footage_[i]));
      ++plan_.trials;
      if (trials.back().done() && trials.back().headroom >= plan_.capacity.headroom) continue;
      std::rotate(footage_.begin(), footage_.begin() + static_cast<std::ptrdiff_t>(i),
                  footage_.begin() + static_cast<std::ptrdiff_t>(i) + 1);
      break;
    }
    Option option = MakeOption(trials, trials.size() == footage_.size());
    plan_.simulated = plan_.simulated || option.simulated;
    plan_.options[static_cast<int>(role)].push_back(option);
    return options_[key] = option;
  }

 private:
  // The search keeps to half of the whole grid: what it has not measured by then is not considered.
  static Option Unmeasured(const EncodeSettings& settings) {
    Option option;
    option.settings = settings;
    option.device = Name(FindFamily(settings.encoder).device);
    option.trouble = "not measured: the search keeps to half of all trials";
    return option;
  }

  TrialBook& book_;
  Plan& plan_;
  std::vector<Footage> footage_;
  std::map<std::tuple<Role, std::string, int>, Option> options_;
};

// The share of the asked pixels a second that a pair could hold: by each encode's own speed, and by what
// both take of processors and engine.
double SustainableShare(const Option& stream, const Option& recording, const Capacity& capacity) {
  const double free = 1 - capacity.headroom;
  const Demand demand = PredictDemand(stream, recording, capacity);
  double share = std::min(stream.throughput_fps / stream.settings.frame_rate.fps(),
                          recording.throughput_fps / recording.settings.frame_rate.fps()) *
                 free;
  share = std::min(share, capacity.cpu_cores * free / std::max(1e-6, demand.cpu_cores));
  return demand.engine_share > 0 ? std::min(share, free / demand.engine_share) : share;
}

std::string Smaller(const EncodeSettings& settings, double share) {
  std::string text;
  if (const auto rate = NextLowerRate(settings.frame_rate.fps() * share, settings.frame_rate))
    text = fmt::format("at {} with {} frames a second", settings.size.str(), rate->str());
  const double scale = std::sqrt(share);
  const FrameSize size{static_cast<int>(settings.size.width * scale / 16) * 16,
                       static_cast<int>(settings.size.height * scale / 16) * 16};
  if (size.width >= 64 && size.height >= 64)
    text += fmt::format("{}at {} with {}", text.empty() ? "" : ", or ", size.str(), settings.frame_rate.str());
  return text;
}

std::vector<Option> Working(const std::vector<Option>& options) {
  std::vector<Option> working;
  std::copy_if(options.begin(), options.end(), std::back_inserter(working),
               [](const Option& option) { return option.trouble.empty() && option.throughput_fps > 0; });
  return working;
}

// What comes nearest, when nothing holds: of all pairs measured, the one that could hold the largest share
// of what was asked. Without a recording's trials, the stream's stand for both.
std::string Nearest(const Plan& plan) {
  const std::vector<Option> streams = Working(plan.options[static_cast<int>(Role::kStream)]);
  std::vector<Option> recordings = Working(plan.options[static_cast<int>(Role::kRecording)]);
  if (recordings.empty()) recordings = streams;
  double best = 0;
  const Option *best_stream = nullptr, *best_recording = nullptr;
  for (const Option& stream : streams)
    for (const Option& recording : recordings)
      if (const double share = SustainableShare(stream, recording, plan.capacity); share > best) {
        best = share;
        best_stream = &stream;
        best_recording = &recording;
      }
  if (!best_stream) return "";
  // What was predicted to fit but failed its proof run holds no more than it coded there.
  for (const Attempt& attempt : plan.proving.attempts)
    for (const PacedOutputOutcome* output : {&attempt.proof.stream, &attempt.proof.recording})
      if (output->frames > 0)
        best = std::min(best, static_cast<double>(output->frames - output->skipped) / output->frames);
  EncodeSettings recording = best_recording->settings;
  if (plan.options[static_cast<int>(Role::kRecording)].empty()) {
    recording.size = plan.targets.recording.size;
    recording.frame_rate = plan.targets.recording.frame_rate;
  }
  return fmt::format("stream with {} {}; recording with {} {} (predicted)", best_stream->title(),
                     Smaller(best_stream->settings, best), best_recording->title(), Smaller(recording, best));
}

bool InCatalogueOrder(const Option& a, const Option& b) {
  const auto place = [](const Option& option) {
    const EncoderFamily& family = FindFamily(option.settings.encoder);
    const auto preset = std::find(family.presets.begin(), family.presets.end(), option.settings.preset);
    return std::make_pair(family.device, preset - family.presets.begin());
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

EncodeSettings WithEncoder(EncodeSettings target, const std::string& family, const std::string& preset) {
  target.encoder = family;
  target.preset = preset;
  return target;
}

std::vector<Option> KnownOptions(const TrialBook& book, const EncodeSettings& target,
                                 const std::vector<Footage>& footage) {
  std::vector<Option> options;
  for (const EncoderFamily& family : Catalogue())
    for (const std::string& preset : family.presets) {
      const EncodeSettings settings = WithEncoder(target, family.name, preset);
      std::vector<Trial> trials;
      for (const Trial& trial : book.trials())
        if (trial.settings == settings && std::any_of(footage.begin(), footage.end(), [&](const Footage& pictures) {
              return pictures.file.stem() == trial.footage_key;
            }))
          trials.push_back(trial);
      if (!trials.empty()) options.push_back(MakeOption(trials, trials.size() == footage.size()));
    }
  return options;
}

std::optional<FrameRate> NextLowerRate(double highest_fps, FrameRate rate) {
  for (const int fps : {60, 50, 48, 30, 25, 24, 20, 15, 10})
    if (fps <= highest_fps && fps < rate.fps() - 0.1) return FrameRate{fps, 1};
  return std::nullopt;
}

Plan MakePlan(const PlanRequest& request, TrialBook& book, const std::function<Proof(const Pair&)>& prove) {
  Plan plan;
  plan.title = request.show.title;
  plan.targets = request.targets;
  plan.capacity = {request.cpu_cores, request.show.required_headroom};
  OptionBook options(request, book, plan);
  std::vector<FamilyOptions> families;
  for (const std::string& name : request.families) {
    const int presets = static_cast<int>(FindFamily(name).presets.size());
    families.push_back({name, presets,
                        [&options, name](Role role, int preset) { return options.Measure(role, name, preset); },
                        [&options, name](Role role, int preset) { return options.Known(role, name, preset); }});
    plan.grid += 2 * presets * static_cast<int>(request.footage.size());
  }
  plan.placement = Place(families, plan.capacity, IsHeavier(plan.targets.recording, plan.targets.stream));
  plan.proving = ProveBest(plan.placement, families, plan.capacity, prove, request.most_proofs);
  for (auto& measured : plan.options) std::sort(measured.begin(), measured.end(), InCatalogueOrder);
  if (plan.proving.holds())
    plan.chosen = plan.proving.attempts.back().pair;
  else
    plan.nearest = Nearest(plan);
  return plan;
}

}  // namespace kettle
