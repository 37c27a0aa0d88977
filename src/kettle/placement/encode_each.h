// SPDX-License-Identifier: Apache-2.0
// An encode of its own for each destination, in place of one for all: what each would get, and what that costs the
// machine.
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "kettle/option/trial_book.h"
#include "kettle/placement/placement.h"
#include "kettle/uplink/budget.h"

namespace kettle {

struct EncodeEach {
  struct Encode {
    std::string destination;
    Option option;  // the chosen stream at the destination's own rate, measured alone on one clip
  };
  std::vector<Encode> encodes;
  Demand demand;      // of all of them and the recording, predicted from each alone
  Demand one_demand;  // of the plan's pair

  // Cores more than the plan's pair takes.
  double more_cores() const { return demand.cpu_cores - one_demand.cpu_cores; }
};

// Nothing if fewer than two destinations take the stream, none of them would get another rate, or a trial fails. Trials
// are made on `footage`, the clip on which the stream looks worst.
std::optional<EncodeEach> WeighEncodeEach(const Pair& chosen, const std::optional<Budget>& budget,
                                          const Footage& footage, const Capacity& capacity, TrialBook& book);

void to_json(nlohmann::json& json, const EncodeEach& each);
void from_json(const nlohmann::json& json, EncodeEach& each);

}  // namespace kettle
