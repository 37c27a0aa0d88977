// SPDX-License-Identifier: Apache-2.0
#include "past_runs/run_json.h"

#include <nlohmann/json.hpp>

namespace kettle::app {

nlohmann::json RunJson(const KeptRun& run) {
  nlohmann::json json = {{"number", run.number},      {"time", run.utc},
                         {"kind", run.kind},          {"title", run.title},
                         {"verdict", run.verdict},    {"version", run.version},
                         {"folder", run.folder},      {"machine_digest", run.machine_digest},
                         {"bytes", run.bytes},        {"circumstances", run.circumstances},
                         {"simulated", run.simulated}};
  if (!run.name.empty()) json["name"] = run.name;
  return json;
}

}  // namespace kettle::app
