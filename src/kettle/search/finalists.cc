// SPDX-License-Identifier: Apache-2.0
#include "kettle/search/finalists.h"

#include <algorithm>
#include <cmath>
#include <cstdlib>

namespace kettle {

namespace {

constexpr double kFar = 10;  // points behind in the busiest stretch: no calm one makes up for it

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
    if (!picture.best || picture.best->busiest_score() < best_busiest_ - kFar) return nullptr;
    if (picture.best->calm.empty()) picture.best = book_.MeasureWhole(picture.best->settings);
    return picture.best->calm.empty() ? nullptr : &picture;
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
    std::vector<TriedPicture*> neighbours{larger, smaller, higher, lower};
    std::erase(neighbours, nullptr);
    return neighbours;
  }

  std::vector<TriedPicture>& tried_;
  OptionBook& book_;
  const double best_busiest_;
};

}  // namespace

std::vector<TriedPicture> RankFinalists(std::vector<TriedPicture> tried, OptionBook& book) {
  if (!book.has_calm() || tried.empty() || !tried.front().best) return tried;
  Finals(tried, book).Run();
  const auto whole = [](const TriedPicture& picture) { return picture.best && !picture.best->calm.empty(); };
  std::stable_sort(tried.begin(), tried.end(), [&](const TriedPicture& a, const TriedPicture& b) {
    return whole(a) != whole(b) ? whole(a) : whole(a) && a.best->score > b.best->score;
  });
  return tried;
}

}  // namespace kettle
