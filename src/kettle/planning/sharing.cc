// SPDX-License-Identifier: Apache-2.0
#include "kettle/planning/sharing.h"

#include <algorithm>
#include <cmath>

namespace kettle {

std::optional<CoreShares> DivideCores(const Pair& pair, const std::vector<int>& usable) {
  const auto count = static_cast<std::ptrdiff_t>(usable.size());
  if (pair.stream.device != "cpu" || pair.recording.device != "cpu" || count < 2) return std::nullopt;
  const double stream = pair.stream.cpu_cores + pair.stream.feeding_cores,
               recording = pair.recording.cpu_cores + pair.recording.feeding_cores;
  const double share = stream + recording > 0 ? stream / (stream + recording) : 0.5;
  const auto first =
      usable.begin() + std::clamp<std::ptrdiff_t>(std::lround(share * static_cast<double>(count)), 1, count - 1);
  return CoreShares{{usable.begin(), first}, {first, usable.end()}};
}

std::optional<Attempt> TryDivided(const std::vector<int>& usable, const Capacity& capacity,
                                  const std::function<Proof(const Pair&)>& prove, Proving& proving) {
  constexpr double kClearlySooner = 0.8;
  const Attempt shared = proving.attempts.back();
  const auto cores = DivideCores(shared.pair, usable);
  if (!cores) return std::nullopt;
  Attempt divided{shared.pair, {}};
  divided.pair.cores = *cores;
  divided.proof = prove(divided.pair);
  const bool better = divided.proof.holds() && (divided.has_room(capacity) || !shared.has_room(capacity)) &&
                      divided.proof.stream.latency.p99_ms < kClearlySooner * shared.proof.stream.latency.p99_ms;
  if (!better) return divided;
  proving.attempts.push_back(std::move(divided));
  return shared;
}

}  // namespace kettle
