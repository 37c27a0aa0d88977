// SPDX-License-Identifier: Apache-2.0
#include "kettle/placement/step_down.h"

#include <algorithm>
#include <tuple>

#include "kettle/encoders/catalogue.h"
#include "kettle/units/json_fields.h"

namespace kettle {

namespace {

// The next faster option in the same family that works, if there is one.
std::optional<Option> Faster(const Option& option, Role role, const std::vector<FamilyOptions>& families) {
  const auto& presets = FindFamily(option.settings.encoder).presets;
  const auto place = std::find(presets.begin(), presets.end(), option.settings.preset);
  const auto family = std::find_if(families.begin(), families.end(), [&](const FamilyOptions& f) {
    return f.family == option.settings.encoder && f.device == option.settings.device;
  });
  if (place == presets.end() || family == families.end()) return std::nullopt;
  for (auto preset = static_cast<int>(place - presets.begin()) - 1; preset >= 0; --preset)
    if (Option faster = family->measure(role, preset); faster.trouble.empty()) return faster;
  return std::nullopt;
}

// Of the frames that an output should have coded; never less than a tenth.
double CodedShare(const PacedOutputOutcome& output) {
  constexpr double kLeast = 0.1;
  return output.frames > 0 ? std::max(kLeast, 1 - static_cast<double>(output.skipped) / output.frames) : 1;
}

// A failure, or too little room, of which others had their part: the same settings may hold when it is quiet.
bool DisturbedByOthers(const Attempt& attempt, const Capacity& capacity) {
  const Proof& proof = attempt.proof;
  const bool good = proof.holds() && attempt.room(capacity) >= capacity.headroom;
  return proof.status == WorkerStatus::kDone && !good && proof.disturbed();
}

}  // namespace

const char* Name(PlanVerdict verdict) {
  switch (verdict) {
    case PlanVerdict::kHolds: return "holds";
    case PlanVerdict::kTight: return "tight";
    case PlanVerdict::kOverload: return "overload";
  }
  return "";
}

double Attempt::room(const Capacity& capacity) const {
  const double encodes = std::max(proof.cpu_cores, proof.busiest_cpu_cores);
  return 1 - (encodes + proof.stand_in_cores) / std::max(1e-6, capacity.cpu_cores);
}

std::optional<double> Attempt::OwnRealTimeFactor(const Capacity& capacity) const {
  const double predicted = pair.demand.cpu_cores;
  if (proof.status != WorkerStatus::kDone || proof.disturbed() || predicted <= 0) return std::nullopt;
  const double coded = std::min(CodedShare(proof.stream), pair.one_encode ? 1 : CodedShare(proof.recording));
  const double taken = std::max(proof.cpu_cores, proof.busiest_cpu_cores) / coded;
  return capacity.real_time_factor * taken / predicted;
}

double Attempt::RealTimeFactor(const Capacity& capacity) const {
  const double before = capacity.real_time_factor;
  return room(capacity) >= capacity.headroom ? before : std::max(before, OwnRealTimeFactor(capacity).value_or(before));
}

bool Attempt::has_room(const Capacity& capacity) const {
  return room(capacity) >= capacity.headroom && pair.demand.engine_share <= 1 - capacity.headroom &&
         pair.stream.keeps_pace(capacity.headroom) && pair.recording.keeps_pace(capacity.headroom) &&
         std::all_of(pair.further.begin(), pair.further.end(),
                     [&](const FurtherStream& further) { return further.option.keeps_pace(capacity.headroom); });
}

void Proving::LetBestStand(const Capacity& capacity) {
  const auto rank = [&](const Attempt& attempt) {
    const bool has_room = attempt.has_room(capacity);
    return std::make_tuple(attempt.proof.kept_pace(), has_room,
                           has_room ? static_cast<double>(&attempt - attempts.data()) : attempt.room(capacity));
  };
  const auto best = std::max_element(attempts.begin(), attempts.end(),
                                     [&](const Attempt& a, const Attempt& b) { return rank(a) < rank(b); });
  if (best != attempts.end() && best->proof.kept_pace()) std::rotate(best, best + 1, attempts.end());
}

PlanVerdict Proving::verdict(const Capacity& capacity) const {
  if (!holds()) return PlanVerdict::kOverload;
  return attempts.back().has_room(capacity) ? PlanVerdict::kHolds : PlanVerdict::kTight;
}

std::optional<Pair> StepDown(const Pair& pair, const Proof& proof, const std::vector<FamilyOptions>& families,
                             const Capacity& capacity) {
  const bool stream_in_the_way =
      proof.stream.skipped > 0 && pair.stream.device == "cpu" && pair.recording.device != pair.stream.device;
  Pair next = pair;
  if (pair.one_encode) {
    auto faster = Faster(pair.stream, Role::kStream, families);
    if (!faster) return std::nullopt;
    next.Stream(std::move(*faster));
    next.demand = DemandOf(next, capacity);
    return next;
  }
  auto recording = stream_in_the_way ? std::nullopt : Faster(pair.recording, Role::kRecording, families);
  if (recording) {
    next.recording = std::move(*recording);
  } else if (auto stream = Faster(pair.stream, Role::kStream, families)) {
    next.stream = std::move(*stream);
  } else {
    recording = Faster(pair.recording, Role::kRecording, families);
    if (!recording) return std::nullopt;
    next.recording = std::move(*recording);
  }
  next.demand = DemandOf(next, capacity);
  return next;
}

Proving ProveBest(const Placement& placement, const std::vector<FamilyOptions>& families, const Capacity& capacity,
                  const std::function<Proof(const Pair&)>& prove, int most_attempts,
                  const std::function<bool(const Pair&)>& worth_it, const std::function<bool()>& go_on) {
  Proving proving;
  for (const Pair& start : placement.feasible) {
    std::optional<Pair> pair = start;
    while (pair && static_cast<int>(proving.attempts.size()) < most_attempts) {
      const bool tried = std::any_of(proving.attempts.begin(), proving.attempts.end(),
                                     [&](const Attempt& attempt) { return SameSettings(attempt.pair, *pair); });
      if (tried) break;
      if (worth_it && !proving.attempts.empty() && !worth_it(*pair)) {
        proving.LetBestStand(capacity);
        return proving;
      }
      pair->demand = DemandOf(*pair, capacity);  // by what the runs until now told of real time
      proving.attempts.push_back({*pair, prove(*pair)});
      if (DisturbedByOthers(proving.attempts.back(), capacity) &&
          static_cast<int>(proving.attempts.size()) < most_attempts)
        proving.attempts.push_back({*pair, prove(*pair)});
      const Attempt& last = proving.attempts.back();
      if (last.proof.holds() && last.has_room(capacity)) return proving;
      // A driver that fails is not helped by a faster preset: the next placement is.
      if (last.proof.status != WorkerStatus::kDone) break;
      if (go_on && !go_on()) {
        proving.LetBestStand(capacity);
        return proving;
      }
      pair = StepDown(*pair, last.proof, families, capacity);
    }
    proving.LetBestStand(capacity);
    if (!proving.attempts.empty() && proving.attempts.back().proof.kept_pace()) break;
  }
  return proving;
}

KETTLE_JSON(Attempt, pair, proof)

}  // namespace kettle
