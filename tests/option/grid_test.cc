// SPDX-License-Identifier: Apache-2.0
#include "kettle/option/grid.h"

#include "support.h"

namespace kettle {
namespace {

using test::Complaint;
using testing::HasSubstr;

TEST(Grid, CombinesEverythingFastestFirst) {
  Grid grid;
  grid.encoders = {"x264", "nvenc-h264"};
  grid.presets = {"veryfast", "ultrafast", "p1"};
  grid.devices = {{"nvenc-h264", 0}, {"nvenc-h264", 1}, {"x264", 0}};
  grid.sizes = {{640, 360}, {320, 180}};
  const auto settings = Combine(grid, test::SmallSettings());
  ASSERT_EQ(settings.size(), 2u * 2 + 2 * 2);
  EXPECT_EQ(settings[0].preset, "ultrafast");
  EXPECT_EQ(settings[2].preset, "p1");
  EXPECT_EQ(settings.back().preset, "veryfast");
  EXPECT_EQ(settings[2].device, 0);
  EXPECT_EQ(settings[4].device, 1);
  EXPECT_EQ(settings[0].bit_rate, test::SmallSettings().bit_rate);
}

TEST(Grid, AnEncoderThatIsOnNoneOfTheDevicesIsLeftOut) {
  Grid grid;
  grid.encoders = {"x264", "nvenc-h264", "vaapi-h264"};
  grid.devices = {{"vaapi-h264", 1}};
  for (const EncodeSettings& settings : Combine(grid, test::SmallSettings())) {
    EXPECT_EQ(settings.encoder, "vaapi-h264");
    EXPECT_EQ(settings.device, 1);
  }
}

TEST(Grid, RatesFollowTheRateControl) {
  Grid grid;
  grid.encoders = {"x264"};
  grid.presets = {"fast"};
  grid.rate_controls = {RateControl::kConstantBitRate, RateControl::kCappedVariable, RateControl::kConstantQuality,
                        RateControl::kCappedQuality};
  grid.bit_rates = {BitRate::FromKbps(1000), BitRate::FromKbps(2000)};
  const auto settings = Combine(grid, test::SmallSettings());
  ASSERT_EQ(settings.size(), 7u) << "constant quality knows no bit rate: once";
  EXPECT_EQ(settings[0].maximum_bit_rate, BitRate::FromKbps(1000));
  EXPECT_EQ(settings[2].maximum_bit_rate, BitRate::FromKbps(1500));
  EXPECT_EQ(settings[4].maximum_bit_rate, BitRate{});
  EXPECT_EQ(settings[5].bit_rate, BitRate{});
  EXPECT_EQ(settings[5].maximum_bit_rate, BitRate::FromKbps(1500));
}

TEST(Grid, AnUnknownPresetGetsTheNearest) {
  Grid grid;
  grid.encoders = {"x264", "x265"};
  grid.presets = {"veryfest"};
  EXPECT_THAT(Complaint(Fault::kInput, [&] { Combine(grid, test::SmallSettings()); }),
              HasSubstr("no preset \"veryfest\" of x264, x265; did you mean \"veryfast\"?"));
}

TEST(Grid, WhatAnEncoderCannotDoIsAnErrorOnlyIfItWasNamed) {
  Grid grid;
  grid.encoders = {"vp9", "x264"};
  grid.presets = {"8", "fast"};
  EncodeSettings settings = test::SmallSettings();
  settings.b_frames = 2;
  EXPECT_EQ(Combine(grid, settings).size(), 1u) << "vp9 has no B-frames";
  grid.named = true;
  EXPECT_THAT(Complaint(Fault::kInput, [&] { Combine(grid, settings); }), HasSubstr("vp9 has no B-frames"));
  grid.named = false;
  grid.encoders = {"vp9"};
  EXPECT_THAT(Complaint(Fault::kInput, [&] { Combine(grid, settings); }), HasSubstr("vp9")) << "nothing is left";
}

}  // namespace
}  // namespace kettle
