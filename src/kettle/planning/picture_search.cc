// SPDX-License-Identifier: Apache-2.0
#include "kettle/planning/picture_search.h"

#include <algorithm>
#include <map>

#include "kettle/encoders/catalogue.h"
#include "kettle/planning/ladder_walk.h"

namespace kettle {

namespace {

struct Place {
  int size = 0, rate = 0;  // indices: a larger one is a smaller size, a lower rate
  bool operator==(const Place&) const = default;
};

class Searcher {
 public:
  Searcher(const SearchSpace& space, OptionBook& book) : space_(space), book_(book) {}

  std::vector<TriedPicture> Run() {
    Try(here_);
    Descend(&Place::size, static_cast<int>(space_.sizes.size()));
    Descend(&Place::rate, static_cast<int>(space_.rates.size()));
    while (Neighbours()) {
    }
    std::stable_sort(tried_.begin(), tried_.end(),
                     [](const Tried& a, const Tried& b) { return Score(a.picture) > Score(b.picture); });
    std::vector<TriedPicture> pictures;
    for (Tried& tried : tried_) pictures.push_back(std::move(tried.picture));
    return pictures;
  }

 private:
  struct Tried {
    Place place;
    TriedPicture picture;
    std::map<std::string, int> last;  // by family: its slowest preset that keeps pace; -1 if none does
  };

  // Below zero if nothing keeps pace.
  static double Score(const TriedPicture& picture) { return picture.best ? picture.best->score : -1; }

  const Tried* Find(Place place) const {
    const auto found = std::find_if(tried_.begin(), tried_.end(), [&](const Tried& t) { return t.place == place; });
    return found == tried_.end() ? nullptr : &*found;
  }

  // Tries a picture, unless it was; true if it is now the best.
  bool Try(Place place) {
    if (Find(place)) return false;
    Tried tried{place, {space_.sizes[static_cast<std::size_t>(place.size)],
                        space_.rates[static_cast<std::size_t>(place.rate)], std::nullopt}, {}};
    for (const std::string& family : space_.families) Walk(family, tried);
    const bool better = Score(tried.picture) > best_score_;
    tried_.push_back(std::move(tried));
    if (better) {
      here_ = place;
      best_score_ = Score(tried_.back().picture);
    }
    return better;
  }

  // The slowest preset of a family that keeps pace at a picture, within what other pictures have shown.
  void Walk(const std::string& family, Tried& tried) {
    const int presets = static_cast<int>(FindFamily(family).presets.size());
    int low = -1, high = presets;
    for (const Tried& other : tried_) {
      const int last = other.last.at(family);
      if (other.place.size <= tried.place.size && other.place.rate <= tried.place.rate) low = std::max(low, last);
      if (other.place.size >= tried.place.size && other.place.rate >= tried.place.rate) high = std::min(high, last + 1);
    }
    low = std::min(low, high - 1);
    const auto option = [&](int preset) {
      EncodeSettings settings = space_.target;
      settings.encoder = family;
      settings.preset = FindFamily(family).presets[static_cast<std::size_t>(preset)];
      settings.size = tried.picture.size;
      settings.frame_rate = tried.picture.rate;
      return settings;
    };
    const auto measure = [&](int preset) {
      return book_.Measure(option(preset), std::max(best_score_, Score(tried.picture)));
    };
    const int beyond = LastHolding(
        high - low - 1, [&](int i) { return measure(low + 1 + i).keeps_pace(book_.required_headroom()); },
        low < 0 ? -1 : 0);
    int last = low + 1 + beyond;
    // What held with more pixels may fail here for noise: then the next faster one is looked at.
    while (last >= 0 && !measure(last).keeps_pace(book_.required_headroom())) --last;
    tried.last[family] = last;
    for (int preset = 0; preset <= last; ++preset) {
      if (preset < last && !book_.Known(option(preset))) continue;
      Option candidate = measure(preset);
      if (candidate.keeps_pace(book_.required_headroom()) && candidate.score > Score(tried.picture))
        tried.picture.best = std::move(candidate);
    }
  }

  void Descend(int Place::*axis, int count) {
    constexpr int kPatience = 2;
    Place place = here_;
    int worse = 0;
    for (++(place.*axis); place.*axis < count && worse < kPatience; ++(place.*axis))
      // Until something keeps pace at all, nothing is worse.
      worse = Try(place) || best_score_ < 0 ? 0 : worse + 1;
  }

  // Tries what lies around the best; true if one of them is better.
  bool Neighbours() {
    const Place centre = here_;
    for (const auto& [size, rate] : {std::pair{-1, 0}, {1, 0}, {0, -1}, {0, 1}}) {
      const Place place{centre.size + size, centre.rate + rate};
      if (place.size < 0 || place.size >= static_cast<int>(space_.sizes.size()) || place.rate < 0 ||
          place.rate >= static_cast<int>(space_.rates.size()))
        continue;
      if (Try(place)) return true;
    }
    return false;
  }

  const SearchSpace& space_;
  OptionBook& book_;
  std::vector<Tried> tried_;
  Place here_;  // the best so far
  double best_score_ = -1;
};

}  // namespace

std::vector<TriedPicture> SearchPicture(const SearchSpace& space, OptionBook& book) {
  return Searcher(space, book).Run();
}

}  // namespace kettle
