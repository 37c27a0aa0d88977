// SPDX-License-Identifier: Apache-2.0
#include "kettle/placement/placement.h"
#include "kettle/units/json_fields.h"

namespace kettle {

void to_json(nlohmann::json& json, const Capacity& capacity) {
  KETTLE_WRITE_FIELDS(json, capacity, cpu_cores, headroom, memory_bytes_per_second, disk_bytes_per_second,
                      real_time_factor, game_card, copy_bytes_per_second);
}

void from_json(const nlohmann::json& json, Capacity& capacity) {
  KETTLE_READ_FIELDS(json, capacity, cpu_cores, headroom, memory_bytes_per_second, disk_bytes_per_second,
                     real_time_factor);
  capacity.game_card = json.value("game_card", "");  // an earlier version did not ask
  capacity.copy_bytes_per_second = json.value("copy_bytes_per_second", 0.0);
}

void to_json(nlohmann::json& json, const Demand& demand) {
  KETTLE_WRITE_FIELDS(json, demand, cpu_cores, crossing_cores, engine_share, memory_bytes_per_second,
                      disk_bytes_per_second, fits);
  json.update({{"predicted", true}});
}

void from_json(const nlohmann::json& json, Demand& demand) {
  KETTLE_READ_FIELDS(json, demand, cpu_cores, engine_share, memory_bytes_per_second, disk_bytes_per_second, fits);
  demand.crossing_cores = json.value("crossing_cores", 0.0);
}

KETTLE_JSON(CoreShares, stream, recording)
KETTLE_JSON(FurtherStream, destinations, option)
KETTLE_JSON(Pair, stream, recording, demand, cores, one_encode, destinations, further)
KETTLE_JSON(RejectedPair, stream, recording, demand, why)

}  // namespace kettle
