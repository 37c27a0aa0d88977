// SPDX-License-Identifier: Apache-2.0
// What uplink prints.
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "kettle/search/enough_bits.h"
#include "kettle/uplink/budget.h"
#include "kettle/uplink/measurement.h"
#include "kettle/uplink/rate_choice.h"
#include "tables/result_place.h"

namespace kettle::app {

struct UplinkResult {
  std::vector<IngestReport> reports;  // the best ingest first; empty: nothing was measured
  Message sent_how;                   // why no more was sent
  bool simulated = false;             // the ingests were stand-ins
  Budget budget;
  std::vector<Message> warnings;
  std::optional<RateChoice> choice;  // if something is left for pictures
  std::optional<EnoughBits> enough;  // the same

  bool feasible() const { return budget.one_encode_kbps() >= kLeastVideoKbps; }
};

std::string Mbps(double kbps);  // "9.9 Mbit/s"

void to_json(nlohmann::json& json, const UplinkResult& result);
void from_json(const nlohmann::json& json, UplinkResult& result);

void PrintUplink(const UplinkResult& result, const ResultPlace& place);

// What the send-queue model says of the rate controls, in sentences.
std::vector<std::string> RateControlVerdict(const RateChoice& choice);

}  // namespace kettle::app
