// SPDX-License-Identifier: Apache-2.0
#include "kettle/search/picture_search.h"

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <map>
#include <optional>
#include <vector>

#include "kettle/quality/frame_rate_loss.h"
#include "kettle/search/preset_search.h"
#include "kettle/units/json_fields.h"

namespace kettle {

namespace {

struct GridPoint {
  int size = 0, rate = 0;  // indices: a larger one is a smaller size, a lower rate
  bool operator==(const GridPoint&) const = default;
};

constexpr double kWorth = 0.25;   // points; less is no reason to look further
constexpr double kNear = 7;       // what is behind by less may be ahead at other sizes
constexpr double kBeside = 1.25;  // or with another preset
constexpr double kClearly = 1.5;  // what is behind by more, with as slow a preset, is past the peak
constexpr double kPoor = 35;      // below it too many pixels share the bits, and there may be several peaks
constexpr double kGuessed = 0.5;  // what presets not tried add is known no better

class Searcher {
 public:
  Searcher(const SearchSpace& space, OptionBook& book)
      : space_(space), book_(book), presets_(space, book), encoders_(space.families) {}

  std::vector<TriedPicture> Run() {
    const int sizes = static_cast<int>(space_.sizes.size()), rates = static_cast<int>(space_.rates.size());
    Try(here_);
    if (found()) Walk(tried_.front());  // tells what slower presets add
    Go(here_, 1);
    // Where no size keeps pace at the highest rate, from the smallest picture of all.
    for (int rate = 1; rate < rates && !found(); ++rate) Try({sizes - 1, rate});
    for (GridPoint before{-1, -1}; found() && before != here_;) {
      before = here_;
      // There are few frame rates, and they hold jumps: all of them.
      for (int rate = 0; rate < rates; ++rate)
        if (const GridPoint there{here_.size, rate}; !IsLikeOneBehind(there) && !RateIsHopeless(there)) Try(there);
      for (const int step : {-1, 1}) Go(here_, step);
      for (int rate = 0; rate < rates && before == here_; ++rate) GoFromRival({here_.size, rate});
      if (before == here_) WalkThePromising();
    }
    if (found()) LookBesideThePresets();
    return Pictures();
  }

 private:
  struct Tried {
    GridPoint place;
    FrameSize size;
    FrameRate rate;
    std::map<std::string, PresetSearch::Known> known;  // by encoder
  };

  // The best first. Not those where every preset was taken for too slow, or for which there was no time.
  std::vector<TriedPicture> Pictures() const {
    std::vector<TriedPicture> pictures;
    for (const Tried& tried : tried_) {
      const Option* best = Best(tried);
      const bool measured = std::any_of(book_.options().begin(), book_.options().end(), [&](const Option& option) {
        return option.settings.size == tried.size && option.settings.frame_rate == tried.rate;
      });
      if (measured)
        pictures.push_back({tried.size, tried.rate, best ? std::optional(*best) : std::nullopt, Untried(tried)});
    }
    const auto score = [](const TriedPicture& picture) { return picture.best ? picture.best->score : kNotScored; };
    std::stable_sort(pictures.begin(), pictures.end(),
                     [&](const TriedPicture& a, const TriedPicture& b) { return score(a) > score(b); });
    return pictures;
  }

  // The best looking option measured there that keeps pace; null if none does.
  static const Option* Best(const Tried& tried) {
    const Option* best = nullptr;
    for (const auto& [encoder, known] : tried.known)
      if (known.best && (!best || known.best->score > best->score)) best = &*known.best;
    return best;
  }

  // The best looking encoder's slowest preset that should hold, unless it was walked.
  std::optional<EncodeSettings> Untried(const Tried& tried) const {
    const Option* best = Best(tried);
    if (!best) return std::nullopt;
    const PresetSearch::Known& known = tried.known.at(best->settings.encoder);
    if (known.walked || known.likely <= known.scout) return std::nullopt;
    return presets_.SettingsOf(best->settings.encoder, tried.size, tried.rate, known.likely);
  }

  // What it looks like, or should with presets not yet tried.
  double Promise(const Tried& tried) const {
    double most = kNotScored;
    for (const auto& [encoder, known] : tried.known) most = std::max(most, presets_.Promise(encoder, known));
    return most;
  }

  const Tried* Find(GridPoint place) const {
    const auto found = std::find_if(tried_.begin(), tried_.end(), [&](const Tried& t) { return t.place == place; });
    return found == tried_.end() ? nullptr : &*found;
  }

  // Tries a picture, unless it was; true if it now promises most.
  bool Try(GridPoint place) {
    if (Find(place)) return false;
    tried_.push_back({place,
                      space_.sizes[static_cast<std::size_t>(place.size)],
                      space_.rates[static_cast<std::size_t>(place.rate)],
                      {}});
    Tried& tried = tried_.back();
    for (const std::string& encoder : encoders_)
      tried.known[encoder] = IsFarBehind(encoder, tried)
                                 ? PresetSearch::Known{.range = KnownRange(encoder, place)}
                                 : presets_.Scout(encoder, tried.size, tried.rate, KnownRange(encoder, place));
    Settle();
    // Whoever leads goes first at the next picture.
    std::stable_sort(encoders_.begin(), encoders_.end(), [&](const auto& a, const auto& b) {
      return presets_.Promise(a, tried.known[a]) > presets_.Promise(b, tried.known[b]);
    });
    return here_ == place && found();
  }

  // The search stands where most is promised.
  void Settle() {
    promised_ = kNotScored;
    for (Tried& tried : tried_) {
      for (auto& [encoder, known] : tried.known) presets_.Foresee(encoder, tried.size, tried.rate, known);
      if (const double promise = Promise(tried); promise > promised_) {
        promised_ = promise;
        here_ = tried.place;
      }
    }
  }

  // What larger and smaller pictures have shown of an encoder's presets.
  PresetSearch::Range KnownRange(const std::string& encoder, GridPoint place) const {
    PresetSearch::Range range = PresetSearch::All(encoder);
    for (const Tried& other : tried_) {
      const auto found = other.known.find(encoder);
      if (found == other.known.end()) continue;
      const PresetSearch::Range& known = found->second.range;
      if (other.place.size <= place.size && other.place.rate <= place.rate) range.low = std::max(range.low, known.low);
      if (other.place.size >= place.size && other.place.rate >= place.rate)
        range.high = std::min(range.high, known.high);
    }
    range.low = std::min(range.low, range.high - 1);
    return range;
  }

  void Walk(Tried& tried) {
    for (const std::string& encoder : encoders_) {
      PresetSearch::Known& known = tried.known[encoder];
      if (!known.walked && known.best && presets_.Promise(encoder, known) + kWorth > Best(tried)->score)
        presets_.Walk(encoder, tried.size, tried.rate, known);
    }
    walked_.push_back(tried.place);
    Settle();
  }

  // Until nothing that was only scouted promises more than what was measured.
  void WalkThePromising() {
    for (;;) {
      Tried* best = nullptr;
      for (Tried& tried : tried_)
        if (std::find(walked_.begin(), walked_.end(), tried.place) == walked_.end() &&
            (!best || Promise(tried) > Promise(*best)))
          best = &tried;
      if (!best || Promise(*best) + kGuessed <= presets_.best_score()) return;
      Walk(*best);
    }
  }

  // A frame rate within 5 % of one that was tried at this size and is behind, 48 beside 50; or a quarter above or a
  // fifth below one that is far behind.
  bool IsLikeOneBehind(GridPoint place) const {
    const double fps = space_.rates[static_cast<std::size_t>(place.rate)].fps();
    return std::any_of(tried_.begin(), tried_.end(), [&](const Tried& other) {
      if (other.place.size != place.size || other.place.rate == place.rate || !Best(other)) return false;
      const double ratio = other.rate.fps() / fps;
      const double behind = promised_ - Promise(other);
      return (ratio > 0.95 && ratio < 1.05 && behind > kWorth) || (ratio >= 0.8 && ratio <= 1.25 && behind > kNear);
    });
  }

  // Its pictures cannot become so much better, by what the last halving of the rate gave them, that they make up for
  // the motion that is lost. Each further one gives less.
  bool RateIsHopeless(GridPoint place) const {
    constexpr double kMargin = 5;  // points: there is time for a slower preset
    const Tried *higher = nullptr, *highest = nullptr;
    for (int rate = place.rate - 1; rate >= 0 && !highest; --rate)
      if (const Tried* tried = Find({place.size, rate}); tried && Best(*tried)) (higher ? highest : higher) = tried;
    if (!higher || !highest) return false;
    const FrameRate rate = space_.rates[static_cast<std::size_t>(place.rate)];
    const Quality &low = Best(*higher)->quality, &high = Best(*highest)->quality;
    const double gain = std::max(0.0, low.picture_score - high.picture_score) /
                        std::log(highest->rate.fps() / higher->rate.fps()) * std::log(higher->rate.fps() / rate.fps());
    const double promised = Promise(*higher) - Best(*higher)->score;
    return (low.picture_score + promised + gain + kMargin) * FrameRateShare(rate, space_.rates.front(), low.motion) <=
           promised_;
  }

  // At some picture where this encoder and the leading one were both seen, so far behind that it could not have caught
  // up on the way here, the distance changing with each step by as much as it ever did.
  bool IsFarBehind(const std::string& encoder, const Tried& here) const {
    const std::string& leader = encoders_.front();
    const auto reach = [&](const Tried& tried, const std::string& whose) {
      const auto known = tried.known.find(whose);
      return known == tried.known.end() ? kNotScored : presets_.Promise(whose, known->second);
    };
    if (encoder == leader || reach(here, leader) == kNotScored) return false;
    std::vector<const Tried*> both;
    for (const Tried& other : tried_)
      if (reach(other, encoder) != kNotScored && reach(other, leader) != kNotScored) both.push_back(&other);
    const auto gap = [&](const Tried& tried) { return reach(tried, leader) - reach(tried, encoder); };
    double most_a_step = -1;
    for (const Tried* one : both)
      for (const Tried* other : both)
        if (one != other)
          most_a_step = std::max(most_a_step, std::abs(gap(*one) - gap(*other)) / Steps(one->place, other->place));
    if (most_a_step < 0) return false;
    return std::any_of(both.begin(), both.end(), [&](const Tried* seen) {
      return gap(*seen) - most_a_step * Steps(seen->place, here.place) > kNear;
    });
  }

  static int Steps(GridPoint a, GridPoint b) { return std::abs(a.size - b.size) + std::abs(a.rate - b.rate); }

  // What the next size changed at other frame rates, at least `least_seen` of them, tells that it cannot look better
  // than the best here. A larger picture gains more the lower the rate, for there is more time for it, a smaller one
  // the higher it is: only rates that would gain more tell. It cannot: not even if it changed by the most that was
  // seen, and beyond that by how far the most lies from the least, or by as much as another preset may add, and by
  // `margin`.
  bool StepIsHopeless(GridPoint from, int step, double margin, std::size_t least_seen) const {
    const Tried* start = Find(from);
    if (!start || !Best(*start)) return false;
    std::vector<double> gains;
    for (int rate = 0; rate < static_cast<int>(space_.rates.size()); ++rate) {
      const Tried *before = Find({from.size, rate}), *after = Find({from.size + step, rate});
      const bool tells = step < 0 ? rate > from.rate : rate < from.rate;
      if (tells && before && after && Best(*before) && Best(*after))
        gains.push_back(Promise(*after) - Promise(*before));
    }
    if (gains.size() < least_seen) return false;
    const auto [least, most] = std::minmax_element(gains.begin(), gains.end());
    const double spread = std::max(kBeside, *most - *least);
    return Promise(*start) + *most + spread + margin <= promised_;
  }

  // At the best picture, and at those of other frame rates that are not far behind.
  void LookBesideThePresets() {
    const int size = here_.size;
    const double near = presets_.best_score() - kGuessed;
    for (Tried& tried : tried_) {
      const Option* best = Best(tried);
      if (tried.place.size != size || !best || best->score < near) continue;
      const std::string encoder = best->settings.encoder;
      presets_.LookBeside(encoder, tried.size, tried.rate, tried.known[encoder]);
    }
  }

  // Behind the best with as slow a preset: presets have nothing to do with it.
  bool IsPastThePeak(const Tried& tried) const {
    const std::string& encoder = encoders_.front();
    const PresetSearch::Known &own = tried.known.at(encoder), &best = Find(here_)->known.at(encoder);
    return own.scout >= 0 && best.scout >= 0 && own.scout >= best.scout &&
           own.scout_score < best.scout_score - kClearly;
  }

  bool found() const { return promised_ > kNotScored; }

  // Goes along the sizes, up or down from a place, until two in a row are no better, or one is not and the next need
  // not be looked at; to the end while nothing keeps pace at all, and down to the end while the best looks poor.
  void Go(GridPoint place, int step) {
    constexpr int kPatience = 2;
    int worse = 0;
    for (place.size += step; place.size >= 0 && place.size < static_cast<int>(space_.sizes.size()) && worse < kPatience;
         place.size += step) {
      const bool to_the_end = step > 0 && promised_ < kPoor;
      if (!to_the_end && StepIsHopeless({place.size - step, place.rate}, step, worse > 0 ? -kWorth : kNear, 1)) return;
      const bool better = Try(place) || !found() || to_the_end;
      worse = better ? 0 : worse + (IsPastThePeak(*Find(place)) ? kPatience : 1);
    }
  }

  // A frame rate that is not far behind may be ahead at another size.
  void GoFromRival(GridPoint there) {
    const Tried* rival = Find(there);
    if (there.rate == here_.rate || !rival || Promise(*rival) < promised_ - kNear) return;
    for (const int step : {-1, 1}) {
      if (!StepIsHopeless(there, step, -kWorth, 2)) Go(there, step);
      // Its peak lies that way.
      if (const Tried* next = Find({there.size + step, there.rate}); next && Promise(*next) > Promise(*Find(there)))
        return;
    }
  }

  const SearchSpace& space_;
  OptionBook& book_;
  PresetSearch presets_;
  std::vector<std::string> encoders_;  // the one that led last first
  std::vector<Tried> tried_;
  std::vector<GridPoint> walked_;
  GridPoint here_;                // where most is promised
  double promised_ = kNotScored;  // there
};

}  // namespace

std::vector<TriedPicture> SearchPicture(const SearchSpace& space, OptionBook& book) {
  return Searcher(space, book).Run();
}

void to_json(nlohmann::json& json, const TriedPicture& tried) {
  json = {
      {"size", tried.size}, {"frame_rate", tried.rate}, {"keeps_pace", tried.best.has_value()}, {"best", tried.best}};
}

void from_json(const nlohmann::json& json, TriedPicture& tried) {
  json.at("size").get_to(tried.size);
  json.at("frame_rate").get_to(tried.rate);
  json.at("best").get_to(tried.best);
}

}  // namespace kettle
