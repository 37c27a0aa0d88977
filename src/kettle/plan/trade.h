// SPDX-License-Identifier: Apache-2.0
// The ways to record beside the stream that were looked at, and what each costs it.
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>

#include "kettle/message/message.h"
#include "kettle/placement/placement.h"

namespace kettle {

struct TradePoint {
  bool one_encode = false;  // the stream's own encode is written to disk as well
  FrameSize size;           // of the recording
  FrameRate rate;
  std::string codec = "h264";
  std::string stream, recording;  // encoder and preset, as "x264 veryfast"; empty: nothing holds
  // Quality::score, points; not set: not measured, or nothing holds.
  std::optional<double> stream_score, recording_score;
  std::optional<FrameSize> stream_size;
  std::optional<FrameRate> stream_rate;
  double cpu_cores = 0, engine_share = 0;  // that both take together: Demand
  double gigabytes_an_hour = 0;            // of the recording; 0: not known
  bool taken = false;
  Message why;  // it was taken, or not

  bool SameWay(const TradePoint& other) const {
    return one_encode == other.one_encode && size == other.size && rate == other.rate && codec == other.codec;
  }
};

// An encoder for a codec that was not taken.
struct OtherCodec {
  Role role = Role::kStream;
  std::string codec;    // libavcodec's name
  std::string encoder;  // a family; empty: all of that codec
  Message why;
};
void to_json(nlohmann::json& json, const OtherCodec& other);
void from_json(const nlohmann::json& json, OtherCodec& other);

// Of a recording, as measured, where a quality rules or the pictures take less than they may.
double GigabytesAnHour(const Option& recording);

// Of a pair that may be taken.
TradePoint PointOf(const Pair& pair, const Message& why);

void to_json(nlohmann::json& json, const TradePoint& point);
void from_json(const nlohmann::json& json, TradePoint& point);

}  // namespace kettle
