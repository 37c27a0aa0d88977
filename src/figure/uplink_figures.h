// SPDX-License-Identifier: Apache-2.0
// Figures of a line: what it carried, what of it the stream takes, and how a queue before it fills.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "kettle/uplink/rate_choice.h"

namespace kettle {

// line.svg and .png: the line over time with budget and chosen rate; under it the one-second rates of the encodes.
void DrawLine(const std::filesystem::path& folder, const LineTrace& line, const Budget& budget,
              const RateChoice& choice);

struct DelayCurve {
  std::string name;
  SendingOutcome outcome;  // with delay_by_second
};
// queue-delay.svg and .png.
void DrawQueueDelay(const std::filesystem::path& folder, const std::vector<DelayCurve>& curves, double kbps,
                    double most_delay_seconds);

}  // namespace kettle
