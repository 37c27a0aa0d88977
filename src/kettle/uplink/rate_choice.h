// SPDX-License-Identifier: Apache-2.0
// Which rate control, and how high a rate, a line carries without losing frames.
#pragma once

#include <algorithm>
#include <nlohmann/json_fwd.hpp>
#include <string>
#include <vector>

#include "kettle/encoders/settings.h"
#include "kettle/line/decoder_buffer.h"
#include "kettle/line/line_model.h"
#include "kettle/uplink/budget.h"

namespace kettle {

// A way to control the rate, and what a real encode made of it.
struct RateControlSample {
  RateControl kind = RateControl::kConstantBitRate;
  double peak_ratio = 1;  // maximum over average bit rate
  double buffer_seconds = 1;
  double asked_kbps = 0;  // the average
  CodedStream stream;

  std::string title() const;  // "variable bit rate, peaks 1.5 times, 1 s buffer"
  // Delivered; other rates are modelled as if this had been them, for a short clip's rate control has not settled.
  double mean_kbps() const;
  std::vector<double> SecondsKbps() const;  // of each whole second
};

struct RateControlAnswer {
  RateControlSample sample;
  double highest_kbps =
      0;  // average that loses no more than the allowed share of frames beyond what is lost at any rate
  double maximum_kbps = 0;  // its cap
  SendingOutcome at_least;  // at the least rate: what this line loses whatever is sent
  SendingOutcome at_highest;
  SendingOutcome at_budget;  // at the budget's rate
  BufferCheck buffer;        // of the encode as it was made
  bool at_most = false;      // the line would carry more than was asked about
};

struct RateChoice {
  std::vector<RateControlAnswer> answers;  // best first
  double most_kbps = 0;                    // that was asked about
  double budget_kbps = 0;                  // of video
  double allowed_loss = 0.001;
  // The budget's rate, or less if the best rate control loses frames at it.
  double chosen_kbps() const { return answers.empty() ? 0 : std::min(budget_kbps, answers.front().highest_kbps); }
  bool chosen() const { return !answers.empty() && answers.front().highest_kbps > 0; }
};

// `model.scale` and `audio_kbps` are set here. `model.line_share` tells how much of the line is this stream's own.
// Rates are tried in steps of 50 kbit/s up to `most_kbps`. The best one carries most; between equals a constant rate,
// then a buffer near a second: less room makes pictures worse, more makes the stream later.
RateChoice ChooseRateControl(const std::vector<RateControlSample>& samples, const LineTrace& line, double most_kbps,
                             double budget_kbps, const SendingModel& model, double allowed_loss = 0.001);

// The ways that are tried: constant, and capped variable at 1.25 and 1.5 times, each with these buffers. With
// `settings`' encoder, preset, size and average.
std::vector<EncodeSettings> RateControlCandidates(const EncodeSettings& settings,
                                                  const std::vector<double>& buffer_seconds = {0.5, 1, 2});

void to_json(nlohmann::json& json, const RateChoice& choice);
// Without the encodes' pictures.
void from_json(const nlohmann::json& json, RateChoice& choice);

}  // namespace kettle
