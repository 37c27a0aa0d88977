// SPDX-License-Identifier: Apache-2.0
// From a rehearsal's counters to the cause of each stretch of loss, and what cures it.
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "kettle/diagnosis/game_frames.h"
#include "kettle/message/message.h"
#include "kettle/plan/plan_file.h"
#include "kettle/rehearsal/rehearsal.h"

namespace kettle {

enum class Loss { kLate, kSkippedStream, kSkippedRecording, kDropped, kStalled };
const char* Name(Loss loss);  // "late", "skipped by the stream's encoder", ...

enum class Cause {
  kSourceStarved,     // the machine is full, and the source came too late
  kSourceHeldUp,      // the source came late though there was room; what had waited then came at once
  kStreamEncoder,     // the stream's own encoder does not keep up
  kRecordingEncoder,  // the recording's, or it takes what the stream's needs
  kStreamFailed,      // its encoder, or the GPU that it runs on, gave up
  kRecordingFailed,
  kGame,          // it takes more of the processors than there is
  kGameLoses,     // the encodes take what the game needs: it makes fewer frames
  kOtherProgram,  // named
  kStolen,        // the hypervisor gave the processors to others
  kUplink,        // the line carried less than was sent
  kIngestLost,    // the connection broke
  kDisk,          // it did not take the recording in time
  kDiskFull,
  kUnknown,
};
const char* Name(Cause cause);

// Seconds in a row with the same loss from the same cause; without a frame where the loss was only near: something
// else, as a rule, had slowed the stream before it came to that.
struct LossStretch {
  Loss loss;
  Cause cause;
  double from_seconds = 0, to_seconds = 0;
  int frames = 0;
  std::string program;  // for kOtherProgram; empty: several, each too short-lived to be seen
  std::string ingest;   // of several: to which nothing, or too little, got through
  Message why;          // what the counters show
};

struct Diagnosis {
  std::vector<LossStretch> stretches;  // in time order
  struct Cure {
    Cause cause;
    int frames = 0;  // lost to it; 0: nearly, or something broke off
    Message action;  // what to do
    bool lower_bit_rate_helps = false;
    std::optional<PlanStep> step = {};  // of the plan, if the cure is one: it tells what that gives up
    std::string ingest = {};            // LossStretch::ingest
  };
  std::vector<Cure> cures;  // the costliest cause first
};

// What the counters alone do not tell.
struct DiagnosisFacts {
  double cpu_cores = 1;  // processors that may be used
  double stream_kbps = 0;
  bool stream_on_gpu = false, recording_on_gpu = false;
  std::optional<GameFrames> game = {};  // not set: nothing tells how many frames it made
  double game_gives = 0.02;             // the share of its frames that the game may lose to the encodes

  bool GameLosesTooMuch() const { return game && game->lost_share() > game_gives; }
};

Diagnosis Diagnose(const RehearsalOutcome& outcome, const DiagnosisFacts& facts, const PlanFile& plan);

void to_json(nlohmann::json& json, const Diagnosis& diagnosis);
void to_json(nlohmann::json& json, const DiagnosisFacts& facts);
void from_json(const nlohmann::json& json, DiagnosisFacts& facts);

}  // namespace kettle
