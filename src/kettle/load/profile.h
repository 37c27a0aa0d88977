// SPDX-License-Identifier: Apache-2.0
// What the game and other programs take from the machine over time.
#pragma once

#include <filesystem>
#include <nlohmann/json_fwd.hpp>
#include <string>
#include <vector>

namespace kettle {

struct LoadProfile {
  struct Program {
    std::string name;
    double cores = 0;  // on average
  };
  double interval_seconds = 0.2;          // of one sample
  std::vector<std::vector<double>> duty;  // by sample, by core: the share of the time in which it was busy, 0 to 1
  std::vector<std::vector<double>> gpu;  // by sample, by GPU: the share of its shader units, 0 to 1; none could be read
  struct Gpu {
    std::string name, bus_address;
  };
  std::vector<Gpu> gpus;          // which they are, where that was told
  double memory_share = 0;        // how much slower memory was than on the idle machine, 0 to 1: a proxy
  std::vector<Program> programs;  // that took a tenth of a core or more, most first

  int cores() const { return duty.empty() ? 0 : static_cast<int>(duty.front().size()); }
  double seconds() const { return static_cast<double>(duty.size()) * interval_seconds; }
  std::vector<double> mean_gpu() const;  // by GPU
  // The card that the game draws on: the one whose shader units had most to do. Null: none had, or nothing tells.
  const Gpu* game_card() const;
  double mean_cores() const;                         // over all cores and samples
  int busiest_second() const;                        // the first of those in which most cores were in use
  double peak_second_cores() const;                  // in that second
  std::vector<double> SecondDuty(int second) const;  // each core's mean in that second
};

// The same load on a machine with `cores` cores: what has no core of its own is added to another's, at most all of it.
LoadProfile OntoCores(const LoadProfile& profile, int cores);

// The same load, around and around, from `second` on, which may lie before its start or after its end.
LoadProfile StartingAt(const LoadProfile& profile, int second);

// Throws Error(kInput) with one line: no such file, no load profile, nothing in it.
LoadProfile ReadLoadProfile(const std::filesystem::path& file);

void to_json(nlohmann::json& json, const LoadProfile& profile);
void from_json(const nlohmann::json& json, LoadProfile& profile);

}  // namespace kettle
