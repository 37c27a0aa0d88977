// SPDX-License-Identifier: Apache-2.0
#include "kettle/encoders/catalogue.h"

#include <nlohmann/json.hpp>
#include <set>

#include "encoders/prove_settings.h"
#include "kettle/encoders/versions.h"
#include "kettle/media/encoder.h"
#include "kettle/task/probe.h"
#include "support.h"

namespace kettle {
namespace {

using test::Complaint;
using testing::HasSubstr;

TEST(Catalogue, EveryFamilyIsWhole) {
  std::set<std::string> names;
  for (const EncoderFamily& family : Catalogue()) {
    SCOPED_TRACE(family.name);
    EXPECT_TRUE(names.insert(family.name).second);
    EXPECT_GE(family.presets.size(), 2u);
    EXPECT_TRUE(family.rates.contains(RateControl::kCappedVariable));
    EXPECT_TRUE(family.rates.contains(RateControl::kConstantQuality));
    EXPECT_FALSE(family.profiles.empty());
    EXPECT_LT(family.quality.best, family.quality.usual);
    EXPECT_LT(family.quality.usual, family.quality.worst);
    EXPECT_EQ(family.device == DeviceKind::kCpu, family.interface == Interface::kProcessor);
  }
  for (const char* name : {"x264", "x265", "svt-av1", "vp9", "nvenc-h264", "nvenc-hevc", "nvenc-av1", "vaapi-h264",
                           "vaapi-hevc", "vaapi-av1", "qsv-h264", "qsv-hevc", "qsv-av1"})
    EXPECT_TRUE(names.contains(name)) << name;
}

class FamilyTest : public testing::TestWithParam<std::string> {};

TEST_P(FamilyTest, EverySettingIsInTheBitstream) {
  const EncoderFamily& family = FindFamily(GetParam());
  EncodeSettings variable = test::SmallSettings(family.name, family.presets.front());
  variable.rate_control = RateControl::kCappedVariable;
  variable.maximum_bit_rate = BitRate::FromKbps(600);
  const ProbeOutcome outcome = RunProbe({variable});
  if (!outcome.works && family.device == DeviceKind::kGpu) GTEST_SKIP() << outcome.reason;
  ASSERT_TRUE(outcome.works) << outcome.reason;
  test::ProveSettings(family);
}

TEST_P(FamilyTest, EveryPresetOpensAndEncodes) {
  const EncoderFamily& family = FindFamily(GetParam());
  std::vector<std::string> opened, failed;
  std::string reason;
  for (const std::string& preset : family.presets) {
    EncodeSettings settings = test::SmallSettings(family.name, preset);
    settings.rate_control = RateControl::kCappedVariable;
    settings.maximum_bit_rate = BitRate::FromKbps(600);
    const ProbeOutcome outcome = RunProbe({settings});
    (outcome.works ? opened : failed).push_back(preset);
    if (!outcome.works) reason = outcome.reason;
  }
  // No card here, and so none of them; where one opens, all must.
  if (opened.empty() && family.device == DeviceKind::kGpu) GTEST_SKIP() << reason;
  EXPECT_THAT(failed, testing::IsEmpty()) << reason;
}

std::vector<std::string> FamilyNames() {
  std::vector<std::string> names;
  for (const EncoderFamily& family : Catalogue()) names.push_back(family.name);
  return names;
}
INSTANTIATE_TEST_SUITE_P(Catalogue, FamilyTest, testing::ValuesIn(FamilyNames()), [](const auto& instance) {
  std::string name = instance.param;
  std::replace(name.begin(), name.end(), '-', '_');
  return name;
});

TEST(Catalogue, WrongNamesGetTheNearest) {
  EXPECT_THAT(Complaint(Fault::kInput, [] { FindFamily("nvenc-h265"); }), HasSubstr("nvenc-h264"));
  EXPECT_THAT(Complaint(Fault::kInput, [] { ConfigFor(test::SmallSettings("x264", "supafast")); }),
              HasSubstr("superfast"));
}

// libavcodec opens it with one thread, whatever libvpx would choose.
TEST(Catalogue, Vp9UsesEveryProcessor) {
  const Encoder encoder(ConfigFor(test::SmallSettings("vp9", "8")));
  EXPECT_EQ(encoder.context().thread_count, 0) << "which libvpx takes as one for each";
}

TEST(Catalogue, WhatAFamilyCannotDoIsRefusedWithThoseThatCan) {
  EncodeSettings settings = test::SmallSettings("vp9", "8");
  settings.b_frames = 2;
  EXPECT_THAT(Complaint(Fault::kInput, [&] { ConfigFor(settings); }), HasSubstr("vp9 has no B-frames; x264, x265"));
  settings.b_frames = 0;
  EXPECT_NO_THROW(ConfigFor(settings)) << "it has none, and none is asked for";

  settings = test::SmallSettings("nvenc-h264", "p1");
  settings.bit_depth = 10;
  const std::string complaint = Complaint(Fault::kInput, [&] { ConfigFor(settings); });
  EXPECT_THAT(complaint, HasSubstr("nvenc-h264 has no 10 bit 4:2:0; x264, x265"));
  EXPECT_THAT(complaint, HasSubstr("nvenc-hevc"));
  EXPECT_THAT(complaint, testing::Not(HasSubstr("vaapi-h264")));

  const auto constant = [] { ConfigFor(test::SmallSettings("svt-av1", "8")); };
  if (FindFamily("svt-av1").rates.contains(RateControl::kConstantBitRate))  // from SVT-AV1 2 on
    EXPECT_NO_THROW(constant());
  else
    EXPECT_THAT(Complaint(Fault::kInput, constant),
                HasSubstr("svt-av1 has no constant bit rate; it has capped variable"));
  settings = test::SmallSettings("x264", "fast");
  settings.multi_pass = true;
  EXPECT_THAT(Complaint(Fault::kInput, [&] { ConfigFor(settings); }), HasSubstr("nvenc-h264, nvenc-hevc"));
}

TEST(Catalogue, ValuesOutOfRangeAreRefused) {
  EncodeSettings settings = test::SmallSettings();
  settings.b_frames = 17;
  EXPECT_THAT(Complaint(Fault::kInput, [&] { ConfigFor(settings); }), HasSubstr("0 to 16"));
  settings = test::SmallSettings();
  settings.rate_control = RateControl::kConstantQuality;
  settings.quality_level = 60;
  EXPECT_THAT(Complaint(Fault::kInput, [&] { ConfigFor(settings); }), HasSubstr("0 (best) to 51 (worst)"));
  settings = test::SmallSettings("nvenc-h264", "p1");
  settings.size = {8192, 4096};
  EXPECT_THAT(Complaint(Fault::kInput, [&] { ConfigFor(settings); }), HasSubstr("at most 4096x4096"));
  settings = test::SmallSettings();
  settings.device = 1;
  EXPECT_THAT(Complaint(Fault::kInput, [&] { ConfigFor(settings); }), HasSubstr("runs on the CPU"));
  settings = test::SmallSettings();
  settings.profile = "high10";
  EXPECT_THAT(Complaint(Fault::kInput, [&] { ConfigFor(settings); }), HasSubstr("for 10 bit"));
  settings.profile = "hihg";
  EXPECT_THAT(Complaint(Fault::kInput, [&] { ConfigFor(settings); }), HasSubstr("did you mean \"high\"?"));
}

TEST(Catalogue, ConstantBitRateIsItsOwnMaximum) {
  const EncoderConfig config = ConfigFor(test::SmallSettings());
  EXPECT_EQ(config.bit_rate, 400'000);
  EXPECT_EQ(config.maximum_bit_rate, 400'000);
  EXPECT_EQ(config.buffer_bits, 400'000);
  EXPECT_EQ(config.keyframe_frames, 50);
}

TEST(Catalogue, GpuFamiliesAreToldTheirDeviceAndPictures) {
  EncodeSettings settings = test::SmallSettings("nvenc-hevc", "p4");
  settings.device = 1;
  settings.bit_depth = 10;
  EncoderConfig config = ConfigFor(settings);
  EXPECT_EQ(config.options.at("gpu"), "1");
  EXPECT_EQ(config.pixel_format, AV_PIX_FMT_P010LE);
  settings.encoder = "vaapi-hevc";
  settings.preset = "4";
  config = ConfigFor(settings);
  EXPECT_EQ(config.hardware, "vaapi");
  EXPECT_EQ(config.options.at("compression_level"), "4");
  EXPECT_THAT(config.hardware_device, testing::StartsWith("/dev/dri/renderD"));
}

TEST(Catalogue, ReasonsAreInWordsThatSayWhatToDo) {
  const EncoderFamily nvenc = FindFamily("nvenc-h264");
  EXPECT_THAT(Reason(nvenc, "x; OpenEncodeSessionEx failed: out of memory (10): y"),
              testing::StartsWith("session limit reached"));
  EXPECT_THAT(Reason(nvenc, "x; Cannot load libcuda.so.1"), HasSubstr("no NVIDIA driver"));
  EXPECT_THAT(Reason(FindFamily("nvenc-av1"), "the installed libavcodec has no encoder \"av1_nvenc\""),
              HasSubstr("newer release"));
  EXPECT_EQ(Reason(nvenc, "something else"), "something else");
}

TEST(Settings, SurviveJson) {
  EncodeSettings settings = test::SmallSettings("x264", "fast");
  settings.frame_rate = {60000, 1001};
  settings.rate_control = RateControl::kCappedQuality;
  settings.maximum_bit_rate = BitRate::FromKbps(600);
  settings.quality_level = 21;
  settings.b_frames = 0;
  settings.look_ahead_frames = 12;
  settings.adaptive_quantisation = false;
  settings.profile = "high10";
  settings.bit_depth = 10;
  settings.device = 2;
  EXPECT_EQ(nlohmann::json(settings).get<EncodeSettings>(), settings);
}

TEST(Settings, NamesAreReadAsTheyAreWritten) {
  EXPECT_EQ(ParseRateControl("capped-quality"), RateControl::kCappedQuality);
  EXPECT_EQ(ParseRateControl("constant bit rate"), RateControl::kConstantBitRate);
  EXPECT_THAT(Complaint(Fault::kInput, [] { ParseRateControl("constant-rate"); }), HasSubstr("constant bit rate"));
  EXPECT_EQ(ParseChroma("4:4:4"), Chroma::k444);
  EXPECT_THAT(Complaint(Fault::kInput, [] { ParseChroma("4:2:2"); }), HasSubstr("4:2:0"));
}

TEST(Versions, AnEncodersLibraryIsNamedByItsBuild) {
  const EncodeSettings settings = test::SmallSettings("x264", "ultrafast");
  const Encoder encoder(ConfigFor(settings));
  const Versions versions = VersionsOf(settings, "", "");
  EXPECT_THAT(versions.library, testing::StartsWith("libx264.so."));
  EXPECT_EQ(versions.driver + versions.kernel_driver, "") << "a processor has none";
  const EncodeSettings on_gpu = test::SmallSettings("vaapi-h264", "7");
  EXPECT_EQ(VersionsOf(on_gpu, "a driver 1.2", "").driver, "a driver 1.2");
  EXPECT_THAT(VersionsOf(on_gpu, "", "").library, testing::StartsWith("libavcodec "));
}

}  // namespace
}  // namespace kettle
