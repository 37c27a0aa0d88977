// SPDX-License-Identifier: Apache-2.0
// From a show to what both encodes are asked: size, frame rate, bit rate, with the reason of each.
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "kettle/encoders/settings.h"
#include "kettle/message/message.h"
#include "kettle/search/enough_bits.h"
#include "kettle/show/show.h"
#include "kettle/uplink/rate_choice.h"

namespace kettle {

// One choice of a plan, and why: the evidence that goes into plan.json and onto the settings card.
struct Because {
  std::string choice;  // what was decided: "stream.bit_rate"
  std::string value;   // as chosen
  Message why;
  bool measured = false;  // false: given by the user, a limit, or a rule
};
void to_json(nlohmann::json& json, const Because& reason);
void from_json(const nlohmann::json& json, Because& reason);

struct Targets {
  EncodeSettings stream, recording;  // without encoder and preset
  // What the stream's size and frame rate may be, largest first: one each where the show says.
  std::vector<FrameSize> sizes;
  std::vector<FrameRate> rates;
  // What the recording's may be, likewise.
  std::vector<FrameSize> recording_sizes;
  std::vector<FrameRate> recording_rates;
  // That the destinations take, largest first, where they name them one by one; empty: any.
  std::vector<FrameSize> taken_sizes;
  std::vector<FrameRate> taken_rates;
  // Of the stream, that every destination accepts, by libavcodec's names; with none, H.264.
  std::vector<std::string> stream_codecs;
  // The destinations that the stream is for, where none suits all: the others need encodes of their own. Empty: all.
  std::vector<std::string> served;
  std::string lacking;                     // in that case: what suits only some of them: "codec", "size", "frame rate"
  BitRate audio = BitRate::FromKbps(160);  // of the sound, in each output
  std::optional<int> most_b_frames;        // that every destination takes, where that is less than presets make
  std::optional<Budget> budget;            // if something is known of the line
  std::vector<Because> reasons;
  std::vector<Message> warnings;
};

// A warning if the bit rate is little for that picture in H.264; nothing if it is not. Of the picture that is taken in
// the end: the advice depends on whether its size was searched.
std::optional<Message> LittleForItsSize(const EncodeSettings& stream, bool size_is_free);

// A warning if pictures of the source would come unevenly at the stream's rate.
std::optional<Message> UnevenPictures(FrameRate source, FrameRate stream);

// Adds the reason of a choice, or replaces the one that it had.
void Explain(Targets& targets, const Because& reason);

// What the send-queue model found for the line: sets the stream's rate control and, where the show does not ask for
// one, its bit rate, with the reasons.
void ApplyRateChoice(const RateChoice& choice, bool rate_is_free, Targets& targets);

// Lowers the stream's bit rate to what is enough, if that is less, with the reason; and that of a recording that goes
// by the stream's (`recording_by_rule`) by as much.
void ApplyEnoughBits(const EnoughBits& enough, bool recording_by_rule, Targets& targets);

// For all destinations, or, where no codec, size or frame rate suits all, for the most that share one. Throws
// Error(kInput) if the show leaves no bit rate to be found, or asks for one encode where none suits all.
Targets ChooseTargets(const Show& show);

}  // namespace kettle
