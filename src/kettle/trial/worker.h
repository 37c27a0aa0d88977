// SPDX-License-Identifier: Apache-2.0
#pragma once

#include <filesystem>
#include <iosfwd>

namespace kettle {

// The body of a worker process. Reads one request, a JSON object
//   {"task": "encode" | "pace" | "quality" | "probe", "stand_in_gpu": PATH or null, "arguments": {...}},
// from `in`, and writes JSON lines to `out`: {"progress": 0..1} any number of times, then
// {"result": {...}} or {"error": "one line"}. `driver_folder` holds the stand-in driver libraries.
// Returns the process's exit code: 0 with a result, 3 with an error.
int WorkerMain(std::istream& in, std::ostream& out, const std::filesystem::path& driver_folder);

}  // namespace kettle
