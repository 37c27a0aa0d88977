// SPDX-License-Identifier: Apache-2.0
#include "kettle/encoders/catalogue.h"

#include <nlohmann/json.hpp>

#include "kettle/trial/unpaced.h"
#include "support.h"

namespace kettle {
namespace {

using test::Complaint;

TEST(Catalogue, NamesAreUniqueAndPresetsGiven) {
  std::vector<std::string> names;
  for (const EncoderFamily& family : Catalogue()) {
    names.push_back(family.name);
    EXPECT_GE(family.presets.size(), 2u) << family.name;
    EXPECT_NE(avcodec_find_encoder_by_name(family.library_name.c_str()), nullptr) << family.name;
  }
  EXPECT_THAT(names, testing::WhenSorted(testing::ElementsAre("nvenc-h264", "x264")));
}

TEST(Catalogue, EveryX264PresetOpensAndEncodes) {
  for (const std::string& preset : FindFamily("x264").presets) {
    const ProbeOutcome outcome = RunProbe({test::SmallSettings("x264", preset)});
    EXPECT_TRUE(outcome.works) << preset << ": " << outcome.reason;
  }
}

TEST(Catalogue, WrongNamesGetTheNearest) {
  EXPECT_THAT(Complaint(Fault::kInput, [] { FindFamily("nvenc-h265"); }), testing::HasSubstr("nvenc-h264"));
  EXPECT_THAT(Complaint(Fault::kInput, [] { ConfigFor(test::SmallSettings("x264", "supafast")); }),
              testing::HasSubstr("superfast"));
}

TEST(Catalogue, ConstantBitRateIsItsOwnMaximum) {
  const EncoderConfig config = ConfigFor(test::SmallSettings());
  EXPECT_EQ(config.bit_rate, 400'000);
  EXPECT_EQ(config.maximum_bit_rate, 400'000);
  EXPECT_EQ(config.buffer_bits, 400'000);
  EXPECT_EQ(config.keyframe_frames, 50);
}

TEST(Catalogue, ReasonsAreInWordsThatSayWhatToDo) {
  const EncoderFamily& nvenc = FindFamily("nvenc-h264");
  EXPECT_THAT(Reason(nvenc, "x; OpenEncodeSessionEx failed: out of memory (10): y"),
              testing::StartsWith("session limit reached"));
  EXPECT_THAT(Reason(nvenc, "x; Cannot load libcuda.so.1"), testing::HasSubstr("no NVIDIA driver"));
  EXPECT_EQ(Reason(nvenc, "something else"), "something else");
}

TEST(Settings, SurviveJson) {
  EncodeSettings settings = test::SmallSettings("x264", "fast");
  settings.frame_rate = {60000, 1001};
  settings.rate_control = RateControl::kCappedVariable;
  settings.maximum_bit_rate = BitRate::FromKbps(600);
  EXPECT_EQ(nlohmann::json(settings).get<EncodeSettings>(), settings);
}

}  // namespace
}  // namespace kettle
