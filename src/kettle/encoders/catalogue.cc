// SPDX-License-Identifier: Apache-2.0
#include "kettle/encoders/catalogue.h"

#include <algorithm>
#include <cmath>

#include "kettle/units/error.h"
#include "kettle/units/suggestion.h"

namespace kettle {

namespace {

EncoderFamily X264() {
  return {.name = "x264",
          .title = "x264, H.264 on the CPU",
          .library_name = "libx264",
          .codec = "h264",
          .device = DeviceKind::kCpu,
          .presets = {"ultrafast", "superfast", "veryfast", "faster", "fast", "medium", "slow", "slower", "veryslow"},
          // Keyframes come by the clock, so that every destination can cut where it expects to.
          .options = {{"profile", "high"}, {"sc_threshold", "0"}, {"forced-idr", "1"}},
          .rate_options = {{RateControl::kConstantBitRate, {{"nal-hrd", "none"}}},
                           {RateControl::kCappedVariable, {{"nal-hrd", "none"}}}},
          .reasons = {}};
}

EncoderFamily NvencH264() {
  return {.name = "nvenc-h264",
          .title = "NVENC, H.264 on the GPU",
          .library_name = "h264_nvenc",
          .codec = "h264",
          .device = DeviceKind::kGpu,
          .presets = {"p1", "p2", "p3", "p4", "p5", "p6", "p7"},
          .options = {{"profile", "high"}, {"tune", "hq"}, {"no-scenecut", "1"}, {"forced-idr", "1"}},
          .rate_options = {{RateControl::kConstantBitRate, {{"rc", "cbr"}}},
                           {RateControl::kCappedVariable, {{"rc", "vbr"}}}},
          .reasons = {{"Cannot load libcuda", "no NVIDIA driver on this machine (libcuda.so.1 is not there)"},
                      {"Cannot load libnvidia-encode",
                       "the NVIDIA driver lacks its encode library (libnvidia-encode.so.1); install it"},
                      {"does not support the required nvenc API version",
                       "the NVIDIA driver is too old for the installed libavcodec; update the driver"},
                      {"OpenEncodeSessionEx failed: out of memory",
                       "session limit reached: the GPU takes no more encodes at once; end another one"},
                      {"No capable devices found", "the GPU cannot encode these settings, or it has no encoder"},
                      {"no CUDA-capable device", "the NVIDIA driver finds no GPU"},
                      {"cuInit(0) failed", "the NVIDIA driver is there but finds no working GPU"}}};
}

EncoderFamily Discarding() {
  return {.name = "discard",
          .title = "nothing: pictures are handed on, not encoded",
          .library_name = "wrapped_avframe",
          .codec = "none",
          .device = DeviceKind::kCpu,
          .presets = {"none"},
          .options = {},
          .rate_options = {},
          .reasons = {}};
}

}  // namespace

const std::vector<EncoderFamily>& Catalogue() {
  static const std::vector<EncoderFamily> families = {X264(), NvencH264()};
  return families;
}

const EncoderFamily& DiscardingEncoder() {
  static const EncoderFamily family = Discarding();
  return family;
}

const EncoderFamily& FindFamily(const std::string& name) {
  if (name == DiscardingEncoder().name) return DiscardingEncoder();
  std::vector<std::string> names;
  for (const EncoderFamily& family : Catalogue()) {
    if (family.name == name) return family;
    names.push_back(family.name);
  }
  FailInput("there is no encoder \"{}\"{}", name, Suggestion(name, names));
}

const char* Name(DeviceKind kind) { return kind == DeviceKind::kCpu ? "cpu" : "gpu"; }

EncoderConfig ConfigFor(const EncodeSettings& settings) {
  const EncoderFamily& family = FindFamily(settings.encoder);
  if (std::find(family.presets.begin(), family.presets.end(), settings.preset) == family.presets.end())
    FailInput("{} has no preset \"{}\"{}", family.name, settings.preset, Suggestion(settings.preset, family.presets));
  EncoderConfig config;
  config.library_name = family.library_name;
  config.size = settings.size;
  config.rate = settings.frame_rate;
  if (family.name == DiscardingEncoder().name) return config;
  config.bit_rate = settings.bit_rate.bits_per_second;
  config.maximum_bit_rate = settings.maximum_bit_rate.bits_per_second;
  config.buffer_bits = std::llround(static_cast<double>(config.maximum_bit_rate) * settings.buffer_seconds);
  config.keyframe_frames = static_cast<int>(std::lround(settings.keyframe_seconds * settings.frame_rate.fps()));
  config.options = family.options;
  config.options["preset"] = settings.preset;
  if (const auto found = family.rate_options.find(settings.rate_control); found != family.rate_options.end())
    for (const auto& [key, value] : found->second) config.options[key] = value;
  return config;
}

std::string Reason(const EncoderFamily& family, const std::string& library_words) {
  for (const auto& [words, reason] : family.reasons)
    if (library_words.find(words) != std::string::npos) return reason;
  return library_words;
}

}  // namespace kettle
