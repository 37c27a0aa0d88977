// SPDX-License-Identifier: Apache-2.0
#include "page/conditions.h"

#include <fmt/format.h>

#include <algorithm>
#include <nlohmann/json.hpp>
#include <set>
#include <string>

namespace kettle {

namespace {

using Json = nlohmann::json;

// "x264: libx264.so.164", "nvenc-h264: libavcodec 59.37.100, driver 11.1 (simulated)"
std::string MadeWith(const std::vector<Trial>& trials) {
  std::set<std::string> encoders;
  for (const Trial& trial : trials) {
    std::string text = trial.settings.encoder + ": " + trial.versions.library;
    if (trial.versions.library.empty()) continue;
    if (!trial.versions.driver.empty()) text += ", driver " + trial.versions.driver;
    if (!trial.versions.kernel_driver.empty()) text += ", kernel driver " + trial.versions.kernel_driver;
    encoders.insert(std::move(text));
  }
  return fmt::format("{}", fmt::join(encoders, "; "));
}

// What others took while encodes ran, over all repeats.
struct Neighbours {
  double others_mean = 0, others_most = 0, stolen_mean = 0, stolen_most = 0;  // cores
  std::string busiest;                                                        // at that most
  std::int64_t throttle_events = 0;
  std::size_t disturbed = 0, repeats = 0;
};

Neighbours NeighboursOf(const std::vector<Trial>& trials) {
  Neighbours seen;
  for (const Trial& trial : trials)
    for (const Repeat& repeat : trial.repeats) {
      ++seen.repeats;
      seen.disturbed += repeat.disturbed();
      seen.throttle_events += repeat.throttle_events;
      seen.others_mean += repeat.other_cores;
      seen.stolen_mean += repeat.stolen_cores;
      seen.stolen_most = std::max(seen.stolen_most, repeat.stolen_cores);
      if (repeat.other_cores <= seen.others_most) continue;
      seen.others_most = repeat.other_cores;
      seen.busiest = repeat.busiest;
    }
  const double count = static_cast<double>(std::max<std::size_t>(1, seen.repeats));
  seen.others_mean /= count;
  seen.stolen_mean /= count;
  return seen;
}

}  // namespace

PageList ConditionsOf(const Json& bench, const std::vector<Trial>& trials) {
  const std::string time = bench.value("time", "");  // "2026-11-29T14:56:28Z"
  PageList list{"Conditions", {}};
  if (time.size() >= 16)
    list.items.push_back(fmt::format("measured on {}, until {} UTC", time.substr(0, 10), time.substr(11, 5)));
  if (const std::string made_with = MadeWith(trials); !made_with.empty()) list.items.push_back(made_with);
  if (const auto load = bench.find("load"); load != bench.end() && load->is_object())
    list.items.push_back(fmt::format("beside the load {}: {:.2f} cores on average, {:.2f} in its busiest second",
                                     load->value("profile", "?"), load->value("mean_cores", 0.0),
                                     load->value("peak_second_cores", 0.0)));
  else
    list.items.push_back("no game's load was replayed beside the encodes");
  const Neighbours seen = NeighboursOf(trials);
  list.items.push_back(fmt::format("other programs took {:.2f} cores on average, {:.2f} at most{}", seen.others_mean,
                                   seen.others_most, seen.busiest.empty() ? "" : " (" + seen.busiest + ")"));
  if (seen.stolen_most >= 0.05)
    list.items.push_back(
        fmt::format("the hypervisor took {:.2f} cores on average, {:.2f} at most", seen.stolen_mean, seen.stolen_most));
  list.items.push_back(seen.throttle_events > 0
                           ? fmt::format("the processors were throttled {} times: heat", seen.throttle_events)
                           : "no throttling was seen");
  list.items.push_back(seen.disturbed > 0
                           ? fmt::format("{} of {} encodes were disturbed by that", seen.disturbed, seen.repeats)
                           : fmt::format("none of the {} encodes was disturbed by that", seen.repeats));
  return list;
}

}  // namespace kettle
