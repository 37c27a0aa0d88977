// SPDX-License-Identifier: Apache-2.0
#include "kettle/planning/plan.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

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

std::string WouldHold(const Option& fastest, double headroom) {
  const EncodeSettings& s = fastest.settings;
  const double sustainable = fastest.throughput_fps * (1 - headroom);
  std::string text = fastest.title();
  if (sustainable >= s.frame_rate.fps()) return text + " alone, without the other encode";
  const double scale = std::sqrt(sustainable / s.frame_rate.fps());
  const FrameSize smaller{static_cast<int>(s.size.width * scale / 16) * 16,
                          static_cast<int>(s.size.height * scale / 16) * 16};
  if (const auto rate = NextLowerRate(sustainable, s.frame_rate))
    text += fmt::format(" at {} with {} frames a second", s.size.str(), rate->str());
  if (smaller.width >= 64 && smaller.height >= 64)
    text += fmt::format(", or at {} with {}", smaller.str(), s.frame_rate.str());
  return text + fmt::format(" (predicted from {:.0f} frames a second measured)", fastest.throughput_fps);
}

// What comes nearest, when nothing holds: the fastest option measured for the stream.
std::string Nearest(const Plan& plan) {
  const auto& options = plan.options[static_cast<int>(Role::kStream)];
  const auto fastest = std::max_element(options.begin(), options.end(), [](const Option& a, const Option& b) {
    return (a.trouble.empty() ? a.throughput_fps : 0) < (b.trouble.empty() ? b.throughput_fps : 0);
  });
  if (fastest == options.end() || !fastest->trouble.empty() || fastest->throughput_fps <= 0) return "";
  return WouldHold(*fastest, plan.capacity.headroom);
}

}  // namespace

namespace {

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
    families.push_back({name, presets, [&options, name](Role role, int preset) { return options.Measure(role, name, preset); },
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
