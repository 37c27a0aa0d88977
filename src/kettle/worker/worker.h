// SPDX-License-Identifier: Apache-2.0
// The child's side of a worker process: one task in, progress and a result out.
#pragma once

#include <functional>
#include <iosfwd>
#include <map>
#include <nlohmann/json_fwd.hpp>
#include <string>

namespace kettle {

// One kind of task: its arguments to its result, telling progress from 0 to 1.
using WorkerTask =
    std::function<nlohmann::json(const nlohmann::json& arguments, const std::function<void(double)>& progress)>;

// The body of a worker process. Reads one request, a JSON object
//   {"task": a name in `tasks`, "stand_in_gpu": a StandInGpu or null, "arguments": {...}},
// from `in`, and writes JSON lines to `out`: {"progress": 0..1} any number of times, then
// {"result": {...}} or {"error": "one line", "input": is it the user's}. Returns the process's exit code: 0 with a
// result, 3 with an error.
int WorkerMain(std::istream& in, std::ostream& out, const std::map<std::string, WorkerTask>& tasks);

}  // namespace kettle
