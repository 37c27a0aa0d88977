// SPDX-License-Identifier: Apache-2.0
// Options by their settings: measures each one once.
#pragma once

#include <functional>
#include <map>
#include <string>
#include <utility>
#include <vector>

#include "kettle/option/option.h"
#include "kettle/option/trial_book.h"

namespace kettle {

inline constexpr double kFarInBusiest = 10;  // points behind in the busiest stretch: no calm one makes up for it

// Options measured when first asked for: on the hardest footage first, and on no more than it takes to know that an
// option is of no use. Each new trial tells more of how fast the machine was at the others; they follow.
class OptionBook {
 public:
  // `may_measure` is asked before each new option: if not, it stays unmeasured and says so. `measured` is called after
  // each.
  struct Watch {
    std::function<bool(const EncodeSettings&)> may_measure;
    std::function<void()> measured;
  };
  // `calm` are clips' calmest stretches, by the labels of their busiest ones, which are in `footage`.
  OptionBook(TrialBook& book, std::vector<Footage> footage, double required_headroom, Watch watch = {},
             std::map<std::string, Footage> calm = {})
      : book_(book),
        footage_(std::move(footage)),
        calm_(std::move(calm)),
        required_headroom_(required_headroom),
        watch_(std::move(watch)) {}

  // Stops at the first footage on which the option lacks headroom, or looks no better than `score_to_beat`. Footage on
  // which another option of the same size and frame rate was as fast and looked better does not decide: it is left out.
  Option Measure(const EncodeSettings& settings, double score_to_beat = -1) {
    return MeasureOn(settings, {score_to_beat, true, false});
  }

  // The same once more of what was measured, on the footage that decided it: a single look may be off.
  Option MeasureAgain(const EncodeSettings& settings);

  // The same without its quality, where nobody will look at it: the option has no score until Measure is asked for it.
  Option MeasureSpeed(const EncodeSettings& settings) { return MeasureOn(settings, {kNotScored, false, false}); }

  // On all footage and stretches, also what was left out: what is chosen must have been.
  Option MeasureEverywhere(const EncodeSettings& settings);
  // The same of what was measured for its speed only: with its quality.
  Option ScoreEverywhere(const EncodeSettings& settings) { return MeasureOn(settings, {kNotScored, true, true}); }

  // As Measure, and, if it keeps pace there and is not far behind, on the calmest stretches of the clips too.
  Option MeasureWhole(const EncodeSettings& settings);
  // One that was measured in the busiest stretches on all footage that decides, and keeps pace there: in the calmest.
  Option MeasureCalm(const EncodeSettings& settings);

  // Takes in what the trial book knows already of `target`, with any encoder and preset, on the device that `device_of`
  // gives for the encoder, on the first footage: it costs nothing and tells what else is worth a trial.
  void Recall(const EncodeSettings& target, const std::function<int(const std::string&)>& device_of);

  // A proof run held with it, with the required headroom: ten seconds in real time tell more than its trials.
  void NoteProven(const EncodeSettings& settings);

  // Makes all options anew by what is known of the machine's speed by now. (After each trial that is done anyway.)
  void FollowTheSpeed();

  // How often it was looked at in this run, whoever asked; 0: it is not known.
  int Looks(const EncodeSettings& settings) const;

  // True if Measure was asked for it: asking again costs nothing, or little if now more is to be beaten.
  bool Known(const EncodeSettings& settings) const;

  bool IsEverywhere(const Option& option) const { return option.clips.size() == footage_.size(); }  // measured
  bool has_calm() const { return !calm_.empty(); }

  const std::vector<Option>& options() const { return options_; }  // each once, in the order first asked
  int trials() const { return trials_; }                           // asked for, each once
  double encode_seconds() const { return encode_seconds_; }        // that those took
  double required_headroom() const { return required_headroom_; }
  FrameRate source_rate() const { return footage_.front().rate; }  // of the pictures that are encoded

 private:
  struct Wanted {
    double score_to_beat = 0;
    bool quality = true, everywhere = false;
  };
  Option MeasureOn(const EncodeSettings& settings, const Wanted& wanted);
  // Whether an option tells what was asked for, so that it need not be measured again.
  bool Tells(const Option& option, const Wanted& wanted) const;
  bool IsFarBehind(const Option& busiest) const;
  Option WithCalmMeasured(const Option& busiest);
  bool SurelyEasier(const Footage& footage, const EncodeSettings& settings) const;
  Trial Get(const EncodeSettings& settings, const Footage& footage, bool quality = true);
  Trial Count(Trial trial);  // among those asked for, each once; gives it back
  void Note(const Option& option, const std::vector<Trial>& trials, const std::vector<CalmTrial>& calm = {});

  TrialBook& book_;
  std::vector<Footage> footage_;  // the one that decided last comes first
  std::map<std::string, Footage> calm_;
  double required_headroom_;
  Watch watch_;
  // The trials that an option is made of.
  struct MadeOf {
    std::vector<Trial> busiest;
    std::vector<CalmTrial> calm;
    int looks = 1;
  };
  std::vector<Option> options_;
  std::vector<MadeOf> made_of_;  // in the same order
  std::vector<EncodeSettings> proven_;
  std::vector<std::pair<EncodeSettings, std::string>> asked_;
  std::vector<EncodeSettings> spared_;  // the calmest stretches, being far behind
  int trials_ = 0;
  double encode_seconds_ = 0;
};

}  // namespace kettle
