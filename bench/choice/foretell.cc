// SPDX-License-Identifier: Apache-2.0
// How well the model foretells a trial that it has not seen: each trial of a bench.json left out in turn.
//   foretell BENCH.json...
#include <fmt/format.h>

#include <cmath>
#include <fstream>
#include <nlohmann/json.hpp>

#include "kettle/model/cost_model.h"
#include "kettle/model/looks_model.h"
#include "kettle/units/statistics.h"

namespace {

using namespace kettle;

struct Seen {
  EncodeSettings settings;
  std::string clip;
  double seconds = 0;  // processor seconds a picture
  bool cut_short = false;
  std::optional<double> score;
};

std::vector<Seen> Read(const char* file) {
  std::vector<Seen> all;
  const nlohmann::json bench = nlohmann::json::parse(std::ifstream(file));
  for (const nlohmann::json& trial : bench.at("trials")) {
    if (trial.at("status") != "done") continue;
    Seen seen{trial.at("settings").get<EncodeSettings>(), trial.at("footage_key")};
    if (seen.settings.encoder != "x264" || seen.settings.rate_control != RateControl::kConstantBitRate) continue;
    seen.seconds = trial.at("cpu_cores").get<double>() / seen.settings.frame_rate.fps();
    seen.cut_short = trial.value("truncated", false);
    if (trial.contains("quality") && trial["quality"].is_object() && trial["quality"].contains("picture_score"))
      seen.score = trial["quality"]["picture_score"].get<double>();
    all.push_back(seen);
  }
  return all;
}

void Foretell(const char* file) {
  const std::vector<Seen> all = Read(file);
  std::vector<double> cost_errors, cost_spread, score_errors, score_spread;
  std::int64_t pixels = 0;
  std::vector<double> rates;
  for (const Seen& seen : all) {
    pixels = std::max(pixels, static_cast<std::int64_t>(seen.settings.size.pixels()));
    rates.push_back(seen.settings.bit_rate.kbps());
  }
  for (std::size_t left_out = 0; left_out < all.size(); ++left_out) {
    CostModel cost;
    LooksModel looks(pixels, *Median(rates));
    for (std::size_t i = 0; i < all.size(); ++i) {
      if (i == left_out) continue;
      const Seen& seen = all[i];
      if (!seen.cut_short) cost.Observe(seen.settings, seen.clip, seen.seconds, 0.08);
      if (seen.score) looks.Observe(seen.settings, seen.clip, *seen.score);
    }
    const Seen& asked = all[left_out];
    if (!asked.cut_short) {
      const Estimate told = cost.LogSeconds(asked.settings, asked.clip);
      cost_errors.push_back(std::abs(told.mean - std::log(asked.seconds)));
      cost_spread.push_back((told.mean - std::log(asked.seconds)) / std::hypot(told.deviation, 0.08));
    }
    if (asked.score) {
      const Estimate told = looks.Score(asked.settings, asked.clip);
      score_errors.push_back(std::abs(told.mean - *asked.score));
      score_spread.push_back((told.mean - *asked.score) / std::hypot(told.deviation, 0.6));
    }
  }
  if (cost_errors.empty() || score_errors.empty()) return fmt::print("{}: too few trials\n", file);
  fmt::print(
      "{}: {} trials; processor time off by {:.0f} % (median), {:.0f} % (nine of ten), spread {:.1f}; score off by "
      "{:.1f} points, {:.1f}, spread {:.1f}\n",
      file, all.size(), 100 * *Median(cost_errors), 100 * *Quantile(cost_errors, 0.9),
      Deviation(cost_spread).value_or(0), *Median(score_errors), *Quantile(score_errors, 0.9),
      Deviation(score_spread).value_or(0));
}

}  // namespace

int main(int argc, char** argv) {
  for (int i = 1; i < argc; ++i) Foretell(argv[i]);
}
