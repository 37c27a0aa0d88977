// SPDX-License-Identifier: Apache-2.0
// What a worker process can do, by name: the one list of tasks.
#pragma once

#include <map>
#include <string>

#include "kettle/worker/worker.h"

namespace kettle {

// "encode", "soak", "pace", "quality", "strip", "probe", "limits", "nvidia". A task that is not asked as agreed throws
// the JSON library's exception.
std::map<std::string, WorkerTask> MeasuringTasks();

}  // namespace kettle
