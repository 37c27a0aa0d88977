// SPDX-License-Identifier: Apache-2.0
// What encodes take together, and what a machine lacks of it.
#include <algorithm>

#include "kettle/placement/placement.h"

namespace kettle {

namespace {

constexpr double kBytesAPixel = 1.5;  // 4:2:0, 8 bits

double MemoryTraffic(const EncodeSettings& settings) {
  constexpr double kTimesMoved = 5;  // as at Demand
  return kBytesAPixel * kTimesMoved * static_cast<double>(settings.size.pixels()) * settings.frame_rate.fps();
}

// An encode on the game's own card needs no copy; one on the processors or on another card gets each frame by one.
double CrossingCores(const Option& encode, const Capacity& capacity) {
  if (capacity.game_card.empty() || capacity.copy_bytes_per_second <= 0) return 0;
  const bool place_unknown = encode.device == "gpu" && encode.bus_address.empty();
  if (place_unknown || encode.bus_address == capacity.game_card) return 0;
  const EncodeSettings& settings = encode.settings;
  return kBytesAPixel * static_cast<double>(settings.size.pixels()) * settings.frame_rate.fps() /
         capacity.copy_bytes_per_second;
}

using Encodes = std::vector<const Option*>;

// Whether more encodes are on its card than its driver opens at once.
bool IsOneTooMany(const Option& encode, const Encodes& encodes, const Capacity& capacity) {
  const auto sessions = capacity.sessions.find(encode.settings.encoder);
  if (sessions == capacity.sessions.end() || sessions->second <= 0) return false;
  return std::count_if(encodes.begin(), encodes.end(), [&](const Option* other) { return OnOneCard(encode, *other); }) >
         sessions->second;
}

Demand DemandOfAll(const Encodes& encodes, const Option* recorded, const Capacity& capacity) {
  Demand demand;
  bool working = true;
  for (const Option* encode : encodes) {
    const double crossing_cores = CrossingCores(*encode, capacity);
    demand.crossing_cores += crossing_cores;
    demand.cpu_cores += (encode->cpu_cores + encode->feeding_cores) * capacity.real_time_factor + crossing_cores;
    double engine = 0;
    for (const Option* other : encodes)
      if (OnOneCard(*encode, *other)) engine += other->engine_share();
    demand.engine_share = std::max(demand.engine_share, engine);
    demand.too_many_sessions = demand.too_many_sessions || IsOneTooMany(*encode, encodes, capacity);
    demand.memory_bytes_per_second += MemoryTraffic(encode->settings);
    working = working && encode->trouble.empty();
  }
  if (recorded) demand.disk_bytes_per_second = recorded->peak_second_kbps * 1000 / 8;
  demand.fits = working && Lacking(demand, capacity).empty();
  return demand;
}

}  // namespace

Demand PredictDemand(const std::vector<Option>& encodes, const Capacity& capacity) {
  Encodes all;
  for (const Option& encode : encodes) all.push_back(&encode);
  return DemandOfAll(all, nullptr, capacity);
}

Demand PredictDemand(const Option& stream, const Option& recording, const Capacity& capacity) {
  return DemandOfAll({&stream, &recording}, &recording, capacity);
}

Demand DemandAlone(const Option& stream, const Capacity& capacity) { return DemandOfAll({&stream}, &stream, capacity); }

Demand DemandOf(const Pair& pair, const Capacity& capacity) {
  Encodes encodes{&pair.stream};
  if (!pair.one_encode) encodes.push_back(&pair.recording);
  for (const FurtherStream& further : pair.further) encodes.push_back(&further.option);
  return DemandOfAll(encodes, pair.one_encode ? &pair.stream : &pair.recording, capacity);
}

std::vector<Message> Lacking(const Demand& demand, const Capacity& capacity) {
  const double free = 1 - capacity.headroom;
  std::vector<Message> lacking;
  if (demand.too_many_sessions) lacking.push_back(Message{"placement.lacks-sessions"});
  if (const double there = capacity.cpu_cores * free; demand.cpu_cores > there)
    lacking.push_back(Message{"placement.lacks-cores", {{"needed", demand.cpu_cores}, {"there", there}}});
  if (demand.engine_share > free)
    lacking.push_back(
        Message{"placement.lacks-engine", {{"needed", demand.engine_share * 100}, {"there", free * 100}}});
  if (const double there = capacity.memory_bytes_per_second * free; there > 0 && demand.memory_bytes_per_second > there)
    lacking.push_back(
        Message{"placement.lacks-memory", {{"needed", demand.memory_bytes_per_second / 1e9}, {"there", there / 1e9}}});
  if (const double there = capacity.disk_bytes_per_second * free; there > 0 && demand.disk_bytes_per_second > there)
    lacking.push_back(
        Message{"placement.lacks-disk", {{"needed", demand.disk_bytes_per_second / 1e9}, {"there", there / 1e9}}});
  return lacking;
}

}  // namespace kettle
