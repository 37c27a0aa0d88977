// SPDX-License-Identifier: Apache-2.0
// From what was seen of a broadcast to what goes wrong with it, and why.
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "kettle/diagnosis/diagnosis.h"
#include "kettle/message/message.h"
#include "kettle/watching/watch.h"

namespace kettle {

// Seconds in a row in which the same thing kept the program from its work.
struct Trouble {
  Cause cause = Cause::kUnknown;
  double from_seconds = 0, to_seconds = 0;
  std::string program;  // of kOtherProgram
  Message why;          // what was seen
};

struct WatchVerdict {
  std::vector<Trouble> troubles;  // in time order
  struct Cure {
    Cause cause;
    double seconds = 0;  // of all its stretches
    Message action;
  };
  std::vector<Cure> cures;     // the longest first
  std::vector<Message> notes;  // what differs from the plan; heat
};

// No frame can be counted from outside, so this goes by what starves one: processors with nothing idle while the
// program's threads wait; its own threads at the limit of one processor; a connection behind which more than a second
// of the stream waits; a recording that pauses for much longer than it usually does. "Usual" is the median of what was
// watched.
WatchVerdict FindTroubles(const std::vector<WatchSecond>& seconds, const WatchFacts& facts);

// What is nearest to its limit in that second, and how near: 1 is at it.
struct Nearness {
  Message what;
  double share = 0;
};
Nearness NearestLimit(const WatchSecond& second, const WatchFacts& facts, double usual_kbps);

double UsualKbps(const std::vector<WatchSecond>& seconds);  // the median of what it sent; 0 for none

void to_json(nlohmann::json& json, const WatchVerdict& verdict);

}  // namespace kettle
