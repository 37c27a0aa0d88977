// SPDX-License-Identifier: Apache-2.0
#include "kettle/plan/picture_choice.h"

#include <fmt/format.h>

namespace kettle {

namespace {

constexpr int kMostPlaced = 3;
constexpr double kWorthSharingDb = 0.1;

double PixelRate(FrameSize size, FrameRate rate) { return static_cast<double>(size.pixels()) * rate.fps(); }

}  // namespace

void ChoosePicture(const std::vector<TriedPicture>& tried, const TriedPicture& chosen, const std::string& why,
                   Targets& targets) {
  targets.stream.size = chosen.size;
  targets.stream.frame_rate = chosen.rate;
  const auto compared = [&](const auto& same, const auto& name) {
    std::string others;
    for (const TriedPicture& other : tried)
      if (same(other) && &other != &chosen)
        others +=
            fmt::format("{}{} {}", others.empty() ? "" : ", ", name(other),
                        other.best ? fmt::format("{}{:.1f}", other.best->measured ? "" : "at most ", other.best->score)
                                   : "does not keep pace");
    return fmt::format("{}; alone it reaches {:.1f} dB MS-SSIM{}", why, chosen.best->score,
                       others.empty() ? "" : ", " + others);
  };
  if (targets.sizes.size() > 1)
    Explain(targets, {"stream.size", chosen.size.str(),
                      compared([&](const TriedPicture& t) { return t.rate == chosen.rate; },
                               [](const TriedPicture& t) { return t.size.str(); }),
                      true});
  if (targets.rates.size() > 1)
    Explain(targets, {"stream.frame_rate", chosen.rate.str(),
                      compared([&](const TriedPicture& t) { return t.size == chosen.size; },
                               [](const TriedPicture& t) { return t.rate.str(); }),
                      true});
}

const TriedPicture* LighterPicture(const std::vector<TriedPicture>& tried, const EncodeSettings& than) {
  constexpr double kClearly = 0.85;
  for (const TriedPicture& picture : tried)
    if (picture.best && PixelRate(picture.size, picture.rate) <= kClearly * PixelRate(than.size, than.frame_rate))
      return &picture;
  return nullptr;
}

Placement PlaceBestPicture(const std::vector<TriedPicture>& tried, const std::function<Placement()>& place,
                           Targets& targets) {
  if (tried.empty() || !tried.front().best) return place();
  const auto place_at = [&](const TriedPicture& picture) {
    targets.stream.size = picture.size;
    targets.stream.frame_rate = picture.rate;
    return place();
  };
  const TriedPicture* best = &tried.front();
  Placement placement = place_at(*best);
  int placed = 1;
  for (const TriedPicture& next : tried) {
    if (placement.feasible.empty() || placed == kMostPlaced) break;
    const double to_beat = placement.feasible.front().stream.score + kWorthSharingDb;
    if (!next.best || next.best->score <= to_beat ||
        PixelRate(next.size, next.rate) >= PixelRate(best->size, best->rate))
      continue;
    Placement other = place_at(next);
    ++placed;
    if (other.feasible.empty() || other.feasible.front().stream.score <= to_beat) continue;
    placement = std::move(other);
    best = &next;
  }
  ChoosePicture(tried, *best,
                best == &tried.front() ? "the best looking of those tried" : "beside the recording the best looking",
                targets);
  return placement;
}

}  // namespace kettle
