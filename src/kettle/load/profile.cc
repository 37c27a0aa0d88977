// SPDX-License-Identifier: Apache-2.0
#include "kettle/load/profile.h"

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>
#include <numeric>

#include "kettle/input/input.h"
#include "kettle/units/error.h"
#include "kettle/units/json_fields.h"

namespace kettle {

namespace {

double Sum(const std::vector<double>& values) { return std::accumulate(values.begin(), values.end(), 0.0); }

// As many in each sample, at least one, all of them from 0 to 1.
bool AreShares(const std::vector<std::vector<double>>& samples) {
  return std::all_of(samples.begin(), samples.end(), [&](const std::vector<double>& sample) {
    return !sample.empty() && sample.size() == samples.front().size() &&
           std::all_of(sample.begin(), sample.end(), [](double share) { return share >= 0 && share <= 1.001; });
  });
}

nlohmann::json Rounded(const std::vector<std::vector<double>>& samples) {
  nlohmann::json rows = nlohmann::json::array();
  for (const auto& sample : samples) {
    nlohmann::json row = nlohmann::json::array();
    for (const double share : sample) row.push_back(std::round(share * 1000) / 1000);
    rows.push_back(std::move(row));
  }
  return rows;
}

}  // namespace

double LoadProfile::mean_cores() const {
  double sum = 0;
  for (const auto& sample : duty) sum += Sum(sample);
  return duty.empty() ? 0 : sum / static_cast<double>(duty.size());
}

std::vector<double> LoadProfile::mean_gpu() const {
  std::vector<double> mean(gpu.empty() ? 0 : gpu.front().size(), 0.0);
  for (const auto& sample : gpu)
    for (std::size_t i = 0; i < mean.size(); ++i) mean[i] += sample[i] / static_cast<double>(gpu.size());
  return mean;
}

std::vector<double> LoadProfile::SecondDuty(int second) const {
  const auto a_second = static_cast<std::size_t>(std::max(1L, std::lround(1 / interval_seconds)));
  std::vector<double> mean(static_cast<std::size_t>(cores()), 0.0);
  std::size_t count = 0;
  for (std::size_t i = static_cast<std::size_t>(second) * a_second; i < duty.size() && count < a_second; ++i, ++count)
    for (std::size_t core = 0; core < mean.size(); ++core) mean[core] += duty[i][core];
  for (double& share : mean) share /= static_cast<double>(std::max<std::size_t>(1, count));
  return mean;
}

const LoadProfile::Gpu* LoadProfile::game_card() const {
  constexpr double kDraws = 0.1;  // of a card's shader units: a desktop takes less
  const std::vector<double> mean = mean_gpu();
  const auto busiest = std::max_element(mean.begin(), mean.end());
  if (busiest == mean.end() || *busiest < kDraws || gpus.size() != mean.size()) return nullptr;
  return &gpus[static_cast<std::size_t>(busiest - mean.begin())];
}

int LoadProfile::busiest_second() const {
  int busiest = 0;
  double peak = 0;
  for (int second = 0; second < static_cast<int>(seconds()); ++second)
    if (const double cores = Sum(SecondDuty(second)); cores > peak) {
      peak = cores;
      busiest = second;
    }
  return busiest;
}

double LoadProfile::peak_second_cores() const { return Sum(SecondDuty(busiest_second())); }

LoadProfile OntoCores(const LoadProfile& profile, int cores) {
  LoadProfile result = profile;
  for (auto& sample : result.duty) {
    std::vector<double> folded(static_cast<std::size_t>(cores), 0.0);
    for (std::size_t core = 0; core < sample.size(); ++core) folded[core % folded.size()] += sample[core];
    // What is too much for one goes to the others.
    double rest = 0;
    for (double& share : folded) {
      rest += std::max(0.0, share - 1);
      share = std::min(1.0, share);
    }
    for (double& share : folded) {
      const double taken = std::min(rest, 1 - share);
      share += taken;
      rest -= taken;
    }
    sample = std::move(folded);
  }
  return result;
}

LoadProfile StartingAt(const LoadProfile& profile, int second) {
  LoadProfile result = profile;
  const auto samples = static_cast<long>(profile.duty.size());
  if (samples == 0) return result;
  const long first = std::lround(second / profile.interval_seconds) % samples;
  const long turned = (first + samples) % samples;
  std::rotate(result.duty.begin(), result.duty.begin() + turned, result.duty.end());
  if (!result.gpu.empty()) std::rotate(result.gpu.begin(), result.gpu.begin() + turned, result.gpu.end());
  return result;
}

LoadProfile ReadLoadProfile(const std::filesystem::path& file) {
  const nlohmann::json json = ReadJsonInput(file);
  try {
    if (json.value("schema", "") != "fast-kettle/load/1") FailInput("{}: not a load profile", file.string());
    auto profile = json.get<LoadProfile>();
    if (!AreShares(profile.duty)) FailInput("{}: each sample holds the duty of every core, from 0 to 1", file.string());
    if (!profile.gpu.empty() && (!AreShares(profile.gpu) || profile.gpu.size() != profile.duty.size()))
      FailInput("{}: each sample holds the use of every GPU, from 0 to 1", file.string());
    if (profile.duty.empty() || !(profile.interval_seconds > 0)) FailInput("{}: an empty load profile", file.string());
    return profile;
  } catch (const nlohmann::json::exception& error) {
    FailInput("{}: an incomplete load profile: {}", file.string(), InPlainWords(error));
  }
}

void to_json(nlohmann::json& json, const LoadProfile& profile) {
  nlohmann::json programs = nlohmann::json::array();
  for (const LoadProfile::Program& program : profile.programs)
    programs.push_back({{"name", program.name}, {"cores", program.cores}});
  nlohmann::json gpus = nlohmann::json::array();
  for (const LoadProfile::Gpu& gpu : profile.gpus)
    gpus.push_back({{"name", gpu.name}, {"bus_address", gpu.bus_address}});
  json = {{"interval_seconds", profile.interval_seconds},
          {"cores", profile.cores()},
          {"seconds", profile.seconds()},
          {"mean_cores", profile.mean_cores()},
          {"peak_second_cores", profile.peak_second_cores()},
          {"memory_share", profile.memory_share},
          {"programs", programs},
          {"duty", Rounded(profile.duty)},
          {"gpus", gpus},
          {"mean_gpu", profile.mean_gpu()},
          {"gpu", Rounded(profile.gpu)}};
}

void from_json(const nlohmann::json& json, LoadProfile& profile) {
  KETTLE_READ_FIELDS(json, profile, interval_seconds, memory_share, duty);
  if (json.contains("gpu")) json["gpu"].get_to(profile.gpu);  // an earlier version did not watch it
  for (const auto& gpu : json.value("gpus", nlohmann::json::array()))
    profile.gpus.push_back({gpu.at("name"), gpu.at("bus_address")});
  for (const auto& program : json.at("programs")) profile.programs.push_back({program.at("name"), program.at("cores")});
}

}  // namespace kettle
