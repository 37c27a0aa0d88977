// SPDX-License-Identifier: Apache-2.0
// What uplink prints.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "commands/commands.h"
#include "kettle/search/enough_bits.h"
#include "kettle/uplink/budget.h"
#include "kettle/uplink/measurement.h"
#include "session/session.h"

namespace kettle::app {

struct UplinkResult {
  std::vector<IngestReport> reports;  // the best ingest first; empty: nothing was measured
  Message sent_how;                   // why no more was sent
  bool simulated = false;             // the ingests were stand-ins
  Budget budget;
  std::vector<Message> warnings;
  std::optional<LineAnswer> answer;  // if something is left for pictures
  std::optional<EnoughBits> enough;  // the same

  bool feasible() const { return budget.one_encode_kbps() >= kLeastVideoKbps; }
};

std::string Mbps(double kbps);  // "9.9 Mbit/s"

void PrintUplink(const Session& session, const UplinkResult& result);

// What the send-queue model says of the rate controls, in sentences.
std::vector<std::string> RateControlVerdict(const RateChoice& choice);

}  // namespace kettle::app
