// SPDX-License-Identifier: Apache-2.0
// Which encoder and preset for the stream, which for the recording, so that neither starves the other.
#pragma once

#include <functional>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "kettle/message/message.h"
#include "kettle/option/option.h"

namespace kettle {

// What the two encodes may take together.
struct Capacity {
  double cpu_cores = 0;   // processors that this program may use
  double headroom = 0.2;  // the share that must stay free, of processors, engine, memory and disk
  // 0: not measured, and no limit.
  double memory_bytes_per_second = 0;  // that memory moves, reading and writing (ProbeMemory, both ways)
  double disk_bytes_per_second = 0;    // that the recordings' disk takes at its slowest
  // Processor time that encodes take at once in their busiest second in real time, over what trials of each alone say
  // on average; a proof run that takes more raises it.
  double real_time_factor = 1;
  std::string game_card;                     // where the game draws, by bus address; empty: not known
  double copy_bytes_per_second = 0;          // that a processor copies of frames (ProbeCopy); 0: not measured
  std::map<std::string, int> sessions = {};  // of a family, that its driver opens at once on one card, where known
};

// The median of 13 proof runs on two cores, 12 of them from 1.04 to 1.24 (docs/numbers.md).
constexpr double kUsualRealTimeFactor = 1.1;

// What encodes take together in their busiest second, predicted from the trials of each alone.
struct Demand {
  // The encodes, and feeding them. A simulated device takes none: it gives again what it coded before the clock starts.
  double cpu_cores = 0;
  double crossing_cores = 0;  // of these, bringing frames from the game's card to where they are encoded
  double engine_share = 0;    // of the encode engine of the GPU that has most to do
  // At least: of each encode, its picture scaled, read, written as the encoder reconstructs it, and one reference read.
  double memory_bytes_per_second = 0;
  double disk_bytes_per_second = 0;  // of the recording, in its busiest second
  bool too_many_sessions = false;    // for a card's driver
  bool fits = false;
};
// Of encodes of which none goes to the disk.
Demand PredictDemand(const std::vector<Option>& encodes, const Capacity& capacity);
Demand PredictDemand(const Option& stream, const Option& recording, const Capacity& capacity);
// Of the stream as the only encode, which is written to disk as well.
Demand DemandAlone(const Option& stream, const Capacity& capacity);

// What a demand lacks of the capacity, a message for each resource.
std::vector<Message> Lacking(const Demand& demand, const Capacity& capacity);

// Processors by number that each encode's threads may run on; empty: all that may be used.
struct CoreShares {
  std::vector<int> stream, recording;
  bool divided() const { return !stream.empty(); }
};

// An encode of the stream for destinations that do not get the one of all others.
struct FurtherStream {
  std::vector<std::string> destinations;  // by name
  Option option;
};

struct Pair {
  Option stream, recording;
  Demand demand;
  CoreShares cores = {};
  bool one_encode = false;  // the stream's encode is written to disk too: `recording` is a copy of `stream`
  std::vector<std::string> destinations = {};  // of `stream`, where there are further ones; empty: all
  std::vector<FurtherStream> further = {};

  void Stream(Option option);  // takes its place, and the recording's where both are one; the demand stays
};
Demand DemandOf(const Pair& pair, const Capacity& capacity);
// Where one of a pair's encodes runs: "CPU" or "GPU", the latter by its name where the pair uses several cards.
std::string PlaceIn(const Pair& pair, const Option& option);
std::string StreamTitles(const Pair& pair);  // "x264 fast", "x264 fast + x264 veryfast"

// How many of a pair's encodes run on the card that the game draws on.
int EncodesBesideTheGame(const Pair& pair, const Capacity& capacity);

// Whether two pairs ask the same of their encoders.
bool SameSettings(const Pair& a, const Pair& b);

// A combination that was looked at and not taken.
struct RejectedPair {
  std::string stream, recording;  // as "x264 veryfast"; the preset is "any" if none would do
  std::optional<Demand> demand;
  Message why;
};

// Best first: of those whose streams come within a point of the best looking one, by what is left to the game, in
// tenths of a processor, then by what stays off its card, then by the recording's quality; the others by the stream's
// quality.
void SortPairs(std::vector<Pair>& pairs, const Capacity& capacity);

// Points: within them what is left to the game decides.
inline constexpr double kLittleToSee = 1;

struct Placement {
  std::vector<Pair> feasible;  // as SortPairs has them
  std::vector<RejectedPair> rejected;
};

// One encoder family that may be used, on one device, with its presets' options measured on demand, fastest first.
struct FamilyOptions {
  std::string family;
  int presets = 0;
  std::function<Option(Role, int preset)> measure;
  std::function<bool(Role, int preset)> known;  // measured already: asking again costs nothing
  int device = 0;                               // which of the family's GPUs
  int recording_presets = 0;                    // the fastest, that a recording may have; 0: all
  bool streams = true, records = true;          // what it is placed for

  int most_presets(Role role) const {
    return role == Role::kRecording && recording_presets > 0 ? recording_presets : presets;
  }
};

// The stream's encode written to disk as well.
Pair AsOneEncode(const Option& stream, const Capacity& capacity);

// The slowest preset of the family that keeps pace as recording, and fits beside that stream by prediction; or one that
// was measured on the way and looks better. Nothing if none does.
std::optional<Pair> SlowestBeside(const Option& stream, const FamilyOptions& family, const Capacity& capacity);

void to_json(nlohmann::json& json, const Capacity& capacity);
void from_json(const nlohmann::json& json, Capacity& capacity);
void to_json(nlohmann::json& json, const Demand& demand);
void from_json(const nlohmann::json& json, Demand& demand);
void to_json(nlohmann::json& json, const CoreShares& cores);
void from_json(const nlohmann::json& json, CoreShares& cores);
void to_json(nlohmann::json& json, const FurtherStream& further);
void from_json(const nlohmann::json& json, FurtherStream& further);
void to_json(nlohmann::json& json, const Pair& pair);
void from_json(const nlohmann::json& json, Pair& pair);
void to_json(nlohmann::json& json, const RejectedPair& pair);
void from_json(const nlohmann::json& json, RejectedPair& pair);

}  // namespace kettle
