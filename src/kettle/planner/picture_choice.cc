// SPDX-License-Identifier: Apache-2.0
#include "kettle/planner/picture_choice.h"

namespace kettle {

namespace {

std::string NameOf(const TriedPicture& picture) { return picture.size.str() + " at " + picture.rate.str(); }

// The picture with the highest score of that kind.
const TriedPicture* BestBy(const std::vector<TriedPicture>& tried, double (Option::*score)() const) {
  const TriedPicture* best = nullptr;
  for (const TriedPicture& picture : tried)
    if (picture.best && (!best || ((*picture.best).*score)() > ((*best->best).*score)())) best = &picture;
  return best;
}

// What either stretch alone would have chosen, where both were measured.
Message ByStretch(const std::vector<TriedPicture>& tried, const TriedPicture& chosen, const Message& reason) {
  if (!chosen.best || chosen.best->calm.empty()) return reason;
  const TriedPicture *busiest = BestBy(tried, &Option::busiest_score), *calmest = BestBy(tried, &Option::calmest_score);
  if (busiest == &chosen && calmest == &chosen) return Message{"picture.same-by-stretch", {{"reason", reason}}};
  return Message{"picture.by-stretch",
                 {{"reason", reason}, {"busiest", NameOf(*busiest)}, {"calmest", NameOf(*calmest)}}};
}

}  // namespace

void ChoosePicture(const std::vector<TriedPicture>& tried, const TriedPicture& chosen, const Message& why,
                   Targets& targets) {
  targets.stream.size = chosen.size;
  targets.stream.frame_rate = chosen.rate;
  // Of those that differ in one thing only: how many, and which comes next.
  const auto compared = [&](const auto& same, const auto& name, const char* what) {
    int measured = 1;
    const TriedPicture* next = nullptr;
    for (const TriedPicture& other : tried) {
      if (!same(other) || &other == &chosen) continue;
      ++measured;
      if (other.best && (!next || other.best->score > next->best->score)) next = &other;
    }
    Message reason{"picture.of-measured", {{"why", why}, {"count", measured}, {"what", what}}};
    if (next) reason = Message{"picture.next-best", {{"reason", reason}, {"next", name(*next)}}};
    return reason;
  };
  if (targets.sizes.size() > 1)
    Explain(targets, {"stream.size", chosen.size.str(),
                      ByStretch(tried, chosen,
                                compared([&](const TriedPicture& t) { return t.rate == chosen.rate; },
                                         [](const TriedPicture& t) { return t.size.str(); }, "sizes")),
                      true});
  if (targets.rates.size() > 1)
    Explain(targets, {"stream.frame_rate", chosen.rate.str(),
                      compared([&](const TriedPicture& t) { return t.size == chosen.size; },
                               [](const TriedPicture& t) { return t.rate.str(); }, "frame rates"),
                      true});
}

}  // namespace kettle
