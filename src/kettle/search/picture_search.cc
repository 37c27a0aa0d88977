// SPDX-License-Identifier: Apache-2.0
#include "kettle/search/picture_search.h"

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <map>
#include <optional>
#include <vector>

#include "kettle/encoders/catalogue.h"
#include "kettle/option/speed_guess.h"
#include "kettle/option/with_encoder.h"
#include "kettle/quality/frame_rate_loss.h"
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

class Searcher {
 public:
  Searcher(const SearchSpace& space, OptionBook& book) : space_(space), book_(book), families_(space.families) {}

  std::vector<TriedPicture> Run() {
    constexpr int kPatience = 2;
    const int sizes = static_cast<int>(space_.sizes.size()), rates = static_cast<int>(space_.rates.size());
    Try(here_);
    Go(here_, 1, kPatience);
    // Where no size keeps pace at the highest rate, from the smallest picture of all.
    for (int rate = 1; rate < rates && !found(); ++rate) Try({sizes - 1, rate});
    for (GridPoint before{-1, -1}; found() && before != here_;) {
      before = here_;
      // There are few frame rates, and they hold jumps: all of them.
      for (int rate = 0; rate < rates; ++rate)
        if (const GridPoint there{here_.size, rate}; !IsLikeOneBehind(there) && !RateIsHopeless(there)) Try(there);
      for (const int step : {-1, 1}) Go(here_, step, kPatience);
      // A frame rate that is not far behind may be ahead at another size.
      for (int rate = 0; rate < rates && before == here_; ++rate) {
        const GridPoint there{here_.size, rate};
        const Tried* rival = Find(there);
        if (rate == here_.rate || !rival || Score(rival->picture) < best_score_ - kNear) continue;
        for (const int step : {-1, 1})
          if (!StepIsHopeless(there, step, -kWorth, 2)) Go(there, step, kPatience);
      }
    }
    if (found()) LookBesideThePresets();
    std::stable_sort(tried_.begin(), tried_.end(),
                     [](const Tried& a, const Tried& b) { return Score(a.picture) > Score(b.picture); });
    std::vector<TriedPicture> pictures;
    for (Tried& tried : tried_)
      if (tried.picture.best || WasMeasured(tried.picture)) pictures.push_back(std::move(tried.picture));
    return pictures;
  }

 private:
  // The slowest preset of a family that keeps pace lies in low..high - 1; -1 stands for none.
  struct Range {
    int low = -1, high = 0;
  };
  struct Tried {
    GridPoint place;
    TriedPicture picture;
    std::map<std::string, Range> last;    // by family
    std::map<std::string, double> reach;  // by family that keeps pace: the best score it has, or could have, here
  };

  // Not if every preset was taken for too slow, or if there was no time.
  bool WasMeasured(const TriedPicture& picture) const {
    return std::any_of(book_.options().begin(), book_.options().end(), [&](const Option& option) {
      return option.settings.size == picture.size && option.settings.frame_rate == picture.rate;
    });
  }

  static double Score(const TriedPicture& picture) { return picture.best ? picture.best->score : kNotScored; }

  const Tried* Find(GridPoint place) const {
    const auto found = std::find_if(tried_.begin(), tried_.end(), [&](const Tried& t) { return t.place == place; });
    return found == tried_.end() ? nullptr : &*found;
  }

  // Tries a picture, unless it was; true if it is now the best.
  bool Try(GridPoint place) {
    if (Find(place)) return false;
    Tried tried{place,
                {space_.sizes[static_cast<std::size_t>(place.size)], space_.rates[static_cast<std::size_t>(place.rate)],
                 std::nullopt},
                {}};
    for (const std::string& family : families_)
      if (IsFarBehind(family, tried))
        tried.last[family] = KnownRange(family, place);
      else
        Walk(family, tried);
    // Whoever leads goes first at the next picture.
    std::stable_sort(families_.begin(), families_.end(), [&](const auto& a, const auto& b) {
      return tried.reach.contains(a) && (!tried.reach.contains(b) || tried.reach[a] > tried.reach[b]);
    });
    const bool better = Score(tried.picture) > best_score_;
    tried_.push_back(std::move(tried));
    if (better) {
      here_ = place;
      best_score_ = Score(tried_.back().picture);
    }
    return better;
  }

  EncodeSettings SettingsOf(const std::string& family, int preset, const TriedPicture& picture) const {
    EncodeSettings settings =
        WithEncoder(space_.target, family, FindFamily(family).presets[static_cast<std::size_t>(preset)]);
    settings.size = picture.size;
    settings.frame_rate = picture.rate;
    return settings;
  }

  Option Measure(const std::string& family, int preset, const TriedPicture& picture) {
    return book_.Measure(SettingsOf(family, preset, picture), std::max(best_score_, Score(picture)));
  }

  bool Holds(const Option& option) const { return option.keeps_pace(book_.required_headroom()); }

  // What larger and smaller pictures have shown of a family's presets.
  Range KnownRange(const std::string& family, GridPoint place) const {
    Range range{-1, static_cast<int>(FindFamily(family).presets.size())};
    for (const Tried& other : tried_) {
      const Range& known = other.last.at(family);
      if (other.place.size <= place.size && other.place.rate <= place.rate) range.low = std::max(range.low, known.low);
      if (other.place.size >= place.size && other.place.rate >= place.rate)
        range.high = std::min(range.high, known.high);
    }
    range.low = std::min(range.low, range.high - 1);
    return range;
  }

  // Finds the slowest preset of a family that keeps pace at a picture, and the best looking of those measured.
  void Walk(const std::string& family, Tried& tried) {
    TriedPicture& picture = tried.picture;
    const Range range = KnownRange(family, tried.place);
    if (range.low >= 0 && family != families_.front()) {
      Option fastest = Measure(family, range.low, picture);
      if (IsHopeless(family, fastest, range, picture)) {
        // What larger pictures held may fail here for noise.
        for (int preset = range.low - 1; !Holds(fastest) && preset >= 0; --preset)
          fastest = Measure(family, preset, picture);
        tried.last[family] = range;
        if (!Holds(fastest)) return;
        tried.reach[family] = fastest.score + *MostGain(family, range);
        if (fastest.score > Score(picture)) picture.best = std::move(fastest);  // it keeps pace, if nothing more
        return;
      }
    }
    int last = LastHoldingWithin(family, range, picture);
    // What held with more pixels may fail here for noise: then the next faster one is looked at.
    while (last >= 0 && !Holds(Measure(family, last, picture))) --last;
    tried.last[family] = {last, last + 1};
    int first = -1;  // the measured one before
    double first_score = 0;
    for (int preset = 0; preset <= last; ++preset) {
      if (preset < last && !book_.Known(SettingsOf(family, preset, picture))) continue;
      Option candidate = Measure(family, preset, picture);
      if (first >= 0 && candidate.scored()) NoteGain(family, first, preset, candidate.score - first_score);
      first = preset;
      first_score = candidate.score;
      if (!Holds(candidate)) continue;
      tried.reach[family] = std::max(tried.reach[family], candidate.score);
      if (candidate.score > Score(picture)) picture.best = std::move(candidate);
    }
  }

  // The slowest preset within the range that holds, as far as it is worth a trial.
  int LastHoldingWithin(const std::string& family, const Range& range, const TriedPicture& picture) {
    int good = range.low, bad = range.high;
    while (bad - good > 1) {
      const auto next = NextToTry(family, good, bad, picture);
      if (!next) break;
      (Holds(Measure(family, *next, picture)) ? good : bad) = *next;
    }
    return good;
  }

  // The slowest preset between two that should hold, by what others were measured to do. Where nothing slower was seen,
  // as many steps on as there is speed to spare; where nothing at all, the middle one. Nothing if all should be too
  // slow.
  std::optional<int> NextToTry(const std::string& family, int good, int bad, const TriedPicture& picture) const {
    constexpr double kNoise = 1.15, kInterpolationError = 1.35, kUsualStep = 1.25;
    const double needed_fps = picture.rate.fps() / (1 - book_.required_headroom());
    const auto guess_at = [&](int preset) { return GuessSpeed(book_.options(), SettingsOf(family, preset, picture)); };
    const auto of_good = good >= 0 ? guess_at(good) : std::nullopt;
    int last = good, fails = bad;
    for (int preset = good + 1; preset < bad && fails == bad; ++preset) {
      const auto guess = guess_at(preset);
      if (!guess && last > good) break;
      if (!guess) continue;
      const double at_most = guess->throughput_fps * (guess->by_others ? kInterpolationError : kNoise);
      (at_most < needed_fps ? fails : last) = preset;
    }
    if (last > good) return last;
    if (fails - good < 2) return std::nullopt;
    if (!of_good) return good + (fails - good) / 2;
    const int steps = static_cast<int>(std::log(of_good->throughput_fps / needed_fps) / std::log(kUsualStep));
    return steps > 0 ? std::optional(std::min(good + steps, fails - 1)) : std::nullopt;
  }

  // A frame rate within 5 % of one that was tried at this size and is behind, 48 beside 50; or a quarter above or a
  // fifth below one that is far behind.
  bool IsLikeOneBehind(GridPoint place) const {
    const double fps = space_.rates[static_cast<std::size_t>(place.rate)].fps();
    return std::any_of(tried_.begin(), tried_.end(), [&](const Tried& other) {
      if (other.place.size != place.size || other.place.rate == place.rate || !other.picture.best) return false;
      const double ratio = space_.rates[static_cast<std::size_t>(other.place.rate)].fps() / fps;
      const double behind = best_score_ - Score(other.picture);
      return (ratio > 0.95 && ratio < 1.05 && behind > kWorth) || (ratio >= 0.8 && ratio <= 1.25 && behind > kNear);
    });
  }

  // Its pictures cannot become so much better, by what the last halving of the rate gave them, that they make up for
  // the motion that is lost. Each further one gives less.
  bool RateIsHopeless(GridPoint place) const {
    constexpr double kMargin = 2.5;  // points: there is time for a slower preset
    const Tried *higher = nullptr, *highest = nullptr;
    for (int rate = place.rate - 1; rate >= 0; --rate)
      if (const Tried* tried = Find({place.size, rate}); tried && tried->picture.best) {
        if (higher) {
          highest = tried;
          break;
        }
        higher = tried;
      }
    if (!higher || !highest) return false;
    const auto fps = [&](int rate) { return space_.rates[static_cast<std::size_t>(rate)].fps(); };
    const Quality &low = higher->picture.best->quality, &high = highest->picture.best->quality;
    const double gain = std::max(0.0, low.picture_score - high.picture_score) /
                        std::log(fps(highest->place.rate) / fps(higher->place.rate)) *
                        std::log(fps(higher->place.rate) / fps(place.rate));
    const FrameRate rate = space_.rates[static_cast<std::size_t>(place.rate)];
    return (low.picture_score + gain + kMargin) * FrameRateShare(rate, space_.rates.front(), low.motion) <= best_score_;
  }

  // At some picture where this family and the leading one were both seen, so far behind that it could not have caught
  // up on the way here, the distance changing with each step by as much as it ever did.
  bool IsFarBehind(const std::string& family, const Tried& here) const {
    const std::string& leader = families_.front();
    if (family == leader || !here.reach.contains(leader)) return false;
    std::vector<const Tried*> both;
    for (const Tried& other : tried_)
      if (other.reach.contains(family) && other.reach.contains(leader)) both.push_back(&other);
    const auto gap = [&](const Tried& tried) { return tried.reach.at(leader) - tried.reach.at(family); };
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
    if (!start || !start->picture.best) return false;
    std::vector<double> gains;
    for (int rate = 0; rate < static_cast<int>(space_.rates.size()); ++rate) {
      const Tried *before = Find({from.size, rate}), *after = Find({from.size + step, rate});
      const bool tells = step < 0 ? rate > from.rate : rate < from.rate;
      if (tells && before && after && before->picture.best && after->picture.best)
        gains.push_back(Score(after->picture) - Score(before->picture));
    }
    if (gains.size() < least_seen) return false;
    const auto [least, most] = std::minmax_element(gains.begin(), gains.end());
    const double spread = std::max(kBeside, *most - *least);
    return Score(start->picture) + *most + spread + margin <= best_score_;
  }

  // Looks mostly get better along the presets, not always: at the best picture, and at those of other frame rates that
  // are not far behind.
  void LookBesideThePresets() {
    const int size = here_.size;
    const double near = best_score_ - kBeside;
    for (Tried& tried : tried_)
      if (tried.place.size == size && Score(tried.picture) >= near) LookBesideThePreset(tried);
  }

  // The presets beside the best one's, until two in a row are no better.
  void LookBesideThePreset(Tried& tried) {
    constexpr int kPatience = 2;
    const std::string family = tried.picture.best->settings.encoder;
    const auto& presets = FindFamily(family).presets;
    const auto best = std::find(presets.begin(), presets.end(), tried.picture.best->settings.preset) - presets.begin();
    for (const int step : {-1, 1}) {
      int worse = 0;
      for (int preset = static_cast<int>(best) + step;
           preset >= 0 && preset < tried.last.at(family).high && worse < kPatience; preset += step) {
        if (book_.SurelyTooSlow(SettingsOf(family, preset, tried.picture))) break;
        Option candidate = Measure(family, preset, tried.picture);
        const bool better = Holds(candidate) && candidate.score > Score(tried.picture);
        worse = better ? 0 : worse + 1;
        if (better) tried.picture.best = std::move(candidate);
        best_score_ = std::max(best_score_, Score(tried.picture));
      }
    }
  }

  // What a preset added over a faster one, shared by the steps between; of each step the most that was seen.
  void NoteGain(const std::string& family, int faster, int slower, double gain) {
    auto& steps = gains_[family];
    steps.resize(FindFamily(family).presets.size());
    for (int step = faster + 1; step <= slower; ++step) {
      auto& most = steps[static_cast<std::size_t>(step)];
      most = std::max(most.value_or(0), gain / (slower - faster));
    }
  }

  // What the presets slower than the range's lowest could add, going by what each step added elsewhere; a step that was
  // not seen, as much as the largest. Nothing if none was seen.
  std::optional<double> MostGain(const std::string& family, const Range& range) const {
    const auto known = gains_.find(family);
    if (known == gains_.end()) return std::nullopt;
    double largest = 0, sum = 0;
    for (const auto& gain : known->second) largest = std::max(largest, gain.value_or(0));
    for (int step = range.low + 1; step < range.high; ++step)
      sum += known->second[static_cast<std::size_t>(step)].value_or(largest);
    return sum;
  }

  // Even if each slower preset added as much as it was seen to add, none would look better than the best.
  bool IsHopeless(const std::string& family, const Option& option, const Range& range,
                  const TriedPicture& picture) const {
    const auto gain = MostGain(family, range);
    return gain && option.scored() && option.score + *gain <= std::max(best_score_, Score(picture)) + kWorth;
  }

  bool IsPastThePeak(const Tried& tried) const {
    if (!tried.picture.best) return false;
    const EncodeSettings &own = tried.picture.best->settings, &best = Find(here_)->picture.best->settings;
    const auto& presets = FindFamily(own.encoder).presets;
    return Score(tried.picture) < best_score_ - kClearly && own.encoder == best.encoder &&
           std::find(presets.begin(), presets.end(), own.preset) >=
               std::find(presets.begin(), presets.end(), best.preset);
  }

  bool found() const { return best_score_ > kNotScored; }

  // Goes along the sizes, up or down from a place, until `patience` in a row are no better, or one is not and the next
  // need not be looked at; to the end while nothing keeps pace at all.
  void Go(GridPoint place, int step, int patience) {
    int worse = 0;
    for (place.size += step; place.size >= 0 && place.size < static_cast<int>(space_.sizes.size()) && worse < patience;
         place.size += step) {
      if (StepIsHopeless({place.size - step, place.rate}, step, worse > 0 ? -kWorth : kNear, 1)) return;
      const bool better = Try(place) || !found();
      worse = better ? 0 : worse + (IsPastThePeak(*Find(place)) ? patience : 1);
    }
  }

  const SearchSpace& space_;
  OptionBook& book_;
  std::vector<std::string> families_;  // the one that led last first
  std::vector<Tried> tried_;
  GridPoint here_;  // the best so far
  double best_score_ = kNotScored;
  std::map<std::string, std::vector<std::optional<double>>>
      gains_;  // by family and preset, over the next faster one: points
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
