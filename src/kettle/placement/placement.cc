// SPDX-License-Identifier: Apache-2.0
#include "kettle/placement/placement.h"

#include <algorithm>
#include <cmath>
#include <map>

#include "kettle/option/ladder_walk.h"
#include "kettle/units/error.h"

namespace kettle {

namespace {

constexpr double kSameQualityDb = 0.1;

// Scores in steps of what nobody sees, so that "the same" is the same for any three pairs.
long QualityStep(const Option& option) { return std::lround(option.score / kSameQualityDb); }

// What both encodes take from the game, in tenths of a processor; a simulated device's share is no encode's.
long CoreStep(const Pair& pair) { return std::lround((pair.demand.cpu_cores - pair.demand.stand_in_cores) * 10); }

bool Better(const Pair& a, const Pair& b) {
  if (QualityStep(a.stream) != QualityStep(b.stream)) return QualityStep(a.stream) > QualityStep(b.stream);
  if (CoreStep(a) != CoreStep(b)) return CoreStep(a) < CoreStep(b);
  return QualityStep(a.recording) > QualityStep(b.recording);
}

// Where a family's walk for one role ended: the slowest preset that keeps pace alone.
struct Walked {
  const FamilyOptions* family = nullptr;
  int last = -1;
  Option option;
};

std::string TooSlow(const Option& fastest, double headroom) {
  if (!fastest.trouble.empty()) return fastest.trouble;
  const double rate = fastest.settings.frame_rate.fps();
  return fmt::format("its fastest preset makes {:.0f} frames a second; {} at {:.0f} % headroom needs {:.0f}",
                     fastest.throughput_fps, fastest.settings.frame_rate.str(), headroom * 100, rate / (1 - headroom));
}

class Placer {
 public:
  Placer(const std::vector<FamilyOptions>& families, const Capacity& capacity)
      : families_(families), capacity_(capacity) {}

  Placement Run(bool recording_is_heavier) {
    for (const FamilyOptions& family : families_) {
      const int last = Walk(family, Role::kStream, family.presets, -1);
      // What the stream cannot hold, a heavier recording cannot either.
      const int most = recording_is_heavier ? last + 1 : family.presets;
      Walk(family, Role::kRecording, most, recording_is_heavier ? last : -1);
    }
    // The best looking streams first: they spare the others their walk.
    std::stable_sort(streams_.begin(), streams_.end(),
                     [](const Walked& a, const Walked& b) { return a.option.score > b.option.score; });
    for (const Walked& stream : streams_)
      for (const Walked& recording : recordings_) Weigh(stream, recording);
    std::stable_sort(placement_.feasible.begin(), placement_.feasible.end(), Better);
    return std::move(placement_);
  }

 private:
  bool Fits(const Option& stream, const Option& recording) const {
    return PredictDemand(stream, recording, capacity_).fits;
  }

  // Walks one family's first `presets` presets for one role and notes where it ends.
  int Walk(const FamilyOptions& family, Role role, int presets, int first_guess) {
    const auto holds = [&](int i) { return family.measure(role, i).keeps_pace(capacity_.headroom); };
    const int last = LastHolding(presets, holds, first_guess);
    if (last >= 0) {
      (role == Role::kStream ? streams_ : recordings_).push_back({&family, last, Best(family, role, last)});
    } else if (presets > 0) {
      const Option fastest = family.measure(role, 0);
      placement_.rejected.push_back({role == Role::kStream ? fastest.title() : "any",
                                     role == Role::kRecording ? fastest.title() : "any", std::nullopt,
                                     TooSlow(fastest, capacity_.headroom)});
    }
    return last;
  }

  // Of the presets measured so far, up to `last`, the one that looks best: slower is mostly better, not
  // always.
  Option Best(const FamilyOptions& family, Role role, int last) const {
    Option best = family.measure(role, last);
    for (int i = last - 1; i >= 0; --i) {
      if (!family.known(role, i)) continue;
      Option faster = family.measure(role, i);
      if (faster.keeps_pace(capacity_.headroom) && faster.score > best.score) best = std::move(faster);
    }
    return best;
  }

  void Reject(const Option& stream, const Option& recording, const std::string& why) {
    placement_.rejected.push_back(
        {stream.title(), recording.title(), PredictDemand(stream, recording, capacity_), why});
  }

  // "together they need 1.92 of 1.60 cores".
  std::string Misfit(const Option& stream, const Option& recording) const {
    return "together they need " + Lacking(PredictDemand(stream, recording, capacity_), capacity_);
  }

  void Weigh(const Walked& s, const Walked& r) {
    if (s.family->sessions == 1 && r.family->device == s.family->device && r.option.device == "gpu" &&
        s.option.device == "gpu")
      return Reject(s.option, r.option, "its driver allows only one encode at a time");
    if (Fits(s.option, r.option)) return Accept(s.option, r.option);
    for (const Pair& pair : placement_.feasible)
      if (QualityStep(pair.stream) > QualityStep(s.option))
        return Reject(s.option, r.option,
                      fmt::format("{}, and even alone the stream looks worse ({:.2f} dB) than with {} ({:.2f} dB)",
                                  Misfit(s.option, r.option), s.option.score, pair.stream.title(), pair.stream.score));
    const Option lightest = r.family->measure(Role::kRecording, 0);
    const int stream_last = LastHolding(
        s.last + 1, [&](int i) { return Fits(s.family->measure(Role::kStream, i), lightest); }, s.last);
    if (stream_last < 0) {
      const Option fastest = s.family->measure(Role::kStream, 0);
      // One that failed or was never measured is no measured misfit: its own reason is told.
      const std::string trouble = fastest.trouble.empty() ? lightest.trouble : fastest.trouble;
      return Reject(fastest, lightest,
                    trouble.empty() ? "even their fastest presets do not fit: " + Misfit(fastest, lightest) : trouble);
    }
    const Option stream = Best(*s.family, Role::kStream, stream_last);
    if (Fits(stream, r.option)) return Accept(stream, r.option);
    const int recording_preset =
        LastHolding(r.last, [&](int i) { return i == 0 || Fits(stream, r.family->measure(Role::kRecording, i)); });
    Accept(stream, Best(*r.family, Role::kRecording, std::max(0, recording_preset)));
  }

  void Accept(const Option& stream, const Option& recording) {
    // Cost grows along the presets but for noise: what was taken for lighter may after all not be.
    if (!Fits(stream, recording)) return Reject(stream, recording, Misfit(stream, recording));
    placement_.feasible.push_back({stream, recording, PredictDemand(stream, recording, capacity_)});
  }

  const std::vector<FamilyOptions>& families_;
  const Capacity& capacity_;
  std::vector<Walked> streams_, recordings_;
  Placement placement_;
};

}  // namespace

namespace {

double MemoryTraffic(const EncodeSettings& settings) {
  constexpr double kBytesAPixel = 1.5, kTimesMoved = 5;  // 4:2:0, 8 bits; as at Demand
  return kBytesAPixel * kTimesMoved * static_cast<double>(settings.size.pixels()) * settings.frame_rate.fps();
}

}  // namespace

bool SameSettings(const Pair& a, const Pair& b) {
  return a.stream.settings == b.stream.settings && a.recording.settings == b.recording.settings;
}

Demand PredictDemand(const std::vector<Option>& encodes, const Capacity& capacity) {
  Demand demand;
  bool working = true;
  std::map<int, double> engines;
  for (const Option& encode : encodes) {
    demand.stand_in_cores += encode.stand_in_cores;
    demand.cpu_cores += encode.cpu_cores + encode.feeding_cores + encode.stand_in_cores;
    double& engine = engines[encode.settings.device];
    engine += encode.engine_share();
    demand.engine_share = std::max(demand.engine_share, engine);
    demand.memory_bytes_per_second += MemoryTraffic(encode.settings);
    working = working && encode.trouble.empty();
  }
  demand.fits = working && Lacking(demand, capacity).empty();
  return demand;
}

Demand PredictDemand(const Option& stream, const Option& recording, const Capacity& capacity) {
  Demand demand = PredictDemand({stream, recording}, capacity);
  demand.disk_bytes_per_second = recording.peak_second_kbps * 1000 / 8;
  demand.fits = demand.fits && Lacking(demand, capacity).empty();
  return demand;
}

std::string Lacking(const Demand& demand, const Capacity& capacity) {
  const double free = 1 - capacity.headroom;
  std::string lacking;
  const auto add = [&](const std::string& what) { lacking += (lacking.empty() ? "" : ", ") + what; };
  if (demand.cpu_cores > capacity.cpu_cores * free)
    add(fmt::format("{:.2f} of {:.2f} cores", demand.cpu_cores, capacity.cpu_cores * free));
  if (demand.engine_share > free)
    add(fmt::format("{:.0f} of {:.0f} % of the GPU's engine", demand.engine_share * 100, free * 100));
  const auto bytes = [&](double needed, double there, const char* of) {
    if (there > 0 && needed > there * free)
      add(fmt::format("{:.2f} of {:.2f} GB/s of {}", needed / 1e9, there * free / 1e9, of));
  };
  bytes(demand.memory_bytes_per_second, capacity.memory_bytes_per_second, "memory");
  bytes(demand.disk_bytes_per_second, capacity.disk_bytes_per_second, "the disk");
  return lacking;
}

Placement Place(const std::vector<FamilyOptions>& families, const Capacity& capacity, bool recording_is_heavier) {
  return Placer(families, capacity).Run(recording_is_heavier);
}

}  // namespace kettle
