// SPDX-License-Identifier: Apache-2.0
#include "kettle/placement/sharing.h"

#include <algorithm>
#include <cmath>

namespace kettle {

namespace {

double CoresAlone(const Option& option) { return option.cpu_cores + option.feeding_cores; }

}  // namespace

std::optional<CoreShares> DivideCores(const Pair& pair, const std::vector<int>& usable) {
  const auto count = static_cast<std::ptrdiff_t>(usable.size());
  if (pair.one_encode || !pair.further.empty() || pair.stream.device != "cpu" || pair.recording.device != "cpu" ||
      count < 2)
    return std::nullopt;
  const double stream = CoresAlone(pair.stream), recording = CoresAlone(pair.recording);
  const double share = stream + recording > 0 ? stream / (stream + recording) : 0.5;
  const auto first =
      usable.begin() + std::clamp<std::ptrdiff_t>(std::lround(share * static_cast<double>(count)), 1, count - 1);
  return CoreShares{{usable.begin(), first}, {first, usable.end()}};
}

bool FitsDivided(const Pair& pair, const CoreShares& cores, const Capacity& capacity) {
  const double all = static_cast<double>(cores.stream.size() + cores.recording.size());
  const auto fits = [&](const Option& option, const std::vector<int>& part) {
    const double room = capacity.cpu_cores * static_cast<double>(part.size()) / all;
    return CoresAlone(option) <= room * (1 - capacity.headroom);
  };
  return fits(pair.stream, cores.stream) && fits(pair.recording, cores.recording);
}

std::optional<Attempt> TryDivided(const std::vector<int>& usable, const Capacity& capacity,
                                  const std::function<Proof(const Pair&)>& prove, Proving& proving) {
  constexpr double kClearlySooner = 0.8;
  constexpr int kHalfFull = 3;  // frames
  const Attempt shared = proving.attempts.back();
  if (std::max(shared.proof.stream.deepest_queue, shared.proof.recording.deepest_queue) < kHalfFull)
    return std::nullopt;
  const auto cores = DivideCores(shared.pair, usable);
  if (!cores || !FitsDivided(shared.pair, *cores, capacity)) return std::nullopt;
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
