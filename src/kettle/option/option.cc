// SPDX-License-Identifier: Apache-2.0
#include "kettle/option/option.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <nlohmann/json.hpp>

#include "kettle/units/json_fields.h"

namespace kettle {

const char* Name(Role role) { return role == Role::kStream ? "stream" : "recording"; }

std::string CardName(const std::string& device_name) {
  const std::string name = device_name.substr(0, device_name.find(", driver"));
  return name.substr(0, name.find(" (simulated)"));
}

std::string Option::title() const {
  return settings.encoder + " " + settings.preset + (settings.device > 0 ? " on " + place() : "");
}

std::string Option::place() const {
  if (device != "gpu") return "CPU";
  if (settings.device == 0) return "GPU";
  // By name: each interface counts its own cards, in an order of its own.
  const std::string name = CardName(device_name);
  return "GPU " + (name.empty() ? std::to_string(settings.device) : name);
}

std::string Option::card_name() const {
  return device == "gpu" ? device_name.substr(0, device_name.find(", driver")) : "";
}

bool OnOneCard(const Option& a, const Option& b) {
  if (a.device != "gpu" || b.device != "gpu") return false;
  if (!a.bus_address.empty() && !b.bus_address.empty()) return a.bus_address == b.bus_address;
  return a.settings.device == b.settings.device;  // all that is known
}

bool IsOneDevice(const Option& a, const Option& b) {
  return (a.device == "cpu" && b.device == "cpu") || OnOneCard(a, b);
}

ClipResult ResultOf(const Trial& trial) {
  ClipResult clip{trial.footage, trial.throughput_fps, trial.headroom};
  clip.given_up = trial.truncated;
  if (trial.quality) {
    clip.score = trial.quality->score();
    clip.worst_second_score = trial.quality->worst_second_score();
    clip.worst_second = trial.quality->worst_second;
  }
  return clip;
}

namespace {

double LowestScore(const std::vector<ClipResult>& clips) {
  double lowest = std::numeric_limits<double>::infinity();
  for (const ClipResult& clip : clips)
    if (clip.score > kNotScored) lowest = std::min(lowest, clip.score);
  return std::isinf(lowest) ? kNotScored : lowest;
}

}  // namespace

double Option::busiest_score() const { return clips.empty() ? score : LowestScore(clips); }
double Option::calmest_score() const { return LowestScore(calm); }

Option WithCalm(Option option, const std::vector<CalmTrial>& calm) {
  double lowest = std::numeric_limits<double>::infinity();
  for (const ClipResult& clip : option.clips) {
    const auto found =
        std::find_if(calm.begin(), calm.end(), [&](const CalmTrial& c) { return c.clip == clip.footage; });
    double score = clip.score, interval = option.quality.picture_score_interval;
    if (found != calm.end() && found->trial.done() && found->trial.quality) {
      option.calm.push_back(ResultOf(found->trial));
      score = (clip.score + option.calm.back().score) / 2;
      interval = std::hypot(interval, found->trial.quality->picture_score_interval) / 2;
    }
    if (score >= lowest) continue;
    lowest = option.score = score;
    option.score_interval = interval;
  }
  return option;
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
    option.bus_address = trial.bus_address;
    option.clips.push_back(ResultOf(trial));
    if (trial.throughput_fps < option.throughput_fps) {
      option.throughput_fps = trial.throughput_fps;
      option.throughput_error = trial.throughput_error;
    }
    if (trial.cpu_cores >= option.cpu_cores) {
      option.cpu_cores = trial.cpu_cores;
      option.cores_error = trial.cores_error;
    }
    option.feeding_cores = std::max(option.feeding_cores, trial.feeding_cores);
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
      option.score_interval = trial.quality->picture_score_interval;
      option.quality = *trial.quality;
    }
  }
  if (!option.trouble.empty() && option.throughput_fps == std::numeric_limits<double>::infinity())
    option.throughput_fps = 0;
  if (option.score == std::numeric_limits<double>::infinity()) option.score = kNotScored;
  option.headroom = option.throughput_fps > 0 ? 1 - option.settings.frame_rate.fps() / option.throughput_fps : -1;
  return option;
}

namespace {

nlohmann::json ScoreJson(double score) { return score > kNotScored ? nlohmann::json(score) : nlohmann::json(); }
double ScoreFrom(const nlohmann::json& json) { return json.is_null() ? kNotScored : json.get<double>(); }

}  // namespace

void to_json(nlohmann::json& json, const ClipResult& clip) {
  json = {{"footage", clip.footage},
          {"throughput_fps", clip.throughput_fps},
          {"headroom", clip.headroom},
          {"score", ScoreJson(clip.score)},
          {"worst_second_score", ScoreJson(clip.worst_second_score)},
          {"worst_second", clip.worst_second}};
}

void from_json(const nlohmann::json& json, ClipResult& clip) {
  KETTLE_READ_FIELDS(json, clip, footage, throughput_fps, headroom);
  clip.score = ScoreFrom(json.at("score"));
  clip.worst_second_score = ScoreFrom(json.at("worst_second_score"));
  json.at("worst_second").get_to(clip.worst_second);
}

void to_json(nlohmann::json& json, const Option& option) {
  KETTLE_WRITE_FIELDS(json, option, device, device_name, settings, simulated, measured, throughput_fps, headroom,
                      cpu_cores, feeding_cores, mean_kbps, peak_second_kbps, b_frames, score_interval, clips, calm);
  json.update({{"encoder", option.settings.encoder},
               {"preset", option.settings.preset},
               {"device_index", option.settings.device},
               {"engine_share", option.engine_share()},
               {"score", ScoreJson(option.score)},
               {"quality", option.scored() ? nlohmann::json(option.quality) : nlohmann::json()}});
  if (!option.bus_address.empty()) json["bus_address"] = option.bus_address;
  if (option.interval) json["interval"] = *option.interval;
  if (!option.marks.empty()) json["marks"] = option.marks;
  if (!option.trouble.empty()) json["trouble"] = option.trouble;
  if (option.proven) json["proven"] = true;
}

void from_json(const nlohmann::json& json, Option& option) {
  KETTLE_READ_FIELDS(json, option, settings, device, device_name, simulated, measured, throughput_fps, headroom,
                     cpu_cores, feeding_cores, mean_kbps, peak_second_kbps, b_frames, score_interval, calm);
  option.score = ScoreFrom(json.at("score"));
  if (!json.at("quality").is_null()) json["quality"].get_to(option.quality);
  json.at("clips").get_to(option.clips);
  option.bus_address = json.value("bus_address", "");
  if (json.contains("interval")) option.interval = json["interval"].get<double>();
  if (json.contains("marks")) json["marks"].get_to(option.marks);
  option.trouble = json.value("trouble", "");
  option.proven = json.value("proven", false);
}

}  // namespace kettle
