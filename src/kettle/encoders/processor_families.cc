// SPDX-License-Identifier: Apache-2.0
// The encoders that run on the CPU. Option names and values are those of libavcodec 59 to 61 and the libraries behind
// it: x264 164, x265 3.5 and 4.1, SVT-AV1 1.4 and 2.3, libvpx 1.12 and 1.15.
#include <dlfcn.h>

#include <cstdio>

#include "kettle/encoders/catalogue.h"

namespace kettle {

namespace {

EncoderFamily X264() {
  return {.name = "x264",
          .title = "x264, H.264 on the CPU",
          .library_name = "libx264",
          .codec = "h264",
          .presets = {"ultrafast", "superfast", "veryfast", "faster", "fast", "medium", "slow", "slower", "veryslow"},
          // Keyframes come by the clock, so that every destination can cut where it expects to. The decoder
          // buffer is declared (nal-hrd) but not filled with padding: that would only load the line.
          .options = {{"sc_threshold", "0"}, {"forced-idr", "1"}},
          .rates = {{RateControl::kConstantBitRate, {.options = {{"nal-hrd", "vbr"}}}},
                    {RateControl::kCappedVariable, {.options = {{"nal-hrd", "vbr"}}}},
                    {RateControl::kConstantQuality,
                     {.average = false, .maximum = false, .buffer = false, .options = {{"crf", "{}"}}}},
                    {RateControl::kCappedQuality, {.average = false, .options = {{"crf", "{}"}, {"nal-hrd", "vbr"}}}}},
          .features = {{Feature::kBFrames, {.most = 16, .options = {{"bf", "{}"}}}},
                       // Rate control in macroblock trees needs the look-ahead: off together.
                       {Feature::kLookAhead,
                        {.most = 250, .options = {{"rc-lookahead", "{}"}}, .of_values = {{0, {{"mbtree", "0"}}}}}},
                       {Feature::kAdaptiveQuantisation, {.options = {{"aq-mode", "{}"}}}},
                       {Feature::kPsychovisual, {.options = {{"psy", "{}"}}}}},
          .profiles = {{"high"},
                       {"main"},
                       {"baseline"},
                       {"high10", 10},
                       {"high444", 8, Chroma::k444},
                       {"high444", 10, Chroma::k444}}};
}

EncoderFamily X265() {
  return {
      .name = "x265",
      .title = "x265, HEVC on the CPU",
      .library_name = "libx265",
      .codec = "hevc",
      .presets = {"ultrafast", "superfast", "veryfast", "faster", "fast", "medium", "slow", "slower", "veryslow"},
      .options = {{"x265-params:scenecut", "0"},
                  {"x265-params:open-gop", "0"},
                  {"x265-params:log-level", "error"},
                  {"forced-idr", "1"}},
      .rates = {{RateControl::kConstantBitRate, {.options = {{"x265-params:hrd", "1"}}}},
                {RateControl::kCappedVariable, {.options = {{"x265-params:hrd", "1"}}}},
                {RateControl::kConstantQuality,
                 {.average = false, .maximum = false, .buffer = false, .options = {{"crf", "{}"}}}},
                {RateControl::kCappedQuality,
                 {.average = false, .options = {{"crf", "{}"}, {"x265-params:hrd", "1"}}}}},
      .features = {{Feature::kBFrames, {.most = 16, .options = {{"x265-params:bframes", "{}"}}}},
                   // It looks at least one group of B-frames ahead whatever is asked.
                   {Feature::kLookAhead,
                    {.most = 250,
                     .options = {{"x265-params:rc-lookahead", "{}"}},
                     .of_values = {{0, {{"x265-params:cutree", "0"}, {"x265-params:b-adapt", "0"}}}}}},
                   {Feature::kAdaptiveQuantisation, {.options = {{"x265-params:aq-mode", "{}"}}}},
                   // On is what the preset brings.
                   {Feature::kPsychovisual,
                    {.options = {}, .of_values = {{0, {{"x265-params:psy-rd", "0"}, {"x265-params:psy-rdoq", "0"}}}}}}},
      .profiles = {{"main"}, {"main10", 10}, {"main444-8", 8, Chroma::k444}, {"main444-10", 10, Chroma::k444}},
      .quality = {.usual = 26}};
}

// The major version of the SVT-AV1 library that this process has loaded; 0 if it has none.
int SvtAv1Major() {
  using Version = const char*();
  const auto version = reinterpret_cast<Version*>(dlsym(RTLD_DEFAULT, "svt_av1_get_version"));  // "v2.3.0"
  int major = 0;
  if (version) std::sscanf(version(), "v%d", &major);
  return major;
}

std::map<RateControl, RateMapping> SvtAv1Rates() {
  const RateMapping quality{.average = false, .maximum = false, .buffer = false, .options = {{"crf", "{}"}}};
  const RateMapping capped{.average = false, .options = {{"crf", "{}"}}};
  std::map<RateControl, RateMapping> rates{{RateControl::kCappedVariable, {}},
                                           {RateControl::kConstantQuality, quality},
                                           {RateControl::kCappedQuality, capped}};
  // Version 1 has constant bit rate only in a mode that it calls unfinished itself. Version 2 takes a maximum only
  // beside a quality level; beside an average it takes how far that may be exceeded.
  if (SvtAv1Major() >= 2) {
    rates[RateControl::kCappedVariable] = {.maximum = false,
                                           .options = {{"svtav1-params:overshoot-pct", "{overshoot}"}}};
    rates[RateControl::kConstantBitRate] = {.maximum = false,
                                            .options = {{"svtav1-params:rc", "2"}, {"svtav1-params:pred-struct", "1"}}};
  }
  return rates;
}

EncoderFamily SvtAv1() {
  return {.name = "svt-av1",
          .title = "SVT-AV1, AV1 on the CPU",
          .library_name = "libsvtav1",
          .codec = "av1",
          .presets = {"12", "11", "10", "9", "8", "7", "6", "5", "4"},
          .options = {},
          .rates = SvtAv1Rates(),
          .features = {{Feature::kLookAhead, {.most = 120, .options = {{"svtav1-params:lookahead", "{}"}}}},
                       {Feature::kAdaptiveQuantisation,
                        {.options = {},
                         .of_values = {{0, {{"svtav1-params:aq-mode", "0"}}}, {1, {{"svtav1-params:aq-mode", "2"}}}},
                         .off_needs_quality = true}}},
          .profiles = {{"main"}, {"main", 10}},
          .profile_option = "",
          .quality = {.best = 1, .worst = 63, .usual = 35},
          .largest = {8192, 4352}};
}

EncoderFamily Vp9() {
  return {.name = "vp9",
          .title = "libvpx, VP9 on the CPU",
          .library_name = "libvpx-vp9",
          .codec = "vp9",
          .presets = {"8", "7", "6", "5", "4", "3", "2"},
          .preset_option = "cpu-used",
          .options = {{"deadline", "realtime"}, {"row-mt", "1"}, {"threads", "0"}},
          .rates = {{RateControl::kConstantBitRate, {.options = {{"minrate", "{maximum}"}}}},
                    {RateControl::kCappedVariable, {}},
                    {RateControl::kConstantQuality,
                     {.average = false, .maximum = false, .buffer = false, .options = {{"crf", "{}"}, {"b", "0"}}}},
                    {RateControl::kCappedQuality, {.maximum_as_average = true, .options = {{"crf", "{}"}}}}},
          .features = {{Feature::kLookAhead, {.most = 25, .options = {{"lag-in-frames", "{}"}}}},
                       {Feature::kAdaptiveQuantisation,
                        {.options = {}, .of_values = {{0, {{"aq-mode", "0"}}}, {1, {{"aq-mode", "3"}}}}}}},
          .profiles = {{"0"}, {"2", 10}, {"1", 8, Chroma::k444}},
          .profile_option = "",
          .quality = {.best = 0, .worst = 63, .usual = 33}};
}

}  // namespace

std::vector<EncoderFamily> ProcessorFamilies() { return {X264(), X265(), SvtAv1(), Vp9()}; }

}  // namespace kettle
