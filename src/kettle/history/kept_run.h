// SPDX-License-Identifier: Apache-2.0
// One run that the history keeps. Plain values.
#pragma once

#include <cstdint>
#include <map>
#include <string>
#include <vector>

#include "kettle/message/message.h"

namespace kettle {

// What may make a later run's figures others than an earlier one's, by kind: "kernel", "processor", "library",
// "driver", "graphics card", "line", "program". Each is words as the survey tells them.
using Circumstances = std::map<std::string, std::vector<std::string>>;

struct KeptRun {
  std::int64_t number = 0;  // the history gives it: 1, 2, ... and never one twice
  std::string name;         // that the user gave it; empty: none
  std::string utc;          // ISO 8601, when it ended
  std::string kind;         // "survey", "uplink", "bench", "plan", "rehearsal", "watch"
  std::string title;        // the show's
  Message verdict;
  std::string version;  // of the program
  std::string machine_digest;
  std::string folder;  // where its files were written
  Circumstances circumstances;
  bool simulated = false;  // something of it was measured on a simulated device
  std::int64_t bytes = 0;  // that its files have, before they are compressed
};

// A result's file, as it was written.
struct KeptFile {
  std::string name;  // "plan.json"
  std::string content;
};

}  // namespace kettle
