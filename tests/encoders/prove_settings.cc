// SPDX-License-Identifier: Apache-2.0
#include "encoders/prove_settings.h"

#include <algorithm>
#include <array>

#include "encoders/bitstream.h"
#include "kettle/encoders/library_options.h"
#include "support.h"

namespace kettle::test {

namespace {

constexpr int kFrames = 60;
constexpr int kKeyframeFrames = 25;

// A preset from the middle, where nothing is switched off for speed.
EncodeSettings Base(const EncoderFamily& family) {
  EncodeSettings settings = SmallSettings(family.name, family.presets[family.presets.size() / 2]);
  settings.keyframe_seconds = 1;
  settings.rate_control = RateControl::kCappedVariable;
  settings.maximum_bit_rate = BitRate::FromKbps(600);
  return settings;
}

std::size_t Bytes(const Stream& stream) {
  std::size_t bytes = 0;
  for (const Packet& packet : stream.packets) bytes += packet.bytes.size();
  return bytes;
}

// Not as a matcher, which would print the stream.
bool Says(const Stream& stream, const std::string& words) { return stream.text().find(words) != std::string::npos; }

// The size that the sequence header declares (HEVC's without the cropping of its blocks).
void CheckSize(const EncoderFamily& family, const Stream& stream, FrameSize size) {
  if (family.codec == "h264") {
    EXPECT_EQ(stream.First("pic_width_in_mbs_minus1"), size.width / 16 - 1);
    EXPECT_EQ(stream.First("pic_height_in_map_units_minus1"), size.height / 16 - 1);
  } else if (family.codec == "hevc") {
    EXPECT_EQ(stream.First("pic_width_in_luma_samples"), size.width);
    EXPECT_EQ(stream.First("pic_height_in_luma_samples"), size.height);
  } else if (family.codec == "av1") {
    EXPECT_EQ(stream.First("max_frame_width_minus_1"), size.width - 1);
    EXPECT_EQ(stream.First("max_frame_height_minus_1"), size.height - 1);
  } else {
    EXPECT_EQ(stream.First("frame_width_minus_1"), size.width - 1);
    EXPECT_EQ(stream.First("frame_height_minus_1"), size.height - 1);
  }
}

// BT.709, limited range: ISO/IEC 23091-2's code points; VP9 bitstream specification 7.2.2.
void CheckColours(const EncoderFamily& family, const Stream& stream) {
  if (family.codec == "vp9") {
    EXPECT_EQ(stream.First("color_space"), 2);
    return;
  }
  const bool av1 = family.codec == "av1";
  for (const char* element :
       {av1 ? "color_primaries" : "colour_primaries", "transfer_characteristics", "matrix_coefficients"})
    EXPECT_EQ(stream.First(element), 1) << element;
  EXPECT_EQ(stream.First(av1 ? "color_range" : "video_full_range_flag"), 0);
}

// Hypothetical reference decoder parameters: H.264 E.2.2, HEVC E.3.3.
void CheckBuffer(const EncoderFamily& family, const Stream& stream, const EncodeSettings& settings) {
  if (family.codec != "h264" && family.codec != "hevc") return;  // the other codecs' headers do not tell
  const auto value = [&](const char* name) { return static_cast<double>(stream.First(name)); };
  ASSERT_EQ(stream.First("nal_hrd_parameters_present_flag"), 1);
  const double rate = (value("bit_rate_value_minus1") + 1) * std::exp2(6 + value("bit_rate_scale"));
  const double buffer = (value("cpb_size_value_minus1") + 1) * std::exp2(4 + value("cpb_size_scale"));
  const auto maximum = static_cast<double>(settings.maximum_bit_rate.bits_per_second);
  EXPECT_NEAR(rate, maximum, maximum * 0.01);
  EXPECT_NEAR(buffer, maximum * settings.buffer_seconds, maximum * 0.02);
}

void ProveRates(const EncoderFamily& family) {
  for (const auto& [rate_control, mapping] : family.rates) {
    SCOPED_TRACE(Name(rate_control));
    EncodeSettings settings = Base(family);
    settings.rate_control = rate_control;
    settings.buffer_seconds = 0.5;
    if (rate_control == RateControl::kConstantBitRate) settings.maximum_bit_rate = settings.bit_rate;
    if (IsQuality(rate_control)) settings.bit_rate = {};
    if (rate_control == RateControl::kConstantQuality) settings.maximum_bit_rate = {};
    const Stream stream = EncodeStream(settings, kFrames);
    ASSERT_EQ(stream.packets.size(), static_cast<std::size_t>(kFrames));
    CheckSize(family, stream, settings.size);
    CheckColours(family, stream);
    EXPECT_THAT(stream.keyframes(), testing::ElementsAre(0, kKeyframeFrames, 2 * kKeyframeFrames));
    if (mapping.buffer) CheckBuffer(family, stream, settings);
    if (!IsQuality(rate_control)) {
      const double kbps = static_cast<double>(Bytes(stream)) * 8 / 1000 / (kFrames / settings.frame_rate.fps());
      EXPECT_GT(kbps, settings.bit_rate.kbps() * 0.4);
      EXPECT_LT(kbps, settings.maximum_bit_rate.kbps() * 1.5);
      continue;
    }
    // Under a cap that never binds, a better level costs more.
    settings.maximum_bit_rate = BitRate::FromKbps(rate_control == RateControl::kCappedQuality ? 20'000 : 0);
    settings.quality_level = family.quality.usual - 12;
    const std::size_t better = Bytes(EncodeStream(settings, kFrames));
    settings.quality_level = family.quality.usual + 12;
    EXPECT_GT(better, Bytes(EncodeStream(settings, kFrames)) * 11 / 10);
  }
}

void ProveLookAhead(const EncoderFamily& family) {
  if (!family.features.contains(Feature::kLookAhead)) return;
  EncodeSettings settings = Base(family);
  settings.b_frames = family.features.contains(Feature::kBFrames) ? std::optional(0) : std::nullopt;
  settings.look_ahead_frames = 0;
  const Stream without = EncodeStream(settings, kFrames);
  settings.look_ahead_frames = 20;
  const Stream with = EncodeStream(settings, kFrames);
  EXPECT_GE(with.delay(), without.delay() + 10) << "a frame waits for those that are looked at ahead of it";
  const std::string words = family.name == "x264" ? "rc_lookahead=20" : family.name == "x265" ? "rc-lookahead=20" : "";
  EXPECT_TRUE(Says(with, words));
}

void ProveAdaptiveQuantisation(const EncoderFamily& family) {
  if (!family.features.contains(Feature::kAdaptiveQuantisation)) return;
  EncodeSettings settings = Base(family);
  if (family.features.at(Feature::kAdaptiveQuantisation).off_needs_quality) {
    settings.rate_control = RateControl::kConstantQuality;
    settings.bit_rate = settings.maximum_bit_rate = {};
  }
  settings.adaptive_quantisation = false;
  const Stream off = EncodeStream(settings, kFrames);
  settings.adaptive_quantisation = true;
  const Stream on = EncodeStream(settings, kFrames);
  if (family.name == "x264") {
    EXPECT_TRUE(Says(off, "aq=1:0.00")) << "of strength 0: its macroblock tree uses the same table";
    EXPECT_TRUE(Says(on, "aq=1:1.00"));
  } else if (family.name == "x265") {
    EXPECT_TRUE(Says(off, "aq-strength=0.00"));
    EXPECT_TRUE(Says(on, "aq-mode=1 aq-strength=1.00"));
  } else if (family.device == DeviceKind::kGpu) {
    EXPECT_TRUE(off.text() != on.text());  // it tells nobody; its bits differ
  } else if (family.codec == "av1") {
    EXPECT_FALSE(off.Has("delta_q_present", 1));
    EXPECT_TRUE(on.Has("delta_q_present", 1) || on.Has("segmentation_enabled", 1));
  } else if (family.codec == "vp9") {
    EXPECT_FALSE(off.Has("segmentation_enabled", 1));
    EXPECT_TRUE(on.Has("segmentation_enabled", 1));
  }
}

void ProveMultiPass(const EncoderFamily& family) {
  if (!family.features.contains(Feature::kMultiPass)) return;
  EncodeSettings settings = Base(family);
  settings.multi_pass = false;
  const std::string off = EncodeStream(settings, kFrames).text();
  settings.multi_pass = true;
  EXPECT_TRUE(off != EncodeStream(settings, kFrames).text());
}

// Profile numbers: H.264 A.2, HEVC A.3, AV1 A.2, VP9 bitstream specification 7.2.
long long ProfileNumber(const EncoderFamily& family, const Profile& profile) {
  static const std::map<std::string, long long> h264 = {
      {"high", 100},   {"main", 77},     {"baseline", 66}, {"constrained_baseline", 66},
      {"high10", 110}, {"high444", 244}, {"high444p", 244}};
  static const std::map<std::string, long long> hevc = {
      {"main", 1}, {"main10", 2}, {"main444-8", 4}, {"main444-10", 4}, {"rext", 4}};
  if (family.codec == "h264") return h264.at(profile.name);
  if (family.codec == "hevc") return hevc.at(profile.name);
  return profile.chroma == Chroma::k444 ? 1 : 0;
}

void ProveProfiles(const EncoderFamily& family) {
  for (const Profile& profile : family.profiles) {
    SCOPED_TRACE(profile.name);
    EncodeSettings settings = Base(family);
    if (profile.name.find("baseline") != std::string::npos) settings.b_frames = 0;
    settings.profile = profile.name;
    settings.bit_depth = profile.bit_depth;
    settings.chroma = profile.chroma;
    Stream stream;
    try {
      stream = EncodeStream(settings, kFrames);
    } catch (const Error& error) {
      EXPECT_EQ(family.device, DeviceKind::kGpu) << error.what();  // a device may lack it
      continue;
    }
    const bool deep = profile.bit_depth == 10;
    const int chroma = profile.chroma == Chroma::k444 ? 3 : 1;
    if (family.codec == "h264" || family.codec == "hevc") {
      EXPECT_EQ(stream.First(family.codec == "h264" ? "profile_idc" : "general_profile_idc"),
                ProfileNumber(family, profile));
      // H.264 says it only in its high profiles.
      EXPECT_EQ(std::max(0LL, stream.First("bit_depth_luma_minus8")), deep ? 2 : 0);
      const long long told = stream.First("chroma_format_idc");
      EXPECT_EQ(told < 0 ? 1 : told, chroma);
    } else if (family.codec == "av1") {
      EXPECT_EQ(stream.First("seq_profile"), 0);
      EXPECT_EQ(stream.First("high_bitdepth"), deep);
    } else {
      EXPECT_EQ(stream.First("profile_high_bit") * 2 + stream.First("profile_low_bit"), deep ? 2 : chroma == 3);
    }
  }
}

// Opened with these options and nothing else. libavcodec hands what a library calls by its own names on to it, unread.
EncoderConfig WithExactly(const EncodeSettings& settings) {
  const EncoderConfig whole = ConfigFor(settings);
  EncoderConfig config;
  config.library_name = whole.library_name;
  config.size = whole.size;
  config.rate = whole.rate;
  config.pixel_format = whole.pixel_format;
  config.hardware = whole.hardware;
  config.hardware_device = whole.hardware_device;
  const std::map<std::string, std::string> params = {
      {"libx264", "x264-params"}, {"libx265", "x265-params"}, {"libsvtav1", "svtav1-params"}};
  const auto handed = params.find(whole.library_name);
  for (const auto& [name, value] : OptionsOfLibrary(settings).options)
    if (handed == params.end() || name == "preset" || name == "profile") {
      config.options[name] = value;
    } else {
      std::string& joined = config.options[handed->second];
      joined += (joined.empty() ? "" : ":") + name + "=" + value;
    }
  if (whole.library_name == "libx265") config.options["x265-params"] += ":log-level=error";
  return config;
}

// Coded pictures alone: x264 and x265 write all of their own options into the stream as a comment.
std::string Pictures(const Stream& stream) {
  std::string pictures;
  for (const Packet& packet : stream.packets) {
    const auto comment = packet.bytes.find(" - options: ");
    pictures += comment == std::string::npos ? packet.bytes : packet.bytes.substr(packet.bytes.find('\0', comment));
  }
  return pictures;
}

// The plan's stream from the library's own options alone.
void ExpectTheSameByLibraryOptions(const EncodeSettings& settings) {
  SCOPED_TRACE(fmt::format("{}", Name(settings.rate_control)));
  std::string told;
  for (const auto& [name, value] : OptionsOfLibrary(settings).options) told += name + "=" + value + " ";
  // On one thread: under a decoder buffer x264 and x265 decide by what their threads have got to.
  EncoderConfig plan_config = ConfigFor(settings), own_config = WithExactly(settings);
  if (FindFamily(settings.encoder).device == DeviceKind::kCpu)
    plan_config.options["threads"] = own_config.options["threads"] = "1";
  // Debian 12's x264 with AVX-512 codes the same pictures in different ways from run to run; SVT-AV1 has threads of its
  // own.
  for (const auto& [encoder, params, steady] :
       {std::array{"x264", "x264-params", "asm=AVX2"}, {"svt-av1", "svtav1-params", "lp=1"}})
    if (settings.encoder == encoder)
      for (EncoderConfig* config : {&plan_config, &own_config}) {
        std::string& joined = config->options[params];
        joined += std::string(joined.empty() ? "" : ":") + steady;
      }
  const Stream plan = EncodeStream(plan_config, kFrames), own = EncodeStream(own_config, kFrames);
  ASSERT_EQ(own.packets.size(), plan.packets.size()) << told;
  EXPECT_EQ(own.keyframes(), plan.keyframes()) << told;
  EXPECT_TRUE(Pictures(own) == Pictures(plan)) << "other pictures with: " << told;
}

void ProveLibraryOptions(const EncoderFamily& family) {
  EncodeSettings settings = Base(family);
  for (const auto& [rate_control, mapping] : family.rates) {
    settings.rate_control = rate_control;
    settings.bit_rate = BitRate::FromKbps(IsQuality(rate_control) ? 0 : 400);
    settings.maximum_bit_rate = BitRate::FromKbps(rate_control == RateControl::kConstantBitRate   ? 400
                                                  : rate_control == RateControl::kConstantQuality ? 0
                                                                                                  : 600);
    ExpectTheSameByLibraryOptions(settings);
  }
  settings = Base(family);
  settings.b_frames = 0;
  if (family.features.contains(Feature::kLookAhead)) settings.look_ahead_frames = 10;
  ExpectTheSameByLibraryOptions(settings);
}

}  // namespace

void ProveBFrames(EncodeSettings settings) {
  settings.b_frames = 0;
  EXPECT_EQ(EncodeStream(settings, kFrames).longest_b_run(), 0);
  settings.b_frames = 2;
  const int run = EncodeStream(settings, kFrames).longest_b_run();
  EXPECT_GE(run, 1);
  EXPECT_LE(run, 2);
}

void ProveSettings(const EncoderFamily& family, const Ability& ability) {
  SCOPED_TRACE(family.name);
  ProveRates(family);
  if (ability.b_frames && family.features.contains(Feature::kBFrames)) ProveBFrames(Base(family));
  ProveLookAhead(family);
  ProveAdaptiveQuantisation(family);
  ProveMultiPass(family);
  ProveProfiles(family);
  ProveLibraryOptions(family);
}

}  // namespace kettle::test
