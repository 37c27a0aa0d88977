// SPDX-License-Identifier: Apache-2.0
#include "kettle/placement/placement.h"
#include "kettle/units/json_fields.h"

namespace kettle {

KETTLE_JSON(Capacity, cpu_cores, headroom, memory_bytes_per_second, disk_bytes_per_second, real_time_factor)

void to_json(nlohmann::json& json, const Demand& demand) {
  KETTLE_WRITE_FIELDS(json, demand, cpu_cores, stand_in_cores, engine_share, memory_bytes_per_second,
                      disk_bytes_per_second, fits);
  json.update({{"predicted", true}});
}

void from_json(const nlohmann::json& json, Demand& demand) {
  KETTLE_READ_FIELDS(json, demand, cpu_cores, stand_in_cores, engine_share, memory_bytes_per_second,
                     disk_bytes_per_second, fits);
}

KETTLE_JSON(CoreShares, stream, recording)
KETTLE_JSON(FurtherStream, destinations, option)
KETTLE_JSON(Pair, stream, recording, demand, cores, one_encode, destinations, further)
KETTLE_JSON(RejectedPair, stream, recording, demand, why)

}  // namespace kettle
