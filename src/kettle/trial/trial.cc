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

std::vector<Message> Trial::marks() const {
  std::vector<Message> marks;
  if (disturbed()) {
    std::string by;
    for (const Repeat& repeat : repeats)
      if (by.empty() && repeat.other_cores >= 0.2) by = repeat.busiest;
    if (stolen_cores >= 0.1)
      marks.push_back(Message{"trial.stolen-time", {{"cores", stolen_cores}}});
    else if (other_cores >= 0.2)
      marks.push_back(
          Message{"trial.other-program", {{"program", by.empty() ? "others" : by}, {"cores", other_cores}}});
    else
      marks.push_back(Message{"trial.throttled"});
  }
  if (interval && *interval > kNoisy) marks.push_back(Message{"trial.noisy", {{"percent", *interval * 100}}});
  if (slow_down)
    marks.push_back(Message{"trial.slow-down", {{"times", slow_down->factor}, {"frame", slow_down->frame}}});
  if (!driver_words.empty()) marks.push_back(Message{"trial.driver-words", {{"words", driver_words}}});
  if (truncated) marks.push_back(Message{"trial.truncated", {{"frames", frames}}});
  return marks;
}

void AddRepeat(Trial& trial, const Trial& another) {
  trial.timing.encoding += another.timing.encoding;
  trial.timing.starting += another.timing.starting;
  trial.timing.quality += another.timing.quality;
  trial.timing.total += another.timing.total;
  if (!trial.done()) return;
  if (trial.truncated && another.done() && !another.truncated) {
    // A whole look in place of one that told "slower than".
    const TrialTiming both = trial.timing;
    trial = another;
    trial.timing = both;
    return;
  }
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
