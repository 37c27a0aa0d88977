// SPDX-License-Identifier: Apache-2.0
#include "report/card_rows.h"

#include <fmt/format.h>

#include <cmath>

#include "kettle/encoders/catalogue.h"

namespace kettle {

namespace {

std::string Device(const Option& option) {
  std::string place = option.device == "gpu" ? "GPU" : "CPU";
  if (option.simulated) place += ", simulated";
  return fmt::format("{} ({})", option.settings.encoder, place);
}

// Which graphics card; the encoder's row says whether it is simulated. "" on processors, or where it has no name.
std::string GraphicsCard(const Option& option) { return option.device == "gpu" ? CardName(option.device_name) : ""; }

std::string Codec(const Option& option) { return CodecTitle(FindFamily(option.settings.encoder).codec); }

// What the encoder is asked for: the usual profile of its codec.
std::string ProfileOf(const Option& option) {
  if (!option.settings.profile.empty()) return option.settings.profile;
  const EncoderFamily& family = FindFamily(option.settings.encoder);
  return family.profiles.empty() ? "the usual" : family.profiles.front().name;
}

std::string Rate(const Option& option) {
  const EncodeSettings& s = option.settings;
  if (IsQuality(s.rate_control))
    return fmt::format("level {}, about {:.0f} kbit/s", s.quality_level.value_or(FindFamily(s.encoder).quality.usual),
                       option.mean_kbps);
  if (s.rate_control == RateControl::kConstantBitRate) return s.bit_rate.str();
  return fmt::format("{:.0f} kbit/s, at most {:.0f}", s.bit_rate.kbps(), s.maximum_bit_rate.kbps());
}

std::string Buffer(const EncodeSettings& s) {
  if (IsQuality(s.rate_control)) return "none";
  return fmt::format("{:.0f} kbit ({:g} s)", s.maximum_bit_rate.kbps() * s.buffer_seconds, s.buffer_seconds);
}

std::string Keyframes(const EncodeSettings& s) {
  return fmt::format("every {:g} s ({} frames)", s.keyframe_seconds,
                     std::lround(s.keyframe_seconds * s.frame_rate.fps()));
}

std::string BFrames(const Option& option) {
  return option.settings.b_frames ? fmt::format("{}", *option.settings.b_frames)
                                  : fmt::format("preset's own ({})", option.b_frames);
}

}  // namespace

CardRows RowsOf(const Option& option) {
  const EncodeSettings& s = option.settings;
  CardRows rows{{"encoder", Device(option)}};
  if (const std::string card = GraphicsCard(option); !card.empty()) rows.emplace_back("graphics card", card);
  rows.insert(rows.end(), {{"codec", Codec(option)},
                           {"preset", s.preset},
                           {"size", s.size.str()},
                           {"frame rate", s.frame_rate.str()},
                           {"rate control", Name(s.rate_control)},
                           {"rate", Rate(option)},
                           {"buffer", Buffer(s)},
                           {"keyframes", Keyframes(s)},
                           {"B-frames", BFrames(option)},
                           {"profile", ProfileOf(option)}});
  if (s.look_ahead_frames) rows.emplace_back("look-ahead", fmt::format("{} frames", *s.look_ahead_frames));
  if (s.multi_pass) rows.emplace_back("multi-pass", *s.multi_pass ? "on" : "off");
  return rows;
}

std::string Carried(const Option& stream, Protocols protocols) {
  const std::string flv = FindFamily(stream.settings.encoder).codec == "h264" ? "FLV" : "FLV (Enhanced RTMP)";
  if (!protocols.srt) return flv;
  return protocols.rtmp ? flv + "; over SRT: MPEG-TS" : "MPEG-TS (SRT)";
}

std::string ContainerWords(const std::string& container) {
  if (container == "none") return "none: nothing is recorded";
  if (container == "mp4") return "MP4 (.mp4)";
  return container == "fragmented-mp4" ? "fragmented MP4 (.mp4)" : "Matroska (.mkv)";
}

}  // namespace kettle
