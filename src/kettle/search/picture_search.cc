// SPDX-License-Identifier: Apache-2.0
#include "kettle/search/picture_search.h"

#include <algorithm>

#include "kettle/decision/next_measurement.h"
#include "kettle/encoders/catalogue.h"
#include "kettle/option/with_encoder.h"
#include "kettle/search/outlook.h"
#include "kettle/units/json_fields.h"

namespace kettle {

namespace {

constexpr double kNothing = -100;  // points: without one that holds, any picture is better than none
constexpr double kSure = 0.8;      // the probability from which a leader is taken as it is
constexpr int kMostLooks = 5;      // at one encode

EncodeSettings CandidateOf(const SearchSpace& space, const std::string& encoder, const std::string& preset,
                           FrameSize size, FrameRate rate) {
  EncodeSettings settings = WithEncoder(space.target, encoder, preset);
  settings.device = space.DeviceOf(encoder);
  settings.size = size;
  settings.frame_rate = rate;
  return settings;
}

class Searcher {
 public:
  Searcher(const SearchSpace& space, OptionBook& book, double score_to_beat)
      : space_(space), book_(book), score_to_beat_(score_to_beat) {
    for (const FrameSize size : space.sizes)
      for (const FrameRate rate : space.rates)
        for (const std::string& encoder : space.families)
          for (const std::string& preset : FindFamily(encoder).presets) {
            const EncodeSettings settings = CandidateOf(space, encoder, preset, size, rate);
            candidates_.push_back({settings, book.Known(settings) ? 1 : 0});
          }
  }

  std::vector<TriedPicture> Run() {
    book_.FollowTheSpeed();
    for (;;) {
      Outlook outlook(space_, book_);
      Candidate* next = Next(outlook);
      if (!next) return Pictures(outlook);
      const double lead = BestScore();
      if (next->asked++ > 0)
        book_.MeasureAgain(next->settings);
      else
        book_.Measure(next->settings, lead);
      if (!book_.Known(next->settings)) return Pictures(outlook);  // there is no time
    }
  }

 private:
  struct Candidate {
    EncodeSettings settings;
    int asked = 0;  // how often
  };

  // The best looking option that keeps pace; null if none does.
  const Option* Leader() const {
    const Option* leader = nullptr;
    for (const Option& option : book_.options())
      if (Holds(option) && IsCandidate(option.settings) && (!leader || option.score > leader->score)) leader = &option;
    return leader;
  }
  double BestScore() const {
    const Option* leader = Leader();
    return leader ? std::max(score_to_beat_, leader->score) : score_to_beat_;
  }

  bool Holds(const Option& option) const { return option.scored() && option.keeps_pace(book_.required_headroom()); }

  bool IsCandidate(const EncodeSettings& settings) const {
    const auto among = [](const auto& all, const auto& one) {
      return std::find(all.begin(), all.end(), one) != all.end();
    };
    return among(space_.families, settings.encoder) && among(space_.sizes, settings.size) &&
           among(space_.rates, settings.frame_rate) &&
           CandidateOf(space_, settings.encoder, settings.preset, settings.size, settings.frame_rate) == settings;
  }

  Rival RivalOf(const EncodeSettings& settings, const Estimate& score, Outlook& outlook) const {
    // A trial plays about two seconds, is given up where it takes longer, and needs about one to start and to be
    // scored.
    constexpr double kPlayed = 2, kBeside = 1;
    const Outlook::Pace pace = outlook.PaceOf(settings);
    const double real_time = pace.seconds * settings.frame_rate.fps();
    return {score, pace.holds, kBeside + kPlayed * std::min(1.0, real_time)};
  }

  // What was too slow by one look may be so by chance; the model tells how probable that is.
  bool MayBeAsked(const Candidate& candidate) const {
    if (candidate.asked == 0 || candidate.asked >= kMostLooks) return candidate.asked == 0;
    return std::any_of(book_.options().begin(), book_.options().end(), [&](const Option& option) {
      return option.settings == candidate.settings && option.trouble.empty() && !Holds(option);
    });
  }

  Candidate* Next(Outlook& outlook) {
    const double lead = BestScore();
    std::vector<Candidate*> open;
    std::vector<Rival> rivals;
    for (Candidate& candidate : candidates_) {
      if (!MayBeAsked(candidate)) continue;
      const Estimate score = outlook.Score(candidate.settings);
      if (ExpectedGain(score, lead) < kNobodySees) continue;
      open.push_back(&candidate);
      rivals.push_back(RivalOf(candidate.settings, score, outlook));
    }
    const auto next = NextMeasurement(rivals, lead, kNobodySees);
    return next ? open[*next] : Doubtful(outlook);
  }

  // The leader, if it may hold by chance only: another look takes less time than a proof that fails.
  Candidate* Doubtful(Outlook& outlook) {
    const Option* leader = Leader();
    for (Candidate& candidate : candidates_)
      if (leader && !leader->proven && candidate.settings == leader->settings && candidate.asked < kMostLooks &&
          outlook.PaceOf(leader->settings).holds < kSure)
        return &candidate;
    return nullptr;
  }

  // The best first. Not those of which nothing was measured.
  std::vector<TriedPicture> Pictures(Outlook& outlook) const {
    std::vector<TriedPicture> pictures;
    for (const Option& option : book_.options()) {
      if (!IsCandidate(option.settings)) continue;
      TriedPicture& tried = PictureOf(option.settings, pictures);
      if (Holds(option) && (!tried.best || option.score > tried.best->score)) tried.best = option;
      if (!tried.too_slow || option.headroom > tried.too_slow->headroom) tried.too_slow = option;
    }
    for (TriedPicture& tried : pictures) {
      if (tried.best) tried.too_slow.reset();
      tried.untried = Untried(tried, outlook);
    }
    const auto score = [](const TriedPicture& picture) { return picture.best ? picture.best->score : kNotScored; };
    std::stable_sort(pictures.begin(), pictures.end(),
                     [&](const TriedPicture& a, const TriedPicture& b) { return score(a) > score(b); });
    return pictures;
  }

  static TriedPicture& PictureOf(const EncodeSettings& settings, std::vector<TriedPicture>& pictures) {
    for (TriedPicture& picture : pictures)
      if (picture.size == settings.size && picture.rate == settings.frame_rate) return picture;
    pictures.push_back({settings.size, settings.frame_rate, {}});
    return pictures.back();
  }

  // What promises most over the best that is known there.
  std::optional<TriedPicture::Untried> Untried(const TriedPicture& tried, Outlook& outlook) const {
    std::optional<TriedPicture::Untried> most;
    double promised = kNobodySees;
    for (const Candidate& candidate : candidates_) {
      const EncodeSettings& settings = candidate.settings;
      if (!tried.best || candidate.asked > 0 || settings.size != tried.size || settings.frame_rate != tried.rate)
        continue;
      const Estimate score = outlook.Score(settings);
      const double promise = Promise(RivalOf(settings, score, outlook), tried.best->score);
      if (promise <= promised) continue;
      promised = promise;
      most = {settings, score.mean};
    }
    return most;
  }

  const SearchSpace& space_;
  OptionBook& book_;
  const double score_to_beat_;
  std::vector<Candidate> candidates_;
};

}  // namespace

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
