// SPDX-License-Identifier: Apache-2.0
// One encoder and preset for one of the two encodes, measured on all the footage.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "kettle/message/message.h"
#include "kettle/trial/trial.h"

namespace kettle {

enum class Role { kStream, kRecording };
const char* Name(Role role);  // "stream", "recording"

inline constexpr double kNotScored = -1000;  // below any picture's score

// A graphics card's name out of what its driver calls it, without "(simulated)" and the driver's version.
std::string CardName(const std::string& device_name);

// What it does on one clip or scene.
struct ClipResult {
  std::string footage;  // label
  double throughput_fps = 0, headroom = 0;
  double score = kNotScored, worst_second_score = kNotScored;
  int worst_second = 0;   // counted from 0
  bool given_up = false;  // it is slower than that; of a trial of this run, not in its JSON
};

// Figures are those of the footage where they are worst. A clip counts with the mean of its busiest and its calmest
// stretch, for viewers see both: what gains in quick turns may lose the detail of quiet moments. Where the calmest was
// not measured, with the busiest alone.
struct Option {
  EncodeSettings settings;
  std::string device, device_name;
  std::string bus_address;  // of the GPU; empty: a processor, or nothing tells
  bool simulated = false;
  bool measured = false;  // on all footage, every trial done
  std::string trouble;    // why not, if a trial did not end well
  bool proven = false;    // a proof run held with it
  double throughput_fps = 0;
  double headroom = -1;
  double cpu_cores = 0, feeding_cores = 0;        // at the frame rate
  double throughput_error = 0, cores_error = 0;   // Trial's; not in its JSON
  double mean_kbps = 0, peak_second_kbps = 0;     // the highest of the footage
  double score = kNotScored, score_interval = 0;  // of 100 (Quality::score), and half of its 95 % interval
  Quality quality;                                // of the footage with the lowest score
  int b_frames = 0;
  std::vector<ClipResult> clips;   // of the footage measured: the busiest stretches of clips
  std::vector<ClipResult> calm;    // of the clips' calmest stretches, as far as they were measured
  std::optional<double> interval;  // the widest of the throughputs' (Trial::interval)
  std::vector<Message> marks;      // of all trials, each once (Trial::marks)

  bool scored() const { return score > kNotScored; }
  // The lowest score of its clips' busiest stretches alone, and of their calmest.
  double busiest_score() const;
  double calmest_score() const;
  bool keeps_pace(double required_headroom) const {
    return trouble.empty() && (proven || headroom >= required_headroom);
  }
  // The share of the GPU's encode engine that it takes at the frame rate; 0 on the CPU.
  double engine_share() const {
    return device == "gpu" && throughput_fps > 0 ? settings.frame_rate.fps() / throughput_fps : 0;
  }
  // "nvenc-h264 p4"; of the second GPU and those after it "nvenc-h264 p4 on GPU Tidewater 20".
  std::string title() const;
  std::string place() const;      // "CPU", "GPU", "GPU Tidewater 20"; without a name "GPU 1"
  std::string card_name() const;  // of the graphics card, without its driver; empty: a processor, or no name is known
};

// Whether both are on one graphics card, by whatever interface, and so share its encode engine and its sessions.
bool OnOneCard(const Option& a, const Option& b);
bool IsOneDevice(const Option& a, const Option& b);  // a card, or the processors

ClipResult ResultOf(const Trial& trial);  // of one that is done

// A clip's calmest stretch, measured with an option that has no trouble; `clip` is the label of its busiest one.
struct CalmTrial {
  std::string clip;
  Trial trial;
};
// The option with its clips' calmest stretches counted. Trials that are not done or not scored count for nothing.
Option WithCalm(Option option, const std::vector<CalmTrial>& calm);

// Joins the trials of one setting; `all_footage` says whether no footage is missing.
Option MakeOption(const std::vector<Trial>& trials, bool all_footage);

void to_json(nlohmann::json& json, const ClipResult& clip);
void from_json(const nlohmann::json& json, ClipResult& clip);
void to_json(nlohmann::json& json, const Option& option);
void from_json(const nlohmann::json& json, Option& option);

}  // namespace kettle
