// SPDX-License-Identifier: Apache-2.0
#include "kettle/trial/trial.h"

#include <algorithm>
#include <iterator>

#include "kettle/trial/repeats.h"
#include "kettle/units/error.h"
#include "kettle/units/statistics.h"

namespace kettle {

namespace {

constexpr double kNoisy = 0.03;  // an interval wider than this is told

}  // namespace

std::vector<Repeat> CountedRepeats(const Trial& trial) {
  constexpr std::size_t kEnough = 3;
  std::vector<Repeat> quiet;
  std::copy_if(trial.repeats.begin(), trial.repeats.end(), std::back_inserter(quiet),
               [](const Repeat& repeat) { return !repeat.disturbed(); });
  return quiet.size() >= kEnough ? quiet : trial.repeats;
}

std::vector<double> CountedThroughputs(const Trial& trial) {
  std::vector<double> fps;
  for (const Repeat& repeat : CountedRepeats(trial)) fps.push_back(repeat.throughput_fps);
  return fps;
}

void Summarise(Trial& trial) {
  const std::vector<double> fps = CountedThroughputs(trial);
  std::vector<double> cores;
  for (const Repeat& repeat : CountedRepeats(trial)) cores.push_back(repeat.cpu_cores);
  double other = 0, stolen = 0;
  for (const Repeat& repeat : trial.repeats) {
    other += repeat.other_cores;
    stolen += repeat.stolen_cores;
  }
  const auto count = static_cast<double>(trial.repeats.size());
  trial.throughput_fps = *Median(fps);
  trial.interval = MedianInterval(fps);
  trial.headroom = 1 - trial.settings.frame_rate.fps() / trial.throughput_fps;
  trial.cpu_cores = *Median(cores);
  trial.other_cores = other / count;
  trial.stolen_cores = stolen / count;
}

bool Trial::disturbed() const {
  const std::vector<Repeat> counted = CountedRepeats(*this);
  const auto bad = std::count_if(counted.begin(), counted.end(), [](const Repeat& r) { return r.disturbed(); });
  return bad > 0 && static_cast<std::size_t>(bad) * 2 >= counted.size();
}

std::vector<std::string> Trial::marks() const {
  std::vector<std::string> marks;
  if (disturbed()) {
    std::string by;
    for (const Repeat& repeat : repeats)
      if (by.empty() && repeat.other_cores >= 0.2) by = repeat.busiest;
    marks.push_back(stolen_cores >= 0.1 ? fmt::format("disturbed: the hypervisor took {:.1f} cores", stolen_cores)
                    : other_cores >= 0.2
                        ? fmt::format("disturbed: {} took {:.1f} cores", by.empty() ? "others" : by, other_cores)
                        : "disturbed: the processors were throttled");
  }
  if (interval && *interval > kNoisy) marks.push_back(fmt::format("noisy: ±{:.0f} %", *interval * 100));
  if (slow_down)
    marks.push_back(fmt::format("{:.0f} times slower from frame {} on", slow_down->factor, slow_down->frame));
  if (!driver_words.empty()) marks.push_back("the driver says: " + driver_words);
  if (truncated) marks.push_back(fmt::format("cut short after {} frames", frames));
  return marks;
}

void AddRepeat(Trial& trial, const Trial& another) {
  trial.timing.encoding += another.timing.encoding;
  trial.timing.starting += another.timing.starting;
  trial.timing.quality += another.timing.quality;
  trial.timing.total += another.timing.total;
  if (!trial.done()) return;
  if (!another.done()) {
    trial.status = another.status;
    trial.detail = fmt::format("in repeat {}: {}", trial.repeats.size() + 1, another.detail);
    return;
  }
  trial.repeats.insert(trial.repeats.end(), another.repeats.begin(), another.repeats.end());
  if (another.slow_down && (!trial.slow_down || another.slow_down->factor > trial.slow_down->factor))
    trial.slow_down = another.slow_down;
  if (!trial.quality) trial.quality = another.quality;
  trial.peak_memory_bytes = std::max(trial.peak_memory_bytes, another.peak_memory_bytes);
  Summarise(trial);
}

}  // namespace kettle
