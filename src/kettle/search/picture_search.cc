// SPDX-License-Identifier: Apache-2.0
#include "kettle/search/picture_search.h"

#include <algorithm>

#include "kettle/decision/next_measurement.h"
#include "kettle/encoders/catalogue.h"
#include "kettle/option/with_encoder.h"
#include "kettle/search/outlook.h"
#include "kettle/search/stream_candidates.h"
#include "kettle/units/json_fields.h"

namespace kettle {

namespace {

constexpr double kNothing = -100;  // points: without one that holds, any picture is better than none
constexpr double kSure = 0.8;      // the probability from which a leader is taken as it is
constexpr int kMostLooks = 5;      // at one encode

class Searcher {
 public:
  Searcher(const SearchSpace& space, OptionBook& book, double score_to_beat)
      : book_(book), score_to_beat_(score_to_beat), space_(space), candidates_(space_, book) {}

  std::vector<TriedPicture> Known() {
    candidates_.Grow();
    Outlook outlook(space_, book_);
    fits_or_not_ = true;
    return Pictures(outlook);
  }

  std::vector<TriedPicture> Run() {
    book_.FollowTheSpeed();
    for (;;) {
      candidates_.Grow();
      Outlook outlook(space_, book_);
      Candidate* next = Next(outlook);
      if (!next) next = Doubtful(outlook);
      if (next ? !Measure(*next) : !ConfirmLeader()) return Pictures(outlook);
    }
  }

 private:
  // The best looking option that keeps pace, of those measured in busy and in calm moments; null if none does.
  const Option* Leader() const {
    const Option* leader = nullptr;
    for (const Option& option : book_.options())
      if (Holds(option) && IsWhole(option) && space_.Has(option.settings) && (!leader || option.score > leader->score))
        leader = &option;
    return leader;
  }
  double BestScore() const {
    const Option* leader = Leader();
    return leader ? std::max(score_to_beat_, leader->score) : score_to_beat_;
  }
  // That something must have in its busiest seconds for its calmest to matter.
  double BusiestScoreToBeat() const {
    if (!book_.has_calm()) return BestScore();
    const Option* leader = Leader();
    return leader ? leader->busiest_score() - kFarInBusiest : kNothing;
  }

  bool Holds(const Option& option) const {
    return option.scored() && option.keeps_pace(book_.required_headroom()) && (fits_or_not_ || space_.Fits(option));
  }
  bool IsWhole(const Option& option) const { return option.measured && (!book_.has_calm() || !option.calm.empty()); }
  const Option* Known(const EncodeSettings& settings) const {
    for (const Option& option : book_.options())
      if (option.settings == settings) return &option;
    return nullptr;
  }

  // Of one that keeps pace in its busiest seconds, the calmest are missing.
  bool LacksCalm(const Candidate& candidate) const {
    if (!book_.has_calm() || candidate.looks == 0 || candidate.asked_calm) return false;
    const Option* option = Known(candidate.settings);
    return option && Holds(*option) && option->measured && option->calm.empty();
  }

  // What was too slow or took too much by one look may be so by chance; the model tells how probable that is.
  bool MayBeAsked(const Candidate& candidate) const {
    if (candidate.looks == 0 || LacksCalm(candidate)) return true;
    if (candidate.looks >= kMostLooks) return false;
    const Option* option = Known(candidate.settings);
    return option && option->trouble.empty() && !Holds(*option);
  }

  Rival RivalOf(const Candidate& candidate, const Estimate& score, Outlook& outlook) const {
    // A trial plays about two seconds, is given up where it takes longer, and needs about one to start and to be
    // scored. Where calm moments count, something new needs two.
    constexpr double kPlayed = 2, kBeside = 1;
    const Outlook::Pace pace = outlook.PaceOf(candidate.settings);
    const double real_time = pace.seconds * candidate.settings.frame_rate.fps();
    const int trials = book_.has_calm() && candidate.looks == 0 ? 2 : 1;
    return {score, pace.holds * pace.fits, trials * (kBeside + kPlayed * std::min(1.0, real_time))};
  }

  Candidate* Next(Outlook& outlook) {
    const double lead = BestScore();
    std::vector<Candidate*> open;
    std::vector<Rival> rivals;
    for (Candidate& candidate : candidates_.all()) {
      if (!MayBeAsked(candidate)) continue;
      const Estimate score = outlook.Score(candidate.settings);
      if (ExpectedGain(score, lead) < kNobodySees) continue;
      open.push_back(&candidate);
      rivals.push_back(RivalOf(candidate, score, outlook));
    }
    const auto next = NextMeasurement(rivals, lead, kNobodySees);
    return next ? open[*next] : nullptr;
  }

  // The leader, if it may hold by chance only: another look takes less time than a proof that fails.
  Candidate* Doubtful(Outlook& outlook) {
    const Option* leader = Leader();
    for (Candidate& candidate : candidates_.all())
      if (leader && !leader->proven && candidate.settings == leader->settings && candidate.looks < kMostLooks &&
          outlook.PaceOf(leader->settings).holds < kSure)
        return &candidate;
    return nullptr;
  }

  // False if there is no time.
  bool Measure(Candidate& candidate) {
    const EncodeSettings settings = candidate.settings;
    if (LacksCalm(candidate)) {
      candidate.asked_calm = true;
      book_.MeasureCalm(settings);
      return true;
    }
    const int before = candidate.looks;
    if (before > 0)
      book_.MeasureAgain(settings);
    else
      book_.Measure(settings, BusiestScoreToBeat());
    candidate.looks = book_.Looks(settings);
    return candidate.looks > before;
  }

  // What leads does so on all footage: what was left out as easier is measured now. No other can look better than on
  // the footage where it was measured, so that nothing else needs it. False if there is nothing left to confirm.
  bool ConfirmLeader() {
    const Option* leader = Leader();
    if (!leader || book_.IsEverywhere(*leader)) return false;
    return book_.IsEverywhere(book_.MeasureEverywhere(leader->settings));
  }

  // The best first. Not those of which nothing was measured.
  std::vector<TriedPicture> Pictures(Outlook& outlook) {
    std::vector<TriedPicture> pictures;
    for (const Option& option : book_.options()) {
      if (!space_.Has(option.settings)) continue;
      TriedPicture& tried = PictureOf(option.settings, pictures);
      if (Holds(option) && (!tried.best || IsBetter(option, *tried.best))) tried.best = option;
      if (!tried.too_slow || option.headroom > tried.too_slow->headroom) tried.too_slow = option;
    }
    for (TriedPicture& tried : pictures) {
      if (tried.best) tried.too_slow.reset();
      tried.untried = Untried(tried, outlook);
    }
    SortByLooks(pictures);
    PreferMoreFrames(pictures);
    return pictures;
  }

  // What was measured in calm moments too comes before what was not.
  bool IsBetter(const Option& a, const Option& b) const {
    return IsWhole(a) != IsWhole(b) ? IsWhole(a) : a.score > b.score;
  }

  // Of those that look alike to any eye: the pictures are measured, what motion loses is a model's word. What has more
  // frames must look alike on all footage too.
  void PreferMoreFrames(std::vector<TriedPicture>& tried) {
    constexpr double kAlike = 0.3;  // points
    if (tried.empty() || !tried.front().best) return;
    const double least = tried.front().best->score - kAlike;
    auto first = tried.begin();
    for (auto one = tried.begin() + 1; one != tried.end(); ++one) {
      const auto looks_alike = [&] {
        return one->best && one->best->measured && IsWhole(*one->best) && one->best->score >= least &&
               Holds(*one->best);
      };
      if (one->rate.fps() <= first->rate.fps() || !looks_alike()) continue;
      one->best = book_.MeasureEverywhere(one->best->settings);
      if (looks_alike()) first = one;
    }
    std::rotate(tried.begin(), first, first + 1);
  }

  static TriedPicture& PictureOf(const EncodeSettings& settings, std::vector<TriedPicture>& pictures) {
    for (TriedPicture& picture : pictures)
      if (picture.size == settings.size && picture.rate == settings.frame_rate) return picture;
    pictures.push_back({settings.size, settings.frame_rate, {}});
    return pictures.back();
  }

  Refinement AsAsked(const EncodeSettings& settings) const {
    return RefinementOf(WithEncoder(space_.target, settings.encoder, settings.preset));
  }

  // What promises most over the best that is known there.
  std::optional<TriedPicture::Untried> Untried(const TriedPicture& tried, Outlook& outlook) const {
    std::optional<TriedPicture::Untried> most;
    double promised = kNobodySees;
    for (const Candidate& candidate : candidates_.all()) {
      const EncodeSettings& settings = candidate.settings;
      if (!tried.best || candidate.looks > 0 || RefinementOf(settings) != AsAsked(settings) ||
          settings.size != tried.size || settings.frame_rate != tried.rate)
        continue;
      const Estimate score = outlook.Score(settings);
      const double promise = Promise(RivalOf(candidate, score, outlook), tried.best->score);
      if (promise <= promised) continue;
      promised = promise;
      most = {settings, score.mean};
    }
    return most;
  }

  OptionBook& book_;
  const double score_to_beat_;
  const SearchSpace space_;
  StreamCandidates candidates_;
  bool fits_or_not_ = false;  // what keeps pace is told of, whether it fits or not
};

}  // namespace

void SortByLooks(std::vector<TriedPicture>& tried) {
  const auto whole = [](const TriedPicture& picture) { return picture.best && !picture.best->calm.empty(); };
  const auto score = [](const TriedPicture& picture) { return picture.best ? picture.best->score : kNotScored; };
  std::stable_sort(tried.begin(), tried.end(), [&](const TriedPicture& a, const TriedPicture& b) {
    return whole(a) != whole(b) ? whole(a) : score(a) > score(b);
  });
}

std::vector<TriedPicture> KnownPictures(const SearchSpace& space, OptionBook& book) {
  return Searcher(space, book, kNothing).Known();
}

std::vector<TriedPicture> SearchPicture(const SearchSpace& space, OptionBook& book, double score_to_beat) {
  return Searcher(space, book, score_to_beat).Run();
}

std::vector<TriedPicture> SearchPicture(const SearchSpace& space, OptionBook& book) {
  return SearchPicture(space, book, kNothing);
}

void to_json(nlohmann::json& json, const TriedPicture& tried) {
  json = {{"size", tried.size}, {"frame_rate", tried.rate},   {"keeps_pace", tried.best.has_value()},
          {"best", tried.best}, {"too_slow", tried.too_slow}, {"untried", nullptr}};
  if (tried.untried)
    json["untried"] = {{"encoder", tried.untried->settings.encoder},
                       {"preset", tried.untried->settings.preset},
                       {"expected_score", tried.untried->score}};
}

void from_json(const nlohmann::json& json, TriedPicture& tried) {
  json.at("size").get_to(tried.size);
  json.at("frame_rate").get_to(tried.rate);
  json.at("best").get_to(tried.best);
  if (json.contains("too_slow")) json["too_slow"].get_to(tried.too_slow);
  if (!json.contains("untried") || json["untried"].is_null()) return;
  TriedPicture::Untried& untried = tried.untried.emplace();
  untried.settings.size = tried.size;
  untried.settings.frame_rate = tried.rate;
  json["untried"].at("encoder").get_to(untried.settings.encoder);
  json["untried"].at("preset").get_to(untried.settings.preset);
  json["untried"].at("expected_score").get_to(untried.score);
}

}  // namespace kettle
