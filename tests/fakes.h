// SPDX-License-Identifier: Apache-2.0
// Made-up machines: trials with figures by formula, so that searching is tested without encoding.
#pragma once

#include <algorithm>
#include <cmath>
#include <functional>
#include <string>
#include <vector>

#include "kettle/encoders/catalogue.h"
#include "kettle/plan/plan.h"
#include "support.h"

namespace kettle::test {

// What a made-up machine does with one encode. `similarity`: from 0 to 1, 1 being the source.
struct Figures {
  double throughput_fps, cpu_cores, similarity;
};
// The score of a made-up similarity.
inline double ScoreOf(double similarity) { return -50 * std::log10(std::max(1e-10, 1 - similarity)); }

// Of an encode that looks like that all the time.
inline Quality QualityOf(double score) {
  return Quality{.frames = 60, .picture_score = score, .seconds_picture_score = {score}};
}

// Its processors at the frame rate, of the only repeat that a made-up trial has.
inline void SetCores(Trial& trial, double cores) {
  trial.cpu_cores = cores;
  trial.repeats = {{.throughput_fps = trial.throughput_fps, .cpu_cores = cores}};
}

// What a trial of the request has, whatever it measured: done, on the device of its encoder, as fast as that.
inline Trial DoneTrial(const TrialRequest& request, double throughput_fps) {
  Trial trial;
  trial.settings = request.settings;
  trial.footage = request.footage.label;
  trial.footage_key = request.footage.key();
  trial.device = Name(FindFamily(request.settings.encoder).device);
  trial.status = WorkerStatus::kDone;
  trial.throughput_fps = throughput_fps;
  trial.headroom = 1 - request.settings.frame_rate.fps() / throughput_fps;
  SetCores(trial, 0);
  return trial;
}

class FakeRunner final : public TrialRunner {
 public:
  using Machine =
      std::function<Figures(const std::string& encoder, int preset, bool recording, const std::string& footage)>;
  explicit FakeRunner(Machine machine) : machine_(std::move(machine)) {}

  Trial Run(const TrialRequest& request) override {
    const EncodeSettings& settings = request.settings;
    const Footage& footage = request.footage;
    ++runs;
    const EncoderFamily& family = FindFamily(settings.encoder);
    const auto preset =
        std::find(family.presets.begin(), family.presets.end(), settings.preset) - family.presets.begin();
    const Figures figures = machine_(settings.encoder, static_cast<int>(preset),
                                     settings.rate_control == RateControl::kCappedVariable, footage.label);
    Trial trial;
    trial.settings = settings;
    trial.footage = footage.label;
    trial.footage_key = footage.key();
    trial.device = Name(family.device);
    if (figures.throughput_fps <= 0) {
      trial.status = WorkerStatus::kCrashed;
      trial.detail = "crashed with signal 11";
      return trial;
    }
    trial.status = WorkerStatus::kDone;
    trial.throughput_fps = figures.throughput_fps;
    trial.headroom = 1 - settings.frame_rate.fps() / figures.throughput_fps;
    SetCores(trial, figures.cpu_cores);
    if (request.quality) trial.quality = QualityOf(ScoreOf(figures.similarity));
    return trial;
  }

  int runs = 0;

 private:
  Machine machine_;
};

inline Footage FakeFootage(const std::string& label) {
  return {label, "/cache/" + label + ".y4m", {1280, 720}, {60, 1}, 60, 0};
}

inline Targets FakeTargets() {
  Targets targets;
  targets.stream = SmallSettings();
  targets.stream.frame_rate = {60, 1};
  targets.recording = targets.stream;
  targets.recording.rate_control = RateControl::kCappedVariable;
  targets.recording.bit_rate = BitRate::FromKbps(1200);
  return targets;
}

// An option with the given figures at 60 frames a second.
inline Option FakeOption(const std::string& encoder, const std::string& preset, double fps, double cores,
                         double score) {
  Option option;
  option.settings = SmallSettings(encoder, preset);
  option.settings.frame_rate = {60, 1};
  option.device = Name(FindFamily(encoder).device);
  option.measured = true;
  option.throughput_fps = fps;
  option.headroom = 1 - 60 / fps;
  option.cpu_cores = cores;
  option.quality.viewing_size = option.settings.size;
  option.score = score;
  return option;
}

inline Proof FakeProof(int stream_skipped, int recording_skipped) {
  Proof proof;
  proof.status = WorkerStatus::kDone;
  proof.stream.frames = proof.recording.frames = 600;
  proof.stream.packets = 600 - stream_skipped;
  proof.recording.packets = 600 - recording_skipped;
  proof.stream.skipped = stream_skipped;
  proof.recording.skipped = recording_skipped;
  return proof;
}

// A proof run that goes as the trials of each alone let one expect, on a machine of so many processors.
inline Proof ProofAsPredicted(const Pair& pair, double cpu_cores) {
  const bool overload = pair.demand.cpu_cores > cpu_cores || pair.demand.engine_share > 1;
  Proof proof = FakeProof(0, overload ? 60 : 0);
  proof.cpu_cores = std::min(cpu_cores, pair.demand.cpu_cores);
  return proof;
}

}  // namespace kettle::test
