// SPDX-License-Identifier: Apache-2.0
#include "kettle/option/option.h"

#include <fmt/format.h>

#include <algorithm>
#include <limits>
#include <nlohmann/json.hpp>

namespace kettle {

const char* Name(Role role) { return role == Role::kStream ? "stream" : "recording"; }

std::string Option::title() const {
  return settings.encoder + " " + settings.preset + (settings.device > 0 ? " on " + place() : "");
}

std::string Option::place() const {
  if (device != "gpu") return "CPU";
  return settings.device > 0 ? fmt::format("GPU {}", settings.device) : "GPU";
}

ClipResult ResultOf(const Trial& trial) {
  ClipResult clip{trial.footage, trial.throughput_fps, trial.headroom};
  if (trial.quality) {
    clip.score = trial.quality->score();
    clip.worst_second_score = trial.quality->worst_second_score();
    clip.worst_second = trial.quality->worst_second;
  }
  return clip;
}

Option MakeOption(const std::vector<Trial>& trials, bool all_footage) {
  Option option;
  option.settings = trials.front().settings;
  option.device = trials.front().device;
  option.simulated = trials.front().simulated;
  option.throughput_fps = std::numeric_limits<double>::infinity();
  option.score = std::numeric_limits<double>::infinity();
  option.measured = all_footage;
  for (const Trial& trial : trials) {
    if (!trial.done()) {
      option.trouble = fmt::format("{}: {}", Name(trial.status), trial.detail);
      option.measured = false;
      continue;
    }
    option.device_name = trial.device_name;
    option.clips.push_back(ResultOf(trial));
    option.throughput_fps = std::min(option.throughput_fps, trial.throughput_fps);
    option.cpu_cores = std::max(option.cpu_cores, trial.cpu_cores);
    option.feeding_cores = std::max(option.feeding_cores, trial.feeding_cores);
    option.stand_in_cores = std::max(option.stand_in_cores, trial.stand_in_cores);
    option.b_frames = std::max(option.b_frames, trial.b_frames);
    option.mean_kbps = std::max(option.mean_kbps, trial.mean_kbps);
    option.peak_second_kbps = std::max(option.peak_second_kbps, trial.peak_second_kbps);
    if (trial.interval) option.interval = std::max(option.interval.value_or(0), *trial.interval);
    for (const Message& mark : trial.marks())
      if (std::find(option.marks.begin(), option.marks.end(), mark) == option.marks.end()) option.marks.push_back(mark);
    if (!trial.quality) continue;
    const double score = trial.quality->score();
    if (score < option.score) {
      option.score = score;
      option.quality = *trial.quality;
    }
  }
  if (!option.trouble.empty() && option.throughput_fps == std::numeric_limits<double>::infinity())
    option.throughput_fps = 0;
  if (option.score == std::numeric_limits<double>::infinity()) option.score = kNotScored;
  option.headroom = option.throughput_fps > 0 ? 1 - option.settings.frame_rate.fps() / option.throughput_fps : -1;
  return option;
}

void to_json(nlohmann::json& json, const ClipResult& clip) {
  json = {{"footage", clip.footage}, {"throughput_fps", clip.throughput_fps}, {"headroom", clip.headroom}};
  if (clip.score > kNotScored) json.update({{"score", clip.score}, {"worst_second_score", clip.worst_second_score}});
}

void to_json(nlohmann::json& json, const Option& option) {
  json = {{"encoder", option.settings.encoder},
          {"preset", option.settings.preset},
          {"device", option.device},
          {"device_index", option.settings.device},
          {"simulated", option.simulated},
          {"throughput_fps", option.throughput_fps},
          {"headroom", option.headroom},
          {"cpu_cores", option.cpu_cores},
          {"engine_share", option.engine_share()},
          {"mean_kbps", option.mean_kbps},
          {"peak_second_kbps", option.peak_second_kbps},
          {"score", option.scored() ? nlohmann::json(option.score) : nlohmann::json()},
          {"ms_ssim_y", option.quality.ms_ssim_y},
          {"worst_second_ms_ssim_y", option.quality.worst_second_ms_ssim_y},
          {"ssim_y", option.quality.ssim_y},
          {"psnr_y_db", option.quality.psnr_y_db},
          {"blockiness", option.quality.blockiness}};
  json["clips"] = option.clips;
  if (option.interval) json["interval"] = *option.interval;
  if (!option.marks.empty()) json["marks"] = option.marks;
  if (!option.trouble.empty()) json["trouble"] = option.trouble;
}

}  // namespace kettle
