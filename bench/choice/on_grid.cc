// SPDX-License-Identifier: Apache-2.0
// How many trials the model needs to find the best stream that fits, on a grid that was measured whole: it sees a cell
// only when it asks for it, with noise on its processor time.
//   on_grid BENCH.json...          of plan --exhaustive; x264, of the clip and bit rate with most cells
#include <fmt/format.h>

#include <cmath>
#include <fstream>
#include <map>
#include <nlohmann/json.hpp>
#include <random>

#include "kettle/decision/next_measurement.h"
#include "kettle/model/cost_model.h"
#include "kettle/model/looks_model.h"
#include "kettle/units/statistics.h"

namespace {

using namespace kettle;

struct Cell {
  EncodeSettings settings;
  double cores = 0, seconds = 0;  // that its encode takes; that its trial took
  bool cut_short = false;
  std::optional<double> score;  // of its pictures
  double share = 1;             // that its frame rate leaves of it
  double worth() const { return score ? (*score > 0 ? *score * share : *score) : -100; }
};

std::vector<Cell> Read(const char* file) {
  std::map<std::string, std::vector<Cell>> grids;
  const nlohmann::json bench = nlohmann::json::parse(std::ifstream(file));
  for (const nlohmann::json& trial : bench.at("trials")) {
    Cell cell{trial.at("settings").get<EncodeSettings>()};
    const EncodeSettings& s = cell.settings;
    if (trial.at("status") != "done" || s.encoder != "x264" || s.rate_control != RateControl::kConstantBitRate)
      continue;
    cell.cores = trial.at("cpu_cores");
    cell.seconds = trial.at("timing").at("total_seconds");
    cell.cut_short = trial.value("truncated", false);
    if (trial.contains("quality") && trial["quality"].is_object() && !trial["quality"]["picture_score"].is_null())
      cell.score = trial["quality"]["picture_score"].get<double>();
    if (cell.score) cell.share = trial["quality"].value("frame_rate_share", 1.0);
    const std::string clip = trial.at("footage_key");
    grids[fmt::format("{} {} {}", clip, Extras(s), s.bit_rate.kbps())].push_back(cell);
  }
  std::vector<Cell> most;
  for (const auto& [key, cells] : grids)
    if (cells.size() > most.size()) most = cells;
  // What a frame rate takes is known before any of its encodes is measured.
  std::map<double, double> shares;
  for (const Cell& cell : most)
    if (cell.score) shares[cell.settings.frame_rate.fps()] = cell.share;
  for (Cell& cell : most)
    if (shares.contains(cell.settings.frame_rate.fps())) cell.share = shares[cell.settings.frame_rate.fps()];
  return most;
}

struct Found {
  int trials = 0;
  double time_share = 0, lost = 0;
};

Found Search(const std::vector<Cell>& grid, double cores, unsigned seed, double noise) {
  constexpr double kNobodySees = 0.1, kTrialSeconds = 1;  // a trial's own time, beside its encode
  std::mt19937 random(seed);
  std::normal_distribution<double> off(0, noise);
  std::int64_t pixels = 0;
  double best = -100, all_seconds = 0;
  for (const Cell& cell : grid) {
    pixels = std::max<std::int64_t>(pixels, cell.settings.size.pixels());
    all_seconds += cell.seconds;
    if (!cell.cut_short && cell.cores <= cores) best = std::max(best, cell.worth());
  }
  CostModel cost;
  LooksModel looks(pixels, grid.front().settings.bit_rate.kbps());
  std::vector<bool> seen(grid.size());
  Found found;
  const auto measure = [&](std::size_t i) {
    const Cell& cell = grid[i];
    const double seconds = cell.cores / cell.settings.frame_rate.fps() * std::exp(off(random));
    seen[i] = true;
    if (cell.cut_short)
      cost.ObserveMoreThan(cell.settings, "clip", seconds, 0.3);
    else
      cost.Observe(cell.settings, "clip", seconds, noise);
    if (cell.score) looks.Observe(cell.settings, "clip", *cell.score);
    ++found.trials;
    found.time_share += cell.seconds / all_seconds;
  };
  const auto holds = [&](const Cell& cell) {
    return ProbabilityAtMost(cost.LogSeconds(cell.settings, "clip"), std::log(cores / cell.settings.frame_rate.fps()));
  };
  const auto leader = [&] {
    const Cell* leading = nullptr;
    for (std::size_t i = 0; i < grid.size(); ++i)
      if (seen[i] && !grid[i].cut_short && holds(grid[i]) > 0.5 && (!leading || grid[i].worth() > leading->worth()))
        leading = &grid[i];
    return leading;
  };
  for (;;) {
    std::vector<std::size_t> open;
    std::vector<Rival> rivals;
    for (std::size_t i = 0; i < grid.size(); ++i) {
      if (seen[i]) continue;
      const Cell& cell = grid[i];
      const Estimate raw = looks.Score(cell.settings, "clip");
      const double encode = std::exp(cost.LogSeconds(cell.settings, "clip").mean) * cell.settings.frame_rate.fps();
      open.push_back(i);
      rivals.push_back({{raw.mean > 0 ? raw.mean * cell.share : raw.mean, raw.deviation * cell.share},
                        holds(cell),
                        kTrialSeconds + std::min(2.5, encode)});
    }
    const Cell* lead = leader();
    const auto next = NextMeasurement(rivals, lead ? lead->worth() : -100, kNobodySees);
    if (!next) break;
    measure(open[*next]);
  }
  const Cell* lead = leader();
  found.lost = lead ? best - lead->worth() : best + 100;
  return found;
}

void Play(const char* file) {
  const std::vector<Cell> grid = Read(file);
  fmt::print("{}: {} cells\n", file, grid.size());
  if (grid.empty()) return;
  for (const double noise : {0.06, 0.12})
    for (const double cores : {1.6, 1.3, 1.1, 0.8, 0.6}) {
      std::vector<double> trials, shares, lost;
      for (unsigned seed = 0; seed < 20; ++seed) {
        const Found found = Search(grid, cores, seed, noise);
        trials.push_back(found.trials);
        shares.push_back(found.time_share);
        lost.push_back(found.lost);
      }
      fmt::print("  noise {}, {} cores: {:.0f} trials, {:.1f} % of the time, lost {:.2f} points (most {:.2f})\n", noise,
                 cores, *Mean(trials), 100 * *Mean(shares), *Mean(lost), *std::max_element(lost.begin(), lost.end()));
    }
}

}  // namespace

int main(int argc, char** argv) {
  for (int i = 1; i < argc; ++i) Play(argv[i]);
}
