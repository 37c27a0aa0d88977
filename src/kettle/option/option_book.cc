// SPDX-License-Identifier: Apache-2.0
#include "kettle/option/option_book.h"

#include <algorithm>

#include "kettle/encoders/catalogue.h"
#include "kettle/option/with_encoder.h"

namespace kettle {

namespace {

Option Unmeasured(const EncodeSettings& settings, const std::string& why) {
  Option option;
  option.settings = settings;
  option.device = Name(FindFamily(settings.encoder).device);
  option.trouble = "not measured: " + why;
  return option;
}

}  // namespace

bool OptionBook::Known(const EncodeSettings& settings) const {
  return std::any_of(options_.begin(), options_.end(), [&](const Option& o) { return o.settings == settings; });
}

int OptionBook::Looks(const EncodeSettings& settings) const {
  for (std::size_t i = 0; i < options_.size(); ++i)
    if (options_[i].settings == settings) return made_of_[i].looks;
  return 0;
}

void OptionBook::Recall(const EncodeSettings& target, const std::function<int(const std::string&)>& device_of) {
  const std::string first = footage_.front().key();
  std::vector<EncodeSettings> recalled;
  for (const Trial& trial : book_.trials()) {
    EncodeSettings asked = WithEncoder(target, trial.settings.encoder, trial.settings.preset);
    asked.device = device_of(asked.encoder);
    if (trial.done() && trial.footage_key == first && trial.settings == asked && !Known(asked))
      recalled.push_back(asked);
  }
  for (const EncodeSettings& settings : recalled) {
    const std::vector<Trial> trials{Get(settings, footage_.front())};
    Note(MakeOption(trials, footage_.size() == 1), trials);
  }
}

void OptionBook::Note(const Option& option, const std::vector<Trial>& trials, const std::vector<CalmTrial>& calm) {
  const auto known =
      std::find_if(options_.begin(), options_.end(), [&](const Option& o) { return o.settings == option.settings; });
  const auto place = static_cast<std::size_t>(known - options_.begin());
  if (known == options_.end()) {
    options_.emplace_back();
    made_of_.emplace_back();
  }
  options_[place] = option;
  options_[place].proven = std::find(proven_.begin(), proven_.end(), option.settings) != proven_.end();
  made_of_[place].busiest = trials;
  made_of_[place].calm = calm;
}

void OptionBook::NoteProven(const EncodeSettings& settings) {
  proven_.push_back(settings);
  for (Option& option : options_) option.proven = option.proven || option.settings == settings;
}

void OptionBook::FollowTheSpeed() {
  if (!book_.knows_speed()) return;
  const auto follow = [&](Trial& trial) { trial = book_.AtUsualSpeed(book_.Measured(trial)); };
  for (std::size_t i = 0; i < options_.size(); ++i) {
    for (Trial& trial : made_of_[i].busiest) follow(trial);
    for (CalmTrial& calm : made_of_[i].calm) follow(calm.trial);
    const bool proven = options_[i].proven;
    options_[i] = WithCalm(MakeOption(made_of_[i].busiest, options_[i].measured), made_of_[i].calm);
    options_[i].proven = proven;
  }
}

Trial OptionBook::Get(const EncodeSettings& settings, const Footage& footage, bool quality) {
  return Count(book_.Get(settings, footage, quality));
}

Trial OptionBook::Count(Trial trial) {
  const std::pair<EncodeSettings, std::string> key{trial.settings, trial.footage_key};
  if (std::find(asked_.begin(), asked_.end(), key) == asked_.end()) {
    asked_.push_back(key);
    ++trials_;
    encode_seconds_ += trial.timing.encoding;
  }
  return trial;
}

bool OptionBook::Tells(const Option& option, const Wanted& wanted) const {
  if (!option.keeps_pace(required_headroom_)) return true;
  if (wanted.quality && !option.scored()) return false;
  if (option.scored() && option.score <= wanted.score_to_beat) return true;
  return option.measured && (!wanted.everywhere || IsEverywhere(option));
}

bool OptionBook::SurelyEasier(const Footage& footage, const EncodeSettings& settings) const {
  constexpr double kAsFast = 0.85, kBetter = 1;  // noise; points
  const auto on = [](const Option& option, const Footage& clip) {
    return std::find_if(option.clips.begin(), option.clips.end(),
                        [&](const ClipResult& result) { return result.footage == clip.label; });
  };
  bool seen = false;
  for (const Option& option : options_) {
    // Small pictures cost some clips more than others.
    if (option.settings.size != settings.size || option.settings.frame_rate != settings.frame_rate) continue;
    const auto other = on(option, footage), hardest = on(option, footage_.front());
    if (other == option.clips.end() || hardest == option.clips.end()) continue;
    seen = true;
    if (other->throughput_fps < kAsFast * hardest->throughput_fps ||
        (hardest->score != kNotScored && other->score < hardest->score + kBetter))
      return false;
  }
  return seen;
}

Option OptionBook::MeasureOn(const EncodeSettings& settings, const Wanted& wanted) {
  const auto known =
      std::find_if(options_.begin(), options_.end(), [&](const Option& o) { return o.settings == settings; });
  if (known != options_.end() && Tells(*known, wanted)) return *known;
  if (known == options_.end() && watch_.may_measure && !watch_.may_measure(settings))
    return Unmeasured(settings, "the time budget was used up");
  std::vector<Trial> trials;
  bool all = true;  // that decide
  for (std::size_t i = 0; i < footage_.size(); ++i) {
    if (i > 0 && !wanted.everywhere && SurelyEasier(footage_[i], settings)) continue;
    trials.push_back(Get(settings, footage_[i], wanted.quality));
    const Trial& trial = trials.back();
    const bool useful = trial.done() && trial.headroom >= required_headroom_ &&
                        (!trial.quality || trial.quality->score() > wanted.score_to_beat);
    if (useful) continue;
    all = i + 1 == footage_.size();
    std::rotate(footage_.begin(), footage_.begin() + static_cast<std::ptrdiff_t>(i),
                footage_.begin() + static_cast<std::ptrdiff_t>(i) + 1);
    break;
  }
  const Option option = MakeOption(trials, all);
  Note(option, trials);
  FollowTheSpeed();
  if (watch_.measured) watch_.measured();
  return option;
}

Option OptionBook::MeasureAgain(const EncodeSettings& settings) {
  const auto known =
      std::find_if(options_.begin(), options_.end(), [&](const Option& o) { return o.settings == settings; });
  if (known == options_.end() || (watch_.may_measure && !watch_.may_measure(settings))) return Measure(settings);
  MadeOf& made_of = made_of_[static_cast<std::size_t>(known - options_.begin())];
  const auto slowest =
      std::min_element(made_of.busiest.begin(), made_of.busiest.end(),
                       [](const Trial& a, const Trial& b) { return a.throughput_fps < b.throughput_fps; });
  const auto decided = std::find_if(footage_.begin(), footage_.end(),
                                    [&](const Footage& footage) { return footage.key() == slowest->footage_key; });
  ++made_of.looks;
  const double seconds_before = slowest->timing.encoding;
  *slowest = book_.Again(settings, *decided);
  encode_seconds_ += slowest->timing.encoding - seconds_before;
  Note(WithCalm(MakeOption(made_of.busiest, known->measured), made_of.calm), made_of.busiest, made_of.calm);
  FollowTheSpeed();
  if (watch_.measured) watch_.measured();
  return *known;
}

Option OptionBook::MeasureEverywhere(const EncodeSettings& settings) {
  const auto known =
      std::find_if(options_.begin(), options_.end(), [&](const Option& o) { return o.settings == settings; });
  const Option before = known != options_.end() ? *known : Measure(settings);
  if (watch_.may_measure && !watch_.may_measure(settings)) return before;
  const Option option = MeasureOn(settings, {kNotScored, before.scored(), true});
  const bool was_spared = std::find(spared_.begin(), spared_.end(), settings) != spared_.end();
  return before.calm.empty() && !was_spared ? option : WithCalmMeasured(option);
}

Option OptionBook::MeasureWhole(const EncodeSettings& settings) {
  const Option busiest = Measure(settings);
  if (!busiest.calm.empty() || !IsFarBehind(busiest)) return WithCalmMeasured(busiest);
  spared_.push_back(settings);
  return busiest;
}

// Behind one of the same bits that was measured whole.
bool OptionBook::IsFarBehind(const Option& busiest) const {
  return std::any_of(options_.begin(), options_.end(), [&](const Option& other) {
    return !other.calm.empty() && other.keeps_pace(required_headroom_) &&
           other.settings.rate_control == busiest.settings.rate_control &&
           other.settings.bit_rate == busiest.settings.bit_rate &&
           busiest.busiest_score() < other.busiest_score() - kFarInBusiest;
  });
}

Option OptionBook::MeasureCalm(const EncodeSettings& settings) { return WithCalmMeasured(Measure(settings)); }

Option OptionBook::WithCalmMeasured(const Option& busiest) {
  const EncodeSettings settings = busiest.settings;
  if (calm_.empty() || !busiest.measured || !busiest.keeps_pace(required_headroom_) || !busiest.calm.empty() ||
      (watch_.may_measure && !watch_.may_measure(settings)))
    return busiest;
  std::vector<CalmTrial> trials;
  for (const ClipResult& busy : busiest.clips)
    if (const auto calm = calm_.find(busy.footage); calm != calm_.end())
      trials.push_back({busy.footage, Count(book_.GetWhole(settings, calm->second))});
  const auto known =
      std::find_if(options_.begin(), options_.end(), [&](const Option& o) { return o.settings == settings; });
  const Option whole = WithCalm(busiest, trials);
  Note(whole, made_of_[static_cast<std::size_t>(known - options_.begin())].busiest, trials);
  FollowTheSpeed();
  if (watch_.measured) watch_.measured();
  return whole;
}

}  // namespace kettle
