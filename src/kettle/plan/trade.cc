// SPDX-License-Identifier: Apache-2.0
#include "kettle/plan/trade.h"

#include "kettle/encoders/catalogue.h"
#include "kettle/units/json_fields.h"

namespace kettle {

double GigabytesAnHour(const Option& recording) {
  constexpr double kSecondsAnHour = 3600, kBitsAByte = 8;
  return recording.mean_kbps * 1e3 * kSecondsAnHour / kBitsAByte / 1e9;
}

TradePoint PointOf(const Pair& pair, const Message& why) {
  const auto score = [](const Option& option) { return option.scored() ? std::optional(option.score) : std::nullopt; };
  const EncodeSettings &stream = pair.stream.settings, &recording = pair.recording.settings;
  TradePoint point;
  point.one_encode = pair.one_encode;
  point.size = recording.size;
  point.rate = recording.frame_rate;
  point.codec = FindFamily(recording.encoder).codec;
  point.stream = pair.stream.title();
  point.recording = pair.recording.title();
  point.stream_score = score(pair.stream);
  point.recording_score = score(pair.recording);
  point.stream_size = stream.size;
  point.stream_rate = stream.frame_rate;
  point.cpu_cores = pair.demand.cpu_cores;
  point.engine_share = pair.demand.engine_share;
  point.gigabytes_an_hour = GigabytesAnHour(pair.recording);
  point.why = why;
  return point;
}

void to_json(nlohmann::json& json, const OtherCodec& other) {
  json = {{"role", Name(other.role)}, {"codec", other.codec}, {"encoder", other.encoder}, {"why", other.why}};
}

void from_json(const nlohmann::json& json, OtherCodec& other) {
  other.role = json.at("role") == Name(Role::kStream) ? Role::kStream : Role::kRecording;
  json.at("codec").get_to(other.codec);
  json.at("encoder").get_to(other.encoder);
  json.at("why").get_to(other.why);
}

KETTLE_JSON(TradePoint, one_encode, size, rate, codec, stream, recording, stream_score, recording_score, stream_size,
            stream_rate, cpu_cores, engine_share, gigabytes_an_hour, taken, why)

}  // namespace kettle
