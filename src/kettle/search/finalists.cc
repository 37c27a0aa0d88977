// SPDX-License-Identifier: Apache-2.0
#include "kettle/search/finalists.h"

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <optional>

#include "kettle/option/with_encoder.h"

namespace kettle {

namespace {

constexpr double kAlike = 0.3;  // points
constexpr double kBehind = 1;   // likewise: more than two scores of the same picture may lie apart

class Finals {
 public:
  Finals(std::vector<TriedPicture>& tried, OptionBook& book)
      : tried_(tried), book_(book), best_busiest_(tried.front().best->busiest_score()) {}

  void Run() {
    const TriedPicture* best = Enter(tried_.front());
    for (const TriedPicture* before = nullptr; best && before != best;) {
      before = best;
      for (TriedPicture* next : NeighboursOf(*before)) {
        const TriedPicture* entered = Enter(*next);
        if (entered && entered->best->score > best->best->score) best = entered;
      }
    }
  }

 private:
  // Measures it whole; null if it is too far behind or cannot be measured.
  const TriedPicture* Enter(TriedPicture& picture) {
    if (!picture.best || picture.best->busiest_score() < best_busiest_ - kFarInBusiest) return nullptr;
    if (picture.untried) TryTheSlowerPreset(picture);
    if (picture.best->calm.empty()) picture.best = book_.MeasureWhole(picture.best->settings);
    return picture.best->calm.empty() ? nullptr : &picture;
  }

  void TryTheSlowerPreset(TriedPicture& picture) {
    const Option slower = book_.Measure(picture.untried->settings, picture.best->score);
    if (slower.keeps_pace(book_.required_headroom()) && slower.score > picture.best->score) picture.best = slower;
    picture.untried.reset();
  }

  // The next larger and smaller size at its frame rate, the next higher and lower rate at its size.
  std::vector<TriedPicture*> NeighboursOf(const TriedPicture& picture) {
    TriedPicture *larger = nullptr, *smaller = nullptr, *higher = nullptr, *lower = nullptr;
    const auto nearer = [](TriedPicture*& known, TriedPicture& one, auto distance) {
      if (!known || distance(one) < distance(*known)) known = &one;
    };
    const auto by_size = [&](const TriedPicture& one) { return std::abs(one.size.pixels() - picture.size.pixels()); };
    const auto by_rate = [&](const TriedPicture& one) { return std::abs(one.rate.fps() - picture.rate.fps()); };
    for (TriedPicture& one : tried_) {
      if (!one.best) continue;
      if (one.rate == picture.rate && one.size != picture.size)
        nearer(one.size.pixels() > picture.size.pixels() ? larger : smaller, one, by_size);
      if (one.size == picture.size && one.rate != picture.rate)
        nearer(one.rate.fps() > picture.rate.fps() ? higher : lower, one, by_rate);
    }
    // Calm pictures need fewer bits: what is too small for the busy ones is more so for them.
    if (smaller && smaller->best->busiest_score() < picture.best->busiest_score() - kBehind) smaller = nullptr;
    std::vector<TriedPicture*> neighbours{larger, smaller, higher, lower};
    std::erase(neighbours, nullptr);
    return neighbours;
  }

  std::vector<TriedPicture>& tried_;
  OptionBook& book_;
  const double best_busiest_;
};

// The best looking option known at a picture that keeps pace there.
std::optional<Option> BestKnown(const OptionBook& book, const Option& like) {
  std::optional<Option> best;
  for (const Option& option : book.options()) {
    EncodeSettings alike = WithEncoder(like.settings, option.settings.encoder, option.settings.preset);
    alike.device = option.settings.device;
    if (alike == option.settings && option.keeps_pace(book.required_headroom()) && option.scored() &&
        (!best || option.score > best->score))
      best = option;
  }
  return best;
}

// What leads does so on all footage: what was left out as easier is measured now. No other can look better than on the
// footage where it was measured, so that nothing else needs it.
void ConfirmBest(std::vector<TriedPicture>& tried, OptionBook& book) {
  for (std::size_t round = 0; round < tried.size() && tried.front().best; ++round) {
    TriedPicture& first = tried.front();
    const Option before = *first.best;
    const Option confirmed = book.MeasureEverywhere(before.settings);
    if (confirmed.clips.size() == before.clips.size() && confirmed.keeps_pace(book.required_headroom())) return;
    first.best = confirmed.keeps_pace(book.required_headroom()) ? confirmed : BestKnown(book, before);
    SortByLooks(tried);
  }
}

// Among those measured as far as the best: what has more frames must look alike on all footage too.
void PreferMoreFrames(std::vector<TriedPicture>& tried, OptionBook& book) {
  const double least = tried.front().best->score - kAlike;
  const bool with_calm = !tried.front().best->calm.empty();
  auto first = tried.begin();
  for (auto one = tried.begin() + 1; one != tried.end(); ++one) {
    const auto looks_alike = [&] {
      return one->best && one->best->measured && one->best->calm.empty() != with_calm && one->best->score >= least &&
             one->best->keeps_pace(book.required_headroom());
    };
    if (one->rate.fps() <= first->rate.fps() || !looks_alike()) continue;
    one->best = book.MeasureEverywhere(one->best->settings);
    if (looks_alike()) first = one;
  }
  std::rotate(tried.begin(), first, first + 1);
}

}  // namespace

void SortByLooks(std::vector<TriedPicture>& tried) {
  const auto whole = [](const TriedPicture& picture) { return picture.best && !picture.best->calm.empty(); };
  const auto score = [](const TriedPicture& picture) { return picture.best ? picture.best->score : kNotScored; };
  std::stable_sort(tried.begin(), tried.end(), [&](const TriedPicture& a, const TriedPicture& b) {
    return whole(a) != whole(b) ? whole(a) : score(a) > score(b);
  });
}

std::vector<TriedPicture> RankFinalists(std::vector<TriedPicture> tried, OptionBook& book) {
  if (tried.empty() || !tried.front().best) return tried;
  if (book.has_calm()) {
    Finals(tried, book).Run();
    SortByLooks(tried);
  }
  ConfirmBest(tried, book);
  if (tried.front().best) PreferMoreFrames(tried, book);
  return tried;
}

}  // namespace kettle
